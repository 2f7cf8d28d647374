"""The tables of a shop's own affairs: ways in, what was changed by whom, what is owed to a place, rounds, search.

Keyed and scoped as all others: a row's shop leads its key.
"""

from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import CheckConstraint, Computed, ForeignKey, ForeignKeyConstraint, Index, LargeBinary, String, Text
from sqlalchemy.dialects.postgresql import JSONB, TSVECTOR
from sqlalchemy.orm import Mapped, mapped_column, relationship

from plentar.store.models import Base, Call, ImportBatch, OfShop, Person, PlaceRow, Unit

__all__ = [
    "AuditRow",
    "BlockMinutes",
    "FeedKey",
    "FollowUp",
    "Forgotten",
    "OneTimeLink",
    "PartOrder",
    "Passkey",
    "PasskeyChallenge",
    "Round",
    "SearchLine",
    "Stock",
]

ORDER_STATES = ("to order", "ordered", "here", "fitted", "not needed")


class OneTimeLink(OfShop, Base):
    """A way in that works once: for somebody new, or for one who lost theirs. Only its secret's hash is kept."""

    __tablename__ = "one_time_link"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        CheckConstraint("kind in ('invite', 'reset')", name="kind"),
        Index(None, "shop_id", "person_id"),
    )
    person_id: Mapped[UUID]
    kind: Mapped[str] = mapped_column(String(10))
    token_hash: Mapped[bytes] = mapped_column(unique=True)
    made_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    used_at: Mapped[datetime | None]
    person: Mapped[Person] = relationship(viewonly=True)


class Passkey(OfShop, Base):
    """A person's key on one of their devices: what proves it, and how often it was used as the device counts."""

    __tablename__ = "passkey"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        CheckConstraint("sign_count >= 0", name="sign_count"),
        Index(None, "shop_id", "person_id"),
    )
    person_id: Mapped[UUID]
    credential_id: Mapped[bytes] = mapped_column(unique=True)
    public_key: Mapped[bytes]
    sign_count: Mapped[int]
    name: Mapped[str] = mapped_column(String(60))
    made_at: Mapped[datetime]
    used_at: Mapped[datetime | None]
    person: Mapped[Person] = relationship(viewonly=True)


class PasskeyChallenge(Base):
    """What a browser's passkey was asked to sign: good for one answer within five minutes."""

    __tablename__ = "passkey_challenge"
    hash: Mapped[bytes] = mapped_column(primary_key=True)
    # Whoever is making a passkey; None while somebody signs in.
    person_id: Mapped[UUID | None]
    expires_at: Mapped[datetime]


class AuditRow(OfShop, Base):
    """Who changed what of the shop, when, from what to what: append-only (a trigger sees to it)."""

    __tablename__ = "audit"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        Index(None, "shop_id", "at"),
        ForeignKeyConstraint(["shop_id", "import_id"], ["import_batch.shop_id", "import_batch.id"]),
    )
    at: Mapped[datetime]
    # None: somebody at the server's own command line.
    person_id: Mapped[UUID | None]
    deed: Mapped[str] = mapped_column(String(40))
    about: Mapped[str] = mapped_column(String(200))
    before: Mapped[Any | None] = mapped_column(JSONB)
    after: Mapped[Any | None] = mapped_column(JSONB)
    import_id: Mapped[UUID | None]
    imported: Mapped[ImportBatch | None] = relationship(viewonly=True)
    person: Mapped[Person | None] = relationship(viewonly=True)


class Stock(Base):
    """How many of a part lie on one person's van."""

    __tablename__ = "stock"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "part_id"], ["part.shop_id", "part.id"], ondelete="cascade"),
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        CheckConstraint("count >= 0", name="count"),
    )
    shop_id: Mapped[UUID] = mapped_column(primary_key=True)
    part_id: Mapped[UUID] = mapped_column(primary_key=True)
    person_id: Mapped[UUID] = mapped_column(primary_key=True)
    count: Mapped[int]


class FollowUp(OfShop, Base):
    """What is still owed to a place, by a day of the shop's own calendar."""

    __tablename__ = "follow_up"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "place_id"], ["place.shop_id", "place.id"]),
        ForeignKeyConstraint(["shop_id", "unit_id"], ["unit.shop_id", "unit.id"]),
        ForeignKeyConstraint(["shop_id", "call_id"], ["call.shop_id", "call.id"]),
        ForeignKeyConstraint(["shop_id", "made_by_id"], ["person.shop_id", "person.id"]),
        ForeignKeyConstraint(["shop_id", "done_by_id"], ["person.shop_id", "person.id"]),
        Index(None, "shop_id", "place_id"),
        Index("ix_follow_up_open", "shop_id", "due_on", postgresql_where="done_at is null"),
    )
    place_id: Mapped[UUID]
    unit_id: Mapped[UUID | None]
    call_id: Mapped[UUID | None]
    words: Mapped[str] = mapped_column(String(400))
    due_on: Mapped[date]
    made_by_id: Mapped[UUID]
    made_at: Mapped[datetime]
    done_at: Mapped[datetime | None]
    done_by_id: Mapped[UUID | None]
    place: Mapped[PlaceRow] = relationship(viewonly=True)
    unit: Mapped[Unit | None] = relationship(viewonly=True)


