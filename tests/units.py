"""The example units a test goes through.

The unit of six strips has most of everything: a test that solves all of its circuit takes a minute where the next
largest takes five seconds, so `script/long` runs it.
"""

import pytest

from plentar.core.unit.patterns import PATTERNS

__all__ = ["EVERY_UNIT"]

EVERY_UNIT = [
    pytest.param(name, marks=pytest.mark.long) if name == "six-strip-chained" else name for name in sorted(PATTERNS)
]
