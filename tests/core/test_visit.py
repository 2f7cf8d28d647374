"""A visit as a whole: a healthy unit is all well, and what was read under one condition stays what it was."""

from collections.abc import Iterable
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plentar.core.causes.diagnosis import diagnose
from plentar.core.causes.hypotheses import model_of
from plentar.core.circuit.drive import drives_of
from plentar.core.evidence.events import Switched
from plentar.core.evidence.reading import Condition, FeedState, Hand, Reading
from plentar.core.evidence.runs import TimingRun
from plentar.core.judging.situation import Situation
from plentar.core.judging.supply_loss import supply_loss
from plentar.core.judging.timing import judge_run
from plentar.core.judging.verdict import judge
from plentar.core.limits.table import Limits
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.points import test_points as points_of
from plentar.core.work.proof import proof_items, prove, touched_by
from plentar.words import render
from tests.core.test_epochs import LINE, Call
from tests.units import EVERY_UNIT

LONG = 900.0


def called(plate: Nameplate, *calls: str, feeds: str = "live", control: str = "from unit") -> Condition:
    """Calls that have been on long enough for every pole."""
    return Condition(
        feeds=tuple((feed.id, feeds) for feed in plate.feeds),  # type: ignore[misc]
        control=control,  # type: ignore[arg-type]
        calls=tuple((call, LONG) for call in calls if call in plate.calls),
        seconds_since_change=LONG,
        bypassed=control == "separate source",
        opened=tuple((feed.id, "disconnect") for feed in plate.feeds) if feeds != "live" else (),
    )


def conditions(plate: Nameplate) -> Iterable[Condition]:
    """Every way a healthy unit is looked at, the thermostat's own W-with-G among them; each once."""
    heat = ("W", "W2") if "W2" in plate.calls else ("W",)
    for calls in dict.fromkeys(((), ("G",), ("W",), heat, ("W", "G"), (*heat, "G"))):
        yield called(plate, *calls)
    for calls in ((), heat, ("G",)):
        yield called(plate, *calls, feeds="proven dead", control="separate source")
    yield called(plate, feeds="proven dead", control="proven dead")


def healthy_reading(plate: Nameplate, point: str, condition: Condition) -> Reading:
    """What a good meter shows on the unit with nothing wrong with it."""
    [(drive, _)] = drives_of(plate, condition)
    value = float(model_of(plate).predict(point, drive).predicted[0])
    if value >= OPEN_OHMS / 2:
        return Reading(point=point, value=OPEN_OHMS, condition=condition)
    # Finer than most: a reading a good meter cannot tell from a limit is marginal, and that is another test.
    half_width = 0.005 * value + 0.02
    return Reading(point=point, value=value, condition=condition, meter_uncertainty=half_width)


def run_sheet(plate: Nameplate, condition: Condition) -> list[Reading]:
    """Every volt and amp of the run sheet; with a second source the poles' ohms instead, leads off."""
    points = [point.id for point in points_of(plate) if point.quantity in ("volts", "amps")]
    if condition.control in ("separate source", "proven dead"):
        poles = [f"ohms:{d.id}.pole-{pole.number}" for d in plate.devices for pole in d.poles]
        points = [*poles, *(point for point in points if point.startswith("volts:") and "coil" in point)]
    return [healthy_reading(plate, point, condition) for point in points]


