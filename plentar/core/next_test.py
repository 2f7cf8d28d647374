"""Which test to do next: the one that splits the remaining causes best for what it costs.

Cost is minutes at the unit: taking the reading, changing the condition (a sequencer must be waited out, power must be
isolated and proven dead), and a surcharge for live work. Ohms are only ever offered with everything proven dead.
"""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plentar.core.diagnosis import Diagnosis, spread_of
from plentar.core.evidence.reading import Condition
from plentar.core.hypotheses import Prediction, UnitModel
from plentar.core.nameplate import HeatingCircuit, Nameplate
from plentar.core.network.drive import Drive
from plentar.core.points import rung_terminals

__all__ = ["SCHOOLS", "NextTest", "Test", "catalogue", "next_tests"]

Floats = NDArray[np.float64]
CONSIDERED = 70
LIVE_SURCHARGE = 1.25
ISOLATE_MINUTES = 5.0
# What each school reaches for first: a factor on the minutes of its kind of test.
SCHOOLS: dict[str, dict[str, float]] = {
    "amps first": {"amps": 0.7},
    "volts first": {"supply": 0.5, "volts": 0.85},
    "call first": {"control": 0.5},
}


@dataclass(frozen=True, slots=True)
class Test:
    """One reading that could be taken: where, under which drive, its kind and the minutes it takes by itself."""

    __test__ = False

    point: str
    drive: Drive
    kind: str
    minutes: float
    words: str

    @property
    def is_isolated(self) -> bool:
        """True when power must be off and proven dead."""
        return self.point.startswith("ohms")


@dataclass(frozen=True, slots=True)
class NextTest:
    """A test with what it is worth: bits expected, minutes with the change of condition, and what it would split."""

    test: Test
    bits: float
    minutes: float
    splits: tuple[str, ...]


@lru_cache(maxsize=32)
def catalogue(plate: Nameplate) -> tuple[Test, ...]:
    """Return every test that can be done on a unit at places a probe or clamp can reach."""
    heat = frozenset(call for call in ("W", "W2") if call in plate.calls)
    no_call, all_heat, fan = Drive(), Drive(calls=heat), Drive(calls=frozenset({"G"}))
    both = Drive(calls=heat | {"G"})
    cooling = Drive(calls=frozenset({"Y"}))
    tests: list[Test] = []

    def add(point: str, drive: Drive, kind: str, minutes: float, words: str) -> None:
        tests.append(Test(point, drive, kind, minutes, words))

    for feed in plate.feeds:
        l1, l2 = f"{feed.id}.l1", f"{feed.id}.l2"
        for leg in ("l1", "l2"):
            pole = f"volts:panel.{leg}:{feed.id}.breaker.{leg}"
            add(pole, no_call, "supply", 2.5, f"Volts across {feed.id}'s breaker, pole {leg.upper()}, no call")
            blade = f"volts:{feed.id}.disconnect.{leg}:{feed.id}.{leg}"
            add(blade, no_call, "supply", 1.5, f"Volts across {feed.id}'s disconnect, {leg.upper()}")
        for drive in (no_call, all_heat):
            add(f"volts:{l1}:{l2}", drive, "supply", 1.0, f"L1 to L2 at the unit, {feed.id}")
            panel = f"volts:{feed.id}.breaker.l1:{feed.id}.breaker.l2"
            add(panel, drive, "supply", 2.5, f"L1 to L2 at the panel, load side of {feed.id}'s breaker")
        for leg in (l1, l2):
            add(f"volts:{leg}:ground", no_call, "supply", 1.0, f"{leg[-2:].upper()} to ground at the unit, {feed.id}")
        for drive, words in ((all_heat, "heat called"), (no_call, "nothing called"), (fan, "fan called")):
            add(f"amps:{feed.id}", drive, "amps", 0.8, f"Clamp the {feed.id} total, {words}")
    for branch in plate.branches:
        add(f"volts:{branch.id}.l1:{branch.id}.l2", no_call, "supply", 1.0, f"L1 to L2 behind {branch.id}")
    for drive in (all_heat, fan, both, no_call):
        add("amps:blower", drive, "amps", 0.8, "Clamp the blower lead")
    for circuit in plate.circuits:
        for drive in (all_heat, no_call, cooling, fan):
            add(f"amps:{circuit.id}", drive, "amps", 0.8, f"Clamp {circuit.name}")
        add(f"amps:{circuit.id}.return", no_call, "amps", 0.8, f"Clamp {circuit.name}'s other lead")
        _rung_tests(tests, circuit, all_heat)
        add(f"ohms:{circuit.id}.element", no_call, "ohms", 2.0, f"{circuit.name} element ohms, leads off")
    _control_tests(plate, tests, all_heat, fan, no_call)
    _relay_tests(plate, tests, all_heat, fan, no_call)
    # Circuits that share a pole share its tests.
    return tuple({(test.point, test.drive): test for test in reversed(tests)}.values())[::-1]


