"""Packed rows of circuits, shared by all shops: they hold what a circuit shows, and nothing of anybody's unit."""

from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from plentar.store.models import UnitTableRow

__all__ = ["drop_old_rows", "get_rows", "put_row"]


def get_rows(db: Session, *, version: str, circuit: str) -> dict[str, bytes]:
    """Return a circuit's packed rows by their drives; those that are kept."""
    wanted = (UnitTableRow.version == version, UnitTableRow.circuit == circuit)
    return {row.drive: row.packed for row in db.execute(select(UnitTableRow.drive, UnitTableRow.packed).where(*wanted))}


def put_row(db: Session, *, version: str, circuit: str, drive: str, packed: bytes, made_at: datetime) -> None:
    """Keep a row; one that another process kept meanwhile is the same and stays."""
    row = {"version": version, "circuit": circuit, "drive": drive, "packed": packed, "made_at": made_at}
    db.execute(insert(UnitTableRow).values(row).on_conflict_do_nothing())


def drop_old_rows(db: Session, *, version: str, others_before: datetime, all_before: datetime) -> int:
    """Drop rows of other versions made before a moment, and any made before another; return how many.

    Two versions may stand during an upgrade. What is dropped and still wanted is made again.
    """
    is_other = (UnitTableRow.version != version) & (UnitTableRow.made_at < others_before)
    gone = db.execute(delete(UnitTableRow).where(is_other | (UnitTableRow.made_at < all_before)))
    return int(gone.rowcount)  # type: ignore[attr-defined]
