"""What the fix page shows: what was done, what the ledger makes of it, what is proven."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cached_property
from typing import Any

from plentar.core.causes.faults import faults_of
from plentar.core.circuit.places import place_words, terminal_words
from plentar.core.evidence.events import (
    Approved,
    Fitted,
    LedgerLead,
    Photographed,
    PowerBack,
    RepairSettled,
    Temporary,
)
from plentar.core.history.past import siblings_of
from plentar.core.history.survival import Life, chance_of_any
from plentar.core.intake import ledger_parts
from plentar.core.message import Text
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate
from plentar.core.unit.place import place_of
from plentar.core.unit.points import part_words
from plentar.core.visit import Visit
from plentar.core.visit_results import Ledger
from plentar.core.work.ledger import LeadEnd, leads_of, terminals_of
from plentar.core.work.planning import part_for
from plentar.core.work.proof import Proof
from plentar.screen.drawings.band_rail import BandRail, band_rail
from plentar.screen.drawings.ladder import Board, draw_board, plain_line
from plentar.screen.event_lines import Shown, shown
from plentar.store.models import Call
from plentar.words import render

__all__ = ["FixScreen"]


@dataclass(frozen=True, slots=True, kw_only=True)
class ProofRow:
    """One reading to take again, with its rails."""

    proof: Proof
    before: BandRail | None
    after: BandRail | None


class FixScreen:
    """Fix and proof of one call."""

    def __init__(
        self,
        call: Call,
        visit: Visit,
        part: str = "",
        chosen: str = "",
        price: float | None = None,
        lives: Mapping[str, Life] | None = None,
    ) -> None:
        # `chosen` is what the part check picked from the shelf, `price` what it costs there; `lives` how long parts of
        # a kind last by the shop's records.
        self.lives = lives or {}
        self.call, self.visit, self.chosen, self.price = call, visit, chosen, price
        self.plate: Nameplate = visit.plate
        self.part = part if part in {name for name, _ in self.parts} else ""

    @property
    def causes(self) -> list[str]:
        """The accepted causes in words."""
        return [cause.title for _, cause in self.visit.record.causes]

    @property
    def parts(self) -> list[tuple[str, str]]:
        """Parts whose leads a ledger can hold, those of an accepted cause first."""
        return ledger_parts(self.visit)

    @property
    def leads(self) -> tuple[LeadEnd, ...]:
        """The leads of the part whose ledger is open."""
        return leads_of(self.plate, self.part) if self.part else ()

    @property
    def terminals(self) -> tuple[tuple[str, str], ...]:
        """Where a lead of that part can go; the part's own name stands above the list."""
        if not self.part:
            return ()
        own = part_words(self.part) + " "
        return tuple((name, render(words).removeprefix(own)) for name, words in terminals_of(self.plate, self.part))

    @cached_property
    def board(self) -> Board:
        """The wiring of the unit; only the terminals of the open part can be tapped on it."""
        drawn = draw_board(
            self.plate,
            line=plain_line,
            verdicts={},
            labels={},
            words=lambda name: render(terminal_words(self.plate, name)),
        )
        drawn.probes = [probe for probe in drawn.probes if place_of(probe.terminal).owner == self.part]
        return drawn

    def standing_ledger(self, part: str) -> dict[str, LedgerLead]:
        """The newest kept row of each lead of a part."""
        kept = self.visit.record.ledgers.get(part)
        return {row.lead: row for row in kept[1].rows} if kept is not None else {}

    @property
    def ledgers(self) -> list[Ledger]:
        """The newest ledger of each part, checked against the circuit."""
        return self.visit.ledgers

    def photos_of(self, part: str) -> list[Shown[Photographed]]:
        """The photographs pinned to a part, oldest first."""
        return [photo for photo in shown(self.visit.record, Photographed) if photo.action.part == part]

    @property
    def fitted(self) -> list[Shown[Fitted]]:
        """Parts used."""
        return shown(self.visit.record, Fitted)

    @property
    def suggested(self) -> str:
        """The part the accepted cause takes, while none was fitted."""
        if self.fitted:
            return ""
        known = {fault.id: fault for fault in faults_of(self.plate)}
        needs = [part_for(self.plate, known[name]).words for name in self.visit.record.blamed_faults if name in known]
        return next((render(words) for words in needs if words), "")

    @property
    def approvals(self) -> list[Shown[Approved]]:
        """The owner's approvals."""
        return shown(self.visit.record, Approved)

    @property
    def temporaries(self) -> list[tuple[Shown[Temporary], bool]]:
        """Temporary measures, each with whether it was made right."""
        return [(Shown(event, action), done) for event, action, done in self.visit.record.open_temporaries]

    @property
    def checklist(self) -> list[tuple[str, Text, bool]]:
        """What is checked before power goes back on."""
        return self.visit.checklist

    @property
    def power_back(self) -> Shown[PowerBack] | None:
        """When power went back on after the repair."""
        backs = shown(self.visit.record, PowerBack)
        return backs[-1] if backs else None

    @cached_property
    def proof(self) -> list[ProofRow]:
        """What must be read again, before and after."""
        return [
            ProofRow(
                proof=proof,
                before=band_rail(proof.before) if proof.before and proof.before.unit else None,
                after=band_rail(proof.after) if proof.after and proof.after.unit else None,
            )
            for proof in self.visit.proof
        ]

    @property
    def proven(self) -> tuple[int, int]:
        """How many of the readings prove the repair, of how many."""
        return self.visit.proven

    @property
    def settled(self) -> Shown[RepairSettled] | None:
        """How the proof was settled last."""
        kept = self.visit.record.settled
        return Shown(*kept) if kept is not None else None

    @cached_property
    def siblings(self) -> list[str]:
        """Like parts of the same age as those that failed: devices, links, limits, elements."""
        blamed = {place_of(fault).whole_part for fault in self.visit.record.blamed_faults}
        owners = {place_of(part).owner for part in blamed}
        found = dict.fromkeys(sibling for part in sorted(blamed) for sibling in siblings_of(self.plate, part))
        return [part for part in found if part not in blamed | owners]

    @property
    def sibling_words(self) -> str:
        """Their names in a row."""
        return ", ".join(render(place_words(self.plate, part)) for part in self.siblings)

    @property
    def strip_to_isolate(self) -> HeatingCircuit | None:
        """The strip whose part failed: it can be left isolated until its part comes."""
        known = {circuit.id: circuit for circuit in self.plate.circuits}
        blamed = [place_of(fault).owner for fault in self.visit.record.blamed_faults]
        return next((known[name] for name in blamed if name in known), None)

    def in_days(self, days: int) -> str:
        """Return the day so many days from now, as ISO 8601."""
        return (datetime.fromtimestamp(self.visit.moment, UTC) + timedelta(days=days)).date().isoformat()

    @property
    def choices(self) -> list[tuple[str, float | None]]:
        """What may be replaced, each with its cost where the shelf gives a price."""
        several = [(f"all {1 + len(self.siblings)} of the same age", 1 + len(self.siblings))] if self.siblings else []
        found = [("only the failed one", 1), *(several or [("all of the same age", 1)])]
        return [(words, self.price * number if self.price is not None else None) for words, number in found]

    @property
    def sibling_chance(self) -> float:
        """The chance that one like-aged sibling fails within a season, from its age by the plate."""
        year = datetime.fromtimestamp(self.visit.moment, UTC).year
        try:
            years = max(1, year - int(self.plate.built[:4]))
        except ValueError:
            years = 12
        return chance_of_any(len(self.siblings), years, self._life)

    @property
    def goes_by_records(self) -> bool:
        """True where the shop's own records say how long such parts last."""
        return self._life is not None

    @property
    def _life(self) -> Life | None:
        kinds = {place_of(part).kind for part in self.siblings}
        return self.lives.get(kinds.pop()) if len(kinds) == 1 else None

    def ledger_value(self, was: LedgerLead | None, name: str, default: str) -> Any:
        """Return a kept lead's field, or what stands there before anything was kept."""
        return getattr(was, name) if was is not None else default
