"""The parts on a shop's shelf, and the heat kits it meets."""

from collections.abc import Iterable, Sequence
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from plentar.store.models import KitRow, PartRow
from plentar.store.shop_models import Stock

__all__ = ["list_kits", "list_parts", "list_stock", "put_kits", "put_parts", "remove_part", "set_stock"]


def list_parts(db: Session, *, shop_id: UUID) -> Sequence[PartRow]:
    """Return the shop's parts by name."""
    return db.scalars(select(PartRow).where(PartRow.shop_id == shop_id).order_by(PartRow.name)).all()


def put_parts(db: Session, *, shop_id: UUID, labels: Iterable[tuple[str, dict[str, Any]]]) -> None:
    """Keep parts by name: a known one takes the new label, a new one is added."""
    _put(db, PartRow, "name", shop_id, labels)


def list_kits(db: Session, *, shop_id: UUID) -> Sequence[KitRow]:
    """Return the shop's heat kits by model."""
    return db.scalars(select(KitRow).where(KitRow.shop_id == shop_id).order_by(KitRow.model)).all()


def put_kits(db: Session, *, shop_id: UUID, labels: Iterable[tuple[str, dict[str, Any]]]) -> None:
    """Keep kits by model: a known one takes the new label, a new one is added."""
    _put(db, KitRow, "model", shop_id, labels)


def _put(
    db: Session, table: type[PartRow | KitRow], key: str, shop_id: UUID, labels: Iterable[tuple[str, dict[str, Any]]]
) -> None:
    for called, label in labels:
        statement = insert(table).values(id=uuid4(), shop_id=shop_id, label=label, **{key: called})
        db.execute(
            statement.on_conflict_do_update(index_elements=["shop_id", key], set_={"label": statement.excluded.label})
        )


def remove_part(db: Session, *, shop_id: UUID, part_id: UUID) -> str | None:
    """Take a part off the shelf, and off every van; return its name, None where there is none."""
    own = (PartRow.shop_id == shop_id, PartRow.id == part_id)
    return db.scalar(delete(PartRow).where(*own).returning(PartRow.name))


def list_stock(db: Session, *, shop_id: UUID) -> dict[tuple[UUID, UUID], int]:
    """Return how many of each part lie on each person's van, by part and person; none are not in it."""
    rows = db.scalars(select(Stock).where(Stock.shop_id == shop_id))
    return {(row.part_id, row.person_id): row.count for row in rows}


def set_stock(db: Session, *, shop_id: UUID, person_id: UUID, counts: dict[UUID, int]) -> None:
    """Keep how many of each part lie on a van."""
    for part_id, count in counts.items():
        statement = insert(Stock).values(shop_id=shop_id, part_id=part_id, person_id=person_id, count=count)
        keys = ["shop_id", "part_id", "person_id"]
        db.execute(statement.on_conflict_do_update(index_elements=keys, set_={"count": statement.excluded.count}))
