"""A shop of 100,000 calls and 3,000,000 readings beside one of 1,000: Today, a unit's page and search, as ratios.

    PLENTAR_TEST_DATABASE_URL=postgresql://… python -m bench.big_shop [--import]

Both shops stand in one database and show the same rows: ten calls today, a unit of some twelve calls, five places
found. All routes run in one process through Flask's test client, in turn, warm; medians against a bare route with one
indexed SELECT, and against the same page of the small shop. With --import the large shop is exported and taken into an
empty one by the command line, and the most memory either took is printed.
"""

import json
import os
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from uuid import UUID, uuid4

from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import Engine, create_engine, select, text
from sqlalchemy.pool import NullPool

from bench.reading_round_trip import seconds
from plentar.core.evidence.events import first_event
from plentar.core.evidence.metrology import DEMO_METER
from plentar.core.unit.patterns import PATTERNS
from plentar.formats.events_json import action_to_json
from plentar.formats.unit_json import nameplate_to_json
from plentar.store.database import make_engine, make_sessions, migrate
from plentar.store.models import Call
from plentar.store.people import hash_password
from plentar.web import create_app
from plentar.web.serving.settings import Settings

SMALL, LARGE = 1_000, 100_000
CALLS_A_UNIT, READINGS, TODAY = 12.5, 30, 10
PASSWORD = "bench-only-1"
RUNS = 40
SECRET = "b" * 32

MAKE = """
insert into shop (id, name, time_zone, currency, tax_percent, retention, set_up_at)
    values (:shop, :name, 'America/Chicago', 'USD', 0, '{}', now());
insert into person (shop_id, id, name, email, role, password_hash)
    select :shop, gen_random_uuid(), 'Person ' || n, :name || n || '@bench.example', 'lead', :hash
    from generate_series(1, :people) as c(n);
insert into meter (shop_id, id, name, ranges) values (:shop, gen_random_uuid(), 'Clamp', cast(:ranges as jsonb));
insert into place (shop_id, id, name, town, occupant, access_note)
    select :shop, gen_random_uuid(), n || case when n <= 5 then ' Quincewood Row' else ' Street ' || (n % 97) end,
        'Benchton', 'Person ' || n, '' from generate_series(1, :units) as c(n);
insert into unit (shop_id, id, place_id, label, nameplate)
    select :shop, gen_random_uuid(), id, 'closet',
        cast(:plate as jsonb) || jsonb_build_object('built', '2014', 'serial', 'S' || row_number() over (order by name))
    from place where shop_id = :shop;
create temporary table u as select id, row_number() over (order by id) - 1 as n from unit where shop_id = :shop;
create temporary table p as select id, row_number() over (order by id) - 1 as n from person where shop_id = :shop;
insert into call (shop_id, id, unit_id, technician_id, meter_id, complaints, words, status, scheduled_at, closed_at,
        outcome, seq)
    select :shop, gen_random_uuid(), u.id, p.id, (select id from meter where shop_id = :shop), '["seasonal check"]', '',
        'closed', now() - interval '1 day' - k * interval '15 minutes',
        now() - interval '23 hours' - k * interval '15 minutes', 'Within band.', :readings + 1
    from generate_series(1, :calls) as c(k) join u on u.n = k % :units join p on p.n = k % :people;
insert into call (shop_id, id, unit_id, technician_id, meter_id, complaints, words, status, scheduled_at, outcome, seq)
    select :shop, gen_random_uuid(), u.id, (select id from p where n = 0), (select id from meter where shop_id = :shop),
        '["no heat"]', 'Cold.', 'planned', now(), '', 1 from u where u.n < :today;
insert into event (shop_id, id, call_id, seq, kind, payload, person_id, done_at, come_at, clock_seconds)
    select :shop, gen_random_uuid(), call.id, 1, 'opened', cast(:opened as jsonb), call.technician_id,
        call.scheduled_at, call.scheduled_at, 0 from call where shop_id = :shop;
insert into event (shop_id, id, call_id, seq, kind, payload, person_id, done_at, come_at, clock_seconds)
    select :shop, gen_random_uuid(), call.id, r + 1, 'reading', jsonb_build_object(
            'point', (array['volts:feed-1.l1:feed-1.l2', 'amps:strip-a', 'amps:strip-b', 'amps:blower'])[r % 4 + 1],
            'typed', '20.4', 'value', (array[239.1, 20.4, 20.6, 2.3])[r % 4 + 1], 'meter', call.meter_id,
            'meter_uncertainty', 0.4, 'counts_uncertainty', 0.2, 'condition', jsonb_build_object(
                'feeds', jsonb_build_object('feed-1', 'live'), 'control', 'from unit',
                'calls', jsonb_build_object('W', 400.0), 'seconds_since_change', 400.0, 'bypassed', false)),
        call.technician_id, call.scheduled_at + r * interval '1 minute', call.scheduled_at, 0
    from call cross join generate_series(1, :readings) r where shop_id = :shop and status = 'closed';
insert into event (shop_id, id, call_id, seq, kind, payload, person_id, done_at, come_at, clock_seconds)
    select :shop, gen_random_uuid(), call.id, :readings + 2, 'cause', jsonb_build_object(
            'faults', jsonb_build_array('strip-b.link.open'), 'title', 'Fusible link of Strip B open', 'cause', '',
            'cause_not_found', true), call.technician_id, call.closed_at, call.closed_at, 0
    from call where shop_id = :shop and status = 'closed' and hashtext(cast(id as text)) % 20 = 0;
drop table u;
drop table p;
"""


