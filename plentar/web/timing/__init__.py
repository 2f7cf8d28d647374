"""Timing: stopwatch, stage chart, current logs, the simulated meter."""

from plentar.web.timing.views import bp

__all__ = ["bp"]
