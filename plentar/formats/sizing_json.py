"""What a plate's feeds must be and what its heat is worth in the weather, as JSON: nothing is worked out here."""

import math
from typing import Any

from pydantic import TypeAdapter
from typing_extensions import TypedDict

from plentar.core.judging.feed import SizingRule, load_of
from plentar.core.judging.feed_path import PathPart, division_of, governing, path_of
from plentar.core.judging.weather import Weather
from plentar.core.message import Text
from plentar.core.unit.nameplate import Nameplate
from plentar.core.work.interim import Interim, interim_of
from plentar.words import render

__all__ = ["HEAT_PUMP_FORMAT", "SIZING_FORMAT", "sizing_schema", "sizing_to_json", "weather_schema", "weather_to_json"]

SIZING_FORMAT, HEAT_PUMP_FORMAT = "plentar.sizing/1", "plentar.heat-pump/1"
Ends = list[float | None] | None


class SchoolFile(TypedDict):
    """One school's answer."""

    name: str
    verdict: str
    least_device_amps: float | None
    most_device_amps: float | None
    margin_amps: float | None


class PartFile(TypedDict):
    """One part of the path."""

    id: str
    parent: str | None
    kind: str
    rating: str | None
    load_amps: float
    allows_amps: float | None
    margin_amps: float | None
    verdict: str
    defects: list[str]
    notes: list[str]
    missing: list[str]


class LeftOffFile(TypedDict):
    """One strip left off."""

    strip: str
    how: str
    words: str


class InterimFile(TypedDict):
    """What may run until a feed is corrected."""

    kind: str
    words: str
    device_amps: float | None
    left_off: list[LeftOffFile]
    left_watts: float
    whole_watts: float
    controls: str
    cautions: list[str]
    corrected_by: str


class WireFile(TypedDict):
    """One feed's wire at an end of what nobody knows of it."""

    ampacity_amps: float
    largest_device_amps: float
    is_small_for_load: bool
    is_large_device: bool


class WireEndsFile(TypedDict):
    """One feed's wire: at its worst and at its best."""

    verdict: str
    worst: WireFile | None
    best: WireFile | None


class FeedFile(TypedDict):
    """One feed."""

    feed: str
    heater_amps: float
    blower_amps: float
    load_amps: float
    load_is_assumed: bool
    minimum_circuit_amps: float
    device_amps: float | None
    schools: list[SchoolFile]
    division: str
    wire: WireEndsFile
    verdict: str
    governed_by: str | None
    until_corrected: InterimFile | None


class SizingFile(TypedDict):
    """All of a unit's feeds."""

    format: str
    code: str
    feeds: list[FeedFile]
    path: list[PartFile]


class StageFile(TypedDict):
    """One strip tonight."""

    strip: str
    watts: float
    is_on: bool
    short_without_watts: Ends
    defrost_share: float | None


class WayFile(TypedDict):
    """One way to run the cold end."""

    name: str
    drawn_watts: Ends
    short_watts: Ends
    cost_per_hour: Ends


class WeatherFile(TypedDict):
    """A unit's heat against the weather; ranges are least and most."""

    format: str
    outdoor_degf: float
    held_degf: float
    heat_pump: str
    capacity_btu_per_hour: Ends
    loss_btu_per_hour: Ends
    balance_degf: Ends
    strip_watts_needed: Ends
    strip_watts_needed_alone: Ends
    strip_watts: float
    short_watts: Ends
    strip_watts_needed_at_design: Ends
    hours_to_recover: Ends
    is_never_recovered: bool
    verdict: str
    words: str
    notes: list[str]
    missing: list[str]
    strips: list[StageFile]
    schools: list[WayFile]


CODE = "general figures of a US model code: check your local code"


def sizing_to_json(plate: Nameplate) -> SizingFile:
    """Return every feed's load, schools, path, what governs it and what may run until it is corrected."""
    parts = path_of(plate)
    return {
        "format": SIZING_FORMAT,
        "code": CODE,
        "feeds": [_feed(plate, feed.id, parts) for feed in plate.feeds],
        "path": [_part(part) for part in parts],
    }


