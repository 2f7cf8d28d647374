"""What must be read again before a repair is proven: what failed, and what the parts moved could have upset."""

from collections.abc import Sequence
from dataclasses import dataclass

from plentar.core.circuit.places import find_point
from plentar.core.evidence.reading import Reading
from plentar.core.judging.situation import Situation
from plentar.core.judging.verdict import judge
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import amps_at, line_volts, spot_of
from plentar.core.unit.points import part_words

__all__ = ["BEFORE_POWER", "RISE", "TIMES", "Proof", "ProofItem", "proof_items", "prove"]

# docs/trade.md, section 4, step 15: before power goes back on.
BEFORE_POWER = (
    ("pulled", message("proof.every-moved-lead-pull-tested")),
    ("torqued", message("proof.lugs-tight")),
    ("strands", message("proof.no-bare-strands")),
    ("metal", message("proof.no-loose-metal-cabinet")),
    ("covers", message("proof.covers")),
    ("breaker", message("proof.why-breaker-was-found-off")),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class ProofItem:
    """One reading to take again, and under which calls."""

    point: str
    calls: frozenset[str]
    words: Text
    why: Text


@dataclass(frozen=True, slots=True, kw_only=True)
class Proof:
    """One item with the last reading before the repair and the first sound one after it, both judged."""

    item: ProofItem
    before: Verdict | None
    after: Verdict | None

    @property
    def is_proven(self) -> bool:
        """True when it was read again and passed."""
        return self.after is not None and self.after.grade is Grade.PASS


def proof_items(plate: Nameplate, failed_points: Sequence[str] = ()) -> tuple[ProofItem, ...]:
    """Return what must be read after a repair of this unit, what had failed first.

    Source:
        docs/trade.md, section 4, step 15: repeat what failed plus each strip's amps, blower with and without heat,
        everything off with no call, supply under load. Order and times and the rise are no readings: `visit` adds them.
    """
    heat = plate.heat_calls
    # What sags at a feed sags for every strip on it, and for no other.
    feeds = list(dict.fromkeys(plate.feed_of(circuit.supplied_by) for circuit in plate.circuits))
    is_one = len(feeds) == 1
    items = [
        ProofItem(
            point=line_volts(feed),
            calls=heat,
            words=message("proof.supply-under-load")
            if is_one
            else message("proof.feed-under-load", feed=part_words(feed)),
            why="load",
        )
        for feed in feeds
    ]
    for circuit in plate.circuits:
        items.append(
            ProofItem(
                point=amps_at(circuit.id),
                calls=heat,
                words=message("proof.heat-called", circuit=circuit.name),
                why="amps",
            )
        )
    items.append(
        ProofItem(point=amps_at("blower"), calls=heat, words=message("proof.blower-heat-called"), why="blower")
    )
    items.append(
        ProofItem(
            point=amps_at("blower"), calls=frozenset({"G"}), words=message("proof.blower-fan-called"), why="blower"
        )
    )
    together = heat | {"G"}
    items += [
        ProofItem(
            point=amps_at(feed),
            calls=together,
            words=message("proof.all-calls-together")
            if is_one
            else message("proof.feed-all-calls-together", feed=part_words(feed)),
            why="all",
        )
        for feed in feeds
    ]
    for circuit in plate.circuits:
        words = message("proof.nothing-called", circuit=circuit.name)
        items.append(ProofItem(point=amps_at(circuit.id), calls=frozenset(), words=words, why="off"))
    known = {(item.point, item.calls) for item in items}
    # Ohms prove a part, not a repair: what failed as ohms is proven by amps.
    again = [p for p in failed_points if (p, heat) not in known and not spot_of(p).is_ohms]
    items += [
        ProofItem(point=p, calls=heat, words=find_point(plate, p).label, why=message("proof.failed-before"))
        for p in dict.fromkeys(again)
    ]
    # What failed is read first, while everybody still knows why.
    return tuple(sorted(items, key=lambda item: item.point not in failed_points))


# What else is proven after a repair, by no single reading: the order and times of a run, the rise of the air.
TIMES = ProofItem(point="", calls=frozenset({"W"}), words=message("proof.order-and-times"), why="times")
RISE = ProofItem(point="", calls=frozenset({"W"}), words=message("proof.rise-of-the-air"), why="rise")


def prove(
    plate: Nameplate,
    items: Sequence[ProofItem],
    before: Sequence[Reading],
    after: Sequence[Reading],
    limits: Limits = DEFAULT_LIMITS,
) -> tuple[Proof, ...]:
    """Hold each item's readings from before and after the repair against its band.

    Readings come oldest first; the last before and the last after count, each judged among its own side's readings.

    Source:
        docs/trade.md, section 4, step 15.
    """
    sides = []
    for readings in (before, after):
        situation = Situation(plate=plate, readings=readings, limits=limits)
        sides.append((readings, situation))
    found = []
    for item in items:
        verdicts = []
        for readings, situation in sides:
            own = [r for r in readings if r.point == item.point and _fits(r, item.calls)]
            verdicts.append(judge(situation, own[-1]) if own else None)
        found.append(Proof(item=item, before=verdicts[0], after=verdicts[1]))
    return tuple(found)


def _fits(reading: Reading, calls: frozenset[str]) -> bool:
    """Tell whether a reading was taken under an item's calls.

    Most thermostats call the fan with heat: a reading under W and G is one with heat called. The fan alone and nothing
    called are just that.
    """
    condition = reading.condition
    if condition.in_hand or any(state != "live" for _, state in condition.feeds):
        return False
    on = condition.on & {"W", "W2", "G"}
    # Heat alone or with the fan, unless both together are what is asked for.
    return on - {"G"} == calls if calls & {"W", "W2"} and "G" not in calls else on == calls
