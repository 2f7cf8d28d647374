"""The path of a unit's feeds as a tree, panel to element: what each part carries, what it lets through, its verdict.

General figures of a US model code: check your local code. What nobody read may only widen: a part passes when it holds
whatever the unknown turns out to be, fails when it holds in no case, and is not proven between them.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

from plentar.core.circuit.wiring import COLD_WIRE_RATIO, one_way_ohms
from plentar.core.judging.feed import (
    CONTINUOUS,
    DEVICE_SHARE,
    MOST_PART_DEVICE_AMPS,
    MOST_UNDIVIDED_AMPS,
    FeedLoad,
    SizingRule,
    WireCheck,
    check_wire,
    is_divided,
    load_of,
    own_breakers,
    schools,
    straight_strips,
    strip_amps,
)
from plentar.core.limits.ampacity import WireRun
from plentar.core.limits.verdicts import Grade
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate
from plentar.core.unit.points import part_words
from plentar.core.unit.supply_path import (
    HOTTEST_DEGF,
    MOST_CARRYING,
    SIZES,
    BranchDevice,
    Conductor,
    Feed,
    Opening,
    SharedSupply,
)

__all__ = ["CircuitLabel", "PathPart", "division_of", "feed_parts", "governing", "label_of", "path_of", "wire_runs"]

PartKind = Literal["shared", "outdoor", "breaker", "wire", "disconnect", "lugs", "switch", "strip", "blower", "control"]
# docs/trade.md, section 6: stranded, heat-rated ends; 105 °C is the least that is sold as such.
LEAST_LEAD_DEGC = 105.0
# The same, section 1: a replacement stays class 2, under 100 VA; automotive-type fuses of 3 or 5 A.
CLASS_2_VA, LARGEST_FUSE_AMPS = 100.0, 5.0
# A wire that drops more than this share of the line is worth a word: the pass edge of the sag (limits).
MUCH_DROP_RATIO = 0.03
# The ampacity tables' own ambient, 30 °C: nothing is taken off up to it.
COOL_DEGF = 86.0


@dataclass(frozen=True, slots=True, kw_only=True)
class CircuitLabel:
    """What the unit's label asks of a circuit [A]; None where it cannot be read, or several feeds share it."""

    minimum_circuit_amps: float | None = None
    maximum_device_amps: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class PathPart:
    """One part of the path.

    Attributes:
        id: Its own name, `feed-1.wire`.
        parent: The part ahead of it; empty at the panel.
        kind: What it is.
        feed: The feed it belongs to; empty for what is shared.
        load: What it carries.
        rating: What stands on it, to be read; empty where nobody read it.
        allows_amps: The continuous load it lets through [A]; at best, where something is not known.
        margin_amps: How far the load stays under that [A], negative above it.
        defects: What is wrong with it.
        notes: What is worth a word and no defect.
        missing: What keeps it from being proven.
        schools: The three schools' answers, for an overcurrent device.
        checks: A wire at its worst and at its best.
        is_in_unit: A breaker behind the unit's own cover.
    """

    id: str
    parent: str
    kind: PartKind
    feed: str
    load: FeedLoad
    rating: Text = ""
    allows_amps: float | None = None
    margin_amps: float | None = None
    defects: tuple[Text, ...] = ()
    notes: tuple[Text, ...] = ()
    missing: tuple[Text, ...] = ()
    schools: tuple[SizingRule, ...] = ()
    checks: tuple[WireCheck, ...] = ()
    is_in_unit: bool = False

    @property
    def grade(self) -> Grade:
        """Fail with a defect, not proven while something is missing."""
        return Grade.FAIL if self.defects else Grade.NOT_PROVEN if self.missing else Grade.PASS

    @property
    def is_ahead(self) -> bool:
        """True for what stands ahead of the unit: an electrician's."""
        return self.kind in ("shared", "breaker", "wire", "disconnect") and not self.is_in_unit

    @property
    def name(self) -> Text:
        """What it is, to be read."""
        owner = self.id.partition(".")[0]
        whose: Text = "" if self.kind in ("blower", "control", "outdoor") else part_words(owner)
        return message(f"path.{self.kind}", whose=whose)


