"""Calls before and after their visit: planned, moved, handed on, cancelled, returned to; week, calendar, search."""

import re
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from typing import Any
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

import icalendar
import pytest
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import Engine, insert, select, text

from plentar.core.unit.place import line_volts
from plentar.store import finding, history, plans
from plentar.store.database import make_sessions
from plentar.store.models import Call, EventRow, Unit
from plentar.store.shop_models import AuditRow, PartOrder
from plentar.web.plan.week import days_of
from tests.application import ShopOf, flat, problems, sign_in

CHICAGO = ZoneInfo("America/Chicago")


def call_of(engine: Engine, call_id: UUID) -> Call:
    with make_sessions(engine)() as db:
        return db.scalars(select(Call).where(Call.id == call_id)).one()


@pytest.fixture
def planned(engine: Engine, shop: ShopOf) -> ShopOf:
    """The shop's call, only planned."""
    with engine.begin() as connection:
        connection.execute(text("update call set status = 'planned' where id = :id"), {"id": shop.call_id})
    return shop


def move(client: FlaskClient, shop: ShopOf, **more: Any) -> Any:
    form = {
        "version": "1",
        "on": "2027-01-14",
        "at": "09:30",
        "window": "120",
        "minutes": "45",
        "technician": str(shop.person.id),
    }
    return client.post(f"{shop.url}/plan", data=form | more)


def test_a_call_is_moved_by_the_shops_own_clock(client: FlaskClient, planned: ShopOf, engine: Engine) -> None:
    """Half past nine in Chicago in January is 15:30 by UTC; who moved it from when to when is in the audit."""
    assert move(client, planned).status_code == 302
    call = call_of(engine, planned.call_id)
    assert call.scheduled_at == datetime(2027, 1, 14, 15, 30, tzinfo=UTC)
    assert (call.window_minutes, call.minutes, call.plan_version) == (120, 45, 2)
    with make_sessions(engine)() as db:
        row = db.scalars(
            select(AuditRow).where(AuditRow.shop_id == planned.shop.id, AuditRow.deed == "call moved")
        ).one()
    assert row.after == {"day": "14 Jan 2027, 09:30"}


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"version": "0"}, "on"),
        ({"on": "2027-03-14", "at": "02:30"}, "at"),
        ({"on": ""}, "on"),
        ({"window": "800"}, "window"),
        ({"technician": str(uuid4())}, "technician"),
    ],
)
def test_a_move_that_cannot_be_is_told_at_its_field(
    client: FlaskClient, planned: ShopOf, engine: Engine, wrong: dict[str, str], field: str
) -> None:
    """What was typed stays, and the call where it was."""
    before = call_of(engine, planned.call_id).scheduled_at
    answer = move(client, planned, **wrong)
    assert answer.status_code == 422
    assert problems(answer.text) == [field]
    assert call_of(engine, planned.call_id).scheduled_at == before


def test_only_ones_own_calls_are_moved_and_a_leads_any(
    app: Flask, planned: ShopOf, engine: Engine, make_colleague: Callable[[ShopOf], ShopOf]
) -> None:
    """A colleague is told no; made a lead, they may."""
    other = make_colleague(planned)
    theirs = sign_in(app, other)
    assert move(theirs, planned).status_code == 403
    with engine.begin() as connection:
        connection.execute(text("update person set role = 'lead' where email = :e"), {"e": other.email})
    assert move(theirs, planned).status_code == 302


def test_today_names_every_van_and_who_has_no_name_yet_by_address(
    client: FlaskClient, shop: ShopOf, engine: Engine, make_colleague: Callable[[ShopOf], ShopOf]
) -> None:
    """Somebody invited who has not come yet may have calls already."""
    other = make_colleague(shop)
    with engine.begin() as connection:
        connection.execute(text("update person set name = '' where email = :e"), {"e": other.email})
        query = text("update call set technician_id = (select id from person where email = :e) where id = :c")
        connection.execute(query, {"e": other.email, "c": shop.call_id})
    page = client.get("/today")
    assert page.status_code == 200
    assert other.email in page.text


def test_a_call_in_progress_goes_on_with_everything(
    client: FlaskClient, shop: ShopOf, engine: Engine, make_colleague: Callable[[ShopOf], ShopOf]
) -> None:
    """Handed on, its events are the same and the technician another; handed on twice from one page, only once."""
    other = make_colleague(shop)
    with make_sessions(engine)() as db:
        to = db.scalar(text("select id from person where email = :e"), {"e": other.email})
    before = call_of(engine, shop.call_id).seq
    form = {"version": "1", "technician": str(to)}
    assert client.post(f"{shop.url}/hand", data=form).status_code == 302
    after = call_of(engine, shop.call_id)
    assert (after.technician_id, after.seq) == (to, before)
    # Theirs now: the first technician may not revoke by an old page.
    assert client.post(f"{shop.url}/hand", data=form).status_code == 403


