"""Which test to do next: the one that splits the remaining causes best for what it costs.

Cost is minutes at the unit: taking the reading, changing the condition (a sequencer must be waited out, power must be
isolated and proven dead), and a surcharge for live work. Ohms are only ever offered with everything proven dead.
"""

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.catalogue import Test, catalogue, scaled
from plentar.core.causes.checks import AIR, CHECK_SPREAD, STARTS, WATCH, checks_of, finds
from plentar.core.causes.diagnosis import LEADS_SHARE, Diagnosis
from plentar.core.causes.same_circuit import circuit_of
from plentar.core.causes.sequences import NOW_AND_THEN_SHARE
from plentar.core.causes.supply import feed_at
from plentar.core.evidence.reading import Condition
from plentar.core.message import Text
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import line_volts, place_of, spot_of, volts_at

__all__ = ["SCHOOLS", "NextTest", "is_enough", "minutes_of", "next_tests", "stands_at"]

Floats = NDArray[np.float64]
# A test that tells less is no test: what every hypothesis shows alike.
LEAST_BITS = 0.004
# Where the best test tells less than this, those are weighed whose outcomes run into each other. Chosen: a sure cause
# with one rival at one in fifty.
LITTLE_BITS = 0.15
# Enough for every cause that is still in question; chosen by the time the page waits.
CONSIDERED = 140
# Of a test's minutes, how many are the walk there and back and a cover; no reading takes less than half a minute.
# Chosen beside LOOKS.
AWAY, LEAST_MINUTES = {"panel": 1.5, "thermostat": 1.0}, 0.5
# Gloves, glasses and care: a live reading is taken a quarter slower than its minutes, and only if it is worth that.
LIVE_SURCHARGE = 1.25
# Every feed off, locked, and proven dead with the meter proven before and after.
ISOLATE_MINUTES = 5.0
# Power back on with everybody told to stand clear; a sequencer waited out; a tap on the thermostat. Chosen, see LOOKS.
POWER_BACK_MINUTES, SEQUENCER_MINUTES, THERMOSTAT_MINUTES = 2.0, 2.0, 0.4
# For these complaints supply under load is among the first tests (docs/trade.md, section 4), worth so much a minute
# on top of its own bits: as much as a clamp that halves the suspects.
LOADED, LOADED_WORTH = frozenset({"not enough heat", "breaker trips or hot"}), 0.5
# It counts as telling something, however close its sizes lie.
LOADED_BITS = 0.05
# On a unit that seems sound and is complained of, what watches for minutes is worth so many times its bits a minute:
# each look by itself is cheap, and thirty of them catch what comes and goes no better.
WATCHING, WATCHED_WORTH = frozenset({WATCH, STARTS, AIR}), 4.0
# Complaints of what is not there all the time: once the first readings named nothing, it is watched. Six readings are
# supply, load and each strip of the commonest unit.
COMES_AND_GOES, FIRST_READINGS = frozenset({"breaker trips or hot", "blower cuts in and out"}), 6
# What the watch is worth a minute from then on, on top of its own bits: less than a clamp that halves the suspects.
WATCHED_FIRST = 0.3
# Where a sound unit leads by so much, the search ends at a test that is worth less a minute: a strip's joint read once
# more is worth some 0.05. Chosen by what was still asked of sound units after clamp and stopwatch had been watched.
SOUND_SHARE, SOUND_WORTH = 0.85, 0.03
# What each school reaches for first: a factor on the minutes of its kind of test.
SCHOOLS: dict[str, dict[str, float]] = {
    "amps first": {"amps": 0.7},
    "volts first": {"supply": 0.5, "volts": 0.85},
    "call first": {"control": 0.5},
}


@dataclass(frozen=True, slots=True)
class NextTest:
    """A test with its bits expected, minutes with the change of condition, and what it would split.

    `worth` is what it goes by: bits a minute, more where its school or complaint puts it first. `is_again`: it was
    taken before, and everything rests on it.
    """

    test: Test
    bits: float
    minutes: float
    worth: float
    is_again: bool
    splits: tuple[Text, ...]


