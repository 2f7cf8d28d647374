"""Numbers as typed, unit files both ways, the condition's clock and the band rail's geometry."""

import gc
import json
import weakref
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner

from plentar.cli import main
from plentar.core.errors import NameplateError, PlentarError, ReadingError
from plentar.core.limits.verdicts import Band, Grade, Verdict
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from plentar.formats.events_json import action_from_json
from plentar.formats.numbers import parse_number
from plentar.formats.unit_json import nameplate_from_json, nameplate_to_json
from plentar.screen.drawings.band_rail import RAIL_WIDTH, band_rail
from plentar.screen.drawings.ladder import draw_board
from plentar.words import render
from plentar.words.figures import thousands

UNITS = Path(__file__).parents[2] / "examples/units"


@pytest.mark.parametrize(
    ("typed", "quantity", "value"),
    [
        ("20.6", "amps", 20.6),
        ("20,6", "amps", 20.6),
        (" 20.6 A ", "amps", 20.6),
        ("420 mA", "amps", 0.42),
        ("1,234.5", "volts", 1234.5),
        (".5", "volts", 0.5),
        ("0.64k", "ohms", 640.0),
        ("2 MΩ", "ohms", 2e6),
        ("7.5 µF", "microfarads", 7.5e-6),
    ],
)
def test_numbers_as_people_type_them(typed: str, quantity: str, value: float) -> None:
    """Comma or point, with or without a unit."""
    assert parse_number(typed, quantity) == pytest.approx(value)


@pytest.mark.parametrize("typed", ["2O", "", "-3", "1.2.3", "12 V", "nan", "1e3", "99999999999", "20.6; drop"])
def test_what_is_no_number_is_refused(typed: str) -> None:
    """Each is refused for the value field; what was typed is quoted back."""
    with pytest.raises(ReadingError) as caught:
        parse_number(typed, "amps")
    assert caught.value.field == "value"
    assert not typed or typed[:6] in render(caught.value.message)


@pytest.mark.parametrize("expected", [None, 11.1])
def test_an_open_part_has_a_scale_a_person_reads(expected: float | None) -> None:
    """OL lies beyond the rail, whose marks are ohms somebody could read, never powers of ten."""
    verdict = Verdict(grade=Grade.FAIL, value=1e9, uncertainty=1e7, unit="Ω", expected=expected)
    rail = band_rail(verdict)
    assert rail.is_beyond
    assert rail.marks
    assert not any("e" in mark.text for mark in rail.marks)
    assert float(rail.marks[-1].text) <= 3 * (expected or 25.0)


@pytest.mark.parametrize("name", sorted(PATTERNS))
def test_example_files_are_the_patterns(name: str) -> None:
    """Each wiring pattern has its file, and reading the file gives the pattern back."""
    document = json.loads((UNITS / f"{name}.json").read_text())
    assert nameplate_from_json(document) == PATTERNS[name]()
    assert document == nameplate_to_json(PATTERNS[name]())


def _broken(change: tuple[tuple[str | int, ...], Any]) -> dict[str, Any]:
    document: Any = nameplate_to_json(PATTERNS["two-strip-sequencer"]())
    path, value = change
    place = document
    for step in path[:-1]:
        place = place[step]
    place[path[-1]] = value
    return dict(document)


@pytest.mark.parametrize(
    ("change", "field", "text"),
    [
        ((("feeds", 0, "breaker_amps"), -1), "feeds[0].breaker_amps", "above zero"),
        ((("circuits", 0, "order"), ["pole"]), "circuits[0].order", "a pole needs an element"),
        ((("circuits", 0, "rated_watts"), "five"), "circuits[0].rated_watts", "valid number"),
        ((("circuits", 1, "id"), "strip-a"), "circuits[1].id", "two parts are named 'strip-a'"),
        ((("circuits", 1, "id"), "board"), "circuits[1].id", "every unit has a part named 'board' already"),
        ((("devices", 0, "id"), "interlock"), "devices[0].id", "every unit has a part named 'interlock' already"),
        ((("circuits", 1, "supplied_by"), "feed-9"), "circuits[1].supplied_by", "expected a feed"),
        ((("circuits", 1, "device"), "seq-q"), "circuits[1].device", "no switching device 'seq-q'"),
        ((("circuits", 1, "poles"), [7]), "circuits[1].poles", "no pole 7"),
        ((("feeds",), [{"id": "feed-1"}, {"id": "feed-2"}]), "feeds[1]", "feed-2 feeds nothing"),
        ((("devices", 0, "fed_by"), "seq-a"), "devices[0].fed_by", "auxiliary pole"),
        ((("blower", "relay", "contacts", 0, "no"), "L1"), "blower.relay.contacts[0].no", "must be the same leg"),
        ((("blower", "relay", "contacts", 0, "nc"), "strip-z"), "blower.relay.contacts[0].nc", "expected L1, L2"),
        ((("blower", "kind"), "steam"), "blower.kind", "'psc' or 'ecm'"),
        ((("colour",), "beige"), "colour", "unexpected"),
        ((("format",), "other/9"), "format", "plentar.unit/1"),
    ],
)
def test_a_unit_that_cannot_be_a_circuit_is_refused(
    change: tuple[tuple[str | int, ...], Any], field: str, text: str
) -> None:
    """The field's path and what was expected."""
    with pytest.raises(NameplateError) as caught:
        nameplate_from_json(_broken(change))
    assert caught.value.field == field
    assert text in render(caught.value.message)


