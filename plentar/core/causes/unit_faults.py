"""The faults of a unit as a whole: its feeds, its control side, its blower and interlock."""

from collections.abc import Iterator

from plentar.core.causes.fault import OFF, Fault, Takes, make_fault
from plentar.core.circuit.changes import Changes
from plentar.core.circuit.network import Circuit
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of
from plentar.core.unit.points import part_words

__all__ = ["air_faults", "blower_faults", "control_faults", "supply_faults"]


# Three sizes of wire too small: each has 1.6 times the ohms of the one before.
THIN_RATIO = 4.0


def _thin(circuit: Circuit, feed: str) -> dict[str, float]:
    at = {branch.id: branch.ohms.real for branch in circuit.branches}
    return {leg: THIN_RATIO * at[f"{feed}.conductor-{leg}"] for leg in ("l1", "l2")}


def supply_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    for feed in plate.feeds:
        name = feed.id
        words = "Feed" if len(plate.feeds) == 1 else part_words(name)
        legs = ("l1",) if plate.has_neutral else ("l1", "l2")
        poles = {leg: f"{name}.breaker-{leg}" for leg in legs}
        for leg, pole in poles.items():
            yield make_fault(
                f"{pole}.open",
                f"{words}, {leg.upper()} lost at the breaker",
                "supply",
                1.5,
                Changes(forced={pole: False}),
                repair="replace the breaker, look at its stab",
                proof="both legs to ground and across",
            )
            yield make_fault(
                f"{name}.disconnect-{leg}.open",
                f"{words}, {leg.upper()} open at the disconnect",
                "supply",
                0.6,
                Changes(forced={f"{name}.disconnect-{leg}": False}),
                repair="replace the pull-out or its fuse",
                proof="both legs to ground and across, behind the disconnect",
            )
            yield make_fault(
                f"{name}.lug-{leg}.loose",
                f"{words}, {leg.upper()} lug or stab of high resistance",
                "weak",
                0.8,
                *(Changes(ohms={f"{name}.conductor-{leg}": (r, r)}) for r in (0.35, 1.0)),
                takes="ends",
                repair="clean, new end, torque",
                proof="sag under load in band",
            )
        yield make_fault(
            f"{name}.wire.too-small",
            f"{words}, wire too small for the load",
            "weak",
            0.4,
            Changes(ohms={f"{name}.conductor-{leg}": (r, r) for leg, r in _thin(circuit, name).items()}),
            repair="wire and breaker sized to the load, by local code",
            proof="sag under load in band",
        )
        yield make_fault(
            f"{name}.breaker.weak",
            f"{words}, breaker weak or too small: trips under load",
            "supply",
            1.2,
            Changes(trips_at=dict.fromkeys(poles.values(), 0.4 * (feed.breaker_amps or 60.0))),
            repair="replace it by one of the rating on the plate, never a bigger one",
            proof="holds with every strip on, cool to the hand after ten minutes",
            shows="now and then",
        )
        yield make_fault(
            f"{name}.breaker.off",
            f"{words} dead: breaker off or tripped",
            "supply",
            3.0,
            Changes(forced=dict.fromkeys(poles.values(), False)),
            repair="find why it was off, then close it",
            proof="volts and amps of everything on it",
        )
    for branch in plate.branches:
        legs = ("l1",) if plate.has_neutral else ("l1", "l2")
        for leg in legs:
            yield make_fault(
                f"{branch.id}.{leg}-pole.open",
                f"{part_words(branch.id)}, {leg.upper()} pole open",
                "supply",
                1.0,
                Changes(forced={f"{branch.id}.{leg}-pole": False}),
                repair="replace the built-in breaker",
                proof="volts behind it",
            )
        yield make_fault(
            f"{branch.id}.off",
            f"{part_words(branch.id)} off or tripped",
            "supply",
            1.5,
            Changes(forced={f"{branch.id}.{leg}-pole": False for leg in legs}),
            repair="find why it was off, then close it",
            proof="volts behind it",
        )


