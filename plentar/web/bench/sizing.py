"""Two calculators of the bench: a feed against its load, and heat against the weather. All of it is in the address."""

import re
from collections.abc import Mapping
from dataclasses import replace
from functools import cached_property
from typing import Any, ClassVar, Literal
from urllib.parse import urlencode
from uuid import UUID

from flask import abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.errors import NameplateError, PlentarError, ReadingError
from plentar.core.judging.feed import FeedLoad, SizingRule, load_of
from plentar.core.judging.feed_path import PathPart, governing, path_of, wire_runs
from plentar.core.judging.weather import Weather, weather_of
from plentar.core.limits.ampacity import WireRun
from plentar.core.unit.bare import bare_unit
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.supply_path import SIZES, Conductor, Disconnect, Feed, Lugs
from plentar.core.unit.warmth import HeatPumpPlate, HousePlate, SteadyState
from plentar.core.work.interim import Interim, interim_of
from plentar.formats.numbers import degrees_typed, parse_number
from plentar.screen.drawings.weather_chart import WeatherChart, weather_chart
from plentar.screen.feed_path import PathShown
from plentar.web.bench.views import bp
from plentar.web.call_layout.documents import attached
from plentar.web.call_layout.visits import own_call, read_visit
from plentar.web.serving.access import login_required
from plentar.words import render

__all__ = ["FeedBench", "WeatherBench"]

Typed = Mapping[str, str]
# The fields of a plate, by the names of the form that gives them.
FEED_FIELDS = {
    "watts": "kw", "rated_watts": "kw", "rated_volts": "rated", "nominal_volts": "volts", "rated_amps": "blower",
    "breaker_amps": "breaker", "minimum_circuit_amps": "mca", "maximum_device_amps": "most", "size": "size",
    "length_feet": "feet", "ambient_degf": "ambient", "carrying": "carrying", "smallest": "lug_from",
    "largest": "lug_to",
}  # fmt: skip
WEATHER_FIELDS = {
    "watts": "kw", "rated_watts": "kw", "at_47_btu_per_hour": "high", "at_17_btu_per_hour": "low", "tons": "tons",
    "watts_at_47": "watts47", "watts_at_17": "watts17", "lockout_degf": "lockout", "design_btu_per_hour": "design",
    "design_outdoor_degf": "design_out", "area_square_feet": "area", "mass_btu_per_degf": "mass", "held_degf": "held",
    "outdoor": "outdoor", "indoor": "indoor", "heat_btu_per_hour": "steady", "hours": "steady_hours",
    "swing_degf": "steady_swing", "indoor_degf": "steady_in", "outdoor_degf": "steady_out",
}  # fmt: skip

# Below zero too.
DEGREES = ("ambient", "lockout", "design_out", "held", "outdoor", "indoor", "steady_swing", "steady_in", "steady_out")
# What stands in an input before anybody typed.
FEED_USUAL: Typed = {
    "kw": "5 5", "rated": "240", "volts": "240", "blower": "3", "breaker": "60", "mca": "", "most": "",
    "metal": "copper", "size": "6", "feet": "40", "insulation": "75", "terminals": "75", "ambient": "86",
    "carrying": "2", "cable": "single", "opens": "two-pole", "disconnect": "", "lug_from": "", "lug_to": "",
    "marked": "", "call_id": "",
}  # fmt: skip
WEATHER_USUAL: Typed = {
    "kw": "5 5", "high": "24000", "low": "13500", "tons": "", "watts47": "", "watts17": "", "lockout": "",
    "used": "yes", "design": "27000", "design_out": "10", "area": "1600", "build": "usual", "mass": "",
    "held": "70", "outdoor": "15", "indoor": "60", "steady": "", "steady_hours": "", "steady_swing": "",
    "steady_in": "", "steady_out": "", "call_id": "",
}  # fmt: skip


