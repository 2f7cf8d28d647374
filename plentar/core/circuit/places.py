"""Any place of a unit a meter can be put to, in words: beyond the run sheet's points, every terminal and every part.

`volts:A:B` and `dc_volts:A:B` between two terminals, `amps:PLACE` or `amps:PLACE+PLACE` around conductors, `ohms:PART`
with the part's leads off, `ohms:A:B` in circuit.
"""

from collections.abc import Sequence
from functools import lru_cache

from plentar.core.circuit.network import SEPARATE
from plentar.core.circuit.wiring import wire
from plentar.core.errors import ReadingError
from plentar.core.message import Text, joined, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import (
    CAPACITOR,
    GROUND,
    Place,
    amps_at,
    frame_of,
    line_volts,
    ohms_at,
    place_of,
    spot_of,
    volts_at,
)
from plentar.core.unit.points import Point, of_feed, part_words, piece_words, rung_terminals, test_points
from plentar.core.unit.quantities import QUANTITIES, Quantity

__all__ = ["contact_of", "find_point", "nearby_points", "ohms_parts", "part_terminals", "place_words", "terminal_words"]


def find_point(plate: Nameplate, point_id: str) -> Point:
    """Return the point with this id, one of the run sheet's or any other place of the unit.

    Two probes may be set down in either order: the point has one id, the run sheet's where that names the two.

    Raises:
        ReadingError: The unit has no such place, or the function cannot be used there.
    """
    point = _found(plate, point_id)
    if point is None:
        raise ReadingError(f"this unit has no point {point_id[:80]!r}", field="point")
    return point


@lru_cache(maxsize=1024)
def _found(plate: Nameplate, point_id: str) -> Point | None:
    sheet = _run_sheet(plate)
    function, ends = spot_of(point_id).function, spot_of(point_id).places
    if len(ends) == 2 and point_id not in sheet:
        # No sheet names them: by name, the frame last.
        there, back = sorted(ends, key=lambda end: (end == GROUND, end)), ":".join(reversed(ends))
        point_id = f"{function}:{back}" if f"{function}:{back}" in sheet else f"{function}:{':'.join(there)}"
    return sheet.get(point_id) or _anywhere(plate, point_id)


@lru_cache(maxsize=256)
def _run_sheet(plate: Nameplate) -> dict[str, Point]:
    return {point.id: point for point in test_points(plate)}


def _anywhere(plate: Nameplate, point_id: str) -> Point | None:
    function, places = spot_of(point_id).function, spot_of(point_id).places
    if function not in QUANTITIES or not all(places) or not places:
        return None
    circuit = wire(plate)
    if not QUANTITIES[function].is_predicted:
        return _measured(plate, point_id, QUANTITIES[function], ":".join(places))
    if function == "amps":
        return _clamp(plate, point_id)
    if function == "ohms" and len(places) == 1:
        part = places[0]
        if part not in ohms_parts(plate):
            return None
        where = (
            message("places.one-lead-off-bare-metal") if place_of(part).is_to_frame else message("places.own-leads-off")
        )
        return Point(id=point_id, label=place_words(plate, part), where=where, step="trace", subject=part)
    if len(places) != 2 or places[0] == places[1] or any(place not in circuit.terminals for place in places):
        return None
    between = message(
        "places.between", terminal=terminal_words(plate, places[0]), other_terminal=terminal_words(plate, places[1])
    )
    part = _part_between(plate, places[0], places[1])
    label = place_words(plate, part) if part else between
    how = {"ohms": "in-circuit", "dc_volts": "dc"}.get(function, "ac")
    where = message(f"places.across-it-{how}" if part else f"places.between-them-{how}")
    return Point(id=point_id, label=label, where=where, step=_step_of(plate, places), subject=part or places[0])


