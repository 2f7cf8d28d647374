"""Which causes explain the readings: a posterior over every hypothesis of the unit, with reasons."""

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.hypotheses import UnitModel, model_of, model_with_pairs
from plentar.core.causes.likelihood import Assumptions, Floats, taken_under
from plentar.core.causes.naming import Cause, Evidence
from plentar.core.causes.signs import factor_of
from plentar.core.causes.slips import RetakeRequest
from plentar.core.causes.supply import Supply, supply_of
from plentar.core.causes.weighted import Factors
from plentar.core.circuit.drive import is_early
from plentar.core.errors import ReadingError
from plentar.core.evidence.reading import Reading
from plentar.core.evidence.signs import Observation, Sign, sign_of
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.voltages import LIVE_VOLTS
from plentar.core.limits.windows import closing, opening
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import line_volts, spot_of
from plentar.core.unit.points import is_control_side

__all__ = ["LEADS_SHARE", "Cause", "Diagnosis", "diagnose"]

# One call in eight stood a while before anybody tapped it: heat is often on when one comes. Chosen.
TAPPED_LATE_SHARE = 0.12
# The same where somebody said so.
WAS_ON_SHARE = 0.99
# The same number so soon after is the same hand at the same place with the same dial: no second witness [s].
SAME_LOOK_SECONDS = 60.0
# From here on amps are a strip's, more than any blower's [A].
DRAWS_AMPS = 10.0
# Below this share no cause leads, and nothing rests on a reading.
LEADS_SHARE = 0.5
# What contradicts every other reading of its place is read again until two agree, this often at most.
MOST_AGAIN = 4
# Between two looks at one place the supply may move by a few percent; a fifth is something else.
DIFFERS_SHARE = 0.2


@dataclass(frozen=True, slots=True, kw_only=True)
class Diagnosis:
    """What the readings say: causes in order, readings to take again, and how long to wait before anything is named."""

    causes: tuple[Cause, ...]
    asks: tuple[RetakeRequest, ...]
    # How likely a call stood before it was tapped.
    tapped_late: float
    wait_seconds: float
    # The one reading without which another cause would lead, to be taken once more before anything is repaired.
    rests_on: Reading | None
    # Nothing else that was read at that place under those calls agrees with it.
    rests_alone: bool
    posterior: Floats
    # How likely each hypothesis's fault stood there at the last reading: what has tripped, come back or come late.
    there: Floats
    # And the row it went by while it did: one breaker off, or the one ahead of it.
    while_there: NDArray[np.int64]
    model: UnitModel
    supply: Supply
    complaints: tuple[str, ...] = ()
    # Feeds whose volts at the unit were last read to be gone.
    gone: frozenset[str] = frozenset()
    # How many readings stand.
    read: int = 0

    @property
    def ask_again(self) -> tuple[str, ...]:
        """The points to be read again."""
        return tuple(ask.point for ask in self.asks)

    def once_more(self, taken: Collection[tuple[str, frozenset[str]]]) -> tuple[str, frozenset[str]] | None:
        """Return the place and calls of the reading that all rests on, unless it was read again already."""
        if self.rests_on is None or self.first is None or self.first.probability < LEADS_SHARE:
            return None
        place = (self.rests_on.point, self.rests_on.condition.on)
        return place if list(taken).count(place) < (MOST_AGAIN if self.rests_alone else 2) else None

    @property
    def first(self) -> Cause | None:
        """The likeliest cause, if any is named."""
        return self.causes[0] if self.causes else None


