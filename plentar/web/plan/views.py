"""One call's plan: moved, handed on, cancelled, returned to; what its place is owed and which parts it waits for."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

from flask import Blueprint, abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm
from wtforms import SelectChoice

from plentar.core.errors import ReadingError
from plentar.core.evidence.events import first_event
from plentar.formats.events_json import action_to_json
from plentar.formats.unit_json import kept_nameplate
from plentar.store import audit, calls, events, places, plans, shops
from plentar.store.models import Call
from plentar.store.shop_models import FollowUp
from plentar.web.audit import note
from plentar.web.call_layout.visits import own_call
from plentar.web.plan.forms import (
    CancelForm,
    FollowUpForm,
    HandForm,
    OrderForm,
    OrderStateForm,
    PlanForm,
    ReturnForm,
)
from plentar.web.serving.access import lead_required, local_day, login_required, now, shop_moment

__all__ = ["bp", "may_plan", "moved", "people_choices", "zone"]

bp = Blueprint("plan", __name__)
# A return is asked for within about a fortnight; a part takes less.
RETURN_DAYS = 7
SENT_BEFORE = "this form was already sent and saved"


def zone() -> ZoneInfo:
    """Return the shop's zone: planned days and hours are of its clock."""
    return ZoneInfo(g.person.shop.time_zone)


def people_choices() -> list[SelectChoice]:
    """Return who calls can be given to."""
    rows = shops.list_people(g.db, shop_id=g.person.shop_id)
    return [SelectChoice(str(row.id), row.name) for row in rows if row.deactivated_at is None]


def may_plan(call: Call) -> bool:
    """Tell whether whoever asks may move, hand on or cancel a call: their own, or as a lead."""
    return bool(g.person.role == "lead" or call.technician_id == g.person.id)


def _planner(call_id: UUID) -> Call:
    call = own_call(call_id)
    if not may_plan(call):
        abort(403)
    return call


def _form(form_class: Any, call: Call, **more: Any) -> Any:
    """Return one of the page's forms as the call stands."""
    local = call.scheduled_at.astimezone(zone())
    data = {
        "version": str(call.plan_version),
        "on": local.date(),
        "at": local.time(),
        "window": call.window_minutes,
        "minutes": call.minutes,
        "technician": str(call.technician_id),
        **more,
    }
    form = form_class(formdata=None, **data)
    if "technician" in form:
        form.technician.choices = people_choices()
    return form


def _shown(call: Call, code: int = 200, **forms: Any) -> ResponseReturnValue:
    shop_id, place = call.shop_id, call.unit.place
    day = local_day()
    whole: dict[str, Callable[[], Any]] = {
        "plan_form": lambda: _form(PlanForm, call),
        "hand_form": lambda: _form(HandForm, call),
        "cancel_form": lambda: CancelForm(formdata=None),
        "follow_form": lambda: FollowUpForm(formdata=None, item_id=str(uuid4())),
        "order_form": lambda: OrderForm(formdata=None, order_id=str(uuid4())),
        "return_form": lambda: _form(
            ReturnForm, call, on=day + timedelta(days=RETURN_DAYS), call_id=str(uuid4()), window=120
        ),
    }
    made = {name: forms.pop(name, None) or make() for name, make in whole.items()}
    body = render_template(
        "plan/call.html",
        call=call,
        may_plan=may_plan(call),
        orders=plans.list_orders(g.db, shop_id=shop_id, call_id=call.id),
        follow_ups=plans.list_follow_ups(g.db, shop_id=shop_id, place_id=place.id),
        states=OrderStateForm(formdata=None).state.choices,
        usual=plans.minutes_taken(g.db, shop_id=shop_id, complaint=call.complaints[0]),
        today=day,
        **made,
        **forms,
    )
    return body, code


def _wrong(form: FlaskForm, field: str, words: str) -> None:
    form[field].errors = [*form[field].errors, words]


def _back(call: Call) -> ResponseReturnValue:
    return redirect(url_for("plan.page", call_id=call.id))


@bp.get("/calls/<uuid:call_id>/plan")
@login_required
def page(call_id: UUID) -> ResponseReturnValue:
    """Show a call's plan."""
    return _shown(own_call(call_id))


