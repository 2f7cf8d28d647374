"""How often following the next tests ends in the right group, from the complaint alone.

    python -m bench.diagnosis_study [--seeds 5] [--units all] [--wrong 0.02] [--pairs 300] [--fixed] [--between]
                                    [--minutes 60]

For every unit × single fault × seed a truth the diagnosis does not know is drawn (supply 206–252 V, conductor ohms
±30 %, motor impedance ±20 %, element tolerance, a magnitude of the fault, meter error), and tests are followed until
one group is sure enough to be accepted, nothing is left to ask, or the minutes are spent. Of two faults the first that
is named is repaired and the call goes on with the other. `--fixed` follows docs/trade.md's order instead. With
`--between` a fault has any size between the catalogue's instead of one of them. A truth that shows nowhere, since
every reading of it without any error passes that passes on the sound unit, counts as sound.
"""

import argparse
import json
import math
import statistics
import time
import zlib
from collections import Counter
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from statistics import NormalDist
from typing import Any

import numpy as np

from bench.truths import RESISTIVE, Truth, condition_for
from plentar.core.causes.accepting import before_accepting
from plentar.core.causes.catalogue import Test, catalogue
from plentar.core.causes.diagnosis import Cause, Diagnosis, diagnose
from plentar.core.causes.fault import mended
from plentar.core.causes.faults import COMPLAINTS, Fault, faults_of
from plentar.core.causes.next_test import is_enough, minutes_of, next_tests, stands_at
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.evidence.signs import Observation
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.place import line_volts
from plentar.core.visit.advice import SURE_SHARE

MOST_TESTS = 45
# As the call's own advice (`core/visit`): from here on a cause is accepted whatever could still be read.
SURE = SURE_SHARE
# No kind of fault is to have its whole interval below this.
LEAST_OF_A_KIND = 0.90
# Fewer causes in a line of the calibration than this would be chance; more lines than this nobody reads.
LEAST_OF_A_BIN, MOST_BINS, RESAMPLED = 100, 12, 1000
KIND_COMPLAINT = {
    "dead": "not enough heat",
    "weak": "not enough heat",
    "stuck": "heat will not stop",
    "supply": "no heat",
    "control": "no heat",
    "blower": "blower dead",
    "short": "control fuse blows",
    "healthy": "seasonal check",
}


# What comes and goes is told otherwise.
SHOWN_COMPLAINT = {
    ("supply", "trips"): "breaker trips or hot",
    ("blower", "now and then"): "blower cuts in and out",
}


def test_at(plate: Nameplate, point: str, calls: frozenset[str]) -> Test:
    """Return the test of the catalogue at a point under these calls."""
    return next(test for test in catalogue(plate) if (test.point, test.drive.calls) == (point, calls))


@dataclass(frozen=True, slots=True)
class Followed:
    """Where a truth led: the diagnosis, what was read and seen, the minutes, how often what was known was asked for."""

    diagnosis: Diagnosis
    readings: list[Reading]
    seen: list[Observation]
    minutes: float
    repeats: int


def first_after_habits(
    plate: Nameplate, found: Followed, complaint: str, random: np.random.Generator
) -> dict[str, bool]:
    """Tell of each habit whether what would be repaired first is another: same call, read the way some people do."""
    by_id = {fault.id: fault for fault in faults_of(plate)}

    def repair(diagnosis: Diagnosis) -> object:
        return mended(by_id[one] for one in diagnosis.first.faults[0].split("+")) if diagnosis.first else None

    read = found.readings
    lines = {line_volts(feed.id) for feed in plate.feeds}
    shuffled = [read[at] for at in random.permutation(len(read))]
    ways = {
        "amps first": sorted(read, key=lambda r: r.function != "amps"),
        "no supply": [r for r in read if r.point not in lines],
        "whole volts": [replace(r, value=float(round(r.value))) if r.function == "volts" else r for r in read],
        "shuffled": shuffled,
        "double entry": [again for r in read for again in (r, r)],
    }
    first = repair(found.diagnosis)
    return {
        name: repair(diagnose(plate, way, complaints=[complaint], observations=found.seen)) != first
        for name, way in ways.items()
    }


