"""What the server takes from a phone, and what it does not."""

import json
import subprocess
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from io import BytesIO
from typing import Any
from urllib.parse import urlencode
from uuid import uuid4

import pytest
from flask import Flask
from flask.testing import FlaskClient
from PIL import Image
from sqlalchemy import Engine, text

from plentar.core.evidence.lockout import dead_pairs
from plentar.core.work.safety import CONTROL_POINT
from tests import ROOT
from tests.actions import event, safe_events, sealed, send
from tests.application import PASSWORD, ShopOf, application, sign_in


@pytest.fixture
def guarded(engine: Engine, database_url: str) -> Any:
    """The application with the page's token asked for."""
    with application(database_url, secret_key="g" * 32) as app:
        yield app


class Phone:
    """A phone that was set up."""

    def __init__(self, client: FlaskClient) -> None:
        self.client, self.id = client, str(uuid4())
        keys = client.post("/phone/key", data={"phone": self.id}).json
        assert keys is not None
        self.key = bytes.fromhex(keys["seal"])

    def send(
        self,
        path: str,
        fields: dict[str, str],
        more: dict[str, str] | None = None,
        *,
        late: bool = True,
        key: bytes | None = None,
    ) -> Any:
        """Send one form, sealed."""
        body = urlencode(fields).encode()
        told = {
            "Plentar-Sent": str(uuid4()),
            "Plentar-Done": (datetime.now(UTC) - timedelta(hours=1)).isoformat(),
            "Plentar-Clock": "2.5",
            "Plentar-Late": "yes" if late else "",
        } | (more or {})
        headers = sealed(key or self.key, self.id, path, body, told)
        return self.client.post(path, data=body, headers=headers, content_type="application/x-www-form-urlencoded")


def reading(point: str = "volts:feed-1.l1:feed-1.l2", typed: str = "241") -> dict[str, str]:
    return {"reading_id": str(uuid4()), "point": point, "value": typed}


def kinds(engine: Engine, shop: ShopOf) -> list[str]:
    """The call's kinds of events, without its beginning."""
    query = text("select kind from event where call_id = :call and seq > 1 order by seq")
    with engine.connect() as connection:
        return [row.kind for row in connection.execute(query, {"call": shop.call_id})]


def test_a_seal_stands_in_for_the_pages_token(guarded: Flask, app: Flask, shop: ShopOf, engine: Engine) -> None:
    """Sealed it is kept with the phone's moment and doubt; without a seal, or with a wrong one, it is not."""
    client = sign_in(app, shop)
    phone = Phone(client)
    # The same sign-in, asked by the application that looks at tokens.
    other = guarded.test_client()
    token = other.get("/sign-in").text.split('name="csrf_token" value="')[1].split('"')[0]
    form = {"csrf_token": token, "email": shop.email, "password": PASSWORD}
    assert other.post("/sign-in", data=form).status_code == 302
    phone.client = other
    path = f"{shop.url}/readings"
    assert other.post(path, data=reading()).status_code == 400
    assert phone.send(path, reading(), key=b"0" * 32).status_code == 400
    assert phone.send(path, reading(), {"Origin": "http://elsewhere.example"}).status_code == 400
    assert kinds(engine, shop) == []
    answer = phone.send(path, reading())
    assert (answer.status_code, answer.json) == (200, {"kept": True})
    with engine.connect() as connection:
        query = text(
            "select clock_seconds, come_at - done_at as late, phone_id from event where call_id = :c and seq > 1"
        )
        [row] = connection.execute(query, {"c": shop.call_id}).all()
    assert row.clock_seconds == 2.5
    assert timedelta(minutes=59) < row.late < timedelta(minutes=61)
    assert str(row.phone_id) == phone.id


