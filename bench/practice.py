"""Practice measured: the meter against the prediction, policies in their order, how soon a tap is answered.

    python -m bench.practice meter
    python -m bench.practice policies
    PLENTAR_BENCH_DATABASE_URL=postgresql://… python -m bench.practice speed
    PLENTAR_BENCH_DATABASE_URL=postgresql://… python -m bench.practice learners

`meter`: every example unit, fault and call. `policies`: a hundred draws of twenty cases, each a weighted fault of a
small unit. `speed`: a tap to the meter's reading against a bare route with one indexed SELECT, in turn in one process;
the circuit's own time. `learners`: forty at once against one, served by three processes.
"""

import random
import statistics
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path
from urllib.parse import urlencode
from uuid import uuid4

import numpy as np
from flask.testing import FlaskClient
from sqlalchemy import select

from bench.big_shop import bare_app
from bench.demo_data import demo_database
from bench.reading_round_trip import seconds
from plentar.core.causes.faults import faults_of
from plentar.core.causes.prediction import predict
from plentar.core.circuit.places import ohms_parts
from plentar.core.practice.case import Case, Hidden
from plentar.core.practice.policies import POLICIES, play_case
from plentar.core.practice.world import World
from plentar.core.unit.electrical import COLD_RATIO, OPEN_OHMS
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.place import ohms_at, place_of
from plentar.demo import DEMO_EMAIL, DEMO_PASSWORD
from plentar.store.models import Call
from plentar.web import create_app
from plentar.web.serving.settings import Settings
from tests.serving import Browser, serving

COUNT = 0.1
SMALL = ("two-strip-sequencer", "one-strip-dpdt", "three-strip-dc-relay", "two-strip-ac-relay")
COMPLAINTS = {
    "dead": "not enough heat", "stuck": "heat will not stop", "weak": "not enough heat", "control": "no heat",
    "blower": "blower dead", "short": "control fuse blows", "supply": "no heat",
}  # fmt: skip
RUNS, LEARNERS, TAPS = 60, 40, 12
# A hurried learner: reads the display, decides, taps.
PAUSE_SECONDS = 2.0


def meter() -> None:
    """Hold every volt and amp of the practice unit against the prediction."""
    asked = 0
    apart: list[object] = []
    ghosts: list[object] = []
    for name, make in PATTERNS.items():
        plate = make()
        heat = frozenset({"W", "W2"}) & set(plate.calls)
        for fault in faults_of(plate):
            for calls in (frozenset[str](), frozenset({"G"}) & set(plate.calls), heat, heat | {"G"} & set(plate.calls)):
                hidden = () if fault.id == "healthy" else (Hidden(fault=fault.id),)
                world = World(Case(id="bench", title="bench", plate=plate, hidden=hidden))
                for call in sorted(calls):
                    world.set_call(call, is_on=True)
                late = fault.shows == "late"
                world.wait(2000.0 if late else 180.0 if fault.shows == "now and then" else 400.0)
                expected = predict(plate, calls, [] if late or not hidden else [fault.id])
                amps = expected.amps_with_limits_open if world.airless else expected.amps
                for place, value in amps.items():
                    asked += 1
                    if abs(world.amps(place) - value) > COUNT:
                        apart.append((name, fault.id, sorted(calls), place))
                if world.airless:
                    continue
                for pair, volts in expected.volts.items():
                    asked += 1
                    if abs(world.read(f"volts:{pair}") - volts.ac_volts) > COUNT:
                        found = ghosts if volts.is_floating else apart
                        found.append((name, fault.id, sorted(calls), pair))
            if fault.shows != "always" or fault.id == "healthy":
                continue
            world = World(Case(id="bench", title="bench", plate=plate, hidden=(Hidden(fault=fault.id),)))
            isolated = predict(plate, frozenset(), [fault.id], isolated=True).part_ohms
            for part in ohms_parts(plate):
                own = isolated.get(part)
                if part in isolated and not place_of(part).is_to_frame:
                    asked += 1
                    # An element is read cold here and predicted hot; one that touches the frame has a way round.
                    value = world.read(ohms_at(part)) / (COLD_RATIO if place_of(part).is_element else 1.0)
                    same = value >= OPEN_OHMS if own is None else abs(value - own) <= max(COUNT, 0.01 * own)
                    touches = place_of(part).is_element and ("frame" in fault.id or "grounded" in fault.id)
                    if not same and not touches:
                        apart.append((name, fault.id, "isolated", part, value, own))
        print(f"{name}: {asked} readings so far, {len(apart)} apart, {len(ghosts)} ghosts apart", flush=True)
    print("apart:", *apart[:30], sep="\n  ")
    print("ghosts:", *ghosts, sep="\n  ")


