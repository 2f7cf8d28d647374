"""What can break in a unit: every fault with a stable id, what it changes in the circuit, its repair and its proof.

Nothing here says what a meter shows: that follows from the circuit. How often, which repair and which proof stand in
the rows; the complaint bends how often.
"""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from functools import lru_cache

from plentar.core.causes.fault import HEALTHY, OFF, SHORTED_SHARES, Fault, fault_of, together
from plentar.core.causes.modes import HOT_END, LOGGED, LOST_END, OPENED, SHORTED, Mode, mode, modes_by_id
from plentar.core.causes.unit_faults import UNIT_MODES, air_faults, blower_faults, control_faults, supply_faults
from plentar.core.circuit.changes import Changes
from plentar.core.circuit.network import Circuit
from plentar.core.circuit.wiring import wire
from plentar.core.errors import ReadingError
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate
from plentar.core.unit.place import frame_of, place_of
from plentar.core.unit.points import part_words, piece_words

__all__ = ["COMPLAINTS", "HEALTHY", "MODES", "Fault", "changes_of", "fault_by_id", "faults_of", "tripped_by"]

# A quarter of the calls for heat find a unit with nothing wrong: a setting, a season, a filter changed since. Of the
# calls, not a weight: a unit of six strips has more that can fail, and is not found sound less often for it.
HEALTHY_SHARE = 0.25
# Dirt in the air's way opens limits before it opens links: the limit is meant to be first.
AIRLESS = {"filter-dirty": 2.5, "coil-dirty": 2.0, "wheel-dirty": 2.0}

