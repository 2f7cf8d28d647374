"""Part check, ledger and proof."""

from dataclasses import replace

import pytest

from plentar.core.errors import NameplateError, ReadingError
from plentar.core.evidence.events import LedgerLead
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.nameplate import Window
from plentar.core.unit.patterns import PATTERNS
from plentar.core.work.ledger import DEAD, LOOSE, check_ledger, leads_of
from plentar.core.work.proof import proof_items, prove, total_agrees, touched_by
from plentar.core.work.substitution import Part, check_part, parts_needed, worst_of
from plentar.words import render

TWO, DC = PATTERNS["two-strip-sequencer"](), PATTERNS["three-strip-dc-relay"]()
AC = Part(name="AC relay", kind="ac-relay", rated_amps=25.0, rating="resistive", coil="AC", tab_inches=0.25)
SAME = Part(
    name="sequencer",
    kind="sequencer",
    poles=2,
    rated_amps=25.0,
    rating="resistive",
    coil="heater",
    on_window=Window(min_seconds=10, max_seconds=60),
    off_window=Window(min_seconds=40, max_seconds=110),
    tab_inches=0.25,
    tabs=2,
)


def line(unit: str, device: str, part: Part, name: str) -> tuple[str, str, str]:
    """One line of a check: verdict, words, changes."""
    found = next(entry for entry in check_part(PATTERNS[unit](), device, part) if render(entry.name).startswith(name))
    return found.grade.value, render(found.words), render(found.changes)


def test_the_same_part_fits() -> None:
    """Every line of a like sequencer passes."""
    assert worst_of(check_part(TWO, "seq-a", SAME)) is Grade.PASS


@pytest.mark.parametrize(
    ("changes", "name", "grade", "words"),
    [
        ({"rated_amps": 23.0}, "Contact", "marginal", "20.8 A on 23 A, 91 %"),
        ({"rated_amps": 20.0}, "Contact", "fail", "104 %"),
        ({"rated_amps": None}, "Contact", "not proven", "rating is not known"),
        ({"rating": "motor"}, "Contact", "fail", "for a motor, not for a heater"),
        ({"poles": 1}, "Poles", "fail", "2 needed, 1 available"),
        ({"poles": 3}, "Poles", "pass", "2 needed, 3 available"),
        ({"coil_volts": 120.0}, "Coil volts", "fail", "120 V on a 24 V control"),
        ({"coil": "DC"}, "Coil kind", "fail", "needs its own rectifier"),
        ({"kind": "blower-relay"}, "Kind", "fail", "Never use a blower relay as a heat contact"),
        ({"kind": "limit"}, "Kind", "fail", "switches nothing"),
        ({"holding_amps": 1.4}, "Control", "marginal", "95 %"),
        ({"holding_amps": 1.8}, "Control", "fail", "%"),
        ({"on_window": None}, "Timing", "not proven", "No time is printed"),
        ({"on_window": Window(min_seconds=60, max_seconds=200)}, "On time", "marginal", "was 10 to 60 s"),
        ({"tab_inches": 0.1875}, "Coil tabs", "marginal", "0.1875 in, but the harness"),
        ({"tabs": 1}, "Tabs and adapters", "marginal", "1 piggyback adapters"),
        ({"tabs": None}, "Tabs and adapters", "not proven", "carries 2 leads"),
    ],
)
def test_each_line_by_hand(changes: dict[str, object], name: str, grade: str, words: str) -> None:
    """A 5 kW strip draws 20.8 A at 240 V; 40 VA is 1.67 A; the blower relay holds with 0.18 A."""
    found = line("two-strip-sequencer", "seq-a", replace(SAME, **changes), name)  # type: ignore[arg-type]
    assert found[0] == grade
    assert words in found[1]


def test_two_parts_take_the_place_of_one() -> None:
    """Three poles and an auxiliary on two of two poles: split, two heaters to hold, a bridge at each of their ends."""
    plate = PATTERNS["four-strip-chained"]()
    assert parts_needed(plate, "seq-a", SAME) == 2
    assert parts_needed(TWO, "seq-a", SAME) == 1
    assert parts_needed(plate, "seq-a", replace(SAME, poles=1)) == 1
    lines = {render(entry.name): entry for entry in check_part(plate, "seq-a", SAME, count=2)}
    assert lines["Poles"].grade is Grade.PASS
    assert render(lines["Two for one"].words).startswith(
        "Poles 1 and 2 on the first, 3 and the auxiliary on the second"
    )
    assert "Time both" in render(lines["Two for one"].changes)
    assert render(lines["Tabs and adapters"].words) == "2 piggyback adapters needed."
    alone = next(e for e in check_part(plate, "seq-a", replace(SAME, poles=4)) if e.name == "Control")
    assert dict(lines["Control"].words.figures)["total"] > dict(alone.words.figures)["total"]  # type: ignore[union-attr]