class PartOrder(OfShop, Base):
    """A part a call waits for, and how far it has come."""

    __tablename__ = "part_order"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "call_id"], ["call.shop_id", "call.id"]),
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        CheckConstraint("state in ('to order', 'ordered', 'here', 'fitted', 'not needed')", name="state"),
        Index(None, "shop_id", "call_id"),
        Index("ix_part_order_open", "shop_id", "state", postgresql_where="state in ('to order', 'ordered', 'here')"),
    )
    call_id: Mapped[UUID]
    name: Mapped[str] = mapped_column(String(200))
    state: Mapped[str] = mapped_column(String(20), default="to order")
    person_id: Mapped[UUID]
    made_at: Mapped[datetime]
    changed_at: Mapped[datetime]
    expected_on: Mapped[date | None]
    call: Mapped[Call] = relationship(viewonly=True)


class BlockMinutes(Base):
    """Minutes on the way between two blocks, as the shop knows them; the lesser name first."""

    __tablename__ = "block_minutes"
    __table_args__ = (CheckConstraint("minutes > 0 and minutes < 1000 and block_a < block_b", name="minutes"),)
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"), primary_key=True)
    block_a: Mapped[str] = mapped_column(String(120), primary_key=True)
    block_b: Mapped[str] = mapped_column(String(120), primary_key=True)
    minutes: Mapped[float]


class Round(OfShop, Base):
    """A season's check over many units: which, on what days, by whom. Its calls are the planned checks."""

    __tablename__ = "round"
    __table_args__ = (
        CheckConstraint("state in ('being made', 'planned', 'closed')", name="state"),
        ForeignKeyConstraint(["shop_id", "made_by_id"], ["person.shop_id", "person.id"]),
        ForeignKeyConstraint(["shop_id", "import_id"], ["import_batch.shop_id", "import_batch.id"]),
        Index(None, "shop_id", "made_at"),
    )
    name: Mapped[str] = mapped_column(String(120))
    owner: Mapped[str] = mapped_column(String(120), default="")
    made_by_id: Mapped[UUID]
    made_at: Mapped[datetime]
    state: Mapped[str] = mapped_column(String(20), default="being made")
    # What it was made from: units with minutes and windows, people, days, hours.
    wanted: Mapped[dict[str, Any]]
    version: Mapped[int] = mapped_column(default=1)
    import_id: Mapped[UUID | None]
    imported: Mapped[ImportBatch | None] = relationship(viewonly=True)


class SearchLine(Base):
    """What can be found by its words, one line a place, unit, call, finding, fix or photo; kept by triggers."""

    __tablename__ = "search_line"
    __table_args__ = (
        Index("ix_search_line_found", "found", postgresql_using="gin"),
        Index("ix_search_line_words", "words", postgresql_using="gin", postgresql_ops={"words": "gin_trgm_ops"}),
        Index(None, "shop_id", "place_id"),
    )
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"), primary_key=True)
    kind: Mapped[str] = mapped_column(String(20), primary_key=True)
    id: Mapped[UUID] = mapped_column(primary_key=True)
    place_id: Mapped[UUID]
    unit_id: Mapped[UUID | None]
    call_id: Mapped[UUID | None]
    at: Mapped[datetime | None]
    words: Mapped[str] = mapped_column(Text)
    found: Mapped[Any] = mapped_column(TSVECTOR, Computed("to_tsvector('simple', words)", persisted=True))


class Forgotten(Base):
    """A tombstone: a place whose people's data was erased. Whatever is taken in later obeys it."""

    __tablename__ = "forgotten"
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"), primary_key=True)
    place_id: Mapped[UUID] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    person_id: Mapped[UUID | None]


class FeedKey(Base):
    """The secret address of one person's calendar; revoked by making another or none."""

    __tablename__ = "feed_key"
    __table_args__ = (ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),)
    shop_id: Mapped[UUID] = mapped_column(ForeignKey("shop.id"), primary_key=True)
    person_id: Mapped[UUID] = mapped_column(primary_key=True)
    token_hash: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    with_words: Mapped[bool] = mapped_column(default=False)
    made_at: Mapped[datetime]
    person: Mapped[Person] = relationship(viewonly=True)
