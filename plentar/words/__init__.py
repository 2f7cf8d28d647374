"""Sentences: the one place where a reason and its figures become words.

The words stand in a message catalogue, `<language>.po`, a reason's id as its msgid. A template names the reason's
figures in braces with a format, as in `{amps:.1f} A`; a figure that is itself something said is said first. Behind a
`!` stand `l` for a small first letter, `c` for a capital one, `n` for no full stop; several things joined are
`{items:and}`, `{items:or}`, `{items:,}` or `{items:;}`. A temperature is `{outdoor:degf}`, how far two
lie apart `{rise:apart}`, a wire's size `{size:wire}`: in the units whoever reads chose (`figures`). A message with a
plural goes by the figure `count`. What a customer or the office reads otherwise than a technician has the reader as
its context.
"""

import gettext
import string
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from importlib.resources import files
from io import BytesIO
from typing import Any, Literal

from babel.messages.catalog import Catalog
from babel.messages.pofile import read_po

from plentar.core.message import Message, Text
from plentar.words.figures import DisplayUnits, apart, chosen, degrees, wire

__all__ = ["Catalogue", "Reader", "render"]

Reader = Literal["technician", "office", "customer"]
UNITS: dict[str, Callable[..., str]] = {"degf": degrees, "apart": apart, "wire": wire}
JOINERS = {"and": " and ", "or": " or ", ",": ", ", ";": "; "}


class Catalogue:
    """One language's words.

    Raises:
        KeyError: When something is said that the catalogue has no words for, or that has not the figures they name.
    """

    def __init__(self, text: bytes) -> None:
        catalog: Catalog = read_po(BytesIO(text), abort_invalid=True)
        self._plural = gettext.c2py(catalog.plural_expr)
        self.templates: dict[tuple[str, str], str | Sequence[str]] = {}
        for message in catalog:
            if message.id:
                name = message.id if isinstance(message.id, str) else message.id[0]
                self.templates[name, message.context or ""] = message.string or ""
        # The same few hundred phrases stand on every page of a call; each is a kilobyte with its figures. What has the
        # figures of a reading is new with the next: a larger cache fills for half an hour and answers no oftener.
        self._kept = lru_cache(maxsize=2048)(self._render)

    def render(self, words: Text, reader: Reader = "technician") -> str:
        """Return the words to a reader, in the units that reader chose."""
        if isinstance(words, str):
            return words
        return self._kept(words, reader, chosen())

    def _render(self, words: Message, reader: Reader, _: DisplayUnits) -> str:
        template = self.templates.get((words.id, reader)) or self.templates[words.id, ""]
        figures = dict(words.figures)
        if not isinstance(template, str):
            template = template[self._plural(int(figures["count"]))]  # type: ignore[arg-type]
        return _Teller(self, reader).vformat(template, (), figures)


class _Teller(string.Formatter):
    """Fills a template's figures in."""

    def __init__(self, catalogue: Catalogue, reader: Reader) -> None:
        self.catalogue, self.reader = catalogue, reader

    def get_value(self, key: int | str, args: Sequence[Any], kwargs: Mapping[str, Any]) -> Any:
        return self._told(kwargs[str(key)])

    def _told(self, figure: Any) -> Any:
        if isinstance(figure, tuple):
            return tuple(self._told(item) for item in figure)
        return self.catalogue.render(figure, self.reader) if isinstance(figure, Message) else figure

    def convert_field(self, value: Any, conversion: str | None) -> Any:
        if conversion == "l":
            return value[:1].lower() + value[1:]
        if conversion == "c":
            return value[:1].upper() + value[1:]
        if conversion == "n":
            return value.rstrip(".")
        return super().convert_field(value, conversion)

    def format_field(self, value: Any, format_spec: str) -> str:
        if format_spec in UNITS:
            return UNITS[format_spec](value)
        if isinstance(value, tuple):
            return JOINERS[format_spec].join(map(str, value))
        return str(super().format_field(value, format_spec))


ENGLISH = Catalogue((files(__name__) / "en.po").read_bytes())
render = ENGLISH.render
