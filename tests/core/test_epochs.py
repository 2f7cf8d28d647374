"""The unit as found and as it is: what a repair leaves behind, what *all well* needs, what no list may drop."""

from collections.abc import Callable

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plentar.core.evidence.events import (
    Action,
    Event,
    Fitted,
    Landed,
    LedgerLead,
    Mapped,
    Measured,
    Observed,
    PowerBack,
    Switched,
    Tapped,
    ThermostatWire,
    first_event,
)
from plentar.core.evidence.record import Record
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.points import test_points as points_of
from plentar.core.visit import Visit
from plentar.core.work.ledger import leads_of
from plentar.words import render

PLATE = PATTERNS["two-strip-sequencer"]()
LINE, STRIP_B, BLOWER = "volts:feed-1.l1:feed-1.l2", "amps:strip-b", "amps:blower"


class Call:
    """One call's events, a minute apart, and the visit that follows from them."""

    def __init__(self) -> None:
        self.events: list[Event] = []
        self.add(first_event(PLATE))

    def add(self, action: Action) -> Event:
        """Do one thing."""
        number = len(self.events) + 1
        event = Event(
            id=f"e{number}",
            seq=number,
            action=action,
            person="ana",
            by="Ana",
            done_at=60.0 * number,
            come_at=60.0 * number,
        )
        self.events.append(event)
        return event

    def read(self, point: str, value: float, *, half: float = 0.2) -> None:
        """Read once, under what is set."""
        condition = self.visit.lockout.condition(60.0 * (len(self.events) + 1))
        self.add(Measured(point=point, typed=str(value), value=value, meter_uncertainty=half, condition=condition))

    def sound(self) -> None:
        """Read all that an all-well wants, under heat, as a healthy unit shows it."""
        for point, value in ((LINE, 240.0), ("amps:strip-a", 20.8), (STRIP_B, 20.8), (BLOWER, 2.4)):
            self.read(point, value)

    @property
    def visit(self) -> Visit:
        """What follows by now."""
        return Visit(PLATE, Record(self.events), moment=60.0 * (len(self.events) + 2))


def dead_strip() -> Call:
    """A call on which strip B draws nothing under a heat call that has long stood."""
    call = Call()
    call.add(Switched(what="W", state="on"))
    call.add(Switched(what="G", state="on"))
    for _ in range(6):
        call.add(Observed(sign="splices", state="fine"))
    call.sound()
    call.read(STRIP_B, 0.0)
    return call


def fitted(call: Call) -> None:
    """A part is fitted and power goes back on."""
    call.add(Fitted(name="sequencer"))
    call.add(PowerBack())
    call.add(Switched(what="W", state="off"))
    call.add(Switched(what="W", state="on"))
    for _ in range(6):
        call.add(Observed(sign="splices", state="fine"))


def moved(call: Call) -> None:
    """A lead is moved."""
    rows = tuple(LedgerLead(lead=end.lead, before=end.terminal, after=end.terminal) for end in leads_of(PLATE, "seq-a"))
    call.add(Landed(part="seq-a", rows=rows))


def test_a_thermostat_that_was_jumpered_is_put_back_before_power() -> None:
    """Its wires come off for the jumpers: the list asks for them, and only then."""
    call = dead_strip()
    assert "thermostat" not in [name for name, _, _ in call.visit.checklist]
    call.add(Switched(what="thermostat", state="bypassed"))
    assert "thermostat" in [name for name, _, _ in call.visit.checklist]


def test_suspects_and_findings_are_of_the_unit_as_it_is() -> None:
    """Dead before the part was fitted, sound after: nothing is suspected, and the papers still have what was found."""
    call = dead_strip()
    assert call.visit.suspects[0].faults != ("healthy",)
    assert render(call.visit.findings[0].about) == "Strip B"
    fitted(call)
    assert (call.visit.findings, list(call.visit.suspects)) == ([], []), "nothing read since"
    assert call.visit.unchecked
    call.sound()
    visit = call.visit
    assert visit.findings == []
    assert visit.suspects[0].faults == ("healthy",)
    assert visit.unchecked == ()
    assert render(visit.findings_before[0].about) == "Strip B"


