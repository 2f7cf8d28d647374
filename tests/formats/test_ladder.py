"""The board's layout as properties: nothing overlaps, everything is drawn once, crossings hop."""

from dataclasses import replace
from itertools import combinations

import pytest

from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.points import test_points
from plentar.screen.drawings.ladder import NARROW, TAG_HEIGHT, WIDE, Board, Sheet, draw_board
from plentar.words import render

ALL = sorted(PATTERNS)


def board_of(name: str, sheet: Sheet = WIDE, /, **states: str) -> Board:
    """The board of a pattern, everything live unless a name's state is given."""
    plate = PATTERNS[name]()
    labels = {point.id: render(point.label) for point in test_points(plate)}
    return draw_board(
        plate,
        line=lambda at: states.get(at, "live"),  # type: ignore[arg-type, return-value]
        verdicts={},
        labels=labels,
        selected="amps:strip-a",
        sheet=sheet,
    )


def kinds(board: Board, kind: str) -> int:
    """How many symbols of a kind are drawn."""
    return sum(symbol.kind == kind for symbol in board.symbols)


@pytest.mark.parametrize("sheet", [WIDE, NARROW], ids=["wide", "narrow"])
@pytest.mark.parametrize("name", ALL)
def test_no_two_tags_cover_each_other(name: str, sheet: Sheet) -> None:
    """With a reading at every point, each tag can be read, and none is cut by the edge."""
    board = board_of(name, sheet)
    assert all(0 <= target.tag_x <= board.width - target.tag_width for target in board.targets)
    for one, other in combinations(board.targets, 2):
        apart_x = abs(one.tag_x - other.tag_x) >= one.tag_width - 0.5
        apart_y = abs(one.tag_y - other.tag_y) >= TAG_HEIGHT - 1
        assert apart_x or apart_y, (one.point, other.point)


@pytest.mark.parametrize("name", ALL)
def test_every_part_is_drawn_once(name: str) -> None:
    """Elements, links and limits one a circuit, poles one a pole however many circuits share it, one coil a device."""
    plate: Nameplate = PATTERNS[name]()
    board = board_of(name)
    strips = len(plate.circuits)
    assert kinds(board, "element") == strips
    assert kinds(board, "link") == strips
    assert kinds(board, "limit") == strips
    poles = {(c.device, n) for c in plate.circuits for n in c.poles}
    fan_pole = 1 if plate.blower.switched_by else 0
    relay = 1 if plate.blower.relay else 0
    control_rows = len(plate.devices) + relay + len(plate.blower.ecm_calls)
    assert kinds(board, "contact") == len(poles) + fan_pole + control_rows
    assert kinds(board, "coil") == len(plate.devices) + relay
    assert kinds(board, "tap") == len(plate.blower.ecm_calls)
    assert kinds(board, "motor") == 1
    assert kinds(board, "blade") == (len(plate.blower.relay.contacts) if plate.blower.relay else 0)


@pytest.mark.parametrize(
    ("name", "hops"),
    [
        ("two-strip-sequencer", 1),
        ("three-strip-dc-relay", 1),
        ("one-strip-dpdt", 0),
        ("six-strip-chained", 1),
        ("four-strip-staged", 3),
        ("four-strip-chained", 0),
    ],
)
def test_the_interlock_hops_over_each_rung_it_crosses(name: str, hops: int) -> None:
    """From the first rung of the blower's feed down to the relay: one arch a rung in between."""
    assert sum(wire.path.count(" a 9 9 ") for wire in board_of(name).wires) == hops


@pytest.mark.parametrize("name", ALL)
def test_everything_lies_inside_the_drawing(name: str) -> None:
    """No symbol or label outside, and exactly one target marked as the pad's."""
    board = board_of(name)
    for symbol in board.symbols:
        assert 0 <= symbol.x <= board.width
        assert 0 <= symbol.y <= board.height
    for label in board.labels:
        assert 0 <= label.x <= board.width
        assert 0 < label.y <= board.height
    assert [target.point for target in board.targets if target.is_selected] == ["amps:strip-a"]


