"""The call screen and its fragments."""

import json
from base64 import b64encode
from pathlib import Path
from uuid import UUID, uuid4

from flask import Blueprint, Response, abort, current_app, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.findings import compare
from plentar.core.observations import LOOK, SIGNS, sign_of
from plentar.formats.call_record import call_to_json, readings_to_csv
from plentar.formats.svg.band_rail import band_rail
from plentar.store import calls, evidence, work
from plentar.store.models import Photo
from plentar.web.access import login_required, now
from plentar.web.call.forms import (
    AcceptForm,
    AirForm,
    CloseForm,
    ConditionForm,
    ObservationForm,
    PhotoForm,
    ReadingForm,
)
from plentar.web.call.gathered import Gathered
from plentar.web.call.models import CallScreen, View
from plentar.web.call.operations import (
    accept_cause,
    close_call,
    flip,
    keep_air,
    keep_reading,
    observe,
    places_of,
    typed_reading,
)
from plentar.web.call.records import call_document, reading_records
from plentar.web.kept import keep_photo, own_call

__all__ = ["bp"]

bp = Blueprint("call", __name__, url_prefix="/calls/<uuid:call_id>")
PANELS = ("reading", "complaint", "nameplate", "safe", "look", "air", "accept", "hand-over")


def _screen(
    call_id: UUID, selected: str | None = None, view: View | None = None, *, with_work: bool = False
) -> CallScreen:
    """Return the call's screen as of now; another shop's call is a 404."""
    shop_id = g.person.shop_id
    call = own_call(call_id)
    gathered = Gathered(
        observations=evidence.list_observations(g.db, shop_id=shop_id, call_id=call_id),
        photos=evidence.list_photos(g.db, shop_id=shop_id, call_id=call_id),
        accepted=evidence.list_accepted(g.db, shop_id=shop_id, call_id=call_id),
        work=work.list_items(g.db, shop_id=shop_id, call_id=call_id) if with_work else (),
    )
    rows = calls.list_readings(g.db, shop_id=shop_id, call_id=call_id)
    return CallScreen(call, rows, now(), selected=selected, gathered=gathered, view=view)


def _fragments(screen: CallScreen, **pad: object) -> str:
    """Return what changes with a reading, a switch or another point: pad, board, run sheet, findings, strip."""
    return render_template("call/_changed.html", **_context(screen, **pad))


def _context(screen: CallScreen, **pad: object) -> dict[str, object]:
    version = evidence.version_of(g.db, shop_id=screen.call.shop_id, call_id=screen.call.id)
    context: dict[str, object] = {
        "screen": screen,
        "form": _fresh(screen),
        "panel": "reading",
        "version": version,
        "new_id": lambda: str(uuid4()),
        "places_of": places_of,
        "tuple_of": lambda names: tuple(names.split(",")),
        "look": LOOK,
        "signs": SIGNS,
    }
    return context | {name: value for name, value in pad.items() if value is not None}


def _fresh(screen: CallScreen) -> ReadingForm:
    return ReadingForm(formdata=None, reading_id=str(uuid4()), point=screen.selected)


def _is_fragment() -> bool:
    return bool(request.headers.get("HX-Request")) and not request.headers.get("HX-History-Restore-Request")


@bp.get("")
@login_required
def page(call_id: UUID) -> ResponseReturnValue:
    """Show the whole screen, or only what a tap on the board changes."""
    view = View(mark=request.args.get("mark", "")[:80], show=request.args.get("show", "")[:120])
    screen = _screen(call_id, request.args.get("point"), view)
    panel = request.args.get("panel", "reading")
    panel = panel if panel in PANELS else "reading"
    correcting = request.args.get("correct")
    old = next((kept for kept in screen.at_point if str(kept.row.id) == correcting and not kept.is_superseded), None)
    accepting = request.args.get("accept", "")[:600]
    if _is_fragment():
        return _fragments(screen, panel=panel, correcting=old, accepting=accepting)
    return render_template("call/page.html", **_context(screen, panel=panel, correcting=old, accepting=accepting))


@bp.get("/changes")
def changes(call_id: UUID) -> ResponseReturnValue:
    """Return what others have changed since the version the page shows; nothing where nothing has."""
    if g.person is None:
        # A lapsed sign-in is told when something is sent, not every two seconds.
        return "", 204
    version = evidence.version_of(g.db, shop_id=g.person.shop_id, call_id=call_id)
    if version is None:
        abort(404)
    if version == request.args.get("version"):
        return "", 204
    screen = _screen(call_id, request.args.get("point"))
    return render_template("call/_others.html", **_context(screen, version=version))


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
    rows = calls.list_readings(g.db, shop_id=g.person.shop_id, call_id=call_id)
    kept = CallScreen(screen.call, rows, now(), selected=form.point.data, gathered=screen.gathered)
    return _fragments(kept, panel="reading")


