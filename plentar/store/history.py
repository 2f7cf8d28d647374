"""A unit's earlier calls and what was kept on them, always within one shop; light: only what a page of years shows."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

from sqlalchemy import Float, Integer, Row, cast, func, or_, select
from sqlalchemy.orm import Session, joinedload

from plentar.core.evidence.events import ACTIONS
from plentar.store.models import Call, EventRow, Unit

__all__ = [
    "TimelineEvent",
    "ages_of_units",
    "calls_of_unit",
    "causes_before",
    "faults_of_shop",
    "readings_of",
    "taps_of",
    "told_of",
]

TIMELINE_KINDS = tuple(kind for kind, action in ACTIONS.items() if action.is_on_timeline)
# Of a season's check a year and a few repairs between: more than a unit's life.
MOST_CALLS = 40


class TimelineEvent(NamedTuple):
    """One event a timeline shows."""

    id: UUID
    call_id: UUID
    kind: str
    payload: dict[str, Any]
    done_at: datetime


def calls_of_unit(db: Session, *, shop_id: UUID, unit_id: UUID, most: int = MOST_CALLS) -> Sequence[Call]:
    """Return a unit's calls, newest first; those taken back stand in no list."""
    own = (Call.shop_id == shop_id, Call.unit_id == unit_id, Call.status != "withdrawn")
    query = select(Call).options(joinedload(Call.technician)).where(*own)
    return db.scalars(query.order_by(Call.scheduled_at.desc(), Call.id).limit(most)).all()


def told_of(db: Session, *, shop_id: UUID, call_ids: Sequence[UUID]) -> list[TimelineEvent]:
    """Return what some calls' timeline shows, oldest first; what was voided is left out."""
    rows = db.execute(
        select(EventRow.id, EventRow.call_id, EventRow.kind, EventRow.payload, EventRow.done_at)
        .where(EventRow.shop_id == shop_id, EventRow.call_id.in_(call_ids), EventRow.kind.in_(TIMELINE_KINDS))
        .order_by(EventRow.done_at, EventRow.id)
    ).all()
    return _standing(rows)


def _standing(rows: Sequence[Any]) -> list[TimelineEvent]:
    """Return the rows that nothing among them strikes out, without what strikes."""
    voided = {row.payload.get("event") for row in rows if row.kind == "void"}
    return [TimelineEvent(*row) for row in rows if row.kind != "void" and str(row.id) not in voided]


def readings_of(db: Session, *, shop_id: UUID, call_ids: Sequence[UUID]) -> Sequence[Row[Any]]:
    """Return the readings of some calls that years are made of, none voided: amps, line volts, elements, air.

    Each row: call, moment, point, value, half-width, condition as kept.
    """
    payload = EventRow.payload
    point = payload["point"].astext
    # A reading that was corrected counts no more than one that was voided: both name the one they end.
    ended = func.coalesce(payload["event"].astext, payload["supersedes"].astext, "")
    rows = db.execute(
        select(
            EventRow.call_id,
            EventRow.done_at,
            point.label("point"),
            cast(payload["value"].astext, Float).label("value"),
            cast(func.coalesce(payload["meter_uncertainty"].astext, "0"), Float).label("half"),
            payload["condition"].label("condition"),
            EventRow.id,
            EventRow.kind,
            ended.label("ended"),
        ).where(
            EventRow.shop_id == shop_id,
            EventRow.call_id.in_(call_ids),
            or_(
                EventRow.kind == "void",
                (EventRow.kind == "reading")
                & or_(
                    point.like("amps:%"),
                    point.like("volts:feed-%.l1:feed-%.l2"),
                    point.like("ohms:%.element"),
                    point.like("degf:%"),
                ),
            ),
        )
    ).all()
    gone = {row.ended for row in rows if row.ended}
    return [row for row in rows if row.kind == "reading" and str(row.id) not in gone]


def taps_of(db: Session, *, shop_id: UUID, call_ids: Sequence[UUID]) -> Sequence[Row[Any]]:
    """Return the stopwatch's taps of some calls in the order they came: id, call, number, payload, moment."""
    own = (EventRow.shop_id == shop_id, EventRow.call_id.in_(call_ids), EventRow.kind == "tap")
    columns = (EventRow.id, EventRow.call_id, EventRow.seq, EventRow.payload, EventRow.done_at)
    return db.execute(select(*columns).where(*own).order_by(EventRow.call_id, EventRow.seq)).all()


def causes_before(db: Session, *, shop_id: UUID, unit_id: UUID, but: UUID) -> list[TimelineEvent]:
    """Return the causes accepted on a unit's other closed calls, oldest first: what a call begins by reading."""
    calls = (
        select(Call.id)
        .where(Call.shop_id == shop_id, Call.unit_id == unit_id, Call.status == "closed", Call.id != but)
        .scalar_subquery()
    )
    rows = db.execute(
        select(EventRow.id, EventRow.call_id, EventRow.kind, EventRow.payload, EventRow.done_at)
        .where(EventRow.shop_id == shop_id, EventRow.call_id.in_(calls), EventRow.kind.in_(("cause", "void")))
        .order_by(EventRow.done_at, EventRow.id)
    ).all()
    return _standing(rows)


def ages_of_units(db: Session, *, shop_id: UUID) -> Sequence[Row[Any]]:
    """Return the shop's units whose plate says when they were built: id, year, how many strips."""
    built = Unit.nameplate["built"].astext
    year = cast(func.substring(built, r"^\d{4}"), Integer).label("year")
    strips = func.jsonb_array_length(Unit.nameplate["circuits"]).label("strips")
    own = (Unit.shop_id == shop_id, Unit.removed_at.is_(None), built.regexp_match(r"^(19|20)\d\d"))
    return db.execute(select(Unit.id, year, strips).where(*own)).all()


def faults_of_shop(db: Session, *, shop_id: UUID) -> Sequence[Row[Any]]:
    """Return every cause that stands on the shop's closed calls: unit, moment, the faults it names."""
    rows = db.execute(
        select(
            Call.unit_id,
            EventRow.id,
            EventRow.kind,
            EventRow.done_at,
            EventRow.payload["faults"].label("faults"),
            EventRow.payload["event"].astext.label("voided"),
        )
        .join(Call, (Call.shop_id == EventRow.shop_id) & (Call.id == EventRow.call_id))
        .where(EventRow.shop_id == shop_id, EventRow.kind.in_(("cause", "void")), Call.status == "closed")
    ).all()
    voided = {row.voided for row in rows if row.kind == "void"}
    return [row for row in rows if row.kind == "cause" and str(row.id) not in voided]
