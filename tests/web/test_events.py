"""The one way anything is recorded: ids, re-sends, races at the close, and one answer on every page."""

import json
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from io import BytesIO
from pathlib import Path
from typing import Any
from uuid import uuid4

import pytest
from click.testing import CliRunner
from flask import Flask
from flask.testing import FlaskClient
from PIL import Image
from sqlalchemy import Engine, text

from plentar.cli import main
from plentar.core.evidence.events import ACTIONS
from plentar.core.unit.patterns import PATTERNS
from plentar.core.work.ledger import leads_of
from plentar.formats.events_json import OWN_KINDS
from tests.actions import Sent, call_heat, condition, event, prove_dead, send
from tests.application import ShopOf, flat, reasons, sign_in

HTMX = {"HX-Request": "true"}
SUPPLY = "volts:feed-1.l1:feed-1.l2"
LEADS = [
    {"lead": end.lead, "before": end.terminal, "after": end.terminal}
    for end in leads_of(PATTERNS["two-strip-sequencer"](), "seq-a")
]

# One sound payload of each kind a person sends, and another one under the same id.
PAYLOADS: dict[str, tuple[dict[str, Any], dict[str, Any]]] = {
    "reading": ({"point": SUPPLY, "typed": "238.1"}, {"point": SUPPLY, "typed": "238.2"}),
    "switch": ({"what": "G", "state": "on"}, {"what": "G", "state": "off"}),
    "tick": ({"line": "safe-gear"}, {"line": "safe-gear", "is_done": False}),
    "meter-proven": ({"volts": 120.0}, {"volts": 121.0}),
    "lock": ({"feed": "feed-1"}, {"feed": "feed-1", "how": "pull-out"}),
    "seen": ({"sign": "start", "about": "1"}, {"sign": "start", "about": "1", "state": "fine"}),
    "map": (
        {"wires": [{"thermostat": "W", "board": "W", "colour": "white"}]},
        {"wires": [{"thermostat": "W", "board": "W", "colour": "brown"}]},
    ),
    "tap": ({"deed": "call"}, {"deed": "drop"}),
    "cause": (
        {"words": "seized wheel", "cause": "dirt"},
        {"words": "seized wheel", "cause": "dirt", "consequence": "no air"},
    ),
    "part": ({"name": "Sequencer"}, {"name": "Sequencer", "minutes": 30.0}),
    "approval": ({"who": "A. Owner", "what": "a second kit"}, {"who": "A. Owner", "what": "a third kit"}),
    "temporary": (
        {"circuit": "strip-b", "how": "leads off, capped", "tag": "B off", "due_on": "2030-01-05"},
        {"circuit": "strip-b", "how": "leads off, capped", "tag": "B off", "due_on": "2030-01-06"},
    ),
    "check": ({"line": "pulled"}, {"line": "torqued"}),
    "power-back": ({"is_confirmed": True}, {"is_confirmed": False}),
    "amend": ({"complaints": ["no heat"]}, {"complaints": ["no heat"], "at_risk": "infant"}),
    "mark": (
        {"what": "size", "about": "filter", "words": "16 x 25 x 1"},
        {"what": "size", "about": "filter", "words": "16 x 20 x 1"},
    ),
    "note": ({"words": "key under the mat"}, {"words": "key at the neighbour's"}),
    "ledger": (
        {"part": "seq-a", "rows": LEADS},
        {"part": "seq-a", "rows": [{**LEADS[0], "colour": "blue"}, *LEADS[1:]]},
    ),
}


@pytest.mark.parametrize("kind", sorted(PAYLOADS))
def test_one_id_is_one_action(client: FlaskClient, shop: ShopOf, kind: str) -> None:
    """Sent again it is kept already; with other contents it is refused, and what was kept comes back."""
    first, other = PAYLOADS[kind]
    sent = event(kind, **first)
    [kept] = send(client, shop, sent)
    assert kept["answer"] == "kept", kept
    [again] = send(client, shop, sent)
    assert (again["answer"], again["seq"]) == ("already kept", kept["seq"])
    [refused] = send(client, shop, {**sent, "payload": other})
    assert (refused["answer"], refused["field"]) == ("refused", "id"), refused
    assert refused["copy"]["kind"] == kind


def test_every_kind_a_person_sends_is_tried() -> None:
    """A new kind of action belongs in the list above; these need something beside them and are tried elsewhere."""
    beside = {"void", "photo", "log", "log-kept", "air", "settled", "temporary-done", "closed", "signed", "withdrawn"}
    assert set(ACTIONS) - set(OWN_KINDS) - beside == set(PAYLOADS)


