"""One room for a call: each step beside run sheet, board and strip; what to do in sight; a phone without swiping."""

from collections.abc import Callable
from itertools import combinations

import pytest
from playwright.sync_api import Page, expect

from plentar.core.work.ledger import leads_of
from tests.application import ShopOf
from tests.browser.conftest import LAPTOP, PHONE, sign_in
from tests.browser.test_slice import keep

STEPS = (
    "",
    "/timing",
    "/blower",
    "/control",
    "/circuit",
    "/heat-pump",
    "/fix",
    "/fix?part=seq-a",
    "/fix/prove",
    "?panel=air",
    "?panel=look",
)
SIZES = pytest.mark.parametrize("size", [LAPTOP, PHONE], ids=["laptop", "phone"])
# What lies inside the screen, and the least side of what a thumb has to hit.
INSIDE = """names => names.filter(name => {
  const box = document.querySelector(name)?.getBoundingClientRect();
  return !(box && box.height > 20 && box.top >= 0 && box.bottom <= innerHeight && box.right <= innerWidth + 1);
})"""
SMALL = """() => [...document.querySelectorAll('.call a, .call button, .call summary, .call select, .call .field')]
  .filter(each => each.checkVisibility() && !each.closest('svg') && each.tagName !== 'SPAN')
  .filter(each => getComputedStyle(each).pointerEvents !== 'none')
  .map(each => [each.getBoundingClientRect(), each])
  .filter(([box]) => box.height > 0 && (box.height < 43.5 || box.width < 43.5))
  .map(([box, each]) => `${each.outerHTML.slice(0, 90)} ${box.width | 0}x${box.height | 0}`)"""


@SIZES
def test_every_step_keeps_run_sheet_board_strip_and_what_to_do(
    open_page: Callable[..., Page], shop: ShopOf, size: dict[str, int]
) -> None:
    """Nothing to scroll to, nothing wider than the screen, nothing too small for a thumb."""
    page = open_page(size)
    sign_in(page, shop)
    page.goto(shop.url)
    keep(page, "volts:feed-1.l1:feed-1.l2", "238.4")
    for step in STEPS:
        page.goto(shop.url + step)
        assert page.evaluate(INSIDE, ["#runsheet", "#board", "#next", "#strip", ".clock b"]) == [], step
        assert page.evaluate("document.documentElement.scrollWidth") <= size["width"], step
        for part in ("#runsheet", "#pad", "#strip"):
            wide = page.evaluate(
                "name => { const e = document.querySelector(name); return e.scrollWidth - e.clientWidth }", part
            )
            assert wide <= 1, (step, part)
        assert page.evaluate(SMALL) == [], step


# How many phone screens a step takes, with all that stays around what scrolls.
SCREENS = """() => {
  const side = document.querySelector('.side');
  return (document.documentElement.scrollHeight - side.clientHeight + side.scrollHeight) / innerHeight;
}"""


@pytest.mark.parametrize("pattern", ["two-strip-sequencer", pytest.param("six-strip-chained", marks=pytest.mark.long)])
def test_a_step_on_a_phone_is_no_more_than_a_screen_and_a_half(
    open_page: Callable[..., Page], make_shop: Callable[..., ShopOf], pattern: str
) -> None:
    """Every step of a call under way, a strip dead and suspects named; the ledger may take three."""
    shop = make_shop(pattern)
    page = open_page(PHONE)
    sign_in(page, shop)
    page.goto(shop.url)
    page.get_by_role("button", name="W call", exact=True).click()
    keep(page, "volts:feed-1.l1:feed-1.l2", "238.4")
    keep(page, "amps:strip-a", "0.0")
    panels = [f"?panel={name}" for name in ("complaint", "nameplate", "safe", "hand-over", "accept")]
    tall = {}
    for step in [*STEPS, "?point=amps:strip-a", *panels]:
        page.goto(shop.url + step)
        tall[step] = round(page.evaluate(SCREENS), 2)
    too_tall = {step for step, screens in tall.items() if screens > (3 if "part=" in step else 1.5)}
    assert not too_tall, str(tall)


