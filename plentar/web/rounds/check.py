"""The short form of a round's call: what a healthy unit reads, standing beside each field; three conditions, one run.

It keeps the same actions as the whole room, under the conditions the switches make: nothing is stamped that was not so.
"""

from collections.abc import Callable
from dataclasses import dataclass
from uuid import UUID, uuid4, uuid5

from flask import g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.circuit.places import find_point
from plentar.core.errors import PlentarError, ReadingError
from plentar.core.evidence.signs import GROUPS
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.message import Text
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import amps_at, line_volts, spot_of
from plentar.core.unit.points import Point
from plentar.core.visit import Visit
from plentar.screen.drawings.band_rail import BandRail, band_rail
from plentar.store import rounds
from plentar.store.models import Call
from plentar.web.call_layout.air import air_drafts
from plentar.web.call_layout.visits import own_call, read_visit
from plentar.web.call_layout.writing import Draft, keep_all
from plentar.web.fields import checked_token
from plentar.web.rounds.views import bp
from plentar.web.serving.access import login_required
from plentar.words import render

__all__: list[str] = []

STAGES = ("nothing", "fan", "heat")


@dataclass(frozen=True, slots=True, kw_only=True)
class Field:
    """One reading of the short form: its point, what it should read now, what was read under this condition."""

    point: Point
    label: str
    should: str
    verdict: Verdict | None
    rail: BandRail | None
    typed: str
    is_zero: bool


def points_of(plate: Nameplate, stage: str) -> list[str]:
    """Return what is read in a stage, in the order a hand goes through the cabinet.

    Source:
        docs/trade.md, section 4: no call: 0 A in both leads of each circuit and around both, blower off; G alone: 0 A
        in every strip.
    """
    strips = [circuit.id for circuit in plate.circuits]
    volts = [line_volts(feed.id) for feed in plate.feeds]
    if stage == "nothing":
        leads = [point for s in strips for point in (amps_at(s), amps_at(f"{s}.return"), amps_at(s, f"{s}.return"))]
        return [*volts, *leads, amps_at("blower")]
    if stage == "fan":
        return [amps_at(s) for s in strips]
    return [*volts, *(amps_at(s) for s in strips), *(amps_at(feed.id) for feed in plate.feeds), amps_at("blower")]


def _calls_of(plate: Nameplate, stage: str) -> frozenset[str]:
    if stage == "nothing":
        return frozenset()
    return frozenset({"G"}) if stage == "fan" else frozenset(name for name in plate.calls if name.startswith("W"))


def stages_for(plate: Nameplate) -> tuple[str, ...]:
    """Return the stages a unit has: without a fan call there is none of it."""
    return tuple(stage for stage in STAGES if stage != "fan" or "G" in plate.calls)


def _read_under(visit: Visit, point: str, calls: frozenset[str]) -> Verdict | None:
    for entry in reversed(visit.standing_now):
        if entry.reading.point == point and entry.reading.condition.on == calls:
            return visit.judged_one(entry).verdict
    return None


