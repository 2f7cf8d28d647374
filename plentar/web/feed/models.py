"""What the steps *Circuit* and *Heat pump* show."""

from dataclasses import dataclass
from functools import cached_property

from plentar.core.evidence.events import Temporary
from plentar.core.judging.feed import FeedLoad, SizingRule, load_of
from plentar.core.judging.feed_path import PathPart, governing
from plentar.core.judging.supply_loss import SupplyLoss
from plentar.core.unit.points import part_words
from plentar.core.visit import Visit
from plentar.core.visit_results import LegCheck
from plentar.core.work.interim import Interim
from plentar.screen.drawings.weather_chart import WeatherChart, weather_chart
from plentar.screen.event_lines import Shown
from plentar.screen.feed_path import PathShown
from plentar.store.models import Call

__all__ = ["FeedShown", "FeedStepScreen"]


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedShown:
    """One feed: its load, the schools' answers for its breaker, what governs it, what may run until it is corrected."""

    id: str
    name: str
    load: FeedLoad
    device_amps: float | None
    schools: tuple[SizingRule, ...]
    governs: PathPart | None
    loss: SupplyLoss | None
    interim: Interim | None
    kept: tuple[tuple[Shown[Temporary], bool], ...]

    @property
    def is_kept(self) -> bool:
        """True while a measure for this feed is open."""
        return any(not done for _, done in self.kept)


class FeedStepScreen:
    """Circuit and heat pump of one call."""

    def __init__(self, call: Call, visit: Visit) -> None:
        self.call, self.visit, self.plate = call, visit, visit.plate
        self.path = PathShown(visit.path)

    @cached_property
    def feeds(self) -> list[FeedShown]:
        """Each feed."""
        losses = {loss.feed: loss for loss in self.visit.losses}
        kept = [(Shown(event, action), done) for event, action, done in self.visit.record.open_temporaries]
        return [
            FeedShown(
                id=feed.id,
                name=part_words(feed.id),
                load=load_of(self.plate, feed.id),
                device_amps=feed.breaker_amps,
                schools=next(part.schools for part in self.path.parts if part.id == f"{feed.id}.breaker"),
                governs=governing(self.path.parts, feed.id),
                loss=losses.get(feed.id),
                interim=self.visit.interim(feed.id),
                kept=tuple(entry for entry in kept if entry[0].action.feed == feed.id),
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
