"""The fold that says live, off or dead: whatever people do, in whatever order it comes, dead never outlives a live."""

import random
from dataclasses import replace
from itertools import combinations
from typing import Any

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from plentar.core.errors import ReadingError
from plentar.core.evidence.events import (
    Action,
    Event,
    Locked,
    Measured,
    MeterProven,
    PowerBack,
    Replated,
    Switched,
    Ticked,
    first_event,
)
from plentar.core.evidence.lockout import Lockout, fold
from plentar.core.evidence.reading import Condition, Mode
from plentar.core.evidence.record import Record
from plentar.core.intake import Sender, take_in
from plentar.core.limits.table import Limits
from plentar.core.unit.patterns import PATTERNS
from plentar.core.visit import Visit
from plentar.core.work.safety import NOT_DEAD, condition_refusal
from plentar.words import render

PLATE = PATTERNS["four-strip-chained"]()
FEEDS = ["feed-1", "feed-2"]
LEGS = [f"{feed}.{leg}" for feed in FEEDS for leg in ("l1", "l2")]
PEOPLE = ["ana", "ben"]
# Written out, not asked of the code that is tested: every leg to every other, and each to the frame.
PAIRS = [frozenset(two) for two in combinations(LEGS, 2)] + [frozenset((leg, "ground")) for leg in LEGS]
LIVE = Condition(feeds=(("feed-1", "live"), ("feed-2", "live")))


class Story:
    """A call's events, made one after another by a clock that runs by itself."""

    def __init__(self) -> None:
        self.now = 1000.0
        self.events: list[Event] = []
        self.add(first_event(PLATE), "ana")

    def add(self, action: Action, person: str, *, ago: float = 0.0, clock: float = 0.0) -> Event:
        self.now += 10.0
        if isinstance(action, Measured | MeterProven):
            action = replace(action, meter=f"{person}'s")
        event = Event(
            id=f"e{len(self.events)}",
            seq=len(self.events) + 1,
            action=action,
            person=person,
            by=person.title(),
            done_at=self.now - ago,
            come_at=self.now,
            clock_seconds=clock,
        )
        self.events.append(event)
        return event

    def volts(self, point: str, volts: float, person: str = "ana", **more: Any) -> Event:
        when = {name: more.pop(name) for name in ("ago", "clock") if name in more}
        return self.add(Measured(point=f"volts:{point}", typed=str(volts), value=volts, **more), person, **when)

    def show_frame(self) -> None:
        for leg in LEGS:
            self.volts(f"{leg}:ground", 120.0, condition=LIVE)

    def switch_off(self, person: str = "ana") -> None:
        for feed in FEEDS:
            self.add(Switched(what=feed, state="off", device="disconnect"), person)
        for feed in FEEDS:
            self.add(Locked(feed=feed), person)

    def tick(self, person: str = "ana") -> None:
        for line in ("safe-gear", "safe-outdoor-off", "safe-capacitor"):
            self.add(Ticked(line=line, volts=0.2 if line == "safe-capacitor" else None), person)

    def read_all(self, person: str = "ana", volts: float = 0.2, mode: Mode = "") -> None:
        self.add(MeterProven(volts=121.0, mode=mode), person)
        for pair in PAIRS:
            self.volts(":".join(sorted(pair)), volts, person, mode=mode)
        self.volts("board.r:board.c", volts, person, mode=mode)
        self.add(MeterProven(volts=121.0, mode=mode), person)

    def prove(self, person: str = "ana") -> None:
        """Everything the list asks for, in its order."""
        self.show_frame()
        self.switch_off(person)
        self.tick(person)
        self.read_all(person)

    @property
    def lockout(self) -> Lockout:
        return fold(PLATE, self.events)


def is_live_event(event: Event) -> bool:
    """What makes a feed live, told again in the test's own words."""
    action = event.action
    return isinstance(action, PowerBack) or (isinstance(action, Switched) and action.state == "live")


def surely_before(a: Event, b: Event) -> bool:
    return a.done_at + a.clock_seconds < b.done_at - b.clock_seconds


