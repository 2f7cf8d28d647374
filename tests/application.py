"""What the tests of the application share: a throwaway database, an application of their own, a signed-in client.

The fixtures of these names stand in `conftest` and ask for this module only when a test asks for them: the core's tests
pay for no Flask and no database.
"""

import os
import re
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from copy import copy
from dataclasses import asdict
from datetime import UTC, datetime, timedelta
from time import sleep
from typing import Any
from uuid import UUID, uuid4

import pytest
from argon2 import PasswordHasher
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import URL, Connection, Engine, create_engine, inspect, make_url, text
from sqlalchemy.orm import Session
from sqlalchemy.pool import NullPool
from werkzeug.test import TestResponse

from plentar.core.evidence.events import first_event
from plentar.core.evidence.metrology import DEMO_METER
from plentar.core.unit.patterns import PATTERNS
from plentar.demo import load_demo
from plentar.formats import pdf, photos
from plentar.formats.events_json import action_to_json
from plentar.formats.unit_json import nameplate_to_json
from plentar.store import database, events, people
from plentar.store.database import make_engine, make_sessions, migrate
from plentar.store.models import Call, MeterRow, Person, PlaceRow, Shop, Unit
from plentar.store.people import hash_password
from plentar.store.roles import let_serve
from plentar.web import create_app
from plentar.web.serving.settings import Settings
from tests import ROOT

PASSWORD = "attic-ladder-7"
# Who owns the tables of the throwaway cluster, and who serves them.
USER, SERVING_USER = "plentar", "plentar_app"
# What each worker's database is copied from.
DEMO_DATABASE = "plentar_demo"
# Hashes that take a tenth of a second each would take a minute of every run; one test asks for the real ones.
REAL_HASHER, people._hasher = people._hasher, PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)
people._NOBODY = people._hasher.hash("no person signs in with this address")
PASSWORD_HASH = hash_password(PASSWORD)
# A machine that others use may stand still for seconds; how long people wait for each other is another test's.
database.POOL_SECONDS = photos.WAIT_SECONDS = pdf.WAIT_SECONDS = 120


def problems(body: str) -> list[str]:
    """The fields a page shows a problem at, in order: what it says there may be worded anew."""
    return re.findall(r'data-field="([^"]*)"', body)


def reasons(body: str) -> list[str]:
    """The ids of the reasons a page gives, in order."""
    return re.findall(r'data-reason="([^"]*)"', body)


