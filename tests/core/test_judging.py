"""Readings judged in the light of each other, against docs/trade.md's numbers."""

from dataclasses import replace
from typing import Any

import pytest

from plentar.core.errors import ReadingError
from plentar.core.evidence.metrology import DEMO_METER
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.judging.findings import find
from plentar.core.judging.situation import Situation
from plentar.core.judging.strips import like_elements
from plentar.core.judging.supply import leg_difference
from plentar.core.judging.supply_loss import supply_loss
from plentar.core.judging.verdict import judge
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from plentar.words import render

HEATING = Condition(feeds=(("feed-1", "live"),), calls=(("W", 400.0),), seconds_since_change=400.0)
IDLE = Condition(feeds=(("feed-1", "live"),))
LINE = "volts:feed-1.l1:feed-1.l2"
POLE_B = "volts:seq-a.pole-2.load:seq-a.pole-2.line"


def read(point: str, value: float, condition: Condition = HEATING) -> Reading:
    """A reading with the demo meter's uncertainty."""
    meter_range = DEMO_METER.range_for(point.partition(":")[0], value)
    return Reading(
        point=point,
        value=value,
        condition=condition,
        meter_uncertainty=meter_range.uncertainty(value),
        counts_uncertainty=meter_range.counts_uncertainty,
    )


def judged(*readings: Reading, pattern: str = "two-strip-sequencer") -> Verdict:
    """The verdict on the last of the readings, the others standing."""
    situation = Situation(plate=PATTERNS[pattern](), readings=readings)
    return judge(situation, readings[-1])


def called(seconds: float) -> Condition:
    """Heat called for so long."""
    return Condition(feeds=(("feed-1", "live"),), calls=(("W", seconds),), seconds_since_change=seconds)


@pytest.mark.parametrize(
    ("volts", "amps", "expected", "kind", "deviation"),
    [
        pytest.param(208.0, 18.1, Grade.PASS, "", 0.002, id="240 V element on 208 V"),
        pytest.param(240.0, 18.1, Grade.MARGINAL, "low current", -0.131, id="the same amps at 240 V"),
        pytest.param(240.0, 20.8, Grade.PASS, "", -0.002, id="at rated volts"),
        pytest.param(240.0, 10.4, Grade.FAIL, "half dead", -0.501, id="half the current"),
        pytest.param(240.0, 14.0, Grade.FAIL, "low current", -0.328, id="far too low"),
        pytest.param(240.0, 24.5, Grade.FAIL, "high current", 0.176, id="too high"),
        pytest.param(240.0, 21.9, Grade.MARGINAL, "high current", 0.051, id="whisker across the pass edge"),
    ],
)
def test_strip_amps_are_judged_at_the_volts_found(
    volts: float, amps: float, expected: Grade, kind: str, deviation: float
) -> None:
    """A 5 kW, 240 V element is 11.52 ohm: 208 V gives 18.06 A, 240 V gives 20.83 A."""
    verdict = judged(read(LINE, volts), read("amps:strip-a", amps))
    assert (verdict.grade, verdict.kind) == (expected, kind)
    assert verdict.deviation_ratio == pytest.approx(deviation, abs=0.001)
    assert verdict.band is not None
    assert verdict.band.source == "default"


def test_no_current_under_a_long_call_is_dead_and_names_what_to_trace() -> None:
    """Dead is a fail; the next step names device, pole, limit and link in the order they are read."""
    verdict = judged(read(LINE, 240.0), read("amps:strip-b", 0.0))
    assert render(verdict.spoken) == "fail: dead"
    assert (
        render(verdict.next_step) == "Trace Strip B while calling: 24 V at Seq A, then volts across pole, limit, link."
    )


@pytest.mark.parametrize(
    ("seconds", "expected", "kind"),
    [
        pytest.param(10.0, Grade.NOT_PROVEN, "", id="before the maximum nothing is said"),
        pytest.param(100.0, Grade.MARGINAL, "late", id="to 1.2 times"),
        pytest.param(170.0, Grade.FAIL, "late", id="to twice"),
        pytest.param(181.0, Grade.FAIL, "dead", id="past twice"),
    ],
)
def test_patience_clock_of_a_silent_strip(seconds: float, expected: Grade, kind: str) -> None:
    """Pole 2 has 90 s printed: 90, 108 and 180 s are the edges."""
    verdict = judged(read(LINE, 240.0), read("amps:strip-b", 0.0, called(seconds)))
    assert (verdict.grade, verdict.kind) == (expected, kind)


