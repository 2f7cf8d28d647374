"""The steps *Circuit* and *Heat pump* of a call."""

from datetime import date, timedelta
from functools import partial
from uuid import UUID

from flask import Blueprint, abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.work.interim import Interim
from plentar.formats.numbers import degf_typed
from plentar.web.call_layout.documents import attached
from plentar.web.call_layout.layout import StepView, register_step, show_step
from plentar.web.call_layout.visits import own_call, read_visit
from plentar.web.call_layout.writing import keep_one
from plentar.web.feed.forms import InterimForm, WeatherForm
from plentar.web.feed.models import FeedStepScreen
from plentar.web.fields import require_valid
from plentar.web.offline.submissions import done_at
from plentar.web.serving.access import login_required, now
from plentar.words import render

__all__ = ["bp"]

bp = Blueprint("feed", __name__, url_prefix="/calls/<uuid:call_id>")
# A fortnight finds an electrician; the tag says until when.
USUAL_DAYS = 14


def _screen(call_id: UUID) -> FeedStepScreen:
    call = own_call(call_id)
    return FeedStepScreen(call, read_visit(call))


def _shown(call_id: UUID, page: str, problem: PlentarError | None = None, code: int = 200) -> ResponseReturnValue:
    screen = _screen(call_id)
    url = url_for("feed.page", call_id=call_id, page=page)
    return show_step(StepView(panel=page, template=f"feed/_{page}.html", shows=screen, url=url), problem, code)


@bp.get("/<any(circuit, 'heat-pump'):page>")
@login_required
def page(call_id: UUID, page: str) -> ResponseReturnValue:
    """Show one of the two steps."""
    return _shown(call_id, page)


def _kept(call_id: UUID, page: str) -> ResponseReturnValue:
    if not request.headers.get("HX-Request"):
        return redirect(url_for("feed.page", call_id=call_id, page=page))
    return _shown(call_id, page)


def _refuse(call_id: UUID, page: str, error: PlentarError) -> ResponseReturnValue:
    g.db.rollback()
    return _shown(call_id, page, error, 422)


@bp.post("/circuit/interim")
@login_required
def interim(call_id: UUID) -> ResponseReturnValue:
    """Keep what may run until a feed is corrected; what it is follows from the plate, not from what is sent."""
    form = InterimForm()
    try:
        require_valid(form)
        due: date | None = form.due.data
        if due is None:
            raise ReadingError("choose the date until when", field="due")
        if due < done_at().date():
            raise ReadingError("this date has passed", field="due")
        visit = read_visit(own_call(call_id))
        found = visit.interim(form.feed.data) if form.feed.data in {f.id for f in visit.plate.feeds} else None
        if found is None:
            raise ReadingError("nothing on this feed needs to be left off", field="feed")
        keep_one(call_id, form.item_id.data, "temporary", _payload(found, form, due))
    except PlentarError as error:
        return _refuse(call_id, "circuit", error)
    return _kept(call_id, "circuit")


def _payload(found: Interim, form: InterimForm, due: date) -> dict[str, object]:
    strips = [entry.strip for entry in found.left_off]
    how = " ".join(render(entry.words) for entry in found.left_off) or render(found.words)
    return {
        "circuit": strips[0] if strips else "",
        "also": strips[1:],
        "feed": found.feed,
        "device_amps": found.device_amps,
        "how": how.rstrip("."),
        "tag": form.tag.data,
        "due_on": due.isoformat(),
        "corrected_by": form.corrected_by.data,
    }


@bp.post("/heat-pump/weather")
@login_required
def weather(call_id: UUID) -> ResponseReturnValue:
    """Keep the two temperatures; complaint and words stay as they were."""
    form, call = WeatherForm(), own_call(call_id)
    try:
        require_valid(form)
        payload = {
            "complaints": list(call.complaints),
            "words": call.words or "",
            "at_risk": call.at_risk or "",
            "outdoor_degf": degf_typed(form.outdoor.data, "outdoor", form.degrees.data),
            "indoor_degf": degf_typed(form.indoor.data, "indoor", form.degrees.data),
        }
        if payload["outdoor_degf"] is None:
            raise ReadingError("enter the outdoor temperature", field="outdoor")
        keep_one(call_id, form.item_id.data, "amend", payload)
    except PlentarError as error:
        return _refuse(call_id, "heat-pump", error)
    return _kept(call_id, "heat-pump")


@bp.get("/circuit.svg")
@login_required
def circuit_svg(call_id: UUID) -> ResponseReturnValue:
    """Send the drawing of the path by itself."""
    body = render_template("feed/path.svg", t=_screen(call_id).path.tree)
    return attached(body, "image/svg+xml", "feed-path.svg")


@bp.get("/heat-pump.svg")
@login_required
def heat_pump_svg(call_id: UUID) -> ResponseReturnValue:
    """Send the chart by itself; without what the house loses there is none."""
    chart = _screen(call_id).chart
    if chart is None:
        abort(404)
    return attached(render_template("feed/weather.svg", c=chart), "image/svg+xml", "heat-and-weather.svg")


@bp.app_template_global()
def usual_due() -> str:
    """Return the day a temporary measure is usually due, as a date."""
    return (now() + timedelta(days=USUAL_DAYS)).date().isoformat()


for name in ("circuit", "heat-pump"):
    register_step(name, partial(lambda name, call_id: _shown(call_id, name), name), "feed.page", page=name)
