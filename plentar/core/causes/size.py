"""How large a fault is: the ohms that fit what was read, and what they make of volts and heat."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.fault import Fault
from plentar.core.causes.hypotheses import UnitModel
from plentar.core.causes.supply import Supply
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.network import HOT_AMPS
from plentar.core.message import Text, message
from plentar.core.unit.place import amps_at, place_of, volts_at

__all__ = ["SizedReading", "size_of"]

Floats = NDArray[np.float64]
# From a hundredth of an ohm to a hundred, forty steps to a decade: finer than any meter tells.
GRID = np.logspace(-2, 2, 161)

# Sizes that the readings fit nearly as well as the best one: two standard deviations. Ends nearer than a third are told
# as one number.
NEAR_MISFIT, WIDE_RATIO = 2.0, 1.35


@dataclass(frozen=True, slots=True)
class SizedReading:
    """One reading as it bears on a size: what was read, how far it may be off, what each row shows at nominal."""

    value: float
    width: float
    predicted: Floats


def size_of(
    model: UnitModel, fault: Fault, seen: Sequence[SizedReading], drive: Drive, supply: Supply, posterior: Floats
) -> Text:
    """Return a resistive fault's size in words; nothing where it has none or nothing tells it.

    Args:
        model: The unit's hypotheses.
        fault: A burnt contact, a loose joint or an element of other ohms.
        seen: What was read that its size changes.
        drive: The condition its volts and watts are told for.
        supply: Each hypothesis's measured over nominal supply.
        posterior: Each hypothesis's share.
    Source:
        In one resistance R of a settled linear circuit every volt and amp is (a + bR)/(1 + cR): three solves give all
        of them. Watts are V²/R (docs/trade.md, section 9).
    """
    own = [name for name in fault.variants[0].ohms if place_of(name).is_to_frame]
    if own:
        return _touch(model, fault, posterior)
    key = _resistance(model, fault)
    rows = [i for i, h in enumerate(model.hypotheses) if len(h.faults) == 1 and h.faults[0].id == fault.id]
    if key is None or not seen:
        return ""
    name, sizes, well = key
    picked, known = _around(model, drive, [0, *rows], np.array([well, *sizes]), posterior)
    if len(picked) < 3:
        return ""
    place = place_of(name)
    grid = GRID if not place.is_element else well * np.linspace(0.25, 2.2, 196)
    # The supply is measured at the unit, where the fault itself may sag it: it follows the size as all else does.
    where = amps_at(place.owner) if place.is_element else volts_at(*_ends(model, name))
    ratio = 1 / _through(known, 1 / supply.at(where)[picked], grid)
    misfit = np.zeros(len(grid))
    for reading in seen:
        predicted = ratio * _through(known, reading.predicted[picked], grid)
        misfit += 0.5 * ((reading.value - predicted) / reading.width) ** 2
    best = int(np.argmin(misfit))
    # A size nothing bends the readings by is none.
    if misfit.max() - misfit[best] < 2.0:
        return ""
    near = np.flatnonzero(misfit - misfit[best] <= NEAR_MISFIT)
    ends = [int(near[0]), best, int(near[-1])]
    least, ohms, most = (float(grid[at]) for at in ends)
    if place.is_element:
        strip = model.plate.circuit(place.owner)
        low, kilowatts, high = (_two_digits(strip.rated_volts**2 / own / 1000) for own in (most, ohms, least))
        told = _two_digits(ohms)
        if most <= WIDE_RATIO * least:
            return message("size.element", ohms=told, kilowatts=kilowatts)
        return message("size.element-between", least=low, most=high, ohms=told, kilowatts=kilowatts)
    across = model.predict(where, drive).predicted
    volts = [float(ratio[at] * _through(known, across[picked], grid[at : at + 1])[0]) for at in ends]
    watts = [_two_digits(v * v / own) for v, own in zip(volts, (least, ohms, most), strict=True)]
    if most <= WIDE_RATIO * least:
        return message("size.joint", ohms=_two_digits(ohms), volts=_two_digits(volts[1]), watts=watts[1])
    return message(
        "size.joint-between",
        least=_two_digits(least),
        most=_two_digits(most),
        least_watts=min(watts),
        most_watts=max(watts),
        ohms=_two_digits(ohms),
        volts=_two_digits(volts[1]),
        watts=watts[1],
    )


def _touch(model: UnitModel, fault: Fault, posterior: Floats) -> Text:
    """Return about where an element touches the frame, and whether its limit can stop what it draws uncalled."""
    rows = [i for i, h in enumerate(model.hypotheses) if len(h.faults) == 1 and h.faults[0].id == fault.id]
    best = max(rows, key=lambda row: posterior[row])
    strip = model.plate.circuit(place_of(fault.part).owner)
    shares = np.array([_share(h.faults[0], h.variant, strip.element_ohms) for h in (model.hypotheses[i] for i in rows)])
    # In tenths, between the sizes listed: nobody looks closer before it is out.
    tenths = round(10 * float(posterior[rows] @ shares / max(posterior[rows].sum(), 1e-300)))
    drawn, stopped = (
        max(float(model.predict(amps_at(clamp), drive).predicted[best]) for clamp in (strip.id, f"{strip.id}.return"))
        for drive in (Drive(), Drive(limits_open=True))
    )
    told = "size.touches" if drawn < HOT_AMPS else "size.touches-stopped" if stopped < HOT_AMPS else "size.touches-on"
    return message(told, tenths=tenths)


def _share(fault: Fault, variant: int, whole: float) -> float:
    """Return where along its wire an element touches, from the end toward leg 1."""
    ohms = fault.variants[variant].ohms
    path = next(name for name in ohms if place_of(name).is_to_frame)
    part = abs(ohms[path][0]) / whole
    return part if path.endswith("1") else 1 - part


def _around(
    model: UnitModel, drive: Drive, rows: Sequence[int], sizes: Floats, posterior: Floats
) -> tuple[list[int], Floats]:
    """Return the three rows about the likeliest size in which the same contacts are closed, and their sizes.

    Beyond a contact that drops out or a breaker that trips another circuit is solved, and the formula is of another.
    """
    states = model.contacts(drive)
    order = np.argsort(sizes)
    by_size = [rows[i] for i in order]
    best = max(by_size[1:] if by_size[0] == rows[0] else by_size, key=lambda row: posterior[row] * (row != rows[0]))
    alike = [i for i, row in zip(order, by_size, strict=True) if (states[row] == states[best]).all()]
    nearest = sorted(alike, key=lambda i: abs(by_size.index(rows[i]) - by_size.index(best)))[:3]
    return [rows[i] for i in nearest], sizes[nearest]


def _resistance(model: UnitModel, fault: Fault) -> tuple[str, list[float], float] | None:
    """Return the one piece a fault makes larger or smaller, its sizes and its sound ohms."""
    first = fault.variants[0]
    if len(fault.variants) < 2:
        return None
    if len(first.contact_ohms) == 1:
        [name] = first.contact_ohms
        well = next(contact.ohms for contact in model.circuit.contacts if contact.id == name)
        return name, [v.contact_ohms[name] for v in fault.variants], well
    if len(first.split) == 1:
        [name] = first.split
        return name, [v.split[name] for v in fault.variants], 0.0
    if len(first.ohms) == 1:
        [name] = first.ohms
        sizes = [v.ohms[name][1] for v in fault.variants]
        if place_of(name).is_element:
            return name, sizes, model.plate.circuit(place_of(name).owner).element_ohms
    return None


def _through(at: Floats, values: Floats, ohms: Floats) -> Floats:
    """Return (a + bR)/(1 + cR) through three points."""
    table = np.stack([np.ones(3), at, -at * values], axis=1)
    a, b, c = np.linalg.lstsq(table, values, rcond=None)[0]
    found: Floats = (a + b * ohms) / (1 + c * ohms)
    return found


def _ends(model: UnitModel, name: str) -> tuple[str, str]:
    both = {(x.id, x.a, x.b) for x in model.circuit.contacts} | {(x.id, x.a, x.b) for x in model.circuit.leads}
    return next((a, b) for own, a, b in both if own == name)


def _two_digits(value: float) -> float:
    if value <= 0:
        return 0.0
    digits = 1 - math.floor(math.log10(value))
    return round(value, digits)
