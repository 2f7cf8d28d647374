"""The load against everything in its path, the heat against the weather: two calls played, two calculators."""

import re
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

import pytest
from playwright.sync_api import Page, expect

from tests.application import ShopOf
from tests.browser.conftest import LAPTOP, PHONE, Ahead, sign_in
from tests.browser.test_slice import keep, serious

SIZES = pytest.mark.parametrize("size", [LAPTOP, PHONE], ids=["laptop", "phone"])


def step_of(page: Page, name: str) -> None:
    """Open a step by the run sheet, folded under *More* or a part of another one as it may be."""
    if page.locator(".sheet-here").is_visible():
        page.locator(".sheet-here").click()
    if page.locator(".sheet-more:not([open])").count():
        page.locator(".sheet-more summary").click()
    page.locator('#sheet-list .step[href*="/circuit"], #sheet-list .step[href*="/heat-pump"]').click()
    expect(page.locator("#pad")).to_have_attribute("data-panel", re.compile("circuit|heat-pump"))
    if page.locator("#pad").get_attribute("data-panel") != name:
        page.locator(f'a[href*="/{name}"]:visible').first.click()
        expect(page.locator("#pad")).to_have_attribute("data-panel", name)


@SIZES
def test_an_overloaded_feed_runs_on_a_smaller_device_until_it_is_corrected(
    open_page: Callable[..., Page], shop: ShopOf, size: dict[str, int]
) -> None:
    """40 A on #10 for 44.7 A of load: found once the plate is read, kept as a measure, on Today and on both papers."""
    page = open_page(size)
    sign_in(page, shop)
    page.goto(f"{shop.url}/circuit")
    expect(page.locator("#pad .feed-tree, #pad summary").first).to_be_visible()
    page.get_by_role("link", name="Edit nameplate").click()
    feeds = page.locator('.plate-part[data-part="Feeds"]')
    if size == PHONE:
        feeds.locator("summary").first.click()
    page.locator('[name="feeds[0].breaker_amps"]').fill("40")
    page.locator('[name="feeds[0].conductor.size"]').select_option("10")
    feeds.locator(".path-facts summary").click()
    page.locator('[name="feeds[0].opens"]').select_option("two-pole")
    page.locator('[name="feeds[0].conductor.insulation_degc"]').select_option("75")
    page.locator('[name="feeds[0].conductor.ambient_degf"]').fill("500 °F")
    page.get_by_role("button", name="Save nameplate").click()
    expect(page.locator("#plate")).to_contain_text("expected -60 to 200 °F, got 500")
    expect(page.locator('[name="feeds[0].conductor.ambient_degf"]')).to_have_value("500 °F")
    page.locator('[name="feeds[0].conductor.ambient_degf"]').fill("95")
    page.get_by_role("button", name="Save nameplate").click()
    page.wait_for_url("**/calls/**")
    step_of(page, "circuit")
    pad = page.locator("#pad")
    expect(pad).to_contain_text("The largest device this wire may have is 30 A. Less load does not change that.")
    pad.get_by_text("Until it is corrected: Feed 1 on a 30 A device, Strip B off").click()
    expect(pad).to_contain_text("5 of 10 kW left to heat with")
    expect(pad).to_contain_text("Strip A and Strip B answer W together")
    page.get_by_label("Tag says").fill("")
    page.get_by_role("button", name="Save as temporary repair").click()
    expect(pad).to_contain_text("enter what the tag says")
    page.get_by_label("Tag says").fill("30 A, strip B off")
    due = datetime.now(UTC).date() + timedelta(days=1)
    page.get_by_label("Until").fill(due.isoformat())
    page.get_by_role("button", name="Save as temporary repair").click()
    expect(pad).to_contain_text(f"Feed 1 on a 30 A device, Strip B off until {due.isoformat()}")
    expect(pad.get_by_role("button", name="Save as temporary repair")).to_have_count(0)
    # What was kept is in sight.
    expect(pad.locator(".caution").first).to_be_in_viewport()
    page.goto("/today")
    expect(page.locator(".due")).to_contain_text("Feed 1 on a 30 A device, Strip B off")
    expect(page.locator(".due")).to_contain_text("Feed 1, wire: a licensed electrician")
    for paper in ("customer", "office"):
        page.goto(f"{shop.url}/report?paper={paper}")
        expect(page.locator(".paper")).to_contain_text("Feed 1 on a 30 A device, Strip B off until")
        expect(page.locator(".paper")).to_contain_text("Feed 1, wire: a licensed electrician")


