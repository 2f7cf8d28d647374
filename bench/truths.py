"""Units as they really are, for studies of the diagnosis: sound parts with their spread, faults of any size, clocks of
what comes and goes, and a meter that errs.

Nothing here is known to the diagnosis. Spreads, sizes and times are those of docs/trade.md, section 10.
"""

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from plentar.core.causes.catalogue import Test, catalogue
from plentar.core.causes.checks import AIR, STAGES, STARTS, WATCH, WHEEL, checks_of
from plentar.core.causes.fault import OFF, SERVICE
from plentar.core.causes.faults import Fault, faults_of, tripped_by
from plentar.core.causes.hypotheses import model_of
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
from plentar.core.unit.place import amps_at, place_of
from plentar.words import render

__all__ = ["RESISTIVE", "Truth", "condition_for"]

# What services give, of nominal: 206 to 252 V of 240.
SERVICES = (0.858, 1.05)
# Faults of any size (docs/trade.md, section 10): contacts, joints, stabs and lugs [ohm]; wrong elements and what coils
# are left, as shares of the rated watts.
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
# Share of customers who point at the wrong breaker.
WRONGLY_NAMED = 0.1
# A sound pole closes well inside its window.
USUAL_SHARE = 0.6
# How long a new call is waited for, of the time after which the last pole counts as never closing.
WAITED = 1.02


def called_minutes(condition: Condition) -> float:
    """Return how long anything has been called [min]."""
    return max((seconds or 0.0 for _, seconds in condition.calls), default=0.0) / 60


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
