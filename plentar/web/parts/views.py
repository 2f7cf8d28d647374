"""The parts list with its CSV, and the part check of one device of a call's unit."""

from collections.abc import Iterable
from typing import Any
from uuid import UUID

from flask import Blueprint, Response, abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm

from plentar.core.circuit.places import place_words
from plentar.core.errors import NameplateError, PlentarError, ReadingError
from plentar.core.work.substitution import PART_KINDS, check_part, kind_words, parts_needed, worst_of
from plentar.formats.kits_csv import KITS
from plentar.formats.labels_csv import Labels
from plentar.formats.parts_csv import PARTS
from plentar.formats.unit_json import kept_nameplate
from plentar.store import shops, stock
from plentar.web.audit import note
from plentar.web.call_layout.documents import attached
from plentar.web.call_layout.visits import own_call, shop_limits
from plentar.web.fields import checked_token
from plentar.web.serving.access import lead_required, login_required

__all__ = ["bp"]

bp = Blueprint("parts", __name__)
MOST_BYTES = 1_000_000
MOST_COUNT = 9999


@bp.get("/parts")
@login_required
def page() -> ResponseReturnValue:
    """List the shop's parts."""
    return _shown()


def _shown(
    problem: PlentarError | None = None,
    kit_problem: PlentarError | None = None,
    hand_problem: PlentarError | None = None,
    kit_hand_problem: PlentarError | None = None,
) -> str:
    shop_id = g.person.shop_id
    vans = [row for row in shops.list_people(g.db, shop_id=shop_id) if row.deactivated_at is None]
    return render_template(
        "parts/page.html",
        kind_words=kind_words,
        part_kinds=PART_KINDS,
        columns=PARTS.columns,
        kit_columns=KITS.columns,
        vans=vans,
        stock=stock.list_stock(g.db, shop_id=shop_id),
        hand_problem=hand_problem,
        kit_hand_problem=kit_hand_problem,
        parts=[(row.id, PARTS.from_json(row.label)) for row in stock.list_parts(g.db, shop_id=shop_id)],
        kits=[KITS.from_json(row.label) for row in stock.list_kits(g.db, shop_id=shop_id)],
        problem=problem,
        kit_problem=kit_problem,
    )


def _sent(labels: Labels[Any], documents: Iterable[dict[str, Any]]) -> Response:
    """Return stored labels as a CSV file to be saved."""
    body = labels.write(map(labels.from_json, documents))
    return attached(body, "text/csv", f"{labels.plural}.csv")


@bp.get("/parts.csv")
@login_required
def as_csv() -> ResponseReturnValue:
    """Send the parts as CSV."""
    rows = stock.list_parts(g.db, shop_id=g.person.shop_id)
    return _sent(PARTS, (row.label for row in rows))


@bp.post("/parts")
@lead_required
def take_in() -> ResponseReturnValue:
    """Take in a CSV, all of it or none."""
    try:
        found = PARTS.read(_sent_text())
    except PlentarError as error:
        return _shown(problem=error), 422
    stock.put_parts(g.db, shop_id=g.person.shop_id, labels=[(part.name, PARTS.to_json(part)) for part in found])
    return redirect(url_for("parts.page"))


@bp.post("/parts/one")
@lead_required
def add_part() -> ResponseReturnValue:
    """Keep one part as it was typed; one of its name takes the new label."""
    checked_token()
    try:
        part = PARTS.one(request.form)
    except PlentarError as error:
        return _shown(hand_problem=error), 422
    stock.put_parts(g.db, shop_id=g.person.shop_id, labels=[(part.name, PARTS.to_json(part))])
    note("part added", part.name)
    return redirect(url_for("parts.page"))


@bp.post("/kits/one")
@lead_required
def add_kit() -> ResponseReturnValue:
    """Keep one heat kit as it was typed; one of its model takes the new label."""
    checked_token()
    try:
        kit = KITS.one(request.form)
    except PlentarError as error:
        return _shown(kit_hand_problem=error), 422
    stock.put_kits(g.db, shop_id=g.person.shop_id, labels=[(kit.model, KITS.to_json(kit))])
    note("heat kit added", kit.model)
    return redirect(url_for("parts.page"))


