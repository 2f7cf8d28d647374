"""Addresses of this application: the only ones a form may send somebody on to."""

from urllib.parse import parse_qsl, unquote, urlencode, urlsplit

from flask import current_app, request, url_for
from werkzeug.exceptions import HTTPException

__all__ = ["origin", "own_path", "whole_url"]


def own_path(wanted: str | None) -> str | None:
    """Return an address that leads to a page of this application, built anew from the route table; None for any other.

    Nothing of what was sent goes through but the route's own arguments and the query, both encoded again.
    """
    try:
        parts = urlsplit(wanted or "")
        endpoint, arguments = current_app.url_map.bind("localhost").match(unquote(parts.path), method="GET")
    except (HTTPException, ValueError):
        return None
    if parts.scheme or parts.netloc or not parts.path.startswith("/") or endpoint == "static":
        return None
    query = urlencode(parse_qsl(parts.query, keep_blank_values=True))
    path = url_for(endpoint, **arguments)
    return f"{path}?{query}" if query else path


def origin() -> str:
    """Return the one address people open: the configured one, else where this request came to; no slash at its end."""
    configured: str = current_app.config["PLENTAR_ORIGIN"]
    return configured or request.host_url.rstrip("/")


def whole_url(path: str) -> str:
    """Return a path of this application as somebody elsewhere opens it: on paper, in a calendar, in a message."""
    return origin() + path
