"""How often following the next tests ends in the right group, from the complaint alone.

    python -m bench.diagnosis_study [--seeds 5] [--units all] [--wrong 0.02] [--pairs 300] [--fixed] [--between]
                                    [--minutes 60]

For every unit × single fault × seed a truth the diagnosis does not know is drawn (supply 206–252 V, conductor ohms
±30 %, motor impedance ±20 %, element tolerance, a magnitude of the fault, meter error), and tests are followed until
one group is sure enough to be accepted, nothing is left to ask, or the minutes are spent. Of two faults the first that
is named is repaired and the call goes on with the other. `--fixed` follows docs/trade.md's order instead. With
`--between` a fault has any size between the catalogue's instead of one of them. A truth that shows nowhere, since
every reading of it without any error passes that passes on the sound unit, counts as sound.
"""

import argparse
import json
import math
import statistics
import time
import zlib
from collections import Counter
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from statistics import NormalDist
from typing import Any

import numpy as np

from plentar.core.causes.accepting import before_accepting
from plentar.core.causes.catalogue import Test, catalogue
from plentar.core.causes.checks import AIR, STAGES, STARTS, WATCH, WHEEL, checks_of
from plentar.core.causes.diagnosis import Cause, Diagnosis, diagnose
from plentar.core.causes.fault import OFF, SERVICE, mended
from plentar.core.causes.faults import COMPLAINTS, Fault, faults_of, tripped_by
from plentar.core.causes.hypotheses import model_of
from plentar.core.causes.next_test import minutes_of, next_tests, stands_at
from plentar.core.circuit.changes import NO_CHANGE, Changes
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.network import HOT_AMPS, Circuit
from plentar.core.circuit.probe import read_amps, read_volts
from plentar.core.circuit.solve import Solution, Variants, settle
from plentar.core.circuit.wiring import IDLE_RATIO_VOLTS, wire
from plentar.core.evidence.metrology import DEMO_METER
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.evidence.runs import TimingRun
from plentar.core.evidence.signs import Observation
from plentar.core.judging.findings import compare
from plentar.core.judging.situation import Situation
from plentar.core.judging.timing import stages_of
from plentar.core.judging.verdict import judge
from plentar.core.judging.watched import seen_by_heat
from plentar.core.limits.verdicts import Grade
from plentar.core.limits.windows import closing
from plentar.core.unit.electrical import COLD_RATIO, OPEN_OHMS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.place import amps_at, line_volts, place_of
from plentar.core.visit.advice import SOUND_SHARE, SOUND_WORTH, SURE_SHARE
from plentar.words import render

MOST_TESTS = 45
# What services give, of nominal: 206 to 252 V of 240.
SERVICES = (0.858, 1.05)
# Faults of any size (the same section): contacts, joints, stabs and lugs [ohm]; wrong elements and what coils are left,
# as shares of the rated watts.
RESISTIVE = ("burnt", "loose", "stab-burnt")
JOINT_OHMS, WRONG_WATTS, COILS_LEFT = (0.02, 20.0), ((0.62, 0.89), (1.12, 1.6)), (1 / 3, 1 / 2, 2 / 3)
# Sound parts (docs/trade.md, section 10): a blower's amps of its plate's, an element's watts of its rated ones with its
# kit's mean and width, how far kit-mates lie from it, an idle transformer's volts, a contact's ohms from new to aged.
PSC_AMPS, ECM_AMPS = (0.40, 1.00), (0.10, 1.00)
KIT_MEAN, KIT_WIDTH, KIT_ENDS, MATES = 0.98, 0.025, (0.90, 1.05), 0.015
IDLE_VOLTS, AGED_OHMS = (25.5, 29.0), (0.003, 0.015)
# A limit opens after so many minutes of heat and closes so many later, each between its two; an erratic part fails so
# often of its starts; a weak breaker trips after so many minutes of its load, give or take (the same section). From
# one time to the next a limit differs by a fifth.
SOME_AIR, NO_AIR, JITTER = ((2.0, 15.0), (0.5, 4.0)), ((0.33, 1.5), (3.0, 15.0)), 0.2
FAILS_OF_STARTS, TRIPS_AFTER, WATCHED_MINUTES = (0.05, 0.8), (math.log(13.4), 0.91), 15.0
# Who points at the breaker that trips is wrong so often.
WRONGLY_NAMED = 0.1
# A sound pole closes well inside its window.
USUAL_SHARE = 0.6
# How long a new call is waited for, of the time after which the last pole counts as never closing.
WAITED = 1.02
# As the call's own advice (`core/visit`): from here on a cause is accepted whatever could still be read.
SURE = SURE_SHARE
# No kind of fault is to have its whole interval below this.
LEAST_OF_A_KIND = 0.90
# Fewer causes in a line of the calibration than this would be chance; more lines than this nobody reads.
LEAST_OF_A_BIN, MOST_BINS, RESAMPLED = 100, 12, 1000
KIND_COMPLAINT = {
    "dead": "not enough heat",
    "weak": "not enough heat",
    "stuck": "heat will not stop",
    "supply": "no heat",
    "control": "no heat",
    "blower": "blower dead",
    "short": "control fuse blows",
    "healthy": "seasonal check",
}


