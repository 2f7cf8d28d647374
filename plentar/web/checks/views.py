"""The blower page and the control page."""

from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any
from uuid import UUID, uuid4

from flask import Blueprint, abort, g, redirect, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm
from wtforms import HiddenField, StringField, validators
from wtforms.validators import InputRequired, Length, Regexp

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.judging.thermostat_map import TERMINALS
from plentar.core.visit import CAPACITOR
from plentar.formats.numbers import parse_number
from plentar.web.call_layout.layout import StepView, register_step, show_step
from plentar.web.call_layout.visits import own_call, read_visit
from plentar.web.call_layout.writing import Draft, keep_all, keep_one
from plentar.web.checks.models import FELT, WATCHED, ChecksScreen
from plentar.web.fields import require_valid
from plentar.web.serving.access import login_required

__all__ = ["bp"]

bp = Blueprint("checks", __name__, url_prefix="/calls/<uuid:call_id>")
KINDS = ("row-blower", "row-strips", "hunt", "start", *FELT, *WATCHED)


class SeenForm(FlaskForm):  # type: ignore[misc]
    """One thing seen: a row of the blower test, a sign, a start, a conductor of the hunt."""

    item_id = HiddenField(validators=[InputRequired(), validators.UUID()])
    kind = HiddenField(validators=[InputRequired(), Length(max=40)])
    about = HiddenField(validators=[Length(max=40)])
    state = HiddenField(validators=[InputRequired(), Regexp(r"(found|fine|undone)\Z")])


class CapacitorForm(FlaskForm):  # type: ignore[misc]
    """The run capacitor's microfarads, in the unit or in the hand."""

    item_id = HiddenField(validators=[InputRequired(), validators.UUID()])
    microfarads = StringField("Run capacitor", [Length(max=20)])


def _screen(call_id: UUID) -> ChecksScreen:
    call = own_call(call_id)
    return ChecksScreen(call, read_visit(call), str(g.person.id))


def _shown(
    screen: ChecksScreen, page: str, problem: PlentarError | None = None, code: int = 200
) -> ResponseReturnValue:
    url = url_for("checks.page", call_id=screen.call.id, page=page)
    step = StepView(panel=page, template=f"checks/_{page}.html", shows=screen, url=url)
    return show_step(step, problem, code)


@bp.get("/<any(blower, control):page>")
@login_required
def page(call_id: UUID, page: str) -> ResponseReturnValue:
    """Show one of the two pages."""
    return _shown(_screen(call_id), page)


def _answer(call_id: UUID, page: str) -> ResponseReturnValue:
    if not request.headers.get("HX-Request"):
        return redirect(url_for("checks.page", call_id=call_id, page=page))
    return _shown(_screen(call_id), page)


def _refuse(call_id: UUID, page: str, error: PlentarError) -> ResponseReturnValue:
    g.db.rollback()
    return _shown(_screen(call_id), page, error, 422)


@bp.post("/<any(blower, control):page>/seen")
@login_required
def seen(call_id: UUID, page: str) -> ResponseReturnValue:
    """Keep one thing seen."""
    form = SeenForm()
    try:
        require_valid(form)
        kind, about = form.kind.data, form.about.data or ""
        if kind not in KINDS:
            raise ReadingError("this line is not on this page", field="kind")
        # Every start counts by itself.
        about = form.item_id.data[:8] if kind == "start" else about
        payload = {"sign": kind, "about": about, "state": form.state.data}
        keep_one(call_id, form.item_id.data, "seen", payload)
    except PlentarError as error:
        return _refuse(call_id, page, error)
    return _answer(call_id, page)


@bp.post("/<any(blower, control):page>/row")
@login_required
def row(call_id: UUID, page: str) -> ResponseReturnValue:
    """Make exactly the calls of one row."""
    screen = _screen(call_id)
    wanted = {name for name in request.form.get("calls", "")[:20].split(",") if name}
    if not FlaskForm().validate() or not wanted <= set(screen.plate.calls):
        abort(400)
    on = set(screen.visit.lockout.calls)
    drafts = [
        Draft(id=uuid4(), kind="switch", payload={"what": call, "state": "on" if call in wanted else "off"})
        for call in screen.plate.calls
        if (call in wanted) != (call in on)
    ]
    try:
        keep_all(call_id, drafts)
    except PlentarError as error:
        return _refuse(call_id, page, ReadingError(error.message, field="row"))
    return _answer(call_id, page)


@bp.post("/blower/capacitor")
@login_required
def capacitor(call_id: UUID) -> ResponseReturnValue:
    """Keep the run capacitor's reading."""
    form = CapacitorForm()
    try:
        require_valid(form)
        text = (form.microfarads.data or "").strip()
        plain = text.removesuffix("µF").removesuffix("uF").strip()
        try:
            parse_number(plain, "plain")
        except ReadingError as error:
            raise ReadingError(f"expected microfarads such as 7.4, got “{text[:20]}”", field="microfarads") from error
        hand = "at rest" if request.form.get("in_hand") else ""
        payload = {"point": CAPACITOR, "typed": plain, "in_hand": hand}
        keep_one(call_id, form.item_id.data, "reading", payload)
    except PlentarError as error:
        error.field = "microfarads" if error.field == "value" else error.field
        return _refuse(call_id, "blower", error)
    return _answer(call_id, "blower")


def _wires(form: Mapping[str, str]) -> Sequence[dict[str, Any]]:
    return [
        {
            "thermostat": terminal,
            "board": form[f"board:{terminal}"],
            "colour": form.get(f"colour:{terminal}", "").strip()[:20],
            "jumpered_to": form.get(f"jumper:{terminal}", ""),
        }
        for terminal in TERMINALS
        if form.get(f"board:{terminal}")
    ]


@bp.post("/control/map")
@login_required
def keep_map(call_id: UUID) -> ResponseReturnValue:
    """Keep the thermostat's conductors."""
    if not FlaskForm().validate():
        abort(400)
    try:
        made = request.form.get("item_id") or str(uuid4())
        keep_one(call_id, made, "map", {"wires": _wires(request.form)})
    except PlentarError as error:
        return _refuse(call_id, "control", error)
    return _answer(call_id, "control")


for name in ("blower", "control"):
    register_step(name, partial(lambda name, call_id: _shown(_screen(call_id), name), name), "checks.page", page=name)
