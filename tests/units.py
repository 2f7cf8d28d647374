"""The example units a test goes through.

What solves a unit's whole circuit takes a minute on six strips and five seconds on four. `script/test` goes through one
unit of each kind of switching, supply and staging; `script/long` goes through the others too.
"""

import pytest

from plentar.core.unit.patterns import PATTERNS

__all__ = ["EVERY_UNIT", "FIRST"]

# A sequencer, a DC relay with its board, a contactor on a wye, both poles of one strip, and two stages with branches.
FIRST = ("two-strip-sequencer", "three-strip-dc-relay", "wye-contactor", "one-strip-dpdt", "four-strip-staged")
EVERY_UNIT = [name if name in FIRST else pytest.param(name, marks=pytest.mark.long) for name in sorted(PATTERNS)]
