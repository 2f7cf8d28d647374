"""A shop's heat kits as CSV, both ways, and each kit's label as JSON for the store."""

import csv
import io
from collections.abc import Iterable
from typing import Any

from pydantic import TypeAdapter

from plentar.core.unit.kit import Kit
from plentar.formats.labels_csv import Labels, safe_cell

__all__ = ["KIT_COLUMNS", "kit_from_json", "kit_to_json", "kits_from_csv", "kits_to_csv"]

KIT_COLUMNS = (
    "model",
    "kilowatts_240",
    "kilowatts_208",
    "strips",
    "minimum_circuit_amps",
    "maximum_device_amps",
)
_ADAPTER = TypeAdapter(Kit)
_LABELS = Labels(
    adapter=_ADAPTER,
    plural="kits",
    columns=KIT_COLUMNS,
    words=("model",),
    needed=("model", "kilowatts_240", "strips"),
    most=2000,
)


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
    return _LABELS.read(text)