def called_minutes(condition: Condition) -> float:
    """Return how long anything has been called [min]."""
    return max((seconds or 0.0 for _, seconds in condition.calls), default=0.0) / 60


# What comes and goes is told otherwise.
SHOWN_COMPLAINT = {
    ("supply", "trips"): "breaker trips or hot",
    ("blower", "now and then"): "blower cuts in and out",
}


class Clock:
    """Limits that open and close, each at its own time, and starts that fail."""

    def __init__(
        self, random: np.random.Generator, limits: Sequence[str], minutes: tuple[tuple[float, float], ...]
    ) -> None:
        self.random, self.at, self.last = random, 0.0, frozenset[str]()
        # Each limit's own minutes closed and open.
        self.own = {limit: [float(np.exp(random.uniform(*np.log(ends)))) for ends in minutes] for limit in limits}
        self.next: dict[str, float] = {}
        self.open: set[str] = set()
        self.has_failed = False

    def opened(self, minutes: float) -> frozenset[str]:
        """Return which limits stand open so long after the call; a clock that runs back is a new call."""
        if minutes < self.at or minutes == 0.0:
            self.open, self.at = set(), 0.0
            self.next = {limit: self._lasts(limit) for limit in self.own}
        for limit in self.own:
            self.next.setdefault(limit, self._lasts(limit))
            while self.next[limit] < minutes:
                self.open ^= {limit}
                self.next[limit] += self._lasts(limit)
        self.at = minutes
        return frozenset(self.open)

    def _lasts(self, limit: str) -> float:
        """Return how long a limit stays as it is now [min]."""
        return self.own[limit][limit in self.open] * float(self.random.uniform(1 - JITTER, 1 + JITTER))

    def failed(self, calls: frozenset[str], minutes: float, share: float) -> bool:
        """Tell whether the start that these calls made failed."""
        if calls != self.last or minutes < self.at:
            self.has_failed = bool(calls) and bool(self.random.random() < share)
        self.last, self.at = calls, minutes
        return self.has_failed