def policies(cases: int = 60, draws: int = 100, of: int = 20) -> None:
    """Play cases by every policy and draw twenty of them a hundred times."""
    drawn = np.random.default_rng(18)
    points: dict[str, list[float]] = {policy: [] for policy in POLICIES}
    unsafe: list[int] = []
    for number in range(cases):
        plate = PATTERNS[SMALL[number % len(SMALL)]]()
        faults = [fault for fault in faults_of(plate) if fault.shows == "always" and fault.part]
        weight = np.array([fault.weight for fault in faults])
        fault = faults[int(drawn.choice(len(faults), p=weight / weight.sum()))]
        made = Case(
            id=f"case-{number}",
            title="case",
            plate=plate,
            hidden=(Hidden(fault=fault.id, size=float(drawn.uniform())),),
            complaint=COMPLAINTS[fault.kind],
            place_in_window=float(drawn.uniform()),
        )
        for policy in POLICIES:
            score = play_case(made, policy, seed=number).score
            points[policy].append(score.points)
            if policy == "unsafe":
                unsafe.append(score.unsafe)
    table = {policy: np.array(found) for policy, found in points.items()}
    ordered = last = 0
    for _ in range(draws):
        rows = drawn.integers(cases, size=of)
        mean = {policy: float(found[rows].mean()) for policy, found in table.items()}
        ordered += mean["next"] > mean["fixed"] > mean["random"]
        last += mean["unsafe"] == min(mean.values())
    print({policy: round(float(found.mean()), 1) for policy, found in table.items()})
    print(f"next > fixed > random in {ordered} of {draws} draws of {of} cases; unsafe last in {last}")
    print(f"it acted unsafely in {sum(count > 0 for count in unsafe)} of {cases} cases")


def _read(client: FlaskClient, address: str, sent: dict[str, str]) -> int:
    return client.post(address, data=sent, headers={"HX-Request": "true"}).status_code


