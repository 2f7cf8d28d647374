"""Air: how much of it the heat and the temperature rise say there is, and what rise to expect.

Everything in the airstream counts: strips' volts × amps and the blower's own watts, with the heat pump locked out.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from plentar.core.errors import ReadingError
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Band, Grade, Verdict, grade
from plentar.core.message import Text, message
from plentar.core.unit.electrical import BTU_PER_HOUR_PER_WATT
from plentar.core.unit.nameplate import Nameplate

__all__ = [
    "AirReading",
    "AirVerdict",
    "air_factor",
    "airflow_cfm",
    "expected_rise_degf",
    "judge_air",
    "watts_in_airstream",
]

# A damp attic's air weighs less than half a percent more or less than this.
INDOOR_HUMIDITY = 0.4


@dataclass(frozen=True, slots=True, kw_only=True)
class AirReading:
    """What was measured: watts into the air [W], return and supply temperatures [°F], where [ft].

    `steady_seconds` is how long the same strips had run, None where nobody kept the clock. `*_uncertainty` are
    half-widths. With the heat pump on (`is_pump_on`) the watts are not all that heats the air.
    """

    watts: float
    return_degf: float
    supply_degf: float
    altitude_feet: float = 0.0
    steady_seconds: float | None = None
    watts_uncertainty: float = 0.0
    degf_uncertainty: float = 1.0
    is_pump_on: bool = False

    def __post_init__(self) -> None:
        if not 0 <= self.watts <= 80e3:
            raise ReadingError(f"expected watts from 0 to 80,000, got {self.watts:g}", field="watts")
        for name in ("return_degf", "supply_degf"):
            if not -20 <= getattr(self, name) <= 250:
                raise ReadingError(f"expected -20 to 250 °F, got {getattr(self, name):g}", field=name)
        if not -1500 <= self.altitude_feet <= 15_000:
            raise ReadingError(f"expected -1,500 to 15,000 ft, got {self.altitude_feet:g}", field="altitude_feet")

    @property
    def rise_delta_degf(self) -> float:
        """Supply over return [°F]."""
        return self.supply_degf - self.return_degf


@dataclass(frozen=True, slots=True, kw_only=True)
class AirVerdict:
    """Airflow with its uncertainty [CFM], the rise judged, the airflow judged against the tonnage."""

    cfm: float | None
    cfm_uncertainty: float
    air_factor: float
    rise: Verdict
    flow: Verdict


def air_factor(altitude_feet: float, degf: float) -> float:
    """Return Btu/h per CFM and °F of the air at hand: 1.08 for dry air of 70 °F at sea level, a little less when moist.

    Args:
        altitude_feet: Above sea level [ft].
        degf: Temperature of the air that the fan moves [°F].
    Source:
        docs/trade.md, section 2: 1.08 scales with air density, altitude and temperature. 60 min/h × 0.24 Btu/(lb °F) ×
        0.075 lb/ft³ = 1.08; density of moist air as an ideal gas, held equal to a psychrometrics library by a test.
    Example:
        >>> round(air_factor(0.0, 70.0), 2), round(air_factor(5000.0, 70.0), 2)
        (1.07, 0.89)
    """
    # Standard atmosphere, troposphere [psia].
    pressure: float = 14.696 * (1 - 6.8754e-6 * altitude_feet) ** 5.2559
    celsius = (degf - 32) / 1.8
    # Magnus: saturation pressure of water, within half a percent of the tables between 0 and 60 °C.
    vapour = INDOOR_HUMIDITY * 0.088643 * math.exp(17.62 * celsius / (243.12 + celsius))
    ratio = 0.621945 * vapour / (pressure - vapour)
    # One pound of dry air and its moisture as ideal gases [ft³/lb].
    volume = 0.370486 * (degf + 459.67) * (1 + 1.607858 * ratio) / pressure
    return 1.08 * (1 + ratio) / volume / 0.075


def airflow_cfm(watts: float, rise_delta_degf: float, factor: float = 1.08) -> float:
    """Return the airflow that a rise means [CFM].

    Args:
        watts: Everything that heats the airstream [W].
        rise_delta_degf: Supply over return [°F].
        factor: Btu/h per CFM and °F, see `air_factor`.
    Raises:
        ReadingError: A rise not above zero says nothing of airflow.
    Source:
        docs/trade.md, section 2: CFM = P · 3.412 / (1.08 · ΔT).
    Example:
        >>> round(airflow_cfm(10000.0, 30.0))
        1053
    """
    if rise_delta_degf <= 0:
        raise ReadingError(f"expected a rise above zero, got {rise_delta_degf:g} °F", field="supply_degf")
    return watts * BTU_PER_HOUR_PER_WATT / (factor * rise_delta_degf)


def expected_rise_degf(watts: float, cfm: float, factor: float = 1.08) -> float:
    """Return the rise these watts give this airflow [°F].

    Source:
        docs/trade.md, section 2: CFM = P · 3.412 / (1.08 · ΔT), solved for ΔT.
    """
    return watts * BTU_PER_HOUR_PER_WATT / (factor * cfm)


def watts_in_airstream(
    plate: Nameplate, volts: float, strip_amps: Mapping[str, float], blower_amps: float | None
) -> float:
    """Return the watts of the running strips and the blower [W]: volts × amps, a usual power factor for the motor.

    Source:
        docs/trade.md, section 2: P is strips plus blower.
    """
    # A motor that was not clamped still heats the air, by what its plate lets one expect.
    motor = plate.blower.running_amps if blower_amps is None else blower_amps
    return volts * (sum(strip_amps.values()) + motor * plate.blower.power_factor)


def judge_air(plate: Nameplate, reading: AirReading, limits: Limits = DEFAULT_LIMITS) -> AirVerdict:
    """Judge rise and airflow against the tonnage; without it both are not proven.

    Source:
        docs/trade.md, section 3, temperature rise.
    """
    # At the mean of both: the same air weighs less where it is warm.
    factor = air_factor(reading.altitude_feet, (reading.return_degf + reading.supply_degf) / 2)
    rise = reading.rise_delta_degf
    # Two thermometers, each wrong in its own way.
    spread = math.sqrt(2) * reading.degf_uncertainty
    heats = rise > 0 and reading.watts > 0 and not reading.is_pump_on
    cfm = airflow_cfm(reading.watts, rise, factor) if heats else None
    share = math.hypot(
        spread / rise if rise > 0 else 1.0, reading.watts_uncertainty / reading.watts if reading.watts else 1.0
    )
    return AirVerdict(
        cfm=cfm,
        cfm_uncertainty=(cfm or 0.0) * share,
        air_factor=factor,
        rise=_judge_rise(plate, reading, factor, spread, limits),
        flow=_judge_flow(plate, cfm, (cfm or 0.0) * share, limits, is_pump_on=reading.is_pump_on),
    )


def _judge_rise(plate: Nameplate, reading: AirReading, factor: float, spread: float, limits: Limits) -> Verdict:
    hottest, none = limits.number("hottest_rise_delta_degf"), limits.number("no_heat_rise_delta_degf")
    steady = limits.number("steady_seconds")
    per_ton = limits.number("cfm_per_ton_low"), limits.number("cfm_per_ton_high")
    rise = reading.rise_delta_degf
    base = Verdict(grade=Grade.NOT_PROVEN, value=rise, uncertainty=spread, unit="°F")
    # Hot air is wrong whatever the tonnage says: limits open next.
    if rise - spread > hottest:
        words = message("air.above-f-strips-are-short", hottest=hottest)
        return _made(base, Grade.FAIL, "too hot", words, message("air.filter-coil-wheel-speed-tap"))
    # Even the largest residential blower would warm its air by more than a quarter of this: the probe is elsewhere.
    if reading.watts > 1000 and rise + spread < 0.25 * expected_rise_degf(reading.watts, 2400.0, factor):
        words = message("air.watts-go-air-stays-cold")
        return _made(base, Grade.NOT_PROVEN, "no rise", words)
    # No watts and no rise agree: nothing heats.
    if abs(rise) <= none and reading.watts <= 1000:
        return _made(
            base,
            Grade.FAIL,
            "no strip running",
            message("air.hardly-any-rise-heat-called"),
            message("air.clamp-each-strip"),
        )
    if reading.is_pump_on:
        return _made(base, Grade.NOT_PROVEN, "", message("air.pump-heats-too"))
    if reading.steady_seconds is not None and reading.steady_seconds < steady:
        words = message("air.only-s-same-strips-wait", steady_seconds=reading.steady_seconds)
        return _made(base, Grade.NOT_PROVEN, "not steady", words)
    if plate.tons is None:
        return _made(base, Grade.NOT_PROVEN, "", message("air.tonnage-not-known-so-neither"))
    low, high = (expected_rise_degf(reading.watts, flow * plate.tons, factor) for flow in reversed(per_ton))
    around = limits.band("rise_ratio")
    band = Band(
        marginal_low=around.marginal_low * low,
        pass_low=around.pass_low * low,
        pass_high=around.pass_high * high,
        marginal_high=around.marginal_high * high,
        source=around.source,
    )
    result = grade(rise, spread, band)
    kind = "" if result is Grade.PASS else "high rise" if rise > high else "low rise"
    step = {"high rise": message("air.little-air-filter-coil-wheel"), "low rise": message("air.strip-missing-much-air")}
    words = message(
        "air.w-cfm-ton-should-rise",
        watts=reading.watts,
        low_cfm=per_ton[0],
        high_cfm=per_ton[1],
        low=low,
        high=high,
        pass_low=band.pass_low,
        pass_high=band.pass_high,
    )
    return _made(base, result, kind, words, step.get(kind, ""), band=band, expected=(low + high) / 2)


def _judge_flow(
    plate: Nameplate, cfm: float | None, uncertainty: float, limits: Limits, *, is_pump_on: bool
) -> Verdict:
    base = Verdict(grade=Grade.NOT_PROVEN, value=cfm or 0.0, uncertainty=uncertainty, unit="CFM")
    if is_pump_on:
        return _made(base, Grade.NOT_PROVEN, "", message("air.pump-heats-too"))
    if cfm is None:
        return _made(base, Grade.NOT_PROVEN, "", message("air.no-rise-no-airflow-work"))
    if plate.tons is None:
        return _made(base, Grade.NOT_PROVEN, "", message("air.tonnage-not-known-read-outdoor"))
    low, high = (plate.tons * limits.number(f"cfm_per_ton_{edge}") for edge in ("low", "high"))
    band = Band(marginal_low=0.8 * low, pass_low=low, pass_high=high, marginal_high=1.2 * high, source="default")
    result = grade(cfm, uncertainty, band)
    kind = "" if result is Grade.PASS else "little air" if cfm < low else "much air" if cfm > high else ""
    words = message("air.tons-want-cfm", tons=plate.tons, low=low, high=high)
    return _made(base, result, kind, words, band=band, expected=(low + high) / 2)


def _made(base: Verdict, result: Grade, kind: str, because: Text, step: Text = "", **changes: object) -> Verdict:
    return replace(base, grade=result, kind=kind, because=because, next_step=step, **changes)  # type: ignore[arg-type]
