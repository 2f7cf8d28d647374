"""Two phones on one call over a line that loses things: a sample of what bench/lossy_line.py plays a thousand times."""

from collections.abc import Callable
from copy import copy
from datetime import datetime
from uuid import uuid4

import pytest
from flask import Flask
from sqlalchemy import Engine

from plentar.store.database import make_sessions
from plentar.store.models import Person
from tests.conftest import PASSWORD_HASH, ShopOf, sign_in
from tests.lossy import Lossy

ACTIONS = 110


def colleague(engine: Engine, shop: ShopOf) -> ShopOf:
    """Somebody else of the shop, as one who signs in."""
    other = copy(shop)
    other.email = f"{uuid4().hex}@shop.example"
    row = Person(id=uuid4(), shop_id=shop.shop.id, name="Ona Other", email=other.email, password_hash=PASSWORD_HASH)
    with make_sessions(engine).begin() as db:
        db.add(row)
    return other


@pytest.mark.parametrize("seed", [15, 28])
def test_nothing_is_lost_or_doubled_and_dead_never_outlives_a_live_event(
    app: Flask, engine: Engine, shop: ShopOf, monkeypatch: pytest.MonkeyPatch, seed: int
) -> None:
    """Dropped, doubled, delayed, reordered: all of it once, in order, and dead only where it is so, at every step."""
    clock: list[datetime] = []
    monkeypatch.setattr("plentar.web.access._clock", lambda: clock[-1])
    run: Callable[[datetime], None] = clock.append
    run(datetime.now().astimezone())
    clients = {"Pim Tester": sign_in(app, shop), "Ona Other": sign_in(app, colleague(engine, shop))}
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
