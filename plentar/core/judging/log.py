"""Reading the stages of a heat call out of a logged current: steps, which strip each is, and what they mean together.

A strip is a step up and a step down of its own amps. So the log is cut where the level jumps, each level is its median,
and the most likely story of which strips were on through all levels is found at once, not step by step.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import product

import numpy as np

from plentar.core.errors import ReadingError
from plentar.core.evidence.runs import TimingRun
from plentar.core.judging.log_levels import (
    LEAST_STEP_AMPS,
    MOST_LEVELS,
    Floats,
    Ints,
    coarse,
    find_levels,
    without_inrush,
)
from plentar.core.judging.timing import RunVerdict, Stage, judge_run, stages_of
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Grade
from plentar.core.message import Text, joined, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.points import part_words

__all__ = ["LogAnalysis", "LogFinding", "LogStep", "StageSpan", "analyse_log"]

# Of a strip known by its plate only, and of one whose own amps were clamped or learnt from the log.
PLATE_SPREAD, OWN_SPREAD = 0.06, 0.015
# A sequencer moves once in ten seconds at the soonest; six jumps in four seconds are a contact that chatters.
CHATTER_SECONDS, CHATTER_STEPS = 4.0, 6
# An element settles within a percent once hot: 2 % over two minutes is the supply or a joint that moves.
DRIFT_RATIO, DRIFT_SECONDS = 0.02, 120.0
# Strips nearer to each other than this cannot be told by a step: two of one plate differ by 15 % (docs/trade.md,
# section 3), two that were clamped by what the meter repeats.
LIKE_RATIO_PLATE, LIKE_RATIO_OWN = 0.15, 0.05
# The least of its plate's amps that a motor moves air with.
LEAST_BLOWER_SHARE = 0.4


@dataclass(frozen=True, slots=True, kw_only=True)
class LogStep:
    """One jump: from `before_amps` to `after_amps` between two samples; `changes` names what went on (+) or off (−)."""

    at_seconds: float
    before_amps: float
    after_amps: float
    changes: tuple[str, ...]
    inrush_amps: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class StageSpan:
    """One stretch a stage was on; `off_at_seconds` is None where the log ends first."""

    stage: str
    on_at_seconds: float
    off_at_seconds: float | None
    amps: float


@dataclass(frozen=True, slots=True, kw_only=True)
class LogFinding:
    """Something the log shows: `kind` is missing, cycling, stays on, chatter, drift, unlisted, alike or stage."""

    kind: str
    stage: str
    words: Text
    grade: Grade
    period_seconds: float | None = None
    duty_ratio: float | None = None
    lost_watts: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class LogAnalysis:
    """What one log shows. Levels have shape (k,); level i lasts from `edges[i]` to `edges[i + 1]` [s]."""

    edges: Floats
    levels: Floats
    steps: tuple[LogStep, ...]
    spans: tuple[StageSpan, ...]
    events: tuple[LogFinding, ...]
    run: TimingRun
    verdict: RunVerdict
    noise_amps: float
    samples: int
    missing: int
    expected_amps: Mapping[str, float] = field(default_factory=dict)


def analyse_log(
    plate: Nameplate,
    seconds: Floats,
    amps: Floats,
    *,
    clamp: str = "",
    supply_volts: float | None = None,
    own_amps: Mapping[str, float] | None = None,
    called_seconds: float | None = None,
    dropped_seconds: float | None = None,
    control_volts: float | None = None,
    limits: Limits = DEFAULT_LIMITS,
) -> LogAnalysis:
    """Find a log's stages and judge them.

    Args:
        plate: The unit.
        seconds: Sample times, rising, irregular or with gaps [s]; shape (n,).
        amps: Clamp amps [A]; shape (n,); not-a-number where the meter dropped out.
        clamp: What the clamp was around: a feed, a strip, or `blower`; the first feed by default.
        supply_volts: Volts found at the unit under load [V]; nominal where not given.
        own_amps: Strips' own amps from the clamp, at these volts [A].
        called_seconds: When heat was called, on the log's clock [s]; its first sample where not given.
        dropped_seconds: When the call was dropped [s]; None while it stood to the end.
        control_volts: Control voltage during the run [V].
        limits: The shop's limits.
    Raises:
        ReadingError: Fewer than three samples, times that do not rise, a clamp the unit does not have.
    Source:
        docs/trade.md, section 3, pole times and order; how steps are told from noise, docs/architecture.md.
    """
    seconds, amps = np.asarray(seconds, dtype=float), np.asarray(amps, dtype=float)
    if seconds.shape != amps.shape or seconds.ndim != 1:
        raise ReadingError("expected one amps value for each time", field="log")
    # A meter that dropped out leaves gaps, not zeros.
    is_there = np.isfinite(amps) & np.isfinite(seconds)
    missing = int(seconds.size - is_there.sum())
    seconds, amps = seconds[is_there], amps[is_there]
    if seconds.size < 3:
        raise ReadingError(f"expected at least three samples, got {seconds.size}", field="log")
    if np.any(np.diff(seconds) <= 0):
        at = int(np.argmax(np.diff(seconds) <= 0)) + 2
        raise ReadingError(f"time does not rise at sample {at}", field="seconds")
    seen = _seen(plate, clamp or plate.feeds[0].id)
    volts = supply_volts or plate.nominal_volts
    starts, levels, noise = find_levels(seconds, amps)
    # Counted before it is made coarser: what jumps this often is itself a finding.
    jumps = levels.size
    if jumps > MOST_LEVELS:
        seconds, amps = coarse(seconds, amps)
        starts, levels, noise = find_levels(seconds, amps)
    drifts = _drifts(seconds, amps, starts, levels, noise)
    edges = np.append(seconds[starts], seconds[-1])
    edges, levels, inrush = without_inrush(edges, levels, plate.blower.rated_amps if "blower" in seen else 0.0)
    story = _Story(plate, seen, volts, own_amps or {}, noise, limits)
    path = story.best(levels)
    learnt = story.learn(levels, path)
    if learnt:
        path = story.best(levels)
    steps = _steps(story, edges, levels, path, inrush)
    spans = _spans(story, edges, levels, path)
    called = float(seconds[0]) if called_seconds is None else called_seconds

    def judged(found: Sequence[StageSpan]) -> tuple[TimingRun, RunVerdict]:
        run = _run(found, called, dropped_seconds, float(seconds[-1]), control_volts)
        return run, judge_run(plate, run, only=judgeable, limits=limits)

    is_hidden = story.hides_blower(spans)
    judgeable = tuple(name for name in seen if name != "blower" or not is_hidden)
    named = [(found, *judged(found)) for found in _namings(story, spans, called)]
    spans, run, verdict = min(named, key=lambda naming: _severity(naming[2]))
    stages = {stage.id: stage for stage in stages_of(plate, limits)}
    events = _events(story, spans, steps, run, stages, called)
    events = _slow(plate, verdict) + events + drifts
    if is_hidden:
        words = message("log.blower-may-be-hidden")
        events.append(LogFinding(kind="blower unseen", stage="blower", words=words, grade=Grade.NOT_PROVEN))
    if jumps > MOST_LEVELS and not any(event.kind == "chatter" for event in events):
        words = message("log.current-jumps-times-something-chatters", jumps=jumps)
        events.append(LogFinding(kind="chatter", stage="", words=words, grade=Grade.FAIL))
    return LogAnalysis(
        edges=edges,
        levels=levels,
        steps=tuple(steps),
        spans=tuple(spans),
        events=tuple(events),
        run=run,
        verdict=verdict,
        noise_amps=noise,
        samples=int(seconds.size),
        missing=missing,
        expected_amps=dict(zip(story.names, story.amps.tolist(), strict=True)),
    )


def _seen(plate: Nameplate, clamp: str) -> tuple[str, ...]:
    """Return the stages whose current passes a clamp."""
    strips = [circuit.id for circuit in plate.circuits]
    if clamp in strips or clamp == "blower":
        return (clamp,)
    if clamp not in {feed.id for feed in plate.feeds}:
        places = ", ".join([feed.id for feed in plate.feeds] + strips + ["blower"])
        raise ReadingError(f"expected the clamp around one of {places}, got {clamp!r}", field="clamp")
    found = [c.id for c in plate.circuits_on(clamp)]
    if plate.feed_of(plate.blower.supplied_by) == clamp:
        found.append("blower")
    return tuple(found)


class _Story:
    """Which stages could be on, what a clamp would show for each set of them, and the likeliest sequence of sets."""

    def __init__(
        self,
        plate: Nameplate,
        seen: Sequence[str],
        volts: float,
        own_amps: Mapping[str, float],
        noise: float,
        limits: Limits,
    ) -> None:
        order = [stage.id for stage in stages_of(plate, limits) if stage.id != "blower" and stage.id in seen]
        self.plate, self.noise, self.volts = plate, noise, volts
        # A motor's current is out of step with a strip's.
        self.power_factor = plate.blower.power_factor
        self.names = [*order, "blower"] if "blower" in seen else order
        self.has_blower = "blower" in seen
        relay = plate.blower.relay
        landed = {contact.nc for contact in relay.contacts} if relay is not None else set()
        self.sources = [i for i, name in enumerate(order) if name in landed]
        circuits = {circuit.id: circuit for circuit in plate.circuits}
        # Clamped amps beat ohms of the plate at these volts.
        amps = [own_amps.get(name, volts / circuits[name].element_ohms) for name in order]
        spread = [OWN_SPREAD if name in own_amps else PLATE_SPREAD for name in order]
        if self.has_blower:
            amps.append(own_amps.get("blower", plate.blower.running_amps))
            spread.append(0.08 if "blower" in own_amps else 0.3)
        self.amps, self.spread = np.array(amps), np.array(spread)
        # Every set of stages: six strips and a blower are 128.
        self.states = np.array(list(product((0, 1), repeat=len(self.names))), dtype=np.int64)
        self._prepare()

    def _prepare(self) -> None:
        strips = self.amps[: len(self.amps) - self.has_blower]
        resistive = self.states[:, : strips.size] @ strips
        motor = self.amps[-1] * self.states[:, -1] if self.has_blower else np.zeros(len(self.states))
        # Amps out of step add as sides of a triangle, not as numbers.
        in_phase = resistive + motor * self.power_factor
        self.shown = np.hypot(in_phase, motor * math.sqrt(1 - self.power_factor**2))
        width = self.spread * self.amps
        self.level_width = np.sqrt(self.states @ width**2 + 0.5**2 + self.noise**2)
        flips = self.states[:, None, :] ^ self.states[None, :, :]
        self.step = self.shown[None, :] - self.shown[:, None]
        self.step_width = np.sqrt(flips @ width**2 + 2 * self.noise**2 / 3 + 0.15**2)
        count = flips.sum(axis=2)
        # Things mostly move one at a time; two at once is possible and costs.
        self.change_cost = 1.2 * count + 1.5 * np.maximum(count - 1, 0) + self._order_cost()
        self.state_cost = np.zeros(len(self.states))
        if self.has_blower:
            # A blower that starts or stops together with the strip its NC is landed on is how an interlock works.
            carried = self.states[:, self.sources].max(axis=1) if self.sources else self.states[:, -1]
            with_source = flips[:, :, self.sources].max(axis=2) if self.sources else np.ones_like(count)
            together = (flips[:, :, -1] == 1) & (count == 2)
            self.change_cost -= np.where(together & (with_source == 1), 2.7, 0.0)
            self.state_cost += 1.5 * (self.states[:, -1] != carried)

    def _order_cost(self) -> Floats:
        """A like strip that comes before an earlier one, or goes after a later one, is a little less likely."""
        n, cost = len(self.states), np.zeros((len(self.states), len(self.states)))
        last = len(self.names) - self.has_blower
        for early in range(last):
            for late in range(early + 1, last):
                on_late = (self.states[:, late][None, :] - self.states[:, late][:, None]) == 1
                off_early = (self.states[:, early][None, :] - self.states[:, early][:, None]) == -1
                cost += 0.4 * (on_late & (self.states[:, early][None, :] == 0))
                cost += 0.4 * (off_early & (self.states[:, late][None, :] == 1))
        return cost.reshape(n, n)

    def best(self, levels: Floats) -> Ints:
        """Return the likeliest state of each level: least misfit of levels and steps, fewest changes."""
        # Capped, so that one level nothing explains does not decide the whole story.
        misfit = np.minimum(0.5 * ((levels[:, None] - self.shown[None, :]) / self.level_width[None, :]) ** 2, 25.0)
        misfit += self.state_cost
        # A log mostly begins with everything off.
        total = misfit[0] + 0.6 * self.states.sum(axis=1) * (levels[0] < LEAST_STEP_AMPS)
        back = np.zeros((levels.size, len(self.states)), dtype=np.int64)
        for i in range(1, levels.size):
            jump = np.minimum(0.5 * ((levels[i] - levels[i - 1] - self.step) / self.step_width) ** 2, 25.0)
            whole = total[:, None] + jump + np.log(self.step_width) + self.change_cost
            back[i] = np.argmin(whole, axis=0)
            total = whole[back[i], np.arange(len(self.states))] + 0.3 * misfit[i]
        path = np.zeros(levels.size, dtype=np.int64)
        path[-1] = int(np.argmin(total))
        for i in range(levels.size - 1, 0, -1):
            path[i - 1] = back[i, path[i]]
        return path

    def learn(self, levels: Floats, path: Ints) -> bool:
        """Take strips' own amps from the steps that only one strip made; tell whether anything was learnt."""
        if self._learn_supply(levels, path):
            self._prepare()
            path = self.best(levels)
        own: dict[int, list[float]] = {}
        for i in range(1, levels.size):
            flips = np.nonzero(self.states[path[i - 1]] != self.states[path[i]])[0]
            # Only a step that one stage made alone tells that stage's amps.
            if flips.size == 1:
                own.setdefault(int(flips[0]), []).append(abs(float(levels[i] - levels[i - 1])))
        is_new = False
        for index, steps in own.items():
            is_motor = self.has_blower and index == len(self.names) - 1
            found = float(np.median(steps))
            # Twice, on and off: once could be two strips in one sample.
            if len(steps) >= 2 and not is_motor and self.spread[index] > OWN_SPREAD and found > LEAST_STEP_AMPS:
                self.amps[index], self.spread[index] = found, 0.02
                is_new = True
        is_new |= self._learn_motor(levels, path)
        if is_new:
            self._prepare()
        return is_new

    def _learn_supply(self, levels: Floats, path: Ints) -> bool:
        """Scale all strips by what the supply really is under load, from the level at which most of them are on."""
        strips = len(self.names) - self.has_blower
        on = self.states[path][:, :strips].sum(axis=1)
        if not strips or on.max() == 0:
            return False
        most = [i for i in range(levels.size) if on[i] == on.max()]
        sums = self.states[path[most]][:, :strips] @ self.amps[:strips]
        motor = self.amps[-1] * self.states[path[most], -1] if self.has_blower else np.zeros(len(most))
        # What is left of a level once the motor's part, out of step, is taken off.
        square = levels[most] ** 2 - (motor * math.sqrt(1 - self.power_factor**2)) ** 2
        resistive = np.sqrt(np.maximum(square, 0)) - self.power_factor * motor
        ratio = float(np.median(resistive / sums))
        # Beyond what supplies do it is no supply but a wrong story.
        if not 0.85 <= ratio <= 1.12:
            return False
        self.amps[:strips] *= ratio
        return True

    def _learn_motor(self, levels: Floats, path: Ints) -> bool:
        """Take the blower's amps from the level at which most strips are on: their order does not matter there."""
        if not self.has_blower or self.spread[-1] < 0.1 or max(self.spread[:-1], default=1.0) > 0.03:
            return False
        full = [i for i in range(levels.size) if self.states[path[i]].all()]
        if not full:
            return False
        level, strips = float(np.median(levels[full])), float(self.amps[:-1].sum())
        inside = (strips * self.power_factor) ** 2 - strips**2 + level**2
        found = math.sqrt(inside) - strips * self.power_factor if inside > 0 else 0.0
        # Less or more is not this motor, whatever fits the sum.
        if not 0.4 * self.amps[-1] < found < 1.7 * self.amps[-1]:
            return False
        self.amps[-1], self.spread[-1] = found, 0.1
        return True

    def like_pairs(self) -> list[tuple[str, str]]:
        """Return the strips that draw so alike that only their order tells which is which."""
        count = len(self.names) - self.has_blower
        pairs = []
        for a in range(count):
            for b in range(a + 1, count):
                known = max(self.spread[a], self.spread[b]) < PLATE_SPREAD
                ratio = abs(self.amps[a] - self.amps[b]) / max(self.amps[a], self.amps[b], 1e-9)
                if ratio < (LIKE_RATIO_OWN if known else LIKE_RATIO_PLATE):
                    pairs.append((self.names[a], self.names[b]))
        return pairs

    def hides_blower(self, spans: Sequence[StageSpan]) -> bool:
        """Tell whether a blower that shows no step of its own may have come with a strip, inside its tolerance.

        Source:
            docs/trade.md, section 1: a blower draws 0.4 of its plate's amps or more, and starts with the strip its NC
            is landed on.
        """
        stages = {span.stage for span in spans}
        if not self.has_blower or not stages or "blower" in stages:
            return False
        widest = float(max(self.spread[:-1] * self.amps[:-1]))
        return LEAST_BLOWER_SHARE * self.plate.blower.rated_amps * self.power_factor < 2 * widest

    def names_of(self, before: int, after: int) -> tuple[str, ...]:
        """Return what changed between two states: `+strip-a`, `-blower`."""
        change = self.states[after] - self.states[before]
        return tuple(f"{'+' if d > 0 else '-'}{name}" for name, d in zip(self.names, change.tolist(), strict=True) if d)


