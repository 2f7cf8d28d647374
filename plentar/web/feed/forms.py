"""What the steps *Circuit* and *Heat pump* send."""

from flask_wtf import FlaskForm
from wtforms import DateField, HiddenField, StringField
from wtforms.validators import UUID, InputRequired, Length, Optional

__all__ = ["InterimForm", "WeatherForm"]


class InterimForm(FlaskForm):  # type: ignore[misc]
    """What may run until a feed is corrected, kept as a temporary measure."""

    item_id = HiddenField(validators=[InputRequired(), UUID()])
    feed = HiddenField(validators=[InputRequired(), Length(max=80)])
    tag = StringField("Tag", [InputRequired(message="enter what the tag says"), Length(max=200)])
    due = DateField("Until", [Optional()])
    corrected_by = StringField(
        "Who corrects it", [InputRequired(message="enter who must correct what"), Length(max=400)]
    )


class WeatherForm(FlaskForm):  # type: ignore[misc]
    """Outdoors and indoors, as read at the call."""

    item_id = HiddenField(validators=[InputRequired(), UUID()])
    outdoor = StringField("Outdoors", [Length(max=20)])
    indoor = StringField("Indoors", [Length(max=20)])
    degrees = HiddenField()
