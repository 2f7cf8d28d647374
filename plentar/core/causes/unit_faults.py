"""The faults of a unit as a whole: its feeds, its control side, its blower and interlock."""

from collections.abc import Iterator

from plentar.core.causes.fault import OFF, SHORTED_SHARES, Fault, fault_of
from plentar.core.causes.modes import HELD, HOT_END, LOGGED, LOST_END, OPENED, SHORTED, STARTED, mode, modes_by_id
from plentar.core.circuit.changes import Changes
from plentar.core.circuit.network import Circuit
from plentar.core.circuit.wiring import JOINED_OHMS, PLAIN_WIRE
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import partner_of, place_of
from plentar.core.unit.points import part_words

__all__ = ["UNIT_MODES", "air_faults", "blower_faults", "control_faults", "supply_faults"]

# A motor that runs on a jumper is sound, and so are its leads. Whichever part of the relay failed, the relay is
# replaced.
RELAY = {"jumper-runs": 6.0, "jumper-still": 0.2}
# What a motor that runs on a jumper clears: itself, what starts it, its fixed lead.
CLEARED = {"jumper-runs": 0.02}

UNIT_MODES = modes_by_id(
    # The service itself: low or high at the panel too, with nothing of the unit at fault.
    mode("supply.low", "weak", 6.0, repair="call-utility", proof="supply-in-band"),
    mode("supply.high", "weak", 2.0, repair="call-utility", proof="supply-in-band"),
    # Supply: a breaker that is simply off is looked at first, since it costs nothing to look.
    mode(
        "breaker.off", "supply", 3.0, "", {"discoloured-lug": 3.0, "breaker-off": 30.0}, shows="until-set",
        repair="find-why-off", proof="all-on-it",
    ),
    mode(
        "breaker-pole.open", "supply", 1.5, "", OPENED | {"discoloured-lug": 3.0},
        repair="replace-breaker-see-stab", proof="legs-to-ground-and-across",
    ),
    # One that trips warm holds when looked at cold: its proof is ten minutes and a hand, never a bigger one. Tripped
    # it is a breaker that is off, and what is done about either begins with why.
    mode(
        "breaker.weak", "supply", 1.2, "", {"discoloured-lug": 3.0, "breaker-off": 6.0} | HELD,
        shows="trips",
        repair="find-why-off", proof="holds-ten-minutes",
    ),
    # Where it sits on the bus: it burns from a loose stab, and is found when the breaker is out.
    mode(
        "breaker-pole.stab-burnt", "weak", 0.5, "", HOT_END | {"discoloured-lug": 4.0},
        repair="replace-breaker-see-stab", proof="sag-in-band",
    ),
    mode("disconnect.open", "supply", 0.6, "", OPENED, repair="replace-pull-out", proof="legs-behind-disconnect"),
    mode(
        "lug.loose", "weak", 0.8, "ends", HOT_END | {"discoloured-lug": 6.0},
        repair="clean-and-torque", proof="sag-in-band",
    ),
    mode(
        "lug.open", "supply", 0.5, "ends", LOST_END | {"discoloured-lug": 6.0},
        repair="clean-and-torque", proof="legs-to-ground-and-across",
    ),
    # Nothing the unit does shows it, until something touches the frame.
    mode(
        "equipment-ground.open", "supply", 0.2, "ends", LOST_END,
        repair="restore-equipment-ground", proof="frame-at-ground",
    ),
    mode("wire.too-small", "weak", 0.4, repair="size-wire-and-breaker", proof="sag-in-band"),
    mode("branch.off", "supply", 1.5, shows="until-set", repair="find-why-off", proof="volts-behind-it"),
    mode("branch-pole.open", "supply", 1.0, "", OPENED, repair="replace-built-in-breaker", proof="volts-behind-it"),
    # Control: its fuse blows for something else's sake more often than for its own.
    mode("fuse.open", "control", 4.0, "fuse", OPENED, repair="find-short-then-fuse", proof="volts-at-each-coil"),
    mode("transformer.dead", "control", 1.0, "transformer", repair="replace-transformer", proof="volts-at-each-coil"),
    # A winding burns open where it was wound thinnest; an ohmmeter names which.
    mode(
        "transformer.primary-open", "control", 1.2, "transformer", OPENED,
        repair="replace-transformer", proof="volts-at-each-coil",
    ),
    mode(
        "transformer.secondary-open", "control", 0.8, "transformer", OPENED,
        repair="replace-transformer", proof="volts-at-each-coil",
    ),
    # Outside, on the same transformer: what is shorted there takes the fuse of the heat along.
    *(
        mode(f"{coil}.shorted", "short", odds, "fuse", SHORTED, repair="outdoor-coil-and-fuse", proof="control-current")
        for coil, odds in (("outdoor-coil", 0.6), ("valve-coil", 0.4))
    ),
    mode(
        "thermostat.wrong-kind", "control", 0.3, "thermostat",
        repair="thermostat-of-its-kind", proof="volts-at-each-coil",
    ),
    # 208 V on the 240 V tap leaves 20 V or so: coils chatter, heaters warm late.
    mode(
        "transformer.wrong-tap-low", "control", 0.4, "", {"clicks": 3.0},
        repair="move-tap", proof="volts-at-each-coil",
    ),
    mode("transformer.wrong-tap-high", "control", 0.4, repair="move-tap", proof="volts-at-each-coil"),
    mode("transformer-lead.off", "control", 0.4, "ends", LOST_END, repair="new-end", proof="volts-at-each-coil"),
    mode("thermostat-r.off", "control", 1.0, "ends", LOST_END, repair="repair-cable", proof="volts-at-each-coil"),
    mode("thermostat-c.off", "control", 0.8, "ends", LOST_END, repair="land-common", proof="volts-at-thermostat"),
    # A setting counts as the thermostat's: whoever looks at the wall first finds half of these.
    mode(
        "thermostat.not-calling", "control", 2.5, "thermostat",
        repair="thermostat-or-setting", proof="volts-at-each-coil",
    ),
    mode("thermostat.always-calling", "stuck", 1.5, "thermostat", repair="thermostat", proof="no-volts-without-call"),
    mode(
        "outdoor-thermostat.stuck-open", "control", 1.5, "outdoor thermostat",
        repair="outdoor-thermostat", proof="volts-at-each-coil",
    ),
    mode(
        "outdoor-thermostat.stuck-closed", "stuck", 0.3, "outdoor thermostat",
        repair="outdoor-thermostat", proof="open-above-setting",
    ),
    mode("conductor.off", "control", 0.8, "ends", LOST_END, repair="repair-cable", proof="volts-at-each-coil"),
    # Between the walls a staple or an edge rubs through; to ground only where the common is grounded does it tell.
    mode("conductor.shorted", "short", 0.8, "fuse", SHORTED, repair="find-rubbed-wire", proof="volts-at-each-coil"),
    mode(
        "conductor.grounded", "short", 0.6, "fuse",
        {"rubbed-wires": 4.0, "conductor-shorted": 10.0},
        repair="find-rubbed-wire", proof="volts-at-each-coil",
    ),
    # Wrong landings are rarer than wear, but can go unnoticed for years: half the year the call they spoil is not made.
    mode("o-and-b.exchanged", "control", 0.4, "ends", repair="land-o-and-b", proof="reversing-valve-in-its-mode"),
    mode("w-to-y.joined", "stuck", 0.8, repair="take-jumper-out", proof="no-strip-with-cooling"),
    # Blower: the motor, what starts it, what switches it.
    mode(
        "motor.open", "blower", 3.0, "motor", OPENED | CLEARED | {"jumper-still": 25.0},
        repair="replace-motor", proof="rows",
    ),
    mode(
        "motor.seized", "blower", 1.5, "motor",
        CLEARED | {"hums": 20.0, "jumper-still": 25.0, "stiff": 20.0, "side-play": 4.0, "wheel-free": 0.3},
        repair="free-or-replace-motor", proof="rows",
    ),
    mode(
        "motor.bearing", "blower", 0.7, "motor",
        {"side-play": 20.0, "stiff": 8.0, "hums": 4.0, "smell": 2.0, "wheel-free": 0.1},
        repair="free-or-replace-motor", proof="rows",
    ),
    # The motor turns and its wheel does not: amps of a motor at rest from work, and no air.
    mode(
        "hub.loose", "blower", 0.6, "",
        {"loose-hub": 40.0, "clicks": 2.0, "air-little": 5.0, "air-enough": 0.05, "wheel-free": 0.1} | LOGGED,
        repair="tighten-hub", proof="no-limit-opens",
    ),
    mode(
        "motor.weak-capacitor", "blower", 1.5, "capacitor",
        CLEARED | {"hums": 15.0, "jumper-still": 25.0, "capacitor-out": 40.0, "capacitor-fine": 0.03},
        repair="replace-capacitor", proof="rows",
    ),
    mode(
        "blower-lead.off", "blower", 0.6, "ends", LOST_END | CLEARED | {"jumper-still": 6.0},
        repair="new-end", proof="rows",
    ),
    mode("relay-coil.open", "blower", 2.5, "relay", OPENED | RELAY, repair="replace-relay", proof="rows"),
    mode(
        "relay-coil.shorted", "short", 1.2, "relay", SHORTED | RELAY,
        repair="replace-relay-and-fuse", proof="control-current",
    ),
    mode("relay-lead.off", "blower", 0.5, "ends", LOST_END | RELAY, repair="new-end", proof="rows"),
    mode("relay-contact.open", "blower", 2.0, "relay", OPENED | RELAY, repair="replace-relay", proof="rows"),
    mode("relay-contact.welded", "blower", 1.2, "relay", OPENED | RELAY, repair="replace-relay", proof="rows"),
    # One armature: it may be stuck where it rests or where it was pulled to, or its blades broken both ways.
    *(
        mode(f"relay-armature.{how}", "blower", odds, "relay", OPENED | RELAY, repair="replace-relay", proof="rows")
        for how, odds in (("stuck-open", 0.8), ("stuck-pulled", 0.5), ("passes-nothing", 0.8))
    ),
    # A time-delay module fails now and then before it fails for good: ten starts, counted, tell.
    mode(
        "delay.erratic", "blower", 2.0, "relay", RELAY | {"clicks": 6.0, "bad-start": 12.0} | STARTED,
        shows="now and then", repair="replace-module", proof="ten-good-starts",
    ),
    # Wrong interlocks of docs/trade.md, section 1: made at the last replacement; only a wire that is seen speaks, and
    # that all but tells.
    mode(
        "interlock.plain-wire", "stuck", 0.4, "", {"plain-wire": 600.0},
        repair="land-interlock", proof="rows-and-strips",
    ),
    mode("interlock.com-on-leg", "stuck", 0.4, repair="land-interlock", proof="rows-and-strips"),
    mode("interlock.across-legs", "supply", 0.3, repair="land-interlock", proof="rows-and-strips"),
    mode("interlock.strip-on-no", "stuck", 0.3, repair="land-interlock", proof="rows-and-strips"),
    mode("interlock.taps-exchanged", "blower", 0.3, repair="land-interlock", proof="rows-and-strips"),
    mode("interlock.fixed-and-no-exchanged", "blower", 0.4, repair="land-interlock", proof="rows-and-strips"),
    # Little air is no part's fault, and behind most limits that open.
    mode(
        "air.little", "weak", 2.0, "filter",
        {"filter-dirty": 6.0, "coil-dirty": 5.0, "wheel-dirty": 5.0, "cover-missing": 2.0, "clicks": 4.0,
         "loose-hub": 6.0, "air-little": 40.0, "air-enough": 0.05} | LOGGED,
        shows="now and then", repair="clear-the-air", proof="no-limit-opens",
    ),
)  # fmt: skip
# Three sizes of wire too small: each has 1.6 times the ohms of the one before.
THIN_RATIO = 4.0
# What a service gives that is low or high, of nominal: 5 % passes (docs/trade.md, section 3).
LOW_SUPPLY, HIGH_SUPPLY = (0.8, 0.87, 0.93), (1.07, 1.12)
# A lug that is loose, hot, about to burn off, hardly holding, arcing: 1, 2, 7, 20, 40 V and more at 20 A asked. Closer
# where the control side lets go of its coils, which other sizes do not show.
LUG_OHMS = (0.05, 0.12, 0.35, 1.0, 2.2, 4.5, 9.0, 20.0)
# A breaker that has grown weak trips at some 40 % of its rating, which one or two strips are.
WEAK_RATIO, USUAL_BREAKER_AMPS = 0.4, 60.0
# Rubbed wires touch through a burnt spot: enough to blow a 3 or 5 A fuse from 24 V, not quite nothing.
SHORT_OHMS = 0.8
# On the other tap the secondary follows the ratio of the two.
TAPS = {"low": 208 / 240, "high": 240 / 208}
# Nobody who asks for heat has a thermostat at fault that only cools, unless it is that.
COOLING_WEIGHT = 0.3
COOLING_CONDUCTOR_WEIGHT = 0.2
# A rotor that stands draws some four and a half times its amps; half a capacitor a quarter more.
STANDING_SHARE, WEAK_CAPACITOR_SHARE = 0.22, 0.8
# A jumper on two screws.
JUMPER_OHMS = 0.05
# Worn bearings cost a motor a seventh more amps; without its wheel it draws little more than half.
BEARING_SHARE, SLIPPING_SHARE = 0.88, 1.8
# A PSC motor that moves less air draws less.
LITTLE_AIR_SHARE = 1.25


