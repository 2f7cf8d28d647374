"""The board: a unit's circuit as a ladder, laid out from its nameplate.

Each feed is a block with its own two legs; a heating circuit is a rung; the blower rung stands under the block of its
own feed, and the 24 V control ladder below all of it. Templates write down what is worked out here.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from plentar.core.causes.line_state import LineState
from plentar.core.circuit.network import ECM
from plentar.core.limits.verdicts import Verdict
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate, RelayPole
from plentar.core.unit.place import GROUND, amps_at, line_volts, ohms_at, place_of, volts_at
from plentar.core.unit.points import load_side, part_words, rung_terminals
from plentar.core.unit.quantities import quantity_of
from plentar.words import render

__all__ = [
    "NARROW",
    "WIDE",
    "Board",
    "BoardNote",
    "BoardText",
    "DrawnWire",
    "Halo",
    "LineState",
    "Pin",
    "Probe",
    "Row",
    "Sheet",
    "Symbol",
    "Target",
    "draw_board",
    "plain_line",
    "shown_value",
]

PART_WIDTH = 46.0
TAG_HEIGHT = 22.0
# More strips than this are drawn closer together, with larger names, so that all of it is read from where one stands.
MOST_ROOMY = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class Sheet:
    """How wide the ladder is drawn, and what stands where across it [px]; x from the left edge."""

    width: float
    left: float
    right: float
    clamp_width: float
    return_width: float
    tag_width: float
    # Half an element's drawing; the blower's motor, bus, first and second contact, and a pole that switches it.
    element_half: float
    motor_x: float
    clamp_x: float
    bus_x: float
    near_x: float
    far_x: float
    blower_pole_x: float
    blower_clamp_width: float
    # How far the feed's line lies below its top, how wide it is read, and how much room the relay's two throws need.
    head: float
    line_width: float
    throw_gap: float
    # Of the 24 V ladder: its contact with an auxiliary's name, its flag with the probe beside it, its coil with both
    # ends, and what is read at the board, at the coil and of each call.
    contact_x: float
    auxiliary_x: float
    flag_x: float
    flag_probe_x: float
    flag_probe_left: float
    board_x: float
    board_tag_x: float
    board_width: float
    coil_x: float
    coil_probe_left: float
    coil_probe_width: float
    coil_target_x: float
    coil_target_width: float
    coil_tag_x: float
    coil_end_x: float
    coil_end_width: float
    current_x: float
    current_rise: float
    is_narrow: bool = False

    @property
    def middle(self) -> float:
        """Half way between the rails."""
        return (self.left + self.right) / 2


WIDE = Sheet(
    width=720.0, left=58.0, right=682.0, clamp_width=88.0, return_width=44.0, tag_width=76.0, element_half=40.0,
    motor_x=162.0, clamp_x=242.0, bus_x=302.0, near_x=378.0, far_x=444.0, blower_pole_x=480.0,
    blower_clamp_width=88.0, head=6.0, line_width=110.0, throw_gap=49.0,
    contact_x=156.0, auxiliary_x=156.0, flag_x=226.0, flag_probe_x=190.0, flag_probe_left=170.0, board_x=266.0,
    board_tag_x=292.0, board_width=130.0, coil_x=426.0, coil_probe_left=364.0, coil_probe_width=40.0,
    coil_target_x=462.0, coil_target_width=116.0, coil_tag_x=502.0, coil_end_x=558.0, coil_end_width=40.0,
    current_x=586.0, current_rise=11.0,
)  # fmt: skip
# A phone's width: a rung from rail to rail at a size that a thumb hits.
NARROW = Sheet(
    width=390.0, left=30.0, right=360.0, clamp_width=74.0, return_width=28.0, tag_width=56.0, element_half=22.0,
    motor_x=84.0, clamp_x=156.0, bus_x=206.0, near_x=250.0, far_x=316.0, blower_pole_x=290.0,
    blower_clamp_width=76.0, head=30.0, line_width=72.0, throw_gap=72.0,
    contact_x=58.0, auxiliary_x=84.0, flag_x=106.0, flag_probe_x=80.0, flag_probe_left=68.0, board_x=152.0,
    board_tag_x=152.0, board_width=56.0, coil_x=222.0, coil_probe_left=182.0, coil_probe_width=24.0,
    coil_target_x=262.0, coil_target_width=84.0, coil_tag_x=290.0, coil_end_x=338.0, coil_end_width=36.0,
    current_x=262.0, current_rise=24.0,
    is_narrow=True,
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnWire:
    """A conductor as a path of straight runs; `hops` are the x of crossings to arch over."""

    path: str
    state: LineState


@dataclass(frozen=True, slots=True, kw_only=True)
class Symbol:
    """One circuit symbol centred on x, y; `is_closed` matters to contacts, `flip` mirrors it left to right."""

    kind: str
    x: float
    y: float
    state: LineState
    is_closed: bool = False
    flip: bool = False
    text: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class BoardText:
    """A word on the board; `style` is one of name, note, leg, rung, terminal."""

    x: float
    y: float
    text: str
    style: str = "name"
    anchor: str = "middle"


@dataclass(frozen=True, slots=True, kw_only=True)
class Target:
    """A place to put the meter: what is tapped, and the verdict that stands there."""

    point: str
    x: float
    y: float
    width: float
    height: float
    tag_x: float
    tag_y: float
    tag_width: float
    spoken: str
    is_selected: bool = False
    verdict: Verdict | None = None
    # Read before the repair: of the unit as it was found.
    is_past: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Probe:
    """A terminal a probe can be put on; `mark` is 1 or 2 where one stands."""

    terminal: str
    x: float
    y: float
    left: float
    top: float
    width: float
    height: float
    spoken: str
    mark: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Halo:
    """The place of a suspected part, with its share in words."""

    part: str
    x: float
    y: float
    width: float
    height: float
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Pin:
    """Something looked at or photographed, marked where it is."""

    x: float
    y: float
    text: str
    spoken: str


@dataclass(frozen=True, slots=True, kw_only=True)
class BoardNote:
    """What a check found, written where it belongs: a name, words, and the verdict's name (empty: not looked at)."""

    x: float
    y: float
    name: str
    words: str
    verdict: str = ""
    gap: float = 18.0


