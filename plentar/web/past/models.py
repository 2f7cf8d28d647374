"""What a unit's page shows: its timeline, each circuit on band rails, its parts' ages."""

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cached_property, lru_cache
from typing import Any
from zoneinfo import ZoneInfo

from plentar.core.evidence.events import Event, Fitted, Marked, Tapped, Temporary
from plentar.core.history.past import YEAR_SECONDS, Past
from plentar.core.history.series import Series, on_times_of, series_of
from plentar.core.limits.table import Limits
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of
from plentar.formats.events_json import action_from_json
from plentar.formats.unit_json import kept_nameplate
from plentar.screen.drawings.ladder import Board, draw_board, plain_line
from plentar.screen.drawings.years_rail import YearsRail, figure_of, years_rail
from plentar.screen.event_lines import told_temporary
from plentar.store.history import TimelineEvent
from plentar.store.models import Call, Unit
from plentar.web.call_layout.unit_history import past_readings
from plentar.words import render
from plentar.words.moments import on_clock

__all__ = ["PartAge", "TimelineEntry", "UnitScreen"]


@dataclass(frozen=True, slots=True, kw_only=True)
class TimelineLine:
    """One thing a call's entry tells: its kind, in words, a photo's id."""

    kind: str
    words: str
    photo: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class TimelineEntry:
    """One call in the timeline."""

    call: Call
    lines: tuple[TimelineLine, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """One series on its rail, with its drift in words."""

    series: Series
    rail: YearsRail
    last: str
    drift: str
    is_proven: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class PartAge:
    """One part: what it is, since when by whose word, how old that makes it."""

    name: str
    since: str
    years: float | None
    by: str
    kind: str


def _tap(row: Any) -> tuple[str, Event, Tapped]:
    """Return a kept tap as the core's."""
    action = action_from_json("tap", row.payload, is_kept=True)
    assert isinstance(action, Tapped)  # noqa: S101  the kind that was asked for
    at = row.done_at.timestamp()
    event = Event(id=str(row.id), seq=row.seq, action=action, person="", by="", done_at=at, come_at=at)
    return str(row.call_id), event, action


@lru_cache(maxsize=64)
def _plain_board(plate: Nameplate) -> Board:
    """Return a plate's circuit as it is drawn with nothing live: whoever looks at a unit looks again."""
    return draw_board(plate, line=plain_line, verdicts={}, labels={})


class UnitScreen:
    """One unit's page."""

    def __init__(
        self,
        unit: Unit,
        calls: Sequence[Call],
        told: Sequence[TimelineEvent],
        readings: Sequence[Any],
        past: Past,
        *,
        taps: Sequence[Any] = (),
        limits: Limits,
        zone: ZoneInfo,
        moment: datetime,
    ) -> None:
        self.unit, self.calls, self.past, self.zone, self.moment = unit, calls, past, zone, moment
        self.limits = limits
        self._told, self._readings, self._taps = told, readings, taps

    @cached_property
    def plate(self) -> Nameplate:
        """The unit's plate."""
        return kept_nameplate(self.unit.nameplate)

    @cached_property
    def board(self) -> Board:
        """Its circuit, nothing live."""
        return _plain_board(self.plate)

    @cached_property
    def entries(self) -> list[TimelineEntry]:
        """The calls, newest first, each with what was found and done."""
        by_call: dict[Any, list[TimelineEvent]] = {}
        for row in self._told:
            by_call.setdefault(row.call_id, []).append(row)
        return [TimelineEntry(call=call, lines=tuple(self._lines(by_call.get(call.id, ())))) for call in self.calls]

    def _lines(self, rows: Sequence[TimelineEvent]) -> Iterator[TimelineLine]:
        done = {row.payload.get("temporary") for row in rows if row.kind == "temporary-done"}
        for row in rows:
            payload = row.payload
            if row.kind == "cause":
                found = payload.get("cause") or ""
                tail = f", caused by {found}" if found else ", cause not found"
                yield TimelineLine(kind="cause", words=f"{payload.get('title') or payload.get('words', '')}{tail}")
            elif row.kind == "part":
                yield TimelineLine(kind="fix", words=f"fitted: {payload['name']}")
            elif row.kind == "temporary":
                action = action_from_json("temporary", payload, is_kept=True)
                assert isinstance(action, Temporary)  # noqa: S101  the kind that was asked for
                ended = "repaired" if str(row.id) in done else f"due by {action.due_on}"
                yield TimelineLine(kind="temporary", words=f"{render(told_temporary(action))}, {action.how}: {ended}")
            elif row.kind == "photo":
                yield TimelineLine(kind="photo", words=payload.get("note") or "photo", photo=str(row.id))

    @cached_property
    def rows(self) -> list[Row]:
        """Each figure over the years."""
        series = series_of(self.plate, past_readings(self._readings), self.limits)
        on_times = on_times_of(self.plate, map(_tap, self._taps), self.limits)
        return [self._row(entry) for entry in (*series, *on_times)]

    def _row(self, series: Series) -> Row:
        drift, last = series.drift, series.marks[-1]
        if drift is None:
            words = f"{len(series.marks)} visit{'s' if len(series.marks) > 1 else ''}: too few to show a trend"
        else:
            words = f"{100 * drift.per_year:+.1f} % a year ± {100 * drift.half:.1f}".replace("-", "−")
            words += "" if drift.is_proven else ": may be zero"
        return Row(
            series=series,
            rail=years_rail(series, self._year),
            last=figure_of(last),
            drift=words,
            is_proven=drift is not None and drift.is_proven,
        )

    def _year(self, at: float) -> str:
        moment = on_clock(at, self.zone)
        years = {datetime.fromtimestamp(call.scheduled_at.timestamp(), tz=UTC).year for call in self.calls}
        return f"{moment:%y}".join(("’", "")) if len(years) > 1 else f"{moment:%d %b}"

    @cached_property
    def ages(self) -> list[PartAge]:
        """What is known of its parts' ages: by work done, by dates read on them, else by the plate."""
        found = {}
        age = self.past.age_years
        if age is not None:
            for circuit in self.plate.circuits:
                for part in ("element", "link", "limit"):
                    key = f"{circuit.id}.{part}"
                    found[key] = self._age(key, _spoken_part(self.plate, key), self.plate.built[:4], age, "plate")
        for repair in self.past.repairs:
            for part in repair.parts:
                years = (self.moment.timestamp() - repair.at) / YEAR_SECONDS
                found[part] = self._age(part, _spoken_part(self.plate, part), repair.when, years, "work")
        marks = [row for row in self._told if row.kind == "mark" and row.payload.get("what") == "date"]
        for row in marks:
            action = action_from_json("mark", row.payload, is_kept=True)
            assert isinstance(action, Marked)  # noqa: S101  the kind that was asked for
            found[action.about] = self._age(
                action.about, _spoken_part(self.plate, action.about), action.words, None, "read on it"
            )
        # The part that went in for a cause of the same call stands above already, under the cause's own part.
        repaired = Counter(row.call_id for row in self._told if row.kind == "cause" and row.payload.get("faults"))
        for row in self._told:
            if row.kind == "part" and repaired[row.call_id] > 0:
                repaired[row.call_id] -= 1
            elif row.kind == "part":
                fitted = action_from_json("part", row.payload, is_kept=True)
                assert isinstance(fitted, Fitted)  # noqa: S101  the kind that was asked for
                years = (self.moment - row.done_at).total_seconds() / YEAR_SECONDS
                when = on_clock(row.done_at, self.zone).strftime("%b %Y")
                found.setdefault(f"fitted {fitted.name}", self._age("", fitted.name, when, years, "work"))
        return sorted(found.values(), key=lambda part: (part.by == "plate", part.name))

    def _age(self, part: str, name: str, since: str, years: float | None, by: str) -> PartAge:
        kind = place_of(part).kind if part else ""
        return PartAge(name=name, since=since, years=years, by=by, kind=kind)


def _spoken_part(plate: Nameplate, part: str) -> str:
    from plentar.core.circuit.places import place_words

    try:
        return render(place_words(plate, part))
    except (KeyError, ValueError):
        return part.replace(".", " ").replace("-", " ")
