"""What a meter reads everywhere on one unit under one condition with given faults."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from plentar.core.causes.catalogue import catalogue
from plentar.core.causes.faults import changes_of
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.probe import dead_ohms, pieces, read_amps, read_volts
from plentar.core.circuit.solve import Solution, Variants, settle
from plentar.core.circuit.wiring import wire
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import EARTH, GROUND, spot_of

__all__ = ["Volts", "WholePrediction", "predict"]


@dataclass(frozen=True, slots=True)
class Volts:
    """What the AC and the DC function show, and whether a probe stands on a floating conductor."""

    ac_volts: float
    dc_volts: float
    is_floating: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class WholePrediction:
    """Volts at every test point and of every terminal to ground, amps, ohms of parts with power isolated, contacts."""

    volts: Mapping[str, Volts]
    to_ground: Mapping[str, Volts]
    amps: Mapping[str, float]
    amps_with_limits_open: Mapping[str, float]
    part_ohms: Mapping[str, float | None]
    circuit_ohms: Mapping[str, float | None]
    closed_contacts: tuple[str, ...]
    tripped: tuple[str, ...]
    chatters: bool


def predict(
    plate: Nameplate, calls: frozenset[str], fault_ids: Sequence[str] = (), *, isolated: bool = False
) -> WholePrediction:
    """Predict every reading of a unit.

    Args:
        plate: The unit.
        calls: The thermostat calls that are on.
        fault_ids: What is wrong, any number of faults at once; each at its usual size.
        isolated: Every feed and the control side off.
    Raises:
        ReadingError: The unit has no such fault.
    """
    variants = Variants(wire(plate), [changes_of(plate, fault_ids)])
    dead = frozenset(feed.id for feed in plate.feeds) if isolated else frozenset[str]()
    drive = Drive(calls=calls, dead_feeds=dead, has_control=not isolated)
    settled = settle(variants, drive)
    opened = settle(variants, replace(drive, limits_open=True), start=settled)
    piece = pieces(settled, 0)
    circuit = variants.circuit
    pairs = sorted({":".join(spot_of(test.point).places) for test in catalogue(plate) if spot_of(test.point).is_volts})
    part_ohms, circuit_ohms = _ohms(variants, pairs)
    return WholePrediction(
        volts={pair: _volts(settled, pair, piece) for pair in pairs},
        to_ground={
            name: _volts(settled, f"{name}:ground", piece) for name in circuit.terminals if name not in (GROUND, EARTH)
        },
        amps={clamp.place: float(read_amps(settled, clamp.id)[0]) for clamp in circuit.clamps},
        amps_with_limits_open={clamp.place: float(read_amps(opened, clamp.id)[0]) for clamp in circuit.clamps},
        part_ohms=part_ohms,
        circuit_ohms=circuit_ohms,
        closed_contacts=tuple(c.id for i, c in enumerate(circuit.contacts) if settled.states[0, i]),
        tripped=tuple(c.id for i, c in enumerate(circuit.contacts) if settled.tripped[0, i]),
        chatters=bool(settled.chatters[0]),
    )


def _volts(settled: Solution, pair: str, piece: Mapping[str, int]) -> Volts:
    a, b = pair.split(":")
    alternating = float(read_volts(settled, a, b)[0][0])
    direct = float(read_volts(settled, a, b, function="dc_volts")[0][0])
    return Volts(alternating, direct, piece[a] != piece[b])


def _ohms(variants: Variants, pairs: Sequence[str]) -> tuple[dict[str, float | None], dict[str, float | None]]:
    circuit = variants.circuit
    parts: dict[str, float | None] = {}
    for i, branch in enumerate(circuit.branches):
        if not branch.id.startswith(("stray", "control.", "interlock.")) and ".to-ground" not in branch.id:
            conductance = variants.conductance[0, i]
            parts[branch.id] = float(1 / conductance) if conductance > 0 else None
    for i, contact in enumerate(circuit.contacts):
        if contact.moved_by[0] not in ("feed", "call"):
            forced = variants.forced[0, i]
            is_closed = contact.is_closed_at_rest if forced < 0 else bool(forced)
            parts[contact.id] = float(1 / variants.closed[0, i]) if is_closed else None
    resistance, piece = dead_ohms(variants)
    between: dict[str, float | None] = {}
    for pair in pairs:
        i, j = (variants.node_of[0, circuit.terminals[name]] for name in pair.split(":"))
        ohms = resistance[i, i, 0] + resistance[j, j, 0] - 2 * resistance[i, j, 0]
        between[pair] = float(np.maximum(ohms, 0.0)) if piece[0, i] == piece[0, j] else None
    return parts, between
