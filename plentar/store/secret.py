"""Secrets are kept as hashes alone: what opens something is nowhere but with whoever holds it."""

from hashlib import sha256
from secrets import token_urlsafe

__all__ = ["hash_of", "new_secret"]

# 192 bits: nobody finds one by trying.
SECRET_BYTES = 24


def new_secret() -> str:
    """Return a new secret for a link, a feed or a sign-in, as text that fits an address."""
    return token_urlsafe(SECRET_BYTES)


def hash_of(secret: str) -> bytes:
    """Return what is kept of a secret of many random bits; one that a person makes up takes a slower hash."""
    return sha256(secret.encode("utf-8", "replace")).digest()
