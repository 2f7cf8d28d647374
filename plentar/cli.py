"""The command line: the same core from a shell, and what the scripts call."""

import json
import sys
from datetime import UTC, datetime

import click

from plentar.web.settings import Settings, SettingsError

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


@main.command()
@click.argument("revision", default="head")
def migrate(revision: str) -> None:
    """Bring the database to REVISION (newest by default, `base` for none)."""
    from plentar.store.database import make_engine
    from plentar.store.database import migrate as run

    run(make_engine(_settings().database_url), revision)


@main.command()
def demo() -> None:
    """Load the made-up shop into an empty database."""
    from plentar.demo import load_demo, move_to_today
    from plentar.store.database import make_engine, make_sessions

    now = datetime.now(UTC)
    with make_sessions(make_engine(_settings().database_url)).begin() as db:
        if load_demo(db, now):
            click.echo("demo loaded")
        else:
            move_to_today(db, now)


@main.command()
@click.argument("kind", type=click.Choice(["unit"]))
def schema(kind: str) -> None:
    """Print the JSON Schema of a file KIND."""
    from plentar.formats.unit_json import nameplate_schema

    click.echo(json.dumps({"unit": nameplate_schema}[kind](), indent=2))


@main.command()
def serve() -> None:
    """Serve the application with several workers until stopped."""
    from plentar.web.serve import run

    run(_settings())
