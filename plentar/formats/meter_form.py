"""A meter's ranges as rows of a form, and back: one row a function and range, as a manual prints them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from plentar.core.errors import MeterError, ReadingError
from plentar.core.evidence.metrology import MeterRange
from plentar.core.unit.quantities import QUANTITIES
from plentar.formats.numbers import parse_number

__all__ = ["COLUMNS", "RangeRow", "ranges_read", "rows_of", "usual_ranges"]

COLUMNS = ("quantity", "full_scale", "resolution", "percent", "counts")
NUMBERS = COLUMNS[1:]
# A manual has some dozen; one that is longer was pasted.
MOST_ROWS = 60


@dataclass(slots=True)
class RangeRow:
    """One row as typed, with what is wrong in it by column."""

    typed: Mapping[str, str]
    problems: dict[str, str] = field(default_factory=dict)


def rows_of(ranges: Sequence[Mapping[str, Any]], spare: int = 2) -> list[RangeRow]:
    """Return kept ranges as rows, with empty ones to add to."""
    rows = [
        RangeRow({name: _cell(entry.get(name)) for name in COLUMNS})
        for entry in sorted(ranges, key=lambda entry: (entry["quantity"], entry.get("full_scale", float("inf"))))
    ]
    return rows + [RangeRow(dict.fromkeys(COLUMNS, "")) for _ in range(spare)]


def _cell(value: object) -> str:
    return "" if value is None else f"{value:.10g}" if isinstance(value, int | float) else str(value)


def ranges_read(form: Mapping[str, str]) -> tuple[list[RangeRow], list[dict[str, Any]]]:
    """Return the rows as typed and the ranges they describe; where a row has problems the ranges are not to be kept.

    Args:
        form: Fields `quantity-1`, `full_scale-1` and so on; a row with nothing but a function in it is none.
    """
    rows, ranges = [], []
    for number in range(1, MOST_ROWS + 1):
        if f"quantity-{number}" not in form:
            break
        row = RangeRow({name: form.get(f"{name}-{number}", "").strip()[:40] for name in COLUMNS})
        rows.append(row)
        if any(row.typed[name] for name in NUMBERS):
            found = _range(row)
            if found is not None:
                ranges.append(found)
    return rows, ranges


def _range(row: RangeRow) -> dict[str, Any] | None:
    quantity = row.typed["quantity"]
    if quantity not in QUANTITIES:
        row.problems["quantity"] = "choose what it reads"
    values: dict[str, Any] = {"quantity": quantity}
    for name in NUMBERS:
        text = row.typed[name]
        if not text:
            if name != "full_scale":
                row.problems[name] = "needed"
            continue
        try:
            values[name] = parse_number(text, "plain")
        except ReadingError:
            row.problems[name] = "a number"
    if row.problems:
        return None
    try:
        MeterRange(**values)
    except MeterError as error:
        row.problems[error.field or "percent"] = str(error.message)
        return None
    return values


def usual_ranges() -> list[dict[str, Any]]:
    """Return what a usual clamp meter is worth, to begin a new one with; its own manual has the last word."""
    usual = (
        ("amps", 400.0, 0.1, 2.0, 5),
        ("volts", 600.0, 0.1, 1.0, 3),
        ("dc_volts", 600.0, 0.1, 1.0, 3),
        ("ohms", 600.0, 0.1, 1.0, 3),
        ("ohms", 6e7, 1e4, 1.5, 3),
        ("microfarads", 600.0, 0.1, 2.0, 4),
        ("degf", 500.0, 0.5, 0.5, 2),
    )
    return [dict(zip(COLUMNS, row, strict=True)) for row in usual]
