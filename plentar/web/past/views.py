"""A unit's page, its cabinet label, and the short address a label's code holds."""

from uuid import UUID
from zoneinfo import ZoneInfo

from flask import Blueprint, abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.history.survival import chance_within
from plentar.formats.bundle import readings_csv
from plentar.formats.label import CabinetLabel, code_of
from plentar.formats.unit_json import kept_nameplate
from plentar.store import history, places, plans
from plentar.store.models import Unit
from plentar.web.call_layout.documents import attached, laid_out
from plentar.web.call_layout.unit_history import lives_of_shop
from plentar.web.call_layout.visits import past_from, shop_limits
from plentar.web.exchange.export_file import tidy_rows
from plentar.web.past.models import UnitScreen
from plentar.web.serving.access import local_day, login_required, now
from plentar.web.serving.paths import whole_url

__all__ = ["bp"]

bp = Blueprint("past", __name__)


def _unit(unit_id: UUID) -> Unit:
    unit = places.get_unit(g.db, shop_id=g.person.shop_id, unit_id=unit_id)
    if unit is None:
        abort(404)
    return unit


def screen_of(unit: Unit) -> UnitScreen:
    """Return a unit's page: four queries, whatever its years."""
    shop_id, zone = unit.shop_id, ZoneInfo(g.person.shop.time_zone)
    calls = history.calls_of_unit(g.db, shop_id=shop_id, unit_id=unit.id)
    ids = [call.id for call in calls]
    told = history.told_of(g.db, shop_id=shop_id, call_ids=ids)
    closed = {call.id for call in calls if call.status == "closed"}
    causes = [row for row in told if row.kind == "cause" and row.call_id in closed]
    past = past_from(causes, kept_nameplate(unit.nameplate).built, now(), zone)
    readings = history.readings_of(g.db, shop_id=shop_id, call_ids=ids)
    taps = history.taps_of(g.db, shop_id=shop_id, call_ids=ids)
    return UnitScreen(unit, calls, told, readings, past, taps=taps, limits=shop_limits(), zone=zone, moment=now())


@bp.get("/units/<uuid:unit_id>")
@login_required
def page(unit_id: UUID) -> ResponseReturnValue:
    """Show a unit over the years."""
    unit = _unit(unit_id)
    screen = screen_of(unit)
    lives = lives_of_shop(g.db, unit.shop_id, now())
    return render_template(
        "past/page.html",
        screen=None,
        unit=unit,
        past=screen,
        lives=lives,
        chance_within=chance_within,
        today=local_day(),
        follow_ups=plans.list_follow_ups(g.db, shop_id=unit.shop_id, place_id=unit.place_id),
        orders=plans.list_orders(g.db, shop_id=unit.shop_id, unit_id=unit.id),
    )


@bp.get("/units/<uuid:unit_id>/readings.csv")
@login_required
def readings(unit_id: UUID) -> ResponseReturnValue:
    """Send all that was ever read on a unit, as one tidy table."""
    unit = _unit(unit_id)
    body = "".join(readings_csv(tidy_rows(g.db, g.person.shop, unit.id)))
    return attached(body, "text/csv", "unit.csv")


@bp.get("/u/<uuid:unit_id>")
@login_required
def scanned(unit_id: UUID) -> ResponseReturnValue:
    """Open what a cabinet label's code stands for: the call in progress there, else the unit, to start one on it."""
    unit = _unit(unit_id)
    begun = [row for row in places.open_calls_of(g.db, shop_id=unit.shop_id, unit_id=unit.id) if row.status == "open"]
    if begun:
        return redirect(url_for("call.page", call_id=begun[0].id))
    return redirect(url_for("past.page", unit_id=unit.id))


@bp.get("/units/<uuid:unit_id>/label.pdf")
@login_required
def label(unit_id: UUID) -> ResponseReturnValue:
    """Send a unit's cabinet label, alone or as a Letter sheet of ten."""
    unit = _unit(unit_id)
    is_sheet = request.args.get("sheet") == "1"
    html = render_template("past/label_pdf.html", labels=[_label(unit)] * (10 if is_sheet else 1), is_sheet=is_sheet)
    return attached(laid_out(html), "application/pdf", "label.pdf")


def _label(unit: Unit) -> CabinetLabel:
    plate = kept_nameplate(unit.nameplate)
    zone = ZoneInfo(g.person.shop.time_zone)
    calls = history.calls_of_unit(g.db, shop_id=unit.shop_id, unit_id=unit.id, most=5)
    last = next((call for call in calls if call.closed_at is not None), None)
    breakers = " + ".join(f"{feed.breaker_amps:g} A" if feed.breaker_amps else "not known" for feed in plate.feeds)
    watts = sum(circuit.rated_watts for circuit in plate.circuits)
    tags = [
        row.payload.get("tag", "")
        for row in history.told_of(g.db, shop_id=unit.shop_id, call_ids=[call.id for call in calls])
        if row.kind == "temporary"
    ]
    return CabinetLabel(
        place=unit.place.name,
        unit=unit.label,
        kit=f"{plate.maker} {plate.model}, {watts / 1000:g} kW, {len(plate.circuits)} strips",
        breaker=breakers,
        last_check=last.closed_at.astimezone(zone).strftime("%d %b %Y") if last and last.closed_at else "not yet",
        tag=tags[-1] if tags else "",
        code=code_of(whole_url(url_for("past.scanned", unit_id=unit.id))),
    )
