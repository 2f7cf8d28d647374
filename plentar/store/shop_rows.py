"""A whole shop out of the database and into one, a row at a time.

Secrets stay where they are: passwords, passkeys, links, phones and sign-ins are no part of it, so that a bundle opens
nothing. Ids are kept; the shop's own id is the one it is taken into. An import only adds: what is there already is the
same, or the whole is refused; nothing is added to a call that is there.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import (
    Boolean,
    Column,
    Date,
    DateTime,
    Float,
    Integer,
    String,
    Table,
    Text,
    Uuid,
    cast,
    func,
    select,
    tuple_,
    update,
)
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from plentar.core.errors import ReadingError
from plentar.core.limits.moments import BEFORE_OPENING_SECONDS, CLOCK_STEP_SECONDS
from plentar.store import privacy
from plentar.store.models import (
    Base,
    Call,
    EventRow,
    ImportBatch,
    KitRow,
    LogSamples,
    MeterRow,
    PartRow,
    Person,
    PhotoBytes,
    PlaceRow,
    Shop,
    Unit,
)

__all__ = [
    "BLOBS",
    "TABLES",
    "ConflictsError",
    "Importing",
    "Problem",
    "blobs_of",
    "rows_of",
    "take_shop",
    "tidy_readings",
]

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
    "meter": (MeterRow, "name"),
    "part": (PartRow, "name"),
    "kit": (KitRow, "model"),
    "place": (PlaceRow, "name"),
}
BATCH = 1000
# How much is listed of what stands against an import.
MOST_PROBLEMS = 100
# Rows that belong to a call: none is added to one that is there.
OF_CALL = {"event": "call_id", "follow_up": "call_id", "part_order": "call_id"}
ANOTHER = "a different row already exists, and an import changes nothing"
CALL_HERE = "the call already exists, and an import adds nothing to it"
# The address of somebody whose own belongs to a person of another shop: they can't sign in by it.
NOBODY = "@imported.invalid"
# What a shop that has records already keeps as it is: its own rules, and what is on its vans.
OWN_TO_A_SHOP = ("shop_limit", "stock", "block_minutes")


def _table(name: str) -> Table:
    return Base.metadata.tables[name]


def rows_of(db: Session, name: str, *, shop_id: UUID) -> Iterator[dict[str, Any]]:
    """Give a table's rows of a shop as plain values, without its secrets, a thousand at a time from the server."""
    table = _table(name)
    left_out = {"shop_id", "import_id", *SECRET.get(name, ())}
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
            PlaceRow.name.label("place"),
            Unit.label.label("unit"),
            Unit.nameplate["serial"].astext.label("serial"),
            EventRow.call_id.label("call"),
            EventRow.done_at,
            payload["point"].astext.label("point"),
            payload["value"].astext.label("value"),
            payload["meter_uncertainty"].astext.label("uncertainty"),
            payload["condition"]["calls"].label("calls"),
            MeterRow.name.label("meter"),
            payload["calibrated_on"].astext.label("meter_calibrated_on"),
            Person.name.label("technician"),
            struck.label("struck"),
        )
        .join(Call, (Call.shop_id == EventRow.shop_id) & (Call.id == EventRow.call_id))
        .join(Unit, (Unit.shop_id == Call.shop_id) & (Unit.id == Call.unit_id))
        .join(PlaceRow, (PlaceRow.shop_id == Unit.shop_id) & (PlaceRow.id == Unit.place_id))
        .outerjoin(MeterRow, (MeterRow.shop_id == Call.shop_id) & (cast(MeterRow.id, Text) == read_with))
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


@dataclass(frozen=True, slots=True)
class Problem:
    """What stands against an import: the file, its line (from 1; 0 for a whole file), the field, and why."""

    file: str
    line: int
    field: str
    words: str

    def __str__(self) -> str:
        where = f"{self.file}, line {self.line}" if self.line else self.file
        return f"{where}: {self.field + ': ' if self.field else ''}{self.words}"


