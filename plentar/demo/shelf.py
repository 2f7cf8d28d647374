"""The demo's shelf: invented parts and generic kinds, enough to make every line of a part check speak."""

from plentar.core.unit.kit import Kit
from plentar.core.unit.nameplate import Window
from plentar.core.work.substitution import Part

__all__ = ["KITS", "SHELF"]


def _window(low: float, high: float) -> Window:
    return Window(min_seconds=low, max_seconds=high)


SHELF = (
    Part(
        name="Veldane SQ-2, sequencer",
        kind="sequencer",
        poles=2,
        rated_amps=25.0,
        rating="resistive",
        coil="heater",
        holding_amps=0.5,
        on_window=_window(10, 60),
        off_window=_window(40, 110),
        tab_inches=0.25,
        tabs=2,
        price=38.5,
    ),
    Part(
        name="Veldane SQ-3, sequencer",
        kind="sequencer",
        poles=3,
        rated_amps=25.0,
        rating="resistive",
        coil="heater",
        holding_amps=0.5,
        on_window=_window(10, 65),
        off_window=_window(40, 110),
        tab_inches=0.25,
        tabs=2,
        price=46.0,
    ),
    Part(
        name="Orrinwell slow sequencer, 2 poles",
        kind="sequencer",
        poles=2,
        rated_amps=25.0,
        rating="resistive",
        coil="heater",
        on_window=_window(30, 120),
        off_window=_window(60, 180),
        tab_inches=0.25,
        tabs=1,
        price=29.9,
    ),
    Part(
        name="Hasp & Tallow DC heat relay",
        kind="dc-relay",
        rated_amps=25.0,
        rating="resistive",
        coil="DC",
        holding_amps=0.05,
        tab_inches=0.1875,
        tabs=1,
        price=52.0,
    ),
    Part(
        name="Generic AC heat relay 25 A",
        kind="ac-relay",
        rated_amps=25.0,
        rating="resistive",
        coil="AC",
        holding_amps=0.32,
        tab_inches=0.25,
    ),
    Part(name="Generic contactor, 2 poles", kind="contactor", poles=2, rated_amps=30.0, rating="resistive", coil="AC"),
    Part(
        name="Generic blower relay SPDT",
        kind="blower-relay",
        rated_amps=12.0,
        rating="motor",
        coil="AC",
        tab_inches=0.25,
    ),
    Part(name="Generic blower relay DPDT", kind="blower-relay", poles=2, rated_amps=16.0, rating="motor", coil="AC"),
    Part(
        name="Generic relay 120 V coil",
        kind="ac-relay",
        rated_amps=25.0,
        rating="resistive",
        coil="AC",
        coil_volts=120.0,
    ),
    Part(name="Limit, opens at 165", kind="limit", opens_degf=165.0),
    Part(name="Element 5 kW 240 V", kind="element", rated_watts=5000.0, rated_volts=240.0),
)

# Heat kits of the invented makers: 240 V elements, three quarters of it on 208 V; circuit figures with a 3 A blower.
KITS = (
    Kit(
        model="VK-5",
        kilowatts_240=5.0,
        kilowatts_208=3.75,
        strips=1,
        minimum_circuit_amps=29.8,
        maximum_device_amps=30.0,
    ),
    Kit(
        model="VK-10",
        kilowatts_240=10.0,
        kilowatts_208=7.5,
        strips=2,
        minimum_circuit_amps=55.8,
        maximum_device_amps=60.0,
    ),
    Kit(
        model="HT-H8",
        kilowatts_240=8.0,
        kilowatts_208=6.0,
        strips=2,
        minimum_circuit_amps=45.4,
        maximum_device_amps=50.0,
    ),
    Kit(model="BK-H15", kilowatts_240=15.0, kilowatts_208=11.27, strips=3),
    Kit(model="VK-20E", kilowatts_240=20.0, kilowatts_208=15.0, strips=4),
)
