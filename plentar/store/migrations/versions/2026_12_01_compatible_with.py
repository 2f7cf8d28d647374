"""Which earlier releases can serve these tables: so that two releases serve at once while one replaces the other.

A migration that only expands (a new table, a column that may be empty) adds the revision it came from; one that
contracts takes out every revision whose release needs what went.
"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Make the list; nothing that was released can serve tables newer than its own yet."""
    op.create_table(
        "compatible_with",
        sa.Column("revision", sa.Text, nullable=False),
        sa.PrimaryKeyConstraint("revision", name="pk_compatible_with"),
    )


def downgrade() -> None:
    """Drop it."""
    op.drop_table("compatible_with")
