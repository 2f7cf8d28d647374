"""What a call gathers beside readings: observations, photographs, accepted causes. Always within one shop."""

from collections.abc import Sequence
from datetime import datetime
from uuid import UUID

from sqlalchemy import ScalarSelect, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, joinedload

from plentar.store.models import AcceptedCause, Call, CurrentLogRow, Observation, Photo, Reading, WorkItem

__all__ = [
    "append",
    "get_accepted",
    "get_log",
    "get_photo",
    "list_accepted",
    "list_logs",
    "list_observations",
    "list_photos",
    "version_of",
    "withdraw",
]


def append(db: Session, row: Observation | Photo | AcceptedCause | CurrentLogRow | WorkItem) -> bool:
    """Keep a piece of evidence; the same id sent again changes nothing.

    Returns:
        True when it is new.
    """
    values = {
        column.key: getattr(row, column.key)
        for column in type(row).__mapper__.column_attrs
        if getattr(row, column.key) is not None
    }
    statement = insert(type(row)).values(values).on_conflict_do_nothing(index_elements=["id"]).returning(type(row).id)
    return db.execute(statement).first() is not None


def list_observations(db: Session, *, shop_id: UUID, call_id: UUID) -> Sequence[Observation]:
    """Return every observation of a call, oldest first."""
    return db.scalars(
        select(Observation)
        .options(joinedload(Observation.person))
        .where(Observation.shop_id == shop_id, Observation.call_id == call_id)
        .order_by(Observation.at, Observation.id)
    ).all()


def list_photos(db: Session, *, shop_id: UUID, call_id: UUID) -> Sequence[Photo]:
    """Return a call's photographs without their bytes, oldest first."""
    return db.scalars(
        select(Photo)
        .options(joinedload(Photo.person))
        .where(Photo.shop_id == shop_id, Photo.call_id == call_id)
        .order_by(Photo.at, Photo.id)
    ).all()


def get_photo(db: Session, *, shop_id: UUID, call_id: UUID, photo_id: UUID) -> Photo | None:
    """Return one photograph of this shop's call, or None."""
    return db.scalar(select(Photo).where(Photo.shop_id == shop_id, Photo.call_id == call_id, Photo.id == photo_id))


def list_accepted(db: Session, *, shop_id: UUID, call_id: UUID) -> Sequence[AcceptedCause]:
    """Return the causes accepted on a call, withdrawn ones too, oldest first."""
    return db.scalars(
        select(AcceptedCause)
        .options(joinedload(AcceptedCause.person))
        .where(AcceptedCause.shop_id == shop_id, AcceptedCause.call_id == call_id)
        .order_by(AcceptedCause.at, AcceptedCause.id)
    ).all()


def get_accepted(db: Session, *, shop_id: UUID, call_id: UUID, cause_id: UUID) -> AcceptedCause | None:
    """Return one accepted cause of this shop's call, or None."""
    return db.scalar(
        select(AcceptedCause).where(
            AcceptedCause.shop_id == shop_id, AcceptedCause.call_id == call_id, AcceptedCause.id == cause_id
        )
    )


def withdraw(row: AcceptedCause, moment: datetime) -> None:
    """Take an accepted cause back; it stays in the record."""
    row.withdrawn_at = row.withdrawn_at or moment


def list_logs(db: Session, *, shop_id: UUID, call_id: UUID) -> Sequence[CurrentLogRow]:
    """Return a call's current logs without their samples, oldest first."""
    return db.scalars(
        select(CurrentLogRow)
        .options(joinedload(CurrentLogRow.person))
        .where(CurrentLogRow.shop_id == shop_id, CurrentLogRow.call_id == call_id)
        .order_by(CurrentLogRow.at, CurrentLogRow.id)
    ).all()


def get_log(db: Session, *, shop_id: UUID, call_id: UUID, log_id: UUID) -> CurrentLogRow | None:
    """Return one current log of this shop's call, or None."""
    return db.scalar(
        select(CurrentLogRow).where(
            CurrentLogRow.shop_id == shop_id, CurrentLogRow.call_id == call_id, CurrentLogRow.id == log_id
        )
    )


def version_of(db: Session, *, shop_id: UUID, call_id: UUID) -> str | None:
    """Return a short text that changes whenever anything of a call does; None for another shop's call."""

    def count(table: type[Reading] | type[Observation] | type[Photo]) -> ScalarSelect[int]:
        return select(func.count()).where(table.shop_id == shop_id, table.call_id == call_id).scalar_subquery()

    accepted = select(func.count() + func.count(AcceptedCause.withdrawn_at)).where(
        AcceptedCause.shop_id == shop_id, AcceptedCause.call_id == call_id
    )
    row = db.execute(
        select(
            Call.status,
            Call.condition["changed_at"].astext,
            count(Reading),
            count(Observation),
            count(Photo),
            accepted.scalar_subquery(),
        ).where(Call.shop_id == shop_id, Call.id == call_id)
    ).first()
    return None if row is None else ".".join(str(part) for part in row)
