"""The network core's contacts against a simulator that decides every one of them itself.

Nothing of our settling goes into the deck: each relay and sequencer is a switch driven by the volts across its own
coil's nodes, each breaker and fuse a latch driven by its own current. A phasor is two real circuits side by side, its
real and its imaginary part, coupled where an impedance has a reactance; so slow time is all that is left of time, and
a transient run lets each mechanism move at its own speed.
"""

import subprocess
from collections.abc import Iterable, Mapping
from pathlib import Path

import numpy as np
import pytest

from plentar.core.causes.faults import faults_of
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.network import ECM, HOLD_SHARE, SHORTED_SHARE, Contact
from plentar.core.circuit.solve import Variants, settle
from plentar.core.circuit.wiring import wire
from plentar.core.unit.patterns import PATTERNS
from tests.units import EVERY_UNIT

CALLS = (frozenset[str](), frozenset({"G"}), frozenset({"W", "W2"}), frozenset({"W", "W2", "G"}))
# How fast each kind moves [s]: an instant trip, a relay, a fuse, a warming sequencer, a breaker's own heater.
INSTANT, RELAY, FUSE, THERMAL, SLOW = 1e-4, 1e-2, 1e-1, 1.0, 10.0
END = 60.0
# Rows in one deck would share their time steps, and take longer each.
ROWS = 1
# What the two may differ in, and why. Those that chatter in our solver never rest in the simulator either.
EXCEPTIONS = {
    ("four-strip-staged", "interlock.across-legs"): (
        {"feed-1.breaker-l1", "feed-1.breaker-l2"},
        "two breakers in series see one dead short: which of them is quicker is chance, ours opens both",
    ),
}


