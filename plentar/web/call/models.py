"""What the call screen shows, put together from the kept rows and the core."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property, lru_cache
from typing import Any
from uuid import UUID

from plentar.core.airflow import AirReading, AirVerdict, expected_rise_degf, judge_air, watts_in_airstream
from plentar.core.diagnosis import Cause, Diagnosis, Observation, diagnose
from plentar.core.errors import PlentarError, ReadingError
from plentar.core.faults import fault_by_id, faults_of
from plentar.core.findings import Finding, find
from plentar.core.judging import Situation, judge
from plentar.core.line_state import line_states
from plentar.core.metrology import Meter, MeterRange
from plentar.core.nameplate import Nameplate
from plentar.core.network.wiring import wire
from plentar.core.next_test import NextTest, next_tests
from plentar.core.observations import sign_of
from plentar.core.places import find_point, nearby_points, ohms_refusal, terminal_words
from plentar.core.points import Point, test_points
from plentar.core.readings import Condition, Reading, standing
from plentar.core.safety import SafeItem, safe_list
from plentar.core.supply_loss import SupplyLoss, supply_loss
from plentar.core.timing import RunVerdict, TimingRun, judge_run
from plentar.core.verdicts import Grade, Verdict
from plentar.formats.run_stamps import RunStamp, stamped_runs
from plentar.formats.stamps import condition_at
from plentar.formats.svg.band_rail import BandRail, band_rail
from plentar.formats.svg.ladder import Board, draw_board
from plentar.formats.unit_json import kept_nameplate
from plentar.store import calls
from plentar.store.models import Call
from plentar.store.models import Observation as ObservationRow
from plentar.store.models import Reading as ReadingRow
from plentar.web.call.gathered import Gathered
from plentar.web.kept import core_reading

__all__ = ["CallScreen", "Kept", "Step", "View", "meter_of"]

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
    ("fix", "Fix"),
    ("prove", "Prove"),
    ("hand-over", "Hand over"),
)
# Drawn healthy while the readings still allow it by this share.
WELL_ENOUGH, HALO_FROM = 0.2, 0.15
WORST_FIRST = (Grade.FAIL, Grade.MARGINAL, Grade.NOT_PROVEN, Grade.PASS)


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """A reading as kept, with its verdict in the light of what stands now."""

    row: ReadingRow
    point: Point
    verdict: Verdict
    rail: BandRail
    condition: Condition
    is_superseded: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One line of the run sheet."""

    id: str
    name: str
    state: str
    note: str


def meter_of(call: Call) -> Meter:
    """Return the core's meter for the one this call is done with."""
    return Meter(name=call.meter.name, ranges=tuple(MeterRange(**entry) for entry in call.meter.ranges))


@dataclass(frozen=True, slots=True, kw_only=True)
class Airstream:
    """What heats the air, as read: volts, each strip's amps, the blower's, and the watts of it all."""

    volts: float
    strips: Mapping[str, float]
    blower_amps: float | None
    watts: float
    uncertainty: float
    missing: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class View:
    """How the page is looked at just now: a first probe waiting for its second, a fault picked for the board."""

    mark: str = ""
    show: str = ""


