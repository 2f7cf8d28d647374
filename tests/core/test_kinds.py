"""Device kinds: what every row must hold, and a semiconductor in place of a metal contact."""

import math
from dataclasses import replace

import numpy as np
import pytest

from plentar.core.causes.catalogue import catalogue
from plentar.core.causes.diagnosis import diagnose
from plentar.core.causes.faults import fault_by_id, faults_of
from plentar.core.circuit.changes import NO_CHANGE, Changes
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.probe import read_amps, read_volts
from plentar.core.circuit.solve import Solution, Variants, settle
from plentar.core.circuit.wiring import wire
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.judging.situation import Situation
from plentar.core.judging.verdict import judge
from plentar.core.limits.table import DEFAULT_LIMITS, coil_limit
from plentar.core.unit.kinds import KINDS, Kind
from plentar.core.unit.nameplate import Nameplate, SwitchingDevice
from plentar.core.unit.patterns import PATTERNS
from plentar.core.work.planning import part_for
from plentar.words import render

HEAT = Drive(calls=frozenset({"W"}))
FEEDS = (("feed-1", "live"),)
LINE = "volts:feed-1.l1:feed-1.l2"


def with_kind(kind: Kind) -> Nameplate:
    """Two strips of 5 kW, each on its own device of a kind."""
    plate = PATTERNS["two-strip-ac-relay"]()
    devices = tuple(replace(d, kind=kind.id, coil_ohms=None, holding_amps=None) for d in plate.devices)
    circuits = tuple(replace(c, rated_watts=5000.0, rated_volts=240.0) for c in plate.circuits)
    transformer = replace(plate.transformer, primary_volts=240.0)
    return replace(plate, nominal_volts=240.0, devices=devices, circuits=circuits, transformer=transformer)


def solved(plate: Nameplate, drive: Drive, changes: Changes = NO_CHANGE) -> Solution:
    return settle(Variants(wire(plate), [changes]), drive)


def volts(at: Solution, a: str, b: str, meter_ohms: float = 10e6) -> float:
    return float(read_volts(at, a, b, meter_ohms=meter_ohms)[0][0])


@pytest.mark.parametrize("kind", KINDS.values(), ids=KINDS)
def test_a_kind_works_from_the_call_to_the_van(kind: Kind) -> None:
    """Under heat both strips draw, without a call none; its faults, tests, limits and spare part are there."""
    plate = with_kind(kind)
    on, off = solved(plate, HEAT), solved(plate, Drive())
    assert read_amps(on, "amps:strip-a")[0] == pytest.approx(20.8, abs=0.5)
    assert read_amps(off, "amps:strip-a")[0] < DEFAULT_LIMITS.number("dead_below_amps")
    device = plate.devices[0].id
    assert {f"{device}.coil.open", f"{device}.pole-1.open", f"{device}.pole-1.welded"} <= {
        fault.id for fault in faults_of(plate)
    }
    assert (coil_limit(kind) in {row for row, _ in DEFAULT_LIMITS._bands.items()}) == (kind.ohms_band is not None)
    offered = {test.point for test in catalogue(plate)}
    assert (f"ohms:{device}.coil" in offered) == (kind.ohms_band is not None)
    assert f"{kind.coil_function}:{device}.coil.1:{device}.coil.2" in offered
    assert kind.van(1) == part_for(plate, fault_by_id(plate, f"{device}.pole-1.open")).words


def test_a_semiconductor_drops_its_volt_under_load_and_that_passes() -> None:
    """1.2 V at 20.8 A: a metal contact that drops as much fails, this one is closed; at 2.4 V it fails too."""
    plate = with_kind(KINDS["solid-state-relay"])
    pole = f"volts:{plate.devices[1].id}.pole-1.load:{plate.devices[1].id}.pole-1.line"
    _, a, b = pole.split(":")
    assert volts(solved(plate, HEAT), a, b) == pytest.approx(1.2, abs=0.05)
    for unit, shown, spoken in (
        (plate, 1.2, "pass: closed"),
        (plate, 1.8, "marginal: burning"),
        (plate, 2.4, "fail: high resistance"),
        (with_kind(KINDS["ac-relay"]), 1.2, "fail: high resistance"),
    ):
        condition = Condition(feeds=FEEDS, calls=(("W", 60.0),))  # type: ignore[arg-type]
        taken = [Reading(point="amps:strip-b", value=20.8, condition=condition)]
        verdict = judge(
            Situation(plate=unit, readings=taken),
            Reading(point=pole, value=shown, condition=condition, meter_uncertainty=0.05),
        )
        assert render(verdict.spoken) == spoken


