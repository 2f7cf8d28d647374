"""Amps of a strip against the volts found, of a feed against its strips, of like strips against each other."""

from collections.abc import Sequence
from dataclasses import replace

from plentar.core.evidence.metrology import root_sum_square
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.judging.contacts import patience, still_opening
from plentar.core.judging.situation import Situation, changed, kilowatts
from plentar.core.limits.verdicts import Band, Grade, Verdict, grade
from plentar.core.message import Text, joined, message
from plentar.core.unit.electrical import expected_element_amps
from plentar.core.unit.nameplate import HeatingCircuit, Nameplate
from plentar.core.unit.place import amps_at
from plentar.core.unit.points import part_words, piece_words, rung_terminals

__all__ = ["Likeness", "feed_residual", "judge_feed_total", "judge_strip", "like_elements"]

NO_SUPPLY = message("strips.read-l1-l2-unit-first")
CHECK_RANGE = message("strips.check-range-units-right-range")
# Less than half of the smallest strip is neither a strip lost nor one too many.
LOST_SHARE = 0.4
Likeness = tuple[Verdict, tuple[str, ...], Condition]


def judge_strip(situation: Situation, reading: Reading, circuit: HeatingCircuit) -> Verdict:
    """Judge one strip's amps: what it should draw at the volts found under the same calls.

    Source:
        docs/trade.md, section 3, Element amps: V found over plate ohms, −10 to +5 %.
    """
    plate, limits = situation.plate, situation.limits
    call = plate.call_of(circuit.device)
    base = Verdict(grade=Grade.NOT_PROVEN, value=reading.value, uncertainty=reading.meter_uncertainty, unit="A")
    is_dead = reading.value < limits.number("dead_below_amps")
    # What hangs on a dead feed draws nothing whatever its own state: no verdict on the strip follows from that.
    if reading.condition.feed_state(plate.feed_of(circuit.supplied_by)) != "live":
        if is_dead:
            words = message("strips.feed-off-so-this-says")
            return changed(base, Grade.NOT_PROVEN, "", words)
        words = message("strips.strip-draws-current-feed-marked")
        return changed(base, Grade.FAIL, "still live", words, message("strips.stop-find-feed-still"), expected=0.0)
    # Without its call the right reading is none, and any other means a pole that stays, a ground or a back-feed.
    if not reading.condition.is_called(call):
        left = still_opening(situation, circuit, reading.condition)
        if left > 0 and not is_dead:
            words = message("strips.may-still-open", circuit=circuit.name, call=call)
            return changed(base, Grade.NOT_PROVEN, "", words, message("contacts.wait-s-more", left_seconds=left))
        return _without_call(base, circuit, plate, call, is_dead=is_dead)
    # Never the plate's amps at another voltage: a 240 V part on 208 V draws 87 % and is sound.
    supply = situation.supply(circuit.supplied_by, reading)
    if supply is None or supply.value <= 0:
        silent = _silent_beside_another(situation, reading, circuit, base) if is_dead else None
        if silent is not None:
            return silent
        warning = _range_warning(situation, reading, plate.nominal_volts, circuit)
        return changed(base, Grade.NOT_PROVEN, "", message("strips.no-supply-volts-yet-so"), NO_SUPPLY, warning=warning)
    # The volts' own uncertainty moves the expectation, so it counts beside the clamp's.
    expected = expected_element_amps(circuit.rated_watts, circuit.rated_volts, supply.value)
    uncertainty = root_sum_square(reading.meter_uncertainty, expected * supply.meter_uncertainty / supply.value)
    band = limits.band("element_amps_ratio").scaled(expected)
    # Volts taken before the strips came on stand some percent above what they really get.
    unloaded = "" if supply.condition.heat == reading.condition.heat else message("strips.read-without-this-call")
    verdict = Verdict(
        grade=grade(reading.value, uncertainty, band),
        value=reading.value,
        uncertainty=uncertainty,
        unit="A",
        expected=expected,
        band=band,
        warning=_range_warning(situation, reading, supply.value, circuit),
        because=message(
            "strips.element-v-assumed-should-draw"
            if situation.plate.volts_are_assumed(circuit.id)
            else "strips.element-v-should-draw",
            kilowatts=kilowatts(circuit),
            volts=supply.value,
            unloaded=unloaded,
            expected=expected,
        ),
    )
    if is_dead:
        # Silence before the window's end is a disc that is still warming, not a dead strip.
        waiting = patience(situation, circuit, reading.condition)
        if waiting is not None:
            return changed(verdict, *waiting)
        return changed(verdict, Grade.FAIL, "dead", verdict.because, _trace_step(circuit))
    return _heating(situation, reading, circuit, verdict)


