"""Jinja with what the fragments of a visit need, and nothing of a server: the same ones are drawn in any process.

Who draws them gives the addresses (`url_for`), the form's token (`csrf_token`) and the person; here are the filters.
"""

import math
from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from functools import lru_cache

from jinja2 import Environment, PackageLoader
from markupsafe import Markup

from plentar.core.circuit.places import place_words
from plentar.core.judging.supply_loss import spoken_range
from plentar.core.limits.table import DEFAULT_LIMITS
from plentar.core.message import Message
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of, spot_of
from plentar.core.unit.points import part_words
from plentar.core.unit.quantities import QUANTITIES
from plentar.screen.drawings.ladder import Board, BoardText, DrawnWire, Probe, Symbol, shown_value
from plentar.screen.event_lines import in_display, told_temporary
from plentar.words import render
from plentar.words.figures import apart, chosen, degree_sign, degrees, plus_minus, thousands, wire
from plentar.words.moments import on_clock

__all__ = ["LOADER", "OPTIONS", "as_a_meter", "environment", "furnish"]

LOADER = PackageLoader("plentar.screen")
# A block tag alone on its line leaves no line behind.
OPTIONS: Mapping[str, bool] = {"trim_blocks": True, "lstrip_blocks": True}


def environment(*, url_for: Callable[..., str], csrf_token: Callable[[], str]) -> Environment:
    """Return an environment that draws a visit's fragments without a server behind it."""
    made = Environment(loader=LOADER, autoescape=True, trim_blocks=True, lstrip_blocks=True)
    made.globals.update(url_for=url_for, csrf_token=csrf_token)
    furnish(made)
    return made


def furnish(made: Environment) -> None:
    """Give an environment the filters of the fragments; a reason becomes words where it is written down."""
    made.finalize = lambda value: render(value) if isinstance(value, Message) else value
    made.filters.update(
        render=render,
        reason=lambda words: words.id if isinstance(words, Message) else "",
        local=_local,
        iso=lambda at: datetime.fromtimestamp(at, UTC).isoformat(),
        spoken_place=_spoken_place,
        shown_value=shown_value,
        drawn=_drawn(made),
        drawn_probes=_drawn_probes(made),
        merge=lambda one, other: {**one, **other},
        thousands=thousands,
        spoken_range=spoken_range,
        reading=as_a_meter,
        edges=_edges,
        plus_minus=plus_minus,
        in_display=in_display,
        degrees=degrees,
        apart=apart,
        degrees_to_type=_degrees_to_type,
        wire=wire,
        told_temporary=told_temporary,
        pair=lambda name: (name, name),
    )
    made.globals.update(degree_sign=degree_sign, infinity=float("inf"), open_ohms=OPEN_OHMS)


def _degrees_to_type(degf: float) -> str:
    """Spell a kept temperature for an input: with its unit where the reader's is another: nothing is rounded."""
    return f"{degf:g} °F" if chosen().is_celsius else f"{degf:g}"


def as_a_meter(value: float, unit: str) -> str:
    """Show a value as a meter does: one decimal, whole from a thousand on, OL for open."""
    if unit == "Ω" and value >= DEFAULT_LIMITS.number("open_ohms"):
        return "OL"
    return f"{value:.1f}" if value < 1000 else thousands(value)


def _edges(low: float, high: float, unit: str) -> str:
    """Say a band's two edges with no more digits than a meter shows; what is measured here is never below zero.

    Example:
        >>> _edges(16.25, 18.96, "A"), _edges(-0.4546, 0.8656, "V"), _edges(200.0, math.inf, "Ω")
        ('16.2 to 19.0', 'up to 0.87', '200.0 and above')
    """
    least, most = (f"{edge:.2g}" if abs(edge) < 1 else as_a_meter(edge, unit) for edge in (low, high))
    if low <= 0:
        return f"up to {most}"
    return f"{least} and above" if math.isinf(high) else f"{least} to {most}"


def _drawn(made: Environment) -> Callable[[Board], tuple[Markup, Markup]]:
    """Return a filter from a board to its lines and its names, written once while nothing of them changes."""

    # A board's lines and names are some forty kilobytes: two megabytes at the most.
    @lru_cache(maxsize=48)
    def written(
        wires: tuple[DrawnWire, ...],
        symbols: tuple[Symbol, ...],
        labels: tuple[BoardText, ...],
        width: float,
        control_y: float,
    ) -> tuple[Markup, Markup]:
        macros = made.get_template("macros/ladder.html").module
        board = Board(wires=list(wires), symbols=list(symbols), labels=list(labels), width=width, control_y=control_y)
        return macros.lines(board), macros.names(board)  # type: ignore[attr-defined]

    return lambda board: written(
        tuple(board.wires), tuple(board.symbols), tuple(board.labels), board.width, board.control_y
    )


def _drawn_probes(made: Environment) -> Callable[[tuple[tuple[Probe, str], ...]], Markup]:
    """Return a filter from a board's probes to their links, written once while nothing of them changes."""

    @lru_cache(maxsize=48)
    def written(links: tuple[tuple[Probe, str], ...]) -> Markup:
        found: Markup = made.get_template("macros/ladder.html").module.probes(links)  # type: ignore[attr-defined]
        return found

    return written


def _spoken_place(name: str, plate: Nameplate | None = None) -> str:
    """Show a part's, terminal's or point's id as words; by the unit's plate where there is one."""
    if not name:
        return ""
    if plate is not None and ":" not in name:
        return render(place_words(plate, name))
    spot = spot_of(name) if ":" in name else None
    places = [place_of(place) for place in (spot.places if spot is not None else (name,))]
    words = [f"{part_words(p.owner)} {p.part} {p.end}".replace("-", " ").strip() for p in places]
    what = f"{render(QUANTITIES[spot.function].dial)}, " if spot is not None and spot.function in QUANTITIES else ""
    return what + " to ".join(words)


def _local(moment: datetime | float, zone: str, form: str = "%H:%M") -> str:
    """Show a UTC moment on the shop's own clock."""
    return on_clock(moment, zone).strftime(form)
