"""The command line: the same core from a shell, and what the scripts call."""

import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

import click

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.evidence.reading import Condition
from plentar.core.message import Message
from plentar.core.unit.nameplate import Nameplate
from plentar.formats.unit_json import nameplate_from_json, nameplate_schema
from plentar.web.serving.settings import Settings, SettingsError
from plentar.words import render

if TYPE_CHECKING:
    from sqlalchemy import Engine

    from plentar.core.practice.policies import Policy

__all__ = ["main"]


@click.group()
@click.version_option(package_name="plentar")
def main() -> None:
    """Check an air handler's electric heat."""


def _settings() -> Settings:
    try:
        return Settings.from_environment()
    except SettingsError as error:
        click.echo(str(error), err=True)
        sys.exit(2)


@contextmanager
def _database(*, as_owner: bool = False) -> "Iterator[Engine]":
    """Lend the database; one that does not answer or has other tables ends the command in one line.

    Args:
        as_owner: As the role that owns the tables: to migrate, back up, restore and load the demo.
    """
    from sqlalchemy.exc import DBAPIError

    from plentar.store.database import SchemaError, make_engine

    settings = _settings()
    engine = make_engine((as_owner and settings.owner_url) or settings.database_url)
    try:
        yield engine
    except SchemaError as error:
        click.echo(str(error), err=True)
        sys.exit(2)
    except DBAPIError as error:
        name = "PLENTAR_OWNER_URL" if as_owner and settings.owner_url else "PLENTAR_DATABASE_URL"
        click.echo(f"{name}: {_why_not(error)}", err=True)
        sys.exit(2)
    finally:
        engine.dispose()


def _why_not(error: Exception) -> str:
    from sqlalchemy.exc import ProgrammingError

    state = getattr(getattr(error, "orig", None), "sqlstate", None)
    if state == "42501":
        return f"the role may not do that: {str(getattr(error, 'orig', error)).splitlines()[0]}"
    if isinstance(error, ProgrammingError):
        return "the database has not this program's tables: run `plentar migrate`"
    if state == "53100":
        return "the disk of the database is full"
    return "it does not answer"


@main.command()
@click.argument("revision", default="head")
@click.option("--drop-data", is_flag=True, help="Go to an older REVISION although that drops tables and columns.")
def migrate(revision: str, drop_data: bool) -> None:
    """Bring the database to REVISION (newest by default, `base` for none)."""
    from plentar.store.database import known_revision
    from plentar.store.database import migrate as run
    from plentar.store.roles import let_serve

    with _database(as_owner=True) as engine:
        run(engine, revision, drop_data=drop_data)
        if revision in ("head", known_revision()):
            let_serve(engine, _settings().database_url)


@main.command()
@click.argument("email")
@click.option("--undo", is_flag=True, help="Let them sign in again.")
def deactivate(email: str, undo: bool) -> None:
    """End every sign-in of EMAIL and let them sign in no more."""
    from plentar.store import people
    from plentar.store.database import make_sessions

    with _database() as engine, make_sessions(engine).begin() as db:
        person = people.find(db, email)
        if person is not None:
            people.deactivate(db, person, None if undo else datetime.now(UTC))
    if person is None:
        click.echo(f"{email}: nobody signs in with this address", err=True)
        sys.exit(2)
    click.echo(f"{person.name} may sign in again" if undo else f"{person.name} is signed out everywhere")


@main.command()
@click.argument("email")
@click.option("--shop", "name", default="", help="The shop's name; needed where there is more than one.")
@click.option("--name", "called", default="", help="What somebody new is called; asked at the first sign-in.")
@click.option("--lead", is_flag=True, help="Somebody new comes as a lead.")
def invite(email: str, name: str, called: str, lead: bool) -> None:
    """Print a link that lets EMAIL in, once: somebody new, or one who lost their password or their link."""
    import re
    import secrets

    from plentar.store import audit, people, shops, ways_in
    from plentar.store.database import make_sessions

    if len(email) > 254 or not re.match(people.EMAIL, email):
        _fail("EMAIL", ValueError(f"expected an e-mail address, got {email!r}"))
    secret, now = secrets.token_urlsafe(24), datetime.now(UTC)
    with _database() as engine, make_sessions(engine).begin() as db:
        owner, person = _shop_of(db, name), people.find(db, email)
        if person is not None and person.shop_id != owner.id:
            _fail("EMAIL", ValueError(f"{email} belongs to somebody of another shop"))
        if person is not None and person.deactivated_at is not None:
            _fail("EMAIL", ValueError(f"{email} may not sign in: run `plentar deactivate --undo {email}` first"))
        is_new = person is None
        if person is None:
            role, words = "lead" if lead else "technician", called.strip()[:120] or email.partition("@")[0]
            person = shops.add_person(db, shop_id=owner.id, name=words, email=email, role=role)
        assert person is not None  # noqa: S101 - the address was free a line above
        ways_in.make_link(db, person, "invite" if is_new else "reset", secret, now)
        about = f"{person.name}, {person.email}"
        audit.note(db, "invited" if is_new else "link made", about, shop_id=owner.id, person=None, at=now)
    click.echo(_link(secret))


