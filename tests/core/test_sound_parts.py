"""What sound parts may show and what time does: calls that were read wrong with confidence, each by hand.

The two-strip sequencer: 240 V, 5 kW a strip (11.52 ohm, 20.8 A), a heater of some 48 ohm, windows up to 90 s.
"""

from dataclasses import replace

import pytest

from plentar.core.causes.checks import WATCH
from plentar.core.causes.diagnosis import Diagnosis, diagnose
from plentar.core.causes.next_test import next_tests
from plentar.core.evidence.reading import Reading
from plentar.core.evidence.signs import Observation
from plentar.core.judging.situation import Situation
from plentar.core.judging.verdict import judge
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.patterns import PATTERNS
from tests.core.test_diagnosis import LINE, POLE_B, UNIT, read, under
from tests.core.test_sequences import DEAD, at, share

HEATER = "volts:seq-a.coil.1:seq-a.coil.2"
IDLE, FAN = under(), under("G")
STRIP_OHMS = 11.52


def lead(found: Diagnosis) -> tuple[str, ...]:
    """The faults of the cause that leads."""
    assert found.first is not None
    return found.first.faults


@pytest.mark.parametrize("blower_amps", [1.5, 1.9, 2.6, 3.4])
def test_a_blower_well_under_its_plate_is_a_sound_one(blower_amps: float) -> None:
    """Nothing calling, no volts at the heater; 20.8 A of strip A and whatever its blower draws come through pole 1.

    A PSC motor draws 0.40 to 1.00 of its 3.5 A. What touches the cabinet would feed no blower through the interlock.
    """
    unit = replace(UNIT, blower=replace(UNIT.blower, rated_amps=3.5))
    # A motor of power factor 0.85 beside a resistor.
    total = round(((20.8 + 0.85 * blower_amps) ** 2 + (0.53 * blower_amps) ** 2) ** 0.5, 1)
    points = [(HEATER, 0.0), ("amps:feed-1", total), ("amps:blower", blower_amps), ("amps:interlock", blower_amps)]
    found = diagnose(unit, [read(point, value, IDLE) for point, value in points], complaints=["heat will not stop"])
    assert lead(found)[0] == "seq-a.pole-1.welded"
    assert share(found, "strip-a.element.grounded") < 0.05


def test_a_wide_normal_hides_no_motor_that_labours() -> None:
    """18 % over its plate no sound blower draws, and what is read of it again is one number."""
    labours = [read("amps:blower", 3.6, FAN), read("amps:interlock", 3.6, under("W"))]
    found = diagnose(UNIT, [read(LINE, 240.0, IDLE), *labours])
    assert share(found, "blower.motor.weak-capacitor", "blower.motor.bearing") > 0.5
    calm = [read("amps:blower", 1.4, FAN), read("amps:interlock", 1.4, under("W"))]
    assert share(diagnose(UNIT, [read(LINE, 240.0, IDLE), *calm]), "healthy") > 0.35


def test_both_strips_at_once_after_nine_minutes_are_a_slow_heater() -> None:
    """25 V at the heater from the call on, nothing at 520 s, all of it at 550: two limits do not move together."""
    call = [at(HEATER, 25.0, 5), at("amps:strip-a", 0.0, 515), at("amps:strip-b", 0.0, 520)]
    call += [at("amps:strip-a", 20.6, 550), at("amps:strip-b", 20.6, 555)]
    assert lead(diagnose(UNIT, call, complaints=["not enough heat"]))[0] == "seq-a.slow"


def test_one_pole_late_and_the_other_not_yet_is_a_slow_heater() -> None:
    """A came between 150 and 260 s of its 90, B not by 400: no limit opens before the heat is on."""
    call = [at(LINE, 240.0, 100), at("amps:strip-a", 0.0, 150), at("amps:strip-a", 20.6, 260)]
    call += [at("amps:strip-b", 0.0, 400)]
    found = diagnose(UNIT, call, complaints=["not enough heat"])
    assert lead(found)[0] == "seq-a.slow"
    assert share(found, "air.little") < 0.2


def test_a_strips_amps_at_nc_under_the_fan_are_a_plain_wire_beside_it() -> None:
    """The fan's contact feeds strip A backward through the wire: 240 V over 11.52 ohm, and NC itself is open."""
    for amps in (20.8, 22.5):
        found = diagnose(UNIT, [read("amps:interlock", amps, FAN)])
        assert lead(found) == ("interlock.plain-wire",)
    # The lead of NC alone in the jaw: nothing there, and nothing said against the wire.
    alone = diagnose(UNIT, [read("amps:interlock", 0.0, FAN)])
    assert share(alone, "interlock.plain-wire") > 0.3 * share(
        diagnose(UNIT, [read(LINE, 240.0, IDLE)]), "interlock.plain-wire"
    )


def test_a_heater_of_few_ohms_behind_a_blown_fuse_is_what_blew_it() -> None:
    """27 V across the fuse, 1.5 ohm where 48 belong: nothing else is looked for."""
    fuse = [read("volts:transformer.r:board.r", 27.0, under("W")), read("volts:board.r:board.c", 0.0, under("W"))]
    found = diagnose(UNIT, [*fuse, read("ohms:seq-a.coil", 1.5, DEAD)], complaints=["no heat"])
    assert lead(found)[0] == "seq-a.coil.shorted"
    assert share(found, "control.w.shorted") < 0.05


