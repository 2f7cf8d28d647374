"""Stages read out of a logged current: by hand, by simulation, and what each fault looks like."""

from collections.abc import Sequence

import numpy as np
import pytest
from numpy.typing import NDArray

from plentar.core.errors import ReadingError
from plentar.core.evidence.events import Event, Logged, Switched
from plentar.core.evidence.record import Record
from plentar.core.judging.air import AirReading, air_factor, airflow_cfm, expected_rise_degf, judge_air
from plentar.core.judging.log import LogAnalysis, analyse_log
from plentar.core.judging.log_levels import find_levels
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.patterns import PATTERNS
from plentar.core.visit import Visit
from plentar.devices.simulated import SimulatedClamp
from plentar.words import render
from tests.core.test_epochs import PLATE, Call

TWO = PATTERNS["two-strip-sequencer"]()
Floats = NDArray[np.float64]


def log_of(*faults: str, clamp: str = "feed-1", hertz: float = 2.0, seed: int = 1) -> LogAnalysis:
    """Simulate a whole heat call with these faults and analyse it."""
    meter = SimulatedClamp(
        plate=TWO, clamp=clamp, faults=faults, dropped_seconds=700.0, hertz=hertz, seed=seed, place_in_window=0.5
    )
    samples = meter.samples(1200.0)
    return analyse_log(
        TWO,
        samples.seconds,
        samples.amps,
        clamp=clamp,
        supply_volts=237.6,
        called_seconds=meter.called_seconds,
        dropped_seconds=meter.dropped_seconds,
    )


def test_levels_by_hand() -> None:
    """0, 20 and 41 A with one glitch and one half-way sample: three levels at the right samples."""
    amps = np.array([0.0] * 10 + [9.0] + [20.0] * 10 + [35.0] + [20.0] * 5 + [41.0] * 10)
    starts, levels, _ = find_levels(np.arange(amps.size, dtype=float), amps)
    assert starts.tolist() == [0, 10, 27]
    assert levels.tolist() == [0.0, 20.0, 41.0]


def test_a_sound_call_is_sound() -> None:
    """Blower with strip A, then B; off in the reverse order; nothing to report but that they draw alike."""
    found = log_of()
    assert [step.changes for step in found.steps] == [
        ("+strip-a", "+blower"),
        ("+strip-b",),
        ("-strip-b",),
        ("-strip-a", "-blower"),
    ]
    assert [event.kind for event in found.events] == ["alike"]
    assert all(render(entry.on.spoken) == "pass" for entry in found.verdict.stages)


@pytest.mark.parametrize(
    ("faults", "kind", "words"),
    [
        pytest.param(("seq-a.slow",), "slow", "Seq A is slow: Strip A", id="slow sequencer"),
        pytest.param(("seq-a.pole-2.open",), "missing", "Strip B did not turn on", id="one stage missing"),
        pytest.param(("seq-a.pole-2.welded",), "stays on", "Strip B still draws", id="stuck after the call"),
        pytest.param(("seq-a.pole-2.welded",), "stays on", "Strip B was on before heat", id="on before the call"),
        pytest.param(("strip-b.limit.cycling",), "cycling", "Strip B drops out and comes back", id="limit cycling"),
    ],
)
@pytest.mark.parametrize("hertz", [1.0, 10.0])
def test_each_fault_is_named_from_the_log_alone(faults: tuple[str, ...], kind: str, words: str, hertz: float) -> None:
    """At the slowest and the fastest logging."""
    events = [event for event in log_of(*faults, hertz=hertz).events if event.kind == kind]
    assert any(words in render(event.words) for event in events), events


def test_cycling_is_measured() -> None:
    """Open 45 s of every 150: period, share on and watts lost follow by hand."""
    event = next(event for event in log_of("strip-b.limit.cycling").events if event.kind == "cycling")
    assert event.period_seconds == pytest.approx(150, abs=15)
    assert event.duty_ratio == pytest.approx(0.7, abs=0.04)
    assert event.lost_watts == pytest.approx(0.3 * 237.6 * 20.3, rel=0.15)


def test_chatter_drift_and_a_load_nobody_listed() -> None:
    """A relay that makes and breaks, a level that creeps, a step no strip makes."""
    seconds = np.arange(0, 400, 0.5)
    strip = 237.6 / 11.52
    chatter = np.where((seconds > 50) & (seconds < 62) & (np.floor(seconds).astype(int) % 2 == 0), strip, 0.0)
    assert "chatter" in kinds(seconds, chatter)
    creep = np.where(seconds > 30, strip * (1 - 0.0002 * (seconds - 30)), 0.0)
    assert "drift" in kinds(seconds, creep)
    strange = np.where(seconds > 30, strip, 0.0) + np.where(seconds > 200, 7.0, 0.0)
    assert "unlisted" in kinds(seconds, strange)


