"""A whole shop out of the database and into one, a row at a time: into an empty shop, or merged without doubling.

Secrets stay where they are: passwords, passkeys, links, phones and sign-ins are no part of it, so that a bundle opens
nothing. Ids are kept; the shop's own id is the one it is taken into.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Column, Date, DateTime, Table, Text, Uuid, cast, func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from plentar.core.errors import ReadingError
from plentar.store import privacy
from plentar.store.models import (
    Base,
    Call,
    EventRow,
    KitRow,
    LogSamples,
    Meter,
    PartRow,
    Person,
    PhotoBytes,
    Place,
    Shop,
    Unit,
)

__all__ = ["BLOBS", "TABLES", "blobs_of", "rows_of", "take_in", "take_shop", "tidy_readings"]

# In the order they depend on each other.
TABLES = (
    "person", "meter", "place", "place_change", "unit", "round", "call", "event", "shop_limit", "part", "kit", "stock",
    "follow_up", "part_order", "block_minutes", "audit", "forgotten",
)  # fmt: skip
# Kept as files of their own: folder → table and its columns, an ending each.
BLOBS: Mapping[str, tuple[type[Base], Mapping[str, str]]] = {
    "photos/": (PhotoBytes, {"image": ".jpg", "thumbnail": ".small.jpg"}),
    "logs/": (LogSamples, {"samples": ".bin"}),
}
SECRET = {"person": ("password_hash",)}
# What tells two of a kind apart to a person: the same name is the same thing, whatever its id.
NATURAL: Mapping[str, tuple[type[Any], str]] = {
    "meter": (Meter, "name"),
    "part": (PartRow, "name"),
    "kit": (KitRow, "model"),
    "place": (Place, "name"),
}
BATCH = 2000


def _table(name: str) -> Table:
    return Base.metadata.tables[name]


def rows_of(db: Session, name: str, *, shop_id: UUID) -> Iterator[dict[str, Any]]:
    """Give a table's rows of a shop as plain values, without its secrets, a thousand at a time from the server."""
    table = _table(name)
    left_out = {"shop_id", *SECRET.get(name, ())}
    columns = [column for column in table.columns if column.name not in left_out]
    order = [column for column in table.primary_key.columns if column.name != "shop_id"]
    if name == "event":
        order = [table.c.call_id, table.c.seq]
    query = select(*columns).where(table.c.shop_id == shop_id).order_by(*order)
    result = db.execute(query.execution_options(yield_per=1000))
    for row in result.mappings():
        yield dict(row)


def blobs_of(db: Session, folder: str, *, shop_id: UUID) -> Iterator[tuple[str, bytes]]:
    """Give a folder's files of a shop, by name."""
    table, endings = BLOBS[folder]
    for blob_id in db.scalars(select(table.id).where(table.shop_id == shop_id).order_by(table.id)).all():  # type: ignore[attr-defined]
        for column, ending in endings.items():
            own = (table.shop_id == shop_id, table.id == blob_id)  # type: ignore[attr-defined]
            data = db.scalar(select(getattr(table, column)).where(*own))
            if data is not None:
                yield f"{folder}{blob_id}{ending}", bytes(data)


