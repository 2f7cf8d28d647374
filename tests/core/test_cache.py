"""A cache bounded by bytes, and the pieces of networks: both held against the plainest way to do it."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from plentar.core.cache import ByteBoundedCache, bytes_of, sweep_all
from plentar.core.causes.hypotheses import PREDICTED, SOLVED, UnitModel, model_of, model_with_pairs
from plentar.core.causes.same_circuit import circuit_of
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.pieces import pieces_of
from plentar.core.unit.nameplate import Window
from plentar.core.unit.patterns import PATTERNS
from plentar.demo.scenario import estate_pattern

Floats = NDArray[np.float64]


def test_what_is_held_never_takes_more_than_its_bytes() -> None:
    """Ten arrays of a tenth of it fit, the eleventh lets the longest unused go; a larger one is not kept."""
    held = ByteBoundedCache(1, size=lambda value: value.nbytes)
    tenth = np.zeros(1024 * 1024 // 80)
    made: list[int] = []

    def ask(key: int, value: Floats = tenth) -> None:
        def make() -> Floats:
            made.append(key)
            return value

        held.get(key, make)

    for key in range(10):
        ask(key)
    ask(0)
    assert made == list(range(10))
    ask(10)
    ask(0)
    assert made[-1] == 10
    ask(1)
    assert made[-1] == 1
    ask(99, np.zeros(1024 * 1024))
    ask(99, np.zeros(1024 * 1024))
    assert made[-2:] == [99, 99]
    assert 0 < held.bytes <= 1024 * 1024


def test_what_nobody_asked_for_between_two_sweeps_is_let_go() -> None:
    """Asked for or made since the last sweep it stays; another sweep later, unasked, it is gone."""
    held = ByteBoundedCache(1)
    for key in ("asked", "unasked"):
        held.get(key, lambda: np.zeros(8))
    sweep_all()
    assert "asked" in held
    assert "unasked" in held
    assert held.get("asked", lambda: np.ones(8)).sum() == 0
    sweep_all()
    assert "asked" in held
    assert "unasked" not in held


def test_threads_share_what_is_held() -> None:
    """Eight at once over more keys than fit: everybody gets what belongs to the key asked for."""
    held = ByteBoundedCache(0.01)

    def ask(number: int) -> bool:
        key = number % 60
        return bool(held.get(key, lambda: np.full(50, key))[0] == key)

    with ThreadPoolExecutor(8) as pool:
        assert all(pool.map(ask, range(6000)))


def test_a_models_solutions_count_without_their_circuit() -> None:
    """What is predicted over every condition stays inside its budget, and asked again it is the same."""
    plate = PATTERNS["six-strip-chained"]()
    model = model_of(plate)
    whole = bytes_of(model.variants)
    everyone = np.arange(len(model.hypotheses))
    first = model.predict("amps:strip-a", Drive(calls=frozenset({"W"}))).predicted
    assert SOLVED.bytes < whole * 20
    for call in ("W", "W2", "G", "Y"):
        for volts in range(208, 248, 4):
            drive = Drive(calls=frozenset({call}))
            model.predict(f"amps:strip-{'abcdef'[volts % 6]}", drive)
            model.table([("amps:strip-a", drive), (f"amps:strip-{'abcdef'[volts % 5]}", drive)], everyone)
    assert SOLVED.bytes <= 48 * 1024 * 1024
    assert PREDICTED.bytes <= 40 * 1024 * 1024
    np.testing.assert_array_equal(
        first, model_of(plate).predict("amps:strip-a", Drive(calls=frozenset({"W"}))).predicted
    )


@given(st.integers(1, 40), st.data())
def test_pieces_are_those_a_walk_finds(count: int, data: st.DataObject) -> None:
    """Two nodes share a piece exactly when a walk along links leads from one to the other."""
    node = st.integers(0, count - 1)
    links = data.draw(st.lists(st.tuples(node, node), max_size=60))
    a, b = (np.array([link[side] for link in links], dtype=np.int64) for side in (0, 1))
    found = pieces_of(count, a, b)
    joined = {name: {name} for name in range(count)}
    for x, y in links:
        both = joined[x] | joined[y]
        for name in both:
            joined[name] = both
    assert found.tolist() == [min(joined[name]) for name in range(count)]


def test_like_units_share_what_was_solved() -> None:
    """Forty townhouses are six circuits at the most; a label, a window, a rating make no other circuit."""
    plates = [replace(PATTERNS[estate_pattern(n)](), serial=f"{n}", built=f"20{10 + n % 9}") for n in range(1, 41)]
    assert len({circuit_of(plate) for plate in plates}) <= 6
    plate = PATTERNS["four-strip-chained"]()
    [first, *others] = plate.devices
    slower = tuple(replace(pole, on_window=Window(min_seconds=5, max_seconds=99)) for pole in first.poles)
    like = replace(plate, devices=(replace(first, poles=slower), *others), maximum_device_amps=60.0, tons=3.0)
    assert model_of(like).variants is model_of(plate).variants
    # What a unit's own rules say is still its own.
    assert model_of(like).plate is like
    larger = replace(plate, circuits=(replace(plate.circuits[0], rated_watts=4800.0), *plate.circuits[1:]))
    assert model_of(larger).variants is not model_of(plate).variants


@pytest.mark.parametrize("feet", [39.55, 40.0, 40.45])
def test_what_is_rounded_no_meter_tells(feet: float) -> None:
    """Volts and amps of every hypothesis under full load: less than the tenth of a meter's last digit."""
    plate = PATTERNS["two-strip-sequencer"]()
    conductor = replace(plate.feeds[0].conductor, length_feet=feet)  # type: ignore[type-var]
    own = replace(plate, feeds=(replace(plate.feeds[0], conductor=conductor),))
    drive = Drive(calls=frozenset({"W"}))
    for point in ("volts:feed-1.l1:feed-1.l2", "amps:strip-a", "volts:strip-b.element.1:strip-b.element.2"):
        exact, shared = UnitModel(own).predict(point, drive).predicted, model_of(own).predict(point, drive).predicted
        assert np.abs(exact - shared).max() < 0.1, point


