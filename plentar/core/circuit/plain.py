"""One circuit solved in plain Python: the same equations and the same order of movements as the batched solver.

A judgement needs one healthy circuit, not six hundred broken ones, and a phone has no numpy. A test holds this equal to
`solve`.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from plentar.core.circuit.changes import NO_CHANGE, Changes
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.network import (
    ECM,
    MAX_STEPS,
    METER_OHMS,
    SEPARATE,
    SHORTED_SHARE,
    STRAY_SIEMENS,
    Circuit,
    heated_pieces,
)
from plentar.core.circuit.stepping import advance, at_rest, gets_hot, is_turning, pulls_in, trip_groups
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.place import place_of

__all__ = ["PlainSettled", "solve_one"]

Row = dict[int, complex]


class _Matrix:
    """A symmetric node matrix as one row of entries a node, ground (node 0) left out."""

    def __init__(self) -> None:
        self.rows: dict[int, Row] = {}

    def copy(self) -> "_Matrix":
        found = _Matrix()
        found.rows = {node: dict(row) for node, row in self.rows.items()}
        return found

    def stamp(self, a: int, b: int, siemens: complex) -> None:
        """Add an admittance between two nodes."""
        if a == b or siemens == 0:
            return
        self.add(a, a, siemens)
        self.add(b, b, siemens)
        self.add(a, b, -siemens)
        self.add(b, a, -siemens)

    def add(self, a: int, b: int, siemens: complex) -> None:
        """Add to one entry."""
        if a == 0 or b == 0:
            return
        row = self.rows.setdefault(a, {})
        row[b] = row.get(b, 0j) + siemens

    def solve(self, right: Mapping[int, complex]) -> dict[int, complex]:
        """Return the node values for one right-hand side, eliminating the node with the fewest neighbours first."""
        rows = self.copy().rows
        value: dict[int, complex] = {node: right.get(node, 0j) for node in rows}
        left = set(rows)
        order: list[tuple[int, complex, Row]] = []
        while left:
            # Fewest neighbours first keeps the rest sparse: a unit's network is nearly a tree.
            node = min(left, key=lambda n: (len(rows[n]), n))
            left.discard(node)
            row = rows[node]
            # A node nothing hangs on stands at nothing.
            diagonal = row.pop(node, 0j) or 1.0 + 0j
            for other, entry in row.items():
                target = rows[other]
                del target[node]
                share = entry / diagonal
                value[other] -= share * value[node]
                for column, own in row.items():
                    target[column] = target.get(column, 0j) - share * own
            order.append((node, diagonal, row))
        for node, diagonal, row in reversed(order):
            value[node] = (value[node] - sum(entry * value[other] for other, entry in row.items())) / diagonal
        return value


@dataclass(slots=True)
class _Prepared:
    """A circuit under its changes: nodes joined, what every branch, contact and port is worth."""

    circuit: Circuit
    changes: Changes
    node: dict[str, int] = field(default_factory=dict)
    branch: dict[str, tuple[int, int, complex, float]] = field(default_factory=dict)
    ports: list[tuple[tuple[int, int, int, int], complex, complex]] = field(default_factory=list)
    splits: list[tuple[int, int, float]] = field(default_factory=list)
    works: dict[str, bool] = field(default_factory=dict)
    static: _Matrix = field(default_factory=_Matrix)

    def __post_init__(self) -> None:
        self.node = _joined(self.circuit, self.changes)
        at = self.node
        for branch in self.circuit.branches:
            ohms, dc_ohms = self.changes.ohms.get(branch.id, (branch.ohms, branch.dc_ohms))
            admittance = 0j if math.isinf(abs(ohms)) else 1 / complex(ohms)
            conductance = 0.0 if math.isinf(dc_ohms) else 1 / dc_ohms
            self.branch[branch.id] = (at[branch.a], at[branch.b], admittance, conductance)
        for port in self.circuit.two_ports:
            factor = self.changes.ratio.get(port.id, 1.0)
            admittance = 0j if factor == 0 else 1 / port.ohms
            ends = (at[port.in_a], at[port.in_b], at[port.out_a], at[port.out_b])
            self.ports.append((ends, complex(port.ratio * factor), admittance))
        leads = {lead.id: lead for lead in self.circuit.leads}
        for name, ohms in self.changes.split.items():
            siemens = 0.0 if math.isinf(ohms) else 1 / ohms
            self.splits.append((at[leads[name].a], at[leads[name].b], siemens))
        plain = {branch.id: branch for branch in self.circuit.branches}
        for device in self.circuit.coils:
            coil = f"{device}.coil"
            share = abs(self.branch[coil][2] * plain[coil].ohms) if coil in self.branch else 1.0
            self.works[device] = 0 < share < SHORTED_SHARE
        self._stamp_static()

    def _stamp_static(self) -> None:
        m = self.static
        for number in set(self.node.values()):
            if number:
                m.rows.setdefault(number, {})
        for a, b, admittance, _ in self.branch.values():
            m.stamp(a, b, admittance)
        for a, b, siemens in self.splits:
            m.stamp(a, b, siemens)
        for ends, n, y in self.ports:
            # I_out = y (n V_in − V_out) flows out of out_a; the input carries n times that.
            weights = (n, -n, -1.0 + 0j, 1.0 + 0j)
            for i in range(4):
                for j in range(4):
                    m.add(ends[i], ends[j], y * weights[i] * weights[j])
        for source in self.circuit.sources:
            m.add(self.node[source.node], self.node[source.node], 1 / source.ohms)


def _joined(circuit: Circuit, changes: Changes) -> dict[str, int]:
    """Return each terminal's node: terminals joined by leads share one, ground is node 0."""
    number = circuit.terminals
    parent = list(range(len(number)))

    def root(x: int) -> int:
        while parent[x] != x:
            parent[x] = parent[parent[x]]
            x = parent[x]
        return x

    for lead in circuit.leads:
        if lead.id in changes.split:
            continue
        x, y = root(number[lead.a]), root(number[changes.moved.get(lead.id, lead.b)])
        # The smaller number wins, so ground stays node 0.
        parent[max(x, y)] = min(x, y)
    return {name: root(at) for name, at in number.items()}


