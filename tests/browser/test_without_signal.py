"""No signal, slow signal: what is done on a phone is kept there first, and comes home once, in order."""

from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect
from sqlalchemy import Engine, text

from tests.browser.conftest import PHONE, sign_in
from tests.conftest import ShopOf

PIN = "246810"


@pytest.fixture
def forgiving(open_page: Callable[..., Page]) -> Callable[..., Page]:
    """Pages whose console may speak of requests that a test made fail."""
    open_page.failures_are_meant = True  # type: ignore[attr-defined]
    return open_page


def make_ready(page: Page, shop: ShopOf, pin: str = PIN) -> None:
    """Set the phone up and take the calls along."""
    page.goto("/phone")
    page.get_by_label("A PIN of six digits or more").fill(pin)
    page.get_by_label("The same once more").fill(pin)
    page.get_by_role("button", name="Make this phone ready").click()
    expect(page.get_by_text("Ready without signal")).to_be_visible()
    expect(page.locator(".phone-calls")).to_contain_text("1 Test Row")
    page.evaluate("navigator.serviceWorker.ready.then(() => 0)")
    page.wait_for_function("navigator.serviceWorker.controller !== null")


def ready(make: Callable[..., Page], shop: ShopOf, size: dict[str, int] = PHONE) -> Page:
    page = make(size)
    sign_in(page, shop)
    make_ready(page, shop)
    page.goto(shop.url)
    expect(page.locator("#board .ladder")).to_be_visible()
    return page


def kept(engine: Engine, shop: ShopOf) -> list[tuple[str, dict[str, object]]]:
    """The call's events as they came: kind and payload, without the one it began with."""
    query = text("select kind, payload from event where call_id = :call and seq > 1 order by seq")
    with engine.connect() as connection:
        return [(kind, payload) for kind, payload in connection.execute(query, {"call": shop.call_id})]


def test_a_reading_taken_without_signal_is_kept_shown_and_comes_home_once(
    forgiving: Callable[..., Page], shop: ShopOf, engine: Engine
) -> None:
    """Kept on the phone, through a reload without the network, then on the server: one event."""
    page = ready(forgiving, shop)
    page.context.set_offline(True)
    page.locator(".entry").fill("241")
    page.get_by_role("button", name="Keep reading").click()
    expect(page.locator(".kept-here")).to_contain_text("judged when the signal is back")
    expect(page.locator("#waits")).to_have_text("1 waits")
    page.reload()
    expect(page.locator(".kept-here")).to_contain_text("241")
    expect(page.locator("#signal")).to_contain_text("No signal")
    page.get_by_role("button", name="W call", exact=True).click()
    expect(page.locator("#waits")).to_have_text("2 wait")
    expect(page.get_by_role("button", name="W call", exact=True)).to_have_attribute("aria-pressed", "true")
    assert kept(engine, shop) == []
    page.context.set_offline(False)
    expect(page.locator("#waits")).to_have_count(0)
    found = kept(engine, shop)
    assert [kind for kind, _ in found] == ["reading", "switch"]
    assert (found[0][1]["typed"], found[1][1]["what"]) == ("241", "W")
