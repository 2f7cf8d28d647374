"""Where the volts go between panel and unit: what the panel sags itself, what the wire and what a joint drops."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from plentar.core.circuit.wiring import COLD_WIRE_RATIO, one_way_ohms
from plentar.core.evidence.reading import Reading
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Grade, Verdict, grade
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Feed, Nameplate
from plentar.core.unit.place import GROUND, amps_at, line_volts, volts_at

__all__ = ["SupplyLoss", "conductor_ohms", "spoken_range", "supply_loss"]


class _Last(Protocol):
    """The newest reading at one of some places, with the feed live and the strips called or not."""

    def __call__(self, points: Sequence[str], *, loaded: bool) -> Reading | None: ...


# Least and most: the wire may be anything between cold and hot.
Range = tuple[float, float]


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplyLoss:
    """One feed from no load to all strips: volts, and the ohms and watts of what is neither panel nor wire.

    `panel_sag_volts` and what follows from it are None until the panel was read both ways; what the wire drops, and so
    what is left for joints, also while its size or length is not known. Both are ranges, least and most: the wire is
    taken from 20 °C, which is what carried nothing before, to the 75 °C of the table.
    """

    feed: str
    unloaded_volts: float
    loaded_volts: float
    load_amps: float
    verdict: Verdict
    series_ohms: float
    series_watts: float
    panel_sag_volts: float | None = None
    wire_volts: Range | None = None
    joint_volts: Range | None = None
    joint_ohms: Range | None = None
    joint_watts: Range | None = None


def conductor_ohms(plate: Nameplate, feed: Feed) -> Range | None:
    """Return a feed's wire resistance there and back, cold and hot [ohm]; None where size or length is not known.

    Source:
        docs/trade.md, section 2, conductor ohms per 1000 ft at 75 °C, 2 × one-way length; × 0.82 at 20 °C.
    """
    if feed.conductor is None or plate.wire_is_assumed(feed.id):
        return None
    # There and back: the current uses both conductors.
    hot = 2 * one_way_ohms(feed.conductor)
    return COLD_WIRE_RATIO * hot, hot


def supply_loss(
    plate: Nameplate, feed_id: str, readings: Sequence[Reading], limits: Limits = DEFAULT_LIMITS
) -> SupplyLoss | None:
    """Separate a feed's sag into panel, wire and joint; None until the unit was read without load and with all strips.

    Source:
        docs/trade.md, section 2: joint drop = (sag at the unit − sag at the panel under the same load) − feed amps ×
        ohms of 2 × one-way length; R = ΔV / I, heat = I² R. Comparisons use the counts only.
    """
    unit = line_volts(feed_id)
    # At the breaker's load side, or at the panel itself: what lies between is a millivolt.
    panel = (volts_at(f"{feed_id}.breaker.l1", f"{feed_id}.breaker.l2"), volts_at("panel.l1", "panel.l2"))
    heat = {plate.call_of(strip.device) for strip in plate.circuits if plate.feed_of(strip.supplied_by) == feed_id}

    def last(points: Sequence[str], *, loaded: bool) -> Reading | None:
        found = [r for r in readings if r.point in points and r.condition.feed_state(feed_id) == "live"]
        found = [r for r in found if all(r.condition.is_called(call) == loaded for call in heat)]
        return found[-1] if found else None

    without, under = last([unit], loaded=False), last([unit], loaded=True)
    amps = last([amps_at(feed_id)], loaded=True)
    strips = [last([amps_at(s.id)], loaded=True) for s in plate.circuits if plate.feed_of(s.supplied_by) == feed_id]
    # One clamp round the feed beats a sum of clamps.
    load = amps.value if amps is not None else sum(r.value for r in strips if r is not None)
    # Below an amp a sag is the meter's last digit.
    if without is None or under is None or without.value <= 0 or load < 1.0:
        return None
    sag = without.value - under.value
    # A difference by one meter on one range: its percent error falls out.
    counts = (without.counts_uncertainty**2 + under.counts_uncertainty**2) ** 0.5
    ratio = sag / without.value
    band = limits.band("sag_ratio")
    result = grade(ratio, counts / without.value, band)
    before, after = last(panel, loaded=False), last(panel, loaded=True)
    feed = next(feed for feed in plate.feeds if feed.id == feed_id)
    wire_ohms = conductor_ohms(plate, feed)
    # What the panel sags itself is the utility's, and no joint of the unit.
    panel_sag = before.value - after.value if before is not None and after is not None else None
    wire = (wire_ohms[0] * load, wire_ohms[1] * load) if wire_ohms is not None else None
    joint = None
    if panel_sag is not None and wire is not None:
        # Hot wire drops more and leaves less for joints, cold wire the other way: a range, never one figure.
        joint = max(0.0, sag - panel_sag - wire[1]), max(0.0, sag - panel_sag - wire[0])
    step = message("supply_loss.read-panel-under-same-load") if panel_sag is None else ""
    # Twice the digits' doubt and half a volt: less is no joint to open a lug for.
    if joint is not None and joint[1] > 2 * counts + 0.5:
        watts = spoken_range((joint[0] * load, joint[1] * load), 0)
        step = message("supply_loss.v-lost-joints-w-heat", volts=spoken_range(joint, 1), watts=watts)
    hot = _hot_leg(feed_id, last, load, limits)
    if hot is not None:
        result, step = Grade.FAIL, hot
    return SupplyLoss(
        feed=feed_id,
        unloaded_volts=without.value,
        loaded_volts=under.value,
        load_amps=load,
        verdict=Verdict(
            grade=result,
            value=100 * ratio,
            uncertainty=100 * counts / without.value,
            unit="%",
            band=band.scaled(100),
            expected=0.0,
            kind="hot joint" if hot is not None else "" if result is Grade.PASS else "sags",
            because=message(
                "supply_loss.v-without-load-v", unloaded_volts=without.value, loaded_volts=under.value, load=load
            ),
            next_step=step if result is not Grade.PASS or joint else "",
        ),
        series_ohms=sag / load,
        series_watts=sag * load,
        panel_sag_volts=panel_sag,
        wire_volts=wire,
        joint_volts=joint,
        joint_ohms=None if joint is None else (joint[0] / load, joint[1] / load),
        joint_watts=None if joint is None else (joint[0] * load, joint[1] * load),
    )


def _hot_leg(feed_id: str, last: "_Last", load_amps: float, limits: Limits) -> Text | None:
    """Return what to do about a joint that is too hot in one leg; None where neither leg sags alone, or it is not read.

    Wire and service sag on both legs alike. What one leg loses beyond the other it loses in a lug, a breaker's pole, a
    stab or a disconnect of its own.

    Source:
        docs/trade.md, section 2: heat = I² R; above 50 W the heat goes off at once.
    """
    sags, doubts = [], []
    for leg in ("l1", "l2"):
        point = volts_at(f"{feed_id}.{leg}", GROUND)
        without, under = last([point], loaded=False), last([point], loaded=True)
        if without is None or under is None:
            return None
        sags.append(without.value - under.value)
        doubts.append((without.counts_uncertainty**2 + under.counts_uncertainty**2) ** 0.5)
    worse = 0 if sags[0] >= sags[1] else 1
    alone = sags[worse] - max(0.0, sags[1 - worse])
    if (alone - sum(doubts)) * load_amps <= limits.number("hot_joint_watts"):
        return None
    return message("supply_loss.hot-joint", leg=worse + 1, volts=alone, load=load_amps, watts=alone * load_amps)


def spoken_range(found: Range, digits: int) -> Text:
    """Return a range as it is said, one figure where both ends look alike.

    Example:
        >>> spoken_range((0.262, 1.0), 1).figures, spoken_range((2.01, 2.03), 1)
        ((('least', '0.3'), ('most', '1.0')), '2.0')
    """
    least, most = (f"{value:.{digits}f}" for value in found)
    return least if least == most else message("supply_loss.to", least=least, most=most)
