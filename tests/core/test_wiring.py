"""From nameplate to terminals: what is wired where, and what a catalogue of faults and tests must hold."""

from dataclasses import replace

import numpy as np
import pytest

from plentar.core.causes.catalogue import catalogue
from plentar.core.causes.faults import COMPLAINTS, MODES, faults_of
from plentar.core.causes.hypotheses import model_of
from plentar.core.causes.line_state import line_states
from plentar.core.causes.next_test import SCHOOLS
from plentar.core.circuit.changes import Changes
from plentar.core.circuit.drive import Drive, drives_of
from plentar.core.circuit.places import find_point
from plentar.core.circuit.probe import read_amps, read_volts
from plentar.core.circuit.solve import Variants, settle
from plentar.core.circuit.wiring import OHMS_PER_1000_FEET, wire
from plentar.core.errors import NameplateError
from plentar.core.evidence.reading import Condition
from plentar.core.limits.table import DEFAULT_LIMITS
from plentar.core.unit.nameplate import Conductor, Feed, Nameplate, Window
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.points import rung_terminals, test_points
from tests.units import EVERY_UNIT

ALL = sorted(PATTERNS)
TWO = PATTERNS["two-strip-sequencer"]()


def live(*calls: str, seconds: float | None = 400.0) -> Condition:
    """Everything live with these calls on."""
    return Condition(calls=tuple((call, seconds) for call in calls))


@pytest.mark.parametrize("name", ALL)
def test_every_point_of_the_run_sheet_stands_on_terminals_of_the_network(name: str) -> None:
    """What the pad offers, the network core can predict."""
    plate = PATTERNS[name]()
    model = model_of(plate)
    for point in test_points(plate):
        assert np.isfinite(model.predict(point.id, Drive()).predicted).all(), point.id
        assert find_point(plate, point.id) is point


@pytest.mark.parametrize("name", EVERY_UNIT)
def test_every_test_of_the_catalogue_can_be_predicted_and_is_unique(name: str) -> None:
    """No test twice, none at a place that cannot be reached with a probe, ohms only without a call."""
    plate = PATTERNS[name]()
    model = model_of(plate)
    tests = catalogue(plate)
    keys = [(test.point, test.drive) for test in tests]
    assert len(keys) == len(set(keys))
    for test in tests:
        assert model.predict(test.point, test.drive).predicted.shape == (len(model.hypotheses),)
        assert "stator" not in test.point
        assert test.minutes > 0
        assert not (test.is_isolated and test.drive.calls)


@pytest.mark.parametrize("name", ALL)
def test_every_fault_has_its_words_and_changes_something_of_this_circuit(name: str) -> None:
    """Ids are unique and stable in form, weights above zero, changes name parts that exist."""
    plate = PATTERNS[name]()
    circuit = wire(plate)
    branches = {branch.id for branch in circuit.branches}
    contacts = {contact.id for contact in circuit.contacts}
    leads = {lead.id for lead in circuit.leads}
    faults = faults_of(plate)
    assert len({fault.id for fault in faults}) == len(faults)
    for fault in faults:
        assert fault.weight > 0
        assert fault.title
        assert fault.repair
        assert fault.proof
        for change in fault.variants:
            assert set(change.ohms) <= branches
            assert set(change.forced) | set(change.contact_ohms) <= contacts
            assert set(change.split) | set(change.moved) <= leads
            assert set(change.moved.values()) <= set(circuit.terminals)


@pytest.mark.parametrize("name", ALL)
def test_no_single_fault_leaves_the_circuit_without_an_answer(name: str) -> None:
    """Volts finite and not above the supply's own two legs, under every call."""
    plate = PATTERNS[name]()
    changes = [variant for fault in faults_of(plate) for variant in fault.variants]
    variants = Variants(wire(plate), changes)
    for calls in ("", "G", "W", "WG", "Y"):
        settled = settle(variants, Drive(calls=frozenset(calls)))
        assert np.isfinite(settled.volts).all()
        for feed in plate.feeds:
            # At most the supply itself: nothing in a heater makes volts.
            across = np.abs(settled.at(f"{feed.id}.l1") - settled.at(f"{feed.id}.l2"))
            assert (across / variants.supply).max() <= plate.nominal_volts * 1.001


