"""A settled network as a SPICE deck, so that a general circuit simulator can be asked the same question."""

import math
from collections.abc import Sequence

from plentar.core.circuit.changes import Changes
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.solve import Solution, Variants, settle
from plentar.core.circuit.wiring import wire
from plentar.core.unit.nameplate import Nameplate

__all__ = ["deck", "netlist"]

OMEGA = 2 * math.pi * 60.0


def netlist(plate: Nameplate, drive: Drive, changes: Changes, title: str) -> str:
    """Return the deck of one unit under one drive with these changes, contacts as the network core settled them."""
    settled = settle(Variants(wire(plate), [changes]), drive)
    return "\n".join([f"* {title}", *deck(settled, 0, ""), ".ac lin 1 60 60", ".print ac all", ".end", ""])


def deck(settled: Solution, row: int, prefix: str) -> list[str]:
    """Return the element lines of one variant; node 0 is ground, other nodes are `n` with the prefix and a number."""
    v = settled.variants
    circuit = v.circuit
    lines = [f"* {name} is {_node(v.node_of[row, number], prefix)}" for name, number in circuit.terminals.items()]
    for source in circuit.sources:
        node = _node(v.node_of[row, circuit.terminals[source.node]], prefix)
        size, phase = v.supply[row] * abs(source.volts), math.degrees(math.atan2(source.volts.imag, source.volts.real))
        inner = f"{prefix}e{len(lines)}"
        lines += [f"V{inner} {inner} 0 dc 0 ac {size:.12g} {phase:.12g}", f"R{inner} {inner} {node} {source.ohms:.12g}"]
    if settled.drive.separate:
        # Its idle volts behind its own ohms, as a current beside the contact that stands for them.
        r, c = (_node(v.node_of[row, circuit.terminals[end]], prefix) for end in ("board.r", "board.c"))
        lines.append(f"I{prefix}separate {c} {r} dc 0 ac {circuit.separate_amps:.12g}")
    for i in range(len(circuit.branches)):
        y = v.admittance[row, i]
        if y != 0 and v.branch_a[row, i] != v.branch_b[row, i]:
            ends = _node(v.branch_a[row, i], prefix), _node(v.branch_b[row, i], prefix)
            lines += _impedance(f"{prefix}b{i}", *ends, y)
    for i in range(len(circuit.contacts)):
        if settled.states[row, i] and v.contact_a[row, i] != v.contact_b[row, i]:
            a, b = _node(v.contact_a[row, i], prefix), _node(v.contact_b[row, i], prefix)
            lines.append(f"R{prefix}c{i} {a} {b} {1 / v.closed[row, i]:.12g}")
    for slot in range(v.split_y.shape[1]):
        if v.split_y[row, slot] > 0:
            a, b = _node(v.split_a[row, slot], prefix), _node(v.split_b[row, slot], prefix)
            lines.append(f"R{prefix}s{slot} {a} {b} {1 / v.split_y[row, slot]:.12g}")
    for port, ends in enumerate(v.node_of[row][v.ports]):
        y, n = v.port_admittance[row, port].real, v.ratio[row, port]
        if y != 0:
            lines += _two_port(f"{prefix}p{port}", [_node(end, prefix) for end in ends], n, y)
    return lines


def _node(number: int, prefix: str) -> str:
    return f"n{prefix}{number}" if number else "0"


def _impedance(name: str, a: str, b: str, y: complex) -> list[str]:
    if abs(y.imag) < 1e-9 * abs(y.real):
        return [f"R{name} {a} {b} {1 / y.real:.12g}"]
    if y.imag > 0:
        # A conductance and a capacitance side by side.
        lines = [f"C{name} {a} {b} {y.imag / OMEGA:.12g}"]
        return [*lines, f"R{name} {a} {b} {1 / y.real:.12g}"] if y.real > 1e-18 else lines
    z = 1 / y
    return [f"R{name} {a} {name}m {z.real:.12g}", f"L{name} {name}m {b} {z.imag / OMEGA:.12g}"]


def _two_port(name: str, ends: Sequence[str], n: float, y: float) -> list[str]:
    in_a, in_b, out_a, out_b = ends
    return [
        f"R{name}o {out_a} {out_b} {1 / y:.12g}",
        f"G{name}o {out_b} {out_a} {in_a} {in_b} {n * y:.12g}",
        f"R{name}i {in_a} {in_b} {1 / (n * n * y):.12g}",
        f"G{name}i {in_a} {in_b} {out_a} {out_b} {-n * y:.12g}",
    ]
