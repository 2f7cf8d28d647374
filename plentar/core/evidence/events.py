"""Everything a person does on a call, as values: what was done, by whom, when it was done and when it came.

One frozen value a kind of action. An event never changes; what is wrong is corrected or voided by a later one. Moments
are seconds since 1970, UTC; `seq` is the order in which the call took the events in.
"""

import math
from dataclasses import dataclass, field
from typing import ClassVar, Literal

from plentar.core.errors import ReadingError
from plentar.core.evidence.reading import Condition, ControlState, FeedState, Hand, Mode
from plentar.core.limits.voltages import LIVE_SOURCE_VOLTS
from plentar.core.unit.nameplate import Nameplate

__all__ = [
    "ACTIONS",
    "COLDEST_DEGF",
    "HOTTEST_DEGF",
    "OPENED_AT",
    "Action",
    "Aired",
    "Amended",
    "Approved",
    "Caused",
    "Checked",
    "Closed",
    "Event",
    "Fitted",
    "Landed",
    "LedgerLead",
    "Locked",
    "Logged",
    "LoggedOut",
    "Mapped",
    "Marked",
    "Measured",
    "MeterProven",
    "Noted",
    "Observed",
    "Opened",
    "Photographed",
    "PowerBack",
    "RepairSettled",
    "Replated",
    "Signed",
    "Switched",
    "Tapped",
    "Temporary",
    "TemporaryDone",
    "ThermostatWire",
    "Ticked",
    "Voided",
    "Withdrawn",
    "first_event",
]

# Where a feed can be opened, from the panel to the unit; what stands before it stays live.
OPENED_AT = {
    "panel": "the panel breaker",
    "main": "the main or service disconnect",
    "disconnect": "the disconnect beside the unit",
    "unit": "the breaker or switch in the unit",
}


# °F a thermometer in the trade can show.
COLDEST_DEGF, HOTTEST_DEGF = -60.0, 140.0
# A signature is some hundred points; more than this is a drawing.
MOST_STROKE_POINTS = 3_000
# Nobody remembers since when heat is called further back than a day.
MOST_AGO_SECONDS = 86_400.0


class _Action:
    """What a kind of action tells about itself; everything that treats kinds differently reads it here."""

    __slots__ = ()
    # Its name in a file.
    kind: ClassVar[str]
    # Fields worked out when the action is taken in; the sender's own are all the others.
    derived: ClassVar[tuple[str, ...]] = ()
    # Recorded by the application alone: nobody can send it.
    is_own: ClassVar[bool] = False
    # Can be voided with a reason; it stays on record. Switches, locks and proofs are facts of safety: never.
    is_voidable: ClassVar[bool] = False
    # Undo voids it. Kinds that are undone by their opposite (a switch, a tick) have a rule in `work/undo`.
    is_undone_by_voiding: ClassVar[bool] = False
    # Decided once for a call: not taken from a phone once the call is closed, as late evidence is.
    is_decision: ClassVar[bool] = False
    # May be done after the call is closed, by anybody: it changes nothing in its papers.
    is_after_closing: ClassVar[bool] = False
    # Stands on the unit's timeline over the years.
    is_on_timeline: ClassVar[bool] = False
    # What it holds of people: erased with its place, and after the days the shop keeps such things.
    retention: ClassVar[Literal["", "words", "photos", "signatures"]] = ""


def _text(value: str, field_name: str, most: int, *, needed: str = "") -> None:
    if len(value) > most:
        raise ReadingError(f"keep it under {most} letters", field=field_name)
    if needed and not value.strip():
        raise ReadingError(needed, field=field_name)


@dataclass(frozen=True, slots=True, kw_only=True)
class Opened(_Action):
    """The state a call begins in: all live, or what an older record says."""

    kind = "opened"
    is_own = True
    feeds: dict[str, FeedState] = field(default_factory=dict)
    control: ControlState = "from unit"
    calls: dict[str, float] = field(default_factory=dict)
    bypassed: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured(_Action):
    """A reading of any quantity, as typed; `supersedes` an earlier one for a `reason`.

    What its meter was worth is kept with it: its half-widths, and the day it was calibrated, as ISO 8601. `is_at_most`
    marks one of several pairs kept by the highest number among them: it proves dead and says nothing else.
    """

    kind = "reading"
    is_voidable = True
    is_undone_by_voiding = True
    derived = ("value", "meter_uncertainty", "counts_uncertainty", "calibrated_on", "condition")
    point: str
    typed: str
    mode: Mode = ""
    in_hand: Hand = ""
    is_at_most: bool = False
    meter: str = ""
    supersedes: str = ""
    reason: str = ""
    value: float = 0.0
    meter_uncertainty: float = 0.0
    counts_uncertainty: float = 0.0
    calibrated_on: str = ""
    condition: Condition = field(default_factory=Condition)

    def __post_init__(self) -> None:
        _text(self.point, "point", 160)
        _text(self.typed, "value", 40)
        _text(self.reason, "reason", 200)
        if self.supersedes and not self.reason.strip():
            raise ReadingError("enter why the first reading was wrong. It stays in the record", field="reason")


