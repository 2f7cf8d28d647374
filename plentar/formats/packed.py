"""Arrays of a logged current as bytes for the store, and back."""

import zlib

import numpy as np
from numpy.typing import NDArray

__all__ = ["Floats", "is_packed", "pack", "unpack"]

# A week at ten samples a second.
MOST_BYTES = 7 * 86_400 * 10 * 12

Floats = NDArray[np.float64]


def pack(seconds: Floats, amps: Floats) -> bytes:
    """Return seconds (64-bit) and amps (32-bit) compressed; not-a-number stands for a lost sample."""
    return zlib.compress(np.asarray(seconds, "<f8").tobytes() + np.asarray(amps, "<f4").tobytes(), 6)


def is_packed(data: bytes) -> bool:
    """Tell whether bytes are what `pack` makes, without unpacking more than a log may hold."""
    try:
        reader = zlib.decompressobj()
        size = len(reader.decompress(data, MOST_BYTES))
    except zlib.error:
        return False
    return not data or (reader.eof and size % 12 == 0)


def unpack(data: bytes) -> tuple[Floats, Floats]:
    """Return what `pack` was given."""
    if not data:
        return np.zeros(0), np.zeros(0)
    raw = zlib.decompress(data)
    count = len(raw) // 12
    return np.frombuffer(raw[: 8 * count], "<f8"), np.frombuffer(raw[8 * count :], "<f4").astype(float)
