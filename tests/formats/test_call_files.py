"""Call files with more than readings: what was watched, done and measured reaches causes, findings and proof."""

import json
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner

from plentar.cli import main
from plentar.core.errors import ReadingError
from plentar.core.unit.patterns import PATTERNS
from plentar.core.visit import Visit
from plentar.formats.call_json import call_from_json, visit_of
from plentar.formats.unit_json import nameplate_to_json

PLATE = PATTERNS["two-strip-sequencer"]()
UNIT = str(Path(__file__).parents[2] / "examples/units/two-strip-sequencer.json")
LINE, POLE_B = "volts:feed-1.l1:feed-1.l2", "volts:seq-a.pole-2.load:seq-a.pole-2.line"
HEAT = {"calls": {"W": 400, "G": 400}}
SOUND: list[dict[str, Any]] = [
    {"point": LINE, "value": 240.0, "condition": HEAT},
    {"point": "amps:strip-a", "value": 20.8, "condition": HEAT},
    {"point": "amps:strip-b", "value": 20.7, "condition": HEAT},
    {"point": "amps:blower", "value": 2.5, "condition": HEAT},
]


def told(tmp_path: Path, **call: Any) -> dict[str, Any]:
    """What the command says of a call on the two-strip unit."""
    path = tmp_path / "call.json"
    path.write_text(json.dumps({"format": "plentar.call/1", "unit_file": UNIT, **call}))
    done = CliRunner().invoke(main, ["diagnose", str(path)])
    assert done.exit_code == 0, done.stderr
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def tap(at: float, action: str, stage: str = "") -> dict[str, Any]:
    """One tap of the stopwatch."""
    return {"at": at, "kind": "tap", "payload": {"deed": action, "stage": stage}}


def test_a_run_of_the_stopwatch_names_the_pole_that_never_came(tmp_path: Path) -> None:
    """Blower and strip A inside their windows, B not by 400 s: a finding with its seconds, and the suspect."""
    found = told(
        tmp_path,
        complaints=["not enough heat"],
        readings=[{"point": LINE, "value": 240.0, "at": 5}],
        events=[tap(10, "call"), tap(40, "on", "blower"), tap(41, "on", "strip-a"), tap(410, "drop")],
    )
    kinds = {entry["kind"]: entry for entry in found["findings"]}
    assert "did not close" in kinds
    named = {fault for cause in found["causes"] for fault in cause["faults"]}
    assert {"seq-a.pole-2.open", "strip-b.element.open"} & named
    assert found["causes"][0]["faults"] != ["healthy"]


def test_a_stage_seen_late_by_the_stopwatch_is_slow(tmp_path: Path) -> None:
    """Strip B at 300 s of a window to 90."""
    taps = [tap(10, "call"), tap(40, "on", "blower"), tap(41, "on", "strip-a"), tap(310, "on", "strip-b")]
    found = told(tmp_path, readings=[{**entry, "at": 400.0 + n} for n, entry in enumerate(SOUND)], events=taps)
    assert "seq-a.pole-2.slow" in found["causes"][0]["faults"]


def test_suspects_are_of_the_unit_since_the_repair(tmp_path: Path) -> None:
    """A welded pole, the sequencer replaced, power back, all sound: found before, nothing now."""
    welded = [{"point": LINE, "value": 240.0}, {"point": "amps:strip-b", "value": 20.7}]
    repair = [
        {"at": 50, "kind": "part", "payload": {"name": "sequencer"}},
        {"at": 60, "kind": "power-back", "payload": {}},
    ]
    before = told(tmp_path, complaints=["heat will not stop"], readings=welded)
    assert "seq-a.pole-2.welded" in before["causes"][0]["faults"]
    sound = [{**entry, "at": 100.0 + n} for n, entry in enumerate(SOUND)]
    sound += [{"point": f"amps:strip-{x}", "value": 0.0, "at": 120.0} for x in "ab"]
    after = told(tmp_path, complaints=["heat will not stop"], readings=[*welded, *sound], events=repair)
    assert after["found_before_repair"]
    assert not [entry for entry in after["findings"] if entry["grade"] == "fail"]
    assert after["advice"]["kind"] == "prove"
    assert not [p for p in after["proof"] if p["item"] == "Strip B, nothing calling" and not p["is_proven"]]


