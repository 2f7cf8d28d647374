"""The stage chart: each stage's windows as bands, when it really came and went as bars, run beside run.

Left the call, from the moment it was made; right its end, from the moment it was dropped.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from plentar.core.evidence.runs import TimingRun
from plentar.core.judging.timing import RunVerdict, Stage
from plentar.words import say

__all__ = ["ChartBand", "ChartBar", "ChartRow", "StageChart", "stage_chart"]

LABEL, ON_WIDTH, GAP, OFF_WIDTH = 112.0, 430.0, 26.0, 250.0
WIDTH = LABEL + ON_WIDTH + GAP + OFF_WIDTH
TOP, ROW, BAR = 34.0, 46.0, 7.0
MOST_RUNS = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartBand:
    """A window: the pass part and the marginal part after it, in drawing units."""

    x: float
    width: float
    late_x: float
    late_width: float


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartBar:
    """One run's bar of a stage; `verdict` colours the end's mark, `text` stands beside it, `spoken` is read out."""

    x: float
    y: float
    width: float
    verdict: str
    text: str
    text_x: float
    is_open: bool
    spoken: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartRow:
    """One stage."""

    name: str
    y: float
    on_band: ChartBand
    off_band: ChartBand
    bars: tuple[ChartBar, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class StageChart:
    """Everything the template writes."""

    width: float
    height: float
    rows: tuple[ChartRow, ...]
    on_ticks: tuple[tuple[float, str], ...]
    off_ticks: tuple[tuple[float, str], ...]
    on_x: float
    off_x: float
    on_width: float
    off_width: float
    spoken: str


def stage_chart(stages: Sequence[Stage], runs: Sequence[tuple[str, TimingRun, RunVerdict]]) -> StageChart:
    """Lay out the chart.

    Args:
        stages: The unit's stages, in the order they are shown.
        runs: Name, what was seen, and its verdict; the last three are drawn, oldest first.
    """
    runs = list(runs)[-MOST_RUNS:]
    on_most = max([1.35 * stage.on_window.max_seconds for stage in stages] + [_longest_on(run) for _, run, _ in runs])
    off_most = max(
        [1.35 * stage.off_window.max_seconds for stage in stages] + [_longest_off(run) for _, run, _ in runs]
    )
    on_most, off_most = _nice(on_most), _nice(off_most)
    off_x = LABEL + ON_WIDTH + GAP

    def on(seconds: float) -> float:
        return round(LABEL + ON_WIDTH * min(seconds / on_most, 1.0), 1)

    def off(seconds: float) -> float:
        return round(off_x + OFF_WIDTH * min(seconds / off_most, 1.0), 1)

    rows = []
    for index, stage in enumerate(stages):
        y = TOP + ROW * index
        bars = []
        for lane, (name, run, verdict) in enumerate(runs):
            at = y + 12 + lane * (BAR + 3)
            bars += _bars(stage, name, run, verdict, at, on, off)
        rows.append(
            ChartRow(
                name=stage.name,
                y=y,
                on_band=_band(stage.on_window.min_seconds, stage.on_window.max_seconds, stage.late_seconds, on),
                off_band=_band(
                    stage.off_window.min_seconds, stage.off_window.max_seconds, 1.2 * stage.off_window.max_seconds, off
                ),
                bars=tuple(bars),
            )
        )
    return StageChart(
        width=WIDTH + 22,
        height=TOP + ROW * len(stages) + 26,
        rows=tuple(rows),
        on_ticks=_ticks(on_most, on),
        off_ticks=_ticks(off_most, off),
        on_x=LABEL,
        off_x=off_x,
        on_width=ON_WIDTH,
        off_width=OFF_WIDTH,
        spoken=_spoken(runs),
    )


def _longest_on(run: TimingRun) -> float:
    return 1.15 * max(run.on_seconds.values(), default=0.0)


def _longest_off(run: TimingRun) -> float:
    return 1.15 * max(run.off_seconds.values(), default=0.0)


def _nice(seconds: float) -> float:
    return next(step for step in (30, 60, 90, 120, 180, 240, 300, 420, 600, 900, 1800, 3600, 1e9) if step >= seconds)


def _ticks(most: float, place: object) -> tuple[tuple[float, str], ...]:
    assert callable(place)  # noqa: S101 - narrows the type
    step = next(s for s in (10, 20, 30, 60, 120, 300, 600, 1e9) if most / s <= 6)
    return tuple((place(step * i), f"{step * i:g}") for i in range(int(most // step) + 1))


def _band(low: float, high: float, late: float, place: object) -> ChartBand:
    assert callable(place)  # noqa: S101 - narrows the type
    return ChartBand(
        x=place(low),
        width=max(place(high) - place(low), 1.5),
        late_x=place(high),
        late_width=max(place(late) - place(high), 0.0),
    )


def _bars(
    stage: Stage, name: str, run: TimingRun, verdict: RunVerdict, y: float, on: object, off: object
) -> list[ChartBar]:
    assert callable(on)  # noqa: S101 - narrows the type
    assert callable(off)  # noqa: S101 - narrows the type
    judged = next((entry for entry in verdict.stages if entry.stage.id == stage.id), None)
    if judged is None:
        return []
    bars = []
    came = run.on_seconds.get(stage.id)
    end = run.dropped_seconds if run.dropped_seconds is not None else run.elapsed_seconds
    if came is not None:
        x = on(came)
        bars.append(
            ChartBar(
                x=x,
                y=y,
                width=max(on(max(end, came)) - x, 3.0),
                verdict=judged.on.grade.value.replace(" ", "-"),
                text=f"{came:.0f}",
                text_x=x - 4,
                is_open=False,
                spoken=f"{stage.name}, {name}: on after {came:.0f} s, {say(judged.on.spoken)}",
            )
        )
    elif judged.on.kind == "did not close":
        bars.append(
            ChartBar(
                x=on(stage.did_not_close_seconds),
                y=y,
                width=0.0,
                verdict="fail",
                text="did not close",
                text_x=on(stage.on_window.max_seconds * 1.3),
                is_open=True,
                spoken=f"{stage.name}, {name}: did not close",
            )
        )
    if judged.off is not None:
        went = run.off_seconds.get(stage.id)
        last = went if went is not None else run.elapsed_seconds - (run.dropped_seconds or 0.0)
        bars.append(
            ChartBar(
                x=off(0),
                y=y,
                width=max(off(last) - off(0), 2.0),
                verdict=judged.off.grade.value.replace(" ", "-"),
                text=f"{last:.0f}" if went is not None else "still on",
                text_x=off(last) + 5,
                is_open=went is None,
                spoken=f"{stage.name}, {name}: "
                + (f"off after {last:.0f} s, {say(judged.off.spoken)}" if went is not None else "still on"),
            )
        )
    return bars


def _spoken(runs: Sequence[tuple[str, TimingRun, RunVerdict]]) -> str:
    if not runs:
        return "Stage chart: windows only, no run yet"
    return f"Stage chart of {len(runs)} run{'s' if len(runs) > 1 else ''}: " + "; ".join(
        f"{name} {'good' if verdict.is_good else 'not good'}" for name, _, verdict in runs
    )