def moved(call: Call, form: PlanForm) -> bool:
    """Move a call to what a form says; False with the reason beside its field."""
    form.technician.choices = people_choices()
    if not form.validate():
        return False
    try:
        at = shop_moment(form.on.data, form.at.data)
    except ReadingError as error:
        _wrong(form, error.field, str(error.message))
        return False
    values = {
        "scheduled_at": at,
        "window_minutes": form.window.data or 0,
        "minutes": form.minutes.data or call.minutes,
        "technician_id": UUID(form.technician.data),
    }
    was = {"day": call.scheduled_at.astimezone(zone()).strftime("%d %b %Y, %H:%M"), "technician": call.technician.name}
    if not plans.replan(g.db, call, int(form.version.data or 0), **values):
        _wrong(form, "on", "another person moved or closed this call meanwhile. Check it again")
        return False
    after = calls.get_for_shop(g.db, shop_id=call.shop_id, call_id=call.id)
    assert after is not None  # noqa: S101  its row was just changed
    said = {"day": at.strftime("%d %b %Y, %H:%M"), "technician": after.technician.name}
    who = {"shop_id": call.shop_id, "person": g.person, "at": now()}
    audit.note_changes(g.db, "call moved", after.unit.place.name, was, said, **who)
    return True


@bp.post("/calls/<uuid:call_id>/plan")
@login_required
def move(call_id: UUID) -> ResponseReturnValue:
    """Move a call, by its form or from the week."""
    call, form = _planner(call_id), PlanForm()
    at = call.scheduled_at.astimezone(zone())
    was = {"was_on": at.date().isoformat(), "was_at": f"{at:%H:%M}", "was_technician": str(call.technician_id)}
    if not moved(call, form):
        g.db.rollback()
        return _shown(own_call(call_id), 422, plan_form=form)
    if request.form.get("from") == "week":
        # What is put back by *Undo* is not offered again.
        back: dict[str, Any] = {} if request.form.get("is_undo") else was
        return redirect(url_for("plan.week", on=form.on.data.isoformat(), call=call_id, **back))
    return _back(call)


@bp.post("/calls/<uuid:call_id>/hand")
@login_required
def hand_on(call_id: UUID) -> ResponseReturnValue:
    """Hand a call on, in the middle of it too: everything kept on it goes along."""
    call, form = _planner(call_id), HandForm()
    form.technician.choices = people_choices()
    if not form.validate():
        return _shown(call, 422, hand_form=form)
    was, place = call.technician.name, call.unit.place.name
    if not plans.replan(g.db, call, int(form.version.data), technician_id=UUID(form.technician.data)):
        _wrong(form, "technician", "another person moved or closed this call meanwhile. Check it again")
        return _shown(own_call(call_id), 422, hand_form=form)
    to = shops.get_person(g.db, shop_id=g.person.shop_id, person_id=UUID(form.technician.data))
    after = to.name if to is not None else ""
    who = {"shop_id": g.person.shop_id, "person": g.person, "at": now()}
    audit.note_changes(g.db, "call handed on", place, {"technician": was}, {"technician": after}, **who)
    return redirect(url_for("plan.page", call_id=call_id))


@bp.post("/calls/<uuid:call_id>/cancel")
@lead_required
def cancel(call_id: UUID) -> ResponseReturnValue:
    """Cancel a planned call with a reason: it stands in no day any more, and its unit's page still tells of it."""
    call, form = own_call(call_id), CancelForm()
    if not form.validate():
        return _shown(call, 422, cancel_form=form)
    place = call.unit.place.name
    if not plans.cancel(g.db, call, form.why.data.strip()):
        _wrong(form, "why", "this call was started. Close it instead, with what was found")
        return _shown(own_call(call_id), 422, cancel_form=form)
    why = form.why.data.strip()
    note("call cancelled", place, after={"why": why})
    return redirect(url_for("today.page"))


