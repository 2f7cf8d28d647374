"""A round walked by keys alone, each unit from the first reading to the next unit's door."""

from collections.abc import Callable
from datetime import timedelta
from uuid import UUID, uuid4

import pytest
from playwright.sync_api import Page, expect
from sqlalchemy import Engine, select, text

from plentar.store import rounds
from plentar.store.database import make_sessions
from plentar.store.models import Call, PlaceRow, Unit
from plentar.web.rounds.planning import plan_now
from plentar.web.serving.access import now
from tests.application import ShopOf
from tests.browser.conftest import LAPTOP, Ahead, sign_in
from tests.browser.test_slice import serious


def make_round(engine: Engine, shop: ShopOf, count: int) -> UUID:
    """Like units, planned into two days."""
    with make_sessions(engine).begin() as db:
        db.execute(text("update person set role = 'lead' where id = :id"), {"id": shop.person.id})
        plate = db.get_one(Unit, (shop.shop.id, shop.unit_id)).nameplate
        units = []
        for number in range(count):
            place = PlaceRow(
                id=uuid4(), shop_id=shop.shop.id, name=f"Elder Court {number + 1}", block="ABC"[number % 3]
            )
            db.add(place)
            db.flush()
            unit = Unit(id=uuid4(), shop_id=shop.shop.id, place_id=place.id, label="closet", nameplate=plate)
            db.add(unit)
            units.append({"id": str(unit.id)})
        db.flush()
        wanted = {
            "units": units,
            "people": [str(shop.person.id)],
            "first_day": "2027-01-14",
            "days": 2,
            "from": 480,
            "to": 960,
            "minutes": 30,
            "capacity": 450,
        }
        round_id = uuid4()
        rounds.make_round(
            db,
            round_id=round_id,
            shop_id=shop.shop.id,
            name="Elder Court",
            owner="",
            person_id=shop.person.id,
            now=now(),
            wanted=wanted,
        )
        plan_now(db, shop.shop.id, round_id)
    return round_id


def pressed(page: Page, key: str = "Enter") -> None:
    """Press a key that sends the form, and wait for the page that answers."""
    with page.expect_navigation():
        page.keyboard.press(key)
    if "/check/" in page.url:
        # A page takes the keys with its first frame, a moment after it is there.
        expect(page.locator("input:focus, button:focus")).to_have_count(1)


@pytest.mark.parametrize("count", [6, pytest.param(12, marks=pytest.mark.long)])
def test_a_round_is_walked_by_keys_alone(
    open_page: Callable[..., Page], shop: ShopOf, engine: Engine, count: int
) -> None:
    """The keys stand where the hand goes on: no tab is needed but between the fields of one form."""
    round_id = make_round(engine, shop, count)
    with make_sessions(engine)() as db:
        calls = db.scalars(select(Call).where(Call.round_id == round_id).order_by(Call.scheduled_at)).all()
    assert len(calls) == count
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto(f"/rounds/check/{calls[0].id}")
    assert serious(page) == []
    for number in range(count):
        page.keyboard.type("241")
        # All others read nothing; then the fan, then heat with the clock.
        for _ in range(4):
            pressed(page)
        for _ in ("strip-a", "strip-b"):
            Ahead.offset += timedelta(seconds=25)
            pressed(page)
        Ahead.offset += timedelta(seconds=400)
        for typed in ("238.5", "20.4", f"20.{5 + number % 3}", "43.2", "2.3"):
            page.keyboard.type(typed)
            page.keyboard.press("Tab")
        pressed(page)
        page.keyboard.type("68")
        page.keyboard.press("Tab")
        page.keyboard.type("99")
        pressed(page)
        pressed(page)
        pressed(page)
    expect(page.locator("main")).to_contain_text(f"{count} of {count} done")
    page.get_by_role("link", name="Like against like").click()
    expect(page.locator("main")).to_contain_text("None differs from its group.")
    assert serious(page) == []
