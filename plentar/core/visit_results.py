"""What a visit says, each a value of its own: a reading judged, advice, air, a row of the four, a ledger, a conflict.

`visit` makes them; screens, papers, files and commands read them.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from plentar.core.circuit.drive import Drive
from plentar.core.evidence.events import Event, LedgerLead
from plentar.core.evidence.reading import Reading
from plentar.core.evidence.record import RecordedReading
from plentar.core.judging.air import AirVerdict
from plentar.core.judging.anywhere import healthy
from plentar.core.limits.verdicts import Verdict
from plentar.core.message import Text, joined, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import amps_at
from plentar.core.unit.points import Point
from plentar.core.work.ledger import LedgerNote

__all__ = [
    "AHEAD",
    "ROWS",
    "WEATHER",
    "Advice",
    "AdviceKind",
    "AirResult",
    "Airstream",
    "BlowerRow",
    "Conflict",
    "Judged",
    "Ledger",
    "LegCheck",
    "healthy_row",
    "row_calls",
]

ROWS: tuple[tuple[str, frozenset[str]], ...] = (
    ("G", frozenset({"G"})),
    ("W", frozenset({"W"})),
    ("W and G", frozenset({"W", "G"})),
    ("nothing", frozenset()),
)
# The kind of a finding that stands ahead of the unit: an electrician's.
AHEAD = "ahead of the unit"
# Of one that is no part of the unit: the house and its weather ask for more than it has.
WEATHER = "weather"


@dataclass(frozen=True, slots=True, kw_only=True)
class Judged:
    """A reading with its point and its verdict in the light of what stands."""

    taken: RecordedReading
    point: Point
    verdict: Verdict

    @property
    def reading(self) -> Reading:
        """The reading itself."""
        return self.taken.reading

    @property
    def is_superseded(self) -> bool:
        """True when it was corrected or voided."""
        return bool(self.taken.void_reason)


AdviceKind = Literal["stop", "wait", "prove", "test", "again", "accept", "check", "well"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Advice:
    """What to do now, and the point it is about where it is one."""

    kind: AdviceKind
    words: Text
    point: str = ""
    # Under which calls a proof is read; the step it is done in where that is no reading; whether all is shown.
    calls: frozenset[str] = frozenset()
    step: str = ""
    is_proven: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Airstream:
    """What heats the air, as read: volts, each strip's amps, the blower's, and the watts of it all."""

    volts: float
    strips: Mapping[str, float]
    blower_amps: float | None
    watts: float
    uncertainty: float
    missing: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class AirResult:
    """One measurement of the air, judged: with which filter, the two temperatures, what follows."""

    event: Event
    filter: str
    return_degf: float
    supply_degf: float
    altitude_feet: float
    verdict: AirVerdict


@dataclass(frozen=True, slots=True, kw_only=True)
class BlowerRow:
    """One row of the four: what a healthy unit does, what was seen, whether that agrees."""

    name: str
    calls: frozenset[str]
    blower_runs: bool
    strips_heat: bool
    seen_blower: bool | None
    seen_strips: bool | None
    is_set: bool

    @property
    def words(self) -> Text:
        """What is called, to be read."""
        return joined(sorted(self.calls, reverse=True)) or message("visit.nothing")

    @property
    def agrees(self) -> bool | None:
        """Whether all that was seen is as it should be; None before anything was."""
        seen = [(self.seen_blower, self.blower_runs), (self.seen_strips, self.strips_heat)]
        known = [a == b for a, b in seen if a is not None]
        return all(known) if known else None


@dataclass(frozen=True, slots=True, kw_only=True)
class LegCheck:
    """Volts between same-named legs of two feeds, all live: the point, and its verdict once it was read."""

    point: str
    verdict: Verdict | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Ledger:
    """One part's ledger as it stands: its rows and what they mean."""

    part: str
    name: Text
    rows: tuple[LedgerLead, ...]
    notes: tuple[LedgerNote, ...]
    was_live: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Conflict:
    """Two sides that did not know of each other: a reading and the switch it was kept without, or late and closed."""

    kind: Literal["stamp", "closed"]
    mine: Event
    theirs: Event
    words: Text
    other_words: Text


def row_calls(plate: Nameplate, wanted: frozenset[str]) -> frozenset[str]:
    """Return the calls a row of the blower test means on a unit: its heat stages together.

    Source:
        docs/trade.md, section 4, step 11.
    """
    return wanted | {"W2"} if "W" in wanted and "W2" in plate.calls else wanted


@lru_cache(maxsize=256)
def healthy_row(plate: Nameplate, wanted: frozenset[str]) -> tuple[bool, bool]:
    """Return whether a healthy unit's blower runs and whether a strip heats under some calls.

    Source:
        docs/trade.md, section 4, step 11, by the solved circuit.
    """
    drive = Drive(calls=row_calls(plate, wanted))
    runs = plate.blower.runs_at(healthy(plate, amps_at("blower"), drive)[0])
    heat = max(healthy(plate, amps_at(circuit.id), drive)[0] for circuit in plate.circuits) > 3.0
    return runs, heat
