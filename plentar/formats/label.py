"""Cabinet labels as HTML for the PDF maker: one on its own, or a sheet of ten; each with a code that opens the unit."""

from collections.abc import Sequence
from dataclasses import dataclass

import segno
from markupsafe import Markup

__all__ = ["CabinetLabel", "code_of"]


@dataclass(frozen=True, slots=True, kw_only=True)
class CabinetLabel:
    """What stands on a unit's door."""

    place: str
    unit: str
    kit: str
    breaker: str
    last_check: str
    tag: str
    code: Markup
    lines: Sequence[str] = ()


def code_of(address: str) -> Markup:
    """Return an address as a two-dimensional code, an SVG without anything to load; a scratch does not spoil it."""
    made = segno.make(address, error="m", micro=False)
    return Markup(made.svg_inline(scale=1, border=2, omitsize=True, svgclass="code", lineclass="code-line"))  # noqa: S704
