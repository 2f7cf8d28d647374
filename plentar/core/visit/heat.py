"""The air through the unit and its heat: watts into the air, rise, strips that heat, and the weather."""

import math
from collections.abc import Collection, Mapping

from plentar.core.evidence.events import Aired, Event
from plentar.core.evidence.reading import Reading
from plentar.core.judging.air import AirReading, AirVerdict, air_factor, judge_air, watts_in_airstream
from plentar.core.judging.heat_pump import judge_output
from plentar.core.judging.weather import Weather, pump_range, weather_of
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.unit.place import amps_at, line_volts
from plentar.core.visit import evidence, verdicts
from plentar.core.visit.state import VisitState, once
from plentar.core.visit_results import (
    AirResult,
    Airstream,
)

__all__ = [
    "air",
    "airs",
    "airstream",
    "asks_weather",
    "dead_strips",
    "left_to_heat",
    "pump_output",
    "sound_strips",
    "weather",
]

# Two thermometers of a degree each.
AIR_DEGF = math.sqrt(2)
WEATHER_COMPLAINTS = ("not enough heat", "cold in defrost or on cold nights")


def airstream(visit: VisitState, at: Event | None = None) -> Airstream | None:
    """Return the watts into the air by what was read under heat; None without volts and a strip.

    Args:
        at: The measurement of the air they are wanted for: of the unit as it was then, and not read later. None
            for now.
    """
    is_now = at is None or evidence.is_of_now(visit, at)
    under = [
        entry.reading
        for entry in evidence.standing(visit)
        if entry.reading.condition.heat
        and evidence.is_of_now(visit, entry.event) is is_now
        and (at is None or entry.event.done_at <= at.done_at)
    ]
    newest = {reading.point: reading for reading in under}
    strips = {c.id: newest[amps_at(c.id)].value for c in visit.plate.circuits if amps_at(c.id) in newest}
    # Any feed's volts do: a strip's watts need them within a percent or two.
    line = next((r for f in visit.plate.feeds if (r := newest.get(line_volts(f.id)))), None)
    blower = newest.get(amps_at("blower"))
    strips |= _by_totals(visit, newest, strips, blower.value if blower else None)
    if line is None or not strips:
        return None
    watts = watts_in_airstream(visit.plate, line.value, strips, blower.value if blower else None)
    # Worst case: volts and every clamp wrong the same way.
    points = [*map(amps_at, strips), *(amps_at(feed.id) for feed in visit.plate.feeds)]
    clamped = [newest[point] for point in points if point in newest]
    share = line.meter_uncertainty / max(line.value, 1) + sum(reading.meter_uncertainty for reading in clamped) / max(
        sum(strips.values()), 1.0
    )
    return Airstream(
        volts=line.value,
        strips=strips,
        blower_amps=blower.value if blower else None,
        watts=watts,
        uncertainty=watts * share,
        missing=tuple(c.name for c in visit.plate.circuits if c.id not in strips),
    )


def _by_totals(
    visit: VisitState, newest: Mapping[str, Reading], clamped: Mapping[str, float], blower_amps: float | None
) -> dict[str, float]:
    """Return the amps of strips nobody clamped, by their feed's total: what it leaves, shared by their rated amps."""
    plate, found = visit.plate, dict[str, float]()
    for feed in plate.feeds:
        total = newest.get(amps_at(feed.id))
        own = plate.circuits_on(feed.id)
        left = [c for c in own if c.id not in clamped]
        if total is None or not left:
            continue
        is_here = plate.feed_of(plate.blower.supplied_by) == feed.id
        motor = (plate.blower.running_amps if blower_amps is None else blower_amps) if is_here else 0.0
        rest = max(0.0, total.value - motor - sum(clamped[c.id] for c in own if c.id in clamped))
        rated = sum(c.rated_watts / c.rated_volts for c in left)
        found |= {c.id: rest * (c.rated_watts / c.rated_volts) / rated for c in left}
    return found


@once
def airs(visit: VisitState) -> list[AirResult]:
    """Air measurements that stand, oldest first, each with the watts of its own time."""
    found = [_air(visit, event, action) for event, action in visit.record.airs]
    return sorted((entry for entry in found if entry is not None), key=lambda entry: entry.event.done_at)


