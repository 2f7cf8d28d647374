"""What was done and begun, set right: the last action taken back, the complaint amended, a call begun by mistake."""

from uuid import UUID

from flask import g, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.visit import Visit
from plentar.core.work.undo import undo_id, undo_of
from plentar.formats.events_json import action_to_json
from plentar.formats.numbers import degf_typed
from plentar.web.call.forms import AmendForm, UndoForm, WithdrawForm
from plentar.web.call.views import bp, panel_action, refused_panel
from plentar.web.call_layout.layout import sent_on
from plentar.web.call_layout.visits import own_call, read_visit
from plentar.web.call_layout.writing import keep_one, own_id
from plentar.web.serving.access import login_required, now

__all__: list[str] = []


@bp.post("/undo")
@login_required
def undo(call_id: UUID) -> ResponseReturnValue:
    """Take back the last thing this person did here; tapped twice, it is taken back once."""
    form = UndoForm()

    def action() -> Visit:
        visit = read_visit(own_call(call_id))
        back = undo_of(visit.record, visit.plate, str(g.person.id), now().timestamp())
        if back is None or back.event.id != form.event_id.data:
            if visit.record.event(undo_id(form.event_id.data)) is not None:
                return visit
            raise ReadingError("something was saved since. Check it again", field="id")
        sent = {name: value for name, value in action_to_json(back.action).items() if name not in back.action.derived}
        return keep_one(call_id, back.id, back.action.kind, sent)

    return panel_action(call_id, form, request.form.get("panel", "reading"), action)


@bp.post("/amend")
@login_required
def amend(call_id: UUID) -> ResponseReturnValue:
    """Set right what the call was begun with; what was said first stays on record."""
    form = AmendForm()

    def action() -> Visit:
        payload = {
            "complaints": list(form.complaints.data or ()),
            "words": form.words.data or "",
            "at_risk": form.at_risk.data or "",
            "outdoor_degf": degf_typed(form.outdoor.data, "outdoor", form.degrees.data),
            "indoor_degf": degf_typed(form.indoor.data, "indoor", form.degrees.data),
        }
        return keep_one(call_id, own_id(form.amend_id.data), "amend", payload)

    return panel_action(call_id, form, "complaint", action)


@bp.post("/withdraw")
@login_required
def withdraw_call(call_id: UUID) -> ResponseReturnValue:
    """Take back a call begun by mistake: nothing was recorded on it."""
    form = WithdrawForm()
    try:
        if not form.validate():
            raise ReadingError("enter why the call is withdrawn", field="withdrawn")
        keep_one(call_id, own_id(form.withdraw_id.data), "withdrawn", {"reason": form.reason.data or ""})
    except PlentarError as error:
        error.field = "withdrawn"
        return refused_panel(call_id, "complaint", error)
    there = url_for("place.page", place_id=own_call(call_id).unit.place_id)
    return sent_on(there)