class LockoutMachine(RuleBasedStateMachine):
    """Two feeds, two people, events that come late or by a clock nobody trusts."""

    late = st.sampled_from([0.0, 0.0, 0.0, 15.0, 200.0, 900.0])
    clocks = st.sampled_from([0.0, 0.0, 5.0, 60.0])
    people = st.sampled_from(PEOPLE)
    feeds = st.sampled_from(FEEDS)
    modes = st.sampled_from(["", "low impedance"])

    @initialize()
    def begin(self) -> None:
        self.story = Story()
        self.story.show_frame()

    @rule(person=people, feed=feeds, ago=late, clock=clocks)
    def make_live(self, person: str, feed: str, ago: float, clock: float) -> None:
        self.story.add(Switched(what=feed, state="live"), person, ago=ago, clock=clock)
        assert not self.story.lockout.feeds_are_dead or ago > 0

    @rule(person=people, feed=feeds, device=st.sampled_from(["", "panel", "disconnect"]), ago=late)
    def make_off(self, person: str, feed: str, device: str, ago: float) -> None:
        self.story.add(Switched(what=feed, state="off", device=device), person, ago=ago)

    @rule(person=people, feed=feeds, is_on=st.booleans(), ago=late)
    def lock(self, person: str, feed: str, is_on: bool, ago: float) -> None:
        self.story.add(Locked(feed=feed, is_on=is_on), person, ago=ago)

    @rule(person=people, mode=modes, ago=late)
    def prove_meter(self, person: str, mode: Mode, ago: float) -> None:
        self.story.add(MeterProven(volts=121.0, mode=mode), person, ago=ago)

    @rule(person=people, pair=st.sampled_from(PAIRS), volts=st.sampled_from([0.0, 0.99, 1.0, 3.0, 240.0]), mode=modes)
    def read(self, person: str, pair: frozenset[str], volts: float, mode: Mode) -> None:
        self.story.volts(":".join(sorted(pair)), volts, person, mode=mode)

    @rule(person=people)
    def read_every_pair(self, person: str) -> None:
        self.story.read_all(person)

    @rule(person=people)
    def work_by_the_list(self, person: str) -> None:
        """Done in order, with nothing live still on its way, the list always ends in proof."""
        self.story.switch_off(person)
        self.story.tick(person)
        self.story.read_all(person)
        # A clock no more than a minute wrong can reach past the switch-off only if the live was within that minute.
        if not any(is_live_event(e) and e.clock_seconds for e in self.story.events):
            assert self.story.lockout.is_dead, self.story.lockout.missing

    @rule(person=people, ago=late, clock=clocks)
    def power_back(self, person: str, ago: float, clock: float) -> None:
        self.story.add(PowerBack(is_confirmed=True), person, ago=ago, clock=clock)

    @rule()
    def change_plate(self) -> None:
        self.story.add(Replated(feeds=("feed-1", "feed-2"), calls=("W", "W2", "G")), "ana")

    @invariant()
    def dead_has_a_proof_later_than_every_live_event(self) -> None:
        lockout = self.story.lockout
        if not lockout.feeds_are_dead:
            return
        events = self.story.events
        lives = [e for e in events if is_live_event(e)]
        taken = [e for e in events if isinstance(e.action, Measured)]
        for pair in PAIRS:
            proofs = [
                e
                for e in taken
                if isinstance(e.action, Measured)
                and frozenset(e.action.point.split(":")[1:]) == pair
                and e.action.value < 1.0
                and all(surely_before(live, e) for live in lives)
                and any(
                    isinstance(p.action, MeterProven) and p.person == e.person and p.done_at < e.done_at for p in events
                )
                and any(
                    isinstance(p.action, MeterProven) and p.person == e.person and p.done_at > e.done_at for p in events
                )
                and all(is_locked(events, feed, e.person) for feed in FEEDS)
            ]
            assert proofs, pair

    @invariant()
    def the_order_they_came_in_changes_nothing(self) -> None:
        mixed = list(self.story.events)
        random.Random(len(mixed)).shuffle(mixed)  # noqa: S311 - a shuffle that a failing run repeats, not a secret
        again, lockout = fold(PLATE, mixed), self.story.lockout
        assert (again.feeds, again.control, again.pairs) == (lockout.feeds, lockout.control, lockout.pairs)

    @invariant()
    def one_more_live_event_always_ends_it(self) -> None:
        for last in (Switched(what="feed-2", state="live"), PowerBack(is_confirmed=True)):
            story = Story()
            story.now, story.events = self.story.now, list(self.story.events)
            story.add(last, "ben")
            assert "proven dead" not in {*story.lockout.feeds.values(), story.lockout.control}


