"""Control current call by call, the thermostat's conductors, what is seen of blower and strips."""

import pytest

from plentar.core.causes.diagnosis import diagnose
from plentar.core.errors import ReadingError
from plentar.core.evidence.reading import Condition, FeedState, Reading
from plentar.core.evidence.signs import Observation
from plentar.core.judging.control import room_amps
from plentar.core.judging.control_circuit import call_currents, rows_of
from plentar.core.judging.thermostat_map import MapRow, check_map
from plentar.core.unit.patterns import PATTERNS
from plentar.formats.numbers import parse_number
from plentar.words import render

TWO = PATTERNS["two-strip-sequencer"]()
GOOD = {"R": "R", "C": "C", "W": "W", "G": "G", "Y": "Y", "O": "O"}


def amps(value: float, *calls: str, seconds: float = 120.0) -> Reading:
    """The clamp on R a while into some calls."""
    condition = Condition(feeds=(("feed-1", "live"),), calls=tuple((call, seconds) for call in calls))
    return Reading(point="amps:control", value=value, condition=condition)


def row(name: str, *readings: Reading) -> tuple[str, str]:
    """One row's verdicts: on the whole, on what it added."""
    found = next(entry for entry in call_currents(TWO, readings) if render(entry.name) == name)
    return (render(found.whole.spoken) if found.whole else "", render(found.added.spoken) if found.added else "")


def test_expected_currents_follow_the_circuit() -> None:
    """40 VA and 3 A of fuse leave 1.67 A; a 48 ohm heater adds half an amp, the rows are in the order of the test."""
    assert room_amps(TWO) == pytest.approx(40 / 24)
    assert [render(name) for name, _ in rows_of(TWO)] == ["nothing", "fan", "heat pump", "heat", "all"]
    expected = {render(entry.name): entry.expected_amps for entry in call_currents(TWO, [])}
    assert expected["heat"] - expected["nothing"] == pytest.approx(26 / 48, abs=0.06)
    assert expected["all"] > expected["heat pump"] > expected["fan"] > expected["nothing"]


@pytest.mark.parametrize(
    ("readings", "name", "spoken"),
    [
        pytest.param([amps(0.04), amps(0.57, "W")], "heat", ("pass", "pass"), id="sound"),
        pytest.param([amps(0.04), amps(0.05, "W")], "heat", ("pass", "fail: amps unchanged"), id="unchanged"),
        pytest.param([amps(0.04), amps(0.93, "W")], "heat", ("pass", "marginal: draws too much"), id="to twice"),
        pytest.param([amps(0.04), amps(2.6, "W")], "heat", ("fail: overloaded", "fail: draws too much"), id="shorted"),
        pytest.param([amps(0.04), amps(0.57, "W", seconds=10)], "heat", ("not proven", "pass"), id="not a minute yet"),
        pytest.param([amps(0.57, "W")], "heat", ("pass", ""), id="nothing to hold it against"),
        # By hand: the thermostat's 0.039 A half as much again and a tenth for boards are 0.158 A.
        pytest.param([amps(0.15)], "nothing", ("pass", ""), id="a lit board"),
        pytest.param([amps(0.24)], "nothing", ("marginal: draws too much", ""), id="something draws unasked"),
    ],
)
def test_each_call_is_held_against_what_it_should_add(
    readings: list[Reading], name: str, spoken: tuple[str, str]
) -> None:
    """Whole against transformer and fuse, the addition against the coil."""
    assert row(name, *readings) == spoken


def test_a_clamp_with_turns() -> None:
    """4.2 A over ten turns is 0.42 A; silly turns are refused."""
    assert parse_number("4.2/10", "amps") == pytest.approx(0.42)
    for typed in ("4.2/0", "4.2/x", "4.2/1", "4.2/99"):
        with pytest.raises(ReadingError, match="over 2 to 50 turns"):
            parse_number(typed, "amps")


