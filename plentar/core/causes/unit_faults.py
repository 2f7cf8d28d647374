"""The faults of a unit as a whole: its feeds, its control side, its blower and interlock."""

from collections.abc import Iterator

from plentar.core.causes.fault import OFF, Fault, Takes, make_fault
from plentar.core.circuit.changes import Changes
from plentar.core.circuit.network import Circuit
from plentar.core.said import Words, said
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of
from plentar.core.unit.points import part_words

__all__ = ["air_faults", "blower_faults", "control_faults", "supply_faults"]


# Three sizes of wire too small: each has 1.6 times the ohms of the one before.
THIN_RATIO = 4.0


def _thin(circuit: Circuit, feed: str) -> dict[str, float]:
    at = {branch.id: branch.ohms.real for branch in circuit.branches}
    return {leg: THIN_RATIO * at[f"{feed}.conductor-{leg}"] for leg in ("l1", "l2")}


def supply_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    for feed in plate.feeds:
        name = feed.id
        words = "Feed" if len(plate.feeds) == 1 else part_words(name)
        legs = ("l1",) if plate.has_neutral else ("l1", "l2")
        poles = {leg: f"{name}.breaker-{leg}" for leg in legs}
        for leg, pole in poles.items():
            yield make_fault(
                f"{pole}.open",
                said("unit_faults.lost-breaker", feed=words, leg=leg.upper()),
                "supply",
                1.5,
                Changes(forced={pole: False}),
                repair=said("unit_faults.replace-breaker-look-stab"),
                proof=said("unit_faults.both-legs-ground-across"),
            )
            yield make_fault(
                f"{name}.disconnect-{leg}.open",
                said("unit_faults.open-disconnect", feed=words, leg=leg.upper()),
                "supply",
                0.6,
                Changes(forced={f"{name}.disconnect-{leg}": False}),
                repair=said("unit_faults.replace-pull-out-fuse"),
                proof=said("unit_faults.both-legs-ground-across-behind"),
            )
            yield make_fault(
                f"{name}.lug-{leg}.loose",
                said("unit_faults.lug-stab-high-resistance", feed=words, leg=leg.upper()),
                "weak",
                0.8,
                *(Changes(ohms={f"{name}.conductor-{leg}": (r, r)}) for r in (0.35, 1.0)),
                takes="ends",
                repair=said("unit_faults.clean-new-end-torque"),
                proof=said("unit_faults.sag-under-load-band"),
            )
        yield make_fault(
            f"{name}.wire.too-small",
            said("unit_faults.wire-too-small-load", feed=words),
            "weak",
            0.4,
            Changes(ohms={f"{name}.conductor-{leg}": (r, r) for leg, r in _thin(circuit, name).items()}),
            repair=said("unit_faults.wire-breaker-sized-load-local"),
            proof=said("unit_faults.sag-under-load-band"),
        )
        yield make_fault(
            f"{name}.breaker.weak",
            said("unit_faults.breaker-weak-too-small-trips", feed=words),
            "supply",
            1.2,
            Changes(trips_at=dict.fromkeys(poles.values(), 0.4 * (feed.breaker_amps or 60.0))),
            repair=said("unit_faults.replace-one-rating-plate-never"),
            proof=said("unit_faults.holds-every-strip-cool-hand"),
            shows="now and then",
        )
        yield make_fault(
            f"{name}.breaker.off",
            said("unit_faults.dead-breaker-off-tripped", feed=words),
            "supply",
            3.0,
            Changes(forced=dict.fromkeys(poles.values(), False)),
            repair=said("unit_faults.find-why-was-off-then"),
            proof=said("unit_faults.volts-amps-everything"),
        )
    for branch in plate.branches:
        legs = ("l1",) if plate.has_neutral else ("l1", "l2")
        for leg in legs:
            yield make_fault(
                f"{branch.id}.{leg}-pole.open",
                said("unit_faults.pole-open", part=part_words(branch.id), leg=leg.upper()),
                "supply",
                1.0,
                Changes(forced={f"{branch.id}.{leg}-pole": False}),
                repair=said("unit_faults.replace-built-breaker"),
                proof=said("unit_faults.volts-behind"),
            )
        yield make_fault(
            f"{branch.id}.off",
            said("unit_faults.off-tripped", part=part_words(branch.id)),
            "supply",
            1.5,
            Changes(forced={f"{branch.id}.{leg}-pole": False for leg in legs}),
            repair=said("unit_faults.find-why-was-off-then"),
            proof=said("unit_faults.volts-behind"),
        )


