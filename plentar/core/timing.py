"""Timing the stages of a heat call: windows, patience, order, and what makes a run prove nothing.

Seconds on count from the moment the call was made, seconds off from the moment it was dropped.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Literal

from plentar.core.errors import ReadingError
from plentar.core.nameplate import Nameplate, Pole, Window
from plentar.core.points import part_words
from plentar.core.rules import AT_ONCE, DEFAULT_RULES, Rules
from plentar.core.verdicts import Band, Grade, Verdict

__all__ = [
    "ENERGISED_SECONDS",
    "OrderNote",
    "RunVerdict",
    "Stage",
    "StageVerdict",
    "TimingRun",
    "judge_off",
    "judge_on",
    "judge_run",
    "stages_of",
]

# Field guide, section 3: off-times and repeats only after five minutes energised or cooling; control under 22 V proves
# nothing.
ENERGISED_SECONDS, COOLED_SECONDS, LEAST_CONTROL_VOLTS = 300.0, 300.0, 22.0
# Without a printed window: on within 90 s, marginal to 120; off within 120 s.
DEFAULT_LATE_ON_SECONDS, DEFAULT_OFF = 120.0, Window(min_seconds=0.0, max_seconds=120.0)
# A person's tap, or a meter that logs once a second, cannot tell events closer than this.
TOGETHER_SECONDS = 2.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Stage:
    """One thing that comes on and goes off: a strip or the blower, with its windows and where they are from."""

    id: str
    name: str
    call: str
    on_window: Window
    off_window: Window
    source: Literal["nameplate", "default"]

    @property
    def late_seconds(self) -> float:
        """From here on it is late [s]."""
        if self.source == "default" and self.on_window.max_seconds == DEFAULT_RULES.on_window.max_seconds:
            return DEFAULT_LATE_ON_SECONDS
        return DEFAULT_RULES.late_ratio * self.on_window.max_seconds

    @property
    def did_not_close_seconds(self) -> float:
        """From here on it counts as never coming [s]."""
        return DEFAULT_RULES.did_not_close_ratio * self.on_window.max_seconds


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

    def __post_init__(self) -> None:
        for seconds in (self.elapsed_seconds, *self.on_seconds.values(), *self.off_seconds.values()):
            if not 0 <= seconds < math.inf:
                raise ReadingError(f"expected seconds of zero or more, got {seconds}", field="seconds")


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
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RunVerdict:
    """A whole run, judged."""

    stages: tuple[StageVerdict, ...]
    order: tuple[OrderNote, ...]
    not_proven_because: str = ""

    @property
    def is_good(self) -> bool:
        """True when every stage came in its window and nothing was out of order."""
        return (
            not self.not_proven_because
            and all(entry.on.grade is Grade.PASS for entry in self.stages)
            and all(note.grade is not Grade.FAIL for note in self.order)
        )


def stages_of(plate: Nameplate, rules: Rules = DEFAULT_RULES) -> tuple[Stage, ...]:
    """Return the unit's stages, blower first, then strips in the order of their windows.

    Chained stages add up both ways: the auxiliary pole feeds the next heater, and lets it cool only when it opens.
    """
    strips = []
    for circuit in plate.circuits:
        device = plate.device(circuit.device)
        poles = [device.pole(number) for number in circuit.poles]
        on = [rules.closing_window(plate, device.id, pole) for pole in poles]
        off = [_off_window(plate, device.id, pole) for pole in poles]
        strips.append(
            Stage(
                id=circuit.id,
                name=circuit.name,
                call=plate.call_of(device.id),
                on_window=max(on, key=lambda window: window.max_seconds),
                off_window=min(off, key=lambda window: window.max_seconds),
                source="nameplate" if all(pole.on_window for pole in poles) else "default",
            )
        )
    strips.sort(key=lambda stage: (stage.on_window.max_seconds, stage.on_window.min_seconds))
    return (_blower_stage(plate, strips, rules), *strips)


def _blower_stage(plate: Nameplate, strips: Sequence[Stage], rules: Rules) -> Stage:
    blower = plate.blower
    first, call = strips[0], strips[0].call
    if blower.kind == "ecm":
        on, off, source = (
            (AT_ONCE, AT_ONCE, "nameplate") if call in blower.ecm_calls else (first.on_window,) * 2 + ("default",)
        )
    elif blower.switched_by is not None:
        pole = plate.device(blower.switched_by).pole(blower.switched_by_pole)
        on = rules.closing_window(plate, blower.switched_by, pole)
        off = _off_window(plate, blower.switched_by, pole)
        source = "nameplate" if pole.on_window else "default"
    else:
        # Through NC of the interlock it is carried by the pole of the strip it is landed on.
        landed = {contact.nc for contact in blower.relay.contacts} if blower.relay else set()
        carrier = next((stage for stage in strips if stage.id in landed), first)
        on, off, source = carrier.on_window, carrier.off_window, carrier.source
    return Stage(
        id="blower",
        name="Blower",
        call=call,
        on_window=on,
        off_window=off,
        source="nameplate" if source == "nameplate" else "default",
    )


def _off_window(plate: Nameplate, device_id: str, pole: Pole | None) -> Window:
    device = plate.device(device_id)
    own = (pole.off_window if pole is not None else None) or (DEFAULT_OFF if device.kind == "sequencer" else AT_ONCE)
    if device.fed_by in ("W", "W2"):
        return own
    before = _off_window(plate, device.fed_by, plate.device(device.fed_by).auxiliary)
    return Window(min_seconds=own.min_seconds + before.min_seconds, max_seconds=own.max_seconds + before.max_seconds)


def judge_on(stage: Stage, seconds: float | None, elapsed_seconds: float) -> Verdict:
    """Judge when a stage came on, or what its silence means so far.

    Args:
        stage: The stage.
        seconds: From the call to its current [s]; None while it has not come.
        elapsed_seconds: How long the call has been on [s].
    Source:
        Field guide, section 3, pole on-time, and section 5, patience clock.
    Example:
        >>> stage = Stage(id="strip-b", name="Strip B", call="W", on_window=Window(min_seconds=15, max_seconds=90),
        ...     off_window=Window(min_seconds=20, max_seconds=90), source="nameplate")
        >>> [judge_on(stage, s, 200).spoken for s in (10.0, 60.0, 100.0, 120.0, None)]
        ['marginal: early', 'pass', 'marginal: late', 'fail: late', 'fail: did not close']
        >>> judge_on(stage, None, 45.0).next_step
        'Wait 45 s more.'
    """
    window, late = stage.on_window, stage.late_seconds
    band = Band(
        marginal_low=0.0,
        pass_low=window.min_seconds,
        pass_high=window.max_seconds,
        marginal_high=max(late, window.max_seconds),
        source=stage.source,
    )
    base = Verdict(
        grade=Grade.PASS,
        value=elapsed_seconds if seconds is None else seconds,
        uncertainty=0.0,
        unit="s",
        band=band,
        because=f"{stage.name}'s window is {window.min_seconds:.0f} to {window.max_seconds:.0f} s.",
    )
    at = base.value
    if seconds is None and at < window.max_seconds:
        return replace(
            base, grade=Grade.NOT_PROVEN, kind="waiting", next_step=f"Wait {window.max_seconds - at:.0f} s more."
        )
    if at >= stage.did_not_close_seconds and window.max_seconds > 0:
        return replace(base, grade=Grade.FAIL, kind="did not close")
    if at > late:
        return replace(base, grade=Grade.FAIL, kind="late")
    if at > window.max_seconds:
        return replace(base, grade=Grade.MARGINAL, kind="late")
    if at < window.min_seconds:
        return replace(base, grade=Grade.MARGINAL, kind="early")
    return base


def judge_off(stage: Stage, seconds: float | None, since_drop_seconds: float, energised_seconds: float) -> Verdict:
    """Judge when a stage went off, or what its staying on means.

    Args:
        stage: The stage.
        seconds: From dropping the call to its last current [s]; None while it still runs.
        since_drop_seconds: How long ago the call was dropped [s].
        energised_seconds: How long the call had been on before [s]; below five minutes nothing is proven.
    Source:
        Field guide, section 3, pole off-time.
    """
    window = stage.off_window
    band = Band(
        marginal_low=0.0,
        pass_low=window.min_seconds,
        pass_high=window.max_seconds,
        marginal_high=1.2 * window.max_seconds,
        source=stage.source,
    )
    at = since_drop_seconds if seconds is None else seconds
    base = Verdict(
        grade=Grade.PASS,
        value=at,
        uncertainty=0.0,
        unit="s",
        band=band,
        because=f"{stage.name} goes off {window.min_seconds:.0f} to {window.max_seconds:.0f} s after the call ends.",
    )
    if seconds is None and at >= 2 * window.max_seconds:
        return replace(
            base, grade=Grade.FAIL, kind="stuck", next_step="Take every call away; is there 24 V at its heater?"
        )
    if energised_seconds < ENERGISED_SECONDS:
        words = f"Called for {energised_seconds:.0f} s only: a heater not warmed through goes off early."
        return replace(base, grade=Grade.NOT_PROVEN, kind="", because=words, band=None)
    if seconds is None and at <= window.max_seconds:
        return replace(base, grade=Grade.NOT_PROVEN, kind="waiting")
    if at > 1.2 * window.max_seconds:
        return replace(base, grade=Grade.FAIL, kind="late")
    if at > window.max_seconds:
        return replace(base, grade=Grade.MARGINAL, kind="late")
    if at < window.min_seconds:
        return replace(base, grade=Grade.MARGINAL, kind="early")
    return base


def judge_run(
    plate: Nameplate, run: TimingRun, *, only: Sequence[str] = (), rules: Rules = DEFAULT_RULES
) -> RunVerdict:
    """Judge a run: each stage on and off, the order, and whether the run proves anything.

    Args:
        plate: The unit.
        run: What was seen.
        only: Stages the run could see, such as those on one feed; all by default.
        rules: The shop's limits.
    """
    because = _not_proven(run)
    stages = [stage for stage in stages_of(plate, rules) if not only or stage.id in only]
    energised = run.elapsed_seconds if run.dropped_seconds is None else run.dropped_seconds
    judged = []
    for stage in stages:
        came = run.on_seconds.get(stage.id)
        on = judge_on(stage, came, energised)
        off = None
        if run.dropped_seconds is not None and came is not None:
            left = run.elapsed_seconds - run.dropped_seconds
            off = judge_off(stage, run.off_seconds.get(stage.id), left, energised)
        if because:
            on = replace(on, grade=Grade.NOT_PROVEN, because=because) if on.kind != "did not close" else on
            off = (
                replace(off, grade=Grade.NOT_PROVEN, because=because)
                if off is not None and off.kind != "stuck"
                else off
            )
        judged.append(StageVerdict(stage=stage, on=on, off=off))
    return RunVerdict(stages=tuple(judged), order=tuple(_order(plate, run, stages)), not_proven_because=because)


def _not_proven(run: TimingRun) -> str:
    if run.control_volts is not None and run.control_volts < LEAST_CONTROL_VOLTS:
        return f"Control stood at {run.control_volts:.1f} V: below 22 V times prove nothing."
    if run.cooled_seconds is not None and run.cooled_seconds < COOLED_SECONDS:
        return f"Started {run.cooled_seconds:.0f} s after the last call: not cooled five minutes, times come out short."
    return ""


def _order(plate: Nameplate, run: TimingRun, stages: Sequence[Stage]) -> list[OrderNote]:
    strips = [stage for stage in stages if stage.id != "blower"]
    on = [(run.on_seconds[s.id], s) for s in strips if s.id in run.on_seconds]
    off = [(run.off_seconds[s.id], s) for s in strips if s.id in run.off_seconds]
    notes = []
    for device in plate.devices:
        ranked = _by_pole(plate, device.id, [stage.id for stage in strips])
        notes += _pole_order(run, ranked, part_words(device.id))
    sees_blower = any(stage.id == "blower" for stage in stages)
    if on and sees_blower:
        notes += _blower_order(run, min(on, key=lambda entry: entry[0]))
    if off and sees_blower and run.dropped_seconds is not None:
        notes += _blower_off(run, max(off, key=lambda entry: entry[0]))
    return notes


def _by_pole(plate: Nameplate, device_id: str, seen: Sequence[str]) -> list[str]:
    own = [c for c in plate.circuits if c.device == device_id and c.id in seen]
    return [circuit.id for circuit in sorted(own, key=lambda circuit: circuit.poles[0])]


def _pole_order(run: TimingRun, ranked: Sequence[str], device: str) -> list[OrderNote]:
    """Hold one device's poles against the rule: nearer the heater first on, last off."""
    notes = []
    for first, second in pairwise(ranked):
        a, b = run.on_seconds.get(first), run.on_seconds.get(second)
        if a is not None and b is not None and b < a - TOGETHER_SECONDS:
            words = (
                f"{part_words(second)} came before {part_words(first)} on {device}: leads exchanged, or a slow pole."
            )
            notes.append(OrderNote(grade=Grade.MARGINAL, words=words))
        c, d = run.off_seconds.get(first), run.off_seconds.get(second)
        if c is not None and d is not None and c < d - TOGETHER_SECONDS:
            words = (
                f"{part_words(first)} went off before {part_words(second)} on {device}: first on should be last off."
            )
            notes.append(OrderNote(grade=Grade.MARGINAL, words=words))
    return notes


