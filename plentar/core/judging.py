"""What a reading is worth: the value expected at that point, the band around it, the verdict and what it implies.

A reading is judged in the light of the others that stand (a strip's amps need the volts found at the unit) and of the
condition it was taken under. Limits and wording follow field guide section 3.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from plentar.core.electrical import expected_element_amps
from plentar.core.errors import ReadingError
from plentar.core.judging_places import judge_anywhere, judge_control_amps, judge_ohms
from plentar.core.metrology import root_sum_square
from plentar.core.nameplate import HeatingCircuit, Nameplate
from plentar.core.places import find_point
from plentar.core.points import Point, is_on_run_sheet, rung_terminals
from plentar.core.readings import Condition, Reading
from plentar.core.rules import DEFAULT_RULES, Rules
from plentar.core.verdicts import Band, Grade, Verdict, grade

__all__ = ["Situation", "feed_residual", "judge", "leg_difference", "like_elements"]

NO_SUPPLY = "Read L1 to L2 at the unit first: amps are only judged at the volts found."
CHECK_RANGE = "Check range and units: is it on the right range, around one conductor, and in amps?"


@dataclass(frozen=True, slots=True, kw_only=True)
class Situation:
    """A unit and the readings that stand on it, newest per point."""

    plate: Nameplate
    readings: Mapping[str, Reading]
    rules: Rules = DEFAULT_RULES

    def supply(self, supplied_by: str) -> Reading | None:
        """Return the line volts found at the unit on the feed behind a circuit, or None."""
        feed = self.plate.feed_of(supplied_by)
        return self.readings.get(f"volts:{feed}.l1:{feed}.l2")

    def carries_current(self, circuit: HeatingCircuit) -> bool | None:
        """Tell whether a circuit was seen to draw current; None when nobody clamped it."""
        reading = self.readings.get(f"amps:{circuit.id}")
        return None if reading is None else reading.value >= self.rules.dead_below_amps


def judge(situation: Situation, reading: Reading) -> Verdict:
    """Judge one reading at one of the unit's points.

    Raises:
        ReadingError: The unit has no such point.
    """
    point = find_point(situation.plate, reading.point)
    if point.quantity == "ohms":
        return judge_ohms(situation.plate, reading, point)
    if not is_on_run_sheet(situation.plate, reading.point):
        return _judge_elsewhere(situation, reading, point)
    if point.quantity == "amps":
        return _judge_amps(situation, reading, point)
    if point.step == "supply":
        return _judge_supply(situation, reading, point)
    if point.step == "heat-call":
        return _judge_control(situation, reading, point)
    if point.step == "trace":
        return _judge_contact(situation, reading, point)
    raise ReadingError(f"no rule judges {point.id!r}", field="point")


def _judge_elsewhere(situation: Situation, reading: Reading, point: Point) -> Verdict:
    """Judge what the run sheet does not ask for: a strip's other lead, the control current, any two terminals."""
    plate = situation.plate
    if point.id == "amps:control":
        return judge_control_amps(plate, reading, situation.rules)
    strip, _, end = point.id.removeprefix("amps:").partition(".")
    own = situation.readings.get(f"amps:{strip}")
    if (
        point.quantity == "amps"
        and end == "return"
        and own is not None
        and own.condition.calls == reading.condition.calls
    ):
        gap = abs(own.value - reading.value)
        if gap > 0.5 + own.meter_uncertainty + reading.meter_uncertainty:
            return Verdict(
                grade=Grade.FAIL,
                value=reading.value,
                uncertainty=reading.meter_uncertainty,
                unit="A",
                expected=own.value,
                kind="leads differ",
                because=f"{own.value:.1f} A in one lead, {reading.value:.1f} A in the other: the rest is in the frame.",
                next_step="The element is grounded: take its feed off and lock it.",
            )
    if point.id == "amps:interlock" and not any(call in ("W", "W2") for call, _ in reading.condition.calls):
        back = _back_feed(plate, reading)
        if back is not None:
            return back
    return judge_anywhere(plate, reading, point, situation.rules)