class Truth:
    """A unit as it really is: perturbed, broken, and read with a meter that errs."""

    def __init__(
        self,
        plate: Nameplate,
        faults: tuple[Fault, ...],
        random: np.random.Generator,
        wrong: float,
        *,
        between: bool = False,
    ) -> None:
        self.random, self.wrong, self.faults = random, wrong, faults
        # A fault of the service is the service; any other truth has whatever service it has.
        is_service = any(fault.part == SERVICE for fault in faults)
        self.service = 1.0 if is_service else float(random.uniform(*SERVICES))
        circuit = perturbed(wire(plate), plate, random, self.service)
        self.plate = plate
        changes, tripped = NO_CHANGE, NO_CHANGE
        self.size = 0.0
        for fault in faults:
            if between:
                own, self.size = drawn(fault, plate, random)
            else:
                own = fault.variants[random.integers(len(fault.variants))]
            by_id = {other.id: other for other in faults_of(plate)}
            if fault.shows == "trips" and f"{fault.part}.off" in by_id:
                # It has tripped: whatever else is wrong then left it load enough.
                changes = changes | by_id[f"{fault.part}.off"].usual
            elif fault.shows == "trips":
                # A short: its breaker goes as soon as its pole closes, and stays off.
                changes = changes | own
                tripped = by_id[tripped_by(plate, fault)].usual
            else:
                changes = changes | own
        self.is_short = tripped is not NO_CHANGE
        self.changes = changes
        self.variants = self.broken = Variants(circuit, [changes])
        self.off = Variants(circuit, [changes | tripped])
        self.well = Variants(circuit, [NO_CHANGE])
        self.shows = next((fault.shows for fault in faults if fault.shows != "always"), "always")
        self.settled: dict[tuple[int, Drive], Solution] = {}
        self.tripped = False
        # What moves in time: which limits stand open, until when each stays as it is, whether this start failed.
        self.opens = {c.id: c for c in circuit.contacts if any(c.id in f.variants[0].forced for f in faults)}
        self.airless = any(fault.part == "blower.hub" for fault in faults)
        self.clock = Clock(random, list(self.opens), NO_AIR if self.airless else SOME_AIR)
        self.fails = float(np.exp(random.uniform(*np.log(FAILS_OF_STARTS))))
        self.trips_after = float(np.exp(random.normal(*TRIPS_AFTER)))
        self.by_open: dict[frozenset[str], Variants] = {}
        # A slow sequencer takes two to ten times as long as it should.
        self.slow_seconds = float(random.uniform(2.0, 10.0)) * longest_window(plate)
        self.model = model_of(plate)
        ids = [hypothesis.id for hypothesis in self.model.hypotheses]
        self.row = ids.index(faults[0].id) if len(faults) == 1 else -1

    def read(self, test: Test, condition: Condition) -> Reading:
        """Take one reading with the meter's error, rounded to its display, now and then grossly wrong."""
        function, *places = test.point.split(":")
        self.variants = self._as_it_is(condition)
        if self.is_short:
            self.variants = self.off if self.tripped else self.broken
            self.tripped = self.tripped or bool(test.drive.calls & {"W", "W2"})
        if function == "ohms":
            value = self._ohms(test.point, places)
        else:
            state = (id(self.variants), test.drive)
            if state not in self.settled:
                start = settle(self.variants, replace(test.drive, limits_open=False))
                opened = settle(self.variants, replace(test.drive, limits_open=True))
                self.settled[state] = opened if self.random.random() < 0.35 else start
            settled = self.settled[state]
            if function == "amps":
                value = float(read_amps(settled, test.point)[0])
            else:
                value = float(read_volts(settled, places[0], places[1], function=function)[0][0])
        if self.random.random() < self.wrong:
            value = float(self.random.choice([0.0, value * 10, value * 0.1, self.random.uniform(0, 250)]))
        if value < 1e7:
            meter_range = DEMO_METER.range_for(function, value)
            value += self.random.uniform(-1, 1) * meter_range.uncertainty(value)
            value = max(0.0, round(value / meter_range.resolution) * meter_range.resolution)
        return Reading(
            point=test.point,
            value=min(value, OPEN_OHMS),
            condition=condition,
            meter_uncertainty=DEMO_METER.uncertainty(function, min(value, 6e7)),
        )

    def told(self, complaint: str) -> list[Observation]:
        """Return what the customer points at where there are several: the breaker that trips, once in ten wrongly."""
        feeds = [feed.id for feed in self.plate.feeds]
        owner = place_of(self.faults[0].part).owner
        if complaint != "breaker trips or hot" or owner not in feeds or len(feeds) == 1:
            return []
        others = [feed for feed in feeds if feed != owner]
        is_wrong = self.random.random() < WRONGLY_NAMED
        return [Observation(kind="breaker-trips", about=str(self.random.choice(others)) if is_wrong else owner)]

    def check(self, test: Test) -> list[Observation]:
        """Look at what is no reading, now and then wrongly: the wheel, the capacitor, the stages by the stopwatch."""
        if test.point == STAGES:
            return self._timed(test.drive)
        if test.point == WATCH:
            sign = self._watched()
            if self.random.random() < self.wrong:
                # Missed, or a hand that moved the clamp.
                sign = Observation(kind="watched-dropped" if sign.kind == "watched-steady" else "watched-steady")
            return [sign]
        if test.point == AIR:
            is_little = any(fault.part in ("air", "blower.hub") for fault in self.faults)
            is_little = is_little != (self.random.random() < self.wrong)
            return [Observation(kind="air-little" if is_little else "air-enough")]
        if test.point == STARTS:
            misses = self._is_delay and bool((self.random.random(20) < self.fails).any())
            return [Observation(kind="bad-start" if misses else "starts-good-20")]
        finds = next(check.tells for check in checks_of(self.plate) if check.test.point == test.point)
        found = next((fault for fault in self.faults if finds(fault)), None)
        is_found = (found is not None) != (self.random.random() < self.wrong)
        if test.point == WHEEL:
            bad = "loose-hub" if found is not None and found.part == "blower.hub" else "side-play"
            return [Observation(kind=bad if is_found else "wheel-free")]
        return [Observation(kind="capacitor-out" if is_found else "capacitor-fine")]

    def _watched(self) -> Observation:
        """Watch a quarter of an hour of heat: what goes off is clamped strip by strip before it comes back."""
        if self.shows == "trips" and not self.is_short and self.trips_after < WATCHED_MINUTES:
            self.tripped = True
            return Observation(kind="watched-tripped", about=place_of(self.faults[0].part).owner)
        if self.shows == "now and then" and self.opens and not self._is_delay:
            for minute in np.arange(0.5, WATCHED_MINUTES, 0.5):
                if gone := sorted(self.clock.opened(minute)):
                    return Observation(kind="watched-dropped", about=place_of(gone[0]).owner)
        return Observation(kind="watched-steady")

    def _timed(self, drive: Drive) -> list[Observation]:
        """Watch every stage come after the call, each at its own time, for as long as any may take."""
        patience = WAITED * longest_clock(self.plate)
        calls = tuple((call, 0.0) for call in drive.calls)
        first = self._running(self._as_it_is(Condition(calls=calls)), drive)
        # What is late has come in the end.
        later = self._running(self.well, drive) if self.shows == "late" else first
        came = {}
        for stage in stages_of(self.plate):
            own = USUAL_SHARE * stage.on.max_seconds
            seconds = own if stage.id in first else max(own, self.slow_seconds)
            if stage.id in later and seconds < patience:
                came[stage.id] = seconds
        run = TimingRun(elapsed_seconds=patience, on_seconds=came)
        return seen_by_heat(self.plate, stages_of(self.plate), run)

    def _running(self, variants: Variants, drive: Drive) -> set[str]:
        """Return the strips that heat, and the blower if it turns."""
        settled = settle(variants, drive)
        found = {c.id for c in self.plate.circuits if read_amps(settled, amps_at(c.id))[0] > HOT_AMPS}
        turns = float(read_amps(settled, "amps:blower")[0]) > self.plate.blower.turns_from_amps
        return found | ({"blower"} if turns else set())

    def is_hidden(self) -> bool:
        """Tell whether a unit that is read everywhere without any error passes wherever the sound one does.

        A stage that has come before anybody who waits its clock out reads it is one of those: only a stopwatch tells.
        """
        if self.shows == "late" and self.slow_seconds <= WAITED * longest_clock(self.plate):
            return True
        return self._not_passed(self.broken) <= self._not_passed(self.well)

    def _not_passed(self, variants: Variants) -> set[tuple[str, frozenset[str]]]:
        """Return the readings of the catalogue that do not pass, by the unit's own verdicts."""
        kept, self.variants = self.variants, variants
        readings = []
        settled: dict[Drive, Solution] = {}
        for test in catalogue(self.plate):
            condition = condition_for(self.plate, test, Condition())
            function, *places = test.point.split(":")
            if function == "ohms":
                value = self._ohms(test.point, places, exact=True)
            else:
                if test.drive not in settled:
                    settled[test.drive] = settle(variants, test.drive)
                if function == "amps":
                    value = float(read_amps(settled[test.drive], test.point)[0])
                else:
                    value = float(read_volts(settled[test.drive], places[0], places[1], function=function)[0][0])
            readings.append(Reading(point=test.point, value=min(value, OPEN_OHMS), condition=condition))
        self.variants = kept
        situation = Situation(plate=self.plate, readings=tuple(readings))
        graded = [(reading, judge(situation, reading).grade) for reading in readings]
        found = {(r.point, r.condition.on) for r, grade in graded if grade in (Grade.FAIL, Grade.MARGINAL)}
        compared = [finding.about for finding in compare(situation) if finding.verdict.grade is not Grade.PASS]
        return found | {(render(about), frozenset()) for about in compared}

    def _as_it_is(self, condition: Condition) -> Variants:
        """Return the circuit as it stands under a condition, by the clocks of what moves."""
        if self.shows == "now and then" and self.opens and not self._is_delay:
            stand_open = self.clock.opened(called_minutes(condition))
            if stand_open not in self.by_open:
                forced = dict.fromkeys(stand_open, False)
                changes = replace(self.changes, forced=forced)
                self.by_open[stand_open] = Variants(self.broken.circuit, [changes])
            return self.by_open[stand_open]
        return self.broken if self._shows_now(condition) else self.well

    @property
    def _is_delay(self) -> bool:
        return any(fault.part.endswith(".delay") for fault in self.faults)

    def _shows_now(self, condition: Condition) -> bool:
        if self.shows == "now and then":
            return self.clock.failed(condition.on, called_minutes(condition), self.fails)
        if self.shows == "trips" and not self.is_short:
            # Once it has tripped it stays so.
            self.tripped = self.tripped or bool(condition.calls and called_minutes(condition) > self.trips_after)
            return self.tripped
        if self.shows == "late":
            seconds = max((seconds or 0.0 for _, seconds in condition.calls), default=0.0)
            return seconds < self.slow_seconds
        return True

    def _ohms(self, point: str, places: list[str], *, exact: bool = False) -> float:
        if len(places) == 2:
            row = max(self.row, 0) if self.variants is self.broken else 0
            shown = float(self.model.predict(point, Drive()).predicted[row])
            return shown if exact else shown * float(self.random.uniform(0.97, 1.03))
        part, v = places[0], self.variants
        if part in v.branch_at:
            conductance = float(v.conductance[0, v.branch_at[part]])
        else:
            i = v.contact_at[part]
            closed = v.forced[0, i] == 1 if v.forced[0, i] >= 0 else v.circuit.contacts[i].is_closed_at_rest
            conductance = float(v.closed[0, i]) if closed else 0.0
        return (COLD_RATIO if part.endswith(".element") else 1.0) / conductance if conductance > 0 else OPEN_OHMS


