"""What is wrong by the wiring alone, and the rarer faults of feed, frame, interlock and element."""

from dataclasses import replace

import pytest

from plentar.core.causes.diagnosis import diagnose
from plentar.core.causes.faults import fault_by_id
from plentar.core.circuit.as_wired import wired_wrong
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.plain import solve_one
from plentar.core.circuit.timeline import play
from plentar.core.circuit.wiring import wire
from plentar.core.errors import NameplateError
from plentar.core.evidence.events import Tapped
from plentar.core.evidence.metrology import DEMO_METER
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.evidence.record import Record
from plentar.core.evidence.runs import TimingRun
from plentar.core.evidence.signs import Observation
from plentar.core.judging.timing import fan_stages, judge_run, stages_of
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.nameplate import Nameplate, RelayPole
from plentar.core.unit.patterns import PATTERNS
from plentar.core.visit import Visit
from plentar.words import render

TWO, DPDT, FOUR = (PATTERNS[name]() for name in ("two-strip-sequencer", "one-strip-dpdt", "four-strip-chained"))
DELAYED, STAGED = PATTERNS["two-strip-ac-relay"](), PATTERNS["four-strip-staged"]()
LINE = "volts:feed-1.l1:feed-1.l2"


def landed(plate: Nameplate, **landings: str) -> Nameplate:
    """The unit with its first relay contact landed otherwise."""
    relay = plate.blower.relay
    assert relay is not None
    contact = replace(relay.contacts[0], **landings)
    return replace(plate, blower=replace(plate.blower, relay=replace(relay, contacts=(contact, *relay.contacts[1:]))))


def with_plain_wire(plate: Nameplate, strip: str = "strip-a") -> Nameplate:
    """The unit with a wire from a strip's load side to the motor."""
    return replace(plate, blower=replace(plate.blower, plain_wire_to=strip))


def read(point: str, value: float, *calls: str, plate: Nameplate = TWO, dead: bool = False) -> Reading:
    """A reading with the demo meter, its calls on long enough."""
    feeds = tuple((feed.id, "proven dead" if dead else "live") for feed in plate.feeds)
    condition = Condition(
        feeds=feeds,  # type: ignore[arg-type]
        control="proven dead" if dead else "from unit",
        calls=tuple((call, 400.0) for call in calls),
    )
    uncertainty = DEMO_METER.uncertainty(point.partition(":")[0], value)
    return Reading(point=point, value=value, condition=condition, meter_uncertainty=uncertainty)


def first(plate: Nameplate, *readings: Reading, signs: tuple[Observation, ...] = ()) -> tuple[str, float]:
    """The leading cause's first fault and its share."""
    found = diagnose(plate, readings, observations=signs).first
    assert found is not None
    return found.faults[0], found.probability


@pytest.mark.parametrize("name", PATTERNS)
def test_every_example_is_wired_right(name: str) -> None:
    """A fan pole of a sequencer, wired plainly to the motor, among them."""
    assert wired_wrong(PATTERNS[name]()) == ()


@pytest.mark.parametrize(
    ("plate", "reason"),
    [
        pytest.param(with_plain_wire(TWO), "interlock.back-feed-fan-call-heats", id="plain wire"),
        pytest.param(with_plain_wire(FOUR, "strip-b"), "interlock.back-feed-fan-call-heats", id="beside a fan pole"),
        pytest.param(with_plain_wire(PATTERNS["wye-contactor"]()), "interlock.plain-wire", id="both legs switched"),
        pytest.param(landed(TWO, com="L2", no="blower", nc="strip-a"), "interlock.strip-heats", id="COM on the leg"),
        pytest.param(landed(TWO, nc="none"), "interlock.heat-without-air", id="NC left open"),
        pytest.param(landed(STAGED, nc="strip-c"), "interlock.heat-without-air", id="NC on the second stage"),
        pytest.param(landed(TWO, com="L2", no="blower", nc="L1"), "interlock.dead-short-relay-joins-l1", id="short"),
    ],
)
def test_a_unit_wired_wrong_is_never_well(plate: Nameplate, reason: str) -> None:
    """By hand: which calls heat, run and short is docs/trade.md, section 1; a plate may be just as wrong."""
    assert reason in {words.id for words in wired_wrong(plate)}  # type: ignore[union-attr]
    visit = Visit(plate, Record(()))
    assert {render(finding.verdict.spoken) for finding in visit.findings} == {"fail: wired wrong"}
    assert [finding.verdict.grade for finding in visit.findings] == [Grade.FAIL] * len(wired_wrong(plate))
    sound = [read(LINE, plate.nominal_volts, plate=plate)]
    lead = next(cause for cause in diagnose(plate, sound).causes if "healthy" in cause.faults)
    assert lead.title.id == "diagnosis.wired-wrong"  # type: ignore[union-attr]


