"""A practice call, and its debrief."""

from typing import Any
from uuid import UUID, uuid4, uuid5

from flask import g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.evidence.events import Locked, MeterProven, Switched, Ticked
from plentar.core.evidence.lockout import dead_pairs
from plentar.core.message import Text
from plentar.core.practice.attempt import (
    Act,
    Attempt,
    Dare,
    Did,
    Finish,
    HintAsked,
    Listen,
    Outcome,
    Read,
    Swap,
    Wait,
    repairs_of,
)
from plentar.core.practice.case import part_of
from plentar.core.practice.meter import ranges_of
from plentar.core.unit.place import spot_of
from plentar.core.work.safety import CONTROL_POINT, opened_choices
from plentar.screen.call import View
from plentar.store import practice
from plentar.store.practice_models import PracticeRun
from plentar.web.call_layout.layout import is_fragment
from plentar.web.fields import checked_token
from plentar.web.practice.debrief import debrief_of
from plentar.web.practice.keeping import act_in, attempt_of, open_run
from plentar.web.practice.screen import PracticeScreen, urls_of
from plentar.web.practice.views import bp
from plentar.web.practice.who import back_url, learner, zone
from plentar.web.serving.access import is_narrow
from plentar.words import render

__all__: list[str] = []

PANELS = ("reading", "safe", "close", "open", "fix", "end")
# What one can skip at a time [s].
SKIPS = (30, 120, 300)
# A known live source of the house: its own outlet.
KNOWN_LIVE_VOLTS = 120.0


def _shown(
    run: PracticeRun,
    attempt: Attempt,
    panel: str = "reading",
    *,
    outcomes: tuple[Outcome, ...] = (),
    problem: PlentarError | None = None,
    about: str = "",
) -> str:
    view = View(mark=request.args.get("mark", "")[:80], show="healthy", is_narrow=is_narrow())
    url = url_for("practice.run_page", run_id=run.id)
    selected = request.values.get("point")
    screen = PracticeScreen(run, attempt, url=url, selected=selected, view=view)
    told: list[Text] = [words for outcome in outcomes for words in outcome.told]
    context: dict[str, Any] = {
        "screen": screen,
        "run": run,
        "attempt": attempt,
        "panel": panel if panel in PANELS else "reading",
        "about": about,
        "url_for": urls_of(run.id),
        "server_now": lambda: screen.moment,
        "new_id": lambda: str(uuid4()),
        "step": None,
        "version": run.seq,
        "aboard": False,
        "step_url": lambda panel, call_id: "",
        "told": told,
        "danger": next((outcome for outcome in outcomes if outcome.danger), None),
        "refusal": render(next((outcome.refusal for outcome in outcomes if outcome.refusal), "")),
        "problem": problem,
        "skips": SKIPS,
        "ranges": ranges_of(spot_of(screen.selected).function),
        "range_set": _range_set(attempt, screen),
        "repairs": repairs_of(attempt.case),
        "fitted": [part_of(attempt.case.plate, part) for part in attempt.fitted],
        "opened_choices": opened_choices,
        "zone": zone(),
        "advice": attempt.visit.advice if outcomes and isinstance(outcomes[-1].step.act, HintAsked) else None,
        "seconds": attempt.world.seconds,
    }
    view_name = "practice/_changed.html" if is_fragment() else "practice/run.html"
    # A reading changes no switch: the strip stays as it stands.
    context["with_strip"] = not outcomes or not all(isinstance(one.step.act, Read) for one in outcomes)
    return render_template(view_name, **context)


def _range_set(attempt: Attempt, screen: PracticeScreen) -> float:
    """Return where the knob was left, while the meter stays on the same function; nought for its own choice."""
    last = next((one.step.act for one in reversed(attempt.outcomes) if isinstance(one.step.act, Read)), None)
    is_same = last is not None and spot_of(last.point).function == spot_of(screen.selected).function
    return last.full_scale if last is not None and is_same else 0.0


@bp.get("/runs/<uuid:run_id>")
def run_page(run_id: UUID) -> ResponseReturnValue:
    """Show the call, or only what a tap on the board changes."""
    run = open_run(run_id)
    return _shown(run, attempt_of(run), request.args.get("panel", "reading"), about=request.args.get("about", ""))


@bp.post("/runs/<uuid:run_id>/act")
def act(run_id: UUID) -> ResponseReturnValue:
    """Do one thing."""
    checked_token()
    run = open_run(run_id)
    panel = "reading"
    try:
        acts, panel = _acts(attempt_of(run))
        outcomes = []
        step_id = _step_id()
        for number, one in enumerate(acts):
            own = step_id if number == 0 else _next_id(step_id, number)
            attempt, outcome = act_in(run, own, one)
            if outcome is not None:
                outcomes.append(outcome)
                if outcome.danger or outcome.refusal:
                    break
    except PlentarError as error:
        return _shown(run, attempt_of(run), panel, problem=error), 422
    if attempt.is_finished:
        if is_fragment():
            return "", 200, {"HX-Redirect": url_for("practice.debrief_page", run_id=run.id)}
        return redirect(url_for("practice.debrief_page", run_id=run.id), 303)
    return _shown(run, attempt, panel, outcomes=tuple(outcomes))