def at_once(app: Flask, shop: ShopOf, actions: list[Callable[[FlaskClient], Any]]) -> list[Any]:
    """Do several things at the same moment, each in a browser of its own."""
    clients = [sign_in(app, shop) for _ in range(min(len(actions), 10))]
    barrier = threading.Barrier(len(actions))

    def run(number: int) -> Any:
        barrier.wait()
        return actions[number](clients[number % len(clients)])

    with ThreadPoolExecutor(len(actions)) as pool:
        return list(pool.map(run, range(len(actions))))


def kept_rows(engine: Engine, shop: ShopOf, kind: str) -> int:
    """How many events of a kind the call has."""
    with engine.connect() as db:
        found = db.execute(
            text("select count(*) from event where call_id = :call and kind = :kind"),
            {"call": shop.call_id, "kind": kind},
        )
        return int(found.scalar_one())


def test_thirty_re_sends_at_once_are_one_reading(app: Flask, shop: ShopOf, engine: Engine) -> None:
    """A slow link and an impatient thumb: every one of them is told it is kept."""
    sent = event("reading", point=SUPPLY, typed="238.1")
    answers = at_once(app, shop, [lambda client: send(client, shop, sent)[0]["answer"]] * 30)
    assert sorted(set(answers)) == ["already kept", "kept"]
    assert answers.count("kept") == 1
    assert kept_rows(engine, shop, "reading") == 1


def test_the_same_form_many_times_at_once_is_one_reading(app: Flask, shop: ShopOf, engine: Engine) -> None:
    """The plain form too: nobody is told to press Keep again."""
    form = {"reading_id": str(uuid4()), "point": SUPPLY, "value": "238.1"}
    codes = at_once(
        app, shop, [lambda client: client.post(f"{shop.url}/readings", data=form, headers=HTMX).status_code] * 10
    )
    assert set(codes) == {200}
    assert kept_rows(engine, shop, "reading") == 1


def test_another_shop_may_use_the_same_id(app: Flask, make_shop: Callable[..., ShopOf]) -> None:
    """An id says nothing about anybody else's."""
    one, two = make_shop(), make_shop()
    sent = event("reading", point=SUPPLY, typed="238.1")
    for shop in (one, two):
        [answer] = send(sign_in(app, shop), shop, sent)
        assert answer["answer"] == "kept"


def test_an_id_of_another_call_of_the_shop_is_refused_by_name(
    client: FlaskClient, shop: ShopOf, engine: Engine
) -> None:
    """The first call's action stands, the second is told, and what came with it is kept."""
    other = uuid4()
    with engine.begin() as db:
        copied = "shop_id, unit_id, technician_id, meter_id, complaints, words, at_risk, status, scheduled_at, outcome"
        db.execute(
            text(f"insert into call (id, {copied}, seq) select :new, {copied}, 0 from call where id = :call"),  # noqa: S608
            {"new": other, "call": shop.call_id},
        )
    sent = event("note", words="on the first call")
    assert send(client, shop, sent)[0]["answer"] == "kept"
    answer = client.post(f"/calls/{other}/events", json={"events": [sent, event("note", words="on the second")]})
    assert answer.json is not None
    first, second = answer.json["answers"]
    assert (first["answer"], first["field"]) == ("refused", "id")
    assert second["answer"] == "kept"


@pytest.mark.parametrize("turn", range(3))
def test_a_reading_and_a_close_at_once_leave_one_truth(app: Flask, shop: ShopOf, engine: Engine, turn: int) -> None:
    """Whichever comes first: a reading that was kept was kept before the close; a refused one was told so."""
    assert turn >= 0
    reading = event("reading", point=SUPPLY, typed="238.1")
    close = {"event_id": str(uuid4()), "outcome": "all well", "reason": "owner asked us to stop"}
    answers = at_once(
        app,
        shop,
        [
            lambda client: send(client, shop, reading)[0]["answer"],
            lambda client: client.post(f"{shop.url}/close", data=close, headers=HTMX).status_code,
        ],
    )
    assert answers[1] == 200
    with engine.connect() as db:
        found = db.execute(text("select kind, seq from event where call_id = :c"), {"c": shop.call_id})
        rows = {kind: seq for kind, seq in found}  # noqa: C416 - a row is a pair only when taken apart
        status = db.execute(text("select status from call where id = :c"), {"c": shop.call_id}).scalar_one()
    assert status == "closed"
    assert ("reading" in rows) == (answers[0] == "kept")
    if "reading" in rows:
        assert rows["reading"] < rows["closed"]


