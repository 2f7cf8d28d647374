"""Ten whole calls on the phone, from Today to the signed page, each following the bar alone.

What the bar asked for is written down and held against what was known; the customer's page against its expected text.
"""

import re
from collections.abc import Callable
from typing import NamedTuple

import pytest
from playwright.sync_api import Page, expect
from sqlalchemy import Engine, update
from sqlalchemy.orm import Session

from plentar.store.models import Call, PlaceRow
from tests import ROOT
from tests.application import ShopOf
from tests.browser.conftest import PHONE
from tests.browser.test_taps import OWNER, Tapper, accept, at_today, before_power, sign_and_close

PAPERS = ROOT / "tests/browser/papers"
# The day and the hour of the test are none of the paper's words.
CLOCKS = re.compile(r"\d{2} \w+ \d{4}, \d{2}:\d{2}|\d{2}:\d{2}(?= ?[AP]?M?$)", re.M)


class Play(NamedTuple):
    """One call: its name, the unit, what is wrong with it, what the customer says."""

    name: str
    pattern: str
    fault: str
    complaint: str


PLAYS = (
    Play("sound two strips", "two-strip-sequencer", "healthy", "seasonal check"),
    Play("sound heat pump", "one-strip-dpdt", "healthy", "seasonal check"),
    Play("sound and cold", "three-strip-ecm", "healthy", "not enough heat"),
    Play("two feeds", "four-strip-chained", "strip-c.link.open", "not enough heat"),
    Play("contactor", "wye-contactor", "contactor-a.coil.open", "no heat"),
    Play("DC relays", "three-strip-dc-relay", "relay-b.rectifier.dead", "not enough heat"),
    Play("heat pump", "one-strip-dpdt", "strip-a.element.open", "cold in defrost or on cold nights"),
    Play("breaker found off", "two-strip-sequencer", "feed-1.breaker.off", "no heat"),
    Play("blower never stops", "two-strip-sequencer", "blower-relay.no.welded", "blower never stops"),
    Play("wrong landing", "two-strip-sequencer", "interlock.com-on-leg", "heat will not stop"),
)


class WholeCall(Tapper):
    """One technician who does what the bar says, and writes it down."""

    def __init__(self, page: Page, shop: ShopOf, fault: str) -> None:
        super().__init__(page, shop, fault)
        self.asked: list[str] = []
        self.known: set[tuple[str, str]] = set()
        self.again = ""

    def bar(self) -> str:
        """What the bar says."""
        return " ".join(self.page.locator("#next").inner_text().split("\n")[:2])

    def called(self) -> str:
        """The calls that are on, and whether the unit is dead."""
        on = [n for n in self.shop.plate.calls if self.button(f"{n} call").get_attribute("aria-pressed") == "true"]
        return "+".join(on) + (" dead" if "verified dead" in (self.page.locator("#strip").text_content() or "") else "")

    def asked_for(self) -> None:
        """Write down what the bar asks for."""
        self.asked.append(f"{self.advice()}: {self.bar()}")
        print(self.asked[-1], flush=True)


def one_step(play: WholeCall) -> None:
    """Do what the bar says, whatever it is."""
    page, pad, bar = play.page, play.page.locator("#pad"), play.bar()
    play.asked_for()
    if "power off, verified dead" in bar and "dead" not in play.called():
        play.tap(page.locator(".sheet-here"))
        play.tap(page.locator("#sheet-list").get_by_role("link", name="Safe"))
        safe_list(play)
    play.next()
    panel = pad.get_attribute("data-panel")
    if panel == "reading":
        point = play.point
        place = (point, play.called())
        if play.advice() == "test":
            assert place not in play.known or "Repeat" in bar, (place, play.asked)
        play.known.add(place)
        if (gate := page.get_by_role("link", name="Go to the Safe list")).count():
            # Dead at the lugs is not dead at this part.
            play.tap(gate)
            safe_list(play)
            play.next()
            expect(pad).to_have_attribute("data-panel", "reading")
        play.read()
    elif panel == "air":
        play.into(page.locator("#return_degf"), "70")
        play.into(page.locator("#supply_degf"), "101")
        play.tap(pad.locator(".primary").first)
    elif panel == "blower":
        looked(play, bar)
    elif panel == "timing":
        timed(play)
    else:
        raise AssertionError((panel, bar, pad.inner_text()[:400]))