def wire_runs(wire: Conductor) -> tuple[WireRun, WireRun]:
    """Return a conductor at its worst and at its best, as far as nobody knows what it lies in.

    Example:
        >>> worst, best = wire_runs(Conductor(metal="copper", size="6", length_feet=40.0, insulation_degc=75))
        >>> worst.ampacity_amps, best.ampacity_amps
        (0.0, 65.0)
    """
    known = {"metal": wire.metal, "size": wire.size}
    worst = WireRun(
        column=wire.insulation_degc or 60,
        terminal_column=wire.terminals_degc or 60,
        ambient_degf=HOTTEST_DEGF if wire.ambient_degf is None else wire.ambient_degf,
        carrying=wire.carrying or MOST_CARRYING,
        is_jacketed=wire.cable != "single",
        **known,  # type: ignore[arg-type]
    )
    best = WireRun(
        column=wire.insulation_degc or 90,
        terminal_column=wire.terminals_degc or 75,
        ambient_degf=COOL_DEGF if wire.ambient_degf is None else wire.ambient_degf,
        carrying=wire.carrying or 2,
        is_jacketed=wire.cable == "jacketed",
        **known,  # type: ignore[arg-type]
    )
    return worst, best


def label_of(plate: Nameplate) -> CircuitLabel:
    """Return the label's figures; they are the unit's, so they count for a unit with one feed alone."""
    if len(plate.feeds) > 1:
        return CircuitLabel()
    return CircuitLabel(minimum_circuit_amps=plate.minimum_circuit_amps, maximum_device_amps=plate.maximum_device_amps)


@lru_cache(maxsize=256)
def path_of(plate: Nameplate) -> tuple[PathPart, ...]:
    """Return the whole tree, each part after the one ahead of it.

    Source:
        docs/trade.md, section 2, circuits and ampacity; section 1, supply.
    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> [(part.id, part.grade.value) for part in path_of(PATTERNS["two-strip-sequencer"]())][:2]
        [('feed-1.breaker', 'not proven'), ('feed-1.wire', 'not proven')]
    """
    found: list[PathPart] = []
    for shared in plate.shared:
        found += _shared(plate, shared)
        found += [p for f in plate.feeds if f.behind == shared.id for p in feed_parts(plate, f)]
    return (*found, *(p for f in plate.feeds if f.behind is None for p in feed_parts(plate, f)))


def governing(parts: Sequence[PathPart], feed: str) -> PathPart | None:
    """Return the part of a feed that lets the least through; None where no part's figure is known."""
    known = [part for part in parts if part.feed == feed and part.allows_amps is not None and _carries_all(part)]
    return min(known, key=lambda part: part.allows_amps or 0.0, default=None)


def division_of(plate: Nameplate, feed_id: str) -> Grade:
    """Tell whether a feed's strips are divided as they must be; not proven while a load or a device is not known.

    Source:
        docs/trade.md, section 2: each part at most 48 A on at most 60 A.
    """
    feed = next(feed for feed in plate.feeds if feed.id == feed_id)
    if plate.load_is_assumed(feed_id):
        return Grade.NOT_PROVEN
    devices = own_breakers(plate, feed_id)
    last = feed.unit_device_amps if feed.at_unit == "breaker" else feed.breaker_amps
    behind: dict[str, float] = {}
    for strip in plate.circuits_on(feed_id):
        at = strip.supplied_by if strip.supplied_by in devices else feed_id
        behind[at] = behind.get(at, 0.0) + strip_amps(plate, strip)
    return is_divided(tuple(behind.values()), tuple(devices.get(at, last) for at in behind))


def _carries_all(part: PathPart) -> bool:
    return part.kind in ("breaker", "wire", "disconnect", "switch") and part.id.startswith(f"{part.feed}.")


def _shared(plate: Nameplate, shared: SharedSupply) -> Iterator[PathPart]:
    loads = [load_of(plate, feed.id) for feed in plate.feeds if feed.behind == shared.id]
    outdoor = FeedLoad(heater_amps=0.0, blower_amps=0.0, outdoor_amps=shared.outdoor_amps or 0.0)
    load = sum(loads, outdoor)
    missing = [message("path.missing-outdoor")] if shared.outdoor_amps is None else []
    wire_id = f"{shared.id}.wire"
    parent = ""
    if shared.conductor is not None:
        yield _wire(wire_id, "", "", load, load.minimum_circuit_amps, shared.conductor, shared.rated_amps, plate)
        parent = wire_id
    yield _device(
        f"{shared.id}.device", parent, "shared", "", load, shared.rated_amps, shared.opens, plate, missing=missing
    )
    if shared.outdoor_amps:
        rating = message("path.amps", amps=shared.outdoor_amps)
        yield PathPart(
            id=f"{shared.id}.outdoor",
            parent=f"{shared.id}.device",
            kind="outdoor",
            feed="",
            load=outdoor,
            rating=rating,
        )


