"""The doors under load, served by gunicorn's own workers over loopback: guesses, open pages, a day in twenty minutes.

    script/postgres.py start var/bench, then
    PLENTAR_BENCH_DATABASE_URL=postgresql://… python -m bench.doors guesses [--count 10000]
                                                                    pages [--pages 50] [--seconds 60]
                                                                    soak [--minutes 30]
                                                                    locked [--seconds 60]
                                                                    kills
                                                                    full

`guesses`: of so many guesses at one person at once, how many were looked at. `pages`: as many visible pages as that
ask whether anything changed while somebody works: connections lost, and how soon a change is seen. `soak`: readings,
boards, reports and logs of every demo unit beside hostile requests, and how memory grows over the last half.
`locked`: somebody holds one call's row while fifty post to it; how long everybody else waits, quiet and busy in turn.
`kills`: workers, the master and PostgreSQL killed under load, thirteen times; needs a cluster of its own.
`full`: a disk of 500 MB, filled up and emptied three times while somebody posts; needs the right to mount one.
"""

import argparse
import contextlib
import json
import os
import random
import signal
import statistics
import subprocess
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from uuid import UUID, uuid4

from sqlalchemy import Engine, select, text
from sqlalchemy.orm import Session, sessionmaker

from bench.demo_data import demo_database, serving_url
from bench.fuzz import Attack, hostile_requests
from plentar.core.causes.hypotheses import model_of
from plentar.core.circuit.drive import Drive
from plentar.core.unit.points import test_points
from plentar.demo import DEMO_EMAIL, DEMO_PASSWORD, load_demo
from plentar.formats.unit_json import nameplate_from_json
from plentar.store.database import make_engine, make_sessions, migrate
from plentar.store.models import Call
from tests.hostile import Sent
from tests.serving import Browser, Server, a_cluster, kill_cluster, serving, start_cluster

POLL_SECONDS, JITTER = 1.9, 0.1
# A long call: everything read once, much of it twice. The next reading is of another call on that unit.
MOST_READINGS = 80


def note(words: str) -> dict[str, object]:
    """One event that is kept whatever stands."""
    return {"id": str(uuid4()), "kind": "note", "payload": {"words": words}}


def signed_in(server: Server) -> Browser:
    """A browser of the demo's technician: one signs in, the others are its further tabs."""
    if not _first:
        _first.append(Browser(server.port))
        _first[0].sign_in(DEMO_EMAIL, DEMO_PASSWORD)
    browser = Browser(server.port)
    browser.cookies, browser.token = dict(_first[0].cookies), _first[0].token
    return browser


_first: list[Browser] = []


def guesses(server: Server, count: int) -> None:
    """Count what was evaluated: answered as wrong, not as too many."""

    def guess(number: int) -> int:
        browser = local.__dict__.setdefault("browser", Browser(server.port))
        if not browser.token:
            browser._take_token("/sign-in")
        return int(browser.post("/sign-in", email=DEMO_EMAIL, password=f"guess-{number}"))

    local = threading.local()
    began = time.perf_counter()
    with ThreadPoolExecutor(40) as pool:
        codes = list(pool.map(guess, range(count)))
    seconds = time.perf_counter() - began
    told = {code: codes.count(code) for code in sorted(set(codes))}
    print(f"{count} guesses in {seconds:.0f} s: {codes.count(422)} evaluated, answers {told}")


