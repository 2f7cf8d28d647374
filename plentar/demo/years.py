"""Three years behind the demo's shop: a round each autumn, this one's half done; a link that opened three times."""

from collections.abc import Iterator, Sequence
from datetime import date, timedelta
from random import Random

from plentar.core.evidence.events import Action, Caused, Closed, Fitted, Marked
from plentar.core.evidence.reading import Condition
from plentar.core.judging.air import air_factor, expected_rise_degf
from plentar.core.unit.electrical import expected_element_amps
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import amps_at, line_volts, point_at

__all__ = [
    "DONE_SHARE",
    "LINK_DAYS",
    "LINK_PLACE",
    "OVERDUE",
    "SEASONS",
    "Part",
    "ahead",
    "link_call",
    "ratio_of",
    "round_days",
    "season_call",
]

# Days ago of the first day of each round; the last is this autumn's, half done.
SEASONS = (1096, 731, 366)
DONE_SHARE = 20
# Place → strip and how far it fell since last season.
DRIFTED = {("Tamarisk Court 12", "strip-b"): 0.92, ("Tamarisk Court 17", "strip-a"): 0.90}
LINK_PLACE = "Tamarisk Court 21"
LINK_DAYS = (1010, 620, 215)
OVERDUE = "Tamarisk Court 33"

# A reading: point, value, condition; or any other action.
Part = tuple[float, "Action | tuple[str, float, Condition]"]


def ratio_of(place: str, strip: str, season: int) -> float:
    """Return how much of its rated current a strip draws in a season, the first counted 0; the same every time."""
    made = Random(f"{place}/{strip}")  # noqa: S311 - sample data, the same every time
    ratio = made.uniform(0.93, 1.03)
    # Wire thins by a few parts in a thousand a year.
    ratio *= 1.0 - made.uniform(0.0005, 0.004) * season
    return ratio * (DRIFTED.get((place, strip), 1.0) if season == len(SEASONS) else 1.0)


def season_call(place: str, plate: Nameplate, season: int) -> Iterator[Part]:
    """Give a healthy check's actions, each with its minute: volts without and with load, each strip, the blower."""
    random = Random(f"{place}/{season}")  # noqa: S311
    meter = Random(f"meter/{season}").uniform(0.985, 1.015)  # noqa: S311 - one meter a season, off by one share
    feeds = tuple((feed.id, "live") for feed in plate.feeds)
    idle = Condition(feeds=feeds, seconds_since_change=300.0)  # type: ignore[arg-type]
    calls = tuple((name, 400.0) for name in ("W", "W2") if name in plate.calls)
    heat = Condition(feeds=feeds, calls=calls, seconds_since_change=400.0)  # type: ignore[arg-type]
    volts = plate.nominal_volts * random.uniform(0.99, 1.015)
    loaded = volts * random.uniform(0.985, 0.994)
    for feed in plate.feeds:
        yield 4.0, (line_volts(feed.id), round(volts, 1), idle)
        yield 13.0, (line_volts(feed.id), round(loaded, 1), heat)
    for number, circuit in enumerate(plate.circuits):
        healthy = expected_element_amps(circuit.rated_watts, circuit.rated_volts, loaded)
        amps = healthy * ratio_of(place, circuit.id, season) * meter
        yield 15.0 + number, (amps_at(circuit.id), round(amps, 1), heat)
    worn = 0.82 + 0.012 * season + random.uniform(0, 0.02)
    yield 23.0, (amps_at("blower"), round(plate.blower.rated_amps * worn, 1), heat)
    # The filter of some is fuller each year; the wheel gathers what passes it.
    airflow = (plate.tons or 3.0) * 400.0 * (1.0 - Random(f"{place}/air").uniform(0.0, 0.06) * season)  # noqa: S311
    indoors = random.uniform(66.0, 70.0)
    watts = sum(c.rated_watts for c in plate.circuits) * (loaded / plate.circuits[0].rated_volts) ** 2 * 0.97
    yield 24.0, (point_at("degf", "return"), round(indoors, 1), heat)
    rise = expected_rise_degf(watts, airflow, air_factor(0.0, indoors + 10.0))
    yield 25.0, (point_at("degf", "supply"), round(indoors + rise, 1), heat)
    if season == 0:
        yield 26.0, Marked(what="date", about="blower.capacitor", words="2019")
    yield 28.0, Closed(outcome="Seasonal check: all readings within band.")


def link_call(number: int) -> Sequence[Part]:
    """Give a call on which strip B's link was found open again and replaced, its cause not found."""
    heat = Condition(feeds=(("feed-1", "live"),), calls=(("W", 600.0),), seconds_since_change=600.0)
    title = "Fusible link of Strip B open"
    return (
        (10.0, (line_volts("feed-1"), 238.4, heat)),
        (12.0, (amps_at("strip-a"), 20.3, heat)),
        (13.0, (amps_at("strip-b"), 0.0, heat)),
        (20.0, Caused(faults=("strip-b.link.open",), title=title, cause_not_found=True, share=0.96)),
        (34.0, Fitted(name="Fusible link of the element's rating", minutes=20, price=9.5)),
        (48.0, Closed(outcome=f"Link of strip B replaced, the {('first', 'second', 'third')[number]} time.")),
    )


def round_days(today: date, count: int) -> list[date]:
    """Return the last working days before today, as many as asked, earliest first."""
    found: list[date] = []
    day = today
    while len(found) < count:
        day -= timedelta(days=1)
        if day.weekday() < 5:
            found.append(day)
    return found[::-1]


def ahead(today: date, count: int) -> list[date]:
    """Return the next working days, as many as asked."""
    found: list[date] = []
    day = today
    while len(found) < count:
        day += timedelta(days=1)
        if day.weekday() < 5:
            found.append(day)
    return found
