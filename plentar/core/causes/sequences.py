"""Faults that are not there for every reading, as sequences: what follows what, from reading to reading."""

import math
from collections.abc import Callable, Sequence
from itertools import pairwise
from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.fault import Fault
from plentar.core.causes.hypotheses import Passing, UnitModel
from plentar.core.evidence.reading import Condition
from plentar.core.limits.table import Limits
from plentar.core.limits.windows import closing
from plentar.core.unit.place import place_of

__all__ = ["AIRLESS", "NOW_AND_THEN_SHARE", "airless_share", "weigh_sequences"]

Floats = NDArray[np.float64]
# How often what comes and goes is there when the next reading is taken, whatever was seen of it before.
NOW_AND_THEN_SHARE = 0.1
# A tired disc takes a multiple of its window, any multiple up to a dozen as likely as any other on a scale of ratios;
# one in twenty-five is later still, which is about what stays off for good. Chosen: makers print none.
LATEST_WINDOWS, LATER_SHARE = 12.0, 0.04
# How long an untimed call is taken to have stood, in windows: long enough for most poles.
UNKNOWN_WINDOWS = 3.0
# How often a limit opens and closes [1/min], and from how long after the call [min]: without air, and with some of it.
# The means of the ranges in docs/trade.md, section 10: open after 20 to 90 s and closed 3 to 15 min later; after 2 to
# 15 min and 0.5 to 4. Half a minute is the stage's own.
AIRLESS_RATES, SOME_AIR_RATES = (1.2, 0.15, 0.8), (0.18, 0.7, 2.5)
# How likely each of the two is: without its wheel there is no air, with a dirty filter there is mostly some.
NO_AIR, MOSTLY_SOME = (1.0, 0.0), (0.05, 0.95)
# What an erratic part fails of its starts: anything between, as likely on a scale of ratios (the same section).
START_SHARES = np.geomspace(0.05, 0.8, 7)
# A weak breaker trips cold after 13.4 min of its load: 3 to 60 min hold nine in ten (the same section).
TRIP_MINUTES, TRIP_LOG_WIDTH = 13.4, 0.91
# Where no clock tells how long it was loaded it trips one time in four from one reading to the next. Then it stays off,
# but for one time in a thousand that somebody resets it and keeps no word of it. A breaker found off is switched on
# between two readings one time in ten: whoever finds it off does it sooner or later; one time in a hundred without a
# change on record between the two.
TRIP_SHARE, RESET_SHARE, SET_SHARE, UNSAID_SHARE = 0.25, 0.001, 0.1, 0.01
# How often it trips in the minute or so between the last reading under a call for heat and the next call: twice what
# its hazard gives for one minute, since nobody counts it.
LEFT_SHARE = 0.05
# Where nobody knows how long strips have heated without air, or by what call, their limits stand open one minute in
# three; and now and then one has opened sooner than any should.
UNTIMED_OPEN_SHARE, LEAST_OPEN_SHARE = 0.35, 0.02
# No reading takes less [min]: a clock that did not move between two was not looked at.
LEAST_MINUTES = 0.33
# What leaves every strip without air.
AIRLESS = ("air", "blower.hub")


def weigh_sequences(
    model: UnitModel,
    conditions: Sequence[Condition],
    strips: Sequence[str],
    predicted: Floats,
    quiet: Floats,
    limits: Limits,
) -> tuple[Floats, Floats]:
    """Return the log density of the whole sequence for each of `model.passing`, and what each reading saw of it.

    Args:
        model: The unit's hypotheses.
        conditions: Under which each reading was taken, in their order.
        strips: The circuit each reading tells of, where it tells of one alone.
        predicted: One row a reading, one column a passing row: its density while the fault is there.
        quiet: The same while it is not.
        limits: The shop's windows.
    Returns:
        One entry a passing row; and one row a reading, one column a passing row: how likely the fault was there.
    Source:
        docs/trade.md, section 9: a trip takes its whole feed and stays, a slow stage is silent before its own time and
        on after it; section 10: how fast each moves.
    """
    logs, there = np.zeros(len(model.passing)), np.ones((len(conditions), len(model.passing)))
    if not conditions:
        return logs, there
    whole = list(range(len(conditions)))
    by_strip = [[row for row in whole if strips[row] == strip] for strip in dict.fromkeys(strips)]

    def weigh(columns: list[int], sequences: Sequence[list[int]]) -> tuple[Floats, Floats]:
        entries = [model.passing[i] for i in columns]
        way, log, shares = _way_of(entries[0].fault), np.zeros(len(columns)), np.ones((len(conditions), len(columns)))
        for rows in sequences:
            at = np.ix_(rows, columns)
            found, shares[rows] = way(model, [conditions[i] for i in rows], entries, predicted[at], quiet[at], limits)
            log += found
        return log, shares

    devices = {device.id for device in model.plate.devices}
    groups: dict[tuple[object, bool, bool], list[int]] = {}
    for column, entry in enumerate(model.passing):
        key = (_way_of(entry.fault), entry.fault.part in AIRLESS, entry.fault.part in devices)
        groups.setdefault(key, []).append(column)
    for (_, opens_limits, is_device), columns in groups.items():
        # Limits move each at its own time: what is read of one strip is a sequence of its own.
        logs[columns], there[:, columns] = weigh(columns, by_strip if opens_limits else [whole])
        if is_device and len(by_strip) > 1:
            # One tired heater brings its poles together or each at its own time.
            apart, shares = weigh(columns, by_strip)
            is_apart = np.exp(apart - np.logaddexp(logs[columns], apart))
            logs[columns] = np.logaddexp(logs[columns], apart) - math.log(2)
            there[:, columns] += is_apart * (shares - there[:, columns])
    return logs, there


