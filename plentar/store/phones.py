"""Phones that keep work while they have no signal, and what came home from them and could not be kept."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, joinedload, undefer

from plentar.store.locking import lock_row_of_call
from plentar.store.models import Call, Person, Phone, RejectedSubmission

__all__ = ["end", "find", "list_rejected", "register", "reject", "rejected_by_id", "see_rejected"]


# What one phone may have waiting for somebody to look at: a bad day's work, not a disk.
MOST_REJECTED, MOST_REJECTED_BYTES = 200, 64 * 1024 * 1024


def register(
    db: Session, person: Person, *, phone_id: UUID, sign_in: UUID, seal_key: bytes, unlock_key: bytes, now: datetime
) -> Phone | None:
    """Keep a person's phone, or find it again after they signed in anew; None for an ended one, or another's."""
    row = {
        "shop_id": person.shop_id,
        "id": phone_id,
        "person_id": person.id,
        "sign_in_id": sign_in,
        "seal_key": seal_key,
        "unlock_key": unlock_key,
        "since": now,
    }
    db.execute(insert(Phone).values(row).on_conflict_do_nothing(index_elements=["shop_id", "id"]))
    own = (Phone.shop_id == person.shop_id, Phone.id == phone_id, Phone.person_id == person.id)
    db.execute(update(Phone).where(*own).values(sign_in_id=sign_in))
    return db.scalar(select(Phone).where(*own, Phone.ended_at.is_(None)).execution_options(populate_existing=True))


def find(db: Session, person: Person, phone_id: UUID) -> Phone | None:
    """Return a person's phone, an ended one too; None for anybody else's."""
    own = (Phone.shop_id == person.shop_id, Phone.id == phone_id, Phone.person_id == person.id)
    return db.scalar(select(Phone).where(*own))


def end(db: Session, person: Person, now: datetime, *, sign_in: UUID | None = None, but: UUID | None = None) -> None:
    """End a person's phones: the one of a sign-in, or all but one's; what they hold is not taken any more."""
    own = [Phone.shop_id == person.shop_id, Phone.person_id == person.id, Phone.ended_at.is_(None)]
    if sign_in is not None:
        own.append(Phone.sign_in_id == sign_in)
    elif but is not None:
        own.append(Phone.sign_in_id != but)
    db.execute(update(Phone).where(*own).values(ended_at=now))


def reject(db: Session, person: Person, *, call_id: UUID, **columns: Any) -> bool:
    """Keep what could not be kept on its call; sent again, it is kept once.

    False where the shop has no such call, or so much of this phone waits already that the rest stays on it.
    """
    own = (Call.shop_id == person.shop_id, Call.id == call_id)
    if not lock_row_of_call(db, shop_id=person.shop_id, call_id=call_id):
        return False
    theirs = (
        RejectedSubmission.shop_id == person.shop_id,
        RejectedSubmission.phone_id == columns["phone_id"],
        RejectedSubmission.seen_at.is_(None),
    )
    count, size = db.execute(
        select(func.count(), func.coalesce(func.sum(func.length(RejectedSubmission.body)), 0)).where(
            *theirs, RejectedSubmission.id != columns["id"]
        )
    ).one()
    if count >= MOST_REJECTED or size + len(columns["body"]) > MOST_REJECTED_BYTES:
        return False
    row = {"shop_id": person.shop_id, "call_id": call_id, "person_id": person.id, **columns}
    kept = db.execute(
        insert(RejectedSubmission)
        .values(row)
        .on_conflict_do_nothing(index_elements=["shop_id", "id"])
        .returning(RejectedSubmission.id)
    ).first()
    if kept is not None:
        db.execute(update(Call).where(*own).values(rejected_submissions=Call.rejected_submissions + 1))
    return True


def list_rejected(db: Session, *, shop_id: UUID, call_id: UUID) -> Sequence[RejectedSubmission]:
    """Return what was set aside on a call and nobody has looked at yet, oldest first."""
    return db.scalars(
        select(RejectedSubmission)
        .options(joinedload(RejectedSubmission.person))
        .where(
            RejectedSubmission.shop_id == shop_id,
            RejectedSubmission.call_id == call_id,
            RejectedSubmission.seen_at.is_(None),
        )
        .order_by(RejectedSubmission.done_at, RejectedSubmission.id)
    ).all()


def rejected_by_id(db: Session, *, shop_id: UUID, call_id: UUID, rejected_id: UUID) -> RejectedSubmission | None:
    """Return what was set aside on a call and nobody has looked at yet, whole."""
    own = (
        RejectedSubmission.shop_id == shop_id,
        RejectedSubmission.call_id == call_id,
        RejectedSubmission.id == rejected_id,
    )
    whole = (joinedload(RejectedSubmission.person), undefer(RejectedSubmission.body))
    return db.scalar(select(RejectedSubmission).options(*whole).where(*own, RejectedSubmission.seen_at.is_(None)))


def see_rejected(db: Session, person: Person, *, call_id: UUID, rejected_id: UUID, now: datetime) -> bool:
    """Note that somebody looked at what was set aside; it stays on record. False where there is nothing of it."""
    own = (
        RejectedSubmission.shop_id == person.shop_id,
        RejectedSubmission.call_id == call_id,
        RejectedSubmission.id == rejected_id,
    )
    if db.scalar(select(RejectedSubmission.id).where(*own)) is None:
        return False
    seen = db.execute(
        update(RejectedSubmission)
        .where(*own, RejectedSubmission.seen_at.is_(None))
        .values(seen_at=now, seen_by_id=person.id)
        .returning(RejectedSubmission.id)
    ).first()
    if seen is not None:
        call = (Call.shop_id == person.shop_id, Call.id == call_id)
        db.execute(update(Call).where(*call).values(rejected_submissions=Call.rejected_submissions - 1))
    return True
