"""One learner's attempt at a case: a fold of what was done, each step acting on the unit, kept as evidence, and billed.

The evidence is the same events a real call keeps, so the same visit judges it. What would have hurt is told at the
step that did it, and the call goes on from a safe state.
"""

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import ClassVar, Literal

from plentar.core.causes.catalogue import catalogue
from plentar.core.causes.faults import faults_of
from plentar.core.causes.next_test import ISOLATE_MINUTES
from plentar.core.circuit.places import part_terminals, place_words
from plentar.core.circuit.wiring import wire
from plentar.core.errors import ReadingError
from plentar.core.evidence.events import (
    Action,
    Checked,
    Event,
    Fitted,
    Locked,
    Measured,
    MeterProven,
    Observed,
    Opened,
    PowerBack,
    Switched,
    Ticked,
)
from plentar.core.evidence.metrology import Meter
from plentar.core.evidence.reading import Condition, Hand, Mode
from plentar.core.evidence.record import Record
from plentar.core.evidence.signs import sign_of
from plentar.core.intake import Sender, take_in
from plentar.core.message import Text, joined, message
from plentar.core.practice.case import Case, group_of, part_of
from plentar.core.practice.meter import BLOWN_MINUTES, METER, MeterDisplay, display, ranges_of
from plentar.core.practice.score import Score
from plentar.core.practice.world import World
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of, spot_of
from plentar.core.visit import Visit

__all__ = [
    "DANGERS",
    "LEARNER",
    "TAP_MINUTES",
    "Act",
    "Attempt",
    "AttemptStep",
    "Dare",
    "Did",
    "Finish",
    "HintAsked",
    "Listen",
    "Outcome",
    "Read",
    "Swap",
    "Wait",
    "repairs_of",
]

LEARNER, METER_ID = "learner", "practice-meter"
# What would have hurt, each with its words in the catalogue; those that end a meter cost the walk for another.
DANGERS: tuple[str, ...] = (
    "no-gear",
    "ohms-live",
    "ohms-unproven",
    "amps-jack",
    "capacitor",
    "hands-live",
    "hands-unproven",
    "in-front",
    "their-lock",
    "loose-lead",
    "bridge-limit",
    "bigger-breaker",
)
BLOWN = ("ohms-live", "amps-jack")
# Chosen beside the minutes of LOOKS: a tap, a look round, a part replaced, a hint read.
TAP_MINUTES, LOOK_MINUTES, SWAP_MINUTES, READ_MINUTES = 0.4, 2.0, 15.0, 1.0
# How long calls had stood when somebody read before: waited out. Chosen.
STOOD_SECONDS = 600.0
# Parts nobody has to open the cabinet for.
OUTSIDE = ("air", "thermostat", "supply")


@dataclass(frozen=True, slots=True, kw_only=True)
class Did:
    """Something the real call would keep: a switch, a lock, a line of a list, something looked at."""

    kind: ClassVar[str] = "did"
    action: Action
    # Closing a breaker: standing aside, face away.
    stands_aside: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Read:
    """The meter used: where, in which mode; `jack` for leads in the amps jack; `anyway` in spite of a refusal.

    `full_scale` is where the range ends that its knob was set to, in the quantity's unit; nought lets it choose.
    """

    kind: ClassVar[str] = "read"
    point: str
    mode: Mode = ""
    hand: Hand = ""
    jack: Literal["", "amps"] = ""
    anyway: bool = False
    full_scale: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Wait:
    """Time let run, or skipped."""

    kind: ClassVar[str] = "wait"
    seconds: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Swap:
    """A part repaired or replaced; `checked` when its leads were noted before and pulled after."""

    kind: ClassVar[str] = "swap"
    part: str
    checked: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class Listen:
    """A look into the cabinet, an ear, a nose."""

    kind: ClassVar[str] = "listen"


@dataclass(frozen=True, slots=True, kw_only=True)
class HintAsked:
    """Asked what to do now."""

    kind: ClassVar[str] = "ask"


