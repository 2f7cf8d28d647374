"""The rounds of a shop: the list, a new one, its plan by day and person, the minutes between blocks."""

from datetime import time, timedelta
from typing import Any
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

from flask import Blueprint, abort, current_app, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from wtforms import SelectChoice

from plentar.core.errors import ReadingError
from plentar.core.rounds.route import GUESSED_MINUTES, HOME
from plentar.formats.numbers import parse_number
from plentar.store import rounds, shops
from plentar.store.models import Call, Unit
from plentar.store.shop_models import Round
from plentar.web.fields import checked_token
from plentar.web.rounds.forms import RoundForm
from plentar.web.rounds.planning import begin_planning
from plentar.web.serving.access import lead_required, local_day, login_required, now

__all__ = ["bp", "own_round"]

bp = Blueprint("rounds", __name__, url_prefix="/rounds")
# Planning takes two seconds at most, and a slow machine some more.
PATIENCE = timedelta(seconds=15)


def own_round(round_id: UUID) -> Round:
    """Return a round of this shop; another's is a 404."""
    row = rounds.get_round(g.db, shop_id=g.person.shop_id, round_id=round_id)
    if row is None:
        abort(404)
    return row


@bp.get("")
@login_required
def rounds_page() -> ResponseReturnValue:
    """List the shop's rounds."""
    return render_template("rounds/list.html", rows=rounds.list_rounds(g.db, shop_id=g.person.shop_id))


def _units() -> list[Unit]:
    estate, model = request.args.get("estate", "")[:120], request.args.get("model", "")[:120]
    if not estate and not model:
        return []
    return list(rounds.units_like(g.db, shop_id=g.person.shop_id, estate=estate, model=model))


def _choices(form: RoundForm, units: list[Unit]) -> None:
    people = [row for row in shops.list_people(g.db, shop_id=g.person.shop_id) if row.deactivated_at is None]
    form.people.choices = [SelectChoice(str(row.id), row.name) for row in people]
    form.units.choices = [SelectChoice(str(row.id), row.place.name) for row in units]


def _new(
    form: RoundForm, units: list[Unit], code: int = 200, problems: dict[str, str] | None = None
) -> ResponseReturnValue:
    shop_id = g.person.shop_id
    body = render_template(
        "rounds/new.html",
        form=form,
        units=units,
        estates=rounds.estates(g.db, shop_id=shop_id),
        kits=rounds.kits_met(g.db, shop_id=shop_id),
        problems=problems or {},
        query=request.args,
    )
    return body, code


@bp.get("/new")
@lead_required
def new_round() -> ResponseReturnValue:
    """Show the form: choose an estate or a kit first, then days and people."""
    units = _units()
    day = local_day() + timedelta(days=1)
    name = request.args.get("estate") or request.args.get("model") or ""
    form = RoundForm(
        formdata=None,
        round_id=str(uuid4()),
        name=f"{name}, {day:%B %Y}" if name else "",
        first_day=day,
        begins=time(8),
        ends=time(16, 30),
        people=[str(g.person.id)],
        units=[str(row.id) for row in units],
    )
    _choices(form, units)
    return _new(form, units)


def _minute(text: str) -> int:
    hour, _, minute = text.partition(":")
    if not (hour.isdigit() and minute.isdigit()) or int(hour) > 24 or int(minute) > 59:
        raise ReadingError("an hour such as 08:30", field="window")
    return 60 * int(hour) + int(minute)


def _own_hours(unit_id: str) -> dict[str, int]:
    """Return a unit's own hours and minutes where they were typed.

    Raises:
        ReadingError: They are none.
    """
    found = {}
    for name in ("from", "to"):
        text = request.form.get(f"{name}-{unit_id}", "").strip()
        if text:
            found[name] = _minute(text)
    if found.get("from", 0) >= found.get("to", 24 * 60):
        raise ReadingError("the window ends before it starts", field="window")
    return found


