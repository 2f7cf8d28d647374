"""The tests, in the same tree as what they test."""

from pathlib import Path

ROOT = Path(__file__).parent.parent
