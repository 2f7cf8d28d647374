"""Calls, always within one shop."""

from collections.abc import Sequence
from datetime import datetime
from uuid import UUID

from sqlalchemy import and_, or_, select
from sqlalchemy.orm import Session, joinedload

from plentar.store.models import Call, Person, PlaceRow, Unit

__all__ = ["WHOLE", "earlier_calls", "get_for_shop", "list_between", "list_of"]

WHOLE = (
    joinedload(Call.unit).joinedload(Unit.place),
    # The technician may be the one who asks: their shop comes along, as it did when they were looked up.
    joinedload(Call.technician).joinedload(Person.shop),
    joinedload(Call.meter),
)


def get_for_shop(db: Session, *, shop_id: UUID, call_id: UUID) -> Call | None:
    """Return a call of this shop with its unit, place, technician and meter; None for any other."""
    return db.scalar(select(Call).options(*WHOLE).where(Call.shop_id == shop_id, Call.id == call_id))


def list_of(db: Session, *, shop_id: UUID, ids: Sequence[UUID]) -> Sequence[Call]:
    """Return some calls of this shop."""
    return db.scalars(select(Call).options(*WHOLE).where(Call.shop_id == shop_id, Call.id.in_(ids))).all()


def list_between(db: Session, *, shop_id: UUID, start: datetime, end: datetime) -> Sequence[Call]:
    """Return the shop's calls planned in a span, and whatever is still open from before it, earliest first."""
    return db.scalars(
        select(Call)
        .options(*WHOLE)
        .join(Unit, (Unit.shop_id == Call.shop_id) & (Unit.id == Call.unit_id))
        .join(PlaceRow, (PlaceRow.shop_id == Unit.shop_id) & (PlaceRow.id == Unit.place_id))
        .where(
            Call.shop_id == shop_id,
            # Either arm is a stretch of one index: a day of any year costs the same.
            or_(
                and_(
                    Call.status.in_(("planned", "open", "closed")), Call.scheduled_at >= start, Call.scheduled_at < end
                ),
                and_(Call.status == "open", Call.scheduled_at < start),
            ),
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