def control_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    proof = said("unit_faults.24-v-each-coil-under")
    port = next(p for p in circuit.two_ports if p.id == "transformer")
    yield make_fault(
        "transformer.dead",
        said("unit_faults.transformer-dead"),
        "control",
        3.0,
        Changes(ratio={"transformer": 0.0}),
        takes="transformer",
        repair=said("unit_faults.replace-transformer-find-what-overloaded"),
        proof=proof,
    )
    for factor, which in ((208 / 240, "low"), (240 / 208, "high")):
        yield make_fault(
            f"transformer.wrong-tap-{which}",
            said(f"unit_faults.wrong-tap-{which}"),
            "control",
            0.4,
            Changes(ratio={port.id: factor}),
            repair=said("unit_faults.move-tap-supply"),
            proof=proof,
        )
    yield make_fault(
        "fuse.open",
        said("unit_faults.control-fuse-open"),
        "control",
        4.0,
        Changes(forced={"fuse": False}),
        takes="fuse",
        repair=said("unit_faults.find-short-then-replace-fuse"),
        proof=proof,
    )
    for lead, words in (
        ("transformer.lead-1", said("unit_faults.primary-lead-l1")),
        ("transformer.lead-2", said("unit_faults.primary-lead-l2")),
        ("transformer.lead-c", said("unit_faults.common-lead")),
    ):
        yield make_fault(
            f"{lead}.off",
            said("unit_faults.transformer-off", lead=words),
            "control",
            0.4,
            Changes(split={lead: OFF}),
            takes="ends",
            repair=said("unit_faults.new-end"),
            proof=proof,
        )
    yield make_fault(
        "thermostat.lead-r.off",
        said("unit_faults.r-thermostat-broken"),
        "control",
        1.0,
        Changes(forced={"thermostat.lead-r": False}),
        takes="ends",
        repair=said("unit_faults.repair-cable"),
        proof=proof,
    )
    yield make_fault(
        "thermostat.lead-c.off",
        said("unit_faults.common-missing-thermostat"),
        "control",
        0.8,
        Changes(split={"thermostat.lead-c": OFF}),
        takes="ends",
        repair=said("unit_faults.land-repair-common-conductor"),
        proof=said("unit_faults.24-v-from-r-c"),
    )
    if plate.outdoor_thermostat is not None:
        yield make_fault(
            "outdoor-thermostat.stuck-open",
            said("unit_faults.outdoor-thermostat-holds-open", outdoor_thermostat=plate.outdoor_thermostat),
            "control",
            1.5,
            Changes(forced={"outdoor-thermostat": False}),
            takes="outdoor thermostat",
            repair=said("unit_faults.replace-take-out-where-house"),
            proof=proof,
        )
        yield make_fault(
            "outdoor-thermostat.stuck-closed",
            said("unit_faults.outdoor-thermostat-never-opens", outdoor_thermostat=plate.outdoor_thermostat),
            "stuck",
            0.3,
            Changes(forced={"outdoor-thermostat": True}),
            takes="outdoor thermostat",
            repair=said("unit_faults.replace-take-out-where-house"),
            proof=said("unit_faults.open-above-setting"),
        )
    if "Y" in plate.calls:
        yield make_fault(
            "thermostat.o-and-b.exchanged",
            said("unit_faults.o-b-exchanged"),
            "control",
            0.4,
            Changes(moved={"thermostat.lead-o": "board.b"}),
            takes="ends",
            repair=said("unit_faults.land-o-b-as-outdoor"),
            proof=said("unit_faults.24-v-reversing-valve-own"),
        )
    for call in plate.calls:
        name = call.lower()
        yield make_fault(
            f"thermostat.{name}.not-calling",
            said("unit_faults.thermostat-does-not-call", call=call),
            "control",
            2.5 if call != "Y" else 0.3,
            Changes(forced={f"thermostat.{name}": False}),
            takes="thermostat",
            repair=said("unit_faults.thermostat-setting"),
            proof=proof,
        )
        yield make_fault(
            f"thermostat.{name}.always-calling",
            said("unit_faults.thermostat-always-calls", call=call),
            "stuck",
            1.5 if call != "Y" else 0.3,
            Changes(forced={f"thermostat.{name}": True}),
            takes="thermostat",
            repair="thermostat",
            proof=said("unit_faults.no-24-v-without-call"),
        )
        yield make_fault(
            f"thermostat.lead-{name}.off",
            said("unit_faults.conductor-broken-off", call=call),
            "control",
            0.8 if call != "Y" else 0.2,
            Changes(split={f"thermostat.lead-{name}": OFF}),
            takes="ends",
            repair=said("unit_faults.repair-cable"),
            proof=proof,
        )
        yield make_fault(
            f"control.{name}.shorted",
            said("unit_faults.shorted-common", call=call),
            "short",
            0.8,
            Changes(ohms={f"control.short-{name}": (0.8, 0.8)}),
            takes="fuse",
            repair=said("unit_faults.find-rubbed-wire"),
            proof=proof,
        )
        if plate.transformer.grounded_common:
            yield make_fault(
                f"control.{name}.grounded",
                said("unit_faults.conductor-ground", call=call),
                "short",
                0.6,
                Changes(ohms={f"control.ground-{name}": (0.8, 0.8)}),
                takes="fuse",
                repair=said("unit_faults.find-rubbed-wire"),
                proof=proof,
            )
    if "Y" in plate.calls:
        yield make_fault(
            "control.w-to-y.joined",
            said("unit_faults.strips-jumpered-cooling-call"),
            "stuck",
            0.8,
            Changes(ohms={"control.w-to-y": (0.05, 0.05)}),
            repair=said("unit_faults.take-jumper-out"),
            proof=said("unit_faults.no-strip-y-alone"),
        )


