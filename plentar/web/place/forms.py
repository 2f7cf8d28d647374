"""What the place's page sends."""

from wtforms import HiddenField, StringField
from wtforms.validators import InputRequired, Length, Regexp

from plentar.web.fields import PlaceFields

__all__ = ["PlaceForm"]


class PlaceForm(PlaceFields):
    """An address, who lives there and how to get in; `version` is the one it was read with."""

    version = HiddenField(validators=[InputRequired(), Regexp(r"\d{1,9}\Z")])
    name = StringField("Address", [Length(max=120)])
    estate = StringField("Estate", [Length(max=120)])
    block = StringField("Block", [Length(max=120)])
    stair = StringField("Stair", [Length(max=40)])
    door = StringField("Door", [Length(max=40)])
    coordinates = StringField("Coordinates", [Length(max=60)])
