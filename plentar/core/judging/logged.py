"""What a current log says beside its chart: of which strip it is sure, what was seen when, what is to be found."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

from plentar.core.cache import ByteBoundedCache
from plentar.core.errors import PlentarError
from plentar.core.evidence.reading import Reading
from plentar.core.evidence.signs import Observation
from plentar.core.judging.log import LogAnalysis, StageSpan, analyse_log
from plentar.core.judging.log_levels import Floats
from plentar.core.judging.timing import Stage
from plentar.core.judging.watched import look_at, silence
from plentar.core.limits.table import Limits
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import line_volts, spot_of

__all__ = ["LogQuestion", "analysed", "own_amps", "seen_in", "supply_volts", "try_analysis"]

# Below this a feed is dead or lost a leg: no volts to work a strip's amps out with.
LEAST_LINE_VOLTS = 50.0
# Amps on a log are surer than a glance at a glow, which is wrong once in twenty-five: as sure as three of them.
ON_LOOKS = 3
# A strip that comes and goes for an hour says no more than these first turns.
MOST_SPANS = 6


@dataclass(frozen=True, slots=True, kw_only=True)
class LogQuestion:
    """All that an analysis depends on beside the samples, which an id stands for."""

    plate: Nameplate
    log: str
    clamp: str
    called: float | None
    dropped: float | None
    volts: float | None
    own: tuple[tuple[str, float], ...]
    limits: Limits


# An analysed log holds its own samples: a day's of a logging clamp some two megabytes.
_analyses = ByteBoundedCache(12)


def try_analysis(
    ask: LogQuestion, seconds: Floats, amps: Floats, *, dropped: float | None = None, is_open: bool = False
) -> LogAnalysis | None:
    """Return what a log shows, or nothing where there is too little of it.

    Args:
        ask: The unit, the clamp, when the call was made and dropped, volts and amps that were read.
        seconds: Sample times, rising [s]; shape (n,).
        amps: Clamp amps [A]; shape (n,).
        dropped: When the call was dropped so far, for a log that still goes on [s].
        is_open: The log still goes on.
    """
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


def analysed(ask: LogQuestion, samples_of: "Callable[[str], tuple[Floats, Floats]]") -> LogAnalysis | None:
    """Return what a whole log shows; asked again, the same answer. The samples are fetched only the first time."""
    return _analyses.get(ask, lambda: try_analysis(ask, *samples_of(ask.log)))


def supply_volts(plate: Nameplate, clamp: str, readings: Sequence[Reading]) -> float | None:
    """Return the volts last read at the feed behind a clamp, under a heat call where there is such a reading [V]."""
    feed = next((feed.id for feed in plate.feeds if feed.id == clamp), plate.feeds[0].id)
    for circuit in plate.circuits:
        if circuit.id == clamp:
            feed = plate.feed_of(circuit.supplied_by)
    at = [r for r in readings if r.point == line_volts(feed) and r.value > LEAST_LINE_VOLTS]
    under = [reading for reading in at if reading.condition.heat]
    return (under or at)[-1].value if at else None


def own_amps(plate: Nameplate, readings: Sequence[Reading], limits: Limits) -> dict[str, float]:
    """Return the strips' and the blower's own amps by the clamp, where read and alive [A]."""
    found = {spot_of(r.point).part: r.value for r in readings if r.function == "amps"}
    known = {c.id for c in plate.circuits} | {"blower"}
    dead_below = limits.number("dead_below_amps")
    return {name: amps for name, amps in found.items() if name in known and amps >= dead_below}


def seen_in(plate: Nameplate, analysis: LogAnalysis, clamp: str, called: float) -> list[Observation]:
    """Return what a log saw of each strip it is sure of: silent, on, off again, each at its seconds of the call.

    Where strips draw alike only their order tells which is which: then it says while all of them drew, and that
    something comes and goes.

    Args:
        plate: The unit.
        analysis: What the log shows.
        clamp: What the clamp was around.
        called: When the call was made, on the log's clock [s].
    Source:
        docs/trade.md, section 4, steps 9 and 10.
    """
    alike = any(event.kind == "alike" for event in analysis.events)
    held = analysis.run.elapsed_seconds
    ends = called + (held if analysis.run.dropped_seconds is None else analysis.run.dropped_seconds)
    found: list[Observation] = []
    kinds = {event.kind for event in analysis.events}
    if alike:
        found += [
            Observation(kind=sign) for told, sign in (("cycling", "log-cycles"), ("chatter", "clicks")) if told in kinds
        ]
    stages = [entry.stage for entry in analysis.verdict.stages if entry.stage.id != "blower"]
    if alike and clamp not in {stage.id for stage in stages}:
        # Whichever is which: while all of them draw, each of them does.
        stretches = _all_on(analysis, [stage.id for stage in stages], called, ends)[:MOST_SPANS]
        looks = ON_LOOKS if len(stretches) == 1 else 1
        for start, stop in stretches:
            for look in range(1, looks + 1):
                at = start + (stop - start) * look / (looks + 1) - called
                found += [look_at(plate, stage, at, is_on=True) for stage in stages]
    for entry in analysis.verdict.stages:
        if entry.stage.id == "blower" or (alike and clamp != entry.stage.id):
            continue
        own = [s for s in analysis.spans if s.stage == entry.stage.id and s.on_at_seconds <= ends]
        found += _seen_of(plate, entry.stage, own[:MOST_SPANS], called, ends)
    return found


def _all_on(analysis: LogAnalysis, strips: Sequence[str], called: float, ends: float) -> list[tuple[float, float]]:
    """Return the stretches of a call in which every one of some strips draws [s on the log's clock]."""
    moments = (at for span in analysis.spans for at in (span.on_at_seconds, span.off_at_seconds) if at is not None)
    edges = sorted({called, ends, *moments})

    def is_on(strip: str, at: float) -> bool:
        own = (span for span in analysis.spans if span.stage == strip)
        return any(
            span.on_at_seconds <= at < (ends if span.off_at_seconds is None else span.off_at_seconds) for span in own
        )

    within = [(start, stop) for start, stop in pairwise(edges) if called <= start and stop <= ends]
    return [(start, stop) for start, stop in within if all(is_on(strip, (start + stop) / 2) for strip in strips)]


def _seen_of(
    plate: Nameplate, stage: Stage, spans: Sequence[StageSpan], called: float, ends: float
) -> list[Observation]:
    came = spans[0].on_at_seconds if spans else ends
    found = silence(plate, stage, came - called) if came > called else []
    for at, span in enumerate(spans):
        off = min(ends if span.off_at_seconds is None else span.off_at_seconds, ends)
        on = max(span.on_at_seconds, called)
        # One that stays is looked at often; of what comes and goes each turn is a look.
        looks = ON_LOOKS if at == len(spans) - 1 == 0 else 1
        found += [
            look_at(plate, stage, on + (off - on) * look / (looks + 1) - called, is_on=True)
            for look in range(1, looks + 1)
        ]
        if span.off_at_seconds is not None and span.off_at_seconds < ends:
            back = spans[at + 1].on_at_seconds if at + 1 < len(spans) else ends
            found.append(look_at(plate, stage, (span.off_at_seconds + back) / 2 - called, is_on=False))
    return found
