"""Places and the units that stand there, always within one shop."""

from collections.abc import Collection, Sequence
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import exists, func, or_, select, update
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session, joinedload

from plentar.store.models import Call, MeterRow, PlaceChange, PlaceRow, Unit

__all__ = [
    "add_call",
    "amend_place",
    "calls_by_unit",
    "changes_of",
    "find_place",
    "first_meter",
    "get_place",
    "get_unit",
    "get_units",
    "like_units",
    "open_calls_of",
    "remove_place",
    "remove_unit",
    "save_nameplate",
    "search",
    "units_at",
]


def search(db: Session, *, shop_id: UUID, words: str, most: int = 8) -> Sequence[PlaceRow]:
    """Return places whose name, town or occupant holds every word, by name."""
    query = select(PlaceRow).where(PlaceRow.shop_id == shop_id, PlaceRow.removed_at.is_(None))
    for word in words.split()[:6]:
        like = f"%{word.replace('%', '').replace('_', '')}%"
        query = query.where(or_(PlaceRow.name.ilike(like), PlaceRow.town.ilike(like), PlaceRow.occupant.ilike(like)))
    return db.scalars(query.order_by(func.length(PlaceRow.name), PlaceRow.name).limit(most)).all()


def get_place(db: Session, *, shop_id: UUID, place_id: UUID) -> PlaceRow | None:
    """Return a place of this shop."""
    return db.scalar(
        select(PlaceRow).where(PlaceRow.shop_id == shop_id, PlaceRow.id == place_id, PlaceRow.removed_at.is_(None))
    )


def find_place(db: Session, *, shop_id: UUID, name: str) -> PlaceRow | None:
    """Return the shop's place of this name, however it is capitalised."""
    own = (PlaceRow.shop_id == shop_id, PlaceRow.removed_at.is_(None))
    return db.scalar(select(PlaceRow).where(*own, func.lower(PlaceRow.name) == name.lower()))


def units_at(db: Session, *, shop_id: UUID, place_id: UUID) -> Sequence[Unit]:
    """Return the units of a place."""
    own = (Unit.shop_id == shop_id, Unit.place_id == place_id, Unit.removed_at.is_(None))
    return db.scalars(select(Unit).where(*own).order_by(Unit.label)).all()


def get_unit(db: Session, *, shop_id: UUID, unit_id: UUID) -> Unit | None:
    """Return a unit of this shop with its place."""
    own = (Unit.shop_id == shop_id, Unit.id == unit_id, Unit.removed_at.is_(None))
    return db.scalar(select(Unit).options(joinedload(Unit.place)).where(*own))


def get_units(db: Session, *, shop_id: UUID, unit_ids: Collection[UUID]) -> dict[UUID, Unit]:
    """Return those of some units that stand in this shop, each with its place, in the order asked."""
    own = (Unit.shop_id == shop_id, Unit.id.in_(unit_ids), Unit.removed_at.is_(None))
    found = {unit.id: unit for unit in db.scalars(select(Unit).options(joinedload(Unit.place)).where(*own))}
    return {unit_id: found[unit_id] for unit_id in unit_ids if unit_id in found}


def like_units(db: Session, *, shop_id: UUID, most: int = 40) -> Sequence[Unit]:
    """Return one unit of each maker and model, to copy a plate from."""
    maker, model = Unit.nameplate["maker"].astext, Unit.nameplate["model"].astext
    first = (
        select(Unit.id)
        .where(Unit.shop_id == shop_id, model != "", Unit.removed_at.is_(None))
        .ext(distinct_on(maker, model))
        .order_by(maker, model, Unit.id)
        .limit(most)
    )
    return db.scalars(select(Unit).where(Unit.shop_id == shop_id, Unit.id.in_(first)).order_by(maker, model)).all()


def first_meter(db: Session, *, shop_id: UUID) -> MeterRow | None:
    """Return the meter a new call is done with until another is chosen."""
    return db.scalar(
        select(MeterRow)
        .where(MeterRow.shop_id == shop_id, MeterRow.retired_at.is_(None))
        .order_by(MeterRow.name)
        .limit(1)
    )


