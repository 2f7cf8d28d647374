"""The demo in the bench's own database, for whatever works on a whole shop."""

import os
from datetime import UTC, datetime

from sqlalchemy import make_url
from sqlalchemy.orm import Session, sessionmaker

from plentar.demo import load_demo
from plentar.store.database import make_engine, make_sessions, migrate
from plentar.store.roles import let_serve

__all__ = ["demo_database", "serving_url"]

SERVING_USER = "plentar_app"


def serving_url(owner_url: str) -> str:
    """Let the role that serves have its rights on a migrated database; return the URL it serves by."""
    url = make_url(owner_url).set(username=SERVING_USER).render_as_string(hide_password=False)
    engine = make_engine(owner_url)
    let_serve(engine, url)
    engine.dispose()
    return url


def demo_database(moment: datetime | None = None) -> tuple[str, "sessionmaker[Session]"]:
    """Load the demo, as of now or a moment, into the database of PLENTAR_BENCH_DATABASE_URL.

    Returns:
        The URL it is served by, and the owner's sessions.
    """
    url = os.environ["PLENTAR_BENCH_DATABASE_URL"]
    engine = make_engine(url)
    migrate(engine)
    sessions = make_sessions(engine)
    with sessions.begin() as db:
        load_demo(db, moment or datetime.now(UTC))
    return serving_url(url), sessions
