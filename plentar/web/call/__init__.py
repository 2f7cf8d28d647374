"""One call: run sheet, board, pad, findings, condition strip, report."""

from plentar.web.call.views import bp

__all__ = ["bp"]
