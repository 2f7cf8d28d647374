"""The pages over HTTP: what is kept, what is refused and how, and who may see it."""

import re
from collections.abc import Callable
from pathlib import Path
from uuid import uuid4

import pytest
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import Engine, text

from plentar.demo import DEMO_EMAIL, DEMO_PASSWORD
from plentar.web.serving.errors import WORDS
from plentar.web.serving.settings import Settings, SettingsError
from tests import ROOT
from tests.application import PASSWORD, ShopOf, application, flat, problems, sign_in

HTMX = {"HX-Request": "true"}
LINE = "volts:feed-1.l1:feed-1.l2"


def send(client: FlaskClient, shop: ShopOf, point: str, value: str, **more: str) -> str:
    """Type a reading into the pad, htmx-like, and return the fragments that come back."""
    form = {"reading_id": str(uuid4()), "point": point, "value": value, **more}
    return flat(client.post(f"{shop.url}/readings", data=form, headers=HTMX).text)


def test_a_reading_comes_back_judged_with_only_what_it_changed(client: FlaskClient, shop: ShopOf) -> None:
    """Verdict, band, source and meter uncertainty in words; board, run sheet and findings beside, no whole page."""
    client.post(f"{shop.url}/condition", data={"switch": "W=on"})
    send(client, shop, LINE, "208")
    body = send(client, shop, "amps:strip-a", "18,1")
    assert "<html" not in body
    assert "pass" in body
    assert "+0.2 %" in body
    assert all(edges in body for edges in ("16.3 to 19.0", "15.3 to 19.9"))
    assert "Test meter" in body
    for region in ("board", "runsheet", "findings", "strip"):
        assert f'id="{region}"' in body


@pytest.mark.parametrize("pattern", ["two-strip-sequencer", "six-strip-chained"])
def test_a_swap_and_a_first_load_stay_small(app: Flask, make_shop: Callable[..., ShopOf], pattern: str) -> None:
    """At most 20 KB for one swap and 200 KB for the first load with everything it needs, over the wire."""
    shop = make_shop(pattern)
    client = sign_in(app, shop)
    packed = {"Accept-Encoding": "gzip"}
    form = {"reading_id": str(uuid4()), "point": LINE, "value": "240"}
    assert len(client.post(f"{shop.url}/readings", data=form, headers={**HTMX, **packed}).data) < 20_000
    page = client.get(shop.url)
    needed = set(re.findall(r'(?:href|src)="(/static/[^"]+)"', page.text)) | {
        f"/static/dist/fonts/{face}.woff2" for face in ("next", "mono")
    }
    total = 0
    for url in {shop.url, *needed}:
        with client.get(url, headers=packed) as load:
            assert load.status_code == 200
            total += len(load.data)
    assert total < 200_000


@pytest.mark.parametrize(
    ("typed", "message"),
    [
        pytest.param("2O", "expected a number such as 20.6, got “2O”", id="a letter O"),
        pytest.param("", "enter what the meter shows", id="nothing"),
        pytest.param("-4", "expected a number such as 20.6, got “-4”", id="below zero"),
        pytest.param("9" * 41, "longer than any meter", id="too long"),
    ],
)
def test_bad_numbers_are_refused_beside_the_field(client: FlaskClient, shop: ShopOf, typed: str, message: str) -> None:
    """422 with the message, and what was typed still in the field."""
    answer = client.post(
        f"{shop.url}/readings",
        data={"reading_id": str(uuid4()), "point": "amps:strip-a", "value": typed},
        headers=HTMX,
    )
    assert answer.status_code == 422
    assert message in answer.text
    assert f'value="{typed}"' in answer.text


