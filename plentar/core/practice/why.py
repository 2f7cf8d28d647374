"""Why a meter read what it read: what each probe is tied to, through which parts."""

import heapq
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from plentar.core.circuit.places import place_words
from plentar.core.circuit.solve import Solution
from plentar.core.message import Text, joined, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import GROUND, place_of, spot_of

__all__ = ["Tie", "ties_of", "why_words"]

# From here on nothing but strays and a meter join two conductors.
STRAY_OHMS = 1e6
# A lead or a closed contact is no part worth naming on the way.
PLAIN_OHMS = 0.2
FRAME = "frame"
# From a node to another: its number, the ohms between, the part; no name where it is plain wire.
NodeStep = tuple[int, float, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Tie:
    """What a terminal is tied to: `L1`, `L2`, `frame`, R or C, or nothing; through which parts, nearest first."""

    terminal: str
    end: str
    parts: tuple[str, ...]


def ties_of(settled: Solution, point: str) -> tuple[Tie, ...]:
    """Return what each probe of a point is tied to most firmly: the source the fewest ohms away.

    Args:
        settled: One solved variant.
        point: Volts between two places; any other point has no probes that hang on something.
    """
    spot = spot_of(point)
    if not spot.is_volts or len(spot.places) != 2:
        return ()
    ends, steps = _ends(settled), _steps(settled)
    return tuple(_tied(settled, place, ends, steps) for place in spot.places)


def _tied(settled: Solution, terminal: str, ends: Mapping[int, str], steps: Mapping[int, list[NodeStep]]) -> Tie:
    v = settled.variants
    start = int(v.node_of[0, v.circuit.terminals[terminal]])
    best = {start: 0.0}
    came: dict[int, tuple[int, str]] = {}
    queue = [(0.0, start)]
    while queue:
        ohms, node = heapq.heappop(queue)
        if ohms > best.get(node, np.inf):
            continue
        if node in ends:
            return Tie(terminal=terminal, end=ends[node], parts=_way(came, node))
        for other, between, name in steps.get(node, ()):
            further = ohms + between
            if further < min(best.get(other, np.inf), STRAY_OHMS):
                best[other] = further
                came[other] = (node, name)
                heapq.heappush(queue, (further, other))
    return Tie(terminal=terminal, end="", parts=())


def _ends(settled: Solution) -> dict[int, str]:
    """Return the nodes that something outside holds where they are."""
    v = settled.variants
    found = {int(v.node_of[0, v.circuit.terminals[GROUND]]): FRAME}
    for source in v.circuit.sources:
        leg = place_of(source.node).leg
        found[int(v.node_of[0, v.circuit.terminals[source.node]])] = leg.upper()
    # The control side hangs on its transformer, where that gives anything.
    for port in v.circuit.two_ports:
        for terminal, name in ((port.out_a, "R"), (port.out_b, "C")):
            if port.id == "transformer":
                found.setdefault(int(v.node_of[0, v.circuit.terminals[terminal]]), name)
    return found


def _steps(settled: Solution) -> dict[int, list[NodeStep]]:
    v = settled.variants
    found: dict[int, list[NodeStep]] = {}

    def add(a: int, b: int, admittance: complex, name: str) -> None:
        if abs(admittance) > 1 / STRAY_OHMS:
            ohms = 1 / abs(admittance)
            found.setdefault(a, []).append((b, ohms, name if ohms > PLAIN_OHMS else ""))
            found.setdefault(b, []).append((a, ohms, name if ohms > PLAIN_OHMS else ""))

    for i, branch in enumerate(v.circuit.branches):
        add(int(v.branch_a[0, i]), int(v.branch_b[0, i]), v.admittance[0, i], branch.id)
    for i, contact in enumerate(v.circuit.contacts):
        if settled.states[0, i]:
            add(int(v.contact_a[0, i]), int(v.contact_b[0, i]), v.closed[0, i], contact.id)
    for i in range(v.split_y.shape[1]):
        add(int(v.split_a[0, i]), int(v.split_b[0, i]), v.split_y[0, i], "")
    return found


def _way(came: dict[int, tuple[int, str]], node: int) -> tuple[str, ...]:
    parts: list[str] = []
    while node in came:
        node, name = came[node]
        if name:
            parts.append(name)
    return tuple(dict.fromkeys(reversed(parts)))


def why_words(plate: Nameplate, ties: tuple[Tie, ...]) -> Text:
    """Return why a point shows what it shows, in one sentence; nothing where it is no voltage between two places."""
    if not ties:
        return ""
    one, other = ties
    return message("practice.why", one=_tie_words(plate, one, "1"), other=_tie_words(plate, other, "2"))


def _tie_words(plate: Nameplate, tie: Tie, probe: str) -> Text:
    if not tie.end:
        return message("practice.why-floats", probe=probe)
    end = message("practice.the-frame") if tie.end == FRAME else tie.end
    through = joined(place_words(plate, part) for part in tie.parts[:4])
    if not tie.parts:
        return message("practice.why-straight", probe=probe, end=end)
    return message("practice.why-through", probe=probe, end=end, parts=through)
