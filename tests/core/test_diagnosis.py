"""From readings to causes: the worked calls, reasons, doubts, pairs, and which test comes next."""

import contextlib
import json
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal

import numpy as np
import pytest
from click.testing import CliRunner, Result

from plentar.cli import main
from plentar.core.causes.catalogue import catalogue
from plentar.core.causes.diagnosis import Diagnosis, diagnose
from plentar.core.causes.faults import fault_by_id
from plentar.core.causes.hypotheses import model_of
from plentar.core.causes.next_test import next_tests
from plentar.core.circuit.changes import NO_CHANGE, Changes
from plentar.core.circuit.drive import Drive, drives_of
from plentar.core.circuit.plain import solve_one
from plentar.core.circuit.probe import read_amps, read_volts
from plentar.core.circuit.solve import Variants, settle
from plentar.core.circuit.wiring import wire
from plentar.core.evidence.metrology import DEMO_METER
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.evidence.signs import Observation
from plentar.core.limits.table import DEFAULT_LIMITS
from plentar.core.message import Message
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.patterns import PATTERNS
from plentar.words import render

ROOT = Path(__file__).parents[2]
UNIT = PATTERNS["two-strip-sequencer"]()
LINE, POLE_B = "volts:feed-1.l1:feed-1.l2", "volts:seq-a.pole-2.load:seq-a.pole-2.line"


def under(*calls: str, seconds: float = 400.0) -> Condition:
    """Everything live, these calls on for so long."""
    return Condition(feeds=(("feed-1", "live"),), calls=tuple((call, seconds) for call in calls))


def read(point: str, value: float, condition: Condition) -> Reading:
    """A reading with the demo meter."""
    return Reading(
        point=point,
        value=value,
        condition=condition,
        meter_uncertainty=DEMO_METER.uncertainty(point.partition(":")[0], value),
    )


def readings_of(faults: tuple[str, ...], points: tuple[tuple[str, Condition], ...]) -> list[Reading]:
    """What a unit with these faults shows at these points, to a tenth."""
    changes: Changes = NO_CHANGE
    for fault in faults:
        changes = changes | fault_by_id(UNIT, fault).variants[0]
    variants = Variants(wire(UNIT), [changes])
    found = []
    for point, condition in points:
        settled = settle(variants, drives_of(UNIT, condition, DEFAULT_LIMITS)[0][0])
        function, *places = point.split(":")
        shown = read_amps(settled, point) if function == "amps" else read_volts(settled, places[0], places[1])[0]
        found.append(read(point, round(float(shown[0]), 1), condition))
    return found


def heat_call(pole_volts: float, seconds: float) -> list[Reading]:
    """The worked call: heater fed, strip A normal, strip B dead, some volts across B's pole."""
    condition = under("W", seconds=seconds)
    return [
        read("volts:seq-a.coil.1:seq-a.coil.2", 25.0, condition),
        read("amps:strip-b", 0.0, condition),
        read(POLE_B, pole_volts, condition),
        read("amps:strip-a", 20.5, condition),
    ]


def test_a_pole_that_does_not_close_is_named_with_its_reasons() -> None:
    """Above 90 %, and all four readings speak for it, none against."""
    found = diagnose(UNIT, heat_call(238.0, 300.0), complaints=["not enough heat"])
    assert found.first is not None
    assert found.first.faults == ("seq-a.pole-2.open",)
    assert found.first.probability > 0.9
    assert {reason.point for reason in found.first.reasons_for} == {r.point for r in heat_call(238.0, 300.0)}
    assert found.first.reasons_against == ()


def test_nothing_across_the_pole_clears_it() -> None:
    """0 V across the pole with a dead strip: the open is elsewhere in the rung, the element among it."""
    found = diagnose(UNIT, heat_call(0.0, 300.0), complaints=["not enough heat"])
    named = {fault: cause.probability for cause in found.causes for fault in cause.faults}
    assert named.get("seq-a.pole-2.open", 0.0) < 0.02
    assert found.first is not None
    assert found.first.probability < 0.6
    assert {"strip-b.element.open", "strip-b.limit.open", "strip-b.link.open"} <= set(named)


def test_ten_seconds_after_the_call_nothing_is_named() -> None:
    """Pole 2 has until 90 s: 80 s more."""
    found = diagnose(UNIT, heat_call(238.0, 10.0), complaints=["not enough heat"])
    assert found.causes == ()
    assert found.wait_seconds == pytest.approx(80.0)


