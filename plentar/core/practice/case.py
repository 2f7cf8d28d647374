"""A practice call: a unit, what is hidden in it and how large, what is complained of, what a look finds."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

from plentar.core.causes.fault import Fault
from plentar.core.causes.faults import COMPLAINTS, fault_by_id
from plentar.core.circuit.changes import NO_CHANGE, Changes
from plentar.core.circuit.places import find_point, place_words
from plentar.core.errors import ReadingError
from plentar.core.evidence.signs import sign_of
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of
from plentar.core.unit.points import part_words

__all__ = ["SKILLS", "Case", "Hidden", "group_of", "part_of"]

# The skills of the trade, in its order of work (docs/trade.md, section 4).
SKILLS: Mapping[str, Text] = {
    name: message(f"practice.skill-{name}")
    for name in (
        "prove-dead", "open-closed", "amps", "back-feed", "timing", "control", "interlock", "substitution", "ledger",
        "feed", "air",
    )
}  # fmt: skip


# Pieces that have a name of their own among what can be repaired, by the words they have for it.
PIECES = frozenset((
    "lead-coil", "lead-common", "lead-com", "lead-no", "lead-nc", "lead-fixed", "lead-r", "lead-w", "lead-w2", "lead-g",
    "lead-y", "lead-1", "lead-2", "lead-c", "o-and-b", "w-to-y", "hub", "disconnect-l1", "disconnect-l2", "lug-l1",
    "lug-l2", "w", "w2", "g", "y", "lead-com-2", "lead-no-2", "lead-nc-2", "l1-pole", "l2-pole",
))  # fmt: skip


def part_of(plate: Nameplate, part: str) -> Text:
    """Return what is repaired, in words: the motor by itself is its run capacitor, the blower the whole of it.

    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> unit = PATTERNS["two-strip-sequencer"]()
        >>> part_of(unit, "strip-a.lead-2").id, part_of(unit, "feed-1.lug-l1").id
        ('practice.part-lead', 'practice.piece-lug-l1')
    """
    if part == "blower.motor":
        return message("practice.capacitor")
    if part == "equipment-ground":
        return message("practice.equipment-ground")
    place = place_of(part)
    if place.part.startswith("lead-") and place.owner in {circuit.id for circuit in plate.circuits}:
        ends = dict(fault_by_id(plate, f"{part}.off").title.figures)
        return message("practice.part-lead", strip=ends["strip"], end=ends["end"], other_end=ends["other_end"])
    if place.part in PIECES:
        is_relay = plate.blower.relay is not None and place.owner == plate.blower.relay.id
        owner = message("places.blower-relay") if is_relay else part_words(place.owner)
        return message(f"practice.piece-{place.part}", owner=owner)
    return place_words(plate, part)


def group_of(plate: Nameplate, part: str) -> Text:
    """Return where a part is, in words: its strip or device, the supply, blower and air, or the control side."""
    owner = place_of(part).owner
    if owner in {circuit.id for circuit in plate.circuits} | {device.id for device in plate.devices}:
        return part_words(owner)
    if owner in {feed.id for feed in plate.feeds} | {branch.id for branch in plate.branches} | {
        "supply",
        "equipment-ground",
    }:
        return message("practice.group-supply")
    is_air = owner in ("blower", "interlock", "air", plate.blower.relay.id if plate.blower.relay else "")
    return message("practice.group-blower" if is_air else "practice.group-control")


@dataclass(frozen=True, slots=True, kw_only=True)
class Hidden:
    """One hidden fault; `size` lies between its smallest, 0, and its largest, 1."""

    fault: str
    size: float = 0.5

    def __post_init__(self) -> None:
        if not 0 <= self.size <= 1:
            raise ReadingError(f"expected a size from 0 to 1, got {self.size:g}", field="size")


@dataclass(frozen=True, slots=True, kw_only=True)
class Case:
    """One practice call.

    Attributes:
        id: Names it on the ladder and in a file.
        title: What it is called where its answer may be seen.
        plate: The unit.
        hidden: What is wrong; nothing is an answer too.
        complaint: One of COMPLAINTS.
        words: What the customer says.
        skills: What it asks for, from SKILLS.
        level: 1 for one strip and one plain fault to 5 for two faults, weak ones, or wiring done wrong before.
        outdoor_degf: Outdoors [°F]; None where nobody said.
        indoor_degf: Indoors [°F].
        signs: What a look finds: kind of sign, and the part it is pinned to or nothing.
        supply_ratio: The service's volts over nominal.
        place_in_window: Where in their windows this unit's discs move, 0 the minimum, 1 the maximum.
        someone_locked: A feed somebody else's lock is on.
        read_before: What somebody wrote down before, right or not: point, number as written, calls that were on.
    """

    id: str
    title: str
    plate: Nameplate
    hidden: tuple[Hidden, ...] = ()
    complaint: str = "no heat"
    words: str = ""
    skills: tuple[str, ...] = ("open-closed",)
    level: int = 1
    outdoor_degf: float | None = None
    indoor_degf: float | None = 66.0
    signs: tuple[tuple[str, str], ...] = ()
    supply_ratio: float = 1.0
    place_in_window: float = 0.5
    someone_locked: str = ""
    read_before: tuple[tuple[str, str, tuple[str, ...]], ...] = ()
    faults: tuple[Fault, ...] = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        if self.complaint not in COMPLAINTS:
            raise ReadingError(f"expected one of the complaints, got {self.complaint[:40]!r}", field="complaint")
        for skill in self.skills:
            if skill not in SKILLS:
                raise ReadingError(f"expected one of {', '.join(SKILLS)}, got {skill[:40]!r}", field="skills")
        if not self.skills:
            raise ReadingError("say at least one skill it asks for", field="skills")
        if not 1 <= self.level <= 5:
            raise ReadingError(f"expected a level from 1 to 5, got {self.level}", field="level")
        if not 0.5 <= self.supply_ratio <= 1.2:
            raise ReadingError(
                f"expected a supply of 0.5 to 1.2 of nominal, got {self.supply_ratio:g}", field="supply_ratio"
            )
        if not 0 <= self.place_in_window <= 1:
            raise ReadingError("expected a place in the window from 0 to 1", field="place_in_window")
        for kind, _ in self.signs:
            if sign_of(kind) is None:
                raise ReadingError(f"there is no sign {kind[:40]!r}", field="signs")
        if self.someone_locked and self.someone_locked not in {feed.id for feed in self.plate.feeds}:
            raise ReadingError(f"the unit has no feed {self.someone_locked[:40]!r}", field="someone_locked")
        for point, typed, calls in self.read_before:
            find_point(self.plate, point)
            if not typed.strip() or len(typed) > 40:
                raise ReadingError("expected a number as it was written down", field="read_before")
            for call in calls:
                if call not in self.plate.calls:
                    raise ReadingError(f"the unit has no call {call[:10]!r}", field="read_before")
        names = [hidden.fault for hidden in self.hidden]
        if len(names) != len(set(names)) or "healthy" in names:
            raise ReadingError("each hidden fault once, and none of them is healthy", field="hidden")
        object.__setattr__(self, "faults", tuple(fault_by_id(self.plate, name) for name in names))

    def change_of(self, fault: Fault) -> Changes:
        """Return what one of the hidden faults changes, at its size."""
        for hidden, own in zip(self.hidden, self.faults, strict=True):
            if own.id == fault.id:
                # Half way falls on the size that is shown to whoever asks for the fault by name.
                return own.variants[max(0, math.ceil(hidden.size * (len(own.variants) - 1) - 0.5))]
        return NO_CHANGE