# A check's row beside the board: its name, what is said of it, the verdict.
Row = tuple[str, str, str]


@dataclass(slots=True)
class Board:
    """The finished drawing."""

    width: float = 0.0
    height: float = 0.0
    wires: list[DrawnWire] = field(default_factory=list)
    symbols: list[Symbol] = field(default_factory=list)
    labels: list[BoardText] = field(default_factory=list)
    targets: list[Target] = field(default_factory=list)
    probes: list[Probe] = field(default_factory=list)
    halos: list[Halo] = field(default_factory=list)
    pins: list[Pin] = field(default_factory=list)
    told: list[BoardNote] = field(default_factory=list)
    bracket: str = ""
    control_y: float = 0.0
    control_note: str = ""
    spoken: str = ""
    is_tall: bool = False
    is_narrow: bool = False


@dataclass(slots=True)
class _Pen:
    """What the parts of the layout share while drawing."""

    sheet: Sheet
    plate: Nameplate
    line: Callable[[str], LineState]
    verdicts: Mapping[str, Verdict]
    labels: Mapping[str, str]
    selected: str | None
    words: Callable[[str], str] = str
    marked: tuple[str, ...] = ()
    isolated: bool = False
    opened: Mapping[str, str] = field(default_factory=dict)
    dead: bool = False
    past: frozenset[str] = frozenset()
    blower_rows: Sequence[Row] = ()
    currents: Mapping[str, Row] = field(default_factory=dict)
    board: Board = field(default_factory=Board)
    joints: dict[str, tuple[float, float]] = field(default_factory=dict)
    rungs: list[float] = field(default_factory=list)
    part_at: dict[str, tuple[float, float, float, float]] = field(default_factory=dict)

    def probe(self, terminal: str, at: tuple[float, float], box: tuple[float, float, float, float]) -> None:
        """Offer a terminal at a place, with the box (left, top, width, height) that is tapped for it."""
        if any(probe.terminal == terminal for probe in self.board.probes):
            return
        mark = str(self.marked.index(terminal) + 1) if terminal in self.marked else ""
        left, top, width, height = box
        self.board.probes.append(
            Probe(
                terminal=terminal,
                x=at[0],
                y=at[1],
                left=left,
                top=top,
                width=width,
                height=height,
                spoken=self.words(terminal),
                mark=mark,
            )
        )

    def part(self, part: str, volts: str, box: tuple[float, float, float, float], tag: tuple[float, float]) -> None:
        """Offer a part: volts across it, or its ohms once everything is proven dead."""
        self.part_at[part] = box
        ohms = ohms_at(part)
        point = ohms if self.isolated or (self.selected == ohms and volts not in self.verdicts) else volts
        self.target(point, box, tag, also=volts if point == ohms else ohms)

    def wire(self, path: str, state: LineState) -> None:
        self.board.wires.append(DrawnWire(path=path, state=state))

    def symbol(self, kind: str, x: float, y: float, state: LineState, **more: object) -> None:
        self.board.symbols.append(Symbol(kind=kind, x=x, y=y, state=state, **more))  # type: ignore[arg-type]

    def label(self, x: float, y: float, text: str, style: str = "name", anchor: str = "middle") -> None:
        self.board.labels.append(BoardText(x=x, y=y, text=text, style=style, anchor=anchor))

    def target(
        self, point: str, box: tuple[float, float, float, float], tag: tuple[float, float], also: str = ""
    ) -> None:
        x, y, width, height = box
        read = point if point in self.verdicts else also
        verdict = self.verdicts.get(read)
        spoken = self.labels.get(point) or self.words(point)
        if verdict is not None:
            spoken += f", {shown_value(verdict)} {verdict.unit}, {render(verdict.spoken)}"
            spoken += ", before the repair" if read in self.past else ""
        else:
            unit = quantity_of(point).sign
            spoken += f", not read, in {unit}"
        self.board.targets.append(
            Target(
                point=point,
                x=x - width / 2,
                y=y - height / 2,
                width=width,
                height=height,
                tag_x=tag[0] - self.sheet.tag_width / 2,
                tag_y=tag[1] - TAG_HEIGHT / 2,
                tag_width=self.sheet.tag_width,
                spoken=spoken,
                is_selected=point == self.selected,
                verdict=verdict,
                is_past=read in self.past,
            )
        )


