"""Rounds: made, planned, walked; their calls, and what was read on the same units the season before."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.postgresql import distinct_on, insert
from sqlalchemy.orm import Session, joinedload

from plentar.core.work.urgency import SEASONAL
from plentar.store.calls import WHOLE
from plentar.store.models import Call, PlaceRow, Unit
from plentar.store.shop_models import BlockMinutes, Round

__all__ = [
    "blocks_of",
    "calls_of",
    "estates",
    "get_round",
    "kits_met",
    "list_rounds",
    "lock_unplanned",
    "make_round",
    "next_call",
    "seasons_before",
    "set_state",
    "set_ways",
    "units_like",
    "ways_of",
]


def make_round(
    db: Session,
    *,
    round_id: UUID,
    shop_id: UUID,
    name: str,
    owner: str,
    person_id: UUID,
    now: datetime,
    wanted: dict[str, Any],
) -> Round:
    """Keep a round that is still to be planned."""
    row = Round(id=round_id, shop_id=shop_id, name=name, owner=owner, made_by_id=person_id, made_at=now, wanted=wanted)
    db.add(row)
    db.flush()
    return row


def get_round(db: Session, *, shop_id: UUID, round_id: UUID) -> Round | None:
    """Return a round of this shop."""
    return db.scalar(select(Round).where(Round.shop_id == shop_id, Round.id == round_id))


def lock_unplanned(db: Session, *, shop_id: UUID, round_id: UUID) -> Round | None:
    """Return a round that is still to be planned, locked; None for any other, and while somebody else plans it."""
    own = (Round.shop_id == shop_id, Round.id == round_id, Round.state == "being made")
    return db.scalar(select(Round).where(*own).with_for_update(skip_locked=True))


def list_rounds(db: Session, *, shop_id: UUID) -> Sequence[tuple[Round, int, int]]:
    """Return the shop's rounds, newest first, each with how many of its calls are done and how many there are."""
    done = func.count(Call.id).filter(Call.status == "closed")
    rows = db.execute(
        select(Round, done, func.count(Call.id))
        .outerjoin(Call, (Call.shop_id == Round.shop_id) & (Call.round_id == Round.id) & (Call.status != "withdrawn"))
        .where(Round.shop_id == shop_id)
        .group_by(Round.shop_id, Round.id)
        .order_by(Round.made_at.desc())
        .limit(40)
    ).all()
    return [(row[0], row[1], row[2]) for row in rows]


def set_state(db: Session, row: Round, state: str, **wanted: Any) -> None:
    """Note how far a round has come, with what its planning found."""
    values: dict[str, Any] = {"state": state, "version": row.version + 1}
    if wanted:
        values["wanted"] = {**row.wanted, **wanted}
    db.execute(update(Round).where(Round.shop_id == row.shop_id, Round.id == row.id).values(**values))
    db.expire(row)


def calls_of(db: Session, *, shop_id: UUID, round_id: UUID) -> Sequence[Call]:
    """Return a round's calls in the order of their plan."""
    own = (Call.shop_id == shop_id, Call.round_id == round_id, Call.status.not_in(("withdrawn", "cancelled")))
    return db.scalars(select(Call).options(*WHOLE).where(*own).order_by(Call.scheduled_at, Call.id)).all()


def next_call(db: Session, call: Call) -> Call | None:
    """Return what the same person has next in the same round, not begun or begun and not closed."""
    own = (Call.shop_id == call.shop_id, Call.round_id == call.round_id, Call.technician_id == call.technician_id)
    left = (Call.status.in_(("planned", "open")), Call.id != call.id)
    return db.scalar(select(Call).where(*own, *left).order_by(Call.scheduled_at, Call.id).limit(1))


