"""The shop's limits, with the field guide's section 3 as defaults. A figure printed on the equipment beats both."""

import math
from dataclasses import dataclass

from plentar.core.nameplate import Nameplate, Pole, Window
from plentar.core.verdicts import Band

__all__ = ["DEFAULT_RULES", "Rules"]

DEFAULT = "default"
# Relays and contactors pull in at once; this is what a person needs to press and look.
AT_ONCE = Window(min_seconds=0.0, max_seconds=5.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Rules:
    """Every limit a shop can change. Ratios are of the expected value; `source` names who set them."""

    element_amps: Band = Band(marginal_low=0.85, pass_low=0.90, pass_high=1.05, marginal_high=1.10, source=DEFAULT)
    dead_below_amps: float = 0.5
    half_dead_ratios: tuple[float, float] = (0.4, 0.6)
    implausible_ratio: float = 3.0
    like_elements_ratio: Band = Band.at_most(0.10, 0.20, DEFAULT)
    leg_difference_ratio: Band = Band.at_most(0.03, 0.10, DEFAULT)
    sag_ratio: Band = Band.at_most(0.03, 0.05, DEFAULT)
    control_volts: Band = Band(marginal_low=18.0, pass_low=20.4, pass_high=30.0, marginal_high=32.0, source=DEFAULT)
    rectified_ratio: Band = Band(
        marginal_low=0.5, pass_low=0.75, pass_high=1.45, marginal_high=math.inf, source=DEFAULT
    )
    closed_contact_volts: Band = Band.at_most(0.25, 1.0, DEFAULT)
    open_contact_ratio: float = 0.8
    blower_amps_ratio: Band = Band.at_most(1.00, 1.10, DEFAULT)
    on_window: Window = Window(min_seconds=0.0, max_seconds=90.0)
    late_ratio: float = 1.2
    did_not_close_ratio: float = 2.0

    def supply_band(self, nominal_volts: float) -> Band:
        """Return the supply's band [V]; 240 and 208 V are tabled, others scale from 240.

        Example:
            >>> DEFAULT_RULES.supply_band(208.0).pass_low
            197.0
        """
        if nominal_volts == 208.0:
            return Band(marginal_low=184.0, pass_low=197.0, pass_high=218.0, marginal_high=220.0, source=DEFAULT)
        at_240 = Band(marginal_low=212.0, pass_low=228.0, pass_high=252.0, marginal_high=254.0, source=DEFAULT)
        return at_240 if nominal_volts == 240.0 else at_240.scaled(nominal_volts / 240.0)

    def closing_window(self, plate: Nameplate, device_id: str, pole: Pole | None) -> Window:
        """Return the seconds after the thermostat's call in which a pole is to close; chained stages add up."""
        device = plate.device(device_id)
        own = self._own_window(device.kind, pole)
        if device.fed_by in ("W", "W2"):
            return own
        before = self.closing_window(plate, device.fed_by, plate.device(device.fed_by).auxiliary)
        return Window(
            min_seconds=own.min_seconds + before.min_seconds, max_seconds=own.max_seconds + before.max_seconds
        )

    def _own_window(self, kind: str, pole: Pole | None) -> Window:
        if pole is not None and pole.on_window is not None:
            return pole.on_window
        return self.on_window if kind == "sequencer" else AT_ONCE


DEFAULT_RULES = Rules()
