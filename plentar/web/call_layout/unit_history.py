"""Years of records as the core reads them, and how long a shop's parts last: worked out every ten minutes at most."""

from collections.abc import Sequence
from datetime import UTC, datetime
from threading import Lock
from typing import Any
from uuid import UUID

from cachetools import TTLCache
from sqlalchemy.orm import Session

from plentar.core.evidence.reading import Condition
from plentar.core.history.series import PastReading
from plentar.core.history.survival import Life, PartFailure, Standing, lives_of
from plentar.core.unit.place import place_of
from plentar.store import history

__all__ = ["lives_of_shop", "past_readings"]

_lives: TTLCache[UUID, dict[str, Life]] = TTLCache(maxsize=64, ttl=600)
_lock = Lock()


def lives_of_shop(db: Session, shop_id: UUID, now: datetime) -> dict[str, Life]:
    """Return what is known of each kind of part; kinds with too few failures are not in it."""
    with _lock:
        known: dict[str, Life] | None = _lives.get(shop_id)
    if known is not None:
        return known
    units = [
        Standing(unit=str(row.id), since=datetime(row.year, 7, 1, tzinfo=UTC).timestamp(), strips=row.strips)
        for row in history.ages_of_units(db, shop_id=shop_id)
    ]
    failures = [
        PartFailure(unit=str(row.unit_id), part=place_of(fault).whole_part, at=row.done_at.timestamp())
        for row in history.faults_of_shop(db, shop_id=shop_id)
        for fault in row.faults or ()
    ]
    found = lives_of(units, failures, now.timestamp())
    with _lock:
        _lives[shop_id] = found
    return found


def past_readings(rows: Sequence[Any]) -> list[PastReading]:
    """Return kept rows as readings of the years; one whose condition cannot be read is left out."""
    found = []
    # A dozen calls, hundreds of rows.
    names = {call_id: str(call_id) for call_id in {row.call_id for row in rows}}
    for row in rows:
        condition = row.condition or {}
        found.append(
            PastReading(
                call=names[row.call_id],
                at=row.done_at.timestamp(),
                point=row.point,
                value=row.value,
                half=row.half,
                condition=_condition(condition),
            )
        )
    return found


def _condition(kept: dict[str, Any]) -> Condition:
    # Only what is on matters over the years.
    calls = kept.get("calls") or {}
    pairs = calls.items() if isinstance(calls, dict) else calls
    return Condition(calls=tuple((str(name), float(seconds or 0.0)) for name, seconds in pairs))
