"""What may be recorded on a call: each action checked against the visit as it stands, and completed.

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
    Action,
    Aired,
    Amended,
    Caused,
    Checked,
    Closed,
    Fitted,
    Landed,
    Locked,
    Logged,
    LoggedOut,
    Mapped,
    Marked,
    Measured,
    MeterProven,
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
from plentar.core.evidence.lockout import Lockout, safe_ticks
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
from plentar.core.limits.voltages import FRAME_VOLTS
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
CLOSED = "this call is closed and can't be changed"


@dataclass(frozen=True, slots=True, kw_only=True)
class Sender:
    """Who sends an action, with what: their id, the moment it was done, the shop's meters, how numbers are read, and
    how a thing is said where it is written down. `clock_seconds` is how far the clock that told the moment may be off,
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


def take_in(visit: Visit, action: Action, sender: Sender) -> Action:
    """Return an action completed with what is worked out when it is kept.

    Raises:
        ReadingError: It cannot be; `field` names the sender's field.
    """
    sender = _by_our_clock(visit, sender)
    # A paper may be signed after the call was closed: that changes nothing in it.
    if visit.record.closed is not None and not action.is_after_closing and not _is_late(visit, action, sender):
        event, _ = visit.record.closed
        words = "this call is closed and takes no more readings" if isinstance(action, Measured) else CLOSED
        raise ReadingError(
            f"{words} (closed by {event.by})", field="value" if isinstance(action, Measured) else "closed"
        )
    return _take(spelled(action, visit.plate), visit, sender)


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
        raise ReadingError("this is more than 400 days ago. Check your phone's clock", field="done_at")
    _check_not_ahead(done_at, clock_seconds, now)


def _check_not_ahead(done_at: float, clock_seconds: float, now: float) -> None:
    if done_at > now + clock_seconds + CLOCK_STEP_SECONDS:
        raise ReadingError("this time is in the future. Check your phone's clock", field="done_at")


def _by_our_clock(visit: Visit, sender: Sender) -> Sender:
    """Return the sender with a clock that runs ahead within its doubt set back to now.

    Raises:
        ReadingError: It was done at a moment that cannot be, or by a clock too far off to put it in order.
    """
    if sender.now is None:
        return sender
    if sender.clock_seconds > MOST_DOUBT_SECONDS and not sender.is_accepted:
        words = "the phone's clock may be off by more than an hour, so the order of events is not known"
        raise ReadingError(words, field="clock_seconds")
    opened = next((event.done_at for event in visit.record.events if isinstance(event.action, Opened)), None)
    if opened is not None and sender.done_at < opened - BEFORE_OPENING_SECONDS:
        words = "this is more than a day before the call was opened. Check your phone's clock"
        raise ReadingError(words, field="done_at")
    _check_not_ahead(sender.done_at, sender.clock_seconds, sender.now)
    return replace(sender, done_at=min(sender.done_at, sender.now))


def _is_late(visit: Visit, action: Action, sender: Sender) -> bool:
    """Tell whether a phone without signal kept this before the call was closed: evidence, whenever it comes.

    Without a phone's seal anybody could claim a moment before the closing.
    """
    assert visit.record.closed is not None  # noqa: S101 - asked of a closed call only
    closed, _ = visit.record.closed
    is_before = bool(sender.phone) and sender.done_at - sender.clock_seconds < closed.latest
    return is_before and sender.person != closed.person and not action.is_decision


@singledispatch
def _take(action: Action, visit: Visit, sender: Sender) -> Action:
    """Take in what needs no more than its own checks."""
    return action