def _measured(plate: Nameplate, point_id: str, quantity: Quantity, place: str) -> Point | None:
    """Return one of a quantity's own places; a blower without a run capacitor has none to measure."""
    if place not in quantity.places or (place == CAPACITOR and plate.blower.kind != "psc"):
        return None
    return Point(
        id=point_id,
        label=quantity.places[place],
        where=quantity.where,
        step=quantity.step,
        subject="blower" if place == CAPACITOR else place,
    )


def _clamp(plate: Nameplate, point_id: str) -> Point | None:
    names = spot_of(point_id).conductors
    known = {clamp.place for clamp in wire(plate).clamps}
    if not names or len(set(names)) != len(names) or any(name not in known for name in names):
        return None
    words = joined(_clamp_words(plate, name) for name in names)
    where = message("places.one-conductor") if len(names) == 1 else message("places.all-jaw-once", count=len(names))
    return Point(id=point_id, label=words, where=where, step="strips", subject=names[0])


def _clamp_words(plate: Nameplate, name: str) -> Text:
    lead = place_of(name)
    if lead.part == "return":
        return message("places.other-lead", part=part_words(lead.owner))
    own: dict[str, Text] = {
        "interlock": message("places.interlock-lead"),
        "control": message("places.r-lead-control-current"),
        "blower": message("places.blower"),
    }
    return own.get(name, part_words(name))


def _step_of(plate: Nameplate, places: Sequence[str]) -> str:
    found = [place_of(place) for place in places]
    if any(place.is_control or place.owner == "transformer" for place in found):
        return "heat-call"
    supplies = {"panel", GROUND, *(feed.id for feed in plate.feeds), *(branch.id for branch in plate.branches)}
    if all(place.owner in supplies for place in found):
        return "supply"
    return "trace"


@lru_cache(maxsize=256)
def ohms_parts(plate: Nameplate) -> tuple[str, ...]:
    """Return the parts whose ohms or continuity can be read with their own leads off."""
    circuit = wire(plate)
    parts = [f"{strip.id}.element" for strip in plate.circuits]
    parts += [frame_of(f"{strip.id}.element", end) for strip in plate.circuits for end in ("1", "2")]
    parts += [branch.id for branch in circuit.branches if place_of(branch.id).is_coil]
    parts += [motor for motor in circuit.motors if plate.blower.kind == "psc"]
    by_itself = ("limit", "link", "thermal", "relay", "fuse", "cold")
    parts += [contact.id for contact in circuit.contacts if contact.moved_by[0] in by_itself]
    return tuple(parts)


def contact_of(plate: Nameplate, part: str) -> bool:
    """Tell whether a part is a contact."""
    return any(contact.id == part for contact in wire(plate).contacts)


@lru_cache(maxsize=1024)
def part_terminals(plate: Nameplate, part: str) -> tuple[str, ...]:
    """Return the terminals of a part, so that volts read at any of them can be told to be at the part."""
    circuit = wire(plate)
    name = place_of(part).whole_part if place_of(part).is_to_frame else part
    ends = [(contact.a, contact.b) for contact in circuit.contacts if contact.id == name]
    ends += [(branch.a, branch.b) for branch in circuit.branches if branch.id == name]
    return tuple(end for pair in ends for end in pair if end != GROUND)


def _is_whole(place: Place) -> bool:
    return place.is_element or place.is_coil or place.is_motor


def _part_between(plate: Nameplate, a: str, b: str) -> str:
    """Return the part whose two ends these are, or nothing."""
    circuit = wire(plate)
    wanted = {a, b}
    for contact in circuit.contacts:
        # A separate source stands there only while somebody put it there; what is read is R to C.
        if {contact.a, contact.b} == wanted and contact.id != SEPARATE:
            return contact.id
    for branch in circuit.branches:
        if {branch.a, branch.b} == wanted and _is_whole(place_of(branch.id)):
            return branch.id
    return ""


