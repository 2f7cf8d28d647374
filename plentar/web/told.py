"""What a kept state says to a person: no braces, no ids."""

from typing import Any

__all__ = ["told_state"]

LONGEST = 160


def told_state(state: Any) -> str:
    """Return a state of the audit in words.

    Example:
        >>> told_state({"tax_percent": 8.25, "price_kwh": None}), told_state(None)
        ('tax percent 8.25, price kwh none', 'nothing')
    """
    if state is None:
        return "nothing"
    if isinstance(state, dict):
        words = ", ".join(f"{name.replace('_', ' ')} {_told(value)}" for name, value in state.items())
    else:
        words = _told(state)
    return words if len(words) <= LONGEST else f"{words[:LONGEST]} …"


def _told(value: Any) -> str:
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        if value and isinstance(value[0], dict):
            return f"{len(value)} rows"
        return ", ".join(map(_told, value)) or "none"
    if isinstance(value, dict):
        return " ".join(map(_told, value.values()))
    return f"{value:g}" if isinstance(value, float) else str(value)
