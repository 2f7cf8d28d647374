"""A way to fail as a row: how often, what shows it to the eye, what it takes from the van, what makes it right.

The rows stand in `faults` and `unit_faults`, above what each changes in the circuit: a new fault is a row and a line
there, and its words in the catalogue (`fault.<mode>`, `repair.<…>`, `proof.<…>`).

Weights are odds against each other, of what stands behind a call for heat that is not right, before anything is read.
They follow the order in which docs/trade.md, section 5, names causes; a complaint, an age or a sign moves them by more
than their own error, so each is one of few steps (0.1, 0.3, 0.5, 1, 1.5, 2, 3, 4 …) and none is finer.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

__all__ = [
    "HELD",
    "HOT_END",
    "LOGGED",
    "LOST_END",
    "OPENED",
    "SHORTED",
    "STARTED",
    "Group",
    "Mode",
    "Shows",
    "Takes",
    "mode",
    "modes_by_id",
]

# For the complaint's sake: no heat makes what is dead likelier, heat that will not stop what is stuck.
Group = Literal["healthy", "dead", "stuck", "weak", "supply", "control", "blower", "short"]
# Always; now and then, a healthy unit in between; late, only for a while after the call; trips, from some moment until
# it is reset; until set, from the first on until somebody sees to it.
Shows = Literal["always", "now and then", "late", "trips", "until-set"]
# What a repair takes from the van; nothing where hands do, or somebody else's breaker.
Takes = Literal[
    "", "element", "link", "limit", "device", "board", "ends", "transformer", "fuse", "thermostat",
    "outdoor thermostat", "motor", "capacitor", "relay", "filter",
]  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Mode:
    """One way one kind of part fails.

    Attributes:
        id: The kind of part and how it fails, `pole.welded`; a fault's own id is its part and the last word of this.
        group: What it is to whoever complains.
        weight: How often against the other modes, before anything is known; see above.
        takes: What its repair takes from the van.
        shows: Whether it is there whenever it is looked for.
        signs: How many times likelier each sign makes it, where the sign is pinned to nothing or to its part.
        repair: Its repair in the catalogue, after `repair.`.
        proof: What proves that repair, after `proof.`.
    """

    id: str
    group: Group
    weight: float
    takes: Takes
    shows: Shows
    signs: Mapping[str, float] = field(default_factory=dict)
    repair: str
    proof: str


def mode(
    name: str,
    group: Group,
    weight: float,
    takes: Takes = "",
    signs: Mapping[str, float] | None = None,
    *,
    repair: str,
    proof: str,
    shows: Shows = "always",
) -> Mode:
    """Return a row."""
    return Mode(
        id=name, group=group, weight=weight, takes=takes, shows=shows, signs=signs or {}, repair=repair, proof=proof
    )


def modes_by_id(*rows: Mode) -> Mapping[str, Mode]:
    """Return rows by their ids."""
    return {row.id: row for row in rows}


# A push-on that moves under a finger is on its way off or hot already; a cut strand carries less but mostly still sits.
LOST_END = {"loose-push-on": 6.0, "cut-strands": 2.0, "splices": 2.0}
HOT_END = {"loose-push-on": 8.0, "cut-strands": 4.0, "splices": 2.0, "smell": 3.0}
# Rust makes open contacts and windings likelier, but most units have some, so it only doubles their weight.
OPENED = {"rust-carbon": 2.0}
# A log in which one of several like strips goes off and on again under a standing call, seen as surely as by amps: a
# limit does that, and little else. Which strip it was the log does not say; a clamp that was watched may.
LOGGED = {"log-cycles": 500.0, "watched-dropped": 500.0, "watched-tripped": 0.2, "watched-steady": 0.1}
# Of weak breakers 45 % hold through 15 minutes of load, of parts that fail by starts 20 % through ten and 9 % through
# twenty (docs/trade.md, section 10).
# One that trips stays off: amps that went and came back by themselves were no breaker's doing.
HELD = {"watched-tripped": 500.0, "watched-dropped": 0.5, "watched-steady": 0.45}
STARTED = {"starts-good-10": 0.2, "starts-good-20": 0.09}
# A short is heard of before it is seen: a breaker found off, a smell, insulation rubbed through; a named conductor that
# an ohmmeter shows shorted has all but told.
SHORTED = {"rubbed-wires": 4.0, "breaker-off": 4.0, "smell": 2.0, "conductor-shorted": 40.0}
