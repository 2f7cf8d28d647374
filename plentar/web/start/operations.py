"""Starting a call: find or make the place and the unit, open the call."""

from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from plentar.core.errors import ReadingError
from plentar.core.evidence.events import first_event
from plentar.core.unit.kit_label import read_kit_label, with_kit
from plentar.core.unit.patterns import PATTERNS, structure_of
from plentar.core.work.urgency import SEASONAL
from plentar.formats.events_json import action_to_json
from plentar.formats.numbers import degf_typed
from plentar.formats.unit_json import nameplate_from_json, nameplate_to_json
from plentar.store import calls, events, places, plans, shops
from plentar.store.models import Call, Person, PlaceRow, Unit
from plentar.web.serving.access import shop_moment
from plentar.web.start.forms import NEW, StartForm

__all__ = ["start_call"]

MOST_WINDOW = 720
# One a season; a second so soon is a slip more often than a wish.
A_MONTH = timedelta(days=30)


def start_call(db: Session, person: Person, form: StartForm, moment: datetime) -> Call:
    """Make the call, with place and unit where they are new; sent again, return the one already made.

    Raises:
        ReadingError: Something is missing or not this shop's; `field` names the input.
    """
    shop_id = person.shop_id
    call_id = UUID(form.call_id.data) if form.call_id.data else uuid4()
    made = calls.get_for_shop(db, shop_id=shop_id, call_id=call_id)
    if made is not None:
        if form.unit_id.data not in ("", None, NEW) and _known(form.unit_id.data, "unit_id") != made.unit_id:
            words = f"this form was sent before: the call at {made.unit.place.name} stands. Start another one"
            raise ReadingError(words, field="unit_id")
        return made
    if not form.complaints.data and not (form.words.data or "").strip():
        raise ReadingError("tick a complaint, or enter the customer's description", field="complaints")
    outdoor, indoor = (degf_typed(form[name].data, name, form.degrees.data) for name in ("outdoor", "indoor"))
    meter = places.first_meter(db, shop_id=shop_id)
    if meter is None:
        raise ReadingError("this shop has no meter yet; add one first", field="place_name")
    plan = _plan(db, person, form, moment)
    unit = _unit(db, shop_id, _place(db, shop_id, form), form)
    if form.plan.data and SEASONAL in (form.complaints.data or ()) and not form.is_again.data:
        _ask_about_another(db, person, unit.id, plan.begins_at)
    call = Call(
        id=call_id,
        shop_id=shop_id,
        unit_id=unit.id,
        technician_id=plan.technician_id,
        meter_id=meter.id,
        complaints=list(form.complaints.data or ()) or ["other"],
        words=(form.words.data or "").strip(),
        at_risk=(form.at_risk.data or "").strip(),
        outdoor_degf=outdoor,
        indoor_degf=indoor,
        status="planned" if form.plan.data else "open",
        scheduled_at=plan.begins_at,
        window_minutes=plan.window_minutes,
        minutes=plan.minutes,
        outcome="",
    )
    places.add_call(db, call)
    events.begin(db, call, action_to_json(first_event(nameplate_from_json(unit.nameplate))), moment)
    return call


def _ask_about_another(db: Session, person: Person, unit_id: UUID, begins_at: datetime) -> None:
    """Ask before a unit gets a second seasonal check within a month.

    Raises:
        ReadingError: There is one already.
    """
    near = plans.calls_near(db, shop_id=person.shop_id, unit_id=unit_id, around=begins_at, within=A_MONTH)
    other = next((call for call in near if SEASONAL in call.complaints), None)
    if other is not None:
        day = other.scheduled_at.astimezone(ZoneInfo(person.shop.time_zone)).strftime("%A, %B %-d")
        raise ReadingError(f"this unit already has a seasonal check on {day}", field="is_again")


@dataclass(frozen=True, slots=True, kw_only=True)
class _Plan:
    begins_at: datetime
    technician_id: UUID
    window_minutes: int = 0
    minutes: int = plans.USUAL_MINUTES


