"""What was begun and done, set right: undo, complaint, place, what was made by mistake, signatures, shared papers."""

import json
import re
from collections.abc import Callable
from uuid import uuid4

import pytest
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import Engine, text
from werkzeug.test import TestResponse

from plentar.core.work.undo import undo_id
from tests.actions import call_heat, event, send
from tests.application import ShopOf, flat, problems, sign_in

HTMX = {"HX-Request": "true"}
LINE = "volts:feed-1.l1:feed-1.l2"


def call_row(engine: Engine, shop: ShopOf, *columns: str) -> tuple[object, ...]:
    """What the call's row keeps."""
    with engine.connect() as db:
        query = text(f"select {', '.join(columns)} from call where id = :call")  # noqa: S608 - the test's own columns
        return tuple(db.execute(query, {"call": shop.call_id}).one())


def undone(client: FlaskClient, shop: ShopOf, event_id: str) -> TestResponse:
    """Tap undo for an event."""
    return client.post(f"{shop.url}/undo", data={"event_id": event_id, "point": LINE}, headers=HTMX)


def test_a_wrong_tap_is_taken_back_once_however_often_it_is_tapped(client: FlaskClient, shop: ShopOf) -> None:
    """The button stands on the page and names what it takes back; a double tap takes back one thing, not two."""
    first, second = event("reading", point=LINE, typed="240"), event("switch", what="W", state="on")
    send(client, shop, first, second)
    page = client.get(shop.url).text
    assert second["id"] in page
    assert f'action="{shop.url}/undo"' in page
    assert undone(client, shop, second["id"]).status_code == 200
    again = undone(client, shop, second["id"])
    assert again.status_code == 200
    assert first["id"] in again.text, "the reading is still there, and next to be taken back"
    kept = client.get(f"{shop.url}/call.json").json
    assert kept is not None
    assert [reading["value"] for reading in kept["readings"]] == [240.0]
    refused = undone(client, shop, str(uuid4()))
    assert refused.status_code == 422
    assert problems(refused.text) == ["id"]


def test_undo_is_the_same_action_from_everywhere(client: FlaskClient, shop: ShopOf) -> None:
    """A phone that sends the undo as an event and a form that does: one action."""
    sent = event("seen", sign="smell")
    send(client, shop, sent)
    assert undone(client, shop, sent["id"]).status_code == 200
    back = {"id": undo_id(sent["id"]), "kind": "seen", "payload": {"sign": "smell", "state": "undone"}}
    [answer] = send(client, shop, back)
    assert answer["answer"] == "already kept"


