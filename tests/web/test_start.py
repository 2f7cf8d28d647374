"""New calls, plates and what leaves the application, over HTTP."""

import csv
import io
import json
import re
from collections.abc import Callable
from datetime import date
from uuid import uuid4

import pytest
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import Engine, select, text, update

from plentar.core.unit.patterns import PATTERNS
from plentar.formats.call_json import call_from_json, readings_of
from plentar.formats.plate_form import plate_form_of
from plentar.formats.unit_json import nameplate_from_json
from plentar.store.database import make_sessions
from plentar.store.models import Call, MeterRow, Unit
from tests.actions import event, prove_dead, send
from tests.application import ShopOf, flat, problems, reasons, sign_in

HTMX = {"HX-Request": "true"}
LINE = "volts:feed-1.l1:feed-1.l2"
NEW = {
    "place_id": "new",
    "place_name": "4 Sorrel Way",
    "unit_id": "new",
    "start_from": "pattern:two-strip-sequencer",
    "complaints": "no heat",
}


def test_a_new_call_makes_place_unit_and_call_once(client: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """The same form sent twice is one call; temperatures, words and who is at risk are kept."""
    form = {
        **NEW,
        "call_id": str(uuid4()),
        "words": "cold since noon",
        "at_risk": "infant",
        "outdoor": "−4",
        "indoor": "61",
    }
    first = client.post("/calls/new", data=form)
    again = client.post("/calls/new", data=form)
    assert first.status_code == again.status_code == 302
    assert first.location == again.location
    with make_sessions(engine)() as db:
        call = db.get_one(Call, (shop.shop.id, form["call_id"]))
        assert (call.complaints, call.at_risk, call.outdoor_degf, call.indoor_degf) == (
            ["no heat"],
            "infant",
            -4.0,
            61.0,
        )
        assert call.unit.place.name == "4 Sorrel Way"
    page = client.get(f"/calls/{form['call_id']}?panel=complaint").text
    assert "cold since noon" in page
    assert "-4 °F" in page


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"complaints": ""}, "complaints"),
        ({"place_name": " "}, "place_name"),
        ({"place_name": "1 test row"}, "place_name"),
        ({"start_from": ""}, "start_from"),
        ({"start_from": "unit:nonsense"}, "start_from"),
        ({"outdoor": "cold"}, "outdoor"),
        ({"indoor": "400"}, "indoor"),
        ({"place_id": str(uuid4())}, "place_name"),
        ({"plan": "yes", "plan_on": "2027-03-14", "plan_at": "02:30"}, "plan_at"),
    ],
)
def test_a_call_that_cannot_start_says_why_and_keeps_what_is_typed(
    client: FlaskClient, shop: ShopOf, changes: dict[str, str], field: str
) -> None:
    """422, the message, and the rest of the form as it was."""
    form = {
        name: value
        for name, value in {**NEW, "words": "typed words", **changes}.items()
        if name != "complaints" or value
    }
    if changes.get("complaints") == "":
        form.pop("words")
    answer = client.post("/calls/new", data=form)
    assert answer.status_code == 422
    assert problems(answer.text) == [field]
    assert "typed words" in answer.text or changes.get("complaints") == ""


def test_a_stranger_finds_neither_place_nor_unit(app: Flask, make_shop: Callable[..., ShopOf]) -> None:
    """Search, units and plates stay within the shop."""
    mine, theirs = make_shop(), make_shop()
    client = sign_in(app, mine)
    assert client.get(f"/units/{theirs.unit_id}/nameplate").status_code == 404
    form = {**plate_form_of(theirs.plate).texts, "version": "1"}
    assert client.post(f"/units/{theirs.unit_id}/nameplate", data=form).status_code == 404
    answer = client.post("/calls/new", data={**NEW, "start_from": f"unit:{theirs.unit_id}"})
    assert problems(answer.text) == ["start_from"]
    for what in ("report.pdf", "call.json", "readings.csv", f"photos/{uuid4()}.jpg"):
        assert client.get(f"{theirs.url}/{what}").status_code == 404


def test_a_plate_is_saved_once_and_a_stale_form_does_not_overwrite(
    client: FlaskClient, shop: ShopOf, engine: Engine
) -> None:
    """The second save with the old version is refused with everything typed; its next try goes through."""
    url = f"/units/{shop.unit_id}/nameplate"
    form = {**plate_form_of(shop.plate).texts, "version": "1", "do": "keep"}
    assert client.post(url, data={**form, "circuits[0].rated_watts": "4"}).status_code == 302
    stale = client.post(url, data={**form, "circuits[1].rated_watts": "3"})
    assert stale.status_code == 422
    assert problems(stale.text) == ["version"]
    assert 'name="version" value="2"' in stale.text
    assert client.post(url, data={**form, "circuits[1].rated_watts": "3", "version": "2"}).status_code == 302
    with make_sessions(engine)() as db:
        plate = nameplate_from_json(db.get_one(Unit, (shop.shop.id, shop.unit_id)).nameplate)
        assert [c.rated_watts for c in plate.circuits] == [5e3, 3e3]