@dataclass(frozen=True, slots=True, kw_only=True)
class Voided(_Action):
    """Something kept by mistake: it stays on record and counts no more."""

    kind = "void"
    is_on_timeline = True
    event: str
    reason: str

    def __post_init__(self) -> None:
        _text(self.reason, "reason", 400, needed="enter why it does not count. It stays in the record")


@dataclass(frozen=True, slots=True, kw_only=True)
class Switched(_Action):
    """One switch: a feed's id, `control`, `thermostat`, or a call's name, set to a state; a feed off says at what.

    A call that stood before it was tapped says since when: `ago_seconds`, or that nobody knows (`is_untimed`).
    """

    kind = "switch"
    what: str
    state: Literal["live", "off", "on", "from unit", "separate source", "bypassed"]
    device: str = ""
    ago_seconds: float = 0.0
    is_untimed: bool = False

    def __post_init__(self) -> None:
        _text(self.what, "switch", 80)
        if not 0 <= self.ago_seconds <= MOST_AGO_SECONDS:
            words = f"expected 0 to {MOST_AGO_SECONDS:g} s ago, got {self.ago_seconds:g}"
            raise ReadingError(words, field="ago_seconds")
        if self.device and self.device not in OPENED_AT:
            raise ReadingError(f"expected one of {', '.join(OPENED_AT)}, got {self.device[:40]!r}", field="device")


@dataclass(frozen=True, slots=True, kw_only=True)
class Ticked(_Action):
    """A line of the Safe list done or undone; `volts` where the line asks for what the meter showed."""

    kind = "tick"
    line: str
    about: str = ""
    is_done: bool = True
    volts: float | None = None

    def __post_init__(self) -> None:
        _text(self.line, "kind", 40)
        _text(self.about, "about", 80)
        if self.volts is not None and not 0 <= self.volts < 10_000:
            raise ReadingError(f"expected volts of zero or more, got {self.volts:g}", field="volts")


@dataclass(frozen=True, slots=True, kw_only=True)
class MeterProven(_Action):
    """A meter shown to read: on a known live source, in the mode it is to be trusted in."""

    kind = "meter-proven"
    volts: float
    mode: Mode = ""
    meter: str = ""

    def __post_init__(self) -> None:
        least, most = LIVE_SOURCE_VOLTS
        if not least <= self.volts <= most:
            raise ReadingError(f"a known live source reads {least:g} to {most:g} V, got {self.volts:g}", field="volts")


@dataclass(frozen=True, slots=True, kw_only=True)
class Locked(_Action):
    """One person's own lock and tag on a feed, put on or taken off; `how` names the guide's substitute.

    Somebody else's (`owner`) is cleared only by saying how they were reached and that they are clear of the unit.
    """

    kind = "lock"
    feed: str
    is_on: bool = True
    how: Literal["lock", "pull-out"] = "lock"
    owner: str = ""
    reached: str = ""

    def __post_init__(self) -> None:
        _text(self.feed, "feed", 80)
        _text(self.reached, "reached", 400)


@dataclass(frozen=True, slots=True, kw_only=True)
class Observed(_Action):
    """Something looked at, seen, heard or counted: a sign, an item of the look-over, a row of the blower test."""

    kind = "seen"
    is_voidable = True
    retention = "words"
    derived = ("condition",)
    sign: str
    about: str = ""
    state: Literal["found", "fine", "undone"] = "found"
    note: str = ""
    condition: Condition = field(default_factory=Condition)

    def __post_init__(self) -> None:
        _text(self.sign, "kind", 40)
        _text(self.about, "about", 80)
        _text(self.note, "note", 400)