def _rung_tests(tests: list[Test], circuit: HeatingCircuit, heat: Drive) -> None:
    rung = rung_terminals(circuit)
    before = None
    for part, a, b in rung:
        tests.append(Test(f"volts:{a}:{b}", heat, "volts", 1.2, f"Volts across {circuit.name}'s {part}"))
        if before is not None:
            tests.append(
                Test(f"volts:{before}:{a}", heat, "volts", 1.4, f"Volts along the lead into {circuit.name}'s {part}")
            )
        before = b
        if part in ("link", "limit"):
            tests.append(Test(f"ohms:{circuit.id}.{part}", Drive(), "ohms", 1.8, f"{circuit.name} {part}, leads off"))
    # One reading from the leg to the element's end holds every joint and contact on that side at once.
    sides = (("l1", f"{circuit.id}.element.1"), ("l2", f"{circuit.id}.element.2"))
    for leg, end in sides:
        words = f"Volts from {leg.upper()} to {circuit.name}'s element: all joints on that side"
        tests.append(Test(f"volts:{circuit.supplied_by}.{leg}:{end}", heat, "volts", 1.2, words))
    first, last = rung[0][1], rung[-1][2]
    for leg, end in (("l1", first), ("l2", last)):
        if (leg, end) in sides:
            continue
        tests.append(
            Test(
                f"volts:{circuit.supplied_by}.{leg}:{end}",
                heat,
                "volts",
                1.4,
                f"Volts along the lead from {leg.upper()} into {circuit.name}",
            )
        )


def _control_tests(plate: Nameplate, tests: list[Test], heat: Drive, fan: Drive, idle: Drive) -> None:
    tests.append(Test("volts:transformer.r:transformer.c", idle, "control", 1.0, "Transformer secondary"))
    tests.append(Test("volts:transformer.1:transformer.2", idle, "control", 1.2, "Transformer primary"))
    tests.append(Test("volts:board.r:board.c", idle, "control", 1.0, "R to C at the board"))
    tests.append(Test("volts:transformer.r:board.c", idle, "control", 1.0, "Transformer R side to C at the board"))
    tests.append(Test("volts:transformer.r:board.r", heat, "control", 1.0, "Volts across the control fuse"))
    tests.append(Test("volts:board.r:thermostat.r", heat, "control", 2.0, "R along its cable to the thermostat"))
    tests.append(Test("volts:thermostat.r:board.c", idle, "control", 2.0, "R at the thermostat to C"))
    tests.append(Test("volts:thermostat.r:thermostat.c", idle, "control", 2.0, "R to C at the thermostat itself"))
    if "Y" in plate.calls:
        cooling = Drive(calls=frozenset({"Y"}))
        tests.append(Test("volts:board.o:board.c", cooling, "control", 1.2, "O to C at the board, cooling called"))
        tests.append(Test("volts:board.b:board.c", cooling, "control", 1.2, "B to C at the board, cooling called"))
    for drive, words in ((heat, "heat called"), (fan, "fan called"), (idle, "nothing called")):
        tests.append(Test("amps:control", drive, "control", 1.2, f"Control current in R, {words}"))
    for call in plate.calls:
        own = Drive(calls=frozenset({call})) if call in ("G", "Y") else heat
        name = call.lower()
        if call == plate.outdoor_thermostat:
            across = f"volts:outdoor-thermostat.1:board.{name}"
            tests.append(Test(across, own, "control", 2.5, f"Volts across the outdoor thermostat in {call}"))
        tests.append(Test(f"volts:board.{name}:board.c", own, "control", 0.9, f"{call} to C at the board"))
        tests.append(Test(f"volts:board.{name}:board.c", idle, "control", 0.9, f"{call} to C with nothing called"))
        tests.append(Test(f"volts:thermostat.{name}:board.c", own, "control", 2.0, f"{call} at the thermostat to C"))
        tests.append(Test(f"ohms:board.{name}:board.c", idle, "ohms", 1.5, f"{call} to C ohms, thermostat off"))
    for device in plate.devices:
        a, b = f"{device.id}.coil.1", f"{device.id}.coil.2"
        function = "dc_volts" if device.kind == "dc-relay" else "volts"
        tests.append(Test(f"{function}:{a}:{b}", heat, "control", 1.0, f"Volts at {device.id}'s own terminals"))
        tests.append(Test(f"volts:{b}:board.c", heat, "control", 1.2, f"Volts along {device.id}'s common lead"))
        if device.kind == "dc-relay":
            tests.append(
                Test(f"volts:{device.id}.rectifier.1:board.c", heat, "control", 1.0, f"AC into {device.id}'s rectifier")
            )
        if device.auxiliary is not None:
            aux = f"{device.id}.auxiliary"
            tests.append(
                Test(f"volts:{aux}.line:{aux}.load", heat, "control", 1.0, f"Volts across {device.id}'s auxiliary")
            )
            tests.append(
                Test(f"volts:board.r:{aux}.line", heat, "control", 1.2, f"Volts along {device.id}'s auxiliary lead")
            )
        tests.append(Test(f"ohms:{device.id}.coil", idle, "ohms", 1.8, f"{device.id} coil or heater ohms, leads off"))


