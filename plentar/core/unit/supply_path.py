"""What stands between the panel and the strips: breakers, wire, disconnects, lugs, what is shared with another unit.

None is not known, everywhere: nobody read it, and nothing is judged by a guess in its place.
"""

from dataclasses import dataclass
from typing import Literal

from plentar.core.errors import NameplateError
from plentar.core.unit.checked import PlateValue, require_above_zero, require_id, require_within

__all__ = [
    "SIZES",
    "STANDARD_DEVICES",
    "BranchDevice",
    "Conductor",
    "Disconnect",
    "Feed",
    "Lugs",
    "Opening",
    "SharedSupply",
]

Metal = Literal["copper", "aluminium"]
# How both legs open together, or do not: docs/trade.md, section 1.
Opening = Literal["two-pole", "handle-tie", "fuses", "untied"]
SIZES = ("14", "12", "10", "8", "6", "4", "3", "2", "1", "1/0", "2/0", "3/0", "4/0")
# docs/trade.md, section 2: the standard overcurrent devices [A].
STANDARD_DEVICES: tuple[float, ...] = (
    15, 20, 25, 30, 35, 40, 45, 50, 60, 70, 80, 90, 100, 110, 125, 150, 175, 200,
)  # fmt: skip
# Colder than an ice house or hotter than any insulation is a slip of the key; more conductors share no conduit here.
COLDEST_DEGF, HOTTEST_DEGF, MOST_CARRYING = -60.0, 200.0, 20


def _require_device(amps: float | None, field: str) -> None:
    require_above_zero(amps, field, "a breaker rating in amps")
    if amps is not None and amps <= STANDARD_DEVICES[-1] and amps not in STANDARD_DEVICES:
        sizes = ", ".join(f"{size:g}" for size in STANDARD_DEVICES)
        raise NameplateError(f"expected a standard size, {sizes} A, got {amps:g}", field=field)


@dataclass(frozen=True, slots=True, kw_only=True)
class Conductor(PlateValue):
    """One feed's wire between panel and unit; `length_feet` is one way.

    `insulation_degc` is the conductor's own column, `terminals_degc` what both its ends are marked for, `ambient_degf`
    the hottest place it runs through, `carrying` the current-carrying conductors together, itself included.
    """

    metal: Metal
    size: str
    length_feet: float
    insulation_degc: Literal[60, 75, 90] | None = None
    terminals_degc: Literal[60, 75] | None = None
    ambient_degf: float | None = None
    carrying: int | None = None
    cable: Literal["jacketed", "single"] | None = None

    def __post_init__(self) -> None:
        if self.size not in SIZES:
            raise NameplateError(f"expected a wire size from 14 to 4/0, got {self.size!r}", field="size")
        if self.metal == "aluminium" and self.size == "14":
            raise NameplateError("expected aluminium from 12 to 4/0, got '14'", field="size")
        require_above_zero(self.length_feet, "length_feet", "a length in feet")
        require_within(self.ambient_degf, COLDEST_DEGF, HOTTEST_DEGF, "ambient_degf", "°F")
        require_within(self.carrying, 1, MOST_CARRYING, "carrying", "conductors")


@dataclass(frozen=True, slots=True, kw_only=True)
class Disconnect(PlateValue):
    """What opens a feed beside the unit; `fused` and `breaker` limit the current too, the others only open it."""

    kind: Literal["switch", "pull-out", "fused", "breaker"]
    rated_amps: float | None = None
    opens: Opening | None = None

    def __post_init__(self) -> None:
        require_above_zero(self.rated_amps, "rated_amps", "a rating in amps")


@dataclass(frozen=True, slots=True, kw_only=True)
class Lugs(PlateValue):
    """The terminals a feed lands on in the unit: the sizes they take, the metals they are marked for, its strands."""

    smallest: str | None = None
    largest: str | None = None
    marked_for: Literal["copper", "both"] | None = None
    strands: Literal["whole", "cut"] | None = None

    def __post_init__(self) -> None:
        for field in ("smallest", "largest"):
            size = getattr(self, field)
            if size is not None and size not in SIZES:
                raise NameplateError(f"expected a wire size from 14 to 4/0, got {size!r}", field=field)
        if self.smallest and self.largest and SIZES.index(self.smallest) > SIZES.index(self.largest):
            raise NameplateError(f"expected {self.smallest} or more, got {self.largest!r}", field="largest")


@dataclass(frozen=True, slots=True, kw_only=True)
class Feed(PlateValue):
    """One supply to the unit: panel breaker, conductors, disconnect, and what stands at the unit's end.

    `behind` names what it shares with others ahead of its breaker: a sub-panel or service disconnect of the plate.
    """

    id: str
    breaker_amps: float | None = None
    conductor: Conductor | None = None
    at_unit: Literal["breaker", "switch", "lugs"] = "lugs"
    unit_device_amps: float | None = None
    opens: Opening | None = None
    disconnect: Disconnect | None = None
    lugs: Lugs | None = None
    behind: str | None = None

    def __post_init__(self) -> None:
        require_id(self.id, "id")
        _require_device(self.breaker_amps, "breaker_amps")
        require_above_zero(self.unit_device_amps, "unit_device_amps", "a device rating in amps")
        if self.at_unit == "breaker":
            _require_device(self.unit_device_amps, "unit_device_amps")


@dataclass(frozen=True, slots=True, kw_only=True)
class BranchDevice(PlateValue):
    """One built-in breaker or switch that divides a large feed inside the unit."""

    id: str
    feed: str
    kind: Literal["breaker", "switch"] = "breaker"
    rated_amps: float | None = None
    opens: Opening | None = None

    def __post_init__(self) -> None:
        require_id(self.id, "id")
        require_above_zero(self.rated_amps, "rated_amps", "a device rating in amps")
        if self.kind == "breaker":
            _require_device(self.rated_amps, "rated_amps")


@dataclass(frozen=True, slots=True, kw_only=True)
class SharedSupply(PlateValue):
    """A sub-panel or service disconnect ahead of one or several feeds, and of the outdoor unit where it hangs there.

    `outdoor_amps` are the outdoor unit's label amps (its MCA); zero says that it is fed from elsewhere.
    """

    id: str
    kind: Literal["sub-panel", "service-disconnect"] = "sub-panel"
    rated_amps: float | None = None
    opens: Opening | None = None
    conductor: Conductor | None = None
    outdoor_amps: float | None = None

    def __post_init__(self) -> None:
        require_id(self.id, "id")
        _require_device(self.rated_amps, "rated_amps")
        require_within(self.outdoor_amps, 0, 200, "outdoor_amps", "A")
