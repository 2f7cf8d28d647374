"""The tables of practice: learners, their runs and steps, answers to drills, cases and classes. No table of the shop's
records names one of them, and none of them is read by a call."""

from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import CheckConstraint, ForeignKeyConstraint, Index, String, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column

from plentar.store.models import Base, OfShop

__all__ = ["Learner", "PracticeAnswer", "PracticeCase", "PracticeClass", "PracticeRun", "PracticeStep"]


class Learner(OfShop, Base):
    """Who practises: a person of the shop, or somebody of a class under a name of their own, known by a secret."""

    __tablename__ = "learner"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "person_id"], ["person.shop_id", "person.id"]),
        ForeignKeyConstraint(["shop_id", "class_id"], ["practice_class.shop_id", "practice_class.id"]),
        CheckConstraint("(person_id is null) <> (class_id is null)", name="one_of"),
        Index("uq_learner_person", "shop_id", "person_id", unique=True, postgresql_where=text("person_id is not null")),
        Index(None, "shop_id", "class_id"),
    )
    person_id: Mapped[UUID | None]
    class_id: Mapped[UUID | None]
    name: Mapped[str] = mapped_column(String(80))
    token_hash: Mapped[bytes | None] = mapped_column(unique=True)
    made_at: Mapped[datetime]


class PracticeCase(OfShop, Base):
    """An instructor's case: its file's content."""

    __tablename__ = "practice_case"
    title: Mapped[str] = mapped_column(String(120))
    document: Mapped[dict[str, Any]]
    made_at: Mapped[datetime]


class PracticeClass(OfShop, Base):
    """A class: its cases, and the code that lets anybody in while it is open."""

    __tablename__ = "practice_class"
    __table_args__ = (CheckConstraint("code = upper(code)", name="code_upper"),)
    name: Mapped[str] = mapped_column(String(120))
    code: Mapped[str] = mapped_column(String(12), unique=True)
    case_ids: Mapped[list[Any]]
    made_at: Mapped[datetime]
    # Nobody new comes in after that.
    open_until: Mapped[datetime]
    closed_at: Mapped[datetime | None]


class PracticeRun(OfShop, Base):
    """One attempt at a case, with the case as it was then; `seconds` is its clock at the last step."""

    __tablename__ = "practice_run"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "learner_id"], ["learner.shop_id", "learner.id"]),
        CheckConstraint("seconds >= 0 and seq >= 0", name="forward"),
        Index(None, "shop_id", "learner_id", "began_at"),
    )
    learner_id: Mapped[UUID]
    case_id: Mapped[str] = mapped_column(String(60))
    document: Mapped[dict[str, Any]]
    began_at: Mapped[datetime]
    touched_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    seconds: Mapped[float] = mapped_column(default=0.0)
    seq: Mapped[int] = mapped_column(default=0)
    score: Mapped[dict[str, Any] | None]


class PracticeStep(Base):
    """One thing done in a run; nothing of it is changed later."""

    __tablename__ = "practice_step"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "run_id"], ["practice_run.shop_id", "practice_run.id"]),
        UniqueConstraint("shop_id", "id"),
    )
    shop_id: Mapped[UUID] = mapped_column(primary_key=True)
    run_id: Mapped[UUID] = mapped_column(primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    id: Mapped[UUID]
    at_seconds: Mapped[float]
    act: Mapped[dict[str, Any]]


class PracticeAnswer(Base):
    """One answer that moves a skill: to a drill's item or to a case."""

    __tablename__ = "practice_answer"
    __table_args__ = (
        ForeignKeyConstraint(["shop_id", "learner_id"], ["learner.shop_id", "learner.id"]),
        Index(None, "shop_id", "learner_id", "answered_at"),
    )
    shop_id: Mapped[UUID] = mapped_column(primary_key=True)
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    learner_id: Mapped[UUID]
    skill: Mapped[str] = mapped_column(String(40))
    item: Mapped[str] = mapped_column(String(120))
    difficulty: Mapped[float]
    guess: Mapped[float] = mapped_column(default=0.0)
    is_right: Mapped[bool]
    answered_at: Mapped[datetime]