def kinds(seconds: Floats, amps: Floats) -> list[str]:
    """What a log around strip A shows."""
    noise = np.random.default_rng(4).normal(0, 0.05, seconds.size)
    found = analyse_log(TWO, seconds, np.abs(amps + noise), clamp="strip-a", supply_volts=237.6, called_seconds=0.0)
    return [event.kind for event in found.events]


def test_two_that_come_together_are_two() -> None:
    """One step of two strips' amps is both of them, with the motor's inrush told apart."""
    seconds = np.arange(0, 200, 0.2)
    amps = np.where(seconds > 40, 41.2, 0.0)
    plate = PATTERNS["six-strip-chained"]()
    clamp = next(feed.id for feed in plate.feeds if plate.feed_of(plate.blower.supplied_by) != feed.id)
    found = analyse_log(plate, seconds, amps, clamp=clamp, called_seconds=0.0)
    assert len(found.steps) == 1
    assert len(found.steps[0].changes) == 2


def test_lost_and_irregular_samples_do_no_harm() -> None:
    """One in ten lost, times jittered: the same steps."""
    meter = SimulatedClamp(plate=TWO, clamp="feed-1", dropouts=0.1, seed=8)
    samples = meter.samples(800)
    jitter = np.random.default_rng(1).uniform(-0.2, 0.2, samples.seconds.size)
    found = analyse_log(TWO, samples.seconds + jitter, samples.amps, called_seconds=5.0, dropped_seconds=420.0)
    assert [len(step.changes) for step in found.steps] == [2, 1, 1, 2]
    assert found.missing > 100


@pytest.mark.parametrize(
    ("seconds", "amps", "clamp", "words"),
    [
        ([0, 1], [0, 1], "", "at least three samples"),
        ([0, 1, 1, 2], [0, 1, 2, 3], "", "time does not rise at sample 3"),
        ([0, 1, 2], [0, 1], "", "one amps value for each time"),
        ([0, 1, 2], [0, 1, 2], "feed-9", "expected the clamp around one of feed-1"),
    ],
)
def test_logs_that_are_none(seconds: list[float], amps: list[float], clamp: str, words: str) -> None:
    """Each is refused in words."""
    with pytest.raises(ReadingError, match=words):
        analyse_log(TWO, np.array(seconds, float), np.array(amps, float), clamp=clamp)


def test_the_simulated_meter_continues_itself() -> None:
    """A longer log begins with the shorter one; another seed differs; no such place is refused."""
    meter = SimulatedClamp(plate=TWO, clamp="feed-1", seed=3)
    short, long = meter.samples(60.0), meter.samples(120.0)
    np.testing.assert_array_equal(short.amps, long.amps[: short.amps.size])
    other = meter.with_changes(seed=4).samples(60.0)
    assert not np.array_equal(short.amps, other.amps, equal_nan=True)
    with pytest.raises(ReadingError, match="no place 'feed-9'"):
        meter.with_changes(clamp="feed-9").samples(1.0)


def test_air_by_hand() -> None:
    """10 kW and 30 °F are 1,053 CFM at sea level; the rise that airflow gives back is 30; thin air carries less."""
    assert airflow_cfm(10_000.0, 30.0) == pytest.approx(10_000 * 3.412 / (1.08 * 30))
    assert expected_rise_degf(10_000.0, airflow_cfm(10_000.0, 30.0)) == pytest.approx(30.0)
    assert air_factor(0.0, 70.0) == pytest.approx(1.08, rel=0.01)
    assert air_factor(5280.0, 70.0) / air_factor(0.0, 70.0) == pytest.approx(0.823, rel=0.01)
    with pytest.raises(ReadingError, match="rise above zero"):
        airflow_cfm(10_000.0, 0.0)


@pytest.mark.parametrize(
    ("watts", "supply", "steady", "rise", "flow"),
    [
        (10_000.0, 102.0, 400.0, "pass", "pass"),
        (10_000.0, 150.0, 400.0, "fail: too hot", "fail: low airflow"),
        (10_000.0, 126.0, 400.0, "fail: high rise", "fail: low airflow"),
        (10_000.0, 102.0, 100.0, "not proven: not steady", "pass"),
        (300.0, 71.0, 400.0, "fail: no strip running", ""),
    ],
)
def test_rise_and_airflow_judged(watts: float, supply: float, steady: float, rise: str, flow: str) -> None:
    """A 2.5 ton unit with 70 °F return."""
    found = judge_air(
        TWO, AirReading(watts=watts, return_degf=70.0, supply_degf=supply, steady_seconds=steady, degf_uncertainty=0.5)
    )
    assert render(found.rise.spoken) == rise
    assert render(found.flow.spoken).startswith(flow)


