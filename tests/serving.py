"""The application served as in use, gunicorn's workers over loopback, and a browser's share of HTTP to ask it."""

import json
import os
import re
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from http.client import HTTPConnection, HTTPException
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from sqlalchemy import Engine

from plentar.store.database import make_engine
from tests import ROOT

TOKEN = re.compile(r'name="csrf_token"[^>]*value="([^"]+)"')


def free_port() -> int:
    """A loopback port nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Server:
    """`plentar serve` as a process of its own."""

    def __init__(self, url: str, port: int | None = None, **settings: object) -> None:
        self.url, self.port = url, port or free_port()
        self.settings = settings
        self.process: subprocess.Popen[bytes] | None = None
        self.log = b""

    def start(self, log: Path) -> None:
        """Start it, and wait until it is ready."""
        environment = {
            **os.environ,
            "PLENTAR_DATABASE_URL": self.url,
            "PLENTAR_SECRET_KEY": "s" * 40,
            "PLENTAR_SECURE_COOKIES": "no",
            "PLENTAR_PORT": str(self.port),
            **{f"PLENTAR_{name.upper()}": str(value) for name, value in self.settings.items()},
        }
        command = [sys.executable, "-c", "from plentar.cli import main; main()", "serve"]
        with log.open("ab") as out:
            self.process = subprocess.Popen(command, env=environment, stdout=out, stderr=out, start_new_session=True)
        for _ in range(1200):
            try:
                if Browser(self.port).get("/readyz")[0] == 200:
                    return
            except OSError:
                pass
            time.sleep(0.1)
        raise AssertionError(log.read_text()[-2000:])

    @property
    def pid(self) -> int:
        """The master's."""
        assert self.process is not None
        return self.process.pid

    @property
    def workers(self) -> list[int]:
        """The workers' process ids."""
        children = Path(f"/proc/{self.pid}/task/{self.pid}/children").read_text()
        return [int(pid) for pid in children.split()]

    @property
    def megabytes(self) -> float:
        """What the master and all below it hold in memory now, what they share counted once."""
        return sum(_own_megabytes(pid) for pid in (self.pid, *_below(self.pid)))

    @property
    def maker_megabytes(self) -> float:
        """What of it the processes hold that lay out reports."""
        return sum(_own_megabytes(pid) for pid in _below(self.pid) if b"pdf_maker" in _command(pid))

    def stop(self) -> None:
        """End it, gently first."""
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            try:
                self.process.wait(8)
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait(5)


def _command(pid: int) -> bytes:
    """What a process was started with; nothing once it is gone."""
    try:
        return Path(f"/proc/{pid}/cmdline").read_bytes()
    except OSError:
        return b""


def _below(pid: int) -> list[int]:
    """A process's children, and theirs."""
    try:
        # A child belongs to the thread that made it.
        tasks = list(Path(f"/proc/{pid}/task").iterdir())
        children = [int(child) for task in tasks for child in (task / "children").read_text().split()]
    except OSError:
        return []
    return [found for child in children for found in (child, *_below(child))]


def _own_megabytes(pid: int) -> float:
    try:
        rollup = Path(f"/proc/{pid}/smaps_rollup").read_text()
    except (OSError, ProcessLookupError):
        return 0.0
    return sum(int(line.split()[1]) for line in rollup.splitlines() if line.startswith("Pss:")) / 1024


@contextmanager
def serving(url: str, log: Path, *, workers: int) -> Iterator[Server]:
    """Serve for as long as the block lasts."""
    server = Server(url, workers=workers)
    server.start(log)
    try:
        yield server
    finally:
        server.stop()


