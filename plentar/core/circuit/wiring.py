"""From nameplate to network: every part, lead and contact of the unit between named terminals.

Sizes that no plate prints are stated here once. They set what a healthy unit reads in places where nobody has a better
figure; diagnosis allows for their spread.
"""

import cmath
import math
from functools import lru_cache
from itertools import pairwise

from plentar.core.circuit.network import CLOSED_OHMS, ECM, SEPARATE, Circuit, Clamp, Source, TwoPort, polar
from plentar.core.unit.kinds import KINDS
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate, RelayPole, SwitchingDevice, joinable
from plentar.core.unit.place import EARTH, GROUND, amps_at, place_of
from plentar.core.unit.points import load_side, rung_terminals
from plentar.core.unit.supply_path import Conductor

__all__ = [
    "COLD_WIRE_RATIO", "JOINED_OHMS", "OHMS_PER_1000_FEET", "PLAIN_WIRE", "RECTIFIER", "auxiliary_source",
    "one_way_ohms", "wire",
]  # fmt: skip

# docs/trade.md, section 2, conductor ohms per 1000 ft at 75 °C.
OHMS_PER_1000_FEET = {
    "copper": {
        "14": 3.14,
        "12": 1.98,
        "10": 1.24,
        "8": 0.778,
        "6": 0.491,
        "4": 0.308,
        "3": 0.245,
        "2": 0.194,
        "1": 0.154,
        "1/0": 0.122,
        "2/0": 0.0967,
        "3/0": 0.0766,
        "4/0": 0.0608,
    },
    "aluminium": {
        "14": 5.1,
        "12": 3.25,
        "10": 2.04,
        "8": 1.28,
        "6": 0.808,
        "4": 0.508,
        "3": 0.403,
        "2": 0.319,
        "1": 0.253,
        "1/0": 0.201,
        "2/0": 0.159,
        "3/0": 0.126,
        "4/0": 0.100,
    },
}
# A plain wire from a strip's load side to the motor, and its ohms.
PLAIN_WIRE, JOINED_OHMS = "interlock.jumper", 0.01
# The table is at 75 °C; copper at 20 °C has 0.82 of it (docs/trade.md, section 2), aluminium the same within a percent.
COLD_WIRE_RATIO = 0.82
# A 25 kVA utility transformer and its drop: 80 A of strips sag the panel by a volt.
SERVICE_OHMS = 0.012
# One leg of some 40 ft of 6 AWG copper, what a 10 kW kit usually hangs on.
UNKNOWN_FEED_OHMS = 0.02
# A crimped link with its two ends: 20 mV at 20 A.
LINK_OHMS = 0.001
# A pull-out's blades, like a breaker's contacts.
DISCONNECT_OHMS = 0.001
# A bench transformer or a service battery's inverter: about 26 V idle, sagging a volt or two under a heater.
SEPARATE_VOLTS, SEPARATE_OHMS = 26.0, 1.2
# Dry insulation of the whole harness; small beside any meter, enough to keep every piece solvable.
LEAK_OHMS = 1e9
# 100 pF/m between conductors of one cable, some ten metres of it; a foot of single wire in the cabinet, to the frame.
CABLE_FARADS, HARNESS_FARADS = 1e-9, 5e-12
OMEGA = 2 * math.pi * 60.0
# A control transformer's secondary stands at about 27 V idle and 24 V at full load.
IDLE_RATIO_VOLTS, LOAD_RATIO_VOLTS = 27.0, 24.0
# A thermostat's own electronics draw a few hundredths of an amp.
THERMOSTAT_OHMS = 700.0
# Two diodes of a small bridge drop some two volts at one amp: enough to live on, not enough to save the fuse from a
# shorted coil.
BRIDGE_OHMS = 2.0
# Relays for 24 V are built to pull in at 65 % of it, hot.
RELAY_PULL_VOLTS = 15.6
# Direct-current volts over alternating volts in, and the share of them an AC function still shows.
RECTIFIER = {"smoothed": (1.25, 0.02), "unsmoothed": (0.86, 0.46)}
# Coil and heater: resistance to an ohmmeter, impedance at 60 Hz, power factor.
COILS = {
    **{kind.id: (kind.coil_ohms, kind.impedance_ohms, kind.power_factor) for kind in KINDS.values()},
    "blower-relay": (75.0, 135.0, 0.6),
    "outdoor": (12.0, 62.0, 0.3),
    "reversing-valve": (20.0, 90.0, 0.4),
}


