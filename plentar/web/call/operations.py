"""What a call does when something is sent: keep a reading, flip a switch."""

import json
from collections.abc import Mapping
from dataclasses import asdict
from datetime import datetime
from uuid import UUID, uuid4

from sqlalchemy.orm import Session

from plentar.core.airflow import AirReading
from plentar.core.errors import ReadingError
from plentar.core.faults import faults_of
from plentar.core.observations import sign_of
from plentar.core.places import find_point, ohms_parts, ohms_refusal
from plentar.core.readings import Reading
from plentar.core.safety import safe_list
from plentar.formats.numbers import parse_number
from plentar.formats.stamps import condition_to_json, switch
from plentar.store import calls, evidence, work
from plentar.store.models import AcceptedCause, Observation
from plentar.store.models import Reading as ReadingRow
from plentar.web.call.models import CallScreen, meter_of
from plentar.web.kept import still_open

__all__ = [
    "accept_cause",
    "close_call",
    "flip",
    "keep_air",
    "keep_reading",
    "observe",
    "places_of",
    "typed_reading",
]


def typed_reading(screen: CallScreen, point: str, typed: str) -> Reading:
    """Return what was typed as a reading under the present condition.

    Raises:
        ReadingError: Not a number, or not a point of this unit.
    """
    quantity = find_point(screen.plate, point).quantity
    refusal = ohms_refusal(screen.plate, screen.condition, point)
    if refusal:
        raise ReadingError(refusal, field="value")
    value = parse_number(typed, quantity)
    meter_range = meter_of(screen.call).range_for(quantity, value)
    return Reading(
        point=point,
        value=value,
        condition=screen.condition,
        meter_uncertainty=meter_range.uncertainty(value),
        counts_uncertainty=meter_range.counts_uncertainty,
    )


def keep_reading(
    db: Session,
    screen: CallScreen,
    *,
    reading_id: UUID,
    point: str,
    typed: str,
    supersedes: UUID | None,
    reason: str,
    person_id: UUID,
    moment: datetime,
) -> ReadingRow:
    """Append a reading to the call and return it; the same one sent again is the one already kept.

    Raises:
        ReadingError: It cannot be used; `field` names the form's field.
    """
    earlier = screen.has_reading(reading_id)
    if earlier is not None:
        if (earlier.point, earlier.typed) != (point, typed.strip()):
            raise ReadingError(
                "this form was sent before; press Keep again to keep this as a new reading", field="reading_id"
            )
        return earlier
    reading = typed_reading(screen, point, typed)
    if supersedes is not None:
        old = screen.has_reading(supersedes)
        if old is None or old.point != point:
            raise ReadingError("there is no such reading to correct here", field="supersedes")
        if not reason.strip():
            raise ReadingError("say why the first reading was wrong; it stays in the record", field="reason")
        if not screen.is_standing(supersedes):
            raise ReadingError("that reading was corrected already; reload to see it", field="supersedes")
    if screen.call.status == "closed":
        raise ReadingError("this call is closed; its readings stand", field="value")
    row = ReadingRow(
        id=reading_id,
        shop_id=screen.call.shop_id,
        call_id=screen.call.id,
        person_id=person_id,
        meter_id=screen.call.meter_id,
        point=point,
        value=reading.value,
        typed=typed.strip(),
        meter_uncertainty=reading.meter_uncertainty,
        counts_uncertainty=reading.counts_uncertainty,
        condition=condition_to_json(reading.condition),
        taken_at=moment,
        received_at=moment,
        supersedes_id=supersedes,
        reason=reason.strip() if supersedes else "",
    )
    if not calls.append_reading(db, row):
        raise ReadingError("this form was sent before; press Keep again", field="reading_id")
    calls.open_call(db, screen.call)
    return row


