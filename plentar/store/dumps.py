"""The whole database as one file and back, by PostgreSQL's own `pg_dump` and `pg_restore`.

A backup is older than what it replaces, and what ended or was erased since would come back with it. Whatever the
replaced database still knows of that is carried over in the restore's own transaction: tombstones, changed passwords,
roles taken away, people who may not sign in, phones, shares and classes that ended, passkeys and calendar addresses
taken away. Every sign-in and one-time link ends.
"""

import os
import re
import subprocess
from collections.abc import Iterator, Mapping
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from uuid import uuid4

from sqlalchemy import Connection, Engine, Table, cast, func, inspect, literal, select, text
from sqlalchemy.dialects import postgresql
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.engine import URL
from sqlalchemy.exc import DBAPIError
from sqlalchemy.sql import Executable

from plentar.store import privacy
from plentar.store.database import (
    LONG,
    check_tables,
    known_revisions,
    make_engine,
    make_sessions,
    migrate,
    revision_of,
)
from plentar.store.models import Base, Call, EventRow, Person, Phone, ShareLink, Shop, SignIn, Unit
from plentar.store.practice_models import PracticeClass
from plentar.store.roles import let_serve
from plentar.store.shop_models import FeedKey, Forgotten, OneTimeLink, Passkey

__all__ = ["ENDS", "GOES", "STOPS", "DumpError", "back_up", "check_backup", "finish", "restore"]

# What ends on a row and must not begin anew with an older copy of it. A password is not an end, but an old one that
# somebody learned must not open anything again.
ENDS: Mapping[type[Base], tuple[str, ...]] = {
    Person: ("password_hash", "deactivated_at"),
    Phone: ("ended_at",),
    ShareLink: ("revoked_at",),
    PracticeClass: ("closed_at",),
}
# Ways in whose row goes when they end: one that is not there any more does not come back.
GOES: tuple[type[Base], ...] = (Passkey, FeedKey)
# Ended for everybody by every restore, whatever the replaced database knows.
STOPS: Mapping[type[Base], str] = {SignIn: "ended_at", OneTimeLink: "expires_at"}
REVISION = re.compile(r"^COPY [^\n]*alembic_version[^\n]*\n(\w+)$", re.MULTILINE)
# Stands in the database from the moment a backup is in place until what was erased since is erased again.
UNFINISHED = "restore_unfinished"


class DumpError(RuntimeError):
    """A backup that cannot be written, read or put in place; the text says why."""


def back_up(engine: Engine, file: Path) -> None:
    """Write the whole database to `file`, readable by its owner alone; a half-written one never bears its name.

    Raises:
        DumpError: `pg_dump` could not, or the file cannot be written.
        SchemaError: The tables are not this program's.
    """
    with engine.connect() as connection:
        check_tables(connection)
    part = file.with_name(f"{file.name}.part")
    try:
        part.touch(mode=0o600)
        _run(engine, "pg_dump", "--format=custom", "--no-owner", "--no-privileges", f"--file={part}")
        part.replace(file)
    except OSError as error:
        raise DumpError(f"cannot be written: {error.strerror}") from error
    finally:
        part.unlink(missing_ok=True)


