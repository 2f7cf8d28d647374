"""A stand-in for a logging clamp meter: the circuit of a chosen unit in time, with a fault nobody told you.

The same seed gives the same log, so a stream can be asked for again and again and always continues itself.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from statistics import NormalDist

import numpy as np

from plentar.core.causes.fault import Fault
from plentar.core.causes.faults import fault_by_id
from plentar.core.circuit.changes import NO_CHANGE, Changes
from plentar.core.circuit.timeline import INRUSH_SECONDS, Moment, play
from plentar.core.errors import ReadingError
from plentar.core.unit.nameplate import Nameplate
from plentar.devices.meter import Samples

__all__ = ["SimulatedClamp"]

# How a limit cycles where air is short: heat to trip, then cool to close.
FIRST_TRIP_SECONDS, CYCLE_SECONDS, OPEN_SECONDS = 170.0, 150.0, 45.0
SLOW_FACTOR = 2.6
LONGEST_SECONDS = 4 * 3600.0


@dataclass(frozen=True, kw_only=True)
class SimulatedClamp:
    """A clamp around one conductor of a unit; heat is called at `called_seconds` and dropped at `dropped_seconds`.

    `noise_amps` is a standard deviation, `resolution_amps` the display's last digit, `dropouts` the share of samples
    lost, `volts_ratio` the supply found over nominal.
    """

    plate: Nameplate
    clamp: str
    faults: tuple[str, ...] = ()
    seed: int = 1
    hertz: float = 2.0
    noise_amps: float = 0.12
    resolution_amps: float = 0.1
    dropouts: float = 0.01
    volts_ratio: float = 0.99
    called_seconds: float = 5.0
    dropped_seconds: float = 420.0
    calls: frozenset[str] = frozenset({"W"})
    place_in_window: float | None = None
    name: str = field(default="Simulated logging clamp")

    def samples(self, until_seconds: float) -> Samples:
        """Return the log up to a moment.

        Raises:
            ReadingError: The unit has no such place for the clamp, or no such fault.
        """
        count = max(0, int(min(until_seconds, LONGEST_SECONDS) * self.hertz) + 1)
        seconds = np.arange(count) / self.hertz
        moments = self._moments
        if self.clamp not in moments[0].amps:
            raise ReadingError(f"this unit has no place {self.clamp!r} for a clamp", field="clamp")
        starts = np.array([moment.at_seconds for moment in moments])
        at = np.clip(np.searchsorted(starts, seconds, side="right") - 1, 0, None)
        amps = np.array([moment.amps[self.clamp] for moment in moments])[at] * self.volts_ratio
        if self.clamp == "blower" or self.clamp == self.plate.feed_of(self.plate.blower.supplied_by):
            for moment in moments:
                fresh = (seconds >= moment.at_seconds) & (seconds < moment.at_seconds + INRUSH_SECONDS)
                amps[fresh] += 0.75 * moment.inrush_amps
        # Drawn sample by sample from the start, so that a longer log begins with the shorter one.
        random = np.random.default_rng(self.seed)
        noise = random.standard_normal((count, 2))
        amps = np.maximum(amps + self.noise_amps * noise[:, 0], 0.0)
        amps = np.round(amps / self.resolution_amps) * self.resolution_amps
        lost = noise[:, 1] > _upper_normal(self.dropouts)
        return Samples(seconds=seconds, amps=np.where(lost, np.nan, amps))

    @cached_property
    def _moments(self) -> Sequence[Moment]:
        changes: Changes = NO_CHANGE
        slowness: dict[str, float] = {}
        upsets: list[tuple[float, Changes]] = []
        for fault_id in self.faults:
            fault = fault_by_id(self.plate, fault_id)
            if fault.shows == "late":
                slowness[fault.part] = SLOW_FACTOR
            elif fault.shows == "now and then":
                upsets += self._cycles(fault)
            elif fault.shows == "trips":
                upsets.append((self.called_seconds + FIRST_TRIP_SECONDS, fault.usual))
            else:
                changes = changes | fault.usual
        place = self.place_in_window
        if place is None:
            place = float(np.random.default_rng(self.seed).uniform(0.3, 0.9))
        calls = [
            (0.0, frozenset[str]()),
            (self.called_seconds, self.calls),
            (self.dropped_seconds, frozenset[str]()),
        ]
        return play(
            self.plate,
            calls,
            LONGEST_SECONDS,
            changes=changes,
            disturbances=sorted(upsets, key=lambda upset: upset[0]),
            place_in_window=place,
            slowness=slowness,
        )

    def _cycles(self, fault: Fault) -> list[tuple[float, Changes]]:
        found: list[tuple[float, Changes]] = []
        at = self.called_seconds + FIRST_TRIP_SECONDS
        while at < self.dropped_seconds:
            found += [(at, fault.usual), (at + OPEN_SECONDS, NO_CHANGE)]
            at += CYCLE_SECONDS
        return found

    def with_changes(self, **changes: object) -> "SimulatedClamp":
        """Return the same meter set otherwise."""
        return replace(self, **changes)  # type: ignore[arg-type]


def _upper_normal(share: float) -> float:
    """Return the value a standard normal exceeds with this probability."""
    return float("inf") if share <= 0 else -NormalDist().inv_cdf(share)