def test_a_feed_added_after_proving_dead_ends_proven_dead(client: FlaskClient, shop: ShopOf) -> None:
    """A feed nobody has proven is taken as live, and ohms are refused again."""
    prove_dead(client, shop)
    texts = plate_form_of(PATTERNS["three-strip-dc-relay"]()).texts
    assert client.post(f"/units/{shop.unit_id}/nameplate", data={**texts, "version": "1"}).status_code == 302
    refused = client.post(
        f"{shop.url}/readings",
        data={"reading_id": str(uuid4()), "point": "ohms:strip-a.element", "value": "11"},
        headers=HTMX,
    )
    assert refused.status_code == 422
    assert "safety.still-missing" in reasons(refused.text)


def test_readings_survive_a_plate_that_loses_their_point(client: FlaskClient, shop: ShopOf) -> None:
    """Strip B's reading stays on the report, unjudged, when the plate turns out to have one strip."""
    client.post(
        f"{shop.url}/readings",
        data={"reading_id": str(uuid4()), "point": "amps:strip-b", "value": "19.8"},
        headers=HTMX,
    )
    texts = plate_form_of(PATTERNS["one-strip-dpdt"]()).texts
    assert client.post(f"/units/{shop.unit_id}/nameplate", data={**texts, "version": "1"}).status_code == 302
    report = client.get(f"{shop.url}/report").text
    assert "19.8" in report
    assert "data-gone" in report


def test_the_call_leaves_as_json_csv_and_pdf(client: FlaskClient, shop: ShopOf) -> None:
    """JSON reads back as a call file without the superseded reading; CSV is safe and complete; PDFs are PDFs."""
    first = str(uuid4())
    client.post(f"{shop.url}/readings", data={"reading_id": first, "point": LINE, "value": "204"}, headers=HTMX)
    fix = {"reading_id": str(uuid4()), "point": LINE, "value": "240", "supersedes": first, "reason": "=misread"}
    client.post(f"{shop.url}/readings", data=fix, headers=HTMX)
    document = json.loads(client.get(f"{shop.url}/call.json").text)
    kept = readings_of(call_from_json(document), shop.plate)
    assert [reading.value for reading in kept] == [240.0]
    rows = list(csv.DictReader(io.StringIO(client.get(f"{shop.url}/readings.csv").text)))
    assert [row["value"] for row in rows] == ["204", "240"]
    assert rows[1]["reason"] == "'=misread"
    assert rows[1]["supersedes"] == first
    for reader in ("office", "customer"):
        pdf = client.get(f"{shop.url}/report.pdf?reader={reader}")
        assert pdf.data.startswith(b"%PDF")
        assert f"{reader}.pdf" in pdf.headers["Content-Disposition"]