def _namings(story: _Story, spans: Sequence[StageSpan], called: float) -> list[list[StageSpan]]:
    """Return the spans as they are named, then with two like strips' names exchanged: order alone tells them apart.

    The first that fits the windows best is taken, so that no strip is called late, or exchanged with another, where the
    other naming makes both sound. Only strips that each came once, and both went or both stayed, are exchanged: what
    stays on or comes and goes is told by more than its order.
    """
    found = [list(spans)]
    for one, other in story.like_pairs():
        own = [span for span in spans if span.stage in (one, other)]
        if len({span.stage for span in own}) != 2 or len(own) != 2 or any(s.on_at_seconds < called for s in own):
            continue
        if len({span.off_at_seconds is None for span in own}) != 1:
            continue
        names = {one: other, other: one}
        found.append([replace(span, stage=names.get(span.stage, span.stage)) for span in spans])
    return found


def _severity(verdict: RunVerdict) -> int:
    """Return how much of a run is not as it should be: times first, their order as well."""
    times = (
        judged.grade.severity for entry in verdict.stages for judged in (entry.on, entry.off) if judged is not None
    )
    return sum(times) + sum(note.grade.severity for note in verdict.order)


def _steps(story: _Story, edges: Floats, levels: Floats, path: Ints, inrush: Mapping[int, float]) -> list[LogStep]:
    return [
        LogStep(
            at_seconds=float(edges[i]),
            before_amps=float(levels[i - 1]),
            after_amps=float(levels[i]),
            changes=story.names_of(int(path[i - 1]), int(path[i])),
            inrush_amps=float(inrush.get(i, 0.0)),
        )
        for i in range(1, levels.size)
    ]


