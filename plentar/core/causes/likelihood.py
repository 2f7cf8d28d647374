"""How likely a reading is under every hypothesis: in each state its condition may mean, ghosts and mistakes included.

A reading's own condition decides what is predicted, the meter and the spread of parts how far it may lie, a tail that
it is simply wrong (wrong function, factor 1,000, clamp around two conductors).
"""

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.catalogue import spread_at
from plentar.core.causes.hypotheses import UnitModel
from plentar.core.causes.sequences import airless_share, weigh_sequences
from plentar.core.causes.supply import NORMAL_AREA, Supply
from plentar.core.circuit.drive import Drive, drives_of
from plentar.core.circuit.network import HOT_AMPS
from plentar.core.circuit.spread import GHOST_OHMS, blower_shares
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.evidence.signs import Observation
from plentar.core.limits.table import Limits
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import amps_at, place_of, spot_of
from plentar.core.unit.quantities import quantity_of

__all__ = ["Assumptions", "Floats", "Phase", "WeighedReadings", "states", "taken_under"]

Floats = NDArray[np.float64]
# One reading in fifty is simply wrong and may be anything on the scale; one in three hundred is the AC function on a
# rectified coil, or DC on an AC one, and near zero. Chosen, and tried in the study with 3 % of readings wrong
# (docs/architecture.md).
WRONG_SHARE = 0.02
MISREAD_SHARE = 0.003
# Whatever is wrong lies anywhere on a meter's ohms: from the leads' own to some 50 kilohms, e to the power of twelve.
OHMS_RANGE_LOGS = 12.0
# What a meter's leads and tips add [ohm].
LEADS_OHMS = 0.3
# Open where open is predicted says as much as a value known to a twentieth: the peak of a normal curve so wide.
OPEN_DENSITY = 8.0
# What a meter on the wrong function shows [V]: next to nothing.
WRONG_FUNCTION_VOLTS = 0.3
# How many times likelier a reading is while a pole has yet to move than after, to be put down to that.
SILENT_RATIO = 5.0
# Below an amp a part is off, whatever its tolerance.
LEAST_AMPS = 1.0
# Harnesses couple up to ten times what a foot of single wire does, as far as half the line (docs/trade.md, section 5,
# ghost voltages); the width is that of a reading in volts.
GHOST_SHARE, GHOST_WIDTH = 0.5, 4.0
# What couples alike to both sides leaves a volt or two between them.
BALANCED_WIDTH = 1.5
# Read again at the same place a ghost differs by a volt and a tenth, as hands and leads move.
SAME_GHOST_WIDTH, SAME_GHOST_SHARE = 1.0, 0.1
# Ends this near each other, of what lies between them, are the same ends: the service moves by a percent meanwhile.
SAME_ENDS = 0.1
# Between clamping one lead of a strip and the other a limit may move, once in fifty times.
SAME_PHASE = 0.98
# One harness is one number: what its first ghost told of it, the next repeats within a factor of two. As far as ten
# times a single wire's, and a third of it where it hangs free. What is predicted below a volt is none.
HARNESS_RATIO, MOST_HARNESS, LEAST_HARNESS, LEAST_GHOST_VOLTS = 2.0, 10.0, 0.33, 1.0
# Eyes and ears are wrong once in twenty-five times: a coasting wheel, a neighbour's fan.
MISSEEN_SHARE = 0.04
# Who times a stage clamps it: that it stayed away is wrong once in five hundred times.
MISTIMED_SHARE = 0.002


def _one_likelihood(
    reading: Reading, predicted: Floats, spread: Floats, between: tuple[Floats, Floats]
) -> tuple[Floats, Floats]:
    """Return the density of a reading under each prediction, tail included, and its part that is no mistake.

    Flat over what a row stands for, with the shoulders of a normal curve outside.
    """
    least, most = between
    # OL is stored as a very large number; beyond this nothing changes any more.
    value = min(reading.value, 1e8)
    if spot_of(reading.point).is_ohms:
        # Ohms span decades, and open is open: compare their logarithms.
        both_open = (predicted >= 1e6) & (value >= 1e6)
        at, low, high = (np.log(np.minimum(ohms, 1e8) + LEADS_OHMS) for ohms in (np.asarray(value), least, most))
        width = np.hypot(
            spread / (predicted + LEADS_OHMS), (reading.meter_uncertainty / 2 + 0.1) / (value + LEADS_OHMS)
        )
        density = np.where(both_open, OPEN_DENSITY, _shouldered(at, low, high, width))
        sound: Floats = (1 - WRONG_SHARE) * density
        return sound + WRONG_SHARE / OHMS_RANGE_LOGS, sound
    width = np.hypot(spread, reading.meter_uncertainty / 2)
    density = _shouldered(np.asarray(value), least, most, width)
    # A dial on the wrong function shows next to nothing, whatever stands there.
    wrong_function = np.exp(-0.5 * (value / WRONG_FUNCTION_VOLTS) ** 2) / 0.75
    sound = (1 - WRONG_SHARE - MISREAD_SHARE) * density
    return sound + WRONG_SHARE / quantity_of(reading.point).usual_range + MISREAD_SHARE * wrong_function, sound


