"""A thing to be told: which reason, and its figures. What it sounds like stands in the catalogue, and only there."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

__all__ = ["Figure", "Message", "Text", "joined", "message"]


@dataclass(frozen=True, slots=True)
class Message:
    """A reason's id with the figures that belong to it; `plentar.words` makes a sentence of both.

    A figure is a number, a name somebody gave, another thing said, or several of them.
    """

    id: str
    figures: "tuple[tuple[str, Figure], ...]" = ()

    def __str__(self) -> str:
        """Refuse: put into a text unsaid, an id would be read by a person."""
        raise TypeError(f"{self.id} is a reason, not words: plentar.words says it")

    def __format__(self, spec: str) -> str:
        """Refuse likewise."""
        return str(self)


Figure = str | float | Message | tuple["Figure", ...]
# What a person reads: something said, or a name that is nobody's to translate.
Text = Message | str


def message(reason: str, /, **figures: Figure) -> Message:
    """Return a reason with its figures.

    Example:
        >>> message("supply.heat-falls-square-volts")
        Message(id='supply.heat-falls-square-volts', figures=())
        >>> message("verdict.leads-differ", amps=20.8, other_amps=17.9).figures
        (('amps', 20.8), ('other_amps', 17.9))
    """
    return Message(reason, tuple(figures.items()))


def joined(items: Iterable[Text], by: Literal["and", "or", "comma", "semicolon"] = "and") -> Text:
    """Return several as one; one of them is itself, none is nothing.

    Example:
        >>> joined(["W", "G"])
        Message(id='list.and', figures=(('items', ('W', 'G')),))
        >>> joined(["W"])
        'W'
    """
    found = tuple(items)
    if len(found) < 2:
        return found[0] if found else ""
    return message(f"list.{by}", items=found)
