"""Looks that are no reading of the circuit: the wheel by hand, the capacitor, the stages by the stopwatch.

They split what amps and volts leave together: a worn bearing and a weak capacitor, a slow sequencer and a sound one.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.catalogue import Test
from plentar.core.causes.fault import Fault
from plentar.core.causes.hypotheses import UnitModel
from plentar.core.causes.same_circuit import circuit_of
from plentar.core.circuit.drive import Drive
from plentar.core.limits.windows import closing
from plentar.core.message import message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import CAPACITOR, point_at

__all__ = ["AIR", "CHECK_SPREAD", "STAGES", "STARTS", "WATCH", "WHEEL", "Check", "checks_of", "finds"]

STAGES, WHEEL, AIR, WATCH, STARTS = (point_at("check", name) for name in ("stages", "wheel", "air", "watch", "starts"))
MICROFARADS = point_at("microfarads", CAPACITOR)
# A sign this much likelier under a fault is what the look is for.
LEAST_FACTOR = 8.0
# A wheel that slips moves little air as a dirty filter does, and its own look tells which.
LEAST_AIR_FACTOR = 5.0
# Found or not found, 1 or 0: a hand and an eye are wrong so seldom that the two outcomes keep clear of each other.
CHECK_SPREAD = 0.15
# Discharging the capacitor and its leads off; a hand at the wheel; five minutes of cooling ahead of a timed run, some
# of which passes while one puts the covers back. Chosen beside LOOKS.
CAPACITOR_MINUTES, WHEEL_MINUTES, COOLING_MINUTES = 4.0, 1.5, 3.0
# Panels on and a quarter of an hour beside it; twenty starts half a minute apart (docs/trade.md, section 10).
WATCH_MINUTES, STARTS_MINUTES = 16.0, 10.0
# Two thermometers in the duct and five steady minutes of heat.
AIR_MINUTES = 7.0


@dataclass(frozen=True, slots=True)
class Check:
    """A look with one of two outcomes: the test it is offered as, and which faults it finds."""

    test: Test
    tells: Callable[[Fault], bool]


@lru_cache(maxsize=64)
def checks_of(plate: Nameplate) -> tuple[Check, ...]:
    """Return the looks a unit gives cause for.

    Source:
        docs/trade.md, section 4, steps 9 and 11; section 3, run capacitor and pole on-time.
    """
    idle, heat = Drive(), Drive(calls=plate.heat_calls)
    found = []
    if plate.blower.kind == "psc":
        capacitor = Test(MICROFARADS, idle, "check", CAPACITOR_MINUTES, message("test.capacitor"), step="blower")
        found.append(Check(capacitor, _spoken_for("capacitor-out")))
    wheel = Test(WHEEL, idle, "check", WHEEL_MINUTES, message("test.wheel"), step="blower")
    found.append(Check(wheel, _spoken_for("side-play", "stiff", "loose-hub")))
    thermal = [device for device in plate.devices if device.of_kind.is_thermal]
    if thermal:
        latest = max(closing(plate, device.id, pole).max_seconds for device in thermal for pole in device.poles)
        minutes = COOLING_MINUTES + latest / 60
        stages = Test(STAGES, heat, "check", minutes, message("test.stages"), step="timing")
        found.append(Check(stages, lambda fault: fault.shows == "late"))
    air = Test(AIR, heat, "check", AIR_MINUTES, message("test.air"), step="air")
    found.append(Check(air, lambda fault: fault.signs.get("air-little", 1.0) >= LEAST_AIR_FACTOR))
    watch = Test(WATCH, heat, "check", WATCH_MINUTES, message("test.watch"), step="blower")
    found.append(Check(watch, lambda fault: fault.signs.get("watched-dropped", 1.0) >= LEAST_FACTOR))
    relay = plate.blower.relay
    if relay is not None and (relay.on_delay_seconds or relay.off_delay_seconds) and "G" in plate.calls:
        fan = Drive(calls=frozenset({"G"}))
        starts = Test(STARTS, fan, "check", STARTS_MINUTES, message("test.starts"), step="blower")
        found.append(Check(starts, _spoken_for("bad-start")))
    return tuple(found)


def _spoken_for(*signs: str) -> Callable[[Fault], bool]:
    return lambda fault: any(fault.signs.get(sign, 1.0) >= LEAST_FACTOR for sign in signs)


def finds(model: UnitModel, rows: NDArray[np.int64]) -> NDArray[np.float64]:
    """Return for each of the unit's checks and some hypotheses 1 where it finds something, else 0."""
    checks = checks_of(circuit_of(model.plate))
    told = model.by_fault("checks", lambda fault: [check.tells(fault) for check in checks])
    found: NDArray[np.float64] = told[rows].T.astype(np.float64)
    return found
