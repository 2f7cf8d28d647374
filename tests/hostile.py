"""Requests nobody sends by honest means: wrong types, huge, broken, doubled, over every route the application has."""

import json
import random
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Any
from urllib.parse import quote
from uuid import UUID

from flask import Flask
from PIL import Image
from werkzeug.routing import Rule

import plentar
from plentar.core.evidence import events

TEMPLATES = Path(plentar.__file__).parent / "web/templates"
FRAGMENTS = Path(plentar.__file__).parent / "screen/templates"
# What a test sends it would have to undo: it ends the sign-in the other requests are sent with.
LEFT_OUT = {"signin.sign_out", "signin.end_others", "signin.change_password", "static"}
TEXTS = [
    "", " ", "0", "-1", "1e309", "1" + "0" * 400, "NaN", "Infinity", "0x10", "4/²", "１２", "1,2,3", "20.8 A", "OL",
    "\x00", "a\x00b", "\r\nX: y", "\u202egnp.exe", "ä" * 300, "<script>x</script>", "' or 1=1 --", "../../etc/passwd",
    "%00", "{{7*7}}", "x" * 5000, "on", "off", "yes", "live", "proven dead", "W", "feed-1", "control", "thermostat",
    "[]", "{}", "null", "true", "2026-11-25", "9999-99-99", "25:61", "strip-a", "amps:strip-a",
    "volts:feed-1.l1:feed-1.l2", "ohms:strip-a.element", "volts:strip-a.element.1:strip-a.element.2", "volts:a:b:c:d",
    "00000000-0000-0000-0000-000000000000", "not-a-uuid", "at rest", "low impedance", "W=on", "feed-1=off", "=",
    "control=separate source", "tick", "lock", "readings", "safe-capacitor", "off", "lift", "hand-over", "😀" * 40,
]  # fmt: skip
NUMBERS = [0, -1, 1.5, 1e308, 10**40, True, float("nan"), float("inf")]