def _back_feed(plate: Nameplate, reading: Reading) -> Verdict | None:
    """Tell by the current in the interlock lead, with no heat called, which way it flows; None while there is none.

    Source:
        Field guide, section 5, direction of a back-feed: about blower current, a heat contact is stuck and feeds the
        blower; about strip current, the blower relay feeds a strip.
    """
    if reading.value < 0.5:
        return None
    strip = min(circuit.rated_watts / circuit.rated_volts for circuit in plate.circuits)
    middle = (plate.blower.rated_amps * strip) ** 0.5
    feeds_blower = reading.value < middle
    because = (
        f"{reading.value:.1f} A is about the blower's: a heat contact is stuck and feeds the blower."
        if feeds_blower
        else f"{reading.value:.1f} A is about a strip's: the blower relay feeds a strip."
    )
    return Verdict(
        grade=Grade.FAIL,
        value=reading.value,
        uncertainty=reading.meter_uncertainty,
        unit="A",
        expected=0.0,
        kind="heat contact stuck" if feeds_blower else "relay feeds a strip",
        because=because,
        next_step="Clamp each strip: the one that draws leads to its pole."
        if feeds_blower
        else "NC is welded or the relay wired wrongly: look at it on the bench.",
    )


def _judge_supply(situation: Situation, reading: Reading, point: Point) -> Verdict:
    plate = situation.plate
    is_leg = reading.point.endswith(":ground")
    share = 1.0 if not is_leg else 1 / math.sqrt(3) if plate.supply == "wye" else 0.5
    expected = plate.nominal_volts * share
    band = situation.rules.supply_band(plate.nominal_volts).scaled(share)
    verdict = Verdict(
        grade=grade(reading.value, reading.meter_uncertainty, band),
        value=reading.value,
        uncertainty=reading.meter_uncertainty,
        unit="V",
        expected=expected,
        band=band,
    )
    if reading.condition.feed_state(point.subject) != "live":
        if reading.value < 1.0:
            return _with(verdict, Grade.PASS, "dead", "No voltage with the feed off, as it should be.", band=None)
        return _with(
            verdict,
            Grade.FAIL,
            "still live",
            "Voltage is present on a feed marked off.",
            "Stop. Find the other feed or the wrong breaker before anything is touched.",
            band=None,
        )
    if verdict.grade is Grade.PASS:
        return _with(verdict, Grade.PASS, "", f"Inside the band for a {plate.nominal_volts:g} V supply.")
    if reading.value < 0.2 * expected:
        return _with(
            verdict,
            verdict.grade,
            "feed dead" if not is_leg else "leg dead",
            "Almost no voltage on a live feed.",
            _lost_pole_step(situation, point.subject),
        )
    low = reading.value < expected
    return _with(
        verdict,
        verdict.grade,
        "low supply" if low else "high supply",
        "Heat falls with the square of the volts." if low else "High volts raise the current of every strip.",
        "Compare with the panel and the disconnect, with and without load." if low else "Have the utility check it.",
    )


def _lost_pole_step(situation: Situation, feed: str) -> str:
    legs = [situation.readings.get(f"volts:{feed}.{leg}:ground") for leg in ("l1", "l2")]
    if all(leg is not None and leg.value > 0.35 * situation.plate.nominal_volts for leg in legs):
        return (
            "Both legs near full volts to ground and none between them: one pole is lost and fed back through "
            "the unit. Read each breaker pole, line side against load side."
        )
    return "Read each leg to ground, then breaker line side against load side."


