"""What the timing page shows: runs by the stopwatch, logs, and what they say together."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.faults import faults_of
from plentar.core.errors import PlentarError
from plentar.core.evidence.events import Event, Logged
from plentar.core.evidence.runs import TimingRun, WatchRun
from plentar.core.held import Held
from plentar.core.intake import clamps_of
from plentar.core.judging.log import LogAnalysis, analyse_log
from plentar.core.judging.timing import RunVerdict, Stage
from plentar.core.limits.table import Limits
from plentar.core.limits.verdicts import Verdict
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import line_volts, spot_of
from plentar.core.visit import Visit
from plentar.devices.simulated import SimulatedClamp
from plentar.formats.packed import unpack
from plentar.formats.svg.log_chart import LogChart, log_chart
from plentar.formats.svg.stage_chart import StageChart, stage_chart
from plentar.store.models import Call
from plentar.web.shown import Shown
from plentar.words import say

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
    """The timing of one call; `samples_of` fetches a log's samples."""

    def __init__(self, call: Call, visit: Visit, samples_of: Callable[[str], bytes]) -> None:
        self.call, self.visit, self.samples_of = call, visit, samples_of
        self.plate: Nameplate = visit.plate
        self.moment = visit.moment

    @property
    def version(self) -> int:
        """The last event the page knows."""
        return self.visit.record.seq

    @property
    def stages(self) -> tuple[Stage, ...]:
        """The unit's stages."""
        return self.visit.stages

    @property
    def current(self) -> WatchRun | None:
        """The last run, whether it still goes on or not."""
        return self.visit.watch_runs[-1] if self.visit.watch_runs else None

    @cached_property
    def logs(self) -> "list[LogScreen]":
        """The call's logs, oldest first."""
        return [LogScreen(event, deed, self) for event, deed in self.visit.record.logs]

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
        return stage_chart(self.stages, self.judged)

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
        if run is None or run.dropped_at is not None:
            return 0.0
        return max(0.0, self.visit.limits.number("energised_seconds") - (self.moment - run.called_at))

    @property
    def cooling_gate(self) -> float:
        """Seconds still to wait until another run would prove anything."""
        run = self.current
        if run is None or run.dropped_at is None:
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
        return [(clamp, say(words)) for clamp, words in clamps_of(self.plate)]

    @property
    def fault_choices(self) -> list[tuple[str, str]]:
        """What the simulated meter can be told is wrong."""
        return [(fault.id, say(fault.title)) for fault in faults_of(self.plate)]

    def supply_volts(self, clamp: str) -> float | None:
        """Volts last read at the feed behind a clamp, under a heat call where there is such a reading."""
        feed = next((feed.id for feed in self.plate.feeds if feed.id == clamp), self.plate.feeds[0].id)
        for circuit in self.plate.circuits:
            if circuit.id == clamp:
                feed = self.plate.feed_of(circuit.supplied_by)
        at = [r for r in self.visit.readings if r.point == line_volts(feed) and r.value > 50]
        under = [reading for reading in at if reading.condition.heat]
        return (under or at)[-1].value if at else None

    @property
    def own_amps(self) -> dict[str, float]:
        """Strips' own amps by the clamp, where read and alive."""
        found = {spot_of(r.point).part: r.value for r in self.visit.readings if r.function == "amps"}
        known = {c.id for c in self.plate.circuits} | {"blower"}
        dead_below = self.visit.limits.number("dead_below_amps")
        return {name: amps for name, amps in found.items() if name in known and amps >= dead_below}


class LogScreen(Shown[Logged]):
    """One current log."""

    def __init__(self, event: Event, deed: Logged, timing: TimingScreen) -> None:
        super().__init__(event, deed)
        self.timing, self.call, self.row = timing, timing.call, deed

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
            return unpack(self.timing.samples_of(self.id))
        taken = clamp_of(self.timing.plate, self.row).samples(self.meter_seconds)
        return taken.seconds, taken.amps

    @cached_property
    def analysis(self) -> LogAnalysis | None:
        """What the log shows; None while there is too little of it."""
        own = tuple(sorted(self.timing.own_amps.items()))
        volts = self.row.supply_volts or self.timing.supply_volts(self.row.clamp)
        ask = _Ask(
            plate=self.timing.plate,
            log=self.id,
            clamp=self.row.clamp,
            called=self.row.called_seconds,
            dropped=self.row.dropped_seconds,
            volts=volts,
            own=own,
            limits=self.timing.visit.limits,
        )
        if self.is_recording:
            # A simulated meter logs the same again: worked out anew only every few seconds of its own clock.
            whole = int(self.meter_seconds // RECORDED_EVERY_SECONDS * RECORDED_EVERY_SECONDS)
            return _recorded(ask, self, whole)
        return _analysed(ask, self)

    def chart(self, from_seconds: float | None = None, to_seconds: float | None = None) -> LogChart:
        """The log drawn, whole or between two moments."""
        seconds, amps = self.samples
        names: Mapping[str, str] = {stage.id: stage.name for stage in self.timing.stages}
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


@dataclass(frozen=True, slots=True, kw_only=True)
class _Ask:
    """All that an analysis depends on beside the samples."""

    plate: Nameplate
    log: str
    clamp: str
    called: float | None
    dropped: float | None
    volts: float | None
    own: tuple[tuple[str, float], ...]
    limits: Limits


# An analysed log holds its own samples: a day's of a logging clamp some two megabytes.
_analyses = Held(24)


def _analysed(ask: _Ask, screen: LogScreen) -> LogAnalysis | None:
    return _analyses.get(ask, lambda: _try(ask, *screen.samples))


def _recorded(ask: _Ask, screen: LogScreen, whole: int) -> LogAnalysis | None:
    def analyse() -> LogAnalysis | None:
        seconds, amps = screen.samples
        upto = seconds <= whole
        dropped = ask.dropped if ask.dropped and ask.dropped < whole else None
        return _try(ask, seconds[upto], amps[upto], dropped=dropped, is_open=True)

    return _analyses.get((ask, whole), analyse)


def _try(
    ask: _Ask, seconds: Floats, amps: Floats, *, dropped: float | None = None, is_open: bool = False
) -> LogAnalysis | None:
    try:
        return analyse_log(
            ask.plate,
            seconds,
            amps,
            clamp=ask.clamp,
            supply_volts=ask.volts,
            own_amps=dict(ask.own),
            called_seconds=ask.called,
            dropped_seconds=dropped if is_open else ask.dropped,
            limits=ask.limits,
        )
    except PlentarError:
        return None


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
        calls=frozenset(call for call in ("W", "W2") if call in plate.calls),
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
