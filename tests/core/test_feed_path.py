"""The path of a feed, part by part, and what may run until it is corrected: hand-worked plates, and properties."""

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plentar.core.errors import NameplateError
from plentar.core.judging.feed_path import PathPart, division_of, governing, path_of
from plentar.core.limits.ampacity import AMPACITIES
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.supply_path import (
    STANDARD_DEVICES,
    BranchDevice,
    Conductor,
    Disconnect,
    Feed,
    Lugs,
    SharedSupply,
)
from plentar.core.work.interim import interim_of
from plentar.words import render

TWO = PATTERNS["two-strip-sequencer"]()
# Copper in a cool run of its own, 75 °C from end to end: nothing of it unknown.
COOL: dict[str, Any] = {
    "length_feet": 40.0, "insulation_degc": 75, "terminals_degc": 75, "ambient_degf": 86.0, "carrying": 2,
    "cable": "single",
}  # fmt: skip
WHOLE = Lugs(smallest="14", largest="1/0", marked_for="both", strands="whole")


def wire(size: str, metal: Any = "copper", **others: Any) -> Conductor:
    """A conductor of which everything is known."""
    return Conductor(metal=metal, size=size, **{**COOL, **others})


def fed(
    breaker: float | None, conductor: Conductor | None, *, kilowatts: float = 5.0, blower: float = 3.0, **others: Any
) -> Nameplate:
    """The two-strip unit on a feed of one's own; others are the feed's and the plate's."""
    plate = {name: others.pop(name) for name in [*others] if name.startswith("m") or name in ("shared", "branches")}
    feed = Feed(
        id="feed-1", breaker_amps=breaker, conductor=conductor, **{"opens": "two-pole", "lugs": WHOLE, **others}
    )
    circuits = tuple(replace(c, rated_watts=1000 * kilowatts, lead_size="10", lead_degc=150.0) for c in TWO.circuits)
    return replace(TWO, feeds=(feed,), circuits=circuits, blower=replace(TWO.blower, rated_amps=blower), **plate)


def part(plate: Nameplate, name: str) -> PathPart:
    """One part of a plate's path."""
    return next(entry for entry in path_of(plate) if entry.id == name)


def told(found: PathPart) -> str:
    """Its defects, as read."""
    return " ".join(map(render, found.defects))


def test_a_right_feed_passes_from_end_to_end() -> None:
    """2 × 20.83 + 3 = 44.67 A: × 1.25 = 55.8 on 60 A and #6 at 75 °C (65); the breaker's 48 A govern, 3.33 left."""
    plate = fed(60.0, wire("6"))
    names = ("feed-1.breaker", "feed-1.wire", "feed-1.lugs", "strip-a", "strip-b", "blower", "control")
    assert {entry.id: entry.grade.value for entry in path_of(plate)} == dict.fromkeys(names, "pass")
    narrow = governing(path_of(plate), "feed-1")
    assert narrow is not None
    assert (narrow.id, narrow.allows_amps) == ("feed-1.breaker", 48.0)
    assert narrow.margin_amps == pytest.approx(3.333, abs=0.001)
    assert interim_of(plate, "feed-1") is None


def test_what_nobody_read_is_named_and_may_only_widen() -> None:
    """#6 of unknown insulation and place behind 60 A: neither pass nor fail, and each unknown by its name."""
    unread = fed(60.0, Conductor(metal="copper", size="6", length_feet=40.0), opens=None, lugs=None)
    found = part(unread, "feed-1.wire")
    assert found.grade is Grade.NOT_PROVEN
    assert len(found.missing) == 5
    assert part(unread, "feed-1.breaker").grade is Grade.NOT_PROVEN
    # Behind 100 A it fails whatever is unknown: at its best #6 takes 70.
    assert part(fed(100.0, Conductor(metal="copper", size="6", length_feet=40.0)), "feed-1.wire").grade is Grade.FAIL


