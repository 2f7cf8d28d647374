"""Measured over predicted supply, feed by feed, for each hypothesis; and how likely a service stands there."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.hypotheses import UnitModel
from plentar.core.circuit.drive import drives_of
from plentar.core.circuit.spread import BLOWER_AGAIN_SHARE, blower_shares
from plentar.core.evidence.reading import Reading
from plentar.core.limits.table import Limits
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import Place, amps_at, line_volts, place_of, spot_of
from plentar.core.unit.points import is_control_side

__all__ = ["NORMAL_AREA", "Supply", "feed_at", "is_of_transformer", "supply_of"]

Floats = NDArray[np.float64]
# Services keep within a few percent of nominal: what passes (docs/trade.md, section 3: ±5 %) is taken as two standard
# deviations. What lies further off is more likely a fault of the supply than a weak day.
SERVICE_SHARE = 0.025
# How often a service lies outside that, whatever else is wrong: one call in ten. Chosen; a weak service by itself has
# the same share of the calls that find nothing else (`unit_faults`).
WEAK_SHARE = 0.1
# The area under a normal curve of height and width one: the square root of two pi.
NORMAL_AREA = 2.5066
# How far a transformer of any maker lies from the usual 27 V idle: 25 to 29 V (docs/trade.md, section 1), taken as two
# standard deviations. Below some volts what is read is a drop, not what it gives.
TRANSFORMER_SHARE, LEAST_CONTROL_VOLTS = 0.035, 15.0
# Beyond this it is not the same supply but a pole that is lost, or another reading.
LEAST_RATIO, MOST_RATIO = 0.8, 1.2
# Below 60 % a pole is lost: that is a fault to be found, no supply to scale by.
LOST_SHARE = 0.6


@dataclass(frozen=True, slots=True, kw_only=True)
class Supply:
    """Each feed's supply as read, over what each hypothesis predicts of it; empty before any was."""

    plate: Nameplate
    by_feed: Mapping[str, Floats]
    # Which hypotheses have something wrong besides the supply.
    is_fault: NDArray[np.bool_]
    # What this transformer gives over what its line and VA say, one number for all its readings; None before any.
    transformer: Floats | None = None
    # What this blower draws over what its plate says, likewise.
    blower: Floats | None = None

    @property
    def is_known(self) -> bool:
        """True once any feed's volts were read."""
        return bool(self.by_feed)

    def at(self, point: str) -> Floats:
        """Return the ratio that holds at a point, by its feed; a feed nobody read goes by one that was."""
        found = self.by_feed.get(feed_at(self.plate, point))
        if found is None:
            found = next(iter(self.by_feed.values()), np.ones(len(self.is_fault)))
        return found * self.transformer if self.transformer is not None and is_of_transformer(point) else found

    @property
    def log_likelihood(self) -> Floats:
        """Return how well each hypothesis's own supply agrees with what services give, as natural logarithms.

        However weak it is, it is no more than so strong a word against a fault of the unit: it may stand beside one.
        """
        logs = np.zeros(len(self.is_fault))
        for found in self.by_feed.values():
            # Where a hypothesis cannot have given these volts, the volts are the service's as a sound unit has them.
            ratio = np.where(found == 1.0, found[0], found)
            logs = np.minimum(logs, -0.5 * ((ratio - 1) / SERVICE_SHARE) ** 2)
        logs = np.where(self.is_fault, np.maximum(logs, math.log(WEAK_SHARE)), logs)
        if self.transformer is not None:
            logs = logs - 0.5 * ((self.transformer - 1) / TRANSFORMER_SHARE) ** 2
        if self.blower is not None:
            # Anything between is as likely, and was one of many it might have been.
            least, most = blower_shares(self.plate)
            told = math.log(NORMAL_AREA * BLOWER_AGAIN_SHARE / (most - least))
            logs = logs + np.where(self.blower == 1.0, 0.0, told)
        return logs


@lru_cache(maxsize=1024)
def is_of_transformer(point: str) -> bool:
    """Tell whether AC volts between two places of the 24 V side are read: the transformer's own, less what drops."""
    spot = spot_of(point)
    return spot.function == "volts" and len(spot.places) == 2 and all(map(is_control_side, spot.places))


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
        found = reading.value / np.maximum(model.predict(reading.point, drive).predicted, 1.0)
        before = ratios.get(feeds[reading.point], np.ones(count))
        gives = (found > LEAST_RATIO) & (found < MOST_RATIO)
        # What cannot have given these volts then, as a breaker that tripped since, goes by them as a sound unit does.
        others = np.full(count, found[0]) if gives[0] else before
        ratios[feeds[reading.point]] = np.where(gives, found, others)
    transformer = _transformer_of(model, readings, limits, ratios)
    blower = _blower_of(model, readings, limits)
    return Supply(plate=plate, by_feed=ratios, is_fault=model.is_fault, transformer=transformer, blower=blower)


def _blower_of(model: UnitModel, readings: Sequence[Reading], limits: Limits) -> Floats | None:
    """Return what the blower was read to draw over what each hypothesis predicts, where a sound one may; else as usual.

    Source:
        docs/trade.md, section 10: 0.40 to 1.00 of a PSC motor's plate, and one number for one motor.
    """
    plate = model.plate
    least, most = blower_shares(plate)
    own = [r for r in readings if r.point == amps_at("blower") and r.value > plate.blower.turns_from_amps]
    if not own:
        return None
    ratio = np.ones(len(model.hypotheses))
    for reading in own:
        predicted = model.predict(reading.point, drives_of(plate, reading.condition, limits)[-1][0]).predicted
        found = reading.value / np.maximum(predicted, 1e-9)
        near = (found > LEAST_RATIO * least) & (found < MOST_RATIO * most)
        drawn = np.clip(found, least, most)
        # What cannot have drawn that goes by it as a sound unit does: its fault was not there then.
        ratio = np.where(near, drawn, drawn[0] if near[0] else ratio)
    return ratio


def _transformer_of(
    model: UnitModel, readings: Sequence[Reading], limits: Limits, ratios: Mapping[str, Floats]
) -> Floats | None:
    """Return the mean of what was read on the 24 V side over what each hypothesis predicts there, where it is much.

    Source:
        docs/trade.md, section 9: eight readings of one transformer are not eight proofs.
    """
    line = ratios.get(model.plate.feed_of(model.plate.transformer.supplied_by), 1.0)
    total, count = np.zeros(len(model.hypotheses)), np.zeros(len(model.hypotheses))
    for reading in readings:
        if not is_of_transformer(reading.point) or reading.condition.control != "from unit":
            continue
        predicted = (
            model.predict(reading.point, drives_of(model.plate, reading.condition, limits)[-1][0]).predicted * line
        )
        found = reading.value / np.maximum(predicted, 1.0)
        # Where a hypothesis shows no such volts there, the reading is not the transformer's for it.
        valid = (predicted > LEAST_CONTROL_VOLTS) & (found > LEAST_RATIO) & (found < MOST_RATIO)
        total += np.where(valid, found, 0.0)
        count += valid
    if not count.any():
        return None
    mean = total / np.maximum(count, 1)
    # A hypothesis that shows none there goes by them as a sound unit does: its fault was not there at that reading.
    return np.where(count > 0, mean, mean[0] if count[0] > 0 else 1.0)
