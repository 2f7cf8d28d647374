"""No signal, slow signal: what is done on a phone is kept there first, and comes home once, in order."""

import json
import re
import threading
import time
from base64 import b64decode
from collections.abc import Callable, Iterator, Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path
from random import Random
from typing import Any
from uuid import uuid4

import pytest
from flask import Flask
from PIL import Image
from playwright.sync_api import BrowserContext, Page, Playwright, Route, expect
from sqlalchemy import Engine, text
from werkzeug.serving import ThreadedWSGIServer

from plentar.core.evidence.events import ACTIONS
from plentar.core.evidence.record import Record
from plentar.core.visit import Visit
from plentar.store import events
from plentar.store.database import make_sessions
from plentar.web.call_layout.visits import event_of
from plentar.words import render
from tests.actions import send
from tests.application import ShopOf, application
from tests.application import sign_in as client_of
from tests.browser.conftest import CHROMIUM, FLAGS, LAPTOP, PHONE, Ahead, sign_in
from tests.browser.test_slice import serious
from tests.serving import free_port

PIN = "246810"


@pytest.fixture
def forgiving(open_page: Callable[..., Page]) -> Callable[..., Page]:
    """Pages whose console may speak of requests that a test made fail."""
    open_page.failures_are_meant = True  # type: ignore[attr-defined]
    return open_page


def make_ready(page: Page, shop: ShopOf, pin: str = PIN) -> None:
    """Set the phone up and take the calls along."""
    page.goto("/phone")
    page.get_by_label("A PIN of six digits or more").fill(pin)
    page.get_by_label("Repeat it").fill(pin)
    page.get_by_role("button", name="Make this phone ready").click()
    expect(page.get_by_text("Ready without signal")).to_be_visible()
    expect(page.locator(".phone-calls")).to_contain_text("1 Test Row")
    page.evaluate("navigator.serviceWorker.ready.then(() => 0)")
    page.wait_for_function("navigator.serviceWorker.controller !== null")


def ready(make: Callable[..., Page], shop: ShopOf, size: dict[str, int] = PHONE) -> Page:
    page = make(size)
    sign_in(page, shop)
    make_ready(page, shop)
    page.goto(shop.url)
    expect(page.locator("#board .ladder")).to_be_visible()
    return page


def kept(engine: Engine, shop: ShopOf) -> list[tuple[str, dict[str, object]]]:
    """The call's events as they came: kind and payload, without the one it began with."""
    query = text("select kind, payload from event where call_id = :call and seq > 1 order by seq")
    with engine.connect() as connection:
        return [(kind, payload) for kind, payload in connection.execute(query, {"call": shop.call_id})]


def rows_of(engine: Engine, shop: ShopOf, since: int = 1) -> list[Any]:
    """The rows of the call's events after a number, as the application reads them."""
    with make_sessions(engine)() as db:
        return list(events.list_after(db, shop_id=shop.shop.id, call_id=shop.call_id, seq=since))


# A whole call, as a phone in an attic does it.


class Line:
    """A server that can be stopped and started again at the same address."""

    def __init__(self, app: Flask) -> None:
        self.app, self.port = app, free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self.server: ThreadedWSGIServer | None = None

    def start(self) -> None:
        """Answer."""
        self.server = server = ThreadedWSGIServer("127.0.0.1", self.port, self.app)
        # Closed, it waits for what it is still answering.
        server.daemon_threads = False
        threading.Thread(target=server.serve_forever, daemon=True).start()

    def stop(self) -> None:
        """Answer nobody any more."""
        if self.server is not None:
            self.server.shutdown()
            self.server.server_close()
            self.server = None


@pytest.fixture
def line(engine: Engine, database_url: str) -> Iterator[Line]:
    """The application with every guard on, behind a line that can be cut."""
    with application(database_url, threads=16) as app:
        line = Line(app)
        line.start()
        yield line
        line.stop()


@pytest.fixture
def pocket(driver: Playwright, line: Line, tmp_path: Path) -> Iterator[Callable[[], BrowserContext]]:
    """A phone whose browser can be closed and opened again: what it keeps is on its disk."""
    opened: list[BrowserContext] = []

    def start() -> BrowserContext:
        for context in opened:
            context.close()
        opened.clear()
        context = driver.chromium.launch_persistent_context(
            tmp_path / "phone",
            executable_path=CHROMIUM,
            args=FLAGS,
            viewport=PHONE,  # type: ignore[arg-type]
            base_url=line.address,
        )
        context.set_default_timeout(60_000)
        opened.append(context)
        return context

    yield start
    for context in opened:
        context.close()


