"""Connected pieces of many networks at once: which nodes conductors join."""

import numpy as np
from numpy.typing import NDArray

__all__ = ["pieces_of"]

Ints = NDArray[np.int64]


def pieces_of(count: int, a: Ints, b: Ints) -> Ints:
    """Return for each of `count` nodes the lowest node it is joined to by links between `a` and `b`.

    Each node takes the lowest name among its neighbours, then the name of whoever it is named after, until nothing
    changes: names travel twice as far each round, so a chain of n links takes some log2 n rounds.

    Example:
        >>> pieces_of(5, np.array([3, 1]), np.array([1, 4])).tolist()
        [0, 1, 2, 1, 1]
    """
    name = np.arange(count)
    while True:
        low = np.minimum(name[a], name[b])
        was = name.copy()
        # The name's own holder learns of it too: two trees that touch anywhere become one.
        np.minimum.at(name, was[a], low)
        np.minimum.at(name, was[b], low)
        name = name[name]
        if np.array_equal(name, was):
            return name
