"""phones that work without signal, and what came home from them and could not be kept"""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.create_table(
        "phone",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("sign_in_id", sa.Uuid(), nullable=False),
        sa.Column("seal_key", sa.LargeBinary(), nullable=False),
        sa.Column("unlock_key", sa.LargeBinary(), nullable=False),
        sa.Column("since", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("length(seal_key) = 32 and length(unlock_key) = 32", name=op.f("ck_phone_keys")),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"],
            ["person.shop_id", "person.id"],
            name=op.f("fk_phone_shop_id_person_id_person"),
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_phone_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_phone")),
    )
    op.create_index(op.f("ix_phone_shop_id_person_id"), "phone", ["shop_id", "person_id"])
    op.create_table(
        "set_aside",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("call_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("what", sa.String(length=60), nullable=False),
        sa.Column("fields", sa.dialects.postgresql.JSONB(), nullable=False),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        sa.Column("content_type", sa.String(length=200), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("done_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("clock_seconds", sa.Float(), nullable=False),
        sa.Column("come_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("seen_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("seen_by_id", sa.Uuid(), nullable=True),
        sa.ForeignKeyConstraint(
            ["shop_id", "call_id"], ["call.shop_id", "call.id"], name=op.f("fk_set_aside_shop_id_call_id_call")
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"],
            ["person.shop_id", "person.id"],
            name=op.f("fk_set_aside_shop_id_person_id_person"),
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_set_aside_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_set_aside")),
    )
    op.create_index(op.f("ix_set_aside_shop_id_call_id"), "set_aside", ["shop_id", "call_id"])
    op.add_column("event", sa.Column("phone_id", sa.Uuid(), nullable=True))
    op.add_column("call", sa.Column("asides", sa.Integer(), server_default="0", nullable=False))


def downgrade() -> None:
    op.drop_column("call", "asides")
    op.drop_column("event", "phone_id")
    op.drop_table("set_aside")
    op.drop_table("phone")
