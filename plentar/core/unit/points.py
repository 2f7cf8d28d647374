"""The places of one unit a reading can be taken, by name, with the words a technician would use for them."""

from dataclasses import dataclass
from functools import lru_cache

from plentar.core.unit.nameplate import HeatingCircuit, Nameplate
from plentar.core.unit.place import place_of, spot_of
from plentar.core.unit.quantities import QUANTITIES

__all__ = ["Point", "is_control_side", "is_on_run_sheet", "load_side", "part_words", "rung_terminals", "test_points"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Point:
    """One place to read: `id` is stable, `label` says what, `where` says between or around what.

    `step` is the run sheet's step it belongs to; `subject` the feed, circuit or device it speaks about.
    """

    id: str
    label: str
    where: str
    step: str
    subject: str

    @property
    def quantity(self) -> str:
        """The meter's function: `volts`, `amps`, `ohms`, `dc_volts`."""
        return spot_of(self.id).function

    @property
    def terminals(self) -> tuple[str, ...]:
        """The two probe places of a voltage or resistance; empty for a clamp."""
        return spot_of(self.id).places if self.quantity != "amps" else ()

    @property
    def is_control(self) -> bool:
        """True for volts or ohms with both places on the 24 V side."""
        return bool(self.terminals) and all(is_control_side(place) for place in self.terminals)

    @property
    def unit(self) -> str:
        """The unit sign shown beside the number."""
        return QUANTITIES[self.quantity].sign

    @property
    def function(self) -> str:
        """The function as it stands on a meter's dial."""
        return QUANTITIES[self.quantity].dial


def is_control_side(terminal: str) -> bool:
    """Tell whether a terminal is on the 24 V side."""
    return place_of(terminal).is_control


def rung_terminals(circuit: HeatingCircuit) -> list[tuple[str, str, str]]:
    """Return (part, terminal toward leg 1, terminal toward leg 2) along a rung.

    A pole's terminals are called line and load: line is the side of the nearer leg.

    Example:
        >>> from plentar.core.unit.nameplate import HeatingCircuit
        >>> strip = HeatingCircuit(
        ...     id="strip-a", rated_watts=5e3, rated_volts=240.0, supplied_by="feed-1", device="seq-a"
        ... )
        >>> rung_terminals(strip)[3]
        ('pole', 'seq-a.pole-1.load', 'seq-a.pole-1.line')
    """
    element_at = circuit.order.index("element")
    numbers = iter(circuit.poles)
    rung: list[tuple[str, str, str]] = []
    for place, part in enumerate(circuit.order):
        if part == "pole":
            pole = f"{circuit.device}.pole-{next(numbers)}"
            ends = ("line", "load") if place < element_at else ("load", "line")
            rung.append((part, f"{pole}.{ends[0]}", f"{pole}.{ends[1]}"))
        else:
            rung.append((part, f"{circuit.id}.{part}.1", f"{circuit.id}.{part}.2"))
    return rung


def load_side(circuit: HeatingCircuit) -> str:
    """Return the load side of the first pole in a circuit's rung, where an interlock's NC is landed."""
    ends = (end for part, *both in rung_terminals(circuit) if part == "pole" for end in both)
    return next(end for end in ends if place_of(end).end == "load")


def _supply_points(plate: Nameplate) -> list[Point]:
    points = []
    for feed in plate.feeds:
        which = "" if len(plate.feeds) == 1 else f", {feed.id.replace('-', ' ')}"
        l1, l2 = f"{feed.id}.l1", f"{feed.id}.l2"
        points += [
            Point(
                id=f"volts:{l1}:{l2}",
                label=f"Supply{which}",
                where="L1 to L2, unit",
                step="supply",
                subject=feed.id,
            ),
            Point(
                id=f"volts:{l1}:ground",
                label=f"Leg 1{which}",
                where="L1 to ground, unit",
                step="supply",
                subject=feed.id,
            ),
            Point(
                id=f"volts:{l2}:ground",
                label=f"Leg 2{which}",
                where="L2 to ground, unit",
                step="supply",
                subject=feed.id,
            ),
        ]
    return points


def _call_points(plate: Nameplate) -> list[Point]:
    board = [
        Point(
            id=f"volts:board.{call.lower()}:board.c",
            label=f"{call} at the board",
            where=f"{call} to C",
            step="heat-call",
            subject=call,
        )
        for call in plate.calls
        if call in ("W", "W2", "G")
    ]
    coils = [
        Point(
            id=f"{device.of_kind.coil_function}:{device.id}.coil.1:{device.id}.coil.2",
            label=f"{part_words(device.id)} {device.of_kind.drive}",
            where=f"across its {device.of_kind.drive}, {'DC' if device.of_kind.is_rectified else 'AC'}",
            step="heat-call",
            subject=device.id,
        )
        for device in plate.devices
    ]
    return board + coils


def _strip_points(plate: Nameplate) -> list[Point]:
    points = [
        Point(
            id=f"amps:{circuit.id}",
            label=circuit.name,
            where="one conductor of the circuit",
            step="strips",
            subject=circuit.id,
        )
        for circuit in plate.circuits
    ]
    points += [
        Point(
            id=f"amps:{feed.id}",
            label="Feed total" if len(plate.feeds) == 1 else f"{part_words(feed.id)} total",
            where="one leg at the unit",
            step="strips",
            subject=feed.id,
        )
        for feed in plate.feeds
    ]
    return [
        *points,
        Point(id="amps:blower", label="Blower", where="the blower's own lead", step="strips", subject="blower"),
    ]


def _trace_points(plate: Nameplate) -> list[Point]:
    points: dict[str, Point] = {}
    for circuit in plate.circuits:
        for part, toward_1, toward_2 in rung_terminals(circuit):
            if part == "element":
                continue
            what = part
            if part == "pole":
                pole = place_of(toward_1)
                what = f"{part_words(pole.owner)} {pole.part.replace('-', ' ')}"
            point = Point(
                id=f"volts:{toward_1}:{toward_2}",
                label=f"{circuit.name}: {what}",
                where=f"across the {part}",
                step="trace",
                subject=circuit.id,
            )
            points.setdefault(point.id, point)
    return list(points.values())


@lru_cache(maxsize=256)
def test_points(plate: Nameplate) -> tuple[Point, ...]:
    """Return every place the run sheet asks about, in the order of work."""
    return tuple(_supply_points(plate) + _call_points(plate) + _strip_points(plate) + _trace_points(plate))


test_points.__test__ = False  # type: ignore[attr-defined]  # a name of the trade, not a test


def is_on_run_sheet(plate: Nameplate, point_id: str) -> bool:
    """Tell whether the run sheet asks for this point."""
    return point_id in _ids_of(plate)


@lru_cache(maxsize=256)
def _ids_of(plate: Nameplate) -> frozenset[str]:
    return frozenset(point.id for point in test_points(plate))


def part_words(part_id: str) -> str:
    """Return an id as words: `seq-a` becomes `Seq A`."""
    return part_id.replace("-", " ").title()