class Deck:
    """The lines of several variants of one unit, and which nodes tell each contact's state at the end."""

    def __init__(self, variants: Variants, drive: Drive) -> None:
        self.v, self.drive = variants, drive
        self.lines = ["* contacts decided by their own coils"]
        self.told: list[str] = []
        self.models: dict[tuple[float, float], str] = {}

    def add(self, *lines: str) -> None:
        self.lines += lines

    def switch_model(self, on: float, off: float) -> str:
        """A switch that closes above `on` and opens below `off` volts of its control."""
        if (on, off) not in self.models:
            name = f"sw{len(self.models)}"
            self.models[on, off] = name
            self.add(f".model {name} sw vt={(on + off) / 2:.9g} vh={(on - off) / 2:.9g} ron=1 roff=1e12")
        return self.models[on, off]

    def row(self, row: int) -> None:
        v, circuit, p = self.v, self.v.circuit, f"x{row}x"

        def node(number: int, part: str) -> str:
            return f"n{p}{number}{part}" if number else "0"

        for index, source in enumerate(circuit.sources):
            at = v.node_of[row, circuit.terminals[source.node]]
            for part, volts in (("r", source.volts.real), ("i", source.volts.imag)):
                name = f"{p}src{index}{part}"
                # Mains come up in a tenth of a millisecond, so that everything starts de-energised.
                self.add(
                    f"V{name} {name} 0 pwl(0 0 1e-4 {volts:.12g})",
                    f"R{name} {name} {node(at, part)} {source.ohms:.12g}",
                )
        for index in range(len(circuit.branches)):
            y, a, b = v.admittance[row, index], v.branch_a[row, index], v.branch_b[row, index]
            if y != 0 and a != b:
                for part, other, sign in (("r", "i", -1.0), ("i", "r", 1.0)):
                    name = f"{p}b{index}{part}"
                    if y.real > 1e-18:
                        self.add(f"R{name} {node(a, part)} {node(b, part)} {1 / y.real:.12g}")
                    if abs(y.imag) > 1e-9 * abs(y.real):
                        ends = f"{node(a, part)} {node(b, part)} {node(a, other)} {node(b, other)}"
                        self.add(f"G{name} {ends} {sign * y.imag:.12g}")
        for slot in range(v.split_y.shape[1]):
            if v.split_y[row, slot] > 0:
                for part in "ri":
                    a, b = node(v.split_a[row, slot], part), node(v.split_b[row, slot], part)
                    self.add(f"R{p}s{slot}{part} {a} {b} {1 / v.split_y[row, slot]:.12g}")
        for port, ends in enumerate(v.node_of[row][v.ports]):
            y, n = v.port_admittance[row, port].real, v.ratio[row, port].real
            if y != 0:
                for part in "ri":
                    ia, ib, oa, ob = (node(end, part) for end in ends)
                    name = f"{p}p{port}{part}"
                    self.add(
                        f"R{name}o {oa} {ob} {1 / y:.12g}",
                        f"G{name}o {ob} {oa} {ia} {ib} {n * y:.12g}",
                        f"R{name}i {ia} {ib} {1 / (n * n * y):.12g}",
                        f"G{name}i {ia} {ib} {oa} {ob} {-n * y:.12g}",
                    )
        self.coils(row, p)
        self.contacts(row, p)

    def coils(self, row: int, p: str) -> None:
        """A node a coil: the size of the volts across it, as slow as its mechanism."""
        v, circuit = self.v, self.v.circuit
        plain = {branch.id: (index, branch) for index, branch in enumerate(circuit.branches)}
        thermal = {c.driver.partition(":")[2] for c in circuit.contacts if c.driver.startswith("thermal:")}
        for number, (device, (a, b, _)) in enumerate(circuit.coils.items()):
            ends = [v.node_of[row, circuit.terminals[end]] for end in (a, b)]
            share = 1.0
            if f"{device}.coil" in plain:
                index, branch = plain[f"{device}.coil"]
                share = abs(v.admittance[row, index] * branch.ohms)
            slow = THERMAL if device in thermal else RELAY
            across = " + ".join(
                f"({' - '.join(f'v(n{p}{end}{part})' if end else '0' for end in ends)})^2" for part in "ri"
            )
            # An open or shorted coil moves nothing, whatever stands across it.
            size = f"sqrt({across} + 1e-18)" if 0 < share < SHORTED_SHARE else "0"
            self.add(f"B{p}coil{number} {p}m{number} 0 V={size}", f"R{p}coil{number} {p}m{number} {p}y{number} 1")
            self.add(f"C{p}coil{number} {p}y{number} 0 {slow:.3g} ic=0")

    def contacts(self, row: int, p: str) -> None:
        circuit, change = self.v.circuit, self.v.changes[row]
        numbers = {device: number for number, device in enumerate(circuit.coils)}
        latches = self.latches(row, p)
        for index, contact in enumerate(circuit.contacts):
            told = f"{p}t{index}"
            self.told.append(told)
            forced = change.forced.get(contact.id)
            kind, _, name = contact.driver.partition(":")
            if forced is not None:
                self.add(f"V{told} {told} 0 {1.0 if forced else 0.0}")
            elif kind in ("relay", "thermal"):
                _, _, pull = circuit.coils[name]
                hold = pull if kind == "thermal" else HOLD_SHARE * pull
                self.by_coil(told, f"{p}y{numbers[name]}", pull, hold, closes=not contact.is_closed_at_rest)
            elif kind == "ecm":
                inputs = [f"{p}y{n}" for device, n in numbers.items() if device.startswith(ECM)]
                pull = next(volts for device, (_, _, volts) in circuit.coils.items() if device.startswith(ECM))
                highest = inputs[0]
                for count, other in enumerate(inputs[1:]):
                    self.add(f"B{told}h{count} {told}h{count} 0 V=max(v({highest}), v({other}))")
                    highest = f"{told}h{count}"
                self.by_coil(told, highest, pull, HOLD_SHARE * pull, closes=True)
            else:
                self.add(f"V{told} {told} 0 {1.0 if at_rest(contact, self.drive) else 0.0}")
            a, b = self.v.contact_a[row, index], self.v.contact_b[row, index]
            if a == b:
                continue
            control = told
            if contact.id in latches:
                control = f"{told}l"
                self.add(f"B{control} {control} 0 V=v({told})*(v({latches[contact.id]}) < 0.5 ? 1 : 0)")
                self.told[-1] = control
            model = f"c{p}{index}"
            self.add(f".model {model} sw vt=0.5 vh=0.01 ron={1 / self.v.closed[row, index]:.9g} roff=1e15")
            for part in "ri":
                ends = [f"n{p}{end}{part}" if end else "0" for end in (a, b)]
                self.add(f"S{p}c{index}{part} {ends[0]} {ends[1]} {control} 0 {model}")

    def by_coil(self, told: str, coil: str, pull: float, hold: float, *, closes: bool) -> None:
        """Make `told` one volt while the contact is closed: a switch to a volt, with the coil's node as its control."""
        # The simulator's switch needs some room between in and out.
        hold = min(hold, 0.99 * pull)
        if closes:
            self.add(f"S{told} {told} {told}one {coil} 0 {self.switch_model(pull, hold)} off")
        else:
            self.add(f"S{told} {told} {told}one 0 {coil} {self.switch_model(-hold, -pull)} on")
        self.add(f"V{told}one {told}one 0 1", f"R{told} {told} 0 1e6")

    def latches(self, row: int, p: str) -> dict[str, str]:
        """A node for whatever trips: a volt once any of its poles carried too much, and from then on."""
        circuit, change = self.v.circuit, self.v.changes[row]
        groups: dict[str, list[tuple[int, float, float]]] = {}
        for index, contact in enumerate(circuit.contacts):
            is_breaker = contact.driver.startswith("feed:") or contact.driver == "fixed"
            owner = contact.id.partition(".")[0] if is_breaker else contact.id
            if np.isfinite(contact.trip_amps):
                speed = INSTANT if is_breaker else FUSE
                groups.setdefault(owner, []).append((index, contact.trip_amps, speed))
            if contact.id in change.trips_at:
                groups.setdefault(owner, []).append((index, change.trips_at[contact.id], SLOW))
        found = {}
        for number, (owner, sensed) in enumerate(groups.items()):
            latch = f"{p}l{number}"
            self.add(f"C{latch} {latch} 0 1 ic=0", f"R{latch} {latch} 0 1e9")
            for count, (index, limit, speed) in enumerate(sensed):
                a, b = self.v.contact_a[row, index], self.v.contact_b[row, index]
                if a == b:
                    continue
                control = f"{p}t{index}l"
                parts = [
                    f"({f'v(n{p}{a}{part})' if a else '0'} - {f'v(n{p}{b}{part})' if b else '0'})^2" for part in "ri"
                ]
                amps = f"{self.v.closed[row, index]:.9g}*sqrt({' + '.join(parts)} + 1e-18)*v({control})"
                over = f"min(max(({amps})/{limit:.9g} - 1, 0)*1e3, 1)"
                self.add(f"B{latch}s{count} 0 {latch} I={1 / speed:.3g}*{over}*max(1 - v({latch}), 0)")
            for contact in circuit.contacts:
                is_breaker = contact.driver.startswith("feed:") or contact.driver == "fixed"
                if owner == (contact.id.partition(".")[0] if is_breaker else contact.id):
                    found[contact.id] = latch
        return found


