"""Who comes in, what is thrown at the doors, and what a person sees when something behind them fails."""

import gc
import logging
import re
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from io import BytesIO
from uuid import UUID, uuid4

import pytest
from argon2 import Type, extract_parameters
from click.testing import CliRunner
from flask import Flask
from flask.testing import FlaskClient
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from sqlalchemy import Engine, create_engine, select, text

from plentar.cli import main
from plentar.formats.photos import MOST_PNG_PIXELS, MOST_SCANNED_PIXELS, reencode
from plentar.store import sign_ins
from plentar.store.database import SchemaError, make_sessions, migrate
from plentar.store.models import SignIn
from plentar.web.serving.paths import own_path
from plentar.web.serving.proxies import BehindProxies
from plentar.web.serving.server import check_schema
from plentar.web.serving.settings import Settings, SettingsError
from tests.application import PASSWORD, REAL_HASHER, ShopOf, application, own_database, served, sign_in
from tests.hostile import Hostile

HTMX = {"HX-Request": "true"}
SECRET = "k" * 32
NOBODY = "postgresql://nobody@127.0.0.1:9/none"


def settings_for(url: str, **more: object) -> Settings:
    return Settings(database_url=url, secret_key=SECRET, secure_cookies=False, **more)  # type: ignore[arg-type]


@pytest.fixture
def guarded(engine: Engine, database_url: str) -> Iterator[Flask]:
    """The application as served, form tokens asked for."""
    with application(database_url) as app:
        yield app


def key_of(client: FlaskClient) -> str:
    with client.session_transaction() as kept:
        return str(kept["key"])


def with_key(app: Flask, key: str) -> FlaskClient:
    """Another browser with a copied cookie."""
    copied = app.test_client()
    with copied.session_transaction() as kept:
        kept["key"] = key
    return copied


# Sign-ins.


def test_a_copied_cookie_ends_with_its_sign_in(app: Flask, shop: ShopOf) -> None:
    """Signed out on one, the copy is signed out too."""
    client = sign_in(app, shop)
    copied = with_key(app, key_of(client))
    assert copied.get(shop.url).status_code == 200
    client.post("/sign-out")
    assert copied.get(shop.url).status_code == 302


def test_a_new_password_ends_every_sign_in_but_its_own(app: Flask, shop: ShopOf) -> None:
    """The phone left in a van is signed out; the one that changed it goes on under a new secret."""
    here, van = sign_in(app, shop), sign_in(app, shop)
    old = key_of(here)
    for wrong in ({"old": "not it at all", "new": "b" * 12, "again": "b" * 12},
                  {"old": PASSWORD, "new": "b" * 9, "again": "b" * 9},
                  {"old": PASSWORD, "new": "b" * 12, "again": "c" * 12}):  # fmt: skip
        assert here.post("/you/password", data=wrong).status_code == 422
    assert van.get(shop.url).status_code == 200
    form = {"old": PASSWORD, "new": "ladder-in-the-attic", "again": "ladder-in-the-attic"}
    assert here.post("/you/password", data=form).status_code == 302
    assert here.get(shop.url).status_code == 200
    assert key_of(here) != old
    assert [van.get(shop.url).status_code, with_key(app, old).get(shop.url).status_code] == [302, 302]
    fresh = app.test_client()
    assert fresh.post("/sign-in", data={"email": shop.email, "password": PASSWORD}).status_code == 422


def test_sign_ins_are_listed_and_ended_one_by_one(app: Flask, shop: ShopOf, make_shop: object) -> None:
    """A person sees theirs in words, ends one, ends the others; nobody ends somebody else's."""
    agent = {"User-Agent": "Mozilla/5.0 (Linux; Android 15) AppleWebKit Chrome/130.0 Mobile Safari/537.36"}
    phone = app.test_client()
    phone.post("/sign-in", data={"email": shop.email, "password": PASSWORD}, headers=agent)
    here = sign_in(app, shop)
    shown = here.get("/you").text
    assert "Chrome on Android" in shown
    assert shown.count("this one") == 1
    [other] = re.findall(r"/you/sign-ins/([0-9a-f-]{36})/end", shown)
    stranger = sign_in(app, make_shop())  # type: ignore[operator]
    assert stranger.post(f"/you/sign-ins/{other}/end").status_code == 404
    assert phone.get("/today").status_code == 200
    assert here.post(f"/you/sign-ins/{other}/end").status_code == 302
    assert phone.get("/today").status_code == 302
    third = sign_in(app, shop)
    here.post("/you/sign-ins/end")
    assert [third.get("/today").status_code, here.get("/today").status_code] == [302, 200]


