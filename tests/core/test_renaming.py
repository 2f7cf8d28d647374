"""An id is a name and nothing else: whatever parts are called, volts, verdicts and causes stay what they were."""

import ast
import json
import re

import pytest

from plentar.core.causes.diagnosis import diagnose
from plentar.core.causes.faults import MODES, faults_of
from plentar.core.causes.hypotheses import UnitModel, model_of
from plentar.core.causes.signs import factor_of
from plentar.core.circuit.drive import drives_of
from plentar.core.circuit.places import find_point
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.evidence.signs import CHECKS, LOOK, SIGNS
from plentar.core.judging.situation import Situation
from plentar.core.judging.verdict import judge
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.points import test_points as points_of
from plentar.formats.unit_json import nameplate_from_json, nameplate_to_json
from tests import ROOT
from tests.units import EVERY_UNIT

# Names that read like something else of the unit.
TRAPS = ("blower-strip", "motor-room", "board-seq", "ecm-a", "coil-heater", "feed-heat", "limit-b", "control-x",
         "transformer-9", "fuse-2", "air-handler", "panel-b", "ground-floor")  # fmt: skip


def renamed(plate: Nameplate) -> tuple[Nameplate, dict[str, str]]:
    """The same unit with every strip, device and blower relay called after something else."""
    ids = [circuit.id for circuit in plate.circuits] + [device.id for device in plate.devices]
    if plate.blower.relay is not None:
        ids.append(plate.blower.relay.id)
    names = dict(zip(ids, TRAPS, strict=False))

    def walk(value: object) -> object:
        if isinstance(value, dict):
            return {key: walk(entry) for key, entry in value.items()}
        if isinstance(value, list):
            return [walk(entry) for entry in value]
        return swap(value, names) if isinstance(value, str) else value

    return nameplate_from_json(walk(nameplate_to_json(plate))), names


def swap(text: str, names: dict[str, str]) -> str:
    """A place, point or fault with the parts in it under their other names."""
    whole = "|".join(rf"(?<![\w-]){re.escape(name)}(?![\w-])" for name in names)
    return re.sub(whole, lambda found: names[found.group()], text)


def conditions(plate: Nameplate) -> list[Condition]:
    live = tuple((feed.id, "live") for feed in plate.feeds)
    dead = tuple((feed.id, "proven dead") for feed in plate.feeds)
    heat = tuple((call, 900.0) for call in ("W", "W2") if call in plate.calls)
    return [
        Condition(feeds=live, calls=heat, seconds_since_change=900.0),  # type: ignore[arg-type]
        Condition(feeds=live, calls=(("G", 900.0),), seconds_since_change=900.0),  # type: ignore[arg-type]
        Condition(feeds=dead, control="proven dead", seconds_since_change=900.0),  # type: ignore[arg-type]
    ]


def readings(plate: Nameplate, model: UnitModel, row: int) -> list[Reading]:
    """What a meter shows with one fault: the run sheet under heat and fan, each part's ohms dead."""
    found = []
    parts = [f"ohms:{circuit.id}.element" for circuit in plate.circuits]
    parts += [f"ohms:{device.id}.{what}" for device in plate.devices for what in ("coil", "pole-1")]
    for condition in conditions(plate):
        [(drive, _)] = drives_of(plate, condition)
        is_dead = condition.control == "proven dead"
        sheet = parts if is_dead else [p.id for p in points_of(plate) if p.quantity in ("volts", "amps")]
        for point in sheet:
            value = min(float(model.predict(point, drive).predicted[row]), OPEN_OHMS)
            uncertainty = 0.01 * value + 0.1
            found.append(Reading(point=point, value=value, condition=condition, meter_uncertainty=uncertainty))
    return found


@pytest.mark.parametrize("pattern", EVERY_UNIT)
def test_renaming_changes_no_volt_verdict_or_cause(pattern: str) -> None:
    """Healthy and with an element open, each part called after another kind of part."""
    plate = PATTERNS[pattern]()
    other, names = renamed(plate)
    model, again = model_of(plate), model_of(other)
    assert [swap(fault.id, names) for fault in model.faults] == [fault.id for fault in again.faults]
    rows = [h.id for h in model.hypotheses]
    for row in (0, rows.index(f"{plate.circuits[0].id}.element.open")):
        taken, told = readings(plate, model, row), readings(other, again, row)
        assert [swap(r.point, names) for r in taken] == [r.point for r in told]
        assert [r.value for r in taken] == pytest.approx([r.value for r in told], rel=1e-6, abs=1e-6)
        first, second = (Situation(plate=p, readings=tuple(r)) for p, r in ((plate, taken), (other, told)))
        for a, b in zip(taken, told, strict=True):
            one, two = judge(first, a), judge(second, b)
            assert (one.grade, one.kind) == (two.grade, two.kind), a.point
            assert one.expected == pytest.approx(two.expected), a.point
        causes = [diagnose(p, r).causes for p, r in ((plate, taken), (other, told))]
        shares = [{frozenset(c.faults): c.probability for c in some} for some in causes]
        moved = {frozenset(swap(f, names) for f in faults): share for faults, share in shares[0].items()}
        assert moved == pytest.approx(shares[1], abs=1e-4)


