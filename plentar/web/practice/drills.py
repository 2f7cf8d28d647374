"""Drills of a minute, and the cutaways."""

from itertools import islice
from typing import Any
from uuid import UUID, uuid4

from flask import abort, g, render_template, request
from flask.typing import ResponseReturnValue

from plentar.core.practice.case import SKILLS
from plentar.core.practice.drills import KINDS, Drill, drill
from plentar.core.practice.skills import estimate, next_item
from plentar.screen.drawings.cutaways import CUTAWAYS, cutaway
from plentar.store import practice
from plentar.store.practice_models import PracticeAnswer
from plentar.web.call_layout.layout import is_fragment
from plentar.web.fields import checked_token
from plentar.web.practice.keeping import skills_of
from plentar.web.practice.views import bp
from plentar.web.practice.who import back_url, learner, learner_required
from plentar.web.serving.access import now

__all__: list[str] = []

MOST_NUMBER = 1_000_000
# How many drills the next is chosen from: enough for one near seven in ten.
CHOSEN_FROM = 6


def _number(text: str) -> int:
    if not text.isdigit() or int(text) > MOST_NUMBER:
        abort(404)
    return int(text)


def _shown(one: Drill, number: int, chosen: int | None = None) -> str:
    context: dict[str, Any] = {
        "drill": one,
        "number": number,
        "chosen": chosen,
        "back": back_url(),
        "new_id": lambda: str(uuid4()),
        "skills": SKILLS,
        "kind": request.values.get("kind", ""),
        "done": len([row for row in practice.answers_of(g.db, learner()) if row.item.partition("-")[0] in KINDS]),
    }
    return render_template("practice/_drill.html" if is_fragment() else "practice/drills.html", **context)


def _next_number(kind: str) -> int:
    """Return the drill that comes next: not done yet, and about seven times in ten done right."""
    answers = practice.answers_of(g.db, learner())
    done = {row.item for row in answers}
    skills = skills_of(answers)
    start = len(done)
    # Each is a solved circuit: made once, and no more of them than are chosen from.
    made = ((n, drill(n, kind)) for n in range(start, start + 4 * CHOSEN_FROM))
    fresh = list(islice(((n, one) for n, one in made if one.id not in done), CHOSEN_FROM))
    if not fresh:
        return start
    relative = [one.difficulty - skills.get(one.skill, estimate(())).skill for _, one in fresh]
    return fresh[next_item(0.0, relative)][0]


@bp.get("/drills")
@learner_required
def drills_page() -> ResponseReturnValue:
    """Show one drill, of a kind where one is asked for."""
    kind = request.args.get("kind", "")
    if kind and kind not in KINDS:
        abort(404)
    asked = request.args.get("n")
    number = _number(asked) if asked is not None else _next_number(kind)
    return _shown(drill(number, kind), number)


@bp.post("/drills")
@learner_required
def answer_drill() -> ResponseReturnValue:
    """Take an answer, say whether it is right and why; asked twice it counts once."""
    checked_token()
    kind = request.form.get("kind", "")
    if kind and kind not in KINDS:
        abort(404)
    number = _number(request.form.get("n", ""))
    one = drill(number, kind)
    chosen = _number(request.form.get("choice", ""))
    if chosen >= len(one.choices):
        abort(404)
    try:
        answer_id = UUID(request.form.get("answer_id", ""))
    except ValueError:
        abort(400)
    answer = PracticeAnswer(
        id=answer_id,
        skill=one.skill,
        item=one.id,
        difficulty=one.difficulty,
        guess=one.guess,
        is_right=chosen == one.right,
        answered_at=now(),
    )
    practice.add_answer(g.db, learner(), answer)
    return _shown(one, number, chosen)


@bp.get("/cutaways")
@learner_required
def cutaways_page() -> ResponseReturnValue:
    """Show a part cut open, one moment of it."""
    name = request.args.get("part", "sequencer")
    if name not in CUTAWAYS:
        abort(404)
    part = cutaway(name)
    text = request.args.get("at", "0")
    at = min(_number(text), len(part.frames) - 1)
    template = "practice/_cutaway.html" if is_fragment() else "practice/cutaways.html"
    names = [(other, cutaway(other).name) for other in CUTAWAYS]
    return render_template(template, part=part, at=at, names=names, back=back_url())