def test_a_blower_built_for_heat_alone_is_right() -> None:
    """A fan pole and no relay: a fan call has nothing to drive, which is no fault of the wiring."""
    assert wired_wrong(replace(FOUR, blower=replace(FOUR.blower, relay=None))) == ()


def test_a_plain_wire_needs_the_leg_the_strip_switches() -> None:
    """On the fixed lead's own leg it would join nothing; an electronic motor has no such lead at all."""
    turned = replace(TWO.circuits[1], order=("pole", "limit", "element", "link"))
    with pytest.raises(NameplateError) as refused:
        with_plain_wire(replace(TWO, circuits=(TWO.circuits[0], turned)), "strip-b")
    assert refused.value.field == "blower.plain_wire_to"
    with pytest.raises(NameplateError):
        with_plain_wire(PATTERNS["three-strip-ecm"]())


def test_a_plain_wire_seen_is_a_finding_and_leads() -> None:
    """With heat called everything reads right: only the eye or the fan call tells."""
    readings = (read(LINE, 239.0), read("amps:strip-a", 20.6, "W"), read("amps:strip-b", 20.6, "W"))
    assert first(TWO, *readings)[0] == "healthy"
    assert first(TWO, *readings, signs=(Observation(kind="plain-wire"),))[0] == "interlock.plain-wire"
    fan = (read("amps:strip-a", 0.0), read("amps:strip-a", 20.6, "G"), read("amps:blower", 2.7, "G"))
    fault, share = first(TWO, *readings, *fan)
    assert (fault, share > 0.6) == ("interlock.plain-wire", True)


def test_the_heat_fed_tap_on_no_starves_heat_of_air() -> None:
    """One strip, DPDT: W alone heats without blower; G and W put both taps on, 2.4 + 1.8 A of motor."""
    at = {calls: solve_one(wire(DPDT), Drive(calls=frozenset(calls)), fault_by_id(DPDT, "interlock.strip-on-no").usual)
          for calls in ("W", "G", "GW")}  # fmt: skip
    assert at["W"].amps("amps:strip-a") == pytest.approx(20.6, abs=0.3)
    assert at["W"].amps("amps:blower") < 0.1
    assert at["GW"].amps("amps:blower") > 1.6 * at["G"].amps("amps:blower")
    seen = (
        read("amps:strip-a", 20.6, "W", plate=DPDT),
        read("amps:blower", 0.0, "W", plate=DPDT),
        read("amps:blower", 4.2, "W", "G", plate=DPDT),
    )
    assert first(DPDT, *seen)[0] == "interlock.strip-on-no"


@pytest.mark.parametrize(
    ("fault", "seen"),
    [
        pytest.param(
            "feed-1.lug-l1.open",
            (read(LINE, 0.0), read("volts:feed-1.breaker.l1:feed-1.breaker.l2", 240.0),
             read("volts:feed-1.wire.l1:feed-1.l1", 239.0, "W")),
            id="a lug that is open has the line across it",
        ),
        pytest.param(
            "feed-1.breaker-l1.stab-burnt",
            (read(LINE, 239.0), read(LINE, 222.0, "W"), read("volts:panel.l1:panel.l2", 239.0, "W"),
             read("volts:panel.l1:feed-1.breaker.l1", 14.5, "W")),
            id="a burnt stab drops between bus and breaker",
        ),
        pytest.param(
            "equipment-ground.open",
            (read(LINE, 239.5), read("volts:feed-1.l1:ground", 52.0), read("volts:feed-1.l2:ground", 66.0)),
            id="a frame tied to nothing floats",
        ),
        pytest.param(
            "strip-b.element.dead-short",
            (read(LINE, 240.0), read(LINE, 0.0, "W"), read("ohms:strip-b.element", 0.1, dead=True)),
            id="the breaker goes as the sequencer closes",
        ),
    ],
)  # fmt: skip
def test_feed_frame_and_short_are_named(fault: str, seen: tuple[Reading, ...]) -> None:
    """Each by the reading that only it gives."""
    found = diagnose(TWO, seen).first
    assert found is not None
    assert fault in found.faults, [str(found.title), found.probability]


