"""The call screen and its fragments."""

from uuid import UUID, uuid4

from flask import Blueprint, abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.findings import compare
from plentar.formats.svg.band_rail import band_rail
from plentar.store import calls
from plentar.web.access import login_required, now
from plentar.web.call.forms import ConditionForm, ReadingForm
from plentar.web.call.models import CallScreen
from plentar.web.call.operations import flip, keep_reading, typed_reading

__all__ = ["bp"]

bp = Blueprint("call", __name__, url_prefix="/calls/<uuid:call_id>")
PANELS = ("reading", "complaint", "nameplate", "safe")


def _screen(call_id: UUID, selected: str | None = None) -> CallScreen:
    """Return the call's screen as of now; another shop's call is a 404."""
    call = calls.get_for_shop(g.db, shop_id=g.person.shop_id, call_id=call_id)
    if call is None:
        abort(404)
    rows = calls.list_readings(g.db, shop_id=g.person.shop_id, call_id=call_id)
    return CallScreen(call, rows, now(), selected)


def _fragments(screen: CallScreen, **pad: object) -> str:
    """Return what changes with a reading, a switch or another point: pad, board, run sheet, findings, strip."""
    return render_template("call/_changed.html", screen=screen, form=pad.pop("form", None) or _fresh(screen), **pad)


def _fresh(screen: CallScreen) -> ReadingForm:
    return ReadingForm(formdata=None, reading_id=str(uuid4()), point=screen.selected)


@bp.get("")
@login_required
def page(call_id: UUID) -> ResponseReturnValue:
    """Show the whole screen, or only what a tap on the board changes."""
    screen = _screen(call_id, request.args.get("point"))
    panel = request.args.get("panel", "reading")
    panel = panel if panel in PANELS else "reading"
    correcting = request.args.get("correct")
    old = next((kept for kept in screen.at_point if str(kept.row.id) == correcting and not kept.is_superseded), None)
    if request.headers.get("HX-Request") and not request.headers.get("HX-History-Restore-Request"):
        return _fragments(screen, panel=panel, correcting=old)
    return render_template("call/page.html", screen=screen, form=_fresh(screen), panel=panel, correcting=old)


@bp.post("/readings")
@login_required
def add_reading(call_id: UUID) -> ResponseReturnValue:
    """Keep one reading and return what it changes."""
    form = ReadingForm()
    screen = _screen(call_id, form.point.data)
    supersedes: UUID | None = None
    try:
        if not form.validate():
            raise _form_error(form)
        supersedes = UUID(form.supersedes.data) if form.supersedes.data else None
        keep_reading(
            g.db,
            screen,
            reading_id=UUID(form.reading_id.data),
            point=form.point.data,
            typed=form.value.data or "",
            supersedes=supersedes,
            reason=form.reason.data or "",
            person_id=g.person.id,
            moment=now(),
        )
    except PlentarError as error:
        return _refused(screen, form, error, supersedes)
    if not request.headers.get("HX-Request"):
        return redirect(url_for("call.page", call_id=call_id, point=form.point.data))
    return _fragments(_screen(call_id, form.point.data), panel="reading")


def _form_error(form: ReadingForm) -> ReadingError:
    field, messages = next(iter(form.errors.items()))
    return ReadingError(messages[0].lower().rstrip("."), field=field)


def _refused(
    screen: CallScreen, form: ReadingForm, error: PlentarError, supersedes: UUID | None
) -> ResponseReturnValue:
    """Return the pad with the message beside the field and everything typed still in it."""
    if error.field == "reading_id":
        form.reading_id.data = str(uuid4())
    old = next((kept for kept in screen.at_point if kept.row.id == supersedes), None)
    view = "call/_pad.html" if request.headers.get("HX-Request") else "call/page.html"
    body = render_template(view, screen=screen, form=form, panel="reading", problem=error, correcting=old)
    return body, 422


@bp.post("/judge")
@login_required
def judge_typed(call_id: UUID) -> ResponseReturnValue:
    """Judge what is typed so far without keeping it."""
    screen = _screen(call_id, request.form.get("point"))
    try:
        reading = typed_reading(screen, request.form.get("point", ""), request.form.get("value", "")[:40])
    except PlentarError as error:
        return render_template("call/_verdict.html", screen=screen, verdict=None, problem=error)
    verdict = screen.preview(reading)
    return render_template(
        "call/_verdict.html", screen=screen, verdict=verdict, rail=band_rail(verdict), is_preview=True
    )


@bp.post("/condition")
@login_required
def set_condition(call_id: UUID) -> ResponseReturnValue:
    """Flip one switch of the condition strip and return what it changes."""
    form = ConditionForm()
    screen = _screen(call_id, request.form.get("point"))
    if not form.validate():
        abort(400)
    what, _, state = form.switch.data.partition("=")
    flip(g.db, screen, what=what, state=state, moment=now())
    if not request.headers.get("HX-Request"):
        return redirect(url_for("call.page", call_id=call_id))
    return _fragments(_screen(call_id, request.form.get("point")), panel="reading")


@bp.get("/report")
@login_required
def report(call_id: UUID) -> ResponseReturnValue:
    """Show the report of the call, laid out for paper."""
    screen = _screen(call_id)
    earlier = calls.earlier_calls(
        g.db, shop_id=g.person.shop_id, unit_id=screen.call.unit_id, before=screen.call.scheduled_at, most=3
    )
    return render_template("call/report.html", screen=screen, earlier=earlier, comparisons=compare(screen.situation))