def pages(server: Server, calls: list[UUID], count: int, seconds: float) -> None:
    """Let so many pages ask while one person keeps something every second."""
    lost, asked = [0], [0]
    delays: list[float] = []
    together = threading.Barrier(count + 1)
    kept: dict[tuple[UUID, int], float] = {}
    ended = threading.Event()

    def page(call: UUID) -> None:
        browser = signed_in(server)
        together.wait()
        seen = 0
        while not ended.wait(POLL_SECONDS * random.uniform(1 - JITTER, 1 + JITTER)):  # noqa: S311
            asked[0] += 1
            try:
                status, _, headers = browser.ask(
                    "GET", f"/calls/{call}/changes", headers={"If-None-Match": f'"{seen}"'}
                )
            except OSError:
                lost[0] += 1
                continue
            if status == 200:
                now = int(headers["etag"].strip('"'))
                moment = time.monotonic()
                delays.extend(moment - kept[call, seq] for seq in range(seen + 1, now + 1) if (call, seq) in kept)
                seen = now
                # As a page does: what changed is fetched and drawn.
                try:
                    browser.get(f"/calls/{call}/others")
                except OSError:
                    lost[0] += 1

    signed_in(server)
    threads = [threading.Thread(target=page, args=(calls[n % len(calls)],), daemon=True) for n in range(count)]
    for thread in threads:
        thread.start()
    worker = signed_in(server)
    together.wait()
    time.sleep(6)
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        call = random.choice(calls)  # noqa: S311
        _, answers = worker.send(f"/calls/{call}", note("kept"))
        kept[call, answers[0]["seq"]] = time.monotonic()
        time.sleep(1.0)
    time.sleep(4)
    ended.set()
    for thread in threads:
        thread.join(10)
    p95 = statistics.quantiles(delays, n=20)[18]
    print(
        f"{count} pages, {asked[0]} polls in {seconds:.0f} s: {lost[0]} connections lost; {len(delays)} changes seen"
        f" after {statistics.median(delays):.2f} s in the middle, {p95:.2f} s at the 95th, {max(delays):.2f} s at most"
    )


class Unit:
    """One call's unit with a fault in it, and what a meter reads on it."""

    def __init__(self, call: Call, rng: random.Random) -> None:
        self.url = f"/calls/{call.id}"
        plate = nameplate_from_json(call.unit.nameplate)
        self.points = [p.id for p in test_points(plate) if p.quantity in ("volts", "amps")]
        self.model = model_of(plate)
        self.row = rng.randrange(len(self.model.faults))
        self.calls = [call for call in ("W", "W2") if call in plate.calls]
        self.where = {"place_id": str(call.unit.place_id), "unit_id": str(call.unit_id), "complaints": "no heat"}
        self.taken = 0
        self.lock = threading.Lock()

    def begin(self, browser: Browser, *, anew: bool) -> None:
        """Call for heat, on another call where this one has had what a technician takes on one."""
        if anew:
            call_id = str(uuid4())
            assert browser.post("/calls/new", call_id=call_id, **self.where) == 302
            self.url, self.taken = f"/calls/{call_id}", 0
        for call in self.calls:
            # Called long enough ago for every pole: what is read fits the fault.
            moment = (datetime.now(UTC) - timedelta(minutes=20)).isoformat()
            switch = {"kind": "switch", "payload": {"what": call, "state": "on"}, "done_at": moment}
            browser.send(self.url, {"id": str(uuid4()), **switch})

    def read(self, rng: random.Random) -> dict[str, object]:
        """A reading under heat, as good as a meter."""
        point = rng.choice(self.points)
        shown = float(self.model.predict(point, Drive(calls=frozenset(self.calls))).predicted[self.row])
        payload = {"point": point, "typed": f"{abs(shown) * rng.uniform(0.99, 1.01):.1f}"}
        return {"id": str(uuid4()), "kind": "reading", "payload": payload}


