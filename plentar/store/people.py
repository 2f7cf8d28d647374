"""People: their passwords, and who may no longer sign in. A changed password or a deactivation ends every sign-in."""

from datetime import datetime

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from plentar.store import sign_ins
from plentar.store.models import Person

__all__ = ["EMAIL", "change_password", "deactivate", "find", "hash_password", "is_password", "verify_sign_in"]

# One @, a dot after it, no blanks: whether it is somebody's, only a letter can tell.
EMAIL = r"[^@\s]+@[^@\s]+\.[^@\s]+\Z"
_hasher = PasswordHasher()
# Verified against when no such person exists, so that an unknown address takes as long as a wrong password.
_NOBODY = _hasher.hash("no person signs in with this address")


def hash_password(password: str) -> str:
    """Return the argon2id hash that is kept in place of a password."""
    return _hasher.hash(password)


def find(db: Session, email: str) -> Person | None:
    """Return the person an address belongs to; one address is one person across all shops."""
    return db.scalar(select(Person).where(Person.email == email.strip().lower()))


def is_password(person: Person | None, password: str) -> bool:
    """Tell whether a password is a person's; for nobody it takes as long and is not."""
    # Nobody of this address, or somebody invited who has none yet: a hash is verified all the same.
    has_one = person is not None and bool(person.password_hash)
    try:
        return _hasher.verify(person.password_hash if has_one and person else _NOBODY, password) and has_one
    except (VerificationError, InvalidHashError):
        return False


def verify_sign_in(db: Session, *, email: str, password: str) -> Person | None:
    """Return the person whose address and password these are, or None; a deactivated person is nobody."""
    person = find(db, email)
    if not is_password(person, password):
        return None
    return person if person is not None and person.deactivated_at is None else None


def change_password(db: Session, person: Person, password: str, now: datetime) -> None:
    """Give a person another password; every sign-in with the old one ends, this one's too, and no device is known."""
    person.password_hash = hash_password(password)
    sign_ins.end_all(db, person, now)


def deactivate(db: Session, person: Person, now: datetime | None) -> None:
    """Let a person sign in no more from a moment on, and end what is open; with None, let them in again."""
    person.deactivated_at = now
    if now is not None:
        sign_ins.end_all(db, person, now)