def make_shop(engine: Engine, name: str, calls: int) -> UUID:
    """Fill a shop by the database itself: three million readings in a minute or two."""
    plate = PATTERNS["two-strip-sequencer"]()
    ranges = [{k: v for k, v in asdict(entry).items() if v != float("inf")} for entry in DEMO_METER.ranges]
    shop_id = uuid4()
    values = {
        "shop": shop_id,
        "name": name,
        "hash": hash_password(PASSWORD),
        "people": 30 if calls > SMALL else 3,
        "units": round(calls / CALLS_A_UNIT),
        "calls": calls,
        "readings": READINGS,
        "today": TODAY,
        "ranges": json.dumps(ranges),
        "plate": json.dumps(nameplate_to_json(plate)),
        "opened": json.dumps(action_to_json(first_event(plate))),
    }
    with engine.begin() as connection:
        for statement in MAKE.split(";\n"):
            if statement.strip():
                named = {key: value for key, value in values.items() if f":{key}" in statement}
                connection.execute(text(statement), named)
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(text("vacuum analyze"))
    return shop_id


def pages(engine: Engine, shop_id: UUID) -> dict[str, str]:
    """Return the addresses that are timed of a shop."""
    with engine.connect() as connection:
        unit = connection.execute(
            text("select unit_id from call where shop_id = :s and status = 'closed' order by scheduled_at limit 1"),
            {"s": shop_id},
        ).scalar_one()
    return {
        "today": "/today",
        "unit": f"/units/{unit}",
        "search": "/find?q=Quincewood",
        "search, common word": "/find?q=seasonal",
        "search, misspelt": "/find?q=Quinsewood",
    }


def bare_app(url: str, shop_id: UUID, call_id: UUID) -> Flask:
    """The least a database page can do: one route, one SELECT by primary key."""
    app = Flask(__name__)
    sessions = make_sessions(make_engine(url))

    @app.get("/")
    def one_select() -> str:
        with sessions() as db:
            return str(db.scalar(select(Call.words).where(Call.shop_id == shop_id, Call.id == call_id)))

    return app


def asker(client: FlaskClient, address: str) -> Callable[[], int]:
    """Return a function that asks for a page."""
    return lambda: client.get(address).status_code


