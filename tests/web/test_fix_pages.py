"""Fix, prove, parts and the bench over HTTP."""

import io
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from uuid import uuid4

import pytest
from flask import Flask
from flask.testing import FlaskClient

from plentar.core.work.ledger import DEAD, leads_of
from plentar.core.work.proof import BEFORE_POWER
from plentar.demo.scenario import SHELF
from plentar.formats.parts_csv import PARTS
from tests.actions import event, send
from tests.application import ShopOf, flat, problems, reasons, sign_in

HTMX = {"HX-Request": "true"}


def post(client: FlaskClient, url: str, **form: str) -> tuple[int, str]:
    """Send one form of the fix page."""
    answer = client.post(url, data={"item_id": str(uuid4()), **form}, headers=HTMX)
    return answer.status_code, answer.text


def read(client: FlaskClient, shop: ShopOf, point: str, value: str) -> None:
    """Keep a reading."""
    form = {"reading_id": str(uuid4()), "point": point, "value": value}
    assert client.post(f"{shop.url}/readings", data=form, headers=HTMX).status_code == 200


def prove_all(client: FlaskClient, shop: ShopOf) -> None:
    """Take every reading that the proof of a two-strip unit asks for."""
    for switch, readings in (
        ("", (("amps:strip-a", "0"), ("amps:strip-b", "0"))),
        ("G=on", (("amps:blower", "2.5"),)),
        ("G=off", ()),
        (
            "W=on",
            (
                ("volts:feed-1.l1:feed-1.l2", "238"),
                ("amps:strip-a", "20.5"),
                ("amps:strip-b", "20.4"),
                ("amps:blower", "2.5"),
            ),
        ),
        ("G=on", (("amps:feed-1", "43"),)),
        ("G=off", ()),
    ):
        if switch:
            client.post(f"{shop.url}/condition", data={"switch": switch})
        for point, value in readings:
            read(client, shop, point, value)


def test_why_a_breaker_was_found_off_is_asked_only_where_one_was(client: FlaskClient, shop: ShopOf) -> None:
    """No such line on a call that found every breaker on; there once one was found off."""
    line = "/fix/checks/breaker"
    assert line not in client.get(f"{shop.url}/fix/prove").text
    seen = {"observation_id": str(uuid4()), "kind": "breaker-off", "state": "found"}
    assert client.post(f"{shop.url}/observations", data=seen, headers=HTMX).status_code == 200
    assert line in client.get(f"{shop.url}/fix/prove").text


def test_a_switch_flipped_in_a_step_leaves_one_in_it(client: FlaskClient, shop: ShopOf) -> None:
    """The strip stands beside every step: after a tap on it the ledger is still open, run sheet and board fresh."""
    form = {"switch": "G=on", "panel": "fix", "part": "seq-a", "switch_id": str(uuid4())}
    body = client.post(f"{shop.url}/condition", data=form, headers=HTMX).text
    assert 'data-panel="fix"' in body
    assert f'action="{shop.url}/fix/ledger"' in body
    assert "data-lands" in body
    for panel in ("timing", "blower", "control", "prove"):
        form = {"switch": "G=off", "panel": panel, "switch_id": str(uuid4())}
        assert f'data-panel="{panel}"' in client.post(f"{shop.url}/condition", data=form, headers=HTMX).text


def test_a_repair_from_ledger_to_proof(client: FlaskClient, shop: ShopOf) -> None:
    """A dead terminal is caught, put right; power waits for its list; the call waits for its proof."""
    url = f"{shop.url}/fix"
    ends = leads_of(shop.plate, "seq-a")
    astray = next(end for end in ends if end.terminal == "seq-a.pole-2.load")
    code, body = post(client, f"{url}/ledger", part="seq-a", **{f"after:{astray.lead}": DEAD})
    assert code == 200
    assert "ledger.sits-terminal-no-contact-behind" in reasons(body)
    code, body = post(client, f"{url}/power")
    assert code == 422, "said first"
    assert problems(body) == ["power"]
    assert "visit.not-ticked" in reasons(body)
    for name, _ in BEFORE_POWER:
        assert post(client, f"{url}/checks/{name}")[0] == 200
    code, body = post(client, f"{url}/power")
    assert code == 422
    assert problems(body) == ["power"]
    assert "visit.loose-end" in reasons(body)
    code, body = post(client, f"{url}/power", confirm="yes")
    assert code == 200, "and then recorded as the fact it is"
    assert 'data-warned="1"' in body
    assert "ledger.right" in reasons(post(client, f"{url}/ledger", part="seq-a")[1])
    closing = client.post(f"{shop.url}/close", data={"outcome": "done"}, headers=HTMX)
    assert (closing.status_code, problems(closing.text)) == (422, ["outcome"])
    code, body = post(client, f"{url}/proof")
    assert code == 422
    assert problems(body) == ["reason"]
    prove_all(client, shop)
    code, body = post(client, f"{url}/proof")
    assert code == 422, "a lead was moved after power was on"
    assert "visit.changed-since-power-on" in reasons(body)
    client.post(f"{shop.url}/condition", data={"switch": "W=off"})
    assert post(client, f"{url}/power", confirm="yes")[0] in (200, 204)
    prove_all(client, shop)
    code, body = post(client, f"{url}/proof")
    assert code == 200, body
    # Supply under load, both strips of the sequencer, the blower, nothing calling.
    assert 'data-proven="5"' in body
    assert client.post(f"{shop.url}/close", data={"outcome": "done"}, headers=HTMX).status_code == 200


