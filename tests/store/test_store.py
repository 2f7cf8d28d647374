"""What the database itself refuses, on a real PostgreSQL."""

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any
from uuid import UUID, uuid4

import pytest
from sqlalchemy import Engine, delete, inspect, text, update
from sqlalchemy.exc import DatabaseError, IntegrityError
from sqlalchemy.orm import Session

from plentar.store import calls, events, places, sign_ins, ways_in
from plentar.store.database import SchemaError, check_tables, known_revision, migrate
from plentar.store.models import Base, Call, EventRow
from tests.application import ShopOf, own_database

NOW = datetime(2026, 11, 20, 15, 0, tzinfo=UTC)
# Tables that belong to no shop, each with the reason.
SHOPLESS = {
    "shop": "it is the shop",
    "sign_in_guess": "whoever guesses has no shop yet",
    "alembic_version": "the schema's own",
    "compatible_with": "the schema's own",
    "passkey_challenge": "whoever signs in by a passkey has no shop yet",
    "unit_table": "what a circuit shows is nobody's: like units of all shops share it",
}


def row_of(shop: ShopOf, **changes: Any) -> dict[str, Any]:
    """One event's columns, ready to append."""
    row = {
        "id": uuid4(),
        "kind": "note",
        "payload": {"words": "kept"},
        "person_id": shop.person.id,
        "done_at": NOW,
        "come_at": NOW,
        "clock_seconds": 0.0,
    }
    return {**row, **changes}


def locked(db: Session, shop: ShopOf) -> Call:
    """The shop's call with its row locked."""
    call = events.lock_call(db, shop_id=shop.shop.id, call_id=shop.call_id)
    assert call is not None
    return call


def kept(db: Session, shop: ShopOf) -> list[tuple[int, str]]:
    """The call's events as numbers and words, its first one left out."""
    rows = events.list_after(db, shop_id=shop.shop.id, call_id=shop.call_id, seq=1)
    return [(row[1], row[3].get("words", row[2])) for row in rows]


def test_events_are_numbered_in_the_order_they_come(db: Session, shop: ShopOf) -> None:
    """One after the other, whatever moments they carry; only later ones are asked for."""
    late = row_of(shop, payload={"words": "second"}, done_at=datetime(2026, 1, 1, tzinfo=UTC))
    events.append(db, locked(db, shop), [row_of(shop, payload={"words": "first"}), late])
    events.append(db, locked(db, shop), [row_of(shop, payload={"words": "third"})])
    assert kept(db, shop) == [(2, "first"), (3, "second"), (4, "third")]
    assert events.seq_of(db, shop_id=shop.shop.id, call_id=shop.call_id) == 4
    later = events.list_after(db, shop_id=shop.shop.id, call_id=shop.call_id, seq=3)
    assert [row[3]["words"] for row in later] == ["third"]


@pytest.mark.parametrize("change", ["update", "delete"])
def test_events_are_append_only(db: Session, shop: ShopOf, change: str) -> None:
    """The database refuses to change or drop evidence, whoever asks."""
    row = row_of(shop)
    events.append(db, locked(db, shop), [row])
    statement = update(EventRow).values(kind="switch") if change == "update" else delete(EventRow)
    with pytest.raises(DatabaseError, match="append-only"):
        db.execute(statement.where(EventRow.id == row["id"]))


def test_one_id_is_one_event_in_a_shop_and_another_in_the_next(db: Session, make_shop: Callable[..., ShopOf]) -> None:
    """Keys lead with the shop: another shop's id is nobody's business here."""
    mine, theirs = make_shop(), make_shop()
    row = row_of(mine)
    events.append(db, locked(db, mine), [row])
    events.append(db, locked(db, theirs), [row_of(theirs, id=row["id"])])
    with pytest.raises(IntegrityError):
        events.append(db, locked(db, mine), [row_of(mine, id=row["id"])])


def test_rows_of_two_shops_never_meet(db: Session, make_shop: Callable[..., ShopOf]) -> None:
    """Another shop's call cannot be read or locked, and an event cannot name its people even by mistake."""
    mine, theirs = make_shop(), make_shop()
    assert calls.get_for_shop(db, shop_id=mine.shop.id, call_id=theirs.call_id) is None
    assert events.lock_call(db, shop_id=mine.shop.id, call_id=theirs.call_id) is None
    assert events.seq_of(db, shop_id=mine.shop.id, call_id=theirs.call_id) is None
    assert events.list_after(db, shop_id=mine.shop.id, call_id=theirs.call_id) == []
    assert places.get_unit(db, shop_id=mine.shop.id, unit_id=theirs.unit_id) is None
    assert list(places.get_units(db, shop_id=mine.shop.id, unit_ids=[theirs.unit_id, mine.unit_id])) == [mine.unit_id]
    with pytest.raises(IntegrityError):
        events.append(db, locked(db, mine), [row_of(theirs)])


