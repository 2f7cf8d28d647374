"""The invented estate: who lives where, with which unit, and what they complain of today."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from plentar.core.unit.supply_path import Conductor, Disconnect, Feed, Lugs
from plentar.core.unit.warmth import HeatPumpPlate, HousePlate

__all__ = ["CALLS_TODAY", "DETACHED", "HISTORY", "MAKERS", "PEOPLE", "READ_THERE", "PlannedCall", "estate_pattern"]

# Each: key, name, e-mail, role.
PEOPLE = (
    ("maren", "Maren Oduya-Lisk", "maren@quillet.example", "lead"),
    ("teodor", "Teodor Brask", "teodor@quillet.example", "technician"),
)

# pattern → (maker, model); all invented
MAKERS = {
    "two-strip-sequencer": ("Veldane", "VK-30E"),
    "three-strip-dc-relay": ("Hasp & Tallow", "HT 14-DC"),
    "wye-contactor": ("Orrinwell", "OW-208C"),
    "four-strip-chained": ("Veldane", "VK-48E2"),
    "one-strip-dpdt": ("Orrinwell", "OW-1D"),
    "two-strip-ac-relay": ("Hasp & Tallow", "HT 8-AC"),
    "three-strip-ecm": ("Brackenau", "BK 42-M"),
    "four-strip-staged": ("Brackenau", "BK 48-S"),
    "six-strip-chained": ("Veldane", "VK-60E3"),
}

# place, town, pattern, occupant, access note
DETACHED = (
    (
        "8 Osier Lane",
        "Wender Falls",
        "four-strip-staged",
        "I. Maddoc",
        "Attic hatch in the hall; bring the long ladder.",
    ),
    (
        "31 Cobbler's Rise",
        "Wender Falls",
        "six-strip-chained",
        "P. and L. Ansgar",
        "Two panels, the second in the barn.",
    ),
    ("2 Netherby Bend", "Low Wender", "three-strip-dc-relay", "R. Quillan", ""),
    ("17 Saltgrass Row", "Low Wender", "wye-contactor", "Saltgrass Row house office", "Key at the desk."),
    ("5 Pewter Mill", "Low Wender", "four-strip-chained", "T. Hallivand", "Dog in the yard, friendly."),
)


# What was read at a place beside its wiring: 40 A on #10 for two strips that ask for 48.9 A; an old house and its pump.
READ_THERE: Mapping[str, Mapping[str, Any]] = {
    "17 Saltgrass Row": {
        "feeds": (
            Feed(
                id="feed-1",
                breaker_amps=40.0,
                opens="two-pole",
                conductor=Conductor(
                    metal="copper",
                    size="10",
                    length_feet=55.0,
                    insulation_degc=75,
                    terminals_degc=75,
                    ambient_degf=95.0,
                    carrying=2,
                    cable="single",
                ),
                disconnect=Disconnect(kind="pull-out", rated_amps=60.0, opens="two-pole"),
                lugs=Lugs(smallest="14", largest="2", marked_for="copper", strands="whole"),
            ),
        ),
    },
    "8 Osier Lane": {
        "heat_pump": HeatPumpPlate(
            at_47_btu_per_hour=36000,
            at_17_btu_per_hour=20000,
            watts_at_47=3100,
            watts_at_17=2700,
            stage_degf=35.0,
            is_used="yes",
        ),
        "house": HousePlate(design_btu_per_hour=95000, design_outdoor_degf=5.0, area_square_feet=2600, build="leaky"),
    },
}


def estate_pattern(number: int) -> str:
    """Return the wiring of one of the forty townhouses; end houses carry the larger units."""
    if number % 10 in (0, 1):
        return "three-strip-ecm"
    if number == 14:
        return "two-strip-sequencer"
    if number % 7 == 0:
        return "two-strip-ac-relay"
    return "one-strip-dpdt" if number % 9 == 5 else "two-strip-sequencer"


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedCall:
    """One of today's calls."""

    place: str
    technician: str
    hour: int
    minute: int
    complaint: str
    words: str = ""
    status: str = "planned"
    outdoor_degf: float | None = None
    indoor_degf: float | None = None


CALLS_TODAY = (
    PlannedCall(
        place="Tamarisk Court 14",
        technician="teodor",
        hour=8,
        minute=40,
        complaint="not enough heat",
        words="Never gets past 64 when it freezes.",
        status="open",
    ),
    PlannedCall(place="Tamarisk Court 21", technician="teodor", hour=10, minute=15, complaint="seasonal check"),
    PlannedCall(
        place="Tamarisk Court 5",
        technician="teodor",
        hour=11,
        minute=0,
        complaint="blower never stops",
        words="It hums day and night.",
    ),
    PlannedCall(
        place="2 Netherby Bend",
        technician="teodor",
        hour=13,
        minute=0,
        complaint="no heat",
        words="Blows cold since Sunday.",
    ),
    PlannedCall(place="17 Saltgrass Row", technician="teodor", hour=14, minute=45, complaint="breaker trips or hot"),
    PlannedCall(
        place="5 Pewter Mill",
        technician="maren",
        hour=8,
        minute=30,
        complaint="heat will not stop",
        words="Eighty-one upstairs with the thermostat off.",
    ),
    PlannedCall(
        place="8 Osier Lane",
        technician="maren",
        hour=10,
        minute=30,
        complaint="cold in defrost or on cold nights",
        words="Fine until Tuesday, then it never caught up.",
        outdoor_degf=2.0,
        indoor_degf=58.0,
    ),
    PlannedCall(place="31 Cobbler's Rise", technician="maren", hour=13, minute=30, complaint="not enough heat"),
    PlannedCall(place="Tamarisk Court 7", technician="maren", hour=16, minute=0, complaint="clicking, smell"),
)

# place, days ago, complaint, what became of it, strip that was dead before the repair (or none)
HISTORY = (
    ("Tamarisk Court 14", 362, "seasonal check", "Both strips within band. Filter changed.", ""),
    ("Tamarisk Court 14", 1044, "no heat", "Fusible link of strip A open; link replaced, cause not found.", ""),
    ("Tamarisk Court 5", 340, "blower dead", "Blower relay replaced.", ""),
    (
        "2 Netherby Bend",
        298,
        "not enough heat",
        "DC relay of strip C did not close; replaced, rectifier board kept.",
        "strip-c",
    ),
    ("17 Saltgrass Row", 410, "breaker trips or hot", "Lug at the unit retorqued by the electrician.", ""),
    ("5 Pewter Mill", 120, "not enough heat", "Strip D dead: limit open from a blocked filter.", "strip-d"),
    ("31 Cobbler's Rise", 395, "seasonal check", "Within band; switches in the unit noted.", ""),
    ("Tamarisk Court 7", 700, "clicking, smell", "Loose push-on at relay B, new end fitted.", ""),
)
