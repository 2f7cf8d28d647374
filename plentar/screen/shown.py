"""An event as a page shows it: the deed with who did it and when."""

from typing import Generic, TypeVar

from plentar.core.evidence.events import Deed, Event, Temporary
from plentar.core.evidence.record import Record
from plentar.core.said import Words
from plentar.core.work.interim import temporary_words

__all__ = ["Shown", "shown", "told_temporary"]

D = TypeVar("D", bound=Deed)


class Shown(Generic[D]):
    """One event of one kind."""

    def __init__(self, event: Event, deed: D) -> None:
        self.id, self.at, self.by, self.deed = event.id, event.done_at, event.by, deed


def shown(record: Record, kind: type[D]) -> list[Shown[D]]:
    """Return the events of a kind that stand, oldest first."""
    return [Shown(event, deed) for event, deed in record.of(kind)]


def told_temporary(deed: Temporary) -> Words:
    """Return a temporary measure in one line: what is off, or what runs on a smaller device."""
    return temporary_words(deed.off, deed.feed, deed.device_amps)
