"""Work that takes much memory, done by one thread of one process of this machine at a time."""

import ctypes
import fcntl
import os
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from plentar.core.errors import BusyError

__all__ = ["alone", "give_back"]

LOOK_SECONDS = 0.02


@contextmanager
def alone(what: str, *, wait_seconds: float, field: str = "", busy: str = "") -> Iterator[None]:
    """Wait until nobody else does this, then keep everybody else waiting.

    Args:
        what: What is done, in one word, such as `pictures`.
        wait_seconds: How long to wait.
        field: The sender's field, for the message.
        busy: The message, where it is not about something sent.

    Raises:
        BusyError: Others were at it for so long.
    """
    until = time.monotonic() + wait_seconds
    # A lock of the open file: two threads with a file each are as apart as two processes, and a killed one lets go.
    with Path(tempfile.gettempdir(), f"plentar-{what}-{os.getuid()}.lock").open("w") as lock:
        while True:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                if time.monotonic() > until:
                    words = busy or f"other {what} are being read. Send this one again in a moment"
                    raise BusyError(words, field=field) from None
                time.sleep(LOOK_SECONDS)
        try:
            yield
        finally:
            # Before the next one, of another process perhaps, takes as much again.
            give_back()


def give_back() -> None:
    """Return freed memory to the system; on another C library than glibc nothing is done."""
    libc = ctypes.CDLL(None)
    if hasattr(libc, "malloc_trim"):
        libc.malloc_trim(0)