def _feed(plate: Nameplate, feed: str, parts: tuple[PathPart, ...]) -> FeedFile:
    load = load_of(plate, feed)
    own = [part for part in parts if part.feed == feed]
    device, wire = (next(part for part in own if part.id == f"{feed}.{name}") for name in ("breaker", "wire"))
    narrow = governing(parts, feed)
    interim = interim_of(plate, feed)
    rated = next(entry.breaker_amps for entry in plate.feeds if entry.id == feed)
    worst = min((part.grade for part in own), key=lambda grade: -grade.severity)
    return {
        "feed": feed,
        "heater_amps": round(load.heater_amps, 3),
        "blower_amps": round(load.blower_amps, 3),
        "load_amps": round(load.amps, 3),
        "load_is_assumed": load.is_assumed,
        "minimum_circuit_amps": round(load.minimum_circuit_amps, 3),
        "device_amps": rated,
        "schools": [_school(school) for school in device.schools],
        "division": division_of(plate, feed).value,
        "wire": {"verdict": wire.grade.value, "worst": _wire(wire, 0), "best": _wire(wire, 1)},
        "verdict": worst.value,
        "governed_by": narrow.id if narrow is not None else None,
        "until_corrected": _interim(interim) if interim is not None else None,
    }


def _school(school: SizingRule) -> SchoolFile:
    return {
        "name": school.name,
        "verdict": school.grade.value,
        "least_device_amps": _finite(school.least_amps),
        "most_device_amps": _finite(school.most_amps),
        "margin_amps": _finite(school.margin_amps),
    }


def _wire(wire: PathPart, end: int) -> WireFile | None:
    if not wire.checks:
        return None
    check = wire.checks[end]
    return {
        "ampacity_amps": check.ampacity_amps,
        "largest_device_amps": check.largest_device_amps,
        "is_small_for_load": check.is_small_for_load,
        "is_large_device": check.is_large_device,
    }


def _part(part: PathPart) -> PartFile:
    return {
        "id": part.id,
        "parent": part.parent or None,
        "kind": part.kind,
        "rating": render(part.rating) or None,
        "load_amps": round(part.load.amps, 3),
        "allows_amps": _finite(part.allows_amps),
        "margin_amps": _finite(part.margin_amps),
        "verdict": part.grade.value,
        "defects": _told(part.defects),
        "notes": _told(part.notes),
        "missing": _told(part.missing),
    }


def _interim(interim: Interim) -> InterimFile:
    return {
        "kind": interim.kind,
        "words": render(interim.words),
        "device_amps": interim.device_amps,
        "left_off": [{"strip": e.strip, "how": e.how, "words": render(e.words)} for e in interim.left_off],
        "left_watts": interim.left_watts,
        "whole_watts": interim.whole_watts,
        "controls": render(interim.controls),
        "cautions": _told(interim.cautions),
        "corrected_by": render(interim.who),
    }


def weather_to_json(weather: Weather) -> WeatherFile:
    """Return a unit's heat against the weather; ranges are least and most, null is not known, never is null hours."""
    return {
        "format": HEAT_PUMP_FORMAT,
        "outdoor_degf": weather.outdoor_degf,
        "held_degf": weather.held_degf,
        "heat_pump": weather.pump,
        "capacity_btu_per_hour": _range(weather.capacity),
        "loss_btu_per_hour": _range(weather.loss),
        "balance_degf": _range(weather.balance),
        "strip_watts_needed": _range(weather.needed_watts),
        "strip_watts_needed_alone": _range(weather.emergency_watts),
        "strip_watts": round(weather.strip_watts, 1),
        "short_watts": _range(weather.short_watts),
        "strip_watts_needed_at_design": _range(weather.design_watts),
        "hours_to_recover": _range(weather.hours),
        "is_never_recovered": weather.hours is not None and math.isinf(weather.hours[1]),
        "verdict": weather.grade.value,
        "words": render(weather.words),
        "notes": _told(weather.notes),
        "missing": _told(weather.missing),
        "strips": [
            {
                "strip": stage.strip,
                "watts": round(stage.watts, 1),
                "is_on": stage.is_on,
                "short_without_watts": _range(stage.short_without_watts),
                "defrost_share": stage.defrost_share,
            }
            for stage in weather.stages
        ],
        "schools": [
            {
                "name": render(school.name),
                "drawn_watts": _range(school.drawn_watts),
                "short_watts": _range(school.short_watts),
                "cost_per_hour": _range(school.cost),
            }
            for school in weather.schools
        ],
    }


def sizing_schema() -> dict[str, Any]:
    """Return the JSON Schema of what `plentar sizing` prints."""
    return TypeAdapter(SizingFile).json_schema()


def weather_schema() -> dict[str, Any]:
    """Return the JSON Schema of what `plentar heat-pump` prints."""
    return TypeAdapter(WeatherFile).json_schema()


def _told(words: tuple[Text, ...]) -> list[str]:
    return [render(entry) for entry in words]


def _range(found: tuple[float, float] | None) -> Ends:
    return None if found is None else [_finite(end) for end in found]


def _finite(value: float | None) -> float | None:
    return round(value, 3) if value is not None and math.isfinite(value) else None