def next_tests(
    diagnosis: Diagnosis,
    condition: Condition,
    *,
    taken: Sequence[tuple[str, frozenset[str]]] = (),
    school: str = "amps first",
    most: int = 5,
    within: Sequence[Test] | None = None,
) -> tuple[NextTest, ...]:
    """Return the best tests, best first.

    Args:
        diagnosis: What is known so far.
        condition: What the unit is told and fed now; another condition costs minutes.
        taken: Points already read, oldest first, each with the calls it was read under, as often as it was.
        school: Which kind of test this shop reaches for first.
        most: How many to return.
        within: The tests to choose from; the whole catalogue by default.
    Source:
        Expected information (Shannon, in bits) over minutes; docs/trade.md, section 8, for what live work costs.
    """
    model, posterior = diagnosis.model, diagnosis.posterior
    rows = np.argsort(-posterior)[:CONSIDERED]
    rows = rows[posterior[rows] > 1e-5]
    states, live, dead, weight = _as_they_may_be(diagnosis, rows, posterior[rows] / posterior[rows].sum())
    tests = tuple(within) if within is not None else catalogue(model.plate)
    # What is known under these calls is not asked for again, except once where everything rests on it.
    known = set(taken) - {diagnosis.once_more(taken)}
    at = stands_at(taken[-1][0]) if taken else "unit"
    predicted, spread = scaled(model, tests, live, diagnosis.supply, dead)
    if within is None:
        # And what is no reading.
        found = finds(model, states)
        predicted, spread = np.vstack([predicted, found]), np.vstack([spread, np.full(found.shape, CHECK_SPREAD)])
        tests += tuple(check.test for check in checks_of(circuit_of(model.plate)))
    bits, bins = _information((predicted, spread), weight, model.cause_of[states])
    if len(rows) and bits.max() < LITTLE_BITS:
        # Sizes lie so close that no gap parts them: what a reading on this or that side of the middle would tell.
        told, sides = _either_side((predicted, spread), weight, model.cause_of[states])
        bins = np.where((told > bits)[:, None], sides, bins)
        bits = np.maximum(bits, told)
    loaded = _loaded(diagnosis)
    if loaded:
        is_loaded = np.array([(test.point, test.drive.calls) in loaded for test in tests])
        bits = np.where(is_loaded, np.maximum(bits, LOADED_BITS), bits)
    worth = [
        i
        for i, test in enumerate(tests)
        if bits[i] >= LEAST_BITS and (test.point, test.drive.calls) not in known and not _is_behind(diagnosis, test)
    ]
    # One walk serves all that is worth reading there under the same calls.
    places = Counter((stands_at(tests[i].point), tests[i].drive) for i in worth)
    scored = []
    for i in worth:
        test, there = tests[i], stands_at(tests[i].point)
        minutes = minutes_of(model.plate, test, condition, school, at=at)
        shared = AWAY[there] * (1 - 1 / places[there, test.drive]) if there not in ("unit", at) else 0.0
        # Who leaves before all is read there that is worth it has to come back.
        again = AWAY[at] if at != there and at != "unit" and places[at, test.drive] else 0.0
        scored.append((bits[i] / max(minutes - shared + again, LEAST_MINUTES), i, minutes))
    firsts = _firsts(diagnosis, school, taken)
    watched = WATCHED_WORTH if _seems_sound(diagnosis) else 1.0
    scored = [
        (
            value * (watched if tests[i].point in WATCHING else 1.0)
            + firsts.get(tests[i].point, 0.0)
            + (LOADED_WORTH if (tests[i].point, tests[i].drive.calls) in loaded else 0.0),
            i,
            minutes,
        )
        for value, i, minutes in scored
    ]
    # What differs by less than anybody could mean goes by its minutes: kept or solved, the answer is the same.
    scored.sort(key=lambda entry: (-round(entry[0], 3), entry[2], tests[entry[1]].point))
    return tuple(
        NextTest(
            tests[i],
            float(bits[i]),
            minutes,
            float(value),
            (tests[i].point, tests[i].drive.calls) in taken,
            _splits(diagnosis, states, weight, bins[i]),
        )
        for value, i, minutes in scored[:most]
    )


def _as_they_may_be(
    diagnosis: Diagnosis, rows: NDArray[np.int64], weight: Floats
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64], Floats]:
    """Return hypotheses, the rows they go by at the next reading, live and by an ohmmeter, and their shares.

    What comes and goes by itself may be there then or not: it stands for both. Everything else is as it was at the last
    reading: tripped, switched on since, come at last.

    Source:
        docs/trade.md, section 5: n failures in N starts; a limit that has cooled reads as a sound one.
    """
    model, passes = diagnosis.model, diagnosis.model.comes_and_goes[rows]
    is_there = passes | (diagnosis.there[rows] >= 0.5)
    quiet = model.while_not[rows]
    live = np.where(is_there, diagnosis.while_there[rows], quiet)
    dead = np.where(is_there, model.to_ohmmeter[rows], quiet)
    share = np.where(passes, NOW_AND_THEN_SHARE, 1.0) * weight
    off = (1 - NOW_AND_THEN_SHARE) * weight[passes]
    return (
        np.concatenate([rows, rows[passes]]),
        np.concatenate([live, quiet[passes]]),
        np.concatenate([dead, quiet[passes]]),
        np.concatenate([share, off]),
    )


