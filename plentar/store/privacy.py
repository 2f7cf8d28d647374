"""Erasing people's data and keeping what was measured: a tombstone stands for it, and whatever is taken in obeys it.

Personal are the occupant, the phone, how to get in, what people said and wrote, signatures and photographs. Readings,
switches, locks, parts, causes and who of the shop did what when are not touched. The serving role can change no event:
the owner's functions erase, nothing but words, strokes and pictures, and keep a line of it in the audit.
"""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import Text, bindparam, cast, exists, func, select, update
from sqlalchemy.dialects.postgresql import ARRAY, insert
from sqlalchemy.orm import Session

from plentar.core.evidence.events import ACTIONS
from plentar.store import audit
from plentar.store.models import (
    Call,
    EventRow,
    Person,
    PhotoBytes,
    PlaceChange,
    PlaceRow,
    RejectedSubmission,
    ShareLink,
    Unit,
)
from plentar.store.shop_models import FollowUp, Forgotten

__all__ = ["ERASED", "KINDS", "LONGEST_DAYS", "due_for_erasing", "find_places", "forget", "forgotten_places", "reapply"]

ERASED = "erased"
# A hundred years.
LONGEST_DAYS = 36_500
# What a retention can be set for, each with the kinds of events it is about; the owner's function `words_erased` blanks
# what they hold (store/migrations).
KINDS: dict[str, tuple[str, ...]] = {
    name: tuple(kind for kind, action in ACTIONS.items() if action.retention == name)
    for name in ("words", "photos", "signatures")
}
PERSONAL = tuple(kind for kind, action in ACTIONS.items() if action.retention)


def find_places(db: Session, *, shop_id: UUID, words: str) -> Sequence[PlaceRow]:
    """Return the places of this name or id."""
    query = select(PlaceRow).where(PlaceRow.shop_id == shop_id)
    try:
        return db.scalars(query.where(PlaceRow.id == UUID(words))).all()
    except ValueError:
        return db.scalars(query.where(func.lower(PlaceRow.name) == words.strip().lower())).all()


def forget(db: Session, *, shop_id: UUID, place_id: UUID, at: datetime, person: Person | None) -> bool:
    """Erase what is kept of the people of a place and leave a tombstone; False where there is no such place."""
    place = db.scalar(select(PlaceRow).where(PlaceRow.shop_id == shop_id, PlaceRow.id == place_id).with_for_update())
    if place is None:
        return False
    tombstone = insert(Forgotten).values(
        shop_id=shop_id, place_id=place_id, at=at, person_id=person.id if person is not None else None
    )
    db.execute(tombstone.on_conflict_do_nothing(index_elements=["shop_id", "place_id"]))
    _erase_place(db, place, at, person)
    audit.note(db, "erased", place.name, shop_id=shop_id, person=person, at=at)
    return True


def _erase_place(db: Session, place: PlaceRow, at: datetime, person: Person | None = None) -> None:
    shop_id = place.shop_id
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
    _erase_events(db, shop_id, db.scalars(calls).all(), PERSONAL, place.name, person)
    # What was set aside was typed by people, whatever form it is of.
    rejected = (RejectedSubmission.shop_id == shop_id, RejectedSubmission.call_id.in_(calls))
    db.execute(update(RejectedSubmission).where(*rejected).values(fields=[], drafts=None, body=b"", why=ERASED))
    links = (ShareLink.shop_id == shop_id, ShareLink.call_id.in_(calls), ShareLink.revoked_at.is_(None))
    db.execute(update(ShareLink).where(*links).values(revoked_at=at))
    owed = (FollowUp.shop_id == shop_id, FollowUp.place_id == place.id)
    db.execute(update(FollowUp).where(*owed).values(words=ERASED))
    db.execute(select(func.erase_audit(shop_id, place.name)))


def _erase_events(
    db: Session, shop_id: UUID, calls: Sequence[UUID], kinds: Sequence[str], about: str, person: Person | None
) -> list[UUID]:
    """Erase kinds of events of some calls by the owner's function; return the calls where there was anything."""
    by = person.id if person is not None else None
    erase = select(func.erase_call(shop_id, bindparam("call"), cast(list(kinds), ARRAY(Text)), by, about))
    return [call for call in calls if db.scalar(erase, {"call": call})]


def forgotten_places(db: Session, *, shop_id: UUID) -> Sequence[Forgotten]:
    """Return the shop's tombstones."""
    return db.scalars(select(Forgotten).where(Forgotten.shop_id == shop_id).order_by(Forgotten.at)).all()


def reapply(db: Session, *, shop_id: UUID) -> int:
    """Erase again whatever came back under a tombstone, as from an older copy; return how many places."""
    rows = forgotten_places(db, shop_id=shop_id)
    for row in rows:
        place = db.scalar(select(PlaceRow).where(PlaceRow.shop_id == shop_id, PlaceRow.id == row.place_id))
        if place is not None:
            _erase_place(db, place, row.at)
    return len(rows)


def due_for_erasing(db: Session, *, shop_id: UUID, retention: dict[str, Any], now: datetime) -> int:
    """Erase each kind of personal data on calls closed longer ago than the shop keeps it; return how many calls.

    Args:
        retention: Days by kind, of `KINDS`; a kind that is not there is kept.
    """
    touched: set[UUID] = set()
    for name, days in retention.items():
        if name not in KINDS or not days:
            continue
        before = now - timedelta(days=int(days))
        own = (Call.shop_id == shop_id, Call.status == "closed", Call.closed_at < before)
        # What was erased before is not asked about again.
        is_left = EventRow.payload.is_distinct_from(
            EventRow.payload.op("||")(func.words_erased(EventRow.kind))
        ) | exists().where(PhotoBytes.shop_id == shop_id, PhotoBytes.id == EventRow.id)
        held = (EventRow.shop_id == shop_id, EventRow.kind.in_(KINDS[name]), is_left)
        calls = select(Call.id).where(*own, Call.id.in_(select(EventRow.call_id).where(*held)))
        told = f"{name}: kept {days} days"
        touched |= set(_erase_events(db, shop_id, db.scalars(calls).all(), KINDS[name], told, None))
        if name == "words":
            db.execute(update(Call).where(*own, Call.words != "").values(words="", at_risk=""))
    return len(touched)
