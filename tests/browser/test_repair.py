"""Blower, control side, repair and proof in a real browser."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from PIL import Image
from playwright.sync_api import Page, expect
from sqlalchemy import Engine

from plentar.core.circuit.places import terminal_words
from plentar.core.work.ledger import DEAD, leads_of
from plentar.demo.scenario import SHELF
from plentar.formats.parts_csv import PARTS
from plentar.store.database import make_sessions
from plentar.store.stock import put_parts
from plentar.words import render
from tests.application import ShopOf
from tests.browser.conftest import LAPTOP, PHONE, sign_in
from tests.browser.test_calls import HiddenFault
from tests.browser.test_slice import serious


def press(page: Page, name: str) -> None:
    """Press a toggle and wait until it is down."""
    page.get_by_role("button", name=name, exact=True).click()
    expect(page.get_by_role("button", name=name, exact=True)).to_have_attribute("aria-pressed", "true")


@pytest.mark.parametrize(
    ("fault", "runs", "contact", "driven"),
    [
        pytest.param("blower-relay.no.open", {"G": False, "W": True, "W and G": False}, "no", True, id="NO dead"),
        pytest.param("blower-relay.nc.open", {"G": True, "W": False, "W and G": True}, "nc", False, id="NC dead"),
    ],
)
def test_a_dead_relay_contact_is_found_by_the_four_rows_and_proven_off_circuit(
    open_page: Callable[..., Page],
    shop: ShopOf,
    engine: Engine,
    fault: str,
    runs: dict[str, bool],
    contact: str,
    driven: bool,
) -> None:
    """What was seen makes the relay a suspect; continuity with its leads off, coil driven or not, names the contact."""
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto(f"{shop.url}/blower")
    for name, moves in {**runs, "nothing": False}.items():
        press(page, f"call {name}")
        press(page, f"{name}: blower {'runs' if moves else 'off'}")
    expect(page.locator("#checks")).to_contain_text("wrong")
    hidden = HiddenFault(page, shop, engine, fault)
    page.goto(shop.url)
    hidden.prove_dead()
    if driven:
        page.get_by_role("button", name="Control is verified dead, switch to separate source").click()
        expect(page.get_by_role("button", name="Control is separate source, switch to off")).to_be_visible()
        page.get_by_role("button", name="G call", exact=True).click()
        expect(page.get_by_role("button", name="G call", exact=True)).to_have_attribute("aria-pressed", "true")
    hidden.keep(f"volts:blower-relay.com:blower-relay.{contact}", "0.1")
    hidden.keep(f"ohms:blower-relay.{contact}", "OL")
    expect(page.locator("#verdict")).to_contain_text("fail: open")
    expect(page.locator("#findings ol > li").first).to_contain_text("Blower relay")
    expect(page.locator("#findings ol > li").first).to_contain_text(contact.upper())


def test_a_back_feed_is_seen_on_the_bench_and_put_right(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """By tapping terminal and place on the drawing: the plain wire off COM makes it correct; back undoes."""
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto("/bench/interlock?com=strip&no=L2&nc=strip")
    expect(page.get_by_role("status")).to_contain_text("carries the strip's")
    expect(page.locator(".bench-board")).to_contain_text("Back-feed: a call for fan heats the strip")
    page.get_by_role("link", name="COM on nothing").click()
    expect(page.get_by_role("status")).to_contain_text("Correct")
    page.get_by_role("link", name="pick NC").click()
    page.get_by_role("link", name="land NC on L1").click()
    expect(page.get_by_role("status")).to_contain_text("Heat without air")
    page.go_back()
    page.go_back()
    expect(page.get_by_role("status")).to_contain_text("Correct")


def test_a_control_overload_is_traced_to_a_shorted_coil(
    open_page: Callable[..., Page], shop: ShopOf, engine: Engine
) -> None:
    """Heat adds far too much; the heater's ohms are a short; the suspects lead with it."""
    page = open_page(LAPTOP)
    sign_in(page, shop)
    hidden = HiddenFault(page, shop, engine, "seq-a.coil.shorted", variant=5)
    page.goto(shop.url)
    for calls in (frozenset[str](), frozenset({"W"})):
        hidden.set_calls(calls)
        hidden.read("amps:control", calls)
    page.goto(f"{shop.url}/control")
    heat = page.locator(".check-row").nth(3)
    expect(heat).to_contain_text("draws too much")
    page.goto(shop.url)
    hidden.prove_dead()
    hidden.read("ohms:seq-a.coil", frozenset())
    expect(page.locator("#verdict")).to_contain_text("shorted turns")
    expect(page.locator("#findings ol > li").first).to_contain_text("Seq A heater shorted")


