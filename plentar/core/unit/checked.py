"""What every value of a plate is made of: figures that are checked when it is made."""

import math
import re
from typing import ClassVar

from plentar.core.errors import NameplateError

__all__ = ["PlateValue", "require_above_zero", "require_id", "require_within"]

_ID = re.compile(r"[a-z][a-z0-9]*(-[a-z0-9]+)*\Z")
# No plate prints more of anything; it keeps slips of the key from becoming infinities further on.
LARGEST = 1e7


class PlateValue:
    """Tells file readers that a field these values do not know is an error, not to be dropped in silence."""

    __slots__ = ()
    __pydantic_config__: ClassVar[dict[str, str]] = {"extra": "forbid"}


def require_id(value: str, field: str) -> None:
    """Refuse a name that cannot stand in a place's own."""
    if not _ID.match(value):
        raise NameplateError(f"expected a short lower-case name such as strip-a, got {value!r}", field=field)


def require_above_zero(value: float | None, field: str, what: str) -> None:
    """Refuse a figure of nothing or less; None is not known."""
    if value is not None and not 0 < value < LARGEST:
        raise NameplateError(f"expected {what} above zero and below {LARGEST:g}, got {value}", field=field)


def require_within(value: float | None, least: float, most: float, field: str, unit: str) -> None:
    """Refuse a figure outside what there is; None is not known."""
    if value is not None and not (math.isfinite(value) and least <= value <= most):
        raise NameplateError(f"expected {least:g} to {most:g} {unit}, got {value:g}", field=field)