def spelled(action: Action, plate: Nameplate) -> Action:
    """Return an action as it is kept and compared: two probes set down in either order are one point.

    Raises:
        ReadingError: The unit has no such point.
    """
    return replace(action, point=find_point(plate, action.point).id) if isinstance(action, Measured) else action


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
def _measured(action: Measured, visit: Visit, sender: Sender) -> Action:
    point = find_point(visit.plate, action.point)
    lockout = _lockout(visit, sender)
    condition = replace(lockout.condition(sender.done_at), in_hand=action.in_hand)
    # What is corrected must stand, stand here, and not be corrected already.
    old = visit.record.taken_by_id(action.supersedes) if action.supersedes else None
    if action.supersedes:
        # A number may be moved to the place it was really read at; another number there would be a reading made up.
        is_here = old is not None and find_point(visit.plate, old.reading.point) == point
        # Never while anything is off: what proves a place dead, or not, is read there again.
        is_moved = (
            old is not None
            and all(state == "live" for _, state in old.reading.condition.feeds)
            and old.action.typed == action.typed.strip()
            and old.reading.function == point.quantity
        )
        if old is None or not (is_here or is_moved):
            raise ReadingError("there is no such reading on this call", field="supersedes")
        if old.void_reason:
            raise ReadingError("this reading was already corrected. Reload to see it", field="supersedes")
        # A correction tells what that reading was; the unit was as it was then.
        condition = old.reading.condition
        refusal = condition_refusal(visit.plate, condition, action.point)
    else:
        # Asked at the moment it is kept, not when the page was drawn.
        refusal = ohms_refusal(visit.plate, lockout, action.point, person=sender.person, in_hand=action.in_hand)
    if refusal:
        raise ReadingError(refusal, field="value")
    if action.mode and point.quantity != "volts":
        raise ReadingError("low-impedance mode only works with AC volts", field="mode")
    meter = action.meter or sender.meter
    value = sender.parse(action.typed, point.quantity)
    # The meter's doubt is kept with the number: a meter sold later changes no old verdict.
    own = _meter_of(sender, meter)
    half, counts = _uncertainty(own, point.quantity, value)
    if action.is_at_most:
        _require_dead(visit, lockout, point.quantity, value + half)
    # Constructed for validation only: a reading that cannot be one raises here, beside its field.
    Reading(point=action.point, value=value, condition=condition)
    return replace(
        action,
        typed=action.typed.strip(),
        meter=meter,
        value=value,
        meter_uncertainty=half,
        counts_uncertainty=counts,
        calibrated_on=own.calibrated_on,
        condition=condition,
        in_hand=condition.in_hand,
        reason=action.reason.strip(),
    )


def _require_dead(visit: Visit, lockout: Lockout, quantity: str, most_volts: float) -> None:
    """Refuse one number for several pairs where any of them may be live.

    Source:
        docs/trade.md, section 10, highest of the pairs.
    """
    if quantity != "volts" or "live" in lockout.feeds.values():
        raise ReadingError("one number for several pairs is only accepted in volts, with every feed off", field="value")
    limit = visit.limits.number("dead_volts")
    if most_volts >= limit:
        words = (
            f"with the meter's uncertainty this reaches {limit:g} V. Treat it as live and enter each pair separately"
        )
        raise ReadingError(words, field="value")


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
def _voided(action: Voided, visit: Visit, sender: Sender) -> Action:
    event = visit.record.event(action.event)
    # Switches, locks and proofs are facts of safety: nobody strikes those out.
    if event is None or not event.action.is_voidable:
        raise ReadingError("there is nothing to void here", field="event")
    if action.event in visit.record.voided:
        raise ReadingError("this was already voided. Reload to see it", field="event")
    return action


@_take.register
def _switched(action: Switched, visit: Visit, sender: Sender) -> Action:
    plate = visit.plate
    states: dict[str, tuple[str, ...]] = {feed.id: ("live", "off") for feed in plate.feeds}
    states["control"] = ("from unit", "separate source", "off")
    states["thermostat"] = ("on", "bypassed")
    states |= dict.fromkeys(plate.calls, ("on", "off"))
    if action.what not in states:
        raise ReadingError(f"this unit has nothing named {action.what[:40]!r} to switch", field=action.what[:40])
    if action.state not in states[action.what]:
        raise ReadingError(f"cannot switch {action.what} to {action.state!r}", field=action.what)
    # Going live needs no device; naming one would look like a lock-out.
    if action.device and action.state != "off":
        raise ReadingError("choose a device only when a feed goes off", field="device")
    return action


@_take.register
def _ticked(action: Ticked, visit: Visit, sender: Sender) -> Action:
    lines = {*safe_ticks(visit.plate), ("safe-frame", "")}
    if (action.line, action.about) not in lines:
        raise ReadingError("this line is not on the list", field="kind")
    if not action.is_done:
        return action
    if action.line == "safe-capacitor":
        dead = visit.limits.number("dead_volts")
        if action.volts is None:
            raise ReadingError("enter what the meter shows across the capacitor, DC", field="volts")
        # A capacitor that still stands at some volts was not discharged, whatever was ticked.
        if action.volts >= dead:
            raise ReadingError(
                f"still {action.volts:g} V. Discharge it again, then read below {dead:g} V", field="volts"
            )
    if action.line == "safe-frame" and (action.volts is None or action.volts < FRAME_VOLTS):
        words = f"a known live leg reads {FRAME_VOLTS:g} V or more to a grounded cabinet. Enter what it shows"
        raise ReadingError(words, field="volts")
    return action


