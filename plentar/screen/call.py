"""What the call screen shows: a visit with the point that is selected, its rails and its board."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from plentar.core.causes.faults import fault_by_id, faults_of
from plentar.core.causes.line_state import line_states
from plentar.core.circuit.places import find_point, nearby_points, terminal_words
from plentar.core.circuit.wiring import wire
from plentar.core.errors import PlentarError
from plentar.core.evidence.events import (
    OPENED_AT,
    Amended,
    Approved,
    Caused,
    Fitted,
    Landed,
    Marked,
    Noted,
    Observed,
    Photographed,
    RepairSettled,
    Temporary,
)
from plentar.core.evidence.lockout import Lockout
from plentar.core.evidence.reading import Condition, Hand, Reading
from plentar.core.evidence.signs import GROUPS, SignGroup, sign_of
from plentar.core.judging.air import expected_rise_degf
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import amps_at, place_of, spot_of
from plentar.core.unit.points import Point, test_points
from plentar.core.visit import Visit
from plentar.core.visit_results import AirResult, Airstream, Judged
from plentar.core.work.safety import SafeLine, condition_refusal
from plentar.core.work.undo import Undo, undo_of
from plentar.screen.drawings.band_rail import BandRail, band_rail
from plentar.screen.drawings.ladder import Board, Probe, Row, draw_board
from plentar.screen.event_lines import Shown, shown
from plentar.words import render
from plentar.words.figures import apart, degrees

if TYPE_CHECKING:
    from plentar.core.causes.diagnosis import Cause

__all__ = ["CallScreen", "Kept", "RunSheetStep", "View"]

STEPS = (
    ("complaint", "Complaint"),
    ("nameplate", "Nameplate"),
    ("safe", "Safe"),
    ("look", "Look"),
    ("supply", "Supply"),
    ("heat-call", "Heat call"),
    ("strips", "Strips"),
    ("trace", "Trace"),
    ("timing", "Timing"),
    ("air", "Air"),
    ("blower", "Blower, interlock"),
    ("control", "Control circuit"),
    ("circuit", "Circuit"),
    ("heat-pump", "Heat pump"),
    ("fix", "Fix"),
    ("prove", "Prove"),
    ("hand-over", "Hand over"),
)
# Drawn healthy while the readings still allow it by this share, and drawn with a fault only where some failure of that
# part is likelier than not.
DRAWN_FROM = 0.5
WELL_ENOUGH, HALO_FROM = 0.2, 0.15
WORST_FIRST = (Grade.FAIL, Grade.MARGINAL, Grade.NOT_PROVEN, Grade.PASS)


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """A reading as kept, with its verdict in the light of what stands now and its rail."""

    judged: Judged
    rail: BandRail

    @property
    def id(self) -> str:
        """The event's id."""
        return self.judged.taken.id

    @property
    def value(self) -> float:
        """What was read."""
        return self.judged.reading.value

    @property
    def meter_uncertainty(self) -> float:
        """The meter's half-width."""
        return self.judged.reading.meter_uncertainty

    @property
    def point(self) -> Point:
        """Where."""
        return self.judged.point

    @property
    def verdict(self) -> Verdict:
        """What it is worth."""
        return self.judged.verdict

    @property
    def condition(self) -> Condition:
        """Under what."""
        return self.judged.reading.condition

    @property
    def meter(self) -> str:
        """The id of the meter it was read with."""
        return self.judged.reading.meter

    @property
    def calibrated_on(self) -> str:
        """The day that meter had been calibrated when it was read, as ISO 8601; nothing where nobody said."""
        return self.judged.taken.action.calibrated_on

    @property
    def mode(self) -> str:
        """The meter's mode."""
        return self.judged.reading.mode

    @property
    def at(self) -> float:
        """When it was taken [s since 1970]."""
        return self.judged.taken.event.done_at

    @property
    def by(self) -> str:
        """Who took it."""
        return self.judged.taken.event.by

    @property
    def reason(self) -> str:
        """Why it corrects another."""
        return self.judged.taken.action.reason

    @property
    def is_superseded(self) -> bool:
        """True when it counts no more."""
        return self.judged.is_superseded


