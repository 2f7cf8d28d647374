"""What the call screen sends."""

from flask_wtf import FlaskForm
from wtforms import HiddenField, StringField
from wtforms.validators import UUID, InputRequired, Length, Optional, Regexp

__all__ = ["ConditionForm", "ReadingForm"]


class ReadingForm(FlaskForm):  # type: ignore[misc]
    """One reading: a number as typed, at a point, under an id the client made."""

    reading_id = HiddenField(validators=[InputRequired(), UUID()])
    point = HiddenField(validators=[InputRequired(), Length(max=160)])
    value = StringField("Reading", [Length(max=40, message="that is longer than any meter's display")])
    supersedes = HiddenField(validators=[Optional(), UUID()])
    reason = StringField("Why the first one was wrong", [Length(max=200)])


class ConditionForm(FlaskForm):  # type: ignore[misc]
    """One switch of the condition strip: `feed-1=off`, `W=on`."""

    switch = HiddenField(validators=[InputRequired(), Length(max=80), Regexp(r"[A-Za-z0-9-]+=[a-z ]+\Z")])
