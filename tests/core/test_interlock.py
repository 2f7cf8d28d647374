"""The interlock bench against a truth table, and the wirings the trade knows as wrong."""

from itertools import product
from pathlib import Path

import pytest

from plentar.core.causes.faults import fault_by_id
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.interlock import (
    CALLS,
    FAMILIES,
    RelayWiring,
    judge_wiring,
    outcomes,
    plan_replacement,
    wiring_of,
)
from plentar.core.circuit.plain import solve_one
from plentar.core.circuit.wiring import wire
from plentar.core.errors import NameplateError
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.patterns import PATTERNS
from plentar.words import render

TABLE = (Path(__file__).parent / "interlock_truth.txt").read_text().splitlines()
PLACES = ("L1", "L2", "strip", "none")


def by_hand(com: str, no: str, nc: str, fixed: str, calls: frozenset[str]) -> str:
    """Follow the wires with a pencil: which places are one piece of copper, and what then stands across what.

    The motor's lead sits on COM, its fixed lead on one leg; the element hangs on L1, the heat contact joins its other
    end to L2. X: L1 and L2 are one. H: the element has L2 on its far end. B: the motor has the legs on its two ends.
    bh: the motor's other way to a leg is through the cold element.
    """
    joined: dict[str, str] = {}

    def end(place: str) -> str:
        while joined.get(place, place) != place:
            place = joined[place]
        return place

    wires = [("COM", com), ("NO", no), ("NC", nc), ("COM", "NO" if "G" in calls else "NC")]
    if "W" in calls:
        wires.append(("strip", "L2"))
    for a, b in wires:
        if b != "none":
            joined[end(a)] = end(b)
    if end("L1") == end("L2"):
        return "X"
    heats = end("strip") == end("L2")
    if end("COM") == end("L2" if fixed == "L1" else "L1"):
        return "BH" if heats else "B-"
    if end("COM") == end("strip") and fixed == "L2" and not heats:
        return "bh"
    return "-H" if heats else "--"


def test_the_table_is_whole_and_says_what_a_pencil_says() -> None:
    """64 landings of COM, NO and NC, times two legs for the fixed lead, times four calls."""
    rows = dict(line.split(": ") for line in TABLE)
    assert len(rows) == 2 * 64
    for fixed, com, no, nc in product(("L1", "L2"), PLACES, PLACES, PLACES):
        codes = [by_hand(com, no, nc, fixed, calls) for calls in CALLS]
        assert rows[f"{fixed} {com} {no} {nc}"].split() == codes


def test_the_bench_matches_the_table() -> None:
    """Every landing under every call, solved as a circuit."""
    wanted, wirings = [], []
    for line in TABLE:
        name, _, codes = line.partition(": ")
        fixed, com, no, nc = name.split()
        wirings.append(RelayWiring(com=com, no=no, nc=nc, fixed=fixed))  # type: ignore[arg-type]
        wanted.append(codes.split())
    got = [[outcome.code for outcome in four] for four in outcomes(wirings)]
    assert got == wanted


def test_every_wrong_landing_is_told_why_and_only_the_right_one_passes() -> None:
    """One sentence each; of 128 the interlock the trade uses is the one without fault."""
    right = []
    for line in TABLE:
        fixed, com, no, nc = line.partition(":")[0].split()
        verdict = judge_wiring(RelayWiring(com=com, no=no, nc=nc, fixed=fixed))  # type: ignore[arg-type]
        assert render(verdict.sentence).endswith(".")
        assert render(verdict.sentence).count(". ") == 0
        if verdict.grade is Grade.PASS:
            right.append((fixed, com, no, nc))
    assert right == [("L1", "none", "L2", "strip")]


