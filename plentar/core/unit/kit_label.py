"""What the label of a heat kit says: kilowatts at rated volts, at one or two voltages, put on a wiring."""

import re
from dataclasses import dataclass, replace

from plentar.core.errors import NameplateError
from plentar.core.unit.nameplate import Nameplate

__all__ = ["KitLabel", "read_kit_label", "with_kit"]

# Kits for dwellings: from one small strip to the largest that feeds of 60 A carry.
LEAST_KILOWATTS, MOST_KILOWATTS = 1.0, 60.0
LEAST_VOLTS, MOST_VOLTS = 200.0, 300.0
NUMBER = re.compile(r"\d{1,3}(\.\d{1,3})?\Z")


@dataclass(frozen=True, slots=True, kw_only=True)
class KitLabel:
    """A kit's power [W] at its rated volts [V]; None for volts the label does not give."""

    watts: float
    volts: float | None


def read_kit_label(kilowatts: str, volts: str) -> KitLabel:
    """Read a label as it is typed: `10`, or the pair of a label with two voltages, `7.5/10` at `208/240`.

    Returns:
        The figure at the higher voltage: one resistance gives both.
    Raises:
        NameplateError: A number that is none or out of range, or pairs that are not of one resistance; `field` is
            `kit_kw` or `kit_volts`.
    Example:
        >>> read_kit_label("7.5/10", "208/240")
        KitLabel(watts=10000.0, volts=240.0)
        >>> read_kit_label("9.6", "")
        KitLabel(watts=9600.0, volts=None)
    """
    power = _numbers(kilowatts, "kit_kw", "kW", LEAST_KILOWATTS, MOST_KILOWATTS)
    rated = _numbers(volts, "kit_volts", "V", LEAST_VOLTS, MOST_VOLTS) if volts.strip() else []
    if not rated and len(power) == 1:
        return KitLabel(watts=power[0] * 1000, volts=None)
    if len(rated) != len(power):
        raise NameplateError(
            f"enter one voltage for each kW figure; you entered {len(power)} kW and {len(rated)} V", field="kit_volts"
        )
    pairs = sorted(zip(rated, power, strict=True))
    ohms = [v * v / (p * 1000) for v, p in pairs]
    # Labels round to a tenth or a quarter of a kilowatt.
    if max(ohms) > 1.08 * min(ohms):
        raise NameplateError("those two pairs are not of one element: check kW and volts on the label", field="kit_kw")
    return KitLabel(watts=pairs[-1][1] * 1000, volts=pairs[-1][0])


def _numbers(typed: str, field: str, unit: str, least: float, most: float) -> list[float]:
    parts = [part.strip() for part in typed.replace("kW", "").replace("V", "").split("/")]
    if len(parts) > 2 or not all(NUMBER.match(part) for part in parts):
        raise NameplateError(f"enter {unit} as a number, or two with a slash; you entered “{typed[:20]}”", field=field)
    values = [float(part) for part in parts]
    if not all(least <= value <= most for value in values):
        raise NameplateError(f"enter {unit} between {least:g} and {most:g}; you entered {typed[:20]}", field=field)
    return values


def with_kit(plate: Nameplate, label: KitLabel) -> Nameplate:
    """Return a wiring with a kit's power split evenly over its strips; volts not given are the service's, assumed.

    Example:
        >>> from plentar.core.unit.patterns import PATTERNS, structure_of
        >>> made = with_kit(structure_of(PATTERNS["two-strip-sequencer"]()), KitLabel(watts=10e3, volts=None))
        >>> made.circuits[1].rated_watts, made.rating_is_assumed("strip-b"), made.volts_are_assumed("strip-b")
        (5000.0, False, True)
    """
    each = label.watts / len(plate.circuits)
    volts = label.volts or plate.nominal_volts
    known = ["watts", *(["volts"] if label.volts is not None else [])]
    no_longer = {f"circuits[{i}].rated_{what}" for i in range(len(plate.circuits)) for what in known}
    return replace(
        plate,
        circuits=tuple(replace(circuit, rated_watts=each, rated_volts=volts) for circuit in plate.circuits),
        assumed=tuple(path for path in plate.assumed if path not in no_longer),
    )
