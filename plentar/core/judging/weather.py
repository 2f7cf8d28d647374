"""Whether a unit's heat is enough for the weather: heat pump and strips against what the house loses.

What is guessed is a range, and says so: a verdict holds over all of it, or is not proven.
"""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Literal

from plentar.core.errors import ReadingError
from plentar.core.judging.heat_pump import (
    HIGH_POINT_DEGF,
    LOW_POINT_DEGF,
    HeatPump,
    House,
    balance_degf,
    hours_to_recover,
    strip_watts_needed,
)
from plentar.core.judging.timing import stages_of
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Grade
from plentar.core.message import Text, joined, message
from plentar.core.unit.electrical import BTU_PER_HOUR_PER_WATT
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.supply_path import COLDEST_DEGF
from plentar.core.unit.warmth import HOTTEST_DEGF, HousePlate

__all__ = ["ColdWeatherPlan", "HeatStage", "Range", "Weather", "house_range", "pump_range", "weather_of"]

# Least and most.
Range = tuple[float, float]
PumpState = Literal["runs", "locked-out", "unused", "none", "unknown"]

# A ton is 12,000 Btu/h by definition, near its 47 °F rating; at 17 °F a single-speed pump gives 9/16 of it, as the
# 24/13.5 kBtu/h one of docs/trade.md, section 7. Both are guesses within a seventh.
BTU_PER_HOUR_PER_TON, AT_17_SHARE, TONS_SPREAD = 12_000.0, 13.5 / 24.0, 0.15
# Loss by area, Btu/h·°F a square foot: a new tight house, a usual one, an old leaky one; within a third either way.
LOSS_BY_BUILD: Mapping[str, float] = {"tight": 0.18, "usual": 0.28, "leaky": 0.42}
AREA_SPREAD = 0.30
# docs/trade.md, section 7: a light house takes 3 to 6 Btu/°F a square foot.
MASS_PER_SQUARE_FOOT: Range = (3.0, 6.0)
# A house counts as steady after two hours within a degree: before, its walls still give or take.
STEADY_HOURS, STEADY_SWING_DEGF = 2.0, 1.0
# A steady state's own doubt: a degree of swing over some sixty, and the heat by a clamp.
STEADY_SPREAD = 0.05
# docs/trade.md, section 7: defrost calls W for no more than ten minutes, below about 40 °F.
DEFROST_SECONDS, DEFROST_BELOW_DEGF = 600.0, 40.0
# A pump gives two to three times what it draws in the cold: a stated guess where nobody read its watts.
COP_GUESS: Range = (2.0, 3.0)
# Less apart than this is one figure in kilowatts.
SAME_WATTS = 100.0


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatStage:
    """One strip tonight: what it gives [W], whether it comes, and what is short without it [W, least and most]."""

    strip: str
    name: str
    watts: float
    is_on: bool
    short_without_watts: Range
    # How much of a ten-minute defrost it heats in; None where no defrost happens.
    defrost_share: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class ColdWeatherPlan:
    """One way to run the cold end: watts drawn an hour, what it is short by, and a word on comfort."""

    name: Text
    drawn_watts: Range
    short_watts: Range
    comfort: Text
    cost: Range | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Weather:
    """A unit's heat held against the weather.

    Attributes:
        outdoor_degf: Outdoors [°F].
        held_degf: What the house is to be held at [°F].
        pump: What the heat pump does now.
        capacity: What it gives [Btu/h].
        loss: What the house loses [Btu/h]; None while nobody told.
        needed_watts: What the strips must carry [W].
        emergency_watts: What they would have to alone [W].
        strip_watts: What the strips that come give [W]; `whole_watts` all of them.
        balance: The outdoor temperature the heat pump alone just holds [°F].
        stages: Each strip tonight.
        hours: From where it is to what it is held at [h]; infinite is never.
        grade: Pass: enough over the whole range; fail: short over all of it; else not proven.
        words: The answer in a line.
        notes: What else is worth a word.
        missing: What keeps it from being proven.
    """

    outdoor_degf: float
    held_degf: float
    pump: PumpState
    capacity: Range
    loss: Range | None
    needed_watts: Range | None
    emergency_watts: Range | None
    strip_watts: float
    whole_watts: float
    balance: Range | None
    stages: tuple[HeatStage, ...]
    hours: Range | None
    design_watts: Range | None
    schools: tuple[ColdWeatherPlan, ...]
    grade: Grade
    words: Text
    notes: tuple[Text, ...]
    missing: tuple[Text, ...]

    @property
    def short_watts(self) -> Range | None:
        """What is missing with the strips that come, least and most [W]; never below nothing."""
        return None if self.needed_watts is None else _less(self.needed_watts, self.strip_watts)


