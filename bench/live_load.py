"""A posted reading in a shop of 100,000 readings, alone and with 20 live pages open: server time and sizes.

    script/postgres.py start var/bench, then
    PLENTAR_BENCH_DATABASE_URL=postgresql://… python -m bench.live_load [--readings 100000] [--posts 200] [--pages 20]

Served by gunicorn's own workers over loopback, as in use. Each page asks for changes every two seconds.
"""

import argparse
import json
import os
import re
import statistics
import subprocess
import sys
import threading
import time
from datetime import UTC, datetime
from http.cookiejar import CookieJar
from pathlib import Path
from urllib.parse import urlencode
from urllib.request import HTTPCookieProcessor, OpenerDirector, Request, build_opener
from uuid import UUID, uuid4

from sqlalchemy import text

from plentar.demo import DEMO_EMAIL, DEMO_PASSWORD, load_demo
from plentar.store.database import make_engine, make_sessions, migrate

TOKEN = re.compile(r'name="csrf_token"[^>]*value="([^"]+)"')
PORT = 8765
BASE = f"http://127.0.0.1:{PORT}"


def fill(url: str, readings: int) -> list[UUID]:
    """Load the demo and copy a closed call's readings until the shop holds so many; return today's calls."""
    engine = make_engine(url)
    migrate(engine)
    with make_sessions(engine).begin() as db:
        load_demo(db, datetime.now(UTC))
        have = db.scalar(text("select count(*) from reading")) or 0
        closed = db.execute(text("select id from call where status = 'closed'")).scalars().all()
        each = max(0, readings - have) // len(closed)
        for call in closed:
            db.execute(
                text(
                    "insert into reading (id, shop_id, call_id, person_id, meter_id, point, value, typed, "
                    "meter_uncertainty, counts_uncertainty, condition, taken_at, received_at, reason) "
                    "select gen_random_uuid(), shop_id, call_id, person_id, meter_id, point, value, typed, "
                    "meter_uncertainty, counts_uncertainty, condition, taken_at, received_at, '' "
                    "from (select * from reading where call_id = :call limit 1) r, generate_series(1, :each)"
                ),
                {"call": call, "each": each},
            )
        found = list(db.execute(text("select id from call where status <> 'closed' order by id")).scalars())
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as admin:
        admin.execute(text("analyze"))
    engine.dispose()
    return found


def signed_in() -> OpenerDirector:
    """Return a browser signed in as the demo technician."""
    opener = build_opener(HTTPCookieProcessor(CookieJar()))
    page = opener.open(f"{BASE}/sign-in").read().decode()
    form = {"csrf_token": TOKEN.findall(page)[0], "email": DEMO_EMAIL, "password": DEMO_PASSWORD}
    opener.open(f"{BASE}/sign-in", urlencode(form).encode()).read()
    return opener


def post_times(opener: OpenerDirector, calls: list[UUID], posts: int) -> tuple[list[float], int]:
    """Keep readings on each call in turn; return the seconds each took and the largest answer in bytes, packed."""
    page = opener.open(f"{BASE}/calls/{calls[0]}").read().decode()
    token = TOKEN.findall(page)[0]
    times, largest = [], 0
    points = (("amps:strip-a", "20.4"), ("volts:feed-1.l1:feed-1.l2", "238.4"), ("amps:blower", "2.8"))
    for index in range(posts):
        point, value = points[(index // len(calls)) % len(points)]
        form = {"csrf_token": token, "reading_id": str(uuid4()), "point": point, "value": value}
        url = f"{BASE}/calls/{calls[index % len(calls)]}/readings"
        request = Request(url, urlencode(form).encode())  # noqa: S310 - loopback
        request.add_header("HX-Request", "true")
        request.add_header("Accept-Encoding", "gzip")
        start = time.perf_counter()
        body = opener.open(request).read()
        times.append(time.perf_counter() - start)
        largest = max(largest, len(body))
    return times, largest


def watch(opener: OpenerDirector, call: UUID, stop: threading.Event) -> None:
    """Ask for changes every two seconds, like an open page."""
    version = ""
    while not stop.wait(2.0):
        request = Request(f"{BASE}/calls/{call}/changes?{urlencode({'version': version})}")  # noqa: S310 - loopback
        request.add_header("HX-Request", "true")
        answer = opener.open(request)
        body = answer.read().decode()
        found = re.search(r"version=([^\"&]+)", body)
        version = found[1] if found else version


def figures(times: list[float]) -> dict[str, float]:
    """Median and 95th percentile in milliseconds."""
    ordered = sorted(times)
    return {
        "median_ms": round(1000 * statistics.median(ordered), 1),
        "p95_ms": round(1000 * ordered[int(0.95 * (len(ordered) - 1))], 1),
    }


def main() -> None:
    """Fill, serve, measure alone and under the open pages."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--readings", type=int, default=100_000)
    parser.add_argument("--posts", type=int, default=150)
    parser.add_argument("--pages", type=int, default=20)
    options = parser.parse_args()
    url = os.environ["PLENTAR_BENCH_DATABASE_URL"]
    calls = fill(url, options.readings)
    environment = {
        **os.environ,
        "PLENTAR_DATABASE_URL": url,
        "PLENTAR_SECRET_KEY": "b" * 32,
        "PLENTAR_PORT": str(PORT),
        "PLENTAR_SECURE_COOKIES": "no",
    }
    server = subprocess.Popen([str(Path(sys.executable).parent / "plentar"), "serve"], env=environment)
    try:
        for _ in range(60):
            time.sleep(0.5)
            try:
                opener = signed_in()
                break
            except OSError:
                continue
        post_times(opener, calls, 6 * len(calls))
        alone, largest = post_times(opener, calls, options.posts)
        stop = threading.Event()
        pages = [
            threading.Thread(target=watch, args=(signed_in(), calls[i % len(calls)], stop))
            for i in range(options.pages)
        ]
        for page in pages:
            page.start()
        together, _ = post_times(opener, calls, options.posts)
        stop.set()
        for page in pages:
            page.join()
    finally:
        server.terminate()
        server.wait()
    print(
        json.dumps(
            {"alone": figures(alone), f"with {options.pages} pages": figures(together), "largest_swap_bytes": largest}
        )
    )


if __name__ == "__main__":
    main()
