"""How much likelier a sign makes a fault."""

from plentar.core.causes.fault import Fault
from plentar.core.evidence.signs import Sign

__all__ = ["factor_of"]


def factor_of(sign: Sign, about: str, fault: Fault) -> float:
    """Return how many times likelier a sign at a part makes a fault; 1 for faults it does not speak of.

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
    # Pinned to a part it speaks of that part alone, whatever else begins with the same letters.
    if fault.kind == "healthy" or (about and not f"{fault.id}.".startswith(f"{about}.")):
        return 1.0
    return fault.signs.get(sign.kind, sign.any_fault)