def _split(lead: str) -> Changes:
    return Changes(split={lead: OFF})


def _forced(contact: str, closed: bool) -> Changes:
    return Changes(forced={contact: closed})


def supply_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    """Give the faults of the feeds and of the branches behind them.

    Source:
        docs/trade.md, section 1, Supply, and section 5.
    """
    # A neutral has no pole in a breaker and no blade in a disconnect.
    legs = ("l1",) if plate.has_neutral else ("l1", "l2")
    at = {branch.id: branch.ohms.real for branch in circuit.branches}
    yield fault_of(UNIT_MODES["supply.low"], "supply", *(Changes(supply=share) for share in LOW_SUPPLY))
    yield fault_of(UNIT_MODES["supply.high"], "supply", *(Changes(supply=share) for share in HIGH_SUPPLY))
    for feed in plate.feeds:
        name = feed.id
        words: Text = message("unit_faults.feed") if len(plate.feeds) == 1 else part_words(name)
        poles = {leg: f"{name}.breaker-{leg}" for leg in legs}
        for leg, pole in poles.items():
            blade, lug = f"{name}.disconnect-{leg}", f"{name}.lug-{leg}"
            yield fault_of(UNIT_MODES["breaker-pole.open"], pole, _forced(pole, False), feed=words, leg=leg.upper())
            yield fault_of(UNIT_MODES["disconnect.open"], blade, _forced(blade, False), feed=words, leg=leg.upper())
            loose = (Changes(split={lug: ohms}) for ohms in LUG_OHMS)
            yield fault_of(UNIT_MODES["lug.loose"], lug, *loose, feed=words, leg=leg.upper())
            yield fault_of(UNIT_MODES["lug.open"], lug, _split(lug), feed=words, leg=leg.upper())
            burnt = (Changes(contact_ohms={pole: ohms}) for ohms in LUG_OHMS)
            yield fault_of(UNIT_MODES["breaker-pole.stab-burnt"], pole, *burnt, feed=words, leg=leg.upper())
        thin = {lead: THIN_RATIO * at[lead] for lead in (f"{name}.conductor-l1", f"{name}.conductor-l2")}
        yield fault_of(
            UNIT_MODES["wire.too-small"], f"{name}.wire", Changes(ohms={n: (r, r) for n, r in thin.items()}), feed=words
        )
        trips_at = dict.fromkeys(poles.values(), WEAK_RATIO * (feed.breaker_amps or USUAL_BREAKER_AMPS))
        yield fault_of(UNIT_MODES["breaker.weak"], f"{name}.breaker", Changes(trips_at=trips_at), feed=words)
        off = Changes(forced=dict.fromkeys(poles.values(), False))
        yield fault_of(UNIT_MODES["breaker.off"], f"{name}.breaker", off, feed=words)
    yield fault_of(UNIT_MODES["equipment-ground.open"], "equipment-ground", _split("equipment-ground"))
    for branch in plate.branches:
        own = {leg: f"{branch.id}.{leg}-pole" for leg in legs}
        for leg, pole in own.items():
            yield fault_of(
                UNIT_MODES["branch-pole.open"],
                pole,
                _forced(pole, False),
                branch=part_words(branch.id),
                leg=leg.upper(),
            )
        off = Changes(forced=dict.fromkeys(own.values(), False))
        yield fault_of(UNIT_MODES["branch.off"], branch.id, off, branch=part_words(branch.id))


