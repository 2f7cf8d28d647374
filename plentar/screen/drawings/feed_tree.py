"""The path of the feeds as a drawing: a trunk from panel to strips, as wide as the load that flows in it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from plentar.core.judging.feed_path import PathPart
from plentar.words import say

__all__ = ["FeedTree", "TreeRow", "draw_tree"]

WIDTH, ROW, TOP, LEFT, STEP = 360.0, 46.0, 12.0, 18.0, 20.0
# The thinnest line is still seen on a phone, the widest leaves room for the symbols.
THIN, WIDE = 1.5, 7.5


@dataclass(frozen=True, slots=True, kw_only=True)
class TreeRow:
    """One part: where its symbol stands, the line that leads to it, its two lines of words, its verdict."""

    id: str
    kind: str
    x: float
    y: float
    text_x: float
    line: str
    width: float
    is_live: bool
    name: str
    note: str
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
    children: dict[str, int] = {}
    for part in parts:
        children[part.parent] = children.get(part.parent, 0) + 1
    at: dict[str, tuple[float, float]] = {}
    rows = [_row(part, index, at, children, most) for index, part in enumerate(parts)]
    worst = [say(part.name) for part in parts if part.defects]
    spoken = f"Path of the feeds, {len(parts)} parts; " + (f"wrong: {', '.join(worst)}" if worst else "nothing wrong")
    return FeedTree(width=WIDTH, height=TOP + ROW * len(rows) + 4, rows=tuple(rows), spoken=spoken)


def _row(
    part: PathPart, index: int, at: dict[str, tuple[float, float]], children: Mapping[str, int], most: float
) -> TreeRow:
    y = TOP + ROW * index + ROW / 2
    above = at.get(part.parent)
    # One after the other they hang straight; where the path divides they step aside.
    x = LEFT if above is None else above[0] + (STEP if children[part.parent] > 1 else 0.0)
    at[part.id] = (x, y)
    start = (x, y - ROW / 2) if above is None else above
    line = f"M {start[0]:g} {start[1]:g} V {y:g}" + (f" H {x:g}" if x != start[0] else "")
    share = part.load.amps / most
    return TreeRow(
        id=part.id,
        kind=part.kind,
        x=x,
        y=y,
        text_x=x + 16,
        line=line,
        width=round(THIN + (WIDE - THIN) * share, 2),
        is_live=part.load.amps > 0,
        name=say(part.name),
        note=_note(part),
        margin=_margin(part),
        verdict=part.grade.value.replace(" ", "-"),
        spoken=f"{say(part.name)}, {_note(part)}, {part.grade.value}",
    )


def _note(part: PathPart) -> str:
    rating = say(part.rating) or "not read"
    if part.allows_amps is not None:
        return f"{rating} · {part.load.amps:.1f} of {part.allows_amps:.1f} A"
    if part.kind in ("lugs",):
        return f"{rating} · {part.load.amps:.1f} A"
    return rating


def _margin(part: PathPart) -> str:
    if part.margin_amps is None:
        return ""
    return f"{part.margin_amps:+.1f} A".replace("-", "−")
