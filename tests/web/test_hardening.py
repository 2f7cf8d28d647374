"""What nobody may break: moments, forms and JSON that cannot be, hosts, counts of tries, a row that stays locked."""

import tempfile
import threading
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from html import unescape
from io import BytesIO
from pathlib import Path
from time import sleep
from typing import Any
from urllib.parse import urlsplit
from uuid import uuid4

import pytest
from click.testing import CliRunner
from flask import Flask, g
from flask.testing import FlaskClient
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from plentar.cli import main
from plentar.core.errors import ReadingError
from plentar.store import people
from plentar.store.locking import lock_row_of_call
from plentar.store.models import Call, Person
from plentar.web.serving.errors import LATER, LOCKED
from plentar.web.serving.server import use_folder_of
from plentar.web.serving.settings import Settings, SettingsError
from tests.actions import event, send
from tests.application import PASSWORD, ShopOf, application, sign_in
from tests.web.test_phones import Phone, kinds, reading

DEMO = "Quillet Hollow Heating"
SUPPLY = "volts:feed-1.l1:feed-1.l2"
HTMX = {"HX-Request": "true"}


# Moments.


@pytest.mark.parametrize(
    ("done_at", "clock", "field"),
    [
        pytest.param("0001-01-01T00:00:00+00:00", 0, "done_at", id="the first day there is"),
        pytest.param("0001-01-01T00:00:00+14:00", 0, "done_at", id="before the first day there is"),
        pytest.param("9999-12-31T23:59:59-14:00", 0, "done_at", id="after the last day there is"),
        pytest.param("1970-01-01T00:00:00+00:00", 0, "done_at", id="a clock that was never set"),
        pytest.param(-86_400 - 3_600 - 5, 0, "done_at", id="more than a day before the opening"),
        pytest.param(-86_400 - 3_600 + 5, 0, "", id="a day before the opening"),
        pytest.param(-5, 3_600, "", id="an hour of doubt"),
        pytest.param(-5, 3_601, "clock_seconds", id="more than an hour of doubt"),
        pytest.param(30, 60, "", id="ahead within its doubt"),
        pytest.param(30, 20, "done_at", id="ahead of its doubt"),
    ],
)
def test_a_moment_lies_between_the_opening_and_now(
    client: FlaskClient, shop: ShopOf, done_at: Any, clock: float, field: str
) -> None:
    """The call was opened an hour ago; what lies outside is refused with its field, and the page still opens."""
    sent = event("note", words="when was this?", clock=clock)
    if not isinstance(done_at, str):
        done_at = (datetime.now(UTC) + timedelta(seconds=done_at)).isoformat()
    [answer] = send(client, shop, sent | {"done_at": done_at})
    assert (answer["answer"], answer.get("field", "")) == (("refused", field) if field else ("kept", "")), answer
    for path in ("", "/report", "/call.json"):
        assert client.get(f"{shop.url}{path}").status_code == 200


@pytest.mark.parametrize("done_at", ["0001-01-01T00:00:00+14:00", "1970-01-01T00:00:00+00:00"])
def test_a_phone_with_such_a_moment_is_not_asked_for_ever(
    client: FlaskClient, shop: ShopOf, engine: Engine, done_at: str
) -> None:
    """Set aside with why; a call that would begin then is refused, once and for all."""
    phone = Phone(client)
    answer = phone.send(f"{shop.url}/readings", reading(), {"Plentar-Done": done_at})
    assert (answer.status_code, answer.json["aside"]) == (200, True)
    assert answer.json["why"]
    assert client.get(shop.url).status_code == 200
    assert kinds(engine, shop) == []
    begun = {"call_id": str(uuid4()), "complaints": "no heat", "place_id": "new", "place_name": "2 Test Row"}
    begun |= {"unit_id": "new", "start_from": "pattern:two-strip-sequencer"}
    answer = phone.send("/calls/new", begun, {"Plentar-Done": done_at})
    assert answer.status_code == 422
    assert "400 days" in answer.json["why"]


