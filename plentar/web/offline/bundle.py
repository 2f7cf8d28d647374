"""A call as a phone takes it along: every panel of it drawn ahead, and how it would look after what may be done on it.

Each piece is drawn by the application's own templates from a visit that supposes something was done. The phone only
picks the piece that fits; what it may call dead by itself is a short list of what must be on it, no rule of its own.
"""

import re
from base64 import b64encode
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import lru_cache
from itertools import combinations
from typing import Any
from uuid import UUID

from flask import g, render_template

from plentar.core.causes.catalogue import catalogue
from plentar.core.circuit.places import find_point, nearby_points, ohms_parts
from plentar.core.evidence.events import (
    Action,
    Locked,
    Measured,
    MeterProven,
    PowerBack,
    Switched,
    Tapped,
    Ticked,
)
from plentar.core.evidence.lockout import dead_pairs, safe_ticks
from plentar.core.evidence.metrology import Meter
from plentar.core.judging.timing import stages_of
from plentar.core.limits.voltages import FRAME_SHARE, FRAME_VOLTS, LIVE_SOURCE_VOLTS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import GROUND, ohms_at, volts_at
from plentar.core.visit import Visit
from plentar.core.work.safety import CONTROL_POINT
from plentar.screen.call import View
from plentar.screen.fragments import as_a_meter
from plentar.store import events
from plentar.store.models import Call, Unit
from plentar.web.call_layout.layout import context_of, room_of, steps
from plentar.web.call_layout.visits import meter_of, read_visit, supposing
from plentar.words import render

__all__ = ["PATTERN_WORDS", "bundle_of", "dead_list", "fresh_of", "version_of"]

PATTERN_WORDS = {
    "two-strip-sequencer": "2 strips, one sequencer, relay interlock",
    "one-strip-dpdt": "1 strip, one sequencer, two-pole blower relay",
    "two-strip-ac-relay": "2 strips, AC heat relays",
    "three-strip-dc-relay": "3 strips, DC heat relays with boards, two feeds",
    "three-strip-ecm": "3 strips, ECM blower on 24 V taps",
    "wye-contactor": "2 strips, contactor in both legs, 208 V of a wye",
    "four-strip-chained": "4 strips, chained sequencers, fan pole, two feeds",
    "three-strip-fan-pole": "3 strips, one sequencer with a fan pole, two feeds",
    "four-strip-staged": "4 strips, W and W2 staged",
    "six-strip-chained": "6 strips, chained sequencers, three feeds",
}
PANELS = ("complaint", "nameplate", "safe", "look", "air", "accept", "hand-over")
SMALL_PHOTO = re.compile(r"/calls/[0-9a-f-]{36}/photos/([0-9a-f-]{36})\.jpg\?small=1")
# Every set of this many calls is drawn; of more, none, each alone, each two, and all.
MOST_CALLS = 4
# Suspects beyond these are a few percent.
MOST_SUSPECTS = 4


def fresh_of(units: Sequence[Unit]) -> list[dict[str, str]]:
    """Return what a call can be begun on without signal: each unit taken along, and a new one by its wiring."""
    known = {unit.id: unit for unit in units if unit.removed_at is None}
    listed = [
        {
            "key": f"unit={unit.id}",
            "version": str(unit.version),
            "words": f"{unit.place.name}, {unit.label}",
            "unit": str(unit.id),
            "place": str(unit.place_id),
        }
        for unit in known.values()
    ]
    new = [{"key": f"pattern={name}", "version": "", "words": words} for name, words in PATTERN_WORDS.items()]
    return [*listed, *new]


def version_of(call: Call) -> str:
    """Return what a call's bundle is of: its last event, its plate, what is set aside on it."""
    # What was erased at the place, and who it goes to now, is told to the phone by the same sign as a new reading.
    place = call.unit.place
    return (
        f"{call.seq}.{call.unit.version}.{call.rejected_submissions}.{call.status}.{place.version}.{call.plan_version}"
    )


@contextmanager
def _drawn_ahead() -> Iterator[None]:
    g.aboard = True
    try:
        yield
    finally:
        del g.aboard


def bundle_of(call: Call) -> dict[str, Any]:
    """Return all a phone needs to go on with a call without signal, as JSON-ready values."""
    with _drawn_ahead():
        visit = read_visit(call)
        return {
            "id": str(call.id),
            "version": version_of(call),
            "page": _page(call, visit),
            "parts": _with_thumbnails(call, _parts(call, visit)),
            "states": _states(call, visit),
            "dead": dead_list(visit, meter_of(call.meter), str(g.person.id)),
        }


