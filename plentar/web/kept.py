"""What several pages of a call read and keep alike."""

from collections.abc import Collection
from datetime import datetime
from uuid import UUID

from flask import abort, g
from sqlalchemy.orm import Session

from plentar.core.errors import ReadingError
from plentar.core.readings import Reading
from plentar.formats.photos import reencode
from plentar.formats.stamps import condition_from_json
from plentar.store import calls, evidence
from plentar.store.models import Call, Photo
from plentar.store.models import Reading as ReadingRow

__all__ = ["core_reading", "keep_photo", "own_call", "still_open"]


def core_reading(row: ReadingRow) -> Reading:
    """Return a kept row as the core's value."""
    return Reading(
        point=row.point,
        value=row.value,
        condition=condition_from_json(row.condition),
        meter_uncertainty=row.meter_uncertainty,
        counts_uncertainty=row.counts_uncertainty,
    )


def own_call(call_id: UUID) -> Call:
    """Return a call of the signed-in person's shop; another shop's call is a 404."""
    call = calls.get_for_shop(g.db, shop_id=g.person.shop_id, call_id=call_id)
    if call is None:
        abort(404)
    return call


def still_open(call: Call, field: str) -> None:
    """Refuse to add to a closed call.

    Raises:
        ReadingError: The call is closed.
    """
    if call.status == "closed":
        raise ReadingError("this call is closed; its record stands", field=field)


def keep_photo(
    db: Session,
    call: Call,
    *,
    photo_id: UUID,
    part: str,
    places: Collection[str],
    note: str,
    data: bytes,
    person_id: UUID,
    moment: datetime,
) -> None:
    """Keep a photograph.

    Raises:
        ReadingError: No picture, a closed call, or pinned to none of the places it can be pinned to.
    """
    still_open(call, "photo")
    if not data:
        raise ReadingError("choose a photo first", field="photo")
    if part and part not in places:
        raise ReadingError("pick the part it shows", field="part")
    image, thumbnail = reencode(data)
    row = Photo(
        id=photo_id,
        shop_id=call.shop_id,
        call_id=call.id,
        person_id=person_id,
        at=moment,
        part=part,
        note=note.strip(),
        image=image,
        thumbnail=thumbnail,
    )
    evidence.append(db, row)
    calls.open_call(db, call)