def test_sent_again_it_is_kept_once(client: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """The answer was lost: the same form again is the same event."""
    phone, form = Phone(client), reading()
    assert [phone.send(f"{shop.url}/readings", form).json for _ in range(3)] == [{"kept": True}] * 3
    assert kinds(engine, shop) == ["reading"]


def test_what_cannot_be_kept_is_set_aside_whole_and_once(client: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """Ohms on what nobody proved dead: refused with why, kept aside, shown on the call until somebody has seen it."""
    phone, form = Phone(client), reading("ohms:strip-a.element", "11.6")
    sent = {"Plentar-Sent": str(uuid4())}
    answers = [phone.send(f"{shop.url}/readings", form, sent) for _ in range(2)]
    assert [answer.status_code for answer in answers] == [200, 200]
    assert answers[0].json["aside"] is True
    assert "dead" in answers[0].json["why"]
    assert kinds(engine, shop) == []
    page = client.get(shop.url).text
    assert page.count('aria-label="Not accepted"') == 1
    assert "11.6" in page
    rejected = page.split("/aside/")[1].split('"')[0]
    assert client.post(f"{shop.url}/aside/{rejected}").status_code == 302
    assert client.post(f"{shop.url}/aside/{rejected}").status_code == 302
    assert "/aside/" not in client.get(shop.url).text
    with engine.connect() as connection:
        query = text("select s.body, c.asides from set_aside s join call c on c.id = s.call_id where s.call_id = :c")
        [row] = connection.execute(query, {"c": shop.call_id}).all()
    assert (b"11.6" in bytes(row.body), row.asides) == (True, 0)


def test_in_front_of_somebody_it_is_refused_and_not_set_aside(client: FlaskClient, shop: ShopOf) -> None:
    """Who waits for the answer sees it beside the field."""
    answer = Phone(client).send(f"{shop.url}/readings", reading(typed="many"), late=False)
    assert answer.status_code == 422
    assert "number" in answer.text


def test_anothers_phone_and_an_ended_one_send_nothing(
    app: Flask, client: FlaskClient, shop: ShopOf, make_shop: Callable[..., ShopOf], engine: Engine
) -> None:
    """A phone belongs to its person; signed out from elsewhere it is ended for good."""
    phone, path = Phone(client), f"{shop.url}/readings"
    stranger = make_shop()
    phone.client = sign_in(app, stranger)
    assert phone.send(path, reading()).json == {"phone": "another's"}
    assert phone.client.get(f"/phone/aboard/{shop.call_id}").status_code == 404
    assert phone.client.get(f"/phone/dead/{shop.call_id}").status_code == 404
    assert phone.client.get(f"/calls/new/aboard?unit={shop.unit_id}").status_code == 404
    phone.client = app.test_client()
    assert phone.send(path, reading()).status_code == 401
    phone.client = client
    assert sign_in(app, shop).post("/you/sign-ins/end").status_code == 302
    phone.client = sign_in(app, shop)
    assert (phone.send(path, reading()).status_code, phone.send(path, reading()).json) == (403, {"phone": "ended"})
    assert phone.client.post("/phone/key", data={"phone": phone.id}).status_code == 403
    assert kinds(engine, shop) == []


def test_another_builds_page_is_told_before_anything_is_looked_at(client: FlaskClient, shop: ShopOf) -> None:
    """An old page's form is not taken by a new server unseen."""
    answer = client.post(f"{shop.url}/readings", data=reading(), headers={"Plentar-Version": "old"})
    assert answer.status_code == 426
    assert set(answer.json or {}) == {"version"}


@pytest.mark.parametrize(
    "header",
    [
        {"Plentar-Done": "yesterday"},
        {"Plentar-Done": "2026-11-26T10:00:00"},
        {"Plentar-Clock": "-1"},
        {"Plentar-Clock": "nan"},
    ],
)
def test_a_moment_that_is_none_is_refused(client: FlaskClient, shop: ShopOf, header: dict[str, str]) -> None:
    """A clock without a zone, a doubt below zero: nothing of it is kept."""
    assert Phone(client).send(f"{shop.url}/readings", reading(), header).status_code == 400


def test_evidence_of_before_a_closing_is_taken_and_a_second_closing_is_not(
    app: Flask,
    client: FlaskClient,
    shop: ShopOf,
    engine: Engine,
    make_colleague: Callable[[ShopOf], ShopOf],
) -> None:
    """Done an hour ago by somebody else: it stands beside the closing; what decides the call does not."""
    other = Phone(sign_in(app, make_colleague(shop)))
    form = {"close_id": str(uuid4()), "outcome": "all well"}
    assert client.post(f"{shop.url}/close", data=form).status_code == 302
    assert other.send(f"{shop.url}/readings", reading()).json == {"kept": True}
    told = other.send(f"{shop.url}/close", {"close_id": str(uuid4()), "outcome": "strip dead"}).json
    assert told["aside"] is True
    assert "Pim Tester" in told["why"]
    assert kinds(engine, shop) == ["closed", "reading"]


def test_the_shell_holds_nobodys_data(client: FlaskClient, shop: ShopOf) -> None:
    """The page that is kept unsealed names no person, place or shop; the worker brings all of the shell along."""
    page = client.get("/phone/shell").text
    assert not any(word in page for word in ("Pim", "Test Row", "Test shop", "csrf"))
    worker = client.get("/sw.js").text
    for url in page.split('src="')[1:]:
        assert url.split('"')[0] in worker


MOMENTS = """
import { momentOf } from "./assets/phone/time.js";
globalThis.document = { documentElement: { dataset: { doubt: "3600.0" } } };
const wall = 1_800_000_000_000;
const exact = { wall, exact: { at: wall - 600_000, doubt: 40 } };
const reloaded = { wall, exact: null, page: "another", skew: -600_000, doubt: 40 };
const never = { wall, exact: null, page: "another", skew: null, doubt: 0 };
console.log(JSON.stringify([
  momentOf(exact, 0),
  momentOf(reloaded, 0),
  momentOf(reloaded, wall),
  momentOf(never, 0),
]));
"""


def test_a_phones_moments_say_how_wrong_they_may_be() -> None:
    """Ten minutes fast: exact in one page, half a second across a reload; never before the one before; else an hour."""
    run = ["/usr/bin/env", "node", "--input-type=module", "--eval", MOMENTS]
    told = json.loads(subprocess.run(run, cwd=ROOT, check=True, capture_output=True, text=True).stdout)
    wall, fast = 1_800_000_000_000, 600_000
    assert told == [
        {"at": wall - fast, "doubt": 40},
        {"at": wall - fast, "doubt": 540},
        {"at": wall, "doubt": 540 + fast},
        {"at": wall, "doubt": 3_600_000},
    ]


def test_a_photo_taken_along_is_in_the_bundle(client: FlaskClient, shop: ShopOf, make_photo: bytes) -> None:
    """Its small picture comes with the panel, not as an address of the server's."""
    form = {"photo_id": str(uuid4()), "part": "", "note": "", "photo": (BytesIO(make_photo), "a.jpg")}
    assert client.post(f"{shop.url}/photos", data=form).status_code == 302
    bundle = client.get(f"/phone/aboard/{shop.call_id}").json
    assert bundle is not None
    assert "data:image/jpeg;base64," in bundle["parts"]["panel:look"]
    assert "small=1" not in bundle["parts"]["panel:look"]


@pytest.fixture
def make_photo() -> bytes:
    """A small picture."""
    kept = BytesIO()
    Image.new("RGB", (64, 48), "grey").save(kept, "JPEG")
    return kept.getvalue()


def test_dead_without_contact_rests_on_readings_behind_ones_own_lock_alone(
    app: Flask, client: FlaskClient, shop: ShopOf, make_colleague: Callable[[ShopOf], ShopOf]
) -> None:
    """Proven by a colleague, then my lock: the legs read again are not enough while R to C is from before it."""
    send(sign_in(app, make_colleague(shop)), shop, *safe_events(shop))
    mine = [event("lock", ago=8, feed=feed.id) for feed in shop.plate.feeds]
    mine.append(event("meter-proven", ago=7, volts=121.0))
    mine += [event("reading", ago=6, point=point, typed="0.2") for point, _ in dead_pairs(shop.plate)]
    mine.append(event("meter-proven", ago=5, volts=121.0))
    send(client, shop, *mine)
    told = client.get(f"/phone/dead/{shop.call_id}").json
    assert told is not None
    assert set(told["feeds"].values()) == {"proven dead"}
    assert told["stands"] is False
    send(
        client,
        shop,
        event("reading", ago=4, point=CONTROL_POINT, typed="0.1"),
        event("meter-proven", ago=3, volts=121.0),
    )
    told = client.get(f"/phone/dead/{shop.call_id}").json
    assert told is not None
    assert told["stands"] is True
