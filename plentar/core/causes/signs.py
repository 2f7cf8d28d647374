"""How much likelier a sign makes a fault."""

from plentar.core.causes.fault import Fault
from plentar.core.evidence.signs import BLOWER_RELAY, Sign
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of

__all__ = ["factor_of"]


def factor_of(sign: Sign, about: str, fault: Fault, plate: Nameplate) -> float:
    """Return how many times likelier a sign at a part makes a fault; 1 for faults it does not speak of.

    Example:
        >>> from plentar.core.causes.faults import fault_by_id
        >>> from plentar.core.evidence.signs import sign_of
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> unit, sign = PATTERNS["two-strip-sequencer"](), sign_of("loose-push-on")
        >>> loose = fault_by_id(unit, "strip-b.lead-2.loose")
        >>> factor_of(sign, "strip-b", loose, unit), factor_of(sign, "strip-a", loose, unit)
        (8.0, 1.0)
    """
    if fault.kind == "healthy" or (about and not f"{fault.id}.".startswith(f"{about}.")):
        return 1.0
    # What a fault is follows its part's own name: that name is only a name.
    place = place_of(fault.id)
    what = fault.id.removeprefix(place.owner) if place.owner in _named(plate) else fault.id
    relay = plate.blower.relay
    if relay is not None and place.owner == relay.id:
        what = f"{BLOWER_RELAY}{what}"
    return max((factor for piece, factor in sign.speaks if piece in what), default=1.0)


def _named(plate: Nameplate) -> frozenset[str]:
    """Return the parts somebody gave a name: strips, devices, the blower's relay."""
    names = {circuit.id for circuit in plate.circuits} | {device.id for device in plate.devices}
    return frozenset(names if plate.blower.relay is None else names | {plate.blower.relay.id})
