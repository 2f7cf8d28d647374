"""The week by keys and by dragging; every page of the shop on a phone and a laptop, by day and in the attic."""

from collections.abc import Callable
from datetime import timedelta

import pytest
from playwright.sync_api import Page, expect
from sqlalchemy import Engine, text

from plentar.web.serving.access import now
from tests.application import ShopOf
from tests.browser.conftest import LAPTOP, PHONE, sign_in
from tests.browser.test_slice import serious

PAGES = (
    "/today",
    "/week",
    "/find?q=test",
    "/rounds",
    "/rounds/ways",
    "/shop/people",
    "/shop/meters",
    "/shop/meters/new",
    "/shop/rules",
    "/shop/prices",
    "/shop/records",
    "/shop/audit",
    "/you",
    "/you/calendar",
    "/parts",
)


@pytest.fixture
def planned(engine: Engine, shop: ShopOf) -> ShopOf:
    """The shop's call planned for today at nine by its own clock, its person a lead."""
    at = now().replace(hour=15, minute=0, second=0, microsecond=0)
    with engine.begin() as connection:
        values = {"id": shop.call_id, "t": at, "p": shop.person.id}
        connection.execute(text("update call set status = 'planned', scheduled_at = :t where id = :id"), values)
        connection.execute(text("update person set role = 'lead' where id = :p"), values)
    return shop


def test_a_call_is_moved_by_keys_and_by_dragging(open_page: Callable[..., Page], planned: ShopOf) -> None:
    """Alt with an arrow keeps the keys on the call; dragged to a day it stands there; both are kept."""
    page = open_page(LAPTOP)
    sign_in(page, planned)
    # Next week, so that both days beside it are in sight.
    monday = now() + timedelta(days=7 - now().weekday())
    page.goto(f"{planned.url}/plan")
    page.get_by_label("Day", exact=True).first.fill(f"{monday + timedelta(days=2):%Y-%m-%d}")
    page.get_by_role("button", name="Save").click()
    page.get_by_role("link", name="its week").click()
    call = page.locator(f"#call-{planned.call_id}")
    call.locator("a").focus()
    for key, day, at in (("ArrowRight", 3, None), ("ArrowUp", 3, -30), ("ArrowLeft", 2, None)):
        before = call.locator("a b").first.inner_text()
        with page.expect_navigation():
            page.keyboard.press(f"Alt+{key}")
        cell = page.locator(f'[data-day="{monday + timedelta(days=day):%Y-%m-%d}"]').first
        expect(cell.locator(f"#call-{planned.call_id}")).to_be_visible()
        expect(call.locator("a")).to_be_focused()
        if at is not None:
            assert call.locator("a b").first.inner_text() != before
    target = page.locator(f'[data-day="{monday + timedelta(days=4):%Y-%m-%d}"]').first
    with page.expect_navigation():
        call.drag_to(target)
    expect(target.locator(f"#call-{planned.call_id}")).to_be_visible()


@pytest.mark.parametrize(("size", "theme"), [(PHONE, "attic"), (LAPTOP, "day")], ids=["phone", "laptop"])
def test_the_shops_pages_fit_and_have_nothing_serious(
    open_page: Callable[..., Page], planned: ShopOf, size: dict[str, int], theme: str
) -> None:
    """No page is wider than the screen, and the accessibility checker finds nothing serious on any."""
    page = open_page(size, theme)
    sign_in(page, planned)
    wrong = []
    for path in (*PAGES, f"{planned.url}/plan", f"/units/{planned.unit_id}", f"/rounds/check/{planned.call_id}"):
        page.goto(path)
        if page.evaluate("document.documentElement.scrollWidth") > size["width"]:
            wrong.append(f"{path}: too wide")
        if size == PHONE:
            # What a page says is the same at every width; colours are looked at for both looks there.
            wrong += [f"{path}: {found}" for found in serious(page)]
    assert wrong == []
