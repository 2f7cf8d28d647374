"""The thermostat's conductors: what each is landed on at both ends, and which mistakes that makes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from plentar.core.errors import ReadingError
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.nameplate import Nameplate

__all__ = ["BOARD_ENDS", "TERMINALS", "MapNote", "MapRow", "check_map"]

TERMINALS = ("R", "C", "W", "W2", "G", "Y", "O", "B", "E")
BOARD_ENDS = (*TERMINALS, "none")


@dataclass(frozen=True, slots=True, kw_only=True)
class MapRow:
    """One conductor: its colour, its terminal at the thermostat, the terminals it reaches at the board."""

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
    """One thing wrong or worth knowing about the landings."""

    grade: Grade
    words: str


def check_map(plate: Nameplate, rows: Sequence[MapRow]) -> tuple[MapNote, ...]:
    """Return what is wrong with the landings, worst first; empty when every call reaches what it should.

    Source:
        docs/trade.md, section 1, Control circuit, and section 5: O and B exchanged, strips jumpered to the cooling
        call, common missing; section 4, step 12.
    """
    at = {row.thermostat: row for row in rows}
    notes: list[MapNote] = []

    def fail(words: str) -> None:
        notes.append(MapNote(grade=Grade.FAIL, words=words))

    if at.get("O") is not None and at["O"].board == "B":
        fail("O is landed on B: the reversing valve works the wrong way round, heat in summer and cold in winter.")
    if at.get("B") is not None and at["B"].board == "O":
        fail("B is landed on O: the reversing valve works the wrong way round.")
    for heat in ("W", "W2", "E"):
        row = at.get(heat)
        if row is not None and (row.board == "Y" or row.jumpered_to == "Y"):
            fail(f"{heat} is joined to Y: every cooling call heats the strips.")
    cool = at.get("Y")
    if cool is not None and (cool.board in ("W", "W2") or cool.jumpered_to in ("W", "W2")):
        fail("Y is joined to W: every cooling call heats the strips.")
    if "C" not in at or at["C"].board != "C":
        notes.append(
            MapNote(grade=Grade.MARGINAL, words="No common at the thermostat: one that needs it restarts or blanks.")
        )
    if "R" not in at or at["R"].board == "none":
        fail("R does not reach the thermostat: nothing can call.")
    emergency = at.get("E")
    if emergency is not None and (emergency.jumpered_to in ("W", "W2") or emergency.board in ("W", "W2")):
        words = (
            "E is tied to W: emergency heat calls the same strips; the heat pump must be locked out by the thermostat."
        )
        notes.append(MapNote(grade=Grade.PASS, words=words))
    for call in plate.calls:
        row = at.get(call)
        if row is None:
            notes.append(MapNote(grade=Grade.MARGINAL, words=f"No conductor on {call}: nothing calls it."))
        elif row.board not in (call, "Y", "W", "W2", "none"):
            fail(f"{call} is landed on {row.board}.")
    for row in rows:
        if row.board == "none":
            who = f"{row.colour} conductor of {row.thermostat}" if row.colour else f"{row.thermostat}'s conductor"
            fail(f"The {who} is landed nowhere at the board.")
    notes += _shared(at)
    return tuple(sorted(notes, key=lambda note: -note.grade.severity))


def _shared(at: Mapping[str, MapRow]) -> list[MapNote]:
    """Two conductors on one terminal that are not meant to be one."""
    ends: dict[str, list[str]] = {}
    for row in at.values():
        if row.board != "none":
            ends.setdefault(row.board, []).append(row.thermostat)
    usual = ({"W", "E"}, {"W2", "E"}, {"W", "W2"}, {"W", "W2", "E"})
    return [
        MapNote(grade=Grade.FAIL, words=f"{' and '.join(names)} share {board} at the board.")
        for board, names in ends.items()
        if len(names) > 1 and set(names) not in usual and "Y" not in names
    ]
