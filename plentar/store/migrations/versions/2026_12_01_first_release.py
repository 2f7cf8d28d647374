"""The tables of the first release, in one step.

Nothing was released before. A database or backup that went through the steps this replaces ends at the same revision
with the same tables, so it needs nothing. From here on a migration is for ever, and expands before it contracts.
"""

from importlib.resources import files

from alembic import op

revision = "0014"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Make every table, function and trigger."""
    script = (files("plentar.store") / "migrations/first_release.sql").read_text()
    # Without parameters: several statements go at once, and a percent sign is one.
    op.get_bind().connection.cursor().execute(script)


def downgrade() -> None:
    """Drop all of it."""
    op.execute(
        """
        do $$
        declare name text;
        begin
            for name in
                select tablename from pg_tables where schemaname = 'public' and tablename <> 'alembic_version'
            loop
                execute format('drop table public.%I cascade', name);
            end loop;
            for name in
                select p.oid::regprocedure from pg_proc p join pg_namespace n on n.oid = p.pronamespace
                where n.nspname = 'public'
                and not exists (select from pg_depend d where d.objid = p.oid and d.deptype = 'e')
            loop
                execute format('drop function %s', name);
            end loop;
            drop extension if exists pg_trgm;
        end $$
        """
    )
