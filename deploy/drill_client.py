"""A new shop's lead, over TLS: takes the invite link, sets up a meter, works a first call and signs it.

Run by deploy/drill.sh: the invite link, and the certificate to trust. The name goes to this machine.
"""

import json
import re
import socket
import ssl
import sys
from datetime import UTC, datetime, timedelta
from html.parser import HTMLParser
from http.cookiejar import CookieJar
from urllib.parse import urlencode, urljoin
from urllib.request import HTTPCookieProcessor, HTTPSHandler, Request, build_opener
from uuid import uuid4

LINE = "volts:feed-1.l1:feed-1.l2"


class Forms(HTMLParser):
    """The forms of a page, each with its address and the fields it would send."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.found: list[tuple[str, dict[str, str]]] = []
        self._select = ""
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Take in a form, a field of it, or a chosen option."""
        of = {name: value or "" for name, value in attrs}
        if tag == "form":
            self.found.append((of.get("action", ""), {}))
        elif self.found and tag == "input" and of.get("name"):
            if "checked" in of or of.get("type") not in ("checkbox", "radio"):
                self.found[-1][1][of["name"]] = of.get("value", "")
        elif tag == "select":
            self._select = of.get("name", "")
        elif self.found and tag == "option" and self._select:
            is_first = self._select not in self.found[-1][1]
            if is_first or "selected" in of:
                self.found[-1][1][self._select] = of.get("value", "")


class Browser:
    """Follows links, keeps cookies, sends forms as they stand."""

    def __init__(self, certificate: str) -> None:
        context = ssl.create_default_context(cafile=certificate)
        self.opener = build_opener(HTTPSHandler(context=context), HTTPCookieProcessor(CookieJar()))
        self.at, self.page = "", ""

    def get(self, url: str) -> str:
        """Open a page."""
        return self._open(Request(urljoin(self.at, url)))

    def send(self, action: str, having: tuple[str, str] | None = None, **fields: str) -> str:
        """Send the first form with such an address, and such a field, with these fields filled in."""
        forms = [form for form in Forms(self.page).found if re.search(action, form[0] or self.at)]
        there, own = next(form for form in forms if having is None or having in form[1].items())
        request = Request(urljoin(self.at, there), urlencode(own | fields).encode())
        request.add_header("Referer", self.at)
        return self._open(request)

    def events(self, call: str, *events: dict[str, object]) -> None:
        """Send what was done on a call."""
        token = next(own["csrf_token"] for _, own in Forms(self.page).found if "csrf_token" in own)
        request = Request(urljoin(self.at, f"{call}/events"), json.dumps({"events": events}).encode())
        for name, value in (("Content-Type", "application/json"), ("X-CSRFToken", token), ("Referer", self.at)):
            request.add_header(name, value)
        answers = json.load(self.opener.open(request))["answers"]
        assert all(answer["answer"] == "kept" for answer in answers), answers

    def _open(self, request: Request) -> str:
        with self.opener.open(request) as answer:
            self.at, self.page = answer.url, answer.read().decode()
        return self.page


def event(kind: str, ago: float = 0.0, **payload: object) -> dict[str, object]:
    """One thing done, so many seconds ago."""
    done_at = (datetime.now(UTC) - timedelta(seconds=ago)).isoformat()
    return {"id": str(uuid4()), "kind": kind, "payload": payload, "done_at": done_at, "clock_seconds": 0}


def main(link: str, certificate: str) -> None:
    """From the link to the signed page."""
    there = socket.getaddrinfo
    socket.getaddrinfo = lambda host, *more, **named: there("127.0.0.1", *more, **named)
    browser = Browser(certificate)
    browser.get(link)
    browser.send(r"/welcome/[^/]+$", new="attic-ladder-7", again="attic-ladder-7")
    browser.get("/shop/begin/meter")
    browser.send(r"meter")
    browser.get("/calls/new?place_id=new")
    browser.send(r"/calls/new", place_name="9 New Street", unit_id="new", kit_kw="10",
                 start_from="pattern:two-strip-sequencer", complaints="seasonal check")  # fmt: skip
    found = re.search(r"/calls/[0-9a-f-]{36}", browser.at)
    assert found is not None, browser.at
    call = found[0]
    strips = [("amps:strip-a", "20.6"), ("amps:strip-b", "20.5")]
    read = [(LINE, "238"), *strips, ("amps:blower", "2.2"), ("amps:feed-1", "43")]
    readings = [event("reading", 20.0 - n, point=point, typed=typed) for n, (point, typed) in enumerate(read)]
    browser.events(call, event("switch", 30.0, what="W", state="on", ago_seconds=900.0), *readings)
    browser.get(f"{call}?panel=hand-over")
    for role, name in (("technician", "Ada Lead"), ("owner", "R. Yarrow")):
        browser.send(r"/sign$", having=("role", role), name=name)
        browser.get(f"{call}?panel=hand-over")
    browser.send(r"/close$", outcome="No problem found.")
    paper = browser.get(f"{call}/report?reader=customer")
    assert "No problem found" in paper, paper[:2000]
    assert "R. Yarrow" in paper


if __name__ == "__main__":
    main(*sys.argv[1:])