@lru_cache(maxsize=64)
def wire(plate: Nameplate) -> Circuit:
    """Return the unit's network, healthy, as the nameplate has it landed.

    Raises:
        NameplateError: A part cannot be placed.
    Source:
        docs/trade.md, section 1; conductor ohms, section 2.
    """
    c = Circuit(line_volts=plate.nominal_volts, reference=EARTH)
    # Frame and earth are one as long as the equipment ground holds.
    c.lead("equipment-ground", EARTH, GROUND)
    _supply(c, plate)
    for circuit in plate.circuits:
        _rung(c, plate, circuit)
    _blower(c, plate)
    _control(c, plate)
    _strays(c)
    return c


def _supply(c: Circuit, plate: Nameplate) -> None:
    leg, _ = plate.leg_volts
    second = cmath.rect(leg, -2 * math.pi / 3) if plate.supply == "wye" else complex(-leg)
    for name, volts in (("l1", complex(leg)), ("l2", second)):
        if name == "l2" and plate.has_neutral:
            c.branch("panel.bond", c.terminal("panel.l2"), EARTH, SERVICE_OHMS)
            continue
        c.sources.append(Source(f"panel.{name}", c.terminal(f"panel.{name}"), volts, SERVICE_OHMS))
    for feed in plate.feeds:
        trip = 5 * (feed.breaker_amps or 60.0)
        for name in ("l1", "l2"):
            after = f"{feed.id}.breaker.{name}"
            disconnect = f"{feed.id}.disconnect.{name}"
            if name == "l2" and plate.has_neutral:
                # Breaker and disconnect open the one leg; the neutral goes through unbroken.
                c.lead(f"{feed.id}.neutral", "panel.l2", after)
                c.branch(f"{feed.id}.conductor-l2", after, disconnect, _feed_ohms(plate, feed.id))
                c.lead(f"{feed.id}.neutral-at-unit", disconnect, f"{feed.id}.wire.l2")
                c.lead(f"{feed.id}.lug-l2", f"{feed.id}.wire.l2", f"{feed.id}.l2")
                continue
            c.contact(
                f"{feed.id}.breaker-{name}",
                f"panel.{name}",
                after,
                f"feed:{feed.id}",
                closed=True,
                trip_amps=trip,
                ohms=0.002,
            )
            c.branch(f"{feed.id}.conductor-{name}", after, disconnect, _feed_ohms(plate, feed.id))
            c.contact(
                f"{feed.id}.disconnect-{name}",
                disconnect,
                f"{feed.id}.wire.{name}",
                f"disconnect:{feed.id}",
                closed=True,
                ohms=DISCONNECT_OHMS,
            )
            # The wire's bare end and the lug it sits in: a probe on each side reads the joint between them.
            c.lead(f"{feed.id}.lug-{name}", f"{feed.id}.wire.{name}", f"{feed.id}.{name}")
        c.clamps.append(Clamp(amps_at(feed.id), ((f"{feed.id}.conductor-l1", 1.0),)))
    for branch in plate.branches:
        for name in ("l1", "l2"):
            if name == "l2" and plate.has_neutral:
                c.lead(f"{branch.id}.neutral", f"{branch.feed}.l2", f"{branch.id}.l2")
                continue
            c.contact(
                f"{branch.id}.{name}-pole",
                f"{branch.feed}.{name}",
                f"{branch.id}.{name}",
                "fixed",
                closed=True,
                ohms=0.002,
                trip_amps=5 * (branch.rated_amps or 60.0),
            )


def one_way_ohms(conductor: Conductor) -> float:
    """Return a conductor's resistance one way, hot [ohm]; the current uses two of them.

    Source:
        docs/trade.md, section 2, conductor ohms per 1000 ft at 75 °C.
    """
    return OHMS_PER_1000_FEET[conductor.metal][conductor.size] * conductor.length_feet / 1000


def _feed_ohms(plate: Nameplate, feed_id: str) -> float:
    conductor = next(feed.conductor for feed in plate.feeds if feed.id == feed_id)
    return UNKNOWN_FEED_OHMS if conductor is None else one_way_ohms(conductor)


