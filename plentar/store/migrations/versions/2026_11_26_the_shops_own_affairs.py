"""the shop's own affairs: ways in, audit, plans, what is owed, rounds, search, what was forgotten"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, TSVECTOR

revision = "0011"
down_revision = "0010"

EVIDENCE = """
    create or replace function event_is_evidence() returns trigger language plpgsql as $$
    begin
        %s
        raise exception 'events are append-only: correct or strike out with a later one instead';
    end $$;
"""
# Erasing a person's data takes words, strokes and pictures out of an event, never a reading or who did what when.
ERASING = """
        if TG_OP = 'UPDATE' and current_setting('plentar.erasing', true) = 'on' and OLD.kind <> 'reading'
            and (to_jsonb(NEW) - 'payload') = (to_jsonb(OLD) - 'payload') then
            return NEW;
        end if;
"""
TRIGGERS = """
    create function audit_is_evidence() returns trigger language plpgsql as $$
    begin
        if TG_OP = 'UPDATE' and current_setting('plentar.erasing', true) = 'on'
            and (to_jsonb(NEW) - 'about' - 'before' - 'after') = (to_jsonb(OLD) - 'about' - 'before' - 'after') then
            return NEW;
        end if;
        raise exception 'the audit is append-only';
    end $$;
    create trigger audit_is_evidence before update or delete on audit
        for each row execute function audit_is_evidence();

    create function search_place() returns trigger language plpgsql as $$
    begin
        delete from search_line where shop_id = NEW.shop_id and kind = 'place' and id = NEW.id;
        if NEW.removed_at is null then
            insert into search_line (shop_id, kind, id, place_id, words) values (NEW.shop_id, 'place', NEW.id, NEW.id,
                concat_ws(' · ', NEW.name, nullif(NEW.town, ''), nullif(NEW.occupant, ''), nullif(NEW.estate, ''),
                    nullif(NEW.block, ''), nullif(NEW.access_note, ''), nullif(NEW.phone, '')));
        end if;
        return null;
    end $$;
    create trigger search_place after insert or update on place for each row execute function search_place();

    create function search_unit() returns trigger language plpgsql as $$
    begin
        delete from search_line where shop_id = NEW.shop_id and kind = 'unit' and id = NEW.id;
        if NEW.removed_at is null then
            insert into search_line (shop_id, kind, id, place_id, unit_id, words)
            values (NEW.shop_id, 'unit', NEW.id, NEW.place_id, NEW.id,
                concat_ws(' · ', NEW.label, nullif(NEW.nameplate->>'maker', ''), nullif(NEW.nameplate->>'model', ''),
                    nullif(NEW.nameplate->>'serial', '')));
        end if;
        return null;
    end $$;
    create trigger search_unit after insert or update on unit for each row execute function search_unit();

    create function search_call() returns trigger language plpgsql as $$
    declare at_place uuid;
    begin
        delete from search_line where shop_id = NEW.shop_id and kind = 'call' and id = NEW.id;
        select place_id into at_place from unit where shop_id = NEW.shop_id and id = NEW.unit_id;
        if NEW.status not in ('withdrawn') then
            insert into search_line (shop_id, kind, id, place_id, unit_id, call_id, at, words)
            values (NEW.shop_id, 'call', NEW.id, at_place, NEW.unit_id, NEW.id, NEW.scheduled_at,
                concat_ws(' · ', (select string_agg(value, ', ') from jsonb_array_elements_text(NEW.complaints)),
                    nullif(NEW.words, ''), nullif(NEW.outcome, '')));
        end if;
        return null;
    end $$;
    create trigger search_call after insert or update of complaints, words, outcome, status, scheduled_at, unit_id
        on call for each row execute function search_call();

    create function search_event() returns trigger language plpgsql as $$
    declare said text; at_unit uuid; at_place uuid;
    begin
        said := concat_ws(' · ', nullif(NEW.payload->>'title', ''), nullif(NEW.payload->>'cause', ''),
            nullif(NEW.payload->>'name', ''), nullif(NEW.payload->>'note', ''), nullif(NEW.payload->>'words', ''),
            nullif(NEW.payload->>'how', ''), nullif(NEW.payload->>'tag', ''));
        delete from search_line where shop_id = NEW.shop_id and kind = NEW.kind and id = NEW.id;
        if said <> '' then
            select unit.id, unit.place_id into at_unit, at_place from call
                join unit on unit.shop_id = call.shop_id and unit.id = call.unit_id
                where call.shop_id = NEW.shop_id and call.id = NEW.call_id;
            insert into search_line (shop_id, kind, id, place_id, unit_id, call_id, at, words)
            values (NEW.shop_id, NEW.kind, NEW.id, at_place, at_unit, NEW.call_id, NEW.done_at, said);
        end if;
        return null;
    end $$;
    create trigger search_event after insert or update on event for each row
        when (NEW.kind in ('seen', 'photo', 'cause', 'part', 'note', 'temporary'))
        execute function search_event();

    update place set removed_at = removed_at;
    update unit set removed_at = removed_at;
    update call set outcome = outcome;
    insert into search_line (shop_id, kind, id, place_id, unit_id, call_id, at, words)
    select shop_id, kind, id, place_id, unit_id, call_id, done_at, said from (
        select event.shop_id, event.kind, event.id, unit.place_id, unit.id as unit_id, call_id, done_at,
            concat_ws(' · ', nullif(payload->>'title', ''), nullif(payload->>'cause', ''),
                nullif(payload->>'name', ''), nullif(payload->>'note', ''), nullif(payload->>'words', ''),
                nullif(payload->>'how', ''), nullif(payload->>'tag', '')) as said
        from event join call on call.shop_id = event.shop_id and call.id = event.call_id
            join unit on unit.shop_id = call.shop_id and unit.id = call.unit_id
        where event.kind in ('seen', 'photo', 'cause', 'part', 'note', 'temporary')) as told
    where said <> '';
    update shop set set_up_at = now();