@dataclass(frozen=True, slots=True, kw_only=True)
class Dare:
    """Something nobody should do: a limit bridged, a bigger breaker, somebody else's lock cut."""

    kind: ClassVar[str] = "dare"
    what: Literal["bridge-limit", "bigger-breaker", "their-lock"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Finish:
    """The call ended: what is wrong was put right, or nothing is."""

    kind: ClassVar[str] = "finish"


Act = Did | Read | Wait | Swap | Listen | HintAsked | Dare | Finish


@dataclass(frozen=True, slots=True, kw_only=True)
class AttemptStep:
    """One thing done: an id, when on the practice clock [s], what."""

    id: str
    at_seconds: float
    act: Act


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """What a step did: what the meter showed, what was told, what would have hurt, the minutes it is billed."""

    step: AttemptStep
    display: MeterDisplay | None = None
    told: tuple[Text, ...] = ()
    danger: str = ""
    refusal: Text = ""
    minutes: float = 0.0
    readings: int = 0


def repairable_parts(plate: Nameplate) -> tuple[str, ...]:
    """Return the parts of a unit that some fault is repaired at, each once."""
    return tuple(dict.fromkeys(fault.mended[0] for fault in faults_of(plate) if fault.part))


def repairs_of(case: Case) -> dict[Text, tuple[tuple[str, Text], ...]]:
    """Return what can be repaired on a unit, whatever is hidden: each part once with its words, by where it is."""
    plate = case.plate
    found: dict[Text, tuple[tuple[str, Text], ...]] = {}
    for part in repairable_parts(plate):
        where = group_of(plate, part)
        found[where] = (*found.get(where, ()), (part, part_of(plate, part)))
    return found


@dataclass
class Attempt:
    """The fold; `take` adds a step.

    `parse` reads a number as typed; `words` says a thing where it is written down.
    """

    case: Case
    began_at: float
    parse: Callable[[str, str], float]
    words: Callable[[Text], str]
    world: World = field(init=False)
    outcomes: list[Outcome] = field(init=False, default_factory=list)
    events: list[Event] = field(init=False, default_factory=list)
    fine_parts: list[str] = field(init=False, default_factory=list)
    loose: bool = field(init=False, default=False)
    is_finished: bool = field(init=False, default=False)
    _record: Record = field(init=False)
    _visit: Visit | None = field(init=False, default=None)

    def __post_init__(self) -> None:
        self.world = World(self.case)
        feeds = {feed.id: "live" for feed in self.case.plate.feeds}
        self._record = Record(())
        self._keep("opened", Opened(feeds=feeds))  # type: ignore[arg-type]
        for number, (point, typed, calls) in enumerate(self.case.read_before):
            self._read_before(number, point, typed, calls)
        if self.case.someone_locked:
            lock = Locked(feed=self.case.someone_locked)
            self._keep("their-lock", lock, person="colleague", by="Somebody else")

    def _read_before(self, number: int, point: str, typed: str, calls: tuple[str, ...]) -> None:
        """Keep what somebody wrote down before: with the calls they said were on, by a meter like this one."""
        quantity = spot_of(point).function
        value = self.parse(typed, quantity)
        own = METER.range_for(quantity, value)
        is_dead = spot_of(point).is_ohms
        condition = Condition(
            feeds=tuple((feed.id, "proven dead" if is_dead else "live") for feed in self.case.plate.feeds),
            control="proven dead" if is_dead else "from unit",
            calls=tuple((call, STOOD_SECONDS) for call in calls),
            seconds_since_change=STOOD_SECONDS,
        )
        action = Measured(
            point=point,
            typed=typed,
            meter=METER_ID,
            value=value,
            meter_uncertainty=own.uncertainty(value),
            counts_uncertainty=own.counts_uncertainty,
            condition=condition,
        )
        self._keep(f"before-{number}", action, person="colleague", by="Somebody before you")

    # What follows, as on a real call.

    @property
    def record(self) -> Record:
        """The evidence."""
        return self._record

    @property
    def visit(self) -> Visit:
        """The call as the real one would stand; the same while nothing was kept and no time has passed."""
        moment = self.began_at + self.world.seconds
        if self._visit is None or (self._visit.record, self._visit.moment) != (self._record, moment):
            self._visit = Visit(
                self.case.plate,
                self._record,
                moment=moment,
                complaints=(self.case.complaint,),
                outdoor_degf=self.case.outdoor_degf,
                indoor_degf=self.case.indoor_degf,
            )
        return self._visit

    @property
    def minutes(self) -> float:
        """What has been billed so far [min]."""
        return sum(outcome.minutes for outcome in self.outcomes)

    @property
    def dangers(self) -> list[Outcome]:
        """The steps that would have hurt."""
        return [outcome for outcome in self.outcomes if outcome.danger]

    @property
    def score(self) -> Score:
        """What it is worth so far."""
        hidden = len(self.case.faults)
        left = len([fault for fault in self.world.faults if fault in self.case.faults])
        found = (hidden - left) / hidden if hidden else float(not self.fine_parts)
        return Score(
            found=found if self.is_finished or hidden else 0.0,
            fine_parts=len(self.fine_parts),
            minutes=self.minutes,
            hints=sum(isinstance(outcome.step.act, HintAsked) and outcome.minutes > 0 for outcome in self.outcomes),
            unsafe=len(self.dangers),
            left_undone=sum(len(o.told) for o in self.outcomes if isinstance(o.step.act, Finish)),
        )

    def take_all(self, steps: Iterable[AttemptStep]) -> "Attempt":
        """Take steps in order."""
        for step in steps:
            self.take(step)
        return self

    def take(self, step: AttemptStep) -> Outcome:
        """Do one thing.

        Raises:
            ReadingError: It cannot be done: the unit has no such place, the attempt has ended, time runs backwards.
        """
        if self.is_finished:
            raise ReadingError("this attempt has ended", field="step")
        if step.at_seconds > self.world.seconds:
            self.world.wait(step.at_seconds - self.world.seconds)
        outcome = self._do(step)
        self.outcomes.append(outcome)
        return outcome

    def _do(self, step: AttemptStep) -> Outcome:
        act = step.act
        if isinstance(act, Read):
            return self._read(step, act)
        if isinstance(act, Did):
            return self._did(step, act)
        if isinstance(act, Wait):
            before = self.world.closed
            self.world.wait(act.seconds)
            return Outcome(step=step, minutes=act.seconds / 60, told=(*self._clicked(before), *self._heard()))
        if isinstance(act, Swap):
            return self._swap(step, act)
        if isinstance(act, Listen):
            return self._listen(step)
        if isinstance(act, Dare):
            return self._hurt(step, act.what, minutes=TAP_MINUTES)
        if isinstance(act, Finish):
            self.is_finished = True
            return Outcome(step=step, told=self.left_undone)
        return self._advise(step)

    def _advise(self, step: AttemptStep) -> Outcome:
        """Say what the real call would say now; asked again with nothing done between, it costs nothing."""
        advice = self.visit.advice
        told: list[Text] = [advice.words]
        if advice.kind == "wait" and self.visit.diagnosis is not None:
            told = [message("practice.wait", seconds=math.ceil(self.visit.diagnosis.wait_seconds))]
        is_new = not self.outcomes or not isinstance(self.outcomes[-1].step.act, HintAsked)
        return Outcome(step=step, told=tuple(told), minutes=TAP_MINUTES if is_new else 0.0)

    @property
    def left_undone(self) -> tuple[Text, ...]:
        """What a technician would not leave behind: power off, a lock of one's own, a repair that nothing proves."""
        visit = self.visit
        left = []
        if self.world.off:
            left.append(message("practice.left-off"))
        if any(lock.person == LEARNER for lock in visit.lockout.locks):
            left.append(message("practice.left-locked"))
        if self.fitted and not visit.advice.is_proven:
            left.append(message("practice.left-unproven"))
        return tuple(left)

    def _hurt(self, step: AttemptStep, danger: str, *, minutes: float, told: tuple[Text, ...] = ()) -> Outcome:
        """Tell what it would have done; the call goes on from a safe state."""
        cost = BLOWN_MINUTES if danger in BLOWN else 0.0
        words = (message(f"practice.danger-{danger}"), *told)
        return Outcome(step=step, danger=danger, told=words, minutes=minutes + cost)

    # The meter.

    def _read(self, step: AttemptStep, act: Read) -> Outcome:
        spot, world, visit = spot_of(act.point), self.world, self.visit
        if not visit.knows(act.point):
            raise ReadingError(f"this unit has no point {act.point[:80]!r}", field="point")
        meter = METER.held_on(spot.function, act.full_scale) if act.full_scale else METER
        minutes = self._minutes_of(act.point)
        places = spot.places if len(spot.places) == 2 else part_terminals(self.case.plate, spot.part)
        if act.jack == "amps":
            # The amps jack is next to a dead short across whatever the probes touch.
            if len(spot.places) == 2 and world.is_live(*spot.places):
                return self._hurt(step, "amps-jack", minutes=minutes)
            raise ReadingError("leads in the amps jack measure nothing between two places", field="jack")
        needs_dead = spot.is_ohms or spot.function == "microfarads"
        refusal = visit.refusal(act.point, LEARNER) if needs_dead and not act.hand else ""
        if refusal and not act.anyway:
            return Outcome(step=step, refusal=refusal)
        if refusal:
            is_live = world.is_live(*places)
            if is_live:
                return self._hurt(step, "ohms-live", minutes=minutes)
            # The feed was off but not verified dead: the reading stands, and the act counts as unsafe.
            missing = message("practice.was-missing", refusal=refusal)
            return self._hurt(step, "ohms-unproven", minutes=minutes, told=(missing,))
        if needs_dead and self._capacitor_is_charged(act.point):
            return self._hurt(step, "capacitor", minutes=minutes)
        if spot.is_volts and ("safe-gear", "") not in visit.lockout.ticks and world.is_live(*spot.places):
            danger = self._hurt(step, "no-gear", minutes=minutes)
            self._keep(f"{step.id}.gear", Ticked(line="safe-gear"))
            return danger
        value = world.read(act.point, mode=act.mode, hand=act.hand)
        shown = display(value, spot.function, meter=meter, flicker=_flicker(len(self.outcomes)))
        ranges = dict(ranges_of(spot.function))
        if shown.is_over and act.full_scale not in (0.0, max(ranges)):
            # OL on a small range says only that there is more than the range holds: no evidence of an open part.
            told = message("practice.over-range", range=ranges[act.full_scale])
            return Outcome(step=step, display=shown, minutes=minutes, told=(told, *self._heard()))
        action = Measured(point=act.point, typed=shown.typed, mode=act.mode, in_hand=act.hand, meter=METER_ID)
        self._take_in(step.id, action, meter=meter)
        return Outcome(step=step, display=shown, minutes=minutes, told=self._heard(), readings=1)

    def _capacitor_is_charged(self, point: str) -> bool:
        visit = self.visit
        at_blower = any(place_of(place).owner == "blower" for place in spot_of(point).places)
        return at_blower and self.case.plate.blower.kind == "psc" and ("safe-capacitor", "") not in visit.lockout.ticks

    @cached_property
    def _looks(self) -> dict[str, float]:
        return {test.point: test.minutes for test in catalogue(self.case.plate)}

    def _minutes_of(self, point: str) -> float:
        return self._looks.get(point, READ_MINUTES)

    # Switches, locks, lists.

    def _did(self, step: AttemptStep, act: Did) -> Outcome:
        action, world = act.action, self.world
        if isinstance(action, Measured | Fitted | PowerBack | Opened):
            raise ReadingError("that is done another way in practice", field="kind")
        danger, before = self._danger_of(act), world.closed
        if danger == "their-lock":
            return self._hurt(step, danger, minutes=TAP_MINUTES)
        if isinstance(action, Switched):
            feeds = {feed.id for feed in self.case.plate.feeds}
            was_off = action.what in world.off
            self._take_in(step.id, action)
            if action.what in feeds:
                world.set_feed(action.what, (action.device or "panel") if action.state == "off" else "")
            elif action.what == "control":
                world.set_control(action.state)
            elif action.what == "thermostat":
                world.set_bypassed(is_bypassed=action.state == "bypassed")
            else:
                world.set_call(action.what, is_on=action.state == "on")
            if was_off and not world.off and self.fitted:
                # Power is back after work: what is read from here on is of another unit.
                self._keep(f"{step.id}.back", PowerBack(is_confirmed=True))
        elif isinstance(action, MeterProven):
            self._take_in(step.id, replace(action, meter=METER_ID))
        else:
            self._take_in(step.id, action)
        minutes = ISOLATE_MINUTES / 10 if isinstance(action, Locked | Ticked | MeterProven | Checked) else TAP_MINUTES
        if isinstance(action, Observed):
            minutes = LOOK_MINUTES / 10
        heard = (*self._clicked(before), *self._heard())
        if danger:
            return self._hurt(step, danger, minutes=minutes, told=heard)
        return Outcome(step=step, minutes=minutes, told=heard)

    def _danger_of(self, act: Did) -> str:
        action = act.action
        if isinstance(action, Locked) and action.owner not in ("", LEARNER) and not action.is_on:
            return "" if len(action.reached.strip()) >= 10 else "their-lock"
        if not isinstance(action, Switched) or action.state != "live" or action.what not in self.world.off:
            return ""
        if any(lock.feed == action.what and lock.person != LEARNER for lock in self.visit.lockout.locks):
            return "their-lock"
        if self.loose:
            # The loose end is found by the flash: it is landed, and the call goes on.
            self.loose = False
            return "loose-lead"
        return "" if act.stands_aside else "in-front"

    # Repairs.

    @property
    def fitted(self) -> list[str]:
        """The parts repaired or replaced so far."""
        return [outcome.step.act.part for outcome in self.outcomes if isinstance(outcome.step.act, Swap)]

    def _swap(self, step: AttemptStep, act: Swap) -> Outcome:
        if act.part not in repairable_parts(self.case.plate):
            raise ReadingError(f"this unit has no part {act.part[:60]!r} to put right", field="part")
        owner = place_of(act.part).owner
        if owner not in OUTSIDE and not self.visit.lockout.is_dead:
            is_live = self.world.is_live(*self._ends_of(act.part))
            return self._hurt(step, "hands-live" if is_live else "hands-unproven", minutes=TAP_MINUTES)
        was_wrong = self.world.repair(act.part)
        if not was_wrong:
            self.fine_parts.append(act.part)
        self.loose = self.loose or not act.checked
        self._keep(step.id, Fitted(name=self.words(part_of(self.case.plate, act.part)), minutes=SWAP_MINUTES))
        if not self.world.off:
            self._keep(f"{step.id}.back", PowerBack(is_confirmed=True))
        return Outcome(
            step=step, minutes=SWAP_MINUTES, told=(message("practice.fitted", part=part_of(self.case.plate, act.part)),)
        )

    def _ends_of(self, part: str) -> list[str]:
        """Return the terminals hands come near at a part, those of its contacts and coil too."""
        owner = place_of(part).owner
        return [name for name in wire(self.case.plate).terminals if place_of(name).owner == owner]

    # Eyes, ears, nose.

    def _clicked(self, before: frozenset[str]) -> tuple[Text, ...]:
        """A contact that moved is heard: at once where it is a relay's, when its time has come where it is a disc's."""
        moved = {name for name in before ^ self.world.closed if place_of(name).owner in self._clicking}
        return (message("practice.clicks"),) if moved else ()

    @cached_property
    def _clicking(self) -> frozenset[str]:
        relay = self.case.plate.blower.relay
        return frozenset({device.id for device in self.case.plate.devices} | ({relay.id} if relay else set()))

    def _heard(self) -> tuple[Text, ...]:
        """What nobody can help hearing."""
        found = [message("practice.chatters")] if self.world.chatters else []
        tripped = sorted(self.world.latched)
        if tripped and not (self.outcomes and self._told_trip):
            self._told_trip = True
            is_fuse = any(place_of(name).owner == "fuse" for name in tripped)
            found.append(message("practice.fuse-went" if is_fuse else "practice.breaker-went"))
        if not tripped:
            self._told_trip = False
        return tuple(found)

    _told_trip: bool = field(init=False, default=False)

    def _listen(self, step: AttemptStep) -> Outcome:
        world = self.world
        told: list[Text] = []
        glowing = [self.case.plate.circuit(name).name for name in world.glowing]
        told.append(message("practice.glows", strips=joined(glowing)) if glowing else message("practice.dark"))
        told.append(message("practice.blows" if world.blower_runs else "practice.still"))
        if any(fault.id.endswith(("motor.seized", "weak-capacitor")) for fault in world.faults) and world.amps(
            "blower"
        ):
            told.append(message("practice.hums"))
        if any(fault.id.endswith((".burnt", "lug-l1.loose", "lug-l2.loose")) for fault in world.faults):
            told.append(message("practice.smells"))
        for number, (kind, about) in enumerate(self.case.signs):
            self._take_in(f"{step.id}.{number}", Observed(sign=kind, about=about))
            sign = sign_of(kind)
            words = sign.words if sign is not None else kind
            words = (
                message("practice.found-at", sign=words, part=place_words(self.case.plate, about)) if about else words
            )
            told.append(words)
        if not self.case.signs:
            told.append(message("practice.nothing-seen"))
        return Outcome(step=step, told=(*told, *self._heard()), minutes=LOOK_MINUTES)

    # Evidence.

    def _sender(self, meter: Meter) -> Sender:
        meters: dict[str, Meter] = {METER_ID: meter}
        return Sender(
            person=LEARNER,
            done_at=self._moment,
            meters=meters,
            meter=METER_ID,
            parse=self.parse,
            words=self.words,
        )

    @property
    def _moment(self) -> float:
        # One step after another: nothing is done in the same instant as what came before.
        return self.began_at + self.world.seconds + 1e-3 * len(self.events)

    def _take_in(self, event_id: str, action: Action, *, meter: Meter = METER) -> None:
        self._keep(event_id, take_in(self.visit, action, self._sender(meter)))

    def _keep(self, event_id: str, action: Action, *, person: str = LEARNER, by: str = "You") -> None:
        event = Event(
            id=event_id,
            seq=len(self.events) + 1,
            action=action,
            person=person,
            by=by,
            done_at=self._moment,
            come_at=self._moment,
        )
        self.events.append(event)
        self._record = self._record.plus(event)


def _flicker(step: int) -> float:
    """Return the last digit's restlessness at a step, -1 to 1: the same at the same step."""
    return ((step * 61) % 41 - 20) / 20
