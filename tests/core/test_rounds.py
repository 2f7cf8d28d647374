"""Rounds: the order against every order there is, stops that cannot be, who stands apart in a fleet."""

from itertools import pairwise, permutations
from random import Random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plentar.core.rounds.outliers import outliers_of
from plentar.core.rounds.route import DAY_MINUTES, HOME, Route, Shift, Stop, Ways, plan_route
from plentar.words import render

BLOCKS = "ABCDEFGH"
DAY = Shift(person="p", day=0, from_minute=480, to_minute=1020, capacity_minutes=540)


def way_of(order: tuple[str, ...], ways: Ways) -> float:
    """Minutes of an order of blocks, from home and back: added up by hand, not by the planner."""
    whole = (HOME, *order, HOME)
    return sum(ways.minutes(a, b) for a, b in pairwise(whole))


@settings(max_examples=12)
@given(count=st.integers(1, 8), seed=st.integers(0, 10_000))
def test_up_to_eight_stops_the_way_is_the_shortest_of_all(count: int, seed: int) -> None:
    """Every order is tried by brute force; the plan is as short as the best of them."""
    random = Random(seed)  # noqa: S311
    blocks = (HOME, *BLOCKS[:count])
    known = {(a, b): float(random.randint(2, 40)) for a in blocks for b in blocks if a < b}
    ways = Ways(known)
    stops = [Stop(id=block, name=block, block=block, minutes=10) for block in BLOCKS[:count]]
    plan = plan_route(stops, [DAY], ways)
    best = min(way_of(order, ways) for order in permutations(BLOCKS[:count]))
    assert not plan.left_out
    assert plan.travel_minutes == pytest.approx(best)


def kept(plan: Route, ways: Ways) -> None:
    """What every plan keeps, whoever made it: no stop twice, hours, capacity, and time enough on the way."""
    assert len({entry.stop.id for entry in plan.placed}) == len(plan.placed)
    by_shift: dict[Shift, list[tuple[int, Stop]]] = {}
    for entry in plan.placed:
        by_shift.setdefault(entry.shift, []).append((entry.begins_minute, entry.stop))
    for shift, own in by_shift.items():
        day, where = shift.day * DAY_MINUTES, HOME
        free = float(day + shift.from_minute)
        for start, stop in own:
            assert start >= free + ways.minutes(where, stop.block) - 0.5
            assert day + stop.from_minute <= start <= day + stop.to_minute - stop.minutes + 0.5
            free, where = start + stop.minutes, stop.block
        assert free + ways.minutes(where, HOME) <= day + shift.to_minute + 0.5


def test_hours_of_people_and_places_are_kept_and_the_same_twice() -> None:
    """Forty units, two people, three days, some at home only in the morning: all placed, and no other plan tomorrow."""
    ways = Ways({(HOME, "A"): 8.0, (HOME, "B"): 9.0, ("A", "B"): 2.0})
    stops = [
        Stop(
            id=str(n),
            name=f"No. {n}",
            block="ABC"[n % 3],
            minutes=35,
            from_minute=480,
            to_minute=720 if n % 5 == 0 else 1020,
            day=1 if n == 7 else None,
        )
        for n in range(40)
    ]
    shifts = [
        Shift(person=p, day=d, from_minute=480, to_minute=1020, capacity_minutes=480) for d in range(3) for p in "ab"
    ]
    plan = plan_route(stops, shifts, ways)
    kept(plan, ways)
    assert not plan.left_out
    assert ("A", "C") in plan.guessed or ("B", "C") in plan.guessed or (HOME, "C") in plan.guessed
    assert next(entry.shift.day for entry in plan.placed if entry.stop.id == "7") == 1
    assert plan_route(stops, shifts, ways) == plan


@pytest.mark.parametrize(
    ("stop", "words"),
    [
        (Stop(id="x", name="No. 9", block="A", minutes=60, from_minute=600, to_minute=630), "do not fit"),
        (Stop(id="x", name="No. 9", block="A", minutes=30, from_minute=1100, to_minute=1200), "nobody is available"),
        (Stop(id="x", name="No. 9", block="A", minutes=30, day=4), "nobody is available"),
    ],
)
def test_an_impossible_stop_is_named_with_its_window(stop: Stop, words: str) -> None:
    """The others are planned; this one says which it is, when, and why not."""
    other = Stop(id="y", name="No. 1", block="A", minutes=30)
    plan = plan_route([stop, other], [DAY], Ways({}))
    assert [entry.stop.id for entry in plan.placed] == ["y"]
    [(left, why)] = plan.left_out
    assert left is stop
    assert render(why).startswith("No. 9")
    assert words in render(why)
    if stop.day is None:
        assert f"{stop.from_minute // 60:02d}:" in render(why)


def test_what_does_not_fit_into_the_days_is_told() -> None:
    """Twenty hours of work do not go into nine."""
    stops = [Stop(id=str(n), name=f"No. {n}", block="A", minutes=60) for n in range(20)]
    plan = plan_route(stops, [DAY], Ways({}))
    kept(plan, Ways({}))
    assert len(plan.placed) + len(plan.left_out) == 20
    assert all("no room" in render(why) for _, why in plan.left_out)


def season(random: Random, parts: dict[str, float], meter: float) -> dict[str, float]:
    """What a meter with its own error reads of parts, to a tenth of an amp of twenty."""
    return {name: round(20.8 * ratio * meter, 1) / 20.8 for name, ratio in parts.items()}


def test_a_drift_of_eight_percent_is_found_and_hardly_anything_else() -> None:
    """200 rounds of twelve units: parts from −10 to +5 % of rated, the meter ±2 % anew, one drifts by 8 %."""
    found = false = 0
    for draw in range(200):
        random = Random(draw)  # noqa: S311
        parts = {str(n): random.uniform(0.90, 1.05) for n in range(12)}
        one = str(random.randrange(12))
        before = season(random, parts, random.uniform(0.98, 1.02))
        this = season(random, parts | {one: parts[one] * 0.92}, random.uniform(0.98, 1.02))
        named = {outlier.id for outlier in outliers_of(this, before)}
        found += one in named
        # At most one beside it, in every single round.
        others = named - {one}
        assert len(others) <= 1
        false += len(others)
    assert found >= 180
    assert false <= 20


def test_few_like_units_say_nothing() -> None:
    """Four units have no middle to stand apart from."""
    assert outliers_of({"a": 1.0, "b": 1.0, "c": 1.0, "d": 0.5}, {}) == ()