@SIZES
def test_a_step_is_one_swap_there_and_back(open_page: Callable[..., Page], shop: ShopOf, size: dict[str, int]) -> None:
    """No page is loaded anew, the address follows, and tapping the step one is at does not move the pad."""
    page = open_page(size)
    sign_in(page, shop)
    page.goto(f"{shop.url}?point=amps:strip-b")
    page.evaluate("window.same = true")

    def step(name: str) -> None:
        if size == PHONE:
            page.locator(".sheet-here").click()
        page.locator("#sheet-list").get_by_role("link", name=name).click()

    step("Time and air")
    expect(page.locator("#pad")).to_have_attribute("data-panel", "timing")
    assert "/timing" in page.url
    step("Finish")
    expect(page.locator("#pad")).to_have_attribute("data-panel", "hand-over")
    step("Read")
    expect(page.locator("#pad .pad-title")).to_be_visible()
    page.locator('#board [data-point="amps:strip-b"]').click()
    expect(page.locator("#pad .pad-title")).to_contain_text("Strip B")
    step("Read")
    page.wait_for_timeout(300)
    expect(page.locator("#pad .pad-title")).to_contain_text("Strip B")
    assert page.evaluate("window.same")


def test_day_and_attic_change_nothing_else(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """What is typed, where one is and how far the panel is scrolled stay; the choice is there after a reload."""
    page = open_page(PHONE)
    sign_in(page, shop)
    page.goto(f"{shop.url}?point=amps:strip-a")
    page.locator(".entry").fill("20.")
    page.evaluate("document.querySelector('.side').scrollTop = 90")
    with page.expect_response("**/theme"):
        page.get_by_role("button", name="attic").click()
    assert page.evaluate("document.documentElement.dataset.theme") == "attic"
    expect(page.locator(".entry")).to_have_value("20.")
    assert page.evaluate("document.querySelector('.side').scrollTop") > 0
    assert "point=amps:strip-a" in page.url
    page.reload()
    assert page.evaluate("document.documentElement.dataset.theme") == "attic"
    page.get_by_role("button", name="day").click()
    assert page.evaluate("document.documentElement.dataset.theme") == "day"
    # Where the system is dark and nobody chose, the switch offers the day.
    dark = open_page(PHONE, "attic")
    sign_in(dark, shop)
    dark.goto(shop.url)
    expect(dark.get_by_role("button", name="day")).to_be_visible()


def test_the_next_test_is_one_tap_and_then_the_cause(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """The bar puts the probes where it says; on a phone other places are two taps away from inside a call."""
    page = open_page(PHONE)
    sign_in(page, shop)
    page.goto(shop.url)
    keep(page, "volts:feed-1.l1:feed-1.l2", "238.4")
    there = page.locator("#next .next-go")
    wanted = (there.get_attribute("href") or "").partition("point=")[2]
    there.click()
    expect(page.locator('#pad [name="point"]')).to_have_value(wanted)
    page.get_by_role("button", name="More places").click()
    for name in ("Today", "New call", "Parts", "Calculators"):
        expect(page.locator("#more").get_by_role("link", name=name, exact=True)).to_be_visible()
    page.locator("#more").get_by_role("button", name="Help and keys").click()
    expect(page.get_by_role("heading", name="Keys")).to_be_visible()


def test_a_lead_that_moves_is_drawn_from_where_it_sat(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """One line on the board, from the old terminal to the new one; none once it is back."""
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto(f"{shop.url}/fix?part=seq-a")
    one, two = leads_of(shop.plate, "seq-a")[:2]
    moved = page.locator("#board .moved-lead")
    expect(moved).to_have_count(0)
    now = page.locator(f'[name="after:{one.lead}"]')
    now.focus()
    page.locator(f'#board [data-terminal="{two.terminal}"]').click()
    expect(now).to_have_value(two.terminal)
    expect(moved).to_have_count(1)
    now.focus()
    page.locator(f'#board [data-terminal="{one.terminal}"]').click()
    expect(moved).to_have_count(0)


def test_the_whole_bench_is_on_a_phone_with_terminals_for_a_thumb(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """Nothing to swipe: each terminal and each place a wire can go lies on the screen, none over another."""
    page = open_page(PHONE)
    sign_in(page, shop)
    page.goto("/bench/interlock?no=L2&nc=strip&com=none&pick=nc")
    boxes = page.locator(".bench-svg .hit").evaluate_all(
        "hits => hits.map(hit => hit.getBoundingClientRect()).map(b => [b.left, b.top, b.right, b.bottom])"
    )
    assert len(boxes) == 8
    for left, _, right, _ in boxes:
        assert left >= -1
        assert right <= PHONE["width"] + 1
    small = [box for box in boxes if box[2] - box[0] < 43.5 or box[3] - box[1] < 43.5]
    assert small == []
    for one, other in combinations(boxes, 2):
        apart = one[2] <= other[0] + 1 or other[2] <= one[0] + 1 or one[3] <= other[1] + 1 or other[3] <= one[1] + 1
        assert apart, (one, other)
