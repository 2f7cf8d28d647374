"""Commands that run a shop: tables, people, export and import, backup and restore, erasing, serving."""

import re
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click

from plentar.cli.base import fail, open_database, read_settings, show
from plentar.cli.group import main
from plentar.core.errors import PlentarError

if TYPE_CHECKING:
    from sqlalchemy import Select
    from sqlalchemy.orm import Session

    from plentar.store.models import Shop

OF_SHOP = click.option("--shop", "name", default="", help="Shop name; required if there is more than one shop.")


@contextmanager
def _open_shop(name: str) -> "Iterator[tuple[Session, Shop]]":
    """Lend a session and the shop of a name, the only one where none is named; what is written then is kept."""
    from plentar.store.database import make_sessions

    query = _shops_named(name)
    with open_database() as engine, make_sessions(engine).begin() as db:
        found = db.scalars(query.limit(2)).all()
        if len(found) != 1:
            words = "no shop of that name" if not found else "there is more than one shop: give its name"
            fail("--shop", ValueError(words))
        yield db, found[0]


def _shops_named(name: str) -> "Select[Shop]":
    """Return the query for the shop of a name, or for every shop where none is named."""
    from sqlalchemy import func, select

    from plentar.store.models import Shop

    return select(Shop) if not name else select(Shop).where(func.lower(Shop.name) == name.strip().lower())


def _check_email(option: str, email: str) -> None:
    from plentar.store.people import EMAIL

    if len(email) > 254 or not re.match(EMAIL, email):
        fail(option, ValueError(f"expected an e-mail address, got {email!r}"))


def _name_or_mailbox(name: str, email: str) -> str:
    """What somebody new is called: the name given, or the address before its @ until they say."""
    return name.strip()[:120] or email.partition("@")[0]


@main.command()
@click.argument("revision", default="head")
@click.option(
    "--drop-data", is_flag=True, help="Allow a downgrade to an older REVISION, which drops tables and columns."
)
def migrate(revision: str, drop_data: bool) -> None:
    """Bring the database to REVISION (newest by default, `base` for none)."""
    from plentar.store.database import known_revision
    from plentar.store.database import migrate as run
    from plentar.store.roles import let_serve

    with open_database(as_owner=True) as engine:
        run(engine, revision, drop_data=drop_data)
        if revision in ("head", known_revision()):
            let_serve(engine, read_settings().database_url)


@main.command()
@click.argument("email")
@click.option("--undo", is_flag=True, help="Enable sign-in again.")
def deactivate(email: str, undo: bool) -> None:
    """End every sign-in of EMAIL and let them sign in no more."""
    from plentar.store import people
    from plentar.store.database import make_sessions

    with open_database() as engine, make_sessions(engine).begin() as db:
        person = people.find(db, email)
        if person is not None:
            people.deactivate(db, person, None if undo else datetime.now(UTC))
    if person is None:
        click.echo(f"{email}: no person signs in with this address", err=True)
        sys.exit(2)
    click.echo(f"{person.name} can sign in again" if undo else f"{person.name} is signed out everywhere")


@main.command()
@click.argument("email")
@OF_SHOP
@click.option("--name", "called", default="", help="Name of a new person; asked at first sign-in if not given.")
@click.option("--lead", is_flag=True, help="Make a new person a lead.")
def invite(email: str, name: str, called: str, lead: bool) -> None:
    """Print a link that lets EMAIL in, once: somebody new, or one who lost their password or their link."""
    from plentar.store import audit, people, shops, ways_in
    from plentar.store.secret import new_secret

    _check_email("EMAIL", email)
    secret, now = new_secret(), datetime.now(UTC)
    with _open_shop(name) as (db, owner):
        person = people.find(db, email)
        if person is not None and person.shop_id != owner.id:
            fail("EMAIL", ValueError(f"{email} belongs to a person of another shop"))
        if person is not None and person.deactivated_at is not None:
            fail("EMAIL", ValueError(f"{email} may not sign in: run `plentar deactivate --undo {email}` first"))
        is_new = person is None
        if person is None:
            role = "lead" if lead else "technician"
            new_name = _name_or_mailbox(called, email)
            person = shops.add_person(db, shop_id=owner.id, name=new_name, email=email, role=role)
        assert person is not None  # noqa: S101 - the address was free a line above
        ways_in.make_link(db, person, "invite" if is_new else "reset", secret, now)
        about = f"{person.name}, {person.email}"
        audit.note(db, "invited" if is_new else "link made", about, shop_id=owner.id, person=None, at=now)
    click.echo(_link(secret))


def _link(secret: str) -> str:
    settings = read_settings()
    origin = settings.origin or f"http://localhost:{settings.port}"
    return f"{origin}/welcome/{secret}"


