"""Engine, sessions, migrations, and whether the tables are the ones this program knows."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from alembic.util.exc import CommandError
from sqlalchemy import Connection, Engine, create_engine, event, inspect, text
from sqlalchemy.orm import Session, sessionmaker

__all__ = [
    "SPARE_CONNECTIONS",
    "SchemaError",
    "TimeOuts",
    "allow",
    "check_tables",
    "known_revision",
    "known_revisions",
    "make_engine",
    "make_sessions",
    "migrate",
    "revision_of",
]

# Beside one connection a thread: for a request that commits while another waits for its own.
SPARE_CONNECTIONS = 2
# Longer than a failover's first answer, shorter than anybody waits at a meter.
CONNECT_SECONDS, POOL_SECONDS = 3, 5


@dataclass(frozen=True, slots=True, kw_only=True)
class TimeOuts:
    """How long a transaction waits for a lock, runs one statement, and may lie idle [s]; 0 for as long as it takes."""

    lock_seconds: float = 3.0
    statement_seconds: float = 15.0
    idle_seconds: float = 60.0


# Of what reads or writes a whole shop: a quarter of an hour is more than a hundred thousand calls need.
LONG = TimeOuts(lock_seconds=30.0, statement_seconds=900.0, idle_seconds=900.0)
_SET = text(
    "select set_config('lock_timeout', :lock, true), set_config('statement_timeout', :statement, true),"
    " set_config('idle_in_transaction_session_timeout', :idle, true)"
)


class SchemaError(RuntimeError):
    """The tables are not what a command needs; the text says what to do."""


def make_engine(url: str, *, threads: int = 4) -> Engine:
    """Return an engine for a PostgreSQL URL, with a connection a thread; `postgresql://` is read as psycopg 3."""
    for plain in ("postgres://", "postgresql://"):
        if url.startswith(plain):
            url = "postgresql+psycopg://" + url.removeprefix(plain)
    return create_engine(
        url,
        pool_pre_ping=True,
        pool_size=threads,
        max_overflow=SPARE_CONNECTIONS,
        pool_timeout=POOL_SECONDS,
        # Moments are read back in UTC: in a zone behind it the first day of the calendar is none.
        connect_args={"connect_timeout": CONNECT_SECONDS, "options": "-c timezone=UTC"},
        # What people typed never reaches a log by way of an error's text.
        hide_parameters=True,
    )


def make_sessions(
    engine: Engine, time_outs: TimeOuts | None = None, info: dict[Any, Any] | None = None
) -> sessionmaker[Session]:
    """Return the factory each request takes its session from; every transaction of it has these time-outs."""
    made = sessionmaker(engine, expire_on_commit=False, info=info)
    if time_outs is not None:
        # Set for the transaction, not the connection: behind a pooler the next transaction is somebody else's.
        event.listen(made, "after_begin", lambda _session, _began, connection: _limit(connection, time_outs))
    return made


def _limit(connection: Connection, time_outs: TimeOuts) -> None:
    figures = {
        "lock": time_outs.lock_seconds,
        "statement": time_outs.statement_seconds,
        "idle": time_outs.idle_seconds,
    }
    connection.execute(_SET, {name: f"{seconds * 1000:.0f}" for name, seconds in figures.items()})


def allow(db: Session, time_outs: TimeOuts = LONG) -> None:
    """Give this transaction longer: an export, an import."""
    _limit(db.connection(), time_outs)


def _config() -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return config


def known_revision() -> str:
    """Return the revision of the tables this program is written for."""
    head = ScriptDirectory.from_config(_config()).get_current_head()
    assert head is not None  # noqa: S101 - the migrations are part of the program
    return head


def known_revisions() -> list[str]:
    """Return every revision this program can bring up to date, the oldest first."""
    steps = list(ScriptDirectory.from_config(_config()).walk_revisions())
    return [step.revision for step in reversed(steps)]


def revision_of(connection: Connection) -> str | None:
    """Return the revision a database is at; None for one that was never migrated."""
    return MigrationContext.configure(connection).get_current_revision()


def check_tables(connection: Connection) -> str:
    """Return the tables' revision if this program can serve them: its own, or a newer one that says it suits it.

    Raises:
        SchemaError: They are older ones, or newer ones that do not suit it.
    """
    if inspect(connection).has_table("restore_unfinished"):
        raise SchemaError("a restore was interrupted: run `plentar restore --finish` first")
    found, known = revision_of(connection), known_revision()
    if found is not None and (found == known or _is_compatible(connection, found, known)):
        return found
    words = "run `plentar migrate` first" if found is None or found < known else "a newer program's"
    raise SchemaError(f"the database is at {found or 'no revision'}, this program needs {known}: {words}")


def _is_compatible(connection: Connection, found: str, known: str) -> bool:
    """Tell whether a newer release left the tables so that this one still works on them."""
    if found in known_revisions():
        return False
    listed = text("select exists(select from compatible_with where revision = :known)")
    return inspect(connection).has_table("compatible_with") and bool(connection.scalar(listed, {"known": known}))


def migrate(engine: Engine, revision: str = "head", *, drop_data: bool = False) -> None:
    """Bring the tables to a revision; up or down, `base` for none.

    Raises:
        SchemaError: There is no such revision, or it is an older one and nobody said that data may be dropped.
    """
    config = _config()
    try:
        order = known_revisions()
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            current = revision_of(connection)
            if current is not None and current not in order:
                whose = "it is from before the first release" if current < order[0] else "it is a newer one's"
                raise SchemaError(f"the database is at {current}, which this program does not know: {whose}")
            is_down = revision == "base" or (
                revision in order and current is not None and order.index(revision) < order.index(current)
            )
            if not is_down:
                command.upgrade(config, revision)
                return
            if not drop_data and current is not None:
                raise SchemaError(f"downgrading from {current} to {revision} drops tables: use --drop-data to do it")
            command.downgrade(config, revision)
    except CommandError as error:
        raise SchemaError(str(error)) from error