@bp.post("/new")
@lead_required
def make_round() -> ResponseReturnValue:
    """Keep what is wanted and begin to plan it; sent again, it is the same round."""
    form, units = RoundForm(), _units()
    _choices(form, units)
    is_right = form.validate()
    problems: dict[str, str] = {}
    wanted_units: list[dict[str, Any]] = []
    for unit_id in form.units.data or ():
        try:
            wanted_units.append({"id": unit_id, **_own_hours(unit_id)})
        except ReadingError as error:
            problems[unit_id] = str(error.message)
    if is_right and form.begins.data >= form.ends.data:
        form.ends.errors = [*form.ends.errors, "the day ends before it starts"]
        is_right = False
    if not is_right or problems:
        return _new(form, units, 422, problems)
    round_id = UUID(form.round_id.data) if form.round_id.data else uuid4()
    if rounds.get_round(g.db, shop_id=g.person.shop_id, round_id=round_id) is None:
        wanted = {
            "units": wanted_units,
            "people": list(form.people.data),
            "first_day": form.first_day.data.isoformat(),
            "days": form.days.data,
            "from": 60 * form.begins.data.hour + form.begins.data.minute,
            "to": 60 * form.ends.data.hour + form.ends.data.minute,
            "minutes": form.minutes.data,
            "capacity": form.capacity.data,
        }
        rounds.make_round(
            g.db,
            round_id=round_id,
            shop_id=g.person.shop_id,
            name=form.name.data.strip(),
            owner=(form.owner.data or "").strip(),
            person_id=g.person.id,
            now=now(),
            wanted=wanted,
        )
        g.db.commit()
        begin_planning(current_app._get_current_object(), g.person.shop_id, round_id)  # type: ignore[attr-defined]
    return redirect(url_for("rounds.round_page", round_id=round_id))


@bp.get("/<uuid:round_id>")
@login_required
def round_page(round_id: UUID) -> ResponseReturnValue:
    """Show a round's plan; while it is being made the page asks again by itself."""
    row = own_round(round_id)
    if row.state == "being made" and now() - row.made_at > PATIENCE:
        # The process that planned it is gone: whoever waits for it has another begin.
        begin_planning(current_app._get_current_object(), g.person.shop_id, round_id)  # type: ignore[attr-defined]
    calls = rounds.calls_of(g.db, shop_id=g.person.shop_id, round_id=round_id)
    days: dict[tuple[str, str], list[Call]] = {}
    zone = ZoneInfo(g.person.shop.time_zone)
    for call in calls:
        day = call.scheduled_at.astimezone(zone).strftime("%A, %d %B")
        days.setdefault((day, call.technician.name), []).append(call)
    return render_template("rounds/round.html", round=row, days=days, calls=calls, guess=GUESSED_MINUTES)


@bp.get("/ways")
@lead_required
def ways() -> ResponseReturnValue:
    """Show the minutes between blocks, known and guessed."""
    return _ways()


def _pairs() -> list[tuple[str, str]]:
    blocks = [HOME, *rounds.blocks_of(g.db, shop_id=g.person.shop_id)]
    return [(a, b) for n, a in enumerate(blocks) for b in blocks[n + 1 :]]


def _ways(problem: str = "", code: int = 200) -> ResponseReturnValue:
    known = rounds.ways_of(g.db, shop_id=g.person.shop_id)
    pairs = [(a, b, known.get((min(a, b), max(a, b)))) for a, b in _pairs()]
    return render_template("rounds/ways.html", pairs=pairs, guess=GUESSED_MINUTES, problem=problem), code


@bp.post("/ways")
@lead_required
def keep_ways() -> ResponseReturnValue:
    """Keep the minutes between blocks; an empty field is a guess again."""
    checked_token()
    found: dict[tuple[str, str], float | None] = {}
    for number, pair in enumerate(_pairs(), start=1):
        text = request.form.get(f"way-{number}", "").strip()
        try:
            minutes = parse_number(text, "plain") if text else None
        except ReadingError:
            minutes = -1.0
        if minutes is not None and not 0 < minutes < 1000:
            return _ways(f"from {pair[0] or 'the shop'} to {pair[1]}: minutes from 1 to 999", 422)
        found[pair] = minutes
    rounds.set_ways(g.db, shop_id=g.person.shop_id, ways=found)
    return redirect(url_for("rounds.ways"))


@bp.post("/<uuid:round_id>/close")
@lead_required
def close_round(round_id: UUID) -> ResponseReturnValue:
    """Note a round as closed: what was not come to stays planned as calls of their own."""
    checked_token()
    rounds.set_state(g.db, own_round(round_id), "closed")
    return redirect(url_for("rounds.round_page", round_id=round_id))
