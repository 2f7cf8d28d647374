"""What the fix page sends."""

from flask_wtf import FlaskForm
from wtforms import DateField, HiddenField, StringField
from wtforms.validators import UUID, InputRequired, Length, Optional

__all__ = ["ApprovalForm", "ItemForm", "LedgerForm", "PartForm", "TemporaryForm"]


class ItemForm(FlaskForm):  # type: ignore[misc]
    """An item's id, made by the page, so that a repeated send is one item."""

    item_id = HiddenField(validators=[InputRequired(), UUID()])


class LedgerForm(ItemForm):
    """A part's ledger; the leads' own fields are read beside it."""

    part = HiddenField(validators=[InputRequired(), Length(max=80)])


class PartForm(ItemForm):
    """A part used, the minutes it took, what it costs."""

    name = StringField("Part", [InputRequired(message="enter the part"), Length(max=120)])
    minutes = StringField("Minutes", [Length(max=10)])
    price = StringField("Price", [Length(max=12)])
    choice = StringField("Which", [Length(max=40)])


class TemporaryForm(ItemForm):
    """A temporary measure."""

    circuit = StringField("Stage that is off", [InputRequired(message="choose the stage that is off"), Length(max=80)])
    how = StringField("How", [InputRequired(message="enter how it is turned off"), Length(max=200)])
    tag = StringField("Tag", [InputRequired(message="enter what the tag says"), Length(max=200)])
    due = DateField("Until", [Optional()])


class ApprovalForm(ItemForm):
    """The owner's approval of extra work."""

    who = StringField("Who", [InputRequired(message="enter who approved"), Length(max=120)])
    what = StringField("What", [InputRequired(message="enter what was approved"), Length(max=400)])
