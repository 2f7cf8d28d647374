"""Which causes explain the readings: a posterior over every hypothesis of the unit, with reasons.

Likelihood of each reading under its own condition, from the predicted value, the meter's uncertainty and the spread of
parts, with a tail for readings that are simply wrong (wrong function, factor 1,000, clamp around two conductors).
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.catalogue import catalogue, scaled, spread_of
from plentar.core.causes.fault import SERVICE, mended
from plentar.core.causes.hypotheses import PAIRS, Hypothesis, Prediction, UnitModel, model_of, model_with_pairs
from plentar.core.causes.sequences import weigh_sequences
from plentar.core.causes.signs import factor_of
from plentar.core.causes.size import Seen, size_of
from plentar.core.causes.slips import Ask, ask_about
from plentar.core.causes.supply import Supply, supply_of
from plentar.core.circuit.as_wired import wired_wrong
from plentar.core.circuit.drive import Drive, drives_of, is_early
from plentar.core.circuit.network import HOT_AMPS
from plentar.core.circuit.places import find_point
from plentar.core.circuit.spread import GHOST_OHMS
from plentar.core.errors import ReadingError
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.evidence.signs import Observation, Sign, sign_of
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.windows import closing
from plentar.core.said import Words, joined, said
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import amps_at, spot_of
from plentar.core.unit.points import is_control_side
from plentar.core.unit.quantities import quantity_of

__all__ = ["Cause", "Diagnosis", "Failure", "Reason", "diagnose"]

Floats = NDArray[np.float64]
# One reading in fifty is simply wrong and may be anything on the scale; one in three hundred is the AC function on a
# rectified coil, or DC on an AC one, and near zero. Chosen, and tried in the study with 3 % of readings wrong
# (docs/architecture.md).
WRONG_SHARE = 0.02
MISREAD_SHARE = 0.003
# Harnesses couple up to ten times what a foot of single wire does, as far as half the line (docs/trade.md, section 5,
# ghost voltages); the width is that of a reading in volts.
GHOST_SHARE, GHOST_WIDTH = 0.5, 4.0
# One harness is one number: what its first ghost told of it, the next repeats within a factor of two. As far as ten
# times a single wire's, and a third of it where it hangs free. What is predicted below a volt is none.
HARNESS_RATIO, MOST_HARNESS, LEAST_HARNESS, LEAST_GHOST_VOLTS = 2.0, 10.0, 0.33, 1.0
# Eyes and ears are wrong once in twenty-five times: a coasting wheel, a neighbour's fan.
MISSEEN_SHARE = 0.04
# Who times a stage clamps it: that it stayed away is wrong once in five hundred times.
MISTIMED_SHARE = 0.002
# More groups than a screen or a paper shows.
SHOWN_CAUSES = 8
# For a size every reading may be off by a fiftieth, the meter and a tenth: supply and parts are its own kind's.
SIZE_SHARE, SIZE_FLOOR = 0.02, 0.1
# Of the ways one part may have failed: one in twenty is not worth naming, four in five is the answer.
TOLD_SHARE, PLAIN_SHARE = 0.05, 0.8
# Reasons that are told; half as likely as elsewhere: less than that nobody would call a reason against.
MOST_FOR, MOST_AGAINST, LEAST_AGAINST = 6, 3, -0.7
# A single fault of a group stands for the pairs in it down to this share of them: below, the pair was read as such.
SHADOW_SHARE = 0.1
# One call in eight stood a while before anybody tapped it: heat is often on when one comes. Chosen.
TAPPED_LATE_SHARE = 0.12
# The same where somebody said so.
WAS_ON_SHARE = 0.99


@dataclass(frozen=True, slots=True, kw_only=True)
class Reason:
    """One reading that speaks for or against a cause: in words, and how strongly (natural log of the odds)."""

    point: str
    words: Words
    weight: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Failure:
    """One way the part may have failed: the faults that no test splits, their words, their share."""

    faults: tuple[str, ...]
    title: Words
    probability: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """What would be repaired, with its share and its reasons; `failures` are the ways it may have failed.

    `faults` are those of the failures worth naming, the likeliest first; `size` says how large the first is, where
    that can be told.
    """

    faults: tuple[str, ...]
    title: Words
    size: Words
    probability: float
    failures: tuple[Failure, ...]
    reasons_for: tuple[Reason, ...]
    reasons_against: tuple[Reason, ...]
    repair: Words
    proof: Words


@dataclass(frozen=True, slots=True, kw_only=True)
class Diagnosis:
    """What the readings say: causes in order, readings to take again, and how long to wait before anything is named."""

    causes: tuple[Cause, ...]
    asks: tuple[Ask, ...]
    # How likely a call stood before it was tapped.
    tapped_late: float
    wait_seconds: float
    posterior: Floats
    model: UnitModel
    supply: Supply

    @property
    def ask_again(self) -> tuple[str, ...]:
        """The points to be read again."""
        return tuple(ask.point for ask in self.asks)

    @property
    def first(self) -> Cause | None:
        """The likeliest cause, if any is named."""
        return self.causes[0] if self.causes else None


def _one_likelihood(
    reading: Reading, shown: Floats, spread: Floats, between: tuple[Floats, Floats]
) -> tuple[Floats, Floats]:
    """Return the density of a reading under each prediction, tail included, and its part that is no mistake.

    Flat over what a row stands for, with the shoulders of a normal curve outside.
    """
    least, most = between
    # OL is stored as a very large number; beyond this nothing changes any more.
    value = min(reading.value, 1e8)
    if spot_of(reading.point).is_ohms:
        # Ohms span decades, and open is open: compare their logarithms. 0.3 ohm is what leads and tips make.
        both_open = (shown >= 1e6) & (value >= 1e6)
        at, low, high = (np.log(np.minimum(ohms, 1e8) + 0.3) for ohms in (np.asarray(value), least, most))
        width = np.hypot(spread / (shown + 0.3), (reading.meter_uncertainty / 2 + 0.1) / (value + 0.3))
        density = np.where(both_open, 8.0, _shouldered(at, low, high, width))
        sound: Floats = (1 - WRONG_SHARE) * density
        return sound + WRONG_SHARE / 12.0, sound
    width = np.hypot(spread, reading.meter_uncertainty / 2)
    density = _shouldered(np.asarray(value), least, most, width)
    # A dial on the wrong function shows next to nothing, whatever stands there.
    wrong_function = np.exp(-0.5 * (value / 0.3) ** 2) / 0.75
    sound = (1 - WRONG_SHARE - MISREAD_SHARE) * density
    return sound + WRONG_SHARE / quantity_of(reading.point).usual_range + MISREAD_SHARE * wrong_function, sound


def _shouldered(value: Floats, least: Floats, most: Floats, width: Floats) -> Floats:
    """Return the density of a value that lies anywhere between two others, give or take a width."""
    beyond = np.maximum(np.maximum(least - value, value - most), 0.0)
    density: Floats = np.exp(-0.5 * (beyond / width) ** 2) / (most - least + 2.5066 * width)
    return density


@dataclass(frozen=True, slots=True, kw_only=True)
class _Way:
    """How conditions are to be taken: by which limits, under which supply, the calls tapped late or not."""

    limits: Limits
    supply: Supply
    tapped_late: bool = False


@dataclass(frozen=True, slots=True)
class _Phase:
    """One reading under one state its condition may mean: the state's share, density, its sound part, the value."""

    share: float
    density: Floats
    sound: Floats
    shown: Floats
    softness: Floats


