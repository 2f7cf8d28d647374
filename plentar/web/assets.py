"""Static files by a name that changes with their content, so that browsers may keep them for a year."""

import hashlib
from functools import lru_cache
from pathlib import Path

from flask import Flask, url_for

__all__ = ["register"]


def register(app: Flask) -> None:
    """Add `asset(path)` to the templates."""
    folder = Path(str(app.static_folder))

    @lru_cache(maxsize=64)
    def digest(path: str) -> str:
        return hashlib.sha256((folder / path).read_bytes()).hexdigest()[:10]

    def asset(path: str) -> str:
        return url_for("static", filename=path, v=digest(path))

    app.jinja_env.globals["asset"] = asset