class PlainSettled:
    """One circuit at rest under one drive."""

    def __init__(self, prepared: _Prepared, drive: Drive) -> None:
        self.circuit, self.drive, self._p = prepared.circuit, drive, prepared
        self.node = prepared.node
        self.closed: dict[str, bool] = {}
        self.tripped: set[str] = set()
        self.energised: dict[str, bool] = dict.fromkeys(self.circuit.coils, False)
        self.hot: dict[str, bool] = dict.fromkeys(self.circuit.coils, False)
        self.airless: set[str] = set()
        self.volts: dict[int, complex] = {}
        self.chatters = False
        self._contact = {contact.id: contact for contact in self.circuit.contacts}
        self._matrix = prepared.static
        self._floats: bool | None = None

    def at(self, terminal: str) -> complex:
        """Return the phasor at a terminal, against ground [V]."""
        return self.volts.get(self.node[terminal], 0j)

    def amps(self, *clamps: str) -> float:
        """Return what a clamp around one or several conductors shows [A]."""
        total = 0j
        by_id = {clamp.id: clamp for clamp in self.circuit.clamps}
        for clamp in clamps:
            for name, sign in by_id[clamp].through:
                total += sign * self._through(name)
        return abs(total)

    def through(self, name: str) -> float:
        """Return the amps through one branch or contact [A]."""
        return abs(self._through(name))

    def _through(self, name: str) -> complex:
        if name in self._p.branch:
            a, b, y, _ = self._p.branch[name]
            return y * (self.volts.get(a, 0j) - self.volts.get(b, 0j))
        contact = self._contact[name]
        y = 1 / self._p.changes.contact_ohms.get(name, contact.ohms) if self.closed[name] else 0.0
        amps = y * (self.at(contact.a) - self.at(contact.b))
        return amps - self.circuit.separate_amps if name == SEPARATE and self.drive.separate else amps

    def softness(self, a: str, b: str) -> float:
        """Return the impedance a meter sees between two places [ohm]; zero while nothing of the circuit floats."""
        return abs(self._behind(a, b))

    def _behind(self, a: str, b: str) -> complex:
        if self._floats is None:
            self._floats = _something_floats(self)
        # With everything tied down a meter's 10 MΩ changes no digit, and the inverse need not be asked for.
        if not self._floats:
            return 0j
        i, j = self.node[a], self.node[b]
        if i == j:
            return 0j
        # One amp in at one place and out at the other: the volts between are the ohms a meter sees.
        unit = {i: 1.0 + 0j}
        unit[j] = -1.0 + 0j
        answer = self._matrix.solve(unit)
        return answer.get(i, 0j) - answer.get(j, 0j)

    def read_volts(self, a: str, b: str, *, function: str = "volts", meter_ohms: float = METER_OHMS) -> float:
        """Return what a meter shows between two terminals [V], its own load included."""
        shown = abs((self.at(a) - self.at(b)) * meter_ohms / (meter_ohms + self._behind(a, b)))
        ripple = self.circuit.dc_terminals.get(a, self.circuit.dc_terminals.get(b))
        if function == "dc_volts":
            return shown if ripple is not None else 0.0
        return shown * ripple if ripple is not None else shown

    def _element_ohms(self, part: str) -> float:
        own, first, second = (self._p.branch[piece][3] for piece in heated_pieces(place_of(part).owner))
        whole = own + (1 / (1 / first + 1 / second) if first > 0 and second > 0 else 0.0)
        return min(1 / whole, OPEN_OHMS) if whole > 0 else OPEN_OHMS

    def part_ohms(self, part: str) -> float:
        """Return what an ohmmeter shows across a part with its own leads off [ohm]; `OPEN_OHMS` for open."""
        if place_of(part).is_element:
            return self._element_ohms(part)
        if part in self._p.branch:
            conductance = self._p.branch[part][3]
            return min(1 / conductance, OPEN_OHMS) if conductance > 0 else OPEN_OHMS
        contact = self._contact[part]
        forced = self._p.changes.forced.get(part)
        closed = contact.is_closed_at_rest if forced is None else forced
        kind, device = contact.moved_by
        if self.drive.separate:
            closed = self.closed[part]
        elif self.drive.hand == "driven" and kind in ("relay", "thermal") and forced is None and self._p.works[device]:
            closed = not contact.is_closed_at_rest
        return self._p.changes.contact_ohms.get(part, contact.ohms) if closed else OPEN_OHMS

    def dead_ohms(self, a: str, b: str) -> float:
        """Return what an ohmmeter shows between two terminals with everything off and connected [ohm]."""
        p, node = self._p, self.node
        links = [(x, y, g) for x, y, _, g in p.branch.values() if g > 0] + [s for s in p.splits if s[2] > 0]
        for contact in self.circuit.contacts:
            forced = p.changes.forced.get(contact.id)
            # For ohms in circuit breakers are open and the thermostat calls nothing.
            rest = contact.is_closed_at_rest and contact.moved_by[0] not in ("feed", "call")
            closed = (rest if forced is None else forced) and contact.moved_by[0] != "feed"
            if closed:
                ohms = p.changes.contact_ohms.get(contact.id, contact.ohms)
                links.append((node[contact.a], node[contact.b], 1 / ohms))
        piece = _pieces(set(node.values()), [(x, y) for x, y, g in links if g > 1e-9])
        i, j = node[a], node[b]
        if piece[i] != piece[j]:
            return OPEN_OHMS
        if i == j:
            return 0.0
        # The second probe is the reference: its node takes no part.
        matrix = _Matrix()
        for x, y, g in links:
            if piece[x] == piece[i] and piece[y] == piece[i]:
                matrix.stamp(0 if x == j else x + 1, 0 if y == j else y + 1, g)
        return abs(matrix.solve({i + 1: 1.0 + 0j})[i + 1])


