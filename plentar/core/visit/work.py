"""What was done and what proves it: ledgers, the list before power, what stands against closing, the feeds."""

import math

from plentar.core.errors import PlentarError
from plentar.core.judging.feed_path import PathPart, path_of
from plentar.core.judging.timing import RunVerdict
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.message import Text, message
from plentar.core.unit.points import part_words
from plentar.core.visit import evidence, heat, timing
from plentar.core.visit.state import VisitState, once
from plentar.core.visit_results import (
    Ledger,
)
from plentar.core.work.interim import Interim, interim_of
from plentar.core.work.ledger import LedgerNote, check_ledger
from plentar.core.work.proof import BEFORE_POWER, RISE, TIMES, Proof, proof_items, prove

__all__ = [
    "blockers",
    "checklist",
    "interim",
    "ledgers",
    "loose_ends",
    "not_taken",
    "path",
    "power_warnings",
    "proof",
    "proven",
    "was_found_off",
]

TRIPS = "breaker trips or hot"


@once
def ledgers(visit: VisitState) -> list[Ledger]:
    """The newest ledger of each part, checked against the circuit."""
    found = []
    for part, (_, action) in visit.record.ledgers.items():
        try:
            notes = check_ledger(visit.plate, part, action.rows)
        except PlentarError:
            continue
        was_live = not action.condition.is_proven_dead
        found.append(Ledger(part=part, name=part_words(part), rows=action.rows, notes=notes, was_live=was_live))
    return found


@once
def loose_ends(visit: VisitState) -> list[LedgerNote]:
    """Leads that sit where they must not."""
    return [note for ledger in ledgers(visit) for note in ledger.notes if note.grade is Grade.FAIL]


@once
def checklist(visit: VisitState) -> list[tuple[str, Text, bool]]:
    """What is checked before power goes back on; why a breaker was found off only where one was."""
    lines = [line for line in BEFORE_POWER if line[0] != "breaker" or was_found_off(visit)]
    return [(name, words, name in visit.record.checked) for name, words in lines]


@once
def was_found_off(visit: VisitState) -> bool:
    """True where a breaker was found off or is said to trip: seen, complained of, or accepted as the cause."""
    causes = [fault for _, cause in visit.record.causes for fault in cause.faults]
    return (
        evidence.state_of(visit, "breaker-off") == "found"
        or TRIPS in visit.complaints
        or any("breaker" in fault or fault.endswith(".dead-short") for fault in causes)
    )


@once
def power_warnings(visit: VisitState) -> tuple[Text, ...]:
    """What is said before power goes back on: locks, loose ends, lines of the list."""
    words: list[Text] = [
        message("visit.s-lock-still", by=lock.by, feed=lock.feed.replace("-", " "))
        for lock in evidence.lockout(visit).locks
    ]
    words += [message("visit.loose-end", note=note.words) for note in loose_ends(visit)]
    words += [message("visit.not-ticked", line=line) for _, line, done in checklist(visit) if not done]
    return tuple(words)


@once
def blockers(visit: VisitState) -> tuple[Text, ...]:
    """What stands against *proven* and against closing, until it is cleared or overridden with a reason."""
    words = [
        message("visit.s-lock-still-owner-takes", by=lock.by, feed=lock.feed.replace("-", " "))
        for lock in evidence.lockout(visit).locks
    ]
    if evidence.is_changed_since(visit):
        words.append(message("visit.changed-since-power-on"))
    return (*words, *(message("visit.loose-end", note=note.words) for note in loose_ends(visit)))


@once
def proof(visit: VisitState) -> tuple[Proof, ...]:
    """What must be read again, before and after power went back on."""
    back = visit.record.power_back
    before = [e.reading for e in evidence.standing(visit) if back is None or e.event.is_before(back)]
    # A lead moved or a part fitted after power was on: what was read since is of another unit.
    is_on = back is not None and not visit.record.epoch[1]
    after = [e.reading for e in evidence.standing(visit) if back is not None and is_on and back.is_before(e.event)]
    first = prove(visit.plate, proof_items(visit.plate), before, after, visit.limits)
    failed = [p.item.point for p in first if p.before is not None and p.before.grade is Grade.FAIL]
    traced = [r.point for r in before if r.function in ("volts", "dc_volts") and r.condition.feeds_live]
    failed += [point for point in dict.fromkeys(traced) if "pole" in point]
    items = proof_items(visit.plate, failed)
    return (*prove(visit.plate, items, before, after, visit.limits), *_measured_proof(visit, is_on))


def _measured_proof(visit: VisitState, is_on: bool) -> tuple[Proof, ...]:
    """What is proven by no single reading: a run of the stopwatch, the rise of the air, before and after."""
    back = visit.record.power_back
    since = math.inf if back is None or not is_on else back.done_at
    runs: tuple[list[Verdict], list[Verdict]] = ([], [])
    for run in (run for run in timing.watch_runs(visit) if run.call == "heat"):
        runs[run.called_at > since].append(_run_verdict(timing.judge_watch(visit, run)[1]))
    airs: tuple[list[Verdict], list[Verdict]] = ([], [])
    for air in heat.airs(visit):
        airs[air.event.done_at > since].append(air.verdict.rise)
    both = ((TIMES, runs), (RISE, airs))
    return tuple(
        Proof(item=item, before=before[-1] if before else None, after=after[-1] if after else None)
        for item, (before, after) in both
    )


@once
def proven(visit: VisitState) -> tuple[int, int]:
    """How many of the readings prove the repair, of how many; times and rise count once they were taken."""
    counted = [entry for entry in proof(visit) if entry.item.point or entry.after is not None]
    return sum(entry.is_proven for entry in counted), len(counted)


@once
def not_taken(visit: VisitState) -> tuple[Text, ...]:
    """What a proof should have and nobody took: order and times, the rise."""
    return tuple(entry.item.words for entry in proof(visit) if not entry.item.point and entry.after is None)


@once
def path(visit: VisitState) -> tuple[PathPart, ...]:
    """The path of the feeds, panel to element, each part judged."""
    return path_of(visit.plate)


def interim(visit: VisitState, feed: str) -> Interim | None:
    """What may run on a feed until it is corrected; None where nothing must be."""
    return interim_of(visit.plate, feed)


def _run_verdict(run: RunVerdict) -> Verdict:
    """Return a run's one word as a verdict."""
    words = [run.not_proven_because, *(note.words for note in run.order if note.grade is run.grade)]
    because = next((w for w in words if w), message("visit.run-as-it-should"))
    grade = Grade.PASS if run.is_good else run.grade
    return Verdict(grade=grade, value=0.0, uncertainty=0.0, unit="", because=because)
