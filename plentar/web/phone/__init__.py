"""Without signal: the application and the day's calls on a phone, and what comes home from it."""

from plentar.web.phone.views import bp

__all__ = ["bp"]