def _pieces(nodes: Iterable[int], links: Iterable[tuple[int, int]]) -> dict[int, int]:
    parent = {node: node for node in nodes}

    def root(x: int) -> int:
        while parent[x] != x:
            parent[x] = parent[parent[x]]
            x = parent[x]
        return x

    for a, b in links:
        parent[root(a)] = root(b)
    return {node: root(node) for node in parent}


def _something_floats(settled: PlainSettled) -> bool:
    """Tell whether a conductor is tied to the rest by strays alone, by counting connected pieces."""
    p = settled._p
    links = [(a, b) for a, b, y, _ in p.branch.values() if abs(y) > STRAY_SIEMENS]
    links += [
        (p.node[contact.a], p.node[contact.b]) for contact in settled.circuit.contacts if settled.closed[contact.id]
    ]
    links += [(a, b) for a, b, siemens in p.splits if siemens > 0]
    for (in_a, in_b, out_a, out_b), _, y in p.ports:
        if y != 0:
            links += [(in_a, in_b), (out_a, out_b)]
    links += [(0, p.node[source.node]) for source in settled.circuit.sources]
    piece = _pieces(set(p.node.values()), links)
    # An ungrounded control side is one piece of its own by right.
    grounded = p.node["transformer.c"] == 0
    return len(set(piece.values())) > (1 if grounded else 2)