@main.command("people")
@OF_SHOP
def people_(name: str) -> None:
    """List a shop's people: address, name, role, and whether they can sign in."""
    from plentar.store import shops, ways_in

    with _open_shop(name) as (db, owner):
        keys = ways_in.count_passkeys(db, shop_id=owner.id)
        for row in shops.list_people(db, shop_id=owner.id):
            has_way = bool(row.password_hash) or keys.get(row.id, 0) > 0
            state = "deactivated" if row.deactivated_at else "can sign in" if has_way else "invited"
            click.echo("\t".join((row.email, row.name, row.role, state)))


@main.group()
def shop() -> None:
    """Make a shop, or list them."""


@shop.command("list")
def list_shops() -> None:
    """List the shops: name, time zone, how many people, and the leads' addresses."""
    from sqlalchemy import select

    from plentar.store import shops
    from plentar.store.database import make_sessions
    from plentar.store.models import Shop

    with open_database() as engine, make_sessions(engine).begin() as db:
        for row in db.scalars(select(Shop).order_by(Shop.name, Shop.id)).all():
            people = [one for one in shops.list_people(db, shop_id=row.id) if one.deactivated_at is None]
            leads = ", ".join(one.email for one in people if one.role == "lead")
            click.echo("\t".join((row.name, row.time_zone, f"{len(people)} people", leads)))


@shop.command("create")
@click.argument("name")
@click.option("--time-zone", required=True, help="As America/Chicago.")
@click.option("--lead", "email", required=True, help="The first lead's e-mail address.")
@click.option("--lead-name", default="", help="The lead's name; asked at first sign-in if not given.")
def create_shop(name: str, time_zone: str, email: str, lead_name: str) -> None:
    """Make the shop NAME and print the link that lets its lead in, once."""
    from zoneinfo import available_timezones

    from plentar.store import audit, shops, ways_in
    from plentar.store.database import make_sessions
    from plentar.store.secret import new_secret

    if not 0 < len(name.strip()) <= 120:
        fail("NAME", ValueError("expected the shop's name, of at most 120 letters"))
    if time_zone not in available_timezones():
        fail("--time-zone", ValueError(f"expected a time zone such as America/Chicago, got {time_zone!r}"))
    _check_email("--lead", email)
    secret, now = new_secret(), datetime.now(UTC)
    with open_database() as engine, make_sessions(engine).begin() as db:
        lead = _name_or_mailbox(lead_name, email)
        person = shops.make_shop(db, name=name.strip(), time_zone=time_zone, email=email, lead=lead)
        if person is not None:
            ways_in.make_link(db, person, "invite", secret, now)
            about = f"{name.strip()}, lead {person.email}"
            audit.note(db, "shop made", about, shop_id=person.shop_id, person=None, at=now)
    if person is None:
        fail("--lead", ValueError(f"{email} already belongs to a person"))
    click.echo(_link(secret))


@main.command("export")
@click.argument("file", type=click.Path(path_type=Path))
@OF_SHOP
def export(file: Path, name: str) -> None:
    """Write a whole shop to FILE, an export file that `import` reads."""
    from plentar.store import audit
    from plentar.web.exchange.export_file import export_shop

    now = datetime.now(UTC)
    with _open_shop(name) as (db, owner):
        try:
            counts = export_shop(db, owner, file, now, progress=lambda words: click.echo(words, err=True))
        except OSError as error:
            fail(str(file), ValueError(f"cannot be written: {error.strerror}"))
        audit.note(db, "exported", "the whole shop", shop_id=owner.id, person=None, at=now)
    click.echo(f"{file}: {sum(counts.values())} rows")


@main.command("import")
@click.argument("file", type=click.Path(path_type=Path))
@OF_SHOP
def import_(file: Path, name: str) -> None:
    """Add the export FILE to a shop, all of it or nothing; what is there already must be the same."""
    from plentar.store.shop_rows import ConflictsError
    from plentar.web.exchange.export_file import import_shop

    now = datetime.now(UTC)
    with _open_shop(name) as (db, owner):
        try:
            taken = import_shop(db, owner, file, now, progress=lambda words: click.echo(words, err=True))
        except ConflictsError as error:
            for problem in error.problems:
                click.echo(str(problem), err=True)
            fail(str(file), error)
        except PlentarError as error:
            fail(str(file), error)
    click.echo(f"{file}: {sum(taken.values())} rows were new")


