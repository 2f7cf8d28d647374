"""What must be read again before a repair is proven: what failed, and what the parts moved could have upset."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from plentar.core.circuit.places import find_point
from plentar.core.evidence.metrology import root_sum_square
from plentar.core.evidence.reading import Reading
from plentar.core.judging.situation import Situation
from plentar.core.judging.verdict import judge
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.message import Text, message
from plentar.core.unit.electrical import expected_element_amps
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import GROUND, amps_at, line_volts, ohms_at, place_of, spot_of
from plentar.core.unit.points import part_words

__all__ = [
    "BEFORE_POWER",
    "RISE",
    "TIMES",
    "Proof",
    "ProofItem",
    "Touched",
    "proof_items",
    "prove",
    "total_agrees",
    "touched_by",
]
# docs/trade.md, section 10: what a total may be off by, of its smallest strip, and still speak for the others.
TOTAL_SHARE = 0.25

# docs/trade.md, section 4, step 15: before power goes back on.
BEFORE_POWER = (
    ("pulled", message("proof.every-moved-lead-pull-tested")),
    ("torqued", message("proof.lugs-tight")),
    ("strands", message("proof.no-bare-strands")),
    ("metal", message("proof.no-loose-metal-cabinet")),
    ("jumpers", message("proof.no-jumper")),
    ("thermostat", message("proof.thermostat-restored")),
    ("covers", message("proof.covers")),
    ("breaker", message("proof.why-breaker-was-found-off")),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class ProofItem:
    """One reading to take again, and under which calls.

    One that the repair does not need is offered, and named as not read. `why` is a short id, or the words that tell it:
    what is *seen* has no number to read, a *total* speaks for strips not clamped.
    """

    point: str
    calls: frozenset[str]
    words: Text
    why: Text
    is_needed: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class Proof:
    """One item with the last reading before the repair and the first sound one after it, both judged."""

    item: ProofItem
    before: Verdict | None
    after: Verdict | None
    # Shown otherwise: the blower seen running, a strip by its feed's total, a feed by its strips.
    by_other: bool = False

    @property
    def is_proven(self) -> bool:
        """True when it was read again and passed.

        To ground a plain ohmmeter's OL is all it can show; a rise may have no band, by neither plate nor tonnage.
        """
        if self.by_other:
            return True
        if self.after is None:
            return False
        is_to_ground = self.item.why == "before-power" and spot_of(self.item.point).is_to_ground
        has_no_band = self.item.why == "rise" and self.after.band is None and not self.after.kind
        return self.after.grade is Grade.PASS or (
            (is_to_ground or has_no_band) and self.after.grade is Grade.NOT_PROVEN
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Touched:
    """What a repair touched: strips, feeds, whether anything of the blower's, and strips whose link had opened.

    A strip that was isolated until its part comes gets no power: it is left out of all of it.
    """

    strips: frozenset[str]
    feeds: frozenset[str]
    blower: bool
    opened_links: frozenset[str]
    isolated: frozenset[str] = frozenset()


def touched_by(plate: Nameplate, faults: Sequence[str], parts: Sequence[str]) -> Touched:
    """Return what a repair touched.

    Args:
        faults: Ids of the faults that the accepted causes name.
        parts: Ids of further parts whose leads were moved.

    Source:
        docs/trade.md, section 10: proof follows from the repair. Where nothing says what was repaired, all was touched.
    """
    relay = plate.blower.relay.id if plate.blower.relay is not None else ""
    of_blower = {"blower", "interlock", relay, plate.blower.switched_by or ""} - {""}
    known = {place for c in plate.circuits for place in (c.id, c.device)} | {f.id for f in plate.feeds} | of_blower
    owners = {place_of(name).owner for name in (*faults, *parts)} - {""}
    # The control side starts every strip and the blower; so may what is not known.
    owners = owners if owners and owners <= known else known
    feeds = {feed.id for feed in plate.feeds if feed.id in owners}
    strips = {c.id for c in plate.circuits if c.id in owners or c.device in owners}
    strips |= {c.id for feed in feeds for c in plate.circuits_on(feed)}
    feeds |= {plate.feed_of(plate.circuit(strip).supplied_by) for strip in strips}
    is_blower = bool(owners & of_blower)
    feeds |= {plate.feed_of(plate.blower.supplied_by)} if is_blower else set()
    return Touched(
        strips=frozenset(strips),
        feeds=frozenset(feeds),
        blower=is_blower,
        opened_links=frozenset(name.partition(".")[0] for name in faults if name.endswith(".link.open")),
    )


def proof_items(plate: Nameplate, touched: Touched, failed_points: Sequence[str] = ()) -> tuple[ProofItem, ...]:
    """Return what can be read after a repair of this unit, what had failed first, what the repair does not need last.

    Source:
        docs/trade.md, section 4, step 15, and section 10: after any heat repair what failed again, nothing called,
        volts under load, the blower seen on W alone; after an opened link element ohms and to ground before power, the
        limit, the rise; blower or interlock touched, the blower under each call; every feed touched under load.
    """
    heat, off = plate.heat_calls, frozenset[str]()
    feeds = list(dict.fromkeys(plate.feed_of(circuit.supplied_by) for circuit in plate.circuits))
    is_one = len(feeds) == 1
    items: list[ProofItem] = []

    def add(point: str, calls: frozenset[str], words: Text, why: Text, *, needed: bool) -> None:
        items.append(ProofItem(point=point, calls=calls, words=words, why=why, is_needed=needed))

    for circuit in plate.circuits:
        if circuit.id in touched.opened_links:
            element = f"{circuit.id}.element"
            for point, words in (
                (ohms_at(element), message("proof.element-ohms", circuit=circuit.name)),
                (ohms_at(f"{element}.1", GROUND), message("proof.element-to-ground", circuit=circuit.name)),
                (ohms_at(f"{circuit.id}.limit"), message("proof.limit-checked", circuit=circuit.name)),
            ):
                add(point, off, words, "before-power", needed=True)
    for feed in feeds:
        # What sags at a feed sags for every strip on it, and for no other.
        words = (
            message("proof.supply-under-load") if is_one else message("proof.feed-under-load", feed=part_words(feed))
        )
        add(line_volts(feed), heat, words, "load", needed=feed in touched.feeds)
    for circuit in plate.circuits:
        words = message("proof.heat-called", circuit=circuit.name)
        add(amps_at(circuit.id), heat, words, "amps", needed=circuit.id in touched.strips)
    for feed in feeds:
        others = [c for c in plate.circuits_on(feed) if c.id not in touched.strips | touched.isolated]
        if others and feed in touched.feeds:
            words = message("proof.feed-total", feed=message("safety.feed") if is_one else part_words(feed))
            add(amps_at(feed), heat, words, "total", needed=True)
    # Blower and interlock untouched, seeing it run is enough.
    why = "blower" if touched.blower else "seen"
    add(amps_at("blower"), heat, message("proof.blower-heat-called"), why, needed=True)
    add(amps_at("blower"), frozenset({"G"}), message("proof.blower-fan-called"), "blower", needed=touched.blower)
    for feed in feeds:
        words = (
            message("proof.all-calls-together")
            if is_one
            else message("proof.feed-all-calls-together", feed=part_words(feed))
        )
        add(amps_at(feed), heat | {"G"}, words, "all", needed=False)
    for feed in feeds:
        words = message("proof.feed-nothing-called", feed=message("safety.feed") if is_one else part_words(feed))
        add(amps_at(feed), off, words, "off", needed=feed in touched.feeds)
    for circuit in plate.circuits:
        add(amps_at(circuit.id), off, message("proof.nothing-called", circuit=circuit.name), "off", needed=False)
    known = {(item.point, item.calls) for item in items}
    # Ohms prove a part, not a repair: what failed as ohms is proven by amps.
    again = [p for p in failed_points if (p, heat) not in known and not spot_of(p).is_ohms]
    items += [
        ProofItem(point=p, calls=heat, words=find_point(plate, p).label, why=message("proof.failed-before"))
        for p in dict.fromkeys(again)
    ]
    # What failed is read first, while everybody still knows why; what the repair does not need stands last.
    return tuple(
        sorted(
            items, key=lambda item: (not item.is_needed, item.why != "before-power", item.point not in failed_points)
        )
    )


def total_agrees(
    plate: Nameplate,
    feed: str,
    total: Reading,
    volts: Reading,
    strips: Mapping[str, float],
    blower: Reading | None,
    isolated: frozenset[str] = frozenset(),
) -> bool:
    """Tell whether a feed's total speaks for its strips that were not clamped.

    Args:
        total: The feed's amps under the heat call [A].
        volts: Its volts under the same load [V].
        strips: Amps of the strips that were clamped since [A].
        blower: The blower's amps, where they were read [A].
        isolated: Strips that get no power.

    Source:
        docs/trade.md, section 10: the volt-corrected sum less the blower agrees within 25 % of the smallest strip, all
        doubts included.
    """
    own = [c for c in plate.circuits_on(feed) if c.id not in isolated]
    expected = {c.id: expected_element_amps(c.rated_watts, c.rated_volts, volts.value) for c in own}
    is_here = plate.feed_of(plate.blower.supplied_by) == feed
    # A blower that was not clamped draws somewhere between a tenth (ECM) or four tenths of its plate and all of it.
    least = (0.1 if plate.blower.kind == "ecm" else 0.4) * plate.blower.rated_amps
    most = plate.blower.rated_amps
    if not is_here:
        motor, doubt = 0.0, 0.0
    elif blower is not None:
        motor, doubt = blower.value, blower.meter_uncertainty
    else:
        motor, doubt = (least + most) / 2, (most - least) / 2
    wanted = sum(strips.get(name, amps) for name, amps in expected.items())
    doubts = root_sum_square(total.meter_uncertainty, wanted * volts.meter_uncertainty / max(volts.value, 1.0))
    least_expected = TOTAL_SHARE * min(expected.values())
    return bool(abs(total.value - motor - wanted) + doubts + doubt <= least_expected)


# What else is proven after a repair, by no single reading: the order and times of a run, the rise of the air.
TIMES = ProofItem(
    point="", calls=frozenset({"W"}), words=message("proof.order-and-times"), why="times", is_needed=False
)
RISE = ProofItem(point="", calls=frozenset({"W"}), words=message("proof.rise-of-the-air"), why="rise", is_needed=False)


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
            own = [r for r in readings if r.point == item.point and _fits_item(r, item)]
            verdicts.append(judge(situation, own[-1]) if own else None)
        found.append(Proof(item=item, before=verdicts[0], after=verdicts[1]))
    return tuple(found)


def _fits_item(reading: Reading, item: ProofItem) -> bool:
    if item.why == "before-power":
        # Ohms are only taken on what is dead, or of a part in the hand; the pad has seen to that.
        return True
    return _fits(reading, item.calls)


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
