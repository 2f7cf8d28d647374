"""Taking back what was just done: the newest action of one person, if it is one that can be taken back.

Nothing is deleted: what was kept stays on record, and the action that takes it back stands beside it. A switch taken
back was never moved, so its clock runs on. Power back on, a proof settled and a closed call are facts that stay.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from uuid import UUID, uuid5

from plentar.core.circuit.places import find_point
from plentar.core.evidence.events import (
    MOST_AGO_SECONDS,
    Action,
    Checked,
    Event,
    Locked,
    Measured,
    Observed,
    Opened,
    Switched,
    Tapped,
    Ticked,
    Voided,
)
from plentar.core.evidence.record import Record
from plentar.core.evidence.signs import sign_of
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.points import part_words

__all__ = ["Undo", "action_words", "undo_id", "undo_of"]

# Ids of actions that take another back are made from the other's, so that a second tap is the same action again.
NAMESPACE = UUID("5b1d6a0e-5c0b-4d0c-9a6f-2f7f0c5f9b11")
AT_REST: Mapping[str, str] = {"control": "from unit", "thermostat": "on"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Undo:
    """The action that takes an event back, under its own id, and what kind of thing is taken back."""

    id: str
    event: Event
    action: Action
    words: Text


# A call's events stay what they are from page to page.
@lru_cache(maxsize=4096)
def undo_id(event_id: str) -> str:
    """Return the id of the action that takes an event back."""
    return str(uuid5(NAMESPACE, event_id))


def undo_of(record: Record, plate: Nameplate, person: str, moment: float) -> Undo | None:
    """Return what takes back the newest thing a person did on a call; nothing where that is a fact.

    Args:
        record: The call's evidence.
        plate: The unit, by which its places are named.
        person: Who asks: nobody takes back what another did.
        moment: Now [s since 1970], by which a switch that was never moved goes on counting.
    """
    if record.closed is not None:
        return None
    known = {event.id for event in record.events}
    takes_back = {undo_id(event.id) for event in record.events}
    own = [event for event in record.events if event.person == person and event.id not in takes_back]
    for event in sorted(own, key=lambda event: -event.seq):
        if undo_id(event.id) in known:
            continue
        back = _back(record, event, moment)
        return (
            Undo(id=undo_id(event.id), event=event, action=back, words=action_words(plate, event.action))
            if back
            else None
        )
    return None


def action_words(plate: Nameplate, action: Action) -> Text:
    """Name what somebody did, in a word or two."""
    match action:
        case Measured():
            return message("undo.reading", point=find_point(plate, action.point).label, typed=action.typed)
        case Observed():
            sign = sign_of(action.sign)
            return message("undo.seen", sign=sign.words) if sign is not None else message("undo.row")
        case Switched():
            return message("undo.switch", what=part_words(action.what), state=action.state)
        case _:
            return message(f"undo.{action.kind}")


def _back(record: Record, event: Event, moment: float) -> Action | None:
    """Return the action that takes another back; nothing where that one is a fact, or was taken back already."""
    match event.action:
        case Observed() as action:
            earlier = [
                other.state
                for at, other in record.of(Observed)
                if (other.sign, other.about) == (action.sign, action.about) and at.seq < event.seq
            ]
            return replace(action, state=earlier[-1] if earlier else "undone")
        case Ticked() as action:
            return replace(action, is_done=not action.is_done, volts=None)
        case Checked() as action:
            return replace(action, is_done=not action.is_done)
        case Locked(owner="") as action:
            # Somebody else's lock was cleared after they were reached: that is no slip of the thumb.
            return replace(action, is_on=not action.is_on)
        case Switched() as action:
            return _switched_back(record, event, action, moment)
        case Tapped(is_undone=False) as action:
            return replace(action, is_undone=True)
        case _ if event.action.is_undone_by_voiding:
            standing = record.taken_by_id(event.id)
            if event.id in record.voided or (standing is not None and standing.void_reason):
                return None
            return Voided(event=event.id, reason="undone")
        case _:
            return None


def _switched_back(record: Record, event: Event, action: Switched, moment: float) -> Switched:
    before = [(at, other) for at, other in record.of(Switched) if other.what == action.what and at.seq < event.seq]
    if not before:
        # As a call begins: everything live, the thermostat in charge, nothing called.
        is_call = action.what not in AT_REST and not any(action.what in opened.feeds for _, opened in record.of(Opened))
        state = AT_REST.get(action.what, ("on" if action.state == "off" else "off") if is_call else "live")
        return Switched(what=action.what, state=state)  # type: ignore[arg-type]
    at, last = before[-1]
    # It was never moved: a call that stands stands since when it did.
    is_timed = last.state == "on" and not last.is_untimed
    ago = max(min(moment - at.done_at + last.ago_seconds, MOST_AGO_SECONDS), 0.0) if is_timed else 0.0
    return replace(last, ago_seconds=ago)
