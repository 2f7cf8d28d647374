"""One van's day as a dispatcher reads it: hours of work, hours of driving, what runs into the next call."""

from collections.abc import Sequence
from dataclasses import dataclass

from plentar.core.rounds.route import HOME, Ways

__all__ = ["DAY_MINUTES", "DayLoad", "Planned", "load_of"]

# A working day of one person [min]: seven and a half hours, which a round starts from too.
DAY_MINUTES = 450


@dataclass(frozen=True, slots=True, kw_only=True)
class Planned:
    """One call of a day: when it begins [min after midnight], how long it takes [min], the block it is in."""

    id: str
    begins_minute: float
    minutes: float
    block: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class DayLoad:
    """A day's work and driving [min], whether any way was guessed, and the calls that begin before one can be there."""

    work_minutes: float
    drive_minutes: float
    is_guessed: bool
    overlapping: frozenset[str]

    @property
    def is_over(self) -> bool:
        """True where it is more than a day holds."""
        return self.work_minutes + self.drive_minutes > DAY_MINUTES


def load_of(calls: Sequence[Planned], ways: Ways) -> DayLoad:
    """Return the load of a day, from the shop and from call to call; the way home is not counted.

    Args:
        calls: In any order.
        ways: Minutes between blocks, known or guessed; the shop is the block of no name (`HOME`).

    Example:
        >>> ways = Ways({("", "A"): 10.0})
        >>> day = load_of([Planned(id="one", begins_minute=480, minutes=60, block="A"),
        ...                Planned(id="two", begins_minute=550, minutes=60, block="B")], ways)
        >>> day.work_minutes, day.drive_minutes, day.is_guessed, sorted(day.overlapping)
        (120, 25.0, True, ['two'])
    """
    where, free, drive, guessed = HOME, float("-inf"), 0.0, False
    overlapping = set()
    for call in sorted(calls, key=lambda one: (one.begins_minute, one.id)):
        way = ways.minutes(where, call.block)
        drive += way
        guessed = guessed or ways.is_guessed(where, call.block)
        if call.begins_minute < free + way:
            overlapping.add(call.id)
        free, where = max(free, call.begins_minute) + call.minutes, call.block
    return DayLoad(
        work_minutes=sum(call.minutes for call in calls),
        drive_minutes=drive,
        is_guessed=guessed,
        overlapping=frozenset(overlapping),
    )