def is_locked(events: list[Event], feed: str, person: str) -> bool:
    """The newest word, by when it was done, of this person's own lock on this feed."""
    own = [e for e in events if isinstance(e.action, Locked) and e.action.feed == feed and e.person == person]
    newest = max(own, key=lambda e: (e.done_at, e.seq), default=None)
    return newest is not None and isinstance(newest.action, Locked) and newest.action.is_on


LockoutMachine.TestCase.settings = settings(max_examples=40, stateful_step_count=14)
TestLockout = LockoutMachine.TestCase


@pytest.fixture
def proven() -> Story:
    """A unit on two feeds, proven dead by the list."""
    story = Story()
    story.prove()
    assert story.lockout.is_dead
    return story


@pytest.mark.parametrize("gone", range(len(PAIRS)), ids=["-".join(sorted(pair)) for pair in PAIRS])
def test_every_pair_counts(gone: int) -> None:
    """One pair unread, whichever it is, and nothing is proven."""
    story = Story()
    story.show_frame()
    story.switch_off()
    story.tick()
    story.add(MeterProven(volts=121.0), "ana")
    for pair in [*PAIRS[:gone], *PAIRS[gone + 1 :]]:
        story.volts(":".join(sorted(pair)), 0.1)
    story.volts("board.r:board.c", 0.1)
    story.add(MeterProven(volts=121.0), "ana")
    assert set(story.lockout.feeds.values()) == {"off"}
    story.volts(":".join(sorted(PAIRS[gone])), 0.1)
    story.add(MeterProven(volts=121.0), "ana")
    assert story.lockout.feeds_are_dead


@pytest.mark.parametrize("feed", FEEDS)
@pytest.mark.parametrize("what", ["live", "no lock", "no device"])
def test_all_feeds_not_any(feed: str, what: str) -> None:
    """Whichever feed it is, one of two not off, not locked or opened at nobody knows what leaves both unproven."""
    story = Story()
    story.show_frame()
    for each in FEEDS:
        if (each, what) != (feed, "live"):
            device = "" if (each, what) == (feed, "no device") else "disconnect"
            story.add(Switched(what=each, state="off", device=device), "ana")
        if (each, what) != (feed, "no lock"):
            story.add(Locked(feed=each), "ana")
    story.tick()
    story.read_all()
    assert "proven dead" not in story.lockout.feeds.values()


@pytest.mark.parametrize(("volts", "is_dead"), [(0.99, True), (1.0, False)])
@pytest.mark.parametrize("point", ["feed-1.l1:feed-2.l2", "feed-2.l1:ground", "strip-a.element.1:strip-a.element.2"])
def test_one_volt_anywhere_is_live(proven: Story, point: str, volts: float, is_dead: bool) -> None:
    """Under 1 V is dead, 1 V is not, at a terminal or at a part, after everything else was proven."""
    proven.volts(point, volts)
    proven.add(MeterProven(volts=121.0), "ana")
    assert proven.lockout.feeds_are_dead is is_dead


def test_what_the_meter_may_be_wrong_by_counts(proven: Story) -> None:
    """0.97 V on a meter that may be 0.05 V off is not below a volt."""
    for half_width, is_dead in ((0.02, True), (0.05, False)):
        proven.volts("feed-1.l1:feed-1.l2", 0.97, meter_uncertainty=half_width)
        proven.add(MeterProven(volts=121.0), "ana")
        assert proven.lockout.feeds_are_dead is is_dead


def test_power_back_on_makes_every_feed_and_the_control_side_live(proven: Story) -> None:
    """Whoever says so, and whatever stands open on record."""
    proven.add(PowerBack(is_confirmed=True), "ben")
    assert set(proven.lockout.feeds.values()) == {"live"}
    assert proven.lockout.control == "from unit"
    assert proven.lockout.opened == {}