@once
def pump_output(visit: VisitState) -> Verdict | None:
    """What the heat pump gave by itself: its rise under Y alone, at the airflow found under the strips."""
    flow = next((air.verdict for air in reversed(airs(visit)) if air.verdict.cfm is not None), None)
    alone = [(e, d) for e, d in visit.record.airs if d.condition.is_called("Y") and not d.condition.heat]
    if flow is None or flow.cfm is None or not alone:
        return None
    _, action = alone[-1]
    degrees = [_degrees(visit, name) for name in (action.return_reading, action.supply_reading)]
    if degrees[0] is None or degrees[1] is None:
        return None
    rise, factor = degrees[1] - degrees[0], air_factor(action.altitude_feet, sum(degrees) / 2)  # type: ignore[arg-type]
    found = flow.cfm * factor * rise
    share = math.hypot(flow.cfm_uncertainty / flow.cfm, AIR_DEGF / max(abs(rise), 1.0))
    return judge_output(pump_range(visit.plate), visit.outdoor_degf, found, abs(found) * share, visit.limits)


def _air(visit: VisitState, event: Event, action: Aired) -> AirResult | None:
    is_pump_on = action.condition.is_called("Y")
    if is_pump_on and not action.condition.heat:
        # The heat pump by itself: it tells of its own heat.
        return None
    degrees = [_degrees(visit, name) for name in (action.return_reading, action.supply_reading)]
    stream = airstream(visit, event)
    if stream is None or degrees[0] is None or degrees[1] is None:
        return None
    # Steady since the last call that was added.
    steady = min((s for _, s in action.condition.calls if s is not None), default=None)
    reading = AirReading(
        watts=stream.watts,
        watts_uncertainty=stream.uncertainty,
        steady_seconds=steady if action.condition.heat else None,
        return_degf=degrees[0],
        supply_degf=degrees[1],
        altitude_feet=action.altitude_feet,
        is_pump_on=is_pump_on,
    )
    return AirResult(
        event=event,
        filter=action.filter,
        return_degf=degrees[0],
        supply_degf=degrees[1],
        altitude_feet=action.altitude_feet,
        verdict=judge_air(visit.plate, reading, visit.limits),
    )


def _degrees(visit: VisitState, event_id: str) -> float | None:
    """Return a temperature as it stands: what corrected it counts, voided it is none."""
    entry = visit.record.taken_by_id(event_id)
    while entry is not None and entry.void_reason:
        after = [other for other in visit.record.taken if other.action.supersedes == entry.id]
        entry = after[-1] if after else None
    return None if entry is None else entry.reading.value


@once
def air(visit: VisitState) -> AirVerdict | None:
    """The newest air measurement, judged."""
    return airs(visit)[-1].verdict if airs(visit) else None


def left_to_heat(visit: VisitState, off: Collection[str]) -> tuple[float, float]:
    """Watts the house has left with some stages, or whole feeds, off, and all there are [W]."""
    whole = visit.plate.total_rated_watts
    gone = [c for c in visit.plate.circuits if c.id in off or visit.plate.feed_of(c.supplied_by) in off]
    return whole - sum(circuit.rated_watts for circuit in gone), whole


@once
def dead_strips(visit: VisitState) -> tuple[str, ...]:
    """The strips that do not come: read dead under their call, or left off."""
    off = [name for _, action, done in visit.record.open_temporaries if not done for name in action.off]
    feeds = {d.feed for _, d, done in visit.record.open_temporaries if not done and d.feed and not d.off}
    found = []
    for circuit in visit.plate.circuits:
        entry = verdicts.latest_now(visit).get(amps_at(circuit.id))
        is_dead = entry is not None and entry.verdict.kind == "dead"
        is_off = circuit.id in off or visit.plate.feed_of(circuit.supplied_by) in feeds
        # On a smaller device the rest runs on: only a feed that is off takes all of its strips.
        if is_dead or is_off:
            found.append(circuit.id)
    return tuple(found)


@once
def sound_strips(visit: VisitState) -> tuple[str, ...]:
    """The strips that were read under heat on the unit as it is and passed."""
    found = []
    for circuit in visit.plate.circuits:
        entry = verdicts.latest_now(visit).get(amps_at(circuit.id))
        if entry is not None and entry.reading.condition.heat and entry.verdict.grade is Grade.PASS:
            found.append(circuit.id)
    return tuple(found)


@once
def weather(visit: VisitState) -> Weather | None:
    """The unit's heat against the weather; None while nobody said how cold it is."""
    if visit.outdoor_degf is None:
        return None
    under = [e.reading for e in evidence.standing_now(visit) if e.reading.condition.heat]
    line = next((r.value for f in visit.plate.feeds for r in reversed(under) if r.point == line_volts(f.id)), None)
    return weather_of(
        visit.plate,
        visit.outdoor_degf,
        indoor_degf=visit.indoor_degf,
        dead=dead_strips(visit),
        read=sound_strips(visit),
        supply_volts=line,
        limits=visit.limits,
        price_kwh=visit.price_kwh,
    )


@once
def asks_weather(visit: VisitState) -> bool:
    """True where the complaint may be the weather: its answer stands beside the suspects."""
    return any(complaint in WEATHER_COMPLAINTS for complaint in visit.complaints)
