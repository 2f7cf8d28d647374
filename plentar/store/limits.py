"""A shop's own limits: every change kept, the newest of a name standing."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import ScalarSelect, func, select
from sqlalchemy.dialects.postgresql import aggregate_order_by
from sqlalchemy.orm import Session

from plentar.store.models import ShopLimit

__all__ = ["changed_limits", "changes_of", "set_limit", "standing"]


def changed_limits(db: Session, *, shop_id: UUID) -> tuple[tuple[str, tuple[float, ...]], ...]:
    """Return the limits a shop set itself, by name; one set back to the default is not among them."""
    return standing(db.scalar(select(changes_of(shop_id))) or ())


def changes_of(shop_id: Any) -> ScalarSelect[Any]:
    """Return every change of a shop's limits, oldest first, as one value of a query: pairs of name and figures."""
    pair = func.jsonb_build_array(ShopLimit.name, ShopLimit.figures)
    changes = func.jsonb_agg(aggregate_order_by(pair, ShopLimit.set_at, ShopLimit.id))
    return select(changes).where(ShopLimit.shop_id == shop_id).scalar_subquery()


def standing(changes: Sequence[Sequence[Any]]) -> tuple[tuple[str, tuple[float, ...]], ...]:
    """Return what stands after all changes: the newest of each name, those set back to the default left out."""
    newest: dict[str, list[object] | None] = {name: figures for name, figures in changes}  # noqa: C416
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