WHOLE_CHECK = (
    (LINE, under()),
    ("amps:strip-a", under()),
    ("amps:strip-b", under()),
    ("amps:blower", under("G")),
    ("amps:strip-a", under("W")),
    ("amps:strip-b", under("W")),
    ("amps:blower", under("W")),
    ("volts:board.w:board.c", under("W")),
    ("volts:seq-a.coil.1:seq-a.coil.2", under("W")),
    (POLE_B, under("W")),
    ("volts:strip-b.limit.1:strip-b.limit.2", under("W")),
    ("volts:strip-b.link.1:strip-b.link.2", under("W")),
    ("amps:strip-a", under("G")),
)


@pytest.mark.parametrize(
    "fault",
    [
        "healthy",
        "strip-b.limit.open",
        "strip-b.link.open",
        "strip-b.element.open",
        "seq-a.pole-2.welded",
        "fuse.open",
        "seq-a.coil.open",
        "interlock.plain-wire",
        "blower-relay.nc.open",
        "blower-relay.no.open",
        "control.w-to-y.joined",
        "strip-b.element.grounded",
        "feed-1.breaker-l2.open",
    ],
)
def test_a_whole_check_names_the_fault(fault: str) -> None:
    """From the readings of the run sheet, the fault is in the first group, or among the first two where it hides."""
    faults = () if fault == "healthy" else (fault,)
    found = diagnose(UNIT, readings_of(faults, WHOLE_CHECK))
    leading = [name for cause in found.causes[:3] for name in cause.faults]
    assert fault in leading or (fault == "control.w-to-y.joined" and "healthy" in leading)


def test_two_faults_at_once_are_found() -> None:
    """Strip B's limit open and the fan contact dead: the dead blower read twice, both are named."""
    pair = ("strip-b.limit.open", "blower-relay.no.open")
    found = diagnose(UNIT, readings_of(pair, (*WHOLE_CHECK, ("amps:blower", under("G")))))
    both = [cause for cause in found.causes if "strip-b.limit.open" in cause.faults[0] and "+" in cause.faults[0]]
    assert "+".join(pair) in {fault for cause in both for fault in cause.faults}
    assert sum(cause.probability for cause in both) > 0.8


def test_a_reading_nothing_explains_is_asked_for_again() -> None:
    """One supply reading of 24 V among sound ones is doubted, and the rest still decide."""
    readings = [r for r in readings_of((), WHOLE_CHECK) if r.point != LINE]
    readings += [read("volts:feed-1.l1:ground", 63.0, under())]
    found = diagnose(UNIT, readings)
    assert found.ask_again == ("volts:feed-1.l1:ground",)


def test_complaint_and_observation_move_the_suspicion() -> None:
    """Heat will not stop: stuck things first; a blower seen still under a fan call: the blower side."""
    stuck = diagnose(UNIT, [], complaints=["heat will not stop"])
    kinds = {fault.id: fault.kind for fault in stuck.model.faults}
    assert kinds[stuck.causes[0].faults[0]] == "stuck"
    seen = [Observation(kind="blower-still", condition=under("G"))]
    before = diagnose(UNIT, readings_of((), ((LINE, under()),)))
    after = diagnose(UNIT, readings_of((), ((LINE, under()),)), observations=seen)
    healthy = after.model.causes.index("healthy")
    shares = [found.posterior[found.model.cause_of == healthy].sum() for found in (before, after)]
    assert shares[1] < 0.3 * shares[0]


def test_next_test_splits_and_respects_what_is_live() -> None:
    """After a dead strip B the next test is in its rung, live, and splits at least two causes."""
    found: Diagnosis = diagnose(
        UNIT, [read(LINE, 238.0, under("W")), *heat_call(0.0, 300.0)[:2], *heat_call(0.0, 300.0)[3:]]
    )
    tests = next_tests(found, under("W"), taken=[("amps:strip-b", frozenset("W"))])
    assert "Strip B" in render(tests[0].test.words)
    assert not tests[0].test.is_isolated
    assert len(tests[0].splits) >= 2
    assert ("amps:strip-b", frozenset("W")) not in {(t.test.point, t.test.drive.calls) for t in tests}


def test_an_ohms_test_is_only_cheap_with_everything_proven_dead() -> None:
    """The same test costs five minutes more while anything is live."""
    found = diagnose(UNIT, heat_call(0.0, 300.0))
    ohms = [test for test in catalogue(UNIT) if test.point == "ohms:strip-b.element"]
    live = next_tests(found, under("W"), within=ohms)[0]
    dead = Condition(feeds=(("feed-1", "proven dead"),), control="proven dead")
    isolated = next_tests(found, dead, within=ohms)[0]
    assert live.minutes - isolated.minutes == pytest.approx(5.0)
    assert live.test.drive == Drive()


