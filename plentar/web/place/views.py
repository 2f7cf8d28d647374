"""A place and its units: shown, set right with who and when, taken back while nothing hangs on them."""

from typing import Any
from uuid import UUID

from flask import Blueprint, abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm

from plentar.core.errors import PlentarError, ReadingError
from plentar.store import places
from plentar.store.models import PlaceRow
from plentar.web.fields import require_valid
from plentar.web.place.forms import PlaceForm
from plentar.web.serving.access import lead_required, login_required, now

__all__ = ["bp"]

bp = Blueprint("place", __name__, url_prefix="/places/<uuid:place_id>")
FIELDS = ("name", "town", "occupant", "access_note", "phone", "estate", "block", "stair", "door")


def _place(place_id: UUID) -> PlaceRow:
    place = places.get_place(g.db, shop_id=g.person.shop_id, place_id=place_id)
    if place is None:
        abort(404)
    return place


def _shown(
    place: PlaceRow, form: PlaceForm, problem: PlentarError | None = None, code: int = 200
) -> ResponseReturnValue:
    units = places.units_at(g.db, shop_id=place.shop_id, place_id=place.id)
    body = render_template(
        "place/page.html",
        place=place,
        form=form,
        units=units,
        calls_of=places.calls_by_unit(g.db, place),
        changes=places.changes_of(g.db, place),
        call=request.values.get("call", "")[:40],
        problem=problem,
    )
    return body, code


@bp.get("")
@login_required
def page(place_id: UUID) -> ResponseReturnValue:
    """Show what is known of a place."""
    place = _place(place_id)
    return _shown(place, _form_of(place))


def _form_of(place: PlaceRow) -> PlaceForm:
    known = {name: getattr(place, name) for name in FIELDS}
    where = "" if place.latitude is None else f"{place.latitude:.6g}, {place.longitude:.6g}"
    return PlaceForm(formdata=None, version=str(place.version), coordinates=where, **known)


def _coordinates(typed: str | None) -> dict[str, float | None]:
    """Return latitude and longitude as typed; none where nothing is.

    Raises:
        ReadingError: They are no two numbers of the earth.
    """
    text = (typed or "").strip()
    if not text:
        return {"latitude": None, "longitude": None}
    try:
        latitude, longitude = (float(part) for part in text.replace("−", "-").split(","))
    except ValueError:
        latitude, longitude = 999.0, 999.0
    if not (abs(latitude) <= 90 and abs(longitude) <= 180):
        raise ReadingError("enter latitude and longitude, such as 41.88, -87.63", field="coordinates")
    return {"latitude": latitude, "longitude": longitude}


@bp.post("")
@login_required
def save(place_id: UUID) -> ResponseReturnValue:
    """Set it right; what stood before is kept with who changed it and when."""
    place, form = _place(place_id), PlaceForm()
    try:
        require_valid(form)
        values: dict[str, Any] = {name: (form[name].data or "").strip() for name in FIELDS}
        values |= _coordinates(form.coordinates.data)
        if not values["name"]:
            raise ReadingError("enter an address", field="name")
        other = places.find_place(g.db, shop_id=place.shop_id, name=values["name"])
        if other is not None and other.id != place.id:
            raise ReadingError("another place already has this address", field="name")
        if values != {name: getattr(place, name) for name in values}:
            version = int(form.version.data)
            if not places.amend_place(g.db, place, version=version, person_id=g.person.id, now=now(), **values):
                form.version.data = str(place.version)
                words = "another person changed this place meanwhile. Your entries are still here. Check and save again"
                raise ReadingError(words, field="version")
    except PlentarError as error:
        return _shown(place, form, error, 422)
    return redirect(url_for("place.page", place_id=place_id, call=request.form.get("call") or None))


@bp.post("/remove")
@lead_required
def remove(place_id: UUID) -> ResponseReturnValue:
    """Take back a place made by mistake; refused while a unit stands there."""
    place = _place(place_id)
    if not FlaskForm().validate():
        abort(400)
    if not places.remove_place(g.db, place, now()):
        return _refused(place, "there is a unit here. Remove the unit first", "place")
    return redirect(url_for("start.page"))


@bp.post("/units/<uuid:unit_id>/remove")
@lead_required
def remove_unit(place_id: UUID, unit_id: UUID) -> ResponseReturnValue:
    """Take back a unit made by mistake; refused while a call hangs on it."""
    place = _place(place_id)
    unit = places.get_unit(g.db, shop_id=place.shop_id, unit_id=unit_id)
    if unit is None or unit.place_id != place.id:
        abort(404)
    if not FlaskForm().validate():
        abort(400)
    if not places.remove_unit(g.db, unit, now()):
        return _refused(place, "this unit has calls, so it can't be removed", f"unit-{unit_id}")
    return redirect(url_for("place.page", place_id=place_id))


def _refused(place: PlaceRow, words: str, field: str) -> ResponseReturnValue:
    return _shown(place, _form_of(place), ReadingError(words, field=field), 422)
