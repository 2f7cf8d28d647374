"""Sparse node equations of many variants of one circuit, eliminated together.

All variants share one pattern of which nodes touch; only the numbers differ. So the order of elimination is found once,
least fill first, and each step is a handful of array operations over all variants. A network of this kind has some
forty nodes with three neighbours each: a dense solver spends nearly all its time on zeros.

The matrices are symmetric (branches, contacts and ideal-ratio two-ports all are), so one triangle is kept. No pivoting
is needed: a passive network's node matrix has a positive real part at each step of the elimination.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

__all__ = ["Pattern"]

Ints = NDArray[np.int64]
Number = TypeVar("Number", np.float64, np.complex128)


@dataclass(frozen=True, slots=True)
class _Step:
    """Eliminating one node: its neighbours, its entries toward them, and which entries their products change."""

    node: int
    others: Ints
    own: Ints
    targets: Ints
    rows: Ints
    columns: Ints


class Pattern:
    """Which entries of the node matrices can be other than zero, fill included, and the order to eliminate in.

    Values have shape (slots, variants): slot i is the diagonal of node i, the others one entry of the triangle each,
    the last a place for what needs no keeping: anything toward a grounded node 0.
    """

    def __init__(self, size: int, touching: Iterable[tuple[int, int]], *, grounded: bool, late: int = 0) -> None:
        """Find the order.

        Args:
            size: Nodes, ground (node 0) among them.
            touching: Pairs of nodes that touch in at least one variant.
            grounded: Node 0 is held at 0 V and takes no part.
            late: The last so many nodes exist in few variants and may touch anything; they are eliminated last.
        """
        self.size, self.grounded = size, grounded
        first = 1 if grounded else 0
        near: list[set[int]] = [set() for _ in range(size)]
        for a, b in touching:
            if a != b and min(a, b) >= first:
                near[a].add(b)
                near[b].add(a)
        number = size
        slot: dict[tuple[int, int], int] = {}
        for a in range(size):
            for b in sorted(near[a]):
                if a < b:
                    slot[a, b], number = number, number + 1
        self.steps: list[_Step] = []
        left = set(range(first, size))
        while left:
            node = min(left, key=lambda n: (n >= size - late, len(near[n]), n))
            left.discard(node)
            others = sorted(near[node])
            targets, rows, columns = [], [], []
            for i, a in enumerate(others):
                near[a].discard(node)
                for j, b in enumerate(others[: i + 1]):
                    if a != b and (b, a) not in slot:
                        slot[b, a], number = number, number + 1
                        near[a].add(b)
                        near[b].add(a)
                    targets.append(a if a == b else slot[b, a])
                    rows.append(i)
                    columns.append(j)
            own = [slot[min(node, other), max(node, other)] for other in others]
            whole = [np.array(x, dtype=np.int64) for x in (others, own, targets, rows, columns)]
            self.steps.append(_Step(node, *whole))
        self.slots = number + 1
        self.slot_at = np.full((size, size), number, dtype=np.int64)
        for (a, b), at in slot.items():
            self.slot_at[a, b] = self.slot_at[b, a] = at

    def stamp(self, values: NDArray[Number], a: Ints, b: Ints, siemens: NDArray[Number]) -> None:
        """Add admittances between nodes; `a`, `b` and `siemens` have shape (variants, branches)."""
        apart = np.where(a == b, 0, siemens)
        at = np.concatenate([a, b, self.slot_at[a, b]], axis=1)
        _accumulate(values, at, np.concatenate([apart, apart, -apart], axis=1))

    def add(self, values: NDArray[Number], a: Ints, b: Ints, siemens: NDArray[Number]) -> None:
        """Add to single entries of the symmetric matrices; shapes as in `stamp`."""
        _accumulate(values, np.where(a == b, a, self.slot_at[a, b]), siemens)

    def factor(self, values: NDArray[Number]) -> None:
        """Eliminate in place. A node that a variant does not have keeps a diagonal of one."""
        diagonal = values[: self.size]
        diagonal[diagonal == 0] = 1.0
        if self.grounded:
            diagonal[0] = 1.0
        for step in self.steps:
            column = values[step.own]
            share = column / values[step.node]
            values[step.targets] -= share[step.rows] * column[step.columns]
            values[step.own] = share

    def solve(self, factored: NDArray[Number], right: NDArray[Number]) -> NDArray[Number]:
        """Return node values for right-hand sides of shape (nodes, variants), or (nodes, columns, variants)."""
        answer = right.copy()
        if self.grounded:
            answer[0] = 0
        wide = (slice(None), None) if right.ndim == 3 else (slice(None),)
        for step in self.steps:
            answer[step.others] -= factored[step.own][wide] * answer[step.node]
        answer /= factored[: self.size][wide]
        for step in reversed(self.steps):
            answer[step.node] -= (factored[step.own][wide] * answer[step.others]).sum(axis=0)
        return answer


def _accumulate(values: NDArray[Number], at: Ints, siemens: NDArray[Number]) -> None:
    """Add amounts to slots, several to one slot included; `at` and `siemens` have shape (variants, amounts)."""
    count = values.shape[1]
    index = (at * count + np.arange(count)[:, None]).ravel()
    amount = siemens.ravel()
    used = amount != 0
    index, amount = index[used], amount[used]
    flat = values.reshape(-1)
    flat.real += np.bincount(index, amount.real, flat.size)
    if np.iscomplexobj(amount):
        flat.imag += np.bincount(index, amount.imag, flat.size)
