"""How much likelier a sign makes a fault."""

from collections.abc import Collection

from plentar.core.causes.fault import Fault
from plentar.core.causes.sequences import AIRLESS
from plentar.core.evidence.signs import Sign
from plentar.core.unit.place import place_of

__all__ = ["factor_of"]


def factor_of(sign: Sign, about: str, fault: Fault, *, strips: int = 1, behind: Collection[str] = frozenset()) -> float:
    """Return how many times likelier a sign at a part makes a fault; 1 for faults it does not speak of.

    What moves the limits of all of a unit's `strips` shows at one of them as often as at another. A sign at a feed
    speaks of what is `behind` it as well.

    Source:
        docs/trade.md, section 4, steps 4, 11 and 12: a sign never proves, it makes some faults likelier.
    Example:
        >>> from plentar.core.causes.faults import fault_by_id
        >>> from plentar.core.evidence.signs import sign_of
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> unit, sign = PATTERNS["two-strip-sequencer"](), sign_of("loose-push-on")
        >>> loose = fault_by_id(unit, "strip-b.lead-2.loose")
        >>> factor_of(sign, "strip-b", loose), factor_of(sign, "strip-a", loose)
        (8.0, 1.0)
    """
    if fault.kind == "healthy":
        return 1.0
    if about and sign.about == "strip" and fault.part in AIRLESS:
        return max(1.0, fault.signs.get(sign.kind, 1.0) / strips)
    # Pinned to a part it speaks of that part alone, whatever else begins with the same letters.
    if about and place_of(fault.part).owner not in behind and not f"{fault.id}.".startswith(f"{about}."):
        return 1.0
    return fault.signs.get(sign.kind, sign.any_fault)
