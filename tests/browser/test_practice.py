"""Practice in a real browser: five calls found, a meter blown, a debrief replayed, drills, a class in two browsers."""

import json
import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect
from sqlalchemy import Engine, text

from plentar.core.practice.drills import drill
from plentar.core.practice.ladder import ladder
from plentar.core.unit.place import line_volts
from plentar.formats.case_json import case_to_json
from tests.application import ShopOf
from tests.browser.conftest import LAPTOP, PHONE, sign_in
from tests.browser.test_slice import serious


class Learner:
    """Somebody at a practice call who uses what is on the page."""

    def __init__(self, page: Page, case_id: str) -> None:
        self.page = page
        page.goto("/practice")
        title = next(case.title for case in ladder() if case.id == case_id)
        with page.expect_navigation():
            page.get_by_role("listitem").filter(has=page.get_by_text(title, exact=True)).get_by_role("button").click()
        self.url = page.url
        self.steps = 0

    def press(self, name: str, steps: int = 1, *, nth: int = 0) -> None:
        self.page.get_by_role("button", name=name, exact=True).nth(nth).click()
        self.steps += steps
        expect(self.page.locator(".practice-bill")).to_contain_text(re.compile(rf"\b{self.steps} step"))

    def read(self, point: str) -> str:
        self.page.goto(f"{self.url}?point={point}")
        self.press("Read the meter")
        return self.page.locator(".meter-digits").inner_text()

    def panel(self, name: str) -> None:
        self.page.get_by_role("link", name=name, exact=True).last.click()
        expect(self.page.locator(f"#pad .practice-panels a[aria-current]:has-text('{name}')")).to_be_visible()

    def gear(self) -> None:
        self.panel("Safe list")
        self.page.locator(".practice-safe li").first.get_by_role("button", name="done").click()
        self.steps += 1
        expect(self.page.locator(".practice-bill")).to_contain_text(re.compile(rf"\b{self.steps} step"))

    def call(self, name: str) -> None:
        self.page.locator(f"#strip button[aria-label='{name} call']").click()
        self.steps += 1
        expect(self.page.locator(".practice-bill")).to_contain_text(re.compile(rf"\b{self.steps} step"))

    def prove_dead(self, pairs: int) -> None:
        """The Safe list from the top: whatever line is open next is done."""
        self.panel("Safe list")
        self.press("panel breaker")
        self.page.locator("#strip button[aria-label^='24 V: Control']").click()
        self.steps += 1
        expect(self.page.locator(".practice-bill")).to_contain_text(re.compile(rf"\b{self.steps} step"))
        self.panel("Safe list")
        self.press("lock it")
        # Outdoor unit, meter, frame, pairs, meter again, capacitor: each the first that is still open.
        self.press("done")
        self.press("on a live outlet")
        self.press("done")
        self.press("read all", steps=pairs)
        self.press("on a live outlet")
        self.press("done")
        expect(self.page.locator("#pad")).to_contain_text("Verified dead.")

    def put_right(self, part: str) -> None:
        self.panel("Repair")
        self.page.locator("#part").select_option(part)
        self.page.get_by_label("Leads recorded before, landed and pull-tested after").check()
        self.press("Repair it")

    def end(self, name: str) -> None:
        self.panel("End the call")
        with self.page.expect_navigation():
            self.page.get_by_role("button", name=name).click()
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("Debrief")


def case_id(fault: str) -> str:
    return next(case.id for case in ladder() if [hidden.fault for hidden in case.hidden] == [fault])


@pytest.fixture
def page(open_page: Callable[..., Page], shop: ShopOf) -> Page:
    page = open_page(LAPTOP)
    sign_in(page, shop)
    return page


