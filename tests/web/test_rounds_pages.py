"""Rounds in the application: planned beside the request, walked by the short form, told to the owner."""

import re
import time
from typing import Any
from uuid import UUID, uuid4

import pytest
from flask.testing import FlaskClient
from sqlalchemy import Engine, select

from plentar.core.unit.place import amps_at, line_volts
from plentar.store.database import make_sessions
from plentar.store.models import Call, EventRow, PlaceRow, Unit
from plentar.store.shop_models import Round
from plentar.web.rounds.check import points_of
from tests.application import ShopOf, flat, problems


@pytest.fixture
def estate(engine: Engine, shop: ShopOf) -> list[UUID]:
    """Twelve like units in three blocks."""
    ids = []
    with make_sessions(engine).begin() as db:
        plate = db.get_one(Unit, (shop.shop.id, shop.unit_id)).nameplate
        for number in range(12):
            place = PlaceRow(
                id=uuid4(), shop_id=shop.shop.id, name=f"Elder Court {number + 1}", estate="Elder Court",
                block="ABC"[number % 3], door=str(number + 1),
            )  # fmt: skip
            db.add(place)
            db.flush()
            unit = Unit(id=uuid4(), shop_id=shop.shop.id, place_id=place.id, label="closet", nameplate=plate)
            db.add(unit)
            ids.append(unit.id)
    return ids


def wanted(shop: ShopOf, units: list[UUID], **more: Any) -> dict[str, Any]:
    return {
        "round_id": str(uuid4()),
        "name": "Elder Court, autumn",
        "first_day": "2027-01-14",
        "days": "2",
        "begins": "08:00",
        "ends": "16:00",
        "minutes": "30",
        "capacity": "420",
        "people": [str(shop.person.id)],
        "units": [str(unit) for unit in units],
        **more,
    }


def planned(client: FlaskClient, form: dict[str, Any], engine: Engine) -> Round:
    """Send the form, and wait for the plan as the page does."""
    answer = client.post("/rounds/new?estate=Elder+Court", data=form)
    assert answer.status_code == 302, flat(answer.text)[:1500]
    for _ in range(1200):
        with make_sessions(engine)() as db:
            row = db.scalars(select(Round).where(Round.id == UUID(form["round_id"]))).one()
        if row.state == "planned":
            return row
        time.sleep(0.1)
    raise AssertionError("the round is still being made")


def test_twelve_units_are_planned_once_inside_their_hours(
    lead: FlaskClient, estate: list[UUID], shop: ShopOf, engine: Engine
) -> None:
    """Sent twice it is one round; the one who is home from two on is come to then; an impossible one is named."""
    late, never = estate[4], estate[7]
    hours = {f"from-{late}": "14:00", f"from-{never}": "08:00", f"to-{never}": "08:10"}
    form = wanted(shop, estate, **hours)
    row = planned(lead, form, engine)
    assert lead.post("/rounds/new?estate=Elder+Court", data=form).status_code == 302
    with make_sessions(engine)() as db:
        calls = db.scalars(select(Call).where(Call.round_id == row.id).order_by(Call.scheduled_at)).all()
    assert len(calls) == 11
    assert never not in {call.unit_id for call in calls}
    at = next(call.scheduled_at for call in calls if call.unit_id == late)
    assert at.hour >= 20
    page = flat(lead.get(f"/rounds/{row.id}").text)
    [left_out] = re.findall(r'role="alert">([^<]*)', page)
    assert all(part in left_out for part in ("Elder Court 8", "08:00", "08:10"))
    assert "15 min" in page
    assert "0 of 11" in page


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"units": []}, "units"),
        ({"people": []}, "people"),
        ({"ends": "07:00"}, "ends"),
        ({"days": "0"}, "days"),
        ({"name": " "}, "name"),
    ],
)
def test_a_round_that_cannot_be_is_told(
    lead: FlaskClient, estate: list[UUID], shop: ShopOf, wrong: dict[str, Any], field: str
) -> None:
    """At its field, and nothing is planned."""
    answer = lead.post("/rounds/new?estate=Elder+Court", data=wanted(shop, estate) | wrong)
    assert answer.status_code == 422
    assert problems(answer.text) == [field]


def press(client: FlaskClient, url: str, do: str, **fields: str) -> Any:
    return client.post(url, data={"check_id": str(uuid4()), "do": do, **fields})


