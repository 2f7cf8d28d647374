"""Fifteen thousand hostile requests over every route, by HTTP: none may be answered with a fault or by silence.

    script/postgres.py start var/bench, then
    PLENTAR_BENCH_DATABASE_URL=postgresql://… python -m bench.fuzz [--requests 15000] [--seed 1]

A third is sent with a lead's session and its token, a third by nobody, a third with cookies that are none; every
twentieth is no request at all. Prints answers by kind of status, each different fault once, and whatever was not
answered though it was well formed. Ends with 1 where there was a fault or such a silence.
"""

import argparse
import random
import socket
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Mapping
from http.client import HTTPConnection, HTTPException, HTTPResponse, InvalidURL
from pathlib import Path
from urllib.parse import quote

from sqlalchemy import select

from bench.demo_data import demo_database
from plentar.demo import DEMO_EMAIL, DEMO_PASSWORD
from plentar.store.models import Call, EventRow, Unit
from plentar.web import create_app
from plentar.web.serving.settings import Settings
from tests.hostile import Hostile, Sent
from tests.serving import Browser, Server, serving

# What is no request: each may be answered with a 4xx or by closing, and the next one must be answered.
BROKEN = [
    b"GET /" + b"a" * 5_000 + b" HTTP/1.1\r\nHost: localhost\r\n\r\n",
    b"GET /" + b"a" * 70_000 + b" HTTP/1.1\r\nHost: localhost\r\n\r\n",
    b"GET / HTTP/1.1\r\nHost: localhost\r\nX: " + b"x" * 20_000 + b"\r\n\r\n",
    b"GET / HTTP/1.1\r\nHost: localhost\r\n" + b"X: y\r\n" * 300 + b"\r\n",
    b"GET / HTTP/1.1\r\n\r\n",
    b"GET / HTTP/9.9\r\nHost: localhost\r\n\r\n",
    b"\x16\x03\x01\x02\x00\x01\x00\x01\xfc\x03\x03" + bytes(200),
    b"POST /sign-in HTTP/1.1\r\nHost: localhost\r\nContent-Length: 5\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n",
    b"POST /sign-in HTTP/1.1\r\nHost: localhost\r\nTransfer-Encoding: gzip\r\n\r\n",
    b"POST /sign-in HTTP/1.1\r\nHost: localhost\r\nTransfer-Encoding: chunked\r\n\r\nzz\r\n",
    b"POST /sign-in HTTP/1.1\r\nHost: localhost\r\nContent-Length: -1\r\n\r\n",
    b"POST /sign-in HTTP/1.1\r\nHost: localhost\r\nContent-Length: 99999999999999999999\r\n\r\nx",
    b"GET / HTTP/1.1\r\nHost: evil.example\r\n\r\n",
    b"GET / HTTP/1.1\r\nHost: localhost\r\nHost: evil.example\r\n\r\n",
    b"GET /%s HTTP/1.1\r\nHost: localhost\r\n\r\n" % b"%00%ff%2e%2e%2f",
    b"GET / HTTP/1.1\r\nHost: localhost\r\nCookie: plentar=\xff\xfe\r\n\r\n",
    b"\r\n\r\n\r\n",
    b"x",
]
METHODS = ("PUT", "DELETE", "PATCH", "OPTIONS", "HEAD", "TRACE", "PROPFIND")
COOKIES = ("plentar=x.y.z; theme=nope", "plentar=" + "A" * 3_000, "device=\u00e4; =; ;;", "theme=attic; theme=day")


