"""A real shop from an empty database: the command line, a link, a passkey, a meter, a rule that a verdict follows."""

import threading
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from click.testing import CliRunner
from playwright.sync_api import Browser, BrowserContext, Page, expect
from sqlalchemy import Engine
from werkzeug.serving import ThreadedWSGIServer

from plentar.cli import main
from plentar.store.database import migrate
from plentar.web import create_app
from plentar.web.settings import Settings
from tests.browser.conftest import LAPTOP
from tests.conftest import PASSWORD, own_database
from tests.serving import free_port

SECRET = "n" * 32


@pytest.fixture
def new_shop(engine: Engine, monkeypatch: pytest.MonkeyPatch) -> Iterator[tuple[str, str]]:
    """The application on an empty database, by name; its address, and the link the command line printed."""
    with own_database(engine) as own:
        migrate(own)
        url, port = own.url.render_as_string(hide_password=False), free_port()
        origin = f"http://localhost:{port}"
        for name, value in (("DATABASE_URL", url), ("SECRET_KEY", SECRET), ("ORIGIN", origin)):
            monkeypatch.setenv(f"PLENTAR_{name}", value)
        asked = [
            "shop",
            "create",
            "Ninebark Heat",
            "--time-zone",
            "America/Chicago",
            "--lead",
            "hedda@ninebark.example",
        ]
        printed = CliRunner().invoke(main, asked, catch_exceptions=False)
        assert printed.exit_code == 0, printed.output
        settings = Settings(database_url=url, secret_key=SECRET, secure_cookies=False, threads=16, origin=origin)
        app = create_app(settings)
        server = ThreadedWSGIServer("127.0.0.1", port, app)
        server.daemon_threads = False
        thread = threading.Thread(target=server.serve_forever, daemon=True)
        thread.start()
        yield origin, printed.output.strip()
        server.shutdown()
        thread.join()
        server.server_close()
        app.extensions["plentar.sessions"].kw["bind"].dispose()


@pytest.fixture
def open_at(chromium: Browser) -> Iterator[Callable[..., Page]]:
    """Open a browser of its own at an address, with a key of its own that answers for its owner."""
    contexts: list[BrowserContext] = []

    def make(origin: str, size: dict[str, int] = LAPTOP) -> Page:
        context = chromium.new_context(viewport=size, base_url=origin)  # type: ignore[arg-type]
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(20_000)
        devices = context.new_cdp_session(page)
        devices.send("WebAuthn.enable")
        options: dict[str, Any] = {
            "protocol": "ctap2",
            "transport": "internal",
            "hasResidentKey": True,
            "hasUserVerification": True,
            "isUserVerified": True,
            "automaticPresenceSimulation": True,
        }
        devices.send("WebAuthn.addVirtualAuthenticator", {"options": options})
        return page

    yield make
    for context in contexts:
        context.close()


def test_a_shop_is_set_up_from_nothing(new_shop: tuple[str, str], open_at: Callable[..., Page]) -> None:
    """Lead by the link, through meter and rules to people; a technician by a passkey, with no password at all."""
    origin, link = new_shop
    lead = open_at(origin)
    lead.goto(link)
    lead.get_by_label("Your name").fill("Hedda Voss")
    lead.get_by_label("Password", exact=True).fill(PASSWORD)
    lead.get_by_label("Password again").fill(PASSWORD)
    lead.get_by_role("button", name="Take this password").click()
    expect(lead.get_by_role("heading", name="Which meter do you read with?")).to_be_visible()
    lead.get_by_label("Name").fill("Van one's clamp")
    lead.get_by_role("button", name="Keep and go on").click()
    lead.locator("#element_amps_ratio summary").click()
    rule = lead.locator("#element_amps_ratio")
    rule.get_by_label("pass to", exact=True).fill("1.20")
    rule.get_by_label("Why").fill("ours run hot")
    rule.get_by_role("button", name="Keep as our rule").click()
    expect(rule.locator(".problem")).to_contain_text("pass band must lie inside")
    expect(rule.get_by_label("pass to", exact=True)).to_have_value("1.20")
    rule.get_by_label("pass to", exact=True).fill("1.02")
    rule.get_by_label("Why").fill("ours run cool")
    rule.get_by_role("button", name="Keep as our rule").click()
    expect(lead.locator("#element_amps_ratio summary")).to_contain_text("yours")
    lead.get_by_role("button", name="Go on").click()
    lead.get_by_label("Name").fill("Pim Aster")
    lead.get_by_label("E-mail").fill("pim@ninebark.example")
    lead.get_by_role("button", name="Make their link").click()
    invited = lead.get_by_label("Link for Pim Aster").input_value()
    lead.get_by_role("button", name="Done: to the day").click()
    lead.wait_for_url("**/today")

    pim = open_at(origin)
    pim.goto(invited)
    pim.get_by_role("button", name="Make a passkey").click()
    pim.wait_for_url("**/today")
    pim.goto("/you")
    pim.get_by_role("button", name="Remove").click()
    expect(pim.get_by_role("alert").first).to_contain_text("last way in")
    pim.get_by_role("button", name="Sign out", exact=True).click()
    pim.get_by_role("button", name="Use a passkey").click()
    pim.wait_for_url("**/today")
    answer = pim.goto(invited)
    assert answer is not None
    assert answer.status == 410
    expect(pim.locator("main")).to_contain_text("used already")
    refused = pim.goto("/shop/people")
    assert refused is not None
    assert refused.status == 403