def go(page: Page, there: str) -> None:
    """Open a page and wait until it is whole: filled from the phone where there is no signal."""
    page.goto(there)
    page.wait_for_selector("html[data-ready]", state="attached")


def send_form(page: Page, there: str, action: str, press: str | None = None, **fields: str) -> None:
    """Open a step, fill a form of it in and press its button; on the page that says it is kept."""
    go(page, there)
    form = page.locator(f'#pad form[action$="{action}"]')
    for name in fields:
        form = form.filter(has=page.locator(f'[name="{name}"]'))
    form = form.first
    form.evaluate("form => { for (let d = form; d; d = d.parentElement) if (d.tagName === 'DETAILS') d.open = true }")
    for name, value in fields.items():
        field = form.locator(f'[name="{name}"]').first
        if field.get_attribute("type") == "hidden":
            continue
        if field.evaluate("field => field.type") == "checkbox":
            field.check()
        else:
            field.fill(value)
    count = waits(page)
    (
        form.locator("button:not([type=button])") if press is None else form.get_by_role("button", name=press)
    ).first.click()
    expect(page.locator("#waits")).to_have_attribute("aria-label", re.compile(rf"\b{count + 1} wait"))
    # What was tapped is marked until its answer stands on the page.
    page.wait_for_selector("[data-tapped]", state="detached")


def waits(page: Page) -> int:
    """How many entries the small count by the clock names."""
    label = page.locator("#waits")
    if label.count() == 0:
        return 0
    found = re.search(r"(\d+) wait", label.get_attribute("aria-label") or "")
    return int(found[1]) if found else 0


def read_offline(page: Page, shop: ShopOf, point: str, typed: str) -> None:
    """Put the meter somewhere and keep a number, without signal."""
    go(page, f"{shop.url}?point={point}")
    count = waits(page)
    page.locator(".entry").fill(typed)
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#waits")).to_have_attribute("aria-label", re.compile(rf"\b{count + 1} wait"))
    # What was tapped is marked until its answer stands on the page.
    page.wait_for_selector("[data-tapped]", state="detached")


def safe_line(page: Page, shop: ShopOf, kind: str, press: str | None = None, about: str = "", **fields: str) -> None:
    """Do one line of the Safe list without signal."""
    if not page.url.endswith("?panel=safe"):
        go(page, f"{shop.url}?panel=safe")
    about_is = f':has(input[name="about"][value="{about}"])' if about else ""
    form = page.locator(f'.safe-line form:has(input[name="line"][value="{kind}"]){about_is}').first
    form.evaluate("form => { for (let d = form; d; d = d.parentElement) if (d.tagName === 'DETAILS') d.open = true }")
    for name, value in fields.items():
        form.locator(f'[name="{name}"]').fill(value)
    count = waits(page)
    (form.locator("button") if press is None else form.get_by_role("button", name=press)).first.click()
    expect(page.locator("#waits")).to_have_attribute("aria-label", re.compile(rf"\b{count + 1} wait"))
    # What was tapped is marked until its answer stands on the page.
    page.wait_for_selector("[data-tapped]", state="detached")


def prove_dead_offline(page: Page, shop: ShopOf) -> None:
    """The whole Safe list on the phone."""
    safe_line(page, shop, "tick", about="safe-gear")
    safe_line(page, shop, "off", about="feed-1", press="disconnect")
    safe_line(page, shop, "lock", about="feed-1", press="my lock is on")
    safe_line(page, shop, "tick", about="safe-outdoor-off")
    safe_line(page, shop, "meter", volts="121")
    safe_line(page, shop, "readings", about="feed-1", highest="0.2")
    safe_line(page, shop, "readings", about="control", highest="0.1")
    safe_line(page, shop, "meter", volts="121")
    safe_line(page, shop, "tick", about="safe-capacitor", volts="0.3")


