"""What was done on calls, what is due, and the parts on the shelf. Always within one shop."""

from collections.abc import Iterable, Sequence
from datetime import date, datetime
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, joinedload

from plentar.store.models import Call, PartRow, Unit, WorkItem

__all__ = ["awaits_proof", "finish", "get_item", "list_due", "list_items", "list_parts", "put_parts"]


def list_items(db: Session, *, shop_id: UUID, call_id: UUID) -> Sequence[WorkItem]:
    """Return what was done on a call, oldest first."""
    return db.scalars(
        select(WorkItem)
        .options(joinedload(WorkItem.person))
        .where(WorkItem.shop_id == shop_id, WorkItem.call_id == call_id)
        .order_by(WorkItem.at, WorkItem.id)
    ).all()


def awaits_proof(db: Session, *, shop_id: UUID, call_id: UUID) -> bool:
    """Tell whether something was repaired on a call and neither proven nor left unproven for a reason since."""
    kinds = [item.kind for item in list_items(db, shop_id=shop_id, call_id=call_id)]
    fixes = [i for i, kind in enumerate(kinds) if kind in ("ledger", "part", "power-back")]
    settled = [i for i, kind in enumerate(kinds) if kind in ("proven", "unproven")]
    return bool(fixes) and (not settled or settled[-1] < fixes[-1])


def get_item(db: Session, *, shop_id: UUID, item_id: UUID) -> WorkItem | None:
    """Return one item of this shop, or None."""
    return db.scalar(select(WorkItem).where(WorkItem.shop_id == shop_id, WorkItem.id == item_id))


def list_due(db: Session, *, shop_id: UUID, until: date) -> Sequence[tuple[WorkItem, Call]]:
    """Return the temporary measures due by a day and not yet undone, the longest due first, each with its call."""
    rows = db.execute(
        select(WorkItem, Call)
        .join(Call, (Call.shop_id == WorkItem.shop_id) & (Call.id == WorkItem.call_id))
        .options(joinedload(Call.unit).joinedload(Unit.place))
        .where(WorkItem.shop_id == shop_id, WorkItem.due_on <= until, WorkItem.done_at.is_(None))
        .order_by(WorkItem.due_on, WorkItem.id)
    ).all()
    return [(item, call) for item, call in rows]


def finish(item: WorkItem, moment: datetime) -> None:
    """Close a temporary measure: it was undone, or made right."""
    item.done_at = item.done_at or moment


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
