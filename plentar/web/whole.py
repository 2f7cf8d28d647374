"""A whole shop out into a bundle and in from one: what the command line and the shop's own page both do."""

from collections.abc import Callable, Iterator
from datetime import datetime
from pathlib import Path
from typing import Any
from uuid import UUID

from sqlalchemy import func, select, text
from sqlalchemy.exc import DataError, IntegrityError
from sqlalchemy.orm import Session

from plentar.core.errors import ReadingError
from plentar.core.unit.place import spot_of
from plentar.core.unit.quantities import QUANTITIES
from plentar.formats.bundle import Bundle, BundleWriter, readings_csv
from plentar.store import whole
from plentar.store.models import Place, Shop

__all__ = ["export_shop", "import_shop", "tidy_rows"]

Progress = Callable[[str], None]
TIDY = "readings.csv"
TOLD = ("name", "time_zone", "currency", "tax_percent", "price_kwh", "retention")


def tidy_rows(db: Session, shop: Shop, unit_id: UUID | None = None) -> Iterator[dict[str, Any]]:
    """Give a shop's readings, or one unit's, for the tidy table, each with the sign of its unit."""
    for row in whole.tidy_readings(db, shop_id=shop.id, unit_id=unit_id):
        quantity = QUANTITIES.get(spot_of(row["point"]).function)
        yield {**row, "unit_sign": quantity.sign if quantity is not None else ""}


def export_shop(
    db: Session, shop: Shop, path: Path, now: datetime, progress: Progress = lambda _: None
) -> dict[str, int]:
    """Write a shop's bundle; return how many rows of each kind are in it."""
    counts: dict[str, int] = {}
    with BundleWriter(path, shop=shop.name, made_at=now.isoformat()) as bundle:
        bundle.rows("shop.jsonl", [{name: getattr(shop, name) for name in TOLD}])
        for name in whole.TABLES:
            counts[name] = bundle.rows(f"{name}.jsonl", whole.rows_of(db, name, shop_id=shop.id))
            progress(f"{name}: {counts[name]}")
        for folder in whole.BLOBS:
            for name, data in whole.blobs_of(db, folder, shop_id=shop.id):
                bundle.file(name, data)
                counts[folder] = counts.get(folder, 0) + 1
        bundle.lines(TIDY, readings_csv(tidy_rows(db, shop)))
    return counts


def import_shop(
    db: Session, shop: Shop, path: Path, now: datetime, progress: Progress = lambda _: None
) -> dict[str, int]:
    """Take a bundle into a shop, all of it or nothing; return how many rows of each kind were new.

    Raises:
        ReadingError: The bundle is not whole, or of a later program; nothing was taken in.
    """
    bundle = Bundle(path, progress)
    is_empty = not db.scalar(select(func.count()).select_from(Place).where(Place.shop_id == shop.id))
    try:
        taken = whole.take_in(
            db,
            shop_id=shop.id,
            rows=lambda name: bundle.rows(f"{name}.jsonl"),
            blobs=lambda folder: ((name, bundle.read(name)) for name in sorted(bundle.names(folder))),
            now=now,
            progress=progress,
        )
        if is_empty:
            whole.take_shop(db, shop, next(bundle.rows("shop.jsonl"), {}))
        # What the database itself holds against a row is said before anything is committed.
        db.execute(text("set constraints all immediate"))
    except (KeyError, ValueError, TypeError, LookupError, StopIteration, DataError, IntegrityError) as error:
        db.rollback()
        words = "a row in it does not fit this program's tables: it was made by hand, or by something else"
        raise ReadingError(words, field="file") from error
    return taken
