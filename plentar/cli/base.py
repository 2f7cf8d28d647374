"""What every command needs: its settings, its database, files in, and an error in one line."""

import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

import click

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.unit.nameplate import Nameplate
from plentar.formats.unit_json import nameplate_from_json
from plentar.web.serving.settings import Settings, SettingsError
from plentar.words import render

if TYPE_CHECKING:
    from sqlalchemy import Engine


__all__ = ["calls_named", "fail", "open_database", "read_json", "read_settings", "read_unit", "show"]


def read_settings(*, serves: bool = False) -> Settings:
    """Return the settings; only what serves pages needs the web secret."""
    try:
        return Settings.from_environment(serves=serves)
    except SettingsError as error:
        click.echo(str(error), err=True)
        sys.exit(2)


@contextmanager
def open_database(*, as_owner: bool = False) -> "Iterator[Engine]":
    """Lend the database; one that does not answer or has other tables ends the command in one line.

    Args:
        as_owner: As the role that owns the tables: to migrate, back up, restore and load the demo.
    """
    from sqlalchemy.exc import DBAPIError

    from plentar.store.database import SchemaError, make_engine

    settings = read_settings()
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
        return "the database does not have this program's tables: run `plentar migrate`"
    if state == "53100":
        return "the disk of the database is full"
    return "no answer"


def fail(path: str, error: Exception) -> NoReturn:
    """Say in one line which file, which field and what was expected, and leave with 2."""
    field, words = (error.field, render(error.message)) if isinstance(error, PlentarError) else ("", str(error))
    click.echo(f"{path}: {field + ': ' if field else ''}{words}".replace("\n", " "), err=True)
    sys.exit(2)


def read_json(path: str) -> Any:
    """Return a JSON file's document; `-` is standard input."""
    try:
        return json.loads(sys.stdin.read() if path == "-" else Path(path).read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        fail(path, ValueError(f"cannot be read: {getattr(error, 'strerror', None) or 'not UTF-8 text'}"))
    except (json.JSONDecodeError, RecursionError) as error:
        fail(path, ValueError(f"expected JSON: {error}"))


def read_unit(path: str) -> Nameplate:
    try:
        return nameplate_from_json(read_json(path))
    except PlentarError as error:
        fail(path, error)


def calls_named(plate: Nameplate, on: str) -> frozenset[str]:
    calls = frozenset(call.strip() for call in on.split(",") if call.strip())
    for call in sorted(calls - set(plate.calls)):
        raise ReadingError(f"expected calls among {', '.join(plate.calls)}, got {call!r}", field="--on")
    return calls


def show(document: object) -> None:
    click.echo(json.dumps(document, indent=2, ensure_ascii=False))
