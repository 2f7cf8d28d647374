"""Practice in its pages: a call found, dangers told, a debrief, drills, a class by code; no shop record touched."""

import json
import re
from collections.abc import Callable
from html import unescape
from uuid import uuid4

import pytest
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import Engine, func, select, text

from plentar.core.practice.drills import KINDS, drill
from plentar.core.practice.ladder import ladder
from plentar.core.unit.place import amps_at, line_volts, ohms_at, volts_at
from plentar.formats.case_json import case_to_json
from plentar.store.models import Base
from tests.application import ShopOf, flat, problems, reasons, sign_in

PRACTICE = ("learner", "practice_case", "practice_class", "practice_run", "practice_step", "practice_answer")
HTMX = {"HX-Request": "true"}


class Practising:
    """One learner in one run."""

    def __init__(self, client: FlaskClient, case_id: str) -> None:
        self.client = client
        answer = client.post(f"/practice/cases/{case_id}")
        assert answer.status_code == 303
        self.url = answer.location

    def do(self, what: str, code: int = 200, **fields: str) -> str:
        answer = self.client.post(f"{self.url}/act", data={"do": what, "step_id": str(uuid4())} | fields, headers=HTMX)
        assert answer.status_code == code, flat(answer.text)[:500]
        return flat(answer.text)

    def switch(self, switch: str) -> str:
        sent = {"switch": switch, "switch_id": str(uuid4())}
        return flat(self.client.post(f"{self.url}/switch", data=sent, headers=HTMX).text)

    def digits(self, page: str) -> str:
        found = re.search(r'meter-digits numeral">([^<]*)<', page)
        assert found is not None
        return found[1]


@pytest.fixture
def client(app: Flask, make_shop: Callable[..., ShopOf]) -> FlaskClient:
    return sign_in(app, make_shop())


def id_of(fault: str) -> str:
    return next(case.id for case in ladder() if [hidden.fault for hidden in case.hidden] == [fault])


def test_a_welded_pole_is_found_and_put_right(client: FlaskClient, engine: Engine) -> None:
    """Gear on, amps without a call, dead proven, the sequencer replaced: solved, and the skill has an answer."""
    run = Practising(client, id_of("seq-a.pole-1.welded"))
    run.do("tick", about="safe-gear")
    page = run.do("read", point=amps_at("strip-a"))
    assert float(run.digits(page)) > 15
    for what, about in (("open:panel", "feed-1"), ("lock:on", "feed-1")):
        run.do(what, about=about)
    run.switch("control=off")
    done = ("tick", "safe-outdoor-off"), ("meter", ""), ("tick", "safe-frame"), ("pairs", ""), ("meter", "")
    for what, about in (*done, ("tick", "safe-capacitor")):
        run.do(what, about=about)
    assert "data-verified-dead" in client.get(f"{run.url}?panel=safe").text
    run.do("fit", part="seq-a", checked="yes")
    end = client.post(f"{run.url}/act", data={"do": "end", "step_id": str(uuid4())})
    assert end.location.endswith("/debrief")
    page = flat(client.get(end.location).text)
    assert 'data-solved="yes"' in page
    with engine.connect() as connection:
        rows = connection.execute(text("select skill, is_right from practice_answer")).all()
    assert ("open-closed", True) in [tuple(row) for row in rows]


def test_live_ohms_are_refused_and_insisted_on_blow_the_meter(client: FlaskClient) -> None:
    """As on a real call first; then it is told what it would have done, and the bill shows it."""
    run = Practising(client, id_of("strip-b.element.open"))
    run.do("tick", about="safe-gear")
    page = run.do("read", point=ohms_at("strip-b.element"))
    assert 'value="read:anyway"' in page
    page = run.do("read:anyway", point=ohms_at("strip-b.element"))
    assert "practice-danger" in page
    assert run.digits(page) == "FUSE"
    assert "1 unsafe" in page


