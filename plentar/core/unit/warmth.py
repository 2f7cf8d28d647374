"""What a plate knows of heat against the weather: the heat pump's two rating points, its outdoor thermostat, the house.

None is not known; what a house loses may be told in three ways, and the surest that was told counts.
"""

from dataclasses import dataclass
from typing import Literal

from plentar.core.errors import NameplateError
from plentar.core.unit.checked import PlateValue, require_above_zero, require_within

__all__ = ["HeatPumpPlate", "HousePlate", "SteadyState"]

COLDEST_DEGF, HOTTEST_DEGF = -60.0, 130.0


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatPumpPlate(PlateValue):
    """The outdoor unit: capacity at 47 and 17 °F [Btu/h], or only its tons; what locks it out; whether it is used.

    `lockout_degf` is an outdoor thermostat in Y: below it the compressor stays off; `stage_degf` one in W or W2: above
    it those strips stay off. `is_used` is no where the thermostat never calls it, as one of the wrong kind does not.
    """

    at_47_btu_per_hour: float | None = None
    at_17_btu_per_hour: float | None = None
    tons: float | None = None
    watts_at_47: float | None = None
    watts_at_17: float | None = None
    lockout_degf: float | None = None
    stage_degf: float | None = None
    is_used: Literal["yes", "no", "wrong-thermostat"] | None = None

    def __post_init__(self) -> None:
        for field in ("at_47_btu_per_hour", "at_17_btu_per_hour"):
            require_within(getattr(self, field), 1_000, 150_000, field, "Btu/h")
        require_within(self.tons, 0.5, 10, "tons", "tons")
        for field in ("watts_at_47", "watts_at_17"):
            require_within(getattr(self, field), 100, 20_000, field, "W")
        require_within(self.lockout_degf, COLDEST_DEGF, HOTTEST_DEGF, "lockout_degf", "°F")
        require_within(self.stage_degf, COLDEST_DEGF, HOTTEST_DEGF, "stage_degf", "°F")
        high, low = self.at_47_btu_per_hour, self.at_17_btu_per_hour
        if high is not None and low is not None and low >= high:
            raise NameplateError(
                f"expected less at 17 °F than {high:g} at 47 °F, got {low:g}", field="at_17_btu_per_hour"
            )


@dataclass(frozen=True, slots=True, kw_only=True)
class SteadyState(PlateValue):
    """A house seen to hold: what heated it, for how long, how far it swung, indoors and out."""

    heat_btu_per_hour: float
    hours: float
    swing_degf: float
    indoor_degf: float
    outdoor_degf: float

    def __post_init__(self) -> None:
        require_within(self.heat_btu_per_hour, 1, 300_000, "heat_btu_per_hour", "Btu/h")
        require_within(self.hours, 0, 72, "hours", "h")
        require_within(self.swing_degf, 0, 40, "swing_degf", "°F")
        require_within(self.indoor_degf, COLDEST_DEGF, HOTTEST_DEGF, "indoor_degf", "°F")
        require_within(self.outdoor_degf, COLDEST_DEGF, HOTTEST_DEGF, "outdoor_degf", "°F")
        if self.indoor_degf <= self.outdoor_degf:
            raise NameplateError("expected it warmer indoors than out", field="indoor_degf")


@dataclass(frozen=True, slots=True, kw_only=True)
class HousePlate(PlateValue):
    """The house: a design point (loss at indoor and outdoor °F), its area with how tight it is, a steady state seen.

    `mass_btu_per_degf` is what it takes to warm it a degree; by its area it is a stated guess.
    """

    design_btu_per_hour: float | None = None
    design_outdoor_degf: float | None = None
    design_indoor_degf: float = 70.0
    area_square_feet: float | None = None
    build: Literal["tight", "usual", "leaky"] = "usual"
    steady: SteadyState | None = None
    mass_btu_per_degf: float | None = None
    held_degf: float = 70.0

    def __post_init__(self) -> None:
        require_within(self.design_btu_per_hour, 1, 300_000, "design_btu_per_hour", "Btu/h")
        require_within(self.design_outdoor_degf, COLDEST_DEGF, HOTTEST_DEGF, "design_outdoor_degf", "°F")
        require_within(self.design_indoor_degf, 40, 90, "design_indoor_degf", "°F")
        require_within(self.held_degf, 40, 90, "held_degf", "°F")
        require_within(self.area_square_feet, 100, 20_000, "area_square_feet", "sq ft")
        require_above_zero(self.mass_btu_per_degf, "mass_btu_per_degf", "Btu/°F")
        if self.design_outdoor_degf is not None and self.design_outdoor_degf >= self.design_indoor_degf:
            raise NameplateError("expected the design point colder outdoors than in", field="design_outdoor_degf")
