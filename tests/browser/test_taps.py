"""The plainest calls from Today to the signed page, every tap, key and digit counted and told where it went.

A tap, a key and a digit each count one; words typed into one text field count one; a signature counts one; scrolling
nothing. The Safe list and the list before power are counted apart.
"""

import json
import re
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import pytest
from playwright.sync_api import Locator, Page, expect
from sqlalchemy import Engine, update
from sqlalchemy.orm import Session

from plentar.core.causes.hypotheses import model_of
from plentar.core.circuit.drive import Drive
from plentar.store.models import Call, PlaceRow
from tests.application import ShopOf
from tests.browser.conftest import LAPTOP, PHONE, Ahead, sign_in_by_form
from tests.browser.test_calls import LONG_AGO
from tests.browser.test_played import draw

COUNTER = r"""
const counted = () => JSON.parse(sessionStorage.getItem("counted") ?? "[]");
const count = (what) => {
  const list = counted();
  list.push([sessionStorage.getItem("phase") ?? "work", what.trim().replace(/\s+/g, " ").slice(0, 40)]);
  sessionStorage.setItem("counted", JSON.stringify(list));
};
const name = (element) => {
  const own = element.closest?.("a, button, label, summary, input, select, [data-sign-field]") ?? element;
  return own.getAttribute?.("aria-label") || own.innerText || own.name || own.getAttribute?.("class") || own.tagName;
};
let words = null;
addEventListener("pointerdown", (event) => {
  const key = event.target.closest?.(".keys button");
  count(key ? `digit` : `tap ${name(event.target)}`);
}, true);
addEventListener("focusin", () => { words = null; }, true);
addEventListener("keydown", (event) => {
  const isNumber = /^[0-9.]$/.test(event.key);
  const field = event.target.closest?.("input, textarea");
  const isWords = field && !["decimal", "numeric"].includes(field.inputMode) && field.type !== "number";
  if (isWords && event.key.length === 1 && !isNumber) {
    if (words !== field) count(`words ${field.name}`);
    words = field;
  } else count(isNumber ? "digit" : `key ${event.key}`);
}, true);
"""
OWNER = "R. Yarrow"
LINE = "volts:feed-1.l1:feed-1.l2"