def _shouldered(value: Floats, least: Floats, most: Floats, width: Floats) -> Floats:
    """Return the density of a value that lies anywhere between two others, give or take a width."""
    beyond = np.maximum(np.maximum(least - value, value - most), 0.0)
    density: Floats = np.exp(-0.5 * (beyond / width) ** 2) / (most - least + NORMAL_AREA * width)
    return density


@dataclass(frozen=True, slots=True, kw_only=True)
class Assumptions:
    """How conditions are to be taken: by which limits, under which supply, the calls tapped late or not."""

    limits: Limits
    supply: Supply
    tapped_late: bool = False
    # How often each part's own amps were read while it drew any: one part's spread is one number, so that several
    # readings of it are one proof of what it is.
    repeats: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Phase:
    """One reading under one state its condition may mean: the state's share, density, its sound part, the value.

    `least` and `most` are what each hypothesis's fault, of some size, may show there.
    """

    share: float
    density: Floats
    sound: Floats
    predicted: Floats
    source_ohms: Floats
    least: Floats
    most: Floats


@dataclass(frozen=True, slots=True)
class Earlier:
    """What was read at the same place before, and between what ends each hypothesis had it then."""

    value: float
    least: Floats
    most: Floats

    def sizes(self, least: Floats, most: Floats, width: Floats) -> NDArray[np.bool_]:
        """Tell for which hypotheses the same size of fault shows the same here again: the ends are what they were."""
        found: NDArray[np.bool_] = self.most - self.least > 2.0 * width
        rows = found.nonzero()[0]
        if len(rows):
            # Few have any size to speak of at one place: the rest is asked of those alone.
            low, high, margin = self.least[rows], self.most[rows], width[rows]
            ends = np.maximum(np.abs(least[rows] - low), np.abs(most[rows] - high)) <= SAME_ENDS * (high - low)
            found[rows] = ends & (self.value >= low - margin) & (self.value <= high + margin)
        return found


def _phases(
    model: UnitModel,
    reading: Reading,
    assumptions: Assumptions,
    harness: Floats | None = None,
    before: float | None = None,
    earlier: Earlier | None = None,
) -> list[Phase]:
    """Return the reading under every state its condition may mean.

    `harness` is what an earlier ghost told of each hypothesis's harness, as a multiple of a single wire's coupling; not
    a number where none did. `before` is what was read at the same place under the same condition: a ghost repeats.
    `earlier` is the last reading at the same place under any: a fault has one size, told by its first reading.
    """
    phases = []
    for drive, share in states(model.plate, reading.condition, assumptions.limits, tapped_late=assumptions.tapped_late):
        prediction = model.predict(reading.point, drive)
        ratio = assumptions.supply.at(reading.point) if not spot_of(reading.point).is_ohms else 1.0
        predicted = prediction.predicted * ratio
        known = {
            "knows_supply": assumptions.supply.is_known,
            "knows_transformer": assumptions.supply.transformer is not None,
        }
        spread = spread_at(model.plate, reading.point, predicted, **known)
        spread = spread * math.sqrt(assumptions.repeats.get(reading.point, 1) if reading.value > LEAST_AMPS else 1)
        least, most = (reach * ratio for reach in model.between(reading.point, drive))
        below, above = _motor_reach(model, reading.point, drive, assumptions.supply, predicted)
        predicted, least, most = predicted + (below + above) / 2, least + below, most + above
        soft = prediction.source_ohms > GHOST_OHMS
        if soft.any():
            ghost = _ghost(model, reading, predicted, (least, most), soft, harness, before)
            least, most = np.where(soft, ghost.least, least), np.where(soft, ghost.most, most)
            spread = np.where(soft, ghost.width, spread)
        ends = least, most
        if earlier is not None:
            sized = earlier.sizes(least, most, spread)
            if sized.any():
                least, most = np.where(sized, earlier.value, least), np.where(sized, earlier.value, most)
        density, sound = _one_likelihood(reading, predicted, spread, (least, most))
        balanced = soft & (predicted <= LEAST_GHOST_VOLTS)
        if not reading.mode and before is None and balanced.any():
            # Two floating conductors that couple alike: as often next to nothing between them as a ghost of some size.
            if reading.value > 8 * BALANCED_WIDTH:
                # Nothing near: the ghost alone, and half as often.
                density, sound = np.where(balanced, density / 2, density), np.where(balanced, sound / 2, sound)
            else:
                own = predicted[balanced]
                near, near_sound = _one_likelihood(reading, own, np.full_like(own, BALANCED_WIDTH), (own, own))
                density[balanced] = (density[balanced] + near) / 2
                sound[balanced] = (sound[balanced] + near_sound) / 2
        if reading.point == amps_at("interlock"):
            density, sound = _with_plain_wire(model, reading, drive, (density, sound), known)
        phases.append(Phase(share, density, sound, predicted, prediction.source_ohms, *ends))
    return phases


