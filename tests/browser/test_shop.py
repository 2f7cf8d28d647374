"""A real shop from an empty database: the command line, a link, a passkey, a meter, a rule that a verdict follows."""

import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from playwright.sync_api import Browser, BrowserContext, Page, expect
from sqlalchemy import Engine

from plentar.cli import main
from plentar.store.database import migrate
from tests.application import PASSWORD, application, own_database, served
from tests.browser.conftest import LAPTOP, answering
from tests.browser.test_slice import keep
from tests.serving import free_port

SECRET = "n" * 32


@pytest.fixture
def new_shop(engine: Engine, monkeypatch: pytest.MonkeyPatch) -> Iterator[tuple[str, str]]:
    """The application on an empty database, by name; its address, and the link the command line printed."""
    with own_database(engine) as own:
        migrate(own)
        url, port = served(own), free_port()
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
        with application(url, secret_key=SECRET, threads=16, origin=origin) as app, answering(app, port):
            yield origin, printed.output.strip()


@pytest.fixture
def open_at(chromium: Browser) -> Iterator[Callable[..., Page]]:
    """Open a browser of its own at an address, with a key of its own that answers for its owner."""
    contexts: list[BrowserContext] = []

    def make(origin: str, size: dict[str, int] = LAPTOP) -> Page:
        context = chromium.new_context(viewport=size, base_url=origin)  # type: ignore[arg-type]
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(60_000)
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
    lead.get_by_role("button", name="Set password").click()
    expect(lead.get_by_role("heading", name="Which meter do you read with?")).to_be_visible()
    lead.get_by_label("Name").fill("Van one's clamp")
    lead.get_by_role("button", name="Save and continue").click()
    lead.locator("#element_amps_ratio summary").click()
    rule = lead.locator("#element_amps_ratio")
    rule.get_by_label("pass to", exact=True).fill("1.20")
    rule.get_by_label("Why").fill("ours run hot")
    rule.get_by_role("button", name="Save as our rule").click()
    expect(rule.locator(".problem")).to_contain_text("pass band must lie inside")
    expect(rule.get_by_label("pass to", exact=True)).to_have_value("1.20")
    rule.get_by_label("pass to", exact=True).fill("1.02")
    rule.get_by_label("Why").fill("ours run cool")
    rule.get_by_role("button", name="Save as our rule").click()
    expect(lead.locator("#element_amps_ratio summary")).to_contain_text("yours")
    lead.get_by_role("button", name="Continue").click()
    lead.get_by_label("Name").fill("Pim Aster")
    lead.get_by_label("E-mail").fill("pim@ninebark.example")
    lead.get_by_role("button", name="Create invite link").click()
    invited = lead.get_by_label("Link for Pim Aster").input_value()
    lead.get_by_role("button", name="Done, go to Today").click()
    lead.wait_for_url("**/today")

    pim = open_at(origin)
    pim.goto(invited)
    pim.get_by_role("button", name="Create a passkey").click()
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


def test_a_unit_is_met_planned_worked_and_come_back_to(
    new_shop: tuple[str, str], open_at: Callable[..., Page], tmp_path: Path
) -> None:
    """From the kit table to the return visit: the shop's rule judges, the part waits, the label's code opens it."""
    origin, link = new_shop
    page = open_at(origin)
    page.goto(link)
    page.get_by_label("Password", exact=True).fill(PASSWORD)
    page.get_by_label("Password again").fill(PASSWORD)
    page.get_by_role("button", name="Set password").click()
    page.get_by_label("Name").fill("Clamp")
    page.get_by_role("button", name="Save and continue").click()
    rule = page.locator("#element_amps_ratio")
    rule.locator("summary").click()
    rule.get_by_label("pass to", exact=True).fill("1.02")
    rule.get_by_label("Why").fill("ours run cool")
    rule.get_by_role("button", name="Save as our rule").click()
    page.get_by_role("button", name="Continue").click()
    page.get_by_role("button", name="Done, go to Today").click()
    # A heat kit added, and a call planned on a unit of it at a new place.
    page.goto("/parts")
    page.get_by_text("Add a kit by hand").click()
    for name, value in (("model", "NB-10"), ("kilowatts 240", "10"), ("kilowatts 208", "7.5"), ("strips", "2")):
        page.get_by_label(name, exact=True).last.fill(value)
    page.get_by_role("button", name="Save", exact=True).last.click()
    expect(page.locator("main")).to_contain_text("NB-10")
    page.goto("/calls/new")
    page.get_by_label("Find the place").fill("4 Larch End")
    page.get_by_role("link", name="A new place: 4 Larch End").click()
    page.locator(".structure").filter(has_text="2 strips, one sequencer").click()
    page.get_by_text("Not enough heat", exact=True).click()
    page.get_by_text("Schedule for later").click()
    page.get_by_label("Day", exact=True).fill("2027-01-14")
    page.get_by_label("From", exact=True).fill("09:00")
    page.get_by_role("button", name="Schedule").click()
    expect(page.locator("main")).to_contain_text("planned")
    call = page.url.removesuffix("/plan")
    page.get_by_role("link", name="the unit").click()
    unit = page.url
    page.get_by_role("link", name="Nameplate").click()
    page.get_by_label("One of your kits").select_option("NB-10")
    page.get_by_role("button", name="Use its label").click()
    expect(page.locator("#drawn")).to_contain_text("20.8 A")
    # Kept, the page is loaded anew; what was drawn meanwhile is no load.
    with page.expect_event("load"):
        page.get_by_role("button", name="Save").click()
    # Worked: 21.5 A of 20.8 is more than the shop allows, and less than the default does.
    page.goto("/week?on=2027-01-14")
    page.locator(".week-call a").click()
    page.get_by_role("button", name="W call", exact=True).click()
    expect(page.get_by_role("button", name="W call", exact=True)).to_have_attribute("aria-pressed", "true")
    keep(page, "volts:feed-1.l1:feed-1.l2", "240")
    keep(page, "amps:strip-a", "21.5")
    expect(page.locator("#verdict")).to_contain_text("marginal")
    expect(page.locator("#verdict")).to_contain_text("shop rule")
    page.goto(f"{call}?panel=hand-over")
    page.get_by_label("What was found and done").fill("Strip B's pole stays open.")
    page.get_by_role("button", name="Close the call").click()
    page.get_by_role("link", name="Part on order").click()
    page.get_by_label("Part", exact=True).fill("Sequencer, 2 poles")
    page.get_by_role("button", name="Add the part").click()
    page.get_by_role("button", name="Schedule return visit").click()
    page.get_by_role("link", name="the call").click()
    page.wait_for_selector(".ladder")
    page.goto(f"{page.url}?panel=complaint")
    expect(page.locator("#pad")).to_contain_text("Strip B's pole stays open.")
    expect(page.locator("#pad")).to_contain_text("to order: Sequencer, 2 poles")
    # The label, as a camera sees it.
    label = page.request.get(f"{unit}/label.pdf")
    (tmp_path / "label.pdf").write_bytes(label.body())
    subprocess.run(["pdftoppm", "-r", "150", "-png", "label.pdf", "label"], cwd=tmp_path, check=True)  # noqa: S607
    camera = ["zbarimg", "-q", "--raw", "label-1.png"]
    seen = subprocess.run(camera, cwd=tmp_path, check=True, capture_output=True)
    page.goto(seen.stdout.decode().strip())
    page.wait_for_url(unit)
    expect(page.locator("main")).to_contain_text("Strip B's pole stays open.")