def test_fifteen_kilowatts_and_five_amps_on_sixty() -> None:
    """62.5 + 5 = 67.5 A, × 1.25 = 84.4: over by label (85, 90), by code, undivided; 43 A are left, two strips."""
    three = fed(60.0, wire("6"), blower=5.0, minimum_circuit_amps=85.0, maximum_device_amps=90.0)
    plate = replace(three, circuits=(*three.circuits, replace(three.circuits[1], id="strip-c")))
    breaker = part(plate, "feed-1.breaker")
    assert [school.grade for school in breaker.schools] == [Grade.FAIL] * 3
    assert told(breaker) == (
        "60 A breaker. The label's MCA is 85 A. 62.5 A of strips on one device. Above 48 A they must be divided, "
        "each part on 60 A at most."
    )
    assert division_of(plate, "feed-1") is Grade.FAIL
    until = interim_of(plate, "feed-1")
    assert until is not None
    # #6 at 75 °C is good for 65 / 1.25 = 52, the breaker for 48: 48 − 5 = 43 ≥ 2 × 20.83.
    assert (until.kind, [entry.strip for entry in until.left_off]) == ("strips-off", ["strip-c"])
    assert (until.left_watts, until.whole_watts) == (10_000.0, 15_000.0)
    assert "answer W together" in render(until.controls)
    assert "far end stays live" in render(until.left_off[0].words)


@pytest.mark.parametrize(
    ("kilowatts", "breaker", "undivided"),
    [
        pytest.param(5.76, 60.0, False, id="48.0 A on 60 A may stay together"),
        pytest.param(5.77, 60.0, True, id="48.1 A may not"),
        pytest.param(5.0, 70.0, True, id="nor may any element behind more than 60 A"),
    ],
)
def test_what_must_be_divided_begins_above_48_amps(kilowatts: float, breaker: float, undivided: bool) -> None:
    """Two strips on one device: heater amps above 48, or a device above 60 A."""
    found = part(fed(breaker, wire("4"), kilowatts=kilowatts, blower=0.1), "feed-1.breaker")
    told_ids = {defect.id for defect in found.defects if not isinstance(defect, str)}
    assert bool(told_ids & {"path.undivided", "path.element-behind"}) is undivided


def test_the_labels_largest_device_and_the_wires_drop() -> None:
    """90 A behind a label of 80; 44.67 A there and back over 40 ft of #6 copper at 0.491 ohm a thousand feet."""
    plate = fed(90.0, wire("2"), minimum_circuit_amps=56.0, maximum_device_amps=80.0)
    assert "path.over-label" in {
        defect.id for defect in part(plate, "feed-1.breaker").defects if not isinstance(defect, str)
    }
    right = fed(80.0, wire("2"), minimum_circuit_amps=56.0, maximum_device_amps=80.0)
    assert "path.over-label" not in {d.id for d in part(right, "feed-1.breaker").defects if not isinstance(d, str)}
    [drop] = part(fed(60.0, wire("6")), "feed-1.wire").notes
    assert not isinstance(drop, str)
    assert dict(drop.figures)["hot"] == pytest.approx(2 * 0.040 * 0.491 * 44.67, rel=0.01)


def test_seven_kilowatts_on_number_ten_behind_forty() -> None:
    """35.2 A, #10 copper takes 30 A: wire too small and device too big; until then 30 A with one strip of 14.6."""
    plate = fed(40.0, wire("10"), kilowatts=3.5, blower=6.0, minimum_circuit_amps=40.0)
    assert part(plate, "feed-1.breaker").grade is Grade.PASS  # the label's MCA of 40 wins over 43.96
    assert told(part(plate, "feed-1.wire")) == (
        "Behind 40 A. The largest device this wire may have is 30 A. Less load does not change that. "
        "The load needs 40.0 A. This wire is good for 30 A."
    )
    until = interim_of(plate, "feed-1")
    assert until is not None
    assert (until.kind, until.device_amps) == ("smaller-device", 30.0)
    # Strip A stays: the blower is fed through its contact.
    assert [entry.strip for entry in until.left_off] == ["strip-b"]
    assert until.left_watts == 3_500.0
    assert render(until.who) == "Feed 1, wire: a licensed electrician"


