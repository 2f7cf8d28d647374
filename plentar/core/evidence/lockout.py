"""Live, off or dead, and at which device: a fold of the call's events; the only source of the lockout state.

*Dead* is proven, never assumed: every feed off at a named device, the prover's own lock on each, the meter shown to
read before and after with no change of function between, every leg at each feed's line terminals to every other leg of
all feeds and to a frame that was itself shown to be a frame, each below the dead limit; the control side likewise.
Anything less is *off* and treated as live. A live event of anybody that may be later than a reading takes that reading
away. Source: docs/trade.md, sections 3 and 4, step 3.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import combinations

from plentar.core.evidence.events import (
    Event,
    Locked,
    Measured,
    MeterProven,
    Opened,
    PowerBack,
    Replated,
    Switched,
    Tapped,
    Ticked,
)
from plentar.core.evidence.reading import Condition, ControlState, FeedState, Mode
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.voltages import FRAME_SHARE, FRAME_VOLTS
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import GROUND, spot_of, volts_at
from plentar.core.unit.points import is_control_side

__all__ = ["Lock", "Lockout", "Pair", "dead_pairs", "fold", "safe_ticks"]

CONTROL_PAIR = volts_at("board.r", "board.c")
VOLTS = ("volts", "dc_volts")


PROVE_AGAIN = message("lockout.prove-meter-again-same-function")
FUNCTION_CHANGED = message("lockout.meters-function-was-changed-since")
READ_AGAIN = message("lockout.corrected-struck-out-read-again")


@dataclass(frozen=True, slots=True, kw_only=True)
class Lock:
    """One person's lock, or its substitute, on one feed."""

    feed: str
    person: str
    by: str
    how: str
    at: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Pair:
    """Two places between which no volts prove the unit dead: the point, its feeds, what stands there now.

    `volts` is the newest reading since power went off, `counts` whether it proves; `why_not` says what is missing.
    """

    point: str
    feeds: tuple[str, ...]
    volts: float | None
    counts: bool
    why_not: Text = ""

    @property
    def asks_again(self) -> bool:
        """True where it was read, and only a look at the meter or one more reading is missing."""
        return self.why_not in (PROVE_AGAIN, FUNCTION_CHANGED, READ_AGAIN)


@dataclass(frozen=True, slots=True, kw_only=True)
class Lockout:
    """What the unit is fed and told after the events so far, `seq` being the last of them."""

    seq: int
    feeds: Mapping[str, FeedState]
    opened: Mapping[str, str]
    control: ControlState
    # Since when each call stands; None where it stood before anybody kept the clock.
    calls: Mapping[str, float | None]
    bypassed: bool
    changed_at: float
    live_since: float
    locks: tuple[Lock, ...]
    ticks: Mapping[tuple[str, str], Event]
    proofs: Mapping[Mode, Event]
    pairs: tuple[Pair, ...]
    missing: tuple[Text, ...]
    frame_is_proven: bool = False
    control_volts: float | None = None
    # The live supply reading that shows the meter reads, while its function has not been changed since.
    shown_by: Event | None = None
    parts_below: frozenset[str] = field(default_factory=frozenset)
    # The same, before the unit is dead: what was read low behind this lockout, and may be touched once it is.
    parts_read_low: frozenset[str] = field(default_factory=frozenset)

    @property
    def feeds_are_dead(self) -> bool:
        """True when every feed is proven dead."""
        return bool(self.feeds) and all(state == "proven dead" for state in self.feeds.values())

    @property
    def is_dead(self) -> bool:
        """True when every feed and the control side are proven dead."""
        return self.feeds_are_dead and self.control == "proven dead"

    def condition(self, moment: float) -> Condition:
        """Return the condition the unit is in at a moment [s since 1970]."""
        return Condition(
            feeds=tuple(self.feeds.items()),
            control=self.control,
            calls=tuple(
                (call, None if since is None else max(0.0, moment - since)) for call, since in self.calls.items()
            ),
            seconds_since_change=max(0.0, moment - self.changed_at),
            bypassed=self.bypassed,
            opened=tuple(self.opened.items()),
        )

    def locks_of(self, feed: str) -> tuple[Lock, ...]:
        """Return the locks on a feed."""
        return tuple(lock for lock in self.locks if lock.feed == feed)

    def has_locked(self, person: str) -> bool:
        """Tell whether a person's own lock is on every feed."""
        return all(any(lock.person == person for lock in self.locks_of(feed)) for feed in self.feeds)

    @property
    def other_source(self) -> bool:
        """True when control volts stay with every feed off: live from somewhere else."""
        return self.control_volts is not None


