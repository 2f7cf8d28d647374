"""What is known of one air handler and its heat kit: feeds, heating circuits, what switches them, blower, control side.

The values are frozen and check themselves when made, so a `Nameplate` that exists is one that can be a circuit.
Terminals are named from these ids: `strip-a.element.1` is the end of strip A's element toward leg 1.
"""

import math
import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

from plentar.core.errors import NameplateError
from plentar.core.unit.checked import PlateValue, require_above_zero, require_id, require_within
from plentar.core.unit.electrical import element_ohms
from plentar.core.unit.kinds import KINDS, MOST_POLES, DeviceKind, Kind, kind_of
from plentar.core.unit.supply_path import SIZES, BranchDevice, Conductor, Feed, SharedSupply
from plentar.core.unit.warmth import HeatPumpPlate, HousePlate

__all__ = [
    "LEG_LANDINGS",
    "SIZES",
    "Blower",
    "BlowerRelay",
    "BranchDevice",
    "Conductor",
    "Feed",
    "HeatingCircuit",
    "Nameplate",
    "Pole",
    "RelayPole",
    "SharedSupply",
    "SwitchingDevice",
    "Transformer",
    "Window",
    "without_label",
]

RungPart = Literal["link", "element", "limit", "pole"]
HeatCall = Literal["W", "W2"]

_ASSUMABLE = re.compile(
    r"(circuits\[\d+\]\.rated_(watts|volts)|blower\.(relay\.)?rated_amps|transformer\.va"
    r"|devices\[\d+\]\.(poles\[\d+\]|auxiliary)\.rated_amps|(feeds|shared)\[\d+\]\.conductor\.length_feet)\Z"
)
LEG_LANDINGS = ("L1", "L2")
# Names the network gives itself: a strip of that name would be wired to the motor, one called none to nothing.
RESERVED = (
    "blower", "board", "control", "fuse", "ground", "interlock", "none", "outdoor-thermostat", "panel", "thermostat",
    "transformer",
)  # fmt: skip
# A wheel behind filter, coil and ducts takes some 8 % less than the plate; diagnosis allows 15 % around it.
RUNNING_SHARE = 0.92
# Standing electronics take a few hundredths, a blower in series with a strip or short of air still a third.
TURNS_FROM_SHARE = 0.3
# An ECM may turn on a tenth of its plate (docs/trade.md, section 10); at rest it draws some hundredths of an amp.
ECM_TURNS_FROM_SHARE = 0.06


@dataclass(frozen=True, slots=True, kw_only=True)
class Window(PlateValue):
    """The seconds in which a pole is meant to move, as printed on the part."""

    min_seconds: float
    max_seconds: float

    def __post_init__(self) -> None:
        if not 0 <= self.min_seconds <= self.max_seconds < math.inf:
            raise NameplateError(
                f"expected a window rising from zero, got {self.min_seconds} to {self.max_seconds} s",
                field="max_seconds",
            )


@dataclass(frozen=True, slots=True, kw_only=True)
class Pole(PlateValue):
    """One contact of a sequencer, contactor or heat relay; `number` counts from the heater, moving first."""

    number: int
    rated_amps: float = 25.0
    on_window: Window | None = None
    off_window: Window | None = None

    def __post_init__(self) -> None:
        if self.number < 1:
            raise NameplateError(f"expected a pole number from 1, got {self.number}", field="number")
        require_above_zero(self.rated_amps, "rated_amps", "a contact rating in amps")