def drawn(fault: Fault, plate: Nameplate, random: np.random.Generator) -> tuple[Changes, float]:
    """Return what a fault changes at a size drawn from outside the catalogue, and that size; 0 where it has none.

    Joints and contacts are of any ohms, log-uniform; elements of any of the wrong watts, of their coils whole ones are
    left; all else lies anywhere between the catalogue's sizes.
    """
    kind, first = fault.id.rpartition(".")[2], fault.variants[0]
    if kind in RESISTIVE:
        ohms = float(np.exp(random.uniform(*np.log(JOINT_OHMS))))
        at, apart = dict.fromkeys(first.contact_ohms, ohms), dict.fromkeys(first.split, ohms)
        return replace(first, contact_ohms=at, split=apart), ohms
    if kind in ("wrong-size", "coil-open"):
        share = float(random.uniform(*WRONG_WATTS[int(random.integers(2))]))
        if kind == "coil-open":
            share = float(random.choice(COILS_LEFT))
        ohms = plate.circuit(place_of(fault.part).owner).element_ohms / share
        return Changes(ohms={fault.part: (ohms, ohms)}), share
    return sized(fault, float(random.uniform(0, len(fault.variants) - 1))), 0.0


def sized(fault: Fault, size: float) -> Changes:
    """Return what a fault changes at a size: 0 its first variant, 1 its second, 0.5 half way between."""
    first = int(size)
    share, a = size - first, fault.variants[first]
    if share == 0.0:
        return a
    b = fault.variants[first + 1]

    def mid(x: float, y: float) -> float:
        # Joints and contacts span decades; everything else is between as a rule is.
        return x if x == y else x + share * (y - x)

    def mid_ohms(x: float, y: float) -> float:
        return x if x == y or OFF in (x, y) else x ** (1 - share) * y**share

    return replace(
        a,
        ohms={k: tuple(mid(x, y) for x, y in zip(v, b.ohms[k], strict=True)) for k, v in a.ohms.items()},  # type: ignore[arg-type,misc]
        contact_ohms={k: mid_ohms(v, b.contact_ohms[k]) for k, v in a.contact_ohms.items()},
        split={k: mid_ohms(v, b.split[k]) for k, v in a.split.items()},
        ratio={k: mid(v, b.ratio[k]) for k, v in a.ratio.items()},
        trips_at={k: mid(v, b.trips_at[k]) for k, v in a.trips_at.items()},
    )