@_take.register
def _meter_proven(action: MeterProven, visit: Visit, sender: Sender) -> Action:
    meter = action.meter or sender.meter
    if meter not in sender.meters:
        raise ReadingError("that meter is not one of the shop's", field="meter")
    return replace(action, meter=meter)


@_take.register
def _locked(action: Locked, visit: Visit, sender: Sender) -> Action:
    if action.feed not in {feed.id for feed in visit.plate.feeds}:
        raise ReadingError("this unit has no such feed", field="feed")
    if not action.owner or action.owner == sender.person:
        return replace(action, owner="")
    if not any(lock.feed == action.feed and lock.person == action.owner for lock in visit.lockout.locks):
        raise ReadingError("no such lock is on that feed", field="feed")
    if action.is_on:
        raise ReadingError("each person puts on their own lock", field="feed")
    if len(action.reached.strip()) < 10:
        words = (
            "remove another person's lock only after reaching its owner. Enter how, and that they are clear of the unit"
        )
        raise ReadingError(words, field="reached")
    return action


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
def _seen(action: Observed, visit: Visit, sender: Sender) -> Action:
    plate, condition = visit.plate, _condition(visit, sender)
    rows = dict(ROWS)
    if action.sign in FELT_ROWS:
        if action.about not in rows:
            raise ReadingError("there is no such row", field="about")
        # A row is about its own calls, whatever the strip at the foot of the call page was left on.
        wanted = row_calls(plate, rows[action.about])
        if condition.on & {"W", "W2", "G"} != wanted:
            condition = replace(condition, calls=tuple((call, None) for call in sorted(wanted)))
    elif action.sign == "hunt":
        if action.about not in {"R", "O", *plate.calls}:
            raise ReadingError("there is no such conductor", field="about")
    elif action.sign != "start":
        sign = sign_of(action.sign)
        if sign is None:
            raise ReadingError("this line is not on the list", field="kind")
        is_pinned = bool(sign.about) and not (sign.may_float and not action.about)
        if action.state == "found" and is_pinned and action.about not in places_of(plate, sign.about):
            raise ReadingError("choose the part it was found on", field="about")
    return replace(action, condition=condition, note=action.note.strip())


@_take.register
def _mapped(action: Mapped, visit: Visit, sender: Sender) -> Action:
    for w in action.wires:
        MapRow(thermostat=w.thermostat, board=w.board, colour=w.colour[:20], jumpered_to=w.jumpered_to)
    return action


@_take.register
def _photographed(action: Photographed, visit: Visit, sender: Sender) -> Action:
    places = {
        *places_of(visit.plate, "part"),
        *places_of(visit.plate, "feed"),
        *(name for name, _ in ledger_parts(visit)),
    }
    if action.part and action.part not in places:
        raise ReadingError("choose the part it shows", field="part")
    return replace(action, note=action.note.strip())


@_take.register
def _tapped(action: Tapped, visit: Visit, sender: Sender) -> Action:
    run = visit.watch_runs[-1] if visit.watch_runs else None
    if action.stage and action.stage not in {stage.id for stage in (*visit.stages, *visit.fan_stages)}:
        raise ReadingError("this unit has no such stage", field="what")
    if (action.deed in ("on", "off")) != bool(action.stage):
        raise ReadingError("choose the stage that came on or went off", field="what")
    if action.deed == "call" and not action.is_undone:
        if run is not None and run.dropped_at is None:
            raise ReadingError("a run is in progress. End its call first", field="what")
        # A run's number is never used twice, taken back or not.
        used = [tap.run for _, tap in visit.record.taps if tap.deed == "call"]
        return replace(action, run=max(used, default=0) + 1)
    if run is None:
        raise ReadingError("no run is in progress. Call for heat first", field="what")
    if action.stage and action.stage not in {stage.id for stage in visit.stages_of_run(run)}:
        raise ReadingError("this run's call does not switch that stage", field="what")
    if action.deed == "off" and run.dropped_at is None and not action.is_undone:
        raise ReadingError("end the call first. Log a strip that goes off by itself", field="what")
    return replace(action, run=run.number, call=run.call)