def test_two_closes_at_once_keep_one_outcome_and_tell_the_other(app: Flask, shop: ShopOf, engine: Engine) -> None:
    """The second to come sees that the call is closed, and with what."""
    forms = [
        {"event_id": str(uuid4()), "outcome": words, "reason": "-"} for words in ("strip replaced", "nothing found")
    ]

    def closing(form: dict[str, str]) -> Callable[[FlaskClient], int]:
        return lambda client: client.post(f"{shop.url}/close", data=form, headers=HTMX).status_code

    answers = at_once(app, shop, [closing(form) for form in forms])
    assert answers.count(200) == 1
    assert kept_rows(engine, shop, "closed") == 1
    with engine.connect() as db:
        outcome = db.execute(text("select outcome from call where id = :c"), {"c": shop.call_id}).scalar_one()
    assert outcome == forms[answers.index(200)]["outcome"]


def test_a_planned_call_opens_with_its_first_action_and_stays_closed(
    client: FlaskClient, shop: ShopOf, engine: Engine
) -> None:
    """Closing a call nobody had opened closes it."""
    with engine.begin() as db:
        db.execute(text("update call set status = 'planned' where id = :c"), {"c": shop.call_id})
    form = {"event_id": str(uuid4()), "outcome": "cancelled by the owner", "reason": "nobody home"}
    assert client.post(f"{shop.url}/close", data=form, headers=HTMX).status_code == 200
    with engine.connect() as db:
        assert db.execute(text("select status from call where id = :c"), {"c": shop.call_id}).scalar_one() == "closed"
    [late] = send(client, shop, event("reading", point=SUPPLY, typed="238.1"))
    assert late["answer"] == "refused"


@pytest.fixture
def unprinted(make_shop: Callable[..., ShopOf], engine: Engine) -> ShopOf:
    """A unit whose sequencer prints no windows: the defaults decide."""
    shop = make_shop("two-strip-sequencer")
    with engine.begin() as db:
        row = db.execute(text("select nameplate from unit where id = :u"), {"u": shop.unit_id}).scalar_one()
        plate = row if isinstance(row, dict) else json.loads(row)
        for device in plate["devices"]:
            for pole in device["poles"]:
                pole.pop("on_window", None)
                pole.pop("off_window", None)
        db.execute(
            text("update unit set nameplate = cast(:p as jsonb) where id = :u"),
            {"p": json.dumps(plate), "u": shop.unit_id},
        )
    return shop


@pytest.mark.parametrize(("seconds", "word"), [(80.0, "not proven"), (112.0, "marginal"), (150.0, "fail")])
def test_the_pad_and_the_stopwatch_hold_silence_against_one_window(
    app: Flask, unprinted: ShopOf, seconds: float, word: str
) -> None:
    """112 s with no printed window is late, not failed, wherever it is asked."""
    shop, client = unprinted, sign_in(app, unprinted)
    send(client, shop, event("reading", ago=seconds + 20, point=SUPPLY, typed="240"))
    send(client, shop, event("tap", ago=seconds, deed="call"))
    pad = client.post(
        f"{shop.url}/readings",
        data={"reading_id": str(uuid4()), "point": "amps:strip-a", "value": "0.0"},
        headers=HTMX,
    ).text
    assert word in pad[pad.index('id="verdict"') :][:900]
    send(client, shop, event("tap", deed="on", stage="strip-a"))
    watch = flat(client.get(f"{shop.url}/timing").text)
    row = watch[watch.index('<p class="watch-name"><b>Strip A</b>') :][:900]
    assert {"not proven": "pass"}.get(word, word) in row


@pytest.mark.parametrize(("seconds", "is_proven"), [(5.0, False), (61.0, True)])
def test_control_amps_count_after_a_minute_on_the_pad_and_on_the_control_page(
    client: FlaskClient, shop: ShopOf, seconds: float, is_proven: bool
) -> None:
    """5 s after the call a heater still draws its cold current."""
    call_heat(client, shop, seconds)
    send(client, shop, event("reading", point="amps:control", typed="2.9"))
    pad = client.get(f"{shop.url}?point=amps:control").text
    page = client.get(f"{shop.url}/control").text
    verdict = pad[pad.index('id="verdict"') :][:900]
    assert ("verdict-not-proven" not in verdict) is is_proven, verdict
    assert ("fail" in page[page.index("heat") : page.index("<dialog")]) is is_proven


