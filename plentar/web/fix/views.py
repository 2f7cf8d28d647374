"""The fix page."""

import re
from collections.abc import Callable, Mapping
from datetime import date
from typing import Any
from uuid import UUID

from flask import Blueprint, abort, g, redirect, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.work.ledger import leads_of
from plentar.formats.numbers import parse_number
from plentar.formats.parts_csv import PARTS
from plentar.store import stock
from plentar.web.call_layout.layout import StepView, is_kept, register_step, sent_on, show_step
from plentar.web.call_layout.unit_history import lives_of_shop
from plentar.web.call_layout.visits import own_call, read_visit
from plentar.web.call_layout.writing import keep_one, own_id, sent_picture
from plentar.web.fields import require_valid
from plentar.web.fix.forms import ApprovalForm, ItemForm, LedgerForm, PartForm, TemporaryForm
from plentar.web.fix.models import FixScreen
from plentar.web.offline.submissions import done_at, is_late
from plentar.web.serving.access import login_required, now
from plentar.words import render

__all__ = ["bp"]

bp = Blueprint("fix", __name__, url_prefix="/calls/<uuid:call_id>/fix")


def _screen(call_id: UUID, part: str = "") -> FixScreen:
    call = own_call(call_id)
    chosen = request.args.get("fit", "")[:120]
    lives = lives_of_shop(g.db, call.shop_id, now())
    return FixScreen(call, read_visit(call), part, chosen, _price(chosen), lives)


def _price(chosen: str) -> float | None:
    """Return what a part of the shelf costs, or several: `2 × name`."""
    number, times, name = chosen.partition(" × ")
    if not times or not number.isascii() or not number.isdigit():
        number, name = "1", chosen
    rows = stock.list_parts(g.db, shop_id=g.person.shop_id) if chosen else ()
    part = next((PARTS.from_json(row.label) for row in rows if row.name == name), None)
    return int(number) * part.price if part is not None and part.price is not None else None


def _shown(
    screen: FixScreen, problem: PlentarError | None = None, code: int = 200, *, panel: str = "fix"
) -> ResponseReturnValue:
    endpoint = "fix.prove" if panel == "prove" else "fix.page"
    url = url_for(endpoint, call_id=screen.call.id, part=screen.part or None)
    board = "fix/_board.html" if screen.part and panel == "fix" else ""
    step = StepView(panel=panel, template=f"fix/_{panel}.html", shows=screen, url=url, board=board, part=screen.part)
    return show_step(step, problem, code)


@bp.get("")
@login_required
def page(call_id: UUID) -> ResponseReturnValue:
    """Show what was done; `?part=` opens a ledger."""
    return _shown(_screen(call_id, request.args.get("part", "")[:80]))


@bp.get("/prove")
@login_required
def prove(call_id: UUID) -> ResponseReturnValue:
    """Show what is to be done before power goes back on, and what is proven since."""
    return _shown(_screen(call_id), panel="prove")


def _kept(
    call_id: UUID,
    form: FlaskForm,
    kind: str,
    payload: Callable[[], Mapping[str, Any]],
    part: str = "",
    panel: str = "fix",
    **beside: Any,
) -> ResponseReturnValue:
    """Validate, keep, answer; on a mistake the page again with the message at its field and all that was typed."""
    try:
        require_valid(form)
        keep_one(call_id, form.item_id.data, kind, payload(), **beside)
    except PlentarError as error:
        g.db.rollback()
        return _shown(_screen(call_id, part), error, 422, panel=panel)
    if not request.headers.get("HX-Request"):
        return redirect(url_for("fix.prove" if panel == "prove" else "fix.page", call_id=call_id, part=part or None))
    return _shown(_screen(call_id, part), panel=panel)


@bp.post("/ledger")
@login_required
def ledger(call_id: UUID) -> ResponseReturnValue:
    """Keep a ledger."""
    form = LedgerForm()
    part = (form.part.data or "")[:80]

    def payload() -> Mapping[str, Any]:
        rows = []
        for end in leads_of(_screen(call_id).plate, part):
            before = request.form.get(f"before:{end.lead}", end.terminal)
            rows.append(
                {
                    "lead": end.lead,
                    "before": before,
                    "after": request.form.get(f"after:{end.lead}", before),
                    "colour": request.form.get(f"colour:{end.lead}", "").strip()[:20],
                    "size": request.form.get(f"size:{end.lead}", "").strip()[:10],
                    "end_state": request.form.get(f"end:{end.lead}", "sound")[:20],
                }
            )
        return {"part": part, "rows": rows}

    return _kept(call_id, form, "ledger", payload, part)


@bp.post("/photos")
@login_required
def add_photo(call_id: UUID) -> ResponseReturnValue:
    """Keep a photograph of a part's leads."""
    form = LedgerForm()
    part = (form.part.data or "")[:80]
    own_call(call_id)
    try:
        image = sent_picture(request.files)
    except PlentarError as error:
        return _shown(_screen(call_id, part), error, 422)
    return _kept(call_id, form, "photo", lambda: {"part": part}, part, image=image)