def flip(db: Session, screen: CallScreen, *, what: str, state: str, person_id: UUID, moment: datetime) -> None:
    """Set one switch of the condition strip.

    Raises:
        ReadingError: The unit has no such feed or call, or the Safe list alone may say so.
    """
    still_open(screen.call, what)
    if state == "proven dead":
        raise ReadingError("only the Safe list makes anything proven dead", field=what)
    if what == "control" and state == "separate source" and not _feeds_dead(screen):
        raise ReadingError("a separate source is for a unit whose feeds are proven dead", field=what)
    if what == "control" and state == "separate source":
        # Once fed from elsewhere, the control side has to be proven dead anew.
        undone = _observation(screen, uuid4(), "safe-control-dead", "", "undone", "", person_id, moment)
        evidence.append(db, undone)
    calls.set_condition(db, screen.call, switch(screen.call.condition, screen.plate, what, state, moment))


def _observation(
    screen: CallScreen,
    observation_id: UUID,
    kind: str,
    about: str,
    state: str,
    note: str,
    person_id: UUID,
    moment: datetime,
) -> Observation:
    return Observation(
        id=observation_id,
        shop_id=screen.call.shop_id,
        call_id=screen.call.id,
        person_id=person_id,
        at=moment,
        kind=kind,
        about=about,
        state=state,
        note=note.strip(),
        condition=condition_to_json(screen.condition),
    )


def _feeds_dead(screen: CallScreen) -> bool:
    return all(state == "proven dead" for _, state in screen.condition.feeds)


def places_of(screen: CallScreen, about: str) -> list[str]:
    """Return the ids a sign can be pinned to: parts, strips or feeds of this unit."""
    plate = screen.plate
    if about == "feed":
        return [feed.id for feed in plate.feeds] + [branch.id for branch in plate.branches]
    strips = [circuit.id for circuit in plate.circuits]
    if about == "strip":
        return strips
    parts = [part for part in ohms_parts(plate) if not part.endswith(".to-ground-1")]
    return strips + [device.id for device in plate.devices] + parts


def observe(
    db: Session,
    screen: CallScreen,
    *,
    observation_id: UUID,
    kind: str,
    about: str,
    state: str,
    note: str,
    person_id: UUID,
    moment: datetime,
) -> None:
    """Keep one observation; a line of the Safe list also moves the condition.

    Raises:
        ReadingError: No such sign or line, or a place this unit does not have.
    """
    still_open(screen.call, "kind")
    lines = {(item.kind, item.about) for item in safe_list(screen.plate)}
    is_safe = kind.startswith("safe-")
    sign = sign_of(kind)
    if (is_safe and (kind, about) not in lines) or (not is_safe and sign is None):
        raise ReadingError("there is no such line on this list", field="kind")
    if sign is not None and state == "found" and sign.about and about not in places_of(screen, sign.about):
        raise ReadingError("say where: pick the part it was found on", field="about")
    row = _observation(screen, observation_id, kind, about, state, note, person_id, moment)
    if not evidence.append(db, row):
        return
    calls.open_call(db, screen.call)
    if is_safe:
        _follow_safe_list(db, screen, kind, about, state, moment)


def _follow_safe_list(db: Session, screen: CallScreen, kind: str, about: str, state: str, moment: datetime) -> None:
    """Ticking a feed off switches it off; the whole list done proves everything dead, anything undone ends that."""
    stamp = screen.call.condition
    if kind == "safe-off" and state == "done" and stamp["feeds"].get(about) == "live":
        stamp = switch(stamp, screen.plate, about, "off", moment)
    done = dict(screen.safe_done)
    key = (kind, about)
    is_done = {(item.kind, item.about): (item.kind, item.about) in done for item in safe_list(screen.plate)}
    is_done[key] = state == "done"
    feeds = [feed.id for feed in screen.plate.feeds]
    target = "proven dead" if all(is_done.values()) else "off"
    for feed in feeds:
        if target == "proven dead" or stamp["feeds"].get(feed) == "proven dead":
            stamp = switch(stamp, screen.plate, feed, target, moment)
    if target == "proven dead" or stamp["control"] == "proven dead":
        stamp = switch(stamp, screen.plate, "control", target, moment)
    calls.set_condition(db, screen.call, stamp)