@pytest.mark.parametrize(
    ("pattern", "beside", "seconds", "expected", "kind"),
    [
        pytest.param("two-strip-sequencer", 20.5, 400.0, Grade.FAIL, "dead", id="its neighbour draws"),
        pytest.param("two-strip-sequencer", 0.0, 400.0, Grade.NOT_PROVEN, "", id="neither draws: no supply, no drive"),
        pytest.param("two-strip-sequencer", 20.5, 60.0, Grade.NOT_PROVEN, "", id="inside its window"),
        pytest.param("two-strip-sequencer", 20.5, 170.0, Grade.FAIL, "late", id="late, not dead yet"),
        pytest.param("two-strip-ac-relay", 20.5, 400.0, Grade.NOT_PROVEN, "", id="the neighbour is on another relay"),
    ],
)
def test_no_current_beside_a_strip_that_draws_is_dead_without_volts(
    pattern: str, beside: float, seconds: float, expected: Grade, kind: str
) -> None:
    """Same feed, same device: supply and drive are there. What is open is not said, and it is not called safe."""
    now = called(seconds)
    verdict = judged(read("amps:strip-a", beside, now), read("amps:strip-b", 0.0, now), pattern=pattern)
    assert (verdict.grade, verdict.kind) == (expected, kind)
    if kind == "dead":
        assert "may still be live" in render(verdict.because)


def test_chained_stages_add_up() -> None:
    """Seq B is fed by an auxiliary pole with 90 s, then has 60 s of its own: 140 s is still early."""
    live = Condition(feeds=(("feed-1", "live"), ("feed-2", "live")), calls=(("W", 140.0),))
    line = "volts:feed-2.l1:feed-2.l2"
    verdict = judged(read(line, 240.0, live), read("amps:strip-c", 0.0, live), pattern="four-strip-chained")
    assert verdict.grade is Grade.NOT_PROVEN
    assert "up to 150 s" in render(verdict.because)


def test_amps_without_supply_volts_are_not_judged() -> None:
    """Rated amps are no yardstick: the verdict waits and says for what."""
    verdict = judged(read("amps:strip-a", 20.8))
    assert verdict.grade is Grade.NOT_PROVEN
    assert render(verdict.next_step).startswith("Read L1 to L2")


def test_current_without_a_call_is_stuck() -> None:
    """Heat with no call is a fail whatever the amps."""
    assert render(judged(read(LINE, 240.0), read("amps:strip-a", 20.8, IDLE)).spoken) == "fail: stuck"


HAND = Condition(in_hand="at rest")


@pytest.mark.parametrize(
    ("pattern", "before", "reading", "meant"),
    [
        pytest.param("three-strip-dc-relay", (), ("ohms:relay-a.coil", 0.873, HAND), 873.0, id="a DC coil in kΩ"),
        pytest.param("two-strip-sequencer", (LINE,), ("amps:strip-a", 208.0, HEATING), 20.8, id="ten turns"),
        pytest.param("two-strip-sequencer", (LINE,), ("amps:strip-a", 41.4, HEATING), 20.7, id="two conductors"),
        pytest.param("two-strip-sequencer", (LINE,), ("amps:strip-a", 30.0, HEATING), None, id="no factor fits"),
        pytest.param("three-strip-dc-relay", (), ("ohms:relay-a.coil", 0.11, HAND), None, id="110 Ω is no good coil"),
        pytest.param("three-strip-dc-relay", (), ("ohms:relay-a.coil", 640.0, HAND), None, id="a good coil"),
    ],
)
def test_a_factor_that_would_fit_is_asked_before_anything_is_judged(
    pattern: str, before: tuple[str, ...], reading: tuple[str, float, Condition], meant: float | None
) -> None:
    """The question first; the same number read again is judged as it stands."""
    stand = [read(point, 240.0) for point in before]
    taken = read(*reading)
    first = judged(*stand, taken, pattern=pattern)
    assert first.meant == (None if meant is None else pytest.approx(meant, rel=1e-6))
    assert (first.kind == "asked") is (meant is not None)
    again = judged(*stand, taken, read(*reading), pattern=pattern)
    assert again.meant is None
    assert (again.grade is Grade.FAIL) is (reading[1] != 640.0)
    other = judged(*stand, read(reading[0], reading[1] * 1.1, reading[2]), taken, pattern=pattern)
    assert other.meant == first.meant, "another number settles nothing"


