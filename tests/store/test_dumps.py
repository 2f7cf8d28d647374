"""The whole database out into one file and back: as it was, but for what was erased or ended since."""

import subprocess
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from uuid import uuid4

import pytest
from click.testing import CliRunner
from sqlalchemy import Engine, func, select, text, update
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from plentar.cli import main
from plentar.store import dumps, people, privacy, sign_ins, ways_in
from plentar.store.database import SchemaError, check_tables, known_revision, make_engine, make_sessions, migrate
from plentar.store.models import Base, Call, Person, PlaceRow, Shop
from plentar.store.practice_models import PracticeClass
from plentar.store.roles import check_serving
from plentar.store.shop_models import FeedKey, Passkey
from tests.application import ShopOf, own_database
from tests.serving import a_cluster

NOW = datetime(2026, 11, 26, 18, tzinfo=UTC)
LATER = NOW + timedelta(hours=3)


@pytest.fixture(scope="module")
def first(engine: Engine) -> Iterator[Engine]:
    """A database with one shop in it that nobody changes, and nobody connected."""
    with own_database(engine) as first:
        migrate(first)
        with make_sessions(first).begin() as db:
            ShopOf(db, "two-strip-sequencer")
            person = db.scalars(select(Person)).one()
            db.execute(update(PlaceRow).values(occupant="Mx Sorrel", phone="555-0100"))
            sign_ins.begin(db, person, secret="s" * 40, device="d" * 40, words="a phone", now=NOW)
            ways_in.make_link(db, person, "reset", "l" * 32, NOW)
            key = {"id": uuid4(), "shop_id": person.shop_id, "person_id": person.id}
            db.add(Passkey(**key, credential_id=b"c", public_key=b"k", sign_count=0, name="a key", made_at=NOW))
            db.add(FeedKey(shop_id=person.shop_id, person_id=person.id, token_hash=b"t" * 32, made_at=NOW))
        first.dispose()
        yield first


