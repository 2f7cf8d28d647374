"""A visit as a whole: a healthy unit is all well, and what was read under one condition stays what it was."""

from collections.abc import Iterable
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plentar.core.diagnosis import diagnose
from plentar.core.evidence.reading import Condition, FeedState, Reading
from plentar.core.hypotheses import model_of
from plentar.core.judging.situation import Situation
from plentar.core.judging.verdict import judge
from plentar.core.limits.table import Limits
from plentar.core.limits.verdicts import Grade
from plentar.core.nameplate import Nameplate
from plentar.core.network.drive import drives_of
from plentar.core.network.plain import OPEN_OHMS
from plentar.core.patterns import PATTERNS
from plentar.core.points import test_points as points_of

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
    """Every way a healthy unit is looked at, the thermostat's own W-with-G among them."""
    for calls in ((), ("G",), ("W",), ("W", "W2"), ("W", "G"), ("W", "W2", "G")):
        yield called(plate, *calls)
    for calls in ((), ("W", "W2"), ("G",)):
        yield called(plate, *calls, feeds="proven dead", control="separate source")
    yield called(plate, feeds="proven dead", control="proven dead")


def healthy_reading(plate: Nameplate, point: str, condition: Condition) -> Reading:
    """What a good meter shows on the unit with nothing wrong with it."""
    [(drive, _)] = drives_of(plate, condition)
    value = float(model_of(plate).predict(point, drive).shown[0])
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


@pytest.mark.parametrize("pattern", sorted(PATTERNS))
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


@pytest.mark.parametrize("pattern", sorted(PATTERNS))
@settings(max_examples=12, deadline=None)
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


@pytest.mark.parametrize("pattern", sorted(PATTERNS))
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
