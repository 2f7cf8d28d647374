"""Whole calls played as a technician would, every tap and every character counted from sign-in on."""

import os
import random
import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import pytest
from playwright.sync_api import Locator, Page, expect
from sqlalchemy import Engine

from plentar.core.causes.hypotheses import model_of
from plentar.core.circuit.drive import Drive
from tests.application import ShopOf
from tests.browser.conftest import LAPTOP, PHONE, Ahead, sign_in, sign_in_by_form
from tests.browser.test_calls import LONG_AGO, HiddenFault

# A digit on the application's own pad is a character; the Safe list and locks count in neither.
COUNTER = """
const count = (name) => {
  if (sessionStorage.getItem("uncounted")) return;
  sessionStorage.setItem(name, 1 + Number(sessionStorage.getItem(name) ?? 0));
};
addEventListener("pointerdown", (event) => count(event.target.closest?.(".keys") ? "characters" : "taps"), true);
addEventListener("keydown", (event) => {
  if (event.key.length === 1 || event.key === "Backspace") count("characters");
}, true);
"""
LINE, POLE_B = "volts:feed-1.l1:feed-1.l2", "volts:seq-a.pole-2.load:seq-a.pole-2.line"


EXPECTED = [
    "Found",
    "The switch that turns on one of the 2 heating elements had failed, so that element stayed cold. "
    "We did not find what led to it.",
    "Done",
    "Fitted: 2-pole sequencer. Tested after the repair: it works as it should.",
]


class Player:
    """One technician at one screen, with a meter on a unit that has one fault, until it is repaired."""

    def __init__(self, page: Page, shop: ShopOf, engine: Engine, fault: str, *, by_keys: bool = False) -> None:
        self.page, self.shop, self.by_keys = page, shop, by_keys
        self.safe = HiddenFault(page, shop, engine, fault)
        self.model, self.row = model_of(shop.plate), self.safe.row
        self.is_phone = (page.viewport_size or {"width": 0})["width"] < 600
        page.add_init_script(COUNTER)

    def counted(self) -> tuple[int, int]:
        """Taps and characters so far."""
        taps, characters = (
            int(self.page.evaluate(f"sessionStorage.getItem('{name}') ?? 0")) for name in ("taps", "characters")
        )
        return taps, characters

    @contextmanager
    def uncounted(self) -> Iterator[None]:
        """What the Safe list asks for is no shortcut's business."""
        self.page.evaluate("sessionStorage.setItem('uncounted', '1')")
        yield
        self.page.evaluate("sessionStorage.removeItem('uncounted')")

    def tap(self, what: Locator) -> None:
        """Tap or click, and wait until its answer is there."""
        if self.by_keys:
            self.press(what)
        else:
            what.tap() if self.is_phone else what.click()
        # What was tapped is marked until its answer is there.
        self.page.wait_for_timeout(60)
        self.page.wait_for_load_state()
        self.page.wait_for_function("() => !document.querySelector('[data-tapped]')")

    def press(self, what: Locator) -> None:
        """Do by its key, or by moving to it, what a tap would."""
        key = what.get_attribute("data-key")
        self.page.keyboard.press("Escape")
        if key:
            self.page.locator("body").evaluate("() => document.activeElement?.blur()")
            self.page.keyboard.press(key)
            return
        assert what.evaluate("element => element.tabIndex") >= 0, "not to be reached by Tab"
        what.focus()
        is_box = what.get_attribute("type") == "checkbox"
        self.page.keyboard.press("Space" if is_box else "Enter")

    def button(self, name: str) -> Locator:
        """A button by its words."""
        return self.page.get_by_role("button", name=name, exact=True)

    def call(self, name: str) -> None:
        """Switch a call on or off, and let ten minutes pass."""
        was = self.button(f"{name} call").get_attribute("aria-pressed") or ""
        self.tap(self.button(f"{name} call"))
        expect(self.button(f"{name} call")).not_to_have_attribute("aria-pressed", was)
        Ahead.offset += LONG_AGO

    def point(self) -> str:
        """Where the pad is."""
        return self.page.locator('#pad [name="point"]').first.input_value()

    def keep(self) -> str:
        """Type what the meter shows at the pad's point and keep it; returns the point."""
        point = self.point()
        calls = frozenset(
            name for name in self.shop.plate.calls
            if self.button(f"{name} call").get_attribute("aria-pressed") == "true"
        )  # fmt: skip
        value = float(self.model.predict(point, Drive(calls=calls)).predicted[self.row])
        # The plate's amps are what the motor draws at most.
        value *= 0.85 if point == "amps:blower" else 1.0
        typed = f"{value:.1f}" if value < 1e6 else "OL"
        if self.is_phone:
            for digit in typed:
                self.page.locator(f'.keys button[value="{digit}"]').tap()
        else:
            self.page.keyboard.type(typed)
        expect(self.page.locator(".entry")).to_have_value(typed)
        version = self.page.locator("[data-changes]").first.get_attribute("data-version") or ""
        self.tap(self.button("Save"))
        expect(self.page.locator("[data-changes]").first).not_to_have_attribute("data-version", version)
        return point

    def next(self) -> None:
        """Follow the bar: first the calls it wants, then the tap that puts the probes there."""
        words = self.page.locator("#next small")
        if words.count() and "calling" in words.inner_text():
            told = words.inner_text().partition(" calling")[0].split(" and ")
            for name in self.shop.plate.calls:
                if (name in told) != (self.button(f"{name} call").get_attribute("aria-pressed") == "true"):
                    self.call(name)
        there = self.page.locator('#next [data-key="n"]')
        point = (there.get_attribute("href") or "").partition("?point=")[2].partition("&")[0]
        self.tap(there)
        if point:
            expect(self.page.locator('#pad[data-panel="reading"] [name="point"]').first).to_have_value(point)

    @property
    def advice(self) -> str:
        """What the bar says is to be done."""
        return self.page.locator("#next").get_attribute("data-advice") or ""


