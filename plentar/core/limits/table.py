"""Every figure a verdict is held against, by name: default, unit, the section it is from, and what a shop set instead.

A figure printed on the equipment beats both; those who judge put it in themselves, as a band whose source is
`nameplate`.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from plentar.core.errors import ReadingError
from plentar.core.limits.verdicts import Band
from plentar.core.message import Text, message
from plentar.core.unit.kinds import KINDS, Kind

__all__ = ["DEFAULT_LIMITS", "LIMITS", "Limit", "Limits", "coil_limit"]

DEFAULT, SHOP = "default", "shop rule"
Figures = tuple[float, ...]
INF = math.inf


@dataclass(frozen=True, slots=True, kw_only=True)
class Limit:
    """One row of the table: a band (four figures) or a single number, and where it is from.

    `unit` is the unit of the figures; "×" is a ratio of the expected value. `section` is of docs/trade.md.
    """

    name: str
    words: Text
    unit: str
    section: str
    figures: Figures
    why: Text = ""

    @property
    def is_band(self) -> bool:
        """True for a band: marginal from, pass from, pass to, marginal to."""
        return len(self.figures) == 4


def _band(name: str, unit: str, figures: Figures, section: str = "3", why: Text = "") -> Limit:
    return Limit(name=name, words=message(f"limit.{name}"), unit=unit, section=section, figures=figures, why=why)


def _most(name: str, unit: str, edges: tuple[float, float], section: str = "3", why: Text = "") -> Limit:
    return _band(name, unit, (-INF, -INF, *edges), section, why)


def _one(name: str, unit: str, value: float, section: str = "3", why: Text = "") -> Limit:
    return _band(name, unit, (value,), section, why)


def _coil(kind: Kind, figures: Figures) -> Limit:
    words = message("limit.coil_ohms", kind=kind.words, drive=kind.drive_words)
    return Limit(name=coil_limit(kind), words=words, unit="Ω", section="3", figures=figures, why=kind.ohms_why)


def coil_limit(kind: Kind) -> str:
    """Return the name of the limit on a kind's coil ohms: `dc_relay_coil_ohms`."""
    return f"{kind.id.replace('-', '_')}_coil_ohms"


