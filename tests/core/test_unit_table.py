"""The unit's table: packed, kept, read without numpy, and the same answers out of it as by solving."""

import hashlib
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from plentar.core.causes.catalogue import catalogue
from plentar.core.causes.diagnosis import diagnose
from plentar.core.causes.hypotheses import MODELS, PREDICTED, SOLVED, UnitModel, model_of
from plentar.core.causes.keeping import drives_of_table, packed_row
from plentar.core.causes.next_test import next_tests
from plentar.core.causes.rounding import rounded, values_of
from plentar.core.causes.same_circuit import by_position, circuit_of
from plentar.core.causes.same_circuit import renamed as with_names
from plentar.core.causes.table import VERSION, circuit_key, drive_key, to_int, unpack, value_of
from plentar.core.causes.table_store import use_table_store
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.solve import Solution, Variants, settle
from plentar.core.evidence.metrology import DEMO_METER
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from tests.core.test_renaming import renamed, swap

EXAMPLE = Path(__file__).parent / "unit-table-example.bin"
UNIT = circuit_of(PATTERNS["two-strip-sequencer"]())
HEAT = Drive(calls=frozenset({"W"}))
LIVE = (("feed-1", "live"),)


def example_row() -> bytes:
    """The row the table's version is named by."""
    return packed_row(UNIT, HEAT)


def version_of(kept: bytes) -> str:
    """The version that an example makes."""
    return hashlib.sha256(kept).hexdigest()[:16]


class InMemory:
    """A store without a database."""

    def __init__(self) -> None:
        self.rows: dict[tuple[str, str], bytes] = {}
        self.missing: list[tuple[Nameplate, Drive]] = []

    def fetch(self, circuit: str) -> dict[str, bytes]:
        """Look a circuit's rows up."""
        return {drive: row for (own, drive), row in self.rows.items() if own == circuit}

    def missed(self, circuit: Nameplate, drive: Drive) -> None:
        """Note what was asked for."""
        self.missing.append((circuit, drive))

    def fill(self) -> None:
        """Keep what was asked for."""
        for circuit, drive in self.missing:
            self.rows[circuit_key(circuit), drive_key(drive)] = packed_row(circuit, drive)


@pytest.fixture
def store() -> "object":
    """An empty store in force, and nothing solved before."""
    found = InMemory()
    use_table_store(found)
    PREDICTED.clear()
    SOLVED.clear()
    yield found
    use_table_store(None)
    PREDICTED.clear()


def test_the_version_is_of_these_circuits_and_hypotheses() -> None:
    """What is solved now is what the example holds; else bench.unit_table --keep, and its version is said."""
    assert version_of(EXAMPLE.read_bytes()) == VERSION
    kept, fresh = unpack(EXAMPLE.read_bytes()), unpack(example_row())
    assert kept is not None
    assert fresh is not None
    assert kept.points == fresh.points
    assert kept.closed == fresh.closed
    away = np.abs(np.frombuffer(kept.numbers, "<i4") - np.frombuffer(fresh.numbers, "<i4"))
    assert away.max() <= 2


@given(st.floats(0, 20_000), st.sampled_from(["volts:board.r:board.c", "amps:strip-a", "dc_volts:a:b"]))
def test_a_step_is_a_tenth_of_a_meters_last_digit(value: float, point: str) -> None:
    """Half a thousandth either way; the finest range in use shows hundredths."""
    assert abs(value_of(point, to_int(point, value)) - value) <= 0.00050001


@given(st.floats(0, 1e8))
def test_ohms_keep_their_decade(ohms: float) -> None:
    """A fiftieth of a percent beside the leads' 0.3 ohm; open stays open."""
    assert abs(value_of("ohms:x", to_int("ohms:x", ohms)) - ohms) <= 0.00012 * (ohms + 0.3)
    assert value_of("ohms:x", to_int("ohms:x", float("inf"))) > 9e7


@given(st.lists(st.floats(0, 2e8), min_size=1, max_size=9), st.sampled_from(["ohms:x", "volts:a:b"]))
def test_arrays_and_single_values_are_rounded_alike(values: list[float], point: str) -> None:
    """Both ways; open is exactly open either way, and nothing else is."""
    kept = [min(value, 2e4) for value in values] if point == "volts:a:b" else values
    numbers = rounded(point, np.array(kept))
    assert numbers.tolist() == [to_int(point, value) for value in kept]
    assert values_of(point, numbers) == pytest.approx([value_of(point, number) for number in numbers.tolist()])
    shut = rounded("ohms:x", np.array([1e8, 9.9e7]))
    assert values_of("ohms:x", shut)[0] == value_of("ohms:x", int(shut[0])) == 1e8
    assert values_of("ohms:x", shut)[1] < 9.95e7


