"""Reading a call as a visit: its events, once a request and only those not yet known to this process."""

from collections import OrderedDict
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import datetime
from functools import lru_cache, partial
from threading import Lock
from uuid import UUID
from zoneinfo import ZoneInfo

from cachetools import TTLCache
from flask import abort, g
from sqlalchemy.orm import Session

from plentar.core.evidence.events import Action, Caused, Event
from plentar.core.evidence.metrology import Meter, MeterRange
from plentar.core.evidence.record import Record
from plentar.core.history.past import Past, Repair
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.visit import Visit
from plentar.formats.events_json import action_from_json
from plentar.formats.packed import Floats, unpack
from plentar.formats.unit_json import kept_nameplate
from plentar.store import calls, events, history
from plentar.store.models import Call, MeterRow
from plentar.web.serving.access import now
from plentar.words.moments import on_clock

__all__ = [
    "event_of",
    "meter_of",
    "own_call",
    "past_from",
    "past_of",
    "read_record",
    "read_visit",
    "remember",
    "shop_limits",
    "supposing",
    "visit_of",
]

# An event takes about two kilobytes here: four megabytes a process at the most; twenty calls of a
# hundred events are open on a busy day.
MOST_EVENTS = 2_000


Key = tuple[UUID, UUID, datetime | None]


@dataclass(slots=True)
class _Records:
    """The calls read last, bounded by their events; an event never changes, so only later ones are asked for."""

    held: "OrderedDict[Key, Record]" = field(default_factory=OrderedDict)
    events: int = 0
    lock: Lock = field(default_factory=Lock)

    def get(self, key: Key) -> Record | None:
        with self.lock:
            record = self.held.get(key)
            if record is not None:
                self.held.move_to_end(key)
            return record

    def put(self, key: Key, record: Record) -> None:
        with self.lock:
            old = self.held.pop(key, None)
            if old is not None and old.seq > record.seq:
                record = old
            self.events += len(record.events) - (len(old.events) if old is not None else 0)
            self.held[key] = record
            while self.events > MOST_EVENTS and len(self.held) > 1:
                _, gone = self.held.popitem(last=False)
                self.events -= len(gone.events)


_records = _Records()
_pasts: TTLCache[tuple[UUID, UUID], Past] = TTLCache(maxsize=256, ttl=60)
_pasts_lock = Lock()


def own_call(call_id: UUID) -> Call:
    """Return a call of the signed-in person's shop; another shop's call is a 404."""
    known: Call | None = g.get("call")
    if known is not None and known.id == call_id:
        return known
    call = calls.get_for_shop(g.db, shop_id=g.person.shop_id, call_id=call_id)
    if call is None:
        abort(404)
    g.call = call
    return call


def _key(call: Call) -> Key:
    # What was erased at a place is read anew: the words a process remembers are gone with it.
    return call.shop_id, call.id, call.unit.place.forgotten_at


def read_record(db: Session, call: Call) -> Record:
    """Return a call's evidence up to the number the call's row was read with: only what is not yet known is asked for.

    What was kept later than that row is for the next request.
    """
    key = _key(call)
    known = _records.get(key)
    if known is not None and known.seq >= call.seq:
        return known
    seq = known.seq if known is not None else 0
    fresh = [event_of(row) for row in events.list_after(db, shop_id=call.shop_id, call_id=call.id, seq=seq)]
    record = known.plus(*fresh) if known is not None else Record(fresh)
    # Worked out before it is remembered, so that the next event only adds to it.
    _ = record.taken
    if "after_commit" not in g:
        # What this very request wrote may still be undone.
        _records.put(key, record)
    return record


def remember(call: Call, record: Record) -> None:
    """Keep a call's evidence for the next request, once what is in it was committed."""
    _records.put(_key(call), record)


def event_of(row: events.Kept) -> Event:
    """Return a kept row as the core's event."""
    event_id, seq, kind, payload, person, name, done_at, come_at, clock, phone = row
    return Event(
        id=str(event_id),
        seq=seq,
        action=action_from_json(kind, payload, is_kept=True),
        person=str(person),
        by=name,
        done_at=done_at.timestamp(),
        come_at=come_at.timestamp(),
        clock_seconds=clock,
        phone=str(phone) if phone is not None else "",
    )


