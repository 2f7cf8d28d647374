"""Blower, interlock and control side: four rows, starts, currents by call, landings, and when all work stops."""

from plentar.core.circuit.places import find_point
from plentar.core.judging.control_circuit import CallCurrent, call_currents
from plentar.core.judging.impossible import is_line_on_control
from plentar.core.judging.thermostat_map import MapNote, MapRow, check_map
from plentar.core.message import Text, message
from plentar.core.visit import evidence, verdicts
from plentar.core.visit.state import VisitState, once
from plentar.core.visit_results import (
    ROWS,
    BlowerRow,
    healthy_row,
    row_calls,
)

__all__ = [
    "blower_rows",
    "currents",
    "line_on_control",
    "map_notes",
    "rows_seen",
    "starts",
    "starts_may_fail",
    "starts_seen",
    "stop",
]

# With what confidence a run of good starts speaks.
CONFIDENCE = 0.95

# One reading may be the slip that the first one was; two say the same.
CLEARED_BY = 2


@once
def stop(visit: VisitState) -> Text:
    """Why all work stops now; nothing where it need not."""
    return line_on_control(visit) or _hot_joint(visit)


def _hot_joint(visit: VisitState) -> Text:
    """A joint that is too hot while heat is called: it goes off before anything else is read."""
    if not evidence.condition(visit).heat:
        return ""
    losses = verdicts.losses_of(visit, evidence.readings_now(visit))
    return next((loss.verdict.next_step for loss in losses if loss.verdict.kind == "hot joint"), "")


@once
def line_on_control(visit: VisitState) -> Text:
    """Line volts that stood on the control side and are not yet refuted by two more readings of the same places."""
    for place in {entry.reading.point: entry for entry in evidence.taken(visit)}:
        own = [entry for entry in evidence.taken(visit) if entry.reading.point == place]
        point = find_point(visit.plate, place)
        # Struck out or corrected it was still read: only the meter, held there again, shows that it was a slip.
        crossed = [at for at, entry in enumerate(own) if is_line_on_control(entry.reading, point)]
        if not crossed:
            continue
        again = [e for e in own[crossed[-1] + 1 :] if not e.void_reason and not e.action.supersedes]
        if len(again) < CLEARED_BY:
            return message("visit.stop-line-on-control", point=point.label)
    return ""


@once
def blower_rows(visit: VisitState) -> list[BlowerRow]:
    """The four rows, as seen on the unit as it is."""
    return rows_seen(visit, of_now=True)


def rows_seen(visit: VisitState, *, of_now: bool) -> list[BlowerRow]:
    """Return the four rows as seen on the unit as it is, or as it was found."""
    on = frozenset(evidence.lockout(visit).calls)
    seen = {"found": True, "fine": False}

    def state_of(sign: str, name: str) -> str:
        entry = visit.record.seen.get((sign, name))
        return entry[1].state if entry is not None and evidence.is_of_now(visit, entry[0]) == of_now else ""

    rows = []
    for name, wanted in ROWS:
        runs, heat = healthy_row(visit.plate, wanted)
        rows.append(
            BlowerRow(
                name=name,
                calls=wanted,
                blower_runs=runs,
                strips_heat=heat,
                seen_blower=seen.get(state_of("row-blower", name)),
                seen_strips=seen.get(state_of("row-strips", name)),
                is_set=on & {"W", "W2", "G"} == row_calls(visit.plate, wanted),
            )
        )
    return rows


@once
def starts(visit: VisitState) -> tuple[int, int]:
    """Good starts of all tried on the unit as it is."""
    return starts_seen(visit, of_now=True)


def starts_seen(visit: VisitState, *, of_now: bool) -> tuple[int, int]:
    """Return good starts of all tried on the unit as it is, or as it was found."""
    seen = visit.record.seen.items()
    tried = [
        action for (sign, _), (event, action) in seen if sign == "start" and evidence.is_of_now(visit, event) == of_now
    ]
    counted = [action for action in tried if action.state in ("found", "fine")]
    return sum(action.state == "fine" for action in counted), len(counted)


@once
def starts_may_fail(visit: VisitState) -> float:
    """Return up to what share of its starts a part may still fail that failed none of those seen; 1 before any.

    Source:
        docs/trade.md, section 10: 0 of 20 leaves up to 14 % a start, at 95 % confidence.
    """
    good, tried = starts(visit)
    return 1.0 - (1.0 - CONFIDENCE) ** (1.0 / good) if good == tried > 0 else 1.0


@once
def currents(visit: VisitState) -> tuple[CallCurrent, ...]:
    """Control current call by call, on the unit as it is."""
    return call_currents(visit.plate, evidence.readings_now(visit), visit.limits)


@once
def map_notes(visit: VisitState) -> tuple[MapNote, ...] | None:
    """What is wrong with the thermostat's landings; None before any were kept."""
    kept = visit.record.map
    if kept is None:
        return None
    rows = [
        MapRow(thermostat=w.thermostat, board=w.board, colour=w.colour, jumpered_to=w.jumpered_to) for w in kept.wires
    ]
    return check_map(visit.plate, rows)