def test_a_deactivated_person_is_out_at_once(app: Flask, engine: Engine, shop: ShopOf, database_url: str) -> None:
    """Signed in or not, by the command an owner has; undone, the password works again."""
    client = sign_in(app, shop)
    environment = {"PLENTAR_DATABASE_URL": database_url, "PLENTAR_SECRET_KEY": SECRET}
    told = CliRunner().invoke(main, ["deactivate", shop.email], env=environment)
    assert (told.exit_code, told.output) == (0, "Pim Tester is signed out everywhere\n")
    assert client.get(shop.url).status_code == 302
    form = {"email": shop.email, "password": PASSWORD}
    assert app.test_client().post("/sign-in", data=form).status_code == 422
    assert CliRunner().invoke(main, ["deactivate", shop.email, "--undo"], env=environment).exit_code == 0
    assert app.test_client().post("/sign-in", data=form).status_code == 302
    assert CliRunner().invoke(main, ["deactivate", "who@is.example"], env=environment).exit_code == 2


@pytest.mark.parametrize(("days", "is_open"), [(13.9, True), (14.1, False)])
def test_an_unused_sign_in_lapses(app: Flask, engine: Engine, shop: ShopOf, days: float, is_open: bool) -> None:
    """Fourteen days without a request."""
    client = sign_in(app, shop)
    with engine.begin() as connection:
        update = text("update sign_in set seen_at = now() - make_interval(secs => :s) where person_id = :p")
        connection.execute(update, {"s": days * 86400, "p": shop.person.id})
    assert (client.get(shop.url).status_code == 200) is is_open
    if is_open:
        with make_sessions(engine)() as db:
            row = db.scalars(select(SignIn).where(SignIn.person_id == shop.person.id)).one()
            assert (datetime.now(UTC) - row.seen_at).total_seconds() < 60


@pytest.mark.parametrize(("days", "is_open"), [(89.9, True), (90.1, False)])
def test_a_sign_in_in_daily_use_ends_after_three_months(
    app: Flask, engine: Engine, shop: ShopOf, days: float, is_open: bool
) -> None:
    """However it is used, a password or a passkey is asked for again."""
    client = sign_in(app, shop)
    with engine.begin() as connection:
        update = text("update sign_in set since = now() - make_interval(secs => :s) where person_id = :p")
        connection.execute(update, {"s": days * 86400, "p": shop.person.id})
    assert (client.get(shop.url).status_code == 200) is is_open


def test_who_is_deactivated_is_nobody_even_with_an_open_sign_in(app: Flask, engine: Engine, shop: ShopOf) -> None:
    """A sign-in that a restore brought back opens nothing for somebody who is no longer let in."""
    client = sign_in(app, shop)
    with engine.begin() as connection:
        connection.execute(text("update person set deactivated_at = now() where id = :p"), {"p": shop.person.id})
    assert client.get(shop.url).status_code == 302


def test_the_form_token_is_renewed_at_sign_in(guarded: Flask, shop: ShopOf) -> None:
    """A token handed out before does not count after, and a plain form sent with it is shown again, not lost."""
    client = guarded.test_client()

    def token(page: str) -> str:
        found = re.search(r'name="csrf_token"[^>]*value="([^"]+)"', client.get(page).text)
        assert found is not None
        return found.group(1)

    before = token("/sign-in")
    form = {"email": shop.email, "password": PASSWORD, "csrf_token": before}
    assert client.post("/sign-in", data=form).status_code == 302
    stale = {"name": "relay", "choice": "typed on a ladder", "csrf_token": before}
    url = f"{shop.url}/fix/parts"
    assert "typed on a ladder" not in client.post(url, data=stale).text
    own = client.post(url, data=stale, headers={"Origin": "http://localhost"})
    assert own.status_code == 400
    assert "typed on a ladder" in own.text
    assert before not in own.text
    assert client.post(url, data=stale, headers={"Origin": "http://evil.example"}).text.count("typed on") == 0