def feed_parts(plate: Nameplate, feed: Feed) -> Iterator[PathPart]:
    """Yield one feed's parts from its breaker to what it feeds."""
    load, label = load_of(plate, feed.id), label_of(plate)
    needed = _needed(load, label)
    parent = f"{feed.behind}.device" if feed.behind else ""
    straight = straight_strips(plate, feed.id)
    in_unit = feed.at_unit == "breaker"
    yield _device(
        f"{feed.id}.breaker",
        parent,
        "breaker",
        feed.id,
        load,
        feed.breaker_amps,
        feed.opens,
        plate,
        label=label,
        # A breaker in the unit is the last ahead of the strips, and the one that counts for them.
        strips=() if in_unit else straight,
    )
    last = f"{feed.id}.breaker"
    if feed.conductor is not None:
        assumed = plate.wire_is_assumed(feed.id)
        yield _wire(
            f"{feed.id}.wire", last, feed.id, load, needed, feed.conductor, feed.breaker_amps, plate, is_guess=assumed
        )
    else:
        missing = (message("path.missing-size"),)
        yield PathPart(id=f"{feed.id}.wire", parent=last, kind="wire", feed=feed.id, load=load, missing=missing)
    last = f"{feed.id}.wire"
    if feed.disconnect is not None:
        yield _opener(f"{feed.id}.disconnect", last, feed, load, needed, plate)
        last = f"{feed.id}.disconnect"
    yield _lugs(f"{feed.id}.lugs", last, feed, load)
    last = f"{feed.id}.lugs"
    if feed.at_unit == "breaker":
        yield _device(
            f"{feed.id}.unit", last, "breaker", feed.id, load, feed.unit_device_amps, None, plate, strips=straight,
            is_in_unit=True,
        )  # fmt: skip
        last = f"{feed.id}.unit"
    elif feed.at_unit == "switch":
        yield _only_a_switch(_switch(f"{feed.id}.unit", last, feed.id, load, feed.unit_device_amps, needed))
        last = f"{feed.id}.unit"
    for branch in (entry for entry in plate.branches if entry.feed == feed.id):
        yield from _branch(branch, last, plate)
    yield from _leaves(feed.id, last, feed.id, plate)


def _needed(load: FeedLoad, label: CircuitLabel) -> float:
    """Return what the circuit must be good for: the label's MCA where it can be read [A]."""
    return load.minimum_circuit_amps if label.minimum_circuit_amps is None else label.minimum_circuit_amps