class _Bench:
    """A calculator's form: what is typed, what is wrong with it, and the unit it makes."""

    usual: ClassVar[Typed]
    fields: ClassVar[Typed]

    def __init__(self, typed: Typed) -> None:
        self.typed = {**self.usual, **{name: text.strip()[:80] for name, text in typed.items() if name in self.known}}
        self.problems: dict[str, str] = {}
        self.plate = self._made()

    @property
    def known(self) -> set[str]:
        """The names of its inputs."""
        return {*self.usual, *self.fields.values()}

    def text(self, name: str) -> str:
        """What stands in an input."""
        return self.typed.get(name, "")

    @property
    def call_id(self) -> str:
        """The call it was opened from, where it is one."""
        try:
            return str(UUID(self.text("call_id")))
        except ValueError:
            return ""

    @property
    def query(self) -> str:
        """The address of this very bench."""
        return "?" + urlencode({name: text for name, text in self.typed.items() if text})

    def figure(self, name: str) -> float | None:
        """Return a number, None where nothing is typed; what cannot be read gets its message."""
        text = self.text(name)
        if not text:
            return None
        try:
            return degrees_typed(text, name) if name in DEGREES else parse_number(text, "plain")
        except ReadingError as error:
            self.problems[name] = render(error.message)
            return None

    def kilowatts(self) -> list[float]:
        """Return the strips [W]."""
        found = []
        for one in self.text("kw").replace("+", " ").replace(";", " ").split():
            if re.fullmatch(r"[0-9]+,[0-9]+", one):
                # Two strips to one person, one of so many tenths to another.
                self.problems["kw"] = (
                    f"“{one}” could mean two numbers. Type {one.replace(',', ' ')} or {one.replace(',', '.')}"
                )
                continue
            try:
                found.append(1000 * parse_number(one.strip(","), "plain"))
            except ReadingError as error:
                self.problems["kw"] = render(error.message)
        return found

    def _made(self) -> Nameplate | None:
        try:
            made = self.make()
        except PlentarError as error:
            leaf = (error.field or "").rpartition(".")[2]
            self.problems.setdefault(self.fields.get(leaf, leaf or "kw"), render(error.message))
            return None
        return made if not self.problems else None

    def make(self) -> Nameplate:
        """Return the unit of what is typed."""
        raise NotImplementedError


class FeedBench(_Bench):
    """A feed: strips, blower, breaker, wire, disconnect, lugs."""

    usual = FEED_USUAL
    fields = FEED_FIELDS

    def make(self) -> Nameplate:
        """Return the unit of what is typed; an empty input is not known."""
        # Read first, so that each slip has its message at once.
        strips, most = self.kilowatts(), self.figure("most")
        length, carrying = self.figure("feet"), self.figure("carrying")
        wire = None
        if self.text("size"):
            metal: Any = self.text("metal")
            if metal not in ("copper", "aluminium"):
                raise NameplateError("expected 'copper' or 'aluminium'", field="metal")
            wire = Conductor(
                metal=metal,
                size=self.text("size"),
                length_feet=1.0 if length is None else length,
                insulation_degc=self._one("insulation", 60, 75, 90),
                terminals_degc=self._one("terminals", 60, 75),
                ambient_degf=self.figure("ambient"),
                carrying=None if carrying is None else _whole(carrying),
                cable=self._word("cable", "jacketed", "single"),
            )
        rated = self._device("disconnect")
        feed = Feed(
            id="feed-1",
            breaker_amps=self.figure("breaker"),
            conductor=wire,
            opens=self._word("opens", "two-pole", "handle-tie", "fuses", "untied"),
            disconnect=Disconnect(kind="switch", rated_amps=rated) if rated is not None else None,
            lugs=Lugs(
                smallest=self.text("lug_from") or None,
                largest=self.text("lug_to") or None,
                marked_for=self._word("marked", "copper", "both"),
            ),
        )
        return bare_unit(
            strips,
            feed=feed,
            rated_volts=self._needed("rated"),
            nominal_volts=self._needed("volts"),
            blower_amps=self.figure("blower") or NO_BLOWER_AMPS,
            minimum_circuit_amps=self.figure("mca"),
            maximum_device_amps=most,
        )

    def _needed(self, name: str) -> float:
        found = self.figure(name)
        if name not in self.problems and (found is None or found <= 0):
            self.problems[name] = "expected volts such as 240"
        return found or 240.0

    def _device(self, name: str) -> float | None:
        found = self.figure(name)
        if found is not None and not 0 < found < 1000:
            self.problems[name] = f"expected a rating in amps above zero, got {found:g}"
            return None
        return found

    def _one(self, name: str, *known: int) -> Any:
        text = self.text(name)
        if text and text not in map(str, known):
            raise NameplateError(f"expected one of {', '.join(map(str, known))}, got {text!r}", field=name)
        return int(text) if text else None

    def _word(self, name: str, *known: str) -> Any:
        text = self.text(name)
        if text and text not in known:
            raise NameplateError(f"expected one of {', '.join(known)}, got {text!r}", field=name)
        return text or None

    @cached_property
    def parts(self) -> tuple[PathPart, ...]:
        """The path; strips and control side are no part of this question."""
        if self.plate is None:
            return ()
        kept = [part for part in path_of(self.plate) if part.kind != "control"]
        without = {"blower"} if not self.figure("blower") else set()
        return tuple(
            replace(part, missing=()) if part.kind == "strip" else part for part in kept if part.id not in without
        )

    @cached_property
    def path(self) -> PathShown:
        """The same, as it is shown."""
        return PathShown(self.parts)

    @property
    def load(self) -> FeedLoad:
        """What it carries."""
        assert self.plate is not None  # noqa: S101  asked for only where there is one
        return load_of(self.plate, "feed-1")

    # What the templates of the path ask of a feed and of a screen.
    name = "Feed"

    @property
    def schools(self) -> tuple[SizingRule, ...]:
        """The three schools' answers."""
        return self.parts[0].schools

    @property
    def governs(self) -> PathPart | None:
        """What lets the least through."""
        return governing(self.parts, "feed-1")

    @property
    def interim(self) -> Interim | None:
        """What may run until it is corrected."""
        return interim_of(self.plate, "feed-1") if self.plate is not None else None

    @property
    def wire(self) -> WireRun | None:
        """The wire at its best, for the formulas."""
        if self.plate is None or self.plate.feeds[0].conductor is None:
            return None
        return wire_runs(self.plate.feeds[0].conductor)[1]


