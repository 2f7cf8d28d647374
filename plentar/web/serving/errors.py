"""One place turns every error into a page, or into a line beside the field when only part of a page was asked for."""

from collections.abc import Sequence
from urllib.parse import urlsplit

from flask import Flask, g, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf.csrf import CSRFError
from sqlalchemy.exc import DataError, IntegrityError, InterfaceError, InternalError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeoutError
from werkzeug.exceptions import HTTPException

from plentar.core.errors import BusyError, PlentarError
from plentar.store.locking import IDLE_IN_TRANSACTION, LOCK_NOT_AVAILABLE, QUERY_CANCELED, RowLockedError
from plentar.web.serving.logs import log_failure
from plentar.words import render

__all__ = ["SignedOutError", "register"]

# What is down now is asked again soon; a person who presses the button again has waited this long anyway.
RETRY_SECONDS = 5
# Of a form that could not be kept nothing is sent back but what was typed.
NEVER_SHOWN = ("csrf_token", "password", "old", "new", "again")
# Where the form of a route is that takes a password.
BACK = {"signin.change_password": "signin.you"}

SIGNED_OUT = "You are signed out. Sign in in a new tab, then press the button again. What you typed is still here."
WORDS = {
    400: ("Request not understood", "Go back and try again."),
    401: ("You are signed out", "Sign in again. Nothing on the server has changed."),
    403: ("No permission", "Your role does not allow this."),
    404: ("Page not found", "This page or call is not in your shop's records."),
    405: ("Not possible here", "This page does not accept that kind of request."),
    409: ("Already sent", "This was sent before with other contents."),
    413: ("Too large", "What you sent is larger than this page accepts."),
    422: ("Check your entries", "See the message beside the field."),
    429: ("Too many attempts", "Wait ten minutes, then sign in again."),
    503: (
        "The database can't be reached right now",
        "Nothing was saved yet. What you typed is still here. Send it again in a few seconds.",
    ),
    500: ("Something went wrong on the server", "The error was logged. Everything saved before is safe. Try again."),
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
    for kind in UNREACHABLE:
        app.register_error_handler(kind, _unreachable)
    app.register_error_handler(InternalError, _internal)
    app.register_error_handler(RowLockedError, _locked)
    app.register_error_handler(BusyError, lambda error: _later(render(error.message)))
    app.register_error_handler(Exception, _broken)


# By PostgreSQL's own codes (appendix A of its manual): a lock that was not had in time, a statement that took too long,
# no room on its disk.
LOCKED = "Another person is saving on this call. Your entry is not saved yet. Send it again in a few seconds."
LATER = {
    LOCK_NOT_AVAILABLE: LOCKED,
    QUERY_CANCELED: "The database took too long. Nothing was saved yet. Send it again in a few seconds.",
    # The transaction lay idle while its answer was worked out, and PostgreSQL ended it.
    IDLE_IN_TRANSACTION: "This took too long. Nothing was saved yet. Send it again in a few seconds.",
    "53100": "The server's disk is full. Nothing was saved. What you typed is still here. Tell your administrator.",
}
UNREACHABLE = (OperationalError, InterfaceError, PoolTimeoutError)


def _http(error: HTTPException) -> ResponseReturnValue:
    original = getattr(error, "original_exception", None)
    if original is not None:
        # It arose when the answer was ready, as when what was kept could not be committed.
        if isinstance(original, DataError | IntegrityError):
            return _answer(400 if isinstance(original, DataError) else 409)
        if isinstance(original, InternalError):
            return _internal(original)
        return _unreachable(original) if isinstance(original, UNREACHABLE) else _broken(original)
    return _answer(error.code or 500)


def _csrf(error: CSRFError) -> ResponseReturnValue:
    if request.headers.get("HX-Request") and g.get("person") is None:
        # No new token: its cookie, come late, would lie over that of whoever signs in meanwhile in another tab.
        return _fragment(SIGNED_OUT, 401)
    if request.headers.get("HX-Request"):
        # The sign-in was renewed in another tab: hand the waiting form a new token and keep what is typed.
        return _fragment("Your sign-in was renewed. Press the button again.", 400, renew=True)
    words = "The form had expired, so nothing was saved yet."
    return _again(400, "Send it again", words) if _is_own_form() else _answer(400, text=words)


def _signed_out(_: SignedOutError) -> ResponseReturnValue:
    return _fragment(SIGNED_OUT, 401) if request.headers.get("HX-Request") else _answer(401)


def _plentar(error: PlentarError) -> ResponseReturnValue:
    g.refusal = render(error.message)
    return _answer(422, text=render(error.message))


def _broken(error: Exception) -> ResponseReturnValue:
    log_failure(error, 500)
    return _answer(500)


def _unreachable(error: Exception) -> ResponseReturnValue:
    log_failure(error, 503)
    return _later(LATER.get(getattr(getattr(error, "orig", None), "sqlstate", None) or "", ""))


def _internal(error: InternalError) -> ResponseReturnValue:
    """Answer what the driver calls internal: a transaction that was ended for idling is no fault of the program."""
    state = getattr(error.orig, "sqlstate", None)
    return _unreachable(error) if state == IDLE_IN_TRANSACTION else _broken(error)


def _locked(error: RowLockedError) -> ResponseReturnValue:
    log_failure(error, 503)
    return _later(LOCKED)


def _later(text: str) -> ResponseReturnValue:
    """Answer that it can be done soon, and keep what was typed."""
    headers = {"Retry-After": str(RETRY_SECONDS)}
    title, words = WORDS[503]
    if request.headers.get("HX-Request"):
        body, code, more = _fragment(text or f"{title}. {words}", 503)
        return body, code, {**more, **headers}
    if request.method == "POST" and not request.is_json:
        body, code = _again(503, title, text or words)
        return body, code, headers
    if request.method == "POST":
        return {"why": text or title, "field": ""}, 503, headers
    return (
        render_template("errors/page.html", code=503, title=title, words=text or "Try again in a few seconds."),
        503,
        headers,
    )


def _is_own_form() -> bool:
    """Tell whether a form was sent by a page of this application: nobody else's is shown to be sent again."""
    origin = request.headers.get("Origin")
    fetched = request.headers.get("Sec-Fetch-Site")
    return fetched == "same-origin" or (
        fetched is None and origin is not None and urlsplit(origin).netloc == request.host
    )


def _again(code: int, title: str, words: str) -> tuple[str, int]:
    """Show what a plain form sent, with a button that sends it again under a new token."""
    fields = _typed()
    seen = [(name.replace("_", " ").replace("-", " "), value) for name, value in fields if _is_shown(name, value)]
    body = render_template(
        "errors/again.html",
        code=code,
        title=title,
        words=words,
        fields=fields,
        seen=seen,
        has_file=bool(request.files),
        back=url_for(BACK.get(request.endpoint or "", "signin.page")) if _has_secret() else "",
        action=request.full_path.rstrip("?") if request.url_rule is not None else url_for("today.page"),
    )
    return body, code


def _typed() -> Sequence[tuple[str, str]]:
    try:
        return [(name, value) for name, value in request.form.items(multi=True) if name not in NEVER_SHOWN]
    except HTTPException:
        return []


def _has_secret() -> bool:
    return any(name in request.form for name in NEVER_SHOWN if name != "csrf_token")


def _is_shown(name: str, value: str) -> bool:
    """Tell whether a field is something a person typed or picked, not an id or a version the form carries."""
    is_own = name.endswith("_id") or name in ("id", "next", "version", "panel", "point")
    return bool(value.strip()) and not is_own and len(value) <= 400


def _answer(code: int, text: str = "") -> ResponseReturnValue:
    title, words = WORDS.get(code, WORDS[500] if code >= 500 else WORDS[400])
    if request.headers.get("HX-Request"):
        return _fragment(text or f"{title}. {words}", code)
    return render_template("errors/page.html", code=code, title=title, words=text or words), code


def _fragment(text: str, code: int, *, renew: bool = False) -> tuple[str, int, dict[str, str]]:
    """Answer a part-page request without touching what is typed: only the message line is swapped."""
    body = render_template("errors/_line.html", text=text, renew=renew)
    return body, code, {"HX-Retarget": "#problem", "HX-Reswap": "outerHTML", "HX-Replace-Url": "false"}