def _judge_control(situation: Situation, reading: Reading, point: Point) -> Verdict:
    plate, condition = situation.plate, reading.condition
    call = point.subject if point.subject in plate.calls else plate.call_of(point.subject)
    band = situation.rules.control_volts
    if not condition.is_called(call):
        absent = reading.value < band.marginal_low
        return Verdict(
            grade=Grade.PASS if absent else Grade.FAIL,
            value=reading.value,
            uncertainty=reading.meter_uncertainty,
            unit="V",
            expected=0.0,
            kind="" if absent else "always calling",
            because=f"{call} is not called, so none is expected here." if absent else f"24 V here with no {call} call.",
            next_step="" if absent else "Take the thermostat's conductors off one at a time and look upstream.",
        )
    if point.quantity == "dc_volts":
        return _judge_rectified(situation, reading, point)
    verdict = Verdict(
        grade=grade(reading.value, reading.meter_uncertainty, band),
        value=reading.value,
        band=band,
        uncertainty=reading.meter_uncertainty,
        unit="V",
        expected=24.0,
    )
    if verdict.grade is Grade.PASS:
        return _with(verdict, Grade.PASS, "", f"The {call} call arrives here.")
    if reading.value < 2.0:
        return _with(
            verdict,
            verdict.grade,
            "no call",
            f"{call} is called but does not arrive here.",
            "Trace back toward the thermostat: board first, then R, then the control fuse.",
        )
    low = reading.value < band.pass_low + reading.meter_uncertainty
    return _with(
        verdict,
        verdict.grade,
        "low control volts" if low else "high control volts",
        "Coils may chatter and heaters warm slowly." if low else "Coils run hot.",
        "Read R to C with and without the call, and the transformer's tap." if low else "Check the transformer's tap.",
    )


def _judge_rectified(situation: Situation, reading: Reading, point: Point) -> Verdict:
    """Judge a DC coil's volts as a share of the rectifier's AC input; field guide, section 3."""
    before = (f"volts:{point.subject}.rectifier.1:board.c", "volts:board.w:board.c")
    inlet = next((situation.readings[name].value for name in before if name in situation.readings), 24.0)
    inlet = inlet if inlet > 10 else 24.0
    band = situation.rules.rectified_ratio.scaled(inlet)
    verdict = Verdict(
        grade=grade(reading.value, reading.meter_uncertainty, band),
        value=reading.value,
        band=band,
        uncertainty=reading.meter_uncertainty,
        unit="V",
        expected=1.25 * inlet,
        because=f"{reading.value / inlet:.2f} × its {inlet:.1f} V AC input, on the DC function.",
    )
    if verdict.grade is Grade.PASS:
        return verdict
    share = reading.value / inlet
    kind = "dead" if share < 0.35 else "half a bridge open" if share < 0.5 else "low" if share < 1 else "high"
    step = "Read the AC into the rectifier board; with that right, the board is what is wrong."
    return _with(verdict, verdict.grade, kind, verdict.because, step if share < 1 else "")


def _judge_contact(situation: Situation, reading: Reading, point: Point) -> Verdict:
    circuit = situation.plate.circuit(point.subject)
    supply = situation.supply(circuit.supplied_by)
    part = point.where.rpartition(" ")[2]
    base = Verdict(
        grade=Grade.NOT_PROVEN,
        value=reading.value,
        uncertainty=reading.meter_uncertainty,
        unit="V",
    )
    call = situation.plate.call_of(circuit.device)
    if not reading.condition.is_called(call):
        return _with(
            base,
            Grade.NOT_PROVEN,
            "",
            f"Across a {part} only a reading with {call} called tells anything.",
            f"Call {call} and read again.",
        )
    band = situation.rules.closed_contact_volts
    base = _with(base, Grade.NOT_PROVEN, "", "", band=band, expected=0.0)
    line = supply.value if supply is not None else situation.plate.nominal_volts
    if reading.value >= situation.rules.open_contact_ratio * line and line > 0:
        if part == "pole":
            waiting = _patience(situation, circuit, reading.condition)
            if waiting is not None:
                return _with(base, *waiting)
        return _with(
            base,
            Grade.FAIL,
            "open under call",
            f"Line volts stand across the {part}: it is open, and the rest of the rung is whole.",
            _replace_step(part),
        )
    if grade(reading.value, reading.meter_uncertainty, band) is Grade.PASS or reading.value < band.pass_high:
        carries = situation.carries_current(circuit)
        if carries is None:
            return _with(
                base, Grade.NOT_PROVEN, "", "Near zero means closed only if current flows.", f"Clamp {circuit.name}."
            )
        if not carries:
            return _with(
                base,
                Grade.NOT_PROVEN,
                "",
                "Near zero, but no current flows: closed, or the rung is open elsewhere.",
                "Read across the next part of the rung.",
            )
        # Near a band edge the meter cannot tell closed from beginning to burn.
        verdict = grade(reading.value, reading.meter_uncertainty, band)
        return _with(base, verdict, "closed", "Closed and carrying current.")
    if reading.value <= band.marginal_high:
        return _with(
            base,
            Grade.MARGINAL,
            "burning",
            "A drop this large under load is a burning contact.",
            "Look at it with power off; plan to replace it.",
        )
    return _with(base, Grade.FAIL, "high resistance", f"The {part} drops volts it should pass on.", _replace_step(part))


