"""The web application: `create_app(settings)` builds everything, so every test has its own."""

from collections.abc import Callable
from datetime import timedelta
from functools import lru_cache
from pathlib import Path
from urllib.parse import urlsplit

from flask import Flask, request, url_for
from flask_compress import Compress
from flask_talisman import Talisman
from jinja2 import ChoiceLoader, FileSystemLoader

from plentar.screen.fragments import LOADER, OPTIONS, furnish
from plentar.store.database import make_engine, make_sessions
from plentar.store.locking import GATE, make_gate
from plentar.web.audit import in_words
from plentar.web.offline import submissions
from plentar.web.serving import access, assets, errors
from plentar.web.serving.proxies import BehindProxies
from plentar.web.serving.settings import Settings

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
# Probes, and people at the server itself.
LOOPBACK_HOSTS = ("localhost", "127.0.0.1")


class _Application(Flask):
    def log_exception(self, exc_info: object) -> None:
        """Leave it to the error handlers: they write one line a failure, without anybody's words in it."""


def create_app(settings: Settings) -> Flask:
    """Return the application for these settings."""
    app = _Application(__name__)
    app.config.update(
        SECRET_KEY=settings.secret_key,
        SECRET_KEY_FALLBACKS=[settings.old_secret_key] if settings.old_secret_key else [],
        PLENTAR_ORIGIN=settings.origin,
        PLENTAR_DATABASE_URL=settings.database_url,
        SESSION_COOKIE_NAME="plentar",
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        SESSION_COOKIE_SECURE=settings.secure_cookies,
        PERMANENT_SESSION_LIFETIME=timedelta(days=14),
        # A whole page makes the cookie last anew (access.py). What a page asks by itself must not: an answer that
        # comes late would put back the cookie of somebody who has signed out since, over the one of who came in after.
        SESSION_REFRESH_EACH_REQUEST=False,
        MAX_CONTENT_LENGTH=MAX_BODY_BYTES,
        # A plate of six strips on three feeds has some two hundred and fifty inputs.
        MAX_FORM_PARTS=600,
        WTF_CSRF_TIME_LIMIT=None,
        COMPRESS_ALGORITHM=["br", "gzip"],
        COMPRESS_STREAMS=False,
        SEND_FILE_MAX_AGE_DEFAULT=timedelta(days=365),
    )
    app.jinja_options = dict(OPTIONS)
    app.extensions["plentar.sessions"] = make_sessions(
        make_engine(settings.database_url, threads=settings.threads),
        settings.time_outs,
        {GATE: make_gate(settings.threads)},
    )
    if settings.keeps_tables:
        # With it comes the solver: only a process that answers calls needs it.
        from plentar.core.causes.table_store import use_table_store
        from plentar.web.call_layout.unit_tables import KeptTables

        use_table_store(KeptTables(app.extensions["plentar.sessions"]))
    # Who is asking is known before the form's token is checked, so that a lapsed sign-in is told as one.
    access.register(app)
    submissions.register(app)
    Compress(app)
    Talisman(
        app,
        force_https=False,
        strict_transport_security=settings.secure_cookies,
        strict_transport_security_include_subdomains=settings.subdomains_too,
        session_cookie_secure=settings.secure_cookies,
        content_security_policy=CONTENT_SECURITY_POLICY,
        permissions_policy={"camera": "(self)", "geolocation": "()", "microphone": "()"},
        referrer_policy="same-origin",
    )
    # A page made under another name would send people there: its links, its one-time links, its passkeys.
    own = urlsplit(settings.origin).hostname
    app.config["PLENTAR_HOSTS"] = [*([own] if own else ()), *LOOPBACK_HOSTS]
    if settings.proxies:
        app.wsgi_app = BehindProxies(app.wsgi_app, settings.proxies)  # type: ignore[method-assign]
    errors.register(app)
    assets.register(app)

    from plentar.web import (
        bench,
        call,
        checks,
        feed,
        find,
        fix,
        parts,
        past,
        phone,
        place,
        plan,
        practice,
        rounds,
        share,
        shop,
        signin,
        start,
        timing,
        today,
        unit,
    )
    from plentar.web.serving import health

    for area in (
        health,
        signin,
        today,
        start,
        place,
        call,
        unit,
        timing,
        bench,
        fix,
        parts,
        checks,
        feed,
        share,
        phone,
        shop,
        plan,
        past,
        rounds,
        find,
        practice,
    ):
        app.register_blueprint(area.bp)
    app.jinja_loader = ChoiceLoader([FileSystemLoader(Path(app.root_path) / "templates"), LOADER])
    furnish(app.jinja_env)
    app.jinja_env.globals["url_for"] = _known_urls()
    app.jinja_env.globals["in_words"] = in_words
    return app


def _known_urls() -> Callable[..., str]:
    """Return `url_for` for templates, each address built once: a call's page names some thirty of them."""

    @lru_cache(maxsize=2048)
    def built(root: str, endpoint: str, values: tuple[tuple[str, object], ...]) -> str:
        del root
        return url_for(endpoint, **dict(values))  # type: ignore[arg-type]

    def known_url(endpoint: str, **values: object) -> str:
        return built(request.script_root, endpoint, tuple(values.items()))

    return known_url