def _page(call: Call, visit: Visit) -> str:
    screen = room_of(call.id, visit=visit)
    return render_template("call/page.html", **context_of(screen, form=_form()))


def _form() -> dict[str, Any]:
    """Return what a fresh pad shows, without a form of the request's."""
    return {
        "reading_id": {"data": "00000000-0000-4000-8000-000000000000"},
        "value": {"data": ""},
        "reason": {"data": ""},
    }


def _pad(call: Call, visit: Visit, point: str | None = None, panel: str = "reading", **more: Any) -> str:
    view = more.pop("view", None)
    screen = room_of(call.id, point, view, visit=visit)
    return render_template("call/_pad.html", **context_of(screen, panel=panel, form=_form(), **more))


def _parts(call: Call, visit: Visit) -> dict[str, str]:
    """Return every panel as it stands, by the name the phone asks for it."""
    points = _points(call, visit)
    found = {f"point:{point}": _pad(call, visit, point) for point in points}
    found |= {f"panel:{panel}": _pad(call, visit, panel=panel, accepting="") for panel in PANELS}
    for cause in visit.suspects[:MOST_SUSPECTS]:
        faults = ",".join(cause.faults)
        found[f"panel:accept:{faults}"] = _pad(call, visit, panel="accept", accepting=faults)
    for panel, show in steps().items():
        found[f"step:{panel}"] = _text(show(call.id))
    ohms = [point for point in points if point.startswith("ohms:")]
    for point in ohms:
        for hand in ("at rest", "driven"):
            if point.count(":") == 1:
                found[f"hand:{hand}:{point}"] = _pad(call, visit, point, view=View(hand=hand))
    with supposing(call, _made_dead(visit, [*points])):
        dead = read_visit(call)
        found |= {f"dead:{point}": _pad(call, dead, point) for point in ohms}
        found["dead:panel:safe"] = _pad(call, dead, panel="safe")
    run = 1 + max((tap.run for _, tap in visit.record.taps), default=0)
    begun = Tapped(deed="call", run=run)
    on = [Tapped(deed="on", stage=stage.id, run=run) for stage in stages_of(visit.plate)]
    ended = Tapped(deed="drop", run=run)
    for name, actions in (("running", [begun]), ("dropped", [begun, *on, ended])):
        with supposing(call, actions):
            found[f"step:timing:{name}"] = _text(steps()["timing"](call.id))
    with supposing(call, [PowerBack(is_confirmed=True)]):
        found["step:prove:back"] = _text(steps()["prove"](call.id))
    return found


def _with_thumbnails(call: Call, parts: Mapping[str, str]) -> dict[str, str]:
    """Return the panels with each small photograph in them as data: without signal there is nowhere to ask for it."""

    @lru_cache(maxsize=256)
    def data_of(address: str, photo_id: str) -> str:
        row = events.get_photo(g.db, shop_id=call.shop_id, call_id=call.id, photo_id=UUID(photo_id))
        return f"data:image/jpeg;base64,{b64encode(row.thumbnail).decode()}" if row is not None else address

    return {name: SMALL_PHOTO.sub(lambda m: data_of(m[0], m[1]), part) for name, part in parts.items()}


def _points(call: Call, visit: Visit) -> list[str]:
    """Return where the pad can be set to by a tap on the page, and wherever a next test may lead."""
    named = list(room_of(call.id, visit=visit).points)
    asked = [test.point for test in catalogue(visit.plate)]
    around = [point for name in named for point, _ in nearby_points(visit.plate, find_point(visit.plate, name))]
    parts = [ohms_at(part) for part in ohms_parts(visit.plate)]
    wanted = dict.fromkeys([*named, *around, *asked, *parts])
    return list(dict.fromkeys(find_point(visit.plate, name).id for name in wanted if visit.knows(name)))


def _text(answer: Any) -> str:
    return answer[0] if isinstance(answer, tuple) else str(answer)


def _states(call: Call, visit: Visit) -> dict[str, dict[str, Any]]:
    """Return board, strip and what each point should read under every set of calls, and with power off or dead.

    A state is named by its calls, `W+G`; `off` and `dead` are every feed off and everything proven dead.
    """
    plate = visit.plate
    found = {}
    for calls in _call_sets(plate.calls):
        found["+".join(sorted(calls))] = _state(call, _live(plate, calls))
    found["off"] = _state(call, [Switched(what=feed.id, state="off", device="disconnect") for feed in plate.feeds])
    found["dead"] = _state(call, _made_dead(visit, []))
    return found


