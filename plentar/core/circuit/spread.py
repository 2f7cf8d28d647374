"""How far a good reading may lie from what the circuit predicts, apart from the meter: one table for all who ask."""

import math
from functools import lru_cache

from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of, spot_of

__all__ = ["BLOWER_AGAIN_SHARE", "GHOST_OHMS", "blower_shares", "shares_of", "spread_of_one"]

# Behind more than this a meter's own ten megohms bend the reading: a ghost voltage of no certain size.
GHOST_OHMS = 2e5


# What a sound part may show, by docs/trade.md, section 10. A PSC blower draws 0.40 to 1.00 of its plate's full-load
# amps, an ECM 0.10 to 1.00; a few percent more with a panel off.
PSC_SHARES, ECM_SHARES = (0.40, 1.05), (0.10, 1.05)
# The same range as one standard deviation of what it usually draws, and what is left of it once it was clamped.
BLOWER_SHARE, BLOWER_AGAIN_SHARE = 0.2, 0.05
# One standard deviation of what stands in for an unknown figure: elements are built from 2.4 to 6 kW around the usual
# 5, blower motors from 1.5 to 6 A around 3. Nothing near the guess is blamed on a part.
ASSUMED_SHARE = 0.5
# Direct volts of a board that may smooth (1.25 × its input) or not (0.86).
UNKNOWN_RECTIFIER_SHARE = 0.25


# The same few hundred points of a unit are asked for with every reading.
@lru_cache(maxsize=4096)
def shares_of(
    point: str, *, plate: Nameplate, knows_supply: bool, knows_transformer: bool = False, knows_blower: bool = False
) -> tuple[float, float]:
    """Return a reading's spread as a share of its size and as a floor in its unit, one standard deviation.

    Parts vary: elements −10 to +5 %, motors and coils far more; a plain guess of the supply is 5 % off, a measured one
    little. What hangs on a figure that is only assumed may be half off.

    Source:
        docs/trade.md, section 3: elements −10 to +5 %; the others chosen, wide enough for makers to differ.
    """
    # Service volts keep within 5 %; once read, what moves between two readings is a percent.
    supply = 0.012 if knows_supply else 0.05
    spot = spot_of(point)
    function, place = spot.function, spot.part
    # A tenth of a volt is leads, tips and the last digit.
    share, floor = supply, 0.12
    if function == "amps":
        # Motors vary with air, coils between makers; elements are wound within −10 to +5 %, half of that one deviation.
        blower = BLOWER_AGAIN_SHARE if knows_blower else BLOWER_SHARE
        motors = {"blower": blower, "interlock": blower, "control": 0.3}
        share = motors.get(place, math.hypot(0.045, supply))
        floor = {"blower": 0.12, "control": 0.06}.get(place, 0.1)
        if any(place == feed.id for feed in plate.feeds):
            # The blower's part of a feed total is out of step and of no certain size.
            has_blower = plate.feed_of(plate.blower.supplied_by) == place
            floor = max(0.6, blower * plate.blower.running_amps) if has_blower else 0.6
    elif function == "ohms":
        # Coils and windings of one kind differ by a third; an element's cold ohms hardly at all.
        share, floor = (0.045 if any(place_of(end).part == "element" for end in spot.places) else 0.3), 0.3
    elif any(map(_is_on_control, spot.places)):
        # A transformer's volts by how hard its makers load it; once any of them was read, by its load alone.
        share, floor = (0.03 if knows_transformer and function == "volts" else 0.07), 0.4
        if function == "dc_volts" and _board_is_unknown(plate, spot.places):
            share = UNKNOWN_RECTIFIER_SHARE
    elif spot.is_to_ground:
        # Legs differ from each other by what hangs on each in the house.
        share, floor = math.hypot(supply, 0.015), 1.0
    elif _spans(spot.places):
        # Nothing between two legs, or across an element, is some tenths of a volt on the meter: leads, and what the
        # house couples in. A drop across a contact or a joint is read with both tips on one conductor.
        floor = 0.6
    ends = (spot.conductors or spot.places) if function in ("amps", "ohms") and plate.assumed else ()
    if any(_hangs_on_assumed(plate, end) for end in ends):
        share = max(share, ASSUMED_SHARE)
    return share, floor


def blower_shares(plate: Nameplate) -> tuple[float, float]:
    """Return the least and the most a sound blower draws, over what it is predicted to."""
    least, most = PSC_SHARES if plate.blower.kind == "psc" else ECM_SHARES
    usual = plate.blower.running_amps / plate.blower.rated_amps
    return least / usual, most / usual


def _hangs_on_assumed(plate: Nameplate, place: str) -> bool:
    """Tell whether the amps or ohms of a place follow from a figure nobody could read."""
    owner = place_of(place).owner
    if owner in ("blower", "interlock"):
        return plate.is_assumed("blower.rated_amps")
    on = [strip.id for strip in plate.circuits if owner in (strip.id, plate.feed_of(strip.supplied_by))]
    return any(plate.rating_is_assumed(strip) for strip in on)


def _board_is_unknown(plate: Nameplate, places: tuple[str, ...]) -> bool:
    owners = {place_of(end).owner for end in places}
    return any(device.id in owners and device.rectifier is None for device in plate.devices)


def _spans(places: tuple[str, ...]) -> bool:
    """Tell whether a meter's tips stand on two legs, on two feeds, or on both ends of an element."""
    if len(places) != 2:
        return False
    one, other = map(place_of, places)
    if one.leg and other.leg:
        return one.leg != other.leg or (one.owner != other.owner and "panel" not in (one.owner, other.owner))
    return one.part == other.part == "element" and one.owner == other.owner


def _is_on_control(place: str) -> bool:
    """Tell whether a place is a coil's end, the board's or the transformer's, by its own parts, not by its name."""
    found = place_of(place)
    return found.owner in ("board", "transformer") or found.part == "coil"


def spread_of_one(point: str, shown: float, softness: float, *, plate: Nameplate, knows_supply: bool) -> float:
    """Return the spread of one predicted reading; a floating conductor shows a ghost of no certain size."""
    shown = min(shown, 1e8)
    if softness > GHOST_OHMS:
        return 0.5 * shown + 4.0
    share, floor = shares_of(point, plate=plate, knows_supply=knows_supply)
    return math.hypot(share * shown, floor)
