"""The circuit behaves as circuits do: each of docs/trade.md's signatures, from the wiring alone."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plentar.core.causes.faults import fault_by_id, faults_of
from plentar.core.causes.hypotheses import model_of
from plentar.core.causes.prediction import predict
from plentar.core.circuit.changes import NO_CHANGE, Changes
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.elimination import Pattern
from plentar.core.circuit.probe import pieces, read_amps, read_volts
from plentar.core.circuit.solve import IMPEDANCES, MOST_PAIRS, Solution, Variants, settle
from plentar.core.circuit.wiring import wire
from plentar.core.errors import ReadingError
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.patterns import PATTERNS

HEAT, FAN, BOTH, IDLE = Drive(calls=frozenset("W")), Drive(calls=frozenset("G")), Drive(calls=frozenset("WG")), Drive()
POLE_B = ("seq-a.pole-2.load", "seq-a.pole-2.line")


def solved(drive: Drive, *faults: str, pattern: str = "two-strip-sequencer", variant: int = 0) -> Solution:
    """The pattern's circuit at rest under a drive, with these faults."""
    plate = PATTERNS[pattern]()
    changes: Changes = NO_CHANGE
    for fault in faults:
        changes = changes | fault_by_id(plate, fault).variants[variant]
    return settle(Variants(wire(plate), [changes]), drive)


def volts(settled: Solution, a: str, b: str, function: str = "volts") -> float:
    """What a 10 Mohm meter shows between two terminals."""
    return float(read_volts(settled, a, b, function=function)[0][0])


def amps(settled: Solution, *clamps: str) -> float:
    """What a clamp shows."""
    return float(read_amps(settled, *(f"amps:{clamp}" for clamp in clamps))[0])


def test_an_open_pole_shows_line_only_in_a_whole_rung() -> None:
    """Line across the open pole; with the element open too, next to nothing across either of the two opens."""
    assert volts(solved(HEAT, "seq-a.pole-2.open"), *POLE_B) == pytest.approx(238.5, abs=1.0)
    both = solved(HEAT, "seq-a.pole-2.open", "strip-b.element.open")
    assert volts(both, *POLE_B) < 15
    assert volts(both, "strip-b.element.1", "strip-b.element.2") < 15
    link = solved(HEAT, "strip-b.link.open", "strip-b.limit.open")
    assert volts(link, "strip-b.link.1", "strip-b.link.2") < 15
    assert volts(link, "strip-b.limit.1", "strip-b.limit.2") < 15


def test_a_good_pole_in_a_broken_rung_shows_nothing_and_carries_nothing() -> None:
    """Zero volts across a contact without current: closed, and it proves nothing."""
    settled = solved(HEAT, "strip-b.limit.open")
    assert volts(settled, *POLE_B) < 0.05
    assert amps(settled, "strip-b") < 0.01
    assert volts(settled, "strip-b.limit.1", "strip-b.limit.2") == pytest.approx(238.5, abs=1.0)


def test_one_feed_pole_lost_reads_full_volts_to_ground_and_none_between() -> None:
    """The transformer's primary joins the legs: about 120, 120 and 0; two feeds: only the broken one."""
    settled = solved(IDLE, "feed-1.breaker-l2.open")
    assert volts(settled, "feed-1.l1", "ground") == pytest.approx(120, abs=2)
    assert volts(settled, "feed-1.l2", "ground") == pytest.approx(120, abs=4)
    assert volts(settled, "feed-1.l1", "feed-1.l2") < 4
    second = solved(HEAT, "feed-2.breaker-l1.open", pattern="three-strip-dc-relay")
    assert amps(second, "strip-a") > 18
    assert amps(second, "strip-c") < 0.1


@pytest.mark.parametrize("variant", [1, 2, 3], ids=["near leg 1", "middle", "near leg 2"])
def test_a_grounded_element_draws_without_a_call(variant: int) -> None:
    """Single-leg switching leaves it fed: current in one lead, none in the other; limit cannot always stop it."""
    settled = solved(IDLE, "strip-b.element.grounded", variant=variant)
    assert amps(settled, "strip-b") > 10
    assert amps(settled, "strip-b.return") < 0.1
    assert amps(settled, "strip-b", "strip-b.return") > 10
    heated = solved(HEAT, "strip-b.element.grounded", variant=2)
    assert amps(heated, "strip-b") == pytest.approx(20.6, abs=0.6)


