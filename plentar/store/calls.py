"""Calls and their readings, always within one shop."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import or_, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, joinedload

from plentar.store.models import Call, Place, Reading, Unit

__all__ = [
    "append_reading",
    "earlier_calls",
    "get_for_shop",
    "list_between",
    "list_readings",
    "open_call",
    "set_condition",
    "standing_readings",
]

_WHOLE = (
    joinedload(Call.unit).joinedload(Unit.place),
    joinedload(Call.technician),
    joinedload(Call.meter),
)


def get_for_shop(db: Session, *, shop_id: UUID, call_id: UUID) -> Call | None:
    """Return a call of this shop with its unit, place, technician and meter; None for any other."""
    return db.scalar(select(Call).options(*_WHOLE).where(Call.shop_id == shop_id, Call.id == call_id))


def list_between(db: Session, *, shop_id: UUID, start: datetime, end: datetime) -> Sequence[Call]:
    """Return the shop's calls planned in a span, and whatever is still open from before it, earliest first."""
    return db.scalars(
        select(Call)
        .options(*_WHOLE)
        .join(Unit, Unit.id == Call.unit_id)
        .join(Place, Place.id == Unit.place_id)
        .where(
            Call.shop_id == shop_id,
            Call.scheduled_at < end,
            or_(Call.scheduled_at >= start, Call.status == "open"),
        )
        .order_by(Call.scheduled_at, Call.id)
    ).all()


def earlier_calls(db: Session, *, shop_id: UUID, unit_id: UUID, before: datetime, most: int) -> Sequence[Call]:
    """Return the unit's closed calls before a moment, newest first."""
    return db.scalars(
        select(Call)
        .options(joinedload(Call.technician))
        .where(Call.shop_id == shop_id, Call.unit_id == unit_id, Call.status == "closed", Call.scheduled_at < before)
        .order_by(Call.scheduled_at.desc())
        .limit(most)
    ).all()


def list_readings(db: Session, *, shop_id: UUID, call_id: UUID) -> Sequence[Reading]:
    """Return every reading of a call, superseded ones too, in the order they were taken."""
    return db.scalars(
        select(Reading)
        .options(joinedload(Reading.person))
        .where(Reading.shop_id == shop_id, Reading.call_id == call_id)
        .order_by(Reading.taken_at, Reading.received_at, Reading.id)
    ).all()


def standing_readings(readings: Sequence[Reading]) -> list[Reading]:
    """Return the readings no correction has superseded, in the same order."""
    superseded = {reading.supersedes_id for reading in readings}
    return [reading for reading in readings if reading.id not in superseded]


def append_reading(db: Session, reading: Reading) -> bool:
    """Keep a reading; a repeated send of the same one changes nothing.

    Returns:
        True when the reading is new, False when this id was already kept.
    """
    values = {
        column.key: getattr(reading, column.key)
        for column in Reading.__mapper__.column_attrs
        if getattr(reading, column.key) is not None
    }
    done = db.execute(
        insert(Reading).values(values).on_conflict_do_nothing(index_elements=["id"]).returning(Reading.id)
    )
    return done.first() is not None


def set_condition(db: Session, call: Call, condition: dict[str, Any]) -> None:
    """Change what the unit is told and fed from now on; readings keep the condition they were taken under."""
    call.condition = condition
    open_call(db, call)


def open_call(db: Session, call: Call) -> None:
    """Mark a planned call as begun; an open or closed one stays as it is."""
    if call.status == "planned":
        call.status = "open"
    db.flush()
