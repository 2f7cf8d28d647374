"""What a practice call was worth: what was found, what it cost, what was fitted for nothing, what would have hurt."""

from dataclasses import dataclass

__all__ = ["Score"]

# Points of a hundred. Chosen: a part fitted for nothing costs a third of a return visit, a minute one point, a hint
# what five minutes cost; power left off, a lock left on or a repair left unproven as much as a part each. One unsafe
# act outweighs everything that can be won, since nobody is to learn that it pays.
FOUND, FINE_PART, MINUTE, HINT, UNDONE, UNSAFE = 100.0, 15.0, 1.0, 5.0, 15.0, 300.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Score:
    """One attempt's worth.

    Attributes:
        found: Share of what was hidden that was put right; of nothing hidden, 1 where nothing was fitted.
        fine_parts: Parts replaced that were fine.
        minutes: What the readings, changes, waits and repairs took [min].
        hints: How often it was asked what to do now; the same answer twice counts once.
        unsafe: Acts that would have hurt somebody or something.
        left_undone: What the call was left with: power off, a lock on, a repair not proven.
    """

    found: float
    fine_parts: int = 0
    minutes: float = 0.0
    hints: int = 0
    unsafe: int = 0
    left_undone: int = 0

    @property
    def points(self) -> float:
        """All of it in one number, 100 for everything found in no time.

        Example:
            >>> Score(found=1.0, minutes=20.0).points, Score(found=1.0, minutes=20.0, unsafe=1).points
            (80.0, -220.0)
        """
        spent = FINE_PART * self.fine_parts + MINUTE * self.minutes + HINT * self.hints + UNDONE * self.left_undone
        return FOUND * self.found - spent - UNSAFE * self.unsafe

    @property
    def is_alone(self) -> bool:
        """True where it was solved with at most one look at the next test: that counts as an answer that was right."""
        return self.is_solved and self.hints <= 1

    def as_kept(self) -> dict[str, float | int | bool]:
        """Return it as it is kept beside the run."""
        return {
            "points": round(self.points, 1),
            "found": self.found,
            "fine_parts": self.fine_parts,
            "minutes": round(self.minutes, 1),
            "hints": self.hints,
            "unsafe": self.unsafe,
            "left_undone": self.left_undone,
            "is_solved": self.is_solved,
        }

    @property
    def is_solved(self) -> bool:
        """True where all of it was found, nothing was fitted for nothing, and nobody would have been hurt."""
        return self.found == 1.0 and not self.fine_parts and not self.unsafe