def test_a_whole_call_without_signal_comes_home_after_two_days_once_and_in_order(
    pocket: Callable[[], BrowserContext],
    line: Line,
    app: Flask,
    make_shop: Callable[..., ShopOf],
    engine: Engine,
    tmp_path: Path,
) -> None:
    """Complaint to signed closing offline, a reload and a restart between, 48 hours by the clock: all of it, once."""
    shop = make_shop()
    context = pocket()
    page = context.pages[0]
    sign_in(page, shop)
    make_ready(page, shop)
    go(page, shop.url)
    context.set_offline(True)
    send_form(page, f"{shop.url}?panel=complaint", "/amend", words="Cold upstairs since Sunday")
    for point, typed in (
        ("volts:feed-1.l1:feed-1.l2", "241"),
        ("volts:feed-1.l1:ground", "120.3"),
        ("volts:feed-1.l2:ground", "120.5"),
    ):
        read_offline(page, shop, point, typed)
    page.get_by_role("button", name="W call", exact=True).click()
    expect(page.get_by_role("button", name="W call", exact=True)).to_have_attribute("aria-pressed", "true")
    page.reload()
    read_offline(page, shop, "amps:strip-a", "20.7")
    read_offline(page, shop, "amps:strip-b", "0")
    shot = tmp_path / "shot.png"
    page.screenshot(path=shot)
    go(page, f"{shop.url}?panel=look")
    page.evaluate("for (const part of document.querySelectorAll('#pad details')) part.open = true")
    page.locator("#photo").set_input_files(shot)
    page.get_by_role("button", name="Save photo").click()
    expect(page.locator(".kept-here")).to_contain_text("saved on this phone")
    page.get_by_role("button", name="W call", exact=True).click()
    # Whoever leaves the page before it shows the switch has not been told that it is kept.
    expect(page.get_by_role("button", name="W call", exact=True)).to_have_attribute("aria-pressed", "false")
    send_form(page, f"{shop.url}/timing", "/timing", press="Call for heat now")
    page.get_by_role("button", name="Strip A came on").click()
    expect(page.locator(".watch-kept").first).to_contain_text("on")

    # The browser is closed and opened again: the PIN is asked for, and all of it is there.
    page.wait_for_selector("#waits")
    before = waits(page)
    line.stop()
    page = pocket().pages[0]
    page.goto(shop.url)
    page.get_by_label("PIN").fill("111111")
    page.get_by_role("button", name="Open").click()
    expect(page.get_by_role("alert").first).to_contain_text("4 tries left")
    page.get_by_label("PIN").fill(PIN)
    page.get_by_role("button", name="Open").click()
    expect(page.locator("#board .ladder")).to_be_visible()
    expect(page.locator("#waits")).to_have_attribute("aria-label", re.compile(rf"\b{before} wait"))
    prove_dead_offline(page, shop)
    go(page, f"{shop.url}?panel=safe")
    expect(page.locator("[data-dead]")).to_contain_text("verified dead by this phone")
    expect(page.locator("#strip")).to_contain_text("verified dead")
    read_offline(page, shop, "volts:strip-b.element.1:strip-b.element.2", "0.1")
    safe_line(page, shop, "meter", volts="121")
    read_offline(page, shop, "ohms:strip-b.element", "OL")
    send_form(page, f"{shop.url}?panel=accept", "/causes", title="Strip B open", cause="age")
    send_form(page, f"{shop.url}/fix", "/fix/parts", name="Element, 5 kW", minutes="25")
    go(page, f"{shop.url}?panel=safe")
    send_form(page, f"{shop.url}?panel=safe", "/safe", press="remove my lock", is_on="no") if page.get_by_role(
        "button", name="remove my lock"
    ).count() else None
    send_form(page, f"{shop.url}/fix/prove", "/fix/power")
    read_offline(page, shop, "amps:strip-b", "20.5")
    send_form(page, f"{shop.url}/fix/prove", "/fix/proof", reason="no signal to judge it")
    send_form(
        page, f"{shop.url}?panel=hand-over", "/sign", press="Technician signs", role="technician", name="Pim Tester"
    )
    send_form(page, f"{shop.url}?panel=hand-over", "/close", outcome="Strip B replaced", reason="judged later")
    page.wait_for_selector("#waits")
    forms = waits(page)
    assert kept(engine, shop) == []

    # Two days later, with signal.
    line.start()
    page = pocket().pages[0]
    page.clock.install(time=page.evaluate("Date.now()") / 1000 + 48 * 3600)
    Ahead.offset = timedelta(hours=48)
    go(page, "/phone")
    page.get_by_label("PIN").first.fill(PIN)
    page.get_by_role("button", name="Open").click()
    expect(page.locator("#waits")).to_be_visible()
    expect(page.locator("#waits")).to_have_count(0, timeout=60_000)
    found = rows_of(engine, shop)
    assert " ".join(row.kind for row in found) == (
        "amend reading reading reading switch reading reading photo switch tap tap tick switch lock tick "
        "meter-proven reading reading reading reading meter-proven tick reading meter-proven reading "
        "cause part lock power-back reading settled signed closed"
    )
    # The Safe list's number of the feed is one form of three.
    assert len(found) == forms + 3 - 1
    assert [row.done_at for row in found] == sorted(row.done_at for row in found)
    assert all(row.come_at - row.done_at > timedelta(hours=47) for row in found)
    assert found[-1].payload["outcome"] == "Strip B replaced"
    assert judged(engine, shop) == judged(engine, online_twin(app, make_shop(), found))


