"""What phones send of what they kept: who they are, when it was done, whether anybody waits, what cannot be kept.

A phone sends the forms of a call as they were filled in, each to the form's own address, sealed with the key it was
given when it was set up. The seal stands in for the page's token: nothing that goes stale is stored on a phone. Sent
without anybody waiting, a form is answered in a line of JSON; what is refused then is set aside on the call, whole.
"""

import hmac
from dataclasses import dataclass
from datetime import datetime, timedelta
from hashlib import sha256
from urllib.parse import urlsplit
from uuid import UUID

from flask import Flask, Response, current_app, g, jsonify, request
from flask.typing import ResponseReturnValue
from flask_wtf.csrf import CSRFProtect
from werkzeug.datastructures import Headers
from werkzeug.exceptions import BadRequest

from plentar.core.errors import PlentarError
from plentar.core.intake import check_opening
from plentar.core.limits.moments import MOST_CLOCK_SECONDS, OLDEST_OPENING_SECONDS
from plentar.store import phones
from plentar.web.serving.access import now
from plentar.web.serving.assets import build_of
from plentar.words import render

__all__ = ["Sent", "done_at", "id_of_sending", "is_late", "opened_at", "refused", "register"]

# Refusals that the same form would meet again, whenever it is sent: those are set aside. Others are tried again.
LASTING = (400, 404, 405, 409, 410, 413, 415, 422)
# What is typed once and never shown, and what a form carries for itself.
OWN_FIELDS = ("csrf_token", "panel", "point", "hand", "version", "strokes", "next", "from")


@dataclass(frozen=True, slots=True, kw_only=True)
class Sent:
    """One sending of a phone: its id, which phone, when it was done by its clock, how wrong that is, whether late."""

    id: UUID
    phone: UUID
    done_at: datetime
    clock_seconds: float
    is_late: bool


def done_at() -> datetime:
    """Return when what is being sent was done: now, or when the phone says."""
    sent: Sent | None = g.get("sent")
    return min(sent.done_at, now()) if sent is not None else now()


def opened_at() -> datetime:
    """Return when the call being sent was opened.

    Raises:
        ReadingError: The phone names a moment no call can have been opened at.
    """
    sent: Sent | None = g.get("sent")
    if sent is not None:
        check_opening(sent.done_at.timestamp(), clock_seconds=sent.clock_seconds, now=now().timestamp())
    return done_at()


def is_late() -> bool:
    """Tell whether what is being sent was kept on a phone, with nobody waiting for an answer."""
    sent: Sent | None = g.get("sent")
    return sent is not None and sent.is_late


def id_of_sending() -> UUID | None:
    """Return the id of what is being sent, the same however often it is; None where a page sends it."""
    sent: Sent | None = g.get("sent")
    return sent.id if sent is not None else None


def refused(error: PlentarError) -> None:
    """Note why a form is not kept, for whoever sent it without waiting."""
    g.refusal = render(error.message)


class _Guard(CSRFProtect):  # type: ignore[misc]
    """The page's token, or a phone's seal."""

    def protect(self, **options: object) -> None:
        if g.get("sent") is not None:
            g.csrf_valid = True
            return
        super().protect(**options)


def register(app: Flask) -> None:
    """Know a phone by its seal before anything else looks at what it sends, and answer it in its own way."""
    app.before_request(_open)
    _Guard(app)
    app.after_request(_close)


def _open() -> ResponseReturnValue | None:
    g.sent = None
    told = request.headers.get("Plentar-Version", "")
    if told and told != build_of(current_app):
        # An old page never speaks to a new server unseen.
        return {"version": build_of(current_app)}, 426
    name = request.headers.get("Plentar-Phone", "")
    if not name or request.method != "POST":
        return None
    if g.person is None:
        return {"signed": "out"}, 401
    try:
        phone = phones.find(g.db, g.person, UUID(name))
        sent = _sent_of(request.headers)
    except ValueError as error:
        raise BadRequest from error
    if phone is None:
        return {"phone": "another's"}, 403
    if phone.ended_at is not None:
        return {"phone": "ended"}, 403
    if not _is_same_origin() or not _is_sealed(phone.seal_key):
        raise BadRequest
    g.sent = sent
    return None


