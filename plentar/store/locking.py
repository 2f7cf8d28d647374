"""Waiting for a row's lock: only some of a process's requests may, so that the others still answer everybody else."""

from threading import BoundedSemaphore
from typing import Any, TypeVar
from uuid import UUID

from sqlalchemy import Select, select, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from plentar.store.models import Call

__all__ = [
    "GATE", "IDLE_IN_TRANSACTION", "LOCK_NOT_AVAILABLE", "QUERY_CANCELED", "RowLockedError",
    "lock_row", "lock_row_of_call", "make_gate",
]  # fmt: skip

T = TypeVar("T")
# Where a session carries its process's gate.
GATE = "plentar.gate"
# Of a process's threads these never wait for a row that somebody else is writing to.
FREE_THREADS = 2
# PostgreSQL's SQLSTATE codes: a lock not had in time or at once, a statement that took too long.
LOCK_NOT_AVAILABLE, QUERY_CANCELED, IDLE_IN_TRANSACTION = "55P03", "57014", "25P03"
_STATEMENT = text("select set_config('statement_timeout', :time, true)")
_AS_LONG_AS_A_LOCK = text(
    "select current_setting('statement_timeout'),"
    " set_config('statement_timeout', current_setting('lock_timeout'), true)"
)


class RowLockedError(RuntimeError):
    """Somebody else holds a row, and this process waits no longer for it."""


def make_gate(threads: int) -> BoundedSemaphore:
    """Return a process's gate: all but two of its threads may wait at once, one at least."""
    return BoundedSemaphore(max(1, threads - FREE_THREADS))


def lock_row(db: Session, query: Select[T], *, of: Any = None) -> T | None:
    """Return a query's row, locked until the transaction ends; None where there is none.

    A row that somebody else holds is waited for as long as a lock may be, but only while few others of this process
    wait.

    Raises:
        RowLockedError: The row is locked and it cannot wait, or no longer.
    """
    query = query.execution_options(populate_existing=True)
    if (row := db.scalar(query.with_for_update(of=of, skip_locked=True))) is not None:
        return row
    gate = db.info.get(GATE)
    may_wait = gate is None or gate.acquire(blocking=False)
    try:
        # Behind another who waits, PostgreSQL waits twice for one row, each time as long as a lock may be: it is the
        # statement that must end in time.
        before, _ = db.execute(_AS_LONG_AS_A_LOCK).one()
        row = db.scalar(query.with_for_update(of=of, nowait=not may_wait))
        db.execute(_STATEMENT, {"time": before})
    except OperationalError as error:
        if getattr(error.orig, "sqlstate", None) not in (LOCK_NOT_AVAILABLE, QUERY_CANCELED):
            raise
        raise RowLockedError from error
    finally:
        if gate is not None and may_wait:
            gate.release()
    return row


def lock_row_of_call(db: Session, *, shop_id: UUID, call_id: UUID) -> bool:
    """Lock a call's row without reading the call; False where the shop has none."""
    return lock_row(db, select(Call.id).where(Call.shop_id == shop_id, Call.id == call_id)) is not None
