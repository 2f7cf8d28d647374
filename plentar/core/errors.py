"""The core's named exceptions.

Each carries the field that caused it, so that a form or a file reader can put the message beside that field.
"""

from plentar.core.message import Text

__all__ = ["BusyError", "MeterError", "NameplateError", "PlentarError", "ReadingError"]


class PlentarError(ValueError):
    """Something the user gave cannot be used; `field` says where, the text says what was expected and what came."""

    def __init__(self, message: Text, *, field: str = "") -> None:
        super().__init__(message if isinstance(message, str) else message.id)
        self.message = message
        self.field = field


class NameplateError(PlentarError):
    """A unit's description cannot be a circuit, or a plate value is out of range."""


class ReadingError(PlentarError):
    """A reading is not a number, not physical, or taken at a point the unit does not have."""


class MeterError(PlentarError):
    """A meter's accuracy is not usable."""


class BusyError(PlentarError):
    """Something that is done one at a time is busy with others; asked again in a moment it can be done."""
