"""The application behind a production WSGI server: several processes, several threads each."""

import contextlib
import ctypes
import gc
import importlib
import itertools
import os
import pkgutil
import signal
import socket
import stat
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from importlib.metadata import version
from pathlib import Path
from typing import Any

from gunicorn.app.base import BaseApplication
from gunicorn.http.errors import InvalidRequestLine, UnsupportedTransferCoding
from gunicorn.workers.gthread import ThreadWorker
from sqlalchemy.exc import OperationalError

from plentar import web
from plentar.core import causes
from plentar.core.cache import sweep_all
from plentar.formats.alone import give_back
from plentar.store.database import check_tables, make_engine
from plentar.store.roles import check_serving
from plentar.web import create_app
from plentar.web.serving.alive import answer_health
from plentar.web.serving.logs import log_as_lines
from plentar.web.serving.settings import Settings, SettingsError

__all__ = ["check_schema", "run", "use_folder_of"]

# Above the page's own poll and above the usual 60 s of a proxy in front: whoever reuses a connection never finds it
# just closed.
KEEP_ALIVE_SECONDS = 75
# Longer than a slow phone needs to see an answer of one line; a thread waits no longer for somebody who sends on.
LINGER_SECONDS, LINGER_BYTES = 1.0, 1 << 20
# A worker whose master died looks this often, lets its requests end this long, and is gone within three seconds.
ORPHAN_LOOKS_SECONDS, ORPHAN_ENDS_SECONDS = 0.2, 1.5

# From malloc.h. A picture is decoded in blocks of 16 MB, which go back. A circuit's arrays are mostly smaller: to ask
# the system for each of those anew doubled a first diagnosis's time when this was half a megabyte; at 8 it does not.
M_MMAP_THRESHOLD, M_ARENA_MAX = -3, -8
MMAP_FROM_BYTES, MOST_ARENAS, TRIM_SECONDS = 8 * 1024 * 1024, 1, 30.0
# What nobody asked for in three minutes is let go: a unit's solutions are needed only until its table is kept.
SWEEP_EVERY = 6
# A refused request leaves its frames in a circle with its error, and with them what it had read. By itself Python looks
# for such circles only once a quarter as many objects have come: minutes, and 200 MB in three processes.
COLLECT_EVERY = 2


class _Worker(ThreadWorker):  # type: ignore[misc]
    """Gunicorn's threads, that let whoever sent what is no request read the answer to it."""

    def handle_error(self, req: Any, client: socket.socket, addr: Any, exc: BaseException) -> None:
        """Answer, then read on for a moment: a connection closed over unread bytes takes its own answer along."""
        if isinstance(exc, UnsupportedTransferCoding):
            # The client's mistake like any other: 400, not 501.
            exc = InvalidRequestLine(str(exc))
        super().handle_error(req, client, addr, exc)
        until, left = time.monotonic() + LINGER_SECONDS, LINGER_BYTES
        with contextlib.suppress(OSError):
            client.shutdown(socket.SHUT_WR)
            client.settimeout(LINGER_SECONDS)
            while left > 0 and time.monotonic() < until and (read := client.recv(65_536)):
                left -= len(read)


class _Server(BaseApplication):  # type: ignore[misc]
    """Gunicorn, configured from the settings instead of a file."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        super().__init__()

    def load_config(self) -> None:
        for name, value in {
            "bind": f"{self.settings.host}:{self.settings.port}",
            "workers": self.settings.workers,
            "threads": self.settings.threads,
            "worker_class": _Worker,
            "worker_tmp_dir": None,
            "graceful_timeout": 5,
            "keepalive": KEEP_ALIVE_SECONDS,
            "loglevel": "warning",
            "when_ready": lambda server: answer_health(self.settings.health_port, server),
            "post_fork": _begin_worker,
        }.items():
            self.cfg.set(name, value)

    def load(self) -> Callable[..., Any]:
        # Each worker builds its own application, so none shares a database connection with another.
        return create_app(self.settings)


def _begin_worker(_: object, worker: Any) -> None:
    _give_memory_back()
    _end_with(worker.ppid)


def _give_memory_back() -> None:
    """Let large blocks go back to the system as soon as they are freed, and small ones every half minute.

    glibc raises its own threshold to 32 MB once a large block was freed, and from then on keeps pictures in each
    thread's heap; a threshold that is set stays. Of a heap it gives back only the top: a quarter of a process was
    freed memory that lay below. On another C library nothing is done.
    """
    libc = ctypes.CDLL(None)
    if not hasattr(libc, "mallopt"):
        return
    libc.mallopt(M_MMAP_THRESHOLD, MMAP_FROM_BYTES)
    libc.mallopt(M_ARENA_MAX, MOST_ARENAS)

    def trim() -> None:
        for number in itertools.count(1):
            time.sleep(TRIM_SECONDS)
            if number % SWEEP_EVERY == 0:
                sweep_all()
            if number % COLLECT_EVERY == 0:
                gc.collect()
            give_back()

    threading.Thread(target=trim, daemon=True, name="give memory back").start()


def _end_with(master: int) -> None:
    """End this worker soon after its master is gone, whatever its threads are busy with."""

    def watch() -> None:
        while os.getppid() == master:
            time.sleep(ORPHAN_LOOKS_SECONDS)
        os.kill(os.getpid(), signal.SIGTERM)
        time.sleep(ORPHAN_ENDS_SECONDS)
        os._exit(1)

    threading.Thread(target=watch, daemon=True, name="end with the master").start()


def check_schema(settings: Settings) -> None:
    """See that the tables are the ones this program knows; a database that does not answer yet is waited for later.

    Raises:
        SchemaError: They are older or newer ones.
    """
    engine = make_engine(settings.database_url)
    try:
        with engine.connect() as connection:
            check_tables(connection)
            check_serving(connection)
    except OperationalError:
        return
    finally:
        engine.dispose()


def use_folder_of(settings: Settings) -> None:
    """Keep this deployment's temporary files and locks in a folder of its own.

    Raises:
        SettingsError: The folder is somebody else's.
    """
    folder = Path(tempfile.gettempdir(), f"plentar-{os.getuid()}-{settings.deployment}")
    folder.mkdir(mode=0o700, exist_ok=True)
    about = folder.stat(follow_symlinks=False)
    if not stat.S_ISDIR(about.st_mode) or about.st_uid != os.getuid() or about.st_mode & 0o077:
        raise SettingsError(f"{folder}: expected a folder that only this user can enter")
    tempfile.tempdir = str(folder)


def _load_before_forking() -> None:
    """Load what every worker needs once, in the master: its pages are then shared, not three times its size.

    The application itself is each worker's own, and so is everything that talks to the database.
    """
    for package in (web, causes):
        for module in pkgutil.walk_packages(package.__path__, f"{package.__name__}."):
            importlib.import_module(module.name)
    gc.collect()
    # What lives as long as the process is looked at by no collection: looking would copy its pages.
    gc.freeze()


def run(settings: Settings) -> None:
    """Serve until stopped.

    Raises:
        SchemaError: The tables are not this program's.
    """
    check_schema(settings)
    here = settings.origin or f"http://{settings.host}:{settings.port}"
    sys.stderr.write(f"Plentar {version('plentar')} at {here}\n")
    log_as_lines()
    use_folder_of(settings)
    _load_before_forking()
    _Server(settings).run()