def walk(client: FlaskClient, call_id: UUID, amps: tuple[str, str] = ("20.4", "20.6")) -> int:
    """Check one healthy unit as a person does; return how many taps and fields that took."""
    url, taps = f"/rounds/check/{call_id}", 0
    nothing = {line_volts("feed-1"): "241"}
    heat = {
        line_volts("feed-1"): "238.5",
        amps_at("strip-a"): amps[0],
        amps_at("strip-b"): amps[1],
        amps_at("feed-1"): "43.2",
        amps_at("blower"): "2.3",
    }
    for do, fields in (
        ("zeros:nothing", nothing),
        ("go:fan", {}),
        ("zeros:fan", {}),
        ("go:heat", {}),
        ("came:strip-a", {}),
        ("came:strip-b", {}),
        ("keep:heat", heat),
        ("go:nothing", {}),
        ("air:", {"return_degf": "68", "supply_degf": "98"}),
        ("look:", {}),
        ("close:", {"outcome": "Season's check."}),
    ):
        answer = press(client, url, do, **fields)
        assert answer.status_code == 302, (do, re.findall(r'class="problem[^>]*>([^<]*)', answer.text))
        taps += 1 + len(fields)
    return taps


def test_a_healthy_unit_takes_thirty_taps_and_leads_to_the_next(
    lead: FlaskClient, estate: list[UUID], shop: ShopOf, engine: Engine
) -> None:
    """Every action is in the record under the condition it was done in; closing leads to the next unit at once."""
    row = planned(lead, wanted(shop, estate[:3]), engine)
    with make_sessions(engine)() as db:
        calls = db.scalars(select(Call).where(Call.round_id == row.id).order_by(Call.scheduled_at)).all()
    taps = walk(lead, calls[0].id)
    assert taps <= 30
    with make_sessions(engine)() as db:
        query = select(EventRow).where(EventRow.call_id == calls[0].id, EventRow.kind == "reading")
        rows = db.scalars(query.order_by(EventRow.seq)).all()
        assert db.get_one(Call, (shop.shop.id, calls[0].id)).status == "closed"
    under = {tuple(sorted(dict(entry.payload["condition"]["calls"]))) for entry in rows}
    assert under >= {(), ("G",), ("W",)}
    assert len([entry for entry in rows if not entry.payload["condition"]["calls"]]) >= 8
    page = lead.get(f"/rounds/{row.id}")
    assert "1 of 3" in flat(page.text)
    answer = press(lead, f"/rounds/check/{calls[1].id}", "close:", outcome="no access")
    assert answer.location.endswith(f"/rounds/check/{calls[2].id}")


def test_readings_are_not_kept_under_calls_that_are_not_set(lead: FlaskClient, shop: ShopOf) -> None:
    """Heat's readings with nothing calling are refused beside their part, and what was typed stays."""
    answer = press(lead, f"/rounds/check/{shop.call_id}", "keep:heat", **{amps_at("strip-a"): "20.4"})
    assert answer.status_code == 422
    assert problems(answer.text)
    assert press(lead, f"/rounds/check/{shop.call_id}", "keep:nothing").status_code == 422
    assert press(lead, f"/rounds/check/{shop.call_id}", "explode").status_code == 422


def test_the_short_form_reads_both_leads_and_around_both(shop: ShopOf) -> None:
    """Without a call every circuit's two leads, and both in one jaw, where only a leak to the frame shows."""
    names = points_of(shop.plate, "nothing")
    for strip in ("strip-a", "strip-b"):
        assert {amps_at(strip), amps_at(f"{strip}.return"), amps_at(strip, f"{strip}.return")} <= set(names)
    assert amps_at("blower") in names


def test_the_owner_reads_who_stands_apart(lead: FlaskClient, estate: list[UUID], shop: ShopOf, engine: Engine) -> None:
    """Six units at 20.5 A and one at 14: the page, the table and the paper name that one."""
    row = planned(lead, wanted(shop, estate[:7]), engine)
    with make_sessions(engine)() as db:
        calls = db.scalars(select(Call).where(Call.round_id == row.id).order_by(Call.scheduled_at)).all()
    for number, call in enumerate(calls):
        walk(lead, call.id, ("20.5", "14.0" if number == 3 else f"20.{4 + number % 3}"))
    with make_sessions(engine)() as db:
        low = db.scalar(
            select(PlaceRow.name).join(Unit, Unit.place_id == PlaceRow.id).where(Unit.id == calls[3].unit_id)
        )
    page = flat(lead.get(f"/rounds/{row.id}/outliers").text)
    assert f"<b>{low}</b></a>, Strip B" in page
    table = lead.get(f"/rounds/{row.id}/report.csv").text
    assert [line for line in table.splitlines() if line.endswith("level")] == [
        line for line in table.splitlines() if line.startswith(str(low)) and "Strip B" in line
    ]
    assert lead.get(f"/rounds/{row.id}/report.pdf").data.startswith(b"%PDF")


def test_minutes_between_blocks_are_kept_and_refused(lead: FlaskClient, estate: list[UUID]) -> None:
    """A number stands, an empty field is a guess again, nonsense is told with the pair it is of."""
    assert lead.post("/rounds/ways", data={"way-1": "7", "way-2": "x"}).status_code == 422
    assert lead.post("/rounds/ways", data={"way-1": "7"}).status_code == 302
    assert 'value="7"' in lead.get("/rounds/ways").text
    lead.post("/rounds/ways", data={"way-1": ""})
    assert 'value="7"' not in lead.get("/rounds/ways").text
