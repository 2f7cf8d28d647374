"""What a person sees when a request fails, what a reload leaves of what was typed, and others' work coming in."""

from collections.abc import Callable

import pytest
from flask import Flask
from playwright.sync_api import Page, Route, expect

from tests.actions import event, send
from tests.application import ShopOf
from tests.application import sign_in as client_of
from tests.browser.conftest import LAPTOP, PHONE, sign_in


@pytest.fixture
def forgiving(open_page: Callable[..., Page]) -> Callable[..., Page]:
    """Pages whose console may speak of requests that a test made fail, to the last one still on its way at its end."""
    open_page.failures_are_meant = True  # type: ignore[attr-defined]
    return open_page


def at_call(make: Callable[..., Page], shop: ShopOf, size: dict[str, int] = LAPTOP) -> Page:
    page = make(size)
    sign_in(page, shop)
    page.goto(shop.url)
    return page


def cut(route: Route) -> None:
    route.abort("connectionfailed")


def proxy_page(route: Route) -> None:
    route.fulfill(status=502, body="<h1>Bad Gateway</h1>", content_type="text/html")


@pytest.mark.parametrize(("how", "words"), [(cut, "No answer"), (proxy_page, "could not answer (502)")])
def test_keep_switch_tick_and_fix_say_that_they_failed(
    forgiving: Callable[..., Page], shop: ShopOf, how: Callable[[Route], None], words: str
) -> None:
    """Each says so at the head of the screen, keeps what was typed, and works at the next press."""
    page = at_call(forgiving, shop, PHONE)
    told = page.locator("#told")
    page.locator(".entry").fill("241")
    expect(page.locator("#verdict")).to_contain_text("pass")
    page.route("**/calls/**", how)
    page.get_by_role("button", name="Save", exact=True).click()
    expect(told).to_contain_text(words)
    expect(told).to_contain_text("press the button again")
    expect(page.locator(".entry")).to_have_value("241")
    expect(page.locator("#board")).to_be_visible()
    page.locator(".entry").fill("205")
    expect(page.locator("#verdict")).to_have_attribute("data-old", "")
    page.get_by_role("button", name="W call", exact=True).click()
    expect(told).to_be_visible()
    page.unroute("**/calls/**")
    page.get_by_role("button", name="W call", exact=True).click()
    expect(page.get_by_role("button", name="W call", exact=True)).to_have_attribute("aria-pressed", "true")
    expect(told).to_be_hidden()

    page.goto(f"{shop.url}?panel=safe")
    page.route("**/safe", how)
    page.get_by_role("button", name="Done").first.click()
    expect(told).to_contain_text("press the button again")
    page.goto(f"{shop.url}/fix")
    page.route("**/fix/*", how)
    page.locator("#fixing form button:visible").first.click()
    expect(told).to_contain_text("press the button again")


@pytest.mark.parametrize("size", [LAPTOP, PHONE])
def test_a_verdict_is_pale_from_the_moment_its_number_changes(
    open_page: Callable[..., Page], shop: ShopOf, size: dict[str, int]
) -> None:
    """240 passes; while 24 is on its way to be judged, the old pass is not read as its verdict."""
    page = at_call(open_page, shop, size)
    page.locator(".entry").fill("240")
    expect(page.locator("#verdict")).to_contain_text("pass")
    held: list[Route] = []
    page.route("**/judge", lambda route: held.append(route))
    page.locator(".entry").fill("24")
    expect(page.locator("#verdict")).to_have_attribute("data-old", "")
    assert float(page.locator("#verdict > *").first.evaluate("e => getComputedStyle(e).opacity")) < 0.5
    page.wait_for_timeout(300)
    held[0].continue_()
    expect(page.locator("#verdict")).to_contain_text("fail")
    expect(page.locator("#verdict")).not_to_have_attribute("data-old", "")