def test_a_begun_call_is_not_cancelled_and_a_planned_one_needs_a_reason(
    lead: FlaskClient, shop: ShopOf, engine: Engine
) -> None:
    """Why is asked; in progress it is closed instead; cancelled, it stands in no day."""
    assert lead.post(f"{shop.url}/cancel", data={"why": "nobody home"}).status_code == 422
    with engine.begin() as connection:
        connection.execute(text("update call set status = 'planned' where id = :id"), {"id": shop.call_id})
    assert lead.post(f"{shop.url}/cancel", data={"why": " "}).status_code == 422
    assert lead.post(f"{shop.url}/cancel", data={"why": "nobody home"}).status_code == 302
    assert call_of(engine, shop.call_id).status == "cancelled"
    assert "1 Test Row" not in lead.get("/today").text.split("Search</a>")[-1]
    assert "nobody home" in lead.get(f"/units/{shop.unit_id}").text


def test_a_part_on_order_and_a_follow_up_meet_the_return_visit(
    client: FlaskClient, shop: ShopOf, engine: Engine
) -> None:
    """Noted once though sent twice; the return says what it comes back for and what waits."""
    order = {"order_id": str(uuid4()), "name": "Sequencer, 2 poles", "expected_on": "2027-01-20"}
    owed = {"item_id": str(uuid4()), "words": "ask about the filter", "due_on": "2027-02-01"}
    for _ in range(2):
        assert client.post(f"{shop.url}/orders", data=order).status_code == 302
        assert client.post(f"{shop.url}/follow-ups", data=owed).status_code == 302
    client.post(f"{shop.url}/close", data={"outcome": "Pole 2 open; part ordered.", "close_id": str(uuid4())})
    form = {
        "call_id": str(uuid4()),
        "on": "2027-01-21",
        "at": "10:00",
        "minutes": "60",
        "technician": str(shop.person.id),
    }
    back = client.post(f"{shop.url}/return", data=form)
    assert back.status_code == 302, flat(back.text)[:2000]
    shown = flat(client.get(f"/calls/{form['call_id']}?panel=complaint").text)
    assert "Pole 2 open; part ordered." in shown
    assert shown.count("Sequencer, 2 poles") == 1
    assert "ask about the filter" in shown
    client.post(f"/orders/{order['order_id']}", data={"state": "here"})
    with make_sessions(engine)() as db:
        assert db.get_one(PartOrder, (shop.shop.id, UUID(order["order_id"]))).state == "here"
    client.post(f"/follow-ups/{owed['item_id']}/done")
    assert "ask about the filter" not in client.get(f"/calls/{form['call_id']}?panel=complaint").text


@pytest.mark.parametrize(
    ("monday", "hours"), [(date(2027, 3, 8), 167), (date(2027, 11, 1), 169), (date(2027, 6, 7), 168)]
)
def test_a_week_has_its_own_hours_when_the_clocks_change(monday: date, hours: int) -> None:
    """23 and 25 hours, no gap and no overlap: the last moment of a day is the first of the next."""
    days = days_of(monday, CHICAGO)
    assert sum(((ends - begins.astimezone(UTC)).total_seconds() for _, begins, ends in days), 0.0) == hours * 3600
    assert all(days[n][2] == days[n + 1][1] for n in range(6))


def test_a_call_stands_on_its_day_on_both_sides_of_midnight(
    client: FlaskClient, planned: ShopOf, engine: Engine
) -> None:
    """A quarter to midnight on the Sunday the clocks go back is Sunday still; a quarter past is Monday."""
    for at, day in (("23:45", "2027-11-07"), ("00:15", "2027-11-08")):
        version = call_of(engine, planned.call_id).plan_version
        assert move(client, planned, version=str(version), on=day, at=at).status_code == 302
        page = client.get(f"/week?on={day}").text
        cell = page.split(f'data-day="{day}"')[1].split("data-day=")[0]
        assert f"call-{planned.call_id}" in cell


