"""Which lines of the board are live and which carry current, as far as condition and clamp readings tell."""

from collections.abc import Callable, Mapping
from typing import Literal

from plentar.core.nameplate import HeatingCircuit, Nameplate
from plentar.core.readings import Condition, Reading
from plentar.core.rules import DEFAULT_RULES, Rules

__all__ = ["LineState", "line_states"]

LineState = Literal["carries", "live", "dead", "alive", "idle"]


def line_states(
    plate: Nameplate, condition: Condition, readings: Mapping[str, Reading], rules: Rules = DEFAULT_RULES
) -> Callable[[str], LineState]:
    """Return a function from a terminal, circuit, call or device to the state of its line.

    A circuit carries current when its newest clamp reading under the present calls says so or, unread, when it is
    called and its pole has had its time. The unswitched leg keeps a single-leg rung live while it is off.
    """
    called = {name for name, _ in condition.calls}
    powered = {feed.id: condition.feed_state(feed.id) == "live" for feed in plate.feeds}
    from_unit = condition.control == "from unit" and powered[plate.feed_of(plate.transformer.supplied_by)]
    has_control = from_unit or condition.control == "separate source"

    def closed(device_id: str, number: int | None) -> bool:
        call = plate.call_of(device_id)
        if call not in called or not has_control:
            return False
        device = plate.device(device_id)
        pole = device.auxiliary if number is None else device.pole(number)
        seconds = condition.call_seconds(call)
        return seconds is None or seconds >= rules.closing_window(plate, device_id, pole).max_seconds

    def carries(circuit: HeatingCircuit) -> bool:
        if not powered[plate.feed_of(circuit.supplied_by)]:
            return False
        reading = readings.get(f"amps:{circuit.id}")
        same_calls = reading is not None and {name for name, _ in reading.condition.calls} == called
        if reading is not None and same_calls:
            return reading.value >= rules.dead_below_amps
        return closed(circuit.device, circuit.poles[0])

    running = {circuit.id: carries(circuit) for circuit in plate.circuits}
    states: dict[str, LineState] = {"control": "alive" if has_control else "idle"}
    for feed in plate.feeds:
        for leg in ("l1", "l2"):
            states[f"{feed.id}.{leg}"] = "live" if powered[feed.id] else "dead"
    for circuit in plate.circuits:
        on = running[circuit.id]
        both_legs = circuit.order.count("pole") == 2
        rest: LineState = "live" if powered[plate.feed_of(circuit.supplied_by)] and not both_legs else "dead"
        states[f"{circuit.id}:current"] = "carries" if on else rest
        for part in ("link", "element", "limit"):
            for side in (1, 2):
                states[f"{circuit.id}.{part}.{side}"] = "carries" if on else rest
        for number in circuit.poles:
            pole = f"{circuit.device}.pole-{number}"
            line_side: LineState = "live" if powered[plate.feed_of(circuit.supplied_by)] else "dead"
            for end, idle in ((".line", line_side), (".load", rest), (":closed", "dead")):
                if states.get(pole + end) != "carries":
                    states[pole + end] = "carries" if on else idle
    for device in plate.devices:
        alive = has_control and device.fed_by in called
        if device.fed_by not in plate.calls:
            alive = closed(device.fed_by, None)
            states[f"{device.fed_by}:aux"] = "alive" if alive else "idle"
        states[f"{device.id}:coil"] = "alive" if alive else "idle"
    for call in plate.calls:
        states[call] = states[f"ecm-{call.lower()}:coil"] = "alive" if has_control and call in called else "idle"
    _blower_states(
        plate,
        states,
        running,
        has_fan_call=has_control and "G" in called,
        has_power=powered[plate.feed_of(plate.blower.supplied_by)],
        fan_pole=bool(plate.blower.switched_by)
        and closed(plate.blower.switched_by or "", plate.blower.switched_by_pole),
    )
    return lambda name: states.get(name, "dead")


def _blower_states(
    plate: Nameplate,
    states: dict[str, LineState],
    running: Mapping[str, bool],
    *,
    has_fan_call: bool,
    has_power: bool,
    fan_pole: bool,
) -> None:
    blower = plate.blower
    relay = blower.relay
    if relay is None:
        turns = any(states.get(f"ecm-{call.lower()}:coil") == "alive" for call in blower.ecm_calls)
    else:
        states[f"{relay.id}:coil"] = "alive" if has_fan_call else "idle"
        states["blower-relay:closed"] = "carries" if has_fan_call else "dead"
        turns = has_fan_call or any(running.get(contact.nc, False) for contact in relay.contacts) or fan_pole
    if blower.switched_by:
        states[f"{blower.switched_by}.pole-{blower.switched_by_pole}:closed"] = "carries" if fan_pole else "dead"
    states["blower"] = "carries" if turns and has_power else "live" if has_power else "dead"
