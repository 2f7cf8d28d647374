"""What speaks for which cause, and what to do next."""

from typing import TYPE_CHECKING

from plentar.core.cache import ByteBoundedCache
from plentar.core.causes.weighted import Factors
from plentar.core.circuit.as_wired import wired_wrong
from plentar.core.evidence.events import Logged, Switched
from plentar.core.evidence.reading import Reading
from plentar.core.evidence.signs import Observation, sign_of
from plentar.core.judging.watched import seen_by_fan, seen_by_heat
from plentar.core.limits.table import Limits
from plentar.core.limits.verdicts import Grade
from plentar.core.message import joined, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.quantities import QUANTITIES
from plentar.core.visit import consequences, control, evidence, heat, timing, verdicts, work
from plentar.core.visit.state import VisitState, once
from plentar.core.visit_results import (
    Advice,
    AdviceKind,
)
from plentar.core.work.proof import ProofItem

if TYPE_CHECKING:
    from plentar.core.causes.accepting import Precaution
    from plentar.core.causes.diagnosis import Cause, Diagnosis
    from plentar.core.causes.next_test import NextTest
    from plentar.core.judging.log import LogAnalysis

__all__ = [
    "SURE_SHARE",
    "advice",
    "diagnosis",
    "looks_done",
    "next_test",
    "next_tests",
    "precaution",
    "signs",
    "stood_before",
    "suspects",
    "tests_done",
]

# From here a cause is accepted whatever could still be read; below a half nothing is, for want of tests.
SURE_SHARE, LEAST_ACCEPTED = 0.97, 0.5
# What a hand at the wheel finds, one way or the other.
WHEEL_SIGNS = frozenset({"stiff", "side-play", "loose-hub", "wheel-free"})
AIR_SIGNS = frozenset({"air-little", "air-enough"})
WATCH_SIGNS = frozenset({"watched-steady", "watched-dropped", "watched-tripped"})
START_SIGNS = frozenset({"bad-start", "starts-good-20"})
# Below this share a cause, and below this many bits a test, is not shown.
LEAST_SHARE, MOST_SUSPECTS, LEAST_BITS = 0.02, 4, 0.02


@once
def signs(visit: VisitState) -> tuple[Observation, ...]:
    """Everything seen that speaks for or against a cause, what follows from checks included."""
    rows = {"row-blower": ("blower-runs", "blower-still"), "row-strips": ("strips-heat", "strips-cold")}
    found = []
    for (kind, about), (event, action) in visit.record.seen.items():
        # What was seen before the repair was seen on another unit.
        if not evidence.is_of_now(visit, event):
            continue
        if kind in rows and action.state in ("found", "fine"):
            found.append(Observation(kind=rows[kind][action.state == "fine"], condition=action.condition))
        elif kind == "hunt" and action.state == "found":
            # The conductor that was taken off and cleared the short, as the causes spell it.
            part = f"control.{about.lower()}"
            found.append(Observation(kind="conductor-shorted", about=part, condition=action.condition))
        elif kind == "start" and action.state == "found":
            found.append(Observation(kind="bad-start", condition=action.condition))
        elif action.state == "found" and sign_of(kind) is not None:
            found.append(Observation(kind=kind, about=about, condition=action.condition))
    good, tried = control.starts(visit)
    if good == tried >= 10:
        found.append(Observation(kind="starts-good-20" if good >= 20 else "starts-good-10"))
    found += _signs_of_runs(visit)
    if stood_before(visit) and not any(entry.kind == "heat-was-on" for entry in found):
        found.append(Observation(kind="heat-was-on"))
    for event, logged, analysis in timing.logs(visit):
        if evidence.is_of_now(visit, event) and logged.called_seconds is not None:
            found += _seen_in_log(visit, logged, analysis, logged.called_seconds)
    found += [
        Observation(kind="landing-wrong", about=note.part) for note in control.map_notes(visit) or () if note.part
    ]
    airs = [entry.verdict.flow for entry in heat.airs(visit) if evidence.is_of_now(visit, entry.event)]
    if airs and airs[-1].kind == "little air":
        found.append(Observation(kind="air-little"))
    elif airs and airs[-1].grade is Grade.PASS:
        found.append(Observation(kind="air-enough"))
    # A capacitor out of its band is evidence like a sign: the circuit does not predict microfarads.
    measured = verdicts.latest_now(visit).get(verdicts.CAPACITOR)
    if measured is not None and measured.verdict.grade in (Grade.FAIL, Grade.PASS):
        is_out = measured.verdict.grade is Grade.FAIL
        found.append(Observation(kind="capacitor-out" if is_out else "capacitor-fine"))
    return tuple(dict.fromkeys(found))


