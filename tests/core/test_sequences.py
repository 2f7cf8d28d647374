"""What follows what: late taps, slow stages, breakers that trip and stay, patience to the end of the clock.

Every case is solved by hand on the two-strip sequencer: 240 V, 20.8 A a strip, a window of 90 s, never by 180 s.
"""

from typing import Any

import pytest

from plentar.core.causes.catalogue import catalogue
from plentar.core.causes.checks import WATCH
from plentar.core.causes.diagnosis import Diagnosis, diagnose
from plentar.core.causes.next_test import next_tests
from plentar.core.circuit.drive import Drive
from plentar.core.evidence.events import Action, Event, Switched, first_event
from plentar.core.evidence.lockout import fold
from plentar.core.evidence.reading import Condition, FeedState, Reading
from plentar.core.evidence.signs import Observation
from plentar.core.unit.patterns import PATTERNS
from plentar.words import render
from tests.core.test_diagnosis import LINE, POLE_B, UNIT, read, under

TOTAL = "amps:feed-1"
POLE_A = POLE_B.replace("pole-2", "pole-1")
DEAD = Condition(feeds=(("feed-1", "proven dead"),), control="proven dead")


def share(found: Diagnosis, *faults: str) -> float:
    """How likely it is that one of these faults is there, alone or with others."""
    rows = [any(f.id in faults for f in h.faults) for h in found.model.hypotheses]
    return float(found.posterior[rows].sum())


def leads(found: Diagnosis) -> str:
    """The likeliest way the first cause came about, or what is waited for."""
    return found.first.faults[0] if found.first else f"wait {found.wait_seconds:.0f} s"


def at(point: str, value: float, seconds: float | None, *calls: str) -> Reading:
    """A reading so long after its calls; None: nobody knows."""
    on = tuple((call, seconds) for call in calls or ("W",))
    return read(point, value, Condition(feeds=(("feed-1", "live"),), calls=on))


def test_heat_that_was_on_before_it_was_tapped_welds_nothing() -> None:
    """Both strips draw two seconds after the tap: heat was on already, and the answer says so."""
    early = [read(LINE, 240.0, under()), at("amps:strip-a", 20.6, 2), at("amps:strip-b", 20.7, 6)]
    found = diagnose(UNIT, early)
    assert found.first is not None
    assert "healthy" in found.first.faults
    assert "before you tapped" in render(found.first.title)
    off = diagnose(UNIT, [*early, read("amps:strip-a", 0.0, under()), read("amps:strip-b", 0.0, under())])
    assert share(off, "seq-a.pole-1.welded", "seq-a.pole-2.welded") < 0.05


def test_a_pole_that_is_welded_stays_so_however_late_the_tap() -> None:
    """One strip draws with nothing calling: no tap explains that."""
    welded = [read("amps:strip-b", 20.6, under()), at("amps:strip-b", 20.6, 2), read("amps:strip-a", 0.0, under())]
    assert leads(diagnose(UNIT, [read(LINE, 240.0, under()), *welded])) == "seq-a.pole-2.welded"


@pytest.mark.parametrize(("seconds", "wait"), [(60.0, 30.0), (89.0, 1.0), (100.0, 80.0), (179.0, 1.0)])
def test_silence_is_not_judged_before_the_clock_has_run_out(seconds: float, wait: float) -> None:
    """Inside the window until its end; after it until twice its end, when it did not close."""
    call = [at(POLE_B, 239.0, seconds), at("amps:strip-b", 0.0, seconds), at("amps:strip-a", 20.6, seconds)]
    found = diagnose(UNIT, call, complaints=["not enough heat"])
    assert found.causes == ()
    assert found.wait_seconds == pytest.approx(wait)


def test_silence_beyond_the_clock_is_named() -> None:
    """At 181 s it did not close."""
    call = [at(POLE_B, 239.0, 181), at("amps:strip-b", 0.0, 181), at("amps:strip-a", 20.6, 181)]
    found = diagnose(UNIT, [read(LINE, 240.0, under()), *call], complaints=["not enough heat"])
    assert leads(found) == "seq-a.pole-2.open"


