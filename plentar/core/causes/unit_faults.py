"""The faults of a unit as a whole: its feeds, its control side, its blower and interlock."""

from collections.abc import Iterator

from plentar.core.causes.fault import OFF, Fault, fault_of
from plentar.core.circuit.changes import Changes
from plentar.core.circuit.network import Circuit
from plentar.core.said import Words, said
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of
from plentar.core.unit.points import part_words

__all__ = ["air_faults", "blower_faults", "control_faults", "supply_faults"]

# Three sizes of wire too small: each has 1.6 times the ohms of the one before.
THIN_RATIO = 4.0
# A lug that is loose, and one that is about to burn off: 7 and 20 V at 20 A.
LUG_OHMS = (0.35, 1.0)
# A breaker that has grown weak trips at some 40 % of its rating, which one or two strips are.
WEAK_RATIO, USUAL_BREAKER_AMPS = 0.4, 60.0
# Rubbed wires touch through a burnt spot: enough to blow a 3 or 5 A fuse from 24 V, not quite nothing.
SHORT_OHMS = 0.8
# On the other tap the secondary follows the ratio of the two.
TAPS = {"low": 208 / 240, "high": 240 / 208}
# Nobody who asks for heat has a thermostat at fault that only cools, unless it is that.
COOLING_WEIGHT = 0.3
COOLING_CONDUCTOR_WEIGHT = 0.2
# A rotor that stands draws some four and a half times its amps; half a capacitor a quarter more.
STANDING_SHARE, WEAK_CAPACITOR_SHARE = 0.22, 0.8
# A relay's coil is wound finer than a heater: shorted, less of it is left.
SHORTED_SHARES = (0.04, 0.15)
# A plain wire somebody put in, and a jumper on two screws.
WIRE_OHMS, JUMPER_OHMS = 0.01, 0.05
# A PSC motor that moves less air draws less.
LITTLE_AIR_SHARE = 1.25


def _split(lead: str) -> Changes:
    return Changes(split={lead: OFF})


def _forced(contact: str, closed: bool) -> Changes:
    return Changes(forced={contact: closed})


def supply_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    """Give the faults of the feeds and of the branches behind them."""
    # A neutral has no pole in a breaker and no blade in a disconnect.
    legs = ("l1",) if plate.has_neutral else ("l1", "l2")
    at = {branch.id: branch.ohms.real for branch in circuit.branches}
    for feed in plate.feeds:
        name = feed.id
        words: Words = said("unit_faults.feed") if len(plate.feeds) == 1 else part_words(name)
        poles = {leg: f"{name}.breaker-{leg}" for leg in legs}
        for leg, pole in poles.items():
            blade, conductor = f"{name}.disconnect-{leg}", f"{name}.conductor-{leg}"
            yield fault_of("breaker-pole.open", pole, _forced(pole, False), feed=words, leg=leg.upper())
            yield fault_of("disconnect.open", blade, _forced(blade, False), feed=words, leg=leg.upper())
            loose = (Changes(ohms={conductor: (ohms, ohms)}) for ohms in LUG_OHMS)
            yield fault_of("lug.loose", f"{name}.lug-{leg}", *loose, feed=words, leg=leg.upper())
        thin = {lead: THIN_RATIO * at[lead] for lead in (f"{name}.conductor-l1", f"{name}.conductor-l2")}
        yield fault_of("wire.too-small", f"{name}.wire", Changes(ohms={n: (r, r) for n, r in thin.items()}), feed=words)
        trips_at = dict.fromkeys(poles.values(), WEAK_RATIO * (feed.breaker_amps or USUAL_BREAKER_AMPS))
        yield fault_of("breaker.weak", f"{name}.breaker", Changes(trips_at=trips_at), feed=words)
        off = Changes(forced=dict.fromkeys(poles.values(), False))
        yield fault_of("breaker.off", f"{name}.breaker", off, feed=words)
    for branch in plate.branches:
        own = {leg: f"{branch.id}.{leg}-pole" for leg in legs}
        for leg, pole in own.items():
            yield fault_of(
                "branch-pole.open", pole, _forced(pole, False), branch=part_words(branch.id), leg=leg.upper()
            )
        off = Changes(forced=dict.fromkeys(own.values(), False))
        yield fault_of("branch.off", branch.id, off, branch=part_words(branch.id))


