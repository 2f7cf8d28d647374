"""Supplies other than split phase, and figures nobody could read."""

from dataclasses import replace

import pytest

from plentar.core.causes.diagnosis import diagnose
from plentar.core.causes.faults import faults_of
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.plain import solve_one
from plentar.core.circuit.wiring import wire
from plentar.core.evidence.events import Action, Event, Locked, Measured, MeterProven, Switched, Ticked, first_event
from plentar.core.evidence.lockout import Lockout, dead_pairs, fold
from plentar.core.evidence.metrology import DEMO_METER
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.judging.blower import back_feed
from plentar.core.judging.situation import Situation
from plentar.core.judging.strips import feed_residual, like_elements
from plentar.core.judging.supply import leg_difference
from plentar.core.judging.verdict import judge
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from plentar.core.work.planning import part_for
from plentar.words import render

LIVE = (("feed-1", "live"),)
IDLE = Condition(feeds=LIVE)  # type: ignore[arg-type]
HEAT = Condition(feeds=LIVE, calls=(("W", 400.0),))  # type: ignore[arg-type]
LINE, LEG, NEUTRAL = "volts:feed-1.l1:feed-1.l2", "volts:feed-1.l1:ground", "volts:feed-1.l2:ground"


def read(point: str, value: float, condition: Condition = HEAT) -> Reading:
    own = DEMO_METER.range_for(point.partition(":")[0], value)
    return Reading(
        point=point,
        value=value,
        condition=condition,
        meter_uncertainty=own.uncertainty(value),
        counts_uncertainty=own.counts_uncertainty,
    )


def line_to_neutral(supply: str = "line-to-neutral") -> Nameplate:
    """Two strips of 5 kW on one leg of 277 V."""
    plate = PATTERNS["two-strip-sequencer"]()
    circuits = tuple(replace(c, rated_volts=277.0) for c in plate.circuits)
    transformer = replace(plate.transformer, primary_volts=277.0)
    return replace(plate, nominal_volts=277.0, supply=supply, circuits=circuits, transformer=transformer)  # type: ignore[arg-type]


@pytest.mark.parametrize("supply", ["line-to-neutral", "split-phase"])
def test_a_healthy_277_volt_unit_passes_with_277_277_and_0(supply: str) -> None:
    """By hand: the leg stands 277 V above ground, the neutral near it; there is no split phase of that height."""
    plate = line_to_neutral(supply)
    solved = solve_one(wire(plate), Drive(calls=frozenset({"W"})))
    # 36.1 A through 12 mΩ of transformer, the neutral's bond and two conductors.
    assert solved.read_volts("feed-1.l1", "ground") == pytest.approx(276, abs=1.5)
    assert solved.read_volts("feed-1.l2", "ground") == pytest.approx(1.1, abs=0.8)
    assert solved.amps("amps:strip-a") == pytest.approx(5000 / 277, rel=0.02)
    taken = [read(LINE, 277.0, IDLE), read(LEG, 277.0, IDLE), read(NEUTRAL, 0.4, IDLE)]
    situation = Situation(plate=plate, readings=taken)
    assert [judge(situation, reading).grade for reading in taken] == [Grade.PASS] * 3
    assert leg_difference(situation, "feed-1") is None
    under = [read(LINE, 276.0), read(NEUTRAL, 0.9), read("amps:strip-a", 18.0), read("amps:strip-b", 18.1)]
    assert diagnose(plate, [*taken, *under]).causes[0].faults[0] == "healthy"


def test_nothing_opens_a_neutral() -> None:
    """No pole of it is lost, and with the breaker open it stays at ground."""
    plate = line_to_neutral()
    lost = {fault.id for fault in faults_of(plate)}
    assert "feed-1.breaker-l1.open" in lost
    assert not any("breaker-l2" in name or "disconnect-l2" in name for name in lost)
    off = solve_one(wire(plate), Drive(dead_feeds=frozenset({"feed-1"}), has_control=False))
    assert off.read_volts("feed-1.l1", "ground") < 1
    assert off.read_volts("feed-1.l2", "ground") < 0.1


@pytest.mark.parametrize(
    ("volts", "spoken"),
    [(0.4, "pass"), (6.5, "marginal: neutral off ground"), (140.0, "fail: neutral off ground")],
)
def test_a_neutral_off_ground_is_told(volts: float, spoken: str) -> None:
    """A few volts are its wire's drop, tens are an open neutral."""
    reading = read(NEUTRAL, volts)
    assert render(judge(Situation(plate=line_to_neutral(), readings=[reading]), reading).spoken) == spoken