def field_names() -> list[str]:
    """Every name any form of the application sends."""
    found = set()
    for page in (*TEMPLATES.rglob("*.html"), *FRAGMENTS.rglob("*.html")):
        found |= set(re.findall(r'name="([a-z][a-z0-9_:-]*)"', page.read_text()))
    for source in TEMPLATES.parent.rglob("*.py"):
        found |= set(re.findall(r'(?:form|args|values)(?:\.get\(|\[)"([a-z_]+)"', source.read_text()))
        found |= set(re.findall(r"^    ([a-z_]+) = \w*Field\(", source.read_text(), flags=re.M))
    return sorted(found - {"csrf_token"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Sent:
    """One request, ready for a test client."""

    endpoint: str
    method: str
    path: str
    data: Any = None
    json: str | None = None
    content_type: str | None = None
    headers: Mapping[str, str] | None = None

    def options(self) -> dict[str, Any]:
        """What a Flask test client's `open` takes."""
        found: dict[str, Any] = {"method": self.method, "headers": dict(self.headers or {})}
        if self.json is not None:
            return {**found, "data": self.json.encode("utf-8", "surrogatepass"), "content_type": "application/json"}
        if self.content_type is not None:
            found["content_type"] = self.content_type
        return {**found, "data": self.data} if self.data is not None else found


class Hostile:
    """Makes requests from one seed; `ids` are real ids by the names routes give them, so that many get through."""

    def __init__(self, app: Flask, ids: Mapping[str, Sequence[UUID]], seed: int) -> None:
        self.rng = random.Random(seed)  # noqa: S311 - a sample that can be drawn again
        self.names = field_names()
        self.ids = ids
        self.rules = [rule for rule in app.url_map.iter_rules() if rule.endpoint not in LEFT_OUT]
        self.kinds = sorted({kind.kind for kind in vars(events).values() if hasattr(kind, "kind")})

    def requests(self, count: int) -> Iterator[Sent]:
        """Every route in turn, each time with something else in it."""
        for number in range(count):
            rule = self.rules[number % len(self.rules)]
            yield self._one(rule)

    def _one(self, rule: Rule) -> Sent:
        rng = self.rng
        method = "POST" if "POST" in (rule.methods or set()) else "GET"
        path = self._path(rule)
        if rng.random() < 0.4:
            path += "?" + "&".join(f"{rng.choice(self.names)}={quote(self._text(), safe='')}" for _ in range(3))
        headers = {"HX-Request": "true"} if rng.random() < 0.5 else {}
        if rng.random() < 0.1:
            headers["If-None-Match"] = headers["Range"] = rng.choice(["*", '"', "bytes=9-1", 'W/"x", y'])
        whole: dict[str, Any] = {"endpoint": rule.endpoint, "method": method, "path": path, "headers": headers}
        if method == "GET":
            return Sent(**whole)
        shape = rng.random()
        if rule.endpoint == "call.add_events" and shape < 0.9:
            return Sent(**whole, json=self._events())
        if shape < 0.1:
            return Sent(**whole, json=json.dumps(self._value(3)))
        if shape < 0.18:
            return Sent(**whole, data=rng.randbytes(200), content_type=rng.choice(
                ["multipart/form-data; boundary=x", "application/x-www-form-urlencoded", "application/json", "a/b; c"]
            ))  # fmt: skip
        if "photo" in rule.endpoint or "log" in rule.endpoint or rule.endpoint == "parts.take_in" or shape < 0.25:
            return Sent(**whole, data=self._multipart(), content_type="multipart/form-data; boundary=xyz")
        return Sent(**whole, data=self._form(), content_type="application/x-www-form-urlencoded")

    def _path(self, rule: Rule) -> str:
        def value(match: "re.Match[str]") -> str:
            converter, name = match.group(1) or "", match.group(2)
            if converter.startswith("uuid"):
                known = self.ids.get(name, ())
                return str(self.rng.choice(known)) if known and self.rng.random() < 0.95 else str(UUID(int=7))
            if converter.startswith("any"):
                return str(self.rng.choice(converter[4:-1].split(","))).strip()
            return quote(self._text()[:50] or "x", safe="")

        return re.sub(r"<(?:([a-z]+(?:\([^)]*\))?):)?([a-z_]+)>", value, rule.rule)

    def _text(self) -> str:
        known = [str(one) for some in self.ids.values() for one in some[:3]]
        return self.rng.choice(known) if known and self.rng.random() < 0.15 else self.rng.choice(TEXTS)

    def _value(self, depth: int) -> Any:
        kind = self.rng.random()
        if depth and kind < 0.2:
            return [self._value(depth - 1) for _ in range(self.rng.randrange(4))]
        if depth and kind < 0.4:
            return {self.rng.choice([*self.names, *TEXTS[:6]]): self._value(depth - 1) for _ in range(3)}
        return self.rng.choice([self._text(), self.rng.choice(NUMBERS), None])

    def _events(self) -> str:
        listed = []
        for _ in range(self.rng.randrange(1, 4)):
            fields = ["point", "typed", "what", "state", "device", "feed", "line", "volts", "part", "rows", "faults"]
            fields += [
                "words",
                "clamp",
                "deed",
                "stage",
                "sign",
                "about",
                "is_on",
                "is_done",
                "circuit",
                "event",
                "log",
            ]
            payload = {self.rng.choice([*fields, *self.names]): self._value(2) for _ in range(self.rng.randrange(6))}
            entry: dict[str, Any] = {"id": str(UUID(int=self.rng.getrandbits(128))), "payload": payload}
            entry["kind"] = self.rng.choice(self.kinds) if self.rng.random() < 0.95 else self._value(1)
            if self.rng.random() < 0.2:
                entry[self.rng.choice(["done_at", "clock_seconds", "id", "payload"])] = self._value(1)
            listed.append(entry)
        return json.dumps({"events": listed} if self.rng.random() < 0.95 else self._value(2))

    def _pairs(self) -> list[tuple[str, str]]:
        pairs = [(self.rng.choice(self.names), self._text()) for _ in range(self.rng.randrange(12))]
        pairs += [(name, str(UUID(int=self.rng.getrandbits(128)))) for name in self.names if name.endswith("_id")]
        # The same field twice, and one nobody knows.
        return [*pairs, *pairs[:1], (self._text() or "x", "y")]

    def _form(self) -> bytes:
        body = "&".join(f"{quote(name, safe='')}={quote(value, safe='')}" for name, value in self._pairs())
        return body.encode() + (b"&x=%ff%fe&%zz=1" if self.rng.random() < 0.2 else b"")

    def _multipart(self) -> bytes:
        parts = []
        for name, value in self._pairs():
            clean = name.replace('"', "").replace("\r", "").replace("\n", "")
            parts.append(f'--xyz\r\nContent-Disposition: form-data; name="{clean}"\r\n\r\n{value}\r\n'.encode())
        for name in ("photo", "file"):
            head = f'--xyz\r\nContent-Disposition: form-data; name="{name}"; filename="a"\r\n\r\n'.encode()
            parts.append(head + self._file() + b"\r\n")
        body = b"".join(parts) + b"--xyz--\r\n"
        return body[: self.rng.randrange(len(body))] if self.rng.random() < 0.2 else body

    def _file(self) -> bytes:
        kind = self.rng.randrange(5)
        if kind == 0:
            out = BytesIO()
            Image.new("RGB", (40, 30), "orange").save(out, self.rng.choice(["JPEG", "PNG", "WEBP"]))
            data = bytearray(out.getvalue())
            for _ in range(self.rng.randrange(4)):
                data[self.rng.randrange(len(data))] = self.rng.randrange(256)
            return bytes(data)
        if kind == 1:
            rows = [f"{second},{self.rng.choice(['20.8', '0', '', 'x', '1e999', '-4', '٣'])}" for second in range(60)]
            return ("seconds,amps\n" + self.rng.choice(["\n", "\r", "\r\n"]).join(rows)).encode()
        if kind == 2:
            return ("name,kind\r" + "\r".join(self._text() for _ in range(9))).encode("utf-8", "surrogatepass")
        if kind == 3:
            return ("seconds,amps\n0,1\n" + "9" * 140_000).encode(self.rng.choice(["utf-8", "utf-16"]))
        return self.rng.randbytes(300)