@pytest.mark.parametrize("ohms", [0.3, 0.5, 0.7])
@pytest.mark.parametrize("leg", ["l1", "l2"])
def test_the_leg_that_sags_alone_is_where_the_joint_is(leg: str, ohms: float) -> None:
    """41.7 A through R on one leg: that leg to ground falls by all of it, the other by nothing."""
    amps = 480.0 / (STRIP_OHMS + 2 * ohms)
    falls = amps * ohms
    legs = [(name, 120.0 - (falls if name == leg else 0.0)) for name in ("l1", "l2")]
    call = [read(LINE, 240.0, IDLE), at(LINE, 240.0 - falls, 300)]
    call += [at(f"volts:feed-1.{name}:ground", volts, 310) for name, volts in legs]
    call += [at("amps:strip-a", round(amps / 2, 1), 330)]
    found = diagnose(UNIT, call, complaints=["not enough heat"])
    own = (f"feed-1.lug-{leg}.loose", f"feed-1.breaker-{leg}.stab-burnt")
    assert set(lead(found)) <= set(own)
    assert share(found, *own) > 0.85
    assert share(found, "feed-1.wire.too-small") < 0.1


@pytest.mark.parametrize("coils", [1 / 3, 1 / 2, 2 / 3])
def test_one_of_several_coils_open_leaves_its_share_of_the_amps(coils: float) -> None:
    """The others heat on, on all of the line's volts."""
    call = [at(LINE, 240.0, 300), at("amps:strip-a", 20.5, 310), at("amps:strip-b", round(20.8 * coils, 1), 320)]
    call += [at("volts:strip-b.element.1:strip-b.element.2", 239.0, 330)]
    found = diagnose(UNIT, call, complaints=["not enough heat"])
    assert "strip-b.element.coil-open" in lead(found)
    assert share(found, "strip-b.element.grounded", "healthy") < 0.15


@pytest.mark.parametrize(("point", "ohms", "part"), [(POLE_B, 4.0, "seq-a.pole-2.burnt"), ("", 10.0, ".loose")])
def test_a_resistance_takes_its_share_at_any_size(point: str, ohms: float, part: str) -> None:
    """A burnt pole of 4 ohm drops a quarter of the line; a joint of 10 leaves the element half of it."""
    amps = 240.0 / (STRIP_OHMS + ohms)
    across = (
        [(point, ohms * amps)]
        if point
        else [("volts:strip-b.element.1:strip-b.element.2", STRIP_OHMS * amps), (POLE_B, 0.1)]
    )
    call = [at(LINE, 240.0, 300), at("amps:strip-a", 20.5, 310), at("amps:strip-b", round(amps, 1), 320)]
    call += [at(where, round(volts, 1), 330) for where, volts in across]
    assert all(fault.endswith(part) for fault in lead(diagnose(UNIT, call, complaints=["not enough heat"])))


@pytest.mark.parametrize("ohms", [6.9, 17.5])
def test_a_link_and_the_new_element_of_another_size_are_both_named(ohms: float) -> None:
    """240 V across the link; cold, leads off, twice, no 5 kW element reads 6.9 or 17.5 ohm."""
    call = [at(LINE, 240.0, 300), at("amps:strip-a", 20.5, 310), at("amps:strip-b", 0.0, 320)]
    call += [at("volts:strip-b.link.1:strip-b.link.2", 238.0, 340)]
    call += [read("ohms:strip-b.element", value, DEAD) for value in (ohms, ohms + 0.1)]
    named = lead(diagnose(UNIT, call, complaints=["not enough heat"]))[0]
    assert "strip-b.link.open" in named
    assert "strip-b.element." in named


def test_what_was_watched_speaks_by_the_clock_of_what_it_watched() -> None:
    """A quarter of an hour holds nine in ten limits that open, and not half of the weak breakers."""
    sound = [read(LINE, 240.0, IDLE), at("amps:strip-a", 20.7, 300), at("amps:strip-b", 20.6, 310)]

    def told(kind: str) -> Diagnosis:
        return diagnose(UNIT, sound, complaints=["blower cuts in and out"], observations=[Observation(kind=kind)])

    faults = ("strip-a.limit.cycling", "feed-1.breaker.weak", "healthy")
    steady, dropped = ([share(told(kind), fault) for fault in faults] for kind in ("watched-steady", "watched-dropped"))
    before = [share(diagnose(UNIT, sound, complaints=["blower cuts in and out"]), fault) for fault in faults]
    limit, breaker = (after / was / (steady[2] / before[2]) for after, was in zip(steady[:2], before[:2], strict=True))
    assert limit == pytest.approx(0.1, rel=0.05)
    assert breaker == pytest.approx(0.45, rel=0.05)
    assert dropped[2] < 0.02