def _spans(story: _Story, edges: Floats, levels: Floats, path: Ints) -> list[StageSpan]:
    spans = []
    for index, name in enumerate(story.names):
        on = story.states[path, index]
        rises = np.nonzero(np.diff(np.concatenate([[0], on])) == 1)[0]
        falls = np.nonzero(np.diff(np.concatenate([on, [0]])) == -1)[0]
        for start, stop in zip(rises.tolist(), falls.tolist(), strict=True):
            ends = None if stop == levels.size - 1 else float(edges[stop + 1])
            spans.append(
                StageSpan(
                    stage=name, on_at_seconds=float(edges[start]), off_at_seconds=ends, amps=float(story.amps[index])
                )
            )
    return sorted(spans, key=lambda span: (span.on_at_seconds, span.stage))


def _run(
    spans: Sequence[StageSpan], called: float, dropped: float | None, end: float, control_volts: float | None
) -> TimingRun:
    on: dict[str, float] = {}
    off: dict[str, float] = {}
    for span in spans:
        if span.on_at_seconds >= called and (dropped is None or span.on_at_seconds <= dropped):
            on.setdefault(span.stage, span.on_at_seconds - called)
        elif span.on_at_seconds < called:
            on.setdefault(span.stage, 0.0)
        if dropped is not None and span.off_at_seconds is not None and span.off_at_seconds >= dropped:
            off[span.stage] = span.off_at_seconds - dropped
    return TimingRun(
        elapsed_seconds=max(0.0, end - called),
        on_seconds=on,
        off_seconds=off,
        dropped_seconds=None if dropped is None else max(0.0, dropped - called),
        control_volts=control_volts,
    )


