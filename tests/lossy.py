"""Two people with a phone each on one call, over a line that drops, doubles, delays and reorders what they send.

The world is kept apart from all records: which breaker is closed, whose lock hangs where. After every step what the
server and what each phone call dead is held against it, and at the end every entry is counted.
"""

import json
import subprocess
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path
from random import Random
from typing import Any
from urllib.parse import urlencode
from uuid import UUID, uuid4, uuid5

from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import Engine, text

from plentar.core.evidence.events import Measured, Opened, PowerBack, Switched
from plentar.core.evidence.lockout import dead_pairs, fold, safe_ticks
from plentar.core.evidence.record import Record
from plentar.core.work.safety import CONTROL_POINT
from plentar.store import events
from plentar.store.database import make_sessions
from plentar.web.call_layout.visits import event_of
from tests.actions import sealed
from tests.application import ShopOf

Fields = list[tuple[str, str]]
LEGS_LIVE = "120.3"
OWN_IDS = {
    "condition": "switch_id",
    "readings": "reading_id",
    "safe": "event_id",
    "fix/power": "item_id",
    "air": "air_id",
    "blower/capacitor": "item_id",
}


@dataclass(slots=True)
class World:
    """What is really so: each feed closed or open, whose lock hangs on it, the moment."""

    feeds: dict[str, bool]
    locks: dict[str, set[str]]
    now: datetime

    @property
    def is_dead(self) -> bool:
        """True with every feed open."""
        return not any(self.feeds.values())


@dataclass(slots=True)
class Item:
    """One form that was kept on a phone."""

    path: str
    fields: Fields
    told_at: datetime
    doubt: float
    id: str = field(default_factory=lambda: str(uuid4()))


@dataclass(slots=True)
class Pocket:
    """One person's phone: its queue, its clock, what it was last told of the unit."""

    name: str
    client: FlaskClient
    id: str
    key: bytes
    skew: timedelta
    has_signal: bool = True
    waiting: list[Item] = field(default_factory=list)
    sent: list[Item] = field(default_factory=list)
    known: Mapping[str, Any] = field(default_factory=dict)
    # What it did since its list was fetched.
    since: list[Item] = field(default_factory=list)
    step: int = 0


