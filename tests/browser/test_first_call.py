"""docs/first-call.md, played as it is written."""

import re
from collections.abc import Callable, Iterator

from playwright.sync_api import Locator, Page, expect

from tests import ROOT
from tests.application import PASSWORD, ShopOf
from tests.browser.conftest import PHONE, Ahead
from tests.browser.test_calls import LONG_AGO

STEP = re.compile(r"^\d+\. (.*)$", re.M)
# What a step tells to do, in the order it is written: a wait, a tap, a number or words typed, each bold name of a list.
DO = re.compile(r"(?P<wait>[Ww]ait ten minutes)|[Tt]ype `(?P<text>[^`]+)`(?: into \*\*(?P<field>[^*]+)\*\*)?|"
                r"and `(?P<also>[^`]+)` into \*\*(?P<second>[^*]+)\*\*|\*\*(?P<tap>[^*]+)\*\*")  # fmt: skip


def actions() -> Iterator[tuple[str, dict[str, str]]]:
    """Each thing a numbered step says to do."""
    steps = STEP.findall((ROOT / "docs/first-call.md").read_text())
    assert len(steps) >= 20
    for step in steps:
        for found in DO.finditer(step):
            yield step, {name: text for name, text in found.groupdict().items() if text}


def named(page: Page, name: str) -> Locator:
    """What stands on the page under a name: the bar, a button, a link, or what a label belongs to."""
    if name == "The dark bar":
        return page.locator("#next .next-go")
    # Its whole words: "OL" is a key, not a part of "Whole board".
    words = re.compile(rf"(?<!\w){re.escape(name)}(?!\w)", re.I)
    for_role = [
        *(page.get_by_role(role, name=name, exact=True) for role in ("button", "link")),
        *(page.get_by_role(role, name=words) for role in ("button", "link")),
    ]
    ways = (*for_role, page.get_by_text(name, exact=True), page.get_by_text(name))
    # What was typed may still be looked up: the last to find it is waited for, then the best way is taken.
    ways[-1].or_(for_role[2]).or_(for_role[3]).locator("visible=true").first.wait_for(timeout=60_000)
    return next(visible.first for found in ways if (visible := found.locator("visible=true")).count())


def test_the_first_call_goes_as_the_page_says(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """From sign-in to the customer's page by the numbered steps alone, on a phone."""
    page = open_page(PHONE)
    page.goto("/sign-in")
    own = {"teodor@quillet.example": shop.person.email, "plentar-demo": PASSWORD}
    for step, do in actions():
        if "wait" in do:
            Ahead.offset += LONG_AGO
        elif "tap" in do:
            wanted = named(page, do["tap"])
            expect(wanted, step).to_be_enabled()
            wanted.tap()
        else:
            text, field = do.get("text") or do["also"], do.get("field") or do.get("second")
            if field:
                labelled = page.locator("input").and_(page.get_by_label(field))
                labelled.locator("visible=true").first.fill(own.get(text, text))
            else:
                page.keyboard.type(text)
        page.wait_for_timeout(250)
        page.wait_for_load_state()
        page.wait_for_function("() => !document.querySelector('[data-tapped], .htmx-request')")
    expect(page).to_have_url(re.compile("reader=customer"))
    expect(page.locator(".paper")).to_contain_text("a safety link had opened")