def control_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    proof = "24 V at each coil under its call"
    port = next(p for p in circuit.two_ports if p.id == "transformer")
    yield make_fault(
        "transformer.dead",
        "Transformer dead",
        "control",
        3.0,
        Changes(ratio={"transformer": 0.0}),
        takes="transformer",
        repair="replace the transformer, find what overloaded it",
        proof=proof,
    )
    for factor, words in ((208 / 240, "low"), (240 / 208, "high")):
        yield make_fault(
            f"transformer.wrong-tap-{words}",
            f"Transformer on the wrong tap, {words} control volts",
            "control",
            0.4,
            Changes(ratio={port.id: factor}),
            repair="move to the tap of the supply",
            proof=proof,
        )
    yield make_fault(
        "fuse.open",
        "Control fuse open",
        "control",
        4.0,
        Changes(forced={"fuse": False}),
        takes="fuse",
        repair="find the short, then replace the fuse",
        proof=proof,
    )
    for lead, words in (
        ("transformer.lead-1", "primary lead L1"),
        ("transformer.lead-2", "primary lead L2"),
        ("transformer.lead-c", "common lead"),
    ):
        yield make_fault(
            f"{lead}.off",
            f"Transformer {words} off",
            "control",
            0.4,
            Changes(split={lead: OFF}),
            takes="ends",
            repair="new end",
            proof=proof,
        )
    yield make_fault(
        "thermostat.lead-r.off",
        "R to the thermostat broken",
        "control",
        1.0,
        Changes(forced={"thermostat.lead-r": False}),
        takes="ends",
        repair="repair the cable",
        proof=proof,
    )
    yield make_fault(
        "thermostat.lead-c.off",
        "Common missing at the thermostat",
        "control",
        0.8,
        Changes(split={"thermostat.lead-c": OFF}),
        takes="ends",
        repair="land or repair the common conductor",
        proof="24 V from R to C at the thermostat",
    )
    if plate.outdoor_thermostat is not None:
        yield make_fault(
            "outdoor-thermostat.stuck-open",
            f"Outdoor thermostat holds {plate.outdoor_thermostat} open",
            "control",
            1.5,
            Changes(forced={"outdoor-thermostat": False}),
            takes="outdoor thermostat",
            repair="replace it, or take it out where the house is better without",
            proof=proof,
        )
        yield make_fault(
            "outdoor-thermostat.stuck-closed",
            f"Outdoor thermostat never opens {plate.outdoor_thermostat}",
            "stuck",
            0.3,
            Changes(forced={"outdoor-thermostat": True}),
            takes="outdoor thermostat",
            repair="replace it, or take it out where the house is better without",
            proof="open above its setting",
        )
    if "Y" in plate.calls:
        yield make_fault(
            "thermostat.o-and-b.exchanged",
            "O and B exchanged",
            "control",
            0.4,
            Changes(moved={"thermostat.lead-o": "board.b"}),
            takes="ends",
            repair="land O and B as the outdoor unit wants them",
            proof="24 V at the reversing valve in its own mode only",
        )
    for call in plate.calls:
        name = call.lower()
        yield make_fault(
            f"thermostat.{name}.not-calling",
            f"Thermostat does not call {call}",
            "control",
            2.5 if call != "Y" else 0.3,
            Changes(forced={f"thermostat.{name}": False}),
            takes="thermostat",
            repair="thermostat or its setting",
            proof=proof,
        )
        yield make_fault(
            f"thermostat.{name}.always-calling",
            f"Thermostat always calls {call}",
            "stuck",
            1.5 if call != "Y" else 0.3,
            Changes(forced={f"thermostat.{name}": True}),
            takes="thermostat",
            repair="thermostat",
            proof="no 24 V without a call",
        )
        yield make_fault(
            f"thermostat.lead-{name}.off",
            f"{call} conductor broken or off",
            "control",
            0.8 if call != "Y" else 0.2,
            Changes(split={f"thermostat.lead-{name}": OFF}),
            takes="ends",
            repair="repair the cable",
            proof=proof,
        )
        yield make_fault(
            f"control.{name}.shorted",
            f"{call} shorted to common",
            "short",
            0.8,
            Changes(ohms={f"control.short-{name}": (0.8, 0.8)}),
            takes="fuse",
            repair="find the rubbed wire",
            proof=proof,
        )
        if plate.transformer.grounded_common:
            yield make_fault(
                f"control.{name}.grounded",
                f"{call} conductor to ground",
                "short",
                0.6,
                Changes(ohms={f"control.ground-{name}": (0.8, 0.8)}),
                takes="fuse",
                repair="find the rubbed wire",
                proof=proof,
            )
    if "Y" in plate.calls:
        yield make_fault(
            "control.w-to-y.joined",
            "Strips jumpered to the cooling call",
            "stuck",
            0.8,
            Changes(ohms={"control.w-to-y": (0.05, 0.05)}),
            repair="take the jumper out",
            proof="no strip with Y alone",
        )