def soak(server: Server, units: list[Unit], minutes: float, hostile: list[Sent]) -> None:
    """Work on every unit in turn; print memory each minute and its slope over the last half."""
    ended = threading.Event()
    done, slow = [0], [0]

    def work(seed: int) -> None:
        rng = random.Random(seed)  # noqa: S311
        browser = signed_in(server)
        while not ended.is_set():
            try:
                unit = rng.choice(units)
                what = rng.random()
                if what < 0.5:
                    with unit.lock:
                        unit.taken += 1
                        if unit.taken > MOST_READINGS:
                            unit.begin(browser, anew=True)
                    reading = unit.read(rng)
                    browser.send(unit.url, reading)
                    browser.get(f"{unit.url}?point={reading['payload']['point']}", HX_Request="true")  # type: ignore[index]
                elif what < 0.8:
                    browser.get(unit.url + rng.choice(["", "/fix", "/blower", "/control", "/timing"]))
                elif what < 0.97:
                    browser.get(unit.url + rng.choice(["/report", "/call.json", "/readings.csv"]))
                else:
                    browser.get(f"{unit.url}/report.pdf")
            except OSError:
                slow[0] += 1
                continue
            done[0] += 1

    first = signed_in(server)
    for unit in units:
        unit.begin(first, anew=False)

    def attacked() -> None:
        made, number = Attack(server, 5), 0
        while not ended.is_set():
            if number % 20 == 19:
                made.break_in()
            made.send(number, hostile[number % len(hostile)])
            number += 1
        print(f"{number} hostile requests: {len(made.faults)} faults, {len(made.silent)} not answered", flush=True)

    threads = [threading.Thread(target=work, args=(seed,), daemon=True) for seed in range(4)]
    threads.append(threading.Thread(target=attacked, daemon=True))
    for thread in threads:
        thread.start()
    began = time.monotonic()
    samples: list[tuple[float, float, float]] = []
    while (minute := (time.monotonic() - began) / 60) < minutes:
        samples.append((minute, server.megabytes, server.maker_megabytes))
        if len(samples) % 6 == 1:
            _, whole, makers = samples[-1]
            print(f"{minute:5.1f} min  {whole:6.0f} MB  {makers:4.0f} of reports  {done[0]} requests", flush=True)
        time.sleep(10)
    ended.set()
    threads[-1].join(90)
    half = [sample for sample in samples if sample[0] >= minutes / 2]
    at = [minute for minute, _, _ in half]
    slope, reports = (statistics.linear_regression(at, [entry[i] for entry in half]).slope for i in (1, 2))
    print(
        f"{done[0]} rounds in {minutes:.0f} min: {samples[-1][1]:.0f} MB at the end,"
        f" {slope:+.2f} MB a minute ({reports:+.2f} of it where reports are laid out), {slow[0]} unanswered"
    )


def locked(server: Server, calls: list[UUID], seconds: float, sessions: "sessionmaker[Session]") -> None:
    """Hold one call's row while fifty post to it, in turn with as long a quiet, three times each."""
    held, others = calls[0], calls[1:]
    slow: dict[bool, list[float]] = {False: [], True: []}
    told: list[tuple[int, float]] = []
    signed_in(server)

    def somebody_else(is_busy: bool, ended: threading.Event) -> None:
        browser, rng = signed_in(server), random.Random(1)  # noqa: S311
        while not ended.is_set():
            began = time.monotonic()
            status, _ = browser.get(rng.choice(["/sign-in", "/today", f"/calls/{rng.choice(others)}"]))
            slow[is_busy].append(time.monotonic() - began)
            assert status in (200, 302)
            ended.wait(0.2)

    def poster(ended: threading.Event) -> None:
        browser = signed_in(server)
        while not ended.is_set():
            began = time.monotonic()
            body = json.dumps({"events": [note("on the locked one")]}).encode()
            headers = {"Content-Type": "application/json", "X-CSRFToken": browser.token}
            status, _, answer = browser.ask("POST", f"/calls/{held}/events", body, headers)
            told.append((status, time.monotonic() - began))
            # As the page does: it is sent again when the answer says.
            ended.wait(float(answer.get("retry-after", 1)))

    for turn in range(6):
        is_busy, ended = turn % 2 == 1, threading.Event()
        threads = [threading.Thread(target=somebody_else, args=(is_busy, ended)) for _ in range(4)]
        if is_busy:
            threads += [threading.Thread(target=poster, args=(ended,)) for _ in range(50)]
        with sessions() as db:
            if is_busy:
                db.execute(select(Call.id).where(Call.id == held).with_for_update())
            for thread in threads:
                thread.start()
            time.sleep(seconds / (1 if is_busy else 3))
            ended.set()
            for thread in threads:
                thread.join()
            db.rollback()
    quiet, busy = (statistics.quantiles(slow[which], n=20)[18] for which in (False, True))
    while_held = [took for status, took in told if status == 503]
    wanted = max(2 * quiet, quiet + 0.25)
    print(f"{len(told)} posts, {len(while_held)} of them told to come again after {max(while_held):.2f} s at most")
    print(f"everybody else, p95: {1000 * quiet:.0f} ms quiet, {1000 * busy:.0f} busy, {1000 * wanted:.0f} wanted")
    other = {status for status, _ in told} - {503}
    assert not other, other
    assert max(while_held) <= 4.0
    assert busy <= wanted