@once
def stood_before(visit: VisitState) -> bool:
    """True where somebody said that heat stood before it was tapped."""
    said_so = any(
        action.what in ("W", "W2") and (action.is_untimed or action.ago_seconds > 0)
        for event, action in visit.record.of(Switched)
        if evidence.is_of_now(visit, event)
    )
    return said_so or evidence.state_of(visit, "heat-was-on") == "found"


def _seen_in_log(visit: VisitState, action: Logged, analysis: "LogAnalysis", called: float) -> list[Observation]:
    from plentar.core.judging.logged import seen_in

    return seen_in(visit.plate, analysis, action.clamp, called)


def _signs_of_runs(visit: VisitState) -> list[Observation]:
    """What the last run of the stopwatch by each call saw come, stay away and go."""
    last = {run.call: run for run in timing.watch_runs(visit) if timing.began_now(visit, run)}
    found: list[Observation] = []
    if "fan" in last:
        found += seen_by_fan(visit.plate, *timing.judge_watch(visit, last["fan"]))
    if "heat" in last:
        found += seen_by_heat(visit.plate, timing.stages(visit), timing.judge_watch(visit, last["heat"])[0])
    return found


@once
def diagnosis(visit: VisitState) -> "Diagnosis | None":
    """What the evidence says of the causes; None before there is any."""
    # Air and microfarads are judged by themselves; the circuit says nothing of them.
    readings = tuple(r for r in evidence.readings_now(visit) if QUANTITIES[r.function].is_predicted)
    if not readings and not signs(visit):
        return None
    # A part that was fitted or moved on this call is not the one the past speaks of.
    past = () if evidence.is_repaired(visit) else visit.past.factors(visit.plate, visit.moment)
    return _diagnosed(visit.plate, readings, tuple(visit.complaints), signs(visit), visit.limits, past)


@once
def suspects(visit: VisitState) -> "list[Cause]":
    """The causes worth showing, likeliest first."""
    found = diagnosis(visit)
    causes = found.causes if found is not None else ()
    return [cause for cause in causes if cause.probability >= LEAST_SHARE][:MOST_SUSPECTS]


def next_tests(visit: VisitState, *, school: str = "amps first", most: int = 5) -> "tuple[NextTest, ...]":
    """Return the tests that split the remaining causes best for their cost."""
    found = diagnosis(visit)
    if found is None:
        return ()
    from plentar.core.causes.next_test import next_tests

    return next_tests(found, evidence.condition(visit), taken=tests_done(visit), school=school, most=most)


def tests_done(visit: VisitState) -> list[tuple[str, frozenset[str]]]:
    """What was read or looked at on the unit as it is, and under which calls."""
    return looks_done(visit) + [(r.point, r.condition.on) for r in evidence.readings_now(visit)]


@once
def precaution(visit: VisitState) -> "Precaution | None":
    """What is still to be read before the leading cause is acted on."""
    found = diagnosis(visit)
    if found is None:
        return None
    from plentar.core.causes.accepting import before_accepting

    return before_accepting(found, tests_done(visit))


def looks_done(visit: VisitState) -> "list[tuple[str, frozenset[str]]]":
    """The looks that are no reading and were done on the unit as it is now, as `next_tests` spells them."""
    from plentar.core.causes.checks import AIR, STAGES, STARTS, WATCH, WHEEL, checks_of

    seen = {entry.kind for entry in signs(visit)}
    by_signs = {WHEEL: WHEEL_SIGNS, AIR: AIR_SIGNS, WATCH: WATCH_SIGNS, STARTS: START_SIGNS}
    done = {point for point, kinds in by_signs.items() if seen & kinds}
    if verdicts.CAPACITOR in verdicts.latest_now(visit):
        done.add(verdicts.CAPACITOR)
    if any(run.call == "heat" and timing.began_now(visit, run) for run in timing.watch_runs(visit)):
        done.add(STAGES)
    # A log shows every stage come as a stopwatch does.
    if any(
        evidence.is_of_now(visit, event) and logged.called_seconds is not None
        for event, logged, _ in timing.logs(visit)
    ):
        done.add(STAGES)
    return [(check.test.point, check.test.drive.calls) for check in checks_of(visit.plate) if check.test.point in done]


@once
def next_test(visit: VisitState) -> "NextTest | None":
    """The best of them, if it is worth its minutes; none while all work stops."""
    if control.stop(visit):
        return None
    known, found = diagnosis(visit), next_tests(visit, most=1)
    if known is None or not found or found[0].bits <= LEAST_BITS:
        return None
    from plentar.core.causes.next_test import is_enough

    return None if is_enough(known, found[0]) else found[0]


