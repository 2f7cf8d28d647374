"""What the evidence implies, as it was found and as it is."""

from collections.abc import Sequence
from dataclasses import replace

from plentar.core.circuit.as_wired import wired_wrong
from plentar.core.evidence.record import RecordedReading
from plentar.core.evidence.signs import sign_of
from plentar.core.judging.findings import Finding, find, log_findings, noted, run_findings
from plentar.core.judging.impossible import LINE_ON_CONTROL
from plentar.core.limits.verdicts import Grade
from plentar.core.message import joined, message
from plentar.core.unit.points import of_feed, part_words
from plentar.core.visit import control, evidence, heat, timing, verdicts, work
from plentar.core.visit.state import VisitState, once
from plentar.core.visit_results import (
    AHEAD,
    WEATHER,
)

__all__ = ["findings", "findings_before", "problems", "problems_before"]

# What is answered or counted, not found wrong.
NO_FINDING = frozenset(
    {
        "heat-was-on",
        "jumper-runs",
        "bad-start",
        "capacitor-fine",
        "air-little",
        "air-enough",
        "landing-wrong",
        "wheel-free",
        "watched-steady",
    }
)


@once
def findings(visit: VisitState) -> list[Finding]:
    """What the evidence implies of the unit as it is, most serious first."""
    found = _found_in(visit, evidence.standing_now(visit))
    found += [*_work_findings(visit), *_other_findings(visit), *_feed_findings(visit)]
    found += [noted(message("visit.wired"), Grade.FAIL, words, "wired") for words in wired_wrong(visit.plate)]
    found.sort(key=lambda entry: (entry.verdict.kind != LINE_ON_CONTROL, -entry.verdict.grade.severity))
    # A later reading of the same place takes the finding's place, not the stop's.
    if control.line_on_control(visit) and not any(entry.verdict.kind == LINE_ON_CONTROL for entry in found):
        found.insert(0, noted(message("visit.stop"), Grade.FAIL, control.line_on_control(visit), LINE_ON_CONTROL))
    return found


@once
def findings_before(visit: VisitState) -> list[Finding]:
    """What was found before the repair; empty while there was none."""
    found = _found_in(
        visit, [entry for entry in evidence.standing(visit) if not evidence.is_of_now(visit, entry.event)]
    )
    found += _other_findings(visit, of_now=False)
    return sorted(found, key=lambda entry: -entry.verdict.grade.severity)


@once
def problems(visit: VisitState) -> list[Finding]:
    """The findings that are something wrong; what could not be judged is none of them."""
    return _wrong(findings(visit))


def problems_before(visit: VisitState) -> list[Finding]:
    """The same of what was found before the repair."""
    return _wrong(findings_before(visit))


def _wrong(found: Sequence[Finding]) -> list[Finding]:
    return [finding for finding in found if finding.verdict.grade is not Grade.NOT_PROVEN]


def _found_in(visit: VisitState, entries: Sequence[RecordedReading]) -> list[Finding]:
    newest: dict[tuple[object, ...], RecordedReading] = {}
    for entry in entries:
        # Popped and put back: what is read last stands last. Sound at rest is no answer to dead under a call.
        key = (entry.reading.point, entry.reading.condition.state)
        newest.pop(key, None)
        newest[key] = entry
    judged = [(entry.reading, verdicts.judged_one(visit, entry).verdict) for entry in newest.values()]
    return find(replace(verdicts.situation(visit), readings=tuple(entry.reading for entry in entries)), judged)


def _other_findings(visit: VisitState, *, of_now: bool = True) -> list[Finding]:
    """What was not read at one place: sag, air, times and their order, conductors, the four rows.

    Of the unit as it is, or of the one that was found before a repair.
    """
    readings = tuple(e.reading for e in evidence.standing(visit) if evidence.is_of_now(visit, e.event) == of_now)
    found = [
        Finding(about=of_feed(visit.plate, loss.feed, message("visit.sag")), verdict=loss.verdict)
        for loss in verdicts.losses_of(visit, readings)
    ]
    airs = [entry for entry in heat.airs(visit) if evidence.is_of_now(visit, entry.event) == of_now]
    if airs:
        found.append(Finding(about=message("visit.rise"), verdict=airs[-1].verdict.rise))
        found.append(Finding(about=message("visit.airflow"), verdict=airs[-1].verdict.flow))
    # The last by each call: a fan's run says nothing of the strips'.
    for run in {run.call: run for run in timing.watch_runs(visit) if timing.began_now(visit, run) == of_now}.values():
        _, judged = timing.judge_watch(visit, run)
        found += run_findings(judged)
    for event, action, analysis in timing.logs(visit):
        if evidence.is_of_now(visit, event) == of_now:
            found += log_findings(action.name, analysis.events, analysis.verdict)
    if of_now:
        # Landings stay as they were last kept: no part that was fitted moves a conductor of the wall.
        found += [noted(message("visit.conductors"), note.grade, note.words) for note in control.map_notes(visit) or ()]
    found += _seen_findings(visit, of_now=of_now)
    for row in control.rows_seen(visit, of_now=of_now):
        if row.agrees is False:
            words = message("visit.row-should", calls=row.words)
            found.append(noted(message("visit.row", calls=row.words), Grade.FAIL, words))
    return [entry for entry in found if entry.verdict.grade is not Grade.PASS]


def _seen_findings(visit: VisitState, *, of_now: bool) -> list[Finding]:
    """What was seen, heard or felt and is not as it should be; starts that failed, of all counted."""
    found = []
    for event, action in visit.record.found:
        sign = sign_of(action.sign)
        if sign is None or sign.seen_running or action.sign in NO_FINDING or evidence.is_of_now(visit, event) != of_now:
            continue
        where = part_words(action.about) if action.about and sign.about else message("visit.look")
        grade = Grade.FAIL if action.sign == "plain-wire" else Grade.MARGINAL
        found.append(noted(where, grade, sign.words, "seen"))
    good, tried = control.starts_seen(visit, of_now=of_now)
    if tried > good:
        words = message("visit.starts-failed", failed=tried - good, tried=tried)
        found.append(noted(message("visit.starts"), Grade.FAIL, words))
    return found


def _work_findings(visit: VisitState) -> list[Finding]:
    """What was done that should not have been: leads moved live, power back under somebody's lock."""
    found = []
    for ledger in work.ledgers(visit):
        if ledger.was_live:
            words = message("visit.ledger-was-made-while-unit")
            found.append(noted(message("visit.leads", ledger=ledger.name), Grade.FAIL, words, "moved live"))
    back = visit.record.power_back
    if back is not None and evidence.lockout(visit).locks:
        names = joined(dict.fromkeys(lock.by for lock in evidence.lockout(visit).locks))
        words = message("visit.power-went-back-lock-record", names=names)
        found.append(noted(message("visit.power-back"), Grade.FAIL, words, "under a lock"))
    return found


def _feed_findings(visit: VisitState) -> list[Finding]:
    """What is wrong in the path of the feeds, and heat that is short with every strip right."""
    found = []
    for part in work.path(visit):
        kind = AHEAD if part.is_ahead else ""
        found += [noted(part.name, Grade.FAIL, words, kind) for words in part.defects]
    output = heat.pump_output(visit)
    if output is not None and output.grade is not Grade.PASS:
        found.append(Finding(about=message("visit.pump-output"), verdict=output))
    weather = heat.weather(visit)
    if weather is not None and weather.grade is Grade.FAIL:
        found.append(noted(message("visit.weather"), Grade.FAIL, weather.words, WEATHER))
    return found
