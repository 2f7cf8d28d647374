"""Erasing people's data and keeping what was measured: a tombstone stands for it, and whatever is taken in obeys it.

Personal are the occupant, the phone, how to get in, what people said and wrote, signatures and photographs. Readings,
switches, locks, parts, causes and who of the shop did what when are not touched: the database sees to it that an
erasure changes nothing but words, strokes and pictures.
"""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import cast, delete, func, select, text, update
from sqlalchemy.dialects.postgresql import JSONB, insert
from sqlalchemy.orm import Session

from plentar.store import audit
from plentar.store.models import Call, EventRow, Person, PhotoBytes, Place, PlaceChange, SetAside, ShareLink, Unit
from plentar.store.shop_models import AuditRow, FollowUp, Forgotten

__all__ = ["ERASED", "KINDS", "due_for_erasing", "find_places", "forget", "forgotten_places", "reapply"]

ERASED = "erased"
# What each kind of event holds of people, and what stands there after: a name that is needed stays a word.
_OF_EVENTS: dict[str, dict[str, Any]] = {
    "amend": {"words": "", "at_risk": ""},
    "seen": {"note": ""},
    "photo": {"note": ""},
    "note": {"words": ERASED},
    "signed": {"name": ERASED, "strokes": []},
    "approval": {"who": ERASED},
}
_PHOTOS, _SIGNATURES = ("photo",), ("signed",)
# What a retention can be set for, each with the events it is about.
KINDS: dict[str, tuple[str, ...]] = {
    "words": ("amend", "seen", "note", "approval"),
    "photos": _PHOTOS,
    "signatures": _SIGNATURES,
}


def find_places(db: Session, *, shop_id: UUID, words: str) -> Sequence[Place]:
    """Return the places of this name or id."""
    query = select(Place).where(Place.shop_id == shop_id)
    try:
        return db.scalars(query.where(Place.id == UUID(words))).all()
    except ValueError:
        return db.scalars(query.where(func.lower(Place.name) == words.strip().lower())).all()


def forget(db: Session, *, shop_id: UUID, place_id: UUID, at: datetime, person: Person | None) -> bool:
    """Erase what is kept of the people of a place and leave a tombstone; False where there is no such place."""
    place = db.scalar(select(Place).where(Place.shop_id == shop_id, Place.id == place_id).with_for_update())
    if place is None:
        return False
    tombstone = insert(Forgotten).values(
        shop_id=shop_id, place_id=place_id, at=at, person_id=person.id if person is not None else None
    )
    db.execute(tombstone.on_conflict_do_nothing(index_elements=["shop_id", "place_id"]))
    _erase_place(db, place, at)
    audit.note(db, "erased", place.name, shop_id=shop_id, person=person, at=at)
    return True


def _erase_place(db: Session, place: Place, at: datetime) -> None:
    shop_id = place.shop_id
    db.execute(text("select set_config('plentar.erasing', 'on', true)"))
    place.occupant = place.phone = place.access_note = ""
    place.forgotten_at, place.version = place.forgotten_at or at, place.version + 1
    db.flush()
    units = select(Unit.id).where(Unit.shop_id == shop_id, Unit.place_id == place.id)
    calls = select(Call.id).where(Call.shop_id == shop_id, Call.unit_id.in_(units))
    changes = (PlaceChange.shop_id == shop_id, PlaceChange.place_id == place.id)
    kept = PlaceChange.before.op("-")("occupant").op("-")("access_note").op("-")("phone")
    db.execute(update(PlaceChange).where(*changes).values(before=kept))
    own = (Call.shop_id == shop_id, Call.id.in_(calls))
    blank = {"words": "", "at_risk": ""}
    db.execute(update(Call).where(*own).values(**blank, plan_version=Call.plan_version + 1))
    db.execute(update(Call).where(*own, Call.cancelled_why != "").values(cancelled_why=ERASED))
    _erase_events(db, shop_id, calls, tuple(_OF_EVENTS))
    # What was set aside was typed by people, whatever form it is of.
    aside = (SetAside.shop_id == shop_id, SetAside.call_id.in_(calls))
    db.execute(update(SetAside).where(*aside).values(fields=[], body=b"", why=ERASED))
    links = (ShareLink.shop_id == shop_id, ShareLink.call_id.in_(calls), ShareLink.revoked_at.is_(None))
    db.execute(update(ShareLink).where(*links).values(revoked_at=at))
    owed = (FollowUp.shop_id == shop_id, FollowUp.place_id == place.id)
    db.execute(update(FollowUp).where(*owed).values(words=ERASED))
    told = (AuditRow.shop_id == shop_id, AuditRow.about == place.name, AuditRow.deed.in_(("call cancelled",)))
    db.execute(update(AuditRow).where(*told).values(after=None))
    db.execute(text("select set_config('plentar.erasing', '', true)"))


def _erase_events(db: Session, shop_id: UUID, calls: Any, kinds: Sequence[str]) -> None:
    for kind in kinds:
        own = (EventRow.shop_id == shop_id, EventRow.call_id.in_(calls), EventRow.kind == kind)
        blank = EventRow.payload.op("||")(cast(_OF_EVENTS[kind], JSONB))
        db.execute(update(EventRow).where(*own).values(payload=blank))
    if "photo" in kinds:
        photos = select(EventRow.id).where(
            EventRow.shop_id == shop_id, EventRow.call_id.in_(calls), EventRow.kind == "photo"
        )
        db.execute(delete(PhotoBytes).where(PhotoBytes.shop_id == shop_id, PhotoBytes.id.in_(photos)))


def forgotten_places(db: Session, *, shop_id: UUID) -> Sequence[Forgotten]:
    """Return the shop's tombstones."""
    return db.scalars(select(Forgotten).where(Forgotten.shop_id == shop_id).order_by(Forgotten.at)).all()


def reapply(db: Session, *, shop_id: UUID) -> int:
    """Erase again whatever came back under a tombstone, as from an older copy; return how many places."""
    rows = forgotten_places(db, shop_id=shop_id)
    for row in rows:
        place = db.scalar(select(Place).where(Place.shop_id == shop_id, Place.id == row.place_id))
        if place is not None:
            _erase_place(db, place, row.at)
    return len(rows)


def due_for_erasing(db: Session, *, shop_id: UUID, retention: dict[str, Any], now: datetime) -> int:
    """Erase each kind of personal data on calls closed longer ago than the shop keeps it; return how many calls.

    Args:
        retention: Days by kind, of `KINDS`; a kind that is not there is kept.
    """
    touched: set[UUID] = set()
    db.execute(text("select set_config('plentar.erasing', 'on', true)"))
    for name, days in retention.items():
        if name not in KINDS or not days:
            continue
        before = now - timedelta(days=int(days))
        own = (Call.shop_id == shop_id, Call.status == "closed", Call.closed_at < before)
        calls = select(Call.id).where(*own)
        held = (EventRow.shop_id == shop_id, EventRow.call_id.in_(calls), EventRow.kind.in_(KINDS[name]))
        touched |= set(db.scalars(select(EventRow.call_id).where(*held).distinct()))
        _erase_events(db, shop_id, calls, KINDS[name])
        if name == "words":
            db.execute(update(Call).where(*own, Call.words != "").values(words="", at_risk=""))
    db.execute(text("select set_config('plentar.erasing', '', true)"))
    return len(touched)