def _events(
    story: _Story,
    spans: Sequence[StageSpan],
    steps: Sequence[LogStep],
    run: TimingRun,
    stages: Mapping[str, Stage],
    called: float,
) -> list[LogFinding]:
    events = []
    for name in story.names:
        own = [span for span in spans if span.stage == name]
        events += _stage_events(story, stages[name], own, run, called)
    events += _unlisted(story, steps)
    events += _alike(story)
    return events


def _stage_events(
    story: _Story, stage: Stage, own: Sequence[StageSpan], run: TimingRun, called: float
) -> list[LogFinding]:
    """What one stage's spans tell: never came, was on before, came and went, stays on."""
    held = run.elapsed_seconds if run.dropped_seconds is None else run.dropped_seconds
    if not own:
        # Missing only once it is long overdue; a short call shows nothing.
        if held >= stage.did_not_close_seconds and stage.id != "blower":
            words = message(
                "log.never-came-s-window-ends", stage=stage.name, held=held, max_seconds=stage.on_window.max_seconds
            )
            return [LogFinding(kind="missing", stage=stage.id, words=words, grade=Grade.FAIL)]
        return []
    found = []
    if own[0].on_at_seconds < called - 1.0 and stage.id != "blower":
        words = message("log.was-before-call", stage=stage.name)
        found.append(LogFinding(kind="stays on", stage=stage.id, words=words, grade=Grade.FAIL))
    end_of_call = called + held
    within = [span for span in own if span.on_at_seconds <= end_of_call]
    quick = [s for s in within if s.off_at_seconds is not None and s.off_at_seconds - s.on_at_seconds < CHATTER_SECONDS]
    if len(quick) >= CHATTER_STEPS // 2:
        words = message("log.makes-breaks-times-within-seconds", stage=stage.name, count=len(quick))
        found.append(LogFinding(kind="chatter", stage=stage.id, words=words, grade=Grade.FAIL))
    elif len(within) >= 2 and stage.id != "blower":
        found.append(_cycling(story, stage, within, end_of_call))
    elif within and within[-1].off_at_seconds is not None and within[-1].off_at_seconds < end_of_call - 2.0:
        words = message(
            "log.dropped-out-s-after-call", stage=stage.name, off_at_seconds=within[-1].off_at_seconds - called
        )
        found.append(LogFinding(kind="dropped out", stage=stage.id, words=words, grade=Grade.FAIL))
    if run.dropped_seconds is not None and own[-1].off_at_seconds is None and stage.id != "blower":
        left = run.elapsed_seconds - run.dropped_seconds
        # Twice its off window: no disc cools that slowly.
        if left >= 2 * stage.off_window.max_seconds:
            words = message("log.still-draws-s-after-call", stage=stage.name, left=left)
            found.append(LogFinding(kind="stays on", stage=stage.id, words=words, grade=Grade.FAIL))
    return found