@dataclass(frozen=True, slots=True, kw_only=True)
class SwitchingDevice(PlateValue):
    """A sequencer, contactor or heat relay.

    `fed_by` is the call whose wire feeds its heater or coil (`W`, `W2`), or the id of the device whose auxiliary
    pole does. That pole takes its 24 V from `auxiliary_from`: R, so that the next heater stays on until the pole opens,
    or the call's own wire, so that it goes off with the call.
    `rectifier` belongs to DC relays: `smoothed` boards carry a capacitor, `unsmoothed` ones do not.
    """

    id: str
    kind: DeviceKind
    fed_by: str
    poles: tuple[Pole, ...]
    auxiliary: Pole | None = None
    auxiliary_from: Literal["R", "W"] = "R"
    coil_ohms: float | None = None
    holding_amps: float | None = None
    rectifier: Literal["smoothed", "unsmoothed"] | None = None

    def __post_init__(self) -> None:
        require_id(self.id, "id")
        require_above_zero(self.coil_ohms, "coil_ohms", "coil or heater ohms")
        require_above_zero(self.holding_amps, "holding_amps", "a holding current in amps")
        if not 1 <= len(self.poles) <= MOST_POLES:
            raise NameplateError(f"expected 1 to {MOST_POLES} poles, got {len(self.poles)}", field="poles")
        numbers = [pole.number for pole in self.poles]
        if len(set(numbers)) != len(numbers):
            raise NameplateError(f"two poles of {self.id} share a number: {numbers}", field="poles")
        if self.kind not in KINDS:
            raise NameplateError(f"expected one of {', '.join(KINDS)}, got {self.kind!r}", field="kind")
        if self.rectifier is not None and not self.of_kind.is_rectified:
            raise NameplateError(
                f"a rectifier belongs to a DC relay and only there; {self.id} is a {self.kind}",
                field="rectifier",
            )
        if self.auxiliary is not None and not self.of_kind.is_thermal:
            raise NameplateError(
                f"only a sequencer carries an auxiliary pole, {self.id} is a {self.kind}", field="auxiliary"
            )

    @property
    def of_kind(self) -> Kind:
        """What all devices of its kind have in common."""
        return kind_of(self.kind)

    def pole(self, number: int) -> Pole:
        """Return the pole with this number, or raise NameplateError."""
        for pole in self.poles:
            if pole.number == number:
                return pole
        raise NameplateError(f"{self.id} has no pole {number}", field="poles")


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatingCircuit(PlateValue):
    """One bank: a rung from leg 1 to leg 2 whose parts stand in `order`.

    `poles` gives the pole number for each `pole` in `order`; two of them mean two-leg switching. Circuits that name
    the same pole are joined behind it. `lead_size` and `lead_degc` are printed on its own leads inside the unit.
    """

    id: str
    rated_watts: float
    rated_volts: float
    supplied_by: str
    device: str
    order: tuple[RungPart, ...] = ("link", "element", "limit", "pole")
    poles: tuple[int, ...] = (1,)
    lead_size: str | None = None
    lead_degc: float | None = None

    def __post_init__(self) -> None:
        require_id(self.id, "id")
        if self.lead_size is not None and self.lead_size not in SIZES:
            raise NameplateError(f"expected a wire size from 14 to 4/0, got {self.lead_size!r}", field="lead_size")
        require_within(self.lead_degc, 60, 250, "lead_degc", "°C")
        require_above_zero(self.rated_watts, "rated_watts", "rated watts")
        require_above_zero(self.rated_volts, "rated_volts", "rated volts")
        count = Counter(self.order)
        if count["element"] != 1:
            raise NameplateError(
                f"a pole needs an element: expected one element in {self.id}, got {count['element']}", field="order"
            )
        if count["link"] > 1 or count["limit"] > 1:
            raise NameplateError(
                f"expected at most one link and one limit in {self.id}, got {list(self.order)}", field="order"
            )
        if not 1 <= count["pole"] <= 2 or count["pole"] != len(self.poles):
            raise NameplateError(
                f"expected one or two poles in {self.id} and a pole number for each, "
                f"got {count['pole']} in the order and {len(self.poles)} numbers",
                field="poles",
            )

    @property
    def name(self) -> str:
        """The circuit as a technician says it: `Strip A`."""
        return self.id.replace("-", " ").title().replace("  ", " ")

    @property
    def switched_leg(self) -> Literal["L1", "L2"]:
        """The leg that its first pole switches."""
        return "L1" if self.order.index("pole") < self.order.index("element") else "L2"

    @property
    def element_ohms(self) -> float:
        """Rated resistance of the element, V²/P [ohm]."""
        return element_ohms(self.rated_watts, self.rated_volts)


@dataclass(frozen=True, slots=True, kw_only=True)
class RelayPole(PlateValue):
    """Where the three terminals of one blower relay contact are landed.

    A landing is `L1` or `L2` (the blower's own feed), `blower` or `blower:TAP`, a circuit's id (the load side of the
    first pole in its rung), or `none`.
    """

    com: str
    no: str
    nc: str


