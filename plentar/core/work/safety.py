"""The Safe list as it stands, and why ohms may or may not be read at a place now: both ask the lockout."""

from dataclasses import dataclass, replace
from typing import Literal

from plentar.core.circuit.places import contact_of, find_point, part_terminals, place_words
from plentar.core.evidence.events import OPENED_AT, Ticked
from plentar.core.evidence.lockout import TICK_WORDS, Lockout, dead_pairs, safe_ticks
from plentar.core.evidence.reading import Condition, Hand
from plentar.core.message import Text, joined, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import ohms_at, spot_of, volts_at
from plentar.core.unit.points import Point, part_words
from plentar.core.unit.quantities import QUANTITIES

__all__ = [
    "CONTROL_POINT",
    "NOT_DEAD",
    "PART_FIRST",
    "DeadGroup",
    "SafeLine",
    "condition_refusal",
    "dead_groups",
    "ends_to_touch",
    "ohms_refusal",
    "opened_choices",
    "safe_list",
    "touch_words",
]

CONTROL_POINT = volts_at("board.r", "board.c")
NOT_DEAD = message("safety.ohms-are-only-read-what")


@dataclass(frozen=True, slots=True, kw_only=True)
class SafeLine:
    """One line of the list: what it asks for, whether it is done, by whom and when, what is still missing.

    `kind` is tick, off, lock, meter, readings or frame; `about` the feed or the tick's own name.
    """

    kind: Literal["tick", "off", "lock", "meter", "readings", "frame"]
    about: str
    words: Text
    is_done: bool
    note: Text = ""
    by: str = ""
    at: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class DeadGroup:
    """Pairs that one number speaks for, the highest among them: of a feed, of two feeds, or R to C by itself."""

    about: str
    words: Text
    points: tuple[str, ...]


def dead_groups(plate: Nameplate) -> tuple[DeadGroup, ...]:
    """Return the pairs of the proof of dead, as they are entered by their highest number.

    Source:
        docs/trade.md, section 10: one number for a feed's three pairs, one for each pair of feeds; R to C by itself.
    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> [(g.about, len(g.points)) for g in dead_groups(PATTERNS["four-strip-chained"]())]
        [('feed-1', 3), ('feed-2', 3), ('feed-1 feed-2', 4), ('control', 1)]
    """
    by_feeds: dict[tuple[str, ...], list[str]] = {(feed.id,): [] for feed in plate.feeds}
    for point, feeds in dead_pairs(plate):
        by_feeds.setdefault(feeds, []).append(point)
    groups = []
    for feeds, points in by_feeds.items():
        if len(feeds) == 1:
            name = message("safety.feed") if len(plate.feeds) == 1 else part_words(feeds[0])
            words = message("safety.highest-of-feed", feed=name)
        else:
            words = message("safety.highest-between", one=part_words(feeds[0]), other=part_words(feeds[1]))
        groups.append(DeadGroup(about=" ".join(feeds), words=words, points=tuple(points)))
    return (*groups, DeadGroup(about="control", words=message("safety.r-to-c"), points=(CONTROL_POINT,)))


def ends_to_touch(plate: Nameplate, about: str) -> tuple[str, ...]:
    """Return the terminals of a part, or of a whole strip from its link to its limit; none for what is neither.

    Two places with a colon between them are themselves.
    """
    if ":" in about:
        return tuple(about.split(":"))
    if about in {circuit.id for circuit in plate.circuits}:
        parts = [f"{about}.{piece}" for piece in ("link", "element", "limit")]
    else:
        parts = [about]
    return tuple(dict.fromkeys(end for part in parts for end in part_terminals(plate, part)))


def touch_words(plate: Nameplate, about: str) -> Text:
    """Say where one is going to work, and that each end of it is read to ground."""
    if ":" in about:
        part: Text = find_point(plate, ohms_at(*about.split(":"))).label
    else:
        part = part_words(about) if "." not in about else place_words(plate, about)
    return message("safety.part-to-ground", part=part)


def opened_choices(plate: Nameplate, feed_id: str) -> tuple[tuple[str, str], ...]:
    """Return the devices a feed can be opened at, with their words."""
    feed = next(feed for feed in plate.feeds if feed.id == feed_id)
    names = [name for name in OPENED_AT if name != "unit" or feed.at_unit in ("breaker", "switch")]
    return tuple((name, OPENED_AT[name]) for name in names)


