"""What a conductor may carry: its own column, corrected for heat and bundling, capped by what it ends on.

A conductor has an ampacity, a device a rating. General figures of a US model code: check your local code. Its sections
are named in docs/trade.md, section 2.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from plentar.core.errors import NameplateError
from plentar.core.unit.supply_path import COLDEST_DEGF, HOTTEST_DEGF, MOST_CARRYING, SIZES, STANDARD_DEVICES

__all__ = [
    "AMPACITIES",
    "STANDARD_DEVICES",
    "Column",
    "Metal",
    "WireRun",
    "next_device",
    "smallest_wire",
]

Metal = Literal["copper", "aluminium"]
Column = Literal[60, 75, 90]
COLUMNS: tuple[Column, ...] = (60, 75, 90)
# docs/trade.md, section 2, ampacity: amps in the 60, 75 and 90 °C columns.
AMPACITIES: Mapping[Metal, Mapping[str, tuple[float, float, float]]] = {
    "copper": {
        "14": (15, 20, 25), "12": (20, 25, 30), "10": (30, 35, 40), "8": (40, 50, 55), "6": (55, 65, 75),
        "4": (70, 85, 95), "3": (85, 100, 115), "2": (95, 115, 130), "1": (110, 130, 145), "1/0": (125, 150, 170),
        "2/0": (145, 175, 195), "3/0": (165, 200, 225), "4/0": (195, 230, 260),
    },
    "aluminium": {
        "12": (15, 20, 25), "10": (25, 30, 35), "8": (35, 40, 45), "6": (40, 50, 55), "4": (55, 65, 75),
        "3": (65, 75, 85), "2": (75, 90, 100), "1": (85, 100, 115), "1/0": (100, 120, 135), "2/0": (115, 135, 150),
        "3/0": (130, 155, 175), "4/0": (150, 180, 205),
    },
}  # fmt: skip
# The same section: what of its own column is left above 30 °C, up to and with each step [°C].
AMBIENTS: Mapping[Column, tuple[tuple[float, float], ...]] = {
    60: ((30, 1.0), (35, 0.91), (40, 0.82), (45, 0.71), (50, 0.58), (55, 0.41)),
    75: ((30, 1.0), (35, 0.94), (40, 0.88), (45, 0.82), (50, 0.75), (55, 0.67), (60, 0.58)),
    90: ((30, 1.0), (35, 0.96), (40, 0.91), (45, 0.87), (50, 0.82), (55, 0.76), (60, 0.71), (65, 0.65)),
}
# The same: what is left with so many current-carrying conductors together.
BUNDLES = ((3, 1.0), (6, 0.8), (9, 0.7), (20, 0.5))
# The same: the largest device on a small conductor, whatever its column.
SMALL: Mapping[Metal, Mapping[str, float]] = {
    "copper": {"14": 15, "12": 20, "10": 30},
    "aluminium": {"12": 15, "10": 25},
}


def next_device(amps: float) -> float:
    """Return the smallest standard device not below some amps [A]; infinite above the largest.

    Source:
        docs/trade.md, section 2: code school.
    Example:
        >>> next_device(55.8), next_device(60.0), next_device(60.1)
        (60, 60, 70)
    """
    # 1.25 × 48 A is 60 A, not a hair more.
    return next((size for size in STANDARD_DEVICES if size >= amps - 1e-9), math.inf)


@dataclass(frozen=True, slots=True, kw_only=True)
class WireRun:
    """One stretch of conductors between two terminations.

    Attributes:
        metal: Copper or aluminium.
        size: From 14 to 4/0.
        column: The insulation's own temperature [°C].
        terminal_column: What both its ends are marked for [°C]; None where nothing is marked.
        ambient_degf: The hottest place it runs through [°F].
        carrying: Current-carrying conductors together, itself included.
        is_jacketed: A cable with a paper or plastic jacket: its 60 °C column, whatever the insulation.
    Raises:
        NameplateError: No such size of that metal, or a figure that cannot be; `field` names it.
    """

    metal: Metal
    size: str
    column: Column = 75
    terminal_column: Column | None = None
    ambient_degf: float = 86.0
    carrying: int = 2
    is_jacketed: bool = False

    def __post_init__(self) -> None:
        if self.metal not in AMPACITIES:
            raise NameplateError(f"expected 'copper' or 'aluminium', got {self.metal!r}", field="metal")
        if self.size not in AMPACITIES[self.metal]:
            made = [size for size in SIZES if size in AMPACITIES[self.metal]]
            raise NameplateError(f"expected {self.metal} from {made[0]} to {made[-1]}, got {self.size!r}", field="size")
        for field, column in (("column", self.column), ("terminal_column", self.terminal_column)):
            if column is not None and column not in COLUMNS:
                raise NameplateError(f"expected 60, 75 or 90 °C, got {column}", field=field)
        if not COLDEST_DEGF <= self.ambient_degf <= HOTTEST_DEGF:
            raise NameplateError(
                f"expected {COLDEST_DEGF:g} to {HOTTEST_DEGF:g} °F, got {self.ambient_degf:g}", field="ambient_degf"
            )
        if not 1 <= self.carrying <= MOST_CARRYING:
            raise NameplateError(f"expected 1 to {MOST_CARRYING} conductors, got {self.carrying}", field="carrying")

    @property
    def ambient_factor(self) -> float:
        """What the heat around it leaves of its own column; 0 where that insulation is not permitted."""
        degc = (self.ambient_degf - 32.0) / 1.8
        return next((left for upto, left in AMBIENTS[self.column] if degc <= upto + 1e-9), 0.0)

    @property
    def bundle_factor(self) -> float:
        """What its neighbours leave of it."""
        return next(left for upto, left in BUNDLES if self.carrying <= upto)

    @property
    def corrected_amps(self) -> float:
        """Its own column after heat and bundling, before any cap [A]."""
        return self._column_amps(self.column) * self.ambient_factor * self.bundle_factor

    @property
    def cap_column(self) -> Column:
        """The column its ends, or its jacket, cap it at: 60 °C where nothing is marked, up to 100 A."""
        if self.is_jacketed:
            return 60
        if self.terminal_column is not None:
            return self.terminal_column
        return 60 if self._column_amps(60) <= 100 else 75

    @property
    def ampacity_amps(self) -> float:
        """What it may carry [A].

        Source:
            docs/trade.md, section 2: correct from the conductor's own column, then cap at the terminal or cable column.
        Example:
            >>> attic = WireRun(metal="copper", size="8", column=90, terminal_column=60, ambient_degf=130.0)
            >>> round(attic.corrected_amps, 1), attic.ampacity_amps
            (41.8, 40)
        """
        return min(self.corrected_amps, self._column_amps(self.cap_column))

    @property
    def largest_device_amps(self) -> float:
        """The largest device that protects it [A]; 0 where it may carry nothing.

        Source:
            docs/trade.md, section 2: the corrected ampacity itself when that is a standard size, else the next one up;
            14 to 10 AWG the smaller of that and their fixed limit.
        Example:
            >>> WireRun(metal="aluminium", size="2", terminal_column=75).largest_device_amps
            90
        """
        if self.ampacity_amps <= 0:
            return 0.0
        return min(next_device(self.ampacity_amps), SMALL[self.metal].get(self.size, math.inf))

    def _column_amps(self, column: Column) -> float:
        return AMPACITIES[self.metal][self.size][COLUMNS.index(column)]


def smallest_wire(amps: float, *, metal: Metal, column: Column, terminal_column: Column | None = None) -> str:
    """Return the smallest size that may carry some amps where it is cool and alone; empty where none may.

    Example:
        >>> smallest_wire(55.8, metal="copper", column=75, terminal_column=75)
        '6'
        >>> smallest_wire(55.8, metal="copper", column=75, terminal_column=60)
        '4'
    """
    for size in SIZES:
        if size not in AMPACITIES[metal]:
            continue
        if WireRun(metal=metal, size=size, column=column, terminal_column=terminal_column).ampacity_amps >= amps:
            return size
    return ""