def _silent_beside_another(
    situation: Situation, reading: Reading, circuit: HeatingCircuit, base: Verdict
) -> Verdict | None:
    """Judge no current without volts: another strip on the same feed and device that draws shows supply and drive.

    Source:
        docs/trade.md, section 3, Element amps: only high and low are held against the volts. Which part is open is not
        said, nor that the strip is safe to touch.
    """
    plate = situation.plate
    on_both = (
        other
        for other in plate.circuits
        if other.id != circuit.id
        and other.device == circuit.device
        and plate.feed_of(other.supplied_by) == plate.feed_of(circuit.supplied_by)
    )
    drawn = ((other, situation.carries_current(other, reading)) for other in on_both)
    least = situation.limits.number("dead_below_amps")
    beside = next(((other, amps) for other, amps in drawn if amps is not None and amps.value >= least), None)
    if beside is None:
        return None
    waiting = patience(situation, circuit, reading.condition)
    if waiting is not None:
        return changed(base, *waiting)
    other, amps = beside
    words = message("strips.no-current-beside", circuit=circuit.name, other=other.name, amps=amps.value)
    return changed(base, Grade.FAIL, "dead", words, _trace_step(circuit))


def _without_call(base: Verdict, circuit: HeatingCircuit, plate: Nameplate, call: str, *, is_dead: bool) -> Verdict:
    if is_dead:
        return changed(base, Grade.PASS, "off", message("strips.no-call-no-current-as", call=call), expected=0.0)
    return changed(
        base,
        Grade.FAIL,
        "stuck",
        message("strips.draws-current-no-call", circuit=circuit.name, call=call),
        message("strips.there-24-v-s-yes", part=part_words(circuit.device), drive=_drive(plate, circuit)),
        expected=0.0,
    )


def _heating(situation: Situation, reading: Reading, circuit: HeatingCircuit, verdict: Verdict) -> Verdict:
    """Judge a strip that draws current under its call."""
    limits = situation.limits
    # A kilowatt figure nobody has read off the kit judges nothing: only that it heats is known.
    if situation.plate.rating_is_assumed(circuit.id):
        words = message("strips.draws-current-rating-not-plate", circuit=circuit.name, kilowatts=kilowatts(circuit))
        step = message("strips.read-kits-label-fill-kilowatts")
        return changed(verdict, Grade.NOT_PROVEN, "", words, step, band=None)
    ratio = reading.value / (verdict.expected or 1.0)
    # Half the amps is a pattern of its own and not merely low: one of two coils open, or half the volts.
    if limits.number("half_dead_from_ratio") <= ratio <= limits.number("half_dead_to_ratio"):
        return changed(
            verdict,
            Grade.FAIL,
            "half dead",
            verdict.because,
            message("strips.half-current-part-element-open"),
        )
    if verdict.grade is Grade.PASS:
        return verdict
    kind = "low current" if ratio < 1 else "high current"
    # Too few amps at good volts lie in series with the element, too many in the element itself.
    step = (
        message("strips.volts-are-right-amps-low") if ratio < 1 else message("strips.compare-plate-element-fitted-then")
    )
    return changed(verdict, verdict.grade, kind, verdict.because, CHECK_RANGE if verdict.warning else step)


