"""The tables. Moments are UTC; ids are UUIDs.

A row's shop leads its key and every foreign key, so rows of two shops never meet, not even with the same id.
"""

from datetime import date, datetime
from typing import Any, ClassVar
from uuid import UUID, uuid4

from sqlalchemy import (
    CheckConstraint,
    Column,
    DateTime,
    Float,
    ForeignKey,
    ForeignKeyConstraint,
    Index,
    MetaData,
    String,
    Table,
    Text,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

__all__ = [
    "Base",
    "Call",
    "EventRow",
    "ImportBatch",
    "KitRow",
    "LogSamples",
    "MeterRow",
    "OfShop",
    "PartRow",
    "Person",
    "Phone",
    "PhotoBytes",
    "PlaceChange",
    "PlaceRow",
    "RejectedSubmission",
    "ShareLink",
    "ShareOpen",
    "Shop",
    "ShopLimit",
    "SignIn",
    "SignInGuess",
    "Unit",
    "UnitTableRow",
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
        list[Any] | None: JSONB,
    }


# Revisions whose release can serve these tables although they are newer; a migration writes it (CONTRIBUTING.md).
Table("compatible_with", Base.metadata, Column("revision", Text, primary_key=True))


class OfShop:
    """A row of one shop: its key begins with the shop, so that no query and no foreign key crosses shops."""

    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"), primary_key=True)
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)


class Shop(Base):
    """One business. Its time zone is how its people see UTC moments; currency and tax are those of its papers."""

    __tablename__ = "shop"
    __table_args__ = (
        CheckConstraint("tax_percent >= 0 and tax_percent < 100", name="tax"),
        CheckConstraint("currency ~ '^[A-Z]{3}$'", name="currency"),
        CheckConstraint("price_kwh > 0 and price_kwh < 10", name="price_kwh"),
    )
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    name: Mapped[str] = mapped_column(String(120))
    time_zone: Mapped[str] = mapped_column(String(60), default="America/Chicago")
    currency: Mapped[str] = mapped_column(String(3), default="USD")
    tax_percent: Mapped[float] = mapped_column(Float, default=0.0)
    # What a kilowatt hour costs where the shop works; unknown, heat is told as energy alone.
    price_kwh: Mapped[float | None] = mapped_column(Float)
    # Until its lead has been through meter, rules and people, signing in leads there.
    set_up_at: Mapped[datetime | None]
    # Days each kind of personal data is kept: "words", "photos", "signatures"; one that is not there stays.
    retention: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default=text("'{}'"))


class ImportBatch(OfShop, Base):
    """One export file that was imported: when, by whom, and its name. What came in with it names it."""

    __tablename__ = "import_batch"
    at: Mapped[datetime]
    # None: somebody at the server's own command line.
    person_id: Mapped[UUID | None]
    by: Mapped[str] = mapped_column(String(120))
    file: Mapped[str] = mapped_column(String(200))


class Person(OfShop, Base):
    """Someone who signs in: a technician, or a lead who also keeps the shop's people, meters and rules."""

    __tablename__ = "person"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "import_id"], ["import_batch.shop_id", "import_batch.id"]),
        CheckConstraint("role in ('technician', 'lead')", name="role"),
        CheckConstraint("email = lower(email)", name="email_lower"),
    )
    name: Mapped[str] = mapped_column(String(120))
    email: Mapped[str] = mapped_column(String(254), unique=True)
    role: Mapped[str] = mapped_column(String(20), default="technician")
    # Empty while there is none: invited and not come yet, or in by a passkey alone.
    password_hash: Mapped[str] = mapped_column(String(200))
    deactivated_at: Mapped[datetime | None]
    # What stands on this person's pages; what is kept, and every paper, stays in °F and gauge numbers.
    reads_celsius: Mapped[bool] = mapped_column(default=False, server_default=text("false"))
    reads_metric_wire: Mapped[bool] = mapped_column(default=False, server_default=text("false"))
    import_id: Mapped[UUID | None]
    imported: Mapped[ImportBatch | None] = relationship(viewonly=True)
    shop: Mapped[Shop] = relationship()


class MeterRow(OfShop, Base):
    """A shop's meter with its accuracy, one entry a function and range; retired, it is offered no more."""

    __tablename__ = "meter"
    __table_args__ = (UniqueConstraint("shop_id", "name"),)
    name: Mapped[str] = mapped_column(String(120))
    ranges: Mapped[list[Any]]
    has_low_impedance: Mapped[bool] = mapped_column(default=False, server_default=text("false"))
    calibrated_on: Mapped[date | None]
    calibration_months: Mapped[int | None]
    version: Mapped[int] = mapped_column(default=1, server_default=text("1"))
    retired_at: Mapped[datetime | None]