def test_minutes_are_learnt_from_five_calls_on(shop: ShopOf, engine: Engine) -> None:
    """Four say nothing and an hour stands; with a fifth the median of what was done counts, in steps of five."""
    with make_sessions(engine).begin() as db:
        meter = db.scalar(text("select id from meter where shop_id = :s"), {"s": shop.shop.id})
        for number, minutes in enumerate((20, 25, 33, 40, 90)):
            began = datetime(2026, 3, 1 + number, 15, tzinfo=UTC)
            call = Call(
                id=uuid4(), shop_id=shop.shop.id, unit_id=shop.unit_id, technician_id=shop.person.id, meter_id=meter,
                complaints=["no heat"], scheduled_at=began, status="closed", outcome="",
                closed_at=began + timedelta(minutes=minutes), seq=1,
            )  # fmt: skip
            db.add(call)
            db.flush()
            db.execute(
                insert(EventRow),
                {
                    "shop_id": shop.shop.id, "id": uuid4(), "call_id": call.id, "seq": 1, "kind": "power-back",
                    "payload": {}, "person_id": shop.person.id, "done_at": began, "come_at": began,
                },
            )  # fmt: skip
            found = plans.minutes_taken(db, shop_id=shop.shop.id, complaint="no heat")
            assert found == ((60, number + 1) if number < 4 else (35, 5))


def test_a_calendar_tells_the_block_and_nothing_else_until_it_is_chosen(
    app: Flask, client: FlaskClient, planned: ShopOf, engine: Engine
) -> None:
    """A secret address, the shop's zone, no words of anybody; ended or made anew, the old one opens nothing."""
    with engine.begin() as connection:
        connection.execute(text("update place set block = 'North row' where shop_id = :s"), {"s": planned.shop.id})
        connection.execute(
            text("update call set words = 'smells of fish', scheduled_at = :t where id = :id"),
            {"id": planned.call_id, "t": datetime.now(UTC) + timedelta(days=2)},
        )
    anyone = app.test_client()
    shown = client.post("/you/calendar", data={})
    first = shown.text.split('value="http://localhost')[1].split('"')[0]
    body = anyone.get(first)
    assert body.mimetype == "text/calendar"
    parsed = icalendar.Calendar.from_ical(body.text)
    [event] = parsed.walk("VEVENT")
    assert str(event["SUMMARY"]) == "North row, call"
    assert "fish" not in body.text
    assert "Test Row" not in body.text
    assert event["DTSTART"].params["TZID"] == "America/Chicago"
    second = (
        client.post("/you/calendar", data={"with_words": "y"}).text.split('value="http://localhost')[1].split('"')[0]
    )
    assert anyone.get(first).status_code == 404
    assert "smells of fish" in anyone.get(second).text
    client.post("/you/calendar", data={"end": "1"})
    assert anyone.get(second).status_code == 404


@pytest.mark.parametrize("words", ["Test Row", "tset row", "veldane", "sequnecer", "1 test"])
def test_a_place_or_unit_is_found_by_its_words_and_by_slips_of_them(
    shop: ShopOf, make_shop: Callable[..., ShopOf], engine: Engine, words: str
) -> None:
    """Whole words, beginnings and misspelt ones; never another shop's."""
    make_shop()
    with make_sessions(engine).begin() as db:
        unit = db.get_one(Unit, (shop.shop.id, shop.unit_id))
        unit.label, unit.nameplate = "hall sequencer closet", {**unit.nameplate, "maker": "Veldane"}
        db.flush()
        hits = finding.search(db, shop_id=shop.shop.id, words=words)
    assert hits
    assert {hit.place for hit in hits} == {"1 Test Row"}
    assert len({hit.place_id for hit in hits}) == 1


def test_nothing_is_found_by_nothing(shop: ShopOf, engine: Engine) -> None:
    """Blanks, signs alone, and what no letter of is anywhere."""
    with make_sessions(engine)() as db:
        for words in ("", "   ", "%%%", "'; drop", "xqzxqz", "a" * 500):
            assert finding.search(db, shop_id=shop.shop.id, words=words) == []