class CheckScreen:
    """The short form as it stands."""

    def __init__(self, call: Call, visit: Visit, problem: PlentarError | None = None) -> None:
        self.call, self.visit, self.problem = call, visit, problem
        self.plate = visit.plate
        self.new_id = str(uuid4())

    @property
    def stages(self) -> list[tuple[str, bool, list[Field]]]:
        """Each stage with whether the unit is in it now, and its fields."""
        on = self.visit.condition.on
        return [(stage, on == _calls_of(self.plate, stage), self._fields(stage)) for stage in stages_for(self.plate)]

    def _fields(self, stage: str) -> list[Field]:
        calls = _calls_of(self.plate, stage)
        found = []
        for name in points_of(self.plate, stage):
            if not self.visit.knows(name):
                continue
            point = find_point(self.plate, name)
            verdict = _read_under(self.visit, point.id, calls)
            expected = verdict or (self.visit.expected(point.id) if self.visit.condition.on == calls else None)
            found.append(
                Field(
                    point=point,
                    label=_label(self.plate, point),
                    should=_should(expected),
                    verdict=verdict,
                    rail=band_rail(verdict) if verdict is not None else None,
                    typed=request.form.get(name, "") if self.problem is not None else "",
                    is_zero=stage != "heat" and name.startswith("amps"),
                )
            )
        return found

    @property
    def came(self) -> dict[str, float | None]:
        """Seconds each strip took in the last run; None where it has not come."""
        runs = [run for run in self.visit.watch_runs if run.call == "heat"]
        last = runs[-1].seen(self.visit.moment) if runs else None
        return {c.id: last.on_seconds.get(c.id) if last is not None else None for c in self.plate.circuits}

    @property
    def is_running(self) -> bool:
        """True while a timing run's call stands."""
        return bool(self.visit.watch_runs) and self.visit.watch_runs[-1].dropped_at is None

    @property
    def is_looked_over(self) -> bool:
        """True once every group of the look-over was seen."""
        return all(self.visit.state_of(group.sign.kind) in ("fine", "found") for group in GROUPS)

    @property
    def worst(self) -> list[tuple[Text, Verdict]]:
        """What is not well."""
        return worst_of(self.visit)

    @property
    def is_whole(self) -> bool:
        """True once everything of the short form was read, timed and looked at."""
        fields = all(field.verdict is not None for _, _, stage in self.stages for field in stage)
        return fields and all(seconds is not None for seconds in self.came.values()) and self.is_looked_over


def _label(plate: Nameplate, point: Point) -> str:
    """Return a field's words: both leads of a circuit in one jaw are said in two words, not in two names."""
    conductors = spot_of(point.id).conductors
    strips = {circuit.id: circuit.name for circuit in plate.circuits}
    if len(conductors) == 2 and conductors[0] in strips:
        return f"{strips[conductors[0]]}, both leads"
    return render(point.label)


def worst_of(visit: Visit) -> list[tuple[Text, Verdict]]:
    """Return each reading that failed or is marginal."""
    judged = [visit.judged_one(entry) for entry in visit.standing_now]
    return [
        (entry.point.label, entry.verdict) for entry in judged if entry.verdict.grade in (Grade.FAIL, Grade.MARGINAL)
    ]


def _should(verdict: Verdict | None) -> str:
    if verdict is None or verdict.expected is None:
        return ""
    return f"{verdict.expected:.1f}"


@bp.get("/check/<uuid:call_id>")
@login_required
def check(call_id: UUID) -> ResponseReturnValue:
    """Show the short form."""
    return _shown(own_call(call_id))


def _shown(call: Call, problem: PlentarError | None = None, code: int = 200) -> ResponseReturnValue:
    screen = CheckScreen(call, read_visit(call), problem)
    following = rounds.next_call(g.db, call) if call.round_id is not None else None
    return render_template("rounds/check.html", check=screen, call=call, following=following), code


@bp.post("/check/<uuid:call_id>")
@login_required
def keep_check(call_id: UUID) -> ResponseReturnValue:
    """Do what a button says: keep a stage's readings, switch, time, look over, close."""
    call = own_call(call_id)
    checked_token()
    do, _, about = request.form.get("do", "").partition(":")
    action = CHECKS.get(do)
    try:
        if action is None:
            raise ReadingError("this button is not known here. Reload the page", field="do")
        drafts = action(read_visit(call), about, _base())
        if drafts:
            keep_all(call_id, drafts)
    except PlentarError as error:
        g.db.rollback()
        return _shown(own_call(call_id), error, 422)
    if do == "close":
        following = rounds.next_call(g.db, call) if call.round_id is not None else None
        if following is not None:
            return redirect(url_for("rounds.check", call_id=following.id))
        if call.round_id is not None:
            return redirect(url_for("rounds.round_page", round_id=call.round_id))
    # No part of the page is named: with one named, browsers leave the keys at its top.
    return redirect(url_for("rounds.check", call_id=call_id))