@given(st.data())
def test_a_damaged_row_is_no_row(data: st.DataObject) -> None:
    """Cut short or with a byte changed it is nothing, or what it was."""
    row = EXAMPLE.read_bytes()
    assert unpack(row[: data.draw(st.integers(0, len(row) - 1))]) is None
    at = data.draw(st.integers(0, len(row) - 1))
    damaged = bytearray(row)
    damaged[at] ^= data.draw(st.integers(1, 255))
    found = unpack(bytes(damaged))
    assert found is None or found == unpack(row)


READ = """
import sys
class No:
    def find_spec(self, name, path=None, target=None):
        if name.partition(".")[0] == "numpy":
            raise ImportError("numpy is not on a phone")
sys.meta_path.insert(0, No())
from plentar.core.causes.table import unpack
row = unpack(open(sys.argv[1], "rb").read())
print(row.predicted("amps:strip-a")[0], sum(row.is_floating("volts:seq-a.pole-2.load:seq-a.pole-2.line")) > 0)
"""


def test_a_row_is_read_without_numpy() -> None:
    """What a healthy strip draws, and that some hypothesis leaves the pole floating, by plain Python."""
    done = subprocess.run([sys.executable, "-c", READ, EXAMPLE], check=False, capture_output=True, text=True)
    amps, floats = done.stdout.split() or (done.stderr, "")
    assert float(amps) == pytest.approx(model_of(UNIT).solved("amps:strip-a", HEAT).predicted[0], abs=0.001)
    assert floats == "True"


def readings() -> list[Reading]:
    """A pole that does not close, by the usual four."""
    condition = Condition(feeds=LIVE, calls=(("W", 400.0),))  # type: ignore[arg-type]
    found = [
        ("volts:feed-1.l1:feed-1.l2", 238.4, Condition(feeds=LIVE)),  # type: ignore[arg-type]
        ("amps:strip-a", 20.5, condition),
        ("amps:strip-b", 0.0, condition),
        ("volts:seq-a.pole-2.load:seq-a.pole-2.line", 237.9, condition),
    ]
    return [
        Reading(point=p, value=v, condition=c, meter_uncertainty=DEMO_METER.uncertainty(p.partition(":")[0], v))
        for p, v, c in found
    ]


def test_kept_or_solved_the_answer_is_the_same(store: InMemory) -> None:
    """Shares within a ten-thousandth, the same tests in the same order; and out of the table nothing is solved."""
    solved = diagnose(UNIT, readings())
    tests = next_tests(solved, readings()[-1].condition)
    assert {circuit for circuit, _ in store.missing} == {UNIT}
    store.fill()
    use_table_store(store)
    PREDICTED.clear()
    SOLVED.clear()
    with patch.object(UnitModel, "settled", side_effect=AssertionError("solved")):
        kept = diagnose(UNIT, readings())
        again = next_tests(kept, readings()[-1].condition)
    assert np.abs(kept.posterior - solved.posterior).max() < 1e-4
    assert [cause.faults for cause in kept.causes] == [cause.faults for cause in solved.causes]
    assert [entry.test.words for entry in again] == [entry.test.words for entry in tests]


def test_the_first_answer_solves_for_all_only_what_was_read() -> None:
    """A circuit nobody has seen: idle and heat for every hypothesis, all other drives for those in question, and the
    same answer as from the whole table."""
    MODELS.clear()
    PREDICTED.clear()
    SOLVED.clear()
    whole, count = set(), len(model_of(UNIT).hypotheses)

    def noted(variants: Variants, drive: Drive, **others: Any) -> Solution:
        if variants.count == count:
            whole.add(drive.calls)
        return settle(variants, drive, **others)

    with patch("plentar.core.causes.hypotheses.settle", noted):
        first = diagnose(UNIT, readings())
        tests = next_tests(first, readings()[-1].condition)
    assert whole == {frozenset(), frozenset("W")}
    for drive in drives_of_table(UNIT):
        model_of(UNIT).settled(drive)
    later = diagnose(UNIT, readings())
    assert [(cause.faults, cause.probability) for cause in later.causes] == [
        (cause.faults, cause.probability) for cause in first.causes
    ]
    again = next_tests(later, readings()[-1].condition)
    assert [entry.test for entry in again] == [entry.test for entry in tests]
    assert [entry.bits for entry in again] == pytest.approx([entry.bits for entry in tests], abs=1e-6)