@dataclass(frozen=True, slots=True, kw_only=True)
class BlowerRelay(PlateValue):
    """The relay or time-delay board that a fan call drives."""

    contacts: tuple[RelayPole, ...]
    id: str = "blower-relay"
    fed_by: str = "G"
    rated_amps: float = 12.0
    coil_ohms: float | None = None
    on_delay_seconds: float = 0.0
    off_delay_seconds: float = 0.0

    def __post_init__(self) -> None:
        require_id(self.id, "id")
        if not 1 <= len(self.contacts) <= 2:
            raise NameplateError(f"expected one or two contacts, got {len(self.contacts)}", field="contacts")
        require_above_zero(self.rated_amps, "rated_amps", "a contact rating in amps")
        require_above_zero(self.coil_ohms, "coil_ohms", "coil ohms")
        if not (0 <= self.on_delay_seconds < math.inf and 0 <= self.off_delay_seconds < math.inf):
            raise NameplateError("expected delays of zero seconds or more", field="on_delay_seconds")


@dataclass(frozen=True, slots=True, kw_only=True)
class Blower(PlateValue):
    """The indoor fan: a PSC motor behind a relay, or an ECM told by 24 V taps.

    `switched_by` names a sequencer's fan pole that also feeds the motor. `plain_wire_to` names a circuit whose load
    side somebody joined to the motor by a wire without a contact: wrong, and found in many a unit.
    """

    kind: Literal["psc", "ecm"]
    rated_amps: float
    supplied_by: str
    fixed_leg: Literal["L1", "L2"] = "L1"
    relay: BlowerRelay | None = None
    switched_by: str | None = None
    switched_by_pole: int = 1
    plain_wire_to: str | None = None
    taps: tuple[str, ...] = ()
    ecm_calls: tuple[str, ...] = ()
    capacitor_microfarads: float | None = None

    def __post_init__(self) -> None:
        require_above_zero(self.rated_amps, "rated_amps", "blower full-load amps")
        require_above_zero(self.capacitor_microfarads, "capacitor_microfarads", "microfarads")
        if (self.kind == "ecm") != bool(self.ecm_calls):
            raise NameplateError("an ECM blower, and only it, names the calls on its 24 V taps", field="ecm_calls")
        if self.kind == "psc" and self.relay is None and self.switched_by is None:
            raise NameplateError("a PSC blower needs a relay or a fan pole", field="relay")

    @property
    def running_amps(self) -> float:
        """What it usually draws in a duct: plate full-load amps are reached only with the wheel wide open [A]."""
        return RUNNING_SHARE * self.rated_amps

    @property
    def power_factor(self) -> float:
        """Watts over volt-amps: a PSC motor near full load, an ECM's rectified supply without correction."""
        return 0.85 if self.kind == "psc" else 0.65

    @property
    def turns_from_amps(self) -> float:
        """The current from which it turns [A]."""
        return (TURNS_FROM_SHARE if self.kind == "psc" else ECM_TURNS_FROM_SHARE) * self.rated_amps

    def runs_at(self, amps: float) -> bool:
        """Tell whether it turns at this current: above what electronics, a hum or a series strip leave it."""
        return amps > self.turns_from_amps


@dataclass(frozen=True, slots=True, kw_only=True)
class Transformer(PlateValue):
    """The control transformer and its fuse."""

    va: float
    primary_volts: float
    supplied_by: str
    fuse_amps: float | None = None
    grounded_common: bool = False

    def __post_init__(self) -> None:
        require_above_zero(self.va, "va", "a VA rating")
        require_above_zero(self.primary_volts, "primary_volts", "primary volts")
        require_above_zero(self.fuse_amps, "fuse_amps", "a fuse rating in amps")


