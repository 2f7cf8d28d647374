"""Timing, logs and air over HTTP: what is refused, what is kept once, who may see it."""

import io
from collections.abc import Callable
from uuid import uuid4

import pytest
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import Engine, text

from tests.application import ShopOf, problems, reasons, sign_in

HTMX = {"HX-Request": "true"}
GOOD = "s,A\n" + "".join(f"{i},{0 if i < 40 else 20.6}\n" for i in range(120))


def tap(client: FlaskClient, shop: ShopOf, what: str, stamp_id: str = "") -> tuple[int, str]:
    """Send one tap of the stopwatch."""
    form = {"stamp_id": stamp_id or str(uuid4()), "what": what}
    answer = client.post(f"{shop.url}/timing", data=form, headers=HTMX)
    return answer.status_code, answer.text


def upload(client: FlaskClient, shop: ShopOf, body: str | bytes, **more: str) -> tuple[int, str, str]:
    """Send a log; returns status, text and where it led."""
    data = body.encode() if isinstance(body, str) else body
    form = {"log_id": str(uuid4()), "clamp": "feed-1", **more, "file": (io.BytesIO(data), "log.csv")}
    answer = client.post(f"{shop.url}/logs", data=form, content_type="multipart/form-data")
    return answer.status_code, answer.text, answer.location or ""


@pytest.mark.parametrize(
    ("first", "what"),
    [
        pytest.param("", "drop", id="no run to drop"),
        pytest.param("", "on:strip-a", id="a stage without a run"),
        pytest.param("call", "call", id="a second call in one run"),
        pytest.param("call", "on:strip-z", id="a stage it has not"),
        pytest.param("call", "off:strip-a", id="off before the call is dropped"),
        pytest.param("call", "jump", id="no such tap"),
    ],
)
def test_taps_that_make_no_sense_say_so(client: FlaskClient, shop: ShopOf, first: str, what: str) -> None:
    """422 with the reason; nothing is kept."""
    if first:
        assert tap(client, shop, first)[0] == 200
    code, body = tap(client, shop, what)
    assert (code, problems(body)) == (422, ["what"])