def _range_warning(situation: Situation, reading: Reading, volts: float, circuit: HeatingCircuit) -> Text:
    expected = expected_element_amps(circuit.rated_watts, circuit.rated_volts, volts)
    # Three times what it could draw at full volts: a slipped decimal or two conductors in the jaw come first.
    return CHECK_RANGE if reading.value > situation.limits.number("implausible_ratio") * expected else ""


def _trace_step(circuit: HeatingCircuit) -> Text:
    parts = [part for part, _, _ in rung_terminals(circuit) if part != "element"]
    # What fails most is read first.
    in_order = sorted(set(parts), key=("pole", "limit", "link").index)
    return message(
        "strips.trace-under-call-24-v",
        circuit=circuit.name,
        part=part_words(circuit.device),
        parts=joined(map(piece_words, in_order), "comma"),
    )


def _drive(plate: Nameplate, circuit: HeatingCircuit) -> Text:
    return plate.device(circuit.device).of_kind.drive_words


def judge_feed_total(situation: Situation, reading: Reading, feed: str) -> Verdict:
    """Judge a feed's total against its strips' own amps under the same calls.

    Source:
        docs/trade.md, section 5, feeder residual.
    """
    if not reading.condition.on and not reading.condition.in_hand:
        idle = _idle_total(situation, reading, feed)
        if idle is not None:
            return idle
    # Only a sum of strips that were each clamped can say what is missing.
    residual = feed_residual(situation, reading, feed)
    if residual is not None:
        return residual
    return Verdict(
        grade=Grade.NOT_PROVEN,
        value=reading.value,
        uncertainty=reading.meter_uncertainty,
        unit="A",
        because=message("strips.total-held-against-strips-own"),
        next_step=message("strips.clamp-each-strip-this-feed"),
    )


def _idle_total(situation: Situation, reading: Reading, feed: str) -> Verdict | None:
    """Judge a feed's total with nothing called: no current is right, more than its blower's is a strip's."""
    plate, limits = situation.plate, situation.limits
    has_blower = plate.feed_of(plate.blower.supplied_by) == feed
    own = plate.circuits_on(feed)
    if not own:
        return None
    most = (plate.blower.rated_amps if has_blower else 0.0) + LOST_SHARE * min(
        c.rated_watts / c.rated_volts for c in own
    )
    is_off = reading.value < limits.number("dead_below_amps")
    # A pole that is still cooling may carry its strip for a while yet.
    is_late = any(still_opening(situation, circuit, reading.condition) > 0 for circuit in own)
    if not is_off and (is_late or reading.value - reading.meter_uncertainty <= most):
        return None
    base = Verdict(
        grade=Grade.PASS if is_off else Grade.FAIL,
        kind="off" if is_off else "stuck",
        value=reading.value,
        uncertainty=reading.meter_uncertainty,
        unit="A",
        expected=0.0,
        because=message("strips.feed-idle" if is_off else "strips.feed-draws-with-nothing-called"),
    )
    return base if is_off else replace(base, next_step=message("strips.clamp-each-strip-this-feed"))


