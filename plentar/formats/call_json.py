"""A call as JSON for the command line: the unit, what was read under which condition, what was seen."""

import hashlib
import math
from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError

from plentar.core.causes.diagnosis import Diagnosis
from plentar.core.causes.next_test import SCHOOLS, NextTest
from plentar.core.circuit.places import find_point
from plentar.core.errors import ReadingError
from plentar.core.evidence.events import COLDEST_DEGF, HOTTEST_DEGF, Action, Aired, Event, Measured, Observed, Tapped
from plentar.core.evidence.metrology import DEMO_METER, Meter, MeterRange
from plentar.core.evidence.reading import Condition, ControlState, FeedState, Hand, Mode, Reading
from plentar.core.evidence.record import Record
from plentar.core.evidence.signs import LOOK, SIGNS, Observation, sign_of
from plentar.core.judging.findings import Finding
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.quantities import QuantityId
from plentar.core.visit import Visit
from plentar.core.work.safety import condition_refusal
from plentar.formats.events_json import action_from_json
from plentar.formats.packed import Floats
from plentar.formats.unit_json import first_problem
from plentar.words import render

__all__ = ["CALL_FORMAT", "CallFile", "call_from_json", "call_schema", "diagnosis_to_json"]

CALL_FORMAT = "plentar.call/1"
Finite = Annotated[float, Field(allow_inf_nan=False)]


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid")


class ConditionFile(_Strict):
    """What the unit was fed and told; a feed not named is live, `calls` gives seconds since each call or null."""

    feeds: dict[str, FeedState] = {}
    control: ControlState = "from unit"
    calls: dict[Literal["W", "W2", "G", "Y"], Annotated[float, Field(ge=0)] | None] = {}
    seconds_since_change: float | None = None
    bypassed: bool = False
    in_hand: Hand = ""
    opened: dict[str, str] = {}


class ReadingFile(_Strict):
    """One reading; `value` in V, A, ohm, µF or °F, or "OL" for open; `at` seconds of the call's own clock.

    A superseded one is on record and not weighed.
    """

    id: str = ""
    at: Annotated[float, Field(ge=0)] | None = None
    taken_at: str = ""
    by: str = ""
    supersedes: str = ""
    reason: str = ""
    is_superseded: bool = False
    point: str
    value: Finite | Literal["OL"]
    condition: ConditionFile = ConditionFile()
    mode: Mode = ""
    meter_uncertainty: Annotated[float, Field(ge=0)] | None = None
    meter: str = ""
    meter_calibrated_on: str = ""


def _known_sign(kind: str) -> str:
    if sign_of(kind) is None:
        raise ValueError(f"expected one of {', '.join(sign.kind for sign in (*LOOK, *SIGNS))}")
    return kind


class ObservationFile(_Strict):
    """Something seen or heard."""

    kind: Annotated[str, AfterValidator(_known_sign)]
    about: str = ""
    condition: ConditionFile = ConditionFile()


class SamplesFile(_Strict):
    """What a log holds: its own seconds, rising, and the clamp's amps at each; at most ten hours at two a second."""

    seconds: Annotated[list[Finite], Field(min_length=2, max_length=72_000)]
    amps: Annotated[list[Finite], Field(min_length=2, max_length=72_000)]


class EventFile(_Strict):
    """Something done on the call, as over HTTP: a tap of the stopwatch, a part fitted, power back on.

    A log brings its `samples` along.
    """

    at: Annotated[float, Field(ge=0)]
    kind: str
    payload: dict[str, Any] = {}
    samples: SamplesFile | None = None


class RangeFile(_Strict):
    """One function of a meter on one range."""

    quantity: QuantityId
    percent: float
    counts: float
    resolution: float
    full_scale: float = math.inf


class CallFile(_Strict):
    """The whole file; `unit` is a unit file's content, `unit_file` a path beside the call file instead."""

    format: Literal["plentar.call/1"]
    note: str = ""
    record: dict[str, Any] = {}
    unit: dict[str, Any] | None = None
    unit_file: str | None = None
    complaints: list[str] = []
    outdoor_degf: float | None = None
    indoor_degf: float | None = None
    school: str = "amps first"
    meter: list[RangeFile] = []
    readings: list[ReadingFile] = []
    observations: list[ObservationFile] = []
    events: list[EventFile] = []
    limits: dict[str, list[float]] = {}


