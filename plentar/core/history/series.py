"""A unit's figures over the years, made comparable: each as a ratio of what it should be, with its drift.

Amps are turned to rated volts by the volts read under the same load; without those a reading of amps says nothing of
the element, and stands in no series.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from plentar.core.evidence.events import Event, Tapped
from plentar.core.evidence.reading import Condition
from plentar.core.evidence.runs import runs_of
from plentar.core.history.past import YEAR_SECONDS
from plentar.core.judging.air import air_factor, expected_rise_degf, watts_in_airstream
from plentar.core.judging.timing import Stage, stages_of
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Band, Grade, grade
from plentar.core.message import Text, message
from plentar.core.unit.electrical import element_ohms
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import amps_at, line_volts, ohms_at, point_at

__all__ = ["Drift", "PastReading", "Series", "SeriesValue", "drift_of", "on_times_of", "series_of"]

# Of a two-sided 90 % interval, by degrees of freedom (Student); beyond ten the normal's is near enough.
_T90 = (math.inf, 6.314, 2.920, 2.353, 2.132, 2.015, 1.943, 1.895, 1.860, 1.833, 1.812)
T90_MANY = 1.70
# Two points make a line and no confidence.
LEAST_MARKS = 3
# A ratio is read to a few parts in a thousand at best: what scatters less was rounded.
LEAST_HALF = 0.004
# A thumb on a stopwatch, twice.
TAP_SECONDS = 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class PastReading:
    """One reading of an earlier call or this one: which call, when [s since 1970], where, what, under what."""

    call: str
    at: float
    point: str
    value: float
    half: float
    condition: Condition


@dataclass(frozen=True, slots=True, kw_only=True)
class SeriesValue:
    """One value of a series: its ratio with half-width, and the figure as it is to be read."""

    call: str
    at: float
    ratio: float
    half: float
    value: float
    unit: str
    grade: Grade


@dataclass(frozen=True, slots=True, kw_only=True)
class Drift:
    """How a series moves: ratio a year with its 90 % half-width; proven when zero lies outside."""

    per_year: float
    half: float

    @property
    def is_proven(self) -> bool:
        """True when the drift is more than its doubt."""
        return abs(self.per_year) > self.half


@dataclass(frozen=True, slots=True, kw_only=True)
class Series:
    """One figure of a unit over its calls, oldest first, against its band."""

    id: str
    part: str
    words: Text
    how: Text
    band: Band
    marks: tuple[SeriesValue, ...]
    drift: Drift | None = field(default=None)


def drift_of(points: Sequence[tuple[float, float, float]]) -> Drift | None:
    """Return the slope through values over time, weighted by their half-widths; None for fewer than three.

    Args:
        points: Moment [s since 1970], value, half-width.
    Source:
        Weighted least squares; the slope's error is scaled by the scatter that is left where that is more than the
        half-widths promise, and Student's t widens it for few points.
    Example:
        >>> year = 365.25 * 86400
        >>> drift = drift_of([(0.0, 1.00, 0.01), (year, 0.98, 0.01), (2 * year, 0.96, 0.01)])
        >>> round(drift.per_year, 3), drift.is_proven
        (-0.02, False)
    """
    if len(points) < LEAST_MARKS:
        return None
    years = [at / YEAR_SECONDS for at, _, _ in points]
    weights = [1.0 / max(half, LEAST_HALF) ** 2 for _, _, half in points]
    whole = sum(weights)
    middle = sum(w * x for w, x in zip(weights, years, strict=True)) / whole
    mean = sum(w * y for w, (_, y, _) in zip(weights, points, strict=True)) / whole
    spread = sum(w * (x - middle) ** 2 for w, x in zip(weights, years, strict=True))
    if spread <= 0:
        return None
    slope = sum(w * (x - middle) * (y - mean) for w, x, (_, y, _) in zip(weights, years, points, strict=True)) / spread
    left = sum(
        w * (y - mean - slope * (x - middle)) ** 2 for w, x, (_, y, _) in zip(weights, years, points, strict=True)
    )
    free = len(points) - 2
    scatter = max(1.0, left / free)
    # A half-width is the meter's limit, about two standard errors.
    error = math.sqrt(scatter / spread) / 2
    return Drift(per_year=slope, half=error * (_T90[free] if free < len(_T90) else T90_MANY))


def series_of(plate: Nameplate, readings: Iterable[PastReading], limits: Limits = DEFAULT_LIMITS) -> tuple[Series, ...]:
    """Return what a unit's readings say over the years: each strip's amps and ohms, sag, rise, blower, control current.

    Source:
        docs/trade.md, sections 2 and 3: amps × rated volts / volts read under the same load; ohms against V²/P; rise
        against what that day's watts give the airflow of the tonnage.
    """
    by_call: dict[str, list[PastReading]] = {}
    for reading in sorted(readings, key=lambda entry: entry.at):
        by_call.setdefault(reading.call, []).append(reading)
    found: dict[str, list[SeriesValue]] = {}
    rows = _rows(plate, limits)
    for own in by_call.values():
        for name, mark in _marks_of(plate, own, rows):
            found.setdefault(name, []).append(mark)
        risen = _rise_of(plate, own, limits, rows["rise"].band)
        if risen is not None:
            found.setdefault("rise", []).append(risen)
    return tuple(
        Series(
            id=name,
            part=row.part,
            words=row.words,
            how=row.how,
            band=row.band,
            marks=tuple(found[name]),
            drift=drift_of([(mark.at, mark.ratio, mark.half) for mark in found[name]]),
        )
        for name, row in rows.items()
        if name in found
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class _Row:
    part: str
    words: Text
    how: Text
    band: Band


def _rows(plate: Nameplate, limits: Limits) -> Mapping[str, _Row]:
    rows: dict[str, _Row] = {}
    for circuit in plate.circuits:
        rows[f"{circuit.id}.amps"] = _Row(
            part=circuit.id,
            words=message("history.strip-amps", strip=circuit.name),
            how=message("history.amps-at-rated", volts=circuit.rated_volts),
            band=limits.band("element_amps_ratio"),
        )
        rows[f"{circuit.id}.ohms"] = _Row(
            part=circuit.id,
            words=message("history.strip-ohms", strip=circuit.name),
            how=message("history.ohms-cold"),
            band=limits.band("element_ohms_ratio"),
        )
    for feed in plate.feeds:
        rows[f"{feed.id}.sag"] = _Row(
            part=feed.id,
            words=message("history.sag", feed=feed.id.replace("-", " ")),
            how=message("history.sag-how"),
            band=limits.band("sag_ratio"),
        )
    rows["blower"] = _Row(
        part="blower",
        words=message("history.blower-amps"),
        how=message("history.blower-how"),
        band=limits.band("blower_amps_ratio"),
    )
    rows["rise"] = _Row(
        part="blower",
        words=message("history.rise"),
        how=message("history.rise-how"),
        band=_rise_band(limits),
    )
    rows["control"] = _Row(
        part="transformer",
        words=message("history.control-amps"),
        how=message("history.control-how"),
        band=limits.band("control_amps_ratio"),
    )
    return rows


def _usual_flow(limits: Limits) -> tuple[float, float, float]:
    """Return the least, the middle and the most airflow a ton is to have [CFM/ton]."""
    low, high = limits.number("cfm_per_ton_low"), limits.number("cfm_per_ton_high")
    return low, (low + high) / 2, high


def _rise_band(limits: Limits) -> Band:
    """Return the band of a rise as a share of what the middle airflow gives: the most air rises least."""
    low, middle, high = _usual_flow(limits)
    around = limits.band("rise_ratio")
    return Band(
        marginal_low=around.marginal_low * middle / high,
        pass_low=around.pass_low * middle / high,
        pass_high=around.pass_high * middle / low,
        marginal_high=around.marginal_high * middle / low,
        source=around.source,
    )


def _rise_of(plate: Nameplate, own: Sequence[PastReading], limits: Limits, band: Band) -> SeriesValue | None:
    """Return one call's rise against the watts of the same load; None where tonnage, volts, a strip or time is missing.

    Altitude is the place's and the same each year: it moves the whole series, not its drift.
    """
    if plate.tons is None or not any(entry.point == point_at("degf", "supply") for entry in own):
        return None
    heated = [entry for entry in own if "W" in entry.condition.on and "Y" not in entry.condition.on]
    newest = {entry.point: entry for entry in heated}
    ends = [newest.get(point_at("degf", side)) for side in ("return", "supply")]
    line = next((newest[line_volts(f.id)] for f in plate.feeds if line_volts(f.id) in newest), None)
    strips = {c.id: newest[amps_at(c.id)].value for c in plate.circuits if amps_at(c.id) in newest}
    if line is None or len(strips) < len(plate.circuits) or ends[0] is None or ends[1] is None:
        return None
    cold, warm = ends[0], ends[1]
    waited = min((seconds for _, seconds in warm.condition.calls if seconds is not None), default=0.0)
    # Nought is an older record, which did not keep how long the call was on.
    if 0 < waited < limits.number("steady_seconds"):
        return None
    blower = newest.get(amps_at("blower"))
    watts = watts_in_airstream(plate, line.value, strips, blower.value if blower else None)
    factor = air_factor(0.0, (cold.value + warm.value) / 2)
    expected = expected_rise_degf(watts, _usual_flow(limits)[1] * plate.tons, factor)
    rise = warm.value - cold.value
    if expected <= 0 or rise <= limits.number("no_heat_rise_delta_degf"):
        return None
    share = math.hypot(math.hypot(cold.half, warm.half) / rise, line.half / line.value)
    ratio = rise / expected
    return _mark(warm, ratio, ratio * share, rise, "°F", band)


def _mark(reading: PastReading, ratio: float, half: float, value: float, unit: str, band: Band) -> SeriesValue:
    return SeriesValue(
        call=reading.call,
        at=reading.at,
        ratio=ratio,
        half=half,
        value=value,
        unit=unit,
        grade=grade(ratio, half, band),
    )


def on_times_of(
    plate: Nameplate, taps: Iterable[tuple[str, Event, Tapped]], limits: Limits = DEFAULT_LIMITS
) -> tuple[Series, ...]:
    """Return how long each stage took to come, call by call: of each call its last heat run, as a share of its maximum.

    Args:
        plate: The unit.
        taps: The stopwatch's taps of all calls: which call, event, tap; those struck out left out.
        limits: The shop's limits.
    Source:
        docs/trade.md, section 3, pole on-time.
    """
    by_call: dict[str, list[tuple[Event, Tapped]]] = {}
    for call, event, tap in taps:
        by_call.setdefault(call, []).append((event, tap))
    found: dict[str, list[SeriesValue]] = {}
    stages = [stage for stage in stages_of(plate, limits) if stage.on.max_seconds > 0]
    for call, own in by_call.items():
        runs = [run for run in runs_of(own) if run.call == "heat"]
        if not runs:
            continue
        last = runs[-1]
        for stage in stages:
            if stage.id in last.on_at:
                seconds = last.on_at[stage.id] - last.called_at
                band = _on_band(stage)
                mark = SeriesValue(
                    call=call,
                    at=last.called_at,
                    ratio=seconds / stage.on.max_seconds,
                    half=TAP_SECONDS / stage.on.max_seconds,
                    value=seconds,
                    unit="s",
                    grade=grade(seconds / stage.on.max_seconds, TAP_SECONDS / stage.on.max_seconds, band),
                )
                found.setdefault(stage.id, []).append(mark)
    return tuple(
        Series(
            id=f"{stage.id}.on",
            part=stage.id,
            words=message("history.on-time", stage=stage.name),
            how=message("history.on-time-how"),
            band=_on_band(stage),
            marks=tuple(sorted(found[stage.id], key=lambda mark: mark.at)),
            drift=drift_of([(mark.at, mark.ratio, mark.half) for mark in found[stage.id]]),
        )
        for stage in stages
        if stage.id in found
    )


def _on_band(stage: Stage) -> Band:
    """Return a stage's window as shares of its maximum."""
    top = stage.on.max_seconds
    low = stage.on.min_seconds / top
    return Band(
        marginal_low=low, pass_low=low, pass_high=1.0, marginal_high=stage.late_seconds / top, source=stage.source
    )