@pytest.mark.parametrize(
    ("jaw", "amps_shown"),
    [
        # Out in one lead and back in the other: nothing, however much the strip draws.
        (("strip-a", "strip-a.return"), 0.0),
        # Two strips' leads of one leg add; one's lead and the other's way back take each other away.
        (("strip-a", "strip-b"), 2 * 20.55),
        (("strip-a", "strip-b.return"), 0.0),
        (("strip-a", "strip-b", "strip-b.return"), 20.55),
        # The motor's amps are out of step: 2.7 A at a power factor of 0.8 beside 20.55 A.
        (("strip-a", "blower"), abs(20.55 + 2.725 * complex(0.8, -0.6))),
    ],
)
def test_a_jaw_adds_with_direction_and_phase(jaw: tuple[str, ...], amps_shown: float) -> None:
    """By hand: leads as they leave the supply."""
    assert amps(solved(BOTH, "healthy"), *jaw) == pytest.approx(amps_shown, abs=0.25)


def test_both_leads_of_a_grounded_element_read_its_leak() -> None:
    """Grounded in the middle it draws as it should in either lead; around both, what goes to the frame."""
    heated = solved(HEAT, "strip-b.element.grounded", variant=1)
    one, other = amps(heated, "strip-b"), amps(heated, "strip-b.return")
    assert amps(heated, "strip-b", "strip-b.return") == pytest.approx(abs(one - other), abs=0.1)
    assert abs(one - other) > 5


def four_rows(*faults: str) -> list[tuple[bool, bool]]:
    """Blower and strip A running, for none, G, W and both."""
    rows = []
    for drive in (IDLE, FAN, HEAT, BOTH):
        settled = solved(drive, *faults)
        across = volts(settled, "blower.fixed", "blower.run")
        rows.append((across > 180, amps(settled, "strip-a") > 10))
    return rows


@pytest.mark.parametrize(
    ("fault", "expected"),
    [
        pytest.param((), [(False, False), (True, False), (True, True), (True, True)], id="correct"),
        pytest.param(
            ("interlock.plain-wire",), [(False, False), (True, True), (True, True), (True, True)], id="(a) plain wire"
        ),
        pytest.param(
            ("interlock.com-on-leg",), [(False, True), (True, False), (False, True), (True, True)], id="(b) COM on leg"
        ),
        pytest.param(
            ("blower-relay.lead-nc.off",),
            [(False, False), (True, False), (False, True), (True, True)],
            id="(d) NC open",
        ),
    ],
)
def test_interlock_wirings_in_the_four_rows(fault: tuple[str, ...], expected: list[tuple[bool, bool]]) -> None:
    """Blower and first strip for none, G, W, both, as docs/trade.md describes each wiring."""
    assert four_rows(*fault) == expected


def test_interlock_across_the_legs_is_a_dead_short_without_a_fan_call() -> None:
    """(c) trips the feed's breaker, both poles together; not with the fan called from the start."""
    settled = solved(IDLE, "interlock.across-legs")
    assert settled.tripped.sum() == 2
    assert volts(settled, "feed-1.l1", "feed-1.l2") < 1


def test_fixed_lead_and_no_exchanged_runs_the_blower_slowly_in_series_with_the_strip() -> None:
    """(e) about 87 % volts with no call; heat stops the blower; a fan call hides it."""
    fault = "interlock.fixed-and-no-exchanged"
    idle = solved(IDLE, fault)
    assert volts(idle, "blower.fixed", "blower.run") / 240 == pytest.approx(0.87, abs=0.06)
    assert volts(solved(HEAT, fault), "blower.fixed", "blower.run") < 5
    assert volts(solved(FAN, fault), "blower.fixed", "blower.run") > 230


@pytest.mark.parametrize(
    ("pattern", "fault"),
    [
        ("two-strip-sequencer", "seq-a.coil.shorted"),
        ("wye-contactor", "contactor-a.coil.shorted"),
        ("two-strip-ac-relay", "blower-relay.coil.shorted"),
    ],
)
def test_a_shorted_coil_overdraws_the_transformer(pattern: str, fault: str) -> None:
    """Well above 1.67 A at 40 VA, or the fuse is gone."""
    plate = PATTERNS[pattern]()
    drive = FAN if "blower" in fault else HEAT
    fuse = [c.id for c in wire(plate).contacts].index("fuse")
    worst = solved(drive, fault, pattern=pattern)
    assert worst.tripped[0, fuse] or amps(worst, "control") > 40 / 24
    healthy = solved(drive, pattern=pattern)
    assert (
        amps(solved(drive, fault, pattern=pattern, variant=1), "control") > 2 * amps(healthy, "control")
        or (solved(drive, fault, pattern=pattern, variant=1).tripped[0, fuse])
    )


