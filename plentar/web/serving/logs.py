"""One line of JSON a message, and of a failure what is needed to find it: no words of people, no SQL, no parameters."""

import json
import logging
import sys
import traceback
from datetime import UTC, datetime

from flask import g, request

__all__ = ["log_as_lines", "log_failure"]

log = logging.getLogger("plentar.failures")
# These write the statement, its parameters or a page of traceback for what is told once already.
CHATTY = ("sqlalchemy", "psycopg", "weasyprint", "fontTools", "PIL")
MOST_FRAMES = 12


class _Line(logging.Formatter):
    def format(self, record: logging.LogRecord) -> str:
        line = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "from": record.name,
            "says": record.getMessage()[:500],
        }
        return json.dumps(line | getattr(record, "facts", {}), ensure_ascii=False)


def log_as_lines() -> None:
    """Write everything logged to standard error, a line of JSON each."""
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(_Line())
    logging.basicConfig(level=logging.WARNING, handlers=[handler], force=True)
    for name in CHATTY:
        logging.getLogger(name).setLevel(logging.CRITICAL + 1)


def log_failure(error: BaseException, code: int) -> None:
    """Note a request that failed: its id, its route, the kind of error and where it arose, once a request."""
    if g.get("failure_is_logged"):
        return
    g.failure_is_logged = True
    frames = traceback.extract_tb(error.__traceback__)[-MOST_FRAMES:]
    facts = {
        "request": g.get("request_id", ""),
        "method": request.method,
        "route": str(request.url_rule or "no route"),
        "status": code,
        "kind": f"{type(error).__module__}.{type(error).__qualname__}",
        "where": [f"{_short(frame.filename)}:{frame.lineno} {frame.name}" for frame in frames],
    }
    log.error("request failed", extra={"facts": facts})


def _short(path: str) -> str:
    for mark in ("/site-packages/", "/plentar/"):
        if mark in path:
            return path.rpartition(mark)[2] if mark == "/site-packages/" else "plentar/" + path.rpartition(mark)[2]
    return path.rpartition("/")[2]
