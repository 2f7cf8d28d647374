"""One unit: its nameplate, drawn while it is filled."""

from plentar.web.unit.views import bp

__all__ = ["bp"]