class ConflictsError(ReadingError):
    """An import that was refused whole, with the first of what stands against it."""

    def __init__(self, problems: Sequence[Problem]) -> None:
        count = "one problem" if len(problems) == 1 else f"{len(problems)} problems"
        more = " and more" if len(problems) >= MOST_PROBLEMS else ""
        super().__init__(f"nothing was imported: {count}{more}. {problems[0]}", field="file")
        self.problems = tuple(problems)


Check = Callable[[str, Mapping[str, Any]], Iterable[tuple[str, str]]]


@dataclass(slots=True)
class _CallSoFar:
    """The events of one new call as they come."""

    call_id: UUID
    line: int
    count: int = 0
    opened_at: datetime | None = None
    closed: str | None = None
    is_withdrawn: bool = False


@dataclass(slots=True)
class Importing:
    """One import into a shop, in the caller's one transaction.

    `check` says what is wrong with a row's own values, field by field; `check_file` with a photo's or log's bytes.
    """

    db: Session
    shop_id: UUID
    batch: ImportBatch
    now: datetime
    check: Check
    check_file: Callable[[str, bytes], str]
    progress: Callable[[str], None] = lambda _: None
    problems: list[Problem] = field(default_factory=list)
    other_id: dict[str, dict[str, str]] = field(default_factory=dict)
    # Of calls that came in with this import: how many events each has, its status and outcome.
    new_calls: dict[UUID, tuple[int, str, str]] = field(default_factory=dict)
    new_places: set[UUID] = field(default_factory=set)
    # The shop has no records of its own yet; known once rows are taken.
    is_empty: bool = field(default=False, init=False)
    _has_batch: bool = False
    _call: _CallSoFar | None = None

    def take(
        self,
        rows: Callable[[str], Iterable[Mapping[str, Any]]],
        blobs: Callable[[str], Iterable[tuple[str, bytes]]],
    ) -> dict[str, int]:
        """Add a whole shop; return how many rows of each table were new.

        Raises:
            ConflictsError: Some row is not like the one that is there, or cannot be: nothing may be committed.
        """
        self.is_empty = self.db.scalar(select(PlaceRow.id).where(PlaceRow.shop_id == self.shop_id).limit(1)) is None
        taken: dict[str, int] = {}
        for name in TABLES:
            taken[name] = self._table(name, rows(name))
            self.progress(f"{name}: {taken[name]} new")
        for folder in BLOBS:
            taken[folder] = self._files(folder, blobs(folder))
            self.progress(f"{folder} {taken[folder]} new")
        if self.problems:
            raise ConflictsError(self.problems)
        privacy.reapply(self.db, shop_id=self.shop_id)
        return taken

    def _wrong(self, name: str, line: int, column: str, words: str) -> None:
        self.problems.append(Problem(name, line, column, words))
        if len(self.problems) >= MOST_PROBLEMS:
            raise ConflictsError(self.problems)

    def _table(self, name: str, rows: Iterable[Mapping[str, Any]]) -> int:
        file, count = f"{name}.jsonl", 0
        waiting: list[tuple[int, dict[str, Any]]] = []
        for line, row in enumerate(rows, start=1):
            if name in OWN_TO_A_SHOP and not self.is_empty:
                continue
            values = self._row(name, file, line, row)
            if values is not None:
                waiting.append((line, values))
            if len(waiting) >= BATCH:
                count += self._add(name, file, waiting)
                waiting = []
        count += self._add(name, file, waiting)
        if name == "event":
            self._end_of_call()
            for call_id, (seq, _, _) in self.new_calls.items():
                if seq:
                    self._wrong("call.jsonl", 0, "seq", f"call {call_id} names {seq} events and has none")
        return count

    def _row(self, name: str, file: str, line: int, row: Mapping[str, Any]) -> dict[str, Any] | None:
        """Return a row as the table takes it; None for one that is there under another id, or is wrong."""
        table = _table(name)
        known = {column.name for column in table.columns if column.computed is None}
        unknown = set(row) - (known - {"shop_id", "import_id", *SECRET.get(name, ())})
        for column in sorted(unknown)[:1]:
            self._wrong(file, line, str(column)[:40], "there is no such field")
        try:
            values = _values(table, row, self.shop_id, self.other_id)
        except ReadingError as error:
            self._wrong(file, line, error.field, str(error.message))
            return None
        missing = [
            column.name
            for column in table.columns
            if column.name not in values
            and not column.nullable
            and column.default is None
            and column.server_default is None
            and column.computed is None
            and column.name not in SECRET.get(name, ())
        ]
        if missing or unknown:
            for column in missing[:1]:
                self._wrong(file, line, column, "it is missing")
            return None
        found = list(self.check(name, values))
        for column, words in found:
            self._wrong(file, line, column, words)
        if found:
            return None
        if name == "person":
            values["password_hash"] = ""
            if self._is_person_here(values):
                return None
        is_here = name in NATURAL and _is_known_by_name(self.db, name, values, self.shop_id, self.other_id)
        return None if is_here else values

    def _is_person_here(self, values: dict[str, Any]) -> bool:
        """Tell whether somebody of this shop has the address; of another shop's people nothing is said."""
        address = str(values["email"]).lower()
        known = self.db.execute(select(Person.shop_id, Person.id).where(Person.email == address)).one_or_none()
        if known is None or known == (self.shop_id, values["id"]):
            return False
        if known.shop_id == self.shop_id:
            self.other_id.setdefault("person", {})[str(values["id"])] = str(known.id)
            return True
        values["email"] = f"{values['id']}{NOBODY}"
        values["deactivated_at"] = values.get("deactivated_at") or self.now
        return False

    def _add(self, name: str, file: str, waiting: Sequence[tuple[int, dict[str, Any]]]) -> int:
        """Add what is not there; what is there must be the same."""
        if not waiting:
            return 0
        table = _table(name)
        keys = [column.name for column in table.primary_key.columns]
        here = self._standing(table, keys, [values for _, values in waiting])
        fresh: dict[tuple[Any, ...], dict[str, Any]] = {}
        for line, values in waiting:
            key = tuple(values[column] for column in keys)
            before = here.get(key) or fresh.get(key)
            if before is not None:
                self._compare(file, line, values, before)
            elif self._may_add(name, file, line, values):
                fresh[key] = values
        if not fresh or self.problems:
            return 0
        if "import_id" in table.columns:
            self._mark()
            for values in fresh.values():
                values["import_id"] = self.batch.id
        self.db.execute(insert(table), _alike(list(fresh.values())))
        return len(fresh)

    def _standing(
        self, table: Table, keys: Sequence[str], rows: Sequence[Mapping[str, Any]]
    ) -> dict[tuple[Any, ...], Mapping[str, Any]]:
        own = tuple_(*(table.c[name] for name in keys))
        wanted = [tuple(row[name] for name in keys) for row in rows]
        found = self.db.execute(select(table).where(table.c.shop_id == self.shop_id, own.in_(wanted))).mappings()
        return {tuple(row[name] for name in keys): dict(row) for row in found}

    def _compare(self, file: str, line: int, values: Mapping[str, Any], here: Mapping[str, Any]) -> None:
        if file == "call.jsonl" and values["id"] in self.new_calls:
            self._wrong(file, line, "id", "it is in the file twice")
        for column, value in values.items():
            if column in ("password_hash", "import_id"):
                continue
            if column == "deactivated_at" and str(here["email"]).endswith(NOBODY):
                continue
            if here.get(column) != value:
                self._wrong(file, line, column, ANOTHER)
                return

    def _may_add(self, name: str, file: str, line: int, values: dict[str, Any]) -> bool:
        if name == "place":
            self.new_places.add(values["id"])
        if name == "place_change" and values["place_id"] not in self.new_places:
            # What was changed of a place that is there is known here, or happened elsewhere.
            return False
        if name == "call":
            self.new_calls[values["id"]] = (values["seq"], values["status"], values.get("outcome", ""))
        of_call = values.get(OF_CALL.get(name, ""))
        if of_call is not None and of_call not in self.new_calls:
            is_here = self._is_call_here(of_call)
            words = CALL_HERE if is_here else "there is no such call"
            self._wrong(file, line, OF_CALL[name], words)
            return False
        if name == "event":
            self._follow(file, line, values)
        return True

    def _is_call_here(self, call_id: UUID) -> bool:
        own = (Call.shop_id == self.shop_id, Call.id == call_id)
        return self.db.scalar(select(Call.id).where(*own)) is not None

    # A new call's events: numbered from one without a gap, and what its row says of them.

    def _follow(self, file: str, line: int, values: Mapping[str, Any]) -> None:
        if self._call is None or self._call.call_id != values["call_id"]:
            self._end_of_call()
            self._call = _CallSoFar(values["call_id"], line)
        so_far = self._call
        so_far.count, so_far.line = so_far.count + 1, line
        if values["seq"] != so_far.count:
            self._wrong(file, line, "seq", f"expected {so_far.count}, the call's next number, got {values['seq']}")
        if (values["kind"] == "opened") != (so_far.count == 1):
            self._wrong(file, line, "kind", "a call begins with its opening, once")
        if so_far.count == 1:
            so_far.opened_at = values["done_at"]
        if values["kind"] == "closed":
            so_far.closed = values["payload"].get("outcome", "")
        so_far.is_withdrawn = so_far.is_withdrawn or values["kind"] == "withdrawn"
        self._check_moments(file, line, values, so_far.opened_at)

    def _check_moments(self, file: str, line: int, values: Mapping[str, Any], opened_at: datetime | None) -> None:
        if values["come_at"] > self.now:
            self._wrong(file, line, "come_at", "that is still to come")
        if (values["done_at"] - values["come_at"]).total_seconds() > values["clock_seconds"] + CLOCK_STEP_SECONDS:
            self._wrong(file, line, "done_at", "that is after it came in")
        if opened_at is not None and (opened_at - values["done_at"]).total_seconds() > BEFORE_OPENING_SECONDS:
            self._wrong(file, line, "done_at", "that is more than a day before the call was opened")

    def _end_of_call(self) -> None:
        so_far, self._call = self._call, None
        if so_far is None:
            return
        known = self.new_calls.get(so_far.call_id)
        if known is None:
            return
        seq, status, outcome = known
        self.new_calls[so_far.call_id] = (0, status, outcome)
        if seq != so_far.count:
            words = f"the call's row names {seq} events, it has {so_far.count}"
            self._wrong("event.jsonl", so_far.line, "seq", words)
        if (status == "closed") != (so_far.closed is not None):
            self._wrong("event.jsonl", so_far.line, "kind", f"the call's row says {status}, its events do not")
        elif so_far.closed is not None and so_far.closed != outcome:
            self._wrong("event.jsonl", so_far.line, "payload.outcome", "the call's row has another outcome")
        if (status == "withdrawn") != so_far.is_withdrawn:
            self._wrong("event.jsonl", so_far.line, "kind", f"the call's row says {status}, its events do not")

    def _mark(self) -> None:
        if not self._has_batch:
            self.db.add(self.batch)
            self.db.flush()
            self._has_batch = True

    # Photos and logs.

    def _files(self, folder: str, files: Iterable[tuple[str, bytes]]) -> int:
        _, endings = BLOBS[folder]
        waiting: dict[UUID, dict[str, bytes]] = {}
        count = 0
        for name, data in files:
            base = name.removeprefix(folder)
            longest = sorted(endings.items(), key=lambda entry: -len(entry[1]))
            column = next((c for c, ending in longest if base.endswith(ending)), "")
            try:
                blob_id = UUID(base.removesuffix(endings.get(column, "?")))
            except ValueError:
                self._wrong(name[:120], 0, "", "expected a file named by its entry")
                continue
            if words := self.check_file(name, data):
                self._wrong(name, 0, "", words)
                continue
            parts = waiting.setdefault(blob_id, {})
            parts[column] = data
            if len(parts) == len(endings):
                count += self._file(folder, name, {"shop_id": self.shop_id, "id": blob_id, **waiting.pop(blob_id)})
        for blob_id in waiting:
            self._wrong(f"{folder}{blob_id}", 0, "", "a part of it is missing")
        return count

    def _file(self, folder: str, name: str, values: dict[str, Any]) -> int:
        model, _ = BLOBS[folder]
        table: Table = model.__table__  # type: ignore[assignment]
        own = (table.c.shop_id == self.shop_id, table.c.id == values["id"])
        here = self.db.execute(select(table).where(*own)).mappings().one_or_none()
        if here is not None:
            if any(bytes(here[column]) != values[column] for column in BLOBS[folder][1]):
                self._wrong(name, 0, "", ANOTHER)
            return 0
        event = select(EventRow.call_id, EventRow.kind).where(
            EventRow.shop_id == self.shop_id, EventRow.id == values["id"]
        )
        of = self.db.execute(event).one_or_none()
        if of is None or of.kind != KIND_OF[folder]:
            self._wrong(name, 0, "", "no entry of any call has it")
        elif of.call_id not in self.new_calls:
            self._wrong(name, 0, "", CALL_HERE)
        elif not self.problems:
            self.db.execute(insert(table), [values])
            return 1
        return 0