def call_from_json(document: object) -> CallFile:
    """Return the call a JSON document describes; its unit is read separately.

    Raises:
        ReadingError: Something is missing, unknown or out of range; `field` is its path.
    """
    try:
        call = CallFile.model_validate(document)
    except ValidationError as error:
        found = first_problem(error)
        raise ReadingError(found.words, field=found.path) from error
    if call.school not in SCHOOLS:
        raise ReadingError(f"expected one of {', '.join(SCHOOLS)}, got {call.school!r}", field="school")
    for field in ("outdoor_degf", "indoor_degf"):
        degf = getattr(call, field)
        if degf is not None and not COLDEST_DEGF <= degf <= HOTTEST_DEGF:
            raise ReadingError(f"expected {COLDEST_DEGF:g} to {HOTTEST_DEGF:g} °F, got {degf:g}", field=field)
    if (call.unit is None) == (call.unit_file is None):
        raise ReadingError("expected either unit or unit_file", field="unit")
    return call


def readings_of(call: CallFile, plate: Nameplate) -> list[Reading]:
    """Return the call's readings as core values, checked against the unit.

    Raises:
        ReadingError: A point the unit does not have, a negative or impossible value; `field` is its path.
    """
    ranges = tuple(MeterRange(**entry.model_dump()) for entry in call.meter)
    meter = Meter(name="the call's meter", ranges=ranges) if ranges else DEMO_METER
    found = []
    for index, entry in enumerate(call.readings):
        if entry.is_superseded:
            continue
        value = OPEN_OHMS if entry.value == "OL" else float(entry.value)
        quantity = entry.point.partition(":")[0]
        try:
            point = find_point(plate, entry.point).id
            half = entry.meter_uncertainty
            half = meter.uncertainty(quantity, value) if half is None else half
            condition = _condition(entry.condition, plate)
            reading = Reading(point=point, value=value, condition=condition, meter_uncertainty=half, mode=entry.mode)
        except ValueError as error:
            field = getattr(error, "field", "") or "value"
            raise ReadingError(getattr(error, "message", str(error)), field=f"readings[{index}].{field}") from error
        refusal = condition_refusal(plate, condition, point)
        if refusal:
            raise ReadingError(f"{render(refusal)}; say so in the condition", field=f"readings[{index}].condition")
        found.append(reading)
    return found


def visit_of(call: CallFile, plate: Nameplate) -> Visit:
    """Return the visit a call file describes.

    Raises:
        ReadingError: Something in it cannot be; `field` is its path.
    """
    kept = [entry for entry in call.readings if not entry.is_superseded]
    # What gives no second of its own comes after what stands before it in its list.
    timed: list[tuple[float, str, Action]] = []
    for entry, reading in zip(kept, readings_of(call, plate), strict=True):
        before = timed[-1][0] if timed else 0.0
        timed.append((before + 1.0 if entry.at is None else entry.at, entry.id, _measured(reading)))
    for index, seen in enumerate(observations_of(call, plate)):
        at = timed[-1][0] + 1.0 if timed else 0.0
        timed.append((at, "", _seen(seen, index)))
    timed += [(done.at, _id_of(done, index), _action(done, index, plate)) for index, done in enumerate(call.events)]
    timed.sort(key=lambda entry: entry[0])
    events = [
        # A reading keeps its own id, so that a measurement of the air can name it.
        Event(id=own or f"{seq}", seq=seq, action=action, person="", by="", done_at=at, come_at=at)
        for seq, (at, own, action) in enumerate(timed, start=1)
    ]
    changed = tuple((name, tuple(figures)) for name, figures in sorted(call.limits.items()))
    limits = Limits(changed=changed) if changed else DEFAULT_LIMITS
    moment = max((event.done_at for event in events), default=0.0)
    return Visit(
        plate,
        Record(events),
        limits=limits,
        complaints=call.complaints,
        moment=moment,
        samples_of=_samples(call).__getitem__,
        outdoor_degf=call.outdoor_degf,
        indoor_degf=call.indoor_degf,
    )


def _id_of(entry: EventFile, index: int) -> str:
    """Return an event's id; a log's holds its content, since what it shows is kept under it."""
    if entry.samples is None:
        return f"event-{index}"
    return f"log-{hashlib.sha256(entry.samples.model_dump_json().encode()).hexdigest()[:32]}-{index}"


def _samples(call: CallFile) -> dict[str, tuple[Floats, Floats]]:
    """Return each log's samples by its event's id.

    Raises:
        ReadingError: A log without samples, or with times that do not rise or do not match its amps.
    """
    found = {}
    for index, entry in enumerate(call.events):
        if entry.kind != "log":
            continue
        field = f"events[{index}].samples"
        if entry.samples is None:
            raise ReadingError("a log needs its samples: seconds and amps", field=field)
        seconds, amps = (np.array(column, dtype=np.float64) for column in (entry.samples.seconds, entry.samples.amps))
        if seconds.size != amps.size:
            raise ReadingError(f"expected as many amps as seconds, got {amps.size} and {seconds.size}", field=field)
        if np.any(np.diff(seconds) <= 0):
            raise ReadingError("seconds must rise from sample to sample", field=f"{field}.seconds")
        found[_id_of(entry, index)] = (seconds, amps)
    return found


