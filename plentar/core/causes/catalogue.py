"""Every test that can be done on a unit at places a probe or clamp can reach, and what each hypothesis shows there."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from plentar.core.causes.hypotheses import Prediction, UnitModel
from plentar.core.causes.same_circuit import circuit_of
from plentar.core.causes.supply import Supply, feed_at, is_of_transformer
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.spread import GHOST_OHMS, shares_of
from plentar.core.circuit.wiring import auxiliary_source
from plentar.core.message import Figure, Text, message
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate, SwitchingDevice
from plentar.core.unit.place import GROUND, amps_at, line_volts, ohms_at, spot_of, volts_at
from plentar.core.unit.points import of_feed, part_words, piece_words, rung_terminals

__all__ = ["LOOKS", "Test", "catalogue", "scaled", "spread_of"]

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Test:
    """One reading that could be taken: where, under which drive, its kind and the minutes it takes by itself."""

    __test__ = False

    point: str
    drive: Drive
    kind: str
    minutes: float
    words: Text
    # The step of the call it is done in, where that is no reading at the board.
    step: str = ""

    @property
    def is_isolated(self) -> bool:
        """True when power must be off and proven dead."""
        return spot_of(self.point).is_ohms or (self.kind == "check" and not self.drive.calls)


# What can be looked at: its kind, and the minutes it takes by itself, cover off and meter in hand. Chosen, by where
# one has to stand and what has to come off: 0.8 for a clamp, 1 for two probes in reach, half a minute for each thing in
# the way, 2.5 for a walk to the panel or outdoors. Only their order matters, and that a walk is worth three clamps.
LOOKS: Mapping[str, tuple[str, float]] = {
    # At the panel, in the garage or outside.
    "breaker-pole": ("supply", 2.5),
    "behind-breaker": ("supply", 2.5),
    # Beside the unit, its cover off.
    "disconnect-blade": ("supply", 1.5),
    "lug": ("supply", 1.2),
    "line": ("supply", 1.0),
    "leg-to-ground": ("supply", 1.0),
    "behind-branch": ("supply", 1.0),
    "branch-pole": ("supply", 1.2),
    # A clamp closes round a lead without touching it: the quickest and the safest look there is.
    "feed-total": ("amps", 0.8),
    "blower-lead": ("amps", 0.8),
    "strip": ("amps", 0.8),
    "strip-other-lead": ("amps", 0.8),
    "interlock-lead": ("amps", 0.8),
    # Along a rung: a part's own two ends, then the joints, where one end is behind something.
    "across-part": ("volts", 1.2),
    "side-of-element": ("volts", 1.2),
    "lead-into-part": ("volts", 1.4),
    "lead-from-leg": ("volts", 1.4),
    # Power off, leads lifted, and put back: the proof of dead is counted once, with the change to it.
    "line-ohms": ("ohms", 1.2),
    "element-ohms": ("ohms", 2.0),
    "part-ohms": ("ohms", 1.8),
    "coil-ohms": ("ohms", 1.8),
    "winding-ohms": ("ohms", 2.0),
    "relay-coil-ohms": ("ohms", 1.8),
    "contact-continuity": ("ohms", 2.0),
    "call-ohms": ("ohms", 1.5),
    # The control side: at the board everything is in a row; the thermostat is a walk through the house.
    "transformer-secondary": ("control", 1.0),
    "transformer-primary": ("control", 1.2),
    "board-r": ("control", 1.0),
    "transformer-to-c": ("control", 1.0),
    "control-fuse": ("control", 1.0),
    "r-cable": ("control", 2.0),
    "thermostat-r": ("control", 2.0),
    "thermostat-itself": ("control", 2.0),
    "valve-o": ("control", 1.2),
    "valve-b": ("control", 1.2),
    "control-current": ("control", 1.2),
    "outdoor-thermostat": ("control", 2.5),
    "call-at-board": ("control", 0.9),
    "no-call-at-board": ("control", 0.9),
    "call-at-thermostat": ("control", 2.0),
    "coil-volts": ("control", 1.0),
    "coil-common": ("control", 1.2),
    "rectifier-in": ("control", 1.0),
    "auxiliary": ("control", 1.0),
    "auxiliary-lead": ("control", 1.2),
    "relay-coil": ("control", 1.0),
    # The blower and its relay.
    "blower-volts": ("volts", 1.2),
    "blower-fixed-lead": ("volts", 1.4),
    "relay-contact": ("volts", 1.2),
    "com-to-leg": ("volts", 1.2),
}


def catalogue(plate: Nameplate) -> tuple[Test, ...]:
    """Return every test that can be done on a unit at places a probe or clamp can reach; like units have the same.

    Source:
        docs/trade.md, section 4: what is read where, in the order of work; minutes in LOOKS.
    """
    return _catalogue(circuit_of(plate))


@lru_cache(maxsize=32)
def _catalogue(plate: Nameplate) -> tuple[Test, ...]:
    heat = plate.heat_calls
    offered = _Offered(idle=Drive(), heat=Drive(calls=heat), fan=Drive(calls=frozenset({"G"})))
    _supply_tests(plate, offered)
    offered.add("blower-lead", amps_at("blower"), offered.heat, offered.fan, Drive(calls=heat | {"G"}), offered.idle)
    for circuit in plate.circuits:
        # With heat what it draws; with nothing, cooling or the fan called what feeds it when nothing should.
        cooling = Drive(calls=frozenset({"Y"}))
        drives = (offered.heat, offered.idle, cooling, offered.fan)
        offered.add("strip", amps_at(circuit.id), *drives, strip=circuit.name)
        offered.add("strip-other-lead", amps_at(f"{circuit.id}.return"), offered.idle, strip=circuit.name)
        _rung_tests(circuit, offered)
        offered.add("element-ohms", ohms_at(f"{circuit.id}.element"), offered.idle, strip=circuit.name)
    _control_tests(plate, offered)
    for device in plate.devices:
        _device_tests(plate, device, offered)
    _blower_tests(plate, offered)
    # Circuits that share a pole share its tests.
    return tuple({(test.point, test.drive): test for test in reversed(offered.tests)}.values())[::-1]


@dataclass(frozen=True, slots=True, kw_only=True)
class _Offered:
    """The tests found so far, and the drives most of them are done under."""

    idle: Drive
    heat: Drive
    fan: Drive
    tests: list[Test] = field(default_factory=list)

    def add(self, look: str, point: str, *drives: Drive, **figures: Figure) -> None:
        """Offer a look at a point under each of some drives."""
        kind, minutes = LOOKS[look]
        words = message(f"test.{look}", **figures)
        self.tests.extend(Test(point, drive, kind, minutes, words) for drive in drives)

    def add_called(self, look: str, point: str, *drives: Drive, **figures: Figure) -> None:
        """Offer a look that is worded by what is called."""
        words = {self.heat: "heat", self.fan: "fan", self.idle: "nothing"}
        for drive in drives:
            self.add(look, point, drive, called=message(f"called.{words[drive]}"), **figures)


def _supply_tests(plate: Nameplate, offered: _Offered) -> None:
    idle, heat, fan = offered.idle, offered.heat, offered.fan
    for feed in plate.feeds:
        name: Text = message("catalogue.feed") if len(plate.feeds) == 1 else part_words(feed.id)
        unit, breaker = feed.id, f"{feed.id}.breaker"
        for leg in ("l1", "l2"):
            pole = volts_at(f"panel.{leg}", f"{breaker}.{leg}")
            offered.add_called("breaker-pole", pole, idle, heat, feed=name, leg=leg.upper())
            blade = volts_at(f"{unit}.disconnect.{leg}", f"{unit}.wire.{leg}")
            offered.add("disconnect-blade", blade, idle, heat, feed=name, leg=leg.upper())
            lug = volts_at(f"{unit}.wire.{leg}", f"{unit}.{leg}")
            offered.add("lug", lug, heat, feed=name, leg=leg.upper())
        for drive in (idle, heat):
            # Without and with load: the difference is the sag.
            offered.tests.append(_of_feed(plate, feed.id, "line", line_volts(unit), drive))
            offered.add("behind-breaker", line_volts(breaker), drive, feed=name)
        for leg in ("l1", "l2"):
            point = volts_at(f"{unit}.{leg}", GROUND)
            for drive, called in ((idle, "nothing"), (heat, "heat")):
                # Under load the leg that sags alone says where to look.
                figures: dict[str, Figure] = {"leg": leg.upper(), "called": message(f"called.{called}")}
                offered.tests.append(_of_feed(plate, feed.id, "leg-to-ground", point, drive, **figures))
        offered.add("line-ohms", ohms_at(f"{unit}.l1", f"{unit}.l2"), idle, feed=name)
        offered.add_called("feed-total", amps_at(feed.id), heat, idle, fan, feed=name)
    for branch in plate.branches:
        point = line_volts(branch.id)
        offered.add("behind-branch", point, idle, branch=part_words(branch.id))
        for leg in ("l1", "l2"):
            # Its own pole, from one lug to the other: what stands behind it may come through a strip.
            pole = volts_at(f"{branch.feed}.{leg}", f"{branch.id}.{leg}")
            offered.add("branch-pole", pole, heat, branch=part_words(branch.id), leg=leg.upper())


def _of_feed(plate: Nameplate, feed: str, look: str, point: str, drive: Drive, **figures: Figure) -> Test:
    """Return a test whose words name the feed only where there are several."""
    kind, minutes = LOOKS[look]
    return Test(point, drive, kind, minutes, of_feed(plate, feed, message(f"test.{look}", **figures)))


def _rung_tests(circuit: HeatingCircuit, offered: _Offered) -> None:
    rung, name, heat = rung_terminals(circuit), circuit.name, offered.heat
    before = None
    for part, a, b in rung:
        words = piece_words(part)
        offered.add("across-part", volts_at(a, b), heat, strip=name, part=words)
        if before is not None:
            offered.add("lead-into-part", volts_at(before, a), heat, strip=name, part=words)
        before = b
        if part in ("link", "limit"):
            offered.add("part-ohms", ohms_at(f"{circuit.id}.{part}"), offered.idle, strip=name, part=words)
    # One reading from the leg to the element's end holds every joint and contact on that side at once.
    sides = (("l1", f"{circuit.id}.element.1"), ("l2", f"{circuit.id}.element.2"))
    for leg, end in sides:
        point = volts_at(f"{circuit.supplied_by}.{leg}", end)
        offered.add("side-of-element", point, heat, leg=leg.upper(), strip=name)
    for leg, end in (("l1", rung[0][1]), ("l2", rung[-1][2])):
        if (leg, end) not in sides:
            point = volts_at(f"{circuit.supplied_by}.{leg}", end)
            offered.add("lead-from-leg", point, heat, leg=leg.upper(), strip=name)


def _control_tests(plate: Nameplate, offered: _Offered) -> None:
    idle, heat, fan = offered.idle, offered.heat, offered.fan
    # From the transformer outward, in the order a lost 24 V is followed.
    offered.add("transformer-secondary", volts_at("transformer.r", "transformer.c"), idle)
    offered.add("transformer-primary", volts_at("transformer.1", "transformer.2"), idle)
    offered.add("board-r", volts_at("board.r", "board.c"), idle)
    offered.add("transformer-to-c", volts_at("transformer.r", "board.c"), idle)
    offered.add("control-fuse", volts_at("transformer.r", "board.r"), heat)
    offered.add("r-cable", volts_at("board.r", "thermostat.r"), heat)
    offered.add("thermostat-r", volts_at("thermostat.r", "board.c"), idle)
    offered.add("thermostat-itself", volts_at("thermostat.r", "thermostat.c"), idle)
    if "Y" in plate.calls:
        cooling = Drive(calls=frozenset({"Y"}))
        offered.add("valve-o", volts_at("board.o", "board.c"), cooling)
        offered.add("valve-b", volts_at("board.b", "board.c"), cooling)
        # The valve's own coil, apart from the outdoor contactor's on Y.
        offered.add("call-ohms", ohms_at("board.o", "board.c"), idle, call="O")
    offered.add_called("control-current", amps_at("control"), heat, fan, idle)
    for call in plate.calls:
        name = call.lower()
        # A second stage is only called with the first.
        own = Drive(calls=frozenset({call})) if call in ("G", "Y") else heat
        if call == plate.outdoor_thermostat:
            offered.add("outdoor-thermostat", volts_at("outdoor-thermostat.1", f"board.{name}"), own, call=call)
        offered.add("call-at-board", volts_at(f"board.{name}", "board.c"), own, call=call)
        offered.add("no-call-at-board", volts_at(f"board.{name}", "board.c"), idle, call=call)
        offered.add("call-at-thermostat", volts_at(f"thermostat.{name}", "board.c"), own, call=call)
        offered.add("call-ohms", ohms_at(f"board.{name}", "board.c"), idle, call=call)


def _device_tests(plate: Nameplate, device: SwitchingDevice, offered: _Offered) -> None:
    name, heat = part_words(device.id), offered.heat
    a, b = f"{device.id}.coil.1", f"{device.id}.coil.2"
    offered.add("coil-volts", f"{device.of_kind.coil_function}:{a}:{b}", heat, device=name)
    offered.add("coil-common", volts_at(b, "board.c"), heat, device=name)
    if device.of_kind.is_rectified:
        offered.add("rectifier-in", volts_at(f"{device.id}.rectifier.1", "board.c"), heat, device=name)
    if device.auxiliary is not None:
        aux = f"{device.id}.auxiliary"
        offered.add("auxiliary", volts_at(f"{aux}.line", f"{aux}.load"), heat, device=name)
        offered.add("auxiliary-lead", volts_at(auxiliary_source(plate, device.id), f"{aux}.line"), heat, device=name)
    if device.of_kind.ohms_band is not None:
        # Electronics are no winding: their ohms tell nothing, so nobody is sent to read them.
        drive = device.of_kind.drive_words
        offered.add("coil-ohms", ohms_at(f"{device.id}.coil"), offered.idle, device=name, drive=drive)


def _blower_tests(plate: Nameplate, offered: _Offered) -> None:
    blower, relay = plate.blower, plate.blower.relay
    idle, heat, fan = offered.idle, offered.heat, offered.fan
    # The first tap listed is the one that heat uses.
    run = f"blower.{blower.taps[0]}" if blower.taps else "blower.run"
    leg = f"{blower.supplied_by}.{'l2' if blower.fixed_leg == 'L1' else 'l1'}"
    offered.add_called("blower-volts", volts_at("blower.fixed", run), fan, heat, idle)
    fixed = volts_at(f"{blower.supplied_by}.{blower.fixed_leg.lower()}", "blower.fixed")
    offered.add("blower-fixed-lead", fixed, fan)
    if blower.kind == "psc":
        # An ECM's ohms are its electronics'.
        motor = "blower.motor" if not blower.taps else f"blower.motor-{blower.taps[0]}"
        offered.add("winding-ohms", ohms_at(motor), idle)
    if relay is None:
        return
    offered.add("relay-coil", volts_at(f"{relay.id}.coil.1", f"{relay.id}.coil.2"), fan)
    offered.add("relay-coil-ohms", ohms_at(f"{relay.id}.coil"), idle)
    for index, contact in enumerate(relay.contacts):
        suffix = "" if index == 0 else f"-{index + 1}"
        com = f"{relay.id}.com{suffix}"
        landed = [name for name in ("nc", "no") if getattr(contact, name) != "none"]
        # Where it should be made, and where it should not: a welded one shows in the second.
        for name, drive in (("no", fan), ("nc", heat), ("nc", idle), ("no", heat)):
            if name in landed:
                point = volts_at(com, f"{relay.id}.{name}{suffix}")
                offered.add("relay-contact", point, drive, contact=name.upper())
        for name in landed:
            offered.add("contact-continuity", ohms_at(f"{relay.id}.{name}{suffix}"), idle, contact=name.upper())
        offered.add("com-to-leg", volts_at(com, leg), fan)
    if any(contact.nc not in ("none", "L1", "L2") for contact in relay.contacts):
        offered.add_called("interlock-lead", amps_at("interlock"), heat, idle, fan)


def scaled(
    model: UnitModel,
    tests: Sequence[Test],
    rows: NDArray[np.int64],
    supply: Supply | None = None,
    measured: NDArray[np.int64] | None = None,
) -> tuple[Floats, Floats]:
    """Return each test's predictions under some hypotheses and their spread; ohms, which span decades, as logarithms.

    Args:
        model: The unit's hypotheses.
        tests: The tests.
        rows: The row of each hypothesis.
        supply: Each row's measured over nominal supply.
        measured: The rows that an ohmmeter goes by, where they are others.
    Returns:
        Both of shape (tests, hypotheses).
    """
    asked = rows if measured is None else np.concatenate([rows, measured])
    found = model.table([(test.point, test.drive) for test in tests], asked)
    predicted, source_ohms = found.predicted[:, : len(rows)].astype(np.float64), found.source_ohms[:, : len(rows)]
    if measured is not None:
        dead = np.array([test.is_isolated for test in tests])
        predicted[dead], source_ohms[dead] = found.predicted[dead, len(rows) :], found.source_ohms[dead, len(rows) :]
    if supply is not None:
        for at in _by_source(model.plate, tuple(tests)):
            predicted[list(at)] *= supply.at(tests[at[0]].point)[rows]
        if supply.blower is not None:
            motor = [i for i, test in enumerate(tests) if test.point in (amps_at("blower"), amps_at("interlock"))]
            predicted[motor] *= supply.blower[rows]
    points = [test.point for test in tests]
    knows = supply is not None and supply.transformer is not None
    whole_shown = Prediction(predicted, source_ohms)
    known = {"knows_transformer": knows, "knows_blower": supply is not None and supply.blower is not None}
    spread = spread_of(model.plate, points, whole_shown, knows_supply=True, **known)
    isolated = np.array([test.is_isolated for test in tests])[:, None]
    in_logs = spread / (predicted + 0.3) + 0.02
    logs = np.where(isolated, np.log(predicted + 0.3), predicted)
    return logs, np.where(isolated, in_logs, np.hypot(spread, 0.006 * predicted))


@lru_cache(maxsize=64)
def _by_source(plate: Nameplate, tests: tuple[Test, ...]) -> tuple[tuple[int, ...], ...]:
    """Return where the tests of live volts and amps stand, together those that go by one feed or the transformer."""
    found: dict[tuple[bool, str], list[int]] = {}
    for at, test in enumerate(tests):
        if not test.is_isolated:
            found.setdefault((is_of_transformer(test.point), feed_at(plate, test.point)), []).append(at)
    return tuple(map(tuple, found.values()))


@lru_cache(maxsize=64)
def _shares_at(plate: Nameplate, points: tuple[str, ...], supply: bool, transformer: bool, blower: bool) -> Floats:
    """Return each point's share and floor, looked up once for the places of a catalogue."""
    known = {"knows_supply": supply, "knows_transformer": transformer, "knows_blower": blower}
    return np.array([shares_of(point, plate=plate, **known) for point in points])