@bp.post("/parts/<uuid:part_id>/remove")
@lead_required
def remove_part(part_id: UUID) -> ResponseReturnValue:
    """Take a part off the shelf."""
    checked_token()
    name = stock.remove_part(g.db, shop_id=g.person.shop_id, part_id=part_id)
    if name is None:
        abort(404)
    note("part removed", name)
    return redirect(url_for("parts.page"))


@bp.post("/parts/van/<uuid:person_id>")
@login_required
def count_van(person_id: UUID) -> ResponseReturnValue:
    """Keep what lies on a van: its own person counts it, or a lead."""
    if shops.get_person(g.db, shop_id=g.person.shop_id, person_id=person_id) is None:
        abort(404)
    if person_id != g.person.id and g.person.role != "lead":
        abort(403)
    checked_token()
    counts: dict[UUID, int] = {}
    for row in stock.list_parts(g.db, shop_id=g.person.shop_id):
        text = request.form.get(f"count-{row.id}", "").strip()
        if not text:
            continue
        if not (text.isascii() and text.isdigit()) or int(text) > MOST_COUNT:
            error = ReadingError(f"{row.name}: a whole number up to {MOST_COUNT}", field="count")
            return _shown(hand_problem=error), 422
        counts[row.id] = int(text)
    stock.set_stock(g.db, shop_id=g.person.shop_id, person_id=person_id, counts=counts)
    return redirect(url_for("parts.page"))


@bp.get("/kits.csv")
@login_required
def kits_as_csv() -> ResponseReturnValue:
    """Send the heat kits as CSV."""
    rows = stock.list_kits(g.db, shop_id=g.person.shop_id)
    return _sent(KITS, (row.label for row in rows))


@bp.post("/kits")
@lead_required
def take_in_kits() -> ResponseReturnValue:
    """Take in a CSV of heat kits, all of it or none."""
    try:
        found = KITS.read(_sent_text())
    except PlentarError as error:
        return _shown(kit_problem=error), 422
    stock.put_kits(g.db, shop_id=g.person.shop_id, labels=[(kit.model, KITS.to_json(kit)) for kit in found])
    return redirect(url_for("parts.page"))


def _sent_text() -> str:
    """Return the text of the file that was sent.

    Raises:
        ReadingError: None was chosen, it is too large or no text.
    """
    upload = request.files.get("file")
    if not FlaskForm().validate():
        raise ReadingError("this form has expired. Press the button again", field="file")
    data = upload.read(MOST_BYTES + 1) if upload is not None else b""
    if not data:
        raise ReadingError("choose a CSV file first", field="file")
    if len(data) > MOST_BYTES:
        raise ReadingError("this list is larger than 1 MB", field="file")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise ReadingError("this is not a text file. Export the list as CSV", field="file") from error


@bp.get("/calls/<uuid:call_id>/part-check")
@login_required
def check(call_id: UUID) -> ResponseReturnValue:
    """Hold every part of a fitting kind, and one in full, against a device of the call's unit."""
    call = own_call(call_id)
    plate = kept_nameplate(call.unit.nameplate)
    names = [device.id for device in plate.devices] + ([plate.blower.relay.id] if plate.blower.relay else [])
    device = request.args.get("device", "")
    device = device if device in names else names[0]
    parts = [PARTS.from_json(row.label) for row in stock.list_parts(g.db, shop_id=g.person.shop_id)]
    checked = []
    for part in parts:
        if part.kind in ("limit", "element"):
            continue
        try:
            count = parts_needed(plate, device, part)
            lines = check_part(plate, device, part, shop_limits(), count=count)
        except NameplateError:
            continue
        checked.append((part, lines, worst_of(lines), count))
    checked.sort(key=lambda entry: (entry[2].severity, entry[3], entry[0].name))
    wanted = request.args.get("part", "")
    chosen = next((entry for entry in checked if entry[0].name == wanted), checked[0] if checked else None)
    return render_template(
        "parts/check.html",
        call=call,
        device=device,
        devices=[(name, place_words(plate, name)) for name in names],
        checked=checked,
        chosen=chosen,
    )
