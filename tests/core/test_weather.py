"""Heat for the weather by hand: balance point, what strips must carry, hours or never, what is guessed."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plentar.core.errors import NameplateError, ReadingError
from plentar.core.evidence.events import Aired, Observed, Switched
from plentar.core.evidence.record import Record
from plentar.core.judging.heat_pump import HeatPump, House, balance_degf, hours_to_recover, strip_watts_needed
from plentar.core.judging.weather import Weather, house_range, pump_range, weather_of
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.nameplate import Window
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.warmth import HeatPumpPlate, HousePlate, SteadyState
from plentar.core.visit import Visit
from plentar.words import render
from tests.core.test_epochs import Call

PUMP, HOUSE = (
    HeatPump(at_47_btu_per_hour=24000, at_17_btu_per_hour=13500),
    House(loss_btu_per_hour_degf=450, mass_btu_per_degf=8000),
)


def test_a_heat_pump_against_the_weather() -> None:
    """350 Btu/h a degree; 13,500 + 350 (T − 17) = 450 (70 − T) at 29.9 °F; at 8 °F 27,900 − 10,350 = 5.14 kW short."""
    assert balance_degf(PUMP, HOUSE, 70.0) == pytest.approx(29.94, abs=0.01)
    assert strip_watts_needed(PUMP, HOUSE, 70.0, 8.0) == pytest.approx(5143.6, abs=1)
    assert strip_watts_needed(PUMP, HOUSE, 70.0, 30.0) == 0.0
    assert strip_watts_needed(None, HOUSE, 70.0, 8.0) == pytest.approx(27900 / 3.412)


def test_hours_to_recover_or_never() -> None:
    """8 °F, 10,350 Btu/h: with 10 kW T∞ = 8 + 44,470 / 450 = 106.8, 7.7 h; with 5 kW 68.9, never; warm: none."""
    with_ten, with_five = 10350 + 10 * 3412, 10350 + 5 * 3412
    cold = {"outdoor_degf": 8.0, "start_degf": 50.0, "wanted_degf": 70.0}
    assert hours_to_recover(HOUSE, with_ten, **cold) == pytest.approx(7.7, abs=0.05)
    assert hours_to_recover(HOUSE, with_five, **cold) == math.inf
    assert hours_to_recover(HOUSE, with_five, outdoor_degf=8.0, start_degf=70.0, wanted_degf=70.0) == 0.0
    with pytest.raises(ReadingError, match="mass is not known"):
        hours_to_recover(House(loss_btu_per_hour_degf=450), with_ten, **cold)


@pytest.mark.parametrize("wrong", [(0, 0), (24000, 30000), (math.nan, 1), (1e9, 1)])
def test_heat_pumps_that_cannot_be(wrong: tuple[float, float]) -> None:
    """Nothing, more in the cold than in the mild, no number, a power station."""
    with pytest.raises(ReadingError):
        HeatPump(at_47_btu_per_hour=wrong[0], at_17_btu_per_hour=wrong[1])


# 450 Btu/h·°F by its design point: 27,000 at 60 °F of difference; two strips of 5 kW.
KNOWN = replace(
    PATTERNS["two-strip-sequencer"](),
    heat_pump=HeatPumpPlate(at_47_btu_per_hour=24000, at_17_btu_per_hour=13500),
    house=HousePlate(design_btu_per_hour=27000, design_outdoor_degf=10.0, mass_btu_per_degf=8000),
)


def seen(**others: float) -> SteadyState:
    """A house held for three hours."""
    usual = {"heat_btu_per_hour": 24000.0, "hours": 3.0, "swing_degf": 0.5, "indoor_degf": 70.0, "outdoor_degf": 10.0}
    return SteadyState(**{**usual, **others})


def answer(weather: Weather) -> str:
    """Its line, as read."""
    return render(weather.words)


def test_enough_and_what_one_strip_would_be_missed_by() -> None:
    """5.14 kW are needed at 8 °F: ten are enough, five are 0.14 kW short, and both dead are 5.14."""
    good = weather_of(KNOWN, 8.0, indoor_degf=50.0)
    assert good.grade is Grade.PASS
    assert [stage.short_without_watts[1] for stage in good.stages] == pytest.approx([143.6, 143.6], abs=1)
    assert good.hours == pytest.approx((7.7, 7.7), abs=0.05)
    one = weather_of(KNOWN, 8.0, dead=("strip-b",), indoor_degf=50.0)
    assert one.grade is Grade.FAIL
    assert one.hours == (math.inf, math.inf)
    assert answer(one) == "0.1 kW short at 8 °F. With every strip working it would be enough."


def test_all_right_and_still_short() -> None:
    """Emergency heat at −20 °F: 450 × 90 / 3,412 = 11.87 kW, ten are there: 1.9 kW short; all right only once read."""
    cold = weather_of(KNOWN, -20.0, is_emergency=True)
    assert cold.grade is Grade.FAIL
    assert answer(cold) == "Even with every strip working, 1.9 kW short at -20 °F."
    both = ("strip-a", "strip-b")
    assert answer(weather_of(KNOWN, -20.0, is_emergency=True, read=both[:1])).startswith(
        "Even with every strip working,"
    )
    assert (
        answer(weather_of(KNOWN, -20.0, is_emergency=True, read=both))
        == "Every strip works, and heat is still 1.9 kW short at -20 °F."
    )
    # Enough is proven by strips that come, and at a desk taken as told.
    assert [weather_of(KNOWN, 8.0, read=read).grade.value for read in (both, both[:1], None)] == [
        "pass", "not proven", "pass"]  # fmt: skip
    # On 208 V the same strips give three quarters: 7.5 kW.
    low = weather_of(KNOWN, -20.0, is_emergency=True, supply_volts=208.0)
    assert low.short_watts is not None
    assert low.short_watts[0] == pytest.approx(11_870 - 7_511, abs=5)


def test_a_lock_out_leaves_the_house_to_the_strips() -> None:
    """Below the outdoor thermostat in Y the compressor gives nothing; one °F above it, all it can."""
    locked = replace(KNOWN, heat_pump=replace(KNOWN.heat_pump, lockout_degf=20.0))  # type: ignore[type-var]
    assert weather_of(locked, 19.0).needed_watts == pytest.approx((6726, 6726), abs=1)
    assert weather_of(locked, 20.0).needed_watts == pytest.approx((2330, 2330), abs=1)
    assert weather_of(locked, 19.0).pump == "locked-out"


def test_a_pump_that_nothing_calls_gives_nothing() -> None:
    """Present and unused, or behind a thermostat of the wrong kind: said, and counted as nothing."""
    for used in ("no", "wrong-thermostat"):
        found = weather_of(replace(KNOWN, heat_pump=replace(KNOWN.heat_pump, is_used=used)), 8.0)  # type: ignore[type-var]
        assert (found.pump, found.capacity) == ("unused", (0.0, 0.0))
    assert any("not made for a heat pump" in render(note) for note in found.notes)


@pytest.mark.parametrize(
    ("house", "loss"),
    [
        # 24,000 Btu/h for three hours within half a degree at 60 °F of difference: 400, within a twentieth.
        pytest.param(HousePlate(steady=seen()), (380, 420), id="steady"),
        pytest.param(HousePlate(area_square_feet=1500), (294, 546), id="area: 0.28 a square foot, within 30 %"),
        pytest.param(HousePlate(steady=seen(hours=1.9)), None, id="too short"),
        pytest.param(HousePlate(steady=seen(swing_degf=1.1)), None, id="swings"),
        pytest.param(None, None, id="nobody told"),
    ],
)  # fmt: skip
def test_what_a_house_loses_and_how_that_is_known(house: HousePlate | None, loss: tuple[float, float] | None) -> None:
    """A steady state of two hours within a degree, else a design point, else area with its guess, else nothing."""
    found = house_range(house)
    assert (None if found is None else found[0]) == (None if loss is None else pytest.approx(loss))
    if loss is None:
        weather = weather_of(replace(KNOWN, house=house), 8.0)
        assert weather.grade is Grade.NOT_PROVEN
        assert weather.needed_watts is None


def test_tons_are_a_guess_that_says_so() -> None:
    """Two tons: 24,000 at 47 °F and 9/16 of it at 17, within 15 %; what it decides is not proven."""
    by_tons = replace(KNOWN, heat_pump=HeatPumpPlate(tons=2.0))
    pumps = pump_range(by_tons)
    assert pumps is not None
    assert [pump.at_17_btu_per_hour for pump in pumps] == pytest.approx([11475, 15525])
    # 10 kW against 5.1 kW needed hold whatever is guessed; one strip does not.
    assert weather_of(by_tons, 8.0).grade is Grade.PASS
    assert weather_of(by_tons, 8.0, dead=("strip-b",)).grade is Grade.NOT_PROVEN
    assert weather_of(replace(KNOWN, heat_pump=HeatPumpPlate(), tons=None), 8.0).grade is Grade.NOT_PROVEN


def test_a_stage_slower_than_a_defrost_never_helps_in_one() -> None:
    """Ten minutes of defrost: a stage that comes by 90 s heats 85 % of it, one of eleven minutes none, warm none."""
    device = KNOWN.devices[0]
    slow = replace(device.poles[1], on_window=Window(min_seconds=500, max_seconds=660))
    plate = replace(KNOWN, devices=(replace(device, poles=(device.poles[0], slow)),))
    shares = [stage.defrost_share for stage in weather_of(plate, 25.0).stages]
    assert shares == pytest.approx([0.9, 0.0])
    assert any("never during defrost" in render(note) for note in weather_of(plate, 25.0).notes)
    assert {stage.defrost_share for stage in weather_of(plate, 45.0).stages} == {None}


def test_an_outdoor_thermostat_keeps_its_stage_off_above_its_setting() -> None:
    """Strips C and D behind W2 come below 25 °F and not at 25."""
    plate = replace(
        PATTERNS["four-strip-staged"](),
        house=KNOWN.house,
        heat_pump=replace(KNOWN.heat_pump, stage_degf=25.0),  # type: ignore[type-var]
    )
    assert [stage.is_on for stage in weather_of(plate, 24.9).stages] == [True] * 4
    assert [stage.is_on for stage in weather_of(plate, 25.0).stages] == [True, True, False, False]


def test_the_cold_end_by_what_it_draws() -> None:
    """At 8 °F: locked out 8.18 kW all paid; beside a compressor of 1.4 kW 5.14 + 1.4; at 0.15 a kWh 1.23 and 0.98."""
    pump = HeatPumpPlate(at_47_btu_per_hour=24000, at_17_btu_per_hour=13500, watts_at_47=2000, watts_at_17=1580)
    ways = weather_of(replace(KNOWN, heat_pump=pump), 8.0, price_kwh=0.15).schools
    assert [way.drawn_watts[0] for way in ways[:2]] == pytest.approx([8177, 5144 + 1454], abs=2)
    assert [way.cost and way.cost[0] for way in ways[:2]] == pytest.approx([1.2266, 0.9897], abs=0.001)
    assert weather_of(replace(KNOWN, heat_pump=pump), 8.0).schools[0].cost is None


@given(st.floats(-30, 60), st.floats(0, 30), st.sampled_from([(), ("strip-a",), ("strip-a", "strip-b")]))
def test_colder_or_with_less_it_is_never_better(degf: float, colder: float, dead: tuple[str, ...]) -> None:
    """Colder weather asks the strips for no less, and no fail turns pass; nor with a strip more that is dead."""
    before, after = weather_of(KNOWN, degf), weather_of(KNOWN, degf - colder)
    assert before.needed_watts is not None
    assert after.needed_watts is not None
    assert after.needed_watts[0] >= before.needed_watts[0] - 1e-6
    assert not (before.grade is Grade.FAIL and after.grade is Grade.PASS)
    less = weather_of(KNOWN, degf, dead=dead)
    assert not (before.grade is Grade.FAIL and less.grade is Grade.PASS)


@pytest.mark.parametrize(
    ("made", "field"),
    [
        (lambda: HeatPumpPlate(at_47_btu_per_hour=24000, at_17_btu_per_hour=24000), "at_17_btu_per_hour"),
        (lambda: HeatPumpPlate(tons=400), "tons"),
        (lambda: HeatPumpPlate(lockout_degf=math.nan), "lockout_degf"),
        (lambda: HousePlate(area_square_feet=0), "area_square_feet"),
        (lambda: HousePlate(design_btu_per_hour=1, design_outdoor_degf=80), "design_outdoor_degf"),
        (lambda: seen(indoor_degf=10, outdoor_degf=20), "indoor_degf"),
    ],
)  # fmt: skip
def test_what_no_house_has_is_refused(made: object, field: str) -> None:
    """With the field that is wrong."""
    with pytest.raises(NameplateError) as caught:
        made()  # type: ignore[operator]
    assert caught.value.field == field


@pytest.mark.parametrize("degf", [500.0, -61.0, math.nan])
def test_weather_that_cannot_be_is_refused(degf: float) -> None:
    """No place on earth."""
    with pytest.raises(ReadingError, match="expected -60 to 130"):
        weather_of(KNOWN, degf)


class Measuring(Call):
    """A call on the known house at 17 °F."""

    @property
    def visit(self) -> Visit:
        """What follows so far."""
        moment = 60.0 * (len(self.events) + 1)
        return Visit(KNOWN, Record(self.events), moment=moment, outdoor_degf=17.0, complaints=["not enough heat"])

    def air(self, back: float, out: float) -> None:
        """Return and supply, and the air between them."""
        ids = []
        for place, value in (("return", back), ("supply", out)):
            self.read(f"degf:{place}", value, half=1.0)
            ids.append(self.events[-1].id)
        condition = self.visit.condition
        self.add(Aired(return_reading=ids[0], supply_reading=ids[1], condition=condition))


def test_the_rise_under_y_alone_tells_what_the_pump_gives() -> None:
    """10.5 kW raise 1,060 CFM by 32.3 °F (1.044 a CFM); under Y alone 12 °F are the 13.5 kBtu/h of 17 °F, 6 half."""
    call = Measuring()
    call.add(Switched(what="W", state="on"))
    call.sound()
    for _ in range(6):
        call.add(Observed(sign="smell", state="undone"))
    call.air(68.0, 100.3)
    cfm = call.visit.airs[-1].verdict.cfm
    assert cfm == pytest.approx(1060, abs=2)
    call.add(Switched(what="W", state="off"))
    call.add(Switched(what="Y", state="on"))
    call.air(68.0, 80.0)
    found = call.visit.pump_output
    assert found is not None
    assert found.value == pytest.approx(13.5, abs=0.2)
    assert found.grade is Grade.PASS
    call.air(68.0, 74.0)
    assert call.visit.pump_output is not None
    assert call.visit.pump_output.grade is Grade.FAIL
    assert "Heat pump output" in {render(entry.about) for entry in call.visit.findings}
    # Both together tell of neither: the strips' watts are not all that heats the air.
    call.add(Switched(what="W", state="on"))
    call.air(68.0, 112.0)
    assert call.visit.airs[-1].verdict.cfm is None
    assert call.visit.airs[-1].verdict.flow.grade is Grade.NOT_PROVEN


def test_a_house_that_asks_for_more_is_a_finding_and_a_strip_read_dead_counts_as_missing() -> None:
    """At 8 °F 5.1 kW are needed of ten: nothing is found; with strip B read dead 0.1 kW are short, and it is said."""
    call = Measuring()
    call.add(Switched(what="W", state="on"))
    call.sound()

    def visit_at(degf: float) -> Visit:
        return Visit(KNOWN, Record(call.events), moment=60.0 * len(call.events), outdoor_degf=degf)

    told = {render(entry.about) for entry in visit_at(8.0).findings}
    assert "Heat for the weather" not in told
    for _ in range(6):
        call.add(Observed(sign="smell", state="undone"))
    call.read("amps:strip-b", 0.0)
    weather = visit_at(8.0).weather
    assert weather is not None
    # 4.97 kW come at the 239 V that were read under heat.
    assert answer(weather).endswith("With every strip working it would be enough.")
    assert "Heat for the weather" in {render(entry.about) for entry in visit_at(8.0).findings}