@pytest.mark.parametrize("pattern", EVERY_UNIT)
def test_what_a_healthy_unit_shows_passes_and_leads_healthy(pattern: str) -> None:
    """Under every call, with every feed dead, with a separate source on the control side."""
    plate = PATTERNS[pattern]()
    everything: list[Reading] = []
    for condition in conditions(plate):
        readings = run_sheet(plate, condition)
        situation = Situation(plate=plate, readings=tuple(readings))
        wrong = [
            (reading.point, reading.value, verdict.spoken, verdict.because)
            for reading in readings
            if (verdict := judge(situation, reading)).grade in (Grade.FAIL, Grade.MARGINAL)
        ]
        assert wrong == [], condition.spoken
        everything += readings
        # One condition hides much of what can be broken, and what it hides stays as likely as it was; but nothing
        # broken may explain the healthy readings better than healthy does.
        diagnosis = diagnose(plate, readings)
        explains = diagnosis.posterior / diagnosis.model.prior(())
        healthy = [hypothesis.id for hypothesis in diagnosis.model.hypotheses].index("healthy")
        assert explains[healthy] >= 0.8 * explains.max(), condition.spoken
    first = diagnose(plate, everything).first
    assert first is not None
    assert "healthy" in first.faults


@pytest.mark.parametrize("pattern", EVERY_UNIT)
@settings(max_examples=12)
@given(data=st.data())
def test_a_verdict_never_changes_by_readings_of_another_condition(pattern: str, data: st.DataObject) -> None:
    """Strip A passed under heat; proving the feed dead afterwards does not turn it into high current."""
    plate = PATTERNS[pattern]()
    mine, other = data.draw(
        st.sampled_from(list(conditions(plate))).flatmap(
            lambda c: st.tuples(
                st.just(c), st.sampled_from([each for each in conditions(plate) if each.state != c.state])
            )
        )
    )
    share = data.draw(st.sampled_from([0.5, 0.9, 1.0, 1.08, 1.5]))
    sheet = [replace(r, value=min(r.value * share, 9e8)) for r in run_sheet(plate, mine)]
    alone = Situation(plate=plate, readings=tuple(sheet))
    later = Situation(plate=plate, readings=(*sheet, *run_sheet(plate, other)))
    for reading in sheet:
        assert judge(later, reading) == judge(alone, reading), (mine.spoken, other.spoken, reading)


@pytest.mark.parametrize("function", ["volts", "amps", "ohms"])
def test_the_shops_figures_reach_every_verdict(function: str) -> None:
    """A shop that narrows a band sees it in the verdict, named as its own."""
    plate = PATTERNS["two-strip-sequencer"]()
    name, point, condition = {
        "volts": ("supply_240_volts", "volts:feed-1.l1:feed-1.l2", called(plate)),
        "amps": ("element_amps_ratio", "amps:strip-a", called(plate, "W", "W2", "G")),
        "ohms": (
            "element_ohms_ratio",
            "ohms:strip-a.element",
            called(plate, feeds="proven dead", control="proven dead"),
        ),
    }[function]
    narrow = {"volts": (280.0, 290.0, 300.0, 310.0)}.get(function, (1.5, 1.6, 1.7, 1.8))
    volts = healthy_reading(plate, "volts:feed-1.l1:feed-1.l2", condition)
    reading = healthy_reading(plate, point, condition)
    default = judge(Situation(plate=plate, readings=(volts, reading)), reading)
    own = judge(Situation(plate=plate, readings=(volts, reading), limits=Limits(changed=((name, narrow),))), reading)
    assert (default.grade, own.grade) == (Grade.PASS, Grade.FAIL)
    assert own.band is not None
    assert own.band.source == "shop rule"


@pytest.mark.parametrize("pattern", EVERY_UNIT)
def test_proving_a_unit_dead_moves_no_suspicion(pattern: str) -> None:
    """A strip that drew nothing has the same causes after every point was read at a tenth of a volt, power off."""
    plate = PATTERNS[pattern]()
    heat = called(plate, "W", "W2")
    strip = plate.circuits[-1].id
    sheet = [replace(r, value=0.0) if r.point == f"amps:{strip}" else r for r in run_sheet(plate, heat)]
    dead = called(plate, "W", "W2", feeds="proven dead", control="proven dead")
    points = [point.id for point in points_of(plate) if point.quantity == "volts"]
    safety = [Reading(point=point, value=0.1, condition=dead, meter_uncertainty=0.05) for point in points]
    before, after = diagnose(plate, sheet), diagnose(plate, [*sheet, *safety])
    assert [cause.faults for cause in before.causes] == [cause.faults for cause in after.causes]


