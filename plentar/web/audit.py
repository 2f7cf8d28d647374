"""The shop's audit: noting what the signed-in person has just done, and a noted state in words."""

from typing import Any

from flask import g

from plentar.store import audit
from plentar.web.serving.access import now

__all__ = ["in_words", "note"]

LONGEST = 160


def note(action: str, about: str, **states: Any) -> None:
    """Append one line of the signed-in person's: what was done, to what, and from which state to which."""
    audit.note(g.db, action, about, shop_id=g.person.shop_id, person=g.person, at=now(), **states)


def in_words(state: Any) -> str:
    """Return a state of the audit in words.

    Example:
        >>> in_words({"tax_percent": 8.25, "price_kwh": None}), in_words(None)
        ('tax percent 8.25, price kwh none', 'nothing')
    """
    if state is None:
        return "nothing"
    if isinstance(state, dict):
        words = ", ".join(f"{name.replace('_', ' ')} {_value_in_words(value)}" for name, value in state.items())
    else:
        words = _value_in_words(state)
    return words if len(words) <= LONGEST else f"{words[:LONGEST]} …"


def _value_in_words(value: Any) -> str:
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        if value and isinstance(value[0], dict):
            return f"{len(value)} rows"
        return ", ".join(map(_value_in_words, value)) or "none"
    if isinstance(value, dict):
        return " ".join(map(_value_in_words, value.values()))
    return f"{value:g}" if isinstance(value, float) else str(value)
