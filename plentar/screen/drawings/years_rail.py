"""A figure over the years on one band rail: every visit a tick, the last one the boldest, with its whisker."""

import math
from collections.abc import Callable
from dataclasses import dataclass

from plentar.core.history.series import Series, SeriesValue
from plentar.core.limits.verdicts import Band
from plentar.screen.drawings.band_rail import PAD, RAIL_WIDTH, Span
from plentar.words.figures import apart

__all__ = ["YearTick", "YearsRail", "figure_of", "scale_of", "years_rail"]

# Two labels nearer than this run into each other.
LEAST_APART = 26.0
# Beside the band as much again, so that a drift is seen before it leaves.
BESIDE = 0.35


@dataclass(frozen=True, slots=True, kw_only=True)
class YearTick:
    """One visit: where, which verdict, how strong (0 oldest to 1 newest), what it says; `label` where it fits."""

    x: float
    verdict: str
    strength: float
    label: str
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class YearsRail:
    """Everything the template writes."""

    width: float
    marginal: Span
    passing: Span
    whisker: Span
    ticks: tuple[YearTick, ...]
    low: str
    high: str
    spoken: str


def scale_of(band: Band, *values: float) -> tuple[float, float]:
    """Return the ends of a rail that holds the band with room beside it, and every value."""
    edges = [
        edge for edge in (band.marginal_low, band.pass_low, band.pass_high, band.marginal_high) if math.isfinite(edge)
    ]
    low = min(edges) if math.isfinite(band.marginal_low) else 0.0
    high = max(edges)
    beside = BESIDE * max(high - low, 1e-6)
    low = low - beside if math.isfinite(band.marginal_low) else min(0.0, *values)
    return min(low, *values), max(high + beside, *values)


def figure_of(mark: SeriesValue) -> str:
    """Say a mark's figure; what is kept in degrees is a rise."""
    return apart(mark.value) if mark.unit == "°F" else f"{mark.value:.3g} {mark.unit}"


def years_rail(series: Series, when: Callable[[float], str]) -> YearsRail:
    """Lay out a series.

    Args:
        series: Its marks, oldest first, at least one.
        when: Says a moment as its reader does: a year, a month.
    """
    band, last = series.band, series.marks[-1]
    low, high = scale_of(band, *(mark.ratio for mark in series.marks))

    def x(value: float) -> float:
        share = (min(max(value, low), high) - low) / (high - low)
        return round(PAD + share * (RAIL_WIDTH - 2 * PAD), 2)

    def span(start: float, end: float) -> Span:
        return Span(x=x(start), width=round(max(x(end) - x(start), 1.0), 2))

    ticks: list[YearTick] = []
    labelled: list[float] = []
    for number, mark in reversed(list(enumerate(series.marks))):
        at = x(mark.ratio)
        fits = all(abs(at - other) >= LEAST_APART for other in labelled)
        if fits:
            labelled.append(at)
        ticks.append(
            YearTick(
                x=at,
                verdict=mark.grade.value.replace(" ", "-"),
                strength=round((number + 1) / len(series.marks), 2),
                label=when(mark.at) if fits else "",
                words=f"{when(mark.at)}: {figure_of(mark)}",
            )
        )
    ticks.reverse()
    return YearsRail(
        width=RAIL_WIDTH,
        marginal=span(max(band.marginal_low, low), min(band.marginal_high, high)),
        passing=span(max(band.pass_low, low), min(band.pass_high, high)),
        whisker=span(last.ratio - last.half, last.ratio + last.half),
        ticks=tuple(ticks),
        low=f"{100 * low:.0f} %",
        high=f"{100 * high:.0f} %",
        spoken="; ".join(f"{tick.words}, {tick.verdict.replace('-', ' ')}" for tick in ticks),
    )
