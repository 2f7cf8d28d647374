"""What a meter shows on a solved network: volts with the meter's own load, clamp amps, ohms with power isolated."""

import numpy as np
from numpy.typing import NDArray

from plentar.core.circuit.network import METER_OHMS
from plentar.core.circuit.pieces import pieces_of
from plentar.core.circuit.solve import Solution, Variants
from plentar.core.errors import ReadingError
from plentar.core.evidence.reading import Hand
from plentar.core.unit.electrical import COLD_RATIO, OPEN_OHMS
from plentar.core.unit.place import frame_of, place_of

__all__ = ["circuit_ohms", "dead_ohms", "part_ohms", "pieces", "read_amps", "read_volts"]

# Less than this is no connection to an ohmmeter.
DEAD_SIEMENS = 1e-9
Floats = NDArray[np.float64]


def read_volts(
    settled: Solution, a: str, b: str, *, function: str = "volts", meter_ohms: float = METER_OHMS
) -> tuple[Floats, Floats]:
    """Return what each variant shows between two terminals, and how soft that voltage is.

    Args:
        settled: The solved variants.
        a: One probe's terminal.
        b: The other's.
        function: `volts` for the AC function, `dc_volts` for DC.
        meter_ohms: The meter's own resistance [ohm]; 3 kohm in low-impedance mode.
    Returns:
        Volts as displayed [V]; the source impedance between the probes [ohm]. Above some 100 kohm the reading is a
        ghost voltage.
    Source:
        A voltmeter of 10 MΩ across what it measures; docs/trade.md, section 3, ghosts.
    """
    v = settled.variants
    layers = np.arange(v.count)
    i, j = (v.node_of[:, v.circuit.terminals[x]] for x in (a, b))
    open_volts = settled.volts[layers, i] - settled.volts[layers, j]
    behind = settled.behind(i, j)
    shown = np.abs(open_volts * meter_ohms / (meter_ohms + behind))
    ripple = v.circuit.dc_terminals.get(a, v.circuit.dc_terminals.get(b))
    if function == "dc_volts":
        shown = shown if ripple is not None else np.zeros_like(shown)
    elif ripple is not None:
        shown = shown * ripple
    return shown, np.abs(behind)


def read_amps(settled: Solution, *clamps: str) -> Floats:
    """Return what a clamp around one or several conductors shows [A].

    Source:
        A clamp adds what is in its jaw as phasors.
    """
    return np.abs(sum((settled.amps(clamp) for clamp in clamps), np.zeros(settled.variants.count, dtype=np.complex128)))