class Tapper:
    """One technician, one thumb: reads a unit with one fault, and taps no more than the work asks for."""

    supply_degf = "101"

    def __init__(self, page: Page, shop: ShopOf, fault: str) -> None:
        self.page, self.shop = page, shop
        self.model = model_of(shop.plate)
        self.row = [hypothesis.id for hypothesis in self.model.hypotheses].index(fault)
        self.is_phone = (page.viewport_size or {"width": 0})["width"] < 600
        self.told: list[str] = []
        page.add_init_script(COUNTER)

    @contextmanager
    def phase(self, name: str) -> Iterator[None]:
        """Count what is done here apart."""
        self.page.evaluate("name => sessionStorage.setItem('phase', name)", name)
        yield
        self.page.evaluate("sessionStorage.setItem('phase', 'work')")

    def counted(self) -> dict[str, Counter[str]]:
        """What was counted, by phase and by what was tapped."""
        found: dict[str, Counter[str]] = {}
        for phase, what in json.loads(self.page.evaluate("sessionStorage.getItem('counted') ?? '[]'")):
            found.setdefault(phase, Counter())[what] += 1
        return found

    def settle(self) -> None:
        """Wait until the answer of a tap is there."""
        self.page.wait_for_timeout(60)
        self.page.wait_for_load_state()
        self.page.wait_for_function("() => !document.querySelector('[data-tapped]')")

    def tap(self, what: Locator) -> None:
        """Tap, and wait."""
        what.tap() if self.is_phone else what.click()
        self.settle()

    def button(self, name: str | re.Pattern[str]) -> Locator:
        """A button by its words."""
        return self.page.get_by_role("button", name=name, exact=isinstance(name, str))

    def call(self, name: str, *, on: bool) -> None:
        """Switch a call, where it is not so already; ten minutes pass."""
        there = self.button(f"{name} call")
        if (there.get_attribute("aria-pressed") == "true") == on:
            return
        self.tap(there)
        expect(there).to_have_attribute("aria-pressed", "true" if on else "false")
        Ahead.offset += LONG_AGO

    @property
    def point(self) -> str:
        """Where the pad is."""
        return self.page.locator('#pad [name="point"]').first.input_value()

    def go(self, point: str) -> None:
        """Put the pad on a point by the board, where it is not there already."""
        if self.page.locator("#pad").get_attribute("data-panel") == "reading" and self.point == point:
            return
        self.tap(self.page.locator(f'#board [data-point="{point}"]'))
        expect(self.page.locator('#pad [name="point"]').first).to_have_value(point)

    def read(self, point: str = "", typed: str = "") -> str:
        """Type what the meter shows, whole volts and amps to a tenth, and save it."""
        if point:
            self.go(point)
        point = self.point
        if not typed:
            on = {n for n in self.shop.plate.calls if self.button(f"{n} call").get_attribute("aria-pressed") == "true"}
            value = float(self.model.predict(point, Drive(calls=frozenset(on))).predicted[self.row])
            value *= 0.85 if point == "amps:blower" else 1.0
            digits = 0 if point.startswith("volts") and value >= 10 else 1
            typed = "0" if value < 0.05 else f"{value:.{digits}f}"
        keys = self.page.locator(".keys button")
        if typed == "OL":
            self.tap(self.page.locator('[data-type="OL"]'))
        elif self.is_phone and keys.first.is_visible():
            for digit in typed:
                if digit.isdigit() or digit == ".":
                    self.page.locator(f'.keys button[value="{digit}"]').tap()
        else:
            self.page.keyboard.type(typed)
        version = self.page.locator("[data-changes]").first.get_attribute("data-version") or ""
        self.tap(self.page.locator(".pad-form .primary"))
        expect(self.page.locator("[data-changes]").first).not_to_have_attribute("data-version", version)
        self.told.append(f"{point} {typed} -> {self.page.locator('#next').inner_text()[:90]!r}")
        return point

    def next(self) -> None:
        """Follow the bar, with the calls it wants."""
        words = self.page.locator("#next small")
        if words.count() and " calling, live" in words.first.inner_text():
            told = words.first.inner_text().partition(" calling")[0].split(" and ")
            for name in self.shop.plate.calls:
                self.call(name, on=name in told)
        there = self.page.locator('#next [data-key="n"]')
        href = there.get_attribute("href") or ""
        if "?point=" in href and href.partition("?point=")[2].partition("&")[0] == self.point_or_nothing():
            return
        self.tap(there)

    def point_or_nothing(self) -> str:
        """Where the pad is, or nothing while another panel is open."""
        return self.point if self.page.locator("#pad").get_attribute("data-panel") == "reading" else ""

    def advice(self) -> str:
        """What the bar says is to be done."""
        return self.page.locator("#next").get_attribute("data-advice") or ""

    def type(self, text: str) -> None:
        """Type into the field that has the focus, or the one given by its tap before."""
        self.page.keyboard.type(text)

    def safe(self) -> None:
        """Open the Safe list by the bar, and do it."""
        self.next()
        self.safe_lines()

    def safe_lines(self) -> None:
        """Do the Safe list by its short way as far as it is open: one line at a time, its first field has the focus."""
        pad = self.page.locator("#pad")
        expect(pad).to_have_attribute("data-panel", "safe")
        changes = self.page.locator("[data-changes]").first
        for _ in range(40):
            line = pad.locator(".safe-line:not(.safe-done)").first
            if not line.count():
                break
            kind, version = line.get_attribute("data-kind"), changes.get_attribute("data-version") or ""
            if kind == "readings":
                left = line.locator(".safe-highest:visible").filter(has_not=self.page.locator("b.numeral")).first
                self.into(left.locator("input.field"), "0")
                self.tap(left.get_by_role("button"))
            elif kind == "tick" and not line.locator("input.field").count():
                self.tap(line.locator(".safe-words"))
            elif kind in ("off", "lock"):
                self.tap(line.get_by_role("button").first)
            else:
                self.into(line.locator("input.field").first, "0" if kind == "tick" else "121")
                self.tap(line.get_by_role("button").first)
            expect(changes).not_to_have_attribute("data-version", version)
        expect(self.page.locator("#strip")).to_contain_text("verified dead")

    def air(self) -> None:
        """Type what two thermometers read."""
        self.into(self.page.locator("#return_degf"), "70")
        self.into(self.page.locator("#supply_degf"), self.supply_degf)
        self.tap(self.page.locator("#pad .primary").first)

    def into(self, field: Locator, text: str) -> None:
        """Type into a field; tapped first where it does not have the focus."""
        if not field.evaluate("element => document.activeElement === element"):
            self.tap(field)
        self.page.keyboard.type(text)


