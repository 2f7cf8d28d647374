"""Static files by a name that changes with their content, so that browsers may keep them for a year."""

import hashlib
from functools import lru_cache
from pathlib import Path

from flask import Flask, Response, request, url_for

__all__ = ["build_of", "register"]

PACKED = ("text/css", "text/javascript")


def register(app: Flask) -> None:
    """Add `asset(path)` to the templates."""
    folder = Path(str(app.static_folder))

    @lru_cache(maxsize=64)
    def digest(path: str) -> str:
        return hashlib.sha256((folder / path).read_bytes()).hexdigest()[:10]

    def asset(path: str) -> str:
        return url_for("static", filename=path, v=digest(path))

    app.jinja_env.globals["asset"] = asset

    @app.after_request
    def packed(response: Response) -> Response:
        # A file that is passed through is not packed on its way; what a page needs is small, and kept for a year.
        if request.endpoint == "static" and response.mimetype in PACKED and response.status_code == 200:
            response.direct_passthrough = False
            response.get_data()
        return response

    whole = hashlib.sha256()
    for file in sorted(folder.rglob("*")):
        if file.is_file():
            whole.update(file.relative_to(folder).as_posix().encode() + file.read_bytes())
    app.extensions["plentar.build"] = whole.hexdigest()[:12]
    app.jinja_env.globals["build"] = app.extensions["plentar.build"]


def build_of(app: Flask) -> str:
    """Return the name of this build of the application: another one's pages are told apart by it."""
    name: str = app.extensions["plentar.build"]
    return name