def test_the_knob_stays_where_it_was_put(client: FlaskClient) -> None:
    """On the 6 V range the line reads OL, and why is said; the range stays chosen; a range that is none is refused."""
    run = Practising(client, "ladder-01")
    run.do("tick", about="safe-gear")
    page = run.do("read", point=line_volts("feed-1"), range="6.0")
    assert run.digits(page) == "OL"
    assert "OL on the 6 V range" in page
    assert re.search(r'value="6.0" checked', page)
    assert problems(run.do("read", 422, point=line_volts("feed-1"), range="six")) == ["range"]
    assert re.search(r'value="" checked', run.do("read", point=line_volts("feed-1"), range=""))


def test_a_breaker_asks_where_one_stands(client: FlaskClient) -> None:
    """Opening asks the device, closing asks where one stands; in front of it is told."""
    run = Practising(client, id_of("strip-b.element.open"))
    assert 'value="open:panel"' in run.switch("feed-1=off")
    run.do("open:panel", about="feed-1")
    assert 'value="close:front"' in run.switch("feed-1=live")
    assert "practice.danger-in-front" in reasons(run.do("close:front", about="feed-1"))


def test_a_step_sent_twice_is_taken_once(client: FlaskClient) -> None:
    """A double tap: the second changes nothing and is no error."""
    run = Practising(client, id_of("strip-b.element.open"))
    sent = {"do": "wait:120", "step_id": str(uuid4())}
    for _ in range(2):
        assert client.post(f"{run.url}/act", data=sent, headers=HTMX).status_code == 200
    assert "1</span> step" in flat(client.get(run.url).text)


def test_a_run_is_replayed_from_what_was_kept(app: Flask, client: FlaskClient) -> None:
    """A process that never saw it shows the same display."""
    from plentar.web.practice import keeping

    run = Practising(client, id_of("strip-b.element.open"))
    run.do("tick", about="safe-gear")
    shown = run.digits(run.do("read", point=line_volts("feed-1")))
    keeping._held.clear()
    assert run.digits(flat(client.get(f"{run.url}?point={line_volts('feed-1')}").text)) == shown


def test_nothing_hidden_is_answered_by_fitting_nothing(client: FlaskClient) -> None:
    """Too cold outside, and the unit sound: ended with nothing put right it is found."""
    case = next(
        case for case in ladder() if not case.hidden and case.outdoor_degf is not None and case.outdoor_degf < 0
    )
    run = Practising(client, case.id)
    assert "-8 °F outdoors" in flat(client.get(run.url).text)
    client.post(f"{run.url}/act", data={"do": "end", "step_id": str(uuid4())})
    assert 'data-hidden="0"' in client.get(f"{run.url}/debrief").text


def test_a_debrief_is_replayed_step_by_step(client: FlaskClient) -> None:
    """The slider's fragment: the board at that step, why the meter read that, the parts its probes hang on outlined."""
    run = Practising(client, id_of("strip-b.element.open"))
    run.do("tick", about="safe-gear")
    run.do("read", point=volts_at("strip-a.element.2", "ground"))
    client.post(f"{run.url}/act", data={"do": "end", "step_id": str(uuid4())})
    page = flat(client.get(f"{run.url}/debrief?at=2", headers=HTMX).text)
    assert "practice.why" in reasons(page)
    assert 'class="lit"' in page
    assert 'class="lit"' not in client.get(f"{run.url}/debrief?at=1", headers=HTMX).text


@pytest.mark.parametrize("what", ["", "read", "wait:7", "dare:their-lock", "close:aside", "nonsense"])
def test_what_cannot_be_done_is_said(client: FlaskClient, what: str) -> None:
    """Bad input: a message, no traceback, and the run goes on."""
    run = Practising(client, id_of("strip-b.element.open"))
    code = 422
    page = run.do(what, code=code, point="volts:nowhere:ground", about="feed-9")
    assert 'role="alert"' in page
    run.do("listen")


def test_a_drill_by_its_number_is_answered_with_its_reason(client: FlaskClient, engine: Engine) -> None:
    """Right and wrong are told, with why; the same answer twice counts once."""
    one = drill(5)
    sent = {"n": "5", "choice": str(one.right), "answer_id": str(uuid4()), "kind": ""}
    for _ in range(2):
        assert "Right: " in flat(client.post("/practice/drills", data=sent, headers=HTMX).text)
    wrong = sent | {"choice": str((one.right + 1) % len(one.choices)), "answer_id": str(uuid4())}
    assert "No: " in flat(client.post("/practice/drills", data=wrong, headers=HTMX).text)
    with engine.connect() as connection:
        query = text("select is_right from practice_answer where id = any(:ids)")
        kept = connection.execute(query, {"ids": [sent["answer_id"], wrong["answer_id"]]}).scalars().all()
    assert sorted(kept) == [False, True]


