"""What may run until a feed is corrected: a smaller device and the strips that fit it, or strips left off, or nothing.

Never a larger device, and never a bridge: docs/trade.md, sections 2 and 8.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import combinations
from typing import Literal

from plentar.core.judging.feed import (
    CONTINUOUS,
    DEVICE_SHARE,
    MOST_PART_DEVICE_AMPS,
    MOST_UNDIVIDED_AMPS,
    load_of,
    own_breakers,
    straight_strips,
    strip_amps,
)
from plentar.core.judging.feed_path import PathPart, label_of, path_of, wire_runs
from plentar.core.limits.ampacity import WireRun
from plentar.core.message import Text, joined, message
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate
from plentar.core.unit.points import part_words
from plentar.core.unit.supply_path import STANDARD_DEVICES, Conductor, Feed

__all__ = ["Interim", "LeftOff", "interim_of", "temporary_words"]


@dataclass(frozen=True, slots=True, kw_only=True)
class LeftOff:
    """One strip left off and how: by its own breaker, by its call's wire, or by its lead insulated at both ends."""

    strip: str
    how: Literal["own-breaker", "call", "lead"]
    words: Text


@dataclass(frozen=True, slots=True, kw_only=True)
class Interim:
    """What may run on a feed until it is corrected.

    Attributes:
        feed: The feed.
        kind: A smaller device with what fits it, strips left off, or the whole feed off.
        device_amps: The smaller device [A].
        left_off: The strips that stay off, each with how.
        left_watts: What is left to heat with on this unit [W].
        whole_watts: What there is with everything on [W].
        controls: Whether this unit's controls can do it.
        cautions: What else must be known before it is done.
        who: Who must correct what.
    """

    feed: str
    kind: Literal["smaller-device", "strips-off", "feed-off"]
    left_off: tuple[LeftOff, ...]
    left_watts: float
    whole_watts: float
    who: Text
    device_amps: float | None = None
    controls: Text = ""
    cautions: tuple[Text, ...] = ()

    @property
    def words(self) -> Text:
        """What is done, in one line."""
        return temporary_words([entry.strip for entry in self.left_off], self.feed, self.device_amps)


def temporary_words(strips: Sequence[str], feed: str = "", device_amps: float | None = None) -> Text:
    """Return a temporary measure in one line: strips off, a smaller device in a feed, or all of the feed off.

    Example:
        >>> temporary_words([], "feed-1").id
        'interim.feed-off'
    """
    off = joined(list(map(part_words, strips)))
    if device_amps is not None:
        key = "interim.device-and-strips" if strips else "interim.device"
        return message(key, feed=part_words(feed), amps=device_amps, strips=off)
    return message("interim.strips-off", strips=off) if strips else message("interim.feed-off", feed=part_words(feed))


def interim_of(plate: Nameplate, feed_id: str) -> Interim | None:
    """Return what may run on a feed until its defects are corrected; None where it has none that load or device make.

    Source:
        docs/trade.md, section 2: a device too big for its wire is not cured by less load; 80 % of a device; no element
        behind more than 60 A, no more than 48 A of heater undivided.
    """
    parts = [part for part in path_of(plate) if part.feed == feed_id]
    feed = next(feed for feed in plate.feeds if feed.id == feed_id)
    if not any(part.defects for part in parts) or feed.breaker_amps is None:
        return None
    most = _largest_device(plate, feed)
    if most is not None and most < feed.breaker_amps:
        device = max((size for size in STANDARD_DEVICES if size <= most), default=0.0)
        return _interim(plate, feed, parts, _room(plate, feed, parts, device), device_amps=device)
    own = any(part.defects and part.id in own_breakers(plate, feed_id) for part in parts)
    is_short = any((part.margin_amps or 0.0) < -1e-9 for part in parts if part.id.startswith(f"{feed_id}."))
    if is_short or own or _is_undivided(plate, feed_id):
        return _interim(plate, feed, parts, _room(plate, feed, parts, feed.breaker_amps))
    return None


def _is_undivided(plate: Nameplate, feed_id: str) -> bool:
    return sum(strip_amps(plate, strip) for strip in straight_strips(plate, feed_id)) > MOST_UNDIVIDED_AMPS + 1e-9


def _largest_device(plate: Nameplate, feed: Feed) -> float | None:
    """Return the largest device the feed's own parts stand [A]: wire, switch, label, elements; None without any."""
    found: list[float] = []
    if feed.conductor is not None:
        found.append(_careful(feed.conductor).largest_device_amps)
    if feed.disconnect is not None and feed.disconnect.kind in ("switch", "pull-out"):
        found += [feed.disconnect.rated_amps] if feed.disconnect.rated_amps is not None else []
    if (label := label_of(plate)).maximum_device_amps is not None:
        found.append(label.maximum_device_amps)
    if straight_strips(plate, feed.id) and feed.at_unit != "breaker":
        found.append(MOST_PART_DEVICE_AMPS)
    return min(found, default=None)


def _careful(wire: Conductor) -> WireRun:
    """Return a wire as it may be counted on until it is read: the least insulation and ends, a cool run of its own."""
    worst, best = wire_runs(wire)
    return replace(worst, ambient_degf=best.ambient_degf, carrying=best.carrying)


def _room(plate: Nameplate, feed: Feed, parts: Sequence[PathPart], device_amps: float) -> float:
    """Return what a device and the wire behind it leave for strips after the blower [A]."""
    allowed = [DEVICE_SHARE * device_amps]
    if feed.conductor is not None:
        wire = _careful(feed.conductor)
        allowed.append(min(wire.ampacity_amps, wire.largest_device_amps) / CONTINUOUS)
    allowed += [
        part.allows_amps
        for part in parts
        if part.id in (f"{feed.id}.disconnect", f"{feed.id}.unit") and part.allows_amps is not None
    ]
    return min(allowed) - load_of(plate, feed.id).blower_amps