def save_nameplate(db: Session, unit: Unit, *, nameplate: dict[str, Any], version: int) -> bool:
    """Replace a unit's plate; False when somebody else changed it since this version was read."""
    done = db.execute(
        update(Unit)
        .where(Unit.shop_id == unit.shop_id, Unit.id == unit.id, Unit.version == version)
        .values(nameplate=nameplate, version=version + 1)
        .returning(Unit.id)
    )
    db.expire(unit)
    return done.first() is not None


def open_calls_of(db: Session, *, shop_id: UUID, unit_id: UUID) -> Sequence[Call]:
    """Return a unit's calls that are not closed."""
    return db.scalars(
        select(Call).where(Call.shop_id == shop_id, Call.unit_id == unit_id, Call.status.in_(("planned", "open")))
    ).all()


def amend_place(db: Session, place: PlaceRow, *, version: int, person_id: UUID, now: datetime, **values: Any) -> bool:
    """Set a place right and keep what stood before; False when somebody else did since this version was read."""
    before = {name: getattr(place, name) for name in values}
    done = db.execute(
        update(PlaceRow)
        .where(PlaceRow.shop_id == place.shop_id, PlaceRow.id == place.id, PlaceRow.version == version)
        .values(version=version + 1, **values)
        .returning(PlaceRow.id)
    )
    if done.first() is None:
        return False
    db.add(
        PlaceChange(
            id=uuid4(),
            shop_id=place.shop_id,
            place_id=place.id,
            person_id=person_id,
            changed_at=now,
            before={name: was for name, was in before.items() if was != values[name]},
        )
    )
    db.flush()
    db.expire(place)
    return True


def changes_of(db: Session, place: PlaceRow) -> Sequence[PlaceChange]:
    """Return what was set right of a place, the newest first."""
    return db.scalars(
        select(PlaceChange)
        .options(joinedload(PlaceChange.person))
        .where(PlaceChange.shop_id == place.shop_id, PlaceChange.place_id == place.id)
        .order_by(PlaceChange.changed_at.desc(), PlaceChange.id)
        .limit(20)
    ).all()


def calls_by_unit(db: Session, place: PlaceRow) -> dict[UUID, int]:
    """Return how many calls hang on each unit of a place; those taken back hang on nothing."""
    rows = db.execute(
        select(Call.unit_id, func.count())
        .join(Unit, (Unit.shop_id == Call.shop_id) & (Unit.id == Call.unit_id))
        .where(Call.shop_id == place.shop_id, Unit.place_id == place.id, Call.status != "withdrawn")
        .group_by(Call.unit_id)
    )
    return {row[0]: row[1] for row in rows}


def remove_unit(db: Session, unit: Unit, now: datetime) -> bool:
    """Take a unit back; False while a call hangs on it."""
    hangs = select(Call.id).where(Call.shop_id == unit.shop_id, Call.unit_id == unit.id, Call.status != "withdrawn")
    own = (Unit.shop_id == unit.shop_id, Unit.id == unit.id, Unit.removed_at.is_(None))
    return _removed(db, update(Unit).where(*own, ~exists(hangs)).values(removed_at=now).returning(Unit.id))


def remove_place(db: Session, place: PlaceRow, now: datetime) -> bool:
    """Take a place back; False while a unit stands there."""
    stands = select(Unit.id).where(Unit.shop_id == place.shop_id, Unit.place_id == place.id, Unit.removed_at.is_(None))
    own = (PlaceRow.shop_id == place.shop_id, PlaceRow.id == place.id, PlaceRow.removed_at.is_(None))
    return _removed(db, update(PlaceRow).where(*own, ~exists(stands)).values(removed_at=now).returning(PlaceRow.id))


def _removed(db: Session, statement: Any) -> bool:
    return db.execute(statement).first() is not None


def add_call(db: Session, call: Call) -> None:
    """Keep a new call."""
    db.add(call)
    db.flush()
