"""A unit's hypotheses, solved: what every one of them would show at every place under every condition asked for so far.

What a fault does under a condition does not depend on the readings, so the table is made once for a unit and kept.
"""

import copy
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from heapq import nlargest
from itertools import combinations, count

import numpy as np
from numpy.typing import NDArray

from plentar.core.cache import ByteBoundedCache, bytes_of
from plentar.core.causes.fault import FUSE, SERVICE, takes_fuse_along
from plentar.core.causes.faults import COMPLAINTS, Fault, faults_of, tripped_ahead, tripped_by
from plentar.core.causes.rounding import values_of
from plentar.core.causes.same_circuit import by_position, circuit_of
from plentar.core.causes.table import TableRow, circuit_key
from plentar.core.causes.table_store import kept_row
from plentar.core.causes.weighted import Factors, factor_of
from plentar.core.circuit.changes import Changes
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.probe import circuit_ohms, dead_ohms, part_ohms, read_amps, read_volts
from plentar.core.circuit.solve import Solution, Variants, settle
from plentar.core.circuit.wiring import wire
from plentar.core.errors import ReadingError
from plentar.core.message import Text, joined
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import amps_at, spot_of

__all__ = [
    "PAIRS",
    "Hypothesis",
    "Passing",
    "Prediction",
    "SizedPair",
    "UnitModel",
    "model_of",
    "model_with_pairs",
]  # fmt: skip

Floats = NDArray[np.float64]
# The likeliest of some thousands, about as many as single faults have rows: chosen by the time of a diagnosis.
# Readings that none of them explains get pairs of their own.
PAIRS = 280
# Parts fail together oftener than by chance, by one heater, armature or hot joint (docs/trade.md, section 9): chosen as
# one call in eight.
PAIR_SHARE = 0.12
# Of the shorts on the control side every second was called since and left a blown fuse, which stays blown whatever is
# called now. Chosen.
BLOWN_SHARE = 0.5


# Two faults at once, each by its id and the number of its size.
SizedPair = tuple[tuple[str, int], tuple[str, int]]


@dataclass(frozen=True, slots=True)
class Hypothesis:
    """One row of the table: a fault at one size, or two faults at once, each at one of its sizes."""

    faults: tuple[Fault, ...]
    sizes: tuple[int, ...]

    @property
    def variant(self) -> int:
        """The size of the first."""
        return self.sizes[0]

    @property
    def id(self) -> str:
        """The fault's id, or both joined by a plus sign."""
        return "+".join(fault.id for fault in self.faults)

    @property
    def takes_fuse(self) -> bool:
        """True for a short on the control side together with the fuse it blew."""
        return takes_fuse_along(self.faults)

    @property
    def title(self) -> Text:
        """The fault, or both."""
        return joined(fault.title for fault in self.faults)


@dataclass(frozen=True, slots=True)
class Passing:
    """A row whose fault is not there for every reading.

    `there` is the row that tells what it does while it is there, `quiet` that of the unit while it is not, `measured`
    what an ohmmeter finds of it: a short that has tripped its breaker is still a short. `further` is what it does where
    the breaker ahead was quicker.
    """

    row: int
    there: int
    further: int
    measured: int
    quiet: int
    fault: Fault


@dataclass(frozen=True, slots=True)
class Prediction:
    """What each hypothesis shows at one place: `predicted` in the unit of the function, `source_ohms` behind it."""

    predicted: Floats
    source_ohms: Floats