def clamps_of(plate: Nameplate) -> list[tuple[str, Text]]:
    """Return what a logging clamp can be around, with its words."""
    feeds = [(feed.id, message("intake.one-leg", feed=part_words(feed.id))) for feed in plate.feeds]
    return [*feeds, *((c.id, c.name) for c in plate.circuits), ("blower", message("places.blower"))]


@_take.register
def _logged(action: Logged, visit: Visit, sender: Sender) -> Action:
    if action.clamp not in {name for name, _ in clamps_of(visit.plate)}:
        raise ReadingError("choose what the clamp was around", field="clamp")
    for fault in action.faults:
        fault_by_id(visit.plate, fault)
    called, dropped = action.called_seconds, action.dropped_seconds
    if called is not None and dropped is not None and dropped <= called:
        raise ReadingError("the call ended before it started", field="dropped")
    return action


@_take.register
def _logged_out(action: LoggedOut, visit: Visit, sender: Sender) -> Action:
    if not any(event.id == action.log and log.is_recording for event, log in visit.record.logs):
        raise ReadingError("no such recording is running", field="log")
    return action


@_take.register
def _aired(action: Aired, visit: Visit, sender: Sender) -> Action:
    for name, field in ((action.return_reading, "return_degf"), (action.supply_reading, "supply_degf")):
        entry = visit.record.taken_by_id(name)
        if entry is None or entry.reading.function != "degf":
            raise ReadingError("measure both temperatures first", field=field)
    if visit.airstream() is None and "Y" not in visit.lockout.calls:
        raise ReadingError("first clamp the strips and read the supply while calling for heat", field="supply_degf")
    if not -1500 <= action.altitude_feet <= 15_000:
        raise ReadingError(f"expected -1,500 to 15,000 ft, got {action.altitude_feet:g}", field="altitude_feet")
    return replace(action, condition=_condition(visit, sender))


@_take.register
def _caused(action: Caused, visit: Visit, sender: Sender) -> Action:
    known = {fault.id: fault.title for fault in faults_of(visit.plate)}
    parts = [part for fault in action.faults for part in fault.split("+")]
    # A cause from another unit's page, or from before the plate was changed.
    if any(part not in known for part in parts):
        raise ReadingError("this unit cannot have that fault", field="title")
    named = joined((joined(known[p] for p in fault.split("+")) for fault in action.faults[:3]), "or")
    words = action.words.strip() or sender.words(named)
    if not words:
        raise ReadingError("enter what is wrong", field="title")
    share = None
    if action.faults:
        asked = set(action.faults)
        # How sure the readings were when it was accepted goes on record with it.
        shares = [suspect.probability for suspect in visit.suspects if set(suspect.faults) & asked]
        share = sum(shares) if shares else None
    return replace(action, title=words, cause=action.cause.strip(), consequence=action.consequence.strip(), share=share)


def ledger_parts(visit: Visit) -> list[tuple[str, str]]:
    """Return the parts whose leads a ledger can hold, those of an accepted cause first, with their words."""
    plate = visit.plate
    names = [device.id for device in plate.devices] + [circuit.id for circuit in plate.circuits]
    if plate.blower.relay is not None:
        names.append(plate.blower.relay.id)
    names += ["blower", "transformer"]
    blamed = {place_of(fault).owner for fault in visit.record.blamed_faults}
    # What is being repaired first; otherwise in the plate's order.
    names.sort(key=lambda name: name not in blamed)
    return [(name, part_words(name)) for name in names]


@_take.register
def _landed(action: Landed, visit: Visit, sender: Sender) -> Action:
    check_ledger(visit.plate, action.part, action.rows)
    return replace(action, condition=_condition(visit, sender))


@_take.register
def _fitted(action: Fitted, visit: Visit, sender: Sender) -> Action:
    return replace(action, name=action.name.strip(), choice=action.choice.strip())


@_take.register
def _temporary(action: Temporary, visit: Visit, sender: Sender) -> Action:
    known = {circuit.id for circuit in visit.plate.circuits}
    feeds = {feed.id: feed.breaker_amps for feed in visit.plate.feeds}
    if not set(action.off) <= known or not (action.off or action.feed):
        raise ReadingError("choose the stage that is off", field="circuit")
    if action.feed and action.feed not in feeds:
        raise ReadingError("the unit has no such feed", field="feed")
    if action.device_amps is not None:
        if action.device_amps not in STANDARD_DEVICES:
            raise ReadingError("expected a standard size", field="device_amps")
        # Never a bigger one for a tripping one: docs/trade.md, section 8.
        if action.device_amps >= (feeds.get(action.feed) or 0.0):
            raise ReadingError("expected a smaller device than the one that is there", field="device_amps")
    off = action.off if action.off or action.device_amps is not None else (action.feed,)
    left, whole = visit.left_to_heat(off)
    return replace(action, how=action.how.strip(), tag=action.tag.strip(), left_watts=left, whole_watts=whole)