STRIP_MODES = modes_by_id(
    # Elements: they burn through far more often than they do anything else.
    mode("element.open", "dead", 6.0, "element", OPENED, repair="replace-element", proof="draws-amps"),
    # A sagged coil that touches: foil or insulation laid near it is how it comes about.
    mode(
        "element.grounded", "stuck", 1.2, "element",
        {"foil-near-strips": 5.0, "rubbed-wires": 4.0, "conductor-shorted": 10.0},
        repair="replace-element-that-touched", proof="no-current-in-either-lead",
    ),
    *(
        mode(
            f"element.burnt-to-frame-{end}", "stuck", 0.5, "element", OPENED | {"foil-near-strips": 5.0},
            repair="replace-element-that-touched", proof="no-current-in-either-lead",
        )
        for end in ("1", "2")
    ),
    # One of several coils side by side burnt through: the others heat on.
    mode(
        "element.coil-open", "weak", 1.5, "element", OPENED,
        repair="replace-element", proof="draws-amps",
    ),
    # Turns that touch each other: more current, and a breaker that may have told.
    mode(
        "element.part-shorted", "weak", 0.6, "element", {"breaker-off": 4.0},
        repair="replace-element", proof="draws-amps",
    ),
    # Turns or lead ends that touch right across: the breaker goes the moment its pole closes.
    mode(
        "element.dead-short", "supply", 0.4, "element", {"breaker-off": 12.0, "foil-near-strips": 4.0, "smell": 2.0},
        shows="trips", repair="replace-element", proof="draws-amps",
    ),
    # Somebody's last visit; a part from the van that was at hand.
    mode("element.wrong-size", "weak", 0.5, "element", repair="fit-element-of-plate", proof="draws-amps"),
    # A link opens once, from overheating that the limit did not stop.
    mode(
        "link.open", "dead", 4.0, "link", OPENED | {"filter-dirty": 2.0, "coil-dirty": 1.5, "wheel-dirty": 1.5},
        repair="replace-link", proof="draws-amps",
    ),
    # Most limits found open did what they are for: the air is looked at before the part is.
    mode(
        "limit.open", "dead", 5.0, "limit", OPENED | AIRLESS,
        repair="restore-air-or-replace-limit", proof="draws-amps",
    ),
    mode(
        "limit.cycling", "weak", 0.8, "limit", AIRLESS | {"clicks": 6.0, "bad-start": 2.0} | LOGGED,
        shows="now and then", repair="restore-air-or-replace-limit", proof="draws-amps-without-a-break",
    ),
    # Welded limits are rare and never shown by a unit whose air is right: only an airless test tells.
    mode("limit.stuck-closed", "stuck", 0.1, "limit", AIRLESS, repair="replace-limit", proof="opens-without-air"),
    # Joints: there are a dozen to a strip, so each by itself is unlikely and together they are the commonest cause.
    mode("lead.off", "dead", 0.5, "ends", LOST_END, repair="new-end-pull-tested", proof="draws-amps"),
    mode("lead.loose", "weak", 0.5, "ends", HOT_END, repair="new-end-on-clean-wire", proof="no-drop-at-the-joint"),
    # Contacts: a sequencer's pole that no longer makes is the trade's commonest single fault, one that no longer opens
    # comes after it, and one on its way there shows as drop and heat.
    mode("pole.open", "dead", 7.0, "device", OPENED, repair="replace-device", proof="amps-under-call-none-without"),
    mode("pole.welded", "stuck", 3.0, "device", OPENED, repair="replace-device", proof="amps-under-call-none-without"),
    mode(
        "pole.burnt", "weak", 1.5, "device", {"loose-push-on": 2.0, "rust-carbon": 3.0, "smell": 3.0},
        repair="replace-device", proof="little-across-it",
    ),
    mode("coil.open", "dead", 4.0, "device", OPENED, repair="replace-device", proof="strips-on-it-draw"),
    # A shorted coil takes the control fuse with it, so it is looked for when that is open.
    mode("coil.shorted", "short", 1.2, "device", SHORTED, repair="replace-device-and-fuse", proof="control-current"),
    mode(
        "mechanism.dead", "dead", 2.0, "device", {"rust-carbon": 3.0},
        repair="replace-device", proof="strips-on-it-draw",
    ),
    # A tired disc warms late: cold mornings and low control volts bring it out.
    mode("device.slow", "weak", 1.5, "device", shows="late", repair="replace-device", proof="inside-its-window"),
    # A pole by itself sticks a while where the others move: a worn cam, not the heater.
    mode("pole.slow", "weak", 0.5, "device", shows="late", repair="replace-device", proof="inside-its-window"),
    mode("coil-lead.off", "control", 0.6, "ends", LOST_END, repair="new-end-pull-tested", proof="strips-on-it-draw"),
    # The small pole in a sequencer that passes the call on carries no load worth naming: it fails less than the others.
    mode("auxiliary.open", "dead", 3.0, "device", OPENED, repair="replace-device", proof="volts-at-next-heater"),
    mode("auxiliary.welded", "stuck", 1.0, "device", OPENED, repair="replace-device", proof="off-without-call"),
    mode("auxiliary.slow", "weak", 0.4, "device", shows="late", repair="replace-device", proof="inside-its-window"),
    mode("auxiliary-lead.off", "dead", 0.5, "ends", LOST_END, repair="new-end", proof="volts-at-next-heater"),
    mode("rectifier.dead", "dead", 3.0, "board", repair="replace-rectifier", proof="coil-volts-dc"),
    mode(
        "rectifier.diode-shorted", "short", 0.8, "board", SHORTED,
        repair="replace-rectifier-and-fuse", proof="coil-volts-dc",
    ),
    mode("rectifier.half-open", "weak", 1.0, "board", repair="replace-rectifier", proof="coil-volts-dc"),
)  # fmt: skip
# What a shorted diode of a small bridge leaves between the board's two AC ends.
DIODE_OHMS = 1.0
# Of its ohms: 50 milliohms of a 5 kW strip, which any breaker leaves at once.
DEAD_SHORT_SHARE = 0.005
# Where along its wire an element touches the frame, as a share from its end toward leg 1.
TOUCHES = (0.1, 0.25, 0.5, 0.75, 0.9)
# Every way to fail, of strips and what switches them and of the unit as a whole.
MODES: Mapping[str, Mode] = {**STRIP_MODES, **UNIT_MODES}
# One half-wave instead of two, of what the whole bridge gives: unsmoothed its mean, 0.40 of the AC input; smoothed the
# capacitor empties in the gap, 0.45.
HALF_OPEN_SHARES = {"unsmoothed": 0.40 / 0.86, "smoothed": 0.45 / 1.25}
# How much likelier each kind of fault becomes with a complaint, what always shows or trips, and the modes of one row;
# the factors multiply, and what no line names stays as it is.
COMPLAINTS: dict[str, dict[str, float]] = {
    "no heat": {"dead": 2.0, "control": 3.0, "supply": 3.0, "healthy": 0.3},
    "not enough heat": {"dead": 3.0, "weak": 3.0, "supply": 1.0, "healthy": 0.7},
    "cold in defrost or on cold nights": {"dead": 3.0, "control": 1.5, "healthy": 0.7},
    "heat will not stop": {"stuck": 10.0, "healthy": 0.2},
    "cooling fights heat": {"stuck": 10.0, "healthy": 0.3},
    "blower dead": {"blower": 8.0, "supply": 2.0, "control": 2.0, "healthy": 0.2},
    "blower never stops": {"blower": 4.0, "stuck": 6.0, "healthy": 0.3},
    # What is there whenever one looks is no answer to this.
    "blower cuts in and out": {"blower": 5.0, "weak": 2.0, "always": 0.05, "healthy": 0.5},
    "thermostat blank or restarting": {"control": 8.0, "supply": 2.0, "short": 5.0, "healthy": 0.2},
    "control fuse blows": {"short": 20.0, "control": 2.0, "healthy": 0.1},
    # Too many amps trip a breaker, a bad joint of its own heats it; a strip that is off, a stage that is late and 24 V
    # do neither, and low volts draw fewer amps. One that trips with nothing wrong is a weak one.
    "breaker trips or hot": {
        "dead": 0.1,
        "control": 0.1,
        "short": 0.3,
        "weak": 0.2,
        "blower": 0.3,
        "stuck": 0.3,
        "supply": 1.0,
        "breaker.weak": 12.0,
        "breaker.off": 3.0,
        "element.dead-short": 12.0,
        "element.grounded": 10.0,
        "element.part-shorted": 15.0,
        "element.wrong-size": 3.0,
        "breaker-pole.stab-burnt": 20.0,
        "lug.loose": 15.0,
        "wire.too-small": 5.0,
        "interlock.across-legs": 4.0,
        "motor.seized": 3.0,
        "supply.low": 0.02,
        "supply.high": 0.1,
        "healthy": 0.02,
    },
    "clicking, smell": {"weak": 4.0, "blower": 2.0, "stuck": 2.0},
    "seasonal check": {"healthy": 8.0},
}


