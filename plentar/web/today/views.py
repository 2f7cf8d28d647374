"""The day's calls at a glance."""

from datetime import date, datetime, time, timedelta
from uuid import uuid4
from zoneinfo import ZoneInfo

from flask import Blueprint, g, redirect, render_template, url_for
from flask.typing import ResponseReturnValue

from plentar.core.work.planning import plan_van
from plentar.formats.unit_json import kept_nameplate
from plentar.store import calls, events
from plentar.web.access import login_required, now

__all__ = ["bp"]

bp = Blueprint("today", __name__)
# Temporary measures show up this long before their day.
DUE_DAYS = 2


@bp.get("/")
def root() -> ResponseReturnValue:
    """Lead to the day."""
    return redirect(url_for("today.page"))


@bp.get("/today")
@login_required
def page() -> ResponseReturnValue:
    """List the shop's calls of this day on its own clock, with whatever is still open from before."""
    zone = ZoneInfo(g.person.shop.time_zone)
    moment = now().astimezone(zone)
    start = datetime.combine(moment.date(), time(), zone)
    rows = calls.list_between(g.db, shop_id=g.person.shop_id, start=start, end=start + timedelta(days=1))
    mine = [call for call in rows if call.technician_id == g.person.id]
    others = [call for call in rows if call.technician_id != g.person.id]
    ahead = [call for call in mine if call.status != "closed"]
    van = plan_van([(kept_nameplate(call.unit.nameplate), call.complaints) for call in ahead])
    groups = [("Yours", mine), ("The other van", others)]
    until = (moment.date() + timedelta(days=DUE_DAYS)).isoformat()
    due = [
        (item, date.fromisoformat(item.payload["due_on"]))
        for item in events.list_due(g.db, shop_id=g.person.shop_id, until=until)
    ]
    return render_template(
        "today/page.html", moment=moment, groups=groups, van=van, ahead=ahead, due=due, new_id=lambda: str(uuid4())
    )
