"""Timing in a real browser: the stopwatch with a clock run forward, a meter's file, the simulated meter."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from plentar.core.unit.patterns import PATTERNS
from plentar.devices.simulated import SimulatedClamp
from plentar.formats.current_csv import write_current_csv
from tests.application import ShopOf
from tests.browser.conftest import LAPTOP, PHONE, sign_in
from tests.browser.test_slice import serious


class Clock:
    """The server's clock and the page's, run forward together; between two steps the server's stands still.

    However slow the machine, a step is as many seconds as the test says.
    """

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        begun, self.ahead = datetime.now(UTC), timedelta(0)
        monkeypatch.setattr("plentar.web.serving.access._clock", lambda: begun + self.ahead)

    def forward(self, page: Page, seconds: float) -> None:
        """Let seconds pass, for the server at once and for the page with its next look."""
        self.ahead += timedelta(seconds=seconds)
        page.reload()


def tap(page: Page, name: str) -> None:
    """Tap one line of the stopwatch and wait for its answer."""
    page.get_by_role("button", name=name, exact=True).click()
    expect(page.get_by_role("button", name=name, exact=True)).to_have_count(0)


def test_a_timing_run_with_the_clock_run_forward(
    open_page: Callable[..., Page], shop: ShopOf, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Call, both stages and the blower in their windows, five minutes, drop, off again: a good run on the chart."""
    clock = Clock(monkeypatch)
    page = open_page(PHONE)
    sign_in(page, shop)
    page.goto(f"{shop.url}/timing")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.get_by_role("button", name="Call for heat now").click()
    expect(page.locator(".patience-words").first).to_have_text("not before 10 s")
    clock.forward(page, 40)
    tap(page, "Blower came on")
    tap(page, "Strip A came on")
    expect(page.locator(".watch")).to_contain_text("pass")
    clock.forward(page, 25)
    tap(page, "Strip B came on")
    expect(page.locator(".watch")).to_contain_text("count after five minutes")
    clock.forward(page, 280)
    expect(page.locator(".watch")).to_contain_text("off-times count")
    tap(page, "End the call for heat")
    clock.forward(page, 50)
    tap(page, "Strip B went off")
    clock.forward(page, 20)
    tap(page, "Strip A went off")
    tap(page, "Blower went off")
    expect(page.locator(".stages")).to_contain_text("1 of 1 starts good")
    expect(page.locator(".stages")).to_contain_text("Blower on with or before the first strip")
    expect(page.locator(".watch")).to_contain_text("The next run counts in")
    page.goto(f"{shop.url}/report")
    expect(page.locator(".paper")).to_contain_text("Run 1")


def test_silence_is_judged_by_the_patience_clock(
    open_page: Callable[..., Page], shop: ShopOf, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Before its maximum nothing, then late, then did not close; a tap too many is undone."""
    clock = Clock(monkeypatch)
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto(f"{shop.url}/timing")
    tap(page, "Call for heat now")
    clock.forward(page, 30)
    tap(page, "Strip A came on")
    tap(page, "undo Strip A")
    tap(page, "Strip A came on")
    clock.forward(page, 40)
    expect(page.locator(".patience-words").last).to_contain_text("in its window")
    clock.forward(page, 30)
    expect(page.locator(".patience-words").last).to_have_text("past its window")
    clock.forward(page, 100)
    expect(page.locator(".patience-words").last).to_have_text("did not close")
    expect(page.locator(".stages")).to_contain_text("Strip A heated without the blower")


def test_a_meters_file_is_read_and_a_bad_one_refused(
    open_page: Callable[..., Page], shop: ShopOf, tmp_path: Path
) -> None:
    """Text for numbers is told beside the file with all else kept; the good file shows its steps and its fault."""
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto(f"{shop.url}/timing")
    bad, good = tmp_path / "bad.csv", tmp_path / "good.csv"
    bad.write_text("t,A\n0,1\n1,x\n2,1\n")
    meter = SimulatedClamp(
        plate=PATTERNS["two-strip-sequencer"](), clamp="feed-1", faults=("strip-b.limit.cycling",), dropped_seconds=700
    )
    samples = meter.samples(1000)
    good.write_text(write_current_csv(samples.seconds, samples.amps))
    page.get_by_text("A meter's file", exact=True).click()
    page.get_by_label("Called at").fill("0:05")
    page.get_by_label("Dropped at").fill("11:40")
    page.get_by_label("A meter's file").set_input_files(bad)
    page.get_by_role("button", name="Read the log").click()
    expect(page.get_by_role("alert")).to_contain_text("line 3: expected amps as a number, got “x”")
    expect(page.get_by_label("Dropped at")).to_have_value("11:40")
    page.get_by_label("A meter's file").set_input_files(good)
    page.get_by_role("button", name="Read the log").click()
    page.wait_for_url("**/logs/**")
    expect(page.locator("#log")).to_contain_text("Strip B drops out and comes back by itself")
    before = page.locator(".trace").get_attribute("d")
    page.get_by_role("link", name="Closer").click()
    expect(page.locator(".trace")).not_to_have_attribute("d", before or "")
    assert serious(page) == []


def test_the_simulated_meter_streams_and_is_kept(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """Sixty times as fast: the page follows by itself; what it logs is no evidence of the unit."""
    page = open_page(LAPTOP, "attic")
    sign_in(page, shop)
    page.goto(f"{shop.url}/tools")
    page.get_by_label("Fault").select_option("seq-a.pole-2.open")
    page.get_by_label("Speed").select_option("60")
    page.get_by_role("button", name="Start", exact=True).click()
    expect(page.locator("#log")).to_contain_text("Strip B did not turn on", timeout=120_000)
    page.wait_for_timeout(4000)
    page.get_by_role("button", name="Stop it").click()
    expect(page.get_by_role("button", name="Stop it")).to_have_count(0)
    expect(page.locator("#log")).to_contain_text("samples at 2 a second")
    page.goto(f"{shop.url}/tools")
    expect(page.locator("main")).to_contain_text("samples at 2 a second")
    assert serious(page) == []
    for place in ("/timing", "", "/report"):
        page.goto(shop.url + place)
        expect(page.locator("body")).not_to_contain_text("simulated")


@pytest.mark.parametrize("size", [LAPTOP, PHONE], ids=["laptop", "phone"])
def test_timing_and_air_have_nothing_serious(
    open_page: Callable[..., Page], shop: ShopOf, size: dict[str, int]
) -> None:
    """The accessibility checker on stopwatch and air, both themes and sizes; nothing wider than the screen."""
    page = open_page(size)
    sign_in(page, shop)
    page.goto(f"{shop.url}/timing")
    page.get_by_role("button", name="Call for heat now").click()
    expect(page.get_by_role("button", name="End the call for heat")).to_be_visible()
    found = {"timing": serious(page)}
    page.goto(f"{shop.url}?panel=air")
    found["air"] = serious(page)
    assert found == {"timing": [], "air": []}
    assert page.evaluate("document.documentElement.scrollWidth") <= size["width"]
