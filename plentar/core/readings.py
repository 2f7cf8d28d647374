"""Readings as evidence: where, what, under which condition, and how far the meter can be trusted."""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

from plentar.core.errors import ReadingError

__all__ = ["Condition", "ControlState", "FeedState", "Reading", "standing"]

FeedState = Literal["live", "off", "proven dead"]
ControlState = Literal["from unit", "separate source", "off", "proven dead"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Condition:
    """What the unit was told and fed while a reading was taken.

    `feeds` pairs each feed's id with its state. `calls` pairs each call that is on with the seconds it had been on,
    None where nobody kept the clock. `seconds_since_change` runs from the last change of any of them. `bypassed`: the
    thermostat's conductors are off, and calls are made by jumpers at the board.
    """

    feeds: tuple[tuple[str, FeedState], ...] = ()
    control: ControlState = "from unit"
    calls: tuple[tuple[str, float | None], ...] = ()
    seconds_since_change: float | None = None
    bypassed: bool = False

    def is_called(self, call: str) -> bool:
        """Tell whether a thermostat call is on."""
        return any(name == call for name, _ in self.calls)

    def call_seconds(self, call: str) -> float | None:
        """Return how long a call had been on [s]; None when it is off or nobody knows."""
        return next((seconds for name, seconds in self.calls if name == call), None)

    def feed_state(self, feed_id: str) -> FeedState:
        """Return the state of a feed; a feed that is not mentioned is live."""
        return next((state for name, state in self.feeds if name == feed_id), "live")

    @property
    def is_proven_dead(self) -> bool:
        """True when every feed named, at least one, and the control side have been proven dead."""
        return bool(self.feeds) and self.control == "proven dead" and all(s == "proven dead" for _, s in self.feeds)

    @property
    def spoken(self) -> str:
        """The condition in a few words, as it is printed beside a reading."""
        on = " and ".join(name for name, _ in self.calls)
        how = "jumpered" if self.bypassed else "called"
        on = f"{on} {how}" if on else "no call"
        dead = [name for name, state in self.feeds if state != "live"]
        if self.feeds and len(dead) == len(self.feeds):
            return "power off, proven dead" if self.is_proven_dead else "power off"
        return f"{on}, {' and '.join(dead)} off" if dead else on


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """One value at one point.

    `point` names function and place: `volts:feed-1.l1:feed-1.l2`, `amps:strip-a`. `value` is in the base unit of
    the function (V, A, ohm). `meter_uncertainty` is a half-width in the same unit; `counts_uncertainty` what is left of
    it between readings of one meter on one range.
    """

    point: str
    value: float
    condition: Condition
    meter_uncertainty: float = 0.0
    counts_uncertainty: float = 0.0

    def __post_init__(self) -> None:
        if not math.isfinite(self.value):
            raise ReadingError(f"expected a number at {self.point}, got {self.value}", field="value")
        if self.value < 0:
            raise ReadingError(f"expected zero or more at {self.point}, got {self.value}", field="value")
        if abs(self.value) >= 1e9:
            raise ReadingError(f"no meter reads {self.value:g} at {self.point}", field="value")

    @property
    def function(self) -> str:
        """The meter function: the part of the point before the first colon."""
        return self.point.partition(":")[0]


def standing(readings: Iterable[Reading]) -> Mapping[str, Reading]:
    """Return the newest reading of each point; readings come oldest first."""
    return {reading.point: reading for reading in readings}
