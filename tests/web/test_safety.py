"""What makes a unit dead, what ends it, who may read ohms: over HTTP, as forms and as events."""

import re
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from uuid import uuid4

import pytest
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from plentar.core.evidence.events import OPENED_AT
from plentar.core.evidence.lockout import dead_pairs
from plentar.core.work.safety import CONTROL_POINT, dead_groups
from plentar.store.models import Person
from tests.actions import condition, event, prove_dead, safe_events, send
from tests.application import PASSWORD, PASSWORD_HASH, ShopOf, problems, reasons, sign_in

HTMX = {"HX-Request": "true"}
DEAD, LIVE, OFF = "proven dead", "live", "off"


def ohms(client: FlaskClient, shop: ShopOf, point: str = "ohms:strip-a.element", **more: str) -> tuple[int, str]:
    """Try to keep ohms through the pad."""
    form = {"reading_id": str(uuid4()), "point": point, "value": "11.2", **more}
    answer = client.post(f"{shop.url}/readings", data=form, headers=HTMX)
    return answer.status_code, answer.text


def colleague(app: Flask, engine: Engine, shop: ShopOf, name: str = "Ada Second") -> FlaskClient:
    """A second technician of the same shop, signed in."""
    email = f"{uuid4().hex}@shop.example"
    with Session(engine) as db:
        db.add(Person(shop_id=shop.shop.id, name=name, email=email, password_hash=PASSWORD_HASH))
        db.commit()
    client = app.test_client()
    assert client.post("/sign-in", data={"email": email, "password": PASSWORD}).status_code == 302
    return client


@pytest.mark.parametrize(
    "pattern",
    [
        "two-strip-sequencer",
        "four-strip-chained",
        "wye-contactor",
        pytest.param("six-strip-chained", marks=pytest.mark.long),
    ],
)
def test_the_whole_list_proves_every_feed_and_the_control_side(
    app: Flask, make_shop: Callable[..., ShopOf], pattern: str
) -> None:
    """One to three feeds: dead when all of it is done, ohms taken, and the condition says so in words."""
    shop = make_shop(pattern)
    client = sign_in(app, shop)
    assert ohms(client, shop)[0] == 422
    prove_dead(client, shop)
    code, body = ohms(client, shop)
    assert code == 200, body
    assert "reading.power-off-proven-dead" in reasons(client.get(f"{shop.url}?point=ohms:strip-a.element").text)


@pytest.mark.parametrize(
    "left_out", ["frame", "gear", "off", "lock", "outdoor", "before", "pairs", "control", "after", "capacitor"]
)
def test_without_any_one_part_of_the_list_nothing_is_dead(client: FlaskClient, shop: ShopOf, left_out: str) -> None:
    """Off, treated as live, or live: never dead; ohms are refused and the missing part is named."""
    # A live supply reading shows that the meter reads; amps after it turned the dial away.
    send(client, shop, event("reading", ago=85, point="amps:strip-a", typed="20.1"))
    send(client, shop, *safe_events(shop, without=[left_out]))
    found = condition(client, shop)
    assert {*found["feeds"].values(), found["control"]} != {DEAD}
    code, body = ohms(client, shop)
    assert code == 422
    assert reasons(body)[0] == "safety.still-missing"


