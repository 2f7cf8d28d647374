"""A call's events read as evidence: what stands, what was voided, the last reading alike, what was done.

Events come in any order and stand in the order they were done. Nothing is judged here.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TypeVar

from plentar.core.evidence.events import (
    Action,
    Aired,
    Amended,
    Caused,
    Checked,
    Closed,
    Event,
    Fitted,
    Landed,
    Logged,
    LoggedOut,
    Mapped,
    Marked,
    Measured,
    Observed,
    Opened,
    PowerBack,
    RepairSettled,
    Signed,
    Tapped,
    Temporary,
    TemporaryDone,
    Voided,
    Withdrawn,
)
from plentar.core.evidence.reading import Reading
from plentar.core.message import Text

__all__ = ["Record", "RecordedReading", "reading_of"]

D = TypeVar("D", bound=Action)
# What counts as work on the unit that has to be proven before the call is closed.
REPAIRS = (Landed, Fitted, PowerBack)


def reading_of(action: Measured) -> Reading:
    """Return the reading an action holds."""
    return Reading(
        point=action.point,
        value=action.value,
        condition=action.condition,
        meter_uncertainty=action.meter_uncertainty,
        counts_uncertainty=action.counts_uncertainty,
        mode=action.mode,
        meter=action.meter,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class RecordedReading:
    """One reading with the event that holds it; `void_reason` says why it counts no more, empty while it stands."""

    event: Event
    reading: Reading
    void_reason: Text = ""

    @property
    def id(self) -> str:
        """The event's id."""
        return self.event.id

    @property
    def action(self) -> Measured:
        """What was kept."""
        assert isinstance(self.event.action, Measured)  # noqa: S101 - made from readings only
        return self.event.action