def test_the_dead_limit_is_the_shops() -> None:
    """A shop that asks for less has less asked of it nowhere else."""
    story = Story()
    story.show_frame()
    story.switch_off()
    story.tick()
    story.read_all(volts=0.6)
    assert story.lockout.is_dead
    assert not fold(PLATE, story.events, limits=Limits(changed=(("dead_volts", (0.5,)),))).feeds_are_dead


def test_a_ghost_is_told_by_the_low_impedance_mode_proven_before_and_after() -> None:
    """3 V on the dial, 0.2 V in low impedance: dead only when that mode too was shown to read, on both sides."""
    story = Story()
    story.show_frame()
    story.switch_off()
    story.tick()
    story.read_all(volts=3.0)
    assert not story.lockout.feeds_are_dead
    story.add(MeterProven(volts=121.0, mode="low impedance"), "ana")
    for pair in PAIRS:
        story.volts(":".join(sorted(pair)), 0.2, mode="low impedance")
    assert not story.lockout.feeds_are_dead
    # The dial's own mode, proven, does not prove the low-impedance one.
    story.add(MeterProven(volts=121.0), "ana")
    assert not story.lockout.feeds_are_dead
    story.read_all(volts=0.2, mode="low impedance")
    assert story.lockout.feeds_are_dead


def test_a_meter_proven_by_one_does_not_prove_anothers_reading(proven: Story) -> None:
    """The same meter before and after: Ben's reading needs his own proof and his own lock."""
    proven.volts("feed-1.l1:feed-1.l2", 0.1, "ben")
    proven.add(MeterProven(volts=121.0), "ben")
    assert not proven.lockout.feeds_are_dead


def test_another_meters_proof_is_not_this_ones() -> None:
    """Ana proves hers, Ben reads with his, both locks on: his is not proven."""
    story = Story()
    story.show_frame()
    story.switch_off("ana")
    story.switch_off("ben")
    story.tick()
    story.add(MeterProven(volts=121.0), "ana")
    for pair in PAIRS:
        story.volts(":".join(sorted(pair)), 0.1, "ben")
    story.add(MeterProven(volts=121.0), "ana")
    assert "first prove the meter on a live source" in " ".join(map(render, story.lockout.missing))


def test_the_function_changed_between_ends_the_proof() -> None:
    """Ohms between the meter's proof and the reading: the dial was turned, and the proof is gone."""
    story = Story()
    story.show_frame()
    story.switch_off()
    story.tick()
    story.add(MeterProven(volts=121.0), "ana")
    story.add(Measured(point="ohms:strip-a.element", typed="11.5", value=11.5, in_hand="at rest"), "ana")
    for pair in PAIRS:
        story.volts(":".join(sorted(pair)), 0.1)
    story.add(MeterProven(volts=121.0), "ana")
    assert "function" in " ".join(map(render, story.lockout.missing))
    assert not story.lockout.feeds_are_dead


@pytest.mark.parametrize(("volts", "is_frame"), [(95.0, False), (97.0, True)])
def test_the_frame_is_itself_proven(volts: float, is_frame: bool) -> None:
    """Four fifths of a leg's volts to the frame show it; less may be a lost bond, and 0 V to that proves nothing."""
    story = Story()
    for leg in LEGS:
        story.volts(f"{leg}:ground", volts, condition=LIVE)
    story.switch_off()
    story.tick()
    story.read_all()
    assert story.lockout.feeds_are_dead is is_frame


def dead_after(story: Story, *, frame: bool = True, **more: Any) -> bool:
    """Go through the rest of the list and tell what comes of it."""
    if frame:
        story.show_frame()
    story.switch_off()
    story.tick()
    story.read_all(**more)
    return story.lockout.feeds_are_dead


@pytest.mark.parametrize("gone", LEGS)
def test_every_leg_of_every_feed_shows_the_frame(gone: str) -> None:
    """Three legs of four to the frame: the fourth may stand on a frame that is none."""
    story = Story()
    for leg in LEGS:
        if leg != gone:
            story.volts(f"{leg}:ground", 120.0, condition=LIVE)
    assert not dead_after(story, frame=False)