def _less(needed: Range, have: float) -> Range:
    return max(0.0, needed[0] - have), max(0.0, needed[1] - have)


def pump_range(plate: Nameplate) -> tuple[HeatPump, HeatPump] | None:
    """Return the heat pump at its least and at its most; None where there is none or nothing is known of it.

    Source:
        docs/trade.md, section 7: two rating points, or tons with a stated guess.
    """
    known = plate.heat_pump
    if known is None:
        return None
    high, low = known.at_47_btu_per_hour, known.at_17_btu_per_hour
    if high is not None and low is not None:
        pump = HeatPump(at_47_btu_per_hour=high, at_17_btu_per_hour=low)
        return pump, pump
    tons = known.tons or plate.tons
    if high is None and tons is None:
        return None
    at_47 = high if high is not None else BTU_PER_HOUR_PER_TON * (tons or 0.0)

    def scaled(share: float) -> HeatPump:
        top = at_47 * (1.0 if high is not None else share)
        return HeatPump(at_47_btu_per_hour=top, at_17_btu_per_hour=AT_17_SHARE * at_47 * share)

    return scaled(1 - TONS_SPREAD), scaled(1 + TONS_SPREAD)


def house_range(house: HousePlate | None) -> tuple[Range, Text] | None:
    """Return what a house loses a degree, least and most [Btu/h·°F], and how that is known; None while nobody told.

    Source:
        docs/trade.md, section 7: a steady state seen, a design point, or area with a stated guess, the surest first.
    Example:
        >>> house_range(HousePlate(design_btu_per_hour=27000, design_outdoor_degf=10.0))[0]
        (450.0, 450.0)
    """
    if house is None:
        return None
    steady = house.steady
    if steady is not None and steady.hours >= STEADY_HOURS and steady.swing_degf <= STEADY_SWING_DEGF:
        loss = steady.heat_btu_per_hour / (steady.indoor_degf - steady.outdoor_degf)
        return (loss * (1 - STEADY_SPREAD), loss * (1 + STEADY_SPREAD)), message("weather.by-steady")
    if house.design_btu_per_hour is not None and house.design_outdoor_degf is not None:
        loss = house.design_btu_per_hour / (house.design_indoor_degf - house.design_outdoor_degf)
        return (loss, loss), message("weather.by-design")
    if house.area_square_feet is not None:
        loss = LOSS_BY_BUILD[house.build] * house.area_square_feet
        words = message("weather.by-area", feet=house.area_square_feet, spread=100 * AREA_SPREAD)
        return (loss * (1 - AREA_SPREAD), loss * (1 + AREA_SPREAD)), words
    return None


