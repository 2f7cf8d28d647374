"""Practice calls worked by rule: the next best test, the fixed order of the guide, any test at all, and unsafely.

Each names causes by the same diagnosis and stops when one is sure enough or nothing more is worth its minutes; they
differ only in which reading is taken next, so what they score says what the choice of test is worth.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from plentar.core.causes.catalogue import Test, catalogue
from plentar.core.causes.diagnosis import Cause, Diagnosis, diagnose
from plentar.core.causes.faults import fault_by_id
from plentar.core.causes.next_test import ISOLATE_MINUTES, minutes_of, next_tests
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.limits.table import DEFAULT_LIMITS
from plentar.core.practice.case import Case
from plentar.core.practice.meter import BLOWN_MINUTES, METER, display
from plentar.core.practice.score import Score
from plentar.core.practice.world import World
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import amps_at, line_volts, place_of, spot_of, volts_at

__all__ = ["POLICIES", "Played", "Policy", "bits_of", "play_case"]

Policy = Literal["next", "fixed", "random", "unsafe"]
POLICIES: tuple[Policy, ...] = ("next", "fixed", "random", "unsafe")
# Sure enough to fit a part, and how many readings are taken before somebody gives up and fits the likeliest. Chosen.
SURE, LEAST_READINGS, MOST_READINGS = 0.9, 2, 20
# Heat is waited out: the slowest chained stage of the patterns has come by then.
SETTLED_SECONDS = 600.0
# Less is no current.
DEAD_AMPS = DEFAULT_LIMITS.number("dead_below_amps")
# What a repair takes by itself, and a look at the weather instead. Chosen.
REPAIR_MINUTES = 20.0


@dataclass(frozen=True, slots=True, kw_only=True)
class PlayedReading:
    """One reading a policy took: where, under which calls, what stood on the display, the bits it won."""

    point: str
    calls: frozenset[str]
    shown: str
    minutes: float
    bits: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Played:
    """A case worked to its end."""

    policy: Policy
    taken: tuple[PlayedReading, ...]
    named: tuple[str, ...]
    score: Score


def play_case(case: Case, policy: Policy, *, seed: int = 1) -> Played:
    """Work a case by a policy.

    Args:
        case: What is hidden.
        policy: How the next reading is chosen.
        seed: Of the display's last digit and of the random policy; the same seed, the same call.
    Source:
        docs/trade.md, section 4, for the fixed order; section 8: ohms on live power, what the unsafe policy does.
    """
    return _Play(case, policy, seed).run()


class _Play:
    def __init__(self, case: Case, policy: Policy, seed: int) -> None:
        self.case, self.policy = case, policy
        self.random = np.random.default_rng(seed)
        self.world = World(case)
        self.condition = _condition(case, frozenset(), is_dead=False)
        self.readings: list[Reading] = []
        self.seen: list[tuple[str, frozenset[str]]] = []
        self.taken: list[PlayedReading] = []
        self.minutes, self.unsafe, self.fine_parts = 0.0, 0, 0

    def run(self) -> Played:
        diagnosis = self._diagnosis()
        while len(self.taken) < MOST_READINGS and not _is_sure(diagnosis, len(self.readings)):
            test = self._choose(diagnosis)
            if test is None:
                break
            before = bits_of(diagnosis.causes)
            shown, minutes = self._read(test)
            diagnosis = self._diagnosis()
            bits = before - bits_of(diagnosis.causes)
            self.taken.append(
                PlayedReading(point=test.point, calls=test.drive.calls, shown=shown, minutes=minutes, bits=bits)
            )
        named = self._repair(diagnosis)
        return Played(policy=self.policy, taken=tuple(self.taken), named=named, score=self._score())

    def _diagnosis(self) -> Diagnosis:
        return diagnose(self.case.plate, self.readings, complaints=(self.case.complaint,))

    def _choose(self, diagnosis: Diagnosis) -> Test | None:
        if self.policy == "next":
            # What is no reading at the board is another's job: hands, eyes, a stopwatch.
            best = next_tests(diagnosis, self.condition, taken=self.seen, most=12)
            return next((entry.test for entry in best if entry.test.kind != "check"), None)
        known = set(self.seen)
        left = [test for test in self._order() if (test.point, test.drive.calls) not in known]
        if not left:
            return None
        if self.policy == "random":
            return left[int(self.random.integers(len(left)))]
        return left[0]

    def _order(self) -> list[Test]:
        """Return every test in the order of work, what was read dead under heat traced first."""
        dead = {
            spot_of(reading.point).part
            for reading in self.readings
            if reading.function == "amps" and reading.condition.heat and reading.value < DEAD_AMPS
        }
        return list(_in_order(self.case.plate, frozenset(dead)))

    def _read(self, test: Test) -> tuple[str, float]:
        """Take one reading, its condition made first; return what was shown and what it took."""
        spot = spot_of(test.point)
        minutes = minutes_of(self.case.plate, test, self.condition)
        if self.policy == "unsafe" and spot.is_ohms:
            # No power off, no lock, no proof: it saves those minutes, and the meter meets the line.
            minutes += BLOWN_MINUTES - (0.0 if self.condition.is_proven_dead else ISOLATE_MINUTES)
            self.unsafe += 1
            self.seen.append((test.point, test.drive.calls))
            self.minutes += minutes
            return "---", minutes
        if self.policy == "unsafe" and spot.is_volts and not self.unsafe:
            # Two probes on what is live, bare hands.
            self.unsafe += 1
        self._set(test.drive.calls, is_dead=test.is_isolated)
        value = self.world.read(test.point)
        shown = display(value, spot.function, flicker=float(self.random.uniform(-1, 1)))
        self.readings.append(_reading(test.point, shown.typed, value, self.condition))
        self.seen.append((test.point, test.drive.calls))
        self.minutes += minutes
        return shown.spoken, minutes

    def _set(self, calls: frozenset[str], *, is_dead: bool) -> None:
        world = self.world
        if is_dead != bool(world.off):
            for feed in self.case.plate.feeds:
                world.set_feed(feed.id, "panel" if is_dead else "")
            world.set_control("off" if is_dead else "from unit")
        wanted = frozenset() if is_dead else calls
        if wanted != frozenset(world.calls):
            for call in frozenset(world.calls) - wanted:
                world.set_call(call, is_on=False)
            for call in sorted(wanted - frozenset(world.calls)):
                world.set_call(call, is_on=True)
            world.wait(SETTLED_SECONDS)
        self.condition = _condition(self.case, wanted, is_dead=is_dead)

    def _repair(self, diagnosis: Diagnosis) -> tuple[str, ...]:
        lead = diagnosis.first
        # The likeliest way it failed stands first; two at once are joined.
        first = lead.faults[0].split("+") if lead is not None else []
        named = tuple(name for name in first if name != "healthy")
        for part in dict.fromkeys(fault_by_id(self.case.plate, name).mended[0] for name in named):
            self.minutes += REPAIR_MINUTES
            if not self.world.repair(part):
                self.fine_parts += 1
        return named

    def _score(self) -> Score:
        hidden = len(self.case.faults)
        left = len(self.world.faults)
        found = (hidden - left) / hidden if hidden else float(self.fine_parts == 0)
        return Score(found=found, fine_parts=self.fine_parts, minutes=self.minutes, unsafe=self.unsafe)


def _condition(case: Case, calls: frozenset[str], *, is_dead: bool) -> Condition:
    state = "proven dead" if is_dead else "live"
    return Condition(
        feeds=tuple((feed.id, state) for feed in case.plate.feeds),  # type: ignore[misc]
        control="proven dead" if is_dead else "from unit",
        calls=tuple((call, SETTLED_SECONDS) for call in sorted(calls)),
        seconds_since_change=SETTLED_SECONDS,
    )


def _reading(point: str, typed: str, value: float, condition: Condition) -> Reading:
    """Return what stands on the display as evidence: its digits are the value, the meter's accuracy its doubt."""
    quantity = spot_of(point).function
    shown = OPEN_OHMS if typed == "OL" else _digits(typed)
    own = METER.range_for(quantity, min(value, shown))
    return Reading(
        point=point,
        value=shown,
        condition=condition,
        meter_uncertainty=own.uncertainty(shown if shown < OPEN_OHMS else 0.0),
        counts_uncertainty=own.counts_uncertainty,
    )