def test_a_neutral_is_read_for_dead_like_any_leg() -> None:
    """Every conductor to every other and to the frame, whatever it is called."""
    assert [point for point, _ in dead_pairs(line_to_neutral())] == [LINE, LEG, NEUTRAL]


def proven_dead(*, frame_at: float) -> Lockout:
    """One person's whole list on 277 V, the live leg shown to the frame at so many volts, the neutral not at all."""
    plate, now = line_to_neutral(), 0.0
    events: list[Event] = []

    def add(action: Action) -> None:
        nonlocal now
        now += 10.0
        if isinstance(action, Measured | MeterProven):
            action = replace(action, meter="ana's")
        number = len(events) + 1
        events.append(
            Event(id=f"e{number}", seq=number, action=action, person="ana", by="Ana", done_at=now, come_at=now)
        )

    def volts(point: str, shown: float, condition: Condition | None = None) -> None:
        more = {} if condition is None else {"condition": condition}
        add(Measured(point=point, typed=str(shown), value=shown, **more))  # type: ignore[arg-type]

    add(first_event(plate))
    volts(LEG, frame_at, IDLE)
    add(Switched(what="feed-1", state="off", device="disconnect"))
    add(Locked(feed="feed-1"))
    for line in ("safe-gear", "safe-outdoor-off", "safe-capacitor"):
        add(Ticked(line=line, volts=0.2 if line == "safe-capacitor" else None))
    add(MeterProven(volts=121.0))
    for point in (LINE, LEG, NEUTRAL, "volts:board.r:board.c"):
        volts(point, 0.2)
    add(MeterProven(volts=121.0))
    return fold(plate, events)


def test_a_277_volt_unit_can_be_proven_dead_by_its_one_leg() -> None:
    """The leg shows the frame at 277 V; at 120 V it shows a frame that hangs somewhere: not proven."""
    assert proven_dead(frame_at=277.0).condition(500.0).is_proven_dead
    assert not proven_dead(frame_at=120.0).condition(500.0).is_proven_dead


def assumed(*paths: str) -> Nameplate:
    return replace(PATTERNS["two-strip-sequencer"](), assumed=paths)


RATINGS = ("circuits[0].rated_watts", "circuits[1].rated_watts")


def test_an_assumed_rating_blames_no_part() -> None:
    """Strips of 4 kW where 5 are assumed draw 16.7 A: by a known plate a wrong element, by a guess nothing."""
    taken = [read(LINE, 240.0), read("amps:strip-a", 16.7), read("amps:strip-b", 16.7), read("amps:feed-1", 34.0)]
    known = diagnose(PATTERNS["two-strip-sequencer"](), taken)
    guessed = diagnose(assumed(*RATINGS), taken)
    assert known.causes[0].faults[0] != "healthy"
    assert guessed.causes[0].faults[0] == "healthy"


def test_sums_and_likeness_of_assumed_ratings_are_not_judged() -> None:
    """The feed's rest, like strips and the way of a back-feed all hang on ratings."""
    taken = [read(LINE, 240.0), read("amps:strip-a", 20.0), read("amps:strip-b", 14.0)]
    total = read("amps:feed-1", 60.0)
    known, guessed = (
        Situation(plate=plate, readings=taken) for plate in (PATTERNS["two-strip-sequencer"](), assumed(*RATINGS))
    )
    residuals = [feed_residual(situation, total, "feed-1") for situation in (known, guessed)]
    assert [found.grade if found else None for found in residuals] == [Grade.FAIL, Grade.NOT_PROVEN]
    assert (len(like_elements(known)), len(like_elements(guessed))) == (1, 0)
    back = [back_feed(situation, read("amps:interlock", 3.0, IDLE)) for situation in (known, guessed)]
    assert [found.kind if found else "" for found in back] == ["heat contact stuck", "back-feed"]


def test_an_unknown_fuse_is_no_five_amps_on_the_van() -> None:
    """Both usual ones are taken."""
    plate = PATTERNS["two-strip-sequencer"]()
    plate = replace(plate, transformer=replace(plate.transformer, fuse_amps=None))
    fault = next(fault for fault in faults_of(plate) if fault.id == "fuse.open")
    assert render(part_for(plate, fault).words) == "control fuses 3 and 5 A"
