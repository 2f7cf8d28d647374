"""A cache bounded by bytes, and the pieces of networks: both held against the plainest way to do it."""

from concurrent.futures import ThreadPoolExecutor

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from plentar.core.causes.hypotheses import PREDICTED, SOLVED, model_of
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.pieces import pieces_of
from plentar.core.held import Held, bytes_of
from plentar.core.unit.patterns import PATTERNS

Floats = NDArray[np.float64]


def test_what_is_held_never_takes_more_than_its_bytes() -> None:
    """Ten arrays of a tenth of it fit, the eleventh lets the longest unused go; a larger one is not kept."""
    held = Held(1, size=lambda value: value.nbytes)
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


def test_threads_share_what_is_held() -> None:
    """Eight at once over more keys than fit: everybody gets what belongs to the key asked for."""
    held = Held(0.01)

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
    first = model.predict("amps:strip-a", Drive(calls=frozenset({"W"}))).shown
    assert SOLVED.bytes < whole * 20
    for call in ("W", "W2", "G", "Y"):
        for volts in range(208, 248, 4):
            drive = Drive(calls=frozenset({call}))
            model.predict(f"amps:strip-{'abcdef'[volts % 6]}", drive)
            model.table([("amps:strip-a", drive), (f"amps:strip-{'abcdef'[volts % 5]}", drive)])
    assert SOLVED.bytes <= 48 * 1024 * 1024
    assert PREDICTED.bytes <= 40 * 1024 * 1024
    np.testing.assert_array_equal(first, model_of(plate).predict("amps:strip-a", Drive(calls=frozenset({"W"}))).shown)


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
