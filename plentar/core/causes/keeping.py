"""Filling the unit's table: every place of the catalogue under one drive, solved and packed."""

from dataclasses import replace

import numpy as np

from plentar.core.causes.catalogue import catalogue
from plentar.core.causes.hypotheses import UnitModel, model_of
from plentar.core.causes.rounding import rounded
from plentar.core.causes.table import pack
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.spread import GHOST_OHMS
from plentar.core.unit.nameplate import Nameplate

__all__ = ["drives_of_table", "packed_row"]


def drives_of_table(circuit: Nameplate) -> tuple[Drive, ...]:
    """Return the drives a call is usually read under: the catalogue's, and where strips heat with their limits open."""
    plain = list(dict.fromkeys(test.drive for test in catalogue(circuit)))
    return (*plain, *(replace(drive, limits_open=True) for drive in plain))


def packed_row(circuit: Nameplate, drive: Drive) -> bytes:
    """Solve a circuit under one drive and return its row, to be kept.

    Source:
        docs/architecture.md, The unit's table: quantised to a tenth of a meter's last digit.
    """
    model = model_of(circuit)
    points = sorted({test.point for test in catalogue(circuit)})
    numbers, floating = zip(*(_column(model, point, drive) for point in points), strict=True)
    states = model.settled(drive).states
    return pack(points, numbers, floating, [row.astype(np.uint8).tobytes() for row in states])


def _column(model: UnitModel, point: str, drive: Drive) -> tuple[bytes, bytes]:
    found = model.solved(point, drive)
    return rounded(point, found.predicted).tobytes(), (found.source_ohms > GHOST_OHMS).astype(np.uint8).tobytes()
