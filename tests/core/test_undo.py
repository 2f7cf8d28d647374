"""Taking back the last thing: as if it had not been, with both actions on record; facts stay."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plentar.core.evidence.events import (
    Action,
    Approved,
    Caused,
    Checked,
    Event,
    Fitted,
    Locked,
    Measured,
    Noted,
    Observed,
    PowerBack,
    RepairSettled,
    Switched,
    Tapped,
    Temporary,
    Ticked,
)
from plentar.core.evidence.record import Record
from plentar.core.visit import Visit
from plentar.core.work.undo import Undo, undo_id, undo_of
from plentar.words import render
from tests.core.test_epochs import LINE, PLATE, Call


def taken_back(call: Call, person: str = "ana") -> Undo | None:
    """What takes back the newest thing a minute later; kept, where there is any."""
    moment = 60.0 * (len(call.events) + 1)
    back = undo_of(Record(call.events), PLATE, person, moment)
    if back is not None:
        number = len(call.events) + 1
        event = Event(
            id=back.id, seq=number, action=back.action, person=person, by="Ana", done_at=moment, come_at=moment
        )
        call.events.append(event)
    return back


def state(visit: Visit) -> dict[str, object]:
    """Everything a tap can change, without what only time does."""
    record, lockout = visit.record, visit.lockout
    return {
        "feeds": dict(lockout.feeds),
        "control": lockout.control,
        "calls": {call: None if since is None else round(since) for call, since in lockout.calls.items()},
        "bypassed": lockout.bypassed,
        "locks": {(lock.feed, lock.person) for lock in lockout.locks},
        "ticks": {line for line, event in lockout.ticks.items() if getattr(event.action, "is_done", False)},
        "readings": [(reading.point, reading.value) for reading in record.readings],
        "seen": {key: action.state for key, (_, action) in record.seen.items() if action.state != "undone"},
        "checked": record.checked,
        "causes": [action.words for _, action in record.causes],
        "parts": [action.name for _, action in record.of(Fitted)],
        "notes": [action.words for _, action in record.of(Noted)],
        "approvals": [action.who for _, action in record.of(Approved)],
        "temporary": [action.tag for _, action, _ in record.open_temporaries],
        "runs": [run.number for run in visit.watch_runs],
    }


EXAMPLES: dict[str, Action] = {
    "reading": Measured(point=LINE, typed="240", value=240.0),
    "found": Observed(sign="heat-marked", about="strip-b", state="found"),
    "fine": Observed(sign="filter-dirty", state="fine"),
    "call": Switched(what="W", state="on"),
    "feed": Switched(what="feed-1", state="off", device="panel"),
    "control": Switched(what="control", state="off"),
    "jumpers": Switched(what="thermostat", state="bypassed"),
    "tick": Ticked(line="safe-gear"),
    "lock": Locked(feed="feed-1"),
    "check": Checked(line="torqued"),
    "cause": Caused(words="pole 2", cause="age"),
    "part": Fitted(name="sequencer"),
    "note": Noted(words="key under the mat"),
    "approval": Approved(who="owner", what="a second kit"),
    "temporary": Temporary(circuit="strip-b", how="capped", tag="B off", due_on="2030-01-01"),
    "tap": Tapped(deed="call", run=1),
}


@pytest.mark.parametrize("kind", EXAMPLES)
def test_taken_back_it_is_as_it_was(kind: str) -> None:
    """Each kind: the same state as before, both actions on record, in words; and the next tap reaches further back."""
    call = Call()
    call.add(Noted(words="before"))
    before = state(call.visit)
    event = call.add(EXAMPLES[kind])
    assert state(call.visit) != before
    back = taken_back(call)
    assert back is not None
    assert (back.event.id, back.id) == (event.id, undo_id(event.id))
    assert render(back.words)
    assert state(call.visit) == before
    assert [e.id for e in call.events[-2:]] == [event.id, back.id]
    further = taken_back(call)
    assert further is not None
    assert further.event.action == Noted(words="before")


@settings(max_examples=60)
@given(kinds=st.lists(st.sampled_from(sorted(set(EXAMPLES) - {"tap", "jumpers", "feed", "control"})), max_size=6))
def test_taking_back_all_that_was_done_leaves_nothing(kinds: list[str]) -> None:
    """Any actions in any order, then as many taps on undo: as the call began; one tap more finds nothing."""
    call = Call()
    before = state(call.visit)
    for kind in kinds:
        call.add(EXAMPLES[kind])
    for _ in kinds:
        assert taken_back(call) is not None
    assert state(call.visit) == before
    assert taken_back(call) is None


def test_a_call_switched_off_by_mistake_stands_since_it_did() -> None:
    """W on for five minutes, off by a slip, taken back: its clock never stopped."""
    call = Call()
    call.add(Switched(what="W", state="on"))
    since = call.visit.lockout.calls["W"]
    for _ in range(4):
        call.add(Noted(words="waiting"))
    call.add(Switched(what="W", state="off"))
    taken_back(call)
    assert call.visit.lockout.calls["W"] == pytest.approx(since)


@pytest.mark.parametrize(
    "fact", [PowerBack(), RepairSettled(reason="no meter left"), Locked(feed="feed-1", owner="bo", is_on=False)]
)
def test_facts_are_not_taken_back(fact: Action) -> None:
    """Power back on, a proof settled, somebody else's lock cleared: nothing is offered, whatever came before."""
    call = Call()
    call.add(Noted(words="before"))
    call.add(fact)
    assert taken_back(call) is None


def test_nobody_takes_back_what_another_did() -> None:
    """Ana's reading is hers: Bo is offered nothing."""
    call = Call()
    call.add(EXAMPLES["reading"])
    assert taken_back(call, "bo") is None
    assert taken_back(call) is not None


def test_dead_does_not_come_back_by_undo() -> None:
    """A feed switched on and taken back is off: whatever proved it dead is gone."""
    call = Call()
    call.add(Switched(what="feed-1", state="off", device="panel"))
    call.add(Switched(what="feed-1", state="live"))
    taken_back(call)
    assert call.visit.lockout.feeds["feed-1"] == "off"
    assert call.visit.lockout.opened["feed-1"] == "panel"
