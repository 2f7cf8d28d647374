"""Current logs: how fast, how large, how well, and against a general change-point package.

    python -m bench.current_log speed      # 4 h at 10 Hz: parse and analyse, peak memory
    python -m bench.current_log study      # 500 simulated logs: steps, times, strips
    python -m bench.current_log compare    # against ruptures on the same arrays

Needs the development packages.
"""

import resource
import statistics
import sys
import time
from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from plentar.core.circuit.timeline import Moment
from plentar.core.judging.log import LogAnalysis, analyse_log
from plentar.core.judging.log_levels import find_levels
from plentar.core.unit.nameplate import Nameplate, Window
from plentar.core.unit.patterns import PATTERNS
from plentar.devices.simulated import SimulatedClamp
from plentar.formats.current_csv import read_current_csv, write_current_csv

Floats = NDArray[np.float64]
LOGS = 500


def units() -> list[tuple[Nameplate, str]]:
    """Units with two to six strips on one feed, and what the clamp is around."""
    two = PATTERNS["two-strip-sequencer"]()
    found = [(two, "feed-1")]
    for count in (3, 4, 5):
        poles = tuple(replace(two.devices[0].poles[1], number=n, on_window=_window(n)) for n in range(1, count + 1))
        device = replace(two.devices[0], poles=poles)
        circuits = tuple(
            replace(two.circuits[0], id=f"strip-{'abcdef'[i]}", poles=(i + 1,), device=device.id) for i in range(count)
        )
        found.append((replace(two, devices=(device,), circuits=circuits), "feed-1"))
    six = PATTERNS["six-strip-chained"]()
    found += [(six, feed.id) for feed in six.feeds]
    return found


def _window(number: int) -> Window:
    return Window(min_seconds=10.0 * number, max_seconds=20.0 * number + 25)


def differing(plate: Nameplate, random: np.random.Generator, spread: float) -> Nameplate:
    """Give the strips of a unit ratings that differ by at least this share."""
    ladder = [3000.0 * (1 + spread) ** i for i in range(len(plate.circuits))]
    order = random.permutation(len(ladder))
    circuits = tuple(replace(c, rated_watts=ladder[int(k)]) for c, k in zip(plate.circuits, order, strict=True))
    return replace(plate, circuits=circuits)


def truth_of(clamp: SimulatedClamp, until: float) -> list[tuple[float, str]]:
    """What really changed on the clamp and when: strips going on and off."""
    names = [c.id for c in clamp.plate.circuits if clamp.plate.feed_of(c.supplied_by) == clamp.clamp]
    found: list[tuple[float, str]] = []
    moments: list[Moment] = [m for m in clamp._moments if m.at_seconds <= until]
    for before, after in pairwise(moments):
        for name in names:
            was, is_on = before.amps[name] > 2, after.amps[name] > 2
            if was != is_on:
                found.append((after.at_seconds, f"{'+' if is_on else '-'}{name}"))
    return found


def scored(
    analysis: LogAnalysis, truth: list[tuple[float, str]], step: float
) -> tuple[int, int, int, int, list[float]]:
    """Return steps true, found, false, rightly named, and the time errors in samples."""
    claims = [(s.at_seconds, change) for s in analysis.steps for change in s.changes if "blower" not in change]
    found = right = 0
    errors = []
    left = list(claims)
    for at, change in truth:
        near = [c for c in left if abs(c[0] - at) <= 3 * step + 0.7 and c[1][0] == change[0]]
        if not near:
            continue
        best = min(near, key=lambda c: (c[1] != change, abs(c[0] - at)))
        left.remove(best)
        found += 1
        right += best[1] == change
        # The first sample after the change is the best any log can do.
        errors.append(abs(best[0] - np.ceil(at / step - 1e-9) * step) / step)
    return len(truth), found, len(left), right, errors