class CallScreen:
    """A call with everything the screen and the report derive from it."""

    def __init__(
        self,
        call: Call,
        rows: Sequence[ReadingRow],
        moment: datetime,
        *,
        selected: str | None = None,
        gathered: Gathered | None = None,
        view: View | None = None,
    ) -> None:
        self.call = call
        self.moment = moment
        self.gathered = gathered or Gathered()
        self.view = view or View()
        self.plate: Nameplate = kept_nameplate(call.unit.nameplate)
        self.points: Mapping[str, Point] = {point.id: point for point in test_points(self.plate)}
        self.selected = selected if selected and self._knows(selected) else next(iter(self.points))
        self.condition = condition_at(call.condition, moment)
        self._rows = [row for row in rows if self._knows(row.point)]
        # Readings at points the plate has lost since stay on record, unjudged.
        self.strays = [row for row in rows if not self._knows(row.point)]
        kept_rows = calls.standing_readings(self._rows)
        self._standing_ids = {row.id for row in kept_rows}
        self.situation = Situation(plate=self.plate, readings=standing(core_reading(row) for row in kept_rows))

    def _knows(self, point_id: str) -> bool:
        try:
            find_point(self.plate, point_id)
        except ReadingError:
            return False
        return True

    @cached_property
    def kept(self) -> list[Kept]:
        """Every reading with its verdict, oldest first."""
        return [self._keep(row) for row in self._rows]

    def _keep(self, row: ReadingRow) -> Kept:
        reading = core_reading(row)
        verdict = judge(self.situation, reading)
        return Kept(
            row=row,
            point=find_point(self.plate, row.point),
            verdict=verdict,
            rail=band_rail(verdict),
            condition=reading.condition,
            is_superseded=row.id not in self._standing_ids,
        )

    @cached_property
    def latest(self) -> Mapping[str, Kept]:
        """The newest standing reading of each point."""
        newest = {row.point: row for row in self._rows if row.id in self._standing_ids}
        return {point: self._keep(row) for point, row in newest.items()}

    @property
    def plain_readings(self) -> list[tuple[Kept, str]]:
        """What a customer is shown: supply and what works or does not, by the newest sound reading."""
        words = {Grade.PASS: "yes", Grade.MARGINAL: "just", Grade.FAIL: "no", Grade.NOT_PROVEN: "not proven"}
        kept = [
            k for k in self.latest.values() if k.point.step in ("supply", "strips") and ":ground" not in k.row.point
        ]
        return [(k, words[k.verdict.grade]) for k in kept]

    @property
    def point(self) -> Point:
        """The point the pad is set to."""
        return find_point(self.plate, self.selected)

    @property
    def refusal(self) -> str:
        """Why the pad takes no number here now: ohms on what is not proven dead."""
        return ohms_refusal(self.plate, self.condition, self.selected)

    @property
    def functions(self) -> list[tuple[str, str, bool]]:
        """The meter functions that can be used between the two places of the pad: id, words, chosen."""
        places = self.point.terminals
        if len(places) != 2:
            return []
        rest = ":".join(places)
        names = (("volts", "V AC"), ("dc_volts", "V DC"), ("ohms", "Ω"))
        return [(f"{name}:{rest}", words, self.point.quantity == name) for name, words in names]

    @cached_property
    def nearby(self) -> list[tuple[str, str, Kept | None]]:
        """Other readings of the same step and subject, a tap away: id, short words, what stands there."""
        return [(point, words, self.latest.get(point)) for point, words in nearby_points(self.plate, self.point)]

    @property
    def marked(self) -> tuple[str, ...]:
        """The terminals the probes stand on: one while the second is awaited."""
        if self.view.mark:
            return (self.view.mark,)
        places = self.point.terminals
        return places if len(places) == 2 else ()

    def second_probe(self, terminal: str) -> str:
        """Return what a tap on a terminal asks for: the first probe, or the reading between first and second."""
        if self.view.mark and self.view.mark != terminal:
            function = "ohms" if self.condition.is_proven_dead else "volts"
            coils = wire(self.plate).dc_terminals
            if function == "volts" and (terminal in coils or self.view.mark in coils):
                function = "dc_volts"
            return f"?point={function}:{self.view.mark}:{terminal}"
        return f"?mark={terminal}&point={self.selected}"

    @property
    def current(self) -> Kept | None:
        """The reading that stands at the pad's point."""
        return self.latest.get(self.selected)

    @property
    def at_point(self) -> list[Kept]:
        """The last few readings taken at the pad's point, newest first."""
        rows = [row for row in reversed(self._rows) if row.point == self.selected]
        return [self._keep(row) for row in rows[:4]]

    def preview(self, reading: Reading) -> Verdict:
        """Judge a reading that is only typed so far."""
        return judge(self.situation, reading)

    @cached_property
    def expected(self) -> Verdict | None:
        """What the point should read under the present condition, if the core can tell."""
        try:
            return judge(self.situation, Reading(point=self.selected, value=0.0, condition=self.condition))
        except PlentarError:
            return None

    @cached_property
    def findings(self) -> list[Finding]:
        """What the readings imply, most serious first."""
        return find(self.situation, {name: kept.verdict for name, kept in self.latest.items()})

    @cached_property
    def losses(self) -> list[SupplyLoss]:
        """Each feed's sag, split into panel, wire and joint as far as it was read."""
        readings = [core_reading(row) for row in self._rows if row.id in self._standing_ids]
        found = [supply_loss(self.plate, feed.id, readings) for feed in self.plate.feeds]
        return [loss for loss in found if loss is not None]

    @cached_property
    def diagnosis(self) -> Diagnosis | None:
        """What the readings say of the causes; None before the first reading."""
        readings = [core_reading(row) for row in self._rows if row.id in self._standing_ids]
        signs = self.gathered.signs
        if not readings and not signs:
            return None
        return _diagnosed(self.plate, tuple(readings), tuple(self.call.complaints), tuple(signs))

    @cached_property
    def suspects(self) -> list[Cause]:
        """The causes worth showing, likeliest first."""
        causes = self.diagnosis.causes if self.diagnosis else ()
        return [cause for cause in causes if cause.probability >= 0.02][:4]

    @cached_property
    def next_test(self) -> NextTest | None:
        """The test that splits the remaining causes best for its cost."""
        if self.diagnosis is None:
            return None
        taken = {(row.point, frozenset(row.condition["calls"])) for row in self._rows if row.id in self._standing_ids}
        found = next_tests(self.diagnosis, self.condition, taken=taken, most=1)
        return found[0] if found and found[0].bits > 0.02 else None

    @cached_property
    def shown_fault(self) -> str:
        """The fault the board is drawn with: the one picked, else the first suspect; empty while all may be well."""
        known = {fault.id for fault in faults_of(self.plate)}
        if self.view.show:
            return self.view.show if self.view.show in known and self.view.show != "healthy" else ""
        well = sum(cause.probability for cause in self.suspects if "healthy" in cause.faults)
        lead = next((cause for cause in self.suspects if cause.faults[0] in known), None)
        if lead is None or lead.faults[0] == "healthy" or well > WELL_ENOUGH:
            return ""
        return lead.faults[0]

    @property
    def shown_title(self) -> str:
        """The fault the board is drawn with, in words."""
        return fault_by_id(self.plate, self.shown_fault).title if self.shown_fault else ""

    @cached_property
    def board(self) -> Board:
        """The circuit as it stands under the condition stated, with the fault that is shown."""
        faults = [self.shown_fault] if self.shown_fault else []
        return draw_board(
            self.plate,
            line=line_states(self.plate, self.condition, faults),
            verdicts={name: kept.verdict for name, kept in self.latest.items()},
            labels={point.id: f"{point.label}, {point.where}" for point in self.points.values()},
            selected=self.selected,
            words=self._spoken_place,
            marked=self.marked,
            isolated=self.condition.is_proven_dead,
            suspects=self._halos(),
            pinned=self._pins(),
        )

    def _pins(self) -> dict[str, tuple[str, str]]:
        """What was found or photographed, part by part: `!` for a find, the count of photos."""
        finds: dict[str, list[str]] = {}
        shots: dict[str, int] = {}
        for row in self.gathered.found:
            sign = sign_of(row.kind)
            if row.about and sign is not None:
                finds.setdefault(row.about, []).append(sign.words)
        for photo in self.gathered.photos:
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
            return f"{point.label}, {point.where}"
        return f"probe on {terminal_words(self.plate, name)}"

    def _halos(self) -> dict[str, float]:
        halos: dict[str, float] = {}
        for cause in self.suspects:
            for fault_id in cause.faults[:2]:
                part = fault_id.rpartition(".")[0]
                if cause.probability >= HALO_FROM and part and part not in halos:
                    halos[part] = cause.probability
        return dict(list(halos.items())[:3])

    @property
    def next_point(self) -> Point | None:
        """The point of the next best test or, without one on the board, the next unread in the order of work."""
        best = self.next_test
        if best is not None and best.test.point != self.selected:
            return find_point(self.plate, best.test.point)
        order = list(self.points.values())
        start = order.index(self.point) if self.point in order else -1
        unread = [p for p in order[start + 1 :] + order[:start] if p.id not in self.latest]
        wanted = [p for p in unread if p.step != "trace" and (p.subject != "G" or self.condition.is_called("G"))]
        wanted += [p for p in unread if self._worth_tracing(p)]
        return wanted[0] if wanted else None

    def _worth_tracing(self, point: Point) -> bool:
        strip = self.latest.get(f"amps:{point.subject}")
        return point.step == "trace" and strip is not None and strip.verdict.grade is Grade.FAIL

    @cached_property
    def steps(self) -> list[Step]:
        """The run sheet."""
        fixed = {
            "complaint": ("pass", " · ".join(self.call.complaints)),
            "nameplate": ("pass", self._plate_note()),
            "safe": self._safe_step(),
            "look": self._look_step(),
            "timing": self._timing_step(),
            "air": self._air_step(),
            "blower": self._seen_step("row-blower"),
            "control": self._seen_step("map"),
            "fix": self._fix_step(),
            "prove": ("open", ""),
            "hand-over": ("pass" if self.call.status == "closed" else "open", "report"),
        }
        steps = []
        for step_id, name in STEPS:
            state, note = fixed[step_id] if step_id in fixed else self._read_step(step_id)
            steps.append(Step(id=step_id, name=name, state=state, note=note))
        return steps

    @cached_property
    def safe_done(self) -> dict[tuple[str, str], ObservationRow]:
        """The lines of the Safe list that are ticked and still count: nothing was made live since."""
        since = datetime.fromisoformat(self.call.condition.get("live_since", self.call.condition["changed_at"]))
        standing = {key: row for key, row in self.gathered.standing.items() if key[0].startswith("safe-")}
        return {key: row for key, row in standing.items() if row.state == "done" and row.at >= since}

    @property
    def safe_items(self) -> list[tuple[SafeItem, ObservationRow | None]]:
        """The Safe list with what was ticked."""
        return [(item, self.safe_done.get((item.kind, item.about))) for item in safe_list(self.plate)]

    def _safe_step(self) -> tuple[str, str]:
        if self.condition.is_proven_dead:
            return "pass", "proven dead"
        done = sum(row is not None for _, row in self.safe_items)
        return "open", f"{done} of {len(self.safe_items)}" if done else "live"

    def _look_step(self) -> tuple[str, str]:
        looked = [row for key, row in self.gathered.standing.items() if sign_of(key[0]) is not None]
        found = [row for row in looked if row.state == "found"]
        if not looked:
            return "open", ""
        return ("marginal" if found else "pass"), f"{len(found)} found, {len(looked) - len(found)} fine"

    @cached_property
    def runs(self) -> list[tuple[str, TimingRun, RunVerdict]]:
        """Timing runs by the stopwatch, judged."""
        stamps = [
            RunStamp(kind=row.kind, about=row.about, is_undone=row.state == "undone", at=row.at)
            for row in self.gathered.observations
            if row.kind.startswith("run-")
        ]
        seen = [(f"Run {run.number}", run.seen(self.moment)) for run in stamped_runs(stamps)]
        return [(name, run, judge_run(self.plate, run)) for name, run in seen]

    def _timing_step(self) -> tuple[str, str]:
        if not self.runs:
            return "open", ""
        verdict = self.runs[-1][2]
        grades = [entry.on.grade for entry in verdict.stages] + [e.off.grade for e in verdict.stages if e.off]
        worst = min(grades, key=WORST_FIRST.index)
        return worst.value.replace(" ", "-"), f"{len(self.runs)} run{'s' if len(self.runs) > 1 else ''}"

    def _air_step(self) -> tuple[str, str]:
        return ("open", "") if self.air is None else (self.air.rise.grade.value.replace(" ", "-"), self._air_note())

    @cached_property
    def airs(self) -> list[tuple[str, dict[str, Any], AirVerdict]]:
        """Air measurements that stand, oldest first: with which filter, the figures, the verdict."""
        rows = [row for key, row in self.gathered.standing.items() if key[0] == "air" and row.state == "done"]
        found = []
        for row in sorted(rows, key=lambda row: row.at):
            figures = json.loads(row.note)
            found.append((row.about, figures, judge_air(self.plate, AirReading(**figures["reading"]))))
        return found

    @property
    def air(self) -> AirVerdict | None:
        """The newest air measurement, judged."""
        return self.airs[-1][2] if self.airs else None

    def _seen_step(self, kind: str) -> tuple[str, str]:
        rows = [key for key, row in self.gathered.standing.items() if key[0] == kind and row.state != "undone"]
        return ("not-proven", f"{len(rows)} kept") if rows else ("open", "")

    def _fix_step(self) -> tuple[str, str]:
        if not self.gathered.causes:
            return "open", ""
        return "pass", self.gathered.causes[-1].title

    def _air_note(self) -> str:
        assert self.air is not None  # noqa: S101 - asked only with one
        flow = f" · {self.air.cfm:.0f} CFM" if self.air.cfm else ""
        return f"{self.air.rise.value:.0f} °F{flow}"

    @cached_property
    def airstream(self) -> Airstream | None:
        """Watts into the air by what was read under the heat call that stands; None without volts and a strip."""
        under = [
            row
            for row in self._rows
            if row.id in self._standing_ids and "W" in row.condition["calls"] and row.value >= 0
        ]
        newest = {row.point: row for row in under}
        strips = {c.id: newest[f"amps:{c.id}"].value for c in self.plate.circuits if f"amps:{c.id}" in newest}
        line = next((r for f in self.plate.feeds if (r := newest.get(f"volts:{f.id}.l1:{f.id}.l2"))), None)
        if line is None or not strips:
            return None
        blower = newest.get("amps:blower")
        watts = watts_in_airstream(self.plate, line.value, strips, blower.value if blower else None)
        share = line.meter_uncertainty / max(line.value, 1) + sum(
            newest[f"amps:{name}"].meter_uncertainty for name in strips
        ) / max(sum(strips.values()), 1.0)
        missing = [c.name for c in self.plate.circuits if c.id not in strips]
        return Airstream(
            volts=line.value,
            strips=strips,
            blower_amps=blower.value if blower else None,
            watts=watts,
            uncertainty=watts * share,
            missing=tuple(missing),
        )

    def expected_rises(self) -> list[tuple[int, float]]:
        """Rise to expect with one strip, two, and so on, at the airflow found."""
        if self.air is None or self.air.cfm is None:
            return []
        one = self.plate.total_rated_watts / len(self.plate.circuits)
        counts = range(1, len(self.plate.circuits) + 1)
        return [(n, expected_rise_degf(n * one, self.air.cfm, self.air.air_factor)) for n in counts]

    def _plate_note(self) -> str:
        ratings = [f"{circuit.rated_watts / 1000:g}" for circuit in self.plate.circuits]
        same = len(set(ratings)) == 1
        split = f"{len(ratings)} × {ratings[0]} kW" if same else f"{' + '.join(ratings)} kW"
        return f"{split} · {self.plate.devices[0].kind}"

    def _read_step(self, step_id: str) -> tuple[str, str]:
        kept = [entry for entry in self.latest.values() if entry.point.step == step_id]
        if not kept:
            return "open", ""
        worst = min((entry.verdict.grade for entry in kept), key=WORST_FIRST.index)
        note = " · ".join(f"{_brief(entry)}" for entry in kept[:3])
        return worst.value.replace(" ", "-"), note

    @property
    def first_of_step(self) -> Mapping[str, str]:
        """The point each step opens on: its first unread one, else its first."""
        firsts: dict[str, str] = {}
        for point in self.points.values():
            current = firsts.get(point.step)
            if current is None or (current in self.latest and point.id not in self.latest):
                firsts[point.step] = point.id
        return firsts

    def label_of(self, point_id: str) -> str:
        """A point's name in words."""
        return find_point(self.plate, point_id).label

    def is_standing(self, reading_id: UUID) -> bool:
        """Tell whether a reading stands, not corrected by another."""
        return reading_id in self._standing_ids

    def has_reading(self, reading_id: UUID) -> ReadingRow | None:
        """Return the kept reading with this id, if the call has it."""
        return next((row for row in self._rows if row.id == reading_id), None)

    def condition_words(self) -> dict[str, Any]:
        """The condition strip: feeds, control and calls with what each would switch to."""
        stamp = self.call.condition
        return {
            "feeds": [(feed.id, stamp["feeds"].get(feed.id, "live")) for feed in self.plate.feeds],
            "control": stamp["control"],
            "calls": [(call, call in stamp["calls"]) for call in self.plate.calls],
            "since": stamp["changed_at"],
            "seconds": int(self.condition.seconds_since_change or 0),
            "last_call": next(iter(stamp["calls"]), ""),
            "bypassed": stamp.get("bypassed", False),
        }


@lru_cache(maxsize=16)
def _diagnosed(
    plate: Nameplate, readings: tuple[Reading, ...], complaints: tuple[str, ...], signs: tuple[Observation, ...]
) -> Diagnosis:
    """Everyone who looks at a call sees the same diagnosis: it is worked out once."""
    return diagnose(plate, readings, complaints=complaints, observations=signs)


def _brief(kept: Kept) -> str:
    short = kept.point.label.replace("Strip ", "").replace("Supply", "").replace(" at the board", "")
    return f"{short} {kept.verdict.value:.1f} {kept.point.unit}".strip()
