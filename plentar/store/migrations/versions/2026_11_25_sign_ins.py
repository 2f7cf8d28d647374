"""sign-ins kept on the server, guesses counted in one row a key, people who may no longer sign in"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"

MOMENT = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.drop_table("sign_in_attempt")
    op.create_table(
        "sign_in_guess",
        sa.Column("key", sa.String(length=300), nullable=False),
        sa.Column("since", MOMENT, nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_sign_in_guess")),
    )
    op.add_column("person", sa.Column("deactivated_at", MOMENT, nullable=True))
    op.create_table(
        "sign_in",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("device_hash", sa.LargeBinary(), nullable=True),
        sa.Column("words", sa.String(length=120), nullable=False),
        sa.Column("since", MOMENT, nullable=False),
        sa.Column("seen_at", MOMENT, nullable=False),
        sa.Column("ended_at", MOMENT, nullable=True),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_sign_in_shop_id_shop")),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"], ["person.shop_id", "person.id"], name=op.f("fk_sign_in_shop_id_person_id_person")
        ),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_sign_in")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_sign_in_token_hash")),
    )
    op.create_index(op.f("ix_sign_in_device_hash"), "sign_in", ["device_hash"])
    op.create_index(op.f("ix_sign_in_shop_id_person_id_seen_at"), "sign_in", ["shop_id", "person_id", "seen_at"])


def downgrade() -> None:
    op.drop_table("sign_in")
    op.drop_column("person", "deactivated_at")
    op.drop_table("sign_in_guess")
    op.create_table(
        "sign_in_attempt",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("key", sa.String(length=300), nullable=False),
        sa.Column("tried_at", MOMENT, nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_in_attempt")),
    )
    op.create_index(op.f("ix_sign_in_attempt_key_tried_at"), "sign_in_attempt", ["key", "tried_at"], unique=False)
