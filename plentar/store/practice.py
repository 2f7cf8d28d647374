"""What practice keeps: learners, runs with their steps, answers, cases, classes. Every query keeps to one shop."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import Row, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from plentar.store.locking import lock_row
from plentar.store.models import Call, EventRow, Person
from plentar.store.practice_models import (
    Learner,
    PracticeAnswer,
    PracticeCase,
    PracticeClass,
    PracticeRun,
    PracticeStep,
)
from plentar.store.secret import hash_of

__all__ = [
    "add_answer",
    "answers_of",
    "begin",
    "calls_with_causes",
    "case_of",
    "cause_of",
    "class_by_code",
    "class_of",
    "classes_of",
    "count_learners",
    "keep_step",
    "learner_by_token",
    "learner_of",
    "learners_of_class",
    "list_cases",
    "lock_run",
    "runs_of",
    "save_case",
    "steps_after",
]


def learner_of(db: Session, person: Person, now: datetime) -> Learner:
    """Return a person's own learner, made the first time."""
    query = select(Learner).where(Learner.shop_id == person.shop_id, Learner.person_id == person.id)
    known = db.scalar(query)
    if known is not None:
        return known
    made = insert(Learner).values(
        shop_id=person.shop_id, id=uuid4(), person_id=person.id, name=person.name[:80], made_at=now
    )
    # Two pages at once make one.
    db.execute(made.on_conflict_do_nothing())
    return db.scalars(query).one()


def learner_by_token(db: Session, token: str) -> Learner | None:
    """Return the learner of a class who holds a secret, while the class is open."""
    query = (
        select(Learner)
        .join(PracticeClass, (PracticeClass.shop_id == Learner.shop_id) & (PracticeClass.id == Learner.class_id))
        .where(Learner.token_hash == hash_of(token), PracticeClass.closed_at.is_(None))
    )
    return db.scalar(query)


def begin(db: Session, learner: Learner, *, case_id: str, document: Mapping[str, Any], now: datetime) -> PracticeRun:
    """Begin a run."""
    run = PracticeRun(
        shop_id=learner.shop_id,
        id=uuid4(),
        learner_id=learner.id,
        case_id=case_id,
        document=dict(document),
        began_at=now,
        touched_at=now,
    )
    db.add(run)
    db.flush()
    return run


def lock_run(db: Session, learner: Learner, run_id: UUID) -> PracticeRun | None:
    """Return one of a learner's runs, locked: one thing is done in it after another."""
    own = (PracticeRun.shop_id == learner.shop_id, PracticeRun.learner_id == learner.id, PracticeRun.id == run_id)
    return lock_row(db, select(PracticeRun).where(*own))


def steps_after(db: Session, run: PracticeRun, seq: int) -> Sequence[PracticeStep]:
    """Return a run's steps after a number, in order."""
    query = (
        select(PracticeStep)
        .where(PracticeStep.shop_id == run.shop_id, PracticeStep.run_id == run.id, PracticeStep.seq > seq)
        .order_by(PracticeStep.seq)
    )
    return db.scalars(query).all()


def keep_step(
    db: Session, run: PracticeRun, *, step_id: UUID, act: Mapping[str, Any], at_seconds: float, now: datetime
) -> bool:
    """Keep a step as the run's next; the same id again is kept already."""
    row = {
        "shop_id": run.shop_id,
        "run_id": run.id,
        "seq": run.seq + 1,
        "id": step_id,
        "at_seconds": at_seconds,
        "act": dict(act),
    }
    made = db.execute(insert(PracticeStep).values(row).on_conflict_do_nothing().returning(PracticeStep.seq)).first()
    if made is None:
        return False
    run.seq, run.touched_at = run.seq + 1, now
    return True


def runs_of(db: Session, learner: Learner, most: int = 200) -> Sequence[PracticeRun]:
    """Return a learner's runs, newest first."""
    query = (
        select(PracticeRun)
        .where(PracticeRun.shop_id == learner.shop_id, PracticeRun.learner_id == learner.id)
        .order_by(PracticeRun.began_at.desc())
        .limit(most)
    )
    return db.scalars(query).all()


def add_answer(db: Session, learner: Learner, answer: PracticeAnswer) -> None:
    """Keep an answer; sent twice it is kept once."""
    values = {column.name: getattr(answer, column.name) for column in PracticeAnswer.__table__.columns}
    values |= {"shop_id": learner.shop_id, "learner_id": learner.id}
    db.execute(insert(PracticeAnswer).values(values).on_conflict_do_nothing())


