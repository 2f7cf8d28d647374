"""What can break in a unit: every fault with a stable id, what it changes in the circuit, its repair and its proof.

Nothing here says what a meter shows; that follows from the circuit. Weights are relative frequencies before anything is
known, by trade experience; the complaint bends them.
"""

from collections.abc import Iterator
from functools import lru_cache

from plentar.core.causes.fault import HEALTHY, OFF, Fault, make_fault
from plentar.core.causes.unit_faults import air_faults, blower_faults, control_faults, supply_faults
from plentar.core.circuit.changes import Changes
from plentar.core.circuit.network import Circuit
from plentar.core.circuit.wiring import wire
from plentar.core.errors import ReadingError
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate
from plentar.core.unit.place import place_of
from plentar.core.unit.points import part_words

__all__ = ["COMPLAINTS", "HEALTHY", "Fault", "fault_by_id", "faults_of"]

# How much likelier each kind of fault becomes with a complaint; kinds not named stay as they are.
COMPLAINTS: dict[str, dict[str, float]] = {
    "no heat": {"dead": 2.0, "control": 3.0, "supply": 3.0, "healthy": 0.3},
    "not enough heat": {"dead": 3.0, "weak": 3.0, "supply": 1.0, "healthy": 0.7},
    "cold in defrost or on cold nights": {"dead": 3.0, "control": 1.5, "healthy": 0.7},
    "heat will not stop": {"stuck": 10.0, "healthy": 0.2},
    "cooling fights heat": {"stuck": 10.0, "healthy": 0.3},
    "blower dead": {"blower": 8.0, "supply": 2.0, "control": 2.0, "healthy": 0.2},
    "blower never stops": {"blower": 4.0, "stuck": 6.0, "healthy": 0.3},
    "blower cuts in and out": {"blower": 5.0, "weak": 2.0, "healthy": 0.5},
    "thermostat blank or restarting": {"control": 8.0, "supply": 2.0, "short": 5.0, "healthy": 0.2},
    "control fuse blows": {"short": 20.0, "control": 2.0, "healthy": 0.1},
    "breaker trips or hot": {"supply": 4.0, "short": 3.0, "weak": 3.0, "healthy": 0.5},
    "clicking, smell": {"weak": 4.0, "blower": 2.0, "stuck": 2.0},
    "seasonal check": {"healthy": 8.0},
}


@lru_cache(maxsize=64)
def faults_of(plate: Nameplate) -> tuple[Fault, ...]:
    """Return every single fault of a unit, healthy first."""
    circuit = wire(plate)
    found = [HEALTHY]
    for strip in plate.circuits:
        found += _rung(circuit, strip)
    found += _poles(plate)
    found += _devices(plate, circuit)
    found += supply_faults(plate, circuit)
    found += control_faults(plate, circuit)
    found += blower_faults(plate, circuit)
    found += air_faults(plate, circuit)
    return tuple(found)


def fault_by_id(plate: Nameplate, fault_id: str) -> Fault:
    """Return the unit's fault with this id.

    Raises:
        ReadingError: The unit cannot have such a fault.
    """
    for fault in faults_of(plate):
        if fault.id == fault_id:
            return fault
    raise ReadingError(f"this unit has no fault {fault_id!r}; plentar faults lists them", field="fault")


