"""The nameplate editor: fill, see it drawn, save."""

from dataclasses import replace
from uuid import UUID

from flask import Blueprint, abort, g, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.errors import ReadingError
from plentar.core.unit.kit import Kit
from plentar.core.unit.nameplate import Nameplate
from plentar.formats.kits_csv import KITS
from plentar.formats.plate_form import PLATE_CHANGES, PlateForm, plate_form_of, plate_form_read
from plentar.formats.unit_json import nameplate_from_json, nameplate_to_json
from plentar.store import places, stock
from plentar.store.models import Unit
from plentar.web.audit import note
from plentar.web.call_layout.layout import sent_on
from plentar.web.call_layout.writing import record_plate
from plentar.web.fields import checked_token
from plentar.web.serving.access import login_required
from plentar.web.unit.forms import PlateGuardForm
from plentar.web.unit.models import PlateScreen

__all__ = ["bp"]

bp = Blueprint("unit", __name__, url_prefix="/units/<uuid:unit_id>")


def _unit(unit_id: UUID) -> Unit:
    unit = places.get_unit(g.db, shop_id=g.person.shop_id, unit_id=unit_id)
    if unit is None:
        abort(404)
    return unit


def _kits() -> dict[str, Kit]:
    """The shop's kits by model."""
    rows = stock.list_kits(g.db, shop_id=g.person.shop_id)
    return {row.model: KITS.from_json(row.label) for row in rows}


def _screen(unit: Unit, form: PlateForm, *, version: int, call: str) -> PlateScreen:
    return PlateScreen(unit, form, version=version, call_id=call, last=nameplate_from_json(unit.nameplate))


@bp.get("/nameplate")
@login_required
def nameplate(unit_id: UUID) -> ResponseReturnValue:
    """Show the plate's form with the circuit drawn beside it."""
    unit = _unit(unit_id)
    form = plate_form_of(nameplate_from_json(unit.nameplate))
    call = request.args.get("call", "")[:40]
    screen = _screen(unit, form, version=unit.version, call=call)
    return render_template("unit/page.html", screen=screen, plate_form=form, kits=_kits())


@bp.post("/nameplate")
@login_required
def save(unit_id: UUID) -> ResponseReturnValue:
    """Draw what is typed, do one action with its rows, or keep it; nothing typed is lost either way."""
    unit, guard = _unit(unit_id), PlateGuardForm()
    if not guard.validate():
        abort(400)
    action = request.form.get("do", "")[:60]
    # Drawing needs no kit; the form and the taking of one do.
    kits = _kits() if action != "draw" else {}
    form = plate_form_read(request.form, action, kits.get(request.form.get("kit", "")))
    version, call = int(guard.version.data), guard.call.data or ""
    screen = _screen(unit, form, version=version, call=call)
    if action == "draw":
        return render_template("unit/_drawn.html", screen=screen, plate_form=form)
    wants_keep = action.partition(":")[0] not in PLATE_CHANGES
    if wants_keep and form.plate is not None:
        if _save(unit, form.plate, version):
            return _kept(unit_id, call)
        form.problems["version"] = (
            "Another person changed this nameplate meanwhile. Your entries are still here. Check them and save again."
        )
        screen.version = unit.version
    view = "unit/_form.html" if request.headers.get("HX-Request") else "unit/page.html"
    code = 422 if wants_keep else 200
    return render_template(view, screen=screen, plate_form=form, kits=kits), code


@bp.post("/service")
@login_required
def set_service(unit_id: UUID) -> ResponseReturnValue:
    """Put a unit on a 208 V service, two legs of a wye: what its volts ask for."""
    checked_token()
    unit = _unit(unit_id)
    plate = replace(nameplate_from_json(unit.nameplate), nominal_volts=208.0, supply="wye")
    if not _save(unit, plate, unit.version):
        raise ReadingError("another person changed this unit meanwhile. Look at its nameplate, then press it again")
    return sent_on(url_for("call.page", call_id=request.form.get("call", "")[:40]))


def _save(unit: Unit, plate: Nameplate, version: int) -> bool:
    """Save a plate, and note it on the unit's open calls; False where another version is there."""
    document = nameplate_to_json(plate)
    if not places.save_nameplate(g.db, unit, nameplate=document, version=version):
        return False
    before = {name: unit.nameplate.get(name) for name in document if unit.nameplate.get(name) != document[name]}
    note("plate", f"{unit.place.name}, {unit.label}", before=sorted(before))
    for open_call in places.open_calls_of(g.db, shop_id=unit.shop_id, unit_id=unit.id):
        record_plate(open_call.id, plate)
    return True


def _kept(unit_id: UUID, call: str) -> ResponseReturnValue:
    there = (
        url_for("call.page", call_id=call, panel="nameplate") if call else url_for("unit.nameplate", unit_id=unit_id)
    )
    return sent_on(there)