def blower_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    motors = {branch.id: branch for branch in circuit.branches if branch.id in circuit.motors}
    proof = said("unit_faults.blower-four-rows-g-w")
    yield make_fault(
        "blower.motor.open",
        said("unit_faults.blower-motor-open"),
        "blower",
        3.0,
        Changes(ohms=dict.fromkeys(motors, (OFF, OFF))),
        takes="motor",
        repair=said("unit_faults.replace-motor"),
        proof=proof,
    )
    weak: tuple[tuple[str, float, Words, Words, Takes], ...] = (
        # A rotor that stands draws some four and a half times its amps; half a capacitor a quarter more.
        ("seized", 0.22, said("unit_faults.seized"), said("unit_faults.free-replace"), "motor"),
        (
            "weak-capacitor",
            0.8,
            said("unit_faults.weak-run-capacitor"),
            said("unit_faults.replace-capacitor"),
            "capacitor",
        ),
    )
    for name, share, words, fix, takes in weak:
        yield make_fault(
            f"blower.motor.{name}",
            said("unit_faults.blower-motor", what=words),
            "blower",
            1.5,
            Changes(ohms={n: (b.ohms * share, b.dc_ohms) for n, b in motors.items()}),
            takes=takes,
            repair=fix,
            proof=proof,
        )
    yield make_fault(
        "blower.lead-fixed.off",
        said("unit_faults.blowers-fixed-lead-off"),
        "blower",
        0.6,
        Changes(split={"blower.lead-fixed": OFF}),
        takes="ends",
        repair=said("unit_faults.new-end"),
        proof=proof,
    )
    relay = plate.blower.relay
    if relay is None:
        return
    coil = f"{relay.id}.coil"
    plain = next(branch for branch in circuit.branches if branch.id == coil)
    yield make_fault(
        f"{coil}.open",
        said("unit_faults.blower-relay-coil-open"),
        "blower",
        2.5,
        Changes(ohms={coil: (OFF, OFF)}),
        takes="relay",
        repair=said("unit_faults.replace-relay"),
        proof=proof,
    )
    yield make_fault(
        f"{coil}.shorted",
        said("unit_faults.blower-relay-coil-shorted"),
        "short",
        1.2,
        *(Changes(ohms={coil: (plain.ohms * s, plain.dc_ohms * s)}) for s in (0.04, 0.15)),
        takes="relay",
        repair=said("unit_faults.replace-relay-fuse"),
        proof=said("unit_faults.control-current-below-80-transformer"),
    )
    if relay.on_delay_seconds or relay.off_delay_seconds:
        own = [contact.id for contact in circuit.contacts if contact.driver == f"relay:{relay.id}"]
        yield make_fault(
            f"{relay.id}.delay.erratic",
            said("unit_faults.time-delay-module-erratic"),
            "blower",
            2.0,
            Changes(forced={name: place_of(name).part.startswith("nc") for name in own}),
            takes="relay",
            repair=said("unit_faults.replace-module"),
            proof=said("unit_faults.ten-good-starts-ten"),
            shows="now and then",
        )
    for lead in circuit.leads:
        if place_of(lead.id).owner == relay.id:
            yield make_fault(
                f"{lead.id}.off",
                said("unit_faults.blower-relay-lead-off", lead_words=_lead_words(place_of(lead.id).part)),
                "blower",
                0.5,
                Changes(split={lead.id: OFF}),
                takes="ends",
                repair=said("unit_faults.new-end"),
                proof=proof,
            )
    used = {contact.id for contact in circuit.contacts}
    landed = {lead.a for lead in circuit.leads}
    for name in sorted(used):
        if place_of(name).owner != relay.id or name not in landed:
            continue
        label = place_of(name).part.upper()
        yield make_fault(
            f"{name}.open",
            said("unit_faults.blower-relay-never-closes", label=label),
            "blower",
            2.0,
            Changes(forced={name: False}),
            takes="relay",
            repair=said("unit_faults.replace-relay"),
            proof=proof,
        )
        yield make_fault(
            f"{name}.welded",
            said("unit_faults.blower-relay-welded", label=label),
            "blower",
            1.2,
            Changes(forced={name: True}),
            takes="relay",
            repair=said("unit_faults.replace-relay"),
            proof=proof,
        )
    if "interlock.jumper" in {branch.id for branch in circuit.branches}:
        yield from _miswired(plate, circuit, relay.id)


