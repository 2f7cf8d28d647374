"""The day's calls at a glance."""

from collections import Counter
from collections.abc import Sequence
from datetime import date, datetime, time, timedelta
from uuid import uuid4
from zoneinfo import ZoneInfo

from flask import Blueprint, g, redirect, render_template, url_for
from flask.typing import ResponseReturnValue

from plentar.core.evidence.events import Temporary
from plentar.core.work.planning import plan_van
from plentar.core.work.urgency import urgency_of
from plentar.formats.events_json import action_from_json
from plentar.formats.unit_json import kept_nameplate
from plentar.store import calls, events, plans, shops
from plentar.store.models import Call
from plentar.web.serving.access import login_required, now

__all__ = ["bp"]

bp = Blueprint("today", __name__)
# A temporary measure stands open this long before its day; what is due later is folded below, up to a season ahead.
DUE_DAYS, AHEAD_DAYS = 2, 200
# Follow-ups coming this week are seen beside those that are late.
COMING_DAYS = 5


class Measure:
    """A temporary measure as the day lists it."""

    def __init__(self, item: events.Due) -> None:
        self.id, self.call = item.id, item.call
        action = action_from_json("temporary", item.payload, is_kept=True)
        assert isinstance(action, Temporary)  # noqa: S101  the kind that was asked for
        self.action, self.due_on = action, date.fromisoformat(action.due_on)


def _of_others(rows: Sequence[Call]) -> list[tuple[str, list[Call]]]:
    """Return everybody else's calls, a group each, by first name; by the whole name where two share one."""
    by_name: dict[str, list[Call]] = {}
    for call in rows:
        if call.technician_id != g.person.id:
            # Somebody invited has no name before they first sign in.
            by_name.setdefault(call.technician.name.strip() or call.technician.email, []).append(call)
    first = Counter(name.split()[0] for name in by_name)
    short = {name: name.split()[0] if first[name.split()[0]] == 1 else name for name in by_name}
    return [(f"{short[name]}'s calls", own) for name, own in sorted(by_name.items())]


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
    ahead = [call for call in mine if call.status != "closed"]
    van = plan_van([(kept_nameplate(call.unit.nameplate), call.complaints) for call in ahead])
    groups = [("Your calls", mine), *_of_others(rows)]
    until = (moment.date() + timedelta(days=AHEAD_DAYS)).isoformat()
    measures = [Measure(item) for item in events.list_due(g.db, shop_id=g.person.shop_id, until=until)]
    soon = moment.date() + timedelta(days=DUE_DAYS)
    return render_template(
        "today/page.html",
        moment=moment,
        groups=groups,
        van=van,
        ahead=ahead,
        due=[measure for measure in measures if measure.due_on <= soon],
        later=[measure for measure in measures if measure.due_on > soon],
        new_id=lambda: str(uuid4()),
        overdue=plans.list_overdue(g.db, shop_id=g.person.shop_id, before=start),
        follow_ups=plans.list_follow_ups(g.db, shop_id=g.person.shop_id, until=soon + timedelta(days=COMING_DAYS)),
        orders=plans.list_orders(g.db, shop_id=g.person.shop_id),
        urgency_of=urgency_of,
        calibration=shops.calibrations(g.db, shop_id=g.person.shop_id),
    )
