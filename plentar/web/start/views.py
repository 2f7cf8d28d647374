"""The new-call page."""

from collections.abc import Sequence
from typing import Any
from uuid import UUID, uuid4

from flask import Blueprint, abort, g, jsonify, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from werkzeug.datastructures import MultiDict

from plentar.core.causes.faults import COMPLAINTS
from plentar.core.errors import PlentarError
from plentar.core.unit.patterns import PATTERNS
from plentar.store import places, shops
from plentar.store.models import PlaceRow, Unit
from plentar.web.call_layout.visits import own_call
from plentar.web.fields import require_valid
from plentar.web.offline.bundle import PATTERN_WORDS, bundle_of
from plentar.web.offline.submissions import opened_at, refused
from plentar.web.serving.access import login_required, now
from plentar.web.start.forms import NEW, StartForm
from plentar.web.start.operations import start_call

__all__ = ["bp"]

bp = Blueprint("start", __name__, url_prefix="/calls/new")


def _where(form: StartForm, words: str) -> dict[str, Any]:
    """Return what the place part of the page shows: the place picked with its units, or what the search found."""
    shop_id = g.person.shop_id
    place: PlaceRow | None = None
    units: Sequence[Unit] = ()
    try:
        place_id = UUID(form.place_id.data or "")
    except ValueError:
        place_id = None
    if place_id is not None:
        place = places.get_place(g.db, shop_id=shop_id, place_id=place_id)
        units = places.units_at(g.db, shop_id=shop_id, place_id=place_id) if place else ()
    found = places.search(g.db, shop_id=shop_id, words=words) if place is None else ()
    return {
        "form": form,
        "place": place,
        "units": units,
        "found": found,
        "words": words,
        "is_new": form.place_id.data == NEW,
        "patterns": PATTERN_WORDS,
        "structures": {name: PATTERNS[name]() for name in PATTERN_WORDS},
        "like": places.like_units(g.db, shop_id=shop_id),
        "technicians": [row for row in shops.list_people(g.db, shop_id=shop_id) if row.deactivated_at is None],
    }


@bp.get("")
@login_required
def page() -> ResponseReturnValue:
    """Show the page, or only its place part while somebody searches."""
    form = StartForm(request.args)
    form.call_id.data = form.call_id.data or str(uuid4())
    shown = _where(form, request.args.get("q", "")[:80])
    view = "start/_where.html" if request.headers.get("HX-Request") else "start/page.html"
    return render_template(view, complaints=tuple(COMPLAINTS), **shown)


@bp.post("")
@login_required
def start() -> ResponseReturnValue:
    """Open the call and go to it: to the plate first where the unit is new."""
    form = StartForm()
    try:
        require_valid(form)
        call = start_call(g.db, g.person, form, opened_at())
    except PlentarError as error:
        refused(error)
        g.db.rollback()
        shown = _where(form, request.form.get("q", "")[:80])
        return render_template("start/page.html", complaints=tuple(COMPLAINTS), problem=error, **shown), 422
    is_new = not form.unit_id.data or form.unit_id.data == NEW
    # With the kit's label typed there is enough to begin with; the rest of the plate waits until it is wanted.
    if call.status == "open" and is_new and not (form.kit_kw.data or "").strip():
        return redirect(url_for("unit.nameplate", unit_id=call.unit_id, call=call.id))
    if call.status == "planned":
        return redirect(url_for("plan.page", call_id=call.id))
    return redirect(url_for("call.page", call_id=call.id))


@bp.get("/aboard")
@login_required
def aboard() -> ResponseReturnValue:
    """Send a call on a unit, or on a new one of a wiring, as it would be right after its beginning: none is made."""
    data = {"complaints": "no heat", "call_id": str(uuid4())}
    try:
        if unit_id := request.args.get("unit"):
            unit = places.get_unit(g.db, shop_id=g.person.shop_id, unit_id=UUID(unit_id))
            if unit is None:
                abort(404)
            data |= {"unit_id": unit_id, "place_id": str(unit.place_id)}
        else:
            data |= {
                "unit_id": NEW,
                "place_id": NEW,
                "place_name": f"New place {data['call_id']}",
                "unit_label": "unit 1",
            }
            data["start_from"] = f"pattern:{request.args.get('pattern') or next(iter(PATTERN_WORDS))}"
        call = start_call(g.db, g.person, StartForm(MultiDict(data)), now())
    except (PlentarError, ValueError):
        abort(404)
    # Nothing of it is remembered either.
    g.after_commit = []
    bundle = bundle_of(own_call(call.id))
    g.db.rollback()
    return jsonify(bundle | {"version": "fresh"})