@pytest.mark.parametrize(
    ("wiring", "words"),
    [
        pytest.param(
            RelayWiring(com="strip", no="L2", nc="strip"), "Back-feed: a call for fan heats", id="a: plain wire"
        ),
        pytest.param(RelayWiring(com="L2", nc="strip", blower_on="no"), "The strip heats until the fan", id="b"),
        pytest.param(RelayWiring(com="L2", nc="L1", blower_on="no"), "Dead short", id="c"),
        pytest.param(RelayWiring(no="L2"), "Heat without air with W calling", id="d: NC left open"),
        pytest.param(RelayWiring(no="L1", nc="strip", fixed="L2"), "runs slow in series with the strip", id="e"),
        pytest.param(RelayWiring(no="L2", nc="strip", state=("nc dead",)), "Heat without air with W", id="NC dead"),
        pytest.param(RelayWiring(no="L2", nc="strip", state=("no dead",)), "A call for fan does not run", id="NO dead"),
        pytest.param(
            RelayWiring(no="L2", nc="strip", state=("nc welded",)), "A call for fan does not run", id="NC welded"
        ),
        pytest.param(RelayWiring(no="L2", nc="strip", state=("no welded",)), "The blower never stops", id="NO welded"),
        pytest.param(RelayWiring(com="low", no="L2", nc="strip"), "Both speed taps are joined", id="two taps"),
    ],
)
def test_the_wrong_ways_people_wire_it(wiring: RelayWiring, words: str) -> None:
    """docs/trade.md, section 1, (a) to (e); and contacts that stick or never make."""
    verdict = judge_wiring(wiring)
    assert verdict.grade is not Grade.PASS
    assert words in " ".join(map(render, [verdict.sentence, *verdict.also]))


def test_c_is_a_short_only_without_a_fan_call() -> None:
    """COM on L2, NC on L1, blower on NO."""
    assert [o.is_short for o in outcomes([RelayWiring(com="L2", nc="L1", blower_on="no")])[0]] == [
        True,
        True,
        False,
        False,
    ]


def test_relays_are_swapped_by_function() -> None:
    """Numbers that cross line and control are refused, and only they; every lead moves once."""
    for old, new in product(FAMILIES, FAMILIES):
        plan = plan_replacement(old, new)
        assert sorted(move.function for move in plan.moves) == ["COM", "NC", "NO", "coil 1", "coil 2"]
        assert len({move.new for move in plan.moves}) == 5
        crosses = any(
            (old.function_of(n) == "coil") != (new.function_of(n) == "coil")
            for n in old.numbers.values()
            if new.function_of(n)
        )
        assert bool(plan.refused) == crosses
        assert plan.is_same_numbering == (old is new)


@pytest.mark.parametrize("bad", [{"com": "L3"}, {"fixed": "ground"}, {"blower_on": "coil"}, {"state": ("nc bent",)}])
def test_landings_that_are_none_are_refused(bad: dict[str, object]) -> None:
    """With the field that is wrong."""
    with pytest.raises(NameplateError) as caught:
        RelayWiring(**bad)  # type: ignore[arg-type]
    assert caught.value.field == next(iter(bad))


@pytest.mark.parametrize(
    ("state", "by_the_blade"),
    [
        pytest.param((), ["--", "BH", "B-", "BH"], id="sound"),
        # Held at NC: the strip's own pole carries it with heat; the fan call pulls the coil and moves nothing.
        pytest.param(("nc welded",), ["--", "BH", "--", "BH"], id="NC welded"),
        # Held at NO: it runs from the leg whatever is calling, and no strip is fed through NC.
        pytest.param(("no welded",), ["B-", "BH", "B-", "BH"], id="NO welded"),
    ],
)
def test_one_blade_held_at_one_contact_never_reaches_the_other(state: tuple[str, ...], by_the_blade: list[str]) -> None:
    """Nothing, W, G and both called, worked out by hand for the right landing."""
    wiring = RelayWiring(no="L2", nc="strip", state=state)
    assert [outcome.code for outcome in outcomes([wiring])[0]] == by_the_blade


def test_a_welded_contact_of_a_unit_opens_its_partner() -> None:
    """The same in the unit's own faults: with NO welded NC reads open at rest, with NC welded NO never makes."""
    plate = PATTERNS["two-strip-sequencer"]()
    for contact, other in (("no", "nc"), ("nc", "no")):
        fault = fault_by_id(plate, f"blower-relay.{contact}.welded")
        for drive in (Drive(), Drive(calls=frozenset({"G"}))):
            settled = solve_one(wire(plate), drive, fault.variants[0])
            assert (settled.closed[f"blower-relay.{contact}"], settled.closed[f"blower-relay.{other}"]) == (True, False)


@pytest.mark.parametrize("name", sorted(PATTERNS))
def test_a_unit_lands_on_the_bench_as_it_is_wired(name: str) -> None:
    """Every correct unit with a relay is the right one on the bench, whichever leg its strip is switched in."""
    blower = PATTERNS[name]().blower
    wiring = wiring_of(PATTERNS[name]())
    if wiring is None:
        assert blower.relay is None or blower.switched_by or len(blower.relay.contacts) > 1
    else:
        assert judge_wiring(wiring).grade is Grade.PASS
