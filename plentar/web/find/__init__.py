"""Finding anything by its words."""

from plentar.web.find.views import bp

__all__ = ["bp"]