def dead_pairs(plate: Nameplate) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """Return what is read at the line terminals: every leg to every other leg of all feeds, and each to the frame.

    Returns:
        Each point with the feeds it speaks of.
    Source:
        docs/trade.md, section 3, Dead.
    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> [point for point, _ in dead_pairs(PATTERNS["two-strip-sequencer"]())]
        ['volts:feed-1.l1:feed-1.l2', 'volts:feed-1.l1:ground', 'volts:feed-1.l2:ground']
        >>> len(dead_pairs(PATTERNS["four-strip-chained"]()))
        10
    """
    legs = [(f"{feed.id}.{leg}", feed.id) for feed in plate.feeds for leg in ("l1", "l2")]
    # Two feeds may each be dead to themselves and live to each other.
    between = [(volts_at(a, b), tuple(dict.fromkeys((x, y)))) for (a, x), (b, y) in combinations(legs, 2)]
    return (*between, *((volts_at(leg, GROUND), (feed,)) for leg, feed in legs))


def safe_ticks(plate: Nameplate) -> tuple[tuple[str, str], ...]:
    """Return the lines of the Safe list that are ticked, not read: kind and what it is about.

    Source:
        docs/trade.md, section 4, step 3.
    """
    lines = [("safe-gear", ""), ("safe-outdoor-off", "")]
    # A run capacitor keeps its charge with every feed off.
    if plate.blower.kind == "psc":
        lines.append(("safe-capacitor", ""))
    return tuple(lines)


def _order(event: Event) -> tuple[bool, float, int]:
    """Events in the order they were done; the one a call was begun with comes before them all."""
    # A phone's clock may be behind the call's beginning; what began it still comes first.
    return (not (isinstance(event.action, Opened) and event.seq == 1), event.done_at, event.seq)


@lru_cache(maxsize=1024)
def _pair_of(point: str) -> tuple[str, ...]:
    """Return what is read and where, the same for two probes either way round."""
    spot = spot_of(point)
    return (spot.function, *sorted(spot.places))


