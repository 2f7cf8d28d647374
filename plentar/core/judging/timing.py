"""Timing the stages of a heat call: windows, patience, order, and what makes a run prove nothing.

Seconds on count from the moment the call was made, seconds off from the moment it was dropped.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from plentar.core.evidence.runs import TimingRun
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Band, Grade, Verdict
from plentar.core.limits.windows import AT_ONCE, Patience, closing, opening
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate, Window
from plentar.core.unit.points import part_words

__all__ = [
    "FAN_STAGE",
    "OrderNote",
    "RunVerdict",
    "Stage",
    "StageVerdict",
    "fan_stages",
    "judge_off",
    "judge_on",
    "judge_run",
    "stages_of",
]
# The blower as the fan call moves it: another stage than the one that heat brings.
FAN_STAGE = "blower-fan"
# Delays made by a resistor and a capacitor keep their time to a fifth; who watches taps two seconds off.
DELAY_SHARE, TAP_SECONDS = 0.2, 2.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Stage:
    """One thing that comes on and goes off: a strip or the blower, with its windows and where they are from."""

    id: str
    name: str
    call: str
    on: Patience
    off: Patience

    @property
    def on_window(self) -> Window:
        """The seconds after the call in which it is to come [s]."""
        return Window(min_seconds=self.on.min_seconds, max_seconds=self.on.max_seconds)

    @property
    def off_window(self) -> Window:
        """The seconds after the call's end in which it is to go [s]."""
        return Window(min_seconds=self.off.min_seconds, max_seconds=self.off.max_seconds)

    @property
    def source(self) -> str:
        """Who set its windows."""
        return self.on.source

    @property
    def late_seconds(self) -> float:
        """From here on it is late [s]."""
        return self.on.late_seconds

    @property
    def did_not_close_seconds(self) -> float:
        """From here on it counts as never coming [s]."""
        return self.on.never_seconds


@dataclass(frozen=True, slots=True, kw_only=True)
class StageVerdict:
    """One stage's on-time and off-time, judged; None for what cannot be said anything about."""

    stage: Stage
    on: Verdict
    off: Verdict | None


@dataclass(frozen=True, slots=True, kw_only=True)
class OrderNote:
    """One finding about the order of things."""

    grade: Grade
    words: Text


@dataclass(frozen=True, slots=True, kw_only=True)
class RunVerdict:
    """A whole run, judged."""

    stages: tuple[StageVerdict, ...]
    order: tuple[OrderNote, ...]
    not_proven_because: Text = ""

    @property
    def grade(self) -> Grade:
        """The whole run in one word, for every page and paper: its worst, or not proven where it proves nothing."""
        if self.not_proven_because:
            return Grade.NOT_PROVEN
        grades = [verdict.grade for entry in self.stages for verdict in (entry.on, entry.off) if verdict is not None]
        grades += [note.grade for note in self.order]
        return next((g for g in (Grade.FAIL, Grade.NOT_PROVEN, Grade.MARGINAL) if g in grades), Grade.PASS)

    @property
    def is_good(self) -> bool:
        """True when every stage came in its window and nothing was out of order; what is marginal may be lived with."""
        return self.grade in (Grade.PASS, Grade.MARGINAL) and all(e.on.grade is Grade.PASS for e in self.stages)


def stages_of(plate: Nameplate, limits: Limits = DEFAULT_LIMITS) -> tuple[Stage, ...]:
    """Return the unit's stages, blower first, then strips in the order of their windows.

    Chained stages add up both ways: the auxiliary pole feeds the next heater, and lets it cool only when it opens.

    Source:
        docs/trade.md, section 1, What switches it: chained stages add up.
    """
    strips = []
    for circuit in plate.circuits:
        device = plate.device(circuit.device)
        poles = [device.pole(number) for number in circuit.poles]
        # A circuit draws once the later of its poles has closed, until the earlier one opens.
        on = [closing(plate, device.id, pole, limits) for pole in poles]
        off = [opening(plate, device.id, pole, limits) for pole in poles]
        strips.append(
            Stage(
                id=circuit.id,
                name=circuit.name,
                call=plate.call_of(device.id),
                on=max(on, key=lambda window: window.max_seconds),
                off=min(off, key=lambda window: window.max_seconds),
            )
        )
    # In the order they should come, which is how a person watches them.
    strips.sort(key=lambda stage: (stage.on.max_seconds, stage.on.min_seconds))
    return (_blower_stage(plate, strips, limits), *strips)