def test_an_ac_part_for_a_dc_relay_bypasses_the_rectifier(
    open_page: Callable[..., Page], make_shop: Callable[..., ShopOf], engine: Engine
) -> None:
    """The part check allows it with changes: 24 VAC ahead of the board, adaptor leads; a blower relay is refused."""
    shop = make_shop("three-strip-dc-relay")
    with make_sessions(engine).begin() as db:
        put_parts(db, shop_id=shop.shop.id, labels=[(part.name, PARTS.to_json(part)) for part in SHELF])
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto(f"{shop.url}/fix")
    page.get_by_role("link", name="Part check").click()
    page.get_by_role("link", name="Relay B").click()
    page.get_by_role("link", name="Generic AC heat relay 25 A").click()
    expect(page.get_by_label("Line by line")).to_contain_text("Use the 24 VAC ahead of the rectifier")
    expect(page.get_by_label("Line by line")).to_contain_text("moves from the board's output to its 24 VAC input")
    expect(page.get_by_label("Line by line")).to_contain_text("leave the harness uncut")
    page.get_by_role("link", name="Generic blower relay SPDT").click()
    expect(page.get_by_label("Line by line")).to_contain_text("Never use a blower relay as a heat contact")


def test_a_lead_on_a_dead_terminal_is_caught_by_ledger_and_by_proof(
    open_page: Callable[..., Page], shop: ShopOf, engine: Engine
) -> None:
    """The ledger says so; power back on all the same, strip B stays cold and the repair is not proven."""
    page = open_page(LAPTOP)
    sign_in(page, shop)
    page.goto(f"{shop.url}/fix?part=seq-a")
    astray = next(end for end in leads_of(shop.plate, "seq-a") if end.terminal == "seq-a.pole-2.load")
    page.locator(f'[name="after:{astray.lead}"]').select_option(DEAD)
    page.get_by_role("button", name="Save wire list").click()
    expect(page.locator("#fixing")).to_contain_text("is on a terminal with no contact behind it")
    page.get_by_label("Run sheet").get_by_role("link", name="Finish").click()
    ticks = page.locator('.tick[aria-pressed="false"]')
    expect(ticks.first).to_be_visible()
    for left in range(ticks.count(), 0, -1):
        ticks.first.click()
        expect(ticks).to_have_count(left - 1)
    page.get_by_role("button", name="Power back on (stand aside)").click()
    expect(page.locator("#fixing")).to_contain_text("before you switch it on: The lead from")
    page.get_by_role("button", name="Power is already back on. Record it.").click()
    expect(page.locator("#fixing")).to_contain_text("Readings from here on are the proof")
    hidden = HiddenFault(page, shop, engine, "strip-b.element.open")
    page.goto(shop.url)
    hidden.set_calls(frozenset({"W"}))
    for point in ("volts:feed-1.l1:feed-1.l2", "amps:strip-a", "amps:strip-b", "amps:blower"):
        hidden.read(point, frozenset({"W"}))
    page.goto(f"{shop.url}/fix/prove")
    cold = page.locator(".proof-row", has_text="Strip B, heat calling")
    expect(cold).to_contain_text("fail: dead")
    page.get_by_label("Why it stays unproven").fill("")
    page.get_by_role("button", name="Leave unproven").click()
    expect(page.get_by_role("alert")).to_contain_text("not proven yet")


