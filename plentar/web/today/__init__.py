"""Today: the calls of the day."""

from plentar.web.today.views import bp

__all__ = ["bp"]
