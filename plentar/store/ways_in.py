"""Ways in beside the password: links that work once, and passkeys. The last way in of a person cannot be taken away."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from hashlib import sha256
from typing import Literal
from uuid import UUID, uuid4

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session, joinedload

from plentar.store.models import Person
from plentar.store.secret import hash_of
from plentar.store.shop_models import OneTimeLink, Passkey, PasskeyChallenge

__all__ = [
    "LINK_LASTS",
    "add_passkey",
    "count_passkeys",
    "find_link",
    "find_passkey",
    "keep_challenge",
    "list_passkeys",
    "make_link",
    "note_passkey_used",
    "remove_passkey",
    "remove_password",
    "use_challenge",
    "use_link",
]

# Long enough for somebody who reads mail at the weekend.
LINK_LASTS = timedelta(days=3)
# A finger on the sensor, or a phone fetched from the van.
CHALLENGE_LASTS = timedelta(minutes=5)


def make_link(db: Session, person: Person, kind: Literal["invite", "reset"], secret: str, now: datetime) -> OneTimeLink:
    """Keep a way in that works once; the person's earlier ones work no more."""
    own = (OneTimeLink.shop_id == person.shop_id, OneTimeLink.person_id == person.id, OneTimeLink.used_at.is_(None))
    db.execute(update(OneTimeLink).where(*own).values(expires_at=now))
    link = OneTimeLink(
        id=uuid4(),
        shop_id=person.shop_id,
        person_id=person.id,
        kind=kind,
        token_hash=hash_of(secret),
        made_at=now,
        expires_at=now + LINK_LASTS,
    )
    db.add(link)
    db.flush()
    return link


def find_link(db: Session, secret: str) -> OneTimeLink | None:
    """Return the link of a secret, whether it still works or not."""
    whole = joinedload(OneTimeLink.person).joinedload(Person.shop)
    return db.scalar(select(OneTimeLink).options(whole).where(OneTimeLink.token_hash == hash_of(secret)))


def use_link(db: Session, link: OneTimeLink, now: datetime) -> bool:
    """Use a link up; False when somebody was faster, or it lapsed."""
    open_one = (OneTimeLink.used_at.is_(None), OneTimeLink.expires_at > now)
    own = (OneTimeLink.shop_id == link.shop_id, OneTimeLink.id == link.id)
    done = db.execute(update(OneTimeLink).where(*own, *open_one).values(used_at=now).returning(OneTimeLink.id))
    return done.first() is not None


def add_passkey(
    db: Session, person: Person, *, credential_id: bytes, public_key: bytes, sign_count: int, name: str, now: datetime
) -> Passkey:
    """Keep a person's new passkey."""
    row = Passkey(
        id=uuid4(),
        shop_id=person.shop_id,
        person_id=person.id,
        credential_id=credential_id,
        public_key=public_key,
        sign_count=sign_count,
        name=name[:60] or "passkey",
        made_at=now,
    )
    db.add(row)
    db.flush()
    return row


def keep_challenge(db: Session, challenge: bytes, person: Person | None, now: datetime) -> None:
    """Keep what a passkey was asked to sign; what lapsed is forgotten."""
    db.execute(delete(PasskeyChallenge).where(PasskeyChallenge.expires_at <= now))
    by = person.id if person is not None else None
    db.add(PasskeyChallenge(hash=sha256(challenge).digest(), person_id=by, expires_at=now + CHALLENGE_LASTS))
    db.flush()


def use_challenge(db: Session, challenge: bytes, person: Person | None, now: datetime) -> bool:
    """Use up what was asked; False where it was never asked of them, is too old, or was answered already."""
    own = (PasskeyChallenge.hash == sha256(challenge).digest(), PasskeyChallenge.expires_at > now)
    by = person.id if person is not None else None
    query = delete(PasskeyChallenge).where(*own, PasskeyChallenge.person_id.is_not_distinct_from(by))
    return db.execute(query.returning(PasskeyChallenge.hash)).first() is not None


def list_passkeys(db: Session, person: Person) -> Sequence[Passkey]:
    """Return a person's passkeys, the oldest first."""
    own = (Passkey.shop_id == person.shop_id, Passkey.person_id == person.id)
    return db.scalars(select(Passkey).where(*own).order_by(Passkey.made_at, Passkey.id)).all()


def count_passkeys(db: Session, *, shop_id: UUID) -> dict[UUID, int]:
    """Return how many passkeys each person of a shop has; nobody who has none."""
    count = func.count().label("own")
    query = select(Passkey.person_id, count).where(Passkey.shop_id == shop_id).group_by(Passkey.person_id)
    return {row.person_id: row.own for row in db.execute(query)}


def find_passkey(db: Session, credential_id: bytes) -> Passkey | None:
    """Return a passkey by what the device calls it, with its person and their shop; locked while it is checked."""
    query = select(Passkey).where(Passkey.credential_id == credential_id)
    whole = joinedload(Passkey.person).joinedload(Person.shop)
    return db.scalar(query.options(whole).with_for_update(of=Passkey))


def note_passkey_used(db: Session, row: Passkey, sign_count: int, now: datetime) -> None:
    """Keep how often the device says the key was used: a copy would say less."""
    row.sign_count, row.used_at = sign_count, now
    db.flush()


def remove_passkey(db: Session, person: Person, passkey_id: UUID) -> Literal["removed", "last", "none"]:
    """Take a passkey away, unless it is the person's last way in."""
    db.execute(select(Person.id).where(Person.shop_id == person.shop_id, Person.id == person.id).with_for_update())
    own = (Passkey.shop_id == person.shop_id, Passkey.person_id == person.id)
    row = db.scalar(select(Passkey).where(*own, Passkey.id == passkey_id))
    if row is None:
        return "none"
    has_password = db.scalar(
        select(Person.password_hash).where(Person.shop_id == person.shop_id, Person.id == person.id)
    )
    if not has_password and db.scalar(select(func.count()).select_from(Passkey).where(*own)) == 1:
        return "last"
    db.delete(row)
    db.flush()
    return "removed"


def remove_password(db: Session, person: Person) -> bool:
    """Take the password away; False while it is the person's last way in."""
    own = (Person.shop_id == person.shop_id, Person.id == person.id)
    db.execute(select(Person.id).where(*own).with_for_update())
    if not list_passkeys(db, person):
        return False
    db.execute(update(Person).where(*own).values(password_hash=""))
    return True
