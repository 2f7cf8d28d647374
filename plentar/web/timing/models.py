"""What the timing page shows: runs by the stopwatch, logs, and what they say together."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plentar.core.cache import ByteBoundedCache
from plentar.core.causes.faults import faults_of
from plentar.core.evidence.events import Event, Logged
from plentar.core.evidence.runs import TimingRun, WatchRun
from plentar.core.intake import clamps_of
from plentar.core.judging.log import LogAnalysis
from plentar.core.judging.logged import LogQuestion, supply_volts, try_analysis
from plentar.core.judging.timing import RunVerdict, Stage
from plentar.core.limits.verdicts import Verdict
from plentar.core.unit.nameplate import Nameplate
from plentar.core.visit import Visit
from plentar.devices.simulated import SimulatedClamp
from plentar.screen.drawings.log_chart import LogChart, log_chart
from plentar.screen.drawings.stage_chart import StageChart, stage_chart
from plentar.screen.event_lines import Shown
from plentar.store.models import Call
from plentar.words import render

__all__ = ["HIDDEN", "LogScreen", "TimingScreen", "clamp_of", "hidden_fault"]

Floats = NDArray[np.float64]
HIDDEN = "hidden"
LOG_SECONDS = 900.0


@dataclass(frozen=True, slots=True, kw_only=True)
class StageRow:
    """One stage on the stopwatch: what can be tapped now, what stands, and its verdict so far."""

    stage: Stage
    on_seconds: float | None
    off_seconds: float | None
    verdict: Verdict | None
    tap: str


class TimingScreen:
    """The timing of one call."""

    def __init__(self, call: Call, visit: Visit) -> None:
        self.call, self.visit = call, visit
        self.plate: Nameplate = visit.plate
        self.moment = visit.moment

    @property
    def version(self) -> int:
        """The last event the page knows."""
        return self.visit.record.seq

    @property
    def stages(self) -> tuple[Stage, ...]:
        """The stages of the run that goes on, or of the next one by heat."""
        return self.visit.stages_of_run(self.current) if self.current is not None else self.visit.stages

    @property
    def has_fan_run(self) -> bool:
        """Whether a fan call moves anything that can be timed."""
        return bool(self.visit.fan_stages)

    @property
    def current(self) -> WatchRun | None:
        """The last run, whether it still goes on or not."""
        return self.visit.watch_runs[-1] if self.visit.watch_runs else None

    @cached_property
    def logs(self) -> "list[LogScreen]":
        """The unit's logs, oldest first."""
        return [log for log in self.logs_and_trials if not log.row.is_trial]

    @cached_property
    def logs_and_trials(self) -> "list[LogScreen]":
        """The same with a simulated meter's."""
        return [LogScreen(event, action, self) for event, action in self.visit.record.logs]

    @cached_property
    def judged(self) -> list[tuple[str, TimingRun, RunVerdict]]:
        """Every run, by the stopwatch or out of a log, with its verdict, in the order they were made."""
        found: list[tuple[float, str, TimingRun, RunVerdict]] = []
        for run, (_, seen, verdict) in zip(self.visit.watch_runs, self.visit.runs, strict=True):
            found.append((run.called_at, f"run {run.number}", seen, verdict))
        for log in self.logs:
            analysis = None if log.is_recording else log.analysis
            if analysis is not None:
                found.append((log.at, f"log {log.name}", analysis.run, analysis.verdict))
        found.sort(key=lambda entry: entry[0])
        return [(name, seen, verdict) for _, name, seen, verdict in found]

    @property
    def chart(self) -> StageChart:
        """The last three runs beside their windows."""
        ran_fan = any(run.call == "fan" for run in self.visit.watch_runs)
        return stage_chart((*self.visit.stages, *(self.visit.fan_stages if ran_fan else ())), self.judged)

    @property
    def rows(self) -> list[StageRow]:
        """The stopwatch's lines."""
        run = self.current
        seen, verdict = self.visit.judge_watch(run) if run is not None else (None, None)
        rows = []
        for index, stage in enumerate(self.stages):
            on = seen.on_seconds.get(stage.id) if seen else None
            off = seen.off_seconds.get(stage.id) if seen else None
            judged = verdict.stages[index] if verdict else None
            is_dropped = seen is not None and seen.dropped_seconds is not None
            tap = ""
            if seen is not None and not is_dropped and on is None:
                tap = f"on:{stage.id}"
            elif is_dropped and on is not None and off is None:
                tap = f"off:{stage.id}"
            shown = None if judged is None else (judged.off if is_dropped and judged.off else judged.on)
            rows.append(StageRow(stage=stage, on_seconds=on, off_seconds=off, verdict=shown, tap=tap))
        return rows

    @property
    def energised_gate(self) -> float:
        """Seconds still to wait until dropping the call proves the off-times; 0 once they have passed."""
        run = self.current
        if run is None or run.dropped_at is not None or run.call == "fan":
            return 0.0
        return max(0.0, self.visit.limits.number("energised_seconds") - (self.moment - run.called_at))

    @property
    def cooling_gate(self) -> float:
        """Seconds still to wait until another run would prove anything."""
        run = self.current
        if run is None or run.dropped_at is None or run.call == "fan":
            return 0.0
        return max(0.0, self.visit.limits.number("cooled_seconds") - (self.moment - run.dropped_at))

    @property
    def good_of(self) -> tuple[int, int]:
        """Good runs of all that could prove something."""
        whole = [v for _, _, v in self.judged if all(entry.on.kind != "waiting" for entry in v.stages)]
        proving = [verdict for verdict in whole if not verdict.not_proven_because]
        return sum(verdict.is_good for verdict in proving), len(proving)

    @property
    def clamps(self) -> list[tuple[str, str]]:
        """What a logging clamp can be around."""
        return [(clamp, render(words)) for clamp, words in clamps_of(self.plate)]

    @property
    def fault_choices(self) -> list[tuple[str, str]]:
        """What the simulated meter can be told is wrong."""
        return [(fault.id, render(fault.title)) for fault in faults_of(self.plate)]

    def supply_volts(self, clamp: str) -> float | None:
        """Volts last read at the feed behind a clamp, under a heat call where there is such a reading."""
        return supply_volts(self.plate, clamp, self.visit.readings)


