"""erasing by the owner's functions alone, imports, passkey challenges, classes that end, late drafts"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0014"
down_revision = "0013"

MOMENT = sa.DateTime(timezone=True)
# Marked with the file they came in with.
IMPORTED = ("person", "place", "unit", "call", "round", "audit")

# Only a function of the tables' owner erases, and it takes words and strokes: never a reading, or who did what when.
FUNCTIONS = """
    create or replace function event_is_evidence() returns trigger language plpgsql
        set search_path = pg_catalog, public, pg_temp as $$
    begin
        if TG_OP = 'UPDATE' and current_setting('plentar.erasing', true) = 'on' and OLD.kind <> 'reading'
            and current_user = (select pg_get_userbyid(relowner) from pg_class where oid = TG_RELID)
            and (to_jsonb(NEW) - 'payload') = (to_jsonb(OLD) - 'payload') then
            return NEW;
        end if;
        raise exception 'events are append-only: correct or strike out with a later one instead';
    end $$;

    create or replace function audit_is_evidence() returns trigger language plpgsql
        set search_path = pg_catalog, public, pg_temp as $$
    begin
        if TG_OP = 'UPDATE' and current_setting('plentar.erasing', true) = 'on'
            and current_user = (select pg_get_userbyid(relowner) from pg_class where oid = TG_RELID)
            and (to_jsonb(NEW) - 'before' - 'after') = (to_jsonb(OLD) - 'before' - 'after') then
            return NEW;
        end if;
        raise exception 'the audit is append-only';
    end $$;

    create function words_erased(kind text) returns jsonb language sql immutable
        set search_path = pg_catalog, pg_temp as $$
        select case kind
            when 'amend' then '{"words": "", "at_risk": ""}'::jsonb
            when 'seen' then '{"note": ""}'::jsonb
            when 'photo' then '{"note": ""}'::jsonb
            when 'note' then '{"words": "erased"}'::jsonb
            when 'signed' then '{"name": "erased", "strokes": []}'::jsonb
            when 'approval' then '{"who": "erased"}'::jsonb
            else '{}'::jsonb end
    $$;

    create function erase_call(of_shop uuid, of_call uuid, kinds text[], by_person uuid, told text)
        returns boolean language plpgsql security definer set search_path = pg_catalog, public, pg_temp as $$
    declare
        events integer;
        photos integer := 0;
    begin
        perform set_config('plentar.erasing', 'on', true);
        update public.event set payload = payload || public.words_erased(kind)
            where shop_id = of_shop and call_id = of_call and kind = any(kinds)
            and payload is distinct from payload || public.words_erased(kind);
        get diagnostics events = row_count;
        perform set_config('plentar.erasing', '', true);
        if 'photo' = any(kinds) then
            delete from public.photo using public.event
                where event.shop_id = of_shop and event.call_id = of_call and event.kind = 'photo'
                and photo.shop_id = of_shop and photo.id = event.id;
            get diagnostics photos = row_count;
        end if;
        if events + photos > 0 then
            insert into public.audit (shop_id, id, at, person_id, deed, about, after)
                values (of_shop, gen_random_uuid(), now(), by_person, 'erased', left(told, 200),
                    jsonb_build_object('call', of_call, 'entries', events, 'photos', photos));
        end if;
        return events + photos > 0;
    end $$;

    create function erase_audit(of_shop uuid, told text) returns void language plpgsql security definer
        set search_path = pg_catalog, public, pg_temp as $$
    begin
        perform set_config('plentar.erasing', 'on', true);
        update public.audit set after = null
            where shop_id = of_shop and about = told and deed = 'call cancelled' and after is not null;
        perform set_config('plentar.erasing', '', true);
    end $$;

    revoke all on function words_erased(text), erase_call(uuid, uuid, text[], uuid, text), erase_audit(uuid, text)
        from public;
"""
OLD_FUNCTIONS = """
    drop function erase_call(uuid, uuid, text[], uuid, text);
    drop function erase_audit(uuid, text);
    drop function words_erased(text);

    create or replace function event_is_evidence() returns trigger language plpgsql as $$
    begin
        if TG_OP = 'UPDATE' and current_setting('plentar.erasing', true) = 'on' and OLD.kind <> 'reading'
            and (to_jsonb(NEW) - 'payload') = (to_jsonb(OLD) - 'payload') then
            return NEW;
        end if;
        raise exception 'events are append-only: correct or strike out with a later one instead';
    end $$;
    alter function event_is_evidence() reset all;

    create or replace function audit_is_evidence() returns trigger language plpgsql as $$
    begin
        if TG_OP = 'UPDATE' and current_setting('plentar.erasing', true) = 'on'
            and (to_jsonb(NEW) - 'about' - 'before' - 'after') = (to_jsonb(OLD) - 'about' - 'before' - 'after') then
            return NEW;
        end if;
        raise exception 'the audit is append-only';
    end $$;
    alter function audit_is_evidence() reset all;
"""


def upgrade() -> None:
    op.create_table(
        "import_batch",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("at", MOMENT, nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=True),
        sa.Column("by", sa.String(length=120), nullable=False),
        sa.Column("file", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_import_batch_shop_id_shop")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_import_batch")),
    )
    for table in IMPORTED:
        op.add_column(table, sa.Column("import_id", sa.Uuid(), nullable=True))
        op.create_foreign_key(
            op.f(f"fk_{table}_shop_id_import_id_import_batch"),
            table,
            "import_batch",
            ["shop_id", "import_id"],
            ["shop_id", "id"],
        )
    op.create_table(
        "passkey_challenge",
        sa.Column("hash", sa.LargeBinary(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=True),
        sa.Column("expires_at", MOMENT, nullable=False),
        sa.PrimaryKeyConstraint("hash", name=op.f("pk_passkey_challenge")),
    )
    op.add_column("practice_class", sa.Column("open_until", MOMENT, nullable=True))
    op.execute("update practice_class set open_until = now() + interval '14 days'")
    op.alter_column("practice_class", "open_until", nullable=False)
    op.add_column("set_aside", sa.Column("phone_id", sa.Uuid(), nullable=True))
    op.add_column("set_aside", sa.Column("drafts", JSONB(none_as_null=True), nullable=True))
    op.create_index("ix_set_aside_phone", "set_aside", ["shop_id", "phone_id"])
    op.execute(FUNCTIONS)


def downgrade() -> None:
    op.execute(OLD_FUNCTIONS)
    op.drop_index("ix_set_aside_phone", "set_aside")
    op.drop_column("set_aside", "drafts")
    op.drop_column("set_aside", "phone_id")
    op.drop_column("practice_class", "open_until")
    op.drop_table("passkey_challenge")
    for table in reversed(IMPORTED):
        op.drop_constraint(op.f(f"fk_{table}_shop_id_import_id_import_batch"), table, type_="foreignkey")
        op.drop_column(table, "import_id")
    op.drop_table("import_batch")
