"""The circuit in time: stages come on and go off in order, chained windows add up, a slow sequencer is late."""

import pytest

from plentar.core.causes.faults import fault_by_id
from plentar.core.circuit.timeline import INRUSH_RATIO, Moment, play
from plentar.core.errors import ReadingError
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS

HEAT, NOTHING = frozenset("W"), frozenset[str]()
ONE_RUN = [(0.0, HEAT), (600.0, NOTHING)]


def changes_of(moments: list[Moment], clamp: str) -> list[tuple[float, bool]]:
    """When a clamp's current appeared and went."""
    found: list[tuple[float, bool]] = []
    for moment in moments:
        flows = moment.amps[clamp] > 0.5
        if flows != (found[-1][1] if found else False):
            found.append((moment.at_seconds, flows))
    return found


def unit(name: str) -> Nameplate:
    """A pattern's nameplate."""
    return PATTERNS[name]()


@pytest.mark.parametrize(
    ("place", "first", "second"), [(0.0, 10.0, 15.0), (0.5, 35.0, 52.5), (1.0, 60.0, 90.0)], ids=["min", "mid", "max"]
)
def test_poles_close_inside_their_windows_in_order(place: float, first: float, second: float) -> None:
    """Windows 10–60 and 15–90 s: strip A, then strip B; the blower starts with the first pole through the interlock."""
    moments = play(unit("two-strip-sequencer"), ONE_RUN, 1200.0, place_in_window=place)
    assert changes_of(moments, "strip-a")[0] == (first, True)
    assert changes_of(moments, "strip-b")[0] == (second, True)
    assert changes_of(moments, "blower")[0] == (first, True)


def test_first_on_is_last_off_and_the_blower_stops_with_it() -> None:
    """Off windows 40–110 for pole 1, 20–90 for pole 2: B goes first; an NC interlock without off-delay ends with A."""
    moments = play(unit("two-strip-sequencer"), ONE_RUN, 1200.0)
    off = {clamp: changes_of(moments, clamp)[1] for clamp in ("strip-a", "strip-b", "blower")}
    assert off["strip-b"] == (655.0, False)
    assert off["strip-a"] == off["blower"] == (675.0, False)


def test_chained_stages_add_up() -> None:
    """The second sequencer's heater is fed 52.5 s after the call and takes 35 s more for its first pole."""
    moments = play(unit("four-strip-chained"), ONE_RUN, 1200.0)
    assert changes_of(moments, "strip-c")[0] == (52.5 + 35.0, True)
    assert changes_of(moments, "strip-d")[0] == (52.5 + 52.5, True)


def test_relays_move_at_once_and_a_motor_start_shows_its_inrush() -> None:
    """DC relays: everything in the first moment, with several times the blower's running amps for an instant."""
    moments = play(unit("three-strip-dc-relay"), ONE_RUN, 700.0)
    assert [moment.at_seconds for moment in moments] == [0.0, 600.0]
    assert moments[0].amps["strip-c"] > 19
    assert moments[0].inrush_amps == pytest.approx(INRUSH_RATIO * moments[0].amps["blower"])
    assert moments[1].inrush_amps == 0


def test_a_slow_sequencer_is_late_and_a_dead_heater_never_moves() -> None:
    """Twice the time doubles it; an open heater leaves one moment for each call and nothing else."""
    slow = play(unit("two-strip-sequencer"), ONE_RUN, 1200.0, slowness={"seq-a": 2.0})
    assert changes_of(slow, "strip-a")[0] == (70.0, True)
    dead = fault_by_id(unit("two-strip-sequencer"), "seq-a.coil.open").variants[0]
    assert changes_of(play(unit("two-strip-sequencer"), ONE_RUN, 1200.0, changes=dead), "strip-a") == []


def test_a_short_call_moves_nothing() -> None:
    """Five seconds of heat are over before any disc has warmed."""
    moments = play(unit("two-strip-sequencer"), [(0.0, HEAT), (5.0, NOTHING)], 600.0)
    assert changes_of(moments, "strip-a") == []


def test_a_welded_pole_stays_on_after_the_call() -> None:
    """B draws from the first moment to the last."""
    welded = fault_by_id(unit("two-strip-sequencer"), "seq-a.pole-2.welded").variants[0]
    moments = play(unit("two-strip-sequencer"), ONE_RUN, 1200.0, changes=welded)
    assert all(moment.amps["strip-b"] > 19 for moment in moments)


def test_calls_must_rise_in_time() -> None:
    """A log that goes backwards is refused."""
    with pytest.raises(ReadingError, match="rise in time"):
        play(unit("two-strip-sequencer"), [(10.0, HEAT), (5.0, NOTHING)], 60.0)