class LogScreen(Shown[Logged]):
    """One current log."""

    def __init__(self, event: Event, action: Logged, timing: TimingScreen) -> None:
        super().__init__(event, action)
        self.timing, self.call, self.row = timing, timing.call, action

    @property
    def name(self) -> str:
        """What it is called."""
        return self.row.name

    @property
    def is_recording(self) -> bool:
        """True while the meter is still at it."""
        return self.row.is_recording

    @property
    def meter_seconds(self) -> float:
        """How long the meter has logged, on its own clock [s]."""
        return min((self.timing.moment - self.at) * self.row.speed, LOG_SECONDS)

    @cached_property
    def samples(self) -> tuple[Floats, Floats]:
        """Seconds and amps so far."""
        if not self.is_recording:
            assert self.timing.visit.samples_of is not None  # noqa: S101 - every page's visit has them
            return self.timing.visit.samples_of(self.id)
        taken = clamp_of(self.timing.plate, self.row).samples(self.meter_seconds)
        return taken.seconds, taken.amps

    @cached_property
    def analysis(self) -> LogAnalysis | None:
        """What the log shows; None while there is too little of it."""
        visit = self.timing.visit
        if not self.is_recording:
            return next((analysis for event, _, analysis in visit.logs_and_trials if event.id == self.id), None)
        # A simulated meter logs the same again: worked out anew only every few seconds of its own clock.
        whole = int(self.meter_seconds // RECORDED_EVERY_SECONDS * RECORDED_EVERY_SECONDS)
        return _recorded(visit.log_question(self.id, self.row), self, whole)

    def chart(self, from_seconds: float | None = None, to_seconds: float | None = None) -> LogChart:
        """The log drawn, whole or between two moments."""
        seconds, amps = self.samples
        names: Mapping[str, str] = {stage.id: stage.name for stage in self.timing.visit.stages}
        return log_chart(
            seconds,
            amps,
            self.analysis,
            from_seconds=from_seconds,
            to_seconds=to_seconds,
            call=(self.row.called_seconds, self.row.dropped_seconds),
            names=names,
        )


# A poll a second must not work the whole log out each time; no stage moves that fast.
RECORDED_EVERY_SECONDS = 5.0


# A recording's own: a day's of a logging clamp some two megabytes.
_analyses = ByteBoundedCache(8)


def _recorded(ask: LogQuestion, screen: LogScreen, whole: int) -> LogAnalysis | None:
    def analyse() -> LogAnalysis | None:
        seconds, amps = screen.samples
        upto = seconds <= whole
        dropped = ask.dropped if ask.dropped and ask.dropped < whole else None
        return try_analysis(ask, seconds[upto], amps[upto], dropped=dropped, is_open=True)

    return _analyses.get((ask, whole), analyse)


def clamp_of(plate: Nameplate, log: Logged) -> SimulatedClamp:
    """Return the simulated meter a recording was set to."""
    return SimulatedClamp(
        plate=plate,
        clamp=log.clamp,
        faults=log.faults,
        seed=log.seed,
        hertz=2.0,
        called_seconds=log.called_seconds or 5.0,
        dropped_seconds=log.dropped_seconds or 420.0,
        calls=plate.heat_calls,
    )


def hidden_fault(plate: Nameplate, seed: int) -> str:
    """Return a fault nobody is told, one that a log can show."""
    telling = [
        fault.id
        for fault in faults_of(plate)
        if fault.id.endswith((".slow", ".limit.cycling", ".element.open", ".welded", ".mechanism.dead", ".coil.open"))
        or (".pole-" in fault.id and fault.id.endswith(".open"))
    ]
    return telling[seed % len(telling)]
