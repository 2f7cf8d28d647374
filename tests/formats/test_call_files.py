"""Call files with more than readings: what was watched, done and measured reaches causes, findings and proof."""

import json
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner

from plentar.cli import main

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


def tap(at: float, deed: str, stage: str = "") -> dict[str, Any]:
    """One tap of the stopwatch."""
    return {"at": at, "kind": "tap", "payload": {"deed": deed, "stage": stage}}


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
    assert not [p for p in after["proof"] if p["item"] == "Strip B, nothing called" and not p["is_proven"]]


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
