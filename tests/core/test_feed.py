"""Load, device and wire by hand: ampacity, the three sizing rules, heat against the weather."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plentar.core.errors import NameplateError
from plentar.core.judging.feed import FeedLoad, check_wire, is_divided, load_of, schools, strips_that_fit
from plentar.core.limits.ampacity import AMPACITIES, STANDARD_DEVICES, WireRun, next_device, smallest_wire
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.patterns import PATTERNS

TWO = PATTERNS["two-strip-sequencer"]()
COPPER_10 = WireRun(metal="copper", size="10", column=75, terminal_column=75)


def graded(load: FeedLoad, device: float, mca: float | None = None, most: float | None = None) -> list[str]:
    """Label, code and 80 % school in order."""
    answers = schools(load, device, minimum_circuit_amps=mca, maximum_device_amps=most)
    return [answer.grade.value for answer in answers]


def test_ten_kilowatts_and_a_blower() -> None:
    """2 × 5,000 / 240 = 41.67 A, + 3 = 44.67; × 1.25 = 55.83 → 60 A; #6 copper at 75 °C (65), #4 at 60 °C (70)."""
    load = load_of(TWO, "feed-1")
    assert load.amps == pytest.approx(44.667, abs=0.001)
    assert load.minimum_circuit_amps == pytest.approx(55.833, abs=0.001)
    assert next_device(load.minimum_circuit_amps) == 60
    assert smallest_wire(55.83, metal="copper", column=75, terminal_column=75) == "6"
    assert smallest_wire(55.83, metal="copper", column=75, terminal_column=60) == "4"
    assert graded(load, 60.0) == ["not proven", "pass", "pass"]


def test_the_same_kit_on_208_volts() -> None:
    """11.52 Ω each: 208 / 11.52 = 18.06 A, two and 3 A of blower 39.1; × 1.25 = 48.9 → 50 A."""
    load = load_of(replace(TWO, nominal_volts=208.0, supply="wye"), "feed-1")
    assert load.amps == pytest.approx(39.11, abs=0.01)
    assert next_device(load.minimum_circuit_amps) == 50


def test_a_blower_must_not_lift_strips_behind_seventy_amps() -> None:
    """48 A of strips on a 60 A device need no division; with 6 A of blower 67.5 A asks for 70, which none may be."""
    assert next_device(1.25 * 48.0) == 60
    load = FeedLoad(heater_amps=48.0, blower_amps=6.0)
    assert load.minimum_circuit_amps == 67.5
    assert next_device(load.minimum_circuit_amps) == 70
    assert is_divided((48.0,), (70.0,)) is Grade.FAIL
    assert is_divided((48.0,), (60.0,)) is Grade.PASS
    assert is_divided((48.1,), (60.0,)) is Grade.FAIL
    assert is_divided((48.0,), (None,)) is Grade.NOT_PROVEN


def test_fifteen_kilowatts_on_one_sixty_is_overloaded_by_all_three() -> None:
    """62.5 + 5 = 67.5 A; 1.25 × and / 0.8 both ask 84.4 → 90; label 85 to 90; not divided either."""
    load = FeedLoad(heater_amps=62.5, blower_amps=5.0)
    assert load.minimum_circuit_amps == pytest.approx(84.375)
    answers = schools(load, 60.0, minimum_circuit_amps=85.0, maximum_device_amps=90.0)
    assert [answer.grade for answer in answers] == [Grade.FAIL] * 3
    assert [answer.least_amps for answer in answers] == [90, 90, pytest.approx(84.375)]
    assert is_divided((62.5,), (60.0,)) is Grade.FAIL


def test_seven_kilowatts_on_number_ten_behind_forty() -> None:
    """29.17 + 6 = 35.2 A, MCA 43.96 → 45, 80 % of 40 is 32: wire too small, device too big; 30 A carries one strip."""
    load = FeedLoad(heater_amps=29.167, blower_amps=6.0)
    assert load.minimum_circuit_amps == pytest.approx(43.96, abs=0.01)
    assert next_device(load.minimum_circuit_amps) == 45
    assert graded(load, 40.0, mca=40.0, most=45.0) == ["pass", "fail", "fail"]
    check = check_wire(load.minimum_circuit_amps, COPPER_10, 40.0)
    assert (check.ampacity_amps, check.largest_device_amps) == (35, 30)
    assert check.is_small_for_load
    assert check.is_large_device
    # Less load cures the first and never the second.
    less = check_wire(6.25, COPPER_10, 40.0)
    assert (less.is_small_for_load, less.is_large_device, less.grade) == (False, True, Grade.FAIL)
    assert strips_that_fit((14.58, 14.58), 6.0, 30.0) == (0,)


