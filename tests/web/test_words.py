"""What stands on the pages: words, no ids, whatever was done on a call."""

import re
from collections.abc import Callable
from html.parser import HTMLParser

import pytest
from flask import Flask

from tests.actions import event, send
from tests.application import ShopOf, sign_in

NOT_WORDS = re.compile(
    r"\b(seq|strip|feed|relay|contactor|branch)-[a-z0-9]|\b(strip|seq|relay|contactor) [a-fA-F]\b|[a-z]_[a-z]|\bNone\b"
    r"|\b(volts|amps|ohms|dc_volts):|\{\{|\b1 (strips|feeds|poles|items|readings)\b"
)
PAGES = ("", "?panel=look", "?panel=safe", "?panel=nameplate", "?panel=complaint", "?panel=air", "?panel=handover",
         "?point=ohms:strip-a.element", "?point=amps:strip-b%2Bstrip-b.return", "/report", "/report?for=office",
         "/fix", "/fix?part=seq-a", "/blower", "/control", "/timing")  # fmt: skip


class _Text(HTMLParser):
    """What a person sees of a page: its text, and what is spoken of what has none."""

    def __init__(self) -> None:
        super().__init__()
        self.found: list[str] = []
        self.hidden = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.hidden += tag in ("script", "style")
        self.found += [value for name, value in attrs if name in ("aria-label", "alt", "title") and value]

    def handle_endtag(self, tag: str) -> None:
        self.hidden -= tag in ("script", "style")

    def handle_data(self, data: str) -> None:
        if not self.hidden and data.strip():
            self.found.append(" ".join(data.split()))


@pytest.mark.parametrize("pattern", ["four-strip-chained", "three-strip-dc-relay"])
def test_no_page_of_a_call_shows_an_id(app: Flask, make_shop: Callable[..., ShopOf], pattern: str) -> None:
    """After readings, signs, a run of the stopwatch, leads moved and a temporary measure, on every page and panel."""
    shop = make_shop(pattern)
    client = sign_in(app, shop)
    strip, device = shop.plate.circuits[1].id, shop.plate.devices[0].id
    sent = [
        event("switch", what="W", state="on", ago=600),
        event("reading", point="volts:feed-1.l1:feed-1.l2", typed="238.1"),
        event("reading", point=f"amps:{strip}", typed="0.0"),
        event("reading", point=f"amps:{shop.plate.circuits[0].id}", typed="20.4"),
        event("reading", point="amps:feed-1", typed="44"),
        event("seen", sign="heat-marked", about=f"{strip}.limit"),
        event("seen", sign="glows", about=strip),
        event("seen", sign="splices", state="fine"),
        event("temporary", circuit=strip, how="leads off and capped", tag="second stage off", due_on="2027-01-01"),
    ]
    answers = send(client, shop, *sent)
    assert [answer["answer"] for answer in answers] == ["kept"] * len(sent), answers
    shown: dict[str, list[str]] = {}
    for page in (
        *(f"{shop.url}{page}" for page in PAGES),
        "/today",
        "/parts",
        f"{shop.url}/part-check?device={device}",
    ):
        answer = client.get(page)
        assert answer.status_code == 200, page
        text = _Text()
        text.feed(answer.text)
        bad = [words for words in text.found if NOT_WORDS.search(words)]
        if bad:
            shown[page] = bad
    assert shown == {}
