"""What was done and what proves it: ledgers, the list before power, what stands against closing, the feeds."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace

from plentar.core.errors import PlentarError
from plentar.core.evidence.events import Switched
from plentar.core.evidence.reading import Reading
from plentar.core.judging.feed_path import PathPart, path_of
from plentar.core.judging.timing import RunVerdict
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import HeatingCircuit
from plentar.core.unit.place import amps_at, line_volts
from plentar.core.unit.points import part_words
from plentar.core.visit import control, evidence, heat, timing
from plentar.core.visit.state import VisitState, once
from plentar.core.visit_results import (
    Ledger,
)
from plentar.core.work.interim import Interim, interim_of
from plentar.core.work.ledger import LedgerNote, check_ledger
from plentar.core.work.proof import (
    BEFORE_POWER,
    RISE,
    TIMES,
    Proof,
    ProofItem,
    Touched,
    proof_items,
    prove,
    total_agrees,
    touched_by,
)

__all__ = [
    "before_power",
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
    "touched",
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
    """What is checked before power goes back on; a breaker, a link, the thermostat only where one is concerned."""
    wanted = {
        "thermostat": any((a.what, a.state) == ("thermostat", "bypassed") for _, a in visit.record.of(Switched)),
        "breaker": was_found_off(visit),
        # Whoever worked at a link or a limit may have bridged it to test.
        "jumpers": any(fault.split(".")[1:2] in (["link"], ["limit"]) for fault in visit.record.blamed_faults),
    }
    lines = [line for line in BEFORE_POWER if wanted.get(line[0], True)]
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
def touched(visit: VisitState) -> Touched:
    """What the repairs of this call touched: by the accepted causes and the leads that were moved."""
    # A cause in one's own words names no part: then everything may have been touched.
    is_named = all(cause.faults for _, cause in visit.record.causes)
    parts = tuple(visit.record.ledgers) if is_named else ()
    found = touched_by(visit.plate, visit.record.blamed_faults if is_named else (), parts)
    isolated = frozenset(action.circuit for _, action, is_done in visit.record.open_temporaries if not is_done)
    return replace(found, strips=found.strips - isolated, opened_links=found.opened_links - isolated, isolated=isolated)


@once
def proof(visit: VisitState) -> tuple[Proof, ...]:
    """What must be read again, before and after power went back on; then what the repair does not need."""
    back = visit.record.power_back
    before = [e.reading for e in evidence.standing(visit) if back is None or e.event.is_before(back)]
    # A lead moved or a part fitted after power was on: what was read since is of another unit.
    is_on = back is not None and not visit.record.epoch[1]
    after = [e.reading for e in evidence.standing(visit) if back is not None and is_on and back.is_before(e.event)]
    plate, repair = visit.plate, touched(visit)
    first = prove(plate, proof_items(plate, repair), before, after, visit.limits)
    failed = [p.item.point for p in first if p.before is not None and p.before.grade is Grade.FAIL]
    traced = [r.point for r in before if r.function in ("volts", "dc_volts") and r.condition.feeds_live]
    failed += [point for point in dict.fromkeys(traced) if "pole" in point]
    found = prove(plate, proof_items(plate, repair, failed), before, after, visit.limits)
    heads = [p for p in found if p.item.why == "before-power"]
    # Ohms of a circuit whose link had opened are read while it is off: before power, of the unit as repaired or found.
    ohms = prove(plate, [p.item for p in heads], (), [*before, *after], visit.limits)
    rest = [p for p in found if p.item.why != "before-power"]
    return tuple(_by_others(visit, (*ohms, *rest, *_measured_proof(visit, is_on)), after))


def _by_others(visit: VisitState, entries: Sequence[Proof], after: Sequence[Reading]) -> Iterator[Proof]:
    """Mark what was shown otherwise: a strip by its feed's total, a feed by its strips, the blower by being seen."""
    heat = visit.plate.heat_calls
    proven = {(p.item.point, p.item.calls) for p in entries if p.is_proven}
    passed_before = {
        p.item.point for p in entries if p.before is not None and p.before.grade is Grade.PASS and p.item.calls == heat
    }
    runs = next((row.seen_blower for row in control.blower_rows(visit) if row.calls == frozenset({"W"})), None)
    by_total, by_strip = set[str](), set[str]()
    for entry in entries:
        feed = entry.item.point.partition(":")[2]
        if entry.item.why != "total":
            continue
        others = [c.id for c in _strips_of(visit, feed) if c.id not in touched(visit).strips]
        may_speak = all(amps_at(name) in passed_before for name in others)
        agrees = _total_agrees(visit, feed, after) if may_speak else False
        if agrees:
            by_total.add(feed)
        elif agrees is False:
            by_strip.update(others)
    for entry in entries:
        item, place = entry.item, entry.item.point.partition(":")[2]
        own = [(amps_at(c.id), item.calls) in proven for c in _strips_of(visit, place)]
        if item.why == "total":
            is_needed = not any(c.id in by_strip for c in _strips_of(visit, place))
            yield replace(entry, item=replace(item, is_needed=is_needed), by_other=place in by_total or all(own))
        elif item.why == "amps" and place in by_strip:
            yield replace(entry, item=replace(item, is_needed=True))
        elif item.why == "seen":
            yield replace(entry, by_other=runs is True and visit.record.power_back is not None)
        elif item.why == "off" and item.is_needed and own and all(own):
            yield replace(entry, by_other=True)
        else:
            yield entry


def _strips_of(visit: VisitState, feed: str) -> list[HeatingCircuit]:
    isolated = touched(visit).isolated
    return [c for c in visit.plate.circuits_on(feed) if c.id not in isolated]


def _total_agrees(visit: VisitState, feed: str, after: Sequence[Reading]) -> bool | None:
    """Tell whether a feed's total speaks for its strips since power went on; None while it was not read."""
    newest = {r.point: r for r in after if r.condition.heat and not r.condition.is_called("G")}
    total, volts = newest.get(amps_at(feed)), newest.get(line_volts(feed))
    if total is None or volts is None:
        return None
    clamped = {c.id: newest[amps_at(c.id)].value for c in _strips_of(visit, feed) if amps_at(c.id) in newest}
    isolated = touched(visit).isolated
    return total_agrees(visit.plate, feed, total, volts, clamped, newest.get(amps_at("blower")), isolated)


@once
def before_power(visit: VisitState) -> tuple[ProofItem, ...]:
    """What is still to be read, dead, before a new link gets power."""
    return tuple(p.item for p in proof(visit) if p.item.why == "before-power" and not p.is_proven)


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
    # An opened link is evidence of overheating: then the rise is part of the proof.
    rise = replace(RISE, is_needed=bool(touched(visit).opened_links))
    both = ((TIMES, runs), (rise, airs))
    return tuple(
        Proof(item=item, before=before[-1] if before else None, after=after[-1] if after else None)
        for item, (before, after) in both
    )


@once
def proven(visit: VisitState) -> tuple[int, int]:
    """How many of what the repair needs prove it, of how many."""
    counted = [entry for entry in proof(visit) if entry.item.is_needed]
    return sum(entry.is_proven for entry in counted), len(counted)


@once
def not_taken(visit: VisitState) -> tuple[Text, ...]:
    """What could have been read after the repair and was not: named on the paper."""
    return tuple(entry.item.words for entry in proof(visit) if not entry.item.is_needed and entry.after is None)


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