def test_without_tonnage_nothing_is_proven() -> None:
    """Neither rise nor airflow, but the airflow is told."""
    from dataclasses import replace

    found = judge_air(replace(TWO, tons=None), AirReading(watts=10_000.0, return_degf=70.0, supply_degf=102.0))
    assert render(found.rise.spoken) == render(found.flow.spoken) == "not proven"
    assert found.cfm == pytest.approx(10_000 * 3.412 / (found.air_factor * 32))


def steps_of(*jumps: tuple[float, float], until: float = 420.0) -> tuple[np.ndarray, np.ndarray]:
    """A log made by hand: from each second on so many amps more, with the noise of a clamp's last digit."""
    seconds = np.arange(0.0, until, 1.0)
    amps = sum((amps * (seconds >= at) for at, amps in jumps), np.zeros(seconds.size))
    return seconds, amps + 0.05 * np.sin(7.0 * seconds)


@pytest.mark.parametrize(
    ("jumps", "own", "late", "blower"),
    [
        pytest.param([(45, 20.7), (80, 20.6)], {}, [], True, id="both sound, by the naming that makes them so"),
        pytest.param([(0, 2.2), (45, 20.6), (80, 20.6)], {}, [], False, id="the blower ran before"),
        pytest.param([(45, 20.7), (170, 20.6)], {}, ["strip-b"], True, id="one is late by either naming"),
        pytest.param(
            [(45, 20.7), (80, 20.6)], {"strip-a": 20.7, "strip-b": 20.6}, [], False, id="clamped: no blower is hidden"
        ),
    ],
)
def test_order_alone_convicts_nobody(
    jumps: list[tuple[float, float]], own: dict[str, float], late: list[str], blower: bool
) -> None:
    """Windows 10 to 60 and 15 to 90 s: 45 and 80 s are sound; a blower that shows no step may hide in a strip's."""
    seconds, amps = steps_of(*jumps)
    found = analyse_log(TWO, seconds, amps, clamp="feed-1", supply_volts=240.0, own_amps=own)
    strips = [entry for entry in found.verdict.stages if entry.stage.id != "blower"]
    assert [entry.stage.id for entry in strips if entry.on.grade is Grade.FAIL] == late
    assert not [note for note in found.verdict.order if "exchanged" in render(note.words)]
    assert ("blower unseen" in [event.kind for event in found.events]) is blower


def test_a_log_in_which_both_strips_draw_clears_the_poles_and_names_the_limits() -> None:
    """Which of two like strips comes and goes the log can't say; that both poles close and a limit cycles it can."""
    seconds = np.arange(0.0, 1200.0, 1.0)
    is_on = (seconds >= 80) & ((seconds < 420) | (seconds >= 640)) & ((seconds < 960) | (seconds >= 1140))
    amps = 2.2 + 20.6 * (seconds >= 45) + 20.6 * is_on + 0.05 * np.sin(7.0 * seconds)
    call = Call()
    call.add(Switched(what="W", state="on"))
    # Another moment than below: what a log of one id showed is kept.
    call.add(Logged(name="cycles.csv", clamp="feed-1", called_seconds=0.5))
    visit = Visit(
        PLATE, Record(call.events), moment=5000.0, complaints=("not enough heat",),
        samples_of=lambda _: (seconds, amps),
    )  # fmt: skip
    shares = {fault: cause.probability for cause in visit.suspects for fault in cause.faults}
    limits = [shares["strip-a.limit.cycling"], shares["strip-b.limit.cycling"]]
    # Little air makes a limit cycle too, and whose limit it was the log cannot say.
    assert min(limits) > 0.25
    assert set(sorted(shares, key=shares.__getitem__)[-3:]) >= {"strip-a.limit.cycling", "strip-b.limit.cycling"}
    assert not [fault for fault in shares if fault.endswith("pole-1.open") or fault.endswith("pole-2.open")]


def test_readings_kept_later_never_rename_what_a_log_told() -> None:
    """A steady, B late and cycling; then A 20.0 and B 0.0 A by the clamp: the log still says what it said."""
    seconds = np.arange(0.0, 1200.0, 1.0)
    is_on = (seconds >= 260) & ((seconds < 520) | (seconds >= 700)) & ((seconds < 960) | (seconds >= 1140))
    amps = 2.2 + 20.8 * (seconds >= 40) + 20.1 * is_on + 0.05 * np.sin(7.0 * seconds)
    call = Call()
    call.add(Switched(what="W", state="on"))
    kept = call.add(Logged(name="log.csv", clamp="feed-1", called_seconds=0.0))

    def told(events: Sequence[Event]) -> list[str]:
        visit = Visit(PLATE, Record(events), moment=5000.0, samples_of=lambda _: (seconds, amps))
        [(_, _, found)] = visit.logs
        return [f"{event.kind} {event.stage}" for event in found.events]

    first = told([event for event in call.events if event.seq <= kept.seq])
    assert "cycling strip-b" in first
    call.read("amps:strip-a", 20.0)
    call.read("amps:strip-b", 0.0)
    assert told(call.events) == first
