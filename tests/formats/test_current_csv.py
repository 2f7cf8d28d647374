"""Logs as meters write them, and files that are no logs."""

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from plentar.core.errors import ReadingError
from plentar.core.unit.patterns import PATTERNS
from plentar.devices.simulated import SimulatedClamp
from plentar.formats.current_csv import CurrentLog, read_current_csv, write_current_csv
from plentar.formats.packed import pack, unpack
from plentar.words import render
from tests import ROOT


def read(text: str | bytes, chunk: int = 7) -> CurrentLog:
    """Read a file that arrives in small chunks."""
    data = text.encode() if isinstance(text, str) else text
    return read_current_csv(data[i : i + chunk] for i in range(0, len(data), chunk))


@pytest.mark.parametrize(
    ("text", "seconds", "amps"),
    [
        pytest.param("0,1.5\n1,2.5\n2,3\n", [0, 1, 2], [1.5, 2.5, 3], id="no header"),
        pytest.param("t;A\r\n0,0;1,5\r\n0,5;2,5\r\n1,0;3\r\n", [0, 0.5, 1], [1.5, 2.5, 3], id="decimal commas"),
        pytest.param("Time\tCurrent (mA)\n0\t20500\n1\t20600\n2\t0\n", [0, 1, 2], [20.5, 20.6, 0], id="milliamps"),
        pytest.param(
            "Date,Time,Amps\n11/24/2026,11:59:59 PM,1\n11/25/2026,12:00:00 AM,2\n11/25/2026,12:00:01 AM,3\n",
            [0, 1, 2],
            [1, 2, 3],
            id="date and clock apart, over midnight",
        ),
        pytest.param("23:59:59 1\n00:00:00 2\n00:00:01 3\n", [0, 1, 2], [1, 2, 3], id="clock only, over midnight"),
        pytest.param(
            "stamp,amps\n2026-11-24T10:00:00.50Z,1\n2026-11-24T10:00:01.50Z,2\n2026-11-24T10:00:03.50Z,3\n",
            [0, 1, 3],
            [1, 2, 3],
            id="ISO stamps with a gap",
        ),
        pytest.param("s,A\n0,1\n1,OL\n2,\n3,4\n4,5\n", [0, 1, 2, 3, 4], [1, np.nan, np.nan, 4, 5], id="lost samples"),
        pytest.param("n,s,A\n1,0,1\n2,1,2\n3,2,3\n", [0, 1, 2], [1, 2, 3], id="a counter before the time"),
        pytest.param(
            "time,A\n10:00:00,1\n10:00:00,2\n10:00:01,3\n10:00:01,4\n",
            [0, 0.5, 1, 1.5],
            [1, 2, 3, 4],
            id="whole seconds",
        ),
    ],
)
def test_whatever_way_a_meter_writes(text: str, seconds: list[float], amps: list[float]) -> None:
    """Delimiter, header, time and decimal style are found out; the first row is second 0."""
    log = read(text)
    np.testing.assert_allclose(log.seconds, seconds)
    np.testing.assert_allclose(log.amps, amps)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        pytest.param("", "the file is empty", id="empty"),
        pytest.param("\n\n\n", "the file is empty", id="blank lines"),
        pytest.param(b"\x89PNG\r\n\x1a\n" + bytes(200), "binary file", id="a picture"),
        pytest.param("a\n1\n2\n3\n", "only one column", id="one column"),
        pytest.param("t,a\n0,1\n2,1\n1,1\n3,1\n", "line 4: time goes backwards", id="time backwards"),
        pytest.param("t,a\n0,1\n1,x\n2,3\n", "line 3: expected amps as a number, got “x”", id="text in numbers"),
        pytest.param("t,a\n0,1e9\n1,2e9\n2,1e9\n", "check the units", id="impossible amps"),
        pytest.param("t,a\n0,1\n1,2\n", "at least three rows", id="two rows"),
        pytest.param("x" * 50_000, "too long for a log", id="one endless line"),
        pytest.param("s,A\n0,OL\n1,OL\n2,OL\n", "", id="nothing but lost samples"),
        pytest.param("just,words\nmore,words\nno,numbers\n", "", id="prose"),
    ],
)
def test_what_is_no_log_is_refused_in_one_line(text: str | bytes, words: str) -> None:
    """The field and the line are named; there is never anything but a ReadingError."""
    with pytest.raises(ReadingError) as caught:
        read(text, 1000)
    assert words in render(caught.value.message)
    assert caught.value.field == "log"
    assert "\n" not in render(caught.value.message)


