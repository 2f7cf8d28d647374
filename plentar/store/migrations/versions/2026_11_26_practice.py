"""practice: learners, runs, steps, answers, cases, classes"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0013"
down_revision = "0012"

# A step that was taken is how the run went.
APPEND_ONLY = """
    create function practice_step_is_kept() returns trigger language plpgsql as $$
    begin
        raise exception 'practice steps are append-only';
    end $$;
    create trigger practice_step_is_kept before update or delete on practice_step
        for each row execute function practice_step_is_kept();
"""


def upgrade() -> None:
    op.create_table(
        "practice_case",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("title", sa.String(length=120), nullable=False),
        sa.Column("document", JSONB(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_practice_case_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_practice_case")),
    )
    op.create_table(
        "practice_class",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("code", sa.String(length=12), nullable=False),
        sa.Column("case_ids", JSONB(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("closed_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("code = upper(code)", name=op.f("ck_practice_class_code_upper")),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_practice_class_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_practice_class")),
        sa.UniqueConstraint("code", name=op.f("uq_practice_class_code")),
    )
    op.create_table(
        "learner",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=True),
        sa.Column("class_id", sa.Uuid(), nullable=True),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("token_hash", sa.LargeBinary(), nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("(person_id is null) <> (class_id is null)", name=op.f("ck_learner_one_of")),
        sa.ForeignKeyConstraint(
            ["shop_id", "class_id"],
            ["practice_class.shop_id", "practice_class.id"],
            name=op.f("fk_learner_shop_id_class_id_practice_class"),
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"], ["person.shop_id", "person.id"], name=op.f("fk_learner_shop_id_person_id_person")
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_learner_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_learner")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_learner_token_hash")),
    )
    op.create_index(op.f("ix_learner_shop_id_class_id"), "learner", ["shop_id", "class_id"], unique=False)
    op.create_index(
        "uq_learner_person",
        "learner",
        ["shop_id", "person_id"],
        unique=True,
        postgresql_where=sa.text("person_id is not null"),
    )
    op.create_table(
        "practice_answer",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("learner_id", sa.Uuid(), nullable=False),
        sa.Column("skill", sa.String(length=40), nullable=False),
        sa.Column("item", sa.String(length=120), nullable=False),
        sa.Column("difficulty", sa.Double(), nullable=False),
        sa.Column("guess", sa.Double(), nullable=False),
        sa.Column("is_right", sa.Boolean(), nullable=False),
        sa.Column("answered_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["shop_id", "learner_id"],
            ["learner.shop_id", "learner.id"],
            name=op.f("fk_practice_answer_shop_id_learner_id_learner"),
        ),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_practice_answer")),
    )
    op.create_index(
        op.f("ix_practice_answer_shop_id_learner_id_answered_at"),
        "practice_answer",
        ["shop_id", "learner_id", "answered_at"],
        unique=False,
    )
    op.create_table(
        "practice_run",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("learner_id", sa.Uuid(), nullable=False),
        sa.Column("case_id", sa.String(length=60), nullable=False),
        sa.Column("document", JSONB(), nullable=False),
        sa.Column("began_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("touched_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("seconds", sa.Double(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("score", JSONB(), nullable=True),
        sa.CheckConstraint("seconds >= 0 and seq >= 0", name=op.f("ck_practice_run_forward")),
        sa.ForeignKeyConstraint(
            ["shop_id", "learner_id"],
            ["learner.shop_id", "learner.id"],
            name=op.f("fk_practice_run_shop_id_learner_id_learner"),
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_practice_run_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_practice_run")),
    )
    op.create_index(
        op.f("ix_practice_run_shop_id_learner_id_began_at"),
        "practice_run",
        ["shop_id", "learner_id", "began_at"],
        unique=False,
    )
    op.create_table(
        "practice_step",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("at_seconds", sa.Double(), nullable=False),
        sa.Column("act", JSONB(), nullable=False),
        sa.ForeignKeyConstraint(
            ["shop_id", "run_id"],
            ["practice_run.shop_id", "practice_run.id"],
            name=op.f("fk_practice_step_shop_id_run_id_practice_run"),
        ),
        sa.PrimaryKeyConstraint("shop_id", "run_id", "seq", name=op.f("pk_practice_step")),
        sa.UniqueConstraint("shop_id", "id", name=op.f("uq_practice_step_shop_id_id")),
    )
    op.execute(APPEND_ONLY)


def downgrade() -> None:
    op.drop_table("practice_step")
    op.drop_index(op.f("ix_practice_run_shop_id_learner_id_began_at"), table_name="practice_run")
    op.drop_table("practice_run")
    op.drop_index(op.f("ix_practice_answer_shop_id_learner_id_answered_at"), table_name="practice_answer")
    op.drop_table("practice_answer")
    op.drop_index("uq_learner_person", table_name="learner", postgresql_where=sa.text("person_id is not null"))
    op.drop_index(op.f("ix_learner_shop_id_class_id"), table_name="learner")
    op.drop_table("learner")
    op.drop_table("practice_class")
    op.drop_table("practice_case")
    op.execute("drop function practice_step_is_kept()")