def tidy_readings(db: Session, *, shop_id: UUID, unit_id: UUID | None = None) -> Iterator[dict[str, Any]]:
    """Give every reading of a shop, or of one unit, with where, when, by whom, under what; struck ones are marked."""
    payload = EventRow.payload
    later = EventRow.__table__.alias("later")
    own_id = cast(EventRow.id, Text)
    # Taken back, or corrected by another reading.
    struck = (
        select(later.c.id)
        .where(
            later.c.shop_id == EventRow.shop_id,
            later.c.call_id == EventRow.call_id,
            ((later.c.kind == "void") & (later.c.payload["event"].astext == own_id))
            | ((later.c.kind == "reading") & (later.c.payload["supersedes"].astext == own_id)),
        )
        .exists()
    )
    read_with = func.coalesce(func.nullif(payload["meter"].astext, ""), cast(Call.meter_id, Text))
    own = [EventRow.shop_id == shop_id, EventRow.kind == "reading"]
    if unit_id is not None:
        calls = select(Call.id).where(Call.shop_id == shop_id, Call.unit_id == unit_id)
        own.append(EventRow.call_id.in_(calls))
    rows = db.execute(
        select(
            Place.name.label("place"),
            Unit.label.label("unit"),
            Unit.nameplate["serial"].astext.label("serial"),
            EventRow.call_id.label("call"),
            EventRow.done_at,
            payload["point"].astext.label("point"),
            payload["value"].astext.label("value"),
            payload["meter_uncertainty"].astext.label("uncertainty"),
            payload["condition"]["calls"].label("calls"),
            Meter.name.label("meter"),
            payload["calibrated_on"].astext.label("meter_calibrated_on"),
            Person.name.label("technician"),
            struck.label("struck"),
        )
        .join(Call, (Call.shop_id == EventRow.shop_id) & (Call.id == EventRow.call_id))
        .join(Unit, (Unit.shop_id == Call.shop_id) & (Unit.id == Call.unit_id))
        .join(Place, (Place.shop_id == Unit.shop_id) & (Place.id == Unit.place_id))
        .outerjoin(Meter, (Meter.shop_id == Call.shop_id) & (cast(Meter.id, Text) == read_with))
        .join(Person, (Person.shop_id == EventRow.shop_id) & (Person.id == EventRow.person_id))
        .where(*own)
        .order_by(EventRow.call_id, EventRow.seq)
        .execution_options(yield_per=1000)
    )
    for row in rows.mappings():
        told = row["calls"] or {}
        named = told if isinstance(told, dict) else dict(told)
        yield {
            **row,
            "done_at": row["done_at"].isoformat(),
            "calls_on": "+".join(sorted(named)),
            "struck": "yes" if row["struck"] else "",
        }


def take_in(
    db: Session,
    *,
    shop_id: UUID,
    rows: Callable[[str], Iterable[Mapping[str, Any]]],
    blobs: Callable[[str], Iterable[tuple[str, bytes]]],
    now: datetime,
    progress: Callable[[str], None] = lambda _: None,
) -> dict[str, int]:
    """Take a whole shop in, in the caller's one transaction; return how many rows of each table were new.

    Args:
        shop_id: Whose it becomes.
        rows: Gives a table's rows.
        blobs: Gives a folder's files.
        now: When: somebody whose address is taken elsewhere may sign in no more from then on.

    Raises:
        ReadingError: A row does not fit: another program's, or by hand.
    """
    taken: dict[str, int] = {}
    other_id: dict[str, dict[str, str]] = {}
    behind = {str(row.id): row.seq for row in db.execute(select(Call.id, Call.seq).where(Call.shop_id == shop_id))}
    for name in TABLES:
        taken[name] = _take_table(db, name, rows(name), shop_id, other_id, behind, now)
        progress(f"{name}: {taken[name]} new")
    for folder in BLOBS:
        taken[folder] = _take_blobs(db, folder, blobs(folder), shop_id)
        progress(f"{folder} {taken[folder]} new")
    privacy.reapply(db, shop_id=shop_id)
    return taken


def _take_table(
    db: Session,
    name: str,
    rows: Iterable[Mapping[str, Any]],
    shop_id: UUID,
    other_id: dict[str, dict[str, str]],
    behind: Mapping[str, int],
    now: datetime,
) -> int:
    table, count = _table(name), 0
    batch: list[dict[str, Any]] = []
    for row in rows:
        values = _values(table, row, shop_id, other_id)
        if name == "person":
            values = _as_guest(db, values, other_id, shop_id, now)
            if not values:
                continue
        if name in NATURAL and _is_known_by_name(db, name, values, shop_id, other_id):
            continue
        if name == "event" and values["seq"] <= behind.get(str(values["call_id"]), 0):
            continue
        batch.append(values)
        if len(batch) >= BATCH:
            count += _insert(db, table, batch)
            batch = []
    if batch:
        count += _insert(db, table, batch)
    return count


def _insert(db: Session, table: Table, batch: list[dict[str, Any]]) -> int:
    statement = insert(table).on_conflict_do_nothing()
    if table.name == "call":
        # A call that went on elsewhere takes its copies along; one that went on here keeps them.
        copies = ("seq", "status", "closed_at", "outcome", "words", "at_risk", "complaints", "asides")
        statement = insert(table)
        statement = statement.on_conflict_do_update(
            index_elements=["shop_id", "id"],
            set_={column: statement.excluded[column] for column in copies},
            where=table.c.seq < statement.excluded.seq,
        )
    return len(db.execute(statement.returning(table.c.shop_id), batch).all())


