"""How urgent a call is, before anything was read: what is complained of, who is at risk, how cold it is outdoors."""

from collections.abc import Sequence
from dataclasses import dataclass

from plentar.core.message import Text, message

__all__ = ["COLD_DEGF", "SEASONAL", "Urgency", "urgency_of"]

# The complaint of a call that nobody complained for.
SEASONAL = "seasonal check"

# Of a hundred. What may burn or scald comes before what is only cold; a check of the season waits for all of them.
_BY_COMPLAINT = {
    "no heat": 50,
    "heat will not stop": 50,
    "breaker trips or hot": 50,
    "clicking, smell": 45,
    "blower dead": 40,
    "not enough heat": 30,
    "cold in defrost or on cold nights": 25,
    SEASONAL: 0,
}
_OTHER = 20
# The complaints that leave a house without its heat: there the cold counts, and who sits in it.
_COLD = ("no heat", "not enough heat", "blower dead", "cold in defrost or on cold nights")
AT_RISK = 25
# Pipes freeze from about here down; the last tenth of a house's heat is missed at design weather.
COLD_DEGF, COLDEST_DEGF, BY_COLD = 32.0, 0.0, 20.0
FIRST, SOON = 70.0, 40.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Urgency:
    """Points of a hundred, for the order of a day, and the words for it; none where it may wait its turn."""

    points: float
    words: Text

    @property
    def is_first(self) -> bool:
        """True for a call that comes before all that is planned."""
        return self.points >= FIRST


def urgency_of(complaints: Sequence[str], *, at_risk: str = "", outdoor_degf: float | None = None) -> Urgency:
    """Return how urgent a call is.

    Args:
        complaints: What is complained of, as the call has it.
        at_risk: Who is at risk, in anybody's words; empty for nobody.
        outdoor_degf: Outdoors [°F]; None where nobody said.
    Source:
        docs/trade.md, section 4: the complaint and who is at risk set the order of calls.
    Example:
        >>> urgency_of(["no heat"], at_risk="infant", outdoor_degf=5.0).points
        91.875
        >>> urgency_of(["seasonal check"]).points
        0
    """
    points: float = max((_BY_COMPLAINT.get(name, _OTHER) for name in complaints), default=_OTHER)
    if any(name in _COLD for name in complaints):
        points += AT_RISK if at_risk.strip() else 0
        if outdoor_degf is not None:
            points += BY_COLD * min(1.0, max(0.0, (COLD_DEGF - outdoor_degf) / (COLD_DEGF - COLDEST_DEGF)))
    if points >= FIRST:
        return Urgency(points=points, words=message("urgency.first"))
    return Urgency(points=points, words=message("urgency.soon") if points >= SOON else "")
