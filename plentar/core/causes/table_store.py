"""Rows of the unit's table kept outside the process: each asked for once, and who keeps them told what is missing."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Protocol

from plentar.core.cache import ByteBoundedCache
from plentar.core.causes.table import TableRow, drive_key, unpack
from plentar.core.circuit.drive import Drive
from plentar.core.unit.nameplate import Nameplate

__all__ = ["PACKED", "ROWS", "TableStore", "kept_row", "look_anew", "use_table_store"]


@dataclass(frozen=True, slots=True)
class _Fetched:
    """A row that was looked for: what is not kept is not asked for with every reading."""

    row: TableRow | None


# All rows of a circuit as they are kept, a fifth of a megabyte, so that one query fetches them; and those that were
# needed, unpacked: a two-strip unit's take a quarter of a megabyte a drive, a six-strip unit's a whole.
PACKED = ByteBoundedCache(4, size=lambda rows: 200 + sum(map(len, rows.values())))
ROWS = ByteBoundedCache(8, size=lambda fetched: 100 if fetched.row is None else fetched.row.size)


class TableStore(Protocol):
    """Where packed rows are kept for all processes."""

    def fetch(self, circuit: str) -> "Mapping[str, bytes]":
        """Return what is kept of a circuit by its key: packed rows by the keys of their drives."""

    def missed(self, circuit: Nameplate, drive: Drive) -> None:
        """Be told that a row was asked for and is not kept."""


@dataclass(slots=True)
class _Shelves:
    store: TableStore | None = None


_stores = _Shelves()


def use_table_store(store: TableStore | None) -> None:
    """Keep rows in a store from now on, or on none."""
    _stores.store = store
    ROWS.clear()
    PACKED.clear()


def look_anew(key: str, drive: Drive) -> None:
    """Be told that a row is kept by now: whoever missed it looks for it once more."""
    PACKED.drop(key)
    ROWS.drop((key, drive))


def kept_row(key: str, circuit: Nameplate, drive: Drive, *, hypotheses: int, contacts: int) -> TableRow | None:
    """Return what is kept of a circuit under a drive; nothing where nobody keeps any, or not yet, or not of this size.

    Args:
        key: The circuit's, by `circuit_key`.
        circuit: The circuit, as `circuit_of` gives it.
        drive: The drive.
        hypotheses: How many the row must have.
        contacts: How many the circuit has.
    """
    store = _stores.store
    if store is None:
        return None

    def fetch() -> _Fetched:
        packed: Mapping[str, bytes] = PACKED.get(key, lambda: store.fetch(key))
        data = packed.get(drive_key(drive))
        row = unpack(data) if data is not None else None
        if row is None or (row.hypotheses, row.contacts) != (hypotheses, contacts):
            # Others may keep it meanwhile: the next row is looked for anew.
            PACKED.drop(key)
            store.missed(circuit, drive)
            return _Fetched(None)
        return _Fetched(row)

    return ROWS.get((key, drive), fetch).row
