"""What a meter can read: one row each. A new quantity is a new row, and a rule in judging where it needs one."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Literal

from plentar.core.message import Text, message
from plentar.core.unit.place import spot_of

__all__ = ["QUANTITIES", "Quantity", "QuantityId", "quantity_of"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Quantity:
    """One function of a meter.

    Attributes:
        id: The suffix of what it reads, and the first word of a point.
        sign: The unit beside the number; `spellings` are what people type behind a number.
        dial: The function as it stands on a meter's dial.
        is_predicted: The circuit says what it should read.
        needs_dead: Read only on what is proven dead, or in the hand.
        may_be_negative: Zero is not the least there is.
        usual_range: The scale a slip lands somewhere on: a wrong reading may be anything up to about this.
        places: Its places outside the circuit, in words; `where` and `step` of those.
        alone: Why one reading of it, by itself, says nothing; empty where it is judged.
    """

    id: str
    sign: str
    spellings: tuple[str, ...]
    dial: Text
    is_predicted: bool = True
    needs_dead: bool = False
    may_be_negative: bool = False
    usual_range: float = 1000.0
    places: Mapping[str, Text] = field(default_factory=dict)
    where: Text = ""
    step: str = ""
    alone: Text = ""


_ROWS = (
    Quantity(
        id="volts", sign="V", spellings=("V", "VAC", "volts"), dial=message("quantities.ac-volts"), usual_range=250.0
    ),
    Quantity(
        id="amps", sign="A", spellings=("A", "amp", "amps"), dial=message("quantities.clamp-amps"), usual_range=60.0
    ),
    Quantity(id="ohms", sign="Ω", spellings=("Ω", "ohm", "ohms"), dial="Ohms", needs_dead=True),
    Quantity(id="dc_volts", sign="V", spellings=("V", "VDC"), dial=message("quantities.dc-volts"), usual_range=60.0),
    Quantity(
        id="microfarads",
        sign="µF",
        spellings=("F",),
        dial="Capacitance",
        is_predicted=False,
        needs_dead=True,
        places={"blower.capacitor": message("quantities.run-capacitor")},
        where=message("quantities.leads-off-discharged"),
        step="blower",
    ),
    Quantity(
        id="degf",
        sign="°F",
        spellings=("°F", "F"),
        dial="Temperature",
        is_predicted=False,
        may_be_negative=True,
        places={"return": message("quantities.return-air"), "supply": message("quantities.supply-air")},
        where=message("quantities.out-sight-strips"),
        step="air",
        alone=message("quantities.one-temperature-says-nothing-itself"),
    ),
)
QUANTITIES: Mapping[str, Quantity] = {row.id: row for row in _ROWS}
if TYPE_CHECKING:
    QuantityId = str
else:
    # A closed list to whoever reads a call file, and to its schema.
    QuantityId = Literal[tuple(QUANTITIES)]


def quantity_of(point: str) -> Quantity:
    """Return the quantity a point's function reads.

    Raises:
        KeyError: No meter reads that; `find_point` refuses such a point with words.
    Example:
        >>> quantity_of("amps:strip-a").sign, quantity_of("ohms:fuse").needs_dead
        ('A', True)
    """
    return QUANTITIES[spot_of(point).function]
