"""Node equations of many variants of one circuit at once, contacts settled to a fixed point.

Every variant is the same circuit with its own changes. Leads are merged to nodes by union-find, so a lead that is off
is two nodes and an open contact is no branch at all; then one elimination serves all variants, each with its own
numbers. (Opening contacts by low-rank updates was measured to be off by 100 V on floating pieces; this solves anew.)
"""

import weakref
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from threading import Lock
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plentar.core.cache import ByteBoundedCache
from plentar.core.circuit.changes import Changes
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.elimination import Pattern
from plentar.core.circuit.network import (
    ECM,
    MAX_STEPS,
    SEPARATE,
    SHORTED_SHARE,
    STRAY_SIEMENS,
    Circuit,
    heated_pieces,
)
from plentar.core.circuit.pieces import pieces_of
from plentar.core.circuit.stepping import advance, at_rest, gets_hot, is_turning, pulls_in, trip_groups

__all__ = ["IMPEDANCES", "Solution", "Variants", "settle"]

# Pairs of nodes whose impedance is solved one by one: a reading or two of a condition, not a table's column of places.
MOST_PAIRS = 4
# The matrices of one condition: six strips' take 19 MB, two strips' 3. A solution without them takes 1 MB at most.
IMPEDANCES = ByteBoundedCache(20)
# Made all at once, or by four threads at once, six strips' would take 95 MB each on the way.
ROWS_AT_ONCE, _matrices = 256, Lock()
Complex = NDArray[np.complex128]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]