def blower_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    motors = {branch.id: branch for branch in circuit.branches if branch.id in circuit.motors}
    proof = "blower in its four rows: G, W, both, none"
    yield make_fault(
        "blower.motor.open",
        "Blower motor open",
        "blower",
        3.0,
        Changes(ohms=dict.fromkeys(motors, (OFF, OFF))),
        takes="motor",
        repair="replace the motor",
        proof=proof,
    )
    weak: tuple[tuple[str, float, str, str, Takes], ...] = (
        # A rotor that stands draws some four and a half times its amps; half a capacitor a quarter more.
        ("seized", 0.22, "seized", "free or replace it", "motor"),
        ("weak-capacitor", 0.8, "weak run capacitor", "replace the capacitor", "capacitor"),
    )
    for name, share, words, fix, takes in weak:
        yield make_fault(
            f"blower.motor.{name}",
            f"Blower motor, {words}",
            "blower",
            1.5,
            Changes(ohms={n: (b.ohms * share, b.dc_ohms) for n, b in motors.items()}),
            takes=takes,
            repair=fix,
            proof=proof,
        )
    yield make_fault(
        "blower.lead-fixed.off",
        "Blower's fixed lead off",
        "blower",
        0.6,
        Changes(split={"blower.lead-fixed": OFF}),
        takes="ends",
        repair="new end",
        proof=proof,
    )
    relay = plate.blower.relay
    if relay is None:
        return
    coil = f"{relay.id}.coil"
    plain = next(branch for branch in circuit.branches if branch.id == coil)
    yield make_fault(
        f"{coil}.open",
        "Blower relay coil open",
        "blower",
        2.5,
        Changes(ohms={coil: (OFF, OFF)}),
        takes="relay",
        repair="replace the relay",
        proof=proof,
    )
    yield make_fault(
        f"{coil}.shorted",
        "Blower relay coil shorted",
        "short",
        1.2,
        *(Changes(ohms={coil: (plain.ohms * s, plain.dc_ohms * s)}) for s in (0.04, 0.15)),
        takes="relay",
        repair="replace the relay, and the fuse",
        proof="control current below 80 % of the transformer",
    )
    if relay.on_delay_seconds or relay.off_delay_seconds:
        own = [contact.id for contact in circuit.contacts if contact.driver == f"relay:{relay.id}"]
        yield make_fault(
            f"{relay.id}.delay.erratic",
            "Time-delay module erratic",
            "blower",
            2.0,
            Changes(forced={name: place_of(name).part.startswith("nc") for name in own}),
            takes="relay",
            repair="replace the module",
            proof="ten good starts in ten",
            shows="now and then",
        )
    for lead in circuit.leads:
        if place_of(lead.id).owner == relay.id:
            yield make_fault(
                f"{lead.id}.off",
                f"Blower relay {_lead_words(place_of(lead.id).part)} lead off",
                "blower",
                0.5,
                Changes(split={lead.id: OFF}),
                takes="ends",
                repair="new end",
                proof=proof,
            )
    used = {contact.id for contact in circuit.contacts}
    landed = {lead.a for lead in circuit.leads}
    for name in sorted(used):
        if place_of(name).owner != relay.id or name not in landed:
            continue
        label = place_of(name).part.upper()
        yield make_fault(
            f"{name}.open",
            f"Blower relay {label} never closes",
            "blower",
            2.0,
            Changes(forced={name: False}),
            takes="relay",
            repair="replace the relay",
            proof=proof,
        )
        yield make_fault(
            f"{name}.welded",
            f"Blower relay {label} welded",
            "blower",
            1.2,
            Changes(forced={name: True}),
            takes="relay",
            repair="replace the relay",
            proof=proof,
        )
    if "interlock.jumper" in {branch.id for branch in circuit.branches}:
        yield from _miswired(plate, circuit, relay.id)


