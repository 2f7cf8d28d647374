"""The 24 V side: volts at board and coil, a rectifier's output, the control current."""

import math
from dataclasses import replace

from plentar.core.evidence.reading import Reading
from plentar.core.judging.anywhere import expected_at
from plentar.core.judging.situation import Situation, changed
from plentar.core.limits.verdicts import Band, Grade, Verdict, grade
from plentar.core.message import message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import volts_at
from plentar.core.unit.points import Point

__all__ = ["added_band", "judge_control", "judge_control_amps", "room_amps"]


def judge_control(situation: Situation, reading: Reading, point: Point) -> Verdict:
    """Judge control volts at the board or across a coil, under its call or without.

    Source:
        docs/trade.md, section 3, Control volts.
    """
    plate, condition = situation.plate, reading.condition
    # A coil belongs to the call that begins its chain.
    call = point.subject if point.subject in plate.calls else plate.call_of(point.subject)
    band = situation.limits.band("control_volts")
    base = Verdict(grade=Grade.PASS, value=reading.value, uncertainty=reading.meter_uncertainty, unit="V")
    if not condition.is_called(call):
        # Ghosts and a thermostat's own leakage stand below what any coil would hold in at.
        absent = reading.value < band.marginal_low
        return changed(
            base,
            Grade.PASS if absent else Grade.FAIL,
            "" if absent else "always calling",
            message("control.not-called-so-none-expected", call=call)
            if absent
            else message("control.24-v-here-no-call", call=call),
            "" if absent else message("control.take-thermostats-conductors-off-one"),
            expected=0.0,
        )
    if point.quantity == "dc_volts":
        return _judge_rectified(situation, reading, point)
    verdict = replace(base, grade=grade(reading.value, reading.meter_uncertainty, band), band=band, expected=24.0)
    if verdict.grade is Grade.PASS:
        return changed(verdict, Grade.PASS, "", message("control.call-arrives-here", call=call))
    # Two volts and less is nothing arriving; more is a call that arrives through something.
    if reading.value < 2.0:
        return changed(
            verdict,
            verdict.grade,
            "no call",
            message("control.called-but-does-not-arrive", call=call),
            message("control.trace-back-toward-thermostat-board"),
        )
    # On the low side of the band or in the meter's doubt about it.
    low = reading.value < band.pass_low + reading.meter_uncertainty
    return changed(
        verdict,
        verdict.grade,
        "low control volts" if low else "high control volts",
        message("control.coils-may-chatter-heaters-warm") if low else message("control.coils-run-hot"),
        message("control.read-r-c-without-call") if low else message("control.check-transformers-tap"),
    )


def _judge_rectified(situation: Situation, reading: Reading, point: Point) -> Verdict:
    """Judge a DC coil's volts as a share of the rectifier's AC input; docs/trade.md, section 3."""
    before = (volts_at(f"{point.subject}.rectifier.1", "board.c"), volts_at("board.w", "board.c"))
    inlets = [found.value for name in before if (found := situation.alike(name, reading)) is not None]
    # A dead input would make any output look infinite: then it is held against the usual 24 V.
    inlet = inlets[0] if inlets and inlets[0] > 10 else 24.0
    band = situation.limits.band("rectified_ratio").scaled(inlet)
    share = reading.value / inlet
    verdict = Verdict(
        grade=grade(reading.value, reading.meter_uncertainty, band),
        value=reading.value,
        band=band,
        uncertainty=reading.meter_uncertainty,
        unit="V",
        expected=1.25 * inlet,
        because=message("control.v-ac-input-dc-function", share=share, inlet=inlet),
    )
    if verdict.grade is Grade.PASS:
        return verdict
    dead = situation.limits.number("rectifier_dead_ratio")
    half = situation.limits.band("rectified_ratio").marginal_low
    # Half of a bridge passes every other half-wave, so some third to half of the volts; a dead one next to none.
    kind = "dead" if share < dead else "half a bridge open" if share < half else "low" if share < 1 else "high"
    step = message("control.read-ac-into-rectifier-board")
    return changed(verdict, verdict.grade, kind, verdict.because, step if share < 1 else "")


def room_amps(plate: Nameplate) -> float:
    """Return what the control side may draw: the smaller of VA / 24 and the fuse [A].

    Source:
        docs/trade.md, section 2, control amps: the lesser of VA / 24 and the fuse.
    """
    # The transformer burns slowly at what its fuse would carry for ever, and the other way round: the lesser counts.
    return min(plate.transformer.va / 24.0, plate.transformer.fuse_amps or math.inf)


def judge_control_amps(situation: Situation, reading: Reading) -> Verdict:
    """Judge the control current: pass below 80 % of the smaller of transformer and fuse, once the heaters are warm.

    Source:
        docs/trade.md, section 3, control current R leg, after 60 s.
    """
    plate, limits = situation.plate, situation.limits
    room = room_amps(plate)
    band = replace(limits.band("control_amps_ratio").scaled(room), source="nameplate")
    expected = expected_at(plate, reading.condition, reading.point, limits)[-1][0]
    base = Verdict(
        grade=grade(reading.value, reading.meter_uncertainty, band),
        value=reading.value,
        uncertainty=reading.meter_uncertainty,
        unit="A",
        expected=expected,
        band=band,
    )
    # A rating nobody has read is no limit to fail anything by.
    if plate.is_assumed("transformer.va"):
        words = message("control.transformers-va-not-known-assumed", va=plate.transformer.va)
        return changed(base, Grade.NOT_PROVEN, "", words, message("control.read-off-transformer"), band=None)
    # A cold sequencer heater draws more than a warm one: in the first minute every unit looks overloaded.
    seconds = min((s for _, s in reading.condition.calls if s is not None), default=None)
    if seconds is not None and seconds < limits.number("control_amps_after_seconds"):
        words = message("control.only-s-called-heater-draws", seconds=seconds)
        return changed(base, Grade.NOT_PROVEN, "", words, message("control.read-again-after-minute"))
    words = message("control.va-fuse-leave-calls-now", va=plate.transformer.va, room=room, expected=expected)
    step = message("control.take-one-conductor-off-time")
    if base.grade is not Grade.PASS:
        return changed(base, base.grade, "overloaded", words, step)
    # The transformer bears it; the calls that are on do not explain it.
    most = limits.band("added_amps_ratio").pass_high * expected + limits.number("control_idle_amps")
    if reading.value - reading.meter_uncertainty > most:
        return changed(base, Grade.MARGINAL, "draws too much", words, step)
    return changed(base, base.grade, "", words)


def added_band(situation: Situation, expected_amps: float) -> Band:
    """Return the band of what one call adds to the control current [A].

    Source:
        docs/trade.md, section 5: call added, amps unchanged.
    """
    return replace(situation.limits.band("added_amps_ratio").scaled(expected_amps), source="circuit")
