"""The shared paper: no sign-in, one answer for whatever opens nothing, nothing for search engines, no referrer."""

from datetime import timedelta

from flask import Blueprint, abort, g, render_template
from flask.typing import ResponseReturnValue

from plentar.core.visit import Visit
from plentar.screen.call import CallScreen
from plentar.store import calls, limits, shares, sign_ins
from plentar.store.models import Call, ShareLink
from plentar.web.call_layout.documents import context_of_paper, download, pdf_of
from plentar.web.call_layout.visits import read_record, visit_of
from plentar.web.serving.access import now
from plentar.web.serving.network import device_words, network

__all__ = ["bp"]

bp = Blueprint("share", __name__, url_prefix="/shared/<token>")
# Nothing for search engines, and no address of a paper in anybody's log of where their visitors came from.
QUIET = {"X-Robots-Tag": "noindex, nofollow", "Referrer-Policy": "no-referrer"}
# Of one address in a minute: a family around a table opens it often, nobody who tries secrets gets anywhere.
OPENS, WINDOW = 60, timedelta(minutes=1)
LONGEST_TOKEN = 64


def _opened(token: str) -> ShareLink:
    """Return what a link opens, counted; whatever opens nothing is one and the same 404."""
    g.own_headers = QUIET
    moment = now()
    if not sign_ins.take_guess(g.db, [(f"shared:{network()}", OPENS)], moment, window=WINDOW):
        abort(429)
    # Counted whatever comes of it.
    g.db.commit()
    link = shares.find(g.db, token, moment) if len(token) <= LONGEST_TOKEN else None
    if link is None:
        abort(404)
    shares.note_open(g.db, link, words=device_words(), now=moment)
    return link


def _screen(link: ShareLink) -> CallScreen[Call]:
    call = calls.get_for_shop(g.db, shop_id=link.shop_id, call_id=link.call_id)
    if call is None:
        abort(404)
    g.limits_changed = limits.changed_limits(g.db, shop_id=link.shop_id)
    visit: Visit = visit_of(call, read_record(g.db, call), now())
    return CallScreen(call, visit, url="", person="")


@bp.get("")
def page(token: str) -> ResponseReturnValue:
    """Show the customer's paper."""
    link = _opened(token)
    paper = context_of_paper(_screen(link), reader="customer", embed=True)
    return render_template("share/page.html", **paper, token=token, expires_at=link.expires_at)


@bp.get("/paper.pdf")
def pdf(token: str) -> ResponseReturnValue:
    """Send the same as PDF."""
    paper = context_of_paper(_screen(_opened(token)), reader="customer", embed=True)
    return download(pdf_of(paper), "application/pdf", paper["screen"], ".pdf")  # type: ignore[arg-type]