@dataclass(slots=True)
class _Fold:
    """The events of one call, sorted out."""

    plate: Nameplate
    limits: Limits
    events: Sequence[Event]
    voided: frozenset[str]
    lives: dict[str, list[Event]] = field(default_factory=dict)
    offs: dict[str, list[Event]] = field(default_factory=dict)
    opened: dict[str, str] = field(default_factory=dict)
    control: ControlState = "from unit"
    control_lives: list[Event] = field(default_factory=list)
    calls: dict[str, float | None] = field(default_factory=dict)
    bypassed: bool = False
    changed_at: float = 0.0
    live_since: float = 0.0
    locks: dict[tuple[str, str], Event] = field(default_factory=dict)
    ticks: dict[tuple[str, str], Event] = field(default_factory=dict)
    proofs: list[Event] = field(default_factory=list)
    readings: list[Event] = field(default_factory=list)
    _between: dict[tuple[str, ...], list[Event]] | None = None
    _offs: list[Event | None] | None = None
    _taken_back: frozenset[str] | None = None

    def take(self) -> None:
        """Walk through the events in the order they were done; what came late takes its place."""
        for event in sorted(self.events, key=_order):
            match event.action:
                case Opened():
                    self._begin(event, event.action)
                case Switched():
                    self._switch(event, event.action)
                case Tapped():
                    self._tap(event, event.action)
                case PowerBack():
                    for feed in self._feeds:
                        self._live(event, feed)
                    self._control_live(event, "from unit")
                    self._change(event)
                case Replated():
                    self._replate(event, event.action)
                case Locked():
                    self.locks[event.action.feed, event.action.owner or event.person] = event
                case Ticked():
                    self.ticks[event.action.line, event.action.about] = event
                case MeterProven():
                    self.proofs.append(event)
                case Measured():
                    self.readings.append(event)
                case _:
                    pass

    @property
    def _feeds(self) -> list[str]:
        return [feed.id for feed in self.plate.feeds]

    def _change(self, event: Event) -> None:
        self.changed_at = event.done_at

    def _begin(self, event: Event, action: Opened) -> None:
        for feed in self._feeds:
            # An older record's "proven dead" has no readings to show for it: off, no more.
            (self.lives if action.feeds.get(feed, "live") == "live" else self.offs).setdefault(feed, []).append(event)
        self.control = "from unit" if action.control == "proven dead" else action.control
        self.calls = {name: at for name, at in action.calls.items() if name in self.plate.calls}
        self.bypassed = action.bypassed
        self.live_since = event.done_at
        self._change(event)

    def _live(self, event: Event, feed: str) -> None:
        self.lives.setdefault(feed, []).append(event)
        self.opened.pop(feed, None)
        self.live_since = event.done_at
        # A heater that just got its supply back starts warming now, however long the thermostat has been calling.
        self.calls = dict.fromkeys(self.calls, event.done_at)

    def _control_live(self, event: Event, state: ControlState) -> None:
        self.control = state
        self.control_lives.append(event)
        self.calls = dict.fromkeys(self.calls, event.done_at)

    def _switch(self, event: Event, action: Switched) -> None:
        before = self._told()
        if action.what in self._feeds:
            if action.state == "live":
                self._live(event, action.what)
            elif action.state == "off":
                self.offs.setdefault(action.what, []).append(event)
                self.opened[action.what] = action.device or self.opened.get(action.what, "")
        elif action.what == "control" and action.state in ("from unit", "separate source"):
            self._control_live(event, action.state)
        elif action.what == "control" and action.state == "off":
            self.control = "off"
        elif action.what == "thermostat":
            # Taking the conductors off ends every call; each is made again by its own jumper.
            self.bypassed, self.calls = action.state == "bypassed", {}
        elif action.what in self.plate.calls and action.state == "on":
            self._call_on(event, action)
        elif action.what in self.plate.calls and action.state == "off":
            self.calls.pop(action.what, None)
        # Setting what is already so leaves the clock running.
        if before != self._told():
            self._change(event)

    def _call_on(self, event: Event, action: Switched) -> None:
        """Start a call's clock; said of one that is on already, since when it is moves the clock."""
        if action.is_untimed:
            self.calls[action.what] = None
        elif action.ago_seconds:
            self.calls[action.what] = event.done_at - action.ago_seconds
        else:
            self.calls.setdefault(action.what, event.done_at)

    def _told(self) -> tuple[object, ...]:
        last = [(self.lives.get(feed, [])[-1:], self.offs.get(feed, [])[-1:]) for feed in self._feeds]
        is_off = [
            bool(off) and (not live or (live[0].done_at, live[0].seq) < (off[0].done_at, off[0].seq))
            for live, off in last
        ]
        return (is_off, dict(self.opened), self.control, frozenset(self.calls), self.bypassed)

    def _tap(self, event: Event, action: Tapped) -> None:
        if action.deed not in ("call", "drop"):
            return
        # A call made and taken back is no call; a drop taken back makes it again.
        is_on = (action.deed == "call") != action.is_undone
        for call in ("W", "W2") if action.call == "heat" else ("G",):
            if call in self.plate.calls:
                if is_on:
                    self.calls.setdefault(call, event.done_at)
                else:
                    self.calls.pop(call, None)
        self._change(event)

    def _replate(self, event: Event, action: Replated) -> None:
        known = set(self.lives) | set(self.offs)
        for feed in self._feeds:
            if feed in action.feeds and feed not in known:
                # A feed nobody knew of is live until shown otherwise.
                self._live(event, feed)
                self._control_live(event, "from unit" if self.control == "proven dead" else self.control)
                self._change(event)
        self.calls = {name: at for name, at in self.calls.items() if name in self.plate.calls}

    # What is dead: everything below compares events by when they can have been done, not by when they came.

    def feed_is_off(self, feed: str) -> bool:
        """A feed is off when some off event is certainly later than every live one."""
        lives = self.lives.get(feed, [])
        # Not "the last one wins": whatever may have been live after it takes the off away.
        return any(all(live.is_before(off) for live in lives) for off in self.offs.get(feed, []))

    def _off_event(self, feed: str) -> Event | None:
        lives = self.lives.get(feed, [])
        # The first off that nothing live can follow: what was read since then counts.
        found = [off for off in self.offs.get(feed, []) if all(live.is_before(off) for live in lives)]
        return found[0] if found else None

    def lock_events(self, person: str) -> list[Event | None]:
        """Return a person's lock on each feed, None where it is not on."""
        found = []
        for feed in self._feeds:
            event = self.locks.get((feed, person))
            is_on = (
                event is not None and isinstance(event.action, Locked) and event.action.is_on and not event.action.owner
            )
            found.append(event if is_on else None)
        return found

    def floor(self, event: Event) -> Text:
        """Return what keeps a reading from counting as one of a dead unit, or nothing."""
        for feed in self._feeds:
            off = self._off_event(feed)
            if off is None:
                return message("lockout.not-off", feed=_feed_words(self.plate, feed))
            if not off.is_before(event):
                return message("lockout.read-before-power-was-off")
            if not self.opened.get(feed):
                return message("lockout.say-which-device-was-opened", feed=_feed_words(self.plate, feed))
        for feed, lock in zip(self._feeds, self.lock_events(event.person), strict=True):
            if lock is None:
                return message("lockout.s-own-lock-not", by=event.by, feed=_feed_words(self.plate, feed))
            if not lock.is_before(event):
                return message("lockout.read-before-lock-was")
        return ""

    def bracket(self, event: Event) -> Text:
        """Return what is missing of the meter's proof before and after a reading, or nothing."""
        action = event.action
        assert isinstance(action, Measured)  # noqa: S101 - only readings are asked about
        # Another meter's proof, or another mode's, says nothing of this one.
        own = [p for p in self.proofs if isinstance(p.action, MeterProven) and self._is_same(p.action, action)]
        before = [p for p in (*own, *self.serving(action)) if p.is_before(event)]
        before.sort(key=_order)
        if not before:
            return (
                message("lockout.prove-meter-live-source-first")
                if not action.mode
                else message("lockout.prove-mode-live-source-first")
            )
        # Changing the meter's function invalidates the proof: turned to ohms and back it may stand on the wrong one.
        if self._function_changed(before[-1], event, action):
            return FUNCTION_CHANGED
        after = [p for p in own if event.is_before(p)]
        if not after or self._function_changed(event, after[0], action):
            return PROVE_AGAIN
        return ""

    def serving(self, action: Measured) -> list[Event]:
        """Return the live supply readings of this call by the same meter and mode: each shows that it reads.

        Source:
            docs/trade.md, section 4, step 3: a known live source. The unit's own live feed is one.
        """
        found = []
        for feed in self._feeds:
            legs = {f"{feed}.{leg}": volts for leg, volts in zip(("l1", "l2"), self.plate.leg_volts, strict=True)}
            known = {volts_at(*legs): self.plate.nominal_volts}
            known |= {volts_at(leg, GROUND): volts for leg, volts in legs.items() if volts}
            for point, volts in known.items():
                found += [
                    e
                    for e in self.between(point)
                    if isinstance(e.action, Measured)
                    and (e.action.meter, e.action.mode) == (action.meter, action.mode)
                    and e.action.condition.feed_state(feed) == "live"
                    and e.action.value >= FRAME_SHARE * volts
                    and e.id not in self.taken_back
                ]
        return found

    @staticmethod
    def _is_same(proof: MeterProven, action: Measured) -> bool:
        return (proof.meter, proof.mode) == (action.meter, action.mode)

    def _function_changed(self, start: Event, end: Event, action: Measured) -> bool:
        """Tell whether that meter read anything else, or was proven in another mode, between two events."""
        for proof in self.proofs:
            shown = proof.action
            is_other = isinstance(shown, MeterProven) and shown.meter == action.meter and shown.mode != action.mode
            if is_other and not proof.is_before(start) and not end.is_before(proof):
                return True
        for other in self.readings:
            taken = other.action
            if not isinstance(taken, Measured) or taken.meter != action.meter:
                continue
            # Volts after volts leave the dial where it was.
            is_alike = spot_of(taken.point).function == spot_of(action.point).function and taken.mode == action.mode
            if not is_alike and not other.is_before(start) and not end.is_before(other):
                return True
        return False

    def below(self, action: Measured) -> bool:
        """Tell whether a reading is below the dead limit, uncertainty included."""
        # All of the meter's doubt is on the dangerous side.
        return action.value + action.meter_uncertainty < self.limits.number("dead_volts")

    def at(self, point: str) -> list[Event]:
        """Return the readings between two places since power was off, oldest first; corrected ones too.

        A correction is a second thought about an old reading, not a new one: it proves nothing dead. What it replaces
        still warns, if it was live.
        """
        offs = self.off_events
        if offs is None:
            return []
        return [event for event in self.between(point) if all(not event.is_before(off) for off in offs)]

    def between(self, point: str) -> list[Event]:
        """Return the readings in the unit between two places, the probes either way round, oldest first."""
        if self._between is None:
            self._between = {}
            for event in self.readings:
                if isinstance(event.action, Measured) and not event.action.in_hand:
                    self._between.setdefault(_pair_of(event.action.point), []).append(event)
        return self._between.get(_pair_of(point), [])

    @property
    def taken_back(self) -> frozenset[str]:
        """Readings that were voided or corrected: what they said shows nothing."""
        if self._taken_back is None:
            corrected = (e.action.supersedes for e in self.readings if isinstance(e.action, Measured))
            self._taken_back = self.voided.union(name for name in corrected if name)
        return self._taken_back

    @property
    def off_events(self) -> list[Event] | None:
        """What each feed was switched off with; None while any of them is live."""
        if self._offs is None:
            self._offs = [self._off_event(feed) for feed in self._feeds]
        found = [off for off in self._offs if off is not None]
        return found if len(found) == len(self._offs) else None

    def pair(self, point: str, feeds: tuple[str, ...], voided: frozenset[str]) -> Pair:
        """Judge one pair: its newest reading proves it, or that and a proven low-impedance one after it."""
        taken = self.at(point)
        if not taken:
            return Pair(
                point=point, feeds=feeds, volts=None, counts=False, why_not=message("lockout.not-read-since-power-was")
            )
        newest = taken[-1]
        action = newest.action
        assert isinstance(action, Measured)  # noqa: S101 - `at` returns readings
        why: Text = ""
        # A number thought better of was not read again.
        if action.supersedes or newest.id in voided:
            why = READ_AGAIN
        elif not self.below(action):
            why = (
                message("lockout.above-1-v-treat-as")
                if not action.mode
                else message("lockout.still-there-low-impedance-mode")
            )
        else:
            why = self.floor(newest) or self.bracket(newest)
        if not why and spot_of(point).is_to_ground:
            why = self.frame(newest)
        return Pair(point=point, feeds=feeds, volts=action.value, counts=not why, why_not=why)

    def frame(self, event: Event | None) -> Text:
        """Return what is missing of the frame's own proof before a reading, or before now; nothing where it is one."""
        told = self.ticks.get(("safe-frame", ""))
        if (
            told is not None
            and isinstance(told.action, Ticked)
            and told.action.is_done
            and told.action.volts is not None
        ):
            is_now = all((off := self._off_event(feed)) is not None and off.is_before(told) for feed in self._feeds)
            # Shown live from another source after power was off: the frame conducts now, not only this morning.
            if is_now and told.action.volts >= FRAME_VOLTS:
                return ""
        taken_back = self.taken_back
        for feed in self._feeds:
            for leg, leg_volts in zip(("l1", "l2"), self.plate.leg_volts, strict=True):
                point = volts_at(f"{feed}.{leg}", GROUND)
                if leg_volts == 0:
                    # A neutral shows nothing to the frame, live or dead.
                    continue
                shown = [
                    e
                    for e in self.between(point)
                    if isinstance(e.action, Measured)
                    and (event is None or e.is_before(event))
                    and e.id not in taken_back
                    # Normal volts from a live leg: less, and the frame may be floating on paint.
                    and e.action.value >= FRAME_SHARE * leg_volts
                    and e.action.condition.feed_state(feed) == "live"
                ]
                if not shown:
                    return message("lockout.frame-not-proven-read-each")
        return ""


