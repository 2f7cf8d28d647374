"""Secrets are kept as hashes alone: what opens something is nowhere but with whoever holds it."""

from hashlib import sha256

__all__ = ["hash_of"]


def hash_of(secret: str) -> bytes:
    """Return what is kept of a secret of many random bits; one that a person makes up takes a slower hash."""
    return sha256(secret.encode("utf-8", "replace")).digest()