def test_an_ac_part_for_a_dc_relay_takes_the_supply_ahead_of_the_rectifier() -> None:
    """Allowed, with the move of the coil lead and the adaptor leads said."""
    grade, words, changes = line("three-strip-dc-relay", "relay-b", AC, "Coil kind")
    assert grade == "marginal"
    assert "ahead of the rectifier" in words
    assert "24 VAC input" in changes
    assert "adapter leads" in line("three-strip-dc-relay", "relay-b", AC, "Coil tabs")[2]
    assert line("three-strip-dc-relay", "relay-b", AC, "Kind")[2] == "It moves at once, as before."


def test_heat_must_not_outlast_the_blower() -> None:
    """On the strip that does not carry the blower, a sequencer that lets go after it is refused."""
    slow = replace(SAME, poles=1, off_window=Window(min_seconds=100, max_seconds=240))
    found = line("three-strip-dc-relay", "relay-b", slow, "Blower off")
    assert found[0] == "fail"
    assert "Heat must not run longer than the blower" in found[1]


def test_the_blower_relay_wants_change_over_contacts() -> None:
    """A heat relay cannot make an interlock; one contact is not two."""
    relay = Part(name="b", kind="blower-relay", rated_amps=12.0, rating="motor", coil="AC")
    assert worst_of(check_part(TWO, "blower-relay", relay)) is Grade.PASS
    assert line("two-strip-sequencer", "blower-relay", AC, "Kind")[0] == "fail"
    assert line("one-strip-dpdt", "blower-relay", relay, "Contacts")[0] == "fail"


@pytest.mark.parametrize("bad", [{"name": " "}, {"poles": 0}, {"rated_amps": -1.0}, {"kind": "fuse"}])
def test_parts_that_cannot_be(bad: dict[str, object]) -> None:
    """With the field that is wrong."""
    with pytest.raises(NameplateError) as caught:
        replace(AC, **bad)  # type: ignore[arg-type]
    assert caught.value.field == next(iter(bad))


def rows(**after: str) -> list[LedgerLead]:
    """The sequencer's ledger with some leads landed elsewhere, by the terminal they belong on."""
    ends = leads_of(TWO, "seq-a")
    return [LedgerLead(lead=e.lead, before=e.terminal, after=after.get(e.terminal, e.terminal)) for e in ends]


def test_a_ledger_with_everything_in_place_has_nothing_to_say() -> None:
    """Seven leads: two on the heater, four on the poles, and the interlock's beside strip A's."""
    assert len(rows()) == 7
    assert check_ledger(TWO, "seq-a", rows()) == ()


@pytest.mark.parametrize(
    ("after", "kind"),
    [
        ({"seq-a.pole-2.load": DEAD}, "dead terminal"),
        ({"seq-a.pole-2.load": LOOSE}, "loose"),
        ({"seq-a.pole-2.load": "seq-a.pole-1.load"}, "wrong terminal"),
        ({"seq-a.pole-2.load": "seq-a.pole-1.load"}, "joined"),
    ],
)
def test_a_lead_that_went_astray_is_told(after: dict[str, str], kind: str) -> None:
    """Dead terminal, loose, another's terminal, two on one."""
    notes = check_ledger(TWO, "seq-a", rows(**after))
    assert notes[0].grade is Grade.FAIL
    assert kind in [note.kind for note in notes]


def test_moved_back_to_its_place_and_marked_ends() -> None:
    """A lead found on the wrong terminal and put right is only noted; a heat-marked end left is marginal."""
    found = [replace(row, before="seq-a.pole-1.line") if row.after == "seq-a.pole-2.line" else row for row in rows()]
    found[0] = replace(found[0], end_state="heat-marked")
    kinds = {note.kind: note.grade for note in check_ledger(TWO, "seq-a", found)}
    assert kinds == {"moved": Grade.PASS, "heat-marked": Grade.MARGINAL}


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda rows: rows[1:], "every lead of the part belongs in the ledger: 1 missing"),
        (lambda rows: [*rows, replace(rows[0], lead="x")], "has no lead 'x'"),
        (lambda rows: [replace(rows[0], after="relay-z.coil.1"), *rows[1:]], "has no terminal"),
    ],
)
def test_ledgers_that_are_none(change: object, words: str) -> None:
    """Refused in words."""
    assert callable(change)
    with pytest.raises(ReadingError, match=words):
        check_ledger(TWO, "seq-a", change(rows()))


def reading(point: str, value: float, *calls: str) -> Reading:
    """A reading ten minutes into some calls."""
    return Reading(
        point=point,
        value=value,
        condition=Condition(feeds=(("feed-1", "live"),), calls=tuple((call, 600.0) for call in calls)),
    )


