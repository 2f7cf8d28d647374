"""Figures as a person says them, degrees and wire sizes in the units that person chose.

The core knows °F and gauge numbers only. Who reads a page chose what stands there (`shown_in`); a paper, a file and the
command line show what everybody reads, °F and gauge numbers.
"""

import math
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass

__all__ = [
    "PLAIN",
    "THIN",
    "DisplayUnits",
    "apart",
    "choose",
    "chosen",
    "degree_sign",
    "degrees",
    "plus_minus",
    "shown_in",
    "thousands",
    "wire",
]

THIN = "\u202f"


@dataclass(frozen=True, slots=True, kw_only=True)
class DisplayUnits:
    """The units a person reads: degrees Celsius, wire by its area."""

    is_celsius: bool = False
    is_metric_wire: bool = False


PLAIN = DisplayUnits()
_chosen: ContextVar[DisplayUnits] = ContextVar("display", default=PLAIN)


def choose(display: DisplayUnits) -> None:
    """Say everything from here on in these units, in this thread: a request does so as it begins."""
    _chosen.set(display)


def chosen() -> DisplayUnits:
    """Return the units of whoever reads."""
    return _chosen.get()


@contextmanager
def shown_in(display: DisplayUnits) -> Iterator[None]:
    """Say everything within in these units."""
    token = _chosen.set(display)
    try:
        yield
    finally:
        _chosen.reset(token)


def degree_sign() -> str:
    """Return the sign of the degrees that are shown."""
    return "°C" if chosen().is_celsius else "°F"


def degrees(degf: float, places: int = 0) -> str:
    """Say a temperature [°F] in the degrees that were chosen.

    Example:
        >>> degrees(28.4), degrees(35, 1)
        ('28 °F', '35.0 °F')
        >>> with shown_in(DisplayUnits(is_celsius=True)):
        ...     degrees(28.4), degrees(212)
        ('-2 °C', '100 °C')
    """
    return _in_degrees((degf - 32) / 1.8 if chosen().is_celsius else degf, places)


def apart(delta_degf: float, places: int = 0) -> str:
    """Say how far two temperatures lie apart [°F]: no zero point is taken off.

    Example:
        >>> with shown_in(DisplayUnits(is_celsius=True)):
        ...     apart(36), apart(1, 1)
        ('20 °C', '0.6 °C')
    """
    return _in_degrees(delta_degf / 1.8 if chosen().is_celsius else delta_degf, places)


def _in_degrees(value: float, places: int) -> str:
    # Half a degree below zero is not "-0".
    return f"{round(value, places) + 0.0:.{places}f} {degree_sign()}"


def wire(size: str) -> str:
    """Say a wire's size: its gauge number, or its area with the number behind it.

    Source:
        The gauge is a geometric row by definition: No. 36 is 0.127 mm thick, No. 0000 is 11.684 mm, 39 steps apart.

    Example:
        >>> wire("6")
        '#6'
        >>> with shown_in(DisplayUnits(is_metric_wire=True)):
        ...     wire("6"), wire("4/0")
        ('13.3 mm² (#6)', '107 mm² (#4/0)')
    """
    if not chosen().is_metric_wire:
        return f"#{size}"
    number = 1 - int(size.removesuffix("/0")) if size.endswith("/0") else int(size)
    area = math.pi / 4 * (0.127 * 92 ** ((36 - number) / 39)) ** 2
    return f"{area:.3g} mm² (#{size})"


def plus_minus(uncertainty: float) -> str:
    """Say a half-width with as many digits as it deserves: whole from two on, one place to one, then one digit.

    Example:
        >>> [plus_minus(u) for u in (12.34, 2.4, 1.66, 0.26, 0.023, 0.0)]
        ['12', '2', '1.7', '0.3', '0.02', '0']
    """
    if uncertainty >= 2:
        return f"{uncertainty:.0f}"
    return f"{uncertainty:.1f}" if uncertainty >= 1 else f"{uncertainty:.1g}"


def thousands(value: float) -> str:
    """Return a whole number with a thin space between thousands, which nobody reads as a decimal comma.

    Example:
        >>> thousands(12345.6), thousands(950)
        ('12\u202f346', '950')
    """
    return f"{value:,.0f}".replace(",", THIN)
