"""Heat against the weather as a drawing: what the house loses, what the heat pump gives, what each strip adds."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from plentar.core.judging.weather import Weather, house_range, pump_range
from plentar.core.unit.electrical import BTU_PER_HOUR_PER_WATT
from plentar.core.unit.nameplate import Nameplate
from plentar.words.figures import chosen, degree_sign, degrees, thousands

__all__ = ["WeatherChart", "weather_chart"]

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 360.0, 240.0, 44.0, 352.0, 28.0, 204.0
COLDEST, WARMEST, STEP = -10, 60, 10
KBTU = 1000.0


@dataclass(frozen=True, slots=True, kw_only=True)
class WeatherChart:
    """Everything the template writes; bands are closed paths between least and most."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]
    loss: str
    capacity: str
    # Each line of strips on top of the heat pump, with its name where it ends.
    strips: tuple[tuple[str, str, float], ...]
    today: tuple[float, str]
    balance: tuple[float, float, str] | None
    degree_sign: str
    spoken: str


def weather_chart(plate: Nameplate, weather: Weather) -> WeatherChart | None:
    """Return the chart; None while nobody told what the house loses."""
    known = house_range(plate.house)
    if known is None:
        return None
    pumps = pump_range(plate) if weather.pump in ("runs", "locked-out") else None
    lockout = plate.heat_pump.lockout_degf if plate.heat_pump is not None else None
    every = [float(degf) for degf in range(COLDEST, WARMEST + 1)]

    def given(degf: float, end: int) -> float:
        if pumps is None or (lockout is not None and degf < lockout):
            return 0.0
        return pumps[end].capacity_btu_per_hour(degf)

    def lost(degf: float, end: int) -> float:
        return max(0.0, known[0][end] * (weather.held_degf - degf))

    watts = [stage.watts * BTU_PER_HOUR_PER_WATT for stage in weather.stages]
    top = max(max(lost(d, 1) for d in every), max(given(d, 1) for d in every) + sum(watts))
    unit = 10 if top < 70 * KBTU else 20 if top < 140 * KBTU else 50
    most = (int(top / KBTU / unit) + 1) * unit * KBTU

    def x(degf: float) -> float:
        return round(LEFT + (RIGHT - LEFT) * (degf - COLDEST) / (WARMEST - COLDEST), 1)

    def y(btu: float) -> float:
        return round(BOTTOM - (BOTTOM - TOP) * btu / most, 1)

    def band(of: "Sequence[tuple[float, float, float]]") -> str:
        lower = [f"{x(d)} {y(low)}" for d, low, _ in of]
        upper = [f"{x(d)} {y(high)}" for d, _, high in reversed(of)]
        return "M " + " L ".join([*lower, *upper]) + " Z"

    added, lines = 0.0, []
    for stage, own in zip(weather.stages, watts, strict=True):
        if stage.is_on:
            added += own
            path = "M " + " L ".join(f"{x(d)} {y((given(d, 0) + given(d, 1)) / 2 + added)}" for d in every)
            lines.append((path, stage.name, y((given(COLDEST, 0) + given(COLDEST, 1)) / 2 + added)))
    balance = None
    if weather.balance is not None and pumps is not None:
        middle = sum(weather.balance) / 2
        if COLDEST < middle < WARMEST:
            heat = (lost(middle, 0) + lost(middle, 1)) / 2
            balance = (x(middle), y(heat), degrees(middle))
    shown = min(max(weather.outdoor_degf, COLDEST), WARMEST)
    return WeatherChart(
        width=WIDTH,
        height=HEIGHT,
        left=LEFT,
        right=RIGHT,
        top=TOP,
        bottom=BOTTOM,
        x_ticks=tuple(_ticks(x)),
        y_ticks=tuple((y(k * KBTU), f"{k}") for k in range(0, int(most / KBTU) + 1, unit)),
        loss=band([(d, lost(d, 0), lost(d, 1)) for d in every if d <= weather.held_degf]),
        capacity=band([(d, given(d, 0), given(d, 1)) for d in every]) if pumps is not None else "",
        strips=tuple(lines),
        today=(x(shown), f"today {degrees(weather.outdoor_degf)}"),
        balance=balance,
        degree_sign=degree_sign(),
        spoken=_spoken(weather),
    )


def _ticks(x: Callable[[float], float]) -> Iterator[tuple[float, str]]:
    """Return round degrees of the kind that is shown."""
    is_celsius = chosen().is_celsius
    for round_one in range(-100, 101, STEP // 2 if is_celsius else STEP):
        degf = round_one * 1.8 + 32 if is_celsius else round_one
        if COLDEST <= degf <= WARMEST:
            yield x(degf), f"{round_one}"


def _spoken(weather: Weather) -> str:
    loss = "" if weather.loss is None else f"The house loses {thousands(weather.loss[1])} Btu/h"
    heat = weather.capacity[0] + weather.strip_watts * BTU_PER_HOUR_PER_WATT
    return f"At {degrees(weather.outdoor_degf)}: {loss}, heat pump and strips give {thousands(heat)} Btu/h."