@lru_cache(maxsize=64)
def faults_of(plate: Nameplate) -> tuple[Fault, ...]:
    """Return every single fault of a unit, healthy first.

    Source:
        docs/trade.md, sections 5 and 9: what breaks, and how large.
    """
    circuit = wire(plate)
    found: list[Fault] = []
    for strip in plate.circuits:
        found += _rung(circuit, strip)
    found += _poles(plate)
    found += _devices(plate, circuit)
    found += supply_faults(plate, circuit)
    found += control_faults(plate, circuit)
    found += blower_faults(plate, circuit)
    found += air_faults(plate, circuit)
    odds = HEALTHY_SHARE / (1 - HEALTHY_SHARE)
    return (replace(HEALTHY, weight=odds * sum(fault.weight for fault in found)), *found)


def fault_by_id(plate: Nameplate, fault_id: str) -> Fault:
    """Return the unit's fault with this id.

    Raises:
        ReadingError: The unit cannot have such a fault.
    """
    for fault in faults_of(plate):
        if fault.id == fault_id:
            return fault
    raise ReadingError(f"this unit has no fault {fault_id!r}; plentar faults lists them", field="fault")


def changes_of(plate: Nameplate, fault_ids: Iterable[str]) -> Changes:
    """Return what these faults change together, each at its usual size; of none, nothing.

    Raises:
        ReadingError: The unit cannot have such a fault.
    """
    return together(fault_by_id(plate, fault_id) for fault_id in fault_ids)


def tripped_by(plate: Nameplate, fault: Fault) -> str:
    """Return the fault that stands for a breaker once a fault has tripped it: its own, or the one ahead of a short."""
    strip = next((c for c in plate.circuits if c.id == place_of(fault.part).owner), None)
    if strip is None:
        return f"{fault.part}.off"
    is_branch = any(branch.id == strip.supplied_by for branch in plate.branches)
    return f"{strip.supplied_by}.off" if is_branch else f"{strip.supplied_by}.breaker.off"


