"""The arithmetic of resistive heat: ohms, amps, watts and Btu/h at the voltage actually found.

Every function takes and returns plain floats in the unit its name ends with.
"""

import math

from plentar.core.errors import NameplateError, ReadingError

__all__ = [
    "BTU_PER_HOUR_PER_WATT",
    "COLD_RATIO",
    "OPEN_OHMS",
    "element_ohms",
    "element_watts",
    "expected_element_amps",
    "heat_btu_per_hour",
    "wye_leg_to_leg_volts",
]

BTU_PER_HOUR_PER_WATT = 3.412
# Cold elements read a few percent below their hot ohms: docs/trade.md, section 3, hot/cold ratio 1.02 to 1.08.
COLD_RATIO = 1 / 1.05
# What a meter shows as OL: beyond its largest range, and more than any part of a unit but insulation.
OPEN_OHMS = 1e8


def element_ohms(rated_watts: float, rated_volts: float) -> float:
    """Return the resistance a heating element has by its plate.

    Args:
        rated_watts: Nameplate power of one element [W]; 5 kW is 5000.0.
        rated_volts: Nameplate voltage that power belongs to [V].
    Returns:
        Resistance [ohm].
    Raises:
        NameplateError: A rated value is not finite or not above zero.
    Source:
        R = V²/P (Ohm, Joule); docs/trade.md, section 2.
    Example:
        >>> element_ohms(5000.0, 240.0)
        11.52
    """
    if not (0 < rated_watts < math.inf and 0 < rated_volts < math.inf):
        raise NameplateError(
            f"rated watts and volts must be above zero, got {rated_watts} W, {rated_volts} V", field="rated_watts"
        )
    return rated_volts**2 / rated_watts


def expected_element_amps(rated_watts: float, rated_volts: float, measured_volts: float) -> float:
    """Return the current a healthy heating element draws at the voltage found.

    Args:
        rated_watts: Nameplate power of one element [W].
        rated_volts: Nameplate voltage that power belongs to [V].
        measured_volts: Voltage across the element under load [V].
    Returns:
        Expected current [A].
    Raises:
        NameplateError: A rated value is not finite or not above zero.
        ReadingError: The measured voltage is not finite or is below zero.
    Source:
        I = V/R with R = V_rated²/P_rated; docs/trade.md, section 2. Resistive elements only: the ohms of an AC coil
        are not its impedance.
    Example:
        >>> round(expected_element_amps(5000.0, 240.0, 208.0), 2)
        18.06
    """
    _require_volts(measured_volts)
    return measured_volts / element_ohms(rated_watts, rated_volts)


def element_watts(rated_watts: float, rated_volts: float, measured_volts: float) -> float:
    """Return the power an element gives at the voltage found.

    Args:
        rated_watts: Nameplate power of one element [W].
        rated_volts: Nameplate voltage that power belongs to [V].
        measured_volts: Voltage across the element under load [V].
    Returns:
        Power [W].
    Raises:
        NameplateError: A rated value is not finite or not above zero.
        ReadingError: The measured voltage is not finite or is below zero.
    Source:
        P = V²/R; docs/trade.md, section 2. A 240 V part on 208 V gives 75.1 %.
    Example:
        >>> round(element_watts(5000.0, 240.0, 208.0) / 5000.0, 3)
        0.751
    """
    _require_volts(measured_volts)
    return measured_volts**2 / element_ohms(rated_watts, rated_volts)


def heat_btu_per_hour(watts: float) -> float:
    """Return the heat that electric power becomes.

    Args:
        watts: Power [W].
    Returns:
        Heat [Btu/h].
    Source:
        3.412 Btu/h per watt; docs/trade.md, section 2.
    Example:
        >>> heat_btu_per_hour(5000.0)
        17060.0
    """
    return watts * BTU_PER_HOUR_PER_WATT


def wye_leg_to_leg_volts(leg_volts: float) -> float:
    """Return the voltage between two legs of a wye whose legs each stand `leg_volts` above neutral.

    Args:
        leg_volts: Leg to neutral [V].
    Returns:
        Leg to leg [V].
    Source:
        Two phasors 120° apart: √3 times one of them.
    Example:
        >>> round(wye_leg_to_leg_volts(120.0), 1)
        207.8
    """
    return math.sqrt(3.0) * leg_volts


def _require_volts(measured_volts: float) -> None:
    if not 0 <= measured_volts < math.inf:
        raise ReadingError(f"measured volts must be zero or above, got {measured_volts} V", field="value")
