"""A call as files to take away: JSON that `plentar diagnose` reads again, CSV of its readings."""

import csv
import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from io import StringIO
from typing import Any

from plentar.core.limits.verdicts import Verdict
from plentar.words import render

__all__ = ["CSV_COLUMNS", "ReadingRecord", "call_to_json", "readings_to_csv"]

# fmt: off
CSV_COLUMNS = (
    "id", "taken_at", "point", "where", "value", "unit", "uncertainty", "verdict", "expected", "pass_low", "pass_high",
    "band_source", "condition", "by", "meter", "supersedes", "reason",
    "meter_calibrated_on",
)
# fmt: on
OPEN_FROM_OHMS = 1e6


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingRecord:
    """One kept reading with its verdict of today; times are ISO 8601 in UTC."""

    id: str
    taken_at: str
    point: str
    where: str
    value: float
    unit: str
    uncertainty: float
    condition: Mapping[str, Any]
    condition_words: str
    by: str
    meter: str
    calibrated_on: str
    verdict: Verdict | None
    supersedes: str = ""
    reason: str = ""
    mode: str = ""
    is_superseded: bool = False


def call_to_json(
    *,
    unit: Mapping[str, Any],
    complaints: Iterable[str],
    readings: Iterable[ReadingRecord],
    observations: Iterable[Mapping[str, Any]],
    record: Mapping[str, Any],
    limits: Mapping[str, Iterable[float]] | None = None,
    outdoor_degf: float | None = None,
    indoor_degf: float | None = None,
) -> dict[str, Any]:
    """Return the call as a call file; `record` holds what the core does not need: place, people, times, causes."""
    kept = list(readings)
    own: dict[str, Any] = {"limits": {name: list(figures) for name, figures in limits.items()}} if limits else {}
    weather = {"outdoor_degf": outdoor_degf, "indoor_degf": indoor_degf}
    own |= {name: degf for name, degf in weather.items() if degf is not None}
    return {
        "format": "plentar.call/1",
        "record": dict(record),
        "unit": dict(unit),
        "complaints": list(complaints),
        "readings": [_reading(entry) for entry in kept],
        "observations": list(observations),
        **own,
    }


def _reading(entry: ReadingRecord) -> dict[str, Any]:
    found: dict[str, Any] = {
        "id": entry.id,
        "point": entry.point,
        "value": "OL" if entry.unit == "Ω" and entry.value >= OPEN_FROM_OHMS else entry.value,
        "condition": dict(entry.condition),
        "meter_uncertainty": entry.uncertainty,
        "taken_at": entry.taken_at,
        "by": entry.by,
        "meter": entry.meter,
    }
    if entry.calibrated_on:
        found["meter_calibrated_on"] = entry.calibrated_on
    if entry.supersedes:
        found |= {"supersedes": entry.supersedes, "reason": entry.reason}
    if entry.mode:
        found["mode"] = entry.mode
    if entry.is_superseded:
        found["is_superseded"] = True
    return found


def readings_to_csv(readings: Iterable[ReadingRecord]) -> str:
    """Return the readings as CSV: a header, one row a reading, decimal points, no thousands marks.

    A cell that a spreadsheet would take for a formula is given a leading apostrophe.
    """
    out = StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(CSV_COLUMNS)
    for entry in readings:
        verdict = entry.verdict
        band = verdict.band if verdict else None
        writer.writerow(
            _safe(cell)
            for cell in (
                entry.id,
                entry.taken_at,
                entry.point,
                entry.where,
                f"{entry.value:g}",
                entry.unit,
                f"{entry.uncertainty:.3g}",
                render(verdict.spoken) if verdict else "",
                _number(verdict.expected if verdict else None),
                _number(band.pass_low if band else None),
                _number(band.pass_high if band else None),
                band.source if band else "",
                entry.condition_words,
                entry.by,
                entry.meter,
                entry.supersedes,
                entry.reason,
                entry.calibrated_on,
            )
        )
    return out.getvalue()


def _number(value: float | None) -> str:
    return "" if value is None or not math.isfinite(value) else f"{value:.5g}"


def _safe(cell: str) -> str:
    return f"'{cell}" if cell[:1] in "=+-@\t\r" and cell[:1] else cell