def perturbed(circuit: Circuit, plate: Nameplate, random: np.random.Generator, factor: float) -> Circuit:
    """Return the circuit under so much of its supply, its sound parts as docs/trade.md, section 10, has them.

    Conductors are of any length by a third; coils and heaters within 8 %.
    """
    least, most = PSC_AMPS if plate.blower.kind == "psc" else ECM_AMPS
    usual = plate.blower.running_amps / plate.blower.rated_amps
    motor = usual / random.uniform(least, most)
    kit = np.clip(random.normal(KIT_MEAN, KIT_WIDTH), *KIT_ENDS)
    idle = random.uniform(*IDLE_VOLTS) / IDLE_RATIO_VOLTS
    branches = []
    for branch in circuit.branches:
        share = 1.0
        if ".conductor" in branch.id:
            share = 1 + random.uniform(-0.3, 0.3)
        elif branch.id.startswith("blower.motor"):
            share = motor
        elif branch.id.endswith(".element"):
            share = 1 / np.clip(kit + random.uniform(-MATES, MATES), *KIT_ENDS)
        elif branch.id.endswith(".coil"):
            share = 1 + random.uniform(-0.08, 0.08)
        branches.append(replace(branch, ohms=branch.ohms * share, dc_ohms=branch.dc_ohms * share))
    aged = [
        replace(contact, ohms=float(random.uniform(*AGED_OHMS))) if ".pole-" in contact.id else contact
        for contact in circuit.contacts
    ]
    sources = [replace(source, volts=source.volts * factor) for source in circuit.sources]
    ports = [replace(port, ratio=port.ratio * idle) for port in circuit.two_ports]
    return replace(circuit, branches=branches, contacts=aged, sources=sources, two_ports=ports)


def condition_for(plate: Nameplate, test: Test, now: Condition) -> Condition:
    """Return the condition a technician would set for a test: sequencers waited out, or all proven dead."""
    feeds = tuple(feed.id for feed in plate.feeds)
    if test.is_isolated:
        return Condition(feeds=tuple((feed, "proven dead") for feed in feeds), control="proven dead")
    # Under calls that stay on, the clock runs on from reading to reading; new calls are waited out first.
    before = now.call_seconds(next(iter(test.drive.calls))) if test.drive.calls else None
    is_same = frozenset(name for name, _ in now.calls) == test.drive.calls
    clock = before if test.drive.calls else now.seconds_since_change
    seconds = clock + 90.0 if is_same and clock else WAITED * longest_clock(plate)
    calls = tuple((call, seconds) for call in sorted(test.drive.calls))
    # The strip's clock says since when nothing was switched, a breaker neither.
    return Condition(feeds=tuple((feed, "live") for feed in feeds), calls=calls, seconds_since_change=seconds)


def longest_clock(plate: Nameplate) -> float:
    """Return when the last pole of the unit counts as never closing after the call [s]."""
    return max(closing(plate, device.id, pole).never_seconds for device in plate.devices for pole in device.poles)


def longest_window(plate: Nameplate) -> float:
    """Return when the last pole of the unit must have closed after the call [s]."""
    windows = [closing(plate, device.id, pole) for device in plate.devices for pole in device.poles]
    return max(window.max_seconds for window in windows)


def test_at(plate: Nameplate, point: str, calls: frozenset[str]) -> Test:
    """Return the test of the catalogue at a point under these calls."""
    return next(test for test in catalogue(plate) if (test.point, test.drive.calls) == (point, calls))


@dataclass(frozen=True, slots=True)
class Followed:
    """Where a truth led: the diagnosis, what was read and seen, the minutes, how often what was known was asked for."""

    diagnosis: Diagnosis
    readings: list[Reading]
    seen: list[Observation]
    minutes: float
    repeats: int


