"""In which order and on which day a round goes to its units: shortest ways, inside the hours of people and places.

Time is in whole minutes from the first day's midnight. Ways are known between some blocks; between others a guess
stands in and is told as one. The order is found by a routing solver from a fixed seed, so the same round is planned
the same way twice.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from pyvrp import Model
from pyvrp.stop import MaxIterations, MaxRuntime, MultipleCriteria

from plentar.core.message import Text, message

__all__ = [
    "DAY_MINUTES",
    "GUESSED_MINUTES",
    "HOME",
    "WITHIN_BLOCK_MINUTES",
    "Placed",
    "Route",
    "Shift",
    "Stop",
    "Ways",
    "plan_route",
]

DAY_MINUTES = 24 * 60
# The block every day begins and ends at.
HOME = ""
# From one door to the next with the bag, and between blocks nobody has timed yet.
WITHIN_BLOCK_MINUTES, GUESSED_MINUTES = 3.0, 15.0
# Eight stops are solved exactly in a few hundred rounds of the search, sixty well in some thousand; two seconds is what
# somebody waits for a plan, and on any machine of today the rounds end first.
SEED, ROUNDS, MOST_SECONDS = 20, 1500, 2.0
# Tenths of a minute: the solver counts whole numbers.
TENTHS = 10
# A stop that is left out costs more than any way could.
LEFT_OUT = 1_000_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Stop:
    """One unit to check: where, how long it takes, and when it may be come to, if not always.

    `day` is counted from the first; `from_minute` and `to_minute` are of that day, or of any where `day` is None.
    """

    id: str
    name: str
    block: str
    minutes: float
    day: int | None = None
    from_minute: int = 0
    to_minute: int = DAY_MINUTES


@dataclass(frozen=True, slots=True, kw_only=True)
class Shift:
    """One person's day: its hours, and how many minutes of them may be worked and driven."""

    person: str
    day: int
    from_minute: int
    to_minute: int
    capacity_minutes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Placed:
    """One stop of the plan: whose day, which place in it, when it begins [minutes from the first midnight]."""

    stop: Stop
    shift: Shift
    begins_minute: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Route:
    """The whole plan: stops in their order, those that fit nowhere with why, minutes on the way, ways guessed."""

    placed: tuple[Placed, ...]
    left_out: tuple[tuple[Stop, Text], ...]
    travel_minutes: float
    guessed: frozenset[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class Ways:
    """Minutes between blocks; `known` names each pair once, the lesser block first."""

    known: Mapping[tuple[str, str], float]

    def minutes(self, a: str, b: str) -> float:
        """Return the minutes between two blocks, known or guessed.

        Example:
            >>> Ways({("A", "B"): 4.0}).minutes("B", "A"), Ways({}).minutes("A", "A"), Ways({}).minutes("A", "C")
            (4.0, 3.0, 15.0)
        """
        if a == b:
            return WITHIN_BLOCK_MINUTES
        return self.known.get((min(a, b), max(a, b)), GUESSED_MINUTES)

    def is_guessed(self, a: str, b: str) -> bool:
        """Tell whether nobody has timed this way."""
        return a != b and (min(a, b), max(a, b)) not in self.known


def plan_route(stops: Sequence[Stop], shifts: Sequence[Shift], ways: Ways) -> Route:
    """Return the shortest plan found that keeps everybody's hours.

    Args:
        stops: What is to be come to.
        shifts: Who comes, on which days.
        ways: Minutes between blocks; the shop itself is the block named `HOME`.
    Source:
        A vehicle routing problem with time windows, by PyVRP: a shift is a vehicle, a stop left out pays a prize.
    """
    possible = [stop for stop in stops if not _why_never(stop, shifts)]
    left_out = [(stop, _why_never(stop, shifts)) for stop in stops if _why_never(stop, shifts)]
    if not possible:
        return Route(placed=(), left_out=tuple(left_out), travel_minutes=0.0, guessed=frozenset())
    order = _solved(possible, shifts, ways)
    placed: list[Placed] = []
    travel, guessed = 0.0, set()
    for shift, own in order:
        at, where = float(_start(shift)), HOME
        for stop in own:
            travel += ways.minutes(where, stop.block)
            if ways.is_guessed(where, stop.block):
                guessed.add((min(where, stop.block), max(where, stop.block)))
            at = max(at + ways.minutes(where, stop.block), float(_window(stop, shift)[0]))
            placed.append(Placed(stop=stop, shift=shift, begins_minute=round(at)))
            at, where = at + stop.minutes, stop.block
        if own:
            travel += ways.minutes(where, HOME)
    here = {entry.stop.id for entry in placed}
    left_out += [(stop, _no_room(stop)) for stop in possible if stop.id not in here]
    return Route(placed=tuple(placed), left_out=tuple(left_out), travel_minutes=travel, guessed=frozenset(guessed))


def _start(shift: Shift) -> int:
    return shift.day * DAY_MINUTES + shift.from_minute


def _window(stop: Stop, shift: Shift) -> tuple[int, int]:
    """Return when a stop may begin and end on a shift's day."""
    day = shift.day * DAY_MINUTES
    return day + stop.from_minute, day + stop.to_minute


def _why_never(stop: Stop, shifts: Sequence[Shift]) -> Text:
    """Return why no shift could ever take a stop, or nothing: its own hours are too short, or nobody comes then."""
    if stop.to_minute - stop.from_minute < stop.minutes:
        return message("rounds.window-too-short", stop=stop.name, window=_hours(stop), minutes=stop.minutes)
    for shift in shifts:
        overlap = min(shift.to_minute, stop.to_minute) - max(shift.from_minute, stop.from_minute)
        if (stop.day is None or stop.day == shift.day) and overlap >= stop.minutes <= shift.capacity_minutes:
            return ""
    return message("rounds.nobody-then", stop=stop.name, window=_hours(stop))


def _no_room(stop: Stop) -> Text:
    return message("rounds.no-room", stop=stop.name, window=_hours(stop))


def _hours(stop: Stop) -> Text:
    begin, end = (f"{minute // 60:02d}:{minute % 60:02d}" for minute in (stop.from_minute, stop.to_minute))
    if stop.day is None and stop.from_minute == 0 and stop.to_minute >= DAY_MINUTES:
        return message("rounds.any-hour")
    if stop.day is None:
        return message("rounds.window", begin=begin, end=end)
    return message("rounds.window-on", day=stop.day + 1, begin=begin, end=end)


def _solved(stops: Sequence[Stop], shifts: Sequence[Shift], ways: Ways) -> list[tuple[Shift, list[Stop]]]:
    """Return each shift's stops in order."""
    model = Model()
    home = model.add_location(0, 0)
    depot = model.add_depot(home)
    places = [model.add_location(0, 0) for _ in stops]
    owners: list[Stop] = []
    for stop, place in zip(stops, places, strict=True):
        spans = _spans(stop, shifts)
        # Hours of any day are a visit a day, of which one is made.
        group = model.add_client_group(required=False) if len(spans) > 1 else None
        for early, late in spans:
            model.add_client(
                place,
                service_duration=round(TENTHS * stop.minutes),
                tw_early=TENTHS * early,
                # Its window ends when the work is done, not when it begins.
                tw_late=max(TENTHS * early, round(TENTHS * (late - stop.minutes))),
                required=False,
                prize=LEFT_OUT,
                group=group,
            )
            owners.append(stop)
    for shift in shifts:
        model.add_vehicle_type(
            start_depot=depot,
            end_depot=depot,
            tw_early=TENTHS * _start(shift),
            tw_late=TENTHS * (shift.day * DAY_MINUTES + shift.to_minute),
            shift_duration=TENTHS * shift.capacity_minutes,
        )
    blocks = [HOME, *(stop.block for stop in stops)]
    whole = [home, *places]
    for a, one in enumerate(whole):
        for b, other in enumerate(whole):
            tenths = 0 if a == b else round(TENTHS * ways.minutes(blocks[a], blocks[b]))
            model.add_edge(one, other, distance=tenths, duration=tenths)
    stop_when = MultipleCriteria([MaxIterations(ROUNDS), MaxRuntime(MOST_SECONDS)])
    result = model.solve(stop_when, seed=SEED, collect_stats=False, display=False)
    found: list[tuple[Shift, list[Stop]]] = []
    for route in result.best.routes():
        own = [owners[activity.idx] for activity in route if activity.is_client()]
        found.append((shifts[route.vehicle_type()], own))
    found.sort(key=lambda entry: (entry[0].day, entry[0].person))
    return found


def _spans(stop: Stop, shifts: Sequence[Shift]) -> list[tuple[int, int]]:
    """Return when a stop may be come to, on the whole axis: its day's hours, or each day's where it names none."""
    if stop.day is None and stop.from_minute == 0 and stop.to_minute >= DAY_MINUTES:
        days = [shift.day for shift in shifts]
        return [(min(days) * DAY_MINUTES, (max(days) + 1) * DAY_MINUTES)]
    own = sorted({shift.day for shift in shifts}) if stop.day is None else [stop.day]
    return [(day * DAY_MINUTES + stop.from_minute, day * DAY_MINUTES + stop.to_minute) for day in own]