def control_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    """Give the faults of the transformer, its fuse, the thermostat and its cable.

    Source:
        docs/trade.md, section 1, Control circuit, and section 5.
    """
    yield fault_of(UNIT_MODES["transformer.dead"], "transformer", Changes(ratio={"transformer": 0.0}))
    for which, ratio in TAPS.items():
        yield fault_of(
            UNIT_MODES[f"transformer.wrong-tap-{which}"], "transformer", Changes(ratio={"transformer": ratio})
        )
    dead = {"transformer": 0.0}
    for side in ("primary", "secondary"):
        winding = next(b for b in circuit.branches if b.id == f"transformer.{side}")
        # To 60 Hz the two-port already gives nothing; a primary that is open draws nothing either.
        at_60 = OFF if side == "primary" else winding.ohms
        open_winding = Changes(ratio=dead, ohms={winding.id: (at_60, OFF)})
        yield fault_of(UNIT_MODES[f"transformer.{side}-open"], "transformer", open_winding)
    yield fault_of(UNIT_MODES["fuse.open"], "fuse", _forced("fuse", False))
    known = {branch.id: branch for branch in circuit.branches}
    for coil, mode_id in (("outdoor.coil", "outdoor-coil.shorted"), ("reversing-valve.coil", "valve-coil.shorted")):
        if coil in known:
            own = known[coil]
            left = (Changes(ohms={coil: (own.ohms * share, own.dc_ohms * share)}) for share in SHORTED_SHARES)
            yield fault_of(UNIT_MODES[mode_id], coil, *left)
    if "Y" in plate.calls:
        # Built for a furnace it has no second stage to call on a heat pump: strips are never asked for.
        yield fault_of(UNIT_MODES["thermostat.wrong-kind"], "thermostat", _forced("thermostat.w", False))
    for end in ("1", "2", "c"):
        lead = f"transformer.lead-{end}"
        yield fault_of(
            UNIT_MODES["transformer-lead.off"], lead, _split(lead), lead=message(f"unit_faults.transformer-lead-{end}")
        )
    # R's cable is a contact in the network, C's a lead.
    yield fault_of(UNIT_MODES["thermostat-r.off"], "thermostat.lead-r", _forced("thermostat.lead-r", False))
    yield fault_of(UNIT_MODES["thermostat-c.off"], "thermostat.lead-c", _split("thermostat.lead-c"))
    if plate.outdoor_thermostat is not None:
        part, stage = "outdoor-thermostat", plate.outdoor_thermostat
        yield fault_of(UNIT_MODES["outdoor-thermostat.stuck-open"], part, _forced(part, False), call=stage)
        yield fault_of(UNIT_MODES["outdoor-thermostat.stuck-closed"], part, _forced(part, True), call=stage)
    if "Y" in plate.calls:
        # Both ends sound and on each other's screws: nothing but the season shows it.
        swapped = Changes(moved={"thermostat.lead-o": "board.b"})
        yield fault_of(UNIT_MODES["o-and-b.exchanged"], "thermostat.o-and-b", swapped)
    for call in plate.calls:
        yield from _call_faults(plate, call)
    if "Y" in plate.calls:
        joined = Changes(ohms={"control.w-to-y": (JUMPER_OHMS, JUMPER_OHMS)})
        yield fault_of(UNIT_MODES["w-to-y.joined"], "control.w-to-y", joined)


