"""The role that serves: what it is refused, whoever sends the statement."""

from collections.abc import Iterator

import pytest
from sqlalchemy import Engine, text
from sqlalchemy.exc import DBAPIError

from plentar.store.database import SchemaError, make_engine, make_sessions, migrate
from plentar.store.roles import APPEND_ONLY, DELETABLE, check_serving, let_serve
from tests.application import ShopOf, own_database, served

# Each must be refused, as it stands, after the setting that once lifted the trigger.
REFUSED = [
    "update event set payload = 'null'",
    "update event set done_at = now()",
    "delete from event",
    "truncate event",
    "update audit set about = 'nothing'",
    "delete from audit",
    "truncate audit cascade",
    "delete from photo",
    "update photo set image = ''",
    "delete from forgotten",
    "update shop_limit set figures = null",
    "delete from call",
    "delete from person",
    "alter table event disable trigger event_is_evidence",
    "drop trigger event_is_evidence on event",
    "create trigger mine before update on event execute function event_is_evidence()",
    "drop table event cascade",
    "alter table event owner to current_user",
    "create table mine (id int)",
    "create or replace function words_erased(kind text) returns jsonb language sql as 'select null::jsonb'",
    "alter function erase_call(uuid, uuid, text[], uuid, text) owner to current_user",
    "set session_replication_role = 'replica'",
    "set role {owner}",
    "alter role {serving} superuser",
    "copy event to program 'cat'",
    "update alembic_version set version_num = '9999'",
    "select pg_read_file('/etc/passwd')",
    "drop extension pg_trgm cascade",
]


@pytest.fixture(scope="module")
def serving(engine: Engine) -> Iterator[tuple[Engine, ShopOf]]:
    """A database of this file's own as the role that serves, with one call in it."""
    with own_database(engine) as own:
        migrate(own)
        with make_sessions(own).begin() as db:
            shop = ShopOf(db, "two-strip-sequencer")
        app = make_engine(served(own))
        yield app, shop
        app.dispose()


@pytest.mark.parametrize("statement", REFUSED)
def test_the_serving_role_is_refused(serving: tuple[Engine, ShopOf], engine: Engine, statement: str) -> None:
    """Also after it has set what once lifted the trigger; nothing is changed."""
    app, _ = serving
    asked = statement.format(owner=engine.url.username, serving=app.url.username)
    with app.connect() as connection:
        connection.execute(text("select set_config('plentar.erasing', 'on', false)"))
        with pytest.raises(DBAPIError, match=r"permission denied|must be owner|append-only|must be superuser|owner of"):
            connection.exec_driver_sql(asked)
        connection.rollback()
        assert connection.scalar(text("select count(*) from event")) == 1


def test_the_owner_cannot_by_mistake_either(engine: Engine) -> None:
    """A statement of the owner's own stays refused: only its functions erase."""
    with engine.connect() as connection, pytest.raises(DBAPIError, match="append-only"):
        connection.execute(text("update event set payload = '{}' where kind <> 'reading'"))


def test_it_erases_by_the_owners_function_alone_and_that_is_noted(serving: tuple[Engine, ShopOf]) -> None:
    """Words go, readings stay, and a line of it stands in the audit that nobody can take away."""
    app, shop = serving
    kinds = "array['opened', 'reading', 'note', 'photo']"
    with app.begin() as connection:
        before = connection.scalar(text("select payload::text from event"))
        note = (
            "insert into event (shop_id, id, call_id, seq, kind, payload, person_id, done_at, come_at, clock_seconds)"
        )
        values = (
            "values (:s, gen_random_uuid(), :c, 2, 'note', '{\"words\": \"key under the mat\"}', :p, now(), now(), 0)"
        )
        connection.execute(text(f"{note} {values}"), {"s": shop.shop.id, "c": shop.call_id, "p": shop.person.id})
        erase = text(f"select erase_call(:s, :c, {kinds}, null, 'asked')")
        assert connection.scalar(erase, {"s": shop.shop.id, "c": shop.call_id}) is True
        assert connection.scalar(erase, {"s": shop.shop.id, "c": shop.call_id}) is False
        assert connection.scalar(text("select payload::text from event where kind = 'opened'")) == before
        assert connection.scalar(text("select payload->>'words' from event where kind = 'note'")) == "erased"
        noted = connection.execute(text("select deed, about from audit")).all()
        assert noted == [("erased", "asked")]
        # Another shop's call is no call of this one's.
        assert (
            connection.scalar(text(f"select erase_call(gen_random_uuid(), :c, {kinds}, null, '')"), {"c": shop.call_id})
            is False
        )
        connection.rollback()


def test_serving_as_the_owner_is_refused(serving: tuple[Engine, ShopOf], engine: Engine) -> None:
    """In one line that says what to do."""
    with engine.connect() as connection, pytest.raises(SchemaError, match="PLENTAR_OWNER_URL"):
        check_serving(connection)
    with serving[0].connect() as connection:
        check_serving(connection)


def test_a_missing_role_is_made_or_asked_for(serving: tuple[Engine, ShopOf], engine: Engine) -> None:
    """By an owner who may make roles; by another the statement is said."""
    with own_database(engine) as own:
        migrate(own)
        let_serve(own, own.url.set(username="plentar_second", password="s3cret"))
        with own.begin() as connection:
            kept = connection.scalar(text("select rolpassword from pg_authid where rolname = 'plentar_second'"))
            assert str(kept).startswith("SCRAM-SHA-256$")
            connection.execute(text("drop owned by plentar_second"))
            connection.execute(text("drop role plentar_second"))
    with pytest.raises(SchemaError, match="CREATE ROLE"):
        let_serve(serving[0], serving[0].url.set(username="plentar_third"))


def test_every_table_is_told_apart() -> None:
    """A table is added to only, or may be changed; none that is evidence may be deleted from."""
    assert not APPEND_ONLY & DELETABLE
    assert {"event", "audit", "forgotten", "photo"} <= APPEND_ONLY
