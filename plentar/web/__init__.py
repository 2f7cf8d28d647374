"""The web application: `create_app(settings)` builds everything, so every test has its own."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

from flask import Flask, request, url_for
from flask_compress import Compress
from flask_talisman import Talisman
from flask_wtf.csrf import CSRFProtect
from markupsafe import Markup

from plentar.core.circuit.places import place_words
from plentar.core.judging.supply_loss import spoken_range
from plentar.core.limits.table import DEFAULT_LIMITS
from plentar.core.said import Said
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of, spot_of
from plentar.core.unit.points import part_words
from plentar.core.unit.quantities import QUANTITIES
from plentar.formats.numbers import thousands
from plentar.screen.drawings.ladder import Board, Label, Probe, Symbol, Wire, shown_value
from plentar.screen.figures import plus_minus
from plentar.store.database import make_engine, make_sessions
from plentar.web import access, assets, errors
from plentar.web.proxies import BehindProxies
from plentar.web.settings import Settings
from plentar.words import say

__all__ = ["create_app"]

CONTENT_SECURITY_POLICY = {
    "default-src": "'none'",
    "script-src": "'self'",
    "style-src": "'self'",
    "img-src": "'self' data:",
    "font-src": "'self'",
    "connect-src": "'self'",
    "form-action": "'self'",
    "base-uri": "'none'",
    "frame-ancestors": "'none'",
    "manifest-src": "'self'",
}
MAX_BODY_BYTES = 256 * 1024


class _Application(Flask):
    def log_exception(self, exc_info: object) -> None:
        """Leave it to the error handlers: they write one line a failure, without anybody's words in it."""


def create_app(settings: Settings) -> Flask:
    """Return the application for these settings."""
    app = _Application(__name__)
    app.config.update(
        SECRET_KEY=settings.secret_key,
        SESSION_COOKIE_NAME="plentar",
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        SESSION_COOKIE_SECURE=settings.secure_cookies,
        PERMANENT_SESSION_LIFETIME=timedelta(days=14),
        MAX_CONTENT_LENGTH=MAX_BODY_BYTES,
        MAX_FORM_PARTS=200,
        WTF_CSRF_TIME_LIMIT=None,
        COMPRESS_ALGORITHM=["br", "gzip"],
        COMPRESS_STREAMS=False,
        SEND_FILE_MAX_AGE_DEFAULT=timedelta(days=365),
    )
    app.jinja_options = {"trim_blocks": True, "lstrip_blocks": True}
    app.extensions["plentar.sessions"] = make_sessions(make_engine(settings.database_url, threads=settings.threads))
    if settings.keeps_tables:
        # With it comes the solver: only a process that answers calls needs it.
        from plentar.core.causes.shelf import use_shelf
        from plentar.web.unit_tables import KeptTables

        use_shelf(KeptTables(app.extensions["plentar.sessions"]))
    # Who is asking is known before the form's token is checked, so that a lapsed sign-in is told as one.
    access.register(app)
    CSRFProtect(app)
    Compress(app)
    Talisman(
        app,
        force_https=False,
        strict_transport_security=settings.secure_cookies,
        session_cookie_secure=settings.secure_cookies,
        content_security_policy=CONTENT_SECURITY_POLICY,
        permissions_policy={"camera": "(self)", "geolocation": "()", "microphone": "()"},
        referrer_policy="same-origin",
    )
    if settings.proxies:
        app.wsgi_app = BehindProxies(app.wsgi_app, settings.proxies)  # type: ignore[method-assign]
    errors.register(app)
    assets.register(app)

    from plentar.web import bench, call, checks, fix, health, parts, place, share, signin, start, timing, today, unit

    for area in (health, signin, today, start, place, call, unit, timing, bench, fix, parts, checks, share):
        app.register_blueprint(area.bp)
    # A reason becomes words where it is written down, whoever made it.
    app.jinja_env.finalize = lambda value: say(value) if isinstance(value, Said) else value
    app.jinja_env.filters["say"] = say
    app.jinja_env.filters["local"] = _local
    app.jinja_env.filters["iso"] = lambda at: datetime.fromtimestamp(at, UTC).isoformat()
    app.jinja_env.filters["spoken_place"] = _spoken_place
    app.jinja_env.filters["shown_value"] = shown_value
    app.jinja_env.filters["drawn"] = _drawn(app)
    app.jinja_env.globals["url_for"] = _known_urls()
    app.jinja_env.filters["drawn_probes"] = _drawn_probes(app)
    app.jinja_env.filters["merge"] = lambda one, other: {**one, **other}
    app.jinja_env.filters["thousands"] = thousands
    app.jinja_env.filters["spoken_range"] = spoken_range
    app.jinja_env.filters["reading"] = _reading
    app.jinja_env.filters["plus_minus"] = plus_minus
    app.jinja_env.globals["infinity"] = float("inf")
    app.jinja_env.globals["open_ohms"] = OPEN_OHMS
    return app


