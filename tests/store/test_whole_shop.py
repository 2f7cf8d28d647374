"""A whole shop out and in again: nothing lost, nothing doubled, nothing of a damaged file; erased stays erased."""

import json
import re
import zipfile
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from uuid import UUID, uuid4

import pytest
from click.testing import CliRunner
from sqlalchemy import Engine, Table, func, select, text, update
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from plentar.cli import main
from plentar.core.errors import ReadingError
from plentar.demo import load_demo
from plentar.formats.bundle import WEB_BOUNDS, Bounds, Bundle, BundleWriter
from plentar.store import privacy, shops
from plentar.store.database import make_sessions, migrate
from plentar.store.models import Base, Call, Person, Shop
from plentar.store.shop_models import AuditRow
from plentar.store.shop_rows import TABLES, ConflictsError
from plentar.web.exchange.export_file import export_shop, import_shop
from tests.application import own_database

DEMO = "Quillet Hollow Heating"
NOW = datetime(2026, 11, 26, 18, tzinfo=UTC)


@pytest.fixture(scope="module")
def demo(engine: Engine) -> Iterator[Engine]:
    """A database of this file's own with the demo in it."""
    with own_database(engine) as own:
        migrate(own)
        with make_sessions(own).begin() as db:
            load_demo(db, NOW)
        yield own


