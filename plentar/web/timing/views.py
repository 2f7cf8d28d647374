"""The timing page, its stopwatch, its logs."""

from contextlib import nullcontext
from typing import Any
from uuid import UUID, uuid4

from flask import Blueprint, Response, abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.errors import PlentarError, ReadingError
from plentar.formats.alone import alone
from plentar.formats.current_csv import count_lines, read_current_csv, write_current_csv
from plentar.formats.numbers import parse_number
from plentar.formats.packed import pack
from plentar.store import events
from plentar.web.call_layout.layout import StepView, register_step, show_step
from plentar.web.call_layout.visits import own_call, read_visit
from plentar.web.call_layout.writing import keep_one
from plentar.web.fields import require_valid
from plentar.web.serving.access import login_required, release
from plentar.web.timing.forms import LogForm, SimulateForm, StampForm
from plentar.web.timing.models import HIDDEN, LogScreen, TimingScreen, hidden_fault
from plentar.words.figures import thousands

__all__ = ["bp"]

bp = Blueprint("timing", __name__, url_prefix="/calls/<uuid:call_id>")
CHUNK = 65_536
# Ten hours at two a second: a longer log takes up to 110 MB while it is read, 5 s on its own, so one at a time.
LARGE_ROWS, LOG_WAIT_SECONDS = 72_000, 20.0


def _screen(call_id: UUID) -> TimingScreen:
    call = own_call(call_id)
    return TimingScreen(call, read_visit(call))


def _log(call_id: UUID, log_id: UUID) -> LogScreen:
    found = next((log for log in _screen(call_id).logs_and_trials if log.id == str(log_id)), None)
    if found is None:
        abort(404)
    return found


def _shown(screen: TimingScreen, problem: PlentarError | None = None, code: int = 200) -> ResponseReturnValue:
    url = url_for("timing.page", call_id=screen.call.id)
    step = StepView(panel="timing", template="timing/_timing.html", shows=screen, url=url)
    return show_step(step, problem, code)


@bp.get("/timing")
@login_required
def page(call_id: UUID) -> ResponseReturnValue:
    """Show stopwatch, stage chart and logs."""
    return _shown(_screen(call_id))


def _refused(call_id: UUID, error: PlentarError) -> ResponseReturnValue:
    g.db.rollback()
    return _shown(_screen(call_id), error, 422)


@bp.post("/timing")
@login_required
def tap(call_id: UUID) -> ResponseReturnValue:
    """Keep one tap of the stopwatch; the first also makes the heat call, the drop ends it."""
    form = StampForm()
    try:
        require_valid(form)
        what = form.what.data
        action, _, stage = what.removeprefix("undo:").partition(":")
        payload = {"deed": action, "stage": stage, "is_undone": what.startswith("undo:")}
        if action == "call":
            # What a call names is no stage: the fan's, or heat's.
            payload |= {"stage": "", "call": stage or "heat"}
        keep_one(call_id, form.stamp_id.data, "tap", payload)
    except PlentarError as error:
        return _refused(call_id, error)
    if not request.headers.get("HX-Request"):
        return redirect(url_for("timing.page", call_id=call_id))
    return _shown(_screen(call_id))


def _seconds(typed: str | None, field: str) -> float | None:
    text = (typed or "").strip()
    if not text:
        return None
    minutes, colon, rest = text.partition(":")
    try:
        return (
            60 * parse_number(minutes, "plain") + parse_number(rest, "plain") if colon else parse_number(text, "plain")
        )
    except ReadingError as error:
        raise ReadingError(f"expected seconds or m:ss on the log's clock, got “{text[:20]}”", field=field) from error


@bp.post("/logs")
@login_required
def add_log(call_id: UUID) -> ResponseReturnValue:
    """Take in a file, whole or not at all, and go to it."""
    form = LogForm()
    upload = request.files.get("file")
    try:
        require_valid(form)
        screen = _screen(call_id)
        if upload is None or not upload.filename:
            raise ReadingError("choose the file the meter made", field="file")
        called, dropped = _seconds(form.called.data, "called"), _seconds(form.dropped.data, "dropped")
        stream = upload.stream
        release()
        try:
            rows = count_lines(stream)
            turn = alone("logs", wait_seconds=LOG_WAIT_SECONDS, field="file") if rows > LARGE_ROWS else nullcontext()
            with turn:
                chunks = iter(lambda: stream.read(CHUNK), b"")
                log = read_current_csv(chunks, rows=rows, clocks_went_back=form.clocks.data)
        except ReadingError as error:
            field = "clocks" if error.field == "clocks" else "file"
            raise ReadingError(error.message, field=field) from error
        clamp = form.clamp.data or ""
        payload: dict[str, Any] = {
            "name": upload.filename[:100] or "log",
            "clamp": clamp,
            "found": log.found,
            "called_seconds": log.called_seconds if called is None else called,
            "dropped_seconds": log.dropped_seconds if dropped is None else dropped,
            "supply_volts": screen.supply_volts(clamp),
        }
        keep_one(call_id, form.log_id.data, "log", payload, samples=pack(log.seconds, log.amps))
    except PlentarError as error:
        return _refused(call_id, error)
    return redirect(url_for("timing.log", call_id=call_id, log_id=form.log_id.data))


@bp.post("/logs/simulated")
@login_required
def add_simulated(call_id: UUID) -> ResponseReturnValue:
    """Start the simulated meter and go to its log."""
    form = SimulateForm()
    try:
        require_valid(form)
        screen = _screen(call_id)
        seed = UUID(form.log_id.data).int % 100_000
        fault = form.fault.data or ""
        chosen = hidden_fault(screen.plate, seed) if fault == HIDDEN else fault
        payload = {
            "name": "simulated",
            "clamp": form.clamp.data or "",
            "source": "simulated",
            "called_seconds": 5.0,
            "dropped_seconds": 420.0,
            "is_recording": True,
            "faults": [chosen] if chosen else [],
            "seed": seed,
            "speed": int(form.speed.data or 1),
            "is_hidden": fault == HIDDEN,
        }
        keep_one(call_id, form.log_id.data, "log", payload)
    except PlentarError as error:
        g.db.rollback()
        return _tools(call_id, error), 422
    return redirect(url_for("timing.log", call_id=call_id, log_id=form.log_id.data))


@bp.get("/tools")
@login_required
def tools(call_id: UUID) -> ResponseReturnValue:
    """Show what is no part of the call: the simulated meter, the raw files."""
    return _tools(call_id)


def _tools(call_id: UUID, problem: PlentarError | None = None) -> str:
    return render_template("timing/tools.html", screen=_screen(call_id), problem=problem, new_id=lambda: str(uuid4()))


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
        seconds, amps = shown.samples
        if seconds.size < 3:
            raise ReadingError("nothing logged yet. Wait a second", field="log")
        dropped = shown.row.dropped_seconds
        payload = {
            "log": str(log_id),
            "found": f"{thousands(seconds.size)} samples at 2 a second",
            "dropped_seconds": None if dropped is not None and dropped > float(seconds[-1]) else dropped,
        }
        try:
            keep_one(call_id, str(uuid4()), "log-kept", payload)
        except PlentarError as error:
            if error.field != "log":
                raise
            g.db.rollback()
        else:
            events.put_samples(g.db, shop_id=g.person.shop_id, log_id=log_id, samples=pack(seconds, amps))
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


register_step("timing", lambda call_id: _shown(_screen(call_id)), "timing.page")