@pytest.mark.parametrize(
    ("volts", "pattern", "expected"),
    [
        pytest.param(240.0, "two-strip-sequencer", Grade.PASS, id="240 V found on 240"),
        pytest.param(228.5, "two-strip-sequencer", Grade.MARGINAL, id="inside but astride the edge"),
        pytest.param(208.0, "two-strip-sequencer", Grade.FAIL, id="208 V found on 240"),
        pytest.param(208.0, "wye-contactor", Grade.PASS, id="208 V found on 208"),
        pytest.param(222.5, "wye-contactor", Grade.FAIL, id="222 V found on 208"),
    ],
)
def test_supply_is_judged_by_its_nominal(volts: float, pattern: str, expected: Grade) -> None:
    """The two tabled supplies."""
    assert judged(read(LINE, volts, IDLE), pattern=pattern).grade is expected


def test_one_pole_lost_is_recognised_from_its_three_readings() -> None:
    """120 and 120 to ground with 0 between: the next step says so instead of calling the feed dead."""
    verdict = judged(
        read("volts:feed-1.l1:ground", 119.0, IDLE), read("volts:feed-1.l2:ground", 118.0, IDLE), read(LINE, 0.4, IDLE)
    )
    assert verdict.kind == "feed dead"
    assert "One breaker pole is open" in render(verdict.next_step)


@pytest.mark.parametrize(
    ("amps", "volts", "spoken"),
    [
        pytest.param(0.0, 238.0, "fail: open while calling", id="line volts across it"),
        pytest.param(20.0, 0.12, "pass: closed", id="0.12 V with current flowing"),
        pytest.param(20.0, 0.24, "marginal: closed", id="two counts reach past the edge"),
        pytest.param(0.0, 0.0, "not proven", id="zero without current proves nothing"),
        pytest.param(20.0, 0.8, "marginal: burning", id="0.8 V under load"),
        pytest.param(19.0, 12.0, "fail: high resistance", id="12 V under load"),
    ],
)
def test_volts_across_a_pole_under_call(amps: float, volts: float, spoken: str) -> None:
    """Zero volts is closed only with current flowing."""
    verdict = judged(read(LINE, 240.0), read("amps:strip-b", amps), read(POLE_B, volts))
    assert render(verdict.spoken) == spoken


def test_an_open_pole_early_in_its_window_is_not_named() -> None:
    """Line volts across a pole that may still be warming up say nothing yet."""
    verdict = judged(read(LINE, 240.0), read(POLE_B, 238.0, called(20.0)))
    assert verdict.grade is Grade.NOT_PROVEN
    assert render(verdict.next_step) == "Wait 70 s more."


def situation_of(*readings: Reading, pattern: str = "two-strip-sequencer") -> Situation:
    """The unit with these readings standing."""
    return Situation(plate=PATTERNS[pattern](), readings=readings)


@pytest.mark.parametrize(
    ("amps_b", "expected"),
    [
        pytest.param(20.0, Grade.PASS, id="4 % apart"),
        pytest.param(18.3, Grade.MARGINAL, id="13 % apart"),
        pytest.param(15.0, Grade.FAIL, id="32 % apart"),
    ],
)
def test_like_elements_against_each_other(amps_b: float, expected: Grade) -> None:
    """Within 10 % pass, to 20 % marginal, counts only as uncertainty."""
    [(verdict, strips, _)] = like_elements(situation_of(read("amps:strip-a", 20.8), read("amps:strip-b", amps_b)))
    assert verdict.grade is expected
    assert strips == ("strip-a", "strip-b")


@pytest.mark.parametrize(
    ("total", "expected", "kind"),
    [
        pytest.param(43.0, Grade.PASS, "", id="two strips and the blower"),
        pytest.param(41.2, Grade.PASS, "", id="two strips, meter error"),
        pytest.param(20.5, Grade.FAIL, "strip missing", id="one strip short"),
        pytest.param(64.0, Grade.FAIL, "unlisted load", id="a strip nobody listed"),
    ],
)
def test_feed_total_against_its_strips(total: float, expected: Grade, kind: str) -> None:
    """20.8 + 20.6 = 41.4 A, and up to 3 A of blower on top."""
    verdict = judged(read("amps:strip-a", 20.8), read("amps:strip-b", 20.6), read("amps:feed-1", total))
    assert (verdict.grade, verdict.kind) == (expected, kind)


@pytest.mark.parametrize(
    ("total_amps", "doubt_amps", "expected"),
    [(41.6, 8.2, Grade.PASS), (41.6, 8.4, Grade.NOT_PROVEN), (10.0, 8.4, Grade.FAIL)],
)
def test_a_sum_that_could_hide_a_strip_is_no_pass(total_amps: float, doubt_amps: float, expected: Grade) -> None:
    """A strip of 20.8 A is lost in 8.33 A of doubt, four tenths of it: no pass; beyond it is still a fail."""
    strips = [replace(read(f"amps:strip-{name}", 20.8), meter_uncertainty=0.0) for name in "ab"]
    total = replace(read("amps:feed-1", total_amps), meter_uncertainty=doubt_amps)
    assert judged(*strips, total).grade is expected


