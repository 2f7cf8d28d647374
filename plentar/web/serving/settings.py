"""Settings, read from the environment; docs/settings.md lists them, and a test holds the two together."""

import os
from collections.abc import Mapping
from dataclasses import dataclass
from hashlib import sha256
from ipaddress import IPv4Network, IPv6Network, ip_address, ip_network
from pathlib import Path
from urllib.parse import urlsplit

from plentar.store.database import SPARE_CONNECTIONS, TimeOuts

__all__ = ["Settings", "SettingsError"]

# Of PostgreSQL's hundred by default: the rest is for migrations, backups and a person who looks.
MOST_CONNECTIONS = 80


class SettingsError(RuntimeError):
    """An environment variable is missing or unusable; the text names it."""


def _is_origin(text: str) -> bool:
    parts = urlsplit(text)
    return parts.scheme in ("http", "https") and bool(parts.hostname) and not parts.path and not parts.query


@dataclass(frozen=True, slots=True, kw_only=True)
class Settings:
    """What the application needs to know of the place it runs in."""

    database_url: str
    secret_key: str = ""
    # The key before: what it signed is still read.
    old_secret_key: str = ""
    owner_url: str = ""
    secure_cookies: bool = True
    host: str = "127.0.0.1"
    port: int = 8000
    workers: int = 3
    threads: int = 4
    servers: int = 1
    proxies: tuple[IPv4Network | IPv6Network, ...] = ()
    keeps_tables: bool = False
    origin: str = ""
    health_port: int = 0
    subdomains_too: bool = False
    lock_seconds: int = 3
    statement_seconds: int = 15
    idle_seconds: int = 60

    def __post_init__(self) -> None:
        whole = self.servers * self.workers * (self.threads + SPARE_CONNECTIONS)
        if whole > MOST_CONNECTIONS:
            raise SettingsError(
                f"PLENTAR_SERVERS, PLENTAR_WORKERS, PLENTAR_THREADS: {self.servers} × {self.workers} ×"
                f" ({self.threads} + {SPARE_CONNECTIONS}) is {whole} database connections, expected at most"
                f" {MOST_CONNECTIONS}"
            )
        if not self.origin and not self.is_on_loopback:
            raise SettingsError(
                "PLENTAR_ORIGIN: expected the address people open, https://name, once the server can be reached from"
                " outside this machine: one-time links and passkeys are made of it"
            )
        if self.origin and not _is_origin(self.origin):
            raise SettingsError(f"PLENTAR_ORIGIN: expected https://name or http://name:port, got {self.origin!r}")
        for name, key in (("PLENTAR_SECRET_KEY", self.secret_key), ("PLENTAR_OLD_SECRET_KEY", self.old_secret_key)):
            if key and len(key) < 32:
                raise SettingsError(f"{name}: expected at least 32 characters")

    @property
    def time_outs(self) -> TimeOuts:
        """How long a request's transaction waits, runs and idles."""
        return TimeOuts(
            lock_seconds=self.lock_seconds, statement_seconds=self.statement_seconds, idle_seconds=self.idle_seconds
        )

    @property
    def is_on_loopback(self) -> bool:
        """True while nobody from outside this machine can ask."""
        if self.host == "localhost":
            return True
        try:
            return ip_address(self.host).is_loopback and not self.proxies
        except ValueError:
            return False

    @property
    def deployment(self) -> str:
        """What tells this deployment's locks and temporary files apart from another's on the same machine."""
        return sha256(self.database_url.encode()).hexdigest()[:12]

    @classmethod
    def from_environment(cls, environment: Mapping[str, str] = os.environ, *, serves: bool = True) -> "Settings":
        """Read every PLENTAR_ variable.

        Args:
            environment: Names and values.
            serves: Pages are served: the web secret is required.

        Raises:
            SettingsError: A required variable is missing, a file cannot be read or a number is not one.
        """

        def secret(name: str) -> str:
            """Return a value that may stand in a file of its own, named by the variable with `_FILE` behind it."""
            path = environment.get(f"{name}_FILE", "")
            if not path:
                return environment.get(name, "")
            try:
                return Path(path).read_text(encoding="utf-8").strip()
            except (OSError, UnicodeDecodeError) as error:
                raise SettingsError(f"{name}_FILE: {path} can't be read") from error

        def required(name: str) -> str:
            value = secret(name)
            if not value:
                raise SettingsError(f"{name}: expected a value, got none (see docs/settings.md)")
            return value

        def number(name: str, default: int) -> int:
            text = environment.get(name, str(default))
            if not (text.isascii() and text.isdigit()) or not 0 < int(text) < 65536:
                raise SettingsError(f"{name}: expected a whole number above zero, got {text!r}")
            return int(text)

        def networks(name: str) -> tuple[IPv4Network | IPv6Network, ...]:
            found = []
            for text in environment.get(name, "").replace(",", " ").split():
                try:
                    found.append(ip_network(text))
                except ValueError as error:
                    raise SettingsError(f"{name}: expected addresses or networks, got {text!r}") from error
            return tuple(found)

        port = number("PLENTAR_PORT", 8000)
        return cls(
            database_url=required("PLENTAR_DATABASE_URL"),
            owner_url=secret("PLENTAR_OWNER_URL"),
            secret_key=required("PLENTAR_SECRET_KEY") if serves else secret("PLENTAR_SECRET_KEY"),
            old_secret_key=secret("PLENTAR_OLD_SECRET_KEY"),
            secure_cookies=environment.get("PLENTAR_SECURE_COOKIES", "yes") != "no",
            host=environment.get("PLENTAR_HOST", "127.0.0.1"),
            port=port,
            workers=number("PLENTAR_WORKERS", 3),
            threads=number("PLENTAR_THREADS", 4),
            servers=number("PLENTAR_SERVERS", 1),
            proxies=networks("PLENTAR_PROXIES"),
            keeps_tables=environment.get("PLENTAR_TABLES", "yes") != "no",
            origin=environment.get("PLENTAR_ORIGIN", "").rstrip("/"),
            health_port=number("PLENTAR_HEALTH_PORT", min(port + 1, 65535)),
            subdomains_too=environment.get("PLENTAR_SUBDOMAINS", "no") == "yes",
            lock_seconds=number("PLENTAR_LOCK_SECONDS", 3),
            statement_seconds=number("PLENTAR_STATEMENT_SECONDS", 15),
            idle_seconds=number("PLENTAR_IDLE_SECONDS", 60),
        )