def test_the_call_tap_makes_the_call_and_a_double_tap_is_one(client: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """W goes on with the first tap and off with the drop; the same tap sent twice is one stamp."""
    stamp = str(uuid4())
    assert tap(client, shop, "call", stamp)[0] == 200
    assert 'value="W=off"' in client.get(shop.url).text
    with engine.connect() as db:
        count = text("select count(*) from event where call_id = :c and kind = 'tap'")
        assert db.scalar(count, {"c": shop.call_id}) == 1
    assert tap(client, shop, "drop")[0] == 200
    assert 'value="W=on"' in client.get(shop.url).text


@pytest.mark.parametrize(
    ("body", "more", "field"),
    [
        ("", {}, "file"),
        (b"\x00\x01\x02" * 50, {}, "file"),
        ("a\n1\n2\n3\n", {}, "file"),
        (GOOD, {"clamp": "feed-9"}, "clamp"),
        (GOOD, {"called": "noon"}, "called"),
        (GOOD, {"called": "50", "dropped": "0:40"}, "dropped"),
    ],
)
def test_files_that_are_no_logs_leave_nothing_behind(
    client: FlaskClient, shop: ShopOf, engine: Engine, body: str | bytes, more: dict[str, str], field: str
) -> None:
    """422, the message at its input, no row."""
    code, answer, _ = upload(client, shop, body, **more)
    assert code == 422
    assert problems(answer) == [field]
    with engine.connect() as db:
        assert (
            db.scalar(text("select count(*) from event where call_id = :c and kind = 'log'"), {"c": shop.call_id}) == 0
        )


def test_a_huge_file_is_refused_at_the_door(client: FlaskClient, shop: ShopOf) -> None:
    """Past 64 MB the application's own page, not a traceback and not a full disk."""
    answer = client.post(f"{shop.url}/logs", data={"pad": "9" * (65 * 1024 * 1024)})
    assert answer.status_code == 413


def test_a_log_is_shown_zoomed_and_leaves_as_csv(client: FlaskClient, shop: ShopOf) -> None:
    """Steps are named; silly edges do no harm; the CSV holds every row."""
    _, _, there = upload(client, shop, GOOD, called="5")
    page = client.get(there).text
    assert "Strip A" in page
    for query in ("?from=30&to=50", "?from=x&to=", "?from=1e99&to=-5", "?from=nan&to=inf"):
        assert client.get(there + query).status_code == 200
    assert client.get(f"{there}.csv").text.count("\n") == 121


def test_a_stranger_sees_no_log(app: Flask, make_shop: Callable[..., ShopOf]) -> None:
    """Page, taps, files and exports of another shop are 404."""
    mine, theirs = make_shop(), make_shop()
    owner, stranger = sign_in(app, theirs), sign_in(app, mine)
    _, _, there = upload(owner, theirs, GOOD)
    for url in (there, f"{there}.csv", f"{theirs.url}/timing"):
        assert stranger.get(url).status_code == 404
    assert stranger.post(f"{there}/keep").status_code == 404
    assert tap(stranger, theirs, "call")[0] == 404
    assert upload(stranger, theirs, GOOD)[0] == 404


def test_air_wants_watts_and_is_then_judged_and_compared(client: FlaskClient, shop: ShopOf) -> None:
    """Refused before the strips are clamped; kept after; a clean filter is held against the first."""

    def air(**fields: str) -> tuple[int, str]:
        form = {"air_id": str(uuid4()), "filter": "as found", **fields}
        answer = client.post(f"{shop.url}/air", data=form, headers=HTMX)
        return answer.status_code, answer.text

    code, body = air(return_degf="70", supply_degf="100")
    assert code == 422
    assert problems(body) == ["supply_degf"]
    client.post(f"{shop.url}/condition", data={"switch": "W=on"})
    for point, value in (("volts:feed-1.l1:feed-1.l2", "240"), ("amps:strip-a", "20.8"), ("amps:strip-b", "20.8")):
        form = {"reading_id": str(uuid4()), "point": point, "value": value}
        client.post(f"{shop.url}/readings", data=form, headers=HTMX)
    code, body = air(return_degf="70", supply_degf="hot")
    assert code == 422
    assert problems(body) == ["supply_degf"]
    assert 'value="70"' in body
    assert "CFM" in air(return_degf="70", supply_degf="125")[1]
    assert "data-clean-filter" in air(return_degf="70", supply_degf="105", filter="clean")[1]


def test_a_log_is_still_there_after_a_tap_was_refused(client: FlaskClient, shop: ShopOf) -> None:
    """What is kept of a log's analysis outlives the request that made it, a rolled back one too."""
    upload(client, shop, GOOD, called="5")
    for what in ("off:strip-a", "drop", "call", "call"):
        tap(client, shop, what)
        assert client.get(f"{shop.url}/timing").status_code == 200


def test_the_fan_alone_is_timed_by_its_own_relay(client: FlaskClient, shop: ShopOf) -> None:
    """G goes on and W does not; only the blower can come, and a strip's tap is refused."""
    code, body = tap(client, shop, "call:fan")
    assert (code, 'value="on:blower-fan"' in body) == (200, True)
    page = client.get(shop.url).text
    assert 'value="G=off"' in page
    assert 'value="W=on"' in page
    code, body = tap(client, shop, "on:strip-a")
    assert (code, problems(body)) == (422, ["what"])
    assert tap(client, shop, "on:blower-fan")[0] == 200
    assert tap(client, shop, "drop")[0] == 200
    assert 'value="G=on"' in client.get(shop.url).text
    # The next run is by heat again, and has the strips.
    assert 'value="on:strip-a"' in tap(client, shop, "call")[1]


def test_a_log_that_cycles_is_found_on_the_call_and_in_both_papers(client: FlaskClient, shop: ShopOf) -> None:
    """Off and on again by itself under one call: the findings, the suspects, the office's and the customer's paper."""
    rows = [(t / 2, 20.6 if 70 < t < 400 or 640 < t < 970 or t > 1210 else 0.0) for t in range(1600)]
    upload(client, shop, "s,A\n" + "".join(f"{at},{amps}\n" for at, amps in rows), clamp="strip-a", called="5")
    page = client.get(shop.url).text
    assert "log.drops-out-comes-back-itself" in reasons(page)
    assert "show=air.little" in page
    for paper in ("/report", "/report?paper=office"):
        assert "log.drops-out-comes-back-itself" in reasons(client.get(shop.url + paper).text), paper