def online_twin(app: Flask, twin: ShopOf, rows: Sequence[Any]) -> ShopOf:
    """Another shop's call on which the same was done with signal, each thing at its own moment."""
    client = client_of(app, twin)
    for row in rows:
        if row.kind == "photo":
            continue
        Ahead.offset = row.done_at - datetime.now(UTC)
        known = {name: value for name, value in row.payload.items() if name not in ACTIONS[row.kind].derived}
        known.pop("meter", None)
        [answer] = send(client, twin, {"id": str(uuid4()), "kind": row.kind, "payload": known})
        assert answer["answer"] == "kept", answer
    return twin


def judged(engine: Engine, shop: ShopOf) -> object:
    """What follows from a call's events: each reading's verdict and what stood of it, how the call was closed."""
    rows = rows_of(engine, shop, since=0)
    record = Record([event_of(tuple(row)) for row in rows])  # type: ignore[arg-type]
    visit = Visit(shop.plate, record, moment=record.events[-1].done_at)
    closed = record.closed
    assert closed is not None
    assert not visit.conflicts
    verdicts = [
        (
            entry.point.id,
            entry.reading.value,
            entry.verdict.grade,
            render(entry.verdict.because),
            entry.reading.condition.state,
        )
        for entry in visit.judged
    ]
    return sorted(map(str, verdicts)), closed[1].overridden, visit.lockout.feeds


def keep(page: Page, typed: str) -> None:
    page.locator(".entry").fill(typed)
    page.get_by_role("button", name="Save", exact=True).click()


def test_two_people_merge_and_both_sides_are_shown(
    forgiving: Callable[..., Page],
    shop: ShopOf,
    engine: Engine,
    make_colleague: Callable[[ShopOf], ShopOf],
) -> None:
    """One had no signal while the other switched a call and closed: nothing is lost, each side is named."""
    page = ready(forgiving, shop)
    page.context.set_offline(True)
    page.get_by_role("button", name="W call", exact=True).click()
    keep(page, "240")
    expect(page.locator("#waits")).to_have_attribute("aria-label", re.compile("2 wait"))
    # The other reads later, does not know that heat is called, and closes.
    other = forgiving(LAPTOP)
    sign_in(other, make_colleague(shop))
    other.goto(f"{shop.url}?point=amps:strip-a")
    keep(other, "0")
    wait_until(lambda: len(kept(engine, shop)) == 1)
    other.goto(f"{shop.url}?panel=hand-over")
    other.get_by_label("What was found and done").fill("nothing found")
    other.get_by_role("button", name="Close the call").click()
    wait_until(lambda: len(kept(engine, shop)) == 2)
    # Done after the other had closed: a second closing cannot be kept, and is not dropped either.
    send_form(page, f"{shop.url}?panel=hand-over", "/close", outcome="Strip A is dead", reason="seen")
    page.context.set_offline(False)
    expect(page.locator("#waits")).to_have_attribute("aria-label", re.compile("1 to look at"))
    assert [kind for kind, _ in kept(engine, shop)] == ["reading", "closed", "switch", "reading"]
    page.goto(shop.url)
    both = page.locator("#findings .both-sides")
    expect(both.first).to_contain_text("Conflicting entries")
    expect(both.first).to_contain_text("Ona Other")
    expect(both.first).to_contain_text("closed the")
    expect(both.last).to_contain_text("Strip A is dead")
    expect(both.last).to_contain_text("closed by Ona Other")
    # Neither proves anything: the reading kept without knowing that heat was called is to be read again.
    visit = visit_of(engine, shop)
    assert [entry.point.id for entry in visit.judged if not entry.is_superseded] == ["volts:feed-1.l1:feed-1.l2"]
    page.locator("#waits").click()
    assert serious(page) == []
    page.keyboard.press("Escape")
    both.last.get_by_role("button", name="Both have seen").click()
    expect(page.get_by_text("Sent by a phone but not accepted")).to_have_count(0)
    page.goto("/phone")
    page.wait_for_selector("html[data-ready]", state="attached")
    assert serious(page) == []