def follow(plate: Nameplate, truth: Truth, complaint: str, *, fixed: bool, minutes: float) -> Followed:
    """Follow tests until a group leads, nothing useful is left or the minutes are spent."""
    readings: list[Reading] = []
    seen = truth.told(complaint)
    spent, again_asked = 0.0, 0
    taken: list[tuple[str, frozenset[str]]] = []
    order = iter(
        sorted(catalogue(plate), key=lambda test: ("supply", "control", "amps", "volts", "ohms").index(test.kind))
    )
    condition = Condition(feeds=tuple((feed.id, "live") for feed in plate.feeds))
    diagnosis = diagnose(plate, readings, complaints=[complaint], observations=seen)
    while len(readings) < MOST_TESTS:
        doubted = [p for p in diagnosis.ask_again if sum(point == p for point, _ in taken) < 2]
        if fixed:
            test = next(order, None)
        elif doubted:
            again_asked += 1
            calls = next(calls for point, calls in taken if point == doubted[0])
            test = test_at(plate, doubted[0], calls)
        else:
            leading = diagnosis.first.probability if diagnosis.first else 0.0
            best = next_tests(diagnosis, condition, taken=taken, most=1)
            # A service that is weak, as a unit that is sound, is named by what else is found right.
            # What rests on one reading is read once more before anybody believes it.
            first = before_accepting(diagnosis, taken) if leading > SURE else None
            again = first.test if first else None
            named = set(diagnosis.first.faults) if diagnosis.first else set[str]()
            is_named = leading > SURE and not named & {"healthy", "supply.low", "supply.high"}
            if again is None and ((is_named and len(readings) >= 3) or not best or best[0].bits < 0.004):
                break
            if again is None and is_enough(diagnosis, best[0]):
                break
            test = again or best[0].test
            place = (test.point, test.drive.calls)
            again_asked += again is not None or (place in taken and place == diagnosis.once_more(taken))
        if test is None:
            break
        spent += minutes_of(plate, test, condition, at=stands_at(taken[-1][0]) if taken else "unit")
        if spent > minutes:
            break
        condition = condition_for(plate, test, condition)
        taken.append((test.point, test.drive.calls))
        if test.kind == "check":
            seen += truth.check(test)
        else:
            readings.append(truth.read(test, condition))
        diagnosis = diagnose(plate, readings, complaints=[complaint], observations=seen)
        if fixed and diagnosis.first and diagnosis.first.probability > SURE and len(readings) >= 3:
            break
    repeats = sum(count - 1 for count in Counter(taken).values()) - again_asked
    return Followed(diagnosis, readings, seen, min(spent, minutes), repeats)


def is_right(
    first: Cause | None, faults: tuple[Fault, ...], by_id: dict[str, Fault], service: float, *, hidden: bool
) -> bool:
    """Tell whether what the leading cause would have repaired is what is wrong, no more and no less.

    A sound unit on a service outside its band is a service outside its band; one whose fault shows nowhere is sound.
    """
    names = first.faults if first else ()
    if faults[0].kind == "healthy" or hidden:
        is_service = bool({"supply.low", "supply.high"} & set(names))
        if is_service if not 0.95 <= service <= 1.05 else "healthy" in names:
            return True
    return any(mended(by_id[one] for one in name.split("+")) == mended(faults) for name in names)


def left_of(first: Cause | None, faults: tuple[Fault, ...]) -> Fault | None:
    """Return which of two faults is left once what the leading cause names is repaired; nothing where it names none."""
    parts = {part for name in (first.faults if first else ()) for part in name.split("+")}
    left = [fault for fault in faults if fault.id not in parts]
    return left[0] if len(left) == 1 else None


def names_one(first: Cause | None, faults: tuple[Fault, ...]) -> bool:
    """Tell whether the leading group names at least one of the faults; its repair and proof then meet the other."""
    parts = {part for name in (first.faults if first else ()) for part in name.split("+")}
    return any(fault.id in parts for fault in faults)


@dataclass(frozen=True, slots=True, kw_only=True)
class Run:
    """How one truth was followed to its end: what was said of it, how surely, and whether that was so."""

    unit: str
    faults: tuple[str, ...]
    seed: int
    right: bool
    names_one: bool
    both: bool
    hidden: bool
    tests: int
    minutes: float
    # How often a test was asked for that was known; which habits of reading change what is repaired first.
    repeats: int
    habits: dict[str, bool]
    # Ohms of a joint or contact, watts over rated of an element; 0 where a fault has no size of that kind.
    size: float
    # Every cause that was named, with its share, and whether it was the right one.
    said: tuple[tuple[str, float, bool], ...]

    @property
    def kind(self) -> str:
        """The kind of a single fault, or that there were two."""
        return self.faults[0].rpartition(".")[2] if len(self.faults) == 1 else "pair"


