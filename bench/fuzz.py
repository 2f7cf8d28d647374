"""Ten thousand hostile requests over every route: none may be answered with a fault.

    script/postgres.py start var/bench, then
    PLENTAR_BENCH_DATABASE_URL=postgresql://… python -m bench.fuzz [--requests 10000] [--seed 1]

Prints answers by kind of status, and each different fault once with where it arose and a request that shows it.
"""

import argparse
import json
import logging
import resource
import time
import warnings
from collections import Counter

from sqlalchemy import select

from bench.demo_data import demo_database
from plentar.demo import DEMO_EMAIL, DEMO_PASSWORD
from plentar.store.models import Call, EventRow, Unit
from plentar.web import create_app
from plentar.web.settings import Settings
from tests.hostile import Hostile


class _Faults(logging.Handler):
    def __init__(self) -> None:
        super().__init__()
        self.found: list[dict[str, object]] = []

    def emit(self, record: logging.LogRecord) -> None:
        self.found.append(getattr(record, "facts", {}))


def main() -> None:
    """Load the demo, sign in, send, count."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--requests", type=int, default=10_000)
    asked.add_argument("--seed", type=int, default=1)
    given = asked.parse_args()
    url, sessions = demo_database()
    with sessions() as db:
        ids = {
            "call_id": list(db.scalars(select(Call.id))),
            "unit_id": list(db.scalars(select(Unit.id))),
            "photo_id": list(db.scalars(select(EventRow.id).where(EventRow.kind == "photo"))),
            "log_id": list(db.scalars(select(EventRow.id).where(EventRow.kind == "log"))),
            "event_id": list(db.scalars(select(EventRow.id).limit(20))),
        }
    warnings.simplefilter("ignore")
    app = create_app(Settings(database_url=url, secret_key="k" * 32, secure_cookies=False))
    app.config["WTF_CSRF_ENABLED"] = False
    client = app.test_client()
    assert client.post("/sign-in", data={"email": DEMO_EMAIL, "password": DEMO_PASSWORD}).status_code == 302
    faults = _Faults()
    log = logging.getLogger("plentar.failures")
    log.addHandler(faults)
    log.propagate = False
    answers: Counter[str] = Counter()
    slowest = (0.0, "")
    shown = set()
    started = time.perf_counter()
    for sent in Hostile(app, ids, given.seed).requests(given.requests):
        began = time.perf_counter()
        with client.open(sent.path, **sent.options()) as answer:
            code = answer.status_code
        slowest = max(slowest, (time.perf_counter() - began, sent.endpoint))
        answers[f"{code // 100}xx"] += 1
        if code >= 500:
            where = json.dumps(faults.found[-1] if faults.found else {})
            key = where.partition('"kind"')[2]
            if key not in shown:
                shown.add(key)
                print(sent.endpoint, code, where, sent, sep="\n  ")
    seconds = time.perf_counter() - started
    print(f"{given.requests} requests in {seconds:.0f} s, slowest {slowest[0]:.1f} s at {slowest[1]}: {dict(answers)}")
    print(f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB at the most")


if __name__ == "__main__":
    main()
