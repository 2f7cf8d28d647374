"""What makes two units one circuit: the plate without what is a label, a rule, or too little for a meter to tell."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from string import ascii_lowercase

from plentar.core.circuit.drive import Drive
from plentar.core.unit.nameplate import Blower, BlowerRelay, Conductor, Feed, Nameplate, Pole, without_label
from plentar.core.unit.place import place_of, point_at, spot_of

__all__ = ["ByPosition", "by_position", "circuit_of", "renamed"]

# Half a foot of conductor either way is two hundredths of a volt under two strips: no meter tells.
FEET_STEP = 1.0
# What stands in where a rating does not count; a board that delays is another board, for however long.
USUAL_POLE_AMPS, USUAL_RELAY_AMPS, SOME_DELAY_SECONDS = 25.0, 12.0, 60.0


@lru_cache(maxsize=512)
def circuit_of(plate: Nameplate) -> Nameplate:
    """Return the plate as far as the circuit goes: whose it is, its windows and its ratings are rules, not circuit.

    Two units of one circuit share their solutions, whatever stands on their labels.

    Source:
        docs/architecture.md, The unit's table: sizes rounded to what no meter tells.
    """

    def plain(pole: Pole) -> Pole:
        return replace(pole, on_window=None, off_window=None, rated_amps=USUAL_POLE_AMPS)

    devices = tuple(
        replace(
            device,
            poles=tuple(map(plain, device.poles)),
            auxiliary=None if device.auxiliary is None else plain(device.auxiliary),
            holding_amps=None,
        )
        for device in plate.devices
    )
    # What a wire lies in, how a breaker opens and what hangs ahead of it are rules, not circuit.
    feeds = tuple(
        Feed(id=feed.id, breaker_amps=feed.breaker_amps, conductor=_rounded(feed.conductor)) for feed in plate.feeds
    )
    branches = tuple(replace(branch, opens=None) for branch in plate.branches)
    return replace(
        without_label(plate),
        assumed=(),
        feeds=feeds,
        branches=branches,
        circuits=tuple(replace(strip, lead_size=None, lead_degc=None) for strip in plate.circuits),
        shared=(),
        heat_pump=None,
        house=None,
        devices=devices,
        blower=replace(plate.blower, capacitor_microfarads=None, relay=_plain_relay(plate.blower.relay)),
    )


def _plain_relay(relay: BlowerRelay | None) -> BlowerRelay | None:
    if relay is None:
        return None
    delays = relay.on_delay_seconds or relay.off_delay_seconds
    return replace(
        relay,
        rated_amps=USUAL_RELAY_AMPS,
        on_delay_seconds=0.0,
        off_delay_seconds=SOME_DELAY_SECONDS if delays else 0.0,
    )


def _rounded(conductor: Conductor | None) -> Conductor | None:
    if conductor is None:
        return None
    feet = max(FEET_STEP, FEET_STEP * round(conductor.length_feet / FEET_STEP))
    return Conductor(metal=conductor.metal, size=conductor.size, length_feet=feet)


@dataclass(frozen=True, slots=True)
class ByPosition:
    """A circuit with its parts named by where they stand: what one shop calls `attic-heat` is another's `strip-b`."""

    circuit: Nameplate
    # Of each part that somebody named otherwise: its own name, and that of its position.
    names: Mapping[str, str]

    def place(self, text: str) -> str:
        """Return a place by position."""
        place = place_of(text)
        return str(replace(place, owner=self.names.get(place.owner, place.owner)))

    def point(self, text: str) -> str:
        """Return a point by position."""
        spot = spot_of(text)
        if spot.conductors:
            return point_at(spot.function, "+".join(map(self.place, spot.conductors)))
        return point_at(spot.function, *map(self.place, spot.places))

    def drive(self, drive: Drive) -> Drive:
        """Return a drive by position."""
        return replace(
            drive,
            dead_feeds=frozenset(map(self.place, drive.dead_feeds)),
            opened=frozenset(map(self.place, drive.opened)),
            waiting=frozenset(map(self.place, drive.waiting)),
        )


@lru_cache(maxsize=512)
def by_position(circuit: Nameplate) -> ByPosition:
    """Return a circuit, as `circuit_of` gives it, with its parts named by position: feed-1, strip-a, seq-a.

    Source:
        docs/architecture.md, The unit's table: kept for a circuit, whatever its parts are called.
    """
    named = {feed.id: f"feed-{number}" for number, feed in enumerate(circuit.feeds, 1)}
    named |= {branch.id: f"branch-{number}" for number, branch in enumerate(circuit.branches, 1)}
    letters = [*ascii_lowercase, *(f"{a}{b}" for a in ascii_lowercase for b in ascii_lowercase)]
    named |= {
        device.id: f"{'seq' if device.of_kind.is_thermal else device.kind.rpartition('-')[2]}-{letter}"
        for device, letter in zip(circuit.devices, letters, strict=False)
    }
    named |= {strip.id: f"strip-{letter}" for strip, letter in zip(circuit.circuits, letters, strict=False)}
    if circuit.blower.relay is not None:
        named[circuit.blower.relay.id] = "blower-relay"
    names = {own: standard for own, standard in named.items() if own != standard}
    return ByPosition(renamed(circuit, names) if names else circuit, names)


def renamed(circuit: Nameplate, names: Mapping[str, str]) -> Nameplate:
    """Return a circuit with other names for its parts, wherever one speaks of another."""

    def name(own: str) -> str:
        return names.get(own, own)

    return replace(
        circuit,
        feeds=tuple(replace(feed, id=name(feed.id)) for feed in circuit.feeds),
        branches=tuple(replace(b, id=name(b.id), feed=name(b.feed)) for b in circuit.branches),
        devices=tuple(replace(device, id=name(device.id), fed_by=name(device.fed_by)) for device in circuit.devices),
        circuits=tuple(
            replace(strip, id=name(strip.id), supplied_by=name(strip.supplied_by), device=name(strip.device))
            for strip in circuit.circuits
        ),
        transformer=replace(circuit.transformer, supplied_by=name(circuit.transformer.supplied_by)),
        blower=_renamed_blower(circuit.blower, name),
    )


def _renamed_blower(blower: Blower, name: Callable[[str], str]) -> Blower:
    relay = blower.relay
    if relay is not None:
        contacts = tuple(replace(c, com=name(c.com), no=name(c.no), nc=name(c.nc)) for c in relay.contacts)
        relay = replace(relay, id=name(relay.id), contacts=contacts)
    return replace(
        blower,
        supplied_by=name(blower.supplied_by),
        relay=relay,
        switched_by=None if blower.switched_by is None else name(blower.switched_by),
        plain_wire_to=None if blower.plain_wire_to is None else name(blower.plain_wire_to),
    )
