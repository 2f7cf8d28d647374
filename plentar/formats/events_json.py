"""Events as JSON, both ways: the core's frozen actions are the schema, one kind each."""

from functools import lru_cache
from typing import Any

from pydantic import TypeAdapter, ValidationError

from plentar.core.errors import ReadingError
from plentar.core.evidence.events import ACTIONS, Action
from plentar.formats.unit_json import first_problem

__all__ = ["action_from_json", "action_schema", "action_to_json", "sent_part"]

# What the application alone records.
OWN_KINDS = frozenset(kind for kind, action in ACTIONS.items() if action.is_own)


@lru_cache(maxsize=64)
def _adapter(kind: str) -> TypeAdapter[Any]:
    action = ACTIONS.get(kind)
    if action is None:
        raise ReadingError(f"expected one of {', '.join(sorted(set(ACTIONS) - OWN_KINDS))}", field="kind")
    return TypeAdapter(action)


def action_to_json(action: Action) -> dict[str, Any]:
    """Return an action as JSON-ready values."""
    found: dict[str, Any] = _adapter(action.kind).dump_python(action, mode="json")
    return found


def action_from_json(kind: str, document: object, *, is_kept: bool = False) -> Action:
    """Return the action a JSON document describes.

    Args:
        kind: The kind of action.
        document: Its fields.
        is_kept: It comes from the store: fields worked out when it was taken in are in it.
    Raises:
        ReadingError: No such kind, a field missing, unknown or wrong; `field` names it.
    """
    if not isinstance(document, dict):
        raise ReadingError("expected an object with the fields of that action", field="payload")
    adapter = _adapter(kind)
    action_type = ACTIONS[kind]
    if not is_kept:
        if kind in OWN_KINDS:
            raise ReadingError("only the application records that", field="kind")
        known = set(action_type.__dataclass_fields__) - set(action_type.derived)
        for name in document:
            if name not in known:
                raise ReadingError(
                    f"expected one of {', '.join(sorted(known))}, got {str(name)[:40]!r}", field=str(name)
                )
    try:
        action: Action = adapter.validate_python(document)
    except ValidationError as error:
        found = first_problem(error)
        if found.cause is not None:
            raise ReadingError(found.cause.message, field=found.cause.field or found.path) from error
        raise ReadingError(found.words, field=found.path or "payload") from error
    return action


def sent_part(action: Action) -> dict[str, Any]:
    """Return what the sender gave of an action, as values: the same action sent again gives the same."""
    document = action_to_json(action)
    sent = {name: value for name, value in document.items() if name not in action.derived}
    # An empty meter means the call's own, which is filled in when it is kept.
    return {name: value.strip() if isinstance(value, str) else value for name, value in sent.items() if name != "meter"}


def action_schema() -> dict[str, Any]:
    """Return the JSON Schema of what may be sent, one definition a kind."""
    kinds = {}
    for kind in sorted(set(ACTIONS) - OWN_KINDS):
        schema = _adapter(kind).json_schema()
        for name in ACTIONS[kind].derived:
            schema["properties"].pop(name, None)
        kinds[kind] = schema
    return {"format": "plentar.events/1", "kinds": kinds}
