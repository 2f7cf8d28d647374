"""A learner with three weeks of practice behind them: calls worked on the ladder, and drills; the same every time."""

from collections.abc import Iterator
from datetime import datetime, timedelta
from random import Random
from uuid import NAMESPACE_URL, uuid5

from sqlalchemy.orm import Session

from plentar.core.evidence.events import Locked, MeterProven, Switched, Ticked
from plentar.core.evidence.lockout import dead_pairs
from plentar.core.practice.attempt import Act, Attempt, AttemptStep, Did, Finish, HintAsked, Listen, Read, Swap, Wait
from plentar.core.practice.case import Case
from plentar.core.practice.drills import drill
from plentar.core.practice.ladder import DIFFICULTY, ladder
from plentar.core.unit.place import amps_at, line_volts
from plentar.core.work.safety import CONTROL_POINT
from plentar.formats.case_json import case_to_json
from plentar.formats.numbers import parse_number
from plentar.formats.practice_json import act_to_json
from plentar.store import practice
from plentar.store.models import Person
from plentar.store.practice_models import Learner, PracticeAnswer, PracticeRun, PracticeStep
from plentar.words import render

__all__ = ["load_practice"]

# Which calls, how many days ago, and how they went: found, found after a hint, missed with a fine part, unsafe.
CALLS = (
    (1, 21, "found"), (2, 20, "found"), (3, 20, "missed"), (4, 19, "found"), (6, 17, "unsafe"), (7, 16, "found"),
    (3, 14, "found"), (9, 13, "found"), (10, 12, "found"), (11, 10, "missed"), (12, 9, "found"), (13, 8, "hint"),
    (17, 6, "found"), (6, 5, "found"), (11, 3, "found"), (18, 2, "missed"), (19, 1, "found"),
)  # fmt: skip
DRILLS = 60


def load_practice(db: Session, person: Person, today: datetime) -> None:
    """Give a person's learner three weeks."""
    own = Learner(
        shop_id=person.shop_id,
        id=uuid5(person.id, "learner"),
        person_id=person.id,
        name=person.name,
        made_at=today - timedelta(days=22),
    )
    db.add(own)
    db.flush()
    random = Random("practice")  # noqa: S311 - sample data, the same every time
    for number, (call, days, how) in enumerate(CALLS):
        began = today.replace(hour=19, minute=10, second=0, microsecond=0) - timedelta(days=days)
        _run(db, own, ladder()[call - 1], began, how, number)
    for number in range(DRILLS):
        one = drill(number)
        # Half right at first, four in five at last.
        is_right = random.random() < 0.5 + 0.3 * number / DRILLS
        answer = PracticeAnswer(
            id=uuid5(NAMESPACE_URL, f"drill/{own.id}/{number}"),
            skill=one.skill,
            item=one.id,
            difficulty=one.difficulty,
            guess=one.guess,
            is_right=is_right,
            answered_at=today - timedelta(days=21 - number // 3, minutes=5 * (number % 3)),
        )
        practice.add_answer(db, own, answer)


def _acts(case: Case, how: str) -> Iterator[Act]:
    plate = case.plate
    if how != "unsafe":
        yield Did(action=Ticked(line="safe-gear"))
    feed = plate.feeds[0].id
    yield Read(point=line_volts(feed))
    for circuit in plate.circuits[:2]:
        yield Read(point=amps_at(circuit.id))
    for call in plate.calls:
        if call in ("W", "W2"):
            yield Did(action=Switched(what=call, state="on"))
    yield Wait(seconds=120.0)
    for circuit in plate.circuits:
        yield Read(point=amps_at(circuit.id))
    yield Listen()
    if how == "hint":
        yield HintAsked()
        yield HintAsked()
    parts = list(dict.fromkeys(fault.mended[0] for fault in case.faults))
    if how == "missed":
        parts = [next(f"{c.id}.element" for c in plate.circuits if f"{c.id}.element" not in parts)]
    if parts:
        yield from _dead(case)
        for part in parts:
            yield Swap(part=part)
        for row in plate.feeds:
            yield Did(action=Locked(feed=row.id, is_on=False))
        yield Did(action=Switched(what="control", state="from unit"))
        for row in plate.feeds:
            yield Did(action=Switched(what=row.id, state="live"), stands_aside=True)
    yield Finish()


def _dead(case: Case) -> Iterator[Act]:
    for feed in case.plate.feeds:
        yield Did(action=Switched(what=feed.id, state="off", device="panel"))
        yield Did(action=Locked(feed=feed.id))
    yield Did(action=Switched(what="control", state="off"))
    yield Did(action=Ticked(line="safe-outdoor-off"))
    yield Did(action=MeterProven(volts=120.0))
    yield Did(action=Ticked(line="safe-frame", volts=120.0))
    for point, _ in dead_pairs(case.plate):
        yield Read(point=point)
    yield Read(point=CONTROL_POINT)
    yield Did(action=MeterProven(volts=120.0))
    if case.plate.blower.kind == "psc":
        yield Did(action=Ticked(line="safe-capacitor", volts=0.2))


def _run(db: Session, own: Learner, case: Case, began: datetime, how: str, number: int) -> None:
    run = PracticeRun(
        shop_id=own.shop_id,
        id=uuid5(NAMESPACE_URL, f"run/{own.id}/{number}"),
        learner_id=own.id,
        case_id=case.id,
        document=case_to_json(case),
        began_at=began,
        touched_at=began,
    )
    db.add(run)
    db.flush()
    attempt = Attempt(case=case, began_at=began.timestamp(), parse=parse_number, words=render)
    for count, act in enumerate(_acts(case, how), start=1):
        at = attempt.world.seconds + 12.0
        step_id = uuid5(run.id, str(count))
        attempt.take(AttemptStep(id=str(step_id), at_seconds=at, act=act))
        row = PracticeStep(
            shop_id=own.shop_id, run_id=run.id, seq=count, id=step_id, at_seconds=at, act=act_to_json(act)
        )
        db.add(row)
        run.seq = count
    run.seconds = attempt.world.seconds
    run.touched_at = run.ended_at = began + timedelta(seconds=attempt.world.seconds)
    score = attempt.score
    run.score = score.as_kept()
    for skill in case.skills:
        answer = PracticeAnswer(
            id=uuid5(run.id, skill),
            skill=skill,
            item=case.id,
            difficulty=DIFFICULTY[case.level],
            is_right=score.is_alone,
            answered_at=run.ended_at,
            guess=0.0,
        )
        practice.add_answer(db, own, answer)