def _rung(c: Circuit, plate: Nameplate, circuit: HeatingCircuit) -> None:
    at = f"{circuit.supplied_by}.l1"
    kind = plate.device(circuit.device).of_kind
    driver = "thermal" if kind.is_thermal else "relay"
    made = {contact.id for contact in c.contacts}
    own: list[tuple[str, str]] = []
    joint = 0
    for part, toward_1, toward_2 in rung_terminals(circuit):
        # Parts are wired in the plate's own order from leg 1 on.
        name = place_of(toward_1).whole_part
        joint += 1
        if part == "pole" and name in made:
            # Shared with an earlier circuit: join behind it instead of wiring it again.
            if circuit.order.index("pole") == 0 and not own:
                at = toward_2
                continue
            c.lead(f"{circuit.id}.lead-{joint}", at, toward_1)
            at = ""
            break
        c.lead(f"{circuit.id}.lead-{joint}", at, toward_1)
        if part == "pole":
            # A drop in proportion to the amps, right at the strip's own.
            ohms = kind.drop_volts * circuit.rated_volts / circuit.rated_watts or CLOSED_OHMS
            c.contact(name, toward_1, toward_2, f"{driver}:{circuit.device}", closed=False, ohms=ohms)
            # What a semiconductor passes while off makes the ghost volts across it.
            if math.isfinite(kind.leak_ohms):
                c.branch(f"{name}.leak", toward_1, toward_2, kind.leak_ohms, math.inf)
        elif part == "limit":
            c.contact(name, toward_1, toward_2, f"limit:{circuit.id}", closed=True)
        elif part == "link":
            c.contact(name, toward_1, toward_2, "link", closed=True, ohms=LINK_OHMS)
        else:
            ohms = circuit.element_ohms
            c.branch(name, toward_1, toward_2, ohms)
            # Nothing flows there in a sound element; a grounded one is these two made small.
            for end, terminal in (("1", toward_1), ("2", toward_2)):
                c.branch(f"{name}.to-ground-{end}", terminal, GROUND, 1e12, math.inf)
        if part != "pole":
            own.append((part, name))
        at = toward_2
    if at:
        c.lead(f"{circuit.id}.lead-{joint + 1}", at, f"{circuit.supplied_by}.l2")
    for label, (part, name), end in ((circuit.id, own[0], "1"), (f"{circuit.id}.return", own[-1], "2")):
        # Leads lie in a jaw as they leave the supply: what goes out in one comes back in the other.
        away = 1.0 if end == "1" else -1.0
        # The clamp closes behind the part, so what leaks to the frame before it is in the jaw.
        through: list[tuple[str, float]] = [(name, away)]
        if part == "element":
            through.append((f"{name}.to-ground-{end}", 1.0))
        c.clamps.append(Clamp(amps_at(label), tuple(through)))


def _landing(plate: Nameplate, landing: str) -> str | None:
    """Return the terminal a blower relay's landing means, or None for no wire there."""
    if landing == "none":
        return None
    if landing in ("L1", "L2"):
        return f"{plate.blower.supplied_by}.{landing.lower()}"
    if landing == "blower" or landing.startswith("blower:"):
        return f"blower.{landing.partition(':')[2] or 'run'}"
    circuit = plate.circuit(landing)
    return load_side(circuit)


