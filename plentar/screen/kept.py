"""Readings as a page shows them: each with its verdict in the light of what stands now, and its band rail."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from plentar.core.evidence.reading import Condition
from plentar.core.limits.verdicts import Verdict
from plentar.core.unit.points import Point
from plentar.core.visit import Visit
from plentar.core.visit_results import Judged
from plentar.screen.drawings.band_rail import BandRail, band_rail

__all__ = ["Kept", "KeptReadings"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """A reading as kept, with its verdict in the light of what stands now and its rail."""

    judged: Judged
    rail: BandRail

    @property
    def id(self) -> str:
        """The event's id."""
        return self.judged.taken.id

    @property
    def value(self) -> float:
        """What was read."""
        return self.judged.reading.value

    @property
    def meter_uncertainty(self) -> float:
        """The meter's half-width."""
        return self.judged.reading.meter_uncertainty

    @property
    def point(self) -> Point:
        """Where."""
        return self.judged.point

    @property
    def verdict(self) -> Verdict:
        """What it is worth."""
        return self.judged.verdict

    @property
    def condition(self) -> Condition:
        """Under what."""
        return self.judged.reading.condition

    @property
    def meter(self) -> str:
        """The id of the meter it was read with."""
        return self.judged.reading.meter

    @property
    def calibrated_on(self) -> str:
        """The day that meter had been calibrated when it was read, as ISO 8601; nothing where nobody said."""
        return self.judged.taken.action.calibrated_on

    @property
    def mode(self) -> str:
        """The meter's mode."""
        return self.judged.reading.mode

    @property
    def at(self) -> float:
        """When it was taken [s since 1970]."""
        return self.judged.taken.event.done_at

    @property
    def by(self) -> str:
        """Who took it."""
        return self.judged.taken.event.by

    @property
    def reason(self) -> str:
        """Why it corrects another."""
        return self.judged.taken.action.reason

    @property
    def is_superseded(self) -> bool:
        """True when it counts no more."""
        return self.judged.is_superseded


class KeptReadings:
    """The readings of a call; the rail of each is drawn once."""

    def __init__(self, visit: Visit) -> None:
        self._visit = visit
        self._made: dict[str, Kept] = {}

    def _of(self, judged: Judged) -> Kept:
        if judged.taken.id not in self._made:
            self._made[judged.taken.id] = Kept(judged=judged, rail=band_rail(judged.verdict))
        return self._made[judged.taken.id]

    @cached_property
    def all(self) -> list[Kept]:
        """Every reading, oldest first."""
        return [self._of(judged) for judged in self._visit.judged]

    @cached_property
    def latest(self) -> Mapping[str, Kept]:
        """The newest standing reading of each point."""
        return {point: self._of(judged) for point, judged in self._visit.latest.items()}

    @cached_property
    def last(self) -> Kept | None:
        """The reading that was kept last."""
        last = max(self._visit.standing, key=lambda entry: entry.event.seq, default=None)
        return self._of(self._visit.judged_one(last)) if last is not None else None

    def at_point(self, point: str) -> list[Kept]:
        """Return the last few readings taken at a point, newest first."""
        return [self._of(judged) for judged in self._visit.at_point(point)]
