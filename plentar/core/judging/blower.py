"""The blower's amps, its run capacitor, and the direction of a back-feed through the interlock."""

from plentar.core.evidence.reading import Reading
from plentar.core.judging.situation import Situation, changed
from plentar.core.limits.verdicts import Grade, Verdict, grade
from plentar.core.message import Text, joined, message

__all__ = ["back_feed", "judge_blower", "judge_capacitor"]


def judge_blower(situation: Situation, reading: Reading) -> Verdict:
    """Judge the blower's amps against its plate, and whether it runs when it should.

    Source:
        docs/trade.md, section 3, Blower amps.
    """
    blower, limits = situation.plate.blower, situation.limits
    band = limits.band("blower_amps_ratio").scaled(blower.rated_amps)
    base = Verdict(
        grade=grade(reading.value, reading.meter_uncertainty, band),
        value=reading.value,
        band=band,
        uncertainty=reading.meter_uncertainty,
        unit="A",
        expected=blower.rated_amps,
        because=message("blower.plate-full-load-amps-are", rated_amps=blower.rated_amps),
    )
    # An electronic motor's board draws a little while it stands; that is not running.
    is_still = reading.value < limits.number("blower_idle_amps")
    # Heat must bring it as the fan call does; cooling has a call of its own.
    wanted = [call for call, _ in reading.condition.calls if call in ("W", "W2", "G")]
    if is_still and reading.condition.feed_state(situation.plate.feed_of(blower.supplied_by)) != "live":
        return changed(base, Grade.NOT_PROVEN, "", message("blower.feed-off-so-this-says"), expected=0.0, band=None)
    if is_still and not wanted:
        return changed(base, Grade.PASS, "off", message("blower.no-call-no-current-as"), expected=0.0)
    if is_still:
        return changed(
            base,
            Grade.FAIL,
            "not running",
            message("blower.no-current-called", calls=joined(wanted)),
            message("blower.dead-first-pole-looks-like"),
        )
    if not wanted:
        # Marginal, not a fault: a delay board or a cooling disc may still hold it, and only time tells.
        words = message("blower.off-delay-may-still-be")
        return changed(base, Grade.MARGINAL, "runs without a call", message("blower.current-no-call"), words)
    # Full-load amps nobody has read judge nothing: that it runs is all that is known.
    if situation.plate.is_assumed("blower.rated_amps"):
        words = message("blower.runs-full-load-amps-are")
        return changed(base, Grade.NOT_PROVEN, "", words, band=None)
    # A PSC motor unloads when the air is held back: few amps look healthy and are not. An ECM works harder instead.
    is_low = reading.value < limits.number("little_air_ratio") * blower.rated_amps
    if base.grade is Grade.PASS and is_low and blower.kind == "psc":
        words = message("blower.low-amps-psc-blower-can", because=base.because)
        return changed(base, Grade.PASS, "", words)
    if base.grade is Grade.PASS:
        return base
    return changed(base, base.grade, "high amps", base.because, message("blower.check-run-capacitor-bearings-wheel"))


def judge_capacitor(situation: Situation, reading: Reading) -> Verdict:
    """Judge a run capacitor's microfarads against its label: ±6 % pass, ±10 % marginal; docs/trade.md, section 3."""
    label = situation.plate.blower.capacitor_microfarads
    base = Verdict(grade=Grade.NOT_PROVEN, value=reading.value, uncertainty=reading.meter_uncertainty, unit="µF")
    if label is None:
        return changed(base, Grade.NOT_PROVEN, "", message("blower.label-not-plate"), message("blower.read-label-fill"))
    # Its label beats any default; without a label nothing is judged.
    band = situation.limits.band("capacitor_ratio").scaled(label)
    result = grade(reading.value, reading.meter_uncertainty, band)
    kind = "" if result is Grade.PASS else "weak" if reading.value < label else "too large"
    return changed(
        base,
        result,
        kind,
        message("blower.label-f-within", label=label, pass_high=situation.limits.band("capacitor_ratio").pass_high - 1),
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
    # Which way it flows is told by size, and a guessed size tells nothing; that it flows at all is a fault.
    if any(plate.load_is_assumed(feed.id) for feed in plate.feeds):
        return _where_none_should(
            reading,
            "back-feed",
            message("blower.without-heat-call-which-way", amps=reading.value),
            message("blower.fill-kilowatts-blowers-amps-clamp"),
        )
    # A blower's few amps and a strip's twenty lie a factor of five or more apart: between them, by ratio.
    strip = min(circuit.rated_watts / circuit.rated_volts for circuit in plate.circuits)
    middle = (plate.blower.rated_amps * strip) ** 0.5
    if reading.value < middle:
        return _where_none_should(
            reading,
            "heat contact stuck",
            message("blower.about-blowers-heat-contact-stuck", amps=reading.value),
            message("blower.clamp-each-strip-one-draws"),
        )
    return _where_none_should(
        reading,
        "relay feeds a strip",
        message("blower.about-strips-blower-relay-feeds", amps=reading.value),
        message("blower.nc-welded-relay-wired-wrongly"),
    )


def _where_none_should(reading: Reading, kind: str, because: Text, next_step: Text) -> Verdict:
    return Verdict(
        grade=Grade.FAIL,
        value=reading.value,
        uncertainty=reading.meter_uncertainty,
        unit="A",
        expected=0.0,
        kind=kind,
        because=because,
        next_step=next_step,
    )
