"""What a fault means in the house: one plain sentence for the customer, without the names of parts alone."""

from plentar.core.causes.faults import faults_of
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of

__all__ = ["OF_STRIPS", "SENTENCES", "customer_sentence"]

# A sentence, and the modes it tells the customer of; the trade's words follow in the office's paper. A part's purpose
# is said with its name.
SENTENCES = {
    "customer.switch-open": "pole.open coil.open mechanism.dead auxiliary.open rectifier.dead rectifier.half-open",
    "customer.switch-stuck": "pole.welded auxiliary.welded",
    "customer.switch-burnt": "pole.burnt",
    "customer.switch-slow": "device.slow pole.slow auxiliary.slow",
    "customer.switch-shorted": (
        "coil.shorted rectifier.diode-shorted relay-coil.shorted outdoor-coil.shorted valve-coil.shorted"
    ),
    "customer.link-open": "link.open",
    "customer.limit-open": "limit.open",
    "customer.limit-cycling": "limit.cycling",
    "customer.limit-stuck": "limit.stuck-closed",
    "customer.element-open": "element.open",
    "customer.element-half": "element.coil-open",
    "customer.element-grounded": "element.grounded element.burnt-to-frame-1 element.burnt-to-frame-2",
    "customer.element-short": "element.dead-short element.part-shorted",
    "customer.element-size": "element.wrong-size",
    "customer.wire-off": "lead.off coil-lead.off auxiliary-lead.off",
    "customer.wire-loose": "lead.loose",
    "customer.breaker-off": "breaker.off branch.off",
    "customer.breaker-weak": "breaker.weak",
    "customer.half-power": "breaker-pole.open branch-pole.open disconnect.open lug.open",
    "customer.power-loose": "breaker-pole.stab-burnt lug.loose",
    "customer.wire-thin": "wire.too-small",
    "customer.supply-low": "supply.low",
    "customer.supply-high": "supply.high",
    "customer.ground-open": "equipment-ground.open",
    "customer.fuse-open": "fuse.open",
    "customer.transformer": "transformer.dead transformer.primary-open transformer.secondary-open",
    "customer.transformer-tap": "transformer.wrong-tap-low transformer.wrong-tap-high",
    "customer.thermostat-wire": "transformer-lead.off thermostat-r.off thermostat-c.off conductor.off",
    "customer.thermostat-short": "conductor.shorted conductor.grounded",
    "customer.thermostat-silent": "thermostat.not-calling",
    "customer.thermostat-always": "thermostat.always-calling",
    "customer.thermostat-kind": "thermostat.wrong-kind",
    "customer.outdoor-thermostat": "outdoor-thermostat.stuck-open outdoor-thermostat.stuck-closed",
    "customer.wires-swapped": "o-and-b.exchanged",
    "customer.heat-with-cooling": "w-to-y.joined",
    "customer.motor": "motor.open motor.seized",
    "customer.motor-worn": "motor.bearing",
    "customer.capacitor": "motor.weak-capacitor",
    "customer.wheel-loose": "hub.loose",
    "customer.blower-wire": "blower-lead.off relay-lead.off",
    "customer.relay": "relay-coil.open relay-contact.open relay-armature.passes-nothing relay-armature.stuck-open",
    "customer.relay-stuck": "relay-contact.welded relay-armature.stuck-pulled",
    "customer.relay-erratic": "delay.erratic",
    "customer.interlock": (
        "interlock.across-legs interlock.com-on-leg interlock.fixed-and-no-exchanged "
        "interlock.plain-wire interlock.strip-on-no interlock.taps-exchanged"
    ),
    "customer.little-air": "air.little",
}
_BY_MODE = {mode: words for words, modes in SENTENCES.items() for mode in modes.split()}
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
    mode = next((fault.mode for fault in faults_of(plate) if fault.id == fault_id), "")
    found = _BY_MODE.get(mode)
    if found is None:
        return ""
    if found not in OF_STRIPS:
        return message(found)
    # What switches several strips at once takes all of them along.
    owner = place_of(fault_id).owner
    switched = [circuit for circuit in plate.circuits if circuit.device == owner]
    is_whole = found == "customer.switch-open" and ".pole-" not in fault_id and len(switched) > 1
    return message("customer.switch-of-all") if is_whole else message(found, count=len(plate.circuits))
