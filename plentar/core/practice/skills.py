"""How well somebody can do each skill, with its doubt: the one-parameter item response model with a guessing floor.

An answer to an item of difficulty b succeeds with probability c + (1 - c) / (1 + exp(b - θ)), θ the skill. θ starts as
a standard normal and is moved by Bayes on a grid; between answers it may grow, so the doubt widens a little each time.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["PRIOR_WIDTH", "Estimate", "ItemAnswer", "estimate", "next_item", "success"]

Floats = NDArray[np.float64]
# Six standard deviations either way, finer than any interval that is told.
GRID: Floats = np.linspace(-5.0, 5.0, 401)
# How far a skill moves from one answer to the next, and how far it may: people learn on the way. Chosen so that forty
# answers move it by some third of the prior's own deviation, and learners that learn twice as fast or not at all are
# still within (tests/core/test_practice_skills.py).
GROWTH, DRIFT = 0.01, 0.03
# A sure answer still fails this often: a slip of hand or eye. Chosen.
SLIP = 0.05
# Where the next case is set: success is likely and not certain. Given by docs/practice.md.
TARGET = 0.7
# Two-sided 90 %.
TAIL = 0.05


@dataclass(frozen=True, slots=True, kw_only=True)
class ItemAnswer:
    """One answer: how hard its item is, whether it succeeded, how likely a guess does."""

    difficulty: float
    is_right: bool
    guess: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Estimate:
    """A skill's estimate: its middle, its 90 % interval, how many answers it rests on."""

    skill: float
    low: float
    high: float
    answers: int

    @property
    def width(self) -> float:
        """How wide the interval is."""
        return self.high - self.low

    @property
    def percent(self) -> float:
        """The skill as the chance to do an item of middle difficulty, in percent."""
        return 100 / (1 + math.exp(-self.skill))


def success(skill: float | Floats, difficulty: float, guess: float = 0.0) -> Floats:
    """Return how likely an item succeeds.

    Source:
        Rasch's model with a guessing floor and slips: c + (1 - c - s) / (1 + exp(b - θ)).
    Example:
        >>> round(float(success(0.0, 0.0)), 3), round(float(success(0.0, 0.0, 0.25)), 3)
        (0.475, 0.6)
    """
    found: Floats = guess + (1 - guess - SLIP) / (1 + np.exp(difficulty - np.asarray(skill, dtype=np.float64)))
    return found


def _prior() -> Floats:
    share: Floats = np.exp(-0.5 * GRID**2)
    share /= share.sum()
    return share


def _spread() -> Floats:
    """Return the kernel by which doubt widens between two answers."""
    step = GRID[1] - GRID[0]
    reach = math.ceil((4 * DRIFT + GROWTH) / step)
    kernel: Floats = np.exp(-0.5 * ((np.arange(-reach, reach + 1) * step - GROWTH) / DRIFT) ** 2)
    kernel /= kernel.sum()
    return kernel


def estimate(answers: Iterable[ItemAnswer]) -> Estimate:
    """Return what a skill is after some answers, oldest first.

    Example:
        >>> found = estimate([ItemAnswer(difficulty=0.0, is_right=True)] * 10)
        >>> found.skill > 1.0, found.answers
        (True, 10)
    """
    share, kernel, count = _prior(), _spread(), 0
    for answer in answers:
        share = np.convolve(share, kernel, mode="same")
        right = success(GRID, answer.difficulty, answer.guess)
        share = share * (right if answer.is_right else 1 - right)
        share /= share.sum()
        count += 1
    cumulated = np.cumsum(share)
    low, middle, high = (float(np.interp(q, cumulated, GRID)) for q in (TAIL, 0.5, 1 - TAIL))
    return Estimate(skill=middle, low=low, high=high, answers=count)


PRIOR_WIDTH = estimate(()).width


def next_item(skill: float, difficulties: Sequence[float], guess: float = 0.0) -> int:
    """Return which item comes next: the one whose success is nearest to `TARGET`, the earlier of two alike.

    Example:
        >>> next_item(0.0, [-3.0, -1.0, 0.0, 2.0])
        1
    """
    chances = [abs(float(success(skill, difficulty, guess)) - TARGET) for difficulty in difficulties]
    return chances.index(min(chances))