def diagnose(
    plate: Nameplate,
    readings: Sequence[Reading],
    *,
    complaints: Sequence[str] = (),
    observations: Sequence[Observation] = (),
    limits: Limits = DEFAULT_LIMITS,
    past: Factors = (),
) -> Diagnosis:
    """Rank the causes of what was read on a unit.

    Args:
        plate: The unit.
        readings: What stands, oldest first; of one point under one set of calls the last two count, and what was
            read otherwise before them.
        complaints: From the list of COMPLAINTS; others are ignored.
        observations: What was seen and heard.
        limits: The shop's limits; windows decide what silence means.
        past: How much likelier earlier repairs make a part's faults.
    Raises:
        ReadingError: A reading at a point the unit does not have.
    Source:
        Bayes, by odds: prior from the rows of `faults` and the complaint, likelihood from the solved circuit;
        docs/architecture.md, The circuit core.
    """
    standing = _standing(plate, readings, limits)
    evidence = _weigh(model_of(plate), standing, complaints, observations, limits, past)
    taken = [(reading.point, reading.condition.state) for reading in readings]
    evidence.taken = taken
    if evidence.doubtful():
        # No single fault and none of the likeliest pairs explains it all: look for two faults that do.
        pairs = evidence.promising_pairs()
        if pairs:
            second = _weigh(model_with_pairs(plate, pairs), standing, complaints, observations, limits, past)
            second.taken = taken
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
    rests_on = evidence.rests_on(causes[0]) if causes else None
    return Diagnosis(
        causes=causes,
        asks=evidence.asks(limits),
        tapped_late=float(evidence.tapped_late.sum()),
        wait_seconds=wait,
        rests_on=rests_on,
        rests_alone=rests_on is not None and _stands_alone(readings, rests_on),
        posterior=evidence.posterior,
        there=evidence.there,
        while_there=evidence.while_there,
        model=model,
        supply=evidence.supply,
        complaints=tuple(complaints),
        read=len(standing),
        gone=_gone(plate, standing),
    )


def _weigh(
    model: UnitModel,
    standing: Sequence[Reading],
    complaints: Sequence[str],
    observations: Sequence[Observation],
    limits: Limits,
    past: Factors,
) -> "Evidence":
    """Return the posterior over one table of hypotheses with everything it was made from."""
    supply = supply_of(model, standing, limits)
    prior = model.prior(complaints, past)
    watched = [entry for entry in observations if _sign(entry).seen_running]
    signs = [entry for entry in observations if not _sign(entry).seen_running]
    seen = sum((_observed(model, sign) for sign in signs), np.log(prior)) + supply.log_likelihood
    assumptions = Assumptions(limits=limits, supply=supply)
    ways, shares = [taken_under(model, standing, watched, assumptions)], [1.0]
    if _may_be_tapped_late(model, [*standing, *watched], limits):
        ways.append(taken_under(model, standing, watched, replace(assumptions, tapped_late=True)))
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
    return Evidence(
        model=model,
        readings=standing,
        likelihoods=list(np.log(taken.densities)),
        predicted=taken.predicted,
        explained=list(taken.sound / taken.densities),
        silent=taken.silent,
        prior=prior,
        posterior=whole.sum(axis=0),
        tapped_late=late,
        there=taken.there,
        while_there=taken.while_there,
        supply=supply,
    )


def _may_be_tapped_late(model: UnitModel, standing: Sequence[Reading | Observation], limits: Limits) -> bool:
    """Tell whether any reading was taken before a pole could have moved, by the clock."""
    return any(is_early(model.plate, entry.condition, limits) for entry in standing if entry.condition.heat)


def _gone(plate: Nameplate, standing: Sequence[Reading]) -> frozenset[str]:
    """Return the feeds that show no volts at the unit, by the last reading of each."""
    last = {reading.point: reading.value for reading in standing}
    return frozenset(feed.id for feed in plate.feeds if last.get(line_volts(feed.id), LIVE_VOLTS) < LIVE_VOLTS)