def test_every_typed_field_survives_a_reload_until_it_is_kept(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """Nameplate, close form, Safe volts: typed, reloaded, still there; kept, gone. A password never stays."""
    page = at_call(open_page, shop)
    page.goto(f"{shop.url}?panel=hand-over")
    outcome = page.locator("[name=outcome]")
    outcome.fill("Replaced the sequencer, all strips heat.")
    page.reload()
    expect(outcome).to_have_value("Replaced the sequencer, all strips heat.")
    page.goto(f"/units/{shop.unit_id}/nameplate")
    field = page.locator("input[type=text]:visible, input:not([type]):visible").first
    field.fill("typed in the attic")
    page.reload()
    expect(field).to_have_value("typed in the attic")
    page.goto(f"{shop.url}?panel=hand-over")
    expect(outcome).to_have_value("Replaced the sequencer, all strips heat.")
    page.get_by_role("button", name="Close").last.click()
    for _ in range(600):
        if "all strips heat" not in str(page.evaluate("JSON.stringify(sessionStorage)")):
            break
        page.wait_for_timeout(100)
    page.goto(f"{shop.url}?panel=hand-over")
    assert "all strips heat" not in str(page.evaluate("JSON.stringify(sessionStorage)"))
    page.goto("/you")
    page.get_by_label("Password now").fill("never to be kept")
    page.reload()
    assert "never to be kept" not in str(page.evaluate("JSON.stringify(sessionStorage)"))
    expect(page.get_by_label("Password now")).to_have_value("")


def test_others_work_shows_by_itself_and_never_under_what_is_typed(
    app: Flask, open_page: Callable[..., Page], shop: ShopOf
) -> None:
    """A reading of somebody else comes to the board by itself; the half-typed number stays."""
    page = at_call(open_page, shop)
    page.locator(".entry").fill("23")
    send(client_of(app, shop), shop, event("reading", point="amps:strip-a", typed="20.1"))
    expect(page.locator('#board [data-point="amps:strip-a"]')).to_contain_text("20.1")
    expect(page.locator(".entry")).to_have_value("23")


def test_a_page_out_of_touch_says_so_and_comes_back(forgiving: Callable[..., Page], shop: ShopOf) -> None:
    """Two polls without an answer are told; the first that answers clears it."""
    page = at_call(forgiving, shop)
    page.route("**/changes", cut)
    expect(page.locator("#lost")).to_be_visible()
    page.unroute("**/changes")
    expect(page.locator("#lost")).to_be_hidden()


# Counts a page's questions, and those that are not answered yet.
COUNTED = """window.polls = { asked: 0, waiting: 0 };
const sent = window.fetch;
window.fetch = async (...request) => {
  if (!/\\/changes$/.test(String(request[0]?.url ?? request[0]))) return sent(...request);
  polls.asked += 1;
  polls.waiting += 1;
  try {
    return await sent(...request);
  } finally {
    polls.waiting -= 1;
  }
};"""


@pytest.mark.parametrize(("hidden", "idle", "seconds"), [(False, False, 2.3), (True, False, 10.0), (False, True, 10.0)])
def test_a_page_asks_often_while_it_is_seen_and_used(
    open_page: Callable[..., Page], shop: ShopOf, hidden: bool, idle: bool, seconds: float
) -> None:
    """Every two seconds, ten when hidden or untouched and unchanged for five minutes; at once when shown or touched."""
    page = open_page(LAPTOP)
    page.clock.install()
    page.add_init_script(COUNTED)
    sign_in(page, shop)
    page.goto(shop.url)

    def asked(seconds: int) -> int:
        """How often it asks in so many seconds of its own clock, each question answered before the next second."""
        page.evaluate("polls.asked = 0")
        for _ in range(seconds):
            page.clock.run_for(1_000)
            while page.evaluate("polls.waiting"):
                page.wait_for_timeout(5)
        return int(page.evaluate("polls.asked"))

    if idle:
        page.clock.run_for(301_000)
    if hidden:
        page.evaluate("Object.defineProperty(document, 'hidden', { value: true, configurable: true })")
        page.evaluate("document.dispatchEvent(new Event('visibilitychange'))")
    asked(12)
    assert 30 / seconds * 0.6 <= asked(30) <= 30 / seconds * 1.35 + 1
    if not hidden and not idle:
        return
    for _ in range(20):
        if asked(1):
            break
    asked(4)
    with page.expect_request("**/changes", timeout=60_000):
        if hidden:
            page.evaluate("Object.defineProperty(document, 'hidden', { value: false, configurable: true })")
            page.evaluate("document.dispatchEvent(new Event('visibilitychange'))")
        else:
            page.mouse.down()
            page.mouse.up()
