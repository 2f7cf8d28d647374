"""The fix page."""

from collections.abc import Callable
from uuid import UUID, uuid4

from flask import Blueprint, abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm

from plentar.core.errors import PlentarError, ReadingError
from plentar.store import calls, evidence, work
from plentar.web.access import login_required, now
from plentar.web.fix.forms import ApprovalForm, ItemForm, LedgerForm, PartForm, TemporaryForm
from plentar.web.fix.models import FixScreen
from plentar.web.fix.operations import (
    keep_approval,
    keep_check,
    keep_ledger,
    keep_part,
    keep_temporary,
    power_back,
    settle_proof,
)
from plentar.web.kept import keep_photo, own_call

__all__ = ["bp"]

bp = Blueprint("fix", __name__, url_prefix="/calls/<uuid:call_id>/fix")


def _screen(call_id: UUID, part: str = "") -> FixScreen:
    shop_id = g.person.shop_id
    call = own_call(call_id)
    return FixScreen(
        call,
        calls.list_readings(g.db, shop_id=shop_id, call_id=call_id),
        evidence.list_accepted(g.db, shop_id=shop_id, call_id=call_id),
        work.list_items(g.db, shop_id=shop_id, call_id=call_id),
        now(),
        part,
        evidence.list_photos(g.db, shop_id=shop_id, call_id=call_id),
    )


def _shown(screen: FixScreen, problem: PlentarError | None = None, code: int = 200) -> ResponseReturnValue:
    view = "fix/_fix.html" if request.headers.get("HX-Request") else "fix/page.html"
    typed = request.form if problem is not None else {}
    return render_template(view, screen=screen, problem=problem, typed=typed, new_id=lambda: str(uuid4())), code


@bp.get("")
@login_required
def page(call_id: UUID) -> ResponseReturnValue:
    """Show what was done and what is proven; `?part=` opens a ledger."""
    return _shown(_screen(call_id, request.args.get("part", "")[:80]))


def _kept(
    call_id: UUID, form: FlaskForm, keep: Callable[[FixScreen, UUID], None], part: str = ""
) -> ResponseReturnValue:
    """Validate, keep, answer; on a mistake the page again with the message at its field and all that was typed."""
    screen = _screen(call_id, part)
    try:
        if not form.validate():
            field, messages = next(iter(form.errors.items()))
            raise ReadingError(messages[0], field=field)
        keep(screen, UUID(form.item_id.data))
    except PlentarError as error:
        g.db.rollback()
        return _shown(_screen(call_id, part), error, 422)
    if not request.headers.get("HX-Request"):
        return redirect(url_for("fix.page", call_id=call_id, part=part or None))
    return _shown(_screen(call_id, part))


@bp.post("/ledger")
@login_required
def ledger(call_id: UUID) -> ResponseReturnValue:
    """Keep a ledger."""
    form = LedgerForm()
    part = (form.part.data or "")[:80]

    def keep(screen: FixScreen, item_id: UUID) -> None:
        keep_ledger(
            g.db, screen, item_id=item_id, part=part, form=request.form, person_id=g.person.id, moment=screen.moment
        )

    return _kept(call_id, form, keep, part)


@bp.post("/photos")
@login_required
def add_photo(call_id: UUID) -> ResponseReturnValue:
    """Keep a photograph of a part's leads."""
    form = LedgerForm()
    part = (form.part.data or "")[:80]

    def keep(screen: FixScreen, item_id: UUID) -> None:
        upload = request.files.get("photo")
        keep_photo(
            g.db,
            screen.call,
            photo_id=item_id,
            part=part,
            places={name for name, _ in screen.parts},
            note="",
            data=upload.read() if upload is not None else b"",
            person_id=g.person.id,
            moment=screen.moment,
        )

    return _kept(call_id, form, keep, part)


@bp.post("/parts")
@login_required
def parts(call_id: UUID) -> ResponseReturnValue:
    """Keep a part used."""
    form = PartForm()

    def keep(screen: FixScreen, item_id: UUID) -> None:
        keep_part(
            g.db,
            screen,
            item_id=item_id,
            name=form.name.data,
            minutes=form.minutes.data,
            price=form.price.data,
            choice=form.choice.data,
            person_id=g.person.id,
            moment=screen.moment,
        )

    return _kept(call_id, form, keep)


@bp.post("/temporary")
@login_required
def temporary(call_id: UUID) -> ResponseReturnValue:
    """Keep a temporary measure."""
    form = TemporaryForm()

    def keep(screen: FixScreen, item_id: UUID) -> None:
        keep_temporary(
            g.db,
            screen,
            item_id=item_id,
            circuit=form.circuit.data,
            how=form.how.data,
            tag=form.tag.data,
            due_on=form.due.data,
            person_id=g.person.id,
            moment=screen.moment,
        )

    return _kept(call_id, form, keep)


@bp.post("/temporary/<uuid:item_id>/done")
@login_required
def temporary_done(call_id: UUID, item_id: UUID) -> ResponseReturnValue:
    """Close a temporary measure."""
    item = work.get_item(g.db, shop_id=g.person.shop_id, item_id=item_id)
    if item is None or item.call_id != call_id or item.due_on is None:
        abort(404)
    work.finish(item, now())
    g.db.flush()
    back = url_for("today.page") if request.form.get("from") == "today" else url_for("fix.page", call_id=call_id)
    return redirect(back)


@bp.post("/approvals")
@login_required
def approvals(call_id: UUID) -> ResponseReturnValue:
    """Keep an approval."""
    form = ApprovalForm()

    def keep(screen: FixScreen, item_id: UUID) -> None:
        keep_approval(
            g.db,
            screen,
            item_id=item_id,
            who=form.who.data,
            what=form.what.data,
            person_id=g.person.id,
            moment=screen.moment,
        )

    return _kept(call_id, form, keep)


@bp.post("/checks/<name>")
@login_required
def checks(call_id: UUID, name: str) -> ResponseReturnValue:
    """Tick one line of the list before power."""

    def keep(screen: FixScreen, item_id: UUID) -> None:
        keep_check(g.db, screen, item_id=item_id, name=name, person_id=g.person.id, moment=screen.moment)

    return _kept(call_id, ItemForm(), keep)


@bp.post("/power")
@login_required
def power(call_id: UUID) -> ResponseReturnValue:
    """Power goes back on."""

    def keep(screen: FixScreen, item_id: UUID) -> None:
        power_back(g.db, screen, item_id=item_id, person_id=g.person.id, moment=screen.moment)

    return _kept(call_id, ItemForm(), keep)


@bp.post("/proof")
@login_required
def proof(call_id: UUID) -> ResponseReturnValue:
    """Settle whether the repair is proven."""

    def keep(screen: FixScreen, item_id: UUID) -> None:
        reason = request.form.get("reason", "")
        settle_proof(g.db, screen, item_id=item_id, reason=reason, person_id=g.person.id, moment=screen.moment)

    return _kept(call_id, ItemForm(), keep)
