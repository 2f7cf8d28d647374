"""The parts list of a network: terminals, leads that join them, branches, contacts, two-ports and sources.

Plain data. Wiring makes it, faults change it, the solver and the netlist read it, so that both see the same network.
"""

import cmath
import math
from dataclasses import dataclass, field

from plentar.core.errors import NameplateError
from plentar.core.unit.place import GROUND, frame_of, place_of, spot_of

__all__ = [
    "CLOSED_OHMS",
    "ECM",
    "HOLD_SHARE",
    "HOT_AMPS",
    "MAX_STEPS",
    "METER_OHMS",
    "SEIZED_SHARE",
    "SEPARATE",
    "SHORTED_SHARE",
    "STRAY_SIEMENS",
    "TURNING_SHARE",
    "Branch",
    "Circuit",
    "CircuitLead",
    "Clamp",
    "Contact",
    "Source",
    "TwoPort",
    "heated_pieces",
    "polar",
]

CLOSED_OHMS = 0.005
# The meter's own resistance.
METER_OHMS = 10e6
# A coil once in lets go at about this share of the volts it pulls in at.
HOLD_SHARE = 0.45
# Before a call's own 24 V tap of an electronic blower, among the coils: no part's id holds a colon.
ECM = "ecm:"
# Less than this joins two conductors by nothing but strays.
STRAY_SIEMENS = 1e-6
# A coil that draws this many times its current has shorted turns and no pull left.
SHORTED_SHARE = 3.5
# More turns than the longest chain of relays and trips takes: what still moves then, chatters.
MAX_STEPS = 24
# A motor runs from about half its volts on; below, it only hums.
TURNING_SHARE = 0.55
# Running amps vary by a third or so with air and capacitor; locked-rotor amps are three to six times them.
SEIZED_SHARE = 2.0
# From some 3 A on an element without air gets hot enough for its limit within minutes.
HOT_AMPS = 3.0
# The contact that stands for a separate low-voltage source between R and C, with the ohms inside it.
SEPARATE = "separate"


@dataclass(frozen=True, slots=True)
class CircuitLead:
    """A conductor between two terminals, joined to one node unless it is off or loose."""

    id: str
    a: str
    b: str


@dataclass(frozen=True, slots=True)
class Branch:
    """An impedance between two terminals: `ohms` at 60 Hz (complex), `dc_ohms` to an ohmmeter (inf for none)."""

    id: str
    a: str
    b: str
    ohms: complex
    dc_ohms: float


@dataclass(frozen=True, slots=True)
class Contact:
    """Something that opens and closes between two terminals.

    `driver` says what moves it: `call:W`, `jumper:W`, `relay:DEVICE`, `thermal:DEVICE`, `feed:FEED`,
    `disconnect:FEED`, `fuse`, `separate`, `limit:CIRCUIT`, `link`, `air`, `thermostat` (its conductors on).
    `is_closed_at_rest` is its state with nothing driven; `trip_amps` opens a breaker or fuse at once.
    """

    id: str
    a: str
    b: str
    driver: str
    is_closed_at_rest: bool
    ohms: float = CLOSED_OHMS
    trip_amps: float = math.inf

    @property
    def moved_by(self) -> tuple[str, str]:
        """What kind of thing moves it, and which one: `("relay", "relay-a")`, `("fuse", "")`."""
        kind, _, name = self.driver.partition(":")
        return kind, name

    @property
    def is_breaker(self) -> bool:
        """True for a pole of a feed's breaker or of one built into the unit: all of one trip together."""
        return self.driver == "fixed" or self.moved_by[0] == "feed"

    @property
    def owner(self) -> str:
        """Whose contact it is."""
        return place_of(self.id).owner


@dataclass(frozen=True, slots=True)
class TwoPort:
    """A transformer, or a rectifier as its linear equivalent: output = `ratio` × input behind `ohms`."""

    id: str
    in_a: str
    in_b: str
    out_a: str
    out_b: str
    ratio: float
    ohms: complex


@dataclass(frozen=True, slots=True)
class Source:
    """An alternating voltage from ground to a terminal behind a resistance; `volts` is the complex r.m.s. phasor."""

    id: str
    node: str
    volts: complex
    ohms: float


@dataclass(frozen=True, slots=True)
class Clamp:
    """A place for the clamp: the current is the signed sum of these branches' and contacts' currents."""

    id: str
    through: tuple[tuple[str, float], ...]

    @property
    def place(self) -> str:
        """The place around which it closes: `strip-a`."""
        return spot_of(self.id).part


@dataclass(slots=True)
class Circuit:
    """One unit's whole network; `coils` maps a device to its coil's terminals and the volts it acts on."""

    leads: list[CircuitLead] = field(default_factory=list)
    branches: list[Branch] = field(default_factory=list)
    contacts: list[Contact] = field(default_factory=list)
    two_ports: list[TwoPort] = field(default_factory=list)
    sources: list[Source] = field(default_factory=list)
    clamps: list[Clamp] = field(default_factory=list)
    coils: dict[str, tuple[str, str, float]] = field(default_factory=dict)
    motors: list[str] = field(default_factory=list)
    dc_terminals: dict[str, float] = field(default_factory=dict)
    line_volts: float = 240.0
    # What a separate source would push into a dead short [A]: its idle volts over the ohms inside it.
    separate_amps: float = 0.0
    # What every phasor is measured against: the frame, or in a unit the earth that its frame is tied to.
    reference: str = GROUND
    _terminals: dict[str, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._terminals[self.reference] = 0

    def terminal(self, name: str) -> str:
        """Note a terminal and return its name."""
        self._terminals.setdefault(name, len(self._terminals))
        return name

    @property
    def terminals(self) -> dict[str, int]:
        """Every terminal with its number; the reference is 0."""
        return self._terminals

    def lead(self, name: str, a: str, b: str) -> None:
        """Join two terminals by a conductor of no measurable resistance."""
        self.leads.append(CircuitLead(name, self.terminal(a), self.terminal(b)))

    def branch(self, name: str, a: str, b: str, ohms: complex, dc_ohms: float | None = None) -> None:
        """Put an impedance between two terminals."""
        if abs(ohms) == 0:
            raise NameplateError(f"{name} has no ohms")
        plain = ohms.real if isinstance(ohms, complex) else float(ohms)
        self.branches.append(
            Branch(name, self.terminal(a), self.terminal(b), complex(ohms), plain if dc_ohms is None else dc_ohms)
        )

    def contact(self, name: str, a: str, b: str, driver: str, *, closed: bool, **more: float) -> None:
        """Put a contact between two terminals."""
        self.contacts.append(Contact(name, self.terminal(a), self.terminal(b), driver, closed, **more))


def polar(ohms: float, power_factor: float) -> complex:
    """Return an inductive impedance of this size.

    Example:
        >>> z = polar(80.0, 0.8)
        >>> (round(z.real), round(z.imag))
        (64, 48)
    """
    return cmath.rect(ohms, math.acos(power_factor))


def heated_pieces(strip: str) -> tuple[str, ...]:
    """Return the pieces of a strip's wire that may heat: end to end, and from either end to where it touches."""
    element = f"{strip}.element"
    return element, frame_of(element, "1"), frame_of(element, "2")