def _call_faults(plate: Nameplate, call: str) -> Iterator[Fault]:
    name = call.lower()
    contact, lead = f"thermostat.{name}", f"thermostat.lead-{name}"
    cools, conductor = (COOLING_WEIGHT, COOLING_CONDUCTOR_WEIGHT) if call == "Y" else (None, None)
    yield fault_of(UNIT_MODES["thermostat.not-calling"], contact, _forced(contact, False), weight=cools, call=call)
    yield fault_of(UNIT_MODES["thermostat.always-calling"], contact, _forced(contact, True), weight=cools, call=call)
    yield fault_of(UNIT_MODES["conductor.off"], lead, _split(lead), weight=conductor, call=call)
    short = Changes(ohms={f"control.short-{name}": (SHORT_OHMS, SHORT_OHMS)})
    yield fault_of(UNIT_MODES["conductor.shorted"], f"control.{name}", short, call=call)
    if plate.transformer.grounded_common:
        # Without a grounded common the first conductor that touches the frame changes nothing a meter or a fuse shows.
        ground = Changes(ohms={f"control.ground-{name}": (SHORT_OHMS, SHORT_OHMS)})
        yield fault_of(UNIT_MODES["conductor.grounded"], f"control.{name}", ground, call=call)


def blower_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    """Give the faults of the motor, its leads, its relay and the interlock.

    Source:
        docs/trade.md, section 1, Blower and Interlock.
    """
    motors = {branch.id: branch for branch in circuit.branches if branch.id in circuit.motors}
    yield fault_of(UNIT_MODES["motor.open"], "blower.motor", Changes(ohms=dict.fromkeys(motors, (OFF, OFF))))
    for name, share in (("motor.seized", STANDING_SHARE), ("motor.weak-capacitor", WEAK_CAPACITOR_SHARE)):
        changed = {motor: (branch.ohms * share, branch.dc_ohms) for motor, branch in motors.items()}
        yield fault_of(UNIT_MODES[name], "blower.motor", Changes(ohms=changed))
    worn = {motor: (branch.ohms * BEARING_SHARE, branch.dc_ohms) for motor, branch in motors.items()}
    yield fault_of(UNIT_MODES["motor.bearing"], "blower.motor", Changes(ohms=worn))
    limits = {contact.id: False for contact in circuit.contacts if contact.moved_by[0] == "limit"}
    slipping = {motor: (branch.ohms * SLIPPING_SHARE, branch.dc_ohms) for motor, branch in motors.items()}
    yield fault_of(UNIT_MODES["hub.loose"], "blower.hub", Changes(ohms=slipping, forced=limits))
    yield fault_of(UNIT_MODES["blower-lead.off"], "blower.lead-fixed", _split("blower.lead-fixed"))
    if plate.blower.relay is not None:
        yield from _relay_faults(plate, circuit, plate.blower.relay.id)
    if plate.blower.plain_wire_to is None and PLAIN_WIRE in {branch.id for branch in circuit.branches}:
        # Somebody left the relay out of it.
        joined = Changes(ohms={PLAIN_WIRE: (JOINED_OHMS, JOINED_OHMS)})
        yield fault_of(UNIT_MODES["interlock.plain-wire"], "interlock", joined)