def test_a_unit_that_is_on_inside_its_window_need_not_be_waited_for() -> None:
    """All strips draw after 60 s of 90: nothing is silent."""
    on = [at("amps:strip-a", 20.6, 60), at("amps:strip-b", 20.6, 62), read(LINE, 240.0, under())]
    assert diagnose(UNIT, on).wait_seconds == 0.0


def test_nothing_until_nine_minutes_and_then_everything_is_slow() -> None:
    """0 A at 5 and 9 min, 41 A at 10: a disc, not a breaker; what was read is no word for the breaker."""
    found = diagnose(
        UNIT,
        [
            read(LINE, 240.0, under()),
            at("volts:seq-a.coil.1:seq-a.coil.2", 25.0, 290),
            at(TOTAL, 0.0, 300),
            at("amps:strip-a", 0.0, 310),
            at(TOTAL, 0.0, 540),
            at(TOTAL, 44.0, 600),
            at("amps:strip-a", 20.6, 605),
        ],
        complaints=["not enough heat"],
    )
    assert leads(found) == "seq-a.slow"
    assert share(found, "feed-1.breaker.weak") < 0.05


def test_everything_and_then_nothing_is_a_breaker_that_trips() -> None:
    """44 A, then nothing anywhere, the line dead, and dead it stays without a call."""
    found = diagnose(
        UNIT,
        [
            read(LINE, 240.0, under()),
            at(TOTAL, 44.0, 300),
            at(TOTAL, 0.0, 420),
            at(LINE, 0.0, 430),
            read(LINE, 0.0, under()),
        ],
        complaints=["breaker trips or hot"],
    )
    assert share(found, "feed-1.breaker.weak") > 0.5


def test_a_breaker_found_off_and_switched_on_explains_both() -> None:
    """Nothing on the line, then all of it, and the strips draw: it was off, and why is to be found out."""
    found = diagnose(
        UNIT,
        [
            read(LINE, 0.0, under()),
            at("amps:strip-a", 0.0, 300),
            at(LINE, 240.0, 400),
            at("amps:strip-a", 20.6, 410),
            at("amps:strip-b", 20.6, 420),
        ],
        observations=[Observation(kind="breaker-off")],
        complaints=["no heat"],
    )
    assert leads(found) == "feed-1.breaker.off"
    assert found.ask_again == ()


def test_a_dead_element_beside_a_weak_breaker_is_both() -> None:
    """Strip A heats, B's element is dead with line volts on it, and the feed goes off after a while."""
    found = diagnose(
        UNIT,
        [
            read(LINE, 240.0, under()),
            at("amps:strip-a", 20.6, 300),
            at("amps:strip-b", 0.0, 310),
            at("volts:strip-b.element.1:strip-b.element.2", 238.0, 320),
            at(LINE, 239.0, 330),
            at("amps:strip-b", 0.0, 340),
            at("amps:strip-a", 0.0, 600),
            at(LINE, 0.0, 610),
        ],
        complaints=["breaker trips or hot"],
    )
    assert leads(found) == "strip-b.element.open+feed-1.breaker.weak"
    assert share(found, "feed-1.breaker.weak", "feed-1.breaker.off") > 0.5


def test_one_pole_may_be_slow_by_itself() -> None:
    """Strip A at once, B silent at three minutes and there at six."""
    found = diagnose(
        UNIT,
        [
            read(LINE, 240.0, under()),
            at("amps:strip-a", 20.6, 185),
            at("amps:strip-b", 0.0, 190),
            at(POLE_B, 239.0, 195),
            at("amps:strip-b", 20.6, 360),
        ],
        complaints=["not enough heat"],
    )
    assert leads(found) == "seq-a.pole-2.slow"


