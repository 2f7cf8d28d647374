"""A reading's condition as it stands in files: feeds and calls as objects, in words a person can read."""

from typing import Any

from plentar.core.evidence.reading import Condition

__all__ = ["condition_to_json"]


def condition_to_json(condition: Condition) -> dict[str, Any]:
    """Return a condition as JSON-ready values; what is as usual is left out of the later additions."""
    found: dict[str, Any] = {
        "feeds": dict(condition.feeds),
        "control": condition.control,
        "calls": dict(condition.calls),
        "seconds_since_change": condition.seconds_since_change,
        "bypassed": condition.bypassed,
    }
    if condition.in_hand:
        found["in_hand"] = condition.in_hand
    if condition.opened:
        found["opened"] = dict(condition.opened)
    return found