def _device(
    name: str,
    parent: str,
    kind: PartKind,
    feed: str,
    load: FeedLoad,
    rated_amps: float | None,
    opens: Opening | None,
    plate: Nameplate,
    *,
    label: CircuitLabel = CircuitLabel(),
    strips: Sequence[HeatingCircuit] = (),
    missing: Sequence[Text] = (),
    is_in_unit: bool = False,
) -> PathPart:
    """Judge an overcurrent device by the three schools, by what it must divide, by how it opens."""
    lacking: list[Text] = list(missing)
    defects: list[Text] = []
    notes: list[Text] = []
    answers = schools(
        load,
        rated_amps,
        minimum_circuit_amps=label.minimum_circuit_amps,
        maximum_device_amps=label.maximum_device_amps,
    )
    _, by_code, _ = answers
    allows = margin = None
    if rated_amps is None:
        lacking.append(message("path.missing-rating"))
    elif label.minimum_circuit_amps is not None:
        margin = rated_amps - label.minimum_circuit_amps
        allows = load.amps + margin
        if margin < -1e-9:
            defects.append(message("path.under-label", amps=rated_amps, needed=label.minimum_circuit_amps))
        elif by_code.grade is Grade.FAIL and not load.is_assumed:
            notes.append(message("path.label-wins", needed=load.minimum_circuit_amps, label=label.minimum_circuit_amps))
    else:
        allows = DEVICE_SHARE * (rated_amps - load.outdoor_amps) + load.outdoor_amps
        margin = allows - load.amps
        if margin < -1e-9 and not load.is_assumed:
            needed = load.minimum_circuit_amps
            defects.append(message("path.overloaded", load=load.amps, needed=needed, amps=rated_amps))
    if rated_amps is not None and label.maximum_device_amps is not None and rated_amps > label.maximum_device_amps:
        defects.append(message("path.over-label", amps=rated_amps, most=label.maximum_device_amps))
    if load.is_assumed:
        lacking.append(message("path.missing-load"))
    defects += _undivided(strips, rated_amps, plate)
    # How a feed's own breaker in the unit opens is what its disconnect is: asked for ahead of it.
    if not plate.has_neutral and not name.endswith(".unit"):
        if opens == "untied":
            defects.append(message("path.untied"))
        elif opens is None:
            lacking.append(message("path.missing-opening"))
        elif opens in ("handle-tie", "fuses"):
            notes.append(message(f"path.{opens}"))
    return PathPart(
        id=name,
        parent=parent,
        kind=kind,
        feed=feed,
        load=load,
        rating=message("path.amps", amps=rated_amps) if rated_amps is not None else "",
        allows_amps=allows,
        margin_amps=margin,
        defects=tuple(defects),
        notes=tuple(notes),
        missing=tuple(lacking),
        schools=answers,
        is_in_unit=is_in_unit,
    )


def _undivided(strips: Sequence[HeatingCircuit], device_amps: float | None, plate: Nameplate) -> list[Text]:
    """Return what a device behind which strips hang undivided breaks: at most 48 A of heater, at most a 60 A device."""
    if not strips:
        return []
    heater = sum(strip_amps(plate, strip) for strip in strips)
    if heater > MOST_UNDIVIDED_AMPS + 1e-9:
        return [message("path.undivided", amps=heater)]
    if device_amps is not None and device_amps > MOST_PART_DEVICE_AMPS:
        return [message("path.element-behind", amps=device_amps)]
    return []


def _wire(
    name: str,
    parent: str,
    feed: str,
    load: FeedLoad,
    needed_amps: float,
    wire: Conductor,
    device_amps: float | None,
    plate: Nameplate,
    *,
    is_guess: bool = False,
) -> PathPart:
    worst, best = wire_runs(wire)
    low, high = (check_wire(needed_amps, run, device_amps) for run in (worst, best))
    defects, missing = [], []
    if high.is_large_device and device_amps is not None:
        defects.append(message("path.wire-device", amps=device_amps, most=high.largest_device_amps))
    if high.is_small_for_load and not load.is_assumed:
        defects.append(message("path.wire-load", needed=needed_amps, good=high.good_for_amps))
    unread = {
        "insulation": wire.insulation_degc, "terminals": wire.terminals_degc, "ambient": wire.ambient_degf,
        "carrying": wire.carrying, "cable": wire.cable,
    }  # fmt: skip
    # What is not known keeps nothing back where the wire holds at its worst, and excuses nothing at its best.
    if low.grade is Grade.FAIL:
        missing += [message(f"path.missing-{field}") for field, value in unread.items() if value is None]
    if device_amps is None:
        missing.append(message("path.missing-device"))
    if load.is_assumed:
        missing.append(message("path.missing-load"))
    notes = []
    if not is_guess:
        volts = 2 * one_way_ohms(wire) * load.amps
        share = volts / plate.nominal_volts
        key = "path.drops-much" if share > MUCH_DROP_RATIO else "path.drops"
        notes.append(message(key, cold=COLD_WIRE_RATIO * volts, hot=volts, share=100 * share))
    size = message("path.wire-size", size=wire.size, metal=message(f"path.{wire.metal}"), feet=wire.length_feet)
    allows = high.good_for_amps / CONTINUOUS
    return PathPart(
        id=name,
        parent=parent,
        kind="wire",
        feed=feed,
        load=load,
        rating=size
        if not is_guess
        else message("path.wire-no-length", size=wire.size, metal=message(f"path.{wire.metal}")),
        allows_amps=allows,
        margin_amps=(high.good_for_amps - needed_amps) / CONTINUOUS,
        defects=tuple(defects),
        notes=tuple(notes),
        missing=tuple(missing),
        checks=(low, high),
    )


