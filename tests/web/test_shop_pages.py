"""Your shop's cases pages: who may what, links that work once, rules and meters kept with who and why."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID, uuid4

import pytest
from click.testing import CliRunner
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import Engine, select, text, update

from plentar.cli import main
from plentar.core.unit.place import line_volts
from plentar.store import ways_in
from plentar.store.database import make_sessions
from plentar.store.models import Call, MeterRow, Person, PlaceRow, ShopLimit, Unit
from plentar.store.shop_models import AuditRow
from plentar.store.shops import calibration_due
from tests import ROOT
from tests.application import PASSWORD, ShopOf, colleague, flat, problems, sign_in

FOREIGN = {"call_id", "unit_id", "meter_id", "place_id", "person_id", "photo_id", "round_id", "item_id", "order_id"}
ROLES_PAGE = (ROOT / "docs/roles.md").read_text()


def access_of(app: Flask) -> dict[str, str]:
    """Who may ask each route: by the mark its guard left on it."""
    return {name: getattr(view, "access", "anybody") for name, view in app.view_functions.items()}


def test_the_matrix_is_the_one_the_page_shows(app: Flask) -> None:
    """Every route stands in docs/roles.md with who may ask it, and nothing else does."""
    told = {}
    for line in ROLES_PAGE.splitlines():
        cells = [cell.strip() for cell in line.strip("|").split("|")]
        if line.startswith("| `"):
            told[cells[0].strip("`")] = cells[1]
    assert told == access_of(app)


@pytest.mark.parametrize("role", ["nobody", "technician", "lead"])
def test_every_route_keeps_to_the_matrix(
    app: Flask, make_shop: Callable[..., ShopOf], engine: Engine, role: str
) -> None:
    """Route × role × shop: nobody is sent to sign in, a technician told no, and ids of another shop are no ids."""
    shop, other = make_shop(), make_shop()
    client = app.test_client()
    if role != "nobody":
        with engine.begin() as connection:
            connection.execute(text("update person set role = :r where id = :id"), {"r": role, "id": shop.person.id})
        client = sign_in(app, shop)
    foreign = {"call_id": other.call_id, "unit_id": other.unit_id}
    with make_sessions(engine)() as db:
        foreign |= {
            "meter_id": db.scalar(select(MeterRow.id).where(MeterRow.shop_id == other.shop.id)),  # type: ignore[dict-item]
            "place_id": db.scalar(text("select id from place where shop_id = :s"), {"s": other.shop.id}),
            "person_id": other.person.id,
        }
    access, addresses = access_of(app), app.url_map.bind("localhost")
    for rule in app.url_map.iter_rules():
        kind = access[rule.endpoint]
        if kind == "anybody" or rule.endpoint == "static":
            continue
        values: dict[str, Any] = {}
        for name, converter in rule._converters.items():
            known = sorted(getattr(converter, "items", ())) or ["other"]
            is_id = type(converter).__name__ == "UUIDConverter"
            values[name] = foreign.get(name, uuid4()) if is_id else known[0]
        for method in rule.methods & {"GET", "POST"}:  # type: ignore[operator]
            answer = client.open(addresses.build(rule.endpoint, values), method=method)
            where = f"{method} {rule.rule} as {role}: {answer.status_code}"
            is_foreign = bool(set(rule.arguments) & FOREIGN)
            assert answer.status_code < 500, where
            if role == "nobody":
                assert answer.status_code == (401 if method == "POST" else 302), where
            elif kind == "lead" and role == "technician":
                assert answer.status_code == 403, where
            elif is_foreign and method == "GET":
                assert answer.status_code == 404, where
            elif is_foreign:
                # A form may be found wanting before its call is looked for.
                assert answer.status_code in (400, 404, 422), where


def test_a_link_works_once_and_only_the_newest(app: Flask, shop: ShopOf, lead: FlaskClient, engine: Engine) -> None:
    """A second link ends the first; used, a link tells whoever comes after; one too old is told as one."""
    shown = [lead.post("/shop/people", data={"name": "Ola", "email": f"{uuid4().hex}@x.example", "role": "technician"})]
    with make_sessions(engine)() as db:
        ola = db.scalars(select(Person).where(Person.shop_id == shop.shop.id, Person.name == "Ola")).one()
    shown.append(lead.post(f"/shop/people/{ola.id}/link"))
    old, new = (answer.text.split("/welcome/")[1].split('"')[0] for answer in shown)
    guest = app.test_client()
    assert guest.get(f"/welcome/{old}").status_code == 410
    form = {"name": "Ola Brandt", "new": PASSWORD, "again": PASSWORD}
    short = guest.post(f"/welcome/{new}", data=form | {"new": "short", "again": "short"})
    assert short.status_code == 422
    assert "at least 10 characters" in short.text
    assert "Choose a password" in guest.post(f"/welcome/{new}", data={"name": "Ola"}).text
    assert guest.post(f"/welcome/{new}", data=form).status_code == 302
    assert guest.get("/today").status_code == 200
    assert app.test_client().post(f"/welcome/{new}", data=form).status_code == 410
    with make_sessions(engine).begin() as db:
        late = ways_in.make_link(db, db.merge(ola), "reset", "old-one", datetime.now(UTC) - timedelta(days=4))
    assert late.expires_at < datetime.now(UTC)
    assert app.test_client().get("/welcome/old-one").status_code == 410


def test_two_people_by_one_address_are_refused(lead: FlaskClient, shop: ShopOf) -> None:
    """An address is one person across all shops, and what was typed stays."""
    answer = lead.post("/shop/people", data={"name": "Second", "email": shop.email.upper(), "role": "lead"})
    assert answer.status_code == 422
    assert 'role="alert"' in answer.text
    assert 'value="Second"' in answer.text


def test_the_last_lead_stays_one(lead: FlaskClient, shop: ShopOf) -> None:
    """Neither by another role nor by being let in no more does a shop lose its last lead."""
    for path in ("role", "active"):
        answer = lead.post(f"/shop/people/{shop.person.id}/{path}", data={"role": "technician"})
        assert answer.status_code == 422
        assert 'role="alert"' in answer.text


def test_a_rule_is_kept_with_who_and_why_and_a_pass_band_lies_inside(
    lead: FlaskClient, shop: ShopOf, engine: Engine
) -> None:
    """Outside its marginal band, without a reason or without numbers: refused, nothing kept."""
    good = {"figure1": "0.85", "figure2": "0.9", "figure3": "1.02", "figure4": "1.1", "why": "ours run cool"}
    for wrong in ({"figure3": "1.2"}, {"why": " "}, {"figure1": "x"}):
        answer = lead.post("/shop/rules/element_amps_ratio", data=good | wrong)
        assert answer.status_code == 422, wrong
        assert problems(answer.text) == ["rule"]
    assert lead.post("/shop/rules/sag_ratio", data=good).status_code == 422
    assert lead.post("/shop/rules/element_amps_ratio", data=good).status_code == 302
    with make_sessions(engine)() as db:
        kept = db.scalars(select(ShopLimit).where(ShopLimit.shop_id == shop.shop.id)).one()
        audit = db.scalars(select(AuditRow).where(AuditRow.shop_id == shop.shop.id, AuditRow.deed == "rule")).one()
    assert (kept.figures, kept.why) == ([0.85, 0.9, 1.02, 1.1], "ours run cool")
    assert audit.after == ["0.85", "0.9", "1.02", "1.1"]
    assert lead.post("/shop/rules/element_amps_ratio/default").status_code == 302
    assert '">yours<' not in lead.get("/shop/rules").text


def test_the_audit_is_append_only(lead: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """Neither a change nor a deletion gets past the database."""
    lead.get("/shop/audit")
    for statement in ("update audit set deed = 'x'", "delete from audit"):
        with pytest.raises(Exception, match="append-only"), engine.begin() as connection:
            connection.execute(text(statement + " where shop_id = :s"), {"s": shop.shop.id})


RANGE = {"quantity-1": "amps", "full_scale-1": "400", "resolution-1": "0.1", "percent-1": "2", "counts-1": "5"}


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"resolution-1": ""}, "resolution"),
        ({"percent-1": "two"}, "percent"),
        ({"resolution-1": "0"}, "resolution"),
        ({"percent-1": "100"}, "percent"),
        ({"quantity-1": "furlongs"}, "quantity"),
        (dict.fromkeys(("full_scale-1", "resolution-1", "percent-1", "counts-1"), ""), "name"),
        ({"name": "Test meter"}, "name"),
        ({"calibrated_on": "2999-01-01"}, "calibrated_on"),
        ({"calibration_months": "0"}, "calibration_months"),
    ],
)
def test_a_meter_that_cannot_be_is_refused_at_its_field(lead: FlaskClient, wrong: dict[str, str], field: str) -> None:
    """Each with its words, and what was typed stays."""
    answer = lead.post("/shop/meters/new", data={"name": "Other meter", **RANGE, **wrong})
    assert answer.status_code == 422
    assert problems(answer.text) == [field]
    assert 'value="400"' in answer.text or not wrong.get("full_scale-1", "x")


def test_a_meter_without_a_function_says_so_where_it_is_used(
    app: Flask, lead: FlaskClient, shop: ShopOf, engine: Engine
) -> None:
    """A meter of amps alone cannot read volts: the reading is refused in words, nothing kept."""
    with make_sessions(engine)() as db:
        meter = db.scalars(select(MeterRow).where(MeterRow.shop_id == shop.shop.id)).one()
    kept = lead.post(f"/shop/meters/{meter.id}", data={"name": "Test meter", "version": "1", **RANGE})
    assert kept.status_code == 302
    again = lead.post(f"/shop/meters/{meter.id}", data={"name": "Test meter", "version": "1", **RANGE})
    assert again.status_code == 422
    assert problems(again.text) == ["name"]
    answer = lead.post(
        f"{shop.url}/readings", data={"value": "240", "point": line_volts("feed-1"), "reading_id": uuid4()}
    )
    assert answer.status_code == 422
    assert problems(answer.text) == ["meter"]


@pytest.mark.parametrize(
    ("day", "months", "due"),
    [("2026-01-31", 1, "2026-02-28"), ("2026-11-25", 12, "2027-11-25"), ("2026-12-31", 6, "2027-06-30")],
)
def test_a_calibration_runs_out_after_its_months(day: str, months: int, due: str) -> None:
    """By the calendar, the last day of a shorter month where there is no such day."""
    meter = MeterRow(calibrated_on=datetime.fromisoformat(day).date(), calibration_months=months)
    assert str(calibration_due(meter)) == due


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        (["X", "--time-zone", "Mars/Base", "--lead", "a@b.example"], "--time-zone: expected a time zone"),
        (["X", "--time-zone", "America/Chicago", "--lead", "nobody"], "--lead: expected an e-mail address"),
        ([" ", "--time-zone", "America/Chicago", "--lead", "a@b.example"], "NAME: expected the shop's name"),
    ],
)
def test_a_shop_that_cannot_be_made_is_refused_in_one_line(asked: list[str], words: str) -> None:
    """Exit 2, which option and what was expected."""
    result = CliRunner().invoke(main, ["shop", "create", *asked])
    assert result.exit_code == 2
    assert words in result.output


def test_one_way_in_is_kept(app: Flask, client: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """Without a passkey the password stays; with one it may go, and then the passkey stays."""
    assert client.post("/you/password/remove").status_code == 422
    with make_sessions(engine).begin() as db:
        person = db.merge(shop.person)
        key = ways_in.add_passkey(
            db, person, credential_id=uuid4().bytes, public_key=b"k", sign_count=0, name="a", now=datetime.now(UTC)
        )
    assert client.post("/you/password/remove").status_code == 302
    answer = client.post(f"/you/passkeys/{key.id}/remove")
    assert answer.status_code == 422
    assert client.post(f"/you/passkeys/{UUID(int=5)}/remove").status_code == 404


def test_the_people_page_counts_each_ones_passkeys(lead: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """Two of one person, none of the other; those of another shop are nobody's here."""
    with make_sessions(engine).begin() as db:
        other = colleague(db, shop)
        person, now = db.get_one(Person, (shop.shop.id, shop.person.id)), datetime.now(UTC)
        for name in ("phone", "laptop"):
            key = {"credential_id": uuid4().bytes, "public_key": b"k", "sign_count": 0}
            ways_in.add_passkey(db, person, name=name, now=now, **key)  # type: ignore[arg-type]
    page = flat(lead.get("/shop/people").text)
    assert page.count("password and 2 passkeys") == 1
    assert other.email in page
    with make_sessions(engine)() as db:
        assert ways_in.count_passkeys(db, shop_id=shop.shop.id) == {shop.person.id: 2}


