"""The unit behind a practice call, in time: what is hidden in it shows where and when it would, and what is done acts.

Faults that come and go, trip after a while or come late do so by the practice clock; breakers and fuses stay open until
somebody sees to them; strips that heat without air cycle on their limits. All of it is deterministic.
"""

import math
from collections.abc import Mapping
from dataclasses import replace

from plentar.core.causes.fault import FUSE, Fault, takes_fuse_along
from plentar.core.causes.faults import fault_by_id
from plentar.core.circuit.changes import Changes
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.network import METER_OHMS
from plentar.core.circuit.probe import circuit_ohms, dead_ohms, part_ohms, read_amps, read_volts
from plentar.core.circuit.solve import Solution, Variants, settle
from plentar.core.circuit.timeline import Running
from plentar.core.circuit.wiring import wire
from plentar.core.errors import ReadingError
from plentar.core.evidence.reading import Hand, Mode
from plentar.core.judging.air import air_factor, expected_rise_degf, watts_in_airstream
from plentar.core.limits.table import DEFAULT_LIMITS
from plentar.core.practice.case import Case
from plentar.core.unit.place import amps_at, line_volts, place_of, spot_of

__all__ = ["LOW_IMPEDANCE_OHMS", "World"]

# How long a weak breaker holds under load, and how a limit cycles where air is short: heat to trip, cool to close.
# Chosen inside what docs/trade.md, section 9, calls minutes to seconds.
HOLDS_SECONDS, CYCLE_SECONDS, OPEN_SECONDS = 170.0, 150.0, 45.0
# Without any air a strip's limit opens within a minute. Chosen.
AIRLESS_SECONDS = 50.0
SLOW_FACTOR = 2.6
INSTANT = 1e-6
# A meter's low-impedance mode (docs/trade.md, section 3).
LOW_IMPEDANCE_OHMS = 3_000.0
# A unit moves some forty times in ten minutes; more within one instant is a relay that never rests.
MOST_TURNS = 60
# Half of what it should be, and less air than a ton wants where the filter is full.
WEAK_CAPACITOR_SHARE, LITTLE_AIR_SHARE = 0.55, 0.45
HEAT = frozenset({"W", "W2"})
USUAL_CAPACITOR_MICROFARADS = 5.0


