"""One call: run sheet, board, pad, findings, condition strip, papers."""

# Each adds its own addresses to the one place.
from plentar.web.call import papers, past
from plentar.web.call.views import bp

__all__ = ["bp", "papers", "past"]