class Variants:
    """A circuit under a list of changes, as arrays: one row a variant."""

    def __init__(self, circuit: Circuit, changes: Sequence[Changes]) -> None:
        self.circuit = circuit
        self.changes = tuple(changes)
        count = len(changes)
        self.count = count
        self.branch_at = {branch.id: i for i, branch in enumerate(circuit.branches)}
        self.contact_at = {contact.id: i for i, contact in enumerate(circuit.contacts)}
        self.devices = {device: i for i, device in enumerate(circuit.coils)}
        # Terminals joined by nothing measurable are one node: a lead of no ohms would make the matrix singular.
        self.node_of, self.base_nodes = self._nodes()
        self.nodes = max(self.base_nodes, int(self.node_of.max()) + 1)
        terminal = circuit.terminals
        self.branch_a, self.branch_b = self._ends([(b.a, b.b) for b in circuit.branches], terminal)
        self.contact_a, self.contact_b = self._ends([(c.a, c.b) for c in circuit.contacts], terminal)
        self.admittance = np.tile(np.array([1 / b.ohms for b in circuit.branches]), (count, 1))
        # What an ohmmeter sees is another network: coils by their wire, capacitances as nothing.
        conductance = np.array([0.0 if np.isinf(b.dc_ohms) else 1 / b.dc_ohms for b in circuit.branches])
        self.conductance = np.tile(conductance, (count, 1))
        self.closed = np.tile(np.array([1 / c.ohms for c in circuit.contacts]), (count, 1))
        self.forced = np.full((count, len(circuit.contacts)), -1, dtype=np.int8)
        self.trips_at = np.full((count, len(circuit.contacts)), np.inf)
        self.supply = np.array([change.supply for change in changes])
        ports = circuit.two_ports
        self.ports = np.array(
            [[terminal[n] for n in (p.in_a, p.in_b, p.out_a, p.out_b)] for p in ports], dtype=np.int64
        ).reshape(-1, 4)
        self.port_at = {port.id: i for i, port in enumerate(ports)}
        self.ratio = np.tile(np.array([p.ratio for p in ports]), (count, 1))
        self.port_admittance = np.tile(np.array([1 / p.ohms for p in ports]), (count, 1))
        # Leads that are off or loose, as branches of their own; few variants have any, so few slots.
        slots = max([1, *(len(change.split) for change in changes)])
        self.split_a = np.zeros((count, slots), dtype=np.int64)
        self.split_b = np.zeros((count, slots), dtype=np.int64)
        self.split_y = np.zeros((count, slots))
        for row, change in enumerate(changes):
            self._apply(row, change)
        self.coil_works = self._coil_works()
        self.pattern = self.pattern_of(grounded=True)
        # Everything no contact switches is the same for every state: added up once.
        self._static = self.assemble(self.pattern, self.admittance, with_ports=True)

    def _coil_works(self) -> Bools:
        """Tell which coils and heaters can still pull: volts across an open or shorted one move nothing."""
        works = np.ones((self.count, len(self.devices)), dtype=bool)
        for device, i in self.devices.items():
            at = self.branch_at.get(f"{device}.coil")
            if at is not None:
                share = np.abs(self.admittance[:, at] * self.circuit.branches[at].ohms)
                works[:, i] = (share > 0) & (share < SHORTED_SHARE)
        return works

    def _nodes(self) -> tuple[Ints, int]:
        """Return the node of each terminal in each variant, and how many nodes the unchanged circuit has.

        Only variants with changed leads are merged anew. Where a lead is off, one side keeps the node's number and the
        other gets one past the unchanged circuit's, so that the pattern of the matrices stays one for all.
        """
        count = len(self.circuit.terminals)
        base = _numbered(_merge(self.circuit, Changes(), count), np.arange(count))
        rows = np.tile(base, (self.count, 1))
        for row, change in enumerate(self.changes):
            if change.split or change.moved:
                rows[row] = _numbered(_merge(self.circuit, change, count), base)
        return rows, int(base.max()) + 1

    def pattern_of(self, *, grounded: bool) -> Pattern:
        """Return the pattern of the node matrices, ground held at 0 V or an ordinary node."""
        size = self.nodes
        ends = [(self.branch_a, self.branch_b), (self.contact_a, self.contact_b), (self.split_a, self.split_b)]
        ports = self.node_of[:, self.ports]
        ends += [(ports[:, :, i], ports[:, :, j]) for i in range(4) for j in range(i)]
        touching = np.unique(np.concatenate([(a * size + b).ravel() for a, b in ends]))
        pairs = [divmod(int(pair), size) for pair in touching]
        return Pattern(size, pairs, grounded=grounded, late=size - self.base_nodes)

    def _ends(self, pairs: Sequence[tuple[str, str]], terminal: dict[str, int]) -> tuple[Ints, Ints]:
        a = np.array([terminal[x] for x, _ in pairs], dtype=np.int64)
        b = np.array([terminal[y] for _, y in pairs], dtype=np.int64)
        return self.node_of[:, a], self.node_of[:, b]

    def _apply(self, row: int, change: Changes) -> None:
        for name, (ohms, dc_ohms) in change.ohms.items():
            at = self.branch_at[name]
            self.admittance[row, at] = 0 if np.isinf(abs(ohms)) else 1 / ohms
            self.conductance[row, at] = 0 if np.isinf(dc_ohms) else 1 / dc_ohms
        for name, is_closed in change.forced.items():
            # Welded or never closing: whatever drives it, it stays.
            self.forced[row, self.contact_at[name]] = is_closed
        for name, contact_ohms in change.contact_ohms.items():
            self.closed[row, self.contact_at[name]] = 1 / contact_ohms
        for name, trip_amps in change.trips_at.items():
            self.trips_at[row, self.contact_at[name]] = trip_amps
        for name, factor in change.ratio.items():
            at = self.port_at[name]
            # A wrong tap scales a transformer; a dead one gives nothing and takes nothing.
            self.ratio[row, at] *= factor
            if factor == 0:
                self.port_admittance[row, at] = 0
        ends = {lead.id: (lead.a, lead.b) for lead in self.circuit.leads}
        for slot, (name, split_ohms) in enumerate(change.split.items()):
            a, b = ends[name]
            self.split_a[row, slot] = self.node_of[row, self.circuit.terminals[a]]
            self.split_b[row, slot] = self.node_of[row, self.circuit.terminals[b]]
            self.split_y[row, slot] = 0 if np.isinf(split_ohms) else 1 / split_ohms

    def assemble(self, pattern: Pattern, admittance: NDArray[Any], *, with_ports: bool) -> NDArray[Any]:
        """Return the entries of the node matrices of everything that no contact switches."""
        total = np.zeros((pattern.slots, self.count), dtype=admittance.dtype)
        pattern.stamp(total, self.branch_a, self.branch_b, admittance)
        pattern.stamp(total, self.split_a, self.split_b, self.split_y.astype(admittance.dtype))
        if with_ports:
            ends = self.node_of[:, self.ports]
            n, y = self.ratio, self.port_admittance
            # I_out = y (n V_in − V_out) flows out of out_a; the input carries n times that.
            weights = (n, -n, -np.ones_like(n), np.ones_like(n))
            for i in range(4):
                for j in range(i + 1):
                    # The triangle holds an entry once; two terminals on one node add both halves to its diagonal.
                    twice = np.where((ends[:, :, i] == ends[:, :, j]) & (i != j), 2.0, 1.0)
                    pattern.add(total, ends[:, :, i], ends[:, :, j], twice * y * weights[i] * weights[j])
            for source in self.circuit.sources:
                node = self.node_of[:, self.circuit.terminals[source.node]][:, None]
                pattern.add(total, node, node, np.full(node.shape, 1 / source.ohms, dtype=admittance.dtype))
        return total

    def factored(self, rows: Ints, states: Bools) -> Complex:
        """Return the eliminated matrices of some variants with their contacts in these states."""
        # take() copies in row order, so what follows may write into it, seen flat.
        values = np.take(self._static, rows, axis=1)
        self.pattern.stamp(
            values, self.contact_a[rows], self.contact_b[rows], (self.closed[rows] * states).astype(complex)
        )
        self.pattern.factor(values)
        return values

    def solved(self, rows: Ints, states: Bools, excitation: Complex) -> Complex:
        """Return the node volts of some variants, one row a variant."""
        answer: Complex = self.pattern.solve(self.factored(rows, states), excitation[rows].T)
        return answer.T