def first_after_habits(
    plate: Nameplate, found: Followed, complaint: str, random: np.random.Generator
) -> dict[str, bool]:
    """Tell of each habit whether what would be repaired first is another: same call, read the way some people do."""
    by_id = {fault.id: fault for fault in faults_of(plate)}

    def repair(diagnosis: Diagnosis) -> object:
        return mended(by_id[one] for one in diagnosis.first.faults[0].split("+")) if diagnosis.first else None

    read = found.readings
    lines = {line_volts(feed.id) for feed in plate.feeds}
    shuffled = [read[at] for at in random.permutation(len(read))]
    ways = {
        "amps first": sorted(read, key=lambda r: r.function != "amps"),
        "no supply": [r for r in read if r.point not in lines],
        "whole volts": [replace(r, value=float(round(r.value))) if r.function == "volts" else r for r in read],
        "shuffled": shuffled,
        "double entry": [again for r in read for again in (r, r)],
    }
    first = repair(found.diagnosis)
    return {
        name: repair(diagnose(plate, way, complaints=[complaint], observations=found.seen)) != first
        for name, way in ways.items()
    }


def follow(plate: Nameplate, truth: Truth, complaint: str, *, fixed: bool, minutes: float) -> Followed:
    """Follow tests until a group leads, nothing useful is left or the minutes are spent."""
    readings: list[Reading] = []
    seen = truth.told(complaint)
    spent, again_asked = 0.0, 0
    taken: list[tuple[str, frozenset[str]]] = []
    order = iter(
        sorted(catalogue(plate), key=lambda test: ("supply", "control", "amps", "volts", "ohms").index(test.kind))
    )
    condition = Condition(feeds=tuple((feed.id, "live") for feed in plate.feeds))
    diagnosis = diagnose(plate, readings, complaints=[complaint], observations=seen)
    while len(readings) < MOST_TESTS:
        doubted = [p for p in diagnosis.ask_again if sum(point == p for point, _ in taken) < 2]
        if fixed:
            test = next(order, None)
        elif doubted:
            again_asked += 1
            calls = next(calls for point, calls in taken if point == doubted[0])
            test = test_at(plate, doubted[0], calls)
        else:
            leading = diagnosis.first.probability if diagnosis.first else 0.0
            best = next_tests(diagnosis, condition, taken=taken, most=1)
            # A service that is weak, as a unit that is sound, is named by what else is found right.
            # What rests on one reading is read once more before anybody believes it.
            first = before_accepting(diagnosis, taken) if leading > SURE else None
            again = first.test if first else None
            named = set(diagnosis.first.faults) if diagnosis.first else set[str]()
            is_named = leading > SURE and not named & {"healthy", "supply.low", "supply.high"}
            if again is None and ((is_named and len(readings) >= 3) or not best or best[0].bits < 0.004):
                break
            if again is None and "healthy" in named and leading >= SOUND_SHARE and best[0].worth < SOUND_WORTH:
                break
            test = again or best[0].test
            place = (test.point, test.drive.calls)
            again_asked += again is not None or (place in taken and place == diagnosis.once_more(taken))
        if test is None:
            break
        spent += minutes_of(plate, test, condition, at=stands_at(taken[-1][0]) if taken else "unit")
        if spent > minutes:
            break
        condition = condition_for(plate, test, condition)
        taken.append((test.point, test.drive.calls))
        if test.kind == "check":
            seen += truth.check(test)
        else:
            readings.append(truth.read(test, condition))
        diagnosis = diagnose(plate, readings, complaints=[complaint], observations=seen)
        if fixed and diagnosis.first and diagnosis.first.probability > SURE and len(readings) >= 3:
            break
    repeats = sum(count - 1 for count in Counter(taken).values()) - again_asked
    return Followed(diagnosis, readings, seen, min(spent, minutes), repeats)


def is_right(
    first: Cause | None, faults: tuple[Fault, ...], by_id: dict[str, Fault], service: float, *, hidden: bool
) -> bool:
    """Tell whether what the leading cause would have repaired is what is wrong, no more and no less.

    A sound unit on a service outside its band is a service outside its band; one whose fault shows nowhere is sound.
    """
    names = first.faults if first else ()
    if faults[0].kind == "healthy" or hidden:
        is_service = bool({"supply.low", "supply.high"} & set(names))
        if is_service if not 0.95 <= service <= 1.05 else "healthy" in names:
            return True
    return any(mended(by_id[one] for one in name.split("+")) == mended(faults) for name in names)


def left_of(first: Cause | None, faults: tuple[Fault, ...]) -> Fault | None:
    """Return which of two faults is left once what the leading cause names is repaired; nothing where it names none."""
    parts = {part for name in (first.faults if first else ()) for part in name.split("+")}
    left = [fault for fault in faults if fault.id not in parts]
    return left[0] if len(left) == 1 else None


def names_one(first: Cause | None, faults: tuple[Fault, ...]) -> bool:
    """Tell whether the leading group names at least one of the faults; its repair and proof then meet the other."""
    parts = {part for name in (first.faults if first else ()) for part in name.split("+")}
    return any(fault.id in parts for fault in faults)


