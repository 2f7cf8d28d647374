"""Places and the units that stand there, always within one shop."""

from collections.abc import Sequence
from typing import Any
from uuid import UUID

from sqlalchemy import func, or_, select, update
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session, joinedload

from plentar.store.models import Call, Meter, Place, Unit

__all__ = [
    "add_call",
    "find_place",
    "first_meter",
    "get_place",
    "get_unit",
    "like_units",
    "list_meters",
    "open_calls_of",
    "save_nameplate",
    "search",
    "units_at",
]


def search(db: Session, *, shop_id: UUID, words: str, most: int = 8) -> Sequence[Place]:
    """Return places whose name, town or occupant holds every word, by name."""
    query = select(Place).where(Place.shop_id == shop_id)
    for word in words.split()[:6]:
        like = f"%{word.replace('%', '').replace('_', '')}%"
        query = query.where(or_(Place.name.ilike(like), Place.town.ilike(like), Place.occupant.ilike(like)))
    return db.scalars(query.order_by(func.length(Place.name), Place.name).limit(most)).all()


def get_place(db: Session, *, shop_id: UUID, place_id: UUID) -> Place | None:
    """Return a place of this shop."""
    return db.scalar(select(Place).where(Place.shop_id == shop_id, Place.id == place_id))


def find_place(db: Session, *, shop_id: UUID, name: str) -> Place | None:
    """Return the shop's place of this name, however it is capitalised."""
    return db.scalar(select(Place).where(Place.shop_id == shop_id, func.lower(Place.name) == name.lower()))


def units_at(db: Session, *, shop_id: UUID, place_id: UUID) -> Sequence[Unit]:
    """Return the units of a place."""
    return db.scalars(select(Unit).where(Unit.shop_id == shop_id, Unit.place_id == place_id).order_by(Unit.label)).all()


def get_unit(db: Session, *, shop_id: UUID, unit_id: UUID) -> Unit | None:
    """Return a unit of this shop with its place."""
    return db.scalar(select(Unit).options(joinedload(Unit.place)).where(Unit.shop_id == shop_id, Unit.id == unit_id))


def like_units(db: Session, *, shop_id: UUID, most: int = 40) -> Sequence[Unit]:
    """Return one unit of each maker and model, to copy a plate from."""
    maker, model = Unit.nameplate["maker"].astext, Unit.nameplate["model"].astext
    first = (
        select(Unit.id)
        .where(Unit.shop_id == shop_id, model != "")
        .ext(distinct_on(maker, model))
        .order_by(maker, model, Unit.id)
        .limit(most)
    )
    return db.scalars(select(Unit).where(Unit.shop_id == shop_id, Unit.id.in_(first)).order_by(maker, model)).all()


def first_meter(db: Session, *, shop_id: UUID) -> Meter | None:
    """Return the meter a new call is done with until another is chosen."""
    return db.scalar(select(Meter).where(Meter.shop_id == shop_id).order_by(Meter.name).limit(1))


def list_meters(db: Session, *, shop_id: UUID) -> Sequence[Meter]:
    """Return the shop's meters by name."""
    return db.scalars(select(Meter).where(Meter.shop_id == shop_id).order_by(Meter.name)).all()


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
        select(Call).where(Call.shop_id == shop_id, Call.unit_id == unit_id, Call.status != "closed")
    ).all()


def add_call(db: Session, call: Call) -> None:
    """Keep a new call."""
    db.add(call)
    db.flush()