def visit_of(engine: Engine, shop: ShopOf) -> Visit:
    """The call as its events make it."""
    record = Record([event_of(tuple(row)) for row in rows_of(engine, shop, since=0)])  # type: ignore[arg-type]
    return Visit(shop.plate, record, moment=record.events[-1].done_at)


def test_another_person_on_the_phone_neither_sees_nor_sends_what_waits(
    forgiving: Callable[..., Page],
    engine: Engine,
    shop: ShopOf,
    make_colleague: Callable[[ShopOf], ShopOf],
) -> None:
    """Signed out and another in: the entry stays with its owner, and goes when they are back."""
    page = ready(forgiving, shop)
    page.route("**/readings", lambda route: route.abort())
    keep(page, "239")
    expect(page.locator("#waits")).to_have_attribute("aria-label", re.compile("1 wait"))
    page.goto("/you")
    page.get_by_role("button", name="Sign out", exact=True).click()
    # The phone is shut before the form goes: whoever signs in meanwhile does so with the token of the one who leaves.
    page.wait_for_url("**/sign-in")
    page.unroute("**/readings")
    sign_in(page, make_colleague(shop))
    page.goto("/today")
    page.wait_for_selector("html[data-ready]", state="attached")
    expect(page.locator("#waits")).to_have_count(0)
    page.goto("/phone")
    expect(page.get_by_role("button", name="Make this phone ready")).to_be_visible()
    assert "239" not in page.locator("body").inner_text()
    assert kept(engine, shop) == []
    page.goto("/you")
    page.get_by_role("button", name="Sign out", exact=True).click()
    page.wait_for_url("**/sign-in")
    sign_in(page, shop)
    page.goto("/phone")
    page.get_by_label("PIN").first.fill(PIN)
    page.get_by_role("button", name="Open").click()
    wait_until(lambda: [kind for kind, _ in kept(engine, shop)] == ["reading"])


def wait_until(holds: Callable[[], bool], page: Page | None = None) -> None:
    """Wait for what another process does."""
    for _ in range(1200):
        if holds():
            return
        # What a test makes of requests goes on meanwhile.
        if page is not None:
            page.wait_for_timeout(50)
        else:
            time.sleep(0.05)
    raise AssertionError("it did not come about")


# As the page's own button does it.
SHUT = """new Promise((done) => {
    const { port1, port2 } = new MessageChannel();
    port1.onmessage = () => done();
    const { person } = document.documentElement.dataset;
    navigator.serviceWorker.controller.postMessage({ kind: "shut", person }, [port2]);
})"""
# Whatever a script can write that might once have opened the store: every mark as a cookie, every time and count anew.
FORGED = """new Promise((done) => {
    const asked = indexedDB.open("plentar");
    asked.onsuccess = () => {
        const store = asked.result.transaction("vaults", "readwrite").objectStore("vaults");
        store.openCursor().onsuccess = ({ target: { result: cursor } }) => {
            if (!cursor) return done(true);
            const vault = cursor.value;
            document.cookie = `plentar-open=${vault.open?.mark ?? "x"}; path=/`;
            const open = { ...vault.open, key: vault.device, mark: "x", until: Date.now() + 1e9 };
            cursor.update({ ...vault, fails: 0, open });
            cursor.continue();
        };
    };
})"""


