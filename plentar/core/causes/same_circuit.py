"""What makes two units one circuit: the plate without what is a label, a rule, or too little for a meter to tell."""

from dataclasses import replace
from functools import lru_cache

from plentar.core.unit.nameplate import Conductor, Nameplate, Pole

__all__ = ["circuit_of"]

# Half a foot of conductor either way is two hundredths of a volt under two strips: no meter tells.
FEET_STEP = 1.0
# What stands in where a rating does not count.
USUAL_POLE_AMPS = 25.0


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
    feeds = tuple(
        replace(feed, unit_device_amps=None, at_unit="lugs", conductor=_rounded(feed.conductor)) for feed in plate.feeds
    )
    return replace(
        plate,
        maker="",
        model="",
        serial="",
        built="",
        tons=None,
        minimum_circuit_amps=None,
        maximum_device_amps=None,
        feeds=feeds,
        devices=devices,
        blower=replace(plate.blower, capacitor_microfarads=None),
    )


def _rounded(conductor: Conductor | None) -> Conductor | None:
    if conductor is None:
        return None
    return replace(conductor, length_feet=max(FEET_STEP, FEET_STEP * round(conductor.length_feet / FEET_STEP)))