def _call_sets(calls: Sequence[str]) -> list[tuple[str, ...]]:
    sizes = range(len(calls) + 1) if len(calls) <= MOST_CALLS else (0, 1, 2, len(calls))
    return [chosen for size in sizes for chosen in combinations(calls, size)]


def _live(plate: Nameplate, calls: Sequence[str]) -> list[Action]:
    actions: list[Action] = [Switched(what=feed.id, state="live") for feed in plate.feeds]
    actions.append(Switched(what="control", state="from unit"))
    return [*actions, *(Switched(what=c, state="on" if c in calls else "off") for c in plate.calls)]


def _state(call: Call, actions: Sequence[Action]) -> dict[str, Any]:
    with supposing(call, actions):
        visit = read_visit(call)
        screen = room_of(call.id, visit=visit)
        context = context_of(screen, form=_form())
        expected = {}
        for point in screen.points.values():
            there = visit.expected(point.id)
            if there is not None and there.expected is not None:
                expected[point.id] = f"{as_a_meter(there.expected, point.unit)} {point.unit}"
        return {
            "board": render_template("call/_board.html", **context),
            "strip": render_template("call/_strip.html", **context),
            "expected": expected,
            "spoken": render(visit.condition.spoken),
        }


def _made_dead(visit: Visit, points: Sequence[str]) -> list[Action]:
    """Return what would prove this unit dead, and the places named read dead too: so that its panels can be drawn."""
    plate = visit.plate
    told: list[Action] = [Ticked(line=line, about=about, volts=0.0) for line, about in safe_ticks(plate)]
    reads = [point for point, _ in dead_pairs(plate)] + [CONTROL_POINT]
    reads += [point for point in points if point.startswith(("volts:", "dc_volts:"))]
    meter = str(visit.record.events[0].id)
    return [
        *(Switched(what=feed.id, state="off", device="disconnect") for feed in plate.feeds),
        *(Locked(feed=feed.id) for feed in plate.feeds),
        *told,
        Ticked(line="safe-frame", volts=120.0),
        MeterProven(volts=120.0, meter=meter),
        *(Measured(point=point, typed="0", meter=meter) for point in dict.fromkeys(reads)),
        MeterProven(volts=120.0, meter=meter),
    ]


def dead_list(visit: Visit, meter: Meter, person: str) -> Mapping[str, Any]:
    """Return what a phone must hold before it may call the unit dead by itself, and what stands of it now.

    `below_volts` is the largest number whose doubt still keeps it under the dead limit with this call's meter.
    `stands` tells that it is proven dead and this person's own lock was on every feed before the proof: without
    contact nobody else's action can end that.
    """
    lockout, plate, limits = visit.lockout, visit.plate, visit.limits
    dead = limits.number("dead_volts")
    steps_of = [n / 100 for n in range(round(100 * dead))]
    below = max((v for v in steps_of if v + meter.range_for("volts", v).uncertainty(v) < dead), default=0.0)
    locks = {lock.feed: lock.at for lock in lockout.locks if lock.person == person}
    since = max(locks.values()) if set(locks) == set(lockout.feeds) else None
    pairs = {point for point, _ in dead_pairs(plate)} | {CONTROL_POINT}
    # A reading is kept under its point's own id, whichever way round the two places are named in the list.
    proof = {find_point(plate, point).id for point in pairs}
    newest = {entry.reading.point: entry.event for entry in visit.taken if entry.reading.point in proof}
    mine = since is not None and bool(newest) and all(event.earliest > since for event in newest.values())
    return {
        "feeds": dict(lockout.feeds),
        "control": lockout.control,
        "calls": sorted(lockout.calls),
        "call_since": {call: at for call, at in lockout.calls.items() if at is not None},
        "stands": lockout.is_dead and mine,
        "proven_at": max((event.done_at for event in newest.values()), default=None) if lockout.is_dead else None,
        "locks": sorted(locks),
        "frame": lockout.frame_is_proven,
        "known": list(plate.calls),
        "pairs": sorted(pairs),
        "ticks": [line for line, _ in safe_ticks(plate)],
        "ticked": [line for line, about in safe_ticks(plate) if (line, about) in lockout.ticks],
        "opened": dict(lockout.opened),
        "below_volts": below,
        "live_volts": list(LIVE_SOURCE_VOLTS),
        "frame_volts": FRAME_VOLTS,
        "frame_points": {
            volts_at(f"{feed.id}.{leg}", GROUND): FRAME_SHARE * volts
            for feed in plate.feeds
            for leg, volts in zip(("l1", "l2"), plate.leg_volts, strict=True)
            if volts
        },
    }
