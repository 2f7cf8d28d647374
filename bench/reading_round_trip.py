"""Times a reading's round trip against a bare Flask route with one indexed SELECT, as ratios of medians.

    PLENTAR_TEST_DATABASE_URL=postgresql://… python -m bench.reading_round_trip

All run in one process on one database through Flask's test client, in turn, so that the machine's mood cancels out:
the whole; all but the diagnosis and the next test; a call with ten readings on it and one with three hundred.
"""

import os
import statistics
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from itertools import count, cycle
from unittest.mock import patch
from uuid import UUID, uuid4

from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import select
from sqlalchemy.orm import Session

from plentar.core.causes.diagnosis import diagnose
from plentar.core.causes.hypotheses import MODELS, PREDICTED, SOLVED
from plentar.core.causes.next_test import next_tests
from plentar.core.causes.table_store import PACKED, ROWS, use_table_store
from plentar.core.evidence.events import first_event
from plentar.core.evidence.metrology import DEMO_METER
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.unit.patterns import PATTERNS
from plentar.core.visit import Visit
from plentar.demo import DEMO_EMAIL, DEMO_PASSWORD, load_demo
from plentar.formats.events_json import action_to_json
from plentar.formats.unit_json import nameplate_from_json
from plentar.store import events
from plentar.store.database import make_engine, make_sessions, migrate
from plentar.store.models import Call
from plentar.web import create_app
from plentar.web.call_layout.unit_tables import KeptTables
from plentar.web.serving.settings import Settings

RUNS = 60
HTMX = {"HX-Request": "true"}
# What a technician reads on a two-strip unit that heats with half its strips.
SHEET = (
    ("volts:feed-1.l1:feed-1.l2", "238.4"),
    ("volts:feed-1.l1:ground", "119.6"),
    ("volts:feed-1.l2:ground", "118.9"),
    ("amps:strip-a", "20.6"),
    ("amps:strip-b", "0.0"),
    ("amps:feed-1", "22.9"),
    ("amps:blower", "2.4"),
    ("volts:board.w:board.c", "25.1"),
)


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
    """Return a function that keeps one reading on a call, another value each time as a technician's are."""
    values = cycle(f"20.{tenth}" for tenth in range(3, 8))

    def post() -> int:
        form = {"reading_id": str(uuid4()), "point": "amps:strip-a", "value": next(values)}
        return client.post(f"/calls/{call_id}/readings", data=form, headers=HTMX).status_code

    return post


def without_diagnosis(post: Callable[[], int]) -> Callable[[], int]:
    """The same with nobody asked for causes or the next test."""

    def bare_post() -> int:
        with patch.object(Visit, "diagnosis", None):
            return post()

    return bare_post


def call_with(db: Session, like: Call) -> UUID:
    """Make another open call on the unit of one there is."""
    now = datetime.now(UTC)
    call = Call(
        id=uuid4(),
        shop_id=like.shop_id,
        unit_id=like.unit_id,
        technician_id=like.technician_id,
        meter_id=like.meter_id,
        complaints=["not enough heat"],
        scheduled_at=now,
        status="open",
    )
    db.add(call)
    db.flush()
    plate = nameplate_from_json(like.unit.nameplate)
    events.begin(db, call, action_to_json(first_event(plate)), now - timedelta(hours=2))
    return call.id


def fill(client: FlaskClient, call_id: UUID, wanted: int) -> None:
    """Keep so many readings under a heat call on a call."""
    now = datetime.now(UTC)
    sent = [("switch", {"what": call, "state": "on"}, 3600.0) for call in ("W", "G")]
    sheet = cycle(SHEET)
    for number in range(wanted):
        point, typed = next(sheet)
        sent.append(("reading", {"point": point, "typed": typed}, 1800.0 - 5 * number))
    drafts = [
        {"id": str(uuid4()), "kind": kind, "payload": payload, "done_at": (now - timedelta(seconds=ago)).isoformat()}
        for kind, payload, ago in sent
    ]
    for start in range(0, len(drafts), 50):
        answer = client.post(f"/calls/{call_id}/events", json={"events": drafts[start : start + 50]})
        assert answer.json is not None
        assert {each["answer"] for each in answer.json["answers"]} == {"kept"}, answer.json


