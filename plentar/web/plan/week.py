"""The week of all vans, and each person's calendar behind a secret address."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

from flask import Response, abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.rounds.day_load import DAY_MINUTES, DayLoad, Planned, load_of
from plentar.core.rounds.route import Ways
from plentar.core.work.urgency import urgency_of
from plentar.formats.calendar import Appointment, calendar_of
from plentar.store import events, feeds, plans, rounds, shops
from plentar.store.models import Call, PlaceRow
from plentar.store.secret import new_secret
from plentar.web.plan.forms import FeedForm
from plentar.web.plan.views import bp, may_plan, people_choices, zone
from plentar.web.serving.access import local_day, login_required, now
from plentar.web.serving.paths import whole_url

__all__ = ["days_of"]

# What a calendar holds: what was done lately, and a season ahead.
BEHIND, AHEAD = timedelta(days=14), timedelta(days=120)


def days_of(monday: date, tz: ZoneInfo) -> list[tuple[date, datetime, datetime]]:
    """Return the seven days of a week with their bounds: of 23 or 25 hours where the clocks change."""
    days = [monday + timedelta(days=number) for number in range(8)]
    bounds = [datetime.combine(day, time(), tz) for day in days]
    return [(days[n], bounds[n], bounds[n + 1]) for n in range(7)]


def start_of_day() -> datetime:
    """Return when this day began by the shop's clock."""
    return datetime.combine(local_day(), time(), zone())


class Card:
    """One call in the week."""

    def __init__(self, call: Call, *, is_twice: bool) -> None:
        self.call, self.is_twice = call, is_twice
        self.urgency = urgency_of(call.complaints, at_risk=call.at_risk, outdoor_degf=call.outdoor_degf)
        self.can_move = call.status == "planned" and may_plan(call)

    @property
    def planned(self) -> Planned:
        """The call as it fills its day; a place of no block is a block of its own."""
        at, place = self.call.scheduled_at.astimezone(zone()), self.call.unit.place
        return Planned(
            id=str(self.call.id),
            begins_minute=at.hour * 60 + at.minute,
            minutes=self.call.minutes,
            block=place.block or place.estate or place.name,
        )


@dataclass(frozen=True, slots=True)
class Cell:
    """One van's day: its calls, and what they come to."""

    day: date
    cards: Sequence[Card]
    load: DayLoad


@bp.get("/week")
@login_required
def week() -> ResponseReturnValue:
    """Show a week: a row a van, a column a day; planned calls are moved by their form, by keys or by dragging."""
    try:
        wanted = date.fromisoformat(request.args.get("on", "")[:10]) if request.args.get("on") else local_day()
        monday = wanted - timedelta(days=wanted.weekday())
        days = days_of(monday, zone())
        rows = plans.list_week(g.db, shop_id=g.person.shop_id, start=days[0][1], end=days[-1][2])
    except (ValueError, OverflowError):
        abort(404)
    people = shops.list_people(g.db, shop_id=g.person.shop_id)
    vans = [row for row in people if row.deactivated_at is None or any(c.technician_id == row.id for c in rows)]
    cells: dict[tuple[UUID, date], list[Card]] = {}
    visits = Counter(call.unit_id for call in rows if call.status in ("planned", "open"))
    for call in rows:
        card = Card(call, is_twice=visits[call.unit_id] > 1)
        cells.setdefault((call.technician_id, call.scheduled_at.astimezone(zone()).date()), []).append(card)
    ways = Ways(rounds.ways_of(g.db, shop_id=g.person.shop_id))

    def cell(van: UUID, day: date) -> Cell:
        cards = cells.get((van, day), [])
        return Cell(day, cards, load_of([card.planned for card in cards], ways))

    grid = [(van, [cell(van.id, day) for day, _, _ in days]) for van in vans]
    until = days[-1][0]
    follow_ups = plans.list_follow_ups(g.db, shop_id=g.person.shop_id, until=until)
    due = events.list_due(g.db, shop_id=g.person.shop_id, until=until.isoformat())
    return render_template(
        "plan/week.html",
        days=days,
        grid=grid,
        monday=monday,
        before=monday - timedelta(days=7),
        after=monday + timedelta(days=7),
        today=local_day(),
        choices=people_choices(),
        undo=_undo(rows),
        day_hours=DAY_MINUTES / 60,
        follow_ups=follow_ups,
        orders=plans.list_orders(g.db, shop_id=g.person.shop_id),
        measures=[(date.fromisoformat(item.payload["due_on"]), item) for item in due],
        overdue=plans.list_overdue(
            g.db, shop_id=g.person.shop_id, before=datetime.combine(local_day(), time(), zone())
        ),
    )


def _undo(rows: Sequence[Call]) -> dict[str, object] | None:
    """Return the call that was just moved from here with where it stood before, to put it back in one tap."""
    asked = request.args
    call = next((row for row in rows if str(row.id) == asked.get("call")), None)
    if call is None or not asked.get("was_on") or call.status != "planned" or not may_plan(call):
        return None
    was = {name: asked.get(f"was_{name}", "")[:40] for name in ("on", "at", "technician")}
    return {"call": call, "was": was}


# Calendars.


@bp.get("/you/calendar")
@login_required
def calendar() -> ResponseReturnValue:
    """Show whether one's calendar has an address, and make or end it."""
    return render_template("plan/calendar.html", key=feeds.key_of(g.db, g.person), form=FeedForm(formdata=None))


@bp.post("/you/calendar")
@login_required
def make_calendar() -> ResponseReturnValue:
    """Give one's calendar an address, shown once; or end it."""
    form = FeedForm()
    if not form.validate():
        abort(400)
    if request.form.get("end"):
        feeds.end(g.db, g.person)
        return redirect(url_for("plan.calendar"))
    secret = new_secret()
    feeds.make(g.db, g.person, secret, with_words=form.with_words.data, now=now())
    link = whole_url(url_for("plan.feed", token=secret))
    return render_template("plan/calendar.html", key=feeds.key_of(g.db, g.person), form=form, link=link)


@bp.get("/calendar/<token>.ics")
def feed(token: str) -> ResponseReturnValue:
    """Send a calendar to whoever holds its address: block and hour; the customer's words only where chosen."""
    g.own_headers = {"X-Robots-Tag": "noindex, nofollow"}
    key = feeds.find(g.db, token) if len(token) <= 64 else None
    if key is None:
        abort(404)
    rows = feeds.calls_of(g.db, key, start=now() - BEHIND, end=now() + AHEAD)
    shop = key.person.shop
    items = [_appointment(call, with_words=key.with_words) for call in rows]
    body = calendar_of(f"{key.person.name}, {shop.name}", ZoneInfo(shop.time_zone), items, now())
    return Response(body, mimetype="text/calendar")


def _appointment(call: Call, *, with_words: bool) -> Appointment:
    place = call.unit.place
    where = place.name if with_words else _block(place)
    words = ", ".join(part for part in (call.complaint, call.words) if part) if with_words else ""
    return Appointment(
        id=str(call.id),
        begins_at=call.scheduled_at,
        minutes=call.minutes,
        title=f"{where}, call" if not with_words else where,
        words=words,
        changed=call.plan_version,
    )


def _block(place: PlaceRow) -> str:
    """Return where a place is without the house: block or estate, else the town."""
    return place.block or place.estate or place.town or "a place"
