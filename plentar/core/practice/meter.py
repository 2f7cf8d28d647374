"""What the practice meter's display shows: digits of its range, OL, kΩ, and nothing once its fuse is gone."""

import math
from dataclasses import dataclass

from plentar.core.evidence.metrology import DEMO_METER, Meter
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.quantities import QUANTITIES

__all__ = ["BLOWN_MINUTES", "METER", "MeterDisplay", "display", "ranges_of"]

METER: Meter = DEMO_METER
# A meter that met the line on its ohms or amps function: the walk to the van for another. Chosen.
BLOWN_MINUTES = 6.0
# From here on a display changes its prefix.
KILO, MEGA = 1e3, 1e6
# Above the range it is on a meter shows no number: on the largest ohms range, that nothing joins the probes.
OVER_LIMIT = "OL"


@dataclass(frozen=True, slots=True, kw_only=True)
class MeterDisplay:
    """What stands on the display: its digits, its unit, and the same as somebody writes it down."""

    digits: str
    unit: str
    typed: str

    @property
    def is_over(self) -> bool:
        """True where the range is too small for what is there, or nothing joins the probes."""
        return self.digits == OVER_LIMIT

    @property
    def spoken(self) -> str:
        """Digits and unit."""
        return f"{self.digits} {self.unit}"


def ranges_of(quantity: str) -> tuple[tuple[float, str], ...]:
    """Return where the meter's ranges of a quantity end, each with how its knob says it; the smallest first.

    Example:
        >>> ranges_of("ohms")
        ((600.0, '600 Ω'), (6000.0, '6 kΩ'), (60000000.0, '60 MΩ'))
    """
    ends = sorted(own.full_scale for own in METER.ranges if own.quantity == quantity)
    return tuple((end, _spoken_end(end, QUANTITIES[quantity].sign)) for end in ends)


def _spoken_end(end: float, sign: str) -> str:
    scale, prefix = next(((s, p) for s, p in ((MEGA, "M"), (KILO, "k")) if end >= s), (1.0, ""))
    return f"{end / scale:g} {prefix}{sign}"


def display(value: float, quantity: str, *, meter: Meter = METER, flicker: float = 0.0) -> MeterDisplay:
    """Return what the meter shows of a true value, on the smallest range that holds it or the one its knob is on.

    Args:
        value: In the base unit of the quantity; `OPEN_OHMS` for open.
        quantity: `volts`, `dc_volts`, `amps`, `ohms`, `microfarads` or `degf`.
        meter: The meter, or the same held on one range.
        flicker: The last digit's restlessness, -1 to 1: half a count either way, so that what is shown lies within one.
    Raises:
        MeterError: The meter has no such function.
    Example:
        >>> display(238.44, "volts").spoken, display(640.0, "ohms").spoken, display(OPEN_OHMS, "ohms").spoken
        ('238.4 V', '0.640 kΩ', 'OL Ω')
        >>> display(11.52, "ohms").typed, display(640.0, "ohms").typed
        ('11.5', '0.640k')
        >>> [display(640.0, "ohms", meter=METER.held_on("ohms", end)).spoken for end in (600.0, 6e7)]
        ['OL Ω', '0.00 MΩ']
    """
    sign = QUANTITIES[quantity].sign
    own = meter.range_for(quantity, value)
    if abs(value) > own.full_scale or (quantity == "ohms" and value >= min(OPEN_OHMS, own.full_scale)):
        return MeterDisplay(digits=OVER_LIMIT, unit=sign, typed=OVER_LIMIT)
    counts = math.floor(value / own.resolution + 0.5 * max(-1.0, min(1.0, flicker)) + 0.5)
    shown = max(counts, 0) * own.resolution if quantity != "degf" else counts * own.resolution
    scale, prefix, typed = 1.0, "", ""
    if quantity == "ohms" and own.resolution >= 1.0:
        scale, prefix, typed = (KILO, "k", "k") if own.resolution < KILO else (MEGA, "M", "M")
    places = max(0, round(-math.log10(own.resolution / scale)))
    digits = f"{shown / scale:.{places}f}"
    return MeterDisplay(digits=digits, unit=prefix + sign, typed=digits + typed)
