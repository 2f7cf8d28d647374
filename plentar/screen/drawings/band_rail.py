"""The band rail: a horizontal scale with the pass and marginal bands, the reading as a tick in its uncertainty.

The same rail stands on the pad, in the report and in the unit's history.
"""

import math
from dataclasses import dataclass
from functools import lru_cache

from plentar.core.limits.verdicts import Verdict
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.screen.event_lines import in_display
from plentar.words import render
from plentar.words.figures import plus_minus

__all__ = ["RAIL_WIDTH", "BandRail", "RailMark", "Span", "band_rail"]

RAIL_WIDTH = 304.0
PAD = 2.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Span:
    """A stretch of the rail, in drawing units."""

    x: float
    width: float


@dataclass(frozen=True, slots=True, kw_only=True)
class RailMark:
    """One number under the rail."""

    x: float
    text: str
    anchor: str


@dataclass(frozen=True, slots=True, kw_only=True)
class BandRail:
    """Everything the template writes; `is_beyond` is set when the tick had to be held at the rail's end."""

    width: float
    marginal: Span | None
    passing: Span | None
    whisker: Span
    tick_x: float
    is_beyond: bool
    expected_x: float | None
    marks: tuple[RailMark, ...]
    verdict: str
    spoken: str


# The rails of a call's other readings stay as they were when one more is kept.
@lru_cache(maxsize=1024)
def band_rail(verdict: Verdict) -> BandRail:
    """Lay out the rail of one verdict.

    The scale holds the whole band and the reading, unless the reading is so far off that the band would shrink to
    nothing; then the tick stands at the end of the rail.
    """
    verdict = in_display(verdict)
    low, high, is_beyond = _scale(verdict)

    def x(value: float) -> float:
        share = (min(max(value, low), high) - low) / (high - low)
        return round(PAD + share * (RAIL_WIDTH - 2 * PAD), 2)

    def span(start: float, end: float) -> Span:
        return Span(x=x(start), width=round(max(x(end) - x(start), 1.0), 2))

    band = verdict.band
    return BandRail(
        width=RAIL_WIDTH,
        marginal=span(band.marginal_low, band.marginal_high) if band else None,
        passing=span(band.pass_low, band.pass_high) if band else None,
        whisker=span(verdict.value - verdict.uncertainty, verdict.value + verdict.uncertainty),
        tick_x=x(verdict.value),
        is_beyond=is_beyond,
        expected_x=x(verdict.expected) if verdict.expected is not None else None,
        marks=tuple(_marks(low, high, x)),
        verdict=verdict.grade.value.replace(" ", "-"),
        spoken=_spoken(verdict),
    )


# Ohms on the rail of an open part that nothing is expected of. Chosen: a strip's element is some ten.
OPEN_SCALE = 25.0


def _scale(verdict: Verdict) -> tuple[float, float, bool]:
    """Return the values at both ends of the rail, and whether the reading lies beyond them."""
    value, band = verdict.value, verdict.band
    if band is None and value >= OPEN_OHMS:
        # Open is off every scale: what was expected, and a tick beyond it.
        return 0.0, _round_up(2 * (verdict.expected or OPEN_SCALE)), True
    if band is None:
        top = max(value + verdict.uncertainty, verdict.expected or 0.0, 1.0)
        return 0.0, _round_up(top * 1.15), False
    edges = [edge for edge in (band.marginal_low, band.marginal_high) if math.isfinite(edge)]
    bottom = 0.0 if not math.isfinite(band.marginal_low) else band.marginal_low
    span = max(max(edges) - bottom, 1e-6)
    low, high = max(0.0, bottom - 0.6 * span), max(edges) + 0.6 * span
    if low < 0.35 * high:
        low = 0.0
    if value > high + 12 * span:
        return low, high, True
    if value < low:
        low = 0.0
    return low, max(high, value + verdict.uncertainty + 0.05 * span), False


def _round_up(value: float) -> float:
    step = 10.0 ** math.floor(math.log10(value))
    return math.ceil(value / step) * step


def _marks(low: float, high: float, x: object) -> list[RailMark]:
    assert callable(x)  # noqa: S101 - narrows the type for the reader and the checker
    rough = (high - low) / 5
    magnitude = 10.0 ** math.floor(math.log10(rough))
    step = next(m * magnitude for m in (1, 2, 2.5, 5, 10) if m * magnitude >= rough)
    first = math.ceil(low / step - 1e-9)
    marks = []
    for index in range(first, math.floor(high / step + 1e-9) + 1):
        place = x(index * step)
        anchor = "start" if place < 12 else "end" if place > RAIL_WIDTH - 12 else "middle"
        marks.append(RailMark(x=place, text=f"{index * step:g}", anchor=anchor))
    return marks


def _spoken(verdict: Verdict) -> str:
    text = f"{verdict.value:g} {verdict.unit} plus or minus {plus_minus(verdict.uncertainty)}"
    if verdict.band is not None:
        low, high = verdict.band.pass_low, verdict.band.pass_high
        edge = f"up to {high:.4g}" if not math.isfinite(low) else f"{low:.4g} to {high:.4g}"
        text += f", pass band {edge}"
    return f"{text}, {render(verdict.spoken)}"
