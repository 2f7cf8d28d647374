"""The call screen and its fragments."""

import json
from collections.abc import Callable
from dataclasses import replace
from typing import Any
from uuid import UUID, uuid4

from flask import Blueprint, Response, abort, g, jsonify, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.evidence.reading import Reading
from plentar.core.visit import Visit
from plentar.formats.call_record import call_to_json, readings_to_csv
from plentar.formats.events_json import action_to_json
from plentar.formats.json_in import read_json
from plentar.formats.numbers import parse_number
from plentar.screen.call import CallScreen, View
from plentar.screen.drawings.band_rail import band_rail
from plentar.store import events
from plentar.store.models import Call
from plentar.web.call.form_events import drafts_of_json, safe_drafts
from plentar.web.call.forms import (
    AcceptForm,
    AirForm,
    CloseForm,
    ConditionForm,
    MarkForm,
    ObservationForm,
    PhotoForm,
    ReadingForm,
)
from plentar.web.call.records import call_document, reading_records
from plentar.web.call_layout.air import air_drafts
from plentar.web.call_layout.documents import download
from plentar.web.call_layout.layout import context_of, is_fragment, is_kept, room_of, sent_on, step_shown
from plentar.web.call_layout.visits import meter_of, own_call
from plentar.web.call_layout.writing import ConflictError, EventAnswer, keep, keep_all, keep_one, own_id, sent_picture
from plentar.web.fields import first_error
from plentar.web.offline.submissions import is_late
from plentar.web.serving.access import login_required, now
from plentar.words import render
from plentar.words.figures import PLAIN, choose

__all__ = ["bp", "panel_action", "refused_panel"]

bp = Blueprint("call", __name__, url_prefix="/calls/<uuid:call_id>")
# Two hundred events with what is typed in each.
MOST_EVENT_BYTES = 256 * 1024
PANELS = ("reading", "complaint", "nameplate", "safe", "look", "air", "accept", "hand-over")


def _fragments(screen: CallScreen[Call], **pad: object) -> str:
    """Return what changes with a reading, a switch or another point: pad, board, run sheet, findings, strip."""
    return render_template("call/_changed.html", **_context(screen, **pad))


def _context(screen: CallScreen[Call], **pad: object) -> dict[str, object]:
    return context_of(screen, **{"form": _fresh(screen), **pad})


def _fresh(screen: CallScreen[Call]) -> ReadingForm:
    return ReadingForm(formdata=None, reading_id=str(uuid4()), point=screen.selected, hand=screen.view.hand)


def _view() -> View:
    hand = request.values.get("hand", "")
    return View(
        mark=request.args.get("mark", "")[:80],
        show=request.args.get("show", "")[:120],
        hand=hand if hand in ("at rest", "driven") else "",  # type: ignore[arg-type]
    )


@bp.get("")
@login_required
def page(call_id: UUID) -> ResponseReturnValue:
    """Show the whole screen, or only what a tap on the board changes."""
    screen = room_of(call_id, request.args.get("point"), _view())
    panel = request.args.get("panel", "reading")
    panel = panel if panel in PANELS else "reading"
    correcting = request.args.get("correct")
    old = next((kept for kept in screen.at_point if kept.id == correcting and not kept.is_superseded), None)
    accepting = request.args.get("accept", "")[:600]
    shown = {"panel": panel, "correcting": old, "accepting": accepting}
    if (saved := request.args.get("saved", "")) and saved != screen.selected:
        shown["saved"] = screen.latest.get(saved)
    if is_fragment():
        return _fragments(screen, **shown)
    return render_template("call/page.html", **_context(screen, **shown))


@bp.get("/changes")
def changes(call_id: UUID) -> ResponseReturnValue:
    """Answer every open page's question whether anything was kept since: the number of the last event, as its ETag."""
    if g.person is None:
        # A lapsed sign-in is told when something is sent, not every two seconds.
        return "", 204
    seq = events.seq_of(g.db, shop_id=g.person.shop_id, call_id=call_id)
    if seq is None:
        abort(404)
    answer = jsonify(seq=seq)
    answer.set_etag(str(seq))
    return answer.make_conditional(request)


@bp.get("/others")
@login_required
def others(call_id: UUID) -> ResponseReturnValue:
    """Return what others have changed on the screen, and nothing of what is being typed."""
    return render_template("call/_others.html", **_context(room_of(call_id, request.args.get("point"))))