def _feed_words(plate: Nameplate, feed: str) -> Text:
    return message("lockout.feed") if len(plate.feeds) == 1 else feed.replace("-", " ").capitalize()


def fold(
    plate: Nameplate, events: Iterable[Event], *, voided: frozenset[str] = frozenset(), limits: Limits = DEFAULT_LIMITS
) -> Lockout:
    """Return what is live, off or dead after these events, in any order they came.

    Args:
        plate: The unit, as its plate stands now.
        events: The call's events.
        voided: Ids of events that were voided; a live one voided still counts as live.
        limits: The shop's limits; the dead limit is one of them.
    Source:
        docs/trade.md, section 3, Dead, and section 4, step 3.
    """
    taken = list(events)
    f = _Fold(plate=plate, limits=limits, events=taken, voided=voided)
    f.take()
    feeds = [feed.id for feed in plate.feeds]
    off = {feed: f.feed_is_off(feed) for feed in feeds}
    pairs = tuple(f.pair(point, about, voided) for point, about in dead_pairs(plate))
    contradicted = _contradicted(f, voided)
    missing = _missing(f, off, pairs, contradicted)
    dead = all(off.values()) and not missing
    states: dict[str, FeedState] = {feed: "proven dead" if dead else "off" if off[feed] else "live" for feed in feeds}
    low = _parts_below(f, voided)
    control, control_missing, other = _control(f, voided, dead=dead, all_off=all(off.values()))
    return Lockout(
        seq=max((event.seq for event in taken), default=0),
        feeds=states,
        opened={feed: f.opened.get(feed, "") for feed in feeds if off[feed]},
        control=control,
        calls=dict(f.calls),
        bypassed=f.bypassed,
        changed_at=f.changed_at,
        live_since=f.live_since,
        locks=_locks(f),
        ticks={key: event for key, event in f.ticks.items() if _tick_counts(f, key, event)},
        proofs={p.action.mode: p for p in f.proofs if isinstance(p.action, MeterProven)},
        pairs=pairs,
        frame_is_proven=not f.frame(None),
        shown_by=_shown_by(f),
        missing=(*missing, *control_missing),
        control_volts=other,
        parts_below=low if dead else frozenset(),
        parts_read_low=low,
    )


