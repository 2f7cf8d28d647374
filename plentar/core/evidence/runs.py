"""Timing runs out of the stopwatch's taps: the newest tap of a kind and stage stands."""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from plentar.core.errors import ReadingError
from plentar.core.evidence.events import Event, Tapped

__all__ = ["TimingRun", "WatchRun", "runs_of"]


@dataclass(frozen=True, slots=True, kw_only=True)
class TimingRun:
    """What was seen in one run; a stage not named in `on_seconds` was not seen coming.

    `elapsed_seconds` is how long the watch has run; `dropped_seconds` when the call was taken away, None while it
    stands. `off_seconds` count from then.
    """

    elapsed_seconds: float
    on_seconds: Mapping[str, float] = field(default_factory=dict)
    off_seconds: Mapping[str, float] = field(default_factory=dict)
    dropped_seconds: float | None = None
    control_volts: float | None = None
    cooled_seconds: float | None = None
    call: Literal["heat", "fan"] = "heat"

    def __post_init__(self) -> None:
        for seconds in (self.elapsed_seconds, *self.on_seconds.values(), *self.off_seconds.values()):
            if not 0 <= seconds < math.inf:
                raise ReadingError(f"expected seconds of zero or more, got {seconds}", field="seconds")


@dataclass(frozen=True, slots=True, kw_only=True)
class WatchRun:
    """One run: when it was called and dropped, when each stage came and went, how long the unit had cooled before.

    Moments are seconds since 1970.
    """

    number: int
    called_at: float
    dropped_at: float | None = None
    on_at: Mapping[str, float] = field(default_factory=dict)
    off_at: Mapping[str, float] = field(default_factory=dict)
    cooled_seconds: float | None = None
    call: Literal["heat", "fan"] = "heat"

    def seen(self, moment: float, control_volts: float | None = None) -> TimingRun:
        """Return the run as it stands at a moment."""
        # While the call stands the clock of the run is now.
        ends = moment if self.dropped_at is None else self.dropped_at
        return TimingRun(
            elapsed_seconds=max(0.0, moment - self.called_at),
            on_seconds={name: _since(self.called_at, at) for name, at in self.on_at.items()},
            off_seconds={name: _since(ends, at) for name, at in self.off_at.items()} if self.dropped_at else {},
            dropped_seconds=None if self.dropped_at is None else _since(self.called_at, self.dropped_at),
            control_volts=control_volts,
            cooled_seconds=self.cooled_seconds,
            call=self.call,
        )


def _since(start: float, at: float) -> float:
    return max(0.0, at - start)


def runs_of(taps: Iterable[tuple[Event, Tapped]]) -> Sequence[WatchRun]:
    """Return the runs that stand, oldest first; a run whose call was undone is gone.

    Source:
        docs/trade.md, section 3: a run on a device that has not cooled proves nothing.
    """
    standing: dict[tuple[int, str, str], float] = {}
    calls: dict[int, Literal["heat", "fan"]] = {}
    for event, tap in taps:
        if tap.deed == "call":
            calls[tap.run] = tap.call
        key = (tap.run, tap.deed, tap.stage)
        # A tap by mistake is taken back, and what it stood for never happened.
        if tap.is_undone:
            standing.pop(key, None)
        else:
            standing[key] = event.done_at
    runs: list[WatchRun] = []
    for number, called_at in sorted((run, at) for (run, action, _), at in standing.items() if action == "call"):
        # How long the discs have cooled since the run before.
        heated = [run for run in runs if run.call == "heat"]
        last_end = heated[-1].dropped_at if heated and calls[number] == "heat" else None
        own = {(action, stage): at for (run, action, stage), at in standing.items() if run == number}
        runs.append(
            WatchRun(
                number=number,
                called_at=called_at,
                dropped_at=own.get(("drop", "")),
                on_at={stage: at for (action, stage), at in own.items() if action == "on"},
                off_at={stage: at for (action, stage), at in own.items() if action == "off"},
                cooled_seconds=None if last_end is None else _since(last_end, called_at),
                call=calls[number],
            )
        )
    return runs