def _motor_reach(
    model: UnitModel, point: str, drive: Drive, supply: Supply, predicted: Floats
) -> tuple[Floats, Floats] | tuple[float, float]:
    """Return how far below and above its prediction a reading may lie because of what this blower draws [A].

    Source:
        docs/trade.md, section 10: a blower draws anything between shares of its plate, and the same wherever it is
        clamped.
    """
    plate = model.plate
    spot = spot_of(point)
    on_it = {"blower", "interlock", plate.feed_of(plate.blower.supplied_by)}
    if spot.function != "amps" or not on_it & set(spot.conductors):
        return 0.0, 0.0
    own = np.minimum(model.predict(amps_at("blower"), drive).predicted, predicted)
    if spot.conductors != ("blower",):
        # Beside a strip's amps a motor's are out of step.
        own = own * np.where(own < 0.9 * predicted, plate.blower.power_factor, 1.0)
    if supply.blower is not None:
        return (supply.blower - 1) * own, (supply.blower - 1) * own
    least, most = blower_shares(plate)
    return (least - 1) * own, (most - 1) * own


def _with_plain_wire(
    model: UnitModel, reading: Reading, drive: Drive, densities: tuple[Floats, Floats], known: Mapping[str, bool]
) -> tuple[Floats, Floats]:
    """Return a reading's densities where a plain wire lies beside NC: that, the lead of NC or both may be in the jaw.

    Source:
        docs/trade.md, section 1: the wrong interlocks.
    """
    rows, beside = model.beside_nc(drive)
    if not len(rows):
        return densities
    nc = model.predict(reading.point, drive).predicted[rows]
    density, sound = (whole.copy() for whole in densities)
    for jaw in (beside, beside + nc):
        # It may carry a strip.
        spread = spread_at(model.plate, amps_at(model.plate.circuits[0].id), jaw, **known)
        its, its_sound = _one_likelihood(reading, jaw, spread, (jaw, jaw))
        density[rows], sound[rows] = density[rows] + its, sound[rows] + its_sound
    density[rows], sound[rows] = density[rows] / 3, sound[rows] / 3
    return density, sound


class _Ghost(NamedTuple):
    """Between what a floating conductor may show, and how wide."""

    least: Floats
    most: Floats
    width: float


def _ghost(
    model: UnitModel,
    reading: Reading,
    predicted: Floats,
    ends: tuple[Floats, Floats],
    soft: NDArray[np.bool_],
    harness: Floats | None,
    before: float | None,
) -> _Ghost:
    """Return what a floating conductor shows: a ghost of no certain size, by its harness, up to half the line.

    Source:
        docs/trade.md, section 5: ghost voltages.
    """
    if reading.mode:
        # In low-impedance mode the meter pulls a ghost down to nothing.
        none = np.zeros_like(predicted)
        return _Ghost(none, none, GHOST_WIDTH)
    if before is not None:
        # The same wires lie where they lay: read again, a ghost is what it was, whatever its size.
        same = np.full_like(predicted, before)
        return _Ghost(same, same, SAME_GHOST_WIDTH + SAME_GHOST_SHARE * before)
    top = GHOST_SHARE * model.plate.nominal_volts
    least, most = LEAST_HARNESS * ends[0], np.maximum(ends[1], top)
    if harness is not None:
        learnt = soft & np.isfinite(harness) & (predicted > LEAST_GHOST_VOLTS)
        least = np.where(learnt, np.minimum(predicted * harness / HARNESS_RATIO, top), least)
        most = np.where(learnt, np.minimum(predicted * harness * HARNESS_RATIO, top), most)
    return _Ghost(least, most, GHOST_WIDTH)


