"""Both sides of edges that a change of one line could move unseen: repairs, wires, doubt, struck readings."""

from dataclasses import replace

import pytest

from plentar.core.causes.hypotheses import model_of
from plentar.core.causes.sequences import RESET_SHARE, _shares
from plentar.core.errors import ReadingError
from plentar.core.evidence.events import (
    Aired,
    Checked,
    Fitted,
    Measured,
    MeterProven,
    PowerBack,
    RepairSettled,
    Switched,
    Temporary,
    Ticked,
    Voided,
)
from plentar.core.evidence.lockout import fold
from plentar.core.evidence.merging import lockout_then
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.intake import Sender, take_in
from plentar.core.judging.situation import Situation
from plentar.core.judging.verdict import judge
from plentar.core.limits.ampacity import WireRun
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.supply_path import Conductor
from plentar.core.visit import Visit
from plentar.core.work.interim import interim_of
from plentar.core.work.proof import proof_items, touched_by
from plentar.core.work.safety import ohms_refusal
from plentar.words import render
from tests.core.test_epochs import BLOWER, LINE, STRIP_B, Call
from tests.core.test_lockout import FEEDS, LEGS, PAIRS, PLATE, Story
from tests.core.test_merging import DEAD, END, FEED, START, done
from tests.core.test_merging import PLATE as TWO

CONTROL = "volts:board.w:board.c"


# A repair after a repair.


def repaired() -> Call:
    """A call on which a part was fitted, power put back and the proof settled."""
    call = Call()
    call.add(Fitted(name="Fusible link"))
    for line in ("pulled", "torqued", "strands", "metal", "covers"):
        call.add(Checked(line=line))
    call.add(PowerBack())
    call.add(RepairSettled(is_proven=True))
    return call


def test_what_is_repaired_after_the_proof_is_proven_anew() -> None:
    """A second part fitted asks for its own proof and its own list before power."""
    call = repaired()
    assert [call.visit.record.awaits_proof] == [False]
    assert call.visit.record.checked == {"pulled", "torqued", "strands", "metal", "covers"}
    call.add(Fitted(name="Sequencer"))
    assert [call.visit.record.awaits_proof] == [True]
    assert call.visit.record.checked == frozenset()
    call.add(Checked(line="pulled"))
    assert call.visit.record.checked == {"pulled"}
    call.add(PowerBack())
    assert call.visit.record.checked == {"pulled"}


def test_a_repaired_unit_is_not_told_little_air_by_what_was_read_before() -> None:
    """One strip of two before, both after: the watts into the air are those of the unit as it is."""
    call = Call()
    call.add(Switched(what="W", state="on"))
    call.sound()
    call.read(STRIP_B, 0.0)
    found = call.visit.airstream()
    assert found is not None
    assert found.strips["strip-b"] == 0.0
    call.add(Fitted(name="Element"))
    call.add(PowerBack())
    assert call.visit.airstream() is None
    call.add(Switched(what="W", state="on"))
    call.sound()
    found = call.visit.airstream()
    assert found is not None
    assert found.strips == {"strip-a": 20.8, "strip-b": 20.8}


@pytest.mark.parametrize("is_before", [True, False])
def test_a_measurement_of_the_air_goes_by_the_watts_of_its_own_time(is_before: bool) -> None:
    """Taken before the repair by what was read then, after it by what was read since."""
    call = Call()
    call.add(Switched(what="W", state="on"))
    for strip_b in (0.0, 20.8):
        if strip_b:
            call.add(Fitted(name="Element"))
            call.add(PowerBack())
            call.add(Switched(what="W", state="on"))
        for point, value in ((LINE, 240.0), ("amps:strip-a", 20.8), (STRIP_B, strip_b), (BLOWER, 2.4)):
            call.read(point, value)
        if bool(strip_b) is not is_before:
            for point, value in (("degf:return", 70.0), ("degf:supply", 110.0)):
                call.read(point, value)
            names = [event.id for event in call.events[-2:]]
            condition = call.visit.lockout.condition(0.0)
            call.add(Aired(return_reading=names[0], supply_reading=names[1], condition=condition))
    [air] = call.visit.airs
    stream = call.visit.airstream(air.event)
    assert stream is not None
    assert stream.strips["strip-b"] == (0.0 if is_before else 20.8)


def test_every_feed_is_proven_under_load() -> None:
    """Two feeds: the volts and the total of each; one feed has no name to be told apart by."""
    items = [(item.point, render(item.words)) for item in proof_items(PLATE, touched_by(PLATE, (), ()))]
    for number, feed in enumerate(FEEDS, start=1):
        assert (f"volts:{feed}.l1:{feed}.l2", f"Feed {number} under load") in items
        assert (f"amps:{feed}", f"Feed {number} total, heat and fan calling together") in items
    assert ("amps:feed-1", "Feed total, heat and fan calling together") in [
        (item.point, render(item.words)) for item in proof_items(TWO, touched_by(TWO, (), ()))
    ]