def dead_ohms(variants: Variants) -> tuple[Floats, NDArray[np.int64]]:
    """Return the resistance matrices to an ohmmeter with everything off, and the connected piece of each node.

    Two nodes of different pieces read open (OL). Each piece is pinned to ground at one node, which carries no current,
    so that its own resistances come out undisturbed.

    Returns:
        Inverse conductance [ohm], shape (nodes, nodes, variants); piece numbers, shape (variants, nodes).
    """
    v = variants
    # Ground (node 0) is an ordinary node to an ohmmeter.
    pattern = v.pattern_of(grounded=False)
    total = v.assemble(pattern, v.conductance, with_ports=False)
    rest = np.array([c.is_closed_at_rest and c.moved_by[0] not in ("feed", "call") for c in v.circuit.contacts])
    states = np.where(v.forced >= 0, v.forced == 1, rest)
    is_feed = np.array([c.moved_by[0] == "feed" for c in v.circuit.contacts])
    states[:, is_feed] = False
    pattern.stamp(total, v.contact_a, v.contact_b, v.closed * states)
    piece = _dead_pieces(v, states)
    _, first = np.unique(piece, return_index=True)
    total[first % v.nodes, first // v.nodes] += 1.0
    pattern.factor(total)
    size = v.nodes
    identity = np.broadcast_to(np.eye(size)[:, :, None], (size, size, v.count))
    return pattern.solve(total, identity).astype(np.float32), piece


def circuit_ohms(variants: Variants, dead: tuple[Floats, NDArray[np.int64]], a: str, b: str) -> Floats:
    """Return what an ohmmeter shows between two terminals in circuit, everything off; `OPEN_OHMS` where nothing joins.

    Args:
        variants: The circuit under its changes.
        dead: What `dead_ohms` returns for them.
        a: One probe's terminal.
        b: The other's.
    """
    resistance, piece = dead
    layers = np.arange(variants.count)
    i, j = (variants.node_of[:, variants.circuit.terminals[x]] for x in (a, b))
    between = resistance[i, i, layers] + resistance[j, j, layers] - 2 * resistance[i, j, layers]
    found: Floats = np.where(piece[layers, i] == piece[layers, j], np.maximum(between, 0.0), OPEN_OHMS)
    return found


def part_ohms(variants: Variants, part: str, *, hand: Hand = "", separate: Solution | None = None) -> Floats:
    """Return a part's ohms or continuity with its own leads off; `OPEN_OHMS` for open.

    Args:
        variants: The circuit under its changes.
        part: An element or its path to the frame, a coil, a winding, a contact.
        hand: `driven` for a part out of the unit with 24 V on its coil.
        separate: The circuit settled with a separate source at its calls, where contacts are read driven in place.
    Raises:
        ReadingError: The unit has no such part.
    """
    v, place = variants, place_of(part)
    if place.is_element:
        conductance = _element_conductance(v, part)
    elif part in v.branch_at:
        conductance = v.conductance[:, v.branch_at[part]]
    elif part in v.contact_at:
        i = v.contact_at[part]
        contact = v.circuit.contacts[i]
        closed = np.where(v.forced[:, i] >= 0, v.forced[:, i] == 1, contact.is_closed_at_rest)
        kind, device = contact.moved_by
        if separate is not None:
            closed = separate.states[:, i]
        elif hand == "driven" and kind in ("relay", "thermal"):
            # Its own coil at 24 V: it moves unless the coil is open or shorted, or something holds it.
            moves = v.coil_works[:, v.devices[device]] & (v.forced[:, i] < 0)
            closed = np.where(moves, not contact.is_closed_at_rest, closed)
        conductance = np.where(closed, v.closed[:, i], 0.0)
    else:
        raise ReadingError(f"this unit has no part {part!r}", field="point")
    ohms = np.full(v.count, OPEN_OHMS)
    np.divide(1.0, conductance, out=ohms, where=conductance > 0)
    cold = COLD_RATIO if place.is_element or place.is_to_frame else 1.0
    found: Floats = np.minimum(ohms, OPEN_OHMS) * np.where(ohms < OPEN_OHMS, cold, 1.0)
    return found


def _element_conductance(v: Variants, part: str) -> Floats:
    """Return an element's end to end: one that touches the frame is whole as long as both its ends reach there."""
    plain: Floats = v.conductance[:, v.branch_at[part]]
    ends = [v.conductance[:, v.branch_at[frame_of(part, end)]] for end in ("1", "2")]
    both, either = ends[0] * ends[1], ends[0] + ends[1]
    through: Floats = np.divide(both, either, out=np.zeros(len(plain)), where=either > 0)
    return plain + through


def _dead_pieces(v: Variants, states: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Return the connected piece of every node with everything off."""
    layers = np.arange(v.count)[:, None] * v.nodes
    ends = [
        (v.branch_a, v.branch_b, v.conductance > DEAD_SIEMENS),
        (v.contact_a, v.contact_b, states),
        (v.split_a, v.split_b, v.split_y > 0),
    ]
    a = np.concatenate([(layers + x)[used] for x, _, used in ends])
    b = np.concatenate([(layers + y)[used] for _, y, used in ends])
    return pieces_of(v.count * v.nodes, a, b).reshape(v.count, v.nodes)


def pieces(settled: Solution, row: int) -> dict[str, int]:
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
    piece = pieces_of(v.nodes, pairs[:, 0], pairs[:, 1])
    return {name: int(piece[v.node_of[row, number]]) for name, number in v.circuit.terminals.items()}
