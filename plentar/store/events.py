"""The events of calls: read, numbered and appended under the call's lock. Always within one shop."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID, uuid5

from sqlalchemy import Row, insert, select, update
from sqlalchemy.dialects.postgresql import insert as insert_or_nothing
from sqlalchemy.orm import Session
from sqlalchemy.orm.attributes import set_committed_value

from plentar.store.calls import WHOLE, list_of
from plentar.store.locking import lock_row
from plentar.store.models import Call, EventRow, LogSamples, Person, PhotoBytes

__all__ = [
    "Due",
    "append",
    "begin",
    "get_photo",
    "get_samples",
    "ids_elsewhere",
    "list_after",
    "list_due",
    "lock_call",
    "put_samples",
    "seq_of",
]

Kept = Row[UUID, int, str, dict[str, Any], UUID, str, datetime, datetime, float, UUID | None]


class Due(NamedTuple):
    """A temporary measure that is not made right yet, with its call."""

    id: UUID
    payload: dict[str, Any]
    call: Call


def lock_call(db: Session, *, shop_id: UUID, call_id: UUID) -> Call | None:
    """Return a call of this shop, all of it, with its row locked until the transaction ends; None for any other.

    Whoever writes to a call holds this: what is checked under it still stands when it is kept.
    """
    query = select(Call).options(*WHOLE).where(Call.shop_id == shop_id, Call.id == call_id)
    return lock_row(db, query, of=Call)


def seq_of(db: Session, *, shop_id: UUID, call_id: UUID) -> int | None:
    """Return the number of a call's last event; None for another shop's call."""
    return db.scalar(select(Call.seq).where(Call.shop_id == shop_id, Call.id == call_id))


def list_after(db: Session, *, shop_id: UUID, call_id: UUID, seq: int = 0) -> Sequence[Kept]:
    """Return a call's events after a number, in the order they came, each with the name of who did it."""
    return db.execute(
        select(
            EventRow.id,
            EventRow.seq,
            EventRow.kind,
            EventRow.payload,
            EventRow.person_id,
            Person.name,
            EventRow.done_at,
            EventRow.come_at,
            EventRow.clock_seconds,
            EventRow.phone_id,
        )
        .join(Person, (Person.shop_id == EventRow.shop_id) & (Person.id == EventRow.person_id))
        .where(EventRow.shop_id == shop_id, EventRow.call_id == call_id, EventRow.seq > seq)
        .order_by(EventRow.seq)
    ).all()


def ids_elsewhere(db: Session, *, shop_id: UUID, call_id: UUID, ids: Sequence[UUID]) -> set[UUID]:
    """Return which of these ids belong to events of other calls of this shop."""
    query = select(EventRow.id).where(EventRow.shop_id == shop_id, EventRow.id.in_(ids), EventRow.call_id != call_id)
    return set(db.scalars(query))


def append(db: Session, call: Call, rows: Sequence[dict[str, Any]], **changes: Any) -> None:
    """Keep events of a locked call, in order, and bring the call's own copies up to date.

    Args:
        call: Locked by `lock_call` in this transaction.
        rows: Columns of each event; shop, call and number are filled in.
        changes: Columns of the call that follow from them: status, closed_at, outcome.
    """
    numbered = [
        {**row, "shop_id": call.shop_id, "call_id": call.id, "seq": call.seq + number}
        for number, row in enumerate(rows, start=1)
    ]
    values = {"seq": call.seq + len(rows), **changes}
    query = update(Call).where(Call.shop_id == call.shop_id, Call.id == call.id).values(**values)
    db.execute(insert(EventRow), numbered)
    db.execute(query.execution_options(synchronize_session=False))
    for name, value in values.items():
        set_committed_value(call, name, value)


def begin(db: Session, call: Call, payload: dict[str, Any], moment: datetime) -> None:
    """Give a new call its first event: the state it begins in."""
    row = {
        "id": uuid5(call.id, "opened"),
        "kind": "opened",
        "payload": payload,
        "person_id": call.technician_id,
        "done_at": moment,
        "come_at": moment,
        "clock_seconds": 0.0,
    }
    append(db, call, [row])


def get_photo(db: Session, *, shop_id: UUID, call_id: UUID, photo_id: UUID) -> PhotoBytes | None:
    """Return one photograph of this shop's call, or None."""
    return db.scalar(
        select(PhotoBytes)
        .join(EventRow, (EventRow.shop_id == PhotoBytes.shop_id) & (EventRow.id == PhotoBytes.id))
        .where(PhotoBytes.shop_id == shop_id, PhotoBytes.id == photo_id, EventRow.call_id == call_id)
    )


def get_samples(db: Session, *, shop_id: UUID, log_id: UUID) -> bytes | None:
    """Return a log's samples as they are packed; None while it has none."""
    return db.scalar(select(LogSamples.samples).where(LogSamples.shop_id == shop_id, LogSamples.id == log_id))


def list_due(db: Session, *, shop_id: UUID, until: str) -> Sequence[Due]:
    """Return the temporary measures due by a day (ISO) and not made right, longest due first, each with its call.

    One that was taken back was none.
    """
    columns = (EventRow.id, EventRow.kind, EventRow.payload, EventRow.call_id)
    kinds = EventRow.kind.in_(("temporary", "temporary-done"))
    found = db.execute(select(*columns).where(EventRow.shop_id == shop_id, kinds).order_by(EventRow.done_at)).all()
    if not found:
        return []
    # What was voided on those calls alone: of a shop's years there are thousands.
    own = {row.call_id for row in found}
    own_voids = (EventRow.shop_id == shop_id, EventRow.call_id.in_(own), EventRow.kind == "void")
    void = set(db.scalars(select(EventRow.payload["event"].astext).where(*own_voids)))
    ended = [row for row in found if row.kind == "temporary-done" and str(row.id) not in void]
    done = void | {row.payload["temporary"] for row in ended}
    left = [
        row for row in found if row.kind == "temporary" and str(row.id) not in done and row.payload["due_on"] <= until
    ]
    if not left:
        return []
    calls = {call.id: call for call in list_of(db, shop_id=shop_id, ids=[row.call_id for row in left])}
    left.sort(key=lambda row: (row.payload["due_on"], str(row.id)))
    return [Due(row.id, row.payload, calls[row.call_id]) for row in left]


def put_samples(db: Session, *, shop_id: UUID, log_id: UUID, samples: bytes) -> None:
    """Keep what a recording has logged; kept twice, the first stands."""
    statement = insert_or_nothing(LogSamples).values(shop_id=shop_id, id=log_id, samples=samples)
    db.execute(statement.on_conflict_do_nothing(index_elements=["shop_id", "id"]))