def safe_list(plate: Nameplate, lockout: Lockout, person: str) -> tuple[SafeLine, ...]:
    """Return the list for a unit as it stands for one person, in order.

    Source:
        docs/trade.md, section 4, step 3.
    """
    lines = [_tick(lockout, "safe-gear")]
    for feed in plate.feeds:
        name = message("safety.feed") if len(plate.feeds) == 1 else part_words(feed.id)
        device = lockout.opened.get(feed.id, "")
        is_off = lockout.feeds.get(feed.id, "live") != "live"
        note = message("safety.opened-all-up-line-terminals", OPENED_AT=OPENED_AT[device]) if device else ""
        words = message("safety.off-which-device-was-opened", feed=name)
        lines.append(SafeLine(kind="off", about=feed.id, words=words, is_done=is_off and bool(device), note=note))
        locks = lockout.locks_of(feed.id)
        own = any(lock.person == person for lock in locks)
        owners = joined(
            (
                message("safety.lock" if lock.how == "lock" else "safety.pull-out-kept-tagged", by=lock.by)
                for lock in locks
            ),
            "comma",
        )
        words = message("safety.your-own-lock-tag", feed=name)
        lines.append(SafeLine(kind="lock", about=feed.id, words=words, is_done=own, note=owners))
    lines.append(_tick(lockout, "safe-outdoor-off"))
    proof = lockout.proofs.get("") or lockout.shown_by
    told = [lockout.proofs[mode] for mode in lockout.proofs]
    lines.append(
        SafeLine(
            kind="meter",
            about="before",
            words=message("safety.meter-proven-known-live-source"),
            is_done=bool(told) or lockout.shown_by is not None,
            note=message("safety.shown-by-the-supply") if not told and lockout.shown_by is not None else "",
            by=proof.by if proof else "",
            at=proof.done_at if proof else None,
        )
    )
    left = [pair for pair in lockout.pairs if not pair.counts]
    words = message("safety.frame-proven-known-live-leg")
    note = "" if lockout.frame_is_proven else message("safety.each-leg-read-normal-volts")
    frame = SafeLine(kind="frame", about="safe-frame", words=words, is_done=lockout.frame_is_proven, note=note)
    lines.append(frame)
    read = [pair for pair in lockout.pairs if pair.volts is not None]
    words = message("safety.line-terminals-unit-every-leg")
    # Done when each was read and only the meter's own proof is still missing, which is the next line.
    done = len(read) == len(lockout.pairs) and all(pair.counts or pair.asks_again for pair in lockout.pairs)
    note = left[0].why_not if left and read else ""
    lines.append(SafeLine(kind="readings", about="", words=words, is_done=done and bool(read), note=note))
    words = message("safety.meter-proven-again-same-function")
    lines.append(SafeLine(kind="meter", about="after", words=words, is_done=not left))
    if ("safe-capacitor", "") in safe_ticks(plate):
        lines.append(_tick(lockout, "safe-capacitor"))
    return tuple(lines)


def _tick(lockout: Lockout, line: str) -> SafeLine:
    event = lockout.ticks.get((line, ""))
    volts = event.action.volts if event is not None and isinstance(event.action, Ticked) else None
    return SafeLine(
        kind="tick",
        about=line,
        words=TICK_WORDS[line],
        is_done=event is not None,
        by=event.by if event else "",
        at=event.done_at if event else None,
        note=message("safety.v", volts=volts) if volts is not None else "",
    )


def condition_refusal(plate: Nameplate, condition: Condition, point_id: str) -> Text:
    """Return why ohms or microfarads may not be read under a condition, or nothing.

    A part in the hand may be measured at any time. In the unit every feed and the control side must be proven dead;
    while a separate source drives a coil, only a contact with its own leads off may be read.

    Source:
        docs/trade.md, section 8: ohms only on what is proven dead, a driven coil only with a contact's own leads off.
    """
    spot = spot_of(point_id)
    function, part = spot.function, spot.part
    # Volts and amps are live work; a part in the hand has none.
    if not QUANTITIES[function].needs_dead:
        return message("safety.only-ohms-continuity-microfarads-are") if condition.in_hand else ""
    # Out of the unit it hangs on nothing that could bite or mislead.
    if condition.in_hand:
        return "" if part else message("safety.between-two-places-unit-nothing")
    if condition.is_proven_dead:
        return ""
    # The one exception: a coil held in by a low-voltage source, a contact with its own leads off.
    if condition.feeds_are_dead and condition.control == "separate source" and contact_of(plate, part):
        return ""
    return NOT_DEAD


# Why ohms wait where the unit is dead and the part itself was not read yet.
PART_FIRST = "safety.read-volts-part-first-across"


def ohms_refusal(plate: Nameplate, lockout: Lockout, point_id: str, *, person: str, in_hand: Hand = "") -> Text:
    """Return why a person may not read ohms at a place now, or nothing.

    Beyond what the condition must be: the reader's own lock is on every feed, and the part itself was read dead.

    Source:
        docs/trade.md, section 3, 4 (step 3) and 8.
    """
    point = find_point(plate, point_id)
    condition = lockout.condition(lockout.changed_at)
    refusal = condition_refusal(plate, _in_hand(condition, in_hand), point_id)
    if refusal:
        is_missing = refusal == NOT_DEAD and bool(lockout.missing)
        return message("safety.still-missing", refusal=refusal, missing=lockout.missing[0]) if is_missing else refusal
    if in_hand or not QUANTITIES[point.quantity].needs_dead:
        return ""
    # Somebody else's lock comes off when they are done, not when you are.
    if not lockout.has_locked(person):
        return message("safety.put-your-own-lock-tag")
    places = _places(plate, point)
    # Dead at the lugs is not dead at the part: a second feed or a capacitor may hang on it.
    if not places <= lockout.parts_below:
        return message(PART_FIRST)
    return ""


def _in_hand(condition: Condition, in_hand: Hand) -> Condition:
    return replace(condition, in_hand=in_hand)


def _places(plate: Nameplate, point: Point) -> frozenset[str]:
    if point.quantity == "microfarads":
        return frozenset()
    if len(point.terminals) == 2:
        return frozenset(place for place in point.terminals if place != "ground")
    return frozenset(part_terminals(plate, spot_of(point.id).part))