def _harness_of(reading: Reading, phase: Phase) -> Floats:
    """Return how many times a single wire's ghost one reading is, for each hypothesis by which it is a ghost."""
    told = np.clip(reading.value / np.maximum(phase.predicted, LEAST_GHOST_VOLTS), LEAST_HARNESS, MOST_HARNESS)
    found: Floats = np.where(_is_ghost(phase.predicted, phase.source_ohms), told, np.nan)
    return found


def _is_ghost(predicted: Floats, source_ohms: Floats) -> NDArray[np.bool_]:
    """Tell where a ghost of some size stands: what couples as much to one side as to the other shows next to none."""
    found: NDArray[np.bool_] = (source_ohms > GHOST_OHMS) & (predicted > LEAST_GHOST_VOLTS)
    return found


# A page's readings were mostly taken under two or three conditions.
@lru_cache(maxsize=512)
def states(
    plate: Nameplate, condition: Condition, limits: Limits, *, tapped_late: bool = False
) -> tuple[tuple[Drive, float], ...]:
    """Return the drives a condition may mean, with the airless phase split into limits closed and open.

    Strips may heat without air under any call, and with none when something is stuck.

    Source:
        docs/trade.md, section 5, patience clock: what a young call may mean; section 1, limits.
    """
    drives = []
    for drive, share in drives_of(plate, condition, limits, patient=True, tapped_late=tapped_late):
        # Nothing heats yet, or nothing is fed: no limit has a reason to open.
        if drive.waiting or len(drive.dead_feeds) == len(plate.feeds):
            drives.append((drive, share))
        else:
            stands_open = airless_share(condition)
            drives += [
                (drive, (1 - stands_open) * share),
                (replace(drive, limits_open=True), stands_open * share),
            ]
    return tuple(drives)


def _joint(readings: Sequence[Sequence[Phase]]) -> Floats:
    """Return the log density of all readings taken under one condition.

    Limits stay closed or open for minutes, so readings taken together mostly saw the same phase; some did not.
    """
    mixed = sum((np.log(_mixed(phases)) for phases in readings), np.zeros_like(readings[0][0].density))
    # With one phase, or phases that do not match, there is nothing to have in common.
    if any(len(phases) != len(readings[0]) for phases in readings) or len(readings[0]) == 1:
        return mixed
    # Seven times in ten the unit stayed in one phase while its strips were clamped.
    together = [np.log(0.3) + mixed]
    for index, phase in enumerate(readings[0]):
        whole = sum((np.log(np.maximum(phases[index].density, 1e-12)) for phases in readings), np.zeros_like(mixed))
        together.append(np.log(0.7 * phase.share) + whole)
    found: Floats = np.logaddexp.reduce(np.array(together), axis=0)
    return found


@lru_cache(maxsize=1024)
def _strip_of(point: str) -> str:
    """Return the circuit whose lead a clamp is around, either of its two; nothing for anything else."""
    spot = spot_of(point)
    if spot.function != "amps" or len(spot.conductors) != 1:
        return ""
    place = place_of(spot.conductors[0])
    return place.owner if place.part in ("", "return") and not place.end else ""


@lru_cache(maxsize=4096)
def _told_of(plate: Nameplate, point: str) -> str:
    """Return the circuit a reading tells of alone: its own parts and poles, and a leg; nothing for anything else."""
    spot = spot_of(point)
    owners = {(place_of(end).owner, place_of(end).part) for end in (*spot.conductors, *spot.places)}
    legs = {feed.id for feed in plate.feeds} | {branch.id for branch in plate.branches}
    for strip in plate.circuits:
        poles = {(strip.device, f"pole-{number}") for number in strip.poles}
        own = [owner == strip.id or (owner, part) in poles for owner, part in owners]
        if any(own) and all(is_own or owner in legs for is_own, (owner, _) in zip(own, owners, strict=True)):
            return strip.id
    return ""