@pytest.mark.parametrize("size", [LAPTOP, PHONE], ids=["laptop", "phone"])
def test_the_ledger_is_made_by_tapping_terminals(
    open_page: Callable[..., Page], shop: ShopOf, size: dict[str, int], tmp_path: Path
) -> None:
    """A tap lands the marked lead and marks the next; two leads swapped are told apart; the photo stands beside."""
    page = open_page(size)
    sign_in(page, shop)
    page.goto(f"{shop.url}/fix?part=seq-a")
    heater = [end for end in leads_of(shop.plate, "seq-a") if ".pole-" not in end.terminal]
    one, two = heater[0], heater[1]
    board = page.get_by_label("Board, terminals of this part")
    page.locator(f'[name="after:{one.lead}"]').focus()
    expect(board.get_by_role("status")).to_contain_text(f"Now, lead {render(one.words)}")
    board.locator(f'[data-terminal="{two.terminal}"]').click()
    expect(page.locator(f'[name="after:{one.lead}"]')).to_have_value(two.terminal)
    expect(board.get_by_role("status")).to_contain_text("Before, lead")
    page.get_by_role("button", name="Save wire list").click()
    expect(page.locator("#fixing")).to_contain_text(f"2 leads on {render(terminal_words(shop.plate, two.terminal))}")
    picture = tmp_path / "leads.jpg"
    Image.new("RGB", (640, 480), "#884422").save(picture, "JPEG")
    page.get_by_label("Photo, before the leads come off").set_input_files(picture)
    page.get_by_role("button", name="Save photo").click()
    expect(page.get_by_alt_text("leads before they came off")).to_be_visible()
    page.goto(f"{shop.url}/report")
    expect(page.locator(".paper")).to_contain_text("Leads of Seq A")


@pytest.mark.parametrize("size", [LAPTOP, PHONE], ids=["laptop", "phone"])
def test_no_key_moves_away_when_the_first_digit_is_judged(
    open_page: Callable[..., Page], shop: ShopOf, size: dict[str, int]
) -> None:
    """The verdict of what is being typed appears, and the button under the thumb stays where it was."""
    page = open_page(size)
    sign_in(page, shop)
    page.goto(f"{shop.url}?point=volts:feed-1.l1:feed-1.l2")
    button = page.get_by_role("button", name="Save", exact=True)
    before = button.bounding_box()
    page.locator(".entry").fill("14")
    expect(page.locator("#verdict")).to_contain_text("fail")
    assert button.bounding_box() == before


def test_a_temporary_measure_shows_up_as_due(open_page: Callable[..., Page], shop: ShopOf) -> None:
    """Tagged on a phone, due today, made right from Today."""
    page = open_page(PHONE)
    sign_in(page, shop)
    page.goto(f"{shop.url}/fix")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.get_by_text("Temporary repair", exact=True).click()
    page.get_by_label("Stage that is off").select_option("strip-b")
    page.get_by_label("How").fill("feed leads capped")
    page.get_by_label("Tag says").fill("B off, part on order")
    page.get_by_label("Until").fill((datetime.now(UTC).date() + timedelta(days=1)).isoformat())
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#fixing")).to_contain_text("5 of 10 kW left to heat with")
    page.goto("/today")
    expect(page.locator(".due")).to_contain_text("Strip B off, feed leads capped")
    page.get_by_role("button", name="Done").click()
    expect(page.locator(".due")).to_have_count(0)


@pytest.mark.parametrize("size", [PHONE], ids=["phone"])
def test_the_new_pages_have_nothing_serious(open_page: Callable[..., Page], shop: ShopOf, size: dict[str, int]) -> None:
    """The accessibility checker on bench, blower, control, fix, parts and part check; nothing wider than the screen."""
    page = open_page(size)
    sign_in(page, shop)
    found = {}
    for path in (
        "/bench/interlock?com=strip&no=L2&nc=strip&pick=no",
        "/bench/interlock/card?no=L2&nc=strip&old=coil-13&new=coil-45",
        f"{shop.url}/blower",
        f"{shop.url}/control",
        f"{shop.url}/fix?part=seq-a",
        f"{shop.url}/fix/prove",
        "/parts",
        f"{shop.url}/part-check",
    ):
        page.goto(path)
        found[path] = serious(page)
        assert page.evaluate("document.documentElement.scrollWidth") <= size["width"], path
    assert {path: problems for path, problems in found.items() if problems} == {}
