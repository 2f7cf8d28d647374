"""The tables. Moments are UTC; ids are UUIDs.

A row's shop is part of every foreign key, so rows of two shops never meet.
"""

from datetime import date, datetime
from typing import Any, ClassVar
from uuid import UUID, uuid4

from sqlalchemy import (
    CheckConstraint,
    Date,
    DateTime,
    Float,
    ForeignKey,
    ForeignKeyConstraint,
    Index,
    MetaData,
    String,
    Text,
    UniqueConstraint,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, declared_attr, mapped_column, relationship

__all__ = [
    "AcceptedCause",
    "Base",
    "Call",
    "CurrentLogRow",
    "Meter",
    "Observation",
    "PartRow",
    "Person",
    "Photo",
    "Place",
    "Reading",
    "Shop",
    "SignInAttempt",
    "Unit",
    "WorkItem",
]


class Base(DeclarativeBase):
    """Names constraints by one rule, so that migrations can find them."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_N_name)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_N_name)s_%(referred_table_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map: ClassVar[dict[Any, Any]] = {
        datetime: DateTime(timezone=True),
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
    }


class Shop(Base):
    """One business. Its time zone is how its people see UTC moments."""

    __tablename__ = "shop"
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    name: Mapped[str] = mapped_column(String(120))
    time_zone: Mapped[str] = mapped_column(String(60), default="America/Chicago")


class Person(Base):
    """Someone who signs in: a technician, or a lead who also keeps the shop's people, meters and rules."""

    __tablename__ = "person"
    __table_args__ = (
        UniqueConstraint("shop_id", "id"),
        CheckConstraint("role in ('technician', 'lead')", name="role"),
        CheckConstraint("email = lower(email)", name="email_lower"),
    )
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"))
    name: Mapped[str] = mapped_column(String(120))
    email: Mapped[str] = mapped_column(String(254), unique=True)
    role: Mapped[str] = mapped_column(String(20), default="technician")
    password_hash: Mapped[str] = mapped_column(String(200))
    shop: Mapped[Shop] = relationship()


class Meter(Base):
    """A shop's meter with its accuracy, one entry a function and range."""

    __tablename__ = "meter"
    __table_args__ = (UniqueConstraint("shop_id", "id"), UniqueConstraint("shop_id", "name"))
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"))
    name: Mapped[str] = mapped_column(String(120))
    ranges: Mapped[list[Any]]


class Place(Base):
    """An address."""

    __tablename__ = "place"
    __table_args__ = (UniqueConstraint("shop_id", "id"), UniqueConstraint("shop_id", "name"))
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"))
    name: Mapped[str] = mapped_column(String(120))
    town: Mapped[str] = mapped_column(String(120), default="")
    occupant: Mapped[str] = mapped_column(String(120), default="")
    access_note: Mapped[str] = mapped_column(Text, default="")


class Unit(Base):
    """One air handler and its heat kit; `nameplate` is a unit file's JSON."""

    __tablename__ = "unit"
    __table_args__ = (
        UniqueConstraint("shop_id", "id"),
        ForeignKeyConstraint(["shop_id", "place_id"], ["place.shop_id", "place.id"]),
        Index(None, "shop_id", "place_id"),
    )
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"))
    place_id: Mapped[UUID]
    label: Mapped[str] = mapped_column(String(120))
    nameplate: Mapped[dict[str, Any]]
    version: Mapped[int] = mapped_column(default=1)
    place: Mapped[Place] = relationship(viewonly=True)


class Call(Base):
    """One visit to one unit; `condition` is what the unit is told and fed right now."""

    __tablename__ = "call"
    __table_args__ = (
        UniqueConstraint("shop_id", "id"),
        ForeignKeyConstraint(["shop_id", "unit_id"], ["unit.shop_id", "unit.id"]),
        ForeignKeyConstraint(["shop_id", "technician_id"], ["person.shop_id", "person.id"]),
        ForeignKeyConstraint(["shop_id", "meter_id"], ["meter.shop_id", "meter.id"]),
        CheckConstraint("status in ('planned', 'open', 'closed')", name="status"),
        Index(None, "shop_id", "status", "scheduled_at"),
        Index(None, "shop_id", "unit_id", "scheduled_at"),
    )
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"))
    unit_id: Mapped[UUID]
    technician_id: Mapped[UUID]
    meter_id: Mapped[UUID]
    complaints: Mapped[list[Any]]
    at_risk: Mapped[str] = mapped_column(Text, default="")
    outdoor_degf: Mapped[float | None] = mapped_column(Float)
    indoor_degf: Mapped[float | None] = mapped_column(Float)
    words: Mapped[str] = mapped_column(Text, default="")
    status: Mapped[str] = mapped_column(String(20), default="planned")
    scheduled_at: Mapped[datetime]
    closed_at: Mapped[datetime | None]
    outcome: Mapped[str] = mapped_column(Text, default="")
    condition: Mapped[dict[str, Any]]
    unit: Mapped[Unit] = relationship(viewonly=True)
    technician: Mapped[Person] = relationship(viewonly=True)
    meter: Mapped[Meter] = relationship(viewonly=True)

    @property
    def complaint(self) -> str:
        """All that was complained of, in one line."""
        return ", ".join(self.complaints)


class Reading(Base):
    """One value at one point: evidence.

    The id is made by the client, so that a repeated send is the same reading. Rows are never updated or deleted (a
    trigger sees to it); a correction is a new row that `supersedes` the old one and gives its reason. The meter's
    uncertainty is kept as it was that day.
    """

    __tablename__ = "reading"
    __table_args__ = (
        UniqueConstraint("shop_id", "id"),
        UniqueConstraint("supersedes_id"),
        ForeignKeyConstraint(["shop_id", "call_id"], ["call.shop_id", "call.id"]),
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        ForeignKeyConstraint(["shop_id", "meter_id"], ["meter.shop_id", "meter.id"]),
        ForeignKeyConstraint(["shop_id", "supersedes_id"], ["reading.shop_id", "reading.id"]),
        CheckConstraint("(supersedes_id is null) = (reason = '')", name="correction_has_reason"),
        CheckConstraint("value >= 0 and value < 1e9", name="value"),
        Index(None, "shop_id", "call_id", "received_at"),
    )
    id: Mapped[UUID] = mapped_column(primary_key=True)
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"))
    call_id: Mapped[UUID]
    person_id: Mapped[UUID]
    meter_id: Mapped[UUID]
    point: Mapped[str] = mapped_column(String(160))
    value: Mapped[float] = mapped_column(Float)
    typed: Mapped[str] = mapped_column(String(40))
    meter_uncertainty: Mapped[float] = mapped_column(Float)
    counts_uncertainty: Mapped[float] = mapped_column(Float)
    condition: Mapped[dict[str, Any]]
    taken_at: Mapped[datetime]
    received_at: Mapped[datetime]
    supersedes_id: Mapped[UUID | None]
    reason: Mapped[str] = mapped_column(Text, default="")
    person: Mapped[Person] = relationship(viewonly=True)


class _OfCall:
    """What every piece of a call's evidence carries: shop, call, who and when."""

    @declared_attr.directive
    def __table_args__(cls) -> tuple[Any, ...]:  # noqa: N805 - a declared attribute is given the class
        return (
            UniqueConstraint("shop_id", "id"),
            ForeignKeyConstraint(["shop_id", "call_id"], ["call.shop_id", "call.id"]),
            ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
            Index(None, "shop_id", "call_id", "at"),
        )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"))
    call_id: Mapped[UUID]
    person_id: Mapped[UUID]
    at: Mapped[datetime]

    @declared_attr
    def person(cls) -> Mapped[Person]:  # noqa: N805 - a declared attribute is given the class
        return relationship(viewonly=True)


class Observation(_OfCall, Base):
    """Something looked at, seen or done on a call: a sign, an item of the look-over, a line of the Safe list.

    The newest row of a kind and its `about` stands; earlier ones stay in the record.
    """

    __tablename__ = "observation"
    kind: Mapped[str] = mapped_column(String(40))
    about: Mapped[str] = mapped_column(String(80), default="")
    state: Mapped[str] = mapped_column(String(20))
    note: Mapped[str] = mapped_column(Text, default="")
    condition: Mapped[dict[str, Any]]


class Photo(_OfCall, Base):
    """A photograph pinned to a part: re-encoded, nothing of the camera's own data left in it."""

    __tablename__ = "photo"
    part: Mapped[str] = mapped_column(String(80), default="")
    note: Mapped[str] = mapped_column(Text, default="")
    image: Mapped[bytes] = mapped_column(deferred=True)
    thumbnail: Mapped[bytes] = mapped_column(deferred=True)


class AcceptedCause(_OfCall, Base):
    """A cause the technician has accepted, what caused it in turn, and what it led to."""

    __tablename__ = "accepted_cause"
    faults: Mapped[list[Any]]
    title: Mapped[str] = mapped_column(Text)
    cause: Mapped[str] = mapped_column(Text, default="")
    cause_not_found: Mapped[bool] = mapped_column(default=False)
    consequence: Mapped[str] = mapped_column(Text, default="")
    share: Mapped[float | None] = mapped_column(Float)
    withdrawn_at: Mapped[datetime | None]


class CurrentLogRow(_OfCall, Base):
    """A logged current: from a file, or from a logging meter that is still at it while `recording_since` stands.

    `samples` holds seconds and amps as packed 64-bit and 32-bit floats; empty while recording. `settings` is what the
    meter was set to.
    """

    __tablename__ = "current_log"
    name: Mapped[str] = mapped_column(String(120))
    clamp: Mapped[str] = mapped_column(String(80))
    source: Mapped[str] = mapped_column(String(20))
    found: Mapped[str] = mapped_column(Text, default="")
    samples: Mapped[bytes] = mapped_column(deferred=True, default=b"")
    called_seconds: Mapped[float | None] = mapped_column(Float)
    dropped_seconds: Mapped[float | None] = mapped_column(Float)
    supply_volts: Mapped[float | None] = mapped_column(Float)
    settings: Mapped[dict[str, Any]] = mapped_column(default=dict)
    recording_since: Mapped[datetime | None]


class WorkItem(_OfCall, Base):
    """Something done or agreed on a call: a ledger, a part used, an approval, a temporary measure, power back on.

    Append-only as far as `data` goes; `done_at` closes a temporary measure that was due.
    """

    __tablename__ = "work_item"
    kind: Mapped[str] = mapped_column(String(20))
    about: Mapped[str] = mapped_column(String(80), default="")
    data: Mapped[dict[str, Any]]
    due_on: Mapped[date | None] = mapped_column(Date)
    done_at: Mapped[datetime | None]


class PartRow(Base):
    """A part on the shop's shelf, as its label gives it."""

    __tablename__ = "part"
    __table_args__ = (UniqueConstraint("shop_id", "name"), UniqueConstraint("shop_id", "id"))

    id: Mapped[UUID] = mapped_column(primary_key=True)
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"))
    name: Mapped[str] = mapped_column(String(120))
    label: Mapped[dict[str, Any]]


class SignInAttempt(Base):
    """One failed try to sign in, kept only to slow down guessing."""

    __tablename__ = "sign_in_attempt"
    __table_args__ = (Index(None, "key", "tried_at"),)
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    key: Mapped[str] = mapped_column(String(300))
    tried_at: Mapped[datetime]
