"""Like units against each other: who stands apart from the rest, by level and by change since the season before.

Ratios of rated current are compared among units of one circuit and age. One meter is off by the same share all day, so
the middle of the group carries its error; what is left is the unit's own.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import median

__all__ = ["FLOOR_RATIO", "LEAST_LIKE", "STANDS_APART", "Outlier", "outliers_of", "robust_scores"]

# Of a normal spread, its middle half reaches this far: what makes the median deviation a standard deviation.
MAD_TO_SIGMA = 1.4826
# One healthy value in some two thousand stands this far out, so a round of forty raises none by chance.
STANDS_APART = 3.5
# Two readings of one meter on one range differ by a hundredth from rounding and where the jaw closed: no group is
# tighter than that.
FLOOR_RATIO = 0.01
# Makers build from −10 to +5 % of the plate: evenly spread, that is a standard deviation of 15 / √12 %. No box of new
# parts is tighter than that, whatever the dozen at hand looks like.
LEVEL_FLOOR_RATIO = 0.043
# In fewer there is no middle to stand apart from.
LEAST_LIKE = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class Outlier:
    """One value that stands apart: whose, in what way, by how many deviations; the value and the group's middle."""

    id: str
    by: str
    score: float
    value: float
    middle: float


def robust_scores(values: Sequence[float], floor: float = FLOOR_RATIO) -> list[float]:
    """Return how many deviations each value lies from the median.

    Source:
        Median and median absolute deviation: half of the values may be wild before either moves.
    Example:
        >>> [round(score, 1) for score in robust_scores([1.0, 1.0, 1.0, 1.0, 0.9])]
        [0.0, 0.0, 0.0, 0.0, -10.0]
    """
    middle = median(values)
    spread = max(MAD_TO_SIGMA * median(abs(value - middle) for value in values), floor)
    return [(value - middle) / spread for value in values]


def outliers_of(this: Mapping[str, float], before: Mapping[str, float]) -> tuple[Outlier, ...]:
    """Return what stands apart of a group of like parts, farthest first.

    Args:
        this: Ratio of rated current by part this season; one that draws nothing is a fault, not an outlier, and is not
            among them.
        before: The same of the season before, of those that were read then.
    Example:
        >>> fleet = {str(n): 0.97 + 0.01 * (n % 3) for n in range(12)}
        >>> [found.id for found in outliers_of(fleet | {"7": 0.90}, fleet)]
        ['7']
    """
    found: dict[str, Outlier] = {}
    if len(this) >= LEAST_LIKE:
        _add(found, "level", dict(this), LEVEL_FLOOR_RATIO)
    changes = {name: value / before[name] - 1 for name, value in this.items() if before.get(name, 0) > 0}
    if len(changes) >= LEAST_LIKE:
        _add(found, "change", changes, FLOOR_RATIO)
    return tuple(sorted(found.values(), key=lambda outlier: -abs(outlier.score)))


def _add(found: dict[str, Outlier], by: str, values: dict[str, float], floor: float) -> None:
    names = list(values)
    middle = median(values.values())
    for name, score in zip(names, robust_scores([values[name] for name in names], floor), strict=True):
        known = found.get(name)
        if abs(score) > STANDS_APART and (known is None or abs(score) > abs(known.score)):
            found[name] = Outlier(id=name, by=by, score=score, value=values[name], middle=middle)
