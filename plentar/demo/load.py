"""Loading the demo into an empty database."""

from dataclasses import asdict, replace
from datetime import date, datetime, time, timedelta
from random import Random
from uuid import UUID, uuid5
from zoneinfo import ZoneInfo

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from plentar.core.electrical import expected_element_amps
from plentar.core.metrology import DEMO_METER
from plentar.core.nameplate import Nameplate
from plentar.core.patterns import PATTERNS
from plentar.core.readings import Condition, FeedState
from plentar.demo.scenario import CALLS_TODAY, DETACHED, HISTORY, MAKERS, PEOPLE, estate_pattern
from plentar.demo.shelf import SHELF
from plentar.devices.simulated import SimulatedClamp
from plentar.formats.packed import pack
from plentar.formats.parts_csv import part_to_json
from plentar.formats.stamps import condition_to_json, fresh_stamp
from plentar.formats.unit_json import nameplate_to_json
from plentar.store.models import Call, CurrentLogRow, Meter, Observation, Person, Place, Reading, Shop, Unit, WorkItem
from plentar.store.people import hash_password
from plentar.store.work import put_parts

__all__ = ["DEMO_EMAIL", "DEMO_PASSWORD", "load_demo", "move_to_today"]

DEMO_EMAIL = "teodor@quillet.example"
DEMO_PASSWORD = "plentar-demo"  # noqa: S105 - printed for everyone by the demo
ZONE = "America/Chicago"
_NAMES = UUID("6d1c5c0e-6f0b-4a51-9a7e-0f3f6a2b7c11")


def _id(*key: object) -> UUID:
    return uuid5(_NAMES, "/".join(map(str, key)))


def load_demo(db: Session, now: datetime) -> bool:
    """Fill an empty database; return False when a shop is there already."""
    if db.scalar(select(Shop.id).limit(1)) is not None:
        return False
    shop = Shop(id=_id("shop"), name="Quillet Hollow Heating", time_zone=ZONE)
    db.add(shop)
    db.flush()
    for key, name, email, role in PEOPLE:
        db.add(
            Person(
                id=_id(key),
                shop_id=shop.id,
                name=name,
                email=email,
                role=role,
                password_hash=hash_password(DEMO_PASSWORD),
            )
        )
    ranges = [
        {name: value for name, value in asdict(entry).items() if value != float("inf")} for entry in DEMO_METER.ranges
    ]
    db.add(Meter(id=_id("meter"), shop_id=shop.id, name=DEMO_METER.name, ranges=ranges))
    estate = [(f"Tamarisk Court {n}", "Wender Falls", estate_pattern(n), "", "") for n in range(1, 41)]
    plates: dict[str, Nameplate] = {}
    for name, town, pattern, occupant, access in [*estate, *DETACHED]:
        plates[name] = _place(db, shop.id, name, town, pattern, occupant, access)
    db.flush()
    today = now.astimezone(ZoneInfo(ZONE)).date()
    for row in CALLS_TODAY:
        call = _call(
            db, shop.id, row.place, plates[row.place], _at(today, row.hour, row.minute), row.technician, row.complaint
        )
        call.words, call.status = row.words, row.status
        if row.status == "open":
            _open_call(db, call, plates[row.place], now)
    put_parts(db, shop_id=shop.id, labels=[(part.name, part_to_json(part)) for part in SHELF])
    _temporary(db, today)
    random = Random(20)  # noqa: S311 - sample data, the same every time
    cycling = "5 Pewter Mill"
    for place, days, complaint, outcome, dead in HISTORY:
        past = _past_call(
            db, shop.id, place, plates[place], today - timedelta(days=days), complaint, outcome, dead, random
        )
        if place == cycling:
            _log(db, past, plates[place], ("strip-b.limit.cycling",), "feed clamp", past.scheduled_at)
        elif complaint == "seasonal check" and place == "Tamarisk Court 14":
            _log(db, past, plates[place], (), "feed clamp", past.scheduled_at)
    db.flush()
    return True


