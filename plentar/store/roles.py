"""The two database roles: one owns the tables and migrates, one serves, owns nothing and can change no evidence.

The serving role may read everything and add to everything. What it may change or delete is listed here; events, the
audit and tombstones are not. Words and photos are erased by the owner's functions, which keep a line in the audit.
"""

from typing import Any

from psycopg import sql
from psycopg.errors import DuplicateObject, UniqueViolation
from sqlalchemy import Connection, Engine, text
from sqlalchemy.engine import URL, make_url
from sqlalchemy.exc import IntegrityError, ProgrammingError

from plentar.store.database import SchemaError
from plentar.store.models import Base

__all__ = ["check_serving", "let_serve"]

# Added to and never changed: what was done, who changed what, whose data was erased, what a shop's limits were.
APPEND_ONLY = frozenset(
    {"event", "audit", "forgotten", "photo", "log_samples", "shop_limit", "share_open", "import_batch", "practice_step",
     "practice_answer", "practice_case"}
)  # fmt: skip
# What only a migration writes.
READ_ONLY = frozenset({"compatible_with"})
# What ends by going: counts, caches, ways in that were taken away, a part that is no longer carried.
DELETABLE = frozenset(
    {"sign_in", "sign_in_guess", "unit_table", "passkey", "passkey_challenge", "feed_key", "block_minutes", "part",
     "kit", "stock", "search_line"}
)  # fmt: skip
FUNCTIONS = ("words_erased(text)", "erase_call(uuid, uuid, text[], uuid, text)", "erase_audit(uuid, text)")


def let_serve(engine: Engine, serving: str | URL) -> None:
    """Let the role of a URL serve the tables that the engine's role owns, and make it where it is missing.

    Raises:
        SchemaError: The role is missing and the owner may make none; the text says what to run.
    """
    url = make_url(serving)
    role = url.username or ""
    if not role or role == engine.url.username:
        return
    with engine.begin() as connection:
        _make_role(connection, role, str(url.password or ""))
    with engine.begin() as connection:
        _grant(connection, role)


def _make_role(connection: Connection, role: str, password: str) -> None:
    if connection.scalar(text("select 1 from pg_roles where rolname = :role"), {"role": role}):
        return
    driver: Any = connection.connection.driver_connection
    made = sql.SQL("create role {} login").format(sql.Identifier(role))
    if password:
        # Hashed here: the statement may be written to the server's log.
        hashed = driver.pgconn.encrypt_password(password.encode(), role.encode(), b"scram-sha-256").decode()
        made = sql.SQL("{} password {}").format(made, sql.Literal(hashed))
    try:
        with connection.begin_nested():
            connection.exec_driver_sql(made.as_string(driver))
    except (ProgrammingError, IntegrityError) as error:
        if isinstance(error.orig, DuplicateObject | UniqueViolation):
            # Somebody who migrates another database of this server was faster.
            return
        words = f'the role {role} is missing: as an administrator run CREATE ROLE "{role}" LOGIN PASSWORD …'
        raise SchemaError(words) from error


def _grant(connection: Connection, role: str) -> None:
    name = '"' + role.replace('"', '""') + '"'
    statements = [
        "revoke create on schema public from public",
        f"grant usage on schema public to {name}",
        f"revoke all on all tables in schema public from {name}",
        f"grant select on alembic_version to {name}",
    ]
    for table in sorted(Base.metadata.tables):
        rights = ["select"] if table in READ_ONLY else ["select", "insert"]
        if table not in APPEND_ONLY | READ_ONLY:
            rights.append("update")
        if table in DELETABLE:
            rights.append("delete")
        statements.append(f'grant {", ".join(rights)} on "{table}" to {name}')
    statements += [f"grant execute on function {function} to {name}" for function in FUNCTIONS]
    for statement in statements:
        connection.exec_driver_sql(statement)


def check_serving(connection: Connection) -> None:
    """See that the role that is to serve can't change evidence.

    Raises:
        SchemaError: It owns the tables, or is a superuser.
    """
    role, can_all = connection.execute(
        text(
            "select current_user, rolsuper or exists(select from pg_class where relname = 'event'"
            " and pg_has_role(current_user, relowner, 'member')) from pg_roles where rolname = current_user"
        )
    ).one()
    if can_all:
        raise SchemaError(
            f"PLENTAR_DATABASE_URL: the role {role} owns the tables, so it could change evidence. Serve with a role of"
            " its own and give the owner's address in PLENTAR_OWNER_URL (docs/operations.md, Two roles)"
        )