@dataclass(frozen=True, kw_only=True)
class Nameplate(PlateValue):
    """One unit, as far as its plate and a look inside tell.

    `assumed` holds the paths of figures nobody could read, such as `blower.rated_amps`: the circuit needs a number
    there, so a usual one stands in, and nothing is judged against it.

    Raises NameplateError, with the field's path, when the parts cannot be a circuit.
    """

    nominal_volts: float
    feeds: tuple[Feed, ...]
    devices: tuple[SwitchingDevice, ...]
    circuits: tuple[HeatingCircuit, ...]
    blower: Blower
    transformer: Transformer
    supply: Literal["split-phase", "wye", "line-to-neutral"] = "split-phase"
    branches: tuple[BranchDevice, ...] = ()
    shared: tuple[SharedSupply, ...] = ()
    heat_pump: HeatPumpPlate | None = None
    house: HousePlate | None = None
    maker: str = ""
    model: str = ""
    serial: str = ""
    built: str = ""
    tons: float | None = None
    minimum_circuit_amps: float | None = None
    maximum_device_amps: float | None = None
    outdoor_thermostat: HeatCall | None = None
    assumed: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        for path in self.assumed:
            if not _ASSUMABLE.match(path):
                raise NameplateError(
                    f"expected the path of a figure that may be assumed, got {path!r}", field="assumed"
                )
        require_above_zero(self.nominal_volts, "nominal_volts", "nominal volts")
        for field in ("tons", "minimum_circuit_amps", "maximum_device_amps"):
            require_above_zero(getattr(self, field), field, "a value")
        if not self.feeds:
            raise NameplateError("expected at least one feed", field="feeds")
        if not self.circuits:
            raise NameplateError("expected at least one heating circuit", field="circuits")
        if self.outdoor_thermostat is not None and self.outdoor_thermostat not in self.calls:
            raise NameplateError(
                f"the unit has no {self.outdoor_thermostat} for an outdoor thermostat to stand in",
                field="outdoor_thermostat",
            )
        _check_names(self)
        _check_supplies(self)
        _check_switching(self)
        _check_blower(self)

    def __hash__(self) -> int:
        return self._hash

    @cached_property
    def _hash(self) -> int:
        # Everything worked out of a plate is kept under it, so the hash is asked for thousands of times a page.
        return hash((self.maker, self.model, self.serial, self.feeds, self.devices, self.circuits, self.blower))

    def circuit(self, circuit_id: str) -> HeatingCircuit:
        """Return the heating circuit with this id, or raise NameplateError."""
        for circuit in self.circuits:
            if circuit.id == circuit_id:
                return circuit
        raise NameplateError(f"the unit has no heating circuit {circuit_id!r}", field="circuits")

    def device(self, device_id: str) -> SwitchingDevice:
        """Return the switching device with this id, or raise NameplateError."""
        for device in self.devices:
            if device.id == device_id:
                return device
        raise NameplateError(f"the unit has no switching device {device_id!r}", field="devices")

    def feed_of(self, supplied_by: str) -> str:
        """Return the id of the feed behind a feed or built-in branch."""
        # A built-in breaker hangs on a feed; anything else is one.
        for branch in self.branches:
            if branch.id == supplied_by:
                return branch.feed
        return supplied_by

    def circuits_on(self, feed_id: str) -> tuple[HeatingCircuit, ...]:
        """Return the heating circuits behind a feed, its built-in branches included, in the plate's order."""
        return tuple(circuit for circuit in self.circuits if self.feed_of(circuit.supplied_by) == feed_id)

    def call_of(self, device_id: str) -> str:
        """Return the thermostat call that starts a device, followed back through auxiliary poles."""
        fed_by = self.device(device_id).fed_by
        # Back through auxiliary poles to the call that starts the chain.
        return fed_by if fed_by in ("W", "W2") else self.call_of(fed_by)

    @property
    def heat_calls(self) -> frozenset[str]:
        """The thermostat calls for heat that this unit has."""
        return frozenset(("W", "W2")) & frozenset(self.calls)

    @property
    def calls(self) -> tuple[str, ...]:
        """The calls this unit answers to, in the order they are shown."""
        # Every thermostat has W, G and Y; a second stage only where something answers it.
        wanted = {self.call_of(device.id) for device in self.devices} | {"W", "G", "Y"}
        return tuple(call for call in ("W", "W2", "G", "Y") if call in wanted)

    @property
    def leg_volts(self) -> tuple[float, float]:
        """What leg 1 and leg 2 stand above ground by the kind of supply [V]; a neutral stands at none."""
        if self.has_neutral:
            return self.nominal_volts, 0.0
        # Two legs of a wye stand a third of a turn apart, split phase half a turn.
        first = self.nominal_volts * (1 / math.sqrt(3) if self.supply == "wye" else 0.5)
        return first, first

    @property
    def has_neutral(self) -> bool:
        """True where the second conductor is a neutral, which nothing opens: docs/trade.md, section 1.

        There is no split phase above 240 V: such a plate is one of 277 V, whatever was ticked.
        """
        return self.supply == "line-to-neutral" or (self.supply == "split-phase" and self.nominal_volts > 260)

    def is_assumed(self, path: str) -> bool:
        """Tell whether the figure at this path is a usual one instead of the plate's own."""
        return path in self.assumed

    def rating_is_assumed(self, circuit_id: str) -> bool:
        """Tell whether a heating circuit's watts are not from the plate: then nothing can be judged by them.

        Volts that the label does not give are the service's: judged by, and said (`volts_are_assumed`).
        """
        index = [circuit.id for circuit in self.circuits].index(circuit_id)
        return self.is_assumed(f"circuits[{index}].rated_watts")

    def volts_are_assumed(self, circuit_id: str) -> bool:
        """Tell whether a heating circuit's rated volts are the service's because the label gives none."""
        index = [circuit.id for circuit in self.circuits].index(circuit_id)
        return self.is_assumed(f"circuits[{index}].rated_volts")

    def load_is_assumed(self, feed_id: str) -> bool:
        """Tell whether what a feed carries hangs on a figure nobody could read."""
        strips = [circuit.id for circuit in self.circuits_on(feed_id)]
        has_blower = self.feed_of(self.blower.supplied_by) == feed_id
        return any(map(self.rating_is_assumed, strips)) or (has_blower and self.is_assumed("blower.rated_amps"))

    def wire_is_assumed(self, feed_id: str) -> bool:
        """Tell whether the length of a feed's wire is not known."""
        index = [feed.id for feed in self.feeds].index(feed_id)
        return self.is_assumed(f"feeds[{index}].conductor.length_feet")

    @property
    def total_rated_watts(self) -> float:
        """Sum of the rated watts of all heating circuits [W]."""
        return sum(circuit.rated_watts for circuit in self.circuits)


