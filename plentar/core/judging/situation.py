"""A unit with everything read on it: what a judgement may look at beside the reading itself.

A reading is held against others that saw the unit in the same state, or against what stood before it. So a verdict
never changes by readings of another condition that come later.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from plentar.core.evidence.reading import Reading, last
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate
from plentar.core.unit.place import amps_at, line_volts

__all__ = ["Situation", "changed", "kilowatts"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Situation:
    """A unit and the readings that stand on it, oldest first."""

    plate: Nameplate
    readings: Sequence[Reading] = ()
    limits: Limits = DEFAULT_LIMITS

    def alike(self, point: str, reading: Reading) -> Reading | None:
        """Return the newest reading at a point under the same state of the unit."""
        return last(self.readings, point, alike=reading.condition)

    def before(self, reading: Reading, fits: Callable[[Reading], bool]) -> Reading | None:
        """Return the newest fitting reading taken before another; before all is the end for one not kept yet."""
        # Found by being the same object, since an equal reading may stand elsewhere; one not kept yet comes after all.
        end = len(self.readings)
        for index in range(end - 1, -1, -1):
            if self.readings[index] is reading:
                end = index
                break
        return next((r for r in reversed(self.readings[:end]) if fits(r)), None)

    def supply(self, supplied_by: str, reading: Reading) -> Reading | None:
        """Return the line volts that belong to a reading: found under its calls, else before it with the feed live."""
        feed = self.plate.feed_of(supplied_by)
        point = line_volts(feed)
        # The same state first, then the same supply and heat, then any volts of a live feed: each worse, none wrong.
        exact = self.alike(point, reading)
        if exact is not None:
            return exact
        found = self.before(
            reading,
            lambda r: (
                r.point == point
                and r.condition.supply == reading.condition.supply
                and r.condition.heat == reading.condition.heat
            ),
        )
        return found or self.before(reading, lambda r: r.point == point and r.condition.feed_state(feed) == "live")

    def carries_current(self, circuit: HeatingCircuit, reading: Reading) -> Reading | None:
        """Return the amps a circuit drew in the state a reading was taken in; None when nobody clamped it."""
        point = amps_at(circuit.id)
        return self.alike(point, reading) or self.before(
            reading,
            lambda r: (
                r.point == point
                and r.condition.supply == reading.condition.supply
                and r.condition.heat == reading.condition.heat
            ),
        )


def changed(verdict: Verdict, result: Grade, kind: str, because: Text, next_step: Text = "", **more: object) -> Verdict:
    """Return a verdict with its grade, kind and words set, and anything else named."""
    return replace(verdict, grade=result, kind=kind, because=because, next_step=next_step, **more)  # type: ignore[arg-type]


def kilowatts(circuit: HeatingCircuit) -> Text:
    """Return a circuit's rating as it is said: `5 kW, 240 V`."""
    return message("situation.kw-v", rated_watts=circuit.rated_watts / 1000, rated_volts=circuit.rated_volts)
