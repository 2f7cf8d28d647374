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
from plentar.core.said import Words, said
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate
from plentar.core.unit.place import place_of
from plentar.core.unit.points import part_words, piece_words

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
    amps = said("faults.draws-amps-under-call", strip=name)
    yield make_fault(
        f"{element}.open",
        said("faults.element-open", strip=name),
        "dead",
        6.0,
        Changes(ohms={element: (OFF, OFF)}),
        takes="element",
        repair=said("faults.replace-element"),
        proof=amps,
    )
    yield make_fault(
        f"{element}.grounded",
        said("faults.element-grounded", strip=name),
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
        repair=said("faults.replace-element-look-what-touched"),
        proof=said("faults.no-current-either-lead-without"),
    )
    yield make_fault(
        f"{element}.part-shorted",
        said("faults.element-part-shorted", strip=name),
        "weak",
        0.6,
        *(Changes(ohms={element: (ohms * share,) * 2}) for share in (0.6, 0.78)),
        takes="element",
        repair=said("faults.replace-element"),
        proof=amps,
    )
    yield make_fault(
        f"{element}.wrong-size",
        said("faults.element-another-size-fitted", strip=name),
        "weak",
        0.5,
        *(Changes(ohms={element: (ohms * share,) * 2}) for share in (1.33, 1.6)),
        takes="element",
        repair=said("faults.fit-element-plate"),
        proof=amps,
    )
    if "link" in strip.order:
        yield make_fault(
            f"{strip.id}.link.open",
            said("faults.fusible-link-open", strip=name),
            "dead",
            4.0,
            Changes(forced={f"{strip.id}.link": False}),
            takes="link",
            repair=said("faults.replace-link-find-why-overheated"),
            proof=amps,
        )
    if "limit" in strip.order:
        yield make_fault(
            f"{strip.id}.limit.open",
            said("faults.limit-open", strip=name),
            "dead",
            5.0,
            Changes(forced={f"{strip.id}.limit": False}),
            takes="limit",
            repair=said("faults.restore-air-replace-limit-if"),
            proof=amps,
        )
        yield make_fault(
            f"{strip.id}.limit.cycling",
            said("faults.limit-opens-closes-itself", strip=name),
            "weak",
            0.8,
            Changes(forced={f"{strip.id}.limit": False}),
            takes="limit",
            repair=said("faults.restore-air-if-right-replace"),
            proof=said("faults.without-break-ten-minutes", amps=amps),
            shows="now and then",
        )
        yield make_fault(
            f"{strip.id}.limit.stuck-closed",
            said("faults.limit-never-opens", strip=name),
            "stuck",
            0.1,
            Changes(forced={f"{strip.id}.limit": True}),
            takes="limit",
            repair=said("faults.replace-limit-one-same-temperature"),
            proof=said("faults.opens-airless-test-maker"),
        )
    for lead in circuit.leads:
        if place_of(lead.id).owner == strip.id:
            words = said("faults.to", strip=name, end=_end_words(strip, lead.a), other_end=_end_words(strip, lead.b))
            yield make_fault(
                f"{lead.id}.off",
                said("faults.lead-off", joint=words),
                "dead",
                0.5,
                Changes(split={lead.id: OFF}),
                takes="ends",
                repair=said("faults.new-end-pull-tested"),
                proof=amps,
            )
            yield make_fault(
                f"{lead.id}.loose",
                said("faults.loose-hot-joint", joint=words),
                "weak",
                0.5,
                *(Changes(split={lead.id: r}) for r in (0.5, 2.0)),
                takes="ends",
                repair=said("faults.new-end-clean-wire"),
                proof=said("faults.no-drop-across-joint", amps=amps),
            )


def _end_words(strip: HeatingCircuit, terminal: str) -> Words:
    """Return a lead's end as it is said beside its strip: `link`, `Seq A pole 2`, `L1`."""
    place = place_of(terminal)
    if place.owner == strip.id:
        return piece_words(place.part)
    if place.owner == strip.device:
        return said("places.part-of", owner=part_words(place.owner), part=piece_words(place.part))
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
        words = said("faults.pole", number=number, part=part_words(device))
        proof = said("faults.amps-under-call-none-without")
        fix = said("faults.replace", part=part_words(device))
        yield make_fault(
            f"{pole}.open",
            said("faults.does-not-close", pole=words),
            "dead",
            7.0,
            Changes(forced={pole: False}),
            takes="device",
            repair=fix,
            proof=proof,
        )
        yield make_fault(
            f"{pole}.welded",
            said("faults.welded", pole=words),
            "stuck",
            3.0,
            Changes(forced={pole: True}),
            takes="device",
            repair=fix,
            proof=proof,
        )
        yield make_fault(
            f"{pole}.burnt",
            said("faults.burnt-high-resistance", pole=words),
            "weak",
            1.5,
            *(Changes(contact_ohms={pole: r}) for r in (0.12, 0.5, 2.0)),
            takes="device",
            repair=fix,
            proof=said("faults.below-0-25-v-across"),
        )