def test_seconds_nobody_knows_are_no_word_against_a_pole() -> None:
    """A call without a clock: strips that draw are not too early."""
    on = [at("amps:strip-a", 20.6, None), at("amps:strip-b", 20.6, None), read(LINE, 240.0, under())]
    assert leads(diagnose(UNIT, on)) == "healthy"


def test_a_contactor_is_not_waited_for() -> None:
    """At once or never: ten seconds after the call its silence counts."""
    unit = PATTERNS["wye-contactor"]()
    assert diagnose(unit, [at("amps:strip-a", 0.0, 10)], observations=[Observation(kind="smell")]).wait_seconds == 0.0


def test_heat_that_somebody_says_was_on_clears_the_poles_at_once() -> None:
    """The same early strips, and the answer to *since when*."""
    early = [read(LINE, 240.0, under()), at("amps:strip-a", 20.6, 2), at("amps:strip-b", 20.7, 6)]
    before, after = (diagnose(UNIT, early, observations=signs) for signs in ((), (Observation(kind="heat-was-on"),)))
    poles = ("seq-a.pole-1.welded", "seq-a.pole-2.welded")
    assert share(after, *poles) < share(before, *poles)
    assert after.tapped_late > 0.95
    assert leads(after) == "healthy"


@pytest.mark.parametrize(
    ("action", "seconds"), [({"ago_seconds": 300.0}, 360.0), ({"is_untimed": True}, None), ({}, 60.0)]
)
def test_a_call_says_since_when_it_stands(action: dict[str, Any], seconds: float | None) -> None:
    """Five minutes before the tap, nobody knows, or from the tap."""
    actions: list[Action] = [first_event(UNIT), Switched(what="W", state="on", **action)]
    events = [
        Event(id=f"{n}", seq=n, action=what, person="", by="", done_at=10.0 * n, come_at=10.0 * n)
        for n, what in enumerate(actions)
    ]
    told = fold(UNIT, events)
    assert told.condition(70.0).call_seconds("W") == seconds
    assert told.condition(70.0).is_called("W")


@pytest.mark.parametrize(
    "between", [Switched(what="thermostat", state="bypassed"), Switched(what="feed-1", state="live")]
)
def test_a_clock_nobody_kept_is_kept_once_the_call_begins_anew(between: Switched) -> None:
    """Its conductors taken off, or the feed back on: from there the seconds are known."""
    actions: list[Action] = [first_event(UNIT), Switched(what="W", state="on", is_untimed=True), between]
    actions.append(Switched(what="W", state="on"))
    events = [
        Event(id=f"{n}", seq=n, action=what, person="", by="", done_at=10.0 * n, come_at=10.0 * n)
        for n, what in enumerate(actions)
    ]
    assert fold(UNIT, events[:2]).condition(70.0).call_seconds("W") is None
    assert fold(UNIT, events).condition(70.0).call_seconds("W") is not None


def test_a_short_that_tripped_its_breaker_is_still_a_short_to_an_ohmmeter() -> None:
    """Off at the breaker, dead: 0.06 ohm end to end is the short, its sound neighbour is none, and no breaker is weak.

    5 kW at 240 V is 11.52 ohm; a strip that took its breaker along has next to none.
    """
    found_off = [read(LINE, 240.0, under()), at(LINE, 0.0, 300), at(TOTAL, 0.0, 310), read(LINE, 0.0, under())]
    ohms = [read("ohms:strip-b.element", 11.4, DEAD), read("ohms:strip-a.element", 0.1, DEAD)]
    found = diagnose(UNIT, [*found_off, *ohms], complaints=["breaker trips or hot"])
    assert leads(found) == "strip-a.element.dead-short"
    assert share(found, "strip-a.element.dead-short") > 0.95
    sound = diagnose(UNIT, [*found_off, ohms[0], read("ohms:strip-a.element", 11.4, DEAD)])
    assert share(sound, "strip-a.element.dead-short", "strip-b.element.dead-short") < 0.02


