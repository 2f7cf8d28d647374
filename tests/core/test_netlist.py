"""The network core against a general circuit simulator: every example unit, condition and single fault."""

import re
import subprocess
from pathlib import Path

import numpy as np
import pytest

from plentar.core.causes.faults import faults_of
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.solve import Variants, settle
from plentar.core.circuit.wiring import wire
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from plentar.formats.netlist import deck
from tests.units import EVERY_UNIT

FOUR = (frozenset[str](), frozenset({"G"}), frozenset({"W", "W2"}), frozenset({"W", "W2", "G"}))
NAMES = ["idle", "fan", "heat", "both", "separate source"]


def drives(plate: Nameplate) -> list[Drive]:
    """Four calls on a live unit, and heat jumpered from a separate source with every feed off."""
    feeds = frozenset(feed.id for feed in plate.feeds)
    heat = frozenset({"W", "W2"} & set(plate.calls))
    second = Drive(calls=heat, dead_feeds=feeds, has_control=False, separate=True, bypassed=True)
    return [*(Drive(calls=calls & set(plate.calls)) for calls in FOUR), second]


def simulate(lines: list[str], folder: Path) -> dict[str, complex]:
    """Solve a deck with ngspice and return the phasor of every node."""
    path = folder / "deck.cir"
    control = [".options gmin=1e-15 reltol=1e-9", ".control", "ac lin 1 60 60", "print all", ".endc", ".end"]
    path.write_text("\n".join(["* comparison", *lines, *control]) + "\n")
    done = subprocess.run(["/usr/bin/ngspice", "-b", str(path)], check=False, capture_output=True, text=True)
    found = re.findall(r"^(n[\w.]+) = ([-+.\de]+),([-+.\de]+)", done.stdout, re.MULTILINE)
    assert found, done.stdout[-2000:] + done.stderr[-2000:]
    return {name: complex(float(re_part), float(im_part)) for name, re_part, im_part in found}


@pytest.mark.parametrize("number", range(5), ids=NAMES)
@pytest.mark.parametrize("name", EVERY_UNIT)
def test_node_volts_agree_with_the_simulator(name: str, number: int, tmp_path: Path) -> None:
    """Each node of each single fault within 0.1 % or 10 mV, whichever is larger, floating ones included."""
    plate = PATTERNS[name]()
    # Each fault under every second condition at its usual size, under the others at its largest.
    changes = [fault.variants[-1] if (at + number) % 2 else fault.usual for at, fault in enumerate(faults_of(plate))]
    settled = settle(Variants(wire(plate), changes), drives(plate)[number])
    lines = [line for row in range(len(changes)) for line in deck(settled, row, f"x{row}x") if line[0] != "*"]
    nodes = simulate(lines, tmp_path)
    worst = 0.0
    for row in range(len(changes)):
        for number in np.unique(settled.variants.node_of[row])[1:]:
            ours, theirs = settled.volts[row, number], nodes[f"nx{row}x{number}"]
            worst = max(worst, abs(ours - theirs) / max(0.01, 0.001 * abs(theirs)))
    assert worst <= 1.0
