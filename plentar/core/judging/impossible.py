"""Numbers no place of the unit can show: asked about before anything is made of them."""

from plentar.core.evidence.reading import Reading
from plentar.core.judging.situation import Situation, changed
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.message import message
from plentar.core.unit.points import Point

__all__ = ["LINE_ON_CONTROL", "is_line_on_control", "judge_impossible"]

# The kind of verdict that stops all work.
LINE_ON_CONTROL = "line on the control side"
# Twice what a 24 V transformer can ever stand at idle.
LINE_ON_CONTROL_VOLTS = 60.0
# A service is not a quarter above its nominal; what is, is the range or the decimal point.
MOST_VOLTS_SHARE = 1.25


def is_line_on_control(reading: Reading, point: Point) -> bool:
    """Tell whether a reading is line volts between two places of the 24 V side.

    Source:
        docs/trade.md, section 5: the same slip as elsewhere, or line crossed to control: stop.
    """
    return point.is_control and point.quantity == "volts" and reading.value >= LINE_ON_CONTROL_VOLTS


def judge_impossible(situation: Situation, reading: Reading, point: Point) -> Verdict | None:
    """Return the verdict of a number that cannot be, or None where it can.

    Source:
        docs/trade.md, section 5: 195 A in a 20 A lead, 2,400 V: ask, and offer to move the reading.
    """
    plate, value = situation.plate, reading.value
    base = Verdict(grade=Grade.NOT_PROVEN, value=value, uncertainty=reading.meter_uncertainty, unit=point.unit)
    if is_line_on_control(reading, point):
        words = message("impossible.line-on-control")
        return changed(base, Grade.FAIL, LINE_ON_CONTROL, words, message("impossible.hands-off"))
    step = message("impossible.range-or-point")
    nominal = plate.nominal_volts
    if point.quantity in ("volts", "dc_volts") and value > MOST_VOLTS_SHARE * nominal:
        words = message("impossible.volts", value=value, nominal_volts=nominal)
        return changed(base, Grade.NOT_PROVEN, "cannot be", words, step)
    # All that hangs on the unit at once; a strip's own rule asks by the strip.
    full = plate.total_rated_watts / nominal + plate.blower.rated_amps
    is_strip = any(point.subject == strip.id for strip in plate.circuits)
    if point.quantity == "amps" and not is_strip and value > situation.limits.number("implausible_ratio") * full:
        return changed(base, Grade.NOT_PROVEN, "cannot be", message("impossible.amps", value=value, full=full), step)
    return None