@contextmanager
def demo_cluster(folder: Path) -> Iterator[tuple[Engine, list[UUID]]]:
    """Give a PostgreSQL of its own with the demo in it, and the calls there that are not closed."""
    with a_cluster(folder) as engine:
        migrate(engine)
        with make_sessions(engine).begin() as db:
            load_demo(db, datetime.now(UTC))
            calls = list(db.scalars(select(Call.id).where(Call.status != "closed")))
        yield engine, calls


def count_kept(engine: Engine, kept: list[str]) -> None:
    """Say what of the acknowledged notes is there, and that it is all, once."""
    with engine.connect() as connection:
        there = list(connection.scalars(text("select id::text from event where kind = 'note'")))
    lost, doubled = set(kept) - set(there), len(there) - len(set(there))
    print(f"{len(kept)} acknowledged, {len(lost)} lost, {doubled} doubled")
    assert not lost
    assert not doubled


KILLS = ("worker", "master", "worker", "PostgreSQL", "worker", "master", "PostgreSQL", "worker", "worker", "master",
         "PostgreSQL", "worker", "master")  # fmt: skip


def kills(folder: Path, most: int) -> None:
    """Kill what serves, thirteen times at full load, until so many events were acknowledged; count what is there."""
    with demo_cluster(folder) as (engine, calls):
        server = Server(serving_url(engine.url.render_as_string(hide_password=False)), workers=3)
        server.start(folder / "log")
        kept: list[str] = []
        ended = threading.Event()

        def work(number: int) -> None:
            browser, sent = Browser(server.port), None
            while not ended.is_set():
                try:
                    if not browser.token:
                        browser.sign_in(DEMO_EMAIL, DEMO_PASSWORD)
                    sent = sent or note("read it")
                    status, answers = browser.send(f"/calls/{calls[number % len(calls)]}", sent)
                except (OSError, AssertionError):
                    time.sleep(0.05)
                    continue
                if status == 200 and answers[0]["answer"] in ("kept", "already kept"):
                    kept.append(str(sent["id"]))
                    sent = None

        threads = [threading.Thread(target=work, args=(number,), daemon=True) for number in range(8)]
        for thread in threads:
            thread.start()
        for number, what in enumerate(KILLS, start=1):
            while len(kept) < most * number / len(KILLS):
                time.sleep(0.02)
            if what == "worker":
                os.kill(server.workers[0], signal.SIGKILL)
            elif what == "master":
                assert server.process is not None
                os.kill(server.pid, signal.SIGKILL)
                server.process.wait()
                server.start(folder / "log")
            else:
                with engine.connect() as connection:
                    data = Path(str(connection.exec_driver_sql("show data_directory").scalar_one()))
                engine.dispose()
                kill_cluster(data)
                assert make_engine(start_cluster(folder)).url == engine.url
            print(f"{number:2} {what} killed, {len(kept)} acknowledged", flush=True)
        while len(kept) < most + 50:
            time.sleep(0.02)
        ended.set()
        for thread in threads:
            thread.join(60)
        server.stop()
        count_kept(engine, kept)