def test_rectified_coils_fool_the_ac_function() -> None:
    """Smoothed: about zero on AC; unsmoothed: about 0.4 of its AC input; both right on DC; a plain coil reads no DC."""
    smoothed = solved(HEAT, pattern="three-strip-dc-relay")
    coil = ("relay-a.coil.1", "relay-a.coil.2")
    inlet = volts(smoothed, "relay-a.rectifier.1", "board.c")
    assert volts(smoothed, *coil) < 1.0
    assert 0.75 <= volts(smoothed, *coil, "dc_volts") / inlet <= 1.45
    from dataclasses import replace

    plate = PATTERNS["three-strip-dc-relay"]()
    rough = replace(plate, devices=tuple(replace(device, rectifier="unsmoothed") for device in plate.devices))
    settled = settle(Variants(wire(rough), [NO_CHANGE]), HEAT)
    assert volts(settled, *coil) / volts(settled, "relay-a.rectifier.1", "board.c") == pytest.approx(0.4, abs=0.05)
    assert volts(solved(HEAT), "seq-a.coil.1", "seq-a.coil.2", "dc_volts") == 0


def test_a_clamp_around_both_conductors_reads_only_what_leaks() -> None:
    """Zero on a sound circuit under load, the leak on a grounded one, the sum around two strips."""
    assert abs(amps(solved(HEAT), "strip-a") - amps(solved(HEAT), "strip-a.return")) < 1e-6
    assert amps(solved(HEAT), "strip-a", "strip-b") == pytest.approx(41.1, abs=0.3)


def test_cut_conductors_float_and_the_meter_shows_a_ghost() -> None:
    """A broken W conductor in its cable floats by topology and still shows some volts, less with low impedance."""
    settled = solved(FAN, "thermostat.lead-w.off")
    piece = pieces(settled, 0)
    assert piece["thermostat.w"] != piece["board.c"]
    assert piece["board.r"] == piece["board.c"] != piece["ground"]
    open_rung = solved(IDLE, "strip-b.element.open")
    shown, softness = read_volts(open_rung, "strip-b.limit.1", "strip-b.limit.2")
    assert softness[0] < 1.0
    ghost, soft = read_volts(open_rung, "strip-b.element.2", "ground")
    low, _ = read_volts(open_rung, "strip-b.element.2", "ground", meter_ohms=3000.0)
    assert soft[0] > 1e5
    assert low[0] < max(0.2, 0.05 * ghost[0])
    assert shown[0] < 0.01


def test_one_pairs_source_impedance_is_the_whole_matrixs() -> None:
    """A ghost's softness is the same asked alone, an ampere in and out, and out of the matrices made for many."""
    ghost = ("strip-b.element.2", "ground")
    many = solved(IDLE, "strip-b.element.open").copy()
    alone = read_volts(many.copy(), *ghost)
    for _ in range(MOST_PAIRS):
        read_volts(many, "strip-b.limit.1", "strip-b.limit.2")
    together = read_volts(many, *ghost)
    assert many.key in IMPEDANCES
    assert alone[1][0] > 1e5
    assert [float(x[0]) for x in together] == pytest.approx([float(x[0]) for x in alone], rel=1e-4)


def test_in_circuit_ohms_count_parallel_paths_and_leads_lifted_do_not() -> None:
    """With power isolated the blower and primary bridge the legs, so an open element still shows ohms in circuit."""
    model = model_of(PATTERNS["two-strip-sequencer"]())
    row = next(i for i, h in enumerate(model.hypotheses) if h.id == "strip-a.element.open")
    lifted = model.predict("ohms:strip-a.element", Drive()).predicted
    in_circuit = model.predict("ohms:strip-a.element.1:strip-a.element.2", Drive()).predicted
    assert lifted[row] == OPEN_OHMS
    assert 5 < in_circuit[row] < 200
    assert lifted[0] == pytest.approx(11.52 / 1.05, abs=0.01)


def test_heat_without_air_is_predicted_with_limits_closed_and_open() -> None:
    """Blower dead under heat: the strips draw until their limits open."""
    whole = predict(PATTERNS["two-strip-sequencer"](), frozenset("W"), ["blower.motor.open"])
    assert whole.amps["strip-a"] > 18
    assert whole.amps_with_limits_open["strip-a"] < 0.1
    healthy = predict(PATTERNS["two-strip-sequencer"](), frozenset("W"))
    assert healthy.amps_with_limits_open["strip-a"] > 18


