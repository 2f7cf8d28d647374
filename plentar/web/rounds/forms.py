"""What the pages of rounds send; units come as ticks, their own hours as fields named by unit."""

from flask_wtf import FlaskForm
from wtforms import DateField, IntegerField, SelectMultipleField, StringField, TimeField
from wtforms.validators import DataRequired, InputRequired, Length, NumberRange

from plentar.core.rounds.day_load import DAY_MINUTES
from plentar.web.fields import optional_id

__all__ = ["RoundForm"]


class RoundForm(FlaskForm):  # type: ignore[misc]
    """A round to be planned: over what, from when, by whom."""

    round_id = optional_id()
    name = StringField("Name", [DataRequired("enter a name for the round"), Length(max=120)])
    owner = StringField("Owner, for the report", [Length(max=120)])
    first_day = DateField("First day", [InputRequired("choose the first day")])
    days = IntegerField("Working days", [InputRequired(), NumberRange(1, 30, message="1 to 30 days")], default=3)
    begins = TimeField("From", [InputRequired("choose an hour")])
    ends = TimeField("To", [InputRequired("choose an hour")])
    minutes = IntegerField(
        "Minutes a unit", [InputRequired(), NumberRange(5, 240, message="5 to 240 minutes")], default=30
    )
    capacity = IntegerField(
        "Minutes a day and person",
        [InputRequired(), NumberRange(30, 720, message="30 to 720 minutes")],
        default=DAY_MINUTES,
    )
    people = SelectMultipleField("Who", [InputRequired("tick the technicians")], choices=[])
    units = SelectMultipleField("Units", [InputRequired("tick at least one unit")], choices=[])
