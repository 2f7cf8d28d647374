"""A visit: plate, evidence, limits and a moment in; verdicts, findings, causes, steps and proof out.

Every screen, paper, file and command reads a visit and nothing else. It judges nothing itself: it hands the evidence to
those who do, once, and keeps what they said.
"""

import math
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from itertools import combinations
from typing import TYPE_CHECKING, Literal

from plentar.core.cache import ByteBoundedCache
from plentar.core.causes.weighted import Factors
from plentar.core.circuit.as_wired import wired_wrong
from plentar.core.circuit.places import find_point
from plentar.core.errors import PlentarError, ReadingError
from plentar.core.evidence.events import Aired, Event, Logged, Switched
from plentar.core.evidence.lockout import Lockout, fold
from plentar.core.evidence.merging import after_closing, doubted
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.evidence.record import Record, RecordedReading
from plentar.core.evidence.runs import TimingRun, WatchRun, runs_of
from plentar.core.evidence.signs import Observation, sign_of
from plentar.core.history.past import NO_PAST, Past
from plentar.core.judging.air import AirReading, AirVerdict, air_factor, judge_air, watts_in_airstream
from plentar.core.judging.control_circuit import CallCurrent, call_currents
from plentar.core.judging.feed_path import PathPart, path_of
from plentar.core.judging.findings import Finding, compare, find, log_findings, noted, run_findings
from plentar.core.judging.heat_pump import judge_output
from plentar.core.judging.impossible import LINE_ON_CONTROL, is_line_on_control
from plentar.core.judging.situation import Situation
from plentar.core.judging.supply_loss import SupplyLoss, supply_loss
from plentar.core.judging.thermostat_map import MapNote, MapRow, check_map
from plentar.core.judging.timing import RunVerdict, Stage, fan_stages, judge_run, stages_of
from plentar.core.judging.verdict import judge
from plentar.core.judging.watched import seen_by_fan, seen_by_heat
from plentar.core.judging.weather import Weather, pump_range, weather_of
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.message import Text, joined, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import CAPACITOR as CAPACITOR_PLACE
from plentar.core.unit.place import Place, amps_at, line_volts, place_of, point_at, spot_of, volts_at
from plentar.core.unit.points import of_feed, part_words, test_points
from plentar.core.unit.quantities import QUANTITIES
from plentar.core.visit_results import (
    AHEAD,
    ROWS,
    WEATHER,
    Advice,
    AdviceKind,
    AirResult,
    Airstream,
    BlowerRow,
    Conflict,
    Judged,
    Ledger,
    LegCheck,
    healthy_row,
    row_calls,
)
from plentar.core.work.interim import Interim, interim_of
from plentar.core.work.ledger import LedgerNote, check_ledger
from plentar.core.work.proof import BEFORE_POWER, RISE, TIMES, Proof, ProofItem, proof_items, prove
from plentar.core.work.safety import SafeLine, ohms_refusal, safe_list
from plentar.core.work.undo import action_words

if TYPE_CHECKING:
    from plentar.core.causes.accepting import Precaution
    from plentar.core.causes.diagnosis import Cause, Diagnosis
    from plentar.core.causes.next_test import NextTest
    from plentar.core.judging.log import Floats, LogAnalysis
    from plentar.core.judging.logged import LogQuestion

__all__ = ["CAPACITOR", "SURE_SHARE", "Visit"]

CAPACITOR = point_at("microfarads", CAPACITOR_PLACE)
TRIPS = "breaker trips or hot"
# Two thermometers of a degree each.
AIR_DEGF = math.sqrt(2)
WEATHER_COMPLAINTS = ("not enough heat", "cold in defrost or on cold nights")
# From here a cause is accepted whatever could still be read; below a half nothing is, for want of tests.
SURE_SHARE, LEAST_ACCEPTED = 0.97, 0.5
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
    }
)
# What a hand at the wheel finds, one way or the other.
WHEEL_SIGNS = frozenset({"stiff", "side-play", "loose-hub", "wheel-free"})
# One reading may be the slip that the first one was; two say the same.
CLEARED_BY = 2
# Less is not worth a place on the screen.
LEAST_SHARE, MOST_SUSPECTS, LEAST_BITS = 0.02, 4, 0.02


def _is_heat_call(place: Place) -> bool:
    """Tell whether volts here are what a heat call brings: at the board's W, or at a coil's call side."""
    return str(place) in ("board.w", "board.w2") or (place.part == "coil" and place.end == "1")


