"""The interlock bench as a drawing: two legs, one strip with its heat contact, the relay, the blower, landed wires."""

from dataclasses import dataclass

from plentar.core.circuit.interlock import CallOutcome, RelayWiring

__all__ = ["BenchDrawing", "BenchSpot", "BenchWire", "draw_bench"]

WIDTH, HEIGHT = 720.0, 420.0
L1_X, L2_X, STRIP_X, STRIP_Y = 64.0, 656.0, 420.0, 84.0
COM, NC, NO = (404.0, 276.0), (512.0, 236.0), (512.0, 316.0)
MOTOR, HIGH, LOW = (196.0, 276.0), (270.0, 236.0), (270.0, 316.0)
TERMINALS = {"com": COM, "nc": NC, "no": NO}
# Each terminal's wire keeps to its own lane, so that no two lie on each other.
LANES = {"com": 372.0, "nc": 176.0, "no": 344.0}
STRIP_LANES = {"com": STRIP_X - 10, "nc": STRIP_X + 10, "no": STRIP_X + 30}


@dataclass(frozen=True, slots=True, kw_only=True)
class BenchWire:
    """One run of wire."""

    path: str
    state: str


@dataclass(frozen=True, slots=True, kw_only=True)
class BenchSpot:
    """A terminal that can be picked, or a place the picked one can be landed on."""

    id: str
    kind: str
    x: float
    y: float
    name: str
    spoken: str
    is_picked: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class BenchDrawing:
    """Everything the template writes."""

    width: float
    height: float
    wires: tuple[BenchWire, ...]
    spots: tuple[BenchSpot, ...]
    strip_state: str
    motor_state: str
    heat_is_closed: bool
    blade_up: bool
    blade_state: str
    fixed: str
    spoken: str


def draw_bench(wiring: RelayWiring, outcome: CallOutcome, picked: str = "") -> BenchDrawing:
    """Lay out the bench under one combination of calls.

    Args:
        wiring: Where everything is landed.
        outcome: What it does under the calls shown.
        picked: The relay terminal whose wire is being landed.
    """
    heats, called = outcome.strip == "heats", "W" in outcome.calls
    runs = outcome.blower != "off"
    thrown = "no" if "G" in outcome.calls else "nc"
    through = outcome.contact_amps > 0.3
    wires = []
    for name in ("com", "no", "nc"):
        landing = getattr(wiring, name)
        if landing != "none":
            lit = "carries" if through and name in ("com", thrown) and not outcome.is_short else "live"
            wires.append(BenchWire(path=_route(name, landing), state=lit))
    motor = "carries" if runs and not outcome.is_short else "live"
    if wiring.blower_on != "none":
        wires.append(BenchWire(path=_motor_lead(wiring.blower_on), state=motor))
    leg = L1_X if wiring.fixed == "L1" else L2_X
    fixed = (
        f"M {MOTOR[0] - 30} {MOTOR[1]} H {L1_X}"
        if leg == L1_X
        else f"M {MOTOR[0] - 30} {MOTOR[1]} H 120 V 398 H {L2_X}"
    )
    wires.append(BenchWire(path=fixed, state=motor))
    return BenchDrawing(
        width=WIDTH,
        height=HEIGHT,
        wires=tuple(wires),
        spots=tuple(_spots(picked)),
        strip_state="carries" if heats and not outcome.is_short else "live",
        motor_state=motor if runs else "live",
        heat_is_closed=called,
        blade_up=thrown == "nc",
        blade_state="carries" if through and not outcome.is_short else "live",
        fixed=wiring.fixed,
        spoken=f"Bench with {_called(outcome)}: blower {outcome.blower}, strip {outcome.strip}",
    )


def _called(outcome: CallOutcome) -> str:
    return " and ".join(sorted(outcome.calls)) + " calling" if outcome.calls else "nothing calling"


def _route(name: str, landing: str) -> str:
    x, y = TERMINALS[name]
    lane = LANES[name]
    if landing == "L1":
        return f"M {x} {y} V {lane} H {L1_X}"
    if landing == "L2":
        return f"M {x} {y} V {lane} H {L2_X}" if name == "com" else f"M {x} {y} H {L2_X}"
    if landing == "strip":
        at = STRIP_LANES[name]
        if name == "no":
            return f"M {x} {y} H {x + 60} V 140 H {at} V {STRIP_Y}"
        return f"M {x} {y} V {150 if name == 'com' else 160} H {at} V {STRIP_Y}"
    tap = HIGH if landing == "high" else LOW
    if name == "com":
        return f"M {x} {y} H 330 V {tap[1]} H {tap[0]}"
    side = 306 if name == "nc" else 318
    return f"M {x} {y} V {lane} H {side} V {tap[1]} H {tap[0]}"


def _motor_lead(terminal: str) -> str:
    x, y = TERMINALS[terminal]
    if terminal == "com":
        return f"M {HIGH[0]} {HIGH[1]} H 350 V {y} H {x}"
    lane = 204.0 if terminal == "nc" else 332.0
    return f"M {HIGH[0]} {HIGH[1]} H 342 V {lane} H {x} V {y}"


def _spots(picked: str) -> list[BenchSpot]:
    names = {"com": "COM", "no": "NO", "nc": "NC"}
    spots = [
        BenchSpot(
            id=name,
            kind="terminal",
            x=at[0],
            y=at[1],
            name=names[name],
            spoken=f"pick {names[name]}" if name != picked else f"{names[name]} is picked: choose where its wire goes",
            is_picked=name == picked,
        )
        for name, at in TERMINALS.items()
    ]
    if picked in names:
        places = {
            "L1": (L1_X, 180.0, "L1"),
            "L2": (L2_X, 180.0, "L2"),
            "strip": (STRIP_X, STRIP_Y, "strip, load side"),
            "high": (HIGH[0], HIGH[1], "high tap"),
            "low": (LOW[0], LOW[1], "low tap"),
        }
        spots += [
            BenchSpot(id=place, kind="landing", x=x, y=y, name="", spoken=f"land {names[picked]} on {words}")
            for place, (x, y, words) in places.items()
        ]
    return spots
