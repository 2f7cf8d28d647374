"""A shop's heat kits as CSV, both ways, and each kit's label as JSON for the store."""

import csv
import io
from collections.abc import Iterable
from typing import Any

from pydantic import TypeAdapter, ValidationError

from plentar.core.errors import NameplateError, ReadingError
from plentar.core.unit.kit import Kit
from plentar.formats.numbers import parse_number
from plentar.formats.parts_csv import safe_cell
from plentar.words import say

__all__ = ["KIT_COLUMNS", "kit_from_json", "kit_to_json", "kits_from_csv", "kits_to_csv"]

KIT_COLUMNS = (
    "model",
    "kilowatts_240",
    "kilowatts_208",
    "strips",
    "minimum_circuit_amps",
    "maximum_device_amps",
)
MOST_KITS = 2000
_ADAPTER = TypeAdapter(Kit)


def kit_to_json(kit: Kit) -> dict[str, Any]:
    """Return a kit's label as JSON-ready values."""
    found: dict[str, Any] = _ADAPTER.dump_python(kit, mode="json", exclude_none=True)
    return found


def kit_from_json(document: dict[str, Any]) -> Kit:
    """Return the kit a stored label describes."""
    return _ADAPTER.validate_python(document)


def kits_to_csv(kits: Iterable[Kit]) -> str:
    """Return kits as CSV with a header."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(KIT_COLUMNS)
    for kit in kits:
        cells = [getattr(kit, name) for name in KIT_COLUMNS]
        writer.writerow(
            "" if cell is None else safe_cell(f"{cell:g}" if isinstance(cell, float) else str(cell)) for cell in cells
        )
    return out.getvalue()


def kits_from_csv(text: str) -> list[Kit]:
    """Return the kits a CSV file lists, all of them or none.

    Raises:
        ReadingError: No such columns, a cell that is wrong: the text names line and column.
    """
    rows = csv.DictReader(io.StringIO(text.removeprefix("\ufeff"), newline=None))
    try:
        names = rows.fieldnames or []
        if not {"model", "kilowatts_240", "strips"} <= set(names):
            raise ReadingError(f"expected a header with {', '.join(KIT_COLUMNS)}", field="file")
        kits = [
            _kit(row, number)
            for number, row in enumerate(rows, start=2)
            if any((cell or "").strip() for name, cell in row.items() if name is not None)
        ]
    except csv.Error as error:
        raise ReadingError(f"that is no table of rows and columns: {error}", field="file") from error
    if not kits:
        raise ReadingError("no kits in this file", field="file")
    if len(kits) > MOST_KITS:
        raise ReadingError(f"more than {MOST_KITS} kits", field="file")
    return kits


def _kit(row: dict[str, str | None], number: int) -> Kit:
    values: dict[str, Any] = {}
    for name in KIT_COLUMNS:
        cell = (row.get(name) or "").strip().removeprefix("'")
        if not cell:
            continue
        try:
            values[name] = cell if name == "model" else parse_number(cell, "plain")
        except ReadingError as error:
            raise ReadingError(f"line {number}, {name}: {say(error.message)}", field="file") from error
    try:
        return _ADAPTER.validate_python(values)
    except ValidationError as error:
        first = error.errors()[0]
        cause = first.get("ctx", {}).get("error")
        where = ".".join(str(step) for step in first["loc"]) or getattr(cause, "field", "")
        words = say(cause.message) if isinstance(cause, NameplateError) else first["msg"].lower()
        raise ReadingError(f"line {number}, {where}: {words}", field="file") from error
