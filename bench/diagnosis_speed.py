"""Times a full diagnosis on one core: the first time a unit is seen and every later reading, against numpy itself.

    OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 python -m bench.diagnosis_speed

The yardstick is one batched dense solve of as many systems of as many unknowns as the diagnosis solved, in this run.
"""

import resource
import statistics
import time

import numpy as np

import plentar.core.causes.hypotheses as hypotheses
from plentar.core.causes.catalogue import catalogue
from plentar.core.causes.diagnosis import diagnose
from plentar.core.causes.faults import faults_of
from plentar.core.causes.next_test import next_tests
from plentar.core.circuit.solve import Variants
from plentar.core.evidence.metrology import DEMO_METER
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS


def twelve_readings(plate: Nameplate) -> list[Reading]:
    """Twelve readings under three conditions of a unit whose strip B does not heat."""
    feeds = tuple((feed.id, "live") for feed in plate.feeds)

    def read(point: str, value: float, *calls: str) -> Reading:
        condition = Condition(feeds=feeds, calls=tuple((call, 900.0) for call in calls))  # type: ignore[arg-type]
        half = DEMO_METER.uncertainty(point.partition(":")[0], value)
        return Reading(point=point, value=value, condition=condition, meter_uncertainty=half)

    line = "volts:feed-1.l1:feed-1.l2"
    return [
        read(line, 240.0),
        read("volts:feed-1.l1:ground", 120.0),
        read("amps:strip-a", 0.0),
        read("amps:blower", 0.0),
        read("amps:blower", 2.8, "G"),
        read("amps:strip-a", 0.0, "G"),
        read("volts:board.w:board.c", 25.0, "W"),
        read("amps:strip-a", 20.3, "W"),
        read("amps:strip-b", 0.0, "W"),
        read(line, 237.0, "W"),
        read("volts:strip-b.limit.1:strip-b.limit.2", 0.0, "W"),
        read("amps:blower", 2.8, "W"),
    ]


class Counter:
    """Stands before the elimination and counts systems and unknowns."""

    def __init__(self) -> None:
        self.factored = Variants.factored
        self.systems = 0
        self.unknowns = 0

    def __enter__(self) -> "Counter":
        """Start counting."""
        counter = self

        def counted(variants: Variants, rows: np.ndarray, states: np.ndarray) -> np.ndarray:
            counter.systems += len(rows)
            counter.unknowns = max(counter.unknowns, variants.nodes - 1)
            return counter.factored(variants, rows, states)

        Variants.factored = counted  # type: ignore[method-assign,assignment]
        return self

    def __exit__(self, *_: object) -> None:
        """Put back what was there."""
        Variants.factored = self.factored  # type: ignore[method-assign]


def full(plate: Nameplate, readings: list[Reading]) -> float:
    """Return the seconds of one diagnosis with its next tests."""
    start = time.perf_counter()
    found = diagnose(plate, readings, complaints=["not enough heat"])
    next_tests(found, readings[-1].condition)
    return time.perf_counter() - start


def fresh(plate: Nameplate, readings: list[Reading]) -> float:
    """Return the seconds with everything about the unit forgotten."""
    for held in (hypotheses.MODELS, hypotheses.SOLVED, hypotheses.PREDICTED):
        held.clear()
    return full(plate, readings)


def measure(name: str) -> float:
    """Print one unit's figures and return its first time."""
    plate = PATTERNS[name]()
    readings = twelve_readings(plate)
    fresh(plate, readings)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with Counter() as counter:
        fresh(plate, readings)
    first = min(fresh(plate, readings) for _ in range(3))
    later = statistics.median(full(plate, readings) for _ in range(20))
    systems = np.random.default_rng(1).normal(size=(counter.systems, counter.unknowns, counter.unknowns)) + 0j
    systems += 50 * np.eye(counter.unknowns)
    right = np.ones((counter.systems, counter.unknowns, 1), dtype=complex)
    times = []
    for _ in range(3):
        start = time.perf_counter()
        np.linalg.solve(systems, right)
        times.append(time.perf_counter() - start)
    del systems, right
    model = hypotheses.model_of(plate)
    print(
        f"{name:22} {len(model.hypotheses)} hypotheses, {len(catalogue(plate))} tests, {counter.systems} systems of "
        f"{counter.unknowns}: first {first:.3f} s, later {1e3 * later:.1f} ms, one batched solve {min(times):.3f} s, "
        f"ratio {first / min(times):.1f}, {(before) // 1024} MB peak so far"
    )
    return first


def main() -> None:
    """Measure four strips, then two against six with as many hypotheses."""
    imported = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    print(f"{imported} MB after import")
    measure("four-strip-chained")
    hypotheses.PAIRS = 300
    six = measure("six-strip-chained")
    count = len(hypotheses.model_of(PATTERNS["six-strip-chained"]()).hypotheses)
    singles = sum(len(fault.variants) for fault in faults_of(PATTERNS["two-strip-sequencer"]()))
    hypotheses.PAIRS = count - singles
    two = measure("two-strip-sequencer")
    print(f"six strips over two with {count} hypotheses each: {six / two:.1f}")


if __name__ == "__main__":
    main()