def test_a_breaker_that_trips_is_weak_before_a_strip_is_cold() -> None:
    """What cannot trip a breaker is no answer to one that trips: with all amps sound it leads, and is watched."""
    call = [read(LINE, 240.0, IDLE), at(LINE, 238.0, 290), at("amps:strip-a", 20.5, 300), at("amps:strip-b", 20.6, 310)]
    call += [at("amps:blower", 1.9, 320), read("amps:feed-1", 0.0, IDLE)]
    found = diagnose(UNIT, call, complaints=["breaker trips or hot"])
    assert lead(found)[0] == "feed-1.breaker.weak"
    taken = [(r.point, r.condition.on) for r in call]
    # After the fan's own amps, which take a minute.
    assert next_tests(found, call[-1].condition, taken=taken, most=2)[1].test.point == WATCH
    for kind, expected in (("watched-tripped", "feed-1.breaker.weak"), ("watched-dropped", "strip-b.limit.cycling")):
        seen = Observation(kind=kind, about="feed-1" if kind == "watched-tripped" else "strip-b")
        assert lead(diagnose(UNIT, call, complaints=["breaker trips or hot"], observations=[seen]))[0] == expected


def test_the_breaker_somebody_points_at_is_the_one_that_trips() -> None:
    """Of two feeds the named one, and what is behind it, is nine times likelier; the other stays possible."""
    two = PATTERNS["four-strip-chained"]()
    named = diagnose(two, [], complaints=["breaker trips or hot"],
                     observations=[Observation(kind="breaker-trips", about="feed-2")])  # fmt: skip
    before = diagnose(two, [], complaints=["breaker trips or hot"])
    for fault, behind in (("feed-2.breaker.weak", True), ("strip-c.element.grounded", True),
                          ("feed-1.breaker.weak", False), ("strip-a.element.grounded", False)):  # fmt: skip
        odds = (share(named, fault) / share(before, fault)) / (share(named, "healthy") / share(before, "healthy"))
        assert odds == pytest.approx(9.0 if behind else 1.0, rel=0.01), fault


def test_the_same_number_twice_within_a_minute_is_one_look() -> None:
    """Kept twice by a double entry it is no second witness; two minutes later it is."""

    def doubt(*seconds: float) -> float:
        rung = [at(LINE, 240.0, 300), at("amps:strip-a", 20.6, 310), *(at("amps:strip-b", 0.0, s) for s in seconds)]
        return share(diagnose(UNIT, rung), "healthy")

    once = doubt(400)
    assert doubt(400, 440) == pytest.approx(once, rel=0.01)
    assert doubt(400, 520) < 0.5 * once


def test_a_condition_without_a_clock_is_no_moment() -> None:
    """Power off and proven dead no clock runs: two readings there are two."""
    ohms = [Reading(point="ohms:strip-b.element", value=7.0, condition=DEAD, meter_uncertainty=0.1)] * 2
    assert share(diagnose(UNIT, ohms), "healthy") < 0.5 * share(diagnose(UNIT, ohms[:1]), "healthy")


@pytest.mark.parametrize(
    ("seconds", "heater", "grade", "kind"),
    [
        pytest.param(600.0, None, Grade.NOT_PROVEN, "closed", id="nobody read its heater"),
        pytest.param(600.0, 25.0, Grade.NOT_PROVEN, "closed", id="an outdoor thermostat calls it"),
        pytest.param(160.0, 0.2, Grade.NOT_PROVEN, "closed", id="may still open"),
        pytest.param(181.0, 0.2, Grade.FAIL, "stuck closed", id="past twice its off-time"),
        pytest.param(None, 0.2, Grade.NOT_PROVEN, "closed", id="nobody knows since when"),
    ],
)
def test_a_pole_is_stuck_only_with_nothing_at_its_heater_and_past_twice_its_off_time(
    seconds: float | None, heater: float | None, grade: Grade, kind: str
) -> None:
    """0.1 V across pole 2 with 20 A through it, nothing calling; its window to open ends at 90 s."""
    idle = replace(IDLE, seconds_since_change=seconds)
    readings = [read(LINE, 240.0, idle), read("amps:strip-b", 20.0, idle)]
    readings += [read(HEATER, heater, idle)] if heater is not None else []
    pole = read(POLE_B, 0.1, idle)
    verdict = judge(Situation(plate=UNIT, readings=[*readings, pole]), pole)
    assert (verdict.grade, verdict.kind) == (grade, kind)


@pytest.mark.parametrize(("seconds", "is_stuck"), [(20.0, False), (89.0, False), (150.0, True)])
def test_a_strip_that_has_not_gone_off_yet_is_no_stuck_one(seconds: float, is_stuck: bool) -> None:
    """Its sequencer opens within 90 s of the call's end: until then its amps say nothing."""
    idle = replace(IDLE, seconds_since_change=seconds)
    amps = read("amps:strip-b", 20.0, idle)
    verdict = judge(Situation(plate=UNIT, readings=[amps]), amps)
    assert (verdict.grade is Grade.FAIL) is is_stuck
    assert (share(diagnose(UNIT, [amps]), "seq-a.pole-2.welded") > 0.3) is is_stuck
