"""Readings off the run sheet: volts and amps anywhere, held against what the circuit predicts of a healthy unit."""

import math
from functools import lru_cache

from plentar.core.circuit.drive import Drive, drives_of
from plentar.core.circuit.plain import PlainSettled, solve_one
from plentar.core.circuit.spread import GHOST_OHMS, spread_of_one
from plentar.core.circuit.wiring import wire
from plentar.core.errors import ReadingError
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.judging.situation import Situation, changed
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Band, Grade, Verdict, grade
from plentar.core.message import Text, message
from plentar.core.unit.electrical import COLD_RATIO
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import amps_at, place_of, spot_of
from plentar.core.unit.points import Point

__all__ = ["expected_at", "healthy", "judge_anywhere", "settled"]


def expected_at(
    plate: Nameplate, condition: Condition, point_id: str, limits: Limits = DEFAULT_LIMITS
) -> list[tuple[float, float]]:
    """Return what a healthy unit may show at a point, each with its spread: several while poles are still moving.

    Infinite spread marks a floating place, where only a ghost voltage stands.

    Source:
        docs/trade.md, section 5: a signature is solved, not looked up.
    """
    found = []
    # Every state the unit may be in by now, poles still waiting first, all moved last.
    for drive, _ in drives_of(plate, condition, limits):
        shown, softness = healthy(plate, point_id, drive)
        spread = spread_of_one(point_id, shown, softness, plate=plate, knows_supply=True)
        found.append((shown, math.inf if softness > GHOST_OHMS else spread))
    return found


# Some 50 KB each: the conditions of a dozen units.
@lru_cache(maxsize=96)
def settled(plate: Nameplate, drive: Drive) -> PlainSettled:
    """Return the healthy unit at rest under a drive."""
    return solve_one(wire(plate), drive)


@lru_cache(maxsize=1024)
def healthy(plate: Nameplate, point_id: str, drive: Drive) -> tuple[float, float]:
    """Return what a healthy unit shows at a point, in the unit of its function, and how soft that is [ohm].

    Raises:
        ReadingError: The unit has no such place.
    Source:
        docs/trade.md, section 5: a signature is solved, not looked up; cold element ohms, section 3.
    """
    spot = spot_of(point_id)
    function, places = spot.function, spot.places
    at_rest = settled(plate, drive)
    if function == "amps":
        return at_rest.amps(*(amps_at(place) for place in spot.conductors)), 0.0
    if function == "ohms" and len(places) == 1:
        # An ohmmeter meets the wire cold, the network knows it hot.
        cold = COLD_RATIO if place_of(places[0]).is_element else 1.0
        return at_rest.part_ohms(places[0]) * cold, 0.0
    if function == "ohms":
        return at_rest.dead_ohms(*places), 0.0
    if function in ("volts", "dc_volts"):
        return at_rest.read_volts(*places, function=function), at_rest.softness(*places)
    raise ReadingError(f"nothing predicts {point_id!r}", field="point")


def judge_anywhere(situation: Situation, reading: Reading, point: Point) -> Verdict:
    """Judge volts between any two terminals, or amps around any conductor, against what the circuit predicts.

    Source:
        docs/trade.md, section 5: wrong functions at a rectified coil prove nothing.
    """
    plate = situation.plate
    choices = expected_at(plate, reading.condition, point.id, situation.limits)
    # What it should show once everything has moved.
    shown, spread = choices[-1]
    base = Verdict(
        grade=Grade.NOT_PROVEN,
        value=reading.value,
        uncertainty=reading.meter_uncertainty,
        unit=point.unit,
        expected=shown if math.isfinite(spread) else None,
    )
    # A function that cannot answer here makes any number meaningless, a passing one first of all.
    trap = _wrong_function(plate, point)
    if trap:
        return changed(base, Grade.NOT_PROVEN, "wrong function", trap[0], trap[1])
    if math.isinf(spread):
        words = message("anywhere.one-two-hangs-nothing-here")
        step = message("anywhere.read-again-low-impedance-mode")
        return changed(base, Grade.NOT_PROVEN, "floating", words, step)
    # Three spreads of what good parts vary by, and a third of a volt or amp for leads and tips.
    margin = 3.0 * spread + 0.3
    band = Band(
        marginal_low=shown - 1.3 * margin,
        pass_low=shown - margin,
        pass_high=shown + margin,
        marginal_high=shown + 1.3 * margin,
        source="circuit",
    )
    result = grade(reading.value, reading.meter_uncertainty, band)
    words = message("anywhere.healthy-unit-shows-here", shown=shown, unit=point.unit, spoken=reading.condition.spoken)
    if result is Grade.PASS:
        return changed(base, result, "", words, band=band)
    # It fits a state the unit may still be in: too early to call it wrong.
    if any(math.isinf(other) or abs(reading.value - value) <= 3.0 * other + 0.3 for value, other in choices[:-1]):
        words = message("anywhere.poles-may-still-be-their")
        return changed(base, Grade.NOT_PROVEN, "", words, band=band)
    return changed(base, result, "not as it should be", words, message("anywhere.see-what-suspects-make"), band=band)


def _wrong_function(plate: Nameplate, point: Point) -> tuple[Text, Text] | None:
    """Return why this function cannot answer at this place, and what to do instead."""
    rectified = set(wire(plate).dc_terminals)
    # Behind a rectifier the AC function sees ripple at best, and a DC function sees nothing of 60 Hz.
    at_coil = bool(rectified & set(point.terminals))
    if point.quantity == "volts" and at_coil:
        return (message("anywhere.ac-function-rectified-coil-proves"), message("anywhere.switch-meter-dc-volts"))
    if point.quantity == "dc_volts" and not at_coil:
        return (message("anywhere.dc-function-reads-zero-ac"), message("anywhere.switch-meter-ac-volts"))
    return None