@_take.register
def _temporary_done(action: TemporaryDone, visit: Visit, sender: Sender) -> Action:
    open_ones = {event.id: done for event, _, done in visit.record.open_temporaries}
    if action.temporary not in open_ones:
        raise ReadingError("there is no such temporary measure here", field="temporary")
    if open_ones[action.temporary]:
        raise ReadingError("this was already done. Reload to see it", field="temporary")
    return action


@_take.register
def _checked(action: Checked, visit: Visit, sender: Sender) -> Action:
    if action.line not in {name for name, _ in BEFORE_POWER}:
        raise ReadingError("this line is not on the list", field="check")
    return action


@_take.register
def _power_back(action: PowerBack, visit: Visit, sender: Sender) -> Action:
    # A fact is recorded whatever stands against it; what was said before it goes along.
    return replace(action, warned=tuple(map(sender.words, visit.power_warnings)))


@_take.register
def _settled(action: RepairSettled, visit: Visit, sender: Sender) -> Action:
    done, of = visit.proven
    blockers, reason = visit.blockers, action.reason.strip()
    if done == of and not blockers and not reason:
        return replace(action, is_proven=True, readings=of, reason="")
    # Unproven may be, but never without a word why.
    if not reason:
        left = next((p.item.words for p in visit.proof if not p.is_proven), "")
        what = blockers[0] if blockers else message("intake.line", line=left)
        raise ReadingError(message("intake.not-proven-yet", what=what), field="reason")
    return replace(action, is_proven=False, readings=done, reason=reason, overridden=tuple(map(sender.words, blockers)))


@_take.register
def _closed(action: Closed, visit: Visit, sender: Sender) -> Action:
    against = [sender.words(blocker) for blocker in visit.blockers]
    if visit.record.awaits_proof:
        against.insert(0, sender.words(message("intake.prove-first")))
    settled = visit.record.settled
    if settled is not None and not visit.record.awaits_proof:
        # What was overridden when the proof was settled was said there.
        against = [words for words in against if words not in settled[1].overridden]
    # A lock still on or a loose end may be stated and overridden, never overlooked.
    if against and not action.reason.strip():
        raise ReadingError(against[0], field="outcome")
    if not action.outcome.strip() and not visit.record.causes:
        raise ReadingError("enter what was found and done", field="outcome")
    return replace(action, outcome=action.outcome.strip(), reason=action.reason.strip(), overridden=tuple(against))


@_take.register
def _marked(action: Marked, visit: Visit, sender: Sender) -> Action:
    if action.about != FILTER and action.about not in places_of(visit.plate, "part"):
        raise ReadingError("choose the part it is on", field="about")
    return replace(action, words=action.words.strip())


@_take.register
def _amended(action: Amended, visit: Visit, sender: Sender) -> Action:
    unknown = [name for name in action.complaints if name not in COMPLAINTS and name != OTHER]
    if unknown:
        raise ReadingError(f"there is no complaint {unknown[0][:40]!r} on the list", field="complaints")
    return replace(
        action, complaints=action.complaints or (OTHER,), words=action.words.strip(), at_risk=action.at_risk.strip()
    )


@_take.register
def _signed(action: Signed, visit: Visit, sender: Sender) -> Action:
    if not visit.standing_now and not visit.record.causes:
        raise ReadingError("there is nothing to sign yet. Enter a reading or what was found first", field="name")
    return replace(action, name=action.name.strip())


@_take.register
def _withdrawn(action: Withdrawn, visit: Visit, sender: Sender) -> Action:
    if not visit.record.is_blank:
        raise ReadingError("this call has entries. Close it instead, with what was found", field="withdrawn")
    return replace(action, reason=action.reason.strip())


@_take.register
def _opened(action: Opened, visit: Visit, sender: Sender) -> Action:
    raise ReadingError("a call is opened only once", field="kind")


@_take.register
def _replated(action: Replated, visit: Visit, sender: Sender) -> Action:
    plate = visit.plate
    return Replated(feeds=tuple(feed.id for feed in plate.feeds), calls=plate.calls)