def _blower_stage(plate: Nameplate, strips: Sequence[Stage], limits: Limits) -> Stage:
    blower = plate.blower
    first, call = strips[0], strips[0].call
    if blower.kind == "ecm":
        # An electronic motor that the heat call does not reach can only follow the strips some other way.
        told = call in blower.ecm_calls
        on, off = (_at_once("nameplate"), _at_once("nameplate")) if told else (first.on, first.on)
    elif blower.switched_by is not None:
        pole = plate.device(blower.switched_by).pole(blower.switched_by_pole)
        on = closing(plate, blower.switched_by, pole, limits)
        off = opening(plate, blower.switched_by, pole, limits)
    else:
        # Through NC of the interlock it is carried by the pole of the strip it is landed on.
        landed = {contact.nc for contact in blower.relay.contacts} if blower.relay else set()
        source = next((stage for stage in strips if stage.id in landed), first)
        on, off = source.on, source.off
    return Stage(id="blower", name="Blower", call=call, on=on, off=off)


def fan_stages(plate: Nameplate, limits: Limits = DEFAULT_LIMITS) -> tuple[Stage, ...]:
    """Return what a fan call alone moves: the blower, by the delays printed on its relay; nothing of a motor without.

    A relay without delays moves at once. Two seconds each way are the person's who sees it and taps.

    Source:
        docs/trade.md, section 1, Blower: a time-delay relay, delay on a few seconds, delay off one to two minutes.
    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> [stage] = fan_stages(PATTERNS["two-strip-ac-relay"]())
        >>> stage.off.min_seconds, stage.off.max_seconds, stage.off.source
        (70.0, 110.0, 'nameplate')
    """
    relay = plate.blower.relay
    if relay is None:
        return ()
    on, off = _delay(relay.on_delay_seconds, limits), _delay(relay.off_delay_seconds, limits)
    return (Stage(id=FAN_STAGE, name=f"Blower, {relay.fed_by}", call=relay.fed_by, on=on, off=off),)


def _delay(seconds: float, limits: Limits) -> Patience:
    """Return when a printed delay is kept [s]: electronics by RC keep it to a fifth, and a person taps 2 s off."""
    if seconds == 0:
        return _at_once("nameplate")
    latest = (1 + DELAY_SHARE) * seconds + TAP_SECONDS
    return Patience(
        min_seconds=max(0.0, (1 - DELAY_SHARE) * seconds - TAP_SECONDS),
        max_seconds=latest,
        late_seconds=limits.number("late_ratio") * latest,
        never_seconds=limits.number("never_ratio") * latest,
        source="nameplate",
    )


def _at_once(source: str) -> Patience:
    return Patience(
        min_seconds=AT_ONCE.min_seconds,
        max_seconds=AT_ONCE.max_seconds,
        # What moves at once is never merely late.
        late_seconds=AT_ONCE.max_seconds,
        never_seconds=2 * AT_ONCE.max_seconds,
        source=source,
    )


def judge_on(stage: Stage, seconds: float | None, elapsed_seconds: float) -> Verdict:
    """Judge when a stage came on, or what its silence means so far.

    Args:
        stage: The stage.
        seconds: From the call to its current [s]; None while it has not come.
        elapsed_seconds: How long the call has been on [s].
    Source:
        docs/trade.md, section 3, pole on-time, and section 5, patience clock.
    Example:
        >>> window = Patience(
        ...     min_seconds=15, max_seconds=90, late_seconds=108, never_seconds=180, source="nameplate")
        >>> stage = Stage(id="strip-b", name="Strip B", call="W", on=window, off=window)
        >>> [judge_on(stage, s, 200).kind for s in (10.0, 60.0, 100.0, 120.0, None)]
        ['early', '', 'late', 'late', 'did not close']
        >>> judge_on(stage, None, 45.0).next_step
        Message(id='timing.wait-s-more', figures=(('left_seconds', 45.0),))
    """
    window = stage.on
    # What has not come yet is judged by how long it has not.
    at = elapsed_seconds if seconds is None else seconds
    base = _base(
        stage,
        window,
        at,
        message("timing.s-window-s", stage=stage.name, min_seconds=window.min_seconds, max_seconds=window.max_seconds),
    )
    if seconds is None and at < window.max_seconds:
        left = message("timing.wait-s-more", left_seconds=window.max_seconds - at)
        return replace(base, grade=Grade.NOT_PROVEN, kind="waiting", next_step=left)
    # Silent for twice its window: no disc is that slow, it does not close. One that did come is late, however late.
    if seconds is None and at >= window.never_seconds and window.max_seconds > 0:
        return replace(base, grade=Grade.FAIL, kind="did not close")
    return _timed(base, window, at)


