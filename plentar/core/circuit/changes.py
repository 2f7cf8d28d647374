"""What a fault does to a network, as data: the solver applies it, the netlist writes it down, pairs merge two."""

from collections.abc import Mapping
from dataclasses import dataclass, field

__all__ = ["NO_CHANGE", "Changes"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Changes:
    """Differences from the healthy circuit.

    `ohms`: branch → (impedance at 60 Hz, ohms to an ohmmeter). `forced`: contact → held closed or open whatever
    drives it. `contact_ohms`: contact → resistance when closed. `split`: lead → ohms between its ends, infinite:
    off.
    `moved`: lead → the terminal its second end is landed on instead. `ratio`: two-port → factor on its ratio, 0: dead.
    `trips_at`: breaker pole → amps at which it trips after a while, last of all that moves. `supply`: factor on what
    the service delivers.
    """

    ohms: Mapping[str, tuple[complex, float]] = field(default_factory=dict)
    forced: Mapping[str, bool] = field(default_factory=dict)
    contact_ohms: Mapping[str, float] = field(default_factory=dict)
    split: Mapping[str, float] = field(default_factory=dict)
    moved: Mapping[str, str] = field(default_factory=dict)
    ratio: Mapping[str, float] = field(default_factory=dict)
    trips_at: Mapping[str, float] = field(default_factory=dict)
    supply: float = 1.0

    def __or__(self, other: "Changes") -> "Changes":
        """Return both at once; where they touch the same thing, the other's wins."""
        return Changes(
            ohms={**self.ohms, **other.ohms},
            forced={**self.forced, **other.forced},
            contact_ohms={**self.contact_ohms, **other.contact_ohms},
            split={**self.split, **other.split},
            moved={**self.moved, **other.moved},
            ratio={**self.ratio, **other.ratio},
            trips_at={**self.trips_at, **other.trips_at},
            supply=self.supply * other.supply,
        )


NO_CHANGE = Changes()
