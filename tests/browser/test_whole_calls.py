"""Ten whole calls on the phone, from Today to the signed page, each following the bar alone.

What the bar asked for is written down and held against what was known; the customer's page against its expected text.
"""

import re
from collections.abc import Callable
from datetime import timedelta
from typing import NamedTuple

import pytest
from playwright.sync_api import Page, expect
from sqlalchemy import Engine, update
from sqlalchemy.orm import Session

from plentar.store.models import Call, PlaceRow
from tests import ROOT
from tests.application import ShopOf
from tests.browser.conftest import PHONE, Ahead
from tests.browser.test_taps import OWNER, Tapper, accept, at_today, before_power, prove, sign_and_close

PAPERS = ROOT / "tests/browser/papers"
# The day and the hour of the test are none of the paper's words.
CLOCKS = re.compile(r"\d{2} \w+ \d{4}, \d{2}:\d{2}|\d{2}:\d{2}(?= ?[AP]?M?$)|\b\d+ s\b", re.M)


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

    # Well within what four tons of air make of each unit's strips.
    supply_degf = "95"

    def __init__(self, page: Page, shop: ShopOf, fault: str) -> None:
        super().__init__(page, shop, fault)
        self.asked: list[str] = []
        self.known: set[tuple[str, str]] = set()

    def bar(self) -> str:
        """What the bar says."""
        return " ".join(self.page.locator("#next").inner_text().split("\n")[:2])

    def is_dead(self) -> bool:
        """Whether the strip says that the unit is verified dead."""
        return "verified dead" in (self.page.locator("#strip").text_content() or "")

    def called(self) -> str:
        """The calls that are on, and whether the unit is dead."""
        on = [n for n in self.shop.plate.calls if self.button(f"{n} call").get_attribute("aria-pressed") == "true"]
        return "+".join(on) + " dead" * self.is_dead()

    def next(self) -> None:
        """Write down what the bar asks for, and follow it."""
        self.asked.append(f"{self.advice()}: {self.bar()}")
        super().next()


def one_step(play: WholeCall) -> None:
    """Do what the bar says, whatever it is."""
    page, pad, bar = play.page, play.page.locator("#pad"), play.bar()
    if "power off, verified dead" in bar and not play.is_dead():
        play.tap(page.locator(".sheet-here"))
        play.tap(page.locator("#sheet-list").get_by_role("link", name="Safe"))
        play.safe_lines()
    play.next()
    panel = pad.get_attribute("data-panel")
    if panel == "reading":
        place = (play.point, play.called())
        if play.advice() == "test":
            assert place not in play.known or "Repeat" in bar, (place, play.asked)
        play.known.add(place)
        if (gate := page.get_by_role("link", name="Go to the Safe list")).count():
            # Dead at the lugs is not dead at this part.
            play.tap(gate)
            play.safe_lines()
            play.next()
            expect(pad).to_have_attribute("data-panel", "reading")
        play.read()
    elif panel == "air":
        play.air()
    elif panel == "blower":
        looked(play, bar)
    elif panel == "timing":
        timed(play)
    else:
        raise AssertionError((panel, bar, pad.inner_text()[:400]))


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
    """Every stage of a sound unit, tapped as it comes: the blower at once, the strips well inside their windows."""
    page = play.page
    play.tap(play.button(re.compile("Call for heat|Start")).first)
    taps = page.locator(".watch-tap")
    play.tap(taps.first)
    Ahead.offset += timedelta(seconds=40)
    while taps.count():
        play.tap(taps.first)


def whole(play: WholeCall) -> None:
    """From the open call to the customer's page."""
    page, pad = play.page, play.page.locator("#pad")
    for _ in range(40):
        if play.advice() in ("accept", "well"):
            break
        one_step(play)
    if play.advice() == "accept":
        accept(play)
        if not play.is_dead():
            play.safe()
        play.row = 0
        for _ in range(8):
            play.next()
            if pad.get_attribute("data-panel") == "reading":
                play.read()
            elif play.button("Add").count():
                if not page.locator("#name").input_value():
                    play.into(page.locator("#name"), "wires moved")
                play.tap(play.button("Add").first)
                break
        before_power(play)
        prove(play)
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
    finally:
        print(page.url, *play.asked, sep="\n")
    text = CLOCKS.sub("TIME", page.locator(".paper").inner_text())
    assert text + "\n" == (PAPERS / f"{case.name}.txt").read_text()