def _phases(model: UnitModel, reading: Reading, way: _Way, harness: Floats | None = None) -> list[_Phase]:
    """Return the reading under every state its condition may mean.

    `harness` is what an earlier ghost told of each hypothesis's harness, as a multiple of a single wire's coupling; not
    a number where none did.
    """
    phases = []
    for drive, share in states(model, reading.condition, way.limits, tapped_late=way.tapped_late):
        prediction = model.predict(reading.point, drive)
        ratio = way.supply.at(reading.point) if not spot_of(reading.point).is_ohms else 1.0
        shown = prediction.shown * ratio
        # A table of one row, so that spreads have one owner.
        one = Prediction(shown[None, :], prediction.softness[None, :])
        known = {"knows_supply": way.supply.is_known, "knows_transformer": way.supply.transformer is not None}
        [spread] = spread_of(model.plate, [reading.point], one, **known)
        least, most = (reach * ratio for reach in model.between(reading.point, drive))
        # A floating conductor shows a ghost of no certain size: by the pF of its harness, up to most of a leg.
        soft = prediction.softness > GHOST_OHMS
        top = GHOST_SHARE * model.plate.nominal_volts
        ghost_least, ghost_most = LEAST_HARNESS * least, np.maximum(most, top)
        if reading.mode:
            # In low-impedance mode the meter pulls a ghost down to nothing.
            ghost_least = ghost_most = np.zeros_like(least)
        elif harness is not None:
            learnt = np.isfinite(harness) & _is_ghost(shown, prediction.softness)
            ghost_least = np.where(learnt, np.minimum(shown * harness / HARNESS_RATIO, top), ghost_least)
            ghost_most = np.where(learnt, np.minimum(shown * harness * HARNESS_RATIO, top), ghost_most)
        least, most = np.where(soft, ghost_least, least), np.where(soft, ghost_most, most)
        spread = np.where(soft, GHOST_WIDTH, spread)
        density, sound = _one_likelihood(reading, shown, spread, (least, most))
        phases.append(_Phase(share, density, sound, shown, prediction.softness))
    return phases


