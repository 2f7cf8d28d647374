"""What the practice meter's display shows: digits of its range, OL, kΩ, and nothing once its fuse is gone."""

import math
from dataclasses import dataclass

from plentar.core.evidence.metrology import DEMO_METER, Meter
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.quantities import QUANTITIES

__all__ = ["METER", "Display", "display"]

METER: Meter = DEMO_METER
# From here on a display changes its prefix.
KILO, MEGA = 1e3, 1e6
# Above the meter's ohms range it shows that nothing joins the probes.
OVER_LIMIT = "OL"


@dataclass(frozen=True, slots=True, kw_only=True)
class Display:
    """What stands on the display: its digits, its unit, and the same as somebody writes it down."""

    digits: str
    unit: str
    typed: str

    @property
    def spoken(self) -> str:
        """Digits and unit."""
        return f"{self.digits} {self.unit}"


def display(value: float, quantity: str, *, flicker: float = 0.0) -> Display:
    """Return what the meter shows of a true value, on the smallest range that holds it.

    Args:
        value: In the base unit of the quantity; `OPEN_OHMS` for open.
        quantity: `volts`, `dc_volts`, `amps`, `ohms`, `microfarads` or `degf`.
        flicker: The last digit's restlessness, -1 to 1: half a count either way, so that what is shown lies within one.
    Raises:
        MeterError: The meter has no such function.
    Example:
        >>> display(238.44, "volts").spoken, display(640.0, "ohms").spoken, display(OPEN_OHMS, "ohms").spoken
        ('238.4 V', '0.640 kΩ', 'OL Ω')
        >>> display(11.52, "ohms").typed, display(640.0, "ohms").typed
        ('11.5', '0.640k')
    """
    sign = QUANTITIES[quantity].sign
    if quantity == "ohms" and value >= min(OPEN_OHMS, METER.range_for(quantity, value).full_scale):
        return Display(digits=OVER_LIMIT, unit=sign, typed=OVER_LIMIT)
    own = METER.range_for(quantity, value)
    counts = math.floor(value / own.resolution + 0.5 * max(-1.0, min(1.0, flicker)) + 0.5)
    shown = max(counts, 0) * own.resolution if quantity != "degf" else counts * own.resolution
    scale, prefix, typed = 1.0, "", ""
    if quantity == "ohms" and own.resolution >= 1.0:
        scale, prefix, typed = (KILO, "k", "k") if own.resolution < KILO else (MEGA, "M", "M")
    places = max(0, round(-math.log10(own.resolution / scale)))
    digits = f"{shown / scale:.{places}f}"
    return Display(digits=digits, unit=prefix + sign, typed=digits + typed)
