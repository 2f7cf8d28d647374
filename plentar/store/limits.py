"""A shop's own limits: every change kept, the newest of a name standing."""

from collections.abc import Sequence
from datetime import datetime
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from plentar.store.models import ShopLimit

__all__ = ["changed_limits", "set_limit"]


def changed_limits(db: Session, *, shop_id: UUID) -> tuple[tuple[str, tuple[float, ...]], ...]:
    """Return the limits a shop set itself, by name; one set back to the default is not among them."""
    rows = db.execute(
        select(ShopLimit.name, ShopLimit.figures)
        .where(ShopLimit.shop_id == shop_id)
        .order_by(ShopLimit.set_at, ShopLimit.id)
    ).all()
    newest: dict[str, list[object] | None] = {row.name: row.figures for row in rows}
    found = []
    for name, figures in sorted(newest.items()):
        if figures is not None:
            found.append((name, tuple(float(figure) for figure in figures)))  # type: ignore[arg-type]
    return tuple(found)


def set_limit(
    db: Session,
    *,
    shop_id: UUID,
    name: str,
    figures: Sequence[float] | None,
    person_id: UUID,
    moment: datetime,
    why: str,
) -> None:
    """Keep a shop's figures for a limit, or None to go back to the default; an open side is kept as text."""
    kept = None if figures is None else [str(f) if f in (float("inf"), float("-inf")) else f for f in figures]
    db.add(ShopLimit(shop_id=shop_id, name=name, figures=kept, person_id=person_id, set_at=moment, why=why))
    db.flush()