def _interim(
    plate: Nameplate, feed: Feed, parts: Sequence[PathPart], room: float, *, device_amps: float | None = None
) -> Interim:
    strips = plate.circuits_on(feed.id)
    kept = _kept(plate, feed, strips, room)
    off = [strip for strip in strips if strip not in kept]
    whole = plate.total_rated_watts
    left = whole - sum(strip.rated_watts for strip in off)
    if not kept or (device_amps is not None and device_amps <= 0):
        kind: Literal["smaller-device", "strips-off", "feed-off"] = "feed-off"
        left = whole - sum(strip.rated_watts for strip in strips)
    else:
        kind = "smaller-device" if device_amps is not None else "strips-off"
    how = tuple(_left_off(plate, strip, off) for strip in off) if kind != "feed-off" else ()
    return Interim(
        feed=feed.id,
        kind=kind,
        device_amps=device_amps if kind == "smaller-device" else None,
        left_off=how,
        left_watts=left,
        whole_watts=whole,
        who=joined(dict.fromkeys(_who(part) for part in parts if part.defects), by="semicolon"),
        controls=_controls(plate, how),
        cautions=tuple(_cautions(plate, feed, how)),
    )


def _kept(plate: Nameplate, feed: Feed, strips: Sequence[HeatingCircuit], room: float) -> tuple[HeatingCircuit, ...]:
    """Return the strips that run on: most heat first, then those whose fellows are easiest left off, interlock kept."""
    divided = own_breakers(plate, feed.id)
    carried = _interlocked(plate)

    def fits(kept: Iterable[HeatingCircuit]) -> bool:
        kept = tuple(kept)
        behind: dict[str, float] = {}
        for strip in kept:
            amps = strip_amps(plate, strip)
            behind[strip.supplied_by] = behind.get(strip.supplied_by, 0.0) + amps
        own = all(
            amps <= DEVICE_SHARE * min(divided[name] or math.inf, MOST_PART_DEVICE_AMPS) + 1e-9
            for name, amps in behind.items()
            if name in divided
        )
        straight = sum(strip_amps(plate, strip) for strip in kept if strip.supplied_by not in divided)
        return own and straight <= MOST_UNDIVIDED_AMPS + 1e-9 and sum(behind.values()) <= room + 1e-9

    best: tuple[HeatingCircuit, ...] = ()
    score: tuple[float, int, int] = (0.0, 0, 0)
    for count in range(1, len(strips) + 1):
        for kept in combinations(strips, count):
            if not fits(kept):
                continue
            off = [strip for strip in strips if strip not in kept]
            easy = sum(_left_off(plate, strip, off).how != "lead" for strip in off)
            now = (sum(s.rated_watts for s in kept), sum(s.id in carried for s in kept), easy)
            if now > score:
                best, score = kept, now
    return best


def _interlocked(plate: Nameplate) -> set[str]:
    """Return the strips whose contact feeds the blower: off with its contact, the others would heat without air."""
    relay = plate.blower.relay
    return {contact.nc for contact in relay.contacts} if relay is not None else set()


def _left_off(plate: Nameplate, strip: HeatingCircuit, off: Sequence[HeatingCircuit]) -> LeftOff:
    branch = next((b for b in plate.branches if b.id == strip.supplied_by and b.kind == "breaker"), None)
    if branch is not None:
        fellows = [c for c in plate.circuits if c.supplied_by == branch.id]
        loads = (plate.blower.supplied_by, plate.transformer.supplied_by)
        if all(fellow in off for fellow in fellows) and branch.id not in loads:
            words = message("interim.own-breaker", strip=strip.name, breaker=branch.id.replace("-", " "))
            return LeftOff(strip=strip.id, how="own-breaker", words=words)
    call = plate.call_of(strip.device)
    fellows = [c for c in plate.circuits if plate.call_of(c.device) == call]
    others = {plate.call_of(c.device) for c in plate.circuits} - {call}
    if others and all(fellow in off for fellow in fellows) and strip.id not in _interlocked(plate):
        return LeftOff(strip=strip.id, how="call", words=message("interim.by-call", strip=strip.name, call=call))
    key = "interim.by-lead-two" if len(strip.poles) == 2 else "interim.by-lead"
    leg = "L1" if strip.switched_leg == "L2" else "L2"
    return LeftOff(strip=strip.id, how="lead", words=message(key, strip=strip.name, leg=leg))


def _controls(plate: Nameplate, left_off: Sequence[LeftOff]) -> Text:
    """Tell whether the unit's controls can leave just these strips off."""
    if not left_off:
        return ""
    if all(entry.how == "call" for entry in left_off):
        return message("interim.controls-can")
    call = plate.call_of(plate.circuit(left_off[0].strip).device)
    together = [c.name for c in plate.circuits if plate.call_of(c.device) == call]
    return message("interim.controls-cannot", call=call, strips=joined(together)) if len(together) > 1 else ""


def _cautions(plate: Nameplate, feed: Feed, left_off: Sequence[LeftOff]) -> Iterable[Text]:
    if any(entry.strip in _interlocked(plate) for entry in left_off):
        yield message("interim.keep-interlock")
    if any(entry.how == "lead" for entry in left_off):
        yield message("interim.proven-dead")
    wire = feed.conductor
    if wire is not None and None in (wire.ambient_degf, wire.carrying):
        yield message("interim.as-if-cool")


def _who(part: PathPart) -> Text:
    """Return who must correct a part: what stands ahead of the unit is an electrician's."""
    if part.is_ahead:
        return message("interim.electrician", what=part.name)
    return message("interim.technician", what=part.name)