def test_a_kept_moment_out_of_range_can_still_be_shown(client: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """An older record has one: the call's page, papers, file and the unit's years open."""
    [answer] = send(client, shop, event("cause", words="seized wheel", cause="dirt"))
    assert answer["answer"] == "kept"
    moved = "update event set done_at = '0001-01-01 00:00:00+00' where call_id = :c and kind = 'cause'"
    with engine.begin() as connection:
        connection.execute(text("alter table event disable trigger event_is_evidence"))
        connection.execute(text(moved), {"c": shop.call_id})
        connection.execute(text("alter table event enable trigger event_is_evidence"))
    for path in (shop.url, f"{shop.url}/report", f"{shop.url}/report.pdf", f"{shop.url}/call.json"):
        assert client.get(path).status_code == 200, path
    assert client.get(f"/units/{shop.unit_id}").status_code == 200


# What comes late.


def closed(client: FlaskClient, shop: ShopOf) -> None:
    answer = client.post(f"{shop.url}/close", data={"outcome": "done", "reason": "owner asked us to stop"})
    assert answer.status_code == 302


def test_a_closed_call_takes_late_evidence_by_a_phones_seal_alone(
    app: Flask, client: FlaskClient, shop: ShopOf, make_colleague: Any
) -> None:
    """Anybody could claim a moment before the closing; a phone that kept it has its seal."""
    other = sign_in(app, make_colleague(shop))
    closed(client, shop)
    [claimed] = send(other, shop, event("reading", ago=600, clock=3_600, point=SUPPLY, typed="238"))
    assert (claimed["answer"], claimed["field"]) == ("refused", "value")
    assert Phone(other).send(f"{shop.url}/readings", reading()).json == {"kept": True}


def test_what_is_in_too_much_doubt_waits_for_a_lead(
    app: Flask, lead: FlaskClient, shop: ShopOf, engine: Engine, make_colleague: Any
) -> None:
    """Set aside with its doubt; a technician cannot take it, a lead can, in the name of whoever sent it."""
    other = sign_in(app, make_colleague(shop))
    phone, form = Phone(other), reading()
    answer = phone.send(f"{shop.url}/readings", form, {"Plentar-Clock": "4000"})
    assert answer.json["aside"] is True
    assert kinds(engine, shop) == []
    page = lead.get(shop.url).text
    assert '/accept"' in page
    rejected = page.split("/aside/")[1].split("/")[0]
    assert other.post(f"{shop.url}/aside/{rejected}/accept").status_code == 403
    assert '/accept"' not in other.get(shop.url).text
    assert lead.post(f"{shop.url}/aside/{rejected}/accept").status_code == 302
    assert lead.post(f"{shop.url}/aside/{rejected}/accept").status_code == 404
    with engine.connect() as connection:
        query = "select p.name, e.clock_seconds from event e join person p on p.id = e.person_id where call_id = :c"
        rows = connection.execute(text(f"{query} and kind = 'reading'"), {"c": shop.call_id}).all()
    assert rows == [("Ona Other", 4000.0)]
    assert "Late entry accepted" in lead.get("/shop/audit").text


def test_one_phone_sets_aside_no_more_than_its_share(
    client: FlaskClient, shop: ShopOf, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Above it the rest stays on the phone, refused and not tried for ever."""
    monkeypatch.setattr("plentar.store.phones.MOST_REJECTED", 2)
    phone = Phone(client)
    sent = [phone.send(f"{shop.url}/readings", reading("ohms:strip-a.element", "11.6")) for _ in range(3)]
    assert [(a.status_code, a.json["aside"]) for a in sent] == [(200, True), (200, True), (422, False)]


def test_the_seal_covers_the_query(client: FlaskClient, shop: ShopOf) -> None:
    """What stands behind the question mark is sealed like the rest."""
    phone, form = Phone(client), reading()
    assert phone.send(f"{shop.url}/readings?hand=driven", form).status_code == 200
    real = phone.client.post

    def changed(path: str, **sent: Any) -> Any:
        return real(path.replace("driven", "at rest"), **sent)

    phone.client.post = changed  # type: ignore[method-assign]
    assert phone.send(f"{shop.url}/readings?hand=driven", reading()).status_code == 400


# Forms and JSON that cannot be.

NAMELESS = b"--x\r\nContent-Disposition: form-data\r\n\r\nv\r\n--x--\r\n"


@pytest.mark.parametrize("path", ["/sign-in", "/theme", "/practice/join/ABCDEF", "/welcome/none"])
def test_a_part_without_a_name_is_told(app: Flask, path: str) -> None:
    """By anybody, to any form: no fault of ours."""
    answer = app.test_client().post(path, data=NAMELESS, content_type="multipart/form-data; boundary=x")
    assert answer.status_code == 400


@pytest.mark.parametrize(
    "sent",
    [
        pytest.param("[" * 4_000, id="deep"),
        pytest.param("9" * 5_000, id="a number of 5,000 digits"),
        pytest.param('{"events": ' + "[" * 200 + "]" * 200 + "}", id="deep within"),
        pytest.param('{"id": NaN}', id="not a number"),
        pytest.param('{"id": "\\u0000"}', id="NUL"),
        pytest.param("\ud800".encode("utf-8", "surrogatepass"), id="no UTF-8"),
    ],
)
def test_json_that_nothing_can_keep_is_refused_wherever_it_is_sent(
    client: FlaskClient, lead: FlaskClient, shop: ShopOf, sent: Any
) -> None:
    """The events of a call, a passkey's answer, a signature, an instructor's case."""
    assert client.post(f"{shop.url}/events", data=sent, content_type="application/json").status_code == 422
    typed = sent if isinstance(sent, str) else sent.decode("utf-8", "replace")
    assert client.post("/sign-in/passkey", data={"credential": typed}).status_code == 422
    signed = {"role": "owner", "name": "A. Owner", "strokes": typed[:5_000]}
    assert client.post(f"{shop.url}/sign", data=signed, headers=HTMX).status_code == 422
    assert lead.post("/practice/classes/cases", data={"case": typed}).status_code == 422


def test_a_character_of_code_0_is_refused_and_the_next_request_is_answered(client: FlaskClient, shop: ShopOf) -> None:
    """PostgreSQL keeps none; the session goes on."""
    form = {"order_id": str(uuid4()), "name": "Limit\0switch"}
    assert client.post(f"{shop.url}/orders", data=form).status_code == 400
    assert client.get("/find?q=%00").status_code == 400
    assert client.get("/today").status_code == 200


# Orders and follow-ups.


def test_an_order_under_a_used_id_is_kept_kept_already_or_refused(client: FlaskClient, shop: ShopOf) -> None:
    """The same again is harmless; another one is told what stands, and has a new id to be sent with."""
    path, form = f"{shop.url}/orders", {"order_id": str(uuid4()), "name": "Limit switch"}
    assert [client.post(path, data=form).status_code for _ in range(2)] == [302, 302]
    refused = client.post(path, data=form | {"name": "Sequencer"})
    assert refused.status_code == 422
    assert "Limit switch" in refused.text
    assert f'value="{form["order_id"]}"' not in refused.text
    assert client.get(f"{shop.url}/plan").text.count("<b>Limit switch</b>") == 1


def test_a_follow_up_under_a_used_id_is_kept_kept_already_or_refused(client: FlaskClient, shop: ShopOf) -> None:
    """Likewise what is owed to the place."""
    path = f"{shop.url}/follow-ups"
    form = {"item_id": str(uuid4()), "words": "seal the return", "due_on": "2030-01-05"}
    assert [client.post(path, data=form).status_code for _ in range(2)] == [302, 302]
    refused = client.post(path, data=form | {"due_on": "2030-01-06"})
    assert refused.status_code == 422
    assert "seal the return" in refused.text
    assert "05 Jan 2030" in refused.text


# Ways in.


def test_every_sign_in_verifies_a_hash(shop: ShopOf, engine: Engine, monkeypatch: pytest.MonkeyPatch) -> None:
    """Wrong password, nobody's address, invited and not set up yet: one verification each, so that none is quicker."""
    asked: list[str] = []
    real = people._hasher

    class Counting:
        def verify(self, kept: str, password: str) -> bool:
            asked.append(kept)
            return real.verify(kept, password)

    monkeypatch.setattr(people, "_hasher", Counting())
    invited = Person(email="x@y.example", password_hash="", name="Invited")
    assert not people.is_password(shop.person, "wrong")
    assert not people.is_password(None, "wrong")
    assert not people.is_password(invited, "no person signs in with this address")
    assert len(asked) == 3
    assert all(kept.startswith("$argon2id$") for kept in asked)


@pytest.mark.usefixtures("old_attempts_gone")
def test_a_classs_code_is_not_guessed(app: Flask, monkeypatch: pytest.MonkeyPatch) -> None:
    """Wrong codes of one address are counted; then even the right one waits."""
    monkeypatch.setattr("plentar.web.practice.classes.CODE_TRIES", 3)
    client = app.test_client()
    answers = [client.get(f"/practice/join/ZZZZZ{n}").status_code for n in range(4)]
    assert answers == [404, 404, 404, 429]


@pytest.mark.usefixtures("old_attempts_gone")
def test_a_class_ends_on_its_day(app: Flask, lead: FlaskClient, engine: Engine) -> None:
    """Fourteen days unless it says otherwise; after that its code opens nothing."""
    case = next(iter(lead.get("/practice/classes").text.split('name="cases" value="')[1].split('"')))
    assert lead.post("/practice/classes", data={"name": "A", "cases": case, "days": "0"}).status_code == 422
    for days in ("", "3"):
        made = lead.post("/practice/classes", data={"name": "Evening", "cases": case, "days": days})
        page = lead.get(made.headers["Location"]).text
        code = page.split('class-code">')[1].split("<")[0]
        assert app.test_client().get(f"/practice/join/{code}").status_code == 200
        with engine.begin() as connection:
            query = "select open_until - made_at from practice_class where code = :c"
            lasts = connection.scalar(text(query), {"c": code})
            assert abs(lasts - timedelta(days=int(days or 14))) < timedelta(minutes=1)
            connection.execute(text("update practice_class set open_until = now() where code = :c"), {"c": code})
        assert app.test_client().get(f"/practice/join/{code}").status_code == 404
        assert "data-ended" in lead.get(made.headers["Location"]).text


def test_a_passkey_is_asked_on_the_server_once_and_for_five_minutes(app: Flask, engine: Engine) -> None:
    """The cookie alone answers nothing: used, or five minutes old, it is asked again."""
    client = app.test_client()
    with engine.begin() as connection:
        connection.execute(text("delete from passkey_challenge"))
    for age in ("", "5 minutes"):
        assert client.post("/sign-in/passkey/options").status_code == 200
        with client.session_transaction() as session:
            kept = dict(session)
        with engine.begin() as connection:
            assert connection.scalar(text("select count(*) from passkey_challenge")) == 1
            if age:
                connection.execute(text("update passkey_challenge set expires_at = now()"))
        form = {"credential": '{"id": "AAAA", "rawId": "AAAA"}'}
        first = client.post("/sign-in/passkey", data=form).json
        with client.session_transaction() as session:
            session.update(kept)
        again = client.post("/sign-in/passkey", data=form).json
        assert first is not None
        assert again is not None
        assert (again["why"] == first["why"]) is bool(age)


# Hosts and cookies.


def test_another_host_is_refused(app: Flask) -> None:
    """Nothing is made for whoever says the application has another name."""
    client = app.test_client()
    assert client.get("/sign-in", headers={"Host": "evil.example"}).status_code == 400
    assert client.get("/sign-in", headers={"Host": "localhost:8000"}).status_code == 200


@pytest.mark.parametrize(
    ("given", "fits"),
    [
        ({"host": "127.0.0.1"}, True),
        ({"host": "0.0.0.0"}, False),  # noqa: S104 - refused
        ({"host": "0.0.0.0", "origin": "https://plentar.example"}, True),  # noqa: S104
    ],
)
def test_outside_loopback_the_origin_is_required(given: dict[str, str], fits: bool) -> None:
    """Links and passkeys are made of it."""
    base: dict[str, Any] = {"database_url": "x", "secret_key": "k" * 32, **given}
    if fits:
        assert Settings(**base).host == given["host"]
    else:
        with pytest.raises(SettingsError, match="PLENTAR_ORIGIN"):
            Settings(**base)


def test_every_cookie_is_secure_by_the_setting(engine: Engine, database_url: str, shop: ShopOf) -> None:
    """Behind a proxy too, where the request itself came in plain; HSTS speaks for this name alone."""
    with application(database_url, secure_cookies=True, origin="https://localhost") as app:
        app.config["WTF_CSRF_ENABLED"] = False
        client = app.test_client()
        answers = [
            client.post("/sign-in", data={"email": shop.email, "password": PASSWORD}),
            client.post("/theme", data={"theme": "day"}),
        ]
        page = client.get("/sign-in", base_url="https://localhost")
    cookies = [cookie for answer in answers for cookie in answer.headers.getlist("Set-Cookie")]
    assert {cookie.split("=")[0] for cookie in cookies} == {"plentar", "device", "theme"}
    assert all("Secure" in cookie for cookie in cookies)
    assert "includeSubDomains" not in page.headers["Strict-Transport-Security"]


# A row that stays locked.


def locked_by(engine: Engine) -> int:
    """How many connections wait for a lock."""
    with engine.connect() as connection:
        query = "select count(*) from pg_stat_activity where wait_event_type = 'Lock' and datname = current_database()"
        return int(connection.scalar(text(query)) or 0)


def until(is_so: Callable[[], bool]) -> None:
    """Wait for something to come about, a minute at most."""
    for _ in range(1200):
        if is_so():
            return
        sleep(0.05)
    raise AssertionError("it did not come about within a minute")


def test_a_locked_call_holds_up_nobody_else(
    engine: Engine, database_url: str, shop: ShopOf, make_shop: Callable[..., ShopOf]
) -> None:
    """Two of four threads wait for it and are kept at last; the others are told at once, with what they typed."""
    other = make_shop()
    with application(database_url, is_gated=True, threads=4, lock_seconds=60) as app, engine.connect() as holder:
        app.config["WTF_CSRF_ENABLED"] = False
        clients, elsewhere = [sign_in(app, shop) for _ in range(4)], sign_in(app, other)
        holder.execute(text("select 1 from call where id = :c for update"), {"c": shop.call_id})
        codes: list[int] = []

        def post(client: FlaskClient) -> None:
            answer = client.post(f"{shop.url}/readings", data=reading() | {"value": "238.1"})
            assert answer.status_code != 503 or "238.1" in answer.text
            codes.append(answer.status_code)

        threads = [threading.Thread(target=post, args=(client,)) for client in clients]
        for thread in threads:
            thread.start()
        until(lambda: len(codes) == 2 and locked_by(engine) == 2)
        assert codes == [503, 503]
        assert elsewhere.get(other.url).status_code == 200
        [kept] = send(elsewhere, other, event("note", words="on another call"))
        assert kept["answer"] == "kept"
        holder.rollback()
        for thread in threads:
            thread.join()
    assert sorted(codes) == [302, 302, 503, 503]


def test_a_lock_that_is_not_had_in_time_is_told(engine: Engine, database_url: str, shop: ShopOf) -> None:
    """Not a page that hangs: said as what it is, and sent again it is kept."""
    form = reading() | {"value": "238.1"}
    with application(database_url, lock_seconds=1) as app:
        app.config["WTF_CSRF_ENABLED"] = False
        client = sign_in(app, shop)
        with engine.connect() as holder:
            holder.execute(text("select 1 from call where id = :c for update"), {"c": shop.call_id})
            answer = client.post(f"{shop.url}/readings", data=form)
            assert (answer.status_code, answer.headers["Retry-After"]) == (503, "5")
            assert LOCKED in answer.text
            holder.rollback()
        assert client.post(f"{shop.url}/readings", data=form).status_code == 302


def test_a_row_that_was_waited_for_leaves_the_statements_own_time(
    engine: Engine, database_url: str, shop: ShopOf
) -> None:
    """Waiting for a row shortens a statement's time-out to a lock's, and gives it back; a call that is none is none."""
    with application(database_url, lock_seconds=60) as app, engine.connect() as holder:
        holder.execute(text("select 1 from call where id = :c for update"), {"c": shop.call_id})
        with app.extensions["plentar.sessions"]() as db:
            found: list[object] = []

            def wait() -> None:
                found.append(lock_row_of_call(db, shop_id=shop.person.shop_id, call_id=shop.call_id))
                found.append(db.scalar(text("show statement_timeout")))

            waiting = threading.Thread(target=wait)
            waiting.start()
            until(lambda: locked_by(engine) == 1)
            holder.rollback()
            waiting.join()
            assert found == [True, "15s"]
            assert not lock_row_of_call(db, shop_id=shop.person.shop_id, call_id=shop.unit_id)


def test_time_outs_are_the_transactions_own(engine: Engine, database_url: str) -> None:
    """Set for each, so that a pooler's next client has its own."""
    with application(database_url) as app, app.extensions["plentar.sessions"]() as db:
        found = [
            db.scalar(text(f"show {name}"))
            for name in ("lock_timeout", "statement_timeout", "idle_in_transaction_session_timeout")
        ]
        assert found == ["3s", "15s", "1min"]
        raw = db.connection().connection.driver_connection
        db.commit()
        assert raw is not None
        with raw.cursor() as cursor:
            assert cursor.execute("show lock_timeout").fetchone() == ("0",)
        raw.rollback()


def test_a_full_disk_is_called_that(client: FlaskClient, shop: ShopOf, monkeypatch: pytest.MonkeyPatch) -> None:
    """Not a server that cannot be reached: whoever reads it knows what to see to."""
    from psycopg.errors import DiskFull
    from sqlalchemy.exc import OperationalError

    def full(*_: Any, **__: Any) -> None:
        raise OperationalError("insert", {}, DiskFull("could not extend file: No space left on device"))

    monkeypatch.setattr("plentar.store.events.append", full)
    answer = client.post(f"{shop.url}/readings", data=reading() | {"value": "237.4"})
    assert answer.status_code == 503
    assert LATER["53100"] in unescape(answer.text)
    assert "237.4" in answer.text


# What a request keeps open, and where it keeps what it puts by.


def test_no_transaction_stays_open_while_a_picture_is_decoded_or_a_paper_laid_out(
    client: FlaskClient, shop: ShopOf, app: Flask, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A slow decoder holds a thread, and no row, no lock and no snapshot of the database."""
    open_ones: list[bool] = []

    def asked(*_: Any, **__: Any) -> Any:
        open_ones.append(bool(g.db.in_transaction()))
        raise ReadingError("not now", field="photo")

    monkeypatch.setattr("plentar.web.call_layout.writing.reencode", asked)
    monkeypatch.setattr("plentar.formats.pdf.html_to_pdf", asked)
    monkeypatch.setattr("plentar.web.timing.views.count_lines", asked)
    picture = {"photo_id": str(uuid4()), "photo": (BytesIO(b"x"), "a.jpg")}
    log = {"log_id": str(uuid4()), "clamp": "feed-1", "file": (BytesIO(b"x"), "a.csv")}
    for path, sent in ((f"{shop.url}/photos", picture), (f"{shop.url}/logs", log)):
        assert client.post(path, data=sent, headers=HTMX).status_code == 422
    for path in (f"{shop.url}/report.pdf", f"/units/{shop.unit_id}/label.pdf"):
        assert client.get(path).status_code == 422
    assert open_ones == [False] * 4


def test_two_deployments_on_one_machine_wait_for_nothing_of_each_other(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    """Locks and temporary files lie in a folder of each one's own, that nobody else can enter."""
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    folders = []
    for name in ("one", "two"):
        tempfile.tempdir = str(tmp_path)
        use_folder_of(Settings(database_url=name, secret_key="k" * 32))
        folders.append(Path(tempfile.gettempdir()))
    assert len(set(folders)) == 2
    assert {folder.stat().st_mode & 0o777 for folder in folders} == {0o700}
    tempfile.tempdir = str(tmp_path)
    folders[0].chmod(0o755)
    with pytest.raises(SettingsError, match="only this user"):
        use_folder_of(Settings(database_url="one", secret_key="k" * 32))


# Ways back in.


def test_a_lead_who_is_locked_out_is_let_in_from_the_server(
    shop: ShopOf, engine: Engine, database_url: str, app: Flask, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Shops and people are listed, a link is made for one who lost theirs and for somebody new."""
    monkeypatch.setenv("PLENTAR_DATABASE_URL", database_url)
    monkeypatch.setenv("PLENTAR_SECRET_KEY", "k" * 32)
    run = CliRunner().invoke
    mine = uuid4().hex
    with engine.begin() as connection:
        connection.execute(text("update shop set name = :n where id = :id"), {"n": mine, "id": shop.shop.id})
    listed = run(main, ["shop", "list"])
    assert f"{mine}\tAmerica/Chicago\t1 people" in listed.output
    made = run(main, ["invite", shop.email, "--shop", mine])
    assert made.exit_code == 0, made.output
    path = urlsplit(made.output.strip()).path
    assert app.test_client().get(path).status_code == 200
    assert run(main, ["invite", "new@shop.example", "--shop", mine, "--lead"]).exit_code == 0
    people = run(main, ["people", "--shop", mine]).output.splitlines()
    assert f"{shop.email}\tPim Tester\ttechnician\tcan sign in" in people
    assert "new@shop.example\tnew\tlead\tinvited" in people
    for asked, words in (
        (["invite", "nobody", "--shop", mine], "EMAIL: expected an e-mail"),
        (["invite", shop.email, "--shop", DEMO], "belongs to a person of another shop"),
        (["people", "--shop", "none"], "no shop of that name"),
    ):
        refused = run(main, asked)
        assert refused.exit_code == 2
        assert words in refused.output
    assert "data-help" in app.test_client().get("/sign-in").text


def test_what_a_refused_request_wrote_is_not_kept(
    app: Flask, client: FlaskClient, shop: ShopOf, engine: Engine, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whatever a view did before it refused goes with the refusal."""

    def half_done() -> tuple[str, int]:
        g.db.execute(text("update shop set name = 'half done' where id = :id"), {"id": shop.shop.id})
        return "", 422

    monkeypatch.setitem(app.view_functions, "today.page", half_done)
    assert client.get("/today").status_code == 422
    with engine.connect() as connection:
        assert connection.scalar(text("select name from shop where id = :id"), {"id": shop.shop.id}) != "half done"


def test_a_transaction_ended_for_idling_is_told_to_be_sent_again(
    client: FlaskClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    """PostgreSQL ends it while an answer is worked out: 503 with what to do, no fault of the program."""

    def ended(db: Session, **_: object) -> list[Call]:
        db.execute(text("set local idle_in_transaction_session_timeout = 50"))
        pid = db.scalar(text("select pg_backend_pid()"))
        with db.connection().engine.connect() as other:
            alive = text("select count(*) from pg_stat_activity where pid = :pid")
            while other.scalar(alive, {"pid": pid}):
                other.commit()
        db.execute(text("select 1"))
        return []

    monkeypatch.setattr("plentar.web.today.views.calls.list_between", ended)
    answer = client.get("/today")
    assert answer.status_code == 503
    assert "This took too long" in answer.text