def move_to_today(db: Session, now: datetime) -> None:
    """Move the demo's calls to this day when it was loaded on an earlier one."""
    newest = db.scalar(select(func.max(Call.scheduled_at)).where(Call.shop_id == _id("shop")))
    if newest is None:
        return
    zone = ZoneInfo(ZONE)
    days = (now.astimezone(zone).date() - newest.astimezone(zone).date()).days
    if days > 0:
        moved = Call.scheduled_at + timedelta(days=days)
        db.execute(update(Call).where(Call.shop_id == _id("shop")).values(scheduled_at=moved))


def _at(day: date, hour: int, minute: int) -> datetime:
    return datetime.combine(day, time(hour, minute), ZoneInfo(ZONE))


def _place(db: Session, shop_id: UUID, name: str, town: str, pattern: str, occupant: str, access: str) -> Nameplate:
    maker, model = MAKERS[pattern]
    serial = f"{maker[:2].upper()}{_id(name).int % 900_000 + 100_000}"
    plate = replace(PATTERNS[pattern](), maker=maker, model=model, serial=serial, built=f"20{10 + _id(name).int % 12}")
    db.add(Place(id=_id(name), shop_id=shop_id, name=name, town=town, occupant=occupant, access_note=access))
    db.flush()
    label = "hall closet, unit 1" if name.startswith("Tamarisk") else "unit 1"
    db.add(
        Unit(id=_id(name, "unit"), shop_id=shop_id, place_id=_id(name), label=label, nameplate=nameplate_to_json(plate))
    )
    return plate


def _call(
    db: Session, shop_id: UUID, place: str, plate: Nameplate, at: datetime, technician: str, complaint: str
) -> Call:
    call = Call(
        id=_id(place, "call", complaint, at.year if at.hour == 9 and at.minute == 7 else "today"),
        shop_id=shop_id,
        unit_id=_id(place, "unit"),
        technician_id=_id(technician),
        meter_id=_id("meter"),
        complaints=[complaint],
        scheduled_at=at,
        condition=fresh_stamp(plate, at),
    )
    db.add(call)
    db.flush()
    return call


def _open_call(db: Session, call: Call, plate: Nameplate, now: datetime) -> None:
    """The call in progress: supply and control found good, strip A heating, strip B silent since heat was called."""
    called = now - timedelta(minutes=5, seconds=12)
    call.condition = {**fresh_stamp(plate, called), "calls": {"W": called.isoformat()}}
    live = _live(plate)
    before = Condition(feeds=live, seconds_since_change=240.0)
    rows: list[tuple[str, float, Condition, float]] = [
        ("volts:feed-1.l1:feed-1.l2", 241.1, before, 420.0),
        ("volts:feed-1.l1:ground", 120.4, before, 400.0),
        ("volts:feed-1.l2:ground", 120.7, before, 385.0),
    ]
    for point, value, ago in (
        ("volts:board.w:board.c", 25.1, 200.0),
        ("volts:seq-a.coil.1:seq-a.coil.2", 25.0, 180.0),
        ("volts:feed-1.l1:feed-1.l2", 238.4, 120.0),
        ("amps:strip-a", 20.4, 90.0),
        ("amps:strip-b", 0.0, 60.0),
    ):
        seconds = 312.0 - ago
        condition = Condition(feeds=live, calls=(("W", seconds),), seconds_since_change=seconds)
        rows.append((point, value, condition, ago))
    for point, value, condition, ago in rows:
        _reading(db, call, point, value, condition, now - timedelta(seconds=ago))
    _look(db, call, plate, now - timedelta(minutes=9))
    _log(db, call, plate, ("seq-a.pole-2.open",), "feed clamp", now - timedelta(minutes=6))


def _temporary(db: Session, today: date) -> None:
    """A stage left off last week, tagged, to be made right today."""
    plan = _id("31 Cobbler's Rise", "call", "not enough heat", "today")
    db.add(
        WorkItem(
            id=_id("temporary"),
            shop_id=_id("shop"),
            call_id=plan,
            person_id=_id("maren"),
            at=_at(today - timedelta(days=6), 15, 20),
            kind="temporary",
            about="strip-f",
            data={
                "how": "feed leads off and capped at the contactor",
                "tag": "Strip F off, part on order",
                "left_watts": 25000.0,
                "whole_watts": 30000.0,
            },
            due_on=today,
        )
    )


