"""A unit over the years: figures made comparable by hand, drift with its doubt, the past's weight, parts' lives."""

import math
from collections.abc import Sequence
from dataclasses import replace
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import CensoredData, ecdf

from plentar.core.causes.diagnosis import diagnose
from plentar.core.causes.weighted import factor_of
from plentar.core.evidence.events import Event, Tapped
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.history.past import YEAR_SECONDS, Past, Repair, siblings_of
from plentar.core.history.series import PastReading, Series, drift_of, on_times_of, series_of
from plentar.core.history.survival import Life, PartFailure, Standing, chance_of_any, chance_within, life_of, lives_of
from plentar.core.judging.timing import stages_of
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.place import amps_at, line_volts, ohms_at
from plentar.core.work.urgency import Urgency, urgency_of
from plentar.words import render

UNIT = PATTERNS["two-strip-sequencer"]()
NOW = 1_780_000_000.0
HEAT = Condition(calls=(("W", 400.0),))
IDLE = Condition()
LONG = Condition(feeds=(("feed-1", "live"),), calls=(("W", 900.0),), seconds_since_change=900.0)
SILENT = [
    Reading(point=line_volts("feed-1"), value=239.0, condition=LONG, meter_uncertainty=2.0, counts_uncertainty=0.2),
    Reading(point=amps_at("strip-b"), value=0.0, condition=LONG, meter_uncertainty=0.2, counts_uncertainty=0.2),
]


def read(call: str, at: float, point: str, value: float, condition: Condition = HEAT, half: float = 0.2) -> PastReading:
    return PastReading(call=call, at=at, point=point, value=value, half=half, condition=condition)


def series(name: str, *readings: PastReading) -> Series:
    return next(entry for entry in series_of(UNIT, readings) if entry.id == name)


def test_amps_are_brought_to_rated_volts_by_the_volts_of_the_same_load() -> None:
    """5 kW at 240 V: 18.06 A at 208 V is 20.83 A at rated volts, by hand."""
    found = series(
        "strip-a.amps",
        read("1", 0.0, line_volts("feed-1"), 241.0, IDLE),
        read("1", 60.0, line_volts("feed-1"), 208.0),
        read("1", 61.0, amps_at("strip-a"), 18.06),
    )
    [mark] = found.marks
    assert mark.value == pytest.approx(20.84, abs=0.01)
    assert mark.ratio == pytest.approx(1.0, abs=0.001)
    assert mark.grade is Grade.PASS


@pytest.mark.parametrize(
    "readings",
    [
        [read("1", 1.0, amps_at("strip-a"), 20.0)],
        [read("1", 0.0, line_volts("feed-1"), 240.0, IDLE), read("1", 1.0, amps_at("strip-a"), 20.0)],
        [read("2", 0.0, line_volts("feed-1"), 240.0), read("1", 1.0, amps_at("strip-a"), 20.0)],
        [read("1", 0.0, line_volts("feed-1"), 240.0), read("1", 1.0, amps_at("strip-a"), 0.0)],
    ],
    ids=["no volts", "volts of another load", "volts of another call", "a dead strip"],
)
def test_amps_that_cannot_be_compared_stand_in_no_series(readings: list[PastReading]) -> None:
    """Without volts of the same load, or without a current, an element's amps say nothing of its years."""
    assert not [entry for entry in series_of(UNIT, readings) if entry.id == "strip-a.amps"]


def test_sag_and_cold_ohms_and_blower_are_series_of_their_own() -> None:
    """240 V without load and 235.2 V under it is 2 % of sag; 11.2 Ω of 11.52 is 0.972."""
    readings = (
        read("1", 0.0, line_volts("feed-1"), 240.0, IDLE),
        read("1", 9.0, line_volts("feed-1"), 235.2),
        read("1", 10.0, ohms_at("strip-a.element"), 11.2, IDLE),
        read("1", 11.0, amps_at("blower"), 2.0),
    )
    assert series("feed-1.sag", *readings).marks[0].ratio == pytest.approx(0.02)
    assert series("strip-a.ohms", *readings).marks[0].ratio == pytest.approx(11.2 / 11.52)
    assert series("blower", *readings).marks[0].value == 2.0


RISE = (
    read("1", 1.0, line_volts("feed-1"), 240.0),
    read("1", 2.0, amps_at("strip-a"), 20.0),
    read("1", 3.0, amps_at("strip-b"), 20.0),
    read("1", 4.0, amps_at("blower"), 0.0),
    read("1", 9.0, "degf:return", 70.0),
    read("1", 10.0, "degf:supply", 93.4),
)


def test_a_rise_is_held_against_the_watts_of_the_same_load() -> None:
    """9.6 kW × 3.412 over 1.05 (air of 82 °F) × 3.5 t × 400 CFM is 22.3 °F by hand: 23.4 °F is 5 % over it."""
    [mark] = next(entry for entry in series_of(replace(UNIT, tons=3.5), RISE) if entry.id == "rise").marks
    assert mark.value == pytest.approx(23.4)
    assert mark.ratio == pytest.approx(23.4 / 22.28, rel=0.005)
    assert mark.grade is Grade.PASS