def test_a_frame_is_shown_by_what_was_read_live_and_stands() -> None:
    """Volts read with that feed off show something else; a reading taken back shows nothing."""
    off = Condition(feeds=(("feed-1", "live"), ("feed-2", "off")))
    story = Story()
    for leg in LEGS:
        story.volts(f"{leg}:ground", 120.0, condition=off)
    assert not dead_after(story, frame=False)

    story = Story()
    story.show_frame()
    shown = story.events[-1]
    assert dead_after(story, frame=False)
    assert not fold(PLATE, story.events, voided=frozenset({shown.id})).feeds_are_dead
    point = f"volts:{LEGS[-1]}:ground"
    story.add(Measured(point=point, typed="12", value=12.0, supersedes=shown.id, reason="wrong hole"), "ana")
    assert not story.lockout.frame_is_proven


@pytest.mark.parametrize(("before", "is_dead"), [(False, True), (True, False)])
def test_a_frame_shown_by_another_source_is_shown_after_power_went_off(before: bool, is_dead: bool) -> None:
    """A known live leg of another source to the frame, told with its volts: of this frame as it stands now."""
    story = Story()
    told = Ticked(line="safe-frame", volts=121.0)
    if before:
        story.add(told, "ana")
    story.switch_off()
    if not before:
        story.add(told, "ana")
    story.tick()
    story.read_all()
    assert story.lockout.feeds_are_dead is is_dead


def test_what_was_read_before_the_lock_was_on_proves_nothing() -> None:
    """Off, read, then locked: somebody could have switched it on between."""
    story = Story()
    story.show_frame()
    for feed in FEEDS:
        story.add(Switched(what=feed, state="off", device="disconnect"), "ana")
    story.tick()
    story.read_all()
    for feed in FEEDS:
        story.add(Locked(feed=feed), "ana")
    assert not story.lockout.feeds_are_dead
    story.read_all()
    assert story.lockout.feeds_are_dead


def test_somebody_elses_lock_does_not_count_for_ones_own_reading() -> None:
    """Ben locked, Ana read: his lock keeps him safe, and he may take it off."""
    story = Story()
    story.show_frame()
    story.switch_off("ben")
    story.tick()
    story.read_all("ana")
    assert "Ana's own lock" in " ".join(map(render, story.lockout.missing))
    assert not story.lockout.feeds_are_dead


def test_readings_from_before_a_live_event_do_not_count_again(proven: Story) -> None:
    """Live and off again, the list ticked again: what was read before is not what stands now."""
    proven.add(Switched(what="feed-1", state="live"), "ben")
    proven.switch_off()
    proven.tick()
    assert not proven.lockout.feeds_are_dead
    assert all(pair.volts is None for pair in proven.lockout.pairs)


def is_dead(story: Story) -> bool:
    """Every feed, as the story stands."""
    return story.lockout.feeds_are_dead


def test_the_list_is_ticked_again_after_a_live_event(proven: Story) -> None:
    """The outdoor unit was off before Ben came: nobody knows whether it still is."""
    proven.add(Switched(what="feed-1", state="live"), "ben")
    proven.switch_off()
    proven.read_all()
    assert not is_dead(proven)
    proven.tick()
    assert is_dead(proven)


def test_a_ghost_at_a_part_is_told_by_a_proven_mode_only(proven: Story) -> None:
    """40 V at an element with every feed off: the low-impedance mode tells once it was itself proven."""
    proven.volts("strip-a.element.1:ground", 40.0)
    assert not is_dead(proven)
    proven.volts("strip-a.element.1:ground", 0.2, mode="low impedance")
    assert not is_dead(proven)
    proven.add(MeterProven(volts=121.0, mode="low impedance"), "ana")
    proven.volts("strip-a.element.1:ground", 0.2, mode="low impedance")
    proven.add(MeterProven(volts=121.0, mode="low impedance"), "ana")
    assert is_dead(proven)


