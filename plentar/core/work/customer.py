"""What a fault means in the house: one plain sentence for the customer, without the names of parts alone."""

from plentar.core.causes.faults import faults_of
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of

__all__ = ["OF_STRIPS", "SENTENCES", "customer_sentence"]

# What the customer is told of each mode; the trade's words follow in the office's paper. A part's purpose is said with
# its name.
SENTENCES = {
    "pole.open": "customer.switch-open",
    "coil.open": "customer.switch-open",
    "mechanism.dead": "customer.switch-open",
    "auxiliary.open": "customer.switch-open",
    "rectifier.dead": "customer.switch-open",
    "rectifier.half-open": "customer.switch-open",
    "pole.welded": "customer.switch-stuck",
    "auxiliary.welded": "customer.switch-stuck",
    "pole.burnt": "customer.switch-burnt",
    "device.slow": "customer.switch-slow",
    "pole.slow": "customer.switch-slow",
    "auxiliary.slow": "customer.switch-slow",
    "coil.shorted": "customer.switch-shorted",
    "rectifier.diode-shorted": "customer.switch-shorted",
    "relay-coil.shorted": "customer.switch-shorted",
    "outdoor-coil.shorted": "customer.switch-shorted",
    "valve-coil.shorted": "customer.switch-shorted",
    "link.open": "customer.link-open",
    "limit.open": "customer.limit-open",
    "limit.cycling": "customer.limit-cycling",
    "limit.stuck-closed": "customer.limit-stuck",
    "element.open": "customer.element-open",
    "element.coil-open": "customer.element-half",
    "element.grounded": "customer.element-grounded",
    "element.burnt-to-frame-1": "customer.element-grounded",
    "element.burnt-to-frame-2": "customer.element-grounded",
    "element.dead-short": "customer.element-short",
    "element.part-shorted": "customer.element-short",
    "element.wrong-size": "customer.element-size",
    "lead.off": "customer.wire-off",
    "coil-lead.off": "customer.wire-off",
    "auxiliary-lead.off": "customer.wire-off",
    "lead.loose": "customer.wire-loose",
    "breaker.off": "customer.breaker-off",
    "branch.off": "customer.breaker-off",
    "breaker.weak": "customer.breaker-weak",
    "breaker-pole.open": "customer.half-power",
    "branch-pole.open": "customer.half-power",
    "disconnect.open": "customer.half-power",
    "lug.open": "customer.half-power",
    "breaker-pole.stab-burnt": "customer.power-loose",
    "lug.loose": "customer.power-loose",
    "wire.too-small": "customer.wire-thin",
    "supply.low": "customer.supply-low",
    "supply.high": "customer.supply-high",
    "equipment-ground.open": "customer.ground-open",
    "fuse.open": "customer.fuse-open",
    "transformer.dead": "customer.transformer",
    "transformer.primary-open": "customer.transformer",
    "transformer.secondary-open": "customer.transformer",
    "transformer.wrong-tap-low": "customer.transformer-tap",
    "transformer.wrong-tap-high": "customer.transformer-tap",
    "transformer-lead.off": "customer.thermostat-wire",
    "thermostat-r.off": "customer.thermostat-wire",
    "thermostat-c.off": "customer.thermostat-wire",
    "conductor.off": "customer.thermostat-wire",
    "conductor.shorted": "customer.thermostat-short",
    "conductor.grounded": "customer.thermostat-short",
    "thermostat.not-calling": "customer.thermostat-silent",
    "thermostat.always-calling": "customer.thermostat-always",
    "thermostat.wrong-kind": "customer.thermostat-kind",
    "outdoor-thermostat.stuck-open": "customer.outdoor-thermostat",
    "outdoor-thermostat.stuck-closed": "customer.outdoor-thermostat",
    "o-and-b.exchanged": "customer.wires-swapped",
    "w-to-y.joined": "customer.heat-with-cooling",
    "motor.open": "customer.motor",
    "motor.seized": "customer.motor",
    "motor.bearing": "customer.motor-worn",
    "motor.weak-capacitor": "customer.capacitor",
    "hub.loose": "customer.wheel-loose",
    "blower-lead.off": "customer.blower-wire",
    "relay-lead.off": "customer.blower-wire",
    "relay-coil.open": "customer.relay",
    "relay-contact.open": "customer.relay",
    "relay-armature.passes-nothing": "customer.relay",
    "relay-armature.stuck-open": "customer.relay",
    "relay-contact.welded": "customer.relay-stuck",
    "relay-armature.stuck-pulled": "customer.relay-stuck",
    "delay.erratic": "customer.relay-erratic",
    "interlock.across-legs": "customer.interlock",
    "interlock.com-on-leg": "customer.interlock",
    "interlock.fixed-and-no-exchanged": "customer.interlock",
    "interlock.plain-wire": "customer.interlock",
    "interlock.strip-on-no": "customer.interlock",
    "interlock.taps-exchanged": "customer.interlock",
    "air.little": "customer.little-air",
}
# Told of one of so many.
OF_STRIPS = frozenset({
    "customer.link-open", "customer.limit-open", "customer.element-open", "customer.element-half",
    "customer.element-grounded", "customer.switch-open", "customer.switch-stuck", "customer.switch-burnt",
})  # fmt: skip


def customer_sentence(plate: Nameplate, fault_id: str) -> Text:
    """Return what was wrong, as one tells a neighbor; nothing where the trade's own words must do.

    Args:
        fault_id: A single fault; of two at once, each by itself.

    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> customer_sentence(PATTERNS["two-strip-sequencer"](), "strip-b.link.open").id
        'customer.link-open'
    """
    fault = next((fault for fault in faults_of(plate) if fault.id == fault_id), None)
    if fault is None or fault.mode not in SENTENCES:
        return ""
    found = SENTENCES[fault.mode]
    if found not in OF_STRIPS:
        return message(found)
    switched = [circuit for circuit in plate.circuits if circuit.device == place_of(fault.part).owner]
    # A pole switches its own strip, the device around it all of them.
    is_whole = found == "customer.switch-open" and fault.mode != "pole.open" and len(switched) > 1
    return message("customer.switch-of-all") if is_whole else message(found, count=len(plate.circuits))