def _answer_json(answer: EventAnswer) -> dict[str, object]:
    found: dict[str, object] = {"id": str(answer.id), "answer": answer.answer}
    if answer.seq is not None:
        found["seq"] = answer.seq
    if answer.error is not None:
        found |= {"why": render(answer.error.message), "field": answer.error.field}
    if answer.copy is not None and answer.error is not None:
        copy = answer.copy
        found["copy"] = {
            "kind": copy.action.kind,
            "payload": action_to_json(copy.action),
            "by": copy.by,
            "seq": copy.seq,
        }
    return found


@bp.post("/events")
@login_required
def add_events(call_id: UUID) -> ResponseReturnValue:
    """Take a list of events and answer each: kept, already kept, or refused with what the server has."""
    try:
        drafts = drafts_of_json(read_json(request.get_data(), field="events", most_bytes=MOST_EVENT_BYTES), now())
    except ReadingError as error:
        return {"why": render(error.message), "field": error.field}, 422
    answers, _, visit = keep(call_id, drafts)
    condition = visit.lockout
    return {
        "answers": [_answer_json(answer) for answer in answers],
        "seq": visit.record.seq,
        "condition": {"feeds": dict(condition.feeds), "control": condition.control, "calls": sorted(condition.calls)},
        "warnings": list(visit.power_warnings) if any(d.kind == "power-back" for d in drafts) else [],
    }


@bp.post("/readings")
@login_required
def add_reading(call_id: UUID) -> ResponseReturnValue:
    """Keep one reading and return what it changes."""
    form = ReadingForm()
    supersedes = form.supersedes.data or ""
    try:
        if not form.validate():
            raise first_error(form)
        payload = {
            "point": form.point.data,
            "typed": (form.value.data or "").strip(),
            "mode": form.mode.data or "",
            "in_hand": form.hand.data or "",
            "supersedes": str(UUID(supersedes)) if supersedes else "",
            "reason": (form.reason.data or "").strip() if supersedes else "",
        }
        visit = keep_one(call_id, form.reading_id.data, "reading", payload)
    except PlentarError as error:
        g.db.rollback()
        return _refused(room_of(call_id, form.point.data, _view()), form, error, supersedes)
    if is_late():
        # A phone that sends what it kept: nobody looks at the page.
        return ""
    here = room_of(call_id, form.point.data, _view(), visit=visit)
    on = here.after_saving
    there = url_for("call.page", call_id=call_id, point=on, saved=here.selected if on != here.selected else None)
    if not request.headers.get("HX-Request"):
        return redirect(there)
    if on == here.selected:
        return _fragments(here, panel="reading")
    body = _fragments(room_of(call_id, on, visit=visit), panel="reading", saved=here.current)
    # The page's address is that of the point the pad is on now.
    return body, 200, {"HX-Replace-Url": url_for("call.page", call_id=call_id, point=on)}


def _refused(screen: CallScreen[Call], form: ReadingForm, error: PlentarError, supersedes: str) -> ResponseReturnValue:
    """Return the pad with the message beside the field and everything typed still in it."""
    if isinstance(error, ConflictError):
        form.reading_id.data = str(uuid4())
        words = "this form was already sent. Press Save again to save this as a new reading"
        error = ReadingError(words, field="reading_id")
    old = next((kept for kept in screen.at_point if kept.id == supersedes), None)
    view = "call/_pad.html" if is_fragment() else "call/page.html"
    return render_template(view, **_context(screen, form=form, problem=error, correcting=old)), 422


@bp.post("/judge")
@login_required
def judge_typed(call_id: UUID) -> ResponseReturnValue:
    """Judge what is typed so far without keeping it."""
    point = request.form.get("point", "")
    screen = room_of(call_id, point, _view())
    try:
        verdict = screen.visit.verdict_of(_typed(screen, point, request.form.get("value", "")[:40]))
    except PlentarError as error:
        return render_template("call/_verdict.html", screen=screen, verdict=None, problem=error)
    return render_template(
        "call/_verdict.html", screen=screen, verdict=verdict, rail=band_rail(verdict), is_preview=True
    )


