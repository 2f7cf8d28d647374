"""A practice call as its learner looks at it: the real call's screen, without what would give the answer away."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cached_property
from typing import Any
from uuid import UUID

from flask import url_for

from plentar.core.practice.attempt import LEARNER, Attempt, Outcome, Read
from plentar.core.unit.place import GROUND, spot_of
from plentar.screen.call import CallScreen, View
from plentar.screen.run_sheet import RunSheetStep, StepPart, read_step, safe_step
from plentar.store.practice_models import PracticeRun

__all__ = ["PracticeCall", "PracticeScreen", "urls_of"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Named:
    """Something with a name."""

    name: str
    label: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class OfPlace:
    """A made-up unit at no address."""

    place: Named
    label: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PracticeCall:
    """What the call's own fragments ask of a call."""

    id: UUID
    status: str
    complaint: str
    words: str
    scheduled_at: datetime
    unit: OfPlace
    meter: Named
    outdoor_degf: float | None
    indoor_degf: float | None
    rejected_submissions: int = 0
    at_risk: str = ""


class PracticeScreen(CallScreen[PracticeCall]):
    """The call's screen over an attempt: drawn healthy, with no suspects beside it."""

    def __init__(self, run: PracticeRun, attempt: Attempt, *, url: str, selected: str | None, view: View) -> None:
        case = attempt.case
        call = PracticeCall(
            id=run.id,
            status="closed" if attempt.is_finished else "open",
            complaint=case.complaint,
            words=case.words,
            scheduled_at=run.began_at,
            unit=OfPlace(place=Named(name=case.title), label="practice"),
            meter=Named(name="Practice meter"),
            outdoor_degf=case.outdoor_degf,
            indoor_degf=case.indoor_degf,
        )
        super().__init__(call, attempt.visit, url=url, person=LEARNER, selected=selected, view=view)
        self.attempt = attempt

    @property
    def shown_fault(self) -> str:
        """Nothing: the board shows what a sound unit would do."""
        return ""

    @property
    def halos(self) -> Mapping[str, float]:
        """Nothing: suspects are for the learner to find."""
        return {}

    @property
    def part_to_touch(self) -> str:
        """Nothing: which part it is, is for the learner to find."""
        return ""

    @cached_property
    def steps(self) -> list[RunSheetStep]:
        """The run sheet: what can be read step by step, and the Safe list."""
        state, note = safe_step(self.visit, self.safe_lines)
        found = [_step("safe", "Safe", StepPart(id="safe", name="Safe", state=state, note=note))]
        reads = []
        for step, name in {"supply": "Supply", "heat-call": "Heat call", "strips": "Strips", "trace": "Trace"}.items():
            state, note = read_step(self.visit, self.latest, step)
            reads.append(StepPart(id=step, name=name, state=state, note=note))
        found.append(_step("read", "Read", *reads))
        done = len(self.attempt.fitted)
        state = "pass" if self.attempt.is_finished else "open"
        fix = StepPart(id="fix", name="Repair", state=state, note=f"{done} done" if done else "")
        return [*found, _step("fix", "Repair", fix)]

    @property
    def shown(self) -> Outcome | None:
        """The reading on the meter's display, while it stands at the place the pad is on."""
        for outcome in reversed(self.attempt.outcomes):
            act = outcome.step.act
            if isinstance(act, Read):
                return outcome if self._is_here(act.point) and (outcome.display or outcome.danger) else None
        return None

    def _is_here(self, point: str) -> bool:
        mine = {place for place in spot_of(self.selected).places if place != GROUND}
        theirs = {place for place in spot_of(point).places if place != GROUND}
        return mine == theirs and spot_of(self.selected).function == spot_of(point).function

    @property
    def moment(self) -> str:
        """The practice clock as a moment, for the page's own clocks."""
        return datetime.fromtimestamp(self.visit.moment, tz=UTC).isoformat()


def _step(id: str, name: str, *parts: StepPart) -> RunSheetStep:
    return RunSheetStep(id=id, name=name, parts=parts)


def urls_of(run_id: UUID) -> Callable[..., str]:
    """Return `url_for` as the call's own fragments use it, told to stay in a practice run."""
    own: Mapping[str, str] = {
        "call.page": "practice.run_page",
        "call.set_condition": "practice.switch",
        "call.report": "practice.debrief_page",
    }

    def found(endpoint: str, **values: Any) -> str:
        if endpoint in own:
            return url_for(own[endpoint], run_id=run_id, **{k: v for k, v in values.items() if k != "call_id"})
        if "call_id" in values:
            return url_for("practice.run_page", run_id=run_id)
        return url_for(endpoint, **values)

    return found
