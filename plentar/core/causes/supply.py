"""Measured over predicted supply, feed by feed, for each hypothesis; and how likely a service stands there."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.hypotheses import UnitModel
from plentar.core.circuit.drive import drives_of
from plentar.core.evidence.reading import Reading
from plentar.core.limits.table import Limits
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import Place, line_volts, place_of, spot_of

__all__ = ["Supply", "feed_at", "supply_of"]

Floats = NDArray[np.float64]
# Services keep within a few percent of nominal: what passes (docs/trade.md, section 3: ±5 %) is taken as two standard
# deviations. What lies further off is more likely a fault of the supply than a weak day.
SERVICE_SHARE = 0.025
# Beyond this it is not the same supply but a pole that is lost, or another reading.
LEAST_RATIO, MOST_RATIO = 0.8, 1.2
# Below 60 % a pole is lost: that is a fault to be found, no supply to scale by.
LOST_SHARE = 0.6


@dataclass(frozen=True, slots=True, kw_only=True)
class Supply:
    """Each feed's supply as read, over what each hypothesis predicts of it; empty before any was."""

    plate: Nameplate
    by_feed: Mapping[str, Floats]
    count: int

    @property
    def is_known(self) -> bool:
        """True once any feed's volts were read."""
        return bool(self.by_feed)

    def at(self, point: str) -> Floats:
        """Return the ratio that holds at a point, by its feed; a feed nobody read goes by one that was."""
        found = self.by_feed.get(feed_at(self.plate, point))
        if found is None:
            found = next(iter(self.by_feed.values()), np.ones(self.count))
        return found

    @property
    def log_likelihood(self) -> Floats:
        """Return how well each hypothesis's own supply agrees with what services give, as natural logarithms."""
        logs = np.zeros(self.count)
        for ratio in self.by_feed.values():
            logs = np.maximum(logs, 0.5 * ((ratio - 1) / SERVICE_SHARE) ** 2)
        return -logs


@lru_cache(maxsize=1024)
def feed_at(plate: Nameplate, point: str) -> str:
    """Return the feed a point hangs on; the control side by its transformer.

    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> unit = PATTERNS["three-strip-dc-relay"]()
        >>> feed_at(unit, "amps:strip-c"), feed_at(unit, "volts:board.w:board.c")
        ('feed-2', 'feed-1')
    """
    spot = spot_of(point)
    for place in map(place_of, (*spot.conductors, *spot.places)):
        found = _own_feed(plate, place)
        if found:
            return found
    return plate.feed_of(plate.transformer.supplied_by)


def _own_feed(plate: Nameplate, place: Place) -> str:
    if place.owner == "blower":
        return plate.feed_of(plate.blower.supplied_by)
    for feed in plate.feeds:
        if place.owner == feed.id:
            return feed.id
    for branch in plate.branches:
        if place.owner == branch.id:
            return branch.feed
    for strip in plate.circuits:
        is_pole = place.owner == strip.device and place.part in {f"pole-{number}" for number in strip.poles}
        if place.owner == strip.id or is_pole:
            return plate.feed_of(strip.supplied_by)
    return ""


def supply_of(model: UnitModel, readings: Sequence[Reading], limits: Limits) -> Supply:
    """Return the supply by the newest reading of each feed.

    Source:
        docs/trade.md, section 2: never compare with rated-voltage amps where the supply is not at rated voltage.
    """
    plate, count = model.plate, len(model.hypotheses)
    feeds = {line_volts(feed.id): feed.id for feed in plate.feeds}
    ratios: dict[str, Floats] = {}
    for reading in readings:
        if reading.point not in feeds or reading.value <= LOST_SHARE * plate.nominal_volts:
            continue
        drive = drives_of(plate, reading.condition, limits)[0][0]
        # Each hypothesis sags the supply in its own way, so each has its own ratio.
        found = reading.value / np.maximum(model.predict(reading.point, drive).shown, 1.0)
        before = ratios.get(feeds[reading.point], np.ones(count))
        ratios[feeds[reading.point]] = np.where((found > LEAST_RATIO) & (found < MOST_RATIO), found, before)
    return Supply(plate=plate, by_feed=ratios, count=count)
