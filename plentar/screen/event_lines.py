"""An event as a page shows it: the action with who did it and when."""

from dataclasses import replace
from typing import Generic, TypeVar

from plentar.core.evidence.events import Action, Event, Temporary
from plentar.core.evidence.record import Record
from plentar.core.limits.verdicts import Verdict
from plentar.core.message import Text
from plentar.core.work.interim import temporary_words
from plentar.words.figures import chosen, degree_sign

__all__ = ["Shown", "in_display", "shown", "told_temporary"]

D = TypeVar("D", bound=Action)


class Shown(Generic[D]):
    """One event of one kind."""

    def __init__(self, event: Event, action: D) -> None:
        self.id, self.at, self.by, self.action = event.id, event.done_at, event.by, action


def shown(record: Record, kind: type[D]) -> list[Shown[D]]:
    """Return the events of a kind that stand, oldest first."""
    return [Shown(event, action) for event, action in record.of(kind)]


def in_display(verdict: Verdict) -> Verdict:
    """Return a verdict in the degrees whoever reads it chose; all that is judged in degrees is a rise, a difference."""
    if verdict.unit != "°F" or not chosen().is_celsius:
        return verdict
    band, expected = verdict.band, verdict.expected
    edges = ("marginal_low", "pass_low", "pass_high", "marginal_high")
    return replace(
        verdict,
        value=verdict.value / 1.8,
        uncertainty=verdict.uncertainty / 1.8,
        expected=None if expected is None else expected / 1.8,
        unit=degree_sign(),
        band=band and replace(band, **{edge: getattr(band, edge) / 1.8 for edge in edges}),
    )


def told_temporary(action: Temporary) -> Text:
    """Return a temporary measure in one line: what is off, or what runs on a smaller device."""
    return temporary_words(action.off, action.feed, action.device_amps)