def test_each_pair_and_each_feed_counts(app: Flask, make_shop: Callable[..., ShopOf]) -> None:
    """Two feeds: leave out any one pair, any feed's switch, lock or device, and neither feed is dead."""
    plate = make_shop("four-strip-chained").plate
    points = [point for point, _ in dead_pairs(plate)]
    assert len(points) == 10
    for missing in points[::3]:
        shop = make_shop("four-strip-chained")
        client = sign_in(app, shop)
        send(
            client,
            shop,
            *[e for e in safe_events(shop) if e["payload"].get("point") != missing or e["payload"]["typed"] != "0.2"],
        )
        assert DEAD not in condition(client, shop)["feeds"].values(), missing
    for kind, feed in (("switch", "feed-1"), ("switch", "feed-2"), ("lock", "feed-1"), ("lock", "feed-2")):
        shop = make_shop("four-strip-chained")
        client = sign_in(app, shop)
        skipped = [e for e in safe_events(shop) if e["kind"] != kind or feed not in e["payload"].values()]
        send(client, shop, *skipped)
        assert DEAD not in condition(client, shop)["feeds"].values(), (kind, feed)
    shop = make_shop("four-strip-chained")
    client = sign_in(app, shop)
    unnamed = [
        {**e, "payload": {**e["payload"], "device": ""}} if e["kind"] == "switch" else e for e in safe_events(shop)
    ]
    send(client, shop, *unnamed)
    assert set(condition(client, shop)["feeds"].values()) == {OFF}


def test_power_back_on_is_recorded_and_makes_everything_live(client: FlaskClient, shop: ShopOf) -> None:
    """The fact is kept whatever stands against it; dead ends with it, and ohms are refused on the live unit."""
    prove_dead(client, shop)
    assert ohms(client, shop)[0] == 200
    [answer] = send(client, shop, event("power-back"))
    assert answer["answer"] == "kept"
    found = condition(client, shop)
    assert (found["feeds"], found["control"]) == ({"feed-1": LIVE}, "from unit")
    code, body = ohms(client, shop)
    assert code == 422
    assert reasons(body)[0] in ("safety.ohms-are-only-read-what", "safety.still-missing")
    assert "visit.power-back" in reasons(client.get(shop.url).text), "and the lock that is still on is a finding"


@pytest.mark.parametrize(
    ("sent", "why"),
    [
        ({"kind": "switch", "what": "feed-1", "state": "live"}, "a feed made live"),
        ({"kind": "tick", "line": "safe-outdoor-off", "is_done": False}, "a line unticked"),
        ({"kind": "lock", "feed": "feed-1", "is_on": False}, "the lock taken off"),
        ({"kind": "reading", "point": "volts:feed-1.l1:ground", "typed": "118"}, "volts read at a terminal"),
        ({"kind": "reading", "point": "volts:strip-a.element.1:ground", "typed": "38"}, "volts read at a part"),
        ({"kind": "switch", "what": "control", "state": "from unit"}, "the control side fed again"),
    ],
)
def test_whatever_speaks_against_it_ends_dead(
    client: FlaskClient, shop: ShopOf, sent: dict[str, str], why: str
) -> None:
    """One event of anybody, and ohms are refused."""
    prove_dead(client, shop)
    kind = sent.pop("kind")
    assert send(client, shop, event(kind, **sent))[0]["answer"] == "kept"
    found = condition(client, shop)
    assert {*found["feeds"].values(), found["control"]} != {DEAD}, why
    assert ohms(client, shop)[0] == 422


@pytest.mark.parametrize(
    ("ago", "clock", "stands"),
    [
        pytest.param(75.0, 0.0, True, id="before power went off"),
        pytest.param(65.0, 0.0, False, id="after power went off"),
        pytest.param(45.0, 0.0, False, id="between the proofs"),
        pytest.param(75.0, 4.0, True, id="by its clock surely before"),
        pytest.param(75.0, 8.0, False, id="by its clock perhaps after"),
    ],
)
def test_a_live_event_that_comes_late_ends_a_proof_it_may_be_later_than(
    app: Flask, engine: Engine, client: FlaskClient, shop: ShopOf, ago: float, clock: float, stands: bool
) -> None:
    """A phone without signal: what counts is when it can have been done, not when it came. Power went off 70 s ago."""
    other = colleague(app, engine, shop)
    # Made before the proof, whose moments count from its own beginning: what is slow comes first.
    late = event("switch", ago=ago, clock=clock, what="feed-1", state="live")
    prove_dead(client, shop)
    [answer] = send(other, shop, late)
    assert answer["answer"] == "kept"
    assert (condition(client, shop)["feeds"] == {"feed-1": DEAD}) is stands


