"""A shop itself: made, its people, its meters, its papers' money. Always within one shop, but for its making."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session, joinedload

from plentar.store import people
from plentar.store.models import MeterRow, Person, Shop, ShopLimit

__all__ = [
    "MeterValues",
    "add_person",
    "calibration_due",
    "calibrations",
    "change_meter",
    "change_role",
    "get_meter",
    "get_person",
    "is_meter_name_free",
    "limit_story",
    "list_all_meters",
    "list_people",
    "make_shop",
    "meter_names",
    "other_leads",
    "retire_meter",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class MeterValues:
    """What a shop says of a meter."""

    name: str
    ranges: list[dict[str, Any]]
    has_low_impedance: bool
    calibrated_on: date | None
    calibration_months: int | None


def make_shop(db: Session, *, name: str, time_zone: str, email: str, lead: str) -> Person | None:
    """Make a shop with its first lead, who has no way in yet; None where the address already belongs to a person."""
    if people.find(db, email) is not None:
        return None
    shop = Shop(id=uuid4(), name=name, time_zone=time_zone)
    db.add(shop)
    db.flush()
    return add_person(db, shop_id=shop.id, name=lead, email=email, role="lead")


def add_person(db: Session, *, shop_id: UUID, name: str, email: str, role: str) -> Person | None:
    """Add a person without a way in; None where the address already belongs to a person."""
    if people.find(db, email) is not None:
        return None
    row = Person(id=uuid4(), shop_id=shop_id, name=name, email=email.strip().lower(), role=role, password_hash="")
    db.add(row)
    db.flush()
    return row


def list_people(db: Session, *, shop_id: UUID) -> Sequence[Person]:
    """Return everybody of a shop, those who still sign in first, by name."""
    gone = Person.deactivated_at.is_not(None)
    return db.scalars(select(Person).where(Person.shop_id == shop_id).order_by(gone, Person.name, Person.id)).all()


def get_person(db: Session, *, shop_id: UUID, person_id: UUID) -> Person | None:
    """Return somebody of this shop."""
    own = (Person.shop_id == shop_id, Person.id == person_id)
    return db.scalar(select(Person).options(joinedload(Person.shop)).where(*own))


def change_role(db: Session, person: Person, role: str) -> bool:
    """Give a person another role; False while they are the last lead who can sign in."""
    if role != "lead" and person.role == "lead" and not other_leads(db, person):
        return False
    person.role = role
    db.flush()
    return True


def other_leads(db: Session, person: Person) -> int:
    """Count the leads beside a person, locked so that two cannot step down at once."""
    own = (Person.shop_id == person.shop_id, Person.role == "lead", Person.deactivated_at.is_(None))
    locked = db.scalars(select(Person.id).where(*own).with_for_update()).all()
    return sum(lead != person.id for lead in locked)


def get_meter(db: Session, *, shop_id: UUID, meter_id: UUID) -> MeterRow | None:
    """Return a meter of this shop."""
    return db.scalar(select(MeterRow).where(MeterRow.shop_id == shop_id, MeterRow.id == meter_id))


def list_all_meters(db: Session, *, shop_id: UUID) -> Sequence[MeterRow]:
    """Return the shop's meters, those retired last."""
    order = (MeterRow.retired_at.is_not(None), MeterRow.name)
    return db.scalars(select(MeterRow).where(MeterRow.shop_id == shop_id).order_by(*order)).all()


def meter_names(db: Session, *, shop_id: UUID) -> dict[str, str]:
    """Return what each of the shop's meters is called, by its id as events keep it; retired ones too."""
    return {str(row.id): row.name for row in list_all_meters(db, shop_id=shop_id)}


def change_meter(
    db: Session, meter: MeterRow | None, values: MeterValues, *, shop_id: UUID, version: int
) -> MeterRow | None:
    """Keep a new meter or what is said of one anew; None when somebody else changed it since this version was read."""
    fields = {name: getattr(values, name) for name in MeterValues.__dataclass_fields__}
    if meter is None:
        meter = MeterRow(id=uuid4(), shop_id=shop_id, **fields)
        db.add(meter)
        db.flush()
        return meter
    own = (MeterRow.shop_id == shop_id, MeterRow.id == meter.id, MeterRow.version == version)
    done = db.execute(update(MeterRow).where(*own).values(version=version + 1, **fields).returning(MeterRow.id))
    db.expire(meter)
    return meter if done.first() is not None else None


def retire_meter(db: Session, meter: MeterRow, now: datetime | None) -> None:
    """Offer a meter no more, or again; what was read with it stays."""
    meter.retired_at = now
    db.flush()


def is_meter_name_free(db: Session, *, shop_id: UUID, name: str, but: UUID | None) -> bool:
    """Tell whether no other meter of the shop has this name."""
    query = select(MeterRow.id).where(MeterRow.shop_id == shop_id, func.lower(MeterRow.name) == name.lower())
    return all(found == but for found in db.scalars(query))


def limit_story(db: Session, *, shop_id: UUID) -> dict[str, list[tuple[ShopLimit, str]]]:
    """Return every change of the shop's limits by name, the newest first, each with the name of who made it."""
    rows = db.execute(
        select(ShopLimit, Person.name)
        .join(Person, (Person.shop_id == ShopLimit.shop_id) & (Person.id == ShopLimit.person_id))
        .where(ShopLimit.shop_id == shop_id)
        .order_by(ShopLimit.set_at.desc(), ShopLimit.id)
    ).all()
    found: dict[str, list[tuple[ShopLimit, str]]] = {}
    for row, name in rows:
        found.setdefault(row.name, []).append((row, name))
    return found


def calibration_due(meter: MeterRow) -> date | None:
    """Return the day a meter's calibration runs out; None where nobody said."""
    if meter.calibrated_on is None or meter.calibration_months is None:
        return None
    months = meter.calibrated_on.month - 1 + meter.calibration_months
    year, month = meter.calibrated_on.year + months // 12, months % 12 + 1
    day = meter.calibrated_on.day
    while True:
        try:
            return date(year, month, day)
        except ValueError:
            # The 31st of a month of thirty days is its last.
            day -= 1


def calibrations(db: Session, *, shop_id: UUID) -> list[tuple[MeterRow, date]]:
    """Return the meters in use whose calibration has an end, each with that day."""
    rows = list_all_meters(db, shop_id=shop_id)
    dated = [(row, calibration_due(row)) for row in rows if row.retired_at is None]
    return [(row, due) for row, due in dated if due is not None]