def _replace_step(part: str) -> str:
    cause = {
        "limit": " Find why it opened: filter, coil, blower.",
        "link": " A link opens once, from overheating: find out why.",
    }.get(part, "")
    return f"Prove it with power off and its leads lifted.{cause}"


def _patience(
    situation: Situation, circuit: HeatingCircuit, condition: Condition
) -> tuple[Grade, str, str, str] | None:
    """Return what a silent circuit means by the clock, or None once it should long have closed.

    Source: field guide, section 5, patience clock: before the maximum nothing, to 1.2 × marginal, then late, did not
    close at 2 ×.
    """
    plate, rules = situation.plate, situation.rules
    seconds = condition.call_seconds(plate.call_of(circuit.device))
    if seconds is None:
        return None
    window = rules.closing_window(plate, circuit.device, plate.device(circuit.device).pole(circuit.poles[0]))
    latest = window.max_seconds
    if seconds < latest:
        return (
            Grade.NOT_PROVEN,
            "",
            f"Called {seconds:.0f} s ago; this pole has until {latest:.0f} s.",
            f"Wait {latest - seconds:.0f} s more.",
        )
    if seconds < rules.late_ratio * latest:
        return (Grade.MARGINAL, "late", f"Called {seconds:.0f} s ago, window {latest:.0f} s.", "Give it a little more.")
    if seconds < rules.did_not_close_ratio * latest:
        return (
            Grade.FAIL,
            "late",
            f"Called {seconds:.0f} s ago, window {latest:.0f} s.",
            f"At {rules.did_not_close_ratio * latest:.0f} s it counts as did not close.",
        )
    return None


def _judge_amps(situation: Situation, reading: Reading, point: Point) -> Verdict:
    plate = situation.plate
    if point.subject == "blower":
        return _judge_blower(situation, reading)
    if point.subject in {feed.id for feed in plate.feeds}:
        return _judge_feed_total(situation, reading, point.subject)
    return _judge_strip(situation, reading, plate.circuit(point.subject))