def _lead_words(part: str) -> Words:
    name = part.removeprefix("lead-")
    own: dict[str, Words] = {"coil": said("unit_faults.coils-call"), "common": said("unit_faults.coils-common")}
    return own.get(name, name.upper().replace("-", " "))


def _miswired(plate: Nameplate, circuit: Circuit, relay: str) -> Iterator[Fault]:
    """The wrong interlocks of docs/trade.md, section 1, all but NC left open, which is its lead off."""
    contact = plate.blower.relay.contacts[0] if plate.blower.relay else None
    if contact is None or contact.com != "blower" or contact.no not in ("L1", "L2"):
        return
    supply = plate.blower.supplied_by
    leg, other = (f"{supply}.{name.lower()}" for name in ((contact.no, "L1" if contact.no == "L2" else "L2")))
    com, no, nc = (f"{relay}.lead-{name}" for name in ("com", "no", "nc"))
    fix = said("unit_faults.land-blower-com-no-poles")
    proof = said("unit_faults.blower-four-rows-strips-only")
    yield make_fault(
        "interlock.plain-wire",
        said("unit_faults.plain-wire-from-strip-blower"),
        "stuck",
        0.4,
        Changes(ohms={"interlock.jumper": (0.01, 0.01)}),
        repair=fix,
        proof=proof,
    )
    yield make_fault(
        "interlock.com-on-leg",
        said("unit_faults.interlock-com-leg-nc-strip"),
        "stuck",
        0.4,
        Changes(moved={com: leg, no: "blower.run"}),
        repair=fix,
        proof=proof,
    )
    yield make_fault(
        "interlock.across-legs",
        said("unit_faults.interlock-com-one-leg-nc"),
        "supply",
        0.3,
        Changes(moved={com: leg, nc: other, no: "blower.run"}),
        repair=fix,
        proof=proof,
    )
    yield make_fault(
        "interlock.fixed-and-no-exchanged",
        said("unit_faults.interlock-fixed-lead-no-exchanged"),
        "blower",
        0.4,
        Changes(moved={"blower.lead-fixed": leg, no: other}),
        repair=fix,
        proof=proof,
    )


def air_faults(plate: Nameplate, circuit: Circuit) -> Iterator[Fault]:
    limits = {contact.id: False for contact in circuit.contacts if contact.moved_by[0] == "limit"}
    # A PSC motor that moves less air draws less.
    motors = {b.id: (b.ohms * 1.25, b.dc_ohms) for b in circuit.branches if b.id in circuit.motors}
    if limits:
        yield make_fault(
            "air.little",
            said("unit_faults.little-air-filter-coil-wheel"),
            "weak",
            2.0,
            Changes(forced=limits, ohms=motors if plate.blower.kind == "psc" else {}),
            takes="filter",
            repair=said("unit_faults.clean-filter-coil-wheel-set"),
            proof=said("unit_faults.no-limit-opens-ten-minutes"),
            shows="now and then",
        )
