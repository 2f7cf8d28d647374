"""Letting somebody in: a new secret, a new form token, nothing of the session before; by whatever way they came."""

from flask import current_app, g, request, session, url_for
from werkzeug.wrappers import Response as BaseResponse

from plentar.store import audit, sign_ins
from plentar.store.models import Person
from plentar.store.secret import new_secret
from plentar.web.serving.access import now
from plentar.web.serving.network import device_words
from plentar.web.serving.paths import own_path

__all__ = ["DEVICE_COOKIE", "end_this", "known_device", "let_in", "where_to"]

DEVICE_COOKIE, DEVICE_SECONDS = "device", 365 * 86400


def known_device() -> str:
    """Return what tells this browser apart, as it was given; nothing on one that never signed in."""
    return request.cookies.get(DEVICE_COOKIE, "")[:100]


def end_this() -> None:
    """End the sign-in this request came with."""
    if g.known is not None:
        sign_ins.end(g.db, g.person, g.known.sign_in, now())


def where_to(person: Person, wanted: str | None) -> str:
    """Return where somebody who just came in goes: a shop's lead first through what the shop has not set up yet."""
    if person.role == "lead" and person.shop.set_up_at is None:
        return url_for("shop.begin", step="meter")
    return own_path(wanted) or url_for("today.page")


def let_in(person: Person, device: str, response: BaseResponse, *, how: str) -> BaseResponse:
    """Open a sign-in and note it in the audit."""
    end_this()
    secret, device = new_secret(), device or new_secret()
    sign_ins.begin(g.db, person, secret=secret, device=device, words=device_words(), now=now())
    about = f"{person.name}, by {how}, {device_words()}"
    audit.note(g.db, "signed in", about, shop_id=person.shop_id, person=person, at=now())
    session.clear()
    session["key"] = secret
    session.permanent = True
    response.set_cookie(
        DEVICE_COOKIE,
        device,
        max_age=DEVICE_SECONDS,
        path=url_for("signin.page"),
        samesite="Lax",
        httponly=True,
        secure=current_app.config["SESSION_COOKIE_SECURE"],
    )
    return response