class Attack:
    """One run of requests against one server."""

    def __init__(self, server: Server, seed: int) -> None:
        self.server, self.rng = server, random.Random(seed)  # noqa: S311
        self.lead = Browser(server.port)
        self.lead.sign_in(DEMO_EMAIL, DEMO_PASSWORD)
        self.answers: Counter[str] = Counter()
        self.faults: list[tuple[int, Sent]] = []
        self.silent: list[tuple[str, Sent | bytes]] = []
        self.last = "nothing"
        self.link = self._link()

    def _link(self) -> HTTPConnection:
        return HTTPConnection("127.0.0.1", self.server.port, timeout=60)

    def send(self, number: int, sent: Sent) -> None:
        """One request of the application's own shape, whatever is in it."""
        method = self.rng.choice(METHODS) if self.rng.random() < 0.05 else sent.method
        # A path may hold what no client can send as it is.
        path = quote(sent.path, safe="/?=&%:+;,@!*()'~$-._#[]|")
        headers = {"Host": f"localhost:{self.server.port}", **(sent.headers or {})}
        whole = sent.options()
        body = whole.get("data")
        if whole.get("content_type"):
            headers["Content-Type"] = str(whole["content_type"])
        if number % 3 == 0:
            headers["Cookie"] = "; ".join(f"{name}={value}" for name, value in self.lead.cookies.items())
            headers |= {"X-CSRFToken": self.lead.token, "Sec-Fetch-Site": "same-origin"}
        elif number % 3 == 1:
            headers["Cookie"] = self.rng.choice(COOKIES)
        try:
            answer = self._answer(method, path, body, headers)
        except InvalidURL:
            self.answers["not sent"] += 1
            return
        except (OSError, HTTPException) as error:
            self.silent.append((f"{type(error).__name__}: {error}, after {self.last}", sent))
            return
        self.answers[f"{answer.status // 100}xx"] += 1
        self.last = f"{method} {sent.endpoint} {answer.status} {headers.get('Content-Type')} {len(body or b'')} bytes"
        if answer.status == 500 or answer.status in (501, 502):
            self.faults.append((answer.status, sent))
        if answer.will_close:
            self.link.close()
            self.link = self._link()

    def _answer(self, method: str, path: str, body: bytes | None, headers: Mapping[str, str]) -> HTTPResponse:
        """Ask on the kept connection; where that was closed after something too large, on a new one."""
        for _ in range(2):
            try:
                self.link.request(method, path, body, {k: v.encode("utf-8") for k, v in headers.items()})
                answer = self.link.getresponse()
                answer.read()
                return answer
            except (OSError, HTTPException):
                self.link.close()
                self.link = self._link()
                if " 413 " not in self.last:
                    raise
                self.answers["closed after 413"] += 1
                self.last = "413, and closed"
        raise OSError("not answered on a new connection either")

    def break_in(self) -> None:
        """What is no request, and after it one that is."""
        raw = self.rng.choice(BROKEN)
        with socket.create_connection(("127.0.0.1", self.server.port), timeout=60) as link:
            link.sendall(raw)
            link.shutdown(socket.SHUT_WR)
            try:
                told = link.recv(4096)
            except OSError:
                told = b""
        status = told.split(b" ")[1].decode() if told.startswith(b"HTTP/") else "closed"
        self.answers[f"broken: {status if status == 'closed' else status[0] + 'xx'}"] += 1
        if status.startswith("5"):
            self.silent.append((f"broken answered {status}", raw[:60]))
        try:
            after = Browser(self.server.port).get("/sign-in")[0]
        except OSError:
            after = 0
        if after != 200:
            self.silent.append(("the next one was not answered", raw[:60]))


def attack(server: Server, sent: list[Sent], seed: int) -> Attack:
    """Send it all."""
    made = Attack(server, seed)
    for number, one in enumerate(sent):
        if number % 20 == 19:
            made.break_in()
        made.send(number, one)
    return made


def hostile_requests(url: str, sessions: object, count: int, seed: int) -> list[Sent]:
    """What to send: every route of the application in turn."""
    with sessions() as db:  # type: ignore[operator]
        ids = {
            "call_id": list(db.scalars(select(Call.id))),
            "unit_id": list(db.scalars(select(Unit.id))),
            "photo_id": list(db.scalars(select(EventRow.id).where(EventRow.kind == "photo"))),
            "log_id": list(db.scalars(select(EventRow.id).where(EventRow.kind == "log"))),
            "event_id": list(db.scalars(select(EventRow.id).limit(20))),
        }
    app = create_app(Settings(database_url=url, secret_key="k" * 32, secure_cookies=False))
    return list(Hostile(app, ids, seed).requests(count))


def main() -> None:
    """Load the demo, serve it, send, count."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--requests", type=int, default=15_000)
    asked.add_argument("--seed", type=int, default=1)
    given = asked.parse_args()
    url, sessions = demo_database()
    sent = hostile_requests(url, sessions, given.requests, given.seed)
    log = Path(tempfile.mkdtemp()) / "log"
    began = time.perf_counter()
    with serving(url, log, workers=3) as server:
        made = attack(server, sent, given.seed)
    print(f"{given.requests} requests in {time.perf_counter() - began:.0f} s: {dict(sorted(made.answers.items()))}")
    for status, one in made.faults[:20]:
        print("fault", status, one)
    for why, what in made.silent[:20]:
        print("silent", why, what)
    print(f"{len(made.faults)} faults, {len(made.silent)} not answered; the server's log: {log}")
    sys.exit(1 if made.faults or made.silent else 0)


if __name__ == "__main__":
    main()
