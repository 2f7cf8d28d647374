"""Meters: what each function is worth, when it was calibrated, which are offered no more."""

from collections.abc import Sequence
from typing import Any
from uuid import UUID

from flask import abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.unit.quantities import QUANTITIES
from plentar.formats.meter_form import RangeRow, ranges_read, rows_of, usual_ranges
from plentar.store import audit, shops
from plentar.store.models import MeterRow
from plentar.web.audit import note
from plentar.web.fields import checked_token
from plentar.web.serving.access import lead_required, local_day, now
from plentar.web.shop.forms import MeterForm
from plentar.web.shop.people import bp

__all__ = ["keep_meter", "show_meter"]


@bp.get("/meters")
@lead_required
def meters() -> ResponseReturnValue:
    """List the shop's meters."""
    rows = shops.list_all_meters(g.db, shop_id=g.person.shop_id)
    return render_template(
        "shop/meters.html", meters=[(row, shops.calibration_due(row)) for row in rows], today=local_day()
    )


def _meter(meter_id: UUID) -> MeterRow:
    meter = shops.get_meter(g.db, shop_id=g.person.shop_id, meter_id=meter_id)
    if meter is None:
        abort(404)
    return meter


def show_meter(
    form: MeterForm, rows: Sequence[RangeRow], meter: MeterRow | None, *, begin: bool = False, code: int = 200
) -> ResponseReturnValue:
    """Show one meter's form; `begin` among the screens that set a shop up."""
    kinds = [(row.id, row.dial) for row in QUANTITIES.values()]
    view = "shop/begin_meter.html" if begin else "shop/meter.html"
    return render_template(view, form=form, rows=rows, meter=meter, kinds=kinds), code


def keep_meter(meter: MeterRow | None, *, begin: bool = False) -> ResponseReturnValue | None:
    """Keep what was typed of a meter; None once it is kept, else the page that says what is wrong."""
    form = MeterForm()
    is_right = form.validate()
    shop_id = g.person.shop_id
    rows, ranges = ranges_read(request.form)
    name = (form.name.data or "").strip()
    if is_right and not shops.is_meter_name_free(g.db, shop_id=shop_id, name=name, but=meter.id if meter else None):
        form.name.errors = [*form.name.errors, "another meter has this name"]
        is_right = False
    if not ranges and not any(row.problems for row in rows):
        form.name.errors = [*form.name.errors, "enter at least one function with its accuracy"]
        is_right = False
    if form.calibrated_on.data is not None and form.calibrated_on.data > local_day():
        form.calibrated_on.errors = [*form.calibrated_on.errors, "this date is in the future"]
        is_right = False
    if not is_right or any(row.problems for row in rows):
        return show_meter(form, rows, meter, begin=begin, code=422)
    values = shops.MeterValues(
        name=name,
        ranges=ranges,
        has_low_impedance=form.has_low_impedance.data,
        calibrated_on=form.calibrated_on.data,
        calibration_months=form.calibration_months.data,
    )
    before = _told(meter) if meter is not None else {}
    kept = shops.change_meter(g.db, meter, values, shop_id=shop_id, version=int(form.version.data or 1))
    if kept is None:
        form.name.errors = [
            "another person changed this meter meanwhile. Your entries are still here. Check them and save again"
        ]
        form.version.data = str(_meter(meter.id).version if meter is not None else 1)
        return show_meter(form, rows, meter, begin=begin, code=422)
    who = {"shop_id": shop_id, "person": g.person, "at": now()}
    audit.note_changes(g.db, "meter", name, before, _told(kept), **who)
    return None


def _told(meter: MeterRow) -> dict[str, Any]:
    day = meter.calibrated_on
    return {
        "name": meter.name,
        "ranges": meter.ranges,
        "has_low_impedance": meter.has_low_impedance,
        "calibrated_on": day.isoformat() if day is not None else None,
        "calibration_months": meter.calibration_months,
    }


def form_of(meter: MeterRow) -> MeterForm:
    """Return a meter's form filled in."""
    told = _told(meter) | {"calibrated_on": meter.calibrated_on, "version": str(meter.version)}
    return MeterForm(formdata=None, **told)


@bp.get("/meters/new")
@lead_required
def new_meter() -> ResponseReturnValue:
    """Show the form of a new meter, with what usual ones are worth."""
    return show_meter(MeterForm(formdata=None, version="1"), rows_of(usual_ranges()), None)


@bp.post("/meters/new")
@lead_required
def add_meter() -> ResponseReturnValue:
    """Keep a new meter."""
    return keep_meter(None) or redirect(url_for("shop.meters"))


@bp.get("/meters/<uuid:meter_id>")
@lead_required
def meter_page(meter_id: UUID) -> ResponseReturnValue:
    """Show one meter."""
    meter = _meter(meter_id)
    return show_meter(form_of(meter), rows_of(meter.ranges), meter)


@bp.post("/meters/<uuid:meter_id>")
@lead_required
def change_meter(meter_id: UUID) -> ResponseReturnValue:
    """Keep what is said of a meter anew; readings keep the uncertainty they were stamped with."""
    return keep_meter(_meter(meter_id)) or redirect(url_for("shop.meters"))


@bp.post("/meters/<uuid:meter_id>/retire")
@lead_required
def retire_meter(meter_id: UUID) -> ResponseReturnValue:
    """Offer a meter no more, or again."""
    meter = _meter(meter_id)
    checked_token()
    goes = meter.retired_at is None
    shops.retire_meter(g.db, meter, now() if goes else None)
    note("meter retired" if goes else "meter in use again", meter.name)
    return redirect(url_for("shop.meters"))