def tripped_ahead(plate: Nameplate, fault: Fault) -> str:
    """Return the fault that stands for the breaker ahead of the one a short has tripped; the same where there is none.

    Two breakers in line see one dead short, and which of them is quicker is chance: the feed's goes too, or alone.
    """
    first = tripped_by(plate, fault)
    owner = place_of(fault.part).owner
    feed = next((plate.feed_of(c.supplied_by) for c in plate.circuits if c.id == owner), "")
    return f"{feed}.breaker.off" if feed and place_of(first).owner != feed else first


def _rung(circuit: Circuit, strip: HeatingCircuit) -> Iterator[Fault]:
    name, element, ohms = strip.name, f"{strip.id}.element", strip.element_ohms
    link, limit = f"{strip.id}.link", f"{strip.id}.limit"
    yield fault_of(STRIP_MODES["element.open"], element, Changes(ohms={element: (OFF, OFF)}), strip=name)
    # Whole, it heats from both ends toward where it touches; burnt through there, from the one that still reaches it.
    ends = {end: [_touching(element, {end: ohms * share}) for share in TOUCHES] for end in ("1", "2")}
    whole = (_touching(element, {"1": ohms * share, "2": ohms * (1 - share)}) for share in TOUCHES)
    yield fault_of(STRIP_MODES["element.grounded"], element, *whole, strip=name)
    for number, touches in ends.items():
        burnt = STRIP_MODES[f"element.burnt-to-frame-{number}"]
        yield fault_of(burnt, element, *touches, strip=name, end=number)
    # A fifth or two fifths of the turns bridged; beyond that its breaker trips and it is found as open.
    yield fault_of(STRIP_MODES["element.part-shorted"], element, *_scaled(element, ohms, 0.6, 0.78), strip=name)
    # Of two coils one is left, of three two or one.
    yield fault_of(STRIP_MODES["element.coil-open"], element, *_scaled(element, ohms, 1.5, 2.0, 3.0), strip=name)
    yield fault_of(STRIP_MODES["element.dead-short"], element, *_scaled(element, ohms, DEAD_SHORT_SHARE), strip=name)
    # The usual row of sizes, larger and smaller, to its ends: 1.6 to 1.12 and 0.89 to 0.62 of the rated watts.
    yield fault_of(
        STRIP_MODES["element.wrong-size"], element, *_scaled(element, ohms, 0.62, 0.89, 1.12, 1.62), strip=name
    )
    if "link" in strip.order:
        yield fault_of(STRIP_MODES["link.open"], link, Changes(forced={link: False}), strip=name)
    if "limit" in strip.order:
        # Open now, open now and then, never open: to the meter on a cold unit the last shows nothing.
        yield fault_of(STRIP_MODES["limit.open"], limit, Changes(forced={limit: False}), strip=name)
        yield fault_of(STRIP_MODES["limit.cycling"], limit, Changes(forced={limit: False}), strip=name)
        yield fault_of(STRIP_MODES["limit.stuck-closed"], limit, Changes(forced={limit: True}), strip=name)
    for lead in circuit.leads:
        if place_of(lead.id).owner == strip.id:
            end, other = _end_words(strip, lead.a), _end_words(strip, lead.b)
            off = Changes(split={lead.id: OFF})
            yield fault_of(STRIP_MODES["lead.off"], lead.id, off, strip=name, end=end, other_end=other)
            # 1 V at 20 A is warm, half an ohm glows (200 W at a spade), two ohms are about to let go, twenty arc.
            loose = (Changes(split={lead.id: ohms}) for ohms in (0.05, 0.2, 0.7, 3.0, 20.0))
            yield fault_of(STRIP_MODES["lead.loose"], lead.id, *loose, strip=name, end=end, other_end=other)


def _touching(element: str, ohms: Mapping[str, float]) -> Changes:
    """Return an element off its own path, with so many ohms from some of its ends to the frame."""
    paths = {frame_of(element, "1" if end == "1" else "2"): (share, share) for end, share in ohms.items()}
    return Changes(ohms={element: (OFF, OFF), **paths})


def _scaled(element: str, ohms: float, *shares: float) -> Iterator[Changes]:
    return (Changes(ohms={element: (ohms * share,) * 2}) for share in shares)


