"""A whole shop out and in again: nothing lost, nothing doubled, nothing of a damaged file; erased stays erased."""

import json
import zipfile
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from uuid import UUID, uuid4

import pytest
from click.testing import CliRunner
from sqlalchemy import Engine, Table, func, select, text, update
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from plentar.cli import main
from plentar.core.errors import ReadingError
from plentar.demo import load_demo
from plentar.formats.bundle import Bundle, BundleWriter
from plentar.store import privacy, shops
from plentar.store.database import make_sessions, migrate
from plentar.store.models import Base, Shop
from plentar.store.whole import TABLES
from plentar.web.whole import export_shop, import_shop
from tests.conftest import own_database

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
    # Its own lead was there before.
    assert taken | {"person": taken["person"] - 1} == whole
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
        columns = [column for column in of(name).columns if column.name not in ("shop_id", "person_id")]
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
    """Cut short, tampered with, saved over by a spreadsheet, of a later program, or no bundle at all."""
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
        (text_file, "no bundle"),
        (rewritten(bundle, tmp_path / "a.zip", manifest_json=None), "no manifest"),
        (rewritten(bundle, tmp_path / "b.zip", manifest_json=later), "of version 2"),
        (rewritten(bundle, tmp_path / "c.zip", manifest_json=other), "no bundle of a shop"),
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
    with pytest.raises(ReadingError, match="put into the bundle"):
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
    # An older copy with all of it, into the shop that erased.
    import_shop(db, shop, bundle, NOW)
    assert not [words for words in PERSONAL if words in everything(db, shop.id)]
    # Into an empty shop the older copy comes back whole; the later one's tombstone erases it there too.
    empty = another(db)
    import_shop(db, empty, bundle, NOW)
    assert all(words in everything(db, empty.id) for words in PERSONAL)
    import_shop(db, empty, after, NOW)
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
        (["import", str(tmp_path / "none.zip"), "--shop", DEMO], "no bundle"),
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


def test_a_line_without_an_end_is_not_read_into_memory(tmp_path: Path) -> None:
    """Eight megabytes of one line: refused at its line."""
    path = tmp_path / "long.zip"
    with BundleWriter(path, shop="x", made_at="now") as made:
        made.lines("unit.jsonl", ['{"a": "' + "x" * (8 << 20) + '"}'])
    with pytest.raises(ReadingError, match=r"unit.jsonl, line 1"):
        list(Bundle(path).rows("unit.jsonl"))
