"""What each step of a finished attempt was worth, against what was known then: bits, minutes, the better test.

Certainty is by repair: whatever of one part failed, that part is put right. Bits are what a reading took off the
doubt about it; where two things were done between, each has its own.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from plentar.core.causes.diagnosis import Cause
from plentar.core.message import Text
from plentar.core.practice.attempt import Attempt, Outcome, Read, Swap
from plentar.core.practice.case import part_of
from plentar.core.practice.policies import SURE, bits_of, play_case
from plentar.core.practice.score import Score
from plentar.core.practice.why import ties_of, why_words
from plentar.core.unit.place import spot_of

__all__ = ["Debrief", "DebriefLine", "debrief"]


@dataclass(frozen=True, slots=True, kw_only=True)
class DebriefLine:
    """One step: its number, what it did, and for a reading what it won and what would have been the better one.

    `lead` is the likeliest cause after it with its share; `better` the test that was best before it with its bits and
    minutes, empty where it was this one; `why` why the meter read what it read, `way` the parts its probes hang on.
    """

    number: int
    outcome: Outcome
    bits: float | None = None
    lead: Text = ""
    share: float = 0.0
    better: Text = ""
    better_bits: float = 0.0
    better_minutes: float = 0.0
    was_best: bool = False
    why: Text = ""
    way: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Debrief:
    """The whole: every step, where certainty was reached and how much was read after it, parts that were fine, what the
    next best test and the fixed order would have scored on the same case."""

    lines: tuple[DebriefLine, ...]
    certain_at: int | None
    read_after: int
    fine_parts: tuple[Text, ...]
    hidden: tuple[Text, ...]
    score: Score
    by_next: Score
    by_fixed: Score


def debrief(fresh: Attempt, outcomes: Sequence[Outcome]) -> Debrief:
    """Replay an attempt's steps over a fresh one and tell what each was worth.

    Args:
        fresh: The same case with nothing done.
        outcomes: What was done, in order.
    """
    lines: list[DebriefLine] = []
    certain_at: int | None = None
    read_after = 0
    for number, done in enumerate(outcomes, start=1):
        before, act = fresh.visit, done.step.act
        is_of_proof = bool(fresh.world.off) or any(isinstance(entry.outcome.step.act, Swap) for entry in lines)
        if not isinstance(act, Read) or (is_of_proof and not spot_of(act.point).is_ohms):
            # Power off it is dead that is proven, after a repair the repair: neither is doubt.
            lines.append(DebriefLine(number=number, outcome=fresh.take(done.step)))
            continue
        best, doubt = before.next_test, _doubt(before.suspects)
        outcome = fresh.take(done.step)
        if not outcome.readings:
            lines.append(DebriefLine(number=number, outcome=outcome))
            continue
        after = fresh.visit
        lead = after.suspects[0] if after.suspects else None
        was_best = best is not None and best.test.point == act.point
        ties = ties_of(fresh.world.settled, act.point)
        lines.append(
            DebriefLine(
                number=number,
                outcome=outcome,
                bits=doubt - _doubt(after.suspects) if before.suspects else None,
                lead=lead.title if lead is not None else "",
                share=lead.probability if lead is not None else 0.0,
                better=best.test.words if best is not None and not was_best else "",
                better_bits=best.bits if best is not None else 0.0,
                better_minutes=best.minutes if best is not None else 0.0,
                was_best=was_best,
                why=why_words(fresh.case.plate, ties),
                way=tuple(dict.fromkeys(part for tie in ties for part in tie.parts)),
            )
        )
        if certain_at is not None:
            read_after += 1
        if certain_at is None and lead is not None and lead.probability >= SURE:
            certain_at = number
    case = fresh.case
    return Debrief(
        lines=tuple(lines),
        certain_at=certain_at,
        read_after=read_after,
        fine_parts=tuple(part_of(case.plate, part) for part in fresh.fine_parts),
        hidden=tuple(fault.title for fault in case.faults),
        score=fresh.score,
        by_next=play_case(case, "next").score,
        by_fixed=play_case(case, "fixed").score,
    )


def _doubt(suspects: Sequence[Cause]) -> float:
    """Return the doubt between the causes worth showing, and all the others as one [bits]."""
    left = 1.0 - sum(cause.probability for cause in suspects) if suspects else 0.0
    return bits_of(suspects) - (left * math.log2(left) if left > 1e-6 else 0.0)
