"""What the readings are worth: each verdict, the newest of each place, and readings held against each other."""

from collections.abc import Mapping, Sequence
from itertools import combinations

from plentar.core.circuit.places import find_point
from plentar.core.errors import PlentarError
from plentar.core.evidence.reading import Reading
from plentar.core.evidence.record import RecordedReading
from plentar.core.judging.findings import Finding, compare
from plentar.core.judging.situation import Situation
from plentar.core.judging.supply_loss import SupplyLoss, supply_loss
from plentar.core.judging.verdict import judge
from plentar.core.limits.verdicts import Verdict
from plentar.core.message import Text, message
from plentar.core.unit.place import CAPACITOR as CAPACITOR_PLACE
from plentar.core.unit.place import amps_at, line_volts, point_at, volts_at
from plentar.core.unit.points import test_points
from plentar.core.visit import evidence
from plentar.core.visit.state import VisitState, once
from plentar.core.visit_results import (
    Judged,
    LegCheck,
)

__all__ = [
    "CAPACITOR",
    "at_point",
    "capacitor",
    "comparisons",
    "expected",
    "judged",
    "judged_one",
    "latest",
    "latest_now",
    "leg_checks",
    "losses",
    "losses_of",
    "situation",
    "unchecked",
    "unread",
    "verdict_of",
]

CAPACITOR = point_at("microfarads", CAPACITOR_PLACE)


@once
def situation(visit: VisitState) -> Situation:
    """What a judgement may look at."""
    return Situation(plate=visit.plate, readings=evidence.readings(visit), limits=visit.limits)


def verdict_of(visit: VisitState, reading: Reading) -> Verdict:
    """Judge a reading, kept or only typed so far."""
    return judge(situation(visit), reading)


def judged_one(visit: VisitState, entry: RecordedReading) -> Judged:
    """Return one reading with its verdict; asked again, the same one."""
    if entry.id not in _kept_verdicts(visit):
        point = find_point(visit.plate, entry.reading.point)
        _kept_verdicts(visit)[entry.id] = Judged(taken=entry, point=point, verdict=verdict_of(visit, entry.reading))
    return _kept_verdicts(visit)[entry.id]


@once
def _kept_verdicts(visit: VisitState) -> dict[str, Judged]:
    return {}


@once
def judged(visit: VisitState) -> list[Judged]:
    """Every reading with its verdict, oldest first."""
    return [judged_one(visit, entry) for entry in evidence.taken(visit)]


@once
def latest(visit: VisitState) -> Mapping[str, Judged]:
    """The newest standing reading of each point."""
    # Oldest first, so the last one under a key is the newest.
    newest = {entry.reading.point: entry for entry in evidence.standing(visit)}
    return {point: judged_one(visit, entry) for point, entry in newest.items()}


@once
def latest_now(visit: VisitState) -> Mapping[str, Judged]:
    """The same of the unit as it is: what was read before a repair stands for another unit."""
    return {point: judged for point, judged in latest(visit).items() if evidence.is_of_now(visit, judged.taken.event)}


def at_point(visit: VisitState, point_id: str, most: int = 4) -> list[Judged]:
    """Return the last few readings at a point, newest first."""
    rows = [entry for entry in reversed(evidence.taken(visit)) if entry.reading.point == point_id]
    return [judged_one(visit, entry) for entry in rows[:most]]


def expected(visit: VisitState, point_id: str) -> Verdict | None:
    """Return what a point should read under the present condition, if anybody can tell."""
    try:
        # What is expected does not hang on the value, so any will do.
        return verdict_of(visit, Reading(point=point_id, value=0.0, condition=evidence.condition(visit)))
    except PlentarError:
        return None


@once
def comparisons(visit: VisitState) -> list[Finding]:
    """What readings held against each other show, passes included."""
    return compare(situation(visit))


@once
def unread(visit: VisitState) -> tuple[tuple[str, Text, frozenset[str]], ...]:
    """What *all well* still needs: each feed's volts, each strip under heat, the blower: point, words, calls."""
    read = {reading.point for reading in evidence.readings_now(visit)}
    under_heat = {reading.point for reading in evidence.readings_now(visit) if reading.condition.heat}
    points = {point.id: point for point in test_points(visit.plate)}
    heat, on = visit.plate.heat_calls, evidence.condition(visit).on
    lines = [line_volts(feed.id) for feed in visit.plate.feeds]
    left = [(point, points[point].label, on) for point in lines if point not in read]
    left += [(amps_at(c.id), c.name, heat) for c in visit.plate.circuits if amps_at(c.id) not in under_heat]
    if amps_at("blower") not in read:
        left.append((amps_at("blower"), message("places.blower"), on or heat))
    return tuple(left)


def unchecked(visit: VisitState) -> tuple[Text, ...]:
    """The words of what *all well* still needs."""
    return tuple(words for _point, words, _calls in unread(visit))


@once
def losses(visit: VisitState) -> list[SupplyLoss]:
    """Each feed's sag, split into panel, wire and joint as far as it was read."""
    return losses_of(visit, evidence.readings(visit))


def losses_of(visit: VisitState, readings: Sequence[Reading]) -> list[SupplyLoss]:
    """Return the same by some of the readings."""
    found = [supply_loss(visit.plate, feed.id, readings, visit.limits) for feed in visit.plate.feeds]
    return [loss for loss in found if loss is not None]


@once
def capacitor(visit: VisitState) -> Verdict | None:
    """The run capacitor as last measured, against its label."""
    entry = latest(visit).get(CAPACITOR)
    return None if entry is None else entry.verdict


@once
def leg_checks(visit: VisitState) -> tuple[LegCheck, ...]:
    """Same-named legs of two feeds against each other: read before anything joins or spans them."""
    feeds = [feed.id for feed in visit.plate.feeds]
    legs = ("l1",) if visit.plate.has_neutral else ("l1", "l2")
    found = []
    for first, second in combinations(feeds, 2):
        for leg in legs:
            point = volts_at(f"{first}.{leg}", f"{second}.{leg}")
            known = find_point(visit.plate, point).id
            entry = latest_now(visit).get(known)
            live = entry is not None and all(state == "live" for _, state in entry.reading.condition.feeds)
            found.append(LegCheck(point=known, verdict=entry.verdict if entry is not None and live else None))
    return tuple(found)
