"""Static files by a name that changes with their content, so that browsers may keep them for a year."""

import hashlib
from functools import lru_cache
from pathlib import Path

from flask import Flask, url_for

__all__ = ["build_of", "register"]


def register(app: Flask) -> None:
    """Add `asset(path)` to the templates."""
    folder = Path(str(app.static_folder))

    @lru_cache(maxsize=64)
    def digest(path: str) -> str:
        return hashlib.sha256((folder / path).read_bytes()).hexdigest()[:10]

    def asset(path: str) -> str:
        return url_for("static", filename=path, v=digest(path))

    app.jinja_env.globals["asset"] = asset
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
