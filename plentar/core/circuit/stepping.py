"""What moves a contact, from which value on, and in which order: the one rule of the plain and the batched solver.

Each function takes one number or an array with one number a variant, and answers in kind.
"""

from typing import Any, Protocol, TypeVar

from plentar.core.circuit.drive import Drive
from plentar.core.circuit.network import (
    HOLD_SHARE,
    HOT_AMPS,
    SEIZED_SHARE,
    TURNING_SHARE,
    Circuit,
    Contact,
)

__all__ = ["Movers", "advance", "at_rest", "gets_hot", "is_turning", "pulls_in", "trip_groups"]

Moved = TypeVar("Moved")


class Movers(Protocol[Moved]):
    """The mechanisms of a circuit. Each moves where nothing has moved in this step yet, and returns where it did."""

    def trip_at_once(self, moved: Moved) -> Moved:
        """Trip breakers whose amps lie above their instant trip."""
        ...

    def move_relays(self, moved: Moved) -> Moved:
        """Pull in and let go relays."""
        ...

    def blow_fuse(self, moved: Moved) -> Moved:
        """Blow the control fuse."""
        ...

    def move_sequencers(self, moved: Moved) -> Moved:
        """Warm and cool thermal sequencers."""
        ...

    def trip_by_heat(self, moved: Moved) -> Moved:
        """Trip weak breakers by the heat of their load."""
        ...

    def open_limits(self, moved: Moved) -> Moved:
        """Open the limit of a strip that heats without air."""
        ...


def advance(movers: Movers[Any], moved: Any) -> Any:
    """Let the fastest mechanism that wants to move do so; return where one did.

    Args:
        movers: The mechanisms.
        moved: Where something has moved already: False, or an array of it.

    Source:
        docs/architecture.md, The circuit core: instant trips take a cycle, relays some, a fuse longer than a contact,
        a sequencer's disc seconds when everything electric has long settled, a weak breaker minutes, a limit longest.
    """
    for mechanism in (
        movers.trip_at_once,
        movers.move_relays,
        movers.blow_fuse,
        movers.move_sequencers,
        movers.trip_by_heat,
        movers.open_limits,
    ):
        moved = moved | mechanism(moved)
    return moved


def pulls_in(volts: Any, pull_volts: Any, is_in: Any) -> Any:
    """Tell whether a coil is in at these volts: once in, it holds at less than it took to pull it in."""
    return (volts > HOLD_SHARE * pull_volts) & (is_in | (volts >= pull_volts))


def is_turning(volts: Any, drawn_share: Any, line_volts: float) -> Any:
    """Tell whether a motor moves air.

    A rotor that stands still draws several times what it does running: it moves no air, whatever its size.

    Args:
        volts: Across the motor [V].
        drawn_share: Its admittance by that of a sound motor.
        line_volts: The unit's supply [V].
    """
    return (drawn_share > 0) & (drawn_share < SEIZED_SHARE) & (volts > TURNING_SHARE * line_volts)


def gets_hot(amps: Any) -> Any:
    """Tell whether an element without air gets hot enough for its limit within minutes."""
    return amps > HOT_AMPS


def at_rest(contact: Contact, drive: Drive) -> tuple[bool, bool]:
    """Return a contact's state with no coil driven, and whether its conductors are off altogether."""
    kind, name = contact.moved_by
    match kind:
        case "call":
            return name in drive.calls and not drive.bypassed, False
        case "jumper":
            return name in drive.calls and drive.bypassed, False
        case "thermostat":
            return not drive.bypassed, drive.bypassed
        case "feed":
            return name not in drive.dead_feeds, False
        case "disconnect":
            return name not in drive.opened, False
        case "fuse":
            # A separate source stands at R and C with the fuse out: it must not feed the transformer backwards.
            return drive.has_control, drive.separate
        case "separate":
            return drive.separate, False
    return contact.is_closed_at_rest, False


def trip_groups(circuit: Circuit) -> dict[str, int]:
    """Number the devices whose poles trip together; what does not trip as a breaker is not in it."""
    names: dict[str, int] = {}
    groups = {}
    for contact in circuit.contacts:
        if contact.is_breaker:
            groups[contact.id] = names.setdefault(contact.owner, len(names))
    return groups
