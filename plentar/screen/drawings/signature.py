"""A drawn signature as one SVG path."""

from collections.abc import Sequence

__all__ = ["signature_path"]


def signature_path(strokes: Sequence[Sequence[Sequence[int]]]) -> str:
    """Return the path of a signature's strokes, in thousandths of its field.

    Example:
        >>> signature_path([[(0, 500), (200, 300)], [(400, 400)]])
        'M0 500L200 300M400 400l0 1'
    """
    found = []
    for stroke in strokes:
        first, *rest = stroke or [(0, 0)]
        # A single tap is a dot.
        found.append(f"M{first[0]} {first[1]}" + ("".join(f"L{x} {y}" for x, y in rest) or "l0 1"))
    return "".join(found)
