"""A unit of nothing but strips, a blower and one feed: what a calculator works on, where no plate was read."""

from collections.abc import Sequence

from plentar.core.errors import NameplateError
from plentar.core.unit.nameplate import (
    Blower,
    BlowerRelay,
    HeatingCircuit,
    Nameplate,
    Pole,
    RelayPole,
    SwitchingDevice,
    Transformer,
)
from plentar.core.unit.supply_path import Feed
from plentar.core.unit.warmth import HeatPumpPlate, HousePlate

__all__ = ["bare_unit"]

MOST_STRIPS, STAGE_POLES = 8, 4
# A contact that is no part of the question.
LARGE_AMPS = 1000.0


def bare_unit(
    watts: Sequence[float],
    *,
    feed: Feed | None = None,
    rated_volts: float = 240.0,
    nominal_volts: float = 240.0,
    blower_amps: float = 3.0,
    minimum_circuit_amps: float | None = None,
    maximum_device_amps: float | None = None,
    heat_pump: HeatPumpPlate | None = None,
    house: HousePlate | None = None,
) -> Nameplate:
    """Return a unit with these strips [W] on one feed.

    Raises:
        NameplateError: No strips or more than eight, or a figure that cannot be; `field` names it.
    Example:
        >>> [strip.id for strip in bare_unit([5000.0, 5000.0]).circuits]
        ['strip-a', 'strip-b']
    """
    if not 1 <= len(watts) <= MOST_STRIPS:
        raise NameplateError(f"expected 1 to {MOST_STRIPS} strips, got {len(watts)}", field="watts")
    feed = feed or Feed(id="feed-1")
    stages = range(0, len(watts), STAGE_POLES)
    devices = tuple(
        SwitchingDevice(
            id=f"seq-{'ab'[stage // STAGE_POLES]}",
            kind="sequencer",
            fed_by="W",
            poles=tuple(Pole(number=n, rated_amps=LARGE_AMPS) for n in range(1, STAGE_POLES + 1)),
        )
        for stage in stages
    )
    circuits = tuple(
        HeatingCircuit(
            id=f"strip-{'abcdefgh'[index]}",
            rated_watts=one,
            rated_volts=rated_volts,
            supplied_by=feed.id,
            device=devices[index // STAGE_POLES].id,
            poles=(index % STAGE_POLES + 1,),
        )
        for index, one in enumerate(watts)
    )
    return Nameplate(
        nominal_volts=nominal_volts,
        supply="wye" if nominal_volts == 208.0 else "split-phase",
        feeds=(feed,),
        devices=devices,
        circuits=circuits,
        blower=Blower(
            kind="psc",
            rated_amps=blower_amps,
            supplied_by=feed.id,
            relay=BlowerRelay(contacts=(RelayPole(com="blower", no="L2", nc="strip-a"),)),
        ),
        transformer=Transformer(va=40.0, primary_volts=nominal_volts, supplied_by=feed.id, fuse_amps=3.0),
        minimum_circuit_amps=minimum_circuit_amps,
        maximum_device_amps=maximum_device_amps,
        heat_pump=heat_pump,
        house=house,
    )
