"""The unit's table, packed: what a circuit shows under one drive, for every hypothesis, to be kept and shared.

Whole numbers of a tenth of what a meter's last digit is, a row a drive. Read without numpy, so that a phone can, too.
"""

import hashlib
import json
import math
import struct
import zlib
from array import array
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import lru_cache

from plentar.core.circuit.drive import Drive
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import spot_of

__all__ = [
    "LEAD_OHMS", "OPEN_NUMBER", "PER_DECADE", "PER_UNIT", "VERSION", "TableRow", "circuit_key", "drive_key", "pack",
    "to_int", "unpack", "value_of",
]  # fmt: skip

# Of what is kept: the digest of an example's packed row, which lies beside its test. A circuit solved otherwise, or
# other hypotheses, are another version, kept beside the one before; a test fails until it is said here.
VERSION = "d3ef8da3271320e5"
# A volt, an amp in thousandths: a tenth of the last digit of the finest range a circuit is read on.
PER_UNIT = 1000
# Ohms span decades: a ten-thousandth of a decade is a fiftieth of a percent, beside the 0.3 ohm of leads and tips.
PER_DECADE, LEAD_OHMS = 10_000, 0.3
# Open is open, to the last digit.
OPEN_NUMBER = round(PER_DECADE * math.log10(OPEN_OHMS + LEAD_OHMS))
MAGIC = b"PUT1"


@dataclass(frozen=True, slots=True, kw_only=True)
class TableRow:
    """One drive's row: `hypotheses` values a point, whether each floats, and which contacts each leaves closed."""

    points: Mapping[str, int]
    hypotheses: int
    contacts: int
    numbers: bytes
    floating: bytes
    closed: bytes

    @property
    def size(self) -> int:
        """What it takes in memory [bytes]."""
        return len(self.numbers) + len(self.floating) + len(self.closed) + 100 * len(self.points)

    def raw(self, point: str) -> bytes:
        """Return a point's whole numbers as little-endian 32-bit integers, one a hypothesis."""
        start = 4 * self.hypotheses * self.points[point]
        return self.numbers[start : start + 4 * self.hypotheses]

    def is_floating(self, point: str) -> bytes:
        """Return one byte a hypothesis: 1 where only strays tie the place to the rest."""
        start = self.hypotheses * self.points[point]
        return self.floating[start : start + self.hypotheses]

    def predicted(self, point: str) -> list[float]:
        """Return what each hypothesis shows at a point, in the unit of its function."""
        whole = array("i", self.raw(point))
        return [value_of(point, number) for number in whole]


def to_int(point: str, value: float) -> int:
    """Return a value as a whole number of its point's steps.

    Example:
        >>> to_int("volts:feed-1.l1:feed-1.l2", 238.4567), to_int("ohms:strip-a.element", 1e9)
        (238457, 80000)
    """
    if spot_of(point).is_ohms:
        return round(PER_DECADE * math.log10(min(value, OPEN_OHMS) + LEAD_OHMS))
    return round(PER_UNIT * value)


def value_of(point: str, number: int) -> float:
    """Return the value a whole number stands for.

    Example:
        >>> value_of("amps:strip-a", 20833), round(value_of("ohms:strip-a.element", to_int("ohms:x", 11.52)), 2)
        (20.833, 11.52)
    """
    if not spot_of(point).is_ohms:
        return number / PER_UNIT
    return OPEN_OHMS if number >= OPEN_NUMBER else max(0.0, float(10.0 ** (number / PER_DECADE)) - LEAD_OHMS)


def pack(points: Sequence[str], numbers: Sequence[bytes], floating: Sequence[bytes], closed: Sequence[bytes]) -> bytes:
    """Return a row as bytes.

    Args:
        points: The points, in order.
        numbers: Of each point its whole numbers, little-endian 32-bit, one a hypothesis.
        floating: Of each point one byte a hypothesis.
        closed: Of each hypothesis one byte a contact.
    """
    head = json.dumps({"points": list(points), "hypotheses": len(closed), "contacts": len(closed[0])}).encode()
    body = struct.pack("<I", len(head)) + head + b"".join(numbers) + b"".join(floating) + b"".join(closed)
    return MAGIC + zlib.compress(body, 6)


def unpack(data: bytes) -> TableRow | None:
    """Return a row; nothing where the bytes are none, cut short or of another kind."""
    try:
        body = zlib.decompress(data[len(MAGIC) :]) if data.startswith(MAGIC) else b""
        (size,) = struct.unpack_from("<I", body)
        head = json.loads(body[4 : 4 + size])
        points, count, contacts = head["points"], int(head["hypotheses"]), int(head["contacts"])
    except (ValueError, KeyError, TypeError, struct.error, zlib.error):
        return None
    begins = 4 + size
    ends = begins + 4 * len(points) * count, begins + 5 * len(points) * count
    if len(body) != ends[1] + count * contacts:
        return None
    return TableRow(
        points={point: number for number, point in enumerate(points)},
        hypotheses=count,
        contacts=contacts,
        numbers=body[begins : ends[0]],
        floating=body[ends[0] : ends[1]],
        closed=body[ends[1] :],
    )


@lru_cache(maxsize=256)
def circuit_key(circuit: Nameplate) -> str:
    """Return what names a circuit among all that are kept: a digest of its plate without label and rules."""
    return _digest(asdict(circuit))


def drive_key(drive: Drive) -> str:
    """Return what names a drive."""
    return _digest({name: sorted(v) if isinstance(v, frozenset) else v for name, v in asdict(drive).items()})


def _digest(values: object) -> str:
    return hashlib.sha256(json.dumps(values, sort_keys=True).encode()).hexdigest()[:40]
