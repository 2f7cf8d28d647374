"""What a technician does on a call, sent the way the application takes everything in: as a list of events."""

import hmac
from collections.abc import Iterable, Mapping
from datetime import UTC, datetime, timedelta
from hashlib import sha256
from typing import Any
from uuid import uuid4

from flask.testing import FlaskClient

from plentar.core.evidence.lockout import dead_pairs
from plentar.core.work.safety import CONTROL_POINT
from tests.application import ShopOf

Sent = dict[str, Any]


SEALED = ("Plentar-Sent", "Plentar-Done", "Plentar-Clock", "Plentar-Late")


def sealed(key: bytes, phone: str, path: str, body: bytes, told: Mapping[str, str]) -> dict[str, str]:
    """The headers a phone sends a form with: what it tells of the sending, and the seal over it."""
    lines = ["POST", path, *(told[name] for name in SEALED), sha256(body).hexdigest()]
    seal = hmac.new(key, "\n".join(lines).encode(), "sha256").hexdigest()
    return {"Plentar-Phone": phone, "Plentar-Seal": seal, **told}


def event(kind: str, *, ago: Any = 0.0, clock: Any = 0.0, **payload: Any) -> Sent:
    """One event, done so many seconds ago by a clock that may be so many wrong."""
    done_at = (datetime.now(UTC) - timedelta(seconds=ago)).isoformat()
    return {"id": str(uuid4()), "kind": kind, "payload": payload, "done_at": done_at, "clock_seconds": clock}


def send(client: FlaskClient, shop: ShopOf, *events: Sent) -> list[Sent]:
    """Send events and return the answers."""
    answer = client.post(f"{shop.url}/events", json={"events": list(events)})
    assert answer.status_code == 200, answer.text
    assert answer.json is not None
    answers: list[Sent] = answer.json["answers"]
    return answers


def condition(client: FlaskClient, shop: ShopOf) -> Sent:
    """The condition as the server folds it, told with a note."""
    answer = client.post(f"{shop.url}/events", json={"events": [event("note", words="what now?")]})
    assert answer.json is not None
    found: Sent = answer.json["condition"]
    return found


def call_heat(client: FlaskClient, shop: ShopOf, seconds: float) -> None:
    """Let heat have been called for so long, without waiting for it."""
    [answer] = send(client, shop, event("switch", ago=seconds, what="W", state="on"))
    assert answer["answer"] == "kept"


def legs_live(shop: ShopOf, ago: float) -> list[Sent]:
    """Each leg to the frame while live: what proves the frame."""
    volts = "138" if shop.plate.supply == "wye" else "120.4"
    legs = [f"{feed.id}.{leg}" for feed in shop.plate.feeds for leg in ("l1", "l2")]
    return [event("reading", ago=ago, point=f"volts:{leg}:ground", typed=volts) for leg in legs]


def safe_events(shop: ShopOf, *, without: Iterable[str] = ()) -> list[Sent]:
    """The whole Safe list, in order; `without` leaves out events by their kind or line."""
    feeds = [feed.id for feed in shop.plate.feeds]
    left_out = set(without)
    sent: list[tuple[str, Sent]] = [("frame", entry) for entry in legs_live(shop, 90)]
    sent += [("gear", event("tick", ago=80, line="safe-gear"))]
    sent += [("off", event("switch", ago=70, what=feed, state="off", device="disconnect")) for feed in feeds]
    sent += [("lock", event("lock", ago=60, feed=feed)) for feed in feeds]
    sent += [("outdoor", event("tick", ago=55, line="safe-outdoor-off"))]
    sent += [("before", event("meter-proven", ago=50, volts=121.0))]
    points = [point for point, _ in dead_pairs(shop.plate)]
    sent += [("pairs", event("reading", ago=40, point=point, typed="0.2")) for point in points]
    sent += [("control", event("reading", ago=35, point=CONTROL_POINT, typed="0.1"))]
    sent += [("parts", entry) for entry in part_events(shop, ago=30)]
    sent += [("after", event("meter-proven", ago=20, volts=121.0))]
    if shop.plate.blower.kind == "psc":
        sent += [("capacitor", event("tick", ago=10, line="safe-capacitor", volts=0.3))]
    return [entry for name, entry in sent if name not in left_out]


def part_events(shop: ShopOf, ago: float) -> list[Sent]:
    """Volts read at the parts themselves: across each element and each coil."""
    plate = shop.plate
    points = [f"volts:{strip.id}.element.1:{strip.id}.element.2" for strip in plate.circuits]
    points += [f"volts:{d.id}.coil.1:{d.id}.coil.2" for d in plate.devices if d.kind != "dc-relay"]
    for device in plate.devices:
        ends = [f"{device.id}.pole-{p.number}.{end}" for p in device.poles for end in ("line", "load")]
        points += [f"volts:{end}:ground" for end in ends]
    relay = plate.blower.relay
    if relay is not None:
        points += [f"volts:{relay.id}.{end}:ground" for end in ("com", "no", "nc")]
        points.append(f"volts:{relay.id}.coil.1:{relay.id}.coil.2")
    return [event("reading", ago=ago, point=point, typed="0.1") for point in points]


def prove_dead(client: FlaskClient, shop: ShopOf) -> None:
    """Do the whole Safe list, parts included."""
    answers = send(client, shop, *safe_events(shop))
    assert {answer["answer"] for answer in answers} == {"kept"}, answers
    found = condition(client, shop)
    assert set(found["feeds"].values()) | {found["control"]} == {"proven dead"}, found
