"""Starting a call: place, unit, complaint."""

from plentar.web.start.views import bp

__all__ = ["bp"]
