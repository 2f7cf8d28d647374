"""The shop's parts and the part check."""

from plentar.web.parts.views import bp

__all__ = ["bp"]