@pytest.mark.parametrize(
    ("fault", "call", "point", "part"),
    [
        # With no call a strip draws: one contact never lets go.
        ("seq-a.pole-1.welded", "", "amps:strip-a", "seq-a"),
        # Line volts across the limit under a call.
        ("strip-a.limit.open", "W", "volts:strip-a.limit.1:strip-a.limit.2", "strip-a.limit"),
        # The fan alone, and a strip draws through the interlock.
        ("interlock.plain-wire", "G", "amps:strip-a", "interlock"),
        # The fuse is open as soon as heat is called.
        ("relay-a.coil.shorted", "W", "volts:board.r:board.c", "relay-a"),
    ],
    ids=["a welded pole", "an open limit", "a back-feed", "a shorted coil"],
)
def test_a_learner_finds(page: Page, fault: str, call: str, point: str, part: str) -> None:
    """Read what gives it away, prove dead, put that part right, be told it was found."""
    learner = Learner(page, case_id(fault))
    learner.gear()
    if call:
        learner.call(call)
        learner.press("2 min")
    shown = float(learner.read(point))
    if fault == "relay-a.coil.shorted":
        assert shown < 5
        expect(page.locator("body")).to_contain_text("V")
    else:
        assert shown > 2 if fault == "interlock.plain-wire" else shown > 15
    learner.prove_dead(pairs=4)
    learner.put_right(part)
    learner.end("That was it")
    expect(page.locator("main")).to_contain_text("Found.")


def test_nothing_is_wrong_and_it_is_too_cold_outside(page: Page) -> None:
    """Both strips draw what they should; the weather is said on the call; ending with nothing fitted is right."""
    cold = next(case for case in ladder() if not case.hidden and (case.outdoor_degf or 0) < 0)
    learner = Learner(page, cold.id)
    expect(page.locator("#pad")).to_contain_text("-8 °F outdoors")
    learner.gear()
    learner.call("W")
    learner.press("5 min")
    for strip in ("strip-a", "strip-b"):
        assert float(learner.read(f"amps:{strip}")) > 19
    learner.end("Nothing is wrong with it")
    expect(page.locator("main")).to_contain_text("the unit is good. Found.")


def test_a_live_ohms_test_blows_the_meter_and_says_why(page: Page) -> None:
    """Refused first as on a real call; insisted on, the display is dead and the reason stands above it."""
    learner = Learner(page, case_id("strip-b.element.open"))
    learner.gear()
    page.goto(f"{learner.url}?point=ohms:strip-b.element")
    learner.press("Read the meter")
    expect(page.locator("#pad")).to_contain_text("only read")
    learner.press("Read it anyway")
    expect(page.locator(".practice-danger")).to_contain_text("Ohms on a live circuit")
    expect(page.locator(".meter-digits")).to_have_text("FUSE")
    expect(page.locator(".practice-bill")).to_contain_text("1 unsafe")
    assert serious(page) == []


def test_the_knob_is_turned_by_thumb_and_by_arrows(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """240 V on the 6 V range is OL, told as no more than that; an arrow further it reads, and the knob stays there."""
    page = open_page(PHONE)
    sign_in(page, shop)
    run = Learner(page, case_id("strip-a.limit.open"))
    run.gear()
    page.goto(f"{run.url}?point={line_volts('feed-1')}")
    knob = page.get_by_role("group", name="Range")
    box = knob.locator("label", has_text="6 V").first.bounding_box()
    assert box is not None
    assert min(box["width"], box["height"]) >= 44
    knob.locator("label", has_text="6 V").first.tap()
    run.press("Read the meter")
    expect(page.locator(".meter-digits")).to_have_text("OL")
    expect(page.get_by_role("status")).to_contain_text("Use a higher range")
    expect(page.locator("#pad .band-rail")).to_have_count(0)
    knob.get_by_role("radio", name="6 V", exact=True).press("ArrowRight")
    run.press("Read the meter")
    expect(page.locator(".meter-digits")).to_contain_text(re.compile(r"^2[34]\d\.\d$"))
    expect(knob.get_by_role("radio", name="600 V")).to_be_checked()
    expect(page.locator("#pad .band-rail")).to_have_count(1)


def test_a_debrief_is_replayed_by_its_slider(page: Page) -> None:
    """Arrow keys move the step; the board shows what was read by then, and why."""
    learner = Learner(page, case_id("strip-b.element.open"))
    learner.gear()
    learner.read("volts:feed-1.l1:feed-1.l2")
    learner.end("Nothing is wrong with it")
    assert serious(page) == []
    page.get_by_role("slider").focus()
    page.keyboard.press("Home")
    expect(page.locator(".replay-bar label")).to_contain_text("Step 0 of 3")
    page.get_by_role("slider").focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator(".replay-bar label")).to_contain_text("Step 1 of 3")
    page.get_by_role("slider").focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator(".debrief-lines [aria-current]")).to_contain_text("Why did it read that?")


