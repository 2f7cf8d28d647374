"""A unit's nameplate as JSON, both ways, with the path of the field that is wrong.

The core's frozen values are the schema: pydantic reads their annotations, so nothing is described twice.
"""

import json
from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any, NamedTuple

from pydantic import TypeAdapter, ValidationError

from plentar.core.errors import NameplateError, PlentarError
from plentar.core.unit.nameplate import Nameplate

__all__ = [
    "UNIT_FORMAT",
    "first_problem",
    "kept_nameplate",
    "nameplate_from_json",
    "nameplate_schema",
    "nameplate_to_json",
]

UNIT_FORMAT = "plentar.unit/1"
_ADAPTER = TypeAdapter(Nameplate)


def nameplate_to_json(plate: Nameplate) -> dict[str, Any]:
    """Return the plate as JSON-ready values, with the format's name first; what is unknown is left out."""
    return {"format": UNIT_FORMAT, **_ADAPTER.dump_python(plate, mode="json", exclude_none=True)}


def nameplate_from_json(document: object) -> Nameplate:
    """Return the plate a JSON document describes.

    Raises:
        NameplateError: Something is missing, unknown or cannot be a circuit; `field` is its path.
    """
    if not isinstance(document, dict):
        raise NameplateError(f"expected a JSON object, got {type(document).__name__}", field="unit")
    if document.get("format") != UNIT_FORMAT:
        raise NameplateError(f"expected {UNIT_FORMAT!r}, got {document.get('format')!r}", field="format")
    body = {name: value for name, value in document.items() if name not in ("format", "note")}
    try:
        return _ADAPTER.validate_python(body)
    except ValidationError as error:
        raise _as_nameplate_error(first_problem(error)) from error


def kept_nameplate(document: Mapping[str, Any]) -> Nameplate:
    """Return the plate of a stored document; the same document gives the same object, checked once."""
    return _checked(json.dumps(document, sort_keys=True))


@lru_cache(maxsize=256)
def _checked(text: str) -> Nameplate:
    return nameplate_from_json(json.loads(text))


def nameplate_schema() -> dict[str, Any]:
    """Return the JSON Schema of a unit file."""
    schema = _ADAPTER.json_schema()
    schema["properties"] = {
        "format": {"const": UNIT_FORMAT},
        "note": {"type": "string"},
        **schema["properties"],
    }
    schema["required"] = ["format", *schema["required"]]
    return schema


class FoundProblem(NamedTuple):
    """What pydantic found wrong first: where, in its words with the value, and the core's error where it was one."""

    path: str
    words: str
    cause: PlentarError | None


def first_problem(error: ValidationError) -> FoundProblem:
    """Return the first thing pydantic found wrong, and let go of what its error holds.

    It keeps the errors that were raised inside where Python's collector cannot look. With their tracebacks they would
    hold the frames of the request, and the whole call with them, for as long as the process lives.
    """
    problems = error.errors()
    for problem in problems:
        inner = problem.get("ctx", {}).get("error")
        if isinstance(inner, BaseException):
            inner.__traceback__ = inner.__cause__ = inner.__context__ = None
    first = problems[0]
    cause = first.get("ctx", {}).get("error")
    return FoundProblem(
        path=field_path(first["loc"]),
        words=f"{first['msg'].lower()}, got {first['input']!r:.60}",
        cause=cause if isinstance(cause, PlentarError) else None,
    )


def _as_nameplate_error(found: FoundProblem) -> NameplateError:
    if isinstance(found.cause, NameplateError):
        path = ".".join(part for part in (found.path, found.cause.field) if part)
        return NameplateError(found.cause.message, field=path)
    return NameplateError(found.words, field=found.path)


def field_path(location: Sequence[int | str]) -> str:
    """Return a validation error's place as a path: `circuits[0].order`."""
    path = ""
    for step in location:
        path += f"[{step}]" if isinstance(step, int) else f".{step}" if path else str(step)
    return path
