"""Any place of a unit a meter can be put to, in words: beyond the run sheet's points, every terminal and every part.

`volts:A:B` and `dc_volts:A:B` between two terminals, `amps:PLACE` or `amps:PLACE+PLACE` around conductors, `ohms:PART`
with the part's leads off, `ohms:A:B` in circuit.
"""

from functools import lru_cache

from plentar.core.errors import ReadingError
from plentar.core.nameplate import Nameplate
from plentar.core.network.circuit import GROUND
from plentar.core.network.wiring import wire
from plentar.core.points import Point, part_words, rung_terminals, test_points

__all__ = ["contact_of", "find_point", "nearby_points", "ohms_parts", "part_terminals", "place_words", "terminal_words"]

FUNCTIONS = ("volts", "dc_volts", "amps", "ohms", "microfarads", "degf")
AIR = {"return": "Return air", "supply": "Supply air"}
FRAME = ".to-ground-1"


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


@lru_cache(maxsize=4096)
def _found(plate: Nameplate, point_id: str) -> Point | None:
    sheet = _run_sheet(plate)
    function, _, rest = point_id.partition(":")
    ends = rest.split(":")
    if len(ends) == 2 and point_id not in sheet:
        # No sheet names them: by name, the frame last.
        there, back = sorted(ends, key=lambda end: (end == GROUND, end)), ":".join(reversed(ends))
        point_id = f"{function}:{back}" if f"{function}:{back}" in sheet else f"{function}:{':'.join(there)}"
    return sheet.get(point_id) or _anywhere(plate, point_id)


@lru_cache(maxsize=256)
def _run_sheet(plate: Nameplate) -> dict[str, Point]:
    return {point.id: point for point in test_points(plate)}


def _anywhere(plate: Nameplate, point_id: str) -> Point | None:
    function, _, rest = point_id.partition(":")
    places = rest.split(":")
    if function not in FUNCTIONS or not rest:
        return None
    circuit = wire(plate)
    if function in ("microfarads", "degf"):
        return _measured(plate, point_id, function, places)
    if function == "amps":
        return _clamp(plate, point_id, places)
    if function == "ohms" and len(places) == 1:
        part = places[0]
        if part not in ohms_parts(plate):
            return None
        where = "one lead off, to bare metal" if part.endswith(FRAME) else "its own leads off"
        return Point(id=point_id, label=place_words(plate, part), where=where, step="trace", subject=part)
    if len(places) != 2 or places[0] == places[1] or any(place not in circuit.terminals for place in places):
        return None
    between = " to ".join(terminal_words(plate, place) for place in places)
    part = _part_between(plate, places[0], places[1])
    label = place_words(plate, part) if part else between
    where = f"{'across it, ' if part else 'between them, '}{'in circuit' if function == 'ohms' else 'AC'}"
    where = where.replace("AC", "DC") if function == "dc_volts" else where
    return Point(id=point_id, label=label, where=where, step=_step_of(places), subject=part or places[0])


def _measured(plate: Nameplate, point_id: str, function: str, places: list[str]) -> Point | None:
    if function == "microfarads" and places == ["blower.capacitor"] and plate.blower.kind == "psc":
        words = "Run capacitor"
        return Point(id=point_id, label=words, where="its leads off, discharged", step="blower", subject="blower")
    if function == "degf" and len(places) == 1 and places[0] in AIR:
        return Point(
            id=point_id, label=AIR[places[0]], where="out of sight of the strips", step="air", subject=places[0]
        )
    return None


def _clamp(plate: Nameplate, point_id: str, places: list[str]) -> Point | None:
    names = places[0].split("+") if len(places) == 1 else []
    known = {clamp.id.partition(":")[2] for clamp in wire(plate).clamps}
    if not names or len(set(names)) != len(names) or any(name not in known for name in names):
        return None
    words = " and ".join(_clamp_words(plate, name) for name in names)
    where = "one conductor" if len(names) == 1 else f"all {len(names)} in the jaw at once"
    return Point(id=point_id, label=words, where=where, step="strips", subject=names[0])


def _clamp_words(plate: Nameplate, name: str) -> str:
    strip, _, end = name.partition(".")
    if end == "return":
        return f"{part_words(strip)}, its other lead"
    return {"interlock": "Interlock lead", "control": "R lead, control current", "blower": "Blower"}.get(
        name, part_words(name)
    )


def _step_of(places: list[str]) -> str:
    owners = {place.partition(".")[0] for place in places}
    if owners & {"board", "thermostat", "transformer", "outdoor-thermostat"} or any(".coil." in p for p in places):
        return "heat-call"
    if all(owner.startswith(("feed", "panel", "branch")) or owner == GROUND for owner in owners):
        return "supply"
    return "trace"