@pytest.mark.parametrize(
    ("events", "field"),
    [
        ([{"at": 1, "kind": "nonsense"}], "events[0].kind"),
        ([{"at": 1, "kind": "tap", "payload": {"deed": "sideways"}}], "events[0].deed"),
        ([{"at": 1, "kind": "reading", "payload": {"point": LINE, "typed": "1"}}], "events[0].kind"),
        ([{"at": -1, "kind": "tap", "payload": {"deed": "call"}}], "events[0].at"),
    ],
)
def test_a_wrong_event_is_told_by_its_place(events: list[dict[str, Any]], field: str, tmp_path: Path) -> None:
    """One line, the field's path."""
    path = tmp_path / "call.json"
    path.write_text(json.dumps({"format": "plentar.call/1", "unit_file": UNIT, "events": events}))
    done = CliRunner().invoke(main, ["diagnose", str(path)])
    assert (done.exit_code, done.stderr.count("\n")) == (2, 1)
    assert field in done.stderr


def test_an_older_file_is_read_as_before(tmp_path: Path) -> None:
    """Without seconds of its own each reading comes after the one before it."""
    found = told(tmp_path, readings=SOUND, complaints=["seasonal check"])
    assert found["findings"] == []
    assert found["not_checked"] == []


def log_of(*turns: tuple[float, float], ends: float = 900.0) -> dict[str, Any]:
    """Half-second samples of Strip A's lead: 20.5 A between each pair of seconds, else nothing."""
    seconds = [0.5 * i for i in range(int(2 * ends))]
    amps = [20.5 if any(on <= at < off for on, off in turns) else 0.0 for at in seconds]
    payload = {"name": "lead A", "clamp": "strip-a", "called_seconds": 5.0}
    return {"at": 1000.0, "kind": "log", "payload": payload, "samples": {"seconds": seconds, "amps": amps}}


def test_a_log_moves_findings_and_suspects() -> None:
    """Off and on again by itself is a limit or the air; 450 s is late, and did close."""
    again = visit_of_call(events=[log_of((35, 215), (335, 515), (640, 820))])
    assert "log.drops-out-comes-back-itself" in reasons(again)
    # Or a blower that stands still: nobody read it.
    assert "air.little" in {fault for cause in again.suspects for fault in cause.faults}
    late = visit_of_call(events=[log_of((455, 900))])
    assert [entry.verdict.kind for entry in late.findings if entry.verdict.unit == "s"] == ["late"]
    assert late.suspects[0].faults[0] in ("seq-a.slow", "seq-a.pole-1.slow")
    # As it should be: nothing to find, and nothing named.
    fine = visit_of_call(events=[log_of((35, 900))])
    assert not fine.findings
    assert fine.suspects[0].faults == ("healthy",)


def test_a_log_before_the_repair_says_nothing_of_the_unit_now() -> None:
    """Its findings stand with what was found, its silence no longer speaks for a slow disc."""
    fitted = [
        log_of((455, 900)),
        {"at": 2000.0, "kind": "part", "payload": {"name": "sequencer"}},
        {"at": 2100.0, "kind": "power-back", "payload": {}},
    ]
    found = visit_of_call(events=fitted)
    assert found.is_repaired
    assert not [entry for entry in found.findings if entry.verdict.unit == "s"]
    assert found.diagnosis is None


@pytest.mark.parametrize(
    ("samples", "field"),
    [
        (None, "events[0].samples"),
        ({"seconds": [0, 1, 1], "amps": [0, 0, 0]}, "events[0].samples.seconds"),
        ({"seconds": [0, 1, 2], "amps": [0, 0]}, "events[0].samples"),
        ({"seconds": [0, 1], "amps": [0, "x"]}, "events[0].samples.amps[1]"),
    ],
)
def test_a_log_that_cannot_be_is_refused_by_its_field(samples: object, field: str) -> None:
    """Lost, doubled or unequal columns: said with the field, nothing half read."""
    entry = log_of((35, 900)) | {"samples": samples}
    with pytest.raises(ReadingError) as refused:
        visit_of_call(events=[{k: v for k, v in entry.items() if v is not None}])
    assert refused.value.field == field


def visit_of_call(**more: Any) -> Visit:
    """The visit of a call file on the two-strip unit."""
    call = call_from_json({"format": "plentar.call/1", "unit": nameplate_to_json(PLATE), **more})
    return visit_of(call, PLATE)


def reasons(visit: Visit) -> set[str]:
    """The ids of every finding's reason."""
    return {getattr(entry.verdict.because, "id", "") for entry in visit.findings}
