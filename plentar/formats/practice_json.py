"""A practice run's acts as they are kept, and back."""

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from plentar.core.errors import ReadingError
from plentar.core.practice.attempt import Act, Dare, Did, Finish, HintAsked, Listen, Read, Swap, Wait
from plentar.formats.events_json import action_from_json, action_to_json

__all__ = ["act_from_json", "act_to_json"]

_PLAIN: Mapping[str, type[Read | Wait | Swap | Listen | HintAsked | Dare | Finish]] = {
    kind.kind: kind for kind in (Read, Wait, Swap, Listen, HintAsked, Dare, Finish)
}


def act_to_json(act: Act) -> dict[str, Any]:
    """Return an act as it is kept."""
    if isinstance(act, Did):
        action = act.action
        sent = {name: value for name, value in action_to_json(action).items() if name not in action.derived}
        return {"kind": act.kind, "deed": action.kind, "payload": sent, "stands_aside": act.stands_aside}
    return {"kind": act.kind, **asdict(act)}


def act_from_json(kept: Mapping[str, Any]) -> Act:
    """Return a kept act.

    Raises:
        ReadingError: It is none.
    Example:
        >>> act_from_json({"kind": "wait", "seconds": 60.0})
        Wait(seconds=60.0)
    """
    fields = {name: value for name, value in kept.items() if name != "kind"}
    kind = str(kept.get("kind", ""))
    if kind == Did.kind:
        action = action_from_json(fields["deed"], fields["payload"])
        return Did(action=action, stands_aside=bool(fields.get("stands_aside")))
    if kind not in _PLAIN:
        raise ReadingError(f"there is no act {kind!r}", field="kind")
    return _PLAIN[kind](**fields)