class PlaceRow(OfShop, Base):
    """An address. One made by mistake is taken back (`removed_at`): it stands in no list, and what was kept stays."""

    __tablename__ = "place"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "import_id"], ["import_batch.shop_id", "import_batch.id"]),
        Index("uq_place_shop_id_name", "shop_id", "name", unique=True, postgresql_where=text("removed_at is null")),
    )
    name: Mapped[str] = mapped_column(String(120))
    town: Mapped[str] = mapped_column(String(120), default="")
    occupant: Mapped[str] = mapped_column(String(120), default="")
    access_note: Mapped[str] = mapped_column(Text, default="")
    phone: Mapped[str] = mapped_column(String(40), default="", server_default="")
    estate: Mapped[str] = mapped_column(String(120), default="", server_default="")
    block: Mapped[str] = mapped_column(String(120), default="", server_default="")
    stair: Mapped[str] = mapped_column(String(40), default="", server_default="")
    door: Mapped[str] = mapped_column(String(40), default="", server_default="")
    latitude: Mapped[float | None] = mapped_column(Float)
    longitude: Mapped[float | None] = mapped_column(Float)
    version: Mapped[int] = mapped_column(default=1)
    removed_at: Mapped[datetime | None]
    # Its people's data was erased then.
    forgotten_at: Mapped[datetime | None]
    import_id: Mapped[UUID | None]
    imported: Mapped[ImportBatch | None] = relationship(viewonly=True)


class PlaceChange(OfShop, Base):
    """What stood of a place before somebody set it right."""

    __tablename__ = "place_change"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "place_id"], ["place.shop_id", "place.id"]),
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        Index(None, "shop_id", "place_id", "changed_at"),
    )
    place_id: Mapped[UUID]
    person_id: Mapped[UUID]
    changed_at: Mapped[datetime]
    before: Mapped[dict[str, Any]]
    person: Mapped[Person] = relationship(viewonly=True)


class Unit(OfShop, Base):
    """One air handler and its heat kit; `nameplate` is a unit file's JSON."""

    __tablename__ = "unit"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "import_id"], ["import_batch.shop_id", "import_batch.id"]),
        ForeignKeyConstraint(["shop_id", "place_id"], ["place.shop_id", "place.id"]),
        Index(None, "shop_id", "place_id"),
    )
    place_id: Mapped[UUID]
    label: Mapped[str] = mapped_column(String(120))
    nameplate: Mapped[dict[str, Any]]
    version: Mapped[int] = mapped_column(default=1)
    removed_at: Mapped[datetime | None]
    import_id: Mapped[UUID | None]
    imported: Mapped[ImportBatch | None] = relationship(viewonly=True)
    place: Mapped[PlaceRow] = relationship(viewonly=True)


class Call(OfShop, Base):
    """One visit to one unit. What was done on it are its events; status, moment and outcome are kept copies of them."""

    __tablename__ = "call"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "unit_id"], ["unit.shop_id", "unit.id"]),
        ForeignKeyConstraint(["shop_id", "technician_id"], ["person.shop_id", "person.id"]),
        ForeignKeyConstraint(["shop_id", "meter_id"], ["meter.shop_id", "meter.id"]),
        CheckConstraint("status in ('planned', 'open', 'closed', 'withdrawn', 'cancelled')", name="status"),
        Index(None, "shop_id", "status", "scheduled_at"),
        Index(None, "shop_id", "unit_id", "scheduled_at"),
        Index(None, "shop_id", "round_id"),
        ForeignKeyConstraint(
            ["shop_id", "returns_to_id"], ["call.shop_id", "call.id"], deferrable=True, initially="DEFERRED"
        ),
        ForeignKeyConstraint(["shop_id", "round_id"], ["round.shop_id", "round.id"]),
        ForeignKeyConstraint(["shop_id", "import_id"], ["import_batch.shop_id", "import_batch.id"]),
        CheckConstraint("window_minutes >= 0 and minutes > 0", name="plan"),
    )
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
    # How long after the hour somebody is promised to come, and how long it will take.
    window_minutes: Mapped[int] = mapped_column(default=0, server_default=text("0"))
    minutes: Mapped[int] = mapped_column(default=60, server_default=text("60"))
    # Counts changes of the plan, so that two people who move it do not overwrite each other.
    plan_version: Mapped[int] = mapped_column(default=1, server_default=text("1"))
    # The call this one comes back for, and the round it belongs to.
    returns_to_id: Mapped[UUID | None]
    round_id: Mapped[UUID | None]
    cancelled_why: Mapped[str] = mapped_column(String(400), default="", server_default="")
    closed_at: Mapped[datetime | None]
    outcome: Mapped[str] = mapped_column(Text, default="")
    # The last event's number; its row is what a writer locks, and it says nothing else.
    seq: Mapped[int] = mapped_column(default=0)
    # How much came home from phones without signal that could not be kept, and nobody has looked at yet.
    rejected_submissions: Mapped[int] = mapped_column("asides", default=0, server_default=text("0"))
    import_id: Mapped[UUID | None]
    imported: Mapped[ImportBatch | None] = relationship(viewonly=True)
    unit: Mapped[Unit] = relationship(viewonly=True)
    technician: Mapped[Person] = relationship(viewonly=True)
    meter: Mapped[MeterRow] = relationship(viewonly=True)

    @property
    def complaint(self) -> str:
        """All that was complained of, in one line."""
        return ", ".join(self.complaints)


