"""Judging one number against its bands, with the meter's uncertainty as a guard band.

A reading passes only when all of it, uncertainty included, lies in the pass band; it fails only when all of it lies
outside the marginal band. What is left is marginal: the tool does not call what the meter cannot tell.
"""

import math
from dataclasses import dataclass, replace
from enum import StrEnum

from plentar.core.errors import ReadingError
from plentar.core.message import Message, Text, message

__all__ = ["Band", "Grade", "Verdict", "grade"]


class Grade(StrEnum):
    """The four verdicts; colour, shape and word follow from them."""

    PASS = "pass"  # noqa: S105 - a verdict, not a secret
    MARGINAL = "marginal"
    FAIL = "fail"
    NOT_PROVEN = "not proven"

    @property
    def severity(self) -> int:
        """0 for pass up to 2 for fail; not proven has no place in that order and counts as marginal."""
        return {"pass": 0, "marginal": 1, "fail": 2, "not proven": 1}[self.value]


@dataclass(frozen=True, slots=True, kw_only=True)
class Band:
    """Pass and marginal edges in one unit, edges included, and who set them.

    An open side is ±infinity. `source` reads as it is shown: "default", "shop rule", "nameplate".
    """

    marginal_low: float
    pass_low: float
    pass_high: float
    marginal_high: float
    source: str

    def __post_init__(self) -> None:
        edges = (self.marginal_low, self.pass_low, self.pass_high, self.marginal_high)
        if any(math.isnan(edge) for edge in edges) or list(edges) != sorted(edges):
            raise ReadingError(f"band edges must rise, got {edges}", field="band")

    def scaled(self, factor: float) -> "Band":
        """Return the band with every edge multiplied by a factor above zero."""
        return replace(
            self,
            marginal_low=self.marginal_low * factor,
            pass_low=self.pass_low * factor,
            pass_high=self.pass_high * factor,
            marginal_high=self.marginal_high * factor,
        )

    @property
    def pass_half_width(self) -> float:
        """The largest uncertainty with which the best value can still pass: half the band, or all of one that begins at
        zero; what is measured here is never below zero."""
        return (self.pass_high - self.pass_low) / 2 if self.pass_low > 0 else self.pass_high

    @classmethod
    def at_most(cls, pass_high: float, marginal_high: float, source: str) -> "Band":
        """A band with no lower side, for sags, differences and drops that are best at zero."""
        return cls(
            marginal_low=-math.inf, pass_low=-math.inf, pass_high=pass_high, marginal_high=marginal_high, source=source
        )


def grade(value: float, uncertainty: float, band: Band) -> Grade:
    """Judge a value with its half-width against a band.

    Raises:
        ReadingError: The value or the uncertainty is not a number, or the uncertainty is below zero.
    Source:
        docs/trade.md, section 3: a reading whose uncertainty straddles a limit is marginal, not pass (guard band).
    Example:
        >>> band = Band(marginal_low=212, pass_low=228, pass_high=252, marginal_high=254, source="default")
        >>> [grade(volts, 1.9, band).value for volts in (240.0, 229.0, 226.0, 213.0, 205.0)]
        ['pass', 'marginal', 'marginal', 'marginal', 'fail']
    """
    if not math.isfinite(value) or not 0 <= uncertainty < math.inf:
        raise ReadingError(f"expected a number with its uncertainty, got {value} ± {uncertainty}", field="value")
    # All of it inside passes; all of it outside fails; what is left the meter cannot tell.
    if value - uncertainty >= band.pass_low and value + uncertainty <= band.pass_high:
        return Grade.PASS
    if value + uncertainty < band.marginal_low or value - uncertainty > band.marginal_high:
        return Grade.FAIL
    return Grade.MARGINAL


@dataclass(frozen=True, slots=True, kw_only=True)
class Verdict:
    """What one reading is worth.

    `value`, `uncertainty`, `expected` and the band share one unit; `kind` is the trade's word for what was found
    ("dead", "half dead", "low current"); `because` says why in one sentence; `next_step` what to trace or do;
    `warning` questions the reading itself; `meant` is the value it would be if a factor was misread, where that one
    would pass: asked before anything is judged.
    """

    grade: Grade
    value: float
    uncertainty: float
    unit: str
    kind: str = ""
    expected: float | None = None
    band: Band | None = None
    because: Text = ""
    next_step: Text = ""
    warning: Text = ""
    meant: float | None = None

    @property
    def result(self) -> Message:
        """The grade by itself; to a customer, whether it works."""
        return message(f"grade.{self.grade.value.replace(' ', '-')}")

    @property
    def spoken(self) -> Message:
        """The verdict as it is read out: *fail: dead*."""
        if not self.kind:
            return self.result
        return message(
            "grade.of-kind", grade=self.result, kind=message(f"kind-of-verdict.{self.kind.replace(' ', '-')}")
        )

    @property
    def deviation_ratio(self) -> float | None:
        """How far the value is from the expected one, as a share of the expected; None without a usable one."""
        # A share of next to nothing is any number: 0.24 A where 0.04 was expected is the clamp's last digit.
        if not self.expected or abs(self.expected) <= 2 * self.uncertainty:
            return None
        return self.value / self.expected - 1