def _merge(circuit: Circuit, change: Changes, count: int) -> list[int]:
    """Return for each terminal the smallest terminal it is joined with."""
    parent = list(range(count))

    def root(x: int) -> int:
        while parent[x] != x:
            parent[x] = parent[parent[x]]
            x = parent[x]
        return x

    terminal = circuit.terminals
    for lead in circuit.leads:
        # Off or loose it joins nothing, and a loose one comes back as a branch.
        if lead.id in change.split:
            continue
        x, y = root(terminal[lead.a]), root(terminal[change.moved.get(lead.id, lead.b)])
        if x != y:
            # The smaller number wins, so ground stays node 0.
            parent[max(x, y)] = min(x, y)
    return [root(x) for x in range(count)]


def _numbered(roots: Sequence[int], base: Ints) -> Ints:
    """Number groups of terminals: by the unchanged circuit's number of their first terminal while that is free."""
    is_base = bool(np.array_equal(base, np.arange(len(roots))))
    number: dict[int, int] = {}
    spare = 0 if is_base else int(base.max()) + 1
    taken: set[int] = set()
    for first in roots:
        if first in number:
            continue
        wanted = int(base[first])
        if is_base or wanted in taken:
            wanted, spare = spare, spare + 1
        number[first] = wanted
        taken.add(wanted)
    return np.array([number[first] for first in roots], dtype=np.int64)