@pytest.mark.parametrize(
    ("states", "is_dead"),
    [
        (("proven dead", "proven dead"), True),
        (("proven dead", "off"), False),
        (("live", "proven dead"), False),
        ((), False),
    ],
)
def test_a_condition_is_dead_by_all_its_feeds(states: tuple[FeedState, ...], is_dead: bool) -> None:
    """One feed proven says nothing of the other, and no feed named is none proven."""
    feeds = tuple((f"feed-{number}", state) for number, state in enumerate(states, 1))
    condition = Condition(feeds=feeds, control="proven dead")
    assert (condition.feeds_are_dead, condition.is_proven_dead) == (is_dead, is_dead)
    assert condition.feeds_live is ("live" in states or not states)


TWO = PATTERNS["two-strip-sequencer"]()
IDLE, HEAT = called(TWO), called(TWO, "W")
DEAD = called(TWO, feeds="proven dead", control="proven dead")
OFF = called(TWO, feeds="off", control="off")


def read(point: str, value: float, condition: Condition, uncertainty: float = 0.1) -> Reading:
    return Reading(point=point, value=value, condition=condition, meter_uncertainty=uncertainty)


SUPPLY = "volts:feed-1.l1:feed-1.l2"


def test_amps_are_judged_at_the_volts_that_fed_them() -> None:
    """Volts read before with the feed live; not those of a dead feed, not those somebody reads later."""
    amps = read("amps:strip-a", 20.8, HEAT)
    alone = judge(Situation(plate=TWO, readings=(amps,)), amps)
    dead = judge(Situation(plate=TWO, readings=(read(SUPPLY, 0.2, DEAD), amps)), amps)
    assert dead.expected == pytest.approx(alone.expected)
    before, later = read(SUPPLY, 236.0, IDLE), read(SUPPLY, 215.0, IDLE)
    verdicts = [judge(Situation(plate=TWO, readings=(before, amps, *more)), amps) for more in ((), (later,))]
    assert verdicts[0].expected != pytest.approx(alone.expected)
    assert verdicts[0] == verdicts[1]


@pytest.mark.parametrize(("volts", "uncertainty", "grade"), [(0.7, 0.2, "pass"), (0.8, 0.3, "fail")])
def test_dead_is_below_a_volt_with_all_the_meter_may_be_wrong_by(volts: float, uncertainty: float, grade: str) -> None:
    """0.8 V by a meter that may be 0.3 wrong is not dead."""
    taken = read(SUPPLY, volts, OFF, uncertainty)
    assert judge(Situation(plate=TWO, readings=(taken,)), taken).grade.value == grade


@pytest.mark.parametrize(
    ("point", "hand", "value", "expected"),
    [
        ("ohms:seq-a.pole-1", "at rest", 0.2, ("fail", "welded")),
        ("ohms:seq-a.pole-1", "at rest", OPEN_OHMS, ("pass", "open")),
        ("ohms:seq-a.pole-1", "driven", 0.2, ("pass", "closed")),
        ("ohms:seq-a.pole-1", "driven", OPEN_OHMS, ("fail", "open")),
        ("ohms:strip-a.limit", "at rest", 0.2, ("pass", "closed")),
        ("ohms:strip-a.limit", "driven", 0.2, ("pass", "closed")),
        ("ohms:strip-a.limit", "driven", OPEN_OHMS, ("fail", "open")),
    ],
)
def test_a_contact_in_the_hand(point: str, hand: Hand, value: float, expected: tuple[str, str]) -> None:
    """What a coil moves, it moves; a limit stays closed whoever drives what."""
    taken = read(point, value, replace(Condition(), in_hand=hand))
    verdict = judge(Situation(plate=TWO, readings=(taken,)), taken)
    assert (verdict.grade.value, verdict.kind) == expected