def test_power_back_on_without_a_repair_forgets_nothing() -> None:
    """Off for ohms and on again: the unit is the one that was found."""
    call = dead_strip()
    call.add(PowerBack())
    assert render(call.visit.findings[0].about) == "Strip B"
    assert not call.visit.is_repaired


@pytest.mark.parametrize("change", [moved, lambda call: call.add(Fitted(name="limit"))], ids=["lead", "part"])
def test_a_change_after_power_on_takes_the_proof_away(change: Callable[[Call], None]) -> None:
    """Until power goes back on again nothing read so far proves anything."""
    call = dead_strip()
    fitted(call)
    call.sound()
    assert any(entry.is_proven for entry in call.visit.proof)
    change(call)
    assert not any(entry.is_proven for entry in call.visit.proof)
    assert any("power" in render(words) for words in call.visit.blockers)
    call.add(PowerBack())
    call.sound()
    assert any(entry.is_proven for entry in call.visit.proof)
    assert not any("power" in render(words) for words in call.visit.blockers)


def test_sound_at_rest_is_no_answer_to_dead_under_a_call() -> None:
    """The same strip read twice: dead with heat called, off without; the first stays a finding, with its state."""
    call = dead_strip()
    call.add(Switched(what="W", state="off"))
    call.read(STRIP_B, 0.0)
    [finding] = [entry for entry in call.visit.findings if entry.point == STRIP_B]
    assert render(finding.verdict.spoken) == "fail: dead"


POINTS = [point.id for point in points_of(PLATE) if point.quantity in ("volts", "amps")]
ELSEWHERE = [
    "amps:control",
    "amps:strip-a.return",
    "volts:strip-a.element.1:strip-a.element.2",
    "volts:board.r:board.c",
]


@settings(max_examples=60)
@given(
    taken=st.lists(
        st.tuples(
            st.sampled_from(POINTS + ELSEWHERE), st.sampled_from([0.0, 4.0, 20.8, 24.5, 120.0, 240.0]), st.booleans()
        ),
        max_size=12,
    )
)
def test_no_reading_that_is_not_sound_is_missing_from_the_findings(taken: list[tuple[str, float, bool]]) -> None:
    """Whatever is read: the last reading of a place in a state is sound, or a finding with its number."""
    call = Call()
    for point, value, is_called in taken:
        call.add(Switched(what="W", state="on" if is_called else "off"))
        call.read(point, value)
    visit = call.visit
    newest = {(entry.reading.point, entry.reading.condition.state): entry for entry in visit.judged}
    wanted = {
        (entry.reading.point, entry.verdict.value, entry.verdict.unit)
        for entry in newest.values()
        if entry.verdict.grade is not Grade.PASS
    }
    told = {(finding.point, finding.verdict.value, finding.verdict.unit) for finding in visit.findings}
    assert wanted <= told
    if not taken:
        assert len(visit.unchecked) == 4


def test_what_to_do_now_follows_the_work() -> None:
    """Read, test, accept, prove, settle; a sound unit is all well only once everything was read."""
    call = Call()
    assert render(call.visit.advice.words) == "Read the supply first"
    call.add(Switched(what="W", state="on"))
    for _ in range(8):
        call.add(Observed(sign="smell", state="undone"))
    call.read(LINE, 240.0)
    assert call.visit.next_test is not None
    assert call.visit.advice.point == call.visit.next_test.test.point
    for point, value in (("amps:strip-a", 20.8), ("volts:seq-a.coil.1:seq-a.coil.2", 25.0), (STRIP_B, 0.0)):
        call.read(point, value)
    call.read("volts:seq-a.pole-2.load:seq-a.pole-2.line", 239.0)
    # One reading in fifty is wrong: what the answer rests on alone is read twice before a part is bought.
    assert call.visit.advice.kind == "again"
    assert call.visit.advice.point == "volts:seq-a.pole-2.load:seq-a.pole-2.line"
    call.read("volts:seq-a.pole-2.load:seq-a.pole-2.line", 238.0)
    assert render(call.visit.advice.words).startswith("Accept: ")
    assert "Pole 2 of Seq A" in render(call.visit.advice.words)
    call.add(Fitted(name="sequencer"))
    call.add(PowerBack())
    assert render(call.visit.advice.words).startswith("Prove the repair: ")
    well = Call()
    well.add(Switched(what="W", state="on"))
    for _ in range(8):
        well.add(Observed(sign="smell", state="undone"))
    well.sound()
    assert well.visit.advice.kind in ("test", "well")
    assert well.visit.unchecked == ()


