"""The circuit in time: sequencer heaters warm their discs, delays run out, motors start, and each moment is solved.

Event-driven: between two movements nothing changes, so only the moments at which something moves are solved.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from plentar.core.circuit.changes import Changes
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.probe import read_amps
from plentar.core.circuit.solve import Solution, Variants, settle
from plentar.core.circuit.wiring import wire
from plentar.core.errors import ReadingError
from plentar.core.limits.windows import own_windows
from plentar.core.unit.nameplate import Nameplate, Pole

__all__ = ["INRUSH_RATIO", "INRUSH_SECONDS", "Moment", "Running", "play"]

# A PSC motor draws several times its running amps while it comes up to speed.
INRUSH_RATIO, INRUSH_SECONDS = 4.0, 0.6
# A call of ten stages moves some forty times; more is a relay that never rests.
MAX_MOMENTS = 400


@dataclass(frozen=True, slots=True, kw_only=True)
class Moment:
    """From `at_seconds` on, until the next moment: what each clamp reads and which contacts are closed.

    `inrush_amps` is what the blower's clamp shows for an instant when the motor has just been switched on, else 0.
    """

    at_seconds: float
    calls: frozenset[str]
    amps: Mapping[str, float]
    closed: frozenset[str]
    inrush_amps: float


@dataclass(slots=True)
class _Thermal:
    """One disc: the seconds it takes each way, and since when its heater has been on or off."""

    contact: str
    device: str
    on_seconds: float
    off_seconds: float
    is_closed: bool = False
    inverted: bool = False
    heated: bool = False
    since_seconds: float = -1e9

    def due(self) -> float:
        """Return when it will move next; infinity when it is where it belongs."""
        if self.heated == self.is_closed:
            return float("inf")
        return self.since_seconds + (self.on_seconds if self.heated else self.off_seconds)


def play(
    plate: Nameplate,
    calls: Sequence[tuple[float, frozenset[str]]],
    until_seconds: float,
    *,
    changes: Changes | None = None,
    disturbances: Sequence[tuple[float, Changes]] = (),
    place_in_window: float = 0.5,
    slowness: Mapping[str, float] | None = None,
) -> list[Moment]:
    """Return every moment at which something moves.

    Args:
        plate: The unit, cold at second 0.
        calls: Moments at which the thermostat's calls change, with the calls from then on; rising [s].
        until_seconds: When to stop [s].
        changes: What is wrong with the circuit all the time.
        disturbances: Moments at which something else becomes wrong, or right again, rising [s].
        place_in_window: Where in its window each pole moves, 0 for the minimum, 1 for the maximum.
        slowness: Factor on the times of a device or of one of its contacts, for slow ones; 1 where not named.
    Raises:
        ReadingError: The calls do not rise in time.
    Source:
        docs/trade.md, section 1, thermal sequencers, and section 3, pole times.
    """
    if any(later[0] < earlier[0] for earlier, later in pairwise(calls)):
        raise ReadingError(f"calls must rise in time, got {[at for at, _ in calls]}", field="calls")
    running = Running(plate, changes=changes, place_in_window=place_in_window, slowness=slowness)
    pending, upsets = list(calls), list(disturbances)
    moments: list[Moment] = []
    had_air = False
    while running.seconds <= until_seconds and len(moments) < MAX_MOMENTS:
        while pending and pending[0][0] <= running.seconds:
            running.drive = Drive(calls=pending.pop(0)[1])
        while upsets and upsets[0][0] <= running.seconds:
            running.changes = (changes or Changes()) | upsets.pop(0)[1]
        # Between two moments nothing moves, so each is one settled circuit.
        settled = running.rest()
        moments.append(_moment(settled, running.seconds, running.drive.calls, had_air))
        had_air = plate.blower.runs_at(moments[-1].amps["blower"])
        # Whatever comes first: a disc, a call, a disturbance.
        due = min([running.due(), *(at for at, _ in (*pending[:1], *upsets[:1]))])
        if due > until_seconds:
            break
        running.move(due)
    return _distinct(moments)


class Running:
    """A unit in time: where its discs stand, what it is fed and told, what is wrong with it.

    Whoever changes `drive` or `changes` calls `rest` before time goes on; `move` lets the next disc move.
    """

    def __init__(
        self,
        plate: Nameplate,
        *,
        changes: Changes | None = None,
        place_in_window: float = 0.5,
        slowness: Mapping[str, float] | None = None,
    ) -> None:
        self.plate, self.changes = plate, changes or Changes()
        self.discs = _discs(plate, place_in_window, slowness or {})
        self.drive = Drive()
        self.seconds = 0.0

    def rest(self) -> Solution:
        """Return the circuit settled with every disc where it is, each disc's own clock set by its heater.

        What is held by a fault stays held, whatever its disc does.
        """
        held = Changes(forced={disc.contact: disc.is_closed != disc.inverted for disc in self.discs})
        settled = settle(Variants(wire(self.plate), [held | self.changes]), self.drive)
        for disc in self.discs:
            a, b, pull_volts = wire(self.plate).coils[disc.device]
            works = settled.variants.coil_works[0, settled.variants.devices[disc.device]]
            heated = bool(works and np.abs(settled.at(a) - settled.at(b))[0] >= pull_volts)
            # Its own clock starts anew each time its heater comes or goes.
            if heated != disc.heated:
                disc.heated, disc.since_seconds = heated, self.seconds
        return settled

    def due(self) -> float:
        """Return when the next disc moves [s]; infinity while all are where they belong."""
        return min((disc.due() for disc in self.discs), default=float("inf"))

    def move(self, at_seconds: float) -> None:
        """Let time go on to a moment, and what is due by then move."""
        self.seconds = max(self.seconds, at_seconds)
        for disc in self.discs:
            if disc.due() <= self.seconds:
                disc.is_closed = disc.heated


def _discs(plate: Nameplate, place: float, slowness: Mapping[str, float]) -> list[_Thermal]:
    discs = []
    for device in plate.devices:
        if not device.of_kind.is_thermal:
            continue
        poles: list[tuple[str, Pole]] = [(f"{device.id}.pole-{pole.number}", pole) for pole in device.poles]
        if device.auxiliary is not None:
            poles.append((f"{device.id}.auxiliary", device.auxiliary))
        for name, pole in poles:
            factor = slowness.get(name, slowness.get(device.id, 1.0))
            times = [
                factor * (window.min_seconds + place * (window.max_seconds - window.min_seconds))
                for window in own_windows(device.of_kind, pole)
            ]
            discs.append(_Thermal(name, device.id, times[0], times[1]))
    relay = plate.blower.relay
    if relay is not None and (relay.on_delay_seconds or relay.off_delay_seconds):
        # A time-delay board moves its contacts a while after its coil is told.
        for index in range(len(relay.contacts)):
            suffix = "" if index == 0 else f"-{index + 1}"
            for name in ("no", "nc"):
                contact = f"{relay.id}.{name}{suffix}"
                delays = (relay.on_delay_seconds, relay.off_delay_seconds)
                discs.append(_Thermal(contact, relay.id, *delays, inverted=name == "nc"))
    known = {contact.id for contact in wire(plate).contacts}
    return [disc for disc in discs if disc.contact in known]


def _moment(settled: Solution, now: float, calls: frozenset[str], had_air: bool) -> Moment:
    circuit = settled.variants.circuit
    amps = {clamp.place: float(read_amps(settled, clamp.id)[0]) for clamp in circuit.clamps}
    starts = not had_air and amps["blower"] > 0.5
    return Moment(
        at_seconds=now,
        calls=calls,
        amps=amps,
        closed=frozenset(contact.id for i, contact in enumerate(circuit.contacts) if settled.states[0, i]),
        inrush_amps=INRUSH_RATIO * amps["blower"] if starts else 0.0,
    )


def _distinct(moments: Sequence[Moment]) -> list[Moment]:
    """Return the moments without those in which nothing moved."""
    kept: list[Moment] = []
    for moment in moments:
        if not kept or (moment.closed, moment.calls) != (kept[-1].closed, kept[-1].calls):
            kept.append(moment)
    return kept