@dataclass(slots=True, weakref_slot=True)
class Solution:
    """Node volts and contact states of every variant under one drive; `chatters` marks those that never rest."""

    variants: Variants
    drive: Drive
    volts: Complex
    states: Bools
    tripped: Bools
    chatters: Bools
    energised: Bools
    hot: Bools
    airless: Bools
    # Only variants in which something floats have a source impedance worth knowing; `floating_at` tells where theirs
    # stands in the matrices, -1 for none. Those are made once enough is asked of them, and kept under this key.
    floating_at: Ints
    key: object = field(default_factory=object)
    _asked: int = 0

    def behind(self, a: Ints, b: Ints) -> Complex:
        """Return each variant's source impedance between two of its nodes [ohm]; none where nothing floats.

        The first few pairs are solved by themselves; who asks for more has the whole matrices made.
        """
        found = np.zeros(self.variants.count, dtype=np.complex128)
        floating = np.nonzero(self.floating_at >= 0)[0]
        i, j = a[floating], b[floating]
        self._asked += 1
        if self._asked <= MOST_PAIRS and self.key not in IMPEDANCES:
            # An ampere in at one, out at the other: the volts between them are the ohms behind.
            unit = np.zeros((self.variants.nodes, floating.size), dtype=np.complex128)
            columns = np.arange(floating.size)
            np.add.at(unit, (i, columns), 1.0)
            np.add.at(unit, (j, columns), -1.0)
            volts = self.variants.pattern.solve(self.variants.factored(floating, self.states[floating]), unit)
            found[floating] = volts[i, columns] - volts[j, columns]
            return found
        z, at = IMPEDANCES.get(self.key, lambda: self._impedances(floating)), self.floating_at[floating]
        found[floating] = z[i, i, at] + z[j, j, at] - z[i, j, at] - z[j, i, at]
        return found

    def _impedances(self, rows: Ints) -> Complex:
        variants, size = self.variants, self.variants.nodes
        weakref.finalize(self, IMPEDANCES.drop, self.key)
        found: Any = np.empty((size, size, rows.size), dtype=np.complex64)
        with _matrices:
            for start in range(0, rows.size, ROWS_AT_ONCE):
                block = slice(start, start + ROWS_AT_ONCE)
                identity = np.eye(size, dtype=np.complex128)[:, :, None]
                identity = np.broadcast_to(identity, (size, size, len(rows[block])))
                matrices = variants.factored(rows[block], self.states[rows[block]])
                found[:, :, block] = variants.pattern.solve(matrices, identity)
        return np.asarray(found)

    def copy(self) -> "Solution":
        """Return a copy that can go on without changing this one."""
        return replace(
            self,
            volts=self.volts.copy(),
            states=self.states.copy(),
            tripped=self.tripped.copy(),
            energised=self.energised.copy(),
            hot=self.hot.copy(),
            airless=self.airless.copy(),
            floating_at=self.floating_at.copy(),
            key=object(),
            _asked=0,
        )

    def at(self, terminal: str) -> Complex:
        """Return each variant's phasor at a terminal, against ground [V]."""
        node = self.variants.node_of[:, self.variants.circuit.terminals[terminal]]
        found: Complex = self.volts[np.arange(self.variants.count), node]
        return found

    def amps(self, clamp: str) -> Complex:
        """Return each variant's phasor current at a clamp's place [A]."""
        v = self.variants
        place = next(c for c in v.circuit.clamps if c.id == clamp)
        total = np.zeros(v.count, dtype=np.complex128)
        layers = np.arange(v.count)
        for name, sign in place.through:
            if name == SEPARATE and self.drive.separate:
                total += -sign * v.circuit.separate_amps
            if name in v.branch_at:
                i = v.branch_at[name]
                y = v.admittance[:, i]
                a, b = v.branch_a[:, i], v.branch_b[:, i]
            else:
                i = v.contact_at[name]
                y = v.closed[:, i] * self.states[:, i]
                a, b = v.contact_a[:, i], v.contact_b[:, i]
            total += sign * y * (self.volts[layers, a] - self.volts[layers, b])
        return total


def settle(variants: Variants, drive: Drive, *, start: "Solution | None" = None) -> Solution:
    """Solve every variant from de-energised to rest.

    Faster mechanisms move first: instant trips, relays, the fuse, thermal sequencers, thermal trips, limits. Trips
    latch. A relay that keeps turning is reported as chattering and left where it was.

    Args:
        variants: The circuit and its changes.
        drive: Feeds and calls.
        start: A settled state of the same variants to go on from, for a drive that only lets more move.
    Source:
        Node equations (Kirchhoff, Ohm); the order of what moves, docs/architecture.md, Settling.
    """
    count = variants.count
    if start is None:
        states = np.zeros((count, len(variants.circuit.contacts)), dtype=bool)
        energised = np.zeros((count, len(variants.devices)), dtype=bool)
        # From de-energised, as a unit is when its breaker is switched on.
        volts = np.zeros((count, variants.nodes), dtype=np.complex128)
        found = Solution(
            variants,
            drive,
            volts,
            states,
            np.zeros_like(states),
            np.zeros(count, dtype=bool),
            energised,
            np.zeros_like(energised),
            np.zeros_like(states),
            np.full(count, -1),
        )
    else:
        # On from a settled state: what has latched there stays latched.
        found = start.copy()
        found.drive = drive
    mover = _Mover(variants, drive)
    turns = np.zeros(count, dtype=np.int64)
    active = np.arange(count)
    if start is not None:
        # Only the variants in which the new drive moves anything are solved again.
        active = active[mover.advance(active, found)]
    while active.size:
        found.states[active] = mover.states(found, active)
        found.volts[active] = variants.solved(active, found.states[active], mover.excitation)
        changed = mover.advance(active, found)
        turns[active] += changed[active]
        # Most variants rest after two or three turns: the few that still move go on alone.
        active = active[changed[active] & (turns[active] < MAX_STEPS)]
    found.chatters = turns >= MAX_STEPS
    floats = _has_floating(found)
    found.floating_at = np.where(floats, np.cumsum(floats) - 1, -1)
    return found


