"""What the pages of planning send."""

from flask_wtf import FlaskForm
from wtforms import BooleanField, DateField, HiddenField, IntegerField, SelectField, StringField, TimeField
from wtforms.validators import DataRequired, InputRequired, Length, NumberRange, Optional, Regexp

from plentar.web.fields import optional_id

__all__ = [
    "CancelForm",
    "FeedForm",
    "FollowUpForm",
    "HandForm",
    "OrderForm",
    "OrderStateForm",
    "PlanForm",
    "ReturnForm",
]

STATES = ("to order", "ordered", "here", "fitted", "not needed")


class PlanForm(FlaskForm):  # type: ignore[misc]
    """A day and an hour of the shop's clock, the window promised, how long, by whom."""

    version = HiddenField(validators=[InputRequired(), Regexp(r"\d{1,9}\Z")])
    on = DateField("Day", [InputRequired("choose a day")])
    at = TimeField("From", [InputRequired("choose an hour")])
    window = IntegerField("Window, minutes", [Optional(), NumberRange(0, 720, message="at most 12 hours")])
    minutes = IntegerField("Takes, minutes", [Optional(), NumberRange(5, 720, message="5 minutes to 12 hours")])
    technician = SelectField("Technician", choices=[])


class HandForm(FlaskForm):  # type: ignore[misc]
    """To whom a call goes on."""

    version = HiddenField(validators=[InputRequired(), Regexp(r"\d{1,9}\Z")])
    technician = SelectField("Technician", choices=[])


class CancelForm(FlaskForm):  # type: ignore[misc]
    """Why nobody comes."""

    why = StringField("Why", [DataRequired("enter a reason"), Length(max=400)])


class FollowUpForm(FlaskForm):  # type: ignore[misc]
    """What the place is owed, and by which day."""

    item_id = optional_id()
    words = StringField("Follow-up", [DataRequired("enter what has to be done"), Length(max=400)])
    due_on = DateField("By", [InputRequired("choose a day")])


class OrderForm(FlaskForm):  # type: ignore[misc]
    """A part the call waits for."""

    order_id = optional_id()
    name = StringField("Part", [DataRequired("enter the part"), Length(max=200)])
    expected_on = DateField("Expected on", [Optional()])


class OrderStateForm(FlaskForm):  # type: ignore[misc]
    """How far a part has come."""

    state = SelectField("State", choices=list(STATES))


class ReturnForm(PlanForm):
    """A return visit: planned like any call; what it comes back for is in the call before."""

    call_id = optional_id()
    version = HiddenField(validators=[Optional()])


class FeedForm(FlaskForm):  # type: ignore[misc]
    """Whether the calendar carries the customer's words."""

    with_words = BooleanField("With the customer’s words and the house number")