def at_rest(contact: Contact, drive: Drive) -> bool:
    """A contact that a person sets, or that nothing moves here."""
    kind, _, name = contact.driver.partition(":")
    told: Mapping[str, bool] = {
        "call": name in drive.calls,
        "jumper": False,
        "thermostat": True,
        "feed": True,
        "disconnect": True,
        "fuse": True,
        "separate": False,
    }
    return told.get(kind, contact.is_closed_at_rest)


def simulate(deck: Deck, folder: Path) -> dict[str, float]:
    """Run the deck and return the last volts of every node that tells a state.

    The simulator now and then finds no step small enough at a switch; another way to step takes it past that point.
    """
    path, out = folder / "deck.cir", folder / "out.raw"
    said = ""
    for longest, method in ((END / 5, "gear"), (END / 5, "trap"), (END / 17, "trap"), (END / 71, "gear")):
        control = [
            f".options gmin=1e-15 reltol=1e-4 abstol=1e-9 vntol=1e-5 method={method}",
            ".control",
            "set filetype=ascii",
            f"save {' '.join(deck.told)}",
            f"tran {END / 10} {END} 0 {longest} uic",
            f"write {out}",
            ".endc",
            ".end",
        ]
        path.write_text("\n".join([*deck.lines, *control]) + "\n")
        done = subprocess.run(["/usr/bin/ngspice", "-b", str(path)], check=False, capture_output=True, text=True)
        said = done.stdout[-2000:] + done.stderr[-2000:]
        found = last_of(out.read_text()) if out.exists() else {}
        out.unlink(missing_ok=True)
        if found.get("time", 0.0) > 0.99 * END:
            return found
    raise AssertionError(said)