def _relay_faults(plate: Nameplate, circuit: Circuit, relay: str) -> Iterator[Fault]:
    coil = f"{relay}.coil"
    plain = next(branch for branch in circuit.branches if branch.id == coil)
    yield fault_of(UNIT_MODES["relay-coil.open"], coil, Changes(ohms={coil: (OFF, OFF)}))
    shorted = (Changes(ohms={coil: (plain.ohms * share, plain.dc_ohms * share)}) for share in SHORTED_SHARES)
    yield fault_of(UNIT_MODES["relay-coil.shorted"], coil, *shorted)
    if plate.blower.relay is not None and (plate.blower.relay.on_delay_seconds or plate.blower.relay.off_delay_seconds):
        # When it does not come it stays as it rests: NC made, NO open.
        own = [contact.id for contact in circuit.contacts if contact.driver == f"relay:{relay}"]
        at_rest = Changes(forced={name: place_of(name).part.startswith("nc") for name in own})
        yield fault_of(UNIT_MODES["delay.erratic"], f"{relay}.delay", at_rest)
    yield from _armature_faults(circuit, relay)
    for lead in circuit.leads:
        if place_of(lead.id).owner == relay:
            yield fault_of(
                UNIT_MODES["relay-lead.off"], lead.id, _split(lead.id), lead=_lead_words(place_of(lead.id).part)
            )
    # A contact with no lead on it can fail as it likes.
    landed = {lead.a for lead in circuit.leads}
    for name in sorted({contact.id for contact in circuit.contacts} & landed):
        if place_of(name).owner == relay:
            label = place_of(name).part.upper()
            yield fault_of(UNIT_MODES["relay-contact.open"], name, _forced(name, False), contact=label)
            yield fault_of(UNIT_MODES["relay-contact.welded"], name, _held(name), contact=label)
    yield from _miswired(plate, circuit, relay)


