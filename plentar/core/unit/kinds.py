"""The kinds of device that switch a strip: one row each, and all that depends on the kind is asked here.

A new kind is a new row. Its id stands in unit files and on the shelf, so it never changes.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from plentar.core.message import Message, Text, message

__all__ = ["KINDS", "MOST_POLES", "DeviceKind", "Kind", "kind_of"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """One kind of switching device.

    Attributes:
        id: The kind as unit files spell it.
        drive: What is driven: a heater, a coil, or an electronic input.
        short: Two or three letters for the symbol on the board.
        is_thermal: Moves late, by a warmed disc; may carry an auxiliary pole.
        is_rectified: Its coil is a DC coil behind a small rectifier fed with 24 VAC.
        most_poles: Poles it is built with at the most.
        coil_ohms: Its coil to an ohmmeter; `impedance_ohms` at 60 Hz with `power_factor`; pulls in at `pull_volts`.
        ohms_band: Marginal from, pass from, pass to, marginal to [ohm]; None where ohms of it mean nothing.
        ohms_why: Where that band is from, where docs/trade.md, section 3, has no row of its own.
        holding_amps: What holds it in at 24 V where nothing is printed [A].
        tab_inches: The usual width of its coil tabs [in].
        leak_ohms: Impedance across an open contact at 60 Hz [ohm]; infinite for metal contacts.
        drop_volts: Volts across a closed contact at its strip's rated amps [V]; zero for metal contacts.
    """

    id: str
    drive: Literal["heater", "coil", "input"]
    short: str
    is_thermal: bool = False
    is_rectified: bool = False
    most_poles: int
    coil_ohms: float
    impedance_ohms: float
    power_factor: float
    pull_volts: float = 15.6
    ohms_band: tuple[float, float, float, float] | None
    ohms_why: Text = ""
    holding_amps: float
    tab_inches: float = 0.25
    leak_ohms: float = math.inf
    drop_volts: float = 0.0

    @property
    def words(self) -> Message:
        """The kind as a technician says it."""
        return message(f"kind.{self.id}")

    @property
    def drive_words(self) -> Message:
        """What is driven, in a word."""
        return message(f"drive.{self.drive}")

    @property
    def driven_words(self) -> Message:
        """What is driven, with its article, for a sentence."""
        return message(f"kind.{self.id}.driven")

    def van(self, poles: int) -> Message:
        """What a counter would ask for."""
        return message(f"kind.{self.id}.van", poles=poles)

    @property
    def coil_function(self) -> Literal["volts", "dc_volts"]:
        """The meter's function at its own coil."""
        return "dc_volts" if self.is_rectified else "volts"


# Coil figures: docs/trade.md, section 3, ohms rows for the bands; the rest are typical of the trade's parts: a wound
# coil takes 6 to 9 VA, a sequencer's heater half an amp, a DC coil a few hundredths. Diagnosis allows 30 % around them.
_ROWS = (
    Kind(
        id="sequencer",
        drive="heater",
        short="Sq",
        is_thermal=True,
        most_poles=5,
        coil_ohms=48.0,
        impedance_ohms=48.0,
        power_factor=1.0,
        # A heater warms its disc from about 60 % of 24 V on; below, it never gets there.
        pull_volts=15.0,
        ohms_band=(12.0, 20.0, 120.0, math.inf),
        holding_amps=0.5,
    ),
    Kind(
        id="contactor",
        drive="coil",
        short="Con",
        most_poles=2,
        coil_ohms=12.0,
        impedance_ohms=62.0,
        power_factor=0.3,
        ohms_band=(3.6, 6.0, 25.0, math.inf),
        holding_amps=0.39,
    ),
    Kind(
        id="ac-relay",
        drive="coil",
        short="HR",
        most_poles=1,
        coil_ohms=14.0,
        impedance_ohms=75.0,
        power_factor=0.3,
        ohms_band=(3.6, 6.0, 250.0, math.inf),
        ohms_why=(message("kinds.built-as-small-contactor-as")),
        holding_amps=0.32,
    ),
    Kind(
        id="dc-relay",
        drive="coil",
        short="HR",
        is_rectified=True,
        most_poles=1,
        coil_ohms=560.0,
        impedance_ohms=560.0,
        power_factor=1.0,
        # Volts of direct current; a DC coil lets go and pulls in lower than an AC one.
        pull_volts=13.0,
        ohms_band=(120.0, 200.0, 1200.0, math.inf),
        holding_amps=0.05,
        # Smaller coil tabs than AC parts: docs/trade.md, section 1.
        tab_inches=0.1875,
    ),
    Kind(
        id="solid-state-relay",
        drive="input",
        short="SS",
        most_poles=2,
        # Electronics take some 15 mA at 24 V; an ohmmeter sees a diode.
        coil_ohms=1600.0,
        impedance_ohms=1600.0,
        power_factor=1.0,
        ohms_band=None,
        holding_amps=0.015,
        # Its snubber passes 4 mA at 240 V: behind an open strip a meter shows nearly line volts, a ghost.
        leak_ohms=60e3,
        # Two junctions, hot, under load; it becomes heat that wants a heat sink.
        drop_volts=1.2,
    ),
)
KINDS: Mapping[str, Kind] = {row.id: row for row in _ROWS}
if TYPE_CHECKING:
    DeviceKind = str
else:
    # A closed list to whoever reads a unit file, and to its schema.
    DeviceKind = Literal[tuple(KINDS)]

# The most poles any kind is built with.
MOST_POLES = max(kind.most_poles for kind in KINDS.values())


def kind_of(kind_id: str) -> Kind:
    """Return the kind with this id.

    Raises:
        KeyError: There is no such kind; a nameplate cannot hold one.
    Example:
        >>> kind_of("dc-relay").coil_function, kind_of("sequencer").drive, kind_of("contactor").most_poles
        ('dc_volts', 'heater', 2)
    """
    return KINDS[kind_id]
