"""What the steps *Circuit* and *Heat pump* show."""

from dataclasses import dataclass
from functools import cached_property

from plentar.core.evidence.events import Temporary
from plentar.core.judging.feed import FeedLoad, School, load_of
from plentar.core.judging.feed_path import PathPart, governing
from plentar.core.judging.supply_loss import SupplyLoss
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.points import part_words
from plentar.core.visit import LegCheck, Visit
from plentar.core.work.interim import Interim
from plentar.screen.drawings.feed_tree import FeedTree, draw_tree
from plentar.screen.drawings.weather_chart import WeatherChart, weather_chart
from plentar.screen.shown import Shown
from plentar.store.models import Call

__all__ = ["FeedScreen", "FeedShown", "FeedStepScreen"]


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedShown:
    """One feed: its load, the schools' answers for its breaker, what governs it, what may run until it is corrected."""

    id: str
    name: str
    load: FeedLoad
    device_amps: float | None
    schools: tuple[School, ...]
    governs: PathPart | None
    loss: SupplyLoss | None
    interim: Interim | None
    kept: tuple[tuple[Shown[Temporary], bool], ...]

    @property
    def is_kept(self) -> bool:
        """True while a measure for this feed is open."""
        return any(not done for _, done in self.kept)


class FeedScreen:
    """A plate's path with its drawing, for a call and for the bench alike."""

    def __init__(self, plate: Nameplate, parts: tuple[PathPart, ...]) -> None:
        self.plate, self.parts = plate, parts

    @cached_property
    def tree(self) -> FeedTree:
        """The path as a drawing."""
        return draw_tree(self.parts)

    @property
    def wrong(self) -> list[PathPart]:
        """The parts with a defect."""
        return [part for part in self.parts if part.defects]

    @property
    def unread(self) -> list[PathPart]:
        """The parts that something keeps from being proven."""
        return [part for part in self.parts if part.missing]

    @property
    def noted(self) -> list[PathPart]:
        """The parts with a word beside their verdict."""
        return [part for part in self.parts if part.notes]

    @property
    def grade(self) -> Grade:
        """The worst of all."""
        return Grade.FAIL if self.wrong else Grade.NOT_PROVEN if self.unread else Grade.PASS


class FeedStepScreen(FeedScreen):
    """Circuit and heat pump of one call."""

    def __init__(self, call: Call, visit: Visit) -> None:
        super().__init__(visit.plate, visit.path)
        self.call, self.visit = call, visit

    @cached_property
    def feeds(self) -> list[FeedShown]:
        """Each feed."""
        losses = {loss.feed: loss for loss in self.visit.losses}
        kept = [(Shown(event, deed), done) for event, deed, done in self.visit.record.open_temporaries]
        return [
            FeedShown(
                id=feed.id,
                name=part_words(feed.id),
                load=load_of(self.plate, feed.id),
                device_amps=feed.breaker_amps,
                schools=next(part.schools for part in self.parts if part.id == f"{feed.id}.breaker"),
                governs=governing(self.parts, feed.id),
                loss=losses.get(feed.id),
                interim=self.visit.interim(feed.id),
                kept=tuple(entry for entry in kept if entry[0].deed.feed == feed.id),
            )
            for feed in self.plate.feeds
        ]

    @property
    def legs(self) -> tuple[LegCheck, ...]:
        """Same-named legs of two feeds."""
        return self.visit.leg_checks

    @cached_property
    def chart(self) -> WeatherChart | None:
        """Heat against the weather, today marked."""
        return weather_chart(self.plate, self.visit.weather) if self.visit.weather is not None else None
