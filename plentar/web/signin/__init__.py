"""Signing in and out by every way there is, and choosing the look."""

from plentar.web.signin import ways as _ways  # noqa: F401  its routes
from plentar.web.signin.views import bp

__all__ = ["bp"]