class Visit:
    """One call's evidence on one unit, judged."""

    def __init__(
        self,
        plate: Nameplate,
        record: Record,
        *,
        limits: Limits = DEFAULT_LIMITS,
        moment: float = 0.0,
        complaints: Sequence[str] = (),
        samples_of: "Callable[[str], tuple[Floats, Floats]] | None" = None,
        outdoor_degf: float | None = None,
        indoor_degf: float | None = None,
        price_kwh: float | None = None,
        past: Past = NO_PAST,
    ) -> None:
        self.plate, self.record, self.limits, self.moment = plate, record, limits, moment
        self.complaints = tuple(complaints)
        self.outdoor_degf, self.indoor_degf, self.price_kwh = outdoor_degf, indoor_degf, price_kwh
        self.past = past
        # Seconds and amps of each log by its id; fetched only when somebody asks what the log shows.
        self.samples_of = samples_of

    def knows(self, point_id: str) -> bool:
        """Tell whether the unit has a point."""
        try:
            find_point(self.plate, point_id)
        except ReadingError:
            return False
        return True

    # What is live, off and dead.

    @cached_property
    def lockout(self) -> Lockout:
        """What the unit is fed and told now."""
        return fold(self.plate, self.record.events, voided=self.record.voided, limits=self.limits)

    @cached_property
    def condition(self) -> Condition:
        """The condition of the unit at this moment."""
        return self.lockout.condition(self.moment)

    def safe_lines(self, person: str) -> tuple[SafeLine, ...]:
        """Return the Safe list as it stands for a person."""
        return safe_list(self.plate, self.lockout, person)

    def refusal(self, point_id: str, person: str) -> Text:
        """Return why a person may not read here now, or nothing."""
        return ohms_refusal(self.plate, self.lockout, point_id, person=person)

    # What was read.

    @cached_property
    def taken(self) -> tuple[RecordedReading, ...]:
        """Every reading at a place the plate has, corrected ones too, oldest first; what is in doubt counts no more."""
        found = tuple(self._placed(entry) for entry in self.record.taken if self.knows(entry.reading.point))
        if not self.doubted:
            return found
        return tuple(
            replace(
                entry,
                void_reason=entry.void_reason or message("visit.read-without-knowing", by=self.doubted[entry.id].by),
            )
            if entry.id in self.doubted
            else entry
            for entry in found
        )

    @cached_property
    def doubted(self) -> Mapping[str, Event]:
        """Readings stamped before it was known what somebody out of contact had done, each with that event."""
        return doubted(self.plate, self.record.events, voided=self.record.voided, limits=self.limits)

    @cached_property
    def conflicts(self) -> tuple[Conflict, ...]:
        """What two people out of contact did against each other, both sides, oldest first."""
        sides: list[tuple[Literal["stamp", "closed"], Event, Event]] = [
            ("stamp", event, self.doubted[event.id]) for event in self.record.events if event.id in self.doubted
        ]
        if self.record.closed is not None:
            closed = self.record.closed[0]
            sides += [("closed", event, closed) for event in after_closing(self.record.events)]
        return tuple(
            Conflict(
                kind=kind,
                mine=mine,
                theirs=theirs,
                words=action_words(self.plate, mine.action),
                other_words=action_words(self.plate, theirs.action),
            )
            for kind, mine, theirs in sides
        )

    def _placed(self, entry: RecordedReading) -> RecordedReading:
        """Return a reading under its point's own id: older records name two places in either order."""
        point = find_point(self.plate, entry.reading.point).id
        same = point == entry.reading.point
        return entry if same else replace(entry, reading=replace(entry.reading, point=point))

    @cached_property
    def strays(self) -> tuple[RecordedReading, ...]:
        """Readings at places the plate has lost since: on record, unjudged."""
        return tuple(entry for entry in self.record.taken if not self.knows(entry.reading.point))

    @cached_property
    def standing(self) -> tuple[RecordedReading, ...]:
        """The readings that count, oldest first."""
        return tuple(entry for entry in self.taken if not entry.void_reason)

    @cached_property
    def readings(self) -> tuple[Reading, ...]:
        """The same as plain values."""
        return tuple(entry.reading for entry in self.standing)

    # The unit as it was found, and as it is.

    def is_of_now(self, event: Event) -> bool:
        """Tell whether something was seen on the unit as it is: after the power-on that followed its last change."""
        began, _ = self.record.epoch
        return began is None or began.is_before(event)

    @cached_property
    def standing_now(self) -> tuple[RecordedReading, ...]:
        """The readings that speak of the unit as it is."""
        return tuple(entry for entry in self.standing if self.is_of_now(entry.event))

    @cached_property
    def readings_now(self) -> tuple[Reading, ...]:
        """The same as plain values."""
        return tuple(entry.reading for entry in self.standing_now)

    @property
    def is_repaired(self) -> bool:
        """True once power went back on after a part was fitted or a lead moved."""
        return self.record.epoch[0] is not None

    @property
    def is_changed_since(self) -> bool:
        """True while something was changed after power went back on: nothing read so far proves it."""
        began, is_changed = self.record.epoch
        return began is not None and is_changed

    @cached_property
    def situation(self) -> Situation:
        """What a judgement may look at."""
        return Situation(plate=self.plate, readings=self.readings, limits=self.limits)

    def verdict_of(self, reading: Reading) -> Verdict:
        """Judge a reading, kept or only typed so far."""
        return judge(self.situation, reading)

    def judged_one(self, entry: RecordedReading) -> Judged:
        """Return one reading with its verdict; asked again, the same one."""
        if entry.id not in self._verdicts:
            point = find_point(self.plate, entry.reading.point)
            self._verdicts[entry.id] = Judged(taken=entry, point=point, verdict=self.verdict_of(entry.reading))
        return self._verdicts[entry.id]

    @cached_property
    def _verdicts(self) -> dict[str, Judged]:
        return {}

    @property
    def judged(self) -> list[Judged]:
        """Every reading with its verdict, oldest first."""
        return [self.judged_one(entry) for entry in self.taken]

    @cached_property
    def latest(self) -> Mapping[str, Judged]:
        """The newest standing reading of each point."""
        # Oldest first, so the last one under a key is the newest.
        newest = {entry.reading.point: entry for entry in self.standing}
        return {point: self.judged_one(entry) for point, entry in newest.items()}

    @cached_property
    def latest_now(self) -> Mapping[str, Judged]:
        """The same of the unit as it is: what was read before a repair stands for another unit."""
        return {point: judged for point, judged in self.latest.items() if self.is_of_now(judged.taken.event)}

    def at_point(self, point_id: str, most: int = 4) -> list[Judged]:
        """Return the last few readings at a point, newest first."""
        rows = [entry for entry in reversed(self.taken) if entry.reading.point == point_id]
        return [self.judged_one(entry) for entry in rows[:most]]

    def expected(self, point_id: str) -> Verdict | None:
        """Return what a point should read under the present condition, if anybody can tell."""
        try:
            # What is expected does not hang on the value, so any will do.
            return self.verdict_of(Reading(point=point_id, value=0.0, condition=self.condition))
        except PlentarError:
            return None

    # What follows.

    @cached_property
    def comparisons(self) -> list[Finding]:
        """What readings held against each other show, passes included."""
        return compare(self.situation)

    @cached_property
    def findings(self) -> list[Finding]:
        """What the evidence implies of the unit as it is, most serious first."""
        found = self._found_in(self.standing_now)
        found += [*self._work_findings(), *self._other_findings(), *self._feed_findings()]
        found += [noted(message("visit.wired"), Grade.FAIL, words, "wired") for words in wired_wrong(self.plate)]
        found.sort(key=lambda entry: (entry.verdict.kind != LINE_ON_CONTROL, -entry.verdict.grade.severity))
        # A later reading of the same place takes the finding's place, not the stop's.
        if self.stop and not any(entry.verdict.kind == LINE_ON_CONTROL for entry in found):
            found.insert(0, noted(message("visit.stop"), Grade.FAIL, self.stop, LINE_ON_CONTROL))
        return found

    @cached_property
    def findings_before(self) -> list[Finding]:
        """What was found before the repair; empty while there was none."""
        found = self._found_in([entry for entry in self.standing if not self.is_of_now(entry.event)])
        found += self._other_findings(of_now=False)
        return sorted(found, key=lambda entry: -entry.verdict.grade.severity)

    def _found_in(self, entries: Sequence[RecordedReading]) -> list[Finding]:
        newest: dict[tuple[object, ...], RecordedReading] = {}
        for entry in entries:
            # Popped and put back: what is read last stands last. Sound at rest is no answer to dead under a call.
            key = (entry.reading.point, entry.reading.condition.state)
            newest.pop(key, None)
            newest[key] = entry
        judged = [(entry.reading, self.judged_one(entry).verdict) for entry in newest.values()]
        return find(replace(self.situation, readings=tuple(entry.reading for entry in entries)), judged)

    def _other_findings(self, *, of_now: bool = True) -> list[Finding]:
        """What was not read at one place: sag, air, times and their order, conductors, the four rows.

        Of the unit as it is, or of the one that was found before a repair.
        """
        readings = tuple(e.reading for e in self.standing if self.is_of_now(e.event) == of_now)
        found = [
            Finding(about=of_feed(self.plate, loss.feed, message("visit.sag")), verdict=loss.verdict)
            for loss in self.losses_of(readings)
        ]
        airs = [entry for entry in self.airs if self.is_of_now(entry.event) == of_now]
        if airs:
            found.append(Finding(about=message("visit.rise"), verdict=airs[-1].verdict.rise))
            found.append(Finding(about=message("visit.airflow"), verdict=airs[-1].verdict.flow))
        # The last by each call: a fan's run says nothing of the strips'.
        for run in {run.call: run for run in self.watch_runs if self._began_now(run) == of_now}.values():
            _, judged = self.judge_watch(run)
            found += run_findings(judged)
        for event, action, analysis in self.logs:
            if self.is_of_now(event) == of_now:
                found += log_findings(action.name, analysis.events, analysis.verdict)
        if of_now:
            # Landings stay as they were last kept: no part that was fitted moves a conductor of the wall.
            found += [noted(message("visit.conductors"), note.grade, note.words) for note in self.map_notes or ()]
        found += self._seen_findings(of_now=of_now)
        for row in self._rows_seen(of_now=of_now):
            if row.agrees is False:
                words = message("visit.row-should", calls=row.words)
                found.append(noted(message("visit.row", calls=row.words), Grade.FAIL, words))
        return [entry for entry in found if entry.verdict.grade is not Grade.PASS]

    def _seen_findings(self, *, of_now: bool) -> list[Finding]:
        """What was seen, heard or felt and is not as it should be; starts that failed, of all counted."""
        found = []
        for event, action in self.record.found:
            sign = sign_of(action.sign)
            if sign is None or sign.seen_running or action.sign in NO_FINDING or self.is_of_now(event) != of_now:
                continue
            where = part_words(action.about) if action.about and sign.about else message("visit.look")
            grade = Grade.FAIL if action.sign == "plain-wire" else Grade.MARGINAL
            found.append(noted(where, grade, sign.words, "seen"))
        good, tried = self._starts(of_now=of_now)
        if tried > good:
            words = message("visit.starts-failed", failed=tried - good, tried=tried)
            found.append(noted(message("visit.starts"), Grade.FAIL, words))
        return found

    def _began_now(self, run: WatchRun) -> bool:
        began, _ = self.record.epoch
        return began is None or run.called_at > began.done_at

    @cached_property
    def unchecked(self) -> tuple[Text, ...]:
        """What *all well* still needs: each feed's volts, each strip under heat, the blower, as far as not read."""
        read = {reading.point for reading in self.readings_now}
        under_heat = {reading.point for reading in self.readings_now if reading.condition.heat}
        points = {point.id: point for point in test_points(self.plate)}
        wanted = [line_volts(feed.id) for feed in self.plate.feeds]
        left = [points[point].label for point in wanted if point not in read]
        left += [c.name for c in self.plate.circuits if amps_at(c.id) not in under_heat]
        if amps_at("blower") not in read:
            left.append(message("places.blower"))
        return tuple(left)

    def _work_findings(self) -> list[Finding]:
        """What was done that should not have been: leads moved live, power back under somebody's lock."""
        found = []
        for ledger in self.ledgers:
            if ledger.was_live:
                words = message("visit.ledger-was-made-while-unit")
                found.append(noted(message("visit.leads", ledger=ledger.name), Grade.FAIL, words, "moved live"))
        back = self.record.power_back
        if back is not None and self.lockout.locks:
            names = joined(dict.fromkeys(lock.by for lock in self.lockout.locks))
            words = message("visit.power-went-back-lock-record", names=names)
            found.append(noted(message("visit.power-back"), Grade.FAIL, words, "under a lock"))
        return found

    @cached_property
    def losses(self) -> list[SupplyLoss]:
        """Each feed's sag, split into panel, wire and joint as far as it was read."""
        return self.losses_of(self.readings)

    def losses_of(self, readings: Sequence[Reading]) -> list[SupplyLoss]:
        """Return the same by some of the readings."""
        found = [supply_loss(self.plate, feed.id, readings, self.limits) for feed in self.plate.feeds]
        return [loss for loss in found if loss is not None]

    @cached_property
    def signs(self) -> tuple[Observation, ...]:
        """Everything seen that speaks for or against a cause, what follows from checks included."""
        rows = {"row-blower": ("blower-runs", "blower-still"), "row-strips": ("strips-heat", "strips-cold")}
        found = []
        for (kind, about), (event, action) in self.record.seen.items():
            # What was seen before the repair was seen on another unit.
            if not self.is_of_now(event):
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
        found += self._watched()
        if self.stood_before and not any(entry.kind == "heat-was-on" for entry in found):
            found.append(Observation(kind="heat-was-on"))
        for event, logged, analysis in self.logs:
            if self.is_of_now(event) and logged.called_seconds is not None:
                found += self._seen_in_log(logged, analysis, logged.called_seconds)
        found += [Observation(kind="landing-wrong", about=note.part) for note in self.map_notes or () if note.part]
        airs = [entry.verdict.flow for entry in self.airs if self.is_of_now(entry.event)]
        if airs and airs[-1].kind == "little air":
            found.append(Observation(kind="air-little"))
        elif airs and airs[-1].grade is Grade.PASS:
            found.append(Observation(kind="air-enough"))
        # A capacitor out of its band is evidence like a sign: the circuit does not predict microfarads.
        measured = self.latest_now.get(CAPACITOR)
        if measured is not None and measured.verdict.grade in (Grade.FAIL, Grade.PASS):
            is_out = measured.verdict.grade is Grade.FAIL
            found.append(Observation(kind="capacitor-out" if is_out else "capacitor-fine"))
        return tuple(dict.fromkeys(found))

    @property
    def stood_before(self) -> bool:
        """True where somebody said that heat stood before it was tapped."""
        said_so = any(
            action.what in ("W", "W2") and (action.is_untimed or action.ago_seconds > 0)
            for event, action in self.record.of(Switched)
            if self.is_of_now(event)
        )
        return said_so or self.state_of("heat-was-on") == "found"

    def _seen_in_log(self, action: Logged, analysis: "LogAnalysis", called: float) -> list[Observation]:
        from plentar.core.judging.logged import seen_in

        return seen_in(self.plate, analysis, action.clamp, called)

    def _watched(self) -> list[Observation]:
        """What the last run of the stopwatch by each call saw come, stay away and go."""
        last = {run.call: run for run in self.watch_runs if self._began_now(run)}
        found: list[Observation] = []
        if "fan" in last:
            found += seen_by_fan(self.plate, *self.judge_watch(last["fan"]))
        if "heat" in last:
            found += seen_by_heat(self.plate, self.stages, self.judge_watch(last["heat"])[0])
        return found

    @cached_property
    def diagnosis(self) -> "Diagnosis | None":
        """What the evidence says of the causes; None before there is any."""
        # Air and microfarads are judged by themselves; the circuit says nothing of them.
        readings = tuple(r for r in self.readings_now if QUANTITIES[r.function].is_predicted)
        if not readings and not self.signs:
            return None
        # A part that was fitted or moved on this call is not the one the past speaks of.
        past = () if self.is_repaired else self.past.factors(self.plate, self.moment)
        return _diagnosed(self.plate, readings, self.complaints, self.signs, self.limits, past)

    @property
    def past_lines(self) -> tuple[Text, ...]:
        """What earlier calls say before this one, most telling first."""
        return self.past.lines(self.moment)

    @property
    def suspects(self) -> "list[Cause]":
        """The causes worth showing, likeliest first."""
        causes = self.diagnosis.causes if self.diagnosis else ()
        return [cause for cause in causes if cause.probability >= LEAST_SHARE][:MOST_SUSPECTS]

    def next_tests(self, *, school: str = "amps first", most: int = 5) -> "tuple[NextTest, ...]":
        """Return the tests that split the remaining causes best for their cost."""
        if self.diagnosis is None:
            return ()
        from plentar.core.causes.next_test import next_tests

        return next_tests(self.diagnosis, self.condition, taken=self._taken, school=school, most=most)

    @property
    def _taken(self) -> list[tuple[str, frozenset[str]]]:
        # What was read before a repair was read on another unit.
        return self._checked + [(r.point, r.condition.on) for r in self.readings_now]

    @cached_property
    def precaution(self) -> "Precaution | None":
        """What is still to be read before the leading cause is acted on."""
        if self.diagnosis is None:
            return None
        from plentar.core.causes.accepting import before_accepting

        return before_accepting(self.diagnosis, self._taken)

    @property
    def _checked(self) -> "list[tuple[str, frozenset[str]]]":
        """The looks that are no reading and were done on the unit as it is now, as `next_tests` spells them."""
        from plentar.core.causes.checks import STAGES, WHEEL, checks_of

        seen = {entry.kind for entry in self.signs}
        done = {WHEEL} if seen & WHEEL_SIGNS else set()
        if CAPACITOR in self.latest_now:
            done.add(CAPACITOR)
        if any(run.call == "heat" and self._began_now(run) for run in self.watch_runs):
            done.add(STAGES)
        # A log shows every stage come as a stopwatch does.
        if any(self.is_of_now(event) and logged.called_seconds is not None for event, logged, _ in self.logs):
            done.add(STAGES)
        return [
            (check.test.point, check.test.drive.calls) for check in checks_of(self.plate) if check.test.point in done
        ]

    @cached_property
    def stop(self) -> Text:
        """Why all work stops now; nothing where it need not: line volts stood on the control side and do not yet stand
        refuted by two more readings of the same two places."""
        for place in {entry.reading.point: entry for entry in self.taken}:
            own = [entry for entry in self.taken if entry.reading.point == place]
            point = find_point(self.plate, place)
            # Struck out or corrected it was still read: only the meter, held there again, shows that it was a slip.
            crossed = [at for at, entry in enumerate(own) if is_line_on_control(entry.reading, point)]
            if not crossed:
                continue
            again = [e for e in own[crossed[-1] + 1 :] if not e.void_reason and not e.action.supersedes]
            if len(again) < CLEARED_BY:
                return message("visit.stop-line-on-control", point=point.label)
        return ""

    @cached_property
    def next_test(self) -> "NextTest | None":
        """The best of them, if it is worth its minutes; none while all work stops."""
        if self.stop:
            return None
        found = self.next_tests(most=1)
        return found[0] if found and found[0].bits > LEAST_BITS else None

    @cached_property
    def advice(self) -> Advice:
        """What to do now: stop, wait, prove, test, accept, or read what *all well* still needs.

        Source:
            docs/trade.md, section 4: trace, fix, prove, in that order.
        """
        if self.stop:
            return Advice(kind="stop", words=self.stop)
        if self.record.awaits_proof and self.is_repaired and not self.is_changed_since:
            left = self._next_proof
            if left is not None:
                words = message("advice.prove", item=left.words)
                return Advice(kind="prove", words=words, point=left.point, calls=left.calls)
            failed = [entry.item.words for entry in self.proof if entry.after is not None and not entry.is_proven]
            if failed:
                return Advice(kind="prove", words=message("advice.unproven", items=joined(failed)))
            return Advice(kind="prove", words=message("advice.proven"))
        found = self.diagnosis
        if found is None or found.wait_seconds > 0:
            kind: AdviceKind = "check" if found is None else "wait"
            return Advice(kind=kind, words=message("advice.read-supply") if found is None else message("advice.wait"))
        return self._by_suspects(found.first)

    @property
    def _next_proof(self) -> ProofItem | None:
        """The reading to prove by next: first the volts that amps are held against, then what nobody has read yet."""
        unread = [entry.item for entry in self.proof if entry.item.point and entry.after is None]
        on = self.condition.on & {"W", "W2", "G"}
        # Then what can be read under the calls that stand: every call switched is a sequencer waited out.
        return min(unread, key=lambda item: (item.why != "load", len(item.calls ^ on)), default=None)

    def _by_suspects(self, lead: "Cause | None") -> Advice:
        """Say whether the leading cause is to be accepted, or what would split it from the others."""
        is_well = lead is not None and "healthy" in lead.faults
        sure = lead is not None and lead.probability >= SURE_SHARE
        if is_well and (sure or self.next_test is None) and not wired_wrong(self.plate):
            left = self.unchecked
            if left or self.findings:
                return Advice(
                    kind="check", words=message("advice.check", left=joined(left) or message("advice.findings"))
                )
            return Advice(kind="well", words=message("advice.well"))
        if sure and (first := self.precaution) is not None:
            words = "advice.once-more" if first.is_again else "advice.short-first"
            return Advice(kind="again", words=message(words, test=first.test.words), point=first.test.point)
        if lead is not None and (sure or self.next_test is None) and lead.probability >= LEAST_ACCEPTED:
            return Advice(kind="accept", words=message("advice.accept", title=lead.title, repair=lead.repair))
        if self.next_test is None:
            return Advice(kind="check", words=message("advice.nothing-splits"))
        return Advice(kind="test", words=self.next_test.test.words, point=self.next_test.test.point)

    # Timing.

    @cached_property
    def stages(self) -> tuple[Stage, ...]:
        """The unit's stages."""
        return stages_of(self.plate, self.limits)

    @cached_property
    def fan_stages(self) -> tuple[Stage, ...]:
        """What a fan call alone moves."""
        return fan_stages(self.plate, self.limits)

    def stages_of_run(self, run: WatchRun) -> tuple[Stage, ...]:
        """Return the stages that a run's call moves."""
        return self.fan_stages if run.call == "fan" else self.stages

    @cached_property
    def watch_runs(self) -> Sequence[WatchRun]:
        """The stopwatch's runs, oldest first."""
        return runs_of(self.record.taps)

    def control_volts(self, start: float, end: float) -> float | None:
        """Return control volts read between two moments; None where nobody did."""
        found = [
            entry.reading.value
            for entry in self.standing
            if start <= entry.event.done_at <= end
            and entry.reading.function == "volts"
            and any(_is_heat_call(place_of(end)) for end in spot_of(entry.reading.point).places)
        ]
        return found[-1] if found else None

    def judge_watch(self, run: WatchRun) -> tuple[TimingRun, RunVerdict]:
        """Return one run of the stopwatch as seen now, and its verdict."""
        end = self.moment if run.dropped_at is None else run.dropped_at
        seen = run.seen(self.moment, self.control_volts(run.called_at, end))
        return seen, judge_run(self.plate, seen, limits=self.limits)

    @cached_property
    def runs(self) -> list[tuple[Text, TimingRun, RunVerdict]]:
        """Timing runs by the stopwatch, judged."""
        return [(message("visit.run", number=run.number), *self.judge_watch(run)) for run in self.watch_runs]

    # Logs.

    def log_question(self, log: str, action: Logged) -> "LogQuestion":
        """Return what a log is read with: its clamp and call, the volts and amps that were read beside it."""
        from plentar.core.judging.logged import LogQuestion, own_amps, supply_volts

        return LogQuestion(
            plate=self.plate,
            log=log,
            clamp=action.clamp,
            called=action.called_seconds,
            dropped=action.dropped_seconds,
            volts=action.supply_volts or supply_volts(self.plate, action.clamp, self.readings),
            own=tuple(sorted(own_amps(self.plate, self.readings, self.limits).items())),
            limits=self.limits,
        )

    @cached_property
    def logs(self) -> "list[tuple[Event, Logged, LogAnalysis]]":
        """The unit's logs that are whole, oldest first, with what each shows; none where nobody has their samples."""
        return self._analysed([entry for entry in self.record.logs if not entry[1].is_trial])

    @cached_property
    def logs_and_trials(self) -> "list[tuple[Event, Logged, LogAnalysis]]":
        """The same with those of a simulated meter, which are no evidence."""
        return self._analysed(self.record.logs)

    def _analysed(self, logs: Sequence[tuple[Event, Logged]]) -> "list[tuple[Event, Logged, LogAnalysis]]":
        whole = [(event, action) for event, action in logs if not action.is_recording]
        if not whole or self.samples_of is None:
            return []
        from plentar.core.judging.logged import analysed

        found = [(e, action, analysed(self.log_question(e.id, action), self.samples_of)) for e, action in whole]
        return [(event, action, analysis) for event, action, analysis in found if analysis is not None]

    # Air.

    def airstream(self, at: Event | None = None) -> Airstream | None:
        """Return the watts into the air by what was read under heat; None without volts and a strip.

        Args:
            at: The measurement of the air they are wanted for: of the unit as it was then, and not read later. None
                for now.
        """
        is_now = at is None or self.is_of_now(at)
        under = [
            entry.reading
            for entry in self.standing
            if entry.reading.condition.heat
            and self.is_of_now(entry.event) is is_now
            and (at is None or entry.event.done_at <= at.done_at)
        ]
        newest = {reading.point: reading for reading in under}
        strips = {c.id: newest[amps_at(c.id)].value for c in self.plate.circuits if amps_at(c.id) in newest}
        # Any feed's volts do: a strip's watts need them within a percent or two.
        line = next((r for f in self.plate.feeds if (r := newest.get(line_volts(f.id)))), None)
        if line is None or not strips:
            return None
        blower = newest.get(amps_at("blower"))
        watts = watts_in_airstream(self.plate, line.value, strips, blower.value if blower else None)
        # Worst case: volts and every clamp wrong the same way.
        share = line.meter_uncertainty / max(line.value, 1) + sum(
            newest[amps_at(name)].meter_uncertainty for name in strips
        ) / max(sum(strips.values()), 1.0)
        return Airstream(
            volts=line.value,
            strips=strips,
            blower_amps=blower.value if blower else None,
            watts=watts,
            uncertainty=watts * share,
            missing=tuple(c.name for c in self.plate.circuits if c.id not in strips),
        )

    @cached_property
    def airs(self) -> list[AirResult]:
        """Air measurements that stand, oldest first, each with the watts of its own time."""
        found = [self._air(event, action) for event, action in self.record.airs]
        return sorted((entry for entry in found if entry is not None), key=lambda entry: entry.event.done_at)

    @cached_property
    def pump_output(self) -> Verdict | None:
        """What the heat pump gave by itself: its rise under Y alone, at the airflow found under the strips."""
        flow = next((air.verdict for air in reversed(self.airs) if air.verdict.cfm is not None), None)
        alone = [(e, d) for e, d in self.record.airs if d.condition.is_called("Y") and not d.condition.heat]
        if flow is None or flow.cfm is None or not alone:
            return None
        _, action = alone[-1]
        degrees = [self._degrees(name) for name in (action.return_reading, action.supply_reading)]
        if degrees[0] is None or degrees[1] is None:
            return None
        rise, factor = degrees[1] - degrees[0], air_factor(action.altitude_feet, sum(degrees) / 2)  # type: ignore[arg-type]
        found = flow.cfm * factor * rise
        share = math.hypot(flow.cfm_uncertainty / flow.cfm, AIR_DEGF / max(abs(rise), 1.0))
        return judge_output(pump_range(self.plate), self.outdoor_degf, found, abs(found) * share, self.limits)

    def _air(self, event: Event, action: Aired) -> AirResult | None:
        is_pump_on = action.condition.is_called("Y")
        if is_pump_on and not action.condition.heat:
            # The heat pump by itself: it tells of its own heat.
            return None
        degrees = [self._degrees(name) for name in (action.return_reading, action.supply_reading)]
        stream = self.airstream(event)
        if stream is None or degrees[0] is None or degrees[1] is None:
            return None
        # Steady since the last call that was added.
        steady = min((s for _, s in action.condition.calls if s is not None), default=None)
        reading = AirReading(
            watts=stream.watts,
            watts_uncertainty=stream.uncertainty,
            steady_seconds=steady if action.condition.heat else None,
            return_degf=degrees[0],
            supply_degf=degrees[1],
            altitude_feet=action.altitude_feet,
            is_pump_on=is_pump_on,
        )
        return AirResult(
            event=event,
            filter=action.filter,
            return_degf=degrees[0],
            supply_degf=degrees[1],
            altitude_feet=action.altitude_feet,
            verdict=judge_air(self.plate, reading, self.limits),
        )

    def _degrees(self, event_id: str) -> float | None:
        """Return a temperature as it stands: what corrected it counts, voided it is none."""
        entry = self.record.taken_by_id(event_id)
        while entry is not None and entry.void_reason:
            after = [other for other in self.record.taken if other.action.supersedes == entry.id]
            entry = after[-1] if after else None
        return None if entry is None else entry.reading.value

    @property
    def air(self) -> AirVerdict | None:
        """The newest air measurement, judged."""
        return self.airs[-1].verdict if self.airs else None

    # Blower, interlock and control side.

    @property
    def blower_rows(self) -> list[BlowerRow]:
        """The four rows, as seen on the unit as it is."""
        return self._rows_seen(of_now=True)

    def _rows_seen(self, *, of_now: bool) -> list[BlowerRow]:
        on = frozenset(self.lockout.calls)
        seen = {"found": True, "fine": False}

        def state_of(sign: str, name: str) -> str:
            entry = self.record.seen.get((sign, name))
            return entry[1].state if entry is not None and self.is_of_now(entry[0]) == of_now else ""

        rows = []
        for name, wanted in ROWS:
            runs, heat = healthy_row(self.plate, wanted)
            rows.append(
                BlowerRow(
                    name=name,
                    calls=wanted,
                    blower_runs=runs,
                    strips_heat=heat,
                    seen_blower=seen.get(state_of("row-blower", name)),
                    seen_strips=seen.get(state_of("row-strips", name)),
                    is_set=on & {"W", "W2", "G"} == row_calls(self.plate, wanted),
                )
            )
        return rows

    def state_of(self, sign: str, about: str = "") -> str:
        """How something seen stands: found, fine, undone, or nothing yet."""
        entry = self.record.seen.get((sign, about))
        return entry[1].state if entry is not None else ""

    @cached_property
    def capacitor(self) -> Verdict | None:
        """The run capacitor as last measured, against its label."""
        entry = self.latest.get(CAPACITOR)
        return None if entry is None else entry.verdict

    @property
    def starts(self) -> tuple[int, int]:
        """Good starts of all tried on the unit as it is."""
        return self._starts(of_now=True)

    def _starts(self, *, of_now: bool) -> tuple[int, int]:
        seen = self.record.seen.items()
        tried = [action for (sign, _), (event, action) in seen if sign == "start" and self.is_of_now(event) == of_now]
        counted = [action for action in tried if action.state in ("found", "fine")]
        return sum(action.state == "fine" for action in counted), len(counted)

    @cached_property
    def currents(self) -> tuple[CallCurrent, ...]:
        """Control current call by call, on the unit as it is."""
        return call_currents(self.plate, self.readings_now, self.limits)

    @cached_property
    def map_notes(self) -> tuple[MapNote, ...] | None:
        """What is wrong with the thermostat's landings; None before any were kept."""
        kept = self.record.map
        if kept is None:
            return None
        rows = [
            MapRow(thermostat=w.thermostat, board=w.board, colour=w.colour, jumpered_to=w.jumpered_to)
            for w in kept.wires
        ]
        return check_map(self.plate, rows)

    # Work and proof.

    @cached_property
    def ledgers(self) -> list[Ledger]:
        """The newest ledger of each part, checked against the circuit."""
        found = []
        for part, (_, action) in self.record.ledgers.items():
            try:
                notes = check_ledger(self.plate, part, action.rows)
            except PlentarError:
                continue
            was_live = not action.condition.is_proven_dead
            found.append(Ledger(part=part, name=part_words(part), rows=action.rows, notes=notes, was_live=was_live))
        return found

    @property
    def loose_ends(self) -> list[LedgerNote]:
        """Leads that sit where they must not."""
        return [note for ledger in self.ledgers for note in ledger.notes if note.grade is Grade.FAIL]

    @property
    def checklist(self) -> list[tuple[str, Text, bool]]:
        """What is checked before power goes back on; why a breaker was found off only where one was."""
        lines = [line for line in BEFORE_POWER if line[0] != "breaker" or self.was_found_off]
        return [(name, words, name in self.record.checked) for name, words in lines]

    @property
    def was_found_off(self) -> bool:
        """True where a breaker was found off or is said to trip: seen, complained of, or accepted as the cause."""
        causes = [fault for _, cause in self.record.causes for fault in cause.faults]
        return (
            self.state_of("breaker-off") == "found"
            or TRIPS in self.complaints
            or any("breaker" in fault or fault.endswith(".dead-short") for fault in causes)
        )

    @property
    def power_warnings(self) -> tuple[Text, ...]:
        """What is said before power goes back on: locks, loose ends, lines of the list."""
        words: list[Text] = [
            message("visit.s-lock-still", by=lock.by, feed=lock.feed.replace("-", " ")) for lock in self.lockout.locks
        ]
        words += [message("visit.loose-end", note=note.words) for note in self.loose_ends]
        words += [message("visit.not-ticked", line=line) for _, line, done in self.checklist if not done]
        return tuple(words)

    @property
    def blockers(self) -> tuple[Text, ...]:
        """What stands against *proven* and against closing, until it is cleared or overridden with a reason."""
        words = [
            message("visit.s-lock-still-owner-takes", by=lock.by, feed=lock.feed.replace("-", " "))
            for lock in self.lockout.locks
        ]
        if self.is_changed_since:
            words.append(message("visit.changed-since-power-on"))
        return (*words, *(message("visit.loose-end", note=note.words) for note in self.loose_ends))

    @cached_property
    def proof(self) -> tuple[Proof, ...]:
        """What must be read again, before and after power went back on."""
        back = self.record.power_back
        before = [e.reading for e in self.standing if back is None or e.event.is_before(back)]
        # A lead moved or a part fitted after power was on: what was read since is of another unit.
        is_on = back is not None and not self.record.epoch[1]
        after = [e.reading for e in self.standing if back is not None and is_on and back.is_before(e.event)]
        first = prove(self.plate, proof_items(self.plate), before, after, self.limits)
        failed = [p.item.point for p in first if p.before is not None and p.before.grade is Grade.FAIL]
        traced = [r.point for r in before if r.function in ("volts", "dc_volts") and r.condition.feeds_live]
        failed += [point for point in dict.fromkeys(traced) if "pole" in point]
        items = proof_items(self.plate, failed)
        return (*prove(self.plate, items, before, after, self.limits), *self._measured_proof(is_on))

    def _measured_proof(self, is_on: bool) -> tuple[Proof, ...]:
        """What is proven by no single reading: a run of the stopwatch, the rise of the air, before and after."""
        back = self.record.power_back
        since = math.inf if back is None or not is_on else back.done_at
        runs: tuple[list[Verdict], list[Verdict]] = ([], [])
        for run in (run for run in self.watch_runs if run.call == "heat"):
            runs[run.called_at > since].append(_run_verdict(self.judge_watch(run)[1]))
        airs: tuple[list[Verdict], list[Verdict]] = ([], [])
        for air in self.airs:
            airs[air.event.done_at > since].append(air.verdict.rise)
        both = ((TIMES, runs), (RISE, airs))
        return tuple(
            Proof(item=item, before=before[-1] if before else None, after=after[-1] if after else None)
            for item, (before, after) in both
        )

    @property
    def proven(self) -> tuple[int, int]:
        """How many of the readings prove the repair, of how many; times and rise count once they were taken."""
        counted = [entry for entry in self.proof if entry.item.point or entry.after is not None]
        return sum(entry.is_proven for entry in counted), len(counted)

    @property
    def not_taken(self) -> tuple[Text, ...]:
        """What a proof should have and nobody took: order and times, the rise."""
        return tuple(entry.item.words for entry in self.proof if not entry.item.point and entry.after is None)

    def left_to_heat(self, off: Collection[str]) -> tuple[float, float]:
        """Watts the house has left with some stages, or whole feeds, off, and all there are [W]."""
        whole = self.plate.total_rated_watts
        gone = [c for c in self.plate.circuits if c.id in off or self.plate.feed_of(c.supplied_by) in off]
        return whole - sum(circuit.rated_watts for circuit in gone), whole

    # The load against everything in its path, and the heat against the weather.

    @property
    def path(self) -> tuple[PathPart, ...]:
        """The path of the feeds, panel to element, each part judged."""
        return path_of(self.plate)

    def interim(self, feed: str) -> Interim | None:
        """What may run on a feed until it is corrected; None where nothing must be."""
        return interim_of(self.plate, feed)

    @cached_property
    def leg_checks(self) -> tuple[LegCheck, ...]:
        """Same-named legs of two feeds against each other: read before anything joins or spans them."""
        feeds = [feed.id for feed in self.plate.feeds]
        legs = ("l1",) if self.plate.has_neutral else ("l1", "l2")
        found = []
        for first, second in combinations(feeds, 2):
            for leg in legs:
                point = volts_at(f"{first}.{leg}", f"{second}.{leg}")
                known = find_point(self.plate, point).id
                entry = self.latest_now.get(known)
                live = entry is not None and all(state == "live" for _, state in entry.reading.condition.feeds)
                found.append(LegCheck(point=known, verdict=entry.verdict if entry is not None and live else None))
        return tuple(found)

    @cached_property
    def dead_strips(self) -> tuple[str, ...]:
        """The strips that do not come: read dead under their call, or left off."""
        off = [name for _, action, done in self.record.open_temporaries if not done for name in action.off]
        feeds = {d.feed for _, d, done in self.record.open_temporaries if not done and d.feed and not d.off}
        found = []
        for circuit in self.plate.circuits:
            entry = self.latest_now.get(amps_at(circuit.id))
            is_dead = entry is not None and entry.verdict.kind == "dead"
            is_off = circuit.id in off or self.plate.feed_of(circuit.supplied_by) in feeds
            # On a smaller device the rest runs on: only a feed that is off takes all of its strips.
            if is_dead or is_off:
                found.append(circuit.id)
        return tuple(found)

    @property
    def sound_strips(self) -> tuple[str, ...]:
        """The strips that were read under heat on the unit as it is and passed."""
        found = []
        for circuit in self.plate.circuits:
            entry = self.latest_now.get(amps_at(circuit.id))
            if entry is not None and entry.reading.condition.heat and entry.verdict.grade is Grade.PASS:
                found.append(circuit.id)
        return tuple(found)

    @cached_property
    def weather(self) -> Weather | None:
        """The unit's heat against the weather; None while nobody said how cold it is."""
        if self.outdoor_degf is None:
            return None
        under = [e.reading for e in self.standing_now if e.reading.condition.heat]
        line = next((r.value for f in self.plate.feeds for r in reversed(under) if r.point == line_volts(f.id)), None)
        return weather_of(
            self.plate,
            self.outdoor_degf,
            indoor_degf=self.indoor_degf,
            dead=self.dead_strips,
            read=self.sound_strips,
            supply_volts=line,
            limits=self.limits,
            price_kwh=self.price_kwh,
        )

    @property
    def asks_weather(self) -> bool:
        """True where the complaint may be the weather: its answer stands beside the suspects."""
        return any(complaint in WEATHER_COMPLAINTS for complaint in self.complaints)

    def _feed_findings(self) -> list[Finding]:
        """What is wrong in the path of the feeds, and heat that is short with every strip right."""
        found = []
        for part in self.path:
            kind = AHEAD if part.is_ahead else ""
            found += [noted(part.name, Grade.FAIL, words, kind) for words in part.defects]
        if self.pump_output is not None and self.pump_output.grade is not Grade.PASS:
            found.append(Finding(about=message("visit.pump-output"), verdict=self.pump_output))
        weather = self.weather
        if weather is not None and weather.grade is Grade.FAIL:
            found.append(noted(message("visit.weather"), Grade.FAIL, weather.words, WEATHER))
        return found


def _run_verdict(run: RunVerdict) -> Verdict:
    """Return a run's one word as a verdict."""
    words = [run.not_proven_because, *(note.words for note in run.order if note.grade is run.grade)]
    because = next((w for w in words if w), message("visit.run-as-it-should"))
    grade = Grade.PASS if run.is_good else run.grade
    return Verdict(grade=grade, value=0.0, uncertainty=0.0, unit="", because=because)


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