# Line volts on the control side.


def test_only_two_more_readings_clear_line_volts_on_the_control_side() -> None:
    """Neither a strike nor a correction does: the meter does, held to the same two places twice."""
    for way in ("struck", "corrected"):
        call = Call()
        call.read(CONTROL, 121.0)
        first = call.events[-1]
        if way == "struck":
            call.add(Voided(event=first.id, reason="typed wrong"))
        else:
            call.add(Measured(point=CONTROL, typed="24", value=24.0, supersedes=first.id, reason="typed wrong"))
        assert call.visit.stop, way
        call.read(CONTROL, 24.2)
        assert call.visit.stop, way
        call.read(CONTROL, 24.1)
        assert not call.visit.stop, way


# Dead.


@pytest.mark.parametrize(("volts", "is_taken"), [(95.9, False), (96.0, True)])
def test_a_frame_is_proven_and_counted_from_the_same_volts(volts: float, is_taken: bool) -> None:
    """0.8 of a leg's 120 V: what is taken in is what proves it."""
    story = Story()
    story.switch_off()
    sender = Sender(
        person="ana", done_at=story.now, meters={}, meter="", parse=lambda text, _: float(text), words=render
    )
    visit = Call().visit
    action = Ticked(line="safe-frame", volts=volts)
    if is_taken:
        assert take_in(visit, action, sender) == action
    else:
        with pytest.raises(ReadingError, match="96 V or more"):
            take_in(visit, action, sender)
    story.add(action, "ana")
    assert story.lockout.frame_is_proven is is_taken


def test_a_meter_proven_in_another_mode_in_between_proves_nothing() -> None:
    """The dial was turned: what was proven before it says nothing of what is read after."""
    for is_turned in (False, True):
        story = Story()
        story.show_frame()
        story.switch_off()
        story.tick()
        story.add(MeterProven(volts=121.0), "ana")
        if is_turned:
            story.add(MeterProven(volts=121.0, mode="low impedance"), "ana")
        for pair in PAIRS:
            story.volts(":".join(sorted(pair)), 0.2)
        story.add(MeterProven(volts=121.0), "ana")
        assert story.lockout.feeds_are_dead is not is_turned


def test_a_part_is_free_once_each_end_of_it_was_read_dead() -> None:
    """One end to the frame says nothing of the other, and a reading that was struck out says nothing at all."""
    story = Story()
    story.prove()
    ohms, ends = "ohms:strip-a.element", [f"strip-a.element.{end}:ground" for end in (1, 2)]
    assert ohms_refusal(PLATE, story.lockout, ohms, person="ana")
    story.volts(ends[0], 0.1)
    assert ohms_refusal(PLATE, story.lockout, ohms, person="ana")
    last = story.volts(ends[1], 0.1)
    assert not ohms_refusal(PLATE, story.lockout, ohms, person="ana")
    voided = fold(PLATE, story.events, voided=frozenset({last.id}))
    assert ohms_refusal(PLATE, voided, ohms, person="ana")
    # On the control side it contradicts nothing, and frees nothing either.
    coil = story.volts("seq-a.coil.1:seq-a.coil.2", 0.1)
    assert not ohms_refusal(PLATE, story.lockout, "ohms:seq-a.coil", person="ana")
    voided = fold(PLATE, story.events, voided=frozenset({coil.id}))
    assert voided.feeds_are_dead
    assert ohms_refusal(PLATE, voided, "ohms:seq-a.coil", person="ana")


def test_a_struck_reading_proves_no_pair_dead() -> None:
    """Below the device that was opened each pair wants a reading that stands: it is read again, and said so."""
    story = Story()
    story.prove()
    assert all(pair.counts for pair in story.lockout.pairs)
    legs = f"volts:{LEGS[0]}:{LEGS[1]}"
    read = next(event for event in story.events if isinstance(event.action, Measured) and event.action.point == legs)
    voided = fold(PLATE, story.events, voided=frozenset({read.id}))
    assert [pair.point for pair in voided.pairs if not pair.counts] == [legs]
    assert not voided.feeds_are_dead


@pytest.mark.parametrize(("clock", "is_dead"), [(5.0, True), (40.0, False)])
def test_the_other_persons_clock_counts_as_ones_own(clock: float, is_dead: bool) -> None:
    """Closed 30 s after the reading by a clock that may be so many wrong: perhaps it was before it."""
    back = done(99, END + 40, Switched(what=FEED, state="live"), by="Bo", clock=clock)
    assert lockout_then(TWO, [*DEAD, back], done_at=START + END + 10).is_dead is is_dead