@once
def advice(visit: VisitState) -> Advice:
    """What to do now: stop, wait, prove, test, accept, or read what *all well* still needs.

    Source:
        docs/trade.md, section 4: trace, fix, prove, in that order.
    """
    if control.stop(visit):
        return Advice(kind="stop", words=control.stop(visit))
    if visit.record.awaits_proof and evidence.is_repaired(visit) and not evidence.is_changed_since(visit):
        left = _next_proof(visit)
        unseen = [
            entry.item
            for entry in work.proof(visit)
            # What was measured and does not pass is no longer to be measured: it is said below.
            if entry.item.is_needed
            and not entry.is_proven
            and not (entry.item.why == "rise" and entry.after is not None)
        ]
        looks = [item for item in unseen if item.why in ("seen", "rise") and not (left and item == left)]
        if looks and left is not None and not left.calls and evidence.condition(visit).heat:
            # What is seen under heat is seen before the call is dropped.
            step = "air" if looks[0].why == "rise" else "blower"
            return Advice(kind="prove", words=message("advice.prove", item=looks[0].words), step=step)
        if left is not None:
            words = message("advice.prove", item=left.words)
            return Advice(kind="prove", words=words, point=left.point, calls=left.calls)
        failed = [
            entry.item.words
            for entry in work.proof(visit)
            if entry.item.is_needed and entry.after is not None and not entry.is_proven
        ]
        if failed:
            return Advice(kind="prove", words=message("advice.unproven", items=joined(failed)))
        if unseen:
            step = {"rise": "air", "seen": "blower"}.get(str(unseen[0].why), "")
            return Advice(kind="prove", words=message("advice.prove", item=unseen[0].words), step=step)
        return Advice(kind="prove", words=message("advice.proven"), is_proven=True)
    if evidence.lockout(visit).is_dead and visit.record.causes and (left_ohms := work.before_power(visit)):
        item = left_ohms[0]
        return Advice(kind="prove", words=message("advice.before-power", item=item.words), point=item.point)
    found = diagnosis(visit)
    if found is None or found.wait_seconds > 0:
        kind: AdviceKind = "check" if found is None else "wait"
        return Advice(kind=kind, words=message("advice.read-supply") if found is None else message("advice.wait"))
    return _by_suspects(visit, found.first)


def _next_proof(visit: VisitState) -> ProofItem | None:
    """The reading to prove by next: first the volts that amps are held against, then what nobody has read yet."""
    unread = [
        entry.item
        for entry in work.proof(visit)
        # What is seen, not read, is tapped on the list of the proof.
        if entry.item.point
        and entry.item.is_needed
        and not entry.by_other
        and entry.after is None
        and entry.item.why not in ("seen", "before-power")
    ]
    on = evidence.condition(visit).on & {"W", "W2", "G"}
    # Then what can be read under the calls that stand: every call switched is a sequencer waited out.
    return min(unread, key=lambda item: (item.why != "load", len(item.calls ^ on)), default=None)


def _by_suspects(visit: VisitState, lead: "Cause | None") -> Advice:
    """Say whether the leading cause is to be accepted, or what would split it from the others."""
    is_well = lead is not None and "healthy" in lead.faults
    sure = lead is not None and lead.probability >= SURE_SHARE
    best = next_test(visit)
    if is_well and (sure or best is None) and not wired_wrong(visit.plate):
        left = verdicts.unread(visit)
        if left:
            point, _words, calls = left[0]
            names = joined([name for _point, name, _calls in left])
            return Advice(kind="check", words=message("advice.check", left=names), point=point, calls=calls)
        found = consequences.problems(visit)
        if not found:
            return Advice(kind="well", words=message("advice.well"))
        return Advice(kind="well", words=message("advice.well-but", count=len(found)))
    if sure and (first := precaution(visit)) is not None:
        words = "advice.once-more" if first.is_again else "advice.short-first"
        return Advice(kind="again", words=message(words, test=first.test.words), point=first.test.point)
    if lead is not None and (sure or best is None) and lead.probability >= LEAST_ACCEPTED:
        return Advice(kind="accept", words=message("advice.accept", title=lead.title, repair=lead.repair))
    if best is None:
        return Advice(kind="check", words=message("advice.nothing-splits"))
    return Advice(kind="test", words=best.test.words, point=best.test.point)


# A diagnosis keeps its model alive: what it holds is some half dozen of those.
_diagnoses = ByteBoundedCache(12, size=lambda found: found.model.bytes + 8 * found.posterior.nbytes)


def _diagnosed(
    plate: Nameplate,
    readings: tuple[Reading, ...],
    complaints: tuple[str, ...],
    signs: tuple[Observation, ...],
    limits: Limits,
    past: Factors,
) -> "Diagnosis":
    """Everyone who looks at a call sees the same diagnosis: it is worked out once."""
    from plentar.core.causes.diagnosis import diagnose

    def make() -> "Diagnosis":
        return diagnose(plate, readings, complaints=complaints, observations=signs, limits=limits, past=past)

    return _diagnoses.get((plate, readings, complaints, signs, limits, past), make)
