"""A logged current as a drawing: the trace shrunk to what the eye can see, its steps, and which stage was on when."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plentar.core.judging.log import LogAnalysis
from plentar.core.unit.points import part_words

__all__ = ["LogBar", "LogChart", "LogMark", "log_chart"]

Floats = NDArray[np.float64]
WIDTH, LEFT, RIGHT, TOP, TRACE = 860.0, 52.0, 22.0, 24.0, 250.0
LANE = 20.0
BUCKETS = 600


@dataclass(frozen=True, slots=True, kw_only=True)
class LogMark:
    """One step: where it stands, and what it is."""

    x: float
    text: str
    at_seconds: float


@dataclass(frozen=True, slots=True, kw_only=True)
class LogBar:
    """A stretch one stage was on."""

    x: float
    width: float
    y: float


@dataclass(frozen=True, slots=True, kw_only=True)
class LogChart:
    """Everything the template writes; `lanes` pairs a stage's name with the y of its bars."""

    width: float
    height: float
    path: str
    gaps: tuple[tuple[float, float], ...]
    marks: tuple[LogMark, ...]
    lanes: tuple[tuple[str, float], ...]
    bars: tuple[LogBar, ...]
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]
    call: tuple[float, float] | None
    left: float
    right: float
    top: float
    bottom: float
    from_seconds: float
    to_seconds: float
    spoken: str


def log_chart(
    seconds: Floats,
    amps: Floats,
    analysis: LogAnalysis | None = None,
    *,
    from_seconds: float | None = None,
    to_seconds: float | None = None,
    call: tuple[float | None, float | None] = (None, None),
    names: Mapping[str, str] | None = None,
) -> LogChart:
    """Lay out a log between two moments.

    Args:
        seconds: Sample times [s]; shape (n,).
        amps: Amps, not-a-number where lost; shape (n,).
        analysis: Steps and spans to draw over it.
        from_seconds: Left edge; the first sample by default.
        to_seconds: Right edge; the last sample by default.
        call: When heat was called and dropped.
        names: Stages' names.
    """
    first = float(seconds[0]) if seconds.size else 0.0
    last = float(seconds[-1]) if seconds.size else 1.0
    start = min(max(first, first if from_seconds is None else from_seconds), last)
    stop = max(min(last, last if to_seconds is None else to_seconds), start + 1.0)
    high = _ceiling(float(np.nanmax(amps)) if amps.size and np.isfinite(amps).any() else 1.0)
    inner = WIDTH - LEFT - RIGHT
    bottom = TOP + TRACE

    def x(at: float) -> float:
        return round(LEFT + inner * (min(max(at, start), stop) - start) / (stop - start), 1)

    def y(value: float) -> float:
        return round(bottom - TRACE * min(value / high, 1.0), 1)

    inside = (seconds >= start) & (seconds <= stop)
    stages = list(dict.fromkeys(span.stage for span in analysis.spans)) if analysis else []
    lanes = tuple((name, bottom + 30 + LANE * i) for i, name in enumerate(stages))
    level = dict(lanes)
    bars = [
        LogBar(
            x=x(span.on_at_seconds),
            width=max(x(span.off_at_seconds or last) - x(span.on_at_seconds), 1.0),
            y=level[span.stage],
        )
        for span in (analysis.spans if analysis else ())
        if (span.off_at_seconds or last) >= start and span.on_at_seconds <= stop
    ]
    called, dropped = call
    return LogChart(
        width=WIDTH,
        height=bottom + 34 + LANE * len(lanes),
        path=_trace(seconds[inside], amps[inside], x, y, start, stop),
        gaps=(),
        marks=_marks(analysis, start, stop, x),
        lanes=tuple(((names or {}).get(name, part_words(name)), at) for name, at in lanes),
        bars=tuple(bars),
        x_ticks=_x_ticks(start, stop, x),
        y_ticks=tuple((y(v), f"{v:g}") for v in np.linspace(0, high, 5).tolist()),
        call=None if called is None else (x(called), x(dropped if dropped is not None else last)),
        left=LEFT,
        right=WIDTH - RIGHT,
        top=TOP,
        bottom=bottom,
        from_seconds=start,
        to_seconds=stop,
        spoken=f"Current from {start:.0f} to {stop:.0f} s, up to {high:g} A",
    )


def _trace(seconds: Floats, amps: Floats, x: object, y: object, start: float, stop: float) -> str:
    """Return the trace as a path: lowest and highest of each bucket, so that no spike is lost."""
    assert callable(x)  # noqa: S101 - narrows the type
    assert callable(y)  # noqa: S101 - narrows the type
    there = np.isfinite(amps)
    seconds, amps = seconds[there], amps[there]
    if not seconds.size:
        return ""
    if seconds.size > 2 * BUCKETS:
        bucket = np.minimum((BUCKETS * (seconds - start) / (stop - start)).astype(int), BUCKETS - 1)
        edges = np.nonzero(np.diff(bucket))[0] + 1
        starts = np.concatenate([[0], edges])
        low, high = np.minimum.reduceat(amps, starts), np.maximum.reduceat(amps, starts)
        at = seconds[starts]
        pairs = [(t, v) for t, a, b in zip(at.tolist(), low.tolist(), high.tolist(), strict=True) for v in (a, b)]
    else:
        pairs = list(zip(seconds.tolist(), amps.tolist(), strict=True))
    return "M" + "L".join(f"{x(t)} {y(v)}" for t, v in pairs)


def _marks(analysis: LogAnalysis | None, start: float, stop: float, x: object) -> tuple[LogMark, ...]:
    assert callable(x)  # noqa: S101 - narrows the type
    found = []
    for step in analysis.steps if analysis else ():
        if start <= step.at_seconds <= stop:
            what = " ".join(f"{change[0].replace('-', '−')}{part_words(change[1:])}" for change in step.changes)
            found.append(LogMark(x=x(step.at_seconds), text=what, at_seconds=step.at_seconds))
    return tuple(found)


def _ceiling(value: float) -> float:
    return float(
        next((top for top in (2, 4, 8, 12, 20, 32, 40, 60, 80, 100, 120, 160, 200) if top >= value * 1.05), value * 1.1)
    )


def _x_ticks(start: float, stop: float, x: object) -> tuple[tuple[float, str], ...]:
    assert callable(x)  # noqa: S101 - narrows the type
    steps = (1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1200, 1800, 3600, 7200, 1e9)
    step = next(s for s in steps if (stop - start) / s <= 8)
    first = int(np.ceil(start / step))
    ticks = []
    for i in range(first, int(stop // step) + 1):
        at = i * step
        ticks.append((x(at), f"{int(at // 60)}:{int(at % 60):02d}" if step >= 10 else f"{at:g} s"))
    return tuple(ticks)
