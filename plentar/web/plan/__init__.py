"""Plans: a call's day and technician, what is owed and ordered, the week of all vans, each person's calendar."""

from plentar.web.plan import week as _week  # noqa: F401  routes
from plentar.web.plan.views import bp

__all__ = ["bp"]