def test_pairs_of_one_calls_readings_solve_only_themselves() -> None:
    """Single faults as the circuit's own table has them, pairs by themselves: what solving all at once gives."""
    plate = PATTERNS["two-strip-sequencer"]()
    pairs = (
        (("strip-a.element.open", 0), ("strip-b.limit.open", 0)),
        (("fuse.open", 0), ("seq-a.coil.shorted", 2)),
        (("strip-a.element.wrong-size", 3), ("strip-b.link.open", 0)),
    )
    whole, shared = UnitModel(circuit_of(plate), pairs), model_with_pairs(plate, pairs)
    assert [h.id for h in shared.hypotheses] == [h.id for h in whole.hypotheses]
    count = sum(len(h.faults) == 2 for h in shared.hypotheses)
    assert 0 < count == len(shared.variants.changes) < len(whole.variants.changes) / 4
    heat = Drive(calls=frozenset({"W"}))
    for drive in (Drive(), heat, replace(heat, limits_open=True)):
        assert (shared.contacts(drive) == whole.contacts(drive)).all()
        for point in (
            "volts:feed-1.l1:feed-1.l2",
            "amps:strip-a",
            "dc_volts:seq-a.coil.1:seq-a.coil.2",
            "amps:control",
        ):
            ours, theirs = shared.predict(point, drive), whole.predict(point, drive)
            assert ours.predicted == pytest.approx(theirs.predicted, abs=1e-6)
            assert ((ours.source_ohms > 1e6) == (theirs.source_ohms > 1e6)).all()
            assert shared.between(point, drive)[0] == pytest.approx(whole.between(point, drive)[0], abs=1e-6)
    for ohms in ("ohms:strip-a.element", "ohms:seq-a.coil", "ohms:seq-a.pole-2", "ohms:feed-1.l1:feed-1.l2"):
        assert shared.predict(ohms, Drive()).predicted == pytest.approx(
            whole.predict(ohms, Drive()).predicted, rel=1e-6
        )