@pytest.mark.parametrize(
    ("wire", "corrected", "ampacity", "device"),
    [
        # A 130 °F attic is 54.4 °C: 0.76 of the 90 °C column, capped by 60 °C lugs.
        pytest.param(WireRun(metal="copper", size="6", column=90, terminal_column=60, ambient_degf=130), 57.0, 55, 60),
        pytest.param(WireRun(metal="copper", size="8", column=90, terminal_column=60, ambient_degf=130), 41.8, 40, 40),
        # 90 is a standard size: no next one up to 100.
        pytest.param(WireRun(metal="aluminium", size="2", terminal_column=75), 90.0, 90, 90),
        # 75 °C wire at 50 °C with five others: 65 × 0.75 × 0.8.
        pytest.param(WireRun(metal="copper", size="6", terminal_column=75, ambient_degf=122, carrying=6), 39, 39, 40),
        # Small conductors have a limit of their own; a jacketed cable its 60 °C column; unmarked lugs too, up to 100 A.
        pytest.param(WireRun(metal="copper", size="14", terminal_column=75), 20.0, 20, 15),
        pytest.param(WireRun(metal="copper", size="6", column=90, terminal_column=75, is_jacketed=True), 75.0, 55, 60),
        pytest.param(WireRun(metal="copper", size="4"), 85.0, 70, 70),
        pytest.param(WireRun(metal="copper", size="1/0"), 150.0, 150, 150),
        # No 60 °C insulation above 55 °C.
        pytest.param(WireRun(metal="copper", size="6", column=60, ambient_degf=135), 0.0, 0.0, 0.0),
    ],
)  # fmt: skip
def test_ampacity_by_hand(wire: WireRun, corrected: float, ampacity: float, device: float) -> None:
    """Own column, corrected, then capped; the size itself where it is standard, else the next one up."""
    assert wire.corrected_amps == pytest.approx(corrected)
    assert wire.ampacity_amps == pytest.approx(ampacity)
    assert wire.largest_device_amps == device


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"metal": "aluminium", "size": "14"}, "size"),
        ({"size": "5"}, "size"),
        ({"ambient_degf": 500.0}, "ambient_degf"),
        ({"ambient_degf": math.nan}, "ambient_degf"),
        ({"carrying": 0}, "carrying"),
        ({"column": 80}, "column"),
        ({"metal": "iron"}, "metal"),
    ],
)
def test_wires_that_cannot_be_are_refused(wrong: dict[str, object], field: str) -> None:
    """With the field that is wrong."""
    with pytest.raises(NameplateError) as caught:
        WireRun(**{"metal": "copper", "size": "6", **wrong})  # type: ignore[arg-type]
    assert caught.value.field == field


SIZE = st.sampled_from([(metal, size) for metal, sizes in AMPACITIES.items() for size in sizes])


@given(SIZE, st.sampled_from([60, 75, 90]), st.floats(-40, 190), st.floats(0, 30), st.integers(1, 19))
def test_no_wire_gains_by_heat_or_company(
    made: tuple[str, str], column: int, degf: float, more: float, carrying: int
) -> None:
    """Hotter or more crowded, all else held, it carries no more and takes no larger device."""
    metal, size = made
    wire = WireRun(metal=metal, size=size, column=column, ambient_degf=degf, carrying=carrying)  # type: ignore[arg-type]
    hotter = replace(wire, ambient_degf=min(200.0, degf + more))
    fuller = replace(wire, carrying=carrying + 1)
    for worse in (hotter, fuller):
        assert worse.ampacity_amps <= wire.ampacity_amps
        assert worse.largest_device_amps <= wire.largest_device_amps


@given(st.floats(1, 90), st.floats(0, 8), st.floats(0, 20), st.sampled_from(STANDARD_DEVICES))
def test_more_load_makes_nothing_better(heaters: float, blower: float, more: float, device: float) -> None:
    """No school's margin grows and no fail turns pass with more load; a figure nobody read may only widen."""
    load, heavier = (
        FeedLoad(heater_amps=heaters, blower_amps=blower),
        FeedLoad(heater_amps=heaters + more, blower_amps=blower),
    )
    for before, after in zip(schools(load, device), schools(heavier, device), strict=True):
        assert (after.margin_amps or 0) <= (before.margin_amps or 0) + 1e-9
        assert not (before.grade is Grade.FAIL and after.grade is Grade.PASS)
    unread = schools(replace(load, is_assumed=True), device)
    assert all(school.grade is Grade.NOT_PROVEN for school in unread)
    assert (
        check_wire(heavier.minimum_circuit_amps, COPPER_10, device).is_small_for_load
        >= check_wire(load.minimum_circuit_amps, COPPER_10, device).is_small_for_load
    )
