"""Reports as PDF, from the same HTML that the page shows: made once for the same words, one at a time.

They are made in a process of their own, beside the one that asks. Laying out a page takes some hundred thousand small
objects; made between a server's other work they left its memory in shreds, a megabyte more with each. Of several server
processes one at a time has such a process: it takes 50 MB, and starts in less than a second.
"""

import atexit
import contextlib
import os
import select
import signal
import subprocess
import sys
import tempfile
from hashlib import sha256
from pathlib import Path
from threading import Lock

from plentar.core.cache import ByteBoundedCache
from plentar.core.errors import BusyError
from plentar.formats.alone import alone
from plentar.formats.pdf_maker import receive, send

__all__ = ["html_to_pdf"]

# The reports a process made last, some 25 KB each, more with photos: whoever looks at one looks soon again.
_made = ByteBoundedCache(2, size=len)
# One takes half a second: whoever would wait longer is told to come back.
WAIT_SECONDS = 15.0
# Idle it takes some 60; what stays above this after a report is in shreds, and the next one starts afresh.
MOST_MEGABYTES = 90.0
BUSY = "other reports are being prepared. Try again in a moment"


def html_to_pdf(html: str, *, static: Path) -> bytes:
    """Return the PDF of a report; of the same report the same one.

    Args:
        html: The whole document; pictures as data URLs.
        static: The folder with `dist/report.css` and the fonts it names.

    Raises:
        BusyError: Others are being made for too long, or this one takes too long.
        RuntimeError: It cannot be made; why is in the server's log.
    """
    return _made.get(sha256(html.encode()).digest(), lambda: _maker.make(html, static))


class _Maker:
    """The process that makes them: started when first asked, and again when it has grown or is gone."""

    def __init__(self) -> None:
        self.process: subprocess.Popen[bytes] | None = None
        self._lock = Lock()
        atexit.register(self.end)

    def make(self, html: str, static: Path) -> bytes:
        if not self._lock.acquire(timeout=WAIT_SECONDS):
            raise BusyError(BUSY)
        try:
            with alone("reports", wait_seconds=WAIT_SECONDS, busy=BUSY):
                self._end_another()
                pdf = self._asked_twice(html.encode(), static)
        finally:
            self._lock.release()
        if not pdf:
            raise RuntimeError("the report could not be laid out")
        return pdf

    def _asked_twice(self, document: bytes, static: Path) -> bytes:
        try:
            return self._asked(document, static)
        except (EOFError, BrokenPipeError):
            # It had grown and ended, or was killed, for want of memory perhaps: a new one is asked once.
            self.end()
            return self._asked(document, static)

    def _asked(self, document: bytes, static: Path) -> bytes:
        if self.process is None:
            command = [sys.executable, "-W", "ignore", "-m", "plentar.formats.pdf_maker"]
            command += [str(static.resolve()), str(MOST_MEGABYTES)]
            self.process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE)  # noqa: S603
            _last().write_text(str(self.process.pid))
        process = self.process
        assert process.stdin is not None  # noqa: S101 - both are pipes
        assert process.stdout is not None  # noqa: S101
        send(process.stdin, document)
        if not select.select([process.stdout], [], [], WAIT_SECONDS)[0]:
            self.end()
            raise BusyError("this report takes long to prepare. Try again in a moment")
        return receive(process.stdout)

    def _end_another(self) -> None:
        """End the process that made the last one for another server process, if it is still there."""
        try:
            pid = int(_last().read_text())
            is_own = self.process is not None and self.process.pid == pid
            if not is_own and b"plentar.formats.pdf_maker" in Path(f"/proc/{pid}/cmdline").read_bytes():
                os.kill(pid, signal.SIGTERM)
        except (OSError, ValueError):
            return

    def end(self) -> None:
        """Let go of the process."""
        process, self.process = self.process, None
        if process is None:
            return
        process.kill()
        # The process has ended: what was still to be written to it is dropped.
        with contextlib.suppress(BrokenPipeError):
            process.communicate()


def _last() -> Path:
    """Where the id of the process that made the last one stands."""
    return Path(tempfile.gettempdir(), f"plentar-reports-{os.getuid()}.pid")


_maker = _Maker()