# A blower on another circuit carries nothing here; the circuit needs some figure.
NO_BLOWER_AMPS = 1e-6


def _whole(value: float) -> int:
    if value != int(value):
        raise NameplateError(f"expected a whole number, got {value:g}", field="carrying")
    return int(value)


class WeatherBench(_Bench):
    """Heat pump, house, strips and weather."""

    usual = WEATHER_USUAL
    fields = WEATHER_FIELDS

    def make(self) -> Nameplate:
        """Return the unit of what is typed; an empty input is not known."""
        used: Any = self.text("used") or None
        if used not in (None, "yes", "no", "wrong-thermostat", "none"):
            raise NameplateError("expected yes, no or wrong-thermostat", field="used")
        pump = None
        if used != "none":
            pump = HeatPumpPlate(
                at_47_btu_per_hour=self.figure("high"),
                at_17_btu_per_hour=self.figure("low"),
                tons=self.figure("tons"),
                watts_at_47=self.figure("watts47"),
                watts_at_17=self.figure("watts17"),
                lockout_degf=self.figure("lockout"),
                is_used=used,
            )
        build: Any = self.text("build") or "usual"
        if build not in ("tight", "usual", "leaky"):
            raise NameplateError("expected tight, usual or leaky", field="build")
        held = self.figure("held")
        house = HousePlate(
            design_btu_per_hour=self.figure("design"),
            design_outdoor_degf=self.figure("design_out"),
            area_square_feet=self.figure("area"),
            build=build,
            mass_btu_per_degf=self.figure("mass"),
            held_degf=70.0 if held is None else held,
            steady=self._steady(),
        )
        return bare_unit(self.kilowatts(), heat_pump=pump, house=house)

    def _steady(self) -> SteadyState | None:
        names = ("steady", "steady_hours", "steady_swing", "steady_in", "steady_out")
        found = [self.figure(name) for name in names]
        if all(figure is None for figure in found):
            return None
        for name, figure in zip(names, found, strict=True):
            if figure is None and name not in self.problems:
                self.problems[name] = "fill in all of these fields, or leave all of them blank"
        if any(figure is None for figure in found):
            return None
        heat, hours, swing, indoor, outdoor = (figure or 0.0 for figure in found)
        return SteadyState(
            heat_btu_per_hour=heat, hours=hours, swing_degf=swing, indoor_degf=indoor, outdoor_degf=outdoor
        )

    @cached_property
    def weather(self) -> Weather | None:
        """The answer; None while something cannot be read."""
        outdoor, indoor = self.figure("outdoor"), self.figure("indoor")
        if self.plate is None or outdoor is None:
            if outdoor is None:
                self.problems.setdefault("outdoor", "enter the outdoor temperature")
            return None
        try:
            return weather_of(self.plate, outdoor, indoor_degf=indoor, price_kwh=g.person.shop.price_kwh)
        except ReadingError as error:
            self.problems[error.field or "outdoor"] = render(error.message)
            return None

    @property
    def chart(self) -> WeatherChart | None:
        """The chart."""
        return weather_chart(self.plate, self.weather) if self.plate is not None and self.weather is not None else None


def _shown(name: Literal["feed", "heat_pump"], bench: _Bench, *, is_well: bool) -> ResponseReturnValue:
    view = f"bench/_{name}.html" if request.headers.get("HX-Request") else f"bench/{name}.html"
    return render_template(view, bench=bench, sizes=SIZES), 200 if is_well else 422


@bp.get("/feed")
@login_required
def feed() -> ResponseReturnValue:
    """Show the feed's calculator; what cannot be read keeps its text and gets its message."""
    bench = FeedBench(request.args)
    return _shown("feed", bench, is_well=bench.plate is not None)