def _sent_of(headers: Headers) -> Sent:
    """Return what a phone tells of its sending.

    Raises:
        ValueError: No id, no moment with its offset, or a clock that may be more than four months wrong.
    """
    moment = datetime.fromisoformat(headers.get("Plentar-Done", ""))
    clock = float(headers.get("Plentar-Clock", ""))
    if moment.tzinfo is None or not 0 <= clock < MOST_CLOCK_SECONDS:
        raise ValueError("expected a moment with its offset and the seconds a clock may be wrong")
    late = headers.get("Plentar-Late") == "yes"
    ids = UUID(headers.get("Plentar-Sent", "")), UUID(headers.get("Plentar-Phone", ""))
    return Sent(id=ids[0], phone=ids[1], done_at=moment, clock_seconds=clock, is_late=late)


def _is_same_origin() -> bool:
    fetched, origin = request.headers.get("Sec-Fetch-Site"), request.headers.get("Origin")
    return fetched in (None, "same-origin") and (origin is None or urlsplit(origin).netloc == request.host)


def _is_sealed(key: bytes) -> bool:
    body = sha256(request.get_data(cache=True, parse_form_data=False)).hexdigest()
    names = ("Plentar-Sent", "Plentar-Done", "Plentar-Clock", "Plentar-Late")
    query = request.query_string.decode("latin-1")
    path = f"{request.path}?{query}" if query else request.path
    lines = [request.method, path, *(request.headers.get(name, "") for name in names), body]
    wanted = hmac.new(key, "\n".join(lines).encode(), "sha256").hexdigest()
    return hmac.compare_digest(wanted, request.headers.get("Plentar-Seal", ""))


def _close(response: Response) -> Response:
    response.headers.setdefault("Plentar-Version", build_of(current_app))
    response.headers["Plentar-Now"] = str(round(1000 * now().timestamp()))
    sent: Sent | None = g.get("sent")
    if sent is None or not sent.is_late or response.status_code == 429 or response.status_code >= 500:
        return response
    if response.status_code in LASTING:
        return _reject(sent, response)
    if response.status_code < 400:
        quiet = jsonify(kept=True)
        quiet.headers.update({"Plentar-Version": build_of(current_app)})
        return quiet
    return response


def _reject(sent: Sent, response: Response) -> Response:
    """Keep what was refused, with why, and tell the phone that it need not keep it any longer."""
    why = g.get("refusal") or "it could not be read"
    g.db.rollback()
    call_id = (request.view_args or {}).get("call_id")
    is_kept = call_id is not None and phones.reject(
        g.db,
        g.person,
        call_id=call_id,
        id=sent.id,
        phone_id=sent.phone,
        drafts=g.get("refused_drafts"),
        what=(request.endpoint or "")[:60],
        fields=typed_fields(),
        body=request.get_data(cache=True, parse_form_data=False),
        content_type=(request.content_type or "")[:200],
        why=why[:2000],
        done_at=_showable(sent.done_at),
        clock_seconds=sent.clock_seconds,
        come_at=now(),
    )
    answer = jsonify(aside=True, why=why) if is_kept else jsonify(aside=False, why=why)
    answer.status_code = 200 if is_kept else response.status_code
    answer.headers["Plentar-Version"] = build_of(current_app)
    return answer


def _showable(moment: datetime) -> datetime:
    """Return a moment as it can be kept and shown: a year 1 in one time zone is before all time in another."""
    latest = now()
    earliest = latest - timedelta(seconds=OLDEST_OPENING_SECONDS)
    return min(max(moment, earliest), latest)


def typed_fields() -> list[list[str]]:
    """Return what a person typed or picked of the form that was sent: each field's name in words, and its value."""
    found = []
    for name, value in request.form.items(multi=True):
        is_own = name.endswith("_id") or name == "id" or name in OWN_FIELDS
        if value.strip() and not is_own:
            found.append([name.replace("_", " ").replace("-", " ")[:60], value.strip()[:400]])
    found += [["file", (sent.filename or "")[:120]] for sent in request.files.values()]
    return found[:60]
