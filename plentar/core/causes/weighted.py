"""How much likelier a unit's past makes its faults: factors by part, for those who weigh causes before any reading."""

from plentar.core.unit.place import place_of

__all__ = ["Factors", "factor_of"]

# Pairs of a part (`strip-b.link`, or a kind as `*.element`) and a factor on its faults' weight.
Factors = tuple[tuple[str, float], ...]


def factor_of(factors: Factors, fault: str) -> float:
    """Return the factor on one fault's weight.

    Example:
        >>> factor_of((("strip-b.link", 3.0), ("*.element", 1.3)), "strip-b.link.open")
        3.0
        >>> factor_of((("strip-b.link", 3.0), ("*.element", 1.3)), "strip-a.element.open")
        1.3
    """
    place = place_of(fault)
    part, kind = place.whole_part, f"*.{place.kind}"
    found = 1.0
    for name, factor in factors:
        if name in (part, kind):
            found *= factor
    return found