def _blower(c: Circuit, plate: Nameplate) -> None:
    blower = plate.blower
    # Running amps, not the plate's: a motor is loaded to some share of it.
    size = plate.nominal_volts / blower.running_amps
    fixed = f"{blower.supplied_by}.{blower.fixed_leg.lower()}"
    other = f"{blower.supplied_by}.{'l2' if blower.fixed_leg == 'L1' else 'l1'}"
    if blower.kind == "ecm":
        c.lead("blower.lead-fixed", "blower.fixed", fixed)
        c.lead("blower.lead-run", "blower.run", other)
        c.contact("blower.electronics", "blower.fixed", "blower.stator", "ecm", closed=False)
        c.branch("blower.motor", "blower.stator", "blower.run", polar(size, blower.power_factor), math.inf)
        # Its electronics draw some hundredths of an amp for as long as line volts stand.
        c.branch("blower.standby", "blower.fixed", "blower.run", polar(9000.0, 0.5), math.inf)
        c.motors.append("blower.motor")
        c.clamps.append(Clamp(amps_at("blower"), (("blower.motor", 1.0), ("blower.standby", 1.0))))
        return
    taps = blower.taps or ("run",)
    through = []
    for index, tap in enumerate(taps):
        name = "blower.motor" if len(taps) == 1 else f"blower.motor-{tap}"
        # A lower tap adds turns: about a third more impedance a step.
        ohms = polar(size * (1.0 + 0.3 * index), blower.power_factor)
        c.branch(name, "blower.fixed", f"blower.{tap}", ohms, 0.09 * abs(ohms))
        c.motors.append(name)
        through.append((name, 1.0))
    c.lead("blower.lead-fixed", "blower.fixed", fixed)
    c.clamps.append(Clamp(amps_at("blower"), tuple(through)))
    if blower.switched_by is not None:
        pole = f"{blower.switched_by}.pole-{blower.switched_by_pole}"
        c.contact(pole, f"{pole}.load", f"{pole}.line", f"thermal:{blower.switched_by}", closed=False)
        c.lead(f"{pole}.lead-load", f"blower.{taps[0]}", f"{pole}.load")
        c.lead(f"{pole}.lead-line", f"{pole}.line", other)
    if blower.relay is not None:
        for index, contact in enumerate(blower.relay.contacts):
            _relay(c, plate, contact, "" if index == 0 else f"-{index + 1}")
    _plain_wire(c, plate)


def _plain_wire(c: Circuit, plate: Nameplate) -> None:
    """Put in the wire that passes the relay by: what the plate says somebody left, else nothing until a fault does."""
    nc = [contact.nc for contact in plate.blower.relay.contacts] if plate.blower.relay else []
    known = {circuit.id: circuit for circuit in joinable(plate)}
    to = plate.blower.plain_wire_to or next((name for name in (*nc, *known) if name in known), None)
    if to is None:
        return
    # Where the interlock lands it would be; with several taps on the one that heat uses.
    motor = f"blower.{plate.blower.taps[-1]}" if plate.blower.taps else "blower.run"
    ohms = JOINED_OHMS if plate.blower.plain_wire_to else 1e12
    c.branch(PLAIN_WIRE, load_side(known[to]), motor, ohms, ohms if plate.blower.plain_wire_to else math.inf)


def _relay(c: Circuit, plate: Nameplate, contact: RelayPole, suffix: str) -> None:
    relay = plate.blower.relay
    assert relay is not None  # noqa: S101 - the caller looked
    com = f"{relay.id}.com{suffix}"
    for name, closed in (("nc", True), ("no", False)):
        c.contact(f"{relay.id}.{name}{suffix}", com, f"{relay.id}.{name}{suffix}", f"relay:{relay.id}", closed=closed)
    for name in ("com", "no", "nc"):
        landed = _landing(plate, getattr(contact, name))
        if landed is not None:
            c.lead(f"{relay.id}.lead-{name}{suffix}", f"{relay.id}.{name}{suffix}", landed)
    if contact.nc in {circuit.id for circuit in plate.circuits}:
        if contact.no == "none":
            # The strip's load side on the wrong terminal of its pole: nothing until a fault lands it there.
            load = load_side(plate.circuit(contact.nc))
            c.branch(f"interlock.on-no{suffix}", load, f"{relay.id}.no{suffix}", 1e12, math.inf)
        c.clamps.append(Clamp(amps_at("interlock"), ((f"{relay.id}.nc{suffix}", 1.0),)))
        if joinable(plate):
            # Whoever clamps at NC may hold a plain wire that lies beside it.
            c.clamps.append(Clamp(amps_at("interlock.wire"), ((PLAIN_WIRE, 1.0),)))