def answers_of(db: Session, learner: Learner) -> Sequence[PracticeAnswer]:
    """Return a learner's answers, oldest first."""
    query = (
        select(PracticeAnswer)
        .where(PracticeAnswer.shop_id == learner.shop_id, PracticeAnswer.learner_id == learner.id)
        .order_by(PracticeAnswer.answered_at)
    )
    return db.scalars(query).all()


def save_case(db: Session, *, shop_id: UUID, title: str, document: Mapping[str, Any], now: datetime) -> PracticeCase:
    """Keep an instructor's case."""
    case = PracticeCase(shop_id=shop_id, id=uuid4(), title=title, document=dict(document), made_at=now)
    db.add(case)
    db.flush()
    return case


def list_cases(db: Session, *, shop_id: UUID) -> Sequence[PracticeCase]:
    """Return a shop's own cases, newest first."""
    query = select(PracticeCase).where(PracticeCase.shop_id == shop_id).order_by(PracticeCase.made_at.desc())
    return db.scalars(query).all()


def case_of(db: Session, *, shop_id: UUID, case_id: UUID) -> PracticeCase | None:
    """Return one of a shop's own cases."""
    return db.scalar(select(PracticeCase).where(PracticeCase.shop_id == shop_id, PracticeCase.id == case_id))


def classes_of(db: Session, *, shop_id: UUID) -> Sequence[PracticeClass]:
    """Return a shop's classes, newest first."""
    query = select(PracticeClass).where(PracticeClass.shop_id == shop_id).order_by(PracticeClass.made_at.desc())
    return db.scalars(query).all()


def class_of(db: Session, *, shop_id: UUID, class_id: UUID) -> PracticeClass | None:
    """Return one of a shop's classes."""
    return db.scalar(select(PracticeClass).where(PracticeClass.shop_id == shop_id, PracticeClass.id == class_id))


def class_by_code(db: Session, code: str, now: datetime) -> PracticeClass | None:
    """Return the open class a code lets in to; the code is all that is asked of a stranger."""
    own = (PracticeClass.code == code.strip().upper(), PracticeClass.open_until > now)
    return db.scalar(select(PracticeClass).where(*own, PracticeClass.closed_at.is_(None)))


def count_learners(db: Session, row: PracticeClass) -> int:
    """Return how many came into a class."""
    query = select(func.count()).select_from(Learner).where(Learner.shop_id == row.shop_id, Learner.class_id == row.id)
    return db.execute(query).scalar_one()


def learners_of_class(db: Session, row: PracticeClass) -> Sequence[tuple[Learner, PracticeRun | None]]:
    """Return a class's learners by name, each with each of their runs."""
    query = (
        select(Learner, PracticeRun)
        .outerjoin(PracticeRun, (PracticeRun.shop_id == Learner.shop_id) & (PracticeRun.learner_id == Learner.id))
        .where(Learner.shop_id == row.shop_id, Learner.class_id == row.id)
        .order_by(Learner.name, Learner.id, PracticeRun.began_at)
    )
    return [(learner, run) for learner, run in db.execute(query).all()]


def calls_with_causes(db: Session, *, shop_id: UUID, most: int = 20) -> Sequence[Row[Any]]:
    """Return a shop's closed calls with a cause that names faults, newest first: call, when, title."""
    query = (
        select(Call.id, Call.scheduled_at, EventRow.payload["title"].astext.label("title"))
        .join(EventRow, (EventRow.shop_id == Call.shop_id) & (EventRow.call_id == Call.id))
        .where(
            Call.shop_id == shop_id,
            Call.status == "closed",
            EventRow.kind == "cause",
            func.jsonb_array_length(EventRow.payload["faults"]) > 0,
        )
        .order_by(Call.scheduled_at.desc())
        .limit(most)
    )
    return db.execute(query).all()


def cause_of(db: Session, *, shop_id: UUID, call_id: UUID) -> tuple[Call, list[str]] | None:
    """Return one of a shop's closed calls with the faults of its last cause; None where it has none."""
    query = (
        select(Call, EventRow.payload["faults"])
        .join(EventRow, (EventRow.shop_id == Call.shop_id) & (EventRow.call_id == Call.id))
        .where(Call.shop_id == shop_id, Call.id == call_id, Call.status == "closed", EventRow.kind == "cause")
        .order_by(EventRow.done_at.desc())
        .limit(1)
    )
    row = db.execute(query).first()
    return (row[0], list(row[1] or ())) if row is not None else None