class Lossy:
    """The call, the two of them, and the line between."""

    def __init__(
        self,
        app: Flask,
        engine: Engine,
        shop: ShopOf,
        clients: Mapping[str, FlaskClient],
        seed: int,
        run: Callable[[datetime], None],
    ) -> None:
        self.engine, self.shop, self.chance, self.set_clock = engine, shop, Random(seed), run  # noqa: S311
        feeds = [feed.id for feed in shop.plate.feeds]
        self.world = World(dict.fromkeys(feeds, True), {feed: set() for feed in feeds}, datetime.now(UTC))
        self.set_clock(self.world.now)
        self.pockets = [self._pocket(name, client) for name, client in clients.items()]
        rule = Path(__file__).parent / "dead_line.mjs"
        pipe = subprocess.PIPE
        self.rule = subprocess.Popen(["/usr/bin/env", "node", rule], stdin=pipe, stdout=pipe, text=True)
        self.ticks = [line for line, _ in safe_ticks(shop.plate)]
        self.busy = self.pockets[0]
        self.deads = {"server": 0, "phone": 0}
        self.delayed: list[tuple[Pocket, Item]] = []

    def _pocket(self, name: str, client: FlaskClient) -> Pocket:
        phone = str(uuid4())
        keys = client.post("/phone/key", data={"phone": phone}).json
        assert keys is not None
        skew = timedelta(seconds=self.chance.uniform(-600, 600))
        pocket = Pocket(name, client, phone, bytes.fromhex(keys["seal"]), skew)
        self.listen(pocket)
        return pocket

    def end(self) -> None:
        """Let the rule's process go."""
        assert self.rule.stdin is not None
        assert self.rule.stdout is not None
        self.rule.stdin.close()
        self.rule.wait(5)
        self.rule.stdout.close()

    # What people do.

    def act(self) -> None:
        """Let one of them do one thing, the line do what it does, and look whether all still holds."""
        self.world.now += timedelta(seconds=self.chance.uniform(4, 90))
        self.set_clock(self.world.now)
        if self.chance.random() < 0.12:
            self.busy = self.chance.choice(self.pockets)
        pocket = self.busy
        if self.chance.random() < 0.06:
            pocket.has_signal = not pocket.has_signal
        self.keep(pocket, *self.choose(pocket))
        for each in self.pockets:
            self.pump(each)
        if self.delayed and self.chance.random() < 0.3:
            # Something that was sent long ago comes once more, behind all that came since.
            self._post(*self.delayed.pop(self.chance.randrange(len(self.delayed))))
        self.look()

    def choose(self, pocket: Pocket) -> tuple[str, Fields]:
        """Return what somebody does next: mostly the Safe list's next line, now and then anything."""
        world, name = self.world, pocket.name
        feed = self.chance.choice(list(world.feeds))
        roll = self.chance.random()
        if roll < 0.8:
            return self.planned(pocket)
        if roll < 0.82:
            # A slip of the thumb: the breaker was not touched, but it is on record as live.
            return "condition", [("switch", f"{feed}=live")]
        roll = (roll - 0.82) / 0.18
        if roll < 0.1:
            return "condition", [("switch", f"W={self.chance.choice(('on', 'off'))}")]
        if roll < 0.16 and not any(world.locks.values()):
            # Nobody closes a breaker behind somebody's lock; without one it happens.
            for each in world.feeds:
                world.feeds[each] = True
            return "fix/power", [("confirm", "yes")]
        if roll < 0.22 and not world.locks[feed]:
            world.feeds[feed] = True
            return "condition", [("switch", f"{feed}=live")]
        if roll < 0.28 and name in world.locks[feed]:
            world.locks[feed].discard(name)
            return "safe", [("line", "lock"), ("about", feed), ("is_on", "no")]
        return self._next_safe(pocket, feed)

    def planned(self, pocket: Pocket) -> tuple[str, Fields]:
        """Go on with the list where it was left: frame, off, lock, ticks, meter, readings, meter."""
        world, name = self.world, pocket.name
        legs = [
            ("readings", [("point", f"volts:{f}.{leg}:ground"), ("value", LEGS_LIVE)])
            for f in world.feeds
            for leg in ("l1", "l2")
        ]
        if all(world.feeds.values()) and pocket.step < len(legs):
            pocket.step += 1
            return legs[pocket.step - 1]
        for feed in world.feeds:
            if world.feeds[feed]:
                world.feeds[feed], pocket.step = False, len(legs)
                return "safe", [("line", "off"), ("about", feed), ("device", "disconnect")]
            if name not in world.locks[feed]:
                world.locks[feed].add(name)
                return "safe", [("line", "lock"), ("about", feed), ("is_on", "yes"), ("how", "lock")]
        ticks = [
            ("safe", [("line", "tick"), ("about", about), ("is_done", "yes"), ("volts", "0.2")]) for about in self.ticks
        ]
        meter = ("safe", [("line", "meter"), ("about", "before"), ("volts", "121")])
        points = [point for point, _ in dead_pairs(self.shop.plate)] + [CONTROL_POINT]
        pairs = ("safe", [("line", "readings"), *((f"pair:{point}", "0.2") for point in points)])
        rest = [*ticks, meter, pairs, meter]
        at = max(0, pocket.step - len(legs))
        if at >= len(rest):
            pocket.step = 0
            for feed in world.feeds:
                if name in world.locks[feed]:
                    world.locks[feed].discard(name)
                    return "safe", [("line", "lock"), ("about", feed), ("is_on", "no")]
        pocket.step = len(legs) + at + 1
        return rest[min(at, len(rest) - 1)]

    def _next_safe(self, pocket: Pocket, feed: str) -> tuple[str, Fields]:
        world, name, roll = self.world, pocket.name, self.chance.random()
        if all(world.feeds.values()) and roll < 0.4:
            leg = self.chance.choice(("l1", "l2"))
            return "readings", [("point", f"volts:{feed}.{leg}:ground"), ("value", LEGS_LIVE)]
        if world.feeds[feed]:
            world.feeds[feed] = False
            return "safe", [("line", "off"), ("about", feed), ("device", "disconnect")]
        if name not in world.locks[feed]:
            world.locks[feed].add(name)
            return "safe", [("line", "lock"), ("about", feed), ("is_on", "yes"), ("how", "lock")]
        if roll < 0.2:
            tick = self.chance.choice(("safe-gear", "safe-outdoor-off", "safe-capacitor"))
            return "safe", [("line", "tick"), ("about", tick), ("is_done", "yes"), ("volts", "0.2")]
        if roll < 0.45:
            return "safe", [("line", "meter"), ("about", "before"), ("volts", "121")]
        if roll < 0.5:
            return "readings", [("point", "amps:strip-a"), ("value", "0")]
        volts = "0.2" if world.is_dead else "118"
        points = [point for point, _ in dead_pairs(self.shop.plate)] + [CONTROL_POINT]
        return "safe", [("line", "readings"), *((f"pair:{point}", volts) for point in points)]

    def odd(self) -> tuple[str, Fields]:
        """Return something that stands in the way of a proof, or may."""
        feed = self.chance.choice(list(self.world.feeds))
        line = f"volts:{feed}.l1:{feed}.l2"
        return self.chance.choice(
            [
                ("condition", [("switch", f"{feed}=live")]),
                ("condition", [("switch", f"control={self.chance.choice(('off', 'from unit', 'separate source'))}")]),
                ("condition", [("switch", "W=on")]),
                ("readings", [("point", line), ("value", self.chance.choice(("118", "0.9", "1.1", "OL")))]),
                ("readings", [("point", line), ("value", "0.2"), ("mode", "low impedance")]),
                ("readings", [("point", "amps:strip-a"), ("value", "0")]),
                ("readings", [("point", "volts:strip-a.element.1:ground"), ("value", "3")]),
                ("safe", [("line", "meter"), ("about", "before"), ("volts", "121"), ("mode", "low impedance")]),
                ("safe", [("line", "tick"), ("about", "safe-gear"), ("is_done", "no")]),
                ("safe", [("line", "lock"), ("about", feed), ("is_on", "no")]),
                ("safe", [("line", "off"), ("about", feed), ("device", "panel")]),
                ("air", [("return_degf", "68"), ("supply_degf", "99"), ("filter", "as found")]),
                ("blower/capacitor", [("microfarads", "7.4")]),
                ("fix/power", [("confirm", "yes")]),
            ]
        )

    def keep(self, pocket: Pocket, end: str, fields: Fields) -> None:
        """Keep a form on a phone, with an id of its own, by that phone's clock."""
        own = OWN_IDS[end]
        # A phone knows what its clock was wrong by to a second or two; after a jump, to a minute or two.
        doubt = self.chance.choice((1.5, 1.5, 1.5, 90.0))
        told = self.world.now + timedelta(seconds=self.chance.uniform(-doubt, doubt))
        last = pocket.waiting[-1].told_at if pocket.waiting else pocket.sent[-1].told_at if pocket.sent else told
        item = Item(
            f"{self.shop.url}/{end}",
            [*fields, (own, str(uuid4()))],
            max(told, last),
            doubt + max(0.0, (last - told).total_seconds()),
        )
        pocket.waiting.append(item)
        pocket.since.append(item)

    # The line.

    def pump(self, pocket: Pocket) -> None:
        """Send what waits, in order, until the line loses something."""
        while pocket.has_signal and pocket.waiting:
            item, fate = pocket.waiting[0], self.chance.random()
            if fate < 0.12:
                return
            answer = self._post(pocket, item)
            if fate < 0.22:
                return
            if fate < 0.32:
                answer = self._post(pocket, item)
            if fate < 0.42:
                self.delayed.append((pocket, item))
            assert answer.status_code == 200, (answer.status_code, answer.text, item)
            pocket.sent.append(pocket.waiting.pop(0))
        if pocket.has_signal and self.chance.random() < 0.2:
            self.listen(pocket)

    def post_all(self, pocket: Pocket) -> None:
        """Bring all of it home over a line that loses nothing; the phone does not hear of it."""
        while pocket.waiting:
            answer = self._post(pocket, pocket.waiting[0])
            assert answer.status_code == 200, answer.text
            pocket.sent.append(pocket.waiting.pop(0))

    def listen(self, pocket: Pocket) -> None:
        """Fetch what the server says of the unit, as the phone takes it along."""
        answer = pocket.client.get(f"/phone/dead/{self.shop.call_id}")
        assert answer.json is not None
        pocket.known, pocket.since = answer.json, list(pocket.waiting)

    def _post(self, pocket: Pocket, item: Item) -> Any:
        body = urlencode(item.fields).encode()
        told = {
            "Plentar-Sent": item.id,
            "Plentar-Done": item.told_at.isoformat(),
            "Plentar-Clock": f"{item.doubt:.3f}",
            "Plentar-Late": "yes",
        }
        headers = sealed(pocket.key, pocket.id, item.path, body, told)
        return pocket.client.post(
            item.path, data=body, headers=headers, content_type="application/x-www-form-urlencoded"
        )

    # What must hold.

    def record(self) -> Record:
        """The call's evidence as the server has it."""
        with make_sessions(self.engine)() as db:
            rows = events.list_after(db, shop_id=self.shop.shop.id, call_id=self.shop.call_id)
            return Record([event_of(row) for row in rows])

    def look(self) -> None:
        """Dead stands only where nobody's live event may be later than its proof; a phone's only where it is so."""
        record = self.record()
        lockout = fold(self.shop.plate, record.events, voided=record.voided)
        if lockout.feeds_are_dead:
            self.deads["server"] += 1
            proof = {pair.point for pair in lockout.pairs}
            newest = {
                e.action.point: e for e in record.events if isinstance(e.action, Measured) and e.action.point in proof
            }
            for event in record.events:
                is_live = isinstance(event.action, PowerBack | Opened) or (
                    isinstance(event.action, Switched) and event.action.state == "live"
                )
                for read in newest.values() if is_live else ():
                    is_same = bool(event.phone) and event.phone == read.phone
                    surely = event.seq < read.seq if is_same else event.latest < read.earliest
                    assert surely or isinstance(event.action, Opened), (event, read)
        for pocket in self.pockets:
            if pocket.has_signal and not pocket.waiting:
                continue
            forms = [{"path": i.path, "fields": i.fields, "at": i.told_at.timestamp()} for i in pocket.since]
            said = self.ask({"list": pocket.known, "forms": forms})
            if said["dead"]:
                self.deads["phone"] += 1
                assert self.world.is_dead, (pocket.name, said, self.world)
                assert all(pocket.name in owners for owners in self.world.locks.values())

    def ask(self, question: Mapping[str, Any]) -> dict[str, Any]:
        """Ask the phone's own rule."""
        assert self.rule.stdin is not None
        assert self.rule.stdout is not None
        self.rule.stdin.write(json.dumps(question) + "\n")
        self.rule.stdin.flush()
        said: dict[str, Any] = json.loads(self.rule.stdout.readline())
        return said

    def settle(self) -> None:
        """Let everybody have signal and all of it come home, then count."""
        for pocket in self.pockets:
            pocket.has_signal = True
        for _ in range(2000):
            if not any(pocket.waiting for pocket in self.pockets):
                break
            for pocket in self.pockets:
                self.pump(pocket)
        with self.engine.connect() as connection:
            query = text("select id from set_aside where call_id = :call")
            rejected = {str(row.id) for row in connection.execute(query, {"call": self.shop.call_id})}
        record = self.record()
        ids = [event.id for event in record.events]
        assert len(ids) == len(set(ids))
        by_phone: dict[str, list[int]] = {pocket.id: [] for pocket in self.pockets}
        for event in sorted(record.events, key=lambda event: event.seq):
            if event.phone:
                by_phone[event.phone].append(event.seq)
        for pocket in self.pockets:
            assert not pocket.waiting
            seqs = []
            for item in pocket.sent:
                own = next(value for name, value in item.fields if name.endswith("_id"))
                found = [record.event(own)] if record.event(own) else self._pairs(record, own)
                assert bool(found) != (item.id in rejected), (item, found, item.id in rejected)
                seqs += [event.seq for event in found if event is not None]
            # Once each, and in the order they were done.
            assert seqs == sorted(seqs)
            assert sorted(seqs) == sorted(by_phone[pocket.id])

    def _pairs(self, record: Record, first: str) -> list[Any]:
        points = [point for point, _ in dead_pairs(self.shop.plate)] + [CONTROL_POINT]
        found = [record.event(str(uuid5(UUID(first), point))) for point in points]
        return [event for event in found if event is not None]