def test_states_reach_their_lines() -> None:
    """A carrying circuit is drawn so along its rung, its pole bridged; a called coil is alive."""
    states = {
        "strip-a:current": "carries",
        "seq-a.pole-1:closed": "carries",
        "seq-a:coil": "alive",
        "W": "alive",
        "control": "alive",
        "strip-a.link.1": "carries",
    }
    board = board_of("two-strip-sequencer", **states)
    assert [s.state for s in board.symbols if s.kind == "element"] == ["carries", "live"]
    assert [s.is_closed for s in board.symbols if s.kind == "contact"][:2] == [True, False]
    assert next(s for s in board.symbols if s.kind == "coil").state == "alive"
    assert any(wire.state == "carries" for wire in board.wires)


@pytest.mark.parametrize("name", ALL)
def test_spoken_names_tell_what_each_place_is(name: str) -> None:
    """Every target can be told by ear, unread ones say so."""
    for target in board_of(name).targets:
        assert "not read" in target.spoken
        assert len(target.spoken) > len(", not read, in V")


@pytest.mark.parametrize("name", ["two-strip-sequencer", "three-strip-dc-relay", "one-strip-dpdt", "six-strip-chained"])
def test_a_plain_wire_is_drawn_by_its_name_from_strip_to_blower(name: str) -> None:
    """One more wire than the unit has, named, its two ends on dots; a unit without one is drawn as before."""
    plate = PATTERNS[name]()
    wired = replace(plate, blower=replace(plate.blower, plain_wire_to="strip-a"))
    plain, joined = (draw_board(p, line=lambda _: "live", verdicts={}, labels={}) for p in (plate, wired))
    assert len(joined.wires) == len(plain.wires) + 1
    [new] = [wire.path for wire in joined.wires if wire not in plain.wires]
    assert kinds(joined, "dot") == kinds(plain, "dot") + 1
    assert [label.text for label in joined.labels].count("plain wire") == 1
    # From the joint of strip A's pole, sideways off the interlock's own lead.
    assert new.startswith("M ")
    assert new.count(" H ") == 1


def test_what_was_read_before_a_repair_is_drawn_pale() -> None:
    """Its tag says so in words, too; what was read since stands as it is."""
    verdict = Verdict(grade=Grade.FAIL, value=0.0, uncertainty=0.0, unit="A", because="")
    read = dict.fromkeys(("amps:strip-a", "amps:strip-b"), verdict)
    plate = PATTERNS["two-strip-sequencer"]()
    board = draw_board(plate, line=lambda _: "live", verdicts=read, labels={}, past=frozenset({"amps:strip-b"}))
    past = {target.point: target for target in board.targets if target.verdict is not None}
    assert {point: target.is_past for point, target in past.items()} == {"amps:strip-a": False, "amps:strip-b": True}
    assert past["amps:strip-b"].spoken.endswith("before the repair")


def test_a_feed_that_has_the_blower_alone_has_room_for_it() -> None:
    """Strips on another feed: motor and relay stand below that feed's own line, clear of the last strip."""
    one = PATTERNS["two-strip-sequencer"]()
    plate = replace(
        one,
        feeds=(one.feeds[0], replace(one.feeds[0], id="feed-2")),
        circuits=tuple(replace(circuit, supplied_by="feed-2") for circuit in one.circuits),
    )
    labels = {point.id: render(point.label) for point in test_points(plate)}
    board = draw_board(plate, line=lambda _: "live", verdicts={}, labels=labels, selected="amps:strip-a")
    at = {target.point: target for target in board.targets}
    motor = next(symbol for symbol in board.symbols if symbol.kind == "motor")
    last = max(symbol.y for symbol in board.symbols if symbol.kind == "element")
    assert motor.y > last + 60
    assert motor.y - 28 > at["amps:feed-1"].tag_y + TAG_HEIGHT / 2
