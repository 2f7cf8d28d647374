"""Figures as a person says them."""

__all__ = ["THIN", "plus_minus", "thousands"]

THIN = "\u202f"


def plus_minus(uncertainty: float) -> str:
    """Say a half-width with as many digits as it deserves: whole from two on, one place to one, then one digit.

    Example:
        >>> [plus_minus(u) for u in (12.34, 2.4, 1.66, 0.26, 0.023, 0.0)]
        ['12', '2', '1.7', '0.3', '0.02', '0']
    """
    if uncertainty >= 2:
        return f"{uncertainty:.0f}"
    return f"{uncertainty:.1f}" if uncertainty >= 1 else f"{uncertainty:.1g}"


def thousands(value: float) -> str:
    """Return a whole number with a thin space between thousands, which nobody reads as a decimal comma.

    Example:
        >>> thousands(12345.6), thousands(950)
        ('12\u202f346', '950')
    """
    return f"{value:,.0f}".replace(",", THIN)