def test_a_reading_leaves_with_the_meter_it_was_read_with(client: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """By another meter than the call's, calibrated in March: its name and day in every table, JSON and paper."""
    with make_sessions(engine).begin() as db:
        own = db.scalars(select(MeterRow).where(MeterRow.shop_id == shop.shop.id)).one()
        other = MeterRow(
            id=uuid4(), shop_id=own.shop_id, name="Bench meter", ranges=own.ranges, calibrated_on=date(2026, 3, 12)
        )
        db.add(other)
        other_id = other.id
    send(client, shop, event("reading", point=LINE, typed="241"))
    [kept] = send(client, shop, event("reading", point=LINE, typed="240", meter=str(other_id)))
    assert kept["answer"] == "kept"
    with make_sessions(engine).begin() as db:
        db.execute(update(MeterRow).where(MeterRow.id == other_id).values(calibrated_on=date(2026, 9, 1)))
    expected = [("Test meter", ""), ("Bench meter", "2026-03-12")]
    for address in (f"{shop.url}/readings.csv", f"/units/{shop.unit_id}/readings.csv"):
        rows = list(csv.DictReader(io.StringIO(client.get(address).text)))
        assert [(row["meter"], row["meter_calibrated_on"]) for row in rows] == expected, address
    document = json.loads(client.get(f"{shop.url}/call.json").text)
    assert [(r["meter"], r.get("meter_calibrated_on", "")) for r in document["readings"]] == expected
    assert len(readings_of(call_from_json(document), shop.plate)) == 2
    paper = flat(client.get(f"{shop.url}/report?reader=office").text)
    assert re.search(r"Test meter; Bench meter,[^.]* 2026-03-12\.", paper)


def test_a_corrected_reading_counts_no_more_in_the_tidy_table(client: FlaskClient, shop: ShopOf) -> None:
    """Corrected or taken back, it is marked; what stands is not."""
    first, second = event("reading", point=LINE, typed="204"), event("reading", point="amps:strip-a", typed="20")
    send(client, shop, first, second)
    send(client, shop, event("reading", point=LINE, typed="240", supersedes=first["id"], reason="misread"))
    send(client, shop, event("void", event=second["id"], reason="wrong strip"))
    rows = csv.DictReader(io.StringIO(client.get(f"/units/{shop.unit_id}/readings.csv").text))
    assert [(row["value"], row["struck"]) for row in rows] == [("204.0", "yes"), ("20.0", "yes"), ("240.0", "")]


def test_what_is_found_feeds_the_suspects(client: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """A loose push-on at strip B is kept with its place; without a place it is refused; twice sent it is one."""
    found = {"observation_id": str(uuid4()), "kind": "loose-push-on", "about": "", "state": "found"}
    refused = client.post(f"{shop.url}/observations", data=found, headers=HTMX)
    assert refused.status_code == 422
    assert problems(refused.text) == ["about"]
    for _ in range(2):
        kept = client.post(f"{shop.url}/observations", data={**found, "about": "strip-b"}, headers=HTMX)
        assert kept.status_code == 200
    assert "found: Strip B" in kept.text
    assert "Suspects" in kept.text
    with engine.connect() as db:
        assert (
            db.scalar(text("select count(*) from event where call_id = :c and kind = 'seen'"), {"c": shop.call_id}) == 1
        )


def test_changes_are_told_only_when_there_are_any(client: FlaskClient, shop: ShopOf) -> None:
    """An up-to-date page gets nothing; one that is behind gets board, run sheet, findings and strip, not the pad."""
    page = client.get(shop.url).text
    version = page.split('data-version="')[1].split('"')[0]
    known = {"If-None-Match": f'"{version}"'}
    assert client.get(f"{shop.url}/changes", headers=known).status_code == 304
    client.post(f"{shop.url}/readings", data={"reading_id": str(uuid4()), "point": LINE, "value": "240"}, headers=HTMX)
    moved = client.get(f"{shop.url}/changes", headers=known)
    assert (moved.status_code, moved.headers["ETag"]) == (200, f'"{int(version) + 1}"')
    behind = client.get(f"{shop.url}/others")
    assert 'id="board"' in behind.text
    assert 'id="pad"' not in behind.text


@pytest.mark.parametrize("call_id", [" ", "\t", ""])
def test_a_blank_id_is_no_id(client: FlaskClient, call_id: str) -> None:
    """A call is made under an id of the server's own."""
    answer = client.post("/calls/new", data={**NEW, "call_id": call_id, "words": "cold"})
    assert answer.status_code == 302
    assert "call=" in answer.location


def test_a_meter_that_does_not_read_it_is_asked_about(client: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """Microfarads by a meter whose card has none: no accuracy is guessed, the meter it was read with is asked for."""
    with make_sessions(engine).begin() as db:
        meter = db.scalars(select(MeterRow).where(MeterRow.shop_id == shop.shop.id)).one()
        meter.ranges = [entry for entry in meter.ranges if entry["quantity"] != "microfarads"]
    taken = event("reading", point="microfarads:blower.capacitor", typed="7.4", in_hand="at rest")
    [answer] = send(client, shop, taken)
    assert (answer["answer"], answer["field"]) == ("refused", "meter")


@pytest.mark.parametrize(("volts", "asks"), [("221", True), ("222", False), ("184", True), ("183", False)])
def test_a_low_supply_asks_for_the_service_before_it_is_judged(
    client: FlaskClient, shop: ShopOf, volts: str, asks: bool
) -> None:
    """222 V is a 240 V service that sags; 221 and down to 184 fit 208 V: one tap puts the unit on it."""
    send(client, shop, event("reading", point=LINE, typed=volts))
    page = client.get(f"{shop.url}?point={LINE}").text
    assert ("data-asks-service" in page) == asks
    if asks:
        unit = f"/units/{shop.unit_id}"
        assert client.post(f"{unit}/service", data={"call": str(shop.call_id), "volts": "208"}).status_code == 302
        assert "data-asks-service" not in client.get(f"{shop.url}?point={LINE}").text
        assert '<option value="208" selected' in client.get(f"{unit}/nameplate").text