class UnitModel:
    """Every hypothesis of one unit with its solutions, filled as conditions are asked for."""

    def __init__(
        self,
        plate: Nameplate,
        pairs: tuple[SizedPair, ...] | None = None,
        singles: "UnitModel | None" = None,
    ) -> None:
        self.plate = plate
        # Whose single faults these are: with other pairs than the circuit's own only those are to be solved.
        self._singles = singles
        # How often only the rows in question were solved; like units count together.
        self._excerpts = count()
        self.circuit = wire(plate)
        self.faults = faults_of(plate)
        self._faults_by_id = {fault.id: fault for fault in self.faults}
        self.hypotheses = _hypotheses(self.faults, pairs)
        alone = sum(len(hypothesis.faults) == 1 for hypothesis in self.hypotheses)
        # The rows this model solves itself, and how many they are.
        self._own = slice(0 if singles is None else alone, len(self.hypotheses))
        self._count = self._own.stop - self._own.start
        # Tells this model's solutions from another's among all that are held. Pairs of one call's readings are nobody
        # else's; a circuit's own are the same whoever asks.
        self._is_own = pairs is None
        self._mark: object = circuit_key(plate) if self._is_own else object()
        # Of a model that is nobody else's: none or one, the same for its copies.
        self._variants: list[Variants] = []
        # Kept for every circuit of its kind, whatever the parts are called.
        self._standing = by_position(plate)
        self._store_key = circuit_key(self._standing.circuit)
        names: dict[str, int] = {}
        self.cause_of = np.array([names.setdefault(h.id, len(names)) for h in self.hypotheses])
        self.causes = tuple(names)
        at = self._rows_of_singles()
        self.passing = self._passing(at)
        self.passing_rows = np.array([entry.row for entry in self.passing])
        self.passes = np.zeros(len(self.hypotheses), dtype=np.bool_)
        self.passes[self.passing_rows] = True
        # The row each goes by while its fault is there, to an ohmmeter, and while it is not: itself where none passes.
        self.while_there, self.to_ohmmeter, self.while_not = (np.arange(len(self.hypotheses)) for _ in range(3))
        self.while_there[self.passing_rows] = [entry.there for entry in self.passing]
        self.to_ohmmeter[self.passing_rows] = [entry.measured for entry in self.passing]
        self.while_not[self.passing_rows] = [entry.quiet for entry in self.passing]
        self.comes_and_goes = np.zeros(len(self.hypotheses), dtype=np.bool_)
        self.comes_and_goes[[e.row for e in self.passing if e.fault.shows == "now and then"]] = True
        self.shows_late = np.zeros(len(self.hypotheses), dtype=np.bool_)
        self.shows_late[[e.row for e in self.passing if e.fault.shows == "late"]] = True
        self._priors = self._shares_of_rows()
        # Which hypotheses have something wrong besides the service.
        self.is_fault = np.array([any(f.part not in ("", SERVICE) for f in h.faults) for h in self.hypotheses])
        self.smaller, self.larger = self._neighbours()
        self.pair_rows = np.array(self._rows_of_pairs(at), dtype=np.int64).reshape(-1, 3).T

    @property
    def variants(self) -> Variants:
        """The circuit under every hypothesis: made only where something is to be solved, for all like units once."""

        def make() -> Variants:
            return Variants(self.circuit, [self._changes(h) for h in self.hypotheses[self._own]])

        if self._is_own:
            return VARIANTS.get(self._mark, make)
        # Nobody else's, and gone with this model.
        if not self._variants:
            self._variants.append(make())
        return self._variants[0]

    @property
    def bytes(self) -> int:
        """About what it takes in memory once something was solved, without what is held by itself."""
        own = 0 if self._is_own else BYTES_A_PLACE * len(self.circuit.terminals) * self._count
        return len(self.hypotheses) * BYTES_A_ROW + own

    def _row(self, drive: Drive) -> TableRow | None:
        """Return what is kept of this circuit under a drive; nothing where nobody keeps any, or not yet."""
        if not self._is_own:
            return None
        standing, contacts = self._standing, len(self.circuit.contacts)
        drive = standing.drive(drive)
        return kept_row(self._store_key, standing.circuit, drive, hypotheses=len(self.hypotheses), contacts=contacts)

    def of(self, plate: Nameplate) -> "UnitModel":
        """Return the same table with another plate of the same circuit: its windows, ratings and rules."""
        if self.plate is plate:
            return self
        found = copy.copy(self)
        found.plate = plate
        return found

    def _excerpt(self, rows: NDArray[np.int64]) -> "UnitModel":
        """Return a model of some rows alone, to be solved in a moment and asked only what its rows show."""
        found = copy.copy(self)
        found.hypotheses = tuple(self.hypotheses[row] for row in rows.tolist())
        found._own, found._count = slice(0, len(rows)), len(rows)
        found._singles, found._variants = None, []
        found._is_own, found._mark = False, object()
        return found

    def _rows_of_singles(self) -> dict[tuple[str, int], int]:
        """Return the row of each single fault at each of its sizes."""
        return {(h.faults[0].id, h.variant): row for row, h in enumerate(self.hypotheses) if len(h.faults) == 1}

    def _rows_of_pairs(self, at: Mapping[tuple[str, int], int]) -> list[tuple[int, int, int]]:
        """Return each pair's row with the rows of its two faults alone, each at its size."""
        found = []
        for row, pair in enumerate(self.hypotheses):
            if len(pair.faults) == 2:
                first, second = (at[fault.id, size] for fault, size in zip(pair.faults, pair.sizes, strict=True))
                found.append((row, first, second))
        return found

    def _passing(self, singles: Mapping[tuple[str, int], int]) -> tuple[Passing, ...]:
        """Return the rows of faults that come, go or come late, of two such at once by the first."""
        usual = {fault.id: singles[fault.id, fault.usual_variant] for fault in self.faults}
        found = []
        for row, hypothesis in enumerate(self.hypotheses):
            fault = next((fault for fault in hypothesis.faults if fault.shows != "always"), None)
            if fault is None:
                continue
            sized = zip(hypothesis.faults, hypothesis.sizes, strict=True)
            others = [singles[other.id, size] for other, size in sized if other is not fault]
            # A breaker that has tripped is a breaker that is off: it no longer needs a load to show it.
            tripped = usual.get(tripped_by(self.plate, fault), row) if fault.shows == "trips" and not others else row
            # Reset ahead of a short it trips again: it is never sound in between.
            rests = row if self.is_short(fault) else 0
            quiet = others[0] if others else rests
            measured = row if self.is_short(fault) else tripped
            further = usual.get(tripped_ahead(self.plate, fault), tripped) if tripped != row else tripped
            entry = Passing(row=row, there=tripped, further=further, measured=measured, quiet=quiet, fault=fault)
            found.append(entry)
        return tuple(found)

    def is_short(self, fault: Fault) -> bool:
        """Tell whether a fault trips the breaker ahead of it, instead of being the breaker that trips."""
        return fault.shows == "trips" and not tripped_by(self.plate, fault).startswith(fault.part)

    def _neighbours(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Return for each row the rows of the next sizes of the same fault, itself where there is none."""
        rows = np.arange(len(self.hypotheses))
        smaller, larger = rows.copy(), rows.copy()
        for row, hypothesis in enumerate(self.hypotheses):
            # A service of any size is measured, and scales its row.
            if len(hypothesis.faults) == 1 and hypothesis.faults[0].part != SERVICE:
                last = len(hypothesis.faults[0].variants) - 1
                smaller[row] -= hypothesis.variant > 0
                larger[row] += hypothesis.variant < last
        return smaller, larger

    def _changes(self, hypothesis: Hypothesis) -> Changes:
        sized = list(zip(hypothesis.faults, hypothesis.sizes, strict=True))
        if len(sized) == 1:
            return sized[0][0].variants[sized[0][1]]
        # A breaker that trips has tripped: whether the other fault leaves it load enough is a matter of its size.
        tripped = {
            fault.id: breaker.usual
            for fault in hypothesis.faults
            if fault.shows == "trips" and (breaker := self.fault(tripped_by(self.plate, fault))) is not None
        }
        first, second = (tripped.get(fault.id, fault.variants[size]) for fault, size in sized)
        return first | second

    def fault(self, name: str) -> Fault | None:
        """Return the unit's single fault of this id; nothing for two at once."""
        return self._faults_by_id.get(name)

    def prior(self, complaints: Sequence[str], past: Factors = ()) -> Floats:
        """Return each hypothesis's share before any reading, bent by complaint and past; sums to one."""
        weight = {fault.id: fault.weight * factor_of(past, fault.id) for fault in self.faults}
        for fault in self.faults:
            for complaint in complaints:
                # Complaints multiply: no heat and a clicking noise together narrow it more than either.
                factors = COMPLAINTS.get(complaint, {})
                weight[fault.id] *= factors.get(fault.kind, 1.0)
                weight[fault.id] *= factors.get(fault.shows, 1.0) if fault.part else 1.0
                weight[fault.id] *= factors.get(fault.mode, 1.0)
        share = np.array([weight[fault.id] for fault in self.faults])
        share /= share.sum()
        first, second, factor = self._priors
        prior = share[first] * np.where(second >= 0, share[second], 1.0) * factor
        normalised: Floats = prior / prior.sum()
        return normalised

    def _shares_of_rows(self) -> tuple[NDArray[np.int64], NDArray[np.int64], Floats]:
        """Return for each row which fault's share it takes, which second one's (-1: none), and what part of it."""
        at = {fault.id: number for number, fault in enumerate(self.faults)}
        first: list[int] = []
        second: list[int] = []
        factor: list[float] = []
        for hypothesis in self.hypotheses:
            own = hypothesis.faults
            sizes = math.prod(len(fault.variants) for fault in own)
            if hypothesis.takes_fuse:
                [short] = [fault for fault in own if fault.kind == "short"]
                row = (at[short.id], -1, BLOWN_SHARE / len(short.variants))
            elif len(own) == 1:
                # A fault listed in more sizes is not a likelier fault.
                row = (at[own[0].id], -1, 1.0 / sizes)
            else:
                # Of their sizes one alone is listed, and what lies about it.
                row = (at[own[0].id], at[own[1].id], PAIR_SHARE / sizes)
            first.append(row[0])
            second.append(row[1])
            factor.append(row[2])
        return np.array(first), np.array(second), np.array(factor)

    def by_fault(self, name: str, ask: Callable[[Fault], Sequence[bool]]) -> NDArray[np.bool_]:
        """Return what is true of each hypothesis's fault, of two faults of either; asked once for a circuit.

        One row a hypothesis, one column an answer of `ask`.
        """

        def find() -> NDArray[np.bool_]:
            of_fault = {fault.id: ask(fault) for fault in self.faults}
            return np.array([np.any([of_fault[f.id] for f in h.faults], axis=0) for h in self.hypotheses])

        return PREDICTED.get((self._mark, name), find)

    def settled(self, drive: Drive) -> Solution:
        """Return the solutions under a drive, solving them the first time."""

        def solve() -> Solution:
            # Limits open from the state they open in.
            start = self.settled(replace(drive, limits_open=False)) if drive.limits_open else None
            return settle(self.variants, drive, start=start)

        return SOLVED.get((self._mark, drive), solve)

    def contacts(self, drive: Drive) -> NDArray[np.bool_]:
        """Return which contacts each hypothesis leaves closed under a drive; one row a hypothesis."""

        def find() -> NDArray[np.bool_]:
            row = self._row(drive)
            if row is None:
                own = self.settled(drive).states
                return (
                    own if self._singles is None else np.vstack([self._singles.contacts(drive)[: self._own.start], own])
                )
            return np.frombuffer(row.closed, dtype=np.bool_).reshape(row.hypotheses, row.contacts)

        return PREDICTED.get((self._mark, "contacts", drive), find)

    def alike(self, drive: Drive) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
        """Tell of each row whether the next smaller and larger size of its fault leave the same contacts closed."""

        def compare() -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
            states = self.contacts(drive)
            return (states == states[self.smaller]).all(axis=1), (states == states[self.larger]).all(axis=1)

        return PREDICTED.get((self._mark, "alike", drive), compare)

    def between(self, point: str, drive: Drive) -> tuple[Floats, Floats]:
        """Return the least and most each row stands for at a point: half way to the next sizes of its fault.

        A fault has any size, and its rows are a few of them: what lies between two rows is the fault as well, as long
        as the same contacts are closed. Health never lies between; beyond the outermost row toward health a row
        reaches half way to it, and toward a contact that drops out as far as to the other side.
        """
        return PREDICTED.get((self._mark, "between", point, drive), lambda: self._between(point, drive))

    def _between(self, point: str, drive: Drive) -> tuple[Floats, Floats]:
        predicted = self.predict(point, drive).predicted
        healthy = predicted[0]
        # An ohmmeter's unit is at rest: no size moves a contact.
        rest = np.ones(len(predicted), dtype=np.bool_)
        smaller, larger = (rest, rest) if spot_of(point).is_ohms else self.alike(drive)

        rows = np.arange(len(predicted))
        # What a row may reach where nothing tells how fast it changes: half as far again from health, half way to it.
        beyond, short_of = predicted + 0.5 * (predicted - healthy), 0.5 * (predicted + healthy)

        def reach(
            neighbour: NDArray[np.int64],
            other: NDArray[np.int64],
            changes: NDArray[np.bool_],
            tells: NDArray[np.bool_],
            untold: Floats,
        ) -> Floats:
            # Where the next size lies beyond health, or none lies on the side of health, it reaches to health.
            far = predicted[neighbour]
            crosses = (predicted - healthy) * (far - healthy) < 0
            is_outer = neighbour == rows
            toward = is_outer & (other != neighbour) & ((predicted - healthy) * (predicted[other] - predicted) > 0)
            middle: Floats = 0.5 * (predicted + np.where(crosses | toward, healthy, far))
            return np.where(changes, np.where(tells, predicted + 0.5 * (predicted - predicted[other]), untold), middle)

        # The size on the other side tells how fast, where it leaves the same contacts closed.
        a = reach(self.smaller, self.larger, ~smaller, larger & (self.larger != rows), beyond)
        both_change = ~smaller & ~larger
        untold = np.where(both_change, short_of, beyond)
        b = reach(self.larger, self.smaller, ~larger, smaller & (self.smaller != rows), untold)
        least, most = np.minimum(a, b), np.maximum(a, b)
        # Of two faults at once the one that shows here has its sizes, as it has them alone.
        pairs, first, second = self.pair_rows
        shows = np.where(
            np.abs(predicted[pairs] - predicted[first]) <= np.abs(predicted[pairs] - predicted[second]), first, second
        )
        least[pairs] = predicted[pairs] - (predicted[shows] - least[shows])
        most[pairs] = predicted[pairs] + (most[shows] - predicted[shows])
        return least, most

    @property
    def _dead(self) -> tuple[Floats, NDArray[np.int64]]:
        return SOLVED.get((self._mark, "dead"), lambda: dead_ohms(self.variants))

    def predict(self, point: str, drive: Drive) -> Prediction:
        """Return what every hypothesis shows at a point.

        Points: `volts:A:B`, `dc_volts:A:B`, `amps:PLACE` or `amps:PLACE+PLACE`, `ohms:A:B` in circuit with power
        isolated, `ohms:PART` with the part's leads off.

        Raises:
            ReadingError: The unit has no such terminal, place or part.
        """
        if spot_of(point).is_ohms:
            # To an ohmmeter only what drives a contact matters: a coil in the hand, or fed from a separate source.
            drive = drive if drive.separate else Drive(hand=drive.hand)
        return PREDICTED.get((self._mark, point, drive), lambda: self._kept(point, drive) or self.solved(point, drive))

    def _kept(self, point: str, drive: Drive) -> Prediction | None:
        """Return what the kept table says of a point, if it has it."""
        row = self._row(drive)
        point = self._standing.point(point)
        if row is None or point not in row.points:
            return None
        predicted = values_of(point, np.frombuffer(row.raw(point), dtype="<i4"))
        floats = np.frombuffer(row.is_floating(point), dtype=np.uint8) > 0
        return Prediction(predicted, np.where(floats, FLOATING_OHMS, 0.0))

    def beside_nc(self, drive: Drive) -> tuple[NDArray[np.int64], Floats]:
        """Return the rows in which a plain wire lies beside the interlock's NC, and what it carries there [A]."""

        def solve() -> tuple[NDArray[np.int64], Floats]:
            own = [any(f.id == "interlock.plain-wire" for f in h.faults) for h in self.hypotheses]
            rows = np.nonzero(np.array(own))[0]
            point = amps_at("interlock.wire")
            is_known = any(clamp.id == point for clamp in self.circuit.clamps)
            carried = self._excerpt(rows).solved(point, drive).predicted if len(rows) and is_known else np.zeros(0)
            return (rows, carried) if is_known else (rows[:0], carried)

        return PREDICTED.get((self._mark, "beside-nc", drive), solve)

    def table(self, tests: Sequence[tuple[str, Drive]], rows: NDArray[np.int64]) -> Prediction:
        """Return what these hypotheses show at each of these tests, one row a test, one column a hypothesis.

        Asked for again, as the whole catalogue is with every reading, it is the same. Of a circuit that nobody has
        seen these rows alone are solved: who waits for the first answer is not to wait for all the others.
        """
        key = (self._mark, "table", tuple(tests))
        if key not in PREDICTED:
            # Each is looked for, so that whoever keeps the table is told of all that are missing.
            unknown = [drive for drive in {drive for _, drive in tests} if not self._is_known(drive)]
            if unknown and next(self._excerpts) < MOST_EXCERPTS:
                own, place = np.unique(rows, return_inverse=True)
                found = self._excerpt(own)._table(tests)
                return Prediction(found.predicted[:, place], found.source_ohms[:, place])
        whole = PREDICTED.get(key, lambda: self._table(tests))
        return Prediction(whole.predicted[:, rows], whole.source_ohms[:, rows])

    def _is_known(self, drive: Drive) -> bool:
        """Tell whether every row is held or kept under a drive, so that none has to be solved."""
        return (self._mark, drive) in SOLVED or self._row(drive) is not None

    def _table(self, tests: Sequence[tuple[str, Drive]]) -> Prediction:
        # A condition's tests together, so that its solution is needed once however few solutions are held.
        by_drive = sorted(set(tests), key=lambda test: hash(test[1]))
        found = {test: self.predict(*test) for test in by_drive}
        predictions = [found[test] for test in tests]
        return Prediction(
            np.array([p.predicted for p in predictions], dtype=np.float32),
            np.array([p.source_ohms for p in predictions], dtype=np.float32),
        )

    def solved(self, point: str, drive: Drive) -> Prediction:
        """Return what every hypothesis shows at a point by solving it, whatever is kept; single faults of another
        model as that has them.

        Raises:
            ReadingError: The unit has no such terminal, place or part.
        """
        own = self._solved(point, drive)
        if self._singles is None:
            return own
        first, count = self._singles.predict(point, drive), self._own.start
        predicted = np.concatenate([first.predicted[:count], own.predicted])
        return Prediction(predicted, np.concatenate([first.source_ohms[:count], own.source_ohms]))

    def _solved(self, point: str, drive: Drive) -> Prediction:
        """Return what the rows this model solves itself show at a point."""
        spot = spot_of(point)
        function, places = spot.function, spot.places
        nothing = np.zeros(self._count)
        if function == "amps" and len(places) == 1:
            known = {clamp.id for clamp in self.circuit.clamps}
            clamps = [amps_at(place) for place in spot.conductors]
            for clamp in clamps:
                if clamp not in known:
                    raise ReadingError(f"this unit has no place {clamp!r} for a clamp", field="point")
            return Prediction(read_amps(self.settled(drive), *clamps), nothing)
        if function == "ohms" and len(places) == 1:
            separate = self.settled(drive) if drive.separate else None
            return Prediction(part_ohms(self.variants, places[0], hand=drive.hand, separate=separate), nothing)
        if len(places) != 2 or function not in ("volts", "dc_volts", "ohms"):
            raise ReadingError(f"expected volts:A:B, amps:PLACE or ohms:PART, got {point!r}", field="point")
        for place in places:
            if place not in self.circuit.terminals:
                raise ReadingError(f"this unit has no terminal {place!r}", field="point")
        if function == "ohms":
            return Prediction(circuit_ohms(self.variants, self._dead, *places), nothing)
        predicted, source_ohms = read_volts(self.settled(drive), places[0], places[1], function=function)
        return Prediction(predicted, source_ohms)


def _hypotheses(faults: Sequence[Fault], chosen: Sequence[SizedPair] | None) -> tuple[Hypothesis, ...]:
    rows = [Hypothesis((fault,), (i,)) for fault in faults for i in range(len(fault.variants))]
    # A weak service beside a fault is no pair: `supply` weighs it with every fault.
    real = [fault for fault in faults if fault.kind != "healthy" and fault.part != SERVICE]
    blown_fuses = [fault for fault in real if fault.part == FUSE]
    shorts = [fault for fault in real if fault.kind == "short"]
    # In the order of the faults, whichever of the two comes first.
    blown = [tuple(sorted((fuse, short), key=real.index)) for fuse in blown_fuses for short in shorts]
    if chosen is not None:
        by_id = {fault.id: fault for fault in faults}
        pairs = [Hypothesis((by_id[a], by_id[b]), (i, j)) for (a, i), (b, j) in chosen]
    else:
        # Only the heaviest are looked at, at their usual sizes: of a hundred faults there are thousands of pairs.
        apart = (pair for pair in combinations(real, 2) if pair[0].part != pair[1].part)
        heaviest = nlargest(PAIRS + len(blown), apart, key=lambda pair: pair[0].weight * pair[1].weight)
        pairs = [Hypothesis(pair, (pair[0].usual_variant, pair[1].usual_variant)) for pair in heaviest]
    # A short that blew the fuse is measured afterwards, at whatever size it has.
    listed = {h.id: [h] for h in pairs} | {
        "+".join(fault.id for fault in pair): [
            Hypothesis(pair, (size, 0) if pair[0].kind == "short" else (0, size))
            for size in range(max(len(fault.variants) for fault in pair))
        ]
        for pair in blown
    }
    first = [*("+".join(fault.id for fault in pair) for pair in blown), *(h.id for h in pairs)]
    return (*rows, *(h for name in list(dict.fromkeys(first))[:PAIRS] for h in listed[name]))


def _solved_bytes(value: object) -> int:
    """Return the bytes of a solution without the circuits it belongs to, which are held by themselves."""
    if isinstance(value, Solution):
        return bytes_of([getattr(value, f.name) for f in fields(value) if f.name not in ("variants", "drive")])
    return bytes_of(value)


# Three answers with their next tests; by then the whole table is there, or cheaper than another part of it.
MOST_EXCERPTS = 6
# What stands for a place that only strays tie down: more than GHOST_OHMS, by how much no reading tells.
FLOATING_OHMS = 1e7
# Measured on the example units: a kilobyte a hypothesis; its circuits some 105 bytes more for each of their terminals.
BYTES_A_ROW, BYTES_A_PLACE = 960, 105
# What a process holds of the units it works on. Needed with every reading: their rows of hypotheses (some 1 MB a unit;
# pairs are of one call's readings: by themselves, so that they push no unit out) and what those show (2 MB a unit).
MODELS, PAIRED, PREDICTED = (
    ByteBoundedCache(16, size=lambda model: model.bytes),
    ByteBoundedCache(8, size=lambda model: model.bytes),
    ByteBoundedCache(16),
)
# Needed only while a unit is new and its table is not kept yet: its circuit under every hypothesis (13 MB for six
# strips) and the solutions of that, 1 MB a condition at most.
VARIANTS, SOLVED = ByteBoundedCache(14), ByteBoundedCache(6, size=_solved_bytes)


def model_of(plate: Nameplate) -> UnitModel:
    """Return the unit's table of single faults and the likeliest pairs; like units share what was solved."""
    shared = circuit_of(plate)
    return MODELS.get(shared, lambda: UnitModel(shared)).of(plate)


def model_with_pairs(plate: Nameplate, pairs: tuple[SizedPair, ...]) -> UnitModel:
    """Return the unit's table with these pairs in place of the likeliest, for readings no single fault explains."""
    shared = circuit_of(plate)
    singles = MODELS.get(shared, lambda: UnitModel(shared))
    return PAIRED.get((shared, pairs), lambda: UnitModel(shared, pairs, singles)).of(plate)