def test_a_drill_by_keyboard(page: Page) -> None:
    """A number answers, Enter goes on."""
    page.goto("/practice/drills?n=5")
    page.keyboard.press(str(drill(5).right + 1))
    expect(page.locator(".drill-answer")).to_contain_text("Right")
    assert serious(page) == []
    page.keyboard.press("Enter")
    expect(page.locator(".drill-choices")).to_be_visible()


def test_a_drill_by_thumb(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """On a phone every answer is a target of a thumb's size; a wrong one is told with its reason."""
    page = open_page(PHONE)
    sign_in(page, shop)
    page.goto("/practice/drills?n=5")
    wrong = page.locator(".drill-choices button").nth((drill(5).right + 1) % len(drill(5).choices))
    box = wrong.bounding_box()
    assert box is not None
    assert box["height"] >= 44
    assert box["width"] > 300
    wrong.click()
    expect(page.locator(".drill-answer")).to_contain_text("No:")
    assert serious(page) == []
    for address in ("/practice", "/practice/cutaways?part=limit&at=9"):
        page.goto(address)
        assert serious(page) == [], address
        assert page.evaluate("document.documentElement.scrollWidth") <= PHONE["width"]


def test_a_cutaway_is_stepped_by_keys_and_stands_still(page: Page) -> None:
    """Arrows step it; where motion is unwanted nothing runs by itself."""
    page.emulate_media(reduced_motion="reduce")
    page.goto("/practice/cutaways?part=relay")
    says = page.locator(".cutaway-says p:visible")
    expect(says).to_contain_text("At rest")
    page.keyboard.press("ArrowRight")
    expect(says).to_contain_text("24 V on the coil")
    page.keyboard.press("ArrowLeft")
    expect(says).to_contain_text("At rest")
    expect(page.get_by_role("button", name="Let it run")).to_be_hidden()
    page.emulate_media(reduced_motion="no-preference")
    page.reload()
    expect(page.get_by_role("button", name="Let it run")).to_be_visible()


def test_practice_is_readable_to_all(page: Page) -> None:
    """Ladder, call, Safe list, drills, cutaways: nothing serious for axe, by day and in the attic."""
    learner = Learner(page, "ladder-09")
    assert serious(page) == []
    learner.panel("Safe list")
    assert serious(page) == []
    for address in ("/practice", "/practice/drills", "/practice/cutaways", "/practice/cutaways?part=motor&at=8"):
        page.goto(address)
        assert serious(page) == [], address


def test_an_instructors_case_is_given_to_two_browsers(
    page: Page, open_page: Callable[..., Page], shop: ShopOf, engine: Engine
) -> None:
    """A file is looked at and kept, a class made; two who have no account come by its code and each work it alone."""
    with engine.begin() as connection:
        connection.execute(text("update person set role = 'lead' where id = :id"), {"id": shop.person.id})
    page.goto("/practice/classes")
    document = json.dumps(case_to_json(ladder()[8]) | {"title": "The cold room"}).encode()
    page.locator("#file").set_input_files({"name": "case.json", "mimeType": "application/json", "buffer": document})
    page.get_by_role("button", name="Preview").click()
    expect(page.locator(".shown-once")).to_contain_text("The cold room")
    with page.expect_navigation():
        page.get_by_role("button", name="Save", exact=True).click()
    page.get_by_label("Name", exact=True).fill("Thursday")
    page.get_by_label("The cold room").check()
    with page.expect_navigation():
        page.get_by_role("button", name="Create class").click()
    code = page.locator(".class-code").inner_text()
    assert re.fullmatch(r"[A-Z2-9]{6}", code)
    assert serious(page) == []
    for name, size in (("Ada", LAPTOP), ("Bo", PHONE)):
        other = open_page(size)
        other.goto(f"/practice/join/{code}")
        other.get_by_label("Your name in the class").fill(name)
        with other.expect_navigation():
            other.get_by_role("button", name="Join").click()
        with other.expect_navigation():
            other.get_by_role("button", name="Start").click()
        expect(other.locator("#pad")).to_contain_text("One room never warms up.")
        assert serious(other) == []
        other.get_by_role("link", name="End the call", exact=True).click()
        with other.expect_navigation():
            other.get_by_role("button", name="Nothing is wrong with it").click()
        expect(other.locator("main")).to_contain_text("Not found.")
    page.reload()
    expect(page.locator("main table")).to_contain_text("Ada")
    expect(page.locator("main table")).to_contain_text("Bo")