def test_the_complaint_is_set_right_and_both_stand_on_record(client: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """The suspects go by the new one; a wrong figure keeps everything typed, beside its field."""
    form = {
        "complaints": ["no heat", "control fuse blows"],
        "words": "it hums",
        "at_risk": "infant",
        "outdoor": "-4",
        "indoor": "",
    }
    wrong = client.post(f"{shop.url}/amend", data={**form, "indoor": "hot"}, headers=HTMX)
    assert wrong.status_code == 422
    assert problems(wrong.text) == ["indoor"]
    assert "it hums" in wrong.text
    assert "checked" in re.findall(r'value="control fuse blows"([^>]*)', wrong.text)[0]
    answer = client.post(f"{shop.url}/amend", data=form, headers=HTMX)
    assert answer.status_code == 200
    kept = call_row(engine, shop, "complaints", "words", "at_risk", "outdoor_degf", "indoor_degf")
    assert kept == (["no heat", "control fuse blows"], "it hums", "infant", -4.0, None)
    page = client.get(f"{shop.url}?panel=complaint").text
    assert "data-amended" in page
    nothing = client.post(f"{shop.url}/amend", data={"complaints": [], "words": " "}, headers=HTMX)
    assert nothing.status_code == 422
    [unknown] = send(client, shop, event("amend", complaints=["bad vibes"]))
    assert unknown["answer"] == "refused"


def test_a_call_begun_by_mistake_is_taken_back_with_its_unit_and_place(
    lead: FlaskClient, shop: ShopOf, engine: Engine
) -> None:
    """While nothing is on it: the call, then the unit, then the place, each only when nothing hangs on it."""
    with engine.connect() as db:
        query = "select u.id, u.place_id from unit u join call c on c.unit_id = u.id where c.id = :call"
        unit, place = db.execute(text(query), {"call": shop.call_id}).one()
    there = f"/places/{place}"
    assert lead.post(f"{there}/units/{unit}/remove").status_code == 422
    assert lead.post(f"{there}/remove").status_code == 422
    assert lead.post(f"{shop.url}/withdraw", data={"reason": ""}, headers=HTMX).status_code == 422
    gone = lead.post(f"{shop.url}/withdraw", data={"reason": "wrong address"}, headers=HTMX)
    assert (gone.status_code, gone.headers["HX-Redirect"]) == (204, there)
    assert call_row(engine, shop, "status") == ("withdrawn",)
    assert str(shop.call_id) not in lead.get("/today").text
    assert lead.post(f"{there}/units/{unit}/remove").status_code == 302
    assert lead.post(f"{there}/remove").status_code == 302
    assert lead.get(there).status_code == 404
    assert "1 Test Row" not in lead.get("/calls/new?q=test").text


def test_a_call_with_anything_on_it_stays(client: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """One reading, and it cannot be taken back as if it had never been; the place is another shop's to nobody."""
    send(client, shop, event("reading", point=LINE, typed="240"))
    answer = client.post(f"{shop.url}/withdraw", data={"reason": "wrong address"}, headers=HTMX)
    assert answer.status_code == 422
    assert problems(answer.text) == ["withdrawn"]
    assert f'action="{shop.url}/withdraw"' not in client.get(f"{shop.url}?panel=complaint").text


def test_a_place_is_set_right_by_two_people_without_loss(
    app: Flask, client: FlaskClient, shop: ShopOf, make_shop: Callable[..., ShopOf], engine: Engine
) -> None:
    """Who changed what from what, and when; the second to save is told and keeps what they typed."""
    with engine.connect() as db:
        query = "select u.place_id from unit u join call c on c.unit_id = u.id where c.id = :call"
        place = db.execute(text(query), {"call": shop.call_id}).scalar_one()
    there = f"/places/{place}"
    form = {"version": "1", "name": "1 Test Row", "town": "Testing", "occupant": "R. Yarrow", "access_note": "hatch"}
    assert client.post(there, data=form).status_code == 302
    page = flat(client.get(there).text)
    assert re.search(r"occupant\b", page)
    assert "Pim Tester" in page
    late = client.post(there, data={**form, "occupant": "S. Yarrow"})
    assert late.status_code == 422
    assert problems(late.text) == ["version"]
    assert "S. Yarrow" in late.text
    assert client.post(there, data={**form, "version": "2", "name": ""}).status_code == 422
    stranger = sign_in(app, make_shop())
    assert stranger.get(there).status_code == 404
    assert stranger.post(there, data=form).status_code == 404


def signed(client: FlaskClient, shop: ShopOf, **form: str) -> TestResponse:
    """Sign the paper."""
    return client.post(f"{shop.url}/sign", data={"role": "owner", "name": "R. Yarrow", **form}, headers=HTMX)


def test_a_paper_is_signed_by_name_and_by_hand(client: FlaskClient, shop: ShopOf) -> None:
    """Nothing to sign before anything was read; then name, time and strokes stand on the paper, after closing too."""
    early = signed(client, shop)
    assert early.status_code == 422
    assert problems(early.text) == ["name"]
    send(client, shop, event("reading", point=LINE, typed="240"))
    assert signed(client, shop, name=" ").status_code == 422
    assert signed(client, shop, strokes="[[[0, 2000]]]").status_code == 422
    assert signed(client, shop, strokes="{oops").status_code == 422
    assert signed(client, shop, strokes="[[[10, 20], [30, 40]]]").status_code == 200
    client.post(f"{shop.url}/close", data={"outcome": "read the supply"}, headers=HTMX)
    assert signed(client, shop, role="technician", name="Pim Tester").status_code == 200
    paper = client.get(f"{shop.url}/report?reader=customer").text
    assert "M10 20L30 40" in paper
    assert re.search(r"<b>R\. Yarrow</b>, owner, signed", paper)
    assert re.search(r"<b>Pim Tester</b>, technician, signed", paper)


def shared(client: FlaskClient, shop: ShopOf) -> str:
    """Share the paper and return the link's path."""
    page = client.post(f"{shop.url}/share").text
    [link] = re.findall(r'value="https?://[^/]+(/shared/[\w-]+)"', page)
    return str(link)


def test_a_paper_is_read_by_whoever_has_the_link_and_by_nobody_else(
    app: Flask, client: FlaskClient, shop: ShopOf, make_shop: Callable[..., ShopOf], engine: Engine
) -> None:
    """No sign-in, no index, no referrer; opens are listed; taken back, lapsed and unknown links answer alike."""
    assert client.post(f"{shop.url}/share").status_code == 400, "nothing to share yet"
    send(client, shop, event("reading", point=LINE, typed="240"))
    link = shared(client, shop)
    token = link.rpartition("/")[2]
    assert len(token) >= 22, "128 bits"
    with engine.connect() as db:
        hashes = [bytes(row) for row in db.scalars(text("select token_hash from share_link"))]
    assert all(token.encode() not in kept for kept in hashes)
    owner = app.test_client()
    paper = owner.get(link)
    assert paper.status_code == 200
    assert 'class="paper' in paper.text
    assert "/sign-out" not in paper.text
    assert paper.headers["X-Robots-Tag"] == "noindex, nofollow"
    assert paper.headers["Referrer-Policy"] == "no-referrer"
    assert owner.get(f"{link}/paper.pdf").data.startswith(b"%PDF")
    listed = client.get(f"{shop.url}/report?reader=customer").text
    assert "opened 2 times" in listed
    assert token not in listed, "shown once"
    unknown = owner.get("/shared/AAAAAAAAAAAAAAAAAAAAAA")
    [link_id] = re.findall(r"/share/([\w-]+)/revoke", listed)
    stranger = sign_in(app, make_shop())
    assert stranger.post(f"{shop.url}/share/{link_id}/revoke").status_code == 404
    assert client.post(f"{shop.url}/share/{link_id}/revoke").status_code == 303
    revoked = owner.get(link)
    other = shared(client, shop)
    with engine.begin() as db:
        db.execute(text("update share_link set expires_at = now() - interval '1 second' where revoked_at is null"))
    lapsed = owner.get(other)
    stripped = {re.sub(r'data-now="[^"]*"', "", answer.text) for answer in (unknown, revoked, lapsed)}
    assert {answer.status_code for answer in (unknown, revoked, lapsed)} == {404}
    assert len(stripped) == 1


def test_sixty_opens_a_minute_from_one_address(app: Flask, engine: Engine) -> None:
    """The sixtieth is answered, the sixty-first waits; another address does not."""
    with engine.begin() as db:
        db.execute(text("delete from sign_in_guess where key like 'shared:%'"))
    visitor = app.test_client()
    codes = [visitor.get("/shared/nothing", environ_base={"REMOTE_ADDR": "192.0.2.7"}).status_code for _ in range(61)]
    assert codes == [404] * 60 + [429]
    assert visitor.get("/shared/nothing", environ_base={"REMOTE_ADDR": "192.0.2.8"}).status_code == 404


def test_the_paper_says_first_what_was_wrong_done_left_and_to_correct(client: FlaskClient, shop: ShopOf) -> None:
    """A dead strip left off with a tag: in that order, before any table, with the parts' sum and tax."""
    call_heat(client, shop, 400)
    send(client, shop, event("reading", point=LINE, typed="240"), event("reading", point="amps:strip-b", typed="0"))
    send(client, shop, event("cause", words="pole 2 burnt open", cause="age"))
    send(client, shop, event("part", name="Sequencer", price=84.5))
    due = {"circuit": "strip-b", "how": "leads off, capped", "tag": "B off", "due_on": "2030-01-05"}
    send(client, shop, event("temporary", **due))
    paper = client.get(f"{shop.url}/report?reader=customer").text
    short = paper[paper.index('class="short"') : paper.index("</dl>")]
    order = [short.index(f"<dt>{word}</dt>") for word in ("Found", "Done", "Left", "Still to do")]
    assert order == sorted(order)
    assert "pole 2 burnt open" in short
    assert "2030-01-05" in short
    assert "Test shop" in short, "who corrects it"
    assert "$84.50" in paper
    assert json.dumps("strip-b") not in paper
    assert paper.index("</dl>") < paper.index("<table")


@pytest.mark.parametrize(("percent", "total"), [(0.0, "$84.50"), (8.25, "$91.47")])
def test_parts_are_summed_with_the_shops_tax(
    client: FlaskClient, shop: ShopOf, engine: Engine, percent: float, total: str
) -> None:
    """84.50 and 8.25 % of it, 6.97, by hand."""
    with engine.begin() as db:
        db.execute(text("update shop set tax_percent = :p where id = :shop"), {"p": percent, "shop": shop.shop.id})
    send(client, shop, event("part", name="Sequencer", price=84.5))
    paper = client.get(f"{shop.url}/report").text
    assert f'<td class="num">{total}</td></tr>\n  </tbody>' in paper
    assert ("Tax, 8.25 %" in paper) == bool(percent)


def test_a_run_in_which_nothing_was_timed_is_taken_back(client: FlaskClient, shop: ShopOf) -> None:
    """Called and dropped with no stage tapped: one button, and the next run is the first again by what is shown."""
    url = f"{shop.url}/timing"
    for what in ("call", "drop"):
        client.post(url, data={"what": what, "stamp_id": str(uuid4())})
    assert 'value="undo:call"' in client.get(url).text
    client.post(url, data={"what": "undo:call", "stamp_id": str(uuid4())})
    assert 'value="undo:call"' not in client.get(url).text
    client.post(url, data={"what": "call", "stamp_id": str(uuid4())})
    client.post(url, data={"what": "on:strip-a", "stamp_id": str(uuid4())})
    assert 'value="undo:call"' not in client.get(url).text


def test_a_part_fitted_for_a_cause_is_one_part_of_the_unit(client: FlaskClient, shop: ShopOf) -> None:
    """The link that went in for an open link is that link; a filter fitted beside it is a part of its own."""
    send(client, shop, event("cause", words="Strip B link open", faults=["strip-b.link.open"], cause="dirty filter"))
    send(client, shop, event("part", name="Fusible link 167 °C"), event("part", name="Filter 16 × 25"))
    send(client, shop, event("closed", outcome="link replaced", reason="seen heating"))
    page = client.get(f"/units/{shop.unit_id}").text
    parts = page[page.index("Parts and their age") : page.index(">Calls<")]
    assert "Fusible link 167" not in parts
    assert "Filter 16" in parts
