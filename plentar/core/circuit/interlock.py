"""The interlock bench: land a blower relay any way at all and see what every call does, by the circuit itself.

One strip, one blower, one change-over relay. The strip's element hangs on L1 and its heat contact switches L2, so the
load side of that contact is the place the interlock belongs on.
"""

import copy
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from plentar.core.circuit.changes import Changes
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.network import Circuit
from plentar.core.circuit.outcomes import CALLS, CallOutcome, wrong_of
from plentar.core.circuit.solve import Solution, Variants, settle
from plentar.core.circuit.wiring import wire
from plentar.core.errors import NameplateError
from plentar.core.limits.verdicts import Grade
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import BlowerRelay, Nameplate, RelayPole
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.place import amps_at, partner_of

__all__ = [
    "CALLS",
    "FAMILIES",
    "LANDINGS",
    "BenchVerdict",
    "CallOutcome",
    "Landing",
    "Move",
    "RelayFamily",
    "RelayWiring",
    "Replacement",
    "judge_wiring",
    "outcomes",
    "plan_replacement",
    "wiring_of",
]

Floats = NDArray[np.float64]
Landing = Literal["L1", "L2", "strip", "high", "low", "none"]
LANDINGS: tuple[Landing, ...] = ("L1", "L2", "strip", "high", "low", "none")
STRIP = "strip-a"
PLACES = {
    "L1": "feed-1.l1",
    "L2": "feed-1.l2",
    "strip": "seq-a.pole-1.load",
    "high": "blower.high",
    "low": "blower.low",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class RelayWiring:
    """Where the relay's terminals and the blower's leads go.

    `com`, `no` and `nc` each take one wire beside the blower's: `strip` is the load side of the strip's heat contact,
    `high` and `low` the motor's speed taps. `blower_on` is the relay terminal the motor's switched lead sits on, its
    high tap. `state` holds contacts that are not as they should be: `nc welded`, `no dead`, …
    """

    com: Landing = "none"
    no: Landing = "none"
    nc: Landing = "none"
    fixed: Literal["L1", "L2"] = "L1"
    blower_on: Literal["com", "no", "nc", "none"] = "com"
    state: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        for name in ("com", "no", "nc"):
            if getattr(self, name) not in LANDINGS:
                raise NameplateError(f"expected one of {', '.join(LANDINGS)}, got {getattr(self, name)!r}", field=name)
        if self.fixed not in ("L1", "L2"):
            raise NameplateError(f"expected L1 or L2, got {self.fixed!r}", field="fixed")
        if self.blower_on not in ("com", "no", "nc", "none"):
            raise NameplateError(f"expected com, no, nc or none, got {self.blower_on!r}", field="blower_on")
        for entry in self.state:
            if entry not in STATES:
                raise NameplateError(f"expected one of {', '.join(STATES)}, got {entry!r}", field="state")


STATES = ("nc welded", "nc dead", "no welded", "no dead")


@dataclass(frozen=True, slots=True, kw_only=True)
class BenchVerdict:
    """A wiring judged: what is wrong in one sentence, worst first, and every call's outcome."""

    grade: Grade
    sentence: Text
    also: tuple[Text, ...]
    outcomes: tuple[CallOutcome, ...]


@lru_cache(maxsize=1)
def _bench() -> Circuit:
    """Return the bench's circuit: every relay terminal with one spare lead that can be landed anywhere."""
    unit = PATTERNS["two-strip-sequencer"]()
    # One strip, one pole: an interlock is about these two loads and nothing else.
    device = replace(unit.devices[0], poles=unit.devices[0].poles[:1])
    relay = BlowerRelay(contacts=(RelayPole(com="none", no="none", nc="none"),))
    blower = replace(unit.blower, taps=("high", "low"), relay=relay)
    plate = replace(unit, devices=(device,), circuits=unit.circuits[:1], blower=blower)
    circuit = copy.deepcopy(wire(plate))
    for name in ("com", "no", "nc"):
        circuit.lead(f"bench.{name}", f"blower-relay.{name}", "feed-1.l1")
    circuit.lead("bench.blower", "blower.high", "blower-relay.com")
    return circuit


def outcomes(wirings: Sequence[RelayWiring]) -> list[tuple[CallOutcome, ...]]:
    """Return what each wiring does under each of the four combinations of W and G, solved all at once.

    Source:
        docs/trade.md, section 1, Interlock: fan, heat, both, neither.
    """
    circuit = _bench()
    # Contacts are held as the calls would hold them, the coils' own supply being beside the point: a short with no fan
    # call is a short with no fan call, whether or not the breaker still lets the relay pull in.
    changes = [_changes(wiring, calls) for wiring in wirings for calls in CALLS]
    variants = Variants(circuit, changes)
    settled = settle(variants, Drive())
    line = np.abs(settled.at("feed-1.l1") - settled.at("feed-1.l2"))
    across = np.max(
        [np.abs(settled.at("blower.fixed") - settled.at(f"blower.{tap}")) for tap in ("high", "low")], axis=0
    )
    strip = np.abs(settled.amps(amps_at(STRIP)))
    amps = {name: _contact_amps(settled, f"blower-relay.{name}") for name in ("nc", "no")}
    found = []
    for row, (wiring, calls) in enumerate((wiring, calls) for wiring in wirings for calls in CALLS):
        # The contact that carries more is the one that burns.
        through = max(amps, key=lambda name: amps[name][row])
        found.append(
            CallOutcome(
                calls=calls,
                # In series with a strip a motor keeps most of the volts: only nearly all of the line is running.
                blower="off" if across[row] < 12 else "runs" if across[row] > 0.93 * line[row] > 100 else "slow",
                # A 5 kW strip draws 20 A; what a motor passes on through it is a tenth of that.
                strip="heats" if strip[row] > 15 else "trickles" if strip[row] > 0.3 else "off",
                is_short=bool(settled.tripped[row].any()),
                contact_amps=float(amps[through][row]),
                contact=through.upper(),
                taps_joined=_taps_joined(wiring, calls),
            )
        )
    return [tuple(found[i : i + len(CALLS)]) for i in range(0, len(found), len(CALLS))]


def wiring_of(plate: Nameplate) -> RelayWiring | None:
    """Return a unit's interlock contact as the bench lands it; None where the bench has no such thing.

    That is a unit without a blower relay, with two contacts for two speeds, or with a sequencer's fan pole.

    The bench's strip is switched in L2: a unit whose strip is switched in L1 is turned over, leg for leg.
    Source:
        docs/trade.md, section 1, Interlock.
    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> wiring_of(PATTERNS["two-strip-sequencer"]())
        RelayWiring(com='none', no='L2', nc='strip', fixed='L1', blower_on='com', state=())
    """
    blower = plate.blower
    if blower.relay is None or len(blower.relay.contacts) > 1 or blower.switched_by is not None:
        return None
    strips = {circuit.id: circuit for circuit in plate.circuits}
    contact = blower.relay.contacts[0]
    ends = {"com": contact.com, "no": contact.no, "nc": contact.nc}
    own = [c for c in plate.circuits if c.supplied_by == blower.supplied_by] or list(plate.circuits)
    strip = next((strips[place] for place in ends.values() if place in strips), own[0])
    turned = {"L1": "L2", "L2": "L1"} if strip.switched_leg == "L1" else {"L1": "L1", "L2": "L2"}
    motor = next((name for name, place in ends.items() if place.startswith("blower")), "none")
    high = ends.get(motor, "")

    def landing(name: str) -> str:
        place = ends[name]
        if place.startswith("blower"):
            # The motor's switched lead is the bench's own; another tap of it is the low one.
            return "none" if name == motor else "high" if place == high else "low"
        return "strip" if place in strips else turned.get(place, "none")

    landed = {name: landing(name) for name in ends}
    return RelayWiring(**landed, fixed=turned[blower.fixed_leg], blower_on=motor)  # type: ignore[arg-type]


def _contact_amps(settled: Solution, name: str) -> Floats:
    """Return what one contact carries in each variant [A]."""
    variants = settled.variants
    at, rows = variants.contact_at[name], np.arange(variants.count)
    a, b = variants.contact_a[:, at], variants.contact_b[:, at]
    found: Floats = np.abs((settled.volts[rows, a] - settled.volts[rows, b]) * variants.closed[:, at])
    return found * settled.states[:, at]


def _changes(wiring: RelayWiring, calls: frozenset[str]) -> Changes:
    split: dict[str, float] = {}
    moved: dict[str, str] = {}
    for name in ("com", "no", "nc"):
        landing = getattr(wiring, name)
        if landing == "none":
            split[f"bench.{name}"] = float("inf")
        else:
            moved[f"bench.{name}"] = PLACES[landing]
    if wiring.blower_on == "none":
        split["bench.blower"] = float("inf")
    else:
        moved["bench.blower"] = f"blower-relay.{wiring.blower_on}"
    moved["blower.lead-fixed"] = f"feed-1.{wiring.fixed.lower()}"
    forced = {
        "blower-relay.no": "G" in calls,
        "blower-relay.nc": "G" not in calls,
        "seq-a.pole-1": "W" in calls,
    }
    for entry in wiring.state:
        contact, _, how = entry.partition(" ")
        forced[f"blower-relay.{contact}"] = how == "welded"
        if how == "welded":
            # One blade: held at one contact it never reaches the other.
            forced[partner_of(f"blower-relay.{contact}")] = False
    return Changes(split=split, moved=moved, forced=forced)


def _taps_joined(wiring: RelayWiring, calls: frozenset[str]) -> bool:
    """Tell whether one terminal, or the contact that is made, puts both taps on one wire."""
    sides: dict[str, set[str]] = {name: {getattr(wiring, name)} for name in ("com", "no", "nc")}
    if wiring.blower_on in sides:
        sides[wiring.blower_on].add("high")
    thrown = "no" if "G" in calls else "nc"
    together = sides["com"] | sides[thrown]
    return {"high", "low"} <= together or any({"high", "low"} <= side for side in sides.values())


def judge_wiring(wiring: RelayWiring) -> BenchVerdict:
    """Return what is wrong with a wiring, worst first; pass when it is the interlock it should be.

    Source:
        docs/trade.md, section 1, Interlock: heat never without blower, blower never makes heat; the correct landing and
        the wrong ones (a) to (e).
    """
    found = outcomes([wiring])[0]
    none, heat, fan, both = found
    wrong = wrong_of(none, heat, fan, both)
    if not wrong:
        words = message("interlock.correct-fan-call-runs-blower")
        return BenchVerdict(grade=Grade.PASS, sentence=words, also=(), outcomes=found)
    grade = Grade.FAIL if any(severity >= 2 for severity, _ in wrong) else Grade.MARGINAL
    wrong.sort(key=lambda entry: -entry[0])
    return BenchVerdict(grade=grade, sentence=wrong[0][1], also=tuple(words for _, words in wrong[1:]), outcomes=found)


@dataclass(frozen=True, slots=True, kw_only=True)
class RelayFamily:
    """One family's terminal numbers by function; invented families, as every maker numbers his own way."""

    id: str
    name: Text
    coil: tuple[str, str]
    com: str
    no: str
    nc: str

    def function_of(self, number: str) -> str:
        """Return what a number is on this family: coil, COM, NO, NC, or nothing."""
        if number in self.coil:
            return "coil"
        return {self.com: "COM", self.no: "NO", self.nc: "NC"}.get(number, "")

    @property
    def numbers(self) -> Mapping[str, str]:
        """Number by function, coil ends as `coil 1` and `coil 2`."""
        return {"COM": self.com, "NO": self.no, "NC": self.nc, "coil 1": self.coil[0], "coil 2": self.coil[1]}


FAMILIES: tuple[RelayFamily, ...] = (
    RelayFamily(id="coil-13", name=message("interlock.coil-1-3"), coil=("1", "3"), com="2", no="4", nc="5"),
    RelayFamily(id="coil-45", name=message("interlock.coil-4-5"), coil=("4", "5"), com="1", no="3", nc="2"),
    RelayFamily(id="coil-ab", name=message("interlock.coil-b"), coil=("A", "B"), com="7", no="9", nc="8"),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Move:
    """One lead: its function, the old terminal, the new one."""

    function: str
    old: str
    new: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Replacement:
    """Where each lead goes on the new relay, and what a number-for-number swap would do."""

    moves: tuple[Move, ...]
    refused: tuple[Text, ...]
    is_same_numbering: bool


def plan_replacement(old: RelayFamily, new: RelayFamily) -> Replacement:
    """Map a relay's leads by function; say why numbers must not be trusted.

    Source:
        docs/trade.md, section 6: families number their terminals differently; refuse a number-for-number swap that
        would put line voltage on the control side.
    Example:
        >>> plan = plan_replacement(FAMILIES[0], FAMILIES[1])
        >>> [(move.function, move.old, move.new) for move in plan.moves][0], plan.refused[0].figures
        (('COM', '2', '1'), (('number', '1'), ('there', 'COM')))
    """
    moves = tuple(
        Move(function=function, old=old.numbers[function], new=new.numbers[function]) for function in old.numbers
    )
    refused = []
    for function, number in old.numbers.items():
        there = new.function_of(number)
        if function.startswith("coil") and there in ("COM", "NO", "NC"):
            refused.append((number, message("interlock.number-carries-24-v-coil", number=number, there=there)))
        elif not function.startswith("coil") and there == "coil":
            refused.append(
                (number, message("interlock.number-line-voltage-old-relay", number=number, function=function))
            )
    refused.sort(key=lambda entry: entry[0])
    same = all(move.old == move.new for move in moves)
    return Replacement(
        moves=moves,
        refused=tuple(words for _, words in refused),
        is_same_numbering=same,
    )