@pytest.mark.parametrize("ohms", [5.6, 7.5])
def test_a_few_turns_that_starve_the_coil_but_not_the_fuse(ohms: float) -> None:
    """An eighth of 48 ohm on a 40 VA transformer: volts sag to 21, the 5 A fuse holds, and no strip on it comes.

    Shorted turns move nothing; behind the transformer's some 1.5 ohm 27 V leave 27 x R / (R + 1.5).
    """
    volts = round(27.0 * ohms / (ohms + 1.5), 1)
    call = [read(LINE, 240.0, under()), at("amps:strip-a", 0.0, 300), at("amps:strip-b", 0.0, 310)]
    found = diagnose(UNIT, [*call, at("volts:seq-a.coil.1:seq-a.coil.2", volts, 320)], complaints=["no heat"])
    assert share(found, "seq-a.coil.shorted") > 0.5
    assert share(found, "seq-a.slow") < 0.2


def test_what_is_known_under_these_calls_is_not_asked_for_again() -> None:
    """Zero amps, then nothing along the rung three minutes later: a limit may have closed between; it is watched."""
    rung = [("amps:strip-a", 0.0, 300), ("volts:feed-1.l1:strip-a.element.1", 0.0, 480)]
    taken = [read(LINE, 240.0, under()), *(at(point, value, seconds) for point, value, seconds in rung)]
    found = diagnose(UNIT, [*taken, at("volts:feed-1.l2:strip-a.element.2", 0.0, 490)])
    assert share(found, "strip-a.limit.cycling", "strip-b.limit.cycling", "air.little") > 0.01
    done = [(r.point, r.condition.on) for r in taken]
    offered = {(t.test.point, t.test.drive.calls) for t in next_tests(found, taken[-1].condition, taken=done, most=999)}
    assert not offered & set(done)
    assert WATCH in {point for point, _ in offered}


def test_what_was_silent_first_is_not_forgotten_for_being_read_again() -> None:
    """B draws nothing at 181 s, and 20 A at 300, 390 and 480 s: it came late, however often it is looked at since."""
    late = [at("amps:strip-b", 0.0, 181), at(POLE_B, 239.0, 185), at("amps:strip-a", 20.6, 190)]
    since = [at("amps:strip-b", 20.4, 300), at("amps:strip-b", 20.6, 390), at("amps:strip-b", 20.5, 480)]
    since += [at(POLE_B, 0.1, seconds) for seconds in (310, 400, 490)]
    found = diagnose(UNIT, [read(LINE, 240.0, under()), *late, *since], complaints=["not enough heat"])
    assert share(found, "seq-a.pole-2.slow", "seq-a.slow") > 0.7
    assert share(found, "healthy") < 0.05


def test_a_slip_taken_again_twice_is_not_asked_about_any_more() -> None:
    """206 A is ten times 20.6; after two more looks of 20.6 it is settled, and nothing is asked again."""
    slip = [read(LINE, 240.0, under()), at("amps:strip-a", 206.0, 300), at("amps:strip-b", 20.6, 305)]
    assert diagnose(UNIT, slip).ask_again == ("amps:strip-a",)
    again = [*slip, at("amps:strip-a", 20.6, 310)]
    assert diagnose(UNIT, again).ask_again == ("amps:strip-a",)
    settled = diagnose(UNIT, [*again, at("amps:strip-a", 20.7, 320)])
    assert settled.ask_again == ()
    assert share(settled, "healthy") > 0.5


def test_a_feed_that_tripped_leaves_the_other_at_its_own_volts() -> None:
    """226 V service, feed 1 trips under heat and takes the transformer along; 227 V stand across feed 2's open pole.

    That is feed 2's own supply, as low as feed 1's was: no word for a transformer that died by itself.
    """
    unit = PATTERNS["three-strip-dc-relay"]()
    live: tuple[tuple[str, FeedState], ...] = (("feed-1", "live"), ("feed-2", "live"))

    def on(point: str, value: float, *calls: str) -> Reading:
        return read(point, value, Condition(feeds=live, calls=tuple((call, 300.0) for call in calls)))

    taken = [
        on("volts:feed-1.l1:feed-1.l2", 226.0),
        on("amps:feed-1", 0.0, "W"),
        on("volts:relay-c.pole-1.line:relay-c.pole-1.load", 227.0, "W"),
        on("volts:transformer.1:transformer.2", 0.0),
    ]
    found = diagnose(unit, taken, complaints=["no heat"])
    tripped = [f"strip-{letter}.element.dead-short" for letter in "abc"] + ["feed-1.breaker.weak", "feed-1.breaker.off"]
    # Its primary leads may still be off, which volts at the feed tell.
    assert share(found, *tripped) > 0.3
    assert share(found, "transformer.dead") < 0.05


