"""A practice case as JSON: a unit, what is hidden in it, what is complained of; and how a policy worked it."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.practice.case import Case, Hidden
from plentar.core.practice.policies import Played
from plentar.formats.unit_json import first_problem, nameplate_from_json, nameplate_to_json

__all__ = ["CASE_FORMAT", "case_from_json", "case_schema", "case_to_json", "played_to_json"]

CASE_FORMAT = "plentar.case/1"
Finite = Annotated[float, Field(allow_inf_nan=False)]


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid")


class HiddenFile(_Strict):
    """One hidden fault, by an id that `plentar faults` lists; `size` from its smallest, 0, to its largest, 1."""

    fault: Annotated[str, Field(min_length=1, max_length=120)]
    size: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.5


class SignFile(_Strict):
    """One thing a look finds, at a part or at none."""

    kind: Annotated[str, Field(max_length=40)]
    about: Annotated[str, Field(max_length=80)] = ""


class ReadBeforeFile(_Strict):
    """A number somebody wrote down before, right or not, and the calls that were on."""

    point: Annotated[str, Field(max_length=160)]
    typed: Annotated[str, Field(max_length=40)]
    calls: list[str] = []


class CaseFile(_Strict):
    """The whole file; `unit` is a unit file's content. It names no place and nobody."""

    format: Literal["plentar.case/1"]
    id: Annotated[str, Field(min_length=1, max_length=60)]
    title: Annotated[str, Field(max_length=120)] = ""
    unit: dict[str, Any]
    hidden: Annotated[list[HiddenFile], Field(max_length=2)] = []
    complaint: str
    words: Annotated[str, Field(max_length=400)] = ""
    skills: list[str]
    level: int = 1
    outdoor_degf: Annotated[Finite, Field(ge=-60, le=140)] | None = None
    indoor_degf: Annotated[Finite, Field(ge=-60, le=140)] | None = None
    signs: Annotated[list[SignFile], Field(max_length=20)] = []
    supply_ratio: Finite = 1.0
    place_in_window: Finite = 0.5
    someone_locked: str = ""
    read_before: Annotated[list[ReadBeforeFile], Field(max_length=20)] = []


def case_schema() -> dict[str, Any]:
    """Return the JSON schema of a case."""
    return CaseFile.model_json_schema()


def case_from_json(document: object) -> Case:
    """Return the case a JSON document describes.

    Raises:
        ReadingError: Something is missing, unknown or out of range; `field` is its path.
    """
    try:
        read = CaseFile.model_validate(document)
    except ValidationError as error:
        found = first_problem(error)
        raise ReadingError(found.words, field=found.path) from error
    try:
        plate = nameplate_from_json(read.unit)
    except PlentarError as error:
        raise ReadingError(error.message, field=f"unit.{error.field}" if error.field else "unit") from error
    return Case(
        id=read.id,
        title=read.title or read.id,
        plate=plate,
        hidden=tuple(Hidden(fault=entry.fault, size=entry.size) for entry in read.hidden),
        complaint=read.complaint,
        words=read.words,
        skills=tuple(read.skills),
        level=read.level,
        outdoor_degf=read.outdoor_degf,
        indoor_degf=read.indoor_degf,
        signs=tuple((entry.kind, entry.about) for entry in read.signs),
        supply_ratio=read.supply_ratio,
        place_in_window=read.place_in_window,
        someone_locked=read.someone_locked,
        read_before=tuple((entry.point, entry.typed, tuple(entry.calls)) for entry in read.read_before),
    )


def case_to_json(case: Case) -> dict[str, Any]:
    """Return a case as its file's content."""
    return {
        "format": CASE_FORMAT,
        "id": case.id,
        "title": case.title,
        "unit": nameplate_to_json(case.plate),
        "hidden": [{"fault": entry.fault, "size": entry.size} for entry in case.hidden],
        "complaint": case.complaint,
        "words": case.words,
        "skills": list(case.skills),
        "level": case.level,
        "outdoor_degf": case.outdoor_degf,
        "indoor_degf": case.indoor_degf,
        "signs": [{"kind": kind, "about": about} for kind, about in case.signs],
        "supply_ratio": case.supply_ratio,
        "place_in_window": case.place_in_window,
        "someone_locked": case.someone_locked,
        "read_before": [{"point": p, "typed": typed, "calls": list(calls)} for p, typed, calls in case.read_before],
    }


def played_to_json(case: Case, played: Played) -> dict[str, Any]:
    """Return how a policy worked a case: each reading with what it won and cost, what was named, the score."""
    score = played.score
    return {
        "format": "plentar.practice/1",
        "case": case.id,
        "policy": played.policy,
        "readings": [
            {
                "point": entry.point,
                "calls": sorted(entry.calls),
                "shown": entry.shown,
                "minutes": round(entry.minutes, 2),
                "bits": round(entry.bits, 3),
            }
            for entry in played.taken
        ],
        "hidden": [fault.id for fault in case.faults],
        "named": list(played.named),
        "score": {
            "points": round(score.points, 1),
            "found": score.found,
            "fine_parts": score.fine_parts,
            "minutes": round(score.minutes, 1),
            "unsafe": score.unsafe,
        },
    }