def notes(**changes: str) -> list[str]:
    """What a map with some landings changed is told; a jumper is written as `W_to="Y"`."""
    landed = {**GOOD, **{k: v for k, v in changes.items() if not k.endswith("_to")}}
    rows = [
        MapRow(thermostat=t, board=b, colour="blue", jumpered_to=changes.get(f"{t}_to", ""))
        for t, b in landed.items()
        if b != "missing"
    ]
    return [f"{note.grade.value}: {render(note.words)}" for note in check_map(TWO, rows)]


def test_a_good_map_has_nothing_to_say() -> None:
    """Every call reaches the right terminal."""
    assert notes() == []


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        pytest.param({"W": "Y", "Y": "W"}, ["W and Y are swapped"], id="heat and cooling"),
        pytest.param({"O": "B", "B": "O"}, ["O and B are swapped"], id="the valve's"),
        pytest.param({"G": "W", "W": "G"}, ["G and W are swapped", "W and G are swapped"], id="fan and heat"),
        pytest.param({"W": "Y", "Y": "none"}, ["joined to Y", "not landed"], id="moved, not swapped"),
    ],
)
def test_two_conductors_on_each_others_terminals_are_one_mistake(changes: dict[str, str], words: list[str]) -> None:
    """Told once, as an exchange, and not as two conductors that are joined or landed wrong."""
    found = [line for line in notes(**changes) if line.startswith("fail")]
    assert len(found) == (2 if "none" in changes.values() else 1), found
    assert all(any(said in line for said in words) for line in found), found


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"O": "B"}, "fail: O is landed on B"),
        ({"W": "Y"}, "fail: W is joined to Y"),
        ({"W_to": "Y"}, "fail: W is joined to Y"),
        ({"Y_to": "W"}, "fail: Y is joined to W"),
        ({"C": "no wire"}, "marginal: No common at the thermostat"),
        ({"R": "no wire"}, "fail: R does not reach the thermostat"),
        ({"R": "none"}, "fail: R does not reach the thermostat"),
        ({"E": "W", "E_to": "W"}, "pass: E is tied to W"),
        ({"G": "none"}, "fail: The blue wire of G is not landed"),
        ({"G": "no wire"}, "marginal: No wire on G"),
        ({"G": "O"}, "fail: G is landed on O"),
    ],
)
def test_each_mistake_at_the_thermostat_is_told(changes: dict[str, str], words: str) -> None:
    """docs/trade.md, section 4, step 12."""
    assert any(note.startswith(words) for note in notes(**changes)), notes(**changes)


@pytest.mark.parametrize("terminal", sorted(GOOD))
def test_what_nobody_looked_at_raises_nothing(terminal: str) -> None:
    """One row left out, or all but one: of a part-filled map only what was seen is judged."""
    assert notes(**{terminal: "missing"}) == []
    assert notes(**{other: "missing" for other in GOOD if other != terminal}) == []


def test_terminals_that_are_none_are_refused() -> None:
    """With the field."""
    with pytest.raises(ReadingError):
        MapRow(thermostat="Q", board="W")
    with pytest.raises(ReadingError):
        MapRow(thermostat="W", board="Q")


@pytest.mark.parametrize(
    ("seen", "part"),
    [
        pytest.param({"G": "blower-still", "W": "blower-runs"}, "blower-relay", id="NO dead"),
        pytest.param({"G": "blower-runs", "W": "blower-still"}, "blower-relay", id="NC dead"),
        pytest.param({"": "strips-heat", "W": "blower-runs"}, "seq-a", id="strips with nothing calling"),
    ],
)
def test_the_four_rows_point_at_a_part(seen: dict[str, str], part: str) -> None:
    """What the blower does under each call, seen alone, makes a fault of this part likelier than all being well."""
    feeds: tuple[tuple[str, FeedState], ...] = (("feed-1", "live"),)
    signs = [
        Observation(kind=kind, condition=Condition(feeds=feeds, calls=tuple((c, 600.0) for c in call)))
        for call, kind in seen.items()
    ]
    found = diagnose(TWO, [], complaints=["blower dead"], observations=signs)
    share = sum(c.probability for c in found.causes if any(f.startswith(part) for f in c.faults))
    well = sum(c.probability for c in found.causes if "healthy" in c.faults)
    assert share > 3 * well
