"""The secret address of a person's calendar: made, found by its secret, ended. Only the secret's hash is kept."""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.orm import Session, joinedload

from plentar.store.calls import WHOLE
from plentar.store.models import Call, Person
from plentar.store.secret import hash_of
from plentar.store.shop_models import FeedKey

__all__ = ["calls_of", "end", "find", "key_of", "make"]


def make(db: Session, person: Person, secret: str, *, with_words: bool, now: datetime) -> None:
    """Give a person's calendar an address; the one before opens nothing any more."""
    end(db, person)
    row = FeedKey(
        shop_id=person.shop_id, person_id=person.id, token_hash=hash_of(secret), with_words=with_words, made_at=now
    )
    db.add(row)
    db.flush()


def end(db: Session, person: Person) -> None:
    """End a person's calendar address."""
    db.execute(delete(FeedKey).where(FeedKey.shop_id == person.shop_id, FeedKey.person_id == person.id))


def key_of(db: Session, person: Person) -> FeedKey | None:
    """Return what is known of a person's calendar address; not the address."""
    return db.scalar(select(FeedKey).where(FeedKey.shop_id == person.shop_id, FeedKey.person_id == person.id))


def find(db: Session, secret: str) -> FeedKey | None:
    """Return whose calendar a secret opens; somebody who may sign in no more has none."""
    query = select(FeedKey).join(Person, (Person.shop_id == FeedKey.shop_id) & (Person.id == FeedKey.person_id))
    own = (FeedKey.token_hash == hash_of(secret), Person.deactivated_at.is_(None))
    return db.scalar(query.options(joinedload(FeedKey.person).joinedload(Person.shop)).where(*own))


def calls_of(db: Session, key: FeedKey, *, start: datetime, end: datetime) -> Sequence[Call]:
    """Return the calls of a calendar in a span."""
    own = (Call.shop_id == key.shop_id, Call.technician_id == key.person_id)
    span = (Call.scheduled_at >= start, Call.scheduled_at < end, Call.status.not_in(("withdrawn", "cancelled")))
    return db.scalars(select(Call).options(*WHOLE).where(*own, *span).order_by(Call.scheduled_at)).all()
