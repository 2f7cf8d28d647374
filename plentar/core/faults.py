"""What can break in a unit: every fault with a stable id, what it changes in the circuit, its repair and its proof.

Nothing here says what a meter shows; that follows from the circuit. Weights are relative frequencies before anything is
known, by trade experience; the complaint bends them.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from plentar.core.errors import ReadingError
from plentar.core.nameplate import HeatingCircuit, Nameplate
from plentar.core.network.changes import NO_CHANGE, Changes
from plentar.core.network.circuit import Circuit
from plentar.core.network.wiring import wire

__all__ = ["COMPLAINTS", "HEALTHY", "Fault", "fault_by_id", "faults_of"]

OFF = math.inf


@dataclass(frozen=True, slots=True, kw_only=True)
class Fault:
    """One thing that can be wrong.

    `variants` are the same fault at several magnitudes, equally likely. `kind` groups faults for the complaint's sake:
    dead, stuck, weak, supply, control, blower, short.
    """

    id: str
    title: str
    part: str
    kind: str
    weight: float
    variants: tuple[Changes, ...]
    repair: str
    proof: str


HEALTHY = Fault(
    id="healthy",
    title="Nothing wrong in the circuit",
    part="",
    kind="healthy",
    weight=6.0,
    variants=(NO_CHANGE,),
    repair="none",
    proof="every strip's amps in band under a call, everything off without one",
)

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
    found += _supply(plate)
    found += _control(plate, circuit)
    found += _blower(plate, circuit)
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


def _fault(name: str, title: str, kind: str, weight: float, *variants: Changes, repair: str, proof: str) -> Fault:
    return Fault(
        id=name,
        title=title,
        part=name.rpartition(".")[0],
        kind=kind,
        weight=weight,
        variants=variants,
        repair=repair,
        proof=proof,
    )


def _rung(circuit: Circuit, strip: HeatingCircuit) -> Iterator[Fault]:
    name, element, ohms = strip.name, f"{strip.id}.element", strip.element_ohms
    amps = f"{name} draws its amps under a call"
    yield _fault(
        f"{element}.open",
        f"{name} element open",
        "dead",
        6.0,
        Changes(ohms={element: (OFF, OFF)}),
        repair="replace the element",
        proof=amps,
    )
    yield _fault(
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
        repair="replace the element, look for what it touched",
        proof="no current in either lead without a call",
    )
    yield _fault(
        f"{element}.part-shorted",
        f"{name} element part-shorted",
        "weak",
        0.6,
        *(Changes(ohms={element: (ohms * share,) * 2}) for share in (0.6, 0.78)),
        repair="replace the element",
        proof=amps,
    )
    yield _fault(
        f"{element}.wrong-size",
        f"{name} element of another size fitted",
        "weak",
        0.5,
        *(Changes(ohms={element: (ohms * share,) * 2}) for share in (1.33, 1.6)),
        repair="fit the element on the plate",
        proof=amps,
    )
    if "link" in strip.order:
        yield _fault(
            f"{strip.id}.link.open",
            f"{name} fusible link open",
            "dead",
            4.0,
            Changes(forced={f"{strip.id}.link": False}),
            repair="replace the link, find why it overheated",
            proof=amps,
        )
    if "limit" in strip.order:
        yield _fault(
            f"{strip.id}.limit.open",
            f"{name} limit open",
            "dead",
            5.0,
            Changes(forced={f"{strip.id}.limit": False}),
            repair="restore the air; replace the limit if it stays open cold",
            proof=amps,
        )
        yield _fault(
            f"{strip.id}.limit.stuck-closed",
            f"{name} limit never opens",
            "stuck",
            0.1,
            Changes(forced={f"{strip.id}.limit": True}),
            repair="replace the limit by one of the same temperature",
            proof="opens in the airless test of its maker",
        )
    for lead in circuit.leads:
        if lead.id.startswith(f"{strip.id}.lead-"):
            words = f"{_terminal(lead.a)} to {_terminal(lead.b)}"
            yield _fault(
                f"{lead.id}.off",
                f"Lead off, {words}",
                "dead",
                0.5,
                Changes(split={lead.id: OFF}),
                repair="new end, pull-tested",
                proof=amps,
            )
            yield _fault(
                f"{lead.id}.loose",
                f"Loose, hot joint, {words}",
                "weak",
                0.5,
                *(Changes(split={lead.id: r}) for r in (0.5, 2.0)),
                repair="new end on clean wire",
                proof=f"{amps}, no drop across the joint",
            )


def _terminal(name: str) -> str:
    owner, _, part = name.partition(".")
    return f"{owner.replace('-', ' ').title()} {part.replace('.', ' ').replace('-', ' ')}"


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
        words = f"Pole {number} of {_part(device)}"
        proof = "amps under a call, none without, order and times"
        fix = f"replace {_part(device)}"
        yield _fault(
            f"{pole}.open",
            f"{words} does not close",
            "dead",
            7.0,
            Changes(forced={pole: False}),
            repair=fix,
            proof=proof,
        )
        yield _fault(
            f"{pole}.welded", f"{words} welded", "stuck", 3.0, Changes(forced={pole: True}), repair=fix, proof=proof
        )
        yield _fault(
            f"{pole}.burnt",
            f"{words} burnt, high resistance",
            "weak",
            1.5,
            *(Changes(contact_ohms={pole: r}) for r in (0.12, 0.5, 2.0)),
            repair=fix,
            proof="below 0.25 V across it under load",
        )


def _part(name: str) -> str:
    return name.replace("-", " ").title()


def _devices(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    for device in plate.devices:
        name, words = device.id, _part(device.id)
        drive = "heater" if device.kind == "sequencer" else "coil"
        coil = f"{name}.coil"
        plain = next(branch for branch in circuit.branches if branch.id == coil)
        proof = "every strip on it draws its amps"
        yield _fault(
            f"{coil}.open",
            f"{words} {drive} open",
            "dead",
            4.0,
            Changes(ohms={coil: (OFF, OFF)}),
            repair=f"replace {words}",
            proof=proof,
        )
        yield _fault(
            f"{coil}.shorted",
            f"{words} {drive} shorted",
            "short",
            1.2,
            *(Changes(ohms={coil: (plain.ohms * share, plain.dc_ohms * share)}) for share in (0.06, 0.2)),
            repair=f"replace {words}, and the fuse",
            proof="control current below 80 % of the transformer",
        )
        if len(device.poles) > 1:
            yield _fault(
                f"{name}.mechanism.dead",
                f"{words} does not move",
                "dead",
                2.0,
                Changes(forced={c.id: False for c in circuit.contacts if c.driver.endswith(f":{name}")}),
                repair=f"replace {words}",
                proof=proof,
            )
        for lead in (f"{name}.lead-coil", f"{name}.lead-common"):
            where = "feed" if lead.endswith("coil") else "common"
            yield _fault(
                f"{lead}.off",
                f"{words} {drive} {where} lead off",
                "control",
                0.6,
                Changes(split={lead: OFF}),
                repair="new end, pull-tested",
                proof=proof,
            )
        if device.kind == "dc-relay":
            board = f"{name}.rectifier"
            yield _fault(
                f"{board}.dead",
                f"{words} rectifier dead",
                "dead",
                3.0,
                Changes(ratio={board: 0.0}),
                repair="replace the rectifier board",
                proof="DC volts at the coil in band",
            )
            yield _fault(
                f"{board}.half-open",
                f"{words} rectifier half open",
                "weak",
                1.0,
                Changes(ratio={board: 0.36}),
                repair="replace the rectifier board",
                proof="DC volts at the coil in band",
            )
        if device.auxiliary is not None:
            pole = f"{name}.auxiliary"
            yield _fault(
                f"{pole}.open",
                f"{words} auxiliary pole does not close",
                "dead",
                3.0,
                Changes(forced={pole: False}),
                repair=f"replace {words}",
                proof="24 V at the next heater",
            )
            yield _fault(
                f"{pole}.welded",
                f"{words} auxiliary pole welded",
                "stuck",
                1.0,
                Changes(forced={pole: True}),
                repair=f"replace {words}",
                proof="everything off without a call",
            )
            yield _fault(
                f"{pole}.lead.off",
                f"{words} auxiliary lead off",
                "dead",
                0.5,
                Changes(split={f"{pole}.lead": OFF}),
                repair="new end",
                proof="24 V at the next heater",
            )


def _supply(plate: Nameplate) -> Iterator[Fault]:
    for feed in plate.feeds:
        name = feed.id
        words = "Feed" if len(plate.feeds) == 1 else _part(name)
        poles = {leg: f"{name}.breaker-{leg}" for leg in ("l1", "l2")}
        for leg, pole in poles.items():
            yield _fault(
                f"{pole}.open",
                f"{words}, {leg.upper()} lost at the breaker",
                "supply",
                1.5,
                Changes(forced={pole: False}),
                repair="replace the breaker, look at its stab",
                proof="both legs to ground and across",
            )
            yield _fault(
                f"{name}.lug-{leg}.loose",
                f"{words}, {leg.upper()} lug or stab of high resistance",
                "weak",
                0.8,
                *(Changes(ohms={f"{name}.conductor-{leg}": (r, r)}) for r in (0.35, 1.0)),
                repair="clean, new end, torque",
                proof="sag under load in band",
            )
        yield _fault(
            f"{name}.breaker.off",
            f"{words} dead: breaker off or tripped",
            "supply",
            3.0,
            Changes(forced=dict.fromkeys(poles.values(), False)),
            repair="find why it was off, then close it",
            proof="volts and amps of everything on it",
        )
    for branch in plate.branches:
        for leg in ("l1", "l2"):
            yield _fault(
                f"{branch.id}.{leg}-pole.open",
                f"{_part(branch.id)}, {leg.upper()} pole open",
                "supply",
                1.0,
                Changes(forced={f"{branch.id}.{leg}-pole": False}),
                repair="replace the built-in breaker",
                proof="volts behind it",
            )
        yield _fault(
            f"{branch.id}.off",
            f"{_part(branch.id)} off or tripped",
            "supply",
            1.5,
            Changes(forced={f"{branch.id}.l1-pole": False, f"{branch.id}.l2-pole": False}),
            repair="find why it was off, then close it",
            proof="volts behind it",
        )


def _control(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    proof = "24 V at each coil under its call"
    port = next(p for p in circuit.two_ports if p.id == "transformer")
    yield _fault(
        "transformer.dead",
        "Transformer dead",
        "control",
        3.0,
        Changes(ratio={"transformer": 0.0}),
        repair="replace the transformer, find what overloaded it",
        proof=proof,
    )
    for factor, words in ((208 / 240, "low"), (240 / 208, "high")):
        yield _fault(
            f"transformer.wrong-tap-{words}",
            f"Transformer on the wrong tap, {words} control volts",
            "control",
            0.4,
            Changes(ratio={port.id: factor}),
            repair="move to the tap of the supply",
            proof=proof,
        )
    yield _fault(
        "fuse.open",
        "Control fuse open",
        "control",
        4.0,
        Changes(forced={"fuse": False}),
        repair="find the short, then replace the fuse",
        proof=proof,
    )
    for lead, words in (
        ("transformer.lead-1", "primary lead L1"),
        ("transformer.lead-2", "primary lead L2"),
        ("transformer.lead-c", "common lead"),
    ):
        yield _fault(
            f"{lead}.off",
            f"Transformer {words} off",
            "control",
            0.4,
            Changes(split={lead: OFF}),
            repair="new end",
            proof=proof,
        )
    yield _fault(
        "thermostat.lead-r.off",
        "R to the thermostat broken",
        "control",
        1.0,
        Changes(split={"thermostat.lead-r": OFF}),
        repair="repair the cable",
        proof=proof,
    )
    for call in plate.calls:
        name = call.lower()
        yield _fault(
            f"thermostat.{name}.not-calling",
            f"Thermostat does not call {call}",
            "control",
            2.5 if call != "Y" else 0.3,
            Changes(forced={f"thermostat.{name}": False}),
            repair="thermostat or its setting",
            proof=proof,
        )
        yield _fault(
            f"thermostat.{name}.always-calling",
            f"Thermostat always calls {call}",
            "stuck",
            1.5 if call != "Y" else 0.3,
            Changes(forced={f"thermostat.{name}": True}),
            repair="thermostat",
            proof="no 24 V without a call",
        )
        yield _fault(
            f"thermostat.lead-{name}.off",
            f"{call} conductor broken or off",
            "control",
            0.8 if call != "Y" else 0.2,
            Changes(split={f"thermostat.lead-{name}": OFF}),
            repair="repair the cable",
            proof=proof,
        )
        yield _fault(
            f"control.{name}.shorted",
            f"{call} shorted to common",
            "short",
            0.8,
            Changes(ohms={f"control.short-{name}": (0.8, 0.8)}),
            repair="find the rubbed wire",
            proof=proof,
        )
        if plate.transformer.grounded_common:
            yield _fault(
                f"control.{name}.grounded",
                f"{call} conductor to ground",
                "short",
                0.6,
                Changes(ohms={f"control.ground-{name}": (0.8, 0.8)}),
                repair="find the rubbed wire",
                proof=proof,
            )
    if "Y" in plate.calls:
        yield _fault(
            "control.w-to-y.joined",
            "Strips jumpered to the cooling call",
            "stuck",
            0.8,
            Changes(ohms={"control.w-to-y": (0.05, 0.05)}),
            repair="take the jumper out",
            proof="no strip with Y alone",
        )


def _blower(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    motors = {branch.id: branch for branch in circuit.branches if branch.id in circuit.motors}
    proof = "blower in its four rows: G, W, both, none"
    yield _fault(
        "blower.motor.open",
        "Blower motor open",
        "blower",
        3.0,
        Changes(ohms=dict.fromkeys(motors, (OFF, OFF))),
        repair="replace the motor",
        proof=proof,
    )
    for name, share, words, fix in (
        ("seized", 0.22, "seized", "free or replace it"),
        ("weak-capacitor", 0.8, "weak run capacitor", "replace the capacitor"),
    ):
        yield _fault(
            f"blower.motor.{name}",
            f"Blower motor, {words}",
            "blower",
            1.5,
            Changes(ohms={n: (b.ohms * share, b.dc_ohms) for n, b in motors.items()}),
            repair=fix,
            proof=proof,
        )
    yield _fault(
        "blower.lead-fixed.off",
        "Blower's fixed lead off",
        "blower",
        0.6,
        Changes(split={"blower.lead-fixed": OFF}),
        repair="new end",
        proof=proof,
    )
    relay = plate.blower.relay
    if relay is None:
        return
    coil = f"{relay.id}.coil"
    plain = next(branch for branch in circuit.branches if branch.id == coil)
    yield _fault(
        f"{coil}.open",
        "Blower relay coil open",
        "blower",
        2.5,
        Changes(ohms={coil: (OFF, OFF)}),
        repair="replace the relay",
        proof=proof,
    )
    yield _fault(
        f"{coil}.shorted",
        "Blower relay coil shorted",
        "short",
        1.2,
        *(Changes(ohms={coil: (plain.ohms * s, plain.dc_ohms * s)}) for s in (0.04, 0.15)),
        repair="replace the relay, and the fuse",
        proof="control current below 80 % of the transformer",
    )
    for lead in circuit.leads:
        if lead.id.startswith(f"{relay.id}.lead-"):
            yield _fault(
                f"{lead.id}.off",
                f"Blower relay {lead.id.rpartition('lead-')[2].upper()} lead off",
                "blower",
                0.5,
                Changes(split={lead.id: OFF}),
                repair="new end",
                proof=proof,
            )
    used = {contact.id for contact in circuit.contacts}
    landed = {lead.a for lead in circuit.leads}
    for name in sorted(used):
        if not name.startswith(f"{relay.id}.n") or name not in landed:
            continue
        label = name.rpartition(".")[2].upper()
        yield _fault(
            f"{name}.open",
            f"Blower relay {label} never closes",
            "blower",
            2.0,
            Changes(forced={name: False}),
            repair="replace the relay",
            proof=proof,
        )
        yield _fault(
            f"{name}.welded",
            f"Blower relay {label} welded",
            "blower",
            1.2,
            Changes(forced={name: True}),
            repair="replace the relay",
            proof=proof,
        )
    if "interlock.jumper" in {branch.id for branch in circuit.branches}:
        yield from _miswired(plate, circuit, relay.id)


def _miswired(plate: Nameplate, circuit: Circuit, relay: str) -> Iterator[Fault]:
    """The field guide's wrong interlocks (a), (b), (c) and (e); (d), NC left open, is its lead off."""
    contact = plate.blower.relay.contacts[0] if plate.blower.relay else None
    if contact is None or contact.com != "blower" or contact.no not in ("L1", "L2"):
        return
    supply = plate.blower.supplied_by
    leg, other = (f"{supply}.{name.lower()}" for name in ((contact.no, "L1" if contact.no == "L2" else "L2")))
    com, no, nc = (f"{relay}.lead-{name}" for name in ("com", "no", "nc"))
    fix = "land it: blower on COM, NO on the pole's leg, NC on the strip's load side"
    proof = "blower in its four rows, strips only with W"
    yield _fault(
        "interlock.plain-wire",
        "Plain wire from strip to blower",
        "stuck",
        0.4,
        Changes(ohms={"interlock.jumper": (0.01, 0.01)}),
        repair=fix,
        proof=proof,
    )
    yield _fault(
        "interlock.com-on-leg",
        "Interlock: COM on the leg, NC on the strip",
        "stuck",
        0.4,
        Changes(moved={com: leg, no: "blower.run"}),
        repair=fix,
        proof=proof,
    )
    yield _fault(
        "interlock.across-legs",
        "Interlock: COM on one leg, NC on the other",
        "supply",
        0.3,
        Changes(moved={com: leg, nc: other, no: "blower.run"}),
        repair=fix,
        proof=proof,
    )
    yield _fault(
        "interlock.fixed-and-no-exchanged",
        "Interlock: fixed lead and NO exchanged",
        "blower",
        0.4,
        Changes(moved={"blower.lead-fixed": leg, no: other}),
        repair=fix,
        proof=proof,
    )