def _judge_strip(situation: Situation, reading: Reading, circuit: HeatingCircuit) -> Verdict:
    plate, rules = situation.plate, situation.rules
    call = plate.call_of(circuit.device)
    base = Verdict(grade=Grade.NOT_PROVEN, value=reading.value, uncertainty=reading.meter_uncertainty, unit="A")
    is_dead = reading.value < rules.dead_below_amps
    if reading.condition.feed_state(plate.feed_of(circuit.supplied_by)) != "live":
        if is_dead:
            return _with(base, Grade.NOT_PROVEN, "", "The feed is off, so this says nothing about the strip.")
        return _with(
            base,
            Grade.FAIL,
            "still live",
            "The strip draws current on a feed marked off.",
            "Stop. Find the feed that is still on.",
            expected=0.0,
        )
    if not reading.condition.is_called(call):
        if is_dead:
            return _with(base, Grade.PASS, "off", f"No {call} call and no current, as it should be.", expected=0.0)
        return _with(
            base,
            Grade.FAIL,
            "stuck",
            f"{circuit.name} draws current with no {call} call.",
            f"Is there 24 V at {circuit.device}'s {_drive(plate, circuit)}? Yes: look upstream. No: the pole "
            "is stuck, or the strip is grounded: clamp both its leads.",
            expected=0.0,
        )
    supply = situation.supply(circuit.supplied_by)
    if supply is None or supply.value <= 0:
        return _with(
            base,
            Grade.NOT_PROVEN,
            "",
            "No supply volts yet, so no expected amps.",
            NO_SUPPLY,
            warning=_range_warning(situation, reading, plate.nominal_volts, circuit),
        )
    expected = expected_element_amps(circuit.rated_watts, circuit.rated_volts, supply.value)
    uncertainty = root_sum_square(reading.meter_uncertainty, expected * supply.meter_uncertainty / supply.value)
    band = rules.element_amps.scaled(expected)
    verdict = Verdict(
        grade=grade(reading.value, uncertainty, band),
        value=reading.value,
        uncertainty=uncertainty,
        unit="A",
        expected=expected,
        band=band,
        warning=_range_warning(situation, reading, supply.value, circuit),
        because=f"A {_kilowatts(circuit)} element at {supply.value:.1f} V should draw {expected:.1f} A.",
    )
    if is_dead:
        waiting = _patience(situation, circuit, reading.condition)
        if waiting is not None:
            return _with(verdict, *waiting)
        return _with(verdict, Grade.FAIL, "dead", verdict.because, _trace_step(circuit))
    if plate.rating_is_assumed(circuit.id):
        because = f"{circuit.name} draws current; its rating is not on the plate yet ({_kilowatts(circuit)} assumed)."
        return _with(
            verdict, Grade.NOT_PROVEN, "", because, "Read the kit's label and fill in the kilowatts.", band=None
        )
    ratio = reading.value / expected
    if rules.half_dead_ratios[0] <= ratio <= rules.half_dead_ratios[1]:
        return _with(
            verdict,
            Grade.FAIL,
            "half dead",
            verdict.because,
            "Half the current: part of the element is "
            "open, or it gets half the volts. Read volts across the element's two ends.",
        )
    if verdict.grade is Grade.PASS:
        return verdict
    kind = "low current" if ratio < 1 else "high current"
    step = (
        "Volts are right and amps low: read across pole, limit and link for a drop, then element ohms with power off."
        if ratio < 1
        else "Compare the plate with the element fitted; then element ohms with power off."
    )
    if verdict.warning:
        step = CHECK_RANGE
    return _with(verdict, verdict.grade, kind, verdict.because, step)


def _range_warning(situation: Situation, reading: Reading, volts: float, circuit: HeatingCircuit) -> str:
    expected = expected_element_amps(circuit.rated_watts, circuit.rated_volts, volts)
    return CHECK_RANGE if reading.value > situation.rules.implausible_ratio * expected else ""


def _trace_step(circuit: HeatingCircuit) -> str:
    parts = [part for part, _, _ in rung_terminals(circuit) if part != "element"]
    in_order = sorted(set(parts), key=("pole", "limit", "link").index)
    return (
        f"Trace {circuit.name} under the call: 24 V at {circuit.device.replace('-', ' ').title()}, then volts "
        f"across {', '.join(in_order)}."
    )


