"""What a call does when something is sent: keep a reading, flip a switch."""

from datetime import datetime
from uuid import UUID

from sqlalchemy.orm import Session

from plentar.core.errors import ReadingError
from plentar.core.readings import Reading
from plentar.formats.numbers import parse_number
from plentar.formats.stamps import condition_to_json, switch
from plentar.store import calls
from plentar.store.models import Reading as ReadingRow
from plentar.web.call.models import CallScreen, meter_of

__all__ = ["flip", "keep_reading", "typed_reading"]


def typed_reading(screen: CallScreen, point: str, typed: str) -> Reading:
    """Return what was typed as a reading under the present condition.

    Raises:
        ReadingError: Not a number, or not a point of this unit.
    """
    if point not in screen.points:
        raise ReadingError("this unit has no such point; pick one on the board", field="point")
    quantity = screen.points[point].quantity
    value = parse_number(typed, quantity)
    meter_range = meter_of(screen.call).range_for(quantity, value)
    return Reading(
        point=point,
        value=value,
        condition=screen.condition,
        meter_uncertainty=meter_range.uncertainty(value),
        counts_uncertainty=meter_range.counts_uncertainty,
    )


def keep_reading(
    db: Session,
    screen: CallScreen,
    *,
    reading_id: UUID,
    point: str,
    typed: str,
    supersedes: UUID | None,
    reason: str,
    person_id: UUID,
    moment: datetime,
) -> ReadingRow:
    """Append a reading to the call and return it; the same one sent again is the one already kept.

    Raises:
        ReadingError: It cannot be used; `field` names the form's field.
    """
    earlier = screen.has_reading(reading_id)
    if earlier is not None:
        if (earlier.point, earlier.typed) != (point, typed.strip()):
            raise ReadingError(
                "this form was sent before; press Keep again to keep this as a new reading", field="reading_id"
            )
        return earlier
    reading = typed_reading(screen, point, typed)
    if supersedes is not None:
        old = screen.has_reading(supersedes)
        if old is None or old.point != point:
            raise ReadingError("there is no such reading to correct here", field="supersedes")
        if not reason.strip():
            raise ReadingError("say why the first reading was wrong; it stays in the record", field="reason")
        if not screen.is_standing(supersedes):
            raise ReadingError("that reading was corrected already; reload to see it", field="supersedes")
    if screen.call.status == "closed":
        raise ReadingError("this call is closed; its readings stand", field="value")
    row = ReadingRow(
        id=reading_id,
        shop_id=screen.call.shop_id,
        call_id=screen.call.id,
        person_id=person_id,
        meter_id=screen.call.meter_id,
        point=point,
        value=reading.value,
        typed=typed.strip(),
        meter_uncertainty=reading.meter_uncertainty,
        counts_uncertainty=reading.counts_uncertainty,
        condition=condition_to_json(reading.condition),
        taken_at=moment,
        received_at=moment,
        supersedes_id=supersedes,
        reason=reason.strip() if supersedes else "",
    )
    if not calls.append_reading(db, row):
        raise ReadingError("this form was sent before; press Keep again", field="reading_id")
    calls.open_call(db, screen.call)
    return row


def flip(db: Session, screen: CallScreen, *, what: str, state: str, moment: datetime) -> None:
    """Set one switch of the condition strip.

    Raises:
        ReadingError: The unit has no such feed or call.
    """
    if screen.call.status == "closed":
        raise ReadingError("this call is closed; its condition stands", field=what)
    calls.set_condition(db, screen.call, switch(screen.call.condition, screen.plate, what, state, moment))
