"""Signing in: password hashes, and slowing down whoever guesses."""

from datetime import datetime, timedelta
from uuid import UUID

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session, joinedload

from plentar.store.limits import changes_of, standing
from plentar.store.models import Person, SignInAttempt

__all__ = ["add_failure", "forget_failures", "get_person", "hash_password", "too_many_failures", "verify_sign_in"]

MAX_FAILURES = 8
FAILURE_WINDOW = timedelta(minutes=10)

_hasher = PasswordHasher()
# Verified against when no such person exists, so that an unknown address takes as long as a wrong password.
_NOBODY = _hasher.hash("nobody signs in with this")


def hash_password(password: str) -> str:
    """Return the argon2id hash that is kept in place of a password."""
    return _hasher.hash(password)


def verify_sign_in(db: Session, *, email: str, password: str) -> Person | None:
    """Return the person whose address and password these are, or None."""
    person = db.scalar(select(Person).where(Person.email == email.strip().lower()))
    try:
        _hasher.verify(person.password_hash if person else _NOBODY, password)
    except (VerificationError, InvalidHashError):
        return None
    return person


def get_person(db: Session, person_id: UUID) -> tuple[Person, tuple[tuple[str, tuple[float, ...]], ...]] | None:
    """Return a signed-in person with their shop, and the limits the shop set itself: every page asks for both."""
    query = select(Person, changes_of(Person.shop_id)).options(joinedload(Person.shop)).where(Person.id == person_id)
    row = db.execute(query).one_or_none()
    return None if row is None else (row[0], standing(row[1] or ()))


def too_many_failures(db: Session, keys: list[str], now: datetime) -> bool:
    """Tell whether any of these keys (an address, a network address) has failed too often of late.

    Kept in the database because several server processes answer, and none of them sees the others' memory.
    """
    count = (
        select(func.count().label("tries"))
        .where(SignInAttempt.key.in_(keys), SignInAttempt.tried_at > now - FAILURE_WINDOW)
        .group_by(SignInAttempt.key)
        .subquery()
    )
    return (db.scalar(select(func.max(count.c.tries))) or 0) >= MAX_FAILURES


def add_failure(db: Session, keys: list[str], now: datetime) -> None:
    """Note a failed try under each key, and drop those that no longer count."""
    db.execute(delete(SignInAttempt).where(SignInAttempt.tried_at < now - FAILURE_WINDOW))
    db.add_all(SignInAttempt(key=key, tried_at=now) for key in keys)


def forget_failures(db: Session, key: str) -> None:
    """Clear one person's failures after they got in."""
    db.execute(delete(SignInAttempt).where(SignInAttempt.key == key))