def spread_at(
    plate: Nameplate, point: str, predicted: Floats, *, knows_supply: bool, knows_transformer: bool
) -> Floats:
    """Return what `spread_of` does for one point, whose ghosts and blower are weighed by themselves."""
    known = {"knows_supply": knows_supply, "knows_transformer": knows_transformer, "knows_blower": True}
    share, floor = shares_of(point, plate=plate, **known)
    found: Floats = np.hypot(share * np.minimum(predicted, 1e8), floor)
    return found


def spread_of(
    plate: Nameplate,
    points: Sequence[str],
    prediction: Prediction,
    *,
    knows_supply: bool,
    knows_transformer: bool = False,
    knows_blower: bool = False,
) -> Floats:
    """Return how far good readings may lie from their predictions apart from the meter, as standard deviations.

    One row a point, one column a hypothesis.

    Parts vary: elements −10 to +5 %, motors and coils far more; a plain guess of the supply is 5 % off, a measured one
    little. A floating conductor shows a ghost of no certain size.

    Source:
        docs/trade.md, section 3, tolerances; what a ghost may be, `circuit/spread`.
    """
    predicted = np.minimum(prediction.predicted, 1e8)
    shares = _shares_at(plate, tuple(points), knows_supply, knows_transformer, knows_blower)
    spread = np.hypot(shares[:, :1] * predicted, shares[:, 1:])
    ghost = prediction.source_ohms > GHOST_OHMS
    found: Floats = np.where(ghost, 0.5 * predicted + 4.0, spread)
    return found