def _relay_tests(plate: Nameplate, tests: list[Test], heat: Drive, fan: Drive, idle: Drive) -> None:
    blower, relay = plate.blower, plate.blower.relay
    run = f"blower.{blower.taps[0]}" if blower.taps else "blower.run"
    leg = f"{blower.supplied_by}.{'l2' if blower.fixed_leg == 'L1' else 'l1'}"
    for drive, words in ((fan, "fan called"), (heat, "heat called"), (idle, "nothing called")):
        tests.append(Test(f"volts:blower.fixed:{run}", drive, "volts", 1.2, f"Volts at the blower's leads, {words}"))
    tests.append(
        Test(
            f"volts:{blower.supplied_by}.{blower.fixed_leg.lower()}:blower.fixed",
            fan,
            "volts",
            1.4,
            "Volts along the blower's fixed lead",
        )
    )
    if blower.kind == "psc":
        motor = "blower.motor" if not blower.taps else f"blower.motor-{blower.taps[0]}"
        tests.append(Test(f"ohms:{motor}", idle, "ohms", 2.0, "Blower winding ohms, leads off"))
    if relay is None:
        return
    tests.append(
        Test(f"volts:{relay.id}.coil.1:{relay.id}.coil.2", fan, "control", 1.0, "Volts at the blower relay's coil")
    )
    tests.append(Test(f"ohms:{relay.id}.coil", idle, "ohms", 1.8, "Blower relay coil ohms, leads off"))
    for index, contact in enumerate(relay.contacts):
        suffix = "" if index == 0 else f"-{index + 1}"
        com = f"{relay.id}.com{suffix}"
        for name, drive in (("no", fan), ("nc", heat), ("nc", idle), ("no", heat)):
            if getattr(contact, name) != "none":
                tests.append(
                    Test(
                        f"volts:{com}:{relay.id}.{name}{suffix}",
                        drive,
                        "volts",
                        1.2,
                        f"Volts across the blower relay's {name.upper()}",
                    )
                )
        for name in ("nc", "no"):
            if getattr(contact, name) != "none":
                tests.append(
                    Test(
                        f"ohms:{relay.id}.{name}{suffix}",
                        idle,
                        "ohms",
                        2.0,
                        f"Blower relay {name.upper()} continuity at rest, leads off",
                    )
                )
        tests.append(Test(f"volts:{com}:{leg}", fan, "volts", 1.2, "Volts from the relay's COM to the switched leg"))
    if any(contact.nc not in ("none", "L1", "L2") for contact in relay.contacts):
        for drive, words in ((heat, "heat called"), (idle, "nothing called"), (fan, "fan called")):
            tests.append(Test("amps:interlock", drive, "amps", 0.8, f"Clamp the interlock lead, {words}"))


def next_tests(
    diagnosis: Diagnosis,
    condition: Condition,
    *,
    taken: Collection[tuple[str, frozenset[str]]] = (),
    school: str = "amps first",
    most: int = 5,
    within: Sequence[Test] | None = None,
) -> tuple[NextTest, ...]:
    """Return the best tests, best first.

    Args:
        diagnosis: What is known so far.
        condition: What the unit is told and fed now; another condition costs minutes.
        taken: Points already read, each with the calls it was read under.
        school: Which kind of test this shop reaches for first.
        most: How many to return.
        within: The tests to choose from; the whole catalogue by default.
    """
    model, posterior = diagnosis.model, diagnosis.posterior
    rows = np.argsort(-posterior)[:CONSIDERED]
    rows = rows[posterior[rows] > 1e-5]
    weight = posterior[rows] / posterior[rows].sum()
    tests = tuple(within) if within is not None else catalogue(model.plate)
    bits, bins = _information(scaled(model, tests, rows, diagnosis.ratio), weight, model.cause_of[rows])
    scored = [
        (bits[i] / minutes, i, minutes)
        for i, test in enumerate(tests)
        if (test.point, test.drive.calls) not in taken
        for minutes in [_minutes(model.plate, test, condition, school)]
    ]
    if not diagnosis.knows_supply:
        # Every other reading is held against the volts found, so those come first.
        feed = model.plate.feed_of(model.plate.transformer.supplied_by)
        line = f"volts:{feed}.l1:{feed}.l2"
        scored = [(value + 1e3 * (tests[i].point == line), i, minutes) for value, i, minutes in scored]
    scored.sort(key=lambda entry: (-entry[0], entry[2], tests[entry[1]].point))
    return tuple(
        NextTest(tests[i], float(bits[i]), minutes, _splits(diagnosis, rows, weight, bins[i]))
        for _, i, minutes in scored[:most]
    )


