"""When a pole may move: its window, when it is late, when it counts as never, chained stages added up."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.unit.kinds import Kind
from plentar.core.unit.nameplate import Nameplate, Pole, Window

__all__ = ["AT_ONCE", "Patience", "closing", "opening", "own_windows"]

# Relays and contactors pull in at once; this is what a person needs to press and look.
AT_ONCE = Window(min_seconds=0.0, max_seconds=5.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Patience:
    """The seconds after a call, or after its end, that decide what a pole's silence or its staying means.

    Inside the window it passes, before it is early, to `late_seconds` marginal, then late; at `never_seconds` it did
    not close, or is stuck. `source` is who set them.
    """

    min_seconds: float
    max_seconds: float
    late_seconds: float
    never_seconds: float
    source: str

    def __add__(self, other: "Patience") -> "Patience":
        """Return one stage after another: chained stages add up."""
        return Patience(
            min_seconds=self.min_seconds + other.min_seconds,
            max_seconds=self.max_seconds + other.max_seconds,
            late_seconds=self.late_seconds + other.late_seconds,
            never_seconds=self.never_seconds + other.never_seconds,
            # A chain is only as well known as its least known link.
            source=self.source if self.source == other.source else "default",
        )


# The same few windows are asked for with every reading of every state a call may be in.
@lru_cache(maxsize=1024)
def closing(plate: Nameplate, device_id: str, pole: Pole | None, limits: Limits = DEFAULT_LIMITS) -> Patience:
    """Return when a pole is to close after the thermostat's call.

    Args:
        plate: The unit.
        device_id: The sequencer, contactor or heat relay.
        pole: The pole; None for a device whose poles print nothing.
        limits: The shop's limits.
    Source:
        docs/trade.md, section 3, pole on-time: a printed window, marginal to 1.2 times its maximum, did not close by
        twice; none printed: 90, 120 and 240 s. Chained stages add up.
    """
    return _chained(plate, device_id, pole, limits, _on)


@lru_cache(maxsize=1024)
def opening(plate: Nameplate, device_id: str, pole: Pole | None, limits: Limits = DEFAULT_LIMITS) -> Patience:
    """Return when a pole is to open after the call ends; none printed: 120, 144 and 240 s.

    Source:
        docs/trade.md, section 3, pole off-time.
    """
    return _chained(plate, device_id, pole, limits, _off)


def own_windows(kind: Kind, pole: Pole, limits: Limits = DEFAULT_LIMITS) -> tuple[Window, Window]:
    """Return when a pole by itself closes and opens after its own heater or coil [s]; chains are not in it.

    Source:
        docs/trade.md, section 3, pole on-time and off-time.
    """
    both = _on(kind, pole, limits), _off(kind, pole, limits)
    on, off = (Window(min_seconds=found.min_seconds, max_seconds=found.max_seconds) for found in both)
    return on, off


def _chained(
    plate: Nameplate,
    device_id: str,
    pole: Pole | None,
    limits: Limits,
    own: Callable[[Kind, Pole | None, Limits], Patience],
) -> Patience:
    found, before = own(plate.device(device_id).of_kind, pole, limits), _before(plate, device_id, limits, own)
    return found if before is None else found + before


def _before(
    plate: Nameplate, device_id: str, limits: Limits, own: Callable[[Kind, Pole | None, Limits], Patience]
) -> Patience | None:
    """Return what passes before a device's heater gets the call or loses it; None where the call itself feeds it."""
    fed_by = plate.device(device_id).fed_by
    if fed_by in ("W", "W2"):
        return None
    ahead, before = plate.device(fed_by), _before(plate, fed_by, limits, own)
    # The pole that passes the call on has a window of its own, and the heater behind it waits for it. Fed by the call's
    # own wire instead of R, it takes the heater off with the call, whatever it does itself.
    if own is _off and ahead.auxiliary_from == "W":
        return before
    passed = own(ahead.of_kind, ahead.auxiliary, limits)
    return passed if before is None else passed + before


def _on(kind: Kind, pole: Pole | None, limits: Limits) -> Patience:
    if pole is not None and pole.on_window is not None:
        return _printed(pole.on_window, "nameplate", limits)
    # Only a disc has seconds nobody printed; a coil moves at once whoever made it.
    return _unprinted(limits, "on") if kind.is_thermal else _printed(AT_ONCE, "default", limits)


def _off(kind: Kind, pole: Pole | None, limits: Limits) -> Patience:
    if pole is not None and pole.off_window is not None:
        return _printed(pole.off_window, "nameplate", limits)
    return _unprinted(limits, "off") if kind.is_thermal else _printed(AT_ONCE, "default", limits)


def _printed(window: Window, source: str, limits: Limits) -> Patience:
    return Patience(
        min_seconds=window.min_seconds,
        max_seconds=window.max_seconds,
        late_seconds=limits.number("late_ratio") * window.max_seconds,
        never_seconds=limits.number("never_ratio") * window.max_seconds,
        source=source,
    )


def _unprinted(limits: Limits, which: str) -> Patience:
    names = (f"{which}_seconds", f"late_{which}_seconds", f"never_{which}_seconds")
    latest, late, never = (limits.number(name) for name in names)
    return Patience(
        min_seconds=0.0, max_seconds=latest, late_seconds=late, never_seconds=never, source=limits.source(*names)
    )
