"""A feed's load held against its device and its wire by three schools: the label, 1.25 × the load, 80 % of the device.

General figures of a US model code: check your local code. A figure printed on the equipment beats them all.
"""

import math
from dataclasses import dataclass
from typing import Literal

from plentar.core.errors import NameplateError
from plentar.core.limits.ampacity import WireRun, next_device
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.electrical import expected_element_amps
from plentar.core.unit.nameplate import Feed, Nameplate

__all__ = [
    "FeedLoad",
    "FeedSizing",
    "School",
    "WireCheck",
    "check_wire",
    "is_divided",
    "load_of",
    "schools",
    "size_feed",
    "strips_that_fit",
]

# docs/trade.md, section 2: continuous load × 1.25; the same from the other end.
CONTINUOUS, DEVICE_SHARE = 1.25, 0.8
# The same: more heater load than this is divided, each part on no more than 60 A; no element behind a larger device.
MOST_UNDIVIDED_AMPS, MOST_PART_DEVICE_AMPS = 48.0, 60.0


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedLoad:
    """What one feed carries with everything on [A]; `is_assumed` where some of it is no figure of the plate."""

    heater_amps: float
    blower_amps: float
    is_assumed: bool = False

    @property
    def amps(self) -> float:
        """Everything at once [A]."""
        return self.heater_amps + self.blower_amps

    @property
    def minimum_circuit_amps(self) -> float:
        """What the circuit must be good for by the code school [A]."""
        return CONTINUOUS * self.amps


@dataclass(frozen=True, slots=True, kw_only=True)
class School:
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
        heater_amps=sum(amps for _, amps in _heaters(plate, feed_id)),
        blower_amps=plate.blower.rated_amps if has_blower else 0.0,
        is_assumed=plate.load_is_assumed(feed_id),
    )


def _heaters(plate: Nameplate, feed_id: str) -> list[tuple[str, float]]:
    """Each strip of a feed: what it is supplied by, and its amps at the service's nominal volts."""
    return [
        (c.supplied_by, expected_element_amps(c.rated_watts, c.rated_volts, plate.nominal_volts))
        for c in plate.circuits
        if plate.feed_of(c.supplied_by) == feed_id
    ]


def schools(
    load: FeedLoad,
    device_amps: float | None,
    *,
    minimum_circuit_amps: float | None = None,
    maximum_device_amps: float | None = None,
) -> tuple[School, School, School]:
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
) -> School:
    edges = [device - least] if device is not None and least is not None else []
    edges += [most - device] if device is not None and most is not None else []
    margin = min(edges, default=None)
    if margin is not None and margin < -1e-9 and (known or (most is not None and device is not None and device > most)):
        grade = Grade.FAIL
    else:
        grade = Grade.PASS if known and margin is not None and margin >= -1e-9 else Grade.NOT_PROVEN
    return School(name=name, grade=grade, least_amps=least, most_amps=most, margin_amps=margin)


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


def check_wire(load: FeedLoad, wire: WireRun, device_amps: float) -> WireCheck:
    """Hold a stretch of wire against its load and its device.

    Args:
        load: What it carries.
        wire: The stretch.
        device_amps: The device ahead of it [A].
    Source:
        docs/trade.md, section 2: the breaker protects the wire; a larger one is a defect whatever the load.
    Example:
        >>> ten = WireRun(metal="copper", size="10", column=75, terminal_column=75)
        >>> check = check_wire(FeedLoad(heater_amps=29.17, blower_amps=6.0), ten, 40.0)
        >>> check.is_small_for_load, check.is_large_device, check.largest_device_amps
        (True, True, 30)
    """
    most = min(wire.ampacity_amps, wire.largest_device_amps)
    return WireCheck(
        ampacity_amps=wire.ampacity_amps,
        largest_device_amps=wire.largest_device_amps,
        is_small_for_load=load.minimum_circuit_amps > most + 1e-9,
        is_large_device=device_amps > wire.largest_device_amps + 1e-9,
    )


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


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedSizing:
    """One feed of a plate: its load, what each school says of its breaker, its division, its wire.

    What a plate does not tell may only widen: `wire` is *pass* where it holds with the worst insulation and terminals
    the conductor can have, *fail* where it does not with the best, and *not proven* between them or without a size.
    """

    feed: str
    load: FeedLoad
    device_amps: float | None
    schools: tuple[School, School, School]
    division: Grade
    wire: Grade
    wire_worst: WireCheck | None = None
    wire_best: WireCheck | None = None


def size_feed(plate: Nameplate, feed_id: str) -> FeedSizing:
    """Return a feed's load held against its breaker and its wire as far as the plate tells.

    The label's figures are the unit's: they count for a unit with one feed.
    Raises:
        NameplateError: The unit has no such feed, or its wire is of no size made.
    Source:
        docs/trade.md, section 2, circuits and ampacity.
    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> sized = size_feed(PATTERNS["two-strip-sequencer"](), "feed-1")
        >>> sized.device_amps, [school.grade.value for school in sized.schools], sized.wire.value
        (60.0, ['not proven', 'pass', 'pass'], 'not proven')
    """
    load = load_of(plate, feed_id)
    feed = next(feed for feed in plate.feeds if feed.id == feed_id)
    is_only = len(plate.feeds) == 1
    answers = schools(
        load,
        feed.breaker_amps,
        minimum_circuit_amps=plate.minimum_circuit_amps if is_only else None,
        maximum_device_amps=plate.maximum_device_amps if is_only else None,
    )
    worst = best = None
    if feed.conductor is not None and feed.breaker_amps is not None:
        made = {"metal": feed.conductor.metal, "size": feed.conductor.size}
        worst = check_wire(load, WireRun(column=60, terminal_column=60, **made), feed.breaker_amps)  # type: ignore[arg-type]
        best = check_wire(load, WireRun(column=90, terminal_column=75, **made), feed.breaker_amps)  # type: ignore[arg-type]
    parts, devices = _parts(plate, feed)
    return FeedSizing(
        feed=feed_id,
        load=load,
        device_amps=feed.breaker_amps,
        schools=answers,
        division=is_divided(parts, devices) if not load.is_assumed else Grade.NOT_PROVEN,
        wire=_widened(worst, best) if not load.is_assumed or (best and best.is_large_device) else Grade.NOT_PROVEN,
        wire_worst=worst,
        wire_best=best,
    )


def _widened(worst: WireCheck | None, best: WireCheck | None) -> Grade:
    if worst is None or best is None:
        return Grade.NOT_PROVEN
    if best.grade is Grade.FAIL:
        return Grade.FAIL
    return Grade.PASS if worst.grade is Grade.PASS else Grade.NOT_PROVEN


def _parts(plate: Nameplate, feed: Feed) -> tuple[tuple[float, ...], tuple[float | None, ...]]:
    """Heater amps behind each overcurrent device of a feed; a built-in switch limits nothing."""
    devices = {b.id: b.rated_amps for b in plate.branches if b.feed == feed.id and b.kind == "breaker"}
    behind: dict[str, float] = {}
    for supply, amps in _heaters(plate, feed.id):
        at = supply if supply in devices else feed.id
        behind[at] = behind.get(at, 0.0) + amps
    return tuple(behind.values()), tuple(devices.get(at, feed.breaker_amps) for at in behind)
