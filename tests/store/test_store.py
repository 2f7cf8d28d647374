"""What the database itself refuses, on a real PostgreSQL."""

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any
from uuid import uuid4

import pytest
from sqlalchemy import Engine, create_engine, delete, inspect, text, update
from sqlalchemy.exc import DatabaseError, IntegrityError
from sqlalchemy.orm import Session

from plentar.store import calls
from plentar.store.database import make_engine, migrate
from plentar.store.models import Base, Call, Reading
from tests.conftest import ShopOf


def reading_of(db: Session, shop: ShopOf, **changes: Any) -> Reading:
    """A reading of this shop's call, ready to append."""
    call = db.get_one(Call, shop.call_id)
    values: dict[str, Any] = {
        "id": uuid4(),
        "shop_id": shop.shop.id,
        "call_id": call.id,
        "person_id": shop.person.id,
        "meter_id": call.meter_id,
        "point": "amps:strip-a",
        "value": 20.4,
        "typed": "20.4",
        "meter_uncertainty": 0.5,
        "counts_uncertainty": 0.2,
        "condition": call.condition,
        "taken_at": datetime.now(UTC),
        "received_at": datetime.now(UTC),
        "reason": "",
    }
    return Reading(**{**values, **changes})


def test_a_reading_sent_twice_is_one_reading(db: Session, shop: ShopOf) -> None:
    """The client's id decides; the second send changes nothing."""
    first = reading_of(db, shop)
    again = reading_of(db, shop, id=first.id, value=99.0)
    assert calls.append_reading(db, first)
    assert not calls.append_reading(db, again)
    kept = calls.list_readings(db, shop_id=shop.shop.id, call_id=shop.call_id)
    assert [row.value for row in kept] == [20.4]


@pytest.mark.parametrize("change", ["update", "delete"])
def test_readings_are_append_only(db: Session, shop: ShopOf, change: str) -> None:
    """The database refuses to change or drop evidence, whoever asks."""
    row = reading_of(db, shop)
    calls.append_reading(db, row)
    statement = update(Reading).values(value=1.0) if change == "update" else delete(Reading)
    with pytest.raises(DatabaseError, match="append-only"):
        db.execute(statement.where(Reading.id == row.id))


@pytest.mark.parametrize(
    "changes",
    [
        pytest.param({"value": -1.0}, id="below zero"),
        pytest.param({"value": float("nan")}, id="not a number"),
        pytest.param({"reason": "misread"}, id="a reason without a correction"),
        pytest.param({"supersedes_id": uuid4(), "reason": "misread"}, id="correcting what does not exist"),
    ],
)
def test_impossible_rows_are_refused(db: Session, shop: ShopOf, changes: dict[str, Any]) -> None:
    """Table constraints hold the rules the forms hold."""
    with pytest.raises(IntegrityError):
        calls.append_reading(db, reading_of(db, shop, **changes))


def test_rows_of_two_shops_never_meet(db: Session, make_shop: Callable[..., ShopOf]) -> None:
    """Another shop's call cannot be read, and a reading cannot name it even by mistake."""
    mine, theirs = make_shop(), make_shop()
    assert calls.get_for_shop(db, shop_id=mine.shop.id, call_id=theirs.call_id) is None
    assert calls.list_readings(db, shop_id=mine.shop.id, call_id=theirs.call_id) == []
    with pytest.raises(IntegrityError):
        calls.append_reading(db, reading_of(db, theirs, shop_id=mine.shop.id))


def test_a_correction_leaves_the_first_reading_in_the_record(db: Session, shop: ShopOf) -> None:
    """Both are listed, one stands, and nothing can be corrected twice."""
    first = reading_of(db, shop)
    second = reading_of(db, shop, value=19.9, supersedes_id=first.id, reason="read the wrong conductor")
    for row in (first, second):
        calls.append_reading(db, row)
    kept = calls.list_readings(db, shop_id=shop.shop.id, call_id=shop.call_id)
    assert len(kept) == 2
    assert [row.value for row in calls.standing_readings(kept)] == [19.9]
    with pytest.raises(IntegrityError):
        calls.append_reading(db, reading_of(db, shop, supersedes_id=first.id, reason="again"))


def test_migrations_go_up_and_down_and_match_the_models(engine: Engine) -> None:
    """In a database of its own: up, compare, down to nothing, up again."""
    name = f"migrations_{uuid4().hex}"
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as admin:
        admin.execute(text(f"create database {name}"))
    own = make_engine(engine.url.set(database=name).render_as_string(hide_password=False))
    try:
        migrate(own)
        assert {*Base.metadata.tables, "alembic_version"} == set(inspect(own).get_table_names())
        with own.connect() as connection:
            from alembic.autogenerate import compare_metadata
            from alembic.migration import MigrationContext

            assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []
        migrate(own, "base")
        assert inspect(own).get_table_names() == ["alembic_version"]
        migrate(own)
    finally:
        own.dispose()
        admin_engine = create_engine(engine.url, isolation_level="AUTOCOMMIT")
        with admin_engine.connect() as admin:
            admin.execute(text(f"drop database {name}"))
        admin_engine.dispose()
