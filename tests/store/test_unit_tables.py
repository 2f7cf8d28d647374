"""Packed rows of circuits in the database: kept once, shared by processes, of this version only."""

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from unittest.mock import patch

import pytest
from flask import Flask
from sqlalchemy import Engine, func, select
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from plentar.core.causes.hypotheses import PREDICTED, model_of
from plentar.core.causes.keeping import drives_of_table
from plentar.core.causes.same_circuit import circuit_of
from plentar.core.causes.table import VERSION, circuit_key, drive_key
from plentar.core.causes.table_store import kept_row, use_table_store
from plentar.core.circuit.drive import Drive
from plentar.core.unit.patterns import PATTERNS
from plentar.store import unit_tables
from plentar.store.database import make_sessions
from plentar.store.models import UnitTableRow
from plentar.web.call_layout.unit_tables import KeptTables
from tests.actions import call_heat
from tests.application import ShopOf, sign_in

UNIT = circuit_of(PATTERNS["two-strip-sequencer"]())
HEAT = Drive(calls=frozenset({"W"}))
CIRCUIT = circuit_key(UNIT)
NAME = {"circuit": CIRCUIT, "drive": drive_key(HEAT)}
NOW = datetime(2026, 11, 25, tzinfo=UTC)


@pytest.fixture
def tables(engine: Engine) -> Iterator[KeptTables]:
    """The store over an empty table, filled by hand."""
    with make_sessions(engine).begin() as db:
        db.query(UnitTableRow).delete()
    yield KeptTables(make_sessions(engine), in_background=False)
    use_table_store(None)
    PREDICTED.clear()


def rows(db: Session, version: str) -> list[bytes]:
    """What is kept of the unit in a version."""
    return list(unit_tables.get_rows(db, version=version, circuit=CIRCUIT).values())


def drop(db: Session, *, others: int, every: int) -> int:
    """Drop what is so many days old."""
    ages = {"others_before": NOW - timedelta(days=others), "all_before": NOW - timedelta(days=every)}
    return unit_tables.drop_old_rows(db, version=VERSION, **ages)


def test_what_one_process_solved_another_fetches(tables: KeptTables, engine: Engine) -> None:
    """Nothing kept, so missed; filled; the other process finds it. Asked for twice, it waits once."""
    assert tables.fetch(CIRCUIT) == {}
    tables.missed(UNIT, HEAT)
    tables.missed(UNIT, HEAT)
    assert tables.waiting == len(drives_of_table(UNIT))
    assert tables.fill_one()
    other = KeptTables(make_sessions(engine), in_background=False)
    assert list(other.fetch(CIRCUIT)) == [drive_key(HEAT)]


def test_what_was_missed_is_found_once_it_is_filled(tables: KeptTables) -> None:
    """A row that was not kept is not asked for with every reading; kept since by this process, it is found."""
    use_table_store(tables)
    sizes = {"hypotheses": len(model_of(UNIT).hypotheses), "contacts": len(model_of(UNIT).circuit.contacts)}
    assert kept_row(CIRCUIT, UNIT, HEAT, **sizes) is None
    with patch.object(tables, "fetch", side_effect=AssertionError("asked again")):
        assert kept_row(CIRCUIT, UNIT, HEAT, **sizes) is None
    assert tables.fill_one()
    assert kept_row(CIRCUIT, UNIT, HEAT, **sizes) is not None


def test_a_row_that_could_not_be_kept_is_asked_for_again(tables: KeptTables) -> None:
    """The database is away for a moment: the row waits again with the next miss, once."""
    tables.missed(UNIT, HEAT)
    whole = tables.waiting
    with (
        patch.object(unit_tables, "put_row", side_effect=OperationalError("insert", {}, OSError("gone"))),
        pytest.raises(OperationalError),
    ):
        tables.fill_one()
    assert tables.waiting == whole - 1
    for _ in range(2):
        tables.missed(UNIT, HEAT)
        assert tables.waiting == whole


def test_two_that_keep_the_same_keep_one(tables: KeptTables, db: Session) -> None:
    """The second leaves the first as it is; another version stands beside it, and goes after its days."""
    assert tables.waiting == 0
    for packed in (b"first", b"second"):
        unit_tables.put_row(db, version=VERSION, packed=packed, made_at=NOW, **NAME)
    unit_tables.put_row(db, version="older", packed=b"older", made_at=NOW - timedelta(days=9), **NAME)
    assert rows(db, VERSION) == [b"first"]
    assert rows(db, "older") == [b"older"]
    drop(db, others=10, every=200)
    assert rows(db, "older") == [b"older"]
    drop(db, others=7, every=200)
    assert rows(db, "older") == []
    assert rows(db, VERSION) == [b"first"]
    # Kept for so long and not asked for: a unit that is gone.
    unit_tables.put_row(
        db, version=VERSION, packed=b"long ago", made_at=NOW - timedelta(days=201), circuit="x", drive="x"
    )
    assert drop(db, others=7, every=200) == 1
    assert rows(db, VERSION) == [b"first"]


def test_a_call_is_answered_out_of_the_kept_table(app: Flask, shop: ShopOf, tables: KeptTables, engine: Engine) -> None:
    """The first page solves and notes what it missed; once that is filled, the same page solves nothing."""
    client = sign_in(app, shop)
    use_table_store(tables)
    PREDICTED.clear()
    call_heat(client, shop, 400)
    form = {"reading_id": "6f6b2f4e-0a41-4c1e-9d2a-3f1f5f3b0001", "point": "amps:strip-b", "value": "0"}
    assert client.post(f"{shop.url}/readings", data=form).status_code in (200, 302)
    first = client.get(shop.url).text
    assert tables.waiting
    while tables.fill_one():
        pass
    with make_sessions(engine)() as db:
        kept = db.scalar(select(func.count()).select_from(UnitTableRow))
    assert kept == len(drives_of_table(circuit_of(shop.plate)))
    use_table_store(tables)
    PREDICTED.clear()
    again = client.get(shop.url).text
    assert "Suspects" in again
    assert again.count("%") == first.count("%")
    assert not tables.waiting
