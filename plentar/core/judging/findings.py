"""What the readings of a call imply together: each verdict that is not a pass, and what comparing readings shows."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from plentar.core.circuit.places import find_point
from plentar.core.evidence.reading import Reading
from plentar.core.judging.situation import Situation
from plentar.core.judging.strips import like_elements
from plentar.core.judging.supply import leg_difference
from plentar.core.judging.timing import RunVerdict
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.message import Text, message
from plentar.core.unit.points import of_feed, test_points
from plentar.core.unit.quantities import QUANTITIES

if TYPE_CHECKING:
    # With it comes numpy, which a finding needs not.
    from plentar.core.judging.log import LogFinding

__all__ = ["Finding", "compare", "find", "log_findings", "noted", "run_findings"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """One thing found: about what, the verdict, and the point it was read at (empty for a comparison)."""

    about: Text
    verdict: Verdict
    point: str = ""


def find(situation: Situation, judged: Sequence[tuple[Reading, Verdict]]) -> list[Finding]:
    """Return findings, most serious first and otherwise in the order of work; passes stay out.

    Args:
        situation: The unit and the readings that stand.
        judged: The last of them at each place in each state of the unit, with their verdicts, oldest first.
    """
    # A number that says nothing by itself is judged with its fellow.
    standing = [
        (reading, verdict)
        for reading, verdict in judged
        if (verdict.grade is not Grade.PASS or verdict.warning) and not QUANTITIES[reading.function].alone
    ]
    order = {point.id: place for place, point in enumerate(test_points(situation.plate))}
    standing.sort(key=lambda entry: order.get(entry[0].point, len(order)))
    several = Counter(reading.point for reading, _ in standing)
    found = []
    for reading, verdict in standing:
        about = find_point(situation.plate, reading.point).label
        if several[reading.point] > 1:
            about = message("findings.under", about=about, condition=reading.condition.spoken)
        found.append(Finding(about=about, verdict=verdict, point=reading.point))
    # Readings that each pass may still not agree with each other.
    found += [entry for entry in compare(situation) if entry.verdict.grade is not Grade.PASS]
    # Sorting keeps the order of work among equals.
    return sorted(found, key=lambda entry: -entry.verdict.grade.severity)


def noted(about: Text, result: Grade, words: Text, kind: str = "") -> Finding:
    """Return a finding without a figure."""
    verdict = Verdict(grade=result, value=0.0, uncertainty=0.0, unit="", kind=kind, because=words)
    return Finding(about=about, verdict=verdict)


def run_findings(judged: RunVerdict) -> list[Finding]:
    """Return every time and every note of order of a run of the stopwatch, passes included."""
    found = []
    for entry in judged.stages:
        found.append(Finding(about=message("visit.time-on", stage=entry.stage.name), verdict=entry.on))
        if entry.off is not None:
            found.append(Finding(about=message("visit.time-off", stage=entry.stage.name), verdict=entry.off))
    return found + [noted(message("visit.order"), note.grade, note.words) for note in judged.order]


def log_findings(name: str, events: "Sequence[LogFinding]", judged: RunVerdict) -> list[Finding]:
    """Return what a log shows that is not as it should be, and its notes of order, passes included.

    That strips draw alike is no finding. What still waits or was never seen is said by the events.
    """
    about = message("visit.log", name=name)
    found = [noted(about, event.grade, event.words) for event in events if event.kind != "alike"]
    for entry in judged.stages:
        late = [result for result in (entry.on, entry.off) if result is not None and result.kind in ("late", "early")]
        found += [Finding(about=message("visit.log-of", log=name, stage=entry.stage.name), verdict=one) for one in late]
    return found + [noted(about, note.grade, note.words) for note in judged.order]


def compare(situation: Situation) -> list[Finding]:
    """Return what readings held against each other show, passes included.

    Source:
        docs/trade.md, section 3: like elements, leg against leg.
    """
    found = []
    like = like_elements(situation)
    for verdict, _, condition in like:
        about: Text = message("findings.like-strips-against-each-other")
        if len(like) > 1:
            about = message("findings.under", about=about, condition=condition.spoken)
        found.append(Finding(about=about, verdict=verdict))
    for feed in situation.plate.feeds:
        legs = leg_difference(situation, feed.id)
        if legs is not None:
            found.append(
                Finding(about=of_feed(situation.plate, feed.id, message("findings.leg-1-against-leg-2")), verdict=legs)
            )
    return found
