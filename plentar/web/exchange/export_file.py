"""A whole shop out into an export file and in from one: what the command line and the shop's own page both do."""

import re
from collections.abc import Callable, Iterator, Mapping
from datetime import date, datetime
from pathlib import Path
from typing import Any
from uuid import UUID, uuid4

from pydantic import ValidationError
from sqlalchemy import text
from sqlalchemy.exc import DataError, IntegrityError
from sqlalchemy.orm import Session

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.evidence.events import ACTIONS
from plentar.core.evidence.metrology import MeterRange
from plentar.core.limits.moments import MOST_CLOCK_SECONDS
from plentar.core.limits.table import Limits
from plentar.core.unit.place import spot_of
from plentar.core.unit.quantities import QUANTITIES
from plentar.formats.bundle import SHELL_BOUNDS, Bounds, Bundle, BundleWriter, readings_csv
from plentar.formats.events_json import action_from_json
from plentar.formats.kits_csv import KITS
from plentar.formats.packed import is_packed
from plentar.formats.parts_csv import PARTS
from plentar.formats.photos import is_kept_picture
from plentar.formats.unit_json import first_problem, nameplate_from_json
from plentar.store import audit, people, privacy, shop_rows
from plentar.store.database import allow
from plentar.store.models import ImportBatch, Person, Shop
from plentar.words import render

__all__ = ["export_shop", "import_shop", "tidy_rows"]

Progress = Callable[[str], None]
TIDY = "readings.csv"
TOLD = ("name", "time_zone", "currency", "tax_percent", "price_kwh", "retention")
# What a round is made from, and what planning adds, as its pages read both.
WANTED: dict[str, type[Any] | tuple[type[Any], ...]] = {
    "units": list,
    "people": list,
    "first_day": str,
    "days": int,
    "from": int,
    "to": int,
    "capacity": int,
    "minutes": (int, float),
}
PLANNED: dict[str, type[Any] | tuple[type[Any], ...]] = {
    "travel_minutes": (int, float),
    "guessed": list,
    "left_out": list,
}


def tidy_rows(db: Session, shop: Shop, unit_id: UUID | None = None) -> Iterator[dict[str, Any]]:
    """Give a shop's readings, or one unit's, for the tidy table, each with the sign of its unit."""
    for row in shop_rows.tidy_readings(db, shop_id=shop.id, unit_id=unit_id):
        quantity = QUANTITIES.get(spot_of(row["point"]).function)
        yield {**row, "unit_sign": quantity.sign if quantity is not None else ""}


def export_shop(
    db: Session, shop: Shop, path: Path, now: datetime, progress: Progress = lambda _: None
) -> dict[str, int]:
    """Write a shop's export file; return how many rows of each kind are in it."""
    allow(db)
    counts: dict[str, int] = {}
    with BundleWriter(path, shop=shop.name, made_at=now.isoformat()) as bundle:
        bundle.rows("shop.jsonl", [{name: getattr(shop, name) for name in TOLD}])
        for name in shop_rows.TABLES:
            counts[name] = bundle.rows(f"{name}.jsonl", shop_rows.rows_of(db, name, shop_id=shop.id))
            progress(f"{name}: {counts[name]}")
        for folder in shop_rows.BLOBS:
            for name, data in shop_rows.blobs_of(db, folder, shop_id=shop.id):
                bundle.file(name, data)
                counts[folder] = counts.get(folder, 0) + 1
        bundle.lines(TIDY, readings_csv(tidy_rows(db, shop)))
    return counts


def import_shop(
    db: Session,
    shop: Shop,
    path: Path,
    now: datetime,
    progress: Progress = lambda _: None,
    *,
    name: str = "",
    person: Person | None = None,
    bounds: Bounds = SHELL_BOUNDS,
) -> dict[str, int]:
    """Add an export file to a shop, all of it or nothing; return how many rows of each kind were new.

    Args:
        db: A session; what it has done is the caller's to commit.
        shop: Whose it becomes.
        path: The file.
        now: This moment; what came in is marked with it.
        progress: Told what is done so far.
        name: What the sender calls the file; its own name where nothing is said.
        person: Who imports; None for somebody at the server's command line.
        bounds: How large the file may be.

    Raises:
        ReadingError: The file is not whole, too large, of a later program, or something in it does not fit; nothing
            was added.
    """
    bundle = Bundle(path, progress, bounds)
    allow(db)
    file = (name or path.name)[:200]
    batch = ImportBatch(
        shop_id=shop.id,
        id=uuid4(),
        at=now,
        person_id=person.id if person is not None else None,
        by=person.name if person is not None else "the server's command line",
        file=file,
    )
    importing = shop_rows.Importing(
        db=db, shop_id=shop.id, batch=batch, now=now, check=_problems_of, check_file=_problem_of, progress=progress
    )
    try:
        taken = importing.take(
            rows=lambda name: bundle.rows(f"{name}.jsonl"),
            blobs=lambda folder: ((name, bundle.read(name)) for name in sorted(bundle.names(folder))),
        )
        if importing.is_empty:
            shop_rows.take_shop(db, shop, _settings_in(next(bundle.rows("shop.jsonl"), {})))
        # What the database itself holds against a row is said before anything is committed.
        db.execute(text("set constraints all immediate"))
        if sum(taken.values()):
            audit.note(db, "imported", file, shop_id=shop.id, person=person, at=now, after=taken)
    except PlentarError:
        db.rollback()
        raise
    except (KeyError, ValueError, TypeError, LookupError, StopIteration, DataError, IntegrityError) as error:
        db.rollback()
        words = "a row does not fit the tables. The file was edited or made by another program"
        raise ReadingError(words, field="file") from error
    return taken