def test_where_no_strip_fits_the_circuit_stays_off() -> None:
    """#14 takes 15 A: 12 A for hours, and 9 A beside the blower carry no strip of 20.8."""
    until = interim_of(fed(60.0, wire("14")), "feed-1")
    assert until is not None
    assert (until.kind, until.device_amps, until.left_watts) == ("feed-off", None, 0.0)


def test_aluminium_behind_the_next_size_is_a_defect_when_its_own_is_standard() -> None:
    """#2 aluminium at 75 °C carries 90 A, which is a standard size: 100 A is too much, 90 is right."""
    assert "largest device this wire may have is 90 A" in told(part(fed(100.0, wire("2", "aluminium")), "feed-1.wire"))
    assert part(fed(90.0, wire("2", "aluminium")), "feed-1.wire").grade is Grade.PASS


@pytest.mark.parametrize(
    ("lugs", "size", "grade", "words"),
    [
        pytest.param(Lugs(smallest="14", largest="1/0", marked_for="copper"), "2", Grade.FAIL, "marked for copper"),
        pytest.param(Lugs(smallest="14", largest="1/0"), "2", Grade.NOT_PROVEN, ""),
        pytest.param(Lugs(smallest="14", largest="4", marked_for="both"), "2", Grade.FAIL, "made for #14 to #4"),
        pytest.param(replace(WHOLE, strands="cut"), "2", Grade.FAIL, "Strands were cut"),
        pytest.param(WHOLE, "1/0", Grade.PASS, ""),
    ],
)
def test_lugs_against_the_wire_that_lands_there(lugs: Lugs, size: str, grade: Grade, words: str) -> None:
    """Marked for aluminium, of its size, every strand in."""
    found = part(fed(60.0, wire(size, "aluminium"), lugs=lugs), "feed-1.lugs")
    assert found.grade is grade
    assert words in told(found)


def test_a_disconnect_smaller_than_its_breaker() -> None:
    """A 60 A pull-out behind 70 A must stand what the breaker lets through; fuses in it limit by themselves."""
    switch = fed(70.0, wire("4"), disconnect=Disconnect(kind="pull-out", rated_amps=60.0))
    assert "Rated 60 A behind a 70 A breaker" in told(part(switch, "feed-1.disconnect"))
    until = interim_of(switch, "feed-1")
    assert until is not None
    assert (until.kind, until.device_amps, until.left_off) == ("smaller-device", 60.0, ())
    fuses = fed(70.0, wire("4"), disconnect=Disconnect(kind="fused", rated_amps=60.0, opens="fuses"))
    assert part(fuses, "feed-1.disconnect").grade is Grade.PASS


def test_both_legs_open_together_or_it_is_a_defect() -> None:
    """Two single poles without a tie; tied ones and fuses may still lose one leg alone; 277 V has one pole."""
    assert "without a handle tie" in told(part(fed(60.0, wire("6"), opens="untied"), "feed-1.breaker"))
    tied = part(fed(60.0, wire("6"), opens="handle-tie"), "feed-1.breaker")
    assert (tied.grade, render(tied.notes[0])) == (Grade.PASS, "Tied poles can drop one leg alone.")
    neutral = replace(fed(60.0, wire("6"), opens="untied"), nominal_volts=277.0, supply="line-to-neutral")
    assert "without a handle tie" not in told(part(neutral, "feed-1.breaker"))


def test_what_looks_like_a_breaker_and_is_a_switch_divides_nothing() -> None:
    """Four strips behind two built-in switches on 125 A: 83.3 A undivided; behind breakers 41.7 each."""
    staged = PATTERNS["four-strip-staged"]()
    assert division_of(staged, "feed-1") is Grade.PASS
    switches = replace(staged, branches=tuple(replace(b, kind="switch") for b in staged.branches))
    assert division_of(switches, "feed-1") is Grade.FAIL
    assert "83.3 A of strips on one device" in told(part(switches, "feed-1.breaker"))
    assert "does not limit" in render(part(switches, "branch-1").notes[0])


