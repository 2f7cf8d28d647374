"""The bench: things to try out without a call."""

from plentar.web.bench import sizing as sizing
from plentar.web.bench.views import bp

__all__ = ["bp"]