def test_a_low_impedance_reading_clears_a_ghost_only_when_that_mode_was_proven(
    client: FlaskClient, shop: ShopOf
) -> None:
    """38 V at a line terminal is live until low-impedance mode, itself proven before and after, reads below 1 V."""
    point = "volts:feed-1.l1:ground"
    prove_dead(client, shop)
    send(client, shop, event("reading", point=point, typed="38"))
    assert condition(client, shop)["feeds"] == {"feed-1": OFF}
    low = {"mode": "low impedance"}
    send(client, shop, event("reading", point=point, typed="0.3", **low))
    assert condition(client, shop)["feeds"] == {"feed-1": OFF}, "the mode was not proven"
    for sent in (
        event("meter-proven", volts=121.0, **low),
        event("reading", point=point, typed="0.3", **low),
        event("meter-proven", volts=121.0, **low),
    ):
        send(client, shop, sent)
    assert condition(client, shop)["feeds"] == {"feed-1": DEAD}
    send(client, shop, event("reading", point=point, typed="38", **low))
    assert condition(client, shop)["feeds"] == {"feed-1": OFF}, "it stays: live or fed back"


def test_a_change_of_function_between_the_proofs_spoils_them(client: FlaskClient, shop: ShopOf) -> None:
    """The same meter, same function: amps read in between, and the proof after no longer speaks for the readings."""
    sent = safe_events(shop)
    at = next(i for i, e in enumerate(sent) if e["payload"].get("point") == CONTROL_POINT)
    sent.insert(at, event("reading", ago=37, point="amps:blower", typed="0"))
    send(client, shop, *sent)
    assert condition(client, shop)["feeds"] == {"feed-1": OFF}


def test_ohms_ask_for_ones_own_lock_and_for_volts_at_the_part(
    app: Flask, engine: Engine, client: FlaskClient, shop: ShopOf
) -> None:
    """Somebody else's lock does not keep you safe; a part not read dead is not dead."""
    prove_dead(client, shop)
    other = colleague(app, engine, shop)
    code, body = ohms(other, shop)
    assert code == 422
    assert "safety.put-your-own-lock-tag" in reasons(body)
    send(other, shop, event("lock", feed="feed-1"))
    assert ohms(other, shop)[0] == 200
    code, body = ohms(client, shop, "ohms:strip-b.limit")
    assert code == 422
    assert "safety.read-volts-part-first-across" in reasons(body)
    for point, part in (("ohms:strip-b.limit", "strip-b.limit"), ("ohms:board.c:board.w", "board.c:board.w")):
        # The Safe list has that part's own line open, though the unit is dead.
        assert f'name="about" value="{part}"' in client.get(f"{shop.url}?panel=safe&point={point}").text
    send(client, shop, event("reading", point="volts:strip-b.limit.1:ground", typed="0.1"))
    assert ohms(client, shop, "ohms:strip-b.limit")[0] == 422
    send(client, shop, event("reading", point="volts:strip-b.limit.2:ground", typed="0.1"))
    assert ohms(client, shop, "ohms:strip-b.limit")[0] == 200


def test_a_part_in_the_hand_is_measured_at_any_time(client: FlaskClient, shop: ShopOf) -> None:
    """Live unit: its coil, its contact at rest and driven; never volts, never between two places of the unit."""
    coil = event("reading", point="ohms:seq-a.coil", typed="48", in_hand="at rest")
    driven = event("reading", point="ohms:seq-a.pole-1", typed="0.2", in_hand="driven")
    assert {a["answer"] for a in send(client, shop, coil, driven)} == {"kept"}
    body = client.get(f"{shop.url}?point=ohms:seq-a.pole-1&hand=driven").text
    assert "reading.hand-coil-driven" in reasons(body)
    assert "verdict-pass" in body
    for point in ("volts:board.r:board.c", "ohms:board.w:board.c"):
        [answer] = send(client, shop, event("reading", point=point, typed="24", in_hand="at rest"))
        assert answer["answer"] == "refused"