def _control(c: Circuit, plate: Nameplate) -> None:
    t = plate.transformer
    # Idle volts over the ohms inside it give 24 V at its full load.
    ratio = IDLE_RATIO_VOLTS / t.primary_volts
    ohms = (IDLE_RATIO_VOLTS - LOAD_RATIO_VOLTS) / (t.va / LOAD_RATIO_VOLTS)
    c.lead("transformer.lead-1", f"{t.supplied_by}.l1", "transformer.1")
    c.lead("transformer.lead-2", f"{t.supplied_by}.l2", "transformer.2")
    c.branch(
        "transformer.primary",
        "transformer.1",
        "transformer.2",
        # Idle it magnetises its core: a quarter of its VA, hardly any of it watts.
        polar(t.primary_volts**2 / (0.25 * t.va), 0.2),
        0.04 * t.primary_volts**2 / t.va,
    )
    for name in ("transformer.1", "transformer.2", "transformer.r", "transformer.c"):
        c.terminal(name)
    c.two_ports.append(
        TwoPort("transformer", "transformer.1", "transformer.2", "transformer.r", "transformer.c", ratio, complex(ohms))
    )
    # To an ohmmeter a winding is nearly a short; to 60 Hz the two-port already says all.
    c.branch("transformer.secondary", "transformer.r", "transformer.c", 1e7, 0.5 * ohms)
    # A blade fuse blows at once from about half as much again as its rating.
    c.contact("fuse", "transformer.r", "board.r", "fuse", closed=True, ohms=0.03, trip_amps=1.5 * (t.fuse_amps or 5.0))
    c.lead("transformer.lead-c", "transformer.c", "board.c")
    # Its conductors come off for a bypass: then calls are made by jumpers from R at the board.
    c.contact("thermostat.lead-r", "board.r", "thermostat.r", "thermostat", closed=True, ohms=0.02)
    c.contact(SEPARATE, "board.r", "board.c", SEPARATE, closed=False, ohms=SEPARATE_OHMS)
    c.separate_amps = SEPARATE_VOLTS / SEPARATE_OHMS
    c.clamps.append(Clamp(amps_at("control"), (("fuse", 1.0), (SEPARATE, -1.0))))
    # Where common is grounded, a conductor that touches the frame is a short, and any leg to R reads line volts.
    if t.grounded_common:
        c.lead("transformer.lead-ground", "transformer.c", GROUND)
    c.lead("thermostat.lead-c", "thermostat.c", "board.c")
    c.branch("thermostat.electronics", "thermostat.r", "thermostat.c", THERMOSTAT_OHMS, math.inf)
    for call in plate.calls:
        name = call.lower()
        c.contact(f"thermostat.{name}", "thermostat.r", f"thermostat.{name}", f"call:{call}", closed=False, ohms=0.05)
        if call == plate.outdoor_thermostat:
            c.lead(f"thermostat.lead-{name}", f"thermostat.{name}", "outdoor-thermostat.1")
            # On a day cold enough to need the strips it is closed.
            c.contact("outdoor-thermostat", "outdoor-thermostat.1", f"board.{name}", "cold", closed=True, ohms=0.02)
        else:
            c.lead(f"thermostat.lead-{name}", f"thermostat.{name}", f"board.{name}")
        c.contact(f"jumper.{name}", "board.r", f"board.{name}", f"jumper:{call}", closed=False, ohms=0.02)
        # Places where a wire can be rubbed through: nothing until a fault makes them small.
        c.branch(f"control.short-{name}", f"board.{name}", "board.c", 1e12, math.inf)
        c.branch(f"control.ground-{name}", f"board.{name}", GROUND, 1e12, math.inf)
    c.branch("control.ground-r", "board.r", GROUND, 1e12, math.inf)
    if "Y" in plate.calls:
        c.branch("control.w-to-y", "board.w", "board.y", 1e12, math.inf)
        _coil(c, "outdoor", "board.y", "outdoor")
        # The reversing valve of a heat pump that is energised for cooling; B is there and goes nowhere.
        c.contact("thermostat.o", "thermostat.r", "thermostat.o", "call:Y", closed=False, ohms=0.05)
        c.lead("thermostat.lead-o", "thermostat.o", "board.o")
        _coil(c, "reversing-valve", "board.o", "reversing-valve")
        c.terminal("board.b")
    for device in plate.devices:
        _device_coil(c, plate, device)
    if plate.blower.relay is not None:
        _coil(
            c,
            plate.blower.relay.id,
            f"board.{plate.blower.relay.fed_by.lower()}",
            "blower-relay",
            plate.blower.relay.coil_ohms,
        )
    for call in plate.blower.ecm_calls:
        # An electronic motor's input takes ten milliamps.
        c.branch(f"blower.tap-{call.lower()}", f"board.{call.lower()}", "board.c", 2400.0)
        c.coils[f"{ECM}{call.lower()}"] = (f"board.{call.lower()}", "board.c", RELAY_PULL_VOLTS)


