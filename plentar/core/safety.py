"""The Safe list: what must be done, in order, before anything is touched or measured in ohms."""

from dataclasses import dataclass

from plentar.core.nameplate import Nameplate
from plentar.core.points import part_words

__all__ = ["SafeItem", "safe_list"]


@dataclass(frozen=True, slots=True, kw_only=True)
class SafeItem:
    """One line of the list; `about` is the feed it speaks of, if any."""

    kind: str
    about: str
    words: str


def safe_list(plate: Nameplate) -> tuple[SafeItem, ...]:
    """Return the list for a unit, in order.

    Source:
        Field guide, section 4, step 3: every feed off, locked and tagged; meter proven on a known live source, the unit
        proven dead, meter proven again; the run capacitor of a PSC blower discharged.
    """

    def feed_words(feed: str) -> str:
        return "The feed" if len(plate.feeds) == 1 else part_words(feed)

    feeds = [feed.id for feed in plate.feeds]
    items = [SafeItem(kind="safe-gear", about="", words="Eye and hand protection on")]
    items += [
        SafeItem(kind="safe-off", about=feed, words=f"{feed_words(feed)} off, locked and tagged") for feed in feeds
    ]
    items.append(SafeItem(kind="safe-outdoor-off", about="", words="Outdoor unit off, locked and tagged"))
    items.append(SafeItem(kind="safe-meter-before", about="", words="Meter proven on a known live source"))
    items += [
        SafeItem(
            kind="safe-dead",
            about=feed,
            words=f"{feed_words(feed)} proven dead at the unit: L1 to L2, each leg to frame",
        )
        for feed in feeds
    ]
    items.append(SafeItem(kind="safe-control-dead", about="", words="Control side proven dead: R to C"))
    items.append(SafeItem(kind="safe-meter-after", about="", words="Meter proven again on the live source"))
    if plate.blower.kind == "psc":
        items.append(SafeItem(kind="safe-capacitor", about="", words="Run capacitor discharged"))
    return tuple(items)
