"""The command line: the same core from a shell, and what the scripts call."""

from plentar.cli.group import main

__all__ = ["main"]
