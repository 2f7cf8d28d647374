"""A shop's parts as CSV, both ways, and each part's label as JSON for the store."""

import csv
import io
from collections.abc import Iterable
from typing import Any

from pydantic import TypeAdapter

from plentar.core.work.substitution import Part
from plentar.formats.labels_csv import Labels, safe_cell

__all__ = ["PART_COLUMNS", "part_from_json", "part_to_json", "parts_from_csv", "parts_to_csv"]

# fmt: off
PART_COLUMNS = (
    "name", "kind", "poles", "rated_amps", "rating", "coil_volts", "coil", "holding_amps", "on_min_seconds",
    "on_max_seconds", "off_min_seconds", "off_max_seconds", "tab_inches", "opens_degf", "rated_watts", "rated_volts",
)
# fmt: on
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


def parts_from_csv(text: str) -> list[Part]:
    """Return the parts a CSV file lists, all of them or none.

    Raises:
        ReadingError: No such columns, a cell that is wrong: the text names line and column.
    """
    return _LABELS.read(text)


def _shaped(values: dict[str, Any]) -> dict[str, Any]:
    """Return a part's fields: whole poles, and each window of its two edges."""
    poles = values.get("poles")
    if poles is not None and poles == int(poles):
        values["poles"] = int(poles)
    for which in ("on", "off"):
        edges = {edge: values.pop(f"{which}_{edge}_seconds", None) for edge in ("min", "max")}
        if edges["min"] is not None and edges["max"] is not None:
            values[f"{which}_window"] = {f"{edge}_seconds": value for edge, value in edges.items()}
    return values


_LABELS = Labels(
    adapter=_ADAPTER,
    plural="parts",
    columns=PART_COLUMNS,
    words=("name", "kind", "rating", "coil"),
    needed=("name", "kind"),
    most=5000,
    shaped=_shaped,
)
