"""Two phones on one call over a line that loses things: a sample of what bench/lossy_line.py plays a thousand times."""

from collections.abc import Callable
from datetime import datetime, timedelta

import pytest
from flask import Flask
from sqlalchemy import Engine

from plentar.core.evidence.lockout import fold
from tests.application import ShopOf, sign_in
from tests.lossy import Lossy

ACTIONS = 100


@pytest.mark.parametrize("seed", [28])
def test_nothing_is_lost_or_doubled_and_dead_never_outlives_a_live_event(
    app: Flask,
    engine: Engine,
    shop: ShopOf,
    make_colleague: Callable[[ShopOf], ShopOf],
    monkeypatch: pytest.MonkeyPatch,
    seed: int,
) -> None:
    """Dropped, doubled, delayed, reordered: all of it once, in order, and dead only where it is so, at every step."""
    clock: list[datetime] = []
    monkeypatch.setattr("plentar.web.serving.access._clock", lambda: clock[-1])
    run: Callable[[datetime], None] = clock.append
    run(datetime.now().astimezone())
    clients = {"Pim Tester": sign_in(app, shop), "Ona Other": sign_in(app, make_colleague(shop))}
    play = Lossy(app, engine, shop, clients, seed, run)
    try:
        for _ in range(ACTIONS):
            play.act()
        play.settle()
    finally:
        play.end()
    # A play in which nothing was ever dead shows nothing.
    assert play.deads["server"] > 0
    assert play.deads["phone"] > 0


@pytest.mark.parametrize("seed", [2])
def test_a_phone_calls_nothing_dead_that_the_server_would_not(
    app: Flask, engine: Engine, shop: ShopOf, monkeypatch: pytest.MonkeyPatch, seed: int
) -> None:
    """Alone and out of contact from the start, with much that stands in a proof's way: never the bolder word."""
    clock: list[datetime] = []
    monkeypatch.setattr("plentar.web.serving.access._clock", lambda: clock[-1])
    clock.append(datetime.now().astimezone())
    play = Lossy(app, engine, shop, {"Pim Tester": sign_in(app, shop)}, seed, clock.append)
    [pocket] = play.pockets
    agreed = 0
    try:
        for _ in range(70):
            play.world.now += timedelta(seconds=play.chance.uniform(5, 40))
            clock.append(play.world.now)
            play.keep(pocket, *(play.odd() if play.chance.random() < 0.12 else play.planned(pocket)))
            play.post_all(pocket)
            forms = [{"path": i.path, "fields": i.fields, "at": i.told_at.timestamp()} for i in pocket.since]
            if play.ask({"list": pocket.known, "forms": forms})["dead"]:
                agreed += 1
                record = play.record()
                found = fold(shop.plate, record.events, voided=record.voided)
                assert found.feeds_are_dead, (found.missing, forms[-12:])
    finally:
        play.end()
    assert agreed > 0
