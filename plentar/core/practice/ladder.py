"""The ladder: forty practice calls, from one strip and one plain fault to six strips, two faults, wiring done wrong."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from plentar.core.practice.case import Case, Hidden
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.place import amps_at, ohms_at

__all__ = ["DIFFICULTY", "LADDER", "case_of", "ladder"]

# How hard each level is on the skills' scale: what half of all technicians can do stands at nought. Chosen; each
# answer moves the learner, not the case.
DIFFICULTY: Mapping[int, float] = {1: -1.6, 2: -0.8, 3: 0.0, 4: 0.8, 5: 1.6}


@dataclass(frozen=True, slots=True)
class Rung:
    """One row: the wiring, what is hidden (with its size), what is complained of and said, and what it asks for.

    `before` is what somebody wrote down: point, number as written, calls that were on.
    """

    level: int
    pattern: str
    hidden: str
    complaint: str
    words: str
    skills: str
    signs: str = ""
    outdoor_degf: float | None = None
    before: tuple[tuple[str, str, tuple[str, ...]], ...] = ()


_ONE, _TWO, _AC, _DC = "one-strip-dpdt", "two-strip-sequencer", "two-strip-ac-relay", "three-strip-dc-relay"
_WYE, _FOUR, _ECM = "wye-contactor", "four-strip-chained", "three-strip-ecm"
_STAGED, _SIX = "four-strip-staged", "six-strip-chained"
# In the order they are offered; an id is its place and never changes.
LADDER: tuple[Rung, ...] = (
    # One strip, one plain fault.
    Rung(1, _ONE, "strip-a.element.open", "no heat", "It blows, but cold.", "amps open-closed"),
    Rung(1, _ONE, "", "seasonal check", "Nothing wrong that I know of.", "amps", outdoor_degf=45.0),
    Rung(1, _ONE, "fuse.open", "no heat", "The thermostat went blank last night.", "control"),
    Rung(1, _ONE, "strip-a.limit.open", "no heat", "No heat since the weekend.", "open-closed", "filter-dirty"),
    Rung(1, _ONE, "thermostat.w.not-calling", "no heat", "We changed the batteries; still cold.", "control"),
    Rung(
        1,
        _ONE,
        "seq-a.pole-1.welded",
        "heat will not stop",
        "Eighty-three in here and it is set to off.",
        "open-closed",
    ),
    Rung(1, _ONE, "feed-1.breaker.off", "no heat", "Dead as a doornail.", "feed", "breaker-off"),
    Rung(1, _ONE, "strip-a.link.open", "no heat", "It smelled hot, then nothing.", "open-closed prove-dead"),
    # Two strips: half the heat, and what the interlock hides.
    Rung(2, _TWO, "strip-b.element.open", "not enough heat", "One room never warms up.", "amps"),
    Rung(2, _TWO, "seq-a.pole-2.open", "not enough heat", "It runs all day.", "open-closed"),
    Rung(
        2,
        _TWO,
        "seq-a.pole-1.welded",
        "heat will not stop",
        "It heats with the thermostat off.",
        "back-feed open-closed",
    ),
    Rung(
        2, _TWO, "", "not enough heat", "It cannot hold seventy when it is below zero.", "air amps", outdoor_degf=-8.0
    ),
    Rung(2, _TWO, "seq-a.coil.open", "no heat", "Fan runs, no heat.", "control"),
    Rung(2, _TWO, "blower-relay.coil.open", "blower dead", "It will not blow with the fan switch on.", "interlock"),
    Rung(2, _AC, "relay-b.pole-1.open", "not enough heat", "Lukewarm.", "open-closed amps"),
    Rung(
        2,
        _AC,
        "relay-a.coil.shorted",
        "control fuse blows",
        "The little fuse goes as soon as heat comes on.",
        "control",
    ),
    Rung(2, _TWO, "seq-a.slow", "not enough heat", "It takes forever to come on.", "timing"),
    Rung(
        2,
        _TWO,
        "strip-a.lead-2.off",
        "not enough heat",
        "Somebody worked on it last month.",
        "ledger open-closed",
        "loose-push-on@strip-a.element",
    ),
    # Back-feed, substitution, feeds: what the meter shows is somewhere else's doing.
    Rung(
        3,
        _TWO,
        "interlock.plain-wire",
        "cooling fights heat",
        "Hot air when the fan is on.",
        "back-feed interlock",
        "plain-wire",
    ),
    # Kilo-ohms written down as ohms: the coil is sound.
    Rung(
        3,
        _DC,
        "relay-c.rectifier.dead",
        "not enough heat",
        "Two of three, the last man said.",
        "substitution control",
        before=(
            (amps_at("strip-a"), "20.6", ("W",)),
            (amps_at("strip-c"), "0.0", ("W",)),
            (ohms_at("relay-c.coil"), "0.64", ()),
        ),
    ),
    Rung(3, _DC, "feed-2.breaker-l1.open", "not enough heat", "It used to be warmer.", "feed"),
    Rung(3, _WYE, "contactor-a.pole-2.open", "no heat", "Nothing comes.", "open-closed feed"),
    Rung(
        3,
        _WYE,
        "strip-a.element.grounded@0.5",
        "heat will not stop",
        "It is warm by the unit with everything off.",
        "amps prove-dead",
    ),
    # A clamp around two leads, written down as one strip's.
    Rung(
        3,
        _ECM,
        "strip-c.element.open",
        "not enough heat",
        "Not like last winter.",
        "amps",
        before=((amps_at("strip-a"), "41.2", ("W",)),),
    ),
    Rung(
        3,
        _TWO,
        "transformer.wrong-tap-low",
        "no heat",
        "New transformer in spring, trouble since.",
        "control substitution",
    ),
    Rung(3, _FOUR, "seq-a.auxiliary.open", "not enough heat", "Half of it, if that.", "timing control"),
    Rung(3, _TWO, "control.w.shorted", "control fuse blows", "Third fuse this week.", "control", "rubbed-wires"),
    # Weak ones: it works, and not as it should.
    Rung(4, _TWO, "seq-a.pole-1.burnt@0.5", "clicking, smell", "There is a hot smell.", "open-closed", "smell"),
    Rung(
        4,
        _TWO,
        "feed-1.lug-l1.loose@0.7",
        "not enough heat",
        "Lights dim when it starts.",
        "feed",
        "discoloured-lug@feed-1",
    ),
    Rung(4, _DC, "strip-b.element.part-shorted", "breaker trips or hot", "The breaker is warm.", "amps feed"),
    Rung(4, _TWO, "air.little", "blower cuts in and out", "It comes and goes.", "air timing", "filter-dirty"),
    Rung(4, _AC, "strip-a.limit.cycling", "not enough heat", "Clicks on and off.", "timing air", "clicks"),
    Rung(
        4,
        _STAGED,
        "outdoor-thermostat.stuck-open",
        "cold in defrost or on cold nights",
        "Fine until the frost.",
        "control timing",
    ),
    Rung(
        4,
        _TWO,
        "interlock.com-on-leg",
        "heat will not stop",
        "The unit was rewired by a neighbour.",
        "interlock ledger",
    ),
    Rung(4, _DC, "relay-a.rectifier.half-open", "clicking, smell", "It chatters.", "control substitution", "clicks"),
    Rung(4, _ECM, "seq-a.pole-3.slow", "not enough heat", "Slow to get warm.", "timing"),
    # Two at once, six strips.
    Rung(5, _SIX, "seq-b.coil.open", "not enough heat", "A big house, a cold one.", "timing amps"),
    Rung(
        5, _FOUR, "strip-a.element.open+strip-c.link.open", "not enough heat", "Worse every year.", "amps open-closed"
    ),
    Rung(5, _TWO, "seq-a.coil.shorted@0.1+fuse.open", "no heat", "Blank since the heat came on.", "control prove-dead"),
    Rung(
        5, _SIX, "feed-2.breaker-l2.open+seq-a.pole-2.open", "not enough heat", "Nobody has found it yet.", "amps feed"
    ),
)


@lru_cache(maxsize=1)
def ladder() -> tuple[Case, ...]:
    """Return every case of the ladder, easiest level first."""
    return tuple(_case(number, rung) for number, rung in enumerate(LADDER, start=1))


def case_of(case_id: str) -> Case | None:
    """Return the ladder's case with this id, if there is one."""
    return next((case for case in ladder() if case.id == case_id), None)


def _case(number: int, rung: Rung) -> Case:
    plate = PATTERNS[rung.pattern]()
    return Case(
        id=f"ladder-{number:02d}",
        title=f"Call {number}",
        plate=plate,
        hidden=tuple(_hidden(text) for text in rung.hidden.split("+") if text),
        complaint=rung.complaint,
        words=rung.words,
        skills=tuple(rung.skills.split()),
        level=rung.level,
        outdoor_degf=rung.outdoor_degf,
        signs=tuple(_sign(text) for text in rung.signs.split()),
        read_before=rung.before,
        # Each unit's discs are its own, the same every time.
        place_in_window=(number * 37 % 60) / 100 + 0.2,
        supply_ratio=0.97 + (number * 13 % 5) / 100,
    )


def _hidden(text: str) -> Hidden:
    fault, _, size = text.partition("@")
    return Hidden(fault=fault, size=float(size or 0.5))


def _sign(text: str) -> tuple[str, str]:
    kind, _, about = text.partition("@")
    return kind, about