def _base() -> UUID:
    try:
        return UUID(request.form.get("check_id", ""))
    except ValueError as error:
        raise ReadingError("this form has expired. Press the button again", field="do") from error


def _readings(visit: Visit, stage: str, base: UUID, *, zeros: bool = False) -> list[Draft]:
    if visit.condition.on != _calls_of(visit.plate, stage):
        raise ReadingError("the calls are not set for this part. Switch them first", field=stage)
    drafts = []
    for name in points_of(visit.plate, stage):
        if not visit.knows(name):
            continue
        text = request.form.get(name, "").strip()
        if not text and zeros and name.startswith("amps"):
            text = "0.0"
        if text:
            payload = {"point": name, "typed": text}
            drafts.append(Draft(id=uuid5(base, f"{stage} {name}"), kind="reading", payload=payload))
    if not drafts:
        raise ReadingError("enter at least one reading", field=stage)
    return drafts


def _keep(visit: Visit, stage: str, base: UUID) -> list[Draft]:
    return _readings(visit, stage, base)


def _zeros(visit: Visit, stage: str, base: UUID) -> list[Draft]:
    return _readings(visit, stage, base, zeros=True)


def _go(visit: Visit, stage: str, base: UUID) -> list[Draft]:
    """Set the calls of a stage: heat by the stopwatch, so that the run is timed."""
    if stage not in STAGES:
        raise ReadingError("this button is not known here. Reload the page", field="do")
    drafts = []
    running = bool(visit.watch_runs) and visit.watch_runs[-1].dropped_at is None
    if running and stage != "heat":
        payload = {"deed": "drop", "stage": "", "is_undone": False}
        drafts.append(Draft(id=uuid5(base, "drop"), kind="tap", payload=payload))
    if stage == "heat" and not running:
        payload = {"deed": "call", "stage": "", "call": "heat", "is_undone": False}
        drafts.append(Draft(id=uuid5(base, "call"), kind="tap", payload=payload))
    wants_fan = stage == "fan"
    if ("G" in visit.condition.on) != wants_fan and "G" in visit.plate.calls:
        payload = {"what": "G", "state": "on" if wants_fan else "off"}
        drafts.insert(0, Draft(id=uuid5(base, "G"), kind="switch", payload=payload))
    if stage != "heat" and not running:
        for name in sorted(call for call in visit.condition.on if call.startswith("W")):
            payload = {"what": name, "state": "off"}
            drafts.append(Draft(id=uuid5(base, name), kind="switch", payload=payload))
    return drafts


def _came(visit: Visit, strip: str, base: UUID) -> list[Draft]:
    del visit
    payload = {"deed": "on", "stage": strip, "is_undone": False}
    return [Draft(id=uuid5(base, f"on {strip}"), kind="tap", payload=payload)]


def _look(visit: Visit, about: str, base: UUID) -> list[Draft]:
    del about
    kinds = [group.sign.kind for group in GROUPS if visit.state_of(group.sign.kind) not in ("fine", "found")]
    return [
        Draft(id=uuid5(base, kind), kind="seen", payload={"sign": kind, "about": "", "state": "fine", "note": ""})
        for kind in kinds
    ]


def _air(visit: Visit, about: str, base: UUID) -> list[Draft]:
    del visit, about
    return air_drafts({**request.form, "air_id": str(uuid5(base, "air")), "filter": "as found"})


def _close(visit: Visit, about: str, base: UUID) -> list[Draft]:
    del about
    words = request.form.get("outcome", "").strip()
    bad = worst_of(visit)
    payload = {"outcome": words or ("Seasonal check: all readings within band." if not bad else ""), "reason": ""}
    if not payload["outcome"]:
        raise ReadingError("a reading is out of band. Enter what was found and done", field="outcome")
    return [Draft(id=uuid5(base, "close"), kind="closed", payload=payload)]


CHECKS: dict[str, Callable[[Visit, str, UUID], list[Draft]]] = {
    "keep": _keep,
    "zeros": _zeros,
    "go": _go,
    "came": _came,
    "look": _look,
    "air": _air,
    "close": _close,
}
