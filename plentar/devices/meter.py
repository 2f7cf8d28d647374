"""What a logging meter is to the program: something that has a name and hands over the samples it has taken so far."""

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

__all__ = ["LoggingMeter", "Samples"]

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Samples:
    """Samples of one channel, oldest first: seconds since the log began, amps; not-a-number where one was lost.

    Both have shape (n,).
    """

    seconds: Floats
    amps: Floats


class LoggingMeter(Protocol):
    """A clamp meter that logs. A driver of a real one implements these three; nothing else of it is used."""

    @property
    def name(self) -> str:
        """What it is called on the page and in the record."""
        ...

    @property
    def hertz(self) -> float:
        """How often it samples [1/s]."""
        ...

    def samples(self, until_seconds: float) -> Samples:
        """Return everything logged from the beginning up to a moment on its own clock [s]."""
        ...
