"""How a circuit comes to rest: cases solved by hand, and the plain solver held equal to the batched one."""

from dataclasses import replace

import pytest

from plentar.core.causes.faults import faults_of
from plentar.core.circuit.changes import NO_CHANGE, Changes
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.network import Circuit, Source
from plentar.core.circuit.plain import PlainSettled, solve_one
from plentar.core.circuit.probe import read_volts
from plentar.core.circuit.solve import Solution, Variants, settle
from plentar.core.circuit.wiring import wire
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from tests.units import EVERY_UNIT

PULL_IN_VOLTS, COIL_OHMS = 18.0, 100.0


def both(circuit: Circuit, drive: Drive, changes: Changes = NO_CHANGE) -> tuple[PlainSettled, Solution]:
    """Settle one circuit with both solvers."""
    batched = settle(Variants(circuit, [changes]), replace(drive, limits_open=False))
    if drive.limits_open:
        batched = settle(Variants(circuit, [changes]), drive, start=batched)
    return solve_one(circuit, drive, changes), batched


def is_closed(settled: tuple[PlainSettled, Solution], contact: str) -> bool:
    """Return a contact's state, the same from both."""
    plain, batched = settled
    index = [each.id for each in batched.variants.circuit.contacts].index(contact)
    assert plain.closed[contact] == bool(batched.states[0, index])
    return plain.closed[contact]


def hold_in(share: float) -> Circuit:
    """A relay whose own NC contact bridges the resistor it is held in through, at a share of its pull-in volts.

    Pulled in, the coil stands behind the resistor: 24 V × 100 / (100 + r) = share × 18 V.
    """
    circuit = bare("r", 24.0)
    circuit.contact("call", "r", "w", "call:W", closed=False)
    circuit.branch("hold", "w", "coil", 24.0 * COIL_OHMS / (share * PULL_IN_VOLTS) - COIL_OHMS)
    circuit.contact("relay.nc", "w", "coil", "relay:relay", closed=True)
    circuit.branch("relay.coil", "coil", "ground", COIL_OHMS)
    circuit.contact("relay.no", "w", "out", "relay:relay", closed=False)
    circuit.branch("load", "out", "ground", 1000.0)
    circuit.coils["relay"] = ("coil", "ground", PULL_IN_VOLTS)
    return circuit


def bare(node: str, volts: float) -> Circuit:
    """A circuit of one source; the batched solver also wants a common and a coil somewhere, so here they are."""
    circuit = Circuit()
    circuit.terminal(node)
    circuit.sources.append(Source(f"{node}.source", node, complex(volts), 0.01))
    circuit.lead("common", "transformer.c", "ground")
    circuit.branch("idle.coil", "transformer.c", "ground", COIL_OHMS)
    circuit.coils["idle"] = ("transformer.c", "ground", PULL_IN_VOLTS)
    return circuit


@pytest.mark.parametrize(("share", "stays"), [(0.50, True), (0.40, False)])
def test_a_coil_holds_at_half_its_pull_in_volts_and_lets_go_at_four_tenths(share: float, stays: bool) -> None:
    """Held at 9.0 V of 18 it stays in; at 7.2 V it drops out, pulls in again and never comes to rest."""
    settled = both(hold_in(share), Drive(calls=frozenset({"W"})))
    plain, batched = settled
    assert plain.chatters is not stays
    assert bool(batched.chatters[0]) is not stays
    if stays:
        assert is_closed(settled, "relay.no")
        assert plain.read_volts("coil", "ground") == pytest.approx(9.0, rel=0.01)


def test_a_coil_fed_through_its_own_contact_chatters() -> None:
    """The buzzer: its NC feeds its coil, so in means out and out means in."""
    circuit = hold_in(0.5)
    circuit.branches = [branch for branch in circuit.branches if branch.id != "hold"]
    plain, batched = both(circuit, Drive(calls=frozenset({"W"})))
    assert plain.chatters
    assert bool(batched.chatters[0])
    assert not solve_one(circuit, Drive()).chatters