def _opener(name: str, parent: str, feed: Feed, load: FeedLoad, needed_amps: float, plate: Nameplate) -> PathPart:
    """Judge a disconnect: one that limits is a device like any other, a switch must stand what is ahead of it."""
    here = feed.disconnect
    assert here is not None  # noqa: S101  asked for only where there is one
    if here.kind in ("fused", "breaker"):
        return _device(name, parent, "disconnect", feed.id, load, here.rated_amps, here.opens, plate)
    part = _switch(name, parent, feed.id, load, here.rated_amps, needed_amps)
    defects = [*part.defects]
    if here.rated_amps is not None and feed.breaker_amps is not None and here.rated_amps < feed.breaker_amps:
        defects.append(message("path.disconnect-small", amps=here.rated_amps, breaker=feed.breaker_amps))
    if here.opens == "untied" and not plate.has_neutral:
        defects.append(message("path.untied"))
    return replace(part, kind="disconnect", defects=tuple(defects))


def _switch(
    name: str, parent: str, feed: str, load: FeedLoad, rated_amps: float | None, needed_amps: float
) -> PathPart:
    """Judge what only opens: it must stand the load, and limits nothing."""
    defects, missing = [], []
    if rated_amps is None:
        missing.append(message("path.missing-rating"))
    elif needed_amps > rated_amps + 1e-9 and not load.is_assumed:
        defects.append(message("path.switch-small", needed=needed_amps, amps=rated_amps))
    if load.is_assumed:
        missing.append(message("path.missing-load"))
    return PathPart(
        id=name,
        parent=parent,
        kind="switch",
        feed=feed,
        load=load,
        rating=message("path.amps", amps=rated_amps) if rated_amps is not None else "",
        allows_amps=None if rated_amps is None else rated_amps / CONTINUOUS,
        margin_amps=None if rated_amps is None else (rated_amps - needed_amps) / CONTINUOUS,
        defects=tuple(defects),
        missing=tuple(missing),
    )


def _only_a_switch(part: PathPart) -> PathPart:
    """Say of a switch in the unit, which looks like a breaker, that it limits nothing."""
    return replace(part, notes=(message("path.only-a-switch"),))


def _lugs(name: str, parent: str, feed: Feed, load: FeedLoad) -> PathPart:
    """Hold the lugs in the unit against the wire that lands there: size, metal, all its strands."""
    defects, missing = [], []
    lugs, wire = feed.lugs, feed.conductor
    rating: Text = ""
    if lugs is not None and lugs.smallest and lugs.largest:
        rating = message("path.lug-range", smallest=lugs.smallest, largest=lugs.largest)
        inside = wire is None or SIZES.index(lugs.smallest) <= SIZES.index(wire.size) <= SIZES.index(lugs.largest)
        if wire is not None and not inside:
            defects.append(message("path.lug-size", size=wire.size, smallest=lugs.smallest, largest=lugs.largest))
    else:
        missing.append(message("path.missing-lug-range"))
    if lugs is not None and lugs.strands == "cut":
        defects.append(message("path.strands-cut"))
    if wire is not None and wire.metal == "aluminium":
        if lugs is None or lugs.marked_for is None:
            missing.append(message("path.missing-marking"))
        elif lugs.marked_for == "copper":
            defects.append(message("path.not-marked"))
    return PathPart(
        id=name,
        parent=parent,
        kind="lugs",
        feed=feed.id,
        load=load,
        rating=rating,
        defects=tuple(defects),
        missing=tuple(missing),
    )


def _branch(branch: BranchDevice, parent: str, plate: Nameplate) -> Iterator[PathPart]:
    strips = [strip for strip in plate.circuits if strip.supplied_by == branch.id]
    has_blower = plate.blower.supplied_by == branch.id
    load = FeedLoad(
        heater_amps=sum(strip_amps(plate, strip) for strip in strips),
        blower_amps=plate.blower.rated_amps if has_blower else 0.0,
        is_assumed=any(plate.rating_is_assumed(strip.id) for strip in strips)
        or (has_blower and plate.is_assumed("blower.rated_amps")),
    )
    if branch.kind == "breaker":
        yield _device(
            branch.id,
            parent,
            "breaker",
            branch.feed,
            load,
            branch.rated_amps,
            branch.opens,
            plate,
            strips=strips,
            is_in_unit=True,
        )
    else:
        needed = load.minimum_circuit_amps
        yield _only_a_switch(_switch(branch.id, parent, branch.feed, load, branch.rated_amps, needed))
    yield from _leaves(branch.id, branch.id, branch.feed, plate)