# Guesses.


def test_an_owner_on_a_known_device_gets_in_while_somebody_guesses(app: Flask, shop: ShopOf) -> None:
    """Eight wrong guesses from elsewhere stop the guesser and a device nobody knows, not the owner's own."""
    owner = sign_in(app, shop)
    owner.post("/sign-out")
    guesser = app.test_client()
    form = {"email": shop.email, "password": "guess"}
    codes = [
        guesser.post("/sign-in", data=form, environ_base={"REMOTE_ADDR": "198.51.100.7"}).status_code for _ in range(9)
    ]
    assert codes == [422] * 8 + [429]
    right = {"email": shop.email, "password": PASSWORD}
    answer = app.test_client().post("/sign-in", data=right, environ_base={"REMOTE_ADDR": "203.0.113.9"})
    assert (answer.status_code, answer.headers["Retry-After"]) == (429, "600")
    assert owner.post("/sign-in", data=right).status_code == 302


def test_a_device_ended_by_its_owner_is_not_known_any_more(app: Flask, shop: ShopOf) -> None:
    """A lost phone is a stranger's: its guesses count with the strangers'."""
    phone, here = sign_in(app, shop), sign_in(app, shop)
    [lost] = re.findall(r"/you/sign-ins/([0-9a-f-]{36})/end", here.get("/you").text)
    here.post(f"/you/sign-ins/{lost}/end")
    for _ in range(8):
        app.test_client().post("/sign-in", data={"email": shop.email, "password": "guess"})
    right = {"email": shop.email, "password": PASSWORD}
    assert phone.post("/sign-in", data=right).status_code == 429
    here.post("/sign-out")
    assert here.post("/sign-in", data=right).status_code == 302


def test_one_address_is_slowed_over_all_people(app: Flask, engine: Engine) -> None:
    """Forty guesses for forty people from one network; of IPv6 all its addresses are one."""
    network = f"2001:db8:{uuid4().int % 65536:x}:1::"
    for number in range(41):
        answer = app.test_client().post(
            "/sign-in",
            data={"email": f"{uuid4().hex}@shop.example", "password": "guess"},
            environ_base={"REMOTE_ADDR": f"{network}{number + 1:x}"},
        )
        assert answer.status_code == (422 if number < 40 else 429)


def test_a_kept_password_is_costly_to_guess() -> None:
    """Argon2id with 64 MB and three passes or more: what the library holds to be enough, not what tests use."""
    kept = extract_parameters(REAL_HASHER.hash(PASSWORD))
    assert (kept.type, kept.memory_cost >= 65536, kept.time_cost >= 3) == (Type.ID, True, True)


def test_no_more_guesses_than_the_limit_are_evaluated(engine: Engine) -> None:
    """400 at once over real connections: exactly eight are let through."""
    key = [(f"person:{uuid4().hex}", 8)]
    now = datetime.now(UTC)
    many = create_engine(engine.url, pool_size=10)

    def guess(_: int) -> bool:
        with make_sessions(many)() as db:
            taken = sign_ins.take_guess(db, key, now)
            db.commit()
            return taken

    with ThreadPoolExecutor(10) as pool:
        assert sum(pool.map(guess, range(400))) == 8
    many.dispose()


def test_a_right_guess_gives_its_count_back(engine: Engine) -> None:
    """Signing in twenty times a day is no guessing; ten minutes later the count begins anew."""
    key = [(f"person:{uuid4().hex}", 2)]
    with make_sessions(engine)() as db:
        now = datetime.now(UTC)
        for _ in range(6):
            assert sign_ins.take_guess(db, key, now)
            sign_ins.give_back(db, key, now)
        assert [sign_ins.take_guess(db, key, now) for _ in range(3)] == [True, True, False]


