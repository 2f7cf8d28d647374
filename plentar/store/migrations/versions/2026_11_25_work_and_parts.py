"""work done on a call (ledgers, parts, approvals, temporary measures) and the shop's parts"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "work_item",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("call_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("about", sa.String(length=80), nullable=False),
        sa.Column("data", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("due_on", sa.Date(), nullable=True),
        sa.Column("done_at", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_work_item")),
        sa.UniqueConstraint("shop_id", "id", name=op.f("uq_work_item_shop_id_id")),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_work_item_shop_id_shop")),
        sa.ForeignKeyConstraint(
            ["shop_id", "call_id"], ["call.shop_id", "call.id"], name=op.f("fk_work_item_shop_id_call_id_call")
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"],
            ["person.shop_id", "person.id"],
            name=op.f("fk_work_item_shop_id_person_id_person"),
        ),
    )
    op.create_index(op.f("ix_work_item_shop_id_call_id_at"), "work_item", ["shop_id", "call_id", "at"], unique=False)
    op.create_table(
        "part",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("label", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_part")),
        sa.UniqueConstraint("shop_id", "id", name=op.f("uq_part_shop_id_id")),
        sa.UniqueConstraint("shop_id", "name", name=op.f("uq_part_shop_id_name")),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_part_shop_id_shop")),
    )


def downgrade() -> None:
    op.drop_table("part")
    op.drop_index(op.f("ix_work_item_shop_id_call_id_at"), table_name="work_item")
    op.drop_table("work_item")
