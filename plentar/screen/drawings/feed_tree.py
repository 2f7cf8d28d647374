"""The path of the feeds as a drawing: a trunk from panel to strips, as wide as the load that flows in it."""

from collections.abc import Sequence
from dataclasses import dataclass

from plentar.core.judging.feed_path import PathPart
from plentar.words import render

__all__ = ["FeedTree", "TreeRow", "draw_tree"]

WIDTH, ROW, TOP, LEFT, STEP = 360.0, 46.0, 12.0, 18.0, 20.0
# The thinnest line is still seen on a phone, the widest leaves room for the symbols.
THIN, WIDE = 1.5, 7.5


@dataclass(frozen=True, slots=True, kw_only=True)
class TreeRow:
    """One part: where its symbol stands, the trunk and the line that lead to it, its words and figures, its verdict."""

    id: str
    kind: str
    x: float
    y: float
    text_x: float
    trunk: str
    trunk_width: float
    line: str
    width: float
    is_live: bool
    name: str
    note: str
    load: str
    margin: str
    verdict: str
    spoken: str


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedTree:
    """Everything the template writes."""

    width: float
    height: float
    rows: tuple[TreeRow, ...]
    spoken: str


def draw_tree(parts: Sequence[PathPart]) -> FeedTree:
    """Return the drawing of a path; what carries nothing by itself, as the control side, is drawn thin."""
    most = max((part.load.amps for part in parts), default=1.0) or 1.0
    at: dict[str, tuple[float, float]] = {}
    rows = [_row(parts, index, at, most) for index in range(len(parts))]
    worst = [render(part.name) for part in parts if part.defects]
    spoken = f"Path of the feeds, {len(parts)} parts; " + (f"wrong: {', '.join(worst)}" if worst else "nothing wrong")
    return FeedTree(width=WIDTH, height=TOP + ROW * len(rows) + 4, rows=tuple(rows), spoken=spoken)


def _row(parts: Sequence[PathPart], index: int, at: dict[str, tuple[float, float]], most: float) -> TreeRow:
    part = parts[index]
    y = TOP + ROW * index + ROW / 2
    above = at.get(part.parent)
    fellows = [other for other in parts if other.parent == part.parent]
    # One after the other they hang straight; where the path divides they step aside.
    x = LEFT if above is None else above[0] + (STEP if len(fellows) > 1 else 0.0)
    at[part.id] = (x, y)
    start = (x, y - ROW / 2) if above is None else above
    # Down to here the trunk carries this part and all that branch off below it.
    below = sum(other.load.amps for other in parts[index:] if other in fellows)
    return TreeRow(
        id=part.id,
        kind=part.kind,
        x=x,
        y=y,
        text_x=x + 16,
        trunk=f"M {start[0]:g} {start[1]:g} V {y:g}",
        trunk_width=_width(below, most),
        line=f"M {start[0]:g} {y:g} H {x:g}" if x != start[0] else "",
        width=_width(part.load.amps, most),
        is_live=part.load.amps > 0,
        name=render(part.name),
        note=render(part.rating) or "not read",
        load=_load(part),
        margin=_margin(part),
        verdict=part.grade.value.replace(" ", "-"),
        spoken=f"{render(part.name)}, {render(part.rating) or 'not read'}, {_load(part)}, {part.grade.value}",
    )


def _width(amps: float, most: float) -> float:
    return round(THIN + (WIDE - THIN) * min(1.0, amps / most), 2)


def _load(part: PathPart) -> str:
    if part.allows_amps is not None:
        return f"{part.load.amps:.1f} of {part.allows_amps:.1f} A"
    return f"{part.load.amps:.1f} A" if part.kind in ("lugs", "outdoor") else ""


def _margin(part: PathPart) -> str:
    if part.margin_amps is None:
        return ""
    return f"{part.margin_amps:+.1f} A".replace("-", "−")