@bp.post("/runs/<uuid:run_id>/switch")
def switch(run_id: UUID) -> ResponseReturnValue:
    """Flip a switch of the condition strip; a feed asks first at which device, or who stands where."""
    checked_token()
    run = open_run(run_id)
    attempt = attempt_of(run)
    what, _, state = request.form.get("switch", "").partition("=")
    state = state.partition("@")[0]
    if what in {feed.id for feed in attempt.case.plate.feeds}:
        return _shown(run, attempt, "close" if state == "live" else "open", about=what)
    try:
        attempt, outcome = act_in(run, _step_id("switch_id"), Did(action=_switched(what, state)))
    except PlentarError as error:
        return _shown(run, attempt_of(run), problem=error), 422
    return _shown(run, attempt, outcomes=(outcome,) if outcome is not None else ())


def _switched(what: str, state: str, device: str = "") -> Switched:
    return Switched(what=what[:80], state=state, device=device)  # type: ignore[arg-type]  # checked when it is taken in


def _step_id(name: str = "step_id") -> UUID:
    try:
        return UUID(request.form.get(name, ""))
    except ValueError as error:
        raise ReadingError("this form has expired. Press the button again", field="id") from error


def _next_id(first: UUID, number: int) -> UUID:
    return uuid5(first, str(number))


def _acts(attempt: Attempt) -> tuple[list[Act], str]:
    """Return what a form asks for, and the panel that is shown after it."""
    form, plate = request.form, attempt.case.plate
    kind, about = form.get("do", ""), form.get("about", "")[:80]
    kind, _, value = kind.partition(":")
    if kind == "read":
        mode = "low impedance" if form.get("mode") else ""
        read = Read(
            point=form.get("point", "")[:160],
            mode=mode,  # type: ignore[arg-type]
            jack="amps" if value == "amps" else "",
            anyway=value == "anyway",
            full_scale=_range(form.get("range", "")),
        )
        return [read], "reading"
    if kind == "wait":
        return [Wait(seconds=_seconds(value))], "reading"
    if kind == "listen":
        return [Listen()], "reading"
    if kind == "ask":
        return [HintAsked()], "reading"
    if kind == "dare" and value in ("bridge-limit", "bigger-breaker"):
        return [Dare(what=value)], "fix"  # type: ignore[arg-type]  # one of the two
    if kind == "close":
        return [Did(action=_switched(about, "live"), stands_aside=value == "aside")], "reading"
    if kind == "open":
        return [Did(action=_switched(about, "off", value))], "safe"
    if kind == "lock":
        return [
            Did(action=Locked(feed=about, is_on=value == "on", owner="" if value != "theirs" else "colleague"))
        ], "safe"
    if kind == "tick":
        volts = {"safe-capacitor": 0.2, "safe-frame": KNOWN_LIVE_VOLTS}.get(about)
        return [Did(action=Ticked(line=about, volts=volts))], "safe"
    if kind == "meter":
        return [Did(action=MeterProven(volts=KNOWN_LIVE_VOLTS))], "safe"
    if kind == "pairs":
        return [Read(point=point) for point in (*(point for point, _ in dead_pairs(plate)), CONTROL_POINT)], "safe"
    if kind == "fit":
        return [Swap(part=form.get("part", "")[:80], checked=bool(form.get("checked")))], "fix"
    if kind == "end":
        return [Finish()], "end"
    raise ReadingError("this action does not exist", field="do")


def _range(value: str) -> float:
    try:
        return float(value or 0.0)
    except ValueError as error:
        raise ReadingError("choose a range of the meter", field="range") from error


def _seconds(value: str) -> float:
    if value not in {str(skip) for skip in SKIPS}:
        raise ReadingError("skip 30 s, 2 min or 5 min", field="do")
    return float(value)


def _past(run: PracticeRun) -> dict[str, float] | None:
    """Return what the learner's earlier runs were worth on average."""
    before = [row for row in practice.runs_of(g.db, learner()) if row.score is not None and row.began_at < run.began_at]
    if not before:
        return None
    return {name: sum((row.score or {})[name] for row in before) / len(before) for name in ("points", "minutes")}


@bp.get("/runs/<uuid:run_id>/debrief")
def debrief_page(run_id: UUID) -> ResponseReturnValue:
    """Show what each step was worth, and replay it."""
    run = open_run(run_id)
    attempt = attempt_of(run)
    if not attempt.is_finished:
        return redirect(url_for("practice.run_page", run_id=run.id))
    at = request.args.get("at", "")
    found = debrief_of(run, int(at) if at.isdigit() else None)
    url = url_for("practice.debrief_page", run_id=run.id)
    template = "practice/_replay.html" if is_fragment() else "practice/debrief.html"
    return render_template(template, run=run, attempt=attempt, debrief=found, url=url, back=back_url(), past=_past(run))
