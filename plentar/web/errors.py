"""One place turns every error into a page, or into a line beside the field when only part of a page was asked for."""

import logging

from flask import Flask, g, render_template, request
from flask.typing import ResponseReturnValue
from flask_wtf.csrf import CSRFError
from sqlalchemy.exc import DataError, IntegrityError
from werkzeug.exceptions import HTTPException

from plentar.core.errors import PlentarError

__all__ = ["SignedOutError", "register"]

log = logging.getLogger(__name__)

SIGNED_OUT = "You are signed out. Sign in in a new tab, then press the button again: what you typed stays here."
WORDS = {
    400: ("That could not be read", "The request was malformed. Go back and try once more."),
    401: ("You are signed out", "Sign in again; nothing on the server has changed."),
    403: ("Not yours to change", "Your role does not allow this."),
    404: ("Nothing here", "This page, or this call, is not in your shop's records."),
    405: ("That cannot be done here", "The page was asked for in a way it does not answer."),
    409: ("Already sent", "This was sent before with other contents."),
    413: ("Too large", "What was sent is larger than this page takes."),
    422: ("That cannot be used", "See the message beside the field."),
    429: ("Too many tries", "Wait ten minutes, then sign in again."),
    500: ("Something broke on our side", "It has been noted. What was kept before is safe; try once more."),
}


class SignedOutError(Exception):
    """A fragment or a form was sent by someone no longer signed in."""


def register(app: Flask) -> None:
    """Attach the handlers."""
    app.register_error_handler(HTTPException, _http)
    app.register_error_handler(CSRFError, _csrf)
    app.register_error_handler(SignedOutError, _signed_out)
    app.register_error_handler(PlentarError, _plentar)
    app.register_error_handler(DataError, lambda error: _answer(400))
    app.register_error_handler(IntegrityError, lambda error: _answer(409))
    app.register_error_handler(Exception, _broken)


def _http(error: HTTPException) -> ResponseReturnValue:
    return _answer(error.code or 500)


def _csrf(error: CSRFError) -> ResponseReturnValue:
    if request.headers.get("HX-Request") and g.get("person") is None:
        return _fragment(SIGNED_OUT, 401, renew=True)
    if request.headers.get("HX-Request"):
        # The sign-in was renewed in another tab: hand the waiting form a new token and keep what is typed.
        return _fragment("Your sign-in was renewed. Press the button once more.", 400, renew=True)
    return _answer(400, text="The form was too old. Go back, reload the page and send it again.")


def _signed_out(_: SignedOutError) -> ResponseReturnValue:
    return _fragment(SIGNED_OUT, 401) if request.headers.get("HX-Request") else _answer(401)


def _plentar(error: PlentarError) -> ResponseReturnValue:
    return _answer(422, text=error.message)


def _broken(error: Exception) -> ResponseReturnValue:
    log.exception("request failed", exc_info=error)
    return _answer(500)


def _answer(code: int, text: str = "") -> ResponseReturnValue:
    title, words = WORDS.get(code, WORDS[500] if code >= 500 else WORDS[400])
    if request.headers.get("HX-Request"):
        return _fragment(text or f"{title}. {words}", code)
    return render_template("errors/page.html", code=code, title=title, words=text or words), code


def _fragment(text: str, code: int, *, renew: bool = False) -> ResponseReturnValue:
    """Answer a part-page request without touching what is typed: only the message line is swapped."""
    body = render_template("errors/_line.html", text=text, renew=renew)
    return body, code, {"HX-Retarget": "#problem", "HX-Reswap": "outerHTML", "HX-Replace-Url": "false"}