class EventRow(Base):
    """One action on a call: append-only (a trigger sees to it), numbered by the call in the order they came.

    The id is made by the client, so that a repeated send is the same event. `payload` is the action as JSON; `done_at`
    by the clock of whoever did it, at most `clock_seconds` wrong, `come_at` the server's; `phone_id` is the phone that
    kept it, where one did.
    """

    __tablename__ = "event"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "call_id"], ["call.shop_id", "call.id"]),
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        CheckConstraint("seq > 0 and clock_seconds >= 0", name="numbers"),
        Index("uq_event_call_seq", "shop_id", "call_id", "seq", unique=True),
        Index(
            "ix_event_temporary",
            "shop_id",
            "kind",
            postgresql_where=text("kind in ('temporary', 'temporary-done')"),
        ),
        # What a unit's years are told by, without its readings.
        Index(
            "ix_event_told",
            "shop_id",
            "call_id",
            postgresql_where=text("kind in ('cause', 'part', 'temporary', 'temporary-done', 'photo', 'mark', 'void')"),
        ),
    )
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"), primary_key=True)
    id: Mapped[UUID] = mapped_column(primary_key=True)
    call_id: Mapped[UUID]
    seq: Mapped[int]
    kind: Mapped[str] = mapped_column(String(20))
    payload: Mapped[dict[str, Any]]
    person_id: Mapped[UUID]
    done_at: Mapped[datetime]
    come_at: Mapped[datetime]
    clock_seconds: Mapped[float] = mapped_column(Float, default=0.0)
    phone_id: Mapped[UUID | None]


class PhotoBytes(Base):
    """The picture of a photo event: re-encoded, nothing of the camera's own data left in it."""

    __tablename__ = "photo"
    __table_args__ = (ForeignKeyConstraint(["shop_id", "id"], ["event.shop_id", "event.id"]),)
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"), primary_key=True)
    id: Mapped[UUID] = mapped_column(primary_key=True)
    image: Mapped[bytes] = mapped_column(deferred=True)
    thumbnail: Mapped[bytes] = mapped_column(deferred=True)


class LogSamples(Base):
    """The samples of a log event: seconds and amps as packed 64-bit and 32-bit floats."""

    __tablename__ = "log_samples"
    __table_args__ = (ForeignKeyConstraint(["shop_id", "id"], ["event.shop_id", "event.id"]),)
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"), primary_key=True)
    id: Mapped[UUID] = mapped_column(primary_key=True)
    samples: Mapped[bytes]


class ShopLimit(OfShop, Base):
    """A limit the shop set to its own figures: the newest row of a name stands, the earlier ones tell the story."""

    __tablename__ = "shop_limit"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        Index(None, "shop_id", "name", "set_at"),
    )
    name: Mapped[str] = mapped_column(String(60))
    figures: Mapped[list[Any] | None]
    person_id: Mapped[UUID]
    set_at: Mapped[datetime]
    why: Mapped[str] = mapped_column(Text, default="")


class PartRow(Base):
    """A part on the shop's shelf, as its label gives it."""

    __tablename__ = "part"
    __table_args__ = (UniqueConstraint("shop_id", "name"),)

    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"), primary_key=True)
    id: Mapped[UUID] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    label: Mapped[dict[str, Any]]


class KitRow(OfShop, Base):
    """A heat kit the shop meets, as its label gives it."""

    __tablename__ = "kit"
    __table_args__ = (UniqueConstraint("shop_id", "model"),)
    model: Mapped[str] = mapped_column(String(120))
    label: Mapped[dict[str, Any]]