def _link(secret: str) -> str:
    settings = _settings()
    origin = settings.origin or f"http://localhost:{settings.port}"
    return f"{origin}/welcome/{secret}"


@main.command("people")
@click.option("--shop", "name", default="", help="The shop's name; needed where there is more than one.")
def people_(name: str) -> None:
    """List a shop's people: address, name, role, and whether they can sign in."""
    from plentar.store import shops, ways_in
    from plentar.store.database import make_sessions

    with _database() as engine, make_sessions(engine).begin() as db:
        owner = _shop_of(db, name)
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

    with _database() as engine, make_sessions(engine).begin() as db:
        for row in db.scalars(select(Shop).order_by(Shop.name, Shop.id)).all():
            people = [one for one in shops.list_people(db, shop_id=row.id) if one.deactivated_at is None]
            leads = ", ".join(one.email for one in people if one.role == "lead")
            click.echo("\t".join((row.name, row.time_zone, f"{len(people)} people", leads)))


@shop.command("create")
@click.argument("name")
@click.option("--time-zone", required=True, help="As America/Chicago.")
@click.option("--lead", "email", required=True, help="The first lead's e-mail address.")
@click.option("--lead-name", default="", help="What the lead is called; asked at the first sign-in.")
def create_shop(name: str, time_zone: str, email: str, lead_name: str) -> None:
    """Make the shop NAME and print the link that lets its lead in, once."""
    import re
    import secrets
    from zoneinfo import available_timezones

    from plentar.store import audit, people, shops, ways_in
    from plentar.store.database import make_sessions

    if not 0 < len(name.strip()) <= 120:
        _fail("NAME", ValueError("expected the shop's name, of at most 120 letters"))
    if time_zone not in available_timezones():
        _fail("--time-zone", ValueError(f"expected a time zone such as America/Chicago, got {time_zone!r}"))
    if len(email) > 254 or not re.match(people.EMAIL, email):
        _fail("--lead", ValueError(f"expected an e-mail address, got {email!r}"))
    secret, now = secrets.token_urlsafe(24), datetime.now(UTC)
    with _database() as engine, make_sessions(engine).begin() as db:
        called = lead_name.strip()[:120] or email.partition("@")[0]
        person = shops.make_shop(db, name=name.strip(), time_zone=time_zone, email=email, lead=called)
        if person is not None:
            ways_in.make_link(db, person, "invite", secret, now)
            about = f"{name.strip()}, lead {person.email}"
            audit.note(db, "shop made", about, shop_id=person.shop_id, person=None, at=now)
    if person is None:
        _fail("--lead", ValueError(f"{email} belongs to somebody already"))
    click.echo(_link(secret))


def _shop_of(db: Any, name: str) -> Any:
    """Return the shop of a name; the only one where none is named."""
    from sqlalchemy import func, select

    from plentar.store.models import Shop

    query = select(Shop) if not name else select(Shop).where(func.lower(Shop.name) == name.strip().lower())
    found = db.scalars(query.limit(2)).all()
    if len(found) != 1:
        words = "no shop of that name" if not found else "there is more than one shop: name it"
        _fail("--shop", ValueError(words))
    return found[0]


@main.command("export")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--shop", "name", default="", help="The shop's name; needed where there is more than one.")
def export(file: Path, name: str) -> None:
    """Write a whole shop to FILE, an export file that `import` reads."""
    from plentar.store import audit
    from plentar.store.database import make_sessions
    from plentar.web.exchange.export_file import export_shop

    now = datetime.now(UTC)
    with _database() as engine, make_sessions(engine).begin() as db:
        owner = _shop_of(db, name)
        try:
            counts = export_shop(db, owner, file, now, progress=lambda words: click.echo(words, err=True))
        except OSError as error:
            _fail(str(file), ValueError(f"cannot be written: {error.strerror}"))
        audit.note(db, "exported", "the whole shop", shop_id=owner.id, person=None, at=now)
    click.echo(f"{file}: {sum(counts.values())} rows")