def test_nothing_a_script_writes_opens_a_phone_whose_browser_was_closed(
    pocket: Callable[[], BrowserContext], line: Line, make_shop: Callable[..., ShopOf]
) -> None:
    """With the server stopped: the PIN is asked, whatever stands in cookies and stores, and the queue says nothing."""
    shop = make_shop()
    page = pocket().pages[0]
    sign_in(page, shop)
    make_ready(page, shop)
    line.stop()
    read_offline(page, shop, "volts:feed-1.l1:feed-1.l2", "243")
    page = pocket().pages[0]
    for _ in range(2):
        page.goto(shop.url)
        expect(page.get_by_label("PIN")).to_be_visible()
        assert "243" not in page.content()
        assert page.evaluate(FORGED) is True
    for _ in range(5):
        page.get_by_label("PIN").fill("000000")
        page.get_by_role("button", name="Open").click()
        page.wait_for_timeout(0)
        expect(page.get_by_label("PIN")).to_have_value("")
    expect(page.get_by_text("Locked until this phone has signal")).to_be_visible()
    assert page.evaluate(FORGED) is True
    page.reload()
    # The count of tries is only a count: what it guards is still shut.
    expect(page.get_by_label("PIN")).to_be_visible()
    assert "243" not in page.content()
    page.get_by_label("PIN").fill(PIN)
    page.get_by_role("button", name="Open").click()
    expect(page.locator("#waits")).to_have_attribute("aria-label", re.compile("1 wait"))
    assert "open" not in page.evaluate(VAULT)


VAULT = """new Promise((done) => {
    const asked = indexedDB.open("plentar");
    asked.onsuccess = () => {
        const all = asked.result.transaction("vaults").objectStore("vaults").getAll();
        all.onsuccess = () => done(Object.keys(all.result[0]));
    };
})"""


def test_signing_out_shuts_the_phone_before_the_page_is_left(
    pocket: Callable[[], BrowserContext], line: Line, make_shop: Callable[..., ShopOf]
) -> None:
    """In every page of it; the back button and the next page find it shut, with the server stopped too."""
    shop = make_shop()
    context = pocket()
    page, other = context.pages[0], context.new_page()
    sign_in(page, shop)
    make_ready(page, shop)
    go(other, shop.url)
    page.goto("/you")
    page.get_by_role("button", name="Sign out", exact=True).click()
    page.wait_for_url("**/sign-in")
    other.wait_for_function("document.querySelector('#ready-line, #board') !== null")
    line.stop()
    page.go_back()
    expect(page.get_by_label("PIN")).to_be_visible()
    other.goto(shop.url)
    expect(other.get_by_label("PIN")).to_be_visible()


def test_a_clock_two_days_off_asks_for_the_pin_and_says_why(
    pocket: Callable[[], BrowserContext], line: Line, make_shop: Callable[..., ShopOf]
) -> None:
    """Forwards or backwards; after the PIN it goes on."""
    shop = make_shop()
    page = pocket().pages[0]
    sign_in(page, shop)
    make_ready(page, shop)
    line.stop()
    for days in (2, -2):
        page.clock.set_system_time(datetime.now(UTC) + timedelta(days=days))
        page.goto(shop.url)
        expect(page.get_by_role("status").filter(has_text="clock was moved")).to_be_visible()
        page.get_by_label("PIN").fill(PIN)
        page.get_by_role("button", name="Open").click()
        expect(page.locator("#board .ladder")).to_be_visible()
        page.clock.set_system_time(datetime.now(UTC))
        page.evaluate(SHUT)


def test_a_queue_with_a_photo_in_it_is_saved_as_a_file(
    forgiving: Callable[..., Page], shop: ShopOf, tmp_path: Path
) -> None:
    """A phone that was signed out has no other way to hand over what waits; named as what it is."""
    page = ready(forgiving, shop)
    page.route("**/photos", lambda route: route.abort())
    shot = tmp_path / "shot.jpg"
    noise = Image.frombytes("RGB", (900, 700), Random(4).randbytes(900 * 700 * 3))  # noqa: S311
    noise.save(shot, quality=95)
    go(page, f"{shop.url}?panel=look")
    page.evaluate("for (const part of document.querySelectorAll('#pad details')) part.open = true")
    page.locator("#photo").set_input_files(shot)
    page.locator("#photo-part").select_option("strip-b")
    page.get_by_role("button", name="Save photo").click()
    page.locator("#waits").click()
    expect(page.locator("#waiting")).to_contain_text("Photo of Strip B")
    with page.expect_download() as saved:
        page.locator("#waiting").get_by_role("button", name="Save as a file").click()
    [item] = json.loads(Path(saved.value.path()).read_text())["items"]
    body = b64decode(item["body"])
    assert len(body) > 200_000
    assert b"photo_id" in body