def _measured(reading: Reading) -> Measured:
    return Measured(
        point=reading.point,
        typed=f"{reading.value:g}",
        mode=reading.mode,
        value=reading.value,
        meter_uncertainty=reading.meter_uncertainty,
        condition=reading.condition,
    )


def _seen(entry: Observation, index: int) -> Observed:
    again = ("bad-start", "blower-runs", "blower-still", "strips-heat", "strips-cold")
    about = entry.about or (f"{index}" if entry.kind in again else "")
    return Observed(sign=entry.kind, about=about, condition=entry.condition)


def _action(entry: EventFile, index: int, plate: Nameplate) -> Action:
    try:
        action = action_from_json(entry.kind, entry.payload)
    except ReadingError as error:
        error.field = ".".join(part for part in (f"events[{index}]", error.field) if part)
        raise
    if isinstance(action, Measured):
        raise ReadingError("readings stand in readings", field=f"events[{index}].kind")
    if isinstance(action, Tapped):
        action = replace(action, run=1)
    if isinstance(action, Aired):
        on: tuple[tuple[str, float | None], ...] = (("W", None),)
        action = replace(action, condition=Condition(feeds=tuple((f.id, "live") for f in plate.feeds), calls=on))
    return action


def observations_of(call: CallFile, plate: Nameplate) -> list[Observation]:
    """Return what was seen and heard as core values."""
    return [
        Observation(kind=entry.kind, about=entry.about, condition=_condition(entry.condition, plate))
        for entry in call.observations
    ]


def _condition(entry: ConditionFile, plate: Nameplate) -> Condition:
    feeds = {feed.id for feed in plate.feeds}
    for name in entry.feeds:
        if name not in feeds:
            raise ReadingError(f"this unit has no feed {name!r}", field="condition.feeds")
    return Condition(
        feeds=tuple((name, entry.feeds.get(name, "live")) for name in sorted(feeds)),
        control=entry.control,
        calls=tuple(entry.calls.items()),
        seconds_since_change=entry.seconds_since_change,
        bypassed=entry.bypassed,
        in_hand=entry.in_hand,
        opened=tuple(sorted(entry.opened.items())),
    )


def call_schema() -> dict[str, Any]:
    """Return the JSON Schema of a call file."""
    return CallFile.model_json_schema()


def diagnosis_to_json(diagnosis: Diagnosis, tests: tuple[NextTest, ...], *, visit: Visit) -> dict[str, Any]:
    """Return a diagnosis with its next tests and what was found as JSON-ready values."""
    advice = visit.advice
    return {
        "format": "plentar.diagnosis/1",
        "findings": [_finding(found) for found in visit.findings],
        "found_before_repair": [_finding(found) for found in visit.findings_before],
        "not_checked": [render(words) for words in visit.unchecked],
        "proof": [{"item": render(p.item.words), "is_proven": p.is_proven} for p in visit.proof],
        "advice": {"kind": advice.kind, "words": render(advice.words), "point": advice.point},
        "wait_seconds": round(diagnosis.wait_seconds, 1),
        "ask_again": list(diagnosis.ask_again),
        "asks": [{"point": ask.point, "why": render(ask.words), "fits": ask.fits} for ask in diagnosis.asks],
        "causes": [
            {
                "faults": list(cause.faults),
                "title": render(cause.title),
                "size": render(cause.size),
                "probability": round(cause.probability, 5),
                "failures": [
                    {"faults": list(f.faults), "title": render(f.title), "probability": round(f.probability, 5)}
                    for f in cause.failures
                ],
                "reasons_for": [_reason(reason) for reason in cause.reasons_for],
                "reasons_against": [_reason(reason) for reason in cause.reasons_against],
                "repair": render(cause.repair),
                "proof": render(cause.proof),
            }
            for cause in diagnosis.causes
        ],
        "groups": [list(f.faults) for cause in diagnosis.causes for f in cause.failures if len(f.faults) > 1],
        "next_tests": [
            {
                "point": entry.test.point,
                "on": sorted(entry.test.drive.calls),
                "power": "isolated" if entry.test.is_isolated else "live",
                "words": render(entry.test.words),
                "bits": round(entry.bits, 4),
                "minutes": round(entry.minutes, 2),
                "splits": [render(words) for words in entry.splits],
            }
            for entry in tests
        ],
    }


def _reason(reason: Any) -> dict[str, Any]:
    return {"point": reason.point, "words": render(reason.words), "weight": round(reason.weight, 3)}


def _finding(found: Finding) -> dict[str, Any]:
    verdict = found.verdict
    return {
        "about": render(found.about),
        "point": found.point,
        "grade": verdict.grade.value,
        "kind": verdict.kind,
        "value": None if not verdict.unit else verdict.value,
        "unit": verdict.unit,
        "because": render(verdict.because),
    }