def plain_line(name: str) -> LineState:
    """Return the line state of a drawing that shows the wiring alone, with nothing called and nothing lit."""
    return "idle" if name.endswith((":closed", ":current")) else "live"


def draw_board(
    plate: Nameplate,
    *,
    line: Callable[[str], LineState],
    verdicts: Mapping[str, Verdict],
    labels: Mapping[str, str],
    selected: str | None = None,
    words: Callable[[str], str] = str,
    marked: tuple[str, ...] = (),
    isolated: bool = False,
    suspects: Mapping[str, float] | None = None,
    pinned: Mapping[str, tuple[str, str]] | None = None,
    opened: Mapping[str, str] | None = None,
    dead: bool = False,
    past: frozenset[str] = frozenset(),
    blower_rows: Sequence[Row] = (),
    currents: Mapping[str, Row] | None = None,
    sheet: Sheet = WIDE,
) -> Board:
    """Lay out the ladder.

    Args:
        plate: The unit.
        line: Tells the state of a terminal, a circuit's id, a call or a device.
        verdicts: The verdict that stands at each point.
        labels: Each point's name as it is read out.
        selected: The point the pad is set to.
        words: Tells a terminal or a point the labels do not hold in words.
        marked: The terminals probes 1 and 2 stand on.
        isolated: Everything is proven dead: a tapped part is measured in ohms.
        suspects: Parts under suspicion with their share.
        pinned: Parts something was found on or photographed, with a short mark and its words.
        opened: Feeds that are off, with the device each was opened at in words.
        dead: Every feed is proven dead.
        past: Points that were read before the repair only: they are drawn pale.
        blower_rows: The four rows of calls with what the blower and the strips did, written under the blower's rung.
        currents: What each call draws from the transformer, written at its rung of the control ladder.
        sheet: How wide it is drawn: `WIDE`, or `NARROW` for a phone.
    """
    pen = _Pen(
        sheet=sheet,
        plate=plate,
        line=line,
        verdicts=verdicts,
        labels=labels,
        selected=selected,
        words=words,
        marked=marked,
        isolated=isolated,
    )
    pen.opened, pen.dead, pen.past = opened or {}, dead, past
    pen.blower_rows, pen.currents = blower_rows, currents or {}
    blower_feed = plate.feed_of(plate.blower.supplied_by)
    feeds = sorted((feed.id for feed in plate.feeds), key=lambda name: (name == blower_feed, name))
    strips = len(plate.circuits)
    pen.board.width, pen.board.is_narrow = sheet.width, sheet.is_narrow
    # Scrolled from rung to rung on a phone, so never closer together there.
    pen.board.is_tall = strips > MOST_ROOMY and not sheet.is_narrow
    pitch = 104.0 if strips <= 2 or sheet.is_narrow else 80.0 if strips <= MOST_ROOMY else 60.0
    y = 34.0
    for feed in feeds:
        y = _feed_block(pen, feed, y, pitch, with_blower=feed == blower_feed)
    pen.board.control_y = y + 4
    _control(pen, y + (50 if pen.board.is_tall else 76 if sheet.is_narrow else 54))
    middle = sheet.width / 2
    pen.symbol("ground", middle, pen.board.control_y, "live")
    pen.probe("ground", (middle, pen.board.control_y), (middle - 34, pen.board.control_y - 22, 68, 44))
    pen.label(middle + 18, pen.board.control_y + 16, "cabinet ground", "note", "start")
    _bracket(pen)
    for part, share in (suspects or {}).items():
        if part in pen.part_at:
            x, at_y, width, height = pen.part_at[part]
            # Wide and tall enough for the part's name, so that no edge runs through it.
            half = max(width / 2 + 3, 48.0) if height > 50 else width / 2 + 3
            rise = 11.0 if height > 50 else 3.0
            box = {"x": x - half, "y": at_y - height / 2 - rise, "width": 2 * half, "height": height + rise + 3}
            pen.board.halos.append(Halo(part=part, **box, text=f"{100 * share:.0f} %"))
    for part, (mark, said) in (pinned or {}).items():
        # A sign on a strip as a whole stands at its element, one on a feed at its breaker.
        at = next((pen.part_at[p] for p in (part, f"{part}.element", f"{part}.breaker") if p in pen.part_at), None)
        if at is not None:
            pen.board.pins.append(Pin(x=at[0] + 30, y=at[1] - 34, text=mark, spoken=said))
    pen.board.spoken = (
        f"Ladder of {strips} heating circuits on {len(feeds)} feed{'s' if len(feeds) > 1 else ''}, blower and "
        "24 volt control"
    )
    return pen.board