def test_posterior_is_a_probability_and_the_same_every_time() -> None:
    """Sums to one, finite, deterministic."""
    first, second = (diagnose(UNIT, heat_call(238.0, 300.0)) for _ in range(2))
    assert first.posterior.sum() == pytest.approx(1.0)
    assert np.array_equal(first.posterior, second.posterior)
    assert model_of(UNIT).variants is first.model.variants


def command(*arguments: str) -> Result:
    """Run the command line from the project's folder."""
    with contextlib.chdir(ROOT):
        return CliRunner().invoke(main, list(arguments))


@pytest.mark.parametrize(
    ("change", "says"),
    [
        pytest.param({"point": "amps:strip-q"}, "no point 'amps:strip-q'", id="no such place"),
        pytest.param({"point": "volts:a:b"}, "readings[0].point: this unit has no point", id="no such terminal"),
        pytest.param({"value": -4}, "readings[0].value: expected zero or more", id="below zero"),
        pytest.param({"value": 1e9}, "readings[0].value: no meter reads 1e+09", id="a thousand million amps"),
        pytest.param({"value": float("nan")}, "readings[0].value", id="not a number"),
        pytest.param({"point": "ohms:strip-a.element", "value": 11}, "verified dead", id="ohms on live power"),
        pytest.param({"colour": 1}, "readings[0].colour: extra inputs are not permitted", id="unknown field"),
    ],
)
def test_bad_calls_leave_with_one_line_and_2(change: dict[str, Any], says: str, tmp_path: Path) -> None:
    """File, field and what was expected; never a traceback."""
    document = json.loads((ROOT / "examples/calls/pole-not-closing.json").read_text())
    document["unit_file"] = str(ROOT / "examples/units/two-strip-sequencer.json")
    document["readings"][0] |= change
    path = tmp_path / "call.json"
    path.write_text(json.dumps(document))
    done = command("diagnose", str(path))
    assert done.exit_code == 2
    assert done.stdout == ""
    assert done.stderr.count("\n") == 1
    assert done.stderr.startswith(str(path))
    assert says in done.stderr


def test_the_command_line_answers_in_json_and_a_deck() -> None:
    """predict, diagnose, faults and netlist on the example files, exit 0."""
    unit = "examples/units/two-strip-sequencer.json"
    predicted = json.loads(command("predict", unit, "--on", "W", "--fault", "strip-b.limit.open").stdout)
    assert predicted["amps"]["strip-b"] < 0.01
    assert predicted["amps"]["strip-a"] > 20
    assert predicted["volts"]["strip-b.limit.1:strip-b.limit.2"]["ac_volts"] > 230
    isolated = json.loads(command("predict", unit, "--power", "isolated").stdout)
    assert isolated["part_ohms"]["strip-a.element"] == pytest.approx(11.52)
    assert isolated["to_ground"]["feed-1.l1"]["ac_volts"] == 0
    causes = json.loads(command("diagnose", "examples/calls/pole-not-closing.json").stdout)["causes"]
    assert causes[0]["faults"] == ["seq-a.pole-2.open"]
    listed = json.loads(command("faults", unit).stdout)["faults"]
    assert {"strip-b.limit.open", "seq-a.pole-2.welded"} <= {fault["id"] for fault in listed}
    assert ".ac lin 1 60 60" in command("netlist", unit, "--on", "W").stdout
    for bad in (["predict", "nowhere.json"], ["predict", unit, "--fault", "bogus"], ["predict", unit, "--on", "Q"]):
        done = command(*bad)
        assert (done.exit_code, done.stderr.count("\n")) == (2, 1)


def first_named(readings: list[Reading], complaint: str, *, unit: str = "two-strip-sequencer") -> tuple[str, ...]:
    """The faults of the leading group."""
    found = diagnose(PATTERNS[unit](), readings, complaints=[complaint])
    return found.first.faults if found.first else ()