@dataclass(frozen=True, slots=True, kw_only=True)
class ThermostatWire:
    """One thermostat conductor: where it is landed at both ends, its colour, what it is jumpered to."""

    thermostat: str
    board: str
    colour: str = ""
    jumpered_to: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Mapped(_Action):
    """The thermostat's conductors as they are landed."""

    kind = "map"
    is_voidable = True
    is_undone_by_voiding = True
    wires: tuple[ThermostatWire, ...]

    def __post_init__(self) -> None:
        if not self.wires:
            raise ReadingError("enter where at least one wire is landed", field="map")


@dataclass(frozen=True, slots=True, kw_only=True)
class Photographed(_Action):
    """A photograph pinned to a part; the picture itself is kept beside the event."""

    kind = "photo"
    is_voidable = True
    is_undone_by_voiding = True
    is_on_timeline = True
    retention = "photos"
    part: str = ""
    note: str = ""

    def __post_init__(self) -> None:
        _text(self.part, "part", 80)
        _text(self.note, "note", 400)


@dataclass(frozen=True, slots=True, kw_only=True)
class Tapped(_Action):
    """One tap of the stopwatch: a run's call made or dropped, a stage come or gone, or one of those taken back.

    `call` is what a run is made with: every heat stage at once, or the fan alone, by which a delay relay is timed.
    """

    kind = "tap"
    is_voidable = True
    derived = ("run",)
    # The name of the stored field.
    deed: Literal["call", "drop", "on", "off"]
    stage: str = ""
    is_undone: bool = False
    call: Literal["heat", "fan"] = "heat"
    run: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Logged(_Action):
    """A logged current: from a file, or begun on a logging meter (`is_recording`); samples are kept beside it."""

    kind = "log"
    is_voidable = True
    name: str
    clamp: str
    source: str = "csv"
    found: str = ""
    called_seconds: float | None = None
    dropped_seconds: float | None = None
    supply_volts: float | None = None
    is_recording: bool = False
    faults: tuple[str, ...] = ()
    seed: int = 1
    speed: int = 1
    is_hidden: bool = False

    @property
    def is_trial(self) -> bool:
        """True for a simulated meter's: it says nothing of the unit, and counts for nothing on the call."""
        return self.source == "simulated"

    def __post_init__(self) -> None:
        _text(self.name, "file", 120)
        _text(self.clamp, "clamp", 80)


@dataclass(frozen=True, slots=True, kw_only=True)
class LoggedOut(_Action):
    """A recording stopped and kept."""

    kind = "log-kept"
    log: str
    found: str = ""
    dropped_seconds: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Aired(_Action):
    """One measurement of the air: the events of the two temperatures, where, and with which filter."""

    kind = "air"
    is_voidable = True
    is_undone_by_voiding = True
    derived = ("condition",)
    return_reading: str
    supply_reading: str
    altitude_feet: float = 0.0
    filter: Literal["as found", "clean"] = "as found"
    condition: Condition = field(default_factory=Condition)


@dataclass(frozen=True, slots=True, kw_only=True)
class Caused(_Action):
    """A cause the technician accepts, what caused it in turn, and what it led to."""

    kind = "cause"
    is_voidable = True
    is_undone_by_voiding = True
    is_on_timeline = True
    derived = ("share", "title")
    faults: tuple[str, ...] = ()
    words: str = ""
    cause: str = ""
    cause_not_found: bool = False
    consequence: str = ""
    title: str = ""
    share: float | None = None

    def __post_init__(self) -> None:
        _text(self.words, "title", 200)
        _text(self.cause, "cause", 400)
        _text(self.consequence, "consequence", 400)
        if not self.cause.strip() and not self.cause_not_found:
            raise ReadingError("enter the root cause, or accept with root cause not found", field="cause")


@dataclass(frozen=True, slots=True, kw_only=True)
class LedgerLead:
    """One line of a ledger: a lead's end before and after, its colour, size.

    `end_state` is how its end was found: sound, new end, heat-marked.
    """

    lead: str
    before: str
    after: str
    colour: str = ""
    size: str = ""
    end_state: str = "sound"


@dataclass(frozen=True, slots=True, kw_only=True)
class Landed(_Action):
    """A part's terminal ledger: where every lead sat and where it sits now."""

    kind = "ledger"
    is_voidable = True
    is_undone_by_voiding = True
    derived = ("condition",)
    part: str
    rows: tuple[LedgerLead, ...]
    condition: Condition = field(default_factory=Condition)


