"""Heat against the weather: what a heat pump gives, what a house loses, what strips must carry, how long it takes.

The capacity is the one of two rating points, 47 and 17 °F, drawn straight; a real one sags in defrost weather.
"""

import math
from dataclasses import dataclass, replace

from plentar.core.errors import ReadingError
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Grade, Verdict, grade
from plentar.core.message import message
from plentar.core.unit.electrical import BTU_PER_HOUR_PER_WATT

__all__ = ["HeatPump", "House", "balance_degf", "hours_to_recover", "judge_output", "strip_watts_needed"]

HIGH_POINT_DEGF, LOW_POINT_DEGF = 47.0, 17.0
# Less apart than this is one figure [kBtu/h].
SAME_KBTU = 0.1
# No house's air handler is larger than 10 tons, and none loses more than a barn in a gale.
MOST_BTU_PER_HOUR, MOST_LOSS = 150_000.0, 10_000.0


def _check(value: float, most: float, field: str, what: str) -> None:
    if not 0 < value <= most:
        raise ReadingError(f"expected {what} above zero and up to {most:g}, got {value:g}", field=field)


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatPump:
    """A heat pump by its two rating points [Btu/h]."""

    at_47_btu_per_hour: float
    at_17_btu_per_hour: float

    def __post_init__(self) -> None:
        _check(self.at_47_btu_per_hour, MOST_BTU_PER_HOUR, "at_47_btu_per_hour", "the capacity at 47 °F in Btu/h")
        _check(self.at_17_btu_per_hour, self.at_47_btu_per_hour, "at_17_btu_per_hour", "less at 17 °F than at 47 °F")

    @property
    def btu_per_hour_degf(self) -> float:
        """What each degree outdoors adds [Btu/h·°F]."""
        return (self.at_47_btu_per_hour - self.at_17_btu_per_hour) / (HIGH_POINT_DEGF - LOW_POINT_DEGF)

    def capacity_btu_per_hour(self, outdoor_degf: float) -> float:
        """Return what it gives at an outdoor temperature, never less than nothing [Btu/h].

        Example:
            >>> HeatPump(at_47_btu_per_hour=24000, at_17_btu_per_hour=13500).capacity_btu_per_hour(8.0)
            10350.0
        """
        return max(0.0, self.at_17_btu_per_hour + self.btu_per_hour_degf * (outdoor_degf - LOW_POINT_DEGF))


@dataclass(frozen=True, slots=True, kw_only=True)
class House:
    """A house by what it loses a degree and what it takes to warm it a degree."""

    loss_btu_per_hour_degf: float
    mass_btu_per_degf: float | None = None

    def __post_init__(self) -> None:
        _check(self.loss_btu_per_hour_degf, MOST_LOSS, "loss_btu_per_hour_degf", "a loss in Btu/h·°F")
        if self.mass_btu_per_degf is not None:
            _check(self.mass_btu_per_degf, 1e6, "mass_btu_per_degf", "a mass in Btu/°F")

    def loss_btu_per_hour(self, indoor_degf: float, outdoor_degf: float) -> float:
        """Return what it loses [Btu/h]; nothing while it is warmer outside."""
        return max(0.0, self.loss_btu_per_hour_degf * (indoor_degf - outdoor_degf))


def balance_degf(pump: HeatPump, house: House, indoor_degf: float) -> float:
    """Return the outdoor temperature at which the heat pump alone just holds the house [°F].

    Source:
        docs/trade.md, section 7: capacity falls with outdoor temperature, the loss rises; they cross there.
    Example:
        >>> pump = HeatPump(at_47_btu_per_hour=24000, at_17_btu_per_hour=13500)
        >>> round(balance_degf(pump, House(loss_btu_per_hour_degf=450), 70.0), 1)
        29.9
    """
    slope, loss = pump.btu_per_hour_degf, house.loss_btu_per_hour_degf
    return (loss * indoor_degf - pump.at_17_btu_per_hour + slope * LOW_POINT_DEGF) / (loss + slope)


