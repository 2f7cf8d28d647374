"""A call before and after its visit: planned, moved, handed on, cancelled; what is owed and ordered."""

from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from typing import Any, TypeVar
from uuid import UUID, uuid4

from sqlalchemy import func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, joinedload

from plentar.store.calls import WHOLE
from plentar.store.locking import lock_row_of_call
from plentar.store.models import Call, EventRow, Unit
from plentar.store.shop_models import FollowUp, PartOrder

__all__ = [
    "OPEN_STATES",
    "USUAL_MINUTES",
    "add_follow_up",
    "add_order",
    "cancel",
    "follow_up_of",
    "list_follow_ups",
    "list_orders",
    "list_overdue",
    "list_week",
    "minutes_taken",
    "order_of",
    "replan",
    "set_done",
    "set_order_state",
]

OPEN_STATES = ("to order", "ordered", "here")
# Before a shop has calls of a kind behind it.
USUAL_MINUTES = 60
# Fewer say nothing; more than the last two hundred say what was, not what is.
LEAST_CALLS, MOST_CALLS = 5, 200


def minutes_taken(db: Session, *, shop_id: UUID, complaint: str) -> tuple[int, int]:
    """Return how many minutes the shop's closed calls of a complaint took, at the median, and how many calls say so.

    Counted from the first thing done to the closing; in steps of five; the usual hour while fewer than five say so.
    """
    recent = (
        select(Call.id, Call.closed_at)
        .where(Call.shop_id == shop_id, Call.status == "closed", Call.complaints.contains([complaint]))
        .order_by(Call.scheduled_at.desc())
        .limit(MOST_CALLS)
        .subquery()
    )
    began = (
        select(func.min(EventRow.done_at))
        .where(EventRow.shop_id == shop_id, EventRow.call_id == recent.c.id, EventRow.kind != "opened")
        .correlate(recent)
        .scalar_subquery()
    )
    taken = func.extract("epoch", recent.c.closed_at - began) / 60
    middle = func.percentile_cont(0.5).within_group(taken.asc())
    median, count = db.execute(select(middle, func.count(taken)).where(taken.between(5, 600))).one()
    if count < LEAST_CALLS:
        return USUAL_MINUTES, count
    return max(5, 5 * round(float(median) / 5)), count


def list_week(db: Session, *, shop_id: UUID, start: datetime, end: datetime) -> Sequence[Call]:
    """Return the shop's calls of a span, earliest first; those taken back or cancelled are none."""
    own = (Call.shop_id == shop_id, Call.scheduled_at >= start, Call.scheduled_at < end)
    rows = select(Call).options(*WHOLE).where(*own, Call.status.not_in(("withdrawn", "cancelled")))
    return db.scalars(rows.order_by(Call.scheduled_at, Call.id)).all()


def list_overdue(db: Session, *, shop_id: UUID, before: datetime, most: int = 30) -> Sequence[Call]:
    """Return calls planned for an earlier day that nobody began, longest ago first."""
    own = (Call.shop_id == shop_id, Call.status == "planned", Call.scheduled_at < before)
    return db.scalars(select(Call).options(*WHOLE).where(*own).order_by(Call.scheduled_at, Call.id).limit(most)).all()


def calls_near(db: Session, *, shop_id: UUID, unit_id: UUID, around: datetime, within: timedelta) -> Sequence[Call]:
    """Return a unit's calls so near a moment, the first first; withdrawn and cancelled ones are left out."""
    query = (
        select(Call)
        .where(Call.shop_id == shop_id, Call.unit_id == unit_id, Call.status.in_(("planned", "open", "closed")))
        .where(Call.scheduled_at.between(around - within, around + within))
        .order_by(Call.scheduled_at)
    )
    return db.scalars(query).all()


def replan(db: Session, call: Call, version: int, **values: Any) -> bool:
    """Move a call or hand it on; False when somebody else did since this version was read."""
    lock_row_of_call(db, shop_id=call.shop_id, call_id=call.id)
    done = db.execute(
        update(Call)
        .where(Call.shop_id == call.shop_id, Call.id == call.id, Call.plan_version == version)
        .where(Call.status.in_(("planned", "open")))
        .values(plan_version=version + 1, **values)
        .returning(Call.id)
    )
    db.expire(call)
    return done.first() is not None