KIND_OF = {"photos/": "photo", "logs/": "log"}


def _alike(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return rows with the same columns each, as one statement wants them."""
    columns = dict.fromkeys(column for row in rows for column in row)
    if all(len(row) == len(columns) for row in rows):
        return rows
    return [{column: row.get(column) for column in columns} for row in rows]


def _values(
    table: Table, row: Mapping[str, Any], shop_id: UUID, other_id: Mapping[str, Mapping[str, str]]
) -> dict[str, Any]:
    """Return a row as the table takes it: this shop's, its foreign ids those of what is known here by another."""
    values: dict[str, Any] = {"shop_id": shop_id}
    for column in table.columns:
        if column.name in ("shop_id", "import_id") or column.computed is not None or column.name not in row:
            continue
        values[column.name] = _typed(column, row[column.name], other_id)
    if table.name == "event" and isinstance(values.get("payload"), dict) and "meter" in values["payload"]:
        meter = values["payload"]["meter"]
        if isinstance(meter, str):
            values["payload"] = {**values["payload"], "meter": other_id.get("meter", {}).get(meter, meter)}
    return values


def _typed(column: Column[Any], value: Any, other_id: Mapping[str, Mapping[str, str]]) -> Any:
    if value is None:
        return None
    kind = column.type
    try:
        if isinstance(kind, Uuid):
            for key in column.foreign_keys:
                if key.column.name == "id":
                    value = other_id.get(key.column.table.name, {}).get(value, value)
            return UUID(value)
        if isinstance(kind, DateTime):
            moment = datetime.fromisoformat(value)
            if moment.tzinfo is None or not 1900 < moment.year < 2200:
                raise ValueError("no moment of a shop's")
            return moment
        if isinstance(kind, Date):
            return date.fromisoformat(value)
        wanted = WANTED.get(type(kind))
        if wanted is not None and (not isinstance(value, wanted) or (isinstance(value, bool) and wanted is not bool)):
            raise ValueError("another kind of value")
    except (TypeError, ValueError, AttributeError) as error:
        words = f"expected what this program writes, got {str(value)[:40]!r}"
        raise ReadingError(words, field=column.name) from error
    return value


WANTED: Mapping[type[Any], type[Any] | tuple[type[Any], ...]] = {
    String: str,
    Text: str,
    Integer: int,
    Float: (int, float),
    Boolean: bool,
}


def _is_known_by_name(
    db: Session, name: str, values: Mapping[str, Any], shop_id: UUID, other_id: dict[str, dict[str, str]]
) -> bool:
    table, key = NATURAL[name]
    own = [table.shop_id == shop_id, getattr(table, key) == values[key]]
    if name == "place":
        own.append(PlaceRow.removed_at.is_(None))
        if values.get("removed_at") is not None:
            return False
    found = db.scalar(select(table.id).where(*own))
    if found is None or found == values["id"]:
        return False
    other_id.setdefault(name, {})[str(values["id"])] = str(found)
    return True


def take_shop(db: Session, shop: Shop, told: Mapping[str, Any]) -> None:
    """Give a shop that has nothing yet the settings of the one taken in."""
    db.execute(
        update(Shop)
        .where(Shop.id == shop.id)
        .values(**{key: told[key] for key in ("currency", "tax_percent", "price_kwh", "retention") if key in told})
    )
