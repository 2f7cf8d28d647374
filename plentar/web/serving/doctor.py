"""What an operator asks first: is the database there, are tables, roles, disk, clock, certificate and backups right?"""

import shutil
import socket
import ssl
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from urllib.parse import urlsplit

from sqlalchemy import Engine, text
from sqlalchemy.exc import DBAPIError

from plentar.store.database import SchemaError, check_tables
from plentar.store.roles import check_serving
from plentar.web.serving.settings import Settings

__all__ = ["Examined", "examine"]

# Chosen: less room and the next backup may not fit; a clock this far off puts a phone's entries in the wrong order; a
# certificate is renewed a month ahead; a nightly backup that is two days old has failed once.
LEAST_FREE, MOST_OFF_SECONDS = 0.1, 5.0
LEAST_CERTIFICATE, MOST_BACKUP_AGE = timedelta(days=21), timedelta(days=2)
ASK_SECONDS = 5.0


@dataclass(frozen=True, slots=True)
class Examined:
    """One thing examined: what, how it is, and what to do where it is not fine."""

    what: str
    state: str
    advice: str = ""


def examine(settings: Settings, engine: Engine, *, backups: Path | None, now: datetime) -> Iterator[Examined]:
    """Examine a deployment, one finding after another; nothing is changed.

    Args:
        settings: As the server reads them.
        engine: As the role that serves.
        backups: The folder of the nightly backups.
        now: This machine's clock.
    """
    yield from _database(engine, now)
    yield _disk(backups or Path.cwd())
    yield _origin(settings)
    if settings.origin.startswith("https://"):
        yield _certificate(settings.origin, now)
    if backups is not None:
        yield _backups(backups, now)


def _database(engine: Engine, now: datetime) -> Iterator[Examined]:
    try:
        with engine.connect() as connection:
            there = connection.scalar(text("select clock_timestamp()"))
            yield Examined("database", "answers")
            off = abs((there - now).total_seconds()) if isinstance(there, datetime) else 0.0
            late = "" if off <= MOST_OFF_SECONDS else "Set the clocks of both machines by NTP."
            yield Examined("clock", f"{off:.1f} s between this machine and the database", late)
            try:
                check_tables(connection)
                yield Examined("tables", "this program's")
            except SchemaError as error:
                yield Examined("tables", str(error), "Back up, then run `plentar migrate`.")
                return
            try:
                check_serving(connection)
                yield Examined("role", "serves and owns nothing")
            except SchemaError as error:
                yield Examined("role", str(error), "See docs/operations.md, Two roles.")
    except DBAPIError:
        yield Examined("database", "no answer", "Check PLENTAR_DATABASE_URL and that PostgreSQL runs.")


def _disk(folder: Path) -> Examined:
    usage = shutil.disk_usage(folder if folder.exists() else Path("/"))
    share = usage.free / usage.total
    advice = "" if share >= LEAST_FREE else "Free some space, or move the backups."
    return Examined("disk", f"{share:.0%} free at {folder}", advice)


def _origin(settings: Settings) -> Examined:
    if settings.origin.startswith("https://"):
        return Examined("origin", settings.origin)
    advice = "" if settings.is_on_loopback else "Set PLENTAR_ORIGIN to https://name."
    return Examined("origin", settings.origin or "none, this machine only", advice)


def _certificate(origin: str, now: datetime) -> Examined:
    parts = urlsplit(origin)
    try:
        with (
            socket.create_connection((parts.hostname or "", parts.port or 443), timeout=ASK_SECONDS) as plain,
            ssl.create_default_context().wrap_socket(plain, server_hostname=parts.hostname) as secure,
        ):
            ends = ssl.cert_time_to_seconds(str((secure.getpeercert() or {}).get("notAfter")))
    except (OSError, ValueError) as error:
        return Examined("certificate", f"not accepted: {error}", f"Open {origin} in a browser, and renew it.")
    left = datetime.fromtimestamp(ends, tz=UTC) - now
    return Examined("certificate", f"{left.days} days left", "" if left >= LEAST_CERTIFICATE else "Renew it.")


def _backups(folder: Path, now: datetime) -> Examined:
    newest = max((path.stat().st_mtime for path in folder.glob("*.plentar")), default=None) if folder.is_dir() else None
    if newest is None:
        return Examined("backup", f"none in {folder}", "Run `plentar backup`, and check the nightly timer.")
    age = now - datetime.fromtimestamp(newest, tz=UTC)
    advice = "" if age <= MOST_BACKUP_AGE else "The nightly backup has failed: see its log."
    return Examined("backup", f"newest is {age.total_seconds() / 3600:.0f} h old", advice)