def run(job: tuple[str, tuple[str, ...], int, argparse.Namespace]) -> Run:
    """Follow one truth: a unit's name, the ids of its faults, a seed and the options."""
    name, ids, seed, options = job
    plate = PATTERNS[name]()
    by_id = {fault.id: fault for fault in faults_of(plate)}
    case = tuple(by_id[id] for id in ids)
    random = np.random.default_rng([seed, zlib.crc32("+".join(ids).encode())])
    truth = Truth(plate, case, random, options.wrong, between=options.between)
    # Whoever calls says whether it comes and goes.
    complaint = SHOWN_COMPLAINT.get((case[0].kind, case[0].shows), KIND_COMPLAINT[case[0].kind])
    assert complaint in COMPLAINTS
    asked = {"fixed": options.fixed, "minutes": options.minutes}
    found = follow(plate, truth, complaint, **asked)
    diagnosis = found.diagnosis
    hides = len(case) == 1 and case[0].kind != "healthy" and truth.is_hidden()
    rights = [is_right(cause, case, by_id, truth.service, hidden=hides) for cause in diagnosis.causes]
    right = bool(rights) and rights[0]
    both = right
    left = left_of(diagnosis.first, case) if len(case) == 2 else None
    if left is not None:
        # The first is repaired and proven; what was read of it says nothing of the unit now.
        other = Truth(plate, (left,), random, options.wrong, between=options.between)
        after = follow(plate, other, complaint, **asked).diagnosis
        both = is_right(after.first, (left,), by_id, other.service, hidden=other.is_hidden())
    return Run(
        unit=name,
        faults=ids,
        seed=seed,
        right=right,
        names_one=names_one(diagnosis.first, case),
        both=both,
        hidden=hides,
        tests=len(found.readings),
        minutes=found.minutes,
        repeats=found.repeats,
        habits=first_after_habits(plate, found, complaint, random) if options.habits else {},
        size=truth.size if len(case) == 1 else 0.0,
        said=tuple(
            (cause.faults[0], cause.probability, was) for cause, was in zip(diagnosis.causes, rights, strict=True)
        ),
    )