@main.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option(
    "--check", "is_check", is_flag=True, help="Write nothing: restore FILE into a scratch database and count."
)
def backup(file: Path, is_check: bool) -> None:
    """Write the whole database to FILE: every shop, for `restore`."""
    from plentar.store.dumps import DumpError, back_up, check_backup

    with open_database(as_owner=True) as engine:
        try:
            if is_check:
                counts = check_backup(engine, file, datetime.now(UTC))
                click.echo(f"{file}: good, {', '.join(f'{count:,} {name}' for name, count in counts.items())}")
                return
            back_up(engine, file)
        except DumpError as error:
            fail(str(file), error)
    click.echo(f"{file}: {file.stat().st_size:,} bytes")


@main.command()
@click.option("--backups", type=click.Path(path_type=Path), help="Folder of the nightly backups, *.plentar.")
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def doctor(backups: Path | None, as_json: bool) -> None:
    """Examine database, role, disk, clock, certificate and backups; leaves with 1 if one is not fine."""
    from plentar.store.database import make_engine
    from plentar.web.serving.doctor import examine

    settings = read_settings()
    engine = make_engine(settings.database_url)
    found = list(examine(settings, engine, backups=backups, now=datetime.now(UTC)))
    engine.dispose()
    if as_json:
        show([{"what": one.what, "state": one.state, "advice": one.advice} for one in found])
    for one in () if as_json else found:
        click.echo(f"{'not fine' if one.advice else 'fine':9} {one.what}: {one.state} {one.advice}".rstrip())
    sys.exit(any(one.advice for one in found))


def _shops(count: int) -> str:
    return "1 shop is" if count == 1 else f"{count} shops are"


@main.command()
@click.argument("file", type=click.Path(path_type=Path), required=False)
@click.option("--replace", is_flag=True, help="Delete everything in the database first.")
@click.option("--finish", "is_finishing", is_flag=True, help="Finish an interrupted restore; needs no FILE.")
def restore(file: Path | None, replace: bool, is_finishing: bool) -> None:
    """Put the backup FILE in place of the database; what was erased or ended since stays so."""
    from sqlalchemy import inspect

    from plentar.store.dumps import DumpError, finish
    from plentar.store.dumps import restore as run

    serving = read_settings().database_url
    with open_database(as_owner=True) as engine:
        if is_finishing:
            click.echo(
                f"{_shops(finish(engine, datetime.now(UTC), serving=serving))} restored; everyone must sign in again"
            )
            return
        if file is None:
            fail("FILE", ValueError("expected the backup's file"))
        if inspect(engine).has_table("shop") and not replace:
            fail(
                "--replace",
                ValueError("the database already contains shops. Use --replace to overwrite them with the backup"),
            )
        try:
            shops = run(engine, file, datetime.now(UTC), serving=serving)
        except DumpError as error:
            fail(str(file), error)
    click.echo(f"{file}: {_shops(shops)} restored; everyone must sign in again")


@main.command()
@click.argument("place", default="")
@OF_SHOP
@click.option("--due", is_flag=True, help="Everything past its retention time, of every shop unless one is named.")
def forget(place: str, name: str, due: bool) -> None:
    """Erase what is kept of the people of PLACE, by its address or id; its readings stay."""
    from plentar.store import privacy

    now = datetime.now(UTC)
    if due:
        _forget_due(name, now)
        return
    with _open_shop(name) as (db, owner):
        found = privacy.find_places(db, shop_id=owner.id, words=place)
        if not found:
            fail("PLACE", ValueError(f"expected an address or id of this shop, got {place!r}"))
        for row in found:
            privacy.forget(db, shop_id=owner.id, place_id=row.id, at=now, person=None)
            click.echo(f"{row.name}: erased; its readings stay")


def _forget_due(name: str, now: datetime) -> None:
    """Erase what is past its retention time, in the shop of a name or in every shop."""
    from plentar.store import privacy
    from plentar.store.database import make_sessions

    query = _shops_named(name)
    with open_database() as engine, make_sessions(engine).begin() as db:
        owners = db.scalars(query).all()
        if name and not owners:
            fail("--shop", ValueError("no shop of that name"))
        for owner in owners:
            count = privacy.due_for_erasing(db, shop_id=owner.id, retention=owner.retention, now=now)
            click.echo(f"{owner.name}: {count} calls were past their retention time")


@main.command()
def demo() -> None:
    """Load the made-up shop into an empty database."""
    from plentar.demo import load_demo, move_to_today
    from plentar.store.database import make_sessions

    now = datetime.now(UTC)
    with open_database(as_owner=True) as engine, make_sessions(engine).begin() as db:
        if load_demo(db, now):
            click.echo("demo loaded")
        else:
            move_to_today(db, now)


@main.command()
def serve() -> None:
    """Serve the application with several workers until stopped."""
    from plentar.store.database import SchemaError
    from plentar.web.serving.server import run

    try:
        run(read_settings(serves=True))
    except SchemaError as error:
        click.echo(str(error), err=True)
        sys.exit(2)
