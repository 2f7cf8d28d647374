"""Every wiring pattern in the blower's four rows, against a table worked out by hand."""

import pytest

from plentar.core.circuit.changes import Changes
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.probe import read_amps
from plentar.core.circuit.solve import Variants, settle
from plentar.core.circuit.wiring import wire
from plentar.core.unit.patterns import PATTERNS

# For none, G, W, W and G: does the blower run, and how many strips draw.
ROWS = {
    "two-strip-sequencer": ((False, 0), (True, 0), (True, 2), (True, 2)),
    "three-strip-dc-relay": ((False, 0), (True, 0), (True, 3), (True, 3)),
    "wye-contactor": ((False, 0), (True, 0), (True, 2), (True, 2)),
    "four-strip-chained": ((False, 0), (True, 0), (True, 4), (True, 4)),
    "one-strip-dpdt": ((False, 0), (True, 0), (True, 1), (True, 1)),
    "two-strip-ac-relay": ((False, 0), (True, 0), (True, 2), (True, 2)),
    "three-strip-ecm": ((False, 0), (True, 0), (True, 3), (True, 3)),
    "four-strip-staged": ((False, 0), (True, 0), (True, 2), (True, 2)),
    "six-strip-chained": ((False, 0), (True, 0), (True, 6), (True, 6)),
}


def rows_of(name: str, changes: Changes | None = None) -> tuple[tuple[bool, int], ...]:
    """What runs for none, G, W, both."""
    plate = PATTERNS[name]()
    variants = Variants(wire(plate), [changes or Changes()])
    found = []
    for calls in ("", "G", "W", "WG"):
        settled = settle(variants, Drive(calls=frozenset(calls)))
        strips = sum(bool(read_amps(settled, f"amps:{c.id}")[0] > 5) for c in plate.circuits)
        found.append((bool(read_amps(settled, "amps:blower")[0] > 0.5 * plate.blower.rated_amps), strips))
    return tuple(found)


@pytest.mark.parametrize("name", sorted(ROWS))
def test_blower_and_strips_in_the_four_rows(name: str) -> None:
    """Blower in the last three, strips only with W; the staged unit's other two wait for W2."""
    assert rows_of(name) == ROWS[name]


@pytest.mark.parametrize(
    ("name", "changes", "expected"),
    [
        pytest.param(
            "two-strip-sequencer",
            Changes(forced={"blower-relay.no": False}),
            ((False, 0), (False, 0), (True, 2), (False, 2)),
            id="NO dead: G stops what heat would run",
        ),
        pytest.param(
            "two-strip-sequencer",
            Changes(forced={"blower-relay.nc": False}),
            ((False, 0), (True, 0), (False, 2), (True, 2)),
            id="NC dead: heat without air",
        ),
        pytest.param(
            "two-strip-sequencer",
            Changes(forced={"blower-relay.no": True}),
            ((True, 1), (True, 0), (True, 2), (True, 2)),
            id="NO welded: with NC at rest it back-feeds a strip",
        ),
        pytest.param(
            "two-strip-sequencer",
            Changes(forced={"blower-relay.nc": True}),
            ((False, 0), (True, 1), (True, 2), (True, 2)),
            id="NC welded: a fan call back-feeds a strip",
        ),
        pytest.param(
            "two-strip-sequencer",
            Changes(forced={"seq-a.pole-1": False}),
            ((False, 0), (True, 0), (False, 1), (True, 1)),
            id="first pole dead: looks like a dead blower",
        ),
        pytest.param(
            "two-strip-sequencer",
            Changes(forced={"seq-a.pole-1": True}),
            ((True, 1), (True, 1), (True, 2), (True, 2)),
            id="first pole welded: heat and blower with no call",
        ),
        pytest.param(
            "four-strip-chained",
            Changes(forced={"seq-a.pole-1": False}),
            ((False, 0), (True, 0), (False, 4), (True, 4)),
            id="fan pole dead: four strips without air",
        ),
        pytest.param(
            "one-strip-dpdt",
            Changes(forced={"blower-relay.nc-2": True}),
            ((False, 0), (True, 0), (True, 1), (True, 1)),
            id="DPDT interlock welded: low tap only joins in heat",
        ),
    ],
)
def test_relay_and_pole_failures_in_the_four_rows(
    name: str, changes: Changes, expected: tuple[tuple[bool, int], ...]
) -> None:
    """Each failure shows in the row that gives it away."""
    assert rows_of(name, changes) == expected


def test_a_back_feed_is_told_by_its_direction() -> None:
    """Heat with no call: the interlock lead carries blower current from a stuck pole, strip current from the relay."""
    plate = PATTERNS["two-strip-sequencer"]()
    stuck, fed = Changes(forced={"seq-a.pole-1": True}), Changes(forced={"blower-relay.no": True})
    settled = settle(Variants(wire(plate), [stuck, fed]), Drive())
    amps = read_amps(settled, "amps:interlock")
    assert amps[0] == pytest.approx(2.7, abs=0.2)
    assert amps[1] == pytest.approx(20.6, abs=0.6)