def jobs_of(options: argparse.Namespace) -> list[tuple[str, tuple[str, ...], int, argparse.Namespace]]:
    """Return all that is to be followed, unit by unit."""
    names = sorted(PATTERNS) if options.units == "all" else options.units.split(",")
    jobs: list[tuple[str, tuple[str, ...], int, argparse.Namespace]] = []
    for name in names:
        faults = faults_of(PATTERNS[name]())
        cases: list[tuple[str, ...]] = [(fault.id,) for fault in faults[:: options.every] if options.only in fault.id]
        if options.pairs:
            draw = np.random.default_rng(7)
            real = [fault.id for fault in faults if fault.kind != "healthy"]
            picks = [draw.choice(len(real), 2, replace=False) for _ in range(options.pairs // len(names) + 1)]
            cases = [(real[int(a)], real[int(b)]) for a, b in picks]
        seeds = range(options.first_seed, options.first_seed + options.seeds)
        jobs += [(name, case, seed, options) for case in cases for seed in seeds]
    return jobs


def main() -> None:
    """Run the study and print its figures."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--seeds", type=int, default=5)
    parser.add_argument("--first-seed", type=int, default=0)
    parser.add_argument("--units", default="all")
    parser.add_argument("--wrong", type=float, default=0.0)
    parser.add_argument("--pairs", type=int, default=0)
    parser.add_argument("--fixed", action="store_true")
    parser.add_argument("--between", action="store_true", help="any size, not only the catalogue's")
    parser.add_argument("--only", default="", help="take only faults whose id holds this")
    parser.add_argument("--minutes", type=float, default=60.0, help="what a call may take, at the tests' own minutes")
    parser.add_argument("--every", type=int, default=1, help="take every n-th fault only")
    parser.add_argument("--workers", type=int, default=1, help="how many processes share the work")
    parser.add_argument("--habits", action="store_true", help="read each call again the way some people do")
    parser.add_argument("--dump", default="", help="write every run to this file, a line of JSON each")
    options = parser.parse_args()
    start = time.perf_counter()
    jobs = jobs_of(options)
    with ProcessPoolExecutor(options.workers) as pool:
        runs = []
        for done in pool.map(run, jobs, chunksize=4):
            runs.append(done)
            if options.dump:
                with Path(options.dump).open("a") as file:
                    file.write(json.dumps(asdict(done)) + "\n")
    figures(runs)
    print(f"{time.perf_counter() - start:.0f} s")


def figures(runs: Sequence[Run]) -> None:
    """Print what the study found."""
    for name in sorted({done.unit for done in runs}):
        report(name, [(done.right, done.tests) for done in runs if done.unit == name])
    report("all", [(done.right, done.tests) for done in runs])
    hidden = [done for done in runs if done.hidden]
    print(
        f"{100 * len(hidden) / len(runs):.1f} % show nowhere and count as sound; "
        f"{sum(not done.right for done in hidden)} of them falsely alarmed"
    )
    least, most = interval([done.right for done in runs])
    print(f"right repair, 95 % interval: {100 * least:.1f} to {100 * most:.1f} %")
    by_kind: dict[str, list[bool]] = {}
    for done in runs:
        by_kind.setdefault(done.kind, []).append(done.right)
        if done.kind in RESISTIVE:
            decade = next(f"{top / 10:g} to {top:g} ohm" for top in (0.2, 2.0, 20.0) if done.size <= top)
            by_kind.setdefault(f"resistance of {decade}", []).append(done.right)
    for kind, rights in sorted(by_kind.items(), key=lambda entry: statistics.mean(entry[1])):
        least, most = interval(rights)
        if least < LEAST_OF_A_KIND or kind.startswith("resistance"):
            told = f"{sum(rights)} of {len(rights)}, {100 * least:.0f} to {100 * most:.0f} %"
            print(f"  {'BELOW ' if most < LEAST_OF_A_KIND else ''}{kind}: {told}")
    if any(len(done.faults) == 2 for done in runs):
        print(f"one of the two named: {100 * statistics.mean(done.names_one for done in runs):.1f} %")
        print(f"both, the second once the first is repaired: {100 * statistics.mean(done.both for done in runs):.1f} %")
    spent = [done.minutes for done in runs]
    print(f"minutes: median {statistics.median(spent):.0f}, mean {statistics.mean(spent):.0f}")
    print(f"asked for what was known: {sum(done.repeats for done in runs)} times")
    for name in runs[0].habits:
        print(
            f"  {name}: the first repair changes in {100 * statistics.mean(done.habits[name] for done in runs):.1f} %"
        )
    led = [done.said[0][1:] for done in runs if done.said]
    print("leading causes:")
    calibration(led)
    print(f"  {100 * statistics.mean(share >= 0.9 for share, _ in led):.1f} % end with one cause at 90 % or more")
    print("all causes:")
    calibration([(share, was) for done in runs for _, share, was in done.said])
    missed = Counter(
        f"{done.unit}: {'+'.join(done.faults)} → {done.said[0][0] if done.said else '-'}"
        for done in runs
        if not done.right
    )
    for label, count in missed.most_common(60):
        print(f"  missed {count} × {label}")


def interval(rights: Sequence[bool]) -> tuple[float, float]:
    """Return between what shares the true one lies at 95 %, by Wilson's score."""
    count, share, z = len(rights), statistics.mean(rights), NormalDist().inv_cdf(0.975)
    middle, width = (
        share + z * z / (2 * count),
        z * math.sqrt(share * (1 - share) / count + z * z / (4 * count * count)),
    )
    whole = 1 + z * z / count
    return (middle - width) / whole, (middle + width) / whole


def calibration(said: Sequence[tuple[float, bool]]) -> None:
    """Print how often causes of so much share were right, a hundred or more a line, and the two's mean distance."""
    shares = np.array([share for share, _ in sorted(said)])
    rights = np.array([was for _, was in sorted(said)], dtype=np.float64)
    bins = np.array_split(np.arange(len(shares)), min(MOST_BINS, max(1, len(shares) // LEAST_OF_A_BIN)))

    def error(came: "np.ndarray[Any, Any]") -> float:
        return float(sum(len(own) * abs(shares[own].mean() - came[own].mean()) for own in bins) / len(shares))

    for own in bins:
        print(f"  said {100 * shares[own].mean():5.1f} %  right {100 * rights[own].mean():5.1f} %  of {len(own)}")
    draw = np.random.default_rng(1)
    by_chance = [error((draw.random(len(shares)) < shares).astype(np.float64)) for _ in range(RESAMPLED)]
    limit = float(np.percentile(by_chance, 95))
    print(f"  expected calibration error {error(rights):.3f}, by chance alone up to {limit:.3f}")


def report(name: str, runs: list[tuple[bool, int]]) -> None:
    """Print one line of figures."""
    tests = sorted(count for _, count in runs)
    share = sum(right for right, _ in runs) / len(runs)
    print(
        f"{name:22} {len(runs):5} runs  right {100 * share:6.2f} %  tests median {statistics.median(tests):4.1f}  "
        f"95th {tests[int(0.95 * (len(tests) - 1))]:3}",
        flush=True,
    )


if __name__ == "__main__":
    main()
