"""What a fault means in the house: one plain sentence for the customer, without the names of parts alone."""

from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of

__all__ = ["customer_sentence"]

# By part and how it fails; the trade's words follow in the office's paper. A part's purpose is said with its name.
SENTENCES = {
    "link.open": "customer.link-open",
    "element.open": "customer.element-open",
    "element.coil-open": "customer.element-half",
    "element.grounded": "customer.element-grounded",
    "limit.open": "customer.limit-open",
    "limit.cycling": "customer.limit-cycling",
    "pole.open": "customer.switch-open",
    "pole.welded": "customer.switch-stuck",
    "pole.burnt": "customer.switch-burnt",
    "fuse.open": "customer.fuse-open",
    "air.little": "customer.little-air",
    "breaker.weak": "customer.breaker-weak",
}


def customer_sentence(plate: Nameplate, fault_id: str) -> Text:
    """Return what was wrong, as one tells a neighbor; nothing where the trade's own words must do.

    Args:
        fault_id: A single fault; of two at once, each by itself.

    Example:
        >>> from plentar.core.unit.patterns import PATTERNS
        >>> customer_sentence(PATTERNS["two-strip-sequencer"](), "strip-b.link.open").id
        'customer.link-open'
    """
    part, _, how = fault_id.rpartition(".")
    kind = place_of(part).part
    kind = "pole" if kind.startswith("pole") else kind or place_of(part).owner
    found = SENTENCES.get(f"{kind}.{how}")
    if found is None:
        return ""
    is_of_a_strip = kind in ("link", "element", "limit", "pole") and found != "customer.limit-cycling"
    return message(found, count=len(plate.circuits)) if is_of_a_strip else message(found)
