"""Everything the core says of the example units, the example calls and the demo's calls, as text to compare.

    script/postgres.py start var/bench, then, before and after a change:
    PLENTAR_BENCH_DATABASE_URL=postgresql://… python -m bench.said > before.txt

For each example unit every fault is put into the circuit, every point of the run sheet read on it with and without heat
called, and each verdict written down, with the findings and the suspects at the end.
"""

import json
from collections.abc import Iterable
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import select

from bench.demo_data import demo_database
from plentar.core.causes.diagnosis import diagnose
from plentar.core.causes.hypotheses import UnitModel, model_of
from plentar.core.circuit.drive import Drive
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.evidence.record import Record
from plentar.core.judging.findings import find
from plentar.core.judging.situation import Situation
from plentar.core.judging.verdict import judge
from plentar.core.limits.verdicts import Verdict
from plentar.core.unit.points import test_points
from plentar.core.visit import Visit
from plentar.formats.call_json import call_from_json, visit_of
from plentar.formats.unit_json import nameplate_from_json
from plentar.store import events
from plentar.store.models import Call
from plentar.web.call_layout.visits import event_of
from plentar.words import render

EXAMPLES = Path("examples")
# An ordinary clamp meter's: enough for the guard band to be in every verdict.
ACCURACY_RATIO, COUNTS = 0.01, 0.3
MOMENT = datetime(2026, 1, 14, 15, 0, tzinfo=UTC)


def told(verdict: Verdict) -> str:
    """Return all of a verdict in one line."""
    band = verdict.band
    edges = f"[{band.pass_low:.3g} {band.pass_high:.3g} {band.source}]" if band is not None else "[]"
    expected = f"{verdict.expected:.4g}" if verdict.expected is not None else "-"
    words = " | ".join(render(part) for part in (verdict.because, verdict.next_step, verdict.warning) if part)
    figures = f"{verdict.value:.4g} {verdict.unit} ± {verdict.uncertainty:.3g}, {expected} {edges}"
    return f"{figures} {render(verdict.spoken)}: {words}"


def of_fault(model: UnitModel, row: int) -> None:
    """Read the whole run sheet on a unit with one fault, idle and under heat; print all that follows."""
    plate = model.plate
    feeds = tuple((feed.id, "live") for feed in plate.feeds)
    heat = tuple((call, 400.0) for call in ("W", "W2") if call in plate.calls)
    readings = []
    for calls in ((), heat):
        condition = Condition(feeds=feeds, calls=calls)  # type: ignore[arg-type]
        drive = Drive(calls=frozenset(name for name, _ in calls))
        for point in test_points(plate):
            if point.quantity == "ohms":
                continue
            shown = float(model.predict(point.id, drive).predicted[row])
            around = ACCURACY_RATIO * shown + COUNTS
            readings.append(
                Reading(
                    point=point.id,
                    value=round(shown, 2),
                    condition=condition,
                    meter_uncertainty=around,
                    counts_uncertainty=COUNTS,
                )
            )
    situation = Situation(plate=plate, readings=readings)
    verdicts = [(reading, judge(situation, reading)) for reading in readings]
    for reading, verdict in verdicts:
        print(f"  {reading.point} {told(verdict)}")
    for finding in find(situation, verdicts):
        print(f"  finding {render(finding.about)}: {told(finding.verdict)}")
    for cause in diagnose(plate, readings).causes[:4]:
        print(f"  suspect {cause.probability:.3f} {render(cause.title)}: {render(cause.repair)}; {render(cause.proof)}")


def of_visit(visit: Visit) -> None:
    """Print what a call's evidence says: verdicts, findings, suspects, the next tests."""
    for entry in visit.judged:
        print(f"  {render(entry.point.label)}, {render(entry.point.where)}: {told(entry.verdict)}")
    for finding in visit.findings:
        print(f"  finding {render(finding.about)}: {told(finding.verdict)}")
    for cause in visit.suspects:
        print(f"  suspect {cause.probability:.3f} {render(cause.title)}: {render(cause.repair)}; {render(cause.proof)}")
        for reason in (*cause.reasons_for, *cause.reasons_against):
            print(f"    {reason.weight:+.1f} {render(reason.words)}")
    for test in visit.next_tests():
        splits = "; ".join(map(render, test.splits))
        print(f"  next {render(test.test.words)}: {test.bits:.2f} bits, {test.minutes:.1f} min; {splits}")
    for name, _, verdict in visit.runs:
        order = [render(note.words) for note in verdict.order]
        print(f"  {render(name)}: {[told(stage.on) for stage in verdict.stages]} {order}")


def main() -> None:
    """Print it all."""
    for path in sorted((EXAMPLES / "units").glob("*.json")):
        plate = nameplate_from_json(json.loads(path.read_text()))
        model = model_of(plate)
        for row, hypothesis in enumerate(model.hypotheses):
            if len(hypothesis.faults) == 1 and (row == 0 or model.cause_of[row] != model.cause_of[row - 1]):
                print(f"{path.stem} {hypothesis.id} {render(hypothesis.title)}")
                of_fault(model, row)
    for path in sorted((EXAMPLES / "calls").glob("*.json")):
        document = call_from_json(json.loads(path.read_text()))
        unit = json.loads((path.parent / document.unit_file).read_text()) if document.unit_file else document.unit
        print(path.stem)
        of_visit(visit_of(document, nameplate_from_json(unit)))
    _, sessions = demo_database(MOMENT)
    with sessions() as db:
        for call in db.scalars(select(Call).order_by(Call.scheduled_at, Call.id)):
            rows = events.list_after(db, shop_id=call.shop_id, call_id=call.id, seq=0)
            print(f"demo {call.unit.place.name} {call.complaints}")
            of_visit(_visit(call, rows))


def _visit(call: Call, rows: Iterable[events.Kept]) -> Visit:
    plate = nameplate_from_json(call.unit.nameplate)
    record = Record([event_of(row) for row in rows])
    return Visit(plate, record, moment=MOMENT.timestamp(), complaints=call.complaints)


if __name__ == "__main__":
    main()
