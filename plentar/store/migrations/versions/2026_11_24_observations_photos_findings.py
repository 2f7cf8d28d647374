"""observations, photos, accepted findings; who is at risk, temperatures and all complaints of a call; unit versions"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.add_column("call", sa.Column("complaints", postgresql.JSONB(astext_type=sa.Text()), nullable=True))
    op.execute("update call set complaints = jsonb_build_array(complaint)")
    op.alter_column("call", "complaints", nullable=False)
    op.drop_column("call", "complaint")
    op.add_column("call", sa.Column("at_risk", sa.Text(), server_default="", nullable=False))
    op.add_column("call", sa.Column("outdoor_degf", sa.Float(), nullable=True))
    op.add_column("call", sa.Column("indoor_degf", sa.Float(), nullable=True))
    op.add_column("unit", sa.Column("version", sa.Integer(), server_default="1", nullable=False))
    tables: list[tuple[str, list[sa.Column[Any]]]] = [
        (
            "photo",
            [
                sa.Column("part", sa.String(length=80), nullable=False),
                sa.Column("note", sa.Text(), nullable=False),
                sa.Column("image", sa.LargeBinary(), nullable=False),
                sa.Column("thumbnail", sa.LargeBinary(), nullable=False),
            ],
        ),
        (
            "observation",
            [
                sa.Column("kind", sa.String(length=40), nullable=False),
                sa.Column("about", sa.String(length=80), nullable=False),
                sa.Column("state", sa.String(length=20), nullable=False),
                sa.Column("note", sa.Text(), nullable=False),
                sa.Column("condition", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
            ],
        ),
        (
            "accepted_cause",
            [
                sa.Column("faults", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
                sa.Column("title", sa.Text(), nullable=False),
                sa.Column("cause", sa.Text(), nullable=False),
                sa.Column("cause_not_found", sa.Boolean(), nullable=False),
                sa.Column("consequence", sa.Text(), nullable=False),
                sa.Column("share", sa.Float(), nullable=True),
                sa.Column("withdrawn_at", sa.DateTime(timezone=True), nullable=True),
            ],
        ),
    ]
    for table, columns in tables:
        _evidence_table(table, columns)


def _evidence_table(name: str, columns: list[sa.Column[Any]]) -> None:
    op.create_table(
        name,
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("call_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        *columns,
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")),
        sa.UniqueConstraint("shop_id", "id", name=op.f(f"uq_{name}_shop_id_id")),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f(f"fk_{name}_shop_id_shop")),
        sa.ForeignKeyConstraint(
            ["shop_id", "call_id"], ["call.shop_id", "call.id"], name=op.f(f"fk_{name}_shop_id_call_id_call")
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"], ["person.shop_id", "person.id"], name=op.f(f"fk_{name}_shop_id_person_id_person")
        ),
    )
    op.create_index(op.f(f"ix_{name}_shop_id_call_id_at"), name, ["shop_id", "call_id", "at"])


def downgrade() -> None:
    for table in ("accepted_cause", "observation", "photo"):
        op.drop_table(table)
    op.drop_column("unit", "version")
    op.add_column("call", sa.Column("complaint", sa.String(length=60), nullable=True))
    op.execute("update call set complaint = coalesce(complaints ->> 0, 'seasonal check')")
    op.alter_column("call", "complaint", nullable=False)
    for column in ("indoor_degf", "outdoor_degf", "at_risk", "complaints"):
        op.drop_column("call", column)
