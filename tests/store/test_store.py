"""What the database itself refuses, on a real PostgreSQL."""

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any
from uuid import UUID, uuid4

import pytest
from sqlalchemy import Engine, delete, inspect, select, update
from sqlalchemy.exc import DatabaseError, IntegrityError
from sqlalchemy.orm import Session

from plentar.store import calls, events, places
from plentar.store.database import migrate
from plentar.store.models import Base, Call, EventRow
from tests.application import ShopOf, own_database

NOW = datetime(2026, 11, 20, 15, 0, tzinfo=UTC)
# Tables that belong to no shop, each with the reason.
SHOPLESS = {
    "shop": "it is the shop",
    "sign_in_guess": "whoever guesses has no shop yet",
    "alembic_version": "the schema's own",
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


OLD_ROWS = """
insert into shop (id, name, time_zone) values ('{shop}', 'Old shop', 'UTC');
insert into person (id, shop_id, name, email, role, password_hash)
  values ('{person}', '{shop}', 'Old hand', 'old@shop.example', 'lead', 'x');
insert into meter (id, shop_id, name, ranges) values ('{meter}', '{shop}', 'Meter', '[]');
insert into place (id, shop_id, name, town, occupant, access_note) values ('{place}', '{shop}', '1 Old Row', '', '',
  '');
insert into unit (id, shop_id, place_id, label, nameplate, version) values
  ('{unit}', '{shop}', '{place}', 'u', '{{}}', 1);
insert into call (id, shop_id, unit_id, technician_id, meter_id, complaints, words, status, scheduled_at, closed_at,
  outcome, condition, at_risk)
  values ('{call}', '{shop}', '{unit}', '{person}', '{meter}', '["no heat"]', '', 'closed', '2026-11-01 09:00+00',
  '2026-11-01 10:30+00', 'link replaced', '{{"feeds": {{"feed-1": "proven dead"}}, "control": "proven dead",
  "calls": {{"W": "2026-11-01T09:10:00+00:00"}}, "changed_at": "2026-11-01T10:00:00+00:00", "bypassed": true}}', '');
insert into reading (id, shop_id, call_id, person_id, meter_id, point, value, typed, meter_uncertainty,
  counts_uncertainty, condition, taken_at, received_at, supersedes_id, reason)
  values ('{first}', '{shop}', '{call}', '{person}', '{meter}', 'amps:strip-a', 20.8, '20.8', 0.5, 0.2,
  '{{"feeds": {{"feed-1": "live"}}, "control": "from unit", "calls": {{"W": 300.0}}, "seconds_since_change": 300.0}}',
  '2026-11-01 09:20+00', '2026-11-01 09:20+00', null, ''),
  ('{second}', '{shop}', '{call}', '{person}', '{meter}', 'amps:strip-a', 19.9, '19.9', 0.5, 0.2,
  '{{"feeds": {{"feed-1": "live"}}, "control": "from unit", "calls": {{"W": 320.0}}, "seconds_since_change": 320.0}}',
  '2026-11-01 09:21+00', '2026-11-01 09:21+00', '{first}', 'wrong lead');
insert into observation (id, shop_id, call_id, person_id, at, kind, about, state, note, condition) values
  ('{look}', '{shop}', '{call}', '{person}', '2026-11-01 09:05+00', 'filter-dirty', '', 'found', 'grey', '{{}}'),
  ('{tap}', '{shop}', '{call}', '{person}', '2026-11-01 09:30+00', 'run-on', '2:strip-a', 'done', '', '{{}}'),
  ('{safe}', '{shop}', '{call}', '{person}', '2026-11-01 09:40+00', 'safe-dead', 'feed-1', 'done', '', '{{}}'),
  ('{cap}', '{shop}', '{call}', '{person}', '2026-11-01 09:50+00', 'capacitor', '', 'done',
   '{{"microfarads": 7.4}}', '{{}}'),
  ('{out}', '{shop}', '{call}', '{person}', '2026-11-01 09:50+00', 'capacitor-out', '', 'found', '', '{{}}'),
  ('{air}', '{shop}', '{call}', '{person}', '2026-11-01 09:55+00', 'air', 'clean', 'done',
   '{{"reading": {{"return_degf": 70, "supply_degf": 104, "altitude_feet": 600}}}}', '{{}}');
insert into accepted_cause (id, shop_id, call_id, person_id, at, faults, title, cause, cause_not_found, consequence,
  share, withdrawn_at) values ('{cause}', '{shop}', '{call}', '{person}', '2026-11-01 10:01+00',
  '["strip-a.link.open"]',
  'Link open', 'little air', false, '', 0.9, '2026-11-01 10:02+00');
insert into photo (id, shop_id, call_id, person_id, at, part, note, image, thumbnail)
  values ('{photo}', '{shop}', '{call}', '{person}', '2026-11-01 10:03+00', 'strip-a', 'brown', 'big', 'small');
insert into current_log (id, shop_id, call_id, person_id, at, name, clamp, source, found, samples, called_seconds,
  dropped_seconds, supply_volts, settings, recording_since) values ('{log}', '{shop}', '{call}', '{person}',
  '2026-11-01 10:04+00', 'a log', 'feed-1', 'csv', '9 rows', 'packed', 5, 400, 238, '{{}}', null);
insert into work_item (id, shop_id, call_id, person_id, at, kind, about, data, due_on, done_at) values
  ('{part}', '{shop}', '{call}', '{person}', '2026-11-01 10:10+00', 'part', '',
   '{{"name": "link", "minutes": 20, "price": null, "choice": ""}}', null, null),
  ('{left}', '{shop}', '{call}', '{person}', '2026-11-01 10:11+00', 'temporary', 'strip-a',
   '{{"how": "off", "tag": "off", "left_watts": 5000, "whole_watts": 10000}}', '2026-11-09', '2026-11-05 09:00+00'),
  ('{back}', '{shop}', '{call}', '{person}', '2026-11-01 10:12+00', 'power-back', '', '{{"ledger_sound": true}}',
   null, null),
  ('{proof}', '{shop}', '{call}', '{person}', '2026-11-01 10:20+00', 'unproven', '', '{{"reason": "no time"}}', null,
   null)
"""


def test_an_older_database_migrates_with_its_calls(engine: Engine) -> None:
    """Every row becomes an event in the order it was done; what was derived is derived again; dead is not inherited."""
    from plentar.core.evidence.lockout import fold
    from plentar.core.evidence.record import Record
    from plentar.core.unit.patterns import PATTERNS
    from plentar.web.call_layout.visits import event_of

    names = (
        "shop person meter place unit call first second look tap safe cap out air cause photo log part left back proof"
    )
    ids = {name: uuid4() for name in [*names.split(), "proof"]}
    with own_database(engine) as own:
        migrate(own, "0004")
        with own.begin() as connection:
            for statement in OLD_ROWS.format(**ids).split(";\n"):
                connection.exec_driver_sql(statement)
        migrate(own)
        with Session(own) as db:
            rows = events.list_after(db, shop_id=ids["shop"], call_id=ids["call"])
            record = Record([event_of(row) for row in rows])
            kinds = [event.action.kind for event in record.events]
            first = [
                "seen",
                "reading",
                "reading",
                "tap",
                "note",
                "reading",
                "reading",
                "reading",
                "air",
                "opened",
                "cause",
                "void",
                "photo",
                "log",
            ]
            assert kinds == [*first, *["part", "temporary", "power-back", "settled", "closed", "temporary-done"]]
            assert [entry.reading.value for entry in record.standing if entry.reading.function == "amps"] == [19.9]
            assert record.taken[0].void_reason == "wrong lead"
            assert record.taken[0].reading.condition.call_seconds("W") == 300.0
            assert record.causes == []
            assert record.closed is not None
            assert record.open_temporaries[0][2], "made right after the call was closed"
            assert record.taps[0][1].stage == "strip-a"
            assert record.settled is not None
            assert record.settled[1].reason == "no time"
            state = fold(PATTERNS["two-strip-sequencer"](), record.events)
            assert state.feeds["feed-1"] == "live", "power went back on after what was once called proven dead"
            photo = events.get_photo(db, shop_id=ids["shop"], call_id=ids["call"], photo_id=ids["photo"])
            assert photo is not None
            assert photo.image == b"big"
            assert events.get_samples(db, shop_id=ids["shop"], log_id=ids["log"]) == b"packed"
            call = db.scalar(select(Call).where(Call.id == ids["call"]))
            assert call is not None
            assert (call.seq, call.status, call.outcome) == (len(rows), "closed", "link replaced")


def test_old_and_new_ids_are_uuids(db: Session, shop: ShopOf) -> None:
    """A call's first event has an id that follows from the call's, so that it is made once."""
    [row] = events.list_after(db, shop_id=shop.shop.id, call_id=shop.call_id)
    assert isinstance(row[0], UUID)
    assert row[2] == "opened"