class SignIn(OfShop, Base):
    """One sign-in on one device: open until it is ended, lapses or its person may no longer sign in.

    `token_hash` is of the secret in the session's cookie, `device_hash` of the one that tells this browser apart for a
    year; without it the browser is not known any more. `words` name the device as its owner would.
    """

    __tablename__ = "sign_in"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        Index(None, "shop_id", "person_id", "seen_at"),
    )
    person_id: Mapped[UUID]
    token_hash: Mapped[bytes] = mapped_column(unique=True)
    device_hash: Mapped[bytes | None] = mapped_column(index=True)
    words: Mapped[str] = mapped_column(String(120))
    since: Mapped[datetime]
    seen_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]


class Phone(Base):
    """A browser that keeps work while it has no signal, for one person.

    `seal_key` is what it seals everything it sends with; the phone holds it so that no script can read it out again.
    `unlock_key` opens what it keeps when the PIN is lost, and is given only to its signed-in person. Ended with its
    sign-in by somebody who has lost it: nothing of it is taken any more.
    """

    __tablename__ = "phone"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        CheckConstraint("length(seal_key) = 32 and length(unlock_key) = 32", name="keys"),
        Index(None, "shop_id", "person_id"),
    )
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"), primary_key=True)
    id: Mapped[UUID] = mapped_column(primary_key=True)
    person_id: Mapped[UUID]
    sign_in_id: Mapped[UUID]
    seal_key: Mapped[bytes]
    unlock_key: Mapped[bytes]
    since: Mapped[datetime]
    ended_at: Mapped[datetime | None]


class RejectedSubmission(Base):
    """What came home from a phone and could not be kept on its call, whole, with why: nothing is dropped.

    `what` is the form's endpoint, `fields` what was typed, `body` all that was sent; `drafts` what it would have
    recorded, where only its moment was in doubt and a lead may still accept it.
    """

    __tablename__ = "set_aside"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "call_id"], ["call.shop_id", "call.id"]),
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        Index(None, "shop_id", "call_id"),
        Index("ix_set_aside_phone", "shop_id", "phone_id"),
    )
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"), primary_key=True)
    id: Mapped[UUID] = mapped_column(primary_key=True)
    call_id: Mapped[UUID]
    person_id: Mapped[UUID]
    phone_id: Mapped[UUID | None]
    what: Mapped[str] = mapped_column(String(60))
    fields: Mapped[list[Any]]
    drafts: Mapped[list[Any] | None] = mapped_column(JSONB(none_as_null=True))
    body: Mapped[bytes] = mapped_column(deferred=True)
    content_type: Mapped[str] = mapped_column(String(200))
    why: Mapped[str] = mapped_column(Text)
    done_at: Mapped[datetime]
    clock_seconds: Mapped[float] = mapped_column(Float)
    come_at: Mapped[datetime]
    seen_at: Mapped[datetime | None]
    seen_by_id: Mapped[UUID | None]
    person: Mapped[Person] = relationship(viewonly=True)


class SignInGuess(Base):
    """How many guesses one key made since a moment, counted before they are looked at."""

    __tablename__ = "sign_in_guess"
    key: Mapped[str] = mapped_column(String(300), primary_key=True)
    since: Mapped[datetime]
    tries: Mapped[int]


class ShareLink(OfShop, Base):
    """A paper of one call for whoever holds the link; the link's secret is nowhere but in the link."""

    __tablename__ = "share_link"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "call_id"], ["call.shop_id", "call.id"]),
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        Index(None, "shop_id", "call_id"),
    )
    call_id: Mapped[UUID]
    person_id: Mapped[UUID]
    token_hash: Mapped[bytes] = mapped_column(unique=True)
    made_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    revoked_at: Mapped[datetime | None]
    person: Mapped[Person] = relationship(viewonly=True)


class ShareOpen(Base):
    """One time a shared paper was opened: when, and on what kind of device."""

    __tablename__ = "share_open"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "link_id"], ["share_link.shop_id", "share_link.id"]),
        Index(None, "shop_id", "link_id"),
    )
    shop_id: Mapped[UUID] = mapped_column(primary_key=True)
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    link_id: Mapped[UUID]
    opened_at: Mapped[datetime]
    words: Mapped[str] = mapped_column(String(120))


class UnitTableRow(Base):
    """What one circuit shows under one drive, packed; no shop's, since like units of all shops share it."""

    __tablename__ = "unit_table"
    version: Mapped[str] = mapped_column(String(40), primary_key=True)
    circuit: Mapped[str] = mapped_column(String(40), primary_key=True)
    drive: Mapped[str] = mapped_column(String(40), primary_key=True)
    packed: Mapped[bytes]
    made_at: Mapped[datetime]
