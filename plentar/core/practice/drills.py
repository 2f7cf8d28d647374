"""Drills of a minute, made from the circuit: each a question, its answers, the right one and its reason.

The same number is the same drill. What is right comes from a solved unit or from the rules of the trade, never from a
list of answers.
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from plentar.core.circuit.places import place_words
from plentar.core.message import Text, joined, message
from plentar.core.practice.case import Case, Hidden
from plentar.core.practice.meter import display
from plentar.core.practice.world import World
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.place import volts_at
from plentar.core.unit.points import test_points
from plentar.core.unit.supply_path import STANDARD_DEVICES

__all__ = ["KINDS", "Drill", "drill"]

# Units small enough to be seen whole in a minute.
SMALL = ("one-strip-dpdt", "two-strip-sequencer", "two-strip-ac-relay", "wye-contactor")
SETTLED_SECONDS = 400.0
# Two readings nearer than this are one answer to somebody who looks at a dial.
APART = 0.12
# docs/trade.md, section 3, volts across a contact under call.
OPEN_SHARE, LEAST_AMPS, CLOSED_VOLTS = 0.8, 10.0, 0.25
Random = np.random.Generator


@dataclass(frozen=True, slots=True, kw_only=True)
class Drill:
    """One question.

    Attributes:
        id: Its number, and the kind.
        kind: One of KINDS.
        skill: What it asks for.
        question: What is asked.
        choices: The answers.
        right: Which of them is.
        reason: Why.
        difficulty: On the skills' scale.
    """

    id: str
    kind: str
    skill: str
    question: Text
    choices: tuple[Text, ...]
    right: int
    reason: Text
    difficulty: float

    @property
    def guess(self) -> float:
        """How likely it is guessed."""
        return 1 / len(self.choices)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Made:
    question: Text
    right: Text
    others: tuple[Text, ...]
    reason: Text
    difficulty: float = 0.0


def drill(number: int, kind: str = "") -> Drill:
    """Return a drill.

    Args:
        number: Any whole number from nought.
        kind: One of KINDS; by the number where none is named.
    Example:
        >>> one = drill(7)
        >>> one == drill(7), len(set(one.choices)) == len(one.choices)
        (True, True)
    """
    kind = kind or list(KINDS)[number % len(KINDS)]
    skill, make = KINDS[kind]
    random = np.random.default_rng([number, list(KINDS).index(kind)])
    made = make(random)
    choices = list(dict.fromkeys([made.right, *made.others]))
    order = random.permutation(len(choices)).tolist()
    shuffled = tuple(choices[i] for i in order)
    return Drill(
        id=f"{kind}-{number}",
        kind=kind,
        skill=skill,
        question=made.question,
        choices=shuffled,
        right=shuffled.index(made.right),
        reason=made.reason,
        difficulty=made.difficulty,
    )


def _pick(random: Random, *of: str) -> str:
    return of[int(random.integers(len(of)))]


def _unit(random: Random) -> Nameplate:
    return PATTERNS[_pick(random, *SMALL)]()


def _heated(plate: Nameplate, *faults: str) -> World:
    case = Case(id="drill", title="drill", plate=plate, hidden=tuple(Hidden(fault=f) for f in faults))
    world = World(case)
    for call in plate.calls:
        if call in ("W", "W2"):
            world.set_call(call, is_on=True)
    world.wait(SETTLED_SECONDS)
    return world


def _open_closed(random: Random) -> _Made:
    """Volts across a contact and the amps through it: open, closed, or nobody can tell."""
    plate = _unit(random)
    strip = plate.circuits[int(random.integers(len(plate.circuits)))]
    part = _pick(random, "limit", "link")
    broken = _pick(random, "", f"{strip.id}.limit.open", f"{strip.id}.link.open", f"{strip.id}.element.open")
    world = _heated(plate, *[broken] * bool(broken))
    volts = world.read(volts_at(f"{strip.id}.{part}.1", f"{strip.id}.{part}.2"))
    amps = world.amps(strip.id)
    line = plate.nominal_volts
    answers = {name: message(f"drill.{name}") for name in ("open", "closed", "not-told")}
    right = (
        "open"
        if volts >= OPEN_SHARE * line
        else "closed"
        if amps >= LEAST_AMPS and volts < CLOSED_VOLTS
        else "not-told"
    )
    return _Made(
        question=message(
            "drill.across", part=place_words(plate, f"{strip.id}.{part}"), volts=volts, amps=amps, line=line
        ),
        right=answers[right],
        others=tuple(words for name, words in answers.items() if name != right),
        reason=message(f"drill.because-{right}", volts=volts, amps=amps),
        difficulty=-0.5 if right != "not-told" else 0.7,
    )


def _meter(random: Random) -> _Made:
    """What the meter will read at a point of a unit with a known fault."""
    plate = _unit(random)
    strip = plate.circuits[0]
    broken = _pick(random, f"{strip.id}.element.open", f"{strip.id}.limit.open", f"{strip.id}.link.open", "healthy")
    world = _heated(plate, *[broken] * (broken != "healthy"))
    points = [point for point in test_points(plate) if point.quantity == "volts" and point.step == "trace"]
    point = points[int(random.integers(len(points)))]
    value = world.read(point.id)
    others = [
        v
        for v in (0.0, plate.nominal_volts, plate.nominal_volts / 2, 24.5)
        if abs(v - value) > APART * plate.nominal_volts
    ]
    what = message("drill.sound") if broken == "healthy" else world.faults[0].title
    return _Made(
        question=message(
            "drill.what-reads", place=point.label, where=point.where, fault=what, line=plate.nominal_volts
        ),
        right=message("drill.volts", shown=display(value, "volts").digits),
        others=tuple(message("drill.volts", shown=display(v, "volts").digits) for v in others[:3]),
        reason=message("drill.because-solved", shown=display(value, "volts").digits),
        difficulty=0.4,
    )


def _amps(random: Random) -> _Made:
    """What a strip draws at the volts found."""
    watts = float(_pick(random, "3000", "4000", "4800", "5000", "6000", "7500"))
    rated = float(_pick(random, "240", "240", "208"))
    found = round(rated * float(random.uniform(0.85, 1.04)), 0)
    ohms = rated**2 / watts
    wrong = (watts / rated, watts / found, found**2 / watts)
    own = found / ohms
    others = [amps for amps in (*wrong, own * 1.25, own / 2) if abs(amps - own) > 0.03 * own]
    return _Made(
        question=message("drill.amps", watts=watts, rated=rated, found=found),
        right=message("drill.amperes", amps=own),
        others=tuple(message("drill.amperes", amps=amps) for amps in others[:3]),
        reason=message("drill.because-amps", ohms=ohms, found=found, amps=own),
        difficulty=-0.3,
    )


def _breaker(random: Random) -> _Made:
    """Which overcurrent device a load wants."""
    strips = int(random.integers(1, 3))
    watts = float(_pick(random, "3600", "4800", "5000"))
    blower = round(float(random.uniform(1.5, 5.5)), 1)
    load = strips * watts / 240 + blower
    minimum = 1.25 * load
    sizes = [float(size) for size in STANDARD_DEVICES]
    at = next(i for i, size in enumerate(sizes) if size >= minimum - 1e-9)
    near = [sizes[i] for i in (at - 1, at + 1, at + 2, at - 2) if 0 <= i < len(sizes)]
    return _Made(
        question=message("drill.breaker", strips=strips, watts=watts, blower=blower),
        right=message("drill.breaker-amps", amps=sizes[at]),
        others=tuple(message("drill.breaker-amps", amps=size) for size in near[:3]),
        reason=message("drill.because-breaker", load=load, minimum=minimum, size=sizes[at]),
        difficulty=0.0,
    )


def _relay(random: Random) -> _Made:
    """A change-over relay's truth table, welds included: one blade makes one contact at a time."""
    pair, state = _pick(random, "COM-NO", "COM-NC"), _pick(random, "at-rest", "driven")
    weld = _pick(random, "", "", "NO", "NC")
    closed = (pair == "COM-NO") == (state == "driven")
    if weld:
        closed = pair.endswith(weld)
    answers = message("drill.open"), message("drill.closed")
    why = f"drill.because-weld-{'same' if closed else 'other'}" if weld else f"drill.because-{state}"
    return _Made(
        question=message(
            "drill.relay", pair=pair.replace("-", "–"), state=message(f"drill.{state}"),
            weld=message("drill.welded", contact=weld) if weld else message("drill.sound-relay"),
        ),
        right=answers[closed],
        others=(answers[not closed],),
        reason=message(why, contact=weld or pair[-2:]),
        difficulty=0.5 if weld else -0.8,
    )  # fmt: skip


