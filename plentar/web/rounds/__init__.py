"""Rounds: a season's check over an estate, planned, walked and told to its owner."""

from plentar.web.rounds import check as _check  # noqa: F401  routes
from plentar.web.rounds import fleet as _fleet  # noqa: F401
from plentar.web.rounds.views import bp

__all__ = ["bp"]
