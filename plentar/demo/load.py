"""Loading the demo into an empty database."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, replace
from datetime import date, datetime, time, timedelta
from random import Random
from uuid import UUID, uuid5
from zoneinfo import ZoneInfo

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from plentar.core.evidence.events import (
    Action,
    Closed,
    Logged,
    Measured,
    Observed,
    Photographed,
    Switched,
    Temporary,
    first_event,
)
from plentar.core.evidence.metrology import DEMO_METER
from plentar.core.evidence.reading import Condition, FeedState
from plentar.core.unit.electrical import expected_element_amps
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.place import GROUND, amps_at, line_volts, volts_at
from plentar.demo.practising import load_practice
from plentar.demo.scenario import (
    CALLS_TODAY,
    DETACHED,
    FOLLOW_UPS,
    HISTORY,
    KITS,
    MAKERS,
    ORDERS,
    PEOPLE,
    SHELF,
    WAYS,
    Home,
    estate_pattern,
)
from plentar.demo.worked import PLACE, photo_of_a_burnt_pole, worked_actions
from plentar.demo.years import (
    DONE_SHARE,
    LINK_DAYS,
    LINK_PLACE,
    OVERDUE,
    SEASONS,
    Part,
    ahead,
    link_call,
    round_days,
    season_call,
)
from plentar.devices.simulated import SimulatedClamp
from plentar.formats.events_json import action_to_json
from plentar.formats.kits_csv import KITS as KIT_LABELS
from plentar.formats.packed import pack
from plentar.formats.parts_csv import PARTS
from plentar.formats.photos import reencode
from plentar.formats.unit_json import nameplate_from_json, nameplate_to_json
from plentar.store import events
from plentar.store.models import Call, LogSamples, MeterRow, Person, PhotoBytes, PlaceRow, Shop, Unit
from plentar.store.people import hash_password
from plentar.store.shop_models import BlockMinutes, FollowUp, PartOrder, Round
from plentar.store.stock import put_kits, put_parts
from plentar.words import render
from plentar.words.figures import thousands

__all__ = ["DEMO_EMAIL", "DEMO_PASSWORD", "load_demo", "move_to_today"]

DEMO_EMAIL = "teodor@quillet.example"
DEMO_PASSWORD = "plentar-demo"  # noqa: S105 - printed for everyone by the demo
ZONE = "America/Chicago"
ESTATE = "Tamarisk Court"
BLOCKS = ("North row", "East row", "South row", "West row")
_NAMES = UUID("6d1c5c0e-6f0b-4a51-9a7e-0f3f6a2b7c11")


def _id(*key: object) -> UUID:
    return uuid5(_NAMES, "/".join(map(str, key)))


def load_demo(db: Session, now: datetime) -> bool:
    """Fill an empty database; return False when a shop is there already."""
    if db.scalar(select(Shop.id).limit(1)) is not None:
        return False
    shop = Shop(id=_id("shop"), name="Quillet Hollow Heating", time_zone=ZONE, tax_percent=8.25, price_kwh=0.14)
    shop.set_up_at = now
    db.add(shop)
    db.flush()
    for who in PEOPLE:
        db.add(
            Person(
                id=_id(who.key),
                shop_id=shop.id,
                name=who.name,
                email=who.email,
                role=who.role,
                password_hash=hash_password(DEMO_PASSWORD),
            )
        )
    ranges = [
        {name: value for name, value in asdict(entry).items() if value != float("inf")} for entry in DEMO_METER.ranges
    ]
    db.add(MeterRow(id=_id("meter"), shop_id=shop.id, name=DEMO_METER.name, ranges=ranges))
    estate = [Home(place=f"{ESTATE} {n}", pattern=estate_pattern(n)) for n in range(1, 41)]
    plates: dict[str, Nameplate] = {}
    for home in [*estate, *DETACHED]:
        plates[home.place] = _place(db, shop.id, home)
    db.flush()
    today = now.astimezone(ZoneInfo(ZONE)).date()
    for row in CALLS_TODAY:
        at = _at(today, row.hour, row.minute)
        # What is planned was planned a week ago.
        begun = now - timedelta(minutes=10) if row.status == "open" else at - timedelta(days=7)
        call = _call(db, shop.id, row.place, plates[row.place], at, row.technician, row.complaint, begun)
        call.words, call.status = row.words, row.status
        call.outdoor_degf, call.indoor_degf = row.outdoor_degf, row.indoor_degf
        if row.status == "open":
            _open_call(db, call, plates[row.place], now)
    put_parts(db, shop_id=shop.id, labels=[(part.name, PARTS.to_json(part)) for part in SHELF])
    put_kits(db, shop_id=shop.id, labels=[(kit.model, KIT_LABELS.to_json(kit)) for kit in KITS])
    _temporary(db, today)
    random = Random(20)  # noqa: S311 - sample data, the same every time
    cycling = "5 Pewter Mill"
    for earlier in HISTORY:
        place, complaint = earlier.place, earlier.complaint
        log: tuple[str, ...] | None = None
        if place == cycling:
            log = ("strip-b.limit.cycling",)
        elif complaint == "seasonal check" and place == "Tamarisk Court 14":
            log = ()
        day = today - timedelta(days=earlier.days)
        _past_call(db, shop.id, place, plates[place], day, complaint, earlier.outcome, earlier.dead, random, log)
    _worked(db, shop.id, plates[PLACE], today - timedelta(days=1))
    _seasons(db, shop.id, plates, today)
    _owed(db, shop.id, plates, today, now)
    learner = db.get_one(Person, (shop.id, _id("teodor")))
    load_practice(db, learner, now)
    db.flush()
    return True


def _told(call: Call, parts: Iterable[Part], began: datetime) -> list[tuple[UUID, Action, datetime]]:
    """Return a past call's actions with their moments, each after the call began."""
    actions: list[tuple[UUID, Action, datetime]] = []
    for number, (minute, action) in enumerate(parts):
        at = began + timedelta(minutes=minute)
        if isinstance(action, tuple):
            _, kept, _ = _reading(call, *action, at)
            actions.append((_id(call.id, number), kept, at))
        else:
            actions.append((_id(call.id, number), action, at))
    return actions