def seasons_before(db: Session, *, shop_id: UUID, unit_ids: Sequence[UUID], before: datetime) -> Mapping[UUID, UUID]:
    """Return each unit's last closed seasonal check before a moment: the call by the unit."""
    rows = db.execute(
        select(Call.unit_id, Call.id)
        .where(
            Call.shop_id == shop_id,
            Call.unit_id.in_(unit_ids),
            Call.status == "closed",
            Call.closed_at < before,
            Call.complaints.contains([SEASONAL]),
        )
        .ext(distinct_on(Call.unit_id))
        .order_by(Call.unit_id, Call.closed_at.desc())
    ).all()
    return {row[0]: row[1] for row in rows}


def estates(db: Session, *, shop_id: UUID) -> Sequence[tuple[str, int]]:
    """Return the shop's estates with how many units stand on each."""
    rows = db.execute(
        select(PlaceRow.estate, func.count(Unit.id))
        .join(Unit, (Unit.shop_id == PlaceRow.shop_id) & (Unit.place_id == PlaceRow.id))
        .where(PlaceRow.shop_id == shop_id, PlaceRow.estate != "", Unit.removed_at.is_(None))
        .group_by(PlaceRow.estate)
        .order_by(PlaceRow.estate)
    ).all()
    return [(row[0], row[1]) for row in rows]


def kits_met(db: Session, *, shop_id: UUID) -> Sequence[tuple[str, int]]:
    """Return the models the shop's units have, with how many."""
    model = Unit.nameplate["model"].astext
    rows = db.execute(
        select(model, func.count())
        .where(Unit.shop_id == shop_id, Unit.removed_at.is_(None), model != "")
        .group_by(model)
        .order_by(model)
    ).all()
    return [(row[0], row[1]) for row in rows]


def units_like(db: Session, *, shop_id: UUID, estate: str = "", model: str = "", most: int = 200) -> Sequence[Unit]:
    """Return the units of an estate, or of a model, by block and door."""
    query = (
        select(Unit)
        .options(joinedload(Unit.place))
        .join(PlaceRow, (PlaceRow.shop_id == Unit.shop_id) & (PlaceRow.id == Unit.place_id))
    )
    query = query.where(Unit.shop_id == shop_id, Unit.removed_at.is_(None), PlaceRow.removed_at.is_(None))
    if estate:
        query = query.where(PlaceRow.estate == estate)
    if model:
        query = query.where(Unit.nameplate["model"].astext == model)
    order = (
        PlaceRow.block,
        PlaceRow.stair,
        func.length(PlaceRow.door),
        PlaceRow.door,
        func.length(PlaceRow.name),
        PlaceRow.name,
    )
    return db.scalars(query.order_by(*order).limit(most)).all()


def ways_of(db: Session, *, shop_id: UUID) -> dict[tuple[str, str], float]:
    """Return the minutes the shop knows between blocks."""
    rows = db.scalars(select(BlockMinutes).where(BlockMinutes.shop_id == shop_id))
    return {(row.block_a, row.block_b): row.minutes for row in rows}


def set_ways(db: Session, *, shop_id: UUID, ways: Mapping[tuple[str, str], float | None]) -> None:
    """Keep minutes between pairs of blocks; None forgets a pair."""
    for (a, b), minutes in ways.items():
        first, second = min(a, b), max(a, b)
        own = (BlockMinutes.shop_id == shop_id, BlockMinutes.block_a == first, BlockMinutes.block_b == second)
        if minutes is None:
            db.execute(delete(BlockMinutes).where(*own))
            continue
        statement = insert(BlockMinutes).values(shop_id=shop_id, block_a=first, block_b=second, minutes=minutes)
        keys = ["shop_id", "block_a", "block_b"]
        db.execute(statement.on_conflict_do_update(index_elements=keys, set_={"minutes": statement.excluded.minutes}))


def blocks_of(db: Session, *, shop_id: UUID) -> Sequence[str]:
    """Return the names of the shop's blocks."""
    own = (PlaceRow.shop_id == shop_id, PlaceRow.block != "", PlaceRow.removed_at.is_(None))
    return db.scalars(select(PlaceRow.block).where(*own).distinct().order_by(PlaceRow.block)).all()