def test_a_sequencer_that_closes_after_all_is_slow() -> None:
    """Nothing 20 s past the window, all of it two minutes later: not dead, slow."""
    strips = ("amps:strip-a", "amps:strip-b")
    early = [read(point, 0.0, under("W", seconds=110.0)) for point in strips]
    early += [
        read(LINE, 240.0, under("W", seconds=112.0)),
        read("volts:board.w:board.c", 25.0, under("W", seconds=114.0)),
    ]
    early += [read("volts:seq-a.coil.1:seq-a.coil.2", 25.0, under("W", seconds=116.0))]
    early += [read(POLE_B, 239.0, under("W", seconds=118.0))]
    late = [read(point, 20.6, under("W", seconds=240.0)) for point in strips]
    assert "seq-a.slow" in first_named([*early, *late], "not enough heat")
    assert "seq-a.slow" not in first_named([*late, read(LINE, 240.0, under("W"))], "not enough heat")


def test_a_reading_that_comes_and_goes_names_what_comes_and_goes() -> None:
    """Strip B drops out, is back, drops out again, with line volts across its limit while it is out."""
    heat = under("W", seconds=600.0)
    limit = "volts:strip-b.limit.1:strip-b.limit.2"
    seen = [read(LINE, 240.0, heat), read("amps:strip-a", 20.6, heat), read("amps:strip-b", 0.0, heat)]
    seen += [read(limit, 238.0, heat), read("amps:strip-b", 20.6, heat)]
    # One limit's own doing, or little air: the blower's amps and the other limits tell them apart.
    assert {"strip-b.limit.cycling", "air.little"} & set(first_named(seen, "not enough heat"))
    steady = [r for r in seen if not (r.point == "amps:strip-b" and r.value > 1)]
    assert "strip-b.limit.open" in first_named(steady, "not enough heat")


def test_a_motor_that_runs_on_a_jumper_is_cleared() -> None:
    """A dead blower under a fan call: the motor leads; on a jumper it runs, and what switches it leads."""
    dead = [read(LINE, 240.0, under("G")), read("amps:blower", 0.0, under("G"))]

    def blamed(*signs: str) -> float:
        found = diagnose(UNIT, dead, observations=[Observation(kind=sign) for sign in signs])
        return sum(c.probability for c in found.causes if any(name.startswith("blower.motor") for name in c.faults))

    assert blamed() > 0.05
    assert blamed("jumper-runs") < 0.02
    assert blamed("jumper-still") > 0.7


@pytest.mark.parametrize(("board", "share"), [("unsmoothed", 0.40), ("smoothed", 0.45)])
def test_half_a_bridge_gives_half_the_waves(board: Literal["smoothed", "unsmoothed"], share: float) -> None:
    """Physics by hand: the mean of every other half-wave is 0.45 of the AC volts, less one diode's drop."""
    plate = PATTERNS["three-strip-dc-relay"]()
    plate = replace(plate, devices=tuple(replace(device, rectifier=board) for device in plate.devices))
    device = plate.devices[0].id
    fault = fault_by_id(plate, f"{device}.rectifier.half-open")
    settled = solve_one(wire(plate), Drive(calls=frozenset({"W"})), fault.variants[0])
    inlet = settled.read_volts(f"{device}.rectifier.1", "board.c")
    shown = settled.read_volts(f"{device}.coil.1", f"{device}.coil.2", function="dc_volts")
    assert shown / inlet == pytest.approx(share, rel=0.08)


def figures(words: object) -> dict[str, float]:
    """The figures of something said."""
    assert isinstance(words, Message)
    return {name: float(value) for name, value in words.figures}  # type: ignore[arg-type]


def dropping(point: str, volts: float) -> list[Reading]:
    """Two strips under heat, with a drop somewhere in strip B's rung, by Ohm's law alone: 5 kW is 11.52 ohms."""
    condition = under("W", "G")
    amps = (240.0 - volts) / 11.52
    return [
        read(LINE, 240.0, condition),
        read("amps:strip-a", 20.8, condition),
        read("amps:strip-b", round(amps, 1), condition),
        read(point, volts, condition),
    ]


@pytest.mark.parametrize("volts", [1.8, 5.0, 7.0, 12.0, 20.0, 42.0])
def test_a_closed_pole_is_burnt_whatever_drops_there(volts: float) -> None:
    """A good pole drops 0.2 V: nothing between the sizes of the catalogue is a misreading or a neighbour."""
    found = diagnose(UNIT, dropping(POLE_B, volts), complaints=["not enough heat"])
    assert found.first is not None
    assert found.first.faults == ("seq-a.pole-2.burnt",)
    assert found.first.probability > 0.8
    # By Ohm's law alone: the drop over the amps, and the one times the other in heat.
    amps = (240.0 - volts) / 11.52
    size = figures(found.first.size)
    assert size["ohms"] == pytest.approx(volts / amps, rel=0.15)
    assert size["volts"] == pytest.approx(volts, rel=0.15)
    assert size["watts"] == pytest.approx(volts * amps, rel=0.15)