def control_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    """Give the faults of the transformer, its fuse, the thermostat and its cable."""
    yield fault_of("transformer.dead", "transformer", Changes(ratio={"transformer": 0.0}))
    for which, ratio in TAPS.items():
        yield fault_of(f"transformer.wrong-tap-{which}", "transformer", Changes(ratio={"transformer": ratio}))
    yield fault_of("fuse.open", "fuse", _forced("fuse", False))
    for end in ("1", "2", "c"):
        lead = f"transformer.lead-{end}"
        yield fault_of("transformer-lead.off", lead, _split(lead), lead=said(f"unit_faults.transformer-lead-{end}"))
    # R's cable is a contact in the network, C's a lead.
    yield fault_of("thermostat-r.off", "thermostat.lead-r", _forced("thermostat.lead-r", False))
    yield fault_of("thermostat-c.off", "thermostat.lead-c", _split("thermostat.lead-c"))
    if plate.outdoor_thermostat is not None:
        part, stage = "outdoor-thermostat", plate.outdoor_thermostat
        yield fault_of("outdoor-thermostat.stuck-open", part, _forced(part, False), call=stage)
        yield fault_of("outdoor-thermostat.stuck-closed", part, _forced(part, True), call=stage)
    if "Y" in plate.calls:
        # Both ends sound and on each other's screws: nothing but the season shows it.
        swapped = Changes(moved={"thermostat.lead-o": "board.b"})
        yield fault_of("o-and-b.exchanged", "thermostat.o-and-b", swapped)
    for call in plate.calls:
        yield from _call_faults(plate, call)
    if "Y" in plate.calls:
        joined = Changes(ohms={"control.w-to-y": (JUMPER_OHMS, JUMPER_OHMS)})
        yield fault_of("w-to-y.joined", "control.w-to-y", joined)


def _call_faults(plate: Nameplate, call: str) -> Iterator[Fault]:
    name = call.lower()
    contact, lead = f"thermostat.{name}", f"thermostat.lead-{name}"
    cools, conductor = (COOLING_WEIGHT, COOLING_CONDUCTOR_WEIGHT) if call == "Y" else (None, None)
    yield fault_of("thermostat.not-calling", contact, _forced(contact, False), weight=cools, call=call)
    yield fault_of("thermostat.always-calling", contact, _forced(contact, True), weight=cools, call=call)
    yield fault_of("conductor.off", lead, _split(lead), weight=conductor, call=call)
    short = Changes(ohms={f"control.short-{name}": (SHORT_OHMS, SHORT_OHMS)})
    yield fault_of("conductor.shorted", f"control.{name}", short, call=call)
    if plate.transformer.grounded_common:
        # Without a grounded common the first conductor that touches the frame changes nothing a meter or a fuse shows.
        ground = Changes(ohms={f"control.ground-{name}": (SHORT_OHMS, SHORT_OHMS)})
        yield fault_of("conductor.grounded", f"control.{name}", ground, call=call)


def blower_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    """Give the faults of the motor, its leads, its relay and the interlock."""
    motors = {branch.id: branch for branch in circuit.branches if branch.id in circuit.motors}
    yield fault_of("motor.open", "blower.motor", Changes(ohms=dict.fromkeys(motors, (OFF, OFF))))
    for mode, share in (("motor.seized", STANDING_SHARE), ("motor.weak-capacitor", WEAK_CAPACITOR_SHARE)):
        changed = {name: (branch.ohms * share, branch.dc_ohms) for name, branch in motors.items()}
        yield fault_of(mode, "blower.motor", Changes(ohms=changed))
    yield fault_of("blower-lead.off", "blower.lead-fixed", _split("blower.lead-fixed"))
    if plate.blower.relay is not None:
        yield from _relay_faults(plate, circuit, plate.blower.relay.id)