def _harness_of(reading: Reading, phase: _Phase) -> Floats:
    """Return how many times a single wire's ghost one reading is, for each hypothesis by which it is a ghost."""
    told = np.clip(reading.value / np.maximum(phase.shown, LEAST_GHOST_VOLTS), LEAST_HARNESS, MOST_HARNESS)
    found: Floats = np.where(_is_ghost(phase.shown, phase.softness), told, np.nan)
    return found


def _is_ghost(shown: Floats, softness: Floats) -> NDArray[np.bool_]:
    """Tell where a ghost of some size stands: what couples as much to one side as to the other shows next to none."""
    found: NDArray[np.bool_] = (softness > GHOST_OHMS) & (shown > LEAST_GHOST_VOLTS)
    return found


def states(
    model: UnitModel, condition: Condition, limits: Limits, *, tapped_late: bool = False
) -> list[tuple[Drive, float]]:
    """Return the drives a condition may mean, with the airless phase split into limits closed and open.

    Strips may heat without air under any call, and with none when something is stuck.

    Source:
        docs/trade.md, section 5, patience clock: what a young call may mean; section 1, limits.
    """
    drives = []
    for drive, share in drives_of(model.plate, condition, limits, patient=True, tapped_late=tapped_late):
        # Nothing heats yet, or nothing is fed: no limit has a reason to open.
        if drive.waiting or len(drive.dead_feeds) == len(model.plate.feeds):
            drives.append((drive, share))
        else:
            # A limit that opens for want of air is closed about two minutes in three.
            drives += [(drive, 0.65 * share), (replace(drive, limits_open=True), 0.35 * share)]
    return drives


def _joint(readings: Sequence[Sequence[_Phase]]) -> Floats:
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


def _mixed(phases: Sequence[_Phase]) -> Floats:
    """Return a reading's density whatever the phase."""
    total: Floats = sum((phase.share * phase.density for phase in phases), np.zeros_like(phases[0].density))
    return np.maximum(total, 1e-12)


def diagnose(
    plate: Nameplate,
    readings: Sequence[Reading],
    *,
    complaints: Sequence[str] = (),
    observations: Sequence[Observation] = (),
    limits: Limits = DEFAULT_LIMITS,
) -> Diagnosis:
    """Rank the causes of what was read on a unit.

    Args:
        plate: The unit.
        readings: What stands, oldest first; the last two of one point under one set of calls count.
        complaints: From the list of COMPLAINTS; others are ignored.
        observations: What was seen and heard.
        limits: The shop's limits; windows decide what silence means.
    Raises:
        ReadingError: A reading at a point the unit does not have.
    Source:
        Bayes, by odds: prior from the rows of `faults` and the complaint, likelihood from the solved circuit;
        docs/architecture.md, The circuit core.
    """
    # Of one point under one condition the last two: the first look and the one that confirms it.
    standing = _standing(readings)
    evidence = _weigh(model_of(plate), standing, complaints, observations, limits)
    if evidence.doubtful():
        # No single fault and none of the likeliest pairs explains it all: look for two faults that do.
        pairs = evidence.promising_pairs()
        if pairs:
            second = _weigh(model_with_pairs(plate, pairs), standing, complaints, observations, limits)
            # A second fault is taken only where it explains what one could not.
            if len(second.doubtful()) < len(evidence.doubtful()):
                evidence = second
    model, likelihoods = evidence.model, evidence.likelihoods
    wait = _wait(evidence, limits)
    causes = evidence.causes()
    # Too early and nothing odd: no name is given to a disc that is still warming.
    if wait > 0 and _patience_explains(model, likelihoods):
        causes = ()
    else:
        wait = 0.0
    return Diagnosis(
        causes=causes,
        asks=evidence.asks(limits),
        tapped_late=float(evidence.tapped_late.sum()),
        wait_seconds=wait,
        posterior=evidence.posterior,
        model=model,
        supply=evidence.supply,
    )