_Way = Callable[[UnitModel, Sequence[Condition], Sequence[Passing], Floats, Floats, Limits], tuple[Floats, Floats]]


def _way_of(fault: Fault) -> _Way:
    """Return what weighs a fault's readings as a sequence."""
    if fault.shows == "late":
        return _late
    if fault.shows == "now and then":
        return _by_starts if place_of(fault.part).part == "delay" else _limit
    return _trips


def _by_starts(
    _: UnitModel, conditions: Sequence[Condition], __: Sequence[Passing], predicted: Floats, quiet: Floats, ___: Limits
) -> tuple[Floats, Floats]:
    """At each start it fails or does not, and stays as it is until the next; how often is not known."""
    starts: list[list[int]] = []
    for row, condition in enumerate(conditions):
        if row and _minutes_between(conditions[row - 1], condition) is not None:
            starts[-1].append(row)
        else:
            starts.append([row])
    fails, holds = (np.array([np.log(density[rows]).sum(axis=0) for rows in starts]) for density in (predicted, quiet))
    # One row a share, one a start.
    each = np.array([np.logaddexp(np.log(share) + fails, np.log1p(-share) + holds) for share in START_SHARES])
    whole: Floats = np.logaddexp.reduce(each.sum(axis=1), axis=0) - np.log(len(START_SHARES))
    mean = float(START_SHARES.mean())
    failed = np.exp(np.log(mean) + fails - np.logaddexp(np.log(mean) + fails, np.log1p(-mean) + holds))
    of_start = [number for number, rows in enumerate(starts) for _row in rows]
    return whole, failed[of_start]


def _limit(
    _: UnitModel,
    conditions: Sequence[Condition],
    entries: Sequence[Passing],
    predicted: Floats,
    quiet: Floats,
    __: Limits,
) -> tuple[Floats, Floats]:
    """A limit starts closed, opens after minutes of heat and closes again, as fast as its air lets it."""
    ways = [
        _switches(predicted, quiet, *_opened(conditions, len(entries), *rates))
        for rates in (AIRLESS_RATES, SOME_AIR_RATES)
    ]
    air = np.array([NO_AIR if entry.fault.part == "blower.hub" else MOSTLY_SOME for entry in entries]).T
    logs = np.array([log for log, _there in ways]) + np.log(np.maximum(air, 1e-12))
    shares = np.array([there for _log, there in ways])
    whole: Floats = np.logaddexp.reduce(logs, axis=0)
    own = np.exp(logs - whole)
    return whole, (own[:, None, :] * shares).sum(axis=0)


def _opened(
    conditions: Sequence[Condition], count: int, opens: float, closes: float, after: float
) -> tuple[Floats, Floats]:
    """Return how likely a limit opened, and closed, before each reading and after the one before it."""
    settled, rate = opens / (opens + closes), opens + closes
    off, on = [], []
    for row, condition in enumerate(conditions):
        passed = _minutes_between(conditions[row - 1], condition) if row else None
        if passed is None:
            # A new call, or nobody kept its clock: closed when it began, whatever it was before.
            minutes = _heat_minutes(condition)
            share = settled if minutes is None else _opened_after(minutes, opens, closes, after)
            off.append(share)
            on.append(1 - share)
        else:
            moved = 1 - math.exp(-rate * max(passed, LEAST_MINUTES))
            off.append(settled * moved)
            on.append((1 - settled) * moved)
    return (np.repeat(np.array(shares)[:, None], count, axis=1) for shares in (off, on))  # type: ignore[return-value]


def airless_share(condition: Condition) -> float:
    """Return how likely a limit stands open where strips heat without air: closed at first, then open most of the time.

    Source:
        docs/trade.md, section 10: open 20 to 90 s after the heat, closed 3 to 15 min later.
    """
    minutes = _heat_minutes(condition)
    if minutes is None:
        return UNTIMED_OPEN_SHARE
    return max(LEAST_OPEN_SHARE, _opened_after(minutes, *AIRLESS_RATES))


def _opened_after(minutes: float, opens: float, closes: float, after: float) -> float:
    """Return how likely a limit that was closed when the call began stands open so many minutes later."""
    return opens / (opens + closes) * (1 - math.exp(-(opens + closes) * max(0.0, minutes - after)))


