"""Next tests that are no reading, sizes that run into each other, and answers that rest on a single reading."""

import numpy as np
import pytest

from plentar.core.causes.accepting import before_accepting
from plentar.core.causes.catalogue import catalogue
from plentar.core.causes.checks import AIR, MICROFARADS, STAGES, WATCH, WHEEL, checks_of, finds
from plentar.core.causes.diagnosis import diagnose
from plentar.core.causes.hypotheses import model_of
from plentar.core.causes.next_test import next_tests
from plentar.core.evidence.runs import TimingRun
from plentar.core.evidence.signs import Observation
from plentar.core.judging.timing import stages_of
from plentar.core.judging.watched import seen_by_heat
from plentar.core.unit.patterns import PATTERNS
from tests.core.test_diagnosis import LINE, POLE_B, UNIT, heat_call, read, under

FAN, HEAT = under("G"), under("W")
# 240 V, both strips as they should be, and a motor that draws a quarter more than its 2.8 A.
LABOURS = [
    read(LINE, 240.0, under()),
    read("amps:blower", 3.6, FAN),
    read("amps:interlock", 3.6, HEAT),
    read("amps:strip-a", 20.7, HEAT),
    read("amps:strip-b", 20.6, HEAT),
]


def shares(*signs: str) -> dict[str, float]:
    """What is named of a motor that labours, after some looks."""
    found = diagnose(UNIT, LABOURS, observations=[Observation(kind=sign) for sign in signs])
    return {fault: cause.probability for cause in found.causes for fault in cause.faults}


@pytest.mark.parametrize(
    ("signs", "faults"),
    [
        (("capacitor-out",), {"blower.motor.weak-capacitor"}),
        (("capacitor-fine", "side-play"), {"blower.motor.bearing"}),
    ],
)
def test_a_hand_and_a_meter_for_microfarads_tell_what_amps_leave_together(
    signs: tuple[str, ...], faults: set[str]
) -> None:
    """Amps a quarter high: bearing or capacitor. One look each decides, and is offered till then."""
    before = shares()
    assert all(0.05 < before[fault] < 0.65 for fault in ("blower.motor.bearing", "blower.motor.weak-capacitor"))
    offered = {entry.test.point for entry in next_tests(diagnose(UNIT, LABOURS), HEAT, most=40)}
    assert offered & {MICROFARADS, WHEEL}
    named = shares(*signs)
    assert {fault for fault, share in named.items() if share > 0.8} == faults
    assert shares("capacitor-fine", "wheel-free").get("blower.motor.bearing", 0.0) < 0.1


def test_looks_are_offered_where_there_is_something_to_look_at() -> None:
    """No capacitor on an electronic motor, no stages on contactors; what was done is not offered again."""
    points = {name: {check.test.point for check in checks_of(PATTERNS[name]())} for name in PATTERNS}
    assert points["three-strip-ecm"] == {WHEEL, STAGES, AIR, WATCH}
    assert points["wye-contactor"] == {MICROFARADS, WHEEL, AIR, WATCH}
    found = diagnose(UNIT, LABOURS)
    done = [(point, frozenset[str]()) for point in (MICROFARADS, WHEEL)]
    assert not {t.test.point for t in next_tests(found, HEAT, taken=done, most=40)} & {MICROFARADS, WHEEL}
    by_power = {check.test.point: check.test.is_isolated for check in checks_of(UNIT)}
    assert by_power == {MICROFARADS: True, WHEEL: True, STAGES: False, AIR: False, WATCH: False}
    model = model_of(UNIT)
    late = np.array([entry.id == "seq-a.pole-2.slow" for entry in model.hypotheses]).nonzero()[0]
    assert finds(model, late).tolist() == [[0.0], [0.0], [1.0], [0.0], [0.0]]


def test_a_slow_disc_is_timed_and_named_by_what_came_late() -> None:
    """All right by now, and the complaint stands: the stopwatch is worth its minutes, and names the pole that came at
    200 s of its 90."""
    sound = [read(LINE, 240.0, under()), read("amps:strip-a", 20.7, HEAT), read("amps:strip-b", 20.6, HEAT)]
    sound += [read("amps:blower", 2.8, FAN), read("amps:interlock", 2.8, HEAT)]
    found = diagnose(UNIT, sound, complaints=["not enough heat"])
    assert STAGES in {entry.test.point for entry in next_tests(found, HEAT, most=40)}
    stages = stages_of(UNIT)
    run = TimingRun(elapsed_seconds=250.0, on_seconds={"blower": 30.0, "strip-a": 30.0, "strip-b": 200.0})
    timed = diagnose(UNIT, sound, observations=seen_by_heat(UNIT, stages, run))
    assert timed.first is not None
    assert timed.first.faults[0] == "seq-a.pole-2.slow"
    assert timed.first.probability > 0.7


def test_a_chain_says_which_of_two_it_cannot_tell() -> None:
    """The last device's strips come late: its own disc, or the pole that feeds its heater; one answer, not two."""
    plate = PATTERNS["six-strip-chained"]()
    last = plate.devices[-1]
    feeding = plate.devices[-2]
    own = {circuit.id for circuit in plate.circuits if circuit.device == last.id}
    stages = stages_of(plate)
    came = {stage.id: 0.6 * stage.on.max_seconds for stage in stages} | dict.fromkeys(own, 1000.0)
    run = TimingRun(elapsed_seconds=1100.0, on_seconds=came)
    found = diagnose(plate, [], observations=seen_by_heat(plate, stages, run))
    assert found.first is not None
    assert {f"{last.id}.slow", f"{feeding.id}.auxiliary.slow"} <= set(found.first.faults)


