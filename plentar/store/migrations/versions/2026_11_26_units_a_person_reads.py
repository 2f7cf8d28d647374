"""the units a person reads: degrees Celsius, wire by its area"""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    for name in ("reads_celsius", "reads_metric_wire"):
        op.add_column("person", sa.Column(name, sa.Boolean(), server_default=sa.text("false"), nullable=False))


def downgrade() -> None:
    for name in ("reads_celsius", "reads_metric_wire"):
        op.drop_column("person", name)
