"""The blower's and the control side's own checks."""

from plentar.web.checks.views import bp

__all__ = ["bp"]