@dataclass(frozen=True, slots=True, kw_only=True)
class Fitted(_Action):
    """A part used, the minutes it took, its price, and whether its siblings went too."""

    kind = "part"
    is_voidable = True
    is_undone_by_voiding = True
    is_on_timeline = True
    name: str
    minutes: float | None = None
    price: float | None = None
    choice: str = ""

    def __post_init__(self) -> None:
        _text(self.name, "name", 120, needed="enter the part")
        _text(self.choice, "choice", 40)
        for name in ("minutes", "price"):
            value = getattr(self, name)
            if value is not None and not 0 <= value < 1e6:
                raise ReadingError(f"expected a number such as 45, got {value:g}", field=name)


@dataclass(frozen=True, slots=True, kw_only=True)
class Approved(_Action):
    """The owner's approval of extra work."""

    kind = "approval"
    is_voidable = True
    is_undone_by_voiding = True
    is_decision = True
    retention = "words"
    who: str
    what: str

    def __post_init__(self) -> None:
        _text(self.who, "who", 120, needed="enter who approved")
        _text(self.what, "what", 400, needed="enter what was approved")


@dataclass(frozen=True, slots=True, kw_only=True)
class Temporary(_Action):
    """Stages left off until a day, or a feed on a smaller device, or off: how, the tag's words, what heat is left.

    `also` are further stages beside `circuit`; `feed` the feed it is done to, where it is one; `corrected_by` says who
    must correct what.
    """

    kind = "temporary"
    is_voidable = True
    is_undone_by_voiding = True
    is_on_timeline = True
    derived = ("left_watts", "whole_watts")
    circuit: str = ""
    how: str
    tag: str
    due_on: str
    also: tuple[str, ...] = ()
    feed: str = ""
    device_amps: float | None = None
    corrected_by: str = ""
    left_watts: float = 0.0
    whole_watts: float = 0.0

    @property
    def off(self) -> tuple[str, ...]:
        """The stages that are off."""
        return tuple(name for name in (self.circuit, *self.also) if name)

    def __post_init__(self) -> None:
        _text(self.how, "how", 600, needed="enter how it is turned off")
        _text(self.corrected_by, "corrected_by", 400)
        _text(self.tag, "tag", 200, needed="enter what the tag says")
        _text(self.due_on, "due", 10, needed="choose the date until when")


@dataclass(frozen=True, slots=True, kw_only=True)
class TemporaryDone(_Action):
    """A temporary measure undone, or made right."""

    kind = "temporary-done"
    is_after_closing = True
    is_on_timeline = True
    temporary: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Checked(_Action):
    """A line of the list before power goes back on, done or taken back."""

    kind = "check"
    line: str
    is_done: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class PowerBack(_Action):
    """Power is back on: a fact, always recorded; `warned` tells what was said before it."""

    kind = "power-back"
    derived = ("warned",)
    is_confirmed: bool = False
    warned: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class RepairSettled(_Action):
    """The repair is proven, or left unproven for a reason; `overridden` tells what stood against it."""

    kind = "settled"
    is_decision = True
    derived = ("is_proven", "readings", "overridden")
    reason: str = ""
    is_proven: bool = False
    readings: int = 0
    overridden: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        _text(self.reason, "reason", 400)


@dataclass(frozen=True, slots=True, kw_only=True)
class Noted(_Action):
    """A line of text for the record."""

    kind = "note"
    is_voidable = True
    is_undone_by_voiding = True
    retention = "words"
    words: str

    def __post_init__(self) -> None:
        _text(self.words, "words", 1000, needed="enter the note first")


@dataclass(frozen=True, slots=True, kw_only=True)
class Marked(_Action):
    """What is written on a part: the filter's size, a date somebody wrote on it; `about` is the part, or `filter`."""

    kind = "mark"
    is_voidable = True
    is_undone_by_voiding = True
    is_on_timeline = True
    what: Literal["size", "date"]
    about: str
    words: str

    def __post_init__(self) -> None:
        _text(self.words, "words", 60, needed="enter what is written on it")
        _text(self.about, "about", 80, needed="choose the part it is on")


@dataclass(frozen=True, slots=True, kw_only=True)
class Amended(_Action):
    """What the call was begun with, set right: complaint, their words, who is at risk, the temperatures."""

    kind = "amend"
    is_decision = True
    retention = "words"
    complaints: tuple[str, ...]
    words: str = ""
    at_risk: str = ""
    outdoor_degf: float | None = None
    indoor_degf: float | None = None

    def __post_init__(self) -> None:
        _text(self.words, "words", 400)
        _text(self.at_risk, "at_risk", 200)
        for name, value in (("outdoor", self.outdoor_degf), ("indoor", self.indoor_degf)):
            if value is not None and not COLDEST_DEGF <= value <= HOTTEST_DEGF:
                raise ReadingError(f"expected {COLDEST_DEGF:g} to {HOTTEST_DEGF:g} °F, got {value:g}", field=name)
        if not self.complaints and not self.words.strip():
            raise ReadingError("tick a complaint, or enter the customer's description", field="complaints")


