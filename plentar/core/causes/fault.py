"""One fault as a value: its id, what it changes in the circuit, its repair and its proof."""

import math
import operator
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import reduce

from plentar.core.causes.modes import Group, Mode, Shows, Takes
from plentar.core.circuit.changes import NO_CHANGE, Changes
from plentar.core.message import Figure, Message, message
from plentar.core.unit.place import place_of

__all__ = [
    "FUSE",
    "HEALTHY",
    "OFF",
    "SERVICE",
    "SHORTED_SHARES",
    "Fault",
    "fault_of",
    "mended",
    "takes_fuse_along",
    "together",
]

FUSE = "fuse"
# The part a fault of the service is at.
SERVICE = "supply"
# What is left of a shorted coil's ohms: from next to nothing, which blows the fuse at once, to a few turns bridged
# (docs/trade.md, section 9).
SHORTED_SHARES = (0.001, 0.01, 0.03, 0.06, 0.12, 0.2, 0.35, 0.6)
# What is replaced as a whole, whichever part of it failed.
WHOLE_PARTS = frozenset({"device", "relay", "motor", "thermostat", "transformer"})
# A lead that is off, a winding that is open: no ohms a meter could tell from none at all.
OFF = math.inf


@dataclass(frozen=True, slots=True, kw_only=True)
class Fault:
    """One thing that can be wrong with one part: a mode of `modes`, and what it changes.

    `mode` is the row it is of. `variants` are the same fault at several sizes, rising or falling, equally likely;
    whatever lies between two of them is the fault as well. `signs` are how many times likelier each sign at its part
    makes it.
    """

    id: str
    mode: str
    title: Message
    part: str
    kind: Group
    weight: float
    variants: tuple[Changes, ...]
    repair: Message
    proof: Message
    shows: Shows = "always"
    takes: Takes = ""
    signs: Mapping[str, float] = field(default_factory=dict, hash=False)

    @property
    def mended(self) -> tuple[str, str]:
        """What is repaired, and how: whatever of one sequencer failed, that sequencer is replaced; so is an element."""
        owner = place_of(self.part).owner
        how = self.takes if self.takes == "element" else self.repair.id
        return (owner if self.takes in WHOLE_PARTS else self.part, how)

    @property
    def usual(self) -> Changes:
        """The fault at its middle size: what one is shown who asks for it by name."""
        return self.variants[self.usual_variant]

    @property
    def usual_variant(self) -> int:
        """The number of that size."""
        return (len(self.variants) - 1) // 2


def together(faults: Iterable[Fault]) -> Changes:
    """Return what faults change at once, each at its usual size; of none, nothing."""
    return reduce(operator.or_, (fault.usual for fault in faults), NO_CHANGE)


def mended(faults: Iterable[Fault]) -> frozenset[tuple[str, str]]:
    """Return what is repaired for these faults at once; a fuse that a short took along is part of mending it."""
    own = tuple(faults)
    return frozenset(fault.mended for fault in own if not takes_fuse_along(own) or fault.part != FUSE)


def takes_fuse_along(faults: Iterable[Fault]) -> bool:
    """Tell whether one of some faults is a short on the control side and another the fuse it blew."""
    own = tuple(faults)
    return any(fault.part == FUSE for fault in own) and any(fault.kind == "short" for fault in own)


HEALTHY = Fault(
    id="healthy",
    mode="",
    title=message("fault.healthy"),
    part="",
    kind="healthy",
    # `faults_of` gives it its share of the calls.
    weight=0.0,
    variants=(NO_CHANGE,),
    repair=message("repair.none"),
    proof=message("proof.all-strips-on-and-off"),
)


def fault_of(mode: Mode, part: str, *variants: Changes, weight: float | None = None, **figures: Figure) -> Fault:
    """Return a part's fault: its id is the part and the last word of the mode.

    Args:
        mode: The way it fails.
        part: The part, as the circuit spells it.
        variants: What it changes in the circuit, at each magnitude.
        weight: How often this part fails that way, where that is not as usual.
        figures: What its words name.
    """
    return Fault(
        id=f"{part}.{mode.id.rpartition('.')[2]}",
        mode=mode.id,
        title=message(f"fault.{mode.id}", **figures),
        part=part,
        kind=mode.group,
        weight=mode.weight if weight is None else weight,
        variants=variants,
        repair=message(f"repair.{mode.repair}", **figures),
        proof=message(f"proof.{mode.proof}", **figures),
        shows=mode.shows,
        takes=mode.takes,
        signs=mode.signs,
    )
