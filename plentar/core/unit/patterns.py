"""Wiring patterns: complete, correct units to start a nameplate from.

Each is a plain function of nothing; `PATTERNS` names them as the example files do.
"""

from collections.abc import Callable, Mapping
from dataclasses import replace

from plentar.core.unit.nameplate import (
    Blower,
    BlowerRelay,
    BranchDevice,
    Conductor,
    Feed,
    HeatingCircuit,
    Nameplate,
    Pole,
    RelayPole,
    RungPart,
    SwitchingDevice,
    Transformer,
    Window,
    without_label,
)

__all__ = ["PATTERNS", "structure_of"]

FIRST_ON, FIRST_OFF = Window(min_seconds=10, max_seconds=60), Window(min_seconds=40, max_seconds=110)
SECOND_ON, SECOND_OFF = Window(min_seconds=15, max_seconds=90), Window(min_seconds=20, max_seconds=90)
POLE_FIRST: tuple[RungPart, ...] = ("pole", "limit", "element", "link")


def _feed(number: int, amps: float, size: str, feet: float = 40.0, *, breaker: bool = False) -> Feed:
    return Feed(
        id=f"feed-{number}",
        breaker_amps=amps,
        conductor=Conductor(metal="copper", size=size, length_feet=feet),
        at_unit="breaker" if breaker else "lugs",
        unit_device_amps=amps if breaker else None,
    )


def _strips(
    watts: float,
    feeds: list[str],
    uses: list[tuple[str, tuple[int, ...]]],
    order: tuple[RungPart, ...] = ("link", "element", "limit", "pole"),
) -> tuple[HeatingCircuit, ...]:
    return tuple(
        HeatingCircuit(
            id=f"strip-{letter}",
            rated_watts=watts,
            rated_volts=240.0,
            supplied_by=feed,
            device=device,
            poles=poles,
            order=order,
        )
        for letter, feed, (device, poles) in zip("abcdef", feeds, uses, strict=False)
    )


def _sequencer(letter: str, poles: int, fed_by: str = "W", *, auxiliary: bool = False) -> SwitchingDevice:
    windows = [(FIRST_ON, FIRST_OFF), (SECOND_ON, SECOND_OFF)]
    return SwitchingDevice(
        id=f"seq-{letter}",
        kind="sequencer",
        fed_by=fed_by,
        coil_ohms=48.0,
        poles=tuple(
            Pole(number=n, on_window=windows[min(n, 2) - 1][0], off_window=windows[min(n, 2) - 1][1])
            for n in range(1, poles + 1)
        ),
        auxiliary=Pole(number=9, rated_amps=3.0, on_window=SECOND_ON, off_window=SECOND_OFF) if auxiliary else None,
    )


def _spdt(strip: str, leg: str = "L2") -> BlowerRelay:
    return BlowerRelay(contacts=(RelayPole(com="blower", no=leg, nc=strip),))


def _psc(
    relay: BlowerRelay | None,
    *,
    amps: float = 3.0,
    feed: str = "feed-1",
    fixed: str = "L1",
    switched_by: tuple[str, int] | None = None,
    taps: tuple[str, ...] = (),
) -> Blower:
    return Blower(
        kind="psc",
        rated_amps=amps,
        supplied_by=feed,
        fixed_leg="L1" if fixed == "L1" else "L2",
        relay=relay,
        taps=taps,
        switched_by=switched_by[0] if switched_by else None,
        switched_by_pole=switched_by[1] if switched_by else 1,
        capacitor_microfarads=7.5,
    )


def _control(feed: str = "feed-1", *, va: float = 40.0, primary: float = 240.0, fuse: float = 3.0) -> Transformer:
    return Transformer(va=va, primary_volts=primary, supplied_by=feed, fuse_amps=fuse)


def two_strip_sequencer() -> Nameplate:
    """Two strips on one two-pole thermal sequencer, SPDT interlock on pole 1."""
    return Nameplate(
        nominal_volts=240.0,
        feeds=(_feed(1, 60.0, "6"),),
        devices=(_sequencer("a", 2),),
        circuits=_strips(5e3, ["feed-1"] * 2, [("seq-a", (1,)), ("seq-a", (2,))]),
        blower=_psc(_spdt("strip-a")),
        transformer=_control(),
        tons=2.5,
    )


def three_strip_dc_relay() -> Nameplate:
    """Three strips on single-pole DC heat relays with rectifier boards, two feeds."""
    devices = tuple(
        SwitchingDevice(
            id=f"relay-{letter}",
            kind="dc-relay",
            fed_by="W",
            poles=(Pole(number=1),),
            coil_ohms=560.0,
            rectifier="smoothed",
        )
        for letter in "abc"
    )
    return Nameplate(
        nominal_volts=240.0,
        feeds=(_feed(1, 60.0, "6"), _feed(2, 30.0, "10")),
        devices=devices,
        circuits=_strips(4.8e3, ["feed-1", "feed-1", "feed-2"], [(f"relay-{x}", (1,)) for x in "abc"], POLE_FIRST),
        blower=_psc(_spdt("strip-a", "L1"), fixed="L2"),
        transformer=_control(),
        tons=3.0,
    )


