"""What a circuit is fed and told, and which settled states a reading's condition may mean."""

import math
from dataclasses import dataclass

from plentar.core.evidence.reading import Condition, Hand
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.windows import closing
from plentar.core.unit.nameplate import Nameplate

__all__ = ["Drive", "drives_of", "is_early"]

# How likely a good pole has not moved yet: inside its window, after it while still marginal, and until it counts as
# never. After the window only a tired one is late (docs/trade.md, section 3): few good ones are.
WAITING_SHARE, MARGINAL_SHARE, LATE_SHARE = 0.5, 0.15, 0.03
# More states than this, of many slow poles, say nothing more: the later ones are taken together.
MOST_STATES = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class Drive:
    """What the circuit is fed and told: feeds live, calls on.

    `dead_feeds` are open at the panel, `opened` at the disconnect, which leaves its line side live. `waiting` names
    thermal contacts that have not had time to move; `limits_open` opens the limits of strips that heat without air.
    `bypassed`: the thermostat's conductors are off and the calls are made by jumpers at the board. `separate`: a
    separate low-voltage source stands at R and C, the control fuse out. `hand`: the part measured is out of the unit.
    """

    calls: frozenset[str] = frozenset()
    dead_feeds: frozenset[str] = frozenset()
    has_control: bool = True
    waiting: frozenset[str] = frozenset()
    limits_open: bool = False
    bypassed: bool = False
    separate: bool = False
    opened: frozenset[str] = frozenset()
    hand: Hand = ""


def drives_of(
    plate: Nameplate,
    condition: Condition,
    limits: Limits = DEFAULT_LIMITS,
    *,
    patient: bool = False,
    tapped_late: bool = False,
) -> list[tuple[Drive, float]]:
    """Return the settled states a condition may mean, each with its share, the fewest moved first.

    Thermal poles that are still inside their window may or may not have moved: they are taken in the order of their
    windows.

    Args:
        plate: The unit.
        condition: What it was fed and told.
        limits: The shop's windows.
        patient: Count a pole as perhaps on its way until its clock has run out, not only to its window's end.
        tapped_late: The call stood for minutes before it was tapped: all have moved.

    Source:
        docs/trade.md, section 5, patience clock.
    """
    if condition.in_hand:
        return [(Drive(hand=condition.in_hand), 1.0)]
    off = frozenset(feed.id for feed in plate.feeds if condition.feed_state(feed.id) != "live")
    opened = frozenset(feed for feed in off if condition.opened_at(feed) == "disconnect")
    separate = condition.control == "separate source"
    states = _stages(plate, condition, limits, patient=patient, tapped_late=tapped_late)
    return [
        (
            Drive(
                calls=condition.on,
                dead_feeds=off - opened,
                has_control=condition.control == "from unit",
                waiting=waiting,
                bypassed=condition.bypassed,
                separate=separate,
                opened=opened,
            ),
            share,
        )
        for waiting, share in states
    ]


@dataclass(frozen=True, slots=True, order=True)
class _Timed:
    """A pole that may not have moved: its window, how long it has been called, how likely it is still waiting."""

    max_seconds: float
    min_seconds: float
    name: str
    seconds: float
    waits: float


def _stages(
    plate: Nameplate, condition: Condition, limits: Limits, *, patient: bool, tapped_late: bool
) -> list[tuple[frozenset[str], float]]:
    """Return which poles may still be waiting, each set with its share."""
    timed: list[_Timed] = []
    for device in plate.devices:
        seconds = condition.call_seconds(plate.call_of(device.id))
        if not device.of_kind.is_thermal or seconds is None:
            continue
        poles = [(f"{device.id}.pole-{pole.number}", pole) for pole in device.poles]
        if device.auxiliary is not None:
            poles.append((f"{device.id}.auxiliary", device.auxiliary))
        for name, pole in poles:
            window = closing(plate, device.id, pole, limits)
            if seconds < (window.never_seconds if patient else window.max_seconds):
                waits = WAITING_SHARE
                if seconds >= window.max_seconds:
                    waits = MARGINAL_SHARE if seconds < window.late_seconds else LATE_SHARE
                timed.append(_Timed(window.max_seconds, window.min_seconds, name, seconds, waits))
    if tapped_late:
        # Long enough for all of them, by whoever made the call.
        return [(frozenset(), 1.0)]
    timed.sort()
    late = [entry for entry in timed if entry.seconds >= entry.max_seconds]
    steps = [[entry] for entry in timed if entry.seconds < entry.max_seconds]
    # What is late is late together or not at all: one step for all of it, since each is a circuit to be solved.
    steps = [late, *steps] if late else steps
    # None of them, the first, the first two … may have moved; one that is before its minimum, and all after it, cannot.
    chances = [max(entry.waits for entry in step) for step in steps]
    states = []
    for count in range(len(steps) + 1):
        if count and any(entry.seconds < entry.min_seconds for entry in steps[count - 1]):
            break
        share = math.prod(1 - chance for chance in chances[:count]) * math.prod(chances[count:])
        states.append((frozenset(entry.name for step in steps[count:] for entry in step), share))
    if len(states) > MOST_STATES:
        states = [*states[: MOST_STATES - 1], (states[-1][0], sum(share for _, share in states[MOST_STATES - 1 :]))]
    whole = sum(share for _, share in states)
    return [(waiting, share / whole) for waiting, share in states]


def is_early(plate: Nameplate, condition: Condition, limits: Limits = DEFAULT_LIMITS) -> bool:
    """Tell whether a condition is younger, by the clock, than the earliest that one of its poles may move."""
    called = [(device, condition.call_seconds(plate.call_of(device.id))) for device in plate.devices]
    return any(
        seconds < closing(plate, device.id, pole, limits).min_seconds
        for device, seconds in called
        if seconds is not None and device.of_kind.is_thermal
        for pole in device.poles
    )
