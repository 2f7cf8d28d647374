"""What a current log shows, as JSON for the command line."""

from typing import Any

from plentar.core.judging.log import LogAnalysis
from plentar.core.limits.verdicts import Verdict
from plentar.words import render

__all__ = ["analysis_to_json"]


def analysis_to_json(found: LogAnalysis) -> dict[str, Any]:
    """Return steps, stages with on and off seconds and verdicts, and events as JSON-ready values."""
    return {
        "format": "plentar.stages/1",
        "samples": found.samples,
        "missing": found.missing,
        "noise_amps": round(found.noise_amps, 3),
        "stages": [
            {
                "stage": entry.stage.id,
                "amps": round(float(found.expected_amps.get(entry.stage.id, 0.0)), 2),
                "on_seconds": _seconds(found.run.on_seconds.get(entry.stage.id)),
                "on": _verdict(entry.on),
                "off_seconds": _seconds(found.run.off_seconds.get(entry.stage.id)),
                "off": _verdict(entry.off) if entry.off is not None else None,
            }
            for entry in found.verdict.stages
        ],
        "order": [{"verdict": note.grade.value, "words": render(note.words)} for note in found.verdict.order],
        "events": [
            {
                "kind": event.kind,
                "stage": event.stage or None,
                "verdict": event.grade.value,
                "words": render(event.words),
                "period_seconds": _seconds(event.period_seconds),
                "duty_ratio": None if event.duty_ratio is None else round(event.duty_ratio, 3),
                "lost_watts": None if event.lost_watts is None else round(event.lost_watts, 1),
            }
            for event in found.events
        ],
        "steps": [
            {
                "at_seconds": round(step.at_seconds, 3),
                "before_amps": round(step.before_amps, 2),
                "after_amps": round(step.after_amps, 2),
                "changes": list(step.changes),
                "inrush_amps": round(step.inrush_amps, 2),
            }
            for step in found.steps
        ],
    }


def _seconds(value: float | None) -> float | None:
    return None if value is None else round(value, 2)


def _verdict(verdict: Verdict) -> dict[str, Any]:
    return {"verdict": verdict.grade.value, "kind": verdict.kind, "because": render(verdict.because)}