@main.command("import")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--shop", "name", default="", help="The shop's name; needed where there is more than one.")
def import_(file: Path, name: str) -> None:
    """Add the export FILE to a shop, all of it or nothing; what is there already must be the same."""
    from plentar.store.database import make_sessions
    from plentar.store.shop_rows import ConflictsError
    from plentar.web.exchange.export_file import import_shop

    now = datetime.now(UTC)
    with _database() as engine, make_sessions(engine).begin() as db:
        owner = _shop_of(db, name)
        try:
            taken = import_shop(db, owner, file, now, progress=lambda words: click.echo(words, err=True))
        except ConflictsError as error:
            for problem in error.problems:
                click.echo(str(problem), err=True)
            _fail(str(file), error)
        except PlentarError as error:
            _fail(str(file), error)
    click.echo(f"{file}: {sum(taken.values())} rows were new")


@main.command()
@click.argument("file", type=click.Path(path_type=Path))
def backup(file: Path) -> None:
    """Write the whole database to FILE: every shop, for `restore`."""
    from plentar.store.dumps import DumpError, back_up

    with _database(as_owner=True) as engine:
        try:
            back_up(engine, file)
        except DumpError as error:
            _fail(str(file), error)
    click.echo(f"{file}: {file.stat().st_size:,} bytes")


def _shops(count: int) -> str:
    return "1 shop is" if count == 1 else f"{count} shops are"


@main.command()
@click.argument("file", type=click.Path(path_type=Path), required=False)
@click.option("--replace", is_flag=True, help="Everything the database holds now goes.")
@click.option("--finish", "is_finishing", is_flag=True, help="Finish a restore that was cut short; needs no FILE.")
def restore(file: Path | None, replace: bool, is_finishing: bool) -> None:
    """Put the backup FILE in place of the database; what was erased or ended since stays so."""
    from sqlalchemy import inspect

    from plentar.store.dumps import DumpError, finish
    from plentar.store.dumps import restore as run

    serving = _settings().database_url
    with _database(as_owner=True) as engine:
        if is_finishing:
            click.echo(f"{_shops(finish(engine, datetime.now(UTC), serving=serving))} back; everybody signs in again")
            return
        if file is None:
            _fail("FILE", ValueError("expected the backup's file"))
        if inspect(engine).has_table("shop") and not replace:
            _fail("--replace", ValueError("the database holds shops: say --replace to put the backup in their place"))
        try:
            shops = run(engine, file, datetime.now(UTC), serving=serving)
        except DumpError as error:
            _fail(str(file), error)
    click.echo(f"{file}: {_shops(shops)} back; everybody signs in again")


@main.command()
@click.argument("place", default="")
@click.option("--shop", "name", default="", help="The shop's name; needed where there is more than one.")
@click.option("--due", is_flag=True, help="Instead of one place: whatever was kept as long as the shop says.")
def forget(place: str, name: str, due: bool) -> None:
    """Erase what is kept of the people of PLACE, by its address or id; its readings stay."""
    from plentar.store import privacy
    from plentar.store.database import make_sessions

    now = datetime.now(UTC)
    with _database() as engine, make_sessions(engine).begin() as db:
        owner = _shop_of(db, name)
        if due:
            count = privacy.due_for_erasing(db, shop_id=owner.id, retention=owner.retention, now=now)
            click.echo(f"{count} calls were kept long enough")
            return
        found = privacy.find_places(db, shop_id=owner.id, words=place)
        if not found:
            _fail("PLACE", ValueError(f"expected an address or id of this shop, got {place!r}"))
        for row in found:
            privacy.forget(db, shop_id=owner.id, place_id=row.id, at=now, person=None)
            click.echo(f"{row.name}: erased; its readings stay")


@main.command()
def demo() -> None:
    """Load the made-up shop into an empty database."""
    from plentar.demo import load_demo, move_to_today
    from plentar.store.database import make_sessions

    now = datetime.now(UTC)
    with _database(as_owner=True) as engine, make_sessions(engine).begin() as db:
        if load_demo(db, now):
            click.echo("demo loaded")
        else:
            move_to_today(db, now)


def _fail(path: str, error: Exception) -> NoReturn:
    """Say in one line which file, which field and what was expected, and leave with 2."""
    field, words = (error.field, render(error.message)) if isinstance(error, PlentarError) else ("", str(error))
    click.echo(f"{path}: {field + ': ' if field else ''}{words}".replace("\n", " "), err=True)
    sys.exit(2)


