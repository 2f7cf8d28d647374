"""What was repaired on a unit before, and what that says today: lines to read, and how much likelier it makes a fault.

The weights are judgement, not measurement: each says why. They bend what is likely before anything is read; a reading
of today outweighs all of them.
"""

from dataclasses import dataclass

from plentar.core.causes.weighted import Factors
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of

__all__ = ["MOST_LINES", "NO_PAST", "YEAR_SECONDS", "Past", "Repair", "siblings_of"]

YEAR_SECONDS = 365.25 * 86400
MOST_LINES = 3
# What was put right without its cause has the cause still in it: a link that opened once more is three times as likely
# to be open now as one that never did, for about three years; then it was chance.
NO_CAUSE, NO_CAUSE_YEARS = 3.0, 3.0
# The same part twice in five years is no chance any more.
CAME_BACK, BACK_YEARS = 2.0, 5.0
# Its sibling has run as long, as hot, on the same air.
SIBLING, SIBLING_YEARS = 1.5, 5.0
# Contacts and elements are said to last some fifteen years of seasons; past that everything that wears is due.
AGED_FROM_YEARS, AGED = 15.0, 1.3
WEARS = ("element", "pole", "coil")
# Put right with its cause found, it is the last thing to look at for a year.
PUT_RIGHT, PUT_RIGHT_YEARS = 0.6, 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Repair:
    """One cause that was accepted on an earlier call.

    `at` is seconds since 1970; `when` the same as its reader says it; `faults` the ids it named, `title` its words.
    """

    at: float
    when: str
    faults: tuple[str, ...]
    title: str
    cause: str = ""
    is_cause_known: bool = True

    @property
    def parts(self) -> frozenset[str]:
        """The parts it was about: `strip-b.link`."""
        return frozenset(place_of(fault).whole_part for fault in self.faults)


@dataclass(frozen=True, slots=True, kw_only=True)
class Past:
    """A unit's earlier repairs, oldest first, and how old it is [years]; None where its plate does not say."""

    repairs: tuple[Repair, ...] = ()
    age_years: float | None = None

    def of(self, part: str) -> list[Repair]:
        """Return the repairs of one part."""
        return [repair for repair in self.repairs if part in repair.parts]

    def factors(self, plate: Nameplate, moment: float) -> Factors:
        """Return how much likelier the past makes the faults of each part; one that it says nothing of is left out.

        Args:
            plate: The unit, for the siblings of what failed.
            moment: Now, seconds since 1970.
        """
        found: dict[str, float] = {}
        for part in sorted({part for repair in self.repairs for part in repair.parts}):
            own = self.of(part)
            years = (moment - own[-1].at) / YEAR_SECONDS
            factor = 1.0
            if not own[-1].is_cause_known and years <= NO_CAUSE_YEARS:
                factor *= NO_CAUSE
            elif years <= PUT_RIGHT_YEARS and len(own) == 1:
                factor *= PUT_RIGHT
            if sum((moment - repair.at) / YEAR_SECONDS <= BACK_YEARS for repair in own) > 1:
                factor *= CAME_BACK
            found[part] = found.get(part, 1.0) * factor
            if years <= SIBLING_YEARS:
                for sibling in siblings_of(plate, part):
                    found.setdefault(sibling, SIBLING)
        if self.age_years is not None and self.age_years >= AGED_FROM_YEARS:
            for kind in WEARS:
                found[f"*.{kind}"] = AGED
        return tuple(sorted((part, factor) for part, factor in found.items() if factor != 1.0))

    def told(self, moment: float) -> tuple[tuple[Text, str], ...]:
        """Return what is worth reading before a call, most telling first, three lines at most.

        Each line comes with the fault it is about, empty where it names no part.
        """
        told: list[tuple[float, Text, str]] = []
        for part in {part for repair in self.repairs for part in repair.parts}:
            own = self.of(part)
            last = own[-1]
            years = (moment - last.at) / YEAR_SECONDS
            lately = [repair for repair in own if (moment - repair.at) / YEAR_SECONDS <= BACK_YEARS]
            words = message("past.repaired", title=last.title, when=last.when)
            if not last.is_cause_known:
                words = message("past.no-cause", line=words)
            elif last.cause:
                words = message("past.caused", line=words, cause=last.cause)
            if len(lately) > 1:
                words = message("past.again", line=words, count=len(lately))
            weight = (3.0 if len(lately) > 1 else 0.0) + (2.0 if not last.is_cause_known else 0.0) - 0.1 * years
            told.append((weight, words, last.faults[0]))
        told.sort(key=lambda entry: -entry[0])
        unnamed = [repair for repair in self.repairs if not repair.parts]
        for repair in reversed(unnamed):
            told.append((-9.0, message("past.repaired", title=repair.title, when=repair.when), ""))
        return tuple((words, fault) for _, words, fault in told[:MOST_LINES])


NO_PAST = Past()


def siblings_of(plate: Nameplate, part: str) -> list[str]:
    """Return the like parts of a unit that are as old: of its other circuits, or its other devices of one kind.

    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> siblings_of(PATTERNS["two-strip-sequencer"](), "strip-b.link")
        ['strip-a.link']
    """
    place = place_of(part)
    kinds = {device.id: device.kind for device in plate.devices}
    if place.owner in kinds:
        return [name for name, kind in kinds.items() if kind == kinds[place.owner] and name != place.owner]
    strips = [circuit.id for circuit in plate.circuits]
    if place.owner not in strips or not place.part:
        return []
    like = [c.id for c in plate.circuits if place.part not in ("link", "limit") or place.part in c.order]
    return [f"{strip}.{place.part}" for strip in like if strip != place.owner]
