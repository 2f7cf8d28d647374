"""The blower page and the control page."""

import json
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from flask import Blueprint, abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm
from wtforms import HiddenField, StringField, validators
from wtforms.validators import InputRequired, Length, Regexp

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.thermostat_map import TERMINALS, MapRow
from plentar.formats.numbers import parse_number
from plentar.formats.stamps import condition_at, condition_to_json, switch
from plentar.store import calls, evidence
from plentar.store.models import Observation
from plentar.web.access import login_required, now
from plentar.web.checks.models import FELT, ROWS, ChecksScreen, judge_capacitor
from plentar.web.kept import own_call, still_open

__all__ = ["bp"]

bp = Blueprint("checks", __name__, url_prefix="/calls/<uuid:call_id>")
PAGES = ("blower", "control")
SEEN = r"(found|fine|undone)\Z"


class SeenForm(FlaskForm):  # type: ignore[misc]
    """One thing seen: a row of the blower test, a sign, a start, a conductor of the hunt."""

    item_id = HiddenField(validators=[InputRequired(), validators.UUID()])
    kind = HiddenField(validators=[InputRequired(), Length(max=40)])
    about = HiddenField(validators=[Length(max=40)])
    state = HiddenField(validators=[InputRequired(), Regexp(SEEN)])


class CapacitorForm(FlaskForm):  # type: ignore[misc]
    """The run capacitor's microfarads."""

    item_id = HiddenField(validators=[InputRequired(), validators.UUID()])
    microfarads = StringField("Run capacitor", [Length(max=20)])


def _screen(call_id: UUID) -> ChecksScreen:
    shop_id = g.person.shop_id
    call = own_call(call_id)
    return ChecksScreen(
        call,
        calls.list_readings(g.db, shop_id=shop_id, call_id=call_id),
        evidence.list_observations(g.db, shop_id=shop_id, call_id=call_id),
        now(),
    )


def _shown(
    screen: ChecksScreen, page: str, problem: PlentarError | None = None, code: int = 200
) -> ResponseReturnValue:
    view = f"checks/_{page}.html" if request.headers.get("HX-Request") else f"checks/{page}.html"
    typed = request.form if problem is not None else {}
    return render_template(view, screen=screen, problem=problem, typed=typed, new_id=lambda: str(uuid4())), code


@bp.get("/<any(blower, control):page>")
@login_required
def page(call_id: UUID, page: str) -> ResponseReturnValue:
    """Show one of the two pages."""
    return _shown(_screen(call_id), page)


def _append(
    screen: ChecksScreen,
    item_id: UUID,
    kind: str,
    about: str,
    state: str,
    note: str,
    moment: datetime,
    **condition: Any,
) -> None:
    still_open(screen.call, kind)
    stamp = condition_to_json(condition_at(screen.call.condition, moment)) | condition
    evidence.append(
        g.db,
        Observation(
            id=item_id,
            shop_id=screen.call.shop_id,
            call_id=screen.call.id,
            person_id=g.person.id,
            at=moment,
            kind=kind,
            about=about,
            state=state,
            note=note,
            condition=stamp,
        ),
    )
    calls.open_call(g.db, screen.call)


def _answer(call_id: UUID, page: str) -> ResponseReturnValue:
    if not request.headers.get("HX-Request"):
        return redirect(url_for("checks.page", call_id=call_id, page=page))
    return _shown(_screen(call_id), page)


def _refuse(call_id: UUID, page: str, error: PlentarError) -> ResponseReturnValue:
    g.db.rollback()
    return _shown(_screen(call_id), page, error, 422)


def _validated(form: FlaskForm) -> None:
    if not form.validate():
        field, messages = next(iter(form.errors.items()))
        raise ReadingError(messages[0].lower().rstrip("."), field=field)


@bp.post("/<any(blower, control):page>/seen")
@login_required
def seen(call_id: UUID, page: str) -> ResponseReturnValue:
    """Keep one thing seen."""
    form = SeenForm()
    try:
        _validated(form)
        screen, kind, about = _screen(call_id), form.kind.data, form.about.data or ""
        condition: dict[str, Any] = {}
        rows = dict(ROWS)
        if kind in ("row-blower", "row-strips") and about in rows:
            # A row is about its own calls, whatever the strip at the foot of the call page was left on.
            wanted = rows[about] | ({"W2"} if "W" in rows[about] and "W2" in screen.plate.calls else frozenset())
            running = screen.call.condition["calls"]
            same = set(running) & {"W", "W2", "G"} == wanted
            stamp = condition_to_json(condition_at(screen.call.condition, now()))
            condition = {"calls": stamp["calls"] if same else dict.fromkeys(sorted(wanted))}
        elif kind == "hunt" and about in {name for name, _ in screen.conductors}:
            part = f"control.{about.lower()}"
            state = "found" if form.state.data == "found" else "undone"
            _append(screen, uuid4(), "conductor-shorted", part, state, "", now())
        elif kind == "start":
            about = form.item_id.data[:8]
            if form.state.data == "found":
                _append(screen, uuid4(), "bad-start", "", "found", "", now())
        elif kind not in FELT:
            raise ReadingError("there is no such line on this page", field="kind")
        _append(screen, UUID(form.item_id.data), kind, about, form.state.data, "", now(), **condition)
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
    if screen.call.status == "closed":
        return _refuse(call_id, page, ReadingError("this call is closed; its condition stands", field="row"))
    condition = screen.call.condition
    for call in screen.plate.calls:
        condition = switch(condition, screen.plate, call, "on" if call in wanted else "off", now())
    calls.set_condition(g.db, screen.call, condition)
    return _answer(call_id, page)


@bp.post("/blower/capacitor")
@login_required
def capacitor(call_id: UUID) -> ResponseReturnValue:
    """Keep the run capacitor's reading."""
    form = CapacitorForm()
    try:
        _validated(form)
        screen = _screen(call_id)
        text = (form.microfarads.data or "").strip().removesuffix("µF").removesuffix("uF").strip()
        try:
            value = parse_number(text, "plain")
        except ReadingError as error:
            raise ReadingError(f"expected microfarads such as 7.4, got “{text[:20]}”", field="microfarads") from error
        _append(screen, UUID(form.item_id.data), "capacitor", "", "done", json.dumps({"microfarads": value}), now())
        is_out = judge_capacitor(screen.plate, value).grade.value == "fail"
        _append(screen, uuid4(), "capacitor-out", "", "found" if is_out else "undone", "", now())
    except PlentarError as error:
        return _refuse(call_id, "blower", error)
    return _answer(call_id, "blower")


@bp.post("/control/map")
@login_required
def keep_map(call_id: UUID) -> ResponseReturnValue:
    """Keep the thermostat's conductors."""
    try:
        if not FlaskForm().validate():
            abort(400)
        screen = _screen(call_id)
        rows = []
        for terminal in TERMINALS:
            board = request.form.get(f"board:{terminal}", "")
            if not board:
                continue
            entry = {
                "thermostat": terminal,
                "board": board,
                "colour": request.form.get(f"colour:{terminal}", "").strip()[:20],
                "jumpered_to": request.form.get(f"jumper:{terminal}", ""),
            }
            MapRow(**entry)
            rows.append(entry)
        if not rows:
            raise ReadingError("say where at least one conductor is landed", field="map")
        _append(screen, uuid4(), "map", "", "done", json.dumps(rows), now())
    except PlentarError as error:
        return _refuse(call_id, "control", error)
    return _answer(call_id, "control")