def _values(
    table: Table, row: Mapping[str, Any], shop_id: UUID, other_id: Mapping[str, Mapping[str, str]]
) -> dict[str, Any]:
    """Return a row as the table takes it: this shop's, its foreign ids those of what is known here by another."""
    values: dict[str, Any] = {"shop_id": shop_id}
    for column in table.columns:
        if column.name == "shop_id" or column.computed is not None:
            continue
        if column.name not in row:
            continue
        values[column.name] = _typed(table, column, row[column.name], other_id)
    if table.name == "event" and isinstance(values.get("payload"), dict) and "meter" in values["payload"]:
        meter = values["payload"]["meter"]
        values["payload"] = {**values["payload"], "meter": other_id.get("meter", {}).get(meter, meter)}
    return values


def _typed(table: Table, column: Column[Any], value: Any, other_id: Mapping[str, Mapping[str, str]]) -> Any:
    if value is None:
        return None
    try:
        if isinstance(column.type, Uuid):
            for key in column.foreign_keys:
                if key.column.name == "id":
                    value = other_id.get(key.column.table.name, {}).get(value, value)
            return UUID(value)
        if isinstance(column.type, DateTime):
            return datetime.fromisoformat(value)
        if isinstance(column.type, Date):
            return date.fromisoformat(value)
    except (TypeError, ValueError, AttributeError) as error:
        words = f"{table.name}, {column.name}: expected what this program writes, got {str(value)[:40]!r}"
        raise ReadingError(words, field="file") from error
    return value


def _as_guest(
    db: Session, values: dict[str, Any], other_id: dict[str, dict[str, str]], shop_id: UUID, now: datetime
) -> dict[str, Any]:
    """Return a person without a way in; of the same address here, they are that one; of it elsewhere, nobody."""
    known = db.execute(
        select(Person.shop_id, Person.id).where(Person.email == str(values["email"]).lower())
    ).one_or_none()
    if known is not None and known.shop_id == shop_id:
        other_id.setdefault("person", {})[str(values["id"])] = str(known.id)
        return {}
    values["password_hash"] = ""
    if known is not None:
        values["email"] = f"{values['id']}@imported.invalid"
        values["deactivated_at"] = values.get("deactivated_at") or now
    return values


def _is_known_by_name(
    db: Session, name: str, values: Mapping[str, Any], shop_id: UUID, other_id: dict[str, dict[str, str]]
) -> bool:
    table, key = NATURAL[name]
    own = [table.shop_id == shop_id, getattr(table, key) == values[key]]
    if name == "place":
        own.append(Place.removed_at.is_(None))
        if values.get("removed_at") is not None:
            return False
    found = db.scalar(select(table.id).where(*own))
    if found is None or found == values["id"]:
        return False
    other_id.setdefault(name, {})[str(values["id"])] = str(found)
    return True


def _take_blobs(db: Session, folder: str, files: Iterable[tuple[str, bytes]], shop_id: UUID) -> int:
    table, endings = BLOBS[folder]
    waiting: dict[str, dict[str, bytes]] = {}
    count = 0
    for name, data in files:
        base = name.removeprefix(folder)
        column = next(c for c, ending in sorted(endings.items(), key=lambda e: -len(e[1])) if base.endswith(ending))
        blob_id = base.removesuffix(endings[column])
        parts = waiting.setdefault(blob_id, {})
        parts[column] = data
        if len(parts) == len(endings):
            whole = {"shop_id": shop_id, "id": UUID(blob_id), **waiting.pop(blob_id)}
            result = db.execute(insert(table).on_conflict_do_nothing().returning(table.id), [whole])  # type: ignore[attr-defined]
            count += len(result.all())
    return count


def take_shop(db: Session, shop: Shop, told: Mapping[str, Any]) -> None:
    """Give a shop that has nothing yet the settings of the one taken in."""
    db.execute(
        update(Shop)
        .where(Shop.id == shop.id)
        .values(**{key: told[key] for key in ("currency", "tax_percent", "price_kwh", "retention") if key in told})
    )
