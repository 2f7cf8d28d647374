"""A call's running condition as it is kept: which feeds and calls are on, and the moment each was switched.

The core knows seconds; the store and the page know moments. This is where one becomes the other.
"""

from datetime import datetime
from typing import Any, get_args

from plentar.core.errors import ReadingError
from plentar.core.nameplate import Nameplate
from plentar.core.readings import Condition, ControlState, FeedState

__all__ = ["condition_at", "condition_from_json", "condition_to_json", "fresh_stamp", "reconcile", "switch"]

FEED_STATES: tuple[str, ...] = get_args(FeedState)
CONTROL_STATES: tuple[str, ...] = get_args(ControlState)


def fresh_stamp(plate: Nameplate, now: datetime) -> dict[str, Any]:
    """Return the condition a call opens with: everything live, nothing called."""
    return {
        "feeds": {feed.id: "live" for feed in plate.feeds},
        "control": "from unit",
        "calls": {},
        "bypassed": False,
        "live_since": now.isoformat(),
        "changed_at": now.isoformat(),
    }


def switch(stamp: dict[str, Any], plate: Nameplate, what: str, state: str, now: datetime) -> dict[str, Any]:
    """Return the stamp after one switch: a feed's id, `control` or a call's name, set to a new state.

    Setting what is already so leaves the clock running.

    Raises:
        ReadingError: The unit has no such feed or call, or the state is not one of its states.
    """
    feeds, calls = dict(stamp["feeds"]), dict(stamp["calls"])
    control, bypassed = stamp["control"], stamp.get("bypassed", False)
    live_since = stamp.get("live_since", stamp["changed_at"])
    if what in {feed.id for feed in plate.feeds} and state in FEED_STATES:
        feeds[what] = state
        if state == "live" and control == "proven dead":
            # With a feed back on the transformer feeds the control side again.
            control = "from unit"
    elif what == "control" and state in CONTROL_STATES:
        control = state
    elif what == "thermostat" and state in ("on", "bypassed"):
        # Taking the conductors off ends every call; each is made again by its own jumper.
        bypassed, calls = state == "bypassed", {}
    elif what in plate.calls and state in ("on", "off"):
        if state == "on":
            calls.setdefault(what, now.isoformat())
        else:
            calls.pop(what, None)
    else:
        raise ReadingError(f"cannot switch {what!r} to {state!r} on this unit", field=what)
    if state in ("live", "from unit", "separate source") and (feeds, control) != (stamp["feeds"], stamp["control"]):
        # A heater that just got its supply back starts warming now, however long the thermostat has been calling.
        calls = dict.fromkeys(calls, now.isoformat())
        if state != "separate source":
            live_since = now.isoformat()
    changed = {
        "feeds": feeds,
        "control": control,
        "calls": calls,
        "bypassed": bypassed,
        "live_since": live_since,
        "changed_at": stamp["changed_at"],
    }
    return changed if changed == stamp else {**changed, "changed_at": now.isoformat()}


def reconcile(stamp: dict[str, Any], plate: Nameplate, now: datetime) -> dict[str, Any]:
    """Return the stamp after the unit's plate was changed: feeds and calls it has now, new feeds taken as live.

    What was proven dead is no longer, once there is a feed nobody has proven.
    """
    known = {feed.id for feed in plate.feeds}
    feeds = {name: state for name, state in stamp["feeds"].items() if name in known}
    new = known - feeds.keys()
    calls = {name: at for name, at in stamp["calls"].items() if name in plate.calls}
    changed = {**stamp, "feeds": {feed.id: feeds.get(feed.id, "live") for feed in plate.feeds}, "calls": calls}
    if new and stamp["control"] == "proven dead":
        changed["control"] = "from unit"
    if changed == stamp:
        return stamp
    return {**changed, "changed_at": now.isoformat(), **({"live_since": now.isoformat()} if new else {})}


def condition_at(stamp: dict[str, Any], moment: datetime) -> Condition:
    """Return the condition the stamp means at a moment."""

    def since(text: str) -> float:
        return max(0.0, (moment - datetime.fromisoformat(text)).total_seconds())

    return Condition(
        feeds=tuple(stamp["feeds"].items()),
        control=stamp["control"],
        calls=tuple((call, since(at)) for call, at in stamp["calls"].items()),
        seconds_since_change=since(stamp["changed_at"]),
        bypassed=stamp.get("bypassed", False),
    )


def condition_to_json(condition: Condition) -> dict[str, Any]:
    """Return a reading's condition as JSON-ready values."""
    return {
        "feeds": dict(condition.feeds),
        "control": condition.control,
        "calls": dict(condition.calls),
        "seconds_since_change": condition.seconds_since_change,
        "bypassed": condition.bypassed,
    }


def condition_from_json(document: dict[str, Any]) -> Condition:
    """Return the condition a kept reading was taken under."""
    return Condition(
        feeds=tuple(document["feeds"].items()),
        control=document["control"],
        calls=tuple(document["calls"].items()),
        seconds_since_change=document["seconds_since_change"],
        bypassed=document.get("bypassed", False),
    )
