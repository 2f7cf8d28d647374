"""Plays a thousand random things two people do, on eight calls, over a line that drops, doubles, delays, reorders.

    .venv/bin/python -m bench.lossy_line postgresql://… [actions] [seeds…]

A shop of its own is added to the database. After every action what the server and what each phone call dead is held
against the world as it is; at the end every entry is on the call, or set aside, exactly once and in its phone's order
(tests/lossy.py).
"""

import sys
import time
from datetime import UTC, datetime

from plentar.store.database import make_engine, make_sessions, migrate
from plentar.web import create_app
from plentar.web.serving import access
from plentar.web.serving.settings import Settings
from tests.application import ShopOf, colleague, sign_in
from tests.lossy import Lossy


def play(url: str, actions: int, seed: int) -> None:
    """Play one seed and say what came of it."""
    app = create_app(Settings(database_url=url, secret_key="k" * 32, secure_cookies=False))
    app.config["WTF_CSRF_ENABLED"] = False
    engine = app.extensions["plentar.sessions"].kw["bind"]
    with make_sessions(engine).begin() as db:
        shop = ShopOf(db, "two-strip-sequencer")
        other = colleague(db, shop)
    clock = [datetime.now(UTC)]
    access._clock = lambda: clock[-1]
    began = time.perf_counter()
    lossy = Lossy(
        app, engine, shop, {"Pim Tester": sign_in(app, shop), "Ona Other": sign_in(app, other)}, seed, clock.append
    )
    try:
        for _ in range(actions):
            lossy.act()
        lossy.settle()
    finally:
        lossy.end()
    events = len(lossy.record().events) - 1
    sent = sum(len(pocket.sent) for pocket in lossy.pockets)
    print(
        f"seed {seed}: {sent} entries of {actions} actions came home, {events} events; dead after"
        f" {lossy.deads['server']} steps by the server, {lossy.deads['phone']} by a phone without contact;"
        f" {time.perf_counter() - began:.0f} s"
    )
    engine.dispose()


def main() -> None:
    """Play the seeds asked for."""
    url, actions = sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else 125
    engine = make_engine(url)
    migrate(engine)
    engine.dispose()
    for seed in [int(word) for word in sys.argv[3:]] or range(21, 29):
        play(url, actions, seed)


if __name__ == "__main__":
    main()
