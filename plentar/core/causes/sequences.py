"""Faults that are not there for every reading, as sequences: what follows what, from reading to reading."""

from collections.abc import Callable, Mapping, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.fault import Fault
from plentar.core.causes.hypotheses import Passing, UnitModel
from plentar.core.causes.modes import Shows
from plentar.core.evidence.reading import Condition
from plentar.core.limits.table import Limits
from plentar.core.limits.windows import closing
from plentar.core.unit.place import place_of

__all__ = ["NOW_AND_THEN_SHARE", "weigh_sequences"]

Floats = NDArray[np.float64]
# How often something erratic is seen at its fault.
NOW_AND_THEN_SHARE = 0.5
# A tired disc takes a multiple of its window: at three windows a quarter of those that are late are still silent, at a
# dozen one in twenty-five, which is about what stays off for good. Chosen: makers print none.
LATE_POWER = 1.3
# How long an untimed call is taken to have stood, in windows: long enough for most poles.
UNKNOWN_WINDOWS = 3.0
# From one reading to the next a weak breaker trips one time in four; then it stays off, but for one time in a thousand
# that somebody resets it and keeps no word of it. A breaker found off is switched on between two readings one time in
# ten: whoever finds it off does it sooner or later; one time in a hundred without a change on record between the two.
TRIP_SHARE, RESET_SHARE, SET_SHARE, UNSAID_SHARE = 0.25, 0.001, 0.1, 0.01


def weigh_sequences(
    model: UnitModel, conditions: Sequence[Condition], predicted: Floats, quiet: Floats, limits: Limits
) -> tuple[Floats, Floats]:
    """Return the log density of the whole sequence for each of `model.passing`, and what each reading saw of it.

    Args:
        model: The unit's hypotheses.
        conditions: Under which each reading was taken, in their order.
        shown: One row a reading, one column a passing row: its density while the fault is there.
        quiet: The same while it is not.
        limits: The shop's windows.
    Returns:
        One entry a passing row; and one row a reading, one column a passing row: how likely the fault was there.
    Source:
        docs/trade.md, section 9: a trip takes its whole feed and stays, a slow stage is silent before its own time and
        on after it.
    """
    logs, there = np.zeros(len(model.passing)), np.ones((len(conditions), len(model.passing)))
    weigh: Mapping[tuple[Shows, ...], Callable[[Floats, Floats, Sequence[Passing]], tuple[Floats, Floats]]] = {
        ("now and then",): lambda a, b, _: _now_and_then(a, b),
        ("trips", "until-set"): lambda a, b, entries: _switches(a, b, *_shares(model, conditions, entries)),
        ("late",): lambda a, b, entries: _late(a, b, _windows_passed(model, conditions, entries, limits)),
    }
    for kinds, way in weigh.items():
        columns = [i for i, entry in enumerate(model.passing) if entry.fault.shows in kinds]
        if columns and conditions:
            entries = [model.passing[i] for i in columns]
            logs[columns], there[:, columns] = way(predicted[:, columns], quiet[:, columns], entries)
    return logs, there


def _now_and_then(predicted: Floats, quiet: Floats) -> tuple[Floats, Floats]:
    """Each reading by itself sees the fault or does not."""
    mixed = NOW_AND_THEN_SHARE * predicted + (1 - NOW_AND_THEN_SHARE) * quiet
    return np.log(mixed).sum(axis=0), np.full(predicted.shape, NOW_AND_THEN_SHARE)


def _switches(predicted: Floats, quiet: Floats, off_shares: Floats, on_shares: Floats) -> tuple[Floats, Floats]:
    """Two states, on and off, from reading to reading: forward for the density, and back for each one's share.

    Going off and coming back on have their chances from one reading to the next, each reading and each fault its own,
    of what happened since the one before it; the first row of `off_shares` is how likely it was off before all.
    """
    largest = np.maximum(quiet, predicted)
    on, off = quiet / largest, predicted / largest
    count = len(predicted)
    ahead_on, ahead_off = np.empty(predicted.shape), np.empty(predicted.shape)
    behind_on, behind_off = np.ones(predicted.shape), np.ones(predicted.shape)
    log: Floats = np.log(largest).sum(axis=0)
    is_on, is_off = 1 - off_shares[0], off_shares[0]
    for row in range(count):
        if row:
            goes, comes = off_shares[row] * is_on, on_shares[row] * is_off
            is_on, is_off = is_on - goes + comes, is_off + goes - comes
        is_on, is_off = on[row] * is_on, off[row] * is_off
        whole = is_on + is_off
        log, is_on, is_off = log + np.log(whole), is_on / whole, is_off / whole
        ahead_on[row], ahead_off[row] = is_on, is_off
    for row in range(count - 2, -1, -1):
        next_on, next_off = on[row + 1] * behind_on[row + 1], off[row + 1] * behind_off[row + 1]
        stays_on = next_on + off_shares[row + 1] * (next_off - next_on)
        stays_off = next_off + on_shares[row + 1] * (next_on - next_off)
        whole = stays_on + stays_off
        behind_on[row], behind_off[row] = stays_on / whole, stays_off / whole
    tripped = ahead_off * behind_off
    there: Floats = tripped / (tripped + ahead_on * behind_on)
    return log, there