@pytest.mark.parametrize(
    ("ohms", "open_now"),
    [
        pytest.param((10.0, 10.0), set(), id="24 A in all, 12 in each: nothing"),
        pytest.param((2.0, 10.0), {"b1.pole"}, id="60 A in one branch: its own breaker"),
        pytest.param((2.0, 1.5), {"b1.pole", "b2.pole", "main.pole"}, id="140 A: all three at once"),
    ],
)
def test_breakers_trip_by_what_flows_through_each(ohms: tuple[float, float], open_now: set[str]) -> None:
    """Main of 100 A, branches of 50 A on 120 V: who sees more than its own opens, all in the same turn."""
    circuit = bare("l1", 120.0)
    circuit.contact("main.pole", "l1", "bus", "fixed", closed=True, trip_amps=100.0)
    for number, load in enumerate(ohms, 1):
        circuit.contact(f"b{number}.pole", "bus", f"load-{number}", "fixed", closed=True, trip_amps=50.0)
        circuit.branch(f"load-{number}.element", f"load-{number}", "ground", load)
    settled = both(circuit, Drive())
    assert {name for name in ("main.pole", "b1.pole", "b2.pole") if not is_closed(settled, name)} == open_now


def small_motor(amps: float) -> Nameplate:
    """A unit whose blower motor has this plate."""
    plate = PATTERNS["two-strip-sequencer"]()
    return replace(plate, blower=replace(plate.blower, rated_amps=amps))


@pytest.mark.parametrize("rated_amps", [0.8, 2.6, 5.5, 9.0])
def test_a_seized_motor_moves_no_air_whatever_its_plate(rated_amps: float) -> None:
    """Locked, a motor draws several times its own running amps, however small it is; the strips' limits open."""
    plate = small_motor(rated_amps)
    seized = next(fault for fault in faults_of(plate) if fault.id == "blower.motor.seized").variants[0]
    drive = Drive(calls=frozenset({"W", "G"}), limits_open=True)
    limits = [contact.id for contact in wire(plate).contacts if contact.driver.startswith("limit:")]
    assert limits
    runs = both(wire(plate), drive)
    assert all(is_closed(runs, limit) for limit in limits)
    stands = both(wire(plate), drive, seized)
    assert not any(is_closed(stands, limit) for limit in limits)
    # By hand: locked amps are at least three times what the same motor draws when it turns.
    assert stands[0].amps("amps:blower") > 3 * runs[0].amps("amps:blower")


FEEDS_OFF = Drive(has_control=False, separate=True, bypassed=True)


@pytest.mark.parametrize("name", EVERY_UNIT)
def test_the_plain_solver_is_the_batched_one(name: str) -> None:
    """Volts, amps, ghosts and states of every seventh fault, each fault in its turn over the drives."""
    plate = PATTERNS[name]()
    circuit = wire(plate)
    feeds = frozenset(feed.id for feed in plate.feeds)
    heat = frozenset({"W", "W2"} & set(plate.calls))
    drives = [
        Drive(),
        Drive(calls=heat | {"G"}),
        Drive(calls=heat, limits_open=True),
        replace(FEEDS_OFF, dead_feeds=feeds, calls=heat),
        Drive(opened=feeds),
    ]
    changes = [variant for fault in faults_of(plate) for variant in fault.variants]
    element = f"{plate.circuits[0].id}.element.1"
    for turn, drive in enumerate(drives):
        own = changes[turn::7]
        closed = batched = settle(Variants(circuit, own), replace(drive, limits_open=False))
        if drive.limits_open:
            batched = settle(Variants(circuit, own), drive, start=closed)
        shown = {pair: read_volts(batched, *pair) for pair in (("board.w", "board.c"), (element, "ground"))}
        for row, change in enumerate(own):
            plain = solve_one(circuit, drive, change)
            if plain.chatters:
                # It drops out under its own load and comes back: where it is left is no state to compare.
                assert batched.chatters[row] or closed.chatters[row], (drive, change)
                continue
            states = dict(zip((contact.id for contact in circuit.contacts), batched.states[row], strict=True))
            assert plain.closed == states, (drive, change)
            for terminal in circuit.terminals:
                ours, theirs = plain.at(terminal), complex(batched.at(terminal)[row])
                assert abs(ours - theirs) <= 1e-3 * max(1.0, abs(theirs)), (terminal, drive, change)
            for clamp in circuit.clamps:
                theirs = abs(complex(batched.amps(clamp.id)[row]))
                assert plain.amps(clamp.id) == pytest.approx(theirs, rel=1e-3, abs=1e-3), (clamp.id, change)
            for pair, (volts, softness) in shown.items():
                assert plain.read_volts(*pair) == pytest.approx(float(volts[row]), rel=0.01, abs=0.01), change
                assert plain.softness(*pair) == pytest.approx(float(softness[row]), rel=0.01, abs=1e3), change
