"""A shop's parts as CSV, both ways, and each part's label as JSON for the store."""

from typing import Any

from pydantic import TypeAdapter

from plentar.core.work.substitution import Part
from plentar.formats.labels_csv import Labels

__all__ = ["PARTS"]

WINDOWS = {
    f"{which}_{edge}_seconds": (f"{which}_window", f"{edge}_seconds")
    for which in ("on", "off")
    for edge in ("min", "max")
}


def _cell_of(part: Part, column: str) -> Any:
    """Return a part's figure for a column; each edge of a window has its own."""
    if column not in WINDOWS:
        return getattr(part, column)
    window, edge = WINDOWS[column]
    return getattr(getattr(part, window), edge, None)


def _shaped(values: dict[str, Any]) -> dict[str, Any]:
    """Return a part's fields: whole poles, and each window of its two edges."""
    for name in ("poles", "tabs"):
        if (number := values.get(name)) is not None and number == int(number):
            values[name] = int(number)
    for which in ("on", "off"):
        edges = {edge: values.pop(f"{which}_{edge}_seconds", None) for edge in ("min", "max")}
        if edges["min"] is not None and edges["max"] is not None:
            values[f"{which}_window"] = {f"{edge}_seconds": value for edge, value in edges.items()}
    return values


# fmt: off
PARTS = Labels(
    adapter=TypeAdapter(Part),
    plural="parts",
    columns=(
        "name", "kind", "poles", "rated_amps", "rating", "coil_volts", "coil", "holding_amps", "on_min_seconds",
        "on_max_seconds", "off_min_seconds", "off_max_seconds", "tab_inches", "opens_degf", "rated_watts",
        "rated_volts", "tabs", "price",
    ),
    words=("name", "kind", "rating", "coil"),
    needed=("name", "kind"),
    most=5000,
    shaped=_shaped,
    cell_of=_cell_of,
)
# fmt: on