def study() -> None:
    """Simulate, analyse, count."""
    random = np.random.default_rng(5)
    total = found = false = right = named = 0
    errors: list[float] = []
    kinds = units()
    for index in range(LOGS):
        plate, clamp = kinds[index % len(kinds)]
        by_own = index % 2 == 0
        plate = differing(plate, random, 0.05 if by_own else 0.15)
        hertz = float(random.choice([1.0, 2.0, 5.0, 10.0]))
        dropped = float(random.uniform(320, 700))
        meter = SimulatedClamp(
            plate=plate,
            clamp=clamp,
            seed=index,
            hertz=hertz,
            noise_amps=float(random.uniform(0.02, 0.4)),
            resolution_amps=0.1 if random.random() < 0.7 else 0.01,
            dropouts=0.02,
            volts_ratio=float(random.uniform(0.93, 1.03)),
            dropped_seconds=dropped,
            faults=_fault(plate, clamp, random),
        )
        samples = meter.samples(dropped + 400)
        volts = plate.nominal_volts * meter.volts_ratio
        on_feed = [c for c in plate.circuits if plate.feed_of(c.supplied_by) == clamp]
        # Clamped one by one with the meter's own error; by plate, the log has to do without.
        # As clamped one by one with all of them on; a dead strip's are what it drew last year.
        on = [m for m in meter._moments if m.amps[clamp] > 5.0]
        full = max(on, key=lambda m: m.amps[clamp])
        drawn = {c.id: meter.volts_ratio * full.amps[c.id] for c in on_feed}
        drawn = {name: amps if amps > 2 else volts / plate.circuit(name).element_ohms for name, amps in drawn.items()}
        own = {name: amps * float(random.uniform(0.994, 1.006)) for name, amps in drawn.items()} if by_own else {}
        analysis = analyse_log(
            plate,
            samples.seconds,
            samples.amps,
            clamp=clamp,
            supply_volts=volts,
            own_amps=own,
            called_seconds=meter.called_seconds,
            dropped_seconds=dropped,
        )
        t, f, wrong, r, e = scored(analysis, truth_of(meter, dropped + 400), 1 / hertz)
        total, found, false, right, named = total + t, found + f, false + wrong, right + r, named + f
        errors += e
    print(
        f"{LOGS} logs, {total} steps: found {100 * found / total:.2f} %, false {100 * false / total:.2f} %, "
        f"right strip {100 * right / named:.2f} %, time error 95th percentile {np.percentile(errors, 95):.2f} samples"
    )


def _fault(plate: Nameplate, clamp: str, random: np.random.Generator) -> tuple[str, ...]:
    strips = [c.id for c in plate.circuits if plate.feed_of(c.supplied_by) == clamp]
    roll = random.random()
    if roll < 0.55:
        return ()
    strip = str(random.choice(strips))
    return (f"{strip}.element.open" if roll < 0.75 else f"{strip}.limit.cycling",)


def long_log() -> tuple[Nameplate, Floats, Floats]:
    """Four hours at 10 Hz with a limit cycling."""
    plate = PATTERNS["two-strip-sequencer"]()
    meter = SimulatedClamp(
        plate=plate, clamp="feed-1", hertz=10.0, faults=("strip-b.limit.cycling",), dropped_seconds=13_800.0, seed=3
    )
    samples = meter.samples(14_399.95)
    return plate, samples.seconds, samples.amps


def speed() -> None:
    """Parse and analyse the long log; memory is what the process grows by."""
    plate, seconds, amps = long_log()
    text = write_current_csv(seconds, amps).encode()
    read_current_csv([text[:4000]])
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    times = []
    for _ in range(5):
        start = time.perf_counter()
        log = read_current_csv(text[i : i + 65_536] for i in range(0, len(text), 65_536))
        middle = time.perf_counter()
        analysis = analyse_log(plate, log.seconds, log.amps, called_seconds=5.0, dropped_seconds=13_800.0)
        times.append((middle - start, time.perf_counter() - middle))
    after = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    print(
        f"{seconds.size:,} rows: parse {statistics.median(t[0] for t in times):.2f} s, "
        f"analyse {statistics.median(t[1] for t in times):.2f} s, {(after - before) / 1024:.0f} MB above, "
        f"{len(analysis.steps)} steps"
    )


def compare() -> None:
    """Hold the step finder against a general one: pruned exact search is too slow here, so its fastest fit is used."""
    import ruptures

    rows = []
    for seed in range(6):
        plate = PATTERNS["two-strip-sequencer"]()
        meter = SimulatedClamp(plate=plate, clamp="feed-1", hertz=5.0, seed=seed, noise_amps=0.3, dropouts=0.0)
        samples = meter.samples(800)
        truth = [at for at, _ in truth_of(meter, 800)]
        start = time.perf_counter()
        starts, _, _ = find_levels(samples.seconds, samples.amps)
        ours = time.perf_counter() - start
        start = time.perf_counter()
        cuts = ruptures.KernelCPD(kernel="linear", min_size=2).fit(samples.amps).predict(pen=60.0)[:-1]
        theirs = time.perf_counter() - start
        rows.append((ours, theirs, _miss(samples.seconds[starts[1:]], truth), _miss(samples.seconds[cuts], truth)))
    ours, theirs = (statistics.median(row[i] for row in rows) for i in (0, 1))
    print(f"ours {1000 * ours:.1f} ms, ruptures {1000 * theirs:.1f} ms, ratio {theirs / ours:.0f}")
    print(f"worst time error: ours {max(r[2] for r in rows):.2f} s, ruptures {max(r[3] for r in rows):.2f} s")


def _miss(found: Floats, truth: list[float]) -> float:
    return max((float(np.min(np.abs(found - at))) if found.size else np.inf for at in truth), default=0.0)


if __name__ == "__main__":
    {"speed": speed, "study": study, "compare": compare}[sys.argv[1] if len(sys.argv) > 1 else "study"]()
