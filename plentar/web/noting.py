"""Noting in the shop's audit what whoever is signed in has just done, in the transaction it was done in."""

from typing import Any

from flask import g

from plentar.store import audit
from plentar.web.access import now

__all__ = ["note"]


def note(deed: str, about: str, **states: Any) -> None:
    """Append one line of the signed-in person's: what was done, to what, and from which state to which."""
    audit.note(g.db, deed, about, shop_id=g.person.shop_id, person=g.person, at=now(), **states)