def test_a_call_may_be_closed_unproven_with_a_reason(client: FlaskClient, shop: ShopOf) -> None:
    """The reason stands on the page; without a repair nothing needs proving."""
    url = f"{shop.url}/fix"
    assert post(client, f"{url}/parts", name="sequencer", minutes="35", price="48.50")[0] == 200
    assert client.post(f"{shop.url}/close", data={"outcome": "done"}, headers=HTMX).status_code == 422
    assert "owner sent us off" in post(client, f"{url}/proof", reason="owner sent us off")[1]
    assert client.post(f"{shop.url}/close", data={"outcome": "done"}, headers=HTMX).status_code == 200


def test_all_read_well_is_not_proven_under_a_lock_nor_before_power_is_back(client: FlaskClient, shop: ShopOf) -> None:
    """Readings from before power went back prove nothing; with a lock still on, proven waits for a reason."""
    url = f"{shop.url}/fix"
    prove_all(client, shop)
    client.post(f"{shop.url}/condition", data={"switch": "W=off"})
    assert post(client, f"{url}/power", confirm="yes")[0] in (200, 204)
    code, body = post(client, f"{url}/proof")
    assert code == 422, "all of it was read before"
    prove_all(client, shop)
    send(client, shop, event("lock", feed="feed-1"))
    code, body = post(client, f"{url}/proof")
    assert code == 422
    assert "visit.s-lock-still-owner-takes" in reasons(body)
    send(client, shop, event("lock", feed="feed-1", is_on=False))
    # Nobody said what was repaired: the fan's own call is asked for too.
    assert 'data-proven="6"' in post(client, f"{url}/proof")[1]


def test_low_impedance_mode_is_a_way_of_reading_volts(client: FlaskClient, shop: ShopOf) -> None:
    """Amps in that mode are no reading."""
    [answer] = send(client, shop, event("reading", point="amps:strip-a", typed="20.8", mode="low impedance"))
    assert (answer["answer"], answer["field"]) == ("refused", "mode")


def test_a_temporary_measure_is_due_on_today_until_made_right(client: FlaskClient, shop: ShopOf) -> None:
    """Tagged with what the house has left; on Today when due; gone once made right."""
    today = datetime.now(UTC).date()
    form = {"circuit": "strip-b", "how": "leads capped", "tag": "B off", "due": today.isoformat()}
    code, body = post(client, f"{shop.url}/fix/temporary", **form)
    assert code == 200
    assert "5 of 10 kW" in body
    page = flat(client.get("/today").text)
    assert "Strip B off, leads capped" in page
    done = page.split("/temporary/")[1].split("/done")[0]
    client.post(f"{shop.url}/fix/temporary/{done}/done", data={"from": "today"})
    assert "Strip B off, leads capped" not in flat(client.get("/today").text)
    for changes, field in (
        ({"due": (today - timedelta(days=2)).isoformat()}, "due"),
        ({"due": ""}, "due"),
        ({"circuit": "strip-z"}, "circuit"),
        ({"tag": ""}, "tag"),
    ):
        code, body = post(client, f"{shop.url}/fix/temporary", **{**form, **changes})
        assert (code, problems(body)) == (422, [field])


@pytest.mark.parametrize(
    ("where", "form", "field"),
    [
        ("parts", {"name": ""}, "name"),
        ("parts", {"name": "x", "minutes": "long"}, "minutes"),
        ("approvals", {"who": "", "what": "x"}, "who"),
        ("ledger", {"part": "seq-z"}, "part"),
        ("checks/nonsense", {}, "check"),
    ],
)
def test_mistakes_are_told_and_what_is_typed_stays(
    client: FlaskClient, shop: ShopOf, where: str, form: dict[str, str], field: str
) -> None:
    """422 and a message at the field."""
    code, body = post(client, f"{shop.url}/fix/{where}", **form)
    assert (code, problems(body)) == (422, [field])


