"""The timing page, its stopwatch, its logs."""

from uuid import UUID, uuid4

from flask import Blueprint, Response, abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm

from plentar.core.errors import PlentarError, ReadingError
from plentar.formats.current_csv import write_current_csv
from plentar.store import calls, evidence
from plentar.web.access import login_required, now
from plentar.web.kept import own_call
from plentar.web.timing.forms import LogForm, SimulateForm, StampForm
from plentar.web.timing.models import LogScreen, TimingScreen
from plentar.web.timing.operations import keep_log, keep_recording, simulate, stamp

__all__ = ["bp"]

bp = Blueprint("timing", __name__, url_prefix="/calls/<uuid:call_id>")


def _screen(call_id: UUID) -> TimingScreen:
    shop_id = g.person.shop_id
    call = own_call(call_id)
    return TimingScreen(
        call,
        calls.list_readings(g.db, shop_id=shop_id, call_id=call_id),
        evidence.list_observations(g.db, shop_id=shop_id, call_id=call_id),
        evidence.list_logs(g.db, shop_id=shop_id, call_id=call_id),
        now(),
    )


def _log(call_id: UUID, log_id: UUID) -> LogScreen:
    row = evidence.get_log(g.db, shop_id=g.person.shop_id, call_id=call_id, log_id=log_id)
    if row is None:
        abort(404)
    return LogScreen(row, _screen(call_id))


def _shown(screen: TimingScreen, problem: PlentarError | None = None, code: int = 200) -> ResponseReturnValue:
    view = "timing/_timing.html" if request.headers.get("HX-Request") else "timing/page.html"
    typed = request.form if problem is not None else {}
    return render_template(view, screen=screen, problem=problem, typed=typed, new_id=lambda: str(uuid4())), code


@bp.get("/timing")
@login_required
def page(call_id: UUID) -> ResponseReturnValue:
    """Show stopwatch, stage chart and logs."""
    return _shown(_screen(call_id))


def _checked(form: FlaskForm) -> None:
    if not form.validate():
        field, messages = next(iter(form.errors.items()))
        raise ReadingError(messages[0].lower().rstrip("."), field=field)


@bp.post("/timing")
@login_required
def tap(call_id: UUID) -> ResponseReturnValue:
    """Keep one tap of the stopwatch."""
    form = StampForm()
    try:
        _checked(form)
        stamp(
            g.db,
            _screen(call_id),
            stamp_id=UUID(form.stamp_id.data),
            what=form.what.data,
            person_id=g.person.id,
            moment=now(),
        )
    except PlentarError as error:
        g.db.rollback()
        return _shown(_screen(call_id), error, 422)
    if not request.headers.get("HX-Request"):
        return redirect(url_for("timing.page", call_id=call_id))
    return _shown(_screen(call_id))


@bp.post("/logs")
@login_required
def add_log(call_id: UUID) -> ResponseReturnValue:
    """Take in a file, whole or not at all, and go to it."""
    form = LogForm()
    upload = request.files.get("file")
    try:
        _checked(form)
        keep_log(
            g.db,
            _screen(call_id),
            log_id=UUID(form.log_id.data),
            stream=upload.stream if upload is not None and upload.filename else None,
            filename=(upload.filename or "") if upload is not None else "",
            clamp=form.clamp.data or "",
            called=form.called.data,
            dropped=form.dropped.data,
            person_id=g.person.id,
            moment=now(),
        )
    except PlentarError as error:
        g.db.rollback()
        return _shown(_screen(call_id), error, 422)
    return redirect(url_for("timing.log", call_id=call_id, log_id=form.log_id.data))


@bp.post("/logs/simulated")
@login_required
def add_simulated(call_id: UUID) -> ResponseReturnValue:
    """Start the simulated meter and go to its log."""
    form = SimulateForm()
    try:
        _checked(form)
        simulate(
            g.db,
            _screen(call_id),
            log_id=UUID(form.log_id.data),
            clamp=form.clamp.data or "",
            fault=form.fault.data or "",
            speed=int(form.speed.data or 1),
            person_id=g.person.id,
            moment=now(),
        )
    except PlentarError as error:
        g.db.rollback()
        return _shown(_screen(call_id), error, 422)
    return redirect(url_for("timing.log", call_id=call_id, log_id=form.log_id.data))


def _edge(name: str) -> float | None:
    try:
        return float(request.args[name])
    except (KeyError, ValueError):
        return None


@bp.get("/logs/<uuid:log_id>")
@login_required
def log(call_id: UUID, log_id: UUID) -> ResponseReturnValue:
    """Show one log with its steps marked; `?from=&to=` zooms."""
    shown = _log(call_id, log_id)
    chart = shown.chart(_edge("from"), _edge("to"))
    view = "timing/_log.html" if request.headers.get("HX-Request") else "timing/log.html"
    return render_template(view, log=shown, screen=shown.timing, chart=chart)


@bp.post("/logs/<uuid:log_id>/keep")
@login_required
def keep(call_id: UUID, log_id: UUID) -> ResponseReturnValue:
    """Stop the meter and keep its log; pressed twice, once."""
    shown = _log(call_id, log_id)
    if shown.is_recording:
        keep_recording(shown)
        g.db.flush()
    return redirect(url_for("timing.log", call_id=call_id, log_id=log_id))


@bp.get("/logs/<uuid:log_id>.csv")
@login_required
def log_csv(call_id: UUID, log_id: UUID) -> ResponseReturnValue:
    """Send a log as CSV."""
    shown = _log(call_id, log_id)
    seconds, amps = shown.samples
    called, dropped = shown.row.called_seconds, shown.row.dropped_seconds
    on = None if called is None else (seconds >= called) & (seconds < (dropped if dropped is not None else 1e12))
    body = write_current_csv(seconds, amps, on)
    return Response(
        body, mimetype="text/csv", headers={"Content-Disposition": f'attachment; filename="log-{log_id}.csv"'}
    )