def _cycling(story: _Story, stage: Stage, spans: Sequence[StageSpan], end_of_call: float) -> LogFinding:
    """A strip that drops out and returns by itself: period, share of time on, what that costs in heat."""
    starts = [span.on_at_seconds for span in spans]
    period = (starts[-1] - starts[0]) / (len(starts) - 1)
    on = sum(min(span.off_at_seconds or end_of_call, end_of_call) - span.on_at_seconds for span in spans[:-1])
    duty = on / (starts[-1] - starts[0])
    watts = spans[0].amps * story.volts
    words = message(
        "log.drops-out-comes-back-itself",
        stage=stage.name,
        count=len(spans) - 1,
        period=period,
        percent=100 * duty,
        lost_watts=(1 - duty) * watts,
    )
    return LogFinding(
        kind="cycling",
        stage=stage.id,
        words=words,
        grade=Grade.FAIL,
        period_seconds=period,
        duty_ratio=duty,
        lost_watts=(1 - duty) * watts,
    )


def _slow(plate: Nameplate, verdict: RunVerdict) -> list[LogFinding]:
    """Name a sequencer whose every seen pole came late, instead of each pole by itself."""
    on = {entry.stage.id: entry.on for entry in verdict.stages}
    events = []
    for device in plate.devices:
        own = [circuit for circuit in plate.circuits if circuit.device == device.id and circuit.id in on]
        if device.of_kind.is_thermal and own and all(on[circuit.id].kind == "late" for circuit in own):
            times = joined(
                (message("log.s", circuit=circuit.name, seconds=on[circuit.id].value) for circuit in own), "comma"
            )
            worst = max((on[circuit.id].grade for circuit in own), key=lambda grade: grade.severity)
            words = message("log.slow", part=part_words(device.id), times=times)
            events.append(LogFinding(kind="slow", stage=device.id, words=words, grade=worst))
    return events