def _end_words(strip: HeatingCircuit, terminal: str) -> Text:
    """Return a lead's end as it is said beside its strip: `link`, `Seq A pole 2`, `L1`."""
    place = place_of(terminal)
    if place.owner == strip.id:
        return piece_words(place.part)
    if place.owner == strip.device:
        return message("places.part-of", owner=part_words(place.owner), part=piece_words(place.part))
    return place.leg.upper()


def _poles(plate: Nameplate) -> Iterator[Fault]:
    uses = [(strip.device, number) for strip in plate.circuits for number in strip.poles]
    if plate.blower.switched_by:
        uses.append((plate.blower.switched_by, plate.blower.switched_by_pole))
    # Strips that share a pole share its faults.
    for device, number in dict.fromkeys(uses):
        pole, words = f"{device}.pole-{number}", part_words(device)
        yield fault_of(STRIP_MODES["pole.open"], pole, Changes(forced={pole: False}), device=words, number=number)
        yield fault_of(STRIP_MODES["pole.welded"], pole, Changes(forced={pole: True}), device=words, number=number)
        # Just beyond what a good one drops, plainly worn, plainly hot, about to open, and arcing.
        burnt = (Changes(contact_ohms={pole: ohms}) for ohms in (0.03, 0.15, 0.7, 3.0, 20.0))
        yield fault_of(STRIP_MODES["pole.burnt"], pole, *burnt, device=words, number=number)


def _devices(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    for device in plate.devices:
        name, coil = device.id, f"{device.id}.coil"
        words, drive = part_words(name), device.of_kind.drive_words
        plain = next(branch for branch in circuit.branches if branch.id == coil)
        yield fault_of(STRIP_MODES["coil.open"], coil, Changes(ohms={coil: (OFF, OFF)}), device=words, drive=drive)
        shorted = (Changes(ohms={coil: (plain.ohms * share, plain.dc_ohms * share)}) for share in SHORTED_SHARES)
        yield fault_of(STRIP_MODES["coil.shorted"], coil, *shorted, device=words, drive=drive)
        still = Changes(forced={c.id: False for c in circuit.contacts if c.moved_by[1] == name})
        if len(device.poles) > 1:
            # With a single pole nothing tells a dead mechanism from a pole that does not make.
            yield fault_of(STRIP_MODES["mechanism.dead"], f"{name}.mechanism", still, device=words)
        if device.of_kind.is_thermal:
            yield fault_of(STRIP_MODES["device.slow"], name, still, device=words)
            if len(device.poles) > 1:
                for number in (pole.number for pole in device.poles):
                    part = f"{name}.pole-{number}"
                    late = Changes(forced={part: False})
                    yield fault_of(STRIP_MODES["pole.slow"], part, late, device=words, number=number)
        for end, side in (("lead-coil", "feed"), ("lead-common", "common")):
            lead = f"{name}.{end}"
            yield fault_of(
                STRIP_MODES["coil-lead.off"],
                lead,
                Changes(split={lead: OFF}),
                device=words,
                drive=drive,
                end=message(f"end.{side}"),
            )
        if device.of_kind.is_rectified:
            board = f"{name}.rectifier"
            yield fault_of(STRIP_MODES["rectifier.dead"], board, Changes(ratio={board: 0.0}), device=words)
            share = HALF_OPEN_SHARES[device.rectifier or "smoothed"]
            yield fault_of(STRIP_MODES["rectifier.half-open"], board, Changes(ratio={board: share}), device=words)
            diode = f"control.diode-{name}"
            # Half the waves shorted through a diode that is left of it: on average as much as one ohm.
            shorted_diode = Changes(ohms={diode: (DIODE_OHMS, DIODE_OHMS)})
            yield fault_of(STRIP_MODES["rectifier.diode-shorted"], board, shorted_diode, device=words)
        if device.auxiliary is not None:
            pole = f"{name}.auxiliary"
            yield fault_of(STRIP_MODES["auxiliary.open"], pole, Changes(forced={pole: False}), device=words)
            if device.of_kind.is_thermal:
                late = Changes(forced={pole: False})
                yield fault_of(STRIP_MODES["auxiliary.slow"], pole, late, device=words)
            yield fault_of(STRIP_MODES["auxiliary.welded"], pole, Changes(forced={pole: True}), device=words)
            lead = f"{pole}.lead"
            yield fault_of(STRIP_MODES["auxiliary-lead.off"], lead, Changes(split={lead: OFF}), device=words)
