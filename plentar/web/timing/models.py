"""What the timing page shows: runs by the stopwatch, logs, and what they say together."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property, lru_cache
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from plentar.core.current_log import LogAnalysis, analyse_log
from plentar.core.errors import PlentarError
from plentar.core.faults import faults_of
from plentar.core.nameplate import Nameplate
from plentar.core.points import part_words
from plentar.core.timing import RunVerdict, Stage, TimingRun, judge_run, stages_of
from plentar.devices.simulated import SimulatedClamp
from plentar.formats.packed import unpack
from plentar.formats.run_stamps import RunStamp, StampedRun, stamped_runs
from plentar.formats.stamps import condition_from_json
from plentar.formats.svg.log_chart import LogChart, log_chart
from plentar.formats.svg.stage_chart import StageChart, stage_chart
from plentar.formats.unit_json import kept_nameplate
from plentar.store import calls
from plentar.store.models import Call, CurrentLogRow, Observation, Reading

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
    verdict: object
    tap: str


class TimingScreen:
    """The timing of one call."""

    def __init__(
        self,
        call: Call,
        readings: Sequence[Reading],
        observations: Sequence[Observation],
        logs: Sequence[CurrentLogRow],
        moment: datetime,
    ) -> None:
        self.call, self.moment, self.logs = call, moment, logs
        self.plate: Nameplate = kept_nameplate(call.unit.nameplate)
        self._readings = calls.standing_readings(readings)
        self._stamps = [
            RunStamp(kind=row.kind, about=row.about, is_undone=row.state == "undone", at=row.at)
            for row in observations
            if row.kind.startswith("run-")
        ]

    @cached_property
    def stages(self) -> tuple[Stage, ...]:
        """The unit's stages."""
        return stages_of(self.plate)

    @cached_property
    def runs(self) -> Sequence[StampedRun]:
        """The stopwatch's runs, oldest first."""
        return stamped_runs(self._stamps)

    @property
    def current(self) -> StampedRun | None:
        """The last run, whether it still goes on or not."""
        return self.runs[-1] if self.runs else None

    @property
    def next_number(self) -> int:
        """The number a new run gets: never one used before, undone ones included."""
        used = [int(stamp.about) for stamp in self._stamps if stamp.kind == "run-call"]
        return max(used, default=0) + 1

    def control_volts(self, run: StampedRun) -> float | None:
        """Control volts read while a run was on."""
        end = run.dropped_at or self.moment
        found = [
            row.value
            for row in self._readings
            if run.called_at <= row.taken_at <= end
            and (".coil.1" in row.point or row.point.startswith("volts:board.w"))
            and row.point.startswith("volts")
        ]
        return found[-1] if found else None

    @cached_property
    def judged(self) -> list[tuple[str, TimingRun, RunVerdict]]:
        """Every run, by the stopwatch or out of a log, with its verdict, in the order they were made."""
        found: list[tuple[datetime, str, TimingRun, RunVerdict]] = []
        for run in self.runs:
            seen = run.seen(self.moment, self.control_volts(run))
            found.append((run.called_at, f"run {run.number}", seen, judge_run(self.plate, seen)))
        for row in self.logs:
            screen = LogScreen(row, self)
            analysis = screen.analysis if row.recording_since is None else None
            if analysis is not None:
                found.append((row.at, f"log {row.name}", analysis.run, analysis.verdict))
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
        seen = run.seen(self.moment, self.control_volts(run)) if run is not None else None
        verdict = judge_run(self.plate, seen) if seen is not None else None
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
        """Seconds still to wait until dropping the call proves the off-times; 0 once five minutes have passed."""
        run = self.current
        if run is None or run.dropped_at is not None:
            return 0.0
        return max(0.0, 300.0 - (self.moment - run.called_at).total_seconds())

    @property
    def cooling_gate(self) -> float:
        """Seconds still to wait until another run would prove anything."""
        run = self.current
        if run is None or run.dropped_at is None:
            return 0.0
        return max(0.0, 300.0 - (self.moment - run.dropped_at).total_seconds())

    @property
    def good_of(self) -> tuple[int, int]:
        """Good runs of all that could prove something."""
        whole = [v for _, _, v in self.judged if all(entry.on.kind != "waiting" for entry in v.stages)]
        proving = [verdict for verdict in whole if not verdict.not_proven_because]
        return sum(verdict.is_good for verdict in proving), len(proving)

    @property
    def clamps(self) -> list[tuple[str, str]]:
        """What a logging clamp can be around."""
        feeds = [(feed.id, f"{part_words(feed.id)}, one leg") for feed in self.plate.feeds]
        return feeds + [(c.id, c.name) for c in self.plate.circuits] + [("blower", "Blower")]

    @property
    def fault_choices(self) -> list[tuple[str, str]]:
        """What the simulated meter can be told is wrong."""
        return [(fault.id, fault.title) for fault in faults_of(self.plate)]

    def supply_volts(self, clamp: str) -> float | None:
        """Volts last read at the feed behind a clamp, under a heat call where there is such a reading."""
        feed = clamp if clamp.startswith("feed") else self.plate.feeds[0].id
        for circuit in self.plate.circuits:
            if circuit.id == clamp:
                feed = self.plate.feed_of(circuit.supplied_by)
        at = [row for row in self._readings if row.point == f"volts:{feed}.l1:{feed}.l2" and row.value > 50]
        under = [row for row in at if condition_from_json(row.condition).is_called("W")]
        return (under or at)[-1].value if at else None

    @property
    def own_amps(self) -> dict[str, float]:
        """Strips' own amps by the clamp, where read and alive."""
        found = {row.point.partition(":")[2]: row.value for row in self._readings if row.point.startswith("amps:")}
        known = {c.id for c in self.plate.circuits} | {"blower"}
        return {name: amps for name, amps in found.items() if name in known and amps >= 0.5}


