"""The whole numbers of the unit's table by arrays: what `table` does with one value, for all hypotheses at once."""

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.table import LEAD_OHMS, OPEN_NUMBER, PER_DECADE, PER_UNIT
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.place import spot_of

__all__ = ["rounded", "values_of"]

Floats = NDArray[np.float64]


def rounded(point: str, values: Floats) -> NDArray[np.int32]:
    """Return `table.to_int` of each value at a point."""
    is_ohms = spot_of(point).is_ohms
    steps = PER_DECADE * np.log10(np.minimum(values, OPEN_OHMS) + LEAD_OHMS) if is_ohms else PER_UNIT * values
    whole: NDArray[np.int32] = np.rint(steps).astype("<i4")
    return whole


def values_of(point: str, numbers: NDArray[np.int32]) -> Floats:
    """Return `table.value_of` of each whole number at a point."""
    whole = numbers.astype(np.float64)
    if not spot_of(point).is_ohms:
        return whole / PER_UNIT
    ohms = np.maximum(10.0 ** (whole / PER_DECADE) - LEAD_OHMS, 0.0)
    found: Floats = np.where(numbers >= OPEN_NUMBER, OPEN_OHMS, ohms)
    return found