def _feed_block(pen: _Pen, feed: str, top: float, pitch: float, *, with_blower: bool) -> float:
    plate, sheet = pen.plate, pen.sheet
    left, right, middle = sheet.left, sheet.right, sheet.middle
    circuits = plate.circuits_on(feed)
    multiple = len(plate.feeds) > 1
    # On a narrow sheet the feed's name stands above its line, between what its legs read.
    head = top + sheet.head
    number = f" {[f.id for f in plate.feeds].index(feed) + 1}" if multiple else ""
    breaker = next(f.breaker_amps for f in plate.feeds if f.id == feed)
    pen.label(left, head + 4, "L1", "leg")
    pen.label(right, head + 4, "L2", "leg")
    line_x, total_x = (middle - 44, middle + 62) if sheet.is_narrow else (middle, left + 216)
    runs = ((left + 16, line_x - 32),) if sheet.is_narrow else ((left + 16, left + 174), (middle + 48, right - 16))
    for start, end in runs:
        pen.wire(f"M {start} {head} H {end}", "idle")
    note = f"Feed{number}" + (f" · {breaker:g} A" if breaker else "")
    name_x, name_y = (left + 58, head - 33) if sheet.is_narrow else (left + 44, head - 6)
    pen.label(name_x, name_y, note, "note", "start")
    if feed in pen.opened and not sheet.is_narrow:
        where = pen.opened[feed] or "an unnamed device"
        state = "verified dead downstream" if pen.dead else "not verified: treat as live"
        # Above the feed's own line, between the legs' readings.
        pen.label(left + 52, head - 31, f"open at {where}, live up to it; {state}", "note", "start")
    pen.target(line_volts(feed), (line_x, head, sheet.line_width, 44), (line_x, head))
    pen.target(volts_at(f"{feed}.l1", GROUND), (left + 4, head - 10, 84, 48), (left + 4, head - 26))
    pen.target(volts_at(f"{feed}.l2", GROUND), (right - 4, head - 10, 84, 48), (right - 4, head - 26))
    pen.target(amps_at(feed), (total_x, head, 84, 44), (total_x, head))
    total_name = (total_x, head - 16, "middle") if sheet.is_narrow else (left + 172, head - 6, "end")
    pen.label(*total_name[:2], "total", "note", total_name[2])
    is_tall = pen.board.is_tall
    first = head + (52 if is_tall else 58)
    y = first
    for circuit in circuits:
        _rung(pen, circuit, y)
        y += pitch
    if with_blower:
        y = _blower(pen, y + 6)
        y = _rows(pen, y)
    else:
        y -= pitch - (26 if is_tall else 34)
    state = pen.line(f"{feed}.l1")
    pen.board.wires.insert(0, DrawnWire(path=f"M {left} {head + 14} V {y - 14}", state=state))
    pen.board.wires.insert(0, DrawnWire(path=f"M {right} {head + 14} V {y - 14}", state=pen.line(f"{feed}.l2")))
    tall = y - 14 - (head + 18)
    pen.probe(f"{feed}.l1", (left, head + 34), (left - 42, head + 18, 44, tall))
    pen.probe(f"{feed}.l2", (right, head + 34), (right - 2, head + 18, 40, tall))
    pen.part_at[f"{feed}.breaker"] = (left + 76, head - 4, 110, 30)
    for leg, x in (("l1", left), ("l2", right)):
        pen.part_at[f"{feed}.breaker-{leg}"] = pen.part_at[f"{feed}.lug-{leg}"] = (x, head + 6, 40, 40)
    return y + (8 if is_tall and with_blower else 18 if with_blower else 35 if is_tall else 34)


