"""What a circuit is fed and told, and which settled states a reading's condition may mean."""

from dataclasses import dataclass

from plentar.core.evidence.reading import Condition, Hand
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.windows import closing
from plentar.core.unit.nameplate import Nameplate

__all__ = ["Drive", "drives_of"]

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


def drives_of(plate: Nameplate, condition: Condition, limits: Limits = DEFAULT_LIMITS) -> list[tuple[Drive, float]]:
    """Return the settled states a condition may mean, each with its share.

    Thermal poles that are still inside their window may or may not have moved: they are taken in the order of their
    windows. Limits may be closed or, where strips heat without air, open.

    Source:
        docs/trade.md, section 5, patience clock.
    """
    if condition.in_hand:
        return [(Drive(hand=condition.in_hand), 1.0)]
    off = frozenset(feed.id for feed in plate.feeds if condition.feed_state(feed.id) != "live")
    opened = frozenset(feed for feed in off if condition.opened_at(feed) == "disconnect")
    separate = condition.control == "separate source"
    states = _stages(plate, condition, limits)
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
            1.0 / len(states),
        )
        for waiting in states
    ]


def _stages(plate: Nameplate, condition: Condition, limits: Limits) -> list[frozenset[str]]:
    timed: list[tuple[float, float, str, float]] = []
    for device in plate.devices:
        seconds = condition.call_seconds(plate.call_of(device.id))
        if not device.of_kind.is_thermal or seconds is None:
            continue
        poles = [(f"{device.id}.pole-{pole.number}", pole) for pole in device.poles]
        if device.auxiliary is not None:
            poles.append((f"{device.id}.auxiliary", device.auxiliary))
        for name, pole in poles:
            window = closing(plate, device.id, pole, limits)
            if seconds < window.max_seconds:
                timed.append((window.max_seconds, window.min_seconds, name, seconds))
    timed.sort()
    # None of them, the first, the first two … may have moved; one that is before its minimum, and all after it, cannot.
    states = [frozenset(name for _, _, name, _ in timed)]
    for count in range(1, len(timed) + 1):
        if timed[count - 1][3] < timed[count - 1][1]:
            break
        states.append(frozenset(name for _, _, name, _ in timed[count:]))
    return states[:MOST_STATES]