def _read_json(path: str) -> Any:
    try:
        return json.loads(Path(path).read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        _fail(path, ValueError(f"cannot be read: {getattr(error, 'strerror', None) or 'not UTF-8 text'}"))
    except (json.JSONDecodeError, RecursionError) as error:
        _fail(path, ValueError(f"expected JSON: {error}"))


def _read_unit(path: str) -> Nameplate:
    try:
        return nameplate_from_json(_read_json(path))
    except PlentarError as error:
        _fail(path, error)


def _calls(plate: Nameplate, on: str) -> frozenset[str]:
    calls = frozenset(call.strip() for call in on.split(",") if call.strip())
    for call in sorted(calls - set(plate.calls)):
        raise ReadingError(f"expected calls among {', '.join(plate.calls)}, got {call!r}", field="--on")
    return calls


def _show(document: object) -> None:
    click.echo(json.dumps(document, indent=2, ensure_ascii=False))


@main.command()
@click.argument("unit")
@click.option("--on", default="", help="Calls that are on, as W,G.")
@click.option("--fault", "faults", multiple=True, help="A fault's id; may be given more than once.")
@click.option("--power", type=click.Choice(["live", "isolated"]), default="live")
def predict(unit: str, on: str, faults: tuple[str, ...], power: str) -> None:
    """Print what a meter reads everywhere on UNIT.json."""
    from plentar.core.causes.prediction import predict as run

    plate = _read_unit(unit)
    try:
        whole = run(plate, _calls(plate, on), faults, isolated=power == "isolated")
    except PlentarError as error:
        _fail(unit, error)
    _show(
        {
            "format": "plentar.prediction/1",
            "on": sorted(_calls(plate, on)),
            "faults": list(faults),
            "power": power,
            **asdict(whole),
        }
    )


@main.command()
@click.argument("call")
def diagnose(call: str) -> None:
    """Print the causes behind the readings of CALL.json and the next best tests."""
    from plentar.core.causes.next_test import next_tests
    from plentar.formats.call_json import call_from_json, diagnosis_to_json, visit_of

    try:
        document = call_from_json(_read_json(call))
    except PlentarError as error:
        _fail(call, error)
    if document.unit_file is not None:
        plate = _read_unit(str(Path(call).parent / document.unit_file))
    else:
        try:
            plate = nameplate_from_json(document.unit)
        except PlentarError as error:
            error.field = ".".join(part for part in ("unit", error.field) if part)
            _fail(call, error)
    try:
        visit = visit_of(document, plate)
        found = visit.diagnosis
    except PlentarError as error:
        _fail(call, error)
    if found is None:
        _fail(call, ReadingError("expected at least one reading or observation", field="readings"))
    readings = visit.readings
    last = readings[-1].condition if readings else Condition()
    taken = [(r.point, r.condition.on) for r in visit.readings_now]
    tests = () if visit.stop else next_tests(found, last, taken=taken, school=document.school)
    _show(diagnosis_to_json(found, tests, visit=visit))


@main.command()
@click.argument("unit")
def faults(unit: str) -> None:
    """List every fault UNIT.json can have."""
    from plentar.core.causes.faults import faults_of

    fields = ("id", "title", "part", "kind", "weight", "repair", "proof")
    found = [
        {name: render(value) if isinstance(value := getattr(fault, name), Message) else value for name in fields}
        for fault in faults_of(_read_unit(unit))
    ]
    _show({"format": "plentar.faults/1", "faults": found})


@main.command()
@click.argument("unit")
def sizing(unit: str) -> None:
    """Print each feed of UNIT.json against its breaker and wire by three schools, as JSON; check your local code."""
    from plentar.formats.sizing_json import sizing_to_json

    plate = _read_unit(unit)
    try:
        _show(sizing_to_json(plate))
    except PlentarError as error:
        _fail(unit, error)


@main.command("heat-pump")
@click.argument("unit")
@click.option("--outdoor", type=float, required=True, help="Outdoors, °F.")
@click.option("--indoor", type=float, help="Where the house is now, °F: tells how long it takes.")
@click.option("--dead", multiple=True, help="A strip that does not come; may be given more than once.")
@click.option("--emergency", is_flag=True, help="Strips alone, the heat pump off.")
def heat_pump(unit: str, outdoor: float, indoor: float | None, dead: tuple[str, ...], emergency: bool) -> None:
    """Hold the heat of UNIT.json against the weather: balance point, what the strips must carry, how long it takes."""
    from plentar.core.judging.weather import weather_of
    from plentar.formats.sizing_json import weather_to_json

    plate = _read_unit(unit)
    try:
        for strip in dead:
            plate.circuit(strip)
        found = weather_of(plate, outdoor, indoor_degf=indoor, dead=dead, is_emergency=emergency)
        _show(weather_to_json(found))
    except PlentarError as error:
        _fail(unit, error)


@main.command()
@click.argument("unit")
@click.option("--on", default="", help="Calls that are on, as W,G.")
@click.option("--fault", "fault_ids", multiple=True, help="A fault's id; may be given more than once.")
def netlist(unit: str, on: str, fault_ids: tuple[str, ...]) -> None:
    """Print the settled circuit of UNIT.json as a SPICE deck."""
    from plentar.core.causes.faults import changes_of
    from plentar.core.circuit.drive import Drive
    from plentar.formats.netlist import netlist as run

    plate = _read_unit(unit)
    try:
        changes = changes_of(plate, fault_ids)
        title = f"{Path(unit).name}, on {on or 'nothing'}, {' and '.join(fault_ids) or 'healthy'}"
        click.echo(run(plate, Drive(calls=_calls(plate, on)), changes, title), nl=False)
    except PlentarError as error:
        _fail(unit, error)


@main.command()
@click.argument("log")
@click.option("--unit", "unit_path", required=True, help="The unit's file.")
@click.option("--clamp", default="", help="What the clamp was around: a feed, a strip or blower; the first feed.")
@click.option("--volts", type=float, help="Supply found under load; nominal where not given.")
@click.option("--called", type=float, help="Seconds on the log's clock at which heat was called.")
@click.option("--dropped", type=float, help="Seconds at which the call was dropped.")
@click.option("--control", type=float, help="Control volts during the run.")
@click.option("--clocks-went-back", is_flag=True, help="An hour stands in the log twice: the clocks went back.")
def stages(
    log: str,
    unit_path: str,
    clamp: str,
    volts: float | None,
    called: float | None,
    dropped: float | None,
    control: float | None,
    clocks_went_back: bool,
) -> None:
    """Find the stages in LOG.csv, a logged current, and judge them."""
    from plentar.core.judging.log import analyse_log
    from plentar.formats.current_csv import count_lines, read_current_csv
    from plentar.formats.stages_json import analysis_to_json

    plate = _read_unit(unit_path)
    try:
        with Path(log).open("rb") as file:
            rows = count_lines(file)
            chunks = iter(lambda: file.read(65_536), b"")
            read = read_current_csv(chunks, rows=rows, clocks_went_back=clocks_went_back)
        found = analyse_log(
            plate,
            read.seconds,
            read.amps,
            clamp=clamp,
            supply_volts=volts,
            called_seconds=read.called_seconds if called is None else called,
            dropped_seconds=read.dropped_seconds if dropped is None else dropped,
            control_volts=control,
        )
    except OSError as error:
        _fail(log, ValueError(f"cannot be read: {error.strerror}"))
    except PlentarError as error:
        _fail(log, error)
    _show(analysis_to_json(found))


@main.command()
@click.argument("case")
@click.option("--policy", type=click.Choice(["next", "fixed", "random", "unsafe"]), default="next", show_default=True)
@click.option("--seed", type=int, default=1, show_default=True, help="Of the display's last digit and of random.")
def practice(case: str, policy: "Policy", seed: int) -> None:
    """Work the practice CASE.json by a policy: readings, what each won and cost, what was named, the score."""
    from plentar.core.practice.policies import play_case
    from plentar.formats.case_json import case_from_json, played_to_json

    try:
        read = case_from_json(_read_json(case))
        _show(played_to_json(read, play_case(read, policy, seed=seed)))
    except PlentarError as error:
        _fail(case, error)


@main.command()
@click.argument("kind", type=click.Choice(["unit", "call", "sizing", "heat-pump", "shop", "case"]))
def schema(kind: str) -> None:
    """Print the JSON Schema of a file KIND, or of what a command of that name prints."""
    from plentar.formats.bundle import manifest_schema
    from plentar.formats.call_json import call_schema
    from plentar.formats.case_json import case_schema
    from plentar.formats.sizing_json import sizing_schema, weather_schema

    kinds = {"unit": nameplate_schema, "call": call_schema, "sizing": sizing_schema, "heat-pump": weather_schema}
    kinds |= {"shop": manifest_schema, "case": case_schema}
    _show(kinds[kind]())


@main.command()
def limits() -> None:
    """Print every limit with its default and where it is from, as docs/limits.md has them."""
    from plentar.formats.limits_page import limits_page

    click.echo(limits_page(), nl=False)


@main.command()
def serve() -> None:
    """Serve the application with several workers until stopped."""
    from plentar.store.database import SchemaError
    from plentar.web.serving.server import run

    try:
        run(_settings())
    except SchemaError as error:
        click.echo(str(error), err=True)
        sys.exit(2)