def _lasted(work: Callable[[], None]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def speed() -> None:
    """Time a tap against the bare route, and the circuit by itself."""
    url, sessions = demo_database()
    with sessions() as db:
        call = db.scalars(select(Call).limit(1)).one()
    app = create_app(Settings(database_url=url, secret_key="b" * 32, secure_cookies=False))
    app.config["WTF_CSRF_ENABLED"] = False
    client = app.test_client()
    client.post("/sign-in", data={"email": DEMO_EMAIL, "password": DEMO_PASSWORD})
    run = client.post("/practice/cases/ladder-26").location
    form = {"do": "tick", "about": "safe-gear", "step_id": str(uuid4())}
    client.post(f"{run}/act", data=form)
    bare = bare_app(url, call.shop_id, call.id).test_client()
    points = ("amps:strip-a", "amps:strip-b", "volts:feed-1.l1:feed-1.l2", "amps:strip-c")
    taps, plain = [], []
    for number in range(RUNS):
        sent = {"do": "read", "point": points[number % len(points)], "step_id": str(uuid4())}
        taps.append(seconds(partial(_read, client, f"{run}/act", sent)))
        plain.append(seconds(lambda: bare.get("/").status_code))
    one, tap = statistics.median(plain[5:]), statistics.median(taps[5:])
    print(f"bare SELECT route {1000 * one:.2f} ms, a tap to the reading {1000 * tap:.1f} ms: {tap / one:.1f} times")
    world = World(Case(id="bench", title="bench", plate=PATTERNS["four-strip-chained"]()))
    world.set_call("W", is_on=True)
    ticks = [_lasted(partial(world.wait, 1.0)) for _ in range(120)]
    worst = World(
        Case(id="b", title="b", plate=PATTERNS["four-strip-chained"](), hidden=(Hidden(fault="strip-a.limit.cycling"),))
    )
    worst.set_call("W", is_on=True)
    skip = _lasted(partial(worst.wait, 600.0))
    print(
        f"a simulated second of four strips: {1000 * statistics.mean(ticks):.2f} ms, at most {1000 * max(ticks):.1f} ms"
    )
    print(f"ten minutes skipped, a limit cycling: {1000 * skip:.0f} ms")


def _connections(pid: int) -> int:
    """How many sockets a process holds."""
    return sum("socket" in str(fd.readlink()) for fd in Path(f"/proc/{pid}/fd").iterdir())


def learners() -> None:
    """Let forty tap at once, and one alone."""
    url, _ = demo_database()
    with serving(url, Path(tempfile.mkdtemp()) / "log", workers=3) as server:
        first = Browser(server.port)
        first.sign_in(DEMO_EMAIL, DEMO_PASSWORD)

        def begin() -> tuple[Browser, str]:
            browser = Browser(server.port)
            browser.cookies, browser.token = dict(first.cookies), first.token
            body = f"csrf_token={browser.token}".encode()
            headers = {"Content-Type": "application/x-www-form-urlencoded"}
            _, _, answer = browser.ask("POST", "/practice/cases/ladder-09", body, headers)
            run = answer["location"]
            act(browser, run, do="tick", about="safe-gear")
            for _ in range(4):
                act(browser, run, do="read", point="amps:strip-a")
            return browser, run

        def act(browser: Browser, run: str, **fields: str) -> int:
            """As the page does it: the part that changes is asked for, not all of it."""
            body = urlencode({**fields, "step_id": str(uuid4()), "csrf_token": browser.token}).encode()
            headers = {"Content-Type": "application/x-www-form-urlencoded", "HX-Request": "true"}
            return browser.ask("POST", f"{run}/act", body, headers)[0]

        def tap(at: tuple[Browser, str], taken: list[float]) -> None:
            browser, run = at
            start = time.perf_counter()
            assert act(browser, run, do="read", point="amps:strip-b") == 200
            taken.append(time.perf_counter() - start)

        alone = begin()
        single: list[float] = []
        for _ in range(60):
            tap(alone, single)
        everybody = [begin() for _ in range(LEARNERS)]
        print("connections by process:", *(_connections(pid) for pid in server.workers))
        own = statistics.quantiles(single, n=20)[-1]
        print(f"one learner: p95 {1000 * own:.0f} ms")
        for pause in (0.0, PAUSE_SECONDS):
            together: list[float] = []
            start = threading.Barrier(LEARNERS)

            def work(at: tuple[Browser, str], pause: float = pause, taken: list[float] = together) -> None:
                start.wait()  # noqa: B023 - all of this round wait for one another
                for _ in range(TAPS):
                    time.sleep(pause * random.uniform(0.5, 1.5))  # noqa: S311
                    tap(at, taken)

            with ThreadPoolExecutor(LEARNERS) as pool:
                list(pool.map(work, everybody))
            p95 = statistics.quantiles(together, n=20)[-1]
            how = f"a tap every {pause:g} s" if pause else "without a pause"
            print(f"{LEARNERS} at once, {how}: p95 {1000 * p95:.0f} ms, {p95 / own:.1f} times")


if __name__ == "__main__":
    {"meter": meter, "policies": policies, "speed": speed, "learners": learners}[sys.argv[1]]()