def _reading(value: float, unit: str) -> str:
    """Show a value as a meter does: one decimal, whole from a thousand on, OL for open."""
    if unit == "Ω" and value >= DEFAULT_LIMITS.number("open_ohms"):
        return "OL"
    return f"{value:.1f}" if value < 1000 else thousands(value)


def _known_urls() -> Callable[..., str]:
    """Return `url_for` for templates, each address built once: a call's page names some thirty of them."""

    @lru_cache(maxsize=2048)
    def built(root: str, endpoint: str, values: tuple[tuple[str, object], ...]) -> str:
        del root
        return url_for(endpoint, **dict(values))  # type: ignore[arg-type]

    def known_url(endpoint: str, **values: object) -> str:
        return built(request.script_root, endpoint, tuple(values.items()))

    return known_url


def _drawn(app: Flask) -> Callable[[Board], tuple[Markup, Markup]]:
    """Return a filter from a board to its lines and its names, written once while nothing of them changes."""

    # A board's lines and names are some forty kilobytes: two megabytes at the most.
    @lru_cache(maxsize=48)
    def written(
        wires: tuple[Wire, ...], symbols: tuple[Symbol, ...], labels: tuple[Label, ...], width: float, control_y: float
    ) -> tuple[Markup, Markup]:
        macros = app.jinja_env.get_template("macros/ladder.html").module
        board = Board(wires=list(wires), symbols=list(symbols), labels=list(labels), width=width, control_y=control_y)
        return macros.lines(board), macros.names(board)  # type: ignore[attr-defined]

    return lambda board: written(
        tuple(board.wires), tuple(board.symbols), tuple(board.labels), board.width, board.control_y
    )


def _drawn_probes(app: Flask) -> Callable[[tuple[tuple[Probe, str], ...]], Markup]:
    """Return a filter from a board's probes to their links, written once while nothing of them changes."""

    @lru_cache(maxsize=48)
    def written(links: tuple[tuple[Probe, str], ...]) -> Markup:
        found: Markup = app.jinja_env.get_template("macros/ladder.html").module.probes(links)  # type: ignore[attr-defined]
        return found

    return written


def _spoken_place(name: str, plate: Nameplate | None = None) -> str:
    """Show a part's, terminal's or point's id as words; by the unit's plate where there is one."""
    if not name:
        return ""
    if plate is not None and ":" not in name:
        return say(place_words(plate, name))
    spot = spot_of(name) if ":" in name else None
    places = [place_of(place) for place in (spot.places if spot is not None else (name,))]
    words = [f"{part_words(p.owner)} {p.part} {p.end}".replace("-", " ").strip() for p in places]
    what = f"{say(QUANTITIES[spot.function].dial)}, " if spot is not None and spot.function in QUANTITIES else ""
    return what + " to ".join(words)


def _local(moment: object, zone: str, form: str = "%H:%M") -> str:
    """Show a UTC moment on the shop's own clock."""
    if isinstance(moment, float):
        moment = datetime.fromtimestamp(moment, UTC)
    return moment.astimezone(ZoneInfo(zone)).strftime(form)  # type: ignore[attr-defined, no-any-return]