@pytest.mark.parametrize("kind", list(KINDS))
def test_every_kind_of_drill_has_one_right_answer_among_others(kind: str) -> None:
    """Twenty of each: at least two choices, none twice, the same number the same drill."""
    for number in range(20):
        one = drill(number, kind)
        assert len(set(one.choices)) == len(one.choices) >= 2
        assert 0 <= one.right < len(one.choices)
        assert drill(number, kind) == one


@pytest.mark.parametrize(
    "address", ["/practice", "/practice/drills", "/practice/cutaways", "/practice/cutaways?part=motor&at=99"]
)
def test_the_pages_open(client: FlaskClient, address: str) -> None:
    """Ladder, drills, cutaways."""
    assert client.get(address).status_code == 200


@pytest.mark.parametrize(
    "address",
    [
        "/practice/drills?kind=chess",
        "/practice/drills?n=x",
        "/practice/cutaways?part=engine",
        "/practice/runs/00000000-0000-4000-8000-000000000001",
        "/practice/join/NOCODE",
    ],
)
def test_what_is_not_there_is_not_found(client: FlaskClient, address: str) -> None:
    """A made-up address is a 404, not a fault."""
    assert client.get(address).status_code == 404


def test_another_learners_run_is_not_there(app: Flask, client: FlaskClient, make_shop: Callable[..., ShopOf]) -> None:
    """Neither another shop's nor another person's run can be looked at or moved."""
    run = Practising(client, id_of("strip-b.element.open"))
    other = sign_in(app, make_shop())
    assert other.get(run.url).status_code == 404
    assert other.post(f"{run.url}/act", data={"do": "listen", "step_id": str(uuid4())}).status_code == 404
    assert other.get(f"{run.url}/debrief").status_code == 404


def test_a_class_is_held_by_a_code(app: Flask, lead: FlaskClient) -> None:
    """A case by its file, looked at and kept; a class made; two come by its code without accounts; results as CSV."""
    document = json.dumps(case_to_json(ladder()[8]) | {"title": "The cold room"})
    page = flat(lead.post("/practice/classes/cases", data={"case": document}).text)
    assert "data-preview" in page
    assert lead.post("/practice/classes/cases", data={"case": document, "do": "keep"}).status_code == 303
    case_id = re.search(r'name="cases" value="([0-9a-f-]{36})"', lead.get("/practice/classes").text)
    assert case_id is not None
    made = lead.post("/practice/classes", data={"name": "Thursday", "cases": [case_id[1], "ladder-01"]})
    page = lead.get(made.location).text
    code = re.search(r'class-code">([A-Z0-9]+)<', page)
    assert code is not None
    runs = []
    for name in ("Ada", "=Bo"):
        learner = app.test_client()
        assert learner.post(f"/practice/join/{code[1]}", data={"name": name}).status_code == 303
        begun = learner.post(f"/practice/join/{code[1]}/cases/{case_id[1]}")
        assert begun.status_code == 303
        assert learner.get(begun.location).status_code == 200
        learner.post(f"{begun.location}/act", data={"do": "end", "step_id": str(uuid4())})
        assert learner.get(f"{begun.location}/debrief").status_code == 200
        assert learner.get("/today").status_code == 302, "a class lets nobody into the shop"
        assert f"/practice/join/{code[1]}" in learner.get("/practice/drills").text, "drills are open, and lead back"
        runs.append((learner, begun.location))
    assert runs[0][0].get(runs[1][1]).status_code == 404
    # The lead tries their own link in the browser they are signed in with: both are somebody there.
    assert lead.post(f"/practice/join/{code[1]}", data={"name": "Maren"}).status_code == 303
    begun = lead.post(f"/practice/join/{code[1]}/cases/ladder-01")
    assert lead.get(begun.location).status_code == 200
    results = lead.get(f"{made.location}.csv").text
    assert "Ada,The cold room" in results
    assert "'=Bo" in results, "a name is no formula"
    lead.post(f"{made.location}/close")
    assert app.test_client().get(f"/practice/join/{code[1]}").status_code == 404
    assert runs[0][0].get(runs[0][1]).status_code == 404


