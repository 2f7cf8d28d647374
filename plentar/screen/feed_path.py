"""The path of the feeds as a page shows it, of a call and of a calculator alike."""

from functools import cached_property

from plentar.core.judging.feed_path import PathPart
from plentar.core.limits.verdicts import Grade
from plentar.screen.drawings.feed_tree import FeedTree, draw_tree

__all__ = ["PathShown"]


class PathShown:
    """The parts of a path, sorted by what is to be told of them."""

    def __init__(self, parts: tuple[PathPart, ...]) -> None:
        self.parts = parts

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