def _marks_of(
    plate: Nameplate, own: Sequence[PastReading], rows: Mapping[str, _Row]
) -> Iterable[tuple[str, SeriesValue]]:
    """Return one call's marks: of each series the last reading of the call, since earlier ones were of another unit."""
    last: dict[str, SeriesValue] = {}
    strips = {amps_at(circuit.id): circuit for circuit in plate.circuits}
    elements = {ohms_at(f"{circuit.id}.element"): circuit for circuit in plate.circuits}
    blower, control = amps_at("blower"), amps_at("control")
    # What is on is asked of each reading once.
    under = [(entry, entry.condition.on) for entry in own]
    lines: dict[str, list[tuple[PastReading, frozenset[str]]]] = {line_volts(feed.id): [] for feed in plate.feeds}
    for entry, on in under:
        if entry.point in lines:
            lines[entry.point].append((entry, on))
    for reading, on in under:
        heats = "W" in on
        if reading.point in strips and heats:
            circuit = strips[reading.point]
            volts = _volts_under(lines[line_volts(plate.feed_of(circuit.supplied_by))], reading, on)
            expected = circuit.rated_volts / element_ohms(circuit.rated_watts, circuit.rated_volts)
            if volts is None or reading.value < 0.5:
                # A dead strip has no element to speak of: the timeline tells of it.
                continue
            at_rated = reading.value * circuit.rated_volts / volts.value
            half = math.hypot(reading.half / reading.value, volts.half / volts.value) * at_rated / expected
            name = f"{circuit.id}.amps"
            last[name] = _mark(reading, at_rated / expected, half, at_rated, "A", rows[name].band)
        elif reading.point in elements:
            circuit = elements[reading.point]
            expected = element_ohms(circuit.rated_watts, circuit.rated_volts)
            if 0 < reading.value < 100 * expected:
                name = f"{circuit.id}.ohms"
                ratio, half = reading.value / expected, reading.half / expected
                last[name] = _mark(reading, ratio, half, reading.value, "Ω", rows[name].band)
        rated = plate.blower.rated_amps
        if reading.point == blower and rated and reading.value > 0.2:
            ratio, half = reading.value / rated, reading.half / rated
            last["blower"] = _mark(reading, ratio, half, reading.value, "A", rows["blower"].band)
        va = plate.transformer.va
        if reading.point == control and va and heats:
            ratio, half = 24.0 * reading.value / va, 24.0 * reading.half / va
            last["control"] = _mark(reading, ratio, half, reading.value, "A", rows["control"].band)
    for feed in plate.feeds:
        idle = [entry for entry, on in lines[line_volts(feed.id)] if not on]
        loaded = [entry for entry, on in lines[line_volts(feed.id)] if "W" in on]
        if idle and loaded and idle[-1].value > 0:
            sag = 1 - loaded[-1].value / idle[-1].value
            half = math.hypot(loaded[-1].half, idle[-1].half) / idle[-1].value
            name = f"{feed.id}.sag"
            last[name] = _mark(loaded[-1], sag, half, 100 * sag, "%", rows[name].band)
    return last.items()


def _volts_under(
    line: Sequence[tuple[PastReading, frozenset[str]]], reading: PastReading, on: frozenset[str]
) -> PastReading | None:
    """Return a feed's volts read in the same call under the same calls; the nearest in time."""
    alike = [entry for entry, under in line if under == on and entry.value > 0]
    return min(alike, key=lambda entry: abs(entry.at - reading.at), default=None)
