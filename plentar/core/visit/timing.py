"""The stages of a unit, the runs of the stopwatch and the logs, each with its verdict."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from plentar.core.evidence.events import Event, Logged
from plentar.core.evidence.runs import TimingRun, WatchRun, runs_of
from plentar.core.judging.timing import RunVerdict, Stage, judge_run, stages_of
from plentar.core.judging.timing import fan_stages as stages_of_fan
from plentar.core.message import Text, message
from plentar.core.unit.place import Place, place_of, spot_of
from plentar.core.visit import evidence
from plentar.core.visit.state import VisitState, once

if TYPE_CHECKING:
    from plentar.core.judging.log import LogAnalysis
    from plentar.core.judging.logged import LogQuestion

__all__ = [
    "began_now",
    "control_volts",
    "fan_stages",
    "judge_watch",
    "log_question",
    "logs",
    "logs_and_trials",
    "runs",
    "stages",
    "stages_of_run",
    "watch_runs",
]


def began_now(visit: VisitState, run: WatchRun) -> bool:
    """Tell whether a run of the stopwatch began after the power-on that followed the last change."""
    began, _ = visit.record.epoch
    return began is None or run.called_at > began.done_at


@once
def stages(visit: VisitState) -> tuple[Stage, ...]:
    """The unit's stages."""
    return stages_of(visit.plate, visit.limits)


@once
def fan_stages(visit: VisitState) -> tuple[Stage, ...]:
    """What a fan call alone moves."""
    return stages_of_fan(visit.plate, visit.limits)


def stages_of_run(visit: VisitState, run: WatchRun) -> tuple[Stage, ...]:
    """Return the stages that a run's call moves."""
    return fan_stages(visit) if run.call == "fan" else stages(visit)


@once
def watch_runs(visit: VisitState) -> Sequence[WatchRun]:
    """The stopwatch's runs, oldest first."""
    return runs_of(visit.record.taps)


def control_volts(visit: VisitState, start: float, end: float) -> float | None:
    """Return control volts read between two moments; None where nobody did."""
    found = [
        entry.reading.value
        for entry in evidence.standing(visit)
        if start <= entry.event.done_at <= end
        and entry.reading.function == "volts"
        and any(_is_heat_call(place_of(end)) for end in spot_of(entry.reading.point).places)
    ]
    return found[-1] if found else None


def judge_watch(visit: VisitState, run: WatchRun) -> tuple[TimingRun, RunVerdict]:
    """Return one run of the stopwatch as seen now, and its verdict."""
    end = visit.moment if run.dropped_at is None else run.dropped_at
    seen = run.seen(visit.moment, control_volts(visit, run.called_at, end))
    return seen, judge_run(visit.plate, seen, limits=visit.limits)


@once
def runs(visit: VisitState) -> list[tuple[Text, TimingRun, RunVerdict]]:
    """Timing runs by the stopwatch, judged."""
    return [(message("visit.run", number=run.number), *judge_watch(visit, run)) for run in watch_runs(visit)]


def log_question(visit: VisitState, log: str, action: Logged) -> "LogQuestion":
    """Return what a log is read with: its clamp and call, the volts and amps that were read before it.

    What is read later never changes what a log showed: a strip that is clamped at 0 A once it has failed would be given
    the other's steps.
    """
    from plentar.core.judging.logged import LogQuestion, own_amps, supply_volts

    kept = visit.record.event(log)
    standing = evidence.standing(visit)
    before = [entry.reading for entry in standing if kept is None or entry.event.done_at < kept.done_at]

    return LogQuestion(
        plate=visit.plate,
        log=log,
        clamp=action.clamp,
        called=action.called_seconds,
        dropped=action.dropped_seconds,
        volts=action.supply_volts or supply_volts(visit.plate, action.clamp, before),
        own=tuple(sorted(own_amps(visit.plate, before, visit.limits).items())),
        limits=visit.limits,
    )


@once
def logs(visit: VisitState) -> "list[tuple[Event, Logged, LogAnalysis]]":
    """The unit's logs that are whole, oldest first, with what each shows; none where nobody has their samples."""
    return _analysed(visit, [entry for entry in visit.record.logs if not entry[1].is_trial])


@once
def logs_and_trials(visit: VisitState) -> "list[tuple[Event, Logged, LogAnalysis]]":
    """The same with those of a simulated meter, which are no evidence."""
    return _analysed(visit, visit.record.logs)


def _analysed(visit: VisitState, logs: Sequence[tuple[Event, Logged]]) -> "list[tuple[Event, Logged, LogAnalysis]]":
    whole = [(event, action) for event, action in logs if not action.is_recording]
    if not whole or visit.samples_of is None:
        return []
    from plentar.core.judging.logged import analysed

    found = [(e, action, analysed(log_question(visit, e.id, action), visit.samples_of)) for e, action in whole]
    return [(event, action, analysis) for event, action, analysis in found if analysis is not None]


def _is_heat_call(place: Place) -> bool:
    """Tell whether volts here are what a heat call brings: at the board's W, or at a coil's call side."""
    return str(place) in ("board.w", "board.w2") or (place.part == "coil" and place.end == "1")
