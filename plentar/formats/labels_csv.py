"""Labels as CSV, one a line: parts and kits are read the same way, all of a file or none of it."""

import csv
import io
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from pydantic import TypeAdapter, ValidationError

from plentar.core.errors import ReadingError
from plentar.formats.numbers import parse_number
from plentar.formats.unit_json import first_problem
from plentar.words import render

__all__ = ["Labels", "safe_cell"]

L = TypeVar("L")


def safe_cell(cell: str) -> str:
    """Return a cell that no spreadsheet takes for a formula."""
    return f"'{cell}" if cell[:1] in ("=", "+", "-", "@") else cell


@dataclass(frozen=True, slots=True, kw_only=True)
class Labels(Generic[L]):
    """One kind of label as a table: what its columns are called, which are words, which a file needs.

    `shaped` makes a label's fields of a line's figures, where the two differ.
    """

    adapter: TypeAdapter[L]
    plural: str
    columns: tuple[str, ...]
    words: Collection[str]
    needed: Collection[str]
    most: int
    shaped: Callable[[dict[str, Any]], dict[str, Any]] = lambda values: values
    cell_of: Callable[[L, str], Any] = getattr

    def write(self, labels: Iterable[L]) -> str:
        """Return labels as CSV with a header; what a label does not give is an empty cell."""
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\r\n")
        writer.writerow(self.columns)
        for label in labels:
            cells = [self.cell_of(label, name) for name in self.columns]
            writer.writerow(
                "" if cell is None else safe_cell(f"{cell:g}" if isinstance(cell, float) else str(cell))
                for cell in cells
            )
        return out.getvalue()

    def to_json(self, label: L) -> dict[str, Any]:
        """Return a label as JSON-ready values."""
        found: dict[str, Any] = self.adapter.dump_python(label, mode="json", exclude_none=True)
        return found

    def from_json(self, document: dict[str, Any]) -> L:
        """Return the label that stored values describe."""
        return self.adapter.validate_python(document)

    def read(self, text: str) -> list[L]:
        """Return the labels a CSV file lists, all of them or none.

        Raises:
            ReadingError: No such columns, a cell that is wrong: the text names line and column.
        """
        try:
            found = list(self._lines(text))
        except csv.Error as error:
            raise ReadingError(f"that is no table of rows and columns: {error}", field="file") from error
        if not found:
            raise ReadingError(f"no {self.plural} in this file", field="file")
        return found

    def one(self, cells: Mapping[str, str]) -> L:
        """Return the label that a form's cells describe.

        Raises:
            ReadingError: A cell is wrong; the field is its column.
        """
        for name in self.needed:
            if not (cells.get(name) or "").strip():
                raise ReadingError(f"give the {name.replace('_', ' ')}", field=name)
        try:
            return self._label(cells, 1)
        except ReadingError as error:
            where, _, words = render(error.message).removeprefix("line 1, ").partition(": ")
            raise ReadingError(
                words or render(error.message), field=where if where in self.columns else "name"
            ) from error

    def _lines(self, text: str) -> Iterator[L]:
        rows = csv.DictReader(io.StringIO(text.removeprefix("\ufeff"), newline=None))
        if not set(self.needed) <= set(rows.fieldnames or ()):
            names = f"{' and '.join(self.needed)}, of {', '.join(self.columns)}"
            raise ReadingError(f"expected a header with {names}", field="file")
        for number, row in enumerate(rows, start=2):
            if number > self.most:
                raise ReadingError(f"more than {self.most} {self.plural}", field="file")
            if any((cell or "").strip() for name, cell in row.items() if name is not None):
                yield self._label(row, number)

    def _label(self, row: Mapping[str, str | None], number: int) -> L:
        values: dict[str, Any] = {}
        for name in self.columns:
            cell = (row.get(name) or "").strip().removeprefix("'")
            if not cell:
                continue
            try:
                values[name] = cell if name in self.words else parse_number(cell, "plain")
            except ReadingError as error:
                raise ReadingError(f"line {number}, {name}: {render(error.message)}", field="file") from error
        try:
            return self.adapter.validate_python(self.shaped(values))
        except ValidationError as error:
            found = first_problem(error)
            where = found.path or (found.cause.field if found.cause else "")
            told = render(found.cause.message) if found.cause else found.words
            raise ReadingError(f"line {number}, {where}: {told}", field="file") from error
