"""Every figure a verdict is held against, by name: default, unit, the section it is from, and what a shop set instead.

A figure printed on the equipment beats both; those who judge put it in themselves, as a band whose source is
`nameplate`.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from plentar.core.errors import ReadingError
from plentar.core.limits.verdicts import Band
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
    words: str
    unit: str
    section: str
    figures: Figures
    why: str = ""

    @property
    def is_band(self) -> bool:
        """True for a band: marginal from, pass from, pass to, marginal to."""
        return len(self.figures) == 4


def _band(name: str, words: str, unit: str, figures: Figures, section: str = "3", why: str = "") -> Limit:
    return Limit(name=name, words=words, unit=unit, section=section, figures=figures, why=why)


def _most(name: str, words: str, unit: str, edges: tuple[float, float], section: str = "3", why: str = "") -> Limit:
    return _band(name, words, unit, (-INF, -INF, *edges), section, why)


def _one(name: str, words: str, unit: str, value: float, section: str = "3", why: str = "") -> Limit:
    return Limit(name=name, words=words, unit=unit, section=section, figures=(value,), why=why)


def coil_limit(kind: Kind) -> str:
    """Return the name of the limit on a kind's coil ohms: `dc_relay_coil_ohms`."""
    return f"{kind.id.replace('-', '_')}_coil_ohms"