def _form_error(form: FlaskForm) -> ReadingError:
    field, messages = next(iter(form.errors.items()))
    return ReadingError(messages[0].lower().rstrip("."), field=field)


def _refused(
    screen: CallScreen, form: ReadingForm, error: PlentarError, supersedes: UUID | None
) -> ResponseReturnValue:
    """Return the pad with the message beside the field and everything typed still in it."""
    if error.field == "reading_id":
        form.reading_id.data = str(uuid4())
    old = next((kept for kept in screen.at_point if kept.row.id == supersedes), None)
    view = "call/_pad.html" if _is_fragment() else "call/page.html"
    return render_template(view, **_context(screen, form=form, problem=error, correcting=old)), 422


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
    flip(g.db, screen, what=what, state=state, person_id=g.person.id, moment=now())
    return _after(call_id, request.form.get("panel", "reading"))


def _after(call_id: UUID, panel: str) -> ResponseReturnValue:
    """Answer a form that was kept: the changed parts, or the page again without scripts."""
    panel = panel if panel in PANELS else "reading"
    point = request.form.get("point")
    if not _is_fragment():
        return redirect(url_for("call.page", call_id=call_id, point=point, panel=panel if panel != "reading" else None))
    return _fragments(_screen(call_id, point), panel=panel)


def _refused_panel(call_id: UUID, panel: str, error: PlentarError) -> ResponseReturnValue:
    """Show a panel again with the message beside its field and what was typed."""
    g.db.rollback()
    screen = _screen(call_id, request.form.get("point"))
    view = "call/_pad.html" if _is_fragment() else "call/page.html"
    accepting = request.form.get("faults", "") if panel == "accept" else ""
    body = render_template(
        view, **_context(screen, panel=panel, problem=error, typed=request.form, accepting=accepting)
    )
    return body, 422


@bp.post("/observations")
@login_required
def add_observation(call_id: UUID) -> ResponseReturnValue:
    """Keep what was seen, or a line of the Safe list."""
    form = ObservationForm()
    panel = "safe" if (form.kind.data or "").startswith("safe-") else "look"
    try:
        if not form.validate():
            raise _form_error(form)
        observe(
            g.db,
            _screen(call_id),
            observation_id=UUID(form.observation_id.data),
            kind=form.kind.data,
            about=form.about.data or "",
            state=form.state.data,
            note=form.note.data or "",
            person_id=g.person.id,
            moment=now(),
        )
    except PlentarError as error:
        return _refused_panel(call_id, panel, error)
    return _after(call_id, panel)


@bp.post("/photos")
@login_required
def add_photo(call_id: UUID) -> ResponseReturnValue:
    """Keep a photograph, re-encoded."""
    form = PhotoForm()
    try:
        if not form.validate():
            raise _form_error(form)
        upload = request.files.get("photo")
        keep_photo(
            g.db,
            (screen := _screen(call_id)).call,
            photo_id=UUID(form.photo_id.data),
            part=form.part.data or "",
            places={*places_of(screen, "part"), *places_of(screen, "feed")},
            note=form.note.data or "",
            data=upload.read() if upload is not None else b"",
            person_id=g.person.id,
            moment=now(),
        )
    except PlentarError as error:
        return _refused_panel(call_id, "look", error)
    return _after(call_id, "look")


@bp.post("/air")
@login_required
def add_air(call_id: UUID) -> ResponseReturnValue:
    """Keep one measurement of the air."""
    form = AirForm()
    try:
        if not form.validate():
            raise _form_error(form)
        keep_air(
            g.db,
            _screen(call_id),
            air_id=UUID(form.air_id.data),
            typed=request.form,
            filter_state=form.filter.data or "as found",
            person_id=g.person.id,
            moment=now(),
        )
    except PlentarError as error:
        return _refused_panel(call_id, "air", error)
    return _after(call_id, "air")


@bp.get("/photos/<uuid:photo_id>.jpg")
@login_required
def photo(call_id: UUID, photo_id: UUID) -> ResponseReturnValue:
    """Send a photograph, small with `?small=1`."""
    row = evidence.get_photo(g.db, shop_id=g.person.shop_id, call_id=call_id, photo_id=photo_id)
    if row is None:
        abort(404)
    data = row.thumbnail if request.args.get("small") else row.image
    return Response(data, mimetype="image/jpeg")