def _weigh(
    model: UnitModel,
    standing: Sequence[Reading],
    complaints: Sequence[str],
    observations: Sequence[Observation],
    limits: Limits,
) -> "_Evidence":
    """Return the posterior over one table of hypotheses with everything it was made from."""
    supply = supply_of(model, standing, limits)
    prior = model.prior(complaints)
    watched = [entry for entry in observations if _sign(entry).seen_running]
    signs = [entry for entry in observations if not _sign(entry).seen_running]
    seen = sum((_observed(model, sign) for sign in signs), np.log(prior)) + supply.log_likelihood
    way = _Way(limits=limits, supply=supply)
    ways, shares = [_taken(model, standing, watched, way)], [1.0]
    if _may_be_tapped_late(model, [*standing, *watched], limits):
        ways.append(_taken(model, standing, watched, replace(way, tapped_late=True)))
        was_on = any(entry.kind == "heat-was-on" for entry in observations)
        late_share = WAS_ON_SHARE if was_on else TAPPED_LATE_SHARE
        shares = [1 - late_share, late_share]
    logs = np.array([np.log(share) + seen + taken.log for share, taken in zip(shares, ways, strict=True)])
    # From logs, the largest taken off first, so that nothing underflows.
    whole = np.exp(logs - logs.max())
    whole /= whole.sum()
    # Readings are spoken of in the way that explains them best.
    best = int(np.argmax(whole.max(axis=1)))
    taken = ways[best]
    late = whole[1] if len(ways) > 1 else np.zeros(len(prior))
    return _Evidence(
        model=model,
        readings=standing,
        likelihoods=list(np.log(taken.densities)),
        shown=taken.shown,
        explained=list(taken.sound / taken.densities),
        silent=taken.silent,
        prior=prior,
        posterior=whole.sum(axis=0),
        tapped_late=late,
        supply=supply,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class _Taken:
    """All readings in one way: log density of them together, and of each its density, sound part, prediction.

    `silent` tells of each whether a good unit would show it only while a pole has yet to move.
    """

    log: Floats
    densities: Floats
    sound: Floats
    shown: list[Floats]
    silent: list[bool]


def _taken(model: UnitModel, standing: Sequence[Reading], watched: Sequence[Observation], way: _Way) -> _Taken:
    # A condition may mean several states of the unit; each is weighed by how likely it is.
    each: list[list[_Phase]] = []
    harness = np.full(len(model.hypotheses), np.nan)
    for reading in standing:
        each.append(_phases(model, reading, way, harness))
        if spot_of(reading.point).is_volts and not reading.mode:
            # The first ghost tells how strongly this harness couples; the later ones are held against it.
            told = _harness_of(reading, max(each[-1], key=lambda phase: phase.share))
            harness = np.where(np.isnan(harness), told, harness)
    each += [_watched_phases(model, observation, way) for observation in watched]
    conditions = [reading.condition for reading in standing] + [entry.condition for entry in watched]
    count, read = len(model.hypotheses), len(standing)
    densities = np.array([_mixed(phases) for phases in each]).reshape(-1, count)
    sound = np.array([sum(phase.share * phase.sound for phase in phases) for phases in each]).reshape(-1, count)
    together: dict[tuple[object, ...], list[list[_Phase]]] = {}
    for condition, phases in zip(conditions, each, strict=True):
        together.setdefault(_under(condition), []).append(phases)
    log = sum((_joint(taken) for taken in together.values()), np.zeros(count))
    shown = np.array([max(phases, key=lambda phase: phase.share).shown for phases in each]).reshape(-1, count)
    # What comes and goes is weighed as a sequence instead, and speaks as it was at each reading.
    rows, bad, quiet = (list(rows) for rows in zip(*((p.row, p.shown, p.quiet) for p in model.passing), strict=True))
    log[rows], there = weigh_sequences(model, conditions, densities, way.limits)
    for table in (densities, sound):
        table[:, rows] = there * table[:, bad] + (1 - there) * table[:, quiet]
    # What it showed while it was as it mostly was then.
    shown[:, rows] = np.where(there >= 0.5, shown[:, bad], shown[:, quiet])
    return _Taken(
        log=log,
        densities=densities[:read],
        sound=sound[:read],
        shown=list(shown[:read]),
        silent=[_is_silent(model, reading, phases, way) for reading, phases in zip(standing, each[:read], strict=True)],
    )


def _is_silent(model: UnitModel, reading: Reading, phases: Sequence[_Phase], way: _Way) -> bool:
    """Tell whether a good unit would show a reading only while a pole has yet to move."""
    if not any(drive.waiting for drive, _ in states(model, reading.condition, way.limits)):
        return False
    # Long since called: everything has moved.
    calls = tuple((call, None) for call, _ in reading.condition.calls)
    settled = replace(reading, condition=replace(reading.condition, calls=calls))
    moved = max(phase.density[0] for phase in _phases(model, settled, way))
    return bool(max(phase.density[0] for phase in phases) > 5.0 * moved)


def _may_be_tapped_late(model: UnitModel, standing: Sequence[Reading | Observation], limits: Limits) -> bool:
    """Tell whether any reading was taken before a pole could have moved, by the clock."""
    return any(is_early(model.plate, entry.condition, limits) for entry in standing if entry.condition.heat)


def _standing(readings: Sequence[Reading]) -> list[Reading]:
    """Return the readings that count, oldest first: the last two of one point under one condition.

    Taking it again confirms; older ones of the same place and condition were looked at again and say no more.
    """
    kept: dict[tuple[object, ...], list[int]] = {}
    for place, reading in enumerate(readings):
        if _tells(reading):
            again = kept.setdefault((reading.point, _under(reading.condition)), [])
            again.append(place)
            del again[:-2]
    return [readings[place] for place in sorted(place for again in kept.values() for place in again)]


def _tells(reading: Reading) -> bool:
    """Tell whether a reading can speak of a fault: volts and amps only where something feeds what was read.

    On a dead unit nothing is predicted but ghosts, and 0.1 V of them proves no grounded element.
    """
    if reading.function not in ("volts", "dc_volts", "amps") or reading.condition.feeds_live:
        return True
    ends = spot_of(reading.point).places
    is_fed = reading.condition.control == "separate source"
    return is_fed and (ends == ("control",) or all(is_control_side(end) for end in ends))


def _under(condition: Condition) -> tuple[object, ...]:
    calls = tuple(sorted(name for name, _ in condition.calls))
    return (calls, condition.feeds, condition.control, condition.bypassed)


def _patience_explains(model: UnitModel, likelihoods: Sequence[Floats]) -> bool:
    """Tell whether a good unit, or one that is only slow, may show all this so far."""
    total = sum(likelihoods, np.zeros(len(model.hypotheses)))
    waiting = [0, *(entry.row for entry in model.passing if entry.fault.shows == "late")]
    # Odds of twenty to one against both are needed before waiting is given up.
    return bool(total[waiting].max() >= total.max() - 3.0)


def _wait(evidence: "_Evidence", limits: Limits) -> float:
    """Return the seconds until what is silent would mean something; 0 when nothing is, or its clock has run out.

    Source:
        docs/trade.md, section 3, pole on-time: before the maximum silence says nothing, at twice that it did not close.
    """
    plate = evidence.model.plate
    wait = 0.0
    silent = {
        call for r, quiet in zip(evidence.readings, evidence.silent, strict=True) if quiet for call in r.condition.on
    }
    for device in plate.devices:
        call = plate.call_of(device.id)
        if device.of_kind.is_thermal and call in silent:
            # The clock as it stood at the last reading under this call.
            seconds = [r.condition.call_seconds(call) for r in evidence.readings if r.condition.is_called(call)][-1]
            if seconds is not None:
                clocks = [closing(plate, device.id, pole, limits) for pole in device.poles]
                latest = max(clock.max_seconds for clock in clocks)
                never = max(clock.never_seconds for clock in clocks)
                wait = max(wait, (latest if seconds < latest else never) - seconds)
    return max(wait, 0.0)


def _together(factors: Sequence[float]) -> float:
    """Return a sign's factor for two faults at once: either may be what it speaks for, what it clears is cleared."""
    return max(factors) * math.prod(min(factor, 1.0) for factor in factors if factor != max(factors))


def _sign(observation: Observation) -> Sign:
    sign = sign_of(observation.kind)
    if sign is None:
        raise ReadingError(f"no such observation {observation.kind!r}", field="kind")
    return sign


def _observed(model: UnitModel, observation: Observation) -> Floats:
    """Return how much likelier a sign makes each hypothesis, as natural logarithms."""
    sign = _sign(observation)
    factors = [_together([factor_of(sign, observation.about, f) for f in h.faults]) for h in model.hypotheses]
    log_odds: Floats = np.log(np.array(factors))
    return log_odds


def _watched_phases(model: UnitModel, observation: Observation, way: _Way) -> list[_Phase]:
    """Return what was seen of the running unit under every state its condition may mean."""
    found = []
    for drive, share in states(model, observation.condition, way.limits, tapped_late=way.tapped_late):
        agrees = _agrees(model, observation, drive)
        missed = MISTIMED_SHARE if observation.kind == "stays-cold" else MISSEEN_SHARE
        density = np.where(agrees, 1 - missed, missed)
        found.append(_Phase(share, density, np.where(agrees, density, 0.0), density, np.zeros_like(density)))
    return found


def _agrees(model: UnitModel, observation: Observation, drive: Drive) -> NDArray[np.bool_]:
    """Tell of each hypothesis whether it shows what was seen: strips that heat or stay cold, a blower that turns."""
    kind = observation.kind
    if kind in ("glows", "stays-cold"):
        heats = model.predict(amps_at(observation.about), drive).shown > HOT_AMPS
        return heats if kind == "glows" else ~heats
    if kind.startswith("strips-"):
        strips = [model.predict(amps_at(circuit.id), drive).shown for circuit in model.plate.circuits]
        heat: NDArray[np.bool_] = np.max(strips, axis=0) > HOT_AMPS
        return heat if kind == "strips-heat" else ~heat
    runs = model.predict(amps_at("blower"), drive).shown > model.plate.blower.turns_from_amps
    return runs if kind == "blower-runs" else ~runs


@dataclass(slots=True, kw_only=True)
class _Evidence:
    """Turns likelihoods into groups, reasons and doubts."""

    model: UnitModel
    readings: Sequence[Reading]
    likelihoods: Sequence[Floats]
    shown: Sequence[Floats]
    explained: Sequence[Floats]
    silent: Sequence[bool]
    prior: Floats
    posterior: Floats
    # The part of each hypothesis's share that needs the call to have stood before it was tapped.
    tapped_late: Floats
    supply: Supply
    _densities: Floats | None = None

    def causes(self) -> tuple[Cause, ...]:
        model = self.model
        # A cause is all of its magnitudes, alone and with others.
        by_cause: Floats = np.bincount(model.cause_of, self.posterior, len(model.causes)).astype(np.float64)
        order = [int(i) for i in np.argsort(-by_cause)[: 3 * SHOWN_CAUSES] if by_cause[i] > 1e-4]
        groups: list[list[int]] = []
        rows = {i: self._best_row(i) for i in order}
        # What no test can tell apart is one answer, not several rivals.
        split = self._splittable([rows[i] for i in order])
        place = {cause: at for at, cause in enumerate(order)}
        for cause in order:
            for group in groups:
                if not any(split[place[cause], place[other]] for other in group):
                    group.append(cause)
                    break
            else:
                groups.append([cause])
        # What one repair cures is one cause, however it failed; a group of several repairs stays by itself.
        merged: dict[object, list[list[int]]] = {}
        for group in groups:
            whole = sum(by_cause[i] for i in group)
            repairs = {self._mended(rows[i]) for i in group if by_cause[i] >= TOLD_SHARE * whole}
            merged.setdefault(repairs.pop() if len(repairs) == 1 else group[0], []).append(group)

        # Each is as likely as its members together.
        def share(entry: Sequence[Sequence[int]]) -> float:
            return float(sum(by_cause[i] for group in entry for i in group))

        causes = sorted(merged.values(), key=share, reverse=True)[:SHOWN_CAUSES]
        # How large is worth working out for the one that leads.
        return tuple(self._cause(entry, share(entry), by_cause, rows, with_size=entry is causes[0]) for entry in causes)

    def _mended(self, row: int) -> frozenset[tuple[str, str]]:
        return mended(self.model.hypotheses[row].faults)

    def _best_row(self, cause: int) -> int:
        rows = np.nonzero(self.model.cause_of == cause)[0]
        return int(rows[np.argmax(self.posterior[rows])])

    def _splittable(self, rows: list[int]) -> NDArray[np.bool_]:
        """Tell which pairs of hypotheses some test of the catalogue would show apart by three standard deviations."""
        shown, spread = scaled(self.model, catalogue(self.model.plate), np.array(rows))
        apart = np.abs(shown[:, :, None] - shown[:, None, :])
        together = 3.0 * np.hypot(spread[:, :, None], spread[:, None, :])
        split: NDArray[np.bool_] = np.any(apart > together, axis=0)
        # What comes and goes is told from what stays by taking the same reading again.
        passes = self.model.passes[rows]
        split |= (passes[:, None] != passes[None, :]) & np.any(np.ptp(shown, axis=1) > spread.max(axis=1))
        # The catalogue knows no microfarads; whoever has a meter for them tells a weak capacitor from none.
        measured = np.array(
            [any("capacitor-out" in f.signs for f in self.model.hypotheses[row].faults) for row in rows]
        )
        split |= measured[:, None] != measured[None, :]
        return split

    def _cause(
        self,
        entry: Sequence[Sequence[int]],
        share: float,
        by_cause: Floats,
        rows: Mapping[int, int],
        *,
        with_size: bool,
    ) -> Cause:
        each = sorted((self._failure(group, by_cause, rows) for group in entry), key=lambda f: -f.probability)
        told = [failure for failure in each if failure.probability >= TOLD_SHARE * share] or each[:1]
        row = rows[self.model.causes.index(told[0].faults[0])]
        lead, reasons = self.model.hypotheses[row], self._reasons(row)
        title, repair = told[0].title, joined((fault.repair for fault in lead.faults), "semicolon")
        if told[0].probability < PLAIN_SHARE * share:
            # Which of its ways it was, the part in the hand will tell.
            title = joined((failure.title for failure in told[:3]), "or")
        if lead.faults[0].kind == "healthy" and self.tapped_late[0] > 0.5 * self.posterior[0]:
            # Sound only if heat stood before the clock says it did: that is asked, not taken for granted.
            title, repair = said("diagnosis.tapped-late"), said("diagnosis.ask-since-when")
        elif lead.faults[0].kind == "healthy" and (wrong := wired_wrong(self.model.plate)):
            # Every part is sound, and the unit is not: the plate itself has it wired wrong.
            title, repair = said("diagnosis.wired-wrong", wrong=wrong[0]), said("repair.land-interlock")
        return Cause(
            faults=tuple(fault for failure in told for fault in failure.faults),
            title=title,
            size=self._size(lead, row) if with_size else "",
            probability=share,
            failures=tuple(told),
            reasons_for=tuple(r for r in reasons if r.weight > 0),
            reasons_against=tuple(r for r in reasons if r.weight < 0),
            repair=repair,
            proof=joined((fault.proof for fault in lead.faults), "semicolon"),
        )

    def _failure(self, group: Sequence[int], by_cause: Floats, rows: Mapping[int, int]) -> Failure:
        model = self.model
        # A second fault that shows nothing of its own adds nothing to say; one that was read itself is the answer.
        share = sum(by_cause[i] for i in group)
        singles = [i for i in group if len(model.hypotheses[rows[i]].faults) == 1]
        told = singles if sum(by_cause[i] for i in singles) >= SHADOW_SHARE * share else group[:1]
        return Failure(
            faults=tuple(model.causes[i] for i in told),
            title=joined((model.hypotheses[rows[i]].title for i in told[:3]), "or"),
            probability=float(sum(by_cause[i] for i in group)),
        )

    def _size(self, lead: Hypothesis, row: int) -> Words:
        """Return how large a single fault is, by all that was read and that it explains."""
        if len(lead.faults) != 1:
            return ""
        # Under the last call that was read; with nothing called there is no load to tell volts and watts of.
        under_heat = [r.condition for r in self.readings if r.condition.heat and r.condition.feeds_live]
        seen = [
            Seen(
                value=r.value,
                width=SIZE_SHARE * r.value + r.meter_uncertainty / 2 + SIZE_FLOOR,
                shown=shown / self.supply.at(r.point),
            )
            for at, (r, shown) in enumerate(zip(self.readings, self.shown, strict=True))
            if r.value < OPEN_OHMS and not spot_of(r.point).is_ohms and not self._is_doubted(at, row)
        ]
        drive = drives_of(self.model.plate, under_heat[-1])[-1][0] if under_heat else Drive()
        return size_of(self.model, lead.faults[0], seen, drive, self.supply, self.posterior)

    def _reasons(self, row: int) -> list[Reason]:
        """Weigh each reading by how much likelier it is under this hypothesis than under all others as they were.

        Words are made for those that are told: the strongest for it and against it.
        """
        others = np.where(self.model.cause_of == self.model.cause_of[row], 0.0, self.prior)
        others = others / max(others.sum(), 1e-12)
        if not self.readings:
            return []
        if self._densities is None:
            self._densities = np.exp(np.array(self.likelihoods).reshape(len(self.readings), -1))
        elsewheres = np.log(self._densities @ others + 1e-15)
        weights = [float(density[row] - e) for density, e in zip(self.likelihoods, elsewheres, strict=True)]
        order = sorted(range(len(weights)), key=lambda at: -abs(weights[at]))
        told = [at for at in order if weights[at] > 0][:MOST_FOR]
        told += [at for at in order if weights[at] < LEAST_AGAINST][:MOST_AGAINST]
        return [
            Reason(
                point=self.readings[at].point,
                words=self._spoken(self.readings[at], float(self.shown[at][row])),
                weight=weights[at],
            )
            for at in told
        ]

    def _spoken(self, reading: Reading, predicted: float) -> Words:
        label = find_point(self.model.plate, reading.point).label
        read, shown = _number(reading.value, reading.point), _number(predicted, reading.point)
        if sum(other.point == reading.point for other in self.readings) == 1:
            return said("diagnosis.predicted", label=label, read=read, predicted=shown)
        condition = reading.condition.spoken
        return said("diagnosis.predicted-then", label=label, read=read, condition=condition, predicted=shown)

    def promising_pairs(self) -> tuple[tuple[str, str], ...]:
        """Return pairs of single faults that between them would explain each reading, the most promising first."""
        model = self.model
        singles = [i for i in range(len(model.hypotheses)) if len(model.hypotheses[i].faults) == 1 and i > 0]
        density = np.array(self.likelihoods)[:, singles]
        log_prior = np.log(self.prior[singles])
        lead = np.argsort(-(density.sum(axis=0) + log_prior))[:40]
        together = np.maximum(density[:, lead][:, :, None], density[:, None, :]).sum(axis=0)
        score = together + log_prior[lead][:, None] + log_prior[None, :]
        found: dict[tuple[str, str], None] = {}
        for flat in np.argsort(-score, axis=None):
            a, b = np.unravel_index(flat, score.shape)
            first = model.hypotheses[singles[int(lead[a])]].faults[0]
            second = model.hypotheses[singles[int(b)]].faults[0]
            if first.part != second.part and SERVICE not in (first.part, second.part):
                found.setdefault((min(first.id, second.id), max(first.id, second.id)))
            if len(found) >= PAIRS:
                break
        return tuple(found)

    def asks(self, limits: Limits) -> tuple[Ask, ...]:
        """Return what is to be taken again, with what may have happened to it by the likeliest hypothesis."""
        row, plate = int(np.argmax(self.posterior)), self.model.plate
        found = []
        for point in self.doubtful():
            at = max(
                i for i, reading in enumerate(self.readings) if reading.point == point and self._is_doubted(i, row)
            )
            reading = self.readings[at]
            drive = drives_of(plate, reading.condition, limits)[-1][0]

            def there(other: str, drive: Drive = drive) -> float:
                return float(self.model.predict(other, drive).shown[row] * self.supply.at(other)[row])

            found.append(ask_about(plate, reading, float(self.shown[at][row]), there))
        return tuple(found)

    def _is_doubted(self, at: int, row: int) -> bool:
        return bool(self.explained[at][row] < 0.5)

    def doubtful(self) -> tuple[str, ...]:
        """Return the points whose reading even the likeliest hypothesis leaves to chance, to be taken again."""
        if not self.readings:
            return ()
        row = int(np.argmax(self.posterior))
        doubted = [reading.point for at, reading in enumerate(self.readings) if self._is_doubted(at, row)]
        return tuple(dict.fromkeys(doubted))


def _number(value: float, point: str) -> Words:
    if value >= 1e6:
        return said("diagnosis.open")
    return said("diagnosis.value", value=value, unit=quantity_of(point).sign)
