"""Engine, sessions and migrations."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session, sessionmaker

__all__ = ["make_engine", "make_sessions", "migrate"]


def make_engine(url: str) -> Engine:
    """Return an engine for a PostgreSQL URL; `postgresql://` is read as psycopg 3."""
    for plain in ("postgres://", "postgresql://"):
        if url.startswith(plain):
            url = "postgresql+psycopg://" + url.removeprefix(plain)
    return create_engine(url, pool_pre_ping=True, pool_size=8, max_overflow=8)


def make_sessions(engine: Engine) -> sessionmaker[Session]:
    """Return the factory each request takes its session from."""
    return sessionmaker(engine, expire_on_commit=False)


def migrate(engine: Engine, revision: str = "head") -> None:
    """Bring the tables to a revision; up or down, `base` for none."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        current = _current(connection)
        if revision == "base" or (revision != "head" and current is not None and revision < current):
            command.downgrade(config, revision)
        else:
            command.upgrade(config, revision)


def _current(connection: object) -> str | None:
    from alembic.runtime.migration import MigrationContext

    return MigrationContext.configure(connection).get_current_revision()  # type: ignore[arg-type]
