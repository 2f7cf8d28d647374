"""What was read on a call, what of it counts, and what the unit is fed and told now."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Literal

from plentar.core.circuit.places import find_point
from plentar.core.errors import ReadingError
from plentar.core.evidence.events import Event
from plentar.core.evidence.lockout import Lockout, fold
from plentar.core.evidence.merging import after_closing
from plentar.core.evidence.merging import doubted as doubted_readings
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.evidence.record import RecordedReading
from plentar.core.message import Text, message
from plentar.core.visit.state import VisitState, once
from plentar.core.visit_results import (
    Conflict,
)
from plentar.core.work.safety import SafeLine, ohms_refusal, safe_list
from plentar.core.work.undo import action_words

__all__ = [
    "condition",
    "conflicts",
    "doubted",
    "is_changed_since",
    "is_of_now",
    "is_repaired",
    "knows",
    "lockout",
    "past_told",
    "readings",
    "readings_now",
    "refusal",
    "safe_lines",
    "standing",
    "standing_now",
    "state_of",
    "strays",
    "taken",
]


def knows(visit: VisitState, point_id: str) -> bool:
    """Tell whether the unit has a point."""
    try:
        find_point(visit.plate, point_id)
    except ReadingError:
        return False
    return True


@once
def lockout(visit: VisitState) -> Lockout:
    """What the unit is fed and told now."""
    return fold(visit.plate, visit.record.events, voided=visit.record.voided, limits=visit.limits)


@once
def condition(visit: VisitState) -> Condition:
    """The condition of the unit at this moment."""
    return lockout(visit).condition(visit.moment)


def safe_lines(visit: VisitState, person: str) -> tuple[SafeLine, ...]:
    """Return the Safe list as it stands for a person."""
    return safe_list(visit.plate, lockout(visit), person)


def refusal(visit: VisitState, point_id: str, person: str) -> Text:
    """Return why a person may not read here now, or nothing."""
    return ohms_refusal(visit.plate, lockout(visit), point_id, person=person)


@once
def taken(visit: VisitState) -> tuple[RecordedReading, ...]:
    """Every reading at a place the plate has, corrected ones too, oldest first; what is in doubt counts no more."""
    found = tuple(_placed(visit, entry) for entry in visit.record.taken if knows(visit, entry.reading.point))
    if not doubted(visit):
        return found
    return tuple(
        replace(
            entry,
            void_reason=entry.void_reason or message("visit.read-without-knowing", by=doubted(visit)[entry.id].by),
        )
        if entry.id in doubted(visit)
        else entry
        for entry in found
    )


@once
def doubted(visit: VisitState) -> Mapping[str, Event]:
    """Readings stamped before it was known what somebody out of contact had done, each with that event."""
    return doubted_readings(visit.plate, visit.record.events, voided=visit.record.voided, limits=visit.limits)


@once
def conflicts(visit: VisitState) -> tuple[Conflict, ...]:
    """What two people out of contact did against each other, both sides, oldest first."""
    sides: list[tuple[Literal["stamp", "closed"], Event, Event]] = [
        ("stamp", event, doubted(visit)[event.id]) for event in visit.record.events if event.id in doubted(visit)
    ]
    if visit.record.closed is not None:
        closed = visit.record.closed[0]
        sides += [("closed", event, closed) for event in after_closing(visit.record.events)]
    return tuple(
        Conflict(
            kind=kind,
            mine=mine,
            theirs=theirs,
            words=action_words(visit.plate, mine.action),
            other_words=action_words(visit.plate, theirs.action),
        )
        for kind, mine, theirs in sides
    )


def _placed(visit: VisitState, entry: RecordedReading) -> RecordedReading:
    """Return a reading under its point's own id: older records name two places in either order."""
    point = find_point(visit.plate, entry.reading.point).id
    same = point == entry.reading.point
    return entry if same else replace(entry, reading=replace(entry.reading, point=point))


@once
def strays(visit: VisitState) -> tuple[RecordedReading, ...]:
    """Readings at places the plate has lost since: on record, unjudged."""
    return tuple(entry for entry in visit.record.taken if not knows(visit, entry.reading.point))


@once
def standing(visit: VisitState) -> tuple[RecordedReading, ...]:
    """The readings that count, oldest first."""
    return tuple(entry for entry in taken(visit) if not entry.void_reason)


@once
def readings(visit: VisitState) -> tuple[Reading, ...]:
    """The same as plain values."""
    return tuple(entry.reading for entry in standing(visit))


def is_of_now(visit: VisitState, event: Event) -> bool:
    """Tell whether something was seen on the unit as it is: after the power-on that followed its last change."""
    began, _ = visit.record.epoch
    return began is None or began.is_before(event)


@once
def standing_now(visit: VisitState) -> tuple[RecordedReading, ...]:
    """The readings that speak of the unit as it is."""
    return tuple(entry for entry in standing(visit) if is_of_now(visit, entry.event))


@once
def readings_now(visit: VisitState) -> tuple[Reading, ...]:
    """The same as plain values."""
    return tuple(entry.reading for entry in standing_now(visit))


@once
def is_repaired(visit: VisitState) -> bool:
    """True once power went back on after a part was fitted or a lead moved."""
    return visit.record.epoch[0] is not None


@once
def is_changed_since(visit: VisitState) -> bool:
    """True while something was changed after power went back on: nothing read so far proves it."""
    began, is_changed = visit.record.epoch
    return began is not None and is_changed


@once
def past_told(visit: VisitState) -> tuple[tuple[Text, str], ...]:
    """What earlier calls say before this one, most telling first; each with the fault it is about, or empty."""
    return visit.past.told(visit.moment)


def state_of(visit: VisitState, sign: str, about: str = "") -> str:
    """How something seen stands: found, fine, undone, or nothing yet."""
    entry = visit.record.seen.get((sign, about))
    return entry[1].state if entry is not None else ""