def draw(page: Page, field: Locator) -> None:
    """Sign with a finger."""
    field.scroll_into_view_if_needed()
    box = field.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 20, box["y"] + 60)
    page.mouse.down()
    page.mouse.move(box["x"] + 80, box["y"] + 20, steps=4)
    page.mouse.up()


@pytest.mark.parametrize(
    ("size", "by_keys"),
    [pytest.param(PHONE, False, marks=pytest.mark.long), (LAPTOP, True)],
    ids=["phone", "keys alone"],
)
def test_a_dead_pole_from_sign_in_to_a_signed_paper(
    open_page: Callable[..., Page], shop: ShopOf, engine: Engine, size: dict[str, int], by_keys: bool
) -> None:
    """A wrong tap undone, eight readings or more, cause, part, proof, both names: 62 taps, 120 characters at most."""
    page = open_page(size)
    sign_in_by_form(page, shop)
    play = Player(page, shop, engine, "seq-a.pole-2.open", by_keys=by_keys)
    page.reload()
    play.tap(page.get_by_role("link", name="1 Test Row").first)
    readings = [play.keep()]
    play.tap(play.button("G call"))
    expect(play.button("G call")).to_have_attribute("aria-pressed", "true")
    play.tap(page.locator('[data-key="u"]'))
    expect(play.button("G call")).to_have_attribute("aria-pressed", "false")
    play.call("W")
    while play.advice in ("test", "check", "again") and len(readings) < 14:
        play.next()
        readings.append(play.keep())
    assert play.advice == "accept", readings
    play.next()
    play.tap(play.button("Accept, root cause not found"))
    expect(page.get_by_role("heading", name="Papers")).to_be_visible()
    play.call("W")
    with play.uncounted():
        play.safe.prove_dead()
    play.next()
    expect(page.locator("#name")).to_have_value(re.compile("equencer"))
    play.tap(play.button("Add").first)
    expect(page.locator("#next")).to_contain_text("Checklist, then power back on")
    play.next()
    ticks = page.locator('.tick[aria-pressed="false"]')
    expect(ticks.first).to_be_visible()
    while (left := ticks.count()) > 0:
        play.tap(ticks.first)
        expect(ticks).to_have_count(left - 1)
    play.tap(page.get_by_role("button", name="Power back on"))
    expect(page.locator("#next")).to_have_attribute("data-advice", "prove")
    play.row = 0
    bar = page.locator("#next")
    while "Repair proven" not in bar.inner_text():
        if "Does the blower run" in bar.inner_text():
            play.tap(bar.locator("button.next-go"))
            expect(bar).not_to_contain_text("Does the blower run")
            continue
        play.next()
        readings.append(play.keep())
        assert len(readings) < 24, readings
    play.tap(bar.locator("button.next-go"))
    expect(page.locator("#pad")).to_have_attribute("data-panel", "hand-over")
    for role, name in (("Technician", ""), ("Owner", "R. Yarrow")):
        field = page.locator("details.sign[open]").filter(has_text=role)
        if name:
            field.get_by_label("Name").focus() if by_keys else play.tap(field.get_by_label("Name"))
            page.keyboard.type(name)
        if not by_keys:
            draw(page, field.locator("[data-sign-field]"))
        play.tap(play.button(f"{role} signs"))
        expect(page.locator("details.sign > summary").filter(has_text=role)).to_contain_text(name or "Pim Tester")
    play.tap(play.button("Close the call"))
    expect(page.locator("#pad")).to_contain_text("Closed.")
    play.tap(page.get_by_role("link", name="For the customer"))
    page.wait_for_url("**/report?reader=customer")
    paper = page.locator(".paper")
    expect(paper).to_be_visible()
    taps, characters = play.counted()
    assert len(readings) >= 8
    # Two of the taps are the wrong one and its undo.
    assert taps <= (0 if by_keys else 60 + 2), (taps, characters)
    assert characters <= 120, (taps, characters)
    assert paper.locator(".short").inner_text().split("\n") == EXPECTED