def _digits(typed: str) -> float:
    factor = {"k": 1e3, "M": 1e6}.get(typed[-1:], 1.0)
    return float(typed.rstrip("kM")) * factor


def _in_order(plate: Nameplate, dead: frozenset[str]) -> Iterator[Test]:
    """Give the tests in the order of work: supply, call, strips under it, then without it, then the trace of what is
    dead, then that with power off, then all the rest.

    Source:
        docs/trade.md, section 4, steps 5 to 8.
    """
    heat = frozenset({"W", "W2"}) & set(plate.calls)
    lines = {line_volts(feed.id) for feed in plate.feeds}
    totals = {amps_at(feed.id) for feed in plate.feeds}
    strips = {amps_at(circuit.id) for circuit in plate.circuits}
    of_dead = set(dead) | {circuit.device for circuit in plate.circuits if circuit.id in dead}

    def step(test: Test) -> int:
        calls, is_plain = test.drive.calls, test.point in strips or test.point == amps_at("blower")
        owners = {place_of(place).owner for place in spot_of(test.point).places}
        if test.point in lines and not calls:
            return 0
        if test.point == volts_at("board.w", "board.c") and calls == heat:
            return 1
        if calls == heat and (is_plain or test.point in totals):
            return 2
        if is_plain and calls in (frozenset(), frozenset({"G"})):
            return 3
        if calls == heat and test.kind in ("volts", "control") and owners & of_dead:
            return 4
        return 5 if test.is_isolated and owners & of_dead else 6

    yield from sorted(catalogue(plate), key=step)


def _is_sure(diagnosis: Diagnosis, readings: int) -> bool:
    """Tell whether the leading repair is sure enough: a cause is all that is put right by one repair."""
    lead = diagnosis.first
    return lead is not None and readings >= LEAST_READINGS and lead.probability >= SURE


def bits_of(causes: Sequence[Cause]) -> float:
    """Return the doubt between causes [bits]: Shannon's, of their shares."""
    share = np.array([cause.probability for cause in causes])
    share = share[share > 0]
    return float(-(share * np.log2(share)).sum()) if share.size else 0.0
