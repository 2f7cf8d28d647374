"""Times a reading's round trip against a bare Flask route with one indexed SELECT, as a ratio of medians.

    PLENTAR_TEST_DATABASE_URL=postgresql://… python -m bench.reading_round_trip

Both run in one process on one database through Flask's test client, in turn, so that the machine's mood cancels out.
"""

import os
import statistics
import time
from collections.abc import Callable
from datetime import UTC, datetime
from uuid import UUID, uuid4

from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import select
from sqlalchemy.orm import Session

from plentar.demo import DEMO_EMAIL, DEMO_PASSWORD, load_demo
from plentar.store.database import make_engine, make_sessions, migrate
from plentar.store.models import Call
from plentar.web import create_app
from plentar.web.settings import Settings

RUNS = 200


def bare_app(url: str, call_id: UUID) -> Flask:
    """The least a database page can do: one route, one SELECT by primary key."""
    app = Flask(__name__)
    sessions = make_sessions(make_engine(url))

    @app.get("/")
    def one_select() -> str:
        with sessions() as db:
            return str(db.scalar(select(Call.words).where(Call.id == call_id)))

    return app


def seconds(work: Callable[[], int]) -> float:
    """Time one call that must answer 200."""
    start = time.perf_counter()
    status = work()
    elapsed = time.perf_counter() - start
    assert status == 200, status
    return elapsed


def poster(client: FlaskClient, call_id: UUID) -> Callable[[], int]:
    """Return a function that keeps one reading on the demo's open call."""

    def post() -> int:
        form = {"reading_id": str(uuid4()), "point": "amps:strip-a", "value": "20.4"}
        return client.post(f"/calls/{call_id}/readings", data=form, headers={"HX-Request": "true"}).status_code

    return post


def open_call_of(db: Session) -> UUID:
    """Return the demo's call in progress."""
    return db.scalars(select(Call.id).where(Call.status == "open").order_by(Call.scheduled_at)).first() or UUID(int=0)


def main() -> None:
    """Run both in turn and print medians, 95th percentiles and the ratio."""
    url = os.environ["PLENTAR_TEST_DATABASE_URL"]
    engine = make_engine(url)
    migrate(engine)
    with make_sessions(engine).begin() as db:
        load_demo(db, datetime.now(UTC))
        call_id = open_call_of(db)
    app = create_app(Settings(database_url=url, secret_key="t" * 32, secure_cookies=False))
    app.config["WTF_CSRF_ENABLED"] = False
    client = app.test_client()
    client.post("/sign-in", data={"email": DEMO_EMAIL, "password": DEMO_PASSWORD})
    bare = bare_app(url, call_id).test_client()
    post = poster(client, call_id)

    def get() -> int:
        return bare.get("/").status_code

    for _ in range(10):
        post(), get()
    pairs = [(seconds(post), seconds(get)) for _ in range(RUNS)]
    for name, times in (("reading round trip", [a for a, _ in pairs]), ("bare SELECT route", [b for _, b in pairs])):
        worst = statistics.quantiles(times, n=20)[-1]
        print(f"{name:20} median {1e3 * statistics.median(times):7.2f} ms   95th {1e3 * worst:7.2f} ms")
    ratio = statistics.median(a for a, _ in pairs) / statistics.median(b for _, b in pairs)
    print(f"ratio of medians     {ratio:7.1f}")


if __name__ == "__main__":
    main()
