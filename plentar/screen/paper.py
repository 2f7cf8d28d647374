"""What a paper says first and how: what was wrong, what was done, what is left, and what it costs."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from plentar.core.circuit.places import find_point
from plentar.core.evidence.events import Fitted
from plentar.core.evidence.record import Record
from plentar.core.judging.findings import Finding
from plentar.core.limits.verdicts import Grade
from plentar.core.message import Message
from plentar.core.unit.place import CAPACITOR, place_of, spot_of
from plentar.core.visit_results import AHEAD, WEATHER
from plentar.core.work.customer import customer_sentence
from plentar.core.work.urgency import SEASONAL
from plentar.screen.call import CallScreen
from plentar.screen.event_lines import told_temporary
from plentar.screen.kept import Kept
from plentar.words import render

__all__ = [
    "Bill",
    "Passage",
    "bill_of",
    "corrections_of",
    "done_for_customer",
    "is_of_log",
    "live_only",
    "passages_of",
    "photos_apart",
    "told_to_customer",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class Bill:
    """The priced parts of a call, as they are written: each line, and the sums below it."""

    lines: tuple[tuple[str, str], ...]
    subtotal: str
    tax: str
    tax_percent: float
    total: str


def bill_of(record: Record, *, tax_percent: float, spoken: Callable[[float], str]) -> Bill | None:
    """Return what the fitted parts cost; nothing where none has a price.

    Args:
        record: The call's evidence.
        tax_percent: The shop's tax on parts.
        spoken: How the shop writes an amount.
    """
    priced = [action for _, action in record.of(Fitted) if action.price is not None]
    if not priced:
        return None
    whole = sum(round(action.price or 0.0, 2) for action in priced)
    tax = round(whole * tax_percent / 100, 2)
    return Bill(
        lines=tuple((action.name, spoken(action.price or 0.0)) for action in priced),
        subtotal=spoken(whole),
        tax=spoken(tax),
        tax_percent=tax_percent,
        total=spoken(whole + tax),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Passage:
    """One place that was read before the repair and after: what was found, what was left, its photos."""

    found: Kept | None
    left: Kept | None
    photos: tuple[Any, ...]

    @property
    def kept(self) -> Kept:
        """The reading that tells the place."""
        kept = self.left or self.found
        assert kept is not None  # noqa: S101 - a passage is made of at least one
        return kept

    @property
    def is_plain(self) -> bool:
        """True for what a customer is shown: the supply, what heats, and whatever was not as it should be."""
        point = self.kept.point
        is_told = point.step in ("supply", "strips") and ":ground" not in point.id
        found = [kept.verdict.grade for kept in (self.found, self.left) if kept is not None]
        return is_told or bool(self.photos) or Grade.FAIL in found


def passages_of(screen: CallScreen[Any]) -> list[Passage]:
    """Return what was read at each place, as found and as left, beside the photos of its part, in the order of work.

    Without a repair there is but one state of the unit, and each place has its newest reading.
    """
    visit = screen.visit
    began, _ = visit.record.epoch
    since = began.done_at if began is not None else None
    before: dict[str, Kept] = {}
    after: dict[str, Kept] = {}
    for kept in screen.readings.all:
        if kept.is_superseded:
            continue
        is_left = since is not None and kept.at >= since
        # Of one place the worst that was found counts as found, the newest as left.
        side = after if is_left or since is None else before
        known = side.get(kept.point.id)
        if side is before and known is not None and known.verdict.grade.severity > kept.verdict.grade.severity:
            continue
        side[kept.point.id] = kept
    photos = _photos_by_owner(screen)
    found = []
    for point in dict.fromkeys([*before, *after]):
        owners = {place_of(place).owner for place in spot_of(point).places}
        own = tuple(photo for owner in sorted(owners) for photo in photos.get(owner, ()))
        found.append(Passage(found=before.get(point), left=after.get(point), photos=own))
    return found


def told_to_customer(screen: CallScreen[Any]) -> list[str]:
    """Return what was wrong, a plain sentence a fault; the accepted words where there is none."""
    told = []
    for _, cause in screen.visit.record.causes:
        names = [name for group in cause.faults[:1] for name in group.split("+")]
        sentences = [render(words) for name in names if (words := customer_sentence(screen.plate, name))]
        told += sentences if len(sentences) == len(names) and sentences else [f"{cause.title}."]
    return list(dict.fromkeys(told))


def done_for_customer(screen: CallScreen[Any]) -> str:
    """Return what was done without the trade's names of what was found: those are told above in plain words."""
    told, outcome = screen.rows.causes_told, str(screen.call.outcome or "")
    return outcome.removeprefix(told).lstrip(". ") if told else outcome


def live_only(screen: CallScreen[Any]) -> bool:
    """Tell whether a unit was only read live: its connections and its capacitor were not looked at."""
    visit = screen.visit
    return not visit.is_repaired and SEASONAL in visit.complaints and CAPACITOR not in visit.latest_now


def photos_apart(screen: CallScreen[Any], passages: Sequence[Passage]) -> list[Any]:
    """Return the photos that stand beside no reading."""
    beside = {photo.id for passage in passages for photo in passage.photos}
    return [photo for photo in screen.rows.photos if photo.id not in beside]


def corrections_of(screen: CallScreen[Any], shop: str) -> list[tuple[str, str]]:
    """Return what must be corrected yet, each with by whom.

    Source:
        docs/trade.md, section 4, step 3: ahead of the unit's own line terminals a licensed electrician works.
    """
    found = []
    for finding in screen.visit.findings:
        # What a log could not show is no fault of the unit.
        if finding.verdict.grade is not Grade.FAIL or is_of_log(finding):
            continue
        if finding.verdict.kind == WEATHER:
            found.append((render(finding.about), "the owner: more heat, or a tighter house"))
            continue
        is_ahead = finding.point.startswith("volts:panel.") or _step_of(screen, finding.point) == "supply"
        is_ahead = is_ahead or finding.verdict.kind == AHEAD
        found.append((render(finding.about), "a licensed electrician" if is_ahead else shop))
    for item, is_done in screen.rows.work.temporaries:
        if not is_done:
            found.append(
                (f"{render(told_temporary(item.action))}, until {item.action.due_on}", item.action.corrected_by or shop)
            )
    return list(dict.fromkeys(found))


def is_of_log(finding: Finding) -> bool:
    """Tell whether a finding is about a log itself, not about the unit."""
    return isinstance(finding.about, Message) and finding.about.id == "visit.log"


def _step_of(screen: CallScreen[Any], point: str) -> str:
    """Return the step of the call a finding's point belongs to; nothing where it is about no one point."""
    return find_point(screen.plate, point).step if point and screen.visit.knows(point) else ""


def _photos_by_owner(screen: CallScreen[Any]) -> Mapping[str, list[Any]]:
    found: dict[str, list[Any]] = {}
    for photo in screen.rows.photos:
        if photo.action.part:
            found.setdefault(place_of(photo.action.part).owner, []).append(photo)
    return found