def test_a_semiconductor_leaks_milliamps_and_makes_ghosts_a_low_impedance_meter_tells() -> None:
    """Off, 4 mA pass and the element stands at 46 mV; behind an open element 60 kΩ and 3 kΩ divide 240 V to 11."""
    plate = with_kind(KINDS["solid-state-relay"])
    device = plate.devices[1].id
    off = solved(plate, Drive())
    assert float(np.abs(off.amps("amps:strip-b"))[0]) == pytest.approx(240 / 60e3, rel=0.02)
    broken = solved(plate, Drive(), Changes(ohms={"strip-b.element": (math.inf, math.inf)}))
    ends = f"{device}.pole-1.load", "feed-1.l1"
    assert volts(broken, *ends) > 230
    assert volts(broken, *ends, meter_ohms=3000.0) == pytest.approx(240 * 3 / 63, rel=0.05)
    metal = solved(with_kind(KINDS["ac-relay"]), Drive(), Changes(ohms={"strip-b.element": (math.inf, math.inf)}))
    assert volts(metal, *ends) < 100


def test_ohms_of_electronics_prove_nothing_but_a_short() -> None:
    """OL or a few kΩ on input and output is no verdict; 0.2 Ω through at rest is a welded one."""
    plate = with_kind(KINDS["solid-state-relay"])
    device = plate.devices[0].id
    dead = Condition(feeds=(("feed-1", "proven dead"),), control="proven dead")
    for point, shown, spoken in (
        (f"ohms:{device}.coil", 1e8, "not proven"),
        (f"ohms:{device}.coil", 900.0, "not proven"),
        (f"ohms:{device}.pole-1", 1e8, "not proven"),
        (f"ohms:{device}.pole-1", 0.2, "fail: welded"),
    ):
        reading = Reading(point=point, value=shown, condition=dead)
        assert render(judge(Situation(plate=plate, readings=[reading]), reading).spoken) == spoken


def test_a_board_nobody_knows_is_neither_smoothed_nor_not() -> None:
    """DC volts of both kinds pass by the rectifier's band, and neither makes a rectifier the suspect."""
    plate = with_kind(KINDS["dc-relay"])
    assert isinstance(plate.devices[0], SwitchingDevice)
    assert plate.devices[0].rectifier is None
    device = plate.devices[0].id
    condition = Condition(feeds=FEEDS, calls=(("W", 60.0),))  # type: ignore[arg-type]
    coil = f"dc_volts:{device}.coil.1:{device}.coil.2"
    for shown in (30.0, 21.0):
        taken = [
            Reading(point=LINE, value=240.0, condition=condition, meter_uncertainty=1.9),
            Reading(point="amps:strip-a", value=20.6, condition=condition, meter_uncertainty=0.5),
            Reading(point="volts:board.w:board.c", value=24.5, condition=condition, meter_uncertainty=0.4),
            Reading(point=coil, value=shown, condition=condition, meter_uncertainty=0.4),
        ]
        assert judge(Situation(plate=plate, readings=taken), taken[-1]).grade.value == "pass"
        found = diagnose(plate, taken, complaints=["seasonal check"])
        assert (found.causes[0].faults[0], found.ask_again) == ("healthy", ())


def test_a_kind_nobody_knows_is_refused_by_its_field() -> None:
    """The message names what is known."""
    with pytest.raises(ValueError, match="expected one of sequencer, contactor"):
        replace(PATTERNS["two-strip-ac-relay"]().devices[0], kind="magic")
