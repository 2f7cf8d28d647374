"""JSON that somebody sends: the one reader of it, with limits on its size, its depth and its numbers."""

import json
import re
from typing import Any, NoReturn

from plentar.core.errors import ReadingError

__all__ = ["read_json"]

# Our deepest document, a unit's file within a case, has nine levels.
MOST_DEPTH = 32
# A double has 17 significant digits; more are typed by a program, and a few thousand cost seconds to read.
MOST_DIGITS = 40
# Strings first: a bracket in one opens nothing.
_TOKENS = re.compile(r'"[^"\\]*(?:\\.[^"\\]*)*"|[\[{]|[\]}]', re.DOTALL)


def read_json(text: str | bytes, *, field: str, most_bytes: int) -> Any:
    """Return what a JSON text says.

    Args:
        text: As it was sent; bytes are UTF-8.
        field: The sender's field, for the message.
        most_bytes: The longest text this is read from [bytes, or characters of a text].

    Raises:
        ReadingError: It is no JSON, too long, too deep, or holds a number or a character nothing here can keep.
    """
    if len(text) > most_bytes:
        raise ReadingError(f"expected at most {most_bytes // 1000:,} kB of JSON", field=field)

    def refuse(what: str) -> NoReturn:
        raise ReadingError(f"expected JSON: {what}", field=field)

    def number(digits: str) -> int:
        if len(digits) > MOST_DIGITS:
            refuse(f"a number of more than {MOST_DIGITS} digits")
        return int(digits)

    try:
        read = text.decode("utf-8") if isinstance(text, bytes) else text
    except UnicodeDecodeError:
        refuse("it is not UTF-8")
    depth = 0
    for token in _TOKENS.finditer(read):
        first = token[0][0]
        depth += (first in "[{") - (first in "]}")
        if depth > MOST_DEPTH:
            refuse(f"more than {MOST_DEPTH} levels")
    if "\\u0000" in read:
        refuse("a character of code 0")
    try:
        return json.loads(read, parse_int=number, parse_constant=lambda name: refuse(f"{name} is no number"))
    except ReadingError:
        raise
    except (ValueError, RecursionError) as error:
        refuse(str(error))
