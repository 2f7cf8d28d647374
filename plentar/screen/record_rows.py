"""What stands on a call's record beside its readings, as rows a page or a paper writes down."""

from dataclasses import dataclass
from functools import cached_property

from plentar.core.evidence.events import (
    Amended,
    Approved,
    Caused,
    Fitted,
    Landed,
    Marked,
    Noted,
    Observed,
    Photographed,
    RepairSettled,
    Temporary,
)
from plentar.core.evidence.record import Record
from plentar.screen.event_lines import Shown, shown

__all__ = ["RecordRows", "Work"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Work:
    """What was done on the call, as papers tell it."""

    fitted: list[Shown[Fitted]]
    approvals: list[Shown[Approved]]
    temporaries: list[tuple[Shown[Temporary], bool]]
    ledgers: list[Shown[Landed]]
    settled: Shown[RepairSettled] | None

    @property
    def any(self) -> bool:
        """True when there is anything to tell."""
        return bool(self.fitted or self.approvals or self.temporaries or self.ledgers or self.settled)


class RecordRows:
    """The rows of one record, each list made once."""

    def __init__(self, record: Record) -> None:
        self.record = record

    @cached_property
    def photos(self) -> list[Shown[Photographed]]:
        """The photographs, oldest first."""
        return shown(self.record, Photographed)

    @cached_property
    def seen(self) -> list[Shown[Observed]]:
        """The newest of each sign looked at or found, undone ones left out."""
        return [Shown(event, action) for event, action in self.record.seen.values() if action.state != "undone"]

    @cached_property
    def accepted(self) -> list[tuple[Shown[Caused], bool]]:
        """Every accepted cause, each with whether it was taken back."""
        record = self.record
        return [(Shown(event, action), event.id in record.voided) for event, action in record.all_of(Caused)]

    @cached_property
    def causes(self) -> list[Shown[Caused]]:
        """The accepted causes that stand."""
        return shown(self.record, Caused)

    @property
    def causes_told(self) -> str:
        """The accepted causes by their titles, in one line."""
        return "; ".join(cause.action.title for cause in self.causes)

    @cached_property
    def outcome_draft(self) -> str:
        """What was found and fitted, in one line, to be kept or changed by whoever closes the call."""
        found = self.causes_told
        fitted = ", ".join(item.action.name for item in self.work.fitted)
        return ". ".join(part for part in (found, f"Fitted: {fitted}" if fitted else "") if part)

    @cached_property
    def notes(self) -> list[Shown[Noted]]:
        """Lines written for the record, and what was kept from the interlock bench."""
        return shown(self.record, Noted)

    @cached_property
    def marks(self) -> list[Shown[Marked]]:
        """What stands written on parts, the newest of each: the filter's size, dates."""
        return [Shown(event, action) for event, action in self.record.marks]

    @cached_property
    def amended(self) -> Shown[Amended] | None:
        """The last time somebody set the complaint right."""
        kept = shown(self.record, Amended)
        return kept[-1] if kept else None

    @cached_property
    def work(self) -> Work:
        """What was done."""
        record = self.record
        return Work(
            fitted=shown(record, Fitted),
            approvals=shown(record, Approved),
            temporaries=[(Shown(event, action), done) for event, action, done in record.open_temporaries],
            ledgers=[Shown(event, action) for event, action in record.ledgers.values()],
            settled=Shown(*record.settled) if record.settled is not None else None,
        )
