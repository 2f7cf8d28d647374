"""The ways a part fails: one row each, with how often, what shows it to the eye, and what makes it right.

A new fault is a row here, its words in the catalogue (`fault.<mode>`, `repair.<…>`, `proof.<…>`), and what it changes
in the circuit, in `faults` or `unit_faults`.

Weights are odds against each other, of what stands behind a call for heat that is not right, before anything is read.
They follow the order in which docs/trade.md, section 5, names causes; a complaint, an age or a sign moves them by more
than their own error, so each is one of few steps (0.1, 0.3, 0.5, 1, 1.5, 2, 3, 4 …) and none is finer.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

__all__ = ["MODES", "Group", "Mode", "Shows", "Takes"]

# For the complaint's sake: no heat makes what is dead likelier, heat that will not stop what is stuck.
Group = Literal["healthy", "dead", "stuck", "weak", "supply", "control", "blower", "short"]
# Always; now and then, a healthy unit in between; late, only for a while after the call.
Shows = Literal["always", "now and then", "late"]
# What a repair takes from the van; nothing where hands do, or somebody else's breaker.
Takes = Literal[
    "", "element", "link", "limit", "device", "board", "ends", "transformer", "fuse", "thermostat",
    "outdoor thermostat", "motor", "capacitor", "relay", "filter",
]  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Mode:
    """One way one kind of part fails.

    Attributes:
        id: The kind of part and how it fails, `pole.welded`; a fault's own id is its part and the last word of this.
        group: What it is to whoever complains.
        weight: How often against the other modes, before anything is known; see above.
        takes: What its repair takes from the van.
        shows: Whether it is there whenever it is looked for.
        signs: How many times likelier each sign makes it, where the sign is pinned to nothing or to its part.
        repair: Its repair in the catalogue, after `repair.`.
        proof: What proves that repair, after `proof.`.
    """

    id: str
    group: Group
    weight: float
    takes: Takes
    shows: Shows
    signs: Mapping[str, float] = field(default_factory=dict)
    repair: str
    proof: str


def _mode(
    name: str,
    group: Group,
    weight: float,
    takes: Takes = "",
    signs: Mapping[str, float] | None = None,
    *,
    repair: str,
    proof: str,
    shows: Shows = "always",
) -> Mode:
    return Mode(
        id=name, group=group, weight=weight, takes=takes, shows=shows, signs=signs or {}, repair=repair, proof=proof
    )


# A push-on that moves under a finger is on its way off or hot already; a cut strand carries less but mostly still sits.
LOST_END = {"loose-push-on": 6.0, "cut-strands": 2.0, "splices": 2.0}
HOT_END = {"loose-push-on": 8.0, "cut-strands": 4.0, "splices": 2.0, "smell": 3.0}
# Rust speaks for contacts and windings that opened; nobody is surprised by it, so it only doubles.
OPENED = {"rust-carbon": 2.0}
# Dirt in the air's way opens limits before it opens links: the limit is meant to be first.
AIRLESS = {"filter-dirty": 2.5, "coil-dirty": 2.0, "wheel-dirty": 2.0}
# A short is heard of before it is seen: a breaker found off, a smell, insulation rubbed through; a named conductor that
# an ohmmeter shows shorted has all but told.
SHORTED = {"rubbed-wires": 4.0, "breaker-off": 4.0, "smell": 2.0, "conductor-shorted": 40.0}
# A motor that runs on a jumper clears itself and its leads: it is the relay then, whatever of it.
RELAY = {"jumper-runs": 6.0}

_ROWS = (
    # Elements: they burn through far more often than they do anything else.
    _mode("element.open", "dead", 6.0, "element", OPENED, repair="replace-element", proof="draws-amps"),
    # A sagged coil that touches: foil or insulation laid near it is how it comes about.
    _mode(
        "element.grounded", "stuck", 1.2, "element",
        {"foil-near-strips": 5.0, "rubbed-wires": 4.0, "conductor-shorted": 10.0},
        repair="replace-element-that-touched", proof="no-current-in-either-lead",
    ),
    # Turns that touch each other: more current, and a breaker that may have told.
    _mode(
        "element.part-shorted", "weak", 0.6, "element", {"breaker-off": 4.0},
        repair="replace-element", proof="draws-amps",
    ),
    # Somebody's last visit; a part from the van that was at hand.
    _mode("element.wrong-size", "weak", 0.5, "element", repair="fit-element-of-plate", proof="draws-amps"),
    # A link opens once, from overheating that the limit did not stop.
    _mode(
        "link.open", "dead", 4.0, "link", OPENED | {"filter-dirty": 2.0, "coil-dirty": 1.5, "wheel-dirty": 1.5},
        repair="replace-link", proof="draws-amps",
    ),
    # Most limits found open did what they are for: the air is looked at before the part is.
    _mode(
        "limit.open", "dead", 5.0, "limit", OPENED | AIRLESS,
        repair="restore-air-or-replace-limit", proof="draws-amps",
    ),
    _mode(
        "limit.cycling", "weak", 0.8, "limit", AIRLESS | {"clicks": 6.0, "bad-start": 2.0}, shows="now and then",
        repair="restore-air-then-replace-limit", proof="draws-amps-without-a-break",
    ),
    # Welded limits are rare and never shown by a unit whose air is right: only an airless test tells.
    _mode("limit.stuck-closed", "stuck", 0.1, "limit", AIRLESS, repair="replace-limit", proof="opens-without-air"),
    # Joints: there are a dozen to a strip, so each by itself is unlikely and together they are the commonest cause.
    _mode("lead.off", "dead", 0.5, "ends", LOST_END, repair="new-end-pull-tested", proof="draws-amps"),
    _mode("lead.loose", "weak", 0.5, "ends", HOT_END, repair="new-end-on-clean-wire", proof="no-drop-at-the-joint"),
    # Contacts: a sequencer's pole that no longer makes is the trade's commonest single fault, one that no longer opens
    # comes after it, and one on its way there shows as drop and heat.
    _mode("pole.open", "dead", 7.0, "device", OPENED, repair="replace-device", proof="amps-under-call-none-without"),
    _mode("pole.welded", "stuck", 3.0, "device", OPENED, repair="replace-device", proof="amps-under-call-none-without"),
    _mode(
        "pole.burnt", "weak", 1.5, "device", {"loose-push-on": 2.0, "rust-carbon": 3.0, "smell": 3.0},
        repair="replace-device", proof="little-across-it",
    ),
    _mode("coil.open", "dead", 4.0, "device", OPENED, repair="replace-device", proof="strips-on-it-draw"),
    # A shorted coil takes the control fuse with it, so it is looked for when that is open.
    _mode("coil.shorted", "short", 1.2, "device", SHORTED, repair="replace-device-and-fuse", proof="control-current"),
    _mode(
        "mechanism.dead", "dead", 2.0, "device", {"rust-carbon": 3.0},
        repair="replace-device", proof="strips-on-it-draw",
    ),
    # A tired disc warms late: cold mornings and low control volts bring it out.
    _mode("device.slow", "weak", 1.5, "device", shows="late", repair="replace-device", proof="inside-its-window"),
    _mode("coil-lead.off", "control", 0.6, "ends", LOST_END, repair="new-end-pull-tested", proof="strips-on-it-draw"),
    # The small pole in a sequencer that passes the call on carries no load worth naming: it fails less than the others.
    _mode("auxiliary.open", "dead", 3.0, "device", OPENED, repair="replace-device", proof="volts-at-next-heater"),
    _mode("auxiliary.welded", "stuck", 1.0, "device", OPENED, repair="replace-device", proof="off-without-call"),
    _mode("auxiliary-lead.off", "dead", 0.5, "ends", LOST_END, repair="new-end", proof="volts-at-next-heater"),
    _mode("rectifier.dead", "dead", 3.0, "board", repair="replace-rectifier", proof="coil-volts-dc"),
    _mode("rectifier.half-open", "weak", 1.0, "board", repair="replace-rectifier", proof="coil-volts-dc"),
    # Supply: a breaker that is simply off is looked at first, since it costs nothing to look.
    _mode(
        "breaker.off", "supply", 3.0, "", {"discoloured-lug": 3.0, "breaker-off": 30.0},
        repair="find-why-off", proof="all-on-it",
    ),
    _mode(
        "breaker-pole.open", "supply", 1.5, "", OPENED | {"discoloured-lug": 3.0},
        repair="replace-breaker-see-stab", proof="legs-to-ground-and-across",
    ),
    # One that trips warm holds when it is looked at cold: its proof is ten minutes and a hand, never a bigger one.
    _mode(
        "breaker.weak", "supply", 1.2, "", {"discoloured-lug": 3.0, "breaker-off": 6.0}, shows="now and then",
        repair="replace-breaker-same-rating", proof="holds-ten-minutes",
    ),
    _mode("disconnect.open", "supply", 0.6, "", OPENED, repair="replace-pull-out", proof="legs-behind-disconnect"),
    _mode(
        "lug.loose", "weak", 0.8, "ends", HOT_END | {"discoloured-lug": 6.0},
        repair="clean-and-torque", proof="sag-in-band",
    ),
    _mode("wire.too-small", "weak", 0.4, repair="size-wire-and-breaker", proof="sag-in-band"),
    _mode("branch.off", "supply", 1.5, repair="find-why-off", proof="volts-behind-it"),
    _mode("branch-pole.open", "supply", 1.0, "", OPENED, repair="replace-built-in-breaker", proof="volts-behind-it"),
    # Control: its fuse blows for something else's sake more often than for its own.
    _mode("fuse.open", "control", 4.0, "fuse", OPENED, repair="find-short-then-fuse", proof="volts-at-each-coil"),
    _mode("transformer.dead", "control", 3.0, "transformer", repair="replace-transformer", proof="volts-at-each-coil"),
    # 208 V on the 240 V tap leaves 20 V or so: coils chatter, heaters warm late.
    _mode(
        "transformer.wrong-tap-low", "control", 0.4, "", {"clicks": 3.0},
        repair="move-tap", proof="volts-at-each-coil",
    ),
    _mode("transformer.wrong-tap-high", "control", 0.4, repair="move-tap", proof="volts-at-each-coil"),
    _mode("transformer-lead.off", "control", 0.4, "ends", LOST_END, repair="new-end", proof="volts-at-each-coil"),
    _mode("thermostat-r.off", "control", 1.0, "ends", LOST_END, repair="repair-cable", proof="volts-at-each-coil"),
    _mode("thermostat-c.off", "control", 0.8, "ends", LOST_END, repair="land-common", proof="volts-at-thermostat"),
    # A setting counts as the thermostat's: whoever looks at the wall first finds half of these.
    _mode(
        "thermostat.not-calling", "control", 2.5, "thermostat",
        repair="thermostat-or-setting", proof="volts-at-each-coil",
    ),
    _mode("thermostat.always-calling", "stuck", 1.5, "thermostat", repair="thermostat", proof="no-volts-without-call"),
    _mode(
        "outdoor-thermostat.stuck-open", "control", 1.5, "outdoor thermostat",
        repair="outdoor-thermostat", proof="volts-at-each-coil",
    ),
    _mode(
        "outdoor-thermostat.stuck-closed", "stuck", 0.3, "outdoor thermostat",
        repair="outdoor-thermostat", proof="open-above-setting",
    ),
    _mode("conductor.off", "control", 0.8, "ends", LOST_END, repair="repair-cable", proof="volts-at-each-coil"),
    # Between the walls a staple or an edge rubs through; to ground only where the common is grounded does it tell.
    _mode("conductor.shorted", "short", 0.8, "fuse", SHORTED, repair="find-rubbed-wire", proof="volts-at-each-coil"),
    _mode(
        "conductor.grounded", "short", 0.6, "fuse",
        {"rubbed-wires": 4.0, "conductor-shorted": 10.0},
        repair="find-rubbed-wire", proof="volts-at-each-coil",
    ),
    # Wrong landings are rarer than wear, but last for years: nobody complains in the season that hides them.
    _mode("o-and-b.exchanged", "control", 0.4, "ends", repair="land-o-and-b", proof="reversing-valve-in-its-mode"),
    _mode("w-to-y.joined", "stuck", 0.8, repair="take-jumper-out", proof="no-strip-with-cooling"),
    # Blower: the motor, what starts it, what switches it.
    _mode(
        "motor.open", "blower", 3.0, "motor", OPENED | {"jumper-still": 25.0},
        repair="replace-motor", proof="four-rows",
    ),
    _mode(
        "motor.seized", "blower", 1.5, "motor", {"hums": 20.0, "jumper-still": 25.0, "stiff": 20.0, "side-play": 4.0},
        repair="free-or-replace-motor", proof="four-rows",
    ),
    _mode(
        "motor.weak-capacitor", "blower", 1.5, "capacitor",
        {"hums": 15.0, "jumper-still": 25.0, "capacitor-out": 40.0},
        repair="replace-capacitor", proof="four-rows",
    ),
    _mode(
        "blower-lead.off", "blower", 0.6, "ends", LOST_END | {"jumper-still": 6.0},
        repair="new-end", proof="four-rows",
    ),
    _mode("relay-coil.open", "blower", 2.5, "relay", OPENED | RELAY, repair="replace-relay", proof="four-rows"),
    _mode(
        "relay-coil.shorted", "short", 1.2, "relay", SHORTED | RELAY,
        repair="replace-relay-and-fuse", proof="control-current",
    ),
    _mode("relay-lead.off", "blower", 0.5, "ends", LOST_END | RELAY, repair="new-end", proof="four-rows"),
    _mode("relay-contact.open", "blower", 2.0, "relay", OPENED | RELAY, repair="replace-relay", proof="four-rows"),
    _mode("relay-contact.welded", "blower", 1.2, "relay", OPENED | RELAY, repair="replace-relay", proof="four-rows"),
    # A time-delay module fails now and then before it fails for good: ten starts, counted, tell.
    _mode(
        "delay.erratic", "blower", 2.0, "relay", RELAY | {"clicks": 6.0, "bad-start": 12.0}, shows="now and then",
        repair="replace-module", proof="ten-good-starts",
    ),
    # Wrong interlocks of docs/trade.md, section 1: made at the last replacement, so no sign speaks for them.
    _mode("interlock.plain-wire", "stuck", 0.4, repair="land-interlock", proof="four-rows-and-strips"),
    _mode("interlock.com-on-leg", "stuck", 0.4, repair="land-interlock", proof="four-rows-and-strips"),
    _mode("interlock.across-legs", "supply", 0.3, repair="land-interlock", proof="four-rows-and-strips"),
    _mode("interlock.fixed-and-no-exchanged", "blower", 0.4, repair="land-interlock", proof="four-rows-and-strips"),
    # Little air is no part's fault, and behind most limits that open.
    _mode(
        "air.little", "weak", 2.0, "filter",
        {"filter-dirty": 6.0, "coil-dirty": 5.0, "wheel-dirty": 5.0, "cover-missing": 2.0, "clicks": 4.0,
         "loose-hub": 6.0},
        shows="now and then", repair="clear-the-air", proof="no-limit-opens",
    ),
)  # fmt: skip
MODES: Mapping[str, Mode] = {row.id: row for row in _ROWS}
