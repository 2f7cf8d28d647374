"""Serves the demo and photographs each main view; called by script/screenshots."""

import logging
import os
import sys
import threading
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright
from werkzeug.serving import make_server

from plentar.demo import DEMO_EMAIL, DEMO_PASSWORD, load_demo
from plentar.store.database import make_engine, make_sessions, migrate
from plentar.web import create_app
from plentar.web.serving.settings import Settings

OUT = Path(__file__).parent.parent / "docs/screenshots"
LAPTOP, PHONE = (1280, 800), (390, 844)
IN_PROGRESS = "Tamarisk Court 14"
LEAD_EMAIL = "maren@quillet.example"


def today(page: Page) -> None:
    """Stay on Today."""


def open_call(name: str, point: str = "", press: str = "") -> Callable[[Page], None]:
    """Open a call from Today, put the meter somewhere, switch something."""

    def go(page: Page) -> None:
        page.locator(f'main > a:has-text("{name}")').first.click()
        page.wait_for_selector(".ladder")
        if press:
            page.locator(f'#strip button[aria-label="{press}"]').click()
            page.wait_for_timeout(300)
        if point:
            page.locator(f'#board [data-point="{point}"]').click()
            page.wait_for_timeout(400)

    return go


def without_signal(page: Page) -> None:
    """Make the phone ready, lose the signal on the call in progress, read on."""
    page.goto(page.url.replace("/today", "/phone"))
    for field in ("pin", "again"):
        page.locator(f"#set-pin [name={field}]").fill("246810")
    page.get_by_role("button", name="Make this phone ready").click()
    # Every call of the day drawn ahead for the first time, their circuits solved by one process: minutes.
    page.locator(".phone-calls li").first.wait_for(timeout=480_000)
    page.goto(page.url.replace("/phone", "/today"))
    open_call(IN_PROGRESS, "amps:strip-b")(page)
    page.context.set_offline(True)
    page.locator(".entry").fill("0.1")
    page.get_by_role("button", name="Save", exact=True).click()
    page.locator(".kept-here").wait_for()


def report(page: Page) -> None:
    """Open the report of the call in progress."""
    open_call(IN_PROGRESS)(page)
    page.locator('a[data-key="r"]').click()
    page.wait_for_selector(".paper")


def plate(page: Page) -> None:
    """Open the nameplate's form of the call in progress."""
    open_call(IN_PROGRESS)(page)
    page.goto(f"{page.url.split('?')[0]}?panel=nameplate")
    page.get_by_role("link", name="Edit the nameplate").click()
    page.wait_for_selector(".plate-drawn")


def timing(page: Page) -> None:
    """Open the timing page of the call in progress."""
    open_call(IN_PROGRESS)(page)
    page.goto(f"{page.url.split('?')[0]}/timing")


def panel(name: str) -> Callable[[Page], None]:
    """Open a panel of the call in progress."""

    def go(page: Page) -> None:
        open_call(IN_PROGRESS)(page)
        page.goto(f"{page.url.split('?')[0]}?panel={name}")

    return go


def bench(page: Page) -> None:
    """Open the bench with a back-feed on it."""
    page.goto(page.url.replace("/today", "/bench/interlock?com=strip&no=L2&nc=strip&call=G&new=coil-45"))


def step_of(place: str, step: str) -> Callable[[Page], None]:
    """Open a step of another call."""

    def go(page: Page) -> None:
        open_call(place)(page)
        page.goto(f"{page.url.split('?')[0]}/{step}")

    return go