def _typed(screen: CallScreen[Call], point: str, typed: str) -> Reading:
    """Return what was typed as a reading under the present condition.

    Raises:
        ReadingError: Not a number, not a point of this unit, or nothing that may be read here now.
    """
    if not screen.visit.knows(point):
        raise ReadingError(f"this unit has no point {point[:80]!r}", field="point")
    if screen.refusal:
        raise ReadingError(screen.refusal, field="value")
    quantity = screen.point.quantity
    value = parse_number(typed, quantity)
    own = meter_of(screen.call.meter).range_for(quantity, value)
    hand = screen.view.hand if screen.can_be_in_hand else ""
    return Reading(
        point=point,
        value=value,
        condition=replace(screen.visit.condition, in_hand=hand),
        meter_uncertainty=own.uncertainty(value),
        counts_uncertainty=own.counts_uncertainty,
        mode="low impedance" if request.form.get("mode") else "",
    )


@bp.post("/condition")
@login_required
def set_condition(call_id: UUID) -> ResponseReturnValue:
    """Flip one switch of the condition strip and return what it changes."""
    form = ConditionForm()
    if not form.validate():
        own_call(call_id)
        abort(400)
    what, _, told = form.switch.data.partition("=")
    state, _, since = told.partition("@")
    if state == "proven dead":
        raise ReadingError("only the Safe list makes a feed verified dead", field=what)
    payload: dict[str, Any] = {"what": what, "state": state}
    if since:
        payload |= {"is_untimed": True} if since == "came" else {"ago_seconds": float(since)}
    keep_one(call_id, own_id(form.switch_id.data), "switch", payload)
    return _after(call_id, request.form.get("panel", "reading"))


@bp.post("/safe")
@login_required
def add_safe(call_id: UUID) -> ResponseReturnValue:
    """Keep what one line of the Safe list says."""
    return panel_action(
        call_id,
        FlaskForm(),
        "safe",
        lambda: keep_all(call_id, safe_drafts(room_of(call_id).plate, request.form)),
        # One's lock also comes off beside the list before power.
        after=request.form.get("panel", "")[:20],
    )


def _after(call_id: UUID, panel: str, visit: Visit | None = None) -> ResponseReturnValue:
    """Answer a form that was kept: the changed parts, or the page again without scripts."""
    if is_late():
        return ""
    if is_fragment() and (step := step_shown(panel, call_id)) is not None:
        return step
    panel = panel if panel in PANELS else "reading"
    point = request.form.get("point")
    if panel in ("safe", "air") and visit is not None and visit.advice.kind == "prove" and visit.advice.point:
        # Verified dead, or the rise taken: what is read next is read on the pad.
        panel, point = "reading", visit.advice.point
    if not is_fragment():
        return redirect(url_for("call.page", call_id=call_id, point=point, panel=panel if panel != "reading" else None))
    return _fragments(room_of(call_id, point, visit=visit), panel=panel)


def panel_action(
    call_id: UUID, form: FlaskForm, panel: str, action: Callable[[], Visit], after: str = ""
) -> ResponseReturnValue:
    """Do what a panel's form asks; on a mistake show it again with the message beside its field and what was typed."""
    try:
        if not form.validate():
            raise first_error(form)
        visit = action()
    except PlentarError as error:
        return refused_panel(call_id, panel, error)
    return _after(call_id, after or panel, visit)


def refused_panel(call_id: UUID, panel: str, error: PlentarError) -> ResponseReturnValue:
    """Show a panel again with the message beside its field and what was typed."""
    g.db.rollback()
    panel = panel if panel in PANELS else "reading"
    screen = room_of(call_id, request.form.get("point"))
    view = "call/_pad.html" if is_fragment() else "call/page.html"
    accepting = request.form.get("faults", "") if panel == "accept" else ""
    body = render_template(
        view, **_context(screen, panel=panel, problem=error, typed=request.form, accepting=accepting)
    )
    return body, 422


@bp.post("/observations")
@login_required
def add_observation(call_id: UUID) -> ResponseReturnValue:
    """Keep what was seen."""
    form = ObservationForm()

    def action() -> Visit:
        payload = {
            "sign": form.kind.data,
            "about": form.about.data or "",
            "state": form.state.data,
            "note": form.note.data or "",
        }
        return keep_one(call_id, form.observation_id.data, "seen", payload)

    # Asked beside the suspects, it is answered there.
    return panel_action(call_id, form, "look", action, after=request.form.get("panel", ""))