def _lead_words(part: str) -> str:
    name = part.removeprefix("lead-")
    return {"coil": "coil's call", "common": "coil's common"}.get(name, name.upper().replace("-", " "))


def _miswired(plate: Nameplate, circuit: Circuit, relay: str) -> Iterator[Fault]:
    """The wrong interlocks of docs/trade.md, section 1, all but NC left open, which is its lead off."""
    contact = plate.blower.relay.contacts[0] if plate.blower.relay else None
    if contact is None or contact.com != "blower" or contact.no not in ("L1", "L2"):
        return
    supply = plate.blower.supplied_by
    leg, other = (f"{supply}.{name.lower()}" for name in ((contact.no, "L1" if contact.no == "L2" else "L2")))
    com, no, nc = (f"{relay}.lead-{name}" for name in ("com", "no", "nc"))
    fix = "land it: blower on COM, NO on the pole's leg, NC on the strip's load side"
    proof = "blower in its four rows, strips only with W"
    yield make_fault(
        "interlock.plain-wire",
        "Plain wire from strip to blower",
        "stuck",
        0.4,
        Changes(ohms={"interlock.jumper": (0.01, 0.01)}),
        repair=fix,
        proof=proof,
    )
    yield make_fault(
        "interlock.com-on-leg",
        "Interlock: COM on the leg, NC on the strip",
        "stuck",
        0.4,
        Changes(moved={com: leg, no: "blower.run"}),
        repair=fix,
        proof=proof,
    )
    yield make_fault(
        "interlock.across-legs",
        "Interlock: COM on one leg, NC on the other",
        "supply",
        0.3,
        Changes(moved={com: leg, nc: other, no: "blower.run"}),
        repair=fix,
        proof=proof,
    )
    yield make_fault(
        "interlock.fixed-and-no-exchanged",
        "Interlock: fixed lead and NO exchanged",
        "blower",
        0.4,
        Changes(moved={"blower.lead-fixed": leg, no: other}),
        repair=fix,
        proof=proof,
    )


def air_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    limits = {contact.id: False for contact in circuit.contacts if contact.moved_by[0] == "limit"}
    # A PSC motor that moves less air draws less.
    motors = {b.id: (b.ohms * 1.25, b.dc_ohms) for b in circuit.branches if b.id in circuit.motors}
    if limits:
        yield make_fault(
            "air.little",
            "Little air: filter, coil, wheel or speed",
            "weak",
            2.0,
            Changes(forced=limits, ohms=motors if plate.blower.kind == "psc" else {}),
            takes="filter",
            repair="clean filter, coil and wheel, set the speed; find closed registers",
            proof="no limit opens in ten minutes, temperature rise in band",
            shows="now and then",
        )