@pytest.fixture(scope="module")
def bundle(demo: Engine, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo as one file."""
    path = tmp_path_factory.mktemp("bundle") / "shop.zip"
    with make_sessions(demo)() as db:
        export_shop(db, demo_shop(db), path, NOW)
    return path


@pytest.fixture
def db(demo: Engine) -> Iterator[Session]:
    """A session whose work is undone at the end of the test."""
    with make_sessions(demo)() as session:
        yield session
        session.rollback()


def demo_shop(db: Session) -> Shop:
    """The demo's shop, whatever else other tests left."""
    return db.scalars(select(Shop).where(Shop.name == DEMO)).one()


def another(db: Session) -> Shop:
    """An empty shop beside the demo's."""
    lead = shops.make_shop(db, name="Empty", time_zone="America/Denver", email=f"{uuid4().hex}@x.example", lead="L")
    assert lead is not None
    return db.get_one(Shop, lead.shop_id)


def of(name: str) -> Table:
    return Base.metadata.tables[name]


def counts(db: Session, shop_id: UUID) -> dict[str, int]:
    return {
        name: db.scalar(select(func.count()).select_from(of(name)).where(of(name).c.shop_id == shop_id)) or 0
        for name in (*TABLES, "photo", "log_samples")
    }


def test_an_empty_shop_takes_all_of_it_and_a_second_time_nothing(db: Session, bundle: Path) -> None:
    """Every table of the demo row by row, but its secrets; taken in again, not one more."""
    source = demo_shop(db)
    whole = counts(db, source.id)
    shop = another(db)
    import_shop(db, shop, bundle, NOW)
    taken = counts(db, shop.id)
    # Its own lead was there before; the import itself is noted.
    assert taken | {"person": taken["person"] - 1, "audit": taken["audit"] - 1} == whole
    assert shop.price_kwh == source.price_kwh
    assert not any(db.scalars(text("select password_hash from person where shop_id = :s"), {"s": shop.id}))
    again = import_shop(db, shop, bundle, NOW)
    assert sum(again.values()) == 0
    assert counts(db, shop.id) == taken


def test_every_row_comes_back_as_it_went(db: Session, bundle: Path) -> None:
    """Calls, events and plates are the same values; only the shop is another."""
    source = demo_shop(db)
    shop = another(db)
    import_shop(db, shop, bundle, NOW)
    for name in ("call", "event", "unit", "follow_up"):
        columns = [column for column in of(name).columns if column.name not in ("shop_id", "person_id", "import_id")]
        query = select(*columns).order_by(of(name).c.id)
        here, there = (db.execute(query.where(of(name).c.shop_id == one.id)).all() for one in (source, shop))
        assert here == there, name


def test_merged_into_itself_nothing_is_doubled(db: Session, bundle: Path) -> None:
    """The shop it came from has all of it already."""
    source = demo_shop(db)
    before = counts(db, source.id)
    import_shop(db, source, bundle, NOW)
    assert counts(db, source.id) == before


def rewritten(path: Path, to: Path, **files: bytes | None) -> Path:
    """A copy with files replaced or, where None, left out."""
    with zipfile.ZipFile(path) as old, zipfile.ZipFile(to, "w") as new:
        for name in old.namelist():
            key = name.replace(".", "_")
            data = files.get(key, old.read(name))
            if data is not None:
                new.writestr(name, data)
    return to


def test_a_damaged_bundle_is_refused_in_words_before_anything_is_taken(
    db: Session, bundle: Path, tmp_path: Path
) -> None:
    """Cut short, tampered with, saved over by a spreadsheet, of a later program, or no export file at all."""
    whole = bundle.read_bytes()
    with zipfile.ZipFile(bundle) as file:
        manifest = json.loads(file.read("manifest.json"))
        csv = file.read("readings.csv")
    cut = tmp_path / "cut.zip"
    cut.write_bytes(whole[: len(whole) // 2])
    text_file = tmp_path / "text.zip"
    text_file.write_text("no zip")
    later = json.dumps(manifest | {"version": 2}).encode()
    other = json.dumps(manifest | {"format": "another"}).encode()
    cases = [
        (cut, "cut short"),
        (text_file, "not an export file"),
        (rewritten(bundle, tmp_path / "a.zip", manifest_json=None), "no manifest"),
        (rewritten(bundle, tmp_path / "b.zip", manifest_json=later), "of version 2"),
        (rewritten(bundle, tmp_path / "c.zip", manifest_json=other), "not a shop's export file"),
        (rewritten(bundle, tmp_path / "d.zip", event_jsonl=b"{}\n"), "event.jsonl is not as it was written"),
        (rewritten(bundle, tmp_path / "e.zip", readings_csv=csv.replace(b",", b";")), "a spreadsheet"),
        (rewritten(bundle, tmp_path / "f.zip", unit_jsonl=None), "unit.jsonl is missing"),
    ]
    shop = another(db)
    for path, words in cases:
        with pytest.raises(ReadingError, match=words):
            import_shop(db, shop, path, NOW)
    assert sum(counts(db, shop.id).values()) == 1
    extra = tmp_path / "g.zip"
    extra.write_bytes(whole)
    with zipfile.ZipFile(extra, "a") as file:
        file.writestr("more.jsonl", "{}")
    with pytest.raises(ReadingError, match="put into the export file"):
        Bundle(extra)


PERSONAL = ("D. Ferrand", "One room never warms up", "brown round pole 2", "pole 2 as found", "elderly, alone")


def everything(db: Session, shop_id: UUID) -> str:
    """All that is kept of a shop, as text."""
    names = (*TABLES, "search_line", "set_aside")
    return "\n".join(str(db.execute(select(of(name)).where(of(name).c.shop_id == shop_id)).all()) for name in names)


def test_erased_stays_erased_through_export_restore_and_again(db: Session, bundle: Path, tmp_path: Path) -> None:
    """The people of one place are gone from every table and from what is exported; an older copy brings none back."""
    shop = demo_shop(db)
    [place] = privacy.find_places(db, shop_id=shop.id, words="tamarisk court 26")
    assert all(words in everything(db, shop.id) for words in PERSONAL)
    readings = text("select count(*) from event where shop_id = :s and kind = 'reading'")
    before = db.scalar(readings, {"s": shop.id})
    assert privacy.forget(db, shop_id=shop.id, place_id=place.id, at=NOW, person=None)
    left = everything(db, shop.id)
    assert not [words for words in PERSONAL if words in left]
    assert db.scalar(readings, {"s": shop.id}) == before
    after = tmp_path / "after.zip"
    export_shop(db, shop, after, NOW)
    with zipfile.ZipFile(after) as file:
        whole = "".join(file.read(name).decode("utf-8", "replace") for name in file.namelist() if name.endswith("l"))
        assert not [words for words in PERSONAL if words in whole]
        assert not [name for name in file.namelist() if name.startswith("photos/")]
    # An older copy with all of it, into the shop that erased: refused whole, since an import changes nothing.
    with pytest.raises(ReadingError, match="changes nothing"):
        import_shop(db, shop, bundle, NOW)
    # Into an empty shop that knows the tombstone it comes without the people's data.
    empty = another(db)
    stone = {"shop_id": empty.id, "place_id": place.id, "at": NOW, "person_id": None}
    db.execute(of("forgotten").insert().values(stone))
    import_shop(db, empty, bundle, NOW)
    assert not [words for words in PERSONAL if words in everything(db, empty.id)]
    assert privacy.forget(db, shop_id=shop.id, place_id=place.id, at=NOW + timedelta(days=1), person=None)


def test_an_erasure_cannot_touch_a_reading(db: Session) -> None:
    """Even told that it is an erasure the database refuses to change what was measured, or who did what when."""
    db.execute(text("select set_config('plentar.erasing', 'on', true)"))
    event = of("event")
    changes = (
        update(event).where(event.c.kind == "reading").values(payload={}),
        update(event).where(event.c.kind == "seen").values(done_at=NOW),
    )
    for change in changes:
        with pytest.raises(DBAPIError, match="append-only"), db.begin_nested():
            db.execute(change)


def test_what_was_kept_long_enough_goes_and_what_was_not_stays(db: Session) -> None:
    """Photos for a year, signatures for a day: yesterday's signature is gone, its photo is not."""
    shop = demo_shop(db)
    privacy.due_for_erasing(db, shop_id=shop.id, retention={"photos": 365, "signatures": 0}, now=NOW)
    assert db.scalar(text("select count(*) from photo"))
    privacy.due_for_erasing(
        db, shop_id=shop.id, retention={"photos": 365, "signatures": 1}, now=NOW + timedelta(days=1)
    )
    left = everything(db, shop.id)
    assert db.scalar(text("select count(*) from photo"))
    assert "'name': 'D. Ferrand'" not in left
    privacy.due_for_erasing(db, shop_id=shop.id, retention={"photos": 365}, now=NOW + timedelta(days=400))
    assert not db.scalar(text("select count(*) from photo"))


def test_the_same_from_a_shell(demo: Engine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Export and import by the command line; a name that is none, a place that is none: exit 2 and one line."""
    monkeypatch.setenv("PLENTAR_DATABASE_URL", demo.url.render_as_string(hide_password=False))
    monkeypatch.setenv("PLENTAR_SECRET_KEY", "k" * 32)
    path = tmp_path / "shop.zip"
    assert CliRunner().invoke(main, ["export", str(path), "--shop", DEMO]).exit_code == 0
    done = CliRunner().invoke(main, ["import", str(path), "--shop", DEMO])
    assert done.exit_code == 0, done.output
    for asked, words in (
        (["export", str(path), "--shop", "nobody"], "--shop: no shop of that name"),
        (["forget", "1 Nowhere", "--shop", DEMO], "PLACE: expected an address"),
        (["import", str(tmp_path / "none.zip"), "--shop", DEMO], "not an export file"),
    ):
        result = CliRunner().invoke(main, asked)
        assert result.exit_code == 2
        assert words in result.output


@pytest.mark.parametrize(
    ("name", "row"),
    [
        ("person", {"id": "no id", "email": "a@b.example"}),
        ("person", {"name": "nobody"}),
        ("unit", {"id": str(UUID(int=1)), "place_id": str(UUID(int=2)), "label": "x", "nameplate": {}, "version": 1}),
        ("call", {"id": str(UUID(int=1))}),
        ("event", {"id": str(UUID(int=3)), "kind": "reading"}),
        ("follow_up", {"id": str(UUID(int=4)), "due_on": "soon"}),
    ],
)
def test_a_bundle_made_by_hand_is_refused_whole(db: Session, tmp_path: Path, name: str, row: dict[str, object]) -> None:
    """Its checksums are right and a row of it is not: told in words, and nothing of it is there."""
    shop_id = another(db).id
    db.commit()
    path = tmp_path / "hand.zip"
    with BundleWriter(path, shop="x", made_at="now") as made:
        made.rows("meter.jsonl", [{"id": str(uuid4()), "name": "Good", "ranges": [], "version": 1}])
        made.rows(f"{name}.jsonl", [row])
    with pytest.raises(ReadingError):
        import_shop(db, db.get_one(Shop, shop_id), path, NOW)
    db.rollback()
    assert sum(counts(db, shop_id).values()) == 1


def by_hand(path: Path, bundle: Path, **changed: Callable[[list[dict[str, Any]]], None]) -> Path:
    """An export whose rows were changed and whose checksums are right again, as anybody can write one."""
    whole = Bundle(bundle)
    with BundleWriter(path, shop="x", made_at="now") as made:
        for name in whole.manifest.files:
            if name.endswith(".jsonl"):
                rows = list(whole.rows(name))
                if change := changed.get(name.removesuffix(".jsonl")):
                    change(rows)
                made.rows(name, rows)
            elif name.endswith(".csv"):
                made.lines(name, ["point"])
            else:
                made.file(name, b"<script>alert(1)</script>" if "photo" in changed else whole.read(name))
    return path


def closed_call(rows: list[dict[str, Any]]) -> dict[str, Any]:
    """A call that is over."""
    return next(row for row in rows if row["status"] == "closed")


def forged_outcome(rows: list[dict[str, Any]]) -> None:
    closed_call(rows)["outcome"] = "customer's own fault"


def forged_reading(rows: list[dict[str, Any]]) -> None:
    last = rows[-1]
    rows.append(last | {"id": str(uuid4()), "seq": last["seq"] + 1, "kind": "note", "payload": {"words": "never said"}})


def first_of(kind: str, /, **values: Any) -> Callable[[list[dict[str, Any]]], None]:
    """Change the first entry of a kind."""

    def changed(rows: list[dict[str, Any]]) -> None:
        next(row for row in rows if row["kind"] == kind).update(values)

    return changed


def raised(rows: list[dict[str, Any]]) -> None:
    next(row for row in rows if row["role"] == "technician")["role"] = "lead"


@pytest.mark.parametrize(
    ("changed", "words"),
    [
        pytest.param({"call": forged_outcome}, r"call.jsonl, line \d+: outcome: .* changes nothing", id="an outcome"),
        pytest.param(
            {"event": forged_reading}, r"event.jsonl, line \d+: call_id: the call already exists", id="an entry more"
        ),
        pytest.param({"person": raised}, "role: .* changes nothing", id="a role"),
        pytest.param(
            {"event": first_of("reading", done_at="2020-01-01T00:00:00+00:00")}, "done_at: .* nothing", id="a moment"
        ),
    ],
)
def test_an_import_changes_nothing_that_is_there(
    db: Session, bundle: Path, tmp_path: Path, changed: dict[str, Any], words: str
) -> None:
    """Back into the shop it came from, one thing of it forged: refused whole, by file, line and field."""
    shop = demo_shop(db)
    before = counts(db, shop.id)
    with pytest.raises(ConflictsError) as refused:
        import_shop(db, shop, by_hand(tmp_path / "forged.zip", bundle, **changed), NOW)
    assert re.search(words, "\n".join(map(str, refused.value.problems))), refused.value.problems
    assert counts(db, shop.id) == before


def gap(rows: list[dict[str, Any]]) -> None:
    rows[1]["seq"] = 7


def a_plate_of_nothing(rows: list[dict[str, Any]]) -> None:
    rows[0]["nameplate"] = {"format": "plentar.unit/1"}


def unknown_field(rows: list[dict[str, Any]]) -> None:
    rows[0]["is_superuser"] = True


def deep(rows: list[dict[str, Any]]) -> None:
    nested: list[Any] = []
    for _ in range(500):
        nested = [nested]
    rows[0]["payload"] = {"feeds": nested}


def pointless(rows: list[dict[str, Any]]) -> None:
    next(row for row in rows if row["kind"] == "reading")["payload"]["point"] = "nonsense"


@pytest.mark.parametrize(
    ("changed", "words"),
    [
        pytest.param({"event": first_of("reading", payload={"nonsense": 1})}, "payload.nonsense: there", id="payload"),
        pytest.param({"event": first_of("reading", kind="miracle")}, "no entry of the kind", id="kind"),
        pytest.param({"event": pointless}, "payload.point: expected a quantity", id="point"),
        pytest.param({"event": deep}, "payload", id="nested"),
        pytest.param({"event": gap}, "seq: expected 2", id="a gap in the numbers"),
        pytest.param(
            {"event": first_of("reading", done_at="1970-01-01T00:00:00+00:00")},
            "a day before the call",
            id="long before",
        ),
        pytest.param({"event": first_of("reading", come_at="2031-01-01T00:00:00+00:00")}, "to come", id="to come"),
        pytest.param({"event": first_of("closed", payload={"outcome": "another"})}, "another out", id="outcome"),
        pytest.param(
            {"event": first_of("closed", kind="note", payload={"words": "x"})}, "says closed", id="not closed"
        ),
        pytest.param({"unit": a_plate_of_nothing}, "unit.jsonl, line 1: nameplate", id="plate"),
        pytest.param({"place": unknown_field}, "is_superuser: there is no such field", id="field"),
        pytest.param({"photo": lambda _: None}, "expected a JPEG", id="HTML as a photo"),
    ],
)
def test_what_no_form_would_take_no_import_takes(
    db: Session, bundle: Path, tmp_path: Path, changed: dict[str, Any], words: str
) -> None:
    """Into an empty shop, through the same checks as everything else: told where, and nothing of it is there."""
    shop_id = another(db).id
    db.commit()
    with pytest.raises(ReadingError) as refused:
        import_shop(db, db.get_one(Shop, shop_id), by_hand(tmp_path / "forged.zip", bundle, **changed), NOW)
    problems = getattr(refused.value, "problems", ())
    assert re.search(words, "\n".join(map(str, problems))), problems
    assert len(problems) <= 100
    assert sum(counts(db, shop_id).values()) == 1


def test_what_came_in_says_so_and_nobody_comes_in_by_it(db: Session, bundle: Path) -> None:
    """Calls, units, places and people name the file, when and by whom; an imported person has no way in."""
    shop = another(db)
    lead = db.scalars(select(Person).where(Person.shop_id == shop.id)).one()
    import_shop(db, shop, bundle, NOW, name="theirs.zip", person=lead)
    for name in ("call", "unit", "place"):
        assert db.scalar(select(func.count()).where(of(name).c.shop_id == shop.id, of(name).c.import_id.is_(None))) == 0
    call = db.scalars(select(Call).where(Call.shop_id == shop.id).limit(1)).one()
    assert call.imported is not None
    assert (call.imported.file, call.imported.by, call.imported.at) == ("theirs.zip", "L", NOW)
    theirs = db.scalars(select(Person).where(Person.shop_id == shop.id, Person.import_id.is_not(None))).all()
    assert theirs
    assert not any(person.password_hash for person in theirs)
    noted = db.scalars(select(AuditRow).where(AuditRow.shop_id == shop.id, AuditRow.deed == "imported")).one()
    assert (noted.about, noted.person_id) == ("theirs.zip", lead.id)


def hostile(path: Path, kind: str) -> Path:
    """A file that is no export, each in its own way."""
    packing = zipfile.ZIP_BZIP2 if kind == "another packing" else zipfile.ZIP_DEFLATED
    with zipfile.ZipFile(path, "w", packing) as made:
        if kind == "a manifest of spaces":
            made.writestr("manifest.json", b" " * (8 << 20))
        elif kind == "a nested manifest":
            made.writestr("manifest.json", '{"format": "plentar.shop", "files": ' + "[" * 100_000)
        elif kind == "much of nothing":
            with made.open("event.jsonl", "w", force_zip64=True) as out:
                for _ in range(32):
                    out.write(bytes(1 << 20))
        else:
            made.writestr("manifest.json", "{}")
    if kind == "encrypted":
        data = bytearray(path.read_bytes())
        data[6] |= 1
        data[data.index(b"PK\x01\x02") + 8] |= 1
        path.write_bytes(data)
    if kind == "broken deflate":
        data = bytearray(path.read_bytes())
        data[30 + len("manifest.json")] ^= 0xFF
        path.write_bytes(data)
    return path


@pytest.mark.parametrize(
    ("kind", "words"),
    [
        ("a manifest of spaces", "times its size"),
        ("a nested manifest", "no manifest"),
        ("much of nothing", "times its size"),
        ("another packing", "no export is"),
        ("encrypted", "no export is"),
        ("broken deflate", "no manifest"),
    ],
)
def test_a_hostile_file_is_told_before_it_is_unpacked(tmp_path: Path, kind: str, words: str) -> None:
    """Of what it says of itself no more is read than an export may be."""
    with pytest.raises(ReadingError, match=words):
        Bundle(hostile(tmp_path / "hostile.zip", kind), bounds=WEB_BOUNDS)


@pytest.mark.parametrize(
    ("bounds", "words"),
    [
        (Bounds(file_bytes=1000), "larger than"),
        (Bounds(unpacked_bytes=1000), "unpacks to more than"),
        (Bounds(manifest_bytes=100), "manifest is larger"),
    ],
)
def test_each_bound_of_an_import_holds(bundle: Path, bounds: Bounds, words: str) -> None:
    """The same file within bounds and out of them."""
    assert Bundle(bundle, bounds=WEB_BOUNDS).manifest.files
    with pytest.raises(ReadingError, match=words):
        Bundle(bundle, bounds=bounds)


def test_a_photo_without_an_id_is_told(db: Session, tmp_path: Path) -> None:
    """Named by nothing that was kept."""
    shop_id = another(db).id
    db.commit()
    path = tmp_path / "x.zip"
    with BundleWriter(path, shop="x", made_at="now") as made:
        made.file("photos/holiday.jpg", b"x")
    with pytest.raises(ConflictsError, match="named by its entry"):
        import_shop(db, db.get_one(Shop, shop_id), path, NOW)


def test_a_line_without_an_end_is_not_read_into_memory(tmp_path: Path) -> None:
    """Eight megabytes of one line: refused at its line."""
    path = tmp_path / "long.zip"
    with BundleWriter(path, shop="x", made_at="now") as made:
        made.lines("unit.jsonl", ['{"a": "' + "x" * (8 << 20) + '"}'])
    with pytest.raises(ReadingError, match=r"unit.jsonl, line 1"):
        list(Bundle(path).rows("unit.jsonl"))
