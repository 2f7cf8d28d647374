"""Taking back what was just done: the newest deed of one person, if it is one that can be taken back.

Nothing is deleted: what was kept stays on record, and the deed that takes it back stands beside it. A switch taken back
was never moved, so its clock runs on. Power back on, a proof settled and a closed call are facts nobody takes back.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from uuid import UUID, uuid5

from plentar.core.circuit.places import find_point
from plentar.core.evidence.events import (
    MOST_AGO_SECONDS,
    Aired,
    Approved,
    Caused,
    Checked,
    Deed,
    Event,
    Fitted,
    Landed,
    Locked,
    Mapped,
    Marked,
    Measured,
    Noted,
    Observed,
    Opened,
    Photographed,
    Switched,
    Tapped,
    Temporary,
    Ticked,
    Voided,
)
from plentar.core.evidence.record import Record
from plentar.core.evidence.signs import sign_of
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.points import part_words

__all__ = ["STRUCK", "Undo", "deed_words", "undo_id", "undo_of"]

# Ids of deeds that take another back are made from the other's, so that a second tap is the same deed again.
NAMESPACE = UUID("5b1d6a0e-5c0b-4d0c-9a6f-2f7f0c5f9b11")
# Struck out, with this as the reason.
STRUCK: tuple[type[Deed], ...] = (
    Measured, Photographed, Caused, Fitted, Approved, Temporary, Noted, Marked, Mapped, Landed,
    Aired,
)  # fmt: skip
AT_REST: Mapping[str, str] = {"control": "from unit", "thermostat": "on"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Undo:
    """The deed that takes an event back, under its own id, and what kind of thing is taken back."""

    id: str
    event: Event
    deed: Deed
    words: Text


# A call's events stay what they are from page to page.
@lru_cache(maxsize=4096)
def undo_id(event_id: str) -> str:
    """Return the id of the deed that takes an event back."""
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
        return Undo(id=undo_id(event.id), event=event, deed=back, words=deed_words(plate, event.deed)) if back else None
    return None


def deed_words(plate: Nameplate, deed: Deed) -> Text:
    """Name what somebody did, in a word or two."""
    match deed:
        case Measured():
            return message("undo.reading", point=find_point(plate, deed.point).label, typed=deed.typed)
        case Observed():
            sign = sign_of(deed.sign)
            return message("undo.seen", sign=sign.words) if sign is not None else message("undo.row")
        case Switched():
            return message("undo.switch", what=part_words(deed.what), state=deed.state)
        case _:
            return message(f"undo.{deed.kind}")


def _back(record: Record, event: Event, moment: float) -> Deed | None:
    """Return the deed that takes another back; nothing where that one is a fact, or was taken back already."""
    match event.deed:
        case Observed() as deed:
            earlier = [
                other.state
                for at, other in record.of(Observed)
                if (other.sign, other.about) == (deed.sign, deed.about) and at.seq < event.seq
            ]
            return replace(deed, state=earlier[-1] if earlier else "undone")
        case Ticked() as deed:
            return replace(deed, is_done=not deed.is_done, volts=None)
        case Checked() as deed:
            return replace(deed, is_done=not deed.is_done)
        case Locked(owner="") as deed:
            # Somebody else's lock was cleared after they were reached: that is no slip of the thumb.
            return replace(deed, is_on=not deed.is_on)
        case Switched() as deed:
            return _switched_back(record, event, deed, moment)
        case Tapped(is_undone=False) as deed:
            return replace(deed, is_undone=True)
        case _ if isinstance(event.deed, STRUCK):
            standing = record.taken_by_id(event.id)
            if event.id in record.voided or (standing is not None and standing.struck):
                return None
            return Voided(event=event.id, reason="undone")
        case _:
            return None


def _switched_back(record: Record, event: Event, deed: Switched, moment: float) -> Switched:
    before = [(at, other) for at, other in record.of(Switched) if other.what == deed.what and at.seq < event.seq]
    if not before:
        # As a call begins: everything live, the thermostat in charge, nothing called.
        is_call = deed.what not in AT_REST and not any(deed.what in opened.feeds for _, opened in record.of(Opened))
        state = AT_REST.get(deed.what, ("on" if deed.state == "off" else "off") if is_call else "live")
        return Switched(what=deed.what, state=state)  # type: ignore[arg-type]
    at, last = before[-1]
    # It was never moved: a call that stands stands since when it did.
    is_timed = last.state == "on" and not last.is_untimed
    ago = max(min(moment - at.done_at + last.ago_seconds, MOST_AGO_SECONDS), 0.0) if is_timed else 0.0
    return replace(last, ago_seconds=ago)
