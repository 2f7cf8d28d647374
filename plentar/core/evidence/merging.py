"""Events that came later than others done after them: what two people without contact did to one unit, put together.

Nothing is dropped and nothing kept is changed. What was live, off or dead at a moment is folded anew with everything
known by now; a reading stamped before that was known is told apart, so that nobody judges by a stamp that is wrong.
"""

from collections.abc import Iterable, Mapping
from dataclasses import replace

from plentar.core.evidence.events import Closed, Event, Measured, PowerBack, Switched, Tapped
from plentar.core.evidence.lockout import Lockout, fold
from plentar.core.evidence.reading import Condition
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.unit.nameplate import Nameplate

__all__ = ["after_closing", "came_late", "doubted", "lockout_then"]

# What makes another condition of the unit; taps of the stopwatch make a call or end one.
CHANGES = (Switched, PowerBack, Tapped)


def came_late(events: Iterable[Event]) -> bool:
    """Tell whether some event came after one that was done later than it."""
    most = 0
    for event in sorted(events, key=lambda event: (event.done_at, event.seq)):
        if event.seq < most:
            return True
        most = event.seq
    return False


def lockout_then(
    plate: Nameplate,
    events: Iterable[Event],
    *,
    done_at: float,
    clock_seconds: float = 0.0,
    phone: str = "",
    voided: frozenset[str] = frozenset(),
    limits: Limits = DEFAULT_LIMITS,
) -> Lockout:
    """Return what was live, off or dead when something was done, by all that is known now.

    Args:
        plate: The unit.
        events: The call's events, later ones too.
        done_at: The moment asked about [s since 1970].
        clock_seconds: How far the clock that told it may be wrong [s]; what anybody *may* have done before it takes
            *dead* away, what surely came later does not.
        phone: Which phone did it: of its own events the order is certain.
        voided: Ids of events voided.
        limits: The shop's.
    Source:
        docs/trade.md, section 4, step 3: dead never outlives a live event of anybody.
    """
    known = list(events)

    def was_before(event: Event) -> bool:
        return event.done_at <= done_at or event.seq == 1

    def may_be_before(event: Event) -> bool:
        is_same_phone = bool(phone) and event.phone == phone
        return was_before(event) or (event.earliest <= done_at + clock_seconds and not is_same_phone)

    before = [event for event in known if was_before(event)]
    maybe = [event for event in known if may_be_before(event)]
    then = fold(plate, before, voided=voided, limits=limits)
    if len(maybe) == len(before) or not (then.feeds_are_dead or then.control == "proven dead"):
        return then
    doubt = fold(plate, maybe, voided=voided, limits=limits)
    if doubt.feeds_are_dead and doubt.control == "proven dead":
        return then
    feeds = {feed: "off" if doubt.feeds.get(feed) != "proven dead" else state for feed, state in then.feeds.items()}
    control = "off" if then.control == "proven dead" != doubt.control else then.control
    return replace(then, feeds=feeds, control=control)


def _stamp(condition: Condition) -> tuple[object, ...]:
    """Return what of a condition two stamps must share; the clock in it may be a second off."""
    return (*condition.state, condition.feeds_are_dead, condition.is_proven_dead)


def doubted(
    plate: Nameplate,
    events: Iterable[Event],
    *,
    voided: frozenset[str] = frozenset(),
    limits: Limits = DEFAULT_LIMITS,
) -> Mapping[str, Event]:
    """Return the readings whose stamp is wrong by what came later, each with the event it was kept without.

    A reading in the hand is of no condition. Of several such events the one done last before the reading is named.
    """
    known = list(events)
    if not came_late(known):
        return {}
    changes = [event for event in known if isinstance(event.action, CHANGES)]
    found: dict[str, Event] = {}
    for event in known:
        action = event.action
        if not isinstance(action, Measured) or action.in_hand or action.supersedes:
            continue
        unknown = [c for c in changes if c.seq > event.seq and not event.is_before(c)]
        if not unknown:
            continue
        then = lockout_then(
            plate,
            known,
            done_at=event.done_at,
            clock_seconds=event.clock_seconds,
            phone=event.phone,
            voided=voided,
            limits=limits,
        )
        if _stamp(then.condition(event.done_at)) != _stamp(replace(action.condition, in_hand="")):
            found[event.id] = max(unknown, key=lambda c: (c.done_at, c.seq))
    return found


def after_closing(events: Iterable[Event]) -> tuple[Event, ...]:
    """Return what came in after the call was closed, from somebody who did not know of it; oldest first."""
    known = sorted(events, key=lambda event: event.seq)
    closed = next((event for event in known if isinstance(event.action, Closed)), None)
    if closed is None:
        return ()
    late = [event for event in known if event.seq > closed.seq]
    return tuple(event for event in late if not (event.action.is_after_closing or isinstance(event.action, Closed)))
