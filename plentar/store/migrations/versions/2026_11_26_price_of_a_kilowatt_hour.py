"""what a kilowatt hour costs where the shop works"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    op.add_column("shop", sa.Column("price_kwh", sa.Float(), nullable=True))
    op.create_check_constraint(op.f("ck_shop_price_kwh"), "shop", "price_kwh > 0 and price_kwh < 10")


def downgrade() -> None:
    op.drop_constraint(op.f("ck_shop_price_kwh"), "shop")
    op.drop_column("shop", "price_kwh")
