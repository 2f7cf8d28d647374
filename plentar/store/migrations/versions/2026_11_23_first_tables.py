"""shop, people, meters, places, units, calls, readings"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "shop",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("time_zone", sa.String(length=60), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_shop")),
    )
    op.create_table(
        "sign_in_attempt",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("key", sa.String(length=300), nullable=False),
        sa.Column("tried_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_in_attempt")),
    )
    op.create_index(op.f("ix_sign_in_attempt_key_tried_at"), "sign_in_attempt", ["key", "tried_at"], unique=False)
    op.create_table(
        "meter",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("ranges", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_meter_shop_id_shop")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_meter")),
        sa.UniqueConstraint("shop_id", "id", name=op.f("uq_meter_shop_id_id")),
        sa.UniqueConstraint("shop_id", "name", name=op.f("uq_meter_shop_id_name")),
    )
    op.create_table(
        "person",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("email", sa.String(length=254), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.Column("password_hash", sa.String(length=200), nullable=False),
        sa.CheckConstraint("role in ('technician', 'lead')", name=op.f("ck_person_role")),
        sa.CheckConstraint("email = lower(email)", name=op.f("ck_person_email_lower")),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_person_shop_id_shop")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person")),
        sa.UniqueConstraint("email", name=op.f("uq_person_email")),
        sa.UniqueConstraint("shop_id", "id", name=op.f("uq_person_shop_id_id")),
    )
    op.create_table(
        "place",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("town", sa.String(length=120), nullable=False),
        sa.Column("occupant", sa.String(length=120), nullable=False),
        sa.Column("access_note", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_place_shop_id_shop")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_place")),
        sa.UniqueConstraint("shop_id", "id", name=op.f("uq_place_shop_id_id")),
        sa.UniqueConstraint("shop_id", "name", name=op.f("uq_place_shop_id_name")),
    )
    op.create_table(
        "unit",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("place_id", sa.Uuid(), nullable=False),
        sa.Column("label", sa.String(length=120), nullable=False),
        sa.Column("nameplate", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(
            ["shop_id", "place_id"], ["place.shop_id", "place.id"], name=op.f("fk_unit_shop_id_place_id_place")
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_unit_shop_id_shop")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_unit")),
        sa.UniqueConstraint("shop_id", "id", name=op.f("uq_unit_shop_id_id")),
    )
    op.create_index(op.f("ix_unit_shop_id_place_id"), "unit", ["shop_id", "place_id"], unique=False)
    op.create_table(
        "call",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("unit_id", sa.Uuid(), nullable=False),
        sa.Column("technician_id", sa.Uuid(), nullable=False),
        sa.Column("meter_id", sa.Uuid(), nullable=False),
        sa.Column("complaint", sa.String(length=60), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("status", sa.String(length=20), nullable=False),
        sa.Column("scheduled_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("closed_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("outcome", sa.Text(), nullable=False),
        sa.Column("condition", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.CheckConstraint("status in ('planned', 'open', 'closed')", name=op.f("ck_call_status")),
        sa.ForeignKeyConstraint(
            ["shop_id", "meter_id"], ["meter.shop_id", "meter.id"], name=op.f("fk_call_shop_id_meter_id_meter")
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "technician_id"],
            ["person.shop_id", "person.id"],
            name=op.f("fk_call_shop_id_technician_id_person"),
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "unit_id"], ["unit.shop_id", "unit.id"], name=op.f("fk_call_shop_id_unit_id_unit")
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_call_shop_id_shop")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_call")),
        sa.UniqueConstraint("shop_id", "id", name=op.f("uq_call_shop_id_id")),
    )
    op.create_index(
        op.f("ix_call_shop_id_status_scheduled_at"), "call", ["shop_id", "status", "scheduled_at"], unique=False
    )
    op.create_index(
        op.f("ix_call_shop_id_unit_id_scheduled_at"), "call", ["shop_id", "unit_id", "scheduled_at"], unique=False
    )
    op.create_table(
        "reading",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("call_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("meter_id", sa.Uuid(), nullable=False),
        sa.Column("point", sa.String(length=160), nullable=False),
        sa.Column("value", sa.Float(), nullable=False),
        sa.Column("typed", sa.String(length=40), nullable=False),
        sa.Column("meter_uncertainty", sa.Float(), nullable=False),
        sa.Column("counts_uncertainty", sa.Float(), nullable=False),
        sa.Column("condition", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("taken_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("received_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("supersedes_id", sa.Uuid(), nullable=True),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.CheckConstraint("(supersedes_id is null) = (reason = '')", name=op.f("ck_reading_correction_has_reason")),
        sa.CheckConstraint("value >= 0 and value < 1e9", name=op.f("ck_reading_value")),
        sa.ForeignKeyConstraint(
            ["shop_id", "call_id"], ["call.shop_id", "call.id"], name=op.f("fk_reading_shop_id_call_id_call")
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "meter_id"], ["meter.shop_id", "meter.id"], name=op.f("fk_reading_shop_id_meter_id_meter")
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"], ["person.shop_id", "person.id"], name=op.f("fk_reading_shop_id_person_id_person")
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "supersedes_id"],
            ["reading.shop_id", "reading.id"],
            name=op.f("fk_reading_shop_id_supersedes_id_reading"),
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_reading_shop_id_shop")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_reading")),
        sa.UniqueConstraint("shop_id", "id", name=op.f("uq_reading_shop_id_id")),
        sa.UniqueConstraint("supersedes_id", name=op.f("uq_reading_supersedes_id")),
    )
    op.create_index(
        op.f("ix_reading_shop_id_call_id_received_at"), "reading", ["shop_id", "call_id", "received_at"], unique=False
    )
    # Readings are evidence: whatever the program does, the database refuses to change or drop one.
    op.execute(
        """
        create function reading_is_evidence() returns trigger language plpgsql as $$
        begin
            raise exception 'readings are append-only: supersede with a reason instead';
        end $$;
        create trigger reading_is_evidence before update or delete on reading
            for each row execute function reading_is_evidence();
        """
    )


def downgrade() -> None:
    op.drop_index(op.f("ix_reading_shop_id_call_id_received_at"), table_name="reading")
    op.drop_table("reading")
    op.execute("drop function reading_is_evidence()")
    op.drop_index(op.f("ix_call_shop_id_unit_id_scheduled_at"), table_name="call")
    op.drop_index(op.f("ix_call_shop_id_status_scheduled_at"), table_name="call")
    op.drop_table("call")
    op.drop_index(op.f("ix_unit_shop_id_place_id"), table_name="unit")
    op.drop_table("unit")
    op.drop_table("place")
    op.drop_table("person")
    op.drop_table("meter")
    op.drop_index(op.f("ix_sign_in_attempt_key_tried_at"), table_name="sign_in_attempt")
    op.drop_table("sign_in_attempt")
    op.drop_table("shop")
