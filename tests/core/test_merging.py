"""What came late: the condition then, stamps that were wrong, what came after the closing."""

from dataclasses import replace

import pytest

from plentar.core.evidence.events import Action, Closed, Event, Locked, Measured, MeterProven, Opened, Switched, Ticked
from plentar.core.evidence.lockout import dead_pairs, fold, safe_ticks
from plentar.core.evidence.merging import after_closing, came_late, doubted, lockout_then
from plentar.core.evidence.reading import Condition
from plentar.core.evidence.record import Record
from plentar.core.unit.patterns import PATTERNS
from plentar.core.visit import Visit
from plentar.core.work.safety import CONTROL_POINT

PLATE = PATTERNS["two-strip-sequencer"]()
FEED = PLATE.feeds[0].id
START = 1_000.0


def done(seq: int, at: float, action: Action, *, by: str = "Ana", clock: float = 0.0, phone: str = "") -> Event:
    """An event done at a moment after the start [s]."""
    at += START
    return Event(
        id=f"{by}-{seq}",
        seq=seq,
        action=action,
        person=by,
        by=by,
        done_at=at,
        come_at=at,
        clock_seconds=clock,
        phone=phone,
    )


def proven_dead(by: str = "Ana", *, clock: float = 0.0, phone: str = "") -> list[Event]:
    """The whole Safe list by one person, ten seconds a line, from the call's beginning."""
    low = [
        Measured(point=point, typed="0.2", value=0.2) for point in (*(p for p, _ in dead_pairs(PLATE)), CONTROL_POINT)
    ]
    live = [
        Measured(
            point=f"volts:{FEED}.{leg}:ground", typed="120", value=120.0, condition=Condition(feeds=((FEED, "live"),))
        )
        for leg in ("l1", "l2")
    ]
    actions: list[Action] = [
        Opened(feeds={FEED: "live"}),
        *live,
        Switched(what=FEED, state="off", device="disconnect"),
        Locked(feed=FEED),
        *(Ticked(line=line, about=about, volts=0.2) for line, about in safe_ticks(PLATE)),
        MeterProven(volts=121.0),
        *low,
        MeterProven(volts=121.0),
    ]
    return [done(n + 1, 10.0 * n, action, by=by, clock=clock, phone=phone) for n, action in enumerate(actions)]


DEAD = proven_dead()
END = DEAD[-1].done_at - START


def test_the_example_is_dead() -> None:
    """Without it nothing below shows anything."""
    assert fold(PLATE, DEAD).is_dead


def test_what_came_late_is_of_the_condition_it_was_done_under() -> None:
    """Dead at the time, live now: asked of then it was dead, asked of now it is not."""
    back = done(99, END + 600, Switched(what=FEED, state="live"), by="Bo")
    events = [*DEAD, back]
    assert not fold(PLATE, events).is_dead
    assert lockout_then(PLATE, events, done_at=START + END + 300).is_dead
    assert not lockout_then(PLATE, events, done_at=START + END + 700).is_dead


@pytest.mark.parametrize(
    ("clock", "is_dead"), [pytest.param(200.0, True, id="surely before"), pytest.param(400.0, False, id="maybe after")]
)
def test_dead_is_gone_where_somebody_may_have_been_live_before(clock: float, is_dead: bool) -> None:
    """The other's breaker closed 300 s later, by clocks that may be so many seconds wrong."""
    back = done(99, END + 600, Switched(what=FEED, state="live"), by="Bo")
    then = lockout_then(PLATE, [*DEAD, back], done_at=START + END + 300, clock_seconds=clock)
    assert then.is_dead == is_dead
    assert then.feeds[FEED] == ("proven dead" if is_dead else "off")


def test_of_one_phone_the_order_is_certain_whatever_its_clock() -> None:
    """A clock that may be an hour wrong proves dead all the same where one phone did all of it; two people's do not."""
    assert not fold(PLATE, proven_dead(clock=3600.0)).is_dead
    assert fold(PLATE, proven_dead(clock=3600.0, phone="p")).is_dead
    back = done(99, END + 30, Switched(what=FEED, state="live"), clock=3600.0, phone="p")
    assert lockout_then(
        PLATE, [*proven_dead(clock=3600.0, phone="p"), back], done_at=START + END + 10, clock_seconds=3600.0, phone="p"
    ).is_dead
    other = replace(back, phone="q", by="Bo", person="Bo")
    events = [*proven_dead(clock=3600.0, phone="p"), other]
    assert not lockout_then(PLATE, events, done_at=START + END + 10, clock_seconds=3600.0, phone="p").is_dead


def test_a_reading_stamped_without_knowing_of_a_switch_counts_no_more() -> None:
    """Bo read with no call on the stamp; Ana, out of contact, had called W a minute before."""
    opened = done(1, 0, Opened(feeds={FEED: "live"}))
    stamp = Condition(feeds=((FEED, "live"),))
    read = done(2, 100, Measured(point="amps:strip-a", typed="0", value=0.0, condition=stamp), by="Bo")
    later = done(4, 200, Measured(point="amps:strip-a", typed="20", value=20.0, condition=stamp), by="Bo")
    switch = done(3, 40, Switched(what="W", state="on"))
    assert not came_late([opened, read])
    assert came_late([opened, read, switch])
    assert doubted(PLATE, [opened, read]) == {}
    found = doubted(PLATE, [opened, read, switch])
    assert {name: event.id for name, event in found.items()} == {read.id: switch.id}
    # Kept after the switch had come, its stamp is what was known: that is not for this to say.
    assert later.id not in doubted(PLATE, [opened, read, switch, later])
    visit = Visit(PLATE, Record([opened, read, switch]), moment=START + 300)
    assert visit.standing == ()
    [conflict] = visit.conflicts
    assert (conflict.mine.by, conflict.theirs.by) == ("Bo", "Ana")
    # A part in the hand is of no condition of the unit.
    coil = Measured(point="ohms:seq-a.coil", typed="48", value=48.0, in_hand="at rest", condition=stamp)
    in_hand = done(2, 100, coil, by="Bo")
    assert doubted(PLATE, [opened, in_hand, switch]) == {}
    # Of two it did not know of, the last one done is named.
    second = done(4, 60, Switched(what="G", state="on"))
    assert doubted(PLATE, [opened, read, switch, second]) == {read.id: second}
    # One that stands after the reading changes nothing of it.
    assert doubted(PLATE, [opened, read, done(3, 150, Switched(what="W", state="on"))]) == {}


def test_what_came_after_the_closing_is_told_apart() -> None:
    """Evidence of before, which whoever closed did not know."""
    opened = done(1, 0, Opened(feeds={FEED: "live"}))
    closed = done(2, 300, Closed(outcome="fine"), by="Bo")
    late = done(3, 100, Switched(what="W", state="on"))
    assert after_closing([opened, late]) == ()
    assert after_closing([opened, closed, late]) == (late,)
    [conflict] = Visit(PLATE, Record([opened, closed, late]), moment=START + 400).conflicts
    assert conflict.kind == "closed"
