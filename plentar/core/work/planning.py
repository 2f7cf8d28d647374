"""What the van should carry today: from complaints, units and how often things break, before any reading."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from plentar.core.causes.fault import Fault
from plentar.core.causes.faults import COMPLAINTS, faults_of
from plentar.core.causes.modes import Takes
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of

__all__ = ["FIRST_TRIP_SHARE", "PartNeed", "VanItem", "VanList", "part_for", "plan_van"]

# Nine of ten calls done at the first trip; the last tenth would double the van.
FIRST_TRIP_SHARE = 0.9


@dataclass(frozen=True, slots=True, kw_only=True)
class PartNeed:
    """One kind of part, by what a counter would ask: a kind and the figures that matter."""

    id: str
    words: Text


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


ENDS = PartNeed(id="ends", words=message("planning.push-ends-lugs-high-temperature"))
NOTHING = PartNeed(id="", words="")


def part_for(plate: Nameplate, fault: Fault) -> PartNeed:
    """Return the part a fault's repair takes; `NOTHING` where it takes only hands or somebody else's breaker.

    Source:
        docs/trade.md, section 6.
    Example:
        >>> from plentar.core.causes.faults import fault_by_id
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> unit = PATTERNS["two-strip-sequencer"]()
        >>> [part_for(unit, fault_by_id(unit, name)).id for name in ("seq-a.pole-2.open", "strip-a.element.open")]
        ['sequencer-2', 'element-5-240']
    """
    return _PARTS[fault.takes](plate, place_of(fault.id).owner)


def _element(plate: Nameplate, strip: str) -> PartNeed:
    circuit = plate.circuit(strip)
    kilowatts, volts = circuit.rated_watts / 1000, circuit.rated_volts
    words = message("planning.kw-v-element", kilowatts=kilowatts, volts=volts)
    return PartNeed(id=f"element-{kilowatts:g}-{volts:g}", words=words)


def _device(plate: Nameplate, name: str) -> PartNeed:
    device = plate.device(name)
    poles = len(device.poles) + (device.auxiliary is not None)
    return PartNeed(id=f"{device.kind}-{poles}", words=device.of_kind.van(poles))


def _transformer(plate: Nameplate, _: str) -> PartNeed:
    va = plate.transformer.va
    return PartNeed(id=f"transformer-{va:g}", words=message("planning.transformer", va=va))


def _fuse(plate: Nameplate, _: str) -> PartNeed:
    amps = plate.transformer.fuse_amps
    words = message("planning.control-fuses", amps=amps) if amps else message("planning.control-fuses-of-both-sizes")
    return PartNeed(id=f"fuse-{amps or 0:g}", words=words)


def _capacitor(plate: Nameplate, _: str) -> PartNeed:
    size = plate.blower.capacitor_microfarads
    words = (
        message("planning.run-capacitor", microfarads=size) if size else message("planning.run-capacitor-of-its-label")
    )
    return PartNeed(id=f"capacitor-{size or 0:g}", words=words)


def _motor(plate: Nameplate, _: str) -> PartNeed:
    kind, amps = plate.blower.kind.upper(), plate.blower.rated_amps
    return PartNeed(id=f"motor-{kind}-{amps:g}", words=message("planning.blower-motor", kind=kind, amps=amps))


def _relay(plate: Nameplate, _: str) -> PartNeed:
    relay = plate.blower.relay
    assert relay is not None  # noqa: S101 - only a unit with one has its faults
    form = "DPDT" if len(relay.contacts) == 2 else "SPDT"
    is_timed = bool(relay.on_delay_seconds or relay.off_delay_seconds)
    reason = "planning.time-delay-blower-relay" if is_timed else "planning.blower-relay"
    return PartNeed(id=f"blower-relay-{form}-{is_timed}", words=message(reason, form=form))


def _same(part: str, words: Text) -> Callable[[Nameplate, str], PartNeed]:
    """Return a maker of a part that is the same on every unit."""
    need = PartNeed(id=part, words=words)
    return lambda _plate, _owner: need


_PARTS: Mapping[Takes, Callable[[Nameplate, str], PartNeed]] = {
    "": lambda _plate, _owner: NOTHING,
    "ends": lambda _plate, _owner: ENDS,
    "element": _element,
    "link": _same("link", message("planning.fusible-links")),
    "limit": _same("limit", message("planning.limit-opening-temperature-as-original")),
    "device": _device,
    "board": _same("rectifier", message("planning.rectifier-board-24-v")),
    "transformer": _transformer,
    "fuse": _fuse,
    "thermostat": _same("thermostat", message("planning.thermostat")),
    "outdoor thermostat": _same("outdoor-thermostat", message("planning.outdoor-thermostat")),
    "motor": _motor,
    "capacitor": _capacitor,
    "relay": _relay,
    "filter": _same("filter", message("planning.filters")),
}


# An estate's units are of a few kits, and a day's complaints of a few kinds: each pair is worked out once.
@lru_cache(maxsize=256)
def _shares(plate: Nameplate, complaints: tuple[str, ...]) -> Mapping[PartNeed, float]:
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
        docs/trade.md, section 6, van list.
    """
    each = [_shares(plate, tuple(complaints)) for plate, complaints in calls]
    parts = {part for shares in each for part in shares if part.id}
    items = []
    for part in parts:
        own = [shares.get(part, 0.0) for shares in each]
        missing = 1.0
        for chance in own:
            missing *= 1.0 - chance
        for_calls = tuple(index for index, chance in enumerate(own) if chance >= 0.03)
        items.append(VanItem(part=part, chance=1.0 - missing, expected_fixes=sum(own), for_calls=for_calls))
    # The part most likely to be needed today is looked for first.
    items.sort(key=lambda item: (-item.expected_fixes, item.part.id))
    covered = sum(shares.get(NOTHING, 0.0) for shares in each)
    smallest = 0
    # The fewest parts that cover the share: a van has no room for all of them.
    while each and smallest < len(items) and covered / len(each) < share:
        covered += items[smallest].expected_fixes
        smallest += 1
    return VanList(items=tuple(items), smallest=smallest, covered=covered / len(each) if each else 1.0)