def test_not_enough_heat_may_be_the_weather(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """10 kW and no heat pump against 450 Btu/h·°F at −20 °F: both strips right, still 1.9 kW short; on a phone."""
    page = open_page(PHONE)
    sign_in(page, shop)
    page.goto(f"{shop.url}/heat-pump")
    page.get_by_label("Outdoors").fill("cold")
    page.get_by_role("button", name="Set", exact=True).click()
    expect(page.locator("#pad")).to_contain_text("expected degrees such as 28")
    expect(page.get_by_label("Outdoors")).to_have_value("cold")
    page.get_by_label("Outdoors").fill("-20")
    page.get_by_label("Indoors").fill("58")
    page.get_by_role("button", name="Set", exact=True).click()
    expect(page.locator("#pad")).to_contain_text("Not proven. Missing: the house's heat loss")
    page.get_by_role("link", name="Enter heat pump and house").click()
    page.locator('.plate-part[data-part="Heat pump and house"] summary').click()
    page.locator('[name="house.design_btu_per_hour"]').fill("27000")
    page.locator('[name="house.design_outdoor_degf"]').fill("10")
    page.get_by_role("button", name="Save nameplate").click()
    page.wait_for_url("**/calls/**")
    step_of(page, "heat-pump")
    expect(page.locator("#pad")).to_contain_text("Even with every strip working, 1.9 kW short at -20 °F.")
    expect(page.locator("#pad .weather-chart")).to_be_visible()
    page.goto(shop.url)
    page.get_by_role("button", name="W call", exact=True).click()
    expect(page.get_by_role("button", name="W call", exact=True)).to_have_attribute("aria-pressed", "true")
    Ahead.offset += timedelta(minutes=5)
    page.reload()
    for point, value in (("volts:feed-1.l1:feed-1.l2", "239.5"), ("amps:strip-a", "20.7"), ("amps:strip-b", "20.6")):
        keep(page, point, value)
    expect(page.locator("#findings .weather-answer")).to_contain_text(
        "Every strip works, and heat is still 1.9 kW short at -20 °F."
    )
    page.goto(f"{shop.url}/report?paper=office")
    expect(page.locator(".paper")).to_contain_text("Heat for the weather")
    expect(page.locator(".paper")).to_contain_text("the owner: more heat, or a tighter house")


def test_the_calculators_answer_in_place_and_keep_what_is_typed(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """What is typed stands in the address; a slip has its message beside it; the back button goes one step back."""
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto("/bench/feed?kw=3.5+3.5&blower=6&breaker=40&size=10&mca=40")
    answer = page.locator("#bench")
    expect(answer).to_contain_text("Feed 1 on a 30 A device, Strip B off")
    expect(answer).to_contain_text("1.25 × 35.17 = 43.96 A → 45 A")
    page.locator("#breaker").fill("55")
    page.locator("#breaker").blur()
    expect(page.locator("#breaker-problem")).to_contain_text("expected a standard size")
    expect(page.locator("#breaker")).to_have_value("55")
    page.locator("#breaker").fill("30")
    page.locator("#breaker").blur()
    expect(answer).to_contain_text("30 A breaker. The label's MCA is 40 A.")
    expect(answer.get_by_text("The largest device this wire may have is 30 A")).to_have_count(0)
    assert "breaker=30" in page.url
    page.goto("/bench/heat-pump?outdoor=8&kw=5+5&indoor=50&mass=8000")
    expect(answer).to_contain_text("Enough at 8 °F. The strips must supply 5.1 kW")
    expect(answer).to_contain_text("7.7 h")
    page.locator("#kw").fill("5")
    page.locator("#kw").blur()
    expect(answer).to_contain_text("0.1 kW short at 8 °F")
    expect(answer).to_contain_text("never")


@SIZES
def test_the_new_pages_have_nothing_serious(open_page: Callable[..., Page], shop: ShopOf, size: dict[str, int]) -> None:
    """The accessibility checker on both steps and both calculators; nothing wider than the screen."""
    page = open_page(size)
    sign_in(page, shop)
    for path in ("/bench/feed", "/bench/heat-pump?outdoor=8", f"{shop.url}/circuit", f"{shop.url}/heat-pump"):
        page.goto(path)
        assert serious(page) == [], path
        assert page.evaluate("document.documentElement.scrollWidth") <= size["width"], path