def _rung(pen: _Pen, circuit: HeatingCircuit, y: float) -> None:
    pen.rungs.append(y)
    rung, sheet = rung_terminals(circuit), pen.sheet
    left, right = sheet.left, sheet.right
    start = left + sheet.clamp_width
    step = (right - sheet.return_width - start) / len(rung)
    part_width = min(PART_WIDTH, step)
    xs = [start + step * (i + 0.5) for i in range(len(rung))]
    letter = circuit.id.rpartition("-")[2].upper()
    pen.label(max(left - 26, 9), y + 5, letter, "rung")
    edge, edge_terminal, from_rail = left, "", True
    for i, (part, toward_1, toward_2) in enumerate(rung):
        x = xs[i]
        half = sheet.element_half if part == "element" else 22.0 if part == "link" else 15.0
        shared = part == "pole" and toward_1 in pen.joints
        if shared:
            # This pole is drawn on an earlier rung; come down from the joint behind it.
            at_left = i == 0
            inner = toward_2 if at_left else toward_1
            joint_x, joint_y = pen.joints[inner]
            if at_left:
                # Out to the left and back, so that this strip's own lead passes under its clamp.
                back = left + 14
                pen.wire(f"M {joint_x} {joint_y} V {y - 40} H {back} V {y}", pen.line(inner))
                pen.symbol("dot", joint_x, joint_y, pen.line(inner))
                edge, edge_terminal, from_rail = back, inner, False
                continue
            pen.wire(f"M {edge} {y} H {joint_x} V {joint_y}", pen.line(inner))
            pen.symbol("dot", joint_x, joint_y, pen.line(inner))
            edge_terminal, edge = "", right
            break
        pen.wire(f"M {edge} {y} H {x - half}", pen.line(toward_1))
        if from_rail:
            pen.symbol("dot", left, y, pen.line(toward_1))
            from_rail = False
        pen.part_at[f"{circuit.id}.lead-{i + 1}"] = (x - step / 2, y, 44, 40)
        # Tags wider than what they are read at stand one lower, one higher.
        low = TAG_HEIGHT if sheet.tag_width > step and i % 2 == 0 else 0.0
        _part(pen, circuit, part, (x, y), (toward_1, toward_2), part_width, low)
        side = max(step - part_width, 16.0) / 2
        for terminal, sign in ((toward_1, -1), (toward_2, 1)):
            from_x = x + sign * (part_width / 2 + side / 2) - side / 2
            pen.probe(terminal, (x + sign * (half + 6), y), (from_x, y - 24, side, 48))
        edge, edge_terminal = x + half, toward_2
        if part == "pole":
            # Terminals of a pole remember where they are, for rungs and interlocks that join behind it.
            pen.joints[toward_1] = (xs[i] - step / 2, y)
            pen.joints[toward_2] = (xs[i] + step / 2, y)
    if edge_terminal:
        pen.wire(f"M {edge} {y} H {right}", pen.line(edge_terminal))
        pen.symbol("dot", right, y, pen.line(edge_terminal))
        back = right - sheet.return_width / 2 - 2
        pen.target(amps_at(f"{circuit.id}.return"), (back, y, sheet.return_width, 46), (right, y + 20))
        pen.part_at[f"{circuit.id}.lead-{len(rung) + 1}"] = (back, y, sheet.return_width, 40)
    clamp_x = left + sheet.clamp_width / 2 + 2
    pen.target(amps_at(circuit.id), (clamp_x, y, sheet.clamp_width - 4, 46), (clamp_x, y))


def _part(
    pen: _Pen,
    circuit: HeatingCircuit,
    part: str,
    at: tuple[float, float],
    between: tuple[str, str],
    width: float,
    low: float,
) -> None:
    """Draw a part of a rung between two terminals, with its name above and its tag below, so much lower."""
    (x, y), (toward_1, toward_2) = at, between
    carries = pen.line(f"{circuit.id}:current")
    state = carries if carries == "carries" else pen.line(toward_1)
    name = {"link": "link", "limit": "limit", "element": circuit.name}.get(
        part, _pole_name(pen.plate, toward_1, is_short=pen.sheet.is_narrow)
    )
    if part == "pole":
        pen.symbol("contact", x, y, state, is_closed=pen.line(f"{place_of(toward_1).whole_part}:closed") == "carries")
    else:
        pen.symbol("short-element" if part == "element" and pen.sheet.is_narrow else part, x, y, state)
    watts = f"{circuit.rated_watts / 1000:.3g} kW"
    is_assumed = pen.plate.rating_is_assumed(circuit.id)
    if part == "element" and pen.board.is_tall:
        # Close together there is no line below it: the power stands behind the name.
        name = f"{name} · {watts}{' assumed' if is_assumed else ''}"
    pen.label(x, y - 20, name, "name" if part in ("element", "pole") else "part")
    part_id = place_of(toward_1).whole_part
    volts = volts_at(toward_1, toward_2)
    stands = {volts, ohms_at(part_id)} & ({*pen.verdicts} | {pen.selected})
    if part == "element" and not stands and not pen.board.is_tall:
        ohms = "" if pen.sheet.is_narrow else f" · {circuit.element_ohms:.2f} Ω"
        pen.label(x, y + 26, f"{watts} assumed" if is_assumed else f"{watts}{ohms}", "note")
    pen.part(part_id, volts, (x, y + 2, width, 62), (x, y + 25 + low))


def _pole_name(plate: Nameplate, terminal: str, *, is_short: bool = False) -> str:
    place = place_of(terminal)
    if is_short:
        return f"{_short(plate, place.owner)} {place.part.removeprefix('pole-')}"
    named = part_words(place.owner)
    # Longer ones run into the next part of the rung.
    named = named if len(named) <= 7 else _short(plate, place.owner)
    return f"{named} · {place.part.replace('-', ' ')}"