@pytest.mark.parametrize(("volts", "is_proven"), [("20", False), ("24.5", True)])
def test_a_run_on_low_control_volts_proves_nothing_anywhere(
    client: FlaskClient, shop: ShopOf, volts: str, is_proven: bool
) -> None:
    """The report and the timing page judge one run the same way."""
    send(client, shop, event("tap", ago=100, deed="call"))
    send(client, shop, event("reading", ago=90, point="volts:seq-a.coil.1:seq-a.coil.2", typed=volts))
    send(client, shop, event("tap", ago=60, deed="on", stage="strip-a"))
    timing, report = client.get(f"{shop.url}/timing").text, client.get(f"{shop.url}/report").text
    assert ("timing.control-stood-v-below-v" in reasons(timing)) is not is_proven
    told = report[report.index(">Run 1<") :]
    told = told[told.index("Strip A") :][:300]
    assert ("verdict-not-proven" in told) is not is_proven
    assert ("verdict-pass" in told) is is_proven


def test_heat_called_with_the_fan_proves_the_strips(client: FlaskClient, shop: ShopOf) -> None:
    """W and G both on is what most thermostats do: its readings count as proof."""
    send(client, shop, event("power-back", ago=700, is_confirmed=True))
    for call in ("W", "G"):
        send(client, shop, event("switch", ago=650, what=call, state="on"))
    send(
        client,
        shop,
        event("reading", ago=5, point=SUPPLY, typed="240"),
        event("reading", ago=4, point="amps:strip-a", typed="20.8"),
        event("reading", ago=3, point="amps:strip-b", typed="20.8"),
    )
    page = client.get(f"{shop.url}/fix").text
    proven = [line for line in page.split("<li") if "Strip A" in line and "20.8" in line]
    assert any("pass" in line for line in proven), page[-4000:]


def test_what_was_read_under_heat_stays_what_it_was_once_the_unit_is_dead(client: FlaskClient, shop: ShopOf) -> None:
    """Strip A passed at 20.8 A; the dead feed's 0.3 V afterwards changes nothing on the report."""
    call_heat(client, shop, 700)
    send(
        client,
        shop,
        event("reading", ago=600, point=SUPPLY, typed="240"),
        event("reading", ago=590, point="amps:strip-a", typed="20.8"),
    )
    before = client.get(f"{shop.url}/call.json").get_json()
    send(client, shop, event("switch", ago=580, what="W", state="off"))
    prove_dead(client, shop)
    after = client.get(f"{shop.url}/call.json").get_json()

    def told(document: dict[str, Any]) -> list[Any]:
        return [r for r in document["readings"] if r["point"] == "amps:strip-a"]

    assert told(after) == told(before)
    assert "pass" in client.get(f"{shop.url}/readings.csv").text


def test_an_exported_call_gives_the_same_causes_at_the_command_line(
    app: Flask, make_shop: Callable[..., ShopOf], tmp_path: Path
) -> None:
    """With a proof off circuit in it: the file reads back, and `plentar diagnose` names what the screen names."""
    shop = make_shop("wye-contactor")
    client = sign_in(app, shop)
    call_heat(client, shop, 700)
    for point, typed in ((SUPPLY, "208"), ("amps:strip-a", "0.0")):
        assert send(client, shop, event("reading", ago=300, point=point, typed=typed))[0]["answer"] == "kept"
    send(client, shop, event("switch", ago=290, what="W", state="off"))
    prove_dead(client, shop)
    source = event("switch", ago=9, what="control", state="separate source")
    send(client, shop, source, event("switch", ago=8, what="W", state="on"))
    [answer] = send(client, shop, event("reading", point="ohms:contactor-a.pole-1", typed="OL"))
    assert answer["answer"] == "kept", answer
    path = tmp_path / "call.json"
    path.write_bytes(client.get(f"{shop.url}/call.json").data)
    done = CliRunner().invoke(main, ["diagnose", str(path)])
    assert done.exit_code == 0, done.output
    causes = json.loads(done.output)["causes"]
    assert "contactor-a.pole-1.open" in causes[0]["faults"]
    page = client.get(shop.url).text
    shown = page[page.index('id="findings"') :]
    assert causes[0]["title"] in shown
    assert f"{causes[0]['probability']:.0%}".removesuffix("%") in shown


