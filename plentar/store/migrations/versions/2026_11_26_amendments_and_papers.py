"""places and units set right or taken back, calls begun by mistake, currency and tax, papers shared by a link, kits"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0008"
down_revision = "0007"

MOMENT = sa.DateTime(timezone=True)
STATUSES = "status in ('planned', 'open', 'closed'{more})"


def _owned(*references: str) -> list[sa.schema.SchemaItem]:
    return [
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        *(sa.Column(f"{name}_id", sa.Uuid(), nullable=False) for name in references),
    ]


def _to(table: str, name: str, *, own: str | None = None) -> sa.ForeignKeyConstraint:
    own = own or table
    return sa.ForeignKeyConstraint(
        ["shop_id", f"{own}_id"], [f"{table}.shop_id", f"{table}.id"], name=op.f(f"fk_{name}_shop_id_{own}_id_{table}")
    )


def upgrade() -> None:
    op.add_column("shop", sa.Column("currency", sa.String(length=3), nullable=False, server_default="USD"))
    op.add_column("shop", sa.Column("tax_percent", sa.Float(), nullable=False, server_default="0"))
    op.create_check_constraint("tax", "shop", "tax_percent >= 0 and tax_percent < 100")
    op.create_check_constraint("currency", "shop", "currency ~ '^[A-Z]{3}$'")
    op.add_column("place", sa.Column("version", sa.Integer(), nullable=False, server_default="1"))
    for table in ("place", "unit"):
        op.add_column(table, sa.Column("removed_at", MOMENT, nullable=True))
    # A place taken back gives its name free again.
    op.drop_constraint(op.f("uq_place_shop_id_name"), "place")
    op.create_index(
        "uq_place_shop_id_name",
        "place",
        ["shop_id", "name"],
        unique=True,
        postgresql_where=sa.text("removed_at is null"),
    )
    op.drop_constraint(op.f("ck_call_status"), "call")
    op.create_check_constraint(op.f("ck_call_status"), "call", STATUSES.format(more=", 'withdrawn'"))
    op.create_table(
        "place_change",
        *_owned("place", "person"),
        sa.Column("changed_at", MOMENT, nullable=False),
        sa.Column("before", JSONB(), nullable=False),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_place_change_shop_id_shop")),
        _to("place", "place_change"),
        _to("person", "place_change"),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_place_change")),
    )
    op.create_index(
        op.f("ix_place_change_shop_id_place_id_changed_at"), "place_change", ["shop_id", "place_id", "changed_at"]
    )
    op.create_table(
        "share_link",
        *_owned("call", "person"),
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("made_at", MOMENT, nullable=False),
        sa.Column("expires_at", MOMENT, nullable=False),
        sa.Column("revoked_at", MOMENT, nullable=True),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_share_link_shop_id_shop")),
        _to("call", "share_link"),
        _to("person", "share_link"),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_share_link")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_share_link_token_hash")),
    )
    op.create_index(op.f("ix_share_link_shop_id_call_id"), "share_link", ["shop_id", "call_id"])
    op.create_table(
        "share_open",
        *_owned("link"),
        sa.Column("opened_at", MOMENT, nullable=False),
        sa.Column("words", sa.String(length=120), nullable=False),
        _to("share_link", "share_open", own="link"),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_share_open")),
    )
    op.create_index(op.f("ix_share_open_shop_id_link_id"), "share_open", ["shop_id", "link_id"])

    op.create_table(
        "kit",
        *_owned(),
        sa.Column("model", sa.String(length=120), nullable=False),
        sa.Column("label", JSONB(), nullable=False),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_kit_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_kit")),
        sa.UniqueConstraint("shop_id", "model", name=op.f("uq_kit_shop_id_model")),
    )


def downgrade() -> None:
    op.drop_table("kit")
    op.drop_table("share_open")
    op.drop_table("share_link")
    op.drop_table("place_change")
    op.execute("update call set status = 'closed' where status = 'withdrawn'")
    op.drop_constraint(op.f("ck_call_status"), "call")
    op.create_check_constraint(op.f("ck_call_status"), "call", STATUSES.format(more=""))
    op.drop_index("uq_place_shop_id_name", "place")
    # Two places of one name cannot both keep it: the one taken back says that it was.
    op.execute("update place set name = left(name, 80) || ' ' || id where removed_at is not null")
    op.create_unique_constraint(op.f("uq_place_shop_id_name"), "place", ["shop_id", "name"])
    for table in ("place", "unit"):
        op.drop_column(table, "removed_at")
    op.drop_column("place", "version")
    op.drop_constraint(op.f("ck_shop_currency"), "shop")
    op.drop_constraint(op.f("ck_shop_tax"), "shop")
    op.drop_column("shop", "tax_percent")
    op.drop_column("shop", "currency")