def restore(engine: Engine, file: Path, now: datetime, *, serving: str | URL = "") -> int:
    """Put the backup in `file` in place of everything in the database, all of it or nothing; return its shops.

    Args:
        engine: As the role that owns the tables.
        file: What `back_up` wrote.
        now: When sign-ins and links end.
        serving: The URL of the role that serves; it is given its rights anew.

    Raises:
        DumpError: The file is no backup of this program's tables, or of a later program's; somebody uses the database.
        SchemaError: The database holds tables, and they are not this program's.
    """
    revision = _revision_in(engine, file)
    if revision not in known_revisions():
        if revision < known_revisions()[0]:
            raise DumpError(f"made before the first release ({revision}): restore it with the program that made it")
        raise DumpError(f"made by a later version of this program ({revision}); update the program first")
    with engine.connect() as connection:
        if others := connection.scalar(text(_OTHERS)):
            raise DumpError(f"{others} other connections use the database: stop `plentar serve` first")
        kept: list[str] = []
        if revision_of(connection) is not None and not inspect(connection).has_table(UNFINISHED):
            check_tables(connection)
            kept = list(_carried_over(connection))
    engine.dispose()
    # A file that breaks half way leaves what was there: all of it is unpacked first, and put in place at once.
    with TemporaryDirectory() as folder:
        script, ends = Path(folder) / "script.sql", Path(folder) / "ends.sql"
        _run(engine, "pg_restore", "--no-owner", "--no-privileges", f"--file={script}", str(file))
        ends.write_text(
            ";\n".join(("set search_path = public", *_stopped(now), *kept, f"create table {UNFINISHED} ()"))
        )
        anew = "--command=DROP SCHEMA public CASCADE; CREATE SCHEMA public"
        files = (f"--file={script}", f"--file={ends}")
        _run(engine, "psql", "--single-transaction", "--set=ON_ERROR_STOP=1", "--quiet", anew, *files)
    return finish(engine, now, serving=serving)


def check_backup(engine: Engine, file: Path, now: datetime) -> dict[str, int]:
    """Restore the backup in `file` into a scratch database, count what is in it, and drop it again.

    Args:
        engine: As the role that owns the tables; it may create databases.
        file: What `back_up` wrote.
        now: When its sign-ins end.

    Raises:
        DumpError: The file is no backup of this program, or the role may create no database.
    """
    name = f"plentar_check_{uuid4().hex[:12]}"
    admin = engine.execution_options(isolation_level="AUTOCOMMIT")
    try:
        with admin.connect() as connection:
            connection.exec_driver_sql(f'create database "{name}" template template0')
    except DBAPIError as error:
        raise DumpError("the owner may create no database: ALTER ROLE … CREATEDB") from error
    scratch = make_engine(engine.url.set(database=name).render_as_string(hide_password=False))
    try:
        restore(scratch, file, now)
        with scratch.connect() as connection:
            return {
                words: connection.scalar(select(func.count()).select_from(model)) or 0
                for words, model in (("shops", Shop), ("units", Unit), ("calls", Call), ("events", EventRow))
            }
    finally:
        scratch.dispose()
        with admin.connect() as connection:
            connection.exec_driver_sql(f'drop database if exists "{name}" with (force)')


def finish(engine: Engine, now: datetime, *, serving: str | URL = "") -> int:
    """Bring a restored database up to date and erase again what was erased; return its shops.

    Until then `plentar serve` refuses it. Done again it changes nothing.
    """
    migrate(engine)
    with make_sessions(engine, LONG).begin() as db:
        for shop in db.scalars(select(Shop)).all():
            privacy.reapply(db, shop_id=shop.id)
            privacy.due_for_erasing(db, shop_id=shop.id, retention=shop.retention, now=now)
        count = len(db.scalars(select(Shop.id)).all())
        db.execute(text(f"drop table if exists {UNFINISHED}"))
    if serving:
        let_serve(engine, serving)
    return count


_OTHERS = (
    "select count(*) from pg_stat_activity where datname = current_database()"
    " and pid <> pg_backend_pid() and backend_type = 'client backend'"
)


def _table(model: type[Base]) -> Table:
    return model.__table__  # type: ignore[return-value]


def _literal(statement: Executable) -> str:
    """Return a statement with its values in it."""
    dialect = postgresql.dialect(paramstyle="named")  # type: ignore[no-untyped-call]
    return str(statement.compile(dialect=dialect, compile_kwargs={"literal_binds": True}))  # type: ignore[attr-defined]


def _guarded(model: type[Base], columns: tuple[str, ...], statement: Executable) -> str:
    """Return a statement that does nothing where the backup is older than the table or column."""
    wanted = " and ".join(
        "exists (select from information_schema.columns where table_schema = 'public'"
        f" and table_name = '{_table(model).name}' and column_name = '{name}')"
        for name in columns
    )
    return f"do $carried$ begin if {wanted} then {_literal(statement)}; end if; end $carried$"


