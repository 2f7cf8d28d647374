"""packed rows of circuits, a row a drive, shared by like units and processes"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.create_table(
        "unit_table",
        sa.Column("version", sa.String(length=40), nullable=False),
        sa.Column("circuit", sa.String(length=40), nullable=False),
        sa.Column("drive", sa.String(length=40), nullable=False),
        sa.Column("packed", sa.LargeBinary(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("version", "circuit", "drive", name=op.f("pk_unit_table")),
    )


def downgrade() -> None:
    op.drop_table("unit_table")