def test_a_strip_behind_its_own_breaker_or_call_is_left_off_by_it() -> None:
    """On 80 A instead of 125: 64 − 4 of blower is 60, two strips: the W2 pair goes by its own breaker."""
    staged = PATTERNS["four-strip-staged"]()
    plate = replace(staged, feeds=(replace(staged.feeds[0], breaker_amps=80.0),))
    until = interim_of(plate, "feed-1")
    assert until is not None
    assert [(entry.strip, entry.how) for entry in until.left_off] == [
        ("strip-c", "own-breaker"), ("strip-d", "own-breaker")]  # fmt: skip


def test_the_outdoor_units_label_amps_count_on_what_it_shares() -> None:
    """44.67 A and a label of 22: 1.25 × 44.67 + 22 = 77.8 on 90 A, and not on 70; unknown label amps prove nothing."""
    shared = SharedSupply(id="sub-panel-1", rated_amps=90.0, opens="two-pole", outdoor_amps=22.0)
    plate = fed(60.0, wire("6"), behind="sub-panel-1", shared=(shared,))
    assert part(plate, "sub-panel-1.device").load.minimum_circuit_amps == pytest.approx(77.83, abs=0.01)
    assert part(plate, "sub-panel-1.device").grade is Grade.PASS
    assert part(plate, "feed-1.breaker").parent == "sub-panel-1.device"
    # The label's amps have their quarter in them: 0.8 × (90 − 22) + 22.
    assert part(plate, "sub-panel-1.device").allows_amps == pytest.approx(76.4)
    small = replace(plate, shared=(replace(shared, rated_amps=70.0),))
    assert part(small, "sub-panel-1.device").grade is Grade.FAIL
    unread = replace(plate, shared=(replace(shared, outdoor_amps=None),))
    assert part(unread, "sub-panel-1.device").grade is Grade.NOT_PROVEN


@pytest.mark.parametrize(
    ("lead", "grade"),
    # 20.83 × 1.25 = 26.04: #12 carries 30 at 90 °C, #14 carries 25.
    [
        (("12", 105.0), Grade.PASS),
        (("14", 150.0), Grade.FAIL),
        (("12", 90.0), Grade.FAIL),
        ((None, 150.0), Grade.NOT_PROVEN),
    ],
)
def test_a_strips_own_leads(lead: tuple[str | None, float], grade: Grade) -> None:
    """Their size against 1.25 × its amps, 105 °C beside a strip."""
    plate = fed(60.0, wire("6"))
    strip = replace(plate.circuits[0], lead_size=lead[0], lead_degc=lead[1])
    assert part(replace(plate, circuits=(strip, plate.circuits[1])), "strip-a").grade is grade


@pytest.mark.parametrize(
    ("va", "fuse", "grade"),
    [(75.0, 5.0, Grade.PASS), (100.0, 5.0, Grade.FAIL), (40.0, 7.5, Grade.FAIL), (40.0, None, Grade.NOT_PROVEN)],
)
def test_the_control_side_stays_class_2(va: float, fuse: float | None, grade: Grade) -> None:
    """Under 100 VA, 3 or 5 A of fuse."""
    plate = fed(60.0, wire("6"))
    assert part(replace(plate, transformer=replace(plate.transformer, va=va, fuse_amps=fuse)), "control").grade is grade


SIZES = st.sampled_from([(metal, size) for metal, sizes in AMPACITIES.items() for size in sizes])
DEVICES = st.sampled_from([None, *STANDARD_DEVICES])
UNKNOWN = ("insulation_degc", "terminals_degc", "ambient_degf", "carrying", "cable")


@given(SIZES, DEVICES, st.sampled_from([60, 75, 90]), st.sampled_from([60, 75]), st.floats(60, 160), st.integers(1, 12),
       st.sampled_from(["jacketed", "single"]), st.floats(1, 12), st.sets(st.sampled_from(UNKNOWN)))  # fmt: skip