def test_a_four_pole_sequencer_is_swapped_wire_for_wire(
    open_page: Callable[..., Page], shop: ShopOf, engine: Engine
) -> None:
    """Every lead landed before and after by taps on the board, one on a dead terminal: no more than 25 taps."""
    page = open_page(PHONE)
    play = Player(page, shop, engine, "healthy")
    sign_in(page, shop)
    page.goto(shop.url)
    with play.uncounted():
        page.goto(f"/units/{shop.unit_id}/nameplate?call={shop.call_id}")
        page.get_by_text("Heat kit", exact=True).first.click()
        page.get_by_label("Whole kit").fill("20")
        page.get_by_label("Limits counted").fill("4")
        page.get_by_role("button", name="Set up the strips").click()
        expect(page.locator("#drawn")).to_contain_text("Seq A · pole 4")
        page.get_by_role("button", name="Save nameplate").last.click()
        page.wait_for_url("**/calls/**")
        page.goto(f"{shop.url}/fix")
    before, _ = play.counted()
    play.tap(page.get_by_role("navigation", name="Part").get_by_role("link", name="Seq A", exact=True))
    wanted = page.locator(".lead select[data-land]")
    expect(wanted.first).to_have_attribute("data-next", "")
    count = wanted.count()
    astray = page.locator(".lead").filter(has_text="Strip C limit")
    for index in range(count):
        select = wanted.nth(index)
        expect(select).to_have_attribute("data-next", "")
        is_astray = astray.locator('select[name^="after:"][data-next]').count() > 0
        terminal = select.input_value()
        spot = page.locator(f'#board [data-terminal="{terminal}"] .hit')
        (page.get_by_role("button", name="no contact") if is_astray else spot).tap()
    play.tap(page.get_by_role("button", name="Save wire list"))
    expect(page.locator("#pad")).to_contain_text("is on a terminal with no contact behind it")
    after, _ = play.counted()
    assert count == 2 * 11
    assert after - before <= 25


# All answers come after a while of their own; the fetch itself is delayed, so that taps and keys are not.
LATE = """const sent = window.fetch;
let seed = SEED;
const chance = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
window.fetch = async (...request) => {
  await new Promise((done) => setTimeout(done, chance() * LATEST));
  return sent(...request);
};"""


def test_on_a_slow_link_a_number_lands_at_the_point_tapped(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """Up to 2.5 s an answer: each tap is marked within 100 ms, each number is kept where it was typed for.

    PLENTAR_SLOW_ROUNDS plays more of them than the suite has time for.
    """
    rounds = int(os.environ.get("PLENTAR_SLOW_ROUNDS", "3"))
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.add_init_script(LATE.replace("SEED", "20261").replace("LATEST", "2500"))
    page.goto(shop.url)
    chance = random.Random(7)  # noqa: S311 - the same numbers each time
    points = ["amps:strip-a", "amps:strip-b", LINE, "volts:feed-1.l1:ground", "volts:feed-1.l2:ground"]
    for number in range(rounds):
        point = chance.choice([name for name in points if name != page.locator('#pad [name="point"]').input_value()])
        spot = page.locator(f'#board [data-point="{point}"]')
        spot.click()
        marked = page.evaluate("() => document.querySelectorAll('[data-tapped], #pad[inert]').length")
        assert marked or page.locator(f'#pad [name="point"][value="{point}"]').count(), number
        typed = (
            f"{chance.randrange(100, 260)}.{chance.randrange(10)}" if point.startswith("volts") else f"{number % 40}.5"
        )
        for digit in typed:
            page.wait_for_timeout(chance.randrange(0, 700))
            page.keyboard.press(digit)
        page.wait_for_timeout(chance.randrange(0, 500))
        page.keyboard.press("Enter")
        expect(spot).to_contain_text(f"{float(typed):.1f}")
        expect(page.locator("#pad[inert]")).to_have_count(0)
