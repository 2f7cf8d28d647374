"""A call as the records that leave the application."""

from datetime import UTC, datetime
from typing import Any

from flask import g

from plentar.formats.call_record import ReadingRecord
from plentar.formats.condition_json import condition_to_json
from plentar.screen.call import CallScreen
from plentar.store import shops
from plentar.store.models import Call
from plentar.words import render

__all__ = ["call_document", "reading_records"]


def _moment(at: float) -> str:
    return datetime.fromtimestamp(at, UTC).isoformat()


def reading_records(screen: CallScreen[Call]) -> list[ReadingRecord]:
    """Return every reading of the call, superseded ones too, oldest first."""
    names = shops.meter_names(g.db, shop_id=screen.call.shop_id)
    return [
        ReadingRecord(
            id=kept.id,
            taken_at=_moment(kept.at),
            point=kept.point.id,
            where=f"{render(kept.point.label)}, {render(kept.point.where)}",
            value=kept.value,
            unit=kept.point.unit,
            uncertainty=kept.meter_uncertainty,
            condition=condition_to_json(kept.condition),
            condition_words=render(kept.condition.spoken),
            by=kept.by,
            meter=names.get(kept.meter, screen.call.meter.name),
            calibrated_on=kept.calibrated_on,
            verdict=kept.verdict,
            supersedes=kept.judged.taken.action.supersedes,
            reason=kept.reason,
            mode=kept.mode,
            is_superseded=kept.is_superseded,
        )
        for kept in screen.readings.all
    ]


def call_document(screen: CallScreen[Call]) -> dict[str, Any]:
    """Return the arguments of `call_to_json` for this call."""
    call = screen.call
    return {
        "unit": call.unit.nameplate,
        "complaints": call.complaints,
        "outdoor_degf": call.outdoor_degf,
        "indoor_degf": call.indoor_degf,
        "limits": dict(screen.visit.limits.changed),
        "readings": reading_records(screen),
        "observations": [
            {"kind": sign.kind, "about": sign.about, "condition": condition_to_json(sign.condition)}
            for sign in screen.visit.signs
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
                    "faults": list(cause.action.faults),
                    "title": cause.action.title,
                    "cause": cause.action.cause or "not found",
                    "consequence": cause.action.consequence,
                    "by": cause.by,
                    "at": _moment(cause.at),
                    **({"is_withdrawn": True} if is_withdrawn else {}),
                }
                for cause, is_withdrawn in screen.rows.accepted
            ],
        },
    }