def test_one_reading_is_not_enough_to_buy_a_part_by() -> None:
    """Line volts across the pole, once: everything rests on them. Twice, or with the coil's ohms beside: no more."""
    once = diagnose(UNIT, heat_call(238.0, 300.0), complaints=["not enough heat"])
    assert once.rests_on is not None
    assert once.rests_on.point == POLE_B
    twice = diagnose(UNIT, [*heat_call(238.0, 300.0), read(POLE_B, 237.0, under("W", seconds=330.0))])
    assert twice.first is not None
    assert (twice.first.faults, twice.rests_on) == (("seq-a.pole-2.open",), None)
    assert diagnose(UNIT, []).rests_on is None


def test_sizes_that_run_into_each_other_are_still_a_test() -> None:
    """Two coils, each shorted by more or less: their ohms at rest overlap, and yet reading them tells which it is."""
    sagged = [
        read(LINE, 240.0, under()),
        read("volts:thermostat.r:thermostat.c", 27.2, under()),
        read("volts:board.y:board.c", 24.6, under("Y")),
        read("volts:board.o:board.c", 24.5, under("Y")),
    ]
    found = diagnose(UNIT, sagged)
    named = {fault for cause in found.causes[:4] for fault in cause.faults}
    assert {"outdoor.coil.shorted", "reversing-valve.coil.shorted"} <= named
    ohms = [test for test in catalogue(UNIT) if test.point in ("ohms:board.y:board.c", "ohms:board.o:board.c")]
    assert len(ohms) == 2
    assert {entry.test.point for entry in next_tests(found, under("Y"), within=ohms)} == {test.point for test in ohms}


def test_a_breaker_is_not_switched_on_before_a_short_was_looked_for() -> None:
    """Nothing at the unit, line volts across both poles: off. Its ohms from leg to leg come first, once."""
    off = [read(LINE, 0.0, under()), read("volts:feed-1.l1:ground", 0.0, under())]
    off += [read(f"volts:panel.{leg}:feed-1.breaker.{leg}", 121.0, under()) for leg in ("l1", "l2")]
    found = diagnose(UNIT, off, complaints=["breaker trips or hot"])
    assert found.first is not None
    assert found.first.faults[0] == "feed-1.breaker.off"
    first = before_accepting(found, [])
    assert first is not None
    assert (first.test.point, first.is_again) == ("ohms:feed-1.l1:feed-1.l2", False)
    assert first.test.is_isolated
    assert before_accepting(found, [(first.test.point, frozenset())]) is None
    again = before_accepting(diagnose(UNIT, heat_call(238.0, 300.0), complaints=["not enough heat"]), [])
    assert again is not None
    assert (again.test.point, again.is_again) == (POLE_B, True)


def test_a_fault_that_has_gone_does_not_explain_the_transformer_away() -> None:
    """Too few volts on the 24 V side at a sound line: no branch that was off, and is on since, explains them."""
    plate = PATTERNS["four-strip-staged"]()
    heat = under("W", "W2")
    readings = [read(LINE, 214.9, under()), read("amps:feed-1", 74.7, heat), read("amps:interlock", 3.2, heat)]
    readings.append(read("volts:thermostat.r:thermostat.c", 20.8, under()))
    readings.append(read("volts:board.y:board.c", 20.7, under("Y")))
    named = {fault: cause.probability for cause in diagnose(plate, readings).causes for fault in cause.faults}
    assert named["transformer.wrong-tap-low"] > 0.7
    assert named.get("branch-1.off", 0.0) < 0.02


@pytest.mark.parametrize("quicker", ["branch-2", "feed-1"])
def test_a_dead_short_behind_two_breakers_may_have_tripped_either(quicker: str) -> None:
    """Which is quicker is chance: the short is named by both, and a breaker that went under heat is not called weak."""
    plate = PATTERNS["four-strip-staged"]()
    heat = under("W", "W2")
    tripped = [read(LINE, 240.0, under()), read("amps:feed-1", 3.8, FAN)]
    if quicker == "feed-1":
        tripped += [read("amps:feed-1", 0.0, heat), read(LINE, 0.0, heat), read("volts:board.w:board.c", 0.0, heat)]
    else:
        tripped += [read(LINE, 239.0, heat), read("amps:feed-1", 41.0, heat)]
        tripped += [
            read(f"amps:strip-{name}", amps, heat) for name, amps in zip("abcd", (20.7, 20.7, 0, 0), strict=True)
        ]
        tripped += [read("volts:branch-2.l1:branch-2.l2", 0.0, heat)]
    found = diagnose(plate, tripped, complaints=["breaker trips or hot"])
    shares = {fault: cause.probability for cause in found.causes for fault in cause.faults}
    short = sum(shares.get(f"strip-{name}.element.dead-short", 0.0) for name in "cd")
    assert short > shares.get("feed-1.breaker.weak", 0.0)
    assert short > 0.02


def test_the_next_test_knows_which_breaker_went() -> None:
    """Once the feed's own is off, no strip draws whoever is short: a clamp round one is worth nothing."""
    plate, heat = PATTERNS["four-strip-staged"](), under("W", "W2")
    tripped = [read(LINE, 240.0, under()), read("amps:feed-1", 0.0, heat), read(LINE, 0.0, heat)]
    found = diagnose(plate, tripped, complaints=["breaker trips or hot"])
    offered = [entry.test.point for entry in next_tests(found, heat, most=6)]
    assert not any(point.startswith("amps:strip") for point in offered)