"""


def upgrade() -> None:
    # Misspelled words are found by what letters they share; any owner of a database may add this.
    op.execute("create extension if not exists pg_trgm")
    op.create_table(
        "block_minutes",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("block_a", sa.String(length=120), nullable=False),
        sa.Column("block_b", sa.String(length=120), nullable=False),
        sa.Column("minutes", sa.Double(), nullable=False),
        sa.CheckConstraint(
            "minutes > 0 and minutes < 1000 and block_a < block_b", name=op.f("ck_block_minutes_minutes")
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_block_minutes_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "block_a", "block_b", name=op.f("pk_block_minutes")),
    )
    op.create_table(
        "forgotten",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("place_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=True),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_forgotten_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "place_id", name=op.f("pk_forgotten")),
    )
    op.create_table(
        "search_line",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("place_id", sa.Uuid(), nullable=False),
        sa.Column("unit_id", sa.Uuid(), nullable=True),
        sa.Column("call_id", sa.Uuid(), nullable=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("found", TSVECTOR, sa.Computed("to_tsvector('simple', words)", persisted=True), nullable=False),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_search_line_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "kind", "id", name=op.f("pk_search_line")),
    )
    op.create_index("ix_search_line_found", "search_line", ["found"], unique=False, postgresql_using="gin")
    op.create_index(op.f("ix_search_line_shop_id_place_id"), "search_line", ["shop_id", "place_id"], unique=False)
    op.create_index(
        "ix_search_line_words",
        "search_line",
        ["words"],
        unique=False,
        postgresql_using="gin",
        postgresql_ops={"words": "gin_trgm_ops"},
    )
    op.create_table(
        "audit",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=True),
        sa.Column("deed", sa.String(length=40), nullable=False),
        sa.Column("about", sa.String(length=200), nullable=False),
        sa.Column("before", JSONB, nullable=True),
        sa.Column("after", JSONB, nullable=True),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"], ["person.shop_id", "person.id"], name=op.f("fk_audit_shop_id_person_id_person")
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_audit_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_audit")),
    )
    op.create_index(op.f("ix_audit_shop_id_at"), "audit", ["shop_id", "at"], unique=False)
    op.create_table(
        "feed_key",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("with_words", sa.Boolean(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"], ["person.shop_id", "person.id"], name=op.f("fk_feed_key_shop_id_person_id_person")
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_feed_key_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "person_id", name=op.f("pk_feed_key")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_feed_key_token_hash")),
    )
    op.create_table(
        "one_time_link",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("kind", sa.String(length=10), nullable=False),
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("used_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("kind in ('invite', 'reset')", name=op.f("ck_one_time_link_kind")),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"],
            ["person.shop_id", "person.id"],
            name=op.f("fk_one_time_link_shop_id_person_id_person"),
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_one_time_link_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_one_time_link")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_one_time_link_token_hash")),
    )
    op.create_index(op.f("ix_one_time_link_shop_id_person_id"), "one_time_link", ["shop_id", "person_id"], unique=False)
    op.create_table(
        "passkey",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("credential_id", sa.LargeBinary(), nullable=False),
        sa.Column("public_key", sa.LargeBinary(), nullable=False),
        sa.Column("sign_count", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("used_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("sign_count >= 0", name=op.f("ck_passkey_sign_count")),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"], ["person.shop_id", "person.id"], name=op.f("fk_passkey_shop_id_person_id_person")
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_passkey_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_passkey")),
        sa.UniqueConstraint("credential_id", name=op.f("uq_passkey_credential_id")),
    )
    op.create_index(op.f("ix_passkey_shop_id_person_id"), "passkey", ["shop_id", "person_id"], unique=False)
    op.create_table(
        "round",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("owner", sa.String(length=120), nullable=False),
        sa.Column("made_by_id", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("wanted", JSONB, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.CheckConstraint("state in ('being made', 'planned', 'closed')", name=op.f("ck_round_state")),
        sa.ForeignKeyConstraint(
            ["shop_id", "made_by_id"], ["person.shop_id", "person.id"], name=op.f("fk_round_shop_id_made_by_id_person")
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_round_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_round")),
    )
    op.create_index(op.f("ix_round_shop_id_made_at"), "round", ["shop_id", "made_at"], unique=False)
    op.create_table(
        "stock",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("part_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.CheckConstraint("count >= 0", name=op.f("ck_stock_count")),
        sa.ForeignKeyConstraint(
            ["shop_id", "part_id"],
            ["part.shop_id", "part.id"],
            name=op.f("fk_stock_shop_id_part_id_part"),
            ondelete="cascade",
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"], ["person.shop_id", "person.id"], name=op.f("fk_stock_shop_id_person_id_person")
        ),
        sa.PrimaryKeyConstraint("shop_id", "part_id", "person_id", name=op.f("pk_stock")),
    )
    op.create_table(
        "follow_up",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("place_id", sa.Uuid(), nullable=False),
        sa.Column("unit_id", sa.Uuid(), nullable=True),
        sa.Column("call_id", sa.Uuid(), nullable=True),
        sa.Column("words", sa.String(length=400), nullable=False),
        sa.Column("due_on", sa.Date(), nullable=False),
        sa.Column("made_by_id", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("done_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("done_by_id", sa.Uuid(), nullable=True),
        sa.ForeignKeyConstraint(
            ["shop_id", "call_id"], ["call.shop_id", "call.id"], name=op.f("fk_follow_up_shop_id_call_id_call")
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "done_by_id"],
            ["person.shop_id", "person.id"],
            name=op.f("fk_follow_up_shop_id_done_by_id_person"),
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "made_by_id"],
            ["person.shop_id", "person.id"],
            name=op.f("fk_follow_up_shop_id_made_by_id_person"),
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "place_id"], ["place.shop_id", "place.id"], name=op.f("fk_follow_up_shop_id_place_id_place")
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "unit_id"], ["unit.shop_id", "unit.id"], name=op.f("fk_follow_up_shop_id_unit_id_unit")
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_follow_up_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_follow_up")),
    )
    op.create_index(
        "ix_follow_up_open", "follow_up", ["shop_id", "due_on"], unique=False, postgresql_where="done_at is null"
    )
    op.create_index(op.f("ix_follow_up_shop_id_place_id"), "follow_up", ["shop_id", "place_id"], unique=False)
    op.create_table(
        "part_order",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("call_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("changed_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("expected_on", sa.Date(), nullable=True),
        sa.CheckConstraint(
            "state in ('to order', 'ordered', 'here', 'fitted', 'not needed')", name=op.f("ck_part_order_state")
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "call_id"], ["call.shop_id", "call.id"], name=op.f("fk_part_order_shop_id_call_id_call")
        ),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"],
            ["person.shop_id", "person.id"],
            name=op.f("fk_part_order_shop_id_person_id_person"),
        ),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_part_order_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_part_order")),
    )
    op.create_index(
        "ix_part_order_open",
        "part_order",
        ["shop_id", "state"],
        unique=False,
        postgresql_where="state in ('to order', 'ordered', 'here')",
    )
    op.create_index(op.f("ix_part_order_shop_id_call_id"), "part_order", ["shop_id", "call_id"], unique=False)
    op.add_column("call", sa.Column("window_minutes", sa.Integer(), server_default=sa.text("0"), nullable=False))
    op.add_column("call", sa.Column("minutes", sa.Integer(), server_default=sa.text("60"), nullable=False))
    op.add_column("call", sa.Column("plan_version", sa.Integer(), server_default=sa.text("1"), nullable=False))
    op.add_column("call", sa.Column("returns_to_id", sa.Uuid(), nullable=True))
    op.add_column("call", sa.Column("round_id", sa.Uuid(), nullable=True))
    op.add_column("call", sa.Column("cancelled_why", sa.String(length=400), server_default="", nullable=False))
    op.create_index(op.f("ix_call_shop_id_round_id"), "call", ["shop_id", "round_id"], unique=False)
    op.create_foreign_key(
        op.f("fk_call_shop_id_round_id_round"), "call", "round", ["shop_id", "round_id"], ["shop_id", "id"]
    )
    op.create_foreign_key(
        op.f("fk_call_shop_id_returns_to_id_call"),
        "call",
        "call",
        ["shop_id", "returns_to_id"],
        ["shop_id", "id"],
        # A shop taken in whole brings its calls in any order.
        deferrable=True,
        initially="DEFERRED",
    )
    op.add_column(
        "meter", sa.Column("has_low_impedance", sa.Boolean(), server_default=sa.text("false"), nullable=False)
    )
    op.add_column("meter", sa.Column("calibrated_on", sa.Date(), nullable=True))
    op.add_column("meter", sa.Column("calibration_months", sa.Integer(), nullable=True))
    op.add_column("meter", sa.Column("version", sa.Integer(), server_default=sa.text("1"), nullable=False))
    op.add_column("meter", sa.Column("retired_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("place", sa.Column("phone", sa.String(length=40), server_default="", nullable=False))
    op.add_column("place", sa.Column("estate", sa.String(length=120), server_default="", nullable=False))
    op.add_column("place", sa.Column("block", sa.String(length=120), server_default="", nullable=False))
    op.add_column("place", sa.Column("stair", sa.String(length=40), server_default="", nullable=False))
    op.add_column("place", sa.Column("door", sa.String(length=40), server_default="", nullable=False))
    op.add_column("place", sa.Column("latitude", sa.Float(), nullable=True))
    op.add_column("place", sa.Column("longitude", sa.Float(), nullable=True))
    op.add_column("place", sa.Column("forgotten_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("shop", sa.Column("set_up_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("shop", sa.Column("retention", JSONB, server_default=sa.text("'{}'"), nullable=False))
    op.drop_constraint(op.f("ck_call_status"), "call")
    op.create_check_constraint(
        op.f("ck_call_status"), "call", "status in ('planned', 'open', 'closed', 'withdrawn', 'cancelled')"
    )
    op.create_check_constraint(op.f("ck_call_plan"), "call", "window_minutes >= 0 and minutes > 0")
    op.create_index(
        "ix_event_told",
        "event",
        ["shop_id", "call_id"],
        postgresql_where="kind in ('cause', 'part', 'temporary', 'temporary-done', 'photo', 'mark', 'void')",
    )
    op.execute(EVIDENCE % ERASING)
    op.execute(TRIGGERS)


def downgrade() -> None:
    for table in ("place", "unit", "call", "event"):
        op.execute(f"drop trigger search_{table} on {table}")
        op.execute(f"drop function search_{table}()")
    op.execute(EVIDENCE % "")
    op.drop_index("ix_event_told", "event")
    op.execute("update call set status = 'withdrawn' where status = 'cancelled'")
    op.drop_constraint(op.f("ck_call_plan"), "call")
    op.drop_constraint(op.f("ck_call_status"), "call")
    op.create_check_constraint(op.f("ck_call_status"), "call", "status in ('planned', 'open', 'closed', 'withdrawn')")
    op.drop_column("shop", "retention")
    op.drop_column("shop", "set_up_at")
    op.drop_column("place", "forgotten_at")
    op.drop_column("place", "longitude")
    op.drop_column("place", "latitude")
    op.drop_column("place", "door")
    op.drop_column("place", "stair")
    op.drop_column("place", "block")
    op.drop_column("place", "estate")
    op.drop_column("place", "phone")
    op.drop_column("meter", "retired_at")
    op.drop_column("meter", "version")
    op.drop_column("meter", "calibration_months")
    op.drop_column("meter", "calibrated_on")
    op.drop_column("meter", "has_low_impedance")
    op.drop_constraint(op.f("fk_call_shop_id_returns_to_id_call"), "call", type_="foreignkey")
    op.drop_constraint(op.f("fk_call_shop_id_round_id_round"), "call", type_="foreignkey")
    op.drop_index(op.f("ix_call_shop_id_round_id"), table_name="call")
    op.drop_column("call", "cancelled_why")
    op.drop_column("call", "round_id")
    op.drop_column("call", "returns_to_id")
    op.drop_column("call", "plan_version")
    op.drop_column("call", "minutes")
    op.drop_column("call", "window_minutes")
    op.drop_table("part_order")
    op.drop_table("follow_up")
    op.drop_table("stock")
    op.drop_table("round")
    op.drop_table("passkey")
    op.drop_table("one_time_link")
    op.drop_table("feed_key")
    op.drop_table("audit")
    op.drop_table("search_line")
    op.drop_table("forgotten")
    op.drop_table("block_minutes")
    op.execute("drop function audit_is_evidence()")
    op.execute("drop extension pg_trgm")
