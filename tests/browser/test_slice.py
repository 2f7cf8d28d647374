"""The whole slice in a real browser: sign in, open the call, type, see it judged, print."""

from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from typing import Literal

import pytest
from playwright.sync_api import Page, Route, expect

from tests import ROOT
from tests.application import ShopOf
from tests.browser.conftest import LAPTOP, PHONE, sign_in, sign_in_by_form

AXE = (ROOT / "node_modules/axe-core/axe.min.js").read_text()


def keep(page: Page, point: str, value: str) -> None:
    """Put the meter to a point by tapping, type, keep."""
    page.locator(f'#board [data-point="{point}"]').click()
    expect(page.locator('#pad [name="point"]')).to_have_value(point)
    page.locator(".entry").fill(value)
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#pad .primary")).to_be_enabled()


@pytest.mark.parametrize("size", [LAPTOP, PHONE], ids=["laptop", "phone"])
def test_from_sign_in_to_report(open_page: Callable[..., Page], shop: ShopOf, size: dict[str, int]) -> None:
    """Supply, both strips, verdicts without a page reload, a refused number that stays, the report."""
    page = open_page(size)
    sign_in_by_form(page, shop)
    page.get_by_role("link", name="1 Test Row").click()
    page.evaluate("window.sameDocument = true")
    page.get_by_role("button", name="W call", exact=True).click()
    expect(page.get_by_role("button", name="W call", exact=True)).to_have_attribute("aria-pressed", "true")
    keep(page, "volts:feed-1.l1:feed-1.l2", "240")
    keep(page, "amps:strip-a", "18,1")
    expect(page.locator("#verdict")).to_contain_text("marginal: low current")
    expect(page.locator("#verdict")).to_contain_text("-13.1 %")
    expect(page.locator("#findings")).to_contain_text("Strip A")
    expect(page.locator('#board [data-point="amps:strip-a"]')).to_contain_text("18.1")
    keep(page, "amps:strip-b", "2O")
    expect(page.locator("#verdict")).to_contain_text("expected a number such as 20.6, got “2O”")
    expect(page.locator(".entry")).to_have_value("2O")
    page.locator(".entry").fill("20.9")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#verdict")).to_contain_text("pass")
    assert page.evaluate("window.sameDocument") is True
    page.get_by_role("link", name="Report", exact=True).click()
    expect(page.get_by_role("heading", name="Electric heat check")).to_be_visible()
    expect(page.get_by_role("row", name="Strip A")).to_contain_text("low current")