@bp.post("/marks")
@login_required
def add_mark(call_id: UUID) -> ResponseReturnValue:
    """Keep what stands written on a part: the filter's size, a date."""
    form = MarkForm()

    def action() -> Visit:
        payload = {"what": form.what.data, "about": form.about.data or "", "words": form.words.data or ""}
        return keep_one(call_id, form.mark_id.data, "mark", payload)

    return panel_action(call_id, form, "look", action)


@bp.post("/photos")
@login_required
def add_photo(call_id: UUID) -> ResponseReturnValue:
    """Keep a photograph, re-encoded."""
    form = PhotoForm()

    def action() -> Visit:
        own_call(call_id)
        payload = {"part": form.part.data or "", "note": form.note.data or ""}
        return keep_one(call_id, form.photo_id.data, "photo", payload, image=sent_picture(request.files))

    return panel_action(call_id, form, "look", action)


@bp.post("/air")
@login_required
def add_air(call_id: UUID) -> ResponseReturnValue:
    """Keep one measurement of the air."""
    return panel_action(call_id, AirForm(), "air", lambda: keep_all(call_id, air_drafts(request.form)))


@bp.get("/photos/<uuid:photo_id>.jpg")
@login_required
def photo(call_id: UUID, photo_id: UUID) -> ResponseReturnValue:
    """Send a photograph, small with `?small=1`."""
    row = events.get_photo(g.db, shop_id=g.person.shop_id, call_id=call_id, photo_id=photo_id)
    if row is None:
        abort(404)
    data = row.thumbnail if request.args.get("small") else row.image
    return Response(data, mimetype="image/jpeg")


@bp.post("/causes")
@login_required
def accept(call_id: UUID) -> ResponseReturnValue:
    """Keep a cause the technician accepts."""
    form = AcceptForm()

    def action() -> Visit:
        payload = {
            "faults": [name for name in (form.faults.data or "").split(",") if name],
            "words": form.title.data or "",
            "cause": form.cause.data or "",
            "cause_not_found": bool(form.cause_not_found.data),
            "consequence": form.consequence.data or "",
        }
        return keep_one(call_id, form.cause_id.data, "cause", payload)

    return panel_action(call_id, form, "accept", action, after="hand-over")


@bp.post("/causes/<uuid:cause_id>/withdraw")
@login_required
def withdraw(call_id: UUID, cause_id: UUID) -> ResponseReturnValue:
    """Take an accepted cause back; it stays in the record."""
    return _strike(call_id, cause_id, "taken back", "hand-over")


@bp.post("/strike/<uuid:event_id>")
@login_required
def strike(call_id: UUID, event_id: UUID) -> ResponseReturnValue:
    """Strike out something kept by mistake, with a reason; it stays in the record."""
    return _strike(call_id, event_id, request.form.get("reason", ""), request.form.get("panel", "reading"))


def _strike(call_id: UUID, event_id: UUID, reason: str, panel: str) -> ResponseReturnValue:
    made = own_id(request.form.get("strike_id"))
    payload = {"event": str(event_id), "reason": reason}
    try:
        visit = keep_one(call_id, made, "void", payload)
    except PlentarError as error:
        if error.field == "event":
            abort(404)
        return refused_panel(call_id, panel, error)
    return _after(call_id, panel, visit)


@bp.post("/close")
@login_required
def close(call_id: UUID) -> ResponseReturnValue:
    """Close the call with what was done."""
    form = CloseForm()

    def action() -> Visit:
        payload = {"outcome": form.outcome.data or "", "reason": form.reason.data or ""}
        return keep_one(call_id, own_id(form.close_id.data), "closed", payload)

    answer = panel_action(call_id, form, "hand-over", action)
    if request.form.get("next") == "customer" and is_kept(answer):
        return sent_on(url_for("call.report", call_id=call_id, reader="customer"))
    return answer


@bp.get("/call.json")
@login_required
def as_json(call_id: UUID) -> ResponseReturnValue:
    """Send the call as a call file, whoever made it in the same units."""
    choose(PLAIN)
    screen = room_of(call_id)
    body = json.dumps(call_to_json(**call_document(screen)), indent=2, ensure_ascii=False)
    return download(body, "application/json", screen, ".json")


@bp.get("/readings.csv")
@login_required
def as_csv(call_id: UUID) -> ResponseReturnValue:
    """Send the readings as CSV, whoever made it in the same units."""
    choose(PLAIN)
    screen = room_of(call_id)
    return download(readings_to_csv(reading_records(screen)), "text/csv", screen, ".csv")