def _judge_blower(situation: Situation, reading: Reading) -> Verdict:
    blower = situation.plate.blower
    band = situation.rules.blower_amps_ratio.scaled(blower.rated_amps)
    base = Verdict(
        grade=grade(reading.value, reading.meter_uncertainty, band),
        value=reading.value,
        band=band,
        uncertainty=reading.meter_uncertainty,
        unit="A",
        expected=blower.rated_amps,
        because=f"Plate full-load amps are {blower.rated_amps:g} A.",
    )
    wanted = [call for call, _ in reading.condition.calls if call in ("W", "W2", "G")]
    if reading.value < 0.2 and not wanted:
        return _with(base, Grade.PASS, "off", "No call and no current, as it should be.", expected=0.0)
    if reading.value < 0.2:
        return _with(
            base,
            Grade.FAIL,
            "not running",
            f"No current with {' and '.join(wanted)} called.",
            "A dead first pole looks like a dead blower: clamp the first strip, then try G alone.",
        )
    if not wanted:
        return _with(
            base,
            Grade.MARGINAL,
            "runs without a call",
            "Current with no call.",
            "An off-delay may still be running; else look at the relay.",
        )
    if situation.plate.is_assumed("blower.rated_amps"):
        return _with(base, Grade.NOT_PROVEN, "", "It runs; its full-load amps are not on the plate yet.", band=None)
    if base.grade is Grade.PASS and reading.value < 0.5 * blower.rated_amps and blower.kind == "psc":
        return _with(base, Grade.PASS, "", f"{base.because} Low amps on a PSC blower can mean little air, not health.")
    if base.grade is Grade.PASS:
        return base
    return _with(base, base.grade, "high amps", base.because, "Check the run capacitor, bearings and wheel.")


def _judge_feed_total(situation: Situation, reading: Reading, feed: str) -> Verdict:
    residual = feed_residual(situation, reading, feed)
    return (
        residual
        if residual is not None
        else Verdict(
            grade=Grade.NOT_PROVEN,
            value=reading.value,
            uncertainty=reading.meter_uncertainty,
            unit="A",
            because="The total is held against the strips' own amps.",
            next_step="Clamp each strip on this feed first.",
        )
    )


def feed_residual(situation: Situation, reading: Reading, feed: str) -> Verdict | None:
    """Judge a feed's total against the sum of its strips; None until every strip on it has been clamped.

    The blower adds somewhere between nothing and its own amps, since a motor's current is out of step with a
    strip's: the pass band is that wide. Beyond it by 40 % of the smallest strip, something is missing or unlisted.

    Source:
        Field guide, section 5, feeder residual.
    """
    plate = situation.plate
    circuits = [circuit for circuit in plate.circuits if plate.feed_of(circuit.supplied_by) == feed]
    strips = [situation.readings.get(f"amps:{circuit.id}") for circuit in circuits]
    if not circuits or any(strip is None for strip in strips):
        return None
    known = [strip for strip in strips if strip is not None]
    total = sum(strip.value for strip in known)
    blower_amps = plate.blower.rated_amps if plate.feed_of(plate.blower.supplied_by) == feed else 0.0
    margin = 0.4 * min(c.rated_watts / c.rated_volts for c in circuits)
    band = Band(
        marginal_low=total - margin,
        pass_low=total,
        pass_high=total + blower_amps,
        marginal_high=total + blower_amps + margin,
        source=situation.rules.element_amps.source,
    )
    uncertainty = root_sum_square(reading.meter_uncertainty, *(strip.meter_uncertainty for strip in known))
    result = grade(reading.value, uncertainty, band)
    # The pass band is made of measured values, so being within their own uncertainty of it is no defect.
    if band.pass_low - uncertainty <= reading.value <= band.pass_high + uncertainty:
        result = Grade.PASS
    base = Verdict(
        grade=result,
        value=reading.value,
        uncertainty=uncertainty,
        unit="A",
        expected=total + blower_amps / 2,
        band=band,
        because=f"The strips clamped one by one add up to {total:.1f} A"
        + (f"; the blower may add up to {blower_amps:g} A." if blower_amps else "."),
    )
    if result is Grade.PASS:
        return base
    if reading.value < total:
        return _with(base, result, "strip missing", base.because, "Clamp each strip again: one has dropped out since.")
    return _with(base, result, "unlisted load", base.because, "Look for a strip or load nobody listed on this feed.")