@pytest.mark.parametrize("volts", [3.0, 5.0, 20.0, 42.0, 70.0])
def test_a_joint_is_loose_whatever_drops_there(volts: float) -> None:
    """Between the limit and the pole stands one lead."""
    found = diagnose(UNIT, dropping("volts:strip-b.limit.2:seq-a.pole-2.load", volts), complaints=["not enough heat"])
    assert found.first is not None
    [fault] = found.first.faults
    assert fault.startswith("strip-b.lead-")
    assert fault.endswith(".loose")
    assert found.first.probability > 0.75


@pytest.mark.parametrize(("amps", "size"), [(31.2, "larger"), (25.0, "larger"), (15.6, "smaller"), (13.0, "smaller")])
def test_an_element_that_is_whole_may_be_of_another_size(amps: float, size: str) -> None:
    """Its ohms read once the unit is dead say the same as its amps: no reading is doubted, another size leads."""
    dead = Condition(feeds=(("feed-1", "proven dead"),), control="proven dead")
    condition = under("W", "G")
    readings = [
        read(LINE, 240.0, condition),
        read("amps:strip-a", 20.8, condition),
        read("amps:strip-b", amps, condition),
        read("ohms:strip-b.element", round(240.0 / amps * 0.95, 1), dead),
    ]
    found = diagnose(UNIT, readings, complaints=["not enough heat"])
    assert found.first is not None, size
    assert "strip-b.element.wrong-size" in found.first.faults
    assert figures(found.first.size)["kilowatts"] == pytest.approx(0.24 * amps, rel=0.05)
    assert found.ask_again == ()


@pytest.mark.parametrize(("kind", "ohms"), [("two-strip-ac-relay", 0.8), ("three-strip-dc-relay", 1.5)])
def test_a_coil_of_next_to_no_ohms_is_shorted(kind: str, ohms: float) -> None:
    """With its leads off it is the coil and no rubbed wire: 12 ohms AC and 500 ohms DC are what they should be."""
    unit = PATTERNS[kind]()
    dead = Condition(feeds=tuple((feed.id, "proven dead") for feed in unit.feeds), control="proven dead")
    live = Condition(feeds=tuple((feed.id, "live") for feed in unit.feeds), calls=(("W", 300.0),))
    blown = [read("volts:board.r:board.c", 0.0, live), read("volts:transformer.r:board.r", 27.0, live)]
    found = diagnose(unit, [*blown, read("ohms:relay-a.coil", ohms, dead)], complaints=["control fuse blows"])
    assert found.first is not None
    # With the fuse it took along, or before it did.
    assert found.first.faults[0].split("+")[0] == "relay-a.coil.shorted"
    assert found.ask_again == ()


@pytest.mark.parametrize("leg", ["l1", "l2"])
@pytest.mark.parametrize("volts", [3.0, 9.0, 16.0, 40.0])
def test_a_lug_is_told_by_a_probe_on_each_side_of_it(leg: str, volts: float) -> None:
    """The wire's end against the lug: this leg and no other."""
    condition = under("W", "G")
    amps = round(2 * (240.0 - volts) / 11.52 / 2, 1)
    taken = [
        read("volts:feed-1.breaker.l1:feed-1.breaker.l2", 240.0, condition),
        read(LINE, round(240.0 - volts, 1), condition),
        read("amps:strip-a", amps, condition),
        read("amps:strip-b", amps, condition),
        read(f"volts:feed-1.wire.{leg}:feed-1.{leg}", volts, condition),
    ]
    found = diagnose(UNIT, taken, complaints=["not enough heat"])
    assert found.first is not None
    assert found.first.faults == (f"feed-1.lug-{leg}.loose",)
    assert found.first.probability > 0.85
    assert figures(found.first.size)["volts"] == pytest.approx(volts, rel=0.15)


