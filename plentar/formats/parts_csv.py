"""A shop's parts as CSV, both ways, and each part's label as JSON for the store."""

import csv
import io
from collections.abc import Iterable
from typing import Any

from pydantic import TypeAdapter, ValidationError

from plentar.core.errors import NameplateError, ReadingError
from plentar.core.work.substitution import Part
from plentar.formats.numbers import parse_number
from plentar.words import say

__all__ = ["PART_COLUMNS", "part_from_json", "part_to_json", "parts_from_csv", "parts_to_csv", "safe_cell"]

# fmt: off
PART_COLUMNS = (
    "name", "kind", "poles", "rated_amps", "rating", "coil_volts", "coil", "holding_amps", "on_min_seconds",
    "on_max_seconds", "off_min_seconds", "off_max_seconds", "tab_inches", "opens_degf", "rated_watts", "rated_volts",
)
# fmt: on
WORDS = ("name", "kind", "rating", "coil")
MOST_PARTS = 5000
_ADAPTER = TypeAdapter(Part)


def part_to_json(part: Part) -> dict[str, Any]:
    """Return a part's label as JSON-ready values."""
    found: dict[str, Any] = _ADAPTER.dump_python(part, mode="json", exclude_none=True)
    return found


def part_from_json(document: dict[str, Any]) -> Part:
    """Return the part a stored label describes."""
    return _ADAPTER.validate_python(document)


def parts_to_csv(parts: Iterable[Part]) -> str:
    """Return parts as CSV with a header."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(PART_COLUMNS)
    for part in parts:
        windows = {
            f"{which}_{edge}_seconds": getattr(window, f"{edge}_seconds") if window else None
            for which, window in (("on", part.on_window), ("off", part.off_window))
            for edge in ("min", "max")
        }
        row = [windows[name] if name in windows else getattr(part, name) for name in PART_COLUMNS]
        writer.writerow(
            "" if cell is None else safe_cell(f"{cell:g}" if isinstance(cell, float) else str(cell)) for cell in row
        )
    return out.getvalue()


def safe_cell(cell: str) -> str:
    """Return a cell that no spreadsheet takes for a formula."""
    return f"'{cell}" if cell[:1] in ("=", "+", "-", "@") else cell


def parts_from_csv(text: str) -> list[Part]:
    """Return the parts a CSV file lists, all of them or none.

    Raises:
        ReadingError: No such columns, a cell that is wrong: the text names line and column.
    """
    try:
        return _parts(text)
    except csv.Error as error:
        raise ReadingError(f"that is no table of rows and columns: {error}", field="file") from error


def _parts(text: str) -> list[Part]:
    rows = csv.DictReader(io.StringIO(text.removeprefix("\ufeff"), newline=None))
    names = rows.fieldnames or []
    if "name" not in names or "kind" not in names:
        raise ReadingError(f"expected a header with name and kind, of {', '.join(PART_COLUMNS[:5])} …", field="file")
    parts: list[Part] = []
    for number, row in enumerate(rows, start=2):
        if number > MOST_PARTS:
            raise ReadingError(f"more than {MOST_PARTS} parts", field="file")
        if any((cell or "").strip() for name, cell in row.items() if name is not None):
            parts.append(_part(row, number))
    if not parts:
        raise ReadingError("no parts in this file", field="file")
    return parts


def _part(row: dict[str, str | None], number: int) -> Part:
    values: dict[str, Any] = {}
    for name in PART_COLUMNS:
        cell = (row.get(name) or "").strip().removeprefix("'")
        if not cell:
            continue
        if name in WORDS:
            values[name] = cell
            continue
        try:
            value = parse_number(cell, "plain")
        except ReadingError as error:
            raise ReadingError(f"line {number}, {name}: {say(error.message)}", field="file") from error
        values[name] = int(value) if name == "poles" and value == int(value) else value
    for which in ("on", "off"):
        edges = {edge: values.pop(f"{which}_{edge}_seconds", None) for edge in ("min", "max")}
        if edges["min"] is not None and edges["max"] is not None:
            values[f"{which}_window"] = {f"{edge}_seconds": value for edge, value in edges.items()}
    try:
        return _ADAPTER.validate_python(values)
    except ValidationError as error:
        first = error.errors()[0]
        cause = first.get("ctx", {}).get("error")
        where = ".".join(str(step) for step in first["loc"]) or getattr(cause, "field", "")
        words = cause.message if isinstance(cause, NameplateError) else first["msg"].lower()
        raise ReadingError(f"line {number}, {where}: {words}", field="file") from error
