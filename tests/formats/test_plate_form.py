"""The nameplate as a form: there and back, unknowns, rows added and taken off, laying out from kilowatts and limits."""

from collections.abc import Callable

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS, structure_of
from plentar.formats.plate_form import NUMBERS, PlateForm, plate_form_of, plate_form_read
from plentar.formats.unit_json import nameplate_from_json, nameplate_to_json

TWO = PATTERNS["two-strip-sequencer"]()


def read(changes: dict[str, str], action: str = "", plate: Nameplate = TWO) -> PlateForm:
    """Fill the form with a plate, change some inputs, do an action."""
    return plate_form_read({**plate_form_of(plate).texts, **changes}, action)


@pytest.mark.parametrize("name", sorted(PATTERNS))
def test_a_plate_survives_the_form(name: str) -> None:
    """Filled in and read back unchanged, every wiring pattern is itself again."""
    form = plate_form_read(plate_form_of(PATTERNS[name]()).texts)
    assert form.problems == {}
    assert form.plate == PATTERNS[name]()


def test_what_cannot_be_read_is_assumed_and_stays_empty() -> None:
    """No blower amps, no VA, no kilowatts: usual figures stand in, are noted, and are not shown as typed."""
    form = read({"blower.rated_amps": "", "transformer.va": "", "circuits[1].rated_watts": ""})
    assert form.plate is not None
    assert set(form.plate.assumed) == {"blower.rated_amps", "transformer.va", "circuits[1].rated_watts"}
    assert form.plate.rating_is_assumed("strip-b")
    assert not form.plate.rating_is_assumed("strip-a")
    again = plate_form_of(form.plate)
    assert again.text("blower.rated_amps") == ""
    assert again.text("circuits[0].rated_watts") == "5"


@pytest.mark.parametrize(
    ("changes", "path", "words"),
    [
        ({"blower.rated_amps": "three"}, "blower.rated_amps", "expected a number such as 20.6, got “three”"),
        ({"circuits[0].rated_watts": "0"}, "circuits[0].rated_watts", "expected rated watts above zero"),
        ({"circuits[1].device": "seq-z"}, "circuits[1].device", "no switching device 'seq-z'"),
        ({"circuits[1].poles": "4"}, "circuits[1].poles", "seq-a has no pole 4"),
        ({"feeds[0].conductor.size": "7"}, "feeds[0].conductor.size", "expected a wire size from 14 to 4/0"),
        ({"blower.relay.contacts[0].no": "L1"}, "blower.relay.contacts[0].no", "they must be the same leg"),
    ],
)
def test_each_mistake_is_told_at_its_own_input(changes: dict[str, str], path: str, words: str) -> None:
    """The message stands under the input's name, and what was typed is kept."""
    form = read(changes)
    assert words in form.problem(path)
    assert form.plate is None
    assert form.text(next(iter(changes))) == next(iter(changes.values()))


@pytest.mark.parametrize(
    ("kilowatts", "limits", "watts"),
    [
        ("10", "", [5e3, 5e3]),
        ("15 kW".removesuffix(" kW"), "", [5e3] * 3),
        ("8", "2", [4e3, 4e3]),
        ("", "4", [5e3] * 4),
        ("5", "1", [5e3]),
    ],
)
def test_kilowatts_and_limits_lay_out_the_strips(kilowatts: str, limits: str, watts: list[float]) -> None:
    """Each strip gets its share and a pole of its own; the result is a circuit."""
    form = read({"kit_kilowatts": kilowatts, "limits": limits}, "layout")
    assert form.plate is not None, form.problems
    assert [circuit.rated_watts for circuit in form.plate.circuits] == watts
    used = [(circuit.device, pole) for circuit in form.plate.circuits for pole in circuit.poles]
    assert len(set(used)) == len(used)


@pytest.mark.parametrize(
    ("kilowatts", "limits", "field"),
    [("", "", "kit_watts"), ("lots", "", "kit_watts"), ("90", "", "kit_watts"), ("10", "9", "limits")],
)
def test_a_layout_that_cannot_be_is_told_beside_it(kilowatts: str, limits: str, field: str) -> None:
    """Nothing is laid out and both strips stay."""
    form = read({"kit_kilowatts": kilowatts, "limits": limits}, "layout")
    assert form.problem(field)
    assert len(form.rows("circuits")) == 2


def test_rows_come_and_go_by_name() -> None:
    """Add a strip wants a pole, one more feed brings a strip; what is taken off leaves no lead on it."""
    assert "strip-c" in read({}, "add:circuits").ids("circuits")
    assert "feeds nothing" in read({"feeds[1].id": "feed-2"}).problem("feeds[1]")
    left = read({}, "remove:circuits[0]")
    assert left.ids("circuits") == ["strip-b"]
    assert left.text("blower.relay.contacts[0].nc") == "none"
    for action in ("remove:circuits[7]", "remove:blower", "add:nonsense", "remove:", "add:shop"):
        assert read({}, action).plate == TWO


NAMES = st.sampled_from(
    [
        *plate_form_of(TWO).texts,
        "feeds[9].id",
        "circuits[0].order",
        "shop_id",
        "a" * 90,
        "assumed[0]",
        "was:devices[0]",
        "was:blower",
        "count:devices[0]",
        "count:devices[7]",
    ]
)