def feed_residual(situation: Situation, reading: Reading, feed: str) -> Verdict | None:
    """Judge a feed's total against the sum of its strips; None until every strip on it has been clamped.

    The blower adds somewhere between nothing and its own amps, since a motor's current is out of step with a
    strip's: the pass band is that wide. Beyond it by 40 % of the smallest strip, something is missing or unlisted.

    Source:
        docs/trade.md, section 5, feeder residual.
    """
    plate = situation.plate
    circuits = plate.circuits_on(feed)
    known = [strip for circuit in circuits if (strip := situation.carries_current(circuit, reading)) is not None]
    # One strip not clamped could be the whole difference.
    if not circuits or len(known) < len(circuits):
        return None
    total = sum(strip.value for strip in known)
    # The blower's plate is the most it may draw, not what it does: PSC motors run well below.
    blower_amps = plate.blower.rated_amps if plate.feed_of(plate.blower.supplied_by) == feed else 0.0
    margin = LOST_SHARE * min(c.rated_watts / c.rated_volts for c in circuits)
    band = Band(
        marginal_low=total - margin,
        pass_low=total,
        pass_high=total + blower_amps,
        marginal_high=total + blower_amps + margin,
        source="circuit",
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
        because=message("strips.sum-of-strips-and-blower", total_amps=total, blower_amps=blower_amps)
        if blower_amps
        else message("strips.sum-of-strips", total_amps=total),
    )
    if result is Grade.PASS:
        # A doubt wider than the margin hides a strip.
        words = message("strips.clamps-cannot-tell-a-strip", amps=uncertainty, smallest=margin / LOST_SHARE)
        return base if uncertainty <= margin else changed(base, Grade.NOT_PROVEN, "", words)
    # A strip whose rating was guessed could be the difference too.
    if plate.load_is_assumed(feed):
        words = message("strips.not-every-rating-behind-known", because=base.because)
        return changed(base, Grade.NOT_PROVEN, "", words, message("strips.fill-kilowatts-blowers-amps"), band=None)
    # Clamped one after the other each drew its amps; together less flows: one has gone since.
    if reading.value < total:
        return changed(base, result, "strip missing", base.because, message("strips.clamp-each-strip-again-one"))
    return changed(base, result, "unlisted load", base.because, message("strips.look-strip-load-nobody-listed"))


def like_elements(situation: Situation) -> list[Likeness]:
    """Compare strips of one rating that draw current, state by state of the unit.

    Returns:
        For each state with two like strips running, the worst spread in % of the mean (counts only as uncertainty), the
        circuits' ids, and the condition; the newest state last.
    Source:
        docs/trade.md, section 3: within 10 %, marginal to 20 %.
    """
    dead_below = situation.limits.number("dead_below_amps")
    circuits = {amps_at(circuit.id): circuit for circuit in situation.plate.circuits}
    taken: dict[tuple[object, ...], dict[str, Reading]] = {}
    for reading in situation.readings:
        if reading.point in circuits:
            # Popped and put back, so that the state read last stands last.
            strips = taken.pop(reading.condition.state, {})
            taken[reading.condition.state] = {**strips, reading.point: reading}
    found: list[Likeness] = []
    for strips in taken.values():
        groups: dict[tuple[float, float, str], list[tuple[str, Reading]]] = {}
        for point, reading in strips.items():
            circuit = circuits[point]
            # A dead strip is a finding by itself; its zero would only spoil the comparison of the others.
            if reading.value >= dead_below and not situation.plate.rating_is_assumed(circuit.id):
                # One rating on one feed: two feeds may stand some volts apart.
                key = (circuit.rated_watts, circuit.rated_volts, situation.plate.feed_of(circuit.supplied_by))
                groups.setdefault(key, []).append((circuit.id, reading))
        spreads = [
            (_spread(situation, [r for _, r in group]), tuple(i for i, _ in group), group[-1][1].condition)
            for group in groups.values()
            if len(group) > 1
        ]
        if spreads:
            found.append(max(spreads, key=lambda entry: (entry[0].grade.severity, entry[0].value)))
    return found


def _spread(situation: Situation, readings: Sequence[Reading]) -> Verdict:
    amps = [reading.value for reading in readings]
    mean = sum(amps) / len(amps)
    ratio = (max(amps) - min(amps)) / mean
    # One meter on one range is wrong the same way twice: what its percent adds falls out of a difference.
    counts = root_sum_square(*(reading.counts_uncertainty for reading in readings[:2])) / mean
    band = situation.limits.band("like_elements_ratio")
    result = grade(ratio, counts, band)
    return Verdict(
        grade=result,
        value=100 * ratio,
        uncertainty=100 * counts,
        unit="%",
        band=band.scaled(100),
        expected=0.0,
        kind="" if result is Grade.PASS else "unlike",
        because=message("strips.strips-one-rating-one-supply"),
        next_step="" if result is Grade.PASS else message("strips.element-ohms-low-one-power"),
    )