def test_a_breaker_that_is_back_on_is_not_read_as_if_it_were_off() -> None:
    """Found off, switched on: what a dead feed would show is no question any more, what heats is the next."""
    taken = [read(LINE, 0.0, under()), read(LINE, 240.0, under())]
    found = diagnose(UNIT, taken, complaints=["not enough heat"])
    assert share(found, "feed-1.breaker.off") > 0.1
    row = [h.id for h in found.model.hypotheses].index("feed-1.breaker.off")
    assert found.there[row] < 0.1
    offered = next_tests(found, taken[-1].condition, taken=[(LINE, frozenset())] * 2)
    assert "W" in offered[0].test.drive.calls
    assert not any(entry.test.point == LINE and not entry.test.drive.calls for entry in offered)


def test_one_pole_of_a_built_in_breaker_is_told_from_the_whole_of_it() -> None:
    """Across an open pole stand the line's volts through the strip; across the other, closed, next to none."""
    unit = PATTERNS["four-strip-staged"]()
    heat: tuple[tuple[Any, float], ...] = (("W", 300.0), ("W2", 300.0))
    on = Condition(feeds=(("feed-1", "live"),), calls=heat)
    taken = [
        read("volts:feed-1.l1:feed-1.l2", 240.0, under()),
        read("amps:feed-1", 44.0, on),
        read("amps:strip-c", 0.0, on),
        read("amps:strip-d", 0.0, on),
        read("volts:branch-2.l1:branch-2.l2", 0.0, under()),
    ]
    points = {test.point for test in catalogue(unit)}
    assert {"volts:feed-1.l1:branch-2.l1", "volts:feed-1.l2:branch-2.l2"} <= points
    poles = [read("volts:feed-1.l2:branch-2.l2", 239.0, on), read("volts:feed-1.l1:branch-2.l1", 0.1, on)]
    found = diagnose(unit, [*taken, *poles])
    assert leads(found) == "branch-2.l2-pole.open"
    assert share(found, "branch-2.off") < 0.1


def test_the_valve_and_the_outdoor_coil_are_told_apart_by_their_ohms() -> None:
    """Y draws too much: the outdoor contactor's coil hangs on Y, the valve's on O; each by its own ohms to C."""
    points = {test.point for test in catalogue(UNIT)}
    assert {"ohms:board.y:board.c", "ohms:board.o:board.c"} <= points
    cooling = Condition(feeds=(("feed-1", "live"),), calls=(("Y", 300.0),))
    model = diagnose(UNIT, []).model
    row = next(
        at
        for at, h in enumerate(model.hypotheses)
        if h.id == "reversing-valve.coil.shorted" and h.faults[0].variants[h.variant] == h.faults[0].variants[-2]
    )
    amps = float(model.predict("amps:control", Drive(calls=frozenset({"Y"}))).predicted[row])
    ohms = {name: float(model.predict(f"ohms:board.{name}:board.c", Drive()).predicted[row]) for name in "yo"}
    taken = [read(LINE, 240.0, under()), read("amps:control", round(amps, 2), cooling)]
    taken += [read(f"ohms:board.{name}:board.c", round(value, 1), DEAD) for name, value in ohms.items()]
    found = diagnose(UNIT, taken, complaints=["control fuse blows"])
    assert share(found, "reversing-valve.coil.shorted") > 20 * share(found, "outdoor.coil.shorted")


