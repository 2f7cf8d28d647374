"""Who changed what of a shop: appended in the transaction of the change itself, so that neither stands alone."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from plentar.store.models import Person
from plentar.store.shop_models import AuditRow

__all__ = ["list_newest", "note", "note_changes"]


def note(
    db: Session,
    action: str,
    about: str,
    *,
    shop_id: UUID,
    person: Person | None,
    at: datetime,
    before: Any = None,
    after: Any = None,
) -> None:
    """Append one line; `person` is None for somebody at the server's command line."""
    row = AuditRow(
        id=uuid4(),
        shop_id=shop_id,
        person_id=None if person is None else person.id,
        at=at,
        deed=action,
        about=about[:200],
        before=before,
        after=after,
    )
    db.add(row)
    db.flush()


def note_changes(
    db: Session, action: str, about: str, before: dict[str, Any], after: dict[str, Any], **who: Any
) -> bool:
    """Append what differs between two states; False, and nothing, where nothing does."""
    changed = [name for name in after if before.get(name) != after[name]]
    if changed:
        note(
            db,
            action,
            about,
            before={name: before.get(name) for name in changed},
            after={name: after[name] for name in changed},
            **who,
        )
    return bool(changed)


def list_newest(db: Session, *, shop_id: UUID, most: int = 100, before: datetime | None = None) -> Sequence[AuditRow]:
    """Return a shop's lines, the newest first; with a moment, those earlier than it."""
    query = select(AuditRow).options(joinedload(AuditRow.person)).where(AuditRow.shop_id == shop_id)
    if before is not None:
        query = query.where(AuditRow.at < before)
    return db.scalars(query.order_by(AuditRow.at.desc(), AuditRow.id).limit(most)).all()
