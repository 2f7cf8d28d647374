"""Two questions of whoever runs the servers: is this process alive, and can it answer people?"""

from flask import Blueprint, current_app
from flask.typing import ResponseReturnValue
from sqlalchemy.exc import SQLAlchemyError

from plentar.store.database import SchemaError, check_tables

__all__ = ["bp"]

bp = Blueprint("health", __name__)


@bp.get("/healthz")
def alive() -> ResponseReturnValue:
    """Answer as long as the process does; nothing else is asked."""
    return {"alive": True}, 200, {"Cache-Control": "no-store"}


@bp.get("/readyz")
def ready() -> ResponseReturnValue:
    """Tell whether the database answers and its tables are this program's."""
    headers = {"Cache-Control": "no-store"}
    try:
        with current_app.extensions["plentar.sessions"]() as db:
            found = check_tables(db.connection())
    except SchemaError as error:
        return {"database": "answers", "schema": str(error)}, 503, headers
    except SQLAlchemyError:
        return {"database": "does not answer"}, 503, {**headers, "Retry-After": "5"}
    return {"database": "answers", "schema": found}, 200, headers
