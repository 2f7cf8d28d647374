"""The board of a call: its circuit under the condition stated, with its tags, suspects and what was found on parts."""

from collections.abc import Mapping
from typing import TYPE_CHECKING

from plentar.core.causes.faults import faults_of
from plentar.core.causes.line_state import line_states
from plentar.core.circuit.places import find_point, terminal_words
from plentar.core.evidence.events import OPENED_AT, Photographed
from plentar.core.evidence.signs import sign_of
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of
from plentar.core.unit.points import test_points
from plentar.core.visit import Visit
from plentar.screen.drawings.ladder import NARROW, WIDE, Board, Row, draw_board
from plentar.screen.kept import Kept
from plentar.words import render

if TYPE_CHECKING:
    from plentar.core.causes.diagnosis import Cause

__all__ = ["board_of", "halos_of", "likeliest_fault", "spoken_place"]

# Drawn healthy while the readings still allow it by this share, and drawn with a fault only where some failure of that
# part is likelier than not.
DRAWN_FROM = 0.5
WELL_ENOUGH, HALO_FROM = 0.2, 0.15
# More halos than this point nowhere.
MOST_HALOS = 3


def board_of(
    visit: Visit,
    latest: Mapping[str, Kept],
    *,
    selected: str,
    marked: tuple[str, ...],
    fault: str,
    halos: Mapping[str, float],
    step: str,
    is_narrow: bool,
) -> Board:
    """Return the drawing of a unit's circuit.

    Args:
        latest: The newest standing reading of each point.
        selected: The point on the pad.
        marked: The terminals the probes stand on.
        fault: The fault it is drawn with; empty for a sound unit.
        halos: Suspected parts with their share.
        step: The step beside the board: some have rows of their own.
        is_narrow: Drawn for a phone.
    """
    plate, condition = visit.plate, visit.condition
    return draw_board(
        plate,
        line=line_states(plate, condition, [fault] if fault else [], visit.limits),
        verdicts={name: kept.verdict for name, kept in latest.items()},
        labels={point.id: f"{render(point.label)}, {render(point.where)}" for point in test_points(plate)},
        selected=selected,
        words=lambda name: spoken_place(plate, name),
        marked=marked,
        isolated=condition.is_proven_dead,
        suspects=dict(halos),
        pinned=_pins(visit),
        opened={feed: OPENED_AT.get(device, "") for feed, device in visit.lockout.opened.items()},
        dead=visit.lockout.feeds_are_dead,
        past=frozenset(latest.keys() - visit.latest_now.keys()),
        blower_rows=_blower_rows(visit) if step == "blower" else (),
        currents=_currents(visit) if step == "control" else {},
        sheet=NARROW if is_narrow else WIDE,
    )


def likeliest_fault(visit: Visit) -> str:
    """Return the fault the readings speak for; empty while all may be well."""
    known = {fault.id: fault for fault in faults_of(visit.plate)}
    suspects = visit.suspects
    well = sum(cause.probability for cause in suspects if "healthy" in cause.faults)
    lead = next((cause for cause in suspects if cause.faults[0] in known), None)
    if lead is None or lead.faults[0] == "healthy" or well > WELL_ENOUGH:
        return ""
    # However it failed, a part that is at fault leaves mostly the same picture: the rung that draws nothing.
    owner = place_of(known[lead.faults[0]].part).owner
    if sum(cause.probability for cause in suspects if _is_of(cause, owner)) < DRAWN_FROM:
        return ""
    return lead.faults[0]


def halos_of(visit: Visit) -> dict[str, float]:
    """Return the parts most suspected, with their share."""
    halos: dict[str, float] = {}
    for cause in visit.suspects:
        for fault_id in cause.faults[:2]:
            part = fault_id.rpartition(".")[0]
            if cause.probability >= HALO_FROM and part and part not in halos:
                halos[part] = cause.probability
    return dict(list(halos.items())[:MOST_HALOS])


def spoken_place(plate: Nameplate, name: str) -> str:
    """Return a point or a terminal in words, for whoever hears the page."""
    if ":" in name:
        point = find_point(plate, name)
        return f"{render(point.label)}, {render(point.where)}"
    return f"probe on {render(terminal_words(plate, name))}"


def _blower_rows(visit: Visit) -> list[Row]:
    rows = []
    for row in visit.blower_rows:
        ran = "" if row.seen_blower is None else "runs" if row.seen_blower else "does not run"
        heat = "" if row.seen_strips is None else "heat" if row.seen_strips else "cold"
        seen = ", ".join(word for word in (ran, heat) if word) or "not looked at"
        verdict = "" if row.agrees is None else "pass" if row.agrees else "fail"
        rows.append((render(row.words), seen, verdict))
    return rows


def _currents(visit: Visit) -> dict[str, Row]:
    """Return the control current of each call alone, at the first rung that call feeds."""
    found = {}
    for row in visit.currents:
        alone = [call for call in row.calls if len(row.calls) == 1 or call == "W"]
        if len(alone) == 1 and "G" not in row.calls - {alone[0]}:
            read = f"{row.whole.value:.2f} A read" if row.whole else "not read"
            verdict = row.whole.grade.value.replace(" ", "-") if row.whole else ""
            found[alone[0]] = (f"{row.expected_amps:.2f} A due", read, verdict)
    return found


def _pins(visit: Visit) -> dict[str, tuple[str, str]]:
    """Return what was found or photographed, part by part: `!` for a find, the count of photos."""
    finds: dict[str, list[str]] = {}
    shots: dict[str, int] = {}
    for _, action in visit.record.found:
        sign = sign_of(action.sign)
        if action.about and sign is not None:
            finds.setdefault(action.about, []).append(render(sign.words))
    for _, photo in visit.record.of(Photographed):
        if photo.part:
            shots[photo.part] = shots.get(photo.part, 0) + 1
    pins = {}
    for part in {*finds, *shots}:
        words = finds.get(part, [])
        count = shots.get(part, 0)
        told = "; ".join([*words, f"{count} photo{'s' if count > 1 else ''}"] if count else words)
        pins[part] = (f"{'!' if words else ''}{count or ''}", told)
    return pins


def _is_of(cause: "Cause", owner: str) -> bool:
    return any(place_of(part).owner == owner for fault in cause.faults for part in fault.split("+"))
