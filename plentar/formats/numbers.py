"""Numbers as people type them: decimal comma or point, a unit behind, k or M before it."""

import math
import re

from plentar.core.errors import ReadingError
from plentar.core.evidence.events import COLDEST_DEGF, HOTTEST_DEGF
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.quantities import QUANTITIES
from plentar.words.figures import degrees

__all__ = ["degf_typed", "degrees_typed", "parse_number"]


_NUMBER = re.compile(
    r"(?P<digits>[0-9]+(?:[.,][0-9]+)?|[.,][0-9]+|[0-9]{1,3}(?:,[0-9]{3})+\.[0-9]+)\s*(?P<prefix>[kKmMµu]?)"
    r"(?P<unit>[A-Za-zΩ°%]*)\Z"
)
_DEGREES = re.compile(r"(.*?)\s*°?\s*([CcFf]?)\Z", re.DOTALL)
_PREFIX = {"": 1.0, "k": 1e3, "K": 1e3, "M": 1e6, "m": 1e-3, "µ": 1e-6, "u": 1e-6}


def parse_number(text: str, quantity: str) -> float:
    """Return what was typed, in the base unit of the quantity.

    Raises:
        ReadingError: It is not a number, or carries another quantity's unit.
    Example:
        >>> parse_number("20,6", "amps"), parse_number("238.1 V", "volts"), parse_number("0.64k", "ohms")
        (20.6, 238.1, 640.0)
        >>> parse_number("1 200", "ohms")
        1200.0
        >>> parse_number("OL", "ohms")
        100000000.0
    """
    typed = text.strip()
    if typed and quantity == "degf":
        return degrees_typed(typed, "value")
    if not typed:
        raise ReadingError("enter what the meter shows", field="value")
    if quantity == "ohms" and typed.casefold() in ("ol", "o.l", "open"):
        return OPEN_OHMS
    if quantity == "amps" and "/" in typed:
        # A clamp with the conductor wound through it several times: the reading over the turns.
        shown, _, turns = typed.partition("/")
        if not re.fullmatch(r"[0-9]{1,2}", turns.strip()) or not 2 <= int(turns) <= 50:
            raise ReadingError(f"expected a reading over 2 to 50 turns, as 4.2/10, got “{typed[:40]}”", field="value")
        return parse_number(shown, quantity) / int(turns)
    # Between thousands, as this application writes them.
    typed = re.sub(r"(?<=[0-9])[ \u2009\u202f\u00a0](?=[0-9]{3}(?![0-9]))", "", typed)
    own = QUANTITIES[quantity].spellings if quantity in QUANTITIES else ()
    match = _NUMBER.match(typed)
    known = {unit.casefold() for row in QUANTITIES.values() for unit in row.spellings} | {""}
    if match is None or match["unit"].casefold() not in known:
        raise ReadingError(f"expected a number such as 20.6, got “{typed[:40]}”", field="value")
    unit = match["unit"]
    if unit and unit.casefold() not in {known.casefold() for known in own}:
        raise ReadingError(f"expected {own[0] if own else 'a plain number'}, got “{typed[:40]}”", field="value")
    digits = match["digits"]
    if re.fullmatch(r"[1-9][0-9]{0,2},[0-9]{3}", digits):
        # 1,200 is twelve hundred to one person and one point two to another: a factor of a thousand.
        plain = digits.replace(",", "")
        raise ReadingError(
            f"“{typed[:40]}” could mean two numbers. Type {plain} or {digits.replace(',', '.')}", field="value"
        )
    digits = digits.replace(",", "") if "," in digits and "." in digits else digits.replace(",", ".")
    value = float(digits) * _PREFIX[match["prefix"]]
    if not math.isfinite(value) or value >= 1e9:
        raise ReadingError(f"no meter reads “{typed[:40]}”", field="value")
    return value


def degrees_typed(typed: str, field: str, sign: str | None = "°F") -> float:
    """Return degrees as typed [°F], below zero too; a unit behind the number counts before that of the input.

    Args:
        typed: The number, °F or °C behind it or not.
        field: Names the input.
        sign: What the input said it takes, °C or °F; what says nothing takes °F.

    Raises:
        ReadingError: It is no number; `field` names the input.
    Example:
        >>> degrees_typed("130 °F", "ambient"), degrees_typed("-5", "outdoor"), degrees_typed("-40 C", "outdoor")
        (130.0, -5.0, -40.0)
        >>> degrees_typed("20", "indoor", "°C"), degrees_typed("68 °F", "indoor", "°C")
        (68.0, 68.0)
    """
    found = _DEGREES.match(typed.strip().replace("−", "-"))
    text, unit = found.groups() if found else (typed.strip(), "")
    is_celsius = (unit or (sign or "")[-1:]).upper() == "C"
    try:
        value = parse_number(text.removeprefix("-"), "plain")
    except ReadingError as error:
        raise ReadingError(f"expected degrees such as 28, got “{text[:20]}”", field=field) from error
    value = -value if text.startswith("-") else value
    return value * 1.8 + 32 if is_celsius else value


def degf_typed(typed: str | None, field: str, sign: str | None = "°F") -> float | None:
    """Return an outdoor or indoor temperature as typed [°F], below zero too; None where nothing was.

    Args:
        typed: The number, °F or °C behind it or not.
        field: Names the input.
        sign: What the input said it takes.

    Raises:
        ReadingError: It is no number; `field` names the input.
    Example:
        >>> degf_typed("−4 °F", "outdoor"), degf_typed("", "outdoor")
        (-4.0, None)
    """
    if not (typed or "").strip():
        return None
    value = degrees_typed(typed or "", field, sign)
    if not COLDEST_DEGF <= value <= HOTTEST_DEGF:
        low, high = degrees(COLDEST_DEGF), degrees(HOTTEST_DEGF)
        raise ReadingError(f"expected {low} to {high}, got {degrees(value)}", field=field)
    return value
