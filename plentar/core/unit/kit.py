"""What is usual where a plate is not complete: how kilowatts split, which figure stands in for an unknown one."""

import math
from dataclasses import dataclass

from plentar.core.errors import NameplateError

__all__ = ["USUAL_BLOWER_AMPS", "USUAL_TRANSFORMER_VA", "USUAL_WATTS", "USUAL_WIRE_FEET", "Kit", "split_watts"]

# The commonest element; docs/trade.md, section 1.
USUAL_WATTS = 5000.0
# A half-horse PSC motor, between the 1.5 A of a small unit's and the 6 A of a large one's.
USUAL_BLOWER_AMPS = 3.0
# The smallest in use, so that room on the control side is never overstated.
USUAL_TRANSFORMER_VA = 40.0
# From a panel in the garage to an air handler in the attic.
USUAL_WIRE_FEET = 40.0
# 30 kW, the largest kit for a house.
MOST_CIRCUITS = 6


# The amps a house's air handler can have on its label; more is a decimal point.
MOST_LABEL_AMPS = 300.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Kit:
    """A heat kit as its label gives it: what it heats at 240 and at 208 V, on how many strips, and its circuit.

    Source:
        docs/trade.md, section 2: a printed MCA and maximum overcurrent device win when legible; 240 V parts on 208 V
        give 75 %.
    """

    model: str
    kilowatts_240: float
    strips: int
    kilowatts_208: float | None = None
    minimum_circuit_amps: float | None = None
    maximum_device_amps: float | None = None

    def __post_init__(self) -> None:
        if not self.model.strip() or len(self.model) > 120:
            raise NameplateError("expected the kit's model, up to 120 letters", field="model")
        split_watts(1000 * self.kilowatts_240, self.strips)
        if self.kilowatts_208 is not None and not 0 < self.kilowatts_208 <= self.kilowatts_240:
            raise NameplateError(
                f"expected more than 0 and no more than at 240 V, got {self.kilowatts_208:g} kW", field="kilowatts_208"
            )
        for name in ("minimum_circuit_amps", "maximum_device_amps"):
            amps = getattr(self, name)
            if amps is not None and not 0 < amps <= MOST_LABEL_AMPS:
                raise NameplateError(f"expected above 0 and up to {MOST_LABEL_AMPS:g} A, got {amps:g}", field=name)


def split_watts(kit_watts: float, circuits: int | None = None) -> tuple[float, ...]:
    """Return how a kit's watts are usually divided among its heating circuits [W].

    Args:
        kit_watts: The whole kit [W].
        circuits: How many limits were counted; without it, as many as keep each at 5 kW or less.
    Raises:
        NameplateError: Not above zero, or more circuits than an air handler holds.
    Source:
        docs/trade.md, section 1: the number of limits normally tells the number of circuits. Kits are built of equal
        elements of at most 5 kW; elements in one kit may differ, so each can be changed afterwards.
    Example:
        >>> split_watts(10000.0), split_watts(8000.0), split_watts(15000.0, 4)
        ((5000.0, 5000.0), (4000.0, 4000.0), (3750.0, 3750.0, 3750.0, 3750.0))
    """
    if not 0 < kit_watts <= 60e3:
        raise NameplateError(f"expected a kit above 0 and up to 60 kW, got {kit_watts / 1000:g}", field="kit_watts")
    count = circuits if circuits is not None else math.ceil(kit_watts / USUAL_WATTS - 1e-9)
    if not 1 <= count <= MOST_CIRCUITS:
        raise NameplateError(f"expected 1 to {MOST_CIRCUITS} heating circuits, got {count}", field="limits")
    return (kit_watts / count,) * count