NASTY = [
    pytest.param("parts.csv", b"part,minutes\rSequencer,20\r", id="lone CR"),
    pytest.param("parts.csv", b"part,minutes\n" + b"x" * 140_000 + b",1\n", id="long field"),
    pytest.param("parts.csv", "part,minutes\nSequencer,4/²\n".encode(), id="a power of four"),
    pytest.param("parts.csv", b'part,minutes\n"open,1\n', id="open quote"),
    pytest.param("parts.csv", b"\xff\xfep\x00", id="half of UTF-16"),
    pytest.param("parts.csv", b"\x00\x00\x00", id="NUL"),
]


@pytest.mark.parametrize(("name", "contents"), NASTY)
def test_a_damaged_file_is_told_beside_its_field(client: FlaskClient, shop: ShopOf, name: str, contents: bytes) -> None:
    """Whatever is in it, the answer is words."""
    for url, field in (("/parts.csv", "file"), (f"{shop.url}/logs", "file")):
        answer = client.post(url, data={field: (BytesIO(contents), name), "clamp": "strip-a"}, headers=HTMX)
        assert answer.status_code < 500, (url, answer.text)


TARGETS = ["/today%0d%0aX: y", "/%09/evil.example", "//evil.example", "/%5cevil.example"]


@pytest.mark.parametrize("target", TARGETS)
def test_hostile_next_addresses_go_nowhere_else(app: Flask, shop: ShopOf, target: str) -> None:
    """A sign-in ends inside the application."""
    client = app.test_client()
    answer = client.post(f"/sign-in?next={target}", data={"email": shop.email, "password": "attic-ladder-7"})
    assert answer.status_code == 302
    assert answer.headers["Location"].startswith("/")
    assert "evil" not in answer.headers["Location"]


def test_a_nameless_part_of_a_form_is_no_fault_of_ours(client: FlaskClient, shop: ShopOf) -> None:
    """A multipart part without a name is left out."""
    body = b"--x\r\nContent-Disposition: form-data\r\n\r\n1\r\n--x--\r\n"
    for url in (f"{shop.url}/readings", f"{shop.url}/logs", f"{shop.url}/photos", "/parts.csv"):
        answer = client.post(url, data=body, content_type="multipart/form-data; boundary=x", headers=HTMX)
        assert answer.status_code < 500, url


@pytest.mark.parametrize(
    "page", ["", "/fix", "/blower", "/control", "/timing", "/report", "/call.json", "/readings.csv"]
)
def test_a_strangers_call_has_no_pages(app: Flask, make_shop: Callable[..., ShopOf], page: str) -> None:
    """Every page of another shop's call answers as if it were not there."""
    one, two = make_shop(), make_shop()
    assert sign_in(app, two).get(f"{one.url}{page}").status_code == 404
    assert sign_in(app, one).get(f"{one.url}{page}").status_code == 200


def test_one_id_in_two_shops_is_two_things(app: Flask, make_shop: Callable[..., ShopOf]) -> None:
    """A photo and a log sent under the same id by two shops: each sees its own."""
    shops = [make_shop(), make_shop()]
    photo, log = str(uuid4()), str(uuid4())
    seen = []
    for shop, colour, amps in zip(shops, ("orange", "navy"), (20.8, 11.1), strict=True):
        client = sign_in(app, shop)
        picture = BytesIO()
        Image.new("RGB", (8, 8), colour).save(picture, "PNG")
        picture.seek(0)
        client.post(f"{shop.url}/photos", data={"photo_id": photo, "photo": (picture, "p.png")}, headers=HTMX)
        rows = "seconds,amps\n" + "".join(f"{second},{amps if second > 20 else 0.0}\n" for second in range(120))
        file = (BytesIO(rows.encode()), "a.csv")
        client.post(f"{shop.url}/logs", data={"file": file, "clamp": "strip-a", "log_id": log})
    for shop in shops:
        client = sign_in(app, shop)
        seen.append((client.get(f"{shop.url}/photos/{photo}.jpg").data, client.get(f"{shop.url}/logs/{log}.csv").text))
    assert seen[0][0] != seen[1][0]
    assert "20.8" in seen[0][1]
    assert "11.1" in seen[1][1]


