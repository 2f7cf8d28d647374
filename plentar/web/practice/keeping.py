"""A run read as an attempt: replayed from its steps, and once replayed only moved on by those that came since."""

from collections import OrderedDict
from collections.abc import Sequence
from datetime import datetime
from threading import Lock
from uuid import UUID, uuid4

from flask import abort, g

from plentar.core.errors import PlentarError
from plentar.core.practice.attempt import Act, Attempt, AttemptStep, Outcome
from plentar.core.practice.ladder import DIFFICULTY
from plentar.core.practice.skills import Estimate, ItemAnswer, estimate
from plentar.formats.case_json import case_from_json
from plentar.formats.numbers import parse_number
from plentar.formats.practice_json import act_from_json, act_to_json
from plentar.store import practice
from plentar.store.practice_models import PracticeAnswer, PracticeRun
from plentar.web.practice.who import candidates, learner
from plentar.web.serving.access import now
from plentar.words import render

__all__ = ["act_in", "attempt_of", "fresh_attempt", "open_run", "skills_of"]

# An attempt holds its unit's circuit: some hundred kilobytes. Forty learners at once and their neighbours.
MOST_HELD = 96
# Who leaves the page leaves the clock: longer than this it stands still.
MOST_GAP_SECONDS = 600.0

_held: "OrderedDict[tuple[UUID, UUID], Attempt]" = OrderedDict()
_lock = Lock()


def open_run(run_id: UUID) -> PracticeRun:
    """Return one of the learner's runs, locked until the request ends; another's is a 404."""
    locked = ((who, practice.lock_run(g.db, who, run_id)) for who in candidates())
    who, run = next(((who, run) for who, run in locked if run is not None), (None, None))
    if run is None:
        abort(404)
    g.learner = who
    return run


def fresh_attempt(run: PracticeRun) -> Attempt:
    """Return an attempt at a run's case with nothing done."""
    case = case_from_json(run.document)
    return Attempt(case=case, began_at=run.began_at.timestamp(), parse=parse_number, words=render)


def attempt_of(run: PracticeRun) -> Attempt:
    """Return a run as it stands, its clock at this moment; the run is locked, so that nobody else moves it."""
    key = run.shop_id, run.id
    with _lock:
        attempt = _held.pop(key, None)
    if attempt is None or len(attempt.outcomes) > run.seq:
        attempt = fresh_attempt(run)
    # The run's own number says whether anything came since: mostly nothing did.
    fresh = practice.steps_after(g.db, run, len(attempt.outcomes)) if len(attempt.outcomes) < run.seq else ()
    for row in fresh:
        attempt.take(AttemptStep(id=str(row.id), at_seconds=row.at_seconds, act=act_from_json(row.act)))
    if not attempt.is_finished:
        at = _clock(run, now())
        # The unit runs on while nobody does anything.
        if at > attempt.world.seconds:
            attempt.world.wait(at - attempt.world.seconds)
    _hold(run, attempt)
    return attempt


def _hold(run: PracticeRun, attempt: Attempt) -> None:
    with _lock:
        _held[run.shop_id, run.id] = attempt
        while len(_held) > MOST_HELD:
            _held.popitem(last=False)


def _clock(run: PracticeRun, moment: datetime) -> float:
    gap = (moment - run.touched_at).total_seconds()
    return run.seconds + min(max(gap, 0.0), MOST_GAP_SECONDS)


def act_in(run: PracticeRun, step_id: UUID, act: Act) -> tuple[Attempt, Outcome | None]:
    """Do something in a run and keep it; the same id again does nothing.

    Raises:
        PlentarError: It cannot be done; nothing was.
    """
    attempt = attempt_of(run)
    if any(outcome.step.id == str(step_id) for outcome in attempt.outcomes):
        return attempt, None
    moment = now()
    step = AttemptStep(id=str(step_id), at_seconds=attempt.world.seconds, act=act)
    try:
        outcome = attempt.take(step)
    except PlentarError:
        # It may have got half way: the next one replays it from what was kept.
        with _lock:
            _held.pop((run.shop_id, run.id), None)
        raise
    practice.keep_step(g.db, run, step_id=step_id, act=act_to_json(act), at_seconds=step.at_seconds, now=moment)
    run.seconds = attempt.world.seconds
    if attempt.is_finished:
        _close(run, attempt, moment)
    return attempt, outcome


def _close(run: PracticeRun, attempt: Attempt, moment: datetime) -> None:
    score = attempt.score
    run.ended_at = moment
    run.score = score.as_kept()
    for skill in attempt.case.skills:
        answer = PracticeAnswer(
            id=uuid4(),
            skill=skill,
            item=run.case_id,
            difficulty=DIFFICULTY[attempt.case.level],
            guess=0.0,
            is_right=score.is_alone,
            answered_at=moment,
        )
        practice.add_answer(g.db, learner(), answer)


def skills_of(answers: Sequence[PracticeAnswer]) -> dict[str, Estimate]:
    """Return what each skill is by all answers."""
    by_skill: dict[str, list[ItemAnswer]] = {}
    for row in answers:
        answer = ItemAnswer(difficulty=row.difficulty, is_right=row.is_right, guess=row.guess)
        by_skill.setdefault(row.skill, []).append(answer)
    return {skill: estimate(own) for skill, own in by_skill.items()}