@pytest.mark.parametrize(
    ("tons", "readings"),
    [
        (None, RISE),
        (3.5, RISE[1:]),
        (3.5, RISE[:2] + RISE[3:]),
        (3.5, [*RISE[:5], read("1", 10.0, "degf:supply", 93.4, Condition(calls=(("W", 400.0), ("Y", 400.0))))]),
        (3.5, [*RISE[:5], read("1", 10.0, "degf:supply", 93.4, Condition(calls=(("W", 60.0),)))]),
    ],
    ids=["no tonnage", "no volts", "a strip not clamped", "the heat pump on", "not steady"],
)
def test_a_rise_without_its_watts_stands_in_no_series(tons: float | None, readings: Sequence[PastReading]) -> None:
    """What the air should gain hangs on tonnage and on every strip of the same load, five minutes steady."""
    assert not [entry for entry in series_of(replace(UNIT, tons=tons), readings) if entry.id == "rise"]


def test_drift_is_proven_only_beyond_its_doubt() -> None:
    """Five years falling 2 % each are proven; the same five scattered are not; two say nothing."""
    falling = [(n * YEAR_SECONDS, 1.0 - 0.02 * n, 0.01) for n in range(5)]
    drift = drift_of(falling)
    assert drift is not None
    assert drift.per_year == pytest.approx(-0.02)
    assert drift.is_proven
    scattered = drift_of([(n * YEAR_SECONDS, 1.0 + 0.02 * (-1) ** n, 0.01) for n in range(5)])
    assert scattered is not None
    assert not scattered.is_proven
    assert drift_of(falling[:2]) is None
    assert drift_of([(5.0, 1.0, 0.1)] * 4) is None


def test_the_doubt_of_a_drift_holds_what_it_promises() -> None:
    """Over 400 units that do not drift, some tenth are called drifting at 90 %; not a third, not none."""
    random = Random(7)  # noqa: S311
    proven = 0
    for _ in range(400):
        drift = drift_of([(n * YEAR_SECONDS, 1.0 + random.gauss(0, 0.01), 0.02) for n in range(5)])
        assert drift is not None
        proven += drift.is_proven
    assert proven <= 60


def test_on_times_are_the_last_runs_of_each_call() -> None:
    """Two calls: strip A came at 30 s, then, in the second run of the next call, at 45 s of a window to 60 s."""

    def tap(call: str, at: float, action: str, stage: str = "", run: int = 1) -> tuple[str, Event, Tapped]:
        told = Tapped(deed=action, stage=stage, run=run)  # type: ignore[arg-type]
        return call, Event(id=f"{call}{at}", seq=1, action=told, person="", by="", done_at=at, come_at=at), told

    taps = [
        tap("1", 0.0, "call"),
        tap("1", 30.0, "on", "strip-a"),
        tap("2", 1000.0, "call"),
        tap("2", 1020.0, "on", "strip-a"),
        tap("2", 1100.0, "drop"),
        tap("2", 2000.0, "call", run=2),
        tap("2", 2045.0, "on", "strip-a", run=2),
    ]
    [found] = on_times_of(UNIT, taps)
    assert [mark.value for mark in found.marks] == [30.0, 45.0]
    assert found.id == "strip-a.on"
    top = next(stage for stage in stages_of(UNIT) if stage.id == "strip-a").on.max_seconds
    assert found.marks[1].ratio == pytest.approx(45.0 / top)


def repair(years_ago: float, *faults: str, known: bool = True) -> Repair:
    return Repair(
        at=NOW - years_ago * YEAR_SECONDS,
        when="Jan 2024",
        faults=faults,
        title="Link of strip B replaced",
        cause="a blocked filter" if known else "",
        is_cause_known=known,
    )


def test_what_came_back_without_a_cause_is_told_first() -> None:
    """The third in five years, cause not found: in words, and six times as likely."""
    past = Past(
        repairs=(
            repair(4.0, "strip-b.link.open", known=False),
            repair(2.5, "strip-b.link.open", known=False),
            repair(1.0, "strip-b.link.open", known=False),
            repair(0.5, "strip-a.element.open"),
        )
    )
    lines = [render(line) for line, _ in past.told(NOW)]
    assert lines[0] == "Link of strip B replaced, Jan 2024, cause not found; 3 times in five years"
    factors = dict(past.factors(UNIT, NOW))
    assert factors["strip-b.link"] == pytest.approx(6.0)
    assert factors["strip-a.link"] == pytest.approx(1.5)
    assert factors["strip-a.element"] == pytest.approx(0.6)
    assert factor_of(past.factors(UNIT, NOW), "strip-b.link.open") == pytest.approx(6.0)