@pytest.mark.parametrize("name", sorted(PATTERNS))
def test_healthy_units_heat_and_stop(name: str) -> None:
    """Every strip draws its rated current at the volts at hand under heat, none without; currents add up per feed."""
    plate = PATTERNS[name]()
    heat = frozenset({"W", "W2"} & set(plate.calls))
    whole = predict(plate, heat)
    idle = predict(plate, frozenset())
    for circuit in plate.circuits:
        feed = plate.feed_of(circuit.supplied_by)
        line = whole.volts[f"{feed}.l1:{feed}.l2"].ac_volts
        assert whole.amps[circuit.id] == pytest.approx(line / circuit.element_ohms, rel=0.01)
        assert idle.amps[circuit.id] < 0.01
    assert not whole.chatters
    assert whole.tripped == ()


@settings(max_examples=25)
@given(st.sampled_from(sorted(PATTERNS)), st.data())
def test_current_into_every_node_is_zero(name: str, data: st.DataObject) -> None:
    """Kirchhoff's current law holds at each node of any single fault under any call."""
    plate = PATTERNS[name]()
    fault = data.draw(st.sampled_from([fault.id for fault in faults_of(plate)]))
    drive = data.draw(st.sampled_from([IDLE, FAN, HEAT, BOTH]))
    settled = solved(drive, fault, pattern=name)
    v, volts = settled.variants, settled.volts[0]
    leaving = np.zeros(v.nodes, dtype=complex)
    joins = [
        (v.branch_a, v.branch_b, v.admittance),
        (v.contact_a, v.contact_b, v.closed * settled.states),
        (v.split_a, v.split_b, v.split_y),
    ]
    for a, b, siemens in joins:
        through = siemens[0] * (volts[a[0]] - volts[b[0]])
        np.add.at(leaving, a[0], through)
        np.add.at(leaving, b[0], -through)
    for (a, b, c, d), n, y in zip(v.node_of[0][v.ports], v.ratio[0], v.port_admittance[0], strict=True):
        out = y * (n * (volts[a] - volts[b]) - (volts[c] - volts[d]))
        np.add.at(leaving, [a, b, c, d], np.array([n * out, -n * out, -out, out]))
    for source in v.circuit.sources:
        node = v.node_of[0, v.circuit.terminals[source.node]]
        leaving[node] -= (v.supply[0] * source.volts - volts[node]) / source.ohms
    # Ground is where the legs' currents come back.
    assert np.abs(leaving[1:]).max() < 1e-6


