"""What a meter shows on a solved network: volts with the meter's own load, clamp amps, ohms with power isolated."""

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from plentar.core.network.solve import Settled, Variants

__all__ = ["METER_OHMS", "dead_ohms", "pieces", "read_amps", "read_volts"]

METER_OHMS = 10e6
LOW_IMPEDANCE_OHMS = 3e3
Floats = NDArray[np.float64]


def read_volts(
    settled: Settled, a: str, b: str, *, function: str = "volts", meter_ohms: float = METER_OHMS
) -> tuple[Floats, Floats]:
    """Return what each variant shows between two terminals, and how soft that voltage is.

    Args:
        settled: The solved variants, with their impedance matrices.
        a: One probe's terminal.
        b: The other's.
        function: `volts` for the AC function, `dc_volts` for DC.
        meter_ohms: The meter's own resistance [ohm]; 3 kohm in low-impedance mode.
    Returns:
        Volts as displayed [V]; the source impedance between the probes [ohm]. Above some 100 kohm the reading is a
        ghost voltage.
    """
    v = settled.variants
    layers = np.arange(v.count)
    i, j = (v.node_of[:, v.circuit.terminals[x]] for x in (a, b))
    open_volts = settled.volts[layers, i] - settled.volts[layers, j]
    z = settled.impedance
    behind = z[layers, i, i] + z[layers, j, j] - z[layers, i, j] - z[layers, j, i]
    shown = np.abs(open_volts * meter_ohms / (meter_ohms + behind))
    ripple = v.circuit.dc_terminals.get(a, v.circuit.dc_terminals.get(b))
    if function == "dc_volts":
        shown = shown if ripple is not None else np.zeros_like(shown)
    elif ripple is not None:
        shown = shown * ripple
    return shown, np.abs(behind)


def read_amps(settled: Settled, *clamps: str) -> Floats:
    """Return what a clamp around one or several conductors shows [A]."""
    return np.abs(sum((settled.amps(clamp) for clamp in clamps), np.zeros(settled.variants.count, dtype=np.complex128)))


def dead_ohms(variants: Variants) -> tuple[Floats, NDArray[np.int32]]:
    """Return the resistance matrices to an ohmmeter with everything off, and the connected piece of each node.

    Two nodes of different pieces read open (OL). Each piece is pinned to ground at one node, which carries no current,
    so that its own resistances come out undisturbed.

    Returns:
        Inverse conductance [ohm], shape (variants, nodes, nodes); piece numbers, shape (variants, nodes).
    """
    v = variants
    # Ground (node 0) is an ordinary node to an ohmmeter.
    total = v.assemble(v.conductance, with_ports=False)
    rest = np.array([c.is_closed_at_rest and not c.driver.startswith(("feed:", "call:")) for c in v.circuit.contacts])
    states = np.where(v.forced >= 0, v.forced == 1, rest)
    is_feed = np.array([c.driver.startswith("feed:") for c in v.circuit.contacts])
    states[:, is_feed] = False
    v.stamp(total, v.contact_a, v.contact_b, v.closed * states)
    size = v.nodes
    joined = np.abs(total) > 1e-9
    layer, row, column = np.nonzero(joined)
    graph = coo_matrix(
        (np.ones(len(layer), dtype=np.int8), (layer * size + row, layer * size + column)),
        shape=(v.count * size, v.count * size),
    )
    _, piece = connected_components(graph, directed=False)
    _, first = np.unique(piece, return_index=True)
    total.reshape(v.count, -1)[first // size, (first % size) * (size + 1)] += 1.0
    inverse: Floats = np.linalg.solve(total, np.broadcast_to(np.eye(size), total.shape))
    return inverse, piece.reshape(v.count, size)


def pieces(settled: Settled, row: int) -> dict[str, int]:
    """Return the connected piece each terminal belongs to, found by topology; ground's holds all the supply feeds.

    Between terminals of different pieces nothing but stray capacitance and leakage joins them: a voltage there is a
    ghost. A control side whose common is not grounded is a piece of its own, sound within itself.
    """
    v = settled.variants
    links = [
        (v.branch_a[row, i], v.branch_b[row, i])
        for i in range(len(v.circuit.branches))
        if abs(v.admittance[row, i]) > 1e-6
    ]
    links += [
        (v.contact_a[row, i], v.contact_b[row, i]) for i in range(len(v.circuit.contacts)) if settled.states[row, i]
    ]
    links += [(v.split_a[row, s], v.split_b[row, s]) for s in range(v.split_y.shape[1]) if v.split_y[row, s] > 0]
    links += [(0, v.node_of[row, v.circuit.terminals[source.node]]) for source in v.circuit.sources]
    for port, (in_a, in_b, out_a, out_b) in enumerate(v.node_of[row][v.ports]):
        if v.port_admittance[row, port] != 0:
            links += [(in_a, in_b), (out_a, out_b)]
    pairs = np.array(links)
    graph = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(v.nodes, v.nodes))
    _, piece = connected_components(graph, directed=False)
    return {name: int(piece[v.node_of[row, number]]) for name, number in v.circuit.terminals.items()}