@lru_cache(maxsize=256)
def ohms_parts(plate: Nameplate) -> tuple[str, ...]:
    """Return the parts whose ohms or continuity can be read with their own leads off."""
    circuit = wire(plate)
    parts = [f"{strip.id}.element" for strip in plate.circuits]
    parts += [f"{strip.id}.element{FRAME}" for strip in plate.circuits]
    parts += [branch.id for branch in circuit.branches if branch.id.endswith(".coil")]
    parts += [motor for motor in circuit.motors if plate.blower.kind == "psc"]
    drivers = ("limit:", "link", "thermal:", "relay:", "fuse", "cold")
    parts += [contact.id for contact in circuit.contacts if contact.driver.startswith(drivers)]
    return tuple(parts)


def contact_of(plate: Nameplate, part: str) -> bool:
    """Tell whether a part is a contact."""
    return any(contact.id == part for contact in wire(plate).contacts)


@lru_cache(maxsize=1024)
def part_terminals(plate: Nameplate, part: str) -> tuple[str, ...]:
    """Return the terminals of a part, so that volts read at any of them can be told to be at the part."""
    circuit = wire(plate)
    name = part.removesuffix(FRAME)
    ends = [(contact.a, contact.b) for contact in circuit.contacts if contact.id == name]
    ends += [(branch.a, branch.b) for branch in circuit.branches if branch.id == name]
    return tuple(end for pair in ends for end in pair if end != GROUND)


def _part_between(plate: Nameplate, a: str, b: str) -> str:
    """Return the part whose two ends these are, or nothing."""
    circuit = wire(plate)
    wanted = {a, b}
    for contact in circuit.contacts:
        if {contact.a, contact.b} == wanted:
            return contact.id
    for branch in circuit.branches:
        if {branch.a, branch.b} == wanted and branch.id.endswith((".element", ".coil", "blower.motor")):
            return branch.id
    return ""


@lru_cache(maxsize=4096)
def place_words(plate: Nameplate, part: str) -> str:
    """Return a part in words: `seq-a.coil` is Seq A heater.

    Example:
        >>> from plentar.core.patterns import PATTERNS
        >>> unit = PATTERNS["two-strip-sequencer"]()
        >>> [place_words(unit, part) for part in ("seq-a.coil", "strip-b.limit", "blower-relay.nc", "seq-a.pole-2")]
        ['Seq A heater', 'Strip B limit', 'Blower relay NC', 'Seq A pole 2']
    """
    owner, _, rest = part.partition(".")
    if part == "fuse":
        return "Control fuse"
    if rest.endswith("element" + FRAME):
        return f"{part_words(owner)} element to frame"
    if rest.startswith("motor"):
        return "Blower winding" + (f", {rest.partition('-')[2]}" if "-" in rest else "")
    if rest.startswith("breaker-"):
        return f"{part_words(owner)} breaker, {rest[-2:].upper()} pole"
    if rest == "coil" and any(device.id == owner and device.kind == "sequencer" for device in plate.devices):
        return f"{part_words(owner)} heater"
    if rest.startswith(("nc", "no")):
        return f"{_owner_words(owner)} {rest.upper().replace('-', ' ')}"
    return f"{_owner_words(owner)} {rest.replace('-', ' ')}".strip()


def _owner_words(owner: str) -> str:
    return (
        owner.replace("-", " ").capitalize() if owner in ("blower-relay", "outdoor-thermostat") else part_words(owner)
    )


@lru_cache(maxsize=4096)
def terminal_words(plate: Nameplate, terminal: str) -> str:
    """Return a terminal in words.

    Example:
        >>> from plentar.core.patterns import PATTERNS
        >>> unit = PATTERNS["two-strip-sequencer"]()
        >>> [terminal_words(unit, t) for t in ("feed-1.l1", "strip-a.limit.2", "seq-a.pole-1.load", "board.w")]
        ['L1 at the unit', 'Strip A limit, L2 side', 'Seq A pole 1, load side', 'W at the board']
    """
    if terminal == GROUND:
        return "ground"
    owner, _, rest = terminal.partition(".")
    which = f", {owner.replace('-', ' ')}" if owner.startswith("feed") and len(plate.feeds) > 1 else ""
    if rest in ("l1", "l2"):
        at = {"panel": "the panel"}.get(owner, "the unit" if owner.startswith("feed") else part_words(owner).lower())
        return f"{rest.upper()} at {at}{which}"
    if rest.startswith(("breaker.", "disconnect.")):
        at, leg = rest.split(".")
        return f"{leg.upper()} {'behind the breaker' if at == 'breaker' else 'into the disconnect'}{which}"
    if owner in ("board", "thermostat"):
        return f"{rest.upper()} at the {owner}"
    if owner == "transformer":
        return f"transformer {'primary ' if rest.isdigit() else ''}{rest.upper()}"
    part, _, end = rest.rpartition(".")
    if end in ("line", "load"):
        return f"{place_words(plate, f'{owner}.{part}')}, {end} side"
    if part == "coil":
        return f"{place_words(plate, f'{owner}.coil')}, {'call' if end == '1' else 'common'} side"
    if end in ("1", "2") and part:
        return f"{place_words(plate, f'{owner}.{part}')}, L{end} side"
    return place_words(plate, terminal)