def _com(random: Random) -> _Made:
    """Which terminal is COM, from continuity at rest and driven."""
    names = [str(n) for n in random.permutation([1, 2, 3, 4, 5, 6])[:3].tolist()]
    com, nc, no = names
    return _Made(
        question=message("drill.com", one=_pair(com, nc, random), two=_pair(com, no, random)),
        right=message("drill.terminal", name=com),
        others=(message("drill.terminal", name=nc), message("drill.terminal", name=no)),
        reason=message("drill.because-com", com=com, nc=nc, no=no),
        difficulty=-0.4,
    )


def _pair(a: str, b: str, random: Random) -> str:
    return f"{a}–{b}" if random.integers(2) else f"{b}–{a}"


def _interlock(random: Random) -> _Made:
    """Where each terminal of the interlock belongs."""
    places = {name: message(f"drill.on-{name}") for name in ("blower", "same-leg", "load-side", "other-leg")}
    owner = {"COM": "blower", "NO": "same-leg", "NC": "load-side", "fixed": "other-leg"}
    terminal = _pick(random, *owner)
    return _Made(
        question=message("drill.interlock", terminal=message(f"drill.terminal-{terminal.lower()}")),
        right=places[owner[terminal]],
        others=tuple(words for name, words in places.items() if name != owner[terminal]),
        reason=message(f"drill.because-interlock-{terminal.lower()}"),
        difficulty=0.2,
    )