def _shares(model: UnitModel, conditions: Sequence[Condition], entries: Sequence[Passing]) -> tuple[Floats, Floats]:
    """Return how likely each fault's breaker went off, and came back on, before each reading.

    One that has grown weak goes under some load, one ahead of a short as soon as heat is called; both stay off. One
    that is found off is switched on sooner or later.
    """
    under_heat = [bool(condition.heat) for condition in conditions]
    loaded = [bool(condition.on) for condition in conditions]
    # What went between two readings went under the calls of either.
    weak = [TRIP_SHARE, *(TRIP_SHARE if a or b else RESET_SHARE for a, b in pairwise(loaded))]
    short = [TRIP_SHARE, *(1 - RESET_SHARE if before else RESET_SHARE for before in under_heat[:-1])]
    found_off = [1.0, *(0.0 for _ in conditions[1:])]
    resets, sets = [RESET_SHARE] * len(conditions), _set_shares(conditions)
    rows = [
        (found_off, sets)
        if entry.fault.shows == "until-set"
        else (short if model.is_short(entry.fault) else weak, resets)
        for entry in entries
    ]
    off_shares, on_shares = (np.array(column).T for column in zip(*rows, strict=True))
    return off_shares, on_shares


def _set_shares(conditions: Sequence[Condition]) -> list[float]:
    """Return how likely a breaker was switched on before each reading and after the one before it."""
    shares = [SET_SHARE]
    for before, after in pairwise(conditions):
        both = [(before.call_seconds(call), after.call_seconds(call)) for call in before.on & after.on]
        passed = [late - early for early, late in both if early is not None and late is not None]
        since, was = after.seconds_since_change, before.seconds_since_change
        # By the clock of a call that stands, or by that of the last change, which runs on.
        runs_on = not both and None not in (since, was) and 0 < (was or 0.0) < (since or 0.0)
        unchanged = runs_on or (bool(passed) and since is not None and 0 <= max(passed) <= since)
        shares.append(UNSAID_SHARE if unchanged else SET_SHARE)
    return shares


def _late(predicted: Floats, quiet: Floats, passed: Floats) -> tuple[Floats, Floats]:
    """Silent before its own time and on after it, the same time for every reading, wherever between two of them."""
    # Each column's readings by how long they had been called: its own time falls before, between or after them.
    order = np.argsort(passed, axis=0)
    bad, good, times = (
        np.take_along_axis(table, order, axis=0) for table in (np.log(predicted), np.log(quiet), passed)
    )
    nothing = np.zeros((1, passed.shape[1]))
    silent = np.vstack([nothing, np.cumsum(bad, axis=0)])
    after = np.vstack([np.cumsum(good[::-1], axis=0)[::-1], nothing])
    survives = np.vstack([nothing + 1.0, np.maximum(times, 1.0) ** -LATE_POWER, nothing])
    share = np.maximum(survives[:-1] - survives[1:], 1e-12)
    logs = silent + after + np.log(share)
    whole: Floats = np.logaddexp.reduce(logs, axis=0)
    # Silent at a reading: its own time lies behind it.
    there = np.cumsum(np.exp(logs - whole)[::-1], axis=0)[::-1][1:]
    back = np.empty_like(there)
    np.put_along_axis(back, order, there, axis=0)
    return whole, back


def _windows_passed(
    model: UnitModel, conditions: Sequence[Condition], entries: Sequence[Passing], limits: Limits
) -> Floats:
    """Return how many of its own windows had passed at each reading; infinite without its call."""
    passed = np.full((len(conditions), len(entries)), np.inf)
    for column, entry in enumerate(entries):
        call, window = _window_of(model, entry.fault, limits)
        for row, condition in enumerate(conditions):
            if condition.is_called(call):
                seconds = condition.call_seconds(call)
                passed[row, column] = UNKNOWN_WINDOWS if seconds is None else seconds / window
    return passed


def _window_of(model: UnitModel, fault: Fault, limits: Limits) -> tuple[str, float]:
    """Return the call a slow part waits for and its window's end [s]."""
    plate, part = model.plate, place_of(fault.part)
    device = plate.device(part.owner)
    poles = [pole for pole in device.poles if fault.part in (device.id, f"{device.id}.pole-{pole.number}")]
    # A device's auxiliary is no numbered pole.
    clocks = [closing(plate, device.id, pole, limits) for pole in poles or (device.auxiliary,)]
    return plate.call_of(device.id), max(clock.max_seconds for clock in clocks)