def _rung(circuit: Circuit, strip: HeatingCircuit) -> Iterator[Fault]:
    name, element, ohms = strip.name, f"{strip.id}.element", strip.element_ohms
    amps = f"{name} draws its amps under a call"
    yield make_fault(
        f"{element}.open",
        f"{name} element open",
        "dead",
        6.0,
        Changes(ohms={element: (OFF, OFF)}),
        takes="element",
        repair="replace the element",
        proof=amps,
    )
    yield make_fault(
        f"{element}.grounded",
        f"{name} element grounded",
        "stuck",
        1.2,
        *(
            Changes(
                ohms={
                    element: (OFF, OFF),
                    f"{element}.to-ground-1": (ohms * share,) * 2,
                    f"{element}.to-ground-2": (ohms * (1 - share),) * 2,
                }
            )
            for share in (0.25, 0.5, 0.75)
        ),
        takes="element",
        repair="replace the element, look for what it touched",
        proof="no current in either lead without a call",
    )
    yield make_fault(
        f"{element}.part-shorted",
        f"{name} element part-shorted",
        "weak",
        0.6,
        *(Changes(ohms={element: (ohms * share,) * 2}) for share in (0.6, 0.78)),
        takes="element",
        repair="replace the element",
        proof=amps,
    )
    yield make_fault(
        f"{element}.wrong-size",
        f"{name} element of another size fitted",
        "weak",
        0.5,
        *(Changes(ohms={element: (ohms * share,) * 2}) for share in (1.33, 1.6)),
        takes="element",
        repair="fit the element on the plate",
        proof=amps,
    )
    if "link" in strip.order:
        yield make_fault(
            f"{strip.id}.link.open",
            f"{name} fusible link open",
            "dead",
            4.0,
            Changes(forced={f"{strip.id}.link": False}),
            takes="link",
            repair="replace the link, find why it overheated",
            proof=amps,
        )
    if "limit" in strip.order:
        yield make_fault(
            f"{strip.id}.limit.open",
            f"{name} limit open",
            "dead",
            5.0,
            Changes(forced={f"{strip.id}.limit": False}),
            takes="limit",
            repair="restore the air; replace the limit if it stays open cold",
            proof=amps,
        )
        yield make_fault(
            f"{strip.id}.limit.cycling",
            f"{name} limit opens and closes by itself",
            "weak",
            0.8,
            Changes(forced={f"{strip.id}.limit": False}),
            takes="limit",
            repair="restore the air; if that is right, replace the limit",
            proof=f"{amps}, without a break for ten minutes",
            shows="now and then",
        )
        yield make_fault(
            f"{strip.id}.limit.stuck-closed",
            f"{name} limit never opens",
            "stuck",
            0.1,
            Changes(forced={f"{strip.id}.limit": True}),
            takes="limit",
            repair="replace the limit by one of the same temperature",
            proof="opens in the airless test of its maker",
        )
    for lead in circuit.leads:
        if place_of(lead.id).owner == strip.id:
            words = f"{name}, {_end_words(strip, lead.a)} to {_end_words(strip, lead.b)}"
            yield make_fault(
                f"{lead.id}.off",
                f"Lead off, {words}",
                "dead",
                0.5,
                Changes(split={lead.id: OFF}),
                takes="ends",
                repair="new end, pull-tested",
                proof=amps,
            )
            yield make_fault(
                f"{lead.id}.loose",
                f"Loose, hot joint, {words}",
                "weak",
                0.5,
                *(Changes(split={lead.id: r}) for r in (0.5, 2.0)),
                takes="ends",
                repair="new end on clean wire",
                proof=f"{amps}, no drop across the joint",
            )


def _end_words(strip: HeatingCircuit, terminal: str) -> str:
    """Return a lead's end as it is said beside its strip: `link`, `Seq A pole 2`, `L1`."""
    place = place_of(terminal)
    if place.owner == strip.id:
        return place.part
    if place.owner == strip.device:
        return f"{part_words(place.owner)} {place.part.replace('-', ' ')}"
    return place.leg.upper()


def _poles(plate: Nameplate) -> Iterator[Fault]:
    seen: set[str] = set()
    uses = [(strip.device, number) for strip in plate.circuits for number in strip.poles]
    if plate.blower.switched_by:
        uses.append((plate.blower.switched_by, plate.blower.switched_by_pole))
    for device, number in uses:
        pole = f"{device}.pole-{number}"
        if pole in seen:
            continue
        seen.add(pole)
        words = f"Pole {number} of {part_words(device)}"
        proof = "amps under a call, none without, order and times"
        fix = f"replace {part_words(device)}"
        yield make_fault(
            f"{pole}.open",
            f"{words} does not close",
            "dead",
            7.0,
            Changes(forced={pole: False}),
            takes="device",
            repair=fix,
            proof=proof,
        )
        yield make_fault(
            f"{pole}.welded",
            f"{words} welded",
            "stuck",
            3.0,
            Changes(forced={pole: True}),
            takes="device",
            repair=fix,
            proof=proof,
        )
        yield make_fault(
            f"{pole}.burnt",
            f"{words} burnt, high resistance",
            "weak",
            1.5,
            *(Changes(contact_ohms={pole: r}) for r in (0.12, 0.5, 2.0)),
            takes="device",
            repair=fix,
            proof="below 0.25 V across it under load",
        )


