"""The physics identities and the judging of one number, as properties and by hand."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plentar.core.errors import MeterError, NameplateError, ReadingError
from plentar.core.evidence.metrology import DEMO_METER, Meter, MeterRange
from plentar.core.limits.verdicts import Band, Grade, grade
from plentar.core.unit.electrical import element_ohms, element_watts, expected_element_amps, heat_btu_per_hour

BAND = Band(marginal_low=212, pass_low=228, pass_high=252, marginal_high=254, source="default")
watts = st.floats(500, 15000)
volts = st.floats(100, 300)
half_widths = st.floats(0, 10)


@given(watts, volts, st.floats(0, 300))
def test_ohms_times_amps_is_the_volts_found(rated_watts: float, rated_volts: float, measured: float) -> None:
    """R·I = V for every element at every voltage, and P = V·I."""
    amps = expected_element_amps(rated_watts, rated_volts, measured)
    assert element_ohms(rated_watts, rated_volts) * amps == pytest.approx(measured)
    assert element_watts(rated_watts, rated_volts, measured) == pytest.approx(measured * amps)


@given(watts)
def test_a_240_volt_part_on_208_volts_gives_three_quarters(rated_watts: float) -> None:
    """(208/240)² = 0.7511 whatever the element."""
    assert element_watts(rated_watts, 240.0, 208.0) / rated_watts == pytest.approx(0.75111, abs=1e-5)


def test_heat_of_two_five_kilowatt_strips() -> None:
    """10 kW is 34,120 Btu/h."""
    assert heat_btu_per_hour(10_000.0) == pytest.approx(34_120.0)


@given(st.floats(0, 400), st.floats(0, 60), half_widths)
def test_a_verdict_never_improves_moving_away_from_the_pass_band(value: float, step: float, half: float) -> None:
    """Further out on either side is never judged better."""
    outward = value + step if value >= 240 else value - step
    assert grade(outward, half, BAND).severity >= grade(value, half, BAND).severity


@given(st.floats(0, 400), half_widths, half_widths)
def test_the_guard_band_never_widens_a_pass(value: float, half: float, more: float) -> None:
    """What passes with a worse meter passes with a better one, and fails likewise."""
    worse, better = grade(value, half + more, BAND), grade(value, half, BAND)
    assert worse is not Grade.PASS or better is Grade.PASS
    assert worse is not Grade.FAIL or better is Grade.FAIL


@pytest.mark.parametrize(
    ("value", "half", "expected"),
    [
        pytest.param(228.0, 0.0, Grade.PASS, id="on the pass edge with a perfect meter"),
        pytest.param(228.0, 0.1, Grade.MARGINAL, id="astride the pass edge"),
        pytest.param(211.9, 0.2, Grade.MARGINAL, id="astride the marginal edge"),
        pytest.param(211.9, 0.05, Grade.FAIL, id="wholly outside"),
        pytest.param(0.0, 0.2, Grade.FAIL, id="nothing at all"),
    ],
)
def test_grades_at_the_edges(value: float, half: float, expected: Grade) -> None:
    """Edges belong to their band; a whisker across one is marginal."""
    assert grade(value, half, BAND) is expected


@pytest.mark.parametrize("value", [math.nan, math.inf])
def test_what_is_not_a_number_is_not_judged(value: float) -> None:
    """NaN and infinity are refused with what came."""
    with pytest.raises(ReadingError, match="expected a number"):
        grade(value, 0.1, BAND)


def test_bands_must_rise() -> None:
    """A band with its edges crossed is refused."""
    with pytest.raises(ReadingError, match="band edges must rise"):
        Band(marginal_low=5, pass_low=4, pass_high=6, marginal_high=7, source="shop rule")


def test_accuracy_is_percent_of_reading_plus_counts() -> None:
    """18.1 A on ±(1.5 % + 2 counts of 0.1): 0.2715 + 0.2; 240 V on ±(0.7 % + 2 counts of 0.1): 1.68 + 0.2."""
    assert DEMO_METER.uncertainty("amps", 18.1) == pytest.approx(0.4715)
    assert DEMO_METER.uncertainty("volts", 240.0) == pytest.approx(1.88)


def test_the_smallest_range_that_holds_the_value_is_used() -> None:
    """640 ohm is past the 600 ohm range, so a count is 1 ohm there."""
    assert DEMO_METER.range_for("ohms", 640.0).resolution == 1.0
    assert DEMO_METER.range_for("ohms", 11.5).resolution == 0.1


def test_unusable_accuracies_and_functions_are_refused() -> None:
    """A negative accuracy, and a function the meter lacks, each with its text."""
    with pytest.raises(MeterError, match="accuracy of zero or more"):
        MeterRange(quantity="amps", percent=-1, counts=2, resolution=0.1)
    with pytest.raises(MeterError, match="Bare does not read amps"):
        Meter(name="Bare", ranges=()).uncertainty("amps", 1.0)


def test_elements_without_a_rating_are_refused() -> None:
    """Zero watts has no resistance."""
    with pytest.raises(NameplateError, match="must be above zero"):
        element_ohms(0.0, 240.0)
