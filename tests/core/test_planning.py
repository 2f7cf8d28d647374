"""The van list: chances by hand, the smallest set, complaints that bend it."""

import pytest

from plentar.core.causes.faults import COMPLAINTS, faults_of
from plentar.core.unit.patterns import PATTERNS
from plentar.core.work.planning import part_for, plan_van
from plentar.words import render

TWO, DC = PATTERNS["two-strip-sequencer"](), PATTERNS["three-strip-dc-relay"]()


@pytest.mark.parametrize("name", sorted(PATTERNS))
def test_every_fault_asks_for_a_part_or_for_none(name: str) -> None:
    """Whatever breaks, the list knows a part by name or that hands are enough; healthy units need nothing."""
    plate = PATTERNS[name]()
    for fault in faults_of(plate):
        part = part_for(plate, fault)
        assert bool(part.id) == bool(part.words)
        if ".element." in fault.id:
            assert "element" in render(part.words)


def test_chances_follow_the_weights() -> None:
    """One call: a part's chance is its faults' weight over all weight, bent by the complaint; two calls add up."""
    complaint = "not enough heat"
    weights = {f.id: f.weight * COMPLAINTS[complaint].get(f.kind, 1.0) for f in faults_of(TWO)}
    wanted = sum(w for i, w in weights.items() if i.endswith("link.open")) / sum(weights.values())
    one = {render(item.part.words): item for item in plan_van([(TWO, [complaint])]).items}
    assert one["fusible links"].chance == pytest.approx(wanted)
    two = {render(item.part.words): item for item in plan_van([(TWO, [complaint]), (TWO, [complaint])]).items}
    assert two["fusible links"].chance == pytest.approx(1 - (1 - wanted) ** 2)
    assert two["fusible links"].expected_fixes == pytest.approx(2 * wanted)


def test_the_set_is_the_smallest_that_reaches_the_share() -> None:
    """One part less and it would not; with the same parts for both calls it is no longer than for one."""
    van = plan_van([(TWO, ["no heat"]), (DC, ["no heat"])])
    assert van.covered >= 0.9
    last = van.items[van.smallest - 1]
    assert van.covered - last.expected_fixes / 2 < 0.9
    fixes = [item.expected_fixes for item in van.items]
    assert fixes == sorted(fixes, reverse=True)


def test_the_complaint_bends_the_list_and_no_calls_need_nothing() -> None:
    """A dead blower puts the capacitor or the relay first; an empty day an empty list."""
    first = [render(item.part.words) for item in plan_van([(TWO, ["blower dead"])]).items[:3]]
    assert any("blower" in words or "capacitor" in words for words in first)
    empty = plan_van([])
    assert (empty.items, empty.smallest, empty.covered) == ((), 0, 1.0)