def weather_of(
    plate: Nameplate,
    outdoor_degf: float,
    *,
    indoor_degf: float | None = None,
    dead: Collection[str] = (),
    read: Collection[str] | None = None,
    supply_volts: float | None = None,
    is_emergency: bool = False,
    limits: Limits = DEFAULT_LIMITS,
    price_kwh: float | None = None,
) -> Weather:
    """Hold a unit's heat against the weather.

    Args:
        plate: The unit, with what is known of its heat pump and its house.
        outdoor_degf: Outdoors [°F].
        indoor_degf: Where the house is now [°F]; None where nobody looked.
        dead: Strips that do not come.
        read: Strips that were read right under heat; None where nobody reads, as at a desk: every one is taken to come.
        supply_volts: Volts at the strips; the service's nominal ones where nobody read them.
        is_emergency: Emergency heat: strips alone.
        limits: The shop's, for the stages' windows.
        price_kwh: The shop's price of a kilowatt hour.
    Raises:
        ReadingError: A temperature no weather has.
    Source:
        docs/trade.md, section 7.
    """
    for name, degf in (("outdoor", outdoor_degf), ("indoor", indoor_degf)):
        if degf is not None and not COLDEST_DEGF <= degf <= HOTTEST_DEGF:
            raise ReadingError(f"expected {COLDEST_DEGF:g} to {HOTTEST_DEGF:g} °F, got {degf:g}", field=name)
    held = plate.house.held_degf if plate.house is not None else 70.0
    pumps, state = pump_range(plate), _state(plate, outdoor_degf, is_emergency=is_emergency)
    runs = state == "runs"
    capacity = _capacity(pumps, outdoor_degf) if runs else (0.0, 0.0)
    known = house_range(plate.house)
    source = known[1] if known is not None else ""
    volts = plate.nominal_volts if supply_volts is None else supply_volts
    strips = {c.id: volts**2 / c.element_ohms for c in plate.circuits}
    held_back = _held_back(plate, outdoor_degf)
    coming = {name: watts for name, watts in strips.items() if name not in {*dead, *held_back}}
    have, whole = sum(coming.values()), sum(strips.values())
    missing = _missing(plate, pumps, known is not None)
    needed = _needed(pumps if runs else None, known[0], held, outdoor_degf) if known is not None else None
    design = plate.house.design_outdoor_degf if plate.house is not None else None
    stages = _stages(plate, strips, coming, needed, outdoor_degf, limits, has_defrost=runs)
    names = [circuit.id for circuit in plate.circuits]
    seen = StripsSeen(
        dead=any(name in dead for name in names),
        are_read=read is not None and set(names) <= {*read, *dead, *held_back},
        is_desk=read is None,
    )
    grade, words = _answer(needed, have, whole, seen, missing, outdoor_degf)
    return Weather(
        outdoor_degf=outdoor_degf,
        held_degf=held,
        pump=state,
        capacity=capacity,
        loss=None if known is None else _lost(known[0], held, outdoor_degf),
        needed_watts=needed,
        emergency_watts=None if known is None else _needed(None, known[0], held, outdoor_degf),
        strip_watts=have,
        whole_watts=whole,
        balance=_balance(pumps, known[0], held) if pumps is not None and known is not None else None,
        stages=stages,
        hours=_hours(plate, known[0], capacity, have, outdoor_degf, indoor_degf, held) if known is not None else None,
        design_watts=_needed(pumps if runs else None, known[0], held, design)
        if known is not None and design is not None
        else None,
        schools=_schools(plate, pumps, known[0], held, outdoor_degf, whole, price_kwh) if known is not None else (),
        grade=grade,
        words=words,
        notes=tuple(_notes(plate, state, source, pumps, stages, held_back, outdoor_degf)),
        missing=tuple(missing),
    )


def _state(plate: Nameplate, outdoor_degf: float, *, is_emergency: bool) -> PumpState:
    pump = plate.heat_pump
    if pump is None:
        return "none"
    if pump.is_used in ("no", "wrong-thermostat"):
        return "unused"
    if is_emergency or (pump.lockout_degf is not None and outdoor_degf < pump.lockout_degf):
        return "locked-out"
    return "runs" if pump_range(plate) is not None else "unknown"


def _held_back(plate: Nameplate, outdoor_degf: float) -> set[str]:
    """Return the strips behind an outdoor thermostat that is open in this weather."""
    pump, call = plate.heat_pump, plate.outdoor_thermostat
    if pump is None or call is None or pump.stage_degf is None or outdoor_degf < pump.stage_degf:
        return set()
    return {c.id for c in plate.circuits if plate.call_of(c.device) == call}


def _capacity(pumps: tuple[HeatPump, HeatPump] | None, outdoor_degf: float) -> Range:
    if pumps is None:
        return 0.0, 0.0
    return pumps[0].capacity_btu_per_hour(outdoor_degf), pumps[1].capacity_btu_per_hour(outdoor_degf)


def _lost(loss: Range, held_degf: float, outdoor_degf: float) -> Range:
    least, most = (House(loss_btu_per_hour_degf=one).loss_btu_per_hour(held_degf, outdoor_degf) for one in loss)
    return least, most


def _needed(pumps: tuple[HeatPump, HeatPump] | None, loss: Range, held_degf: float, outdoor_degf: float) -> Range:
    """Return what the strips must carry: a small loss beside a large pump, and the reverse [W]."""
    least, most = House(loss_btu_per_hour_degf=loss[0]), House(loss_btu_per_hour_degf=loss[1])
    small, large = pumps if pumps is not None else (None, None)
    return (
        strip_watts_needed(large, least, held_degf, outdoor_degf),
        strip_watts_needed(small, most, held_degf, outdoor_degf),
    )


def _balance(pumps: tuple[HeatPump, HeatPump], loss: Range, held_degf: float) -> Range:
    return (
        balance_degf(pumps[1], House(loss_btu_per_hour_degf=loss[0]), held_degf),
        balance_degf(pumps[0], House(loss_btu_per_hour_degf=loss[1]), held_degf),
    )