def _seems_sound(diagnosis: Diagnosis) -> bool:
    """Tell whether nothing is found while somebody complains: then what comes and goes is watched for."""
    lead = diagnosis.first
    is_checked = not diagnosis.complaints or "seasonal check" in diagnosis.complaints
    if lead is None or is_checked:
        return False
    return _is_for_watching(diagnosis) or bool({"healthy", "supply.low", "supply.high"} & set(lead.faults))


def _is_for_watching(diagnosis: Diagnosis) -> bool:
    """Tell whether what is complained of comes and goes, and the first readings found nothing that stays."""
    if not COMES_AND_GOES & set(diagnosis.complaints) or diagnosis.read < FIRST_READINGS:
        return False
    lead = diagnosis.first
    if lead is None or lead.probability < LEADS_SHARE:
        return True
    known = [fault for name in lead.faults if (fault := diagnosis.model.fault(name)) is not None]
    return {fault.shows for fault in known} != {"always"} or "healthy" in lead.faults


def is_enough(diagnosis: Diagnosis, best: NextTest) -> bool:
    """Tell whether the unit seems sound and even the best test tells next to nothing for its minutes."""
    lead = diagnosis.first
    seems_sound = lead is not None and "healthy" in lead.faults and lead.probability >= SOUND_SHARE
    return seems_sound and best.worth < SOUND_WORTH


def _is_behind(diagnosis: Diagnosis, test: Test) -> bool:
    """Tell whether a live test hangs on a feed that has no volts at the unit: the place to look is upstream of it."""
    inside = test.kind not in ("supply", "check") and not test.is_isolated
    return inside and feed_at(diagnosis.model.plate, test.point) in diagnosis.gone


def _loaded(diagnosis: Diagnosis) -> frozenset[tuple[str, frozenset[str]]]:
    """Return the readings of the supply under load, where the complaint is one of a bad lug or pole and it is known.

    Source:
        docs/trade.md, section 4, step 5: a joint on its way out shows in nothing but the volts it leaves under load.
    """
    plate = diagnosis.model.plate
    if not diagnosis.supply.is_known or not LOADED & set(diagnosis.complaints):
        return frozenset()
    heat = plate.heat_calls
    return frozenset((line_volts(feed.id), heat) for feed in plate.feeds)


def _firsts(diagnosis: Diagnosis, school: str, taken: Collection[tuple[str, frozenset[str]]]) -> Mapping[str, float]:
    """Return what a school reads before all else, where that still tells anything: the call, the supply.

    Source:
        docs/trade.md, section 4, step 6, the two schools; section 2: every reading is held against the volts found.
    """
    plate = diagnosis.model.plate
    firsts: dict[str, float] = {}
    if _is_for_watching(diagnosis):
        firsts[WATCH] = WATCHED_FIRST
    line = line_volts(plate.feed_of(plate.transformer.supplied_by))
    # Read and found dead it is no yardstick, and reading it once more makes it none.
    if not diagnosis.supply.is_known and not any(point == line for point, _ in taken):
        firsts[line] = 1e3
    call = volts_at("board.w", "board.c")
    if school == "call first" and not any(point == call for point, _ in taken):
        firsts[call] = 1e4
    return firsts


def _information(
    predictions: tuple[Floats, Floats], weight: Floats, causes: NDArray[np.int64]
) -> tuple[Floats, NDArray[np.int64]]:
    """Return the bits each test should give about the cause, and the outcome each hypothesis falls into.

    Predictions that the meter can tell apart fall into different outcomes. What magnitude alone would make an outcome
    vary within one cause is no information about the cause and is taken off.
    """
    # One row a test, one column a hypothesis.
    predicted, spread = predictions
    count = predicted.shape[0]
    order = np.argsort(predicted, axis=1)
    # Outcomes that keep 1.6 standard deviations clear on both sides: one reading in eighteen falls on the wrong one.
    high = np.take_along_axis(predicted + 1.6 * spread, order, axis=1)
    low = np.take_along_axis(predicted - 1.6 * spread, order, axis=1)
    starts = np.zeros(predicted.shape, dtype=np.int64)
    # Sorted by what they show: a gap no reading can fall into begins another outcome.
    starts[:, 1:] = low[:, 1:] > np.maximum.accumulate(high, axis=1)[:, :-1]
    bins = np.empty(predicted.shape, dtype=np.int64)
    np.put_along_axis(bins, order, np.cumsum(starts, axis=1), axis=1)
    _, cause = np.unique(causes, return_inverse=True)
    outcomes, kinds = int(bins.max()) + 1, int(cause.max()) + 1
    layer = np.arange(count)[:, None] * outcomes
    mass = np.bincount((layer + bins).ravel(), np.tile(weight, count), count * outcomes).reshape(count, outcomes)
    key = (layer + bins) * kinds + cause[None, :]
    joint = np.bincount(key.ravel(), np.tile(weight, count), count * outcomes * kinds).reshape(count, outcomes, kinds)
    own = np.bincount(cause, weight, kinds)
    # What the outcome tells, less what it only tells about the size of one and the same cause.
    bits = _entropy(mass).sum(axis=1) - (_entropy(joint).sum(axis=(1, 2)) - _entropy(own).sum())
    return np.maximum(bits, 0.0), bins