def _closed_call(
    db: Session,
    shop_id: UUID,
    place: str,
    plate: Nameplate,
    began: datetime,
    complaint: str,
    parts: Iterable[Part],
    *,
    key: str,
    technician: str,
    round_id: UUID | None = None,
) -> Call:
    """One call of the past, begun, done and closed; its times agree with each other."""
    call = Call(
        id=_id(place, "past", key),
        shop_id=shop_id,
        unit_id=_id(place, "unit"),
        technician_id=_id(technician),
        meter_id=_id("meter"),
        complaints=[complaint],
        scheduled_at=began,
        minutes=30,
        round_id=round_id,
        status="closed",
    )
    actions = _told(call, parts, began)
    closed = next(action for _, action, _ in actions if isinstance(action, Closed))
    call.outcome, call.closed_at = closed.outcome, actions[-1][2]
    db.add(call)
    db.flush()
    _keep(db, call, [(_id(call.id, "opened"), first_event(plate), began), *actions])
    return call


def _seasons(db: Session, shop_id: UUID, plates: Mapping[str, Nameplate], today: date) -> None:
    """Every autumn's round over the estate and the detached homes; this one's half done."""
    for season, days in enumerate(SEASONS):
        first = today - timedelta(days=days)
        for number, (place, plate) in enumerate(plates.items()):
            began = _at(first + timedelta(days=number // 12), 8 + (number % 12) // 2, 30 * (number % 2))
            parts = season_call(place, plate, season)
            who = PEOPLE[number % 2].key
            _closed_call(
                db, shop_id, place, plate, began, "seasonal check", parts, key=f"season {season}", technician=who
            )
    estate = [place for place in plates if place.startswith("Tamarisk")]
    begun = round_days(today, 2)
    round_id = _id("round")
    row = Round(
        id=round_id,
        shop_id=shop_id,
        name=f"{ESTATE}, {begun[0]:%B %Y}",
        owner="Tamarisk Court Owners",
        made_by_id=_id("maren"),
        made_at=_at(begun[0] - timedelta(days=3), 16, 10),
        state="planned",
        wanted={"travel_minutes": 148.0, "guessed": [["", "West row"]], "left_out": [], "units": [], "minutes": 30},
    )
    db.add(row)
    db.flush()
    left = ahead(today, 2)
    for number, place in enumerate(estate):
        plate, who = plates[place], PEOPLE[number % 2].key
        is_done = number < DONE_SHARE
        day = begun[number // 10] if is_done else left[(number - DONE_SHARE) // 10]
        began = _at(day, 8 + (number % 10) // 2, 35 * (number % 2))
        if is_done:
            parts = season_call(place, plate, len(SEASONS))
            key = f"season {len(SEASONS)}"
            _closed_call(
                db, shop_id, place, plate, began, "seasonal check", parts, key=key, technician=who, round_id=round_id
            )
            continue
        call = Call(
            id=_id(place, "round"),
            shop_id=shop_id,
            unit_id=_id(place, "unit"),
            technician_id=_id(who),
            meter_id=_id("meter"),
            complaints=["seasonal check"],
            scheduled_at=began,
            minutes=30,
            round_id=round_id,
        )
        db.add(call)
        db.flush()
        _keep(db, call, [(_id(call.id, "opened"), first_event(plate), row.made_at)])
    for number, days in enumerate(LINK_DAYS):
        began = _at(today - timedelta(days=days), 14, 20)
        opened = link_call(number)
        plate = plates[LINK_PLACE]
        key = f"link {number}"
        _closed_call(
            db, shop_id, LINK_PLACE, plate, began, "not enough heat", opened, key=key, technician=PEOPLE[number % 2].key
        )


def _owed(db: Session, shop_id: UUID, plates: Mapping[str, Nameplate], today: date, now: datetime) -> None:
    """Follow-ups and parts on order in every state, and a planned call whose day went by."""
    for entry in FOLLOW_UPS:
        made = now - timedelta(days=30)
        row = FollowUp(
            id=_id("owed", entry.place),
            shop_id=shop_id,
            place_id=_id(entry.place),
            unit_id=_id(entry.place, "unit"),
            words=entry.words,
            due_on=today + timedelta(days=entry.days),
            made_by_id=_id("teodor"),
            made_at=made,
            done_at=now - timedelta(days=5) if entry.is_done else None,
            done_by_id=_id("maren") if entry.is_done else None,
        )
        db.add(row)
    for order in ORDERS:
        call_id = db.scalar(select(Call.id).where(Call.shop_id == shop_id, Call.id == _today_id(order.place)))
        assert call_id is not None  # noqa: S101 - every one of them has a call today
        db.add(
            PartOrder(
                id=_id("order", order.place),
                shop_id=shop_id,
                call_id=call_id,
                name=order.name,
                state=order.state,
                person_id=_id("teodor"),
                made_at=now - timedelta(days=4),
                changed_at=now - timedelta(days=1),
                expected_on=None if order.days is None else today + timedelta(days=order.days),
            )
        )
    late = _call(
        db, shop_id, OVERDUE, plates[OVERDUE], _at(today - timedelta(days=3), 11, 0), "maren", "blower never stops"
    )
    late.words, late.status = "The fan runs all night.", "planned"
    for a, b, minutes in WAYS:
        db.add(BlockMinutes(shop_id=shop_id, block_a=min(a, b), block_b=max(a, b), minutes=minutes))


def _today_id(place: str) -> UUID:
    complaint = next(row.complaint for row in CALLS_TODAY if row.place == place)
    return _id(place, "call", complaint, "today")


def _worked(db: Session, shop_id: UUID, plate: Nameplate, day: date) -> None:
    """The call of yesterday: found, repaired, proven, signed and closed."""
    began = _at(day, 14, 20)
    call = _call(db, shop_id, PLACE, plate, began, "teodor", "not enough heat")
    call.words, call.at_risk, call.outdoor_degf = "One room never warms up.", "elderly, alone", 24.0
    actions: list[tuple[UUID, Action, datetime]] = []
    for number, (at, action, condition) in enumerate(worked_actions(plate, began)):
        if isinstance(action, tuple):
            event_id, kept, _ = _reading(call, *action, condition, at)
            actions.append((_id(event_id, number), kept, at))
        else:
            kept = replace(action, condition=condition) if isinstance(action, Observed) else action
            actions.append((_id(call.id, number), kept, at))
    _keep(db, call, actions)
    image, thumbnail = reencode(photo_of_a_burnt_pole())
    photo = next(event_id for event_id, action, _ in actions if isinstance(action, Photographed))
    db.add(PhotoBytes(shop_id=shop_id, id=photo, image=image, thumbnail=thumbnail))
    closed = next(action for _, action, _ in actions if isinstance(action, Closed))
    call.status, call.outcome, call.closed_at = "closed", closed.outcome, actions[-1][2]


def _keep(db: Session, call: Call, actions: Sequence[tuple[UUID, Action, datetime]]) -> None:
    """Keep a call's events in the order they were done."""
    rows = [
        {
            "id": event_id,
            "kind": action.kind,
            "payload": action_to_json(action),
            "person_id": call.technician_id,
            "done_at": at,
            "come_at": at,
            "clock_seconds": 0.0,
        }
        for event_id, action, at in sorted(actions, key=lambda entry: entry[2])
    ]
    events.append(db, call, rows)


def move_to_today(db: Session, now: datetime) -> None:
    """Move the demo's planned calls to this day when it was loaded on an earlier one; what was done stays."""
    own = [_id(row.place, "call", row.complaint, "today") for row in CALLS_TODAY]
    newest = db.scalar(select(func.max(Call.scheduled_at)).where(Call.shop_id == _id("shop"), Call.id.in_(own)))
    if newest is None:
        return
    zone = ZoneInfo(ZONE)
    days = (now.astimezone(zone).date() - newest.astimezone(zone).date()).days
    if days > 0:
        moved = Call.scheduled_at + timedelta(days=days)
        left = Call.status.in_(("planned", "open"))
        db.execute(update(Call).where(Call.shop_id == _id("shop"), left).values(scheduled_at=moved))


def _at(day: date, hour: int, minute: int) -> datetime:
    return datetime.combine(day, time(hour, minute), ZoneInfo(ZONE))


def _place(db: Session, shop_id: UUID, home: Home) -> Nameplate:
    name, (maker, model) = home.place, MAKERS[home.pattern]
    serial = f"{maker[:2].upper()}{_id(name).int % 900_000 + 100_000}"
    plate = replace(
        PATTERNS[home.pattern](), maker=maker, model=model, serial=serial, built=f"20{10 + _id(name).int % 12}"
    )
    plate = nameplate_from_json({**nameplate_to_json(plate), **home.read_there})
    place = PlaceRow(id=_id(name), shop_id=shop_id, name=name, town=home.town, occupant=home.occupant)
    place.access_note = home.access
    if name.startswith(ESTATE):
        # One builder put all of it up in two summers.
        number = int(name.rpartition(" ")[2])
        plate = replace(plate, built="2014")
        place.estate, place.block, place.door = ESTATE, BLOCKS[(number - 1) // 10], str(number)
    db.add(place)
    db.flush()
    label = "hall closet, unit 1" if name.startswith("Tamarisk") else "unit 1"
    db.add(
        Unit(id=_id(name, "unit"), shop_id=shop_id, place_id=_id(name), label=label, nameplate=nameplate_to_json(plate))
    )
    return plate


def _call(
    db: Session,
    shop_id: UUID,
    place: str,
    plate: Nameplate,
    at: datetime,
    technician: str,
    complaint: str,
    begun: datetime | None = None,
) -> Call:
    call = Call(
        id=_id(place, "call", complaint, at.year if at.hour == 9 and at.minute == 7 else "today"),
        shop_id=shop_id,
        unit_id=_id(place, "unit"),
        technician_id=_id(technician),
        meter_id=_id("meter"),
        complaints=[complaint],
        scheduled_at=at,
    )
    db.add(call)
    db.flush()
    _keep(db, call, [(_id(call.id, "opened"), first_event(plate), min(at, begun or at))])
    return call


def _open_call(db: Session, call: Call, plate: Nameplate, now: datetime) -> None:
    """The call in progress: supply and control found good, strip A heating, strip B silent since heat was called."""
    called = now - timedelta(minutes=5, seconds=12)
    live = _live(plate)
    before = Condition(feeds=live, seconds_since_change=240.0)
    rows: list[tuple[str, float, Condition, float]] = [
        (volts_at("feed-1.l1", "feed-1.l2"), 241.1, before, 420.0),
        (volts_at("feed-1.l1", GROUND), 120.4, before, 400.0),
        (volts_at("feed-1.l2", GROUND), 120.7, before, 385.0),
    ]
    for point, value, ago in (
        (volts_at("board.w", "board.c"), 25.1, 200.0),
        (volts_at("seq-a.coil.1", "seq-a.coil.2"), 25.0, 180.0),
        (volts_at("feed-1.l1", "feed-1.l2"), 238.4, 120.0),
        (amps_at("strip-a"), 20.4, 90.0),
        (amps_at("strip-b"), 0.0, 60.0),
    ):
        seconds = 312.0 - ago
        condition = Condition(feeds=live, calls=(("W", seconds),), seconds_since_change=seconds)
        rows.append((point, value, condition, ago))
    actions: list[tuple[UUID, Action, datetime]] = [(_id(call.id, "W"), Switched(what="W", state="on"), called)]
    actions += [
        _reading(call, point, value, condition, now - timedelta(seconds=ago)) for point, value, condition, ago in rows
    ]
    actions += _look(call, plate, now - timedelta(minutes=9))
    log, samples = _log(call, plate, ("seq-a.pole-2.open",), "feed clamp", now - timedelta(minutes=6))
    _keep(db, call, [*actions, log])
    db.add(samples)


def _temporary(db: Session, today: date) -> None:
    """A stage left off last week, tagged, to be made right today."""
    call = db.get_one(Call, (_id("shop"), _id("31 Cobbler's Rise", "call", "not enough heat", "today")))
    action = Temporary(
        circuit="strip-f",
        how="feed leads off and capped at the contactor",
        tag="Strip F off, part on order",
        due_on=today.isoformat(),
        left_watts=25000.0,
        whole_watts=30000.0,
    )
    _keep(db, call, [(_id("temporary"), action, _at(today - timedelta(days=6), 15, 20))])


def _look(call: Call, plate: Nameplate, at: datetime) -> list[tuple[UUID, Action, datetime]]:
    """What was looked at before the covers went back on."""
    condition = Condition(feeds=_live(plate))
    fine = Observed(sign="filter-dirty", state="fine", condition=condition)
    found = Observed(
        sign="heat-marked", about="strip-b", state="found", note="brown at the push-on", condition=condition
    )
    return [(_id(call.id, action.sign), action, at) for action in (fine, found)]


def _log(
    call: Call, plate: Nameplate, faults: tuple[str, ...], name: str, at: datetime
) -> tuple[tuple[UUID, Action, datetime], LogSamples]:
    """A logging clamp left around one leg of the feed through a whole heat call."""
    meter = SimulatedClamp(plate=plate, clamp="feed-1", faults=faults, seed=14, dropped_seconds=420.0)
    samples = meter.samples(600.0)
    event_id = _id(call.id, "log", name)
    action = Logged(
        name=name,
        clamp="feed-1",
        found=f"{thousands(samples.seconds.size)} rows, comma between columns, decimal point, A",
        called_seconds=meter.called_seconds,
        dropped_seconds=meter.dropped_seconds,
        supply_volts=round(0.99 * plate.nominal_volts, 1),
    )
    packed = LogSamples(shop_id=call.shop_id, id=event_id, samples=pack(samples.seconds, samples.amps))
    return (event_id, action, at), packed


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
    log: tuple[str, ...] | None,
) -> None:
    at = _at(day, 9, 7)
    call = _call(db, shop_id, place, plate, at, "teodor" if random.random() < 0.6 else "maren", complaint)
    feeds = _live(plate)
    calls = tuple((name, 400.0) for name in ("W", "W2") if name in plate.calls)
    condition = Condition(feeds=feeds, calls=calls, seconds_since_change=400.0)
    volts = round(plate.nominal_volts * random.uniform(0.985, 1.012), 1)
    actions = [
        _reading(call, line_volts(feed.id), volts, condition, at + timedelta(minutes=12)) for feed in plate.feeds
    ]
    for minute, circuit in enumerate(plate.circuits):
        healthy = expected_element_amps(circuit.rated_watts, circuit.rated_volts, volts) * random.uniform(0.965, 1.015)
        amps = 0.0 if circuit.id == dead else round(healthy, 1)
        actions.append(_reading(call, amps_at(circuit.id), amps, condition, at + timedelta(minutes=20 + minute)))
    blower = round(plate.blower.rated_amps * random.uniform(0.8, 0.95), 1)
    actions.append(_reading(call, amps_at("blower"), blower, condition, at + timedelta(minutes=30)))
    if log is not None:
        entry, samples = _log(call, plate, log, "feed clamp", at)
        actions.append(entry)
    closed_at = at + timedelta(minutes=55)
    _keep(db, call, [*actions, (_id(call.id, "closed"), Closed(outcome=outcome), closed_at)])
    if log is not None:
        db.add(samples)
    call.status, call.outcome, call.closed_at = "closed", outcome, closed_at


def _reading(call: Call, point: str, value: float, condition: Condition, at: datetime) -> tuple[UUID, Action, datetime]:
    quantity = point.partition(":")[0]
    meter_range = DEMO_METER.range_for(quantity, value)
    action = Measured(
        point=point,
        typed=f"{value:.1f}",
        value=value,
        meter=str(call.meter_id),
        meter_uncertainty=meter_range.uncertainty(value),
        counts_uncertainty=meter_range.counts_uncertainty,
        condition=condition,
    )
    return _id(call.id, point, render(condition.spoken)), action, at