def nearby_points(plate: Nameplate, point: Point) -> list[tuple[str, str]]:
    """Return the other readings that belong beside a point, with short words, in the order they are usually taken."""
    if point.step == "supply":
        found = _around_feed(plate, point)
    elif point.step == "heat-call":
        found = _around_control(plate, point)
    else:
        found = _around_rung(plate, point)
    return [(name, words) for name, words in found if name != point.id]


def _around_feed(plate: Nameplate, point: Point) -> list[tuple[str, str]]:
    feed = next((feed.id for feed in plate.feeds if feed.id in point.id), plate.feeds[0].id)
    found = [
        (f"volts:{feed}.l1:{feed}.l2", "unit L1–L2"),
        (f"volts:{feed}.l1:ground", "L1–ground"),
        (f"volts:{feed}.l2:ground", "L2–ground"),
        (f"volts:{feed}.disconnect.l1:{feed}.disconnect.l2", "disconnect"),
        (f"volts:{feed}.breaker.l1:{feed}.breaker.l2", "breaker, load side"),
        ("volts:panel.l1:panel.l2", "panel"),
    ]
    for leg in ("l1", "l2"):
        found.append((f"volts:panel.{leg}:{feed}.breaker.{leg}", f"across breaker pole {leg.upper()}"))
        found.append((f"volts:{feed}.disconnect.{leg}:{feed}.{leg}", f"across disconnect {leg.upper()}"))
    behind = [branch.id for branch in plate.branches if branch.feed == feed]
    return found + [(f"volts:{name}.l1:{name}.l2", f"behind {part_words(name).lower()}") for name in behind]


def _around_control(plate: Nameplate, point: Point) -> list[tuple[str, str]]:
    found = [
        ("volts:transformer.r:transformer.c", "transformer"),
        ("volts:board.r:board.c", "R–C at the board"),
        ("volts:transformer.r:board.r", "across the fuse"),
        ("amps:control", "control current"),
    ]
    for call in plate.calls:
        name = call.lower()
        found.append((f"volts:board.{name}:board.c", f"{call}–C at the board"))
        if name in point.id:
            found.append((f"volts:thermostat.{name}:board.c", f"{call} at the thermostat"))
    for device in plate.devices:
        function = "dc_volts" if device.kind == "dc-relay" else "volts"
        found.append((f"{function}:{device.id}.coil.1:{device.id}.coil.2", place_words(plate, f"{device.id}.coil")))
        if device.kind == "dc-relay" and device.id in point.id:
            found.append((f"volts:{device.id}.rectifier.1:board.c", "AC into its board"))
        if device.id in point.id:
            found.append((f"volts:{device.id}.coil.2:board.c", "along its common lead"))
            found.append((f"ohms:{device.id}.coil", "its ohms"))
    return found


def _around_rung(plate: Nameplate, point: Point) -> list[tuple[str, str]]:
    strips = [strip for strip in plate.circuits if strip.id in point.id or strip.id == point.subject]
    if not strips:
        pole = next((strip for strip in plate.circuits if f"{strip.device}.pole" in point.id), None)
        strips = [pole] if pole is not None else []
    if not strips:
        return [("amps:blower", "blower amps"), ("amps:control", "control current")]
    strip = strips[0]
    name = strip.id
    found = [(f"amps:{name}", "amps"), (f"amps:{name}.return", "amps, other lead")]
    for part, a, b in rung_terminals(strip):
        found.append((f"volts:{a}:{b}", f"across {part}"))
    found += [
        (f"amps:{name}+{name}.return", "both leads in the jaw"),
        (f"ohms:{name}.element", "element ohms"),
        (f"ohms:{name}.element{FRAME}", "element to frame"),
    ]
    found += [(f"ohms:{name}.{part}", f"{part} ohms") for part in ("link", "limit") if part in strip.order]
    if any(clamp.id == "amps:interlock" for clamp in wire(plate).clamps):
        found.append(("amps:interlock", "interlock lead"))
    return found
