"""The way from a reading to the file that judges it."""

import math
from collections.abc import Mapping
from dataclasses import replace

from plentar.core.circuit.places import find_point
from plentar.core.errors import ReadingError
from plentar.core.evidence.reading import Reading
from plentar.core.judging.anywhere import judge_anywhere
from plentar.core.judging.blower import back_feed, judge_blower, judge_capacitor
from plentar.core.judging.contacts import judge_contact
from plentar.core.judging.control import judge_control, judge_control_amps
from plentar.core.judging.impossible import judge_impossible
from plentar.core.judging.ohms import judge_ohms
from plentar.core.judging.situation import Situation, changed
from plentar.core.judging.strips import judge_feed_total, judge_strip
from plentar.core.judging.supply import judge_off, judge_supply
from plentar.core.limits.verdicts import Grade, Verdict
from plentar.core.message import message
from plentar.core.unit.place import amps_at, place_of, spot_of
from plentar.core.unit.points import Point, is_on_run_sheet
from plentar.core.unit.quantities import QUANTITIES

__all__ = ["judge"]

# What a misread display makes of a value, by its unit: the factor that undoes it, and the question.
FACTORS: Mapping[str, tuple[tuple[float, str], ...]] = {
    "Ω": ((1000.0, "verdict.asks-kilo-ohms"),),
    "A": ((0.1, "verdict.asks-turns"), (0.5, "verdict.asks-two-conductors")),
}
# How far apart the same display may be read twice: its last digit drifts.
SAME_SHARE = 0.03


def judge(situation: Situation, reading: Reading) -> Verdict:
    """Judge one reading at one of the unit's points.

    Raises:
        ReadingError: The unit has no such point.
    """
    return _if_the_meter_can_tell(_asked_first(situation, reading, _judged(situation, reading)))


def _asked_first(situation: Situation, reading: Reading, verdict: Verdict) -> Verdict:
    """Return a question instead of a failure where a factor misread on the display would make the reading pass.

    The same number read once more at the same place settles it: then it is judged as it stands.

    Source:
        docs/trade.md, section 5, readings that mislead: a kilo-ohm range, the clamp's turns, two conductors in the jaw.
    """
    band = verdict.band
    if verdict.grade is not Grade.FAIL or band is None or math.isinf(band.pass_low) or math.isinf(band.pass_high):
        return verdict
    factors = FACTORS.get(verdict.unit, ())
    fits = next(((f, asked) for f, asked in factors if band.pass_low <= f * reading.value <= band.pass_high), None)
    if fits is None or situation.before(reading, lambda r: _is_the_same(r, reading)) is not None:
        return verdict
    factor, asked = fits
    meant = factor * reading.value
    because = message(asked, value=reading.value, meant=meant)
    again = message("verdict.or-read-again")
    return changed(verdict, Grade.NOT_PROVEN, "asked", because, again, warning="", meant=meant)


def _is_the_same(other: Reading, reading: Reading) -> bool:
    is_here = other.point == reading.point and other.condition.in_hand == reading.condition.in_hand
    return is_here and abs(other.value - reading.value) <= SAME_SHARE * abs(reading.value)


def _if_the_meter_can_tell(verdict: Verdict) -> Verdict:
    """Return the verdict, but *not proven* for a number in a pass band that is too narrow for this meter.

    Source:
        docs/trade.md, section 3: a reading whose uncertainty straddles a limit is not pass. Where the uncertainty is
        wider than the band a perfect part would be called marginal; it is the meter that is not good enough.
    """
    band = verdict.band
    if verdict.grade is not Grade.MARGINAL or band is None or not band.pass_low <= verdict.value <= band.pass_high:
        return verdict
    needed = band.pass_half_width
    if verdict.uncertainty <= needed:
        return verdict
    unit, uncertainty = verdict.unit, verdict.uncertainty
    because = message("verdict.meter-too-coarse", uncertainty=uncertainty, needed=needed, unit=unit)
    next_step = message("verdict.finer-meter-would-tell", needed=needed, unit=unit)
    return changed(verdict, Grade.NOT_PROVEN, "meter too coarse", because, next_step)


def _judged(situation: Situation, reading: Reading) -> Verdict:
    point = find_point(situation.plate, reading.point)
    # Two probes set down in either order are one place.
    if point.id != reading.point:
        reading = replace(reading, point=point.id)
    cannot_be = judge_impossible(situation, reading, point)
    if cannot_be is not None:
        return cannot_be
    if point.quantity == "ohms":
        return judge_ohms(situation, reading, point)
    if point.quantity == "microfarads":
        return judge_capacitor(situation, reading)
    # Some numbers mean nothing by themselves: one air temperature without the other.
    alone = QUANTITIES[point.quantity].alone
    if alone:
        return Verdict(
            grade=Grade.NOT_PROVEN,
            value=reading.value,
            uncertainty=reading.meter_uncertainty,
            unit=point.unit,
            because=alone,
        )
    if (
        point.quantity == "volts"
        and _all_off(reading)
        and not (point.is_control and reading.condition.control == "separate source")
    ):
        return judge_off(situation, reading)
    # The run sheet's places have rules of the trade; any other place has the circuit.
    if not is_on_run_sheet(situation.plate, reading.point):
        return _elsewhere(situation, reading, point)
    if point.quantity == "amps":
        return _amps(situation, reading, point)
    if point.step == "supply":
        return judge_supply(situation, reading, point)
    if point.step == "heat-call":
        return judge_control(situation, reading, point)
    if point.step == "trace":
        return judge_contact(situation, reading, point)
    raise ReadingError(f"no rule judges {point.id!r}", field="point")


def _all_off(reading: Reading) -> bool:
    condition = reading.condition
    return bool(condition.feeds) and not condition.in_hand and all(state != "live" for _, state in condition.feeds)


def _amps(situation: Situation, reading: Reading, point: Point) -> Verdict:
    if point.subject == "blower":
        return judge_blower(situation, reading)
    if point.subject in {feed.id for feed in situation.plate.feeds}:
        return judge_feed_total(situation, reading, point.subject)
    return judge_strip(situation, reading, situation.plate.circuit(point.subject))


def _elsewhere(situation: Situation, reading: Reading, point: Point) -> Verdict:
    """Judge what the run sheet does not ask for: a strip's other lead, the control current, any two terminals."""
    if point.id == amps_at("control"):
        return judge_control_amps(situation, reading)
    lead = place_of(spot_of(point.id).part)
    own = situation.alike(amps_at(lead.owner), reading) if point.quantity == "amps" and lead.part == "return" else None
    if own is not None:
        # What goes in at one lead and does not come out of the other flows through the frame.
        gap = abs(own.value - reading.value)
        if gap > situation.limits.number("dead_below_amps") + own.meter_uncertainty + reading.meter_uncertainty:
            return Verdict(
                grade=Grade.FAIL,
                value=reading.value,
                uncertainty=reading.meter_uncertainty,
                unit="A",
                expected=own.value,
                kind="leads differ",
                because=message("verdict.one-lead-other-rest-frame", amps=own.value, other_amps=reading.value),
                next_step=message("verdict.element-grounded-take-feed-off"),
            )
    if point.id == amps_at("interlock") and not reading.condition.heat:
        # With heat called the interlock lead carries the blower, as it should; without, whatever it carries is wrong.
        back = back_feed(situation, reading)
        if back is not None:
            return back
    return judge_anywhere(situation, reading, point)