class LogScreen:
    """One current log."""

    def __init__(self, row: CurrentLogRow, timing: TimingScreen) -> None:
        self.row, self.timing, self.call = row, timing, timing.call

    @property
    def is_recording(self) -> bool:
        """True while the meter is still at it."""
        return self.row.recording_since is not None

    @property
    def meter_seconds(self) -> float:
        """How long the meter has logged, on its own clock [s]."""
        assert self.row.recording_since is not None  # noqa: S101 - asked only while recording
        passed = (self.timing.moment - self.row.recording_since) / timedelta(seconds=1)
        return min(passed * float(self.row.settings.get("speed", 1)), LOG_SECONDS)

    @cached_property
    def samples(self) -> tuple[Floats, Floats]:
        """Seconds and amps so far."""
        if not self.is_recording:
            return unpack(self.row.samples)
        taken = clamp_of(self.timing.plate, self.row).samples(self.meter_seconds)
        return taken.seconds, taken.amps

    @cached_property
    def analysis(self) -> LogAnalysis | None:
        """What the log shows; None while there is too little of it."""
        own = tuple(sorted(self.timing.own_amps.items()))
        volts = self.row.supply_volts or self.timing.supply_volts(self.row.clamp)
        if self.is_recording:
            seconds, amps = self.samples
            dropped = self.row.dropped_seconds
            return _try(
                self.timing.plate,
                self.row,
                seconds,
                amps,
                volts,
                own,
                dropped if dropped and dropped < self.meter_seconds else None,
            )
        return _analysed(
            self.timing.plate,
            self.row.id,
            self.row.called_seconds,
            self.row.dropped_seconds,
            volts,
            own,
            _Once(self.row),
        )

    def chart(self, from_seconds: float | None = None, to_seconds: float | None = None) -> LogChart:
        """The log drawn, whole or between two moments."""
        seconds, amps = self.samples
        names: Mapping[str, str] = {stage.id: stage.name for stage in self.timing.stages}
        called = self.row.called_seconds
        return log_chart(
            seconds,
            amps,
            self.analysis,
            from_seconds=from_seconds,
            to_seconds=to_seconds,
            call=(called, self.row.dropped_seconds),
            names=names,
        )


class _Once:
    """A log's row for the cache below: kept logs never change, so any row of one id is the same."""

    def __init__(self, row: CurrentLogRow) -> None:
        # The row of a request long over cannot be asked for anything any more, its id included.
        self.row, self.id = row, row.id

    def __hash__(self) -> int:
        return hash(self.id)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Once) and other.id == self.id


@lru_cache(maxsize=64)
def _analysed(
    plate: Nameplate,
    log_id: UUID,
    called: float | None,
    dropped: float | None,
    volts: float | None,
    own: tuple[tuple[str, float], ...],
    once: _Once,
) -> LogAnalysis | None:
    seconds, amps = unpack(once.row.samples)
    return _try(plate, once.row, seconds, amps, volts, own, dropped)


def _try(
    plate: Nameplate,
    row: CurrentLogRow,
    seconds: Floats,
    amps: Floats,
    volts: float | None,
    own: tuple[tuple[str, float], ...],
    dropped: float | None,
) -> LogAnalysis | None:
    try:
        return analyse_log(
            plate,
            seconds,
            amps,
            clamp=row.clamp,
            supply_volts=volts,
            own_amps=dict(own),
            called_seconds=row.called_seconds,
            dropped_seconds=dropped,
        )
    except PlentarError:
        return None


def clamp_of(plate: Nameplate, row: CurrentLogRow) -> SimulatedClamp:
    """Return the simulated meter a recording row was set to."""
    set_to = row.settings
    return SimulatedClamp(
        plate=plate,
        clamp=row.clamp,
        faults=tuple(set_to.get("faults", ())),
        seed=int(set_to.get("seed", 1)),
        hertz=2.0,
        called_seconds=row.called_seconds or 5.0,
        dropped_seconds=row.dropped_seconds or 420.0,
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