def test_a_phone_is_told_what_was_erased(app: Flask, lead: FlaskClient, shop: ShopOf, engine: Engine) -> None:
    """The call's sign changes, so that the phone takes it anew; what it takes then has nothing of anybody in it."""
    with make_sessions(engine).begin() as db:
        place = db.scalar(select(Unit.place_id).where(Unit.id == shop.unit_id))
        db.execute(
            update(PlaceRow)
            .where(PlaceRow.id == place)
            .values(occupant="Odo Pell", phone="555 0100", access_note="key box 4")
        )
        db.execute(update(Call).where(Call.id == shop.call_id).values(words="Odo is cold"))
    words = ("Odo", "555 0100", "key box 4")

    def aboard() -> tuple[str, str]:
        listed = lead.get("/phone/aboard").json
        assert listed is not None
        [row] = [row for row in listed["calls"] if row["id"] == str(shop.call_id)]
        return row["version"], lead.get(f"/phone/aboard/{shop.call_id}").text

    before, held = aboard()
    assert all(word in held for word in words)
    assert lead.post(f"/shop/places/{place}/forget", data={"sure": "no"}).status_code == 302
    assert aboard()[0] == before
    assert lead.post(f"/shop/places/{place}/forget", data={"sure": "Erase"}).status_code == 302
    after, held = aboard()
    assert after != before
    assert not [word for word in words if word in held]
    assert not [word for word in words if word in lead.get(f"{shop.url}?panel=complaint").text]
    assert "Erased" in lead.get(f"/places/{place}").text


@pytest.mark.parametrize(
    ("typed", "kept"),
    [("41.88, -87.63", (41.88, -87.63)), ("41.88,−87.63", (41.88, -87.63)), ("", (None, None))],
)
def test_a_place_has_coordinates_or_none(
    lead: FlaskClient, shop: ShopOf, engine: Engine, typed: str, kept: tuple[float | None, float | None]
) -> None:
    """Two numbers of the earth; anything else is told beside the field and nothing is changed."""
    with make_sessions(engine)() as db:
        place = db.scalar(select(Unit.place_id).where(Unit.id == shop.unit_id))
    form = {"version": "1", "name": "1 Test Row", "block": "A"}
    for wrong in ("91, 0", "41.88", "here", "1, 2, 3", "nan, 1"):
        answer = lead.post(f"/places/{place}", data=form | {"coordinates": wrong})
        assert answer.status_code == 422, wrong
        assert problems(answer.text) == ["coordinates"]
    assert lead.post(f"/places/{place}", data=form | {"coordinates": typed}).status_code == 302
    with make_sessions(engine)() as db:
        row = db.get_one(PlaceRow, (shop.shop.id, place))
    assert (row.latitude, row.longitude, row.block) == (*kept, "A")