@bp.post("/causes")
@login_required
def accept(call_id: UUID) -> ResponseReturnValue:
    """Keep a cause the technician accepts."""
    form = AcceptForm()
    try:
        if not form.validate():
            raise _form_error(form)
        accept_cause(
            g.db,
            _screen(call_id),
            cause_id=UUID(form.cause_id.data),
            faults=[name for name in (form.faults.data or "").split(",") if name],
            title=form.title.data or "",
            cause=form.cause.data or "",
            cause_not_found=bool(form.cause_not_found.data),
            consequence=form.consequence.data or "",
            person_id=g.person.id,
            moment=now(),
        )
    except PlentarError as error:
        return _refused_panel(call_id, "accept", error)
    return _after(call_id, "hand-over")


@bp.post("/causes/<uuid:cause_id>/withdraw")
@login_required
def withdraw(call_id: UUID, cause_id: UUID) -> ResponseReturnValue:
    """Take an accepted cause back; it stays in the record."""
    screen = _screen(call_id)
    row = evidence.get_accepted(g.db, shop_id=g.person.shop_id, call_id=call_id, cause_id=cause_id)
    if row is None or screen.call.status == "closed":
        abort(404)
    evidence.withdraw(row, now())
    g.db.flush()
    return _after(call_id, "hand-over")


@bp.post("/close")
@login_required
def close(call_id: UUID) -> ResponseReturnValue:
    """Close the call with what was done."""
    form = CloseForm()
    try:
        if not form.validate():
            raise _form_error(form)
        close_call(g.db, _screen(call_id), outcome=form.outcome.data or "", moment=now())
    except PlentarError as error:
        return _refused_panel(call_id, "hand-over", error)
    g.db.flush()
    return _after(call_id, "hand-over")


def _paper(call_id: UUID, *, embed: bool) -> dict[str, object]:
    """Return what the report shows; pictures as links, or inside the document where it travels alone."""
    screen = _screen(call_id, with_work=True)
    shop_id = screen.call.shop_id
    earlier = calls.earlier_calls(
        g.db, shop_id=shop_id, unit_id=screen.call.unit_id, before=screen.call.scheduled_at, most=3
    )

    def photo_url(row: Photo) -> str:
        if not embed:
            return url_for("call.photo", call_id=call_id, photo_id=row.id)
        return "data:image/jpeg;base64," + b64encode(row.image).decode()

    return {
        "screen": screen,
        "earlier": earlier,
        "comparisons": compare(screen.situation),
        "reader": "customer" if request.args.get("reader") == "customer" else "office",
        "photo_url": photo_url,
        "sign_words": lambda kind: sign.words if (sign := sign_of(kind)) else kind,
    }


@bp.get("/report")
@login_required
def report(call_id: UUID) -> ResponseReturnValue:
    """Show the report of the call, laid out for paper, for the office or in plain words for the customer."""
    return render_template("call/report.html", **_paper(call_id, embed=False))


def _download(body: bytes | str, mimetype: str, screen: CallScreen, ending: str) -> Response:
    place = "".join(c if c.isalnum() and c.isascii() else "-" for c in screen.call.unit.place.name.lower()).strip("-")
    name = f"{screen.call.scheduled_at:%Y-%m-%d}-{place or 'call'}{ending}"
    return Response(body, mimetype=mimetype, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@bp.get("/report.pdf")
@login_required
def report_pdf(call_id: UUID) -> ResponseReturnValue:
    """Send the report as PDF."""
    # Loading the PDF maker takes a second that no other page should pay.
    from plentar.formats.pdf import html_to_pdf

    paper = _paper(call_id, embed=True)
    html = render_template("call/report_pdf.html", **paper)
    pdf = html_to_pdf(html, static=Path(str(current_app.static_folder)))
    return _download(pdf, "application/pdf", paper["screen"], f"-{paper['reader']}.pdf")  # type: ignore[arg-type]


@bp.get("/call.json")
@login_required
def as_json(call_id: UUID) -> ResponseReturnValue:
    """Send the call as a call file."""
    screen = _screen(call_id)
    body = json.dumps(call_to_json(**call_document(screen)), indent=2, ensure_ascii=False)
    return _download(body, "application/json", screen, ".json")


@bp.get("/readings.csv")
@login_required
def as_csv(call_id: UUID) -> ResponseReturnValue:
    """Send the readings as CSV."""
    screen = _screen(call_id)
    return _download(readings_to_csv(reading_records(screen)), "text/csv", screen, ".csv")