def test_legs_and_sag_use_the_counts_only() -> None:
    """121 against 117 V is 3.4 % of 119; 241.1 falling to 229.0 is 5.02 %, astride 5 % by its counts."""
    legs = leg_difference(
        situation_of(read("volts:feed-1.l1:ground", 121.0), read("volts:feed-1.l2:ground", 117.0)), "feed-1"
    )
    assert legs is not None
    assert (round(legs.value, 2), legs.grade) == (3.36, Grade.MARGINAL)
    taken = [read(LINE, 241.1, IDLE), read(LINE, 229.0), read("amps:feed-1", 40.0)]
    loss = supply_loss(situation_of().plate, "feed-1", taken)
    assert loss is not None
    assert (round(loss.verdict.value, 2), loss.verdict.grade) == (5.02, Grade.MARGINAL)
    assert (round(loss.series_ohms, 4), round(loss.series_watts)) == (0.3025, 484)
    assert loss.joint_volts is None


def test_a_sag_is_split_into_panel_wire_and_joint() -> None:
    """12.1 V at the unit, 3.0 V of them the panel's, 40 A × 2 × 40 ft of 6 AWG copper 1.57 V hot, 1.29 V cold.

    So 7.53 to 7.81 V are a joint's.
    """
    panel = "volts:panel.l1:panel.l2"
    taken = [read(LINE, 241.1, IDLE), read(LINE, 229.0), read("amps:feed-1", 40.0)]
    taken += [read(panel, 241.5, IDLE), read(panel, 238.5)]
    loss = supply_loss(situation_of().plate, "feed-1", taken)
    assert loss is not None
    assert loss.wire_volts == pytest.approx((0.82 * 1.5712, 1.5712))
    assert loss.joint_volts == pytest.approx((7.5288, 7.8116), abs=1e-4)
    assert loss.joint_watts == pytest.approx((301.15, 312.46), rel=1e-3)
    assert loss.joint_ohms == pytest.approx((0.18822, 0.19529), rel=1e-3)
    assert "7.5 to 7.8 V is lost in joints: 301 to 312 W" in render(loss.verdict.next_step)


@pytest.mark.parametrize(
    ("leg_1", "leg_2", "kind"),
    [
        pytest.param((120.5, 100.5), (120.4, 119.6), "hot joint", id="0.5 ohm in leg 1 is 770 W"),
        pytest.param((120.4, 119.6), (120.5, 100.5), "hot joint", id="or in leg 2"),
        pytest.param((120.5, 110.5), (120.4, 110.4), "sags", id="both alike: wire or service"),
        pytest.param((120.5, 118.0), (120.4, 118.9), "", id="40 W is warm, not yet an emergency"),
    ],
)
def test_a_leg_that_sags_alone_turns_the_heat_off(
    leg_1: tuple[float, float], leg_2: tuple[float, float], kind: str
) -> None:
    """By hand: what one leg loses beyond the other, times 40 A."""
    taken = [read("amps:feed-1", 40.0)]
    for leg, (without, under) in (("l1", leg_1), ("l2", leg_2)):
        point = f"volts:feed-1.{leg}:ground"
        taken += [read(point, without, IDLE), read(point, under)]
    taken += [read(LINE, leg_1[0] + leg_2[0], IDLE), read(LINE, leg_1[1] + leg_2[1])]
    loss = supply_loss(situation_of().plate, "feed-1", taken)
    assert loss is not None
    assert loss.verdict.kind == kind
    assert ("Turn the heat off" in render(loss.verdict.next_step)) is (kind == "hot joint")


def test_a_joint_of_one_volt_on_cold_wire_is_not_lost_in_the_wire() -> None:
    """4.0 V with 1.0 V of panel and 2.46 V of hot wire: the joint's 1.0 V would be 0.54 by the hot table alone."""
    panel = "volts:panel.l1:panel.l2"
    taken = [read(LINE, 241.0, IDLE), read(LINE, 237.0), read("amps:feed-1", 62.6)]
    taken += [read(panel, 241.5, IDLE), read(panel, 240.5)]
    loss = supply_loss(situation_of().plate, "feed-1", taken)
    assert loss is not None
    assert loss.joint_volts == pytest.approx((0.541, 0.984), abs=0.01)


