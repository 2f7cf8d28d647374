"""The invented shop of the demo, read from `shop.toml`, `parts.csv` and `kits.csv` beside this file."""

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from importlib.resources import files
from typing import Any

from plentar.formats.kits_csv import KITS as KIT_LABELS
from plentar.formats.parts_csv import PARTS

__all__ = [
    "CALLS_TODAY",
    "DETACHED",
    "FOLLOW_UPS",
    "HISTORY",
    "KITS",
    "MAKERS",
    "ORDERS",
    "PEOPLE",
    "SHELF",
    "WAYS",
    "EarlierCall",
    "FollowUpRow",
    "Home",
    "OrderRow",
    "PlannedCall",
    "estate_pattern",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class DemoPerson:
    """Somebody of the shop, by the key the demo's ids are made of."""

    key: str
    name: str
    email: str
    role: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Home:
    """A place with one unit; `read_there` is what was read beside its wiring, as fields of a unit file."""

    place: str
    pattern: str
    town: str = "Wender Falls"
    occupant: str = ""
    access: str = ""
    read_there: Mapping[str, Any] = field(default_factory=dict)


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


@dataclass(frozen=True, slots=True, kw_only=True)
class EarlierCall:
    """A call of so many days ago, what became of it, and the strip that was dead before the repair."""

    place: str
    days: int
    complaint: str
    outcome: str
    dead: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class FollowUpRow:
    """One follow-up: place, what, due in how many days (negative: late), whether it is done."""

    place: str
    words: str
    days: int
    is_done: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class OrderRow:
    """One part waited for: place, what, how far it has come, expected in how many days."""

    place: str
    name: str
    state: str
    days: int | None = None


def _read(name: str) -> str:
    return (files(__package__) / name).read_text("utf-8")


_SHOP = tomllib.loads(_read("shop.toml"))
PEOPLE = tuple(DemoPerson(**row) for row in _SHOP["people"])
MAKERS: Mapping[str, tuple[str, str]] = {pattern: (maker, model) for pattern, (maker, model) in _SHOP["makers"].items()}
DETACHED = tuple(Home(**row) for row in _SHOP["detached"])
CALLS_TODAY = tuple(PlannedCall(**row) for row in _SHOP["today"])
HISTORY = tuple(EarlierCall(**row) for row in _SHOP["history"])
FOLLOW_UPS = tuple(FollowUpRow(**row) for row in _SHOP["follow_ups"])
ORDERS = tuple(OrderRow(**row) for row in _SHOP["orders"])
# From a block, or from the shop, to a block.
WAYS = tuple((row.get("from", ""), row["to"], row["minutes"]) for row in _SHOP["ways"])
SHELF = tuple(PARTS.read(_read("parts.csv")))
KITS = tuple(KIT_LABELS.read(_read("kits.csv")))


def estate_pattern(number: int) -> str:
    """Return the wiring of one of the forty townhouses; end houses carry the larger units."""
    if number % 10 in (0, 1):
        return "three-strip-ecm"
    if number == 14:
        return "two-strip-sequencer"
    if number % 7 == 0:
        return "two-strip-ac-relay"
    return "one-strip-dpdt" if number % 9 == 5 else "two-strip-sequencer"