def _leaves(supply: str, parent: str, feed: str, plate: Nameplate) -> Iterator[PathPart]:
    """Yield what hangs on a feed or a branch: its strips, the blower, the control side."""
    for strip in plate.circuits:
        if strip.supplied_by == supply:
            yield _strip(strip, parent, feed, plate)
    if plate.blower.supplied_by == supply:
        assumed = plate.is_assumed("blower.rated_amps")
        load = FeedLoad(heater_amps=0.0, blower_amps=plate.blower.rated_amps, is_assumed=assumed)
        rating = message("path.amps", amps=plate.blower.rated_amps) if not assumed else ""
        missing = (message("path.missing-rating"),) if assumed else ()
        yield PathPart(id="blower", parent=parent, kind="blower", feed=feed, load=load, rating=rating, missing=missing)
    if plate.transformer.supplied_by == supply:
        yield _control(parent, feed, plate)


def _strip(strip: HeatingCircuit, parent: str, feed: str, plate: Nameplate) -> PathPart:
    """Hold a strip's own leads and its contact against its amps."""
    amps = strip_amps(plate, strip)
    assumed = plate.rating_is_assumed(strip.id)
    load = FeedLoad(heater_amps=amps, blower_amps=0.0, is_assumed=assumed)
    defects, missing = [], []
    if strip.lead_size is None or strip.lead_degc is None:
        missing.append(message("path.missing-lead"))
    if strip.lead_degc is not None and strip.lead_degc < LEAST_LEAD_DEGC:
        defects.append(message("path.lead-class", degc=strip.lead_degc, least=LEAST_LEAD_DEGC))
    if strip.lead_size is not None and not assumed:
        most = WireRun(metal="copper", size=strip.lead_size, column=90, terminal_column=90).ampacity_amps
        if CONTINUOUS * amps > most + 1e-9:
            defects.append(message("path.lead-small", size=strip.lead_size, needed=CONTINUOUS * amps, most=most))
    device = plate.device(strip.device)
    index = [entry.id for entry in plate.devices].index(strip.device)
    for number in strip.poles:
        place = [pole.number for pole in device.poles].index(number)
        rated = device.pole(number).rated_amps
        shared = sum(strip_amps(plate, c) for c in plate.circuits if c.device == strip.device and number in c.poles)
        if plate.is_assumed(f"devices[{index}].poles[{place}].rated_amps"):
            missing.append(message("path.missing-contact"))
        elif shared > rated + 1e-9 and not assumed:
            defects.append(message("path.contact-small", amps=shared, rated=rated))
    if assumed:
        missing.append(message("path.missing-load"))
    rating = message("path.strip-rating", kilowatts=strip.rated_watts / 1000, amps=amps) if not assumed else ""
    return PathPart(
        id=strip.id,
        parent=parent,
        kind="strip",
        feed=feed,
        load=load,
        rating=rating,
        defects=tuple(defects),
        missing=tuple(dict.fromkeys(missing)),
    )


def _control(parent: str, feed: str, plate: Nameplate) -> PathPart:
    """Hold the transformer against class 2 and its fuse against the wire it protects."""
    part = plate.transformer
    defects, missing = [], []
    assumed = plate.is_assumed("transformer.va")
    if assumed:
        missing.append(message("path.missing-va"))
    elif part.va >= CLASS_2_VA:
        defects.append(message("path.not-class-2", va=part.va))
    if part.fuse_amps is None:
        missing.append(message("path.missing-fuse"))
    elif part.fuse_amps > LARGEST_FUSE_AMPS:
        defects.append(message("path.fuse-large", amps=part.fuse_amps, most=LARGEST_FUSE_AMPS))
    load = FeedLoad(heater_amps=0.0, blower_amps=0.0)
    rating = message("path.va", va=part.va) if not assumed else ""
    return PathPart(
        id="control",
        parent=parent,
        kind="control",
        feed=feed,
        load=load,
        rating=rating,
        defects=tuple(defects),
        missing=tuple(missing),
    )
