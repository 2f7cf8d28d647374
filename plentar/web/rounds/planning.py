"""Planning a round beside the requests: read what is wanted, find the order, put the calls into the days."""

import logging
from datetime import date, datetime, time, timedelta
from threading import Thread
from typing import Any
from uuid import UUID, uuid5
from zoneinfo import ZoneInfo

from flask import Flask
from sqlalchemy.orm import Session, sessionmaker

from plentar.core.evidence.events import first_event
from plentar.core.rounds.route import DAY_MINUTES, Route, Shift, Stop, Ways, plan_route
from plentar.core.work.urgency import SEASONAL
from plentar.formats.events_json import action_to_json
from plentar.formats.unit_json import kept_nameplate
from plentar.store import events, places, rounds, shops
from plentar.store.models import Call
from plentar.store.shop_models import Round
from plentar.words import render

__all__ = ["begin_planning", "plan_now", "working_days"]

log = logging.getLogger("plentar.rounds")


def working_days(first: date, count: int) -> list[date]:
    """Return working days from a first one on; weekends are left out.

    Example:
        >>> [day.day for day in working_days(date(2026, 11, 27), 3)]
        [27, 30, 1]
    """
    found: list[date] = []
    day = first
    while len(found) < count:
        if day.weekday() < 5 or not found:
            found.append(day)
        day += timedelta(days=1)
    return found


def begin_planning(app: Flask, shop_id: UUID, round_id: UUID) -> None:
    """Plan a round in a thread of its own: whoever asked for it sees the page wait, and no request does."""
    sessions: sessionmaker[Session] = app.extensions["plentar.sessions"]

    def run() -> None:
        try:
            with sessions.begin() as db:
                plan_now(db, shop_id, round_id)
        except Exception:
            log.exception("a round could not be scheduled")
            with sessions.begin() as db:
                row = rounds.get_round(db, shop_id=shop_id, round_id=round_id)
                if row is not None:
                    rounds.set_state(db, row, "planned", failed="It could not be scheduled. Change it and try again.")

    Thread(target=run, daemon=True).start()


def plan_now(db: Session, shop_id: UUID, round_id: UUID) -> None:
    """Plan a round and put its calls into the days."""
    row = rounds.lock_unplanned(db, shop_id=shop_id, round_id=round_id)
    if row is None:
        return
    wanted = row.wanted
    days = working_days(date.fromisoformat(wanted["first_day"]), int(wanted["days"]))
    units = {unit["id"]: unit for unit in wanted["units"]}
    found = places.get_units(db, shop_id=shop_id, unit_ids=[UUID(key) for key in units])
    rows = {str(unit_id): unit for unit_id, unit in found.items()}
    stops = [
        Stop(
            id=key,
            name=unit.place.name,
            block=unit.place.block or unit.place.name,
            minutes=float(units[key].get("minutes", wanted["minutes"])),
            from_minute=int(units[key].get("from", 0)),
            to_minute=int(units[key].get("to", DAY_MINUTES)),
        )
        for key, unit in rows.items()
    ]
    shifts = [
        Shift(
            person=person,
            day=number,
            from_minute=int(wanted["from"]),
            to_minute=int(wanted["to"]),
            capacity_minutes=int(wanted["capacity"]),
        )
        for number in range(len(days))
        for person in wanted["people"]
    ]
    route = plan_route(stops, shifts, Ways(rounds.ways_of(db, shop_id=shop_id)))
    _keep(db, row, route, days, rows)


def _keep(db: Session, row: Round, route: Route, days: list[date], units: dict[str, Any]) -> None:
    meter = places.first_meter(db, shop_id=row.shop_id)
    person = shops.get_person(db, shop_id=row.shop_id, person_id=row.made_by_id)
    if meter is None or person is None:
        rounds.set_state(db, row, "planned", failed="This shop has no meter yet. Add one first.")
        return
    zone = ZoneInfo(person.shop.time_zone)
    for entry in route.placed:
        unit = units[entry.stop.id]
        day = days[entry.shift.day]
        minute = entry.begins_minute - entry.shift.day * DAY_MINUTES
        at = datetime.combine(day, time(minute // 60, minute % 60), zone)
        call = Call(
            id=uuid5(row.id, entry.stop.id),
            shop_id=row.shop_id,
            unit_id=unit.id,
            technician_id=UUID(entry.shift.person),
            meter_id=meter.id,
            complaints=[SEASONAL],
            status="planned",
            scheduled_at=at,
            minutes=round(entry.stop.minutes),
            round_id=row.id,
            outcome="",
        )
        places.add_call(db, call)
        events.begin(db, call, action_to_json(first_event(kept_nameplate(unit.nameplate))), row.made_at)
    rounds.set_state(
        db,
        row,
        "planned",
        travel_minutes=route.travel_minutes,
        guessed=sorted(list(pair) for pair in route.guessed),
        left_out=[render(words) for _, words in route.left_out],
    )