def _verdict(value: float) -> Verdict:
    band = Band(marginal_low=17.7, pass_low=18.75, pass_high=21.9, marginal_high=22.9, source="default")
    return Verdict(grade=Grade.PASS, value=value, uncertainty=0.5, unit="A", expected=20.8, band=band)


@pytest.mark.parametrize("value", [0.0, 12.0, 20.0, 25.0, 208.0, 1e6])
def test_everything_on_the_rail_stays_on_the_rail(value: float) -> None:
    """Tick, whisker, bands and marks lie within its width, bands in their order, however far off the reading is."""
    rail = band_rail(_verdict(value))
    assert rail.passing is not None
    assert rail.marginal is not None
    assert 0 <= rail.tick_x <= RAIL_WIDTH
    assert rail.marginal.x <= rail.passing.x
    assert rail.passing.width >= 8
    assert all(0 <= mark.x <= RAIL_WIDTH for mark in rail.marks)
    assert rail.is_beyond == (value > 60)


@pytest.mark.parametrize("name", sorted(PATTERNS))
def test_targets_of_the_board_are_big_enough_and_inside(name: str) -> None:
    """Every point of the unit has a target, at least 30 high and 44 wide, and every probe one a finger can find."""
    plate: Nameplate = PATTERNS[name]()
    from plentar.core.unit.points import test_points

    points = {point.id for point in test_points(plate)}
    board = draw_board(plate, line=lambda _: "live", verdicts={}, labels=dict.fromkeys(points, ""))
    drawn = [target.point for target in board.targets]
    assert sorted(drawn) == sorted(set(drawn))
    assert set(drawn) >= points
    assert len({probe.terminal for probe in board.probes}) == len(board.probes) > 20
    assert all(probe.width >= 26 and probe.height >= 40 for probe in board.probes)
    for target in board.targets:
        assert target.width >= 44
        assert target.height >= 30
        assert target.tag_x >= -2
        assert target.tag_x + 76 <= board.width + 2
        assert 0 <= target.tag_y <= board.height


def test_schemas_in_the_docs_are_the_programs_own() -> None:
    """docs/ holds what `plentar schema` prints today."""
    from plentar.formats.call_json import call_schema
    from plentar.formats.case_json import case_schema
    from plentar.formats.sizing_json import sizing_schema, weather_schema
    from plentar.formats.unit_json import nameplate_schema

    docs = UNITS.parents[1] / "docs"
    assert json.loads((docs / "unit.schema.json").read_text()) == nameplate_schema()
    assert json.loads((docs / "call.schema.json").read_text()) == call_schema()
    assert json.loads((docs / "sizing.schema.json").read_text()) == sizing_schema()
    assert json.loads((docs / "heat-pump.schema.json").read_text()) == weather_schema()
    assert json.loads((docs / "case.schema.json").read_text()) == case_schema()


def test_heat_against_the_weather_from_a_shell(tmp_path: Path) -> None:
    """450 Btu/h·°F and a 24/13.5 kBtu/h pump: 29.9 °F, 5.14 kW at 8 °F, 7.7 h from 50; a strip dead, never."""
    document = json.loads((UNITS / "two-strip-sequencer.json").read_text())
    document["heat_pump"] = {"at_47_btu_per_hour": 24000, "at_17_btu_per_hour": 13500}
    document["house"] = {"design_btu_per_hour": 27000, "design_outdoor_degf": 10, "mass_btu_per_degf": 8000}
    path = tmp_path / "unit.json"
    path.write_text(json.dumps(document))

    def run(*more: str) -> Any:
        return json.loads(CliRunner().invoke(main, ["heat-pump", str(path), "--outdoor", "8", *more]).stdout)

    found = run("--indoor", "50")
    assert found["balance_degf"] == [29.938, 29.938]
    assert (found["verdict"], found["strip_watts_needed"][0]) == ("pass", pytest.approx(5143.6, abs=0.1))
    assert found["hours_to_recover"] == pytest.approx([7.7, 7.7], abs=0.05)
    dead = run("--indoor", "50", "--dead", "strip-b")
    assert (dead["verdict"], dead["hours_to_recover"], dead["is_never_recovered"]) == ("fail", [None, None], True)
    for wrong, field in (
        (["--outdoor", "500"], "outdoor: expected -60 to 130"),
        (["--outdoor", "8", "--dead", "x"], "x"),
    ):
        refused = CliRunner().invoke(main, ["heat-pump", str(path), *wrong])
        assert (refused.exit_code, field in refused.stderr, refused.stderr.count("\n")) == (2, True, 1)


