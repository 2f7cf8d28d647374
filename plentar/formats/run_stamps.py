"""Timing runs as they are kept: one stamp for each tap, the newest of a kind and place standing."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from plentar.core.timing import TimingRun

__all__ = ["RunStamp", "StampedRun", "stamped_runs"]


@dataclass(frozen=True, slots=True, kw_only=True)
class RunStamp:
    """One tap: `kind` is run-call, run-drop, run-on or run-off, `about` the run's number, for a stage `1:strip-a`."""

    kind: str
    about: str
    is_undone: bool
    at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class StampedRun:
    """One run: when it was called and dropped, when each stage came and went, how long the unit had cooled before."""

    number: int
    called_at: datetime
    dropped_at: datetime | None = None
    on_at: Mapping[str, datetime] = field(default_factory=dict)
    off_at: Mapping[str, datetime] = field(default_factory=dict)
    cooled_seconds: float | None = None

    def seen(self, moment: datetime, control_volts: float | None = None) -> TimingRun:
        """Return the run as the core sees it at a moment."""
        ends = self.dropped_at or moment
        return TimingRun(
            elapsed_seconds=max(0.0, (moment - self.called_at).total_seconds()),
            on_seconds={name: _since(self.called_at, at) for name, at in self.on_at.items()},
            off_seconds={name: _since(ends, at) for name, at in self.off_at.items()} if self.dropped_at else {},
            dropped_seconds=_since(self.called_at, self.dropped_at) if self.dropped_at else None,
            control_volts=control_volts,
            cooled_seconds=self.cooled_seconds,
        )


def _since(start: datetime, at: datetime) -> float:
    return max(0.0, (at - start).total_seconds())


def stamped_runs(stamps: Iterable[RunStamp]) -> Sequence[StampedRun]:
    """Return the runs that stand, oldest first; a run whose call was undone is gone."""
    standing: dict[tuple[str, str], datetime] = {}
    for stamp in stamps:
        if stamp.is_undone:
            standing.pop((stamp.kind, stamp.about), None)
        else:
            standing[stamp.kind, stamp.about] = stamp.at
    runs: list[StampedRun] = []
    calls = sorted((int(about), at) for (kind, about), at in standing.items() if kind == "run-call" and about.isdigit())
    for number, called_at in calls:
        start = f"{number}:"
        last_end = runs[-1].dropped_at if runs else None
        runs.append(
            StampedRun(
                number=number,
                called_at=called_at,
                dropped_at=standing.get(("run-drop", str(number))),
                on_at={
                    a.removeprefix(start): at
                    for (k, a), at in standing.items()
                    if k == "run-on" and a.startswith(start)
                },
                off_at={
                    a.removeprefix(start): at
                    for (k, a), at in standing.items()
                    if k == "run-off" and a.startswith(start)
                },
                cooled_seconds=None if last_end is None else _since(last_end, called_at),
            )
        )
    return runs
