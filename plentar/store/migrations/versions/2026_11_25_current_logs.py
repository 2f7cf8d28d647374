"""current logs of a call: from files and from logging meters"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.create_table(
        "current_log",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("call_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("clamp", sa.String(length=80), nullable=False),
        sa.Column("source", sa.String(length=20), nullable=False),
        sa.Column("found", sa.Text(), nullable=False),
        sa.Column("samples", sa.LargeBinary(), nullable=False),
        sa.Column("called_seconds", sa.Float(), nullable=True),
        sa.Column("dropped_seconds", sa.Float(), nullable=True),
        sa.Column("supply_volts", sa.Float(), nullable=True),
        sa.Column("settings", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("recording_since", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_current_log")),
        sa.UniqueConstraint("shop_id", "id", name=op.f("uq_current_log_shop_id_id")),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_current_log_shop_id_shop")),
        sa.ForeignKeyConstraint(
            ["shop_id", "call_id"], ["call.shop_id", "call.id"], name=op.f("fk_current_log_shop_id_call_id_call")
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"],
            ["person.shop_id", "person.id"],
            name=op.f("fk_current_log_shop_id_person_id_person"),
        ),
    )
    op.create_index(
        op.f("ix_current_log_shop_id_call_id_at"), "current_log", ["shop_id", "call_id", "at"], unique=False
    )


def downgrade() -> None:
    op.drop_index(op.f("ix_current_log_shop_id_call_id_at"), table_name="current_log")
    op.drop_table("current_log")
