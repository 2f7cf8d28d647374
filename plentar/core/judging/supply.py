"""Line volts at the unit, each leg to ground, and a feed that is said to be off."""

from collections.abc import Sequence

from plentar.core.evidence.metrology import root_sum_square
from plentar.core.evidence.reading import Reading
from plentar.core.judging.situation import Situation, changed
from plentar.core.limits.table import Limits
from plentar.core.limits.verdicts import Grade, Verdict, grade
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import GROUND, line_volts, spot_of, volts_at
from plentar.core.unit.points import Point, is_control_side

__all__ = ["fits_208", "judge_off", "judge_supply", "leg_difference"]

# A 240 V service this low sags by more than a utility lets it, and is a 208 V one far oftener.
ASKS_208_BELOW = 222.0


def fits_208(plate: Nameplate, reading: Reading, limits: Limits) -> bool:
    """Return whether line volts of a live feed fit a 208 V service better than the 240 V on the nameplate.

    Source:
        docs/trade.md, section 10, service volts: below 222 V the service is asked for before anything is judged.
    """
    least = limits.supply_band(208.0).marginal_low
    is_line = reading.point in {line_volts(feed.id) for feed in plate.feeds}
    is_live = is_line and reading.condition.feed_state(spot_of(reading.point).places[0].partition(".")[0]) == "live"
    return is_live and plate.nominal_volts == 240.0 and least <= reading.value < ASKS_208_BELOW


def judge_supply(situation: Situation, reading: Reading, point: Point) -> Verdict:
    """Judge volts at a feed's line terminals: against the service, or as proof that a feed is off.

    Source:
        docs/trade.md, section 3, Supply: within 5 % of the service.
    """
    plate, limits = situation.plate, situation.limits
    is_leg = spot_of(reading.point).is_to_ground
    # A split-phase leg stands at half the line, a wye leg at its 58 %, a neutral near nothing.
    leg = plate.leg_volts[spot_of(reading.point).places[0] == f"{point.subject}.l2"] if is_leg else plate.nominal_volts
    if leg == 0 and reading.condition.feed_state(point.subject) == "live":
        return _judge_neutral(situation, reading)
    share = leg / plate.nominal_volts or 1.0
    expected = plate.nominal_volts * share
    band = limits.supply_band(plate.nominal_volts).scaled(share)
    verdict = Verdict(
        grade=grade(reading.value, reading.meter_uncertainty, band),
        value=reading.value,
        uncertainty=reading.meter_uncertainty,
        unit="V",
        expected=expected,
        band=band,
    )
    if reading.condition.feed_state(point.subject) != "live":
        return judge_off(situation, reading)
    if verdict.grade is Grade.PASS:
        return changed(
            verdict, Grade.PASS, "", message("supply.inside-band-v-supply", nominal_volts=plate.nominal_volts)
        )
    # A fifth of the line is what leaks and couples onto a lost leg through idle motors and transformers.
    if reading.value < 0.2 * expected:
        return changed(
            verdict,
            verdict.grade,
            "feed dead" if not is_leg else "leg dead",
            message("supply.almost-no-voltage-live-feed"),
            _lost_pole_step(situation, reading, point.subject),
        )
    # Low volts cost heat by the square; high volts cost elements, and only the utility can change them.
    low = reading.value < expected
    return changed(
        verdict,
        verdict.grade,
        "low supply" if low else "high supply",
        message("supply.heat-falls-square-volts") if low else message("supply.high-volts-raise-current-every"),
        message("supply.compare-panel-disconnect-without-load") if low else message("supply.have-utility-check"),
    )


def _judge_neutral(situation: Situation, reading: Reading) -> Verdict:
    """Judge a neutral to ground: near none, but for what its own wire drops under load."""
    band = situation.limits.band("neutral_volts")
    result = grade(reading.value, reading.meter_uncertainty, band)
    verdict = Verdict(
        grade=result,
        value=reading.value,
        uncertainty=reading.meter_uncertainty,
        unit="V",
        expected=0.0,
        band=band,
        because=message("supply.neutral-stands-near-ground-under"),
    )
    if result is Grade.PASS:
        return verdict
    step = message("supply.open-loose-neutral-read-panel")
    return changed(verdict, result, "neutral off ground", verdict.because, step)