def _clamped_together(readings: Sequence[Sequence[Phase]]) -> list[Phase]:
    """Return the two leads of one circuit as one reading: they are clamped within seconds, in one phase of a limit.

    Source:
        docs/trade.md, section 5: current in one lead and none in the other is a grounded element.
    """
    if len(readings) == 1 or any(len(phases) != len(readings[0]) for phases in readings):
        # Seen apart where the states differ.
        return list(readings[0]) if len(readings) == 1 else [_apart(readings)]
    apart = _apart(readings).density
    found = []
    for index, phase in enumerate(readings[0]):
        whole: Floats = np.prod([phases[index].density for phases in readings], axis=0)
        density = SAME_PHASE * whole + (1 - SAME_PHASE) * apart
        found.append(replace(phase, density=density, sound=density))
    return found


def _apart(readings: Sequence[Sequence[Phase]]) -> Phase:
    """Return several readings as one phase, each in whatever phase it was."""
    density: Floats = np.prod([_mixed(phases) for phases in readings], axis=0)
    return replace(readings[0][0], share=1.0, density=density, sound=density)


def _mixed(phases: Sequence[Phase]) -> Floats:
    """Return a reading's density whatever the phase."""
    total: Floats = sum((phase.share * phase.density for phase in phases), np.zeros_like(phases[0].density))
    return np.maximum(total, 1e-12)


@dataclass(frozen=True, slots=True, kw_only=True)
class WeighedReadings:
    """All readings under one set of assumptions: their log density together; of each density, sound part, prediction.

    `silent` tells of each whether a good unit would show it only while a pole has yet to move; `there` of each
    hypothesis how likely its fault stood there at the last reading, `while_there` the row it went by then.
    """

    log: Floats
    densities: Floats
    sound: Floats
    predicted: list[Floats]
    silent: list[bool]
    there: Floats
    while_there: NDArray[np.int64]


def taken_under(
    model: UnitModel, standing: Sequence[Reading], watched: Sequence[Observation], assumptions: Assumptions
) -> WeighedReadings:
    """Weigh all readings, and what was watched, under one set of assumptions about their conditions.

    Args:
        model: The unit's hypotheses.
        standing: The readings that count, oldest first.
        watched: What was seen of the running unit.
        assumptions: Under which limits and supply, the calls tapped late or not.
    Source:
        docs/trade.md, section 5: ghosts, patience clock; section 9: what follows what.
    """
    drawn = Counter(r.point for r in standing if r.function == "amps" and r.value > LEAST_AMPS)
    assumptions = replace(assumptions, repeats=drawn)
    # A condition may mean several states of the unit; each is weighed by how likely it is.
    each: list[list[Phase]] = []
    harness = np.full(len(model.hypotheses), np.nan)
    read_before: dict[tuple[object, ...], float] = {}
    sizes: dict[str, Earlier] = {}
    for reading in standing:
        place = (reading.point, reading.condition.state)
        each.append(_phases(model, reading, assumptions, harness, read_before.get(place), sizes.get(reading.point)))
        if not reading.mode:
            read_before[place] = reading.value
            told = max(each[-1], key=lambda phase: phase.share)
            sizes[reading.point] = Earlier(reading.value, told.least, told.most)
        if spot_of(reading.point).is_volts and not reading.mode:
            # The first ghost tells how strongly this harness couples; the later ones are held against it.
            likely = max(each[-1], key=lambda phase: phase.share)
            if (likely.source_ohms > GHOST_OHMS).any():
                harness = np.where(np.isnan(harness), _harness_of(reading, likely), harness)
    each += [_watched_phases(model, observation, assumptions) for observation in watched]
    conditions = [reading.condition for reading in standing] + [entry.condition for entry in watched]
    count, read = len(model.hypotheses), len(standing)
    densities = np.array([_mixed(phases) for phases in each]).reshape(-1, count)
    sound = np.array([sum(phase.share * phase.sound for phase in phases) for phases in each]).reshape(-1, count)
    together: dict[tuple[object, ...], list[list[Phase]]] = {}
    leads: dict[tuple[object, ...], list[list[Phase]]] = {}
    for at, (condition, phases) in enumerate(zip(conditions, each, strict=True)):
        strip = _strip_of(standing[at].point) if at < read else ""
        if strip:
            leads.setdefault((strip, condition.state), []).append(phases)
        else:
            together.setdefault(condition.state, []).append(phases)
    for (_, *state), both in leads.items():
        together.setdefault(state[0], []).append(_clamped_together(both))  # type: ignore[arg-type]
    log = sum((_joint(taken) for taken in together.values()), np.zeros(count))
    predicted = np.array([max(phases, key=lambda phase: phase.share).predicted for phases in each]).reshape(-1, count)
    # What comes and goes is weighed as a sequence instead, and speaks as it was at each reading.
    rows = model.passing_rows
    live, dead, quiet = model.while_there[rows], model.to_ohmmeter[rows], model.while_not[rows]
    is_ohms = np.array([at < read and spot_of(standing[at].point).is_ohms for at in range(len(each))], dtype=np.bool_)
    # Of each reading, the rows that tell what it is while the fault is there.
    bad = (np.arange(len(each))[:, None], np.where(is_ohms[:, None], dead, live))
    strips = [_told_of(model.plate, reading.point) for reading in standing] + [entry.about for entry in watched]
    weighed, there = weigh_sequences(model, conditions, strips, densities[bad], densities[:, quiet], assumptions.limits)
    while_there = model.while_there
    further = np.array([entry.further for entry in model.passing], dtype=np.int64)
    if (further != live).any():
        # One breaker or the one ahead of it: it speaks by the one that explains more.
        ahead = (bad[0], np.where(is_ohms[:, None], dead, further))
        others, there_ahead = weigh_sequences(
            model, conditions, strips, densities[ahead], densities[:, quiet], assumptions.limits
        )
        is_ahead = others > weighed
        weighed, there = np.logaddexp(weighed, others) - np.log(2.0), np.where(is_ahead, there_ahead, there)
        bad = (bad[0], np.where(is_ahead, ahead[1], bad[1]))
        while_there = while_there.copy()
        while_there[rows] = np.where(is_ahead, further, live)
    log[rows] = weighed
    at_last = np.ones(count)
    if len(there):
        at_last[rows] = there[-1]
    for table in (densities, sound):
        table[:, rows] = there * table[bad] + (1 - there) * table[:, quiet]
    # Value under its most likely state at that reading.
    predicted[:, rows] = np.where(there >= 0.5, predicted[bad], predicted[:, quiet])
    return WeighedReadings(
        log=log,
        densities=densities[:read],
        sound=sound[:read],
        predicted=list(predicted[:read]),
        there=at_last,
        while_there=while_there,
        silent=[
            _is_silent(model, reading, phases, assumptions)
            for reading, phases in zip(standing, each[:read], strict=True)
        ],
    )


