"""The terminal ledger: where every lead of a part sat before, where it sits after, and what that means."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from plentar.core.circuit.places import terminal_words
from plentar.core.circuit.wiring import wire
from plentar.core.errors import ReadingError
from plentar.core.evidence.events import LedgerLead
from plentar.core.limits.verdicts import Grade
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of
from plentar.core.unit.points import part_words

__all__ = ["DEAD", "LOOSE", "LeadEnd", "LedgerNote", "check_ledger", "leads_of", "terminals_of"]

# Where a lead can end beside a terminal of the part: on one with no contact behind it, or nowhere.
DEAD, LOOSE = "dead terminal", "loose"


@dataclass(frozen=True, slots=True, kw_only=True)
class LeadEnd:
    """One lead that ends on a part: its id, the terminal it belongs on, and where its other end goes."""

    lead: str
    terminal: str
    words: Text


@dataclass(frozen=True, slots=True, kw_only=True)
class LedgerNote:
    """One difference between before and after: moved, joined, loose, dead terminal, heat-marked."""

    kind: str
    grade: Grade
    words: Text
    lead: str


def leads_of(plate: Nameplate, part: str) -> tuple[LeadEnd, ...]:
    """Return every lead that ends on a part, in the order of its terminals.

    Raises:
        ReadingError: The unit has no such part.
    Source:
        docs/trade.md, section 5, terminal ledger: each lead has two ends.
    """
    circuit = wire(plate)
    found = []
    for lead in circuit.leads:
        for here, there in ((lead.a, lead.b), (lead.b, lead.a)):
            # Leads inside the part are none anybody could move.
            if place_of(here).owner == part != place_of(there).owner:
                words = message("ledger.from", terminal=terminal_words(plate, there))
                found.append(LeadEnd(lead=f"{lead.id}@{here}", terminal=here, words=words))
    if not found:
        raise ReadingError(f"this unit has no part {part!r} with leads", field="part")
    return tuple(sorted(found, key=lambda end: end.terminal))


def terminals_of(plate: Nameplate, part: str) -> tuple[tuple[str, Text], ...]:
    """Return where a lead can go on a part: its terminals in words, a dead terminal, or loose."""
    names = [name for name in wire(plate).terminals if place_of(name).owner == part]
    return (
        *((name, terminal_words(plate, name)) for name in names),
        (DEAD, message("ledger.terminal-no-contact")),
        (LOOSE, message("ledger.loose")),
    )


def check_ledger(plate: Nameplate, part: str, rows: Sequence[LedgerLead]) -> tuple[LedgerNote, ...]:
    """Hold after against before and against the circuit, worst first.

    Raises:
        ReadingError: A lead or terminal the part does not have, or a lead missing from the ledger.
    Source:
        docs/trade.md, section 5, terminal ledger: a strip that stays cold after a swap is most often a lead on a dead
        terminal.
    """
    ends = {end.lead: end for end in leads_of(plate, part)}
    places = dict(terminals_of(plate, part))
    for row in rows:
        if row.lead not in ends:
            raise ReadingError(f"{part_words(part)} has no lead {row.lead!r}", field="lead")
        for place in (row.before, row.after):
            if place not in places:
                raise ReadingError(f"{part_words(part)} has no terminal {place!r}", field=f"after:{row.lead}")
    missing = ends.keys() - {row.lead for row in rows}
    if missing:
        raise ReadingError(f"every lead of the part belongs in the ledger: {len(missing)} missing", field="lead")
    notes = [note for row in rows for note in _row_notes(plate, ends[row.lead], row, places)]
    shared: dict[str, list[str]] = {}
    for row in rows:
        if row.after not in (DEAD, LOOSE):
            shared.setdefault(row.after, []).append(row.lead)
    for terminal, leads in shared.items():
        own = [lead for lead in leads if ends[lead].terminal == terminal]
        # Two leads the circuit itself joins there may share a terminal.
        if len(leads) > max(1, len(own)):
            words = message("ledger.leads-joined", count=len(leads), terminal=places[terminal])
            notes.append(LedgerNote(kind="joined", grade=Grade.FAIL, words=words, lead=leads[0]))
    return tuple(sorted(notes, key=lambda note: -note.grade.severity))


def _row_notes(plate: Nameplate, end: LeadEnd, row: LedgerLead, places: Mapping[str, Text]) -> list[LedgerNote]:
    lead = message("ledger.lead", where=end.words)
    notes = []
    if row.after == LOOSE:
        notes.append(
            LedgerNote(kind="loose", grade=Grade.FAIL, words=message("ledger.ends-nowhere", lead=lead), lead=row.lead)
        )
    elif row.after == DEAD:
        words = message("ledger.sits-terminal-no-contact-behind", lead=lead)
        notes.append(LedgerNote(kind="dead terminal", grade=Grade.FAIL, words=words, lead=row.lead))
    # Not where the circuit wants it: the commonest mistake after a swap.
    elif row.after != end.terminal:
        words = message("ledger.sits-circuit-wants", lead=lead, terminal=places[row.after], wanted=places[end.terminal])
        notes.append(LedgerNote(kind="wrong terminal", grade=Grade.FAIL, words=words, lead=row.lead))
    if row.after != row.before and row.after == end.terminal:
        words = message("ledger.moved-from", lead=lead, before=places[row.before], after=places[row.after])
        notes.append(LedgerNote(kind="moved", grade=Grade.PASS, words=words, lead=row.lead))
    if row.end_state == "heat-marked":
        words = message("ledger.still-has-heat-marked-end", lead=lead)
        notes.append(LedgerNote(kind="heat-marked", grade=Grade.MARGINAL, words=words, lead=row.lead))
    return notes