@pytest.mark.parametrize("typed", ["1,200", "12,345", "1,000 V"])
def test_a_comma_that_can_be_read_two_ways_is_refused(typed: str) -> None:
    """A factor of a thousand is not guessed: the message offers both."""
    with pytest.raises(ReadingError, match=r"could mean two numbers. Type \d+ or \d+\.\d{3}"):
        parse_number(typed, "volts")


@pytest.mark.parametrize(
    ("typed", "quantity", "value"),
    [
        ("1\u202f200", "ohms", 1200.0),
        ("1 200 Ω", "ohms", 1200.0),
        ("1,200.5", "ohms", 1200.5),
        ("0,640", "ohms", 0.64),
        ("20,6", "amps", 20.6),
        ("68 °F", "degf", 68.0),
        ("68.5F", "degf", 68.5),
        ("7.4 µF", "microfarads", 7.4e-6),
    ],
)
def test_what_the_program_writes_it_reads_back(typed: str, quantity: str, value: float) -> None:
    """Thin spaces between thousands, units behind, a decimal comma where it can be nothing else."""
    assert parse_number(typed, quantity) == pytest.approx(value)


@pytest.mark.parametrize("value", [0.0, 950.0, 1200.0, 1234567.0])
def test_thousands_come_back_as_they_were(value: float) -> None:
    """Shown and typed again, a number is the same number."""
    assert parse_number(thousands(value), "plain") == value


def test_sizing_from_a_shell(tmp_path: Path) -> None:
    """Each feed with the arithmetic of `judging/feed`; a wire nobody makes is one line and 2."""
    answer = CliRunner().invoke(main, ["sizing", str(UNITS / "two-strip-sequencer.json")])
    assert answer.exit_code == 0
    [feed] = json.loads(answer.stdout)["feeds"]
    assert (feed["load_amps"], feed["minimum_circuit_amps"], feed["device_amps"]) == (44.667, 55.833, 60.0)
    assert [school["verdict"] for school in feed["schools"]] == ["not proven", "pass", "pass"]
    # Nobody knows what #6 lies in: at its best 65 A, at its worst nothing.
    assert (feed["wire"]["worst"]["ampacity_amps"], feed["wire"]["best"]["ampacity_amps"]) == (0, 65)
    assert (feed["wire"]["verdict"], feed["governed_by"]) == ("not proven", "feed-1.breaker")
    document = json.loads((UNITS / "two-strip-sequencer.json").read_text())
    document["circuits"].append(document["circuits"][1] | {"id": "strip-c"})
    (tmp_path / "over.json").write_text(json.dumps(document))
    over = json.loads(CliRunner().invoke(main, ["sizing", str(tmp_path / "over.json")]).stdout)
    # #6 whose ends nobody read is counted on for 55 A: 44 for hours, 41 beside the blower, one strip of 20.8.
    assert [entry["strip"] for entry in over["feeds"][0]["until_corrected"]["left_off"]] == ["strip-b", "strip-c"]
    assert [part["id"] for part in over["path"] if part["verdict"] == "fail"] == [
        "feed-1.breaker",
        "feed-1.wire",
        "strip-b",
        "strip-c",
    ]
    document["circuits"].pop()
    document["feeds"][0]["conductor"] |= {"metal": "aluminium", "size": "14"}
    (tmp_path / "odd.json").write_text(json.dumps(document))
    refused = CliRunner().invoke(main, ["sizing", str(tmp_path / "odd.json")])
    assert refused.exit_code == 2
    assert "size: expected aluminium from 12 to 4/0, got '14'" in refused.stderr


def test_a_refused_document_is_let_go_with_all_that_stood_around_it() -> None:
    """The error outlives its handling, as an answer does; what its frames held goes with it."""

    class Held:
        """What a request has in hand."""

    def refused(read: Callable[[], object]) -> "weakref.ref[Held]":
        held, answers = Held(), []
        try:
            read()
        except PlentarError as error:
            answers.append(error)
        assert answers
        return weakref.ref(held)

    plate = nameplate_to_json(PATTERNS["two-strip-sequencer"]())
    plate["blower"] = plate["blower"] | {"rated_amps": -1}
    reading = {"point": "amps:strip-a" + "x" * 200, "typed": "1"}
    for read in (lambda: action_from_json("reading", reading), lambda: nameplate_from_json(plate)):
        held = refused(read)
        gc.collect()
        assert held() is None