EVIDENCE: dict[str, tuple[Action, ...]] = {
    "a look": (Observed(sign="heat-marked", about="strip-b", state="found"),),
    "a failed start": (
        Observed(sign="start", about="1", state="found"),
        Observed(sign="start", about="2", state="fine"),
    ),
    "a row of the four": (Observed(sign="row-blower", about="G", state="fine"),),
    "a check": (Observed(sign="stiff", state="found"),),
    "a run": (Tapped(deed="call", run=1), Tapped(deed="on", stage="strip-a", run=1)),
    "conductors": (Mapped(wires=(ThermostatWire(thermostat="W", board="Y", colour="white"),)),),
}


@pytest.mark.parametrize("kind", EVIDENCE)
def test_no_kind_of_evidence_is_dropped(kind: str) -> None:
    """All sound but for one thing that was seen, timed or traced: it stands among the findings, in words."""
    call = Call()
    call.add(Switched(what="W", state="on"))
    call.sound()
    before = {render(found.about) for found in call.visit.findings}
    for action in EVIDENCE[kind]:
        call.add(action)
    for _ in range(10):
        call.add(Observed(sign="smell", state="undone"))
    after = [found for found in call.visit.findings if render(found.about) not in before]
    assert after, kind
    assert all(render(found.verdict.because) or found.verdict.unit for found in after)
    assert call.visit.advice.kind != "well"


@pytest.mark.parametrize(
    ("point", "value"),
    [("microfarads:blower.capacitor", 1.0), ("amps:control", 9.0), ("dc_volts:seq-a.coil.1:seq-a.coil.2", 60.0)],
)
def test_no_function_of_the_meter_is_dropped(point: str, value: float) -> None:
    """A number that is not sound on any dial is found."""
    call = Call()
    call.add(Switched(what="W", state="on"))
    call.sound()
    for _ in range(3):
        call.add(Observed(sign="smell", state="undone"))
    call.read(point, value)
    assert point in {found.point for found in call.visit.findings}


def share_of(visit: Visit, fault: str) -> float:
    """How likely one fault is by itself."""
    found = visit.diagnosis
    assert found is not None
    return float(found.posterior[found.model.cause_of == found.model.causes.index(fault)].sum())


def test_a_landing_the_air_and_a_capacitor_move_the_suspects() -> None:
    """W landed on Y speaks for the joint; a capacitor in its band clears it, one out of it names it."""
    call = Call()
    call.add(Switched(what="G", state="on"))
    call.read(BLOWER, 3.4)
    weak, joined = "blower.motor.weak-capacitor", "control.w-to-y.joined"
    before = {fault: share_of(call.visit, fault) for fault in (weak, joined)}
    call.add(Mapped(wires=(ThermostatWire(thermostat="W", board="Y", colour="white"),)))
    assert share_of(call.visit, joined) > 10 * before[joined]
    call.read("microfarads:blower.capacitor", 7.4, half=0.1)
    assert share_of(call.visit, weak) < 0.1 * before[weak]
    call.read("microfarads:blower.capacitor", 5.0, half=0.1)
    assert share_of(call.visit, weak) > 3 * before[weak]