def _is_silent(model: UnitModel, reading: Reading, phases: Sequence[Phase], assumptions: Assumptions) -> bool:
    """Tell whether a good unit would show a reading only while a pole has yet to move."""
    if not any(drive.waiting for drive, _ in states(model.plate, reading.condition, assumptions.limits)):
        return False
    # Long since called: everything has moved.
    calls = tuple((call, None) for call, _ in reading.condition.calls)
    settled = replace(reading, condition=replace(reading.condition, calls=calls))
    moved = max(phase.density[0] for phase in _phases(model, settled, assumptions))
    return bool(max(phase.density[0] for phase in phases) > SILENT_RATIO * moved)


def _watched_phases(model: UnitModel, observation: Observation, assumptions: Assumptions) -> list[Phase]:
    """Return what was seen of the running unit under every state its condition may mean."""
    found = []
    for drive, share in states(
        model.plate, observation.condition, assumptions.limits, tapped_late=assumptions.tapped_late
    ):
        agrees = _agrees(model, observation, drive)
        missed = MISTIMED_SHARE if observation.kind == "stays-cold" else MISSEEN_SHARE
        density = np.where(agrees, 1 - missed, missed)
        none = np.zeros_like(density)
        found.append(Phase(share, density, np.where(agrees, density, 0.0), density, none, none, none))
    return found


def _agrees(model: UnitModel, observation: Observation, drive: Drive) -> NDArray[np.bool_]:
    """Tell of each hypothesis whether it shows what was seen: strips that heat or stay cold, a blower that turns."""
    kind = observation.kind
    if kind in ("glows", "stays-cold"):
        heats = model.predict(amps_at(observation.about), drive).predicted > HOT_AMPS
        return heats if kind == "glows" else ~heats
    if kind.startswith("strips-"):
        strips = [model.predict(amps_at(circuit.id), drive).predicted for circuit in model.plate.circuits]
        heat: NDArray[np.bool_] = np.max(strips, axis=0) > HOT_AMPS
        return heat if kind == "strips-heat" else ~heat
    runs = model.predict(amps_at("blower"), drive).predicted > model.plate.blower.turns_from_amps
    return runs if kind == "blower-runs" else ~runs