def timed(url: str, engine: Engine, shops: dict[str, UUID]) -> None:
    """Time the pages of both shops and the bare route in turn, and print medians as ratios."""
    app = create_app(Settings(database_url=url, secret_key=SECRET, secure_cookies=False))
    app.config["WTF_CSRF_ENABLED"] = False
    works: dict[tuple[str, str], Callable[[], int]] = {}
    for name, shop_id in shops.items():
        client = app.test_client()
        with engine.connect() as connection:
            query = text("select technician_id from call where shop_id = :s and status = 'planned' limit 1")
            who = connection.execute(query, {"s": shop_id}).scalar_one()
            email = connection.execute(text("select email from person where id = :p"), {"p": who}).scalar_one()
        assert client.post("/sign-in", data={"email": email, "password": PASSWORD}).status_code == 302
        for page, address in pages(engine, shop_id).items():
            works[name, page] = asker(client, address)
    with engine.connect() as connection:
        call = connection.execute(text("select shop_id, id from call limit 1")).one()
    bare = bare_app(url, call.shop_id, call.id).test_client()
    works["bare", ""] = lambda: bare.get("/").status_code
    taken: dict[tuple[str, str], list[float]] = {key: [] for key in works}
    for run in range(RUNS + 5):
        for key, work in works.items():
            elapsed = seconds(work)
            if run >= 5:
                taken[key].append(elapsed)
    median = {key: statistics.median(values) for key, values in taken.items()}
    one = median["bare", ""]
    print(f"bare SELECT route {1000 * one:.2f} ms")
    for page in pages(engine, shops["large"]):
        large, small = median["large", page], median["small", page]
        ratios = f"{large / one:5.1f} × bare  {large / small:5.2f} × its own of 1,000 calls"
        print(f"{page:22} {1000 * large:7.1f} ms  {ratios}")


def imported(url: str, engine: Engine) -> None:
    """Export the large shop and take it into an empty one, by the command line; print time and memory."""
    environment = os.environ | {"PLENTAR_DATABASE_URL": url, "PLENTAR_SECRET_KEY": SECRET}
    with engine.begin() as connection:
        connection.execute(
            text("insert into shop (id, name, time_zone, currency, tax_percent, retention) values"
                 " (:i, 'empty', 'America/Chicago', 'USD', 0, '{}')"), {"i": uuid4()}
        )  # fmt: skip
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "shop.zip"
        for command in (["export", str(path), "--shop", "large"], ["import", str(path), "--shop", "empty"]):
            before = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss
            start = time.perf_counter()
            asked = [sys.executable, "-c", "from plentar.cli import main; main()", *command]
            done = subprocess.run(asked, env=environment, check=True, capture_output=True, text=True)
            most = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss
            told = done.stdout.strip().splitlines()[-1]
            print(
                f"{command[0]}: {time.perf_counter() - start:.0f} s, at most {max(most, before) / 1024:.0f} MB; {told}"
            )
        print(f"bundle {path.stat().st_size / 1e6:.0f} MB")


def main() -> None:
    """Make both shops in a database of their own, time them."""
    url = os.environ["PLENTAR_TEST_DATABASE_URL"]
    admin = create_engine(make_engine(url).url, isolation_level="AUTOCOMMIT", poolclass=NullPool)
    with admin.connect() as connection:
        connection.execute(text("drop database if exists big_shop with (force)"))
        connection.execute(text("create database big_shop"))
    own = url.rsplit("/", 1)[0] + "/big_shop"
    engine = make_engine(own)
    migrate(engine)
    start = time.perf_counter()
    shops = {"small": make_shop(engine, "small", SMALL), "large": make_shop(engine, "large", LARGE)}
    print(f"made in {time.perf_counter() - start:.0f} s")
    timed(own, engine, shops)
    if "--import" in sys.argv:
        imported(own, engine)
    engine.dispose()
    with admin.connect() as connection:
        connection.execute(text("drop database big_shop with (force)"))


if __name__ == "__main__":
    main()
