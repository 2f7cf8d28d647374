"""A call as the records that leave the application."""

from typing import Any

from plentar.core.observations import sign_of
from plentar.formats.call_record import ReadingRecord
from plentar.web.call.models import CallScreen

__all__ = ["call_document", "reading_records"]


def reading_records(screen: CallScreen) -> list[ReadingRecord]:
    """Return every reading of the call, superseded ones too, oldest first."""
    return [
        ReadingRecord(
            id=str(kept.row.id),
            taken_at=kept.row.taken_at.isoformat(),
            point=kept.row.point,
            where=f"{kept.point.label}, {kept.point.where}",
            value=kept.row.value,
            unit=kept.point.unit,
            uncertainty=kept.row.meter_uncertainty,
            condition=kept.row.condition,
            condition_words=kept.condition.spoken,
            by=kept.row.person.name,
            meter=screen.call.meter.name,
            verdict=kept.verdict,
            supersedes=str(kept.row.supersedes_id) if kept.row.supersedes_id else "",
            reason=kept.row.reason,
        )
        for kept in screen.kept
    ]


def call_document(screen: CallScreen) -> dict[str, Any]:
    """Return the arguments of `call_to_json` for this call."""
    call = screen.call
    return {
        "unit": call.unit.nameplate,
        "complaints": call.complaints,
        "readings": reading_records(screen),
        "observations": [
            {"kind": row.kind, "about": row.about, "condition": row.condition}
            for row in screen.gathered.found
            if sign_of(row.kind) is not None
        ],
        "record": {
            "call": str(call.id),
            "place": call.unit.place.name,
            "town": call.unit.place.town,
            "unit": call.unit.label,
            "technician": call.technician.name,
            "scheduled_at": call.scheduled_at.isoformat(),
            "status": call.status,
            "words": call.words,
            "outcome": call.outcome,
            "causes": [
                {
                    "faults": cause.faults,
                    "title": cause.title,
                    "cause": cause.cause or "not found",
                    "consequence": cause.consequence,
                    "by": cause.person.name,
                    "at": cause.at.isoformat(),
                    **({"withdrawn_at": cause.withdrawn_at.isoformat()} if cause.withdrawn_at else {}),
                }
                for cause in screen.gathered.accepted
            ],
        },
    }