class Browser:
    """One kept connection with its cookies."""

    def __init__(self, port: int, timeout: float = 60.0) -> None:
        self.link = HTTPConnection("127.0.0.1", port, timeout=timeout)
        self.cookies: dict[str, str] = {}
        self.token = ""

    def __del__(self) -> None:
        """Leave no connection open behind a test."""
        self.link.close()

    def ask(
        self, method: str, path: str, body: bytes | None = None, headers: Mapping[str, str] | None = None
    ) -> tuple[int, bytes, Mapping[str, str]]:
        """One request on the kept connection; a dead one raises and is made anew by the next."""
        sent = {"Cookie": "; ".join(f"{name}={value}" for name, value in self.cookies.items()), **(headers or {})}
        try:
            self.link.request(method, path, body, sent)
            answer = self.link.getresponse()
            text = answer.read()
        except (OSError, HTTPException) as error:
            self.link.close()
            raise OSError(str(error)) from error
        for name, value in answer.getheaders():
            if name.lower() == "set-cookie":
                key, _, kept = value.partition(";")[0].partition("=")
                self.cookies[key] = kept
        return answer.status, text, {name.lower(): value for name, value in answer.getheaders()}

    def get(self, path: str, **headers: str) -> tuple[int, bytes]:
        """A page."""
        status, text, _ = self.ask("GET", path, headers={name.replace("_", "-"): v for name, v in headers.items()})
        return status, text

    def post(self, path: str, **fields: str) -> int:
        """A form with its token."""
        body = urlencode({**fields, "csrf_token": self.token}).encode()
        return self.ask("POST", path, body, {"Content-Type": "application/x-www-form-urlencoded"})[0]

    def sign_in(self, email: str, password: str) -> None:
        """In by the form, and a token of the new session."""
        self._take_token("/sign-in")
        assert self.post("/sign-in", email=email, password=password) == 302
        self._take_token("/today")

    def _take_token(self, page: str) -> None:
        found = TOKEN.search(self.get(page)[1].decode())
        assert found is not None
        self.token = found.group(1)

    def send(self, call: str, *events: Mapping[str, Any]) -> tuple[int, Any]:
        """Events as JSON; the status and the answers."""
        body = json.dumps({"events": list(events)}).encode()
        headers = {"Content-Type": "application/json", "X-CSRFToken": self.token}
        status, text, _ = self.ask("POST", f"{call}/events", body, headers)
        return status, json.loads(text)["answers"] if status == 200 else None

    def upload(self, path: str, fields: Mapping[str, str], name: str, data: bytes) -> int:
        """A form with a file."""
        parts = [
            f'--q\r\nContent-Disposition: form-data; name="{key}"\r\n\r\n{value}\r\n'.encode()
            for key, value in {**fields, "csrf_token": self.token}.items()
        ]
        head = f'--q\r\nContent-Disposition: form-data; name="{name}"; filename="p.bin"\r\n\r\n'.encode()
        body = b"".join(parts) + head + data + b"\r\n--q--\r\n"
        return self.ask("POST", path, body, {"Content-Type": "multipart/form-data; boundary=q"})[0]


@contextmanager
def a_cluster(folder: Path) -> Iterator[Engine]:
    """A PostgreSQL of a test's own that keeps what it committed, and gone after."""
    folder.mkdir()
    for parent in (folder, *folder.parents[:3]):
        parent.chmod(0o755)
    engine = make_engine(start_cluster(folder))
    try:
        yield engine
    finally:
        engine.dispose()
        subprocess.run([sys.executable, str(ROOT / "script/postgres.py"), "remove", str(folder)], check=True)


def kill_cluster(data: Path) -> None:
    """Kill PostgreSQL and wait until it is gone: while its process is there, the start script takes it as running."""
    postmaster = int((data / "postmaster.pid").read_text().split()[0])
    os.kill(postmaster, signal.SIGKILL)
    while Path(f"/proc/{postmaster}").exists():
        time.sleep(0.05)


def start_cluster(folder: Path) -> str:
    """Start it, again and again while its killed forerunner's children are still leaving."""
    environment = {name: value for name, value in os.environ.items() if name != "PLENTAR_THROWAWAY"}
    script = [sys.executable, str(ROOT / "script/postgres.py"), "start", str(folder)]
    for _ in range(120):
        told = subprocess.run(script, env=environment, capture_output=True, text=True, check=False)
        if told.returncode == 0:
            return told.stdout.strip()
        time.sleep(0.5)
    raise AssertionError(told.stdout + told.stderr)
