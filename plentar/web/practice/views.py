"""The ladder: what comes next, what each skill is, every call with how it went."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from flask import Blueprint, abort, g, redirect, render_template, url_for
from flask.typing import ResponseReturnValue

from plentar.core.message import Text
from plentar.core.practice.case import SKILLS, Case
from plentar.core.practice.ladder import DIFFICULTY, case_of, ladder
from plentar.core.practice.skills import Estimate, next_item
from plentar.formats.case_json import case_to_json
from plentar.store import practice
from plentar.store.practice_models import Learner, PracticeRun
from plentar.web.fields import checked_token
from plentar.web.practice.keeping import skills_of
from plentar.web.practice.who import learner
from plentar.web.serving.access import login_required, now

__all__ = ["begin_case", "bp", "next_case"]

bp = Blueprint("practice", __name__, url_prefix="/practice")
# What was missed comes back after this many other calls. Chosen: not the next, and before it is forgotten.
COMES_BACK_AFTER = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class SkillRow:
    """One skill as the page draws it: the middle and both ends as shares of the scale."""

    id: str
    name: Text
    estimate: Estimate | None
    low: float
    middle: float
    high: float


def _share(skill: float) -> float:
    """Return where on a scale of three deviations either way a skill stands [%]."""
    return round(100 * min(max((skill + 3) / 6, 0.0), 1.0), 1)


def skill_rows(found: Mapping[str, Estimate]) -> list[SkillRow]:
    """Return every skill of the trade, those never asked for too."""
    rows = []
    for name, words in SKILLS.items():
        own = found.get(name)
        low, middle, high = (own.low, own.skill, own.high) if own is not None else (0.0, 0.0, 0.0)
        rows.append(
            SkillRow(id=name, name=words, estimate=own, low=_share(low), middle=_share(middle), high=_share(high))
        )
    return rows


def next_case(found: Mapping[str, Estimate], runs: Sequence[PracticeRun]) -> Case:
    """Return the call to do next: one that was missed a while ago, else one that succeeds about seven times in ten.

    Args:
        found: What each skill is.
        runs: The learner's runs, newest first.
    """
    done = [run for run in runs if run.score is not None]
    solved = {run.case_id for run in done if (run.score or {}).get("is_solved")}
    recent = {run.case_id for run in done[:COMES_BACK_AFTER]}
    missed = [run.case_id for run in reversed(done) if run.case_id not in solved | recent]
    back = next((case for case_id in missed if (case := case_of(case_id)) is not None), None)
    if back is not None:
        return back
    fresh = [case for case in ladder() if case.id not in {run.case_id for run in done}] or list(ladder())
    # A call asks for several skills: the weakest of them decides.
    weakest = [min((found[s].skill if s in found else 0.0) for s in case.skills) for case in fresh]
    # One item model for all: each call is as hard as its level, less what its weakest skill is.
    relative = [DIFFICULTY[case.level] - weak for case, weak in zip(fresh, weakest, strict=True)]
    return fresh[next_item(0.0, relative)]


@bp.get("")
@login_required
def page() -> ResponseReturnValue:
    """Show the ladder."""
    who = learner()
    runs = practice.runs_of(g.db, who)
    found = skills_of(practice.answers_of(g.db, who))
    best: dict[str, PracticeRun] = {}
    for run in runs:
        if run.score is not None:
            known = best.get(run.case_id)
            if known is None or (run.score["points"] > (known.score or {}).get("points", -1e9)):
                best[run.case_id] = run
    return render_template(
        "practice/page.html",
        learner=who,
        cases=ladder(),
        own_cases=practice.list_cases(g.db, shop_id=g.person.shop_id),
        runs=runs,
        best=best,
        skills=skill_rows(found),
        offered=next_case(found, runs),
        open_run=next((run for run in runs if run.ended_at is None), None),
        skill_names=SKILLS,
    )


@bp.post("/cases/<case_id>")
@login_required
def begin(case_id: str) -> ResponseReturnValue:
    """Begin a run of one of the ladder's calls, or of the shop's own."""
    checked_token()
    return begin_case(learner(), case_id)


def begin_case(who: Learner, case_id: str) -> ResponseReturnValue:
    """Begin a learner's run of a case, the ladder's or their shop's own, and go there; any other is a 404."""
    case = case_of(case_id)
    if case is not None:
        document = case_to_json(case)
    else:
        try:
            own = practice.case_of(g.db, shop_id=who.shop_id, case_id=UUID(case_id))
        except ValueError:
            abort(404)
        if own is None:
            abort(404)
        document = own.document
    run = practice.begin(g.db, who, case_id=case_id, document=document, now=now())
    return redirect(url_for("practice.run_page", run_id=run.id), 303)