def test_the_panel_gives_what_the_unit_takes() -> None:
    """Power from the sources equals power in everything resistive, healthy unit under heat."""
    circuit = wire(TWO)
    settled = settle(Variants(circuit, [Changes()]), Drive(calls=frozenset("WG")))
    v = settled.variants
    given = 0.0
    for source in circuit.sources:
        volts = settled.at(source.node)[0]
        current = (source.volts - volts) / source.ohms
        given += (volts * np.conj(current)).real
    strips = sum(
        abs(settled.at(f"{c.id}.element.1")[0] - settled.at(f"{c.id}.element.2")[0]) ** 2 / c.element_ohms
        for c in TWO.circuits
    )
    assert strips == pytest.approx(2 * 4870, rel=0.01)
    assert strips < given < strips + 1000
    assert v.count == 1


@pytest.mark.parametrize(
    ("metal", "size", "feet", "ohms"),
    [("copper", "6", 40.0, 0.01964), ("aluminium", "4", 100.0, 0.0508), ("copper", "4/0", 1000.0, 0.0608)],
)
def test_conductor_ohms_follow_the_table(metal: str, size: str, feet: float, ohms: float) -> None:
    """Ohms per 1000 ft times the one-way length, on each leg."""
    conductor = Conductor(metal="copper" if metal == "copper" else "aluminium", size=size, length_feet=feet)
    plate = replace(TWO, feeds=(Feed(id="feed-1", breaker_amps=60.0, conductor=conductor),))
    legs = [branch for branch in wire(plate).branches if ".conductor-" in branch.id]
    assert [branch.ohms.real for branch in legs] == [pytest.approx(ohms)] * 2
    assert OHMS_PER_1000_FEET[metal][size] == pytest.approx(1000 * ohms / feet)


def test_a_longer_wire_sags_more() -> None:
    """Twice the feed length, more than a volt less at the unit under load, the same without."""
    sags = []
    for feet in (40.0, 80.0):
        conductor = Conductor(metal="copper", size="6", length_feet=feet)
        circuit = wire(replace(TWO, feeds=(Feed(id="feed-1", breaker_amps=60.0, conductor=conductor),)))
        idle, heat = (settle(Variants(circuit, [Changes()]), Drive(calls=frozenset(c))) for c in ("", "W"))
        pair = [float(read_volts(s, "feed-1.l1", "feed-1.l2")[0][0]) for s in (idle, heat)]
        sags.append(pair[0] - pair[1])
    assert sags[1] - sags[0] == pytest.approx(2 * 0.01964 * 43.5, rel=0.05)


def test_two_leg_switching_leaves_an_idle_rung_dead_to_ground() -> None:
    """A two-pole contactor breaks both legs: beyond the blower's winding nothing holds the elements at line volts."""
    plate = PATTERNS["wye-contactor"]()
    without_blower = Changes(split={"blower.lead-fixed": float("inf")})
    settled = settle(Variants(wire(plate), [without_blower]), Drive())
    assert read_volts(settled, "strip-a.element.1", "ground", meter_ohms=3e3)[0][0] < 1
    single = settle(Variants(wire(TWO), [Changes()]), Drive())
    assert read_volts(single, "strip-b.element.1", "ground")[0][0] == pytest.approx(120, abs=1)


def test_legs_of_a_wye_stand_a_third_of_a_turn_apart() -> None:
    """120 V each to neutral, 208 V between: √3, not 2."""
    settled = settle(Variants(wire(PATTERNS["wye-contactor"]()), [Changes()]), Drive())
    legs = [read_volts(settled, f"feed-1.{leg}", "ground")[0][0] for leg in ("l1", "l2")]
    assert legs == [pytest.approx(120.1, abs=0.3)] * 2
    assert read_volts(settled, "feed-1.l1", "feed-1.l2")[0][0] == pytest.approx(3**0.5 * legs[0], rel=1e-3)


def test_staged_heat_waits_for_its_own_call() -> None:
    """W alone runs the first two strips, W2 the others."""
    circuit = wire(PATTERNS["four-strip-staged"]())
    variants = Variants(circuit, [Changes()])
    for calls, running in (("W", "ab"), ("W2", "cd")):
        settled = settle(variants, Drive(calls=frozenset({calls})))
        drawing = {x for x in "abcd" if read_amps(settled, f"amps:strip-{x}")[0] > 15}
        assert drawing == set(running)