def _either_side(
    predictions: tuple[Floats, Floats], weight: Floats, causes: NDArray[np.int64]
) -> tuple[Floats, NDArray[np.int64]]:
    """Return the bits each test should give about the cause by one threshold, and each hypothesis's side of it.

    The threshold lies half way between what two of the three leading causes show on average, whichever pair tells
    most; near it a reading may fall on either side.
    """
    predicted, spread = predictions
    _, cause = np.unique(causes, return_inverse=True)
    own = np.bincount(cause, weight)
    # One column a cause: each hypothesis's share of its cause.
    share = np.zeros((len(cause), len(own)))
    share[np.arange(len(cause)), cause] = weight / own[cause]
    means = predicted @ share
    leading = np.argsort(-own)[:3]
    best, sides = np.zeros(len(predicted)), np.zeros(predicted.shape, dtype=np.int64)
    for first, second in combinations(leading.tolist(), 2):
        middle = 0.5 * (means[:, first] + means[:, second])[:, None]
        # The logistic curve nearest to the normal one.
        above = 1.0 / (1.0 + np.exp(np.clip(-1.702 * (predicted - middle) / spread, -60.0, 60.0)))
        by_cause = above @ share
        whole = by_cause @ own
        told = _entropy(whole) + _entropy(1 - whole) - (_entropy(by_cause) + _entropy(1 - by_cause)) @ own
        sides = np.where((told > best)[:, None], predicted > middle, sides)
        best = np.maximum(best, told)
    return best, sides


def _entropy(share: NDArray[Any]) -> Floats:
    """Return −p·log2 p, zero at zero."""
    found: Floats = -share * np.log2(np.where(share > 0, share, 1.0))
    return found


def stands_at(point: str) -> str:
    """Return where one stands to read a point: at the panel, the thermostat or the unit.

    Example:
        >>> stands_at("volts:panel.l1:feed-1.breaker.l1"), stands_at("amps:strip-a")
        ('panel', 'unit')
    """
    owners = {place_of(place).owner for place in spot_of(point).places}
    return next((away for away in AWAY if away in owners), "unit")


def minutes_of(
    plate: Nameplate, test: Test, condition: Condition, school: str = "amps first", *, at: str = "unit"
) -> float:
    """Return what a test costs from one condition on [min]: the change to its own, the reading, care with live parts.

    Whoever stands `at` the panel already, its cover off, has no walk to its next reading.

    Source:
        docs/trade.md, section 8, for what live work costs; the minutes are chosen, see LOOKS.
    """
    minutes = test.minutes * SCHOOLS.get(school, {}).get(test.kind, 1.0)
    if at != "unit" and stands_at(test.point) == at:
        minutes = max(minutes - AWAY[at], LEAST_MINUTES)
    dead = condition.is_proven_dead
    if test.is_isolated:
        # Proving dead is paid once: what is isolated comes cheaper when it already is.
        return minutes + (0.0 if dead else ISOLATE_MINUTES)
    calls = frozenset(name for name, _ in condition.calls)
    if dead:
        minutes += POWER_BACK_MINUTES
    if calls != test.drive.calls:
        slow = any(device.of_kind.is_thermal for device in plate.devices)
        is_waited_out = slow and (test.drive.calls ^ calls) & {"W", "W2"}
        minutes += SEQUENCER_MINUTES if is_waited_out else THERMOSTAT_MINUTES
    # Live work costs more than its minutes.
    return minutes * LIVE_SURCHARGE


def _splits(diagnosis: Diagnosis, rows: NDArray[np.int64], weight: Floats, bins: NDArray[np.int64]) -> tuple[Text, ...]:
    """Return the leading cause of each of the heaviest outcomes: what the test would tell apart."""
    mass = np.bincount(bins, weight)
    leaders = []
    for outcome in np.argsort(-mass)[:3]:
        if mass[outcome] > 0.01:
            inside = np.nonzero(bins == outcome)[0]
            leaders.append(diagnosis.model.hypotheses[rows[inside[0]]].title)
    return tuple(leaders)