def shop_limits() -> Limits:
    """Return the shop's limits, read once a request together with the person."""
    return _limits(g.limits_changed)


@lru_cache(maxsize=64)
def _limits(changed: tuple[tuple[str, tuple[float, ...]], ...]) -> Limits:
    return Limits(changed=changed) if changed else DEFAULT_LIMITS


def visit_of(call: Call, record: Record, moment: datetime) -> Visit:
    """Return the visit a call's evidence makes at a moment."""
    return Visit(
        kept_nameplate(call.unit.nameplate),
        record,
        limits=shop_limits(),
        moment=moment.timestamp(),
        complaints=call.complaints,
        samples_of=partial(_samples_of, call.shop_id),
        outdoor_degf=call.outdoor_degf,
        indoor_degf=call.indoor_degf,
        price_kwh=g.person.shop.price_kwh if g.person is not None else None,
        past=past_of(call),
    )


def past_of(call: Call) -> Past:
    """Return what was repaired on a call's unit before; asked once a minute and process, since it hardly changes."""
    with _pasts_lock:
        known: Past | None = _pasts.get((call.shop_id, call.id))
    if known is not None:
        return known
    rows = history.causes_before(g.db, shop_id=call.shop_id, unit_id=call.unit_id, but=call.id)
    zone = ZoneInfo(g.person.shop.time_zone if g.person is not None else "UTC")
    found = past_from(rows, kept_nameplate(call.unit.nameplate).built, now(), zone)
    with _pasts_lock:
        _pasts[call.shop_id, call.id] = found
    return found


def past_from(rows: Iterable[history.TimelineEvent], built: str, moment: datetime, zone: ZoneInfo) -> Past:
    """Return a unit's past: the causes accepted on its calls, and its age by its plate."""
    repairs = []
    for row in rows:
        action = action_from_json("cause", row.payload, is_kept=True)
        assert isinstance(action, Caused)  # noqa: S101  the kind that was asked for
        repairs.append(
            Repair(
                at=row.done_at.timestamp(),
                when=on_clock(row.done_at, zone).strftime("%b %Y"),
                faults=action.faults,
                title=action.title or action.words,
                cause=action.cause,
                is_cause_known=not action.cause_not_found or bool(action.cause),
            )
        )
    year = built.strip()[:4]
    age = moment.year - int(year) if year.isascii() and year.isdigit() and len(year) == 4 else None
    return Past(repairs=tuple(repairs), age_years=float(age) if age is not None else None)


def _samples_of(shop_id: UUID, log_id: str) -> tuple[Floats, Floats]:
    return unpack(events.get_samples(g.db, shop_id=shop_id, log_id=UUID(log_id)) or b"")


def read_visit(call: Call) -> Visit:
    """Return a call as it stands now; while something is supposed, as it would stand with it."""
    record = read_record(g.db, call)
    supposed = g.get("supposed", ())
    return visit_of(call, record.plus(*supposed) if supposed else record, now())


@contextmanager
def supposing(call: Call, actions: Sequence[Action]) -> Iterator[None]:
    """Read a call as it would stand had a person just done this, a second apart; nothing is kept.

    What a phone shows without signal is drawn ahead this way, by the same rules.
    """
    moment, seq = now().timestamp(), read_record(g.db, call).seq
    g.supposed = tuple(
        Event(
            id=f"supposed-{number}",
            seq=seq + 1 + number,
            action=action,
            person=str(g.person.id),
            by=g.person.name,
            done_at=moment - len(actions) + number,
            come_at=moment,
        )
        for number, action in enumerate(actions)
    )
    try:
        yield
    finally:
        del g.supposed


def meter_of(row: MeterRow) -> Meter:
    """Return the core's meter for a shop's."""
    day = row.calibrated_on.isoformat() if row.calibrated_on is not None else ""
    return _meter(row.name, tuple(tuple(sorted(entry.items())) for entry in row.ranges), day)


@lru_cache(maxsize=64)
def _meter(name: str, ranges: Sequence[tuple[tuple[str, object], ...]], day: str) -> Meter:
    own = tuple(MeterRange(**dict(entry)) for entry in ranges)  # type: ignore[arg-type]
    return Meter(name=name, ranges=own, calibrated_on=day)
