"""Readings as evidence: where, what, under which condition, and how far the meter can be trusted."""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from plentar.core.errors import ReadingError
from plentar.core.message import Text, joined, message
from plentar.core.unit.place import spot_of
from plentar.core.unit.quantities import QUANTITIES

__all__ = ["Condition", "ControlState", "FeedState", "Hand", "Mode", "Reading", "last", "standing"]

FeedState = Literal["live", "off", "proven dead"]
ControlState = Literal["from unit", "separate source", "off", "proven dead"]
# A part out of the unit, at rest or with its coil driven from a bench source.
Hand = Literal["", "at rest", "driven"]
Mode = Literal["", "low impedance"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Condition:
    """What the unit was told and fed while a reading was taken.

    `feeds` pairs each feed's id with its state. `calls` pairs each call that is on with the seconds it had been on,
    None where nobody kept the clock. `seconds_since_change` runs from the last change of any of them. `bypassed`: the
    thermostat's conductors are off, and calls are made by jumpers at the board. `in_hand`: the part measured was out of
    the unit, so that nothing of the unit mattered. `opened` pairs a feed that is off with the device it was opened at.
    """

    feeds: tuple[tuple[str, FeedState], ...] = ()
    control: ControlState = "from unit"
    calls: tuple[tuple[str, float | None], ...] = ()
    seconds_since_change: float | None = None
    bypassed: bool = False
    in_hand: Hand = ""
    opened: tuple[tuple[str, str], ...] = ()

    def is_called(self, call: str) -> bool:
        """Tell whether a thermostat call is on."""
        return any(name == call for name, _ in self.calls)

    def call_seconds(self, call: str) -> float | None:
        """Return how long a call had been on [s]; None when it is off or nobody knows."""
        return next((seconds for name, seconds in self.calls if name == call), None)

    def seconds_to(self, later: "Condition") -> list[float]:
        """Return what passed until another condition by the clock of each call that is on in both [s]."""
        both = [(self.call_seconds(call), later.call_seconds(call)) for call in self.on & later.on]
        return [late - early for early, late in both if early is not None and late is not None]

    def feed_state(self, feed_id: str) -> FeedState:
        """Return the state of a feed; a feed that is not mentioned is live."""
        return next((state for name, state in self.feeds if name == feed_id), "live")

    def opened_at(self, feed_id: str) -> str:
        """Return the device a feed was opened at, or nothing where that is not known."""
        return next((device for name, device in self.opened if name == feed_id), "")

    @property
    def on(self) -> frozenset[str]:
        """The calls that are on."""
        return frozenset(name for name, _ in self.calls)

    @property
    def heat(self) -> frozenset[str]:
        """The heat calls that are on."""
        return self.on & {"W", "W2"}

    @property
    def feeds_are_dead(self) -> bool:
        """True when every feed named, at least one, has been proven dead."""
        return bool(self.feeds) and all(state == "proven dead" for _, state in self.feeds)

    @property
    def is_proven_dead(self) -> bool:
        """True when every feed named, at least one, and the control side have been proven dead."""
        return self.feeds_are_dead and self.control == "proven dead"

    @property
    def feeds_live(self) -> bool:
        """True while any feed is live; a condition that names none is one of a unit with power on."""
        return not self.feeds or any(state == "live" for _, state in self.feeds)

    @property
    def supply(self) -> tuple[object, ...]:
        """What feeds the unit, as a reading sees it: which feeds are live, and where the control volts come from."""
        live = frozenset(name for name, state in self.feeds if state != "live")
        return (live, self.control in ("from unit", "separate source"), self.control == "separate source", self.in_hand)

    @property
    def state(self) -> tuple[object, ...]:
        """What two readings must share to have seen the unit in one state: supply, calls, who makes the calls."""
        return (*self.supply, self.on, self.bypassed)

    @property
    def spoken(self) -> Text:
        """The condition in a few words, as it is printed beside a reading."""
        if self.in_hand:
            return message("reading.hand-coil-driven") if self.in_hand == "driven" else message("reading.in-the-hand")
        on: Text = message("reading.no-call")
        if self.calls:
            names = joined(name for name, _ in self.calls)
            on = message("reading.jumpered", calls=names) if self.bypassed else message("reading.called", calls=names)
        dead = [name for name, state in self.feeds if state != "live"]
        if self.feeds and len(dead) == len(self.feeds):
            if self.feeds_are_dead and self.control == "separate source":
                return message("reading.feeds-proven-dead-from-separate", on=on)
            return (
                message("reading.power-off-proven-dead")
                if self.is_proven_dead
                else message("reading.power-off-not-proven")
            )
        feeds = joined(name.replace("-", " ") for name in dead)
        return message("reading.off", on=on, feeds=feeds) if dead else on


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """One value at one point, of any quantity.

    `point` names function and place: `volts:feed-1.l1:feed-1.l2`, `amps:strip-a`, `microfarads:blower.capacitor`.
    `value` is in the base unit of the function (V, A, ohm, µF, °F). `meter_uncertainty` is a half-width in the same
    unit; `counts_uncertainty` what is left of it between readings of one meter on one range. `mode` is the meter's
    low-impedance mode where that was used; `meter` which meter.
    """

    point: str
    value: float
    condition: Condition
    meter_uncertainty: float = 0.0
    counts_uncertainty: float = 0.0
    mode: Mode = ""
    meter: str = ""

    def __post_init__(self) -> None:
        if not math.isfinite(self.value):
            raise ReadingError(f"expected a number at {self.point}, got {self.value}", field="value")
        if self.value < 0 and not (self.function in QUANTITIES and QUANTITIES[self.function].may_be_negative):
            raise ReadingError(f"expected zero or more at {self.point}, got {self.value}", field="value")
        if abs(self.value) >= 1e9:
            raise ReadingError(f"no meter reads {self.value:g} at {self.point}", field="value")

    @property
    def function(self) -> str:
        """The meter function: the part of the point before the first colon."""
        return spot_of(self.point).function


def standing(readings: Iterable[Reading]) -> Mapping[str, Reading]:
    """Return the newest reading of each point; readings come oldest first."""
    return {reading.point: reading for reading in readings}


def last(readings: Sequence[Reading], point: str, *, alike: Condition) -> Reading | None:
    """Return the newest reading at a point that saw the unit in the same state; None where there is none.

    Args:
        readings: What stands, oldest first.
        point: Function and place.
        alike: The condition the reading must share: which feeds are live, what feeds the control side, which calls
            are on.
    """
    wanted = alike.state
    return next((r for r in reversed(readings) if r.point == point and r.condition.state == wanted), None)