def test_a_repair_is_proven_by_all_that_could_have_been_upset() -> None:
    """Supply, both strips on and off, blower with heat and with fan, and what failed first of all."""
    items = proof_items(TWO, touched_by(TWO, (), ()), ["amps:strip-b"])
    assert items[0].point == "amps:strip-b"
    assert {(item.point, tuple(sorted(item.calls))) for item in items} == {
        ("volts:feed-1.l1:feed-1.l2", ("W",)),
        ("amps:strip-a", ("W",)),
        ("amps:strip-b", ("W",)),
        ("amps:blower", ("W",)),
        ("amps:blower", ("G",)),
        ("amps:feed-1", ("G", "W")),
        ("amps:feed-1", ()),
        ("amps:strip-a", ()),
        ("amps:strip-b", ()),
    }
    before = [reading("volts:feed-1.l1:feed-1.l2", 238.0, "W"), reading("amps:strip-b", 0.0, "W")]
    good = [
        reading("volts:feed-1.l1:feed-1.l2", 238.0, "W"),
        reading("amps:strip-a", 20.5, "W"),
        reading("amps:strip-b", 20.4, "W"),
        reading("amps:blower", 2.8, "W"),
        reading("amps:blower", 2.8, "G"),
        reading("amps:feed-1", 43.2, "W", "G"),
        reading("amps:feed-1", 0.0),
        reading("amps:strip-a", 0.0),
        reading("amps:strip-b", 0.0),
    ]
    proofs = prove(TWO, items, before, good)
    assert all(proof.is_proven for proof in proofs)
    assert proofs[0].before is not None
    assert render(proofs[0].before.spoken) == "fail: dead"
    cold = [replace(r, value=0.0) if r.point == "amps:strip-b" and r.condition.calls else r for r in good]
    unproven = [render(proof.item.words) for proof in prove(TWO, items, before, cold) if not proof.is_proven]
    assert unproven == ["Strip B, heat calling", "Feed total, heat and fan calling together"]
    assert not any(proof.is_proven for proof in prove(TWO, items, good, []))


def needed(faults: tuple[str, ...], parts: tuple[str, ...] = ()) -> set[tuple[str, tuple[str, ...]]]:
    """What the proof of a repair asks for, of two strips on one feed."""
    items = proof_items(TWO, touched_by(TWO, faults, parts))
    return {(item.point, tuple(sorted(item.calls))) for item in items if item.is_needed}


def test_a_proof_asks_for_what_the_repair_could_have_upset_and_no_more() -> None:
    """A link: its strip, the feed's total for the other, ohms before power; an element no ohms; a relay the fan too."""
    strip = {
        ("volts:feed-1.l1:feed-1.l2", ("W",)),
        ("amps:strip-b", ("W",)),
        ("amps:feed-1", ("W",)),
        ("amps:blower", ("W",)),
        ("amps:feed-1", ()),
    }
    before_power = {("ohms:strip-b.element", ()), ("ohms:strip-b.element.1:ground", ()), ("ohms:strip-b.limit", ())}
    assert needed(("strip-b.link.open",)) == strip | before_power
    assert needed(("strip-b.element.open",)) == strip
    relay = needed(("blower-relay.nc.open",))
    assert ("amps:blower", ("G",)) in relay
    assert ("amps:strip-b", ("W",)) not in relay
    assert ("amps:blower", ("G",)) in needed(("strip-b.element.open",), ("blower-relay",))
    # A sequencer carries both strips; what nobody named may have upset everything.
    assert {("amps:strip-a", ("W",)), ("amps:strip-b", ("W",))} <= needed(("seq-a.pole-2.open",))
    assert {("amps:strip-a", ("W",)), ("amps:strip-b", ("W",)), ("amps:blower", ("G",))} <= needed(())


@pytest.mark.parametrize(
    ("total", "speaks"),
    [
        pytest.param(43.4, True, id="both strips and the blower"),
        pytest.param(39.5, True, id="4.3 A low, 5.2 A with the doubts"),
        pytest.param(39.3, False, id="4.5 A low, 5.4 A with the doubts"),
        pytest.param(33.0, False, id="the other strip half dead"),
        pytest.param(48.2, False, id="4.4 A high, 5.3 A with the doubts"),
    ],
)
def test_a_total_speaks_for_a_strip_within_a_quarter_of_the_smallest(total: float, speaks: bool) -> None:
    """240 V over 11.52 ohms: 20.83 A a strip; a blower of 3 A draws 1.2 to 3: 2.1, 0.9 either way; a quarter, 5.2."""
    feed, volts = reading("amps:feed-1", total, "W"), reading("volts:feed-1.l1:feed-1.l2", 240.0, "W")
    assert total_agrees(TWO, "feed-1", feed, volts, {}, None) is speaks


def test_what_was_clamped_counts_as_it_was_and_the_blower_as_read() -> None:
    """Strip B at 19.8 A and the blower at 2.0 A: 42.6 A is what all of it should be."""
    feed, volts = reading("amps:feed-1", 42.6, "W"), reading("volts:feed-1.l1:feed-1.l2", 240.0, "W")
    blower = reading("amps:blower", 2.0, "W")
    assert total_agrees(TWO, "feed-1", feed, volts, {"strip-b": 19.8}, blower)
    assert not total_agrees(TWO, "feed-1", replace(feed, value=36.5), volts, {"strip-b": 19.8}, blower)