def test_a_row_of_other_hypotheses_is_not_taken(store: InMemory) -> None:
    """Another circuit's row under this one's key: solved anew, and asked for again."""
    other = circuit_of(PATTERNS["one-strip-dpdt"]())
    store.rows[circuit_key(UNIT), drive_key(HEAT)] = packed_row(other, HEAT)
    store.missing.clear()
    assert model_of(UNIT).predict("amps:strip-b", HEAT).predicted[0] > 19
    assert store.missing == [(UNIT, HEAT)]


def test_a_row_that_another_keeps_meanwhile_is_found(store: InMemory) -> None:
    """Nothing kept at the first look; kept by another before the second drive is asked for: then it is not solved."""
    model = model_of(UNIT)
    assert model.predict("amps:strip-b", Drive()).predicted[0] < 1
    store.rows[circuit_key(UNIT), drive_key(HEAT)] = packed_row(UNIT, HEAT)
    PREDICTED.clear()
    SOLVED.clear()
    with patch.object(UnitModel, "settled", side_effect=AssertionError("solved")):
        assert model.predict("amps:strip-b", HEAT).predicted[0] > 19


@pytest.mark.parametrize("pattern", sorted(PATTERNS))
def test_names_assumed_figures_and_delays_make_no_other_circuit(pattern: str) -> None:
    """One key for a kind of unit, whatever its parts are called, whether a figure was read, how long a board waits."""
    plate = PATTERNS[pattern]()
    other, names = renamed(plate)
    relay = other.blower.relay
    if relay is not None:
        slower = replace(relay, rated_amps=15.0, off_delay_seconds=1.5 * relay.off_delay_seconds)
        other = replace(other, assumed=("transformer.va",), blower=replace(other.blower, relay=slower))
    mine, its = by_position(circuit_of(plate)), by_position(circuit_of(other))
    assert mine.circuit == its.circuit
    for test in catalogue(plate):
        assert its.point(swap(test.point, names)) == test.point


def test_a_unit_with_its_names_exchanged_reads_the_row_of_its_kind(store: InMemory) -> None:
    """Strip A called strip-b and the reverse: what is kept of the kind says of each what solving says."""
    plate = PATTERNS["four-strip-chained"]()
    swapped = {"strip-a": "strip-b", "strip-b": "strip-a", "feed-1": "feed-2", "feed-2": "feed-1"}
    other = circuit_of(with_names(plate, swapped))
    standing = by_position(other)
    dead = Drive(calls=frozenset({"W"}), dead_feeds=frozenset({"feed-2"}))
    asked = [("amps:strip-a", HEAT), ("amps:strip-a+strip-b", HEAT), ("volts:feed-2.l1:feed-2.l2", dead)]
    asked.append(("ohms:strip-b.element", Drive()))
    model = model_of(other)
    solved = [model.solved(point, drive).predicted for point, drive in asked]
    for drive in (HEAT, dead, Drive()):
        store.rows[circuit_key(standing.circuit), drive_key(standing.drive(drive))] = packed_row(
            standing.circuit, standing.drive(drive)
        )
    use_table_store(store)
    PREDICTED.clear()
    for (point, drive), shown in zip(asked, solved, strict=True):
        if "+" in point:
            # No look of the catalogue: solved.
            assert model.predict(point, drive).predicted == pytest.approx(shown)
            continue
        with patch.object(UnitModel, "settled", side_effect=AssertionError("solved")):
            assert model.predict(point, drive).predicted == pytest.approx(shown, rel=5e-4, abs=1e-3), point


def test_a_whole_table_is_small() -> None:
    """Every drive of the six-strip unit, packed: two megabytes at the most; a row in memory a few."""
    circuit = circuit_of(PATTERNS["two-strip-sequencer"]())
    drives = drives_of_table(circuit)
    assert len(drives) == len({drive_key(drive) for drive in drives})
    kept = len(packed_row(circuit, HEAT)) * len(drives)
    assert kept < 2_000_000