def _shown_by(f: _Fold) -> Event | None:
    """Return the newest live supply reading whose meter has stayed on the same function and mode since."""
    for event in sorted(f.readings, key=_order, reverse=True):
        action = event.action
        # Anything but AC volts, or another mode, was a turn of the dial.
        if not isinstance(action, Measured) or spot_of(action.point).function != "volts" or action.mode:
            return None
        if event in f.serving(action):
            return event
    return None


def _locks(f: _Fold) -> tuple[Lock, ...]:
    found = []
    for (feed, person), event in f.locks.items():
        action = event.action
        if isinstance(action, Locked) and action.is_on and not action.owner:
            found.append(Lock(feed=feed, person=person, by=event.by, how=action.how, at=event.done_at))
    return tuple(found)


def _tick_counts(f: _Fold, key: tuple[str, str], event: Event) -> bool:
    """A tick counts while it stands as done and nothing can have been live since; protective gear stays on."""
    action = event.action
    if not isinstance(action, Ticked) or not action.is_done:
        return False
    lives = [live for events in f.lives.values() for live in events]
    return key[0] == "safe-gear" or all(live.is_before(event) for live in lives)


def _missing(f: _Fold, off: Mapping[str, bool], pairs: Sequence[Pair], contradicted: Text) -> tuple[Text, ...]:
    """Return what still stands between *off* and *proven dead*, in the order of work."""
    plate = f.plate
    words: list[Text] = []
    for feed, is_off in off.items():
        name = _feed_words(plate, feed)
        if not is_off:
            words.append(message("lockout.off", feed=name))
        elif not f.opened.get(feed):
            words.append(message("lockout.opened-at-which-device", feed=name))
    for line, about in safe_ticks(plate):
        event = f.ticks.get((line, about))
        if event is None or not _tick_counts(f, (line, about), event):
            words.append(TICK_WORDS[line])
    left = [pair for pair in pairs if not pair.counts]
    if all(off.values()) and left:
        words.append(
            message("lockout.readings-line-terminals", left=len(left), all=len(pairs), why_not=left[0].why_not)
        )
    if contradicted:
        words.append(contradicted)
    return tuple(words)


