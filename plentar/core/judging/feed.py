"""A feed's load held against its device and its wire by three schools: the label, 1.25 × the load, 80 % of the device.

General figures of a US model code: check your local code. A figure printed on the equipment beats them all.
"""

import math
from dataclasses import dataclass, replace
from typing import Literal

from plentar.core.errors import NameplateError
from plentar.core.limits.ampacity import WireRun, next_device
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.electrical import expected_element_amps
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate

__all__ = [
    "FeedLoad",
    "SizingRule",
    "WireCheck",
    "check_wire",
    "is_divided",
    "load_of",
    "own_breakers",
    "schools",
    "straight_strips",
    "strip_amps",
    "strips_that_fit",
]

# docs/trade.md, section 2: continuous load × 1.25; the same from the other end.
CONTINUOUS, DEVICE_SHARE = 1.25, 0.8
# The same: more heater load than this is divided, each part on no more than 60 A; no element behind a larger device.
MOST_UNDIVIDED_AMPS, MOST_PART_DEVICE_AMPS = 48.0, 60.0


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedLoad:
    """What a piece of the path carries with everything on [A]; `is_assumed` where some of it is no plate's figure.

    `outdoor_amps` are the outdoor unit's label amps, where it hangs there too.
    """

    heater_amps: float
    blower_amps: float
    outdoor_amps: float = 0.0
    is_assumed: bool = False

    @property
    def amps(self) -> float:
        """Everything at once [A]."""
        return self.heater_amps + self.blower_amps + self.outdoor_amps

    @property
    def minimum_circuit_amps(self) -> float:
        """What the circuit must be good for by the code school [A]; the outdoor unit's label has its quarter in it."""
        return CONTINUOUS * (self.heater_amps + self.blower_amps) + self.outdoor_amps

    def __add__(self, other: "FeedLoad") -> "FeedLoad":
        return FeedLoad(
            heater_amps=self.heater_amps + other.heater_amps,
            blower_amps=self.blower_amps + other.blower_amps,
            outdoor_amps=self.outdoor_amps + other.outdoor_amps,
            is_assumed=self.is_assumed or other.is_assumed,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class SizingRule:
    """One school's answer for one device.

    `least_amps` and `most_amps` are the devices it allows [A]; `margin_amps` is how far the device lies inside them,
    negative outside. Without what it needs to know a school is *not proven*.
    """

    name: Literal["label", "code", "share"]
    grade: Grade
    least_amps: float | None = None
    most_amps: float | None = None
    margin_amps: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class WireCheck:
    """A device and a load on a stretch of wire: what it may carry, the largest device on it, and both verdicts.

    `is_small_for_load` and `is_large_device` are two defects: less load cures the first and never the second.
    """

    ampacity_amps: float
    largest_device_amps: float
    is_small_for_load: bool
    is_large_device: bool

    @property
    def good_for_amps(self) -> float:
        """The minimum circuit amps it answers: its ampacity, on the largest device it may have [A]."""
        return min(self.ampacity_amps, self.largest_device_amps)

    @property
    def grade(self) -> Grade:
        """Fail with either defect."""
        return Grade.FAIL if self.is_small_for_load or self.is_large_device else Grade.PASS


def load_of(plate: Nameplate, feed_id: str) -> FeedLoad:
    """Return what a feed carries at the service's nominal volts.

    Raises:
        NameplateError: The unit has no such feed.
    Source:
        docs/trade.md, section 2: blower amps only on the feed that carries it.
    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> load = load_of(PATTERNS["two-strip-sequencer"](), "feed-1")
        >>> round(load.amps, 1), round(load.minimum_circuit_amps, 1)
        (44.7, 55.8)
    """
    if feed_id not in {feed.id for feed in plate.feeds}:
        raise NameplateError(f"the unit has no feed {feed_id!r}", field="feeds")
    has_blower = plate.feed_of(plate.blower.supplied_by) == feed_id
    return FeedLoad(
        heater_amps=sum(strip_amps(plate, c) for c in plate.circuits_on(feed_id)),
        blower_amps=plate.blower.rated_amps if has_blower else 0.0,
        is_assumed=plate.load_is_assumed(feed_id),
    )


def strip_amps(plate: Nameplate, strip: HeatingCircuit) -> float:
    """Return what a strip draws at the service's nominal volts [A]."""
    return expected_element_amps(strip.rated_watts, strip.rated_volts, plate.nominal_volts)


def own_breakers(plate: Nameplate, feed_id: str) -> dict[str, float | None]:
    """Return the breakers in the unit that divide a feed's load and their ratings [A]; None where nobody read it."""
    return {b.id: b.rated_amps for b in plate.branches if b.feed == feed_id and b.kind == "breaker"}


def straight_strips(plate: Nameplate, feed_id: str) -> list[HeatingCircuit]:
    """Return the strips with no breaker of their own between feed and element."""
    divided = own_breakers(plate, feed_id)
    return [c for c in plate.circuits_on(feed_id) if c.supplied_by not in divided]


def schools(
    load: FeedLoad,
    device_amps: float | None,
    *,
    minimum_circuit_amps: float | None = None,
    maximum_device_amps: float | None = None,
) -> tuple[SizingRule, SizingRule, SizingRule]:
    """Return the three schools' answers, the label first: it governs where it can be read.

    Args:
        load: What the device feeds.
        device_amps: The device's rating [A]; None where nobody read it.
        minimum_circuit_amps: The label's MCA of this circuit [A].
        maximum_device_amps: The label's largest device [A].
    Source:
        docs/trade.md, section 2: label school, code school, 80 % school.
    Example:
        >>> over = FeedLoad(heater_amps=62.5, blower_amps=5.0)
        >>> [s.grade.value for s in schools(over, 60.0, minimum_circuit_amps=85.0, maximum_device_amps=90.0)]
        ['fail', 'fail', 'fail']
    """
    least_label = None if minimum_circuit_amps is None else next_device(minimum_circuit_amps)
    least_code = next_device(load.minimum_circuit_amps)
    return (
        _school("label", device_amps, least_label, maximum_device_amps, known=least_label is not None),
        _school("code", device_amps, least_code, None, known=not load.is_assumed),
        _school("share", device_amps, load.amps / DEVICE_SHARE, None, known=not load.is_assumed),
    )


def _school(
    name: Literal["label", "code", "share"],
    device: float | None,
    least: float | None,
    most: float | None,
    *,
    known: bool,
) -> SizingRule:
    edges = [device - least] if device is not None and least is not None else []
    edges += [most - device] if device is not None and most is not None else []
    margin = min(edges, default=None)
    if margin is not None and margin < -1e-9 and (known or (most is not None and device is not None and device > most)):
        grade = Grade.FAIL
    else:
        grade = Grade.PASS if known and margin is not None and margin >= -1e-9 else Grade.NOT_PROVEN
    return SizingRule(name=name, grade=grade, least_amps=least, most_amps=most, margin_amps=margin)


def is_divided(heater_amps_by_part: tuple[float, ...], device_amps_by_part: tuple[float | None, ...]) -> Grade:
    """Tell whether a heater load is divided as it must be: each part at most 48 A on at most 60 A.

    Args:
        heater_amps_by_part: Heater load behind each overcurrent device [A].
        device_amps_by_part: Each device's rating [A], in the same order; None where nobody read it.
    Source:
        docs/trade.md, section 2: heater load over 48 A is divided; no element behind more than 60 A.
    Example:
        >>> is_divided((48.0,), (70.0,)).value, is_divided((41.7, 20.8), (60.0, 30.0)).value
        ('fail', 'pass')
    """
    known = [device for device in device_amps_by_part if device is not None]
    if any(amps > MOST_UNDIVIDED_AMPS + 1e-9 for amps in heater_amps_by_part):
        return Grade.FAIL
    if any(device > MOST_PART_DEVICE_AMPS for device in known):
        return Grade.FAIL
    return Grade.PASS if len(known) == len(device_amps_by_part) else Grade.NOT_PROVEN


def check_wire(needed_amps: float, wire: WireRun, device_amps: float | None) -> WireCheck:
    """Hold a stretch of wire against its load and its device.

    Args:
        needed_amps: What the circuit must be good for, by its label or 1.25 × its load [A].
        wire: The stretch.
        device_amps: The device ahead of it [A]; None where nobody read it.
    Source:
        docs/trade.md, section 2: the breaker protects the wire; a larger one is a defect whatever the load.
    Example:
        >>> ten = WireRun(metal="copper", size="10", column=75, terminal_column=75)
        >>> check = check_wire(43.96, ten, 40.0)
        >>> check.is_small_for_load, check.is_large_device, check.largest_device_amps
        (True, True, 30)
    """
    check = WireCheck(
        ampacity_amps=wire.ampacity_amps,
        largest_device_amps=wire.largest_device_amps,
        is_small_for_load=False,
        is_large_device=device_amps is not None and device_amps > wire.largest_device_amps + 1e-9,
    )
    return replace(check, is_small_for_load=needed_amps > check.good_for_amps + 1e-9)


def strips_that_fit(strip_amps: tuple[float, ...], blower_amps: float, device_amps: float) -> tuple[int, ...]:
    """Return which strips, largest first, a smaller device lets run until the feed is corrected: their places.

    Source:
        docs/trade.md, section 2: 80 % of the device.
    Example:
        >>> strips_that_fit((14.6, 14.6), 6.0, 30.0)
        (0,)
        >>> strips_that_fit((20.8,), 3.0, 15.0)
        ()
    """
    room = DEVICE_SHARE * device_amps - blower_amps
    kept: list[int] = []
    for place in sorted(range(len(strip_amps)), key=lambda i: -strip_amps[i]):
        if strip_amps[place] <= room + 1e-9 and math.isfinite(room):
            kept.append(place)
            room -= strip_amps[place]
    return tuple(sorted(kept))
