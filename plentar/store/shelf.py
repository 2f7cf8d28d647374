"""The parts on a shop's shelf."""

from collections.abc import Iterable, Sequence
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from plentar.store.models import PartRow

__all__ = ["list_parts", "put_parts"]


def list_parts(db: Session, *, shop_id: UUID) -> Sequence[PartRow]:
    """Return the shop's parts by name."""
    return db.scalars(select(PartRow).where(PartRow.shop_id == shop_id).order_by(PartRow.name)).all()


def put_parts(db: Session, *, shop_id: UUID, labels: Iterable[tuple[str, dict[str, Any]]]) -> int:
    """Keep parts by name: a known one takes the new label, a new one is added. Returns how many."""
    count = 0
    for name, label in labels:
        statement = insert(PartRow).values(id=uuid4(), shop_id=shop_id, name=name, label=label)
        db.execute(
            statement.on_conflict_do_update(
                index_elements=["shop_id", "name"], set_={"label": statement.excluded.label}
            )
        )
        count += 1
    return count