TICK_WORDS = {
    "safe-gear": message("lockout.eye-hand-protection"),
    "safe-outdoor-off": message("lockout.outdoor-unit-off-locked-tagged"),
    "safe-capacitor": message("lockout.run-capacitor-discharged-through-resistor"),
}


def _contradicted(f: _Fold, voided: frozenset[str]) -> Text:
    """Return where volts were last read, with every feed off, that nobody has shown to be a ghost."""
    offs = f.off_events
    if offs is None:
        return ""
    newest: dict[frozenset[str], Event] = {}
    for event in f.readings:
        action = event.action
        if isinstance(action, Measured) and spot_of(action.point).function == "volts" and not action.in_hand:
            newest[frozenset(spot_of(action.point).places)] = event
    for event in newest.values():
        action = event.action
        assert isinstance(action, Measured)  # noqa: S101 - only readings are in it
        if any(event.is_before(off) for off in offs) or _on_control(action.point):
            continue
        is_sound = not action.supersedes and event.id not in voided
        if not (f.below(action) and is_sound) or (action.mode and f.bracket(event)):
            return message("lockout.v-was-read-every-feed", volts=action.value)
    return ""


def _on_control(point: str) -> bool:
    """Tell whether both places are on the 24 V side, which a separate source may feed while the feeds stay dead."""
    return all(is_control_side(end) for end in spot_of(point).places)