@pytest.mark.parametrize(
    ("peer", "passed_on", "seen"),
    [
        ("10.1.2.3", "203.0.113.5", "203.0.113.5"),
        ("10.1.2.3", "6.6.6.6, 203.0.113.5", "203.0.113.5"),
        ("10.1.2.3", "203.0.113.5, 10.9.9.9", "203.0.113.5"),
        ("10.1.2.3", "not an address", "10.1.2.3"),
        ("192.0.2.1", "203.0.113.5", "192.0.2.1"),
    ],
)
def test_only_trusted_proxies_say_who_is_asking(peer: str, passed_on: str, seen: str) -> None:
    """What a client wrote itself stands left of what the trusted proxy saw, and is never reached."""
    trusted = Settings.from_environment(
        {"PLENTAR_DATABASE_URL": NOBODY, "PLENTAR_SECRET_KEY": SECRET, "PLENTAR_PROXIES": "10.0.0.0/8, 2001:db8::/32"}
        | {"PLENTAR_ORIGIN": "https://plentar.example"}
    ).proxies
    found = {}

    def inner(environ: dict[str, str], start: object) -> list[bytes]:
        found.update(environ)
        return []

    BehindProxies(inner, trusted)({"REMOTE_ADDR": peer, "HTTP_X_FORWARDED_FOR": passed_on}, lambda *_: None)
    assert found["REMOTE_ADDR"] == seen


# Addresses.


@given(st.one_of(st.text(max_size=40), st.from_regex(r"[/\\]{0,3}[\w.@:%\t]{0,12}[/\\]?\w{0,6}(\?next=/{2}x)?")))
@settings(max_examples=400)
def test_whatever_next_says_leads_to_a_page_of_this_application(app: Flask, wanted: str) -> None:
    """Nothing, or an address that the route table itself built."""
    with app.test_request_context():
        found = own_path(wanted)
        if found is not None:
            path = found.partition("?")[0]
            assert app.url_map.bind("localhost").match(path)
            assert found.isascii()
            assert not re.search(r"[\s\\]|^//", found)


@pytest.mark.parametrize("wanted", ["/today", "/calls/{id}?point=amps%3Astrip-a", "/bench/interlock?a=1&b="])
def test_an_own_address_comes_through_whole(app: Flask, wanted: str) -> None:
    """Query and all."""
    wanted = wanted.format(id=uuid4())
    with app.test_request_context():
        assert own_path(wanted) == wanted
        for outside in (
            "/\t/evil.example",
            "//today",
            "https://localhost/today",
            "/sign-out",
            "/static/keys.js",
            "today",
        ):
            assert own_path(outside) is None


# Pictures.


def picture(mode: str, size: tuple[int, int], kind: str, **more: object) -> BytesIO:
    out = BytesIO()
    Image.new(mode, size).save(out, kind, **more)
    out.seek(0)
    return out


