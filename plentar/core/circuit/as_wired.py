"""What is wrong with a unit just as its plate has it wired: every part sound, and still no interlock."""

import math
from functools import lru_cache

from plentar.core.circuit.drive import Drive
from plentar.core.circuit.network import HOT_AMPS
from plentar.core.circuit.outcomes import AIRLESS, CALLS, CallOutcome, wrong_of
from plentar.core.circuit.plain import PlainSettled, solve_one
from plentar.core.circuit.wiring import wire
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import amps_at, place_of

__all__ = ["wired_wrong"]

# What a motor passes on through a strip is more than a meter's noise from here on [A].
TRICKLE_AMPS = 0.3
# A motor with less than this of the line is off; in series with a strip it keeps most of it, running nearly all.
OFF_SHARE, RUNS_SHARE = 0.05, 0.93
# As bad as heat without air, and told after it; a back-feed is worse.
PLAIN_WIRE = AIRLESS


@lru_cache(maxsize=256)
def wired_wrong(plate: Nameplate) -> tuple[Text, ...]:
    """Return what a unit does that none should, by its wiring alone, worst first; nothing where it is right.

    A plain wire to a sequencer's own blower pole is right; one from a strip's load side to the motor is not. An
    electronic motor has no line relay: whether its heat call reaches it is the thermostat's setting.

    Source:
        docs/trade.md, section 1, Interlock: heat never without blower, blower never makes heat.
    """
    if plate.blower.kind != "psc":
        return ()
    # Every stage at once: a second one without the first is no call that a thermostat makes.
    rows = [frozenset(calls | ({"W2"} if "W" in calls and "W2" in plate.calls else set())) for calls in CALLS]
    none, heat, fan, both = (_outcome(plate, calls) for calls in rows)
    rated_amps = plate.blower.relay.rated_amps if plate.blower.relay is not None else math.inf
    found = wrong_of(none, heat, fan, both, rated_amps)
    if plate.blower.relay is None or plate.blower.relay.fed_by != "G":
        # Built for heat alone: a fan call has nothing to drive.
        found = [entry for entry in found if entry[1] != message("interlock.fan-call-does-not-run")]
    if "W2" in plate.calls and (first := _outcome(plate, frozenset({"W"}))).strip == "heats" and first.blower != "runs":
        # The first stage is called by itself most of the time: its strips carry the interlock, or none does.
        words = message("interlock.heat-without-air", when=message("interlock.called", calls="W"))
        found = [entry for entry in found if entry[0] != AIRLESS] + [(AIRLESS, words)]
    if plate.blower.plain_wire_to is not None:
        # With both legs switched nothing heats; the strip's ends are live all the same, with no contact between.
        strip = plate.circuit(plate.blower.plain_wire_to)
        found.append((PLAIN_WIRE, message("interlock.plain-wire", strip=strip.name)))
    found.sort(key=lambda entry: -entry[0])
    return tuple(words for _, words in found)


def _outcome(plate: Nameplate, calls: frozenset[str]) -> CallOutcome:
    settled = solve_one(wire(plate), Drive(calls=calls))
    strips = max(settled.amps(amps_at(circuit.id)) for circuit in plate.circuits)
    taps = plate.blower.taps or ("run",)
    across = max(abs(settled.at("blower.fixed") - settled.at(f"blower.{tap}")) for tap in taps)
    line = abs(settled.at(f"{plate.blower.supplied_by}.l1") - settled.at(f"{plate.blower.supplied_by}.l2"))
    contacts = _relay_amps(plate, settled)
    contact = max(contacts, key=lambda name: contacts[name], default="")
    return CallOutcome(
        calls=calls,
        blower="off" if across < OFF_SHARE * plate.nominal_volts else "runs" if across > RUNS_SHARE * line else "slow",
        strip="heats" if strips > HOT_AMPS else "trickles" if strips > TRICKLE_AMPS else "off",
        is_short=bool(settled.tripped),
        contact_amps=contacts.get(contact, 0.0),
        contact=place_of(contact).part.upper() if contact else "",
        taps_joined=len(taps) > 1 and _are_joined(plate, settled),
    )


def _relay_amps(plate: Nameplate, settled: PlainSettled) -> dict[str, float]:
    relay = plate.blower.relay.id if plate.blower.relay is not None else ""
    own = [contact.id for contact in settled.circuit.contacts if relay and contact.owner == relay]
    return {name: settled.through(name) for name in own}


def _are_joined(plate: Nameplate, settled: PlainSettled) -> bool:
    """Tell whether two taps stand at the same volts while the motor is fed: one wire or one contact joins them."""
    volts = [settled.at(f"blower.{tap}") for tap in plate.blower.taps]
    fed = abs(settled.at("blower.fixed") - volts[0]) > OFF_SHARE * plate.nominal_volts
    return fed and max(abs(a - volts[0]) for a in volts[1:]) < 1.0
