"""What the readings of a call imply together: each verdict that is not a pass, and what comparing readings shows."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from plentar.core.circuit.places import find_point
from plentar.core.evidence.reading import Reading
from plentar.core.judging.situation import Situation
from plentar.core.judging.strips import like_elements
from plentar.core.judging.supply import leg_difference
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.said import Words, said
from plentar.core.unit.points import of_feed, test_points
from plentar.core.unit.quantities import QUANTITIES

__all__ = ["Finding", "compare", "find"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """One thing found: about what, the verdict, and the point it was read at (empty for a comparison)."""

    about: Words
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
            about = said("findings.under", about=about, condition=reading.condition.spoken)
        found.append(Finding(about=about, verdict=verdict, point=reading.point))
    # Readings that each pass may still not agree with each other.
    found += [entry for entry in compare(situation) if entry.verdict.grade is not Grade.PASS]
    # Sorting keeps the order of work among equals.
    return sorted(found, key=lambda entry: -entry.verdict.grade.severity)


def compare(situation: Situation) -> list[Finding]:
    """Return what readings held against each other show, passes included.

    Source:
        docs/trade.md, section 3: like elements, leg against leg.
    """
    found = []
    like = like_elements(situation)
    for verdict, _, condition in like:
        about: Words = said("findings.like-strips-against-each-other")
        if len(like) > 1:
            about = said("findings.under", about=about, condition=condition.spoken)
        found.append(Finding(about=about, verdict=verdict))
    for feed in situation.plate.feeds:
        legs = leg_difference(situation, feed.id)
        if legs is not None:
            found.append(
                Finding(about=of_feed(situation.plate, feed.id, said("findings.leg-1-against-leg-2")), verdict=legs)
            )
    return found