def cancel(db: Session, call: Call, why: str) -> bool:
    """Cancel a call that was only planned; False for one that was begun."""
    lock_row_of_call(db, shop_id=call.shop_id, call_id=call.id)
    own = (Call.shop_id == call.shop_id, Call.id == call.id, Call.status == "planned")
    done = db.execute(update(Call).where(*own).values(status="cancelled", cancelled_why=why).returning(Call.id))
    db.expire(call)
    return done.first() is not None


Row = TypeVar("Row", FollowUp, PartOrder)


def _once(db: Session, model: type[Row], row: Mapping[str, Any]) -> Row:
    """Add a row unless one of its id is there; return the one that stands."""
    db.execute(insert(model).values(row).on_conflict_do_nothing(index_elements=["shop_id", "id"]))
    return db.scalars(select(model).where(model.shop_id == row["shop_id"], model.id == row["id"])).one()


def add_follow_up(
    db: Session,
    *,
    shop_id: UUID,
    place_id: UUID,
    unit_id: UUID | None,
    call_id: UUID | None,
    words: str,
    due_on: date,
    person_id: UUID,
    now: datetime,
    new_id: UUID | None = None,
) -> FollowUp:
    """Note what is owed to a place; sent again, it is noted once. Returns what stands under the id."""
    row = {
        "id": new_id or uuid4(),
        "shop_id": shop_id,
        "place_id": place_id,
        "unit_id": unit_id,
        "call_id": call_id,
        "words": words,
        "due_on": due_on,
        "made_by_id": person_id,
        "made_at": now,
    }
    return _once(db, FollowUp, row)


def follow_up_of(db: Session, *, shop_id: UUID, item_id: UUID) -> FollowUp | None:
    """Return a follow-up of this shop."""
    return db.scalar(select(FollowUp).where(FollowUp.shop_id == shop_id, FollowUp.id == item_id))


def list_follow_ups(
    db: Session, *, shop_id: UUID, until: date | None = None, place_id: UUID | None = None, most: int = 60
) -> Sequence[FollowUp]:
    """Return open follow-ups, longest due first: of a place, or all due by a day."""
    query = select(FollowUp).options(joinedload(FollowUp.place), joinedload(FollowUp.unit))
    query = query.where(FollowUp.shop_id == shop_id, FollowUp.done_at.is_(None))
    if until is not None:
        query = query.where(FollowUp.due_on <= until)
    if place_id is not None:
        query = query.where(FollowUp.place_id == place_id)
    return db.scalars(query.order_by(FollowUp.due_on, FollowUp.id).limit(most)).all()


def set_done(db: Session, row: FollowUp, person_id: UUID, now: datetime | None) -> None:
    """Note a follow-up as done, or as not done after all."""
    row.done_at, row.done_by_id = now, person_id if now is not None else None
    db.flush()


def add_order(
    db: Session,
    call: Call,
    *,
    name: str,
    person_id: UUID,
    now: datetime,
    expected_on: date | None = None,
    new_id: UUID | None = None,
) -> PartOrder:
    """Note a part a call waits for; sent again, it is noted once. Returns what stands under the id."""
    row = {
        "id": new_id or uuid4(),
        "shop_id": call.shop_id,
        "call_id": call.id,
        "name": name,
        "person_id": person_id,
        "made_at": now,
        "changed_at": now,
        "expected_on": expected_on,
    }
    return _once(db, PartOrder, row)


def order_of(db: Session, *, shop_id: UUID, order_id: UUID) -> PartOrder | None:
    """Return an order of this shop."""
    return db.scalar(select(PartOrder).where(PartOrder.shop_id == shop_id, PartOrder.id == order_id))


def set_order_state(db: Session, row: PartOrder, state: str, now: datetime) -> None:
    """Note how far a part has come."""
    row.state, row.changed_at = state, now
    db.flush()


def list_orders(
    db: Session, *, shop_id: UUID, unit_id: UUID | None = None, call_id: UUID | None = None, most: int = 60
) -> Sequence[PartOrder]:
    """Return parts waited for: of a call whatever became of them, of a unit or the shop those still open."""
    query = select(PartOrder).options(joinedload(PartOrder.call).joinedload(Call.unit).joinedload(Unit.place))
    query = query.where(PartOrder.shop_id == shop_id)
    if call_id is not None:
        query = query.where(PartOrder.call_id == call_id)
    else:
        query = query.where(PartOrder.state.in_(OPEN_STATES))
    if unit_id is not None:
        query = query.join(Call, (Call.shop_id == PartOrder.shop_id) & (Call.id == PartOrder.call_id))
        query = query.where(Call.unit_id == unit_id)
    return db.scalars(query.order_by(PartOrder.made_at, PartOrder.id).limit(most)).all()
