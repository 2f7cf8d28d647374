"""A visit: plate, evidence, limits and a moment in; verdicts, findings, causes, steps and proof out.

Every screen, paper, file and command reads a visit and nothing else. `state` is what goes in; each subject's functions
stand in a module of their own and answer from it; `Visit` hands their answers out. Further down this list a module may
ask those above it, never the other way round.
"""

from dataclasses import replace
from functools import cached_property

from plentar.core.evidence.events import Event
from plentar.core.visit import advice, consequences, control, evidence, heat, timing, verdicts, work
from plentar.core.visit.advice import SURE_SHARE
from plentar.core.visit.state import VisitState
from plentar.core.visit.verdicts import CAPACITOR

__all__ = ["CAPACITOR", "SURE_SHARE", "Visit"]


class Visit(VisitState):
    """One call's evidence on one unit, judged. Each answer is worked out when it is first asked for, and once."""

    def plus(self, *events: Event) -> "Visit":
        """Return the visit with later events, nothing worked out yet."""
        return replace(self, record=self.record.plus(*events))

    # What was read, and what the unit is fed and told now.
    knows = evidence.knows
    lockout = cached_property(evidence.lockout)
    condition = cached_property(evidence.condition)
    safe_lines = evidence.safe_lines
    refusal = evidence.refusal
    taken = cached_property(evidence.taken)
    doubted = cached_property(evidence.doubted)
    conflicts = cached_property(evidence.conflicts)
    strays = cached_property(evidence.strays)
    standing = cached_property(evidence.standing)
    readings = cached_property(evidence.readings)
    is_of_now = evidence.is_of_now
    standing_now = cached_property(evidence.standing_now)
    readings_now = cached_property(evidence.readings_now)
    is_repaired = cached_property(evidence.is_repaired)
    is_changed_since = cached_property(evidence.is_changed_since)
    past_lines = cached_property(evidence.past_lines)
    state_of = evidence.state_of

    # What the readings are worth.
    situation = cached_property(verdicts.situation)
    verdict_of = verdicts.verdict_of
    judged_one = verdicts.judged_one
    judged = cached_property(verdicts.judged)
    latest = cached_property(verdicts.latest)
    latest_now = cached_property(verdicts.latest_now)
    at_point = verdicts.at_point
    expected = verdicts.expected
    comparisons = cached_property(verdicts.comparisons)
    unchecked = cached_property(verdicts.unchecked)
    losses = cached_property(verdicts.losses)
    losses_of = verdicts.losses_of
    capacitor = cached_property(verdicts.capacitor)
    leg_checks = cached_property(verdicts.leg_checks)

    # Stages, runs and logs.
    stages = cached_property(timing.stages)
    fan_stages = cached_property(timing.fan_stages)
    stages_of_run = timing.stages_of_run
    watch_runs = cached_property(timing.watch_runs)
    control_volts = timing.control_volts
    judge_watch = timing.judge_watch
    runs = cached_property(timing.runs)
    log_question = timing.log_question
    logs = cached_property(timing.logs)
    logs_and_trials = cached_property(timing.logs_and_trials)

    # Blower, interlock and control side.
    stop = cached_property(control.stop)
    blower_rows = cached_property(control.blower_rows)
    starts = cached_property(control.starts)
    currents = cached_property(control.currents)
    map_notes = cached_property(control.map_notes)

    # Air, heat and weather.
    airstream = heat.airstream
    airs = cached_property(heat.airs)
    pump_output = cached_property(heat.pump_output)
    air = cached_property(heat.air)
    left_to_heat = heat.left_to_heat
    dead_strips = cached_property(heat.dead_strips)
    sound_strips = cached_property(heat.sound_strips)
    weather = cached_property(heat.weather)
    asks_weather = cached_property(heat.asks_weather)

    # Work, ledgers and proof.
    ledgers = cached_property(work.ledgers)
    loose_ends = cached_property(work.loose_ends)
    checklist = cached_property(work.checklist)
    was_found_off = cached_property(work.was_found_off)
    power_warnings = cached_property(work.power_warnings)
    blockers = cached_property(work.blockers)
    proof = cached_property(work.proof)
    proven = cached_property(work.proven)
    not_taken = cached_property(work.not_taken)
    path = cached_property(work.path)
    interim = work.interim

    # What follows.
    findings = cached_property(consequences.findings)
    findings_before = cached_property(consequences.findings_before)

    # Causes, and what to do next.
    signs = cached_property(advice.signs)
    stood_before = cached_property(advice.stood_before)
    diagnosis = cached_property(advice.diagnosis)
    suspects = cached_property(advice.suspects)
    next_tests = advice.next_tests
    precaution = cached_property(advice.precaution)
    next_test = cached_property(advice.next_test)
    advice = cached_property(advice.advice)