_ROWS = (
    _band("supply_240_volts", "Supply, 240 V nominal; others but 208 scaled", "V", (212.0, 228.0, 252.0, 254.0)),
    _band("supply_208_volts", "Supply, 208 V nominal", "V", (184.0, 197.0, 218.0, 220.0)),
    _most("sag_ratio", "Supply sag, no load to all strips", "×", (0.03, 0.05)),
    _most("leg_difference_ratio", "Leg 1 against leg 2 to ground", "×", (0.03, 0.10)),
    _most("neutral_volts", "Neutral to ground, 277 V line to neutral", "V", (5.0, 10.0), "1",
          "half of what 3 and 5 % of sag come to at 277 V, a little more: the other half drops on the leg"),
    _band("element_amps_ratio", "Element amps against volts found over ohms", "×", (0.85, 0.90, 1.05, 1.10)),
    _one("dead_below_amps", "An element below this is dead", "A", 0.5),
    _one("half_dead_from_ratio", "Half dead from", "×", 0.4),
    _one("half_dead_to_ratio", "Half dead to", "×", 0.6),
    _one("implausible_ratio", "A reading this many times the expected one is asked about", "×", 3.0, "5",
         "a wrong range or two conductors give 10 or 2 times; no fault of an element gives three"),
    _most("like_elements_ratio", "Like elements against each other", "×", (0.10, 0.20)),
    _band("element_ohms_ratio", "Element ohms, cold, leads off, against V²/P", "×", (0.83, 0.88, 1.09, 1.14)),
    _one("dead_volts", "Below this, uncertainty included, is dead", "V", 1.0),
    _one("other_source_from_volts", "Control volts that stay: live from another source, from", "V", 18.0),
    _one("insulation_ohms", "Element to frame at 500 V DC, above", "Ω", 1e6),
    _one("open_ohms", "An ohmmeter above this shows open", "Ω", 1e6, "3",
         "no part of the unit but insulation lies between 1 MΩ and a meter's OL"),
    _most("contact_ohms", "Continuity of a closed contact, leads off", "Ω", (1.0, 5.0), "3",
          "leads and tips of a meter make some tenths of an ohm; a burnt contact on a milliamp shows ohms"),
    _one("contact_least_amps", "Volts across a contact are held to its volts from", "A", 10.0),
    _most("closed_contact_volts", "Line volts across a closed contact, limit or link under load", "V", (0.25, 1.0)),
    _most("closed_contact_ohms", "The same below 10 A, as volts over amps", "Ω", (0.015, 0.050)),
    _one("open_contact_ratio", "Share of line volts across a contact that is open", "×", 0.8),
    _band("control_volts", "Control volts at the coil, under load", "V", (18.0, 20.4, 30.0, 32.0)),
    _band("rectified_ratio", "Rectifier out, DC function, against its AC input", "×", (0.5, 0.75, 1.45, INF)),
    _one("rectifier_dead_ratio", "Rectifier dead below", "×", 0.35),
    _most("control_amps_ratio", "Control current against the smaller of VA / 24 and fuse", "×", (0.8, 1.0)),
    _one("control_amps_after_seconds", "Control current counts from", "s", 60.0),
    _most("added_amps_ratio", "What a call adds against its holding current", "×", (1.5, 2.0)),
    _one("unchanged_ratio", "A call that adds less than this did not pull in", "×", 0.25, "5",
         "the smallest coil beside the largest heater is still a third of their sum"),
    _one("unchanged_amps", "and less than", "A", 0.03, "5", "what a clamp with turns can still tell from nothing"),
    *(
        _band(coil_limit(kind), f"{kind.words[0].upper()}{kind.words[1:]} {kind.drive}", "Ω", kind.ohms_band, "3",
              kind.ohms_why)
        for kind in KINDS.values() if kind.ohms_band is not None
    ),
    _band("relay_coil_ohms", "General relay coil", "Ω", (18.0, 30.0, 250.0, INF)),
    _one("on_seconds", "Pole on-time with no printed window, to", "s", 90.0),
    _one("late_on_seconds", "marginal to", "s", 120.0),
    _one("never_on_seconds", "did not close by", "s", 240.0),
    _one("off_seconds", "Pole off-time with no printed window, to", "s", 120.0),
    _one("late_off_seconds", "marginal to", "s", 144.0),
    _one("never_off_seconds", "stuck from", "s", 240.0),
    _one("late_ratio", "Printed window: marginal to", "×", 1.2),
    _one("never_ratio", "Printed window: did not close, or stuck, from", "×", 2.0),
    _one("least_timing_volts", "A timing run below this proves nothing", "V", 22.0),
    _one("cooled_seconds", "A run started sooner after the last call proves nothing", "s", 300.0),
    _one("energised_seconds", "Off-times count after this long under call", "s", 300.0),
    _one("together_seconds", "Two events closer than this count as together", "s", 2.0, "4",
         "a person's tap, or a meter that logs once a second, tells no finer"),
    _one("blower_lag_seconds", "Strip without blower, marginal to", "s", 10.0),
    _most("blower_amps_ratio", "Blower amps against plate full-load amps", "×", (1.0, 1.10)),
    _one("blower_idle_amps", "A blower below this stands still", "A", 0.2, "3",
         "an ECM's electronics draw some hundredths of an amp at rest"),
    _one("little_air_ratio", "A PSC blower below this share of its plate may be short of air", "×", 0.5),
    _band("capacitor_ratio", "Run capacitor against its label", "×", (0.90, 0.94, 1.06, 1.10)),
    _band("rise_ratio", "Temperature rise around what the watts give at 350 and 450 CFM a ton", "×",
          (0.60, 0.75, 1.25, 1.40)),
    _one("hottest_rise_delta_degf", "Rise above this fails unless the plate allows it", "°F", 75.0),
    _one("no_heat_rise_delta_degf", "Rise with heat called that means no strip runs", "°F", 2.0),
    _one("cfm_per_ton_low", "Airflow, from", "CFM/ton", 350.0),
    _one("cfm_per_ton_high", "Airflow, to", "CFM/ton", 450.0),
    _one("steady_seconds", "Air is measured after the same strips have run", "s", 300.0, "2"),
    _most("contact_load_ratio", "Contact load against its rating", "×", (0.9, 1.0)),
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
    open_sides = [math.isinf(figure) for figure in row.figures]
    if any(math.isinf(figure) and not is_open for figure, is_open in zip(figures, open_sides, strict=True)):
        raise ReadingError(f"expected numbers for {name}, got {list(figures)}", field=name)
    if not row.is_band and figures[0] <= 0:
        raise ReadingError(f"expected a figure above zero for {name}, got {figures[0]:g}", field=name)


DEFAULT_LIMITS = Limits()