def test_a_log_survives_csv_and_packing() -> None:
    """Written and read, packed and unpacked, with the call's column and lost samples."""
    samples = SimulatedClamp(plate=PATTERNS["two-strip-sequencer"](), clamp="feed-1").samples(500)
    on = (samples.seconds >= 5) & (samples.seconds < 420)
    log = read(write_current_csv(samples.seconds, samples.amps, on), 4096)
    np.testing.assert_allclose(log.amps, samples.amps, atol=0.01)
    assert (log.called_seconds, log.dropped_seconds) == (5.0, 420.0)
    seconds, amps = unpack(pack(samples.seconds, samples.amps))
    np.testing.assert_array_equal(seconds, samples.seconds)
    np.testing.assert_allclose(amps, samples.amps, rtol=1e-6)
    assert unpack(b"")[0].size == 0


def test_stages_from_a_shell(tmp_path: Path) -> None:
    """`plentar stages` prints stages and events as JSON; bad input is one line and 2."""
    meter = SimulatedClamp(plate=PATTERNS["two-strip-sequencer"](), clamp="feed-1", faults=("seq-a.pole-2.open",))
    samples = meter.samples(700)
    file = tmp_path / "log.csv"
    file.write_text(write_current_csv(samples.seconds, samples.amps, (samples.seconds >= 5) & (samples.seconds < 420)))
    plentar, unit = Path(sys.executable).parent / "plentar", ROOT / "examples/units/two-strip-sequencer.json"
    done = subprocess.run([plentar, "stages", file, "--unit", unit], check=True, capture_output=True, text=True)
    document = json.loads(done.stdout)
    assert [stage["on"]["verdict"] for stage in document["stages"]] == ["pass", "pass", "fail"]
    assert "missing" in [event["kind"] for event in document["events"]]
    file.write_text("t,a\n0,1\n1,x\n2,1\n")
    refused = subprocess.run([plentar, "stages", file, "--unit", unit], check=False, capture_output=True, text=True)
    assert refused.returncode == 2
    assert refused.stderr == f"{file}: log: line 3: expected amps as a number, got “x”\n"


def night(*stamps: str) -> list[bytes]:
    """A log of wall-clock times and a steady current."""
    return ["\n".join(["time,amps", *(f"2026-11-01 {stamp},20.4" for stamp in stamps)]).encode()]


def test_an_hour_that_stands_twice_is_asked_about_and_laid_out_when_told() -> None:
    """01:59:40 and then 01:00:00, ten seconds apart as the meter logged: an hour back, less the step between."""
    log = night("01:59:30", "01:59:40", "01:59:50", "01:00:00", "01:00:10")
    with pytest.raises(ReadingError, match="Did the clocks go back") as error:
        read_current_csv(iter(log))
    assert error.value.field == "clocks"
    assert "line 5" in str(error.value)
    found = read_current_csv(iter(log), clocks_went_back=True)
    assert found.seconds.tolist() == [0.0, 10.0, 20.0, 30.0, 40.0]


@pytest.mark.parametrize(
    "stamps",
    [
        ("01:59:30", "01:59:40", "01:30:00", "01:30:10"),
        ("03:59:30", "03:59:40", "01:59:50", "02:00:00"),
        ("01:59:50", "01:00:00", "01:59:50", "01:00:00"),
    ],
    ids=["half an hour", "two hours", "twice"],
)
def test_time_that_falls_back_otherwise_is_refused_whatever_is_said(stamps: tuple[str, ...]) -> None:
    """No clock goes back by half an hour, by two, or twice a night."""
    with pytest.raises(ReadingError, match="time goes backwards"):
        read_current_csv(iter(night(*stamps)), clocks_went_back=True)