def _relay_faults(plate: Nameplate, circuit: Circuit, relay: str) -> Iterator[Fault]:
    coil = f"{relay}.coil"
    plain = next(branch for branch in circuit.branches if branch.id == coil)
    yield fault_of("relay-coil.open", coil, Changes(ohms={coil: (OFF, OFF)}))
    shorted = (Changes(ohms={coil: (plain.ohms * share, plain.dc_ohms * share)}) for share in SHORTED_SHARES)
    yield fault_of("relay-coil.shorted", coil, *shorted)
    if plate.blower.relay is not None and (plate.blower.relay.on_delay_seconds or plate.blower.relay.off_delay_seconds):
        # When it does not come it stays as it rests: NC made, NO open.
        own = [contact.id for contact in circuit.contacts if contact.driver == f"relay:{relay}"]
        at_rest = Changes(forced={name: place_of(name).part.startswith("nc") for name in own})
        yield fault_of("delay.erratic", f"{relay}.delay", at_rest)
    for lead in circuit.leads:
        if place_of(lead.id).owner == relay:
            yield fault_of("relay-lead.off", lead.id, _split(lead.id), lead=_lead_words(place_of(lead.id).part))
    # A contact with no lead on it can fail as it likes.
    landed = {lead.a for lead in circuit.leads}
    for name in sorted({contact.id for contact in circuit.contacts} & landed):
        if place_of(name).owner == relay:
            label = place_of(name).part.upper()
            yield fault_of("relay-contact.open", name, _forced(name, False), contact=label)
            yield fault_of("relay-contact.welded", name, _forced(name, True), contact=label)
    if "interlock.jumper" in {branch.id for branch in circuit.branches}:
        yield from _miswired(plate, relay)


def _lead_words(part: str) -> Words:
    name = part.removeprefix("lead-")
    own: dict[str, Words] = {"coil": said("unit_faults.coils-call"), "common": said("unit_faults.coils-common")}
    return own.get(name, name.upper().replace("-", " "))


def _miswired(plate: Nameplate, relay: str) -> Iterator[Fault]:
    """The wrong interlocks of docs/trade.md, section 1, all but NC left open, which is its lead off."""
    contact = plate.blower.relay.contacts[0] if plate.blower.relay else None
    if contact is None or contact.com != "blower" or contact.no not in ("L1", "L2"):
        return
    supply = plate.blower.supplied_by
    leg, other = (f"{supply}.{name.lower()}" for name in ((contact.no, "L1" if contact.no == "L2" else "L2")))
    com, no, nc = (f"{relay}.lead-{name}" for name in ("com", "no", "nc"))
    wirings = {
        # Somebody left the relay out of it.
        "plain-wire": Changes(ohms={"interlock.jumper": (WIRE_OHMS, WIRE_OHMS)}),
        # COM and NO exchanged: the strip's load side is live from the leg through NC.
        "com-on-leg": Changes(moved={com: leg, no: "blower.run"}),
        # NC on the other leg: L1 to L2 through the relay at each throw.
        "across-legs": Changes(moved={com: leg, nc: other, no: "blower.run"}),
        # The blower sits between two ends of one leg, or between a leg and itself.
        "fixed-and-no-exchanged": Changes(moved={"blower.lead-fixed": leg, no: other}),
    }
    for name, changes in wirings.items():
        yield fault_of(f"interlock.{name}", "interlock", changes)


def air_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    """Give what no part is at fault for: too little air, as limits and a PSC motor's amps show it."""
    limits = {contact.id: False for contact in circuit.contacts if contact.moved_by[0] == "limit"}
    motors = {b.id: (b.ohms * LITTLE_AIR_SHARE, b.dc_ohms) for b in circuit.branches if b.id in circuit.motors}
    if limits:
        little = Changes(forced=limits, ohms=motors if plate.blower.kind == "psc" else {})
        yield fault_of("air.little", "air", little)