def solve_one(circuit: Circuit, drive: Drive, changes: Changes = NO_CHANGE) -> PlainSettled:
    """Solve one circuit from de-energised to rest.

    Faster mechanisms move first: instant trips, relays, the fuse, thermal sequencers, thermal trips, limits. Trips
    latch.

    Source:
        Node equations (Kirchhoff, Ohm), eliminated in full; docs/architecture.md, The circuit core.
    """
    closed_limits = drive
    if drive.limits_open:
        closed_limits = replace(drive, limits_open=False)
    # Limits open only in what has come to rest with them closed.
    settled = PlainSettled(_Prepared(circuit, changes), closed_limits)
    mover = _Movers(settled)
    mover.run()
    if drive.limits_open:
        settled.drive = drive
        mover.run(first=mover.advance())
    return settled


class _Movers:
    """The mechanisms of one circuit."""

    def __init__(self, settled: PlainSettled) -> None:
        self.s, self.circuit = settled, settled.circuit
        self.groups = trip_groups(self.circuit)
        self.turns = 0
        drivers = {contact.driver for contact in self.circuit.contacts}
        self.thermal = {device for device in self.circuit.coils if f"thermal:{device}" in drivers}
        self.pull = {device: volts for device, (_, _, volts) in self.circuit.coils.items()}
        self.amps: dict[str, float] = {}
        self.across: dict[str, float] = {}

    def run(self, first: bool = True) -> None:
        """Solve and let move until nothing wants to move."""
        go = first
        while go and self.turns < MAX_STEPS:
            self._states()
            self._solve()
            go = self.advance()
            self.turns += go
        self.s.chatters = self.turns >= MAX_STEPS

    def _states(self) -> None:
        s, changes = self.s, self.s._p.changes
        for contact in self.circuit.contacts:
            kind, name = contact.moved_by
            rest, taken_off = at_rest(contact, s.drive)
            state = rest
            if kind == "relay":
                state = rest ^ s.energised[name]
            elif kind == "thermal":
                # What is driven is the other way round than it rests, whichever way that is.
                state = rest ^ (s.hot[name] if name in self.thermal else s.energised[name])
            elif kind == "ecm":
                state = any(on for device, on in s.energised.items() if device.startswith(ECM))
            # A pole whose window has not passed has not moved yet.
            if contact.id in s.drive.waiting:
                state = rest
            if contact.id in s.airless:
                state = False
            forced = None if taken_off else changes.forced.get(contact.id)
            s.closed[contact.id] = (state if forced is None else forced) and contact.id not in s.tripped

    def _solve(self) -> None:
        s, p = self.s, self.s._p
        matrix = p.static.copy()
        for contact in self.circuit.contacts:
            if s.closed[contact.id]:
                ohms = p.changes.contact_ohms.get(contact.id, contact.ohms)
                matrix.stamp(p.node[contact.a], p.node[contact.b], 1 / ohms)
        right: dict[int, complex] = {}
        for source in self.circuit.sources:
            node = p.node[source.node]
            right[node] = right.get(node, 0j) + p.changes.supply * source.volts / source.ohms
        if s.drive.separate:
            for end, sign in (("board.r", 1.0), ("board.c", -1.0)):
                node = p.node[end]
                right[node] = right.get(node, 0j) + sign * self.circuit.separate_amps
        s.volts = matrix.solve(right)
        s.volts[0] = 0j
        s._matrix, s._floats = matrix, None

    def advance(self) -> bool:
        """Let the fastest mechanism that wants to move do so; return whether one did."""
        s, changes = self.s, self.s._p.changes
        self.amps = {
            c.id: abs(s.at(c.a) - s.at(c.b)) / changes.contact_ohms.get(c.id, c.ohms) if s.closed[c.id] else 0.0
            for c in self.circuit.contacts
        }
        self.across = {
            device: abs(s.at(a) - s.at(b)) if s._p.works[device] else 0.0
            for device, (a, b, _) in self.circuit.coils.items()
        }
        return bool(advance(self, False))

    def _over(self) -> list[str]:
        return [c.id for c in self.circuit.contacts if self.amps[c.id] > c.trip_amps]

    def trip_at_once(self, moved: bool) -> bool:
        return not moved and self._latch([name for name in self._over() if name in self.groups])

    def blow_fuse(self, moved: bool) -> bool:
        return not moved and self._latch([name for name in self._over() if name not in self.groups])

    def trip_by_heat(self, moved: bool) -> bool:
        trips_at = self.s._p.changes.trips_at
        return not moved and self._latch([name for name, limit in trips_at.items() if self.amps[name] > limit])

    def move_relays(self, moved: bool) -> bool:
        states = self.s.energised
        relays = (device for device in self.circuit.coils if device not in self.thermal)
        new = {device: pulls_in(self.across[device], self.pull[device], states[device]) for device in relays}
        return not moved and _changed(states, new)

    def move_sequencers(self, moved: bool) -> bool:
        new = {device: self.across[device] >= self.pull[device] for device in self.thermal}
        return not moved and _changed(self.s.hot, new)

    def _latch(self, names: Sequence[str]) -> bool:
        for name in names:
            group = self.groups.get(name)
            mates = {other for other, number in self.groups.items() if number == group} if group is not None else {name}
            self.s.tripped |= mates
        return bool(names)

    def open_limits(self, moved: bool) -> bool:
        s, p = self.s, self.s._p
        if moved or not s.drive.limits_open:
            return False
        plain = {branch.id: branch for branch in self.circuit.branches}

        def across(branch: str) -> float:
            a, b, _, _ = p.branch[branch]
            return abs(s.volts.get(a, 0j) - s.volts.get(b, 0j))

        for motor in self.circuit.motors:
            drawn = abs(p.branch[motor][2]) * abs(plain[motor].ohms)
            if is_turning(across(motor), drawn, self.circuit.line_volts):
                return False
        for contact in self.circuit.contacts:
            kind, strip = contact.moved_by
            if kind != "limit" or contact.id in s.airless:
                continue
            if any(gets_hot(across(piece) * abs(p.branch[piece][2])) for piece in heated_pieces(strip)):
                # One limit a step, as the batched solver lets them open.
                s.airless.add(contact.id)
                return True
        return False


def _changed(states: dict[str, bool], new: Mapping[str, bool]) -> bool:
    """Take over new states; return whether one of them differs."""
    differs = any(states[device] != on for device, on in new.items())
    states.update(new)
    return differs
