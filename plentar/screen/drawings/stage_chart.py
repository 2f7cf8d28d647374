"""The stage chart: each stage's windows as bands, when it really came and went as bars, run beside run.

Above the call, from the moment it was made; below its end, from the moment it was dropped: no wider than a phone.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from plentar.core.evidence.runs import TimingRun
from plentar.core.judging.timing import RunVerdict, Stage, StageVerdict
from plentar.words import render

__all__ = ["ChartBand", "ChartBar", "ChartHalf", "ChartRow", "StageChart", "stage_chart"]

LABEL, AXIS, MARGIN = 84.0, 312.0, 14.0
WIDTH = LABEL + AXIS + MARGIN
TOP, ROW, FOOT, BAR = 28.0, 44.0, 30.0, 7.0
MOST_RUNS = 3
# What a number of three digits takes at a bar.
ROOM_FOR_TEXT = 26.0


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartBand:
    """A window: the pass part and the marginal part after it, in drawing units."""

    x: float
    width: float
    late_x: float
    late_width: float


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartBar:
    """One run's bar of a stage; `verdict` colours the end's mark, `text` stands beside it, `spoken` is read out.

    `anchor` says on which side of `text_x` the text stands.
    """

    x: float
    y: float
    width: float
    verdict: str
    text: str
    text_x: float
    anchor: str
    is_open: bool
    spoken: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartRow:
    """One stage."""

    name: str
    y: float
    band: ChartBand
    bars: tuple[ChartBar, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartHalf:
    """What follows the call, or its end."""

    words: str
    y: float
    rows: tuple[ChartRow, ...]
    ticks: tuple[tuple[float, str], ...]
    bottom: float


@dataclass(frozen=True, slots=True, kw_only=True)
class StageChart:
    """Everything the template writes."""

    width: float
    height: float
    axis_x: float
    halves: tuple[ChartHalf, ...]
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
    on_axis, off_axis = _Axis(_nice(on_most)), _Axis(_nice(off_most))
    height = TOP + ROW * len(stages) + FOOT
    on_rows, off_rows = [], []
    for index, stage in enumerate(stages):
        y = TOP + ROW * index
        on_bars, off_bars = [], []
        for lane, (name, run, verdict) in enumerate(runs):
            judged = next((entry for entry in verdict.stages if entry.stage.id == stage.id), None)
            at = y + 11 + lane * (BAR + 3)
            if judged is not None:
                on_bars += _on_bar(stage, name, run, judged, at, on_axis)
                off_bars += _off_bar(stage, name, run, judged, height + at, off_axis)
        on, off = stage.on_window, stage.off_window
        on_band = on_axis.band(on.min_seconds, on.max_seconds, stage.late_seconds)
        off_band = off_axis.band(off.min_seconds, off.max_seconds, 1.2 * off.max_seconds)
        on_rows.append(ChartRow(name=stage.name, y=y, band=on_band, bars=tuple(on_bars)))
        off_rows.append(ChartRow(name=stage.name, y=height + y, band=off_band, bars=tuple(off_bars)))
    halves = []
    for words, top, rows, axis in (
        ("s after the call", 0.0, on_rows, on_axis),
        ("s after it ended", height, off_rows, off_axis),
    ):
        bottom = top + height - FOOT
        halves.append(ChartHalf(words=words, y=top, rows=tuple(rows), ticks=axis.ticks, bottom=bottom))
    return StageChart(width=WIDTH, height=2 * height, axis_x=LABEL, halves=tuple(halves), spoken=_spoken(runs))


@dataclass(frozen=True, slots=True)
class _Axis:
    """Seconds along the chart, to the most it shows."""

    most: float

    def place(self, seconds: float) -> float:
        return round(LABEL + AXIS * min(seconds / self.most, 1.0), 1)

    @property
    def ticks(self) -> tuple[tuple[float, str], ...]:
        step = next(s for s in (10, 20, 30, 60, 120, 300, 600, 1e9) if self.most / s <= 6)
        return tuple((self.place(step * i), f"{step * i:g}") for i in range(int(self.most // step) + 1))

    def band(self, low: float, high: float, late: float) -> ChartBand:
        return ChartBand(
            x=self.place(low),
            width=max(self.place(high) - self.place(low), 1.5),
            late_x=self.place(high),
            late_width=max(self.place(late) - self.place(high), 0.0),
        )


def _longest_on(run: TimingRun) -> float:
    return 1.15 * max(run.on_seconds.values(), default=0.0)


def _longest_off(run: TimingRun) -> float:
    return 1.15 * max(run.off_seconds.values(), default=0.0)


def _nice(seconds: float) -> float:
    return next(step for step in (30, 60, 90, 120, 180, 240, 300, 420, 600, 900, 1800, 3600, 1e9) if step >= seconds)


def _on_bar(stage: Stage, name: str, run: TimingRun, judged: StageVerdict, y: float, axis: _Axis) -> list[ChartBar]:
    came = run.on_seconds.get(stage.id)
    end = run.dropped_seconds if run.dropped_seconds is not None else run.elapsed_seconds
    if came is not None:
        x = axis.place(came)
        # The number stands before the bar, or on it where there is no room before it.
        fits = x - LABEL > ROOM_FOR_TEXT
        return [
            ChartBar(
                x=x,
                y=y,
                width=max(axis.place(max(end, came)) - x, 3.0),
                verdict=judged.on.grade.value.replace(" ", "-"),
                text=f"{came:.0f}",
                text_x=x - 4 if fits else x + 4,
                anchor="end" if fits else "start",
                is_open=False,
                spoken=f"{stage.name}, {name}: on after {came:.0f} s, {render(judged.on.spoken)}",
            )
        ]
    if judged.on.kind != "did not close":
        return []
    return [
        ChartBar(
            x=axis.place(stage.did_not_close_seconds),
            y=y,
            width=0.0,
            verdict="fail",
            text="did not close",
            text_x=LABEL + AXIS,
            anchor="end",
            is_open=True,
            spoken=f"{stage.name}, {name}: did not close",
        )
    ]


def _off_bar(stage: Stage, name: str, run: TimingRun, judged: StageVerdict, y: float, axis: _Axis) -> list[ChartBar]:
    if judged.off is None:
        return []
    went = run.off_seconds.get(stage.id)
    last = went if went is not None else run.elapsed_seconds - (run.dropped_seconds or 0.0)
    end = axis.place(last)
    text = f"{last:.0f}" if went is not None else "still on"
    # Beside the bar's end; on it where the chart ends there.
    fits = LABEL + AXIS - end > ROOM_FOR_TEXT * len(text) / 3
    return [
        ChartBar(
            x=LABEL,
            y=y,
            width=max(end - LABEL, 2.0),
            verdict=judged.off.grade.value.replace(" ", "-"),
            text=text,
            text_x=end + 5 if fits else end - 5,
            anchor="start" if fits else "end",
            is_open=went is None,
            spoken=f"{stage.name}, {name}: "
            + (f"off after {last:.0f} s, {render(judged.off.spoken)}" if went is not None else "still on"),
        )
    ]


def _spoken(runs: Sequence[tuple[str, TimingRun, RunVerdict]]) -> str:
    if not runs:
        return "Stage chart: windows only, no run yet"
    return f"Stage chart of {len(runs)} run{'s' if len(runs) > 1 else ''}: " + "; ".join(
        f"{name} {'good' if verdict.is_good else 'not good'}" for name, _, verdict in runs
    )