def wye_contactor() -> Nameplate:
    """Two 240 V strips on two legs of a 208Y/120 service, both legs broken by one two-pole contactor."""
    contactor = SwitchingDevice(
        id="contactor-a",
        kind="contactor",
        fed_by="W",
        coil_ohms=12.0,
        poles=(Pole(number=1, rated_amps=40.0), Pole(number=2, rated_amps=40.0)),
    )
    return Nameplate(
        nominal_volts=208.0,
        supply="wye",
        feeds=(_feed(1, 60.0, "6"),),
        devices=(contactor,),
        circuits=_strips(
            5e3, ["feed-1"] * 2, [("contactor-a", (1, 2))] * 2, ("pole", "link", "element", "limit", "pole")
        ),
        blower=_psc(BlowerRelay(contacts=(RelayPole(com="blower", no="L1", nc="strip-a"),)), fixed="L2"),
        transformer=_control(primary=208.0),
        tons=2.5,
    )


def four_strip_chained() -> Nameplate:
    """Four strips on two chained sequencers, a fan pole for the blower, two feeds with built-in breakers."""
    return Nameplate(
        nominal_volts=240.0,
        feeds=(_feed(1, 60.0, "6", breaker=True), _feed(2, 60.0, "6", breaker=True)),
        devices=(_sequencer("a", 3, auxiliary=True), _sequencer("b", 2, "seq-a")),
        circuits=_strips(
            5e3,
            ["feed-1", "feed-1", "feed-2", "feed-2"],
            [("seq-a", (2,)), ("seq-a", (3,)), ("seq-b", (1,)), ("seq-b", (2,))],
        ),
        blower=_psc(
            BlowerRelay(contacts=(RelayPole(com="blower", no="L2", nc="none"),)), amps=4.2, switched_by=("seq-a", 1)
        ),
        transformer=_control(va=60.0),
        tons=4.0,
    )


def one_strip_dpdt() -> Nameplate:
    """One strip; a DPDT blower relay, one pole for the fan call and one for the interlock, two speed taps."""
    return Nameplate(
        nominal_volts=240.0,
        feeds=(_feed(1, 30.0, "10"),),
        devices=(_sequencer("a", 1),),
        circuits=_strips(5e3, ["feed-1"], [("seq-a", (1,))], ("pole", "link", "element", "limit")),
        blower=_psc(
            BlowerRelay(
                contacts=(
                    RelayPole(com="L1", no="blower:high", nc="none"),
                    RelayPole(com="blower:low", no="none", nc="strip-a"),
                )
            ),
            fixed="L2",
            taps=("high", "low"),
            amps=2.6,
        ),
        transformer=_control(),
        tons=2.0,
    )


def two_strip_ac_relay() -> Nameplate:
    """Two strips on AC heat relays, a time-delay blower relay."""
    devices = tuple(
        SwitchingDevice(id=f"relay-{letter}", kind="ac-relay", fed_by="W", poles=(Pole(number=1),), coil_ohms=14.0)
        for letter in "ab"
    )
    return Nameplate(
        nominal_volts=240.0,
        feeds=(_feed(1, 60.0, "6"),),
        devices=devices,
        circuits=_strips(4e3, ["feed-1"] * 2, [("relay-a", (1,)), ("relay-b", (1,))]),
        blower=_psc(
            BlowerRelay(
                contacts=(RelayPole(com="blower", no="L2", nc="strip-a"),), on_delay_seconds=3.0, off_delay_seconds=90.0
            ),
            amps=3.4,
        ),
        transformer=_control(),
        tons=2.5,
    )


def three_strip_ecm() -> Nameplate:
    """Three strips on a three-pole sequencer, an ECM blower told by 24 V taps."""
    return Nameplate(
        nominal_volts=240.0,
        feeds=(_feed(1, 60.0, "6"), _feed(2, 30.0, "10")),
        devices=(_sequencer("a", 3),),
        circuits=_strips(4.8e3, ["feed-1", "feed-1", "feed-2"], [("seq-a", (n,)) for n in (1, 2, 3)]),
        blower=Blower(kind="ecm", rated_amps=4.3, supplied_by="feed-1", ecm_calls=("G", "W")),
        transformer=_control(),
        tons=3.5,
    )


def three_strip_fan_pole() -> Nameplate:
    """Three strips on one four-pole sequencer, whose first pole runs the blower; two feeds."""
    return Nameplate(
        nominal_volts=240.0,
        feeds=(_feed(1, 60.0, "6"), _feed(2, 30.0, "10")),
        devices=(_sequencer("a", 4),),
        circuits=_strips(4.8e3, ["feed-1", "feed-1", "feed-2"], [("seq-a", (n,)) for n in (2, 3, 4)]),
        blower=_psc(
            BlowerRelay(contacts=(RelayPole(com="blower", no="L2", nc="none"),)), amps=3.6, switched_by=("seq-a", 1)
        ),
        transformer=_control(),
        tons=3.0,
    )


