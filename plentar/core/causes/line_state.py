"""What is live and what carries current on a unit, solved under a condition and with faults: the board's colours."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Literal

import numpy as np

from plentar.core.causes.faults import changes_of
from plentar.core.circuit.drive import Drive, drives_of
from plentar.core.circuit.network import ECM
from plentar.core.circuit.probe import pieces, read_amps
from plentar.core.circuit.solve import Solution, Variants, settle
from plentar.core.circuit.wiring import wire
from plentar.core.evidence.reading import Condition
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.voltages import CONTROL_LIVE_VOLTS, LIVE_VOLTS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import EARTH, amps_at, place_of

__all__ = ["LineState", "line_states"]

LineState = Literal["carries", "live", "dead", "alive", "idle"]
# For drawing only: above a motor's standby [A].
CARRIES_AMPS = 0.3


def line_states(
    plate: Nameplate, condition: Condition, faults: Sequence[str] = (), limits: Limits = DEFAULT_LIMITS
) -> Callable[[str], LineState]:
    """Return a function from a terminal, circuit, contact, call or device to the state of its line.

    The network is solved under the condition, with these faults in it. While poles are inside their windows they count
    as not closed yet. A line is live when it stands above some 30 V to ground and is tied to the supply; what floats
    is dead.

    Raises:
        ReadingError: The unit has no such fault.
    """
    # The first of the states a young call may mean: nothing that is still waiting has moved.
    drive = drives_of(plate, condition, limits)[0][0]
    unproven = frozenset(feed for feed, state in condition.feeds if state == "off")
    states = _states(plate, drive, unproven, tuple(faults))
    return lambda name: states.get(name, "dead")


# A unit under one drive is asked for again with every reading; some 400 short words each.
@lru_cache(maxsize=128)
def _states(
    plate: Nameplate, drive: Drive, unproven: frozenset[str], faults: tuple[str, ...]
) -> Mapping[str, LineState]:
    variants = Variants(wire(plate), [changes_of(plate, faults)])
    settled = settle(variants, drive)
    states = _terminals(plate, settled)
    if unproven:
        # Off and not proven is treated as live: drawn live wherever the feed would reach.
        reach = replace(drive, dead_feeds=drive.dead_feeds - unproven, opened=drive.opened - unproven, has_control=True)
        treated = _terminals(plate, settle(variants, reach))
        states.update({name: "live" for name, state in treated.items() if state == "live"})
    circuit = settled.variants.circuit
    closed = {contact.id for i, contact in enumerate(circuit.contacts) if settled.states[0, i]}
    for contact in circuit.contacts:
        states[f"{contact.id}:closed"] = "carries" if contact.id in closed else "dead"
    for strip in plate.circuits:
        carries = _amps(settled, strip.id) > CARRIES_AMPS
        own: list[str] = [t for t in states if place_of(t).owner == strip.id and ":" not in t]
        if carries:
            own += [f"{strip.device}.pole-{n}.{end}" for n in strip.poles for end in ("line", "load")]
            states.update(dict.fromkeys(own, "carries"))
        live = any(states[name] == "live" for name in own)
        states[f"{strip.id}:current"] = "carries" if carries else "live" if live else "dead"
    _blower(plate, settled, states)
    _control(plate, settled, states, closed)
    return states


def _amps(settled: Solution, clamp: str) -> float:
    return float(read_amps(settled, amps_at(clamp))[0])


def _terminals(plate: Nameplate, settled: Solution) -> dict[str, LineState]:
    v = settled.variants
    piece = pieces(settled, 0)
    volts = np.abs(settled.volts[0])
    states: dict[str, LineState] = {}
    for name, number in v.circuit.terminals.items():
        tied = piece[name] == piece[EARTH]
        states[name] = "live" if tied and volts[v.node_of[0, number]] > LIVE_VOLTS else "dead"
    return states


def _blower(plate: Nameplate, settled: Solution, states: dict[str, LineState]) -> None:
    runs = plate.blower.runs_at(_amps(settled, "blower"))
    fed = any(states.get(name) == "live" for name in ("blower.fixed", "blower.run", "blower.high", "blower.low"))
    states["blower"] = "carries" if runs else "live" if fed else "dead"
    relay = plate.blower.relay
    if relay is not None:
        own = [name for name in states if place_of(name).owner == relay.id and name.endswith(":closed")]
        pulled = [name for name in own if place_of(name).part.startswith("no")]
        states["blower-relay:closed"] = states[pulled[0]] if pulled else "dead"


def _control(plate: Nameplate, settled: Solution, states: dict[str, LineState], closed: set[str]) -> None:
    def across(a: str, b: str) -> LineState:
        return "alive" if float(np.abs(settled.at(a) - settled.at(b))[0]) > CONTROL_LIVE_VOLTS else "idle"

    states["control"] = across("board.r", "board.c")
    for call in plate.calls:
        states[call] = states[f"{ECM}{call.lower()}:coil"] = across(f"board.{call.lower()}", "board.c")
    coils = [device.id for device in plate.devices]
    if plate.blower.relay is not None:
        coils.append(plate.blower.relay.id)
    for coil in coils:
        states[f"{coil}:coil"] = across(f"{coil}.coil.1", f"{coil}.coil.2")
    for device in plate.devices:
        if device.auxiliary is not None:
            fed = states["control"] == "alive" and f"{device.id}.auxiliary" in closed
            states[f"{device.id}:aux"] = "alive" if fed else "idle"
