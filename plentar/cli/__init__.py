"""The command line: the same core from a shell, and what the scripts call."""

from plentar.cli import answers, running
from plentar.cli.base import main

__all__ = ["answers", "main", "running"]