def judge_off(situation: Situation, reading: Reading) -> Verdict:
    """Judge volts where all is said to be off: below the dead limit, uncertainty included, or treated as live.

    Source:
        docs/trade.md, section 3, Dead: below 1 V, uncertainty included.
    """
    verdict = Verdict(
        grade=Grade.PASS, value=reading.value, uncertainty=reading.meter_uncertainty, unit="V", expected=0.0
    )
    if reading.value + reading.meter_uncertainty < situation.limits.number("dead_volts"):
        return changed(verdict, Grade.PASS, "dead", message("supply.no-voltage-feed-off-as"))
    is_control = all(is_control_side(place) for place in spot_of(reading.point).places)
    if is_control and reading.value >= situation.limits.number("other_source_from_volts"):
        words = message("supply.control-volts-stay-every-feed")
    elif reading.mode:
        words = message("supply.stays-low-impedance-mode-live")
    elif reading.value < 0.3 * situation.plate.nominal_volts:
        words = message("supply.some-voltage-present-feed-marked")
    else:
        words = message("supply.voltage-present-feed-marked-off")
    # Volts on what is off stop the work, whatever their size turns out to be.
    step = message("supply.stop-find-other-feed-wrong")
    return changed(verdict, Grade.FAIL, "still live", words, step)


def _lost_pole_step(situation: Situation, reading: Reading, feed: str) -> Text:
    legs = [situation.alike(volts_at(f"{feed}.{leg}", GROUND), reading) for leg in ("l1", "l2")]
    # Both legs at nearly 120 V to ground, and nothing between them: the same leg twice, one of them through a load.
    if all(leg is not None and leg.value > 0.35 * situation.plate.nominal_volts for leg in legs):
        return message("supply.both-legs-near-full-volts")
    return message("supply.read-each-leg-ground-then")


def leg_difference(situation: Situation, feed: str) -> Verdict | None:
    """Compare both legs to ground, read in one state of the unit; None until both were, or with both dead.

    Source:
        docs/trade.md, section 3: within 3 % of their mean, marginal to 10 %.
    """
    pair = _legs(situation.readings, feed)
    if (
        situation.plate.has_neutral
        or pair is None
        or max(pair[0].value, pair[1].value) < 0.2 * situation.plate.nominal_volts
    ):
        return None
    leg_1, leg_2 = pair
    # Against their mean, so that neither leg is taken for the right one.
    mean = (leg_1.value + leg_2.value) / 2
    ratio = abs(leg_1.value - leg_2.value) / mean
    counts = root_sum_square(leg_1.counts_uncertainty, leg_2.counts_uncertainty) / mean
    band = situation.limits.band("leg_difference_ratio")
    result = grade(ratio, counts, band)
    # One leg gone is another finding, with another step, than two that differ.
    lost = min(leg_1.value, leg_2.value) < 0.2 * max(leg_1.value, leg_2.value)
    return Verdict(
        grade=result,
        value=100 * ratio,
        uncertainty=100 * counts,
        unit="%",
        band=band.scaled(100),
        expected=0.0,
        kind="leg lost" if lost else "" if result is Grade.PASS else "legs differ",
        because=message("supply.leg-1-leg-2-ground"),
        next_step="" if result is Grade.PASS else message("supply.read-each-pole-breaker-line"),
    )


def _legs(readings: Sequence[Reading], feed: str) -> tuple[Reading, Reading] | None:
    """Return the newest pair of legs read with the feed live in one state of the unit."""
    newest: dict[tuple[object, ...], dict[str, Reading]] = {}
    found = None
    for reading in readings:
        for leg in ("l1", "l2"):
            if reading.point == volts_at(f"{feed}.{leg}", GROUND) and reading.condition.feed_state(feed) == "live":
                pair = newest.setdefault(reading.condition.state, {})
                pair[leg] = reading
                if len(pair) == 2:
                    found = (pair["l1"], pair["l2"])
    return found