def led(path: str) -> Callable[[Page], None]:
    """Open a page as the shop's lead."""

    def go(page: Page) -> None:
        address = page.url.removesuffix("/today")
        page.context.clear_cookies()
        page.goto(f"{address}/sign-in")
        page.get_by_label("E-mail").fill(LEAD_EMAIL)
        page.get_by_label("Password").fill(DEMO_PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        page.wait_for_url("**/today")
        page.goto(address + path)
        if "#" in path:
            page.locator(f"#{path.rpartition('#')[2]} summary").click()

    return go


def unit(page: Page) -> None:
    """Open the unit whose link opened three times."""
    page.goto(page.url.replace("/today", "/find?q=Tamarisk Court 21"))
    page.locator("#found a").first.click()
    page.locator('main a[href*="/units/"]').first.click()
    page.locator(".timeline").wait_for()


def outliers(page: Page) -> None:
    """Open the round's like units against each other."""
    page.goto(page.url.replace("/today", "/rounds"))
    page.locator(".people-row a").first.click()
    page.get_by_role("link", name="Like against like").click()


def round_check(page: Page) -> None:
    """Open the round's next unit of one's own, nothing called read."""
    page.goto(page.url.replace("/today", "/rounds"))
    page.locator(".people-row a").first.click()
    page.locator('.round-list li:not(.text-soft) a[href*="/check/"]').first.click()
    page.locator(".check-field input").first.fill("241")
    page.get_by_role("button", name="All others read 0 A").click()


def practice(page: Page) -> None:
    """Open the ladder of a learner three weeks in."""
    page.goto(page.url.replace("/today", "/practice"))


def practice_call(page: Page) -> None:
    """Take a call on and read ohms on live power."""
    practice(page)
    page.locator("li").filter(has=page.get_by_text("Call 15", exact=True)).get_by_role("button").click()
    page.goto(f"{page.url}?point=ohms:strip-b.element")
    page.get_by_role("button", name="Read the meter").click()
    page.get_by_role("button", name="Read it anyway").click()
    page.locator(".practice-danger").wait_for()


def debrief(page: Page) -> None:
    """Open the debrief of the welded pole, at the reading that gave it away."""
    practice(page)
    page.locator("li").filter(has=page.get_by_text("Call 11", exact=True)).get_by_role("link").click()
    page.goto(f"{page.url}?at=3")


VIEWS: tuple[tuple[str, tuple[int, int], str, Callable[[Page], None]], ...] = (
    ("today", LAPTOP, "day", today),
    ("call-day", LAPTOP, "day", open_call(IN_PROGRESS, "amps:strip-b")),
    ("call-attic", LAPTOP, "attic", open_call(IN_PROGRESS, "amps:strip-a")),
    ("call-phone", PHONE, "day", open_call(IN_PROGRESS, "amps:strip-b")),
    ("without-signal-phone", PHONE, "attic", without_signal),
    ("unit", LAPTOP, "day", unit),
    ("week", LAPTOP, "attic", led("/week")),
    ("outliers", LAPTOP, "day", outliers),
    ("round-phone", PHONE, "attic", round_check),
    ("rules", LAPTOP, "day", led("/shop/rules#sag_ratio")),
    ("report", LAPTOP, "day", report),
    ("practice", LAPTOP, "day", practice),
    ("practice-call", LAPTOP, "attic", practice_call),
    ("debrief", LAPTOP, "day", debrief),
    ("nameplate", LAPTOP, "attic", plate),
    ("timing", LAPTOP, "day", timing),
    ("interlock-bench", LAPTOP, "day", bench),
    ("safe-phone", PHONE, "day", panel("safe")),
    ("heat-pump", LAPTOP, "attic", step_of("8 Osier", "heat-pump")),
)


def take(browser: Browser, address: str) -> None:
    """Photograph every view, or those named on the command line."""
    wanted = sys.argv[1:]
    for name, (width, height), theme, go in VIEWS:
        if wanted and name not in wanted:
            continue
        context = browser.new_context(
            viewport={"width": width, "height": height},
            color_scheme="dark" if theme == "attic" else "light",
            has_touch=width < 600,
            is_mobile=width < 600,
        )
        page = context.new_page()
        page.goto(f"{address}/sign-in")
        page.get_by_label("E-mail").fill(DEMO_EMAIL)
        page.get_by_label("Password").fill(DEMO_PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        page.wait_for_url("**/today")
        go(page)
        page.wait_for_timeout(300)
        page.screenshot(path=OUT / f"{name}.png")
        context.close()


def main() -> None:
    """Migrate, load, serve, photograph."""
    url = os.environ["PLENTAR_DATABASE_URL"]
    engine = make_engine(url)
    migrate(engine)
    with make_sessions(engine).begin() as db:
        load_demo(db, datetime.now(UTC))
    logging.getLogger("werkzeug").setLevel(logging.WARNING)
    app = create_app(Settings(database_url=url, secret_key="s" * 32, secure_cookies=False))
    server = make_server("127.0.0.1", 0, app, threaded=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox", "--disable-gpu"]
        )
        take(browser, f"http://127.0.0.1:{server.port}")
        browser.close()
    server.shutdown()


if __name__ == "__main__":
    main()
