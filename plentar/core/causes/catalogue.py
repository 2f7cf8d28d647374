"""Every test that can be done on a unit at places a probe or clamp can reach, and what each hypothesis shows there."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.hypotheses import Prediction, UnitModel
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.spread import GHOST_OHMS, shares_of
from plentar.core.said import Words, said
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate
from plentar.core.unit.place import spot_of
from plentar.core.unit.points import of_feed, part_words, piece_words, rung_terminals

__all__ = ["Test", "catalogue", "scaled", "spread_of"]

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Test:
    """One reading that could be taken: where, under which drive, its kind and the minutes it takes by itself."""

    __test__ = False

    point: str
    drive: Drive
    kind: str
    minutes: float
    words: Words

    @property
    def is_isolated(self) -> bool:
        """True when power must be off and proven dead."""
        return spot_of(self.point).is_ohms


@lru_cache(maxsize=32)
def catalogue(plate: Nameplate) -> tuple[Test, ...]:
    """Return every test that can be done on a unit at places a probe or clamp can reach."""
    heat = frozenset(call for call in ("W", "W2") if call in plate.calls)
    no_call, all_heat, fan = Drive(), Drive(calls=heat), Drive(calls=frozenset({"G"}))
    both = Drive(calls=heat | {"G"})
    cooling = Drive(calls=frozenset({"Y"}))
    tests: list[Test] = []

    def add(point: str, drive: Drive, kind: str, minutes: float, words: Words) -> None:
        tests.append(Test(point, drive, kind, minutes, words))

    for feed in plate.feeds:
        name = said("catalogue.feed") if len(plate.feeds) == 1 else part_words(feed.id)
        l1, l2 = f"{feed.id}.l1", f"{feed.id}.l2"
        for leg in ("l1", "l2"):
            pole = f"volts:panel.{leg}:{feed.id}.breaker.{leg}"
            add(
                pole,
                no_call,
                "supply",
                2.5,
                said("catalogue.volts-across-s-breaker-pole", feed=name, leg=leg.upper()),
            )
            blade = f"volts:{feed.id}.disconnect.{leg}:{feed.id}.{leg}"
            add(blade, no_call, "supply", 1.5, said("catalogue.volts-across-s-disconnect", feed=name, leg=leg.upper()))
        for drive in (no_call, all_heat):
            add(f"volts:{l1}:{l2}", drive, "supply", 1.0, of_feed(plate, feed.id, said("catalogue.l1-l2-unit")))
            panel = f"volts:{feed.id}.breaker.l1:{feed.id}.breaker.l2"
            add(panel, drive, "supply", 2.5, said("catalogue.l1-l2-panel-load-side", feed=name))
        for leg in (l1, l2):
            add(
                f"volts:{leg}:ground",
                no_call,
                "supply",
                1.0,
                of_feed(plate, feed.id, said("catalogue.ground-unit", leg=leg[-2:].upper())),
            )
        for drive, words in (
            (all_heat, said("catalogue.heat-called")),
            (no_call, said("catalogue.nothing-called")),
            (fan, said("catalogue.fan-called")),
        ):
            add(f"amps:{feed.id}", drive, "amps", 0.8, said("catalogue.clamp-s-total", feed=name, called=words))
    for branch in plate.branches:
        add(
            f"volts:{branch.id}.l1:{branch.id}.l2",
            no_call,
            "supply",
            1.0,
            said("catalogue.l1-l2-behind", part=part_words(branch.id)),
        )
    for drive in (all_heat, fan, both, no_call):
        add("amps:blower", drive, "amps", 0.8, said("catalogue.clamp-blower-lead"))
    for circuit in plate.circuits:
        for drive in (all_heat, no_call, cooling, fan):
            add(f"amps:{circuit.id}", drive, "amps", 0.8, said("catalogue.clamp", circuit=circuit.name))
        add(
            f"amps:{circuit.id}.return",
            no_call,
            "amps",
            0.8,
            said("catalogue.clamp-s-other-lead", circuit=circuit.name),
        )
        _rung_tests(tests, circuit, all_heat)
        add(
            f"ohms:{circuit.id}.element",
            no_call,
            "ohms",
            2.0,
            said("catalogue.element-ohms-leads-off", circuit=circuit.name),
        )
    _control_tests(plate, tests, all_heat, fan, no_call)
    _relay_tests(plate, tests, all_heat, fan, no_call)
    # Circuits that share a pole share its tests.
    return tuple({(test.point, test.drive): test for test in reversed(tests)}.values())[::-1]


def _rung_tests(tests: list[Test], circuit: HeatingCircuit, heat: Drive) -> None:
    rung = rung_terminals(circuit)
    before = None
    for part, a, b in rung:
        tests.append(
            Test(
                f"volts:{a}:{b}",
                heat,
                "volts",
                1.2,
                said("catalogue.volts-across-s", circuit=circuit.name, part=piece_words(part)),
            )
        )
        if before is not None:
            tests.append(
                Test(
                    f"volts:{before}:{a}",
                    heat,
                    "volts",
                    1.4,
                    said("catalogue.volts-along-lead-into-s", circuit=circuit.name, part=piece_words(part)),
                )
            )
        before = b
        if part in ("link", "limit"):
            tests.append(
                Test(
                    f"ohms:{circuit.id}.{part}",
                    Drive(),
                    "ohms",
                    1.8,
                    said("catalogue.leads-off", circuit=circuit.name, part=piece_words(part)),
                )
            )
    # One reading from the leg to the element's end holds every joint and contact on that side at once.
    sides = (("l1", f"{circuit.id}.element.1"), ("l2", f"{circuit.id}.element.2"))
    for leg, end in sides:
        words = said("catalogue.volts-from-s-element-all", leg=leg.upper(), circuit=circuit.name)
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
                said("catalogue.volts-along-lead-from-into", leg=leg.upper(), circuit=circuit.name),
            )
        )


def _control_tests(plate: Nameplate, tests: list[Test], heat: Drive, fan: Drive, idle: Drive) -> None:
    tests.append(
        Test("volts:transformer.r:transformer.c", idle, "control", 1.0, said("catalogue.transformer-secondary"))
    )
    tests.append(Test("volts:transformer.1:transformer.2", idle, "control", 1.2, said("catalogue.transformer-primary")))
    tests.append(Test("volts:board.r:board.c", idle, "control", 1.0, said("catalogue.r-c-board")))
    tests.append(
        Test("volts:transformer.r:board.c", idle, "control", 1.0, said("catalogue.transformer-r-side-c-board"))
    )
    tests.append(Test("volts:transformer.r:board.r", heat, "control", 1.0, said("catalogue.volts-across-control-fuse")))
    tests.append(Test("volts:board.r:thermostat.r", heat, "control", 2.0, said("catalogue.r-along-cable-thermostat")))
    tests.append(Test("volts:thermostat.r:board.c", idle, "control", 2.0, said("catalogue.r-thermostat-c")))
    tests.append(Test("volts:thermostat.r:thermostat.c", idle, "control", 2.0, said("catalogue.r-c-thermostat-itself")))
    if "Y" in plate.calls:
        cooling = Drive(calls=frozenset({"Y"}))
        tests.append(Test("volts:board.o:board.c", cooling, "control", 1.2, said("catalogue.o-c-board-cooling-called")))
        tests.append(Test("volts:board.b:board.c", cooling, "control", 1.2, said("catalogue.b-c-board-cooling-called")))
    for drive, words in (
        (heat, said("catalogue.heat-called")),
        (fan, said("catalogue.fan-called")),
        (idle, said("catalogue.nothing-called")),
    ):
        tests.append(Test("amps:control", drive, "control", 1.2, said("catalogue.control-current-r", called=words)))
    for call in plate.calls:
        own = Drive(calls=frozenset({call})) if call in ("G", "Y") else heat
        name = call.lower()
        if call == plate.outdoor_thermostat:
            across = f"volts:outdoor-thermostat.1:board.{name}"
            tests.append(
                Test(across, own, "control", 2.5, said("catalogue.volts-across-outdoor-thermostat", call=call))
            )
        tests.append(Test(f"volts:board.{name}:board.c", own, "control", 0.9, said("catalogue.c-board", call=call)))
        tests.append(
            Test(f"volts:board.{name}:board.c", idle, "control", 0.9, said("catalogue.c-nothing-called", call=call))
        )
        tests.append(
            Test(f"volts:thermostat.{name}:board.c", own, "control", 2.0, said("catalogue.thermostat-c", call=call))
        )
        tests.append(
            Test(f"ohms:board.{name}:board.c", idle, "ohms", 1.5, said("catalogue.c-ohms-thermostat-off", call=call))
        )
    for device in plate.devices:
        name = part_words(device.id)
        a, b = f"{device.id}.coil.1", f"{device.id}.coil.2"
        function = device.of_kind.coil_function
        tests.append(
            Test(f"{function}:{a}:{b}", heat, "control", 1.0, said("catalogue.volts-s-own-terminals", device=name))
        )
        tests.append(
            Test(f"volts:{b}:board.c", heat, "control", 1.2, said("catalogue.volts-along-s-common-lead", device=name))
        )
        if device.of_kind.is_rectified:
            tests.append(
                Test(
                    f"volts:{device.id}.rectifier.1:board.c",
                    heat,
                    "control",
                    1.0,
                    said("catalogue.ac-into-s-rectifier", device=name),
                )
            )
        if device.auxiliary is not None:
            aux = f"{device.id}.auxiliary"
            tests.append(
                Test(
                    f"volts:{aux}.line:{aux}.load",
                    heat,
                    "control",
                    1.0,
                    said("catalogue.volts-across-s-auxiliary", device=name),
                )
            )
            tests.append(
                Test(
                    f"volts:board.r:{aux}.line",
                    heat,
                    "control",
                    1.2,
                    said("catalogue.volts-along-s-auxiliary-lead", device=name),
                )
            )
        if device.of_kind.ohms_band is not None:
            words = said("catalogue.ohms-leads-off", device=name, drive=device.of_kind.drive_words)
            tests.append(Test(f"ohms:{device.id}.coil", idle, "ohms", 1.8, words))


def _relay_tests(plate: Nameplate, tests: list[Test], heat: Drive, fan: Drive, idle: Drive) -> None:
    blower, relay = plate.blower, plate.blower.relay
    run = f"blower.{blower.taps[0]}" if blower.taps else "blower.run"
    leg = f"{blower.supplied_by}.{'l2' if blower.fixed_leg == 'L1' else 'l1'}"
    for drive, words in (
        (fan, said("catalogue.fan-called")),
        (heat, said("catalogue.heat-called")),
        (idle, said("catalogue.nothing-called")),
    ):
        tests.append(
            Test(f"volts:blower.fixed:{run}", drive, "volts", 1.2, said("catalogue.volts-blowers-leads", called=words))
        )
    tests.append(
        Test(
            f"volts:{blower.supplied_by}.{blower.fixed_leg.lower()}:blower.fixed",
            fan,
            "volts",
            1.4,
            said("catalogue.volts-along-blowers-fixed-lead"),
        )
    )
    if blower.kind == "psc":
        motor = "blower.motor" if not blower.taps else f"blower.motor-{blower.taps[0]}"
        tests.append(Test(f"ohms:{motor}", idle, "ohms", 2.0, said("catalogue.blower-winding-ohms-leads-off")))
    if relay is None:
        return
    tests.append(
        Test(
            f"volts:{relay.id}.coil.1:{relay.id}.coil.2",
            fan,
            "control",
            1.0,
            said("catalogue.volts-blower-relays-coil"),
        )
    )
    tests.append(Test(f"ohms:{relay.id}.coil", idle, "ohms", 1.8, said("catalogue.blower-relay-coil-ohms-leads")))
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
                        said("catalogue.volts-across-blower-relays", contact=name.upper()),
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
                        said("catalogue.blower-relay-continuity-rest-leads", contact=name.upper()),
                    )
                )
        tests.append(Test(f"volts:{com}:{leg}", fan, "volts", 1.2, said("catalogue.volts-from-relays-com-switched")))
    if any(contact.nc not in ("none", "L1", "L2") for contact in relay.contacts):
        for drive, words in (
            (heat, said("catalogue.heat-called")),
            (idle, said("catalogue.nothing-called")),
            (fan, said("catalogue.fan-called")),
        ):
            tests.append(
                Test("amps:interlock", drive, "amps", 0.8, said("catalogue.clamp-interlock-lead", called=words))
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


def spread_of(plate: Nameplate, points: Sequence[str], prediction: Prediction, *, knows_supply: bool) -> Floats:
    """Return how far good readings may lie from their predictions apart from the meter, as standard deviations.

    One row a point, one column a hypothesis.

    Parts vary: elements −10 to +5 %, motors and coils far more; a plain guess of the supply is 5 % off, a measured one
    little. A floating conductor shows a ghost of no certain size.
    """
    shown = np.minimum(prediction.shown, 1e8)
    shares = np.array([shares_of(point, plate=plate, knows_supply=knows_supply) for point in points])
    spread = np.hypot(shares[:, :1] * shown, shares[:, 1:])
    ghost = prediction.softness > GHOST_OHMS
    found: Floats = np.where(ghost, 0.5 * shown + 4.0, spread)
    return found
