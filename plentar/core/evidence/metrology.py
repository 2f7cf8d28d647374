"""How far a meter's reading can be trusted: accuracy as ±(% of reading + counts), combined and carried along."""

import math
from dataclasses import dataclass, replace

from plentar.core.errors import MeterError, ReadingError
from plentar.core.message import Text, message

__all__ = ["DEMO_METER", "Meter", "MeterRange", "root_sum_square"]


@dataclass(frozen=True, slots=True, kw_only=True)
class MeterRange:
    """One function of a meter on one range: accuracy is ±(`percent` of reading + `counts` × `resolution`).

    `quantity` is the unit suffix the function reads in; `full_scale` and `resolution` are in that unit.
    """

    quantity: str
    percent: float
    counts: float
    resolution: float
    full_scale: float = math.inf

    def __post_init__(self) -> None:
        if not (0 <= self.percent < 100 and 0 <= self.counts < math.inf):
            raise MeterError(
                f"expected an accuracy of zero or more, got ±({self.percent} % + {self.counts})", field="percent"
            )
        if not 0 < self.resolution < math.inf or not self.full_scale > 0:
            raise MeterError(f"expected a resolution above zero, got {self.resolution}", field="resolution")

    def uncertainty(self, value: float) -> float:
        """Return the half-width a reading may be off by, in the unit of the reading.

        Example:
            >>> round(MeterRange(quantity="amps", percent=1.5, counts=2, resolution=0.1).uncertainty(18.1), 4)
            0.4715
        """
        return abs(value) * self.percent / 100 + self.counts_uncertainty

    @property
    def counts_uncertainty(self) -> float:
        """The counts alone: what is left when two readings of one meter on one range are compared."""
        return self.counts * self.resolution

    @property
    def spoken(self) -> Text:
        """The accuracy as printed in a manual: ±(1.5 % + 2 counts of 0.1).

        Example:
            >>> MeterRange(quantity="amps", percent=1.5, counts=2, resolution=0.1).spoken
            Message(id='metrology.counts', figures=(('percent', 1.5), ('counts', 2), ('resolution', 0.1)))
        """
        return message("metrology.counts", percent=self.percent, counts=self.counts, resolution=self.resolution)


@dataclass(frozen=True, slots=True, kw_only=True)
class Meter:
    """A shop's meter: its name, what each function is worth, and the day it was calibrated, as ISO 8601, if known."""

    name: str
    ranges: tuple[MeterRange, ...]
    calibrated_on: str = ""

    def range_for(self, quantity: str, value: float) -> MeterRange:
        """Return the smallest range of `quantity` that holds the value, or the largest there is.

        Raises:
            MeterError: The meter has no such function.
            ReadingError: The value is not a finite number.
        """
        if not math.isfinite(value):
            raise ReadingError(f"expected a number, got {value}", field="value")
        ranges = sorted((r for r in self.ranges if r.quantity == quantity), key=lambda r: r.full_scale)
        if not ranges:
            raise MeterError(f"{self.name} does not read {quantity}", field="meter")
        return next((r for r in ranges if abs(value) <= r.full_scale), ranges[-1])

    def held_on(self, quantity: str, full_scale: float) -> "Meter":
        """Return this meter with its knob on one range of a quantity, however small or large the value.

        Args:
            quantity: The unit suffix of the function.
            full_scale: Where the range ends, in the unit of the quantity.
        Raises:
            MeterError: The meter has no such range.
        Example:
            >>> DEMO_METER.held_on("ohms", 6e7).uncertainty("ohms", 11.5) > 30_000
            True
        """
        own = tuple(r for r in self.ranges if r.quantity == quantity and r.full_scale == full_scale)
        if not own:
            raise MeterError(f"{self.name} has no range of {quantity} that ends at {full_scale:g}", field="range")
        return replace(self, ranges=(*own, *(r for r in self.ranges if r.quantity != quantity)))

    def uncertainty(self, quantity: str, value: float) -> float:
        """Return the half-width for a reading of this quantity, in its unit."""
        return self.range_for(quantity, value).uncertainty(value)


def root_sum_square(*uncertainties: float) -> float:
    """Combine independent half-widths, all in one unit or all relative.

    Source:
        Root-sum-square of independent uncertainties; docs/trade.md, section 3.
    Example:
        >>> root_sum_square(3.0, 4.0)
        5.0
    """
    return math.hypot(*uncertainties)


DEMO_METER = Meter(
    name="House clamp meter",
    ranges=(
        MeterRange(quantity="amps", percent=1.5, counts=2, resolution=0.1, full_scale=400.0),
        MeterRange(quantity="volts", percent=0.7, counts=2, resolution=0.01, full_scale=6.0),
        MeterRange(quantity="volts", percent=0.7, counts=2, resolution=0.1, full_scale=600.0),
        MeterRange(quantity="dc_volts", percent=0.7, counts=2, resolution=0.1, full_scale=600.0),
        MeterRange(quantity="ohms", percent=1.0, counts=3, resolution=0.1, full_scale=600.0),
        MeterRange(quantity="ohms", percent=1.0, counts=3, resolution=1.0, full_scale=6e3),
        MeterRange(quantity="ohms", percent=1.5, counts=3, resolution=1e4, full_scale=6e7),
        MeterRange(quantity="microfarads", percent=2.0, counts=4, resolution=0.1, full_scale=600.0),
        MeterRange(quantity="degf", percent=0.5, counts=2, resolution=0.5, full_scale=500.0),
    ),
)