def _stopped(now: datetime) -> Iterator[str]:
    for model, name in STOPS.items():
        column = _table(model).c[name]
        is_open = column.is_(None) if column.nullable else column > now
        yield _guarded(model, (name,), _table(model).update().where(is_open).values({name: now}))


def _carried_over(connection: Connection) -> Iterator[str]:
    """Give the statements that end in a restored database what has ended in this one."""
    for model, names in ENDS.items():
        table = _table(model)
        keys = list(table.primary_key.columns)
        for row in connection.execute(select(*keys, *(table.c[name] for name in names))).all():
            found = row._asdict()
            # What had not ended here, and has in the backup, stays ended.
            ended = {name: found[name] for name in names if found[name] is not None}
            if ended:
                own = [key == found[key.name] for key in keys]
                yield _guarded(model, tuple(ended), table.update().where(*own).values(ended))
    person = _table(Person)
    people = connection.execute(select(person.c.shop_id, person.c.id, person.c.role)).all()
    for row in people:
        if row.role != "lead":
            own = [person.c.shop_id == row.shop_id, person.c.id == row.id]
            yield _guarded(Person, ("role",), person.update().where(*own).values(role=row.role))
    for model in GOES:
        table = _table(model)
        keys = list(table.primary_key.columns)
        left = [tuple(row) for row in connection.execute(select(*keys)).all()]
        for row in people:
            theirs = [table.c.shop_id == row.shop_id, table.c.person_id == row.id]
            known = [key for key in left if key[0] == row.shop_id]
            kept = table.c[keys[-1].name].not_in([key[-1] for key in known]) if known else text("true")
            yield _guarded(model, ("person_id",), table.delete().where(*theirs, kept))
    stones = _table(Forgotten)
    shops = _table(Shop)
    for row in connection.execute(select(stones)).all():
        there = select(shops.c.id).where(shops.c.id == row.shop_id).exists()
        values = select(*_values(stones, row._asdict())).where(there)
        added = insert(stones).from_select(list(stones.columns), values).on_conflict_do_nothing()
        yield _guarded(Forgotten, ("place_id",), added)


def _values(table: Table, row: Mapping[str, Any]) -> list[Any]:
    return [cast(literal(row[column.name], column.type), column.type).label(column.name) for column in table.columns]


def _revision_in(engine: Engine, file: Path) -> str:
    """Return the revision of the tables in a backup, without putting it anywhere."""
    if not file.is_file():
        raise DumpError("there is no such file")
    try:
        found = _run(engine, "pg_restore", "--data-only", "--table=alembic_version", "--file=-", str(file))
    except DumpError as error:
        raise DumpError("not a backup of this program, or truncated") from error
    revision = REVISION.search(found.decode())
    if revision is None:
        raise DumpError("not a backup of this program: a dump of other tables")
    return revision[1]


def _run(engine: Engine, program: str, *options: str) -> bytes:
    """Run one of PostgreSQL's own programs on the engine's database; the password stays out of the process list."""
    known = engine.url
    # `set(password=None)` would leave the password as it is, and show it as three stars.
    url = URL.create(
        "postgresql",
        username=known.username,
        host=known.host,
        port=known.port,
        database=known.database,
        query=known.query,
    )
    environment = {**os.environ, "PGCONNECT_TIMEOUT": "5"}
    if known.password:
        environment["PGPASSWORD"] = str(known.password)
    # `pg_restore` writes a script and needs no database.
    where = () if program == "pg_restore" else (f"--dbname={url.render_as_string()}",)
    try:
        done = subprocess.run(  # noqa: S603 - the program's own words
            [program, *where, *options], env=environment, stdin=subprocess.DEVNULL, capture_output=True, check=False
        )
    except FileNotFoundError as error:
        raise DumpError(f"{program} is not installed (Debian package: postgresql-client)") from error
    if done.returncode:
        said = done.stderr.decode(errors="replace").strip().splitlines()
        raise DumpError(said[0] if said else f"{program} ended with {done.returncode}")
    return done.stdout