def told(play: Tapper) -> str:
    """Where every tap went."""
    lines = []
    for phase, entries in play.counted().items():
        lines.append(f"{phase}: {sum(entries.values())}")
        lines += [f"   {number:3} {what}" for what, number in entries.most_common()]
    return "\n".join([*lines, *play.told])


def accept(play: Tapper) -> None:
    """Follow the bar to the accepted cause, reading what it still asks for."""
    for _ in range(8):
        if play.advice() == "accept":
            break
        play.next()
        play.read()
    assert play.advice() == "accept", told(play)
    play.next()
    play.tap(play.button("Accept, root cause not found"))


def before_power(play: Tapper) -> None:
    """Tick the list, take one's own lock off, power back on; ten minutes pass."""
    page = play.page
    with play.phase("before power"):
        if page.locator("#pad").get_attribute("data-panel") != "prove":
            play.next()
        for _ in range(12):
            ticks = page.locator('.tick[aria-pressed="false"]')
            if not ticks.count():
                break
            left = ticks.count()
            play.tap(ticks.first)
            expect(page.locator('.tick[aria-pressed="false"]')).to_have_count(left - 1)
        play.tap(play.button(re.compile("^Power back on")))
        expect(page.locator("#next")).to_have_attribute("data-advice", "prove")
    # The thermostat has called all along: its stages come now, and five minutes later the air is steady.
    Ahead.offset += LONG_AGO


def prove(play: Tapper) -> None:
    """Follow the bar until all the repair needs is shown, and record it."""
    page, pad = play.page, play.page.locator("#pad")
    for _ in range(14):
        if "Repair proven" in page.locator("#next").inner_text():
            break
        play.next()
        panel = pad.get_attribute("data-panel")
        if panel == "reading":
            play.read()
        elif panel == "air":
            play.air()
            expect(page.locator("#next")).not_to_contain_text("Rise")
    there = page.locator("#next button.next-go")
    assert there.count(), pad.inner_text() + told(play)
    play.tap(there)
    expect(pad).to_have_attribute("data-panel", "hand-over")


def sign_and_close(play: Tapper) -> None:
    """Both names, the call closed, the customer's page."""
    page = play.page
    if page.locator("#pad").get_attribute("data-panel") != "hand-over":
        play.next()
    for role, name in (("Technician", "Pim Tester"), ("Owner", OWNER)):
        field = page.locator("details.sign[open]").filter(has_text=role)
        if not field.get_by_label("Name").input_value():
            play.into(field.get_by_label("Name"), name)
        draw(page, field.locator("[data-sign-field]"))
        play.tap(play.button(f"{role} signs"))
        expect(page.locator("details.sign > summary").filter(has_text=role)).to_contain_text(name)
    play.tap(play.button("Close, and show the customer's page"))
    page.wait_for_url("**/report?reader=customer")
    expect(page.locator(".paper")).to_be_visible()


def within(play: Tapper, *, work: int, safe: int = 0, before: int = 0) -> None:
    """Hold what was counted against what a call may take; by keyboard on a laptop a third more."""
    found = {phase: sum(entries.values()) for phase, entries in play.counted().items()}
    print(told(play))
    factor = 1.0 if play.is_phone else 1.3
    assert found["work"] <= work * factor, told(play)
    assert found.get("safe", 0) <= safe * factor, told(play)
    assert found.get("before power", 0) <= before * factor, told(play)


@pytest.fixture
def known(shop: ShopOf, engine: Engine) -> ShopOf:
    """A shop whose unit and customer are known."""
    with Session(engine) as db:
        db.execute(update(PlaceRow).where(PlaceRow.shop_id == shop.shop.id).values(occupant=OWNER))
        db.commit()
    return shop


def at_today(page: Page, known: ShopOf, fault: str) -> Tapper:
    """Signed in and at Today, with nothing counted yet."""
    sign_in_by_form(page, known)
    play = Tapper(page, known, fault)
    page.reload()
    page.evaluate("sessionStorage.removeItem('counted')")
    return play


def begun(page: Page, known: ShopOf, fault: str) -> Tapper:
    """The shop's call, opened from Today."""
    play = at_today(page, known, fault)
    play.tap(page.get_by_role("link", name="1 Test Row").first)
    return play


