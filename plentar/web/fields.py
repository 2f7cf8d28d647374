"""What the forms of more than one place of the application have in common."""

from flask import abort
from flask_wtf import FlaskForm
from wtforms import HiddenField, StringField
from wtforms.validators import UUID, Length, Optional

from plentar.core.errors import ReadingError

__all__ = ["PlaceFields", "checked_token", "first_error", "optional_id", "require_valid"]


class PlaceFields(FlaskForm):  # type: ignore[misc]
    """What is asked of a place wherever one is described."""

    town = StringField("Town", [Length(max=120)])
    occupant = StringField("Occupant", [Length(max=120)])
    access_note = StringField("Access", [Length(max=400)])
    phone = StringField("Phone", [Length(max=40)])


def optional_id() -> HiddenField:
    """Return a hidden id that may be missing: blanks are none, so that what is there is an id."""
    return HiddenField(filters=[lambda text: (text or "").strip()], validators=[Optional(), UUID()])


def checked_token() -> None:
    """Refuse a form that carries nothing but its token, when that is wrong."""
    if not FlaskForm().validate():
        abort(400)


def first_error(form: FlaskForm) -> ReadingError:
    """Return the first thing wrong with a form that did not validate, at its field."""
    field, messages = next(iter(form.errors.items()))
    return ReadingError(messages[0].lower().rstrip("."), field=field)


def require_valid(form: FlaskForm) -> None:
    """Refuse a form that does not validate.

    Raises:
        ReadingError: With the field that is wrong.
    """
    if not form.validate():
        raise first_error(form)