def test_somebody_elses_lock_comes_off_only_with_how_they_were_reached(
    app: Flask, engine: Engine, client: FlaskClient, shop: ShopOf
) -> None:
    """Recorded with the words; until then closing and proven are refused, power back on is not."""
    send(client, shop, event("lock", feed="feed-1"))
    other = colleague(app, engine, shop)
    owner = str(shop.person.id)
    form = {"outcome": "checked"}
    refused = other.post(f"{shop.url}/close", data=form, headers=HTMX)
    assert refused.status_code == 422
    assert "visit.s-lock-still-owner-takes" in reasons(refused.text)
    [answer] = send(other, shop, event("lock", feed="feed-1", is_on=False, owner=owner))
    assert (answer["answer"], answer["field"]) == ("refused", "reached")
    words = "called him, he is in the van and clear"
    [answer] = send(other, shop, event("lock", feed="feed-1", is_on=False, owner=owner, reached=words))
    assert answer["answer"] == "kept"
    assert other.post(f"{shop.url}/close", data=form, headers=HTMX).status_code == 200


def test_the_list_on_the_page_does_the_same(client: FlaskClient, shop: ShopOf) -> None:
    """Line by line through the panel's own forms; a wrong number stays where it was typed."""
    for leg in ("l1", "l2"):
        form = {"reading_id": str(uuid4()), "point": f"volts:feed-1.{leg}:ground", "value": "120.4"}
        client.post(f"{shop.url}/readings", data=form, headers=HTMX)

    def line(**form: str) -> tuple[int, str]:
        answer = client.post(f"{shop.url}/safe", data={"event_id": str(uuid4()), **form}, headers=HTMX)
        return answer.status_code, answer.text

    pairs = {f"pair:{point}": "0.2" for point, _ in dead_pairs(shop.plate)} | {f"pair:{CONTROL_POINT}": "0.1"}
    code, body = line(line="meter", about="before", volts="12")
    assert code == 422
    assert problems(body) == ["volts"]
    assert 'value="12"' in body
    for form in (
        {"line": "tick", "about": "safe-gear", "is_done": "yes"},
        {"line": "off", "about": "feed-1", "device": "disconnect"},
        {"line": "lock", "about": "feed-1", "is_on": "yes", "how": "pull-out"},
        {"line": "tick", "about": "safe-outdoor-off", "is_done": "yes"},
        {"line": "meter", "about": "before", "volts": "121"},
        {"line": "readings", **pairs},
        {"line": "meter", "about": "after", "volts": "121"},
        {"line": "tick", "about": "safe-capacitor", "is_done": "yes", "volts": "0.2"},
    ):
        assert "data-verified-dead" not in client.get(f"{shop.url}?panel=safe").text
        code, body = line(**form)
        assert code == 200, body
    page = client.get(f"{shop.url}?panel=safe").text
    assert "data-verified-dead" in page
    assert len(re.findall("safe-line safe-done", page)) == 9
    assert "safety.opened-all-up-line-terminals" in reasons(page)
    assert f"open at {OPENED_AT['disconnect']}" in page
    code, body = line(line="tick", about="safe-capacitor", is_done="yes", volts="9")
    assert code == 422
    assert problems(body) == ["volts"]


