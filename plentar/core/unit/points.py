"""The places of one unit a reading can be taken, by name, with the words a technician would use for them."""

from dataclasses import dataclass
from functools import lru_cache

from plentar.core.message import Text, message
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate
from plentar.core.unit.place import GROUND, amps_at, place_of, spot_of, volts_at
from plentar.core.unit.quantities import QUANTITIES

__all__ = [
    "Point", "is_control_side", "is_on_run_sheet", "load_side", "of_feed", "part_words", "piece_words",
    "rung_terminals", "test_points",
]  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Point:
    """One place to read: `id` is stable, `label` says what, `where` says between or around what.

    `step` is the run sheet's step it belongs to; `subject` the feed, circuit or device it speaks about.
    """

    id: str
    label: Text
    where: Text
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
    def function(self) -> Text:
        """The function as it stands on a meter's dial."""
        return QUANTITIES[self.quantity].dial


def is_control_side(terminal: str) -> bool:
    """Tell whether a terminal is on the 24 V side."""
    return place_of(terminal).is_control


def rung_terminals(circuit: HeatingCircuit) -> list[tuple[str, str, str]]:
    """Return (part, terminal toward leg 1, terminal toward leg 2) along a rung.

    A pole's terminals are called line and load: line is the side of the nearer leg.

    Source:
        docs/trade.md, section 1, Heating circuit.
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
        l1, l2 = f"{feed.id}.l1", f"{feed.id}.l2"
        points += [
            Point(
                id=volts_at(l1, l2),
                label=of_feed(plate, feed.id, message("points.supply")),
                where=message("points.l1-l2-unit"),
                step="supply",
                subject=feed.id,
            ),
            Point(
                id=volts_at(l1, GROUND),
                label=of_feed(plate, feed.id, message("points.leg-1")),
                where=message("points.l1-ground-unit"),
                step="supply",
                subject=feed.id,
            ),
            Point(
                id=volts_at(l2, GROUND),
                label=of_feed(plate, feed.id, message("points.leg-2")),
                where=message("points.l2-ground-unit"),
                step="supply",
                subject=feed.id,
            ),
        ]
    return points


def _call_points(plate: Nameplate) -> list[Point]:
    board = [
        Point(
            id=volts_at(f"board.{call.lower()}", "board.c"),
            label=message("points.board", call=call),
            where=message("points.c", call=call),
            step="heat-call",
            subject=call,
        )
        for call in plate.calls
        if call in ("W", "W2", "G")
    ]
    coils = [
        Point(
            id=f"{device.of_kind.coil_function}:{device.id}.coil.1:{device.id}.coil.2",
            label=message("places.drive-of", device=part_words(device.id), drive=device.of_kind.drive_words),
            where=message(
                "points.across", drive=device.of_kind.drive_words, kind="DC" if device.of_kind.is_rectified else "AC"
            ),
            step="heat-call",
            subject=device.id,
        )
        for device in plate.devices
    ]
    return board + coils


def _strip_points(plate: Nameplate) -> list[Point]:
    points = [
        Point(
            id=amps_at(circuit.id),
            label=circuit.name,
            where=message("points.one-conductor-circuit"),
            step="strips",
            subject=circuit.id,
        )
        for circuit in plate.circuits
    ]
    points += [
        Point(
            id=amps_at(feed.id),
            label=message("points.feed-total")
            if len(plate.feeds) == 1
            else message("points.total", part=part_words(feed.id)),
            where=message("points.one-leg-unit"),
            step="strips",
            subject=feed.id,
        )
        for feed in plate.feeds
    ]
    return [
        *points,
        Point(
            id=amps_at("blower"),
            label="Blower",
            where=message("points.blowers-own-lead"),
            step="strips",
            subject="blower",
        ),
    ]


def _trace_points(plate: Nameplate) -> list[Point]:
    points: dict[str, Point] = {}
    for circuit in plate.circuits:
        for part, toward_1, toward_2 in rung_terminals(circuit):
            if part == "element":
                continue
            pole = place_of(toward_1)
            what = (
                piece_words(part)
                if part != "pole"
                else message("places.part-of", owner=part_words(pole.owner), part=piece_words(pole.part))
            )
            point = Point(
                id=volts_at(toward_1, toward_2),
                label=message("points.of-strip", strip=circuit.name, what=what),
                where=message("points.across-2", part=piece_words(part)),
                step="trace",
                subject=circuit.id,
            )
            points.setdefault(point.id, point)
    return list(points.values())


@lru_cache(maxsize=256)
def test_points(plate: Nameplate) -> tuple[Point, ...]:
    """Return every place the run sheet asks about, in the order of work.

    Source:
        docs/trade.md, section 4, steps 5 to 8.
    """
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


# Pieces of a part that have a word of their own; any other is a terminal's mark, read as it stands.
PIECES = frozenset(
    {"auxiliary", "breaker", "coil", "disconnect", "element", "lead", "limit", "link", "motor", "pole", "rectifier"}
)


def piece_words(piece: str) -> Text:
    """Return a piece of a part in words: `limit`, `pole-2`, `nc`."""
    what, _, number = piece.partition("-")
    if what in PIECES:
        word = message(f"piece.{what}")
        return message("piece.numbered", piece=word, number=number.replace("-", " ")) if number else word
    return (piece.upper() if what in ("nc", "no") else piece).replace("-", " ")


def of_feed(plate: Nameplate, feed: str, what: Text) -> Text:
    """Return what is said of a feed, with its name where there are several."""
    return what if len(plate.feeds) == 1 else message("places.of-feed", what=what, feed=feed.replace("-", " "))