def test_a_ghost_read_again_is_what_it_was_and_weighs_once() -> None:
    """Both legs of a tripped feed float at nothing: six looks at them are one proof, and the short behind it leads.

    The dead short of COM and NC on both legs trips breaker and built-in breaker; behind them 0 V everywhere and next to
    no ohms. Each look taken for a ghost of its own size would outweigh the short by a hundred to one.
    """
    unit = PATTERNS["four-strip-staged"]()
    idle = Condition(feeds=(("feed-1", "live"),))
    looks = [LINE, LINE, *("volts:feed-1.l1:ground", "volts:feed-1.l2:ground") * 2]
    found = diagnose(unit, [
        *(read(point, 0.0, idle) for point in looks),
        read("volts:panel.l2:feed-1.breaker.l2", 16.4, idle),
        *(read("ohms:feed-1.l1:feed-1.l2", 0.1, DEAD) for _ in range(2)),
    ])  # fmt: skip
    assert found.first is not None
    assert found.first.faults[0] == "interlock.across-legs"


LEGS = ("volts:feed-1.l1:ground", "volts:feed-1.l2:ground")


@pytest.mark.parametrize("volts", [(120.0, 119.0, 0.6), (120.0, 120.0, 0.0), (121.0, 119.6, 1.0), (118.0, 117.2, 0.4)])
def test_a_lost_pole_is_named_by_its_three_readings_and_the_next_one_parts_the_legs(
    volts: tuple[float, float, float],
) -> None:
    """120 V from each leg to ground, some tenths between: one pole lost. What is no slip's zero is not reread."""
    found = diagnose(UNIT, [read(point, value, under()) for point, value in zip((*LEGS, LINE), volts, strict=True)])
    lost = tuple(f"feed-1.{part}-l{leg}.open" for part in ("breaker", "disconnect", "lug") for leg in (1, 2))
    assert found.first is not None
    assert found.first.faults[0] in lost
    assert share(found, *lost) > 0.8
    taken = [(point, frozenset[str]()) for point in (*LEGS, LINE)]
    best = next_tests(found, under(), taken=taken)[0]
    if volts[2] > 0.5:
        assert best.test.point != LINE
        assert best.bits > 0.8


@pytest.mark.parametrize("pattern", ["four-strip-chained", "six-strip-chained"])
def test_a_dead_second_feed_is_believed_at_its_first_reading(pattern: str) -> None:
    """Nothing joins the dead legs of a feed of strips alone: 0 V between them is that feed's breaker, not a slip."""
    live = Condition(feeds=tuple((feed.id, "live") for feed in PATTERNS[pattern]().feeds))
    found = diagnose(
        PATTERNS[pattern](), [read("volts:feed-2.l1:feed-2.l2", 0.0, live)], complaints=["not enough heat"]
    )
    assert found.first is not None
    assert found.first.faults[0] == "feed-2.breaker.off"
    assert found.ask_again == ()


def test_one_lead_warm_and_the_other_cold_is_no_certain_weld() -> None:
    """20.9 A in strip B's lead and none in its return with nothing calling: grounded, or a limit moved between clamps.

    Six more readings of the one current, through totals and other calls, tell nothing new of its size; a second look at
    both leads does.
    """
    once = [read(LINE, 240.0, under()), read("amps:strip-b", 20.9, under()), read("amps:strip-b.return", 0.0, under())]
    more = [read(point, 20.9, under(*calls)) for calls in (("G",), ("Y",)) for point in ("amps:strip-b", TOTAL)]
    first = diagnose(UNIT, [*once, *more])
    welded, grounded = "seq-a.pole-2.welded", "strip-b.element.grounded"
    assert share(first, welded) < 0.97
    assert share(first, grounded) > 0.02
    again = [read("amps:strip-b", 20.8, under()), read("amps:strip-b.return", 0.0, under())]
    assert share(diagnose(UNIT, [*once, *more, *again]), grounded) > share(first, grounded)
