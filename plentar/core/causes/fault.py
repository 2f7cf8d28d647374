"""One fault as a value: its id, what it changes in the circuit, its repair and its proof."""

import math
from dataclasses import dataclass
from typing import Literal

from plentar.core.circuit.changes import NO_CHANGE, Changes
from plentar.core.said import Words, said

__all__ = ["HEALTHY", "OFF", "Fault", "Takes", "make_fault"]

OFF = math.inf
# What a repair takes from the van; nothing where hands do, or somebody else's breaker.
Takes = Literal[
    "", "element", "link", "limit", "device", "board", "ends", "transformer", "fuse", "thermostat",
    "outdoor thermostat", "motor", "capacitor", "relay", "filter",
]  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Fault:
    """One thing that can be wrong.

    `variants` are the same fault at several magnitudes, equally likely. `kind` groups faults for the complaint's sake:
    dead, stuck, weak, supply, control, blower, short. `shows` is always, now and then (a healthy unit in between), or
    late (only for a while after the call, then healthy). `takes` is the part its repair takes.
    """

    id: str
    title: Words
    part: str
    kind: str
    weight: float
    variants: tuple[Changes, ...]
    repair: Words
    proof: Words
    shows: Literal["always", "now and then", "late"] = "always"
    takes: Takes = ""


HEALTHY = Fault(
    id="healthy",
    title=said("fault.nothing-wrong-circuit"),
    part="",
    kind="healthy",
    weight=6.0,
    variants=(NO_CHANGE,),
    repair="none",
    proof=said("fault.every-strips-amps-band-under"),
)


def make_fault(
    name: str,
    title: Words,
    kind: str,
    weight: float,
    *variants: Changes,
    repair: Words,
    proof: Words,
    shows: Literal["always", "now and then", "late"] = "always",
    takes: Takes = "",
) -> Fault:
    """Return a fault; what its id is before its last dot is its part."""
    return Fault(
        id=name,
        title=title,
        part=name.rpartition(".")[0],
        kind=kind,
        weight=weight,
        variants=variants,
        repair=repair,
        proof=proof,
        shows=shows,
        takes=takes,
    )