def _has_floating(found: Solution) -> Bools:
    """Tell which variants have a conductor that only strays tie to the rest, by counting connected pieces.

    The supply is one piece and a control side without a grounded common another; more than that means something floats.
    """
    v = found.variants
    size, layers = v.nodes, np.arange(v.count)[:, None] * v.nodes
    ports = v.node_of[:, v.ports]
    live_ports = v.port_admittance != 0
    ends = [
        (v.branch_a, v.branch_b, np.abs(v.admittance) > STRAY_SIEMENS),
        (v.contact_a, v.contact_b, found.states),
        (v.split_a, v.split_b, v.split_y > 0),
        (ports[:, :, 0], ports[:, :, 1], live_ports),
        (ports[:, :, 2], ports[:, :, 3], live_ports),
    ]
    sources = v.node_of[:, [v.circuit.terminals[source.node] for source in v.circuit.sources]]
    ends.append((np.zeros_like(sources), sources, np.ones(sources.shape, dtype=bool)))
    a = np.concatenate([(layers + x)[used] for x, _, used in ends])
    b = np.concatenate([(layers + y)[used] for _, y, used in ends])
    piece = pieces_of(v.count * size, a, b)
    exists = np.zeros((v.count, size), dtype=bool)
    exists[layers // size, v.node_of] = True
    first = np.zeros(v.count * size, dtype=bool)
    first[np.unique(piece, return_index=True)[1]] = True
    pieces = (first.reshape(v.count, size) & exists).sum(axis=1)
    common = v.node_of[:, v.circuit.terminals["transformer.c"]]
    floats: Bools = np.greater(pieces, np.where(common == 0, 1, 2))
    return floats


class _Mover:
    """What moves each contact under one drive."""

    def __init__(self, variants: Variants, drive: Drive) -> None:
        self.v = variants
        self.drive = drive
        circuit = variants.circuit
        self.excitation = np.zeros((variants.count, variants.nodes), dtype=np.complex128)
        for source in circuit.sources:
            node = variants.node_of[:, circuit.terminals[source.node]]
            np.add.at(self.excitation, (np.arange(variants.count), node), variants.supply * source.volts / source.ohms)
        if drive.separate:
            for end, sign in (("board.r", 1.0), ("board.c", -1.0)):
                node = variants.node_of[:, circuit.terminals[end]]
                np.add.at(self.excitation, (np.arange(variants.count), node), sign * circuit.separate_amps)
        rest = [at_rest(contact, drive) for contact in circuit.contacts]
        self.rest = np.array([is_closed for is_closed, _ in rest])
        self.taken_off = np.array([is_off for _, is_off in rest])
        self.device = np.full(len(circuit.contacts), -1)
        self.is_thermal = np.zeros(len(circuit.contacts), dtype=bool)
        self.is_ecm = np.array([c.driver == "ecm" for c in circuit.contacts])
        for i, contact in enumerate(circuit.contacts):
            kind, name = contact.moved_by
            if kind in ("relay", "thermal"):
                self.device[i] = variants.devices[name]
                self.is_thermal[i] = kind == "thermal"
        self.waiting = np.array([c.id in drive.waiting for c in circuit.contacts])
        self.trip = np.array([c.trip_amps for c in circuit.contacts])
        groups = trip_groups(circuit)
        self.trip_group = np.array([groups.get(contact.id, -1) for contact in circuit.contacts])
        self.pull = np.array([pull for _, _, pull in circuit.coils.values()])
        self.coil_ends = np.array([[circuit.terminals[a], circuit.terminals[b]] for a, b, _ in circuit.coils.values()])
        thermal_devices = {self.device[i] for i in range(len(self.rest)) if self.is_thermal[i]}
        self.device_is_thermal = np.array([i in thermal_devices for i in range(len(self.pull))])
        self.ecm = np.array([name.startswith(ECM) for name in circuit.coils])
        self.limits = [(i, c.moved_by[1]) for i, c in enumerate(circuit.contacts) if c.moved_by[0] == "limit"]

    def states(self, found: Solution, rows: Ints) -> Bools:
        """Return which contacts are closed."""
        energised, hot = found.energised[rows], found.hot[rows]
        state: Bools = np.tile(self.rest, (len(rows), 1))
        switched = self.device >= 0
        driven = np.where(self.is_thermal[switched], hot[:, self.device[switched]], energised[:, self.device[switched]])
        state[:, switched] ^= driven
        state[:, self.waiting] = self.rest[self.waiting]
        if self.ecm.any():
            state[:, self.is_ecm] = energised[:, self.ecm].max(axis=1, keepdims=True)
        state &= ~found.airless[rows]
        forced = np.where(self.taken_off, -1, self.v.forced[rows])
        closed: Bools = np.where(forced >= 0, forced == 1, state) & ~found.tripped[rows]
        return closed

    def advance(self, rows: Ints, found: Solution) -> Bools:
        """Let the fastest mechanism that wants to move do so in each variant; return which variants moved."""
        moved = np.zeros(self.v.count, dtype=bool)
        moved[rows] = advance(_Step(self, rows, found), moved[rows])
        return moved


class _Step:
    """One step of some variants: what each mechanism sees of them, and moves."""

    def __init__(self, mover: _Mover, rows: Ints, found: Solution) -> None:
        self.m, self.v, self.rows, self.found = mover, mover.v, rows, found
        v, volts, layers = mover.v, found.volts, rows[:, None]
        # Amps through each closed contact decide trips; volts across each coil decide the rest.
        a, b = v.contact_a[rows], v.contact_b[rows]
        self.states = found.states[rows]
        self.amps = np.abs((volts[layers, a] - volts[layers, b]) * v.closed[rows] * self.states)
        self.over: Bools = np.logical_and(self.amps > mover.trip, self.states)
        ends = v.node_of[rows][:, mover.coil_ends]
        self.across = np.abs(volts[layers, ends[:, :, 0]] - volts[layers, ends[:, :, 1]]) * v.coil_works[rows]

    def trip_at_once(self, moved: Bools) -> Bools:
        return self._latch(self.over & (self.m.trip_group >= 0) & ~moved[:, None])

    def blow_fuse(self, moved: Bools) -> Bools:
        return self._latch(self.over & (self.m.trip_group < 0) & ~moved[:, None])

    def trip_by_heat(self, moved: Bools) -> Bools:
        return self._latch((self.amps > self.v.trips_at[self.rows]) & self.states & ~moved[:, None])

    def move_relays(self, moved: Bools) -> Bools:
        energised = self.found.energised
        new = pulls_in(self.across, self.m.pull, energised[self.rows]) & ~self.m.device_is_thermal
        return self._change(energised, new, moved)

    def move_sequencers(self, moved: Bools) -> Bools:
        new: Bools = np.logical_and(self.across >= self.m.pull, self.m.device_is_thermal)
        return self._change(self.found.hot, new, moved)

    def _change(self, states: Bools, new: Bools, moved: Bools) -> Bools:
        turn = ~moved & (new != states[self.rows]).any(axis=1)
        states[self.rows[turn]] = new[turn]
        return np.asarray(turn)

    def _latch(self, over: Bools) -> Bools:
        group = self.m.trip_group
        for row, contact in zip(*np.nonzero(over), strict=True):
            mates = [contact] if group[contact] < 0 else np.flatnonzero(group == group[contact]).tolist()
            self.found.tripped[self.rows[row], mates] = True
        return np.asarray(over.any(axis=1))

    def open_limits(self, moved: Bools) -> Bools:
        v, circuit, rows, volts = self.v, self.v.circuit, self.rows, self.found.volts
        opened = np.zeros(len(rows), dtype=bool)
        if not self.m.drive.limits_open:
            return opened
        has_air = np.zeros(len(rows), dtype=bool)
        for motor in circuit.motors:
            i = v.branch_at[motor]
            across = np.abs(volts[rows, v.branch_a[rows, i]] - volts[rows, v.branch_b[rows, i]])
            drawn = np.abs(v.admittance[rows, i]) * abs(circuit.branches[i].ohms)
            has_air |= is_turning(across, drawn, circuit.line_volts)
        for contact, name in self.m.limits:
            # An element that touches the frame heats between there and the end that is fed.
            hot = np.zeros(len(rows), dtype=bool)
            for piece in heated_pieces(name):
                i = v.branch_at[piece]
                across = np.abs(volts[rows, v.branch_a[rows, i]] - volts[rows, v.branch_b[rows, i]])
                hot |= gets_hot(across * np.abs(v.admittance[rows, i]))
            heats = hot & ~has_air & ~moved & ~opened & ~self.found.airless[rows, contact]
            self.found.airless[rows[heats], contact] = True
            opened |= heats
        return opened
