"""One box over everything the shop has kept: streets, people, serials, models, parts, words, findings, photo notes."""

from flask import Blueprint, g, render_template, request
from flask.typing import ResponseReturnValue

from plentar.store import finding
from plentar.web.serving.access import login_required

__all__ = ["bp"]

bp = Blueprint("find", __name__)
KINDS = {
    "place": "place",
    "unit": "unit",
    "call": "call",
    "cause": "cause found",
    "part": "part fitted",
    "seen": "seen",
    "photo": "photo",
    "note": "note",
    "temporary": "temporary measure",
}


@bp.get("/find")
@login_required
def page() -> ResponseReturnValue:
    """Show the box and what it finds; while somebody types, only what it finds."""
    words = request.args.get("q", "")[:200]
    hits = finding.search(g.db, shop_id=g.person.shop_id, words=words)
    view = "find/_found.html" if request.headers.get("HX-Request") else "find/page.html"
    return render_template(view, words=words.strip(), hits=hits, kinds=KINDS)
