"""The whole database as one file and back, by PostgreSQL's own `pg_dump` and `pg_restore`.

A copy is older than what it replaces, and what was ended or erased since would come back with it. So whatever the
replaced database still knows of that is carried over: tombstones, changed passwords, people who may sign in no more,
phones and shares that were ended, passkeys and calendar addresses taken away. Every sign-in and one-time link ends.
"""

import os
import re
import subprocess
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from sqlalchemy import Engine, Row, Table, and_, delete, select, text, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from plentar.store import privacy
from plentar.store.database import check_tables, known_revisions, make_sessions, migrate, revision_of
from plentar.store.models import Base, Person, Phone, ShareLink, Shop, SignIn
from plentar.store.shop_models import FeedKey, Forgotten, OneTimeLink, Passkey

__all__ = ["DumpError", "back_up", "restore"]

# What ends on a row and must not begin anew with an older copy of it.
ENDS: Mapping[type[Base], tuple[str, ...]] = {
    Person: ("password_hash", "deactivated_at"),
    Phone: ("ended_at",),
    ShareLink: ("revoked_at",),
}
# Ways in whose row goes when they end: one that is not there any more does not come back.
GOES: tuple[type[Base], ...] = (Passkey, FeedKey)
REVISION = re.compile(r"^COPY [^\n]*alembic_version[^\n]*\n(\w+)$", re.MULTILINE)


class DumpError(RuntimeError):
    """A copy that cannot be written, read or put in place; the text says why."""


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


def restore(engine: Engine, file: Path, now: datetime) -> int:
    """Put the copy in `file` in place of everything in the database, all of it or nothing; return its shops.

    Raises:
        DumpError: The file is no copy of this program's tables, or of a later program's; somebody uses the database.
        SchemaError: The database holds tables, and they are not this program's.
    """
    revision = _revision_in(engine, file)
    if revision not in known_revisions():
        raise DumpError(f"made by a later version of this program ({revision}); update the program first")
    with engine.connect() as connection:
        if others := connection.scalar(text(_OTHERS)):
            raise DumpError(f"{others} other connections use the database: stop `plentar serve` first")
        ended = None
        if revision_of(connection) is not None:
            check_tables(connection)
            ended = _ended(connection)
    engine.dispose()
    # A copy that breaks half way leaves what was there: all of it is unpacked first, and put in place at once.
    with TemporaryDirectory() as folder:
        script = Path(folder) / "script.sql"
        _run(engine, "pg_restore", "--no-owner", "--no-privileges", f"--file={script}", str(file))
        anew = "--command=DROP SCHEMA public CASCADE; CREATE SCHEMA public"
        _run(engine, "psql", "--single-transaction", "--set=ON_ERROR_STOP=1", "--quiet", anew, f"--file={script}")
    migrate(engine)
    with make_sessions(engine).begin() as db:
        _end_what_ended(db, ended, now)
        return len(db.scalars(select(Shop.id)).all())


_OTHERS = (
    "select count(*) from pg_stat_activity where datname = current_database()"
    " and pid <> pg_backend_pid() and backend_type = 'client backend'"
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Ended:
    """What the replaced database knows of ends: rows by table, and the tombstones."""

    columns: Mapping[type[Base], Sequence[Row[Any]]]
    keys: Mapping[type[Base], Sequence[Row[Any]]]
    people: Sequence[Row[Any]]
    tombstones: Sequence[Row[Any]]


def _keys(model: type[Base]) -> list[Any]:
    table: Table = model.__table__  # type: ignore[assignment]
    return list(table.primary_key.columns)


def _ended(connection: Any) -> Ended:
    def rows(query: Any) -> Sequence[Row[Any]]:
        return connection.execute(query).all()  # type: ignore[no-any-return]

    return Ended(
        columns={m: rows(select(*_keys(m), *(getattr(m, name) for name in names))) for m, names in ENDS.items()},
        keys={model: rows(select(*_keys(model))) for model in GOES},
        people=rows(select(Person.shop_id, Person.id)),
        tombstones=rows(select(Forgotten.shop_id, Forgotten.place_id, Forgotten.at, Forgotten.person_id)),
    )


def _end_what_ended(db: Session, ended: Ended | None, now: datetime) -> None:
    db.execute(update(SignIn).where(SignIn.ended_at.is_(None)).values(ended_at=now))
    db.execute(update(OneTimeLink).where(OneTimeLink.used_at.is_(None)).values(expires_at=now))
    if ended is not None:
        for model, names in ENDS.items():
            for row in ended.columns[model]:
                found = row._asdict()
                # What had not ended there, and has in the copy, stays ended.
                kept = {name: found[name] for name in names if found[name] is not None}
                if kept:
                    db.execute(update(model).where(_is(model, row)).values(kept))
        known = {tuple(row) for row in ended.people}
        for model in GOES:
            left = {tuple(row) for row in ended.keys[model]}
            back = select(*_keys(model), model.person_id.label("of"))  # type: ignore[attr-defined]
            for way in db.execute(back).all():
                if tuple(way)[:-1] not in left and (way.shop_id, way.of) in known:
                    db.execute(delete(model).where(_is(model, way)))
        shops = set(db.scalars(select(Shop.id)))
        stones = [row._asdict() for row in ended.tombstones if row.shop_id in shops]
        if stones:
            db.execute(insert(Forgotten).values(stones).on_conflict_do_nothing())
    for shop in db.scalars(select(Shop)).all():
        privacy.reapply(db, shop_id=shop.id)
        privacy.due_for_erasing(db, shop_id=shop.id, retention=shop.retention, now=now)


def _is(model: type[Base], row: Any) -> Any:
    return and_(*(column == getattr(row, column.name) for column in _keys(model)))


def _revision_in(engine: Engine, file: Path) -> str:
    """Return the revision of the tables in a copy, without putting it anywhere."""
    if not file.is_file():
        raise DumpError("there is no such file")
    try:
        found = _run(engine, "pg_restore", "--data-only", "--table=alembic_version", "--file=-", str(file))
    except DumpError as error:
        raise DumpError("not a backup of this program, or cut short") from error
    revision = REVISION.search(found.decode())
    if revision is None:
        raise DumpError("not a backup of this program: a dump of other tables")
    return revision[1]


def _run(engine: Engine, program: str, *options: str) -> bytes:
    """Run one of PostgreSQL's own programs on the engine's database; the password stays out of the process list."""
    url = engine.url.set(drivername="postgresql", password=None).render_as_string()
    environment = {**os.environ, "PGPASSWORD": engine.url.password or "", "PGCONNECT_TIMEOUT": "5"}
    # `pg_restore` writes a script and needs no database.
    where = () if program == "pg_restore" else (f"--dbname={url}",)
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