def _plan(db: Session, person: Person, form: StartForm, moment: datetime) -> _Plan:
    """Return when and by whom: now and by whoever begins it, or as it was planned."""
    if not form.plan.data:
        return _Plan(begins_at=moment, technician_id=person.id)
    try:
        day, hour = date.fromisoformat(form.plan_on.data or ""), time.fromisoformat(form.plan_at.data or "08:00")
    except ValueError as error:
        raise ReadingError("choose a day", field="plan_on") from error
    begins_at = shop_moment(day, hour, "plan_at")
    window = (form.window.data or "0").strip()
    if not (window.isascii() and window.isdigit()) or int(window) > MOST_WINDOW:
        raise ReadingError("whole minutes, at most 12 hours", field="window")
    technician = shops.get_person(db, shop_id=person.shop_id, person_id=_known(form.technician.data, "technician"))
    if technician is None or technician.deactivated_at is not None:
        raise ReadingError("choose one from the list", field="technician")
    complaint = (form.complaints.data or ["other"])[0]
    minutes, _ = plans.minutes_taken(db, shop_id=person.shop_id, complaint=complaint)
    return _Plan(
        begins_at=begins_at,
        technician_id=technician.id,
        window_minutes=int(window),
        minutes=minutes,
    )


def _known(text: str | None, field: str) -> UUID:
    try:
        return UUID(text or "")
    except ValueError as error:
        raise ReadingError("choose one from the list", field=field) from error


def _place(db: Session, shop_id: UUID, form: StartForm) -> PlaceRow:
    if form.place_id.data and form.place_id.data != NEW:
        place = places.get_place(db, shop_id=shop_id, place_id=_known(form.place_id.data, "place_name"))
        if place is None:
            raise ReadingError("this place is not in your shop's records. Search again", field="place_name")
        return place
    name = (form.place_name.data or "").strip()
    if not name:
        raise ReadingError("search for the place, or enter its address to add it", field="place_name")
    if places.find_place(db, shop_id=shop_id, name=name) is not None:
        raise ReadingError("this place is already known. Choose it above", field="place_name")
    place = PlaceRow(
        id=uuid4(),
        shop_id=shop_id,
        name=name,
        town=(form.town.data or "").strip(),
        occupant=(form.occupant.data or "").strip(),
        access_note=(form.access_note.data or "").strip(),
        phone=(form.phone.data or "").strip(),
    )
    db.add(place)
    db.flush()
    return place


def _unit(db: Session, shop_id: UUID, place: PlaceRow, form: StartForm) -> Unit:
    if form.unit_id.data and form.unit_id.data != NEW:
        unit = places.get_unit(db, shop_id=shop_id, unit_id=_known(form.unit_id.data, "unit_id"))
        if unit is None or unit.place_id != place.id:
            raise ReadingError("this unit is not at that place. Choose one from the list", field="unit_id")
        return unit
    kind, _, name = (form.start_from.data or "").partition(":")
    if kind == "pattern" and name in PATTERNS:
        plate = structure_of(PATTERNS[name]())
        if (form.kit_kw.data or "").strip():
            plate = with_kit(plate, read_kit_label(form.kit_kw.data or "", form.kit_volts.data or ""))
    elif kind == "unit":
        like = places.get_unit(db, shop_id=shop_id, unit_id=_known(name, "start_from"))
        if like is None:
            raise ReadingError("this unit is not in your shop's records", field="start_from")
        # What belongs to the other unit alone comes off.
        plate = replace(nameplate_from_json(like.nameplate), serial="", built="")
    else:
        raise ReadingError("choose the closest wiring. You can edit the nameplate right after", field="start_from")
    unit = Unit(
        id=uuid4(),
        shop_id=shop_id,
        place_id=place.id,
        label=(form.unit_label.data or "").strip() or "unit 1",
        nameplate=nameplate_to_json(plate),
    )
    db.add(unit)
    db.flush()
    return unit
