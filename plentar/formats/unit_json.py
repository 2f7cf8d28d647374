"""A unit's nameplate as JSON, both ways, with the path of the field that is wrong.

The core's frozen values are the schema: pydantic reads their annotations, so nothing is described twice.
"""

import json
from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any

from pydantic import TypeAdapter, ValidationError

from plentar.core.errors import NameplateError
from plentar.core.unit.nameplate import Nameplate

__all__ = [
    "UNIT_FORMAT",
    "field_path",
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
        raise _as_nameplate_error(error) from error


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


def _as_nameplate_error(error: ValidationError) -> NameplateError:
    first = error.errors()[0]
    path = field_path(first["loc"])
    cause = first.get("ctx", {}).get("error")
    if isinstance(cause, NameplateError):
        return NameplateError(cause.message, field=".".join(part for part in (path, cause.field) if part))
    return NameplateError(f"{first['msg'].lower()}, got {first['input']!r:.80}", field=path)


def field_path(location: Sequence[int | str]) -> str:
    """Return a validation error's place as a path: `circuits[0].order`."""
    path = ""
    for step in location:
        path += f"[{step}]" if isinstance(step, int) else f".{step}" if path else str(step)
    return path
