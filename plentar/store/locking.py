"""Waiting for a row's lock: only some of a process's requests may, so that the others still answer everybody else."""

from threading import BoundedSemaphore
from typing import Any, TypeVar
from uuid import UUID

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from plentar.store.models import Call

__all__ = ["GATE", "lock_row", "lock_row_of_call", "make_gate"]

T = TypeVar("T")
# Where a session carries its process's gate.
GATE = "plentar.gate"
# Of a process's threads these never wait for a row that somebody else is writing to.
FREE_THREADS = 2


def make_gate(threads: int) -> BoundedSemaphore:
    """Return a process's gate: all but two of its threads may wait at once, one at least."""
    return BoundedSemaphore(max(1, threads - FREE_THREADS))


def lock_row(db: Session, query: Select[T], *, of: Any = None) -> T | None:
    """Return a query's row, locked until the transaction ends.

    It waits as long as the transaction's own time-out, but only while few others of this process wait.

    Raises:
        OperationalError: The row is locked and it cannot wait, or no longer (SQLSTATE 55P03).
    """
    gate = db.info.get(GATE)
    may_wait = gate is None or gate.acquire(blocking=False)
    try:
        return db.scalar(query.with_for_update(of=of, nowait=not may_wait).execution_options(populate_existing=True))
    finally:
        if gate is not None and may_wait:
            gate.release()


def lock_row_of_call(db: Session, *, shop_id: UUID, call_id: UUID) -> bool:
    """Lock a call's row without reading the call; False where the shop has none."""
    return lock_row(db, select(Call.id).where(Call.shop_id == shop_id, Call.id == call_id)) is not None