def _heat_minutes(condition: Condition) -> float | None:
    """Return how long heat has been called [min]; nothing where nobody kept its clock."""
    seconds = [condition.call_seconds(call) for call in condition.heat]
    known = [value for value in seconds if value is not None]
    return max(known) / 60 if known and len(known) == len(seconds) else None


def _minutes_between(before: Condition, after: Condition) -> float | None:
    """Return what passed between two readings under one standing call [min]; nothing where the call is another."""
    passed = before.seconds_to(after)
    if before.on != after.on or not passed or min(passed) < 0:
        return None
    return max(passed) / 60


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


def _trips(
    model: UnitModel,
    conditions: Sequence[Condition],
    entries: Sequence[Passing],
    predicted: Floats,
    quiet: Floats,
    _: Limits,
) -> tuple[Floats, Floats]:
    """Off from some moment on until it is reset; or from the first on until somebody switches it on."""
    return _switches(predicted, quiet, *_shares(model, conditions, entries))


def _shares(model: UnitModel, conditions: Sequence[Condition], entries: Sequence[Passing]) -> tuple[Floats, Floats]:
    """Return how likely each fault's breaker went off, and came back on, before each reading.

    One that has grown weak goes after minutes under load, one ahead of a short as soon as heat is called; both stay
    off. One that is found off is switched on sooner or later.
    """
    under_heat = [bool(condition.heat) for condition in conditions]
    weak = [TRIP_SHARE, *(_trips_between(*both) for both in pairwise(conditions))]
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


def _trips_between(before: Condition, after: Condition) -> float:
    """Return how likely a weak breaker went between two readings: by the minutes it carried its load."""
    if not before.heat and not after.heat:
        return RESET_SHARE
    passed, minutes = _minutes_between(before, after), _heat_minutes(after) if after.heat else 0.0
    if minutes is None:
        return TRIP_SHARE
    if passed is None:
        # Other calls: loaded since they began, and before that for what was left of the call before.
        held = (1 - _tripped_by(minutes)) * (1 - (LEFT_SHARE if before.heat else 0.0))
        return max(RESET_SHARE, 1 - held)
    held = 1 - _tripped_by(minutes - passed)
    return max(RESET_SHARE, (_tripped_by(minutes) - 1 + held) / held)


def _tripped_by(minutes: float) -> float:
    """Return the share of weak breakers that have tripped after so many minutes of load."""
    if minutes <= 0:
        return 0.0
    return NormalDist().cdf(math.log(minutes / TRIP_MINUTES) / TRIP_LOG_WIDTH)


def _set_shares(conditions: Sequence[Condition]) -> list[float]:
    """Return how likely a breaker was switched on before each reading and after the one before it."""
    shares = [SET_SHARE]
    for before, after in pairwise(conditions):
        passed = before.seconds_to(after)
        since, was = after.seconds_since_change, before.seconds_since_change
        # By the clock of a call that stands, or by that of the last change, which runs on.
        runs_on = not before.on & after.on and None not in (since, was) and 0 < (was or 0.0) < (since or 0.0)
        unchanged = runs_on or (bool(passed) and since is not None and 0 <= max(passed) <= since)
        shares.append(UNSAID_SHARE if unchanged else SET_SHARE)
    return shares


def _late(
    model: UnitModel,
    conditions: Sequence[Condition],
    entries: Sequence[Passing],
    predicted: Floats,
    quiet: Floats,
    limits: Limits,
) -> tuple[Floats, Floats]:
    """Silent before its own time and on after it, the same time for every reading, wherever between two of them."""
    # Each column's readings by how long they had been called: its own time falls before, between or after them.
    passed = _windows_passed(model, conditions, entries, limits)
    order = np.argsort(passed, axis=0)
    bad, good, times = (
        np.take_along_axis(table, order, axis=0) for table in (np.log(predicted), np.log(quiet), passed)
    )
    nothing = np.zeros((1, passed.shape[1]))
    silent = np.vstack([nothing, np.cumsum(bad, axis=0)])
    after = np.vstack([np.cumsum(good[::-1], axis=0)[::-1], nothing])
    survives = np.vstack([nothing + 1.0, _still_silent(times), nothing])
    share = np.maximum(survives[:-1] - survives[1:], 1e-12)
    logs = silent + after + np.log(share)
    whole: Floats = np.logaddexp.reduce(logs, axis=0)
    # Silent at a reading: its own time lies behind it.
    there = np.cumsum(np.exp(logs - whole)[::-1], axis=0)[::-1][1:]
    back = np.empty_like(there)
    np.put_along_axis(back, order, there, axis=0)
    return whole, back


def _still_silent(windows: Floats) -> Floats:
    """Return the share of late parts that are silent after so many of their windows; none without a call."""
    passed = np.log(np.clip(windows, 1.0, LATEST_WINDOWS)) / math.log(LATEST_WINDOWS)
    return np.where(np.isinf(windows), 0.0, 1.0 - (1.0 - LATER_SHARE) * passed)


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