@pytest.mark.parametrize("share", [0.2, 1 / 3, 0.5, 0.8])
def test_a_grounded_element_reads_its_ohms_end_to_end_and_a_part_from_each_end(share: float) -> None:
    """Whole, by hand: 11.5 ohms cold about 11; each end to the frame its part of them; no pole is welded."""
    dead = Condition(feeds=(("feed-1", "proven dead"),), control="proven dead")
    # With nothing calling leg 1 still reaches it: 120 V through the part before the touch.
    taken = [
        read(LINE, 240.0, under()),
        read("amps:strip-b", round(120.0 / (11.52 * share), 1), under()),
        read("ohms:strip-b.element", 11.0, dead),
        read("ohms:strip-b.element.to-ground-1", round(11.0 * share, 1), dead),
        read("ohms:strip-b.element.to-ground-2", round(11.0 * (1 - share), 1), dead),
    ]
    found = diagnose(UNIT, taken, complaints=["heat will not stop"])
    assert found.first is not None
    assert found.first.faults[0] == "strip-b.element.grounded"
    assert found.first.probability > 0.85
    assert found.ask_again == ()
    assert figures(found.first.size)["tenths"] == pytest.approx(10 * share, abs=1.6)
    # Fed by leg 1 through the link, its limit on the other side.
    assert "can't stop it" in render(found.first.size)


@pytest.mark.parametrize("end", ["1", "2"])
def test_an_element_burnt_through_at_the_frame_is_open_end_to_end(end: str) -> None:
    """OL end to end, ohms from one end to the frame only."""
    dead = Condition(feeds=(("feed-1", "proven dead"),), control="proven dead")
    other = "2" if end == "1" else "1"
    taken = [
        read(LINE, 240.0, under("W")),
        read("amps:strip-a", 20.8, under("W")),
        read("ohms:strip-b.element", OPEN_OHMS, dead),
        read(f"ohms:strip-b.element.to-ground-{end}", 4.0, dead),
        read(f"ohms:strip-b.element.to-ground-{other}", OPEN_OHMS, dead),
    ]
    found = diagnose(UNIT, taken, complaints=["breaker trips or hot"])
    assert found.first is not None
    assert found.first.faults[0] == f"strip-b.element.burnt-to-frame-{end}"
    assert found.first.probability > 0.9


@pytest.mark.parametrize(
    ("order", "stops"),
    [(("link", "element", "limit", "pole"), False), (("limit", "element", "link", "pole"), True)],
    ids=["behind the element", "between leg and element"],
)
def test_whether_a_limit_stops_a_grounded_element_hangs_on_its_side(order: tuple[Any, ...], stops: bool) -> None:
    """With nothing calling it is fed by leg 1: a limit on that side ends it, one on the other does not."""
    unit = replace(UNIT, circuits=tuple(replace(circuit, order=order) for circuit in UNIT.circuits))
    variants = Variants(wire(unit), [fault_by_id(unit, "strip-b.element.grounded").usual])
    drawn = float(read_amps(settle(variants, Drive()), "amps:strip-b")[0])
    opened = settle(variants, Drive(limits_open=True), start=settle(variants, Drive()))
    assert drawn > 10
    assert not opened.states[0, variants.contact_at["strip-b.limit"]]
    assert (float(read_amps(opened, "amps:strip-b")[0]) < 0.5) == stops


def test_a_low_service_is_a_cause_of_its_own_and_a_lug_is_not() -> None:
    """205 V at the unit and at the panel with nothing calling: the service. 240 V at the panel: what lies between."""
    panel = "volts:panel.l1:panel.l2"
    drawn = [read(f"amps:strip-{x}", 17.8, under("W")) for x in "ab"]
    taken = [read(LINE, 205.0, under()), read(panel, 205.5, under()), *drawn]
    low = diagnose(UNIT, taken, complaints=["not enough heat"])
    assert low.first is not None
    assert low.first.faults == ("supply.low",)
    assert low.first.probability > 2 * low.causes[1].probability
    loaded = under("W", "G")
    taken = [read(LINE, 218.0, loaded), read(panel, 238.5, loaded), read("amps:strip-a", 18.9, loaded)]
    between = diagnose(UNIT, taken, complaints=["not enough heat"])
    assert between.first is not None
    assert not {"supply.low", "healthy"} & set(between.first.faults)


@pytest.mark.parametrize(("volts", "low"), [(230.0, False), (213.0, True)])
def test_a_supply_inside_its_band_is_no_cause(volts: float, low: bool) -> None:
    """228 V passes on 240 V nominal."""
    condition = under("W", "G")
    taken = [
        read(LINE, volts, condition),
        read("volts:panel.l1:panel.l2", volts * 1.005, condition),
        *(read(f"amps:strip-{x}", volts / 11.52, condition) for x in "ab"),
    ]
    found = diagnose(UNIT, taken, complaints=["seasonal check"])
    assert found.first is not None
    assert found.first.faults[0] == ("supply.low" if low else "healthy")


