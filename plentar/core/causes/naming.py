"""From shares to names: what one repair cures is one cause, with its reasons, its size and what is to be read again."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.catalogue import catalogue, scaled
from plentar.core.causes.checks import finds
from plentar.core.causes.fault import SERVICE, mended
from plentar.core.causes.hypotheses import PAIRS, Hypothesis, SizedPair, UnitModel
from plentar.core.causes.likelihood import Floats
from plentar.core.causes.size import SizedReading, size_of
from plentar.core.causes.slips import RetakeRequest, ask_about
from plentar.core.causes.supply import Supply
from plentar.core.circuit.as_wired import wired_wrong
from plentar.core.circuit.drive import Drive, drives_of
from plentar.core.circuit.places import find_point
from plentar.core.evidence.reading import Reading
from plentar.core.limits.table import Limits
from plentar.core.message import Text, joined, message
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.place import spot_of
from plentar.core.unit.quantities import quantity_of

__all__ = ["Cause", "Evidence", "FailureMode", "Reason"]

# More groups than a screen or a paper shows; what is less likely than one in two thousand joins none, and what is less
# likely than one in a hundred is listed without its reasons.
SHOWN_CAUSES, LEAST_GROUPED, LEAST_REASONED = 8, 5e-4, 0.01
# For a size every reading may be off by a fiftieth, the meter and a tenth: supply and parts are its own kind's.
SIZE_SHARE, SIZE_FLOOR = 0.02, 0.1
# Of the ways one part may have failed: one in twenty is not worth naming, four in five is the answer.
TOLD_SHARE, PLAIN_SHARE = 0.05, 0.8
# Reasons that are shown. Half as likely as under the others: a smaller difference is not shown as a reason against.
MOST_FOR, MOST_AGAINST, LEAST_AGAINST = 6, 3, -0.7
# A cause that another would outweigh without one of its readings rests on that one: a slip there and it is wrong.
RESTS_SHARE = 0.5
# Two shares nearer than this are the same.
ALIKE = 1e-4
# Two more looks that agree settle what one said.
TAKEN_AGAIN = 2
# A single fault of a group stands for the pairs in it down to this share of them: below, the pair was read as such.
SHADOW_SHARE = 0.1


@dataclass(frozen=True, slots=True, kw_only=True)
class Reason:
    """One reading that speaks for or against a cause: in words, and how strongly (natural log of the odds)."""

    point: str
    words: Text
    weight: float


@dataclass(frozen=True, slots=True, kw_only=True)
class FailureMode:
    """One way the part may have failed: the faults that no test splits, their words, their share."""

    faults: tuple[str, ...]
    title: Text
    probability: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """What would be repaired, with its share and its reasons; `failures` are the ways it may have failed.

    `faults` are those of the failures worth naming, the likeliest first; `size` says how large the first is, where
    that can be told.
    """

    faults: tuple[str, ...]
    title: Text
    size: Text
    probability: float
    failures: tuple[FailureMode, ...]
    reasons_for: tuple[Reason, ...]
    reasons_against: tuple[Reason, ...]
    repair: Text
    proof: Text


@dataclass(slots=True, kw_only=True)
class Evidence:
    """Turns likelihoods into groups, reasons and doubts."""

    model: UnitModel
    readings: Sequence[Reading]
    likelihoods: Sequence[Floats]
    predicted: Sequence[Floats]
    explained: Sequence[Floats]
    silent: Sequence[bool]
    prior: Floats
    posterior: Floats
    # The part of each hypothesis's share that needs the call to have stood before it was tapped.
    tapped_late: Floats
    # How likely each hypothesis's fault stood there at the last reading.
    there: Floats
    # And the row it went by while it did.
    while_there: NDArray[np.int64]
    supply: Supply
    # Where and under which condition every reading was taken, with those that are no second witness.
    taken: Sequence[tuple[str, tuple[object, ...]]] = ()
    _densities: Floats | None = None

    def causes(self) -> tuple[Cause, ...]:
        model = self.model
        # A cause is all of its magnitudes, alone and with others.
        by_cause: Floats = np.bincount(model.cause_of, self.posterior, len(model.causes)).astype(np.float64)
        order = [int(i) for i in np.argsort(-by_cause)[: 3 * SHOWN_CAUSES] if by_cause[i] > LEAST_GROUPED]
        groups: list[list[int]] = []
        rows = {i: self._best_row(i) for i in order}
        # What no test can tell apart is one answer, not several rivals.
        split = self._splittable([rows[i] for i in order])
        place = {cause: at for at, cause in enumerate(order)}
        for cause in order:
            for group in groups:
                if not any(split[place[cause], place[other]] for other in group):
                    group.append(cause)
                    break
            else:
                groups.append([cause])
        # What one repair cures is one cause, however it failed; a group of several repairs stays by itself.
        merged: dict[object, list[list[int]]] = {}
        for group in groups:
            whole = sum(by_cause[i] for i in group)
            repairs = {self._mended(rows[i]) for i in group if by_cause[i] >= TOLD_SHARE * whole}
            merged.setdefault(repairs.pop() if len(repairs) == 1 else group[0], []).append(group)

        # Each is as likely as its members together.
        def share(entry: Sequence[Sequence[int]]) -> float:
            return float(sum(by_cause[i] for group in entry for i in group))

        causes = sorted(merged.values(), key=share, reverse=True)[:SHOWN_CAUSES]
        # How large is worth working out for the one that leads.
        return tuple(self._cause(entry, share(entry), by_cause, rows, with_size=entry is causes[0]) for entry in causes)

    def _mended(self, row: int) -> frozenset[tuple[str, str]]:
        return mended(self.model.hypotheses[row].faults)

    def _best_row(self, cause: int) -> int:
        rows = np.nonzero(self.model.cause_of == cause)[0]
        own = self.posterior[rows]
        # Of sizes that are as likely the first, whatever the last digit says.
        return int(rows[np.argmax(own >= (1 - ALIKE) * own.max())])

    def _splittable(self, rows: list[int]) -> NDArray[np.bool_]:
        """Tell which pairs of hypotheses some test of the catalogue would show apart by three standard deviations."""
        tests = catalogue(self.model.plate)
        predicted, spread = scaled(self.model, tests, np.array(rows))
        # Squares: no root is drawn for every pair under every test.
        apart, wide = predicted[:, :, None] - predicted[:, None, :], 9.0 * spread * spread
        is_apart = apart * apart > wide[:, :, None] + wide[:, None, :]
        split: NDArray[np.bool_] = np.any(is_apart, axis=0)
        # What is late is told from what else is late by which strips come late: all else has come when one reads it.
        late = np.array([self.model.shows_late[row] for row in rows])
        is_amps = np.array([test.kind == "amps" for test in tests])
        by_strips = np.any(is_apart[is_amps], axis=0)
        split = np.where(late[:, None] & late[None, :], by_strips, split)
        # What comes and goes is told from what stays by taking the same reading again.
        passes = self.model.passes[rows]
        split |= (passes[:, None] != passes[None, :]) & np.any(np.ptp(predicted, axis=1) > spread.max(axis=1))
        # A wheel by hand and a stopwatch tell what no reading does.
        found = finds(self.model, np.array(rows))
        split |= np.any(found[:, :, None] != found[:, None, :], axis=0)
        return split

    def _cause(
        self,
        entry: Sequence[Sequence[int]],
        share: float,
        by_cause: Floats,
        rows: Mapping[int, int],
        *,
        with_size: bool,
    ) -> Cause:
        each = sorted((self._failure(group, by_cause, rows) for group in entry), key=lambda f: -f.probability)
        told = [failure for failure in each if failure.probability >= TOLD_SHARE * share] or each[:1]
        row = rows[self.model.causes.index(told[0].faults[0])]
        lead = self.model.hypotheses[row]
        reasons = self._reasons(row) if share >= LEAST_REASONED else []
        title, repair = told[0].title, joined((fault.repair for fault in lead.faults), "semicolon")
        if told[0].probability < PLAIN_SHARE * share:
            # Which of its ways it was, the part in the hand will tell.
            title = joined((failure.title for failure in told[:3]), "or")
        if lead.faults[0].kind == "healthy" and self.tapped_late[0] > 0.5 * self.posterior[0]:
            # Sound only if heat stood before the clock says it did: that is asked, not taken for granted.
            title, repair = message("diagnosis.tapped-late"), message("diagnosis.ask-since-when")
        elif lead.faults[0].kind == "healthy" and (wrong := wired_wrong(self.model.plate)):
            # Every part is sound, and the unit is not: the plate itself has it wired wrong.
            title, repair = message("diagnosis.wired-wrong", wrong=wrong[0]), message("repair.land-interlock")
        return Cause(
            faults=tuple(fault for failure in told for fault in failure.faults),
            title=title,
            size=self._size(lead, row) if with_size else "",
            probability=share,
            failures=tuple(told),
            reasons_for=tuple(r for r in reasons if r.weight > 0),
            reasons_against=tuple(r for r in reasons if r.weight < 0),
            repair=repair,
            proof=joined((fault.proof for fault in lead.faults), "semicolon"),
        )

    def _failure(self, group: Sequence[int], by_cause: Floats, rows: Mapping[int, int]) -> FailureMode:
        model = self.model
        # A second fault that shows nothing of its own adds nothing to say; one that was read itself is the answer.
        share = sum(by_cause[i] for i in group)
        singles = [i for i in group if len(model.hypotheses[rows[i]].faults) == 1]
        told = singles if sum(by_cause[i] for i in singles) >= SHADOW_SHARE * share else group[:1]
        # What the readings speak against is not worth naming beside what they speak for.
        told = [i for i in told if by_cause[i] >= TOLD_SHARE * by_cause[told[0]]]
        return FailureMode(
            faults=tuple(model.causes[i] for i in told),
            title=joined((model.hypotheses[rows[i]].title for i in told[:3]), "or"),
            probability=float(sum(by_cause[i] for i in group)),
        )

    def _size(self, lead: Hypothesis, row: int) -> Text:
        """Return how large a single fault is, by all that was read and that it explains."""
        if len(lead.faults) != 1:
            return ""
        # Under the last call that was read; with nothing called there is no load to tell volts and watts of.
        under_heat = [r.condition for r in self.readings if r.condition.heat and r.condition.feeds_live]
        seen = [
            SizedReading(
                value=r.value,
                width=SIZE_SHARE * r.value + r.meter_uncertainty / 2 + SIZE_FLOOR,
                predicted=predicted / self.supply.at(r.point),
            )
            for at, (r, predicted) in enumerate(zip(self.readings, self.predicted, strict=True))
            if r.value < OPEN_OHMS and not spot_of(r.point).is_ohms and not self._is_doubted(at, row)
        ]
        drive = drives_of(self.model.plate, under_heat[-1])[-1][0] if under_heat else Drive()
        return size_of(self.model, lead.faults[0], seen, drive, self.supply, self.posterior)

    def _reasons(self, row: int) -> list[Reason]:
        """Weigh each reading by how much likelier it is under this hypothesis than under all others as they were.

        Words are made for those that are told: the strongest for it and against it.
        """
        others = np.where(self.model.cause_of == self.model.cause_of[row], 0.0, self.prior)
        others = others / max(others.sum(), 1e-12)
        if not self.readings:
            return []
        if self._densities is None:
            self._densities = np.exp(np.array(self.likelihoods).reshape(len(self.readings), -1))
        elsewheres = np.log(self._densities @ others + 1e-15)
        weights = [float(density[row] - e) for density, e in zip(self.likelihoods, elsewheres, strict=True)]
        order = sorted(range(len(weights)), key=lambda at: -abs(weights[at]))
        told = [at for at in order if weights[at] > 0][:MOST_FOR]
        told += [at for at in order if weights[at] < LEAST_AGAINST][:MOST_AGAINST]
        return [
            Reason(
                point=self.readings[at].point,
                words=self._spoken(self.readings[at], float(self.predicted[at][row])),
                weight=weights[at],
            )
            for at in told
        ]

    def _spoken(self, reading: Reading, value: float) -> Text:
        label = find_point(self.model.plate, reading.point).label
        read, predicted = _number(reading.value, reading.point), _number(value, reading.point)
        if sum(other.point == reading.point for other in self.readings) == 1:
            return message("diagnosis.predicted", label=label, read=read, predicted=predicted)
        condition = reading.condition.spoken
        return message("diagnosis.predicted-then", label=label, read=read, condition=condition, predicted=predicted)

    def promising_pairs(self) -> tuple[SizedPair, ...]:
        """Return pairs of single faults that between them would explain each reading, the most promising first.

        Each at the sizes that explain most; a part and its own fault are no pair.
        """
        model = self.model
        singles = [i for i in range(len(model.hypotheses)) if len(model.hypotheses[i].faults) == 1 and i > 0]
        density = np.array(self.likelihoods)[:, singles]
        log_prior = np.log(self.prior[singles])
        lead = np.argsort(-(density.sum(axis=0) + log_prior))[:40]
        together = np.maximum(density[:, lead][:, :, None], density[:, None, :]).sum(axis=0)
        score = together + log_prior[lead][:, None] + log_prior[None, :]
        found: dict[tuple[str, str], SizedPair] = {}
        for flat in np.argsort(-score, axis=None):
            a, b = np.unravel_index(flat, score.shape)
            rows = (model.hypotheses[singles[int(at)]] for at in (lead[a], b))
            first, second = sorted(rows, key=lambda row: row.faults[0].id)
            if first.faults[0].part != second.faults[0].part and SERVICE not in (
                first.faults[0].part,
                second.faults[0].part,
            ):
                found.setdefault((first.id, second.id), ((first.id, first.variant), (second.id, second.variant)))
            if len(found) >= PAIRS:
                break
        return tuple(found.values())

    def rests_on(self, lead: Cause) -> Reading | None:
        """Return the one reading without which the leading cause would not be the answer; nothing where two say it.

        Source:
            docs/trade.md, section 5, readings that mislead: one in fifty is simply wrong.
        """
        if not self.readings:
            return None
        own = np.isin(self.model.cause_of, [self.model.causes.index(fault) for fault in lead.faults])
        logs = np.log(self.posterior + 1e-300) - np.array(self.likelihoods)
        without = np.exp(logs - logs.max(axis=1, keepdims=True))
        shares = without[:, own].sum(axis=1) / without.sum(axis=1)
        at = int(np.argmin(shares))
        return self.readings[at] if shares[at] < RESTS_SHARE else None

    def asks(self, limits: Limits) -> tuple[RetakeRequest, ...]:
        """Return what is to be taken again, with what may have happened to it by the likeliest hypothesis."""
        row, plate = int(np.argmax(self.posterior)), self.model.plate
        found = []
        for point in self.doubtful():
            at = max(
                i for i, reading in enumerate(self.readings) if reading.point == point and self._is_doubted(i, row)
            )
            reading = self.readings[at]
            drive = drives_of(plate, reading.condition, limits)[-1][0]

            def there(other: str, drive: Drive = drive) -> float:
                return float(self.model.predict(other, drive).predicted[row] * self.supply.at(other)[row])

            found.append(ask_about(plate, reading, float(self.predicted[at][row]), there))
        return tuple(found)

    def _is_doubted(self, at: int, row: int) -> bool:
        return bool(self.explained[at][row] < 0.5)

    def doubtful(self) -> tuple[str, ...]:
        """Return the points whose reading even the likeliest hypothesis leaves to chance, to be taken again."""
        if not self.readings:
            return ()
        row = int(np.argmax(self.posterior))
        places = [(reading.point, reading.condition.state) for reading in self.readings]
        # What was taken again twice need not be taken once more.
        doubted = [
            place[0]
            for at, place in enumerate(places)
            if self._is_doubted(at, row)
            and max(places[at + 1 :].count(place), list(self.taken).count(place) - 1) < TAKEN_AGAIN
        ]
        return tuple(dict.fromkeys(doubted))


def _number(value: float, point: str) -> Text:
    if value >= 1e6:
        return message("diagnosis.open")
    return message("diagnosis.value", value=value, unit=quantity_of(point).sign)
