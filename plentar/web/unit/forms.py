"""What the nameplate editor sends besides the plate itself."""

from flask_wtf import FlaskForm
from wtforms import HiddenField
from wtforms.validators import InputRequired, Regexp

from plentar.web.fields import optional_id

__all__ = ["PlateGuardForm"]


class PlateGuardForm(FlaskForm):  # type: ignore[misc]
    """The token, the version the form was filled from, the call to go back to."""

    version = HiddenField(validators=[InputRequired(), Regexp(r"\d{1,9}\Z")])
    call = optional_id()
