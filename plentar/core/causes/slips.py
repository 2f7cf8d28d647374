"""Readings that nothing explains: what the hand or the dial may have done, and the place they would fit."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from plentar.core.evidence.reading import Reading
from plentar.core.message import Text, message
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import GROUND, line_volts, spot_of, volts_at
from plentar.core.unit.points import is_control_side, test_points

__all__ = ["RetakeRequest", "ask_about"]

# How near a slip's own figure must come to be named: a part's tolerance.
NEAR_SHARE = 0.12
# How near another place's must: supply and meter only.
THERE_SHARE = 0.03
# Below this share of what is predicted a reading is nothing.
NOTHING_SHARE, LEAST_AMPS = 0.05, 3.0


@dataclass(frozen=True, slots=True, kw_only=True)
class RetakeRequest:
    """A reading to take again: where, what may have happened, and another point its value would fit, if any does."""

    point: str
    words: Text
    fits: str = ""


# What turns what stands there into what was read: by which factor, for which functions, and its words.
FACTORS: tuple[tuple[float, frozenset[str], str], ...] = (
    (0.001, frozenset({"ohms"}), "slips.kilo-ohms"),
    (1000.0, frozenset({"ohms", "volts", "amps"}), "slips.milli"),
    (10.0, frozenset({"amps"}), "slips.turns"),
    (10.0, frozenset({"volts", "dc_volts"}), "slips.decimal-point"),
    (0.1, frozenset({"volts", "amps", "dc_volts"}), "slips.decimal-point"),
    (0.5, frozenset({"volts"}), "slips.leg-for-line"),
    (2.0, frozenset({"volts"}), "slips.line-for-leg"),
)


def ask_about(plate: Nameplate, reading: Reading, expected: float, predict: Callable[[str], float]) -> RetakeRequest:
    """Say what may have happened to a reading.

    Args:
        plate: The unit.
        reading: What was read.
        expected: What should stand there if all else is believed.
        predict: What the same belief shows at any other point under the same condition.
    Source:
        docs/trade.md, section 5, readings that mislead: a kilo-ohm range, both conductors in the jaw, the wrong
        function, other points touched.
    """
    function = spot_of(reading.point).function
    words: Text = ""
    if function == "amps" and reading.value < NOTHING_SHARE * expected and expected > LEAST_AMPS:
        words = message("slips.both-conductors")
    elif function in ("volts", "dc_volts") and reading.value < NOTHING_SHARE * expected:
        words = message("slips.wrong-function")
    for factor, functions, name in FACTORS:
        if not words and function in functions and _near(reading.value, factor * expected, NEAR_SHARE):
            words = message(name)
    fits = _elsewhere(plate, reading, predict) if function == "volts" and reading.value >= 1.0 else ""
    return RetakeRequest(point=reading.point, words=words, fits=fits)


def _near(value: float, other: float, share: float) -> bool:
    return 0 < other < OPEN_OHMS and abs(value - other) <= share * other


def _elsewhere(plate: Nameplate, reading: Reading, predict: Callable[[str], float]) -> str:
    """Return the point whose volts it would be: near by, of the same side of the transformer."""
    own = spot_of(reading.point)
    nearby = [p.id for p in test_points(plate) if p.quantity == "volts"]
    for feed in plate.feeds:
        nearby += [line_volts(feed.id), volts_at(f"{feed.id}.l1", GROUND), volts_at(f"{feed.id}.l2", GROUND)]
    side = all(map(is_control_side, own.places))
    near = [
        point
        for point in dict.fromkeys(nearby)
        if point != reading.point
        and all(map(is_control_side, spot_of(point).places)) == side
        and _near(reading.value, predict(point), THERE_SHARE)
    ]
    # The one that shares a probe first: one probe slips more easily than two.
    return _closest(own.places, near)


def _closest(places: Sequence[str], points: Sequence[str]) -> str:
    shared = sorted(points, key=lambda point: -len(set(places) & set(spot_of(point).places)))
    return shared[0] if shared else ""