def test_a_dead_short_trips_at_once_and_stays() -> None:
    """By hand: 240 V over 58 mΩ and 50 mΩ of feed is some 2 kA, seven times what an instant trip takes."""
    short = fault_by_id(TWO, "strip-a.element.dead-short").usual
    assert solve_one(wire(TWO), Drive(calls=frozenset("W")), short).tripped == {
        "feed-1.breaker-l1",
        "feed-1.breaker-l2",
    }
    assert not solve_one(wire(TWO), Drive(), short).tripped
    # Then 0 V with nothing calling, for as long as nobody resets it.
    found = diagnose(TWO, [read(LINE, 240.0), read("amps:feed-1", 0.0, "W"), read(LINE, 0.0)])
    named = {fault: cause.probability for cause in found.causes for fault in cause.faults}
    assert max(named.get(f"strip-{x}.element.dead-short", 0.0) for x in "ab") > 0.05


@pytest.mark.parametrize("source", ["R", "W"])
def test_a_chained_stage_goes_off_with_the_pole_or_with_the_call(source: str) -> None:
    """Fed from R the next heater waits for the auxiliary to open; by the call's wire it cools with the call."""
    devices = (replace(FOUR.devices[0], auxiliary_from="R" if source == "R" else "W"), FOUR.devices[1])
    plate = replace(FOUR, devices=devices)
    stage = next(stage for stage in stages_of(plate) if stage.id == "strip-c")
    own, auxiliary = plate.devices[1].poles[0].off_window, plate.devices[0].auxiliary
    assert own is not None
    assert auxiliary is not None
    assert auxiliary.off_window is not None
    wait = auxiliary.off_window.max_seconds if source == "R" else 0.0
    assert stage.off.max_seconds == own.max_seconds + wait
    # The circuit in time says the same by itself, each pole in the middle of its window.
    moments = play(plate, [(0.0, frozenset("W")), (600.0, frozenset())], 1200.0)
    went = next(m.at_seconds - 600 for m in moments if m.at_seconds > 600 and m.amps["strip-c"] < 1)
    middle = sum(
        (window.min_seconds + window.max_seconds) / 2 for window in (own, auxiliary.off_window)[: 1 + bool(wait)]
    )
    assert went == pytest.approx(middle, abs=1.0)


@pytest.mark.parametrize(
    ("came", "went", "on", "off"),
    [
        (2.5, 88.0, Grade.PASS, Grade.PASS),
        (5.6, 110.0, Grade.PASS, Grade.PASS),
        (5.7, 110.1, Grade.MARGINAL, Grade.MARGINAL),
        (9.0, 69.9, Grade.FAIL, Grade.MARGINAL),
        (None, None, Grade.FAIL, None),
    ],
)
def test_a_delay_relay_is_timed_against_its_own_seconds(
    came: float | None, went: float | None, on: Grade, off: Grade | None
) -> None:
    """By hand: 3 s printed is 0.4 to 5.6 s, 90 s 70 to 110 s; five minutes of warming are a disc's, not a board's."""
    run = TimingRun(
        call="fan",
        elapsed_seconds=260.0,
        dropped_seconds=60.0,
        on_seconds={} if came is None else {"blower-fan": came},
        off_seconds={} if went is None else {"blower-fan": went},
    )
    [found] = judge_run(DELAYED, run).stages
    assert found.on.grade is on
    assert (found.off.grade if found.off else None) is off
    assert fan_stages(PATTERNS["three-strip-ecm"]()) == ()


def test_a_stopwatch_tap_by_the_fan_is_no_heat_call() -> None:
    """The tap names what was called; a record from before knows heat alone."""
    assert (Tapped(deed="call").call, Tapped(deed="call", call="fan").call) == ("heat", "fan")
    assert RelayPole(com="L1", no="blower", nc="none").nc == "none"
