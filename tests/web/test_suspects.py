"""The suspects panel, the report and the demo, over HTTP."""

import json
import re
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from uuid import uuid4

import pytest
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import Engine, func, select
from sqlalchemy.orm import Session

from plentar.demo import load_demo, move_to_today
from plentar.formats.unit_json import nameplate_from_json
from plentar.store.database import make_sessions, migrate
from plentar.store.models import Call, EventRow, PlaceRow, Unit
from tests.actions import call_heat
from tests.application import ShopOf, flat, own_database, problems, reasons, sign_in

HTMX = {"HX-Request": "true"}
LINE = "volts:feed-1.l1:feed-1.l2"
POLE_B = "volts:seq-a.pole-2.load:seq-a.pole-2.line"


def send(client: FlaskClient, shop: ShopOf, point: str, value: str) -> str:
    """Keep a reading and return the fragments."""
    form = {"reading_id": str(uuid4()), "point": point, "value": value}
    answer = client.post(f"{shop.url}/readings", data=form, headers=HTMX)
    assert answer.status_code == 200, answer.text
    return flat(answer.text)


def test_the_panel_names_the_pole_with_reasons_and_then_nothing_more_to_split(
    client: FlaskClient, shop: ShopOf
) -> None:
    """Readings of a dead pole, one by one: suspects appear, sharpen, and the pole leads."""
    call_heat(client, shop, 400)
    assert "Suspects" not in client.get(shop.url).text
    send(client, shop, LINE, "238.4")
    send(client, shop, "volts:seq-a.coil.1:seq-a.coil.2", "25")
    send(client, shop, "amps:strip-a", "20.5")
    body = send(client, shop, "amps:strip-b", "0")
    assert "Suspects" in body
    assert "Next: Volts" in body
    assert "W calling, live, " in body
    body = send(client, shop, POLE_B, "238.1")
    first = body[body.index("Suspects") :]
    assert re.search(r"show=([^&]+)", first)[1] == "seq-a.pole-2.open"  # type: ignore[index]
    assert "98 %" in first or "97 %" in first or "99 %" in first
    assert "Strip B 0.0 A (0.0 A predicted)" in first
    assert "Against: nothing" in first


def test_a_number_read_elsewhere_is_moved_there_and_stays_struck_through(client: FlaskClient, shop: ShopOf) -> None:
    """Line volts typed at a leg: asked about, moved by one tap; any other number there would be made up."""
    call_heat(client, shop, 400)
    for point, value in ((LINE, "240"), ("amps:strip-a", "20.8"), ("amps:strip-b", "20.7"), ("amps:feed-1", "44")):
        send(client, shop, point, value)
    body = send(client, shop, "volts:feed-1.l1:ground", "240.1")
    assert 'data-ask="volts:feed-1.l1:ground"' in body
    assert "Move 240.1 to" in body
    first = body[body.index('name="supersedes" value="') + 25 :][:36]
    moved = {"reading_id": str(uuid4()), "point": LINE, "value": "240.1", "supersedes": first, "reason": "elsewhere"}
    made_up = client.post(f"{shop.url}/readings", data=moved | {"value": "231"}, headers=HTMX)
    assert made_up.status_code == 422
    assert client.post(f"{shop.url}/readings", data=moved, headers=HTMX).status_code == 200
    page = client.get(f"{shop.url}?point=volts:feed-1.l1:ground").text
    assert "line-through" in page
    assert "data-ask" not in page


def test_a_number_read_while_anything_is_off_is_moved_nowhere(client: FlaskClient, shop: ShopOf) -> None:
    """What proves a place dead, or not, is read there again; with everything live the same number may be moved."""
    leg, form = "volts:feed-1.l1:ground", {"switch": "feed-1=off"}
    assert client.post(f"{shop.url}/condition", data=form, headers=HTMX).status_code == 200
    send(client, shop, leg, "0.2")
    body = client.get(f"{shop.url}?point={leg}").text
    first = re.search(r"correct=([0-9a-f-]{36})", body)
    assert first is not None
    moved = {"reading_id": str(uuid4()), "point": LINE, "value": "0.2", "supersedes": first[1], "reason": "elsewhere"}
    refused = client.post(f"{shop.url}/readings", data=moved, headers=HTMX)
    assert (refused.status_code, problems(refused.text)) == (422, ["supersedes"])


def test_line_on_the_control_side_stops_the_call_until_read_twice_again(client: FlaskClient, shop: ShopOf) -> None:
    """No next test, a stop in every paper; one more reading may be the same slip, two clear it."""
    call_heat(client, shop, 400)
    board = "volts:board.w:board.c"
    assert "Stop." in send(client, shop, board, "120")
    assert "impossible.line-on-control" in reasons(client.get(f"{shop.url}/report").text)
    assert "Next:" not in send(client, shop, board, "25.1")
    assert "Stop." not in send(client, shop, board, "25.2")


def test_too_early_it_says_how_long_to_wait(client: FlaskClient, shop: ShopOf) -> None:
    """Ten seconds after the call nothing is named."""
    call_heat(client, shop, 10)
    send(client, shop, LINE, "238.4")
    body = send(client, shop, "amps:strip-b", "0")
    assert "data-wait" in body
    assert 'data-kind="dead"' not in body


def test_a_reading_nothing_explains_is_asked_for_again(client: FlaskClient, shop: ShopOf) -> None:
    """63 V from one leg to ground among sound ones is doubted by name."""
    send(client, shop, LINE, "240")
    send(client, shop, "volts:feed-1.l2:ground", "120")
    body = send(client, shop, "volts:feed-1.l1:ground", "63")
    assert 'data-ask="volts:feed-1.l1:ground"' in body