@settings(max_examples=30)
@given(st.integers(2, 12), st.integers(1, 5), st.booleans(), st.integers(0, 2**32 - 1))
def test_elimination_agrees_with_a_dense_solver(size: int, count: int, grounded: bool, seed: int) -> None:
    """Random passive networks, several at once, a node or two with any neighbour: the same volts as numpy's own."""
    random = np.random.default_rng(seed)
    a, b = random.integers(0, size, (2, count, 3 * size))
    siemens = random.uniform(1e-3, 5, a.shape) * np.exp(1j * random.uniform(-1.5, 1.5, a.shape))
    pattern = Pattern(size, set(zip(a.ravel(), b.ravel(), strict=True)), grounded=grounded, late=size // 4)
    values = np.zeros((pattern.slots, count), dtype=complex)
    pattern.stamp(values, a, b, siemens)
    every = np.tile(np.arange(size), (count, 1))
    pattern.add(values, every, every, np.full((count, size), 0.01 + 0j))
    pattern.factor(values)
    right = random.normal(size=(size, count)) + 0j
    answer = pattern.solve(values, right)
    first = 1 if grounded else 0
    for row in range(count):
        dense = 0.01 * np.eye(size, dtype=complex)
        for i, j, y in zip(a[row], b[row], siemens[row], strict=True):
            for p, q, sign in ((i, i, 1), (j, j, 1), (i, j, -1), (j, i, -1)):
                dense[p, q] += sign * y
        expected = np.linalg.solve(dense[first:, first:], right[first:, row])
        assert answer[first:, row] == pytest.approx(expected, rel=1e-8, abs=1e-9)


@pytest.mark.parametrize(
    ("fault", "drive", "clamp"),
    [
        ("seq-a.coil.open", HEAT, "strip-a"),
        ("blower-relay.coil.open", FAN, "blower"),
        ("seq-a.coil.shorted", HEAT, "strip-a"),
    ],
)
def test_an_open_or_shorted_coil_moves_nothing(fault: str, drive: Drive, clamp: str) -> None:
    """24 V across an open heater or coil is still 24 V, and nothing behind it runs."""
    settled = solved(drive, fault)
    device = fault.partition(".")[0]
    if fault.endswith("open"):
        assert volts(settled, f"{device}.coil.1", f"{device}.coil.2") > 24
    assert amps(settled, clamp) < 0.05


def test_a_weak_breaker_holds_until_the_strips_run() -> None:
    """Line volts with no call; with heat both its poles open together, last of all that moves."""
    idle, heat = solved(IDLE, "feed-1.breaker.weak"), solved(HEAT, "feed-1.breaker.weak")
    assert volts(idle, "feed-1.l1", "feed-1.l2") == pytest.approx(240, abs=1)
    assert volts(heat, "feed-1.l1", "feed-1.l2") < 1
    assert amps(heat, "feed-1") < 0.01
    assert heat.tripped.sum() == 2


def test_exchanged_o_and_b_energise_the_wrong_one() -> None:
    """Under a cooling call B has the 24 V that belongs on O, and a valve that wants O stays where it is."""
    cooling = Drive(calls=frozenset("Y"))
    right, wrong = solved(cooling), solved(cooling, "thermostat.o-and-b.exchanged")
    assert volts(right, "board.o", "board.c") > 22 > 5 > volts(wrong, "reversing-valve.coil.1", "board.c")
    assert volts(wrong, "board.b", "board.c") > 22


def test_an_outdoor_thermostat_that_stays_open_holds_the_second_stage_off() -> None:
    """W2 arrives at it and not behind it; the first stage heats."""
    drive = Drive(calls=frozenset({"W", "W2"}))
    held = solved(drive, "outdoor-thermostat.stuck-open", pattern="four-strip-staged")
    assert volts(held, "outdoor-thermostat.1", "board.c") > 20 > 5 > volts(held, "board.w2", "board.c")
    assert amps(held, "strip-a") > 18 > 1 > amps(held, "strip-c")


def test_a_thermostat_without_its_common_has_no_supply() -> None:
    """R is there, and yet from R to C at the thermostat the meter finds nothing to speak of."""
    right, wrong = solved(IDLE), solved(IDLE, "thermostat.lead-c.off")
    assert volts(right, "thermostat.r", "thermostat.c") > 24
    assert volts(wrong, "thermostat.r", "thermostat.c") < 2
    assert volts(wrong, "thermostat.r", "board.c") > 24


def test_unknown_faults_are_refused() -> None:
    """The text says where to look."""
    with pytest.raises(ReadingError, match=r"no fault 'strip-q\.link\.open'"):
        fault_by_id(PATTERNS["two-strip-sequencer"](), "strip-q.link.open")


def test_a_kit_on_its_own_feed_runs_the_blower_of_another() -> None:
    """Strips on feed 2, blower and transformer on feed 1, NC on strip A: the interlock spans both feeds.

    By hand: with W the pole brings feed 2's L2 through NC to the motor, whose fixed lead is on feed 1's L1: 240 V. With
    feed 2 off nothing heats and the motor has one leg only: 120 V to the frame at either end, nothing across it.
    """
    one = PATTERNS["two-strip-sequencer"]()
    plate = replace(
        one,
        feeds=(one.feeds[0], replace(one.feeds[0], id="feed-2")),
        circuits=tuple(replace(circuit, supplied_by="feed-2") for circuit in one.circuits),
    )
    heat = Drive(calls=frozenset({"W"}))
    settled = settle(Variants(wire(plate), [NO_CHANGE]), heat)
    assert read_amps(settled, "amps:strip-a")[0] == pytest.approx(20.6, abs=0.3)
    assert read_volts(settled, "blower.fixed", "blower.run")[0][0] == pytest.approx(240, abs=4)
    # The motor is out of step with the strips: the two feeds add up to less than their amps as sizes.
    assert 41 < read_amps(settled, "amps:feed-2")[0] + read_amps(settled, "amps:feed-1")[0] < 45
    half = settle(Variants(wire(plate), [NO_CHANGE]), replace(heat, dead_feeds=frozenset({"feed-2"})))
    assert read_amps(half, "amps:strip-a")[0] < 0.1
    assert read_volts(half, "blower.fixed", "blower.run")[0][0] < 1
    assert read_volts(half, "blower.run", "ground")[0][0] == pytest.approx(120, abs=2)