@bp.post("/calls/<uuid:call_id>/follow-ups")
@login_required
def add_follow_up(call_id: UUID) -> ResponseReturnValue:
    """Note what is owed to the call's place."""
    call, form = own_call(call_id), FollowUpForm()
    if not form.validate():
        return _shown(call, 422, follow_form=form)
    row = plans.add_follow_up(
        g.db,
        shop_id=call.shop_id,
        place_id=call.unit.place_id,
        unit_id=call.unit_id,
        call_id=call.id,
        words=form.words.data.strip(),
        due_on=form.due_on.data,
        person_id=g.person.id,
        now=now(),
        new_id=UUID(form.item_id.data) if form.item_id.data else None,
    )
    if (row.call_id, row.words, row.due_on) != (call.id, form.words.data.strip(), form.due_on.data):
        kept = f"{row.words}, due {row.due_on:%d %b %Y}"
        _wrong(form, "words", f"{SENT_BEFORE}: {kept}. Save again to add this one too")
        form.item_id.data = str(uuid4())
        return _shown(call, 422, follow_form=form)
    return _back(call)


@bp.post("/follow-ups/<uuid:item_id>/done")
@login_required
def follow_up_done(item_id: UUID) -> ResponseReturnValue:
    """Note a follow-up as done; pressed again, as not done after all."""
    if not FlaskForm().validate():
        abort(400)
    row: FollowUp | None = plans.follow_up_of(g.db, shop_id=g.person.shop_id, item_id=item_id)
    if row is None:
        abort(404)
    plans.set_done(g.db, row, g.person.id, now() if row.done_at is None else None)
    if row.call_id is not None and request.form.get("from") == "call":
        return redirect(url_for("plan.page", call_id=row.call_id))
    return redirect(url_for("today.page"))


@bp.post("/calls/<uuid:call_id>/orders")
@login_required
def add_order(call_id: UUID) -> ResponseReturnValue:
    """Note a part the call waits for."""
    call, form = own_call(call_id), OrderForm()
    if not form.validate():
        return _shown(call, 422, order_form=form)
    row = plans.add_order(
        g.db,
        call,
        name=form.name.data.strip(),
        person_id=g.person.id,
        now=now(),
        expected_on=form.expected_on.data,
        new_id=UUID(form.order_id.data) if form.order_id.data else None,
    )
    if (row.call_id, row.name, row.expected_on) != (call.id, form.name.data.strip(), form.expected_on.data):
        _wrong(form, "name", f"{SENT_BEFORE}: {row.name}. Save again to order this one too")
        form.order_id.data = str(uuid4())
        return _shown(call, 422, order_form=form)
    return _back(call)


@bp.post("/orders/<uuid:order_id>")
@login_required
def set_order(order_id: UUID) -> ResponseReturnValue:
    """Note how far a part has come."""
    row, form = plans.order_of(g.db, shop_id=g.person.shop_id, order_id=order_id), OrderStateForm()
    if row is None:
        abort(404)
    if not form.validate():
        abort(400)
    plans.set_order_state(g.db, row, form.state.data, now())
    if request.form.get("from") == "today":
        return redirect(url_for("today.page"))
    return redirect(url_for("plan.page", call_id=row.call_id))


@bp.post("/calls/<uuid:call_id>/return")
@login_required
def plan_return(call_id: UUID) -> ResponseReturnValue:
    """Plan the visit that comes back for what this one leaves."""
    call, form = own_call(call_id), ReturnForm()
    form.technician.choices = people_choices()
    is_right = form.validate()
    if is_right:
        try:
            at = shop_moment(form.on.data, form.at.data)
        except ReadingError as error:
            _wrong(form, error.field, str(error.message))
            is_right = False
    if not is_right:
        return _shown(call, 422, return_form=form)
    new_id = UUID(form.call_id.data) if form.call_id.data else uuid4()
    if calls.get_for_shop(g.db, shop_id=call.shop_id, call_id=new_id) is None:
        back = Call(
            id=new_id,
            shop_id=call.shop_id,
            unit_id=call.unit_id,
            technician_id=UUID(form.technician.data),
            meter_id=call.meter_id,
            complaints=list(call.complaints),
            words=call.words,
            at_risk=call.at_risk,
            status="planned",
            scheduled_at=at,
            window_minutes=form.window.data or 0,
            minutes=form.minutes.data or plans.USUAL_MINUTES,
            returns_to_id=call.id,
            outcome="",
        )
        places.add_call(g.db, back)
        events.begin(g.db, back, action_to_json(first_event(kept_nameplate(call.unit.nameplate))), now())
    return redirect(url_for("plan.page", call_id=new_id))
