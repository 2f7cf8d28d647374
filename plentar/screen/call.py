"""What the call screen shows: a visit with the point that is selected, its rails and its board."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Generic, TypeVar

from plentar.core.causes.faults import fault_by_id, faults_of
from plentar.core.circuit.places import find_point, nearby_points
from plentar.core.circuit.wiring import wire
from plentar.core.errors import PlentarError
from plentar.core.evidence.reading import Condition, Hand, Reading
from plentar.core.judging.air import expected_rise_degf
from plentar.core.judging.supply import fits_208
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.message import Message, Text
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import GROUND, amps_at, line_volts, place_of, spot_of
from plentar.core.unit.points import Point, test_points
from plentar.core.visit import Visit
from plentar.core.work.safety import (
    CONTROL_POINT,
    PART_FIRST,
    SafeLine,
    condition_refusal,
    dead_groups,
    ends_to_touch,
    touch_words,
)
from plentar.core.work.undo import Undo, undo_of
from plentar.screen.board import board_of, halos_of, likeliest_fault, spoken_place
from plentar.screen.drawings.ladder import Board, Probe
from plentar.screen.kept import Kept, KeptReadings
from plentar.screen.record_rows import RecordRows
from plentar.screen.run_sheet import LookGroup, RunSheetStep, look_groups, run_sheet
from plentar.words import render

__all__ = ["CallScreen", "View"]


@dataclass(frozen=True, slots=True, kw_only=True)
class View:
    """How the page is looked at just now: a first probe waiting for its second, a fault picked for the board.

    `hand` is set while the part under the pad is out of the unit; `step` is the step beside the board; `is_narrow` on a
    phone.
    """

    mark: str = ""
    show: str = ""
    hand: Hand = ""
    step: str = ""
    is_narrow: bool = False


# Whose call it is, where and when: the server knows, templates ask for it.
C = TypeVar("C")


@dataclass(frozen=True, slots=True, kw_only=True)
class DeadEntry:
    """One number of the proof of dead: what it is the highest of, how many pairs, and what stands there [V]."""

    about: str
    words: Text
    count: int
    is_done: bool
    volts: float


def feed_summary(states: Sequence[str]) -> str:
    """Say how several feeds stand in the room of one button: the worst by its number.

    Example:
        >>> feed_summary(["proven dead", "proven dead", "live"]), feed_summary(["off", "off"])
        ('2 dead, feed 3 LIVE', '2 off')
    """
    words = {"live": "live", "off": "off", "proven dead": "dead"}
    worst = min(states, key=("live", "off", "proven dead").index)
    at = [number for number, state in enumerate(states, 1) if state == worst]
    if len(at) == len(states):
        return f"{len(states)} {words[worst]}"
    rest = next(state for state in states if state != worst)
    named = ", ".join(map(str, at))
    return f"{len(states) - len(at)} {words[rest]}, feed {named} {words[worst].upper()}"


class CallScreen(Generic[C]):
    """A call as one person looks at it."""

    def __init__(
        self,
        call: C,
        visit: Visit,
        *,
        url: str = "",
        person: str = "",
        selected: str | None = None,
        view: View | None = None,
    ) -> None:
        self.call, self.visit, self.url, self.person = call, visit, url, person
        self.view = view or View()
        self.plate: Nameplate = visit.plate
        self.points: Mapping[str, Point] = {point.id: point for point in test_points(self.plate)}
        known = selected if selected and visit.knows(selected) else next(iter(self.points))
        self.selected = find_point(visit.plate, known).id

    @cached_property
    def readings(self) -> KeptReadings:
        """The readings, each with its verdict and rail."""
        return KeptReadings(self.visit)

    @cached_property
    def rows(self) -> RecordRows:
        """What stands on the record beside the readings."""
        return RecordRows(self.visit.record)

    @property
    def latest(self) -> Mapping[str, Kept]:
        """The newest standing reading of each point."""
        return self.readings.latest

    @property
    def point(self) -> Point:
        """The point the pad is set to."""
        return find_point(self.plate, self.selected)

    @property
    def can_be_in_hand(self) -> bool:
        """True where the pad is on a part's own ohms: it may be out of the unit."""
        return self.point.quantity == "ohms" and len(self.point.terminals) < 2

    @property
    def refusal(self) -> Text:
        """Why the pad takes no number here now: ohms on what is not proven dead."""
        if self.view.hand and self.can_be_in_hand:
            hand = Condition(in_hand=self.view.hand)
            return condition_refusal(self.plate, hand, self.selected)
        return self.visit.refusal(self.selected, self.person)

    @property
    def functions(self) -> list[tuple[str, str, bool]]:
        """The meter functions that can be used between the two places of the pad: id, words, chosen."""
        places = self.point.terminals
        if len(places) != 2:
            return []
        rest = ":".join(places)
        names = (("volts", "V AC"), ("dc_volts", "V DC"), ("ohms", "Ω"))
        return [(f"{name}:{rest}", words, self.point.quantity == name) for name, words in names]

    @property
    def offers_low_impedance(self) -> bool:
        """True where the meter's low-impedance mode tells something: on what is off, and where a ghost was read."""
        current = self.current
        is_ghost = current is not None and current.verdict.kind == "floating"
        is_off = any(state != "live" for _, state in self.visit.condition.feeds)
        return self.point.quantity == "volts" and (is_off or is_ghost)

    @cached_property
    def nearby(self) -> list[tuple[str, str, Kept | None]]:
        """Other readings of the same step and subject, a tap away: id, short words, what stands there."""
        return [
            (point, render(words), self.latest.get(point)) for point, words in nearby_points(self.plate, self.point)
        ]

    @property
    def marked(self) -> tuple[str, ...]:
        """The terminals the probes stand on: one while the second is awaited."""
        if self.view.mark:
            return (self.view.mark,)
        places = self.point.terminals
        return places if len(places) == 2 else ()

    @property
    def probe_links(self) -> tuple[tuple[Probe, str], ...]:
        """Every terminal a probe can be put on, with what a tap on it asks for."""
        return tuple((probe, self.second_probe(probe.terminal)) for probe in self.board.probes)

    def second_probe(self, terminal: str) -> str:
        """Return what a tap on a terminal asks for: the first probe, or the reading between first and second."""
        if self.view.mark and self.view.mark != terminal:
            function = "ohms" if self.visit.condition.is_proven_dead else "volts"
            coils = wire(self.plate).dc_terminals
            if function == "volts" and (terminal in coils or self.view.mark in coils):
                function = "dc_volts"
            return f"{self.url}?point={function}:{self.view.mark}:{terminal}"
        return f"{self.url}?mark={terminal}&point={self.selected}"

    @property
    def current(self) -> Kept | None:
        """The reading that stands at the pad's point."""
        return self.latest.get(self.selected)

    @property
    def at_point(self) -> list[Kept]:
        """The last few readings taken at the pad's point, newest first."""
        return self.readings.at_point(self.selected)

    @cached_property
    def expected(self) -> Verdict | None:
        """What the point should read under the present condition, if the core can tell."""
        if self.view.hand and self.can_be_in_hand:
            try:
                hand = Condition(in_hand=self.view.hand)
                return self.visit.verdict_of(Reading(point=self.selected, value=0.0, condition=hand))
            except PlentarError:
                return None
        return self.visit.expected(self.selected)

    def is_own_meter(self, meter: str) -> bool:
        """Tell whether a reading was read with the call's own meter, not with another of the shop's."""
        return meter in ("", str(getattr(self.call, "meter_id", meter)))

    @cached_property
    def shown_fault(self) -> str:
        """The fault the board is drawn with: the one picked, else the likeliest; empty while all may be well."""
        if self.view.show:
            return self.view.show if self.view.show in {fault.id for fault in faults_of(self.plate)} else ""
        return likeliest_fault(self.visit)

    @property
    def shown_title(self) -> str:
        """The fault the board is drawn with, in words."""
        return render(fault_by_id(self.plate, self.shown_fault).title) if self.shown_fault else ""

    @cached_property
    def halos(self) -> Mapping[str, float]:
        """Suspected parts with their share."""
        return halos_of(self.visit)

    @cached_property
    def board(self) -> Board:
        """The circuit as it stands under the condition stated, with the fault that is shown."""
        return board_of(
            self.visit,
            self.latest,
            selected=self.selected,
            marked=self.marked,
            fault=self.shown_fault,
            halos=self.halos,
            step=self.view.step,
            is_narrow=self.view.is_narrow,
        )

    def spoken_place(self, name: str) -> str:
        """Return a point or a terminal in words."""
        return spoken_place(self.plate, name)

    @property
    def next_point(self) -> Point | None:
        """The point of the next best test or, without one on the board, the next unread in the order of work."""
        best = self.visit.next_test
        if best is not None and not best.test.step and best.test.point != self.selected:
            return find_point(self.plate, best.test.point)
        order = list(self.points.values())
        start = order.index(self.point) if self.point in order else -1
        unread = [p for p in order[start + 1 :] + order[:start] if p.id not in self.latest]
        wanted = [p for p in unread if p.step != "trace" and (p.subject != "G" or self.visit.condition.is_called("G"))]
        wanted += [p for p in unread if self._worth_tracing(p)]
        return wanted[0] if wanted else None

    @property
    def after_saving(self) -> str:
        """The point the pad goes on to once a number was saved here.

        It stays where the number asks something, where all waits, and where what comes next is no reading: a list to
        go through, a cause to accept.
        """
        advice, kept = self.visit.advice, self.current
        if (kept is not None and kept.verdict.meant is not None) or self.asks_service:
            return self.selected
        if advice.kind in ("prove", "again", "test", "check") and advice.point:
            best = self.visit.next_test
            is_reading = advice.kind != "test" or best is None or not best.test.step
            return advice.point if is_reading and self.visit.knows(advice.point) else self.selected
        if advice.kind == "check" and self.next_point is not None:
            return self.next_point.id
        return self.selected

    @property
    def asks_service(self) -> bool:
        """True where the volts last read at a feed fit a 208 V service: that is asked before anything is judged."""
        kept = [self.latest[line] for feed in self.plate.feeds if (line := line_volts(feed.id)) in self.latest]
        return any(fits_208(self.plate, entry.judged.reading, self.visit.limits) for entry in kept)

    def _worth_tracing(self, point: Point) -> bool:
        strip = self.latest.get(amps_at(point.subject))
        return point.step == "trace" and strip is not None and strip.verdict.grade is Grade.FAIL

    @cached_property
    def steps(self) -> list[RunSheetStep]:
        """The run sheet."""
        return run_sheet(self.visit, self.latest, self.safe_lines)

    @cached_property
    def safe_lines(self) -> tuple[SafeLine, ...]:
        """The Safe list as it stands for whoever looks; the readings are done when R to C and the part are read too."""
        lines = self.visit.safe_lines(self.person)
        if (self.visit.lockout.is_dead and not self._lacks_part) or all(entry.is_done for entry in self.dead_groups):
            return lines
        return tuple(replace(line, is_done=False) if line.kind == "readings" else line for line in lines)

    @cached_property
    def dead_groups(self) -> list[DeadEntry]:
        """The proof of dead as it is entered: the highest number of each feed, of each two feeds, R to C, the part."""
        lockout = self.visit.lockout
        read = {pair.point: pair.volts for pair in lockout.pairs if pair.volts is not None}
        control = self.latest.get(find_point(self.plate, CONTROL_POINT).id)
        if control is not None and all(state != "live" for _, state in control.condition.feeds):
            read[CONTROL_POINT] = control.value
        found = []
        for group in dead_groups(self.plate):
            own = [read[point] for point in group.points if point in read]
            is_done = len(own) == len(group.points)
            volts = max(own) if is_done else 0.0
            found.append(
                DeadEntry(about=group.about, words=group.words, count=len(group.points), is_done=is_done, volts=volts)
            )
        part = self.part_to_touch
        if part:
            ends = ends_to_touch(self.plate, part)
            is_done = bool(ends) and set(ends) <= lockout.parts_read_low
            words = touch_words(self.plate, part)
            found.append(DeadEntry(about=part, words=words, count=len(ends), is_done=is_done, volts=0.0))
        return found

    @property
    def part_to_touch(self) -> str:
        """The part that is worked on next: of the accepted cause, else of the leading suspect; empty for none."""
        known = {fault.id: fault for fault in faults_of(self.plate)}
        leading = [name for cause in self.visit.suspects[:1] for name in cause.faults]
        named = [known[name] for name in (*self.visit.record.blamed_faults, *leading) if name in known]
        # Behind an opened link its element and its limit are read too: the strip is one place to work at.
        parts = [fault.part.partition(".")[0] if fault.part.endswith(".link") else fault.part for fault in named]
        leading_part = next((part for part in parts if ends_to_touch(self.plate, part)), "")
        if not self._lacks_part:
            return leading_part
        # What is to be read by ohms now is touched first, where that is another part.
        spot = spot_of(self.selected)
        own = spot.part or ":".join(place for place in spot.places if place != GROUND)
        is_covered = set(ends_to_touch(self.plate, own)) <= set(ends_to_touch(self.plate, leading_part))
        return leading_part if is_covered else own

    @property
    def _lacks_part(self) -> bool:
        """True where ohms wait for nothing but the part itself, which was not read dead yet."""
        return isinstance(self.refusal, Message) and self.refusal.id == PART_FIRST

    def pair_words(self, point_id: str) -> str:
        """Two places of the dead test in few words: `L1 to L2`, with the feed's number where there are several."""
        several = len(self.plate.feeds) > 1

        def words(place: str) -> str:
            if place == "ground":
                return "frame"
            of = place_of(place)
            return f"{of.leg.upper()} of {of.owner.replace('-', ' ')}" if several else of.leg.upper()

        return " to ".join(words(place) for place in spot_of(point_id).places)

    @cached_property
    def look_groups(self) -> list[LookGroup]:
        """The look-over by what is seen in one glance."""
        return look_groups(self.visit)

    def expected_rises(self) -> list[tuple[int, float]]:
        """Rise to expect with one strip, two, and so on, at the airflow found."""
        air = self.visit.air
        if air is None or air.cfm is None:
            return []
        one = self.plate.total_rated_watts / len(self.plate.circuits)
        counts = range(1, len(self.plate.circuits) + 1)
        return [(n, expected_rise_degf(n * one, air.cfm, air.air_factor)) for n in counts]

    @property
    def first_of_step(self) -> Mapping[str, str]:
        """The point each step opens on: its first unread one, else its first."""
        firsts: dict[str, str] = {}
        for point in self.points.values():
            current = firsts.get(point.step)
            if current is None or (current in self.visit.latest_now and point.id not in self.visit.latest_now):
                firsts[point.step] = point.id
        return firsts

    def label_of(self, point_id: str) -> str:
        """A point's name in words."""
        return render(find_point(self.plate, point_id).label)

    @cached_property
    def undo(self) -> Undo | None:
        """What takes back the last thing this person did, if that can be taken back."""
        return undo_of(self.visit.record, self.plate, self.person, self.visit.moment) if self.person else None

    def condition_words(self) -> dict[str, Any]:
        """The condition strip: feeds, control and calls with what each would switch to."""
        lockout = self.visit.lockout
        states = [lockout.feeds[feed.id] for feed in self.plate.feeds]
        worst = min(states, key=("live", "off", "proven dead").index)
        return {
            "feeds": [(feed.id, lockout.feeds[feed.id]) for feed in self.plate.feeds],
            "worst_feed": worst,
            "feed_summary": feed_summary(states),
            "control": lockout.control,
            "calls": [(call, call in lockout.calls) for call in self.plate.calls],
            "since": lockout.changed_at,
            "seconds": int(self.visit.condition.seconds_since_change or 0),
            "last_call": next(iter(lockout.calls), ""),
            "heat_call": next((call for call in ("W", "W2") if call in lockout.calls), ""),
            "bypassed": lockout.bypassed,
        }