def scaled(
    model: UnitModel, tests: Sequence[Test], rows: NDArray[np.int64], ratio: Floats | None = None
) -> tuple[Floats, Floats]:
    """Return each test's predictions under some hypotheses and their spread; ohms, which span decades, as logarithms.

    `ratio` is each hypothesis's measured over nominal supply. Both results have shape (tests, hypotheses).
    """
    whole = model.table([(test.point, test.drive) for test in tests])
    shown, softness = whole.shown[:, rows].astype(np.float64), whole.softness[:, rows]
    if ratio is not None:
        shown[[not test.is_isolated for test in tests]] *= ratio[rows]
    points = [test.point for test in tests]
    spread = spread_of(model.plate, points, Prediction(shown, softness), knows_supply=True)
    isolated = np.array([test.is_isolated for test in tests])[:, None]
    in_logs = spread / (shown + 0.3) + 0.02
    found = np.where(isolated, np.log(shown + 0.3), shown)
    return found, np.where(isolated, in_logs, np.hypot(spread, 0.006 * shown))


def _information(
    predictions: tuple[Floats, Floats], weight: Floats, causes: NDArray[np.int64]
) -> tuple[Floats, NDArray[np.int64]]:
    """Return the bits each test should give about the cause, and the outcome each hypothesis falls into.

    Predictions that the meter can tell apart fall into different outcomes. What magnitude alone would make an outcome
    vary within one cause is no information about the cause and is taken off.
    """
    shown, spread = predictions
    count = shown.shape[0]
    order = np.argsort(shown, axis=1)
    high = np.take_along_axis(shown + 1.6 * spread, order, axis=1)
    low = np.take_along_axis(shown - 1.6 * spread, order, axis=1)
    starts = np.zeros(shown.shape, dtype=np.int64)
    starts[:, 1:] = low[:, 1:] > np.maximum.accumulate(high, axis=1)[:, :-1]
    bins = np.empty(shown.shape, dtype=np.int64)
    np.put_along_axis(bins, order, np.cumsum(starts, axis=1), axis=1)
    _, cause = np.unique(causes, return_inverse=True)
    outcomes, kinds = int(bins.max()) + 1, int(cause.max()) + 1
    layer = np.arange(count)[:, None] * outcomes
    mass = np.bincount((layer + bins).ravel(), np.tile(weight, count), count * outcomes).reshape(count, outcomes)
    key = (layer + bins) * kinds + cause[None, :]
    joint = np.bincount(key.ravel(), np.tile(weight, count), count * outcomes * kinds).reshape(count, outcomes, kinds)
    own = np.bincount(cause, weight, kinds)
    bits = _entropy(mass).sum(axis=1) - (_entropy(joint).sum(axis=(1, 2)) - _entropy(own).sum())
    return np.maximum(bits, 0.0), bins


def _entropy(share: NDArray[Any]) -> Floats:
    """Return −p·log2 p, zero at zero."""
    found: Floats = -share * np.log2(np.where(share > 0, share, 1.0))
    return found


def _minutes(plate: Nameplate, test: Test, condition: Condition, school: str) -> float:
    minutes = test.minutes * SCHOOLS.get(school, {}).get(test.kind, 1.0)
    dead = condition.is_proven_dead
    if test.is_isolated:
        return minutes + (0.0 if dead else ISOLATE_MINUTES)
    calls = frozenset(name for name, _ in condition.calls)
    if dead:
        minutes += 2.0
    if calls != test.drive.calls:
        slow = any(device.kind == "sequencer" for device in plate.devices)
        minutes += 2.0 if slow and (test.drive.calls ^ calls) & {"W", "W2"} else 0.4
    return minutes * LIVE_SURCHARGE


def _splits(diagnosis: Diagnosis, rows: NDArray[np.int64], weight: Floats, bins: NDArray[np.int64]) -> tuple[str, ...]:
    """Return the leading cause of each of the heaviest outcomes: what the test would tell apart."""
    mass = np.bincount(bins, weight)
    leaders = []
    for outcome in np.argsort(-mass)[:3]:
        if mass[outcome] > 0.01:
            inside = np.nonzero(bins == outcome)[0]
            leaders.append(diagnosis.model.hypotheses[rows[inside[0]]].title)
    return tuple(leaders)