def keep_air(
    db: Session,
    screen: CallScreen,
    *,
    air_id: UUID,
    typed: Mapping[str, str],
    filter_state: str,
    person_id: UUID,
    moment: datetime,
) -> None:
    """Keep one measurement of the air with the watts that heated it.

    Raises:
        ReadingError: No watts yet, or a figure that is none; `field` names the input.
    """
    still_open(screen.call, "supply_degf")
    stream = screen.airstream
    if stream is None:
        raise ReadingError("clamp the strips and read the supply under the heat call first", field="supply_degf")
    figures: dict[str, float] = {}
    for field in ("return_degf", "supply_degf", "altitude_feet"):
        text = typed.get(field, "").strip()
        if not text and field == "altitude_feet":
            continue
        try:
            figures[field] = parse_number(text.removesuffix("°F").removesuffix("ft").strip(), "plain")
        except ReadingError as error:
            raise ReadingError(f"expected a number such as 72, got “{text[:20]}”", field=field) from error
    steady = min((seconds for _, seconds in screen.condition.calls if seconds is not None), default=None)
    reading = AirReading(
        watts=stream.watts,
        watts_uncertainty=stream.uncertainty,
        steady_seconds=steady if screen.condition.is_called("W") else None,
        **figures,
    )
    row = _observation(screen, air_id, "air", filter_state, "done", "", person_id, moment)
    row.note = json.dumps({"reading": asdict(reading), "strips": dict(stream.strips), "volts": stream.volts})
    evidence.append(db, row)
    calls.open_call(db, screen.call)


def accept_cause(
    db: Session,
    screen: CallScreen,
    *,
    cause_id: UUID,
    faults: list[str],
    title: str,
    cause: str,
    cause_not_found: bool,
    consequence: str,
    person_id: UUID,
    moment: datetime,
) -> None:
    """Keep what the technician accepts as the cause.

    Raises:
        ReadingError: Nothing named, an unknown fault, or neither a cause of it nor "cause not found".
    """
    still_open(screen.call, "title")
    known = {fault.id: fault.title for fault in faults_of(screen.plate)}
    parts = [part for fault in faults for part in fault.split("+")]
    if any(part not in known for part in parts):
        raise ReadingError("this unit cannot have that fault", field="title")
    words = title.strip() or " or ".join(" and ".join(known[p] for p in fault.split("+")) for fault in faults[:3])
    if not words:
        raise ReadingError("say what is wrong", field="title")
    if not cause.strip() and not cause_not_found:
        raise ReadingError("say what caused it, or tick cause not found", field="cause")
    named = {name for suspect in screen.suspects for name in suspect.faults}
    share = sum(s.probability for s in screen.suspects if set(s.faults) & set(faults)) if set(faults) & named else None
    evidence.append(
        db,
        AcceptedCause(
            id=cause_id,
            shop_id=screen.call.shop_id,
            call_id=screen.call.id,
            person_id=person_id,
            at=moment,
            faults=faults,
            title=words,
            cause=cause.strip(),
            cause_not_found=cause_not_found,
            consequence=consequence.strip(),
            share=share,
        ),
    )
    calls.open_call(db, screen.call)


def close_call(db: Session, screen: CallScreen, *, outcome: str, moment: datetime) -> None:
    """Close the call.

    Raises:
        ReadingError: Nothing says what was done and no cause was accepted, or a repair is not proven yet.
    """
    still_open(screen.call, "outcome")
    if work.awaits_proof(db, shop_id=screen.call.shop_id, call_id=screen.call.id):
        raise ReadingError("prove the repair first, or say under Fix and prove why it stays unproven", field="outcome")
    if not outcome.strip() and not screen.gathered.causes:
        raise ReadingError("say in a line what was found and done", field="outcome")
    screen.call.outcome = outcome.strip()
    screen.call.status, screen.call.closed_at = "closed", moment
