"""How long parts last, by a shop's own records: those still running count as what they are, not yet failed.

Fewer than twenty failures of a kind say nothing a percentage could stand for, and none is given.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from plentar.core.history.past import YEAR_SECONDS
from plentar.core.unit.place import place_of

__all__ = ["LEAST_FAILURES", "Life", "PartFailure", "Standing", "chance_of_any", "chance_within", "life_of", "lives_of"]

LEAST_FAILURES = 20
# What every circuit has one of; everything else a unit has once.
PER_STRIP = ("element", "link", "limit", "pole")
# A spell shorter was no life: the call came back to the same repair.
LEAST_YEARS = 1 / 365


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """One unit: since when it runs [s since 1970], how many strips it has."""

    unit: str
    since: float
    strips: int


@dataclass(frozen=True, slots=True, kw_only=True)
class PartFailure:
    """One part of one unit that was put right [s since 1970]: `strip-b.link`."""

    unit: str
    part: str
    at: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Life:
    """How long parts of a kind last: years and the share still running then, and what it is made of.

    `median_years` is None while more than half still run at the longest age on record.
    """

    kind: str
    failures: int
    running: int
    years: tuple[float, ...]
    share: tuple[float, ...]
    median_years: float | None

    def still_running(self, years: float) -> float:
        """Return the share of such parts that reach an age."""
        reached = [share for at, share in zip(self.years, self.share, strict=True) if at <= years]
        return reached[-1] if reached else 1.0


def life_of(kind: str, failed_years: Sequence[float], running_years: Sequence[float]) -> Life | None:
    """Return how long a kind lasts; None for fewer than twenty failures.

    Args:
        kind: Its name.
        failed_years: How long each that failed had run [years].
        running_years: How long each has run that still does [years].
    Source:
        Kaplan and Meier's estimate of what is censored on the right: with d of n at risk failing at an age, the share
        still running is multiplied by 1 - d / n. Written out, since scipy.stats, which a test holds it against, takes
        70 MB of every server process.
    """
    if len(failed_years) < LEAST_FAILURES:
        return None
    failed, lives = np.sort(failed_years), np.sort([*failed_years, *running_years])
    years = np.unique(lives)
    at_risk = lives.size - np.searchsorted(lives, years)
    share = np.cumprod(1 - (np.searchsorted(failed, years, "right") - np.searchsorted(failed, years)) / at_risk)
    below = np.flatnonzero(share <= 0.5)
    return Life(
        kind=kind,
        failures=len(failed_years),
        running=len(running_years),
        years=tuple(map(float, years)),
        share=tuple(map(float, share)),
        median_years=float(years[below[0]]) if below.size else None,
    )


def lives_of(units: Iterable[Standing], failures: Iterable[PartFailure], now: float) -> dict[str, Life]:
    """Return what a shop's records say of each kind of part that failed often enough.

    Args:
        units: Every unit whose age is known.
        failures: Every part that was put right, in any order; of units not among them nothing follows.
        now: Seconds since 1970.
    """
    standing = {unit.unit: unit for unit in units}
    by_part: dict[tuple[str, str], list[float]] = {}
    for failure in failures:
        if failure.unit in standing:
            by_part.setdefault((failure.unit, failure.part), []).append(failure.at)
    failed: dict[str, list[float]] = {}
    running: dict[str, list[float]] = {}
    touched: dict[tuple[str, str], int] = {}
    for (unit, part), moments in by_part.items():
        kind, since = place_of(part).kind, standing[unit].since
        touched[unit, kind] = touched.get((unit, kind), 0) + 1
        for at in sorted(moments):
            failed.setdefault(kind, []).append(max((at - since) / YEAR_SECONDS, LEAST_YEARS))
            since = at
        running.setdefault(kind, []).append(max((now - since) / YEAR_SECONDS, LEAST_YEARS))
    found = {}
    for kind, years in failed.items():
        for each in standing.values():
            whole = each.strips if kind in PER_STRIP else 1
            age = max((now - each.since) / YEAR_SECONDS, LEAST_YEARS)
            running.setdefault(kind, []).extend([age] * max(0, whole - touched.get((each.unit, kind), 0)))
        life = life_of(kind, years, running.get(kind, ()))
        if life is not None:
            found[kind] = life
    return found


def chance_of_any(count: int, age_years: float, life: Life | None, years: float = 1.5) -> float:
    """Return the chance that one of several parts of an age fails within some years.

    By the shop's own records where it has some of that kind. Without any, parts that have seen as many seasons as
    their failed twin are taken to fail at the rate of one in its age: the twin's own life is all there is to go by.

    Example:
        >>> round(chance_of_any(1, 12.0, None), 3)
        0.118
    """
    if life is None:
        return 1 - math.exp(-count * years / max(age_years, 1.0))
    return float(1 - (1 - chance_within(life, age_years, years)) ** count)


def chance_within(life: Life, age_years: float, years: float = 1.0) -> float:
    """Return the chance that a part of an age fails within some years, having come so far.

    Example:
        >>> life = Life(kind="link", failures=20, running=0, years=(5.0, 10.0), share=(0.8, 0.4), median_years=10.0)
        >>> round(chance_within(life, 6.0, 5.0), 3)
        0.5
    """
    now = life.still_running(age_years)
    return 0.0 if now <= 0 else 1.0 - life.still_running(age_years + years) / now