def safe_list(play: WholeCall) -> None:
    """The Safe list as far as it is open, from wherever it was opened: each line that is not done, until all are."""
    page, pad = play.page, play.page.locator("#pad")
    expect(pad).to_have_attribute("data-panel", "safe")
    for _ in range(40):
        line = pad.locator(".safe-line:not(.safe-done)").first
        if not line.count():
            break
        kind, version = (
            line.get_attribute("data-kind"),
            page.locator("[data-changes]").first.get_attribute("data-version"),
        )
        if kind == "readings":
            left = line.locator(".safe-highest:visible").filter(has_not=page.locator("b.numeral")).first
            play.into(left.locator("input.field"), "0")
            play.tap(left.get_by_role("button"))
        elif kind == "tick" and not line.locator("input.field").count():
            play.tap(line.locator(".safe-words"))
        elif kind in ("off", "lock"):
            play.tap(line.get_by_role("button").first)
        else:
            play.into(line.locator("input.field").first, "0" if kind == "tick" else "121")
            play.tap(line.get_by_role("button").first)
        expect(page.locator("[data-changes]").first).not_to_have_attribute("data-version", version or "")
    expect(page.locator("#strip")).to_contain_text("verified dead")


def looked(play: WholeCall, bar: str) -> None:
    """What a hand, an eye or a capacitor's meter finds on the sound blower."""
    page = play.page
    closed = page.locator("#pad details:not([open]) > summary")
    while closed.count():
        play.tap(closed.first)
    if "capacitor" in bar.lower():
        label = play.shop.plate.blower.capacitor_microfarads or 7.5
        play.into(page.locator("#microfarads"), f"{label:g}")
        if (box := page.locator('[name="in_hand"]')).count():
            play.tap(box)
        play.tap(page.locator("#microfarads").locator("xpath=ancestor::form").get_by_role("button", name="Save"))
    elif "wheel" in bar.lower():
        play.tap(play.button(re.compile("Wheel turns freely")))
    else:
        play.tap(play.button("Steady for 15 minutes"))


def timed(play: WholeCall) -> None:
    """Every stage of a sound unit, tapped as it comes."""
    page = play.page
    play.tap(play.button(re.compile("Call for heat|Start")).first)
    for _ in range(8):
        left = page.locator(".watch-tap")
        if not left.count():
            break
        play.tap(left.first)


def whole(play: WholeCall) -> None:
    """From the open call to the customer's page."""
    page, pad = play.page, play.page.locator("#pad")
    for _ in range(40):
        advice = play.advice()
        if advice in ("accept", "well"):
            break
        one_step(play)
    play.asked_for()
    if advice == "accept":
        accept(play)
        if "verified dead" not in (page.locator("#strip").text_content() or ""):
            play.asked_for()
            with play.phase("safe"):
                play.next()
                safe_list(play)
        play.row = 0
        for _ in range(8):
            play.asked_for()
            play.next()
            if pad.get_attribute("data-panel") == "reading":
                play.read()
            elif play.button("Add").count():
                if not page.locator("#name").input_value():
                    play.into(page.locator("#name"), "wires moved")
                play.tap(play.button("Add").first)
                break
        play.asked_for()
        before_power(play)
        for _ in range(16):
            play.asked_for()
            if "Repair proven" in play.bar():
                break
            play.next()
            if pad.get_attribute("data-panel") == "reading":
                play.read()
            elif pad.get_attribute("data-panel") == "air":
                play.into(page.locator("#return_degf"), "70")
                play.into(page.locator("#supply_degf"), "95")
                play.tap(pad.locator(".primary").first)
        play.tap(page.locator("#next button.next-go"))
        expect(pad).to_have_attribute("data-panel", "hand-over")
    play.asked_for()
    if "finding" in play.bar():
        play.next()
        play.into(page.locator("#outcome"), "Told the owner.")
    sign_and_close(play)


@pytest.mark.long
@pytest.mark.parametrize("case", PLAYS, ids=[case.name for case in PLAYS])
def test_a_whole_call(
    open_page: Callable[..., Page], make_shop: Callable[..., ShopOf], engine: Engine, case: Play
) -> None:
    """The bar leads from the first page to the last, asks for nothing known, and the paper says what was found."""
    shop = make_shop(case.pattern)
    with Session(engine) as db:
        db.execute(update(PlaceRow).where(PlaceRow.shop_id == shop.shop.id).values(occupant=OWNER))
        db.execute(update(Call).where(Call.shop_id == shop.shop.id).values(complaints=[case.complaint]))
        db.commit()
    page = open_page(PHONE)
    at_today(page, shop, case.fault)
    play = WholeCall(page, shop, case.fault)
    play.tap(page.get_by_role("link", name="1 Test Row").first)
    try:
        whole(play)
    except BaseException:
        print(page.url, page.locator("#pad").inner_text()[:1500])
        raise
    text = CLOCKS.sub("TIME", page.locator(".paper").inner_text())
    found = PAPERS / f"{case.name}.txt"
    if not found.exists():
        found.write_text(text + "\n")
    assert text + "\n" == found.read_text()
