"""A real server on a free port and a real Chromium."""

import re
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta

import pytest
from flask import Flask
from playwright.sync_api import Browser, BrowserContext, Page, Playwright, expect, sync_playwright
from sqlalchemy import Engine
from werkzeug.serving import ThreadedWSGIServer

from tests.application import PASSWORD, ShopOf, application

# Without the windows of the whole browser, which cost two fifths of a test's time.
CHROMIUM = "/usr/bin/chromium-headless-shell"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
# A loaded machine may take a while to answer; nothing here measures speed.
expect.set_options(timeout=60_000)
LAPTOP = {"width": 1280, "height": 800}
PHONE = {"width": 390, "height": 844}


@contextmanager
def answering(app: Flask, port: int = 0) -> Iterator[int]:
    """An application over HTTP, at its port."""
    server = ThreadedWSGIServer("127.0.0.1", port, app)
    # Closed, it waits for what it is still answering: a page that is gone may have asked for something long.
    server.daemon_threads = False
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield server.port
    finally:
        server.shutdown()
        thread.join()
        server.server_close()


@pytest.fixture(scope="session")
def served(engine: Engine, database_url: str) -> Iterator[str]:
    """The application with every guard on, over HTTP; returns its address."""
    with application(database_url, threads=16) as app, answering(app) as port:
        yield f"http://127.0.0.1:{port}"


@pytest.fixture(scope="session")
def driver() -> Iterator[Playwright]:
    """What drives browsers; one a process."""
    with sync_playwright() as playwright:
        yield playwright


@pytest.fixture(scope="session")
def chromium(driver: Playwright) -> Iterator[Browser]:
    """Debian's Chromium, headless."""
    browser = driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
    yield browser
    browser.close()


class Ahead:
    """How far the server's clock is run ahead, so that nothing has to be waited out."""

    offset = timedelta()


@pytest.fixture(autouse=True)
def clock_ahead(monkeypatch: pytest.MonkeyPatch) -> None:
    """Every test begins with the clock as it is."""
    Ahead.offset = timedelta()
    monkeypatch.setattr("plentar.web.serving.access._clock", lambda: datetime.now(UTC) + Ahead.offset)


def is_meant(text: str) -> bool:
    """Tell whether the browser only logs, as a failed load, an answer the page is meant to get, or a slow machine."""
    return "htmx:error: timeout" in text or any(f"status of {code}" in text for code in (400, 401, 422))


@pytest.fixture
def open_page(chromium: Browser, served: str) -> Iterator[Callable[..., Page]]:
    """Open a page of a given size; any script error or refused resource fails the test."""
    contexts: list[BrowserContext] = []
    problems: list[str] = []

    def make(size: dict[str, int], theme: str = "light") -> Page:
        phone = size["width"] < 600
        context = chromium.new_context(
            viewport=size,  # type: ignore[arg-type]
            base_url=served,
            has_touch=phone,
            is_mobile=phone,
            color_scheme="dark" if theme == "attic" else "light",
        )
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(60_000)
        page.on("pageerror", lambda error: problems.append(str(error)))
        page.on("console", lambda m: heard(m.text) if m.type == "error" else None)
        return page

    def heard(words: str) -> None:
        is_request = words.startswith(("Failed to load resource", "htmx: "))
        if not is_meant(words) and not (is_request and make.failures_are_meant):  # type: ignore[attr-defined]
            problems.append(words)

    make.failures_are_meant = False  # type: ignore[attr-defined]
    yield make
    for context in contexts:
        context.close()
    assert problems == []


def sign_in(page: Page, shop: ShopOf) -> None:
    """Sign in as the form does, without drawing it and Today: most tests begin at another page."""
    token = re.search(r'name="csrf_token" value="([^"]+)"', page.request.get("/sign-in").text())
    assert token is not None
    form = {"csrf_token": token[1], "email": shop.email, "password": PASSWORD}
    answer = page.request.post("/sign-in", form=form, max_redirects=0)
    assert answer.status == 302, answer.text()


def sign_in_by_form(page: Page, shop: ShopOf) -> None:
    """Sign in through the form; Today is shown."""
    page.goto("/sign-in")
    page.get_by_label("E-mail").fill(shop.email)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("**/today")
