"""What the nameplate editor shows: the form, the circuit drawn from it, the amps to expect."""

from dataclasses import dataclass
from functools import cached_property

from plentar.core.circuit.as_wired import wired_wrong
from plentar.core.message import Text
from plentar.core.unit.electrical import expected_element_amps
from plentar.core.unit.kinds import KINDS, MOST_POLES
from plentar.core.unit.nameplate import SIZES, Nameplate
from plentar.formats.plate_form import PlateForm
from plentar.screen.drawings.ladder import Board, draw_board, plain_line
from plentar.store.models import Unit
from plentar.words import render

__all__ = ["PlateScreen"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Expected:
    """One circuit's amps at the supply's nominal volts and at rated volts."""

    name: str
    amps: float
    volts: float
    is_assumed: bool


class PlateScreen:
    """The editor of one unit's plate."""

    def __init__(self, unit: Unit, form: PlateForm, *, version: int, call_id: str = "", last: Nameplate) -> None:
        self.unit, self.form, self.version, self.call_id = unit, form, version, call_id
        # While what is typed cannot be a circuit, the last one that could stays drawn.
        self.drawn = form.plate or last
        self.is_stale = form.plate is None

    @cached_property
    def board(self) -> Board:
        """The circuit of the plate, nothing live."""
        return draw_board(self.drawn, line=plain_line, verdicts={}, labels={})

    @property
    def wired_wrong(self) -> tuple[Text, ...]:
        """What the unit does that none should, by its wiring alone."""
        return wired_wrong(self.drawn)

    @property
    def expected(self) -> list[Expected]:
        """Amps each strip should draw at nominal volts."""
        volts = self.drawn.nominal_volts
        return [
            Expected(
                name=circuit.name,
                amps=float(expected_element_amps(circuit.rated_watts, circuit.rated_volts, volts)),
                volts=volts,
                is_assumed=self.drawn.rating_is_assumed(circuit.id),
            )
            for circuit in self.drawn.circuits
        ]

    @property
    def supplies(self) -> list[tuple[str, str]]:
        """What a strip, the blower or the transformer can hang on."""
        return [(name, spoken(name)) for name in self.form.ids("feeds", "branches")]

    @property
    def shared(self) -> list[tuple[str, str]]:
        """What a feed can hang behind."""
        return [(name, spoken(name)) for name in self.form.ids("shared")]

    @property
    def devices(self) -> list[tuple[str, str]]:
        """The switching devices."""
        return [(name, spoken(name)) for name in self.form.ids("devices")]

    def feeders_of(self, index: int) -> list[tuple[str, str]]:
        """What can feed a device's heater or coil: a call, or another device's auxiliary pole."""
        own = self.form.text(f"devices[{index}].id")
        others = [(name, f"{spoken(name)} auxiliary") for name in self.form.ids("devices") if name != own]
        return [("W", "W"), ("W2", "W2"), *others]

    @property
    def landings(self) -> list[tuple[str, str]]:
        """Where a blower relay's terminal can be landed."""
        taps = [tap for tap in self.form.text("blower.taps").replace(",", " ").split() if tap]
        motors = [(f"blower:{tap}", f"blower, {tap}") for tap in taps] or [("blower", "blower")]
        return [("L1", "L1"), ("L2", "L2"), *motors, *self._load_sides, ("none", "nothing")]

    @property
    def plain_wires(self) -> list[tuple[str, str]]:
        """Whose load side a wire without a contact may join to the motor."""
        return [("", "none"), *self._load_sides]

    @property
    def _load_sides(self) -> list[tuple[str, str]]:
        return [(name, f"{spoken(name)}, load side of its pole") for name in self.form.ids("circuits")]

    most_poles = MOST_POLES

    @property
    def kinds(self) -> list[tuple[str, str]]:
        """What can switch a strip."""
        return [(kind.id, render(kind.words)) for kind in KINDS.values()]

    @property
    def rectified_kinds(self) -> list[str]:
        """Those with a DC coil behind a board."""
        return [kind.id for kind in KINDS.values() if kind.is_rectified]

    @property
    def thermal_kinds(self) -> list[str]:
        """Those that may carry an auxiliary pole."""
        return [kind.id for kind in KINDS.values() if kind.is_thermal]

    @property
    def sizes(self) -> list[tuple[str, str]]:
        """Conductor sizes."""
        return [("", "not known"), *((size, size) for size in SIZES)]


def spoken(name: str) -> str:
    """Return an id as words: `feed-1` is `Feed 1`."""
    return (
        name.replace("-", " ").capitalize() if name.startswith(("feed", "branch")) else name.replace("-", " ").title()
    )
