"""Leads, readings and conditions: the small values everything else stands on."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plentar.core.errors import NameplateError, ReadingError
from plentar.core.evidence.metrology import MeterRange, root_sum_square
from plentar.core.evidence.reading import Condition, Reading, standing
from plentar.core.limits.table import DEFAULT_LIMITS
from plentar.core.limits.windows import closing
from plentar.core.unit.nameplate import Blower, BlowerRelay, Conductor, Feed, Pole, RelayPole, SwitchingDevice
from plentar.core.unit.patterns import PATTERNS
from plentar.formats.numbers import parse_number
from plentar.words import render

RELAY = BlowerRelay(contacts=(RelayPole(com="blower", no="L2", nc="none"),))


@given(st.floats(0, 1e5), st.floats(0, 10), st.floats(0, 20))
def test_uncertainty_grows_with_the_reading_and_never_below_the_counts(
    value: float, percent: float, counts: float
) -> None:
    """±(% + counts) is monotone, and the counts alone are its floor."""
    meter_range = MeterRange(quantity="volts", percent=percent, counts=counts, resolution=0.1)
    assert meter_range.uncertainty(value) >= meter_range.counts_uncertainty
    assert meter_range.uncertainty(2 * value) >= meter_range.uncertainty(value)


@given(st.lists(st.floats(0, 100), min_size=1, max_size=6))
def test_independent_uncertainties_lie_between_the_largest_and_the_sum(parts: list[float]) -> None:
    """Root-sum-square."""
    assert max(parts) - 1e-9 <= root_sum_square(*parts) <= sum(parts) + 1e-9


@given(st.floats(0.01, 99999, allow_nan=False))
def test_a_number_typed_with_comma_or_point_is_the_same_number(value: float) -> None:
    """Two decimals, either mark."""
    typed = f"{value:.2f}"
    assert parse_number(typed, "volts") == parse_number(typed.replace(".", ","), "volts") == pytest.approx(float(typed))


def test_the_newest_reading_of_a_point_stands() -> None:
    """Oldest first in, newest kept."""
    readings = [Reading(point="amps:strip-a", value=v, condition=Condition()) for v in (1.0, 2.0)]
    assert standing(readings)["amps:strip-a"].value == 2.0
    assert readings[0].function == "amps"


@pytest.mark.parametrize(
    ("condition", "spoken", "dead"),
    [
        (Condition(), "no call", False),
        (Condition(calls=(("W", 1.0), ("G", 2.0))), "W and G calling", False),
        (Condition(feeds=(("feed-1", "off"),)), "power off, not verified", False),
        (Condition(feeds=(("feed-1", "proven dead"),), control="proven dead"), "power off, verified dead", True),
        (Condition(feeds=(("feed-1", "proven dead"),), control="from unit"), "power off, not verified", False),
        (Condition(feeds=(("feed-1", "live"), ("feed-2", "off"))), "no call, feed 2 off", False),
        (Condition(control="proven dead"), "no call", False),
    ],
)
def test_dead_means_every_feed_and_the_control_side_proven(condition: Condition, spoken: str, dead: bool) -> None:
    """Off is not proven; a list with no feed proves nothing."""
    assert render(condition.spoken) == spoken
    assert condition.is_proven_dead is dead


@pytest.mark.parametrize(
    ("make", "text"),
    [
        (lambda: Conductor(metal="copper", size="5", length_feet=10), "wire size from 14 to 4/0"),
        (lambda: Conductor(metal="copper", size="6", length_feet=0), "above zero"),
        (lambda: Feed(id="Feed 1"), "short lower-case name"),
        (lambda: Feed(id="feed-1", breaker_amps=1e9), "below 1e+07"),
        (lambda: Pole(number=0), "pole number from 1"),
        (lambda: SwitchingDevice(id="s", kind="sequencer", fed_by="W", poles=()), "1 to 5 poles"),
        (
            lambda: SwitchingDevice(id="s", kind="sequencer", fed_by="W", poles=(Pole(number=1), Pole(number=1))),
            "share a number",
        ),
        (
            lambda: SwitchingDevice(id="s", kind="ac-relay", fed_by="W", poles=(Pole(number=1),), rectifier="smoothed"),
            "rectifier belongs",
        ),
        (lambda: SwitchingDevice(id="s", kind="magic", fed_by="W", poles=(Pole(number=1),)), "expected one of"),
        (
            lambda: SwitchingDevice(
                id="s", kind="contactor", fed_by="W", poles=(Pole(number=1),), auxiliary=Pole(number=2)
            ),
            "only a sequencer carries an auxiliary",
        ),
        (lambda: BlowerRelay(contacts=()), "one or two contacts"),
        (lambda: Blower(kind="psc", rated_amps=3, supplied_by="feed-1"), "needs a relay or a fan pole"),
        (
            lambda: Blower(kind="psc", rated_amps=3, supplied_by="feed-1", relay=RELAY, ecm_calls=("G",)),
            "an ECM blower, and only it",
        ),
    ],
)
def test_parts_that_cannot_be_are_refused(make: object, text: str) -> None:
    """Each with what was expected."""
    assert callable(make)
    with pytest.raises(NameplateError, match=text.replace("+", r"\+")):
        make()


def test_windows_of_chained_devices_add_up_and_relays_are_at_once() -> None:
    """60 + 90 s behind an auxiliary pole; 5 s to look for a relay."""
    chained = PATTERNS["four-strip-chained"]()
    window = closing(chained, "seq-b", chained.device("seq-b").pole(1))
    assert (window.min_seconds, window.max_seconds) == (25.0, 150.0)
    relays = PATTERNS["three-strip-dc-relay"]()
    assert closing(relays, "relay-a", relays.device("relay-a").pole(1)).max_seconds == 5.0
    assert chained.call_of("seq-b") == "W"


@pytest.mark.parametrize("nominal", [220.0, 230.0, 277.0])
def test_other_supplies_scale_from_240(nominal: float) -> None:
    """Edges in the same proportion."""
    band = DEFAULT_LIMITS.supply_band(nominal)
    assert band.pass_low / nominal == pytest.approx(228 / 240)
    assert band.marginal_high / nominal == pytest.approx(254 / 240)


def test_asking_a_unit_for_what_it_lacks() -> None:
    """Circuits, devices and poles by name."""
    plate = PATTERNS["two-strip-sequencer"]()
    assert plate.total_rated_watts == 10_000
    for ask in (lambda: plate.circuit("strip-z"), lambda: plate.device("seq-z"), lambda: plate.device("seq-a").pole(9)):
        with pytest.raises(NameplateError):
            ask()
    with pytest.raises(ReadingError):
        Reading(point="x", value=-1.0, condition=Condition())