def test_parts_go_out_and_come_in_by_csv(lead: FlaskClient, shop: ShopOf) -> None:
    """The whole shelf survives; a bad cell is told with line and column and nothing is taken in."""

    def send(text: str | bytes) -> tuple[int, str]:
        data = text.encode() if isinstance(text, str) else text
        answer = lead.post("/parts", data={"file": (io.BytesIO(data), "p.csv")}, content_type="multipart/form-data")
        return answer.status_code, answer.text

    assert PARTS.read(PARTS.write(SHELF)) == list(SHELF)
    for text, told in (
        ("", ""),
        ("a,b\n1,2\n", ""),
        ("name,kind\n", ""),
        ("name,kind,poles\nx,sequencer,many\n", "line 2, poles"),
        ("name,kind,poles\nx,teapot,1\n", "line 2"),
        (b"\xff\xfe\x00\x01", ""),
    ):
        code, body = send(text)
        assert (code, problems(body)) == (422, ["file"]), text
        assert told in body
    assert len(lead.get("/parts.csv").text.splitlines()) == 1, "the header alone"
    assert send(PARTS.write(SHELF))[0] == 302
    assert PARTS.read(lead.get("/parts.csv").text) == sorted(SHELF, key=lambda part: part.name)
    check = lead.get(f"{shop.url}/part-check?device=seq-a&part=Generic blower relay SPDT").text
    assert "substitution.never-fit-blower-relay-as" in reasons(check)


def test_a_stranger_sees_neither_fix_nor_parts(app: Flask, make_shop: Callable[..., ShopOf]) -> None:
    """404 everywhere, also for another shop's due measure."""
    mine, theirs = make_shop(), make_shop()
    owner, stranger = sign_in(app, theirs), sign_in(app, mine)
    due = datetime.now(UTC).date().isoformat()
    post(owner, f"{theirs.url}/fix/temporary", circuit="strip-b", how="capped", tag="B", due=due)
    item = owner.get("/today").text.split("/temporary/")[1].split("/done")[0]
    assert stranger.get(f"{theirs.url}/fix").status_code == 404
    assert stranger.get(f"{theirs.url}/part-check").status_code == 404
    assert stranger.post(f"{theirs.url}/fix/temporary/{item}/done").status_code == 404
    assert stranger.post(f"{mine.url}/fix/temporary/{item}/done").status_code == 404
    assert post(stranger, f"{theirs.url}/fix/parts", name="x")[0] == 404


def test_the_bench_shows_links_and_refuses(client: FlaskClient) -> None:
    """Right as it opens; a wrong landing says why; a landing that is none is told; SVG and card come."""
    assert "interlock.correct-fan-call-runs-blower" in reasons(client.get("/bench/interlock").text)
    back_feed = "/bench/interlock?com=strip&no=L2&nc=strip"
    assert "Back-feed" in client.get(back_feed).text
    refused = client.get("/bench/interlock?com=moon")
    assert refused.status_code == 422
    assert "got &#39;moon&#39;" in refused.text
    assert client.get("/bench/interlock.svg?no=L2&nc=strip").text.startswith("<svg")
    assert "data-refused" in client.get("/bench/interlock/card?no=L2&nc=strip&old=coil-13&new=coil-45").text


def test_the_part_picked_goes_into_the_fix_with_its_cost(lead: FlaskClient, shop: ShopOf) -> None:
    """Two of a part for one device, priced from the shelf; only the failed one stands beside all of its age."""
    labels = io.BytesIO(PARTS.write([replace(SHELF[0], name="One pole", poles=1)]).encode())
    lead.post("/parts", data={"file": (labels, "p.csv")}, content_type="multipart/form-data")
    check = flat(lead.get(f"{shop.url}/part-check?device=seq-a").text)
    assert "2 × One pole" in check
    page = flat(lead.get(f"{shop.url}/fix?fit=2 × One pole").text)
    assert 'value="2 × One pole"' in page
    assert 'value="77.00"' in page
    form = {"name": "2 × One pole", "price": "77.00", "shelf_price": "77.00", "choice": "all 2 of the same age"}
    assert "154.00" in post(lead, f"{shop.url}/fix/parts", **form)[1]
    assert "80.00" in post(lead, f"{shop.url}/fix/parts", **{**form, "price": "80"})[1]
    assert lead.get(f"{shop.url}/fix?fit=9 × nothing of ours").status_code == 200


def test_the_bench_opens_as_the_unit_is_landed_and_is_kept_in_the_call(client: FlaskClient, shop: ShopOf) -> None:
    """From the call with this unit's own relay; changed there, what it does is a line of the call and of its paper."""
    opened = client.get(f"/bench/calls/{shop.call_id}")
    assert "no=L2&nc=strip" in opened.headers["Location"]
    bench = client.get(opened.headers["Location"]).text
    assert f'action="/bench/calls/{shop.call_id}"' in bench
    sent = {"item_id": str(uuid4()), "query": "?com=none&no=L2&nc=none&fixed=L1&blower_on=com"}
    assert client.post(f"/bench/calls/{shop.call_id}", data=sent).status_code == 302
    kept = "Interlock wiring: COM on the blower, NO on L2, NC on nothing"
    for place in ("blower", "report"):
        assert kept in flat(client.get(f"{shop.url}/{place}").text)
    wrong = {"item_id": str(uuid4()), "query": "?com=moon"}
    assert client.post(f"/bench/calls/{shop.call_id}", data=wrong).status_code == 422