@contextmanager
def filled(folder: Path) -> Iterator[None]:
    """Leave no room on the disk of a folder for as long as the block lasts."""
    filler = folder / "filler"
    with filler.open("wb", buffering=0) as file:
        for size in (1 << 20, 512):
            with contextlib.suppress(OSError):
                while True:
                    file.write(bytes(size))
    try:
        yield
    finally:
        filler.unlink()


def full(folder: Path) -> None:
    """Fill PostgreSQL's disk while somebody posts and give it room again; count what is there.

    Needs the right to mount, for a disk small enough to fill.
    """
    folder.mkdir()
    subprocess.run(["/usr/bin/mount", "-t", "tmpfs", "-o", "size=500m", "tmpfs", str(folder)], check=True)
    try:
        with demo_cluster(folder / "cluster") as (engine, calls):
            kept: list[str] = []
            url = serving_url(engine.url.render_as_string(hide_password=False))
            with serving(url, folder.parent / "log", workers=3) as server:
                browser, rng = signed_in(server), random.Random(1)  # noqa: S311

                def post(seconds: float) -> tuple[int, Counter[str]]:
                    """Post for so long; return how many were kept, and how often each refusal was told."""
                    before, refused, until = len(kept), Counter[str](), time.monotonic() + seconds
                    while time.monotonic() < until:
                        sent = note("read it " * 120)
                        status, answers = browser.send(f"/calls/{rng.choice(calls)}", sent)
                        if status == 200 and answers[0]["answer"] == "kept":
                            kept.append(str(sent["id"]))
                        else:
                            refused[str(answers[0]["why"]) if answers else str(status)] += 1
                        # A call holds so many entries.
                        time.sleep(0.05)
                    return len(kept) - before, refused

                for turn in range(1, 4):
                    with_room, _ = post(5)
                    while_full, refused = 0, Counter[str]()
                    with filled(folder):
                        # PostgreSQL writes on in room it has until a file must grow.
                        for _ in range(60):
                            more, refused = post(1)
                            while_full += more
                            if refused:
                                break
                    # Where PostgreSQL ended over it somebody starts it again; where it runs this does nothing.
                    start_cluster(folder / "cluster")
                    began = time.monotonic()
                    while not post(0.2)[0]:
                        assert time.monotonic() - began < 60, f"not kept again within a minute, see {folder.parent}"
                    print(
                        f"{turn}: {with_room} kept with room, {while_full} while full, refused {dict(refused)};"
                        f" kept again after {time.monotonic() - began:.1f} s",
                        flush=True,
                    )
            count_kept(engine, kept)
    finally:
        subprocess.run(["/usr/bin/umount", "--lazy", str(folder)], check=True)


def main() -> None:
    """Load the demo, serve it, run one of them."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("what", choices=["guesses", "pages", "soak", "locked", "kills", "full"])
    asked.add_argument("--count", type=int, default=10_000)
    asked.add_argument("--pages", type=int, default=50)
    asked.add_argument("--seconds", type=float, default=60)
    asked.add_argument("--minutes", type=float, default=30)
    given = asked.parse_args()
    if given.what == "kills":
        kills(Path(tempfile.mkdtemp()) / "cluster", 1_000)
        return
    if given.what == "full":
        full(Path(tempfile.mkdtemp()) / "disk")
        return
    url, sessions = demo_database()
    with sessions() as db:
        rows = db.scalars(select(Call).where(Call.status != "closed")).all()
        calls = [row.id for row in rows]
        units = [Unit(row, random.Random(number)) for number, row in enumerate(rows)]  # noqa: S311
    with serving(url, Path(tempfile.mkdtemp()) / "log", workers=3) as server:
        if given.what == "guesses":
            guesses(server, given.count)
        elif given.what == "pages":
            pages(server, calls, given.pages, given.seconds)
        elif given.what == "locked":
            locked(server, calls, given.seconds, sessions)
        else:
            soak(server, units, given.minutes, hostile_requests(url, sessions, 6_000, 9))


if __name__ == "__main__":
    main()
