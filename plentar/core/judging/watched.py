"""What a run of the stopwatch saw of each stage, as observations: silent, come, each at its own seconds of the call."""

from collections.abc import Sequence

from plentar.core.evidence.reading import Condition
from plentar.core.evidence.runs import TimingRun
from plentar.core.evidence.signs import Observation
from plentar.core.judging.timing import FAN_STAGE, RunVerdict, Stage
from plentar.core.unit.nameplate import Nameplate

__all__ = ["look_at", "seen_by_fan", "seen_by_heat", "silence"]

# Who watches a stage that does not come looks about this often.
SILENT_LOOKS = 6
# Who taps *on* looks on for a while: seen on this much later, and still on.
SEEN_ON_RATIO, SEEN_ON_SECONDS = 1.2, 10.0


def seen_by_heat(plate: Nameplate, stages: Sequence[Stage], seen: TimingRun) -> list[Observation]:
    """Return what a run by the heat call saw come and stay away, each at its own seconds of the call.

    Source:
        docs/trade.md, section 5, patience clock; section 9: a slow stage is silent before its own time and on after it.
    """
    ends = seen.elapsed_seconds if seen.dropped_seconds is None else seen.dropped_seconds
    found = []
    for stage in stages:
        came = seen.on_seconds.get(stage.id)
        # Silent until it came, or for as long as was looked, and on from then.
        found += silence(plate, stage, ends if came is None else came)
        if came is not None:
            found.append(look_at(plate, stage, SEEN_ON_RATIO * came + SEEN_ON_SECONDS, is_on=True))
    return found


def seen_by_fan(plate: Nameplate, seen: TimingRun, judged: RunVerdict) -> list[Observation]:
    """Return what a run by the fan call saw of the blower: that it came, or that it did not in twice its delay.

    Source:
        docs/trade.md, section 1, Blower: a time-delay relay.
    """
    found = []
    for entry in judged.stages:
        came = seen.on_seconds.get(entry.stage.id)
        if came is not None:
            found.append(look_at(plate, entry.stage, SEEN_ON_RATIO * came + SEEN_ON_SECONDS, is_on=True))
        elif entry.on.kind == "did not close":
            found.append(look_at(plate, entry.stage, seen.elapsed_seconds, is_on=False))
    return found


def silence(plate: Nameplate, stage: Stage, seconds: float) -> list[Observation]:
    """Return the looks at a stage that did not come for so long after the call.

    A silence longer than its window was a silence all along: what comes and goes would have shown.
    """
    looks = SILENT_LOOKS if seconds > stage.on.max_seconds else 1
    return [look_at(plate, stage, seconds * look / looks, is_on=False) for look in range(1, looks + 1)]


def look_at(plate: Nameplate, stage: Stage, seconds: float, *, is_on: bool) -> Observation:
    """Return one look at a stage, its call on for so long and nothing switched since."""
    feeds = tuple((feed.id, "live") for feed in plate.feeds)
    condition = Condition(
        feeds=feeds,  # type: ignore[arg-type]
        calls=((stage.call, max(seconds, 0.0)),),
        seconds_since_change=max(seconds, 0.0),
    )
    if stage.id in ("blower", FAN_STAGE):
        return Observation(kind="blower-runs" if is_on else "blower-still", condition=condition)
    return Observation(kind="glows" if is_on else "stays-cold", about=stage.id, condition=condition)
