"""Sign-ins, kept here so that they can be listed and ended, and the count of guesses that slows down whoever guesses.

A sign-in's secret is in its cookie alone: the tables hold its hash.
"""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import NamedTuple
from uuid import UUID, uuid4

from sqlalchemy import and_, case, delete, exists, or_, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, joinedload

from plentar.store import phones
from plentar.store.limits import changes_of, standing
from plentar.store.models import Person, SignIn, SignInGuess
from plentar.store.secret import hash_of

__all__ = [
    "Known",
    "begin",
    "end",
    "end_all",
    "find",
    "give_back",
    "is_known_device",
    "list_open",
    "note_seen",
    "take_guess",
]

# Unused this long it lapses; however used, it is renewed by signing in after three months.
LAPSES_AFTER, LASTS = timedelta(days=14), timedelta(days=90)
# A sign-in is marked as seen no oftener: a page that asks every two seconds must not write every two seconds.
SEEN_EVERY = timedelta(minutes=5)
KEPT = timedelta(days=366)
GUESS_WINDOW = timedelta(minutes=10)


class Known(NamedTuple):
    """Who is asking: the person, the limits their shop changed, the sign-in, whether it is time to mark it as seen."""

    person: Person
    limits: tuple[tuple[str, tuple[float, ...]], ...]
    sign_in: UUID
    is_due: bool


def _is_open(now: datetime):  # type: ignore[no-untyped-def]
    return and_(SignIn.ended_at.is_(None), SignIn.seen_at > now - LAPSES_AFTER, SignIn.since > now - LASTS)


def _of(person: Person):  # type: ignore[no-untyped-def]
    return and_(SignIn.shop_id == person.shop_id, SignIn.person_id == person.id)


def begin(db: Session, person: Person, *, secret: str, device: str, words: str, now: datetime) -> SignIn:
    """Open a sign-in for the holder of a secret, on a device told apart by another; forget what ended a year ago."""
    db.execute(delete(SignIn).where(_of(person), SignIn.seen_at < now - KEPT))
    row = SignIn(
        id=uuid4(),
        shop_id=person.shop_id,
        person_id=person.id,
        token_hash=hash_of(secret),
        device_hash=hash_of(device),
        words=words[:120],
        since=now,
        seen_at=now,
    )
    db.add(row)
    db.flush()
    return row


def find(db: Session, secret: str, now: datetime) -> Known | None:
    """Return who holds a secret, with their shop and its changed limits: every page asks for all of it at once."""
    query = (
        select(Person, changes_of(Person.shop_id), SignIn.id, SignIn.seen_at)
        .join(SignIn, and_(SignIn.shop_id == Person.shop_id, SignIn.person_id == Person.id))
        .options(joinedload(Person.shop))
        .where(SignIn.token_hash == hash_of(secret), _is_open(now), Person.deactivated_at.is_(None))
    )
    row = db.execute(query).one_or_none()
    return None if row is None else Known(row[0], standing(row[1] or ()), row[2], now - row[3] > SEEN_EVERY)


def note_seen(db: Session, known: Known, now: datetime) -> None:
    """Mark a sign-in as in use."""
    own = and_(SignIn.shop_id == known.person.shop_id, SignIn.id == known.sign_in)
    db.execute(update(SignIn).where(own, SignIn.seen_at < now).values(seen_at=now))


def list_open(db: Session, person: Person, now: datetime) -> Sequence[SignIn]:
    """Return a person's open sign-ins, the one used last first."""
    return db.scalars(select(SignIn).where(_of(person), _is_open(now)).order_by(SignIn.seen_at.desc())).all()


def end(db: Session, person: Person, sign_in: UUID, now: datetime, *, forget_device: bool = False) -> bool:
    """End one of a person's sign-ins; told to, its device is not known any more. False where there is none."""
    own = and_(_of(person), SignIn.id == sign_in)
    device = db.scalar(select(SignIn.device_hash).where(own))
    ended = db.execute(update(SignIn).where(own, SignIn.ended_at.is_(None)).values(ended_at=now).returning(SignIn.id))
    if forget_device and device is not None:
        db.execute(update(SignIn).where(_of(person), SignIn.device_hash == device).values(device_hash=None))
    if forget_device:
        phones.end(db, person, now, sign_in=sign_in)
    return ended.first() is not None


def end_all(db: Session, person: Person, now: datetime, *, but: UUID | None = None) -> None:
    """End all of a person's sign-ins, or all but one, and know their devices no more."""
    own = and_(_of(person), SignIn.id != but) if but is not None else _of(person)
    ended = case((SignIn.ended_at.is_(None), now), else_=SignIn.ended_at)
    db.execute(update(SignIn).where(own).values(ended_at=ended, device_hash=None))
    phones.end(db, person, now, but=but)


def is_known_device(db: Session, email: str, device: str) -> bool:
    """Tell whether a person signed in on this device before."""
    if not device:
        return False
    query = select(Person.id).join(SignIn, and_(SignIn.shop_id == Person.shop_id, SignIn.person_id == Person.id))
    own = and_(Person.email == email.strip().lower(), SignIn.device_hash == hash_of(device))
    return bool(db.scalar(select(exists(query.where(own)))))


def take_guess(
    db: Session, keys: Sequence[tuple[str, int]], now: datetime, *, window: timedelta = GUESS_WINDOW
) -> bool:
    """Count a guess under each key before it is looked at; False, and none counted, when one has used up its limit.

    One statement a key, so that however many come at once no more than the limit get through. The caller commits before
    it looks at the guess.

    Args:
        db: A session with nothing else in it.
        keys: What is counted, each with how many it may make in a window; by everybody in the same order of kinds, the
            narrowest first.
        now: This moment.
        window: How long a count lasts.
    """
    lapsed = SignInGuess.since <= now - window
    full = or_(*(and_(SignInGuess.key == key, SignInGuess.tries >= most) for key, most in keys))
    if db.scalar(select(exists(select(SignInGuess.key).where(full, ~lapsed)))):
        # Repeated tries against a used-up limit take no lock, so they hold up no one else.
        return False
    for key, most in keys:
        statement = insert(SignInGuess).values(key=key, since=now, tries=1)
        counted = statement.on_conflict_do_update(
            index_elements=["key"],
            set_={
                "tries": case((lapsed, 1), else_=SignInGuess.tries + 1),
                "since": case((lapsed, now), else_=SignInGuess.since),
            },
            where=or_(lapsed, SignInGuess.tries < most),
        ).returning(SignInGuess.tries)
        if db.execute(counted).first() is None:
            db.rollback()
            return False
    return True


def give_back(db: Session, keys: Sequence[tuple[str, int]], now: datetime) -> None:
    """Take a guess that was right out of the count, and drop the counts that lapsed long ago."""
    db.execute(delete(SignInGuess).where(SignInGuess.since < now - 6 * GUESS_WINDOW))
    for key, _ in keys:
        db.execute(
            update(SignInGuess).where(SignInGuess.key == key, SignInGuess.tries > 0).values(tries=SignInGuess.tries - 1)
        )