@pytest.mark.parametrize(("uncertainty", "grade"), [(4.9, "pass"), (5.1, "not proven")])
@pytest.mark.parametrize("value", [0.0, 3.0])
def test_a_range_that_cannot_tell_closed_from_open_closes_nothing(value: float, uncertainty: float, grade: str) -> None:
    """The meter's doubt is given to a contact up to the 5 ohms that are still a contact's; 20 k by 30 k is no pass."""
    for ohms, doubt, expected in ((value, uncertainty, grade), (20_000.0, 30_300.0, "not proven")):
        taken = read("ohms:strip-a.limit", ohms, Condition(), doubt)
        assert judge(Situation(plate=TWO, readings=(taken,)), taken).grade.value == expected


def test_sag_is_between_volts_of_a_live_feed() -> None:
    """0.2 V of a dead feed is no supply without load."""
    loaded = read(SUPPLY, 233.0, HEAT)
    amps = read("amps:feed-1", 44.0, HEAT)
    assert supply_loss(TWO, "feed-1", (read(SUPPLY, 240.0, IDLE), loaded, amps)) is not None
    assert supply_loss(TWO, "feed-1", (read(SUPPLY, 0.2, DEAD), loaded, amps)) is None
    back = (read(SUPPLY, 240.0, IDLE), read(SUPPLY, 0.2, DEAD), loaded, amps)
    found = supply_loss(TWO, "feed-1", back)
    assert found is not None
    assert found.verdict.value == pytest.approx(100 * 7 / 240)


def test_a_repair_is_proven_by_the_newest_live_reading_after_it() -> None:
    """Of two after the repair the last counts; 0 A of a dead unit proves no strip off."""
    [item] = [
        item
        for item in proof_items(TWO, touched_by(TWO, (), ()))
        if item.point == "amps:strip-a" and item.calls == {"W"}
    ]
    bad, good = read("amps:strip-a", 10.0, HEAT), read("amps:strip-a", 20.8, HEAT)
    for after, is_proven in (((bad, good), True), ((good, bad), False)):
        assert prove(TWO, [item], (), (read(SUPPLY, 240.0, HEAT), *after))[0].is_proven is is_proven
    [off] = [
        item for item in proof_items(TWO, touched_by(TWO, (), ())) if item.point == "amps:strip-a" and not item.calls
    ]
    assert prove(TWO, [off], (), (read("amps:strip-a", 0.0, IDLE),))[0].is_proven
    assert not prove(TWO, [off], (), (read("amps:strip-a", 0.0, DEAD),))[0].is_proven


@pytest.mark.parametrize(("volts", "counts"), [(21.9, False), (22.0, True)])
def test_a_run_proves_something_from_22_volts_on(volts: float, counts: bool) -> None:
    """Below it heaters warm slowly and no time means anything."""
    run = TimingRun(elapsed_seconds=60.0, control_volts=volts, cooled_seconds=900.0)
    assert (judge_run(TWO, run).not_proven_because == "") is counts


def test_a_hot_joint_stops_all_work_until_the_heat_is_off() -> None:
    """Leg 1 loses 20 V alone at 40 A: no next test while heat is called; once it is off, the joint is a finding."""
    call = Call()
    for point, value in (("volts:feed-1.l1:ground", 120.5), ("volts:feed-1.l2:ground", 120.4), (LINE, 240.9)):
        call.read(point, value)
    call.add(Switched(what="W", state="on"))
    for point, value in (("volts:feed-1.l1:ground", 100.5), ("volts:feed-1.l2:ground", 119.6), (LINE, 220.1)):
        call.read(point, value)
    call.read("amps:feed-1", 40.0)
    assert "heat off" in render(call.visit.stop)
    assert call.visit.next_test is None
    call.add(Switched(what="W", state="off"))
    assert call.visit.stop == ""
    assert "hot joint" in [finding.verdict.kind for finding in call.visit.findings]