@lru_cache(maxsize=1024)
def place_words(plate: Nameplate, part: str) -> Text:
    """Return a part in words: `seq-a.coil` is Seq A heater.

    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> unit = PATTERNS["two-strip-sequencer"]()
        >>> place_words(unit, "blower-relay.nc").figures
        (('owner', Message(id='places.blower-relay', figures=())), ('part', 'NC'))
    """
    place = place_of(part)
    if part == "fuse":
        return message("places.control-fuse")
    if place.is_to_frame:
        end = place.end[-1]
        return message("places.frame", owner=part_words(place.owner), part=piece_words(place.part), end=end)
    if place.is_motor:
        return message("places.blower-winding", tap=place.tap) if place.tap else message("places.blower-winding-2")
    if _is_feed(plate, place.owner) and place.part.startswith("breaker-"):
        return message("places.breaker-pole", feed=part_words(place.owner), leg=place.part[-2:].upper())
    if place.is_coil and place.owner in {device.id for device in plate.devices}:
        drive = plate.device(place.owner).of_kind.drive_words
        return message("places.drive-of", device=part_words(place.owner), drive=drive)
    if plate.blower.relay is not None and place.owner == plate.blower.relay.id:
        owner: Text = message("places.blower-relay")
    else:
        is_outdoor = place.owner == "outdoor-thermostat"
        owner = message("places.outdoor-thermostat") if is_outdoor else part_words(place.owner)
    if not place.part:
        return owner
    piece = message("places.part-of", owner=owner, part=piece_words(place.part))
    return message("places.part-of", owner=piece, part=piece_words(place.end)) if place.end else piece


def _is_feed(plate: Nameplate, owner: str) -> bool:
    return any(feed.id == owner for feed in plate.feeds)


@lru_cache(maxsize=1024)
def terminal_words(plate: Nameplate, terminal: str) -> Text:
    """Return a terminal in words.

    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> unit = PATTERNS["two-strip-sequencer"]()
        >>> terminal_words(unit, "feed-1.l1")
        Message(id='places.leg-unit', figures=(('leg', 'L1'),))
    """
    if terminal == GROUND:
        return message("places.ground")
    place = place_of(terminal)
    owner, is_feed = place.owner, _is_feed(plate, place.owner)
    if place.leg:
        leg, where = place.leg.upper(), "panel" if owner == "panel" else place.part if place.end else "unit"
        if not is_feed and owner != "panel":
            return message("places.leg-behind", leg=leg, branch=part_words(owner))
        words = message(f"places.leg-{where}", leg=leg)
        return of_feed(plate, owner, words) if is_feed else words
    if owner in ("board", "thermostat"):
        return message(f"places.at-the-{owner}", terminal=place.part.upper())
    if owner == "transformer":
        side = "primary" if place.part.isdigit() else "secondary"
        return message(f"places.transformer-{side}", terminal=place.part.upper())
    if place.end in ("line", "load"):
        return message(f"side.{place.end}", place=place_words(plate, place.whole_part))
    if place.part == "coil":
        side = "call" if place.end == "1" else "common"
        return message(f"side.{side}", place=place_words(plate, place.whole_part))
    if place.end in ("1", "2"):
        return message("places.l-side", place=place_words(plate, place.whole_part), end=place.end)
    return place_words(plate, terminal)


def nearby_points(plate: Nameplate, point: Point) -> list[tuple[str, Text]]:
    """Return the other readings that belong beside a point, with short words, in the order they are usually taken.

    Source:
        docs/trade.md, section 4, steps 5 to 8: what is read beside what.
    """
    if point.step == "supply":
        found = _around_feed(plate, point)
    elif point.step == "heat-call":
        found = _around_control(plate, point)
    else:
        found = _around_rung(plate, point)
    return [(name, words) for name, words in found if name != point.id]