def _control(
    f: _Fold, voided: frozenset[str], *, dead: bool, all_off: bool
) -> tuple[ControlState, tuple[Text, ...], float | None]:
    """Return the control side's state, what is missing of its proof, and volts that stay with every feed off."""
    if f.control == "separate source":
        return "separate source", (), None
    pair = f.pair(CONTROL_PAIR, (), voided)
    lives = f.control_lives
    taken = f.at(CONTROL_PAIR)
    newest = taken[-1] if taken else None
    if pair.counts and newest is not None and any(not live.is_before(newest) for live in lives):
        pair = Pair(
            point=CONTROL_PAIR,
            feeds=(),
            volts=pair.volts,
            counts=False,
            why_not=message("lockout.control-was-live-since"),
        )
    stays = None
    if all_off and pair.volts is not None and pair.volts >= f.limits.number("other_source_from_volts"):
        stays = pair.volts
    if dead and pair.counts:
        return "proven dead", (), None
    missing = () if not all_off or pair.counts else (message("lockout.r-c", why_not=pair.why_not),)
    if stays is not None:
        missing = (message("lockout.control-still-v-every-feed", stays=stays),)
    return f.control, missing, stays


def _parts_below(f: _Fold, voided: frozenset[str]) -> frozenset[str]:
    """Return the places read below the dead limit since power was off: what may be touched there."""
    newest: dict[tuple[str, ...], Event] = {}
    for event in f.readings:
        action = event.action
        if isinstance(action, Measured) and spot_of(action.point).is_volts and not action.in_hand:
            newest[tuple(sorted(spot_of(action.point).places))] = event
    found: set[str] = set()
    for places, event in newest.items():
        action = event.action
        assert isinstance(action, Measured)  # noqa: S101 - only readings are in it
        if f.below(action) and not action.supersedes and event.id not in voided and not f.floor(event):
            found.update(places)
    return frozenset(found)