def _log(random: Random) -> _Made:
    """How many strips came in a logged feed current, and which is slow."""
    strips, each = int(random.integers(2, 5)), round(float(random.uniform(14.0, 22.0)), 1)
    came = sorted(round(float(t), 0) for t in random.uniform(12, 90, size=strips))
    dead = int(random.integers(0, 2))
    seen = came[: strips - dead]
    jumps = joined((message("drill.jump", at=t, amps=each + 0.1 * math.sin(t)) for t in seen), "comma")
    return _Made(
        question=message("drill.log", strips=strips, jumps=jumps),
        right=message("drill.strips", count=len(seen)),
        others=tuple(
            message("drill.strips", count=n)
            for n in (len(seen) + 1, len(seen) - 1, strips + 2)
            if n > 0 and n != len(seen)
        ),
        reason=message("drill.because-log", count=len(seen), each=each),
        difficulty=-0.6,
    )


def _part(random: Random) -> _Made:
    """Which contact may carry a strip."""
    watts = float(_pick(random, "4800", "5000", "5600"))
    amps = watts / 240
    parts = {
        "sequencer": message("drill.part-sequencer"),
        "blower-relay": message("drill.part-blower-relay"),
        "small": message("drill.part-small"),
        "wrong-coil": message("drill.part-wrong-coil"),
    }
    return _Made(
        question=message("drill.part", watts=watts, amps=amps),
        right=parts["sequencer"],
        others=tuple(words for name, words in parts.items() if name != "sequencer"),
        reason=message("drill.because-part", amps=amps),
        difficulty=-0.2,
    )


def _plate(random: Random) -> _Made:
    """What a plate's own figures say against a default."""
    mca = float(_pick(random, "26", "33", "46", "54"))
    most = next(float(size) for size in STANDARD_DEVICES if size >= mca)
    other = next(float(size) for size in STANDARD_DEVICES if size > most)
    return _Made(
        question=message("drill.plate", mca=mca, most=most),
        right=message("drill.breaker-amps", amps=most),
        others=(
            message("drill.breaker-amps", amps=other),
            message("drill.breaker-amps", amps=max(float(s) for s in STANDARD_DEVICES if s < mca)),
        ),
        reason=message("drill.because-plate", mca=mca, most=most),
        difficulty=-0.7,
    )


KINDS: Mapping[str, tuple[str, Callable[[Random], _Made]]] = {
    "open-closed": ("open-closed", _open_closed),
    "meter": ("open-closed", _meter),
    "amps": ("amps", _amps),
    "breaker": ("feed", _breaker),
    "relay": ("interlock", _relay),
    "com": ("substitution", _com),
    "interlock": ("interlock", _interlock),
    "log": ("timing", _log),
    "part": ("substitution", _part),
    "plate": ("feed", _plate),
}
