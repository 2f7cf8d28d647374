"""The process that lays reports out: it comes when asked, is asked again after its death, and goes with its asker."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

import plentar
from plentar.core.errors import BusyError
from plentar.formats import pdf

STATIC = Path(plentar.__file__).parent / "web/static"
ASKER = """
import sys, time
from pathlib import Path
from plentar.formats import pdf
pdf.html_to_pdf("<p>one</p>", static=Path(sys.argv[1]))
print(pdf._maker.process.pid, flush=True)
time.sleep(600)
"""


def is_there(pid: int) -> bool:
    """True while a process lives; a zombie does not."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False


def test_a_killed_maker_is_replaced_and_the_same_words_are_made_once() -> None:
    """The report asked for after the kill comes all the same; asked again it is the very same bytes."""
    first = pdf.html_to_pdf("<p>before</p>", static=STATIC)
    assert pdf._maker.process is not None
    maker = pdf._maker.process.pid
    os.kill(maker, signal.SIGKILL)
    while is_there(maker):
        time.sleep(0.02)
    after = pdf.html_to_pdf("<p>after</p>", static=STATIC)
    assert after.startswith(b"%PDF")
    assert pdf._maker.process.pid != maker
    assert pdf.html_to_pdf("<p>before</p>", static=STATIC) is first


def test_a_maker_goes_with_its_asker_and_when_another_asks(tmp_path: Path) -> None:
    """Of two processes one has a maker, that which asked last; when the other is killed nothing of it is left."""
    pdf.html_to_pdf("<p>mine</p>", static=STATIC)
    assert pdf._maker.process is not None
    own = pdf._maker.process.pid
    script = tmp_path / "asker.py"
    script.write_text(ASKER)
    with subprocess.Popen([sys.executable, "-W", "ignore", script, STATIC], stdout=subprocess.PIPE, text=True) as asker:
        assert asker.stdout is not None
        maker = int(asker.stdout.readline())
        assert is_there(maker)
        while is_there(own):
            time.sleep(0.02)
        assert pdf.html_to_pdf("<p>mine again</p>", static=STATIC).startswith(b"%PDF")
        while is_there(maker):
            time.sleep(0.02)
        asker.kill()
        asker.wait(60)
    died = time.monotonic()
    while is_there(maker):
        assert time.monotonic() - died < 60.0, "it outlives its asker"
        time.sleep(0.05)


def test_what_cannot_be_laid_out_is_told_and_the_next_one_is_made(monkeypatch: pytest.MonkeyPatch) -> None:
    """A document that asks for another folder's file gets no such file; one that takes too long is given up."""
    assert pdf.html_to_pdf(f"<img src='{Path(__file__).as_uri()}'>", static=STATIC).startswith(b"%PDF")
    monkeypatch.setattr(pdf, "WAIT_SECONDS", 0.01)
    with pytest.raises(BusyError, match="takes long"):
        pdf.html_to_pdf("<table>" + "<tr><td>a</td></tr>" * 3000, static=STATIC)
    monkeypatch.undo()
    assert pdf.html_to_pdf("<p>next</p>", static=STATIC).startswith(b"%PDF")


def test_a_worn_maker_is_relieved(monkeypatch: pytest.MonkeyPatch) -> None:
    """Above its share of memory it ends after the document, and another process makes the next."""
    pdf._maker.end()
    monkeypatch.setattr(pdf, "MOST_MEGABYTES", 1.0)
    makers = set()
    for number in range(4):
        pdf.html_to_pdf(f"<p>worn {number}</p>", static=STATIC)
        assert pdf._maker.process is not None
        makers.add(pdf._maker.process.pid)
    pdf._maker.end()
    assert len(makers) == 4