def test_each_feed_goes_by_its_own_supply() -> None:
    """Two feeds, one of them 12 V lower: strips on it draw by its volts, and none is blamed."""
    unit = PATTERNS["three-strip-dc-relay"]()
    condition = Condition(feeds=tuple((feed.id, "live") for feed in unit.feeds), calls=(("W", 400.0), ("G", 400.0)))
    volts = {"feed-1": 238.0, "feed-2": 226.0}
    ohms = {strip.id: strip.element_ohms for strip in unit.circuits}
    taken = [read(f"volts:{feed}.l1:{feed}.l2", shown, condition) for feed, shown in volts.items()]
    taken += [
        read(f"amps:{strip.id}", round(volts[unit.feed_of(strip.supplied_by)] / ohms[strip.id], 1), condition)
        for strip in unit.circuits
    ]
    found = diagnose(unit, taken, complaints=["seasonal check"])
    shares = {fault: c.probability for c in found.causes for fault in c.faults}
    assert found.ask_again == ()
    assert not any(fault.startswith("strip-") and share > 0.02 for fault, share in shares.items())


SOUND = [
    read(LINE, 240.0, under("W", "G")),
    read("amps:strip-a", 20.8, under("W", "G")),
    read("amps:feed-1", 44.0, under("W", "G")),
    read(POLE_B, 0.1, under("W", "G")),
    read("volts:board.w:board.c", 25.6, under("W", "G")),
    read("amps:strip-b", 20.7, under("W", "G")),
]
DEAD = Condition(feeds=(("feed-1", "proven dead"),), control="proven dead")


@pytest.mark.parametrize(
    ("wrong", "why", "fits"),
    [
        (read("ohms:blower-relay.coil", 0.075, DEAD), "kΩ", ""),
        (read("amps:strip-a", 0.0, under("W", "G", seconds=500.0)), "both leads", ""),
        (read("volts:feed-1.l1:ground", 240.0, under("W", "G")), "leg to leg", LINE),
        (read("volts:board.w:board.c", 240.0, under("W", "G", seconds=500.0)), "decimal point", ""),
    ],
    ids=["kilo-ohms", "both conductors", "line for leg", "tenfold"],
)
def test_a_slip_of_the_hand_is_asked_about_in_words(wrong: Reading, why: str, fits: str) -> None:
    """Among sound readings: what may have happened, and the place it would fit; the unit is not blamed for it."""
    found = diagnose(UNIT, [*SOUND, wrong], complaints=["seasonal check"])
    [ask] = [ask for ask in found.asks if ask.point == wrong.point]
    assert why in render(ask.words)
    assert ask.fits == fits
    assert found.first is not None
    assert "healthy" in found.first.faults


def test_one_transformer_is_one_number_however_often_it_is_read() -> None:
    """24.3 V idle, read eight times at four places: a maker's own, not the wrong tap."""
    idle = [
        read(f"volts:{a}:{b}", 24.3, under(*calls))
        for a, b in (("transformer.r", "transformer.c"), ("board.r", "board.c"), ("thermostat.r", "board.c"))
        for calls in ((), ("Y",))
    ]
    found = diagnose(UNIT, [read(LINE, 240.0, under()), *idle], complaints=["seasonal check"])
    rows = [any("wrong-tap" in f.id for f in h.faults) for h in found.model.hypotheses]
    assert found.posterior[rows].sum() < 0.05
    assert found.ask_again == ()


def test_a_wrong_tap_is_told_by_its_primary() -> None:
    """208 V on the 240 V tap's ratio: 21 V loaded and idle near 23 while the line stands at 240."""
    low = [
        read(f"volts:{p}", v, under(*c))
        for p, v, c in (
            ("transformer.r:transformer.c", 20.2, ()),
            ("board.w:board.c", 19.2, ("W",)),
            ("board.r:board.c", 19.4, ("W",)),
        )
    ]
    found = diagnose(UNIT, [read(LINE, 240.0, under()), *low], complaints=["clicking, smell"])
    assert "transformer.wrong-tap-low" in {fault for cause in found.causes[:3] for fault in cause.faults}