def without_label(plate: Nameplate) -> Nameplate:
    """Return a plate without what its label alone tells: who made it, and the circuit it asks for."""
    return replace(
        plate,
        maker="",
        model="",
        serial="",
        built="",
        tons=None,
        minimum_circuit_amps=None,
        maximum_device_amps=None,
    )


def joinable(plate: Nameplate) -> tuple[HeatingCircuit, ...]:
    """Return the circuits whose load side a wire could join to the motor's run lead: behind the other leg's contact."""
    if plate.blower.kind != "psc":
        return ()
    other = "L2" if plate.blower.fixed_leg == "L1" else "L1"
    return tuple(c for c in plate.circuits if c.supplied_by == plate.blower.supplied_by and c.switched_leg == other)


def _ids(plate: Nameplate) -> Iterator[tuple[str, str]]:
    """Yield every id on the plate with the path of the field that gives it."""
    for index, feed in enumerate(plate.feeds):
        yield feed.id, f"feeds[{index}].id"
    for index, branch in enumerate(plate.branches):
        yield branch.id, f"branches[{index}].id"
    for index, shared in enumerate(plate.shared):
        yield shared.id, f"shared[{index}].id"
    for index, device in enumerate(plate.devices):
        yield device.id, f"devices[{index}].id"
    for index, circuit in enumerate(plate.circuits):
        yield circuit.id, f"circuits[{index}].id"
    if plate.blower.relay is not None:
        yield plate.blower.relay.id, "blower.relay.id"


def _check_names(plate: Nameplate) -> None:
    seen: dict[str, str] = {}
    for name, path in _ids(plate):
        if name in RESERVED:
            raise NameplateError(f"every unit has a part named {name!r} already: expected another name", field=path)
        if name in seen:
            raise NameplateError(f"two parts are named {name!r}: {seen[name]} and {path}", field=path)
        seen[name] = path


def _check_supplies(plate: Nameplate) -> None:
    feeds = {feed.id for feed in plate.feeds}
    for index, branch in enumerate(plate.branches):
        if branch.feed not in feeds:
            raise NameplateError(f"expected a feed of this unit, got {branch.feed!r}", field=f"branches[{index}].feed")
    supplies = feeds | {branch.id for branch in plate.branches}
    users = [(circuit.supplied_by, f"circuits[{i}].supplied_by") for i, circuit in enumerate(plate.circuits)]
    users += [(plate.blower.supplied_by, "blower.supplied_by")]
    users += [(plate.transformer.supplied_by, "transformer.supplied_by")]
    for supply, path in users:
        if supply not in supplies:
            raise NameplateError(f"expected a feed or branch of this unit, got {supply!r}", field=path)
    # A feed that feeds nothing is a plate typed half way, and would be proven dead for ever.
    used = {supply for supply, _ in users}
    for index, branch in enumerate(plate.branches):
        if branch.id not in used:
            raise NameplateError(f"{branch.id} feeds nothing", field=f"branches[{index}]")
    used_feeds = {plate.feed_of(supply) for supply in used}
    shared = {entry.id for entry in plate.shared}
    for index, feed in enumerate(plate.feeds):
        if feed.behind is not None and feed.behind not in shared:
            raise NameplateError(
                f"expected a sub-panel or service disconnect of this unit, got {feed.behind!r}",
                field=f"feeds[{index}].behind",
            )
    for index, entry in enumerate(plate.shared):
        if entry.id not in {feed.behind for feed in plate.feeds}:
            raise NameplateError(f"{entry.id} feeds nothing", field=f"shared[{index}]")
    for index, feed in enumerate(plate.feeds):
        if feed.id not in used_feeds:
            raise NameplateError(f"{feed.id} feeds nothing", field=f"feeds[{index}]")