def _base(stage: Stage, window: Patience, at: float, because: Text) -> Verdict:
    band = Band(
        marginal_low=0.0,
        pass_low=window.min_seconds,
        pass_high=window.max_seconds,
        marginal_high=max(window.late_seconds, window.max_seconds),
        source=window.source,
    )
    return Verdict(grade=Grade.PASS, value=at, uncertainty=0.0, unit="s", band=band, because=because)


def _timed(base: Verdict, window: Patience, at: float) -> Verdict:
    """Judge a movement that was seen: inside its window, late, or early."""
    # Late first, then marginal, then early: the bands lie inside each other.
    if at > window.late_seconds:
        return replace(base, grade=Grade.FAIL, kind="late")
    if at > window.max_seconds:
        return replace(base, grade=Grade.MARGINAL, kind="late")
    if at < window.min_seconds:
        return replace(base, grade=Grade.MARGINAL, kind="early")
    return base


def judge_off(
    stage: Stage,
    seconds: float | None,
    since_drop_seconds: float,
    energised_seconds: float,
    limits: Limits = DEFAULT_LIMITS,
) -> Verdict:
    """Judge when a stage went off, or what its staying on means.

    Args:
        stage: The stage.
        seconds: From dropping the call to its last current [s]; None while it still runs.
        since_drop_seconds: How long ago the call was dropped [s].
        energised_seconds: How long the call had been on before [s]; below five minutes nothing is proven.
        limits: The shop's limits.
    Source:
        docs/trade.md, section 3, pole off-time.
    """
    window = stage.off
    at = since_drop_seconds if seconds is None else seconds
    words = message(
        "timing.goes-off-s-after-call", stage=stage.name, min_seconds=window.min_seconds, max_seconds=window.max_seconds
    )
    base = _base(stage, window, at, words)
    # Still on long after any disc has cooled: stuck, even after a call too short to prove anything else.
    if seconds is None and at >= window.never_seconds:
        step = message("timing.take-every-call-away-there")
        return replace(base, grade=Grade.FAIL, kind="stuck", next_step=step)
    # A disc that never got hot lets go early; only a full warm-up times it.
    if energised_seconds < limits.number("energised_seconds"):
        words = message("timing.called-s-only-heater-not", energised_seconds=energised_seconds)
        return replace(base, grade=Grade.NOT_PROVEN, kind="", because=words, band=None)
    if seconds is None and at <= window.max_seconds:
        return replace(base, grade=Grade.NOT_PROVEN, kind="waiting")
    return _timed(base, window, at)


def judge_run(
    plate: Nameplate, run: TimingRun, *, only: Sequence[str] = (), limits: Limits = DEFAULT_LIMITS
) -> RunVerdict:
    """Judge a run: each stage on and off, the order, and whether the run proves anything.

    Args:
        plate: The unit.
        run: What was seen.
        only: Stages the run could see, such as those on one feed; all by default.
        limits: The shop's limits.
    Source:
        docs/trade.md, section 3, pole on-time, off-time and Order.
    """
    is_fan = run.call == "fan"
    because = _not_proven(run, limits) if not is_fan else ""
    every = fan_stages(plate, limits) if is_fan else stages_of(plate, limits)
    stages = [stage for stage in every if not only or stage.id in only]
    # The clock of the call stops when the call does.
    energised = run.elapsed_seconds if run.dropped_seconds is None else run.dropped_seconds
    judged = []
    for stage in stages:
        came = run.on_seconds.get(stage.id)
        on = judge_on(stage, came, energised)
        off = None
        if run.dropped_seconds is not None and came is not None:
            left = run.elapsed_seconds - run.dropped_seconds
            # Electronics need no warming through: a delay counts from the first call on.
            warm = math.inf if is_fan else energised
            off = judge_off(stage, run.off_seconds.get(stage.id), left, warm, limits)
        if because:
            # Low volts or a warm start excuse a wrong time; nothing excuses a pole that never moves.
            on = replace(on, grade=Grade.NOT_PROVEN, because=because) if on.kind != "did not close" else on
            off = (
                replace(off, grade=Grade.NOT_PROVEN, because=because)
                if off is not None and off.kind != "stuck"
                else off
            )
        judged.append(StageVerdict(stage=stage, on=on, off=off))
    return RunVerdict(stages=tuple(judged), order=tuple(_order(plate, run, stages, limits)), not_proven_because=because)


