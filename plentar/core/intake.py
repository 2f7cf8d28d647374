"""What may be recorded on a call: each deed checked against the visit as it stands, and completed.

Facts are always taken in; what is refused is what cannot be, ohms on anything not proven dead, and *proven* or closing
with something against it. Whoever calls holds the call's lock, so that what is checked still stands when it is kept.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import singledispatch

from plentar.core.causes.faults import COMPLAINTS, fault_by_id, faults_of
from plentar.core.circuit.places import find_point, ohms_parts
from plentar.core.errors import MeterError, ReadingError
from plentar.core.evidence.events import (
    Aired,
    Amended,
    Approved,
    Caused,
    Checked,
    Closed,
    Deed,
    Fitted,
    Landed,
    Locked,
    Logged,
    LoggedOut,
    Mapped,
    Marked,
    Measured,
    MeterProven,
    Noted,
    Observed,
    Opened,
    Photographed,
    PowerBack,
    RepairSettled,
    Replated,
    Signed,
    Switched,
    Tapped,
    Temporary,
    TemporaryDone,
    Ticked,
    Voided,
    Withdrawn,
)
from plentar.core.evidence.lockout import FRAME_VOLTS, Lockout, safe_ticks
from plentar.core.evidence.merging import lockout_then
from plentar.core.evidence.metrology import Meter
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.evidence.signs import sign_of
from plentar.core.judging.thermostat_map import MapRow
from plentar.core.limits.moments import (
    BEFORE_OPENING_SECONDS,
    CLOCK_STEP_SECONDS,
    MOST_DOUBT_SECONDS,
    OLDEST_OPENING_SECONDS,
)
from plentar.core.message import Text, joined, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of
from plentar.core.unit.points import part_words
from plentar.core.unit.supply_path import STANDARD_DEVICES
from plentar.core.visit import Visit
from plentar.core.visit_results import ROWS, row_calls
from plentar.core.work.ledger import check_ledger
from plentar.core.work.proof import BEFORE_POWER
from plentar.core.work.safety import condition_refusal, ohms_refusal

__all__ = ["Sender", "check_opening", "clamps_of", "ledger_parts", "places_of", "spelled", "take_in"]

FELT_ROWS = ("row-blower", "row-strips")
# What stands on the filter is of no part of the circuit.
FILTER = "filter"
# What a complaint is that is on no list: said in their words.
OTHER = "other"
VOIDABLE = (
    Measured, Observed, Mapped, Photographed, Tapped, Logged, Aired, Caused, Fitted, Approved, Temporary, Noted, Marked,
    Landed, Signed,
)  # fmt: skip
CLOSED = "this call is closed; its record stands"
# What is decided of a call, once: evidence may come late, a second closing may not.
DECISIONS = (Closed, RepairSettled, Amended, Withdrawn, Approved)


@dataclass(frozen=True, slots=True, kw_only=True)
class Sender:
    """Who sends a deed, with what: their id, the moment it was done, the shop's meters, how numbers are read, and how a
    thing is said where it is written down. `clock_seconds` is how far the clock that told the moment may be wrong,
    `phone` which phone kept it without signal, `now` the moment it came in; None where the two are one clock. With
    `is_accepted` a lead takes it however uncertain its moment is.
    """

    person: str
    done_at: float
    now: float | None = None
    is_accepted: bool = False
    clock_seconds: float = 0.0
    phone: str = ""
    meters: Mapping[str, Meter]
    meter: str
    parse: Callable[[str, str], float]
    words: Callable[[Text], str]


def take_in(visit: Visit, deed: Deed, sender: Sender) -> Deed:
    """Return a deed completed with what is worked out when it is kept.

    Raises:
        ReadingError: It cannot be; `field` names the sender's field.
    """
    sender = _by_our_clock(visit, sender)
    # A paper may be signed after the call was closed: that changes nothing in it.
    if (
        visit.record.closed is not None
        and not isinstance(deed, TemporaryDone | Signed)
        and not _is_late(visit, deed, sender)
    ):
        event, _ = visit.record.closed
        words = "this call is closed; its readings stand" if isinstance(deed, Measured) else CLOSED
        raise ReadingError(f"{words} (closed by {event.by})", field="value" if isinstance(deed, Measured) else "closed")
    return _take(spelled(deed, visit.plate), visit, sender)


def check_opening(done_at: float, *, clock_seconds: float, now: float) -> None:
    """Refuse a moment that no call can have been opened at.

    Args:
        done_at: When the call was opened [s since 1970].
        clock_seconds: How far the clock that told it may be wrong [s].
        now: This moment [s since 1970].

    Raises:
        ReadingError: It is more than 400 days ago, or still to come.
    """
    if done_at < now - OLDEST_OPENING_SECONDS:
        raise ReadingError("that is more than 400 days ago: check the clock of your phone", field="done_at")
    _check_not_ahead(done_at, clock_seconds, now)


def _check_not_ahead(done_at: float, clock_seconds: float, now: float) -> None:
    if done_at > now + clock_seconds + CLOCK_STEP_SECONDS:
        raise ReadingError("that is still to come: check the clock of your phone", field="done_at")


def _by_our_clock(visit: Visit, sender: Sender) -> Sender:
    """Return the sender with a clock that runs ahead within its doubt set back to now.

    Raises:
        ReadingError: It was done at a moment that cannot be, or by a clock too far off to put it in order.
    """
    if sender.now is None:
        return sender
    if sender.clock_seconds > MOST_DOUBT_SECONDS and not sender.is_accepted:
        words = "the phone's clock may be more than an hour wrong, so nobody can tell in which order this was done"
        raise ReadingError(words, field="clock_seconds")
    opened = next((event.done_at for event in visit.record.events if isinstance(event.deed, Opened)), None)
    if opened is not None and sender.done_at < opened - BEFORE_OPENING_SECONDS:
        words = "that is more than a day before the call was opened: check the clock of your phone"
        raise ReadingError(words, field="done_at")
    _check_not_ahead(sender.done_at, sender.clock_seconds, sender.now)
    return replace(sender, done_at=min(sender.done_at, sender.now))


def _is_late(visit: Visit, deed: Deed, sender: Sender) -> bool:
    """Tell whether a phone without signal kept this before the call was closed: evidence, whenever it comes.

    Without a phone's seal anybody could claim a moment before the closing.
    """
    assert visit.record.closed is not None  # noqa: S101 - asked of a closed call only
    closed, _ = visit.record.closed
    is_before = bool(sender.phone) and sender.done_at - sender.clock_seconds < closed.latest
    return is_before and sender.person != closed.person and not isinstance(deed, DECISIONS)


@singledispatch
def _take(deed: Deed, visit: Visit, sender: Sender) -> Deed:
    """Take in what needs no more than its own checks."""
    return deed


def spelled(deed: Deed, plate: Nameplate) -> Deed:
    """Return a deed as it is kept and compared: two probes set down in either order are one point.

    Raises:
        ReadingError: The unit has no such point.
    """
    return replace(deed, point=find_point(plate, deed.point).id) if isinstance(deed, Measured) else deed


def _lockout(visit: Visit, sender: Sender) -> Lockout:
    """Return what was live, off or dead when it was done: of somebody without signal that is not now."""
    events = visit.record.events
    if all(event.latest <= sender.done_at for event in events):
        return visit.lockout
    return lockout_then(
        visit.plate,
        events,
        done_at=sender.done_at,
        clock_seconds=sender.clock_seconds,
        phone=sender.phone,
        voided=visit.record.voided,
        limits=visit.limits,
    )


def _condition(visit: Visit, sender: Sender) -> Condition:
    return _lockout(visit, sender).condition(sender.done_at)


@_take.register
def _measured(deed: Measured, visit: Visit, sender: Sender) -> Deed:
    point = find_point(visit.plate, deed.point)
    lockout = _lockout(visit, sender)
    condition = replace(lockout.condition(sender.done_at), in_hand=deed.in_hand)
    # What is corrected must stand, stand here, and not be corrected already.
    old = visit.record.taken_by_id(deed.supersedes) if deed.supersedes else None
    if deed.supersedes:
        # A number may be moved to the place it was really read at; another number there would be a reading made up.
        is_here = old is not None and find_point(visit.plate, old.reading.point) == point
        # Never while anything is off: what proves a place dead, or not, is read there again.
        is_moved = (
            old is not None
            and all(state == "live" for _, state in old.reading.condition.feeds)
            and old.deed.typed == deed.typed.strip()
            and old.reading.function == point.quantity
        )
        if old is None or not (is_here or is_moved):
            raise ReadingError("there is no such reading to correct here", field="supersedes")
        if old.struck:
            raise ReadingError("that reading was corrected already; reload to see it", field="supersedes")
        # A correction tells what that reading was; the unit was as it was then.
        condition = old.reading.condition
        refusal = condition_refusal(visit.plate, condition, deed.point)
    else:
        # Asked at the moment it is kept, not when the page was drawn.
        refusal = ohms_refusal(visit.plate, lockout, deed.point, person=sender.person, in_hand=deed.in_hand)
    if refusal:
        raise ReadingError(refusal, field="value")
    if deed.mode and point.quantity != "volts":
        raise ReadingError("low-impedance mode is a way of reading AC volts", field="mode")
    meter = deed.meter or sender.meter
    value = sender.parse(deed.typed, point.quantity)
    # The meter's doubt is kept with the number: a meter sold later changes no old verdict.
    own = _meter_of(sender, meter)
    half, counts = _uncertainty(own, point.quantity, value)
    # Made only to be refused: a reading that cannot be one raises here, beside its field.
    Reading(point=deed.point, value=value, condition=condition)
    return replace(
        deed,
        typed=deed.typed.strip(),
        meter=meter,
        value=value,
        meter_uncertainty=half,
        counts_uncertainty=counts,
        calibrated_on=own.calibrated_on,
        condition=condition,
        in_hand=condition.in_hand,
        reason=deed.reason.strip(),
    )


def _meter_of(sender: Sender, meter_id: str) -> Meter:
    meter = sender.meters.get(meter_id)
    if meter is None:
        raise ReadingError("that meter is not one of the shop's", field="meter")
    return meter


def _uncertainty(meter: Meter, quantity: str, value: float) -> tuple[float, float]:
    try:
        own = meter.range_for(quantity, value)
    except MeterError as error:
        raise ReadingError(message("intake.choose-meter", error=error.message), field="meter") from error
    return own.uncertainty(value), own.counts_uncertainty


@_take.register
def _voided(deed: Voided, visit: Visit, sender: Sender) -> Deed:
    event = visit.record.event(deed.event)
    # Switches, locks and proofs are facts of safety: nobody strikes those out.
    if event is None or not isinstance(event.deed, VOIDABLE):
        raise ReadingError("there is nothing of that kind to strike out here", field="event")
    if deed.event in visit.record.voided:
        raise ReadingError("that was struck out already; reload to see it", field="event")
    return deed


@_take.register
def _switched(deed: Switched, visit: Visit, sender: Sender) -> Deed:
    plate = visit.plate
    states: dict[str, tuple[str, ...]] = {feed.id: ("live", "off") for feed in plate.feeds}
    states["control"] = ("from unit", "separate source", "off")
    states["thermostat"] = ("on", "bypassed")
    states |= dict.fromkeys(plate.calls, ("on", "off"))
    if deed.what not in states:
        raise ReadingError(f"this unit has nothing named {deed.what[:40]!r} to switch", field=deed.what[:40])
    if deed.state not in states[deed.what]:
        raise ReadingError(f"cannot switch {deed.what} to {deed.state!r}", field=deed.what)
    # Going live needs no device; naming one would look like a lock-out.
    if deed.device and deed.state != "off":
        raise ReadingError("a device is named when a feed goes off", field="device")
    return deed


@_take.register
def _ticked(deed: Ticked, visit: Visit, sender: Sender) -> Deed:
    lines = {*safe_ticks(visit.plate), ("safe-frame", "")}
    if (deed.line, deed.about) not in lines:
        raise ReadingError("there is no such line on this list", field="kind")
    if not deed.is_done:
        return deed
    if deed.line == "safe-capacitor":
        dead = visit.limits.number("dead_volts")
        if deed.volts is None:
            raise ReadingError("type what the meter shows across the capacitor, DC", field="volts")
        # A capacitor that still stands at some volts was not discharged, whatever was ticked.
        if deed.volts >= dead:
            raise ReadingError(f"still {deed.volts:g} V: discharge it again, then read below {dead:g} V", field="volts")
    if deed.line == "safe-frame" and (deed.volts is None or deed.volts < FRAME_VOLTS):
        words = f"a known live leg reads {FRAME_VOLTS:g} V or more to a sound frame; type what it shows"
        raise ReadingError(words, field="volts")
    return deed


@_take.register
def _meter_proven(deed: MeterProven, visit: Visit, sender: Sender) -> Deed:
    meter = deed.meter or sender.meter
    if meter not in sender.meters:
        raise ReadingError("that meter is not one of the shop's", field="meter")
    return replace(deed, meter=meter)


@_take.register
def _locked(deed: Locked, visit: Visit, sender: Sender) -> Deed:
    if deed.feed not in {feed.id for feed in visit.plate.feeds}:
        raise ReadingError("this unit has no such feed", field="feed")
    if not deed.owner or deed.owner == sender.person:
        return replace(deed, owner="")
    if not any(lock.feed == deed.feed and lock.person == deed.owner for lock in visit.lockout.locks):
        raise ReadingError("no such lock is on that feed", field="feed")
    if deed.is_on:
        raise ReadingError("everybody puts on their own lock", field="feed")
    if len(deed.reached.strip()) < 10:
        words = "somebody else's lock comes off only when its owner was reached: say how, and that they are clear"
        raise ReadingError(words, field="reached")
    return deed


def places_of(plate: Nameplate, about: str) -> list[str]:
    """Return the ids a sign or a photo can be pinned to: parts, strips or feeds of this unit."""
    if about == "feed":
        return [feed.id for feed in plate.feeds] + [branch.id for branch in plate.branches]
    strips = [circuit.id for circuit in plate.circuits]
    if about == "strip":
        return strips
    parts = [part for part in ohms_parts(plate) if not place_of(part).is_to_frame]
    return strips + [device.id for device in plate.devices] + parts


@_take.register
def _seen(deed: Observed, visit: Visit, sender: Sender) -> Deed:
    plate, condition = visit.plate, _condition(visit, sender)
    rows = dict(ROWS)
    if deed.sign in FELT_ROWS:
        if deed.about not in rows:
            raise ReadingError("there is no such row", field="about")
        # A row is about its own calls, whatever the strip at the foot of the call page was left on.
        wanted = row_calls(plate, rows[deed.about])
        if condition.on & {"W", "W2", "G"} != wanted:
            condition = replace(condition, calls=tuple((call, None) for call in sorted(wanted)))
    elif deed.sign == "hunt":
        if deed.about not in {"R", "O", *plate.calls}:
            raise ReadingError("there is no such conductor", field="about")
    elif deed.sign != "start":
        sign = sign_of(deed.sign)
        if sign is None:
            raise ReadingError("there is no such line on this list", field="kind")
        if deed.state == "found" and sign.about and deed.about not in places_of(plate, sign.about):
            raise ReadingError("say where: pick the part it was found on", field="about")
    return replace(deed, condition=condition, note=deed.note.strip())


@_take.register
def _mapped(deed: Mapped, visit: Visit, sender: Sender) -> Deed:
    for w in deed.wires:
        MapRow(thermostat=w.thermostat, board=w.board, colour=w.colour[:20], jumpered_to=w.jumpered_to)
    return deed


@_take.register
def _photographed(deed: Photographed, visit: Visit, sender: Sender) -> Deed:
    places = {
        *places_of(visit.plate, "part"),
        *places_of(visit.plate, "feed"),
        *(name for name, _ in ledger_parts(visit)),
    }
    if deed.part and deed.part not in places:
        raise ReadingError("pick the part it shows", field="part")
    return replace(deed, note=deed.note.strip())


@_take.register
def _tapped(deed: Tapped, visit: Visit, sender: Sender) -> Deed:
    run = visit.watch_runs[-1] if visit.watch_runs else None
    if deed.stage and deed.stage not in {stage.id for stage in (*visit.stages, *visit.fan_stages)}:
        raise ReadingError("this unit has no such stage", field="what")
    if (deed.deed in ("on", "off")) != bool(deed.stage):
        raise ReadingError("say which stage came or went", field="what")
    if deed.deed == "call" and not deed.is_undone:
        if run is not None and run.dropped_at is None:
            raise ReadingError("a run is going: drop its call first", field="what")
        # A run's number is never used twice, taken back or not.
        used = [tap.run for _, tap in visit.record.taps if tap.deed == "call"]
        return replace(deed, run=max(used, default=0) + 1)
    if run is None:
        raise ReadingError("no run is going: make the call first", field="what")
    if deed.stage and deed.stage not in {stage.id for stage in visit.stages_of_run(run)}:
        raise ReadingError("this run's call does not move that stage", field="what")
    if deed.deed == "off" and run.dropped_at is None and not deed.is_undone:
        raise ReadingError("drop the call first; a strip that goes off by itself belongs in a log", field="what")
    return replace(deed, run=run.number, call=run.call)


def clamps_of(plate: Nameplate) -> list[tuple[str, Text]]:
    """Return what a logging clamp can be around, with its words."""
    feeds = [(feed.id, message("intake.one-leg", feed=part_words(feed.id))) for feed in plate.feeds]
    return [*feeds, *((c.id, c.name) for c in plate.circuits), ("blower", message("places.blower"))]


@_take.register
def _logged(deed: Logged, visit: Visit, sender: Sender) -> Deed:
    if deed.clamp not in {name for name, _ in clamps_of(visit.plate)}:
        raise ReadingError("pick what the clamp was around", field="clamp")
    for fault in deed.faults:
        fault_by_id(visit.plate, fault)
    called, dropped = deed.called_seconds, deed.dropped_seconds
    if called is not None and dropped is not None and dropped <= called:
        raise ReadingError("the call was dropped before it was made", field="dropped")
    return deed


@_take.register
def _logged_out(deed: LoggedOut, visit: Visit, sender: Sender) -> Deed:
    if not any(event.id == deed.log and log.is_recording for event, log in visit.record.logs):
        raise ReadingError("no such recording is going", field="log")
    return deed


@_take.register
def _aired(deed: Aired, visit: Visit, sender: Sender) -> Deed:
    for name, field in ((deed.return_reading, "return_degf"), (deed.supply_reading, "supply_degf")):
        entry = visit.record.taken_by_id(name)
        if entry is None or entry.reading.function != "degf":
            raise ReadingError("measure both temperatures first", field=field)
    if visit.airstream() is None and "Y" not in visit.lockout.calls:
        raise ReadingError("clamp the strips and read the supply under the heat call first", field="supply_degf")
    if not -1500 <= deed.altitude_feet <= 15_000:
        raise ReadingError(f"expected -1,500 to 15,000 ft, got {deed.altitude_feet:g}", field="altitude_feet")
    return replace(deed, condition=_condition(visit, sender))


@_take.register
def _caused(deed: Caused, visit: Visit, sender: Sender) -> Deed:
    known = {fault.id: fault.title for fault in faults_of(visit.plate)}
    parts = [part for fault in deed.faults for part in fault.split("+")]
    # A cause from another unit's page, or from before the plate was changed.
    if any(part not in known for part in parts):
        raise ReadingError("this unit cannot have that fault", field="title")
    named = joined((joined(known[p] for p in fault.split("+")) for fault in deed.faults[:3]), "or")
    words = deed.words.strip() or sender.words(named)
    if not words:
        raise ReadingError("say what is wrong", field="title")
    share = None
    if deed.faults:
        asked = set(deed.faults)
        # How sure the readings were when it was accepted goes on record with it.
        shares = [suspect.probability for suspect in visit.suspects if set(suspect.faults) & asked]
        share = sum(shares) if shares else None
    return replace(deed, title=words, cause=deed.cause.strip(), consequence=deed.consequence.strip(), share=share)


def ledger_parts(visit: Visit) -> list[tuple[str, str]]:
    """Return the parts whose leads a ledger can hold, those of an accepted cause first, with their words."""
    plate = visit.plate
    names = [device.id for device in plate.devices] + [circuit.id for circuit in plate.circuits]
    if plate.blower.relay is not None:
        names.append(plate.blower.relay.id)
    names += ["blower", "transformer"]
    blamed = blamed_parts(visit)
    # What is being repaired first; otherwise in the plate's order.
    names.sort(key=lambda name: name not in blamed)
    return [(name, part_words(name)) for name in names]


def blamed_parts(visit: Visit) -> frozenset[str]:
    """Return the parts the accepted causes name."""
    return frozenset(
        place_of(fault).owner
        for _, cause in visit.record.causes
        for group in cause.faults
        for fault in group.split("+")
    )


@_take.register
def _landed(deed: Landed, visit: Visit, sender: Sender) -> Deed:
    check_ledger(visit.plate, deed.part, deed.rows)
    return replace(deed, condition=_condition(visit, sender))


@_take.register
def _fitted(deed: Fitted, visit: Visit, sender: Sender) -> Deed:
    return replace(deed, name=deed.name.strip(), choice=deed.choice.strip())


@_take.register
def _temporary(deed: Temporary, visit: Visit, sender: Sender) -> Deed:
    known = {circuit.id for circuit in visit.plate.circuits}
    feeds = {feed.id: feed.breaker_amps for feed in visit.plate.feeds}
    if not set(deed.off) <= known or not (deed.off or deed.feed):
        raise ReadingError("pick the stage that is off", field="circuit")
    if deed.feed and deed.feed not in feeds:
        raise ReadingError("the unit has no such feed", field="feed")
    if deed.device_amps is not None:
        if deed.device_amps not in STANDARD_DEVICES:
            raise ReadingError("expected a standard size", field="device_amps")
        # Never a bigger one for a tripping one: docs/trade.md, section 8.
        if deed.device_amps >= (feeds.get(deed.feed) or 0.0):
            raise ReadingError("expected a smaller device than the one that is there", field="device_amps")
    off = deed.off if deed.off or deed.device_amps is not None else (deed.feed,)
    left, whole = visit.left_to_heat(off)
    return replace(deed, how=deed.how.strip(), tag=deed.tag.strip(), left_watts=left, whole_watts=whole)


@_take.register
def _temporary_done(deed: TemporaryDone, visit: Visit, sender: Sender) -> Deed:
    open_ones = {event.id: done for event, _, done in visit.record.open_temporaries}
    if deed.temporary not in open_ones:
        raise ReadingError("there is no such temporary measure here", field="temporary")
    if open_ones[deed.temporary]:
        raise ReadingError("that was made right already; reload to see it", field="temporary")
    return deed


@_take.register
def _checked(deed: Checked, visit: Visit, sender: Sender) -> Deed:
    if deed.line not in {name for name, _ in BEFORE_POWER}:
        raise ReadingError("there is no such line on this list", field="check")
    return deed


@_take.register
def _power_back(deed: PowerBack, visit: Visit, sender: Sender) -> Deed:
    # A fact is recorded whatever stands against it; what was said before it goes along.
    return replace(deed, warned=tuple(map(sender.words, visit.power_warnings)))


@_take.register
def _settled(deed: RepairSettled, visit: Visit, sender: Sender) -> Deed:
    done, of = visit.proven
    blockers, reason = visit.blockers, deed.reason.strip()
    if done == of and not blockers and not reason:
        return replace(deed, is_proven=True, readings=of, reason="")
    # Unproven may be, but never without a word why.
    if not reason:
        left = next((p.item.words for p in visit.proof if not p.is_proven), "")
        what = blockers[0] if blockers else message("intake.line", line=left)
        raise ReadingError(message("intake.not-proven-yet", what=what), field="reason")
    return replace(deed, is_proven=False, readings=done, reason=reason, overridden=tuple(map(sender.words, blockers)))


@_take.register
def _closed(deed: Closed, visit: Visit, sender: Sender) -> Deed:
    against = [sender.words(blocker) for blocker in visit.blockers]
    if visit.record.awaits_proof:
        against.insert(0, sender.words(message("intake.prove-first")))
    settled = visit.record.settled
    if settled is not None and not visit.record.awaits_proof:
        # What was overridden when the proof was settled was said there.
        against = [words for words in against if words not in settled[1].overridden]
    # A lock still on or a loose end may be stated and overridden, never overlooked.
    if against and not deed.reason.strip():
        raise ReadingError(against[0], field="outcome")
    if not deed.outcome.strip() and not visit.record.causes:
        raise ReadingError("say in a line what was found and done", field="outcome")
    return replace(deed, outcome=deed.outcome.strip(), reason=deed.reason.strip(), overridden=tuple(against))


@_take.register
def _marked(deed: Marked, visit: Visit, sender: Sender) -> Deed:
    if deed.about != FILTER and deed.about not in places_of(visit.plate, "part"):
        raise ReadingError("pick the part it stands on", field="about")
    return replace(deed, words=deed.words.strip())


@_take.register
def _amended(deed: Amended, visit: Visit, sender: Sender) -> Deed:
    unknown = [name for name in deed.complaints if name not in COMPLAINTS and name != OTHER]
    if unknown:
        raise ReadingError(f"there is no complaint {unknown[0][:40]!r} on the list", field="complaints")
    return replace(deed, complaints=deed.complaints or (OTHER,), words=deed.words.strip(), at_risk=deed.at_risk.strip())


@_take.register
def _signed(deed: Signed, visit: Visit, sender: Sender) -> Deed:
    if not visit.standing_now and not visit.record.causes:
        raise ReadingError("there is nothing on the paper to sign yet: read or say what was found first", field="name")
    return replace(deed, name=deed.name.strip())


@_take.register
def _withdrawn(deed: Withdrawn, visit: Visit, sender: Sender) -> Deed:
    if not visit.record.is_blank:
        raise ReadingError("something was recorded on this call: close it, saying what it was", field="withdrawn")
    return replace(deed, reason=deed.reason.strip())


@_take.register
def _opened(deed: Opened, visit: Visit, sender: Sender) -> Deed:
    raise ReadingError("a call is begun once", field="kind")


@_take.register
def _replated(deed: Replated, visit: Visit, sender: Sender) -> Deed:
    plate = visit.plate
    return Replated(feeds=tuple(feed.id for feed in plate.feeds), calls=plate.calls)