def _blower(pen: _Pen, y: float) -> float:
    """Draw the blower between its fixed leg and its contacts; return the y below it."""
    blower, sheet = pen.plate.blower, pen.sheet
    mirrored = blower.fixed_leg == "L2"

    def x(place: float) -> float:
        return sheet.left + sheet.right - place if mirrored else place

    fixed_x, switched_x = (sheet.right, sheet.left) if mirrored else (sheet.left, sheet.right)
    feed = pen.plate.feed_of(blower.supplied_by)
    fixed_leg, switched_leg = (f"{feed}.l2", f"{feed}.l1") if mirrored else (f"{feed}.l1", f"{feed}.l2")
    state = pen.line("blower")
    motor_x = x(sheet.motor_x)
    pen.wire(
        f"M {fixed_x} {y} H {motor_x + (28 if mirrored else -28)}", state if state == "carries" else pen.line(fixed_leg)
    )
    pen.symbol("dot", fixed_x, y, state if state == "carries" else pen.line(fixed_leg))
    pen.symbol("motor", motor_x, y, state, text="Blower")
    rated = f"{blower.rated_amps:g} A"
    rated = f"{rated} assumed" if pen.plate.is_assumed("blower.rated_amps") else f"plate {rated}"
    pen.label(motor_x, y + 42, f"{blower.kind.upper()} · {rated}", "note")
    clamp_x = x(sheet.clamp_x)
    pen.target(amps_at("blower"), (clamp_x, y, sheet.blower_clamp_width, 46), (clamp_x, y))
    bus_x = x(sheet.bus_x)
    edge = -1 if mirrored else 1
    pen.part_at["blower.motor"] = (motor_x, y, 64, 64)
    pen.probe("blower.fixed", (motor_x - edge * 36, y), (motor_x - edge * 52 - 20, y - 24, 40, 48))
    tap = f"blower.{blower.taps[0]}" if blower.taps else "blower.run"
    pen.probe(tap, (bus_x - edge * 6, y), (bus_x - 18, y - 24, 40, 48))
    pen.wire(f"M {motor_x + (-28 if mirrored else 28)} {y} H {bus_x}", state)
    if blower.kind == "ecm":
        pen.wire(f"M {bus_x} {y} H {switched_x}", state if state == "carries" else pen.line(switched_leg))
        pen.symbol("dot", switched_x, y, pen.line(switched_leg))
        return y + 62
    contacts = blower.relay.contacts if blower.relay else ()
    # Contacts that face the blower come first, on its own line; the others hang below on the bus.
    contacts = tuple(sorted(contacts, key=lambda contact: not contact.com.startswith("blower")))
    if blower.plain_wire_to is not None:
        _plain_wire(pen, blower.plain_wire_to, bus_x, y, edge)
    row = y
    for index, contact in enumerate(contacts):
        if row > y:
            pen.wire(f"M {bus_x} {y} V {row if contact.com.startswith('blower') else row + 22}", state)
        _relay_contact(pen, contact, index, row, bus_x, switched_x, switched_leg, mirrored=mirrored)
        row += 86
    if blower.switched_by:
        terminal = f"{blower.switched_by}.pole-{blower.switched_by_pole}"
        closed = pen.line(f"{terminal}:closed") == "carries"
        at = x(sheet.blower_pole_x)
        row += 8
        pen.wire(f"M {bus_x} {y} V {row} H {at + (15 if mirrored else -15)}", state)
        pen.symbol("contact", at, row, state, is_closed=closed)
        pen.part(terminal, volts_at(f"{terminal}.load", f"{terminal}.line"), (at, row, PART_WIDTH, 44), (at, row + 24))
        pen.wire(f"M {at + (-15 if mirrored else 15)} {row} H {switched_x}", pen.line(switched_leg))
        pen.symbol("dot", switched_x, row, pen.line(switched_leg))
        pen.label(at, row - 20, _pole_name(pen.plate, f"{terminal}.line", is_short=sheet.is_narrow), "name")
        row += 42
    return max(row, y + 62)