def _device_coil(c: Circuit, plate: Nameplate, device: SwitchingDevice) -> None:
    if device.fed_by in plate.calls:
        fed = f"board.{device.fed_by.lower()}"
    else:
        fed = f"{device.fed_by}.auxiliary.load"
        c.contact(
            f"{device.fed_by}.auxiliary",
            f"{device.fed_by}.auxiliary.line",
            fed,
            f"thermal:{device.fed_by}",
            closed=False,
        )
        # The auxiliary pole takes 24 V from R, or from the call itself, and hands it on.
        c.lead(
            f"{device.fed_by}.auxiliary.lead", auxiliary_source(plate, device.fed_by), f"{device.fed_by}.auxiliary.line"
        )
    kind = device.of_kind
    if kind.is_rectified:
        ratio, ripple = RECTIFIER[device.rectifier or "smoothed"]
        inlet = f"{device.id}.rectifier.1"
        c.lead(f"{device.id}.lead-coil", fed, inlet)
        c.lead(f"{device.id}.lead-common", f"{device.id}.coil.2", "board.c")
        c.terminal(f"{device.id}.coil.1")
        c.two_ports.append(
            TwoPort(
                f"{device.id}.rectifier",
                inlet,
                f"{device.id}.coil.2",
                f"{device.id}.coil.1",
                f"{device.id}.coil.2",
                ratio,
                BRIDGE_OHMS + 0j,
            )
        )
        c.branch(f"{device.id}.coil", f"{device.id}.coil.1", f"{device.id}.coil.2", device.coil_ohms or kind.coil_ohms)
        # A diode that conducts both ways shorts what feeds the board at every other half-wave.
        c.branch(f"control.diode-{device.id}", inlet, f"{device.id}.coil.2", 1e12, math.inf)
        c.coils[device.id] = (f"{device.id}.coil.1", f"{device.id}.coil.2", kind.pull_volts)
        c.dc_terminals[f"{device.id}.coil.1"] = ripple
        return
    _coil(c, device.id, fed, device.kind, device.coil_ohms, pull_volts=kind.pull_volts)


def auxiliary_source(plate: Nameplate, device_id: str) -> str:
    """Return the terminal a sequencer's auxiliary pole takes its 24 V from: R, or what feeds its own heater."""
    device = plate.device(device_id)
    if device.auxiliary_from == "R":
        return "board.r"
    return f"board.{device.fed_by.lower()}" if device.fed_by in plate.calls else f"{device.fed_by}.auxiliary.load"


def _coil(
    c: Circuit, device: str, fed: str, kind: str, dc_ohms: float | None = None, *, pull_volts: float = RELAY_PULL_VOLTS
) -> None:
    plain, impedance, power_factor = COILS[kind]
    # A heater is its ohms; a coil is mostly inductance, and its ohms alone would give five times its current.
    ohms: complex = polar(impedance, power_factor) if power_factor < 1 else complex(dc_ohms or impedance)
    c.lead(f"{device}.lead-coil", fed, f"{device}.coil.1")
    c.lead(f"{device}.lead-common", f"{device}.coil.2", "board.c")
    c.branch(f"{device}.coil", f"{device}.coil.1", f"{device}.coil.2", ohms, dc_ohms or plain)
    c.coils[device] = (f"{device}.coil.1", f"{device}.coil.2", pull_volts)


def _strays(c: Circuit) -> None:
    """Capacitance within the cable and to the frame, and a tiny leak that keeps floating parts solvable."""
    # Conductors of one cable lie side by side for metres and couple into each other.
    cable = [name for name in c.terminals if place_of(name).owner == "board"]
    for first, second in pairwise(cable):
        c.branch(f"stray:{first}:{second}", first, second, 1 / (1j * OMEGA * CABLE_FARADS), math.inf)
    for name in list(c.terminals):
        if name not in (GROUND, EARTH):
            admittance = 1 / LEAK_OHMS + 1j * OMEGA * HARNESS_FARADS
            c.branch(f"stray:{name}:ground", name, GROUND, 1 / admittance, math.inf)
