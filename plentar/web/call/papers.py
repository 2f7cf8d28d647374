"""The call's papers: shown, as PDF, signed, shared by a link."""

from uuid import UUID

from flask import Response, abort, g, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm

from plentar.core.errors import ReadingError
from plentar.core.visit import Visit
from plentar.formats.json_in import read_json
from plentar.store import shares
from plentar.web.audit import note
from plentar.web.call.forms import SignForm
from plentar.web.call.views import bp, panel_action
from plentar.web.call_layout.documents import context_of_paper, download, pdf_of
from plentar.web.call_layout.layout import room_of
from plentar.web.call_layout.visits import own_call, read_visit
from plentar.web.call_layout.writing import keep_one, own_id
from plentar.web.serving.access import login_required, now

__all__: list[str] = []


def _paper(call_id: UUID, *, embed: bool) -> dict[str, object]:
    reader = "customer" if request.args.get("reader") == "customer" else "office"
    return context_of_paper(room_of(call_id), reader=reader, embed=embed)


@bp.get("/report")
@login_required
def report(call_id: UUID) -> ResponseReturnValue:
    """Show the report of the call, laid out for paper, for the office or in plain words for the customer."""
    links = shares.list_of(g.db, shop_id=g.person.shop_id, call_id=call_id)
    return render_template("call/report.html", **_paper(call_id, embed=False), links=links, moment=now(), new_link="")


@bp.get("/report.pdf")
@login_required
def report_pdf(call_id: UUID) -> ResponseReturnValue:
    """Send the report as PDF."""
    paper = _paper(call_id, embed=True)
    return download(pdf_of(paper), "application/pdf", paper["screen"], f"-{paper['reader']}.pdf")  # type: ignore[arg-type]


@bp.post("/sign")
@login_required
def sign(call_id: UUID) -> ResponseReturnValue:
    """Keep a signature: by name, and drawn where it was."""
    form = SignForm()

    def action() -> Visit:
        try:
            strokes = read_json(form.strokes.data or "[]", field="strokes", most_bytes=60_000)
        except ReadingError as error:
            raise ReadingError("the signature could not be read. Clear it and sign again", field="strokes") from error
        payload = {"role": form.role.data, "name": form.name.data or "", "strokes": strokes}
        return keep_one(call_id, own_id(form.sign_id.data), "signed", payload)

    return panel_action(call_id, form, "hand-over", action)


@bp.post("/share")
@login_required
def share(call_id: UUID) -> ResponseReturnValue:
    """Make a link to the customer's paper and show it, this once: its secret is kept nowhere."""
    if not FlaskForm().validate():
        abort(400)
    call = own_call(call_id)
    visit = read_visit(call)
    if not visit.standing_now and not visit.record.causes and not visit.findings_before:
        abort(400)
    token = shares.make(g.db, call, person_id=g.person.id, now=now())
    place = call.unit.place.name
    note("shared", place)
    links = shares.list_of(g.db, shop_id=g.person.shop_id, call_id=call_id)
    new_link = url_for("share.page", token=token, _external=True)
    return render_template(
        "call/report.html", **_paper(call_id, embed=False), links=links, moment=now(), new_link=new_link
    )


@bp.post("/share/<uuid:link_id>/revoke")
@login_required
def revoke(call_id: UUID, link_id: UUID) -> ResponseReturnValue:
    """Take a link back: from now on it opens nothing."""
    if not FlaskForm().validate():
        abort(400)
    call = own_call(call_id)
    if not shares.revoke(g.db, shop_id=g.person.shop_id, call_id=call_id, link_id=link_id, now=now()):
        abort(404)
    place = call.unit.place.name
    note("link revoked", place)
    return Response(status=303, headers={"Location": url_for("call.report", call_id=call_id, reader="customer")})