def _settings_in(told: Mapping[str, Any]) -> Mapping[str, Any]:
    """Return a shop's settings as an export tells them, with days of keeping that can be."""
    kept = told.get("retention")
    days = kept.items() if isinstance(kept, dict) else ()
    is_right = all(kind in privacy.KINDS and isinstance(n, int) and 0 < n <= privacy.LONGEST_DAYS for kind, n in days)
    if not is_right:
        raise ReadingError("shop.jsonl, line 1: retention: expected days by kind", field="file")
    return told


def _problems_of(name: str, values: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    """Give what is wrong with a row's own values: each held to what a form or the API would have been held to."""
    check = _CHECKS.get(name)
    if check is None:
        return
    try:
        yield from check(values)
    except PlentarError as error:
        yield f"{_COLUMN[name]}.{error.field}".rstrip("."), render(error.message)
    except ValidationError as error:
        found = first_problem(error)
        yield f"{_COLUMN[name]}.{found.path}".rstrip("."), found.words
    except (TypeError, ValueError, KeyError, AttributeError, OverflowError, RecursionError):
        yield _COLUMN[name], "expected what this program writes"


def _event(values: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    kind, payload = values["kind"], values["payload"]
    if kind not in ACTIONS:
        yield "kind", f"there is no entry of the kind {kind[:40]!r}"
        return
    if not isinstance(payload, dict):
        yield "payload", "expected an object"
        return
    known = set(ACTIONS[kind].__dataclass_fields__)
    for field in sorted(set(payload) - known)[:1]:
        yield f"payload.{field[:40]}", "there is no such field"
    action_from_json(kind, payload, is_kept=True)
    if kind == "reading" and spot_of(payload["point"]).function not in QUANTITIES:
        yield "payload.point", "expected a quantity and where it was read"
    if not 0 <= values["clock_seconds"] < MOST_CLOCK_SECONDS:
        yield "clock_seconds", "expected seconds of zero or more"


def _unit(values: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    nameplate_from_json(values["nameplate"])
    return iter(())


def _meter(values: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    for entry in values["ranges"]:
        MeterRange(**entry)
    return iter(())


def _part(values: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    PARTS.from_json(values["label"])
    return iter(())


def _kit(values: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    KITS.from_json(values["label"])
    return iter(())


def _limit(values: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    if values.get("figures") is not None:
        Limits(changed=((values["name"], tuple(float(figure) for figure in values["figures"])),))
    return iter(())


def _round(values: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    wanted = values["wanted"]
    is_planned = values["state"] == "being made"
    for name, kind in (WANTED | PLANNED).items():
        is_there = name in wanted
        if (is_there and not isinstance(wanted[name], kind)) or (is_planned and name in WANTED and not is_there):
            yield f"wanted.{name}", "expected what this program writes"
    if "first_day" in wanted:
        date.fromisoformat(wanted["first_day"])
    for unit in wanted.get("units", ()):
        UUID(unit["id"])
    for first, second in wanted.get("guessed", ()):
        if not (isinstance(first, str) and isinstance(second, str)):
            yield "wanted.guessed", "expected pairs of blocks"


def _call(values: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    if not isinstance(values["complaints"], list) or not all(isinstance(c, str) for c in values["complaints"]):
        yield "complaints", "expected a list of complaints"


def _person(values: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    if not re.match(people.EMAIL, values["email"]):
        yield "email", f"expected an e-mail address, got {values['email'][:60]!r}"


def _place_change(values: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    if not isinstance(values["before"], dict):
        yield "before", "expected what stood before"


_CHECKS: Mapping[str, Callable[[Mapping[str, Any]], Iterator[tuple[str, str]]]] = {
    "event": _event,
    "unit": _unit,
    "meter": _meter,
    "part": _part,
    "kit": _kit,
    "shop_limit": _limit,
    "round": _round,
    "call": _call,
    "person": _person,
    "place_change": _place_change,
}
# The field that holds a row's document.
_COLUMN = {
    "event": "payload",
    "unit": "nameplate",
    "meter": "ranges",
    "part": "label",
    "kit": "label",
    "shop_limit": "figures",
    "round": "wanted",
    "call": "complaints",
    "person": "email",
    "place_change": "before",
}


def _problem_of(name: str, data: bytes) -> str:
    """Return what is wrong with a photo's or a log's bytes, or nothing."""
    if name.endswith(".jpg"):
        return "" if is_kept_picture(data) else "expected a JPEG as this program keeps them"
    return "" if is_packed(data) else "expected a log's samples as this program keeps them"
