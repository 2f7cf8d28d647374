"""Signing in and out, and choosing the look."""

from plentar.web.signin.views import bp

__all__ = ["bp"]