# Wire and device.


@pytest.mark.parametrize(
    ("size", "metal", "amps"),
    [
        # 60 °C column: 95 and 110 A. Where nothing is marked the 60 °C column holds up to 100 A of it.
        ("2", "copper", 95.0),
        ("1", "copper", 130.0),
        # 85 A at 60 °C, 100 at 75; 100 and 120.
        ("1", "aluminium", 85.0),
        ("1/0", "aluminium", 100.0),
        ("2/0", "aluminium", 135.0),
    ],
)
def test_an_unmarked_end_is_held_to_60_degrees_up_to_100_amps(size: str, metal: str, amps: float) -> None:
    """By the 60 °C column's own amps, not by the 75 °C one's."""
    assert WireRun(metal=metal, size=size, column=75).ampacity_amps == amps  # type: ignore[arg-type]


def test_until_it_is_read_a_wire_counts_by_its_worst() -> None:
    """#8 copper of unknown insulation and ends: 40 A at 60 °C, not 50 at 75."""
    feed = replace(TWO.feeds[0], breaker_amps=60.0, conductor=Conductor(metal="copper", size="8", length_feet=40.0))
    until = interim_of(replace(TWO, feeds=(feed,)), feed.id)
    assert until is not None
    assert until.device_amps == 40.0
    # 0.8 × 40 A less the blower carries one strip of 20.8 A, 40 A of device would not carry two.
    assert len(until.left_off) == 1


@pytest.mark.parametrize(("amps", "is_taken"), [(50.0, True), (60.0, False)])
def test_a_temporary_device_is_smaller_than_the_one_that_is_there(amps: float, is_taken: bool) -> None:
    """The same size is no measure."""
    call = Call()
    plate = replace(TWO, feeds=(replace(TWO.feeds[0], breaker_amps=60.0),))
    visit = on_plate(call, plate)
    sender = Sender(person="ana", done_at=60.0, meters={}, meter="", parse=lambda text, _: float(text), words=render)
    action = Temporary(how="smaller", tag="50 A", due_on="2030-01-05", feed=plate.feeds[0].id, device_amps=amps)
    if is_taken:
        taken = take_in(visit, action, sender)
        assert isinstance(taken, Temporary)
        assert taken.device_amps == amps
    else:
        with pytest.raises(ReadingError, match="smaller device"):
            take_in(visit, action, sender)


def on_plate(call: Call, plate: Nameplate) -> Visit:
    """The same call on another plate."""
    return Visit(plate, call.visit.record, moment=call.visit.moment)


# What a meter's doubt is worth.


def test_the_supplys_own_doubt_counts_beside_the_clamps() -> None:
    """21.8 A where 20.83 are expected: 4.7 % high, inside +5 % by the clamp; volts known to 2 % leave it open."""
    condition = Condition(feeds=(("feed-1", "live"),), calls=(("W", 400.0),))
    amps = Reading(point="amps:strip-a", value=21.8, condition=condition, meter_uncertainty=0.02)
    for doubt, grade in ((0.1, "pass"), (5.0, "marginal")):
        volts = Reading(point=LINE, value=240.0, condition=condition, meter_uncertainty=doubt)
        verdict = judge(Situation(plate=TWO, readings=[volts, amps]), amps)
        assert verdict.grade.value == grade


# Breakers in time.


def test_a_dead_short_trips_at_once_and_a_weak_breaker_now_and_then() -> None:
    """The one ahead of a short is as good as gone; a weak one goes with the minutes, never within a second.

    Of those that trip cold after 13.4 min, log-normal of width 0.91, Φ(−2.86) = 0.2 % have after 1 min, Φ(−0.714) =
    23.8 % after 7.
    """
    model = model_of(TWO)
    under_heat, later, soon = (
        Condition(feeds=(("feed-1", "live"),), calls=(("W", seconds),)) for seconds in (60.0, 420.0, 61.0)
    )
    trips = [entry for entry in model.passing if entry.fault.shows == "trips"]
    short = next(entry for entry in trips if model.is_short(entry.fault))
    weak = next(entry for entry in trips if not model.is_short(entry.fault))
    off, _ = _shares(model, [under_heat, later], [short, weak])
    assert list(off[1]) == [1 - RESET_SHARE, pytest.approx((0.238 - 0.002) / 0.998, abs=0.002)]
    off, _ = _shares(model, [under_heat, soon], [short, weak])
    assert off[1][1] == RESET_SHARE