@bp.get("/heat-pump")
@login_required
def heat_pump() -> ResponseReturnValue:
    """Show heat against the weather."""
    bench = WeatherBench(request.args)
    return _shown("heat_pump", bench, is_well=bench.weather is not None and not bench.problems)


@bp.get("/feed.svg")
@login_required
def feed_svg() -> ResponseReturnValue:
    """Send the drawing of the path by itself."""
    bench = FeedBench(request.args)
    if bench.plate is None:
        abort(404)
    return attached(render_template("feed/path.svg", t=bench.path.tree), "image/svg+xml", "feed-path.svg")


@bp.get("/heat-pump.svg")
@login_required
def heat_pump_svg() -> ResponseReturnValue:
    """Send the chart by itself."""
    chart = WeatherBench(request.args).chart
    if chart is None:
        abort(404)
    return attached(render_template("feed/weather.svg", c=chart), "image/svg+xml", "heat-and-weather.svg")


@bp.get("/feed/calls/<uuid:call_id>")
@login_required
def feed_of_call(call_id: UUID) -> ResponseReturnValue:
    """Open the feed's calculator with what is known of a unit's feed, `?feed=` or the first."""
    plate = read_visit(own_call(call_id)).plate
    wanted = request.args.get("feed", "")
    feed = next((feed for feed in plate.feeds if feed.id == wanted), plate.feeds[0])
    strips = plate.circuits_on(feed.id)
    wire, lugs, is_only = feed.conductor, feed.lugs, len(plate.feeds) == 1
    has_blower = plate.feed_of(plate.blower.supplied_by) == feed.id
    known = {
        "kw": " ".join(f"{strip.rated_watts / 1000:g}" for strip in strips),
        "rated": strips[0].rated_volts if strips else plate.nominal_volts,
        "volts": plate.nominal_volts,
        "blower": plate.blower.rated_amps if has_blower else None,
        "breaker": feed.breaker_amps,
        "mca": plate.minimum_circuit_amps if is_only else None,
        "most": plate.maximum_device_amps if is_only else None,
        "metal": wire.metal if wire else "copper",
        "size": wire.size if wire else None,
        "feet": wire.length_feet if wire and not plate.wire_is_assumed(feed.id) else None,
        "insulation": wire.insulation_degc if wire else None,
        "terminals": wire.terminals_degc if wire else None,
        "ambient": wire.ambient_degf if wire else None,
        "carrying": wire.carrying if wire else None,
        "cable": wire.cable if wire else None,
        "opens": feed.opens,
        "disconnect": feed.disconnect.rated_amps if feed.disconnect else None,
        "lug_from": lugs.smallest if lugs else None,
        "lug_to": lugs.largest if lugs else None,
        "marked": lugs.marked_for if lugs else None,
        "call_id": call_id,
    }
    return redirect(f"{url_for('bench.feed')}?{urlencode(_typed(known))}")


@bp.get("/heat-pump/calls/<uuid:call_id>")
@login_required
def heat_pump_of_call(call_id: UUID) -> ResponseReturnValue:
    """Open heat against the weather with what is known of a unit and its house."""
    call = own_call(call_id)
    plate = read_visit(call).plate
    pump, house = plate.heat_pump, plate.house
    steady = house.steady if house else None
    known = {
        "kw": " ".join(f"{strip.rated_watts / 1000:g}" for strip in plate.circuits),
        "high": pump.at_47_btu_per_hour if pump else None,
        "low": pump.at_17_btu_per_hour if pump else None,
        "tons": (pump.tons or plate.tons) if pump else None,
        "watts47": pump.watts_at_47 if pump else None,
        "watts17": pump.watts_at_17 if pump else None,
        "lockout": pump.lockout_degf if pump else None,
        "used": (pump.is_used or "yes") if pump else "none",
        "design": house.design_btu_per_hour if house else None,
        "design_out": house.design_outdoor_degf if house else None,
        "area": house.area_square_feet if house else None,
        "build": house.build if house else "usual",
        "mass": house.mass_btu_per_degf if house else None,
        "held": house.held_degf if house else 70,
        "outdoor": call.outdoor_degf,
        "indoor": call.indoor_degf,
        "steady": steady.heat_btu_per_hour if steady else None,
        "steady_hours": steady.hours if steady else None,
        "steady_swing": steady.swing_degf if steady else None,
        "steady_in": steady.indoor_degf if steady else None,
        "steady_out": steady.outdoor_degf if steady else None,
        "call_id": call_id,
    }
    return redirect(f"{url_for('bench.heat_pump')}?{urlencode(_typed(known))}")


def _typed(known: Mapping[str, object]) -> dict[str, str]:
    """Return figures as they are typed; what is not known stands empty."""
    return {
        name: "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)
        for name, value in known.items()
    }