def _armature_faults(circuit: Circuit, relay: str) -> Iterator[Fault]:
    own = [contact.id for contact in circuit.contacts if contact.moved_by[1] == relay]
    rests = {name: place_of(name).part.startswith("nc") for name in own}
    yield fault_of(
        UNIT_MODES["relay-armature.passes-nothing"], f"{relay}.armature", Changes(forced=dict.fromkeys(own, False))
    )
    if len(own) > 2:
        # With a single pole it is that pole's contact, and listed as such.
        yield fault_of(UNIT_MODES["relay-armature.stuck-open"], f"{relay}.armature", Changes(forced=rests))
        pulled = Changes(forced={name: not closed for name, closed in rests.items()})
        yield fault_of(UNIT_MODES["relay-armature.stuck-pulled"], f"{relay}.armature", pulled)


def _held(contact: str) -> Changes:
    """Return what a welded contact does to its own pole: one blade cannot be at both, so the other never makes."""
    return Changes(forced={contact: True, partner_of(contact): False})


def _lead_words(part: str) -> Text:
    name = part.removeprefix("lead-")
    own: dict[str, Text] = {"coil": message("unit_faults.coils-call"), "common": message("unit_faults.coils-common")}
    return own.get(name, name.upper().replace("-", " "))


def _miswired(plate: Nameplate, circuit: Circuit, relay: str) -> Iterator[Fault]:
    """The wrong interlocks of docs/trade.md, section 1, all but NC left open, which is its lead off."""
    strips = {strip.id for strip in plate.circuits}
    contacts = plate.blower.relay.contacts if plate.blower.relay else ()
    for index, pole in enumerate(contacts):
        suffix = "" if index == 0 else f"-{index + 1}"
        if (
            pole.nc in strips
            and pole.no == "none"
            and f"{relay}.lead-nc{suffix}" in {lead.id for lead in circuit.leads}
        ):
            # The heat-fed tap on NO: with a fan call both taps are on one wire or back-feed, with heat alone nothing.
            name = f"interlock.on-no{suffix}"
            moved = Changes(split={f"{relay}.lead-nc{suffix}": OFF}, ohms={name: (JOINED_OHMS, JOINED_OHMS)})
            yield fault_of(UNIT_MODES["interlock.strip-on-no"], "interlock", moved)
    if len(contacts) == 2 and contacts[1].com.startswith("blower:") and contacts[0].no.startswith("blower:"):
        # Each tap on the other's contact: the fan call runs the heat's speed, and heat the fan's.
        first, second = f"{relay}.lead-no", f"{relay}.lead-com-2"
        taps = {contacts[1].com: first, contacts[0].no: second}
        exchanged = Changes(moved={lead: f"blower.{tap.partition(':')[2]}" for tap, lead in taps.items()})
        yield fault_of(UNIT_MODES["interlock.taps-exchanged"], "interlock", exchanged)
    contact = contacts[0] if contacts else None
    if contact is None or contact.nc not in strips or contact.com != "blower" or contact.no not in ("L1", "L2"):
        return
    supply = plate.blower.supplied_by
    leg, other = (f"{supply}.{name.lower()}" for name in ((contact.no, "L1" if contact.no == "L2" else "L2")))
    com, no, nc = (f"{relay}.lead-{name}" for name in ("com", "no", "nc"))
    wirings = {
        # COM and NO exchanged: the strip's load side is live from the leg through NC.
        "com-on-leg": Changes(moved={com: leg, no: "blower.run"}),
        # NC on the other leg: L1 to L2 through the relay at each throw.
        "across-legs": Changes(moved={com: leg, nc: other, no: "blower.run"}),
        # The blower sits between two ends of one leg, or between a leg and itself.
        "fixed-and-no-exchanged": Changes(moved={"blower.lead-fixed": leg, no: other}),
    }
    for name, changes in wirings.items():
        yield fault_of(UNIT_MODES[f"interlock.{name}"], "interlock", changes)


def air_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    """Give what no part is at fault for: too little air, as limits and a PSC motor's amps show it.

    Source:
        docs/trade.md, section 3: few amps of a PSC blower may be little air.
    """
    limits = {contact.id: False for contact in circuit.contacts if contact.moved_by[0] == "limit"}
    motors = {b.id: (b.ohms * LITTLE_AIR_SHARE, b.dc_ohms) for b in circuit.branches if b.id in circuit.motors}
    if limits:
        little = Changes(forced=limits, ohms=motors if plate.blower.kind == "psc" else {})
        yield fault_of(UNIT_MODES["air.little"], "air", little)