class World:
    """The unit as it really is.

    `seconds` is the practice clock; `off` the feeds that are open, each with the device it was opened at.
    """

    def __init__(self, case: Case) -> None:
        self.case, self.plate = case, case.plate
        self.seconds = 0.0
        self.off: dict[str, str] = {}
        self.control = "from unit"
        self.calls: dict[str, float] = {}
        self.bypassed = False
        self.faults: list[Fault] = list(case.faults)
        self.latched: set[str] = set()
        self.airless: frozenset[str] = frozenset()
        self._airless_since = math.inf
        late = {fault.part: SLOW_FACTOR for fault in case.faults if fault.shows == "late"}
        self.running = Running(case.plate, place_in_window=case.place_in_window, slowness=late)
        self.settled = self._rest()

    # What is done to it.

    def set_feed(self, feed: str, device: str) -> None:
        """Open a feed at a device, or close it again where `device` is empty; a tripped breaker is reset by that."""
        if device:
            self.off[feed] = device
        else:
            self.off.pop(feed, None)
            contacts = wire(self.plate).contacts
            self.latched -= {c.id for c in contacts if c.is_breaker and (c.owner == feed or c.moved_by[1] == feed)}
            self.latched -= {c.id for c in contacts if c.is_breaker and c.moved_by[0] != "feed"}
        self._changed()

    def set_control(self, state: str) -> None:
        """Feed the control side from the unit, from a separate source, or not."""
        self.control = state
        self._changed()

    def set_call(self, call: str, *, is_on: bool) -> None:
        """Switch one of the thermostat's calls."""
        if is_on:
            self.calls.setdefault(call, self.seconds)
        else:
            self.calls.pop(call, None)
        self._changed()

    def set_bypassed(self, *, is_bypassed: bool) -> None:
        """Take the thermostat's conductors off and jump the calls, or put them back."""
        self.bypassed = is_bypassed
        self._changed()

    def repair(self, part: str) -> bool:
        """Repair or replace a part; tell whether anything hidden was in it."""
        own = [fault for fault in self.faults if fault.mended[0] == part]
        self.faults = [fault for fault in self.faults if fault not in own]
        if part == FUSE or takes_fuse_along([*own, fault_by_id(self.plate, "fuse.open")] if own else []):
            self.latched -= {c.id for c in wire(self.plate).contacts if c.moved_by[0] == "fuse"}
        self._changed()
        return bool(own)

    def wait(self, seconds: float) -> None:
        """Let the clock run.

        Raises:
            ReadingError: Time does not run backwards, and nobody waits longer than a day.
        """
        if not 0 <= seconds <= 86_400:
            raise ReadingError(f"expected 0 to 86,400 s, got {seconds:g}", field="seconds")
        until = self.seconds + seconds
        while True:
            due = min(self.running.due(), self._own_due())
            if due > until:
                break
            self.seconds = max(self.seconds, due)
            self.running.move(self.seconds)
            self._changed()
        self.seconds = until
        self.running.seconds = until

    # What follows.

    def _called_seconds(self, fault: Fault | None = None) -> float:
        """Return for how long what brings a fault out has been called [s]; below nought while nothing does.

        Limits and breakers want heat; a delay board that comes and goes does so under any call.
        """
        wants_heat = fault is None or fault.kind != "blower"
        began = [since for call, since in self.calls.items() if not wants_heat or call in HEAT]
        return self.seconds - min(began) if began else -1.0

    def _is_there(self, fault: Fault) -> bool:
        """Tell whether a fault shows at this moment."""
        # A moment that has come is never missed by the last bit of a float.
        phase = self._called_seconds(fault) - HOLDS_SECONDS + INSTANT
        if fault.shows == "now and then":
            return phase >= 0 and phase % CYCLE_SECONDS < OPEN_SECONDS
        if fault.shows == "trips" and fault.usual.trips_at:
            return phase >= 0
        return fault.shows != "late"

    def _own_due(self) -> float:
        """Return when the next thing moves that is no disc."""
        due = [math.inf]
        for fault in self.faults:
            called = self._called_seconds(fault)
            if called < 0 or fault.shows not in ("now and then", "trips"):
                continue
            if called < HOLDS_SECONDS - INSTANT:
                due.append(self.seconds - called + HOLDS_SECONDS)
            elif fault.shows == "now and then":
                phase = (called - HOLDS_SECONDS + INSTANT) % CYCLE_SECONDS
                due.append(self.seconds + (OPEN_SECONDS if phase < OPEN_SECONDS else CYCLE_SECONDS) - phase)
        if self._airless_since < math.inf:
            due.append(self._airless_since + (OPEN_SECONDS if self.airless else AIRLESS_SECONDS))
        # Never this very moment again, however the floats fall: the clock has to go on.
        return max(min(due), self.seconds + INSTANT)

    def _changes(self) -> Changes:
        found = Changes(supply=self.case.supply_ratio)
        for fault in self.faults:
            change = self.case.change_of(fault)
            if self._is_there(fault):
                found = found | change
            elif fault.shows == "now and then":
                # Little air opens limits now and then, and slows what the blower draws all the while.
                found = found | replace(change, forced={})
        held = dict.fromkeys(self.latched | self.airless, False)
        return found | Changes(forced=held)

    @property
    def drive(self) -> Drive:
        """What the circuit is fed and told."""
        opened = frozenset(feed for feed, device in self.off.items() if device == "disconnect")
        return Drive(
            calls=frozenset(self.calls),
            dead_feeds=frozenset(self.off) - opened,
            has_control=self.control == "from unit",
            bypassed=self.bypassed,
            separate=self.control == "separate source",
            opened=opened,
        )

    def _rest(self) -> Solution:
        for _ in range(MOST_TURNS):
            self.running.drive, self.running.changes = self.drive, self._changes()
            settled = self.running.rest()
            contacts = settled.variants.circuit.contacts
            tripped = {contacts[i].id for i in range(len(contacts)) if settled.tripped[0, i]}
            if tripped <= self.latched:
                break
            # What has tripped stays so: the circuit is another one from here on.
            self.latched |= tripped
        return settled

    def _changed(self) -> None:
        self.running.seconds = self.seconds
        self.settled = self._rest()
        if self._airless_since < math.inf and self.seconds >= self._airless_since + (
            OPEN_SECONDS if self.airless else AIRLESS_SECONDS
        ):
            self.airless = frozenset() if self.airless else self._hot_limits()
            self._airless_since = self.seconds
            self.settled = self._rest()
        if not self.airless:
            hot = self._hot_limits()
            self._airless_since = min(self._airless_since, self.seconds) if hot else math.inf

    def _hot_limits(self) -> frozenset[str]:
        """Return the limits of strips that heat without air now."""
        if self._called_seconds() < 0 and not any(self.amps(c.id) > 1.0 for c in self.plate.circuits):
            return frozenset()
        opened = settle(self.settled.variants, replace(self.drive, limits_open=True), start=self.settled)
        contacts = opened.variants.circuit.contacts
        return frozenset(contacts[i].id for i in range(len(contacts)) if opened.airless[0, i])

    # What can be perceived.

    def amps(self, *conductors: str) -> float:
        """Return what a clamp around conductors really carries [A]."""
        return float(read_amps(self.settled, *(amps_at(name) for name in conductors))[0])

    @property
    def blower_runs(self) -> bool:
        """True while the wheel moves air."""
        return self.plate.blower.runs_at(self.amps("blower"))

    @property
    def glowing(self) -> tuple[str, ...]:
        """The strips that glow: what an eye at the cabinet sees."""
        return tuple(c.id for c in self.plate.circuits if self.amps(c.id) > 3.0)

    @property
    def chatters(self) -> bool:
        """True while a relay never rests: it is heard."""
        return bool(self.settled.chatters[0])

    @property
    def closed(self) -> frozenset[str]:
        """The contacts that are closed."""
        contacts = self.settled.variants.circuit.contacts
        return frozenset(contact.id for i, contact in enumerate(contacts) if self.settled.states[0, i])

    def is_live(self, *places: str) -> bool:
        """Tell whether a hand, or a meter set to ohms, would meet volts at any of these places."""
        dead = DEFAULT_LIMITS.number("dead_volts")
        terminals = wire(self.plate).terminals
        return any(
            float(read_volts(self.settled, place, "ground", meter_ohms=LOW_IMPEDANCE_OHMS)[0][0]) >= dead
            for place in places
            if place in terminals
        )

    def read(self, point: str, *, mode: Mode = "", hand: Hand = "") -> float:
        """Return what a point really shows, in its base unit; `OPEN_OHMS` for open. The display is another matter.

        Raises:
            ReadingError: The unit has no such place or part.
        """
        spot = spot_of(point)
        if spot.conductors:
            return self.amps(*spot.conductors)
        if spot.is_volts and len(spot.places) == 2:
            meter = LOW_IMPEDANCE_OHMS if mode == "low impedance" else METER_OHMS
            return float(read_volts(self.settled, *spot.places, function=spot.function, meter_ohms=meter)[0][0])
        if spot.is_ohms and spot.part:
            separate = self.settled if self.control == "separate source" else None
            return float(part_ohms(self._cold, spot.part, hand=hand, separate=separate)[0])
        if spot.is_ohms:
            return float(circuit_ohms(self._cold, dead_ohms(self._cold), *spot.places)[0])
        if spot.function == "microfarads":
            label = self.plate.blower.capacitor_microfarads or USUAL_CAPACITOR_MICROFARADS
            weak = any(fault.id.endswith("weak-capacitor") for fault in self.faults)
            return label * (WEAK_CAPACITOR_SHARE if weak else 1.0)
        if spot.function == "degf":
            return self._degrees(spot.places[0])
        raise ReadingError(f"no meter reads {point[:80]!r}", field="point")

    @property
    def _cold(self) -> Variants:
        """The circuit to an ohmmeter: every disc cold, every limit closed again."""
        held: Mapping[str, bool] = dict.fromkeys(self.latched, False)
        changes = Changes(supply=self.case.supply_ratio)
        for fault in self.faults:
            if fault.shows in ("always", "until-set") or (not fault.usual.trips_at and fault.shows == "trips"):
                changes = changes | self.case.change_of(fault)
        return Variants(wire(self.plate), [changes | Changes(forced=held)])

    def _degrees(self, side: str) -> float:
        indoors = self.case.indoor_degf if self.case.indoor_degf is not None else 68.0
        if side == "return":
            return indoors
        feed = self.plate.feed_of(self.plate.transformer.supplied_by)
        strips = {c.id: self.amps(c.id) for c in self.plate.circuits}
        watts = watts_in_airstream(self.plate, self.read(line_volts(feed)), strips, self.amps("blower"))
        if not self.blower_runs or watts < 1.0:
            return indoors
        little = any(fault.part == "air" or place_of(fault.id).part == "hub" for fault in self.faults)
        share = LITTLE_AIR_SHARE if little else 1.0
        airflow = 400.0 * (self.plate.tons or 3.0) * share
        return indoors + expected_rise_degf(watts, airflow, air_factor(0.0, indoors + 10.0))
