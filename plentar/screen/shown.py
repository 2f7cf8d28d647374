"""An event as a page shows it: the deed with who did it and when."""

from typing import Generic, TypeVar

from plentar.core.evidence.events import Deed, Event
from plentar.core.evidence.record import Record

__all__ = ["Shown", "shown"]

D = TypeVar("D", bound=Deed)


class Shown(Generic[D]):
    """One event of one kind."""

    def __init__(self, event: Event, deed: D) -> None:
        self.id, self.at, self.by, self.deed = event.id, event.done_at, event.by, deed


def shown(record: Record, kind: type[D]) -> list[Shown[D]]:
    """Return the events of a kind that stand, oldest first."""
    return [Shown(event, deed) for event, deed in record.of(kind)]
