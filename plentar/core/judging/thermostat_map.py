"""The thermostat's conductors: what each is landed on at both ends, and which mistakes that makes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from plentar.core.errors import ReadingError
from plentar.core.limits.verdicts import Grade
from plentar.core.message import Text, joined, message
from plentar.core.unit.nameplate import Nameplate

__all__ = ["BOARD_ENDS", "NO_WIRE", "TERMINALS", "MapNote", "MapRow", "check_map"]

TERMINALS = ("R", "C", "W", "W2", "G", "Y", "O", "B", "E")
# A conductor that lands nowhere at the board, and a thermostat terminal that has none at all.
NOWHERE, NO_WIRE = "none", "no wire"
BOARD_ENDS = (*TERMINALS, NOWHERE, NO_WIRE)
# What is at fault, as the causes spell it.
VALVE, JOINED = "thermostat.o-and-b", "control.w-to-y"


@dataclass(frozen=True, slots=True, kw_only=True)
class MapRow:
    """One conductor: its colour, its terminal at the thermostat, the terminals it reaches at the board.

    What nobody looked at has no row.
    """

    thermostat: str
    board: str
    colour: str = ""
    jumpered_to: str = ""

    def __post_init__(self) -> None:
        if self.thermostat not in TERMINALS:
            raise ReadingError(f"expected a terminal such as W, got {self.thermostat!r}", field="thermostat")
        if self.board not in BOARD_ENDS:
            raise ReadingError(f"expected a terminal such as W, or none, got {self.board!r}", field="board")
        if self.jumpered_to and self.jumpered_to not in TERMINALS:
            raise ReadingError(f"expected a terminal such as W, got {self.jumpered_to!r}", field="jumpered_to")


@dataclass(frozen=True, slots=True, kw_only=True)
class MapNote:
    """One thing wrong or worth knowing about the landings; `part` is the one at fault, as the causes spell it."""

    grade: Grade
    words: Text
    part: str = ""


def check_map(plate: Nameplate, rows: Sequence[MapRow]) -> tuple[MapNote, ...]:
    """Return what is wrong with the landings that were looked at, worst first; of the others nothing is said.

    Source:
        docs/trade.md, section 1, Control circuit, and section 5: O and B exchanged, strips jumpered to the cooling
        call, common missing; section 4, step 12.
    """
    at = {row.thermostat: row for row in rows}
    pairs = _exchanged(at)
    notes = [_exchange(one, other) for one, other in pairs]
    told = {terminal for pair in pairs for terminal in pair}
    rows = [row for row in rows if row.thermostat not in told]
    # What is said of a pair that is exchanged is not said again of each.
    at = {row.thermostat: row for row in rows}

    def fail(words: Text, part: str = "") -> None:
        notes.append(MapNote(grade=Grade.FAIL, words=words, part=part))

    # The valve works in one mode only: on the other's terminal, the house heats in summer.
    if at.get("O") is not None and at["O"].board == "B":
        fail(message("thermostat_map.o-landed-b-reversing-valve"), VALVE)
    if at.get("B") is not None and at["B"].board == "O":
        fail(message("thermostat_map.b-landed-o-reversing-valve"), VALVE)
    for heat in ("W", "W2", "E"):
        row = at.get(heat)
        if row is not None and (row.board == "Y" or row.jumpered_to == "Y"):
            fail(message("thermostat_map.joined-y-every-cooling-call", heat=heat), JOINED)
    cool = at.get("Y")
    if cool is not None and (cool.board in ("W", "W2") or cool.jumpered_to in ("W", "W2")):
        fail(message("thermostat_map.y-joined-w-every-cooling"), JOINED)
    # Not a defect for a thermostat that needs none, so marginal.
    if "C" in at and at["C"].board != "C":
        notes.append(MapNote(grade=Grade.MARGINAL, words=message("thermostat_map.no-common-thermostat-one-needs")))
    if "R" in at and at["R"].board in (NOWHERE, NO_WIRE):
        fail(message("thermostat_map.r-does-not-reach-thermostat"), "thermostat.lead-r")
    emergency = at.get("E")
    if emergency is not None and (emergency.jumpered_to in ("W", "W2") or emergency.board in ("W", "W2")):
        words = message("thermostat_map.e-tied-w-emergency-heat")
        notes.append(MapNote(grade=Grade.PASS, words=words))
    for call in plate.calls:
        row = at.get(call)
        if row is not None and row.board == NO_WIRE:
            notes.append(
                MapNote(grade=Grade.MARGINAL, words=message("thermostat_map.no-conductor-nothing-calls", call=call))
            )
        # Landed on Y or W was already told by name; nowhere is told below.
        elif row is not None and row.board not in (call, "Y", "W", "W2", NOWHERE):
            fail(message("thermostat_map.landed", call=call, board=row.board))
    for row in rows:
        if row.board == NOWHERE:
            who = (
                message("thermostat_map.conductor", colour=row.colour, thermostat=row.thermostat)
                if row.colour
                else message("thermostat_map.s-conductor", thermostat=row.thermostat)
            )
            fail(message("thermostat_map.landed-nowhere-board", who=who), f"thermostat.lead-{row.thermostat.lower()}")
    notes += _shared(at)
    return tuple(sorted(notes, key=lambda note: -note.grade.severity))


def _exchanged(at: Mapping[str, MapRow]) -> list[tuple[str, str]]:
    """Return the pairs of conductors that each lie on the other's terminal, in the order of the terminals."""
    pairs = ((a, b) for i, a in enumerate(TERMINALS) for b in TERMINALS[i + 1 :])
    return [(a, b) for a, b in pairs if a in at and b in at and (at[a].board, at[b].board) == (b, a)]


def _exchange(one: str, other: str) -> MapNote:
    """Say that two conductors are exchanged, and what that makes a call for heat and a call for cooling do."""
    if other == "Y" and one in ("W", "W2"):
        words = message("thermostat_map.heat-and-cooling-exchanged", heat=one)
    elif (one, other) == ("O", "B"):
        return MapNote(grade=Grade.FAIL, words=message("thermostat_map.o-and-b-exchanged"), part=VALVE)
    else:
        words = message("thermostat_map.exchanged", one=one, other=other)
    return MapNote(grade=Grade.FAIL, words=words)


def _shared(at: Mapping[str, MapRow]) -> list[MapNote]:
    """Two conductors on one terminal that are not meant to be one."""
    ends: dict[str, list[str]] = {}
    for row in at.values():
        if row.board not in (NOWHERE, NO_WIRE):
            ends.setdefault(row.board, []).append(row.thermostat)
    usual = ({"W", "E"}, {"W2", "E"}, {"W", "W2"}, {"W", "W2", "E"})
    return [
        MapNote(grade=Grade.FAIL, words=message("thermostat_map.share-board", conductors=joined(names), board=board))
        for board, names in ends.items()
        if len(names) > 1 and set(names) not in usual and "Y" not in names
    ]
