"""Skills: estimates cover what learners of another kind can do, narrow with answers, and choose what comes next."""

from statistics import NormalDist

import numpy as np
import pytest

from plentar.core.practice.skills import PRIOR_WIDTH, ItemAnswer, estimate, next_item, success

LEARNERS, ANSWERS = 200, 40


def test_intervals_cover_learners_of_another_model() -> None:
    """200 who answer by a normal ogive, guess, slip and learn: intervals hold 85 to 95 %, 0.4 of the prior wide."""
    random = np.random.default_rng(2026)
    held, widths = 0, []
    for _ in range(LEARNERS):
        skill, growth = random.normal(), random.uniform(0.0, 0.02)
        guess, now = float(random.choice([0.0, 0.1])), 0.0
        answers: list[ItemAnswer] = []
        for count in range(ANSWERS):
            # Once in a few answers is often enough to set the next items by.
            now = estimate(answers).skill if count % 5 == 0 else now
            difficulty = float(np.clip(now - 0.6 + 0.4 * random.normal(), -2.5, 2.5))
            # The ogive of 1.7 is nearest to the logistic curve, and is none.
            right = guess + (1 - guess - 0.05) * NormalDist().cdf((skill - difficulty) / 1.7)
            answers.append(ItemAnswer(difficulty=difficulty, is_right=bool(random.uniform() < right), guess=guess))
            skill += growth
        found = estimate(answers)
        held += found.low <= skill <= found.high
        widths.append(found.width)
    assert 0.85 <= held / LEARNERS <= 0.95
    assert np.mean(widths) <= 0.4 * PRIOR_WIDTH


def test_nothing_answered_is_the_prior() -> None:
    """A standard normal: 90 % within 1.645 either way."""
    found = estimate([])
    assert (found.skill, found.high) == pytest.approx((0.0, 1.645), abs=0.02)


def test_right_answers_raise_and_wrong_ones_lower() -> None:
    """The same item, both ways; a right guess raises less."""
    right, wrong = (estimate([ItemAnswer(difficulty=0.0, is_right=b)] * 5) for b in (True, False))
    guessed = estimate([ItemAnswer(difficulty=0.0, is_right=True, guess=0.25)] * 5)
    assert wrong.skill < 0 < guessed.skill < right.skill


def test_a_guess_alone_proves_little() -> None:
    """Success never falls below the guess, never rises to certainty."""
    assert float(success(-9.0, 0.0, 0.25)) == pytest.approx(0.25, abs=0.001)
    assert float(success(9.0, 0.0, 0.25)) == pytest.approx(0.95, abs=0.001)


def test_the_next_item_is_one_of_seven_in_ten() -> None:
    """Of a row of items the one nearest to 70 % is chosen, whatever the skill."""
    items = [-2.0, -1.0, 0.0, 1.0]
    for skill in (-1.0, 0.0, 1.5):
        chosen = items[next_item(skill, items)]
        assert all(abs(float(success(skill, chosen)) - 0.7) <= abs(float(success(skill, b)) - 0.7) for b in items)
