"""The table of limits as a page: docs/limits.md is this, and a test holds the two together."""

import math

from plentar.core.limits.table import LIMITS, Limit
from plentar.words import render
from plentar.words.figures import THIN

__all__ = ["limits_page"]

HEAD = """# Limits

Every figure a verdict is held against, as `plentar limits` prints it from `plentar/core/limits/table.py`. A shop can
set its own; a figure printed on the equipment beats both. A reading whose uncertainty straddles an edge is marginal,
not pass. *Section* is the part of the trade's own guide it is from; where that gives none, the reason stands beside it.

| limit | what it is | unit | marginal from | pass from | pass to | marginal to | section |
|---|---|---|---|---|---|---|---|
"""


def limits_page() -> str:
    """Return the page."""
    return HEAD + "".join(_row(row) for row in LIMITS.values())


def _row(row: Limit) -> str:
    cells = [_figure(figure) for figure in row.figures] if row.is_band else ["", "", _figure(row.figures[0]), ""]
    words = render(row.words) + (f" ({render(row.why)})" if row.why else "")
    return f"| `{row.name}` | {words} | {row.unit} | {' | '.join(cells)} | {row.section} |\n"


def _figure(value: float) -> str:
    return "–" if math.isinf(value) else f"{value:,g}".replace(",", THIN) if value < 1e5 else f"{value:g}"