@dataclass(frozen=True, slots=True, kw_only=True)
class Signed(_Action):
    """The paper signed: by the owner or by the technician, by name, drawn where `strokes` are given.

    A stroke is a line of points, x and y in thousandths of the field it was drawn in.
    """

    kind = "signed"
    is_voidable = True
    is_after_closing = True
    retention = "signatures"
    role: Literal["owner", "technician"]
    name: str
    strokes: tuple[tuple[tuple[int, int], ...], ...] = ()

    def __post_init__(self) -> None:
        _text(self.name, "name", 120, needed="enter the name of the person who signs")
        points = [point for stroke in self.strokes for point in stroke]
        if len(points) > MOST_STROKE_POINTS:
            raise ReadingError("this is not a signature. Clear the field and sign again", field="strokes")
        if any(not 0 <= axis <= 1000 for point in points for axis in point):
            raise ReadingError("the signature must stay inside its field", field="strokes")


@dataclass(frozen=True, slots=True, kw_only=True)
class Withdrawn(_Action):
    """The call was begun by mistake: nothing was recorded on it, and it stands in no list any more."""

    kind = "withdrawn"
    is_decision = True
    reason: str

    def __post_init__(self) -> None:
        _text(self.reason, "reason", 400, needed="enter why the call is withdrawn")


@dataclass(frozen=True, slots=True, kw_only=True)
class Replated(_Action):
    """The unit's plate was changed: which feeds and calls it has now."""

    kind = "plate"
    is_own = True
    feeds: tuple[str, ...]
    calls: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Closed(_Action):
    """The call is closed with what was done; `reason` overrides what stood against it."""

    kind = "closed"
    is_decision = True
    derived = ("overridden",)
    outcome: str = ""
    reason: str = ""
    overridden: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        _text(self.outcome, "outcome", 1000)
        _text(self.reason, "reason", 400)


Action = (
    Opened | Measured | Voided | Switched | Ticked | MeterProven | Locked | Observed | Mapped | Photographed | Tapped
    | Logged | LoggedOut | Aired | Caused | Landed | Fitted | Approved | Temporary | TemporaryDone | Checked
    | PowerBack | RepairSettled | Noted | Marked | Amended | Signed | Withdrawn | Replated | Closed
)  # fmt: skip
ACTIONS: dict[str, type[Action]] = {action.kind: action for action in Action.__args__}


@dataclass(frozen=True, slots=True, kw_only=True)
class Event:
    """One action of one person: `id` made by the client, `seq` by the call.

    `done_at` is by the clock of whoever did it, at most `clock_seconds` wrong either way; `come_at` is the server's.
    `phone` names the phone that kept it without signal: of what one phone did the order is certain, whatever its clock.
    """

    id: str
    seq: int
    action: Action
    person: str
    by: str
    done_at: float
    come_at: float
    clock_seconds: float = 0.0
    phone: str = ""

    def __post_init__(self) -> None:
        if not (math.isfinite(self.done_at) and math.isfinite(self.come_at) and 0 <= self.clock_seconds < math.inf):
            raise ReadingError("expected a moment", field="done_at")

    @property
    def earliest(self) -> float:
        """The earliest it can have been done [s since 1970]."""
        return self.done_at - self.clock_seconds

    @property
    def latest(self) -> float:
        """The latest it can have been done [s since 1970]: not after it came, except for a clock that runs ahead."""
        return max(self.earliest, min(self.done_at + self.clock_seconds, self.come_at))

    def is_before(self, other: "Event") -> bool:
        """Tell whether this was certainly done before the other; of one moment, the call's own order decides."""
        if self.phone and self.phone == other.phone:
            return (self.done_at, self.seq) < (other.done_at, other.seq)
        if self.latest == other.earliest and self.clock_seconds == other.clock_seconds == 0:
            return self.seq < other.seq
        return self.latest < other.earliest


def first_event(plate: Nameplate) -> Opened:
    """Return the action a call begins with: everything live, nothing called."""
    return Opened(feeds={feed.id: "live" for feed in plate.feeds})