def test_a_tenfold_reading_is_asked_about_and_one_tap_answers(client: FlaskClient, shop: ShopOf) -> None:
    """208 A is kept and asked about; the tap keeps 20.8 A instead, the first voided with why."""
    client.post(f"{shop.url}/condition", data={"switch": "W=on"})
    send(client, shop, LINE, "240")
    body = send(client, shop, "amps:strip-a", "208")
    assert 'data-kind="asked"' in body
    assert 'form="asked"' in body
    asked = body[body.index("data-meant") :]
    form = dict(re.findall(r'name="(reading_id|point|value|supersedes|reason)" value="([^"]*)"', asked)[:5])
    assert (form["point"], form["value"]) == ("amps:strip-a", "20.8")
    answer = client.post(f"{shop.url}/readings", data=form, headers=HTMX)
    assert answer.status_code == 200
    assert 'data-kind="asked"' not in answer.text
    report = client.get(f"{shop.url}/report").text
    assert "line-through" in report
    assert "208" in report


def test_a_double_tap_is_one_reading(client: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """The same form twice is one row; the same id with another number asks once more and keeps the number."""
    form = {"reading_id": str(uuid4()), "point": LINE, "value": "240"}
    for _ in range(2):
        assert client.post(f"{shop.url}/readings", data=form, headers=HTMX).status_code == 200
    changed = client.post(f"{shop.url}/readings", data={**form, "value": "241"}, headers=HTMX)
    assert changed.status_code == 422
    assert 'value="241"' in changed.text
    assert f'name="reading_id" value="{form["reading_id"]}"' not in changed.text
    with engine.connect() as db:
        assert (
            db.scalar(text("select count(*) from event where call_id = :c and kind = 'reading'"), {"c": shop.call_id})
            == 1
        )


@pytest.mark.parametrize("point", ["amps:strip-z", "volts:feed-7.l1:feed-7.l2", "amps:" + "x" * 150, "nonsense"])
def test_a_point_of_another_unit_is_refused(client: FlaskClient, shop: ShopOf, point: str) -> None:
    """No reading is kept for what the unit does not have."""
    answer = client.post(
        f"{shop.url}/readings", data={"reading_id": str(uuid4()), "point": point, "value": "1"}, headers=HTMX
    )
    assert answer.status_code == 422
    assert problems(answer.text) == ["point"]


def test_a_correction_needs_a_reason_and_strikes_the_first_through(client: FlaskClient, shop: ShopOf) -> None:
    """Without a reason it is refused; with one, both are on the report."""
    first = str(uuid4())
    client.post(f"{shop.url}/readings", data={"reading_id": first, "point": LINE, "value": "204"}, headers=HTMX)
    assert problems(send(client, shop, LINE, "240", supersedes=first)) == ["reason"]
    send(client, shop, LINE, "240", supersedes=first, reason="misread the display")
    report = client.get(f"{shop.url}/report").text
    assert "misread the display" in report
    assert "line-through" in report
    assert "already" in send(client, shop, LINE, "239", supersedes=first, reason="again")


def test_another_shops_call_is_not_there(app: Flask, make_shop: Callable[..., ShopOf]) -> None:
    """Reading, writing, judging and reporting all answer 404 to a stranger."""
    mine, theirs = make_shop(), make_shop()
    client = sign_in(app, mine)
    form = {"reading_id": str(uuid4()), "point": LINE, "value": "240", "switch": "W=on"}
    answers = [client.get(theirs.url), client.get(f"{theirs.url}/report")]
    answers += [client.post(f"{theirs.url}/{what}", data=form) for what in ("readings", "judge", "condition")]
    assert [answer.status_code for answer in answers] == [404] * 5


def test_a_stranger_signs_in_first(app: Flask, shop: ShopOf) -> None:
    """A page leads to the sign-in and back; a fragment says so beside what is typed; nobody is sent off-site."""
    client = app.test_client()
    answer = client.get(shop.url)
    assert answer.location == f"/sign-in?next={shop.url}"
    typed = client.post(f"{shop.url}/readings", data={}, headers=HTMX)
    assert typed.status_code == 401
    assert typed.headers["HX-Retarget"] == "#problem"
    form = {"email": shop.email, "password": PASSWORD, "next": "//elsewhere.example/"}
    assert client.post("/sign-in", data=form).location == "/today"
    assert client.get("/sign-in").location == "/today"


@pytest.mark.usefixtures("old_attempts_gone")
def test_guessing_is_slowed_down(app: Flask, shop: ShopOf) -> None:
    """Eight failures, then even the right password waits; the address typed stays, the password does not."""
    client = app.test_client()
    for _ in range(8):
        wrong = client.post("/sign-in", data={"email": shop.email, "password": "guess-number-1"})
        assert wrong.status_code == 422
    assert shop.email in wrong.text
    assert "guess-number-1" not in wrong.text
    assert client.post("/sign-in", data={"email": shop.email, "password": PASSWORD}).status_code == 429


@pytest.mark.usefixtures("old_attempts_gone")
def test_the_demo_technician_finds_the_days_calls(app: Flask) -> None:
    """The demo's password works and Today shows the call in progress."""
    client = app.test_client()
    client.post("/sign-in", data={"email": DEMO_EMAIL, "password": DEMO_PASSWORD})
    body = client.get("/today").text
    assert "Tamarisk Court 14" in body
    assert "in progress" in body
    for url in set(re.findall(r'href="(/calls/[0-9a-f-]{36})"', body)):
        assert client.get(url).status_code == 200
        assert client.get(f"{url}/report").status_code == 200


def test_forms_need_their_token(engine: Engine, database_url: str, shop: ShopOf) -> None:
    """With the guard on a post without a token changes nothing; a fragment is handed a new one, or no cookie at all."""
    with application(database_url) as guarded:
        client = guarded.test_client()
        assert client.post("/sign-in", data={"email": shop.email, "password": PASSWORD}).status_code == 400
        # Signed out: a cookie of this answer, come late, would lie over that of whoever signs in in another tab.
        stranger = guarded.test_client().post(f"{shop.url}/readings", data={}, headers=HTMX)
        assert (stranger.status_code, "Set-Cookie" in stranger.headers) == (401, False)
        token = re.search(r'name="csrf_token" value="([^"]+)"', client.get("/sign-in").text)
        assert token is not None
        client.post("/sign-in", data={"email": shop.email, "password": PASSWORD, "csrf_token": token[1]})
        fragment = client.post(f"{shop.url}/readings", data={}, headers=HTMX)
        assert (fragment.status_code, 'name="csrf_token"' in fragment.text) == (400, True)


def test_headers_and_cookies_are_strict(client: FlaskClient, shop: ShopOf) -> None:
    """No inline script or style anywhere, no framing, cookies out of scripts' reach."""
    answer = client.get(shop.url)
    policy = answer.headers["Content-Security-Policy"]
    assert "script-src 'self'" in policy
    assert "unsafe" not in policy
    assert "frame-ancestors 'none'" in policy
    assert answer.headers["X-Content-Type-Options"] == "nosniff"
    assert answer.headers["Cache-Control"] == "no-store"
    assert not re.search(r"<script(?![^>]*src=)|\sstyle=|\son[a-z]+=", answer.text)
    themed = client.post("/theme", data={"theme": "attic", "next": shop.url})
    assert "HttpOnly" in themed.headers["Set-Cookie"]
    assert 'data-theme="attic"' in client.get(shop.url).text


def test_what_a_page_asks_by_itself_puts_no_cookie_back(client: FlaskClient, shop: ShopOf) -> None:
    """A poll answered after somebody signed out would bring their sign-in back; a whole page makes it last anew."""
    assert "plentar=" in client.get(shop.url).headers.get("Set-Cookie", "")
    asked = re.search(r'data-changes="([^"]+)"', client.get(shop.url).text)
    assert asked is not None
    assert "Set-Cookie" not in client.get(asked[1]).headers
    assert "Set-Cookie" not in client.get(f"{shop.url}?point={LINE}", headers=HTMX).headers


def test_oversized_and_malformed_requests_get_the_apps_own_page(client: FlaskClient, shop: ShopOf) -> None:
    """413, 400, 404 and 405 without a traceback."""
    too_large = client.post(f"{shop.url}/readings", data={"value": "9" * 300_000})
    assert too_large.status_code == 413
    assert client.post("/theme", data={"theme": "plaid"}).status_code == 400
    assert client.post(f"{shop.url}/condition", data={"switch": "W"}).status_code == 400
    refused = client.post(f"{shop.url}/condition", data={"switch": "W2=on"}, headers=HTMX)
    assert refused.status_code == 422
    assert client.get("/calls/not-a-uuid").status_code == 404
    assert client.get("/nowhere").status_code == 404
    assert client.put(f"{shop.url}/readings").status_code == 405


def test_an_error_nobody_foresaw_is_a_page_too(client: FlaskClient, monkeypatch: pytest.MonkeyPatch) -> None:
    """No traceback reaches a user."""

    def broken(*_: object, **__: object) -> None:
        raise RuntimeError("the reason stays in the log")

    monkeypatch.setattr("plentar.web.today.views.calls.list_between", broken)
    client.application.config["PROPAGATE_EXCEPTIONS"] = False
    answer = client.get("/today")
    assert answer.status_code == 500
    assert WORDS[500][0] in answer.text
    assert "reason stays" not in answer.text


def test_every_setting_is_documented() -> None:
    """docs/settings.md lists exactly the variables the code reads, and a missing one is named."""
    source = Path(ROOT / "plentar/web/serving/settings.py").read_text()
    documented = set(re.findall(r"`(PLENTAR_\w+)`", Path(ROOT / "docs/settings.md").read_text()))
    documented = {name for name in documented if not name.endswith("_FILE")}
    assert set(re.findall(r'"(PLENTAR_\w+)"', source)) == documented
    with pytest.raises(SettingsError, match="PLENTAR_DATABASE_URL"):
        Settings.from_environment({})
    with pytest.raises(SettingsError, match="PLENTAR_PORT: expected a whole number"):
        Settings.from_environment(
            {"PLENTAR_DATABASE_URL": "x", "PLENTAR_SECRET_KEY": "k" * 32, "PLENTAR_PORT": "eighty"}
        )


def test_a_group_seen_at_a_glance_is_less_than_each_line_looked_at(client: FlaskClient, shop: ShopOf) -> None:
    """One tap for a group; the paper says which were seen so, which lines by themselves, and what nobody looked at."""

    def look(kind: str, state: str, about: str = "") -> str:
        form = {"observation_id": str(uuid4()), "kind": kind, "state": state, "about": about}
        return client.post(f"{shop.url}/observations", data=form, headers={"HX-Request": "true"}).text

    unseen = 'data-unseen="group-wires"'
    assert unseen in client.get(f"{shop.url}?panel=look").text
    assert unseen not in look("group-wires", "fine")
    look("filter-dirty", "fine")
    paper = flat(client.get(f"{shop.url}/report").text)
    assert re.findall(r"data-(seen|unseen)>([^<]*)<", paper) == [
        ("seen", "wires and terminals"), ("unseen", "lugs, bus and contacts, covers and labels"),
    ]  # fmt: skip
    assert unseen not in look("loose-push-on", "found", "strip-a")
    look("group-wires", "undone")
    assert "data-seen>" not in client.get(f"{shop.url}/report").text


def test_what_stands_on_a_part_is_kept_by_its_newest(client: FlaskClient, shop: ShopOf) -> None:
    """The filter's size and a date on a part, said on the office's paper; without the part it is asked for."""

    def mark(what: str, about: str, words: str) -> str:
        form = {"mark_id": str(uuid4()), "what": what, "about": about, "words": words}
        return flat(client.post(f"{shop.url}/marks", data=form, headers=HTMX).text)

    mark("size", "filter", "16 x 20 x 1")
    assert "Filter, size 16 x 25 x 1" in mark("size", "filter", "16 x 25 x 1").replace("</b>", "")
    assert problems(mark("date", "", "Jan 2024")) == ["about"]
    assert problems(mark("date", "seq-a.pole-1", " ")) == ["words"]
    assert "dated Jan 2024" in mark("date", "seq-a", "Jan 2024")
    paper = flat(client.get(f"{shop.url}/report").text)
    assert all(words in paper for words in ("16 x 25 x 1", "Seq A", "Jan 2024"))
    assert "16 x 20" not in paper
