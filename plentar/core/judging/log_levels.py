"""Cutting a logged current into levels: where it jumps, what it holds between, what is a glitch or a motor starting."""

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

__all__ = ["LEAST_STEP_AMPS", "MOST_LEVELS", "Floats", "Ints", "coarse", "find_levels", "without_inrush"]

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

# A blower is up to speed in a second or so; a level that lasts longer is no inrush.
INRUSH_SECONDS = 1.6
# The smallest strip built, 2.4 kW at 208 V, draws 10 A and the smallest blower 1.5: below an amp is noise or a coil.
LEAST_STEP_AMPS = 1.0
# A heat call has some twenty levels; what jumps this often chatters, and every level costs time.
MOST_LEVELS = 1500


def find_levels(seconds: Floats, amps: Floats) -> tuple[Ints, Floats, float]:
    """Cut a log into levels.

    Args:
        seconds: Sample times, rising [s]; shape (n,).
        amps: Clamp amps, no gaps [A]; shape (n,).
    Returns:
        First sample of each level, shape (k,); each level's median [A], shape (k,); the noise as a standard deviation
        [A]. A single sample far from two neighbours that agree is taken for a glitch and belongs to no level.
    """
    jump = np.diff(amps)
    # Most samples are no step, so the middle of the differences tells the noise whatever the steps are.
    noise = float(1.4826 * np.median(np.abs(jump)) / math.sqrt(2)) if jump.size else 0.0
    # Five and a half deviations of a difference: one false step in ten million samples.
    least = max(LEAST_STEP_AMPS, 5.5 * noise * math.sqrt(2))
    cuts = np.nonzero(np.abs(jump) > least)[0] + 1
    small = _slow_cuts(amps, cuts, noise)
    starts = np.unique(np.concatenate([[0], cuts, small]))
    return (*_merged(amps, starts, noise), noise)


def _slow_cuts(amps: Floats, cuts: Ints, noise: float) -> Ints:
    """Return steps too small for one difference: a mean over a few samples either side tells them from noise."""
    found: list[Ints] = []
    edges = [0, *cuts.tolist(), amps.size]
    for start, stop in pairwise(edges):
        # A dozen samples either side average the noise down to a third; more would blur neighbours.
        width = min(12, (stop - start) // 2)
        if width < 3:
            continue
        total = np.concatenate([[0.0], np.cumsum(amps[start:stop])])
        at = np.arange(width, stop - start - width + 1)
        contrast = np.abs(total[at + width] - 2 * total[at] + total[at - width]) / width
        # Looked for at every sample, so it must stand out further than a single difference does.
        least = max(LEAST_STEP_AMPS * 0.8, 7.0 * noise * math.sqrt(2 / width))
        hot = np.nonzero(contrast > least)[0]
        if not hot.size:
            continue
        # One cut a run of neighbours: where the contrast peaks.
        for group in np.split(hot, np.nonzero(np.diff(hot) > width)[0] + 1):
            found.append(np.array([start + int(at[group[np.argmax(contrast[group])]])]))
    return np.concatenate(found) if found else np.zeros(0, dtype=np.int64)


@dataclass(slots=True)
class _Level:
    """A stretch of samples at one level while levels are being joined; `odd` samples at its start do not count."""

    start: int
    stop: int
    amps: float
    odd: int = 0

    @property
    def is_single(self) -> bool:
        return self.stop - self.start == 1


def _merged(amps: Floats, starts: Ints, noise: float) -> tuple[Ints, Floats]:
    """Join neighbouring levels that do not differ, take in single glitches and the half-way samples of a slow meter."""
    stack: list[_Level] = []
    stops = [*starts[1:].tolist(), amps.size]
    for start, stop in zip(starts.tolist(), stops, strict=True):
        stack.append(_Level(start, stop, float(np.median(amps[start:stop]))))
        while _join(stack, amps, noise):
            pass
    return np.array([level.start for level in stack]), np.array([level.amps for level in stack])


def _join(stack: list[_Level], amps: Floats, noise: float) -> bool:
    """Join the last levels where they are one; tell whether anything was joined."""
    if len(stack) >= 3 and stack[-2].is_single:
        before, odd, after = stack[-3:]
        # Two neighbours that agree outvote one sample between them.
        if abs(before.amps - after.amps) < max(LEAST_STEP_AMPS, 4 * noise):
            # A glitch: its sample stays inside, and the median does not mind it.
            stack[-3:] = [_whole(amps, before, after)]
            return True
        if min(before.amps, after.amps) < odd.amps < max(before.amps, after.amps) and not after.odd:
            # A meter that averages shows one sample half-way: the step begins with it.
            stack[-2:] = [_Level(odd.start, after.stop, after.amps, odd=1)]
            return True
    if len(stack) >= 2:
        before, after = stack[-2:]
        # The shorter level is the less certain one; beyond nine samples it hardly gets better.
        shorter = min(before.stop - before.start, after.stop - after.start, 9)
        if abs(before.amps - after.amps) < max(0.7 * LEAST_STEP_AMPS, 3.0 * noise / math.sqrt(shorter)):
            stack[-2:] = [_whole(amps, before, after)]
            return True
    return False


def _whole(amps: Floats, first: _Level, last: _Level) -> _Level:
    start = first.start + first.odd
    return _Level(first.start, last.stop, float(np.median(amps[start : last.stop])), odd=first.odd)


def coarse(seconds: Floats, amps: Floats) -> tuple[Floats, Floats]:
    """Return a log of stretches of equal length, each by its middle value: so few that its levels can be read."""
    width = max(1.0, float(seconds[-1] - seconds[0]) / MOST_LEVELS)
    number = ((seconds - seconds[0]) // width).astype(np.int64)
    first = np.nonzero(np.diff(number, prepend=-1))[0]
    stops = np.append(first[1:], amps.size)
    middle = np.array([np.median(amps[a:b]) for a, b in zip(first.tolist(), stops.tolist(), strict=True)])
    return seconds[first], middle


def without_inrush(edges: Floats, levels: Floats, blower_amps: float) -> tuple[Floats, Floats, dict[int, float]]:
    """Take a motor's start out of the levels: a short rise above a level that stays. Returns peaks by level kept."""
    keep_edges = [float(edges[0])]
    keep: list[float] = []
    peaks: dict[int, float] = {}
    peak = 0.0
    for i, level in enumerate(levels.tolist()):
        last = keep[-1] if keep else level
        after = levels[i + 1] if i + 1 < levels.size else level
        # A motor's start is over in a second or two, and something must stand before and after it.
        is_short = edges[i + 1] - edges[i] <= INRUSH_SECONDS and 0 < i < levels.size - 1
        is_peak = level - after > max(LEAST_STEP_AMPS, 0.5 * blower_amps) and after > last + 0.5 * LEAST_STEP_AMPS
        if blower_amps and is_short and is_peak and level - last < after - last + 7 * blower_amps:
            # The level that follows begins where the peak began.
            peak = max(peak, level - after)
            continue
        if peak:
            peaks[len(keep)], peak = peak, 0.0
        keep.append(level)
        keep_edges.append(float(edges[i + 1]))
    return np.array(keep_edges), np.array(keep), peaks