def _standing(plate: Nameplate, readings: Sequence[Reading], limits: Limits) -> list[Reading]:
    """Return the readings that count, oldest first: of one point under one condition the last two, and what differed.

    Taking it again confirms, and the same number once more says no more. What was read otherwise before them stays:
    a stage that came late was silent first.
    """
    taken: dict[tuple[object, ...], list[int]] = {}
    for place, reading in enumerate(readings):
        if _tells(reading) and not _may_be_opening(plate, reading, limits):
            own = taken.setdefault((reading.point, reading.condition.state), [])
            if own and own[-1] == place - 1 and _is_same_look(readings[own[-1]], reading):
                own.pop()
            own.append(place)
    kept: list[int] = []
    for places in taken.values():
        last = places[-2:]
        otherwise = [
            place for place in places[:-2] if all(_differs(readings[place], readings[other]) for other in last)
        ]
        kept += [*otherwise[-2:], *last]
    return [readings[place] for place in sorted(kept)]


def _is_same_look(one: Reading, next_one: Reading) -> bool:
    """Tell whether the same number was kept again within a minute, nothing changed between: one look, kept twice."""
    was, since = one.condition.seconds_since_change, next_one.condition.seconds_since_change
    passed = one.condition.seconds_to(next_one.condition)
    if was is not None and since is not None:
        passed.append(since - was)
    return one.value == next_one.value and bool(passed) and all(0 <= seconds <= SAME_LOOK_SECONDS for seconds in passed)


def _stands_alone(readings: Sequence[Reading], reading: Reading) -> bool:
    """Tell whether every other reading of the same place under the same calls says something else."""
    place = (reading.point, reading.condition.state)
    others = [other for other in readings if other is not reading and (other.point, other.condition.state) == place]
    return all(_differs(reading, other) for other in others)


def _differs(one: Reading, other: Reading) -> bool:
    """Tell whether two readings of one point are not the same, meter and supply considered."""
    apart = DIFFERS_SHARE * max(one.value, other.value) + one.meter_uncertainty + other.meter_uncertainty
    return abs(one.value - other.value) > apart


def _tells(reading: Reading) -> bool:
    """Tell whether a reading can speak of a fault: volts and amps only where something feeds what was read.

    On a dead unit nothing is predicted but ghosts, and 0.1 V of them proves no grounded element.
    """
    if reading.function not in ("volts", "dc_volts", "amps") or reading.condition.feeds_live:
        return True
    ends = spot_of(reading.point).places
    is_fed = reading.condition.control == "separate source"
    return is_fed and (ends == ("control",) or all(is_control_side(end) for end in ends))


def _may_be_opening(plate: Nameplate, reading: Reading, limits: Limits) -> bool:
    """Tell whether amps with no heat called may be those of a sequencer that has not opened yet.

    Source:
        docs/trade.md, section 3, pole off-time: until its window's end staying on says nothing.
    """
    since = reading.condition.seconds_since_change
    if since is None or reading.condition.heat or reading.function != "amps" or reading.value < DRAWS_AMPS:
        return False
    thermal = [device for device in plate.devices if device.of_kind.is_thermal]
    return any(since < opening(plate, d.id, pole, limits).max_seconds for d in thermal for pole in d.poles)


def _patience_explains(model: UnitModel, likelihoods: Sequence[Floats]) -> bool:
    """Tell whether a good unit, or one that is only slow, may show all this so far."""
    total = sum(likelihoods, np.zeros(len(model.hypotheses)))
    waiting = [0, *(entry.row for entry in model.passing if entry.fault.shows == "late")]
    # Odds of twenty to one against both are needed before waiting is given up.
    return bool(total[waiting].max() >= total.max() - 3.0)


def _wait(evidence: "Evidence", limits: Limits) -> float:
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
    about, plate = observation.about, model.plate
    behind = {circuit.id for circuit in plate.circuits_on(about)} | {b.id for b in plate.branches if b.feed == about}
    strips = len(plate.circuits)
    of_fault = {f.id: factor_of(sign, about, f, strips=strips, behind=behind) for f in model.faults}
    factors = [_together([of_fault[fault.id] for fault in h.faults]) for h in model.hypotheses]
    log_odds: Floats = np.log(np.array(factors))
    return log_odds
