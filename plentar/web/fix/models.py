"""What the fix page shows: what was done, what the ledger makes of it, what is proven."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Any

from plentar.core.errors import PlentarError
from plentar.core.ledger import LeadEnd, LedgerNote, LedgerRow, check_ledger, leads_of, terminals_of
from plentar.core.nameplate import Nameplate
from plentar.core.places import find_point, place_words, terminal_words
from plentar.core.points import part_words
from plentar.core.proof import BEFORE_POWER, Proof, proof_items, prove
from plentar.core.verdicts import Grade
from plentar.formats.svg.band_rail import BandRail, band_rail
from plentar.formats.svg.ladder import Board, draw_board, plain_line
from plentar.formats.unit_json import kept_nameplate
from plentar.store import calls
from plentar.store.models import AcceptedCause, Call, Photo, WorkItem
from plentar.store.models import Reading as ReadingRow
from plentar.web.kept import core_reading

__all__ = ["FixScreen"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Ledger:
    """One part's ledger as it stands: its rows and what they mean."""

    part: str
    name: str
    rows: tuple[LedgerRow, ...]
    notes: tuple[LedgerNote, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class ProofRow:
    """One reading to take again, with its rails."""

    proof: Proof
    before: BandRail | None
    after: BandRail | None
    unit: str


class FixScreen:
    """Fix and proof of one call."""

    def __init__(
        self,
        call: Call,
        readings: Sequence[ReadingRow],
        causes: Sequence[AcceptedCause],
        items: Sequence[WorkItem],
        moment: datetime,
        part: str = "",
        photos: Sequence[Photo] = (),
    ) -> None:
        self.call, self.items, self.moment, self._photos = call, items, moment, photos
        self.plate: Nameplate = kept_nameplate(call.unit.nameplate)
        self._rows = [row for row in calls.standing_readings(readings) if self._knows(row.point)]
        self.causes = [cause for cause in causes if cause.withdrawn_at is None]
        self.part = part if part in {name for name, _ in self.parts} else ""

    def _knows(self, point: str) -> bool:
        try:
            find_point(self.plate, point)
        except PlentarError:
            return False
        return True

    def of(self, kind: str) -> list[WorkItem]:
        """The items of one kind, oldest first."""
        return [item for item in self.items if item.kind == kind]

    @property
    def parts(self) -> list[tuple[str, str]]:
        """Parts whose leads a ledger can hold, those of an accepted cause first."""
        plate = self.plate
        names = [device.id for device in plate.devices] + [circuit.id for circuit in plate.circuits]
        if plate.blower.relay is not None:
            names.append(plate.blower.relay.id)
        names += ["blower", "transformer"]
        blamed = {
            fault.partition(".")[0] for cause in self.causes for group in cause.faults for fault in group.split("+")
        }
        names.sort(key=lambda name: name not in blamed)
        return [(name, place_words(plate, name) if "." in name else part_words(name)) for name in names]

    @property
    def leads(self) -> tuple[LeadEnd, ...]:
        """The leads of the part whose ledger is open."""
        return leads_of(self.plate, self.part) if self.part else ()

    @property
    def terminals(self) -> tuple[tuple[str, str], ...]:
        """Where a lead of that part can go."""
        return terminals_of(self.plate, self.part) if self.part else ()

    @cached_property
    def board(self) -> Board:
        """The wiring of the unit; only the terminals of the open part can be tapped on it."""
        drawn = draw_board(
            self.plate, line=plain_line, verdicts={}, labels={}, words=lambda name: terminal_words(self.plate, name)
        )
        drawn.probes = [probe for probe in drawn.probes if probe.terminal.startswith(f"{self.part}.")]
        return drawn

    def standing_ledger(self, part: str) -> dict[str, dict[str, Any]]:
        """The newest kept row of each lead of a part."""
        kept = [item for item in self.of("ledger") if item.about == part]
        return {row["lead"]: row for row in kept[-1].data["rows"]} if kept else {}

    @cached_property
    def ledgers(self) -> list[Ledger]:
        """The newest ledger of each part, checked against the circuit."""
        newest = {item.about: item for item in self.of("ledger")}
        found = []
        for part, item in newest.items():
            rows = tuple(LedgerRow(**row) for row in item.data["rows"])
            try:
                notes = check_ledger(self.plate, part, rows)
            except PlentarError:
                continue
            found.append(Ledger(part=part, name=part_words(part), rows=rows, notes=notes))
        return found

    @property
    def ledger_is_sound(self) -> bool:
        """True when no kept ledger has a lead where it must not be."""
        return all(note.grade is not Grade.FAIL for ledger in self.ledgers for note in ledger.notes)

    def photos_of(self, part: str) -> list[Photo]:
        """The photographs pinned to a part, oldest first."""
        return [photo for photo in self._photos if photo.part == part]

    @property
    def checklist(self) -> list[tuple[str, str, bool]]:
        """What is checked before power goes back on."""
        done = {item.about for item in self.of("check")}
        return [(name, words, name in done) for name, words in BEFORE_POWER]

    @property
    def power_back_at(self) -> datetime | None:
        """When power went back on after the repair."""
        backs = self.of("power-back")
        return backs[-1].at if backs else None

    @cached_property
    def proof(self) -> list[ProofRow]:
        """What must be read again, before and after."""
        back = self.power_back_at
        before = [core_reading(row) for row in self._rows if back is None or row.taken_at < back]
        after = [core_reading(row) for row in self._rows if back is not None and row.taken_at >= back]
        first = prove(self.plate, proof_items(self.plate), before, after)
        failed = [p.item.point for p in first if p.before is not None and p.before.grade is Grade.FAIL]
        traced = [row.point for row in self._rows if (back is None or row.taken_at < back) and ":" in row.point]
        failed += [
            point for point in dict.fromkeys(traced) if point.startswith(("volts", "dc_volts")) and "pole" in point
        ]
        rows = []
        for proof in prove(self.plate, proof_items(self.plate, failed), before, after):
            rows.append(
                ProofRow(
                    proof=proof,
                    before=band_rail(proof.before) if proof.before else None,
                    after=band_rail(proof.after) if proof.after else None,
                    unit=find_point(self.plate, proof.item.point).unit,
                )
            )
        return rows

    @property
    def proven(self) -> tuple[int, int]:
        """How many of the readings prove the repair, of how many."""
        return sum(row.proof.is_proven for row in self.proof), len(self.proof)

    @property
    def has_fix(self) -> bool:
        """True once anything was repaired: what is repaired is proven before the call is closed."""
        return any(item.kind in ("ledger", "part", "power-back") for item in self.items)

    def left_to_heat(self, circuit_id: str) -> tuple[float, float]:
        """Watts the house has left with one stage off, and all there are [W]."""
        whole = self.plate.total_rated_watts
        off = sum(circuit.rated_watts for circuit in self.plate.circuits if circuit.id == circuit_id)
        return whole - off, whole

    @property
    def siblings(self) -> list[str]:
        """Like parts of the same age as the one that failed."""
        blamed = {
            fault.partition(".")[0] for cause in self.causes for group in cause.faults for fault in group.split("+")
        }
        kinds = {device.id: device.kind for device in self.plate.devices}
        failed = [kinds[name] for name in blamed if name in kinds]
        return [name for name, kind in kinds.items() if kind in failed and name not in blamed]

    @property
    def sibling_chance(self) -> float:
        """The chance that one like-aged sibling fails within a season, from its age by the plate.

        A part that has seen as many seasons as its failed twin is taken to fail at the rate of one in its age a year:
        the twin's own life is the only evidence there is.
        """
        try:
            years = max(1, self.moment.year - int(self.plate.built[:4]))
        except ValueError:
            years = 12
        return 1 - math.exp(-len(self.siblings) * 1.5 / years)