def _hours(
    plate: Nameplate,
    loss: Range,
    capacity: Range,
    have_watts: float,
    outdoor_degf: float,
    indoor_degf: float | None,
    held_degf: float,
) -> Range | None:
    """Return how long it takes from where the house is, quickest and slowest; infinite is never [h]."""
    house = plate.house
    if house is None or indoor_degf is None:
        return None
    masses: Range
    if house.mass_btu_per_degf is not None:
        masses = house.mass_btu_per_degf, house.mass_btu_per_degf
    elif house.area_square_feet is not None:
        masses = (
            MASS_PER_SQUARE_FOOT[0] * house.area_square_feet,
            MASS_PER_SQUARE_FOOT[1] * house.area_square_feet,
        )
    else:
        return None
    found = [
        hours_to_recover(
            House(loss_btu_per_hour_degf=one, mass_btu_per_degf=mass),
            given + have_watts * BTU_PER_HOUR_PER_WATT,
            outdoor_degf=outdoor_degf,
            start_degf=indoor_degf,
            wanted_degf=held_degf,
        )
        for one, mass, given in zip(loss, masses, reversed(capacity), strict=True)
    ]
    return found[0], found[1]


def _stages(
    plate: Nameplate,
    strips: Mapping[str, float],
    coming: Mapping[str, float],
    needed: Range | None,
    outdoor_degf: float,
    limits: Limits,
    *,
    has_defrost: bool,
) -> tuple[HeatStage, ...]:
    seconds = {stage.id: stage.on.max_seconds for stage in stages_of(plate, limits)[1:]}
    defrosts = has_defrost and outdoor_degf < DEFROST_BELOW_DEGF
    return tuple(
        HeatStage(
            strip=circuit.id,
            name=circuit.name,
            watts=strips[circuit.id],
            is_on=circuit.id in coming,
            short_without_watts=(0.0, 0.0)
            if needed is None
            else _less(needed, sum(w for name, w in coming.items() if name != circuit.id)),
            defrost_share=max(0.0, 1 - seconds[circuit.id] / DEFROST_SECONDS) if defrosts else None,
        )
        for circuit in plate.circuits
    )


def _missing(plate: Nameplate, pumps: tuple[HeatPump, HeatPump] | None, has_loss: bool) -> list[Text]:
    missing: list[Text] = []
    if not has_loss:
        missing.append(_not_steady(plate) or message("weather.missing-loss"))
    if plate.heat_pump is not None and pumps is None:
        missing.append(message("weather.missing-capacity", warm=HIGH_POINT_DEGF, cold=LOW_POINT_DEGF))
    if any(plate.rating_is_assumed(circuit.id) for circuit in plate.circuits):
        missing.append(message("weather.missing-watts"))
    return missing


def _not_steady(plate: Nameplate) -> Text:
    """Return why what was seen of a house is no steady state; nothing where it is one, or none was seen."""
    steady = plate.house.steady if plate.house is not None else None
    if steady is None or (steady.hours >= STEADY_HOURS and steady.swing_degf <= STEADY_SWING_DEGF):
        return ""
    return message("weather.not-steady", within=STEADY_SWING_DEGF, hours=steady.hours, swing=steady.swing_degf)


@dataclass(frozen=True, slots=True, kw_only=True)
class StripsSeen:
    """What is known of the strips: whether one is dead, all the others were read right, or nobody reads at all."""

    dead: bool
    are_read: bool
    is_desk: bool


def _answer(
    needed: Range | None, have: float, whole: float, seen: StripsSeen, missing: list[Text], outdoor_degf: float
) -> tuple[Grade, Text]:
    """Return the verdict and its words: enough, short by so much though all is right, short for what is dead."""
    if needed is None or missing:
        return Grade.NOT_PROVEN, message("weather.not-proven", missing=joined(missing))
    least, most = _less(needed, have)
    need, gives, low, high = needed[1] / 1000, have / 1000, least / 1000, most / 1000
    if most <= 0 and not (seen.are_read or seen.is_desk):
        return Grade.NOT_PROVEN, message("weather.enough-if", outdoor=outdoor_degf, needed=need, have=gives)
    if most <= 0:
        return Grade.PASS, message("weather.enough", outdoor=outdoor_degf, needed=need, have=gives)
    if least <= 0:
        return Grade.NOT_PROVEN, message("weather.may-be-short", outdoor=outdoor_degf, most=high)
    if seen.dead and needed[0] <= whole:
        return Grade.FAIL, message("weather.short-dead", outdoor=outdoor_degf, most=high)
    if seen.dead:
        still = max(0.0, needed[1] - whole) / 1000
        return Grade.FAIL, message("weather.short-and-dead", outdoor=outdoor_degf, most=high, whole=still)
    short: Text = message("weather.kilowatts", most=high)
    if most - least >= SAME_WATTS:
        short = message("weather.kilowatts-range", least=low, most=high)
    # That all strips are right is said only where each was read.
    if seen.are_read:
        return Grade.FAIL, message("weather.short", outdoor=outdoor_degf, short=short)
    return Grade.FAIL, message("weather.short-even", outdoor=outdoor_degf, short=short)


