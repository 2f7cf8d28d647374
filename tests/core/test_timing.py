"""Timing by the stopwatch: windows, patience, what proves nothing, order."""

from typing import Any

import pytest

from plentar.core.errors import ReadingError
from plentar.core.evidence.runs import TimingRun
from plentar.core.judging.timing import Stage, judge_off, judge_on, judge_run, stages_of
from plentar.core.limits.verdicts import Grade
from plentar.core.limits.windows import Patience
from plentar.core.unit.patterns import PATTERNS
from plentar.words import render

TWO = PATTERNS["two-strip-sequencer"]()


def stage_of(on: tuple[float, float, float, float], off: tuple[float, float, float, float], source: str) -> Stage:
    """A stage with its windows: minimum, maximum, late from, never by."""
    names = ("min_seconds", "max_seconds", "late_seconds", "never_seconds")
    windows = [Patience(source=source, **dict(zip(names, edges, strict=True))) for edges in (on, off)]
    return Stage(id="strip-b", name="Strip B", call="W", on=windows[0], off=windows[1])


PRINTED = stage_of((15, 90, 108, 180), (20, 90, 108, 180), "nameplate")
DEFAULT = stage_of((0, 90, 120, 240), (0, 120, 144, 240), "default")


@pytest.mark.parametrize(
    ("stage", "seconds", "elapsed", "spoken"),
    [
        pytest.param(PRINTED, 14.9, 200, "marginal: early", id="just before its window"),
        pytest.param(PRINTED, 15.0, 200, "pass", id="first second of its window"),
        pytest.param(PRINTED, 90.0, 200, "pass", id="last second of its window"),
        pytest.param(PRINTED, 108.0, 200, "marginal: late", id="1.2 times the maximum"),
        pytest.param(PRINTED, 108.1, 200, "fail: late", id="past 1.2 times"),
        pytest.param(PRINTED, None, 89.0, "not proven: waiting", id="silent before the maximum"),
        pytest.param(PRINTED, None, 100.0, "marginal: late", id="silent just after it"),
        pytest.param(PRINTED, None, 180.0, "fail: did not close", id="silent at twice the maximum"),
        pytest.param(DEFAULT, 119.0, 200, "marginal: late", id="no window printed: marginal to 120 s"),
        pytest.param(DEFAULT, 121.0, 200, "fail: late", id="no window printed: late after 120 s"),
    ],
)
def test_on_times_against_the_window(stage: Stage, seconds: float | None, elapsed: float, spoken: str) -> None:
    """docs/trade.md, section 3, pole on-time, with its edges."""
    assert render(judge_on(stage, seconds, elapsed).spoken) == spoken


@pytest.mark.parametrize(
    ("seconds", "since", "energised", "spoken"),
    [
        (60.0, 100, 400, "pass"),
        (10.0, 100, 400, "marginal: early"),
        (100.0, 100, 400, "marginal: late"),
        (120.0, 120, 400, "fail: late"),
        (None, 60, 400, "not proven: waiting"),
        (None, 180, 400, "fail: stuck"),
        (60.0, 100, 299, "not proven"),
        (None, 180, 100, "fail: stuck"),
    ],
)
def test_off_times_count_only_after_five_minutes(
    seconds: float | None, since: float, energised: float, spoken: str
) -> None:
    """A heater not warmed through proves nothing, but a pole still closed at twice its window is stuck all the same."""
    assert render(judge_off(PRINTED, seconds, since, energised).spoken) == spoken


def test_chained_stages_add_up_and_the_blower_comes_with_its_source() -> None:
    """The second sequencer waits for the first's auxiliary pole: both maxima, both minima."""
    plate = PATTERNS["four-strip-chained"]()
    stages = {stage.id: stage for stage in stages_of(plate)}
    first, auxiliary = plate.devices[0], plate.devices[0].auxiliary
    assert auxiliary is not None
    assert auxiliary.on_window is not None
    own = plate.devices[1].pole(1).on_window
    assert own is not None
    chained = next(c.id for c in plate.circuits if c.device == plate.devices[1].id and c.poles == (1,))
    assert stages[chained].on_window.max_seconds == auxiliary.on_window.max_seconds + own.max_seconds
    assert plate.blower.switched_by == first.id
    two = {stage.id: stage for stage in stages_of(TWO)}
    assert two["blower"].on_window == two["strip-a"].on_window


def test_a_good_run_is_good_and_each_gate_makes_it_not_proven() -> None:
    """Low control voltage or a warm start turn every time into not proven."""
    on = {"blower": 40.0, "strip-a": 40.0, "strip-b": 60.0}
    off = {"strip-b": 50.0, "strip-a": 80.0, "blower": 90.0}
    good = TimingRun(elapsed_seconds=500, dropped_seconds=400, on_seconds=on, off_seconds=off)
    assert judge_run(TWO, good).is_good
    gates: tuple[dict[str, Any], ...] = ({"control_volts": 21.9}, {"cooled_seconds": 299.0})
    for gate in gates:
        run = TimingRun(elapsed_seconds=500, dropped_seconds=400, on_seconds=on, off_seconds=off, **gate)
        verdict = judge_run(TWO, run)
        assert {entry.on.grade for entry in verdict.stages} == {Grade.NOT_PROVEN}
        assert not verdict.is_good


@pytest.mark.parametrize(
    ("on", "off", "words"),
    [
        ({"strip-a": 40.0, "blower": 40.0, "strip-b": 30.0}, {}, "Strip B came on before Strip A on Seq A"),
        ({"strip-a": 40.0, "strip-b": 60.0}, {}, "Strip A heated without the blower"),
        ({"strip-a": 40.0, "blower": 55.0, "strip-b": 60.0}, {}, "Strip A heated 15 s before the blower started"),
        (
            {"strip-a": 40.0, "blower": 40.0, "strip-b": 60.0},
            {"strip-a": 50.0, "strip-b": 80.0, "blower": 90.0},
            "Strip A went off before Strip B",
        ),
        (
            {"strip-a": 40.0, "blower": 40.0, "strip-b": 60.0},
            {"strip-a": 80.0, "strip-b": 50.0, "blower": 60.0},
            "Strip A heated 20 s after the blower stopped",
        ),
        (
            {"strip-a": 40.0, "blower": 40.0, "strip-b": 60.0},
            {"strip-a": 80.0, "strip-b": 50.0, "blower": 80.0},
            "off together. Normal for an NC interlock",
        ),
    ],
)
def test_what_is_out_of_order_is_said(on: dict[str, float], off: dict[str, float], words: str) -> None:
    """Poles by their rank, blower against strips, both ways."""
    run = TimingRun(elapsed_seconds=600, dropped_seconds=400 if off else None, on_seconds=on, off_seconds=off)
    assert any(words in render(note.words) for note in judge_run(TWO, run).order)


@pytest.mark.parametrize("bad", [-1.0, float("nan"), float("inf")])
def test_seconds_that_are_none_are_refused(bad: float) -> None:
    """A run cannot hold them."""
    with pytest.raises(ReadingError, match="expected seconds of zero or more"):
        TimingRun(elapsed_seconds=100, on_seconds={"strip-a": bad})