def diagnoser(*, fetches: bool) -> Callable[[], int]:
    """Return a function that diagnoses nine readings of a two-strip unit and scores the next tests, each time others.

    Holding the unit's table, or with nothing of it in memory, the rows in the database.
    """
    plate, values = PATTERNS["two-strip-sequencer"](), count(20.3, 0.001)
    condition = Condition(feeds=(("feed-1", "live"),), calls=(("W", 600.0),))

    def readings() -> list[Reading]:
        sheet = [*SHEET, ("amps:strip-a", f"{next(values):.4f}")]
        return [
            Reading(
                point=point,
                value=float(typed),
                condition=condition,
                meter_uncertainty=DEMO_METER.uncertainty(point.partition(":")[0], float(typed)),
            )
            for point, typed in sheet
        ]

    def work() -> int:
        if fetches:
            for held in (MODELS, PACKED, PREDICTED, ROWS, SOLVED):
                held.clear()
        next_tests(diagnose(plate, readings()), condition)
        return 200

    return work


def measured(work: dict[str, Callable[[], int]]) -> dict[str, list[float]]:
    """Time all in turn, so that the machine's mood cancels out; each has run a few times before."""
    for each in work.values():
        for _ in range(5):
            each()
    taken: dict[str, list[float]] = {name: [] for name in work}
    for _ in range(RUNS):
        for name, each in work.items():
            taken[name].append(seconds(each))
    return taken


def main() -> None:
    """Run all in turn and print medians, 95th percentiles and the ratios."""
    url = os.environ["PLENTAR_TEST_DATABASE_URL"]
    engine = make_engine(url)
    migrate(engine)
    with make_sessions(engine).begin() as db:
        load_demo(db, datetime.now(UTC))
        like = db.scalars(select(Call).where(Call.status == "open").order_by(Call.scheduled_at)).first()
        assert like is not None
        ids = {name: call_with(db, like) for name in ("whole", "without", "ten", "many")}
    app = create_app(Settings(database_url=url, secret_key="t" * 32, secure_cookies=False))
    app.config["WTF_CSRF_ENABLED"] = False
    client = app.test_client()
    client.post("/sign-in", data={"email": DEMO_EMAIL, "password": DEMO_PASSWORD})
    for name, wanted in {"whole": 10, "without": 10, "ten": 10, "many": 300}.items():
        fill(client, ids[name], wanted)
    bare = bare_app(url, ids["ten"]).test_client()
    work: dict[str, Callable[[], int]] = {
        "bare SELECT": lambda: bare.get("/").status_code,
        "whole": poster(client, ids["whole"]),
        "without diagnosis": without_diagnosis(poster(client, ids["without"])),
        "on 10 readings": without_diagnosis(poster(client, ids["ten"])),
        "on 300 readings": without_diagnosis(poster(client, ids["many"])),
    }
    tables = KeptTables(make_sessions(engine), in_background=False)
    use_table_store(tables)
    for _ in range(2):
        PREDICTED.clear()
        diagnoser(fetches=True)()
        while tables.fill_one():
            pass
    work["diagnosis, table held"] = diagnoser(fetches=False)
    taken = measured(work)
    # By itself, beside the same bare SELECT: it makes the process forget what the others would then solve again.
    fetching = {"bare, beside fetching": work["bare SELECT"], "diagnosis, fetching": diagnoser(fetches=True)}
    taken |= measured(fetching)
    median = {name: statistics.median(times) for name, times in taken.items()}
    for name, times in taken.items():
        p95 = sorted(times)[int(0.95 * len(times))]
        print(f"{name:22} median {1000 * median[name]:7.2f} ms   p95 {1000 * p95:7.2f} ms")
    print(f"whole / bare            {median['whole'] / median['bare SELECT']:.1f}")
    print(f"without / bare          {median['without diagnosis'] / median['bare SELECT']:.1f}")
    print(f"diagnosis held / bare   {median['diagnosis, table held'] / median['bare SELECT']:.1f}")
    print(f"diagnosis fetch / bare  {median['diagnosis, fetching'] / median['bare, beside fetching']:.1f}")
    print(f"300 / 10 readings       {median['on 300 readings'] / median['on 10 readings']:.2f}")


if __name__ == "__main__":
    main()