def test_a_driven_control_side_does_not_make_the_feeds_live(proven: Story) -> None:
    """24 V of a separate source at the board says nothing against the feeds; to the frame it would."""
    proven.add(Switched(what="control", state="separate source"), "ana")
    proven.volts("board.w:board.c", 24.6)
    assert is_dead(proven)
    proven.volts("board.w:ground", 24.6)
    assert not is_dead(proven)


def test_a_correction_and_what_was_struck_out_prove_nothing(proven: Story) -> None:
    """5 V corrected to 0.2 is a second thought: read it again. So is a reading taken back."""
    point = "feed-1.l1:feed-2.l2"
    five = proven.volts(point, 5.0)
    action = Measured(point=f"volts:{point}", typed="0.2", value=0.2, supersedes=five.id, reason="misread")
    again = proven.add(action, "ana")
    proven.add(MeterProven(volts=121.0), "ana")
    assert not is_dead(proven)
    read = proven.volts(point, 0.2)
    proven.add(MeterProven(volts=121.0), "ana")
    assert is_dead(proven)
    assert not fold(PLATE, proven.events, voided=frozenset({read.id})).feeds_are_dead
    assert again.id != read.id


def test_another_meters_dial_is_not_this_ones() -> None:
    """Ben reads ohms of a part in his hand with his meter while Ana proves the unit dead with hers."""
    story = Story()
    story.show_frame()
    story.switch_off()
    story.tick()
    story.add(MeterProven(volts=121.0), "ana")
    story.add(Measured(point="ohms:strip-a.element", typed="11.5", value=11.5, in_hand="at rest"), "ben")
    for pair in PAIRS:
        story.volts(":".join(sorted(pair)), 0.1)
    story.add(MeterProven(volts=121.0), "ana")
    assert is_dead(story)


def test_control_is_dead_only_with_every_feed() -> None:
    """R to C reads nothing, proven before and after; the line terminals were not read."""
    story = Story()
    story.show_frame()
    story.switch_off()
    story.tick()
    story.add(MeterProven(volts=121.0), "ana")
    story.volts("board.r:board.c", 0.1)
    story.add(MeterProven(volts=121.0), "ana")
    assert story.lockout.control == "from unit"


@pytest.mark.parametrize(("volts", "is_fed"), [(17.9, False), (18.0, True)])
def test_control_volts_that_stay_are_another_source(volts: float, is_fed: bool) -> None:
    """Every feed off and 24 V at the board: said first, and never dead."""
    story = Story()
    story.show_frame()
    story.switch_off()
    story.tick()
    story.read_all()
    story.volts("board.r:board.c", volts)
    lockout = story.lockout
    assert (lockout.other_source, lockout.control) == (is_fed, "from unit")
    assert ("another source" in " ".join(map(render, lockout.missing))) is is_fed


def test_what_an_older_record_called_dead_is_off() -> None:
    """It has no readings to show for it."""
    story = Story()
    story.events = []
    story.add(replace(first_event(PLATE), feeds=dict.fromkeys(FEEDS, "proven dead"), control="proven dead"), "ana")
    assert {*story.lockout.feeds.values(), story.lockout.control} == {"off", "from unit"}


def test_power_back_brings_back_control_that_was_off(proven: Story) -> None:
    """Control switched off by itself is from the unit again once power is back."""
    proven.add(Switched(what="control", state="off"), "ana")
    proven.add(PowerBack(is_confirmed=True), "ben")
    assert proven.lockout.control == "from unit"


def test_dead_control_ends_with_its_own_source_and_with_any_feed(proven: Story) -> None:
    """A separate source makes control live again, and after it the feeds' proof does not bring it back."""
    proven.add(Switched(what="control", state="separate source"), "ana")
    assert (proven.lockout.feeds_are_dead, proven.lockout.control) == (True, "separate source")
    proven.add(Switched(what="control", state="off"), "ana")
    states = [proven.lockout.control]
    proven.add(Switched(what="feed-2", state="live"), "ben")
    assert set(proven.lockout.feeds.values()) == {"live", "off"}
    assert [*states, proven.lockout.control] == ["off", "off"]