def _figure(typed: str | None, field: str) -> float | None:
    text = (typed or "").strip().lstrip("$")
    if not text:
        return None
    try:
        return parse_number(text, "plain")
    except ReadingError as error:
        raise ReadingError(f"expected a number such as 45, got “{text[:12]}”", field=field) from error


@bp.post("/parts")
@login_required
def parts(call_id: UUID) -> ResponseReturnValue:
    """Keep a part used."""
    form = PartForm()

    def payload() -> Mapping[str, Any]:
        choice, price = form.choice.data or "", _figure(form.price.data, "price")
        # The shelf's price for one, left as it came, is the price of as many as were replaced.
        several = re.match(r"all ([0-9]{1,2}) of", choice)
        if price is not None and several and price == _figure(request.form.get("shelf_price"), "price"):
            price *= int(several[1])
        return {
            "name": form.name.data,
            "minutes": _figure(form.minutes.data, "minutes"),
            "price": price,
            "choice": choice,
        }

    return _kept(call_id, form, "part", payload)


@bp.post("/temporary")
@login_required
def temporary(call_id: UUID) -> ResponseReturnValue:
    """Keep a temporary measure."""
    form = TemporaryForm()

    def payload() -> Mapping[str, Any]:
        due: date | None = form.due.data
        if due is None:
            raise ReadingError("choose the date until when", field="due")
        if due < done_at().date():
            raise ReadingError("this date has passed", field="due")
        return {
            "circuit": form.circuit.data,
            "how": form.how.data,
            "tag": form.tag.data,
            "due_on": due.isoformat(),
        }

    return _kept(call_id, form, "temporary", payload)


@bp.post("/temporary/<uuid:item_id>/done")
@login_required
def temporary_done(call_id: UUID, item_id: UUID) -> ResponseReturnValue:
    """Close a temporary measure; pressed twice, once."""
    made = own_id(request.form.get("item_id"))
    try:
        keep_one(call_id, made, "temporary-done", {"temporary": str(item_id)})
    except PlentarError as error:
        g.db.rollback()
        if "already" not in render(error.message):
            abort(404)
    back = url_for("today.page") if request.form.get("from") == "today" else url_for("fix.page", call_id=call_id)
    return redirect(back)


@bp.post("/approvals")
@login_required
def approvals(call_id: UUID) -> ResponseReturnValue:
    """Keep an approval."""
    form = ApprovalForm()
    return _kept(call_id, form, "approval", lambda: {"who": form.who.data, "what": form.what.data})


@bp.post("/checks/<name>")
@login_required
def checks(call_id: UUID, name: str) -> ResponseReturnValue:
    """Tick one line of the list before power."""
    return _kept(call_id, ItemForm(), "check", lambda: {"line": name}, panel="prove")


@bp.post("/power")
@login_required
def power(call_id: UUID) -> ResponseReturnValue:
    """Power is back on: said first what stands against it, recorded as the fact it is."""

    def payload() -> Mapping[str, Any]:
        warnings = _screen(call_id).visit.power_warnings
        # Done without signal it is a fact by now, whatever stood against it.
        is_confirmed = request.form.get("confirm") == "yes" or is_late()
        if warnings and not is_confirmed:
            raise ReadingError(f"before you switch it on: {'; '.join(map(render, warnings[:3]))}", field="power")
        return {"is_confirmed": is_confirmed}

    return _on_to_the_proof(call_id, _kept(call_id, ItemForm(), "power-back", payload, panel="prove"))


@bp.post("/proof")
@login_required
def proof(call_id: UUID) -> ResponseReturnValue:
    """Settle whether the repair is proven."""
    answer = _kept(call_id, ItemForm(), "settled", lambda: {"reason": request.form.get("reason", "")}, panel="prove")
    if request.form.get("next") == "papers" and is_kept(answer):
        return sent_on(url_for("call.page", call_id=call_id, panel="hand-over"))
    return answer


def _on_to_the_proof(call_id: UUID, answer: ResponseReturnValue) -> ResponseReturnValue:
    """Go on to the first reading of the proof, once power is on; the list stays where something is amiss."""
    if not is_kept(answer):
        return answer
    screen = _screen(call_id)
    advice, back = screen.visit.advice, screen.power_back
    if advice.kind != "prove" or not advice.point or back is None or back.action.warned:
        return answer
    return sent_on(url_for("call.page", call_id=call_id, point=advice.point))


register_step("fix", lambda call_id: _shown(_screen(call_id, request.values.get("part", "")[:80])), "fix.page")
register_step("prove", lambda call_id: _shown(_screen(call_id), panel="prove"), "fix.prove")