def test_every_key_leads_with_the_shop() -> None:
    """Every primary key begins with the shop; the few tables without one are listed with their reason."""
    for table in Base.metadata.sorted_tables:
        if table.name not in SHOPLESS:
            assert table.primary_key.columns.keys()[0] == "shop_id", table.name
            for constraint in table.foreign_key_constraints:
                columns = [column.name for column in constraint.columns]
                assert columns[0] == "shop_id", f"{table.name}: {columns}"


def test_migrations_go_up_and_down_and_match_the_models(engine: Engine) -> None:
    """In a database of its own: up, compare, down to nothing, up again."""
    with own_database(engine) as own:
        migrate(own)
        assert {*Base.metadata.tables, "alembic_version"} == set(inspect(own).get_table_names())
        with own.connect() as connection:
            from alembic.autogenerate import compare_metadata
            from alembic.migration import MigrationContext

            assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []
        migrate(own, "base", drop_data=True)
        assert inspect(own).get_table_names() == ["alembic_version"]
        migrate(own)


def test_newer_tables_are_served_where_they_suit_this_release(engine: Engine) -> None:
    """A newer revision that lists ours is served and backed up; one that lists others, or none, is not."""
    with own_database(engine) as own:
        migrate(own)
        with own.begin() as connection:
            connection.execute(text("update alembic_version set version_num = '9999'"))
            with pytest.raises(SchemaError, match="a newer program's"):
                check_tables(connection)
            connection.execute(text("insert into compatible_with values ('9998')"))
            with pytest.raises(SchemaError, match="a newer program's"):
                check_tables(connection)
            connection.execute(text("insert into compatible_with values (:own)"), {"own": known_revision()})
            check_tables(connection)
            # Older tables are never served, whatever they list.
            connection.execute(text("update alembic_version set version_num = '0014'"))
            with pytest.raises(SchemaError, match="plentar migrate"):
                check_tables(connection)


def test_old_and_new_ids_are_uuids(db: Session, shop: ShopOf) -> None:
    """A call's first event has an id that follows from the call's, so that it is made once."""
    [row] = events.list_after(db, shop_id=shop.shop.id, call_id=shop.call_id)
    assert isinstance(row[0], UUID)
    assert row[2] == "opened"


def test_a_device_is_known_to_whoever_signed_in_on_it_alone(db: Session, make_shop: Callable[..., ShopOf]) -> None:
    """Another address on the same device counts its guesses as a stranger's."""
    mine, theirs, now = make_shop(), make_shop(), datetime.now(UTC)
    sign_ins.begin(db, mine.person, secret="s" * 40, device="d" * 40, words="a phone", now=now)
    assert sign_ins.is_known_device(db, mine.email.upper(), "d" * 40)
    assert not sign_ins.is_known_device(db, theirs.email, "d" * 40)
    assert not sign_ins.is_known_device(db, mine.email, "e" * 40)


def test_a_link_works_once_and_not_after_it_lapsed(db: Session, shop: ShopOf) -> None:
    """Whoever is second finds it used, however close behind; at its end it lets nobody in."""
    now = datetime.now(UTC)
    link = ways_in.make_link(db, shop.person, "reset", "l" * 32, now)
    assert not ways_in.use_link(db, link, now + ways_in.LINK_LASTS)
    assert ways_in.use_link(db, link, now)
    assert not ways_in.use_link(db, link, now)


def test_a_challenge_is_answered_by_whom_it_was_asked(db: Session, make_shop: Callable[..., ShopOf]) -> None:
    """Asked of one person it is nobody else's, nor a sign-in's; answered it is gone, and after five minutes too."""
    mine, theirs, now = make_shop().person, make_shop().person, datetime.now(UTC)
    ways_in.keep_challenge(db, b"asked", mine, now)
    assert not ways_in.use_challenge(db, b"asked", theirs, now)
    assert not ways_in.use_challenge(db, b"asked", None, now)
    assert not ways_in.use_challenge(db, b"asked", mine, now + ways_in.CHALLENGE_LASTS)
    assert ways_in.use_challenge(db, b"asked", mine, now)
    assert not ways_in.use_challenge(db, b"asked", mine, now)