def _devices(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    for device in plate.devices:
        name, words = device.id, part_words(device.id)
        drive = device.of_kind.drive_words
        coil = f"{name}.coil"
        plain = next(branch for branch in circuit.branches if branch.id == coil)
        proof = said("faults.every-strip-draws-amps")
        yield make_fault(
            f"{coil}.open",
            said("faults.open", device=words, drive=drive),
            "dead",
            4.0,
            Changes(ohms={coil: (OFF, OFF)}),
            takes="device",
            repair=said("faults.replace-2", device=words),
            proof=proof,
        )
        yield make_fault(
            f"{coil}.shorted",
            said("faults.shorted", device=words, drive=drive),
            "short",
            1.2,
            *(Changes(ohms={coil: (plain.ohms * share, plain.dc_ohms * share)}) for share in (0.06, 0.2)),
            takes="device",
            repair=said("faults.replace-fuse", device=words),
            proof=said("faults.control-current-below-80-transformer"),
        )
        if len(device.poles) > 1:
            yield make_fault(
                f"{name}.mechanism.dead",
                said("faults.does-not-move", device=words),
                "dead",
                2.0,
                Changes(forced={c.id: False for c in circuit.contacts if c.moved_by[1] == name}),
                takes="device",
                repair=said("faults.replace-2", device=words),
                proof=proof,
            )
        if device.of_kind.is_thermal:
            yield make_fault(
                f"{name}.slow",
                said("faults.slow", device=words),
                "weak",
                1.5,
                Changes(forced={c.id: False for c in circuit.contacts if c.moved_by[1] == name}),
                takes="device",
                repair=said("faults.replace-2", device=words),
                proof=said("faults.each-pole-inside-window-off"),
                shows="late",
            )
        for lead in (f"{name}.lead-coil", f"{name}.lead-common"):
            reason = "faults.feed-lead-off" if place_of(lead).part == "lead-coil" else "faults.common-lead-off"
            yield make_fault(
                f"{lead}.off",
                said(reason, device=words, drive=drive),
                "control",
                0.6,
                Changes(split={lead: OFF}),
                takes="ends",
                repair=said("faults.new-end-pull-tested"),
                proof=proof,
            )
        if device.of_kind.is_rectified:
            board = f"{name}.rectifier"
            yield make_fault(
                f"{board}.dead",
                said("faults.rectifier-dead", device=words),
                "dead",
                3.0,
                Changes(ratio={board: 0.0}),
                takes="board",
                repair=said("faults.replace-rectifier-board"),
                proof=said("faults.dc-volts-coil-band"),
            )
            yield make_fault(
                f"{board}.half-open",
                said("faults.rectifier-half-open", device=words),
                "weak",
                1.0,
                Changes(ratio={board: 0.36}),
                takes="board",
                repair=said("faults.replace-rectifier-board"),
                proof=said("faults.dc-volts-coil-band"),
            )
        if device.auxiliary is not None:
            pole = f"{name}.auxiliary"
            yield make_fault(
                f"{pole}.open",
                said("faults.auxiliary-pole-does-not-close", device=words),
                "dead",
                3.0,
                Changes(forced={pole: False}),
                takes="device",
                repair=said("faults.replace-2", device=words),
                proof=said("faults.24-v-next-heater"),
            )
            yield make_fault(
                f"{pole}.welded",
                said("faults.auxiliary-pole-welded", device=words),
                "stuck",
                1.0,
                Changes(forced={pole: True}),
                takes="device",
                repair=said("faults.replace-2", device=words),
                proof=said("faults.everything-off-without-call"),
            )
            yield make_fault(
                f"{pole}.lead.off",
                said("faults.auxiliary-lead-off", device=words),
                "dead",
                0.5,
                Changes(split={f"{pole}.lead": OFF}),
                takes="ends",
                repair=said("faults.new-end"),
                proof=said("faults.24-v-next-heater"),
            )
