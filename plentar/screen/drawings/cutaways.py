"""Parts cut open, moment by moment: what moves in them and when, by the same circuit in time as everything else."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from plentar.core.circuit.timeline import Moment, play
from plentar.core.unit.patterns import PATTERNS

__all__ = ["CUTAWAYS", "Cutaway", "Frame", "cutaway"]

WIDTH, HEIGHT = 640, 340


@dataclass(frozen=True, slots=True, kw_only=True)
class Shape:
    """A line, or a word with its place."""

    css: str
    d: str = ""
    x: float = 0.0
    y: float = 0.0
    text: str = ""
    anchor: str = "middle"


@dataclass(slots=True)
class Frame:
    """One moment: what is drawn, what it says."""

    seconds: float
    caption: str
    shapes: list[Shape] = field(default_factory=list)

    def line(self, css: str, *points: tuple[float, float]) -> None:
        """Draw through points."""
        self.shapes.append(Shape(css=css, d="M" + " L".join(f"{x:.1f} {y:.1f}" for x, y in points)))

    def path(self, css: str, d: str) -> None:
        """Draw a path."""
        self.shapes.append(Shape(css=css, d=d))

    def box(self, css: str, x: float, y: float, width: float, height: float) -> None:
        """Draw a rectangle."""
        self.path(css, f"M{x} {y}h{width}v{height}h{-width}z")

    def word(self, x: float, y: float, text: str, css: str = "", anchor: str = "middle") -> None:
        """Write a word."""
        self.shapes.append(Shape(css=css, x=x, y=y, text=text, anchor=anchor))

    def zigzag(self, css: str, x: float, y: float, width: float, turns: int = 6, height: float = 9.0) -> None:
        """Draw a heater or an element."""
        step = width / (2 * turns)
        points = [(x, y)] + [(x + (i + 0.5) * step, y + (height if i % 2 else -height)) for i in range(2 * turns)]
        self.line(css, *points, (x + width, y))

    def contact(self, css: str, x: float, y: float, *, is_closed: bool, label: str) -> None:
        """Draw one pole: two studs and a bridge that stands on them or above."""
        lift = 0.0 if is_closed else -16.0
        self.line("metal" if not is_closed else css, (x - 70, y), (x - 22, y))
        self.line("metal" if not is_closed else css, (x + 22, y), (x + 70, y))
        self.line("metal" if not is_closed else css, (x - 26, y - 4 + lift), (x + 26, y - 4 + lift))
        self.path("part", f"M{x - 26} {y - 2}h8v6h-8zM{x + 18} {y - 2}h8v6h-8z")
        self.word(x + 84, y + 6, label, "soft", "start")


@dataclass(frozen=True, slots=True, kw_only=True)
class Cutaway:
    """A part in all its moments."""

    id: str
    name: str
    about: str
    frames: tuple[Frame, ...]
    width: float = WIDTH
    height: float = HEIGHT


def _at(moments: Sequence[Moment], seconds: float) -> Moment:
    return [moment for moment in moments if moment.at_seconds <= seconds][-1]


def _sequencer() -> Cutaway:
    plate = PATTERNS["two-strip-sequencer"]()
    called, dropped, until = 10.0, 240.0, 480.0
    calls = [(0.0, frozenset[str]()), (called, frozenset({"W"})), (dropped, frozenset[str]())]
    moments = play(plate, calls, until)
    frames = []
    for seconds in [float(s) for s in range(0, 481, 20)]:
        now = _at(moments, seconds)
        is_heated = "W" in now.calls
        # The disc warms toward its turn and cools back: drawn, not measured.
        since = seconds - called if is_heated else max(0.0, seconds - dropped)
        warmth = 1 - math.exp(-since / 60) if is_heated else math.exp(-since / 80) if seconds > dropped else 0.0
        first, second = ("seq-a.pole-1" in now.closed), ("seq-a.pole-2" in now.closed)
        words = "24 V on the heater" if is_heated else "no call"
        state = "both poles made" if first and second else "the near pole made" if first else "both poles open"
        frame = Frame(
            seconds=seconds, caption=f"{seconds:.0f} s: {words}, the disc {100 * warmth:.0f} % warm, {state}."
        )
        frame.box("part", 40, 220, 560, 96)
        frame.zigzag("coil" if is_heated else "quiet", 90, 280, 130)
        frame.word(155, 306, "heater, 24 V", "soft")
        sag = 26 * (2 * warmth - 1)
        frame.path("hot" if warmth > 0.5 else "metal", f"M250 262Q345 {262 - sag:.1f} 440 262")
        frame.word(345, 306, "bimetal disc", "soft")
        crown = 256 - sag / 2
        bridges = (172 - (0 if first else 16), 80 - (0 if second else 16))
        frame.line("metal", (345, crown), (345, bridges[0]))
        # The second rod stands on the first pole's bridge and lifts the next.
        frame.line("metal", (345, bridges[0] - (0 if first else 4)), (345, bridges[1] + (0 if second else 12)))
        frame.contact("hot", 345, 176, is_closed=first, label="pole 1, " + ("made" if first else "open"))
        frame.contact("hot", 345, 84, is_closed=second, label="pole 2, " + ("made" if second else "open"))
        frame.word(250, 136, "rods", "soft", "end")
        frames.append(frame)
    about = (
        "A heater warms a disc; it snaps through and pushes stacked poles one after another. Off goes the other way."
    )
    return Cutaway(id="sequencer", name="Sequencer", about=about, frames=tuple(frames))


def _contactor() -> Cutaway:
    frames = []
    for number, (volts, caption) in enumerate(
        (
            (0.0, "No call: the spring holds the armature up, both poles open, both ends of the strip dead."),
            (12.0, "12 V at the coil: not enough to pull it in. It may hum or chatter."),
            (24.0, "24 V: the armature is in at once, both poles made."),
            (17.0, "Down to 17 V it still holds: a coil holds at less than it took to pull in."),
            (0.0, "Call gone: out at once, no delay."),
        )
    ):
        is_in = volts >= 20 or number == 3
        frame = Frame(seconds=float(number), caption=caption)
        frame.box("part", 250, 230, 140, 80)
        frame.zigzag("coil" if volts else "quiet", 270, 270, 100, turns=7, height=14)
        frame.word(320, 330, f"coil, {volts:.0f} V", "soft")
        top = 190 if is_in else 160
        frame.box("part", 230, top, 180, 22)
        frame.word(320, top + 16, "armature")
        frame.line("metal", (320, top), (320, 96 if is_in else 66))
        for x, name in ((170, "pole 1"), (470, "pole 2")):
            frame.contact("hot", x, 110, is_closed=is_in, label="")
            frame.word(x, 60, f"{name}, {'made' if is_in else 'open'}", "soft")
        frame.line("metal", (170, 106 if is_in else 90), (470, 106 if is_in else 90))
        frames.append(frame)
    about = "One coil, one armature, both legs: what one-leg switching leaves live, this takes off."
    return Cutaway(id="contactor", name="Contactor", about=about, frames=tuple(frames))


def _relay() -> Cutaway:
    states = (
        (False, "", "At rest the blade lies on NC: COM–NC closed, COM–NO open."),
        (True, "", "24 V on the coil: the blade is pulled to NO. COM–NO closed, COM–NC open."),
        (False, "NO", "NO welded, no call: the blade cannot leave. The blower runs, and NC cannot make."),
        (
            True,
            "NC",
            "NC welded, coil pulled: the blade stays on NC. The fan call does nothing; an interlock feeds back.",
        ),
        (False, "", "A sound one drops back: the spring does it, at once."),
    )
    frames = []
    for number, (is_driven, weld, caption) in enumerate(states):
        on_no = weld == "NO" or (is_driven and weld != "NC")
        frame = Frame(seconds=float(number), caption=caption)
        frame.zigzag("coil" if is_driven else "quiet", 90, 270, 150, turns=8, height=14)
        frame.word(165, 312, "coil, 24 V" if is_driven else "coil, no volts", "soft")
        frame.box("part", 150, 180, 40, 66)
        frame.path("part", "M380 190a6 6 0 1 0 12 0a6 6 0 1 0 -12 0")
        frame.word(386, 222, "COM")
        end = (520, 118) if on_no else (520, 232)
        frame.line("hot" if weld else "metal", (386, 190), end)
        for y, name in ((106, "NO"), (244, "NC")):
            frame.path("part", f"M510 {y - 6}h24v12h-24z")
            frame.word(562, y + 5, name + (", welded" if weld == name else ""), "soft", "start")
        frames.append(frame)
    about = "One blade between two contacts: while one is made, or welded, the other cannot be."
    return Cutaway(id="relay", name="Blower relay", about=about, frames=tuple(frames))


def _rectifier() -> Cutaway:
    def wave(frame: Frame, y: float, value: Callable[[float], float], css: str) -> None:
        points = [(60 + i * 4.0, y - 46 * value(i / 130 * 4 * math.pi)) for i in range(131)]
        frame.line(css, *points)

    frames = []
    cases = (
        ("sound", "Whole: both halves of 24 VAC come out the same way round. DC reads 0.9 of it.", abs, 0.9),
        ("half open", "A diode open: every other half is missing. DC reads 0.4 to 0.45 of the AC; it may chatter.",
         lambda v: max(v, 0.0), 0.45),
        ("dead", "Dead: nothing comes out, 24 VAC still goes in. The relay stays out.", lambda v: 0.0, 0.0),
        ("shorted", "A diode shorted: the transformer is shorted every other half. The fuse goes.", lambda v: 0.0, 0.0),
    )  # fmt: skip
    for number, (name, caption, shape, share) in enumerate(cases):
        frame = Frame(seconds=float(number), caption=caption)
        frame.word(60, 40, "AC in, 24 V", "soft", "start")
        wave(frame, 100, math.sin, "coil" if name != "shorted" else "quiet")
        frame.word(60, 190, f"DC out, {share:.2f} of it", "soft", "start")
        wave(frame, 280, lambda phase, shape=shape: shape(math.sin(phase)), "hot" if share else "quiet")  # type: ignore[misc]
        frame.line("quiet", (60, 280), (580, 280))
        frames.append(frame)
    about = "Four diodes in front of a DC coil. What the DC function reads tells which of them still work."
    return Cutaway(id="rectifier", name="Rectifier board", about=about, frames=tuple(frames))


def _limit() -> Cutaway:
    frames = []
    open_at, close_at, link_at = 165.0, 130.0, 300.0
    degf, is_open, is_molten = 75.0, False, False
    for number in range(16):
        is_stuck = number >= 10
        has_air = number < 3
        heats = not is_molten and (not is_open or is_stuck)
        target = 120.0 if has_air else 420.0
        degf += (target - degf) * 0.22 if heats else (75.0 - degf) * 0.28
        is_open = not is_stuck and (degf >= open_at or (is_open and degf > close_at))
        is_molten = is_molten or degf >= link_at
        words = "air moves" if has_air else "no air"
        stuck = ", the limit stuck closed" if is_stuck else ""
        state = "the link has melted, for good" if is_molten else "the limit is open" if is_open else "both closed"
        frame = Frame(seconds=20.0 * number, caption=f"{20 * number} s, {words}{stuck}: {degf:.0f} °F, {state}.")
        runs = not is_open and not is_molten
        frame.zigzag("hot" if runs else "quiet", 60, 240, 220, turns=9, height=16)
        frame.word(170, 290, "element", "soft")
        frame.line("hot" if runs else "quiet", (280, 240), (330, 240))
        frame.path("metal" if is_open else "hot", "M330 240Q360 252 390 226" if is_open else "M330 240Q360 228 390 240")
        frame.word(360, 200, "limit, " + ("open" if is_open else "closed"), "soft")
        frame.line("hot" if runs else "quiet", (390, 240), (450, 240))
        frame.path("metal" if is_molten else "hot", "M450 240h22M498 240h22" if is_molten else "M450 240h70")
        frame.word(485, 290, "link, " + ("melted" if is_molten else "whole"), "soft")
        top = 180 - min(degf, 320) * 0.45
        frame.line("metal", (600, 180), (600, 30))
        frame.line("hot", (600, 180), (600, max(top, 36.0)))
        frame.word(600, 205, f"{degf:.0f} °F")
        frames.append(frame)
    about = "The limit opens where air is short and closes by itself; the link opens once, when the limit did not."
    return Cutaway(id="limit", name="Limit and link", about=about, frames=tuple(frames))


def _motor() -> Cutaway:
    frames = []
    for number in range(13):
        angle = number * math.pi / 6
        share = 1.0 if number < 7 else 0.5
        word = "its run capacitor whole" if share == 1.0 else "half the capacitor"
        turns = "turns round" if share == 1.0 else "wobbles to and fro; the motor hums, draws more, may stand still"
        frame = Frame(seconds=float(number), caption=f"{number * 30}° of the line's turn, {word}: the field {turns}.")
        frame.path("part", "M200 170a110 110 0 1 0 220 0a110 110 0 1 0 -220 0")
        main = math.sin(angle)
        # The capacitor leads the second winding by a quarter turn; with half of it, by less and with less.
        aux = share * math.sin(angle + (math.pi / 2 if share == 1.0 else math.pi / 5))
        frame.line("coil", (310, 170), (310 + 90 * main, 170))
        frame.line("metal", (310, 170), (310, 170 - 90 * aux))
        frame.line("hot", (310, 170), (310 + 90 * main, 170 - 90 * aux))
        frame.word(500, 120, "run winding", "soft", "start")
        frame.word(500, 150, "start winding", "soft", "start")
        frame.word(500, 180, "both: the field", "", "start")
        frame.path("part", f"M70 130h14v80h-14zM{100} 130h14v80h-14z")
        frame.word(92, 236, "capacitor", "soft")
        frames.append(frame)
    about = "Two windings a quarter turn apart, one of them behind the capacitor: only together do they turn the wheel."
    return Cutaway(id="motor", name="Run-capacitor motor", about=about, frames=tuple(frames))


CUTAWAYS: Mapping[str, Callable[[], Cutaway]] = {
    "sequencer": _sequencer,
    "contactor": _contactor,
    "relay": _relay,
    "rectifier": _rectifier,
    "limit": _limit,
    "motor": _motor,
}


@lru_cache(maxsize=16)
def cutaway(name: str) -> Cutaway:
    """Return a part cut open.

    Raises:
        KeyError: There is none of that name.
    """
    return CUTAWAYS[name]()
