"""Finding anything of a shop by its words: PostgreSQL's full text for whole words, trigrams for misspelt ones."""

from typing import NamedTuple
from uuid import UUID

from sqlalchemy import Text, and_, cast, func, literal, or_, select
from sqlalchemy.orm import Session

from plentar.store.models import PlaceRow, Unit
from plentar.store.shop_models import SearchLine

__all__ = ["Hit", "search"]

MOST = 30
# Two letters changed round in a word of nine leave it four parts in ten like itself ("sequnecer"); less is another
# word. PostgreSQL's own default, 0.6, forgives one letter.
LIKE_SHARE = 0.4
LONGEST = 80
CANDIDATES = 400


class Hit(NamedTuple):
    """One line found: what kind, whose, the words it was found by."""

    kind: str
    id: UUID
    place_id: UUID
    unit_id: UUID | None
    call_id: UUID | None
    at: object
    words: str
    place: str
    unit: str | None


def search(db: Session, *, shop_id: UUID, words: str, most: int = MOST) -> list[Hit]:
    """Return what fits some words best, in this shop: whole words first, then their beginnings, then what is like them.

    Args:
        words: As typed; longer than eighty letters is cut.
    """
    words = " ".join(words.split())[:LONGEST]
    if not words:
        return []
    starts = " & ".join(
        f"{''.join(c for c in word if c.isalnum())}:*" for word in words.split() if any(map(str.isalnum, word))
    )
    if not starts:
        return []
    line = SearchLine
    query = func.to_tsquery("simple", starts)
    own = line.shop_id == shop_id
    # A word that stands on more lines than this tells none of them apart: the first ones found are ranked.
    some = (
        select(line.kind, line.id, line.at, line.found)
        .where(own, line.found.op("@@")(query))
        .limit(CANDIDATES)
        .subquery()
    )
    exact = (
        select(some.c.kind, some.c.id)
        .order_by(func.ts_rank(some.c.found, query).desc(), some.c.at.desc().nulls_first())
        .limit(most)
    )
    found = list(db.execute(exact).all())
    if len(found) < most:
        db.execute(select(func.set_config("pg_trgm.word_similarity_threshold", str(LIKE_SHARE), True)))
        near = (
            select(line.kind, line.id, line.at, line.words)
            .where(own, cast(literal(words), Text).op("<%")(line.words))
            .limit(CANDIDATES)
            .subquery()
        )
        likeness = func.word_similarity(literal(words), near.c.words)
        alike = select(near.c.kind, near.c.id).order_by(likeness.desc(), near.c.at.desc().nulls_first()).limit(most)
        known = {(row.kind, row.id) for row in found}
        found = [*found, *(row for row in db.execute(alike) if (row.kind, row.id) not in known)][:most]
    if not found:
        return []
    keys = or_(*(and_(line.kind == row.kind, line.id == row.id) for row in found))
    rows = db.execute(
        select(
            line.kind,
            line.id,
            line.place_id,
            line.unit_id,
            line.call_id,
            line.at,
            line.words,
            PlaceRow.name.label("place"),
            Unit.label.label("unit"),
        )
        .join(PlaceRow, (PlaceRow.shop_id == line.shop_id) & (PlaceRow.id == line.place_id))
        .outerjoin(Unit, (Unit.shop_id == line.shop_id) & (Unit.id == line.unit_id))
        .where(own, keys)
    ).all()
    by_key = {(row.kind, row.id): Hit(*row) for row in rows}
    return [by_key[row.kind, row.id] for row in found if (row.kind, row.id) in by_key]