def _unlisted(story: _Story, steps: Sequence[LogStep]) -> list[LogFinding]:
    """Steps that no strip of the unit makes."""
    strange = [step for step in steps if abs(step.after_amps - step.before_amps) > 2.5 and not step.changes]
    if not strange:
        return []
    first = strange[0]
    amps, more = first.after_amps - first.before_amps, len(strange) - 1
    reason = "log.steps-fit-no-strip" if more else "log.step-fits-no-strip"
    words = message(reason, amps=amps, at_seconds=first.at_seconds, count=more)
    return [LogFinding(kind="unlisted", stage="", words=words, grade=Grade.MARGINAL)]


def _alike(story: _Story) -> list[LogFinding]:
    """Say where strips draw so alike that only their order tells which is which."""
    pairs = [
        message("log.and", strip=part_words(one), other_strip=part_words(other)) for one, other in story.like_pairs()
    ]
    if not pairs:
        return []
    words = message("log.draw-alike-which-which-goes", pairs=joined(pairs[:3], "semicolon"))
    return [LogFinding(kind="alike", stage="", words=words, grade=Grade.NOT_PROVEN)]


def _drifts(seconds: Floats, amps: Floats, starts: Ints, levels: Floats, noise: float) -> list[LogFinding]:
    """Levels that creep: a hot joint or a sagging supply."""
    events = []
    for start, stop, level in zip(starts.tolist(), [*starts[1:].tolist(), amps.size], levels.tolist(), strict=True):
        lasts = seconds[stop - 1] - seconds[start]
        if lasts < DRIFT_SECONDS or level < 5.0 or stop - start < 20:
            continue
        third = (stop - start) // 3
        change = float(np.mean(amps[stop - third : stop]) - np.mean(amps[start : start + third])) * 1.5
        if abs(change) > DRIFT_RATIO * level and abs(change) > 6 * noise / math.sqrt(third):
            words = message("log.creeps-over-s-joint-warms", level=level, change=change, lasts=lasts)
            events.append(LogFinding(kind="drift", stage="", words=words, grade=Grade.MARGINAL))
    return events[:3]