def test_the_past_bends_what_is_likely() -> None:
    """Of a silent strip the link is named oftener after it opened twice without a cause."""
    past = Past(repairs=(repair(2.0, "strip-b.link.open", known=False), repair(1.0, "strip-b.link.open", known=False)))
    signs = {"complaints": ["not enough heat"]}

    def share(fault: str, factors: tuple[tuple[str, float], ...]) -> float:
        found = diagnose(UNIT, SILENT, past=factors, **signs)  # type: ignore[arg-type]
        return sum(cause.probability for cause in found.causes if fault in cause.faults)

    assert share("strip-b.link.open", past.factors(UNIT, NOW)) > 2 * share("strip-b.link.open", ())


def test_old_units_wear_and_new_ones_do_not() -> None:
    """At fifteen years what wears is a little likelier; at fourteen it is not."""
    assert ("*.element", 1.3) in Past(age_years=15.0).factors(UNIT, NOW)
    assert Past(age_years=14.0).factors(UNIT, NOW) == ()


def test_half_the_parts_outlive_the_median_and_those_running_count() -> None:
    """Twenty that failed at ten years beside twenty still running at five: half by ten; nineteen say nothing."""
    life = life_of("link", [10.0] * 20, [5.0] * 20)
    assert life is not None
    assert life.median_years == 10.0
    assert life.still_running(9.9) == 1.0
    assert life_of("link", [10.0] * 19, [5.0] * 200) is None


@given(st.lists(st.integers(1, 12), min_size=20, max_size=40), st.lists(st.integers(1, 12), max_size=40))
def test_the_share_still_running_is_the_statisticians(failed: list[int], running: list[int]) -> None:
    """Whole years, so that many end at once: the same as a statistics package estimates."""
    life = life_of("link", failed, running)
    assert life is not None
    found = ecdf(CensoredData(uncensored=failed, right=running)).sf
    assert life.years == tuple(found.quantiles)
    assert life.share == pytest.approx(tuple(found.probabilities))


def test_a_weibull_fleet_is_told_its_own_median() -> None:
    """Parts drawn from outside: median 8 years, watched for ten; what the records say is within a year of it."""
    random = Random(11)  # noqa: S311
    lives = [8.0 / math.log(2) ** (1 / 2.5) * (-math.log(random.random())) ** (1 / 2.5) for _ in range(400)]
    life = life_of("element", [years for years in lives if years <= 10], [10.0 for years in lives if years > 10])
    assert life is not None
    assert life.median_years == pytest.approx(8.0, abs=1.0)
    assert 0 < chance_within(life, 8.0) < 0.5


def test_a_shops_records_become_lives_by_kind() -> None:
    """Twenty-five units of two strips, one link of each replaced at four years: links have a life, elements none."""
    units = [Standing(unit=str(n), since=NOW - 8 * YEAR_SECONDS, strips=2) for n in range(25)]
    failures = [PartFailure(unit=str(n), part="strip-a.link", at=NOW - 4 * YEAR_SECONDS) for n in range(25)]
    lives = lives_of(units, failures, NOW)
    assert set(lives) == {"link"}
    # The replaced ones and the untouched siblings all run still.
    assert (lives["link"].failures, lives["link"].running) == (25, 50)


@pytest.mark.parametrize(
    ("first", "second"),
    [
        (urgency_of(["no heat"], at_risk="infant", outdoor_degf=5.0), urgency_of(["no heat"], outdoor_degf=5.0)),
        (urgency_of(["no heat"], outdoor_degf=5.0), urgency_of(["no heat"], outdoor_degf=40.0)),
        (urgency_of(["heat will not stop"]), urgency_of(["blower never stops"])),
        (urgency_of(["blower never stops"]), urgency_of(["seasonal check"], at_risk="elderly", outdoor_degf=0.0)),
    ],
)
def test_what_is_more_urgent_comes_first(first: Urgency, second: Urgency) -> None:
    """No heat with somebody at risk in the cold before all else; a seasonal check after everything."""
    assert first.points > second.points


@pytest.mark.parametrize(
    ("part", "siblings"),
    [
        ("strip-b.link", ["strip-a.link"]),
        ("strip-a.element", ["strip-b.element"]),
        ("seq-a.pole-2", []),
        ("blower.motor", []),
    ],
)
def test_what_is_as_old_as_what_failed(part: str, siblings: list[str]) -> None:
    """Links, limits and elements have theirs in the other strips, devices in those of their kind."""
    assert siblings_of(PATTERNS["two-strip-sequencer"](), part) == siblings
    staged = PATTERNS["four-strip-staged"]()
    like = [device.id for device in staged.devices if device.id != staged.devices[0].id]
    assert siblings_of(staged, staged.devices[0].id) == like


def test_the_shops_own_records_beat_the_twins_age() -> None:
    """Two links of six years: of those that came so far half fail by eleven, and none before ten."""
    life = Life(kind="link", failures=20, running=0, years=(5.0, 10.0), share=(0.8, 0.4), median_years=10.0)
    assert chance_of_any(2, 6.0, life, 5.0) == pytest.approx(1 - 0.5**2)
    assert chance_of_any(2, 6.0, life, 1.5) == 0.0
    assert chance_of_any(2, 12.0, None) == pytest.approx(1 - math.exp(-2 * 1.5 / 12))