def _not_proven(run: TimingRun, limits: Limits) -> Text:
    least, cooled = limits.number("least_timing_volts"), limits.number("cooled_seconds")
    # Heat in the disc's heater falls with the square of the volts: 20 V warms it in half as long again.
    if run.control_volts is not None and run.control_volts < least:
        return message("timing.control-stood-v-below-v", control_volts=run.control_volts, least=least)
    # A disc still warm from the last call comes early and hides a slow one.
    if run.cooled_seconds is not None and run.cooled_seconds < cooled:
        return message("timing.started-s-after-last-call", cooled_seconds=run.cooled_seconds, cooled=cooled / 60)
    return ""


def _order(plate: Nameplate, run: TimingRun, stages: Sequence[Stage], limits: Limits) -> list[OrderNote]:
    strips = [stage for stage in stages if stage.id != "blower"]
    on = [(run.on_seconds[s.id], s) for s in strips if s.id in run.on_seconds]
    off = [(run.off_seconds[s.id], s) for s in strips if s.id in run.off_seconds]
    notes = []
    together = limits.number("together_seconds")
    for device in plate.devices:
        # Poles of one stack share one disc: only their order among themselves is certain.
        ranked = _by_pole(plate, device.id, [stage.id for stage in strips])
        notes += _pole_order(run, ranked, part_words(device.id), together)
    sees_blower = any(stage.id == "blower" for stage in stages)
    # A clamp on one feed may not see the blower at all; then nothing is said of it.
    if on and sees_blower:
        notes += _blower_order(run, min(on, key=lambda entry: entry[0]), limits)
    if off and sees_blower and run.dropped_seconds is not None:
        notes += _blower_off(run, max(off, key=lambda entry: entry[0]), together)
    return notes


def _by_pole(plate: Nameplate, device_id: str, seen: Sequence[str]) -> list[str]:
    own = [c for c in plate.circuits if c.device == device_id and c.id in seen]
    return [circuit.id for circuit in sorted(own, key=lambda circuit: circuit.poles[0])]


def _pole_order(run: TimingRun, ranked: Sequence[str], device: str, together: float) -> list[OrderNote]:
    """Hold one device's poles against the rule: nearer the heater first on, last off."""
    notes = []
    for first, second in pairwise(ranked):
        a, b = run.on_seconds.get(first), run.on_seconds.get(second)
        if a is not None and b is not None and b < a - together:
            words = message(
                "timing.came-before-leads-exchanged-slow",
                strip=part_words(second),
                other_strip=part_words(first),
                device=device,
            )
            notes.append(OrderNote(grade=Grade.MARGINAL, words=words))
        c, d = run.off_seconds.get(first), run.off_seconds.get(second)
        if c is not None and d is not None and c < d - together:
            words = message(
                "timing.went-off-before-first-should",
                strip=part_words(first),
                other_strip=part_words(second),
                device=device,
            )
            notes.append(OrderNote(grade=Grade.MARGINAL, words=words))
    return notes


def _blower_order(run: TimingRun, first: tuple[float, Stage], limits: Limits) -> list[OrderNote]:
    came = run.on_seconds.get("blower")
    # Heat without air is the one thing the interlock is there to prevent.
    if came is None:
        return [OrderNote(grade=Grade.FAIL, words=message("timing.heated-without-blower", first=first[1].name))]
    lag = came - first[0]
    if lag > limits.number("together_seconds"):
        # Nothing printed: a delay-on of some seconds may be built in.
        result = Grade.MARGINAL if lag <= limits.number("blower_lag_seconds") else Grade.FAIL
        return [
            OrderNote(
                grade=result, words=message("timing.heated-s-before-blower-started", first=first[1].name, lag=lag)
            )
        ]
    return [OrderNote(grade=Grade.PASS, words=message("timing.blower-before-first-strip"))]


def _blower_off(run: TimingRun, last: tuple[float, Stage], together: float) -> list[OrderNote]:
    went = run.off_seconds.get("blower")
    if went is None:
        return [OrderNote(grade=Grade.PASS, words=message("timing.blower-runs-after-last-strip"))]
    # Strips that stay on longer than the blower overheat, and no thermostat shows it.
    if went < last[0] - together:
        return [
            OrderNote(
                grade=Grade.FAIL,
                words=message("timing.heated-s-after-blower-stopped", strip=last[1].name, seconds=last[0] - went),
            )
        ]
    # Both through one contact: nothing is wrong, but still air bakes what is left of the heat.
    if went <= last[0] + together:
        words = message("timing.blower-last-strip-off-together")
        return [OrderNote(grade=Grade.MARGINAL, words=words)]
    return [OrderNote(grade=Grade.PASS, words=message("timing.blower-off-s-after-last", went=went - last[0]))]