@dataclass(frozen=True, slots=True, kw_only=True)
class RunSheetStep:
    """One line of the run sheet."""

    id: str
    name: str
    state: str
    note: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LookGroup:
    """Lines of the look-over seen in one glance: nothing (else) found, some looked at by themselves, or neither."""

    group: SignGroup
    is_seen: bool
    is_touched: bool
    has_found: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Work:
    """What was done on the call, as papers tell it."""

    fitted: list[Shown[Fitted]]
    approvals: list[Shown[Approved]]
    temporaries: list[tuple[Shown[Temporary], bool]]
    ledgers: list[Shown[Landed]]
    settled: Shown[RepairSettled] | None

    @property
    def any(self) -> bool:
        """True when there is anything to tell."""
        return bool(self.fitted or self.approvals or self.temporaries or self.ledgers or self.settled)


@dataclass(frozen=True, slots=True, kw_only=True)
class View:
    """How the page is looked at just now: a first probe waiting for its second, a fault picked for the board.

    `hand` is set while the part under the pad is out of the unit; `step` is the step beside the board.
    """

    mark: str = ""
    show: str = ""
    hand: Hand = ""
    step: str = ""


# Whose call it is, where and when: the server knows, templates ask for it.
C = TypeVar("C")


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
        self._kept: dict[str, Kept] = {}

    @property
    def lockout(self) -> Lockout:
        """What is live, off or dead."""
        return self.visit.lockout

    @property
    def condition(self) -> Condition:
        """The unit's condition now; of the part in the hand while one is."""
        return self.visit.condition

    def _keep(self, judged: Judged) -> Kept:
        if judged.taken.id not in self._kept:
            self._kept[judged.taken.id] = Kept(judged=judged, rail=band_rail(judged.verdict))
        return self._kept[judged.taken.id]

    @property
    def kept(self) -> list[Kept]:
        """Every reading with its verdict, oldest first."""
        return [self._keep(judged) for judged in self.visit.judged]

    @cached_property
    def latest(self) -> Mapping[str, Kept]:
        """The newest standing reading of each point."""
        return {point: self._keep(judged) for point, judged in self.visit.latest.items()}

    @property
    def point(self) -> Point:
        """The point the pad is set to."""
        return find_point(self.plate, self.selected)

    @property
    def can_be_in_hand(self) -> bool:
        """True where the pad is on a part's own ohms: it may be out of the unit."""
        return self.point.quantity == "ohms" and len(self.point.terminals) < 2

    @property
    def refusal(self) -> str:
        """Why the pad takes no number here now: ohms on what is not proven dead."""
        if self.view.hand and self.can_be_in_hand:
            hand = Condition(in_hand=self.view.hand)
            return render(condition_refusal(self.plate, hand, self.selected))
        return render(self.visit.refusal(self.selected, self.person))

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
        is_off = any(state != "live" for _, state in self.condition.feeds)
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
            function = "ohms" if self.condition.is_proven_dead else "volts"
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
        return [self._keep(judged) for judged in self.visit.at_point(self.selected)]

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
        """The fault the board is drawn with: the one picked, else the first suspect; empty while all may be well."""
        known = {fault.id: fault for fault in faults_of(self.plate)}
        if self.view.show:
            return self.view.show if self.view.show in known and self.view.show != "healthy" else ""
        suspects = self.visit.suspects
        well = sum(cause.probability for cause in suspects if "healthy" in cause.faults)
        lead = next((cause for cause in suspects if cause.faults[0] in known), None)
        if lead is None or lead.faults[0] == "healthy" or well > WELL_ENOUGH:
            return ""
        # However it failed, a part that is at fault leaves mostly the same picture: the rung that draws nothing.
        owner = place_of(known[lead.faults[0]].part).owner
        if sum(cause.probability for cause in suspects if _is_of(cause, owner)) < DRAWN_FROM:
            return ""
        return lead.faults[0]

    @property
    def shown_title(self) -> str:
        """The fault the board is drawn with, in words."""
        return render(fault_by_id(self.plate, self.shown_fault).title) if self.shown_fault else ""

    @cached_property
    def board(self) -> Board:
        """The circuit as it stands under the condition stated, with the fault that is shown."""
        faults = [self.shown_fault] if self.shown_fault else []
        return draw_board(
            self.plate,
            line=line_states(self.plate, self.condition, faults, self.visit.limits),
            verdicts={name: kept.verdict for name, kept in self.latest.items()},
            labels={point.id: f"{render(point.label)}, {render(point.where)}" for point in self.points.values()},
            selected=self.selected,
            words=self._spoken_place,
            marked=self.marked,
            isolated=self.condition.is_proven_dead,
            suspects=self._halos(),
            pinned=self._pins(),
            opened={feed: OPENED_AT.get(device, "") for feed, device in self.lockout.opened.items()},
            dead=self.lockout.feeds_are_dead,
            past=frozenset(self.latest.keys() - self.visit.latest_now.keys()),
            blower_rows=self._blower_rows() if self.view.step == "blower" else (),
            currents=self._currents() if self.view.step == "control" else {},
        )

    def _blower_rows(self) -> list[Row]:
        rows = []
        for row in self.visit.blower_rows:
            ran = "" if row.seen_blower is None else "runs" if row.seen_blower else "stands still"
            heat = "" if row.seen_strips is None else "heat" if row.seen_strips else "cold"
            seen = ", ".join(word for word in (ran, heat) if word) or "not looked at"
            verdict = "" if row.agrees is None else "pass" if row.agrees else "fail"
            rows.append((render(row.words), seen, verdict))
        return rows

    def _currents(self) -> dict[str, Row]:
        """The control current of each call alone, at the first rung that call feeds."""
        found = {}
        for row in self.visit.currents:
            alone = [call for call in row.calls if len(row.calls) == 1 or call == "W"]
            if len(alone) == 1 and "G" not in row.calls - {alone[0]}:
                read = f"{row.whole.value:.2f} A read" if row.whole else "not read"
                verdict = row.whole.grade.value.replace(" ", "-") if row.whole else ""
                found[alone[0]] = (f"{row.expected_amps:.2f} A due", read, verdict)
        return found

    def _pins(self) -> dict[str, tuple[str, str]]:
        """What was found or photographed, part by part: `!` for a find, the count of photos."""
        finds: dict[str, list[str]] = {}
        shots: dict[str, int] = {}
        for _, action in self.visit.record.found:
            sign = sign_of(action.sign)
            if action.about and sign is not None:
                finds.setdefault(action.about, []).append(render(sign.words))
        for _, photo in self.visit.record.of(Photographed):
            if photo.part:
                shots[photo.part] = shots.get(photo.part, 0) + 1
        pins = {}
        for part in {*finds, *shots}:
            words = finds.get(part, [])
            count = shots.get(part, 0)
            said = "; ".join([*words, f"{count} photo{'s' if count > 1 else ''}"] if count else words)
            pins[part] = (f"{'!' if words else ''}{count or ''}", said)
        return pins

    def _spoken_place(self, name: str) -> str:
        if ":" in name:
            point = find_point(self.plate, name)
            return f"{render(point.label)}, {render(point.where)}"
        return f"probe on {render(terminal_words(self.plate, name))}"

    def _halos(self) -> dict[str, float]:
        halos: dict[str, float] = {}
        for cause in self.visit.suspects:
            for fault_id in cause.faults[:2]:
                part = fault_id.rpartition(".")[0]
                if cause.probability >= HALO_FROM and part and part not in halos:
                    halos[part] = cause.probability
        return dict(list(halos.items())[:3])

    @property
    def next_point(self) -> Point | None:
        """The point of the next best test or, without one on the board, the next unread in the order of work."""
        best = self.visit.next_test
        if best is not None and not best.test.step and best.test.point != self.selected:
            return find_point(self.plate, best.test.point)
        order = list(self.points.values())
        start = order.index(self.point) if self.point in order else -1
        unread = [p for p in order[start + 1 :] + order[:start] if p.id not in self.latest]
        wanted = [p for p in unread if p.step != "trace" and (p.subject != "G" or self.condition.is_called("G"))]
        wanted += [p for p in unread if self._worth_tracing(p)]
        return wanted[0] if wanted else None

    def _worth_tracing(self, point: Point) -> bool:
        strip = self.latest.get(amps_at(point.subject))
        return point.step == "trace" and strip is not None and strip.verdict.grade is Grade.FAIL

    @cached_property
    def steps(self) -> list[RunSheetStep]:
        """The run sheet."""
        fixed = {
            "complaint": ("pass", " · ".join(self.visit.complaints)),
            "nameplate": ("pass", self._plate_note()),
            "safe": self._safe_step(),
            "look": self._look_step(),
            "timing": self._timing_step(),
            "air": self._air_step(),
            "blower": self._seen_step("row-blower"),
            "control": ("not-proven", "landings kept") if self.visit.record.map else ("open", ""),
            "circuit": self._circuit_step(),
            "heat-pump": self._weather_step(),
            "fix": self._fix_step(),
            "prove": self._prove_step(),
            "hand-over": ("pass" if self.visit.record.closed is not None else "open", "report"),
        }
        steps = []
        for step_id, name in STEPS:
            state, note = fixed[step_id] if step_id in fixed else self._read_step(step_id)
            steps.append(RunSheetStep(id=step_id, name=name, state=state, note=note))
        return steps

    @cached_property
    def safe_lines(self) -> tuple[SafeLine, ...]:
        """The Safe list as it stands for whoever looks."""
        return self.visit.safe_lines(self.person)

    def pair_words(self, point_id: str) -> str:
        """Two places of the dead test in few words: `L1 to L2`, with the feed's number where there are several."""
        several = len(self.plate.feeds) > 1

        def words(place: str) -> str:
            if place == "ground":
                return "frame"
            of = place_of(place)
            return f"{of.leg.upper()} of {of.owner.replace('-', ' ')}" if several else of.leg.upper()

        return " to ".join(words(place) for place in spot_of(point_id).places)

    def _safe_step(self) -> tuple[str, str]:
        if self.lockout.is_dead:
            return "pass", "proven dead"
        if any(state != "live" for state in self.lockout.feeds.values()):
            done = sum(line.is_done for line in self.safe_lines)
            return "not-proven", f"off, not proven · {done} of {len(self.safe_lines)}"
        return "open", "live"

    def _look_step(self) -> tuple[str, str]:
        looked = [action for (sign, _), (_, action) in self.visit.record.seen.items() if sign_of(sign) is not None]
        looked = [action for action in looked if action.state != "undone"]
        found = [action for action in looked if action.state == "found"]
        if not looked:
            return "open", ""
        # A group seen at a glance is no line looked at.
        groups = sum(entry.is_seen for entry in self.look_groups)
        fine = len(looked) - len(found) - groups
        told = [f"{len(found)} found", f"{fine} fine", *([f"{groups} seen"] if groups else [])]
        whole = all(entry.is_seen or entry.is_touched for entry in self.look_groups)
        return ("marginal" if found else "pass" if whole else "not-proven"), ", ".join(told)

    @cached_property
    def look_groups(self) -> list[LookGroup]:
        """The look-over by what is seen in one glance."""
        state = self.visit.state_of
        touched = {sign for (sign, _), (_, action) in self.visit.record.seen.items() if action.state != "undone"}
        found = {action.sign for _, action in self.visit.record.found}
        return [
            LookGroup(
                group=group,
                is_seen=state(group.sign.kind) == "fine",
                is_touched=any(line.kind in touched for line in group.lines),
                has_found=any(line.kind in found for line in group.lines),
            )
            for group in GROUPS
        ]

    def _timing_step(self) -> tuple[str, str]:
        runs = self.visit.runs
        if not runs:
            return "open", ""
        worst = runs[-1][2].grade
        return worst.value.replace(" ", "-"), f"{len(runs)} run{'s' if len(runs) > 1 else ''}"

    def _air_step(self) -> tuple[str, str]:
        air = self.visit.air
        if air is None:
            return "open", ""
        flow = f" · {air.cfm:.0f} CFM" if air.cfm else ""
        return air.rise.grade.value.replace(" ", "-"), f"{apart(air.rise.value)}{flow}"

    def _seen_step(self, kind: str) -> tuple[str, str]:
        rows = [
            key for key, (_, action) in self.visit.record.seen.items() if key[0] == kind and action.state != "undone"
        ]
        return ("not-proven", f"{len(rows)} kept") if rows else ("open", "")

    def _circuit_step(self) -> tuple[str, str]:
        wrong = [part for part in self.visit.path if part.defects]
        if wrong:
            return "fail", render(wrong[0].name) + (f" and {len(wrong) - 1} more" if len(wrong) > 1 else "")
        unread = sum(bool(part.missing) for part in self.visit.path)
        return ("open", f"{unread} not read") if unread else ("pass", "")

    def _weather_step(self) -> tuple[str, str]:
        weather = self.visit.weather
        if weather is None or (self.plate.heat_pump is None and self.plate.house is None):
            return "open", ""
        short = weather.short_watts
        kilowatts = f"{short[1] / 1000:.1f} kW short" if short is not None and short[1] > 0 else "enough"
        return weather.grade.value.replace(" ", "-"), f"{degrees(weather.outdoor_degf)}, {kilowatts}"

    def _fix_step(self) -> tuple[str, str]:
        causes = self.visit.record.causes
        return ("pass", causes[-1][1].title) if causes else ("open", "")

    def _prove_step(self) -> tuple[str, str]:
        settled = self.visit.record.settled
        if self.visit.record.awaits_proof:
            return "not-proven", "repair to prove"
        if settled is None:
            return "open", ""
        return ("pass", "proven") if settled[1].is_proven else ("not-proven", "left unproven")

    @property
    def airs(self) -> list[AirResult]:
        """Air measurements that stand, oldest first."""
        return self.visit.airs

    @property
    def airstream(self) -> Airstream | None:
        """Watts into the air by what was read under the heat call that stands."""
        return self.visit.airstream()

    def expected_rises(self) -> list[tuple[int, float]]:
        """Rise to expect with one strip, two, and so on, at the airflow found."""
        air = self.visit.air
        if air is None or air.cfm is None:
            return []
        one = self.plate.total_rated_watts / len(self.plate.circuits)
        counts = range(1, len(self.plate.circuits) + 1)
        return [(n, expected_rise_degf(n * one, air.cfm, air.air_factor)) for n in counts]

    def _plate_note(self) -> str:
        ratings = [f"{circuit.rated_watts / 1000:g}" for circuit in self.plate.circuits]
        same = len(set(ratings)) == 1
        split = f"{len(ratings)} × {ratings[0]} kW" if same else f"{' + '.join(ratings)} kW"
        return f"{split} · {render(self.plate.devices[0].of_kind.words)}"

    def _read_step(self, step_id: str) -> tuple[str, str]:
        own = [entry for entry in self.latest.values() if entry.point.step == step_id]
        kept = [entry for entry in own if entry.point.id in self.visit.latest_now]
        if not kept:
            return "open", f"before: {_brief(own[0])}" if own else ""
        worst = min((entry.verdict.grade for entry in kept), key=WORST_FIRST.index)
        note = " · ".join(f"{_brief(entry)}" for entry in kept[:3])
        return worst.value.replace(" ", "-"), note

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

    @property
    def photos(self) -> list[Shown[Photographed]]:
        """The photographs, oldest first."""
        return shown(self.visit.record, Photographed)

    @property
    def seen(self) -> list[Shown[Observed]]:
        """The newest of each sign looked at or found, undone ones left out."""
        return [Shown(event, action) for event, action in self.visit.record.seen.values() if action.state != "undone"]

    @property
    def accepted(self) -> list[tuple[Shown[Caused], bool]]:
        """Every accepted cause, each with whether it was taken back."""
        record = self.visit.record
        return [(Shown(event, action), event.id in record.voided) for event, action in record.all_of(Caused)]

    @property
    def causes(self) -> list[Shown[Caused]]:
        """The accepted causes that stand."""
        return shown(self.visit.record, Caused)

    @property
    def outcome_draft(self) -> str:
        """What was found and fitted, in one line, to be kept or changed by whoever closes the call."""
        found = "; ".join(cause.action.title for cause in self.causes)
        fitted = ", ".join(item.action.name for item in self.work.fitted)
        return ". ".join(part for part in (found, f"Fitted: {fitted}" if fitted else "") if part)

    @property
    def notes(self) -> list[Shown[Noted]]:
        """Lines written for the record, and what was kept from the interlock bench."""
        return shown(self.visit.record, Noted)

    @property
    def marks(self) -> list[Shown[Marked]]:
        """What stands written on parts, the newest of each: the filter's size, dates."""
        return [Shown(event, action) for event, action in self.visit.record.marks]

    @property
    def amended(self) -> Shown[Amended] | None:
        """The last time somebody set the complaint right."""
        kept = shown(self.visit.record, Amended)
        return kept[-1] if kept else None

    @cached_property
    def undo(self) -> Undo | None:
        """What takes back the last thing this person did, if that can be taken back."""
        return undo_of(self.visit.record, self.plate, self.person, self.visit.moment) if self.person else None

    @property
    def last_taken(self) -> Kept | None:
        """The reading that was kept last."""
        last = max(self.visit.standing, key=lambda entry: entry.event.seq, default=None)
        return self._keep(self.visit.judged_one(last)) if last is not None else None

    @property
    def work(self) -> Work:
        """What was done."""
        record = self.visit.record
        return Work(
            fitted=shown(record, Fitted),
            approvals=shown(record, Approved),
            temporaries=[(Shown(event, action), done) for event, action, done in record.open_temporaries],
            ledgers=[Shown(event, action) for event, action in record.ledgers.values()],
            settled=Shown(*record.settled) if record.settled is not None else None,
        )

    def condition_words(self) -> dict[str, Any]:
        """The condition strip: feeds, control and calls with what each would switch to."""
        lockout = self.lockout
        return {
            "feeds": [(feed.id, lockout.feeds[feed.id]) for feed in self.plate.feeds],
            "control": lockout.control,
            "calls": [(call, call in lockout.calls) for call in self.plate.calls],
            "since": lockout.changed_at,
            "seconds": int(self.condition.seconds_since_change or 0),
            "last_call": next(iter(lockout.calls), ""),
            "heat_call": next((call for call in ("W", "W2") if call in lockout.calls), ""),
            "bypassed": lockout.bypassed,
        }


def _brief(kept: Kept) -> str:
    short = render(kept.point.label).replace("Strip ", "").replace("Supply", "").replace(" at the board", "")
    return f"{short} {kept.verdict.value:.1f} {kept.point.unit}".strip()


def _is_of(cause: "Cause", owner: str) -> bool:
    return any(place_of(part).owner == owner for fault in cause.faults for part in fault.split("+"))
