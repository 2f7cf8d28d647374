"""How far a good reading may lie from what the circuit predicts, apart from the meter: one table for all who ask."""

import math
from collections.abc import Collection

__all__ = ["GHOST_OHMS", "shares_of", "spread_of_one"]

# Behind more than this a meter's own ten megohms bend the reading: a ghost voltage of no certain size.
GHOST_OHMS = 2e5


def shares_of(point: str, *, feeds: Collection[str], knows_supply: bool) -> tuple[float, float]:
    """Return a reading's spread as a share of its size and as a floor in its unit, one standard deviation.

    Parts vary: elements −10 to +5 %, motors and coils far more; a plain guess of the supply is 5 % off, a measured one
    little.
    """
    supply = 0.012 if knows_supply else 0.05
    function, _, place = point.partition(":")
    share, floor = supply, 0.12
    if function == "amps":
        share = {"blower": 0.15, "interlock": 0.12, "control": 0.3}.get(place, math.hypot(0.045, supply))
        floor = {"blower": 0.12, "control": 0.06}.get(place, 0.1)
        if place in feeds:
            # The blower's part of a feed total is out of step and of no certain size.
            floor = 0.6
    elif function == "ohms":
        share, floor = (0.06 if ".element" in place else 0.3), 0.3
    elif any(map(_is_on_control, place.split(":"))):
        share, floor = 0.07, 0.4
    elif place.endswith(":ground"):
        share, floor = supply + 0.02, 1.0
    return share, floor


def _is_on_control(place: str) -> bool:
    """Tell whether a place is a coil's end, the board's or the transformer's, by its own parts, not by its name."""
    owner, *rest = place.split(".")
    return owner in ("board", "transformer") or "coil" in rest


def spread_of_one(point: str, shown: float, softness: float, *, feeds: Collection[str], knows_supply: bool) -> float:
    """Return the spread of one predicted reading; a floating conductor shows a ghost of no certain size."""
    shown = min(shown, 1e8)
    if softness > GHOST_OHMS:
        return 0.5 * shown + 4.0
    share, floor = shares_of(point, feeds=feeds, knows_supply=knows_supply)
    return math.hypot(share * shown, floor)
