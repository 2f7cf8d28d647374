"""Papers shared by a link: made, found by its secret, taken back, and who opened them when."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import NamedTuple
from uuid import UUID, uuid4

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session, joinedload

from plentar.store.models import Call, ShareLink, ShareOpen
from plentar.store.secret import hash_of, new_secret

__all__ = ["Shared", "find", "list_of", "make", "note_open", "revoke"]

LASTS = timedelta(days=30)


class Shared(NamedTuple):
    """A link of a call with how often it was opened, and when last."""

    link: ShareLink
    opens: int
    last: datetime | None
    words: str

    def is_open(self, now: datetime) -> bool:
        """Tell whether it still opens the paper."""
        return self.link.revoked_at is None and self.link.expires_at > now


def make(db: Session, call: Call, *, person_id: UUID, now: datetime) -> str:
    """Make a link to a call's paper and return its secret, which is kept nowhere."""
    token = new_secret()
    row = ShareLink(
        id=uuid4(),
        shop_id=call.shop_id,
        call_id=call.id,
        person_id=person_id,
        token_hash=hash_of(token),
        made_at=now,
        expires_at=now + LASTS,
    )
    db.add(row)
    db.flush()
    return token


def find(db: Session, token: str, now: datetime) -> ShareLink | None:
    """Return the link a secret opens; nothing for one that is unknown, lapsed or taken back."""
    return db.scalar(
        select(ShareLink)
        .options(joinedload(ShareLink.person))
        .where(ShareLink.token_hash == hash_of(token), ShareLink.revoked_at.is_(None), ShareLink.expires_at > now)
    )


def list_of(db: Session, *, shop_id: UUID, call_id: UUID) -> Sequence[Shared]:
    """Return a call's links, newest first, each with how often and when it was opened."""
    of_link = (ShareOpen.shop_id == ShareLink.shop_id, ShareOpen.link_id == ShareLink.id)
    opens = select(func.count()).where(*of_link).scalar_subquery()
    last = select(func.max(ShareOpen.opened_at)).where(*of_link).scalar_subquery()
    words = select(ShareOpen.words).where(*of_link).order_by(ShareOpen.opened_at.desc()).limit(1).scalar_subquery()
    rows = db.execute(
        select(ShareLink, opens, last, words)
        .options(joinedload(ShareLink.person))
        .where(ShareLink.shop_id == shop_id, ShareLink.call_id == call_id)
        .order_by(ShareLink.made_at.desc())
    )
    return [Shared(link, count, at, said or "") for link, count, at, said in rows]


def note_open(db: Session, link: ShareLink, *, words: str, now: datetime) -> None:
    """Note that a shared paper was opened."""
    db.add(ShareOpen(id=uuid4(), shop_id=link.shop_id, link_id=link.id, opened_at=now, words=words[:120]))
    db.flush()


def revoke(db: Session, *, shop_id: UUID, call_id: UUID, link_id: UUID, now: datetime) -> bool:
    """Take a link back; False where this call has none of that id that still opens anything."""
    own = (ShareLink.shop_id == shop_id, ShareLink.call_id == call_id, ShareLink.id == link_id)
    done = db.execute(
        update(ShareLink).where(*own, ShareLink.revoked_at.is_(None)).values(revoked_at=now).returning(ShareLink.id)
    )
    return done.first() is not None