@pytest.mark.parametrize(
    ("fault", "point", "ohms"),
    [
        ("outdoor.coil.shorted", "ohms:board.y:board.c", 2.1),
        ("reversing-valve.coil.shorted", "ohms:reversing-valve.coil", 1.5),
        ("transformer.primary-open", "ohms:transformer.1:transformer.2", 1e8),
    ],
)
def test_what_stands_outside_the_heat_takes_it_along(fault: str, point: str, ohms: float) -> None:
    """No control volts anywhere, and an ohmmeter on the dead unit names what did it."""
    live = under("W")
    gone = [read("volts:board.r:board.c", 0.0, live), read(LINE, 240.0, under())]
    where = "transformer.r:board.r" if "coil" in fault else "transformer.r:transformer.c"
    gone.append(read(f"volts:{where}", 26.5 if "coil" in fault else 0.0, live))
    found = diagnose(UNIT, [*gone, read(point, ohms, DEAD)], complaints=["control fuse blows"])
    named = {part for cause in found.causes[:2] for name in cause.faults for part in name.split("+")}
    assert fault in named


def test_half_a_bridge_shorted_blows_the_fuse() -> None:
    """A diode that conducts both ways shorts the call at the first heat."""
    unit = PATTERNS["three-strip-dc-relay"]()
    variants = Variants(wire(unit), [fault_by_id(unit, "relay-a.rectifier.diode-shorted").usual])
    called = settle(variants, Drive(calls=frozenset({"W"})))
    assert called.tripped[0, variants.contact_at["fuse"]]
    assert not settle(variants, Drive()).tripped[0, variants.contact_at["fuse"]]


@pytest.mark.parametrize(("sign", "fault"), [("loose-hub", "blower.hub.loose"), ("side-play", "blower.motor.bearing")])
def test_what_is_felt_at_the_wheel_leads(sign: str, fault: str) -> None:
    """Amps alone hardly tell them; the hand does."""
    taken = [read(LINE, 240.0, under("G")), read("amps:blower", 3.1 if "bearing" in fault else 1.5, under("G"))]
    found = diagnose(UNIT, taken, complaints=["blower dead"], observations=[Observation(kind=sign)])
    assert fault in {name for cause in found.causes[:2] for name in cause.faults}


@pytest.mark.parametrize("ghost", [15.0, 60.0, 88.0, 112.0])
def test_a_ghost_between_two_opens_is_no_misreading(ghost: float) -> None:
    """Limit and pole open in one rung: neither reads line, both a ghost of no certain size; neither is doubted."""
    condition = under("W", "G")
    taken = [
        read(LINE, 240.0, condition),
        read("amps:strip-a", 20.8, condition),
        read("amps:strip-b", 0.0, condition),
        read(POLE_B, ghost, condition),
        read("volts:strip-b.limit.1:strip-b.limit.2", round(0.8 * ghost, 1), condition),
        read("volts:strip-b.element.1:strip-b.element.2", 0.2, condition),
        read("ohms:strip-b.limit", OPEN_OHMS, DEAD),
    ]
    found = diagnose(UNIT, taken, complaints=["not enough heat"])
    assert found.ask_again == ()
    assert found.first is not None
    named = {part for name in found.first.faults for part in name.split("+")}
    assert {"strip-b.limit.open", "seq-a.pole-2.open"} <= named


@pytest.mark.parametrize(
    ("again", "is_doubted"), [(22.0, False), (40.0, False), (78.0, False), (115.0, True), (4.0, True)]
)
def test_the_first_ghost_tells_what_the_next_may_be(again: float, is_doubted: bool) -> None:
    """Limit and pole of strip B open: one harness is one number, so a second ghost of another size is asked again."""
    condition = under("W")
    readings = [
        read("amps:strip-b", 0.0, condition),
        read("amps:strip-a", 20.5, condition),
        read(POLE_B, 40.0, condition),
        read("volts:strip-b.limit.1:strip-b.limit.2", again, condition),
    ]
    assert bool(diagnose(UNIT, readings).ask_again) is is_doubted


@pytest.mark.parametrize(
    ("school", "first"), [("call first", "volts:board.w:board.c"), ("amps first", LINE), ("volts first", LINE)]
)
def test_a_school_begins_where_it_begins(school: str, first: str) -> None:
    """Is W really calling, before anything; else the volts that every reading is held against. Read once, not again."""
    found = diagnose(UNIT, [])
    condition = under()
    assert next_tests(found, condition, school=school)[0].test.point == first
    known = diagnose(UNIT, [read(LINE, 240.0, condition), read("volts:board.w:board.c", 25.0, under("W"))])
    taken = [(LINE, frozenset[str]()), ("volts:board.w:board.c", frozenset({"W"}))]
    again = {entry.test.point for entry in next_tests(known, under("W"), school=school, taken=taken)}
    assert "volts:board.w:board.c" not in again