def test_what_was_corrected_or_taken_back_is_no_part_of_the_years(
    client: FlaskClient, shop: ShopOf, engine: Engine
) -> None:
    """Of 24 V corrected to 240 only the second stands; a cause taken back wears no part out."""
    first, second, cause = (str(uuid4()) for _ in range(3))
    point = line_volts("feed-1")
    client.post(f"{shop.url}/readings", data={"reading_id": first, "point": point, "value": "24.0"})
    again = {"reading_id": second, "point": point, "value": "240", "supersedes": first, "reason": "slip"}
    client.post(f"{shop.url}/readings", data=again)
    form = {"cause_id": cause, "faults": "strip-b.link.open", "cause_not_found": "y"}
    client.post(f"{shop.url}/causes", data=form)
    with engine.begin() as connection:
        connection.execute(text("update call set status = 'closed' where id = :id"), {"id": shop.call_id})
    with make_sessions(engine)() as db:
        rows = history.readings_of(db, shop_id=shop.shop.id, call_ids=[shop.call_id])
        assert [row.value for row in rows] == [240.0]
        assert len(history.faults_of_shop(db, shop_id=shop.shop.id)) == 1
    with engine.begin() as connection:
        connection.execute(text("update call set status = 'open' where id = :id"), {"id": shop.call_id})
    client.post(f"{shop.url}/causes/{cause}/withdraw", data={"strike_id": str(uuid4())})
    with engine.begin() as connection:
        connection.execute(text("update call set status = 'closed' where id = :id"), {"id": shop.call_id})
    with make_sessions(engine)() as db:
        assert history.faults_of_shop(db, shop_id=shop.shop.id) == []


def sent_plan(shop: ShopOf, day: str, hour: str = "08:00", complaint: str = "no heat") -> dict[str, str]:
    """What the form of a new call sends for one that is scheduled."""
    own = {"place_id": str(shop.place_id), "unit_id": str(shop.unit_id), "technician": str(shop.person.id)}
    return own | {"call_id": str(uuid4()), "plan": "1", "complaints": complaint, "plan_on": day, "plan_at": hour}


def test_a_week_tells_load_overlaps_and_a_unit_scheduled_twice(
    client: FlaskClient, shop: ShopOf, engine: Engine
) -> None:
    """Two calls of one unit, the second begun before the first ends: three hours and the ways, told at the second."""
    for hour in ("08:00", "09:00"):
        assert client.post("/calls/new", data=sent_plan(shop, "2027-01-12", hour)).status_code == 302
    with engine.begin() as db:
        db.execute(text("update call set minutes = 90 where shop_id = :shop"), {"shop": shop.shop.id})
    page = flat(client.get("/week?on=2027-01-12").text)
    assert page.count("Overlaps the call before") == 1
    assert page.count("Unit scheduled twice this week") == 2
    load = re.search(
        r'week-load"><b class="numeral">([\d.]+)</b> of <span class="numeral">7.5</span> h, drive <span', page
    )
    assert load is not None
    # Twice 90 minutes, fifteen guessed from the shop, three within the block.
    assert float(load[1]) == pytest.approx((180 + 15 + 3) / 60, abs=0.05)


def test_a_move_in_the_week_is_told_and_put_back_by_one_tap(client: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """Moved a day on, then undone: it stands where it stood, and no second undo is offered."""
    sent = sent_plan(shop, "2027-01-12")
    call_id = sent["call_id"]
    client.post("/calls/new", data=sent)
    form = {"from": "week", "version": "1", "on": "2027-01-13", "at": "10:30", "technician": str(shop.person.id),
            "window": "0", "minutes": "60"}  # fmt: skip
    moved = client.post(f"/calls/{call_id}/plan", data=form)
    assert moved.status_code == 302, flat(moved.text)
    page = client.get(moved.location).text
    undo = page[page.index('class="week-moved"') : page.index("Undo</button>")]
    back = dict(re.findall(r'name="(\w+)"\s+value="([^"]*)"', undo))
    assert (back["on"], back["at"]) == ("2027-01-12", "08:00")
    undone = client.post(f"/calls/{call_id}/plan", data=back)
    assert undone.status_code == 302
    assert "week-moved" not in client.get(undone.location).text
    with engine.connect() as db:
        at = db.execute(text("select scheduled_at from call where id = :id"), {"id": call_id}).scalar_one()
    assert at.astimezone(ZoneInfo(shop.shop.time_zone)).strftime("%d %H:%M") == "12 08:00"


def test_a_second_seasonal_check_within_a_month_is_asked_about(client: FlaskClient, shop: ShopOf) -> None:
    """Asked once with the day of the first; a tick makes it; five weeks on nothing is asked."""

    def planned(day: str, **more: str) -> tuple[int, str]:
        answer = client.post("/calls/new", data=sent_plan(shop, day, complaint="seasonal check") | more)
        return answer.status_code, flat(answer.text)

    assert planned("2027-01-12")[0] == 302
    code, page = planned("2027-01-28")
    assert code == 422
    assert "already has a seasonal check on Tuesday, January 12" in page
    assert planned("2027-01-28", is_again="yes")[0] == 302
    assert planned("2027-03-05")[0] == 302