@settings(max_examples=150)
@given(
    st.dictionaries(NAMES, st.text(max_size=12), max_size=4),
    st.sampled_from(
        [
            "",
            "layout",
            "kind",
            "add:devices",
            "add:feeds",
            "add:feeds:blower",
            "add:branches",
            "remove:feeds[0]",
            "remove:circuits[0]",
            "remove:devices[0]",
            "swap:circuits[0]:0",
            "swap:circuits[0]:99",
            "swap::",
            "swap:blower:1",
            "link:circuits[1]",
            "link:nothing",
            "second-pole:circuits[0]",
            "second-pole:feeds[0]",
        ]
    ),
)
def test_whatever_is_typed_is_a_plate_or_a_message(changes: dict[str, str], action: str) -> None:
    """Never a traceback; either a circuit or at least one message."""
    form = read(changes, action)
    assert (form.plate is None) == bool(form.problems)


def test_a_wire_of_unknown_length_is_noted_and_stays_empty() -> None:
    """Its size is kept for the wire check; no length is shown that nobody measured."""
    form = read({"feeds[0].conductor.length_feet": ""})
    assert form.plate is not None
    assert form.plate.assumed == ("feeds[0].conductor.length_feet",)
    assert form.plate.wire_is_assumed("feed-1")
    again = plate_form_of(form.plate)
    assert (again.text("feeds[0].conductor.length_feet"), again.text("feeds[0].conductor.size")) == ("", "6")
    assert plate_form_read(again.texts).plate == form.plate


def test_a_board_that_is_not_known_can_be_saved() -> None:
    """Neither smoothed nor not: the form takes it, and gives it back."""
    form = read({"devices[0].rectifier": ""}, plate=PATTERNS["three-strip-dc-relay"]())
    assert form.problems == {}
    assert form.plate is not None
    assert form.plate.devices[0].rectifier is None
    assert plate_form_read(plate_form_of(form.plate).texts).plate == form.plate


def test_a_plain_wire_and_an_auxiliarys_feed_are_on_the_plate() -> None:
    """Both are kept; a wire that would join nothing is told beside its own field."""
    four = PATTERNS["four-strip-chained"]()
    form = read({"blower.plain_wire_to": "strip-a", "devices[0].auxiliary_from": "W"}, plate=four)
    assert form.plate is not None
    assert (form.plate.blower.plain_wire_to, form.plate.devices[0].auxiliary_from) == ("strip-a", "W")
    wrong = read({"blower.plain_wire_to": "strip-d"}, plate=four)
    assert "expected a circuit on the blower's feed" in wrong.problem("blower.plain_wire_to")


@pytest.mark.parametrize(
    ("changes", "actions", "holds"),
    [
        pytest.param(
            {}, ["add:feeds:blower"],
            lambda p: {p.blower.supplied_by, p.transformer.supplied_by} == {"feed-2"}
            and {c.supplied_by for c in p.circuits} == {"feed-1"}, id="kit on its own feed, blower elsewhere",
        ),
        pytest.param(
            {"blower.kind": "ecm", "was:blower": "psc"}, [],
            lambda p: p.blower.kind == "ecm" and p.blower.relay is None and p.blower.capacitor_microfarads is None
            and p.is_assumed("blower.rated_amps"), id="ECM in place of a relay motor",
        ),
        pytest.param({}, ["add:feeds"], lambda p: p.circuits[-1].supplied_by == "feed-2", id="a feed with a strip"),
        pytest.param(
            {}, ["add:feeds", "remove:feeds[1]"], lambda p: len(p.circuits) == 2 * len(p.feeds), id="and off again"
        ),
        pytest.param({}, ["add:devices"], lambda p: len(p.devices) == 2, id="a device before its strips are wired"),
        pytest.param(
            {"count:devices[0]": "1", "circuits[1].poles": "1", "circuits[1].device": "seq-b"}, ["add:devices"],
            lambda p: [len(d.poles) for d in p.devices] == [1, 1], id="two single sequencers at once",
        ),
        pytest.param(
            {"devices[0].kind": "contactor", "was:devices[0]": "sequencer"}, [],
            lambda p: p.devices[0].poles[0].on_window is None and p.devices[0].coil_ohms is None,
            id="a contactor instead",
        ),
        pytest.param(
            {}, ["swap:circuits[0]:0", "link:circuits[1]"],
            lambda p: p.circuits[0].order[:2] == ("element", "link") and "link" not in p.circuits[1].order,
            id="orders",
        ),
        pytest.param({}, ["second-pole:circuits[1]"], lambda p: len(set(p.circuits[1].poles)) == 2, id="both legs"),
    ],
)  # fmt: skip
def test_common_units_are_plates_at_the_first_try(
    changes: dict[str, str], actions: list[str], holds: Callable[[Nameplate], bool]
) -> None:
    """From two strips on one sequencer: what a few taps change can be saved, with nothing of an old part left."""
    form = read(changes, actions[0] if actions else "")
    for action in actions[1:]:
        form = plate_form_read(form.texts, action)
    assert form.problems == {}
    assert form.plate is not None
    assert holds(form.plate)
    assert nameplate_from_json(nameplate_to_json(form.plate)) == form.plate


@pytest.mark.parametrize("name", sorted(PATTERNS))
def test_a_starting_wiring_brings_no_figure_anybody_read(name: str) -> None:
    """Every number of it is assumed or unknown; the form shows none, and the first one typed is the first one read."""
    bare = structure_of(PATTERNS[name]())
    form = plate_form_of(bare)
    figures = {path for path, typed in form.texts.items() if path.rpartition(".")[2] in NUMBERS and typed}
    assert figures <= {"nominal_volts", "transformer.primary_volts"}
    again = plate_form_read({**form.texts, "circuits[0].rated_watts": "4.8"})
    assert again.plate is not None
    assert "circuits[0].rated_watts" not in again.plate.assumed
    assert "circuits[0].rated_volts" in again.plate.assumed