def test_a_strangers_photo_log_and_strike_are_404(app: Flask, make_shop: Callable[..., ShopOf]) -> None:
    """By their real ids, on the stranger's own call too."""
    one, two = make_shop(), make_shop()
    mine, theirs = sign_in(app, one), sign_in(app, two)
    picture = BytesIO()
    Image.new("RGB", (8, 8), "orange").save(picture, "PNG")
    picture.seek(0)
    photo = str(uuid4())
    assert mine.post(
        f"{one.url}/photos", data={"photo_id": photo, "photo": (picture, "p.png")}, headers=HTMX
    ).status_code in (200, 302)
    kept = str(uuid4())
    log = "seconds,amps\n" + "".join(f"{second},{20.8 if second > 20 else 0.0}\n" for second in range(120))
    answer = mine.post(
        f"{one.url}/logs", data={"file": (BytesIO(log.encode()), "a.csv"), "clamp": "strip-a", "log_id": kept}
    )
    assert answer.status_code == 302, answer.text
    document = mine.get(f"{one.url}/timing").text
    assert "a.csv" in document
    for base in (one.url, two.url):
        assert theirs.get(f"{base}/photos/{photo}.jpg").status_code == 404
        assert theirs.get(f"{base}/logs/{kept}").status_code == 404
        assert theirs.get(f"{base}/logs/{kept}.csv").status_code == 404
        assert theirs.post(f"{base}/strike/{photo}", data={"reason": "x"}, headers=HTMX).status_code in (404, 422)


def test_a_struck_out_live_event_is_still_a_live_event(client: FlaskClient, shop: ShopOf) -> None:
    """What may have been live cannot be argued away."""
    prove_dead(client, shop)
    live = event("switch", what="feed-1", state="live")
    send(client, shop, live)
    [answer] = send(client, shop, event("void", event=live["id"], reason="wrong button"))
    assert answer["answer"] in ("kept", "refused")
    assert condition(client, shop)["feeds"] == {"feed-1": "live"}


def test_events_that_are_no_events(client: FlaskClient, shop: ShopOf) -> None:
    """Each is answered for itself, with the field; the good one among them is kept."""
    good: Sent = event("note", words="still here")
    bad: list[Sent] = [
        {**event("note", words="x"), "id": "no id"},
        event("no-such-kind"),
        event("note", words=["a list"]),
        event("reading", point="volts:moon:ground", typed="1"),
        event("switch", what="feed-1", state="half"),
        {**event("note", words="x"), "done_at": "yesterday"},
        event("note", clock=-1.0, words="x"),
        event("note", clock=timedelta.max.total_seconds() * 1e300, words="x"),
    ]
    for each in bad:
        answer = client.post(f"{shop.url}/events", json={"events": [each, good]})
        assert answer.status_code < 500, (each, answer.text)
    assert client.post(f"{shop.url}/events", data=b"{", content_type="application/json").status_code == 422


def test_what_was_voided_is_voided_once(client: FlaskClient, shop: ShopOf) -> None:
    """A second one, by whomever, is told; a switch is a fact of safety and voided by nobody."""
    first, on = event("note", words="wrong house"), event("switch", what="W", state="on")
    send(client, shop, first, on)
    [kept] = send(client, shop, event("void", event=first["id"], reason="wrong house"))
    [again] = send(client, shop, event("void", event=first["id"], reason="and again"))
    [fact] = send(client, shop, event("void", event=on["id"], reason="by mistake"))
    assert kept["answer"] == "kept"
    assert [(answer["answer"], answer["field"]) for answer in (again, fact)] == [("refused", "event")] * 2


def test_a_device_is_named_when_a_feed_goes_off_only(client: FlaskClient, shop: ShopOf) -> None:
    """Going live at a named device would look like a lock-out."""
    [live] = send(client, shop, event("switch", what="feed-1", state="live", device="panel"))
    [call] = send(client, shop, event("switch", what="W", state="on", device="panel"))
    [off] = send(client, shop, event("switch", what="feed-1", state="off", device="panel"))
    assert [(answer["answer"], answer["field"]) for answer in (live, call)] == [("refused", "device")] * 2
    assert off["answer"] == "kept"


@pytest.mark.parametrize(("volts", "answer"), [(0.9, "kept"), (1.0, "refused"), (5.0, "refused")])
def test_a_capacitor_counts_as_discharged_below_the_dead_limit(
    client: FlaskClient, shop: ShopOf, volts: float, answer: str
) -> None:
    """One volt DC is not below one volt."""
    [found] = send(client, shop, event("tick", line="safe-capacitor", volts=volts))
    assert found["answer"] == answer