def test_signs_speak_of_faults_not_of_names() -> None:
    """Every mode is some unit's fault, and signs make the same ones likelier whatever the parts are called."""
    unseen = set(MODES)
    for pattern in PATTERNS.values():
        plate = pattern()
        other, _ = renamed(plate)
        unseen -= {fault.title.id.removeprefix("fault.") for fault in faults_of(plate)}
        for fault, again in zip(faults_of(plate), faults_of(other), strict=True):
            for sign in (*LOOK, *SIGNS, *CHECKS):
                assert factor_of(sign, "", fault) == factor_of(sign, "", again), (sign.kind, fault.id, again.id)
    # Only a grounded common lets a conductor to the frame show, and only another stage has a thermostat outdoors.
    assert unseen <= {"conductor.grounded", "outdoor-thermostat.stuck-open", "outdoor-thermostat.stuck-closed"}


def test_modes_and_signs_know_each_other() -> None:
    """A sign that no mode names says nothing, and a mode cannot name a sign nobody can see."""
    named = {sign for mode in MODES.values() for sign in mode.signs}
    telling = {sign.kind for sign in (*LOOK, *SIGNS, *CHECKS) if not sign.seen_running}
    assert named <= telling
    # Every fault is likelier where insulation is marked by heat or a conductor landed wrong; a missing label makes none
    # likelier; since when heat is called is an answer about the clock; the breaker that trips is one of its feed.
    assert telling - named == {"heat-marked", "landing-wrong", "label-missing", "heat-was-on", "breaker-trips"}


@pytest.mark.parametrize(
    ("about", "factor"), [("strip-a", 8.0), ("strip", 1.0), ("strip-", 1.0), ("strip-a.lead", 1.0)]
)
def test_a_sign_at_a_part_is_of_that_part_alone(about: str, factor: float) -> None:
    """A name that begins like another's is another part."""
    plate = PATTERNS["two-strip-sequencer"]()
    [loose] = [fault for fault in faults_of(plate) if fault.id == "strip-a.lead-2.loose"]
    [sign] = [sign for sign in LOOK if sign.kind == "loose-push-on"]
    assert factor_of(sign, about, loose) == factor


@pytest.mark.parametrize(
    ("ends", "step"),
    [
        ("main-line.l1:main-line.disconnect.l1", "supply"),
        ("panel.l1:main-line.breaker.l1", "supply"),
        ("feed-heat.element.1:main-line.l1", "trace"),
        ("board.w:thermostat.w", "heat-call"),
        ("board-seq.coil.2:board.c", "heat-call"),
        ("board-seq.pole-1.line:main-line.l2", "trace"),
    ],
)
def test_a_points_step_follows_what_its_places_are(ends: str, step: str) -> None:
    """Not what they are called: a feed called main-line, a strip called feed-heat, a sequencer called board-seq."""
    names = {"feed-1": "main-line", "strip-a": "feed-heat", "seq-a": "board-seq"}
    document = json.dumps(nameplate_to_json(PATTERNS["two-strip-sequencer"]()))
    plate = nameplate_from_json(json.loads(swap(document, names)))
    assert find_point(plate, f"volts:{ends}").step == step


def test_points_are_spelled_in_one_file() -> None:
    """Outside `unit/place` nobody puts a point together from pieces of text."""
    found = []
    for path in sorted((ROOT / "plentar/core").rglob("*.py")):
        tree = ast.parse(path.read_text())
        notes = {id(n.value) for n in ast.walk(tree) if isinstance(n, ast.Expr)}
        for node in ast.walk(tree):
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in notes:
                is_point = re.match(r"(volts|dc_volts|amps|ohms|microfarads):", node.value)
                if is_point and path.name != "place.py" and " " not in node.value:
                    found.append(f"{path.name}:{node.lineno} {node.value}")
    assert found == []