def test_the_slice_by_keyboard_alone(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """Sign in, open the call, call heat, read, move on the board, ask for help, open the report: no mouse."""
    page = open_page(LAPTOP)
    page.goto("/sign-in")
    keys = page.keyboard
    keys.type(shop.email)
    keys.press("Tab")
    keys.type("attic-ladder-7")
    keys.press("Enter")
    page.wait_for_url("**/today")
    for _ in range(20):
        keys.press("Tab")
        if shop.url in (page.evaluate("document.activeElement.getAttribute('href')") or ""):
            break
    keys.press("Enter")
    page.wait_for_selector(".ladder")
    keys.press("w")
    expect(page.get_by_role("button", name="W call", exact=True)).to_have_attribute("aria-pressed", "true")
    keys.type("240")
    expect(page.locator("#verdict")).to_contain_text("pass")
    keys.press("Enter")
    expect(page.locator('#board [data-point="volts:feed-1.l1:feed-1.l2"]')).to_contain_text("240.0")
    page.locator('#board [data-point="volts:feed-1.l1:feed-1.l2"]').focus()
    for key in ("ArrowDown", "ArrowLeft", "ArrowDown"):
        keys.press(key)
    reached = page.evaluate("document.activeElement.dataset.point ?? document.activeElement.dataset.terminal")
    assert reached
    assert reached != "volts:feed-1.l1:feed-1.l2"
    page.locator('#board [data-point="amps:strip-a"]').focus()
    keys.press("Enter")
    expect(page.locator('#pad [name="point"]')).to_have_value("amps:strip-a")
    keys.type("20.8")
    keys.press("Enter")
    expect(page.locator('#board [data-point="amps:strip-a"]')).to_contain_text("20.8")
    keys.press("Escape")
    page.locator('#board [data-point="amps:strip-a"]').focus()
    keys.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    keys.press("Enter")
    expect(page.get_by_role("dialog")).to_be_hidden()
    page.locator('#board [data-point="amps:strip-a"]').focus()
    keys.press("r")
    page.wait_for_url("**/report")


def test_phone_keys_type_the_number_and_nothing_is_wider_than_the_screen(
    open_page: Callable[..., Page], shop: ShopOf
) -> None:
    """The pad's own keys fill the field, the point under test stays in sight, the page does not scroll sideways."""
    page = open_page(PHONE)
    sign_in(page, shop)
    page.goto(f"{shop.url}?point=volts:seq-a.pole-2.load:seq-a.pole-2.line")
    for key in "238.1":
        page.locator(f'.keys button[value="{key}"]').click()
    expect(page.locator(".entry")).to_have_value("238.1")
    spot = page.locator("#board [aria-current]").bounding_box()
    frame = page.locator("#board").bounding_box()
    assert spot is not None
    assert frame is not None
    assert frame["x"] <= spot["x"]
    assert spot["x"] + spot["width"] <= frame["x"] + frame["width"]
    assert frame["y"] <= spot["y"]
    assert spot["y"] + spot["height"] <= frame["y"] + frame["height"]
    keep_button = page.get_by_role("button", name="Save", exact=True).bounding_box()
    strip = page.locator("#strip").bounding_box()
    assert keep_button is not None
    assert strip is not None
    assert keep_button["y"] + keep_button["height"] <= strip["y"]
    assert page.evaluate("document.documentElement.scrollWidth") <= 390


def test_a_number_typed_before_the_new_pad_arrives_never_lands_at_the_old_point(
    open_page: Callable[..., Page], shop: ShopOf
) -> None:
    """With a slow answer to the tap, digits and Enter pressed meanwhile wait for the point that was tapped."""
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto(shop.url)

    def slowly(route: Route) -> None:
        page.wait_for_timeout(600)
        route.continue_()

    page.route("**/calls/*point=amps:strip-a*", slowly, times=1)
    page.locator(".entry").click()
    page.locator('#board [data-point="amps:strip-a"]').click()
    page.keyboard.type("20.4")
    page.keyboard.press("Enter")
    expect(page.locator('#board [data-point="amps:strip-a"]')).to_contain_text("20.4")
    expect(page.locator('#board [data-point="volts:feed-1.l1:feed-1.l2"]')).not_to_contain_text("20.4")


def test_a_board_drawn_anew_leaves_the_one_who_types_alone(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """Reached by keyboard, the new pad is typed into while the board's swap ends: Enter keeps, it taps nothing."""
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto(shop.url)
    page.locator('#board [data-point="amps:strip-a"]').focus()
    page.evaluate(
        """document.addEventListener("htmx:before:swap", () => queueMicrotask(() => {
          document.querySelector("#pad").inert = false;
          document.querySelector(".entry").focus();
        }), {once: true})"""
    )
    page.keyboard.press("Enter")
    expect(page.locator('#pad [name="point"]')).to_have_value("amps:strip-a")
    expect(page.locator(".entry")).to_be_focused()


def test_the_end_of_another_request_does_not_open_the_old_pad(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """A number is still being judged when another point is tapped: its answer ends nothing, each digit waits."""
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.add_init_script(
        """const sent = window.fetch;
        const delays = [[/judge/, 500], [/point=amps:strip-a/, 1600]];
        window.fetch = async (...request) => {
          const [, wait] = delays.find(([address]) => address.test(String(request[0]?.url ?? request[0]))) ?? [0, 0];
          await new Promise((done) => setTimeout(done, wait));
          return sent(...request);
        };"""
    )
    page.goto(shop.url)
    page.keyboard.type("9")
    page.wait_for_timeout(250)
    page.locator('#board [data-point="amps:strip-a"]').click()
    for digit in "20.4":
        page.wait_for_timeout(300)
        page.keyboard.press(digit)
    expect(page.locator('#pad [name="point"]')).to_have_value("amps:strip-a")
    expect(page.locator(".entry")).to_have_value("20.4")


def test_what_is_typed_survives_a_reload_and_the_back_button(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """Half a number, then away and back: it is still there, and keeping it works."""
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto(shop.url)
    page.locator(".entry").press_sequentially("239.5")
    page.reload()
    expect(page.locator(".entry")).to_have_value("239.5")
    page.get_by_role("link", name="Report", exact=True).click()
    page.wait_for_url("**/report")
    page.go_back()
    expect(page.locator(".entry")).to_have_value("239.5")
    page.locator(".entry").press("Enter")
    expect(page.locator("#board")).to_contain_text("239.5")


def test_a_sign_in_that_ran_out_keeps_what_is_typed(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """Signed out in another tab: the pad says so, the number stays; signed in again, the page gets its new token."""
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto(shop.url)
    page.locator(".entry").fill("241")
    page.context.clear_cookies()
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#problem")).to_contain_text("signed out")
    expect(page.locator(".entry")).to_have_value("241")
    sign_in(page.context.new_page(), shop)
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#problem")).to_contain_text("Press the button again")
    expect(page.locator(".entry")).to_have_value("241")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator('#board [data-point="volts:feed-1.l1:feed-1.l2"]')).to_contain_text("241.0")


def test_the_report_of_a_two_strip_call_is_one_letter_page(
    open_page: Callable[..., Page], shop: ShopOf, tmp_path: Path
) -> None:
    """With every reading of the run sheet taken, printed on Letter."""
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto(shop.url)
    page.get_by_role("button", name="W call", exact=True).click()
    for point, value in (
        ("volts:feed-1.l1:feed-1.l2", "238.4"),
        ("volts:feed-1.l1:ground", "119.2"),
        ("volts:feed-1.l2:ground", "119.2"),
        ("volts:board.w:board.c", "25.1"),
        ("volts:seq-a.coil.1:seq-a.coil.2", "25"),
        ("amps:strip-a", "20.4"),
        ("amps:strip-b", "0"),
        ("amps:feed-1", "23"),
        ("amps:blower", "2.9"),
        ("volts:seq-a.pole-2.load:seq-a.pole-2.line", "238"),
    ):
        keep(page, point, value)
    page.goto(f"{shop.url}/report")
    pdf = page.pdf(prefer_css_page_size=True)
    assert pdf.startswith(b"%PDF")
    assert BytesIO(pdf).read().count(b"/Type /Page\n") == 1
    assert b"/MediaBox [0 0 612 792]" in pdf


@pytest.mark.parametrize("size", [PHONE], ids=["phone"])
def test_nothing_serious_for_the_accessibility_checker(
    open_page: Callable[..., Page], shop: ShopOf, size: dict[str, int]
) -> None:
    """Sign-in, Today, call with a failed reading, panels and report, both themes, on a phone, where most is folded."""
    page = open_page(size)
    page.goto("/sign-in")
    found = {"/sign-in": serious(page)}
    sign_in(page, shop)
    page.goto(shop.url)
    page.get_by_role("button", name="W call", exact=True).click()
    keep(page, "volts:feed-1.l1:feed-1.l2", "205")
    panels = ("complaint", "nameplate", "safe", "look", "accept", "hand-over")
    plate = f"/units/{shop.unit_id}/nameplate"
    paths = ["/today", "/calls/new", "/calls/new?place_id=new", plate, shop.url, f"{shop.url}/report"]
    for path in [*paths, f"{shop.url}/report?reader=customer", *(f"{shop.url}?panel={panel}" for panel in panels)]:
        page.goto(path)
        found[path] = serious(page)
    assert {path: problems for path, problems in found.items() if problems} == {}


def serious(page: Page) -> list[str]:
    """Run the checker in the page by day, for colours in the attic too; return what it calls serious or critical.

    Colours hang on the look, not on the size: a phone's page is looked at by day.
    """
    page.evaluate(AXE)
    found = []
    looks: tuple[tuple[Literal["dark", "light"], str], ...] = (
        ("dark", "{runOnly: ['color-contrast', 'link-in-text-block']}"),
        ("light", "{}"),
    )
    is_phone = (page.viewport_size or {"width": 1280})["width"] < 600
    for scheme, rules in looks[is_phone:]:
        page.emulate_media(color_scheme=scheme)
        result = page.evaluate(f"axe.run(document, {{resultTypes: ['violations'], ...{rules}}})")
        found += [
            f"{scheme}: {violation['id']}: {node['target']} {node['failureSummary']}"
            for violation in result["violations"]
            if violation["impact"] in ("serious", "critical")
            for node in violation["nodes"]
        ]
    return found