def test_a_feed_nobody_knew_of_is_live(proven: Story) -> None:
    """The plate turns out to have a second feed: what was proven of one is not proven of two."""
    one = PATTERNS["two-strip-sequencer"]()
    story = Story()
    story.events = []
    story.add(first_event(one), "ana")
    for leg in ("l1", "l2"):
        story.volts(f"feed-1.{leg}:ground", 120.0, condition=LIVE)
    story.add(Switched(what="feed-1", state="off", device="panel"), "ana")
    story.add(Locked(feed="feed-1"), "ana")
    story.tick()
    story.read_all()
    assert fold(one, story.events).is_dead
    story.add(Replated(feeds=("feed-1", "feed-2"), calls=("W", "W2", "G")), "ben")
    lockout = fold(PLATE, story.events)
    assert lockout.feeds["feed-2"] == "live"
    assert "proven dead" not in {*lockout.feeds.values(), lockout.control}


def test_ones_own_lock_is_on_every_feed(proven: Story) -> None:
    """Ben locked one of two: the other may come back on him."""
    proven.add(Locked(feed="feed-1"), "ben")
    assert [proven.lockout.has_locked(person) for person in PEOPLE] == [True, False]
    proven.add(Locked(feed="feed-2"), "ben")
    assert proven.lockout.has_locked("ben")


def test_another_persons_lock_is_theirs(proven: Story) -> None:
    """Ben's lock stays until Ben or a named person who reached him takes it off; Ana's proof stands on her own."""
    proven.add(Locked(feed="feed-1"), "ben")
    assert {lock.person for lock in proven.lockout.locks_of("feed-1")} == {"ana", "ben"}
    proven.add(Locked(feed="feed-1", is_on=False), "ana")
    assert {lock.person for lock in proven.lockout.locks_of("feed-1")} == {"ben"}
    assert not proven.lockout.feeds_are_dead
    proven.add(Locked(feed="feed-1", is_on=False, owner="ben", reached="by phone, he is down the ladder"), "ana")
    assert proven.lockout.locks_of("feed-1") == ()


DRIVEN = Condition(feeds=tuple((feed, "proven dead") for feed in FEEDS), control="separate source")
DEAD = replace(DRIVEN, control="proven dead")


@pytest.mark.parametrize(
    ("condition", "point", "is_allowed"),
    [
        (DEAD, "ohms:strip-a.element", True),
        (DEAD, "ohms:seq-a.pole-1", True),
        (DRIVEN, "ohms:seq-a.pole-1", True),
        (DRIVEN, "ohms:strip-a.element", False),
        (DRIVEN, "ohms:seq-a.coil", False),
        (DRIVEN, "ohms:feed-1.l1:feed-1.l2", False),
        (replace(DRIVEN, feeds=(("feed-1", "proven dead"), ("feed-2", "off"))), "ohms:seq-a.pole-1", False),
        (replace(DRIVEN, feeds=(("feed-1", "off"), ("feed-2", "off"))), "ohms:seq-a.pole-1", False),
        (replace(DEAD, control="off"), "ohms:seq-a.pole-1", False),
        (LIVE, "ohms:strip-a.element", False),
        (replace(LIVE, in_hand="at rest"), "ohms:strip-a.element", True),
        (LIVE, "volts:feed-1.l1:feed-1.l2", True),
    ],
)
def test_where_ohms_may_be_read(condition: Condition, point: str, is_allowed: bool) -> None:
    """All proven dead; with a coil driven only across a contact, feeds still proven dead; in the hand at any time."""
    assert (not condition_refusal(PLATE, condition, point)) is is_allowed


def test_ohms_an_older_record_holds_of_a_live_unit_are_not_corrected_into_new_ones() -> None:
    """A correction tells what that reading was, and it was none that may be taken."""
    story = Story()
    old = story.add(Measured(point="ohms:strip-a.element", typed="11", value=11.0, condition=LIVE), "ana")
    action = Measured(point="ohms:strip-a.element", typed="11.5", supersedes=old.id, reason="misread")
    sender = Sender(
        person="ana", done_at=story.now, meters={}, meter="", parse=lambda text, _: float(text), words=render
    )
    with pytest.raises(ReadingError) as refused:
        take_in(Visit(PLATE, Record(story.events)), action, sender)
    assert refused.value.message == NOT_DEAD