def last_of(raw: str) -> dict[str, float]:
    """Return the last point of a run in the simulator's own text format."""
    names = [line.split()[1] for line in raw.partition("Variables:\n")[2].partition("Values:")[0].splitlines()]
    values = raw.partition("Values:\n")[2].split()[-len(names) :]
    return {n.removeprefix("v(").removesuffix(")"): float(value) for n, value in zip(names, values, strict=True)}


LARGE_STRIPS = 3


def batches(rows: Iterable[int]) -> Iterable[list[int]]:
    taken = list(rows)
    for start in range(0, len(taken), ROWS):
        yield taken[start : start + ROWS]


# With nothing or the fan called little moves, and under heat alone little else than with everything called: those are
# for script/long.
LITTLE = pytest.mark.long


@pytest.mark.parametrize(
    "calls",
    [
        pytest.param(calls, id=name, marks=[] if name == "both" else [LITTLE])
        for name, calls in zip(("idle", "fan", "heat", "both"), CALLS, strict=True)
    ],
)
@pytest.mark.parametrize("name", EVERY_UNIT)
def test_every_contact_ends_where_the_simulator_puts_it(name: str, calls: frozenset[str], tmp_path: Path) -> None:
    """All calls, every single fault under one of them or more, but for those that never rest.

    Under heat a third of the faults, with everything called another at its usual size and the last at its largest; with
    nothing or the fan called, when little moves, every fourth. Between them every fault is simulated; of the large
    units, whose parts are the small ones' over again and whose circuits take it a minute, half.
    """
    plate = PATTERNS[name]()
    drive = Drive(calls=calls & set(plate.calls))
    turn, every = CALLS.index(calls), faults_of(plate)
    if calls <= {"G"}:
        sizes = {fault.id: {fault.usual_variant} for fault in every[turn::4]}
    else:
        # The first third at its usual size under heat, the second with everything called, the last at its largest.
        sizes = {fault.id: {fault.usual_variant} for fault in every[turn - 2 :: 3]}
        if turn == len(CALLS) - 1:
            sizes |= {fault.id: {len(fault.variants) - 1} for fault in every[2::3]}
    faults = [
        (fault.id, fault.variants[size]) for fault in faults_of(plate) for size in sorted(sizes.get(fault.id, ()))
    ][:: 2 if len(plate.circuits) > LARGE_STRIPS else 1]
    variants = Variants(wire(plate), [variant for _, variant in faults])
    settled = settle(variants, drive)
    wrong = []
    for rows in batches(row for row in range(len(faults)) if not settled.chatters[row]):
        deck = Deck(variants, drive)
        for row in rows:
            deck.row(row)
        last = simulate(deck, tmp_path)
        told = iter(deck.told)
        for row in rows:
            for index, contact in enumerate(variants.circuit.contacts):
                theirs = last[next(told)] > 0.5
                exempt, _ = EXCEPTIONS.get((name, faults[row][0]), (set[str](), ""))
                if theirs != bool(settled.states[row, index]) and contact.id not in exempt:
                    wrong.append((faults[row][0], contact.id, "closed" if theirs else "open"))
    assert wrong == []