def read_the_strips(play: Tapper) -> None:
    """Supply and both strips under heat."""
    play.call("W", on=True)
    play.read(LINE)
    play.read("amps:strip-a")
    play.read("amps:strip-b")


def dead_strip(play: Tapper) -> None:
    """From the open call to the customer's page: link open, replaced, proven, signed."""
    read_the_strips(play)
    accept(play)
    with play.phase("safe"):
        play.safe()
    play.row = 0
    for typed in ("11.4", "OL", "0.1"):
        play.next()
        play.read(typed=typed)
    play.next()
    play.tap(play.button("Add").first)
    before_power(play)
    prove(play)
    sign_and_close(play)


@pytest.mark.parametrize("size", [PHONE, pytest.param(LAPTOP, marks=pytest.mark.long)], ids=["phone", "laptop"])
def test_a_dead_strip_at_a_known_unit(
    open_page: Callable[..., Page], known: ShopOf, engine: Engine, size: dict[str, int]
) -> None:
    """A unit and a customer of the shop's records."""
    play = begun(open_page(size), known, "strip-b.link.open")
    dead_strip(play)
    within(play, work=72, safe=30, before=9)


def test_a_dead_strip_at_a_new_place(open_page: Callable[..., Page], known: ShopOf, engine: Engine) -> None:
    """Nothing known but the kit's label: 10 kW, two strips on a sequencer."""
    play = at_today(open_page(PHONE), known, "strip-b.link.open")
    page = play.page
    play.tap(page.get_by_role("link", name="New call").first)
    play.into(page.locator("#q"), "9 New Street")
    play.tap(page.get_by_text("A new place: 9 New Street"))
    play.into(page.locator("#kit_kw"), "10")
    play.tap(page.locator(".structure").nth(1))
    play.tap(page.locator(".check").filter(has_text="Not enough heat"))
    play.tap(play.button("Start the call"))
    expect(page.locator("#pad")).to_have_attribute("data-panel", "reading")
    dead_strip(play)
    within(play, work=85, safe=30, before=9)


def test_the_part_is_not_on_the_van(open_page: Callable[..., Page], known: ShopOf, engine: Engine) -> None:
    """The same strip left isolated, tagged, with the day it will be put right; the rest is proven."""
    play = begun(open_page(PHONE), known, "strip-b.link.open")
    page = play.page
    read_the_strips(play)
    accept(play)
    with play.phase("safe"):
        play.safe()
    play.tap(page.locator(".sheet-here"))
    play.tap(page.locator("#sheet-list").get_by_role("link", name="Fix"))
    play.tap(page.get_by_text("Part not on the van"))
    play.tap(play.button("two weeks"))
    before_power(play)
    prove(play)
    sign_and_close(play)
    expect(page.locator(".paper")).to_contain_text("Strip B")
    within(play, work=72, safe=30, before=9)


def test_a_pole_that_stays_closed(open_page: Callable[..., Page], known: ShopOf, engine: Engine) -> None:
    """Heat will not stop: found by clamps with nothing calling, the sequencer replaced, both strips proven."""
    play = begun(open_page(PHONE), known, "seq-a.pole-2.welded")
    play.read(LINE)
    play.read("amps:strip-a")
    play.read("amps:strip-b")
    accept(play)
    with play.phase("safe"):
        play.safe()
    play.row = 0
    play.next()
    play.tap(play.button("Add").first)
    before_power(play)
    prove(play)
    sign_and_close(play)
    within(play, work=72, safe=30, before=9)


def test_a_seasonal_check_that_finds_nothing(open_page: Callable[..., Page], known: ShopOf, engine: Engine) -> None:
    """Live readings only, all well, signed."""
    with Session(engine) as db:
        db.execute(update(Call).where(Call.shop_id == known.shop.id).values(complaints=["seasonal check"]))
        db.commit()
    play = begun(open_page(PHONE), known, "healthy")
    page = play.page
    read_the_strips(play)
    play.read("amps:blower")
    play.call("W", on=False)
    play.read("amps:feed-1")
    play.tap(page.locator(".sheet-here"))
    play.tap(page.locator("#sheet-list").get_by_role("link", name="Finish"))
    sign_and_close(play)
    expect(page.locator(".paper")).to_contain_text("No problem found")
    expect(page.locator(".paper")).to_contain_text("Connections and capacitor not checked.")
    within(play, work=35)