@dataclass(frozen=True, slots=True, kw_only=True)
class Run:
    """How one truth was followed to its end: what was said of it, how surely, and whether that was so."""

    unit: str
    faults: tuple[str, ...]
    seed: int
    right: bool
    names_one: bool
    both: bool
    hidden: bool
    tests: int
    minutes: float
    # How often a test was asked for that was known; which habits of reading change what is repaired first.
    repeats: int
    habits: dict[str, bool]
    # Ohms of a joint or contact, watts over rated of an element; 0 where a fault has no size of that kind.
    size: float
    # Every cause that was named, with its share, and whether it was the right one.
    said: tuple[tuple[str, float, bool], ...]

    @property
    def kind(self) -> str:
        """The kind of a single fault, or that there were two."""
        return self.faults[0].rpartition(".")[2] if len(self.faults) == 1 else "pair"


def run(job: tuple[str, tuple[str, ...], int, argparse.Namespace]) -> Run:
    """Follow one truth: a unit's name, the ids of its faults, a seed and the options."""
    name, ids, seed, options = job
    plate = PATTERNS[name]()
    by_id = {fault.id: fault for fault in faults_of(plate)}
    case = tuple(by_id[id] for id in ids)
    random = np.random.default_rng([seed, zlib.crc32("+".join(ids).encode())])
    truth = Truth(plate, case, random, options.wrong, between=options.between)
    # Whoever calls says whether it comes and goes.
    complaint = SHOWN_COMPLAINT.get((case[0].kind, case[0].shows), KIND_COMPLAINT[case[0].kind])
    assert complaint in COMPLAINTS
    asked = {"fixed": options.fixed, "minutes": options.minutes}
    found = follow(plate, truth, complaint, **asked)
    diagnosis = found.diagnosis
    hides = len(case) == 1 and case[0].kind != "healthy" and truth.is_hidden()
    rights = [is_right(cause, case, by_id, truth.service, hidden=hides) for cause in diagnosis.causes]
    right = bool(rights) and rights[0]
    both = right
    left = left_of(diagnosis.first, case) if len(case) == 2 else None
    if left is not None:
        # The first is repaired and proven; what was read of it says nothing of the unit now.
        other = Truth(plate, (left,), random, options.wrong, between=options.between)
        after = follow(plate, other, complaint, **asked).diagnosis
        both = is_right(after.first, (left,), by_id, other.service, hidden=other.is_hidden())
    return Run(
        unit=name,
        faults=ids,
        seed=seed,
        right=right,
        names_one=names_one(diagnosis.first, case),
        both=both,
        hidden=hides,
        tests=len(found.readings),
        minutes=found.minutes,
        repeats=found.repeats,
        habits=first_after_habits(plate, found, complaint, random) if options.habits else {},
        size=truth.size if len(case) == 1 else 0.0,
        said=tuple(
            (cause.faults[0], cause.probability, was) for cause, was in zip(diagnosis.causes, rights, strict=True)
        ),
    )