def test_five_wrong_pins_lock_until_there_is_signal(
    forgiving: Callable[..., Page], shop: ShopOf, engine: Engine
) -> None:
    """Without signal the right PIN opens no more; signed in with signal a new one does, and what waited is sent."""
    page = ready(forgiving, shop)
    page.context.set_offline(True)
    keep(page, "238")
    expect(page.locator("#waits")).to_be_visible()
    page.evaluate(SHUT)
    page.reload()
    for left in ("4", "3", "2", "1", ""):
        page.get_by_label("PIN").fill("000000")
        page.get_by_role("button", name="Open").click()
        expect(page.get_by_text(f"{left} tr" if left else "Locked until this phone has signal")).to_be_visible()
    expect(page.get_by_label("PIN")).to_be_hidden()
    page.reload()
    expect(page.get_by_text("Locked until this phone has signal")).to_be_visible()
    page.context.set_offline(False)
    page.goto("/phone")
    page.get_by_label("A PIN of six digits or more").fill("135791")
    page.get_by_label("Repeat it").fill("135791")
    page.get_by_role("button", name="Make this phone ready").click()
    wait_until(lambda: len(kept(engine, shop)) == 1)


def test_a_lost_phone_signed_out_elsewhere_sends_nothing_and_can_save_what_waits(
    forgiving: Callable[..., Page], app: Flask, shop: ShopOf, engine: Engine
) -> None:
    """Its queue is refused; what is in it can be saved as a file."""
    page = ready(forgiving, shop)
    page.route("**/readings", lambda route: route.abort())
    keep(page, "237")
    expect(page.locator("#waits")).to_be_visible()
    assert client_of(app, shop).post("/you/sign-ins/end").status_code == 302
    page.unroute("**/readings")
    sign_in(page, shop)
    page.goto(shop.url)
    expect(page.locator("#signal")).to_contain_text("signed out from another device")
    with page.expect_download() as saved:
        page.locator("#signal").get_by_role("button", name="Save as a file").click()
    assert '"237"' in Path(saved.value.path()).read_text()
    assert kept(engine, shop) == []


def test_a_store_the_browser_cleared_is_told_with_what_was_lost(
    forgiving: Callable[..., Page], shop: ShopOf, engine: Engine
) -> None:
    """A missing store says how much had not been sent; the call goes on."""
    page = ready(forgiving, shop)
    page.context.set_offline(True)
    keep(page, "236")
    expect(page.locator("#waits")).to_be_visible()
    page.route("**/readings", lambda route: route.abort())
    page.context.set_offline(False)
    page.goto("/sign-in")
    page.evaluate(
        "new Promise((done) => { const gone = indexedDB.deleteDatabase('plentar');"
        " gone.onsuccess = done; gone.onblocked = done })"
    )
    page.goto("/phone")
    expect(page.get_by_role("alert").first).to_contain_text("1 entries that had not been sent are lost")
    expect(page.get_by_role("button", name="Make this phone ready")).to_be_visible()


def portal(route: Route) -> None:
    route.fulfill(status=200, body="<h1>Welcome to the hotel</h1>", content_type="text/html")


def test_a_networks_own_page_is_no_answer(forgiving: Callable[..., Page], shop: ShopOf, engine: Engine) -> None:
    """What comes back is not this application's: it is not taken for "kept", and the line says so."""
    page = ready(forgiving, shop)
    page.route("**/calls/**", portal)
    page.route("**/healthz", portal)
    keep(page, "235")
    expect(page.locator("#signal")).to_contain_text("its own sign-in page")
    expect(page.locator(".kept-here")).to_contain_text("judged when the signal is back")
    page.get_by_role("button", name="Feed 1 is live, switch to off").click()
    expect(page.locator("#strip")).to_contain_text("off, treat as live")
    page.unroute("**/calls/**")
    page.unroute("**/healthz")
    wait_until(lambda: [kind for kind, _ in kept(engine, shop)] == ["reading", "switch"])
    expect(page.locator("#waits")).to_have_count(0)