def _check_switching(plate: Nameplate) -> None:
    devices = {device.id: device for device in plate.devices}
    driven: dict[tuple[str, int], tuple[str, str]] = {}
    shared: set[tuple[str, int]] = set()
    for index, circuit in enumerate(plate.circuits):
        path = f"circuits[{index}]"
        if circuit.device not in devices:
            raise NameplateError(f"the unit has no switching device {circuit.device!r}", field=f"{path}.device")
        ends = [i for i, part in enumerate(circuit.order) if part == "pole"]
        for number, place in zip(circuit.poles, ends, strict=True):
            if number not in {pole.number for pole in devices[circuit.device].poles}:
                raise NameplateError(f"{circuit.device} has no pole {number}", field=f"{path}.poles")
            # A pole shared by circuits joins them behind it, which is only a rung if it stands at the same outer end.
            end = "1" if place == 0 else "2" if place == len(circuit.order) - 1 else "inside"
            key, use = (circuit.device, number), (circuit.supplied_by, end)
            # One contact cannot be at two places of the unit.
            if driven.setdefault(key, use) != use or (key in shared and end == "inside"):
                raise NameplateError(
                    f"pole {number} of {circuit.device} is shared by circuits on different supplies or rung ends",
                    field=f"{path}.poles",
                )
            shared.add(key)
    for index, device in enumerate(plate.devices):
        path = f"devices[{index}]"
        _check_fed_by(device, devices, path)


def _check_fed_by(device: SwitchingDevice, devices: dict[str, SwitchingDevice], path: str) -> None:
    trail = [device.id]
    while (source := devices[trail[-1]].fed_by) not in ("W", "W2"):
        if source not in devices or devices[source].auxiliary is None:
            raise NameplateError(
                f"expected W, W2 or a sequencer with an auxiliary pole, got {source!r}", field=f"{path}.fed_by"
            )
        # A ring of auxiliary poles waits for itself.
        if source in trail:
            raise NameplateError(
                f"{device.id} is fed in a ring: {' from '.join([*trail, source])}", field=f"{path}.fed_by"
            )
        trail.append(source)


def _check_blower(plate: Nameplate) -> None:
    blower = plate.blower
    circuits = {circuit.id: circuit for circuit in plate.circuits}
    if blower.plain_wire_to is not None and blower.plain_wire_to not in {c.id for c in joinable(plate)}:
        raise NameplateError(
            f"expected a circuit on the blower's feed that switches the leg its fixed lead is not on, "
            f"got {blower.plain_wire_to!r}",
            field="blower.plain_wire_to",
        )
    if blower.switched_by is not None:
        plate.device(blower.switched_by).pole(blower.switched_by_pole)
        if any(c.device == blower.switched_by and blower.switched_by_pole in c.poles for c in plate.circuits):
            raise NameplateError("the fan pole already switches a heating circuit", field="blower.switched_by_pole")
    if blower.relay is None:
        return
    motors = {"blower", *(f"blower:{tap}" for tap in blower.taps)}
    for index, contact in enumerate(blower.relay.contacts):
        for terminal in ("com", "no", "nc"):
            landing = getattr(contact, terminal)
            path = f"blower.relay.contacts[{index}].{terminal}"
            if landing not in {*LEG_LANDINGS, "none", *motors, *circuits}:
                raise NameplateError(
                    f"expected L1, L2, blower, none or a heating circuit's id, got {landing!r}", field=path
                )
        _check_interlock_legs(contact, circuits, f"blower.relay.contacts[{index}].no")


def _check_interlock_legs(contact: RelayPole, circuits: dict[str, HeatingCircuit], path: str) -> None:
    """Refuse NO on the leg opposite to the pole that NC's strip is switched by: docs/trade.md, section 1, Interlock."""
    if contact.no in LEG_LANDINGS and contact.nc in circuits:
        pole_leg = circuits[contact.nc].switched_leg
        if contact.no != pole_leg:
            raise NameplateError(
                f"NO is landed on {contact.no}, but the first pole of {contact.nc} switches {pole_leg}: "
                "they must be the same leg",
                field=path,
            )