def like_elements(situation: Situation) -> tuple[Verdict, tuple[str, ...]] | None:
    """Compare strips of one rating that draw current; return the verdict on their spread and the circuits' ids.

    Returns:
        The verdict in % of the mean, counts only as uncertainty; None with fewer than two like strips running.
    Source:
        Field guide, section 3: within 10 %, marginal to 20 %.
    """
    groups: dict[tuple[float, float, str], list[tuple[str, Reading]]] = {}
    for circuit in situation.plate.circuits:
        reading = situation.readings.get(f"amps:{circuit.id}")
        if reading is not None and reading.value >= situation.rules.dead_below_amps:
            key = (circuit.rated_watts, circuit.rated_volts, situation.plate.feed_of(circuit.supplied_by))
            groups.setdefault(key, []).append((circuit.id, reading))
    pairs = [group for group in groups.values() if len(group) > 1]
    if not pairs:
        return None
    verdicts = [(_spread(situation, [reading for _, reading in group]), tuple(i for i, _ in group)) for group in pairs]
    return max(verdicts, key=lambda entry: (entry[0].grade.severity, entry[0].value))


def _spread(situation: Situation, readings: Sequence[Reading]) -> Verdict:
    amps = [reading.value for reading in readings]
    mean = sum(amps) / len(amps)
    ratio = (max(amps) - min(amps)) / mean
    counts = root_sum_square(*(reading.counts_uncertainty for reading in readings[:2])) / mean
    band = situation.rules.like_elements_ratio
    result = grade(ratio, counts, band)
    return Verdict(
        grade=result,
        value=100 * ratio,
        uncertainty=100 * counts,
        unit="%",
        band=band.scaled(100),
        expected=0.0,
        kind="" if result is Grade.PASS else "unlike",
        because="Strips of one rating on one supply, read with one meter.",
        next_step="" if result is Grade.PASS else "Element ohms of the low one, power off and its leads lifted.",
    )


def leg_difference(situation: Situation, feed: str) -> Verdict | None:
    """Compare both legs to ground; None until both were read.

    Source:
        Field guide, section 3: within 3 % of their mean, marginal to 10 %.
    """
    leg_1 = situation.readings.get(f"volts:{feed}.l1:ground")
    leg_2 = situation.readings.get(f"volts:{feed}.l2:ground")
    if leg_1 is None or leg_2 is None or leg_1.value + leg_2.value == 0:
        return None
    mean = (leg_1.value + leg_2.value) / 2
    ratio = abs(leg_1.value - leg_2.value) / mean
    counts = root_sum_square(leg_1.counts_uncertainty, leg_2.counts_uncertainty) / mean
    band = situation.rules.leg_difference_ratio
    result = grade(ratio, counts, band)
    lost = min(leg_1.value, leg_2.value) < 0.2 * max(leg_1.value, leg_2.value)
    return Verdict(
        grade=result,
        value=100 * ratio,
        uncertainty=100 * counts,
        unit="%",
        band=band.scaled(100),
        expected=0.0,
        kind="leg lost" if lost else "" if result is Grade.PASS else "legs differ",
        because="Leg 1 and leg 2 to ground, one meter.",
        next_step="" if result is Grade.PASS else "Read each pole of the breaker, line side against load side.",
    )


def _with(verdict: Verdict, result: Grade, kind: str, because: str, next_step: str = "", **changes: object) -> Verdict:
    changed = replace(verdict, grade=result, kind=kind, because=because, next_step=next_step)
    return replace(changed, **changes)  # type: ignore[arg-type]


def _kilowatts(circuit: HeatingCircuit) -> str:
    return f"{circuit.rated_watts / 1000:g} kW, {circuit.rated_volts:g} V"


def _drive(plate: Nameplate, circuit: HeatingCircuit) -> str:
    return "heater" if plate.device(circuit.device).kind == "sequencer" else "coil"