def _devices(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    for device in plate.devices:
        name, words = device.id, part_words(device.id)
        drive = device.of_kind.drive
        coil = f"{name}.coil"
        plain = next(branch for branch in circuit.branches if branch.id == coil)
        proof = "every strip on it draws its amps"
        yield make_fault(
            f"{coil}.open",
            f"{words} {drive} open",
            "dead",
            4.0,
            Changes(ohms={coil: (OFF, OFF)}),
            takes="device",
            repair=f"replace {words}",
            proof=proof,
        )
        yield make_fault(
            f"{coil}.shorted",
            f"{words} {drive} shorted",
            "short",
            1.2,
            *(Changes(ohms={coil: (plain.ohms * share, plain.dc_ohms * share)}) for share in (0.06, 0.2)),
            takes="device",
            repair=f"replace {words}, and the fuse",
            proof="control current below 80 % of the transformer",
        )
        if len(device.poles) > 1:
            yield make_fault(
                f"{name}.mechanism.dead",
                f"{words} does not move",
                "dead",
                2.0,
                Changes(forced={c.id: False for c in circuit.contacts if c.moved_by[1] == name}),
                takes="device",
                repair=f"replace {words}",
                proof=proof,
            )
        if device.of_kind.is_thermal:
            yield make_fault(
                f"{name}.slow",
                f"{words} slow",
                "weak",
                1.5,
                Changes(forced={c.id: False for c in circuit.contacts if c.moved_by[1] == name}),
                takes="device",
                repair=f"replace {words}",
                proof="each pole inside its window, on and off",
                shows="late",
            )
        for lead in (f"{name}.lead-coil", f"{name}.lead-common"):
            where = "feed" if place_of(lead).part == "lead-coil" else "common"
            yield make_fault(
                f"{lead}.off",
                f"{words} {drive} {where} lead off",
                "control",
                0.6,
                Changes(split={lead: OFF}),
                takes="ends",
                repair="new end, pull-tested",
                proof=proof,
            )
        if device.of_kind.is_rectified:
            board = f"{name}.rectifier"
            yield make_fault(
                f"{board}.dead",
                f"{words} rectifier dead",
                "dead",
                3.0,
                Changes(ratio={board: 0.0}),
                takes="board",
                repair="replace the rectifier board",
                proof="DC volts at the coil in band",
            )
            yield make_fault(
                f"{board}.half-open",
                f"{words} rectifier half open",
                "weak",
                1.0,
                Changes(ratio={board: 0.36}),
                takes="board",
                repair="replace the rectifier board",
                proof="DC volts at the coil in band",
            )
        if device.auxiliary is not None:
            pole = f"{name}.auxiliary"
            yield make_fault(
                f"{pole}.open",
                f"{words} auxiliary pole does not close",
                "dead",
                3.0,
                Changes(forced={pole: False}),
                takes="device",
                repair=f"replace {words}",
                proof="24 V at the next heater",
            )
            yield make_fault(
                f"{pole}.welded",
                f"{words} auxiliary pole welded",
                "stuck",
                1.0,
                Changes(forced={pole: True}),
                takes="device",
                repair=f"replace {words}",
                proof="everything off without a call",
            )
            yield make_fault(
                f"{pole}.lead.off",
                f"{words} auxiliary lead off",
                "dead",
                0.5,
                Changes(split={f"{pole}.lead": OFF}),
                takes="ends",
                repair="new end",
                proof="24 V at the next heater",
            )
