"""A visit: plate, evidence, limits and a moment in; verdicts, findings, causes, steps and proof out.

Every screen, paper, file and command reads a visit and nothing else. `state` is what goes in; each subject's functions
stand in a module of their own and answer from it; `Visit` hands their answers out. Further down this list a module may
ask those above it, never the other way round.
"""

from dataclasses import replace

from plentar.core.evidence.events import Event
from plentar.core.visit import advice, consequences, control, evidence, heat, timing, verdicts, work
from plentar.core.visit.state import Answer, VisitState
from plentar.core.visit.verdicts import CAPACITOR

__all__ = ["CAPACITOR", "Visit"]


class Visit(VisitState):
    """One call's evidence on one unit, judged. Each answer is worked out when it is first asked for, and once."""

    def plus(self, *events: Event) -> "Visit":
        """Return the visit with later events, nothing worked out yet."""
        return replace(self, record=self.record.plus(*events))

    # What was read, and what the unit is fed and told now.
    knows = evidence.knows
    lockout = Answer(evidence.lockout)
    condition = Answer(evidence.condition)
    safe_lines = evidence.safe_lines
    refusal = evidence.refusal
    taken = Answer(evidence.taken)
    doubted = Answer(evidence.doubted)
    conflicts = Answer(evidence.conflicts)
    strays = Answer(evidence.strays)
    standing = Answer(evidence.standing)
    readings = Answer(evidence.readings)
    is_of_now = evidence.is_of_now
    standing_now = Answer(evidence.standing_now)
    readings_now = Answer(evidence.readings_now)
    is_repaired = Answer(evidence.is_repaired)
    is_changed_since = Answer(evidence.is_changed_since)
    past_told = Answer(evidence.past_told)
    state_of = evidence.state_of

    # What the readings are worth.
    situation = Answer(verdicts.situation)
    verdict_of = verdicts.verdict_of
    judged_one = verdicts.judged_one
    judged = Answer(verdicts.judged)
    latest = Answer(verdicts.latest)
    latest_now = Answer(verdicts.latest_now)
    at_point = verdicts.at_point
    expected = verdicts.expected
    comparisons = Answer(verdicts.comparisons)
    unchecked = Answer(verdicts.unchecked)
    losses = Answer(verdicts.losses)
    losses_of = verdicts.losses_of
    capacitor = Answer(verdicts.capacitor)
    leg_checks = Answer(verdicts.leg_checks)

    # Stages, runs and logs.
    stages = Answer(timing.stages)
    fan_stages = Answer(timing.fan_stages)
    stages_of_run = timing.stages_of_run
    watch_runs = Answer(timing.watch_runs)
    control_volts = timing.control_volts
    judge_watch = timing.judge_watch
    runs = Answer(timing.runs)
    log_question = timing.log_question
    logs = Answer(timing.logs)
    logs_and_trials = Answer(timing.logs_and_trials)

    # Blower, interlock and control side.
    stop = Answer(control.stop)
    blower_rows = Answer(control.blower_rows)
    starts = Answer(control.starts)
    starts_may_fail = Answer(control.starts_may_fail)
    currents = Answer(control.currents)
    map_notes = Answer(control.map_notes)

    # Air, heat and weather.
    airstream = heat.airstream
    airs = Answer(heat.airs)
    pump_output = Answer(heat.pump_output)
    air = Answer(heat.air)
    left_to_heat = heat.left_to_heat
    dead_strips = Answer(heat.dead_strips)
    sound_strips = Answer(heat.sound_strips)
    weather = Answer(heat.weather)
    asks_weather = Answer(heat.asks_weather)

    # Work, ledgers and proof.
    ledgers = Answer(work.ledgers)
    loose_ends = Answer(work.loose_ends)
    checklist = Answer(work.checklist)
    was_found_off = Answer(work.was_found_off)
    power_warnings = Answer(work.power_warnings)
    blockers = Answer(work.blockers)
    proof = Answer(work.proof)
    proven = Answer(work.proven)
    not_taken = Answer(work.not_taken)
    path = Answer(work.path)
    interim = work.interim

    # What follows.
    findings = Answer(consequences.findings)
    problems = Answer(consequences.problems)
    problems_before = Answer(consequences.problems_before)
    findings_before = Answer(consequences.findings_before)

    # Causes, and what to do next.
    signs = Answer(advice.signs)
    stood_before = Answer(advice.stood_before)
    diagnosis = Answer(advice.diagnosis)
    suspects = Answer(advice.suspects)
    next_tests = advice.next_tests
    precaution = Answer(advice.precaution)
    next_test = Answer(advice.next_test)
    advice = Answer(advice.advice)