@pytest.fixture(scope="module")
def file(first: Engine, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Its backup."""
    file = tmp_path_factory.mktemp("backup") / "plentar.dump"
    dumps.back_up(first, file)
    return file


@pytest.fixture
def own(first: Engine, file: Path) -> Iterator[Engine]:
    """A database of the test's own, restored from the backup, and nobody connected."""
    with own_database(first) as own:
        dumps.restore(own, file, LATER)
        own.dispose()
        yield own
        own.dispose()


def rows(engine: Engine) -> dict[str, int]:
    """How many rows each table has."""
    with engine.connect() as connection:
        tables = Base.metadata.sorted_tables
        return {table.name: connection.scalar(select(func.count()).select_from(table)) or 0 for table in tables}


def all_of(engine: Engine, table: str) -> list[str]:
    """Every row of a table as text."""
    with engine.connect() as connection:
        return sorted(connection.scalars(text(f"select t::text from {table} t")))  # noqa: S608 - a table's name


def back(db: Session) -> tuple[Person, PlaceRow]:
    """Who and what a restored database knows."""
    return db.scalars(select(Person)).one(), db.scalars(select(PlaceRow)).one()


def test_a_new_machine_has_all_of_it_and_everybody_signs_in_again(first: Engine, own: Engine, file: Path) -> None:
    """Every row of every table, readings and plates as they were; no sign-in and no one-time link works any more."""
    assert file.stat().st_mode & 0o777 == 0o600
    assert [path.name for path in file.parent.iterdir()] == ["plentar.dump"]
    assert rows(own) == rows(first)
    for table in ("unit", "call", "event", "meter", "place", "person", "passkey", "feed_key"):
        assert all_of(own, table) == all_of(first, table), table
    with pytest.raises(DBAPIError, match="append-only"), own.begin() as connection:
        connection.execute(text("update event set payload = '{}'"))
    with make_sessions(own)() as db:
        assert sign_ins.find(db, "s" * 40, LATER) is None
        link = ways_in.find_link(db, "l" * 32)
        assert link is not None
        assert not ways_in.use_link(db, link, LATER)


def test_what_was_erased_or_ended_since_stays_so(own: Engine, file: Path) -> None:
    """The shop's name comes back; an occupant erased, a password changed, a person shut out, a lost key do not."""
    changed = people.hash_password("another-attic-9")
    with make_sessions(own).begin() as db:
        person, place = back(db)
        privacy.forget(db, shop_id=place.shop_id, place_id=place.id, at=NOW, person=person)
        person.password_hash, person.deactivated_at = changed, NOW
        db.execute(update(Shop).values(name="Renamed"))
        for way in (*db.scalars(select(Passkey)), *db.scalars(select(FeedKey))):
            db.delete(way)
    own.dispose()
    dumps.restore(own, file, LATER)
    with make_sessions(own)() as db:
        person, place = back(db)
        assert db.scalars(select(Shop.name)).one() == "Test shop"
        assert (place.occupant, place.phone) == ("", "")
        assert (person.password_hash, person.deactivated_at) == (changed, NOW)
        assert not db.scalars(select(Passkey)).all()
        assert not db.scalars(select(FeedKey)).all()


def test_a_role_taken_and_a_class_closed_stay_so(own: Engine, file: Path, tmp_path: Path) -> None:
    """Somebody who was a lead when the backup was made is none again, and a class that was open stays closed."""
    with make_sessions(own).begin() as db:
        person, _ = back(db)
        person.role = "lead"
        made = {"case_ids": [], "made_at": NOW, "open_until": LATER + timedelta(days=14)}
        db.add(PracticeClass(shop_id=person.shop_id, name="Evening", code="ABCDEF", **made))
    own.dispose()
    then = tmp_path / "then.dump"
    dumps.back_up(own, then)
    with make_sessions(own).begin() as db:
        person, _ = back(db)
        person.role = "technician"
        db.execute(update(PracticeClass).values(closed_at=NOW))
    own.dispose()
    dumps.restore(own, then, LATER)
    with make_sessions(own)() as db:
        assert back(db)[0].role == "technician"
        assert db.scalars(select(PracticeClass.closed_at)).one() == NOW


def test_cut_short_between_the_two_nothing_serves_and_it_can_be_finished(
    own: Engine, file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Killed right after the rows are there: sign-ins have ended, what was erased is still to be, and it is said."""
    with make_sessions(own).begin() as db:
        person, place = back(db)
        privacy.forget(db, shop_id=place.shop_id, place_id=place.id, at=NOW, person=person)
        person.deactivated_at = NOW
    own.dispose()
    real = dumps.finish

    def killed(*_: object, **__: object) -> int:
        raise KeyboardInterrupt

    monkeypatch.setattr(dumps, "finish", killed)
    with pytest.raises(KeyboardInterrupt):
        dumps.restore(own, file, LATER)
    with make_sessions(own)() as db:
        person, place = back(db)
        assert place.occupant == "Mx Sorrel"
        assert person.deactivated_at == NOW
        assert sign_ins.find(db, "s" * 40, LATER) is None
        with pytest.raises(SchemaError, match="restore --finish"):
            check_tables(db.connection())
    own.dispose()
    assert real(own, LATER) == 1
    with make_sessions(own)() as db:
        assert back(db)[1].occupant == ""
        check_tables(db.connection())


# Moments that say when something was, not that it is over for good; what they belong to rolls back with a restore.
NO_ENDS = {
    ("shop", "set_up_at"),
    ("meter", "retired_at"),
    ("place", "removed_at"),
    ("unit", "removed_at"),
    # Erased again under the tombstone.
    ("place", "forgotten_at"),
    ("call", "closed_at"),
    ("set_aside", "seen_at"),
    ("passkey", "used_at"),
    # A link's end is its `expires_at`, for every link.
    ("one_time_link", "used_at"),
    ("follow_up", "done_at"),
    ("practice_run", "ended_at"),
    ("search_line", "at"),
}


def test_every_kind_of_end_is_carried_over_or_said_to_be_none() -> None:
    """A new column that ends something belongs in the list of one or of the other."""
    ends = {(model.__tablename__, name) for model, names in dumps.ENDS.items() for name in names}
    ends |= {(model.__tablename__, name) for model, name in dumps.STOPS.items()}
    optional = {
        (table.name, column.name)
        for table in Base.metadata.sorted_tables
        for column in table.columns
        if column.nullable and column.name.endswith("at")
    }
    assert optional - ends == NO_ENDS
    ways = {
        table.name
        for table in Base.metadata.sorted_tables
        if "token_hash" in table.columns or "public_key" in table.columns
    }
    told = {model.__tablename__ for model in (*dumps.ENDS, *dumps.GOES, *dumps.STOPS)}
    # A learner of a class is out once the class is closed.
    assert ways - told == {"learner"}


PASSWORD = "p@ss/w%rd 9"


@pytest.fixture
def with_passwords(tmp_path: Path) -> Iterator[Engine]:
    """A database whose server wants passwords of everybody, as an owner who is no superuser."""
    with a_cluster(tmp_path / "cluster") as admin:
        with admin.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            hba = connection.scalar(text("show hba_file"))
            for statement in (
                f"create role keeper login createrole password '{PASSWORD}'",
                "create database shop owner keeper",
                f"copy (select 'host all all 127.0.0.1/32 scram-sha-256') to '{hba}'",
                "select pg_reload_conf()",
            ):
                connection.exec_driver_sql(statement.replace("%", "%%"))
        own = make_engine(admin.url.set(username="keeper", password=PASSWORD, database="shop").render_as_string(False))
        yield own
        own.dispose()
        # So that the cluster can be asked to end.
        with own.connect() as connection:
            connection.scalar(text("select 1"))
        own.dispose()


def test_a_server_that_wants_passwords_is_backed_up_and_restored(
    with_passwords: Engine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """By the owner's password, which stands on no command line; the serving role is made with one of its own."""
    own, file = with_passwords, tmp_path / "plentar.dump"
    with pytest.raises(DBAPIError, match="password"):
        make_engine(own.url.set(password="wrong").render_as_string(False)).connect()
    serving = own.url.set(username="plentar_app", password="of its own").render_as_string(False)
    for name, value in (("OWNER_URL", own.url.render_as_string(False)), ("DATABASE_URL", serving)):
        monkeypatch.setenv(f"PLENTAR_{name}", value)
    monkeypatch.setenv("PLENTAR_SECRET_KEY", "s" * 40)
    asked: list[str] = []
    real = subprocess.run

    def watched(command: list[str], **how: Any) -> Any:
        asked.extend(command)
        return real(command, **how)

    monkeypatch.setattr("plentar.store.dumps.subprocess.run", watched)
    steps = [["migrate"], ["demo"], ["backup", str(file)], ["restore", str(file), "--replace"]]
    for step in steps:
        done = CliRunner().invoke(main, step)
        assert done.exit_code == 0, (step, done.output)
    assert any("pg_dump" in word for word in asked)
    assert not [word for word in asked if "p@ss" in word or "p%40ss" in word or "***" in word]
    app = make_engine(serving)
    with app.connect() as connection:
        check_serving(connection)
        assert connection.scalar(text("select count(*) from call")) > 100
    app.dispose()


def dump(engine: Engine, file: Path) -> None:
    """As somebody else's program would."""
    url = engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
    subprocess.run(["/usr/bin/pg_dump", f"--dbname={url}", "--format=custom", f"--file={file}"], check=True)


@pytest.mark.parametrize(
    ("kind", "words"),
    [
        ("not there", "no such file"),
        ("a spreadsheet", "not a backup"),
        ("cut short", "cut short|could not read|end of file"),
        ("drop table alembic_version", "not a backup of this program"),
        ("update alembic_version set version_num = 'ffff00000001'", "made by a later version"),
    ],
)
def test_what_is_no_backup_changes_nothing(first: Engine, file: Path, tmp_path: Path, kind: str, words: str) -> None:
    """Nothing, a table, half a file, other tables, a later program's: one line, and every row stands as it stood."""
    bad = tmp_path / "bad.dump"
    if kind == "a spreadsheet":
        bad.write_text("point,value\n")
    elif kind == "cut short":
        bad.write_bytes(file.read_bytes()[:-2000])
    elif kind != "not there":
        with own_database(first) as other:
            dumps.restore(other, file, LATER)
            with other.begin() as connection:
                connection.execute(text(kind))
            dump(other, bad)
    before = rows(first), all_of(first, "sign_in")
    first.dispose()
    with pytest.raises(dumps.DumpError, match=words):
        dumps.restore(first, bad, LATER)
    assert (rows(first), all_of(first, "sign_in")) == before
    first.dispose()


def test_nothing_is_put_under_somebody_who_works(first: Engine, file: Path) -> None:
    """While a server holds connections the database stays as it is."""
    with first.connect() as server:
        server.execute(select(Call))
        with pytest.raises(dumps.DumpError, match="stop `plentar serve`"):
            dumps.restore(first, file, LATER)
    first.dispose()


def test_tables_from_before_the_first_release_are_told(own: Engine, tmp_path: Path) -> None:
    """Neither backed up nor put in place: there is no way from there any more."""
    file = tmp_path / "plentar.dump"
    with own.begin() as connection:
        connection.execute(text("update alembic_version set version_num = '0012'"))
    own.dispose()
    with pytest.raises(SchemaError, match="plentar migrate"):
        dumps.back_up(own, file)
    dump(own, file)
    with own.begin() as connection:
        connection.execute(text("update alembic_version set version_num = :own"), {"own": known_revision()})
    own.dispose()
    with pytest.raises(dumps.DumpError, match="before the first release"):
        dumps.restore(own, file, LATER)


def test_the_same_from_a_shell(own: Engine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """`backup FILE`, `restore FILE`: shops are replaced only when that is said; what fails ends with 2 in one line."""
    monkeypatch.setenv("PLENTAR_DATABASE_URL", own.url.render_as_string(hide_password=False))
    monkeypatch.setenv("PLENTAR_SECRET_KEY", "s" * 40)
    run, file = CliRunner().invoke, str(tmp_path / "plentar.dump")
    assert run(main, ["backup", file]).exit_code == 0
    refused = run(main, ["restore", file])
    assert (refused.exit_code, refused.stderr.count("\n")) == (2, 1)
    assert "--replace" in refused.stderr
    done = run(main, ["restore", file, "--replace"])
    assert (done.exit_code, "1 shop" in done.stdout) == (0, True), done.stderr
    nowhere = run(main, ["backup", "/nowhere/at/all"])
    assert (nowhere.exit_code, nowhere.stderr.count("\n")) == (2, 1)