def _blower_order(run: TimingRun, first: tuple[float, Stage]) -> list[OrderNote]:
    came = run.on_seconds.get("blower")
    if came is None:
        return [OrderNote(grade=Grade.FAIL, words=f"{first[1].name} heated without the blower.")]
    if came > first[0] + TOGETHER_SECONDS:
        return [
            OrderNote(
                grade=Grade.FAIL, words=f"{first[1].name} heated {came - first[0]:.0f} s before the blower started."
            )
        ]
    return [OrderNote(grade=Grade.PASS, words="Blower with or before the first strip.")]


def _blower_off(run: TimingRun, last: tuple[float, Stage]) -> list[OrderNote]:
    went = run.off_seconds.get("blower")
    if went is None:
        return [OrderNote(grade=Grade.PASS, words="Blower runs on after the last strip.")]
    if went < last[0] - TOGETHER_SECONDS:
        return [
            OrderNote(grade=Grade.FAIL, words=f"{last[1].name} heated {last[0] - went:.0f} s after the blower stopped.")
        ]
    if went <= last[0] + TOGETHER_SECONDS:
        words = "Blower and last strip off together: normal for an NC interlock without off-delay; still air after it."
        return [OrderNote(grade=Grade.MARGINAL, words=words)]
    return [OrderNote(grade=Grade.PASS, words=f"Blower off {went - last[0]:.0f} s after the last strip.")]
