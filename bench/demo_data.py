"""The demo in the bench's own database, for whatever works on a whole shop."""

import os
from datetime import UTC, datetime

from sqlalchemy.orm import Session, sessionmaker

from plentar.demo import load_demo
from plentar.store.database import make_engine, make_sessions, migrate

__all__ = ["demo_database"]


def demo_database(moment: datetime | None = None) -> tuple[str, "sessionmaker[Session]"]:
    """Load the demo, as of now or a moment, into the database of PLENTAR_BENCH_DATABASE_URL; return both."""
    url = os.environ["PLENTAR_BENCH_DATABASE_URL"]
    engine = make_engine(url)
    migrate(engine)
    sessions = make_sessions(engine)
    with sessions.begin() as db:
        load_demo(db, moment or datetime.now(UTC))
    return url, sessions