def test_nothing_gets_better_by_more_load_heat_or_company_nor_by_not_knowing(
    made: tuple[str, str], device: float | None, own: int, ends: int, degf: float, carrying: int, cable: str,
    kilowatts: float, unknown: set[str],
) -> None:  # fmt: skip
    """No part's margin grows, no fail turns pass; what nobody read makes neither pass nor fail of the other."""
    known: dict[str, Any] = {
        "insulation_degc": own, "terminals_degc": ends, "ambient_degf": degf, "carrying": carrying, "cable": cable,
    }  # fmt: skip
    metal, size = made
    plate = fed(device, wire(size, metal, **known), kilowatts=kilowatts)
    worse = [
        fed(device, wire(size, metal, **known), kilowatts=kilowatts + 1),
        fed(device, wire(size, metal, **known), kilowatts=kilowatts, blower=6.0),
        fed(device, wire(size, metal, **{**known, "ambient_degf": degf + 20}), kilowatts=kilowatts),
        fed(device, wire(size, metal, **{**known, "carrying": carrying + 4}), kilowatts=kilowatts),
        fed(device, wire(size, metal, **{**known, "length_feet": 150.0}), kilowatts=kilowatts),
    ]
    for other in worse:
        for before, after in zip(path_of(plate), path_of(other), strict=True):
            assert (after.margin_amps or 0.0) <= (before.margin_amps or 0.0) + 1e-6
            assert not (before.grade is Grade.FAIL and after.grade is Grade.PASS)
    unread = fed(device, wire(size, metal, **{**known, **dict.fromkeys(unknown)}), kilowatts=kilowatts)
    sure, unsure = part(plate, "feed-1.wire").grade, part(unread, "feed-1.wire").grade
    assert unsure in (sure, Grade.NOT_PROVEN)


@given(SIZES, st.sampled_from(STANDARD_DEVICES), st.floats(1, 12), st.floats(0.5, 10))
def test_until_it_is_corrected_no_device_grows_and_what_runs_on_fits(
    made: tuple[str, str], device: float, kilowatts: float, blower: float
) -> None:
    """Never a larger device; what stays on is within 80 % of it, within its wire, and no more than 48 A of strips."""
    plate = fed(device, wire(made[1], made[0]), kilowatts=kilowatts, blower=blower)
    until = interim_of(plate, "feed-1")
    if until is None or until.kind == "feed-off":
        return
    amps = until.device_amps or device
    assert amps <= device
    off = {entry.strip for entry in until.left_off}
    kept = 1000 * kilowatts / 240 * sum(c.id not in off for c in plate.circuits)
    assert kept + blower <= 0.8 * amps + 1e-6
    assert kept <= 48 + 1e-6
    assert amps <= part(plate, "feed-1.wire").checks[0].largest_device_amps
    assert until.left_watts == pytest.approx(1000 * kilowatts * (2 - len(off)))


@pytest.mark.parametrize(
    ("made", "field"),
    [
        (lambda: Conductor(metal="aluminium", size="14", length_feet=10), "size"),
        (lambda: Conductor(metal="copper", size="5", length_feet=10), "size"),
        (lambda: Conductor(metal="copper", size="6", length_feet=0), "length_feet"),
        (lambda: Conductor(metal="copper", size="6", length_feet=10, ambient_degf=500), "ambient_degf"),
        (lambda: Conductor(metal="copper", size="6", length_feet=10, carrying=0), "carrying"),
        (lambda: Feed(id="feed-1", breaker_amps=55), "breaker_amps"),
        (lambda: Feed(id="feed-1", at_unit="breaker", unit_device_amps=47), "unit_device_amps"),
        (lambda: BranchDevice(id="branch-1", feed="feed-1", rated_amps=61), "rated_amps"),
        (lambda: Lugs(smallest="2", largest="14"), "largest"),
        (lambda: SharedSupply(id="sub", outdoor_amps=-1), "outdoor_amps"),
        (lambda: fed(60.0, None, behind="sub-panel-9"), "feeds[0].behind"),
        (lambda: fed(60.0, None, shared=(SharedSupply(id="sub-panel-1"),)), "shared[0]"),
    ],
)
def test_what_is_not_made_is_refused(made: object, field: str) -> None:
    """With the field that is wrong."""
    with pytest.raises(NameplateError) as caught:
        made()  # type: ignore[operator]
    assert caught.value.field == field