def test_chained_sequencers_need_the_auxiliary_pole() -> None:
    """With the auxiliary open the second sequencer's strips stay cold, the first's heat."""
    plate = PATTERNS["four-strip-chained"]()
    settled = settle(Variants(wire(plate), [Changes(forced={"seq-a.auxiliary": False})]), Drive(calls=frozenset("W")))
    drawing = {x for x in "abcd" if read_amps(settled, f"amps:strip-{x}")[0] > 15}
    assert drawing == {"a", "b"}


@pytest.mark.parametrize(
    ("seconds", "states"),
    [
        pytest.param(5.0, 1, id="before any minimum: nothing has moved"),
        pytest.param(12.0, 2, id="pole 1 may have moved, pole 2 not yet"),
        pytest.param(30.0, 3, id="both may have moved, pole 1 first"),
        pytest.param(70.0, 2, id="pole 1 has moved, pole 2 may have"),
        pytest.param(95.0, 1, id="past both windows"),
        pytest.param(None, 1, id="nobody kept the clock: taken as settled"),
    ],
)
def test_states_a_young_call_may_mean(seconds: float | None, states: int) -> None:
    """Windows 10–60 and 15–90 s."""
    found = drives_of(TWO, live("W", seconds=seconds), DEFAULT_LIMITS)
    assert len(found) == states
    assert sum(share for _, share in found) == pytest.approx(1.0)


def test_each_school_and_complaint_names_things_that_exist() -> None:
    """Kinds of tests and faults in the tables are kinds that occur."""
    kinds = {test.kind for test in catalogue(TWO)}
    assert {kind for school in SCHOOLS.values() for kind in school} <= kinds
    fault_kinds = {fault.kind for fault in faults_of(TWO)}
    shown = {fault.shows for fault in faults_of(TWO)}
    assert {kind for bent in COMPLAINTS.values() for kind in bent} <= fault_kinds | shown | set(MODES)


def test_rungs_name_line_and_load_from_the_nearer_leg() -> None:
    """A pole at leg 1 has its line side there; a two-leg rung has both."""
    contactor = PATTERNS["wye-contactor"]().circuits[0]
    ends = [(a, b) for part, a, b in rung_terminals(contactor) if part == "pole"]
    assert ends == [
        ("contactor-a.pole-1.line", "contactor-a.pole-1.load"),
        ("contactor-a.pole-2.load", "contactor-a.pole-2.line"),
    ]


@pytest.mark.parametrize(("low", "high"), [(-1.0, 5.0), (9.0, 3.0), (0.0, float("inf"))])
def test_windows_must_rise_from_zero(low: float, high: float) -> None:
    """A window that cannot be printed on a part is refused with both numbers."""
    with pytest.raises(NameplateError, match="rising from zero"):
        Window(min_seconds=low, max_seconds=high)


def test_line_states_follow_calls_feeds_and_faults() -> None:
    """Ember where current flows, live on the unswitched leg, dead with the feed off, teal where 24 V is."""
    plate: Nameplate = TWO
    idle = line_states(plate, live())
    assert (idle("strip-a:current"), idle("feed-1.l1"), idle("W"), idle("blower")) == ("live", "live", "idle", "live")
    heating = line_states(plate, live("W"))
    assert (heating("strip-b:current"), heating("W"), heating("blower")) == ("carries", "alive", "carries")
    dead_b = line_states(plate, live("W"), ["strip-b.limit.open"])
    assert (dead_b("strip-a:current"), dead_b("strip-b:current")) == ("carries", "live")
    assert (dead_b("strip-b.limit.1"), dead_b("strip-b.limit.2")) == ("live", "live")
    stuck = line_states(plate, live(), ["seq-a.pole-1.welded"])
    assert (stuck("strip-a:current"), stuck("blower"), stuck("W")) == ("carries", "carries", "idle")
    off = line_states(plate, Condition(feeds=(("feed-1", "off"),), calls=(("W", 400.0),)))
    assert (off("feed-1.l1"), off("strip-a:current")) == ("live", "live"), "off and not proven is treated as live"
    dead = Condition(feeds=(("feed-1", "proven dead"),), control="proven dead", calls=(("W", 400.0),))
    proven = line_states(plate, dead)
    assert (proven("feed-1.l1"), proven("W"), proven("strip-a:current")) == ("dead", "idle", "dead")
    early = line_states(plate, live("W", seconds=5.0))
    assert early("strip-a:current") == "live"
