"""Inputs that more than one place of the application has."""

from wtforms import HiddenField
from wtforms.validators import UUID, Optional

__all__ = ["optional_id"]


def optional_id() -> HiddenField:
    """Return a hidden id that may be missing: blanks are none, so that what is there is an id."""
    return HiddenField(filters=[lambda text: (text or "").strip()], validators=[Optional(), UUID()])
