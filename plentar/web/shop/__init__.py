"""The shop's own pages: people, meters, rules, prices, audit; and the three screens that set it up."""

from plentar.web.shop import begin as _begin  # noqa: F401  routes
from plentar.web.shop import meters as _meters  # noqa: F401
from plentar.web.shop import records as _records  # noqa: F401
from plentar.web.shop import rules as _rules  # noqa: F401
from plentar.web.shop.people import bp

__all__ = ["bp"]