def test_a_wire_of_unknown_length_splits_nothing() -> None:
    """Forty feet stand in for the circuit's sake; no volt of a joint is worked out of them."""
    plate = situation_of().plate
    plate = replace(plate, assumed=("feeds[0].conductor.length_feet",))
    panel = "volts:panel.l1:panel.l2"
    taken = [read(LINE, 241.1, IDLE), read(LINE, 229.0), read("amps:feed-1", 40.0)]
    taken += [read(panel, 241.5, IDLE), read(panel, 238.5)]
    loss = supply_loss(plate, "feed-1", taken)
    assert loss is not None
    assert loss.panel_sag_volts == pytest.approx(3.0)
    assert (loss.wire_volts, loss.joint_volts, loss.joint_watts) == (None, None, None)


def test_findings_put_the_worst_first_and_leave_passes_out() -> None:
    """A dead strip before a marginal supply; the passing strip is not a finding."""
    readings = (read(LINE, 226.0), read("amps:strip-a", 19.5), read("amps:strip-b", 0.0))
    situation = situation_of(*readings)
    found = find(situation, [(reading, judge(situation, reading)) for reading in readings])
    assert [render(entry.about) for entry in found] == ["Strip B", "Supply"]


@pytest.mark.parametrize("value", [float("nan"), -1.0, 1e9])
def test_impossible_readings_are_refused(value: float) -> None:
    """NaN, negative and a thousand million never become evidence."""
    with pytest.raises(ReadingError):
        Reading(point="amps:strip-a", value=value, condition=IDLE)


def test_a_point_of_another_unit_is_refused() -> None:
    """Strip F of a two-strip unit does not exist."""
    with pytest.raises(ReadingError, match="no point 'amps:strip-f'"):
        judged(Reading(point="amps:strip-f", value=1.0, condition=IDLE))


@pytest.mark.parametrize("pattern", sorted(PATTERNS))
def test_every_point_of_every_pattern_can_be_judged(pattern: str) -> None:
    """Whatever the wiring, each point gives a verdict with a reason, at rest and under heat."""
    from plentar.core.unit.points import test_points

    plate: Nameplate = PATTERNS[pattern]()
    for condition in (IDLE, HEATING):
        for point in test_points(plate):
            verdict: Any = judge(
                Situation(plate=plate, readings=()), Reading(point=point.id, value=5.0, condition=condition)
            )
            assert verdict.because


@pytest.mark.parametrize(
    ("amps", "kind"),
    [(0.1, "open circuit"), (2.9, "heat contact stuck"), (20.4, "relay feeds a strip")],
)
def test_the_interlock_lead_tells_which_way_a_back_feed_goes(amps: float, kind: str) -> None:
    """With no heat called: about blower current, about strip current, or nothing to tell."""
    plate = PATTERNS["two-strip-sequencer"]()
    condition = Condition(feeds=(("feed-1", "live"),), calls=(("G", 60.0),), seconds_since_change=60.0)
    reading = Reading(point="amps:interlock", value=amps, condition=condition)
    verdict = judge(Situation(plate=plate, readings=()), reading)
    if kind == "open circuit":
        assert verdict.grade is Grade.PASS
    else:
        assert render(verdict.spoken) == f"fail: {kind}"


@pytest.mark.parametrize(
    ("point", "value", "kind"),
    [
        ("volts:feed-1.l1:feed-1.l2", 2400.0, "cannot be"),
        ("volts:feed-1.l1:feed-1.l2", 301.0, "cannot be"),
        ("volts:feed-1.l1:feed-1.l2", 299.0, "high supply"),
        ("amps:feed-1", 440.0, "cannot be"),
        ("volts:board.w:board.c", 121.0, "line on the control side"),
        ("volts:thermostat.r:board.c", 60.0, "line on the control side"),
        ("volts:seq-a.coil.1:seq-a.coil.2", 33.0, "high control volts"),
    ],
)
def test_a_number_that_cannot_be_is_asked_about_and_line_on_the_control_side_stops(
    point: str, value: float, kind: str
) -> None:
    """A quarter above nominal on both sides; twice a transformer's idle volts on both sides."""
    condition = Condition(feeds=(("feed-1", "live"),), calls=(("W", 400.0),))
    reading = Reading(point=point, value=value, condition=condition, meter_uncertainty=0.5)
    verdict = judge(Situation(plate=PATTERNS["two-strip-sequencer"](), readings=[reading]), reading)
    assert verdict.kind == kind
    assert verdict.grade is not Grade.PASS