def jobs_of(options: argparse.Namespace) -> list[tuple[str, tuple[str, ...], int, argparse.Namespace]]:
    """Return all that is to be followed, unit by unit."""
    names = sorted(PATTERNS) if options.units == "all" else options.units.split(",")
    jobs: list[tuple[str, tuple[str, ...], int, argparse.Namespace]] = []
    for name in names:
        faults = faults_of(PATTERNS[name]())
        cases: list[tuple[str, ...]] = [(fault.id,) for fault in faults[:: options.every] if options.only in fault.id]
        if options.pairs:
            draw = np.random.default_rng(7)
            real = [fault.id for fault in faults if fault.kind != "healthy"]
            picks = [draw.choice(len(real), 2, replace=False) for _ in range(options.pairs // len(names) + 1)]
            cases = [(real[int(a)], real[int(b)]) for a, b in picks]
        seeds = range(options.first_seed, options.first_seed + options.seeds)
        jobs += [(name, case, seed, options) for case in cases for seed in seeds]
    return jobs


def main() -> None:
    """Run the study and print its figures."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--seeds", type=int, default=5)
    parser.add_argument("--first-seed", type=int, default=0)
    parser.add_argument("--units", default="all")
    parser.add_argument("--wrong", type=float, default=0.0)
    parser.add_argument("--pairs", type=int, default=0)
    parser.add_argument("--fixed", action="store_true")
    parser.add_argument("--between", action="store_true", help="any size, not only the catalogue's")
    parser.add_argument("--only", default="", help="take only faults whose id holds this")
    parser.add_argument("--minutes", type=float, default=60.0, help="what a call may take, at the tests' own minutes")
    parser.add_argument("--every", type=int, default=1, help="take every n-th fault only")
    parser.add_argument("--workers", type=int, default=1, help="how many processes share the work")
    parser.add_argument("--habits", action="store_true", help="read each call again the way some people do")
    parser.add_argument("--dump", default="", help="write every run to this file, a line of JSON each")
    options = parser.parse_args()
    start = time.perf_counter()
    jobs = jobs_of(options)
    with ProcessPoolExecutor(options.workers) as pool:
        runs = []
        for done in pool.map(run, jobs, chunksize=4):
            runs.append(done)
            if options.dump:
                with Path(options.dump).open("a") as file:
                    file.write(json.dumps(asdict(done)) + "\n")
    figures(runs)
    print(f"{time.perf_counter() - start:.0f} s")


def figures(runs: Sequence[Run]) -> None:
    """Print what the study found."""
    for name in sorted({done.unit for done in runs}):
        report(name, [(done.right, done.tests) for done in runs if done.unit == name])
    report("all", [(done.right, done.tests) for done in runs])
    hidden = [done for done in runs if done.hidden]
    print(
        f"{100 * len(hidden) / len(runs):.1f} % show nowhere and count as sound; "
        f"{sum(not done.right for done in hidden)} of them falsely alarmed"
    )
    least, most = interval([done.right for done in runs])
    print(f"right repair, 95 % interval: {100 * least:.1f} to {100 * most:.1f} %")
    by_kind: dict[str, list[bool]] = {}
    for done in runs:
        by_kind.setdefault(done.kind, []).append(done.right)
        if done.kind in RESISTIVE:
            decade = next(f"{top / 10:g} to {top:g} ohm" for top in (0.2, 2.0, 20.0) if done.size <= top)
            by_kind.setdefault(f"resistance of {decade}", []).append(done.right)
    for kind, rights in sorted(by_kind.items(), key=lambda entry: statistics.mean(entry[1])):
        least, most = interval(rights)
        if least < LEAST_OF_A_KIND or kind.startswith("resistance"):
            told = f"{sum(rights)} of {len(rights)}, {100 * least:.0f} to {100 * most:.0f} %"
            print(f"  {'BELOW ' if most < LEAST_OF_A_KIND else ''}{kind}: {told}")
    if any(len(done.faults) == 2 for done in runs):
        print(f"one of the two named: {100 * statistics.mean(done.names_one for done in runs):.1f} %")
        print(f"both, the second once the first is repaired: {100 * statistics.mean(done.both for done in runs):.1f} %")
    spent = [done.minutes for done in runs]
    print(f"minutes: median {statistics.median(spent):.0f}, mean {statistics.mean(spent):.0f}")
    print(f"asked for what was known: {sum(done.repeats for done in runs)} times")
    for name in runs[0].habits:
        print(
            f"  {name}: the first repair changes in {100 * statistics.mean(done.habits[name] for done in runs):.1f} %"
        )
    led = [done.said[0][1:] for done in runs if done.said]
    print("leading causes:")
    calibration(led)
    print(f"  {100 * statistics.mean(share >= 0.9 for share, _ in led):.1f} % end with one cause at 90 % or more")
    print("all causes:")
    calibration([(share, was) for done in runs for _, share, was in done.said])
    missed = Counter(
        f"{done.unit}: {'+'.join(done.faults)} → {done.said[0][0] if done.said else '-'}"
        for done in runs
        if not done.right
    )
    for label, count in missed.most_common(60):
        print(f"  missed {count} × {label}")


def interval(rights: Sequence[bool]) -> tuple[float, float]:
    """Return between what shares the true one lies at 95 %, by Wilson's score."""
    count, share, z = len(rights), statistics.mean(rights), NormalDist().inv_cdf(0.975)
    middle, width = (
        share + z * z / (2 * count),
        z * math.sqrt(share * (1 - share) / count + z * z / (4 * count * count)),
    )
    whole = 1 + z * z / count
    return (middle - width) / whole, (middle + width) / whole


def calibration(said: Sequence[tuple[float, bool]]) -> None:
    """Print how often causes of so much share were right, a hundred or more a line, and the two's mean distance."""
    shares = np.array([share for share, _ in sorted(said)])
    rights = np.array([was for _, was in sorted(said)], dtype=np.float64)
    bins = np.array_split(np.arange(len(shares)), min(MOST_BINS, max(1, len(shares) // LEAST_OF_A_BIN)))

    def error(came: "np.ndarray[Any, Any]") -> float:
        return float(sum(len(own) * abs(shares[own].mean() - came[own].mean()) for own in bins) / len(shares))

    for own in bins:
        print(f"  said {100 * shares[own].mean():5.1f} %  right {100 * rights[own].mean():5.1f} %  of {len(own)}")
    draw = np.random.default_rng(1)
    by_chance = [error((draw.random(len(shares)) < shares).astype(np.float64)) for _ in range(RESAMPLED)]
    limit = float(np.percentile(by_chance, 95))
    print(f"  expected calibration error {error(rights):.3f}, by chance alone up to {limit:.3f}")


def report(name: str, runs: list[tuple[bool, int]]) -> None:
    """Print one line of figures."""
    tests = sorted(count for _, count in runs)
    share = sum(right for right, _ in runs) / len(runs)
    print(
        f"{name:22} {len(runs):5} runs  right {100 * share:6.2f} %  tests median {statistics.median(tests):4.1f}  "
        f"95th {tests[int(0.95 * (len(tests) - 1))]:3}",
        flush=True,
    )


if __name__ == "__main__":
    main()
