"""What a plate's feeds must be, as JSON: the figures and verdicts of `judging/feed`, nothing worked out here."""

import math
from typing import Any

from plentar.core.judging.feed import FeedSizing, School, WireCheck, size_feed
from plentar.core.unit.nameplate import Nameplate

__all__ = ["SIZING_FORMAT", "sizing_to_json"]

SIZING_FORMAT = "plentar.sizing/1"


def sizing_to_json(plate: Nameplate) -> dict[str, Any]:
    """Return every feed's load, schools, division and wire; null is not known."""
    return {"format": SIZING_FORMAT, "feeds": [_feed(size_feed(plate, feed.id)) for feed in plate.feeds]}


def _feed(sized: FeedSizing) -> dict[str, Any]:
    return {
        "feed": sized.feed,
        "heater_amps": round(sized.load.heater_amps, 3),
        "blower_amps": round(sized.load.blower_amps, 3),
        "load_amps": round(sized.load.amps, 3),
        "load_is_assumed": sized.load.is_assumed,
        "minimum_circuit_amps": round(sized.load.minimum_circuit_amps, 3),
        "device_amps": sized.device_amps,
        "schools": [_school(school) for school in sized.schools],
        "division": sized.division.value,
        "wire": {"verdict": sized.wire.value, "worst": _wire(sized.wire_worst), "best": _wire(sized.wire_best)},
    }


def _school(school: School) -> dict[str, Any]:
    return {
        "name": school.name,
        "verdict": school.grade.value,
        "least_device_amps": _finite(school.least_amps),
        "most_device_amps": _finite(school.most_amps),
        "margin_amps": _finite(school.margin_amps),
    }


def _wire(check: WireCheck | None) -> dict[str, Any] | None:
    if check is None:
        return None
    return {
        "ampacity_amps": check.ampacity_amps,
        "largest_device_amps": check.largest_device_amps,
        "is_small_for_load": check.is_small_for_load,
        "is_large_device": check.is_large_device,
    }


def _finite(value: float | None) -> float | None:
    return round(value, 3) if value is not None and math.isfinite(value) else None