@pytest.mark.parametrize("pattern", ["wye-contactor", "one-strip-dpdt", "three-strip-ecm"])
def test_odd_wirings_draw_judge_and_report(app: Flask, make_shop: Callable[..., ShopOf], pattern: str) -> None:
    """Points all over the unit take a reading; board, findings, suspects and report hold it."""
    shop = make_shop(pattern)
    client = sign_in(app, shop)
    client.post(f"{shop.url}/condition", data={"switch": "W=on"})
    page = client.get(shop.url).text
    points = sorted({part.split('"')[0] for part in page.split('data-point="')[1:]})
    # A dozen of them, from all over the unit: twelve everywhere is what no unit shows, and each one more is as long.
    points = points[:: max(4, len(points) // 12)]
    for point in points:
        send(client, shop, point, "12")
    report = client.get(f"{shop.url}/report").text
    rows = report[report.index("<h2>Readings</h2>") :]
    assert rows.count("W calling") == len(points)


def test_a_closed_call_takes_nothing_more(client: FlaskClient, shop: ShopOf) -> None:
    """Neither a reading nor a switch; both say why."""
    assert client.post(f"{shop.url}/close", data={"outcome": "done"}, headers=HTMX).status_code == 200
    form = {"reading_id": str(uuid4()), "point": LINE, "value": "240"}
    refused = client.post(f"{shop.url}/readings", data=form, headers=HTMX)
    assert refused.status_code == 422
    assert problems(refused.text) == ["value"]
    switch = client.post(f"{shop.url}/condition", data={"switch": "W=on"}, headers=HTMX)
    assert switch.status_code == 422


def test_without_scripts_the_same_forms_work(client: FlaskClient, shop: ShopOf) -> None:
    """Plain posts redirect to the page that shows the result."""
    form = {"reading_id": str(uuid4()), "point": LINE, "value": "240"}
    answer = client.post(f"{shop.url}/readings", data=form)
    assert (answer.status_code, answer.location) == (302, f"{shop.url}?point={LINE}")
    assert client.post(f"{shop.url}/condition", data={"switch": "W=on"}).location == shop.url
    refused = client.post(f"{shop.url}/readings", data={**form, "reading_id": str(uuid4()), "value": "2O"})
    assert refused.status_code == 422
    assert "<html" in refused.text
    assert 'value="2O"' in refused.text


def test_what_is_typed_is_judged_without_being_kept(client: FlaskClient, shop: ShopOf) -> None:
    """A preview shows the verdict and leaves no reading behind."""
    body = client.post(f"{shop.url}/judge", data={"point": LINE, "value": "205"}, headers=HTMX).text
    assert 'data-kind="low supply"' in body
    assert "expected a number" in client.post(f"{shop.url}/judge", data={"point": LINE, "value": "x"}).text
    assert "data-taken" not in client.get(shop.url).text


def test_the_demo_is_the_same_every_time_and_moves_with_the_day(engine: Engine) -> None:
    """Loaded twice into fresh databases on different days: same places, units, calls and readings, moved to the day."""
    loads = []
    for offset in (0, 3):
        with own_database(engine) as own:
            migrate(own)
            moment = datetime(2026, 1, 12, 18, 0, tzinfo=UTC) + timedelta(days=offset)
            with make_sessions(own).begin() as db:
                assert load_demo(db, moment)
                assert not load_demo(db, moment)
                loads.append(contents(db))
                move_to_today(db, moment + timedelta(days=2))
                begun = db.scalars(select(Call.scheduled_at).where(Call.status == "open")).one()
                assert begun.date() == (moment + timedelta(days=2)).date()
                # What was done stays when it was: its readings are stamped after it began.
                opened = select(EventRow.call_id, func.min(EventRow.done_at).label("at")).group_by(EventRow.call_id)
                first = opened.subquery()
                query = select(Call.scheduled_at, first.c.at).join(first, first.c.call_id == Call.id)
                assert all(at >= began for began, at in db.execute(query.where(Call.status == "closed")))
    assert loads[0] == loads[1]


def contents(db: Session) -> str:
    """Everything of the demo that does not depend on the day."""
    places = [(row.name, row.town, row.occupant) for row in db.scalars(select(PlaceRow).order_by(PlaceRow.name))]
    units = [row.nameplate for row in db.scalars(select(Unit).order_by(Unit.id))]
    query = select(EventRow).where(EventRow.kind == "reading").order_by(EventRow.id)
    readings = [(str(row.id), row.payload["point"], row.payload["value"]) for row in db.scalars(query)]
    assert len(places) >= 45
    assert all(nameplate_from_json(unit) for unit in units)
    return json.dumps([places, units, readings])


def test_a_call_that_stood_before_it_was_tapped_says_since_when(client: FlaskClient, shop: ShopOf) -> None:
    """Strips on at once: early by the clock as tapped, right for one of five minutes, right where nobody timed it."""
    call_heat(client, shop, 3)
    assert "since W" in client.get(shop.url).text
    early = send(client, shop, "amps:strip-b", "20.6")
    assert 'value="heat-was-on"' in early
    for since in ("300", "came"):
        form = {"switch_id": str(uuid4()), "switch": f"W=on@{since}"}
        assert client.post(f"{shop.url}/condition", data=form, headers=HTMX).status_code == 200
        assert 'value="heat-was-on"' not in send(client, shop, "amps:strip-b", "20.6"), since
    wrong = {"switch_id": str(uuid4()), "switch": "W=on@yesterday"}
    assert client.post(f"{shop.url}/condition", data=wrong, headers=HTMX).status_code == 400
