"""A debrief as the page shows it: the core's, kept a while, with the board of the step the slider stands at."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from threading import Lock
from typing import Any
from uuid import UUID

from cachetools import LRUCache

from plentar.core.circuit.places import find_point
from plentar.core.evidence.events import Action, Locked, MeterProven, Ticked
from plentar.core.evidence.lockout import TICK_WORDS
from plentar.core.practice.attempt import Attempt, Did, Finish, HintAsked, Listen, Outcome, Read, Swap, Wait
from plentar.core.practice.case import part_of
from plentar.core.practice.debrief import Debrief, debrief
from plentar.core.work.undo import action_words
from plentar.screen.call import View
from plentar.screen.drawings.ladder import Board
from plentar.store.practice_models import PracticeRun
from plentar.web.practice.keeping import attempt_of, fresh_attempt
from plentar.web.practice.screen import PracticeScreen
from plentar.words import render

__all__ = ["Replayed", "debrief_of"]

# A debrief is some ten kilobytes and two seconds of work: one class and its neighbours.
_kept: LRUCache[UUID, Debrief] = LRUCache(maxsize=128)
_lock = Lock()
# What a reading told by the bits it took off the doubt; below the least of them it is the display's last digit.
WORTH = ((1.5, "told a lot"), (0.5, "told something"), (0.1, "told a little"))


class _Replay(PracticeScreen):
    """The board as it was at a step, drawn with what was hidden, and with the parts a reading's probes hang on."""

    way: tuple[str, ...] = ()

    @property
    def hidden_parts(self) -> frozenset[str]:
        """The parts at fault."""
        return frozenset(fault.part for fault in self.attempt.case.faults)

    @property
    def halos(self) -> Mapping[str, float]:
        return dict.fromkeys((*self.way, *self.hidden_parts), 1.0)

    @property
    def shown_fault(self) -> str:
        left = [fault.id for fault in self.attempt.world.faults]
        return left[0] if left else ""


@dataclass(frozen=True)
class Replayed:
    """A debrief, looked at at one step."""

    run: PracticeRun
    found: Debrief
    at: int

    @cached_property
    def _screen(self) -> _Replay:
        attempt = fresh_attempt(self.run)
        point = None
        for line in self.found.lines[: self.at]:
            act = line.outcome.step.act
            attempt.take(line.outcome.step)
            point = act.point if isinstance(act, Read) else point
        screen = _Replay(self.run, attempt, url="", selected=point, view=View(show="healthy"))
        screen.way = self.found.lines[self.at - 1].way if self.at else ()
        return screen

    @property
    def board(self) -> Board:
        """The board at the step."""
        return self._screen.board

    @property
    def hidden_parts(self) -> frozenset[str]:
        """The parts at fault, marked on the board."""
        return self._screen.hidden_parts

    @property
    def seconds(self) -> float:
        """The practice clock at the step [s]."""
        return self._screen.attempt.world.seconds

    @staticmethod
    def worth_of(bits: float) -> str:
        """Return what a reading told, in words: a bit is half of the doubt gone."""
        return next((words for least, words in WORTH if bits >= least), "told nothing new")

    def words_of(self, outcome: Outcome) -> str:
        """What a step did, in words."""
        return act_words(self._attempt, outcome)

    @cached_property
    def _attempt(self) -> Attempt:
        return attempt_of(self.run)


def act_words(attempt: Attempt, outcome: Outcome) -> str:
    """Return what a step did in words."""
    act = outcome.step.act
    if isinstance(act, Read):
        where = find_label(attempt, act.point)
        shown = outcome.display.spoken if outcome.display is not None else "not read"
        return f"{where}: {shown}"
    if isinstance(act, Did):
        return _action_words(attempt, act.action)
    if isinstance(act, Wait):
        return f"{act.seconds:g} s waited"
    if isinstance(act, Swap):
        return f"{render(part_of(attempt.case.plate, act.part))} repaired"
    names: Mapping[type[Any], str] = {
        Listen: "Looked, listened, smelled",
        HintAsked: "Asked what to do now",
        Finish: "Ended the call",
    }
    return names.get(type(act), "Did what must never be done")


def _action_words(attempt: Attempt, action: Action) -> str:
    if isinstance(action, Ticked):
        return render(TICK_WORDS.get(action.line, "")) or "Cabinet ground proven on a known live leg"
    if isinstance(action, Locked):
        return f"Own lock {'on' if action.is_on else 'off'} {action.feed.replace('-', ' ')}"
    if isinstance(action, MeterProven):
        return "Meter proven on a known live source"
    return render(action_words(attempt.case.plate, action))


def find_label(attempt: Attempt, point: str) -> str:
    """Return a point's name in words."""
    found = find_point(attempt.case.plate, point)
    return f"{render(found.label)}, {render(found.where)}"


def debrief_of(run: PracticeRun, at: int | None) -> Replayed:
    """Return a finished run's debrief at a step, the last where none is named."""
    with _lock:
        found: Debrief | None = _kept.get(run.id)
    if found is None:
        found = debrief(fresh_attempt(run), attempt_of(run).outcomes)
        with _lock:
            _kept[run.id] = found
    last = len(found.lines)
    return Replayed(run=run, found=found, at=last if at is None else min(max(at, 0), last))