def four_strip_staged() -> Nameplate:
    """Four strips staged on W and W2, one large feed divided by built-in breakers."""
    return Nameplate(
        nominal_volts=240.0,
        feeds=(_feed(1, 125.0, "1"),),
        branches=(
            BranchDevice(id="branch-1", feed="feed-1", rated_amps=60.0),
            BranchDevice(id="branch-2", feed="feed-1", rated_amps=60.0),
        ),
        devices=(_sequencer("a", 2), _sequencer("b", 2, "W2")),
        circuits=_strips(
            5e3,
            ["branch-1", "branch-1", "branch-2", "branch-2"],
            [("seq-a", (1,)), ("seq-a", (2,)), ("seq-b", (1,)), ("seq-b", (2,))],
        ),
        blower=_psc(_spdt("strip-a"), amps=4.0, feed="branch-1"),
        transformer=_control("branch-1"),
        outdoor_thermostat="W2",
        tons=4.0,
    )


def six_strip_chained() -> Nameplate:
    """Six strips on three chained sequencers, three feeds; what looks like breakers in the unit are switches."""
    feeds = tuple(
        Feed(
            id=f"feed-{n}",
            breaker_amps=60.0,
            at_unit="switch",
            conductor=Conductor(metal="copper", size="6", length_feet=55.0),
        )
        for n in (1, 2, 3)
    )
    return Nameplate(
        nominal_volts=240.0,
        feeds=feeds,
        devices=(
            _sequencer("a", 2, auxiliary=True),
            _sequencer("b", 2, "seq-a", auxiliary=True),
            _sequencer("c", 2, "seq-b"),
        ),
        circuits=_strips(
            5e3,
            ["feed-1", "feed-1", "feed-2", "feed-2", "feed-3", "feed-3"],
            [(f"seq-{x}", (n,)) for x in "abc" for n in (1, 2)],
        ),
        blower=_psc(_spdt("strip-a"), amps=5.1),
        transformer=_control(va=75.0, fuse=5.0),
        tons=5.0,
    )


PATTERNS: Mapping[str, Callable[[], Nameplate]] = {
    "two-strip-sequencer": two_strip_sequencer,
    "three-strip-dc-relay": three_strip_dc_relay,
    "wye-contactor": wye_contactor,
    "four-strip-chained": four_strip_chained,
    "one-strip-dpdt": one_strip_dpdt,
    "two-strip-ac-relay": two_strip_ac_relay,
    "three-strip-ecm": three_strip_ecm,
    "three-strip-fan-pole": three_strip_fan_pole,
    "four-strip-staged": four_strip_staged,
    "six-strip-chained": six_strip_chained,
}


def structure_of(plate: Nameplate) -> Nameplate:
    """Return a wiring without anybody's figures: what the circuit needs is assumed, all else is unknown.

    Source:
        docs/trade.md, section 4, step 2: a plate is read, not remembered.
    Example:
        >>> bare = structure_of(PATTERNS["two-strip-sequencer"]())
        >>> bare.rating_is_assumed("strip-a"), bare.feeds[0].breaker_amps, bare.transformer.fuse_amps
        (True, None, None)
    """
    relay = plate.blower.relay
    return replace(
        without_label(plate),
        feeds=tuple(Feed(id=feed.id, at_unit=feed.at_unit) for feed in plate.feeds),
        branches=tuple(replace(branch, rated_amps=None) for branch in plate.branches),
        devices=tuple(
            replace(
                device,
                poles=tuple(Pole(number=pole.number) for pole in device.poles),
                auxiliary=Pole(number=device.auxiliary.number) if device.auxiliary is not None else None,
                coil_ohms=None,
                holding_amps=None,
                rectifier=None,
            )
            for device in plate.devices
        ),
        blower=replace(
            plate.blower,
            relay=BlowerRelay(contacts=relay.contacts, id=relay.id, fed_by=relay.fed_by) if relay is not None else None,
            capacitor_microfarads=None,
        ),
        transformer=replace(plate.transformer, fuse_amps=None),
        assumed=(
            *(f"circuits[{i}].rated_{what}" for i in range(len(plate.circuits)) for what in ("watts", "volts")),
            *(
                f"devices[{i}].{contact}.rated_amps"
                for i, device in enumerate(plate.devices)
                for contact in (
                    *(f"poles[{j}]" for j in range(len(device.poles))),
                    *(["auxiliary"] if device.auxiliary is not None else []),
                )
            ),
            "blower.rated_amps",
            *(["blower.relay.rated_amps"] if relay is not None else []),
            "transformer.va",
        ),
    )
