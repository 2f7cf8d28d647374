"""What the call screen's plain forms mean as actions: the same ones that are sent as a list of events."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any
from uuid import UUID, uuid5

from plentar.core.errors import ReadingError
from plentar.core.evidence.lockout import dead_pairs
from plentar.core.limits.moments import MOST_CLOCK_SECONDS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import GROUND, point_at, volts_at
from plentar.core.work.safety import CONTROL_POINT, dead_groups, ends_to_touch
from plentar.formats.numbers import parse_number
from plentar.web.call_layout.writing import Draft

__all__ = ["drafts_of_json", "safe_drafts"]

MOST_EVENTS = 200


def _volts(typed: str, field: str) -> float:
    try:
        return parse_number(typed, "volts")
    except ReadingError as error:
        raise ReadingError(error.message, field=field) from error


def safe_drafts(plate: Nameplate, form: Mapping[str, str]) -> list[Draft]:
    """Return what one line of the Safe list sends.

    Raises:
        ReadingError: A number that is none; `field` names the line's input.
    """
    line, about = form.get("line", ""), form.get("about", "")
    made = form.get("event_id", "")
    try:
        first = UUID(made)
    except ValueError as error:
        raise ReadingError("this form has expired. Press the button again", field="kind") from error
    mode = "low impedance" if form.get("mode") else ""
    if line == "off":
        payload: dict[str, Any] = {"what": about, "state": "off", "device": form.get("device", "")}
        return [Draft(id=first, kind="switch", payload=payload)]
    if line == "lock":
        payload = {
            "feed": about,
            "is_on": form.get("is_on") == "yes",
            "how": form.get("how", "lock"),
            "owner": form.get("owner", ""),
            "reached": form.get("reached", ""),
        }
        return [Draft(id=first, kind="lock", payload=payload)]
    if line == "meter":
        payload = {"volts": _volts(form.get("volts", ""), point_at("volts", about)), "mode": mode}
        return [Draft(id=first, kind="meter-proven", payload=payload)]
    if line == "readings" and about:
        return _highest_drafts(plate, about, form.get("highest", "").strip(), first, mode)
    if line == "readings":
        return _pair_drafts(plate, form, first, mode)
    if line in ("tick", "frame"):
        is_done = form.get("is_done", "yes") == "yes"
        payload = {"line": about, "is_done": is_done}
        if is_done and form.get("volts", "").strip():
            payload["volts"] = _volts(form["volts"], point_at("volts", about))
        return [Draft(id=first, kind="tick", payload=payload)]
    raise ReadingError("this line is not on the list", field="kind")


def _highest_drafts(plate: Nameplate, about: str, typed: str, first: UUID, mode: str) -> list[Draft]:
    """Return a reading for each pair that one number speaks for, the highest among them.

    Source:
        docs/trade.md, section 10, highest of the pairs.
    """
    group = next((group for group in dead_groups(plate) if group.about == about), None)
    points = group.points if group is not None else tuple(volts_at(end, GROUND) for end in ends_to_touch(plate, about))
    if not points:
        raise ReadingError("this unit has no such point", field="readings")
    _volts(typed, f"highest:{about}")
    is_one = len(points) == 1
    return [
        Draft(
            id=uuid5(first, point),
            kind="reading",
            payload={"point": point, "typed": typed, "mode": mode, **({} if is_one else {"is_at_most": True})},
        )
        for point in points
    ]


def _pair_drafts(plate: Nameplate, form: Mapping[str, str], first: UUID, mode: str) -> list[Draft]:
    """Return a reading for each pair that was filled in; each keeps its id when the form is sent again."""
    drafts = []
    for point in (*(point for point, _ in dead_pairs(plate)), CONTROL_POINT):
        typed = form.get(f"pair:{point}", "").strip()
        if typed:
            _volts(typed, f"pair:{point}")
            payload = {"point": point, "typed": typed, "mode": mode}
            drafts.append(Draft(id=uuid5(first, point), kind="reading", payload=payload))
    if not drafts:
        raise ReadingError("enter what the meter shows for each pair", field="readings")
    return drafts


def drafts_of_json(document: object, moment: datetime) -> list[Draft]:
    """Return the drafts of a list of events as JSON: `{"events": [{id, kind, payload, done_at, clock_seconds}]}`.

    Raises:
        ReadingError: It is no such list; `field` says where.
    """
    listed = document.get("events") if isinstance(document, dict) else None
    if not isinstance(listed, list) or not listed:
        raise ReadingError("expected a list of events", field="events")
    if len(listed) > MOST_EVENTS:
        raise ReadingError(f"expected at most {MOST_EVENTS} events at once, got {len(listed)}", field="events")
    return [_draft(entry, f"events[{index}]", moment) for index, entry in enumerate(listed)]


def _draft(entry: object, path: str, moment: datetime) -> Draft:
    if not isinstance(entry, dict):
        raise ReadingError("expected an object", field=path)
    try:
        event_id = UUID(str(entry.get("id", "")))
    except ValueError as error:
        raise ReadingError("expected a UUID made by the sender", field=f"{path}.id") from error
    kind, payload = entry.get("kind"), entry.get("payload", {})
    if not isinstance(kind, str) or not isinstance(payload, dict):
        raise ReadingError("expected a kind and a payload", field=f"{path}.kind")
    done_at = None
    if entry.get("done_at") is not None:
        try:
            done_at = datetime.fromisoformat(str(entry["done_at"]))
        except ValueError as error:
            raise ReadingError("expected a moment as ISO 8601 with its offset", field=f"{path}.done_at") from error
        if done_at.tzinfo is None:
            raise ReadingError("expected a moment with its offset from UTC", field=f"{path}.done_at")
    clock = entry.get("clock_seconds", 0.0)
    if isinstance(clock, bool) or not isinstance(clock, int | float) or not 0 <= clock < MOST_CLOCK_SECONDS:
        raise ReadingError("expected seconds of zero or more", field=f"{path}.clock_seconds")
    return Draft(id=event_id, kind=kind, payload=payload, done_at=done_at, clock_seconds=float(clock))
