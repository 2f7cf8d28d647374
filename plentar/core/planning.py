"""What the van should carry today: from complaints, units and how often things break, before any reading."""

from collections.abc import Sequence
from dataclasses import dataclass

from plentar.core.fault import Fault
from plentar.core.faults import COMPLAINTS, faults_of
from plentar.core.nameplate import Nameplate

__all__ = ["FIRST_TRIP_SHARE", "PartNeed", "VanItem", "VanList", "part_for", "plan_van"]

FIRST_TRIP_SHARE = 0.9


@dataclass(frozen=True, slots=True, kw_only=True)
class PartNeed:
    """One kind of part, by what a counter would ask: a kind and the figures that matter."""

    id: str
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class VanItem:
    """One part with the chance that some call of the day needs it, and how many calls' fixes it carries on average."""

    part: PartNeed
    chance: float
    expected_fixes: float
    for_calls: tuple[int, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class VanList:
    """The day's parts, likeliest first; the first `smallest` of them give `covered` of the first-trip fixes."""

    items: tuple[VanItem, ...]
    smallest: int
    covered: float


ENDS = PartNeed(id="ends", words="push-on ends, lugs, high-temperature wire")
NOTHING = PartNeed(id="", words="")


def part_for(plate: Nameplate, fault: Fault) -> PartNeed:
    """Return the part a fault's repair takes; `NOTHING` where it takes only hands or somebody else's breaker.

    Example:
        >>> from plentar.core.faults import fault_by_id
        >>> from plentar.core.patterns import PATTERNS
        >>> unit = PATTERNS["two-strip-sequencer"]()
        >>> [part_for(unit, fault_by_id(unit, name)).words for name in ("seq-a.pole-2.open", "strip-a.element.open")]
        ['2-pole sequencer', '5 kW 240 V element']
    """
    owner, _, rest = fault.id.partition(".")
    strips = {circuit.id: circuit for circuit in plate.circuits}
    devices = {device.id: device for device in plate.devices}
    if fault.id.endswith((".off", ".loose")) and ("lead" in rest or "lug" in rest):
        return ENDS
    if owner in strips:
        return _strip_part(strips[owner].rated_watts, strips[owner].rated_volts, rest)
    if owner in devices:
        device = devices[owner]
        if rest.startswith("rectifier"):
            return PartNeed(id="rectifier", words="rectifier board 24 V")
        poles = len(device.poles) + (device.auxiliary is not None)
        kind = {
            "sequencer": f"{poles}-pole sequencer",
            "contactor": f"{poles}-pole contactor 24 V",
            "ac-relay": "AC heat relay 24 V",
            "dc-relay": "DC heat relay 24 V",
        }[device.kind]
        return PartNeed(id=kind.replace(" ", "-"), words=kind)
    if fault.id.startswith("transformer"):
        va = f"{plate.transformer.va:g} VA"
        return NOTHING if "tap" in rest else PartNeed(id=f"transformer-{va}", words=f"transformer {va}")
    if owner in ("control", "fuse") or rest.startswith("fuse"):
        fuse = f"{plate.transformer.fuse_amps or 5:g} A"
        return PartNeed(id=f"fuse-{fuse}", words=f"control fuses {fuse}")
    if owner == "thermostat":
        return PartNeed(id="thermostat", words="thermostat") if rest.endswith("calling") else ENDS
    return _blower_part(plate, fault)


def _strip_part(watts: float, volts: float, rest: str) -> PartNeed:
    if rest.startswith("link"):
        return PartNeed(id="link", words="fusible links")
    if rest.startswith("limit"):
        return PartNeed(id="limit", words="limit, opening temperature as the original")
    size = f"{watts / 1000:g} kW {volts:g} V element"
    return PartNeed(id=size.replace(" ", "-"), words=size)


def _blower_part(plate: Nameplate, fault: Fault) -> PartNeed:
    if "capacitor" in fault.id:
        size = f"{plate.blower.capacitor_microfarads:g} µF" if plate.blower.capacitor_microfarads else "of its label"
        return PartNeed(id=f"capacitor-{size}", words=f"run capacitor {size}")
    if fault.id.startswith("blower.motor"):
        amps = f"{plate.blower.rated_amps:g} A"
        return PartNeed(id=f"motor-{amps}", words=f"{plate.blower.kind.upper()} blower motor {amps}")
    relay = plate.blower.relay
    if relay is not None and fault.id.startswith(relay.id):
        form = "DPDT" if len(relay.contacts) == 2 else "SPDT"
        kind = "time-delay " if relay.on_delay_seconds or relay.off_delay_seconds else ""
        return PartNeed(id=f"blower-relay-{form}-{kind.strip()}", words=f"{kind}blower relay {form} 24 V")
    if fault.id.startswith("air."):
        return PartNeed(id="filter", words="filters")
    if fault.id.startswith("outdoor-thermostat"):
        return PartNeed(id="outdoor-thermostat", words="outdoor thermostat")
    return NOTHING


def _shares(plate: Nameplate, complaints: Sequence[str]) -> dict[PartNeed, float]:
    """Return the chance that a call's fix takes each part."""
    shares: dict[PartNeed, float] = {}
    total = 0.0
    for fault in faults_of(plate):
        weight = fault.weight
        for complaint in complaints:
            weight *= COMPLAINTS.get(complaint, {}).get(fault.kind, 1.0)
        total += weight
        part = NOTHING if fault.kind == "healthy" else part_for(plate, fault)
        shares[part] = shares.get(part, 0.0) + weight
    return {part: weight / total for part, weight in shares.items()}


def plan_van(calls: Sequence[tuple[Nameplate, Sequence[str]]], *, share: float = FIRST_TRIP_SHARE) -> VanList:
    """Return the parts of a day and the smallest set that fixes this share of the calls on the first trip.

    A fix takes one part, so a set covers the sum of its parts' shares, and the likeliest parts are the smallest set.

    Args:
        calls: Each call's unit and complaints.
        share: The share of first-trip fixes wanted; what needs no part counts as fixed.
    Source:
        Field guide, section 6, van list.
    """
    each = [_shares(plate, complaints) for plate, complaints in calls]
    parts = {part for shares in each for part in shares if part.id}
    items = []
    for part in parts:
        own = [shares.get(part, 0.0) for shares in each]
        missing = 1.0
        for chance in own:
            missing *= 1.0 - chance
        for_calls = tuple(index for index, chance in enumerate(own) if chance >= 0.03)
        items.append(VanItem(part=part, chance=1.0 - missing, expected_fixes=sum(own), for_calls=for_calls))
    items.sort(key=lambda item: (-item.expected_fixes, item.part.words))
    covered = sum(shares.get(NOTHING, 0.0) for shares in each)
    smallest = 0
    while each and smallest < len(items) and covered / len(each) < share:
        covered += items[smallest].expected_fixes
        smallest += 1
    return VanList(items=tuple(items), smallest=smallest, covered=covered / len(each) if each else 1.0)