def _around_feed(plate: Nameplate, point: Point) -> list[tuple[str, Text]]:
    feed = next((feed.id for feed in plate.feeds if feed.id in point.id), plate.feeds[0].id)
    found: list[tuple[str, Text]] = [
        (line_volts(feed), message("places.unit-l1-l2")),
        (volts_at(f"{feed}.l1", GROUND), "L1–ground"),
        (volts_at(f"{feed}.l2", GROUND), "L2–ground"),
        (volts_at(f"{feed}.disconnect.l1", f"{feed}.disconnect.l2"), "disconnect"),
        (volts_at(f"{feed}.breaker.l1", f"{feed}.breaker.l2"), message("places.breaker-load-side")),
        (volts_at("panel.l1", "panel.l2"), "panel"),
    ]
    for leg in ("l1", "l2"):
        found.append(
            (volts_at(f"panel.{leg}", f"{feed}.breaker.{leg}"), message("places.across-breaker-pole", leg=leg.upper()))
        )
        found.append(
            (
                volts_at(f"{feed}.disconnect.{leg}", f"{feed}.wire.{leg}"),
                message("places.across-disconnect", leg=leg.upper()),
            )
        )
        found.append((volts_at(f"{feed}.wire.{leg}", f"{feed}.{leg}"), message("places.across-lug", leg=leg.upper())))
    behind = [branch.id for branch in plate.branches if branch.feed == feed]
    return found + [(line_volts(name), message("places.behind", part=part_words(name))) for name in behind]


def _around_control(plate: Nameplate, point: Point) -> list[tuple[str, Text]]:
    found: list[tuple[str, Text]] = [
        (volts_at("transformer.r", "transformer.c"), "transformer"),
        (volts_at("board.r", "board.c"), message("places.r-c-board")),
        (volts_at("transformer.r", "board.r"), message("places.across-fuse")),
        (amps_at("control"), message("places.control-current")),
    ]
    for call in plate.calls:
        name = call.lower()
        found.append((volts_at(f"board.{name}", "board.c"), message("places.c-board", call=call)))
        if name in point.id:
            found.append((volts_at(f"thermostat.{name}", "board.c"), message("places.thermostat", call=call)))
    for device in plate.devices:
        function = device.of_kind.coil_function
        found.append((f"{function}:{device.id}.coil.1:{device.id}.coil.2", place_words(plate, f"{device.id}.coil")))
        if device.of_kind.is_rectified and device.id in point.id:
            found.append((volts_at(f"{device.id}.rectifier.1", "board.c"), message("places.ac-into-board")))
        if device.id in point.id:
            found.append((volts_at(f"{device.id}.coil.2", "board.c"), message("places.along-common-lead")))
            found.append((ohms_at(f"{device.id}.coil"), message("places.ohms")))
    return found


def _around_rung(plate: Nameplate, point: Point) -> list[tuple[str, Text]]:
    strips = [strip for strip in plate.circuits if strip.id in point.id or strip.id == point.subject]
    if not strips:
        pole = next((strip for strip in plate.circuits if f"{strip.device}.pole" in point.id), None)
        strips = [pole] if pole is not None else []
    if not strips:
        return [
            (amps_at("blower"), message("places.blower-amps")),
            (amps_at("control"), message("places.control-current")),
        ]
    strip = strips[0]
    name = strip.id
    found: list[tuple[str, Text]] = [
        (amps_at(name), "amps"),
        (amps_at(f"{name}.return"), message("places.amps-other-lead")),
    ]
    for part, a, b in rung_terminals(strip):
        found.append((volts_at(a, b), message("places.across-2", part=piece_words(part))))
    found += [
        (amps_at(name, f"{name}.return"), message("places.both-leads-jaw")),
        (ohms_at(f"{name}.element"), message("places.element-ohms")),
        *((ohms_at(frame_of(f"{name}.element", end)), message("places.element-frame", end=end)) for end in ("1", "2")),
    ]
    found += [
        (ohms_at(f"{name}.{part}"), message("places.ohms-2", part=piece_words(part)))
        for part in ("link", "limit")
        if part in strip.order
    ]
    if any(clamp.id == amps_at("interlock") for clamp in wire(plate).clamps):
        found.append((amps_at("interlock"), message("places.interlock-lead-2")))
    return found
