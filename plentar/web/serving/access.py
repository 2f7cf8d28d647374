"""Who is asking: database session, signed-in person and shop of each request."""

from collections.abc import Callable
from datetime import UTC, date, datetime, time
from functools import wraps
from typing import ParamSpec
from urllib.parse import quote
from uuid import uuid4
from zoneinfo import ZoneInfo

from flask import Flask, abort, current_app, g, redirect, request, session, url_for
from flask.typing import ResponseReturnValue
from sqlalchemy.orm import Session
from werkzeug.exceptions import HTTPException
from werkzeug.sansio.utils import host_is_trusted

from plentar.core.errors import ReadingError
from plentar.core.limits.moments import MOST_DOUBT_SECONDS
from plentar.store import sign_ins
from plentar.web.serving.errors import SignedOutError
from plentar.words.figures import PLAIN, DisplayUnits, choose

__all__ = [
    "is_narrow",
    "lead_required",
    "local_day",
    "login_required",
    "now",
    "register",
    "release",
    "shop_moment",
    "theme",
]

P = ParamSpec("P")
# What a phone's camera makes, with room to spare.
# and what a day of logging makes.
# An export file through the web is 64 MB at most; larger ones come in by the command line.
LARGE = {
    "call.add_photo": 24 * 1024 * 1024,
    "timing.add_log": 64 * 1024 * 1024,
    "shop.import_bundle": 65 * 1024 * 1024,
}
THEMES = ("day", "attic")
# Answered without the database: what never changes, and whether this process is alive.
WITHOUT_RECORDS = (
    "static",
    "health.alive",
    "health.ready",
    "phone.worker",
    "phone.manifest",
    "phone.shell",
)


def _clock() -> datetime:
    return datetime.now(UTC)


def now() -> datetime:
    """Return this moment; the only clock the web code reads."""
    return _clock()


def local_day() -> date:
    """Return this day on the shop's own clock: what is due is due by it."""
    return now().astimezone(ZoneInfo(g.person.shop.time_zone)).date()


def shop_moment(on: date, at: time, field: str = "at") -> datetime:
    """Return the moment of a day and an hour by the shop's clock.

    Raises:
        ReadingError: There is no such hour that day: the clocks jump over it; `field` names the hour's input.
    """
    zone = ZoneInfo(g.person.shop.time_zone)
    local = datetime.combine(on, at, zone)
    if local.astimezone(UTC).astimezone(zone).time() != at:
        raise ReadingError("this hour does not exist: the clocks go forward. Choose another", field=field)
    return local


def theme() -> str:
    """Return the chosen look, or nothing where the system's preference decides."""
    chosen = request.cookies.get("theme", "")
    return chosen if chosen in THEMES else ""


def is_narrow() -> bool:
    """Tell whether the page said that its screen is a phone's: the ladder is drawn for its width."""
    return request.cookies.get("narrow") == "1"


def _display() -> DisplayUnits:
    """Return the units of whoever is signed in; what leaves the shop goes back to everybody's (`paper`)."""
    if g.person is None:
        return PLAIN
    return DisplayUnits(is_celsius=g.person.reads_celsius, is_metric_wire=g.person.reads_metric_wire)


def _read_form() -> None:
    """Read what was sent before anything else does, and refuse what nothing here can keep."""
    if "Plentar-Phone" in request.headers:
        # A phone's seal is over the bytes as they came.
        request.get_data(cache=True, parse_form_data=False)
    try:
        names = [file.filename or "" for file in request.files.values()]
        values = [*request.args.values(), *request.form.values(), *names]
        # A part of a multipart form may come without a name.
        is_named = None not in request.form and None not in request.files
        is_sound = is_named and not any("\0" in value for value in values)
    except HTTPException:
        raise
    except (KeyError, ValueError, LookupError, TypeError, AssertionError):
        # A boundary that is none, a header nobody can read: the library's own faults differ by version.
        is_sound = False
    if not is_sound or "\0" in request.path:
        abort(400)


def register(app: Flask) -> None:
    """Open a database session for each request, commit it at the end, and know who is signed in."""

    @app.before_request
    def open_session() -> None:
        g.person = g.known = None
        g.request_id = uuid4().hex
        if not host_is_trusted(request.host, current_app.config["PLENTAR_HOSTS"]):
            abort(400)
        request.max_content_length = LARGE.get(request.endpoint or "", request.max_content_length)
        if request.is_json and request.endpoint != "call.add_events":
            # Forms are forms: as JSON a field could be anything.
            abort(415)
        if request.endpoint in WITHOUT_RECORDS:
            return
        _read_form()
        g.db = current_app.extensions["plentar.sessions"]()
        secret = session.get("key", "")
        g.known = sign_ins.find(g.db, secret, now()) if isinstance(secret, str) and secret else None
        if g.known is not None:
            g.person, g.limits_changed = g.known.person, g.known.limits
        choose(_display())

    @app.after_request
    def commit(response):  # type: ignore[no-untyped-def]
        db: Session | None = g.get("db")
        if db is not None:
            if response.status_code < 400:
                if g.get("known") is not None and g.known.is_due:
                    sign_ins.note_seen(db, g.known, now())
                db.commit()
                for told in g.get("after_commit", ()):
                    told()
            else:
                db.rollback()
        if response.mimetype == "text/html" and "HX-Request" not in request.headers and session.permanent:
            session.modified = True
        response.headers["X-Request-Id"] = g.get("request_id", "")
        if request.endpoint != "static":
            response.headers["Cache-Control"] = "no-store"
        # A page that says more of itself than all others do has the last word.
        response.headers.update(g.get("own_headers", {}))
        return response

    @app.teardown_request
    def close_session(_: BaseException | None) -> None:
        choose(PLAIN)
        db: Session | None = g.pop("db", None)
        if db is not None:
            db.close()

    app.context_processor(
        lambda: {
            "theme": theme(),
            "person": g.get("person"),
            "server_now": lambda: now().isoformat(),
            "most_doubt_seconds": MOST_DOUBT_SECONDS,
        }
    )


def release() -> None:
    """End this request's transaction before something that takes long and asks no record: decoding, laying out.

    Nothing may wait to be kept yet. What is asked after it begins another one.
    """
    if g.get("db") is not None:
        g.db.commit()


def login_required(view: Callable[P, ResponseReturnValue]) -> Callable[P, ResponseReturnValue]:
    """Let only signed-in people through: pages lead to the sign-in, fragments say so beside what was typed."""

    @wraps(view)
    def guarded(*args: P.args, **kwargs: P.kwargs) -> ResponseReturnValue:
        if g.person is None:
            if request.headers.get("HX-Request") or request.method != "GET":
                raise SignedOutError
            return redirect(url_for("signin.page") + "?next=" + quote(request.full_path.rstrip("?")))
        return view(*args, **kwargs)

    guarded.access = "person"  # type: ignore[attr-defined]
    return guarded


def lead_required(view: Callable[P, ResponseReturnValue]) -> Callable[P, ResponseReturnValue]:
    """Let only leads through: others are told that their role does not allow it."""

    @wraps(view)
    def led(*args: P.args, **kwargs: P.kwargs) -> ResponseReturnValue:
        if g.person.role != "lead":
            abort(403)
        return view(*args, **kwargs)

    guarded = login_required(led)
    guarded.access = "lead"  # type: ignore[attr-defined]
    return guarded