def database_url(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """The throwaway PostgreSQL that the test script started, or one of this run's own; a database a worker. As the role
    that serves: `engine` is the owner's."""
    for owner_url in _owner_urls(tmp_path_factory):
        yield make_url(owner_url).set(username=SERVING_USER).render_as_string(hide_password=False)


def _owner_urls(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    if url := os.environ.get("PLENTAR_TEST_DATABASE_URL"):
        yield database_of_worker(url, os.environ.get("PYTEST_XDIST_WORKER", "alone"))
        return
    folder = tmp_path_factory.mktemp("postgres")
    for parent in (folder, *folder.parents[:2]):
        parent.chmod(0o755)
    script = [sys.executable, str(ROOT / "script/postgres.py")]
    started = subprocess.run([*script, "start", str(folder)], check=True, capture_output=True, text=True)
    yield database_of_worker(started.stdout.strip(), "alone")
    subprocess.run([*script, "remove", str(folder)], check=True)


def database_of_worker(url: str, worker: str) -> str:
    """Make this worker's own database on the cluster, a copy of the demo's, and return its address."""
    name = f"plentar_{worker}"
    with in_administration(make_url(url)) as connection:
        # Loading the demo takes seconds: the first worker of a run does it, the others wait and copy.
        run = os.environ.get("PYTEST_XDIST_TESTRUNUID", uuid4().hex)
        connection.execute(text("select pg_advisory_lock(1)"))
        loaded = "select 1 from pg_database d where datname = :name and shobj_description(d.oid, 'pg_database') = :run"
        if connection.scalar(text(loaded), {"name": DEMO_DATABASE, "run": run}) is None:
            _load_demo(connection, make_url(url), run)
        connection.execute(text(f"drop database if exists {name} with (force)"))
        connection.execute(text(f"create database {name} template {DEMO_DATABASE}"))
    return url.rsplit("/", 1)[0] + f"/{name}"


def _load_demo(connection: Connection, url: URL, run: str) -> None:
    """Make the database that the workers of one run copy: migrated, with the demo in it."""
    connection.execute(text(f"drop database if exists {DEMO_DATABASE} with (force)"))
    connection.execute(text(f"create database {DEMO_DATABASE}"))
    owner = make_engine(url.set(database=DEMO_DATABASE).render_as_string(hide_password=False))
    migrate(owner)
    with make_sessions(owner).begin() as db:
        load_demo(db, datetime.now(UTC))
    let_go(owner)
    connection.execute(text(f"comment on database {DEMO_DATABASE} is '{run}'"))


@contextmanager
def in_administration(url: URL) -> Iterator[Connection]:
    """A connection that makes and drops databases; what it locked is free after."""
    admin = create_engine(url, isolation_level="AUTOCOMMIT", poolclass=NullPool)
    with admin.connect() as connection:
        yield connection


def served(owner: Engine) -> str:
    """The database's URL as the role that serves it, with its rights once there are tables."""
    url = owner.url.set(username=SERVING_USER).render_as_string(hide_password=False)
    if inspect(owner).has_table("event"):
        let_serve(owner, url)
    return url


def engine(database_url: str) -> Iterator[Engine]:
    """The owner's engine on a migrated database with the demo in it."""
    engine = make_engine(make_url(database_url).set(username=USER).render_as_string(hide_password=False))
    served(engine)
    yield engine
    let_go(engine)


@contextmanager
def own_database(engine: Engine) -> Iterator[Engine]:
    """A database of the test's own on the same cluster; whatever happens, it and its connections are gone after."""
    name = f"own_{uuid4().hex}"
    with in_administration(engine.url) as connection:
        connection.execute(text(f"create database {name}"))
    own = make_engine(engine.url.set(database=name).render_as_string(hide_password=False))
    try:
        yield own
    finally:
        let_go(own)
        with in_administration(engine.url) as connection:
            connection.execute(text(f"drop database {name}"))


def db(engine: Engine) -> Iterator[Session]:
    """A session whose work is undone at the end of the test."""
    with make_sessions(engine)() as session:
        yield session
        session.rollback()


class WholeAnswers(FlaskClient):
    """Reads every answer to its end: one left half read holds its database connection for longer than the test."""

    def open(self, *args: Any, **kwargs: Any) -> TestResponse:
        return super().open(*args, **{"buffered": True} | kwargs)


@contextmanager
def application(database_url: str, *, is_gated: bool = False, **settings: Any) -> Iterator[Flask]:
    """The application with every guard on; its connections are gone after."""
    given: dict[str, Any] = {"secret_key": "k" * 32, "secure_cookies": False} | settings
    app = create_app(Settings(database_url=database_url, **given))
    app.test_client_class = WholeAnswers
    if not is_gated:
        # Thirty at once is what some tests are about; who has to wait is another one's.
        app.extensions["plentar.sessions"].kw["info"] = None
    try:
        yield app
    finally:
        let_go(app.extensions["plentar.sessions"].kw["bind"])


def let_go(engine: Engine) -> None:
    """Close an engine's connections once nothing uses one: what comes back to a closed pool is closed by nobody."""
    for _ in range(1200):
        if engine.pool.checkedout() == 0:  # type: ignore[attr-defined]
            engine.dispose()
            return
        sleep(0.05)
    raise AssertionError("a connection is still in use a minute after the test")


def app(engine: Engine, database_url: str) -> Iterator[Flask]:
    """The application as it is served, on the throwaway database."""
    # As patient as the pool above: on a slow machine ten people who write at once wait for each other.
    with application(database_url, lock_seconds=60, statement_seconds=120) as app:
        app.config["WTF_CSRF_ENABLED"] = False
        yield app


class ShopOf:
    """A shop of one person with one unit and one open call, made for a test."""

    def __init__(self, db: Session, pattern: str) -> None:
        plate = PATTERNS[pattern]()
        self.email = f"{uuid4().hex}@shop.example"
        self.plate = plate
        self.shop = Shop(id=uuid4(), name="Test shop", time_zone="America/Chicago")
        db.add(self.shop)
        db.flush()
        self.person = Person(
            id=uuid4(), shop_id=self.shop.id, name="Pim Tester", email=self.email, password_hash=PASSWORD_HASH
        )
        ranges = [
            {name: value for name, value in asdict(r).items() if value != float("inf")} for r in DEMO_METER.ranges
        ]
        meter = MeterRow(id=uuid4(), shop_id=self.shop.id, name="Test meter", ranges=ranges)
        place = PlaceRow(id=uuid4(), shop_id=self.shop.id, name="1 Test Row", town="Testing")
        db.add_all([self.person, meter, place])
        db.flush()
        unit = Unit(
            id=uuid4(), shop_id=self.shop.id, place_id=place.id, label="unit 1", nameplate=nameplate_to_json(plate)
        )
        db.add(unit)
        db.flush()
        now = datetime.now(UTC)
        call = Call(
            id=uuid4(),
            shop_id=self.shop.id,
            unit_id=unit.id,
            technician_id=self.person.id,
            meter_id=meter.id,
            complaints=["not enough heat"],
            scheduled_at=now,
            status="open",
        )
        db.add(call)
        db.flush()
        events.begin(db, call, action_to_json(first_event(plate)), now - timedelta(hours=1))
        self.call_id: UUID = call.id
        self.unit_id: UUID = unit.id
        self.place_id: UUID = place.id
        self.url = f"/calls/{call.id}"


def colleague(db: Session, shop: ShopOf) -> ShopOf:
    """Somebody else of the shop, as one who signs in."""
    other = copy(shop)
    other.email = f"{uuid4().hex}@shop.example"
    db.add(Person(id=uuid4(), shop_id=shop.shop.id, name="Ona Other", email=other.email, password_hash=PASSWORD_HASH))
    return other


def make_colleague(engine: Engine) -> Callable[[ShopOf], ShopOf]:
    """Make somebody else of a shop who stays, as the shop does."""

    def make(shop: ShopOf) -> ShopOf:
        with make_sessions(engine).begin() as db:
            return colleague(db, shop)

    return make


def make_shop(engine: Engine) -> Callable[..., ShopOf]:
    """Make a shop that stays, since the application reads it over its own connection."""

    def make(pattern: str = "two-strip-sequencer") -> ShopOf:
        with make_sessions(engine).begin() as db:
            return ShopOf(db, pattern)

    return make


def lead(app: Flask, shop: ShopOf, engine: Engine) -> FlaskClient:
    """A browser signed in as the shop's one person, made a lead."""
    with engine.begin() as connection:
        connection.execute(text("update person set role = 'lead' where id = :id"), {"id": shop.person.id})
    return sign_in(app, shop)


def flat(body: str) -> str:
    """A page as it is read: where its source breaks a line means nothing."""
    return " ".join(body.split())


def sign_in(app: Flask, shop: ShopOf) -> FlaskClient:
    """Return a client signed in to this shop."""
    client = app.test_client()
    answer = client.post("/sign-in", data={"email": shop.email, "password": PASSWORD})
    assert answer.status_code == 302, answer.text
    return client


def forget_attempts(engine: Engine) -> None:
    """Clear the guesses of earlier tests, which share one network address."""
    with engine.begin() as connection:
        connection.execute(text("delete from sign_in_guess"))