def test_a_slow_link_is_waited_for_and_a_double_tap_is_one(
    forgiving: Callable[..., Page], shop: ShopOf, engine: Engine
) -> None:
    """2.5 s there: the server's verdict comes, nothing twice; an answer lost on its way back is asked for again."""
    page = ready(forgiving, shop)

    def slow(route: Route) -> None:
        time.sleep(2.5)
        route.continue_()

    lost: list[Route] = []

    def lose_answer(route: Route) -> None:
        if lost:
            route.continue_()
            return
        lost.append(route)
        route.fetch()
        route.abort()

    page.route("**/readings", slow)
    keep(page, "234")
    wait_until(lambda: len(kept(engine, shop)) == 1, page)
    expect(page.locator(".entry")).to_have_attribute("placeholder", "234.0")
    page.unroute("**/readings")
    page.route("**/readings", lose_answer)
    keep(page, "233")
    wait_until(lambda: len(kept(engine, shop)) == 2, page)
    expect(page.locator("#waits")).to_have_count(0)
    assert [payload["typed"] for _, payload in kept(engine, shop)] == ["234", "233"]


def test_an_old_page_does_not_speak_to_a_new_server_unseen(
    pocket: Callable[[], BrowserContext], line: Line, shop: ShopOf, engine: Engine
) -> None:
    """Another build answers: the queue waits and says so; loaded again, it is sent."""
    page = pocket().pages[0]
    sign_in(page, shop)
    make_ready(page, shop)
    page.goto(shop.url)
    line.app.extensions["plentar.build"] = "another"
    line.app.jinja_env.globals["build"] = "another"
    keep(page, "232")
    expect(page.locator("#signal")).to_contain_text("newer version of Plentar")
    assert kept(engine, shop) == []
    page.locator("#signal").get_by_role("link", name="Load again").click()
    expect(page.locator("#waits")).to_have_count(0)
    wait_until(lambda: [payload["typed"] for _, payload in kept(engine, shop)] == ["232"])


def test_without_a_store_it_says_so_and_still_sends(
    forgiving: Callable[..., Page], shop: ShopOf, engine: Engine
) -> None:
    """A browser that keeps nothing sends as it always did."""
    page = forgiving(PHONE)
    page.add_init_script(
        "delete globalThis.indexedDB; Object.defineProperty(globalThis, 'indexedDB', { value: undefined })"
    )
    sign_in(page, shop)
    page.goto("/phone")
    expect(page.locator("#phone-page")).to_contain_text("keeps nothing for later")
    page.goto(shop.url)
    keep(page, "231")
    wait_until(lambda: len(kept(engine, shop)) == 1)


FRESH = """new Promise((done) => { const open = indexedDB.open("plentar"); open.onsuccess = () => {
  const keys = open.result.transaction("aboard").objectStore("aboard").getAllKeys();
  keys.onsuccess = () => done(keys.result.filter((name) => name.includes("fresh")).length) } })"""


def begun(page: Page) -> str:
    """Start the call that is filled in, and read on it; its id."""
    page.get_by_label("Customer's description").fill("Cold")
    page.get_by_role("button", name="Start the call").click()
    expect(page.locator("#board .ladder")).to_be_visible()
    keep(page, "241")
    expect(page.locator(".kept-here")).to_contain_text("241")
    return page.url.split("/calls/")[1].split("?")[0]


def test_calls_are_begun_without_signal_on_a_known_unit_and_a_new_one(
    forgiving: Callable[..., Page], shop: ShopOf, engine: Engine, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Begun, read on, and there once the signal is back, each with its reading."""
    # One wiring of nine: each is drawn ahead for seconds the first time.
    monkeypatch.setattr("plentar.web.offline.bundle.PATTERN_WORDS", {"two-strip-sequencer": "2 strips, one sequencer"})
    page = ready(forgiving, shop)
    page.goto("/phone")
    page.get_by_role("button", name="Wirings for new places").click()
    expect(page.locator("#take-wirings")).to_have_count(0)
    wait_until(lambda: page.evaluate(FRESH) == 2)
    page.context.set_offline(True)
    page.goto("/calls/new")
    made = [begun(page)]
    page.goto("/calls/new")
    page.get_by_label("Unit").select_option(label="2 strips, one sequencer")
    page.get_by_label("Address").fill("9 Attic Lane")
    made.append(begun(page))
    expect(page.locator("header")).to_contain_text("9 Attic Lane")
    page.context.set_offline(False)

    def are_there() -> bool:
        query = text("select kind from event where call_id = :call order by seq")
        with engine.connect() as connection:
            kinds = [[row.kind for row in connection.execute(query, {"call": call})] for call in made]
        return kinds == [["opened", "reading"]] * 2

    wait_until(are_there, page)
    page.goto(f"/calls/{made[1]}")
    expect(page.locator("header")).to_contain_text("9 Attic Lane")
