"""What a person reads: no id, no index, no half-made plural, of no unit and no fault."""

import json
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

from plentar.core.causes.catalogue import catalogue
from plentar.core.causes.diagnosis import diagnose
from plentar.core.causes.faults import faults_of
from plentar.core.causes.hypotheses import model_of
from plentar.core.causes.next_test import next_tests
from plentar.core.circuit.drive import Drive
from plentar.core.circuit.places import ohms_parts, place_words, terminal_words
from plentar.core.circuit.wiring import wire
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.judging.findings import find
from plentar.core.judging.situation import Situation
from plentar.core.judging.timing import stages_of
from plentar.core.judging.verdict import judge
from plentar.core.message import Text
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.points import test_points as points_of
from plentar.core.work.planning import plan_van
from plentar.core.work.proof import proof_items, touched_by
from plentar.formats.unit_json import nameplate_from_json
from plentar.words import render
from tests.units import FIRST

UNITS = sorted((Path(__file__).parents[2] / "examples/units").glob("*.json"))
# An id with its hyphens or dots, a name of the code, a part or leg by its number or its lower-case letter.
NOT_WORDS = re.compile(
    r"\b(seq|strip|feed|relay|contactor|branch|breaker)-[a-z0-9]|\b[a-z]+\.[a-z]|[a-z]_[a-z]"
    r"|\b1 (items|strips|feeds|poles)\b"
    r"|\b(strip|seq|relay|contactor) [a-f]\b|\b(link|limit|element|coil) [12]\b|\bl[12]\b|  |\bNone\b|\{"
)


def plate_of(path: Path) -> Nameplate:
    return nameplate_from_json(json.loads(path.read_text()))


def of_the_unit(plate: Nameplate) -> Iterator[Text]:
    """Everything that is said of a unit before anybody reads on it."""
    for fault in faults_of(plate):
        yield from (fault.title, fault.repair, fault.proof)
    for test in catalogue(plate):
        yield test.words
    for point in points_of(plate):
        yield from (point.label, point.where)
    circuit = wire(plate)
    yield from (terminal_words(plate, name) for name in circuit.terminals)
    yield from (place_words(plate, part) for part in ohms_parts(plate))
    yield from (stage.name for stage in stages_of(plate))
    yield from (item.words for item in proof_items(plate, touched_by(plate, (), ())))
    yield from (item.part.words for item in plan_van([(plate, ["no heat"])]).items)


def of_a_fault(plate: Nameplate, row: int) -> Iterator[Text]:
    """Everything that follows from the run sheet read on a unit with one fault, under heat."""
    model = model_of(plate)
    calls = tuple((call, 400.0) for call in ("W", "W2") if call in plate.calls)
    condition = Condition(feeds=tuple((f.id, "live") for f in plate.feeds), calls=calls)
    drive = Drive(calls=condition.on)
    readings = [
        Reading(point=p.id, value=round(float(model.predict(p.id, drive).predicted[row]), 1), condition=condition)
        for p in points_of(plate)
        if p.quantity != "ohms"
    ]
    situation = Situation(plate=plate, readings=readings)
    verdicts = [(reading, judge(situation, reading)) for reading in readings]
    found = find(situation, verdicts)
    for verdict in (*(verdict for _, verdict in verdicts), *(finding.verdict for finding in found)):
        yield from (verdict.because, verdict.next_step, verdict.warning, verdict.spoken)
    yield from (finding.about for finding in found)
    diagnosis = diagnose(plate, readings)
    for cause in diagnosis.causes:
        yield from (cause.title, cause.repair, cause.proof)
        yield from (reason.words for reason in (*cause.reasons_for, *cause.reasons_against))
    for test in next_tests(diagnosis, condition):
        yield from (test.test.words, *test.splits)


@pytest.mark.parametrize("path", UNITS, ids=[path.stem for path in UNITS])
def test_everything_said_of_a_unit_is_words(path: Path) -> None:
    """Faults, tests, points, terminals, parts, stages, proof and van list."""
    assert sorted({words for words in map(render, of_the_unit(plate_of(path))) if NOT_WORDS.search(words)}) == []


@pytest.mark.parametrize(
    "path", [pytest.param(p, id=p.stem, marks=[] if p.stem in FIRST else [pytest.mark.long]) for p in UNITS]
)
def test_everything_that_follows_from_readings_is_words(path: Path) -> None:
    """Verdicts, findings, causes, reasons and next tests of every fifteenth fault."""
    plate = plate_of(path)
    rows = range(0, len(model_of(plate).hypotheses) // 4, 15)
    assert (
        sorted({words for row in rows for words in map(render, of_a_fault(plate, row)) if NOT_WORDS.search(words)})
        == []
    )