@pytest.mark.parametrize("people", [2, 10])
def test_two_and_ten_at_once_lose_nothing_and_prove_nothing(
    app: Flask, client: FlaskClient, shop: ShopOf, people: int
) -> None:
    """The last tick and an untick, a live feed and a call, switch beside switch: all kept, dead never stands."""
    sent = safe_events(shop)
    send(client, shop, *[e for e in sent if e["payload"].get("line") != "safe-capacitor"])
    last = event("tick", line="safe-capacitor", volts=0.2)
    undo = event("tick", line="safe-outdoor-off", is_done=False)
    others = [event("switch", what=call, state="on") for call in ("G", "W", "Y")]
    batch = ([last, undo] if people == 2 else [last, undo, event("switch", what="feed-1", state="live"), *others])[
        :people
    ]
    clients = [sign_in(app, shop) for _ in batch]
    with ThreadPoolExecutor(len(batch)) as pool:
        answers = list(pool.map(lambda pair: send(pair[0], shop, pair[1]), zip(clients, batch, strict=True)))
    assert {a[0]["answer"] for a in answers} == {"kept"}
    assert len({a[0]["seq"] for a in answers}) == len(batch)
    found = condition(client, shop)
    assert DEAD not in found["feeds"].values()
    if people == 10:
        assert found["calls"] == ["G", "W", "Y"]
        assert found["feeds"] == {"feed-1": LIVE}


@pytest.mark.parametrize(
    "pattern", ["two-strip-sequencer", "four-strip-chained", pytest.param("six-strip-chained", marks=pytest.mark.long)]
)
def test_one_number_speaks_for_the_pairs_it_is_the_highest_of(
    app: Flask, make_shop: Callable[..., ShopOf], pattern: str
) -> None:
    """A number a feed, one for each two feeds, R to C, the part: dead; no pair becomes a reading of its place."""
    shop = make_shop(pattern)
    client = sign_in(app, shop)
    sent = safe_events(shop, without=["pairs", "control", "after", "capacitor"])
    send(client, shop, *sent)

    def line(**form: str) -> tuple[int, str]:
        answer = client.post(f"{shop.url}/safe", data={"event_id": str(uuid4()), **form}, headers=HTMX)
        return answer.status_code, answer.text

    # 0.98 V and the meter's doubt may be 1 V: the short way is void, and nothing was kept.
    code, body = line(line="readings", about="feed-1", highest="0.98")
    assert (code, problems(body)) == (422, ["value"])
    groups = dead_groups(shop.plate)
    for group in groups:
        assert line(line="readings", about=group.about, highest="0")[0] == 200
    line(line="meter", about="after", volts="121")
    line(line="tick", about="safe-capacitor", is_done="yes", volts="0")
    assert set(condition(client, shop)["feeds"].values()) == {DEAD}
    assert ohms(client, shop, "ohms:strip-b.link")[0] == 422, "the part itself was not read"
    line(line="readings", about="strip-b.link", highest="0")
    line(line="meter", about="after", volts="121")
    code, body = ohms(client, shop, "ohms:strip-b.link")
    assert code == 200, body
    listed = client.get(f"{shop.url}/readings.csv").text
    assert "volts:feed-1.l1:feed-1.l2" not in listed
    assert "strip-b.link" not in listed.replace("ohms:strip-b.link", "")


def test_one_number_for_several_pairs_is_no_short_way_on_a_live_unit(client: FlaskClient, shop: ShopOf) -> None:
    """With a feed live it is refused, whatever it says."""
    form = {"event_id": str(uuid4()), "line": "readings", "about": "feed-1", "highest": "0"}
    answer = client.post(f"{shop.url}/safe", data=form, headers=HTMX)
    assert (answer.status_code, problems(answer.text)) == (422, ["value"])


@pytest.mark.parametrize(
    ("between", "stands"), [pytest.param("", True, id="straight after"), pytest.param("amps:strip-a", False, id="amps")]
)
def test_a_live_supply_reading_shows_the_meter_until_its_dial_is_turned(
    client: FlaskClient, shop: ShopOf, between: str, stands: bool
) -> None:
    """240 V read on the live feed is a known live source; one reading in amps, and the meter must be shown again."""
    both = [event("reading", ago=95, point=f"volts:feed-1.{leg}:ground", typed="120.4") for leg in ("l1", "l2")]
    turned = [event("reading", ago=94, point=between, typed="20.1")] if between else []
    send(client, shop, *both, *turned)
    send(client, shop, *safe_events(shop, without=["before", "frame"]))
    assert (set(condition(client, shop)["feeds"].values()) == {DEAD}) is stands
