"""What fan and heat calls do to blower and strip, and what of that is wrong: the rule of the interlock, in words."""

from dataclasses import dataclass
from typing import Literal

from plentar.core.message import Text, joined, message

__all__ = ["AIRLESS", "CALLS", "CallOutcome", "wrong_of"]

CALLS: tuple[frozenset[str], ...] = (frozenset(), frozenset({"W"}), frozenset({"G"}), frozenset({"W", "G"}))
# The smaller of the usual two ratings for a motor load, 12 and 16 A: docs/trade.md, section 1.
CONTACT_RATED_AMPS = 12.0
# How bad heat without air is, among the others of `wrong_of`.
AIRLESS = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class CallOutcome:
    """What one combination of calls does.

    `blower` is off, runs or slow (in series with the strip); `strip` is off, heats or trickles (the motor's current).
    `contact_amps` is the most that a contact of the blower relay carries [A]; `taps_joined`: both speed taps on a wire.
    """

    calls: frozenset[str]
    blower: Literal["off", "runs", "slow"]
    strip: Literal["off", "heats", "trickles"]
    is_short: bool
    contact_amps: float
    contact: str
    taps_joined: bool

    @property
    def code(self) -> str:
        """The outcome in two letters, as the truth table writes it: B or b (slow), H or h (trickle), X for a short."""
        if self.is_short:
            return "X"
        return (
            ({"off": "-", "runs": "B", "slow": "b"}[self.blower])
            + {"off": "-", "heats": "H", "trickles": "h"}[self.strip]
        )


def _when(outcome: CallOutcome) -> Text:
    calls = sorted(outcome.calls, reverse=True)
    return message("interlock.called", calls=joined(calls)) if calls else message("interlock.nothing-called")


def wrong_of(
    none: CallOutcome,
    heat: CallOutcome,
    fan: CallOutcome,
    both: CallOutcome,
    rated_amps: float = CONTACT_RATED_AMPS,
) -> list[tuple[int, Text]]:
    """Return what is wrong with what the four calls do, each with how bad it is, in no order.

    Args:
        none: With nothing called.
        heat: With heat called alone.
        fan: With the fan called alone.
        both: With heat and fan called.
        rated_amps: What a contact of the blower relay is built for [A].
    Source:
        docs/trade.md, section 1, Interlock.
    """
    all_four = (none, heat, fan, both)
    found: list[tuple[int, Text]] = []
    shorts = [outcome for outcome in all_four if outcome.is_short]
    if shorts:
        always = len(shorts) == len(all_four)
        when = message("interlock.whatever-called") if always else joined(map(_when, shorts))
        found.append((9, message("interlock.dead-short-relay-joins-l1", when=when)))
    live = [outcome for outcome in all_four if not outcome.is_short]
    burnt = [outcome for outcome in live if outcome.contact_amps > rated_amps]
    if burnt:
        worst = max(burnt, key=lambda outcome: outcome.contact_amps)
        found.append(
            (
                7,
                message(
                    "interlock.blower-relay-carries-strips-made",
                    contact=worst.contact,
                    contact_amps=worst.contact_amps,
                    when=_when(worst),
                    rated_amps=rated_amps,
                ),
            )
        )
    if fan in live and fan.strip == "heats" and none.strip != "heats":
        found.append((6, message("interlock.back-feed-fan-call-heats")))
    if none in live and none.strip == "heats":
        kept = (
            message("interlock.until-fan-called")
            if fan.strip != "heats" and fan in live
            else message("interlock.nothing-called-always")
        )
        found.append((6, message("interlock.strip-heats", kept=kept)))
    airless = [outcome for outcome in live if outcome.strip == "heats" and outcome.blower != "runs"]
    if airless:
        found.append((AIRLESS, message("interlock.heat-without-air", when=joined(map(_when, airless)))))
    slow = [outcome for outcome in live if outcome.blower == "slow"]
    if slow:
        found.append((4, message("interlock.blower-runs-slow-series-strip", when=joined(map(_when, slow)))))
    if any(outcome.taps_joined for outcome in live):
        found.append((4, message("interlock.both-speed-taps-are-joined")))
    if none in live and none.blower == "runs":
        found.append((3, message("interlock.blower-never-stops-runs-nothing")))
    if fan in live and fan.blower == "off":
        found.append((3, message("interlock.fan-call-does-not-run")))
    if heat in live and heat.strip == "heats" and heat.blower == "off" and not airless:
        found.append((3, message("interlock.heat-call-does-not-run")))
    if heat in live and heat.strip == "off":
        found.append((3, message("interlock.heat-call-does-not-heat")))
    return found
