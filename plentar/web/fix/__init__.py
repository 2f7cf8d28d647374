"""Fix and prove: ledger, parts, temporary measures, approval, power back on, the readings that prove it."""

from plentar.web.fix.views import bp

__all__ = ["bp"]