class Record:
    """The evidence of one call."""

    def __init__(self, events: Iterable[Event]) -> None:
        self.events: tuple[Event, ...] = tuple(sorted(events, key=lambda event: (event.done_at, event.seq)))

    def plus(self, *events: Event) -> "Record":
        """Return the record with more events; what was worked out of these readings stays worked out."""
        found = Record((*self.events, *events))
        corrects = any(
            isinstance(event.action, Voided) or (isinstance(event.action, Measured) and event.action.supersedes)
            for event in events
        )
        if "taken" in self.__dict__ and not corrects and found.events[: len(self.events)] == self.events:
            more = found.events[len(self.events) :]
            found.__dict__["taken"] = self.taken + tuple(
                RecordedReading(event=event, reading=reading_of(event.action))
                for event in more
                if isinstance(event.action, Measured) and not event.action.is_at_most
            )
        return found

    @property
    def seq(self) -> int:
        """The last event's number in the call's own order; 0 before the first."""
        return max((event.seq for event in self.events), default=0)

    def of(self, *kinds: type[D]) -> list[tuple[Event, D]]:
        """Return the events of some kinds that were not voided, oldest first, each with its action."""
        return [
            (event, event.action)
            for event in self.events
            if isinstance(event.action, kinds) and event.id not in self.voided
        ]

    def all_of(self, kind: type[D]) -> list[tuple[Event, D]]:
        """Return the events of a kind, those voided too."""
        return [(event, event.action) for event in self.events if isinstance(event.action, kind)]

    def event(self, event_id: str) -> Event | None:
        """Return the event with this id."""
        return self._by_id.get(event_id)

    @cached_property
    def _by_id(self) -> Mapping[str, Event]:
        return {event.id: event for event in self.events}

    @cached_property
    def voids(self) -> Mapping[str, Event]:
        """What was voided, each with the event that did it."""
        return {event.action.event: event for event in self.events if isinstance(event.action, Voided)}

    @cached_property
    def voided(self) -> frozenset[str]:
        """The ids of what was voided."""
        return frozenset(self.voids)

    @cached_property
    def taken(self) -> tuple[RecordedReading, ...]:
        """Every reading, corrected and voided ones too, in the order they were taken.

        Those that say only "at most that" prove a unit dead (`lockout`) and are no readings of a place.
        """
        measured = [
            event for event in self.events if isinstance(event.action, Measured) and not event.action.is_at_most
        ]
        corrected = {
            event.action.supersedes: event.action.reason
            for event in measured
            if isinstance(event.action, Measured) and event.action.supersedes and event.id not in self.voided
        }
        found = []
        for event in measured:
            assert isinstance(event.action, Measured)  # noqa: S101 - filtered above
            void_reason = corrected.get(event.id, "")
            if event.id in self.voids:
                void_reason = self.voids[event.id].action.reason  # type: ignore[union-attr]
            found.append(RecordedReading(event=event, reading=reading_of(event.action), void_reason=void_reason))
        return tuple(found)

    @cached_property
    def standing(self) -> tuple[RecordedReading, ...]:
        """The readings that count, oldest first."""
        return tuple(entry for entry in self.taken if not entry.void_reason)

    @cached_property
    def readings(self) -> tuple[Reading, ...]:
        """The readings that count as plain values, oldest first."""
        return tuple(entry.reading for entry in self.standing)

    def taken_by_id(self, event_id: str) -> RecordedReading | None:
        """Return the reading an event holds."""
        return next((entry for entry in self.taken if entry.id == event_id), None)

    @cached_property
    def seen(self) -> Mapping[tuple[str, str], tuple[Event, Observed]]:
        """The newest of each sign and place, undone ones too."""
        return {(action.sign, action.about): (event, action) for event, action in self.of(Observed)}

    @cached_property
    def found(self) -> tuple[tuple[Event, Observed], ...]:
        """The signs that stand as found."""
        return tuple((event, action) for event, action in self.seen.values() if action.state == "found")

    @cached_property
    def blamed_faults(self) -> tuple[str, ...]:
        """The faults that the accepted causes name, of two at once each."""
        return tuple(fault for _, cause in self.causes for group in cause.faults for fault in group.split("+"))

    @property
    def map(self) -> Mapped | None:
        """The thermostat's conductors as last kept."""
        kept = self.of(Mapped)
        return kept[-1][1] if kept else None

    @property
    def taps(self) -> Sequence[tuple[Event, Tapped]]:
        """The stopwatch's taps, oldest first."""
        return self.of(Tapped)

    @property
    def logs(self) -> Sequence[tuple[Event, Logged]]:
        """The current logs, oldest first, as they stand: a recording that was kept is one no more."""
        kept = {action.log: action for _, action in self.of(LoggedOut)}
        found = []
        for event, action in self.of(Logged):
            if event.id in kept:
                end = kept[event.id]
                action = replace(action, is_recording=False, found=end.found, dropped_seconds=end.dropped_seconds)
            found.append((event, action))
        return found

    @property
    def marks(self) -> Sequence[tuple[Event, Marked]]:
        """What stands written on parts, the newest of each."""
        return list({(action.about, action.what): (event, action) for event, action in self.of(Marked)}.values())

    @property
    def airs(self) -> Sequence[tuple[Event, Aired]]:
        """The measurements of the air, the newest with each filter under strips, heat pump or both."""

        def kind(action: Aired) -> tuple[str, bool, bool]:
            return action.filter, bool(action.condition.heat), action.condition.is_called("Y")

        return list({kind(action): (event, action) for event, action in self.of(Aired)}.values())

    @property
    def causes(self) -> Sequence[tuple[Event, Caused]]:
        """The accepted causes that were not taken back."""
        return self.of(Caused)

    @property
    def ledgers(self) -> Mapping[str, tuple[Event, Landed]]:
        """The newest ledger of each part."""
        return {action.part: (event, action) for event, action in self.of(Landed)}

    @property
    def open_temporaries(self) -> Sequence[tuple[Event, Temporary, bool]]:
        """The temporary measures, each with whether it was made right."""
        done = {action.temporary for _, action in self.of(TemporaryDone)}
        return [(event, action, event.id in done) for event, action in self.of(Temporary)]

    @property
    def checked(self) -> frozenset[str]:
        """The lines of the list before power that stand as ticked: for the next power-on once anything was changed
        since the last one, else for that one."""
        backs = [event.seq for event, _ in self.of(PowerBack)]
        is_changed = bool(backs) and any(event.seq > backs[-1] for event, _ in self.of(Landed, Fitted))
        since = backs if is_changed else backs[:-1]
        newest = {
            action.line: action.is_done for event, action in self.of(Checked) if event.seq > max(since, default=0)
        }
        return frozenset(line for line, is_done in newest.items() if is_done)

    @property
    def power_back(self) -> Event | None:
        """The last time power went back on."""
        backs = self.of(PowerBack)
        return backs[-1][0] if backs else None

    @cached_property
    def epoch(self) -> tuple[Event | None, bool]:
        """The power-on since which the unit is as it is, and whether anything was changed after that.

        A part fitted or a lead moved makes another unit of it; what was read before belongs to the one that was found.
        None before the first power-on after a change.
        """
        began, is_changed = None, False
        for event, action in sorted(
            self.of(Landed, Fitted, Temporary, PowerBack), key=lambda entry: (entry[0].done_at, entry[0].seq)
        ):
            if isinstance(action, Temporary):
                # A strip isolated before power goes back on; one tagged afterwards changes nothing that was proven.
                is_changed = is_changed or began is None
            elif not isinstance(action, PowerBack):
                is_changed = True
            elif is_changed:
                began, is_changed = event, False
        return began, is_changed

    @property
    def has_repair(self) -> bool:
        """True once anything was repaired: what is repaired is proven before the call is closed."""
        return bool(self.of(*REPAIRS))

    @property
    def awaits_proof(self) -> bool:
        """True while something was repaired and neither proven nor left unproven for a reason since."""
        fixes = self.of(*REPAIRS)
        settled = self.of(RepairSettled)
        return bool(fixes) and (not settled or settled[-1][0].seq < fixes[-1][0].seq)

    @property
    def settled(self) -> tuple[Event, RepairSettled] | None:
        """How the proof was settled last."""
        kept = self.of(RepairSettled)
        return kept[-1] if kept else None

    @property
    def signatures(self) -> Mapping[str, tuple[Event, Signed]]:
        """The newest signature of each role that stands."""
        return {action.role: (event, action) for event, action in self.of(Signed)}

    @property
    def is_blank(self) -> bool:
        """True while nothing was recorded but how the call began and what it is about."""
        return all(isinstance(event.action, Opened | Amended | Withdrawn) for event in self.events)

    @property
    def closed(self) -> tuple[Event, Closed] | None:
        """How the call was closed."""
        kept = self.of(Closed)
        return kept[-1] if kept else None