_ROWS = (
    # Within 5 % pass, as services are kept; beyond 254 V elements age fast, below 212 V a fifth of the heat is gone.
    _band("supply_240_volts", "V", (212.0, 228.0, 252.0, 254.0)),
    _band("supply_208_volts", "V", (184.0, 197.0, 218.0, 220.0)),
    # 3 % is what sized wire drops over its length; beyond 5 % something in it is warm.
    _most("sag_ratio", "×", (0.03, 0.05)),
    # Legs differ by what loads the house has on each; a tenth is a neutral or a joint.
    _most("leg_difference_ratio", "×", (0.03, 0.10)),
    _most("neutral_volts", "V", (5.0, 10.0), "1",
          message("limit.why.half-what-3-5-sag")),
    # A joint with more heat than a soldering iron chars its insulation within minutes.
    _one("hot_joint_watts", "W", 50.0, "2"),
    # Makers build elements from −10 to +5 % of the plate; a twentieth more is the doubt that is left.
    _band("element_amps_ratio", "×", (0.85, 0.90, 1.05, 1.10)),
    # What couples into a clamp beside live conductors stays under half an amp.
    _one("dead_below_amps", "A", 0.5),
    _one("half_dead_from_ratio", "×", 0.4),
    _one("half_dead_to_ratio", "×", 0.6),
    # Beyond it a meter's slip is likelier than any fault.
    _one("implausible_ratio", "×", 3.0, "5",
         message("limit.why.wrong-range-two-conductors-give")),
    # Two good elements may stand at the two ends of their tolerance.
    _most("like_elements_ratio", "×", (0.10, 0.20)),
    _band("element_ohms_ratio", "×", (0.83, 0.88, 1.09, 1.14)),
    # Below a volt nothing drives a current through a person, and no meter shows less reliably.
    _one("dead_volts", "V", 1.0),
    # A relay holds in from about there: what keeps that much on is a source, not a ghost.
    _one("other_source_from_volts", "V", 18.0),
    # At 500 V; an ohmmeter's nine volts prove nothing about insulation.
    _one("insulation_ohms", "Ω", 1e6),
    _one("open_ohms", "Ω", 1e6, "3",
         message("limit.why.no-part-unit-but-insulation")),
    _most("contact_ohms", "Ω", (1.0, 5.0), "3",
          message("limit.why.leads-tips-meter-make-some")),
    # Ten amps over a good contact's few milliohms give a drop an ordinary meter still shows.
    _one("contact_least_amps", "A", 10.0),
    # A quarter of a volt at 20 A is 5 W in a spot the size of a match head; one volt is 20 W.
    _most("closed_contact_volts", "V", (0.25, 1.0)),
    _most("closed_contact_ohms", "Ω", (0.015, 0.050)),
    # Nearly all of the line; the rest may lie across a limit that is on its way.
    _one("open_contact_ratio", "×", 0.8),
    # 85 % of 24 V is what coils are promised; an idle transformer stands near 27 and a wrong tap above 30.
    _band("control_volts", "V", (18.0, 20.4, 30.0, 32.0)),
    _band("rectified_ratio", "×", (0.5, 0.75, 1.45, INF)),
    # Half a bridge still gives more than a third.
    _one("rectifier_dead_ratio", "×", 0.35),
    # A fifth is left for the contactor outdoors that pulls in last and hardest.
    _most("control_amps_ratio", "×", (0.8, 1.0)),
    # By then a sequencer's heater has warmed to its running ohms.
    _one("control_amps_after_seconds", "s", 60.0),
    _one("control_idle_amps", "A", 0.1, "1", message("limit.why.thermostat-electronics-and-board")),
    # Coils vary by a third between makers: half as much again is still the same coil.
    _most("added_amps_ratio", "×", (1.5, 2.0)),
    _one("unchanged_ratio", "×", 0.25, "5",
         message("limit.why.smallest-coil-beside-largest-heater")),
    _one("unchanged_amps", "A", 0.03, "5", message("limit.why.what-clamp-turns-can-still")),
    *(
        _coil(kind, kind.ohms_band) for kind in KINDS.values() if kind.ohms_band is not None
    ),
    _band("relay_coil_ohms", "Ω", (18.0, 30.0, 250.0, INF)),
    # The slowest usual sequencers print 90 s; three minutes and more have been seen only on failing ones.
    _one("on_seconds", "s", 90.0),
    _one("late_on_seconds", "s", 120.0),
    _one("never_on_seconds", "s", 240.0),
    # Discs cool more slowly than they warm.
    _one("off_seconds", "s", 120.0),
    _one("late_off_seconds", "s", 144.0),
    _one("never_off_seconds", "s", 240.0),
    # A cold attic and control volts at the low edge explain a fifth, not more.
    _one("late_ratio", "×", 1.2),
    # Nobody waits longer with a hand on the meter; what comes after is found by the next call.
    _one("never_ratio", "×", 2.0),
    # Heat in the disc goes by the square of the volts: at 22 V a sixth is missing already.
    _one("least_timing_volts", "V", 22.0),
    # A disc needs some five minutes in moving air to be cold again, and as long in the heat to be hot.
    _one("cooled_seconds", "s", 300.0),
    _one("energised_seconds", "s", 300.0),
    _one("together_seconds", "s", 2.0, "4",
         message("limit.why.persons-tap-meter-logs-once")),
    # A strip glows in that time but trips nothing; a built-in delay-on is of that size.
    _one("blower_lag_seconds", "s", 10.0),
    # Full-load amps are the most a motor may draw for good; a tenth above is a bearing or a capacitor.
    _most("blower_amps_ratio", "×", (1.0, 1.10)),
    _one("blower_idle_amps", "A", 0.2, "3",
         message("limit.why.ecms-electronics-draw-some-hundredths")),
    # A PSC motor with its air held back falls to about half of its plate.
    _one("little_air_ratio", "×", 0.5),
    # Printed tolerance of run capacitors: ±6 %.
    _band("capacitor_ratio", "×", (0.90, 0.94, 1.06, 1.10)),
    # Rated capacity is one humidity and one coil; frost, a short charge or a weak fan take a third and more.
    _band("pump_output_ratio", "×", (0.65, 0.80, 1.25, 1.40), "7"),
    _band("rise_ratio", "×",
          (0.60, 0.75, 1.25, 1.40)),
    # Supply air above some 145 °F is where limits are set to open.
    _one("hottest_rise_delta_degf", "°F", 75.0),
    _one("no_heat_rise_delta_degf", "°F", 2.0),
    # Coils are made for 400 a ton: an eighth either way.
    _one("cfm_per_ton_low", "CFM/ton", 350.0),
    _one("cfm_per_ton_high", "CFM/ton", 450.0),
    # Cabinet and duct take their share of the heat until they are warm.
    _one("steady_seconds", "s", 300.0, "2"),
    # A tenth is left for high line volts and an element at the top of its tolerance.
    _most("contact_load_ratio", "×", (0.9, 1.0)),
)  # fmt: skip
LIMITS: Mapping[str, Limit] = {row.name: row for row in _ROWS}


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    """The table as one shop has it: `changed` pairs a limit's name with the shop's own figures.

    Raises ReadingError, with the limit's name as field, for an unknown limit, the wrong count of figures, or a pass
    band that is not inside its marginal one.
    """

    changed: tuple[tuple[str, Figures], ...] = ()
    _bands: Mapping[str, Band] = field(init=False, repr=False, compare=False)
    _numbers: Mapping[str, float] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        for name, figures in self.changed:
            _require(name, figures)
        own = dict(self.changed)
        bands, numbers = {}, {}
        for name, row in LIMITS.items():
            # A shop's own figures stand in for the table's; a plate's beat both, where somebody judges by one.
            figures = own.get(name, row.figures)
            if row.is_band:
                low, pass_low, pass_high, high = figures
                source = SHOP if name in own else DEFAULT
                bands[name] = Band(
                    marginal_low=low, pass_low=pass_low, pass_high=pass_high, marginal_high=high, source=source
                )
            else:
                numbers[name] = figures[0]
        object.__setattr__(self, "_bands", bands)
        object.__setattr__(self, "_numbers", numbers)

    def band(self, name: str) -> Band:
        """Return a band of the table, with the shop's figures where it has its own."""
        return self._bands[name]

    def number(self, name: str) -> float:
        """Return a single figure of the table."""
        return self._numbers[name]

    def source(self, *names: str) -> str:
        """Return who set these figures: the shop if it set any of them."""
        own = {name for name, _ in self.changed}
        return SHOP if own & set(names) else DEFAULT

    def supply_band(self, nominal_volts: float) -> Band:
        """Return the supply's band [V]; 240 and 208 V are tabled, others scale from 240.

        Example:
            >>> DEFAULT_LIMITS.supply_band(208.0).pass_low, DEFAULT_LIMITS.supply_band(277.0).pass_low
            (197.0, 263.15)
        """
        if nominal_volts == 208.0:
            return self.band("supply_208_volts")
        at_240 = self.band("supply_240_volts")
        return at_240 if nominal_volts == 240.0 else at_240.scaled(nominal_volts / 240.0)


def _require(name: str, figures: Sequence[float]) -> None:
    row = LIMITS.get(name)
    if row is None:
        raise ReadingError(f"there is no limit {name!r}", field=name)
    if len(figures) != len(row.figures):
        raise ReadingError(f"expected {len(row.figures)} figures for {name}, got {len(figures)}", field=name)
    if any(math.isnan(figure) for figure in figures) or list(figures) != sorted(figures):
        raise ReadingError(
            f"expected marginal from, pass from, pass to, marginal to, rising, got {list(figures)}", field=name
        )
    # A side that is open stays so: a sag is best at zero, and no shop can want more of it.
    open_sides = [math.isinf(figure) for figure in row.figures]
    if any(math.isinf(figure) != is_open for figure, is_open in zip(figures, open_sides, strict=True)):
        raise ReadingError(f"expected numbers for {name}, got {list(figures)}", field=name)
    if not row.is_band and figures[0] <= 0:
        raise ReadingError(f"expected a figure above zero for {name}, got {figures[0]:g}", field=name)


DEFAULT_LIMITS = Limits()