@pytest.mark.parametrize(
    ("mode", "size", "kind", "more", "is_taken"),
    [
        ("1", (7745, 7745), "PNG", {}, False),
        ("L", (4000, MOST_PNG_PIXELS // 4000), "PNG", {}, True),
        ("L", (4000, MOST_PNG_PIXELS // 4000 + 1), "PNG", {}, False),
        ("L", (4000, MOST_SCANNED_PIXELS // 4000), "JPEG", {"progressive": True}, True),
        ("L", (4000, MOST_SCANNED_PIXELS // 4000 + 1), "JPEG", {"progressive": True}, False),
        ("L", (4000, MOST_SCANNED_PIXELS // 4000 + 1), "JPEG", {}, True),
        ("RGB", (3001, 2000), "WEBP", {"quality": 1, "method": 0}, False),
    ],
)
def test_a_pictures_size_is_known_before_it_is_decoded(
    mode: str, size: tuple[int, int], kind: str, more: dict[str, object], is_taken: bool
) -> None:
    """Both sides of each kind's bound; what is refused says how many pixels it has."""
    sent = picture(mode, size, kind, **more)
    if is_taken:
        assert max(Image.open(BytesIO(reencode(sent)[0])).size) == 1600
        return
    with pytest.raises(ValueError, match="million pixels"):
        reencode(sent)


def test_a_jpeg_in_several_scans_is_bounded_like_a_progressive_one() -> None:
    """A first scan with one colour of three: the decoder would hold all coefficients at once."""
    whole = picture("RGB", (4000, 4100), "JPEG").getvalue()
    at = whole.index(b"\xff\xda")
    assert whole[at + 4] == 3
    one_by_one = whole[: at + 4] + b"\x01" + whole[at + 5 :]
    assert reencode(BytesIO(whole))
    with pytest.raises(ValueError, match="million pixels"):
        reencode(BytesIO(one_by_one))


def test_a_picture_is_turned_upright_and_forgets_its_camera() -> None:
    """The orientation is applied, and nothing of the metadata goes along."""
    exif = Image.Exif()
    exif[0x0112], exif[0x010F] = 6, "a maker"
    kept = Image.open(BytesIO(reencode(picture("RGB", (60, 20), "JPEG", exif=exif))[0]))
    assert kept.size == (20, 60)
    assert not kept.getexif()


# What fails behind the doors.


@pytest.fixture
def cut_off(shop: ShopOf) -> Iterator[FlaskClient]:
    """Somebody signed in while the database does not answer."""
    with application(NOBODY) as app:
        app.config["WTF_CSRF_ENABLED"] = False
        yield with_key(app, "a sign-in's secret")


def test_without_its_database_a_form_keeps_what_was_typed(
    cut_off: FlaskClient, shop: ShopOf, caplog: pytest.LogCaptureFixture
) -> None:
    """503 with when to try again, what was typed still there, and one line that tells nobody's words."""
    caplog.set_level(logging.INFO, logger="plentar")
    typed = {"name": "sequencer 24 V", "choice": "<b>bold & burnt</b>", "part_id": str(uuid4())}
    answer = cut_off.post(f"{shop.url}/fix/parts", data=typed)
    assert (answer.status_code, answer.headers["Retry-After"]) == (503, "5")
    assert "&lt;b&gt;bold &amp; burnt&lt;/b&gt;" in answer.text
    assert f'name="part_id" value="{typed["part_id"]}"' in answer.text
    [line] = [record for record in caplog.records if record.name.startswith("plentar")]
    facts = line.facts  # type: ignore[attr-defined]
    assert (facts["status"], facts["method"], facts["request"]) == (503, "POST", answer.headers["X-Request-Id"])
    assert facts["route"] == "/calls/<uuid:call_id>/fix/parts"
    told = line.getMessage() + str(facts)
    assert not re.search(r"select|burnt|sequencer|secret", told, re.I)
    secret = cut_off.post("/you/password", data={"old": "a password", "new": "another one", "again": "another one"})
    assert secret.status_code == 503
    assert not re.search("a password|another one", secret.text)


def test_without_its_database_every_kind_of_request_is_told(cut_off: FlaskClient, shop: ShopOf) -> None:
    """A page, a fragment, a list of events: each in its own way, each with when to try again."""
    page = cut_off.get(shop.url)
    fragment = cut_off.post(f"{shop.url}/readings", data={"value": "20.8"}, headers=HTMX)
    sent = cut_off.post(f"{shop.url}/events", json={"events": []})
    ready = cut_off.get("/readyz")
    assert {answer.status_code for answer in (page, fragment, sent, ready)} == {503}
    assert {answer.headers["Retry-After"] for answer in (page, fragment, sent, ready)} == {"5"}
    assert fragment.headers["HX-Retarget"] == "#problem"
    assert sent.json is not None
    assert sent.json["why"]
    assert cut_off.get("/healthz").json == {"alive": True}
    with cut_off.get("/static/keys.js") as script:
        assert script.status_code == 200


def test_a_commit_that_fails_is_told_as_what_it_is(
    app: Flask, client: FlaskClient, shop: ShopOf, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The answer was ready when the database went: it is not sent, and nothing of it was kept."""
    from sqlalchemy.exc import OperationalError
    from sqlalchemy.orm import Session

    def gone(_: Session) -> None:
        raise OperationalError("commit", {}, Exception("gone"))

    monkeypatch.setattr(Session, "commit", gone)
    answer = client.post(f"{shop.url}/condition", data={"switch": "W=on"}, headers=HTMX)
    monkeypatch.undo()
    assert (answer.status_code, answer.headers["HX-Retarget"]) == (503, "#problem")
    assert "no call" in client.get(shop.url).text


# Schema, settings, command line.


def test_going_down_asks_first_and_serving_asks_for_its_own_tables(engine: Engine) -> None:
    """Nothing is dropped unsaid; an older or newer database is refused in one line."""
    with own_database(engine) as own:
        url = own.url.render_as_string(hide_password=False)
        with pytest.raises(SchemaError, match="no revision"):
            check_schema(settings_for(url))
        migrate(own)
        with pytest.raises(SchemaError, match="the role plentar owns the tables"):
            check_schema(settings_for(url))
        url = served(own)
        check_schema(settings_for(url))
        with pytest.raises(SchemaError, match="--drop-data"):
            migrate(own, "base")
        migrate(own, "base", drop_data=True)
        with pytest.raises(SchemaError, match="plentar migrate"):
            check_schema(settings_for(url))
        migrate(own)
        served(own)
        with pytest.raises(SchemaError):
            migrate(own, "no-such-revision")
        for found, words in (("9999", "newer"), ("0012", "migrate|before the first release")):
            with own.begin() as connection:
                connection.execute(text("update alembic_version set version_num = :v"), {"v": found})
            with pytest.raises(SchemaError, match=words):
                check_schema(settings_for(url))
            with pytest.raises(SchemaError, match=words):
                migrate(own)


@pytest.mark.parametrize(
    ("servers", "workers", "threads", "fits"), [(1, 3, 4, True), (2, 5, 6, True), (2, 5, 7, False)]
)
def test_connections_of_all_servers_fit_the_database(servers: int, workers: int, threads: int, fits: bool) -> None:
    """Eighty at most: one a thread and two spare a process."""
    whole = {"servers": servers, "workers": workers, "threads": threads}
    if fits:
        assert settings_for(NOBODY, **whole).servers == servers
        return
    with pytest.raises(SettingsError, match="at most 80"):
        settings_for(NOBODY, **whole)


@pytest.mark.parametrize("command", [["migrate"], ["demo"], ["deactivate", "a@b.example"]])
def test_a_command_whose_database_does_not_answer_says_so_in_one_line(command: list[str]) -> None:
    """And leaves with 2, without a traceback."""
    environment = {"PLENTAR_DATABASE_URL": NOBODY, "PLENTAR_SECRET_KEY": SECRET}
    told = CliRunner().invoke(main, command, env=environment)
    assert (told.exit_code, told.output) == (2, "PLENTAR_DATABASE_URL: no answer\n")


# Every route.


@pytest.fixture
def ids(engine: Engine, shop: ShopOf) -> dict[str, list[UUID]]:
    """Real ids of the shop, by the names routes give them."""
    return {"call_id": [shop.call_id], "unit_id": [shop.unit_id]}


@pytest.mark.filterwarnings("ignore:Unclosed file <tempfile:ResourceWarning")
def test_hostile_requests_are_never_answered_with_a_fault(
    app: Flask, client: FlaskClient, shop: ShopOf, ids: dict[str, list[UUID]]
) -> None:
    """A fixed sample of what `bench/fuzz.py` sends by the ten thousand."""
    hostile = Hostile(app, ids, seed=11)
    for sent in hostile.requests(len(hostile.rules)):
        with client.open(sent.path, **sent.options()) as answer:
            assert answer.status_code < 500, (sent, answer.get_data(as_text=True)[-400:])
            assert "X: y" not in str(answer.headers)
    # A form cut off in the middle of a file leaves that to the collector, which must not speak up in another test.
    gc.collect()


@pytest.mark.filterwarnings("ignore:Unclosed file <tempfile:ResourceWarning")
def test_every_route_sends_the_headers_that_keep_it_safe(
    app: Flask, client: FlaskClient, ids: dict[str, list[UUID]]
) -> None:
    """Content policy, sniffing, framing, referrer; private pages are not stored."""
    hostile = Hostile(app, ids, seed=1)
    for sent in hostile.requests(len(hostile.rules)):
        with client.open(sent.path, **sent.options()) as answer:
            headers = answer.headers
        assert "script-src 'self'" in headers["Content-Security-Policy"], sent.endpoint
        assert "frame-ancestors 'none'" in headers["Content-Security-Policy"], sent.endpoint
        assert headers["X-Content-Type-Options"] == "nosniff", sent.endpoint
        told = "no-referrer" if sent.endpoint.startswith("share.") else "same-origin"
        assert headers["Referrer-Policy"] == told, sent.endpoint
        assert headers["Cache-Control"] == "no-store", sent.endpoint
    gc.collect()
