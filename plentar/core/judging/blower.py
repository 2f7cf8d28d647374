"""The blower's amps, its run capacitor, and the direction of a back-feed through the interlock."""

from plentar.core.evidence.reading import Reading
from plentar.core.judging.situation import Situation, changed
from plentar.core.limits.verdicts import Grade, Verdict, grade

__all__ = ["back_feed", "judge_blower", "judge_capacitor"]


def judge_blower(situation: Situation, reading: Reading) -> Verdict:
    """Judge the blower's amps against its plate, and whether it runs when it should."""
    blower, limits = situation.plate.blower, situation.limits
    band = limits.band("blower_amps_ratio").scaled(blower.rated_amps)
    base = Verdict(
        grade=grade(reading.value, reading.meter_uncertainty, band),
        value=reading.value,
        band=band,
        uncertainty=reading.meter_uncertainty,
        unit="A",
        expected=blower.rated_amps,
        because=f"Plate full-load amps are {blower.rated_amps:g} A.",
    )
    is_still = reading.value < limits.number("blower_idle_amps")
    wanted = [call for call, _ in reading.condition.calls if call in ("W", "W2", "G")]
    if is_still and reading.condition.feed_state(situation.plate.feed_of(blower.supplied_by)) != "live":
        return changed(base, Grade.NOT_PROVEN, "", "Its feed is off, so this says nothing.", expected=0.0, band=None)
    if is_still and not wanted:
        return changed(base, Grade.PASS, "off", "No call and no current, as it should be.", expected=0.0)
    if is_still:
        return changed(
            base,
            Grade.FAIL,
            "not running",
            f"No current with {' and '.join(wanted)} called.",
            "A dead first pole looks like a dead blower: clamp the first strip, then try G alone.",
        )
    if not wanted:
        words = "An off-delay may still be running; else look at the relay."
        return changed(base, Grade.MARGINAL, "runs without a call", "Current with no call.", words)
    if situation.plate.is_assumed("blower.rated_amps"):
        words = "It runs; its full-load amps are not on the plate yet."
        return changed(base, Grade.NOT_PROVEN, "", words, band=None)
    is_low = reading.value < limits.number("little_air_ratio") * blower.rated_amps
    if base.grade is Grade.PASS and is_low and blower.kind == "psc":
        words = f"{base.because} Low amps on a PSC blower can mean little air, not health."
        return changed(base, Grade.PASS, "", words)
    if base.grade is Grade.PASS:
        return base
    return changed(base, base.grade, "high amps", base.because, "Check the run capacitor, bearings and wheel.")


def judge_capacitor(situation: Situation, reading: Reading) -> Verdict:
    """Judge a run capacitor's microfarads against its label: ±6 % pass, ±10 % marginal; docs/trade.md, section 3."""
    label = situation.plate.blower.capacitor_microfarads
    base = Verdict(grade=Grade.NOT_PROVEN, value=reading.value, uncertainty=reading.meter_uncertainty, unit="µF")
    if label is None:
        return changed(base, Grade.NOT_PROVEN, "", "Its label is not on the plate.", "Read the label and fill it in.")
    band = situation.limits.band("capacitor_ratio").scaled(label)
    result = grade(reading.value, reading.meter_uncertainty, band)
    kind = "" if result is Grade.PASS else "weak" if reading.value < label else "too large"
    return changed(
        base,
        result,
        kind,
        f"Label {label:g} µF, within {situation.limits.band('capacitor_ratio').pass_high - 1:.0%}.",
        band=band,
        expected=label,
    )


def back_feed(situation: Situation, reading: Reading) -> Verdict | None:
    """Tell by the current in the interlock lead, with no heat called, which way it flows; None while there is none.

    Source:
        docs/trade.md, section 5, direction of a back-feed: about blower current, a heat contact is stuck and feeds the
        blower; about strip current, the blower relay feeds a strip.
    """
    plate = situation.plate
    if reading.value < situation.limits.number("dead_below_amps"):
        return None
    if any(plate.load_is_assumed(feed.id) for feed in plate.feeds):
        return Verdict(
            grade=Grade.FAIL,
            value=reading.value,
            uncertainty=reading.meter_uncertainty,
            unit="A",
            expected=0.0,
            kind="back-feed",
            because=f"{reading.value:.1f} A without a heat call: which way, only known ratings can tell.",
            next_step="Fill in the kilowatts and the blower's amps; clamp each strip meanwhile.",
        )
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