def _look(db: Session, call: Call, plate: Nameplate, at: datetime) -> None:
    """What was looked at before the covers went back on."""
    signs = (("filter-dirty", "", "fine", ""), ("heat-marked", "strip-b", "found", "brown at the push-on"))
    for kind, about, state, note in signs:
        db.add(
            Observation(
                id=_id(call.id, kind),
                shop_id=call.shop_id,
                call_id=call.id,
                person_id=call.technician_id,
                at=at,
                kind=kind,
                about=about,
                state=state,
                note=note,
                condition=condition_to_json(Condition(feeds=_live(plate))),
            )
        )


def _log(db: Session, call: Call, plate: Nameplate, faults: tuple[str, ...], name: str, at: datetime) -> None:
    """A logging clamp left around one leg of the feed through a whole heat call."""
    meter = SimulatedClamp(plate=plate, clamp="feed-1", faults=faults, seed=14, dropped_seconds=420.0)
    samples = meter.samples(600.0)
    db.add(
        CurrentLogRow(
            id=_id(call.id, "log", name),
            shop_id=call.shop_id,
            call_id=call.id,
            person_id=call.technician_id,
            at=at,
            name=name,
            clamp="feed-1",
            source="csv",
            found=f"{samples.seconds.size:,} rows, comma between columns, decimal point, A",
            samples=pack(samples.seconds, samples.amps),
            called_seconds=meter.called_seconds,
            dropped_seconds=meter.dropped_seconds,
            supply_volts=round(0.99 * plate.nominal_volts, 1),
            settings={},
        )
    )


def _live(plate: Nameplate) -> tuple[tuple[str, FeedState], ...]:
    return tuple((feed.id, "live") for feed in plate.feeds)


def _past_call(
    db: Session,
    shop_id: UUID,
    place: str,
    plate: Nameplate,
    day: date,
    complaint: str,
    outcome: str,
    dead: str,
    random: Random,
) -> Call:
    at = _at(day, 9, 7)
    call = _call(db, shop_id, place, plate, at, "teodor" if random.random() < 0.6 else "maren", complaint)
    call.status, call.outcome, call.closed_at = "closed", outcome, at + timedelta(minutes=55)
    feeds = _live(plate)
    calls = tuple((name, 400.0) for name in ("W", "W2") if name in plate.calls)
    condition = Condition(feeds=feeds, calls=calls, seconds_since_change=400.0)
    volts = round(plate.nominal_volts * random.uniform(0.985, 1.012), 1)
    for feed in plate.feeds:
        _reading(db, call, f"volts:{feed.id}.l1:{feed.id}.l2", volts, condition, at + timedelta(minutes=12))
    for minute, circuit in enumerate(plate.circuits):
        healthy = expected_element_amps(circuit.rated_watts, circuit.rated_volts, volts) * random.uniform(0.965, 1.015)
        amps = 0.0 if circuit.id == dead else round(healthy, 1)
        _reading(db, call, f"amps:{circuit.id}", amps, condition, at + timedelta(minutes=20 + minute))
    _reading(
        db,
        call,
        "amps:blower",
        round(plate.blower.rated_amps * random.uniform(0.8, 0.95), 1),
        condition,
        at + timedelta(minutes=30),
    )
    return call


def _reading(db: Session, call: Call, point: str, value: float, condition: Condition, at: datetime) -> None:
    quantity = point.partition(":")[0]
    meter_range = DEMO_METER.range_for(quantity, value)
    db.add(
        Reading(
            id=_id(call.id, point, condition.spoken),
            shop_id=call.shop_id,
            call_id=call.id,
            person_id=call.technician_id,
            meter_id=call.meter_id,
            point=point,
            value=value,
            typed=f"{value:.1f}",
            meter_uncertainty=meter_range.uncertainty(value),
            counts_uncertainty=meter_range.counts_uncertainty,
            condition=condition_to_json(condition),
            taken_at=at,
            received_at=at,
            reason="",
        )
    )