def strip_watts_needed(pump: HeatPump | None, house: House, indoor_degf: float, outdoor_degf: float) -> float:
    """Return what the strips must carry to hold a house [W]; nothing above the balance point.

    Args:
        pump: The heat pump; None where it is locked out, or heat is by strips alone.
        house: The house.
        indoor_degf: What it is held at [°F].
        outdoor_degf: The weather [°F].
    Source:
        docs/trade.md, section 7: (loss − capacity) / 3.412.
    Example:
        >>> house = House(loss_btu_per_hour_degf=450)
        >>> round(strip_watts_needed(None, house, 70.0, 8.0))
        8177
    """
    capacity = pump.capacity_btu_per_hour(outdoor_degf) if pump is not None else 0.0
    return max(0.0, house.loss_btu_per_hour(indoor_degf, outdoor_degf) - capacity) / BTU_PER_HOUR_PER_WATT


def hours_to_recover(
    house: House, heat_btu_per_hour: float, *, outdoor_degf: float, start_degf: float, wanted_degf: float
) -> float:
    """Return how long a cold house takes to warm [h]; infinite where it never gets there.

    Args:
        house: The house, with its mass.
        heat_btu_per_hour: All that heats it: heat pump and strips [Btu/h].
        outdoor_degf: The weather [°F].
        start_degf: Where it begins [°F].
        wanted_degf: Where it is to end [°F].
    Raises:
        ReadingError: The house's mass is not known.
    Source:
        docs/trade.md, section 7: hours = (C/UA) · ln((T∞ − start)/(T∞ − wanted)), T∞ = outdoors + heat/UA.
    Example:
        >>> house = House(loss_btu_per_hour_degf=450, mass_btu_per_degf=8000)
        >>> round(hours_to_recover(house, 10350 + 34120, outdoor_degf=8, start_degf=50, wanted_degf=70), 1)
        7.7
        >>> hours_to_recover(house, 10350 + 17060, outdoor_degf=8, start_degf=50, wanted_degf=70)
        inf
    """
    if house.mass_btu_per_degf is None:
        raise ReadingError("the house's mass is not known: say its area or its build", field="mass_btu_per_degf")
    if start_degf >= wanted_degf:
        return 0.0
    final = outdoor_degf + heat_btu_per_hour / house.loss_btu_per_hour_degf
    if final <= wanted_degf:
        return math.inf
    constant = house.mass_btu_per_degf / house.loss_btu_per_hour_degf
    return constant * math.log((final - start_degf) / (final - wanted_degf))


def judge_output(
    pumps: tuple[HeatPump, HeatPump] | None,
    outdoor_degf: float | None,
    found_btu_per_hour: float,
    uncertainty: float,
    limits: Limits = DEFAULT_LIMITS,
) -> Verdict:
    """Hold what a heat pump gives, by its rise and the airflow found under the strips, against what it should.

    Args:
        pumps: The pump at its least and at its most.
        outdoor_degf: The weather [°F]; None where nobody said.
        found_btu_per_hour: CFM × the air's factor × the rise under Y alone [Btu/h].
        uncertainty: Its half-width [Btu/h].
        limits: The shop's.
    Source:
        docs/trade.md, section 7; section 2, airflow from electric heat, turned round.
    Example:
        >>> pump = HeatPump(at_47_btu_per_hour=24000, at_17_btu_per_hour=13500)
        >>> judge_output((pump, pump), 17.0, 8000.0, 500.0).grade.value
        'fail'
    """
    base = Verdict(
        grade=Grade.NOT_PROVEN, value=found_btu_per_hour / 1000, uncertainty=uncertainty / 1000, unit="kBtu/h"
    )
    if pumps is None or outdoor_degf is None:
        return replace(base, because=message("heat_pump.no-expected"))
    least, most = (pump.capacity_btu_per_hour(outdoor_degf) for pump in pumps)
    around = limits.band("pump_output_ratio")
    low, high = least / 1000, most / 1000
    band = replace(
        around,
        marginal_low=around.marginal_low * low,
        pass_low=around.pass_low * low,
        pass_high=around.pass_high * high,
        marginal_high=around.marginal_high * high,
    )
    result = grade(base.value, base.uncertainty, band)
    if high - low < SAME_KBTU:
        words = message("heat_pump.should-give", high=high, outdoor=outdoor_degf)
    else:
        words = message("heat_pump.should-give-about", low=low, high=high, outdoor=outdoor_degf)
    kind = "" if result is Grade.PASS else "low" if base.value < low else "high"
    return replace(base, grade=result, band=band, expected=(low + high) / 2, because=words, kind=kind)