def test_a_case_of_a_real_call_names_nobody(lead: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """Its circuit, fault and weather; no street, no occupant, none of their words, no serial. Open calls are none."""
    address = f"/practice/classes/from-call/{shop.call_id}"
    assert lead.get(address).status_code == 404
    with engine.begin() as connection:
        connection.execute(text("update place set occupant = 'Odalys Verrin' where shop_id = :s"), {"s": shop.shop.id})
        changes = "update call set words = 'behind the blue door', status = 'closed', outdoor_degf = 11 where id = :c"
        connection.execute(text(changes), {"c": shop.call_id})
        payload = {"faults": ["strip-b.link.open"], "title": "Link of Strip B open", "cause_not_found": True}
        kept = {"s": shop.shop.id, "c": shop.call_id, "p": shop.person.id, "d": json.dumps(payload), "i": uuid4()}
        row = (
            "insert into event (shop_id, id, call_id, seq, kind, payload, person_id, done_at, come_at, clock_seconds)"
            " values (:s, :i, :c, 99, 'cause', cast(:d as jsonb), :p, now(), now(), 0)"
        )
        connection.execute(text(row), kept)
        place = connection.execute(text("select name from place where shop_id = :s"), {"s": shop.shop.id}).scalar_one()
    assert "Link of Strip B open" in flat(lead.get("/practice/classes").text)
    page = lead.get(address).text
    kept_file = re.search(r'<textarea name="case" hidden>(.*?)</textarea>', page, re.DOTALL)
    assert kept_file is not None
    document = json.loads(unescape(kept_file[1]))
    assert document["hidden"] == [{"fault": "strip-b.link.open", "size": 0.5}]
    assert document["outdoor_degf"] == 11
    for word in (place, "Odalys", "blue door", document["unit"].get("serial") or "no serial"):
        assert word not in kept_file[1]


@pytest.mark.parametrize("sent", [{"case": ""}, {"case": "{"}, {"case": '{"format": "plentar.case/9"}'}])
def test_a_bad_case_file_is_said(lead: FlaskClient, sent: dict[str, str]) -> None:
    """Beside the field, in words; nothing is kept."""
    answer = lead.post("/practice/classes/cases", data=sent)
    assert answer.status_code == 422
    assert problems(answer.text) or 'role="alert"' in answer.text


def test_practice_leaves_the_shops_records_alone(client: FlaskClient, engine: Engine) -> None:
    """Rows of every table of the shop before and after a run, drills and a debrief: the same."""

    def counts() -> dict[str, int]:
        names = [table.name for table in Base.metadata.sorted_tables if table.name not in (*PRACTICE, "sign_in")]
        with engine.connect() as connection:
            rows = {name: select(func.count()).select_from(Base.metadata.tables[name]) for name in names}
            return {name: connection.execute(query).scalar_one() for name, query in rows.items()}

    client.get("/practice")
    before = counts()
    run = Practising(client, id_of("strip-b.element.open"))
    run.do("tick", about="safe-gear")
    run.do("read", point=line_volts("feed-1"))
    run.do("ask")
    client.post(f"{run.url}/act", data={"do": "end", "step_id": str(uuid4())})
    client.get(f"{run.url}/debrief")
    client.post("/practice/drills", data={"n": "3", "choice": "0", "answer_id": str(uuid4()), "kind": ""})
    assert counts() == before


def test_steps_are_append_only(client: FlaskClient, engine: Engine) -> None:
    """The database itself refuses to change how a run went."""
    run = Practising(client, id_of("strip-b.element.open"))
    run.do("listen")
    with engine.connect() as connection, pytest.raises(Exception, match="append-only"):
        connection.execute(text("update practice_step set at_seconds = 0"))