def _notes(
    plate: Nameplate,
    state: PumpState,
    source: Text,
    pumps: tuple[HeatPump, HeatPump] | None,
    stages: Collection[HeatStage],
    held_back: Collection[str],
    outdoor_degf: float,
) -> list[Text]:
    notes: list[Text] = [source] if source else []
    if source and (unsteady := _not_steady(plate)):
        notes.append(message("weather.not-counted", seen=unsteady))
    pump = plate.heat_pump
    if pump is not None:
        if pumps is not None and pumps[0] != pumps[1]:
            notes.append(message("weather.by-tons", spread=100 * TONS_SPREAD))
        if state == "unused":
            key = "weather.wrong-thermostat" if pump.is_used == "wrong-thermostat" else "weather.unused"
            notes.append(message(key))
        if pump.lockout_degf is not None:
            key = "weather.locked-out" if outdoor_degf < pump.lockout_degf else "weather.lockout-stuck"
            notes.append(message(key, degf=pump.lockout_degf))
    if plate.outdoor_thermostat is not None:
        behind = [c.name for c in plate.circuits if plate.call_of(c.device) == plate.outdoor_thermostat]
        key = "weather.staged-open" if held_back else "weather.staged-shut"
        notes.append(message(key, call=plate.outdoor_thermostat, strips=joined(behind)))
    slow = [stage.name for stage in stages if stage.defrost_share is not None and stage.defrost_share <= 0]
    if slow:
        notes.append(message("weather.never-in-defrost", strips=joined(slow)))
    return notes


def _schools(
    plate: Nameplate,
    pumps: tuple[HeatPump, HeatPump] | None,
    loss: Range,
    held_degf: float,
    outdoor_degf: float,
    whole_watts: float,
    price_kwh: float | None,
) -> tuple[ColdWeatherPlan, ...]:
    """Return the ways to run the cold end with what each draws an hour: docs/trade.md, section 7."""
    if pumps is None:
        return ()
    alone = _needed(None, loss, held_degf, outdoor_degf)
    beside = _needed(pumps, loss, held_degf, outdoor_degf)
    drawn = _pump_watts(plate, pumps, outdoor_degf)

    def school(name: str, needed: Range, extra: Range) -> ColdWeatherPlan:
        watts = (min(needed[0], whole_watts) + extra[0], min(needed[1], whole_watts) + extra[1])
        return ColdWeatherPlan(
            name=message(f"weather.school-{name}"),
            drawn_watts=watts,
            short_watts=_less(needed, whole_watts),
            comfort=message(f"weather.comfort-{name}"),
            cost=None if price_kwh is None else (watts[0] / 1000 * price_kwh, watts[1] / 1000 * price_kwh),
        )

    return (
        school("lock-out", alone, (0.0, 0.0)),
        school("staged", beside, drawn),
        school("sensor", beside, drawn),
        school("removed", beside, drawn),
    )


def _pump_watts(plate: Nameplate, pumps: tuple[HeatPump, HeatPump], outdoor_degf: float) -> Range:
    """Return what the compressor draws: between its two rated figures, else a third to a half of its heat [W]."""
    known = plate.heat_pump
    if known is not None and known.watts_at_47 is not None and known.watts_at_17 is not None:
        slope = (known.watts_at_47 - known.watts_at_17) / 30.0
        watts = max(0.0, known.watts_at_17 + slope * (outdoor_degf - 17.0))
        return watts, watts
    least, most = (pump.capacity_btu_per_hour(outdoor_degf) / BTU_PER_HOUR_PER_WATT for pump in pumps)
    return least / COP_GUESS[1], most / COP_GUESS[0]