def _rows(pen: _Pen, y: float) -> float:
    """Write the four rows under the blower's rung, side by side or two by two; return the y below them."""
    if not pen.blower_rows:
        return y
    left, right = pen.sheet.left, pen.sheet.right
    across = 2 if pen.sheet.is_narrow else len(pen.blower_rows)
    width = (right - left - 16) / across
    for i, (name, words, verdict) in enumerate(pen.blower_rows):
        at = {"x": left + 14 + i % across * width, "y": y + 6 + i // across * 40}
        pen.board.told.append(BoardNote(**at, name=name, words=words, verdict=verdict))
    return y + 34 + (len(pen.blower_rows) - 1) // across * 40


def _relay_contact(
    pen: _Pen,
    contact: RelayPole,
    index: int,
    y: float,
    bus_x: float,
    switched_x: float,
    switched_leg: str,
    *,
    mirrored: bool,
) -> None:
    """Draw one change-over contact; COM faces the blower unless something else is landed on it."""
    sign = -1.0 if mirrored else 1.0
    driven = pen.line("blower-relay:closed") == "carries"
    com_at_blower = contact.com.startswith("blower")
    sheet = pen.sheet
    near, far = (bus_x + sign * (at - sheet.bus_x) for at in (sheet.near_x, sheet.far_x))
    com_x, throw_x = (near, far) if com_at_blower else (far, near)
    state = pen.line("blower") if com_at_blower else pen.line(switched_leg)
    pen.symbol("blade", com_x, y, state, is_closed=driven, flip=mirrored == com_at_blower)
    pen.label(com_x + (-4 if throw_x > com_x else 4), y - 9, "COM", "terminal", "end" if throw_x > com_x else "start")
    if index == 0:
        pen.label(bus_x + sign * 34, y + 40, "Blower relay", "note", "start" if sign > 0 else "end")
    if com_at_blower:
        _bus_run(pen, contact.com, bus_x, com_x, y, sign, pen.line("blower"))
    else:
        _land(pen, contact.com, com_x, y, switched_x, bus_x, switched_leg, pen.line(switched_leg), sign)
    relay = pen.plate.blower.relay
    suffix = "" if index == 0 else f"-{index + 1}"
    if relay is not None:
        pen.probe(f"{relay.id}.com{suffix}", (com_x, y), (com_x - 22, y - 22, 44, 44))
        for name, end_y in (("nc", y - 22), ("no", y + 22)):
            pen.probe(f"{relay.id}.{name}{suffix}", (throw_x, end_y), (throw_x - 24, end_y - 21, 48, 42))
            pen.part_at[f"{relay.id}.{name}{suffix}"] = ((com_x + throw_x) / 2, (y + end_y) / 2, 80, 40)
    for name, end_y, is_made in (("nc", y - 22, not driven), ("no", y + 22, driven)):
        toward = 1 if throw_x > com_x else -1
        pen.label(throw_x + toward * 6, end_y + (-7 if name == "nc" else 16), name.upper(), "terminal")
        lit = pen.line("blower") if is_made else "live"
        _land(pen, getattr(contact, name), throw_x, end_y, switched_x, bus_x, switched_leg, lit, sign)


def _bus_run(pen: _Pen, landing: str, bus_x: float, x: float, y: float, sign: float, lit: LineState) -> None:
    """Join a contact to the blower's bus, naming the speed tap where there is one."""
    tap = landing.partition(":")[2]
    pen.wire(f"M {bus_x} {y} H {x}", lit)
    if tap:
        pen.label(bus_x + sign * 8, y - 6, tap, "terminal", "start" if sign > 0 else "end")


def _land(
    pen: _Pen,
    landing: str,
    x: float,
    y: float,
    switched_x: float,
    bus_x: float,
    switched_leg: str,
    lit: LineState,
    sign: float,
) -> None:
    if landing == "none":
        pen.symbol("stub", x, y, "dead")
    elif landing in ("L1", "L2"):
        state = lit if lit == "carries" else pen.line(switched_leg)
        pen.wire(f"M {x} {y} H {switched_x}", state)
        pen.symbol("dot", switched_x, y, state)
    elif landing.startswith("blower"):
        _bus_run(pen, landing, bus_x, x, y, sign, lit)
    else:
        _interlock(pen, landing, x, y, lit)


def _interlock(pen: _Pen, circuit_id: str, x: float, y: float, lit: LineState) -> None:
    """Run the interlock lead up to the load side of the circuit's first pole, hopping over the rungs between."""
    circuit = pen.plate.circuit(circuit_id)
    load = load_side(circuit)
    joint_x, joint_y = pen.joints[load]
    crossed = sorted((rung for rung in pen.rungs if joint_y < rung < y), reverse=True)
    pen.wire(f"M {x} {y} H {joint_x}{_hops(crossed, -1)} V {joint_y}", lit)
    pen.symbol("dot", joint_x, joint_y, lit)
    # Clear of the tags under the parts of the rung above.
    above = crossed[0] if crossed else joint_y
    middle = max(above / 2 + y / 2 + 2, above + pen.sheet.throw_gap)
    pen.target(amps_at("interlock"), (joint_x, middle, 60, 40), (joint_x, middle))


def _plain_wire(pen: _Pen, circuit_id: str, bus_x: float, y: float, sign: float) -> None:
    """Run the wire that passes the relay by: from the load side of a strip's pole to the blower's lead, named."""
    joint_x, joint_y = pen.joints[load_side(pen.plate.circuit(circuit_id))]
    x, state = bus_x + sign * 30, pen.line("blower")
    turn = y - 44
    # Beside the interlock's own lead, so that both can be told apart.
    aside = joint_x - sign * 14
    crossed = sorted(rung for rung in pen.rungs if joint_y < rung < turn)
    pen.wire(f"M {joint_x} {joint_y} L {aside} {joint_y + 14}{_hops(crossed, 1)} V {turn} H {x} V {y}", state)
    pen.symbol("dot", x, y, state)
    pen.label((x + aside) / 2, turn - 6, "plain wire", "note")


def _hops(rungs: Iterable[float], down: int) -> str:
    """Return the path of a wire over the rungs it crosses, to its right: down (1) or up (-1)."""
    return "".join(f" V {y - 9 * down} a 9 9 0 0 {int(down < 0)} 0 {18 * down}" for y in rungs)


def _control(pen: _Pen, top: float) -> None:
    """Draw the 24 V ladder: one rung a coil, heater or ECM tap."""
    plate, sheet = pen.plate, pen.sheet
    left, right, coil_x = sheet.left, sheet.right, sheet.coil_x
    transformer = plate.transformer
    fuse = f" · fuse {transformer.fuse_amps:g} A" if transformer.fuse_amps else ""
    rated = f"{transformer.va:g} VA" + (" assumed" if plate.is_assumed("transformer.va") else "")
    pen.board.control_note = f"{rated}{fuse}"
    rows: list[tuple[str, str, str]] = [(device.fed_by, device.id, "coil") for device in plate.devices]
    if plate.blower.relay is not None:
        rows.append((plate.blower.relay.fed_by, plate.blower.relay.id, "coil"))
    rows += [(call, f"{ECM}{call.lower()}", "tap") for call in plate.blower.ecm_calls]
    pen.label(left, top - 8, "R", "leg")
    pen.label(right, top - 8, "C", "leg")
    rail = pen.line("control")
    pen.target(amps_at("control"), (left + 46, top - 10, 64, 36), (left + 56, top - 12))
    y = top + 26
    pitch = 60.0 if sheet.is_narrow else 48.0 if len(rows) <= 3 else 41.0
    boarded: set[str] = set()
    for source, device, kind in rows:
        is_call = source in plate.calls
        state = pen.line(source) if is_call else pen.line(f"{source}:aux")
        pen.wire(f"M {left} {y} H {sheet.contact_x - 10}", rail)
        pen.symbol("contact", sheet.contact_x, y, state if state == "alive" else rail, is_closed=state == "alive")
        pen.wire(f"M {sheet.contact_x + 10} {y} H {coil_x - 20}", state)
        coil_state = pen.line(f"{device}:coil")
        if is_call:
            pen.symbol("flag", sheet.flag_x, y, state, text=source)
            pen.probe(
                f"board.{source.lower()}",
                (sheet.flag_probe_x, y),
                (sheet.flag_probe_left, y - 21, 38, 42),
            )
            board_point = volts_at(f"board.{source.lower()}", "board.c")
            if board_point in pen.labels and source not in boarded:
                boarded.add(source)
                pen.target(
                    board_point,
                    (sheet.board_x, y, sheet.board_width, 44),
                    (sheet.board_tag_x, y),
                )
        else:
            pen.label(sheet.auxiliary_x, y - 14, f"{source.replace('-', ' ').title()} aux", "part")
        pen.symbol("coil" if kind == "coil" else "tap", coil_x, y, coil_state, text=_short(plate, device))
        pen.wire(f"M {coil_x + 20} {y} H {right}", coil_state)
        if source in pen.currents:
            name, words, verdict = pen.currents[source]
            pen.board.told.append(
                BoardNote(
                    x=sheet.current_x,
                    y=y - sheet.current_rise,
                    name=name,
                    words=words,
                    verdict=verdict,
                    gap=27,
                )
            )
        if kind == "coil":
            own = {d.id: d.of_kind for d in plate.devices}
            function = own[device].coil_function if device in own else "volts"
            coil = f"{device}.coil"
            pen.part(
                coil,
                f"{function}:{coil}.1:{coil}.2",
                (sheet.coil_target_x, y, sheet.coil_target_width, 44),
                (sheet.coil_tag_x, y),
            )
            pen.part_at[coil] = pen.part_at[f"{device}.mechanism"] = pen.part_at[device] = (coil_x, y, 50, 46)
            pen.probe(
                f"{coil}.1",
                (coil_x - 28, y),
                (sheet.coil_probe_left, y - 21, sheet.coil_probe_width, 42),
            )
            pen.probe(f"{coil}.2", (sheet.coil_end_x, y), (sheet.coil_end_x - 18, y - 21, sheet.coil_end_width, 42))
        y += pitch
    pen.board.wires.insert(0, DrawnWire(path=f"M {left} {top} V {y - pitch + 16}", state=rail))
    pen.board.wires.insert(0, DrawnWire(path=f"M {right} {top} V {y - pitch + 16}", state=rail))
    tall = y - pitch + 16 - top
    pen.probe("board.r", (left, top + 12), (left - 42, top, 64, tall))
    pen.probe("board.c", (right, top + 12), (right - 26, top, 64, tall))
    pen.board.height = y - pitch + 34


def _bracket(pen: _Pen) -> None:
    """Join the two probes by a bracket below them, so that the eye finds the pair."""
    at = {probe.mark: probe for probe in pen.board.probes if probe.mark}
    if "1" in at and "2" in at:
        one, two = at["1"], at["2"]
        if one.height > 60 and two.height > 60:
            # Both on rails: the whole ladder lies between, and the reading's own frame shows the pair.
            return
        low = max(one.y, two.y) + 38
        pen.board.bracket = f"M {one.x} {one.y + 9} V {low} H {two.x} V {two.y + 9}"


def shown_value(verdict: Verdict) -> str:
    """Return a value as a tag shows it: one decimal, three figures above a thousand, OL for open."""
    if verdict.unit == "Ω" and verdict.value >= 1e6:
        return "OL"
    return f"{verdict.value:.1f}" if verdict.value < 1000 else f"{verdict.value:.3g}"


def _short(plate: Nameplate, device: str) -> str:
    """Return a device's name short enough for its coil: `Sq A`, `HR B`, `Con A`."""
    if device.startswith(ECM):
        return f"ECM {device.removeprefix(ECM).upper()}"
    kinds = {own.id: own.of_kind for own in plate.devices}
    # One letter or number tells like devices apart, whatever else they are called.
    mark = device.rpartition("-")[2][:2].upper()
    return f"{kinds[device].short} {mark}" if device in kinds else "BR"
